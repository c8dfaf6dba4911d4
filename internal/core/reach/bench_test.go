package reach

import (
	"fmt"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/randomplan"
)

func large(b *testing.B, networks int) *estate.Estate {
	b.Helper()
	e, findings := estate.Load(plan.NewSource("p", []byte(randomplan.Large(networks))))
	if len(findings) > 0 {
		b.Fatal(findings[0])
	}
	return e
}

// BenchmarkAsk asks single questions of estates of growing size.
func BenchmarkAsk(b *testing.B) {
	on, _ := flow.Parse("tcp/5432")
	for _, networks := range []int{10, 100, 1000} {
		e := large(b, networks)
		for _, q := range [][2]string{{"app-1-a-3", "data-1-b-4"}, {"app-1-a-3", fmt.Sprintf("data-%d-b-4", networks-1)}, {"app-1-a-3", "internet"}, {"internet", "web-1-a-0"}} {
			b.Run(fmt.Sprintf("%d networks, %s to %s", networks, q[0], q[1]), func(b *testing.B) {
				for b.Loop() {
					from, err := Find(e, q[0])
					if err != nil {
						b.Fatal(err)
					}
					to, err := Find(e, q[1])
					if err != nil {
						b.Fatal(err)
					}
					Ask(e, from, to, on)
				}
			})
		}
	}
}

// BenchmarkGrid works out the whole grid for all flows, beside walking pairs one by one.
func BenchmarkGrid(b *testing.B) {
	for _, networks := range []int{10, 100, 1000} {
		e := large(b, networks)
		pairs := float64(len(e.Workloads)) * float64(len(e.Workloads)-1)
		b.Run(fmt.Sprintf("%d networks, by classes", networks), func(b *testing.B) {
			for b.Loop() {
				g := NewGrid(e, func(*estate.Workload) int { return 0 })
				cells := 0
				if err := g.Rows(func(_ int, row []Cell) error { cells += len(row); return nil }); err != nil {
					b.Fatal(err)
				}
				b.ReportMetric(float64(len(g.Classes)), "classes")
			}
			b.ReportMetric(b.Elapsed().Seconds()*1e9/float64(b.N)/pairs, "ns/pair")
		})
		b.Run(fmt.Sprintf("%d networks, pair by pair", networks), func(b *testing.B) {
			i := 0
			for b.Loop() {
				from, to := e.Workloads[i%len(e.Workloads)], e.Workloads[i*7919%len(e.Workloads)]
				Ask(e, End{Workload: from}, End{Workload: to}, flow.Any())
				i++
			}
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N)*pairs, "s/grid")
		})
	}
}
