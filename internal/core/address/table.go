package address

import (
	"net/netip"
	"slices"
)

// A Table finds the longest range that holds an address (RFC 4632 section 5.1). The zero Table is empty. It keeps one
// map for all ranges and the lengths that occur, so that a lookup costs one probe for each length in use.
type Table[V any] struct {
	ranges  map[netip.Prefix]V
	lengths [2][]int // of IPv4 and IPv6, longest first
}

// Insert adds a range with its value, unless the very same range is there already; it reports whether it was added.
func (t *Table[V]) Insert(p netip.Prefix, v V) bool {
	if _, found := t.ranges[p]; found {
		return false
	}
	if t.ranges == nil {
		t.ranges = map[netip.Prefix]V{}
	}
	t.ranges[p] = v
	lengths := &t.lengths[familyIndex(p.Addr())]
	if i, found := slices.BinarySearchFunc(*lengths, p.Bits(), func(a, b int) int { return b - a }); !found {
		*lengths = slices.Insert(*lengths, i, p.Bits())
	}
	return true
}

// Lookup gives the longest range that holds a, its value, and whether there is one.
func (t *Table[V]) Lookup(a netip.Addr) (netip.Prefix, V, bool) {
	for _, length := range t.lengths[familyIndex(a)] {
		p, err := a.Prefix(length)
		if err != nil {
			break
		}
		if v, found := t.ranges[p]; found {
			return p, v, true
		}
	}
	var none V
	return netip.Prefix{}, none, false
}

func familyIndex(a netip.Addr) int {
	if a.Is4() {
		return 0
	}
	return 1
}
