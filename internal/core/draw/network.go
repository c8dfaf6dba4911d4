package draw

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

// mostListed is how many lines a list in a picture has at most.
const mostListed = 14

// Network draws one network in full: its subnets with who is in them, its tables, groups and lists, and what it is joined to.
func Network(n *estate.Network, scale bool, font Font) *Picture {
	s := newSheet(font)
	body := subnetTable(n, func(x *estate.Subnet) []string {
		var all []string
		all = append(all, "table "+x.Table.Name)
		if x.List != nil {
			all = append(all, "list "+x.List.Name)
		}
		return append(all, most(phrased(x.Workloads, func(w *estate.Workload) string { return "· " + w.Name }))...)
	}, scale, font)
	gates := gateRow(n, full, font)
	card := newSheet(font)
	box := card.box(-1, 0, 0, max(body.W, gates.W, 120)+2*pad, 0, Card, "network "+n.Name)
	y := 6.0
	if len(gates.Boxes) > 0 {
		card.put(gates, box, pad, 0)
		y = gates.H + 8
	}
	if len(n.Subnets) == 0 {
		card.text(box, pad, y+12, 300, 10, false, Faint, "no subnets yet")
		y += 20
	}
	card.put(body, box, pad, y)
	y += body.H + pad
	if held := phrased(n.Held, func(h *estate.Held) string {
		return fmt.Sprintf("held %s: %s, for %s", h.Name, rangesOf(h.Ranges), h.Plan.For.Value)
	}); len(held) > 0 {
		for _, line := range most(held) {
			b := card.box(box, pad, y, card.Boxes[box].W-2*pad, 17, HeldLook, line)
			card.text(b, 6, y+12, card.Boxes[box].W-2*pad-12, 9.5, false, Ink, line)
			y += 21
		}
		y += 4
	}
	card.Boxes[box].H = y
	card.H = y
	for i := range card.Texts { // the texts of held parts are within their boxes
		if b := card.Texts[i].In; b >= 0 && card.Boxes[b].Look == HeldLook {
			card.Texts[i].X = card.Boxes[b].X + 6
		}
	}
	s.put(card, -1, 0, 0)

	var parts []*sheet
	for _, t := range n.Tables {
		lines := phrased(t.Routes, routeLine)
		for _, r := range t.Some {
			lines = append(lines, r.Leads()+" via "+r.ViaName()+" for "+r.Only.Name+" alone")
		}
		of := phrase.Names(t.Subnets, func(x *estate.Subnet) string { return x.Name })
		parts = append(parts, panel(font, "table "+t.Name, of, lines))
	}
	for _, g := range n.Groups {
		parts = append(parts, panel(font, "group "+g.Name, phrase.Names(g.Members, func(w *estate.Workload) string { return w.Name }), rulesOf(g.In, g.Out)))
	}
	for _, l := range n.Lists {
		parts = append(parts, panel(font, "list "+l.Name, phrase.Names(l.Guards(), func(x *estate.Subnet) string { return x.Name }), rulesOf(l.In, l.Out)))
	}
	var joined []string
	for _, p := range n.Peerings {
		line := "network " + p.Far(n).Name + " by peering " + p.Name
		if !p.Stands() {
			line += ", not accepted on both sides"
		}
		joined = append(joined, line)
	}
	for _, a := range n.Attachments {
		joined = append(joined, "hub "+a.Hub.Name+", table "+a.Table.Name)
	}
	for _, x := range n.Links {
		joined = append(joined, "site "+x.Name+", "+rangesOf(x.Ranges))
	}
	if len(joined) > 0 {
		parts = append(parts, panel(font, "joined to", "", joined))
	}
	s.put(stacked(parts, max(s.H, 420), font), -1, s.W+20, 0)
	region := phrase.Names(n.Regions, func(r *plan.Region) string { return r.Name.Value })
	note := fmt.Sprintf("%s, %s, %s, profile %s", rangesOf(n.Ranges), phrase.Count(len(n.Subnets), "subnet"), phrase.Count(len(n.Workloads()), "workload"), n.Profile.Name)
	if region != "" {
		note += ", region " + region
	}
	return s.done("network "+n.Name, note)
}

func routeLine(r *estate.Route) string {
	if r.Origin == estate.Local {
		return r.Leads() + " is local"
	}
	return r.Leads() + " via " + r.ViaName() + r.Origin.Remark()
}

func phrased[T any](all []T, word func(T) string) []string {
	var out []string
	for _, x := range all {
		out = append(out, word(x))
	}
	return out
}

// most are the first lines of many, and how many more there are.
func most(lines []string) []string {
	if len(lines) <= mostListed {
		return lines
	}
	return append(slices.Clone(lines[:mostListed-1]), fmt.Sprintf("%d more", len(lines)-mostListed+1))
}

func rulesOf(in, out []estate.Rule) []string {
	var all []string
	for _, r := range in {
		all = append(all, "in   "+r.Text)
	}
	for _, r := range out {
		all = append(all, "out  "+r.Text)
	}
	if len(out) == 0 {
		all = append(all, "out  nothing")
	}
	return all
}

// panel is a box with a title, of whom it is, and some lines.
func panel(font Font, title, of string, lines []string) *sheet {
	s := newSheet(font)
	lines = most(lines)
	w := s.font(title, 10.5, true)
	for _, l := range append(lines, of) {
		w = max(w, s.font(l, 9, false))
	}
	w = min(w, 300) + 2*pad
	b := s.box(-1, 0, 0, w, 0, Plain, strings.TrimSuffix(title+": "+of, ": "))
	y := 15.0
	s.text(b, pad, y, w-2*pad, 10.5, true, Ink, title)
	if of != "" {
		y += 12
		s.text(b, pad, y, w-2*pad, 9, false, Faint, of)
	}
	for _, l := range lines {
		y += 12
		s.text(b, pad, y, w-2*pad, 9, false, Ink, l)
	}
	s.Boxes[b].H = y + 7
	s.W, s.H = w, y+7
	return s
}

// stacked puts sheets below each other in columns of about some height.
func stacked(all []*sheet, high float64, font Font) *sheet {
	s := newSheet(font)
	x, y, w := 0.0, 0.0, 0.0
	for _, p := range all {
		if y > 0 && y+p.H > high {
			x, y, w = x+w+12, 0, 0
		}
		s.put(p, -1, x, y)
		y += p.H + 10
		w = max(w, p.W)
	}
	return s
}
