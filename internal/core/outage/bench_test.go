package outage

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// BenchmarkOutage takes out every part of estates of two sizes, the larger of 100 networks and 10,000 workloads, beside comparing
// all pairs once for a single part.
func BenchmarkOutage(b *testing.B) {
	for _, networks := range []int{10, 100} {
		e, problems := estate.Load(text.One("p", randomplan.Large(networks)))
		require.Empty(b, problems)
		b.Run(fmt.Sprintf("%d networks, %d parts", networks, len(e.Parts())), func(b *testing.B) {
			for b.Loop() {
				Of(e, false, 40, nil)
			}
		})
		b.Run(fmt.Sprintf("%d networks, one part by all pairs", networks), func(b *testing.B) {
			for b.Loop() {
				grid.Compare(e, e.Without(e.Parts()[0]))
			}
		})
	}
}
