package carve

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// need is one subnet that a network has or should have, or one of its held parts.
type need struct {
	tier   *estate.Tier   // nil for a subnet that belongs to none, and for a held part
	slot   int            // which of the tier's needs it is
	place  string         // the zone or region that the need is in; empty where subnets live anywhere
	subnet *estate.Subnet // nil when the plan does not name it yet
	held   *estate.Held
	have   [2]netip.Prefix // by family
	fresh  [2]netip.Prefix
	size   [2]int // the length it should have; 0 when it gets none
	fixed  plan.Number
	why    [2]string
}

// name names a need in a message.
func (s *need) name() string {
	switch {
	case s.held != nil:
		return "held part " + s.held.Name
	case s.subnet != nil:
		return "subnet " + s.subnet.Name
	case s.place != "":
		return fmt.Sprintf("a subnet of tier %s in %s", s.tier.Name, s.place)
	}
	return "a subnet of tier " + s.tier.Name
}

// of is what a need stands for in the plan, or what makes it.
func (s *need) of() estate.Object {
	switch {
	case s.held != nil:
		return s.held
	case s.subnet != nil:
		return s.subnet
	}
	return s.tier
}

// wants reports whether the need lacks a range of a family that it should have.
func (s *need) wants(family int) bool { return !s.have[family].IsValid() && s.size[family] > 0 }

// taken is the range of a family that the need has by now; the zero Prefix for none.
func (s *need) taken(family int) netip.Prefix {
	if s.have[family].IsValid() {
		return s.have[family]
	}
	return s.fresh[family]
}

// tierSize is what a network's tier asks of its subnets.
type tierSize struct {
	spare int
	size  [2]int
	why   [2]string
}

// needs lists the needs of a network: those of its tiers in order, then its other subnets and held parts. Families are
// those that the network has ranges of.
func (c *carver) needs(n *estate.Network, families [2]bool) (all []*need, sizes map[*estate.Tier]*tierSize) {
	sizes = map[*estate.Tier]*tierSize{}
	for _, t := range n.Tiers {
		needs, size := c.tierNeeds(n, t, families)
		sizes[t] = size
		all = append(all, needs...)
	}
	for _, s := range n.Subnets {
		if s.Tier != nil {
			continue
		}
		need := &need{subnet: s, place: n.PlaceOf(s), fixed: s.Plan.Slot}
		need.keep(s.Ranges)
		if c.ownSize(n, need, s.Plan.Size, len(s.Ranges), families) {
			all = append(all, need)
		}
	}
	for _, h := range n.Held {
		need := &need{held: h}
		need.keep(h.Ranges)
		if h.Plan.Size.Given() && len(h.Ranges) == 0 {
			need.size[ipv4], need.why[ipv4] = h.Plan.Size.Value, fmt.Sprintf("/%d as written", h.Plan.Size.Value)
		}
		all = append(all, need)
	}
	return all, sizes
}

func (s *need) keep(ranges []netip.Prefix) {
	for _, r := range ranges {
		if f := familyOf(r); !s.have[f].IsValid() {
			s.have[f] = r
		}
	}
}

// ownSize gives a subnet without a tier the size that the plan says, or reports that it says none.
func (c *carver) ownSize(n *estate.Network, s *need, size plan.Number, ranges int, families [2]bool) bool {
	of := s.of()
	if ranges == 0 && !size.Given() {
		c.misfit(of.At(), of.Place(), NoSize, "add  range:,  size:  or  tier:", "%s of network %s has no range, and neither size nor tier to say how large it is", s.name(), n.Name)
		return false
	}
	if size.Given() && c.withinLimits(n, size, of.Place()) {
		s.size[ipv4], s.why[ipv4] = size.Value, fmt.Sprintf("/%d as written", size.Value)
	}
	if families[ipv6] {
		s.size[ipv6], s.why[ipv6] = subnet6, why6
	}
	return true
}

// Every IPv6 subnet is a /64, the size that addresses in it are made for (RFC 4291 section 2.5.1).
const (
	subnet6 = 64
	why6    = "every IPv6 subnet is a /64"
)

// withinLimits reports a size that the profile does not take.
func (c *carver) withinLimits(n *estate.Network, size plan.Number, place text.Path) bool {
	if n.Profile.Takes(size.Value) {
		return true
	}
	c.misfit(size.At, place.To("size"), sizeLimit, fmt.Sprintf("write a size from /%d to /%d", n.Profile.Largest, n.Profile.Smallest),
		"a subnet of /%d is outside what profile %s takes", size.Value, n.Profile.Name)
	return false
}

