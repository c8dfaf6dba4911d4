package check

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
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
				r.report(plan.Warning, h.At, h.place, "choose a range in a block, or add a block that holds it", "%s (%s) lies in no block of space", h.name, h.Prefix)
			}
		}
	}}

var otherRegion = Rule{"other-region", Space,
	"A network lies in a block that is for another region.",
	func(r *run) {
		for _, h := range r.homes() {
			if h.block == nil || h.block.Region == "" || len(h.network.Regions) == 0 {
				continue
			}
			in := func(reg *plan.Region) bool { return reg.Name.Value == h.block.Region }
			if !slices.ContainsFunc(h.network.Regions, in) {
				r.report(plan.Warning, h.At, h.place, fmt.Sprintf("choose a range in a block of region %s", h.network.Regions[0].Name.Value),
					"%s (%s) is in region %s, and block %s is for region %s", h.name, h.Prefix, h.network.Regions[0].Name.Value, h.block.Name, h.block.Region)
			}
		}
	}}

// home is a range that must lie in the address space: of a network, or of a subnet where networks have none.
type home struct {
	plan.Range
	name, place string
	network     *estate.Network
	block       *estate.Block // the smallest block that holds it, one with a region before others; nil for none
}

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
			all = append(all, home{p, "network " + n.Name, "networks." + n.Name + ".range", n, block(p)})
		}
		if len(n.Plan.Ranges) > 0 {
			continue
		}
		for _, s := range n.Subnets {
			for _, p := range s.Plan.Ranges {
				all = append(all, home{p, "subnet " + s.Path(), "networks." + n.Name + ".subnets." + s.Name + ".range", n, block(p)})
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
					r.report(plan.Warning, s.Plan.Name.At, "networks."+n.Name+".subnets."+s.Name, fmt.Sprintf("name it %s", want),
						"subnet %s is not named by the pattern %s", s.Path(), n.Naming)
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
			place := "networks." + n.Name
			if n.From != nil {
				r.slot(n.Plan.Slot, n.Plan.Ranges, n.From.Plan.Ranges, place, "network "+n.Name)
			}
			for _, s := range n.Subnets {
				r.slot(s.Plan.Slot, s.Plan.Ranges, n.Plan.Ranges, place+".subnets."+s.Name, "subnet "+s.Path())
			}
		}
	}}

// slot reports a range that is not the piece of the outer ones that a slot says.
func (r *run) slot(slot plan.Number, ranges, outer []plan.Range, place, what string) {
	if !slot.Given() {
		return
	}
	for _, p := range ranges {
		for _, o := range outer {
			if i, inside := address.PieceNumber(o.Prefix, p.Prefix); inside && i != uint64(slot.Value) {
				r.report(plan.Warning, p.At, place, fmt.Sprintf("write  slot: %d,  or give it the range of that slot", i),
					"%s (%s) is piece number %d of its size, and its slot says %d", what, p.Prefix, i, slot.Value)
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
						r.report(plan.Error, p.At, "networks."+n.Name+".subnets."+s.Name, fmt.Sprintf("choose a size from /%d to /%d", n.Profile.Largest, n.Profile.Smallest),
							"subnet %s (%s) is of a size that profile %s does not take", s.Path(), p.Prefix, n.Profile.Name)
					}
				}
			}
		}
	}}
