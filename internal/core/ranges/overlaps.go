package ranges

import (
	"cmp"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
)

// Kind says how two ranges overlap.
type Kind string

// The kinds of overlap.
const (
	Same    Kind = "same"    // both are the same range
	Partial Kind = "partial" // each has addresses that the other has not
	Inside  Kind = "inside"  // one lies in the other
)

// Pair is two entries of a list whose ranges overlap; A comes first in the order of addresses, and holds B where one
// holds the other.
type Pair struct {
	A, B   *Entry
	Kind   Kind
	Shared address.Interval
}

// Overlaps finds the pairs of entries that overlap, up to limit of them, with the same ranges first, then those that
// overlap in part, then those that lie in each other, each in the order of addresses. Total is how many there are.
func (l *List) Overlaps(limit int) (pairs []Pair, total uint64) {
	tell := func(a, b int) bool {
		pairs = append(pairs, l.pair(a, b))
		return len(pairs) < limit
	}
	if blocks, all := l.blocks(); all {
		total = address.Pairs(blocks, tell)
	} else {
		intervals := make([]address.Interval, len(l.Entries))
		for i := range l.Entries {
			intervals[i] = l.Entries[i].Interval
		}
		total = address.PairsOfIntervals(intervals, tell)
	}
	rank := map[Kind]int{Same: 0, Partial: 1, Inside: 2}
	slices.SortStableFunc(pairs, func(p, q Pair) int { return cmp.Compare(rank[p.Kind], rank[q.Kind]) })
	return pairs, total
}

// blocks are the entries as CIDR blocks, and whether all of them are.
func (l *List) blocks() (blocks []netip.Prefix, all bool) {
	blocks = make([]netip.Prefix, len(l.Entries))
	for i := range l.Entries {
		p, is := l.Entries[i].Block()
		if !is {
			return nil, false
		}
		blocks[i] = p
	}
	return blocks, true
}

// pair tells how two entries overlap; a starts no later than b.
func (l *List) pair(a, b int) Pair {
	x, y := &l.Entries[a], &l.Entries[b]
	p := Pair{A: x, B: y, Shared: address.Interval{First: y.First, Last: y.Last}}
	switch {
	case x.Interval == y.Interval:
		p.Kind = Same
	case !x.Last.Less(y.Last):
		p.Kind = Inside
	case x.First == y.First:
		p.Kind, p.A, p.B, p.Shared = Inside, y, x, x.Interval
	default:
		p.Kind, p.Shared.Last = Partial, x.Last
	}
	return p
}
