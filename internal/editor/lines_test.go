package editor

import (
	"math/rand/v2"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/fuzz"
)

// Edits at random, as an editor sends them, lead to the text that the same edits lead to in one string; and a place is counted as the string counts it.
func TestEditsAtRandom(t *testing.T) {
	pieces := []string{"a", "ä", "€", "𝄞", "\n", "\r\n", "\r", "  ", "key: ", "# naïve 𝄞", "", "net\n  x: y\n"}
	for seed := range fuzz.Rounds(300, 4000) {
		rng := rand.New(rand.NewPCG(uint64(seed), 7))
		some := func() string {
			var b strings.Builder
			for range rng.IntN(6) {
				b.WriteString(pieces[rng.IntN(len(pieces))])
			}
			return b.String()
		}
		whole := some() + some() + some()
		l := splitLines(whole)
		for range 12 {
			e := []encoding{utf8Encoding, utf16Encoding, utf32Encoding}[rng.IntN(3)]
			from, to := rng.IntN(len(whole)+1), rng.IntN(len(whole)+1)
			from, to = runeStart(whole, min(from, to)), runeStart(whole, max(from, to))
			a, b := slowPosition(whole, from, e), slowPosition(whole, to, e)
			from, to = slowOffset(whole, a, e), slowOffset(whole, b, e) // within a line end is before it
			with := some()
			whole = whole[:from] + with + whole[to:]
			l = l.replaced(l.spotOf(a, e), l.spotOf(b, e), with)
			require.Equal(t, whole, l.String(), "seed %d", seed)
			require.Equal(t, splitLines(whole), l, "seed %d", seed)
		}
	}
}

func runeStart(s string, n int) int {
	for n > 0 && n < len(s) && s[n]&0xc0 == 0x80 {
		n--
	}
	return n
}

// slowPosition counts lines and characters from the start.
func slowPosition(s string, n int, e encoding) position {
	p := position{}
	for i, r := range s[:n] {
		switch {
		case r == '\n' || r == '\r' && !strings.HasPrefix(s[i+1:], "\n"):
			p = position{p.Line + 1, 0}
		case r == '\r':
			if i+1 == n { // between the two of one line end
				return p
			}
		case e == utf8Encoding:
			p.Character += len(string(r))
		case e == utf16Encoding:
			p.Character += len(utf16.Encode([]rune{r}))
		default:
			p.Character++
		}
	}
	return p
}

func slowOffset(s string, p position, e encoding) int {
	for n := range len(s) + 1 {
		if runeStart(s, n) == n && slowPosition(s, n, e) == p {
			return n
		}
	}
	return len(s)
}

// What is beyond a line or the text is its end, and what is inside of a character is its start.
func TestPlacesBeyond(t *testing.T) {
	l := splitLines("a𝄞b\nc")
	assert.Equal(t, spot{0, 1}, l.spotOf(position{0, 2}, utf16Encoding))
	assert.Equal(t, spot{0, 5}, l.spotOf(position{0, 3}, utf16Encoding))
	assert.Equal(t, spot{0, 1}, l.spotOf(position{0, 3}, utf8Encoding))
	assert.Equal(t, spot{0, 6}, l.spotOf(position{0, 99}, utf16Encoding))
	assert.Equal(t, spot{1, 1}, l.spotOf(position{9, 0}, utf16Encoding))
	assert.Equal(t, spot{0, 0}, l.spotOf(position{-1, 4}, utf16Encoding))
	assert.Equal(t, position{0, 3}, l.positionOf(spot{0, 5}, utf16Encoding))
}

// Laying out moves blanks alone, keeps comments where they belong, and is done once it is done.
func TestLaidOut(t *testing.T) {
	for before, after := range map[string]string{
		"a:\n      b: 1   \n\n\n\n      # of c\n      c:\n         - x\n         - y\n": "a:\n  b: 1\n\n  # of c\n  c:\n    - x\n    - y\n",
		"a:\n- x: 1\n  y: 2\n- z: 3":                                                       "a:\n- x: 1\n  y: 2\n- z: 3\n",
		"a:\n    - x: 1\n      y:\n          q: 2\n":                                       "a:\n  - x: 1\n    y:\n      q: 2\n",
		"a:\n    b: {c: 1,\n        d: [2,\n            3]}\n    e: 4\n":                   "a:\n  b: {c: 1,\n      d: [2,\n          3]}\n  e: 4\n",
		"a:\n    b: |\n        text   \n\n\n          more\n    c: \"two\n      lines\"\n": "a:\n  b: |\n      text   \n\n\n        more\n  c: \"two\n      lines\"\n",
		"":                          "",
		"# only\n\n\n":              "# only\n",
		"a: 1\r\nb:\r\n   c: 2\r\n": "a: 1\r\nb:\r\n  c: 2\r\n",
	} {
		got := laidOut(splitLines(before))
		assert.Equal(t, after, got, before)
		assert.Equal(t, got, laidOut(splitLines(got)), before)
	}
}
