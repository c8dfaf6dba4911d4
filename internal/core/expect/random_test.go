package expect

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// members are the ends that a word of an expectation stands for, found from the front.
func members(t *testing.T, e *estate.Estate, word string) []reach.End {
	t.Helper()
	var out []reach.End
	network, part, _ := strings.Cut(word, "/")
	for _, n := range e.Networks {
		if n.Name != network {
			continue
		}
		for _, w := range e.Workloads {
			if w.Subnet.Network == n && (part == "" || w.Subnet.Name == part) {
				out = append(out, reach.End{Name: w.Name, Workload: w})
			}
		}
		return out
	}
	end, err := reach.Find(e, word)
	require.NoError(t, err)
	return append(out, end)
}

// TestRunAgainstPairs holds each line of many random plans against asking for every pair that it speaks of.
func TestRunAgainstPairs(t *testing.T) {
	verdicts := map[string]int{}
	for seed := range fuzz.Rounds(20, 60) {
		rng := rand.New(rand.NewPCG(seed, 51))
		content := randomplan.Write(rng)
		words := []string{"n0", "n1", "n0/s0", "n0/s2", "n1/s1", "w000", "w110", "internet", "quay", "depot", "198.51.100.200"}
		var lines strings.Builder
		for range 12 {
			from, to := words[rng.IntN(len(words))], words[rng.IntN(len(words))]
			on := []string{" on tcp/443", " on udp/53", " on icmp", " on tcp/80-90"}[rng.IntN(4)]
			verb := []string{"reaches", "never reaches"}[rng.IntN(2)]
			if verb == "never reaches" && rng.IntN(3) == 0 {
				on = ""
			}
			fmt.Fprintf(&lines, "  - %s %s %s%s\n", from, verb, to, on)
		}
		e, findings := estate.Load(text.One("p", content+"expect:\n"+lines.String()))
		require.Empty(t, findings)
		for _, r := range Run(e, nil) {
			pairs, open, blocked := 0, 0, 0
			for _, a := range members(t, e, r.From) {
				for _, b := range members(t, e, r.To) {
					if a.Workload != nil && a.Workload == b.Workload && (a.Name != r.From || b.Name != r.To) {
						continue
					}
					pairs++
					switch reach.Ask(e, reach.Question{From: a, To: b, Flows: r.Flows}).Verdict {
					case reach.Open:
						open++
					case reach.Blocked:
						blocked++
					}
				}
			}
			want := open == pairs && pairs > 0
			against := pairs - open
			if r.Never {
				want, against = blocked == pairs, pairs-blocked
			}
			at := []any{"seed %d: %s", seed, r.Text}
			require.Equal(t, want, r.Holds, at...)
			require.Equal(t, pairs, r.Pairs, at...)
			require.Equal(t, against, r.Against, at...)
			require.Equal(t, against > 0, r.Counter != nil, at...)
			if r.Counter != nil {
				as := map[bool]reach.Verdict{true: reach.Blocked, false: reach.Open}[r.Never]
				require.NotEqual(t, as, r.Counter.Verdict, "seed %d: the counter-example of %s is none", seed, r.Text)
				require.NotEmpty(t, r.Why)
			}
			verdicts[fmt.Sprintf("never %v holds %v", r.Never, r.Holds)]++
		}
	}
	for key, n := range verdicts {
		assert.Greater(t, n, 5, key)
	}
	assert.Len(t, verdicts, 4)
}
