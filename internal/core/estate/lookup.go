package estate

import (
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
)

// Network, Workload, Site, Hub, HubLink, Peering and Block find a thing by its name, or give nil.
func (e *Estate) Network(name string) *Network   { return find[*Network](e.scope, NetworkKind, name) }
func (e *Estate) Workload(name string) *Workload { return find[*Workload](e.scope, WorkloadKind, name) }
func (e *Estate) Site(name string) *Site         { return find[*Site](e.scope, SiteKind, name) }
func (e *Estate) Hub(name string) *Hub           { return find[*Hub](e.scope, HubKind, name) }
func (e *Estate) HubLink(name string) *HubLink   { return find[*HubLink](e.scope, HubLinkKind, name) }
func (e *Estate) Peering(name string) *Peering   { return find[*Peering](e.scope, PeeringKind, name) }
func (e *Estate) Block(name string) *Block       { return find[*Block](e.scope, BlockKind, name) }

// Subnet, Tier, Gateway, Table, Group and List find a part of a network by its name, or give nil.
func (n *Network) Subnet(name string) *Subnet   { return find[*Subnet](n.scope, SubnetKind, name) }
func (n *Network) Tier(name string) *Tier       { return find[*Tier](n.scope, TierKind, name) }
func (n *Network) Gateway(name string) *Gateway { return find[*Gateway](n.scope, GatewayKind, name) }
func (n *Network) Table(name string) *Table     { return find[*Table](n.scope, TableKind, name) }
func (n *Network) Group(name string) *Group     { return find[*Group](n.scope, GroupKind, name) }
func (n *Network) List(name string) *List       { return find[*List](n.scope, ListKind, name) }

// Attachment ties the network to a hub; nil when it is not attached to that.
func (n *Network) Attachment(h *Hub) *Attachment {
	for _, a := range n.Attachments {
		if a.Hub == h {
			return a
		}
	}
	return nil
}

// Workloads are those of all subnets of the network.
func (n *Network) Workloads() []*Workload {
	var all []*Workload
	for _, s := range n.Subnets {
		all = append(all, s.Workloads...)
	}
	return all
}

// Settled reports whether the workload has a place in the estate already, so that packets can leave it.
func (w *Workload) Settled() bool {
	return w.Subnet != nil && len(w.Subnet.Ranges) > 0 && len(w.Addrs) > 0
}

// Network is the network that the workload lives in, by its subnet or by its tier; nil where the plan says neither.
func (w *Workload) Network() *Network {
	switch {
	case w.Subnet != nil:
		return w.Subnet.Network
	case w.Tier != nil:
		return w.Tier.Network
	}
	return nil
}

// Waiting says what a workload without a place in the estate waits for, as the end of a sentence; empty for one that has a
// place.
func (w *Workload) Waiting() string {
	switch {
	case w.Settled():
		return ""
	case w.Subnet != nil && len(w.Subnet.Ranges) == 0:
		return "lives in subnet " + w.Subnet.ID() + ", which has no range yet"
	}
	return "has no address yet"
}

// Owner is the host that has a public address, or nobody.
func (e *Estate) Owner(public netip.Addr) Host { return e.public[public] }

// Host is what has a private address in the network, or nobody.
func (n *Network) Host(a netip.Addr) Host { return n.hosts[a] }

// SubnetOf is the subnet whose range holds an address, the smallest where several do; nil when none does.
func (n *Network) SubnetOf(a netip.Addr) *Subnet {
	_, s, _ := n.where.Lookup(a)
	return s
}

// Holds reports whether an address lies in the network's ranges.
func (n *Network) Holds(a netip.Addr) bool { return holds(n.Ranges, a) }

// In reports whether a word names the subnet, its tier or its network.
func (s *Subnet) In(word string) bool {
	return word == s.ID() || word == s.Network.Name || s.Tier != nil && word == s.Tier.ID()
}

// Holds reports whether an address lies in the subnet's ranges.
func (s *Subnet) Holds(a netip.Addr) bool { return holds(s.Ranges, a) }

// Holds reports whether an address lies in the site's ranges.
func (s *Site) Holds(a netip.Addr) bool { return holds(s.Ranges, a) }

// KnowsOf reports whether the site has a route to an address through its link.
func (s *Site) KnowsOf(a netip.Addr) bool { return holds(s.Knows, a) }

func holds(ranges []netip.Prefix, a netip.Addr) bool {
	return slices.ContainsFunc(ranges, func(p netip.Prefix) bool { return p.Contains(a) })
}

// Lookup gives the route that the table has for an address: that of the longest range, and at the same length the one
// of the lowest origin; nil when there is none.
func (t *Table) Lookup(a netip.Addr) *Route {
	_, r, _ := t.routes.Lookup(a)
	return r
}

// Lookup gives the route that the hub table has for an address, static ones before learned ones; nil for none.
func (t *HubTable) Lookup(a netip.Addr) *Route {
	_, r, _ := t.routes.Lookup(a)
	return r
}

// addrLike gives the address of the family of like, and whether there is one.
func addrLike(addrs []netip.Addr, like netip.Addr) (netip.Addr, bool) {
	for _, a := range addrs {
		if a.Is4() == like.Is4() {
			return a, true
		}
	}
	return netip.Addr{}, false
}

