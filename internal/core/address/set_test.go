package address

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/fuzz"
)

// bitmap is a set of addresses of a small space, one by one: the obvious twin of Set.
type bitmap map[netip.Addr]bool

// small is an 8-bit address space at the very end of its family, where a mistake at the last address shows.
type small struct{ whole netip.Prefix }

var smalls = []small{
	{netip.MustParsePrefix("255.255.255.0/24")},
	{netip.MustParsePrefix("0.0.0.0/24")},
	{netip.MustParsePrefix("ffff:ffff:ffff:ffff:ffff:ffff:ffff:ff00/120")},
	{netip.MustParsePrefix("::/120")},
}

// larger are 12-bit spaces, likewise.
var larger = []small{
	{netip.MustParsePrefix("255.255.240.0/20")},
	{netip.MustParsePrefix("ffff:ffff:ffff:ffff:ffff:ffff:ffff:f000/116")},
}

func (s small) each(visit func(netip.Addr)) {
	for a, n := s.whole.Addr(), 1<<(s.whole.Addr().BitLen()-s.whole.Bits()); n > 0; a, n = a.Next(), n-1 {
		visit(a)
	}
}

func (s small) random(rng *rand.Rand) []netip.Prefix {
	var out []netip.Prefix
	for range rng.IntN(6) {
		length := s.whole.Bits() + 1 + rng.IntN(s.whole.Addr().BitLen()-s.whole.Bits())
		p, _ := Piece(s.whole, length, uint64(rng.IntN(1<<(length-s.whole.Bits()))))
		out = append(out, p)
	}
	return out
}

func bitmapOf(ranges []netip.Prefix, s small) bitmap {
	m := bitmap{}
	s.each(func(a netip.Addr) {
		for _, p := range ranges {
			if p.Contains(a) {
				m[a] = true
			}
		}
	})
	return m
}

func TestSetAgainstBitmap(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 4))
	for round := range 400 {
		s := smalls[round%len(smalls)]
		if round%20 == 0 {
			s = larger[round/20%len(larger)]
		}
		checkSets(t, rng, s)
	}
}

// FuzzSets tries random sets of a 12-bit space for each seed.
func FuzzSets(f *testing.F) {
	f.Add(uint64(1), false)
	f.Fuzz(func(t *testing.T, seed uint64, v6 bool) {
		defer fuzz.Bound()()
		s := larger[0]
		if v6 {
			s = larger[1]
		}
		checkSets(t, rand.New(rand.NewPCG(seed, 2)), s)
	})
}

func checkSets(t *testing.T, rng *rand.Rand, s small) {
	ra, rb := s.random(rng), s.random(rng)
	a, b := SetOf(ra...), SetOf(rb...)
	ma, mb := bitmapOf(ra, s), bitmapOf(rb, s)
	length := rng.IntN(5)
	clip, _ := Piece(s.whole, s.whole.Bits()+length, uint64(rng.IntN(1<<length)))
	union, common, only := a.Union(b), a.Intersect(b), a.Minus(b)
	counts := [4]int{}
	clipped := a.Clip(clip)
	s.each(func(x netip.Addr) {
		in := []bool{ma[x], ma[x] || mb[x], ma[x] && mb[x], ma[x] && !mb[x]}
		got := []bool{a.Contains(x), union.Contains(x), common.Contains(x), only.Contains(x)}
		if !slices.Equal(in, got) || clipped.Contains(x) != (ma[x] && clip.Contains(x)) {
			require.Fail(t, "wrong set", "%v and %v, within %s, at %s: %v, want %v", ra, rb, clip, x, got, in)
		}
		for i := range in {
			if in[i] {
				counts[i]++
			}
		}
	})
	for i, set := range []Set{a, union, common, only} {
		require.Equal(t, big.NewInt(int64(counts[i])), set.Count())
		requireFewest(t, set)
	}
	require.Equal(t, len(ma) == 1, a.IsSingle())
	require.Equal(t, counts[2] == len(mb), a.Covers(b), "%v and %v", ra, rb)
	require.True(t, a.Covers(common) && a.Covers(only) && union.Covers(b))
	require.True(t, a.Minus(a).Empty())
	require.Equal(t, counts[3] == 0 && counts[0] == len(mb), a.Equal(b))
	for range 8 { // a range against each of its addresses
		p := s.random(rng)
		if len(p) == 0 {
			continue
		}
		some, all := false, true
		s.each(func(x netip.Addr) {
			if p[0].Contains(x) {
				some, all = some || ma[x], all && ma[x]
			}
		})
		require.Equal(t, some, a.Overlaps(p[0]), "%v and %s", ra, p[0])
		require.Equal(t, all, a.ContainsRange(p[0]), "%v and %s", ra, p[0])
		require.Equal(t, a.Intersect(SetOf(p[0])), a.Clip(p[0]).Union(Set{}), "%v within %s", ra, p[0])
	}
	if first := a.First(); counts[0] > 0 {
		require.True(t, ma[first] && (!first.Prev().IsValid() || !ma[first.Prev()]))
		require.Equal(t, a.Intervals()[0].First, first)
	}
	require.True(t, SetOf(append([]netip.Prefix{{}}, ra...)...).Equal(a), "the zero Prefix is nothing")
	require.True(t, UnionOf(a.Intervals()...).Equal(a))
}

