package check

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

var outsideSpace = Rule{"outside-space", Space,
	"A network lies outside every block of the address space.",
	func(r *run) {
		for _, h := range r.homes() {
			known := false
			for _, b := range r.Blocks {
				for _, p := range b.Ranges {
					known = known || p.Addr().Is4() == h.Addr().Is4()
				}
			}
			if known && h.block == nil {
				r.report(diag.Warning, h.At, h.place(), "choose a range in a block, or add a block that holds it", "%s (%s) lies in no block of space", h.name(), h.Prefix)
			}
		}
	}}

// maxCarved is up to how many workloads it is tried whether carve could give everything what it has not yet.
const maxCarved = 100_000

var doesNotFit = Rule{"does-not-fit", Names,
	"A network, subnet, held part or workload that has no range or address yet, and that carve could not give one (not tried of more than 100,000 workloads).",
	func(r *run) {
		if !r.uncarved() || len(r.Workloads) > maxCarved || len(r.Problems) > 0 {
			return // of a plan with mistakes carve gives nothing away
		}
		for _, f := range carve.Estate(r.Estate).Misfits {
			severity := diag.Error
			if f.Code == carve.NoSize {
				severity = diag.Warning // which may be meant, as long as nobody carves
			}
			r.report(severity, f.At, f.Place, f.Fix(), "%s", f.Message)
		}
	}}

// uncarved reports whether anything waits for carve.
func (r *run) uncarved() bool {
	for _, n := range r.Networks {
		if len(n.Ranges) == 0 || slices.ContainsFunc(n.Subnets, func(s *estate.Subnet) bool { return len(s.Ranges) == 0 }) || slices.ContainsFunc(n.Held, func(h *estate.Held) bool { return len(h.Ranges) == 0 }) {
			return true
		}
		if slices.ContainsFunc(n.Tiers, func(t *estate.Tier) bool { return len(t.Subnets) < len(n.Places(t)) }) {
			return true
		}
	}
	return slices.ContainsFunc(r.Workloads, func(w *estate.Workload) bool { return len(w.Addrs) == 0 })
}

var otherRegion = Rule{"other-region", Space,
	"A network lies in a block that is for another region.",
	func(r *run) {
		for _, h := range r.homes() {
			if h.block == nil || h.block.Region == "" || len(h.network.Regions) == 0 {
				continue
			}
			in := func(reg *plan.Region) bool { return reg.Name.Value == h.block.Region }
			if !slices.ContainsFunc(h.network.Regions, in) {
				r.report(diag.Warning, h.At, h.place(), fmt.Sprintf("choose a range in a block of region %s", h.network.Regions[0].Name.Value),
					"%s (%s) is in region %s, and block %s is for region %s", h.name(), h.Prefix, h.network.Regions[0].Name.Value, h.block.Name, h.block.Region)
			}
		}
	}}

// home is a range that must lie in the address space: of a network, or of a subnet where networks have none.
type home struct {
	plan.Range
	of      estate.Object // the network, or its subnet
	network *estate.Network
	block   *estate.Block // the smallest block that holds it, one with a region before others; nil for none
}

// name is what has the range, for a message.
func (h home) name() string { return fmt.Sprintf("%s %s", h.of.Kind(), h.of.ID()) }

func (h home) place() text.Path { return h.of.Place().To("range") }

func (r *run) homes() []home {
	block := func(p plan.Range) *estate.Block {
		var smallest, regional *estate.Block
		longest, longestRegional := -1, -1
		for _, b := range r.Blocks {
			for _, o := range b.Ranges {
				if !address.Covers(o, p.Prefix) {
					continue
				}
				if o.Bits() > longest {
					smallest, longest = b, o.Bits()
				}
				if b.Region != "" && o.Bits() > longestRegional {
					regional, longestRegional = b, o.Bits()
				}
			}
		}
		if regional != nil {
			return regional
		}
		return smallest
	}
	var all []home
	for _, n := range r.Networks {
		for _, p := range n.Plan.Ranges {
			all = append(all, home{p, n, n, block(p)})
		}
		if len(n.Plan.Ranges) > 0 {
			continue
		}
		for _, s := range n.Subnets {
			for _, p := range s.Plan.Ranges {
				all = append(all, home{p, s, n, block(p)})
			}
		}
	}
	return all
}

