package grid

import (
	"maps"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
)

// This file tells which part of the internet, or of a site, a difference is of.

// Outside is the addresses of the internet or of a site of which something is true, and the rest of them, of which it is not.
type Outside struct{ Of, Rest address.Set }

// outside adds what passes otherwise between a class and each part of what is outside, within some addresses.
func (n *notes) outside(name string, class []string, there bool, parts [2][]reach.Part, within address.Set, but []reach.Question) {
	var all address.Set
	for _, side := range parts {
		for _, p := range side {
			all = all.Union(p.Of.Intersect(within))
		}
	}
	var found []piece
	divided(all, parts[0], func(some address.Set, was reach.Outcome) {
		divided(some, parts[1], func(some address.Set, is reach.Outcome) {
			found = append(found, piece{some, gain(was, is), gain(is, was)})
		})
	})
	from, to := []string{name}, class
	if !there {
		from, to = to, from
	}
	for _, q := range but {
		out, inside := q.From, q.To
		if !there {
			out, inside = inside, out
		}
		if word, asked, is := out.Outside(); is && word == name && len(class) == 1 && nameOf(inside) == class[0] {
			found = without(found, asked, q.Flows)
		}
	}
	var notes notes
	for _, p := range found {
		notes.note(from, to, p.opens, p.closes)
		for _, list := range [][]Difference{notes.opens, notes.closes} {
			if k := len(list) - 1; k >= 0 && list[k].Parts == nil {
				list[k].Parts = map[string]Outside{name: {p.of, all.Minus(p.of)}}
			}
		}
	}
	n.opens, n.closes = append(n.opens, sameFlows(notes.opens, name)...), append(n.closes, sameFlows(notes.closes, name)...)
}

// piece is addresses outside, and what opens and closes from or to them.
type piece struct {
	of            address.Set
	opens, closes flow.Set
}

// divided tells the pieces of some addresses into which parts divide them: nothing passes of what no part has.
func divided(some address.Set, parts []reach.Part, tell func(address.Set, reach.Outcome)) {
	for _, p := range parts {
		if both := some.Intersect(p.Of); !both.Empty() {
			tell(both, p.Outcome)
			some = some.Minus(p.Of)
		}
	}
	if !some.Empty() {
		tell(some, reach.Outcome{})
	}
}

// without leaves out some flows of some addresses.
func without(all []piece, some address.Set, flows flow.Set) []piece {
	var left []piece
	for _, p := range all {
		if both := p.of.Intersect(some); !both.Empty() {
			left = append(left, piece{both, p.opens.Minus(flows), p.closes.Minus(flows)})
		}
		if rest := p.of.Minus(some); !rest.Empty() {
			left = append(left, piece{rest, p.opens, p.closes})
		}
	}
	return left
}

// sameFlows puts the parts of one end together that have the same flows.
func sameFlows(all []Difference, name string) []Difference {
	var out []Difference
	for _, d := range all {
		i := slices.IndexFunc(out, func(o Difference) bool { return o.Flows.Equal(d.Flows) })
		if i < 0 {
			out = append(out, d)
			continue
		}
		p := out[i].Parts[name]
		out[i].Parts[name] = Outside{p.Of.Union(d.Parts[name].Of), p.Rest.Minus(d.Parts[name].Of)}
	}
	return out
}

// whole reports whether a difference is of all of the ends that are outside.
func (d *Difference) whole() bool {
	for _, p := range d.Parts {
		if !p.Rest.Empty() {
			return false
		}
	}
	return true
}

// sameParts reports whether two differences are of the same parts of what is outside, so that they can be put together.
func sameParts(a, b *Difference) bool {
	return a.whole() && b.whole() || maps.EqualFunc(a.Parts, b.Parts, func(x, y Outside) bool { return x.Of.Equal(y.Of) && x.Rest.Equal(y.Rest) })
}

// joinedParts are the parts of two differences that are put together.
func joinedParts(a, b map[string]Outside) map[string]Outside {
	if len(b) == 0 {
		return a
	}
	out := maps.Clone(b)
	for name, p := range a {
		out[name] = Outside{p.Of.Union(out[name].Of), p.Rest.Union(out[name].Rest)}
	}
	return out
}

// Ends are the names of the ends, where one is outside and only a part of it is meant with that part:
// "internet (198.51.0.0/16 but 198.51.100.0/28)".
func (d *Difference) Ends() (from, to []string) { return d.named(d.From), d.named(d.To) }

