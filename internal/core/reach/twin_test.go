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
	rounds   int // how often it has come in from the internet
	e        *estate.Estate
	source   *estate.Workload
	sentTo   netip.Addr
	hosts    []estate.Host // the NAT gateways and workloads that translated it, in their order
	took     []netip.Addr  // the address in the place of which each put its own
	through  []saw
	passed   []*estate.Workload
	left     estate.Host      // left for the internet under a public address of this one
	exit     *estate.Gateway  // by this gateway
	entered  *estate.Workload // entered from the internet, for this one
	seen     netip.Addr       // the source as the far end sees it
	receiver *estate.Workload
	may      bool // a firewall sees one direction of what has no handshake
	world    int  // which of routes of one rank are taken: a digit for each time that there is a choice
	worlds   int  // how many ways to choose there are on this way
}

// saw is a workload that passed a packet on, and what it saw of it.
type saw struct {
	by       *estate.Workload
	src, dst netip.Addr
}

// like is the address of a list that has the family of a; the zero Addr when there is none.
func like(all []netip.Addr, a netip.Addr) netip.Addr {
	for _, x := range all {
		if x.Is4() == a.Is4() {
			return x
		}
	}
	return netip.Addr{}
}

// public is the address by which the internet knows a workload.
func public(w *estate.Workload, a netip.Addr) netip.Addr {
	if x := like(w.Public, a); x.IsValid() {
		return x
	}
	if x := like(w.Addrs, a); x.Is6() && address.IsPublic(x) {
		return x
	}
	return netip.Addr{}
}

