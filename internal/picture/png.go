package picture

import (
	"fmt"
	"image"
	"image/color"
	imagedraw "image/draw"
	"image/png"
	"io"
	"math"
	"strconv"
	"strings"

	"golang.org/x/image/font"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"

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
	c := canvas{image.NewRGBA(image.Rect(0, 0, wide, high)), scale, &vector.Rasterizer{}}
	imagedraw.Draw(c.pixels, c.pixels.Bounds(), image.NewUniform(colourOf(t.paper)), image.Point{}, imagedraw.Src)
	for _, b := range p.Boxes {
		s := t.boxes[b.Look]
		around := outline(b)
		if s.fill != "" {
			c.fill(s.fill, around)
		}
		for _, m := range marks(b, s) {
			c.stroke(m, style{stroke: s.stroke}, markWidth(s))
		}
		c.stroke(append(around, around[0]), s, s.width)
	}
	for _, l := range p.Lines {
		s := t.lines[l.Look]
		c.stroke(l.Points, s, s.width)
		if l.Arrow {
			c.fill(s.stroke, arrow(l.Points))
		}
	}
	faces := map[[2]any]font.Face{}
	for _, x := range p.Texts {
		key := [2]any{x.Size, x.Bold}
		if faces[key] == nil {
			f, err := face(x.Size*scale, x.Bold)
			if err != nil {
				return err
			}
			defer f.Close()
			faces[key] = f
		}
		if x.In < 0 {
			x0, y0, x1, y1 := x.X-1, x.Y-x.Size*0.8, x.X+x.W+1, x.Y+x.Size*0.2
			c.fill(t.paper, []draw.Point{{X: x0, Y: y0}, {X: x1, Y: y0}, {X: x1, Y: y1}, {X: x0, Y: y1}})
		}
		at := fixed.Point26_6{X: fixed.Int26_6(x.X * scale * 64), Y: fixed.Int26_6(x.Y * scale * 64)}
		pen := font.Drawer{Dst: c.pixels, Src: image.NewUniform(colourOf(t.text(x.Look))), Face: faces[key], Dot: at}
		pen.DrawString(x.Value)
	}
	return png.Encode(w, c.pixels)
}

// colourOf is a colour that is written as #rrggbb.
func colourOf(hex string) color.RGBA {
	v, _ := strconv.ParseUint(strings.TrimPrefix(hex, "#"), 16, 32)
	return color.RGBA{uint8(v >> 16), uint8(v >> 8), uint8(v), 0xff}
}

// canvas is what is drawn on: points come in, and pixels are filled.
type canvas struct {
	pixels *image.RGBA
	scale  float64
	raster *vector.Rasterizer
}

// fill fills shapes that turn the same way round; where they overlap, they are filled once.
func (c canvas) fill(colour string, shapes ...[]draw.Point) {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, s := range shapes {
		for _, p := range s {
			x0, y0, x1, y1 = min(x0, p.X), min(y0, p.Y), max(x1, p.X), max(y1, p.Y)
		}
	}
	within := image.Rect(int(math.Floor(x0*c.scale)), int(math.Floor(y0*c.scale)), int(math.Ceil(x1*c.scale)), int(math.Ceil(y1*c.scale))).Intersect(c.pixels.Bounds())
	if within.Empty() {
		return
	}
	c.raster.Reset(within.Dx(), within.Dy())
	at := func(p draw.Point) (x, y float32) {
		return float32(p.X*c.scale - float64(within.Min.X)), float32(p.Y*c.scale - float64(within.Min.Y))
	}
	for _, s := range shapes {
		c.raster.MoveTo(at(s[0]))
		for _, p := range s[1:] {
			c.raster.LineTo(at(p))
		}
		c.raster.ClosePath()
	}
	c.raster.Draw(c.pixels, within, image.NewUniform(colourOf(colour)), image.Point{})
}

// stroke draws a line of a width along points: a bar for each stretch, and a round joint where two meet.
func (c canvas) stroke(points []draw.Point, s style, width float64) {
	var shapes [][]draw.Point
	half := width / 2
	for _, piece := range dashes(points, s.dash) {
		for i := 1; i < len(piece); i++ {
			a, b := piece[i-1], piece[i]
			long := math.Hypot(b.X-a.X, b.Y-a.Y)
			if long == 0 {
				continue
			}
			nx, ny := -(b.Y-a.Y)/long*half, (b.X-a.X)/long*half
			shapes = append(shapes, []draw.Point{{X: a.X + nx, Y: a.Y + ny}, {X: a.X - nx, Y: a.Y - ny}, {X: b.X - nx, Y: b.Y - ny}, {X: b.X + nx, Y: b.Y + ny}})
			if i > 1 {
				shapes = append(shapes, arc(nil, a, half, 0, 2*math.Pi))
			}
		}
	}
	if len(shapes) > 0 {
		c.fill(s.stroke, shapes...)
	}
}

// dashes cuts a line into pieces that are drawn: lengths of dash and gap in turn; all of it where there are none.
func dashes(points []draw.Point, lengths []float64) [][]draw.Point {
	if len(lengths) == 0 || len(points) == 0 {
		return [][]draw.Point{points}
	}
	var all [][]draw.Point
	piece, turn, left := []draw.Point{points[0]}, 0, lengths[0]
	for i := 1; i < len(points); i++ {
		from, to := points[i-1], points[i]
		for long := math.Hypot(to.X-from.X, to.Y-from.Y); long > left; long = math.Hypot(to.X-from.X, to.Y-from.Y) {
			from = draw.Point{X: from.X + (to.X-from.X)*left/long, Y: from.Y + (to.Y-from.Y)*left/long}
			if turn%2 == 0 {
				all = append(all, append(piece, from))
			}
			turn++
			piece, left = []draw.Point{from}, lengths[turn%len(lengths)]
		}
		piece = append(piece, to)
		left -= math.Hypot(to.X-from.X, to.Y-from.Y)
	}
	if turn%2 == 0 {
		all = append(all, piece)
	}
	return all
}

// outline is the edge of a box, with its round corners.
func outline(b draw.Box) []draw.Point {
	r := radius(b)
	var all []draw.Point
	for i, corner := range []draw.Point{{X: b.X + r, Y: b.Y + r}, {X: b.X + b.W - r, Y: b.Y + r}, {X: b.X + b.W - r, Y: b.Y + b.H - r}, {X: b.X + r, Y: b.Y + b.H - r}} {
		from := math.Pi + float64(i)*math.Pi/2
		all = arc(all, corner, r, from, from+math.Pi/2)
	}
	return all
}

// arc appends the points of a part of a circle, clockwise on paper.
func arc(all []draw.Point, centre draw.Point, r, from, to float64) []draw.Point {
	if r == 0 {
		return append(all, centre)
	}
	const steps = 8
	for i := range steps + 1 {
		a := from + (to-from)*float64(i)/steps
		all = append(all, draw.Point{X: centre.X + r*math.Cos(a), Y: centre.Y + r*math.Sin(a)})
	}
	return all
}
