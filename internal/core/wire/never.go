package wire

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file keeps what follows from joins and access from breaking lines that say never.

const spared diag.Code = "spared"

// A lead is what brings packets on: a route of a table, what a hub's table learns, what a site knows. It is known by where it is and whereto it
// leads, in words, whether it is written yet or not.
func tableLead(table, to string) string    { return "table " + table + " to " + to }
func hubLead(hub, table, to string) string { return "table " + table + " of hub " + hub + " to " + to }
func siteLead(site, network string) string { return "site " + site + " to network " + network }

// leaves reports whether a lead is not to be written, since a line says never.
func (w *wirer) leaves(lead string) bool { return w.spared[lead] != nil }

// spareOne finds what was added by which a line that says never is broken, and has it left out from now on: of that on the way there and back
// what leads the fewest, without which the line holds, tables before hubs and sites, which serve others, too. It reports false where it finds
// none.
func (w *wirer) spareOne(line *plan.Expectation) bool {
	r := expect.Never(w.After, line)
	if r.Counter == nil {
		return false
	}
	var tables, others []string
	weight := map[string]int{}
	for _, way := range r.Counter.EachWay() {
		for _, h := range append(slices.Clone(way.Forward), way.Back...) {
			switch lead, isTable := w.leadOf(h, way); {
			case lead == "" || w.leaves(lead) || slices.Contains(tables, lead) || slices.Contains(others, lead):
			case isTable:
				tables = append(tables, lead)
				weight[lead] = w.leads(h.Object.(*estate.Table), h.Route)
			default:
				others = append(others, lead)
			}
		}
	}
	slices.SortStableFunc(tables, func(a, b string) int { return weight[a] - weight[b] })
	all := append(tables, others...)
	if len(all) == 0 {
		return false
	}
	if w.spared == nil {
		w.spared = map[string]*plan.Expectation{}
	}
	for _, lead := range all {
		w.spared[lead] = line
		w.Changes, w.Contradicts, w.After = nil, nil, w.e
		if w.follow() && expect.Never(w.After, line).Counter == nil {
			w.tell(lead, line)
			return true
		}
		delete(w.spared, lead)
	}
	// None alone is enough: the first goes, and the way that is left is looked at next.
	w.spared[all[0]] = line
	w.tell(all[0], line)
	return true
}

// leads is between how many a route of a table leads packets: those that have the table, and those that it leads to.
func (w *wirer) leads(t *estate.Table, r *estate.Route) int {
	from, to := 0, 0
	for _, x := range w.After.Workloads {
		if x.Subnet == nil {
			continue
		}
		if x.Subnet.Table == t {
			from++
		}
		if slices.ContainsFunc(x.Addrs, r.To.Contains) {
			to++
		}
	}
	return from * max(1, to)
}

func (w *wirer) tell(lead string, line *plan.Expectation) {
	w.Spared = append(w.Spared, diag.Finding{Code: spared, Severity: diag.Warning, At: line.At, Place: text.Path{"expect"},
		Message: fmt.Sprintf("%s, since with one %q would not hold any longer", strings.Replace(lead, " to ", " gets no route to ", 1), line.Text), Fixes: diag.Advise("leave it so; or take the line out, or say less in it")})
}

// leadOf is the lead that a step took, where the plan as it was does not have it; isTable says whether it is a table's of a network.
func (w *wirer) leadOf(h reach.Hop, way reach.Way) (lead string, isTable bool) {
	to := func(r *estate.Route) string {
		if r.Name != "" {
			return r.Name
		}
		return r.To.String()
	}
	switch h.Did {
	case reach.Routed:
		t, is := h.Object.(*estate.Table)
		if !is || h.Route == nil || h.Route.Origin != estate.ByHand {
			return "", false
		}
		if n := w.e.Network(t.Network.Name); n != nil && n.Table(t.Name) != nil && slices.ContainsFunc(n.Table(t.Name).Routes, func(r *estate.Route) bool { return r.Origin == estate.ByHand && r.To == h.Route.To }) {
			return "", false
		}
		return tableLead(t.ID(), to(h.Route)), true
	case reach.HubRouted:
		hub, is := h.Object.(*estate.Hub)
		if !is || h.Route == nil || h.Table == nil {
			return "", false
		}
		if o := w.e.Hub(hub.Name); o != nil {
			for _, t := range o.Tables {
				if t.Name == h.Table.Name && slices.ContainsFunc(t.Routes, func(r *estate.Route) bool { return r.To == h.Route.To }) {
					return "", false
				}
			}
		}
		if _, link := h.Route.Via.(*estate.HubLink); link {
			return hubLead(hub.Name, h.Table.Name, to(h.Route)), false
		}
		return hubLead(hub.Name, h.Table.Name, h.Route.ViaName()), false
	case reach.SiteKnows:
		s, is := h.Object.(*estate.Site)
		if !is {
			return "", false
		}
		dst := way.To
		if h.Back {
			dst = way.From
		}
		if o := w.e.Site(s.Name); o == nil || o.KnowsOf(dst.First()) {
			return "", false
		}
		for _, n := range w.e.Networks {
			if n.Holds(dst.First()) {
				return siteLead(s.Name, n.Name), false
			}
		}
	}
	return "", false
}

// breaksNone looks at the result itself: where a line that says never held and does not then, nothing is written, and that is told.
func (w *wirer) breaksNone() {
	if len(w.Changes) == 0 || w.Uneditable != nil {
		return
	}
	broken := expect.Against(w.e, w.After)
	if len(broken) == 0 {
		return
	}
	w.Changes, w.After = nil, w.e
	for _, x := range broken {
		w.Unmet = append(w.Unmet, diag.Finding{Code: conflict, Severity: diag.Error, At: x.At, Place: text.Path{"expect"}, Message: fmt.Sprintf("%q would not hold any longer with what the joins, the access and the other lines need, and nothing is written", x.Text),
			Fixes: diag.Advise("take it out, or say less in it, or in the access of the tiers that it is about")})
	}
}
