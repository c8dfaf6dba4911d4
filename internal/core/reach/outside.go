package reach

import (
	"fmt"
	"net/netip"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// This file walks packets through gateways: out to the internet, in from it, and through NAT.

// toInternet carries a packet out by an internet gateway.
func (w *walker) toInternet(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	if !w.attached(g) {
		w.leaveBy(s, g, r, p)
		return
	}
	if p.dst.IsValid() && !p.dst.within(address.Public()) {
		w.misrouted("gateway", g.Path(), s, r, p, "private-to-internet", "table %s leads %s to the internet, which does not carry private addresses",
			s.Table.Path(), p.dst.Addr)
		return
	}
	w.leaveBy(s, g, r, p)
}

// attached reports whether an internet gateway is attached, and blocks when it is not.
func (w *walker) attached(g *estate.Gateway) bool {
	if g.Attached {
		return true
	}
	w.block("gateway", g.Path(), plan.Finding{Code: "gateway-detached", At: g.Plan.Attached.At, Place: gatewayPlace(g),
		Message: fmt.Sprintf("internet gateway %s is not attached to network %s", g.Name, g.Network.Name), Mend: fmt.Sprintf("write  attached: true  at %s", gatewayPlace(g)),
		Edits: []plan.Edit{{Path: []string{"networks", g.Network.Name, "gateways", g.Name}, Key: "attached", Value: plan.Word("true")}}})
	return false
}

// leaveBy gives the packet the public address that the gateway has for its source, and carries it out.
func (w *walker) leaveBy(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	if w.back {
		w.replyOut(s, g, r, p)
		return
	}
	host, public, how := w.publicOf(s, p)
	w.exit = &exit{g, host, public}
	if len(public) == 0 {
		w.seen = role{}
		w.noPublic(s, g, host)
		if w.to.Internet {
			w.hop("internet", "internet", plan.Pos{}, "to %s", w.describe(p.dst))
		}
		return
	}
	p.src = at(public[0])
	w.seen = p.src
	w.hop("gateway", g.Path(), gatewayAt(g), "seen as %s%s", orList(public), how)
	w.intoInternet(p)
}

// publicOf finds by which public addresses the internet will know the source of a packet.
func (w *walker) publicOf(s *estate.Subnet, p packet) (host estate.Host, public []netip.Addr, how string) {
	if w.nat != nil {
		return estate.Host{NAT: w.nat}, w.nat.PublicLike(p.src.Addr), ", of NAT gateway " + w.nat.Name
	}
	host = s.Network.Host(p.src.Addr)
	if host.Workload != nil {
		if a, found := host.Workload.PublicLike(p.src.Addr); found {
			return host, []netip.Addr{a}, ", its own public address"
		}
	}
	if nat := s.Network.NATServing(s); nat != nil && s.Network.Profile.NATServes {
		return estate.Host{NAT: nat, Workload: host.Workload}, nat.PublicLike(p.src.Addr), ", of NAT gateway " + nat.Name
	}
	return host, nil, ""
}

// noPublic blocks a packet that would leave without a public address.
func (w *walker) noPublic(s *estate.Subnet, g *estate.Gateway, host estate.Host) {
	f := plan.Finding{Code: "no-public-address"}
	switch {
	case host.NAT != nil:
		f.At, f.Place = host.NAT.Plan.Name.At, gatewayPlace(host.NAT)
		f.Message = fmt.Sprintf("NAT gateway %s has no public address of this family", host.NAT.Name)
		f.Mend = fmt.Sprintf("write  public: [ADDRESS]  at %s", f.Place)
	default:
		x := w.from.Workload
		f.At, f.Place = x.Plan.Name.At, "workloads."+x.Name
		f.Message = fmt.Sprintf("%s has no public address, and table %s leads it straight to internet gateway %s", x.Name, s.Table.Path(), g.Name)
		f.Mend = fmt.Sprintf("write  public: ADDRESS  at %s, or lead the table to a NAT gateway", f.Place)
		if s.Network.Profile.NATServes {
			f.Mend = fmt.Sprintf("write  public: ADDRESS  at %s, or let a NAT gateway serve subnet %s", f.Place, s.Name)
		}
	}
	w.block("gateway", g.Path(), f)
}

// replyOut carries a reply out by an internet gateway: it must be the one by which the packet came in, else the far end
// does not know it for the reply.
func (w *walker) replyOut(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	if w.entrance == nil {
		w.misrouted("gateway", g.Path(), s, r, p, "reply-to-internet", "the reply to %s leaves for the internet, and the flow did not come from there", w.describe(p.dst))
		return
	}
	w.hop("gateway", g.Path(), gatewayAt(g), "the reply leaves as %s", w.publicTarget(p))
	w.intoInternet(p)
}

// publicTarget is the public address that the packet was sent to, which the reply takes.
func (w *walker) publicTarget(p packet) string {
	if w.to.Workload != nil {
		if a, found := w.to.Workload.PublicLike(p.src.Addr); found {
			return a.String()
		}
	}
	return "its public address"
}

// intoInternet delivers a packet on the internet, or brings it to the host of the estate that has its address.
func (w *walker) intoInternet(p packet) {
	goal := w.goal()
	if goal.Internet {
		w.hop("internet", "internet", plan.Pos{}, "to %s", w.describe(p.dst))
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
	switch {
	case host.NAT != nil:
		w.block("nat", host.Name(), plan.Finding{Code: "nat-inbound", At: host.NAT.Plan.Name.At, Place: gatewayPlace(host.NAT),
			Message: fmt.Sprintf("nothing that starts outside comes in through NAT gateway %s", host.NAT.Name), Mend: "ask for a workload with a public address"})
		return
	case host.Workload == nil && x != nil:
		w.block("internet", "internet", plan.Finding{Code: "no-public-address", At: x.Plan.Name.At, Place: "workloads." + x.Name,
			Message: fmt.Sprintf("%s has no public address, so the internet has no way to it", x.Name), Mend: fmt.Sprintf("write  public: ADDRESS  at workloads.%s", x.Name)})
	case host.Workload == nil:
		w.block("internet", "internet", plan.Finding{Code: "not-carried", Message: fmt.Sprintf("the internet does not carry %s into the estate", p.dst.Addr),
			Mend: "ask for a workload with a public address"})
		return
	default:
		x = host.Workload
	}
	n := x.Subnet.Network
	g := n.InternetGateway()
	switch {
	case g == nil:
		w.block("gateway", n.Name, plan.Finding{Code: "no-internet-gateway", At: n.Plan.Name.At, Place: "networks." + n.Name,
			Message: fmt.Sprintf("network %s has no internet gateway", n.Name), Mend: fmt.Sprintf("write  gateways: {front: {kind: internet}}  at networks.%s", n.Name)})
		g = &estate.Gateway{Name: "internet", Network: n, Internet: true}
	case w.attached(g):
		w.hop("gateway", g.Path(), gatewayAt(g), "%s is %s", p.dst.Addr, x.Name)
	}
	w.entrance = g
	if private, found := x.AddrLike(p.dst.Addr); found {
		p.dst = at(private)
	}
	w.arrive(n, p)
}

// replyFromInternet brings a reply back in by the gateway that the packet left by, and undoes its translation.
func (w *walker) replyFromInternet(p packet) {
	if w.exit == nil {
		return
	}
	g, host := w.exit.gateway, w.exit.host
	switch {
	case host.Workload != nil:
		if private, found := host.Workload.AddrLike(p.src.Addr); found {
			p.dst = at(private)
		}
		w.hop("gateway", g.Path(), gatewayAt(g), "the reply is for %s", host.Workload.Name)
	case host.NAT != nil:
		if private, found := host.NAT.AddrLike(p.src.Addr); found {
			p.dst = at(private)
		}
		w.hop("gateway", g.Path(), gatewayAt(g), "the reply is for NAT gateway %s", host.NAT.Name)
	default:
		return
	}
	w.arrive(g.Network, p)
}

// throughNAT carries a packet through a NAT gateway that sits in a subnet.
func (w *walker) throughNAT(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	private, has := g.AddrLike(p.dst.Addr)
	switch {
	case w.back:
		w.misrouted("nat", g.Path(), s, r, p, "reply-through-nat",
			"the reply would leave through NAT gateway %s, and its new address makes it a stranger to the source", g.Name)
	case w.nat != nil:
		w.misrouted("nat", g.Path(), s, r, p, "second-nat", "the packet has been through NAT gateway %s already, and NAT gateway %s ends it", w.nat.Name, g.Name)
	case g.In == nil || !has:
		w.misrouted("nat", g.Path(), s, r, p, "nat-family", "NAT gateway %s has no address of the family of %s", g.Name, p.dst.Addr)
	default:
		if g.In != s {
			w.list(g.In, inward, p)
		}
		w.nat = g
		p.src = at(private)
		w.seen = p.src
		w.hop("nat", g.Path(), g.Plan.Name.At, "the source becomes %s", private)
		w.leaveSubnet(g.In, p)
	}
}

// turnBack gives the reply that reached a NAT gateway back the address of the workload, and carries it on.
func (w *walker) turnBack(p packet) {
	g := w.nat
	w.nat = nil
	private, found := w.from.Workload.AddrLike(p.dst.Addr)
	if !found {
		return
	}
	p.dst = at(private)
	w.hop("nat", g.Path(), g.Plan.Name.At, "the reply is turned back to %s", private)
	w.leaveSubnet(g.In, p)
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
