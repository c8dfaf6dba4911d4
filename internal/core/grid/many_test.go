package grid

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestManyAgainstPairs holds answers about many against asking for each pair.
func TestManyAgainstPairs(t *testing.T) {
	asked := 0
	for seed := range fuzz.Rounds(20, 60) {
		e, findings := estate.Load(text.One("p", randomplan.LearnedTwice(randomplan.Write(rand.New(rand.NewPCG(seed, 5))))))
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
	assert.Greater(t, asked, int(fuzz.Rounds(600, 2000)))
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
