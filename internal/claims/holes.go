package claims

import (
	"context"
	"database/sql"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
)

// This file finds the place of a claim in what is free of a block.

// choose takes a range out of the first hole that has one for a wish: of those of one size the one nearest to its kin.
func (s *Store) choose(ctx context.Context, tx *sql.Tx, c *Claim, holes []netip.Prefix, block netip.Prefix, w Wish, kin netip.Addr, key string) (found, busy bool, err error) {
	if kin.IsValid() {
		slices.SortStableFunc(holes, func(a, b netip.Prefix) int {
			if a.Bits() != b.Bits() {
				return b.Bits() - a.Bits()
			}
			return common(b.Addr(), kin) - common(a.Addr(), kin)
		})
	}
	var fitting []netip.Prefix
	ranges := map[netip.Prefix]netip.Prefix{} // by hole, what would be taken of it
	for _, hole := range holes {
		part := hole
		if part.Bits() < block.Bits() { // the block lies in the hole
			part = block
		}
		if p, fits := fit(part, w.Bits, w.Avoid); fits {
			fitting, ranges[hole] = append(fitting, hole), p
		}
	}
	if len(fitting) == 0 {
		return false, false, nil
	}
	hole, ok, err := s.say.lockFirst(ctx, tx, fitting)
	if err != nil || !ok {
		return false, true, err
	}
	c.Range = ranges[hole]
	ok, err = s.say.take(ctx, tx, hole, rest(hole, c.Range), *c, key)
	return ok, !ok, err
}

// fit is the first aligned range of a length in a free one that avoids a set.
func fit(free netip.Prefix, bits int, avoid address.Set) (netip.Prefix, bool) {
	left := address.SetOf(free)
	if taken := avoid.Clip(free); !taken.Empty() {
		left = left.Minus(taken)
	}
	best, found := netip.Prefix{}, false
	for _, p := range left.Ranges() {
		if p.Bits() <= bits && (!found || p.Bits() > best.Bits()) { // the smallest that has room
			best, found = p, true
		}
	}
	return netip.PrefixFrom(best.Addr(), bits), found
}

// common is how many bits two addresses begin alike.
func common(a, b netip.Addr) int {
	if a.BitLen() != b.BitLen() {
		return 0
	}
	x, y := a.AsSlice(), b.AsSlice()
	n := 0
	for i := range x {
		for bit := byte(0x80); bit > 0; bit >>= 1 {
			if x[i]&bit != y[i]&bit {
				return n
			}
			n++
		}
	}
	return n
}

// rest is what is left of a hole of which a range is taken, as holes.
func rest(hole, p netip.Prefix) []netip.Prefix {
	var all []netip.Prefix
	for bits := hole.Bits() + 1; bits <= p.Bits(); bits++ {
		all = append(all, other(netip.PrefixFrom(p.Addr(), bits).Masked()))
	}
	return all
}

// other is the other half of the range that is twice as large.
func other(p netip.Prefix) netip.Prefix {
	b := p.Addr().AsSlice()
	i := p.Bits() - 1
	b[i/8] ^= 0x80 >> (i % 8)
	a, _ := netip.AddrFromSlice(b)
	return netip.PrefixFrom(a, p.Bits())
}
