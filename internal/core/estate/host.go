package estate

import (
	"net/netip"
)

// This file has what a private address belongs to.

// Host is what stands behind an address: a workload or a NAT gateway. The zero Host is nobody.
type Host struct {
	Workload *Workload
	NAT      *Gateway
}

// Nobody reports whether no host stands there.
func (h Host) Nobody() bool { return h == Host{} }

// Subnet is the subnet that the host is in; nil for nobody, and for a NAT gateway that sits in none.
func (h Host) Subnet() *Subnet {
	switch {
	case h.Workload != nil:
		return h.Workload.Subnet
	case h.NAT != nil:
		return h.NAT.In
	}
	return nil
}

// AddrLike is the host's private address of the family of like, and whether it has one.
func (h Host) AddrLike(like netip.Addr) (netip.Addr, bool) {
	switch {
	case h.Workload != nil:
		return h.Workload.AddrLike(like)
	case h.NAT != nil:
		return h.NAT.AddrLike(like)
	}
	return netip.Addr{}, false
}

// PublicLike are the addresses of the family of like by which the internet can know the host.
func (h Host) PublicLike(like netip.Addr) []netip.Addr {
	switch {
	case h.Workload != nil:
		if a, found := h.Workload.PublicLike(like); found {
			return []netip.Addr{a}
		}
	case h.NAT != nil:
		return h.NAT.PublicLike(like)
	}
	return nil
}

// Object is the workload or gateway that the host is; nil for nobody.
func (h Host) Object() Object {
	switch {
	case h.Workload != nil:
		return h.Workload
	case h.NAT != nil:
		return h.NAT
	}
	return nil
}

// Name is how messages call the host.
func (h Host) Name() string {
	if o := h.Object(); o != nil {
		return o.ID()
	}
	return "nobody"
}
