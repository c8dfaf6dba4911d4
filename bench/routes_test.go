package bench

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/gaissmai/bart"

	"wendrik/internal/core/address"
)

// BenchmarkRoute looks single addresses up in a table of routes, beside a well-known library for the longest match.
func BenchmarkRoute(b *testing.B) {
	for _, n := range []int{10, 1000, 100_000} {
		all := ranges(n, 5)
		var ours address.Table[int]
		theirs := new(bart.Table[int])
		for i, p := range all {
			ours.Insert(p, i)
			theirs.Insert(p, i)
		}
		ours.Freeze()
		rng := rand.New(rand.NewPCG(6, 1))
		asked := make([]netip.Addr, 4096)
		for i := range asked {
			asked[i] = address.Last(all[rng.IntN(n)])
			if i%4 == 0 {
				asked[i] = netip.AddrFrom4([4]byte{10, byte(rng.Uint32()), byte(rng.Uint32()), byte(rng.Uint32())})
			}
		}
		for _, a := range asked {
			got, _, found := ours.Lookup(a)
			want, _, is := theirs.LookupPrefixLPM(netip.PrefixFrom(a, a.BitLen()))
			if found != is || got != want {
				b.Fatalf("%s: %s, and the other has %s", a, got, want)
			}
		}
		b.Run(fmt.Sprintf("%d routes, wendrik", n), func(b *testing.B) {
			i := 0
			for b.Loop() {
				ours.Lookup(asked[i%len(asked)])
				i++
			}
		})
		b.Run(fmt.Sprintf("%d routes, bart", n), func(b *testing.B) {
			i := 0
			for b.Loop() {
				theirs.Lookup(asked[i%len(asked)])
				i++
			}
		})
	}
}
