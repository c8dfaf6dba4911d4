package estate

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
)

// PlaceOf is the zone or region that a subnet is in.
func (n *Network) PlaceOf(s *Subnet) string {
	switch {
	case n.Profile.SubnetsIn == profile.OneZone:
		return s.Zone
	case n.Profile.SubnetsIn == profile.Anywhere || len(n.Regions) == 0:
		return ""
	case s.Plan.Region.Given():
		return s.Plan.Region.Value
	}
	return n.Regions[0].Name.Value
}

// SubnetName is the name that a subnet has by the pattern of its network or estate: {tier}-{zone} where subnets live in
// one zone, {tier}-{region} where they span a region, and {tier} anywhere else, unless the plan says otherwise. The
// place is its zone or region; of a zone's name, what it repeats of its region's is left out. Its slot is the number
// of its piece in the first of the network's ranges that holds it.
func (n *Network) SubnetName(ranges []netip.Prefix, tier, place string, p netip.Prefix) string {
	pattern := n.Naming
	if pattern == "" {
		pattern = map[profile.Reach]string{profile.OneZone: "{tier}-{zone}", profile.OneRegion: "{tier}-{region}", profile.Anywhere: "{tier}"}[n.Profile.SubnetsIn]
	}
	return plan.FillPattern(pattern, func(word string) string {
		switch word {
		case "network":
			return n.Name
		case "tier":
			return tier
		case "zone":
			if n.Profile.SubnetsIn != profile.OneZone {
				return ""
			}
			return n.ShortZone(place)
		case "region":
			if n.Profile.SubnetsIn == profile.OneRegion {
				return place
			}
			if len(n.Regions) > 0 {
				return n.Regions[0].Name.Value
			}
		case "slot":
			for _, r := range ranges {
				if i, found := address.PieceNumber(r, p); found && p.IsValid() {
					return fmt.Sprint(i)
				}
			}
		}
		return ""
	})
}

// RegionNames are the names of the regions that the network lives in.
func (n *Network) RegionNames() (all []string) {
	for _, r := range n.Regions {
		all = append(all, r.Name.Value)
	}
	return all
}

// ShortZone is a zone's name without what it repeats of its region's: a for zone west-a of region west.
func (n *Network) ShortZone(zone string) string {
	for _, r := range n.Regions {
		if short, cut := strings.CutPrefix(zone, r.Name.Value+"-"); cut && short != "" {
			return short
		}
	}
	return zone
}

// Places are the zones or regions that want a subnet of a tier each; one empty word where subnets live anywhere.
func (n *Network) Places(t *Tier) []string {
	var places []string
	switch n.Profile.SubnetsIn {
	case profile.OneZone:
		if len(t.Plan.Zones) > 0 {
			for _, z := range t.Plan.Zones {
				places = append(places, z.Value)
			}
			return places
		}
		for _, r := range n.Regions {
			for _, z := range r.Zones {
				places = append(places, z.Value)
			}
		}
		return places
	case profile.OneRegion:
		if regions := n.RegionNames(); len(regions) > 0 {
			return regions
		}
	}
	return []string{""}
}

// wouldCarve reports whether carve would give a subnet of the network that name.
func (n *Network) wouldCarve(name string) bool {
	for _, t := range n.Tiers {
		for _, place := range n.Places(t) {
			if n.SubnetName(nil, t.Name, place, netip.Prefix{}) == name {
				return true
			}
		}
	}
	return false
}

// The names of the gateways that wire gives a network: to and from the internet, for IPv6 out alone, and for NAT, which has
// the short name of a zone behind it where each zone has one.
const (
	WiredFront = "front"
	WiredSix   = "six"
	WiredNAT   = "out"
)

// wouldWire reports whether wire would give the network a gateway of that name, for what its tiers' access calls for.
func (n *Network) wouldWire(name string) bool {
	wants := func(access string) bool {
		return slices.ContainsFunc(n.Tiers, func(t *Tier) bool { return t.Plan.Access.Value == access })
	}
	nat := wants("outbound") && n.Plan.NAT.Value != "none"
	switch {
	case name == WiredFront:
		return (wants("public") || nat) && n.InternetGateway() == nil
	case name == WiredSix:
		return wants("outbound")
	case n.Plan.NAT.Value != "per-zone":
		return name == WiredNAT && nat && len(n.NATs()) == 0
	}
	for _, r := range n.Regions {
		for _, z := range r.Zones {
			if name == WiredNAT+"-"+n.ShortZone(z.Value) {
				return nat
			}
		}
	}
	return false
}
