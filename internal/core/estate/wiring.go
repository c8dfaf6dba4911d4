package estate

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/plan"
)

// This half of the builder binds what joins networks: sites, peerings, hubs, and the routes that lead to them.

func (b *builder) sites() {
	b.e.sites = map[string]*Site{}
	for _, p := range b.e.Plan.Sites {
		s := &Site{Plan: p, Name: p.Name.Value, Ranges: prefixes(p.Ranges), Knows: prefixes(p.Knows)}
		place := "sites." + s.Name
		b.e.Sites = append(b.e.Sites, s)
		b.e.sites[s.Name] = s
		for kind, taken := range map[string]bool{"network": b.e.networks[s.Name] != nil, "workload": b.e.workloads[s.Name] != nil} {
			if taken {
				b.report(p.Name.At, place, "name-twice", "rename one of them", "a %s is named %s too, and both can be an end of a question", kind, s.Name)
			}
		}
		if p.Link.Given() {
			if s.Link = lookup(b, p.Link, place+".link", "network", b.e.networks); s.Link != nil {
				s.Link.Links = append(s.Link.Links, s)
			}
		}
	}
}

func (b *builder) clusters() {
	for _, p := range b.e.Plan.Clusters {
		c := &Cluster{Plan: p, Name: p.Name.Value, Pods: prefixes(p.Pods), Services: prefixes(p.Services)}
		if p.In.Given() {
			if c.Network = lookup(b, p.In, "clusters."+c.Name+".in", "network", b.e.networks); c.Network == nil {
				continue
			}
		}
		b.e.Clusters = append(b.e.Clusters, c)
	}
}

func (b *builder) peerings() {
	b.e.peerings = map[string]*Peering{}
	for _, p := range b.e.Plan.Peerings {
		x := &Peering{Plan: p, Name: p.Name.Value}
		place := "peerings." + x.Name
		if !between(b, p.Between, place, "peering", "network", b.e.networks, &x.Between) {
			continue
		}
		b.halves(p.Accepted, p.Between, &x.Accepted, place+".accepted", "peering")
		b.halves(p.Exports, p.Between, &x.Exports, place+".exports", "peering")
		b.halves(p.Imports, p.Between, &x.Imports, place+".imports", "peering")
		b.e.Peerings = append(b.e.Peerings, x)
		b.e.peerings[x.Name] = x
		for _, n := range x.Between {
			n.Peerings = append(n.Peerings, x)
		}
	}
}

// between binds the two ends of a peering or a link, and reports whether there are two.
func between[T any](b *builder, given []plan.Text, place, what, kind string, all map[string]*T, ends *[2]*T) bool {
	if len(given) != 2 {
		if len(given) > 0 {
			b.report(given[0].At, place+".between", "bad-"+strings.ReplaceAll(what, " ", "-"), "write  between: [ONE, OTHER]", "a %s is between two %ss, not %d", what, kind, len(given))
		}
		return false
	}
	for i, t := range given {
		ends[i] = lookup(b, t, place+".between", kind, all)
	}
	switch {
	case ends[0] == nil || ends[1] == nil:
		return false
	case ends[0] == ends[1]:
		b.report(given[1].At, place+".between", strings.ReplaceAll(what, " ", "-")+"-with-itself", "name another "+kind, "a %s cannot join %s %s with itself", what, kind, given[0].Value)
		return false
	}
	return true
}

// halves notes which of two ends are named.
func (b *builder) halves(named, ends []plan.Text, into *[2]bool, place, what string) {
	for _, t := range named {
		i := slices.IndexFunc(ends, func(end plan.Text) bool { return end.Value == t.Value })
		if i < 0 {
			b.unknown(t, place, "end of this "+what, []string{ends[0].Value, ends[1].Value})
			continue
		}
		into[i] = true
	}
}

