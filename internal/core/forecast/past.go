package forecast

import (
	"net/netip"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// State is what an estate had on a day.
type State struct {
	At       time.Time
	Networks map[string][]netip.Prefix
}

// StateOf is what the networks of an estate have.
func StateOf(at time.Time, e *estate.Estate) State {
	s := State{at, map[string][]netip.Prefix{}}
	for _, n := range e.Networks {
		if len(n.Ranges) > 0 {
			s.Networks[n.Name] = n.Ranges
		}
	}
	return s
}

// Came are the ranges that came between states, each with the smallest block of an estate in which it lies; one that lies in none is only counted.
// A network that moved, or that has another name, did not come; one that went is not expected to go again.
func Came(states []State, e *estate.Estate) (all []Arrival, outside, went int) {
	ever := map[string][]netip.Prefix{} // what a name ever had: a revision that lacks it for a while, as one with a mistake in it, is no news
	for i := 1; i < len(states); i++ {
		for name, ranges := range states[i-1].Networks {
			ever[name] = append(ever[name], ranges...)
		}
		was, is := states[i-1], states[i]
		var before []netip.Prefix
		for _, ranges := range was.Networks {
			before = append(before, ranges...)
		}
		had, fresh := address.SetOf(before...), map[string]int{}
		for name, ranges := range is.Networks {
			for _, r := range ranges {
				if !had.Overlaps(r) && !slices.ContainsFunc(ever[name], r.Overlaps) && (was.Networks[name] == nil || fresh[name] < len(ranges)-len(was.Networks[name])) {
					fresh[name]++
					b := BlockOf(e, r)
					if b == nil {
						outside++
						continue
					}
					all = append(all, Arrival{At: is.At, Block: b.Name, Size: r.Bits(), Wide: r.Addr().Is6(), Who: name})
				}
			}
		}
		var after []netip.Prefix
		for _, ranges := range is.Networks {
			after = append(after, ranges...)
		}
		has := address.SetOf(after...)
		for name, ranges := range was.Networks {
			if is.Networks[name] == nil && !slices.ContainsFunc(ranges, has.Overlaps) {
				went++
			}
		}
	}
	slices.SortFunc(all, func(a, b Arrival) int {
		if c := a.At.Compare(b.At); c != 0 {
			return c
		}
		if a.Size != b.Size {
			return a.Size - b.Size
		}
		return strings.Compare(a.Who, b.Who)
	})
	return all, outside, went
}

// BlockOf is the smallest block that holds a range and is not held.
func BlockOf(e *estate.Estate, p netip.Prefix) *estate.Block {
	var best *estate.Block
	size := -1
	for _, b := range e.Blocks {
		for _, r := range b.Ranges {
			if !b.Held && address.Covers(r, p) && r.Bits() > size {
				best, size = b, r.Bits()
			}
		}
	}
	return best
}

// PatternSize is the length of the IPv4 range that carve would give a network of a pattern from a block, and false where it cannot be told.
func PatternSize(e *estate.Estate, pattern string, b *estate.Block) (int, bool) {
	name := "forecast"
	for e.Network(name) != nil {
		name += "-x"
	}
	fields := []text.Field{{Key: "pattern", Value: text.Word(pattern)}, {Key: "from", Value: text.Word(b.Name)}}
	region := b.Region
	if region == "" && len(e.Plan.Regions) > 0 {
		region = e.Plan.Regions[0].Name.Value
	}
	if region != "" {
		fields = append(fields, text.Field{Key: "region", Value: text.Word(region)})
	}
	after, _, err := e.With(text.Changes{{Edits: []text.Edit{text.Set(text.Path{"networks"}, name, text.Map(fields...))}}})
	if err != nil || after.Network(name) == nil {
		return 0, false
	}
	return carve.SizeOf(after, after.Network(name))
}
