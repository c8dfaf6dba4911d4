package estate

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
)

// This part of the builder binds networks, and their tiers, held parts, subnets and lists.

func (b *builder) networks() {
	crowds := b.crowds()
	for _, p := range b.e.Plan.Networks {
		n := &Network{Plan: p, Name: p.Name.Value, Profile: p.Profile.On(b.e.Profile), Ranges: prefixes(p.Ranges), scope: scope{}, hosts: make(map[netip.Addr]Host, crowds[p.Name.Value])}
		b.e.Networks = append(b.e.Networks, n)
		b.e.scope.bind(n.Name, n)
		for _, t := range p.Regions {
			if r := b.region(t, spot{n, "region"}); r != nil {
				n.Regions = append(n.Regions, r)
			}
		}
		if len(p.Regions) > 1 && n.Profile.SubnetsIn == profile.OneZone {
			b.report(p.Regions[1].At, spot{n, "region"}, severalRegions, "give each region a network of its own",
				"a network whose subnets live in one zone lives in one region")
		}
		n.Naming = cmp.Or(p.Naming.Value, b.e.Plan.Naming.Value)
		b.networkRange(n)
		b.tiers(n)
		b.held(n)
		b.subnets(n)
		b.gateways(n)
		b.lists(n)
	}
}

// crowds counts the addresses of workloads by the names of their networks.
func (b *builder) crowds() map[string]int {
	out := make(map[string]int, len(b.e.Plan.Networks))
	for _, w := range b.e.Plan.Workloads {
		network, _, _ := strings.Cut(w.In.Value, "/")
		out[network] += len(w.Addrs) + len(w.Each)
	}
	return out
}

// networkRange checks that a network has a range, or says what to carve and from where.
func (b *builder) networkRange(n *Network) {
	p := n.Plan
	if p.From.Given() {
		n.From = b.block(p.From, spot{n, "from"})
	}
	// The size of one in which nothing has a range yet follows from what it is to hold.
	follows := p.From.Given() && len(p.Tiers)+len(p.Subnets)+len(p.Held) > 0 &&
		!slices.ContainsFunc(p.Subnets, func(s *plan.Subnet) bool { return len(s.Ranges) > 0 }) && !slices.ContainsFunc(p.Held, func(h *plan.Held) bool { return len(h.Ranges) > 0 })
	if n.Profile.OwnRanges && !p.HasRange && !p.Size.Given() && !p.Size6.Given() && !follows {
		b.report(p.Name.At, spot{n, ""}, noRange, "add  range: ...,  or  from: BLOCK  for carve, with tiers or with  size: /20",
			"network %s has neither range nor size", n.Name)
	}
	if (p.Size.Given() || p.Size6.Given()) && !p.From.Given() && !p.HasRange {
		at := p.Size.At
		if !p.Size.Given() {
			at = p.Size6.At
		}
		blocks := strings.Join(b.e.scope.names(BlockKind), ", ")
		b.report(at, spot{n, "size"}, noBlock, "add  from:  with one of "+cmp.Or(blocks, "the blocks of space, of which there is none yet"),
			"the size of network %s says how much to carve, and nothing says from which block", n.Name)
	}
}

func (b *builder) tiers(n *Network) {
	for _, p := range n.Plan.Tiers {
		t := &Tier{Plan: p, Name: p.Name.Value, Network: n}
		n.Tiers = append(n.Tiers, t)
		n.scope.bind(t.Name, t)
		if p.Hosts.Given() && p.Size.Given() {
			b.report(p.Size.At, spot{t, "size"}, hostsAndSize, "keep one of the two", "tier %s has both hosts and size", t.Name)
		}
		if p.Growth.Given() && !p.Hosts.Given() {
			b.report(p.Growth.At, spot{t, "growth"}, wrongKey, "add  hosts: ...,  or remove it", "growth is of hosts, and tier %s says none", t.Name)
		}
		for _, z := range p.Zones {
			b.zone(n, z, spot{t, "zones"})
		}
	}
}

// zone reports a zone that none of the network's regions has.
func (b *builder) zone(n *Network, z plan.Text, in spot) {
	var known []string
	for _, r := range n.Regions {
		for _, k := range r.Zones {
			if k.Value == z.Value {
				return
			}
			known = append(known, k.Value)
		}
	}
	switch {
	case len(n.Regions) == 0 && n.Plan.Regions == nil:
		b.report(z.At, in, noRegion, "add  region:  to the network", "network %s has a zone and no region", n.Name)
	case len(n.Regions) > 0:
		b.unknown(z, in, "zone of region "+n.Regions[0].Name.Value, func() []string { return known })
	}
}

