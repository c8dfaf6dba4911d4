package repair

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// TestLeastHarm makes the fixes of many flows of estates with lines of expect in every other way that their alternatives give, and each but one:
// what opens as much closes and breaks no less, no cause can be missed, and what the answer says of the plan then is so.
func TestLeastHarm(t *testing.T) {
	harmful, narrowed, needed := 0, 0, 0
	for seed := range fuzz.Rounds(12, 120) {
		rng := rand.New(rand.NewPCG(seed, 79))
		e, _ := estate.Load(text.One("p", estatetest.Plan(t, estatetest.AnyPlan(rng))))
		if e == nil || len(e.Problems) > 0 || len(e.Workloads) == 0 {
			continue
		}
		var words []string
		for _, s := range e.Subnets {
			words = append(words, s.ID())
		}
		for _, w := range e.Workloads {
			words = append(words, w.Name)
		}
		words = append(words, "internet")
		var edits []text.Edit // what must never pass, of the little that a fix may let pass
		for range 12 {
			line := words[rng.IntN(len(words))] + " never reaches " + words[rng.IntN(len(words)-1)] + []string{"", " on tcp/443", " on udp/53"}[rng.IntN(3)]
			edits = append(edits, text.Add(text.Path{"expect"}, text.Word(line)))
		}
		if with, problems, err := e.With(text.Changes{{Edits: edits}}); err == nil && len(problems) == 0 {
			e = with
		}
		from, errFrom := reach.FindEnds(e, words[rng.IntN(len(words))])
		to, errTo := reach.FindEnds(e, words[rng.IntN(len(words)-1)])
		on, err := flow.Parse([]string{"tcp/443", "udp/53", "any"}[rng.IntN(3)])
		require.NoError(t, err)
		if errFrom != nil || errTo != nil || from.Name == to.Name {
			continue
		}
		many := grid.AskMany(e, from, to, on, false, nil)
		r := OfMany(e, many)
		if r.Made == 0 {
			continue
		}
		about := fmt.Sprintf("seed %d: %s to %s on %s", seed, from.Name, to.Name, on)
		var fixed []diag.Finding
		for _, c := range r.Causes {
			if len(c.Edits()) > 0 {
				fixed = append(fixed, c)
			}
		}
		try := func(all [][]text.Edit) (*estate.Estate, []*reach.Answer) {
			var changes text.Changes
			for _, edits := range all {
				changes = append(changes, text.Change{Edits: edits})
			}
			after, findings, err := e.With(changes)
			if err != nil || len(findings) > 0 {
				return nil, nil
			}
			answers, _ := askAgain(after, many)
			return after, answers
		}
		chosen := make([][]text.Edit, len(fixed))
		for i, c := range fixed {
			chosen[i] = c.Edits()
		}
		after, answers := try(chosen)
		require.NotNil(t, after, about)
		require.True(t, slices.EqualFunc(answers, r.After, same), about)
		harm := harmOf(e, after, many)
		require.Equal(t, harm, r.harm(), about)
		harmful += min(1, harm)
		for i := range fixed { // each can be left out of what is made only with less that opens
			less, now := try(append(append([][]text.Edit{}, chosen[:i]...), chosen[i+1:]...))
			if len(fixed) > 1 && less != nil {
				needed++
				assert.False(t, slices.EqualFunc(now, r.After, same), "%s: %s is needless", about, fixed[i].Message)
			}
		}
		for i, c := range fixed {
			for _, other := range alternativesOf(e, many, c) {
				tried := append([][]text.Edit{}, chosen...)
				tried[i] = other
				if x, now := try(tried); x != nil && slices.EqualFunc(now, r.After, same) {
					narrowed++
					assert.GreaterOrEqual(t, harmOf(e, x, many), harm, "%s: %v does less harm than %v", about, other, chosen[i])
				}
			}
		}
	}
	t.Logf("%d harmful, %d other ways, %d needed", harmful, narrowed, needed)
	assert.Positive(t, harmful)
}

// alternativesOf are the ways to end a cause as it stands in the answers before anything is made.
func alternativesOf(e *estate.Estate, many *grid.Survey, c diag.Finding) [][]text.Edit {
	for _, b := range causes(answersOf(many)) {
		if Alike(b, c) {
			return alternatives(e, b, many.From, many.To)
		}
	}
	return nil
}

func harmOf(e, after *estate.Estate, many *grid.Survey) int {
	var asked []reach.Question
	for _, a := range answersOf(many) {
		asked = append(asked, a.Question)
	}
	d := compare.Effect(e, after, asked...)
	n := 0
	for _, c := range d.Closes {
		n += len(c.From) * len(c.To)
	}
	for _, x := range expect.NoLonger(e, after, len(d.Closes) > 0) {
		if x.Never || x.Only {
			n++
		}
	}
	return n
}
