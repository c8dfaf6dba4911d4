package reach

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// The twin carries one packet at a time, one port at a time, by the plainest reading of the rules, and says whether it
// arrives and whether its reply comes back. It shares no code with the walk: it looks through lists from the front,
// and finds addresses by trying everything.

// parcel is a packet: a protocol by name, and the ports of those that have them.
type parcel struct {
	src, dst     netip.Addr
	protocol     string
	sport, dport int
}

// trip is what the network remembers of a flow that it let through.
type trip struct {
	e        *estate.Estate
	nat      *estate.Gateway  // translated by it
	natted   netip.Addr       // what the NAT took the place of
	left     *estate.Workload // left for the internet under its own public address
	natLeft  *estate.Gateway  // or under that of a NAT
	entered  *estate.Workload // entered from the internet by its public address
	seen     netip.Addr       // the source as the far end sees it
	receiver *estate.Workload
}

// set is the packet as a set of one flow.
func (p parcel) set() flow.Set {
	if p.protocol == "tcp" || p.protocol == "udp" {
		s, _ := flow.Parse(fmt.Sprintf("%s/%d", p.protocol, p.dport))
		return s
	}
	if p.protocol == "other" {
		known, _ := flow.Parse("tcp,udp,icmp")
		return flow.Any().Minus(known)
	}
	s, _ := flow.Parse(p.protocol)
	return s
}

func ruleMatches(owner *estate.Network, r estate.Rule, p parcel, far netip.Addr) bool {
	if !r.Flows.Covers(p.set()) {
		return false
	}
	if r.Group != nil {
		if r.Group.Network != owner && !owner.Profile.PeerGroups {
			return false
		}
		for _, m := range r.Group.Members {
			if slices.Contains(m.Addrs, far) {
				return true
			}
		}
		return false
	}
	return r.Peer.Any || r.Peer.Range.Contains(far)
}

func listLets(s *estate.Subnet, in bool, p parcel) bool {
	if s.List == nil {
		return true
	}
	rules, far := s.List.Out, p.dst
	if in {
		rules, far = s.List.In, p.src
	}
	for _, r := range rules {
		if ruleMatches(s.Network, r, p, far) {
			return r.Allow
		}
	}
	return false
}

func groupsLet(w *estate.Workload, in bool, p parcel) bool {
	if len(w.Groups) == 0 {
		return !in
	}
	for _, g := range w.Groups {
		rules, far := g.Out, p.dst
		if in {
			rules, far = g.In, p.src
		}
		for _, r := range rules {
			if ruleMatches(g.Network, r, p, far) {
				return true
			}
		}
	}
	return false
}

// best is the route for an address: the longest, and of equals the one of the lowest origin.
func best(routes []*estate.Route, a netip.Addr) *estate.Route {
	var found *estate.Route
	for _, r := range routes {
		if r.To.Contains(a) && (found == nil || r.To.Bits() > found.To.Bits() || r.To.Bits() == found.To.Bits() && r.Origin < found.Origin) {
			found = r
		}
	}
	return found
}

func in(ranges []netip.Prefix, a netip.Addr) bool {
	return slices.ContainsFunc(ranges, func(p netip.Prefix) bool { return p.Contains(a) })
}

// goes carries a packet from a workload or an address outside. It reports whether somebody receives it.
func (t *trip) goes(from *estate.Workload, p parcel) bool {
	t.seen = p.src
	if from != nil {
		return groupsLet(from, false, p) && t.out(from.Subnet, p, false, 0)
	}
	return t.enters(p)
}

// enters brings a packet in from the internet or a site.
func (t *trip) enters(p parcel) bool {
	for _, s := range t.e.Sites {
		if in(s.Ranges, p.src) {
			return t.fromSite(s, p, false)
		}
	}
	for _, w := range t.e.Workloads {
		if slices.Contains(w.Public, p.dst) {
			n := w.Subnet.Network
			if !slices.ContainsFunc(n.Gateways, func(g *estate.Gateway) bool { return g.Internet && g.Attached }) {
				return false
			}
			t.entered = w
			p.dst = w.Addrs[0]
			return t.into(n, p, false)
		}
	}
	return false
}

func (t *trip) fromSite(s *estate.Site, p parcel, back bool) bool {
	switch {
	case !in(s.Knows, p.dst):
		return false
	case s.Link != nil && in(s.Link.Ranges, p.dst):
		return t.into(s.Link, p, back)
	case len(s.Attachments) > 0:
		return t.throughHub(s.Attachments[0], p, back)
	}
	return false
}

