package cli

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// This file makes the cards of the show command, one kind of thing after another.

func networkCard(n *estate.Network) *card {
	k := &card{kind: "network", name: n.Name, at: n.At()}
	k.fact("profile", "%s", n.Profile.Name)
	for _, r := range n.Regions {
		k.fact("region", "%s", r.Name.Value)
	}
	if len(n.Ranges) > 0 {
		k.fact("range", "%s", phrase.List(n.Ranges))
	} else {
		k.fact("range", "none yet; wendrik carve gives it one")
	}
	k.part("subnets", subnetsSheet(n.Subnets))
	held := &sheet{header: []string{"held part", "range", "for", "owner"}, wrap: 2}
	for _, h := range n.Held {
		held.add(h.Name, phrase.List(h.Ranges), h.Plan.For.Value, h.Plan.Owner.Value)
	}
	k.part("held parts", held)
	gateways := &sheet{header: []string{"gateway", "kind", "in", "address", "seen as"}, wrap: -1}
	for _, g := range n.Gateways {
		gateways.add(g.Name, gatewayKind(g), subnetName(g.In), phrase.List(g.Addrs), phrase.List(g.Public))
	}
	k.part("gateways", gateways)
	tables := &sheet{header: []string{"table", "for", "routes"}, right: map[int]bool{2: true}, wrap: 1}
	for _, t := range n.Tables {
		tables.add(t.Name, tableFor(t), fmt.Sprint(len(t.Routes)))
	}
	k.part("route tables", tables)
	guards := &sheet{header: []string{"filter", "kind", "guards", "in", "out"}, right: map[int]bool{3: true, 4: true}, wrap: 2}
	for _, g := range n.Groups {
		guards.add(g.Name, "group", phrase.Names(g.Members, func(w *estate.Workload) string { return w.Name }), fmt.Sprint(len(g.In)), fmt.Sprint(len(g.Out)))
	}
	for _, l := range n.Lists {
		guards.add(l.Name, "list", phrase.Names(l.Guards(), func(s *estate.Subnet) string { return s.Name }), fmt.Sprint(len(l.In)), fmt.Sprint(len(l.Out)))
	}
	k.part("groups and lists", guards)
	joined := &sheet{header: []string{"what", "by", "state"}, wrap: -1}
	for _, p := range n.Peerings {
		joined.add("network "+p.Far(n).Name, "peering "+p.Name, peeringState(p))
	}
	for _, a := range n.Attachments {
		joined.add("hub "+a.Hub.Name, "attachment", "table "+a.Table.Name)
	}
	for _, s := range n.Links {
		joined.add("site "+s.Name, "link", phrase.List(s.Ranges))
	}
	k.part("joined to", joined)
	k.part("workloads", workloadsSheet(n.Workloads()))
	return k
}

func subnetsSheet(subnets []*estate.Subnet) *sheet {
	t := &sheet{header: []string{"subnet", "tier", "zone", "range", "usable", "taken", "table", "list"}, right: map[int]bool{4: true, 5: true}, wrap: -1,
		paint: func(column int, cell string) pretty.Colors {
			if column == 6 && strings.HasSuffix(cell, ", by default") {
				return dim
			}
			return nil
		}}
	for _, s := range subnets {
		list, table := "", s.Table.Name
		if s.List != nil {
			list = s.List.Name
		}
		if s.ByDefault {
			table += ", by default"
		}
		if len(s.Ranges) == 0 {
			t.add(s.Name, s.Plan.Tier.Value, s.Zone, "", "", "", table, list)
		}
		for _, r := range s.Ranges {
			t.add(s.Name, s.Plan.Tier.Value, s.Zone, r.String(), s.Network.Profile.Usable(r).String(), fmt.Sprint(s.Taken(r)), table, list)
		}
	}
	return t
}

