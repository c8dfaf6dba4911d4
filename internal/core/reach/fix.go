package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file finds the way that a packet should have taken where a table has no route or a wrong one, so that the walk
// can go on and find what is wrong behind it.

// way is a next hop that would lead to the goal, and the range that a route to it would have.
type way struct {
	to  netip.Prefix
	via estate.Object
}

// viaName is the next hop as a route writes it.
func (to way) viaName() string { return (&estate.Route{Via: to.via}).ViaName() }

// Everywhere is the range of a default route in the family of a.
func Everywhere(a netip.Addr) netip.Prefix {
	if a.Is4() {
		return netip.PrefixFrom(ipv4, 0)
	}
	return netip.PrefixFrom(ipv6, 0)
}

// intended finds the way from a subnet to the goal by what the plan joins already.
func (w *walker) intended(s *estate.Subnet, p packet) (way, bool) {
	n, goal := s.Network, w.goal()
	far := goal.network()
	outside := goal.Internet || far != nil && !far.Holds(p.dst.Addr) || goal.Site != nil && !goal.Site.Holds(p.dst.Addr)
	if outside {
		return w.wayOut(s, p)
	}
	if far != nil {
		to := rangeWith(far.Ranges, p.dst.Addr)
		var half *estate.Peering
		for _, x := range n.Peerings {
			switch {
			case x.Far(n) != far:
			case x.Stands():
				return way{to, x}, true
			default:
				half = x
			}
		}
		if half != nil {
			return way{to, half}, true
		}
		return w.hubWay(n, to)
	}
	to := rangeWith(goal.Site.Ranges, p.dst.Addr)
	if goal.Site.Link == n {
		return way{to, goal.Site}, true
	}
	for _, x := range n.Peerings {
		if far := x.Far(n); far == goal.Site.Link && x.Carries(far) {
			return way{to, x}, true
		}
	}
	return w.hubWay(n, to)
}

// hubWay is the way over a hub to which both the network and the goal are attached, or one that is linked to such.
func (w *walker) hubWay(n *estate.Network, to netip.Prefix) (way, bool) {
	for _, leads := range []func(h *estate.Hub) bool{
		func(h *estate.Hub) bool { return w.goalAttachment(h) != nil },
		func(h *estate.Hub) bool { return w.goalLink(h) != nil },
	} {
		for _, a := range n.Attachments {
			if leads(a.Hub) {
				return way{to, a.Hub}, true
			}
		}
	}
	return way{}, false
}

// wayOut is the way to the internet: straight for a workload that has a public address, else through a NAT gateway, of
// the subnet's own zone where there is one.
func (w *walker) wayOut(s *estate.Subnet, p packet) (way, bool) {
	n := s.Network
	straight := w.back || !w.translated.Nobody() || n.Profile.NATServes
	if x := n.Host(p.src.Addr).Workload; x != nil && !straight {
		_, straight = x.PublicLike(p.src.Addr)
	}
	if !straight {
		var best *estate.Gateway
		for _, g := range n.NATs() {
			if _, has := g.AddrLike(p.src.Addr); !has || g.In == nil || g.In.Table == s.Table { // its own table would lead it to itself
				continue
			}
			if best == nil || g.In.Zone == s.Zone && best.In.Zone != s.Zone {
				best = g
			}
		}
		if best != nil {
			return way{Everywhere(p.src.Addr), best}, true
		}
	}
	out := n.InternetGateway()
	for _, g := range n.Gateways {
		if g.Type == estate.EgressGateway && p.src.Is6() && !w.back && (out == nil || !out.Attached && g.Attached || g.Attached && !isPublic(s)) {
			out = g
		}
	}
	if out == nil {
		return way{}, false
	}
	return way{Everywhere(p.src.Addr), out}, true
}

