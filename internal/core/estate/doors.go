package estate

import (
	"slices"

	"wendrik/internal/core/plan"
)

// This part of the builder binds the doors of networks that are passed through: one way out for many, one place of
// inspection.

// door is where packets come into a network that look into a table of it: like a subnet without addresses, hosts or list
// that has that table.
func (b *builder) door(n *Network, t plan.Text, in spot) *Subnet {
	table := lookup[*Table](b, n, n.scope, TableKind, t, in)
	if table == nil {
		return nil
	}
	if table.door == nil {
		table.door = &Subnet{Plan: &plan.Subnet{Name: plan.Text{Value: table.Name, At: table.At()}}, Index: -1, Name: table.Name, Network: n, Table: table}
	}
	return table.door
}

// IsDoor reports whether the subnet is only where packets come into a network that look into a table of it.
func (s *Subnet) IsDoor() bool { return s.Index < 0 }

// ExportsTo reports whether one of the routes that the network's peers may import leads to a hub or a site.
func (n *Network) ExportsTo(o Object) bool {
	return slices.ContainsFunc(n.Custom, func(r *Route) bool { return r.Via == o })
}

// HasDoor reports whether what comes into the network somewhere looks into the table.
func (t *Table) HasDoor() bool { return t.door != nil }

// Doors are those of the network, each once.
func (n *Network) Doors() []*Subnet {
	var all []*Subnet
	for _, t := range n.Tables {
		if t.door != nil {
			all = append(all, t.door)
		}
	}
	return all
}

func (b *builder) doors() {
	for _, n := range b.e.Networks {
		for _, g := range n.Gateways {
			switch {
			case g.Born || !g.Plan.Arrives.Given():
			case g.Type != InternetGateway:
				b.report(g.Plan.Arrives.At, spot{g, "arrives"}, wrongKey, "take it out", "nothing new comes in by %s gateway %s", g.Type, g.Name)
			default:
				g.Door = b.door(n, g.Plan.Arrives, spot{g, "arrives"})
			}
		}
	}
	for _, p := range b.e.Peerings {
		for _, a := range p.Plan.Arrives {
			in := spot{p, "arrives"}
			i := slices.IndexFunc(p.Between[:], func(n *Network) bool { return n.Name == a.Who.Value })
			if i < 0 {
				b.unknown(a.Who, in, "end of this peering", func() []string { return []string{p.Between[0].Name, p.Between[1].Name} })
				continue
			}
			p.Doors[i] = b.door(p.Between[i], a.Table, in)
		}
	}
	for _, s := range b.e.Sites {
		switch at := s.Plan.Arrives; {
		case !at.Given():
		case s.Link == nil:
			b.report(at.At, spot{s, "arrives"}, wrongKey, "add  link: NETWORK,  or take it out", "site %s is linked to no network that its packets could arrive in", s.Name)
		default:
			s.Door = b.door(s.Link, at, spot{s, "arrives"})
		}
	}
	for _, h := range b.e.Hubs {
		for _, a := range h.Attachments {
			switch {
			case !a.Arrives.Given():
			case a.Network == nil:
				b.report(a.Arrives.At, spot{h, "attach"}, wrongKey, "take it out", "%s is a site, and has no tables that packets could look into", a.Site.Name)
			default:
				a.Door = b.door(a.Network, a.Arrives, spot{h, "attach"})
			}
		}
	}
}
