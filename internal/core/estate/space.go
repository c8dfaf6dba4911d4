package estate

import (
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

// This part of the builder binds regions and the blocks of address space.

func (b *builder) regions() {
	b.e.regions = map[string]*plan.Region{}
	for _, r := range b.e.Plan.Regions {
		b.e.regions[r.Name.Value] = r
		seen := map[string]bool{}
		for _, z := range r.Zones {
			if seen[z.Value] {
				b.report(z.At, spot{key: "regions." + r.Name.Value}, duplicateZone, "keep one of the two", "zone %s stands twice", z.Value)
			}
			seen[z.Value] = true
		}
	}
}

func (b *builder) space() {
	for _, p := range b.e.Plan.Space {
		block := &Block{Plan: p, Name: p.Name.Value, Ranges: prefixes(p.Ranges), Held: p.Held.Given(), Region: p.Region.Value}
		if p.Region.Given() {
			b.region(p.Region, spot{block, "region"})
		}
		b.e.Blocks = append(b.e.Blocks, block)
		b.e.scope.bind(block.Name, block)
	}
	for _, block := range b.e.Blocks {
		if !block.Plan.Within.Given() {
			continue
		}
		block.Within = b.block(block.Plan.Within, spot{block, "within"})
		if block.Within == nil {
			continue
		}
		for _, r := range block.Plan.Ranges {
			if !inside(block.Within.Ranges, r.Prefix) {
				b.report(r.At, spot{block, "block"}, blockOutside, "choose a range in it, or another block for within",
					"%s does not lie in block %s (%s)", r.Prefix, block.Within.Name, phrase.List(block.Within.Ranges))
			}
		}
	}
	const walked, settled = 1, 2
	states := map[*Block]int{}
	for _, block := range b.e.Blocks {
		var path []*Block
		for x := block; x != nil && states[x] != settled; x = x.Within {
			if states[x] == walked {
				b.report(x.Plan.Within.At, spot{x, "within"}, blockLoop, "let one of them stand at the top", "block %s lies within itself", x.Name)
				x.Within = nil
				break
			}
			states[x] = walked
			path = append(path, x)
		}
		for _, x := range path {
			states[x] = settled
		}
	}
}