var naming = Rule{"naming", Names,
	"A subnet is not named by the pattern that the plan gives.",
	func(r *run) {
		for _, n := range r.Networks {
			if n.Naming == "" {
				continue
			}
			for _, s := range n.Subnets {
				if s.Tier == nil || len(s.Ranges) == 0 {
					continue
				}
				want := n.SubnetName(n.Ranges, s.Tier.Name, n.PlaceOf(s), s.Ranges[0])
				if s.Name != want && !isNumbered(s.Name, want) {
					r.report(diag.Warning, s.At(), s.Place(), fmt.Sprintf("name it %s", want),
						"subnet %s is not named by the pattern %s", s.ID(), n.Naming)
				}
			}
		}
	}}

// isNumbered reports whether a name is another with a number behind it, as carve names the second of a kind.
func isNumbered(name, other string) bool {
	number, cut := strings.CutPrefix(name, other+"-")
	return cut && number != "" && strings.Trim(number, "0123456789") == ""
}

var slots = Rule{"slot", Names,
	"A range is not at the slot that the plan gives it.",
	func(r *run) {
		for _, n := range r.Networks {
			if n.From != nil {
				r.slot(n.Plan.Slot, n.Plan.Ranges, n.From.Plan.Ranges, n)
			}
			for _, s := range n.Subnets {
				r.slot(s.Plan.Slot, s.Plan.Ranges, n.Plan.Ranges, s)
			}
		}
	}}

// slot reports a range that is not the piece of the outer ones that a slot says.
func (r *run) slot(slot plan.Number, ranges, outer []plan.Range, of estate.Object) {
	if !slot.Given() {
		return
	}
	for _, p := range ranges {
		for _, o := range outer {
			if i, inside := address.PieceNumber(o.Prefix, p.Prefix); inside && i != uint64(slot.Value) {
				r.report(diag.Warning, p.At, of.Place(), "or give it the range of that slot",
					"%s %s (%s) is piece number %d of its size, and its slot says %d", of.Kind(), of.ID(), p.Prefix, i, slot.Value)
				r.by(text.Set(of.Place(), "slot", text.Word(fmt.Sprint(i))))
			}
		}
	}
}

var sizes = Rule{"subnet-size", Names,
	"An IPv4 subnet is of a size that the profile does not take.",
	func(r *run) {
		for _, n := range r.Networks {
			for _, s := range n.Subnets {
				for _, p := range s.Plan.Ranges {
					if p.Addr().Is4() && !n.Profile.Takes(p.Bits()) {
						r.report(diag.Error, p.At, s.Place(), fmt.Sprintf("choose a size from /%d to /%d", n.Profile.Largest, n.Profile.Smallest),
							"subnet %s (%s) is of a size that profile %s does not take", s.ID(), p.Prefix, n.Profile.Name)
					}
				}
			}
		}
	}}

var twoRanges = Rule{"two-ranges", Names,
	"A subnet has several ranges of one family, and a cloud's subnet has one of each at most.",
	func(r *run) {
		for _, n := range r.Networks {
			for _, s := range n.Subnets {
				var four, six []plan.Range
				for _, p := range s.Plan.Ranges {
					if p.Addr().Is4() {
						four = append(four, p)
					} else {
						six = append(six, p)
					}
				}
				for _, all := range [][]plan.Range{four, six} {
					if len(all) > 1 {
						r.report(diag.Error, all[1].At, s.Place(), fmt.Sprintf("make a subnet of its own of %s", all[1].Prefix), "subnet %s has %s and %s, and a cloud's subnet has one range of a family", s.ID(), all[0].Prefix, all[1].Prefix)
					}
				}
			}
		}
	}}

var zoneless = Rule{"no-zones", Wiring, "Networks whose subnets live in zones, and that have tiers and no zone.", func(r *run) {
	for _, n := range r.Networks {
		if n.Profile.SubnetsIn != profile.OneZone || len(n.Tiers) == 0 || slices.ContainsFunc(n.Regions, func(x *plan.Region) bool { return len(x.Zones) > 0 }) {
			continue
		}
		if slices.ContainsFunc(n.Tiers, func(t *estate.Tier) bool { return len(t.Plan.Zones) == 0 }) {
			r.report(diag.Warning, n.At(), n.Place(), "add  region:  to the network and zones to the region", "the subnets of network %s live in zones, and it has none, so its tiers cannot be carved", n.Name)
		}
	}
}}