func (d *Difference) named(all []string) []string {
	if d.whole() {
		return all
	}
	all = slices.Clone(all)
	for i, name := range all {
		if p, outside := d.Parts[name]; outside && !p.Rest.Empty() {
			all[i] = name + " (" + p.String() + ")"
		}
	}
	return all
}

// Between is the difference of one of its pairs.
func (d *Difference) Between(from, to string) Difference {
	one := Difference{From: []string{from}, To: []string{to}, Flows: d.Flows}
	for _, name := range []string{from, to} {
		if p, outside := d.Parts[name]; outside {
			one.Parts = map[string]Outside{name: p}
		}
	}
	return one
}

// outside is the end of one pair that is the internet or a site, and its addresses; ok is false where both are workloads.
func (d *Difference) outside() (name string, of address.Set, ok bool) {
	for _, name := range []string{d.From[0], d.To[0]} {
		if p, is := d.Parts[name]; is {
			return name, p.Of, true
		}
	}
	return "", address.Set{}, false
}

// Minus is what is left of the difference of one pair without others of the same pair, each for the addresses that it is of.
func (d Difference) Minus(others []Difference) []Difference {
	name, of, outside := d.outside()
	left := []piece{{of: of, opens: d.Flows}}
	for _, o := range others {
		if !outside {
			left[0].opens = left[0].opens.Minus(o.Flows)
			continue
		}
		left = without(left, o.Parts[name].Of, o.Flows)
	}
	var all []Difference
	for _, p := range left {
		if p.opens.Empty() || outside && p.of.Empty() {
			continue
		}
		one := Difference{From: d.From, To: d.To, Flows: p.opens}
		if outside {
			one.Parts = map[string]Outside{name: {p.of, of.Union(d.Parts[name].Rest).Minus(p.of)}}
		}
		all = append(all, one)
	}
	return sameFlows(all, name)
}

// fewRanges is how many ranges are told one by one.
const fewRanges = 4

// String says which addresses are meant: a few ranges, a range but a few others, or all of a family but a few; where that is
// too much, the first ranges and how many more there are.
func (p Outside) String() string {
	var words []string
	for _, f := range []netip.Prefix{netip.PrefixFrom(netip.IPv4Unspecified(), 0), netip.PrefixFrom(netip.IPv6Unspecified(), 0)} {
		of, rest := p.Of.Clip(f), p.Rest.Clip(f)
		if of.Empty() {
			continue
		}
		kind := "IPv4"
		if f.Addr().Is6() {
			kind = "IPv6"
		}
		around := cover(of)
		ranges, less, inside := spare(of, rest, around), spare(rest, of, f), spare(rest.Clip(around), of, around)
		switch {
		case rest.Empty():
			words = append(words, "all "+kind)
		case len(ranges) == 1 || len(ranges) <= fewRanges && len(inside) >= len(ranges):
			words = append(words, list(ranges))
		case around.Bits() > 0 && len(inside) <= fewRanges:
			words = append(words, around.String()+" but "+list(inside))
		case len(less) <= fewRanges:
			words = append(words, "all "+kind+" but "+list(less))
		default:
			words = append(words, phrase.Few(texts(ranges), fewRanges))
		}
	}
	return strings.Join(words, ", ")
}

func list(ranges []netip.Prefix) string { return strings.Join(texts(ranges), ", ") }

func texts(ranges []netip.Prefix) []string {
	words := make([]string, len(ranges))
	for i, p := range ranges {
		if words[i] = p.String(); p.IsSingleIP() {
			words[i] = p.Addr().String()
		}
	}
	return words
}

// spare are as few ranges within one as hold all addresses of a set, and none of another; whether they hold such as are in neither
// matters not.
func spare(want, not address.Set, within netip.Prefix) []netip.Prefix {
	switch {
	case want.Empty():
		return nil
	case !not.Overlaps(within):
		return []netip.Prefix{cover(want)}
	}
	low := netip.PrefixFrom(within.Addr(), within.Bits()+1)
	high := netip.PrefixFrom(address.Last(low).Next(), low.Bits())
	return append(spare(want.Clip(low), not.Clip(low), low), spare(want.Clip(high), not.Clip(high), high)...)
}

// cover is the least range that holds all addresses of a set of one family.
func cover(s address.Set) netip.Prefix {
	ranges := s.Ranges()
	last := ranges[len(ranges)-1]
	for bits := ranges[0].Bits(); ; bits-- {
		if p := netip.PrefixFrom(ranges[0].Addr(), bits).Masked(); p.Contains(last.Addr()) && p.Bits() <= last.Bits() {
			return p
		}
	}
}
