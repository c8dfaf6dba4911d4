package picture

import (
	"bytes"
	"compress/zlib"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/draw"
	"wendrik/internal/golden"
)

// sample is a picture with some boxes, lines and texts of each kind.
func sample() *draw.Picture {
	return &draw.Picture{Title: "quay & <pier>", W: 240, H: 120,
		Boxes: []draw.Box{{X: 10, Y: 10, W: 60, H: 40, Look: draw.Closed, What: "closed & shut", In: -1}, {X: 90, Y: 10, W: 60, H: 40, Look: draw.HeldLook, In: -1},
			{X: 170, Y: 10, W: 60, H: 40, Look: draw.Outbound, In: -1}, {X: 14, Y: 30, W: 10, H: 8, Look: draw.Gate, In: 0}},
		Lines: []draw.Line{{Points: []draw.Point{{X: 20, Y: 70}, {X: 120, Y: 70}, {X: 120, Y: 110}}, Look: draw.Opens, Arrow: true, What: "opens"},
			{Points: []draw.Point{{X: 140, Y: 90}, {X: 230, Y: 90}}, Look: draw.HubLine}},
		Texts: []draw.Text{{X: 14, Y: 24, W: Width("häfen", 10, true), Size: 10, Bold: true, Look: draw.Ink, Value: "häfen", In: 0},
			{X: 140, Y: 112, W: Width("b < c", 12, false), Size: 12, Look: draw.Alarm, Value: "b < c", Whole: "b < c & d", In: -1},
			{X: 92, Y: 26, W: Width("III", 24, true), Size: 24, Bold: true, Look: draw.Good, Value: "III", In: 1}, {X: 172, Y: 26, W: Width("ff", 10, false), Size: 10, Look: draw.Faint, Value: "ff", In: 2},
			{X: 14, Y: 46, W: Width("d", 10, false), Size: 10, Look: draw.OnDark, Value: "d", In: 3}, {X: 24, Y: 75, W: Width("over", 20, false), Size: 20, Look: draw.Ink, Value: "over", In: -1}},
	}
}

// TestSVG reads back all of a picture as SVG, in each theme, and with the fonts in it.
func TestSVG(t *testing.T) {
	golden.File(t, "svg.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		size := 0.0
		if len(words) > 1 {
			size = 480
		}
		var b strings.Builder
		require.NoError(t, SVG(&b, sample(), Themes[words[0]], size, size, len(words) > 1))
		said := regexp.MustCompile(`base64,[A-Za-z0-9+/=]{1000,}`).ReplaceAllString(b.String(), "base64,FONT")
		return strings.ReplaceAll(said, "><", ">\n<")
	})
}

// seen is what a picture looks like, with a sign for each square of four pixels: the colour most of them have, by its name.
func seen(img image.Image, named map[string]string) string {
	var b strings.Builder
	for y := 0; y < img.Bounds().Dy(); y += 4 {
		for x := 0; x < img.Bounds().Dx(); x += 4 {
			count := map[string]int{}
			for dy := range 4 {
				for dx := range 4 {
					count[nearest(img.At(x+dx, y+dy), named)]++
				}
			}
			best := ""
			for _, sign := range slices.Sorted(slices.Values(keys(count))) {
				if best == "" || count[sign] > count[best] {
					best = sign
				}
			}
			b.WriteString(best)
		}
		b.WriteString("|\n")
	}
	return b.String()
}

func keys(m map[string]int) (all []string) {
	for k := range m {
		all = append(all, k)
	}
	return all
}

func nearest(c color.Color, named map[string]string) string {
	r, g, b, _ := c.RGBA()
	best, least := "", 1<<30
	for _, colour := range slices.Sorted(func(yield func(string) bool) {
		for k := range named {
			if !yield(k) {
				return
			}
		}
	}) {
		cr, cg, cb := rgb(colour)
		d := func(a uint32, b uint8) int { x := int(a>>8) - int(b); return x * x }
		if n := d(r, cr) + d(g, cg) + d(b, cb); n < least {
			best, least = named[colour], n
		}
	}
	return best
}

// TestPNG looks at a picture as PNG: where each colour is, in two themes, and twice as large.
func TestPNG(t *testing.T) {
	for _, name := range []string{"light", "dark"} {
		theme := Themes[name]
		named := map[string]string{theme.paper: " ", theme.boxes[draw.Closed].fill: "c", theme.boxes[draw.Closed].stroke: "C", theme.boxes[draw.HeldLook].fill: "h", theme.boxes[draw.HeldLook].stroke: "H",
			theme.boxes[draw.Outbound].fill: "o", theme.boxes[draw.Outbound].stroke: "O", theme.boxes[draw.Gate].fill: "G", theme.lines[draw.Opens].stroke: "+", theme.lines[draw.HubLine].stroke: "~", theme.alarm: "!"}
		var b bytes.Buffer
		require.NoError(t, PNG(&b, sample(), theme, 480, 300))
		img, err := png.Decode(&b)
		require.NoError(t, err)
		require.Equal(t, image.Rect(0, 0, 480, 240), img.Bounds())
		at := func(x, y float64) string { return nearest(img.At(int(2*x), int(2*y)), named) }
		for where, want := range map[[2]float64]string{{3, 3}: " ", {40, 45}: "c", {11.5, 30}: "C", {18, 34}: "G", {200, 30}: "o", {120, 90}: "+", {119, 105}: "+", {121, 105}: "+", {143, 90}: "~", {23.5, 70}: " ", {72, 70}: "+"} {
			assert.Equal(t, want, at(where[0], where[1]), "%s: at %v", name, where)
		}
		picture := seen(img, named)
		assert.Equal(t, 60, strings.Count(picture, "\n"))
		for sign, some := range map[string][2]int{"c": {180, 640}, "h": {100, 640}, "o": {300, 620}, "!": {4, 60}, "+": {80, 190}, "G": {4, 120}, " ": {3500, 6500}} {
			n := strings.Count(picture, sign)
			assert.True(t, n >= some[0] && n <= some[1], "%s: %q stands %d times\n%s", name, sign, n, picture)
		}
	}
}