func workloadsSheet(all []*estate.Workload) *sheet {
	t := &sheet{header: []string{"workload", "subnet", "address", "public", "groups", "listens"}, wrap: 5}
	for _, w := range all {
		t.add(w.Name, w.Subnet.Name, phrase.List(w.Addrs), phrase.List(w.Public), phrase.Names(w.Groups, groupName), listens(w))
	}
	return t
}

func subnetCard(s *estate.Subnet) *card {
	k := &card{kind: "subnet", name: s.ID(), at: s.At()}
	if s.Tier != nil {
		k.fact("tier", "%s", s.Tier.Name)
	}
	if s.Zone != "" {
		k.fact("zone", "%s", s.Zone)
	}
	for _, r := range s.Ranges {
		first, last := s.Network.Profile.Ends(r)
		k.fact("range", "%s", r)
		if first.IsValid() {
			k.fact("usable", "%s, from %s to %s; %d taken", s.Network.Profile.Usable(r), first, last, s.Taken(r))
		} else {
			k.fact("usable", "none")
		}
	}
	if len(s.Ranges) == 0 {
		k.fact("range", "none yet; wendrik carve gives it one")
	}
	how := "names it"
	if s.ByDefault {
		how = "is its own because no table names it"
	}
	k.fact("table", "%s, which %s", s.Table.ID(), how)
	if s.List != nil {
		k.fact("list", "%s/%s", s.Network.Name, s.List.Name)
	} else {
		k.fact("list", "none: everything passes")
	}
	inside := &sheet{header: []string{"address", "host", "public", "groups", "listens"}, wrap: 4}
	for _, h := range s.Hosts() {
		if w := h.Workload; w != nil {
			inside.add(h.Addr.String(), w.Name, phrase.List(w.Public), phrase.Names(w.Groups, groupName), listens(w))
		} else {
			inside.add(h.Addr.String(), "NAT gateway "+h.NAT.Name, phrase.List(h.NAT.Public), "", "")
		}
	}
	k.part("taken addresses", inside)
	k.part("its route table", routesSheet(s.Table.Routes))
	return k
}

func tierCard(t *estate.Tier) *card {
	k := &card{kind: "tier", name: t.ID(), at: t.At()}
	if t.Plan.Access.Given() {
		k.fact("access", "%s", t.Plan.Access.Value)
	}
	if t.Plan.Hosts.Given() {
		k.fact("hosts", "%d in each subnet", t.Plan.Hosts.Value)
	}
	if t.Plan.Size.Given() {
		k.fact("size", "/%d each", t.Plan.Size.Value)
	}
	if len(t.Subnets) == 0 {
		k.fact("subnets", "none yet; wendrik carve gives it some")
	}
	k.part("subnets", subnetsSheet(t.Subnets))
	var workloads []*estate.Workload
	for _, s := range t.Subnets {
		workloads = append(workloads, s.Workloads...)
	}
	k.part("workloads", workloadsSheet(workloads))
	return k
}

func tableCard(t *estate.Table) *card {
	k := &card{kind: "route table", name: t.ID(), at: t.At()}
	k.fact("for", "%s", tableFor(t))
	if t.Plan == nil {
		k.fact("note", "the plan does not write it; it has what every network has")
	}
	k.part("routes", routesSheet(t.Routes))
	return k
}

var originNames = map[estate.Origin]string{estate.Local: "always there", estate.ByHand: "by hand", estate.Learned: "learned", estate.Birth: "from birth"}

func routesSheet(routes []*estate.Route) *sheet {
	t := &sheet{header: []string{"to", "via", "kind", "origin", "line"}, right: map[int]bool{4: true}, wrap: -1}
	for _, r := range routes {
		line := ""
		if r.At.Known() {
			line = fmt.Sprint(r.At.Line())
		}
		via, kind := r.ViaName(), ""
		switch hop := r.Via.(type) {
		case nil:
			via = "local"
		case *estate.Gateway:
			kind = gatewayKind(hop)
		default:
			if hop != estate.Blackhole {
				kind = string(hop.Kind())
			}
		}
		t.add(r.To.String(), via, kind, originNames[r.Origin], line)
	}
	return t
}

