package address

import (
	"cmp"
	"container/heap"
	"net/netip"
	"slices"
	"sync"
)

// MaxRanges is the most ranges that Pairs takes.
const MaxRanges = 1 << indexBits

// Pairs calls yield for every pair of ranges that overlap, until yield returns false, and gives the number of all
// pairs, told or not. The first index is that of the range that holds the other (for equal ranges, the one that comes
// first in the list). Two CIDR blocks overlap only when one holds the other, so after sorting, the ranges open at any
// point are a stack: n ranges with k overlaps cost a sort and n+k steps, and the number alone a sort and n. Zero ranges
// overlap nothing. Of more than MaxRanges ranges the rest is left out.
func Pairs(ranges []netip.Prefix, yield func(outer, inner int) bool) (total uint64) {
	ranges = ranges[:min(len(ranges), MaxRanges)]
	v4, v6 := sorted(ranges)
	more := true
	total = stacked(v4, key4.holds, func(outer, inner key4) bool {
		more = yield(outer.index(), inner.index())
		return more
	})
	return total + stacked(v6, key6.holds, func(outer, inner key6) bool {
		more = more && yield(int(outer.at), int(inner.at))
		return more
	})
}

// key4 is an IPv4 range made ready for sorting, in one word: first address, length, and index, so that an outer range
// comes before an inner one, and of equal ranges the earlier.
type key4 uint64

const (
	lengthBits = 6
	indexBits  = 64 - 32 - lengthBits
)

func (a key4) index() int { return int(a & (1<<indexBits - 1)) }

func (a key4) length() int { return int(a >> indexBits & (1<<lengthBits - 1)) }

// holds reports whether a, which sorts before b, holds it.
func (a key4) holds(b key4) bool {
	shift := indexBits + lengthBits + 32 - a.length()
	return a>>shift == b>>shift
}

// key6 is an IPv6 range, likewise.
type key6 struct {
	first number
	at    uint32
	bits  uint8
}

func (a key6) compare(b key6) int {
	switch { // one comparison decides nearly always
	case a.first.hi != b.first.hi:
		return cmp.Compare(a.first.hi, b.first.hi)
	case a.first.lo != b.first.lo:
		return cmp.Compare(a.first.lo, b.first.lo)
	case a.bits != b.bits:
		return cmp.Compare(a.bits, b.bits)
	}
	return cmp.Compare(a.at, b.at)
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
			v4 = append(v4, key4(numberOf(p.Addr()).lo<<(64-32)|uint64(p.Bits())<<indexBits|uint64(i)))
		default:
			v6 = append(v6, key6{numberOf(p.Addr()), uint32(i), uint8(p.Bits())})
		}
	}
	var other sync.WaitGroup
	other.Go(func() { slices.SortFunc(v6, key6.compare) })
	slices.Sort(v4)
	other.Wait()
	return v4, v6
}

// stacked calls yield for every pair of sorted keys of which one holds the other, until it returns false, and counts
// them all.
func stacked[K any](keys []K, holds func(outer, inner K) bool, yield func(outer, inner K) bool) (total uint64) {
	var open []K
	more := true
	for _, k := range keys {
		for len(open) > 0 && !holds(open[len(open)-1], k) {
			open = open[:len(open)-1]
		}
		total += uint64(len(open))
		for i := 0; more && i < len(open); i++ {
			more = yield(open[i], k)
		}
		open = append(open, k)
	}
	return total
}

// PairsOfIntervals calls yield for every pair of intervals that share an address, until yield returns false, and gives
// the number of all pairs; the one that starts first comes first. Intervals need not nest, so those that are open wait
// in a heap by their last address: n intervals with k overlaps cost O(n log n + k).
func PairsOfIntervals(all []Interval, yield func(a, b int) bool) (total uint64) {
	order := make([]uint32, len(all))
	for i := range order {
		order[i] = uint32(i)
	}
	slices.SortFunc(order, func(a, b uint32) int {
		x, y := all[a], all[b]
		return cmp.Or(x.First.Compare(y.First), y.Last.Compare(x.Last), cmp.Compare(a, b))
	})
	open, more := &openIntervals{all: all}, true
	for _, i := range order {
		// Addresses of IPv4 sort before those of IPv6, so no interval reaches into the other family.
		for len(open.index) > 0 && all[open.index[0]].Last.Less(all[i].First) {
			heap.Pop(open)
		}
		total += uint64(len(open.index))
		for j := 0; more && j < len(open.index); j++ {
			more = yield(int(open.index[j]), int(i))
		}
		heap.Push(open, i)
	}
	return total
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
