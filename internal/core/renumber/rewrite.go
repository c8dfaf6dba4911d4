package renumber

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file has all in the plan that speaks of the old ranges speak of the new ones.

func (r *renumberer) change(why string, edits ...text.Edit) {
	if len(edits) > 0 {
		r.Changes = append(r.Changes, text.Change{Edits: edits, Why: why})
	}
}

func (r *renumberer) rewrite() {
	if len(r.Moves) == 0 {
		return
	}
	for _, n := range r.e.Networks {
		r.network(n)
	}
	for _, w := range r.e.Plan.Workloads {
		r.workload(w)
	}
	for _, h := range r.e.Hubs {
		for _, t := range h.Tables {
			r.routes("hub table "+t.ID(), t.Place().To("routes"), t.Plan.Routes)
		}
	}
	for _, s := range r.e.Sites {
		r.knows(s)
	}
	if c, is := r.moved.(*estate.Cluster); is {
		r.ranges(r.What, c.Place(), strings.Fields(r.What)[1], c.Plan.Pods, c.Plan.Services)
	}
	for _, d := range r.e.Plan.DHCP {
		for _, x := range []struct {
			key string
			all []plan.Text
		}{{"dns", d.DNS}, {"ntp", d.NTP}} {
			for i, t := range x.all {
				if a, err := netip.ParseAddr(t.Value); err == nil {
					if to, moves := r.followAddr(a); moves {
						r.change(fmt.Sprintf("%s of dhcp %s", x.key, d.Name.Value), text.Put(text.Path{"dhcp", d.Name.Value, x.key}, i+1, text.Word(to.String())))
					}
				}
			}
		}
	}
	r.expectations()
}

// ranges rewrites the ranges under a key, given those under the keys pods and services of a cluster.
func (r *renumberer) ranges(what string, place text.Path, key string, pods, services []plan.Range) {
	all := pods
	if key == "services" {
		all = services
	}
	r.rangesAt(what, place, key, all)
}

// rangesAt rewrites a list of ranges that are somebody's own.
func (r *renumberer) rangesAt(what string, place text.Path, key string, all []plan.Range) {
	for i, p := range all {
		if to, moves := r.follow(p.Prefix); moves {
			r.change(fmt.Sprintf("%s %s from %s to %s", what, Move{p.Prefix, to}.Does(strings.HasPrefix(what, "the ")), p.Prefix, to), text.Put(place.To(key), i+1, text.Word(to.String())))
		}
	}
}

// network rewrites what a network says: its own ranges and those of its parts where it is what moves, or a part of it is; and
// whatever names the ranges in its tables, groups and lists.
func (r *renumberer) network(n *estate.Network) {
	own := r.moved == estate.Object(n) || strings.HasPrefix(r.moved.ID(), n.Name+"/")
	if _, cluster := r.moved.(*estate.Cluster); own && !cluster {
		if r.moved == estate.Object(n) {
			r.rangesAt("network "+n.Name, n.Place(), "range", n.Plan.Ranges)
			if n.Plan.Slot.Given() {
				r.slot(n)
			}
		} else {
			r.outsideOwn(n)
		}
		r.sizes(n)
		for _, s := range n.Subnets {
			r.rangesAt("subnet "+s.ID(), s.Place(), "range", s.Plan.Ranges)
		}
		for _, h := range n.Held {
			r.rangesAt("held part "+h.ID(), h.Place(), "range", h.Plan.Ranges)
		}
		for _, g := range n.Gateways {
			if g.Plan == nil {
				continue
			}
			for i, a := range g.Plan.Addrs {
				if to, moves := r.followAddr(a.Addr); moves {
					r.change(fmt.Sprintf("NAT gateway %s moves from %s to %s", g.ID(), a.Addr, to), text.Put(g.Place().To("address"), i+1, text.Word(to.String())))
				}
			}
		}
	}
	if !r.means(n) {
		return
	}
	for _, t := range n.Tables {
		if t.Plan != nil {
			r.routes("table "+t.ID(), r.from(n, t, t.Place().To("routes")), t.Plan.Routes)
		}
	}
	for _, g := range n.Groups {
		r.rules("group "+g.ID(), r.from(n, g, g.Place().To("in")), g.Plan.In, false)
		r.rules("group "+g.ID(), r.from(n, g, g.Place().To("out")), g.Plan.Out, false)
	}
	for _, l := range n.Lists {
		r.rules("list "+l.ID(), r.from(n, l, l.Place().To("in")), l.Plan.In, true)
		r.rules("list "+l.ID(), r.from(n, l, l.Place().To("out")), l.Plan.Out, true)
	}
}

