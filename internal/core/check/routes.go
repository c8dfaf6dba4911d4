package check

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/text"
)

var neverWins = Rule{"never-wins", Wiring, "A route that no packet takes, because longer ones lead away all that it leads to, or because it is for a group without members.", func(r *run) {
	look := func(at text.Pos, place text.Path, table string, x *estate.Route, all []*estate.Route) {
		var longer []netip.Prefix
		for _, o := range all {
			if o.To.Bits() > x.To.Bits() && x.To.Contains(o.To.Addr()) {
				longer = append(longer, o.To)
			}
		}
		if len(longer) > 1 && address.SetOf(longer...).ContainsRange(x.To) {
			r.report(diag.Warning, at, place, "take it out, or take out what is to give way to it", "the route to %s of table %s never wins: %d longer ones lead away all of it", x.Leads(), table, len(longer))
		}
	}
	for _, n := range r.Networks {
		for _, t := range n.Tables {
			for _, x := range t.Routes {
				if x.Origin == estate.ByHand {
					look(x.At, t.Place(), t.ID(), x, t.Routes)
				}
			}
			for _, x := range t.Some {
				if len(x.Only.Members) == 0 {
					r.report(diag.Warning, x.At, t.Place(), fmt.Sprintf("put workloads into group %s, or take the route out", x.Only.Name), "the route to %s of table %s never wins: the group has no members", x.Leads(), t.ID())
				}
			}
		}
	}
	for _, h := range r.Hubs {
		for _, t := range h.Tables {
			for _, x := range t.Routes {
				if x.Origin == estate.ByHand {
					look(x.At, t.Place(), t.ID(), x, t.Routes)
				}
			}
		}
	}
}}

var knowsMore = Rule{"site-knows-more", Wiring, "A site that has a route to what is not there, or what it is not joined to.", func(r *run) {
	m := meet.Of(r.Estate)
	for _, s := range r.Sites {
		if s.Link == nil && len(s.Attachments) == 0 {
			continue
		}
		var met, others []netip.Prefix
		for _, n := range r.Networks {
			if m.Meet(s, n) {
				met = append(met, n.Ranges...)
			} else {
				others = append(others, n.Ranges...)
			}
		}
		for _, o := range r.Sites {
			if o != s && m.Meet(s, o) {
				met = append(met, o.Ranges...)
			}
		}
		for _, c := range r.Clusters {
			met = append(append(met, c.Pods...), c.Services...)
		}
		if len(met)+len(others) == 0 {
			continue // nothing has a range yet
		}
		for i, p := range s.Knows {
			at := s.At()
			if i < len(s.Plan.Knows) && s.Plan.Knows[i].Prefix == p {
				at = s.Plan.Knows[i].At
			}
			switch {
			case p.Bits() == 0 || address.IsPublic(p.Addr()) || overlapsAny(met, p):
			case overlapsAny(others, p):
				r.report(diag.Warning, at, s.Place().To("knows"), "take it out, or join the site to what has it", "site %s knows %s, and nothing that it is joined to has any of that", s.Name, p)
			default:
				r.report(diag.Warning, at, s.Place().To("knows"), "take it out", "site %s knows %s, and nothing in the estate has any of that", s.Name, p)
			}
		}
	}
}}
