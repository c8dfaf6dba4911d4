package repair

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestRandomTogether searches for what opens several flows at once, and makes it: what it says is open is, asked pair by pair in the plan
// that is written then; what it says is in the way is; nothing is made for what stays closed, and no cause can be missed.
func TestRandomTogether(t *testing.T) {
	done, needed, closed, alone := 0, 0, 0, 0
	for seed := range fuzz.Rounds(30, 300) {
		rng := rand.New(rand.NewPCG(seed, 78))
		e, findings := estate.Load(text.One("p", randomplan.Write(rng)))
		require.Empty(t, findings)
		words := []string{"internet", "quay", "depot"}
		for _, w := range e.Workloads {
			words = append(words, w.Name)
		}
		for _, s := range e.Subnets {
			words = append(words, s.ID())
		}
		var surveys []*grid.Survey
		target := words[rng.IntN(len(words))]
		for range 2 + rng.IntN(4) {
			from, to := words[rng.IntN(len(words))], words[rng.IntN(len(words))]
			if rng.IntN(2) == 0 {
				to = target // several of one group, and of one list
			}
			on, err := flow.Parse([]string{"tcp/443", "udp/53", "tcp/5432,tcp/443"}[rng.IntN(3)])
			require.NoError(t, err)
			ends := [2]reach.Ends{}
			for i, word := range []string{from, to} {
				if ends[i], err = reach.FindEnds(e, word); err != nil {
					break
				}
			}
			if err == nil && from != to {
				surveys = append(surveys, grid.AskMany(e, ends[0], ends[1], on, false, nil))
			}
		}
		r, ok := OfAll(e, surveys)
		if !ok {
			continue
		}
		done++
		which := func() string { return describe(seed, surveys) }
		require.Len(t, r.Surveys, len(surveys))
		var all []diag.Finding
		for _, s := range r.Surveys {
			all = append(all, s.Causes...)
			if s.Open {
				require.False(t, s.Alone, which())
			} else {
				closed++
				require.Empty(t, s.Causes, which())
			}
			if s.Alone {
				alone++
			}
		}
		made := with(t, e, all, -1)
		require.NotNil(t, made, which())
		require.Equal(t, string(r.Estate.Plan.Files.First().Text), string(made.Plan.Files.First().Text), which())
		then := openIn(made, surveys)
		for i, s := range r.Surveys {
			require.Equal(t, s.Open, then[i], "%s: survey %d", which(), i)
			require.Equal(t, s.Open, len(s.Left) == 0, which())
		}
		for but := range all {
			less := with(t, e, all, but)
			if less == nil {
				continue // the others cannot even be written without it
			}
			if !onlyAllows(all[but].Edits()) {
				continue // what another line's routes do for it is not looked at
			}
			needed++
			now := openIn(less, surveys)
			require.NotEqual(t, then, now, "%s: all that opens does so without  %s", which(), all[but].Message)
		}
	}
	t.Logf("%d searches, %d causes, %d closed, %d alone", done, needed, closed, alone)
	for _, n := range []int{done - 20, needed - 30, closed - 10, alone} {
		assert.Positive(t, n, "the plans must have enough of each")
	}
}

func describe(seed uint64, surveys []*grid.Survey) string {
	var b strings.Builder
	for _, s := range surveys {
		b.WriteString("  " + s.From.Name + " to " + s.To.Name + " on " + s.Asked.String())
	}
	return fmt.Sprint("seed ", seed, b.String())
}

// with is the estate once all edits but those of one cause are made, nil where they cannot be.
func with(t *testing.T, e *estate.Estate, all []diag.Finding, but int) *estate.Estate {
	t.Helper()
	var changes text.Changes
	for i, c := range all {
		if i != but {
			require.NotEmpty(t, c.Edits())
			changes = append(changes, text.Change{Edits: c.Edits()})
		}
	}
	after, findings, err := e.With(changes)
	if err != nil || len(findings) > 0 {
		return nil
	}
	return after
}

// openIn asks pair by pair which surveys are open.
func openIn(e *estate.Estate, surveys []*grid.Survey) []bool {
	open := make([]bool, len(surveys))
	for i, s := range surveys {
		open[i] = true
		for _, from := range members(e, s.From) {
			for _, to := range members(e, s.To) {
				if from != to {
					a, _ := reach.Find(e, from)
					b, _ := reach.Find(e, to)
					open[i] = open[i] && reach.Ask(e, reach.Question{From: a, To: b, Flows: s.Asked}).Verdict == reach.Open
				}
			}
		}
	}
	return open
}

func members(e *estate.Estate, ends reach.Ends) (all []string) {
	ends, _ = ends.In(e)
	if ends.One != nil {
		return []string{ends.One.Name}
	}
	for _, x := range ends.Many {
		all = append(all, x.Name)
	}
	return all
}
