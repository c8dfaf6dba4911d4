package stage

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// builder makes the stage of an estate.
type builder struct {
	*Stage
	e       *estate.Estate
	wanted  func(*estate.Workload) bool
	routers map[*estate.Network]*router
	hubs    map[*estate.Hub]*Node
	sites   map[*estate.Site]*Node
	world   *Node
	ties    map[any]*Port          // the near end of the cable of an attachment, from its network or site
	joins   map[any]cable          // the two ends of the cable of a peering or a hub link
	helpers map[any][]netip.Prefix // by what addresses a NAT gateway or a workload is known on its subnet
	links   map[*estate.Site]cable
	made    map[*estate.Network]netip.Addr // the address of the cloud's choosing of a network, when it needs one
}

// router is what a network is made of.
type router struct {
	*Node
	network *estate.Network
	bridges map[*estate.Subnet]*Bridge
	own     int // the table of its own subnets
	gates   *Node
	inner   map[gate]*Port // the ends of the cables to its gateways
}

// gate is a gateway to the internet, as seen from a subnet where that matters.
type gate struct {
	gateway *estate.Gateway
	subnet  *estate.Subnet
}

// Build makes the stage of an estate: the networks of the workloads that are wanted, those that carry packets of theirs
// on to sites and hubs, and all hubs and sites; of the workloads, those that are wanted and those that packets go through.
// The internet and the sites have the addresses given.
func Build(e *estate.Estate, wanted func(*estate.Workload) bool, internet []netip.Addr, sites map[*estate.Site][]netip.Addr) *Stage {
	return (&Stage{numbers: &numbers{of: map[string]int{}}}).Next(e, wanted, internet, sites)
}

// Next is the stage of the estate that one has become, with the same names for what stays.
func (s *Stage) Next(e *estate.Estate, wanted func(*estate.Workload) bool, internet []netip.Addr, sites map[*estate.Site][]netip.Addr) *Stage {
	s.numbers.taken = map[string]bool{}
	b := &builder{Stage: &Stage{numbers: s.numbers}, e: e, wanted: wanted, routers: map[*estate.Network]*router{}, hubs: map[*estate.Hub]*Node{}, sites: map[*estate.Site]*Node{},
		ties: map[any]*Port{}, joins: map[any]cable{}, helpers: map[any][]netip.Prefix{}, links: map[*estate.Site]cable{}, made: map[*estate.Network]netip.Addr{}}
	b.world = b.node("internet", true)
	b.world.Own = internet
	for _, n := range e.Networks {
		if b.needed(n) {
			b.network(n)
		}
	}
	for _, s := range e.Sites {
		x := b.node("site "+s.Name, false)
		x.Own = sites[s]
		b.sites[s] = x
	}
	for _, h := range e.Hubs {
		b.hubs[h] = b.node("hub "+h.Name, true)
	}
	b.join()
	for _, n := range e.Networks {
		if r := b.routers[n]; r != nil {
			b.routes(r)
		}
	}
	for _, h := range e.Hubs {
		b.hubRoutes(h)
	}
	for _, s := range e.Sites {
		b.siteRoutes(s)
	}
	b.worldRoutes()
	for _, n := range b.Nodes {
		n.rule("", n.table(end()...))
	}
	return b.Stage
}

// needed reports whether packets of workloads that are wanted can go through a network: its own, and those over a peering
// to what is behind it, since a peering carries nothing further.
func (b *builder) needed(n *estate.Network) bool {
	own := func(n *estate.Network) bool { return slices.ContainsFunc(n.Workloads(), b.wanted) }
	return own(n) || len(n.Doors()) > 0 || slices.ContainsFunc(n.Peerings, func(p *estate.Peering) bool { return p.Stands() && p.Carries(n) && own(p.Far(n)) })
}