func (b *builder) hubLinks() {
	b.e.hubLinks = map[string]*HubLink{}
	for _, p := range b.e.Plan.HubLinks {
		l := &HubLink{Plan: p, Name: p.Name.Value}
		place := "hub-links." + l.Name
		if !between(b, p.Between, place, "hub link", "hub", b.e.hubs, &l.Between) {
			continue
		}
		b.halves(p.Accepted, p.Between, &l.Accepted, place+".accepted", "hub link")
		for _, t := range p.Tables {
			i := slices.IndexFunc(l.Between[:], func(h *Hub) bool { return h.Name == t.Who.Value })
			if i < 0 {
				b.unknown(t.Who, place+".tables", "end of this hub link", []string{p.Between[0].Value, p.Between[1].Value})
				continue
			}
			tables := map[string]*HubTable{}
			for _, x := range l.Between[i].Tables {
				tables[x.Name] = x
			}
			l.Tables[i] = lookup(b, t.Table, place+".tables", "table of hub "+t.Who.Value, tables)
		}
		for i, h := range l.Between {
			if l.Tables[i] == nil && !slices.ContainsFunc(p.Tables, func(t plan.Attachment) bool { return t.Who.Value == h.Name }) {
				b.report(p.Name.At, place, "no-hub-table", fmt.Sprintf("add  tables: {%s: TABLE, ...}", h.Name), "nothing says which table of hub %s looks up what comes over link %s", h.Name, l.Name)
			}
		}
		b.e.HubLinks = append(b.e.HubLinks, l)
		b.e.hubLinks[l.Name] = l
	}
}

func (b *builder) hubs() {
	b.e.hubs = map[string]*Hub{}
	for _, p := range b.e.Plan.Hubs {
		h := &Hub{Plan: p, Name: p.Name.Value}
		place := "hubs." + h.Name
		b.e.Hubs = append(b.e.Hubs, h)
		b.e.hubs[h.Name] = h
		if p.Region.Given() {
			lookup(b, p.Region, place+".region", "region", b.e.regions)
		}
		tables := map[string]*HubTable{}
		for _, tp := range p.Tables {
			t := &HubTable{Plan: tp, Name: tp.Name.Value, Hub: h}
			h.Tables = append(h.Tables, t)
			tables[t.Name] = t
		}
		for _, ap := range p.Attach {
			a := &Attachment{Hub: h, Network: b.e.networks[ap.Who.Value], Site: b.e.sites[ap.Who.Value], At: ap.Who.At}
			a.Table = lookup(b, ap.Table, place+".attach."+ap.Who.Value, "table of hub "+h.Name, tables)
			switch {
			case a.Network != nil:
				a.Site = nil
				a.Network.Attachments = append(a.Network.Attachments, a)
			case a.Site != nil:
				a.Site.Attachments = append(a.Site.Attachments, a)
			default:
				b.unknown(ap.Who, place+".attach", "network or site", append(names(b.e.networks), names(b.e.sites)...))
				continue
			}
			h.Attachments = append(h.Attachments, a)
		}
	}
}

func (b *builder) hubTables() {
	for _, h := range b.e.Hubs {
		for _, t := range h.Tables {
			b.hubTable(t, "hubs."+h.Name+".tables."+t.Name)
		}
	}
}

// imports gives networks the custom routes that their peers export to them, where those install themselves.
func (b *builder) imports() {
	for _, n := range b.e.Networks {
		for _, r := range n.Main.Routes {
			if r.Origin == ByHand && (r.Via.Site != nil || r.Via.Hub != nil) {
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
					r := &Route{To: custom.To, Origin: Learned, Via: NextHop{Name: p.Name, Peering: p}, At: p.Plan.Name.At}
					if t.routes.Insert(r.To, r) {
						t.Routes = append(t.Routes, r)
					}
				}
			}
		}
	}
}

