package estate

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/plan"
)

// This part of the builder binds what joins networks: sites, peerings, hubs and their links.

func (b *builder) sites() {
	for _, p := range b.e.Plan.Sites {
		s := &Site{Plan: p, Name: p.Name.Value, Ranges: prefixes(p.Ranges), Knows: prefixes(p.Knows)}
		b.e.Sites = append(b.e.Sites, s)
		b.e.scope.bind(s.Name, s)
		for _, kind := range []Kind{NetworkKind, WorkloadKind} {
			if b.e.scope[kind][s.Name] != nil {
				b.report(p.Name.At, spot{s, ""}, nameTwice, "rename one of them", "a %s is named %s too, and both can be an end of a question", kind, s.Name)
			}
		}
		if b.isHub(p.Link) {
			b.report(p.Link.At, spot{s, "link"}, wrongKey, fmt.Sprintf("take it out, and write  %s: TABLE  under attach of hub %s", s.Name, p.Link.Value), "a link leads to a network, and %s is a hub", p.Link.Value)
		} else if p.Link.Given() {
			if s.Link = b.network(p.Link, spot{s, "link"}); s.Link != nil {
				s.Link.Links = append(s.Link.Links, s)
			}
		}
	}
}

// isHub reports whether a name is that of a hub, and of no network.
func (b *builder) isHub(t plan.Text) bool {
	return b.e.Network(t.Value) == nil && slices.ContainsFunc(b.e.Plan.Hubs, func(h *plan.Hub) bool { return h.Name.Value == t.Value })
}

func (b *builder) clusters() {
	for _, p := range b.e.Plan.Clusters {
		c := &Cluster{Plan: p, Name: p.Name.Value, Pods: prefixes(p.Pods), Services: prefixes(p.Services)}
		if p.In.Given() {
			if c.Network = b.network(p.In, spot{c, "in"}); c.Network == nil {
				continue
			}
		}
		b.e.Clusters = append(b.e.Clusters, c)
		b.e.scope.bind(c.Name, c)
	}
}

// knows adds the ranges of what sites know by name.
func (b *builder) knows() {
	for _, s := range b.e.Sites {
		for _, t := range s.Plan.Names {
			s.Knows = append(s.Knows, b.rangesOf(t, spot{s, "knows"})...)
		}
	}
}

func (b *builder) peerings() {
	for _, p := range b.e.Plan.Peerings {
		x := &Peering{Plan: p, Name: p.Name.Value}
		if !between(b, p.Between, x, NetworkKind, &x.Between) {
			continue
		}
		b.halves(p.Accepted, p.Between, &x.Accepted, spot{x, "accepted"})
		b.halves(p.Exports, p.Between, &x.Exports, spot{x, "exports"})
		b.halves(p.Imports, p.Between, &x.Imports, spot{x, "imports"})
		copy(x.Meant[:], b.partsOf(spot{x, "only"}, "part of either side", p.Only, x.Between[:]...))
		b.e.Peerings = append(b.e.Peerings, x)
		b.e.scope.bind(x.Name, x)
		for _, n := range x.Between {
			n.Peerings = append(n.Peerings, x)
		}
	}
}

// between binds the two ends of a peering or a link, and reports whether there are two.
func between[T Object](b *builder, given []plan.Text, what Object, kind Kind, ends *[2]T) bool {
	word, in := strings.ReplaceAll(string(what.Kind()), " ", "-"), spot{what, "between"}
	if len(given) != 2 {
		if len(given) > 0 {
			b.report(given[0].At, in, diag.Code("bad-"+word), "write  between: [ONE, OTHER]", "a %s is between two %ss, not %d", what.Kind(), kind, len(given))
		}
		return false
	}
	none := Object(*new(T))
	for i, t := range given {
		ends[i] = lookup[T](b, nil, b.e.scope, kind, t, in)
	}
	switch {
	case Object(ends[0]) == none || Object(ends[1]) == none:
		return false
	case Object(ends[0]) == Object(ends[1]):
		b.report(given[1].At, in, diag.Code(word+"-with-itself"), "name another "+string(kind), "a %s cannot join %s %s with itself", what.Kind(), kind, given[0].Value)
		return false
	}
	return true
}

