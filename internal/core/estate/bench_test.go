package estate

import (
	"fmt"
	"strings"
	"testing"

	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// kept is a cache in memory.
type kept map[string][]byte

func (k kept) Load(text string) []byte         { return k[text] }
func (k kept) Store(text string, value []byte) { k[text] = value }

// BenchmarkLoad reads a plan of 1,000 networks, 10,000 subnets and 100,000 workloads and binds its names: anew, and with
// its tree out of a cache.
func BenchmarkLoad(b *testing.B) {
	content := randomplan.Large(1000)
	cache := kept{}
	for name, c := range map[string]text.Cache{"read and bound": nil, "out of the cache and bound": cache} {
		text.NewFiles(c).Add("p", content).Tree()
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(content)))
			for b.Loop() {
				files := text.NewFiles(c)
				files.Add("p", content)
				if _, findings := Load(files); len(findings) > 0 {
					b.Fatal(findings[0])
				}
			}
		})
	}
}

// BenchmarkStatement reads 100,000 workloads from 500 lines of a pattern and counts, and a plan in 1,000 parts beside the same
// in one file.
func BenchmarkStatement(b *testing.B) {
	const head = "wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b]}\nspace: {west: {block: 10.0.0.0/8, region: west}}\npatterns:\n  service: {tiers: {web: {access: public, hosts: 60}, app: {access: outbound, hosts: 200}}, groups: {all: {in: [any from any], out: [any to any]}}}\n"
	networks := func(n, count int) (nets, hosts string) {
		var x, y strings.Builder
		for i := range n {
			fmt.Fprintf(&x, "  n%d: {pattern: service, region: west, from: west, size: /20}\n", i)
			fmt.Fprintf(&y, "  w%d: {in: n%d/app, count: %d, groups: [all]}\n", i, i, count)
		}
		return x.String(), y.String()
	}
	nets, hosts := networks(240, 420)
	counted := text.NewFiles(nil)
	counted.Add("p", head+"networks:\n"+nets+"workloads:\n"+hosts)
	nets, hosts = networks(1000, 3)
	one := text.NewFiles(nil)
	one.Add("p", head+"networks:\n"+nets+"workloads:\n"+hosts)
	parts := text.NewFiles(nil)
	parts.Add("p", head)
	for i := range 1000 {
		parts.Add(fmt.Sprint(i), fmt.Sprintf("networks:\n  n%d: {pattern: service, region: west, from: west, size: /20}\nworkloads:\n  w%d: {in: n%d/app, count: 3, groups: [all]}\n", i, i, i))
	}
	for _, c := range []struct {
		name  string
		files *text.Files
	}{{"100,000 workloads from 500 lines", counted}, {"1,000 networks in one file", one}, {"1,000 networks in 1,000 files", parts}} {
		b.Run(c.name, func(b *testing.B) {
			for b.Loop() {
				if _, findings := Load(c.files.With(nil)); len(findings) > 0 {
					b.Fatal(findings[0])
				}
			}
		})
	}
}