// attached finds who is attached to a hub under a name, or reports the name.
func (b *builder) attached(h *Hub, t plan.Text, place string) *Attachment {
	var known []string
	for _, a := range h.Attachments {
		if a.Name() == t.Value {
			return a
		}
		known = append(known, a.Name())
	}
	b.unknown(t, place, "attachment of hub "+h.Name, known)
	return nil
}

// Name is the name of the network or site that is attached.
func (a *Attachment) Name() string {
	if a.Network != nil {
		return a.Network.Name
	}
	return a.Site.Name
}

// hop is the next hop that an attachment is to the tables of its hub.
func (a *Attachment) hop() NextHop { return NextHop{Name: a.Name(), Network: a.Network, Site: a.Site} }

func (b *builder) hubTable(t *HubTable, place string) {
	for _, r := range t.Plan.Routes {
		route := &Route{To: r.To.Prefix, Origin: ByHand, At: r.At}
		if r.Via.Value == plan.Blackhole {
			route.Via = NextHop{Name: plan.Blackhole, Blackhole: true}
		} else if l := b.e.hubLinks[r.Via.Value]; l != nil && slices.Contains(l.Between[:], t.Hub) {
			route.Via = NextHop{Name: l.Name, Link: l}
		} else if a := b.attached(t.Hub, r.Via, place+".routes"); a != nil {
			route.Via = a.hop()
		} else {
			continue
		}
		b.add(&t.Routes, t.routes.Insert(route.To, route), route, place)
	}
	for _, name := range t.Plan.Learns {
		a := b.attached(t.Hub, name, place+".learns")
		if a == nil {
			continue
		}
		ranges := []netip.Prefix(nil)
		if a.Network != nil {
			ranges = a.Network.Ranges
		} else {
			ranges = a.Site.Ranges
		}
		for _, p := range ranges {
			route := &Route{To: p, Origin: Learned, Via: a.hop(), At: name.At}
			t.Routes = append(t.Routes, route)
			t.routes.Insert(p, route)
		}
	}
}

// add notes a route by hand, or reports that its range is routed already.
func (b *builder) add(list *[]*Route, added bool, r *Route, place string) {
	*list = append(*list, r)
	if !added {
		b.report(r.At, place+".routes", "route-twice", "keep one of the two", "this table has a route to %s already", r.To)
	}
}

func (b *builder) tables() {
	for _, n := range b.e.Networks {
		place := "networks." + n.Name + ".tables."
		for _, p := range n.Plan.Tables {
			t := &Table{Plan: p, Name: p.Name.Value, Network: n, Main: p.Main.Value}
			n.Tables = append(n.Tables, t)
			if t.Main {
				if n.Main != nil {
					b.report(p.Main.At, place+t.Name+".main", "two-main-tables", "keep one main table", "network %s has main table %s already", n.Name, n.Main.Name)
				} else {
					n.Main = t
				}
			}
			for _, name := range p.Subnets {
				s := b.subnet(n, name, place+t.Name+".subnets")
				switch {
				case s == nil:
				case s.Table == t:
					b.report(name.At, place+t.Name+".subnets", "table-twice", "name it once", "subnet %s stands twice", s.Name)
				case s.Table != nil:
					b.report(name.At, place+t.Name+".subnets", "table-twice", "name the subnet in one table only", "subnet %s has table %s already", s.Name, s.Table.Name)
				default:
					s.Table = t
					t.Subnets = append(t.Subnets, s)
				}
			}
		}
		if n.Main == nil {
			n.Main = &Table{Name: "main", Network: n, Main: true}
			n.Tables = append(n.Tables, n.Main)
		}
		for _, s := range n.Subnets {
			if s.Table == nil {
				s.Table, s.ByDefault = n.Main, true
				n.Main.Subnets = append(n.Main.Subnets, s)
			}
		}
		for _, t := range n.Tables {
			b.routes(t, place+t.Name)
		}
	}
}

