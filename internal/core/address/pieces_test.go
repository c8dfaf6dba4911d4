package address

import (
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestPiecesOfSmallSpaces tries every block of 8-bit and 12-bit spaces at both ends of both families.
func TestPiecesOfSmallSpaces(t *testing.T) {
	for _, s := range append(smalls, larger...) {
		base := s.whole.Bits()
		for length := base; length <= s.whole.Addr().BitLen(); length++ {
			var blocks []netip.Prefix
			for a := s.whole.Addr(); a.IsValid() && s.whole.Contains(a); a = a.Next() {
				if p, _ := a.Prefix(length); p.Addr() == a {
					blocks = append(blocks, p)
				}
			}
			require.Equal(t, int64(len(blocks)), Pieces(s.whole, length).Int64())
			for i, p := range blocks {
				got, found := Piece(s.whole, length, uint64(i))
				n, numbered := PieceNumber(s.whole, p)
				if !found || got != p || !numbered || n != uint64(i) {
					require.Fail(t, "wrong piece", "number %d of /%d in %s is %s, not %s; its number is %d", i, length, s.whole, p, got, n)
				}
				next, found := Next(p)
				if found != Last(p).Next().IsValid() || i+1 < len(blocks) && next != blocks[i+1] {
					require.Fail(t, "wrong next", "behind %s comes %s, %v", p, next, found)
				}
				before, found := Previous(p)
				if found != p.Addr().Prev().IsValid() || i > 0 && before != blocks[i-1] {
					require.Fail(t, "wrong previous", "before %s comes %s, %v", p, before, found)
				}
			}
			_, found := Piece(s.whole, length, uint64(len(blocks)))
			require.False(t, found)
		}
		size := len(blocksOf(s))
		for n := 1; n <= size; n += 1 + n/64 {
			parts := Split(s.whole, n)
			require.Len(t, parts, n)
			require.True(t, SetOf(parts...).Equal(SetOf(s.whole)), "%d parts of %s", n, s.whole)
			for i := range parts {
				require.LessOrEqual(t, parts[i].Bits()-parts[0].Bits(), 1, "as even as can be")
				require.True(t, i == 0 || parts[i-1].Addr().Less(parts[i].Addr()))
			}
		}
		require.Empty(t, Split(s.whole, size+1))
		require.Empty(t, Split(s.whole, 0))
	}
}

// blocksOf is every address of a space.
func blocksOf(s small) (all []netip.Addr) {
	s.each(func(a netip.Addr) { all = append(all, a) })
	return all
}

// TestIntervalsOfSmallSpaces covers every interval of a space of 64 addresses, and holds the smallest block around it
// against all blocks.
func TestIntervalsOfSmallSpaces(t *testing.T) {
	for _, s := range smalls {
		all := blocksOf(s)
		for i := 192; i < 256; i++ {
			for j := i; j < 256; j++ {
				run := Between(all[i], all[j])
				require.Equal(t, int64(j-i+1), run.Count().Int64())
				requireFewest(t, run)
				around := Around(run)
				require.True(t, around.Contains(all[i]) && around.Contains(all[j]))
				half := netip.PrefixFrom(all[i], min(around.Bits()+1, around.Addr().BitLen())).Masked()
				require.True(t, i == j || !half.Contains(all[j]), "%s is too large for %s", around, run)
				block, is := Interval{all[i], all[j]}.Block()
				require.Equal(t, len(run.Ranges()) == 1, is)
				require.True(t, !is || block == around)
			}
		}
		require.True(t, Between(all[1], all[0]).Empty())
	}
	require.True(t, Between(netip.MustParseAddr("10.0.0.1"), netip.MustParseAddr("::1")).Empty())
	require.False(t, Around(All()).IsValid())
	require.False(t, Around(Set{}).IsValid())
	assert.Equal(t, "::/0", Around(SetOf(netip.MustParsePrefix("::/1"), netip.MustParsePrefix("ffff::/16"))).String())
}

// TestNearestAgainstSearch tries every block of every length in small spaces with holes.
func TestNearestAgainstSearch(t *testing.T) {
	rng := rand.New(rand.NewPCG(21, 22))
	for round := range 200 {
		s := smalls[round%len(smalls)]
		free := SetOf(s.whole).Minus(SetOf(s.random(rng)...)).Minus(SetOf(s.random(rng)...))
		length := s.whole.Bits() + 1 + rng.IntN(8)
		p, _ := Piece(s.whole, length, uint64(rng.IntN(1<<(length-s.whole.Bits()))))
		var want netip.Prefix
		best := ^uint64(0)
		for i := range uint64(1) << (length - s.whole.Bits()) {
			q, _ := Piece(s.whole, length, i)
			far := Distance(min2(p.Addr(), q.Addr()), max2(p.Addr(), q.Addr()))
			if free.ContainsRange(q) && far < best {
				want, best = q, far
			}
		}
		got, found := Nearest(free, p)
		require.Equal(t, want.IsValid(), found, "a /%d of %s", length, free)
		if found {
			require.Equal(t, want, got, "near %s of %s", p, free)
		}
	}
}

func min2(a, b netip.Addr) netip.Addr {
	if b.Less(a) {
		return b
	}
	return a
}

func max2(a, b netip.Addr) netip.Addr {
	if b.Less(a) {
		return a
	}
	return b
}

func TestMasks(t *testing.T) {
	for text, want := range map[string]string{
		"10.144.0.0/20": "255.255.240.0 0.0.15.255",
		"0.0.0.0/0":     "0.0.0.0 255.255.255.255",
		"10.0.0.1/32":   "255.255.255.255 0.0.0.0",
		"10.0.0.0/31":   "255.255.255.254 0.0.0.1",
		"fd3a::/48":     " ",
	} {
		p := netip.MustParsePrefix(text)
		assert.Equal(t, want, Mask(p)+" "+Wildcard(p), text)
	}
}

func TestReverseZones(t *testing.T) {
	for text, want := range map[string]string{
		"10.0.0.0/8":        "10.in-addr.arpa",
		"10.144.0.0/16":     "144.10.in-addr.arpa",
		"10.144.7.0/24":     "7.144.10.in-addr.arpa",
		"10.144.4.0/22":     "4.144.10.in-addr.arpa 5.144.10.in-addr.arpa 6.144.10.in-addr.arpa 7.144.10.in-addr.arpa",
		"10.144.7.64/26":    "64/26.7.144.10.in-addr.arpa",
		"10.144.7.9/32":     "9.7.144.10.in-addr.arpa",
		"0.0.0.0/0":         "in-addr.arpa",
		"fd3a::/16":         "a.3.d.f.ip6.arpa",
		"fd3a::/15":         "a.3.d.f.ip6.arpa b.3.d.f.ip6.arpa",
		"2001:db8::/32":     "8.b.d.0.1.0.0.2.ip6.arpa",
		"2001:db8:80::/42":  "2.0.0.8.b.d.0.1.0.0.2.ip6.arpa",
		"2001:db8:80::/43":  "8.0.0.8.b.d.0.1.0.0.2.ip6.arpa 9.0.0.8.b.d.0.1.0.0.2.ip6.arpa",
		"::/0":              "ip6.arpa",
		"2001:db8::1/128":   "1." + strings.Repeat("0.", 23) + "8.b.d.0.1.0.0.2.ip6.arpa",
		"10.144.0.0/9":      "",
		"2001:db8:80::/126": "",
	} {
		p := netip.MustParsePrefix(text).Masked()
		got := ReverseZones(p)
		switch text {
		case "10.144.0.0/9":
			assert.Len(t, got, 128)
		case "2001:db8:80::/42":
			assert.Len(t, got, 4)
		case "2001:db8:80::/126":
			assert.Len(t, got, 4)
		default:
			assert.Equal(t, want, strings.Join(got, " "), text)
		}
	}
}

// TestIntervalPairsAgainstAllPairs compares intervals, which need not nest, two by two.
func TestIntervalPairsAgainstAllPairs(t *testing.T) {
	rng := rand.New(rand.NewPCG(19, 20))
	for range 300 {
		var all []Interval
		for range 2 + rng.IntN(12) {
			s := smalls[rng.IntN(len(smalls))]
			a := Advance(s.whole.Addr(), uint64(rng.IntN(200)))
			all = append(all, Interval{a, Advance(a, uint64(rng.IntN(56)))})
		}
		got := map[[2]int]bool{}
		total := PairsOfIntervals(all, func(a, b int) bool {
			require.False(t, all[b].First.Less(all[a].First))
			got[[2]int{min(a, b), max(a, b)}] = true
			return true
		})
		require.Equal(t, uint64(len(got)), total)
		require.Equal(t, total, PairsOfIntervals(all, func(int, int) bool { return false }))
		for i := range all {
			for j := range i {
				meet := !all[i].Last.Less(all[j].First) && !all[j].Last.Less(all[i].First)
				require.Equal(t, meet, got[[2]int{j, i}], "%v and %v", all[i], all[j])
			}
		}
	}
}

func TestCountOfPairs(t *testing.T) {
	ranges := million(3000)
	n := uint64(0)
	assert.Equal(t, Pairs(ranges, func(int, int) bool { n++; return true }), n)
	told := 0
	assert.Equal(t, n, Pairs(ranges, func(int, int) bool { told++; return told < 5 }), "counted, told or not")
	assert.Equal(t, 5, told)
	same := make([]netip.Prefix, 200_000)
	for i := range same {
		same[i] = netip.MustParsePrefix("10.0.0.0/8")
	}
	assert.Equal(t, uint64(200_000)*199_999/2, Pairs(same, func(int, int) bool { return false }))
}
