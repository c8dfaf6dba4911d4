package grid_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestCount: what is counted where no way is left, and what is said of the rest, is together what is said of all.
func TestCount(t *testing.T) {
	counted, said := 0, 0
	for seed := range fuzz.Rounds(6, 24) {
		rng := rand.New(rand.NewPCG(seed, 167))
		content := randomplan.Write(rng)
		switch seed % 4 {
		case 1:
			content = randomplan.LearnedTwice(randomplan.Write(rng))
		case 2:
			content = estatetest.Plan(t, estatetest.AnyPlan(rng))
		case 3:
			content = randomplan.Large(70) // of two hubs
		}
		e := estatetest.Load(t, content)
		whole, tallied := grid.NewStanding(e), grid.NewStanding(e)
		_, none := tallied.Count(e.Without(e.Parts()...), nil)
		require.Zero(t, none, "nothing is counted before the tally")
		tallied.Tally()
		whole.Remember()
		tallied.Remember()
		parts := e.Parts()
		rng.Shuffle(len(parts), func(i, j int) { parts[i], parts[j] = parts[j], parts[i] })
		for _, p := range parts[:min(6, len(parts))] {
			failing := e.Without(p)
			want := whole.Without(failing, nil)
			d, pairs := tallied.Count(failing, nil)
			require.Equal(t, pairsOf(want.Closes), pairs+pairsOf(d.Closes), "seed %d: %s %s\n%s", seed, p.Kind, p.Name, content)
			require.Equal(t, pairsOf(want.Opens), pairsOf(d.Opens), "seed %d", seed)
			require.Equal(t, want.Seen, d.Seen)
			counted, said = counted+pairs, said+pairsOf(d.Closes)
			require.Equal(t, want, tallied.Without(failing, nil), "seed %d: all is said again", seed)
		}
	}
	assert.Positive(t, counted)
	assert.Positive(t, said)
}

func pairsOf(all []grid.Difference) (n int) {
	for _, d := range all {
		n += len(d.From) * len(d.To)
	}
	return n
}
