package estate

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/plan"
)

// This file binds what joins are meant for.

// Meant are the parts of one end of a join that it is meant for.
type Meant struct {
	Words   []string // network/tier or network/subnet, as the plan has them; none for all of the end
	Subnets []*Subnet
}

// All reports whether all of the end is meant.
func (m Meant) All() bool { return len(m.Words) == 0 }

// Has reports whether a subnet is meant.
func (m Meant) Has(s *Subnet) bool { return m.All() || slices.Contains(m.Subnets, s) }

// partsOf binds words to tiers and subnets of the ends of a join, for each end those that are its own, and reports those that are of none.
func (b *builder) partsOf(in spot, kind string, words []plan.Text, ends ...*Network) []Meant {
	all := make([]Meant, len(ends))
	for _, t := range words {
		i := slices.IndexFunc(ends, func(n *Network) bool { return slices.Contains(partNames(n), t.Value) })
		if i < 0 {
			b.unknown(t, in, kind, func() (names []string) {
				for _, n := range ends {
					names = append(names, partNames(n)...)
				}
				return names
			})
			continue
		}
		all[i].Words = append(all[i].Words, t.Value)
		for _, s := range ends[i].Subnets {
			if s.In(t.Value) && !slices.Contains(all[i].Subnets, s) {
				all[i].Subnets = append(all[i].Subnets, s)
			}
		}
	}
	return all
}

// partNames are the tiers and subnets of a network, as words.
func partNames(n *Network) []string {
	var words []string
	for _, t := range n.Tiers {
		words = append(words, t.ID())
	}
	for _, s := range n.Subnets {
		words = append(words, s.ID())
	}
	return words
}

// Beyond says for what a route of a network's table leads over a peering or a hub that is not meant for that; empty for a route that keeps to it.
func (t *Table) Beyond(r *Route) string {
	if r.Origin != ByHand {
		return ""
	}
	var near Meant
	var far []*Attachment
	switch via := r.Via.(type) {
	case *Peering:
		i := slices.Index(via.Between[:], t.Network)
		if i < 0 {
			return ""
		}
		near = via.Meant[i]
		if !via.Meant[1-i].All() {
			far = []*Attachment{{Network: via.Between[1-i], Meant: via.Meant[1-i]}}
		}
	case *Hub:
		for _, a := range via.Attachments {
			if a.Network == t.Network {
				near = a.Meant
			} else if a.Network != nil && !a.Meant.All() {
				far = append(far, a)
			}
		}
	default:
		return ""
	}
	for _, s := range t.Subnets {
		if !near.Has(s) {
			return "from subnet " + s.ID()
		}
	}
	for _, a := range far {
		var meant []netip.Prefix
		for _, s := range a.Meant.Subnets {
			meant = append(meant, s.Ranges...)
		}
		if slices.ContainsFunc(a.Network.Ranges, r.To.Overlaps) && !address.SetOf(meant...).ContainsRange(r.To) {
			return "to " + r.To.String()
		}
	}
	return ""
}
