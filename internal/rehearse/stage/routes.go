package stage

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// This file makes the routing tables of each node.

// routes makes the tables of a network's router. What comes from a subnet looks into that subnet's table; what is local
// there, and what comes in from elsewhere, into the one of the network's own subnets, which leads nowhere else.
func (b *builder) routes(r *router) {
	n := r.network
	var own []Route
	for _, s := range n.Subnets {
		for _, p := range s.Ranges {
			own = append(own, Route{To: p, Dev: r.bridges[s].Name})
		}
	}
	for _, p := range n.Ranges {
		if !taken(own, p) {
			own = append(own, Route{To: p, Kind: Unreachable})
		}
	}
	r.own = r.table(own...)
	for _, s := range n.Subnets {
		b.forSome(r, r.bridges[s].Name, s)
		r.rule(r.bridges[s].Name, r.table(b.subnetRoutes(r, s)...))
		r.rule(r.bridges[s].Name, r.own)
	}
	for _, p := range n.Peerings {
		ends, stands := b.joins[p]
		if !stands {
			continue
		}
		in := ends.at(r.Node)
		b.comeIn(r, in, p.Door(n))
		if p.Carries(n) && p.Door(n) == nil {
			r.rule(in.Name, r.table(b.custom(n)...))
		}
	}
	for _, a := range n.Attachments {
		b.comeIn(r, b.ties[a], a.Door)
		if a.Door == nil && n.ExportsTo(a.Hub) {
			b.toImporters(r, b.ties[a])
		}
	}
	for _, s := range n.Links {
		in := b.links[s][1]
		b.comeIn(r, in, s.Door)
		if s.Door != nil {
			continue
		}
		b.toImporters(r, in)
	}
	for _, g := range slices.SortedFunc(maps.Keys(r.inner), func(g, h gate) int { return cmp.Compare(r.inner[g].Number, r.inner[h].Number) }) {
		b.comeIn(r, r.inner[g], g.gateway.Door)
	}
}

// toImporters has what a site or hub brings by a port get to the peers that import the way to it.
func (b *builder) toImporters(r *router, in *Port) {
	for _, p := range r.network.Peerings {
		if ends, stands := b.joins[p]; stands && p.Carries(r.network) {
			var routes []Route
			for _, to := range p.Far(r.network).Ranges {
				routes = append(routes, over(to, ends.at(r.Node)))
			}
			r.rule(in.Name, r.table(routes...))
		}
	}
}

// comeIn has what comes in by a port look into the table of a door, where the plan has one there, and into that of the
// network's own subnets.
func (b *builder) comeIn(r *router, in *Port, door *estate.Subnet) {
	if door != nil {
		b.forSome(r, in.Name, door)
		r.rule(in.Name, r.table(b.subnetRoutes(r, door)...))
	}
	r.rule(in.Name, r.own)
}

// forSome has the packets of workloads for which a subnet's table has routes of their own look into tables with those.
func (b *builder) forSome(r *router, in string, s *estate.Subnet) {
	tables := map[string]int{}
	for _, w := range r.network.Workloads() {
		for _, a := range w.Addrs {
			var own []*estate.Route
			key := ""
			for i, x := range s.Table.Some {
				if x.To.Addr().Is4() == a.Is4() && x.Only.Has(a) {
					own = append(own, x)
					key += fmt.Sprintf("%d ", i)
				}
			}
			if len(own) == 0 {
				continue
			}
			number, made := tables[key]
			if !made {
				number = r.table(b.routesOf(r, s, own)...)
				tables[key] = number
			}
			r.Rules = append(r.Rules, Rule{In: in, From: address.Single(a), Table: number}, Rule{In: in, From: address.Single(a), Table: r.own})
		}
	}
}

// routesOf are the routes of a subnet with some of its workloads' own before those for all.
func (b *builder) routesOf(r *router, s *estate.Subnet, own []*estate.Route) []Route {
	var out []Route
	for _, x := range s.Table.Routes {
		if x.Origin == estate.Local {
			out = append(out, b.subnetRoute(r, s, x))
		}
	}
	for _, x := range append(slices.Clone(own), s.Table.Routes...) {
		if !taken(out, x.To) {
			out = append(out, b.subnetRoute(r, s, x))
		}
	}
	return closed(out)
}

// subnetRoutes are the routes that packets from a subnet take.
func (b *builder) subnetRoutes(r *router, s *estate.Subnet) []Route {
	var out []Route
	for _, x := range s.Table.Routes {
		if !taken(out, x.To) {
			out = append(out, b.subnetRoute(r, s, x))
		}
	}
	return closed(out)
}

func (b *builder) subnetRoute(r *router, s *estate.Subnet, x *estate.Route) Route {
	if x.Origin == estate.Local {
		return Route{To: x.To, Kind: Next}
	}
	switch via := x.Via.(type) {
	case *estate.Gateway:
		if via.Type == estate.NATGateway {
			if _, has := via.AddrLike(x.To.Addr()); via.In != nil && has {
				return b.through(r, via, via.In, x.To)
			}
			break
		}
		g := gate{gateway: via}
		if s.Network.Profile.NATServes {
			g.subnet = s
		}
		if outer := r.inner[g]; outer != nil {
			return over(x.To, outer)
		}
	case *estate.Workload:
		return b.through(r, via, via.Subnet, x.To)
	case *estate.Peering:
		if ends, stands := b.joins[via]; stands {
			return over(x.To, ends.at(r.Node))
		}
	case *estate.Hub:
		if a := s.Network.Attachment(via); a != nil {
			return over(x.To, b.ties[a])
		}
	case *estate.Site:
		return over(x.To, b.links[via][1])
	}
	return Route{To: x.To, Kind: Unreachable}
}

