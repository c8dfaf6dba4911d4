package cli_test

import (
	"bytes"
	"encoding/xml"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestDraw makes each kind of picture in each format: SVG that an XML reader takes, with its texts as texts; PNG of the size asked
// for; PDF of one page; and the same bytes twice.
func TestDraw(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	made := func(name string) []byte {
		raw, err := os.ReadFile(filepath.Join(folder, name))
		require.NoError(t, err)
		return raw
	}
	for what, says := range map[string]string{
		"estate": "booking-harbour", "network booking": "10.144.0.128/25", "space": "finance", "reach ticket-1 fare-db -on tcp/5432": "does not pass",
		"grid": "harbour/store", "change wendrik.yaml planned.yaml": "new workload fares-4",
	} {
		args := append([]string{"draw"}, strings.Fields(what)...)
		for _, theme := range []string{"light", "dark", "print"} {
			r := run(t, folder, "", append(args, "-o", "p.svg", "-theme", theme)...)
			require.Equal(t, 0, r.status, r.err)
			svg := made("p.svg")
			d := xml.NewDecoder(bytes.NewReader(svg))
			texts := ""
			for {
				token, err := d.Token()
				if token == nil {
					require.ErrorContains(t, err, "EOF", what)
					break
				}
				if x, is := token.(xml.CharData); is {
					texts += string(x) + "\n"
				}
			}
			assert.Contains(t, texts, says, what)
			run(t, folder, "", append(args, "-o", "again.svg", "-theme", theme)...)
			assert.Equal(t, svg, made("again.svg"), "the same plan gives the same picture")
		}
		require.Equal(t, 0, run(t, folder, "", append(args, "-o", "p.png", "-size", "640x400")...).status)
		picture, err := png.Decode(bytes.NewReader(made("p.png")))
		require.NoError(t, err)
		size := picture.Bounds().Size()
		assert.True(t, size.X <= 641 && size.Y <= 401 && (size.X >= 639 || size.Y >= 399), "%s: %v", what, size)
		require.Equal(t, 0, run(t, folder, "", append(args, "-o", "p.pdf")...).status)
		assert.True(t, bytes.HasPrefix(made("p.pdf"), []byte("%PDF-")) && bytes.Contains(made("p.pdf"), []byte("/Count 1")), what)
	}
	for args, says := range map[string]string{
		"estate":                        "draw needs a file to write",
		"estate -o p.gif":               "no format of pictures",
		"harbour -o p.svg":              "no picture of \"harbour\"",
		"network quay -o p.svg":         "no network quay",
		"network -o p.svg":              "takes one name, not 0",
		"estate -o p.svg -size 12":      "is no size",
		"reach nobody quay -o p.svg":    "nobody",
		"estate -o none/at/all/p.svg":   "cannot be written",
		"change none.yaml x -o p.svg":   "none.yaml",
		"reach quay drill -o -":         "drill",
		"grid -on tcp/x -o p.svg":       "is not a port",
		"estate -o p.svg -theme purple": "purple",
	} {
		r := run(t, folder, "", append([]string{"draw"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, says, args)
	}
	hostile := "wendrik: 1\nestate: '</title><script>x()</script>'\nnetworks: {'n': {range: 10.0.0.0/16, held: {h: {range: 10.0.1.0/24, for: '\"><script>y()</script>&'}}}}\n"
	require.NoError(t, os.WriteFile(filepath.Join(folder, "hostile.yaml"), []byte(hostile), 0o600))
	for _, what := range []string{"estate", "network n"} {
		r := run(t, folder, "", append(append([]string{"draw"}, strings.Fields(what)...), "-plan", "hostile.yaml", "-o", "-")...)
		require.Equal(t, 0, r.status, r.err)
		assert.NotContains(t, r.out, "<script", what)
	}
}
