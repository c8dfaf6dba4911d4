package picture

import (
	"errors"
	"io"
	"strconv"

	"github.com/signintech/gopdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"wendrik/internal/core/draw"
)

// PDF writes a picture as one page of PDF, fitted into a size in points where that is not 0.
func PDF(w io.Writer, p *draw.Picture, t Theme, width, height float64) error {
	scale := scaleOf(p, width, height)
	var doc gopdf.GoPdf
	doc.Start(gopdf.Config{PageSize: gopdf.Rect{W: p.W * scale, H: p.H * scale}})
	doc.SetInfo(gopdf.PdfInfo{Title: p.Title})
	if err := errors.Join(doc.AddTTFFontData("regular", goregular.TTF), doc.AddTTFFontData("bold", gobold.TTF)); err != nil {
		return err
	}
	doc.AddPage()
	stroke := func(s style, width float64) {
		r, g, b := rgb(s.stroke)
		doc.SetStrokeColor(r, g, b)
		doc.SetLineWidth(width * scale)
		if len(s.dash) > 0 {
			doc.SetCustomLineType(scaled(s.dash, scale), 0)
		} else {
			doc.SetLineType("solid")
		}
	}
	fill := func(colour string) {
		r, g, b := rgb(colour)
		doc.SetFillColor(r, g, b)
	}
	line := func(points []draw.Point) {
		for i := 1; i < len(points); i++ {
			doc.Line(points[i-1].X*scale, points[i-1].Y*scale, points[i].X*scale, points[i].Y*scale)
		}
	}
	fill(t.paper)
	doc.RectFromUpperLeftWithStyle(0, 0, p.W*scale, p.H*scale, "F")
	for _, b := range p.Boxes {
		s := t.boxes[b.Look]
		if s.fill != "" {
			fill(s.fill)
			doc.RectFromUpperLeftWithStyle(b.X*scale, b.Y*scale, b.W*scale, b.H*scale, "F")
		}
		stroke(style{stroke: s.stroke}, markWidth(s))
		for _, m := range marks(b, s) {
			line(m)
		}
		stroke(s, s.width)
		doc.RectFromUpperLeftWithStyle(b.X*scale, b.Y*scale, b.W*scale, b.H*scale, "D")
	}
	for _, l := range p.Lines {
		s := t.lines[l.Look]
		stroke(s, s.width)
		line(l.Points)
		if l.Arrow {
			fill(s.stroke)
			var points []gopdf.Point
			for _, q := range arrow(l.Points) {
				points = append(points, gopdf.Point{X: q.X * scale, Y: q.Y * scale})
			}
			doc.Polygon(points, "F")
		}
	}
	for _, x := range p.Texts {
		name := "regular"
		if x.Bold {
			name = "bold"
		}
		if err := doc.SetFontWithStyle(name, gopdf.Regular, x.Size*scale); err != nil {
			return err
		}
		if x.In < 0 {
			fill(t.paper)
			doc.RectFromUpperLeftWithStyle((x.X-1)*scale, (x.Y-x.Size*0.8)*scale, (x.W+2)*scale, x.Size*scale, "F")
		}
		r, g, b := rgb(t.text(x.Look))
		doc.SetTextColor(r, g, b)
		doc.SetXY(x.X*scale, x.Y*scale)
		if err := doc.Text(x.Value); err != nil {
			return err
		}
	}
	_, err := doc.WriteTo(w)
	return err
}

// rgb reads a colour as the themes write it.
func rgb(colour string) (r, g, b uint8) {
	n, _ := strconv.ParseUint(colour[1:], 16, 32)
	return uint8(n >> 16), uint8(n >> 8), uint8(n)
}

func scaled(all []float64, by float64) []float64 {
	out := make([]float64, len(all))
	for i := range all {
		out[i] = all[i] * by
	}
	return out
}