// tierNeeds are the needs of one tier: one for each zone or region, and one more for each subnet beyond that.
func (c *carver) tierNeeds(n *estate.Network, t *estate.Tier, families [2]bool) ([]*need, *tierSize) {
	places := n.Places(t)
	place := t.Place()
	if len(places) == 0 {
		c.misfit(t.At(), place, noZones, "add  region:  to the network and zones to the region",
			"tier %s/%s cannot be carved: its subnets live in zones, and network %s has none", n.Name, t.Name, n.Name)
		return nil, nil
	}
	needs := make([]*need, len(places))
	for _, s := range t.Subnets {
		i := slices.Index(places, n.PlaceOf(s))
		if i < 0 || needs[i] != nil {
			i = len(needs)
			needs = append(needs, nil)
		}
		needs[i] = &need{tier: t, slot: i, place: n.PlaceOf(s), subnet: s, fixed: s.Plan.Slot}
		needs[i].keep(s.Ranges)
	}
	for i := range places {
		if needs[i] == nil {
			needs[i] = &need{tier: t, slot: i, place: places[i]}
		}
	}
	size := c.tierSize(n, t, needs, place, families[ipv4])
	for _, s := range needs {
		if size == nil {
			break
		}
		s.size, s.why = size.size, size.why
		if s.subnet != nil && s.subnet.Plan.Size.Given() && c.withinLimits(n, s.subnet.Plan.Size, place) {
			s.size[ipv4], s.why[ipv4] = s.subnet.Plan.Size.Value, fmt.Sprintf("/%d as written", s.subnet.Plan.Size.Value)
		}
		for f := range families {
			if !families[f] {
				s.size[f] = 0
			}
		}
	}
	return needs, size
}

// tierSize finds the length of a tier's subnets: the one written, that of the smallest range for the head count with
// its growth under the profile, at least as large as the subnets it has; nil, and a misfit where one is needed, when
// the plan does not say.
func (c *carver) tierSize(n *estate.Network, t *estate.Tier, needs []*need, place text.Path, hasIPv4 bool) *tierSize {
	p, cloud := t.Plan, n.Profile
	size := &tierSize{spare: 1}
	if cloud.SubnetsIn != profile.OneZone {
		size.spare = 0
	}
	if p.Spare.Given() {
		size.spare = p.Spare.Value
	}
	size.size[ipv6], size.why[ipv6] = subnet6, why6
	largest, missing := 0, false
	for _, s := range needs {
		if r := s.have[ipv4]; r.IsValid() && (largest == 0 || r.Bits() < largest) {
			largest = r.Bits()
		}
		missing = missing || hasIPv4 && !s.have[ipv4].IsValid()
	}
	like := fmt.Sprintf("/%d like the tier's other subnets", largest)
	switch {
	case p.Size.Given():
		if missing && !c.withinLimits(n, p.Size, place) {
			return nil
		}
		size.size[ipv4], size.why[ipv4] = p.Size.Value, fmt.Sprintf("/%d as written", p.Size.Value)
	case p.Hosts.Given():
		need, reserved := profile.Grown(p.Hosts.Value, p.Growth.Value), cloud.ReservedFirst+cloud.ReservedLast
		length, fits := cloud.SizeFor(need)
		why := fmt.Sprintf("%d hosts and %d reserved addresses fit into a /%d", p.Hosts.Value, reserved, length)
		if p.Growth.Given() {
			why = fmt.Sprintf("%d hosts, %d with growth, and %d reserved addresses fit into a /%d", p.Hosts.Value, need, reserved, length)
		}
		if length < 0 && missing {
			c.misfit(p.Hosts.At, place.To("hosts"), sizeLimit, fmt.Sprintf("ask for up to %d, or use several tiers", cloud.UsableIn(cloud.Largest)), "%d hosts and %d reserved addresses are more than all of IPv4", need, reserved)
			return nil
		}
		if !fits && missing {
			c.misfit(p.Hosts.At, place.To("hosts"), sizeLimit, fmt.Sprintf("ask for up to %d, or use several tiers", cloud.UsableIn(cloud.Largest)),
				"%d hosts and %d reserved addresses need a /%d, and the largest subnet of profile %s is a /%d", need, reserved, length, cloud.Name, cloud.Largest)
			return nil
		}
		if largest > 0 && largest < length {
			length, why = largest, like
		}
		size.size[ipv4], size.why[ipv4] = length, why
	case largest > 0:
		size.size[ipv4], size.why[ipv4] = largest, like
	case missing:
		c.misfit(p.Name.At, place, NoSize, "add  hosts: 100  or  size: /24", "tier %s/%s says neither hosts nor size, so its subnets cannot be carved", n.Name, t.Name)
		return nil
	}
	return size
}

