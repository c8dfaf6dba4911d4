package check

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/renumber"
	"wendrik/internal/core/text"
)

var conflicts = Rule{"conflict", Meets, "Ranges that overlap and meet: in one network, or over a peering, a hub or a link.", func(r *run) {
	found := overlap.Estate(r.Estate)
	if found.Unjudged > 0 {
		r.report(diag.Error, r.Plan.Files.First().Start(), nil, "give them ranges of their own", "%d more pairs of ranges share addresses than could be looked at", found.Unjudged)
	}
	for i, p := range found.Pairs {
		if p.Verdict != overlap.Conflict {
			break
		}
		r.report(diag.Error, p.B.At, p.B.Place(), "", "%s (%s) and %s (%s) overlap: %s", p.A, p.A.Range, p.B, p.B.Range, p.Why)
		r.findings[len(r.findings)-1].Beside = []diag.Beside{{At: p.A.At, What: fmt.Sprintf("%s (%s)", p.A, p.A.Range)}}
		r.moves(p.Move)
		if left := found.Left[overlap.Conflict]; i+1 == overlap.MaxPairs && left > 0 {
			r.report(diag.Error, p.B.At, p.B.Place(), "give those that are told ranges of their own first", "%s of ranges overlap and meet, which are not told", phrase.Count(left, "more pair"))
		}
	}
}}

// moves gives the finding that was reported last the fix that one of two things moves to a range that a person gives.
func (r *run) moves(m *overlap.Move) {
	f := &r.findings[len(r.findings)-1]
	switch {
	case m == nil:
	case m.Name() == "" || !m.To.IsValid():
		f.Fixes = diag.Advise(m.String())
	default:
		r.takes("RANGE", m.String(), func(word string) ([]text.Edit, error) {
			to, err := address.ParseRange(word)
			if err != nil {
				return nil, err
			}
			q := renumber.Request{Name: m.Name(), To: []netip.Prefix{to}}
			if to.Addr().Is4() {
				q.Bits = m.To.Bits() // of the size that was there
			}
			moved, err := renumber.Of(r.Estate, q)
			if err != nil {
				return nil, err
			}
			return moved.Changes.Edits(), nil
		})
	}
}

var halves = Rule{"half-joined", Wiring, "A peering or a hub link that one side has not accepted: nothing passes it.", func(r *run) {
	half := func(x estate.Object, ends [2]string, accepted [2]bool) {
		for i, end := range ends {
			if !accepted[i] {
				r.report(diag.Warning, x.At(), x.Place(), "or take it out", "%s %s is not accepted by %s, so nothing passes it", x.Kind(), x.ID(), end)
				r.by(text.Add(x.Place().To("accepted"), text.Word(end)))
			}
		}
	}
	for _, p := range r.Peerings {
		half(p, [2]string{p.Between[0].Name, p.Between[1].Name}, p.Accepted)
	}
	for _, l := range r.HubLinks {
		half(l, [2]string{l.Between[0].Name, l.Between[1].Name}, l.Accepted)
	}
}}

var detached = Rule{"not-attached", Wiring, "Routes that lead to an internet gateway that is not attached.", func(r *run) {
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		if g := x.ToInternet(); g != nil && !g.Attached {
			r.report(diag.Error, x.At, t.Place(), "or lead the route elsewhere", "the route to %s leads to gateway %s, which is not attached to network %s", x.To, g.Name, g.Network.Name)
			r.by(text.Set(g.Place(), "attached", text.Word("true")))
		}
	})
}}

// eachRoute gives every route that was written into a table.
func (r *run) eachRoute(give func(t *estate.Table, x *estate.Route)) {
	for _, n := range r.Networks {
		for _, t := range n.Tables {
			for _, x := range t.Routes {
				if x.Origin == estate.ByHand && x.At.Known() {
					give(t, x)
				}
			}
		}
	}
}

var leftOnMain = Rule{"left-on-main-table", Wiring, "A subnet that no table names, where one table names all others of its tier.", func(r *run) {
	for _, n := range r.Networks {
		for _, s := range n.Subnets {
			if t := forgotten(s); t != nil {
				subnets := t.Place().To("subnets")
				r.report(diag.Warning, s.At(), subnets, "or name it in another table",
					"subnet %s is left on the main table, and table %s names every other subnet of tier %s", s.ID(), t.Name, s.Tier.Name)
				r.by(text.Add(subnets, text.Word(s.Name)))
			}
		}
	}
}}