// requireFewest checks that Ranges gives exactly the set back, in order, and that no two of its blocks make one block.
func requireFewest(t *testing.T, s Set) {
	blocks := s.Ranges()
	require.True(t, SetOf(blocks...).Equal(s))
	for i, p := range blocks {
		require.Equal(t, p.Masked(), p)
		if i == 0 {
			continue
		}
		before := blocks[i-1]
		require.Negative(t, Compare(before, p))
		parent := netip.PrefixFrom(before.Addr(), before.Bits()-1).Masked()
		require.False(t, before.Bits() == p.Bits() && parent.Contains(p.Addr()), "%s and %s are one block", before, p)
	}
	for _, run := range s.Intervals() {
		require.False(t, s.Contains(run.Last.Next()), "the run from %s goes on", run.First)
	}
}

func TestSetAtTheEnds(t *testing.T) {
	everything := All()
	assert.Equal(t, "0.0.0.0/0 ::/0", everything.String())
	assert.Equal(t, "340282366920938463463374607436063178752", everything.Count().String())
	assert.True(t, everything.Minus(everything).Empty())
	last := netip.MustParseAddr("ffff:ffff:ffff:ffff:ffff:ffff:ffff:ffff")
	without := everything.Minus(SetOf(Single(last)))
	assert.False(t, without.Contains(last))
	assert.Len(t, without.Ranges(), 1+128)
	assert.Equal(t, "nothing", Set{}.String())
	assert.False(t, everything.Contains(netip.Addr{}))
	assert.False(t, everything.ContainsRange(netip.Prefix{}))
	assert.True(t, everything.Overlaps(netip.MustParsePrefix("10.0.0.0/8")))
	assert.Equal(t, netip.Addr{}, Set{}.First())
}

func TestPoolAgainstSearch(t *testing.T) {
	rng := rand.New(rand.NewPCG(5, 6))
	for round := range 400 {
		s := smalls[round%len(smalls)]
		width := s.whole.Addr().BitLen()
		free := SetOf(s.whole).Minus(SetOf(s.random(rng)...))
		pool := NewPool(free, width)
		for range 12 {
			length := s.whole.Bits() + 1 + rng.IntN(8)
			want, found := lowestFree(free, s, length)
			got, ok := pool.Take(length)
			require.Equal(t, found, ok, "a /%d of %s", length, free)
			if !found {
				continue
			}
			require.Equal(t, want, got, "the lowest /%d of %s", length, free)
			free = free.Minus(SetOf(got))
			require.True(t, pool.Free().Equal(free))
			largest, any := pool.Largest()
			require.Equal(t, !free.Empty(), any)
			if any {
				_, fits := lowestFree(free, s, largest)
				_, larger := lowestFree(free, s, max(largest-1, s.whole.Bits()))
				require.True(t, fits && (!larger || largest == s.whole.Bits()), "the largest of %s is no /%d", free, largest)
			}
		}
		for _, beyond := range []int{-1, width + 1} {
			_, ok := pool.Take(beyond)
			require.False(t, ok)
		}
		gone := s.random(rng)
		pool.Remove(gone...)
		require.True(t, pool.Free().Equal(free.Minus(SetOf(gone...))))
	}
}

