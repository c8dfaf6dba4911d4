package estate

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

// This part of the builder binds route tables, and what their routes lead to.

func (b *builder) tables() {
	b.eachNetwork(func(b *builder, n *Network) {
		for _, p := range n.Plan.Tables {
			t := &Table{Plan: p, Name: p.Name.Value, Network: n, Main: p.Main.Value}
			n.Tables = append(n.Tables, t)
			n.scope.bind(t.Name, t)
			if t.Main {
				if n.Main != nil {
					b.report(p.Main.At, spot{t, "main"}, twoMainTables, "keep one main table", "network %s has main table %s already", n.Name, n.Main.Name)
				} else {
					n.Main = t
				}
			}
			b.associate(t)
		}
		if n.Main == nil {
			n.Main = &Table{Name: "main", Network: n, Main: true}
			n.Tables = append(n.Tables, n.Main)
			n.scope.bind(n.Main.Name, n.Main)
		}
		for _, s := range n.Subnets {
			if s.Table == nil {
				s.Table, s.ByDefault = n.Main, true
				n.Main.Subnets = append(n.Main.Subnets, s)
			}
		}
		for _, t := range n.Tables {
			b.routes(t)
		}
	})
}

// associate gives a table to the subnets that it names.
func (b *builder) associate(t *Table) {
	in := spot{t, "subnets"}
	for _, name := range t.Plan.Subnets {
		for _, s := range b.subnetsNamed(t.Network, name, in) {
			switch {
			case s.Table == t:
				b.report(name.At, in, tableTwice, "name it once", "subnet %s stands twice", s.Name)
			case s.Table != nil:
				b.report(name.At, in, tableTwice, "name the subnet in one table only", "subnet %s has table %s already", s.Name, s.Table.Name)
			default:
				s.Table = t
				t.Subnets = append(t.Subnets, s)
			}
		}
	}
}

// The ranges of default routes.
var everywhere = []netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("::/0")}

// routes fills a table in the order in which routes beat each other at the same length.
func (b *builder) routes(t *Table) {
	n := t.Network
	for _, p := range n.Ranges {
		r := &Route{To: p, Origin: Local}
		t.Routes = append(t.Routes, r)
		t.routes.Insert(p, r)
	}
	if t.Plan != nil {
		for _, rp := range t.Plan.Routes {
			hop := b.nextHop(n, rp.Via, spot{t, "routes"})
			if hop == nil {
				continue
			}
			if rp.Only.Given() {
				b.forSome(t, rp, hop)
				continue
			}
			for _, r := range b.byHand(rp, hop, spot{t, "routes"}) {
				if slices.Contains(n.Ranges, r.To) {
					b.report(r.At, spot{t, "routes"}, routeLocal, "remove it, or route a part of the range", "%s is the network's own range, and its local route always wins", r.To)
					continue
				}
				b.add(&t.Routes, t.routes.Insert(r.To, r), r, t)
			}
		}
	}
	if n.Profile.PeerRoutes {
		for _, p := range n.Peerings {
			if !p.Stands() {
				continue
			}
			for _, far := range p.Far(n).Ranges {
				r := &Route{To: far, Origin: Learned, Via: p, At: p.At()}
				t.Routes = append(t.Routes, r)
				rank(&t.routes, r)
			}
		}
	}
	if g := n.InternetGateway(); n.Profile.DefaultRoute && g != nil {
		for _, all := range everywhere {
			r := &Route{To: all, Origin: Birth, Via: g}
			if t.routes.Insert(r.To, r) {
				t.Routes = append(t.Routes, r)
			}
		}
	}
}

