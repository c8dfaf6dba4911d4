package reach

import (
	"fmt"
	"net/netip"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// This file walks packets through gateways: out to the internet, and in from it.

// toInternet carries a packet out by an internet gateway, or one that lets IPv6 out.
func (w *walker) toInternet(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	if w.quiet != nil && address.IsPublic(p.dst.Addr) {
		w.quiet.own, w.quiet.kept = true, true
	}
	if !w.attached(g) {
		w.leaveBy(s, g, r, p)
		return
	}
	switch {
	case p.dst.IsValid() && !p.dst.within(address.Public()):
		if !w.fails() {
			w.misrouted("gateway", g.Path(), s, r, p, "private-to-internet", "table %s leads %s to the internet, which does not carry private addresses",
				s.Table.Path(), w.describe(p.dst))
		}
	case g.Egress && p.src.Is4():
		if !w.fails() {
			w.misrouted("gateway", g.Path(), s, r, p, "egress-family", "gateway %s lets out IPv6 only", g.Name)
		}
	default:
		w.leaveBy(s, g, r, p)
	}
}

// attached reports whether an internet gateway is attached, and blocks when it is not.
func (w *walker) attached(g *estate.Gateway) bool {
	if g.Attached || w.fails() {
		return g.Attached
	}
	w.block("gateway", g.Path(), plan.Finding{Code: "gateway-detached", At: g.Plan.Attached.At, Place: gatewayPlace(g),
		Message: fmt.Sprintf("internet gateway %s is not attached to network %s", g.Name, g.Network.Name), Fix: fmt.Sprintf("write  attached: true  at %s", gatewayPlace(g)),
		Edits: []plan.Edit{{Path: []string{"networks", g.Network.Name, "gateways", g.Name}, Key: "attached", Value: plan.Word("true")}}})
	return false
}

// leaveBy gives the packet the public address that the gateway has for its source, and carries it out.
func (w *walker) leaveBy(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	if w.halted() {
		return
	}
	if w.back {
		w.replyOut(s, g, r, p)
		return
	}
	host, public, how := w.publicOf(s, p)
	w.exit = &exit{g, host, public}
	if w.quiet == nil {
		w.cross("gateway " + g.Path())
	}
	if len(public) == 0 {
		w.seen = role{}
		if s.Network.Profile.ImplicitOut && p.src.Is4() && host.Workload != nil && w.translated.Nobody() {
			w.seen = at(w.e.StandIn)
			p.src = w.seen
			if w.quiet == nil {
				w.hop("gateway", g.Path(), gatewayAt(g), "out under an address of the cloud's choosing, which may change at any time")
			}
			w.intoInternet(p)
			return
		}
		if w.fails() {
			return
		}
		w.noPublic(s, g, host)
		if w.to.Internet {
			w.hop("internet", "internet", plan.Pos{}, "to %s", w.describe(p.dst))
		}
		return
	}
	p.src = p.src.as(public[0])
	w.seen = p.src
	if w.quiet == nil {
		w.hop("gateway", g.Path(), gatewayAt(g), "seen as %s%s", orList(public), how)
	}
	w.intoInternet(p)
}

// publicOf finds by which public addresses the internet will know the source of a packet.
func (w *walker) publicOf(s *estate.Subnet, p packet) (host estate.Host, public []netip.Addr, how string) {
	host = w.translated
	if host.Nobody() {
		host = s.Network.Host(p.src.Addr)
	}
	if public = host.PublicLike(p.src.Addr); len(public) > 0 || host.NAT != nil {
		if host.NAT != nil {
			return host, public, ", of NAT gateway " + host.NAT.Name
		}
		return host, public, ", the public address of " + host.Workload.Name
	}
	if nat := s.Network.NATServing(s); nat != nil && s.Network.Profile.NATServes {
		return estate.Host{NAT: nat, Workload: host.Workload}, nat.PublicLike(p.src.Addr), ", of NAT gateway " + nat.Name
	}
	return host, nil, ""
}

// noPublic blocks a packet that would leave without a public address.
func (w *walker) noPublic(s *estate.Subnet, g *estate.Gateway, host estate.Host) {
	f := plan.Finding{Code: "no-public-address", At: host.At(), Place: host.Place()}
	switch {
	case host.NAT != nil:
		f.At, f.Place = host.NAT.Plan.Name.At, gatewayPlace(host.NAT)
		f.Message = fmt.Sprintf("NAT gateway %s has no public address of this family", host.NAT.Name)
		f.Fix = fmt.Sprintf("write  public: [ADDRESS]  at %s", f.Place)
	case host.Workload != nil:
		f.Message = fmt.Sprintf("%s has no public address, and table %s leads it straight to gateway %s", host.Workload.Name, s.Table.Path(), g.Name)
		f.Fix = fmt.Sprintf("write  public: ADDRESS  at %s, or lead the table to a NAT gateway", f.Place)
		if s.Network.Profile.NATServes {
			f.Fix = fmt.Sprintf("write  public: ADDRESS  at %s, or let a NAT gateway serve subnet %s", f.Place, s.Name)
		}
	default:
		f.At, f.Place = s.Plan.Name.At, "networks."+s.Network.Name+".subnets."+s.Name
		f.Message = fmt.Sprintf("what leaves by gateway %s has no public address", g.Name)
		f.Fix = "lead it through a NAT gateway"
	}
	w.block("gateway", g.Path(), f)
}

// replyOut carries a reply out by an internet gateway. Where the packet came in by one, that turns the reply's source
// back into the address that was asked; else the far end knows the reply only when its source stays as it is.
func (w *walker) replyOut(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	known := w.entrance != nil
	if !known {
		public := s.Network.Host(p.src.Addr).PublicLike(p.src.Addr)
		known = len(public) == 1 && public[0] == p.src.Addr
	}
	if !known || g.Egress {
		if !w.fails() {
			w.misrouted("gateway", g.Path(), s, r, p, "reply-to-internet", "the reply to %s leaves by gateway %s, by which the flow did not come", w.describe(p.dst), g.Name)
		}
		return
	}
	if x := w.to.Workload; x != nil && w.entrance != nil { // the reply takes the address that the packet was sent to
		if public, has := x.PublicLike(p.src.Addr); has {
			p.src = p.src.as(public)
		}
	}
	if w.quiet == nil {
		w.cross("gateway " + g.Path())
		w.hop("gateway", g.Path(), gatewayAt(g), "the reply leaves as %s", p.src.Addr)
	}
	w.intoInternet(p)
}

// intoInternet delivers a packet on the internet, or brings it to the host of the estate that has its address.
func (w *walker) intoInternet(p packet) {
	goal := w.goal()
	if goal.Internet && (w.back || w.e.Owner(p.dst.Addr).NAT == nil) {
		if w.quiet == nil {
			w.hop("internet", "internet", plan.Pos{}, "to %s", w.describe(p.dst))
		}
		return
	}
	w.fromInternet(p)
}

// fromInternet brings a packet from the internet into the network of the host that has its public address.
func (w *walker) fromInternet(p packet) {
	if w.back {
		w.replyFromInternet(p)
		return
	}
	host := w.e.Owner(p.dst.Addr)
	x := w.to.Workload
	if w.quiet != nil && host.Workload == nil {
		w.stopped = true
		return
	}
	switch {
	case host.NAT != nil:
		w.block("nat", host.Name(), plan.Finding{Code: "nat-inbound", At: host.NAT.Plan.Name.At, Place: gatewayPlace(host.NAT),
			Message: fmt.Sprintf("nothing that starts outside comes in through NAT gateway %s", host.NAT.Name), Fix: "ask for a workload with a public address"})
		return
	case host.Workload == nil && x != nil:
		w.block("internet", "internet", plan.Finding{Code: "no-public-address", At: x.Plan.Name.At, Place: "workloads." + x.Name,
			Message: fmt.Sprintf("%s has no public address, so the internet has no way to it", x.Name), Fix: fmt.Sprintf("write  public: ADDRESS  at workloads.%s", x.Name)})
	case host.Workload == nil:
		f := plan.Finding{Code: "not-carried", Message: fmt.Sprintf("the internet does not carry %s into the estate", w.describe(p.dst)),
			Fix: "ask for a workload with a public address"}
		if n := w.to.network(); n != nil {
			f.At, f.Place = n.Plan.Name.At, "networks."+n.Name
		}
		w.block("internet", "internet", f)
		return
	default:
		x = host.Workload
	}
	n := x.Subnet.Network
	g := n.InternetGateway()
	switch {
	case g == nil:
		if w.fails() {
			return
		}
		w.block("gateway", n.Name, plan.Finding{Code: "no-internet-gateway", At: n.Plan.Name.At, Place: "networks." + n.Name,
			Message: fmt.Sprintf("network %s has no internet gateway that lets anything in", n.Name), Fix: fmt.Sprintf("write  gateways: {front: {kind: internet}}  at networks.%s", n.Name)})
		g = &estate.Gateway{Name: "internet", Network: n, Internet: true}
	case w.attached(g):
		if w.quiet == nil {
			w.hop("gateway", g.Path(), gatewayAt(g), "%s is %s", p.dst.Addr, x.Name)
		}
	}
	if w.quiet == nil {
		w.cross("gateway " + g.Path())
	} else if w.stopped {
		return
	}
	w.entrance = g
	if private, found := x.AddrLike(p.dst.Addr); found {
		p.dst = p.dst.as(private)
	}
	w.arrive(n, p)
}

// replyFromInternet brings a reply back in by the gateway that the packet left by, and undoes its translation.
func (w *walker) replyFromInternet(p packet) {
	if w.exit == nil {
		w.strayReply(p)
		return
	}
	g, host := w.exit.gateway, w.exit.host
	if w.quiet == nil {
		w.cross("gateway " + g.Path())
	}
	switch {
	case host.Workload != nil:
		if private, found := host.Workload.AddrLike(p.src.Addr); found {
			p.dst = w.origin.as(private)
		}
		if w.quiet == nil {
			w.hop("gateway", g.Path(), gatewayAt(g), "the reply is for %s", host.Workload.Name)
		}
	case host.NAT != nil:
		if private, found := host.NAT.AddrLike(p.src.Addr); found {
			p.dst = at(private)
		}
		if w.quiet == nil {
			w.hop("gateway", g.Path(), gatewayAt(g), "the reply is for NAT gateway %s", host.NAT.Name)
		}
	default:
		return
	}
	w.arrive(g.Network, p)
}

// strayReply brings in a reply from the internet to a flow that went another way: it arrives where the address of the
// source is one that the internet carries as it is.
func (w *walker) strayReply(p packet) {
	host := w.e.Owner(p.dst.Addr)
	if private, _ := host.AddrLike(p.dst.Addr); host.Nobody() || private != p.dst.Addr {
		if !w.fails() {
			w.block("internet", "internet", plan.Finding{Code: "not-carried", At: host.At(), Place: host.Place(),
				Message: fmt.Sprintf("the internet does not carry %s into the estate", w.describe(p.dst)), Fix: "lead the reply back by the way that the flow came"})
		}
		return
	}
	n := host.Subnet().Network
	g := n.InternetGateway()
	if g == nil || !g.Attached {
		if !w.fails() {
			w.block("gateway", n.Name, plan.Finding{Code: "no-internet-gateway", At: n.Plan.Name.At, Place: "networks." + n.Name,
				Message: fmt.Sprintf("network %s has no internet gateway that lets anything in", n.Name), Fix: "lead the reply back by the way that the flow came"})
		}
		return
	}
	if w.quiet == nil {
		w.cross("gateway " + g.Path())
		w.hop("gateway", g.Path(), gatewayAt(g), "the reply is for %s", host.Name())
	}
	w.arrive(n, p)
}

// orList joins addresses that any of which may be taken.
func orList(all []netip.Addr) string {
	var words []string
	for _, a := range all {
		words = append(words, a.String())
	}
	return strings.Join(words, " or ")
}

// and joins words into a phrase.
func and(words []string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " and " + words[len(words)-1]
}

// gatewayAt is where a gateway stands in the text; nowhere for one that came with its network.
func gatewayAt(g *estate.Gateway) plan.Pos {
	if g.Plan == nil {
		return plan.Pos{}
	}
	return g.Plan.Name.At
}

func gatewayPlace(g *estate.Gateway) string {
	return "networks." + g.Network.Name + ".gateways." + g.Name
}