// natPublic is the address by which the internet knows a NAT gateway.
func natPublic(g *estate.Gateway, a netip.Addr) netip.Addr {
	if x := like(g.Public, a); x.IsValid() {
		return x
	}
	if x := like(g.Addrs, a); x.Is6() && address.IsPublic(x) {
		return x
	}
	return netip.Addr{}
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

// pick is one of the routes of a table that are as good as the best: those that were learned for the same range, each to elsewhere.
func (t *trip) pick(routes []*estate.Route, first *estate.Route) *estate.Route {
	if first == nil || first.Origin != estate.Learned {
		return first
	}
	owns := func(r *estate.Route) bool {
		x, is := r.Via.(*estate.Peering)
		return is && (slices.Contains(x.Between[0].Ranges, r.To) || slices.Contains(x.Between[1].Ranges, r.To))
	}
	var alike []*estate.Route
	for _, r := range routes {
		if r.To == first.To && r.Origin == estate.Learned && owns(r) == owns(first) && !slices.ContainsFunc(alike, func(o *estate.Route) bool { return o.Via == r.Via }) {
			alike = append(alike, r)
		}
	}
	at := t.world / t.worlds % len(alike)
	t.worlds *= len(alike)
	return alike[at]
}

func in(ranges []netip.Prefix, a netip.Addr) bool {
	return slices.ContainsFunc(ranges, func(p netip.Prefix) bool { return p.Contains(a) })
}

// goes carries a packet from a workload or an address outside. It reports whether somebody receives it.
func (t *trip) goes(from *estate.Workload, p parcel) bool {
	t.source, t.seen, t.sentTo = from, p.src, p.dst
	if from != nil {
		return groupsLet(from, false, p) && t.out(from.Subnet, p, false, 0)
	}
	for _, s := range t.e.Sites {
		if in(s.Ranges, p.src) {
			return t.fromSite(s, p, false)
		}
	}
	return t.enters(p, false)
}

// enters brings a packet in from the internet.
func (t *trip) enters(p parcel, back bool) bool {
	if t.rounds++; t.rounds > 40 {
		return false // out to the internet, and in again, for ever
	}
	for _, w := range t.e.Workloads {
		if public(w, p.dst) != p.dst || back && !slices.Contains(w.Addrs, p.dst) {
			continue
		}
		n := w.Subnet.Network
		if !slices.ContainsFunc(n.Gateways, func(g *estate.Gateway) bool { return g.Type == estate.InternetGateway && g.Attached }) {
			return false
		}
		if !back {
			t.entered = w
		}
		p.dst = like(w.Addrs, p.dst)
		return t.lets(n.InternetGateway(), p, back)
	}
	for _, n := range t.e.Networks {
		for _, g := range n.Gateways { // a NAT's own address that the internet carries as it is: it knows to whom the reply is
			if back && natPublic(g, p.dst) == p.dst && slices.Contains(g.Addrs, p.dst) {
				front := n.InternetGateway()
				return front != nil && front.Attached && t.lets(front, p, back)
			}
		}
	}
	return false // nobody's, or a NAT's, by which nothing comes in
}

// lets carries a packet on that a gateway has let in.
func (t *trip) lets(g *estate.Gateway, p parcel, back bool) bool {
	if g.Door != nil {
		return t.out(g.Door, p, back, 0)
	}
	return t.into(g.Network, p, back)
}

func (t *trip) fromSite(s *estate.Site, p parcel, back bool) bool {
	if !in(s.Knows, p.dst) {
		return false
	}
	if s.Door != nil && (len(s.Attachments) == 0 || best(s.Door.Table.Routes, p.dst) != nil) {
		return t.out(s.Door, p, back, 0)
	}
	if s.Link != nil && s.Door == nil {
		if in(s.Link.Ranges, p.dst) {
			return t.into(s.Link, p, back)
		}
		leads := slices.ContainsFunc(s.Link.Main.Routes, func(r *estate.Route) bool { return r.Origin == estate.ByHand && r.Via == estate.Object(s) })
		for _, x := range s.Link.Peerings {
			if far := x.Far(s.Link); leads && crosses(x) && in(far.Ranges, p.dst) && custom(x, s.Link) {
				return t.overPeering(s.Link, x, p, back, 0)
			}
		}
	}
	return len(s.Attachments) > 0 && t.throughHub(s.Attachments[0].Table, p, back, 0) // random plans have no site with two
}

func crosses(x *estate.Peering) bool { return x.Accepted[0] && x.Accepted[1] }

// custom reports whether a peering carries the routes of a network to sites and hubs to the other side.
func custom(x *estate.Peering, of *estate.Network) bool {
	for i, n := range x.Between {
		if n == of {
			return x.Exports[i] && x.Imports[1-i]
		}
	}
	return false
}

// out carries a packet out of a subnet.
func (t *trip) out(s *estate.Subnet, p parcel, back bool, depth int) bool {
	if depth > 40 {
		return false
	}
	if in(s.Ranges, p.dst) {
		return t.arrives(s, p, back, depth)
	}
	if !listLets(s, false, p) {
		return false
	}
	n := s.Network
	r := bestFor(t.e, s.Table, p)
	if r != nil && r.Only == nil {
		r = t.pick(s.Table.Routes, r)
	}
	switch {
	case r == nil || r.Via == estate.Blackhole:
		return false
	case r.Origin == estate.Local:
		return t.into(n, p, back)
	}
	var g *estate.Gateway
	switch via := r.Via.(type) {
	case *estate.Workload:
		return t.forward(s, via, p, back, depth)
	case *estate.Peering:
		return t.overPeering(n, via, p, back, depth)
	case *estate.Hub:
		return t.throughHub(attachment(n, via).Table, p, back, depth)
	case *estate.Site:
		return in(via.Ranges, p.dst)
	case *estate.Gateway:
		g = via
	}
	switch g.Type {
	case estate.InternetGateway:
		return g.Attached && address.IsPublic(p.dst) && t.leaves(s, g, p, back)
	case estate.EgressGateway:
		return !back && p.dst.Is6() && address.IsPublic(p.dst) && t.leaves(s, g, p, back)
	}
	own := like(g.Addrs, p.src)
	if g.In != nil && slices.Contains(g.Addrs, p.dst) { // it is for that one itself
		return (g.In == s || listLets(g.In, true, p)) && t.arrives(g.In, p, back, depth)
	}
	if back || slices.Contains(t.hosts, estate.Host{NAT: g}) || !own.IsValid() || g.In != s && !listLets(g.In, true, p) {
		return false
	}
	t.hosts, t.took = append(t.hosts, estate.Host{NAT: g}), append(t.took, p.src)
	p.src, t.seen = own, own
	return t.out(g.In, p, back, depth+1)
}

func attachment(n *estate.Network, h *estate.Hub) *estate.Attachment {
	for _, a := range h.Attachments {
		if a.Network == n {
			return a
		}
	}
	return nil
}

func (t *trip) overPeering(n *estate.Network, x *estate.Peering, p parcel, back bool, depth int) bool {
	far := x.Far(n)
	if !crosses(x) {
		return false
	}
	for i, end := range x.Between {
		if end == far && x.Doors[i] != nil {
			return t.out(x.Doors[i], p, back, depth+1)
		}
	}
	if in(far.Ranges, p.dst) {
		return t.into(far, p, back)
	}
	if !custom(x, far) {
		return false
	}
	var outward []*estate.Route
	for _, r := range far.Main.Routes {
		_, site := r.Via.(*estate.Site)
		_, hub := r.Via.(*estate.Hub)
		if r.Origin == estate.ByHand && (site || hub) {
			outward = append(outward, r)
		}
	}
	r := best(outward, p.dst)
	if r == nil {
		return false
	}
	if site, is := r.Via.(*estate.Site); is {
		return in(site.Ranges, p.dst)
	}
	return t.throughHub(attachment(far, r.Via.(*estate.Hub)).Table, p, back, depth)
}

// forward carries a packet through a workload.
func (t *trip) forward(s *estate.Subnet, w *estate.Workload, p parcel, back bool, depth int) bool {
	own := like(w.Addrs, p.src)
	switch {
	case slices.Contains(w.Addrs, p.dst): // it is for that one itself
		return (w.Subnet == s || listLets(w.Subnet, true, p)) && t.arrives(w.Subnet, p, back, depth)
	case w.Forwards == estate.NotForwarding:
		return false
	case w.Forwards == estate.NATForwarding && (back || slices.Contains(t.hosts, estate.Host{Workload: w}) || !own.IsValid()):
		return false
	case w.Subnet != s && !listLets(w.Subnet, true, p):
		return false
	}
	known := back && slices.Contains(t.through, saw{w, p.dst, p.src})
	if back && !known && w.Forwards == estate.StatefulForwarding {
		if t.may = true; p.protocol == "tcp" {
			return false
		}
	}
	if !known && (!groupsLet(w, true, p) || !groupsLet(w, false, p)) {
		return false
	}
	switch {
	case known:
		t.passed = append(t.passed, w)
	case back:
	case w.Forwards == estate.NATForwarding:
		t.hosts, t.took = append(t.hosts, estate.Host{Workload: w}), append(t.took, p.src)
		p.src, t.seen = own, own
	default:
		t.through = append(t.through, saw{w, p.src, p.dst})
	}
	return t.out(w.Subnet, p, back, depth+1)
}

// leaves carries a packet out to the internet.
func (t *trip) leaves(s *estate.Subnet, g *estate.Gateway, p parcel, back bool) bool {
	if back {
		var sender *estate.Workload
		for _, w := range s.Network.Subnets {
			for _, x := range w.Workloads {
				if slices.Contains(x.Addrs, p.src) {
					sender = x
				}
			}
		}
		same := t.entered != nil && t.entered.Subnet.Network == s.Network
		if !same && (sender == nil || public(sender, p.src) != p.src) {
			return false // its new address makes it a stranger
		}
		if same {
			p.src = public(t.entered, p.src)
		}
		return t.backOutside(p)
	}
	from := estate.Host{}
	if n := len(t.hosts); n > 0 {
		from = t.hosts[n-1]
	} else {
		for _, x := range s.Network.Subnets {
			for _, w := range x.Workloads {
				if slices.Contains(w.Addrs, p.src) {
					from.Workload = w
				}
			}
		}
	}
	known := netip.Addr{}
	if from.NAT != nil {
		known = natPublic(from.NAT, p.src)
	} else if from.Workload != nil {
		known = public(from.Workload, p.src)
	}
	if !known.IsValid() {
		return false
	}
	t.left, t.exit, t.seen = from, g, known
	p.src = known
	for _, w := range t.e.Workloads {
		if public(w, p.dst) == p.dst {
			return t.enters(p, false)
		}
	}
	for _, n := range t.e.Networks {
		if in(n.Ranges, p.dst) {
			return false // nobody is there
		}
		for _, g := range n.Gateways {
			if natPublic(g, p.dst) == p.dst {
				return false // nothing that starts outside comes in through a NAT
			}
		}
	}
	return true
}

// backOutside brings a reply that left for the internet to whom it is for.
func (t *trip) backOutside(p parcel) bool {
	switch {
	case t.left != (estate.Host{}):
		return t.backIn(p)
	case t.source == nil:
		return !slices.ContainsFunc(t.e.Sites, func(s *estate.Site) bool { return in(s.Ranges, p.dst) })
	}
	return t.enters(p, true)
}

// backIn brings a reply in by the gateway that the flow left by.
func (t *trip) backIn(p parcel) bool {
	if t.left.NAT != nil {
		p.dst = like(t.left.NAT.Addrs, p.dst)
	} else {
		p.dst = like(t.left.Workload.Addrs, p.dst)
	}
	return t.lets(t.exit, p, true)
}

func (t *trip) throughHub(table *estate.HubTable, p parcel, back bool, depth int) bool {
	r := t.pick(table.Routes, best(table.Routes, p.dst))
	if r == nil || depth > 40 {
		return false
	}
	switch via := r.Via.(type) {
	case *estate.Site:
		return in(via.Ranges, p.dst)
	case *estate.Network:
		if a := attachment(via, table.Hub); a.Door != nil {
			return t.out(a.Door, p, back, depth+1)
		}
		if in(via.Ranges, p.dst) {
			return t.into(via, p, back)
		}
		// What comes back to a peer that imports the way to the hub.
		for _, r := range via.Main.Routes {
			if r.Origin != estate.ByHand || r.Via != estate.Object(table.Hub) {
				continue
			}
			for _, x := range via.Peerings {
				if far := x.Far(via); crosses(x) && custom(x, via) && in(far.Ranges, p.dst) {
					return t.overPeering(via, x, p, back, depth)
				}
			}
		}
		return false
	case *estate.HubLink:
		far := 0
		if via.Between[0] == table.Hub {
			far = 1
		}
		return via.Accepted[0] && via.Accepted[1] && t.throughHub(via.Tables[far], p, back, depth+1)
	}
	return false // a blackhole
}

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
	if back && p.src != t.sentTo {
		return false // it is from a stranger
	}
	if n := len(t.hosts); back && n > 0 {
		last := t.hosts[n-1]
		where, addrs := (*estate.Subnet)(nil), []netip.Addr(nil)
		if last.NAT != nil {
			where, addrs = last.NAT.In, last.NAT.Addrs
		} else {
			where, addrs = last.Workload.Subnet, last.Workload.Addrs
		}
		if where == s && slices.Contains(addrs, p.dst) {
			p.dst = t.took[n-1]
			t.hosts, t.took = t.hosts[:n-1], t.took[:n-1]
			return t.out(s, p, true, depth+1)
		}
	}
	for _, w := range s.Workloads {
		if !slices.Contains(w.Addrs, p.dst) {
			continue
		}
		if back {
			return w == t.source
		}
		t.receiver = w
		return groupsLet(w, true, p)
	}
	return false
}