func workloadCard(w *estate.Workload) *card {
	k := &card{kind: "workload", name: w.Name, at: w.At()}
	k.fact("in", "%s", w.Plan.In.Value)
	k.fact("address", "%s", phrase.List(w.Addrs))
	if len(w.Public) > 0 {
		k.fact("public", "%s", phrase.List(w.Public))
	}
	if !w.Listens.Empty() {
		k.fact("listens", "%s", listens(w))
	}
	switch {
	case w.Forwards == estate.NATForwarding:
		k.fact("forwards", "what routes lead to it, under its own address")
	case w.Forwards == estate.PlainForwarding:
		k.fact("forwards", "what routes lead to it, as it is")
	}
	if len(w.Targets) > 0 {
		on := "what it was asked on"
		if !w.TargetPorts.Empty() {
			on = w.TargetPorts.String()
		}
		k.fact("targets", "%s, on %s", phrase.Names(w.Targets, func(x *estate.Workload) string { return x.Name }), on)
	}
	if s := w.Subnet; s != nil {
		k.fact("table", "%s", s.Table.ID())
		if s.List != nil {
			k.fact("list", "%s/%s", s.Network.Name, s.List.Name)
		}
	}
	if len(w.Groups) == 0 {
		k.fact("groups", "none: everything goes out, and nothing comes in")
	}
	rules := &sheet{header: []string{"group", "way", "rule", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for _, g := range w.Groups {
		addRules(rules, g.Name, g.In, g.Out)
	}
	k.part("groups", rules)
	return k
}

func addRules(t *sheet, name string, in, out []estate.Rule) {
	for _, r := range in {
		t.add(name, "in", r.Text, fmt.Sprint(r.At.Line()))
	}
	for _, r := range out {
		t.add(name, "out", r.Text, fmt.Sprint(r.At.Line()))
	}
	for _, way := range []struct {
		name  string
		empty bool
	}{{"in", len(in) == 0}, {"out", len(out) == 0}} {
		if way.empty {
			t.add(name, way.name, "(no rule: nothing passes)", "")
		}
	}
}

func groupCard(g *estate.Group) *card {
	k := &card{kind: "group", name: g.ID(), at: g.At()}
	rules := &sheet{header: []string{"group", "way", "rule", "line"}, right: map[int]bool{3: true}, wrap: 2}
	addRules(rules, g.Name, g.In, g.Out)
	k.part("rules", rules)
	k.part("members", workloadsSheet(g.Members))
	return k
}

func listCard(l *estate.List) *card {
	k := &card{kind: "list", name: l.ID(), at: l.At()}
	k.fact("guards", "%s", phrase.Names(l.Guards(), func(s *estate.Subnet) string { return s.Name }))
	rules := &sheet{header: []string{"list", "way", "rule", "line"}, right: map[int]bool{3: true}, wrap: 2}
	addRules(rules, l.Name, l.In, l.Out)
	k.part("rules, in order; what none matches is denied", rules)
	return k
}

func gatewayCard(g *estate.Gateway) *card {
	k := &card{kind: "gateway", name: g.ID(), at: g.At()}
	k.fact("kind", "%s", gatewayKind(g))
	switch {
	case g.Type == estate.InternetGateway && g.Attached:
		k.fact("attached", "yes")
	case g.Type == estate.InternetGateway:
		k.fact("attached", "no: nothing passes it")
	case g.Type == estate.EgressGateway:
		k.fact("carries", "IPv6 that begins inside, and its replies")
	case g.In != nil:
		k.fact("in", "%s", g.In.ID())
	default:
		k.fact("serves", "%s", phrase.Names(g.Serves, func(s *estate.Subnet) string { return s.Name }))
	}
	if len(g.Addrs) > 0 {
		k.fact("address", "%s", phrase.List(g.Addrs))
	}
	if len(g.Public) > 0 {
		k.fact("public", "%s", phrase.List(g.Public))
	}
	routes := &sheet{header: []string{"table", "to", "for", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for _, t := range g.Network.Tables {
		for _, r := range t.Routes {
			if r.Via == g {
				routes.add(t.Name, r.To.String(), tableFor(t), fmt.Sprint(r.At.Line()))
			}
		}
	}
	k.part("routes that lead to it", routes)
	if len(routes.rows) == 0 && len(g.Serves) == 0 {
		k.fact("note", "no route leads to it")
	}
	return k
}

func peeringCard(p *estate.Peering) *card {
	k := &card{kind: "peering", name: p.Name, at: p.At()}
	k.fact("between", "%s and %s", p.Between[0].Name, p.Between[1].Name)
	k.fact("state", "%s", peeringState(p))
	for i, n := range p.Between {
		if p.Carries(n) {
			k.fact("carries", "the routes of %s to sites and hubs, for %s", n.Name, p.Between[1-i].Name)
		}
	}
	routes := &sheet{header: []string{"table", "to", "for", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for _, n := range p.Between {
		for _, t := range n.Tables {
			for _, r := range t.Routes {
				if r.Via == p {
					routes.add(t.ID(), r.To.String(), tableFor(t), fmt.Sprint(r.At.Line()))
				}
			}
		}
	}
	k.part("routes that lead to it", routes)
	return k
}

func hubCard(e *estate.Estate, h *estate.Hub) *card {
	k := &card{kind: "hub", name: h.Name, at: h.At()}
	attached := &sheet{header: []string{"attached", "table"}, wrap: -1}
	for _, a := range h.Attachments {
		attached.add(a.To().ID(), a.Table.Name)
	}
	k.part("attachments", attached)
	links := &sheet{header: []string{"link", "to", "state"}, wrap: -1}
	for _, l := range e.HubLinks {
		if l.Between[0] == h || l.Between[1] == h {
			far, _ := l.Far(h)
			links.add(l.Name, far.Name, linkState(l))
		}
	}
	k.part("links to other hubs", links)
	for _, t := range h.Tables {
		k.part("table "+t.Name, routesSheet(t.Routes))
	}
	return k
}

func hubLinkCard(l *estate.HubLink) *card {
	k := &card{kind: "hub link", name: l.Name, at: l.At()}
	k.fact("between", "%s and %s", l.Between[0].Name, l.Between[1].Name)
	k.fact("state", "%s", linkState(l))
	for i, h := range l.Between {
		if t := l.Tables[i]; t != nil {
			k.fact("table", "what comes over it to %s looks into %s", h.Name, t.ID())
		}
	}
	return k
}

func siteCard(s *estate.Site) *card {
	k := &card{kind: "site", name: s.Name, at: s.At()}
	k.fact("ranges", "%s", phrase.List(s.Ranges))
	if len(s.Knows) > 0 {
		k.fact("knows", "%s", phrase.List(s.Knows))
	} else {
		k.fact("knows", "nothing: no reply of it finds a way back")
	}
	if s.Link != nil {
		k.fact("link", "network %s", s.Link.Name)
	}
	for _, a := range s.Attachments {
		k.fact("hub", "%s, table %s", a.Hub.Name, a.Table.Name)
	}
	return k
}

func clusterCard(c *estate.Cluster) *card {
	k := &card{kind: "cluster", name: c.Name, at: c.At()}
	k.fact("in", "network %s", c.Network.Name)
	k.fact("pods", "%s", phrase.List(c.Pods))
	k.fact("services", "%s", phrase.List(c.Services))
	return k
}

func blockCard(e *estate.Estate, b *estate.Block) *card {
	k := &card{kind: "block", name: b.Name, at: b.At()}
	k.fact("range", "%s", phrase.List(b.Ranges))
	if b.Within != nil {
		k.fact("within", "%s", b.Within.Name)
	}
	if b.Held {
		k.fact("held", "%s", b.Plan.Held.Value)
	}
	if b.Region != "" {
		k.fact("region", "%s", b.Region)
	}
	if b.Plan.Owner.Given() {
		k.fact("owner", "%s", b.Plan.Owner.Value)
	}
	inside := &sheet{header: []string{"kind", "name", "range"}, wrap: -1}
	in := func(r netip.Prefix) bool {
		return slices.ContainsFunc(b.Ranges, func(p netip.Prefix) bool { return p.Overlaps(r) })
	}
	for _, other := range e.Blocks {
		for _, r := range other.Ranges {
			if other.Within == b && in(r) {
				inside.add("block", other.Name, r.String())
			}
		}
	}
	for _, n := range e.Networks {
		for _, r := range n.Ranges {
			if in(r) {
				inside.add("network", n.Name, r.String())
			}
		}
	}
	k.part("what lies in it", inside)
	return k
}

// card is all about one thing: facts, and tables of what is tied to it.
type card struct {
	kind, name string
	at         text.Pos
	facts      [][2]string
	parts      []part
}

type part struct {
	title string
	*sheet
}

func (c *card) fact(name, format string, args ...any) {
	c.facts = append(c.facts, [2]string{name, fmt.Sprintf(format, args...)})
}

// part adds a table, unless it is empty.
func (c *card) part(title string, t *sheet) {
	if len(t.rows) > 0 {
		c.parts = append(c.parts, part{title, t})
	}
}

func (c *call) card(k *card, src *text.Files) {
	where := ""
	if k.at.Known() {
		where = "  " + place.Sprint(clean(src.Where(k.at)))
	}
	c.say("%s%s", strong.Sprintf("%s %s", k.kind, clean(k.name)), where)
	for _, f := range k.facts {
		c.say("  %s %s", dim.Sprintf("%-10s", f[0]), c.wrap(13, clean(f[1])))
	}
	for _, p := range k.parts {
		c.say("\n%s", strong.Sprint(p.title))
		_ = c.write(p.sheet, "text")
	}
}

// cardOf is the card of an object; nil for a kind that has none.
func cardOf(e *estate.Estate, o estate.Object) *card {
	switch o := o.(type) {
	case *estate.Network:
		return networkCard(o)
	case *estate.Workload:
		return workloadCard(o)
	case *estate.Site:
		return siteCard(o)
	case *estate.Peering:
		return peeringCard(o)
	case *estate.Hub:
		return hubCard(e, o)
	case *estate.HubLink:
		return hubLinkCard(o)
	case *estate.Cluster:
		return clusterCard(o)
	case *estate.Block:
		return blockCard(e, o)
	case *estate.Subnet:
		return subnetCard(o)
	case *estate.Tier:
		return tierCard(o)
	case *estate.Table:
		return tableCard(o)
	case *estate.Group:
		return groupCard(o)
	case *estate.List:
		return listCard(o)
	case *estate.Gateway:
		return gatewayCard(o)
	}
	return nil
}

// The JSON of show; docs/json.md describes it.
type showOut struct {
	Things []cardOut `json:"things"`
}

type cardOut struct {
	Kind  string    `json:"kind"`
	Name  string    `json:"name"`
	Where string    `json:"where"`
	Facts []factOut `json:"facts"`
	Parts []partOut `json:"parts"`
}

type factOut struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type partOut struct {
	Title  string     `json:"title"`
	Header []string   `json:"header"`
	Rows   [][]string `json:"rows"`
}

func cardsJSON(cards []*card, src *text.Files) showOut {
	out := showOut{[]cardOut{}}
	for _, k := range cards {
		x := cardOut{k.kind, k.name, src.Where(k.at), []factOut{}, []partOut{}}
		for _, f := range k.facts {
			x.Facts = append(x.Facts, factOut{f[0], f[1]})
		}
		for _, p := range k.parts {
			x.Parts = append(x.Parts, partOut{p.title, p.header, p.rows})
		}
		out.Things = append(out.Things, x)
	}
	return out
}
