package export

import (
	"net"
	"net/netip"

	"wendrik/internal/core/estate"
)

type dhcpSubnet struct {
	Subnet       string        `json:"subnet"`
	Range        string        `json:"range"`
	Options      []dhcpOption  `json:"options"`
	Reservations []reservation `json:"reservations"`
}

// dhcpOption is an option by the name and code of RFC 2132; values are as that says: addresses, a text, or a number.
type dhcpOption struct {
	Code  int    `json:"code"`
	Name  string `json:"name"`
	Value any    `json:"value"`
}

type reservation struct {
	Host    string `json:"host"`
	Address string `json:"address"`
}

// DHCP is what a DHCP server of each IPv4 subnet tells: router, options, and who has which address (RFC 2132).
func DHCP(e *estate.Estate) string {
	all := []dhcpSubnet{}
	names := labels(e)
	for _, s := range subnetsOf(e) {
		for _, p := range s.Ranges {
			if p.Addr().Is4() {
				all = append(all, dhcpOf(s, p, names))
			}
		}
	}
	return asJSON(map[string]any{"subnets": all})
}

func dhcpOf(s *estate.Subnet, p netip.Prefix, names []string) dhcpSubnet {
	out := dhcpSubnet{Subnet: s.ID(), Range: p.String(), Options: []dhcpOption{}, Reservations: []reservation{}}
	option := func(code int, name string, value any) {
		out.Options = append(out.Options, dhcpOption{code, name, value})
	}
	option(1, "Subnet Mask", net.IP(net.CIDRMask(p.Bits(), 32)).String())
	n := s.Network
	if r := router(s, p); r.IsValid() {
		option(3, "Router", []string{r.String()})
	}
	servers := func(all []estate.Server) []string {
		var out []string
		for _, x := range all {
			switch {
			case x.Cloud:
				if r := nth(p, n.Profile.Resolver); r.IsValid() {
					out = append(out, r.String())
				}
			case x.Workload != nil:
				if a, has := x.Workload.AddrLike(netip.IPv4Unspecified()); has {
					out = append(out, a.String())
				}
			case x.Addr.Is4():
				out = append(out, x.Addr.String())
			}
		}
		return out
	}
	var resolvers []string
	if n.DHCP != nil {
		resolvers = servers(n.DHCP.DNS)
	}
	if r := nth(p, n.Profile.Resolver); len(resolvers) == 0 && r.IsValid() {
		resolvers = []string{r.String()}
	}
	if len(resolvers) > 0 {
		option(6, "Domain Server", resolvers)
	}
	if x := n.DHCP; x != nil {
		if x.Plan.Domain.Given() {
			option(15, "Domain Name", x.Plan.Domain.Value)
		}
		if x.Plan.MTU.Given() {
			option(26, "MTU Interface", x.Plan.MTU.Value)
		}
		if ntp := servers(x.NTP); len(ntp) > 0 {
			option(42, "NTP Servers", ntp)
		}
	}
	for _, w := range s.Workloads {
		for _, a := range w.Addrs {
			if p.Contains(a) {
				out.Reservations = append(out.Reservations, reservation{names[w.Index], a.String()})
			}
		}
	}
	return out
}
