package wire

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file gives subnets the tables that their access asks for.

// tables gives the subnets of the tiers of one access a table that leads where that says: one for all, or of outbound
// tiers with a NAT gateway in each zone, one for each.
func (w *wirer) tables(x *wanted, access string) {
	n := x.n
	type which struct {
		zone string
		own  string // the name of a table apart from that of others of the access
	}
	fresh := map[which][]string{}         // what a new table is for
	under := map[which][]*estate.Subnet{} // those of them that have a range
	var order []which
	for _, t := range x.of[access] {
		whole := true
		for _, s := range t.Subnets {
			whole = whole && s.ByDefault && (len(t.Subnets) == 1 || w.ownTable(s) != s.Name)
		}
		for _, s := range t.Subnets {
			zone := ""
			if access == "outbound" && x.zoned || w.turnedByZone(t) {
				zone = n.PlaceOf(s)
			}
			if !s.ByDefault {
				w.routesOf(x, s, s.Table, access, zone)
				continue
			}
			if like := sibling(s, zone); like != nil {
				w.add("in a table", fmt.Sprintf("subnet %s is named by no table, and others of its tier have table %s", s.ID(), like.Name), text.Add(like.Place().To("subnets"), text.Word(s.Name)))
				continue
			}
			word := s.Name
			if zone == "" && whole {
				word = t.Name
			}
			it := which{zone, w.ownTable(s)}
			if it.own == s.Name {
				it.zone = ""
			}
			if _, known := fresh[it]; !known {
				order = append(order, it)
			}
			under[it] = append(under[it], s)
			if !slices.Contains(fresh[it], word) {
				fresh[it] = append(fresh[it], word)
			}
		}
	}
	for _, it := range order {
		name, zone, tiers := access, it.zone, x.of[access]
		if it.own != "" {
			name, tiers = it.own, []*estate.Tier{under[it][0].Tier}
		}
		if zone != "" {
			name += "-" + n.ShortZone(zone)
		}
		at := slices.IndexFunc(n.Tables, func(t *estate.Table) bool { return t.Name == name && t.Plan != nil })
		fresher := name
		if at < 0 {
			fresher = x.free(name)
		}
		id := n.Name + "/" + fresher
		var routes []text.Value
		for _, r := range w.defaults(x, access, zone, tiers, under[it]) {
			if w.leaves(tableLead(id, r.to.String())) {
				continue
			}
			routes = append(routes, route(r.to.String(), r.via))
		}
		stands := map[string]bool{}
		for _, r := range statedIn(n.Main) { // where what was on the main table went by its routes, it still does
			if what := toOf(r); r.To.Prefix.Bits() != 0 && !w.leaves(tableLead(id, what)) {
				stands[what] = stands[what] || r.Only.Value == ""
				routes = append(routes, again(r))
			}
		}
		for _, r := range w.joins(n, under[it]) {
			over := slices.ContainsFunc(n.Main.Routes, func(o *estate.Route) bool { return o.Origin == estate.ByHand && slices.Contains(r.ranges, o.To) })
			if !over && !stands[r.to] && !w.leaves(tableLead(id, r.to)) {
				routes = append(routes, route(r.to, w.siteBy(n, under[it], zone, r)))
			}
		}
		table := text.Map(text.Field{Key: "subnets", Value: text.Words(fresh[it]...)}, text.Field{Key: "routes", Value: text.List(routes...)})
		// A table that an earlier run has written is found by its name, and gets the subnets that came since.
		if at >= 0 {
			var edits []text.Edit
			for _, s := range fresh[it] {
				edits = append(edits, text.Add(n.Tables[at].Place().To("subnets"), text.Word(s)))
			}
			have, own := "have", "their"
			if len(fresh[it]) == 1 {
				have, own = "has", "its"
			}
			w.add("table", fmt.Sprintf("%s of network %s %s no table of %s own", phrase.And(fresh[it]), n.Name, have, own), edits...)
			for _, s := range under[it] {
				w.routesOf(x, s, n.Tables[at], access, zone)
			}
			continue
		}
		w.add("table", fmt.Sprintf("the %s tiers of network %s have no table of their own", access, n.Name), text.Set(n.Place().To("tables"), fresher, table))
	}
}

// sibling is the table of another subnet of a subnet's tier, in its zone where tables are by zone; nil when none has one.
func sibling(s *estate.Subnet, zone string) *estate.Table {
	for _, o := range s.Tier.Subnets {
		if !o.ByDefault && (zone == "" || s.Network.PlaceOf(o) == zone) {
			return o.Table
		}
	}
	return nil
}

func route(to, via string) text.Value {
	return text.Map(text.Field{Key: "to", Value: text.Word(to)}, text.Field{Key: "via", Value: text.Word(via)})
}

// statedIn are the routes that the plan writes in a table.
func statedIn(t *estate.Table) []plan.Route {
	if t.Plan == nil {
		return nil
	}
	return t.Plan.Routes
}

