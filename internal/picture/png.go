package picture

import (
	"fmt"
	"io"
	"math"

	"github.com/fogleman/gg"

	"wendrik/internal/core/draw"
)

// maxPixels is how many pixels a picture has at most.
const maxPixels = 120_000_000

// PNG writes a picture as PNG, fitted into a size where that is not 0.
func PNG(w io.Writer, p *draw.Picture, t Theme, width, height float64) error {
	scale := scaleOf(p, width, height)
	wide, high := int(math.Ceil(p.W*scale)), int(math.Ceil(p.H*scale))
	if wide < 1 || high < 1 || wide > maxPixels/high {
		return fmt.Errorf("a picture of %d by %d pixels is too large: at most %d in all; say -size, or write SVG or PDF", wide, high, maxPixels)
	}
	c := gg.NewContext(wide, high)
	c.SetHexColor(t.paper)
	c.Clear()
	c.Scale(scale, scale)
	line := func(points []draw.Point, s style, width float64) {
		c.NewSubPath()
		for i, q := range points {
			if i == 0 {
				c.MoveTo(q.X, q.Y)
			} else {
				c.LineTo(q.X, q.Y)
			}
		}
		c.SetHexColor(s.stroke)
		c.SetLineWidth(width * scale)
		c.SetDash(scaled(s.dash, scale)...)
		c.Stroke()
	}
	rectangle := func(b draw.Box) {
		if r := radius(b); r > 0 {
			c.DrawRoundedRectangle(b.X, b.Y, b.W, b.H, r)
		} else {
			c.DrawRectangle(b.X, b.Y, b.W, b.H)
		}
	}
	for _, b := range p.Boxes {
		s := t.boxes[b.Look]
		if s.fill != "" {
			rectangle(b)
			c.SetHexColor(s.fill)
			c.Fill()
		}
		for _, m := range marks(b, s) {
			line(m, style{stroke: s.stroke}, markWidth(s))
		}
		rectangle(b)
		c.SetHexColor(s.stroke)
		c.SetLineWidth(s.width * scale)
		c.SetDash(scaled(s.dash, scale)...)
		c.Stroke()
	}
	for _, l := range p.Lines {
		s := t.lines[l.Look]
		line(l.Points, s, s.width)
		if l.Arrow {
			for i, q := range arrow(l.Points) {
				if i == 0 {
					c.MoveTo(q.X, q.Y)
				} else {
					c.LineTo(q.X, q.Y)
				}
			}
			c.ClosePath()
			c.Fill()
		}
	}
	c.Identity() // letters are drawn in pixels, since they are not to be stretched
	for _, x := range p.Texts {
		c.SetFontFace(face(x.Size*scale, x.Bold))
		if x.In < 0 {
			c.SetHexColor(t.paper)
			c.DrawRectangle((x.X-1)*scale, (x.Y-x.Size*0.8)*scale, (x.W+2)*scale, x.Size*scale)
			c.Fill()
		}
		c.SetHexColor(t.text(x.Look))
		c.DrawString(x.Value, x.X*scale, x.Y*scale)
	}
	return c.EncodePNG(w)
}

func scaled(all []float64, by float64) []float64 {
	out := make([]float64, len(all))
	for i := range all {
		out[i] = all[i] * by
	}
	return out
}
