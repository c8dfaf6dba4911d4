package grid

import "net/netip"

// family is IPv4 or IPv6, as an address of it.
type family = netip.Addr

var (
	ipv4 family = netip.IPv4Unspecified()
	ipv6 family = netip.IPv6Unspecified()
)
