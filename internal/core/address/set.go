package address

import (
	"math/big"
	"net/netip"
	"slices"
	"sort"
	"strings"
)

// A Set is a set of IPv4 and IPv6 addresses. The zero Set is empty. A Set is never changed once made, so that it
// can be shared; every operation takes time linear in the number of intervals of its operands.
type Set struct{ v4, v6 []span }

// An Interval is a run of addresses of one family, both ends included.
type Interval struct{ First, Last netip.Addr }

// span is an interval of one family. The spans of a Set are sorted, and never overlap or touch.
type span struct{ first, last number }

func spanOf(p netip.Prefix) span {
	n := numberOf(p.Addr())
	return span{n, n.or(ones(p.Addr().BitLen() - p.Bits()))}
}

// SetOf is the union of the given ranges. Zero ranges count as empty.
func SetOf(ranges ...netip.Prefix) Set {
	var s Set
	for _, p := range ranges {
		switch {
		case !p.IsValid():
		case p.Addr().Is4():
			s.v4 = append(s.v4, spanOf(p.Masked()))
		default:
			s.v6 = append(s.v6, spanOf(p.Masked()))
		}
	}
	return Set{normal(s.v4), normal(s.v6)}
}

// All is every IPv4 and every IPv6 address.
func All() Set {
	return SetOf(netip.PrefixFrom(netip.IPv4Unspecified(), 0), netip.PrefixFrom(netip.IPv6Unspecified(), 0))
}

// normal sorts spans in place and joins those that overlap or touch.
func normal(spans []span) []span {
	slices.SortFunc(spans, func(a, b span) int { return a.first.cmp(b.first) })
	out := spans[:0]
	for _, s := range spans {
		out = behind(out, s)
	}
	return slices.Clip(out)
}

// behind are spans in order with one more, which starts no earlier than the last of them: joined with that where the two overlap or touch.
func behind(out []span, s span) []span {
	n := len(out)
	if n == 0 || !touches(out[n-1], s) {
		return append(out, s)
	}
	if out[n-1].last.less(s.last) {
		out[n-1].last = s.last
	}
	return out
}

// touches reports whether b, which starts no earlier than a, overlaps a or follows it without a gap.
func touches(a, b span) bool {
	return !a.last.less(b.first) || a.last.next() == b.first
}

// Union is every address that is in s or in t.
func (s Set) Union(t Set) Set { return Set{joined(s.v4, t.v4), joined(s.v6, t.v6)} }

// Minus is every address that is in s and not in t.
func (s Set) Minus(t Set) Set { return Set{subtract(s.v4, t.v4), subtract(s.v6, t.v6)} }

// Intersect is every address that is in both s and t.
func (s Set) Intersect(t Set) Set { return Set{common(s.v4, t.v4), common(s.v6, t.v6)} }

// joined merges the spans of two sets, both in order.
func joined(a, b []span) []span {
	switch {
	case len(a) == 0:
		return b
	case len(b) == 0 || same(a, b):
		return a
	}
	out := make([]span, 0, len(a)+len(b))
	for len(a) > 0 || len(b) > 0 {
		from := &a
		if len(a) == 0 || len(b) > 0 && b[0].first.less(a[0].first) {
			from = &b
		}
		out = behind(out, (*from)[0])
		*from = (*from)[1:]
	}
	return slices.Clip(out)
}

// same reports whether two lists, which are not empty, are one, or alike.
func same(a, b []span) bool { return len(a) == len(b) && (&a[0] == &b[0] || slices.Equal(a, b)) }

// around leaves out of a list what lies before and behind another, of which there is at least one.
func around(a, b []span) []span {
	from := sort.Search(len(a), func(i int) bool { return !a[i].last.less(b[0].first) })
	to := sort.Search(len(a), func(i int) bool { return b[len(b)-1].last.less(a[i].first) })
	return a[from:max(from, to)]
}

func subtract(a, b []span) []span {
	if len(a) == 0 || len(b) == 0 {
		return a
	}
	if b = around(b, a); len(b) == 0 {
		return a
	} else if same(a, b) {
		return nil
	}
	var out []span
	for _, s := range a {
		for len(b) > 0 && b[0].last.less(s.first) {
			b = b[1:]
		}
		left := true // whether some of s is still to be kept
		for _, cut := range b {
			if s.last.less(cut.first) {
				break
			}
			if s.first.less(cut.first) {
				out = append(out, span{s.first, cut.first.prev()})
			}
			if !cut.last.less(s.last) {
				left = false
				break
			}
			s.first = cut.last.next()
		}
		if left {
			out = append(out, s)
		}
	}
	return out
}

func common(a, b []span) []span {
	if len(a) == 0 || len(b) == 0 {
		return nil
	}
	if same(a, b) {
		return a
	}
	if a = around(a, b); len(a) == 0 {
		return nil
	}
	if b = around(b, a); len(b) == 1 && !a[0].first.less(b[0].first) && !b[0].last.less(a[len(a)-1].last) {
		return slices.Clip(a) // all of it
	}
	out := make([]span, 0, max(len(a), len(b)))
	for len(a) > 0 && len(b) > 0 {
		first, last := a[0].first, a[0].last
		if first.less(b[0].first) {
			first = b[0].first
		}
		if b[0].last.less(last) {
			last = b[0].last
		}
		if !last.less(first) {
			out = append(out, span{first, last})
		}
		if a[0].last.less(b[0].last) {
			a = a[1:]
		} else {
			b = b[1:]
		}
	}
	return slices.Clip(out)
}

