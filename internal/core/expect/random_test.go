package expect

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
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
	verdicts, lonely := map[string]int{}, 0
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
			count := func(e *estate.Estate) (pairs, open, blocked int) {
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
				return pairs, open, blocked
			}
			pairs, open, blocked := count(e)
			want := open == pairs && pairs > 0
			against := pairs - open
			if could := probed(e, r.Expectation); pairs == 0 && could != nil { // the only member at both ends: another is tried
				tried, passing, _ := count(could)
				want = passing == tried && tried > 0
				lonely++
			}
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
	assert.Positive(t, lonely, "lines between the same workload")
}

// TestOnlyAgainstPairs holds lines that say only against asking everybody: with all who get there excepted such a line holds, and with one of them
// left it fails by that one.
func TestOnlyAgainstPairs(t *testing.T) {
	lines, kinds := 0, map[string]int{}
	for seed := range fuzz.Rounds(20, 60) {
		rng := rand.New(rand.NewPCG(seed, 59))
		content := randomplan.Write(rng)
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		ends := []string{"internet", "quay", "depot"}
		for _, w := range e.Workloads {
			ends = append(ends, w.Name)
		}
		for range 30 {
			from, to, on := ends[rng.IntN(len(ends))], e.Workloads[rng.IntN(len(e.Workloads))].Name, []string{"tcp/443", "udp/53", "icmp"}[rng.IntN(3)]
			if from == to {
				continue
			}
			flows, err := flow.Parse(on)
			require.NoError(t, err)
			ask := func(name string) reach.Verdict {
				a, err := reach.Find(e, name)
				require.NoError(t, err)
				b, err := reach.Find(e, to)
				require.NoError(t, err)
				return reach.Ask(e, reach.Question{From: a, To: b, Flows: flows}).Verdict
			}
			if ask(from) != reach.Open {
				continue
			}
			var strangers []string
			for _, name := range ends {
				if name != from && name != to && ask(name) != reach.Blocked {
					strangers = append(strangers, name)
				}
			}
			line := func(except []string) Result {
				x := &plan.Expectation{From: from, To: to, Only: true, Flows: flows, HasFlows: true, Except: except}
				return One(e, x)
			}
			lines++
			r := line(nil)
			require.Equal(t, len(strangers) == 0, r.Holds, "seed %d: %s to %s on %s: %s\n%s", seed, from, to, on, r.Why, content)
			require.Equal(t, len(strangers), r.Against)
			require.True(t, line(strangers).Holds, "seed %d: %s to %s on %s except %v\n%s", seed, from, to, on, strangers, content)
			if len(strangers) > 0 {
				i := rng.IntN(len(strangers))
				if e.Workload(strangers[0]) == nil && rng.IntN(2) == 0 {
					i = 0
				}
				r = line(slices.Delete(slices.Clone(strangers), i, i+1))
				require.True(t, r.Else && !r.Holds && r.Counter.From.Name == strangers[i] && strings.HasPrefix(r.Why, strangers[i]+" "), "seed %d: %s\n%s", seed, r.Why, content)
				if w := e.Workload(strangers[i]); w == nil {
					kinds[strangers[i]]++
				}
				require.Equal(t, Never(e, r.Expectation).Holds, false)
			}
		}
	}
	assert.Greater(t, lines, 30)
	t.Log(lines, kinds)
	assert.Greater(t, len(kinds), 1, "the internet and sites were told, too")
}
