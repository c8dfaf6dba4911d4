// Package gridtest holds grids against walks, for the tests of both.
package gridtest

import (
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// Check holds every cell of a grid against one question for each pair of workloads.
func Check(t *testing.T, content string) (pairs int) {
	t.Helper()
	e, findings := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, findings, content)
	g := grid.NewGrid(e, func(*estate.Workload) int { return 0 })
	require.NoError(t, g.Rows(func(from int, row []grid.Cell) error {
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
					got, want := g.Outcome(id), reach.Ask(e, reach.Question{From: reach.End{Name: a.Name, Workload: a}, To: reach.End{Name: b.Name, Workload: b}, Flows: flow.Any()})
					if !want.Full.Equal(got.Full) || !want.Some.Equal(got.Some) {
						require.Fail(t, "grid", "%s to %s: the grid has %s and of %s some, the walk %s and of %s some\n%s",
							a.Name, b.Name, got.Full, got.Some, want.Full, want.Some, content)
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
