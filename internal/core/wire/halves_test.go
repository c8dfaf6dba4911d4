package wire

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// lines are what somebody may ask of a half of a plan, of some of its ends.
func lines(e *estate.Estate, rng *rand.Rand) (all []text.Edit) {
	var ends []string
	for _, w := range e.Workloads {
		ends = append(ends, w.Name)
	}
	for _, n := range e.Networks {
		ends = append(ends, n.Name)
		for _, t := range n.Tiers {
			ends = append(ends, t.ID())
		}
	}
	for _, s := range e.Sites {
		ends = append(ends, s.Name)
	}
	ends = append(ends, "internet")
	if len(ends) < 3 {
		return nil
	}
	flows := []string{" on tcp/443", " on tcp/22", " on udp/53", " on icmp"}
	for range 2 + rng.IntN(4) {
		word := []string{" reaches ", " reaches ", " reaches ", " never reaches "}[rng.IntN(4)]
		line := ends[rng.IntN(len(ends))] + word + ends[rng.IntN(len(ends))] + flows[rng.IntN(len(flows))]
		if word == " reaches " && rng.IntN(5) == 0 {
			line = "only " + line
		}
		all = append(all, text.Add(text.Path{"expect"}, text.Word(line)))
	}
	return all
}

// TestHalvesAreWired wires plans of which parts are gone or are others, and of which more is asked: every line that held holds, whatever its form,
// and a second run writes nothing.
func TestHalvesAreWired(t *testing.T) {
	wired := 0
	for seed := range fuzz.Rounds(20, 150) {
		rng := rand.New(rand.NewPCG(seed, 141))
		e := estatetest.Half(t, rng, "")
		for _, x := range lines(e, rng) {
			if next, problems, err := e.With(text.Changes{{Edits: []text.Edit{x}}}); err == nil && len(problems) == 0 {
				e = next
			}
		}
		e, problems, err := e.With(carve.Estate(e).Changes)
		require.NoError(t, err)
		require.Empty(t, problems)
		w := Estate(e)
		if w.Uneditable != nil {
			continue
		}
		content := e.Plan.Files.Whole()
		require.Empty(t, expect.NoLonger(e, w.After, true), "seed %d\n%s\n%s", seed, content, w.After.Plan.Files.Whole())
		require.Empty(t, Estate(w.After).Changes, "seed %d: twice is once\n%s\n%s", seed, content, w.After.Plan.Files.Whole())
		wired += len(w.Changes)
	}
	require.Positive(t, wired)
}
