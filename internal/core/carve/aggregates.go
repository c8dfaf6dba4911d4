package carve

import (
	"cmp"
	"fmt"
	"math/big"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

// field is the free space of a network in one family while it is carved.
type field struct {
	*carver
	n          *estate.Network
	family     int
	base       []netip.Prefix // what slots are counted in
	free       address.Set
	aggregates []*aggregate
	tight      bool // whether no room is left for more that nobody wrote
}

// network carves one network.
func (c *carver) network(n *estate.Network) {
	for _, s := range n.Subnets {
		for _, r := range s.Ranges {
			c.Subnets = append(c.Subnets, c.row(n, s.Name, s.Plan.Tier.Value, s.Zone, s.Plan.Region.Value, r, Kept, ""))
		}
	}
	shared := len(c.ranges[n]) == 0 && !n.Profile.OwnRanges && n.From != nil
	families := [2]bool{true, len(ofFamily(c.ranges[n], ipv6)) > 0 || shared && c.pool(n.From, ipv6) != nil}
	if !shared && len(c.ranges[n]) > 0 && len(ofFamily(c.ranges[n], ipv4)) == 0 {
		families[ipv4] = false
	}
	// Room for another zone that nobody wrote is a wish: where it does not fit, the largest is given up, until all does.
	for giveUp := 0; ; giveUp++ {
		misfits, placed := len(c.Misfits), len(c.Aggregates)
		needs, sizes := c.needs(n, families)
		wishes := c.wishes(n, sizes)
		for _, w := range wishes[:giveUp] {
			w.give()
		}
		aggregates := layout(n, needs, sizes)
		var gone [2][]netip.Prefix
		for family := range families {
			wanted := slices.ContainsFunc(aggregates, func(b *aggregate) bool { return len(b.wanting(family)) > 0 })
			if !wanted {
				continue
			}
			if f, ok := c.field(n, family, aggregates, shared); ok {
				f.tight = giveUp == len(wishes)
				gone[family] = f.fill()
			}
		}
		full := slices.ContainsFunc(c.Misfits[misfits:], func(f diag.Finding) bool { return f.Code == noRoom })
		if full && giveUp < len(wishes) {
			c.Misfits, c.Aggregates = c.Misfits[:misfits], c.Aggregates[:placed]
			continue
		}
		for family, ranges := range gone {
			if shared && len(ranges) > 0 {
				// The subnets came out of the block itself, which other networks carve from as well.
				c.pool(n.From, family).Remove(ranges...)
			}
		}
		if giveUp > 0 && !full {
			var names []string
			for _, w := range wishes[:giveUp] {
				names = append(names, w.name)
			}
			c.Notes = append(c.Notes, fmt.Sprintf("network %s has no room for another zone in %s: write  spare:  there to hold to it", n.Name, phrase.And(names)))
		}
		c.finish(n, needs)
		return
	}
}

// wish is room for more that nobody wrote.
type wish struct {
	name string
	size int
	give func()
}

// wishes are those of a network, the largest first.
func (c *carver) wishes(n *estate.Network, sizes map[*estate.Tier]*tierSize) []wish {
	var all []wish
	for _, t := range n.Tiers {
		size := sizes[t]
		if size == nil || t.Plan.Spare.Given() || size.spare == 0 {
			continue
		}
		all = append(all, wish{"tier " + t.Name, size.size[ipv4], func() { size.spare = 0 }})
	}
	slices.SortStableFunc(all, func(a, b wish) int { return a.size - b.size })
	if n.Plan.Layout.Value == "zones" && len(all) > 0 {
		return []wish{{"its block of zones", all[0].size, func() {
			for _, w := range all {
				w.give()
			}
		}}}
	}
	return all
}

// field finds the free space of a network, or reports why there is none.
func (c *carver) field(n *estate.Network, family int, aggregates []*aggregate, shared bool) (*field, bool) {
	f := &field{carver: c, n: n, family: family, aggregates: aggregates}
	own := ofFamily(c.ranges[n], family)
	switch {
	case shared && n.From.Held:
		c.misfit(n.Plan.From.At, n.Place().To("from"), blockHeld, "carve from a block that is not held",
			"block %s is held (%s), so network %s gets nothing from it", n.From.Name, n.From.Plan.Held.Value, n.Name)
		return nil, false
	case shared && c.pool(n.From, family) != nil:
		f.base, f.free = ofFamily(n.From.Ranges, family), c.pool(n.From, family).Free()
	case len(own) == 0 && (n.Plan.Size.Given() || n.Plan.Size6.Given()):
		return nil, false // its own misfit has been reported
	case len(own) == 0:
		c.misfit(n.At(), n.Place(), noRange, "add  range: ...,  or  from:  with a block of space",
			"network %s has nothing that its subnets could be carved from", n.Name)
		return nil, false
	default:
		f.base, f.free = own, c.survey.FreeInNetwork(own)
	}
	return f, true
}

// fill carves everything that the network wants in one family, and gives the ranges that are gone by it.
func (f *field) fill() []netip.Prefix {
	f.standing()
	f.slots()
	for _, b := range f.aggregates {
		b.reserve(f.family, f.free)
	}
	larger := slices.Clone(f.aggregates)
	slices.SortStableFunc(larger, func(a, b *aggregate) int { return f.widest(a) - f.widest(b) })
	for _, b := range larger {
		if len(b.has(f.family)) > 0 {
			f.extend(b)
		}
	}
	f.fresh()
	var gone []netip.Prefix
	for _, b := range f.aggregates {
		gone = append(gone, b.has(f.family)...)
		if b.reserved.IsValid() {
			gone = append(gone, b.reserved)
		}
	}
	return gone
}

// widest is the length of the largest range that an aggregate still wants.
func (f *field) widest(b *aggregate) int {
	if wants := b.wanting(f.family); len(wants) > 0 {
		return wants[0].size[f.family]
	}
	return widths[f.family] + 1
}

// take gives a range to a need.
func (f *field) take(s *need, p netip.Prefix, why string) {
	s.fresh[f.family] = p
	s.why[f.family] += why
	f.free = f.free.Minus(address.SetOf(p))
}

// slots serves what has a slot: subnets, then the blocks of tiers.
func (f *field) slots() {
	for _, b := range f.aggregates {
		for _, s := range b.wanting(f.family) {
			if !s.fixed.Given() {
				continue
			}
			p := piece(f.base, s.size[f.family], s.fixed.Value)
			if f.slotIsFree(s.fixed, p, s.size[f.family], s.name()) {
				f.take(s, p, fmt.Sprintf("; slot %d", s.fixed.Value))
			} else {
				s.size[f.family] = 0
			}
		}
	}
	for _, b := range f.aggregates {
		if !b.slot.Given() || len(b.wanting(f.family)) == 0 {
			continue
		}
		length := b.length(f.family, b.spare)
		p := piece(f.base, length, b.slot.Value)
		open := f.free
		f.free = f.free.Union(address.SetOf(b.has(f.family)...))
		fits := f.slotIsFree(b.slot, p, length, b.name)
		f.free = open
		if fits {
			f.settle(b, p, fmt.Sprintf("; in %s, slot %d", p, b.slot.Value))
			continue
		}
		for _, s := range b.needs {
			s.size[f.family] = 0
		}
	}
}

// slotIsFree reports whether a slot is there and free, and says so when it is not.
func (f *field) slotIsFree(slot plan.Number, p netip.Prefix, length int, what string) bool {
	place := f.n.Place()
	switch {
	case !p.IsValid():
		f.misfit(slot.At, place, noRoom, "choose a smaller slot", "network %s has no piece number %d of /%d for %s", f.n.Name, slot.Value, length, what)
		return false
	case !f.free.ContainsRange(p):
		f.misfit(slot.At, place, noRoom, "choose another slot", "slot %d of %s is %s in network %s, and that is not free", slot.Value, what, p, f.n.Name)
		return false
	}
	return true
}

// reserve keeps the rest of the block in which an aggregate's subnets lie side by side, when they do: with room for more
// as long as nobody else has taken any of that, else just the block that they fill.
func (b *aggregate) reserve(family int, free address.Set) {
	have := b.has(family)
	b.reserved = netip.Prefix{}
	if len(have) == 0 || !b.zone && b.spare == 0 && len(b.wanting(family)) == 0 {
		return
	}
	open := free.Union(address.SetOf(have...))
	tight := address.Around(address.SetOf(have...)).Bits()
	for _, length := range []int{b.length(family, b.spare), b.length(family, 0), tight} {
		block, err := have[0].Addr().Prefix(min(length, have[0].Bits()))
		if err == nil && open.ContainsRange(block) && !slices.ContainsFunc(have, func(r netip.Prefix) bool { return !address.Covers(block, r) }) {
			b.reserved = block
			return
		}
	}
}

// others are the blocks that are kept for the other aggregates.
func (f *field) others(than *aggregate) []netip.Prefix {
	var out []netip.Prefix
	for _, b := range f.aggregates {
		if b != than && b.reserved.IsValid() && familyOf(b.reserved) == f.family {
			out = append(out, b.reserved)
		}
	}
	return out
}

// extend gives ranges to the missing needs of an aggregate that has some: beside them in their block where there is room,
// else wherever nothing is kept for others, else wherever anything is free.
func (f *field) extend(b *aggregate) {
	for _, s := range b.wanting(f.family) {
		size := s.size[f.family]
		open := f.free.Minus(address.SetOf(f.others(b)...))
		p, beside := b.besideOthers(f.family, size, open)
		if !beside {
			var found bool
			if p, found = address.NewPool(open, widths[f.family]).Take(size); !found {
				pool := address.NewPool(f.free, widths[f.family])
				if p, found = pool.Take(size); !found {
					f.misfit(s.of().At(), s.of().Place(), noRoom, "enlarge the network, add a range to it, or ask for less", "network %s has no room for %s: %s",
						f.n.Name, s.name(), missing(pool, size, f.family))
					s.size[f.family] = 0
					continue
				}
			}
		}
		why := "; beside the others of " + b.name
		if !beside {
			why = fmt.Sprintf("; apart from the others of %s, whose block is full", b.name)
		}
		f.take(s, p, why)
	}
}

// besideOthers finds the lowest free place in the smallest block that holds the aggregate's needs and has one.
func (b *aggregate) besideOthers(family, size int, open address.Set) (netip.Prefix, bool) {
	have := b.has(family)
	for length := min(size, have[0].Bits()); length >= b.length(family, b.spare); length-- {
		block, err := have[0].Addr().Prefix(length)
		if err != nil || slices.ContainsFunc(have, func(r netip.Prefix) bool { return !address.Covers(block, r) }) {
			continue
		}
		if p, found := address.NewPool(open.Clip(block), widths[family]).Take(size); found {
			return p, true
		}
	}
	return netip.Prefix{}, false
}

// settle gives the needs of an aggregate their places in its block: one after another where they are of one size, so that
// each zone has the same place in every tier, else the larger before the smaller.
func (f *field) settle(b *aggregate, block netip.Prefix, why string) {
	if b.zone || b.spare > 0 {
		b.reserved = block
	}
	wants := b.wanting(f.family)
	even := !slices.ContainsFunc(b.needs, func(s *need) bool { return s.size[f.family] != wants[0].size[f.family] }) && wants[0].tier != nil
	pool := address.NewPool(f.free.Clip(block), widths[f.family])
	for _, s := range wants {
		p, found := pool.Take(s.size[f.family])
		if q, inside := address.Piece(block, s.size[f.family], uint64(s.slot)); even && inside && !b.zone && f.free.ContainsRange(q) {
			p, found = q, true
		}
		if found {
			f.take(s, p, why)
		}
	}
	left := address.SetOf(block).Minus(address.SetOf(b.has(f.family)...)).Count()
	f.Aggregates = append(f.Aggregates, Aggregate{Network: f.n.Name, Name: b.name, Block: block, Subnets: len(b.has(f.family)), Free: left})
}

// fresh gives a block to each aggregate that has no range yet, the larger before the smaller.
func (f *field) fresh() {
	var fresh []*aggregate
	for _, b := range f.aggregates {
		if len(b.has(f.family)) == 0 && len(b.wanting(f.family)) > 0 {
			fresh = append(fresh, b)
		}
	}
	whole := f.free
	var keepers []string
	for _, b := range f.aggregates {
		if b.reserved.IsValid() && familyOf(b.reserved) == f.family {
			keepers = append(keepers, b.name)
		}
	}
	open := f.free.Minus(address.SetOf(f.others(nil)...))
	if f.n.Plan.Layout.Value == "zones" {
		fresh, open = f.zones(fresh, open)
	}
	slices.SortStableFunc(fresh, func(a, b *aggregate) int {
		return cmp.Compare(a.length(f.family, a.spare), b.length(f.family, b.spare))
	})
	pool := address.NewPool(open, widths[f.family])
	for _, b := range fresh {
		length := b.length(f.family, b.spare)
		block, found := pool.Take(length)
		if !found && !b.zone && b.spare == 0 && !b.needs[0].spareWritten() && f.apart(b, pool) {
			continue
		}
		if !found {
			_, fits := address.NewPool(whole, widths[f.family]).Take(length)
			f.full(b, pool, length, fits, keepers)
			continue
		}
		whole = whole.Minus(address.SetOf(block))
		f.settle(b, block, f.because(b, block))
	}
}

// apart gives the needs of an aggregate places of their own, where no block has room for all of them; it reports whether
// there are so many.
func (f *field) apart(b *aggregate, pool *address.Pool) bool {
	wants := b.wanting(f.family)
	try := address.NewPool(pool.Free(), widths[f.family])
	for _, s := range wants {
		if _, found := try.Take(s.size[f.family]); !found {
			return false
		}
	}
	for _, s := range wants {
		p, _ := pool.Take(s.size[f.family])
		f.take(s, p, fmt.Sprintf("; apart from the others of %s, as no free block holds all of them", b.name))
	}
	return true
}

// because says why an aggregate got its block.
func (f *field) because(b *aggregate, block netip.Prefix) string {
	if len(b.needs) == 1 && b.spare == 0 {
		return fmt.Sprintf("; the lowest free /%d", block.Bits())
	}
	return fmt.Sprintf("; %s in %s, the lowest free block with room for %d more", phrase.Count(len(b.needs), "subnet"), block, f.room(b, block))
}

// room is how many more needs of an aggregate's largest size its block has room for.
func (f *field) room(b *aggregate, block netip.Prefix) int {
	largest, used := widths[f.family], new(big.Int)
	for _, s := range b.needs {
		if size := s.size[f.family]; size > 0 {
			largest = min(largest, size)
			used.Add(used, new(big.Int).Lsh(big.NewInt(1), uint(widths[f.family]-size)))
		}
	}
	left := new(big.Int).Sub(address.Count(block), used)
	return int(left.Rsh(left, uint(widths[f.family]-largest)).Int64())
}

// zones lays zones that have nothing yet side by side in one block of equal parts, with room for another zone; the
// aggregates that are not zones are left.
func (f *field) zones(fresh []*aggregate, open address.Set) (rest []*aggregate, left address.Set) {
	settled := false
	zones, length, spare := zonesOf(fresh, f.family)
	if f.tight && !slices.ContainsFunc(zones, (*aggregate).saysSpare) {
		spare = 0
	}
	for _, b := range fresh {
		if !b.zone {
			rest = append(rest, b)
		}
	}
	for _, b := range f.aggregates {
		settled = settled || b.zone && len(b.has(f.family)) > 0
	}
	if len(zones) == 0 {
		return rest, open
	}
	if settled {
		// Zones are there already; the new ones go to the lowest free places of their size.
		return append(rest, zones...), open
	}
	total := new(big.Int).Lsh(big.NewInt(int64(len(zones)+spare)), uint(widths[f.family]-length))
	pool := address.NewPool(open, widths[f.family])
	super := address.BitsFor(total, widths[f.family])
	block, found := pool.Take(super)
	if !found {
		f.misfit(f.n.Plan.Layout.At, f.n.Place().To("layout"), noRoom, "enlarge the network, add a range to it, or ask for less",
			"network %s has no room for %s of /%d side by side and %d more: %s", f.n.Name, phrase.Count(len(zones), "zone"), length, spare, missing(pool, super, f.family))
		return rest, open
	}
	for i, b := range zones {
		part, _ := address.Piece(block, length, uint64(i))
		f.settle(b, part, fmt.Sprintf("; in %s, the part of %s that is its zone's", part, block))
	}
	return rest, open.Minus(address.SetOf(block))
}

// zonesOf are the aggregates that are zones, the length of the block of each, and for how many more there is to be room.
func zonesOf(all []*aggregate, family int) (zones []*aggregate, length, spare int) {
	length, spare = widths[family], 1
	for _, b := range all {
		if !b.zone {
			continue
		}
		zones = append(zones, b)
		length = min(length, b.length(family, 0))
		for _, s := range b.needs {
			if p := s.tier.Plan.Spare; p.Given() {
				spare = max(p.Value, 0)
			}
		}
	}
	return zones, length, spare
}

// full reports an aggregate that did not fit, and what leaving out the room for more would save.
func (f *field) full(b *aggregate, pool *address.Pool, length int, fitsWithout bool, keepers []string) {
	what := b.name
	fix := "enlarge the network, add a range to it, or ask for less"
	if len(b.needs) > 1 || b.spare > 0 {
		block := netip.PrefixFrom(f.base[0].Addr(), length)
		what = fmt.Sprintf("%s, %s of /%d and room for %d more", b.name, phrase.Count(len(b.needs), "subnet"), b.wanting(f.family)[0].size[f.family], f.room(b, block))
		if tight := b.length(f.family, 0); tight > length {
			if largest, any := pool.Largest(); any && largest <= tight {
				fix = fmt.Sprintf("write  spare: 0  at the tier to leave no room for another zone; then a /%d is enough", tight)
			}
		}
	}
	if fitsWithout && len(keepers) > 0 {
		fix = fmt.Sprintf("it would fit into the room that is kept for more zones; write  spare: 0  at %s to give that up", keepers[0])
	}
	f.misfit(b.of.At(), b.of.Place(), noRoom, fix, "network %s has no room for %s: %s", f.n.Name, what, missing(pool, length, f.family))
}
