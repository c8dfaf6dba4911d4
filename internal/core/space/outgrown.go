package space

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/profile"
)

// Used is how many IPv4 addresses of a subnet somebody has.
func Used(s *estate.Subnet) int {
	count := 0
	add := func(all []netip.Addr) {
		for _, a := range all {
			if a.Is4() {
				count++
			}
		}
	}
	for _, w := range s.Workloads {
		add(w.Addrs)
	}
	for _, g := range s.Network.Gateways {
		if g.In == s {
			add(g.Addrs)
		}
	}
	return count
}

// Room is how many IPv4 addresses of a subnet workloads can have.
func Room(s *estate.Subnet) int {
	count := 0
	for _, p := range s.Ranges {
		if p.Addr().Is4() {
			count += s.Network.Profile.UsableIn(p.Bits())
		}
	}
	return count
}

// Small are the subnets of a tier in one place, its zone or region, that together have too little room for what the tier is to hold there.
type Small struct {
	Tier    *estate.Tier
	Place   string
	Subnets []*estate.Subnet
	Room    int // of them, in IPv4 addresses for workloads
	Wants   int // the hosts that the tier says, or that are there, with its growth
}

// Outgrown are the places in which a tier has too little room. What its subnets say of their own size is as it is meant.
func Outgrown(t *estate.Tier) []Small {
	if !t.Plan.Hosts.Given() {
		return nil
	}
	var all []Small
	for _, s := range t.Subnets {
		if Room(s) == 0 {
			continue // it has no IPv4, of which hosts are counted
		}
		place := t.Network.PlaceOf(s)
		i := slices.IndexFunc(all, func(x Small) bool { return x.Place == place })
		if i < 0 {
			i = len(all)
			all = append(all, Small{Tier: t, Place: place})
		}
		all[i].Subnets = append(all[i].Subnets, s)
	}
	var small []Small
	for _, x := range all {
		used, written := 0, true
		for _, s := range x.Subnets {
			x.Room += Room(s)
			used += Used(s)
			written = written && s.Plan.Size.Given()
		}
		if x.Wants = profile.Grown(max(t.Plan.Hosts.Value, used), t.Plan.Growth.Value); !written && x.Wants > x.Room {
			small = append(small, x)
		}
	}
	return small
}