// routes fills a table in the order in which routes beat each other at the same length.
func (b *builder) routes(t *Table, place string) {
	n := t.Network
	for _, p := range n.Ranges {
		r := &Route{To: p, Origin: Local}
		t.Routes = append(t.Routes, r)
		t.routes.Insert(p, r)
	}
	if t.Plan != nil {
		for _, rp := range t.Plan.Routes {
			hop, found := b.nextHop(n, rp.Via, place+".routes")
			if !found {
				continue
			}
			r := &Route{To: rp.To.Prefix, Origin: ByHand, Via: hop, At: rp.At}
			if slices.Contains(n.Ranges, r.To) {
				b.report(r.At, place+".routes", "route-local", "remove it, or route a part of the range", "%s is the network's own range, and its local route always wins", r.To)
				continue
			}
			b.add(&t.Routes, t.routes.Insert(r.To, r), r, place)
		}
	}
	if n.Profile.PeerRoutes {
		for _, p := range n.Peerings {
			if !p.Stands() {
				continue
			}
			for _, far := range p.Far(n).Ranges {
				r := &Route{To: far, Origin: Learned, Via: NextHop{Name: p.Name, Peering: p}, At: p.Plan.Name.At}
				t.Routes = append(t.Routes, r)
				t.routes.Insert(far, r)
			}
		}
	}
	if g := n.InternetGateway(); n.Profile.DefaultRoute && g != nil {
		for _, all := range []string{"0.0.0.0/0", "::/0"} {
			r := &Route{To: netip.MustParsePrefix(all), Origin: Birth, Via: NextHop{Name: g.Name, Gateway: g}}
			if t.routes.Insert(r.To, r) {
				t.Routes = append(t.Routes, r)
			}
		}
	}
}

// nextHop finds what a route of a network leads to. The name may be that of a gateway of the network, a peering, hub or
// site that the network is tied to, or a workload.
func (b *builder) nextHop(n *Network, via plan.Text, place string) (NextHop, bool) {
	hop := NextHop{Name: via.Value}
	if via.Value == plan.Blackhole {
		hop.Blackhole = true
		return hop, true
	}
	if g := n.gateways[via.Value]; g != nil {
		hop.Gateway = g
		if len(g.Serves) > 0 {
			b.report(via.At, place, "nat-no-hop", "route to the internet gateway; the NAT serves its subnets there", "NAT gateway %s serves subnets and is no next hop", g.Name)
			return hop, false
		}
		return hop, true
	}
	if p := b.e.peerings[via.Value]; p != nil {
		if !slices.Contains(n.Peerings, p) {
			b.report(via.At, place, "not-joined", "choose a peering of "+n.Name+": "+orNo(peeringNames(n)), "peering %s does not have network %s at either end", p.Name, n.Name)
			return hop, false
		}
		hop.Peering = p
		return hop, true
	}
	if h := b.e.hubs[via.Value]; h != nil {
		if !slices.ContainsFunc(n.Attachments, func(a *Attachment) bool { return a.Hub == h }) {
			b.report(via.At, place, "not-joined", "add "+n.Name+" to attach of the hub, with a hub table", "network %s is not attached to hub %s", n.Name, h.Name)
			return hop, false
		}
		hop.Hub = h
		return hop, true
	}
	if s := b.e.sites[via.Value]; s != nil {
		if s.Link != n {
			b.report(via.At, place, "not-joined", "write  link: "+n.Name+"  at the site, or route to the hub that it is behind", "site %s is not linked to network %s", s.Name, n.Name)
			return hop, false
		}
		hop.Site = s
		return hop, true
	}
	if w := b.e.workloads[via.Value]; w != nil {
		if w.Subnet == nil || w.Subnet.Network != n {
			b.report(via.At, place, "not-joined", "choose a workload of network "+n.Name, "workload %s is not in network %s", w.Name, n.Name)
			return hop, false
		}
		hop.Workload = w
		return hop, true
	}
	known := append(names(n.gateways), peeringNames(n)...)
	for _, a := range n.Attachments {
		known = append(known, a.Hub.Name)
	}
	for _, s := range n.Links {
		known = append(known, s.Name)
	}
	b.unknown(via, place, "gateway, peering, hub, site or workload", append(known, plan.Blackhole))
	return hop, false
}

