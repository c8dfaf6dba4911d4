package check

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// BenchmarkCheck runs all rules on estates of three sizes, beside reading them; the last is of 1,000 networks, 10,000
// subnets and 100,000 workloads.
func BenchmarkCheck(b *testing.B) {
	for _, networks := range []int{10, 100, 1000} {
		plan := randomplan.Large(networks)
		e, problems := estate.Load(text.One("p", plan))
		require.Empty(b, problems)
		b.Run(fmt.Sprintf("load/%d", networks), func(b *testing.B) {
			for b.Loop() {
				estate.Load(text.One("p", plan))
			}
		})
		b.Run(fmt.Sprintf("check/%d", networks), func(b *testing.B) {
			for b.Loop() {
				Run(e)
			}
		})
	}
}