// forSome adds a route that is for the packets of a group's members alone.
func (b *builder) forSome(t *Table, rp plan.Route, hop Object) {
	n, in := t.Network, spot{t, "routes"}
	if !n.Profile.RoutesForSome {
		b.report(rp.Only.At, in, wrongKey, "take  only  out, or set the knob  routes-for-some: true", "under profile %s a route is for all packets", n.Profile.Name)
		return
	}
	name := rp.Only
	name.Value = within(n, name.Value)
	g := lookup[*Group](b, n, n.scope, GroupKind, name, in)
	if g == nil {
		return
	}
	for _, r := range b.byHand(rp, hop, in) {
		r.Only = g
		for _, o := range t.Some {
			if o.To == r.To && o.Only == g {
				b.report(r.At, in, routeTwice, "keep one of the two", "this table has a route to %s already", r.Leads())
			}
		}
		t.Some = append(t.Some, r)
	}
}

// byHand are the routes that one of the plan stands for: one, or one for each range of what it names.
func (b *builder) byHand(p plan.Route, via Object, in spot) []*Route {
	if !p.Name.Given() {
		return []*Route{{To: p.To.Prefix, Origin: ByHand, Via: via, At: p.At}}
	}
	var all []*Route
	for _, r := range b.rangesOf(p.Name, in) {
		all = append(all, &Route{To: r, Name: p.Name.Value, Origin: ByHand, Via: via, At: p.At})
	}
	return all
}

// rangesOf are the ranges of what a word names, as few as they come to. What has none yet is waited for.
func (b *builder) rangesOf(t plan.Text, in spot) []netip.Prefix {
	var found []Object
	var all []netip.Prefix
	for _, o := range b.e.Named(t.Value) {
		switch o := o.(type) {
		case *Network:
			all = append(all, o.Ranges...)
		case *Site:
			all = append(all, o.Ranges...)
		case *Cluster:
			all = append(append(all, o.Pods...), o.Services...)
		case *Block:
			all = append(all, o.Ranges...)
		case *Tier:
			for _, s := range o.Subnets {
				all = append(all, s.Ranges...)
			}
			if len(found) == 1 && len(o.Subnets) > 0 && found[0] == Object(o.Subnets[0]) {
				found = nil // a tier and its only subnet are one thing
			}
		case *Subnet:
			all = append(all, o.Ranges...)
		default:
			continue
		}
		found = append(found, o)
	}
	switch network, part, inside := strings.Cut(t.Value, "/"); {
	case len(found) > 1:
		b.report(t.At, in, twoMeanings, "give one of them another name, or write the range", "%q names both %s %s and %s %s", t.Value, found[0].Kind(), found[0].ID(), found[1].Kind(), found[1].ID())
		return nil
	case len(found) == 1 && len(all) == 0:
		b.wait(t.At, in, byCarve, "%s %s has no range", found[0].Kind(), found[0].ID())
		return nil
	case len(found) == 0 && inside && b.e.Network(network) != nil && b.e.Network(network).wouldCarve(part):
		b.wait(t.At, in, byCarve, "subnet %s is not there", t.Value)
		return nil
	case len(found) == 0:
		b.unknown(t, in, "network, tier, subnet, site, cluster or block", func() []string {
			known := b.e.scope.names(NetworkKind, SiteKind, ClusterKind, BlockKind)
			if n := b.e.Network(network); n != nil {
				for _, name := range n.scope.names(SubnetKind, TierKind) {
					known = append(known, n.Name+"/"+name)
				}
			}
			return known
		})
		return nil
	}
	return address.SetOf(all...).Ranges()
}

// add notes a route by hand, or reports that its range is routed already.
func (b *builder) add(list *[]*Route, added bool, r *Route, t Object) {
	*list = append(*list, r)
	if !added {
		b.report(r.At, spot{t, "routes"}, routeTwice, "keep one of the two", "this table has a route to %s already", r.To)
	}
}

