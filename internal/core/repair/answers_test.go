package repair

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/golden"
)

// TestAnswers tells what would open flows of estates of several clouds, and what else that opens, closes and breaks.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		flows, err := flow.Parse(words[3])
		require.NoError(t, err)
		from, err := reach.FindEnds(e, words[1])
		require.NoError(t, err)
		to, err := reach.FindEnds(e, words[2])
		require.NoError(t, err)
		var r *Repair
		if from.One != nil && to.One != nil {
			r = Of(e, reach.Ask(e, reach.Question{From: *from.One, To: *to.One, Flows: flows}))
		} else {
			r = OfMany(e, grid.AskMany(e, from, to, flows, true, nil))
		}
		answers := r.After
		r.After = nil
		said := "then: " + string(r.Verdict()) + "\n"
		for _, a := range answers {
			said += a.From.Name + " to " + a.To.Name + ": " + string(a.Verdict) + "\n"
		}
		return golden.Tell(r) + said
	})
}

// TestTogetherTold tells what would open several flows at once: FROM TO FLOW, a line each.
func TestTogetherTold(t *testing.T) {
	golden.File(t, "together.txt", func(t *testing.T, asked string) string {
		name, lines, _ := strings.Cut(asked, "\n")
		e := estatetest.Load(t, estatetest.Plan(t, name))
		var all []*grid.Survey
		for line := range strings.Lines(lines) {
			words := strings.Fields(line)
			flows, err := flow.Parse(words[2])
			require.NoError(t, err)
			from, err := reach.FindEnds(e, words[0])
			require.NoError(t, err)
			to, err := reach.FindEnds(e, words[1])
			require.NoError(t, err)
			all = append(all, grid.AskMany(e, from, to, flows, true, nil))
		}
		r, done := OfAll(e, all)
		if !done {
			return "not done"
		}
		return golden.Tell(r)
	})
}
