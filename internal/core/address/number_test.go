package address

import (
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
)

// TestNumbersAgainstBig holds the arithmetic of 128 bits against whole numbers without bounds, on numbers that crowd round
// the ends of both halves.
func TestNumbersAgainstBig(t *testing.T) {
	rng := rand.New(rand.NewPCG(31, 32))
	half := func() uint64 {
		return []uint64{0, 1, 2, 1 << 31, 1 << 32, 1 << 63, ^uint64(0), ^uint64(1), rng.Uint64()}[rng.IntN(9)]
	}
	one, all := big.NewInt(1), new(big.Int).Lsh(big.NewInt(1), 128)
	same := func(want *big.Int, got number, what string, args ...any) {
		require.Equal(t, new(big.Int).Mod(want, all).String(), got.big().String(), append([]any{what}, args...)...)
	}
	for range 20_000 {
		n, m, k := number{half(), half()}, number{half(), half()}, rng.IntN(129)
		a, b := n.big(), m.big()
		require.Equal(t, a.Cmp(b), n.cmp(m))
		require.Equal(t, a.Cmp(b) < 0, n.less(m))
		same(new(big.Int).Add(a, one), n.next(), "next")
		same(new(big.Int).Sub(a, one), n.prev(), "prev")
		same(new(big.Int).Sub(a, b), n.minus(m), "minus")
		same(new(big.Int).Add(a, new(big.Int).SetUint64(m.lo)), n.plus(m.lo), "plus")
		same(new(big.Int).Add(a, b), n.plusNumber(m), "plusNumber")
		same(new(big.Int).Or(a, b), n.or(m), "or")
		same(new(big.Int).And(a, b), n.and(m), "and")
		same(new(big.Int).Not(a), n.not(), "not")
		same(new(big.Int).Lsh(a, uint(k)), n.shiftLeft(k), "%v << %d", n, k)
		same(new(big.Int).Rsh(a, uint(k)), n.shiftRight(k), "%v >> %d", n, k)
		same(new(big.Int).Sub(new(big.Int).Lsh(one, uint(k)), one), ones(k), "%d ones", k)
		require.Equal(t, a.BitLen(), n.length())
		require.Equal(t, new(big.Int).Add(a, one).BitLen()-1, n.floorLog(), "%v", n)
		zeros := 128
		if n != (number{}) {
			zeros = int(a.TrailingZeroBits())
		}
		require.Equal(t, zeros, n.zeros())
		require.Equal(t, n, numberOf(n.addr(128)))
		v4 := number{0, n.lo & 0xffffffff}
		require.Equal(t, v4, numberOf(v4.addr(32)))
		require.True(t, v4.addr(32).Is4() && n.addr(128).Is6())
	}
}

// TestTableRuns: the runs that take the same range, put together, say of each address what Lookup does; each begins where
// the one before it ends, and values that are changed are those that are given.
func TestTableRuns(t *testing.T) {
	rng := rand.New(rand.NewPCG(33, 34))
	for round := range 200 {
		var table Table[int]
		for i := range 1 + rng.IntN(8) {
			s := smalls[(round+i)%len(smalls)]
			for _, p := range s.random(rng) {
				table.Insert(p, rng.IntN(100))
			}
		}
		table.Freeze()
		table.Update(func(p netip.Prefix, v int) int { return 1000*v + p.Bits() })
		type run struct {
			first netip.Addr
			value int
			found bool
		}
		var runs []run
		table.Each(func(first netip.Addr, v int, found bool) { runs = append(runs, run{first, v, found}) })
		require.True(t, slices.IsSortedFunc(runs, func(a, b run) int { return a.first.Compare(b.first) }))
		require.Equal(t, netip.IPv4Unspecified(), runs[0].first)
		six := slices.IndexFunc(runs, func(r run) bool { return r.first.Is6() })
		require.Equal(t, netip.IPv6Unspecified(), runs[six].first)
		for _, s := range smalls {
			s.each(func(a netip.Addr) {
				i := len(runs) - 1
				for runs[i].first.BitLen() != a.BitLen() || a.Less(runs[i].first) {
					i--
				}
				p, v, found := table.Lookup(a)
				require.Equal(t, run{runs[i].first, v, found}, runs[i], "%s, of %s", a, p)
				require.True(t, !found || v%1000 == p.Bits(), "the value is that which Update made")
			})
		}
	}
	var empty Table[int]
	require.False(t, empty.Insert(netip.Prefix{}, 1), "the zero Prefix is no range")
	empty.Freeze()
	_, _, found := empty.Lookup(netip.MustParseAddr("10.0.0.1"))
	require.False(t, found)
	require.True(t, empty.Insert(netip.MustParsePrefix("10.0.0.0/8"), 1))
	require.False(t, empty.Insert(netip.MustParsePrefix("10.0.0.0/8"), 2), "the first of two stays")
	empty.Freeze()
	_, v, _ := empty.Lookup(netip.MustParseAddr("10.255.255.255"))
	require.Equal(t, 1, v)
	_, _, found = empty.Lookup(netip.MustParseAddr("11.0.0.0"))
	require.False(t, found)
}
