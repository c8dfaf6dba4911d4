package estate

import (
	"net/netip"

	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This part of the builder binds the sets of options that hosts are given.

// DHCPKind is the kind of such a set.
const DHCPKind Kind = "set of DHCP options"

// Kind, ID, Place and At are those of an object.
func (*DHCP) Kind() Kind         { return DHCPKind }
func (x *DHCP) ID() string       { return x.Name }
func (x *DHCP) Place() text.Path { return text.Path{"dhcp", x.Name} }
func (x *DHCP) At() text.Pos     { return x.Plan.Name.At }

func (b *builder) dhcp() {
	for _, p := range b.e.Plan.DHCP {
		x := &DHCP{Plan: p, Name: p.Name.Value}
		x.DNS, x.NTP = b.servers(p.DNS, spot{x, "dns"}), b.servers(p.NTP, spot{x, "ntp"})
		b.e.DHCP = append(b.e.DHCP, x)
		b.e.scope.bind(x.Name, x)
	}
	for _, n := range b.e.Networks {
		if n.Plan.DHCP.Given() {
			n.DHCP = lookup[*DHCP](b, nil, b.e.scope, DHCPKind, n.Plan.DHCP, spot{n, "dhcp"})
		}
	}
}

// Cloud is the word for the name server that the cloud has in each subnet.
const Cloud = "cloud"

func (b *builder) servers(all []plan.Text, in spot) []Server {
	var out []Server
	for _, t := range all {
		if a, err := netip.ParseAddr(t.Value); err == nil {
			out = append(out, Server{Word: t, Addr: a})
			continue
		}
		if s := find[*Set](b.e.scope, SetKind, t.Value); s != nil {
			for _, w := range s.Members {
				out = append(out, Server{Word: t, Workload: w})
			}
			continue
		}
		if t.Value == Cloud && in.key == "dns" && find[*Workload](b.e.scope, WorkloadKind, t.Value) == nil {
			out = append(out, Server{Word: t, Cloud: true})
			continue
		}
		if w := lookup[*Workload](b, nil, b.e.scope, WorkloadKind, t, in); w != nil {
			out = append(out, Server{Word: t, Workload: w})
		}
	}
	return out
}

// Served are the router, the name server and the DHCP server that the cloud has in a subnet, by their addresses; an invalid
// address for one that it has not.
func (s *Subnet) Served(r netip.Prefix) (router, resolver, dhcp netip.Addr) {
	p := s.Network.Profile
	at := func(nth int) netip.Addr {
		a := r.Addr()
		for range nth {
			a = a.Next()
		}
		if nth == 0 || !a.Is4() || !r.Contains(a) {
			return netip.Addr{}
		}
		return a
	}
	return at(min(p.Router, 64)), at(min(p.Resolver, 64)), at(min(p.DHCPServer, 64))
}
