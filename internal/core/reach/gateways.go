package reach

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file walks packets through gateways: out to the internet, and in from it.

// toInternet carries a packet out by an internet gateway, or one that lets IPv6 out.
func (w *walker) toInternet(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	if address.IsPublic(p.dst.Addr) {
		w.record.remembers(true)
	}
	if !w.attached(g) {
		w.leaveBy(s, g, r, p)
		return
	}
	switch {
	case p.dst.IsValid() && !p.dst.within(address.Public()):
		if !w.unexplained() {
			w.misrouted(g, s, r, p, PrivateToInternet, "table %s leads %s to the internet, which does not carry private addresses", s.Table.ID(), w.describe(p.dst))
		}
	case g.Type == estate.EgressGateway && p.src.Is4():
		if !w.unexplained() {
			w.misrouted(g, s, r, p, EgressFamily, "gateway %s lets out IPv6 only", g.Name)
		}
	default:
		w.leaveBy(s, g, r, p)
	}
}

// attached reports whether an internet gateway is attached, and blocks when it is not.
func (w *walker) attached(g *estate.Gateway) bool {
	if g.Attached || w.unexplained() {
		return g.Attached
	}
	w.block(g, diag.Finding{Code: GatewayDetached, At: g.Plan.Attached.At, Place: g.Place(),
		Message: fmt.Sprintf("internet gateway %s is not attached to network %s", g.Name, g.Network.Name),
		Fixes:   diag.By(text.Set(g.Place(), "attached", text.Word("true")))})
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
	host, public := w.publicOf(s, p)
	w.exit = &exit{g, host, public}
	w.crosses(g)
	if host.NAT != nil {
		w.works(host.NAT, host.NAT)
	}
	if len(public) == 0 {
		w.seen = role{}
		if s.Network.Profile.ImplicitOut && p.src.Is4() && host.Workload != nil && host.NAT == nil { // what is translated is a packet of who does it
			w.seen = at(w.e.StandIn)
			p.src = w.seen
			w.hop(Hop{Did: OutByChance, Object: g, At: g.At()})
			w.intoInternet(p)
			return
		}
		if w.unexplained() {
			return
		}
		w.noPublic(s, g, host)
		if w.to.Internet {
			w.hop(Hop{Did: OnInternet, far: p.dst})
		}
		return
	}
	p.src = p.src.as(public[0])
	w.seen = p.src
	w.hop(Hop{Did: OutSeenAs, Object: g, At: g.At(), Addrs: public, Host: host})
	w.intoInternet(p)
}

// publicOf finds by which public addresses of whom the internet will know the source of a packet.
func (w *walker) publicOf(s *estate.Subnet, p packet) (host estate.Host, public []netip.Addr) {
	host = w.translated
	if host.Nobody() {
		host = s.Network.Host(p.src.Addr)
	}
	if public = host.PublicLike(p.src.Addr); len(public) > 0 || host.NAT != nil {
		return host, public
	}
	if nat := s.Network.NATServing(s); nat != nil && s.Network.Profile.NATServes {
		return estate.Host{NAT: nat, Workload: host.Workload}, nat.PublicLike(p.src.Addr)
	}
	return host, nil
}

// noPublic blocks a packet that would leave without a public address.
func (w *walker) noPublic(s *estate.Subnet, g *estate.Gateway, host estate.Host) {
	f := diag.Finding{Code: NoPublicAddress}
	switch {
	case host.NAT != nil:
		f.At, f.Place = host.NAT.At(), host.NAT.Place()
		f.Message = fmt.Sprintf("NAT gateway %s has no public address of this family", host.NAT.Name)
		f.Fixes = diag.Advise(fmt.Sprintf("write  public: [ADDRESS]  at %s", f.Place))
		if len(host.NAT.Public) == 0 && len(host.NAT.Addrs) > 0 && host.NAT.Addrs[0].Is4() {
			f.Fixes = assign(host.NAT)
		}
	case host.Workload != nil:
		f.At, f.Place = host.Workload.At(), host.Workload.Place()
		f.Message = fmt.Sprintf("%s has no public address, and table %s leads it straight to gateway %s", host.Workload.Name, s.Table.ID(), g.Name)
		other := "lead the table to a NAT gateway"
		if s.Network.Profile.NATServes {
			other = "let a NAT gateway serve subnet " + s.Name
		}
		f.Fixes = diag.Advise(fmt.Sprintf("write  public: ADDRESS  at %s, or %s", f.Place, other))
		if t := host.Workload.Subnet.Tier; t != nil && t.Plan.Access.Value == "public" && len(host.Workload.Public) == 0 {
			f.Fixes = append(assign(host.Workload), diag.Fix{Advice: other})
		}
	default:
		f.At, f.Place = s.At(), s.Place()
		f.Message = fmt.Sprintf("what leaves by gateway %s has no public address", g.Name)
		f.Fixes = diag.Advise("lead it through a NAT gateway")
	}
	w.block(g, f)
}

// assign has the cloud give a host a public address.
func assign(o estate.Object) []diag.Fix {
	return diag.By(text.Set(o.Place(), "public", text.Word(plan.Assigned)))
}

// publish gives a workload a public address; where its tier is not meant for that, it says so.
func (w *walker) publish(x *estate.Workload, p packet) []diag.Fix {
	if t := x.Subnet.Tier; t != nil && t.Plan.Access.Given() && t.Plan.Access.Value != "public" {
		return diag.Advise(fmt.Sprintf("put it into a public tier, or behind a balancer in one: tier %s is %s", t.ID(), t.Plan.Access.Value))
	}
	if p.dst.Is6() || len(x.Public) > 0 {
		return diag.Advise(fmt.Sprintf("write  public: ADDRESS  at %s", x.Place()))
	}
	return assign(x)
}

