package address

import (
	"net/netip"
	"slices"
)

// Pairs calls yield for every pair of ranges that overlap, until yield returns false. The first index is that of the
// range that holds the other (for equal ranges, the one that comes first in the list). Two CIDR blocks overlap only
// when one holds the other, so after sorting, the ranges open at any point are a stack: n ranges with k overlaps cost
// a sort and n+k steps.
func Pairs(ranges []netip.Prefix, yield func(outer, inner int) bool) {
	order := make([]int32, len(ranges))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int {
		if c := Compare(ranges[a], ranges[b]); c != 0 {
			return c
		}
		return int(a - b)
	})
	var open []int32
	for _, i := range order {
		for len(open) > 0 && !ranges[open[len(open)-1]].Overlaps(ranges[i]) {
			open = open[:len(open)-1]
		}
		for _, o := range open {
			if !yield(int(o), int(i)) {
				return
			}
		}
		open = append(open, i)
	}
}
