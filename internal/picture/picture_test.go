package picture

import (
	"bytes"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/draw"
)

// TestThemes: every look of boxes and lines has a style in every theme, and what is public, outbound and closed differs by more than
// colour.
func TestThemes(t *testing.T) {
	for name, theme := range Themes {
		for _, l := range []draw.Look{draw.Region, draw.Card, draw.Public, draw.Outbound, draw.Closed, draw.Unstated, draw.Gate, draw.HubLook, draw.Outside, draw.Used, draw.HeldLook, draw.Free, draw.Plain, draw.Open, draw.Partly, draw.Blocked, draw.Changed} {
			s, has := theme.boxes[l]
			assert.True(t, has && s.stroke != "" && s.width > 0, "%s: %s", name, l)
		}
		for _, l := range []draw.Look{draw.PeerLine, draw.HubLine, draw.SiteLine, draw.Waiting, draw.Opens, draw.Closes, draw.Open, draw.Blocked, draw.Plain} {
			assert.NotEmpty(t, theme.lines[l].stroke, "%s: %s", name, l)
		}
		border := func(l draw.Look) [3]any {
			s := theme.boxes[l]
			return [3]any{s.width, len(s.dash), s.bar}
		}
		assert.NotEqual(t, border(draw.Public), border(draw.Outbound), name)
		assert.NotEqual(t, border(draw.Public), border(draw.Closed), name)
		assert.NotEqual(t, border(draw.Outbound), border(draw.Closed), name)
	}
}

// TestBounds: a picture fits into the size that is asked for, one that is too large is refused, and an empty one is written.
func TestBounds(t *testing.T) {
	p := &draw.Picture{Title: "t", W: 300, H: 100, Boxes: []draw.Box{{X: 10, Y: 10, W: 50, H: 20, Look: draw.HeldLook, In: -1}},
		Lines: []draw.Line{{Points: []draw.Point{{X: 1, Y: 1}, {X: 90, Y: 1}, {X: 90, Y: 50}}, Look: draw.Opens, Arrow: true}},
		Texts: []draw.Text{{X: 12, Y: 24, W: Width("häfen ⚓", 10, true), Size: 10, Bold: true, Value: "häfen ⚓", In: 0}}}
	var b bytes.Buffer
	require.NoError(t, PNG(&b, p, Themes["dark"], 600, 600))
	picture, err := png.Decode(&b)
	require.NoError(t, err)
	assert.Equal(t, 600, picture.Bounds().Dx())
	assert.Equal(t, 200, picture.Bounds().Dy())
	require.NoError(t, PDF(&b, p, Themes["print"], 0, 0))
	require.NoError(t, SVG(&b, p, Themes["light"], 0, 0, false))
	assert.ErrorContains(t, PNG(&b, &draw.Picture{W: 1e6, H: 1e6}, Themes["light"], 0, 0), "too large")
}

// TestWidth: a text is as wide as its letters, and bold is not narrower.
func TestWidth(t *testing.T) {
	assert.InDelta(t, Width("ab", 10, false), Width("a", 10, false)+Width("b", 10, false), 0.001)
	assert.InDelta(t, 2*Width("quay", 10, false), Width("quay", 20, false), 0.001)
	assert.GreaterOrEqual(t, Width("quay", 10, true), Width("quay", 10, false))
	assert.Zero(t, Width("", 10, true))
}