// network makes the router of a network, with a bridge for each subnet and the hosts on it.
func (b *builder) network(n *estate.Network) {
	r := &router{Node: b.node("network "+n.Name, true), network: n, bridges: map[*estate.Subnet]*Bridge{}, inner: map[gate]*Port{}}
	b.routers[n] = r
	for _, s := range n.Subnets {
		x := &Bridge{Addrs: []netip.Prefix{address.Single(gateway4), address.Single(gateway6)}, Number: b.numbers.number("subnet " + s.ID())}
		x.Name = fmt.Sprintf("br%d", x.Number)
		r.Bridges = append(r.Bridges, x)
		r.bridges[s] = x
	}
	edge(r.Node, r.bridges, n.Subnets)
	for _, w := range n.Workloads() {
		if len(w.Subnet.Ranges) == 0 || w.Forwards == estate.NotForwarding && !b.wanted(w) {
			continue
		}
		x := b.node("workload "+w.Name, w.Forwards != estate.NotForwarding)
		x.Workload = w
		b.helpers[w] = b.host(x, r, w.Subnet, w.Addrs)
		guard(x, w)
	}
	for _, g := range n.NATs() {
		if g.In == nil {
			continue
		}
		x := b.node("NAT gateway "+g.ID(), true)
		b.helpers[g] = b.host(x, r, g.In, g.Addrs)
		x.chain(Chain{Name: "in", Hook: Input, Drops: true, Rules: known()})
		x.chain(Chain{Name: "pass-on", Hook: Forward, Rules: []Filter{{State: Invalid, Then: Drop}}})
		translate(x, g.Addrs)
	}
	b.gates(r)
}

// host plugs a node into a subnet, with its addresses and its way out. It gives the addresses by which next hops know it.
func (b *builder) host(x *Node, r *router, s *estate.Subnet, own []netip.Addr) []netip.Prefix {
	port := b.plug(x, r.Node, r.bridges[s])
	helpers := port.Addrs
	// The addresses of the plan come first, so that they are the ones that it talks from.
	port.Addrs = nil
	for _, a := range own {
		port.Addrs = append(port.Addrs, address.Single(a))
	}
	port.Addrs = append(port.Addrs, helpers...)
	var routes []Route
	for _, p := range s.Ranges {
		routes = append(routes, Route{To: p, Dev: port.Name})
	}
	routes = append(routes, Route{To: everywhere[0], Via: gateway4, Dev: port.Name}, Route{To: everywhere[1], Via: gateway6, Dev: port.Name})
	x.rule("", x.table(routes...))
	return helpers
}

// gates makes the node of a network's gateways to the internet: one cable for each from the router, and one to the
// world. Where NAT serves subnets, a gateway has a cable for each, since it must tell them apart.
func (b *builder) gates(r *router) {
	n := r.network
	var all []*estate.Gateway
	lets := false
	for _, g := range n.Gateways {
		if g.Type != estate.NATGateway && g.Attached {
			all = append(all, g)
			lets = lets || g.Type == estate.InternetGateway
		}
	}
	if len(all) == 0 {
		return
	}
	x := b.node("gateways of "+n.Name, true)
	r.gates = x
	wan, _ := b.cable(x, b.world, "out", "wan", "n")
	out := x.table(over(everywhere[0], wan), over(everywhere[1], wan))
	forward := []Filter{}
	var first *Port
	var marks []Filter
	for _, g := range all {
		subnets := []*estate.Subnet{nil}
		if n.Profile.NATServes {
			subnets = slices.Concat(n.Subnets, n.Doors())
		}
		for _, s := range subnets {
			purpose := "gateway " + g.ID()
			if s != nil {
				purpose += " for " + s.ID()
			}
			in, outer := b.cable(x, r.Node, purpose, "g", "g")
			r.inner[gate{g, s}] = outer
			x.rule(in.Name, out)
			if first == nil || g == n.InternetGateway() && s == subnets[0] {
				first = in
			}
			if g.Type == estate.EgressGateway {
				// IPv6 alone, and no replies: neither to what came in by another gateway, nor to what came another way.
				forward = append(forward, Filter{In: in.Name, Family: 4, Then: Drop}, Filter{In: in.Name, State: Reply, Then: Drop},
					Filter{In: in.Name, State: Invalid, Answer: Answering, Then: Drop}, Filter{In: in.Name, State: Invalid, Protocol: "icmp", Then: Drop})
			}
			if s != nil {
				if nat := n.NATServing(s); nat != nil {
					marks = append(marks, b.serving(in, nat)...)
				}
			}
		}
	}
	x.rule(wan.Name, x.table(over(everywhere[0], first), over(everywhere[1], first)))
	forward = append(forward, Filter{In: wan.Name, State: Known})
	if !lets {
		forward = append(forward, Filter{In: wan.Name, Then: Drop})
	}
	x.chain(Chain{Name: "gates", Hook: Forward, Rules: forward})
	b.publics(r, x, wan, marks)
}

// families are an address of each, to ask for those that are like it.
var families = []netip.Addr{netip.IPv4Unspecified(), netip.IPv6Unspecified()}

