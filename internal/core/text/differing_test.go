package text

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/fuzz"
)

// TestDiffering: what two random texts have in common at both ends makes no edit, and what is left of them makes the same ones, in the same order.
func TestDiffering(t *testing.T) {
	shorter, refused := 0, 0
	for seed := range fuzz.Rounds(3000, 30000) {
		rng := rand.New(rand.NewPCG(seed, 17))
		values := []string{"1", "{b: c}", "[x, y]", "\n    deep: {q: r}\n    more: 2", "'one\n\n  tar: 3'", "|\n    text: 4", "\"two\n\n  n0: 5\"", ""}
		section := func(n int) (lines []string) {
			for i := range n {
				lines = append(lines, fmt.Sprintf("  n%d: %s", i, values[rng.IntN(len(values))]))
			}
			return lines
		}
		var names []string
		sections := map[string][]string{}
		for i := range 1 + rng.IntN(5) {
			name := fmt.Sprintf("s%d", i)
			names, sections[name] = append(names, name), section(rng.IntN(7))
		}
		text := func() string {
			var b strings.Builder
			for _, name := range names {
				fmt.Fprintf(&b, "%s:\n", name)
				for _, line := range sections[name] {
					b.WriteString(line + "\n")
					if rng.IntN(40) == 0 {
						b.WriteString("# a remark\n")
					}
				}
			}
			return b.String()
		}
		a := One("a", text()).First()
		for range rng.IntN(3) {
			name := names[rng.IntN(len(names))]
			lines := sections[name]
			at := rng.IntN(len(lines) + 1)
			switch k := rng.IntN(5); {
			case k == 0 && at < len(lines):
				sections[name] = append(append([]string{}, lines[:at]...), lines[at+1:]...)
			case k == 1:
				sections[name] = append(append(append([]string{}, lines[:at]...), fmt.Sprintf("  new%d: 1", rng.IntN(3))), lines[at:]...)
			case k == 2 && at < len(lines):
				lines[at] = strings.SplitAfterN(lines[at], ":", 2)[0] + " " + values[rng.IntN(len(values))]
			case k == 3:
				names = append(names, fmt.Sprintf("t%d", rng.IntN(3)))
			case k == 4 && len(names) > 1:
				names = names[1:]
			}
		}
		b := One("b", text()).First()
		x, y := differing(a, b, 1+rng.IntN(30))
		want, err := between(a, b)
		got, other := between(x, y)
		require.Equal(t, err == nil, other == nil, "%s---\n%s", a.Text, b.Text)
		require.Equal(t, want, got, "%s---\n%s---\n%s---\n%s", a.Text, b.Text, x.Text, y.Text)
		if len(x.Text) < len(a.Text) {
			shorter++
		}
		if err != nil {
			refused++
		}
	}
	assert.Greater(t, shorter, int(fuzz.Rounds(600, 6000)))
	assert.Less(t, refused, int(fuzz.Rounds(1500, 15000)))
}

// TestDifferingKeepsLittle: of a large text with one entry that is another the part around that is left.
func TestDifferingKeepsLittle(t *testing.T) {
	var lines []string
	for i := range 20000 {
		lines = append(lines, fmt.Sprintf("  n%d: {in: quay, berth: %d}", i, i))
	}
	text := "networks:\n" + strings.Join(lines, "\n") + "\nsites: {quay: 1}\n"
	x, y := differing(One("a", text).First(), One("b", strings.Replace(text, "berth: 777}", "berth: 9}", 1)).First(), leastDiffering)
	assert.Less(t, len(x.Text), 16*leastDiffering)
	assert.True(t, strings.HasPrefix(x.Text, "networks:\n  n"), x.Text[:40])
	assert.Contains(t, y.Text, "n777: {in: quay, berth: 9}")
	one, other := differing(One("a", text).First(), One("b", text+"more: &x 1\n").First(), leastDiffering)
	assert.Equal(t, []int{len(text), len(text) + 11}, []int{len(one.Text), len(other.Text)}, "with an anchor nothing is left out")
}
