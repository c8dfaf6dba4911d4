// Package picture writes pictures that are laid out as SVG, PNG and PDF.
package picture

import (
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
)

// measured is a font, with the advances of the letters that nearly every text is of, in its units.
type measured struct {
	*sfnt.Font
	em       fixed.Int26_6
	advances [128]fixed.Int26_6
}

// The fonts of all pictures: open ones, which every picture carries along.
var fonts = sync.OnceValue(func() [2]*measured {
	var all [2]*measured
	for i, raw := range [][]byte{goregular.TTF, gobold.TTF} {
		f, err := opentype.Parse(raw)
		if err != nil {
			panic(err) // it is part of the program
		}
		m := &measured{Font: f, em: fixed.I(int(f.UnitsPerEm()))}
		var b sfnt.Buffer
		for r := range m.advances {
			m.advances[r] = m.advance(&b, rune(r))
		}
		all[i] = m
	}
	return all
})

func (m *measured) advance(b *sfnt.Buffer, r rune) fixed.Int26_6 {
	glyph, err := m.GlyphIndex(b, r)
	if err != nil {
		return 0
	}
	w, err := m.GlyphAdvance(b, glyph, m.em, font.HintingNone)
	if err != nil {
		return 0
	}
	return w
}

func fontOf(bold bool) *measured {
	if bold {
		return fonts()[1]
	}
	return fonts()[0]
}

// Width is how wide a text is, in points.
func Width(text string, size float64, bold bool) float64 {
	f := fontOf(bold)
	var b sfnt.Buffer
	w := fixed.Int26_6(0)
	for _, r := range text {
		if int(r) < len(f.advances) {
			w += f.advances[r]
		} else {
			w += f.advance(&b, r)
		}
	}
	return float64(w) / float64(f.em) * size
}

// face is a font of a size, for drawing in pixels.
func face(size float64, bold bool) (font.Face, error) {
	return opentype.NewFace(fontOf(bold).Font, &opentype.FaceOptions{Size: size, DPI: 72, Hinting: font.HintingNone})
}