// isPublic reports whether a subnet is meant to be open to the internet: by its tier's access, or else by where its table
// leads already.
func isPublic(s *estate.Subnet) bool {
	if s.Tier != nil && s.Tier.Plan.Access.Given() {
		return s.Tier.Plan.Access.Value == "public"
	}
	return slices.ContainsFunc(s.Table.Routes, func(r *estate.Route) bool { return r.ToInternet() != nil })
}

// unsafe says what to do in the place of a fix that would open a tier to the internet which is not meant for that; empty
// where a way opens none.
func (w *walker) unsafe(s *estate.Subnet, to way) string {
	g, is := to.via.(*estate.Gateway)
	if !is || !w.translated.Nobody() || s.Tier == nil {
		return ""
	}
	switch access := s.Tier.Plan.Access.Value; {
	case access == "closed" && w.back:
		return fmt.Sprintf("tier %s is closed: write  access: public  there first, if the internet is to get in", s.Tier.ID())
	case access == "closed":
		return fmt.Sprintf("tier %s is closed: write  access: outbound  there first, if it is to go out", s.Tier.ID())
	case g.Type != estate.InternetGateway || w.back || s.Network.Profile.NATServes:
		return ""
	case access == "outbound":
		if to.to.Addr().Is4() {
			return fmt.Sprintf("put a NAT gateway into a public subnet of network %s, and lead %s of table %s to it: tier %s is outbound", s.Network.Name, to.to, s.Table.Name, s.Tier.ID())
		}
		return fmt.Sprintf("write  gateways: {six: {kind: egress}}  at network %s, and lead %s of table %s to it: tier %s is outbound", s.Network.Name, to.to, s.Table.Name, s.Tier.ID())
	}
	return ""
}

// rangeWith is the range of a list that holds an address; the address alone when none does.
func rangeWith(ranges []netip.Prefix, a netip.Addr) netip.Prefix {
	for _, p := range ranges {
		if p.Contains(a) {
			return p
		}
	}
	return address.Single(a)
}

// noRoute blocks a packet for which the table of its subnet has no route, and goes on by the way that one would lead.
func (w *walker) noRoute(s *estate.Subnet, p packet) {
	if w.unexplained() {
		return
	}
	t := s.Table
	to, found := w.intended(s, p)
	if !found {
		w.block(t, w.notJoined(s, p))
		w.deliver(p)
		return
	}
	if x, is := to.via.(*estate.Peering); is && s.Network.Profile.PeerRoutes && !x.Stands() {
		// Here the route installs itself once the peering stands, so that alone is missing.
		w.detour(s, p)
		return
	}
	f := diag.Finding{Code: NoRoute, At: t.At(), Place: t.Place(),
		Message: fmt.Sprintf("table %s has no route to %s", t.ID(), w.destination(p)), Fixes: w.routeFix(t, to, p)}
	if better := w.unsafe(s, to); better != "" && w.forgotten(s, p) == nil {
		f.Fixes = diag.Advise(better)
		w.block(t, f)
		w.deliver(p)
		return
	}
	if better := w.forgotten(s, p); better != nil {
		f.Code = LeftOnMainTable
		f.Message = fmt.Sprintf("subnet %s is named by no table, so the main table %s is its own, and that has no route to %s", s.ID(), t.ID(), w.destination(p))
		f.Fixes = []diag.Fix{{Edits: []text.Edit{text.Add(better.Place().To("subnets"), text.Word(s.Name))}, Advice: "which has the route"}}
	}
	if _, out := to.via.(*estate.Gateway); out && s.Tier != nil && s.Tier.Plan.Access.Value == "closed" {
		f.Fixes[0].Advice = strings.TrimPrefix(f.Fixes[0].Advice+fmt.Sprintf(", if tier %s need not stay closed", s.Tier.Name), ", ")
	}
	w.block(t, f)
	w.detour(s, p)
}

