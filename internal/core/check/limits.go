package check

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

var tooManyRoutes = Rule{"too-many-routes", Wiring, "A table with more routes than the profile allows (max-routes).", func(r *run) {
	for _, n := range r.Networks {
		most := n.Profile.MaxRoutes
		for _, t := range n.Tables {
			has := len(t.Some)
			for _, x := range t.Routes {
				if x.Origin != estate.Local {
					has++
				}
			}
			if most > 0 && has > most {
				r.report(diag.Error, t.At(), t.Place(), "lead to wider ranges, or give some subnets a table of their own", "table %s has %d routes, and a table may have %d", t.ID(), has, most)
			}
		}
	}
}}

var tooManyRules = Rule{"too-many-rules", Guards, "A group or list with more rules in one direction than the profile allows (max-rules).", func(r *run) {
	for _, n := range r.Networks {
		look := func(o estate.Object, direction string, has int) {
			if most := n.Profile.MaxRules; most > 0 && has > most {
				r.report(diag.Error, o.At(), o.Place().To(direction), "say it in fewer rules, by wider ranges or by groups", "%s %s has %d rules %s, and it may have %d", o.Kind(), o.ID(), has, direction, most)
			}
		}
		for _, g := range n.Groups {
			look(g, "in", len(g.In))
			look(g, "out", len(g.Out))
		}
		for _, l := range n.Lists {
			look(l, "in", len(l.In))
			look(l, "out", len(l.Out))
		}
	}
}}

var tooManyPeerings = Rule{"too-many-peerings", Wiring, "A network with more peerings than the profile allows (max-peerings).", func(r *run) {
	for _, n := range r.Networks {
		if most := n.Profile.MaxPeerings; most > 0 && len(n.Peerings) > most {
			r.report(diag.Error, n.At(), n.Place(), fmt.Sprintf("join some of them over a hub, which is one more attachment of %s alone", n.Name), "network %s has %d peerings, and a network may have %d", n.Name, len(n.Peerings), most)
		}
	}
}}

// peeredOverlaps finds of conflicts those over a peering, from the peerings alone.
var peeredOverlaps = Rule{conflicts.Code, conflicts.Topic, conflicts.Doc, func(r *run) {
	for _, p := range r.Peerings {
		for _, a := range p.Between[0].Ranges {
			for _, b := range p.Between[1].Ranges {
				if a.Overlaps(b) {
					r.report(diag.Error, p.At(), p.Place(), "give one of them a range of its own", "networks %s (%s) and %s (%s) overlap, and peering %s joins them", p.Between[0].Name, a, p.Between[1].Name, b, p.Name)
				}
			}
		}
	}
}}

// ownOverlaps finds of conflicts those inside of a network: between its own ranges, and between its subnets.
var ownOverlaps = Rule{conflicts.Code, conflicts.Topic, conflicts.Doc, func(r *run) {
	type part struct {
		plan.Range
		of estate.Object
	}
	for _, n := range r.Networks {
		var own, subnets []part
		for _, x := range n.Plan.Ranges {
			own = append(own, part{x, n})
		}
		for _, s := range n.Subnets {
			if s.Plan != nil {
				for _, x := range s.Plan.Ranges {
					subnets = append(subnets, part{x, s})
				}
			}
		}
		for _, all := range [][]part{own, subnets} {
			slices.SortStableFunc(all, func(a, b part) int { return a.Prefix.Compare(b.Prefix) })
			for i := 1; i < len(all); i++ {
				if a, b := all[i-1], all[i]; a.Prefix.Overlaps(b.Prefix) {
					r.report(diag.Error, b.At, b.of.Place(), "give one of them a range of its own", "%s %s (%s) and %s %s (%s) overlap", a.of.Kind(), a.of.ID(), a.Prefix, b.of.Kind(), b.of.ID(), b.Prefix)
					all[i] = a // which may hold more of those behind it
				}
			}
		}
	}
}}

// perAddress is how many workloads may share a public address of a NAT gateway before each has fewer than 64 ports for what it has open
// at a time to one place; there are 64,512 of them (RFC 6335, section 6).
const perAddress = 1008

var crowdedNAT = Rule{"crowded-nat", Wiring, "A NAT gateway behind which so many workloads share a public address that each has fewer than 64 ports to one place.", func(r *run) {
	for _, n := range r.Networks {
		behind := map[*estate.Gateway]int{}
		for _, s := range n.Subnets {
			g := n.NATServing(s)
			if g == nil {
				i := slices.IndexFunc(s.Table.Routes, func(x *estate.Route) bool { return x.To == everyIPv4 })
				if i < 0 {
					continue
				}
				g, _ = s.Table.Routes[i].Via.(*estate.Gateway)
			}
			if g == nil || g.Type != estate.NATGateway {
				continue
			}
			for _, w := range s.Workloads {
				if _, public := w.PublicLike(everyIPv4.Addr()); !public {
					behind[g]++
				}
			}
		}
		for _, g := range n.Gateways {
			if has := max(1, len(g.PublicLike(everyIPv4.Addr()))); behind[g] > has*perAddress {
				r.report(diag.Warning, g.At(), g.Place().To("public"), "give it more public addresses, or the zones one each", "%d workloads share the %s of NAT gateway %s", behind[g], phrase.Count(has, "public address"), g.ID())
			}
		}
	}
}}

var everyIPv4 = netip.MustParsePrefix("0.0.0.0/0")