// forgotten is the table that names every other subnet of a subnet's tier, when none names this one; else nil.
func forgotten(s *estate.Subnet) *estate.Table {
	if s.Tier == nil || !s.ByDefault || len(s.Tier.Subnets) < 2 {
		return nil
	}
	var t *estate.Table
	for _, o := range s.Tier.Subnets {
		switch {
		case o == s:
		case o.ByDefault || t != nil && o.Table != t:
			return nil
		default:
			t = o.Table
		}
	}
	return t
}

var access = Rule{"access", Wiring, "Tiers whose tables do not give them the access that they are for.", func(r *run) {
	for _, n := range r.Networks {
		for _, tier := range n.Tiers {
			for _, kind := range []struct {
				access, what, fix string
				wrong             func(*estate.Table) bool
			}{
				{"public", "have no route to an internet gateway", "lead a default route of %s to an internet gateway", func(t *estate.Table) bool { return !leadsOut(t, true) }},
				{"public", "lead all of a family to a gateway that lets nothing new in", "lead the default route of %s to an internet gateway", leadsToOneWay},
				{"outbound", "have no default route", "lead a default route of %s to a gateway", func(t *estate.Table) bool { return !leadsOut(t, false) }},
				{"closed", "lead all of the internet, or a large part of it, to a gateway", "take that route out of %s", func(t *estate.Table) bool { return leadsToGateway(t) }},
			} {
				if tier.Plan.Access.Value != kind.access {
					continue
				}
				var names, tables []string
				for _, s := range tier.Subnets {
					if forgotten(s) == nil && kind.wrong(s.Table) {
						names = append(names, s.Name)
						if p := s.Table.Place().String(); !slices.Contains(tables, p) {
							tables = append(tables, p)
						}
					}
				}
				if len(names) > 0 {
					r.report(diag.Warning, tier.Plan.Access.At, tier.Place(), fmt.Sprintf(kind.fix, strings.Join(tables, ", ")),
						"tier %s is %s, and the tables of %s %s", tier.ID(), kind.access, strings.Join(names, ", "), kind.what)
					for _, other := range []string{"public", "outbound", "closed"} {
						if other != kind.access && !n.FromPattern(tier) {
							r.choice(other, text.Set(tier.Place(), "access", text.Word(other)))
						}
					}
				}
			}
		}
	}
}}

// leadsOut reports whether a table leads everything else somewhere: to an attached internet gateway, or to any place
// that could carry it.
func leadsOut(t *estate.Table, straight bool) bool {
	return slices.ContainsFunc(slices.Concat(t.Routes, t.Some), func(x *estate.Route) bool {
		g := x.ToInternet()
		switch {
		case x.Via == estate.Blackhole || x.Origin == estate.Local, g != nil && !g.Attached:
			return false
		case straight:
			_, on := x.Via.(*estate.Workload) // which may pass it on to one
			return g != nil || on && x.To.Bits() == 0
		}
		return x.To.Bits() == 0
	})
}

// leadsToOneWay reports whether a table that leads one family to an internet gateway leads the other to a gateway that lets
// nothing new in: a NAT or an egress gateway.
func leadsToOneWay(t *estate.Table) bool {
	return leadsOut(t, true) && slices.ContainsFunc(t.Routes, func(x *estate.Route) bool {
		g, is := x.Via.(*estate.Gateway)
		return is && g.Type != estate.InternetGateway && x.To.Bits() == 0
	})
}

// leadsToGateway reports whether a table leads all of a family to gateways, by one route or by several that share it, or a large
// part of it.
func leadsToGateway(t *estate.Table) bool {
	return slices.ContainsFunc(slices.Concat(t.Routes, t.Some), func(x *estate.Route) bool {
		_, gateway := x.Via.(*estate.Gateway)
		return gateway && (x.To.Addr().Is4() && x.To.Bits() < 8 || x.To.Addr().Is6() && x.To.Bits() < 16 && !address.Covers(privateIPv6, x.To))
	})
}