// TestLooks: of each look, a box is filled and framed, and a line drawn, in the colours of its theme.
func TestLooks(t *testing.T) {
	for name, theme := range Themes {
		for look, s := range theme.boxes {
			p := &draw.Picture{W: 60, H: 40, Boxes: []draw.Box{{X: 10, Y: 10, W: 40, H: 20, Look: look, In: -1}}}
			var b bytes.Buffer
			require.NoError(t, PNG(&b, p, theme, 0, 0))
			img, err := png.Decode(&b)
			require.NoError(t, err)
			if !s.hatch {
				assert.Equal(t, "in", nearest(img.At(40, 20), map[string]string{s.fill: "in", invert(s.fill): "out"}), "%s: %s", name, look)
			}
			assert.Equal(t, "out", nearest(img.At(4, 4), map[string]string{theme.paper: "out", invert(theme.paper): "in"}))
		}
		for look, s := range theme.lines {
			p := &draw.Picture{W: 60, H: 40, Lines: []draw.Line{{Points: []draw.Point{{X: 5, Y: 20.5}, {X: 55, Y: 20.5}}, Look: look}}}
			var b bytes.Buffer
			require.NoError(t, PNG(&b, p, theme, 0, 0))
			img, err := png.Decode(&b)
			require.NoError(t, err)
			drawn := 0
			for x := 5; x < 55; x++ {
				if nearest(img.At(x, 20), map[string]string{s.stroke: "line", theme.paper: "paper"}) == "line" {
					drawn++
				}
			}
			solid := len(s.dash) == 0
			assert.True(t, solid && drawn >= 48 || !solid && drawn > 8 && drawn < 48, "%s: %s is drawn on %d of 50", name, look, drawn)
		}
	}
}

func invert(colour string) string {
	r, g, b := rgb(colour)
	return fmt.Sprintf("#%02x%02x%02x", r^0x80, g^0x80, b^0x80)
}

// TestPDF reads back what is drawn on the page of a PDF, and its size and title.
func TestPDF(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, PDF(&b, sample(), Themes["light"], 480, 300))
	raw := b.String()
	assert.Contains(t, raw, "/MediaBox [ 0 0 480.00 240.00 ]")
	golden.File(t, "pdf.txt", func(t *testing.T, _ string) string {
		for _, m := range regexp.MustCompile(`(?s)stream\r?\n(.*?)\r?\nendstream`).FindAllStringSubmatch(raw, -1) {
			r, err := zlib.NewReader(strings.NewReader(m[1]))
			if err != nil {
				continue
			}
			said, _ := io.ReadAll(r)
			if bytes.Contains(said, []byte(" re ")) {
				return string(said)
			}
		}
		require.Fail(t, "no page", "%.500q", raw)
		return ""
	})
}

// TestShapes: marks lie inside their box, and the head of an arrow points where the line goes.
func TestShapes(t *testing.T) {
	for _, b := range []draw.Box{{X: 10, Y: 20, W: 30, H: 10}, {X: 0, Y: 0, W: 8, H: 50}, {X: 3, Y: 4, W: 20, H: 20}} {
		n := 0
		for _, m := range marks(b, style{hatch: true, bar: true}) {
			for _, p := range m {
				assert.True(t, p.X >= b.X && p.X <= b.X+b.W && p.Y >= b.Y && p.Y <= b.Y+b.H, "%v in %v", p, b)
			}
			n++
		}
		assert.Equal(t, 1+int((b.W+b.H-1)/7), n, "%v", b)
	}
	assert.Empty(t, marks(draw.Box{W: 9, H: 9}, style{}))
	assert.Equal(t, [3]float64{0, 3, 0}, [3]float64{radius(draw.Box{W: 11, H: 90}), radius(draw.Box{W: 12, H: 12}), radius(draw.Box{W: 90, H: 11})})
	assert.Equal(t, [2]float64{3, 0.35}, [2]float64{markWidth(style{bar: true}), markWidth(style{hatch: true})})
	head := arrow([]draw.Point{{X: 0, Y: 0}, {X: 0, Y: 10}, {X: 10, Y: 10}})
	assert.Equal(t, draw.Point{X: 10, Y: 10}, head[0])
	assert.InDelta(t, 10-8*0.9004, head[1].X, 0.01)
	assert.InDelta(t, 10-8*0.4349, head[1].Y, 0.01)
	assert.InDelta(t, 10+8*0.4349, head[2].Y, 0.01)
	p := &draw.Picture{W: 100, H: 50}
	for _, size := range [][2]float64{{0, 50}, {100, 0}, {13000, 10000}} {
		assert.ErrorContains(t, PNG(io.Discard, &draw.Picture{W: size[0], H: size[1]}, Themes["light"], 0, 0), "too large")
	}
	assert.Equal(t, [4]float64{1, 2, 4, 1}, [4]float64{scaleOf(p, 0, 0), scaleOf(p, 200, 300), scaleOf(p, 999, 200), scaleOf(p, 0, 90)})
	assert.Equal(t, 1.0, scaleOf(p, 90, 0))
	for f, want := range map[float64]string{1: "1", 1.5: "1.5", 0.126: "0.13", 100: "100", 0: "0"} {
		assert.Equal(t, want, number(f))
	}
}
