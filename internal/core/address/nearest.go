package address

import "net/netip"

// Nearest is the free block of the length of p that starts nearest to where p does, the lower of two that are equally
// near, and whether there is one.
func Nearest(free Set, p netip.Prefix) (netip.Prefix, bool) {
	width, start := p.Addr().BitLen(), numberOf(p.Addr())
	size := ones(width - p.Bits())
	var best number
	found := false
	for _, s := range free.family(p.Addr()) {
		// The first and the last place in this run where a block can start.
		first := s.first.plusNumber(size).and(size.not())
		last := s.last.next().minus(size.next()).and(size.not())
		if first.less(s.first) || s.last.less(first.or(size)) || s.last.next() == (number{}) && last.less(s.first) {
			continue
		}
		if s.last.next() == (number{}) {
			last = s.last.and(size.not())
		}
		candidate := start.and(size.not())
		switch {
		case candidate.less(first):
			candidate = first
		case last.less(candidate):
			candidate = last
		}
		if !found || distance(candidate, start).less(distance(best, start)) {
			best, found = candidate, true
		}
	}
	return netip.PrefixFrom(best.addr(width), p.Bits()), found
}

// distance is how far apart two numbers are.
func distance(a, b number) number {
	if a.less(b) {
		return b.minus(a)
	}
	return a.minus(b)
}