// held binds the parts of a network that are held.
func (b *builder) held(n *Network) {
	for _, p := range n.Plan.Held {
		h := &Held{Plan: p, Name: p.Name.Value, Network: n, Ranges: prefixes(p.Ranges)}
		n.Held = append(n.Held, h)
		n.scope.bind(h.Name, h)
		if len(p.Ranges) == 0 && !p.Size.Given() {
			b.report(p.Name.At, spot{h, ""}, noRange, "add  range: ...,  or  size: /24  for carve", "held part %s has neither range nor size", h.ID())
		}
		for _, r := range p.Ranges {
			if own := prefixes(n.Plan.Ranges); len(own) > 0 && !inside(own, r.Prefix) {
				b.report(r.At, spot{h, "range"}, heldOutside, "hold it as a block of space with  held:,  or choose a range in the network",
					"%s does not lie in network %s (%s)", r.Prefix, n.Name, phrase.List(own))
			}
		}
	}
}

func (b *builder) subnets(n *Network) {
	own := prefixes(n.Plan.Ranges)
	for _, p := range n.Plan.Subnets {
		s := &Subnet{Plan: p, Index: len(b.e.Subnets), Name: p.Name.Value, Network: n, Zone: p.Zone.Value, Ranges: prefixes(p.Ranges)}
		n.Subnets = append(n.Subnets, s)
		b.e.Subnets = append(b.e.Subnets, s)
		n.scope.bind(s.Name, s)
		if p.Tier.Given() {
			if s.Tier = lookup[*Tier](b, n, n.scope, TierKind, p.Tier, spot{s, "tier"}); s.Tier != nil {
				s.Tier.Subnets = append(s.Tier.Subnets, s)
			}
		}
		if p.Zone.Given() {
			b.zone(n, p.Zone, spot{s, "zone"})
		}
		if p.Region.Given() {
			r := b.region(p.Region, spot{s, "region"})
			if r != nil && len(n.Regions) > 0 && !slices.Contains(n.Regions, r) {
				b.report(p.Region.At, spot{s, "region"}, regionOutside, fmt.Sprintf("write one of its regions, or add %s to them", r.Name.Value),
					"subnet %s is in region %s, and its network %s is in %s", s.Name, r.Name.Value, n.Name, phrase.And(n.RegionNames()))
			}
		}
		for _, r := range p.Ranges {
			n.where.Insert(r.Prefix, s)
			if n.Profile.OwnRanges && len(own) > 0 && !inside(own, r.Prefix) {
				b.report(r.At, spot{s, "range"}, subnetOutside, fmt.Sprintf("choose a range in %s, or add one to the network", phrase.List(own)),
					"subnet %s (%s) does not lie in its network %s (%s)", s.Name, r.Prefix, n.Name, phrase.List(own))
			}
		}
		if !n.Profile.OwnRanges || !n.Plan.HasRange {
			if s == n.Subnets[0] {
				n.Ranges = nil
			}
			n.Ranges = append(n.Ranges, s.Ranges...)
		}
	}
}

func (b *builder) lists(n *Network) {
	for _, p := range n.Plan.Lists {
		l := &List{Plan: p, Index: len(b.e.Lists), Name: p.Name.Value, Network: n}
		if !n.scope.bind(l.Name, l) {
			continue
		}
		n.Lists = append(n.Lists, l)
		b.e.Lists = append(b.e.Lists, l)
		for _, t := range p.Subnets {
			for _, s := range b.subnetsNamed(n, t, spot{l, "subnets"}) {
				if s.List != nil {
					b.report(t.At, spot{l, "subnets"}, twoLists, "name the subnet in one list only", "subnet %s has list %s already", s.Name, s.List.Name)
					continue
				}
				s.List = l
			}
		}
	}
}

// subnetWith is SubnetOf while the network is still being built.
func subnetWith(n *Network, a netip.Addr) *Subnet {
	i := slices.IndexFunc(n.Subnets, func(s *Subnet) bool { return s.Holds(a) })
	if i < 0 {
		return nil
	}
	return n.Subnets[i]
}