// imports gives networks the custom routes that their peers export to them, where those install themselves.
func (b *builder) imports() {
	for _, n := range b.e.Networks {
		for _, r := range n.Main.Routes {
			if r.Origin != ByHand {
				continue
			}
			switch r.Via.(type) {
			case *Site, *Hub:
				n.Custom = append(n.Custom, r)
			}
		}
	}
	for _, p := range b.e.Peerings {
		for i, n := range p.Between {
			far := p.Between[1-i]
			if !n.Profile.PeerRoutes || !p.Stands() || !p.Carries(far) {
				continue
			}
			for _, custom := range far.Custom {
				for _, t := range n.Tables {
					r := &Route{To: custom.To, Origin: Learned, Via: p, At: p.At()}
					if rank(&t.routes, r) {
						t.Routes = append(t.Routes, r)
					}
				}
			}
		}
	}
}

// rank adds a route that installed itself to a table: first of its range, or beside one that did so, too, and leads elsewhere. It
// reports whether it counts.
func rank(routes *address.Table[*Route], r *Route) bool {
	if routes.Insert(r.To, r) {
		return true
	}
	first, _ := routes.Get(r.To)
	own := func(r *Route) bool {
		p, over := r.Via.(*Peering)
		return over && slices.ContainsFunc(p.Between[:], func(n *Network) bool { return slices.Contains(n.Ranges, r.To) })
	}
	if first.Origin != r.Origin || first.Via == r.Via || own(first) && !own(r) || slices.ContainsFunc(first.Or, func(o *Route) bool { return o.Via == r.Via }) {
		return false
	}
	first.Or = append(first.Or, r)
	return true
}

// nextHop finds what a route of a network leads to: a gateway of the network, a peering, hub or site that the network is
// tied to, or a workload. It gives nil, and reports, when there is no such thing.
func (b *builder) nextHop(n *Network, via plan.Text, in spot) Object {
	if via.Value == plan.Blackhole {
		return Blackhole
	}
	if g := n.Gateway(via.Value); g != nil {
		if len(g.Serves) > 0 {
			b.report(via.At, in, natNoHop, "route to the internet gateway; the NAT serves its subnets there", "NAT gateway %s serves subnets and is no next hop", g.Name)
			return nil
		}
		return g
	}
	apart := func(fix, format string, args ...any) Object {
		b.report(via.At, in, notJoined, fix, format, args...)
		return nil
	}
	if p := b.e.Peering(via.Value); p != nil {
		if !slices.Contains(n.Peerings, p) {
			return apart("choose a peering of "+n.Name+": "+cmp.Or(phrase.Names(n.Peerings, (*Peering).ID), "it has none"), "peering %s does not have network %s at either end", p.Name, n.Name)
		}
		return p
	}
	if h := b.e.Hub(via.Value); h != nil {
		if n.Attachment(h) == nil {
			return apart("add "+n.Name+" to attach of the hub, with a hub table", "network %s is not attached to hub %s", n.Name, h.Name)
		}
		return h
	}
	if s := b.e.Site(via.Value); s != nil {
		if s.Link != n {
			return apart("write  link: "+n.Name+"  at the site, or route to the hub that it is behind", "site %s is not linked to network %s", s.Name, n.Name)
		}
		return s
	}
	if w := b.e.Workload(via.Value); w != nil {
		if w.Subnet == nil || w.Subnet.Network != n {
			return apart("choose a workload of network "+n.Name, "workload %s is not in network %s", w.Name, n.Name)
		}
		return w
	}
	if n.wouldWire(via.Value) {
		b.wait(via.At, in, byWire, "network %s has no gateway %s", n.Name, via.Value)
		return nil
	}
	b.unknown(via, in, "gateway, peering, hub, site or workload", func() []string {
		known := n.scope.names(GatewayKind)
		for _, p := range n.Peerings {
			known = append(known, p.Name)
		}
		for _, a := range n.Attachments {
			known = append(known, a.Hub.Name)
		}
		for _, s := range n.Links {
			known = append(known, s.Name)
		}
		return append(known, plan.Blackhole)
	})
	return nil
}
