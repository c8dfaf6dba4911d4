package reach

import (
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// side is one of the two sets of addresses of a walk, with the part of it that has met the same decisions so far.
type side struct {
	part   address.Set
	single bool   // whether it is one address, which no decision can divide
	name   string // how messages call it
}

// role is an address in a packet, and the side that it stands for; a translated address stands for none.
type role struct {
	netip.Addr
	side *side
}

func at(a netip.Addr) role { return role{Addr: a} }

// as is the role with another address in its place; it stays itself when that is its own.
func (r role) as(a netip.Addr) role {
	if r.Addr == a {
		return r
	}
	return at(a)
}

// packet is what filters and tables see of it.
type packet struct{ src, dst role }

// within reports whether an address lies in a set, and narrows its side to the addresses of which the same is true.
func (r role) within(s address.Set) bool {
	in := s.Contains(r.Addr)
	switch {
	case !r.divisible():
	case !in:
		r.side.part = r.side.part.Minus(s)
	case !s.Covers(r.side.part):
		r.side.part = r.side.part.Intersect(s)
	}
	return in
}

// divisible reports whether the role stands for several addresses, which decisions can tell apart.
func (r role) divisible() bool { return r.side != nil && !r.side.single }

// inRange is within for one range, without building a set where a single address is asked about.
func (r role) inRange(p netip.Prefix) bool {
	in := p.Contains(r.Addr)
	switch {
	case !r.divisible():
	case in:
		r.side.part = r.side.part.Clip(p)
	case r.side.part.Overlaps(p):
		r.side.part = r.side.part.Minus(address.SetOf(p))
	}
	return in
}

func (r role) inRanges(ranges []netip.Prefix) bool {
	for _, p := range ranges {
		if r.inRange(p) {
			return true
		}
	}
	return false
}

// lookup finds a route for the destination, and narrows its side to the addresses that take the same route.
func lookup(dst role, routes []*estate.Route, find func(netip.Addr) *estate.Route) *estate.Route {
	if dst.divisible() {
		for _, r := range routes {
			dst.inRange(r.To)
		}
	}
	return find(dst.Addr)
}