// out carries a packet out of a subnet.
func (t *trip) out(s *estate.Subnet, p parcel, back bool, depth int) bool {
	if depth > 10 {
		return false
	}
	if in(s.Ranges, p.dst) {
		return t.arrives(s, p, back, depth)
	}
	if !listLets(s, false, p) {
		return false
	}
	n := s.Network
	r := best(s.Table.Routes, p.dst)
	switch {
	case r == nil || r.Via.Blackhole || r.Via.Workload != nil:
		return false
	case r.Origin == estate.Local:
		return t.into(n, p, back)
	case r.Via.Peering != nil:
		x := r.Via.Peering
		return x.Accepted[0] && x.Accepted[1] && in(x.Far(n).Ranges, p.dst) && t.into(x.Far(n), p, back)
	case r.Via.Hub != nil:
		for _, a := range n.Attachments {
			if a.Hub == r.Via.Hub {
				return t.throughHub(a, p, back)
			}
		}
		return false
	case r.Via.Site != nil:
		return in(r.Via.Site.Ranges, p.dst) && t.atSite(p, back)
	case r.Via.Gateway.Internet:
		return r.Via.Gateway.Attached && address.IsPublic(p.dst) && t.leaves(s, p, back)
	}
	g := r.Via.Gateway
	if back || t.nat != nil {
		return false
	}
	if g.In != s && !listLets(g.In, true, p) {
		return false
	}
	t.nat, t.natted = g, p.src
	p.src = g.Addrs[0]
	t.seen = p.src
	return t.out(g.In, p, back, depth+1)
}

// leaves carries a packet out to the internet.
func (t *trip) leaves(s *estate.Subnet, p parcel, back bool) bool {
	if back {
		return t.entered != nil && t.backOutside(p)
	}
	switch {
	case t.nat != nil:
		if len(t.nat.Public) == 0 {
			return false
		}
		t.natLeft, t.seen = t.nat, t.nat.Public[0]
	default:
		for _, w := range t.e.Workloads {
			if w.Subnet == s && w.Addrs[0] == p.src && len(w.Public) > 0 {
				t.left, t.seen = w, w.Public[0]
			}
		}
		if t.left == nil {
			return false
		}
	}
	p.src = t.seen
	for _, w := range t.e.Workloads {
		if slices.Contains(w.Public, p.dst) {
			return t.enters(p)
		}
	}
	for _, n := range t.e.Networks {
		for _, g := range n.Gateways {
			if slices.Contains(g.Public, p.dst) {
				return false // nothing that starts outside comes in through a NAT
			}
		}
	}
	return true
}

// backOutside brings a reply that left for the internet to whom it is for.
func (t *trip) backOutside(p parcel) bool {
	if t.left == nil && t.natLeft == nil {
		return true // the source is on the internet
	}
	return t.backIn(p)
}

// backIn brings a reply in by the gateway that the flow left by.
func (t *trip) backIn(p parcel) bool {
	if t.natLeft != nil {
		p.dst = t.natLeft.Addrs[0]
		return t.into(t.natLeft.Network, p, true)
	}
	p.dst = t.left.Addrs[0]
	return t.into(t.left.Subnet.Network, p, true)
}

func (t *trip) throughHub(a *estate.Attachment, p parcel, back bool) bool {
	r := best(a.Table.Routes, p.dst)
	switch {
	case r == nil || r.Via.Blackhole:
		return false
	case r.Via.Site != nil:
		return in(r.Via.Site.Ranges, p.dst) && t.atSite(p, back)
	}
	return in(r.Via.Network.Ranges, p.dst) && t.into(r.Via.Network, p, back)
}

func (t *trip) atSite(parcel, bool) bool { return true }

// into looks a destination up among a network's own subnets.
func (t *trip) into(n *estate.Network, p parcel, back bool) bool {
	var s *estate.Subnet
	for _, x := range n.Subnets {
		for _, r := range x.Ranges {
			if r.Contains(p.dst) {
				s = x
			}
		}
	}
	return s != nil && listLets(s, true, p) && t.arrives(s, p, back, 0)
}

// arrives hands a packet to whoever has its destination in a subnet.
func (t *trip) arrives(s *estate.Subnet, p parcel, back bool, depth int) bool {
	if back && t.nat != nil && t.nat.In == s && slices.Contains(t.nat.Addrs, p.dst) {
		p.dst = t.natted
		t.nat = nil
		return t.out(s, p, true, depth+1)
	}
	for _, w := range s.Workloads {
		if slices.Contains(w.Addrs, p.dst) {
			if !back {
				t.receiver = w
				return groupsLet(w, true, p)
			}
			return true
		}
	}
	return false
}

// comesBack carries the reply to a packet that arrived.
func (t *trip) comesBack(to *estate.Workload, p parcel) bool {
	reply := parcel{src: p.dst, dst: t.seen, protocol: p.protocol, sport: p.dport, dport: p.sport}
	if to != nil {
		reply.src = to.Addrs[0]
		return t.out(to.Subnet, reply, true, 0)
	}
	for _, s := range t.e.Sites {
		if in(s.Ranges, p.dst) {
			return t.fromSite(s, reply, true)
		}
	}
	return t.backIn(reply)
}
