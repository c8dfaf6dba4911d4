package wire

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file gives networks the gateways that the access of their tiers asks for.

// wanted is what a network's tiers want, by access.
type wanted struct {
	n     *estate.Network
	of    map[string][]*estate.Tier
	front *estate.Gateway            // the internet gateway, perhaps one to come
	six   *estate.Gateway            // that lets IPv6 out
	nats  map[string]*estate.Gateway // by zone; under an empty word where one is for all
	zoned bool                       // whether each zone of outbound tiers has a NAT gateway of its own, and there are several
	had   []string                   // names that are taken among gateways and tables
}

var everywhere = map[bool]netip.Prefix{false: netip.MustParsePrefix("0.0.0.0/0"), true: netip.MustParsePrefix("::/0")}

// network gives a network the ways out that its tiers ask for, and the tables that lead there.
func (w *wirer) network(n *estate.Network) {
	x := wantedOf(n)
	if len(x.of) == 0 {
		return
	}
	w.gateways(x)
	all := w.allJoins(n)
	for _, j := range all {
		if !w.needs.wants(n, j, n.Subnets) {
			continue
		}
		if who := w.inTheWay(n, j, all); who != "" {
			w.Contradicts = append(w.Contradicts, diag.Finding{Code: overlaps, Severity: diag.Warning, At: n.At(), Place: n.Place(),
				Message: fmt.Sprintf("network %s is joined to %s, whose range overlaps that of %s, so no route leads there", n.Name, j.to, who), Fixes: diag.Advise("move one of them, or write the route by hand")})
		}
	}
	for _, access := range []string{"public", "outbound", "closed"} {
		w.tables(x, access)
	}
}

// wantedOf is what the tiers of a network want.
func wantedOf(n *estate.Network) *wanted {
	x := &wanted{n: n, of: map[string][]*estate.Tier{}, nats: map[string]*estate.Gateway{}}
	for _, t := range n.Tiers {
		if a := t.Plan.Access.Value; a != "" && len(t.Subnets) > 0 {
			x.of[a] = append(x.of[a], t)
		}
	}
	return x
}

// gateways finds or adds the gateways of a network.
func (w *wirer) gateways(x *wanted) {
	n := x.n
	nat := n.Plan.NAT.Value != "none"
	if len(x.of["public"]) > 0 || len(x.of["outbound"]) > 0 && nat && (n.Profile.NATServes || len(n.NATs()) > 0) {
		switch g := n.InternetGateway(); {
		case g == nil:
			x.front = &estate.Gateway{Name: x.free(estate.WiredFront), Network: n, Type: estate.InternetGateway, Attached: true}
			w.add("front", fmt.Sprintf("network %s has tiers that are open to the internet or go out to it, and no internet gateway", n.Name),
				text.Set(n.Place().To("gateways"), x.front.Name, text.Map(text.Field{Key: "kind", Value: text.Word("internet")})))
		case !g.Attached:
			w.against(g.Plan.Attached.At, g.Place(), "write  attached: true,  or another access for the tiers", "internet gateway %s is not attached, and tiers of network %s are open to the internet or go out to it", g.Name, n.Name)
			x.front = g
		default:
			x.front = g
		}
	}
	if len(x.of["outbound"]) > 0 && nat {
		w.nat(x)
	}
	if len(x.of["outbound"]) > 0 && x.hasSix(x.of["outbound"]) {
		for _, g := range n.Gateways {
			if g.Type == estate.EgressGateway && g.Attached {
				x.six = g
			}
		}
		if x.six == nil {
			x.six = &estate.Gateway{Name: x.free(estate.WiredSix), Network: n, Type: estate.EgressGateway, Attached: true}
			w.add("six", fmt.Sprintf("outbound tiers of network %s have IPv6, and nothing lets that out alone", n.Name),
				text.Set(n.Place().To("gateways"), x.six.Name, text.Map(text.Field{Key: "kind", Value: text.Word("egress")})))
		}
	}
}