// halves notes which of two ends are named.
func (b *builder) halves(named, ends []plan.Text, into *[2]bool, in spot) {
	for _, t := range named {
		i := slices.IndexFunc(ends, func(end plan.Text) bool { return end.Value == t.Value })
		if i < 0 {
			b.unknown(t, in, "end of this "+string(in.of.Kind()), func() []string { return []string{ends[0].Value, ends[1].Value} })
			continue
		}
		into[i] = true
	}
}

func (b *builder) hubs() {
	for _, p := range b.e.Plan.Hubs {
		h := &Hub{Plan: p, Name: p.Name.Value, scope: scope{}, attached: map[string]*Attachment{}}
		b.e.Hubs = append(b.e.Hubs, h)
		b.e.scope.bind(h.Name, h)
		if p.Region.Given() {
			b.region(p.Region, spot{h, "region"})
		}
		for _, tp := range p.Tables {
			t := &HubTable{Plan: tp, Name: tp.Name.Value, Hub: h}
			h.Tables = append(h.Tables, t)
			h.scope.bind(t.Name, t)
		}
		for _, ap := range p.Attach {
			a := &Attachment{Hub: h, Network: b.e.Network(ap.Who.Value), Site: b.e.Site(ap.Who.Value), Arrives: ap.Arrives, At: ap.Who.At}
			a.Table = b.tableOfHub(h, ap.Table, spot{h, "attach." + ap.Who.Value})
			switch {
			case a.Network != nil:
				a.Site = nil
				a.Network.Attachments = append(a.Network.Attachments, a)
			case a.Site != nil:
				a.Site.Attachments = append(a.Site.Attachments, a)
			default:
				b.unknown(ap.Who, spot{h, "attach"}, "network or site", func() []string { return b.e.scope.names(NetworkKind, SiteKind) })
				continue
			}
			var ends []*Network // a site has no parts
			if a.Network != nil {
				ends = append(ends, a.Network)
			}
			for _, m := range b.partsOf(spot{h, "attach." + ap.Who.Value}, "part of "+ap.Who.Value, ap.Only, ends...) {
				a.Meant = m
			}
			h.Attachments = append(h.Attachments, a)
			h.attached[a.To().ID()] = a
		}
	}
}

// tableOfHub finds a table of a hub, or reports the name; then one stands in for it that has no routes.
func (b *builder) tableOfHub(h *Hub, t plan.Text, in spot) *HubTable {
	if found := lookup[*HubTable](b, h, h.scope, HubTableKind, t, in); found != nil {
		return found
	}
	return noTable(h)
}

func noTable(h *Hub) *HubTable { return &HubTable{Plan: &plan.HubTable{}, Hub: h} }

func (b *builder) hubLinks() {
	for _, p := range b.e.Plan.HubLinks {
		l := &HubLink{Plan: p, Name: p.Name.Value}
		if !between(b, p.Between, l, HubKind, &l.Between) {
			continue
		}
		b.halves(p.Accepted, p.Between, &l.Accepted, spot{l, "accepted"})
		for _, t := range p.Tables {
			i := slices.IndexFunc(l.Between[:], func(h *Hub) bool { return h.Name == t.Who.Value })
			if i < 0 {
				b.unknown(t.Who, spot{l, "tables"}, "end of this hub link", func() []string { return []string{p.Between[0].Value, p.Between[1].Value} })
				continue
			}
			l.Tables[i] = b.tableOfHub(l.Between[i], t.Table, spot{l, "tables"})
		}
		for i, h := range l.Between {
			if l.Tables[i] == nil && !slices.ContainsFunc(p.Tables, func(t plan.Attachment) bool { return t.Who.Value == h.Name }) {
				b.report(p.Name.At, spot{l, ""}, noHubTable, fmt.Sprintf("add  tables: {%s: TABLE, ...}", h.Name), "nothing says which table of hub %s looks up what comes over link %s", h.Name, l.Name)
			}
			if l.Tables[i] == nil {
				l.Tables[i] = noTable(h)
			}
		}
		b.e.HubLinks = append(b.e.HubLinks, l)
		b.e.scope.bind(l.Name, l)
		for _, h := range l.Between {
			h.Links = append(h.Links, l)
		}
	}
}

