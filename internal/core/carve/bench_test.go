package carve

import (
	"fmt"
	"strings"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// manyNetworks is a plan of n networks with four tiers in five zones: 20 subnets each.
func manyNetworks(n int) string {
	var b strings.Builder
	b.WriteString("wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b, west-c, west-d, west-e]}\nspace: {all: {block: 10.0.0.0/8}}\nnetworks:\n")
	for i := range n {
		fmt.Fprintf(&b, "  n%d: {region: west, from: all, size: /%d, tiers: {web: {hosts: 20}, app: {hosts: 60}, data: {hosts: 9}, spare: {hosts: 3}}}\n", i, 21-i%2)
	}
	return b.String()
}

// BenchmarkCarve carves plans of growing size: the time per subnet should stay the same.
func BenchmarkCarve(b *testing.B) {
	for _, subnets := range []int{10_000, 30_000, 100_000} {
		src := text.One("p", string(manyNetworks(subnets/20)))
		b.Run(fmt.Sprintf("%d subnets", subnets), func(b *testing.B) {
			e, problems := estate.Load(src)
			if len(problems) > 0 {
				b.Fatal(problems[0])
			}
			for b.Loop() {
				r := Estate(e)
				if len(r.Misfits) > 0 || len(r.Subnets) != subnets {
					b.Fatal(len(r.Subnets), r.Misfits)
				}
			}
			b.ReportMetric(float64(b.Elapsed().Nanoseconds())/float64(b.N)/float64(subnets), "ns/subnet")
		})
		b.Run(fmt.Sprintf("%d subnets, loaded and written", subnets), func(b *testing.B) {
			for b.Loop() {
				e, _ := estate.Load(src)
				if _, _, err := src.First().Apply(Estate(e).Changes.Edits()); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
