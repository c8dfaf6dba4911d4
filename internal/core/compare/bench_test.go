package compare

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// BenchmarkCompare compares estates of which ten lines differ, in memory, beside comparing all pairs of them.
func BenchmarkCompare(b *testing.B) {
	for _, networks := range []int{10, 100, 1000} {
		plan := randomplan.Large(networks)
		other := plan
		for n := range 5 { // a rule and a route of each of five networks
			other = strings.Replace(other, fmt.Sprintf("      app: {in: [tcp/%d from group web", 8000+n%7), fmt.Sprintf("      app: {in: [tcp/9443 from any, tcp/%d from group web", 8000+n%7), 1)
			other = strings.Replace(other, fmt.Sprintf("via: front}, {to: 10.0.0.0/8, via: hub-%d}]}", 0), fmt.Sprintf("via: front}, {to: 10.0.0.0/8, via: hub-%d}, {to: 10.9.%d.0/24, via: blackhole}]}", 0, n), 1)
		}
		load := func(content string) *estate.Estate {
			e, problems := estate.Load(text.One("p", content))
			require.Empty(b, problems)
			return e
		}
		before, after := load(plan), load(other)
		b.Run(fmt.Sprintf("%d networks, what the change can touch", networks), func(b *testing.B) {
			for b.Loop() {
				require.NotEmpty(b, Of(before, after, nil, today).Opens)
			}
		})
		if networks < 1000 {
			b.Run(fmt.Sprintf("%d networks, all pairs", networks), func(b *testing.B) {
				for b.Loop() {
					grid.Compare(before, after)
				}
			})
		}
	}
}
