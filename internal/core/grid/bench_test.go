package grid

import (
	"fmt"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

func large(b *testing.B, networks int) *estate.Estate {
	b.Helper()
	e, findings := estate.Load(text.One("p", randomplan.Large(networks)))
	if len(findings) > 0 {
		b.Fatal(findings[0])
	}
	return e
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
				reach.Ask(e, reach.Question{From: reach.EndOf(from), To: reach.EndOf(to), Flows: flow.Any()})
				i++
			}
			b.ReportMetric(b.Elapsed().Seconds()/float64(b.N)*pairs, "s/grid")
		})
	}
}