// sizes writes the size of what has another one now, where it says one, and takes out the slot of a subnet, which counts pieces of the old one.
func (r *renumberer) sizes(n *estate.Network) {
	for _, m := range r.Moves {
		if m.Was.Bits() == m.Is.Bits() || !m.Was.Addr().Is4() {
			continue
		}
		size := text.Word(fmt.Sprintf("/%d", m.Is.Bits()))
		if r.moved == estate.Object(n) && n.Plan.Size.Given() {
			r.change("the size of network "+n.Name, text.Set(n.Place(), "size", size))
		}
		for _, s := range n.Subnets {
			if !slices.Contains(s.Ranges, m.Was) || r.moved == estate.Object(n) {
				continue
			}
			if s.Plan.Size.Given() {
				r.change("the size of subnet "+s.ID(), text.Set(s.Place(), "size", size))
			}
			if s.Plan.Slot.Given() {
				r.change("subnet "+s.ID()+" is at no slot any more", text.Remove(s.Place(), "slot"))
			}
		}
		for _, h := range n.Held {
			if slices.Contains(h.Ranges, m.Was) && h.Plan.Size.Given() && r.moved != estate.Object(n) {
				r.change("the size of held part "+h.ID(), text.Set(h.Place(), "size", size))
			}
		}
	}
}

// slot writes the slot of a network anew: which piece of its block it is now.
func (r *renumberer) slot(n *estate.Network) {
	place := n.Place()
	if n.From != nil {
		for _, m := range r.Moves {
			for _, b := range n.From.Ranges {
				if i, inside := address.PieceNumber(b, m.Is); inside {
					r.change("the slot of network "+n.Name, text.Set(place, "slot", text.Word(fmt.Sprint(i))))
					return
				}
			}
		}
	}
	r.change("network "+n.Name+" is at no slot any more", text.Remove(place, "slot"))
}

// outsideOwn gives a network the new range of a part of it as one more of its own, where it lies in none of them.
func (r *renumberer) outsideOwn(n *estate.Network) {
	for _, m := range r.Moves {
		inside := slices.ContainsFunc(n.Plan.Ranges, func(p plan.Range) bool { return address.Covers(p.Prefix, m.Is) })
		if len(n.Plan.Ranges) > 0 && !inside {
			r.change(fmt.Sprintf("network %s has %s as well", n.Name, m.Is), text.Add(n.Place().To("range"), text.Word(m.Is.String())))
		}
	}
}

// from is where a thing of a network stands: in the pattern that gives it, or at the network.
func (r *renumberer) from(n *estate.Network, o estate.Object, place text.Path) text.Path {
	for _, p := range n.Plan.Patterns {
		if p.Holds(o.At()) {
			return append(text.Path{"patterns", p.Name.Value}, place[2:]...)
		}
	}
	return place
}

func (r *renumberer) once(place text.Path) bool {
	if r.sets == nil {
		r.sets = map[string]bool{}
	}
	key := place.String()
	had := r.sets[key]
	r.sets[key] = true
	return !had // what a pattern gives several networks is written once
}

func (r *renumberer) routes(what string, place text.Path, all []plan.Route) {
	if !r.once(place) {
		return
	}
	for i, x := range all {
		if x.Name.Given() || !r.leadsThere(x.Via.Value) {
			continue // a name follows by itself
		}
		if to, moves := r.follow(x.To.Prefix); moves {
			r.change(fmt.Sprintf("%s: the route to %s", what, x.To.Prefix), text.Set(place.To(fmt.Sprint(i+1)), "to", text.Word(to.String())))
			continue
		}
		for _, more := range r.besides(x.To.Prefix) {
			led := slices.ContainsFunc(all, func(o plan.Route) bool {
				to, moves := r.follow(o.To.Prefix)
				follows := moves && !o.Name.Given() && r.leadsThere(o.Via.Value)
				return o.Only.Value == x.Only.Value && (o.To.Prefix == more || follows && to == more)
			})
			if !led {
				fields := []text.Field{{Key: "to", Value: text.Word(more.String())}, {Key: "via", Value: text.Word(x.Via.Value)}}
				if x.Only.Given() {
					fields = append(fields, text.Field{Key: "only", Value: text.Word(x.Only.Value)})
				}
				r.change(fmt.Sprintf("%s leads to %s as it did by %s", what, more, x.To.Prefix), text.Add(place, text.Map(fields...)))
			}
		}
	}
}

func (r *renumberer) rules(what string, place text.Path, all []plan.Rule, ordered bool) {
	if len(all) == 0 || !r.once(place) {
		return
	}
	for i, x := range all {
		p := x.Peer.Range
		if !p.IsValid() || x.Peer.Name != "" {
			continue
		}
		said := func(to netip.Prefix) string { return replaceLast(x.Text, p, to) }
		if to, moves := r.follow(p); moves {
			r.change(fmt.Sprintf("%s: the rule  %s", what, x.Text), text.Put(place, i+1, text.Word(said(to))))
			continue
		}
		for _, more := range r.besides(p) {
			e := text.Add(place, text.Word(said(more)))
			if ordered && i+1 < len(all) {
				e = text.Insert(place, i+2, text.Word(said(more)))
			}
			r.change(fmt.Sprintf("%s: for %s what  %s  says", what, more, x.Text), e)
		}
	}
}