// through is a route to a host of a subnet that passes packets on. One that is not built drops them.
func (b *builder) through(r *router, what any, in *estate.Subnet, to netip.Prefix) Route {
	helpers := b.helpers[what]
	if len(helpers) == 0 {
		return Route{To: to, Kind: Unreachable}
	}
	return Route{To: to, Via: like(helpers, to.Addr().Is4()), Dev: r.bridges[in].Name}
}

// custom are the routes of a network to sites and hubs.
func (b *builder) custom(n *estate.Network) []Route {
	var out []Route
	for _, c := range n.Custom {
		if taken(out, c.To) {
			continue
		}
		switch via := c.Via.(type) {
		case *estate.Site:
			out = append(out, over(c.To, b.links[via][1]))
		case *estate.Hub:
			if a := n.Attachment(via); a != nil {
				out = append(out, over(c.To, b.ties[a]))
			}
		}
	}
	return out
}

// hubRoutes makes the tables of a hub. Each attachment, and each link from another hub, looks into one of them.
func (b *builder) hubRoutes(h *estate.Hub) {
	x := b.hubs[h]
	numbers := map[*estate.HubTable]int{}
	for _, t := range h.Tables {
		var routes []Route
		for _, r := range t.Routes {
			if !taken(routes, r.To) {
				routes = append(routes, b.hubRoute(h, r))
			}
		}
		numbers[t] = x.table(routes...)
	}
	for _, a := range h.Attachments {
		if near := b.ties[a]; near != nil {
			x.rule(near.Peer.Name, numbers[a.Table])
		}
	}
	for _, l := range b.e.HubLinks {
		for i, end := range l.Between {
			if ends, stands := b.joins[l]; stands && end == h {
				x.rule(ends[i].Name, numbers[l.Tables[i]])
			}
		}
	}
}

func (b *builder) hubRoute(h *estate.Hub, r *estate.Route) Route {
	if l, is := r.Via.(*estate.HubLink); is {
		if ends, stands := b.joins[l]; stands {
			return over(r.To, ends.at(b.hubs[h]))
		}
	}
	for _, a := range h.Attachments {
		if near := b.ties[a]; near != nil && a.To() == r.Via {
			return over(r.To, near.Peer)
		}
	}
	return Route{To: r.To, Kind: Unreachable}
}

// siteRoutes makes the tables of a site: it sends what it knows of, over its link where that leads there, else to the
// first hub whose table does.
func (b *builder) siteRoutes(s *estate.Site) {
	x := b.sites[s]
	var knows []Route
	for _, p := range s.Knows {
		if !taken(knows, p) {
			knows = append(knows, Route{To: p, Kind: Next})
		}
	}
	x.rule("", x.table(closed(knows)...))
	if ends, is := b.links[s]; is {
		out := ends[0]
		var routes []Route
		add := func(ranges []netip.Prefix) {
			for _, p := range ranges {
				if !taken(routes, p) {
					routes = append(routes, over(p, out))
				}
			}
		}
		switch {
		case s.Door == nil:
			add(s.Link.Ranges)
			for _, p := range s.Link.Peerings {
				if p.Stands() && p.Carries(s.Link) {
					add(p.Far(s.Link).Ranges)
				}
			}
		case len(s.Attachments) == 0:
			add(everywhere)
		default:
			for _, r := range s.Door.Table.Routes {
				add([]netip.Prefix{r.To})
			}
		}
		x.rule("", x.table(routes...))
	}
	var routes []Route // of all its hubs together, so that the longest is taken
	for _, a := range s.Attachments {
		for _, r := range a.Table.Routes {
			if !taken(routes, r.To) {
				routes = append(routes, over(r.To, b.ties[a]))
			}
		}
	}
	if len(s.Attachments) > 0 {
		x.rule("", x.table(routes...))
	}
}

// worldRoutes makes the table of the internet: it knows the public addresses of hosts whose network lets it in or out,
// and nothing that is private.
func (b *builder) worldRoutes() {
	var routes []Route
	for _, n := range b.e.Networks {
		r := b.routers[n]
		if r == nil || r.gates == nil {
			continue
		}
		add := func(a netip.Addr) {
			if to := address.Single(a); !taken(routes, to) {
				routes = append(routes, over(to, r.gates.Ports[0].Peer))
			}
		}
		for _, w := range n.Workloads() {
			for _, a := range w.Addrs {
				if public, has := w.PublicLike(a); has {
					add(public)
				}
			}
		}
		for _, g := range n.NATs() {
			for _, f := range families {
				for _, a := range g.PublicLike(f) {
					add(a)
				}
			}
		}
		if a, has := b.made[n]; has {
			add(a)
		}
	}
	b.world.rule("", b.world.table(routes...))
}
