package picture

import (
	"encoding/base64"
	"encoding/xml"
	"fmt"
	"io"
	"strings"

	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"wendrik/internal/core/draw"
)

// The elements of SVG 1.1 that pictures need, for the XML encoder, which escapes what they hold.
type svgRoot struct {
	XMLName xml.Name `xml:"svg"`
	NS      string   `xml:"xmlns,attr"`
	Width   string   `xml:"width,attr"`
	Height  string   `xml:"height,attr"`
	ViewBox string   `xml:"viewBox,attr"`
	Role    string   `xml:"role,attr"`
	Title   string   `xml:"title"`
	Style   *string  `xml:"style,omitempty"`
	All     []any
}

type svgRect struct {
	XMLName xml.Name `xml:"rect"`
	X       string   `xml:"x,attr"`
	Y       string   `xml:"y,attr"`
	W       string   `xml:"width,attr"`
	H       string   `xml:"height,attr"`
	R       string   `xml:"rx,attr,omitempty"`
	Fill    string   `xml:"fill,attr"`
	Stroke  string   `xml:"stroke,attr,omitempty"`
	Width   string   `xml:"stroke-width,attr,omitempty"`
	Dash    string   `xml:"stroke-dasharray,attr,omitempty"`
	Title   string   `xml:"title,omitempty"`
}

type svgPath struct {
	XMLName xml.Name `xml:"path"`
	D       string   `xml:"d,attr"`
	Fill    string   `xml:"fill,attr"`
	Stroke  string   `xml:"stroke,attr,omitempty"`
	Width   string   `xml:"stroke-width,attr,omitempty"`
	Dash    string   `xml:"stroke-dasharray,attr,omitempty"`
	Join    string   `xml:"stroke-linejoin,attr,omitempty"`
	Title   string   `xml:"title,omitempty"`
}

type svgText struct {
	XMLName xml.Name `xml:"text"`
	X       string   `xml:"x,attr"`
	Y       string   `xml:"y,attr"`
	Size    string   `xml:"font-size,attr"`
	Weight  string   `xml:"font-weight,attr,omitempty"`
	Fill    string   `xml:"fill,attr"`
	Halo    string   `xml:"stroke,attr,omitempty"`
	HaloW   string   `xml:"stroke-width,attr,omitempty"`
	Order   string   `xml:"paint-order,attr,omitempty"`
	Length  string   `xml:"textLength,attr,omitempty"`
	Value   string   `xml:",chardata"`
	Title   string   `xml:"title,omitempty"`
}

func number(f float64) string {
	return strings.TrimSuffix(strings.TrimRight(fmt.Sprintf("%.2f", f), "0"), ".")
}

func numbers(all []float64) string {
	var words []string
	for _, x := range all {
		words = append(words, number(x))
	}
	return strings.Join(words, " ")
}

// fontStyle are the fonts, for a picture that needs nothing else.
func fontStyle() string {
	face := func(weight string, raw []byte) string {
		return "@font-face{font-family:\"Go\";font-weight:" + weight + ";src:url(data:font/ttf;base64," + base64.StdEncoding.EncodeToString(raw) + ")}"
	}
	return face("400", goregular.TTF) + face("700", gobold.TTF) + FontRule
}

// FontRule says which font the texts of pictures have.
const FontRule = "text{font-family:\"Go\",sans-serif;white-space:pre}"

// SVG writes a picture as SVG 1.1, fitted into a size where that is not 0. Texts stay texts. With fonts it carries them along.
func SVG(w io.Writer, p *draw.Picture, t Theme, width, height float64, fonts bool) error {
	scale := scaleOf(p, width, height)
	root := svgRoot{NS: "http://www.w3.org/2000/svg", Width: number(p.W * scale), Height: number(p.H * scale), ViewBox: fmt.Sprintf("0 0 %s %s", number(p.W), number(p.H)), Role: "img", Title: p.Title}
	if fonts {
		style := fontStyle()
		root.Style = &style
	}
	root.All = append(root.All, svgRect{X: "0", Y: "0", W: number(p.W), H: number(p.H), Fill: t.paper})
	for _, b := range p.Boxes {
		s := t.boxes[b.Look]
		r := svgRect{X: number(b.X), Y: number(b.Y), W: number(b.W), H: number(b.H), R: number(radius(b)), Fill: s.fill, Stroke: s.stroke, Width: number(s.width), Dash: numbers(s.dash), Title: b.What}
		if s.fill == "" {
			r.Fill = "none"
		}
		root.All = append(root.All, r)
		for _, path := range marks(b, s) {
			root.All = append(root.All, svgPath{D: pathOf(path), Fill: "none", Stroke: s.stroke, Width: number(markWidth(s))})
		}
	}
	for _, l := range p.Lines {
		s := t.lines[l.Look]
		root.All = append(root.All, svgPath{D: pathOf(l.Points), Fill: "none", Stroke: s.stroke, Width: number(s.width), Dash: numbers(s.dash), Join: "round", Title: l.What})
		if l.Arrow {
			root.All = append(root.All, svgPath{D: pathOf(arrow(l.Points)) + "Z", Fill: s.stroke})
		}
	}
	for _, x := range p.Texts {
		e := svgText{X: number(x.X), Y: number(x.Y), Size: number(x.Size), Fill: t.text(x.Look), Length: number(x.W), Value: x.Value, Title: x.Whole}
		if x.Bold {
			e.Weight = "700"
		}
		if x.In < 0 {
			e.Halo, e.HaloW, e.Order = t.paper, "3", "stroke"
		}
		root.All = append(root.All, e)
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	return xml.NewEncoder(w).Encode(root)
}

func pathOf(points []draw.Point) string {
	var b strings.Builder
	for i, p := range points {
		b.WriteString(map[bool]string{true: "M", false: "L"}[i == 0] + number(p.X) + " " + number(p.Y))
	}
	return b.String()
}