func peeringNames(n *Network) []string {
	var out []string
	for _, p := range n.Peerings {
		out = append(out, p.Name)
	}
	return out
}

func orNo(words []string) string {
	if len(words) == 0 {
		return "it has none"
	}
	return strings.Join(words, ", ")
}

// rules binds the groups that rules name, and the groups of workloads.
func (b *builder) rules() {
	for _, n := range b.e.Networks {
		for _, p := range n.Plan.Groups {
			g := &Group{Plan: p, Name: p.Name.Value, Network: n, addrs: map[netip.Addr]bool{}}
			n.Groups = append(n.Groups, g)
			n.groups[g.Name] = g
		}
	}
	for _, n := range b.e.Networks {
		for _, g := range n.Groups {
			place := "networks." + n.Name + ".groups." + g.Name
			g.In = b.bindRules(n, g.Plan.In, place+".in")
			g.Out = b.bindRules(n, g.Plan.Out, place+".out")
		}
		for _, l := range n.Lists {
			place := "networks." + n.Name + ".lists." + l.Name
			l.In = b.bindRules(n, l.Plan.In, place+".in")
			l.Out = b.bindRules(n, l.Plan.Out, place+".out")
		}
	}
	for _, w := range b.e.Workloads {
		if w.Subnet == nil {
			continue
		}
		n := w.Subnet.Network
		for _, t := range w.Plan.Groups {
			t.Value = strings.TrimPrefix(t.Value, n.Name+"/")
			g := lookup(b, t, "workloads."+w.Name+".groups", "group of network "+n.Name, n.groups)
			if g == nil || slices.Contains(w.Groups, g) {
				continue
			}
			w.Groups = append(w.Groups, g)
			g.Members = append(g.Members, w)
			for _, a := range w.Addrs {
				g.addrs[a] = true
			}
		}
	}
}

func (b *builder) bindRules(n *Network, rules []plan.Rule, place string) []Rule {
	out := make([]Rule, 0, len(rules))
	for i := range rules {
		r := Rule{Rule: &rules[i]}
		if name := rules[i].Peer.Group; name != "" {
			owner := n
			if network, group, found := strings.Cut(name, "/"); found {
				if owner = lookup(b, plan.Text{Value: network, At: r.At}, place, "network", b.e.networks); owner == nil {
					continue
				}
				name = group
			}
			if r.Group = lookup(b, plan.Text{Value: name, At: r.At}, place, "group of network "+owner.Name, owner.groups); r.Group == nil {
				continue
			}
		}
		out = append(out, r)
	}
	return out
}

// expectations checks that each end is a thing of the estate.
func (b *builder) expectations() {
	for _, x := range b.e.Plan.Expect {
		for _, end := range []string{x.From, x.To} {
			if !b.e.isEnd(end) {
				b.unknown(plan.Text{Value: end, At: x.At}, "expect", "workload, site, network, tier or subnet",
					slices.Concat(names(b.e.workloads), names(b.e.sites), names(b.e.networks), []string{"internet"}))
			}
		}
	}
}

// isEnd reports whether a word names something that can be an end of a question.
func (e *Estate) isEnd(word string) bool {
	if word == "internet" || e.workloads[word] != nil || e.sites[word] != nil || e.networks[word] != nil {
		return true
	}
	if _, err := netip.ParseAddr(word); err == nil {
		return true
	}
	network, part, found := strings.Cut(word, "/")
	n := e.networks[network]
	return found && n != nil && (n.subnets[part] != nil || n.tiers[part] != nil)
}
