package wire

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// BenchmarkWire wires statements of three sizes, the last of 1,000 networks, 6,000 subnets, 100,000 workloads and as many lines of
// expect as networks, none of which holds, beside reading the same text.
func BenchmarkWire(b *testing.B) {
	for _, n := range []int{10, 100, 1000} {
		var x strings.Builder
		x.WriteString("wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b]}\nspace: {west: {block: 10.0.0.0/8, region: west}}\npatterns:\n  service: {tiers: {web: {access: public, hosts: 20}, app: {access: outbound, hosts: 60}, data: {access: closed, hosts: 20}}, groups: {app: {}, db: {}}}\nnetworks:\n")
		for i := range n {
			fmt.Fprintf(&x, "  n%d: {pattern: service, region: west, from: west, size: /21}\n", i)
		}
		x.WriteString("workloads:\n")
		for i := range n {
			fmt.Fprintf(&x, "  w%d: {in: n%d/app, count: 96, groups: [app]}\n  d%d: {in: n%d/data, count: 4, groups: [db]}\n", i, i, i, i)
		}
		x.WriteString("expect:\n")
		for i := range n {
			fmt.Fprintf(&x, "  - n%d/app reaches n%d/data on tcp/5432\n", i, i)
		}
		readAndWired(b, n, x.String(), 8*n)
	}
}

// BenchmarkHub wires networks of three tiers on one hub, with six workloads and two lines of expect each, half of them between networks, beside
// reading the same text.
func BenchmarkHub(b *testing.B) {
	for _, n := range []int{100, 400, 1000} {
		var x, hub strings.Builder
		rng := rand.New(rand.NewPCG(1, 1))
		x.WriteString("wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b]}\nspace: {west: {block: 10.0.0.0/8, region: west}}\npatterns:\n  service: {tiers: {web: {access: public, hosts: 20}, app: {access: outbound, hosts: 60}, data: {access: closed, hosts: 20}}}\nnetworks:\n")
		for i := range n {
			fmt.Fprintf(&x, "  n%d: {pattern: service, region: west, from: west, size: /21}\n", i)
			fmt.Fprintf(&hub, "n%d: all, ", i)
		}
		fmt.Fprintf(&x, "hubs: {spine: {attach: {%s}, tables: {all: {}}}}\nworkloads:\n", hub.String())
		for i := range n {
			fmt.Fprintf(&x, "  web%d: {in: n%[1]d/web, count: 2}\n  app%[1]d: {in: n%[1]d/app, count: 2}\n  data%[1]d: {in: n%[1]d/data, count: 2}\n", i)
		}
		x.WriteString("expect:\n")
		for i := range n {
			fmt.Fprintf(&x, "  - web%d reaches app%[1]d on tcp/8080\n  - app%[1]d reaches data%d on tcp/5432\n", i, rng.IntN(n))
		}
		readAndWired(b, n, x.String(), 6*n)
	}
}

// readAndWired measures wiring what a statement of n networks is carved to, beside reading the same text; all its lines must hold then, by no fewer
// changes than least.
func readAndWired(b *testing.B, n int, statement string, least int) {
	e, _ := estate.Load(text.One("p", statement))
	e, findings, err := e.With(carve.Estate(e).Changes)
	if err != nil || len(findings) > 0 {
		b.Fatal(err, findings)
	}
	content := e.Plan.Files.First().Text
	b.Run(fmt.Sprintf("%d networks, read", n), func(b *testing.B) {
		for b.Loop() {
			estate.Load(text.One("p", content))
		}
	})
	b.Run(fmt.Sprintf("%d networks, wired", n), func(b *testing.B) {
		for b.Loop() {
			if w := Estate(e); len(w.Changes) < least || len(w.Unmet) > 0 {
				b.Fatal("lines do not hold")
			}
		}
	})
}