// Empty reports whether s holds no address.
func (s Set) Empty() bool { return len(s.v4) == 0 && len(s.v6) == 0 }

// Equal reports whether s and t hold the same addresses.
func (s Set) Equal(t Set) bool { return slices.Equal(s.v4, t.v4) && slices.Equal(s.v6, t.v6) }

// Contains reports whether a is in s; the zero Addr is in no Set.
func (s Set) Contains(a netip.Addr) bool {
	return a.IsValid() && s.family(a).holds(span{numberOf(a), numberOf(a)})
}

// ContainsRange reports whether every address of p is in s; the zero Prefix is in no Set.
func (s Set) ContainsRange(p netip.Prefix) bool {
	return p.IsValid() && s.family(p.Addr()).holds(spanOf(p))
}

// Covers reports whether every address of t is in s.
func (s Set) Covers(t Set) bool {
	return covers(s.v4, t.v4) && covers(s.v6, t.v6)
}

func covers(a, b []span) bool {
	for _, x := range b {
		for len(a) > 0 && a[0].last.less(x.first) {
			a = a[1:]
		}
		if len(a) == 0 || x.first.less(a[0].first) || a[0].last.less(x.last) {
			return false
		}
	}
	return true
}

// Overlaps reports whether some address of p is in s.
func (s Set) Overlaps(p netip.Prefix) bool {
	if !p.IsValid() {
		return false
	}
	want := spanOf(p)
	spans := s.family(p.Addr())
	i := spans.search(want.last)
	return i >= 0 && !spans[i].last.less(want.first)
}

type spanList []span

func (s Set) family(a netip.Addr) spanList {
	if a.Is4() {
		return s.v4
	}
	return s.v6
}

// search is the index of the last span that starts at or before n, or -1.
func (l spanList) search(n number) int {
	i, found := slices.BinarySearchFunc(l, n, func(s span, n number) int { return s.first.cmp(n) })
	if found {
		return i
	}
	return i - 1
}

func (l spanList) holds(want span) bool {
	i := l.search(want.first)
	return i >= 0 && !l[i].last.less(want.last)
}

// IsSingle reports whether s holds exactly one address.
func (s Set) IsSingle() bool {
	all := s.v4
	if len(all) == 0 {
		all = s.v6
	}
	return len(s.v4)+len(s.v6) == 1 && all[0].first == all[0].last
}

// First is the lowest address of s, IPv4 before IPv6; the zero Addr when s is empty.
func (s Set) First() netip.Addr {
	switch {
	case len(s.v4) > 0:
		return s.v4[0].first.addr(32)
	case len(s.v6) > 0:
		return s.v6[0].first.addr(128)
	}
	return netip.Addr{}
}

// Count is how many addresses s holds.
func (s Set) Count() *big.Int {
	n := new(big.Int)
	for _, l := range [][]span{s.v4, s.v6} {
		for _, x := range l {
			n.Add(n, x.last.minus(x.first).big())
			n.Add(n, big.NewInt(1))
		}
	}
	return n
}

// Intervals are the maximal runs of s in order, IPv4 first.
func (s Set) Intervals() []Interval {
	out := make([]Interval, 0, len(s.v4)+len(s.v6))
	for _, x := range s.v4 {
		out = append(out, Interval{x.first.addr(32), x.last.addr(32)})
	}
	for _, x := range s.v6 {
		out = append(out, Interval{x.first.addr(128), x.last.addr(128)})
	}
	return out
}

// Ranges are the fewest CIDR blocks that hold exactly the addresses of s, in order, IPv4 first.
func (s Set) Ranges() []netip.Prefix {
	var out []netip.Prefix
	for _, x := range s.v4 {
		out = appendBlocks(out, x, 32)
	}
	for _, x := range s.v6 {
		out = appendBlocks(out, x, 128)
	}
	return out
}

// appendBlocks cuts one span into the fewest aligned blocks: each time the largest that starts here and fits.
func appendBlocks(out []netip.Prefix, s span, width int) []netip.Prefix {
	for {
		host := min(s.first.zeros(), s.last.minus(s.first).floorLog(), width)
		out = append(out, netip.PrefixFrom(s.first.addr(width), width-host))
		end := s.first.or(ones(host))
		if !end.less(s.last) {
			return out
		}
		s.first = end.next()
	}
}

// String lists the ranges of s with spaces between, "nothing" when it is empty.
func (s Set) String() string {
	if s.Empty() {
		return "nothing"
	}
	var words []string
	for _, p := range s.Ranges() {
		words = append(words, p.String())
	}
	return strings.Join(words, " ")
}

// Clip is the part of s inside p. It takes time in proportion to the result and the logarithm of s.
func (s Set) Clip(p netip.Prefix) Set {
	if !p.IsValid() {
		return Set{}
	}
	want := spanOf(p)
	spans := s.family(p.Addr())
	if n := len(spans); n > 0 && !spans[0].first.less(want.first) && !want.last.less(spans[n-1].last) {
		if p.Addr().Is4() { // all of the family lies inside, and a set never changes
			return Set{v4: s.v4}
		}
		return Set{v6: s.v6}
	}
	from := max(spans.search(want.first), 0)
	to := spans.search(want.last) + 1
	part := common(spans[min(from, to):to], []span{want})
	if p.Addr().Is4() {
		return Set{v4: part}
	}
	return Set{v6: part}
}
