package grid_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/grid/gridtest"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

func TestGrid(t *testing.T) {
	for seed := range fuzz.Rounds(10, 25) {
		content := randomplan.Write(rand.New(rand.NewPCG(seed, 2)))
		if seed%2 == 1 {
			content = randomplan.LearnedTwice(content)
		}
		require.Positive(t, gridtest.Check(t, content))
	}
}

// FuzzGrid tries one estate for each seed.
func FuzzGrid(f *testing.F) {
	f.Add(uint64(1000))
	f.Fuzz(func(t *testing.T, seed uint64) {
		defer fuzz.Bound()()
		gridtest.Check(t, randomplan.Write(rand.New(rand.NewPCG(seed, 2))))
	})
}
