package cli

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
)

// This file makes the cards of a network and of what is in it.

// freeSheet lists what of a network's ranges nothing has.
func freeSheet(n *estate.Network) *sheet {
	t := &sheet{header: []string{"range", "addresses"}, right: map[int]bool{1: true}, wrap: -1}
	for _, p := range space.FreeOf(n).Ranges() {
		t.add(p.String(), grouped(address.Count(p)))
	}
	return t
}

func networkCard(n *estate.Network) *card {
	k := &card{kind: "network", name: n.Name, at: n.At()}
	k.fact("profile", "%s", n.Profile.Name)
	if n.Plan.Pattern.Given() {
		k.fact("pattern", "%s", n.Plan.Pattern.Value)
	}
	if n.Plan.NAT.Given() {
		k.fact("nat", "%s", n.Plan.NAT.Value)
	}
	if x := n.DHCP; x != nil {
		server := func(s estate.Server) string { return s.Word.Value }
		k.fact("dhcp", "%s: domain %s, dns %s, ntp %s", x.Name, cmp.Or(x.Plan.Domain.Value, "none"), cmp.Or(phrase.Names(x.DNS, server), "none"), cmp.Or(phrase.Names(x.NTP, server), "none"))
	}
	k.tags(&n.Plan.Tags)
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
	k.part("free", freeSheet(n))
	gateways := &sheet{header: []string{"gateway", "kind", "in", "address", "seen as"}, wrap: -1}
	for _, g := range n.Gateways {
		gateways.add(g.Name, gatewayKind(g), subnetName(g.In), phrase.List(g.Addrs), phrase.Names(g.Public, address.Word))
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
	k.part("security groups and access lists", guards)
	joined := &sheet{header: []string{"what", "by", "state"}, wrap: -1}
	for _, p := range n.Peerings {
		joined.add("network "+p.Far(n).Name, "peering "+p.Name, peeringState(p)+arrivesIn(p.Door(n)))
	}
	for _, a := range n.Attachments {
		joined.add("hub "+a.Hub.Name, "attachment", "table "+a.Table.Name+arrivesIn(a.Door))
	}
	for _, s := range n.Links {
		joined.add("site "+s.Name, "link", phrase.List(s.Ranges)+arrivesIn(s.Door))
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
		in := w.Plan.In.Value[strings.IndexByte(w.Plan.In.Value, '/')+1:] // a tier, where it has no subnet yet
		if w.Subnet != nil {
			in = w.Subnet.Name
		}
		t.add(w.Name, in, phrase.List(w.Addrs), phrase.Names(w.Public, address.Word), phrase.Names(w.Groups, groupName), listens(w))
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
			router, resolver, dhcp := s.Served(r)
			for _, x := range []struct {
				what string
				addr netip.Addr
			}{{"router", router}, {"resolver", resolver}, {"dhcp", dhcp}} {
				if x.addr.IsValid() {
					k.fact(x.what, "%s, the cloud's own", x.addr)
				}
			}
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
			inside.add(h.Addr.String(), w.Name, phrase.Names(w.Public, address.Word), phrase.Names(w.Groups, groupName), listens(w))
		} else {
			inside.add(h.Addr.String(), "NAT gateway "+h.NAT.Name, phrase.Names(h.NAT.Public, address.Word), "", "")
		}
	}
	k.part("taken addresses", inside)
	k.part("its route table", routesSheet(slices.Concat(s.Table.Some, s.Table.Routes)))
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
	k.part("routes", routesSheet(slices.Concat(t.Some, t.Routes)))
	return k
}

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
		t.add(r.Leads(), via, kind, originNames[r.Origin], line)
	}
	return t
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
	if g.Plan != nil {
		k.tags(&g.Plan.Tags)
	}
	switch {
	case g.Type == estate.InternetGateway && g.Attached:
		k.fact("attached", "yes")
		if g.Door != nil {
			k.fact("arrives", "what comes in by it looks into table %s", g.Door.Table.Name)
		}
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
		k.fact("public", "%s", phrase.Names(g.Public, address.Word))
	}
	routes := &sheet{header: []string{"table", "to", "for", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for _, t := range g.Network.Tables {
		for _, r := range t.Routes {
			if r.Via == g {
				routes.add(t.Name, r.Leads(), tableFor(t), fmt.Sprint(r.At.Line()))
			}
		}
	}
	k.part("routes that lead to it", routes)
	if len(routes.rows) == 0 && len(g.Serves) == 0 {
		k.fact("note", "no route leads to it")
	}
	return k
}