// replyOut carries a reply out by an internet gateway. Where the packet came in by one, that turns the reply's source
// back into the address that was asked; else the far end knows the reply only when its source stays as it is.
func (w *walker) replyOut(s *estate.Subnet, g *estate.Gateway, r *estate.Route, p packet) {
	entered := w.entrance != nil && w.entrance.Network == s.Network
	known := entered
	if !known {
		public := s.Network.Host(p.src.Addr).PublicLike(p.src.Addr)
		known = len(public) == 1 && public[0] == p.src.Addr
	}
	if !known || g.Type == estate.EgressGateway {
		if !w.unexplained() {
			w.misrouted(g, s, r, p, ReplyToInternet, "the reply to %s leaves by gateway %s, by which the flow did not come", w.describe(p.dst), g.Name)
		}
		return
	}
	if x := w.to.Workload; x != nil && entered { // the reply takes the address that the packet was sent to
		if public, has := x.PublicLike(p.src.Addr); has {
			p.src = p.src.as(public)
		}
	}
	w.crosses(g)
	w.hop(Hop{Did: ReplyOut, Object: g, At: g.At(), far: at(p.src.Addr)})
	w.intoInternet(p)
}

// intoInternet delivers a packet on the internet, or brings it to the host of the estate that has its address.
func (w *walker) intoInternet(p packet) {
	goal := w.goal()
	if goal.Internet && (w.back || w.e.Owner(p.dst.Addr).NAT == nil) {
		w.hop(Hop{Did: OnInternet, far: p.dst})
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
	if host.Workload == nil && w.unexplained() {
		return
	}
	switch {
	case host.NAT != nil:
		w.block(host.NAT, diag.Finding{Code: NATInbound, At: host.NAT.At(), Place: host.NAT.Place(),
			Message: fmt.Sprintf("nothing that starts outside comes in through NAT gateway %s", host.NAT.Name), Fixes: diag.Advise("ask for a workload with a public address")})
		return
	case host.Workload == nil && x != nil:
		w.block(nil, diag.Finding{Code: NoPublicAddress, At: x.At(), Place: x.Place(),
			Message: fmt.Sprintf("%s has no public address, so the internet has no way to it", x.Name), Fixes: w.publish(x, p)})
	case host.Workload == nil:
		f := diag.Finding{Code: NotCarried, Message: fmt.Sprintf("the internet does not carry %s into the estate", w.describe(p.dst)),
			Fixes: diag.Advise("ask for a workload with a public address")}
		if n := w.to.network(); n != nil {
			f.At, f.Place = n.At(), n.Place()
		}
		w.block(nil, f)
		return
	default:
		x = host.Workload
	}
	n := x.Subnet.Network
	g := n.InternetGateway()
	switch {
	case g == nil:
		if w.unexplained() {
			return
		}
		g = &estate.Gateway{Name: freeName("front", n.Gateways), Network: n, Type: estate.InternetGateway}
		w.block(n, diag.Finding{Code: NoInternetGateway, At: n.At(), Place: n.Place(),
			Message: fmt.Sprintf("network %s has no internet gateway that lets anything in", n.Name), Fixes: diag.By(newGateway(g))})
	case w.attached(g):
		w.hop(Hop{Did: InFor, Object: g, At: g.At(), Host: estate.Host{Workload: x}, far: at(p.dst.Addr)})
	}
	w.crosses(g)
	if w.halted() {
		return
	}
	w.entrance = g
	if private, found := x.AddrLike(p.dst.Addr); found {
		p.dst = p.dst.as(private)
	}
	w.comeIn(g.Network, g.Door, p)
}

// replyFromInternet brings a reply back in by the gateway that the packet left by, and undoes its translation.
func (w *walker) replyFromInternet(p packet) {
	if w.exit == nil {
		w.strayReply(p)
		return
	}
	g, host := w.exit.gateway, w.exit.host
	w.crosses(g)
	switch {
	case host.Workload != nil:
		host.NAT = nil
		if private, found := host.Workload.AddrLike(p.src.Addr); found {
			p.dst = w.origin.as(private)
		}
	case host.NAT != nil:
		if private, found := host.NAT.AddrLike(p.src.Addr); found {
			p.dst = at(private)
		}
	default:
		return
	}
	w.hop(Hop{Did: ReplyInFor, Object: g, At: g.At(), Host: host})
	w.comeIn(g.Network, g.Door, p)
}

// strayReply brings in a reply from the internet to a flow that went another way: it arrives where the address of the
// source is one that the internet carries as it is.
func (w *walker) strayReply(p packet) {
	host := w.e.Owner(p.dst.Addr)
	back := diag.Advise("lead the reply back by the way that the flow came")
	if private, _ := host.AddrLike(p.dst.Addr); host.Nobody() || private != p.dst.Addr {
		if !w.unexplained() && !w.cut { // what stopped the way there says why the internet knows nobody to answer
			f := diag.Finding{Code: NotCarried, Message: fmt.Sprintf("the internet does not carry %s into the estate", w.describe(p.dst)), Fixes: back}
			if o := w.from.object(); o != nil {
				f.At, f.Place = o.At(), o.Place()
			}
			w.block(nil, f)
		}
		return
	}
	n := host.Subnet().Network
	g := n.InternetGateway()
	if g == nil || !g.Attached {
		if !w.unexplained() {
			w.block(n, diag.Finding{Code: NoInternetGateway, At: n.At(), Place: n.Place(),
				Message: fmt.Sprintf("network %s has no internet gateway that lets anything in", n.Name), Fixes: back})
		}
		return
	}
	w.crosses(g)
	w.hop(Hop{Did: ReplyInFor, Object: g, At: g.At(), Host: host})
	w.comeIn(g.Network, g.Door, p)
}
