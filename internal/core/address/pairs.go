package address

import (
	"cmp"
	"container/heap"
	"net/netip"
	"slices"
)

// Pairs calls yield for every pair of ranges that overlap, until yield returns false. The first index is that of the
// range that holds the other (for equal ranges, the one that comes first in the list). Two CIDR blocks overlap only
// when one holds the other, so after sorting, the ranges open at any point are a stack: n ranges with k overlaps cost
// a sort and n+k steps. Zero ranges overlap nothing.
func Pairs(ranges []netip.Prefix, yield func(outer, inner int) bool) {
	v4, v6 := sorted(ranges)
	stacked(v4, func(outer, inner key4) bool { return yield(int(outer.index), int(inner.index)) })
	stacked(v6, func(outer, inner key6) bool { return yield(int(outer.index), int(inner.index)) })
}

// CountPairs is how many pairs of ranges overlap. It costs a sort and n steps, however many there are.
func CountPairs(ranges []netip.Prefix) (pairs uint64) {
	v4, v6 := sorted(ranges)
	return depths(v4) + depths(v6)
}

// sortKey is a range made ready for sorting: outer before inner, and equal ones in the order of the list.
type sortKey[K any] interface {
	key4 | key6
	compare(K) int
	holds(K) bool
}

// key4 is an IPv4 range: first address and length in one number, so that sorting compares single words.
type key4 struct {
	word  uint64 // first address << 8 | length
	index uint32
}

func (a key4) compare(b key4) int {
	return cmp.Or(cmp.Compare(a.word, b.word), cmp.Compare(a.index, b.index))
}

// holds reports whether a, which sorts before b, holds it.
func (a key4) holds(b key4) bool {
	shift := 40 - a.word&0xff
	return a.word>>shift == b.word>>shift
}

// key6 is an IPv6 range.
type key6 struct {
	first number
	index uint32
	bits  uint8
}

func (a key6) compare(b key6) int {
	return cmp.Or(cmp.Compare(a.first.hi, b.first.hi), cmp.Compare(a.first.lo, b.first.lo), cmp.Compare(a.bits, b.bits), cmp.Compare(a.index, b.index))
}

func (a key6) holds(b key6) bool { return !a.first.or(ones(128 - int(a.bits))).less(b.first) }

// sorted makes the sorted keys of both families.
func sorted(ranges []netip.Prefix) (v4 []key4, v6 []key6) {
	n4 := 0
	for _, p := range ranges {
		if p.Addr().Is4() {
			n4++
		}
	}
	v4, v6 = make([]key4, 0, n4), make([]key6, 0, len(ranges)-n4)
	for i, p := range ranges {
		switch {
		case !p.IsValid():
		case p.Addr().Is4():
			v4 = append(v4, key4{numberOf(p.Addr()).lo<<8 | uint64(p.Bits()), uint32(i)})
		default:
			v6 = append(v6, key6{numberOf(p.Addr()), uint32(i), uint8(p.Bits())})
		}
	}
	slices.SortFunc(v4, key4.compare)
	slices.SortFunc(v6, key6.compare)
	return v4, v6
}

// stacked calls yield for every pair of sorted keys of which one holds the other.
func stacked[K sortKey[K]](keys []K, yield func(outer, inner K) bool) {
	var open []K
	for _, k := range keys {
		for len(open) > 0 && !open[len(open)-1].holds(k) {
			open = open[:len(open)-1]
		}
		for _, o := range open {
			if !yield(o, k) {
				return
			}
		}
		open = append(open, k)
	}
}

// depths sums up in how many of the keys before it each key lies.
func depths[K sortKey[K]](keys []K) (sum uint64) {
	var open []K
	for _, k := range keys {
		for len(open) > 0 && !open[len(open)-1].holds(k) {
			open = open[:len(open)-1]
		}
		sum += uint64(len(open))
		open = append(open, k)
	}
	return sum
}

// PairsOfIntervals calls yield for every pair of intervals that share an address, until yield returns false; the one
// that starts first comes first. Intervals need not nest, so those that are open wait in a heap by their last address:
// n intervals with k overlaps cost O(n log n + k).
func PairsOfIntervals(all []Interval, yield func(a, b int) bool) {
	order := make([]uint32, len(all))
	for i := range order {
		order[i] = uint32(i)
	}
	slices.SortFunc(order, func(a, b uint32) int {
		x, y := all[a], all[b]
		return cmp.Or(x.First.Compare(y.First), y.Last.Compare(x.Last), cmp.Compare(a, b))
	})
	open := &openIntervals{all: all}
	for _, i := range order {
		for len(open.index) > 0 && all[open.index[0]].Last.Less(all[i].First) {
			heap.Pop(open)
		}
		for _, o := range open.index {
			// Addresses of IPv4 sort before those of IPv6, so an IPv4 interval never reaches past the others.
			if !yield(int(o), int(i)) {
				return
			}
		}
		heap.Push(open, i)
	}
}

// openIntervals is a heap of intervals, the one that ends first on top.
type openIntervals struct {
	all   []Interval
	index []uint32
}

func (h *openIntervals) Len() int { return len(h.index) }
func (h *openIntervals) Less(i, j int) bool {
	return h.all[h.index[i]].Last.Less(h.all[h.index[j]].Last)
}
func (h *openIntervals) Swap(i, j int) { h.index[i], h.index[j] = h.index[j], h.index[i] }
func (h *openIntervals) Push(x any)    { h.index = append(h.index, x.(uint32)) }
func (h *openIntervals) Pop() any {
	last := h.index[len(h.index)-1]
	h.index = h.index[:len(h.index)-1]
	return last
}
