package address

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"
)

// million makes n ranges, IPv4 and IPv6, some nested and most apart.
func million(n int) []netip.Prefix {
	rng := rand.New(rand.NewPCG(17, 18))
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

// BenchmarkOverlaps compares finding all overlaps with sorting the ranges, which every way of finding them must do.
func BenchmarkOverlaps(b *testing.B) {
	ranges := million(1_000_000)
	b.Run("sort alone", func(b *testing.B) {
		for b.Loop() {
			again := slices.Clone(ranges)
			slices.SortFunc(again, Compare)
		}
	})
	b.Run("count", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			Pairs(ranges, func(int, int) bool { return false })
		}
	})
	b.Run("all pairs", func(b *testing.B) {
		b.ReportAllocs()
		pairs := 0
		for b.Loop() {
			pairs = 0
			Pairs(ranges, func(int, int) bool { pairs++; return true })
		}
		b.ReportMetric(float64(pairs), "pairs")
	})
}
