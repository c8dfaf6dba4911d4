package wire

import (
	"math/rand/v2"
	"slices"
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
	wired, needed := 0, 0
	for seed := range fuzz.Rounds(6, 30) {
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
		if len(w.Unmet)+len(w.Contradicts) == 0 {
			needed += nothingIsSpare(t, e, w.After)
		}
	}
	require.Positive(t, wired)
	require.Positive(t, needed)
}

// nothingIsSpare takes away in turn each rule that was written: then a line does not hold any longer, or wire would write it again. A group that somebody
// gets who was in none lets out all that went out before. It gives how many there are.
func nothingIsSpare(t *testing.T, before, after *estate.Estate) (rules int) {
	t.Helper()
	each := func(path text.Path) {
		old, _ := before.Plan.Files.Value(path)
		now, _ := after.Plan.Files.Value(path)
		for i, x := range now.Items() {
			stood := slices.ContainsFunc(old.Items(), func(y text.Value) bool { return y.String() == x.String() })
			if stood || x.String() == "any to any" {
				continue
			}
			rules++
			without, problems, err := after.With(text.Changes{{Edits: []text.Edit{text.RemoveNth(path, i+1)}}})
			require.NoError(t, err)
			require.Empty(t, problems)
			require.False(t, len(expect.NoLonger(after, without, true)) == 0 && len(Estate(without).Changes) == 0, "%s of %s is needless\n%s", x, path, after.Plan.Files.Whole())
		}
	}
	for _, n := range after.Networks {
		for _, g := range n.Groups {
			each(g.Place().To("in"))
			each(g.Place().To("out"))
		}
		for _, l := range n.Lists {
			each(l.Place().To("in"))
			each(l.Place().To("out"))
		}
	}
	return rules
}
