package draw_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/draw"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
	"wendrik/internal/picture"
)

// told tells all of a picture: every box with what stands in it, every line from box to box, every text.
func told(p *draw.Picture) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s: %.0f x %.0f\n", p.Title, p.W, p.H)
	in := func(n int) string {
		if n < 0 {
			return ""
		}
		return fmt.Sprintf(" in %d", n)
	}
	for i, x := range p.Boxes {
		fmt.Fprintf(&b, "%d %s %.0f,%.0f %.0fx%.0f%s: %s\n", i, x.Look, x.X, x.Y, x.W, x.H, in(x.In), x.What)
	}
	for _, l := range p.Lines {
		fmt.Fprintf(&b, "line %s%s", l.Look, map[bool]string{true: " >"}[l.Arrow])
		for _, q := range l.Points {
			fmt.Fprintf(&b, " %.0f,%.0f", q.X, q.Y)
		}
		fmt.Fprintf(&b, ": %s\n", l.What)
	}
	for _, x := range p.Texts {
		whole := ""
		if x.Whole != "" {
			whole = " for " + x.Whole
		}
		fmt.Fprintf(&b, "text %s %.0f,%.0f w%.0f s%.0f%s%s: %s%s\n", x.Look, x.X, x.Y, x.W, x.Size, map[bool]string{true: " bold"}[x.Bold], in(x.In), x.Value, whole)
	}
	return b.String()
}

// TestAnswers tells all of the pictures of estates: what stands where, and what is said of it.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		switch words[1] {
		case "estate":
			return told(draw.Estate(e, len(words) > 2, picture.Width))
		case "space":
			return told(draw.Space(e, picture.Width))
		case "network":
			return told(draw.Network(e.Network(words[2]), len(words) > 3, picture.Width))
		case "change":
			after := estatetest.Load(t, estatetest.Plan(t, words[2]))
			return told(draw.Change(after, compare.Of(e, after, nil, time.Date(2031, 3, 31, 0, 0, 0, 0, time.UTC)), picture.Width))
		}
		require.Fail(t, "no such picture")
		return ""
	})
}

// TestWaysAndMatrices tells all of a way with what stops on it, and of a matrix with a network of several rows.
func TestWaysAndMatrices(t *testing.T) {
	golden.Cases(t, cases, func(t *testing.T, asked string) string {
		if asked == "way" {
			return told(draw.Way("shop to tides on tcp/5432", "blocked", false, []draw.Leg{
				{"there", []draw.Stop{{"shop, group web, out", "any to any", false}, {"table pier/web, a long name of a table that goes on and on and on", "10.148.0.0/20 via booking-harbour and much more that is to be said of it", false}, {"tides, group hall, in", "stops here", true}}},
				{"and back", []draw.Stop{{"table quay/main", "pier via ferry", false}}},
			}, []draw.Cause{{"no rule of group hall lets tcp/5432 in", "add  tcp/5432 from group pier/web"}, {"nothing leads back", ""}}, picture.Width))
		}
		m := &draw.Matrix{Names: []string{"pier/web", "pier/app", "quay/hall", "internet"}, About: "on tcp/443, from the row to the column", At: func(from, to int) (draw.Look, string) {
			return []draw.Look{draw.Open, draw.Partly, draw.Blocked}[(from+2*to)%3], fmt.Sprintf("%d to %d", from, to)
		}}
		return told(m.Draw("who reaches whom", picture.Width))
	})
}

