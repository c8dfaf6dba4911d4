package grid

import (
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// TestManyAgainstPairs holds answers about many against asking for each pair.
func TestManyAgainstPairs(t *testing.T) {
	asked := 0
	for seed := range uint64(60) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 5)))))
		require.Empty(t, findings)
		words := []string{"internet"}
		for _, n := range e.Networks {
			words = append(words, n.Name)
			for _, s := range n.Subnets {
				words = append(words, s.ID())
			}
		}
		for _, s := range e.Sites {
			words = append(words, s.Name)
		}
		rng := rand.New(rand.NewPCG(seed, 6))
		for range 12 {
			from, err := reach.FindEnds(e, words[rng.IntN(len(words))])
			require.NoError(t, err)
			to, err := reach.FindEnds(e, words[rng.IntN(len(words))])
			require.NoError(t, err)
			if from.One != nil && to.One != nil {
				continue
			}
			got := AskMany(e, from, to, flow.Any(), rng.IntN(2) == 0, nil)
			want := map[string]int{}
			for _, a := range each(from) {
				for _, b := range each(to) {
					if a.Workload == nil || a.Workload != b.Workload {
						one := reach.Ask(e, reach.Question{From: a, To: b, Flows: flow.Any()})
						want[one.Full.Key()+"|"+one.Some.Key()]++
						asked++
					}
				}
			}
			have := map[string]int{}
			for _, p := range got.Parts {
				have[p.Answer.Full.Key()+"|"+p.Answer.Some.Key()] += p.Pairs
			}
			assert.Equal(t, want, have, "seed %d: %s to %s", seed, from.Name, to.Name)
		}
	}
	assert.Greater(t, asked, 2000)
}

func each(e reach.Ends) []reach.End {
	if e.One != nil {
		return []reach.End{*e.One}
	}
	var all []reach.End
	for _, x := range e.Many {
		all = append(all, reach.EndOf(x))
	}
	return all
}

// TestTry tries fixes, and what they open beyond what was asked.
func TestTry(t *testing.T) {
	port, err := os.ReadFile("../reach/testdata/port.yaml")
	require.NoError(t, err)
	e, findings := estate.Load(text.One("wendrik.yaml", string(port)))
	require.Empty(t, findings)
	on, _ := flow.Parse("tcp/8443")
	opens, after := tryAgainstPairs(t, e, "db", "feed", on)
	assert.Equal(t, reach.Open, after)
	assert.Positive(t, opens, "the test must have something to find")
}

// TestRandomTries does the same on random estates, for random questions.
func TestRandomTries(t *testing.T) {
	opens := 0
	for seed := range uint64(12) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 71)))))
		require.Empty(t, findings)
		rng := rand.New(rand.NewPCG(seed, 72))
		words := []string{"internet", "quay", "depot"}
		for _, w := range e.Workloads {
			words = append(words, w.Name)
		}
		for range 3 {
			on, _ := flow.Parse([]string{"tcp/443", "udp/53", "any"}[rng.IntN(3)])
			from, to := words[rng.IntN(len(words))], e.Workloads[rng.IntN(len(e.Workloads))].Name
			n, _ := tryAgainstPairs(t, e, from, to, on)
			opens += n
		}
	}
	assert.Greater(t, opens, 100)
}

// tryAgainstPairs makes the fixes of an answer, and holds what that opens against asking for every pair before and
// after. It gives how many pairs open, and the answer then.
func tryAgainstPairs(t *testing.T, e *estate.Estate, fromName, toName string, on flow.Set) (opens int, after reach.Verdict) {
	t.Helper()
	from, _ := reach.Find(e, fromName)
	to, _ := reach.Find(e, toName)
	a := reach.Ask(e, reach.Question{From: from, To: to, Flows: on})
	x := Try(e, a)
	if x.Made == 0 {
		return 0, a.Verdict
	}
	require.Empty(t, x.Problem)
	var words []string
	for _, o := range x.Opens {
		for _, f := range o.From {
			for _, g := range o.To {
				words = append(words, f+" "+g+" "+o.Flows.String())
			}
		}
	}
	slices.Sort(words)
	// The truth, pair by pair.
	content, _, err := e.Plan.Files.First().Apply(slices.Concat(editsOf(a)...))
	require.NoError(t, err)
	fixed, findings := estate.Load(text.One("wendrik.yaml", string(content)))
	require.Empty(t, findings)
	ends := []string{"internet"}
	for _, s := range e.Sites {
		ends = append(ends, s.Name)
	}
	for _, x := range e.Workloads {
		ends = append(ends, x.Name)
	}
	var want []string
	for _, p := range ends {
		for _, q := range ends {
			if p == q || e.Workload(p) == nil && e.Workload(q) == nil {
				continue
			}
			var outcomes [2]reach.Outcome
			for i, e := range []*estate.Estate{e, fixed} {
				from, _ := reach.Find(e, p)
				to, _ := reach.Find(e, q)
				one := reach.Ask(e, reach.Question{From: from, To: to, Flows: flow.Any()})
				outcomes[i] = one.Outcome
			}
			more := gain(outcomes[0], outcomes[1])
			if p == fromName && q == toName {
				more = more.Minus(on)
			}
			if !more.Empty() {
				want = append(want, p+" "+q+" "+more.String())
			}
		}
	}
	slices.Sort(want)
	require.Equal(t, want, words, "%s to %s on %s\n%s", fromName, toName, on, e.Plan.Files.First().Text)
	return len(want), x.After.Verdict
}

func editsOf(a *reach.Answer) (all [][]text.Edit) {
	for _, b := range a.Blockers {
		all = append(all, b.Edits())
	}
	return all
}