// again is a route as it is written elsewhere.
func again(r plan.Route) text.Value {
	fields := []text.Field{{Key: "to", Value: text.Word(toOf(r))}, {Key: "via", Value: text.Word(r.Via.Value)}}
	if r.Only.Value != "" {
		fields = append(fields, text.Field{Key: "only", Value: text.Word(r.Only.Value)})
	}
	return text.Map(fields...)
}

// toOf is whereto a route leads, as it is written.
func toOf(r plan.Route) string {
	if r.Name.Value != "" {
		return r.Name.Value
	}
	return r.To.Prefix.String()
}

// leads is a route that is wanted.
type leads struct {
	to  netip.Prefix
	via string
}

// defaults are the default routes that an access wants.
func (w *wirer) defaults(x *wanted, access, zone string, tiers []*estate.Tier, subnets []*estate.Subnet) (all []leads) {
	nat := x.nats[zone]
	if !x.zoned {
		nat = x.nats[""]
	}
	six := x.hasSix(tiers)
	defer func() {
		for i, l := range all {
			if by := w.outBy(x.n, subnets, zone, l.to.Addr().Is6()); by != "" && l.via != plan.Blackhole {
				all[i].via = by
			}
		}
		if by := w.outBy(x.n, subnets, zone, false); by != "" && len(all) == 0 && access != "closed" { // a way out from birth goes past it
			all = append(all, leads{everywhere[false], by})
		}
	}()
	switch access {
	case "public":
		if x.front != nil && !(x.front.Born && x.n.Profile.DefaultRoute) {
			all = append(all, leads{everywhere[false], x.front.Name})
			if six {
				all = append(all, leads{everywhere[true], x.front.Name})
			}
		}
	case "outbound":
		switch {
		case x.n.Profile.NATServes && x.front != nil && !(x.front.Born && x.n.Profile.DefaultRoute):
			all = append(all, leads{everywhere[false], x.front.Name})
		case nat != nil:
			all = append(all, leads{everywhere[false], nat.Name})
		}
		if six && x.six != nil {
			all = append(all, leads{everywhere[true], x.six.Name})
		}
	case "closed":
		if x.n.Profile.DefaultRoute { // where a network is born with a way out
			all = append(all, leads{everywhere[false], plan.Blackhole}, leads{everywhere[true], plan.Blackhole})
		}
	}
	return all
}

// routesOf adds what a table lacks that a subnet has or is to have, and tells what in it contradicts the access.
func (w *wirer) routesOf(x *wanted, s *estate.Subnet, t *estate.Table, access, zone string) {
	want := w.defaults(x, access, zone, []*estate.Tier{s.Tier}, []*estate.Subnet{s})
	for _, six := range []bool{false, true} {
		all := everywhere[six]
		var has *estate.Route
		for _, r := range t.Routes {
			if r.To == all && r.Origin == estate.ByHand {
				has = r
			}
		}
		i := slices.IndexFunc(want, func(l leads) bool { return l.to == all })
		switch {
		case has == nil && (i < 0 || w.leaves(tableLead(t.ID(), all.String()))):
		case has == nil:
			w.once("way out", fmt.Sprintf("table %s is for tier %s, which is %s", t.ID(), s.Tier.Name, access), text.Add(t.Place().To("routes"), route(all.String(), want[i].via)))
		case i >= 0 && has.ViaName() == want[i].via:
		case has.Via == estate.Blackhole && access == "closed":
		case i < 0 && access == "closed":
			w.against(has.At, t.Place(), "take the route out, or write another access", "tier %s is closed, and table %s leads %s to %s", s.Tier.ID(), t.ID(), all, has.ViaName())
		case access == "outbound" && has.ToInternet() != nil && !x.n.Profile.NATServes:
			w.against(has.At, t.Place(), "lead it to a NAT gateway, or to an egress gateway for IPv6, or write  access: public", "tier %s is outbound, and table %s leads %s straight to the internet", s.Tier.ID(), t.ID(), all)
		case access == "public" && has.ToInternet() == nil:
			w.against(has.At, t.Place(), "lead it to the internet gateway, or write another access", "tier %s is public, and table %s leads %s to %s", s.Tier.ID(), t.ID(), all, has.ViaName())
		}
	}
	for _, r := range w.joins(x.n, []*estate.Subnet{s}) {
		if !slices.ContainsFunc(t.Routes, func(o *estate.Route) bool {
			return o.Origin == estate.ByHand && (o.Name == r.to || slices.Contains(r.ranges, o.To))
		}) && !w.leaves(tableLead(t.ID(), r.to)) && !w.needs.led(s, r, t) {
			w.once("route", fmt.Sprintf("table %s has no route to %s, which %s joins to network %s", t.ID(), r.to, r.via, x.n.Name), text.Add(t.Place().To("routes"), route(r.to, w.siteBy(x.n, []*estate.Subnet{s}, zone, r))))
		}
	}
}

// once adds a change that is not there yet: two subnets may have one table.
func (w *wirer) once(kind, why string, e text.Edit) {
	for _, c := range w.Changes {
		if len(c.Edits) == 1 && c.Edits[0].String() == e.String() {
			return
		}
	}
	w.add(kind, why, e)
}
