package check

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file looks at where routes lead next.

var forwardsNothing = Rule{"forwards-nothing", Wiring, "A route to a workload that does not forward: it drops what the route leads to it.", func(r *run) {
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		if w, is := x.Via.(*estate.Workload); is && w.Forwards == estate.NotForwarding {
			r.report(diag.Error, x.At, w.Place(), "", "the route to %s of table %s leads to workload %s, and that forwards nothing", x.Leads(), t.ID(), w.Name)
			for _, how := range []estate.Forwarding{estate.PlainForwarding, estate.StatefulForwarding, estate.NATForwarding} {
				r.choice(string(how), text.Set(w.Place(), "forwards", text.Word(string(how))))
			}
		}
	})
}}

var seesHalf = Rule{"sees-half", Wiring, "A firewall that sees one direction alone of what goes between two subnets of a network: it drops the other.", func(r *run) {
	begins := map[*estate.Subnet]bool{} // where there is more than a gateway, which begins nothing
	for _, w := range r.Workloads {
		begins[w.Subnet] = true
	}
	for _, n := range r.Networks {
		for _, from := range n.Subnets {
			if !begins[from] && slices.ContainsFunc(n.Gateways, func(g *estate.Gateway) bool { return g.In == from }) {
				continue
			}
			told := map[*estate.Workload]bool{}
			for _, x := range from.Table.Routes {
				w, is := x.Via.(*estate.Workload)
				if !is || w.Forwards != estate.StatefulForwarding || told[w] || w.Subnet == from || !x.At.Known() {
					continue
				}
				for _, to := range n.Subnets {
					if to == from || to == w.Subnet || !led(from.Table, x, to) || leadsBy(to.Table, from.Ranges, x.To, w) {
						continue
					}
					told[w] = true
					r.report(diag.Error, x.At, to.Table.Place().To("routes"), "", "subnet %s is led to subnet %s by firewall %s, and table %s leads the replies past it", from.ID(), to.ID(), w.Name, to.Table.ID())
					if !n.FromPattern(to.Table) {
						r.by(reach.RouteEdits(to.Table, w.Name, sameFamily(from.Ranges, x.To)...)...)
					}
					break
				}
			}
		}
	}
}}

// led reports whether a route of a table is what leads to some of a subnet: a longer one, as the local one of its network, comes before it.
func led(t *estate.Table, x *estate.Route, to *estate.Subnet) bool {
	return slices.ContainsFunc(to.Ranges, func(p netip.Prefix) bool {
		if x.To.Bits() > p.Bits() {
			return p.Overlaps(x.To)
		}
		r := t.Lookup(p.Addr())
		return r != nil && r.Via == x.Via && p.Overlaps(x.To)
	})
}

// leadsBy reports whether a table leads some ranges, of the family of one, to a workload.
func leadsBy(t *estate.Table, ranges []netip.Prefix, like netip.Prefix, w *estate.Workload) bool {
	return !slices.ContainsFunc(sameFamily(ranges, like), func(p netip.Prefix) bool {
		x := t.Lookup(p.Addr())
		return x == nil || x.Via != estate.Object(w)
	})
}

func sameFamily(ranges []netip.Prefix, like netip.Prefix) []netip.Prefix {
	return slices.DeleteFunc(slices.Clone(ranges), func(p netip.Prefix) bool { return p.Addr().Is4() != like.Addr().Is4() })
}

var beyond = Rule{"beyond-the-join", Wiring, "A route over a peering or a hub from a subnet, or to a range, that the join is not meant for (`only`).", func(r *run) {
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		if what := t.Beyond(x); what != "" {
			r.report(diag.Warning, x.At, t.Place(), "add what it is for to  only  of "+x.ViaName()+"; or take the route out", "the route to %s of table %s leads over %s %s, and that is meant for others", x.To, t.ID(), x.ViaName(), what)
		}
	})
}}

var ownAway = Rule{"own-away", Wiring, "A route that leads a network's own subnet to another network, a hub or a site.", func(r *run) {
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		switch x.Via.(type) {
		case *estate.Peering, *estate.Hub, *estate.Site:
		default:
			return
		}
		if passedOn(t.Network, x) {
			return
		}
		for _, s := range t.Network.Subnets {
			for _, p := range s.Ranges {
				if address.Covers(p, x.To) || address.Covers(x.To, p) && x.To.Bits() > shortest(t.Network.Ranges, x.To) {
					r.report(diag.Warning, x.At, t.Place(), "lead it to what holds the destination", "the route to %s of table %s leads subnet %s of the network itself over %s", x.To, t.ID(), s.ID(), x.ViaName())
					r.takesRouteOut(t, x, remove)
					return
				}
			}
		}
	})
}}

