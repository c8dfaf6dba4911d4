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

	// Shared is what two networks or more have in their ranges.
	Shared address.Set
}

// NewSurvey surveys an estate; outside is what is taken that the plan does not know of.
func NewSurvey(e *estate.Estate, outside []Taken) *Survey {
	leaves, networks := takenIn(e)
	leaves = append(leaves, outside...)
	s := &Survey{Estate: e, Taken: slices.Concat(leaves, networks), Shared: sharedBy(networks)}
	s.Leaves = address.SetOf(rangesOf(leaves)...)
	s.Occupied = s.Leaves.Union(address.SetOf(rangesOf(networks)...))
	return s
}

// sharedBy is what two networks or more have in their ranges.
func sharedBy(networks []Taken) address.Set {
	type open struct {
		Taken
		mixed bool // whether it and those around it are of more than one network
	}
	var around []open
	var all []netip.Prefix
	sorted := slices.SortedStableFunc(slices.Values(networks), func(a, b Taken) int { return address.Compare(a.Range, b.Range) })
	for _, t := range sorted {
		for len(around) > 0 && !address.Covers(around[len(around)-1].Range, t.Range) {
			around = around[:len(around)-1]
		}
		mixed := false
		if n := len(around); n > 0 {
			mixed = around[n-1].mixed || around[n-1].By != t.By
		}
		if mixed {
			all = append(all, t.Range)
		}
		around = append(around, open{t, mixed})
	}
	return address.SetOf(all...)
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

// FreeInNetwork is what subnets and held parts can be carved from in a network that has the given ranges.
func (s *Survey) FreeInNetwork(ranges []netip.Prefix) address.Set {
	var free address.Set
	for _, p := range ranges {
		free = free.Union(address.SetOf(p).Minus(s.Leaves.Clip(p)).Minus(s.Shared.Clip(p)))
	}
	return free
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

// FreeOf is what no subnet and no held part of a network has of its own ranges; nothing where it has none of its own.
func FreeOf(n *estate.Network) address.Set {
	var taken, own []netip.Prefix
	for _, r := range n.Plan.Ranges {
		own = append(own, r.Prefix)
	}
	for _, s := range n.Subnets {
		taken = append(taken, s.Ranges...)
	}
	for _, h := range n.Held {
		taken = append(taken, h.Ranges...)
	}
	return address.SetOf(own...).Minus(address.SetOf(taken...))
}
