package check

import (
	"fmt"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
)

var idlePublic = Rule{"idle-public", Wiring, "A workload with a public address in a subnet without a route to an internet gateway.", func(r *run) {
	for _, w := range r.Workloads {
		// Where packets come back into the network and look into a table, that may lead them out.
		if len(w.Public) > 0 && w.Subnet != nil && !leadsOut(w.Subnet.Table, true) && len(w.Subnet.Network.Doors()) == 0 {
			r.report(diag.Warning, publicAt(w), w.Place().To("public"), fmt.Sprintf("lead a default route of %s to an internet gateway", w.Subnet.Table.Place()),
				"workload %s has the public address %s, and the table of its subnet %s has no route to an internet gateway", w.Name, address.Word(w.Public[0]), w.Subnet.ID())
			if _, found := r.Plan.Files.Value(w.Place().To("public")); found {
				r.choice(remove, text.Remove(w.Place(), "public"))
			}
		}
	}
}}

var idle = Rule{"idle", Guards, "A list or a table that no subnet has.", func(r *run) {
	taken := map[*plan.Pattern]bool{}
	for _, n := range r.Networks {
		for _, p := range n.Plan.Patterns {
			taken[p] = true
		}
	}
	for _, p := range r.Plan.Patterns {
		if !taken[p] {
			r.report(diag.Warning, p.Name.At, text.Path{"patterns", p.Name.Value}, fmt.Sprintf("write  pattern: %s  at a network", p.Name.Value), "no network takes pattern %s", p.Name.Value)
			r.choice(remove, text.Remove(text.Path{"patterns"}, p.Name.Value))
		}
	}
	for _, n := range r.Networks {
		guarded := map[*estate.List]bool{}
		for _, s := range n.Subnets {
			guarded[s.List] = true
		}
		for _, l := range n.Lists {
			if !guarded[l] && len(l.Plan.Subnets) == 0 { // those of a tier may yet come
				r.report(diag.Warning, l.At(), l.Place(), "name subnets in it", "list %s guards no subnet", l.ID())
				r.takesOut(n, l)
			}
		}
		for _, t := range n.Tables {
			if t.Plan != nil && !t.Main && len(t.Subnets) == 0 && len(n.Subnets) > 0 && !t.HasDoor() {
				r.report(diag.Warning, t.At(), t.Place(), "name subnets in it", "table %s is for no subnet, and nothing that comes into the network looks into it", t.ID())
				r.takesOut(n, t)
			}
		}
	}
}}

var idleGateway = Rule{"idle-gateway", Wiring, "A gateway that no route leads to, and that serves no subnet.", func(r *run) {
	for _, n := range r.Networks {
		used := map[estate.Object]bool{}
		for _, t := range n.Tables {
			for _, x := range slices.Concat(t.Routes, t.Some) {
				used[x.Via] = true
			}
		}
		for _, g := range n.Gateways {
			if g.Plan != nil && !used[g] && len(g.Plan.Serves) == 0 && !passedOver(n, g) {
				advice := fmt.Sprintf("lead a route of network %s to it", n.Name)
				if n.Profile.NATServes && g.Type == estate.NATGateway {
					advice = "name the subnets that it serves"
				}
				r.report(diag.Warning, g.At(), g.Place(), advice, "nothing uses gateway %s", g.ID())
				r.takesOut(n, g)
			}
		}
	}
}}

// passedOver reports whether a subnet of the zone of a NAT gateway leaves by that of another zone, which is a finding itself.
func passedOver(n *estate.Network, g *estate.Gateway) bool {
	return g.In != nil && slices.ContainsFunc(n.Subnets, func(s *estate.Subnet) bool {
		return n.PlaceOf(s) == n.PlaceOf(g.In) && slices.ContainsFunc(s.Table.Routes, func(x *estate.Route) bool {
			o, is := x.Via.(*estate.Gateway)
			return is && o.In != nil && n.PlaceOf(o.In) != n.PlaceOf(g.In)
		})
	})
}

var idleGroup = Rule{"idle-group", Guards, "A group without members, which no rule and no route names.", func(r *run) {
	named := map[*estate.Group]bool{}
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, x := range slices.Concat(g.In, g.Out) {
				named[x.Group] = true
			}
		}
		for _, t := range n.Tables {
			for _, x := range t.Some {
				named[x.Only] = true
			}
		}
	}
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			if len(g.Members) == 0 && !named[g] && !n.FromPattern(g) { // a pattern's may be for other networks
				r.report(diag.Warning, g.At(), g.Place(), "put workloads into it", "group %s has no members, and nothing names it", g.ID())
				r.takesOut(n, g)
			}
		}
	}
}}

