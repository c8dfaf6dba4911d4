package check

import (
	"fmt"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

var idlePublic = Rule{"idle-public", Wiring, "A workload with a public address in a subnet without a route to an internet gateway.", func(r *run) {
	for _, w := range r.Workloads {
		// Where packets come back into the network and look into a table, that may lead them out.
		if len(w.Public) > 0 && w.Subnet != nil && !leadsOut(w.Subnet.Table, true) && len(w.Subnet.Network.Doors()) == 0 {
			r.report(diag.Warning, publicAt(w), w.Place().To("public"), fmt.Sprintf("lead a default route of %s to an internet gateway, or take the address out", w.Subnet.Table.Place()),
				"workload %s has the public address %s, and the table of its subnet %s has no route to an internet gateway", w.Name, address.Word(w.Public[0]), w.Subnet.ID())
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
			r.report(diag.Warning, p.Name.At, text.Path{"patterns", p.Name.Value}, fmt.Sprintf("write  pattern: %s  at a network, or take it out", p.Name.Value), "no network takes pattern %s", p.Name.Value)
		}
	}
	for _, n := range r.Networks {
		guarded := map[*estate.List]bool{}
		for _, s := range n.Subnets {
			guarded[s.List] = true
		}
		for _, l := range n.Lists {
			if !guarded[l] && len(l.Plan.Subnets) == 0 { // those of a tier may yet come
				r.report(diag.Warning, l.At(), l.Place(), "name subnets in it, or take it out", "list %s guards no subnet", l.ID())
			}
		}
		for _, t := range n.Tables {
			if t.Plan != nil && !t.Main && len(t.Subnets) == 0 && len(n.Subnets) > 0 && !t.HasDoor() {
				r.report(diag.Warning, t.At(), t.Place(), "name subnets in it, or take it out", "table %s is for no subnet, and nothing that comes into the network looks into it", t.ID())
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
			r.report(diag.Warning, p.At(), p.Place(), fmt.Sprintf("lead routes of networks %s and %s over it (wire writes them), or take it out", p.Between[0].Name, p.Between[1].Name),
				"no route leads over peering %s", p.Name)
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
				r.report(diag.Warning, a.At, h.Place().To("attach", to.ID()), fmt.Sprintf("write  learns: [%s]  in the tables of those that are to reach it, or detach it", to.ID()),
					"no table of hub %s leads anything to %s %s, which is attached to it", h.Name, to.Kind(), to.ID())
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