var noRouteBack = Rule{"no-route-back", Wiring, "A route over a peering or a hub, where no table at the far end leads anything back over it.", func(r *run) {
	r.noRouteBackOverHubs()
	type side struct {
		peering *estate.Peering
		network *estate.Network
	}
	leads, first := map[side]bool{}, map[side]text.Pos{}
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		if p, is := x.Via.(*estate.Peering); is && !leads[side{p, t.Network}] {
			leads[side{p, t.Network}], first[side{p, t.Network}] = true, x.At
		}
	})
	back := map[side]bool{} // by routes for some, too
	for _, n := range r.Networks {
		for _, t := range n.Tables {
			for _, x := range t.Some {
				if p, is := x.Via.(*estate.Peering); is {
					back[side{p, n}] = true
				}
			}
		}
	}
	for _, p := range r.Peerings {
		for i, n := range p.Between {
			far := p.Between[1-i]
			if !p.Stands() || far.Profile.PeerRoutes || !leads[side{p, n}] || leads[side{p, far}] || back[side{p, far}] || len(n.Ranges) == 0 {
				continue
			}
			r.report(diag.Error, first[side{p, n}], far.Place().To("tables"), "", "network %s leads packets over peering %s, and no table of network %s leads replies back", n.Name, p.Name, far.Name)
			r.by(leadBack(far, n, p.Name)...)
		}
	}
}}

// takesRouteOut gives the finding that was reported last the fix that takes a route out of its table; not for one that stands for
// several, or that a pattern gives.
func (r *run) takesRouteOut(t *estate.Table, x *estate.Route, choice string) {
	nth := reach.Written(t, x)
	if nth == 0 || t.Network.FromPattern(t) || slices.ContainsFunc(t.Routes, func(o *estate.Route) bool { return o != x && o.At == x.At }) {
		return
	}
	out := text.RemoveNth(t.Place().To("routes"), nth)
	if choice == "" {
		r.by(out)
		return
	}
	r.choice(choice, out)
}

// tableHolds reports whether a table has a route for any part of a range.
func tableHolds(t *estate.Table, p netip.Prefix) bool {
	return slices.ContainsFunc(t.Routes, func(x *estate.Route) bool { return x.To.Overlaps(p) })
}

var passesNothingOn = Rule{"passes-nothing-on", Wiring, "A hub's route for more than an attached network's own ranges, which that network does not pass on.", func(r *run) {
	for _, h := range r.Hubs {
		for _, t := range h.Tables {
			for _, x := range t.Routes {
				n, is := x.Via.(*estate.Network)
				if !is || len(n.Ranges) == 0 || address.SetOf(n.Ranges...).ContainsRange(x.To) {
					continue
				}
				if a := n.Attachment(h); a != nil && a.Door == nil {
					r.report(diag.Warning, x.At, t.Place(), fmt.Sprintf("write  %s: {table: %s, arrives: TABLE}  under attach of hub %s, with a table of network %s that leads on", n.Name, a.Table.Name, h.Name, n.Name),
						"table %s leads %s to network %s, which delivers what is in its own ranges and passes nothing on", t.ID(), x.To, n.Name)
				}
			}
		}
	}
}}

func overlapsAny(ranges []netip.Prefix, p netip.Prefix) bool {
	return slices.ContainsFunc(ranges, func(x netip.Prefix) bool { return x.Overlaps(p) })
}

// hubHolds reports whether the hub table that a network looks into has a route for any part of a range.
func hubHolds(h *estate.Hub, n *estate.Network, p netip.Prefix) bool {
	a := n.Attachment(h)
	return a != nil && slices.ContainsFunc(a.Table.Routes, func(x *estate.Route) bool { return x.To.Overlaps(p) })
}

var sitesWithoutWayBack = Rule{"site-does-not-know", Wiring, "A route to a site, over its link or a hub, that has no route back to the network.", func(r *run) {
	type way struct {
		site *estate.Site
		from *estate.Network
	}
	told := map[way]bool{}
	look := func(at text.Pos, s *estate.Site, n *estate.Network) {
		if len(n.Ranges) == 0 || told[way{s, n}] || slices.ContainsFunc(n.Ranges, func(p netip.Prefix) bool { return overlapsAny(s.Knows, p) }) {
			return
		}
		told[way{s, n}] = true
		knows := s.Place().To("knows")
		r.report(diag.Warning, at, knows, "", "network %s leads packets to site %s, and the site knows no way back to it", n.Name, s.Name)
		r.by(text.Add(knows, text.Word(n.Ranges[0].String())))
	}
	behind := map[*estate.HubTable][]*estate.Route{} // those that lead to sites
	for _, h := range r.Hubs {
		for _, t := range h.Tables {
			for _, x := range t.Routes {
				if _, is := x.Via.(*estate.Site); is {
					behind[t] = append(behind[t], x)
				}
			}
		}
	}
	r.eachRoute(func(t *estate.Table, x *estate.Route) {
		switch via := x.Via.(type) {
		case *estate.Site:
			look(x.At, via, t.Network)
		case *estate.Hub:
			a := t.Network.Attachment(via)
			if a == nil || x.To.Bits() == 0 {
				return
			}
			for _, y := range behind[a.Table] {
				if s, is := y.Via.(*estate.Site); is && y.To.Overlaps(x.To) && overlapsAny(s.Ranges, x.To) {
					look(x.At, s, t.Network)
				}
			}
		}
	})
}}