// finish writes down what became of a network's needs: rows, and the edits that write new ranges.
func (c *carver) finish(n *estate.Network, needs []*need) {
	taken := map[string]bool{}
	for _, s := range needs {
		switch {
		case s.held != nil:
			c.finishHeld(s)
		case s.fresh != [2]netip.Prefix{}:
			c.finishSubnet(n, s, taken)
		}
	}
}

func (c *carver) finishHeld(s *need) {
	h := s.held
	for _, r := range h.Ranges {
		c.Held = append(c.Held, Held{h.Network.Name, h.Name, r, h.Plan.For.Value, h.Plan.Owner.Value, Kept, ""})
	}
	if p := s.fresh[ipv4]; p.IsValid() {
		c.Held = append(c.Held, Held{h.Network.Name, h.Name, p, h.Plan.For.Value, h.Plan.Owner.Value, New, s.why[ipv4]})
		if h.Network.FromPattern(h) { // where its size stands, for others, too
			c.change(s.why[ipv4], text.Set(h.Place(), "range", text.Word(p.String())))
			return
		}
		c.change(s.why[ipv4], text.Replace(h.Place(), "size", "range", text.Word(p.String())))
	}
}

func (c *carver) finishSubnet(n *estate.Network, s *need, taken map[string]bool) {
	var words []string
	name, zone, region, tier := "", "", "", ""
	if s.subnet != nil {
		words = rangeTexts(s.subnet.Plan.Ranges)
		name, zone, region = s.subnet.Name, s.subnet.Zone, s.subnet.Plan.Region.Value
	} else {
		name = c.freshName(n, s, taken)
		switch {
		case n.Profile.SubnetsIn == profile.OneZone:
			zone = s.place
		case len(n.Regions) > 1:
			region = s.place
		}
	}
	if s.tier != nil {
		tier = s.tier.Name
	}
	for f, p := range s.fresh {
		if p.IsValid() {
			words = append(words, p.String())
			row := c.row(n, name, tier, zone, region, p, New, s.why[f])
			row.anchored = len(c.addressesOf(n, s, f)) > 0
			c.Subnets = append(c.Subnets, row)
		}
	}
	value := text.WordOrWords(words...)
	why := s.why[ipv4]
	if !s.fresh[ipv4].IsValid() {
		why = s.why[ipv6]
	}
	if s.subnet != nil {
		if s.subnet.Plan.Size.Given() && len(s.subnet.Plan.Ranges) == 0 && !n.FromPattern(s.subnet) {
			c.change(why, text.Replace(s.subnet.Place(), "size", "range", value))
		} else {
			c.change(why, text.Set(s.subnet.Place(), "range", value))
		}
		return
	}
	fields := []text.Field{{Key: "tier", Value: text.Word(tier)}}
	if zone != "" {
		fields = append(fields, text.Field{Key: "zone", Value: text.Word(zone)})
	}
	if region != "" {
		fields = append(fields, text.Field{Key: "region", Value: text.Word(region)})
	}
	c.change(why, text.Set(n.Place().To("subnets"), name, text.Map(append(fields, text.Field{Key: "range", Value: value})...)))
}

// change adds a change of one edit.
func (c *carver) change(why string, e text.Edit) {
	c.Changes = append(c.Changes, text.Change{Edits: []text.Edit{e}, Why: why})
}

func (c *carver) row(n *estate.Network, name, tier, zone, region string, p netip.Prefix, state State, why string) Subnet {
	first, last := n.Profile.Ends(p)
	router, resolver, dhcp := (&estate.Subnet{Network: n}).Served(p)
	return Subnet{Router: router, Resolver: resolver, DHCP: dhcp, Network: n.Name, Name: name, Tier: tier, Zone: zone, Region: region, Range: p, Usable: n.Profile.Usable(p),
		First: first, Last: last, State: state, Why: why}
}

// freshName is the name of a new subnet by the pattern that the plan gives, else web-a for tier web in zone west-a of
// region west. A name that is taken gets a number.
func (c *carver) freshName(n *estate.Network, s *need, taken map[string]bool) string {
	free := phrase.Free(n.SubnetName(c.ranges[n], s.tier.Name, s.place, s.taken(ipv4)), func(name string) bool { return n.Subnet(name) != nil || taken[name] })
	taken[free] = true
	return free
}

// spareWritten reports whether the plan says how much room for more there is to be.
func (s *need) spareWritten() bool { return s.tier != nil && s.tier.Plan.Spare.Given() }
