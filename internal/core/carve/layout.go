package carve

import (
	"math/big"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// This file lays out what a network wants in blocks of things that belong together.

// aggregate is needs that lie side by side in one block: those of a tier, or of a zone, or one alone.
type aggregate struct {
	name     string // for messages: tier web, zone west-a, subnet x
	needs    []*need
	spare    int         // for how many more needs of its largest size the block leaves room
	zone     bool        // whether it is a zone, whose block stays its own
	slot     plan.Number // which piece of the network the block is
	of       estate.Object
	reserved netip.Prefix // the part of the block that is kept for more; the zero Prefix for none
}

// layout sorts the needs of a network into aggregates: by tier, or by zone where the plan says so.
func layout(n *estate.Network, needs []*need, sizes map[*estate.Tier]*tierSize) []*aggregate {
	var all []*aggregate
	byName := map[string]*aggregate{}
	byZone := n.Plan.Layout.Value == "zones"
	for _, s := range needs {
		of := s.of()
		if s.tier == nil {
			all = append(all, &aggregate{name: s.name(), needs: []*need{s}, of: of})
			continue
		}
		name := "tier " + s.tier.Name
		if byZone {
			name = "zone " + s.place
		}
		b := byName[name]
		if b == nil {
			b = &aggregate{name: name, of: of, zone: byZone}
			if size := sizes[s.tier]; !byZone && size != nil {
				b.spare, b.slot = size.spare, s.tier.Plan.Slot
			}
			byName[name] = b
			all = append(all, b)
		}
		b.needs = append(b.needs, s)
	}
	return all
}

// length is the length of the smallest block that has room for the needs of an aggregate, and for spare ones of the
// largest size; pieces of such sizes always pack into it, the larger before the smaller.
func (b *aggregate) length(family, spare int) int {
	width := widths[family]
	total, largest := new(big.Int), width
	for _, s := range b.needs {
		size := s.size[family]
		if r := s.taken(family); r.IsValid() {
			size = r.Bits()
		}
		if size > 0 {
			largest = min(largest, size)
			total.Add(total, new(big.Int).Lsh(big.NewInt(1), uint(width-size)))
		}
	}
	total.Add(total, new(big.Int).Mul(big.NewInt(int64(spare)), new(big.Int).Lsh(big.NewInt(1), uint(width-largest))))
	return max(0, address.BitsFor(total, width))
}

// has are the ranges that the aggregate's needs have by now.
func (b *aggregate) has(family int) []netip.Prefix {
	var out []netip.Prefix
	for _, s := range b.needs {
		if r := s.taken(family); r.IsValid() {
			out = append(out, r)
		}
	}
	return out
}

// wanting are the needs that lack a range, the larger first.
func (b *aggregate) wanting(family int) []*need {
	var out []*need
	for _, s := range b.needs {
		if s.wants(family) && !s.fresh[family].IsValid() {
			out = append(out, s)
		}
	}
	slices.SortStableFunc(out, func(x, y *need) int { return x.size[family] - y.size[family] })
	return out
}

// saysSpare reports whether a tier of a zone says for how many more zones there is to be room.
func (b *aggregate) saysSpare() bool {
	return slices.ContainsFunc(b.needs, func(s *need) bool { return s.tier.Plan.Spare.Given() })
}
