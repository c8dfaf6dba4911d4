// Package space says what of the address space of an estate is used, held and free.
package space

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// Survey is who has which addresses of an estate.
type Survey struct {
	Estate *estate.Estate
	Taken  []Taken // all that is taken, in the plan and outside
	// Leaves are the addresses of subnets, held blocks and parts, sites, clusters, and what is taken outside the plan.
	Leaves address.Set
	// Occupied are those of Leaves and all ranges of networks.
	Occupied address.Set

	foreign map[*estate.Network][]netip.Prefix // ranges of other networks that overlap a network's own
}

// NewSurvey surveys an estate; outside is what is taken that the plan does not know of.
func NewSurvey(e *estate.Estate, outside []Taken) *Survey {
	leaves, networks := takenIn(e)
	leaves = append(leaves, outside...)
	s := &Survey{Estate: e, Taken: slices.Concat(leaves, networks), foreign: map[*estate.Network][]netip.Prefix{}}
	owned := rangesOf(networks)
	s.Leaves = address.SetOf(rangesOf(leaves)...)
	s.Occupied = s.Leaves.Union(address.SetOf(owned...))
	address.Pairs(owned, func(outer, inner int) bool {
		if a, b := networks[outer].By.(*estate.Network), networks[inner].By.(*estate.Network); a != b {
			shared := address.Shared(owned[outer], owned[inner])
			s.foreign[a] = append(s.foreign[a], shared)
			s.foreign[b] = append(s.foreign[b], shared)
		}
		return true
	})
	return s
}

// Inner are the ranges of the blocks that lie inside a block, and are theirs to carve.
func (s *Survey) Inner(b *estate.Block) []netip.Prefix {
	var inner []netip.Prefix
	for _, other := range s.Estate.Blocks {
		for _, r := range other.Ranges {
			for _, o := range b.Ranges {
				if other != b && address.Covers(o, r) && (o != r || other.Within == b) {
					inner = append(inner, r)
				}
			}
		}
	}
	return inner
}

// FreeIn is what can be carved from a block: what nothing takes, and no block inside it has for its own. Nothing is
// free in a held block.
func (s *Survey) FreeIn(b *estate.Block) address.Set {
	if b.Held {
		return address.Set{}
	}
	return address.SetOf(b.Ranges...).Minus(s.Occupied).Minus(address.SetOf(s.Inner(b)...))
}

// FreeInNetwork is what subnets and held parts of a network can be carved from, when its ranges are those given.
func (s *Survey) FreeInNetwork(n *estate.Network, ranges []netip.Prefix) address.Set {
	var free address.Set
	for _, p := range ranges {
		free = free.Union(address.SetOf(p).Minus(s.Leaves.Clip(p)))
	}
	return free.Minus(address.SetOf(s.foreign[n]...))
}

// Next are the first n free ranges of a size in a block, the lowest first, and fewer when it has no more room. They are
// of IPv4, unless the size is beyond 32 or the block has no IPv4.
func (s *Survey) Next(b *estate.Block, size, n int) []netip.Prefix {
	width := 32
	if size > 32 || len(b.Ranges) > 0 && !slices.ContainsFunc(b.Ranges, func(p netip.Prefix) bool { return p.Addr().Is4() }) {
		width = 128
	}
	pool := address.NewPool(s.FreeIn(b), width)
	var all []netip.Prefix
	for range n {
		p, found := pool.Take(size)
		if !found {
			break
		}
		all = append(all, p)
	}
	return all
}

// Who has any of a range, in the plan first.
func (s *Survey) Who(p netip.Prefix) []Taken {
	var all []Taken
	for _, t := range s.Taken {
		if t.Range.Overlaps(p) {
			all = append(all, t)
		}
	}
	return all
}