var idleBlock = Rule{"idle-block", Room, "A block of space from which nothing is carved, in which nothing lies, and that is not held.", func(r *run) {
	survey, outer := space.NewSurvey(r.Estate, nil), r.outerBlocks()
	from := map[*estate.Block]bool{}
	for _, n := range r.Networks {
		from[n.From] = true
	}
	for _, b := range r.Blocks {
		taken := b.Held || from[b] || outer[b] || len(b.Ranges) == 0
		for _, p := range b.Ranges {
			taken = taken || survey.Occupied.Overlaps(p)
		}
		if !taken {
			r.report(diag.Warning, b.At(), b.Place(), "carve a network from it, or say in  held:  what it is kept for", "nothing uses block %s (%s)", b.Name, phrase.List(b.Ranges))
			r.takesOut(nil, b)
		}
	}
}}

var idleSite = Rule{"idle-site", Wiring, "A site that is joined to nothing, or to which no route leads over its link.", func(r *run) {
	for _, s := range r.Sites {
		switch {
		case s.Link == nil && len(s.Attachments) == 0:
			r.report(diag.Warning, s.At(), s.Place(), "write  link: NETWORK  there, or attach it to a hub", "site %s is joined to nothing", s.Name)
			r.takesOut(nil, s)
		case s.Link != nil && !slices.ContainsFunc(s.Link.Tables, func(t *estate.Table) bool {
			return slices.ContainsFunc(slices.Concat(t.Routes, t.Some), func(x *estate.Route) bool { return x.Via == estate.Object(s) })
		}):
			r.report(diag.Warning, s.At(), s.Place(), fmt.Sprintf("lead a route of network %s to it (wire writes it)", s.Link.Name), "no route leads over the link to site %s", s.Name)
			r.takesOut(nil, s)
		}
	}
}}

var idleHubLink = Rule{"idle-hub-link", Wiring, "A link between hubs that stands, and over which no table of either leads anything.", func(r *run) {
	used := map[estate.Object]bool{}
	for _, h := range r.Hubs {
		for _, t := range h.Tables {
			for _, x := range t.Routes {
				used[x.Via] = true
			}
		}
	}
	for _, l := range r.HubLinks {
		if l.Stands() && !used[l] {
			r.report(diag.Warning, l.At(), l.Place(), fmt.Sprintf("lead routes of hubs %s and %s over it", l.Between[0].Name, l.Between[1].Name), "no route leads over hub link %s", l.Name)
			r.takesOut(nil, l)
		}
	}
}}

var idleHubTable = Rule{"idle-hub-table", Wiring, "A table of a hub that neither an attachment nor a link looks into.", func(r *run) {
	for _, h := range r.Hubs {
		used := map[*estate.HubTable]bool{}
		for _, a := range h.Attachments {
			used[a.Table] = true
		}
		for _, l := range r.HubLinks {
			for i, end := range l.Between {
				if end == h {
					used[l.Tables[i]] = true
				}
			}
		}
		for _, t := range h.Tables {
			if !used[t] && len(h.Attachments) > 0 {
				place := h.Place().To("tables")
				r.report(diag.Warning, t.Plan.Name.At, place.To(t.Name), "name it at an attachment or a link", "nothing looks into table %s of hub %s", t.Name, h.Name)
				r.choice(remove, text.Remove(place, t.Name))
			}
		}
	}
}}

var idlePeering = Rule{"idle-peering", Wiring, "A peering that stands, and that no route leads over.", func(r *run) {
	used := map[estate.Object]bool{}
	for _, n := range r.Networks {
		for _, t := range n.Tables {
			for _, x := range slices.Concat(t.Routes, t.Some) {
				used[x.Via] = true
			}
		}
	}
	for _, p := range r.Peerings {
		if p.Stands() && !used[p] {
			r.report(diag.Warning, p.At(), p.Place(), fmt.Sprintf("lead routes of networks %s and %s over it (wire writes them)", p.Between[0].Name, p.Between[1].Name),
				"no route leads over peering %s", p.Name)
			r.takesOut(nil, p)
		}
	}
}}

var idleAttachment = Rule{"idle-attachment", Wiring, "A network or site attached to a hub of which no table leads anything to it.", func(r *run) {
	for _, h := range r.Hubs {
		used := map[estate.Object]bool{}
		for _, t := range h.Tables {
			for _, x := range t.Routes {
				used[x.Via] = true
			}
		}
		for _, a := range h.Attachments {
			if to := a.To(); !used[to] && len(a.Ranges()) > 0 {
				r.report(diag.Warning, a.At, h.Place().To("attach", to.ID()), fmt.Sprintf("write  learns: [%s]  in the tables of those that are to reach it", to.ID()),
					"no table of hub %s leads anything to %s %s, which is attached to it", h.Name, to.Kind(), to.ID())
				r.choice(remove, text.Remove(h.Place().To("attach"), to.ID()))
			}
		}
	}
}}

// publicAt is where the plan gives a workload its public address.
func publicAt(w *estate.Workload) text.Pos {
	switch {
	case len(w.Plan.Public) > 0:
		return w.Plan.Public[0].At
	case w.Plan.Assigned.Given():
		return w.Plan.Assigned.At
	}
	return w.At()
}