var strandedNATs = Rule{"stranded-nat", Wiring, "A NAT gateway with public addresses whose own subnet has no route to an internet gateway, or without one whose own subnet leads straight there.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.NATs() {
			egress := func(x *estate.Route) bool {
				out, is := x.Via.(*estate.Gateway)
				return is && out.Type == estate.EgressGateway
			}
			if g.In != nil && len(g.Public) > 0 && !leadsOut(g.In.Table, true) && !slices.ContainsFunc(g.In.Table.Routes, egress) {
				r.report(diag.Error, g.At(), g.Place(), fmt.Sprintf("lead a default route of %s to an internet gateway", g.In.Table.Place()),
					"NAT gateway %s sits in subnet %s, whose table has no route to an internet gateway", g.Name, g.In.ID())
			}
			if g.In != nil && len(g.Public) == 0 && leadsToInternet(g.In.Table) {
				r.report(diag.Error, g.At(), g.Place(), "or its public address", "NAT gateway %s has no public address, so that nothing gets out by the internet gateway that its subnet %s leads to", g.Name, g.In.ID())
				r.by(text.Set(g.Place(), "public", text.Word(plan.Assigned)))
			}
		}
	}
}}

// leadsToInternet reports whether the default route of IPv4 of a table leads straight to an attached internet gateway.
func leadsToInternet(t *estate.Table) bool {
	return slices.ContainsFunc(t.Routes, func(x *estate.Route) bool {
		g := x.ToInternet()
		return g != nil && g.Attached && x.To.Bits() == 0 && x.To.Addr().Is4()
	})
}

var natLoops = Rule{"nat-loop", Wiring, "A NAT gateway whose own subnet's table leads on to a NAT: packets are translated twice, or go round.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.NATs() {
			if g.In == nil {
				continue
			}
			for _, x := range g.In.Table.Routes {
				second, is := x.Via.(*estate.Gateway)
				if !is || second.Type != estate.NATGateway || second.In == nil {
					continue
				}
				fix := fmt.Sprintf("lead the route of %s to an internet gateway, or put gateway %s into a subnet with another table", g.In.Table.Place(), g.Name)
				if second == g {
					r.report(diag.Error, x.At, g.In.Table.Place(), fix, "NAT gateway %s sits in subnet %s, whose table leads %s back to it, so it translates nothing", g.Name, g.In.ID(), x.To)
				} else {
					r.report(diag.Warning, x.At, g.In.Table.Place(), fix, "NAT gateway %s sits in subnet %s, whose table leads %s to NAT gateway %s, which translates once more, and hides who is behind it", g.Name, g.In.ID(), x.To, second.Name)
				}
			}
		}
	}
}}

var wayOut = Rule{"way-out", Wiring, "An outbound tier that is led straight to the internet gateway, or that its cloud lets out by an address of its own choosing, or not at all.", func(r *run) {
	for _, n := range r.Networks {
		for _, tier := range n.Tiers {
			if tier.Plan.Access.Value != "outbound" {
				continue
			}
			told := map[string]bool{}
			for _, s := range tier.Subnets {
				for _, x := range s.Table.Routes {
					if g := x.ToInternet(); g == nil || !g.Attached || x.To.Bits() > 0 {
						continue
					}
					what, fix := r.straightOut(s, x)
					if at := fmt.Sprint(x.At, x.To, what); what != "" && !told[at] {
						told[at] = true
						place := x.At
						if !place.Known() {
							place = s.At()
						}
						r.report(diag.Warning, place, s.Table.Place(), fix, "tier %s is outbound, and %s", tier.ID(), what)
						if !n.FromPattern(tier) && !n.Profile.NATServes {
							r.choice("public", text.Set(tier.Place(), "access", text.Word("public")))
						}
					}
				}
			}
		}
	}
}}

