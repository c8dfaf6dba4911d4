package draw_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/draw"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/picture"
	"wendrik/internal/randomplan"
)

// sound holds a picture to the rules: no box over another but for what it stands in, every text in its box and in the picture, no two
// texts over each other, and no line through a card.
func sound(t *testing.T, p *draw.Picture, about string) {
	t.Helper()
	const slack = 0.51
	inside := func(b draw.Box, x, y, w, h float64) bool {
		return x >= b.X-slack && y >= b.Y-slack && x+w <= b.X+b.W+slack && y+h <= b.Y+b.H+slack
	}
	holds := func(outer, inner int) bool {
		for n := p.Boxes[inner].In; n >= 0; n = p.Boxes[n].In {
			if n == outer {
				return true
			}
		}
		return false
	}
	whole := draw.Box{W: p.W, H: p.H}
	for i, a := range p.Boxes {
		require.True(t, inside(whole, a.X, a.Y, a.W, a.H), "%s: box %q leaves the picture", about, a.What)
		require.False(t, a.W <= 0 || a.H <= 0 || math.IsNaN(a.X+a.Y), "%s: box %q is nothing", about, a.What)
		if a.In >= 0 {
			require.Less(t, a.In, i, about)
			require.True(t, inside(p.Boxes[a.In], a.X, a.Y, a.W, a.H), "%s: box %q leaves %q", about, a.What, p.Boxes[a.In].What)
		}
		for j := range p.Boxes[:i] {
			b := p.Boxes[j]
			if holds(j, i) || a.X >= b.X+b.W-slack || b.X >= a.X+a.W-slack || a.Y >= b.Y+b.H-slack || b.Y >= a.Y+a.H-slack {
				continue
			}
			require.Fail(t, "boxes meet", "%s: %q and %q", about, a.What, b.What)
		}
	}
	for i, a := range p.Texts {
		require.True(t, inside(whole, a.X, a.Y-a.Size*0.8, a.W, a.Size), "%s: text %q leaves the picture", about, a.Value)
		require.InDelta(t, picture.Width(a.Value, a.Size, a.Bold), a.W, 0.01)
		if a.In >= 0 {
			require.True(t, inside(p.Boxes[a.In], a.X, a.Y-a.Size*0.7, a.W, a.Size*0.9), "%s: text %q leaves %q", about, a.Value, p.Boxes[a.In].What)
		}
		for _, b := range p.Texts[:i] {
			if a.X < b.X+b.W-slack && b.X < a.X+a.W-slack && a.Y-a.Size*0.7 < b.Y-slack && b.Y-b.Size*0.7 < a.Y-slack {
				require.Fail(t, "texts meet", "%s: %q and %q", about, a.Value, b.Value)
			}
		}
	}
	for _, l := range p.Lines {
		for k := range l.Points[1:] {
			a, b := l.Points[k], l.Points[k+1]
			for _, x := range p.Boxes {
				if x.Look != draw.Card && x.Look != draw.HubLook && x.Look != draw.Outside && x.Look != draw.Changed {
					continue
				}
				through := math.Max(a.X, b.X) > x.X+slack && math.Min(a.X, b.X) < x.X+x.W-slack && math.Max(a.Y, b.Y) > x.Y+slack && math.Min(a.Y, b.Y) < x.Y+x.H-slack
				require.False(t, through, "%s: a line (%s) goes through %q", about, l.What, x.What)
			}
		}
	}
}

func all(t *testing.T, e *estate.Estate, about string) {
	t.Helper()
	sound(t, draw.Estate(e, false, picture.Width), about+", the estate")
	sound(t, draw.Estate(e, true, picture.Width), about+", the estate in scale")
	sound(t, draw.Space(e, picture.Width), about+", space")
	for i, n := range e.Networks {
		if i < 3 {
			sound(t, draw.Network(n, i%2 == 0, picture.Width), about+", network "+n.Name)
		}
	}
}

