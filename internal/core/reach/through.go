package reach

import (
	"fmt"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// This file walks packets through what stands in a subnet and passes them on: NAT gateways, and workloads that forward.

// throughNAT carries a packet through a NAT gateway that sits in a subnet.
func (w *walker) throughNAT(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	private, has := g.AddrLike(p.dst.Addr)
	w.record.remembers(false)
	switch {
	case w.isFor(s, estate.Host{NAT: g}, p):
		w.toHost(s, g.In, p)
	case w.back:
		w.strangeReply(s, g, "NAT gateway "+g.Name, r, p)
	case w.translatedBy(estate.Host{NAT: g}):
		w.comesRound(s, g, "NAT gateway "+g.Name, r, p)
	case g.In == nil || !has:
		if !w.unexplained() {
			w.misrouted(g, s, r, p, NATFamily, "NAT gateway %s has no address of the family of %s", g.Name, w.describe(p.dst))
		}
	default:
		if g.In != s {
			w.list(g.In, In, p)
		}
		w.works(g, g)
		p.src = w.translate(estate.Host{NAT: g}, p.src, at(private))
		w.hop(Hop{Did: Translated, Object: g, At: g.At(), far: p.src})
		w.leaveSubnet(g.In, p)
	}
}

// isFor reports whether a packet that a route leads to a host is for that host itself, which then passes nothing on.
func (w *walker) isFor(s *estate.Subnet, host estate.Host, p packet) bool {
	return p.dst.IsValid() && s.Network.Host(p.dst.Addr) == host && p.dst.inRange(address.Single(p.dst.Addr))
}

// toHost brings a packet from one subnet to its destination in another, or in the same.
func (w *walker) toHost(from, to *estate.Subnet, p packet) {
	if to != from {
		w.list(to, In, p)
	}
	w.enterSubnet(to, p, false)
}

// strangeReply blocks a reply that something translates which the flow did not come through.
func (w *walker) strangeReply(s *estate.Subnet, by estate.Object, what string, r *estate.Route, p packet) {
	if !w.unexplained() {
		w.misrouted(by, s, r, p, ReplyThroughNAT, "the reply would leave through %s, and its new address makes it a stranger to the source", what)
	}
}

// comesRound blocks a packet that is led to what has translated it before: it would go round and round.
func (w *walker) comesRound(s *estate.Subnet, by estate.Object, what string, r *estate.Route, p packet) {
	if !w.unexplained() {
		w.misrouted(by, s, r, p, SecondNAT, "%s has translated the packet already, and gets it once more", what)
	}
}

// translatedBy reports whether a host has put its address in the place of the source before.
func (w *walker) translatedBy(host estate.Host) bool {
	return w.translated == host || slices.ContainsFunc(w.earlier, func(t translation) bool { return t.by == host })
}

// translate puts the address of a host in the place of the source; each that is on the way does so (RFC 3022).
func (w *walker) translate(host estate.Host, was, own role) role {
	if !w.translated.Nobody() {
		w.earlier = append(w.earlier, translation{w.translated, w.was})
	}
	w.translated, w.was, w.seen = host, was, own
	return own
}

// throughWorkload carries a packet through a workload that forwards: past its groups, in and out, and on from its
// subnet, under its own address where it translates.
func (w *walker) throughWorkload(s *estate.Subnet, x *estate.Workload, r *estate.Route, p packet) {
	private, has := x.AddrLike(p.dst.Addr)
	translates := x.Forwards == estate.NATForwarding
	w.record.remembers(false)
	switch {
	case w.isFor(s, estate.Host{Workload: x}, p):
		w.toHost(s, x.Subnet, p)
		return
	case x.Forwards == estate.NotForwarding:
		if !w.unexplained() {
			w.misrouted(x, s, r, p, NotForwarding, "workload %s does not forward: it drops what is not for itself (write  forwards: plain,  stateful  or  nat)", x.Name)
		}
		return
	case w.back && translates:
		w.strangeReply(s, x, "workload "+x.Name, r, p)
		return
	case !w.back && translates && w.translatedBy(estate.Host{Workload: x}):
		w.comesRound(s, x, "workload "+x.Name, r, p)
		return
	case translates && !has:
		if !w.unexplained() {
			w.misrouted(x, s, r, p, NATFamily, "workload %s has no address of the family of %s", x.Name, w.describe(p.dst))
		}
		return
	case w.goesRound(s.Table):
		return
	}
	if x.Subnet != s {
		w.list(x.Subnet, In, p)
	}
	// It remembers the flows that it let through; a reply to another is like a new flow to it, and so is one whose
	// addresses something between has changed.
	known := w.back && slices.Contains(w.through, passage{x, p.dst.Addr, p.src.Addr})
	if w.back && !known && x.Forwards == estate.StatefulForwarding {
		w.half(x, diag.Finding{Code: ReplyUnknown, At: x.At(), Place: x.Place(),
			Message: fmt.Sprintf("the reply comes through %s, which did not see the flow begin and drops what belongs to none", x.Name),
			Fixes:   diag.Advise(fmt.Sprintf("lead the way there through %s too, or neither", x.Name))})
		known = w.onlyTCP() // whose groups would remember it, had it seen it begin
	}
	if !known {
		w.record.groups(w, x, In, p)
		w.record.groups(w, x, Out, p)
	}
	did := PassedOn
	switch {
	case known:
		w.passed = append(w.passed, x)
	case w.back:
	case translates:
		p.src = w.translate(estate.Host{Workload: x}, p.src, at(private))
		did = PassedOnAs
	default:
		w.through = append(w.through, passage{x, p.src.Addr, p.dst.Addr})
	}
	w.crosses(x)
	w.hop(Hop{Did: did, Object: x, At: x.At(), far: p.src})
	w.leaveSubnet(x.Subnet, p)
}

// checkPassed finds replies that do not come back through a firewall that passed the flow on. To a plain router that is nothing.
func (w *walker) checkPassed() {
	for _, by := range w.through {
		x := by.workload
		if x.Forwards != estate.StatefulForwarding || slices.Contains(w.passed, x) || w.halted() {
			continue
		}
		w.half(x, diag.Finding{Code: ReplyBypasses, At: x.At(), Place: x.Place(),
			Message: fmt.Sprintf("the reply does not come back through %s, which passed the flow on and sees only half of it", x.Name),
			Fixes:   diag.Advise(fmt.Sprintf("lead the way back through %s too, or neither", x.Name))})
	}
}

// half is what becomes of a flow of which a firewall sees one direction alone. It drops that of TCP, whose handshake it misses (RFC 9293,
// section 3.5). What has none, as UDP and echoes, it drops or passes as flows of their own: either is found in the field.
func (w *walker) half(x *estate.Workload, f diag.Finding) {
	if w.onlyTCP() {
		if !w.unexplained() {
			w.block(x, f)
		}
		return
	}
	w.may = true
	w.record.half(w, x, f)
}

// onlyTCP reports whether TCP was asked for, and nothing else.
func (w *walker) onlyTCP() bool { return !w.asked.Empty() && w.asked.Minus(flow.TCP()).Empty() }

// turnBack gives the reply that reached what translated the flow the address of the source as it was, and carries it on.
func (w *walker) turnBack(p packet) {
	x := w.translated
	p.dst = w.was
	w.translated, w.was = estate.Host{}, role{}
	if last := len(w.earlier) - 1; last >= 0 {
		w.translated, w.was, w.earlier = w.earlier[last].by, w.earlier[last].was, w.earlier[:last]
	}
	w.hop(Hop{Did: TurnedBack, Object: x.Object(), At: x.Object().At(), far: p.dst})
	if x.Workload != nil {
		w.crosses(x.Workload)
	}
	w.leaveSubnet(x.Subnet(), p)
}
