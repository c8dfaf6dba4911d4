package export

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

// Table is all things of one kind.
type Table struct {
	Name   string
	Header []string
	Rows   [][]string
}

// Tables are a table for each kind of thing of which there is any. What has several ranges has a row for each; what has none yet is
// in a table of its own, so that each of the others can be read as a list of ranges.
func Tables(e *estate.Estate) []Table {
	var all []Table
	table := func(name string, header ...string) *Table {
		all = append(all, Table{Name: name, Header: header})
		return &all[len(all)-1]
	}
	waiting := Table{Name: "without-range", Header: []string{"name", "kind"}}
	each := func(o estate.Object, ranges []netip.Prefix, row func(p string)) {
		for _, p := range ranges {
			row(p.String())
		}
		if len(ranges) == 0 {
			waiting.add(o.ID(), string(o.Kind()))
		}
	}
	tags := func(t *plan.Tags) (owner, labels string) {
		var words []string
		for _, l := range t.Labels {
			words = append(words, l.Key.Value+"="+l.Value.Value)
		}
		return t.Owner.Value, strings.Join(words, " ")
	}

	t := table("blocks", "name", "range", "within", "region", "held", "owner")
	for _, b := range e.Blocks {
		within := ""
		if b.Within != nil {
			within = b.Within.Name
		}
		each(b, b.Ranges, func(p string) { t.add(b.Name, p, within, b.Region, b.Plan.Held.Value, b.Plan.Owner.Value) })
	}
	t = table("networks", "name", "range", "region", "profile", "subnets", "workloads", "owner", "labels")
	for _, n := range e.Networks {
		owner, labels := tags(&n.Plan.Tags)
		each(n, n.Ranges, func(p string) {
			t.add(n.Name, p, phrase.Names(n.Regions, func(r *plan.Region) string { return r.Name.Value }), n.Profile.Name, strconv.Itoa(len(n.Subnets)), strconv.Itoa(len(n.Workloads())), owner, labels)
		})
	}
	t = table("subnets", "name", "range", "network", "tier", "access", "zone", "usable", "taken", "router", "table", "list")
	for _, s := range subnetsOf(e) {
		tier, access, list := "", "", ""
		if s.Tier != nil {
			tier, access = s.Tier.Name, s.Tier.Plan.Access.Value
		}
		if s.List != nil {
			list = s.List.Name
		}
		for _, p := range s.Ranges {
			first := ""
			if r := router(s, p); r.IsValid() && p.Addr().Is4() {
				first = r.String()
			}
			t.add(s.ID(), p.String(), s.Network.Name, tier, access, s.Zone, s.Network.Profile.Usable(p).String(), strconv.Itoa(s.Taken(p)), first, s.Table.Name, list)
		}
		each(s, s.Ranges, func(string) {})
	}
	t = table("held", "name", "range", "network", "for", "owner", "labels")
	for _, n := range e.Networks {
		for _, h := range n.Held {
			owner, labels := tags(&h.Plan.Tags)
			each(h, h.Ranges, func(p string) { t.add(n.Name+"/"+h.Name, p, n.Name, h.Plan.For.Value, owner, labels) })
		}
	}
	t = table("gateways", "name", "network", "kind", "attached", "in", "address", "public")
	for _, n := range e.Networks {
		for _, g := range n.Gateways {
			in := ""
			if g.In != nil {
				in = g.In.Name
			}
			t.add(g.ID(), n.Name, string(g.Type), yes(g.Attached || g.Type == estate.NATGateway), in, strings.Join(texts(g.Addrs), " "), strings.Join(assigned(g.Public), " "))
		}
	}
	t = table("routes", "table", "to", "via", "for", "origin", "subnets")
	for _, n := range e.Networks {
		for _, x := range n.Tables {
			of := phrase.Names(x.Subnets, func(s *estate.Subnet) string { return s.Name })
			for _, r := range x.Routes {
				via := r.ViaName()
				if r.Origin == estate.Local {
					via = "local"
				}
				t.add(n.Name+"/"+x.Name, r.To.String(), via, "", strings.Trim(strings.TrimPrefix(r.Origin.Remark(), ","), " ()"), of)
			}
			for _, r := range x.Some {
				t.add(n.Name+"/"+x.Name, r.To.String(), r.ViaName(), r.Only.Name, "", of)
			}
		}
	}
	for _, h := range e.Hubs {
		for _, x := range h.Tables {
			for _, r := range x.Routes {
				t.add(x.ID(), r.To.String(), r.ViaName(), "", strings.Trim(strings.TrimPrefix(r.Origin.Remark(), ","), " ()"), "")
			}
		}
	}
	t = table("rules", "filter", "kind", "direction", "number", "rule", "guards")
	rules := func(name, kind, guards string, in, out []estate.Rule) {
		for i, r := range in {
			t.add(name, kind, "in", strconv.Itoa(i+1), r.Text, guards)
		}
		for i, r := range out {
			t.add(name, kind, "out", strconv.Itoa(i+1), r.Text, guards)
		}
	}
	for _, n := range e.Networks {
		for _, g := range n.Groups {
			rules(n.Name+"/"+g.Name, "group", phrase.Names(g.Members, func(w *estate.Workload) string { return w.Name }), g.In, g.Out)
		}
		for _, l := range n.Lists {
			rules(n.Name+"/"+l.Name, "list", phrase.Names(l.Guards(), func(s *estate.Subnet) string { return s.Name }), l.In, l.Out)
		}
	}
	t = table("workloads", "name", "range", "subnet", "public", "groups", "listens", "owner", "labels")
	for _, w := range e.Workloads {
		subnet := ""
		if w.Subnet != nil {
			subnet = w.Subnet.ID()
		}
		owner, labels := tags(&w.Plan.Tags)
		var ranges []netip.Prefix
		for _, a := range w.Addrs {
			ranges = append(ranges, netip.PrefixFrom(a, a.BitLen()))
		}
		each(w, ranges, func(p string) {
			t.add(w.Name, p, subnet, strings.Join(assigned(w.Public), " "), phrase.Names(w.Groups, func(g *estate.Group) string { return g.Name }), listens(w), owner, labels)
		})
	}
	t = table("joins", "name", "kind", "from", "to", "state")
	for _, p := range e.Peerings {
		t.add(p.Name, "peering", p.Between[0].Name, p.Between[1].Name, state(p.Stands()))
	}
	for _, h := range e.Hubs {
		for _, a := range h.Attachments {
			t.add(h.Name, "attachment", a.To().ID(), h.Name+"/"+a.Table.Name, state(true))
		}
	}
	for _, l := range e.HubLinks {
		t.add(l.Name, "hub link", l.Between[0].Name, l.Between[1].Name, state(l.Stands()))
	}
	t = table("sites", "name", "range", "linked to", "owner", "labels")
	for _, s := range e.Sites {
		link := ""
		if s.Link != nil {
			link = s.Link.Name
		}
		owner, labels := tags(&s.Plan.Tags)
		each(s, s.Ranges, func(p string) { t.add(s.Name, p, link, owner, labels) })
	}
	t = table("clusters", "name", "range", "network", "what")
	for _, c := range e.Clusters {
		for _, x := range []struct {
			what   string
			ranges []netip.Prefix
		}{{"pods", c.Pods}, {"services", c.Services}} {
			for _, p := range x.ranges {
				t.add(c.Name+"/"+x.what, p.String(), c.Network.Name, x.what)
			}
		}
	}
	var some []Table
	for _, x := range append(all, waiting) {
		if len(x.Rows) > 0 {
			some = append(some, x)
		}
	}
	return some
}

func (t *Table) add(cells ...string) {
	if len(cells) != len(t.Header) {
		panic(fmt.Sprintf("a row of table %s has %d cells", t.Name, len(cells)))
	}
	t.Rows = append(t.Rows, cells)
}

func subnetsOf(e *estate.Estate) []*estate.Subnet {
	var all []*estate.Subnet
	for _, n := range e.Networks {
		all = append(all, n.Subnets...)
	}
	return all
}

func yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

func state(stands bool) string {
	if stands {
		return "stands"
	}
	return "not accepted on both sides"
}

func listens(w *estate.Workload) string {
	if w.Listens.Empty() {
		return ""
	}
	return w.Listens.String()
}