// routeFix adds the route to a table: the widest that beats what the table has for the packet today.
func (w *walker) routeFix(t *estate.Table, to way, p packet) []diag.Fix {
	if x := w.from.Workload; x != nil && !w.back && w.translated.NAT != nil && !w.goal().Internet && x.Subnet.Network == t.Network && x.Subnet.Table != t {
		// What is private need not go through the NAT gateway at all.
		if fixes := w.routeInto(x.Subnet.Table, to, p); fixes != nil {
			return fixes
		}
	}
	return w.routeInto(t, to, p)
}

func (w *walker) routeInto(t *estate.Table, to way, p packet) []diag.Fix {
	beat := -1
	if r := t.Lookup(p.dst.Addr); r != nil {
		if beat = r.To.Bits(); r.Origin != estate.Local && r.Origin != estate.ByHand {
			beat-- // what is written by hand beats it at the same length
		}
	}
	var all [][]text.Edit
	for _, wide := range w.narrower(to.to, p) {
		if wide.Bits() > beat {
			all = append(all, RouteEdits(t, to.viaName(), wide))
		}
	}
	return inTurn(all)
}

// instead leads a route that was written the other way.
func (to way) instead(t *estate.Table, r *estate.Route) []diag.Fix {
	nth := Written(t, r)
	if nth == 0 {
		return diag.Advise(fmt.Sprintf("lead  %s  via %s instead, in %s", r.To, to.viaName(), t.Place()))
	}
	if g, is := to.via.(*estate.Gateway); is && g.Born { // which no route can name: without this one the way from birth is there
		return []diag.Fix{{Edits: []text.Edit{text.RemoveNth(t.Place().To("routes"), nth)}, Advice: fmt.Sprintf("so that  %s  goes the way that the network has from birth", r.To)}}
	}
	lead := text.Set(t.Place().To("routes", fmt.Sprint(nth)), "via", text.Word(to.viaName()))
	return []diag.Fix{{Edits: []text.Edit{lead}, Advice: fmt.Sprintf("which leads  %s  there instead", r.To)}}
}

// ownAway takes out a route that leads a part of the goal's own network out of it; nil when the route does no such thing.
func (w *walker) ownAway(s *estate.Subnet, r *estate.Route, p packet) []diag.Fix {
	nth := Written(s.Table, r)
	if nth == 0 || w.goal().network() != s.Network || !s.Network.Holds(p.dst.Addr) {
		return nil
	}
	out := text.RemoveNth(s.Table.Place().To("routes"), nth)
	return []diag.Fix{{Edits: []text.Edit{out}, Advice: fmt.Sprintf("which leads  %s  of its own network away", r.To)}}
}

// Written is the number, from 1, of a route among those that a table has in the plan; 0 for one that is not there.
func Written(t *estate.Table, r *estate.Route) int {
	if t.Plan == nil || r == nil {
		return 0
	}
	return 1 + slices.IndexFunc(t.Plan.Routes, func(x plan.Route) bool { return x.At == r.At })
}

// narrower are ranges that hold the destination of a packet, from a wide one down: that of its subnet, and the address
// alone. For what is on the internet there is the wide one only.
func (w *walker) narrower(wide netip.Prefix, p packet) []netip.Prefix {
	all := []netip.Prefix{wide}
	if wide.Bits() == 0 || p.dst.divisible() {
		return all
	}
	less := []netip.Prefix{address.Single(p.dst.Addr)}
	if x := w.asker(p.dst); x != nil {
		less = append(slices.Clone(x.Subnet.Ranges), less...)
	}
	for _, r := range less {
		if r.Contains(p.dst.Addr) && r.Bits() > all[len(all)-1].Bits() {
			all = append(all, r)
		}
	}
	return all
}

// edits add the route to a table.
func (to way) edits(t *estate.Table) []text.Edit { return RouteEdits(t, to.viaName(), to.to) }

// RouteEdits add routes to a table, which is written first where it is only implied.
func RouteEdits(t *estate.Table, via string, to ...netip.Prefix) []text.Edit {
	var edits []text.Edit
	if t.Plan == nil {
		edits = append(edits, text.Set(t.Place(), "main", text.Word("true")))
	}
	for _, p := range to {
		edits = append(edits, text.Add(t.Place().To("routes"), routeValue(p, via)))
	}
	return edits
}