// serving are the translations of a NAT gateway that serves a subnet, of what comes in by a port.
func (b *builder) serving(in *Port, nat *estate.Gateway) []Filter {
	var out []Filter
	for _, f := range families {
		if public := nat.PublicLike(f); len(public) > 0 {
			out = append(out, Filter{In: in.Name, Family: familyOf(f), Then: From, New: public[0]})
		}
	}
	return out
}

// publics adds the translations between private and public addresses, one to one, and drops what leaves without a
// public one.
func (b *builder) publics(r *router, x *Node, wan *Port, served []Filter) {
	n := r.network
	var arriving, leaving []Filter
	left := []Filter{{Neighbour: true}}
	seen := map[netip.Addr]bool{}
	may := func(public netip.Addr) {
		if !seen[public] {
			seen[public] = true
			left = append(left, Filter{Out: wan.Name, Family: familyOf(public), Src: address.Single(public)})
		}
	}
	for _, w := range n.Workloads() {
		for _, private := range w.Addrs {
			public, has := w.PublicLike(private)
			if !has {
				continue
			}
			may(public)
			if public != private {
				arriving = append(arriving, Filter{In: wan.Name, Family: familyOf(public), Dst: address.Single(public), Then: To, New: private})
				leaving = append(leaving, Filter{Out: wan.Name, Family: familyOf(private), Src: address.Single(private), Then: From, New: public})
			}
		}
	}
	for _, g := range n.NATs() {
		for _, f := range families {
			for _, public := range g.PublicLike(f) {
				may(public)
			}
		}
		for _, private := range g.Addrs {
			if public := g.PublicLike(private); len(public) > 0 && public[0] != private {
				leaving = append(leaving, Filter{Out: wan.Name, Family: familyOf(private), Src: address.Single(private), Then: From, New: public[0]})
			}
		}
	}
	// A workload that the internet knows as it is needs no other address.
	leaving = append(leaving, left[1:]...)
	leaving = append(leaving, served...)
	if n.Profile.ImplicitOut {
		chosen := b.choose()
		b.made[n] = chosen
		may(chosen)
		for _, w := range n.Workloads() {
			if a, four := w.AddrLike(chosen); four {
				leaving = append(leaving, Filter{Out: wan.Name, Family: 4, Src: address.Single(a), Then: From, New: chosen})
			}
		}
	}
	left = append(left, Filter{Out: wan.Name, Then: Drop})
	x.chain(Chain{Name: "public-in", Hook: Arriving, Rules: arriving})
	x.chain(Chain{Name: "public-out", Hook: Leaving, Rules: leaving})
	x.chain(Chain{Name: "public-only", Hook: Left, Rules: left})
}

// choose makes up a public address that nobody has, as a cloud does for workloads that get out without one.
func (b *builder) choose() netip.Addr {
	free := b.e.Outside.Clip(netip.PrefixFrom(b.e.StandIn, 24).Masked())
	var taken []netip.Prefix
	for _, a := range b.made {
		taken = append(taken, address.Single(a))
	}
	for _, a := range b.world.Own {
		taken = append(taken, address.Single(a))
	}
	return free.Minus(address.SetOf(taken...)).First()
}

// join lays the cables of peerings, hub links, attachments and links to sites, where both sides have accepted them.
func (b *builder) join() {
	lay := func(purpose string, a, c *Node) cable {
		x, y := b.cable(a, c, purpose, "x", "x")
		return cable{x, y}
	}
	for _, p := range b.e.Peerings {
		if a, c := b.routers[p.Between[0]], b.routers[p.Between[1]]; p.Stands() && a != nil && c != nil {
			b.joins[p] = lay("peering "+p.Name, a.Node, c.Node)
		}
	}
	for _, l := range b.e.HubLinks {
		if l.Stands() {
			b.joins[l] = lay("hub link "+l.Name, b.hubs[l.Between[0]], b.hubs[l.Between[1]])
		}
	}
	for _, h := range b.e.Hubs {
		for _, a := range h.Attachments {
			near := b.sites[a.Site]
			if a.Network != nil {
				r := b.routers[a.Network]
				if r == nil {
					continue
				}
				near = r.Node
			}
			b.ties[a] = lay("attachment", near, b.hubs[h])[0]
		}
	}
	for _, s := range b.e.Sites {
		if r := b.routers[s.Link]; r != nil {
			b.links[s] = lay("link", b.sites[s], r.Node)
		}
	}
}