// PublicLike is the address by which the internet knows the workload, of the family of like. For IPv6 that is its own
// address when the internet carries it; IPv4 needs one of its own.
func (w *Workload) PublicLike(like netip.Addr) (netip.Addr, bool) {
	if a, found := addrLike(w.Public, like); found {
		return a, true
	}
	if a, found := addrLike(w.Addrs, like); found && a.Is6() && address.IsPublic(a) {
		return a, true
	}
	return netip.Addr{}, false
}

// AddrLike is the workload's private address of the family of like.
func (w *Workload) AddrLike(like netip.Addr) (netip.Addr, bool) { return addrLike(w.Addrs, like) }

// AddrLike is the NAT gateway's private address of the family of like.
func (g *Gateway) AddrLike(like netip.Addr) (netip.Addr, bool) { return addrLike(g.Addrs, like) }

// PublicLike are the addresses by which the internet knows the NAT gateway, of the family of like: its public ones, or else its own
// IPv6 address when the internet carries that.
func (g *Gateway) PublicLike(like netip.Addr) []netip.Addr {
	var all []netip.Addr
	for _, a := range g.Public {
		if a.Is4() == like.Is4() {
			all = append(all, a)
		}
	}
	if own, has := g.AddrLike(like); has && len(all) == 0 && own.Is6() && address.IsPublic(own) {
		all = []netip.Addr{own}
	}
	return all
}

// InternetGateway is the network's internet gateway, an attached one before others; nil when it has none.
func (n *Network) InternetGateway() *Gateway {
	var first *Gateway
	for _, g := range n.Gateways {
		switch {
		case g.Type == InternetGateway && g.Attached:
			return g
		case g.Type == InternetGateway && first == nil:
			first = g
		}
	}
	return first
}

// CustomRoute is the route to a site or hub that the network has for an address, the longest; nil for none.
func (n *Network) CustomRoute(a netip.Addr) *Route {
	var best *Route
	for _, r := range n.Custom {
		if r.To.Contains(a) && (best == nil || r.To.Bits() > best.To.Bits()) {
			best = r
		}
	}
	return best
}

// NATs are the network's NAT gateways.
func (n *Network) NATs() []*Gateway {
	var all []*Gateway
	for _, g := range n.Gateways {
		if g.Type == NATGateway {
			all = append(all, g)
		}
	}
	return all
}

// NATServing is the NAT gateway that serves a subnet by name; nil when none does.
func (n *Network) NATServing(s *Subnet) *Gateway {
	for _, g := range n.Gateways {
		if slices.Contains(g.Serves, s) {
			return g
		}
	}
	return nil
}

// Reserved reports whether a cloud reserves an address of a subnet's range for itself.
func (n *Network) Reserved(p netip.Prefix, a netip.Addr) bool {
	if !a.Is4() || !p.Contains(a) {
		return false
	}
	fromFirst, toLast := address.Distance(p.Addr(), a), address.Distance(a, address.Last(p))
	return fromFirst < uint64(n.Profile.ReservedFirst) || toLast < uint64(n.Profile.ReservedLast)
}

// Standing is a host, and an address that it has.
type Standing struct {
	Host
	Addr netip.Addr
}

// Hosts are the workloads and NAT gateways that stand in the subnet, once for each address, in the order of these.
func (s *Subnet) Hosts() []Standing {
	var all []Standing
	for _, w := range s.Workloads {
		for _, a := range w.Addrs {
			all = append(all, Standing{Host{Workload: w}, a})
		}
	}
	for _, g := range s.Network.Gateways {
		if g.In == s {
			for _, a := range g.Addrs {
				all = append(all, Standing{Host{NAT: g}, a})
			}
		}
	}
	slices.SortFunc(all, func(a, b Standing) int { return a.Addr.Compare(b.Addr) })
	return all
}

// Taken is how many addresses in a range of the subnet a host has.
func (s *Subnet) Taken(r netip.Prefix) int {
	n := 0
	for _, h := range s.Hosts() {
		if r.Contains(h.Addr) {
			n++
		}
	}
	return n
}

// Guards are the subnets that the list is on.
func (l *List) Guards() []*Subnet {
	var all []*Subnet
	for _, s := range l.Network.Subnets {
		if s.List == l {
			all = append(all, s)
		}
	}
	return all
}

// HasPublicSix reports whether a subnet has IPv6 addresses that the internet carries: others get nowhere by a gateway, which
// translates none of them.
func (s *Subnet) HasPublicSix() bool {
	return slices.ContainsFunc(s.Ranges, func(p netip.Prefix) bool { return p.Addr().Is6() && address.IsPublic(p.Addr()) })
}

// Has reports whether a subnet has a range of a family: of IPv4, or else of IPv6.
func (s *Subnet) Has(ipv4 bool) bool {
	return slices.ContainsFunc(s.Ranges, func(p netip.Prefix) bool { return p.Addr().Is4() == ipv4 })
}

// Call has a workload, a set of them or a site go by another name from now on, in questions and in answers. It is for an
// estate that is compared with one in which it is called so.
func (e *Estate) Call(was, is string) {
	for _, k := range []Kind{WorkloadKind, SetKind, SiteKind} {
		o, found := e.scope[k][was]
		if !found {
			continue
		}
		delete(e.scope[k], was)
		e.scope[k][is] = o
		switch o := o.(type) {
		case *Workload:
			o.Name = is
		case *Site:
			o.Name = is
		case *Set:
			o.Name = is
			for _, w := range o.Members {
				e.Call(w.Name, is+strings.TrimPrefix(w.Name, was))
			}
		}
	}
}
