package check

import (
	"fmt"
	"iter"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/text"
)

var neverWins = Rule{"never-wins", Wiring, "A route that no packet takes, because longer ones lead away all that it leads to, or because it is for a group without members.", func(r *run) {
	look := func(place text.Path, table string, all []*estate.Route, out func(x *estate.Route)) {
		// A line leads to each range of what it names: it never wins where none of its routes does.
		type line struct {
			wins   bool
			longer int
		}
		lines := map[text.Pos]line{}
		for x, longer := range underEach(all) {
			l := lines[x.At]
			l.wins = l.wins || len(longer) < 2 || !address.SetOf(longer...).ContainsRange(x.To)
			l.longer += len(longer)
			lines[x.At] = l
		}
		for _, x := range all {
			if l := lines[x.At]; x.Origin == estate.ByHand && !l.wins {
				lines[x.At] = line{wins: true} // and is told once
				r.report(diag.Warning, x.At, place, "or take out what is to give way to it", "the route to %s of table %s never wins: %d longer ones lead away all of it", x.Leads(), table, l.longer)
				out(x)
			}
		}
	}
	for _, n := range r.Networks {
		for _, t := range n.Tables {
			look(t.Place(), t.ID(), t.Routes, func(x *estate.Route) { r.takesRouteOut(t, x, "") })
			for _, x := range t.Some {
				if len(x.Only.Members) == 0 {
					r.report(diag.Warning, x.At, t.Place(), fmt.Sprintf("put workloads into group %s", x.Only.Name), "the route to %s of table %s never wins: the group has no members", x.Leads(), t.ID())
					r.takesRouteOut(t, x, remove)
				}
			}
		}
	}
	for _, h := range r.Hubs {
		for _, t := range h.Tables {
			look(t.Place(), t.ID(), t.Routes, func(*estate.Route) {})
		}
	}
}}

// underEach gives each route of a table with the longer ones that lie in it and in no other longer one.
func underEach(all []*estate.Route) iter.Seq2[*estate.Route, []netip.Prefix] {
	around, under := aroundEach(all), make(map[*estate.Route][]netip.Prefix)
	for _, x := range byRange(all) {
		if o := around[x]; o != nil {
			under[o] = append(under[o], x.To)
		}
	}
	return func(yield func(*estate.Route, []netip.Prefix) bool) {
		for _, x := range all {
			if !yield(x, under[x]) {
				return
			}
		}
	}
}

// aroundEach gives for each route of a table the longest that leads to more, and to all that it leads to; nil for one that lies in none.
func aroundEach(all []*estate.Route) map[*estate.Route]*estate.Route {
	around := make(map[*estate.Route]*estate.Route)
	var open []*estate.Route
	for _, x := range byRange(all) {
		for len(open) > 0 && !address.Covers(open[len(open)-1].To, x.To) {
			open = open[:len(open)-1]
		}
		if n := len(open); n > 0 && open[n-1].To != x.To {
			around[x] = open[n-1]
		}
		open = append(open, x)
	}
	return around
}

func byRange(all []*estate.Route) []*estate.Route {
	return slices.SortedStableFunc(slices.Values(all), func(a, b *estate.Route) int { return address.Compare(a.To, b.To) })
}

var knowsMore = Rule{"site-knows-more", Wiring, "A site that has a route to what is not there, or what it is not joined to.", func(r *run) {
	if len(r.Sites) == 0 {
		return
	}
	m := meet.Of(r.Estate)
	var all []owned
	add := func(who estate.Object, ranges ...netip.Prefix) {
		for _, p := range ranges {
			all = append(all, owned{p, who})
		}
	}
	for _, n := range r.Networks {
		add(n, n.Ranges...)
	}
	for _, s := range r.Sites {
		add(s, s.Ranges...)
	}
	for _, c := range r.Clusters {
		add(c, append(slices.Clone(c.Pods), c.Services...)...)
	}
	there := ownersOf(all)
	for _, s := range r.Sites {
		if s.Link == nil && len(s.Attachments) == 0 {
			continue
		}
		for i, p := range s.Knows {
			if p.Bits() == 0 || address.IsPublic(p.Addr()) {
				continue
			}
			at := s.At()
			if i < len(s.Plan.Knows) && s.Plan.Knows[i].Prefix == p {
				at = s.Plan.Knows[i].At
			}
			somebody, met := false, false
			for who := range there.overlapping(p) {
				if who == estate.Object(s) {
					continue
				}
				_, cluster := who.(*estate.Cluster)
				if somebody = true; cluster || m.Meet(s, who) {
					met = true
					break
				}
			}
			switch {
			case met:
			case somebody:
				r.report(diag.Warning, at, s.Place().To("knows"), "join the site to what has it", "site %s knows %s, and nothing that it is joined to has any of that", s.Name, p)
				r.forget(s, i)
			default:
				r.report(diag.Warning, at, s.Place().To("knows"), "add what has it", "site %s knows %s, and nothing in the estate has any of that", s.Name, p)
				r.forget(s, i)
			}
		}
	}
}}

// forget gives the finding that was reported last the fix that takes a range out of what a site knows.
func (r *run) forget(s *estate.Site, i int) {
	if len(s.Plan.Names) > 0 || i >= len(s.Plan.Knows) || s.Plan.Knows[i].Prefix != s.Knows[i] {
		return
	}
	out := text.RemoveNth(s.Place().To("knows"), i+1)
	if len(s.Plan.Knows) == 1 {
		out = text.Remove(s.Place(), "knows")
	}
	r.choice(remove, out)
}

// owned is a range and who has it.
type owned struct {
	netip.Prefix
	by estate.Object
}

// owners finds who has any of a range.
type owners struct {
	sorted []owned
	of     map[netip.Prefix][]estate.Object
}

func ownersOf(all []owned) owners {
	o := owners{slices.SortedFunc(slices.Values(all), func(a, b owned) int { return address.Compare(a.Prefix, b.Prefix) }), map[netip.Prefix][]estate.Object{}}
	for _, x := range all {
		o.of[x.Prefix] = append(o.of[x.Prefix], x.by)
	}
	return o
}

// overlapping gives those whose range holds a range, the widest first, and then those whose range lies in it.
func (o owners) overlapping(p netip.Prefix) iter.Seq[estate.Object] {
	return func(yield func(estate.Object) bool) {
		for bits := range p.Bits() {
			for _, who := range o.of[netip.PrefixFrom(p.Addr(), bits).Masked()] {
				if !yield(who) {
					return
				}
			}
		}
		i, _ := slices.BinarySearchFunc(o.sorted, p, func(x owned, p netip.Prefix) int { return address.Compare(x.Prefix, p) })
		for ; i < len(o.sorted) && address.Covers(p, o.sorted[i].Prefix); i++ {
			if !yield(o.sorted[i].by) {
				return
			}
		}
	}
}