// replaceLast puts a range in the place of the far end of a rule, which stands last in it.
func replaceLast(rule string, was, is netip.Prefix) string {
	i := strings.LastIndexByte(strings.TrimRight(rule, " "), ' ')
	if was.IsSingleIP() && !strings.Contains(rule[i+1:], "/") {
		return rule[:i+1] + is.Addr().String()
	}
	return rule[:i+1] + is.String()
}

func (r *renumberer) workload(w *plan.Workload) {
	place := text.Path{"workloads", w.Name.Value}
	for i, a := range w.Addrs {
		if to, moves := r.followAddr(a.Addr); moves && r.ours(w) {
			r.change(fmt.Sprintf("workload %s moves from %s to %s", w.Name.Value, a.Addr, to), text.Put(place.To("address"), i+1, text.Word(to.String())))
		}
	}
	if len(w.Each) == 0 || !r.ours(w) {
		return
	}
	var all []text.Value
	moved := false
	for _, each := range w.Each {
		var words []string
		for _, a := range each {
			to, moves := r.followAddr(a.Addr)
			moved = moved || moves
			words = append(words, to.String())
		}
		all = append(all, text.WordOrWords(words...))
	}
	if moved {
		r.change(fmt.Sprintf("the workloads %s move", w.Name.Value), text.Set(place, "addresses", text.List(all...)))
	}
}

// ours reports whether a workload lives in what moves: another network may have the same addresses.
func (r *renumberer) ours(w *plan.Workload) bool {
	network, _, _ := strings.Cut(w.In.Value, "/")
	moved, _, _ := strings.Cut(r.moved.ID(), "/")
	_, cluster := r.moved.(*estate.Cluster)
	return network == moved && !cluster
}

// knows rewrites what a site has routes to.
func (r *renumberer) knows(s *estate.Site) {
	if !r.means(s) {
		return
	}
	type known struct {
		at text.Pos
		p  netip.Prefix // of a range
	}
	var all []known
	for _, x := range s.Plan.Knows {
		all = append(all, known{x.At, x.Prefix})
	}
	for _, t := range s.Plan.Names {
		all = append(all, known{at: t.At})
	}
	slices.SortFunc(all, func(a, b known) int { return int(a.at) - int(b.at) })
	for i, k := range all {
		if !k.p.IsValid() {
			continue
		}
		if to, moves := r.follow(k.p); moves {
			r.change(fmt.Sprintf("site %s knows %s", s.Name, to), text.Put(s.Place().To("knows"), i+1, text.Word(to.String())))
			continue
		}
		for _, more := range r.besides(k.p) {
			if !slices.ContainsFunc(s.Knows, func(p netip.Prefix) bool { return address.Covers(p, more) }) {
				r.change(fmt.Sprintf("site %s knows %s as well", s.Name, more), text.Add(s.Place().To("knows"), text.Word(more.String())))
			}
		}
	}
}

// expectations rewrites the addresses and ranges that lines of expect name, in each file that has such lines.
func (r *renumberer) expectations() {
	at := text.Path{"expect"}
	written := map[string]bool{}
	for _, file := range r.e.Plan.Files.All() {
		lines, _ := file.Value(at)
		for i, item := range lines.Elements() {
			line, _ := item.Single()
			written[line] = true
			if moved, moves := r.rewritten(line); moves {
				put := text.Put(at, i+1, text.Word(moved))
				put.In = file.Name
				r.change(fmt.Sprintf("the line of expect  %s", line), put)
			}
		}
	}
	for _, x := range r.e.Plan.Expect {
		if _, moves := r.rewritten(x.Text); moves && !written[x.Text] { // it comes from a pattern, for all that take it
			r.Left = append(r.Left, fmt.Sprintf("the line of expect  %s", x.Text))
		}
	}
}

// rewritten is a line of expect with the addresses and ranges that things have afterwards, and whether that is another line.
func (r *renumberer) rewritten(line string) (string, bool) {
	words := strings.Fields(line)
	moved := false
	for k, w := range words {
		if p, err := netip.ParsePrefix(w); err == nil {
			if to, moves := r.follow(p); moves {
				words[k], moved = to.String(), true
			}
		} else if a, err := netip.ParseAddr(w); err == nil {
			if to, moves := r.followAddr(a); moves {
				words[k], moved = to.String(), true
			}
		}
	}
	return strings.Join(words, " "), moved
}
