// Package picture writes pictures that are laid out as SVG, PNG and PDF.
package picture

import (
	"sync"

	"github.com/golang/freetype/truetype"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/math/fixed"
)

// The fonts of all pictures: open ones, which every picture carries along.
var fonts = sync.OnceValue(func() [2]*truetype.Font {
	var all [2]*truetype.Font
	for i, raw := range [][]byte{goregular.TTF, gobold.TTF} {
		f, err := truetype.Parse(raw)
		if err != nil {
			panic(err) // it is part of the program
		}
		all[i] = f
	}
	return all
})

func fontOf(bold bool) *truetype.Font {
	if bold {
		return fonts()[1]
	}
	return fonts()[0]
}

// Width is how wide a text is, in points.
func Width(text string, size float64, bold bool) float64 {
	f := fontOf(bold)
	scale := fixed.Int26_6(f.FUnitsPerEm())
	w := fixed.Int26_6(0)
	for _, r := range text {
		w += f.HMetric(scale, f.Index(r)).AdvanceWidth
	}
	return float64(w) / float64(scale) * size
}

// face is a font of a size, for drawing in pixels.
func face(size float64, bold bool) font.Face {
	return truetype.NewFace(fontOf(bold), &truetype.Options{Size: size, Hinting: font.HintingNone})
}
