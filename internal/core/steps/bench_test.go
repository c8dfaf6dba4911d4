package steps

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// BenchmarkSteps orders 20 and 200 changes of an estate of 10 networks and 1,000 workloads, every state proved.
func BenchmarkSteps(b *testing.B) {
	plan := randomplan.Large(10)
	for _, each := range []int{2, 20} {
		other := plan
		for n := range 10 {
			var more []string
			for i := range each {
				more = append(more, fmt.Sprintf("tcp/%d from 10.%d.0.0/16", 9000+i, 100+i))
			}
			was := fmt.Sprintf("      app: {in: [tcp/%d from group web, ", 8000+n%7)
			other = strings.Replace(other, was, was+strings.Join(more, ", ")+", ", 1)
		}
		load := func(content string) *estate.Estate {
			e, problems := estate.Load(text.One("p", content))
			require.Empty(b, problems)
			return e
		}
		old, fresh := load(plan), load(other)
		b.Run(fmt.Sprintf("%d changes", 10*each), func(b *testing.B) {
			for b.Loop() {
				p, err := Of(old, fresh, nil)
				require.NoError(b, err)
				b.ReportMetric(float64(len(p.Steps)), "steps")
			}
		})
	}
}