// misrouted blocks a packet that a route leads to the wrong place, with the route that would be right as the fix, and
// goes on by that one.
func (w *walker) misrouted(by estate.Object, s *estate.Subnet, r *estate.Route, p packet, code diag.Code, format string, args ...any) {
	f := diag.Finding{Code: code, At: r.At, Place: s.Table.Place(), Message: fmt.Sprintf(format, args...)}
	if !f.At.Known() {
		f.At = s.Table.At()
	}
	to, found := w.intended(s, p)
	better, own := w.unsafe(s, to), w.ownAway(s, r, p)
	switch {
	case own != nil:
		f.Fixes = own
	case !found || to.via == r.Via:
		f.Fixes = diag.Advise("lead the route to what holds the destination")
		if !found {
			if join := w.notJoined(s, p); join.Code == NotJoined || join.Code == NoInternetGateway {
				f.Fixes = join.Fixes
			}
		}
		w.block(by, f)
		w.deliver(p)
		return
	case better != "":
		f.Fixes = diag.Advise(better)
	default:
		if f.Fixes = w.routeFix(s.Table, to, p); f.Fixes == nil {
			f.Fixes = to.instead(s.Table, r)
		}
	}
	w.block(by, f)
	w.detour(s, p)
}

// destination names where a packet is going in a message.
func (w *walker) destination(p packet) string {
	if !p.dst.IsValid() {
		return "the internet"
	}
	return w.describe(p.dst)
}

// forgotten is the table that a subnet left on the main table was meant to have: one that leads the packet on, best one
// that the other subnets of its tier have.
func (w *walker) forgotten(s *estate.Subnet, p packet) *estate.Table {
	if !s.ByDefault {
		return nil
	}
	var best *estate.Table
	for _, t := range s.Network.Tables {
		if t == s.Table || len(t.Subnets) == 0 {
			continue
		}
		r := t.Lookup(p.dst.Addr)
		if r == nil || r.Via == estate.Blackhole {
			continue
		}
		for _, x := range t.Subnets {
			if s.Tier != nil && x.Tier == s.Tier {
				best = t
			}
		}
	}
	return best
}

// notJoined says that no way leads from a network to the goal, whatever its tables say.
func (w *walker) notJoined(s *estate.Subnet, p packet) diag.Finding {
	n, goal := s.Network, w.goal()
	far := goal.network()
	switch {
	case goal.Internet || far != nil && !far.Holds(p.dst.Addr) && address.IsPublic(p.dst.Addr):
		return diag.Finding{Code: NoInternetGateway, At: n.At(), Place: n.Place(),
			Message: fmt.Sprintf("network %s has no internet gateway", n.Name), Fixes: w.gatewayFor(s, p)}
	case far != nil && far == n:
		return diag.Finding{Code: NoRoute, At: s.Table.At(), Place: s.Table.Place(),
			Message: fmt.Sprintf("table %s has no route to %s", s.Table.ID(), w.destination(p)), Fixes: diag.Advise("add the range to the network")}
	}
	f := diag.Finding{Code: NotJoined, Message: fmt.Sprintf("nothing joins %s and %s", w.from.owner(), w.to.owner()),
		Fixes: diag.Advise("attach both to one hub, or link the site to the network, and add a route")}
	if from := w.from.network(); from != nil {
		f.At, f.Place = from.At(), from.Place()
	} else if w.from.Site != nil {
		f.At, f.Place = w.from.Site.At(), w.from.Site.Place()
	}
	if a, b := w.from.network(), w.to.network(); a != nil && b != nil {
		f.Fixes = []diag.Fix{w.peer(a, b)}
	}
	return f
}