// TestShippedPictures holds all pictures of the shipped estate, and of its change, to the rules.
func TestShippedPictures(t *testing.T) {
	var both [2]*estate.Estate
	for i, name := range []string{"wendrik.yaml", "planned.yaml"} {
		raw, err := os.ReadFile("../../../examples/skerry-line/" + name)
		require.NoError(t, err)
		e, findings := estate.Load(text.One(name, string(raw)))
		require.Empty(t, findings)
		both[i] = e
		all(t, e, name)
	}
	for _, x := range [][2]int{{0, 1}, {1, 0}} {
		sound(t, draw.Change(both[x[1]], compare.Of(both[x[0]], both[x[1]], nil, time.Now()), picture.Width), "the change")
	}
	a, b := draw.Estate(both[0], false, picture.Width), draw.Estate(both[0], false, picture.Width)
	assert.Equal(t, a, b, "the same plan gives the same picture")
}

// TestRandomPictures holds pictures of random estates of three kinds to the rules, with names as long as anybody's.
func TestRandomPictures(t *testing.T) {
	for seed := range fuzz.Rounds(40, 200) {
		rng := rand.New(rand.NewPCG(seed, 15))
		content := randomplan.Write(rng)
		if seed%2 == 1 {
			content = randomplan.Statement(rng)
		}
		if seed%5 == 0 {
			content = strings.NewReplacer("w000", "a-workload-with-quite-a-long-name-that-somebody-liked", "hub rail", "hub rail").Replace(content)
		}
		e, _ := estate.Load(text.One("p", content))
		if seed%4 == 1 {
			if after, findings, err := e.With(carve.Estate(e).Changes); err == nil && len(findings) == 0 {
				e = after
			}
		}
		all(t, e, fmt.Sprintf("seed %d", seed))
	}
}

// many is an estate of some networks around hubs, each with a peering to one nearby.
func many(n int) string {
	var b strings.Builder
	b.WriteString("wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b], north: [north-a]}\nspace: {all: {block: 10.0.0.0/8}}\nnetworks:\n")
	for i := range n {
		region, zone := "west", "west-a"
		if i%3 == 2 {
			region, zone = "north", "north-a"
		}
		fmt.Fprintf(&b, "  n%d: {region: %s, range: 10.%d.%d.0/20, tiers: {app: {access: closed}, data: {access: closed}}, subnets: {a: {tier: app, zone: %s, range: 10.%d.%d.0/24}, d: {tier: data, zone: %s, range: 10.%d.%d.0/24}}}\n",
			i, region, i/16, i%16*16, zone, i/16, i%16*16, zone, i/16, i%16*16+1)
	}
	b.WriteString("peerings:\n")
	for i := 0; i+7 < n; i += 3 {
		fmt.Fprintf(&b, "  p%d: {between: [n%d, n%d], accepted: [n%d]}\n", i, i, i+7, i)
	}
	b.WriteString("hubs:\n  west: {tables: {t: {}}, attach: {")
	for i := range n {
		if i%2 == 0 {
			fmt.Fprintf(&b, "n%d: t, ", i)
		}
	}
	b.WriteString("quay: t}}\nsites: {quay: {ranges: 172.16.0.0/16}}\n")
	return b.String()
}

// TestLargePictures holds pictures of 5, 40 and 300 networks to the rules; the last names what it leaves out.
func TestLargePictures(t *testing.T) {
	for _, n := range []int{5, 40, 300} {
		e, findings := estate.Load(text.One("p", many(n)))
		require.Empty(t, findings)
		p := draw.Estate(e, false, picture.Width)
		sound(t, p, fmt.Sprint(n))
		said := ""
		for _, x := range p.Texts {
			said += x.Value + "\n"
		}
		assert.Equal(t, n == 300, strings.Contains(said, "of what is joined, which each card counts"), said)
		assert.Less(t, p.W/p.H, 4.0)
		assert.Greater(t, p.W/p.H, 0.4)
	}
}

// TestLittleMoves has a change of one network leave the others of other regions where they were, and those of its own in their order.
func TestLittleMoves(t *testing.T) {
	place := func(content string) map[string]draw.Box {
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		at := map[string]draw.Box{}
		for _, b := range draw.Estate(e, false, picture.Width).Boxes {
			if name, _, _ := strings.Cut(b.What, ","); strings.HasPrefix(name, "network ") {
				at[name] = b
			}
		}
		return at
	}
	plan := many(9)
	was, is := place(plan), place(strings.Replace(plan, "d: {tier: data, zone: west-a, range: 10.0.17.0/24}", "e: {tier: data, zone: west-a, range: 10.0.18.0/24}", 1))
	for name, b := range was {
		assert.Equal(t, [2]float64{b.X, b.Y}, [2]float64{is[name].X, is[name].Y}, name)
	}
}