// hops reports names that a route could take for two things: of a network's gateways, peerings, hubs, sites and workloads,
// and of the links of a hub and what is attached to it.
func (b *builder) hops() {
	for _, n := range b.e.Networks {
		named := map[string]Object{}
		for _, g := range n.Gateways {
			if !g.Born {
				b.hop(named, g.Name, g)
			}
		}
		for _, p := range n.Peerings {
			b.hop(named, p.Name, p)
		}
		for _, a := range n.Attachments {
			b.hop(named, a.Hub.Name, a.Hub)
		}
		for _, s := range n.Links {
			b.hop(named, s.Name, s)
		}
		for _, w := range n.crowd {
			if named[w.Name] != nil && w.Forwards != NotForwarding { // no route is led to one that drops what comes
				b.hop(named, w.Name, w)
			}
		}
	}
	for _, h := range b.e.Hubs {
		named := map[string]Object{}
		for _, a := range h.Attachments {
			b.hop(named, a.To().ID(), a.To())
		}
		for _, l := range b.e.HubLinks {
			if l.Between[0] == h || l.Between[1] == h {
				b.hop(named, l.Name, l)
			}
		}
	}
}

// hop notes what a route could mean by a name, and reports one that has been noted for another thing.
func (b *builder) hop(named map[string]Object, name string, o Object) {
	first := named[name]
	if first == nil || first == o {
		named[name] = o
		return
	}
	if o.At() < first.At() {
		first, o = o, first
	}
	b.report(o.At(), spot{o, ""}, nameTwice, "rename one of them", "a %s is named %s too (%s), and a route could mean either", first.Kind(), name, b.e.Plan.Files.Where(first.At()))
}

func (b *builder) hubTables() {
	for _, h := range b.e.Hubs {
		for _, t := range h.Tables {
			b.hubTable(t)
		}
	}
}

func (b *builder) hubTable(t *HubTable) {
	for _, r := range t.Plan.Routes {
		var via Object
		if r.Via.Value == plan.Blackhole {
			via = Blackhole
		} else if l := b.e.HubLink(r.Via.Value); l != nil && slices.Contains(l.Between[:], t.Hub) {
			via = l
		} else if a := b.attached(t.Hub, r.Via, spot{t, "routes"}); a != nil {
			via = a.To()
		} else {
			continue
		}
		for _, route := range b.byHand(r, via, spot{t, "routes"}) {
			b.add(&t.Routes, t.routes.Insert(route.To, route), route, t)
		}
	}
	for _, name := range t.Plan.Learns {
		a := b.attached(t.Hub, name, spot{t, "learns"})
		if a == nil {
			continue
		}
		for _, p := range a.Ranges() {
			route := &Route{To: p, Origin: Learned, Via: a.To(), At: name.At}
			t.Routes = append(t.Routes, route)
			rank(&t.routes, route)
		}
	}
}

// attached finds who is attached to a hub under a name, or reports the name.
func (b *builder) attached(h *Hub, t plan.Text, in spot) *Attachment {
	if a := h.attached[t.Value]; a != nil {
		return a
	}
	b.unknown(t, in, "attachment of hub "+h.Name, func() []string { return slices.Sorted(maps.Keys(h.attached)) })
	return nil
}