// hasSix reports whether some tiers have IPv6 that the internet carries.
func (x *wanted) hasSix(tiers []*estate.Tier) bool {
	return slices.ContainsFunc(tiers, func(t *estate.Tier) bool {
		return slices.ContainsFunc(t.Subnets, (*estate.Subnet).HasPublicSix)
	})
}

// free is a name that no gateway and no table of the network has, as near to the one that is wanted as can be.
func (x *wanted) free(name string) string {
	taken := func(s string) bool {
		return slices.Contains(x.had, s) || slices.ContainsFunc(x.n.Gateways, func(g *estate.Gateway) bool { return g.Name == s }) ||
			slices.ContainsFunc(x.n.Tables, func(t *estate.Table) bool { return t.Name == s && t.Plan != nil })
	}
	free := phrase.Free(name, taken)
	x.had = append(x.had, free)
	return free
}

// nat finds or adds the NAT gateways of a network: one, or one in each zone.
func (w *wirer) nat(x *wanted) {
	n := x.n
	if n.Profile.NATServes {
		var lacks []string
		for _, t := range x.of["outbound"] {
			if slices.ContainsFunc(t.Subnets, func(s *estate.Subnet) bool { return n.NATServing(s) == nil }) {
				lacks = append(lacks, t.Name)
			}
		}
		if len(lacks) > 0 {
			name := x.free(estate.WiredNAT)
			w.add("nat", fmt.Sprintf("outbound tiers of network %s are served by no NAT gateway", n.Name), text.Set(n.Place().To("gateways"), name, text.Map(
				text.Field{Key: "kind", Value: text.Word("nat")}, text.Field{Key: "serves", Value: text.Words(lacks...)}, text.Field{Key: "public", Value: text.Word(plan.Assigned)})))
		}
		return
	}
	zones := []string{""}
	if n.Plan.NAT.Value == "per-zone" {
		zones = nil
		for _, t := range x.of["outbound"] {
			for _, s := range t.Subnets {
				if !slices.Contains(zones, n.PlaceOf(s)) {
					zones = append(zones, n.PlaceOf(s))
				}
			}
		}
	}
	x.zoned = len(zones) > 1
	if !x.zoned && len(zones) > 0 && zones[0] != "" { // the one zone is all of it
		defer func(zone string) { x.nats[""] = x.nats[zone] }(zones[0])
	}
	for _, zone := range zones {
		for _, g := range n.NATs() {
			if g.In != nil && (zone == "" || n.PlaceOf(g.In) == zone) && x.nats[zone] == nil {
				x.nats[zone] = g
			}
		}
		if x.nats[zone] != nil {
			continue
		}
		var in *estate.Subnet
		for _, t := range x.of["public"] {
			for _, s := range t.Subnets {
				if in == nil && (zone == "" || n.PlaceOf(s) == zone) {
					in = s
				}
			}
		}
		if in == nil {
			where := ""
			if zone != "" {
				where = " in " + zone
			}
			w.Contradicts = append(w.Contradicts, diag.Finding{Code: noPlace, Severity: diag.Warning, At: n.At(), Place: n.Place(), Message: fmt.Sprintf("outbound tiers of network %s need a NAT gateway, and no public tier has a subnet%s for it", n.Name, where),
				Fixes: diag.Advise("add a public tier, or write  nat: none")})
			continue
		}
		name := estate.WiredNAT
		if zone != "" {
			name = estate.WiredNAT + "-" + n.ShortZone(zone)
		}
		name = x.free(name)
		why := fmt.Sprintf("outbound tiers of network %s need a NAT gateway", n.Name)
		if zone != "" {
			why += " in " + zone
		}
		w.add("nat", why, text.Set(n.Place().To("gateways"), name, text.Map(text.Field{Key: "kind", Value: text.Word("nat")}, text.Field{Key: "in", Value: text.Word(in.Name)}, text.Field{Key: "public", Value: text.Word(plan.Assigned)})))
		x.nats[zone] = &estate.Gateway{Name: name, Network: n, Type: estate.NATGateway, In: in}
	}
}