// lowestFree tries every block of a length in order.
func lowestFree(free Set, s small, length int) (netip.Prefix, bool) {
	for i := range uint64(1) << (length - s.whole.Bits()) {
		p, _ := Piece(s.whole, length, i)
		fits := true
		for a := p.Addr(); a.IsValid() && p.Contains(a); a = a.Next() {
			fits = fits && free.Contains(a)
		}
		if fits {
			return p, true
		}
	}
	return netip.Prefix{}, false
}

func TestPairsAgainstAllPairs(t *testing.T) {
	rng := rand.New(rand.NewPCG(7, 8))
	for range 500 {
		var ranges []netip.Prefix
		for _, s := range smalls {
			ranges = append(ranges, s.random(rng)...)
			ranges = append(ranges, s.random(rng)...)
		}
		rng.Shuffle(len(ranges), func(i, j int) { ranges[i], ranges[j] = ranges[j], ranges[i] })
		got := map[string]bool{}
		Pairs(ranges, func(outer, inner int) bool {
			require.True(t, Covers(ranges[outer], ranges[inner]))
			key := fmt.Sprint(min(outer, inner), max(outer, inner))
			require.False(t, got[key], "the pair %s comes twice", key)
			got[key] = true
			return true
		})
		want := 0
		for i := range ranges {
			for j := range i {
				if ranges[i].Overlaps(ranges[j]) {
					want++
					require.True(t, got[fmt.Sprint(j, i)], "%s and %s", ranges[i], ranges[j])
				}
			}
		}
		require.Len(t, got, want)
	}
}

func TestTableAgainstSearch(t *testing.T) {
	rng := rand.New(rand.NewPCG(9, 10))
	for round := range 150 {
		s := smalls[round%len(smalls)]
		var table Table[int]
		var inserted []netip.Prefix
		for _, p := range append(s.random(rng), s.random(rng)...) {
			if table.Insert(p, len(inserted)) {
				inserted = append(inserted, p)
			}
		}
		table.Freeze()
		s.each(func(a netip.Addr) {
			best := -1
			for i, p := range inserted {
				if p.Contains(a) && (best < 0 || p.Bits() > inserted[best].Bits()) {
					best = i
				}
			}
			p, got, found := table.Lookup(a)
			require.Equal(t, best >= 0, found)
			if found {
				require.Equal(t, best, got)
				require.Equal(t, inserted[best], p)
			}
		})
	}
}

// TestClipKeepsFamiliesApart: the part of a set inside a range is of the range's family alone, also where all that the
// set has of it lies inside.
func TestClipKeepsFamiliesApart(t *testing.T) {
	p := netip.MustParsePrefix
	both := SetOf(p("10.0.0.0/8"), p("192.168.0.0/16"), p("fd00::/16"), p("2001:db8::/32"))
	for _, c := range []struct{ within, want string }{
		{"0.0.0.0/0", "10.0.0.0/8 192.168.0.0/16"},
		{"::/0", "2001:db8::/32 fd00::/16"},
		{"10.0.0.0/8", "10.0.0.0/8"},
		{"10.1.0.0/16", "10.1.0.0/16"},
		{"8.0.0.0/5", "10.0.0.0/8"},
		{"172.16.0.0/12", ""},
		{"fd00:1::/32", "fd00:1::/32"},
		{"2000::/3", "2001:db8::/32"},
	} {
		var want []netip.Prefix
		for _, w := range strings.Fields(c.want) {
			want = append(want, p(w))
		}
		got := both.Clip(p(c.within))
		assert.True(t, got.Equal(SetOf(want...)), "%s: %s", c.within, got)
		assert.True(t, got.Equal(both.Intersect(SetOf(p(c.within)))), c.within)
	}
	before := both.String()
	part := both.Clip(p("0.0.0.0/0"))
	_ = part.Union(SetOf(p("11.0.0.0/8"))).Minus(SetOf(p("10.0.0.0/9")))
	assert.Equal(t, before, both.String(), "a set that shares its parts with another is not changed by that")
	assert.True(t, Set{}.Clip(p("::/0")).Empty())
	assert.True(t, both.Clip(netip.Prefix{}).Empty())
}