// passedOn reports whether what a route leads over a join comes to a workload there that forwards it, as to be looked at.
func passedOn(n *estate.Network, x *estate.Route) bool {
	var door *estate.Subnet
	switch via := x.Via.(type) {
	case *estate.Peering:
		door = via.Door(via.Far(n))
	case *estate.Hub:
		if from := n.Attachment(via); from != nil && from.Table != nil {
			if r := from.Table.Lookup(x.To.Addr()); r != nil {
				if far, is := r.Via.(*estate.Network); is && far.Attachment(via) != nil {
					door = far.Attachment(via).Door
				}
			}
		}
	}
	if door == nil {
		return false
	}
	r := door.Table.Lookup(x.To.Addr())
	if r == nil {
		return false
	}
	w, is := r.Via.(*estate.Workload)
	return is && w.Forwards != estate.NotForwarding
}

// shortest is the length of the range of a network that holds another range, which its local route has; longer than any where none does.
func shortest(ranges []netip.Prefix, p netip.Prefix) int {
	for _, r := range ranges {
		if address.Covers(r, p) {
			return r.Bits()
		}
	}
	return p.Addr().BitLen()
}

var changesNothing = Rule{"changes-nothing", Wiring, "A route for which a shorter one of the table, that is no default route, leads the same way.", func(r *run) {
	for _, n := range r.Networks {
		for _, t := range n.Tables {
			around := aroundEach(t.Routes)
			needed := map[text.Pos]bool{}
			for _, x := range t.Routes {
				o := around[x]
				if o == nil || o.Via != x.Via || o.Via == nil || o.To.Bits() == 0 || o.At == x.At || o.Origin != estate.ByHand {
					needed[x.At] = true
				}
			}
			for _, x := range t.Routes {
				if x.Origin == estate.ByHand && !needed[x.At] && len(t.Some) == 0 {
					needed[x.At] = true // told once for the line
					r.report(diag.Warning, x.At, t.Place(), "", "the route to %s of table %s changes nothing: the one to %s leads to %s as well", x.Leads(), t.ID(), around[x].Leads(), x.ViaName())
					r.takesRouteOut(t, x, "")
				}
			}
		}
	}
}}

var sharedFirewall = Rule{"shared-firewall", Wiring, "A subnet that is led on by a workload in another zone: a firewall that stands once for several.", func(r *run) {
	for _, n := range r.Networks {
		zoned := map[string]bool{}
		for _, s := range n.Subnets {
			if z := n.PlaceOf(s); z != "" {
				zoned[z] = true
			}
		}
		if len(zoned) < 2 {
			continue
		}
		for _, s := range n.Subnets {
			zone := n.PlaceOf(s)
			for _, x := range s.Table.Routes {
				w, is := x.Via.(*estate.Workload)
				if !is || w.Subnet == nil || zone == "" || n.PlaceOf(w.Subnet) == zone || n.PlaceOf(w.Subnet) == "" || w.Forwards == estate.NotForwarding || inZone(r.Estate, x.To, n.PlaceOf(w.Subnet)) {
					continue
				}
				r.report(diag.Warning, s.At(), s.Place(), "put a workload that forwards into zone "+zone+", and lead the subnet to it", "subnet %s is in zone %s and is led on by %s of zone %s: where that zone fails, so does it", s.ID(), zone, w.Name, n.PlaceOf(w.Subnet))
				break
			}
		}
	}
}}

// inZone reports whether a range is of a subnet in a zone: who is there fails with the zone anyway.
func inZone(e *estate.Estate, p netip.Prefix, zone string) bool {
	return slices.ContainsFunc(e.Networks, func(n *estate.Network) bool {
		return slices.ContainsFunc(n.Subnets, func(s *estate.Subnet) bool {
			return n.PlaceOf(s) == zone && slices.ContainsFunc(s.Ranges, func(q netip.Prefix) bool { return address.Covers(q, p) })
		})
	})
}

var noPublicIPv6 = Rule{"no-public-ipv6", Wiring, "A default route of IPv6 to a gateway, in a network without public IPv6 addresses.", func(r *run) {
	named := map[*estate.Network]bool{} // with a workload that has a public IPv6 address by name
	for _, w := range r.Workloads {
		if slices.ContainsFunc(w.Public, netip.Addr.Is6) {
			named[w.Network()] = true
		}
	}
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		g, is := x.Via.(*estate.Gateway)
		if !is || !x.To.Addr().Is6() || x.To.Bits() > 3 || g.Type == estate.NATGateway {
			return
		}
		if n := t.Network; len(n.Ranges) == 0 || named[n] || slices.ContainsFunc(n.Ranges, carriedIPv6) ||
			slices.ContainsFunc(n.NATs(), func(g *estate.Gateway) bool { return slices.ContainsFunc(g.Public, netip.Addr.Is6) }) {
			return
		}
		r.report(diag.Warning, x.At, t.Place(), "give the network a public range of IPv6", "the route to %s of table %s leads to gateway %s, and network %s has no public IPv6 address that could go out by it", x.To, t.ID(), g.Name, t.Network.Name)
		r.takesRouteOut(t, x, remove)
	})
}}

func carriedIPv6(p netip.Prefix) bool { return p.Addr().Is6() && address.IsPublic(p.Addr()) }
