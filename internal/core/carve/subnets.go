package carve

import (
	"fmt"
	"math/big"
	"math/bits"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// tierWork is a tier while its subnets are carved.
type tierWork struct {
	*estate.Tier
	size  int      // length of each of its subnets
	slots []string // the zones or regions that want a subnet each; one empty word where subnets live anywhere
	spare int
	have  []netip.Prefix // ranges of its subnets, those just carved among them
	want  []want
	// reserved is the part of the tier's block that is kept for more zones; invalid when its subnets lie apart.
	reserved netip.Prefix
	why      string
	made     []made
}

// made is a subnet that got a range, and the edit that writes it. Tiers collect theirs, so that they come out in the
// order of the plan, however they were placed.
type made struct {
	row  Subnet
	edit plan.Edit
}

// want is a subnet that needs a range.
type want struct {
	slot   int            // its number among the slots
	subnet *estate.Subnet // when the plan names it already
}

// network carves the subnets of one network.
func (c *carver) network(n *estate.Network) {
	for _, s := range n.Subnets {
		for _, r := range s.Ranges {
			c.Subnets = append(c.Subnets, c.row(n, s.Name, s.Plan.Tier.Value, s.Zone, s.Plan.Region.Value, r, Kept, ""))
		}
		if len(s.Ranges) == 0 && s.Tier == nil {
			c.misfit(s.Plan.Name.At, "networks."+n.Name+".subnets."+s.Name, "no-size", "add  range:  or  tier:",
				"subnet %s has no range, and no tier that says how large it is", s.Path())
		}
	}
	var works []*tierWork
	for _, t := range n.Tiers {
		if w := c.work(n, t); w != nil {
			works = append(works, w)
		}
	}
	if !slices.ContainsFunc(works, func(w *tierWork) bool { return len(w.want) > 0 }) {
		return
	}
	free, ok := c.freeIn(n)
	if !ok {
		return
	}
	for _, w := range works {
		w.reserve(free)
	}
	larger := slices.Clone(works)
	slices.SortStableFunc(larger, func(a, b *tierWork) int { return a.size - b.size })
	for _, w := range larger {
		if len(w.have) > 0 {
			free = c.extend(n, w, free, works)
		}
	}
	c.place(n, works, free)
	for _, w := range works {
		for _, m := range w.made {
			c.Subnets = append(c.Subnets, m.row)
			c.Edits = append(c.Edits, m.edit)
		}
	}
	if len(c.ranges[n]) > 0 {
		return
	}
	// The subnets came out of the block itself, which other networks carve from as well.
	var gone []netip.Prefix
	for _, w := range works {
		gone = append(gone, w.have...)
		if w.reserved.IsValid() {
			gone = append(gone, w.reserved)
		}
	}
	c.pool(n.From).Remove(gone...)
}

// work says what a tier has and wants; nil when it wants nothing that could be given.
func (c *carver) work(n *estate.Network, t *estate.Tier) *tierWork {
	w := &tierWork{Tier: t, slots: slotsOf(n, t), spare: 1}
	if n.Profile.SubnetsIn != plan.OneZone {
		w.spare = 0
	}
	if t.Plan.Spare.Given() {
		w.spare = t.Plan.Spare.Value
	}
	planned := len(w.slots)
	taken := map[int]bool{}
	for _, s := range t.Subnets {
		i := slices.Index(w.slots, slotOf(n, s))
		if i < 0 || taken[i] {
			// One more than the plan's zones ask for gets a slot of its own.
			i = len(w.slots)
			w.slots = append(w.slots, slotOf(n, s))
		}
		taken[i] = true
		for _, r := range s.Ranges {
			if r.Addr().Is4() {
				w.have = append(w.have, r)
			}
		}
		if len(s.Ranges) == 0 {
			w.want = append(w.want, want{i, s})
		}
	}
	for i := range planned {
		if !taken[i] {
			w.want = append(w.want, want{slot: i})
		}
	}
	slices.SortStableFunc(w.want, func(a, b want) int { return a.slot - b.slot })
	place := "networks." + n.Name + ".tiers." + t.Name
	if len(w.slots) == 0 {
		c.misfit(t.Plan.Name.At, place, "no-zones", "add  region:  to the network and zones to the region",
			"tier %s/%s cannot be carved: its subnets live in zones, and network %s has none", n.Name, t.Name, n.Name)
		return nil
	}
	if len(w.want) > 0 && !c.sizeOf(n, w, place) {
		return nil
	}
	if len(w.want) == 0 {
		w.size = 32
		for _, r := range w.have {
			w.size = min(w.size, r.Bits())
		}
	}
	return w
}

// slotsOf are the places that want a subnet of a tier each.
func slotsOf(n *estate.Network, t *estate.Tier) []string {
	var slots []string
	switch n.Profile.SubnetsIn {
	case plan.OneZone:
		if len(t.Plan.Zones) > 0 {
			for _, z := range t.Plan.Zones {
				slots = append(slots, z.Value)
			}
			return slots
		}
		for _, r := range n.Regions {
			for _, z := range r.Zones {
				slots = append(slots, z.Value)
			}
		}
		return slots
	case plan.OneRegion:
		for _, r := range n.Regions {
			slots = append(slots, r.Name.Value)
		}
		if len(slots) > 0 {
			return slots
		}
	}
	return []string{""}
}

// slotOf is the slot that a subnet fills.
func slotOf(n *estate.Network, s *estate.Subnet) string {
	switch {
	case n.Profile.SubnetsIn == plan.OneZone:
		return s.Zone
	case n.Profile.SubnetsIn == plan.Anywhere || len(n.Regions) == 0:
		return ""
	case s.Plan.Region.Given():
		return s.Plan.Region.Value
	}
	return n.Regions[0].Name.Value
}

// sizeOf finds the length of the tier's subnets: the one written, that of the smallest block for the head count under
// the profile, or that of the subnets it has.
func (c *carver) sizeOf(n *estate.Network, w *tierWork, place string) bool {
	p, profile := w.Plan, n.Profile
	switch {
	case p.Size.Given():
		w.size = p.Size.Value
		w.why = fmt.Sprintf("/%d as written", w.size)
		if w.size > profile.Smallest || w.size < profile.Largest {
			c.misfit(p.Size.At, place+".size", "size-limit", fmt.Sprintf("write a size from /%d to /%d", profile.Largest, profile.Smallest),
				"a subnet of /%d is outside what profile %s takes", w.size, profile.Name)
			return false
		}
	case p.Hosts.Given():
		kept := profile.KeptFirst + profile.KeptLast
		need := p.Hosts.Value + kept
		w.size = min(address.BitsFor(big.NewInt(int64(need)), 32), profile.Smallest)
		w.why = fmt.Sprintf("%d hosts and %d kept addresses fit into a /%d", p.Hosts.Value, kept, w.size)
		for _, r := range w.have {
			if r.Bits() < w.size {
				w.size, w.why = r.Bits(), fmt.Sprintf("/%d like the tier's other subnets", r.Bits())
			}
		}
		if w.size < profile.Largest {
			most := 1<<(32-profile.Largest) - kept
			c.misfit(p.Hosts.At, place+".hosts", "size-limit", fmt.Sprintf("ask for up to %d hosts, or use several tiers", most),
				"%d hosts and %d kept addresses need a /%d, and the largest subnet of profile %s is a /%d", p.Hosts.Value, kept, w.size, profile.Name, profile.Largest)
			return false
		}
	case len(w.have) > 0:
		w.size = w.have[0].Bits()
		w.why = fmt.Sprintf("/%d like the tier's other subnets", w.size)
	default:
		c.misfit(p.Name.At, place, "no-size", "add  hosts: 100  or  size: /24", "tier %s/%s says neither hosts nor size, so its subnets cannot be carved", n.Name, w.Name)
		return false
	}
	return true
}

// blockLength is the length of the block that has room for slots subnets.
func (w *tierWork) blockLength(slots int) int {
	return max(0, w.size-bits.Len(uint(max(slots, 1)-1)))
}

// reserve keeps the rest of the block in which a tier's subnets lie side by side, when they do: with room for more
// zones as long as nobody else has taken any of that, else just the block that they fill.
func (w *tierWork) reserve(free address.Set) {
	if len(w.have) == 0 || w.spare == 0 {
		return
	}
	open := free.Union(address.SetOf(w.have...))
	for _, slots := range []int{len(w.slots) + w.spare, len(w.have) + w.spare, len(w.have)} {
		block, err := w.have[0].Addr().Prefix(min(w.blockLength(slots), w.have[0].Bits()))
		if err == nil && open.ContainsRange(block) && !slices.ContainsFunc(w.have, func(r netip.Prefix) bool { return !address.Covers(block, r) }) {
			w.reserved = block
			return
		}
	}
}

// freeIn is the free IPv4 space that the subnets of a network are carved from.
func (c *carver) freeIn(n *estate.Network) (address.Set, bool) {
	own := c.ranges[n]
	if len(own) == 0 && !n.Profile.OwnRanges && n.From != nil {
		if n.From.Held {
			c.misfit(n.Plan.From.At, "networks."+n.Name+".from", "block-held", "carve from a block that is not held",
				"block %s is held (%s), so network %s gets nothing from it", n.From.Name, n.From.Plan.Held.Value, n.Name)
			return address.Set{}, false
		}
		if pool := c.pool(n.From); pool != nil {
			return pool.Free(), true
		}
	}
	var free address.Set
	for _, p := range own {
		if !p.Addr().Is4() {
			continue
		}
		free = free.Union(address.SetOf(p).Minus(c.leaves.Clip(p)))
	}
	if len(c.foreign[n]) > 0 {
		free = free.Minus(address.SetOf(c.foreign[n]...))
	}
	if len(own) == 0 && n.Plan.Size.Given() {
		return free, false // its own misfit has been reported
	}
	if len(own) == 0 {
		c.misfit(n.Plan.Name.At, "networks."+n.Name, "no-range", "add  range: ...,  or  from:  with a block of space",
			"network %s has nothing that its subnets could be carved from", n.Name)
		return free, false
	}
	return free, true
}

// extend gives ranges to the missing subnets of a tier that has some: beside them in their block where there is room,
// else wherever nothing is kept for other tiers, else wherever anything is free.
func (c *carver) extend(n *estate.Network, w *tierWork, free address.Set, works []*tierWork) address.Set {
	for _, miss := range w.want {
		var others []netip.Prefix
		for _, o := range works {
			if o != w && o.reserved.IsValid() {
				others = append(others, o.reserved)
			}
		}
		open := free.Minus(address.SetOf(others...))
		p, beside := w.besideOthers(open)
		if !beside {
			var found bool
			if p, found = address.NewPool(open, 32).Take(w.size); !found {
				pool := address.NewPool(free, 32)
				if p, found = pool.Take(w.size); !found {
					c.noRoom(n, w, pool, w.size, 1)
					return free
				}
			}
		}
		free = free.Minus(address.SetOf(p))
		c.take(n, w, miss, p, beside)
	}
	w.want = nil
	return free
}

// besideOthers finds the lowest free place in the smallest block that holds the tier's subnets and has one.
func (w *tierWork) besideOthers(open address.Set) (netip.Prefix, bool) {
	limit := w.blockLength(len(w.slots) + w.spare)
	for length := w.size; length >= limit; length-- {
		block, err := w.have[0].Addr().Prefix(length)
		if err != nil || slices.ContainsFunc(w.have, func(r netip.Prefix) bool { return !address.Covers(block, r) }) {
			continue
		}
		if p, found := address.NewPool(open.Clip(block), 32).Take(w.size); found {
			return p, true
		}
	}
	return netip.Prefix{}, false
}

// place gives a block to each tier that has no subnet yet, the larger before the smaller, and its slots to its subnets.
func (c *carver) place(n *estate.Network, works []*tierWork, free address.Set) {
	var fresh []*tierWork
	whole, keepers := free, []string(nil)
	for _, w := range works {
		switch {
		case len(w.have) > 0 && w.reserved.IsValid():
			free = free.Minus(address.SetOf(w.reserved))
			keepers = append(keepers, w.Name)
		case len(w.have) == 0 && len(w.want) > 0:
			fresh = append(fresh, w)
		}
	}
	slices.SortStableFunc(fresh, func(a, b *tierWork) int {
		return a.blockLength(len(a.slots)+a.spare) - b.blockLength(len(b.slots)+b.spare)
	})
	pool := address.NewPool(free, 32)
	for _, w := range fresh {
		slots := len(w.slots) + w.spare
		block, found := pool.Take(w.blockLength(slots))
		if !found {
			c.noRoom(n, w, pool, w.blockLength(slots), slots)
			if _, fits := address.NewPool(whole, 32).Take(w.blockLength(slots)); fits && len(keepers) > 0 {
				c.Misfits[len(c.Misfits)-1].Mend = "it would fit into the room that is kept for more zones; write  spare: 0  at tier " + strings.Join(keepers, " or ") + " to give that up"
			}
			continue
		}
		whole = whole.Minus(address.SetOf(block))
		w.reserved = block
		w.why += fmt.Sprintf("; %s and %d spare in %s", count(len(w.slots), "subnet"), 1<<(w.size-block.Bits())-len(w.slots), block)
		for _, miss := range w.want {
			p, _ := address.Piece(block, w.size, uint64(miss.slot))
			c.take(n, w, miss, p, true)
		}
		c.Tiers = append(c.Tiers, Tier{Network: n.Name, Name: w.Name, Block: block, Slots: 1 << (w.size - block.Bits()), Used: len(w.have)})
	}
}

func count(n int, thing string) string {
	if n == 1 {
		return "1 " + thing
	}
	return fmt.Sprintf("%d %ss", n, thing)
}

// noRoom reports a tier that did not fit, and what leaving out the room for more zones would save.
func (c *carver) noRoom(n *estate.Network, w *tierWork, pool *address.Pool, length, slots int) {
	what := fmt.Sprintf("a subnet of /%d for tier %s", w.size, w.Name)
	mend := "enlarge the network, add a range to it, or ask for less"
	if slots > 1 {
		what = fmt.Sprintf("tier %s, %s of /%d and room for %d more", w.Name, count(len(w.slots), "subnet"), w.size, 1<<(w.size-length)-len(w.slots))
		if tight := w.blockLength(len(w.slots)); tight > length && w.spare > 0 {
			if largest, any := pool.Largest(); any && largest <= tight {
				mend = fmt.Sprintf("write  spare: 0  at the tier to leave no room for another zone; then a /%d is enough", tight)
			}
		}
	}
	c.misfit(w.Plan.Name.At, "networks."+n.Name+".tiers."+w.Name, "no-room", mend, "network %s has no room for %s: %s", n.Name, what, missing(pool, length, 32))
}

// take gives a range to a subnet, and notes the edit that writes it.
func (c *carver) take(n *estate.Network, w *tierWork, miss want, p netip.Prefix, beside bool) {
	w.have = append(w.have, p)
	why := w.why
	if !beside {
		why += "; apart from the tier's others, whose block is full"
	}
	path := []string{"networks", n.Name, "subnets"}
	if s := miss.subnet; s != nil {
		w.made = append(w.made, made{c.row(n, s.Name, w.Name, s.Zone, s.Plan.Region.Value, p, New, why),
			plan.Edit{Path: append(path, s.Name), Key: "range", Value: plan.Word(p.String())}})
		return
	}
	slot := w.slots[miss.slot]
	name := c.name(n, w, slot)
	fields := []plan.Field{{Key: "tier", Value: plan.Word(w.Name)}}
	var zone, region string
	switch {
	case n.Profile.SubnetsIn == plan.OneZone:
		zone = slot
		fields = append(fields, plan.Field{Key: "zone", Value: plan.Word(zone)})
	case len(w.slots) > 1:
		region = slot
		fields = append(fields, plan.Field{Key: "region", Value: plan.Word(region)})
	}
	fields = append(fields, plan.Field{Key: "range", Value: plan.Word(p.String())})
	w.made = append(w.made, made{c.row(n, name, w.Name, zone, region, p, New, why), plan.Edit{Path: path, Key: name, Value: plan.Map(fields...)}})
}

func (c *carver) row(n *estate.Network, name, tier, zone, region string, p netip.Prefix, state State, why string) Subnet {
	first, last := n.Profile.Ends(p)
	return Subnet{Network: n.Name, Name: name, Tier: tier, Zone: zone, Region: region, Range: p, Usable: n.Profile.Usable(p),
		First: first, Last: last, State: state, Why: why}
}

// name is the tier with the zone or region behind it, without what the zone repeats of its region: web-a for zone
// west-a of region west. A name that is taken gets a number.
func (c *carver) name(n *estate.Network, w *tierWork, slot string) string {
	name := w.Name
	if slot != "" {
		for _, r := range n.Regions {
			if short, cut := strings.CutPrefix(slot, r.Name.Value+"-"); cut && short != "" {
				slot = short
				break
			}
		}
		name += "-" + slot
	}
	free := name
	for i := 2; n.Subnet(free) != nil; i++ {
		free = fmt.Sprintf("%s-%d", name, i)
	}
	return free
}
