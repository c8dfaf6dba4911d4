package repair

import (
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestFixesOpen makes the fixes of blocked flows of random estates, all of them and all but each: those of a flow for which
// nothing is left to a person open it, and none of them can be missed.
func TestFixesOpen(t *testing.T) {
	opened, choices := 0, 0
	for seed := range fuzz.Rounds(2, 14) {
		rng := rand.New(rand.NewPCG(seed, 77))
		e, findings := estate.Load(text.One("p", randomplan.Write(rng)))
		require.Empty(t, findings)
		ends := []string{"internet", "quay", "depot"}
		for _, w := range e.Workloads {
			ends = append(ends, w.Name)
		}
		for range 14 {
			from, to := ends[rng.IntN(len(ends))], ends[rng.IntN(len(ends))]
			flows, err := flow.Parse([]string{"tcp/443", "udp/53", "icmp"}[rng.IntN(3)])
			require.NoError(t, err)
			a := ask(t, e, from, to, flows)
			if a.Verdict == reach.Open || len(a.Blockers) == 0 {
				continue
			}
			r := Of(e, a)
			if len(r.Unmade) > 0 {
				choices++
				continue
			}
			opened++
			for but := -1; but < len(r.Causes); but++ {
				var edits []text.Edit
				for i, c := range r.Causes {
					if i != but {
						edits = append(edits, c.Edits()...)
					}
				}
				after, findings, err := e.With(text.Changes{{Edits: edits}})
				if but >= 0 && (err != nil || len(findings) > 0) {
					continue // the others cannot even be written without it
				}
				require.NoError(t, err)
				require.Empty(t, findings)
				require.Equal(t, but < 0, ask(t, after, from, to, flows).Verdict == reach.Open,
					"seed %d, %s to %s on %s: %d of %d left out", seed, from, to, flows, but, len(r.Causes))
			}
		}
	}
	assert.Greater(t, opened, int(fuzz.Rounds(12, 80)))
	assert.Greater(t, opened, 3*choices, "most have an answer")
}

func ask(t *testing.T, e *estate.Estate, from, to string, flows flow.Set) *reach.Answer {
	t.Helper()
	x, err := reach.Find(e, from)
	require.NoError(t, err)
	y, err := reach.Find(e, to)
	require.NoError(t, err)
	return reach.Ask(e, reach.Question{From: x, To: y, Flows: flows})
}

// TestRepair tries fixes, and what they open beyond what was asked.
func TestRepair(t *testing.T) {
	port, err := os.ReadFile("../reach/testdata/port.yaml")
	require.NoError(t, err)
	e, findings := estate.Load(text.One("wendrik.yaml", string(port)))
	require.Empty(t, findings)
	on, _ := flow.Parse("tcp/8443")
	opens, after := tryAgainstPairs(t, e, "db", "feed", on)
	assert.Equal(t, reach.Open, after)
	assert.Positive(t, opens, "the test must have something to find")
}

// TestRandomRepairs does the same on random estates, for random questions.
func TestRandomRepairs(t *testing.T) {
	opens := 0
	for seed := range fuzz.Rounds(4, 12) {
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
	x := Of(e, a)
	if x.Made == 0 {
		return 0, a.Verdict
	}
	var words []string
	for _, o := range x.Opens {
		for _, f := range o.From {
			for _, g := range o.To {
				if f != g { // nobody differs towards itself
					words = append(words, f+" "+g+" "+o.Flows.String())
				}
			}
		}
	}
	slices.Sort(words)
	// The truth, pair by pair.
	content, _, err := e.Plan.Files.First().Apply(slices.Concat(editsOf(x.Causes)...))
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
			was, is := outcomes[0], outcomes[1]
			more := is.Full.Minus(was.Full).Union(is.Some.Minus(was.Some))
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
	return len(want), x.Verdict()
}

func editsOf(causes []diag.Finding) (all [][]text.Edit) {
	for _, b := range causes {
		all = append(all, b.Edits())
	}
	return all
}