// straightOut says what is wrong with a default route of an outbound subnet to an internet gateway; empty where nothing is.
func (r *run) straightOut(s *estate.Subnet, x *estate.Route) (what, fix string) {
	n := s.Network
	switch {
	case !n.Profile.NATServes:
		way := "a NAT gateway"
		if x.To.Addr().Is6() {
			way = "an egress gateway"
		}
		return fmt.Sprintf("table %s leads %s straight to the internet gateway, which brings in as well", s.Table.ID(), x.To), fmt.Sprintf("lead it to %s", way)
	case !x.To.Addr().Is4() || n.NATServing(s) != nil:
		return "", ""
	}
	then := "so nothing of it gets out"
	if n.Profile.ImplicitOut {
		then = "so it leaves by an address of the cloud's choosing"
	}
	return fmt.Sprintf("no NAT gateway serves subnet %s, %s", s.ID(), then), fmt.Sprintf("let a NAT gateway serve subnet %s", s.Name)
}

var oneFamily = Rule{"one-family", Wiring, "A table with a default route for one family only, where a public or outbound tier has IPv4 and public IPv6.", func(r *run) {
	for _, n := range r.Networks {
		told := map[*estate.Table]bool{}
		for _, s := range n.Subnets {
			if s.Tier == nil || s.Tier.Plan.Access.Value != "public" && s.Tier.Plan.Access.Value != "outbound" || told[s.Table] {
				continue
			}
			out := map[bool]bool{}
			for _, x := range slices.Concat(s.Table.Routes, s.Table.Some) {
				if x.To.Bits() == 0 {
					out[x.To.Addr().Is4()] = true // one into a blackhole is meant
				}
			}
			if !s.Has(true) || !s.HasPublicSix() || out[true] == out[false] {
				continue
			}
			told[s.Table] = true
			lacks, all := "IPv6", "::/0"
			if out[false] {
				lacks, all = "IPv4", "0.0.0.0/0"
			}
			r.report(diag.Warning, s.At(), s.Place(), fmt.Sprintf("lead %s to a gateway in table %s", all, s.Table.ID()),
				"tier %s is %s, and table %s of its subnet %s has no default route of %s", s.Tier.ID(), s.Tier.Plan.Access.Value, s.Table.ID(), s.Name, lacks)
			r.choice(plan.Blackhole, reach.RouteEdits(s.Table, plan.Blackhole, netip.MustParsePrefix(all))...)
		}
	}
}}

var otherZone = Rule{"other-zone", Wiring, "A subnet that leaves by the NAT gateway of another zone, where its own zone has one or is to have one.", func(r *run) {
	for _, n := range r.Networks {
		own := map[string]*estate.Gateway{}
		for _, g := range n.NATs() {
			if g.In != nil && own[n.PlaceOf(g.In)] == nil {
				own[n.PlaceOf(g.In)] = g
			}
		}
		for _, s := range n.Subnets {
			zone := n.PlaceOf(s)
			if zone == "" || own[zone] == nil && n.Plan.NAT.Value != "per-zone" {
				continue
			}
			for _, x := range s.Table.Routes {
				g, is := x.Via.(*estate.Gateway)
				if !is || x.To.Bits() > 0 || g.In == nil || n.PlaceOf(g.In) == zone {
					continue
				}
				fix := fmt.Sprintf("put a NAT gateway into a public subnet of zone %s, and lead the default route of %s to it", zone, s.Name)
				if own[zone] != nil {
					fix = fmt.Sprintf("lead the default route of %s to NAT gateway %s", s.Name, own[zone].Name)
				}
				r.report(diag.Warning, s.At(), s.Place(), fix, "subnet %s is in zone %s and leaves by NAT gateway %s of zone %s", s.ID(), zone, g.Name, n.PlaceOf(g.In))
				alone := !slices.ContainsFunc(s.Table.Subnets, func(o *estate.Subnet) bool { return n.PlaceOf(o) != zone })
				if nth := reach.Written(s.Table, x); own[zone] != nil && alone && nth > 0 && !n.FromPattern(s.Table) {
					r.by(text.Set(s.Table.Place().To("routes", fmt.Sprint(nth)), "via", text.Word(own[zone].Name)))
					r.findings[len(r.findings)-1].Fixes[0].Advice = ""
				}
			}
		}
	}
}}