// gatewayFor gives a network an internet gateway, and a subnet the default route to it; where that is not for its tier, it
// says what would be.
func (w *walker) gatewayFor(s *estate.Subnet, p packet) []diag.Fix {
	front := &estate.Gateway{Name: freeName("front", s.Network.Gateways), Network: s.Network, Type: estate.InternetGateway, Attached: true}
	to := way{Everywhere(p.src.Addr), front}
	if better := w.unsafe(s, to); better != "" {
		return diag.Advise(better)
	}
	fix := diag.Fix{Edits: []text.Edit{newGateway(front)}}
	if s.Table.Lookup(p.dst.Addr) == nil {
		fix.Edits = append(fix.Edits, to.edits(s.Table)...)
	} else {
		fix.Advice = fmt.Sprintf("and lead  %s  via %s, in %s", to.to, front.Name, s.Table.Place())
	}
	return []diag.Fix{fix}
}

// newGateway writes an internet gateway.
func newGateway(g *estate.Gateway) text.Edit {
	return text.Set(g.Network.Place().To("gateways"), g.Name, text.Map(text.Field{Key: "kind", Value: text.Word("internet")}))
}

// freeName is a name that no gateway has, as near to the one that is wanted as can be.
func freeName(wanted string, had []*estate.Gateway) string {
	return phrase.Free(wanted, func(name string) bool {
		return slices.ContainsFunc(had, func(g *estate.Gateway) bool { return g.Name == name })
	})
}

// peer joins the networks of both ends: by a peering, and by routes over it in the tables of the ends where the cloud
// installs none. The routes are of each family that both networks have, as a fix is told once for both.
func (w *walker) peer(a, b *estate.Network) diag.Fix {
	for _, p := range a.Ranges {
		for _, q := range b.Ranges {
			if p.Overlaps(q) {
				return diag.Fix{Advice: fmt.Sprintf("%s of network %s and %s of network %s overlap: move one of them, then write a peering between them", p, a.Name, q, b.Name)}
			}
		}
	}
	both, name := text.Words(a.Name, b.Name), a.Name+"-"+b.Name
	join := text.Map(text.Field{Key: "between", Value: both}, text.Field{Key: "accepted", Value: both})
	fix := diag.Fix{Edits: []text.Edit{text.Set(text.Path{"peerings"}, name, join)}}
	for _, side := range []struct {
		end End
		far *estate.Network
	}{{w.from, b}, {w.to, a}} {
		n, x := side.end.network(), side.end.Workload
		switch {
		case n.Profile.PeerRoutes:
		case x == nil:
			fix.Advice = "and add a route on both sides"
		default:
			if missing := missingRoutes(x.Subnet.Table, n, side.far); len(missing) > 0 {
				fix.Edits = append(fix.Edits, RouteEdits(x.Subnet.Table, name, missing...)...)
			}
		}
	}
	return fix
}

// missingRoutes are the ranges of a far network to which a table of n has no route, of the families that n has, too.
func missingRoutes(t *estate.Table, n, far *estate.Network) []netip.Prefix {
	return slices.DeleteFunc(slices.Clone(far.Ranges), func(p netip.Prefix) bool {
		known := slices.ContainsFunc(t.Routes, func(r *estate.Route) bool { return r.To == p })
		shared := slices.ContainsFunc(n.Ranges, func(q netip.Prefix) bool { return q.Addr().Is4() == p.Addr().Is4() })
		return known || !shared
	})
}

// detour goes on by the way that leads to the goal; where there is none, at the goal itself.
func (w *walker) detour(s *estate.Subnet, p packet) {
	if w.steps++; w.steps > maxSteps {
		return
	}
	n := s.Network
	if far := w.goal().network(); far == n && n.Holds(p.dst.Addr) {
		w.arrive(n, p)
		return
	}
	to, found := w.intended(s, p)
	if !found {
		w.record.suspect(w.notJoined(s, p))
		w.deliver(p)
		return
	}
	w.follow(s, &estate.Route{To: to.to, Via: to.via, At: s.Table.At()}, p)
}