// comesBack carries the reply to a packet that arrived.
func (t *trip) comesBack(to *estate.Workload, p parcel) bool {
	reply := parcel{src: p.dst, dst: t.seen, protocol: p.protocol, sport: p.dport, dport: p.sport}
	if !t.answers(to, reply) {
		return false
	}
	if slices.ContainsFunc(t.through, func(x saw) bool {
		return x.by.Forwards == estate.StatefulForwarding && !slices.Contains(t.passed, x.by)
	}) {
		t.may = true
	}
	return !t.may || p.protocol != "tcp"
}

func (t *trip) answers(to *estate.Workload, reply parcel) bool {
	if to != nil {
		reply.src = like(to.Addrs, reply.src)
		return t.out(to.Subnet, reply, true, 0)
	}
	for _, s := range t.e.Sites {
		if in(s.Ranges, reply.src) {
			return t.fromSite(s, reply, true)
		}
	}
	return t.left != (estate.Host{}) && t.backIn(reply)
}

// bestFor is the best route of a table for a packet: of those that are for some, only those for who has its source count, and
// one as long as one for all comes first, but for a local one.
func bestFor(e *estate.Estate, t *estate.Table, p parcel) *estate.Route {
	all := best(t.Routes, p.dst)
	for _, r := range t.Some {
		his := false
		for _, w := range e.Workloads {
			if w.Subnet.Network != t.Network || !slices.Contains(w.Addrs, p.src) {
				continue
			}
			for _, g := range w.Groups {
				his = his || g == r.Only
			}
		}
		if !his || !r.To.Contains(p.dst) {
			continue
		}
		switch {
		case all == nil, r.To.Bits() > all.To.Bits(), r.To.Bits() == all.To.Bits() && all.Only == nil && all.Origin != estate.Local:
			all = r
		}
	}
	return all
}
