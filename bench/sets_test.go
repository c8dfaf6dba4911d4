// Package bench holds measurements beside well-known libraries, in a module of its own so that these are no dependency
// of the program.
package bench

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"go4.org/netipx"

	"wendrik/internal/core/address"
)

// ranges makes n IPv4 and IPv6 ranges, some nested and most apart.
func ranges(n int, seed uint64) []netip.Prefix {
	rng := rand.New(rand.NewPCG(seed, 1))
	out := make([]netip.Prefix, n)
	for i := range out {
		if rng.IntN(4) == 0 {
			var b [16]byte
			for j := range b {
				b[j] = byte(rng.Uint32())
			}
			b[0], b[1] = 0xfd, 0x3a
			out[i] = netip.PrefixFrom(netip.AddrFrom16(b), 40+rng.IntN(25)).Masked()
			continue
		}
		a := netip.AddrFrom4([4]byte{10, byte(rng.Uint32()), byte(rng.Uint32()), byte(rng.Uint32())})
		out[i] = netip.PrefixFrom(a, 24+rng.IntN(9)).Masked()
	}
	return out
}

const million = 1_000_000

func BenchmarkUnion(b *testing.B) {
	all := ranges(million, 1)
	b.Run("netipx", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			var s netipx.IPSetBuilder
			for _, p := range all {
				s.AddPrefix(p)
			}
			if _, err := s.IPSet(); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("wendrik", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			address.SetOf(all...)
		}
	})
}

func BenchmarkDifference(b *testing.B) {
	all, gone := ranges(million, 1), ranges(million, 2)
	b.Run("netipx", func(b *testing.B) {
		for b.Loop() {
			var s netipx.IPSetBuilder
			for _, p := range all {
				s.AddPrefix(p)
			}
			for _, p := range gone {
				s.RemovePrefix(p)
			}
			if _, err := s.IPSet(); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("wendrik", func(b *testing.B) {
		for b.Loop() {
			address.SetOf(all...).Minus(address.SetOf(gone...))
		}
	})
}

// takes is how many ranges BenchmarkNextFree takes, one after another, out of what a million ranges leave free.
const takes = 50

func BenchmarkNextFree(b *testing.B) {
	all := ranges(million, 1)
	block := netip.MustParsePrefix("10.0.0.0/8")
	b.Run("netipx", func(b *testing.B) {
		for b.Loop() {
			var s netipx.IPSetBuilder
			s.AddPrefix(block)
			for _, p := range all {
				s.RemovePrefix(p)
			}
			free, err := s.IPSet()
			if err != nil {
				b.Fatal(err)
			}
			for range takes {
				if _, free, _ = free.RemoveFreePrefix(28); free == nil {
					break
				}
			}
		}
	})
	b.Run("wendrik", func(b *testing.B) {
		for b.Loop() {
			pool := address.NewPool(address.SetOf(block).Minus(address.SetOf(all...)), 32)
			for range takes {
				if _, found := pool.Take(28); !found {
					break
				}
			}
		}
	})
}