const cases = `
== a way that is blocked
way
--
shop to tides on tcp/5432: 1294 x 354
0 plain 24,112 186x39: shop, group web, out: any to any
1 plain 236,112 186x50: table pier/web, a long name of a table that goes on and on and on: 10.148.0.0/20 via booking-harbour and much more that is to be said of it
2 changed 448,112 186x39: tides, group hall, in: stops here
3 plain 24,202 186x39: table quay/main: pier via ferry
line open > 210,126 236,126:
line blocked > 422,126 448,126:
text ink 24,38 w216 s18 bold: shop to tides on tcp/5432
text alarm 24,76 w53 s14 bold: blocked
text faint 24,104 w27 s11 bold: there
text ink 32,127 w106 s10 bold in 0: shop, group web, out
text ink 32,140 w42 s9 in 0: any to any
text ink 244,127 w170 s10 bold in 1: table pier/web, a long name of a… for table pier/web, a long name of a table that goes on and on and on
text ink 244,140 w158 s9 in 1: 10.148.0.0/20 via booking-harbour and
text ink 244,151 w131 s9 in 1: much more that is to be said of it
text alarm 612,127 w14 s10 bold in 2: × 1
text ink 456,127 w97 s10 bold in 2: tides, group hall, in
text ink 456,140 w42 s9 in 2: stops here
text faint 24,194 w48 s11 bold: and back
text ink 32,217 w80 s10 bold in 3: table quay/main
text ink 32,230 w50 s9 in 3: pier via ferry
text faint 24,273 w182 s11 bold: what stops it, and what would fix it
text alarm 24,292 w6 s10 bold: 1
text ink 46,292 w161 s10: no rule of group hall lets tcp/5432 in
text faint 60,305 w150 s10: add tcp/5432 from group pier/web
text alarm 24,322 w6 s10 bold: 2
text ink 46,322 w84 s10: nothing leads back

== a matrix
matrix
--
who reaches whom: 528 x 235
0 open 94,108 16x16: pier/web to pier/web: 0 to 0
1 blocked 112,108 16x16: pier/web to pier/app: 0 to 1
2 partly 130,108 16x16: pier/web to quay/hall: 0 to 2
3 open 148,108 16x16: pier/web to internet: 0 to 3
4 partly 94,126 16x16: pier/app to pier/web: 1 to 0
5 open 112,126 16x16: pier/app to pier/app: 1 to 1
6 blocked 130,126 16x16: pier/app to quay/hall: 1 to 2
7 partly 148,126 16x16: pier/app to internet: 1 to 3
8 blocked 94,144 16x16: quay/hall to pier/web: 2 to 0
9 partly 112,144 16x16: quay/hall to pier/app: 2 to 1
10 open 130,144 16x16: quay/hall to quay/hall: 2 to 2
11 blocked 148,144 16x16: quay/hall to internet: 2 to 3
12 open 94,162 16x16: internet to pier/web: 3 to 0
13 blocked 112,162 16x16: internet to pier/app: 3 to 1
14 partly 130,162 16x16: internet to quay/hall: 3 to 2
15 open 148,162 16x16: internet to internet: 3 to 3
16 open 24,193 16x14: ● what passes, passes between all
17 partly 215,193 16x14: – something passes between some
18 blocked 405,193 16x14: nothing passes
line plain 24,143 165,143:
line plain 129,91 129,179:
line plain 24,161 165,161:
line plain 147,91 147,179:
text ink 24,38 w166 s18 bold: who reaches whom
text faint 24,62 w189 s11: on tcp/443, from the row to the column
text faint 24,120 w5 s9 bold: 1
text ink 48,120 w36 s10: pier/web
text faint 99,101 w5 s9 bold: 1
text faint 24,138 w5 s9 bold: 2
text ink 48,138 w35 s10: pier/app
text faint 117,101 w5 s9 bold: 2
text faint 24,156 w5 s9 bold: 3
text ink 48,156 w39 s10: quay/hall
text faint 135,101 w5 s9 bold: 3
text faint 24,174 w5 s9 bold: 4
text ink 48,174 w32 s10: internet
text faint 153,101 w5 s9 bold: 4
text on-dark 99,120 w5 s9 bold in 0: ●
text on-dark 135,120 w5 s9 bold in 2: –
text on-dark 153,120 w5 s9 bold in 3: ●
text on-dark 99,138 w5 s9 bold in 4: –
text on-dark 117,138 w5 s9 bold in 5: ●
text on-dark 153,138 w5 s9 bold in 7: –
text on-dark 117,156 w5 s9 bold in 9: –
text on-dark 135,156 w5 s9 bold in 10: ●
text on-dark 99,174 w5 s9 bold in 12: ●
text on-dark 135,174 w5 s9 bold in 14: –
text on-dark 153,174 w5 s9 bold in 15: ●
text faint 46,204 w149 s10: ● what passes, passes between all
text faint 237,204 w149 s10: – something passes between some
text faint 427,204 w64 s10: nothing passes
`
