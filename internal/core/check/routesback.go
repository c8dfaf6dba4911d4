package check

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file finds networks that lead nothing back over a hub, and the routes that would.

// leadBack adds routes to a network, over what joins it, to each table that a subnet of another has; to the main table where
// that has no subnets.
func leadBack(in, to *estate.Network, via string) []text.Edit {
	var edits []text.Edit
	for _, t := range in.Tables {
		if len(t.Subnets) > 0 || len(in.Subnets) == 0 && t.Main {
			edits = append(edits, reach.RouteEdits(t, via, to.Ranges...)...)
		}
	}
	return edits
}

// maxToldOfOne is how many networks are told of that lead over a hub to one that leads nothing back.
const maxToldOfOne = 100

// noRouteBackOverHubs reports networks to which routes lead over a hub, and that lead nothing back.
func (r *run) noRouteBackOverHubs() {
	back := map[*estate.Network]address.Set{} // where a network leads anything
	for _, n := range r.Networks {
		var all []netip.Prefix
		for _, t := range n.Tables {
			for _, x := range slices.Concat(t.Routes, t.Some) {
				if x.Origin != estate.Local {
					all = append(all, x.To)
				}
			}
		}
		back[n] = address.SetOf(all...)
	}
	for _, h := range r.Hubs {
		var all []netip.Prefix
		for _, a := range h.Attachments {
			if a.Network != nil {
				all = append(all, a.Network.Ranges...)
			}
		}
		everybody := address.SetOf(all...)
		short := map[*estate.Network]int{} // who leads nothing back to some, and how many were told
		for _, a := range h.Attachments {
			if a.Network != nil && !back[a.Network].Covers(everybody) {
				short[a.Network] = 0
			}
		}
		if len(short) == 0 {
			continue
		}
		for _, a := range h.Attachments {
			if a.Network != nil {
				r.leadsOverHub(h, a, back, short)
			}
		}
	}
}

// leadsOverHub reports those of some networks to which an attached one leads packets over a hub, and that lead nothing back.
func (r *run) leadsOverHub(h *estate.Hub, a *estate.Attachment, back map[*estate.Network]address.Set, short map[*estate.Network]int) {
	n, told := a.Network, map[*estate.Network]bool{}
	for _, t := range n.Tables {
		for _, x := range t.Routes {
			if x.Via != estate.Object(h) || x.To.Bits() == 0 || !x.At.Known() || len(n.Ranges) == 0 {
				continue
			}
			for _, y := range a.Table.Routes {
				far, is := y.Via.(*estate.Network)
				count, lacks := short[far]
				if !is || !lacks || far == n || told[far] || count >= maxToldOfOne || !y.To.Overlaps(x.To) || !overlapsAny(far.Ranges, x.To) ||
					slices.ContainsFunc(n.Ranges, back[far].Overlaps) {
					continue
				}
				told[far], short[far] = true, count+1
				r.report(diag.Error, x.At, far.Place().To("tables"), "", "network %s leads packets over hub %s to network %s, and no table there leads replies back", n.Name, h.Name, far.Name)
				r.by(leadBack(far, n, h.Name)...)
			}
		}
	}
}

var deadRoutes = Rule{"dead-route", Wiring, "A route over a peering, a hub or a link to a place that does not have the destination.", func(r *run) {
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		held, what := true, ""
		switch via := x.Via.(type) {
		case *estate.Peering:
			far := via.Far(t.Network)
			held = overlapsAny(far.Ranges, x.To) || len(far.Ranges) == 0 || via.Carries(far) && slices.ContainsFunc(far.Custom, func(c *estate.Route) bool { return c.To.Overlaps(x.To) })
			what = "network " + far.Name
			if door := via.Door(far); door != nil {
				held, what = tableHolds(door.Table, x.To), "table "+door.Table.ID()+" that it looks into there"
			}
		case *estate.Site:
			held, what = overlapsAny(via.Ranges, x.To), "site "+via.Name
		case *estate.Hub:
			held, what = hubHolds(via, t.Network, x.To), "the table of hub "+via.Name+" that network "+t.Network.Name+" looks into"
		}
		if !held {
			r.report(diag.Warning, x.At, t.Place(), "lead it to what holds the destination", "the route to %s leads over %s, and %s has nothing of that range", x.To, x.ViaName(), what)
			r.takesRouteOut(t, x, remove)
		}
	})
}}
