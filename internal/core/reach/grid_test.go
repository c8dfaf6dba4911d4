package reach

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/randomplan"
)

// checkGrid holds every cell of a grid against one question for each pair of workloads.
func checkGrid(t *testing.T, text string) (pairs int) {
	t.Helper()
	e, findings := estate.Load(plan.NewSource("wendrik.yaml", []byte(text)))
	require.Empty(t, findings, text)
	g := NewGrid(e, func(*estate.Workload) int { return 0 })
	require.NoError(t, g.Rows(func(from int, row []Cell) error {
		for to, cell := range row {
			across, within := 0, 0
			for _, a := range g.Classes[from].Members {
				for _, b := range g.Classes[to].Members {
					if a == b {
						continue
					}
					id := cell.Across
					if a.Subnet == b.Subnet {
						id = cell.Within
						within++
					} else {
						across++
					}
					got, want := g.Outcome(id), Ask(e, End{Name: a.Name, Workload: a}, End{Name: b.Name, Workload: b}, flow.Any())
					if !want.Passes.Equal(got.Full) || !want.Some.Equal(got.Some) {
						require.Fail(t, "grid", "%s to %s: the grid has %s and of %s some, the walk %s and of %s some\n%s",
							a.Name, b.Name, got.Full, got.Some, want.Passes, want.Some, text)
					}
				}
			}
			gotAcross, gotWithin := g.Pairs(from, to)
			require.Equal(t, [2]int{across, within}, [2]int{gotAcross, gotWithin})
			pairs += across + within
		}
		return nil
	}))
	return pairs
}

func TestGrid(t *testing.T) {
	for seed := range uint64(25) {
		require.Positive(t, checkGrid(t, randomplan.Write(rand.New(rand.NewPCG(seed, 2)))))
	}
}
