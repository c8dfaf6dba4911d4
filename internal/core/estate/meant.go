package estate

import (
	"net/netip"
	"slices"
	"strings"

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

// meant binds the parts that peerings and attachments are meant for.
func (b *builder) meant() {
	for _, p := range b.e.Peerings {
		for i, n := range p.Between {
			p.Meant[i] = b.partsOf(n, p.Plan.Only)
		}
		for _, t := range p.Plan.Only {
			if !slices.ContainsFunc(p.Between[:], func(n *Network) bool { return isPart(n, t.Value) }) {
				b.unknown(t, spot{p, "only"}, "part of either side", func() []string { return slices.Concat(partNames(p.Between[0]), partNames(p.Between[1])) })
			}
		}
	}
	for _, h := range b.e.Hubs {
		for _, a := range h.Attachments {
			for _, t := range a.only {
				if a.Network == nil || !isPart(a.Network, t.Value) {
					b.unknown(t, spot{h, "attach." + a.To().ID()}, "part of "+a.To().ID(), func() []string {
						if a.Network == nil {
							return nil
						}
						return partNames(a.Network)
					})
				}
			}
			if a.Network != nil {
				a.Meant = b.partsOf(a.Network, a.only)
			}
		}
	}
}

func (b *builder) partsOf(n *Network, words []plan.Text) Meant {
	var m Meant
	for _, t := range words {
		_, part, _ := strings.Cut(t.Value, "/")
		if !isPart(n, t.Value) {
			continue
		}
		m.Words = append(m.Words, t.Value)
		for _, s := range n.Subnets {
			if (s.Name == part || s.Tier != nil && s.Tier.Name == part) && !slices.Contains(m.Subnets, s) {
				m.Subnets = append(m.Subnets, s)
			}
		}
	}
	return m
}

// isPart reports whether a word names a tier or a subnet of a network.
func isPart(n *Network, word string) bool {
	network, part, is := strings.Cut(word, "/")
	if !is || network != n.Name {
		return false
	}
	return slices.ContainsFunc(n.Tiers, func(t *Tier) bool { return t.Name == part }) || slices.ContainsFunc(n.Subnets, func(s *Subnet) bool { return s.Name == part })
}

func partNames(n *Network) []string {
	var words []string
	for _, t := range n.Tiers {
		words = append(words, n.Name+"/"+t.Name)
	}
	for _, s := range n.Subnets {
		words = append(words, n.Name+"/"+s.Name)
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
		far = []*Attachment{{Network: via.Between[1-i], Meant: via.Meant[1-i]}}
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
		meets := slices.ContainsFunc(a.Network.Ranges, r.To.Overlaps)
		if !a.Meant.All() && meets && !address.SetOf(meant...).ContainsRange(r.To) {
			return "to " + r.To.String()
		}
	}
	return ""
}
