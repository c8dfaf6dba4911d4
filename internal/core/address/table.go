package address

import (
	"net/netip"
	"slices"
)

// A Table finds the longest range that holds an address (RFC 4632 section 5.1). The zero Table is empty. Ranges are
// inserted first; Freeze then cuts the addresses into segments that take the same range, so that a lookup is one
// binary search. A frozen Table is never changed, and can be asked by many at once.
type Table[V any] struct {
	entries []entry[V]
	known   map[netip.Prefix]int32
	v4      []segment4
	v6      []segment6
}

type entry[V any] struct {
	to    netip.Prefix
	value V
}

// segment4 is a run of IPv4 addresses that starts at first, and the entry that they take; -1 for none.
type segment4 struct {
	first uint32
	entry int32
}

type segment6 struct {
	first number
	entry int32
}

// Insert adds a range with its value, unless the very same range is there already; it reports whether it was added.
// The table must be frozen anew before the next lookup.
func (t *Table[V]) Insert(p netip.Prefix, v V) bool {
	if _, found := t.known[p]; found || !p.IsValid() {
		return false
	}
	if t.known == nil {
		t.known = map[netip.Prefix]int32{}
	}
	t.known[p] = int32(len(t.entries))
	t.entries = append(t.entries, entry[V]{p, v})
	return true
}

// Get gives the value of the very range, and whether the table has it.
func (t *Table[V]) Get(p netip.Prefix) (v V, found bool) {
	i, found := t.known[p]
	if found {
		v = t.entries[i].value
	}
	return v, found
}

// Update changes every value to what f makes of its range and the value so far.
func (t *Table[V]) Update(f func(netip.Prefix, V) V) {
	for i := range t.entries {
		t.entries[i].value = f(t.entries[i].to, t.entries[i].value)
	}
}

// Freeze makes the table ready for lookups.
func (t *Table[V]) Freeze() {
	t.v4, t.v6 = t.v4[:0], t.v6[:0]
	order := make([]int32, len(t.entries))
	for i := range order {
		order[i] = int32(i)
	}
	slices.SortFunc(order, func(a, b int32) int { return Compare(t.entries[a].to, t.entries[b].to) })
	var open []int32 // the entries that hold the address where the sweep is, outermost first
	// leave ends the entries that do not reach as far as the start of the next range; the zero Prefix ends all.
	leave := func(next netip.Prefix) {
		for len(open) > 0 {
			top := t.entries[open[len(open)-1]].to
			if next.IsValid() && top.Overlaps(next) {
				return
			}
			open = open[:len(open)-1]
			outer := int32(-1)
			if len(open) > 0 {
				outer = open[len(open)-1]
			}
			if after := Last(top).Next(); after.IsValid() {
				t.start(after, outer)
			}
		}
	}
	for _, i := range order {
		p := t.entries[i].to
		leave(p)
		open = append(open, i)
		t.start(p.Addr(), i)
	}
	leave(netip.Prefix{})
	t.v4, t.v6 = slices.Clip(t.v4), slices.Clip(t.v6)
}

// start begins a segment; one that begins at the same address gives way.
func (t *Table[V]) start(a netip.Addr, entry int32) {
	if a.Is4() {
		first := uint32(numberOf(a).lo)
		if n := len(t.v4); n > 0 && t.v4[n-1].first == first {
			t.v4 = t.v4[:n-1]
		}
		t.v4 = append(t.v4, segment4{first, entry})
		return
	}
	first := numberOf(a)
	if n := len(t.v6); n > 0 && t.v6[n-1].first == first {
		t.v6 = t.v6[:n-1]
	}
	t.v6 = append(t.v6, segment6{first, entry})
}

// Lookup gives the longest range that holds a, its value, and whether there is one.
func (t *Table[V]) Lookup(a netip.Addr) (netip.Prefix, V, bool) {
	if i := t.find(a); i >= 0 {
		e := &t.entries[i]
		return e.to, e.value, true
	}
	var none V
	return netip.Prefix{}, none, false
}

// Each gives the runs of addresses that take the same range, in order, IPv4 first: each by its first address, with the
// value of the range and whether there is one. Each family starts at its first address.
func (t *Table[V]) Each(give func(first netip.Addr, v V, found bool)) {
	each := func(first netip.Addr, i int32) {
		if i >= 0 {
			give(first, t.entries[i].value, true)
			return
		}
		var none V
		give(first, none, false)
	}
	if len(t.v4) == 0 || t.v4[0].first != 0 {
		each(netip.IPv4Unspecified(), -1)
	}
	for _, s := range t.v4 {
		each(number{lo: uint64(s.first)}.addr(32), s.entry)
	}
	if len(t.v6) == 0 || t.v6[0].first != (number{}) {
		each(netip.IPv6Unspecified(), -1)
	}
	for _, s := range t.v6 {
		each(s.first.addr(128), s.entry)
	}
}

// find is the number of the entry that holds a, or -1.
func (t *Table[V]) find(a netip.Addr) int32 {
	n := numberOf(a)
	if a.Is4() {
		key := uint32(n.lo)
		lo, hi := 0, len(t.v4)
		for lo < hi {
			if mid := int(uint(lo+hi) >> 1); t.v4[mid].first <= key {
				lo = mid + 1
			} else {
				hi = mid
			}
		}
		if lo == 0 {
			return -1
		}
		return t.v4[lo-1].entry
	}
	lo, hi := 0, len(t.v6)
	for lo < hi {
		if mid := int(uint(lo+hi) >> 1); !n.less(t.v6[mid].first) {
			lo = mid + 1
		} else {
			hi = mid
		}
	}
	if lo == 0 {
		return -1
	}
	return t.v6[lo-1].entry
}
