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

// harbour is a text with sections of many entries, each written in one of several ways.
func harbour(rng *rand.Rand) string {
	var b strings.Builder
	b.WriteString("wendrik: 1 # the version\nestate: quay\n\n")
	list := []string{"networks", "workloads", "hubs", "expect"}
	rng.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	for _, s := range list {
		if rng.IntN(2) == 0 {
			b.WriteString("# about " + s + "\n")
		}
		b.WriteString(s + ":\n")
		for i := range 3 + rng.IntN(30) {
			switch {
			case s == "expect":
				fmt.Fprintf(&b, "  - n%d reaches n%d\n", i, rng.IntN(9))
			case rng.IntN(40) == 0: // whose value has lines that look like entries
				fmt.Fprintf(&b, "  n%d:\n    note: \"first\n  n0: {a: b}\n  n1: {c: d}\n%s      last\"\n", i, strings.Repeat("  m: x\n", rng.IntN(60)))
			case rng.IntN(3) == 0:
				fmt.Fprintf(&b, "  n%d: {in: a/b, groups: [g, h], labels: {x: y}} # one line\n", i)
			case rng.IntN(2) == 0:
				fmt.Fprintf(&b, "  # what n%d is\n  n%d:\n    range: 10.%d.0.0/16\n    tables:\n      main:\n        routes:\n          - {to: ::/0, via: out}\n          - {to: 0.0.0.0/0, via: out}\n", i, i, i)
			default:
				fmt.Fprintf(&b, "  n%d:\n    groups:\n      web: {in: [tcp/443 from any, \"any from any\"]}\n\n", i)
			}
		}
	}
	return b.String()
}

// TestInPieces makes some edits in a text as a whole, and by way of the pieces that they are in: the same text comes out, and the same patches.
func TestInPieces(t *testing.T) {
	tried, apart := 0, 0
	for seed := range fuzz.Rounds(300, 5000) {
		rng := rand.New(rand.NewPCG(seed, 2103))
		content := harbour(rng)
		f := One("t", content).First()
		root, problem := f.parse()
		require.Nil(t, problem, content)
		all := someEdits(root, rng)
		rng.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
		var edits []Edit
		for _, e := range all[:min(len(all), 1+rng.IntN(4))] {
			if len(e.Path) > 0 {
				edits = append(edits, e)
			}
		}
		whole, patches, err := f.applyWhole(edits)
		in, moved, ok := f.applyIn(100+rng.IntN(400), edits)
		if !ok || len(edits) == 0 {
			continue
		}
		tried++
		require.NoError(t, err, "%v\n%s", edits, content)
		require.Equal(t, whole.Text, in.Text, "%v\n%s", edits, content)
		assert.Equal(t, patches, moved)
		if len(edits) > 1 {
			apart++
		}
	}
	assert.Greater(t, tried, int(fuzz.Rounds(150, 2500)), "it most often can be")
	assert.Greater(t, apart, tried/3)
}
