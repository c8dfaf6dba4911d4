package reach

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// This file finds the way that a packet should have taken where a table has no route or a wrong one, so that the walk
// can go on and find what is wrong behind it.

// way is a next hop that would lead to the goal, and the range that a route to it would have.
type way struct {
	to  netip.Prefix
	via estate.NextHop
}

// everywhere is the range of a default route in the family of a.
func everywhere(a netip.Addr) netip.Prefix {
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
				return way{to, estate.NextHop{Name: x.Name, Peering: x}}, true
			default:
				half = x
			}
		}
		if half != nil {
			return way{to, estate.NextHop{Name: half.Name, Peering: half}}, true
		}
		return w.hubWay(n, to)
	}
	to := rangeWith(goal.Site.Ranges, p.dst.Addr)
	if goal.Site.Link == n {
		return way{to, estate.NextHop{Name: goal.Site.Name, Site: goal.Site}}, true
	}
	for _, x := range n.Peerings {
		if far := x.Far(n); far == goal.Site.Link && x.Carries(far) {
			return way{to, estate.NextHop{Name: x.Name, Peering: x}}, true
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
				return way{to, estate.NextHop{Name: a.Hub.Name, Hub: a.Hub}}, true
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
			if _, has := g.AddrLike(p.src.Addr); !has || g.In == nil {
				continue
			}
			if best == nil || g.In.Zone == s.Zone && best.In.Zone != s.Zone {
				best = g
			}
		}
		if best != nil {
			return way{everywhere(p.src.Addr), estate.NextHop{Name: best.Name, Gateway: best}}, true
		}
	}
	out := n.InternetGateway()
	for _, g := range n.Gateways {
		if g.Egress && p.src.Is6() && !w.back && (out == nil || !out.Attached && g.Attached) {
			out = g
		}
	}
	if out == nil {
		return way{}, false
	}
	return way{everywhere(p.src.Addr), estate.NextHop{Name: out.Name, Gateway: out}}, true
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
	if w.fails() {
		return
	}
	t := s.Table
	to, found := w.intended(s, p)
	if !found {
		w.block("table", "table "+t.Path(), w.notJoined(s, p))
		w.deliver(p)
		return
	}
	if to.via.Peering != nil && s.Network.Profile.PeerRoutes && !to.via.Peering.Stands() {
		// Here the route installs itself once the peering stands, so that alone is missing.
		w.detour(s, p)
		return
	}
	f := plan.Finding{Code: "no-route", At: t.At(), Place: t.Place(),
		Message: fmt.Sprintf("table %s has no route to %s", t.Path(), w.destination(p))}
	to.add(t, &f)
	if better := w.forgotten(s, p); better != nil {
		f.Code = "left-on-main-table"
		f.Message = fmt.Sprintf("subnet %s is named by no table, so the main table %s is its own, and that has no route to %s", s.Path(), t.Path(), w.destination(p))
		f.Fix = fmt.Sprintf("add  %s  to %s.subnets, which has the route", s.Name, better.Place())
		f.Edits = []plan.Edit{{Path: append(tablePath(better), "subnets"), Value: plan.Word(s.Name)}}
	}
	if s.Tier != nil && s.Tier.Plan.Access.Value == "closed" && to.via.Gateway != nil {
		f.Fix += fmt.Sprintf(", if tier %s need not stay closed", s.Tier.Name)
	}
	w.block("table", "table "+t.Path(), f)
	w.detour(s, p)
}

// add makes a finding's fix of adding the route to a table.
func (to way) add(t *estate.Table, f *plan.Finding) {
	route := plan.Map(plan.Field{Key: "to", Value: plan.Word(to.to.String())}, plan.Field{Key: "via", Value: plan.Word(to.via.Name)})
	f.Fix = fmt.Sprintf("add  %s  to %s.routes", route, t.Place())
	f.Edits = []plan.Edit{{Path: append(tablePath(t), "routes"), Value: route}}
	if t.Plan == nil {
		f.Fix = fmt.Sprintf("add  tables: {main: {main: true, routes: [%s]}}  to network %s", route, t.Network.Name)
		f.Edits = slices.Insert(f.Edits, 0, plan.Edit{Path: tablePath(t), Key: "main", Value: plan.Word("true")})
	}
}

// misrouted blocks a packet that a route leads to the wrong place, with the route that would be right as the fix, and
// goes on by that one.
func (w *walker) misrouted(kind, where string, s *estate.Subnet, r *estate.Route, p packet, code, format string, args ...any) {
	f := plan.Finding{Code: code, At: r.At, Place: s.Table.Place(), Message: fmt.Sprintf(format, args...)}
	if !f.At.Known() {
		f.At = s.Table.At()
	}
	to, found := w.intended(s, p)
	switch {
	case !found || to.via == r.Via:
		f.Fix = "lead the route to what holds the destination"
		w.block(kind, where, f)
		w.deliver(p)
		return
	case to.to.Bits() > r.To.Bits():
		to.add(s.Table, &f)
	default:
		f.Fix = fmt.Sprintf("lead  %s  via %s instead, in %s", r.To, to.via.Name, s.Table.Place())
	}
	w.block(kind, where, f)
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
		if r == nil || r.Via.Blackhole {
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
func (w *walker) notJoined(s *estate.Subnet, p packet) plan.Finding {
	n, goal := s.Network, w.goal()
	far := goal.network()
	switch {
	case goal.Internet || far != nil && !far.Holds(p.dst.Addr) && address.IsPublic(p.dst.Addr):
		return plan.Finding{Code: "no-internet-gateway", At: n.Plan.Name.At, Place: "networks." + n.Name,
			Message: fmt.Sprintf("network %s has no internet gateway", n.Name),
			Fix:     fmt.Sprintf("write  gateways: {front: {kind: internet}}  at networks.%s, and add a default route to it", n.Name)}
	case far != nil && far == n:
		return plan.Finding{Code: "no-route", At: s.Table.At(), Place: s.Table.Place(),
			Message: fmt.Sprintf("table %s has no route to %s", s.Table.Path(), w.destination(p)), Fix: "add the range to the network"}
	}
	f := plan.Finding{Code: "not-joined", Message: fmt.Sprintf("nothing joins %s and %s", w.from.owner(), w.to.owner())}
	if from := w.from.network(); from != nil {
		f.At, f.Place = from.Plan.Name.At, "networks."+from.Name
	} else if w.from.Site != nil {
		f.At, f.Place = w.from.Site.Plan.Name.At, "sites."+w.from.Site.Name
	}
	f.Fix = "attach both to one hub, or link the site to the network, and add a route"
	if a, b := w.from.network(), w.to.network(); a != nil && b != nil {
		name := a.Name + "-" + b.Name
		both := plan.Words(a.Name, b.Name)
		join := plan.Map(plan.Field{Key: "between", Value: both}, plan.Field{Key: "accepted", Value: both})
		f.Fix = fmt.Sprintf("peer them:  peerings: {%s: %s},  and add a route on both sides", name, join)
		f.Edits = []plan.Edit{{Path: []string{"peerings"}, Key: name, Value: join}}
	}
	return f
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
		w.addBlocker(w.asError(w.notJoined(s, p)))
		w.deliver(p)
		return
	}
	w.follow(s, &estate.Route{To: to.to, Via: to.via, At: s.Table.At()}, p)
}

func (w *walker) asError(f plan.Finding) plan.Finding {
	f.Severity = plan.Error
	return f
}

// tablePath is where a table stands in the plan.
func tablePath(t *estate.Table) []string {
	return []string{"networks", t.Network.Name, "tables", t.Name}
}
