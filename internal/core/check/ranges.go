package check

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

var specialRanges = Rule{"special-range", Ranges,
	"A range that a registry sets aside for something else, such as documentation, loopback, link-local or multicast, is used.",
	func(r *run) {
		for _, u := range outermost(r.uses(), func(u use) bool { return aside(u.Prefix) != "" }) {
			r.report(diag.Warning, u.At, u.place(), "choose a range of RFC 1918, RFC 6598 or RFC 4193", "%s uses %s, and %s", u.name(), u.Prefix, aside(u.Prefix))
		}
	}}

var publicRanges = Rule{"public-range", Ranges,
	"Public IPv4 space is used as private, so that its true owner is out of reach.",
	func(r *run) {
		for _, u := range outermost(r.uses(), func(u use) bool { return u.of.Kind() != estate.SiteKind && isPublic4(u.Prefix) }) {
			r.report(diag.Warning, u.At, u.place(), "choose a range of RFC 1918 or RFC 6598; or keep it, if it is your own",
				"%s uses %s, which is public space: whoever has it is out of reach (RFC 1918 section 3)", u.name(), u.Prefix)
		}
	}}

// use is a range of the plan and what it is for.
type use struct {
	plan.Range
	of  estate.Object
	key string // of the object, where it is not the object itself that has the range
}

// name is what uses the range, for a message.
func (u use) name() string {
	if u.key != "" {
		return fmt.Sprintf("%s %s (%s)", u.of.Kind(), u.of.ID(), u.key)
	}
	return fmt.Sprintf("%s %s", u.of.Kind(), u.of.ID())
}

func (u use) place() text.Path {
	if u.key != "" {
		return u.of.Place().To(u.key)
	}
	return u.of.Place()
}

// uses are all ranges of the plan.
func (r *run) uses() []use {
	var all []use
	add := func(ranges []plan.Range, of estate.Object, key string) {
		for _, p := range ranges {
			all = append(all, use{p, of, key})
		}
	}
	for _, b := range r.Blocks {
		add(b.Plan.Ranges, b, "")
	}
	for _, n := range r.Networks {
		add(n.Plan.Ranges, n, "")
		for _, s := range n.Subnets {
			add(s.Plan.Ranges, s, "")
		}
		for _, h := range n.Held {
			add(h.Plan.Ranges, h, "")
		}
	}
	for _, s := range r.Sites {
		add(s.Plan.Ranges, s, "")
	}
	for _, c := range r.Clusters {
		add(c.Plan.Pods, c, "pods")
		add(c.Plan.Services, c, "services")
	}
	return all
}

// outermost picks the uses that are bad, without those that lie in another bad one: one finding fixes them all.
func outermost(all []use, bad func(use) bool) []use {
	picked := all[:0:0]
	for _, u := range all {
		if bad(u) {
			picked = append(picked, u)
		}
	}
	ranges := make([]netip.Prefix, len(picked))
	for i, u := range picked {
		ranges[i] = u.Prefix
	}
	inner := make([]bool, len(picked))
	address.Pairs(ranges, func(_, i int) bool { inner[i] = true; return true })
	var out []use
	for i, u := range picked {
		if !inner[i] {
			out = append(out, u)
		}
	}
	return out
}

// meant are the special ranges that networks are made of.
var meant = []string{"private use", "shared address space", "unique-local"}

// aside says for what a range is set aside, with the RFC; empty when it is not, or is meant for networks.
func aside(p netip.Prefix) string {
	s, found := address.SpecialOf(p)
	switch {
	case found && slices.Contains(meant, s.Name), found && s.Global:
		return ""
	case found:
		return fmt.Sprintf("that is set aside for %s (%s)", s.Name, s.Source)
	}
	for _, s := range address.Specials() {
		if p.Overlaps(s.Range) && !s.Global && !slices.Contains(meant, s.Name) {
			return fmt.Sprintf("%s in it is set aside for %s (%s)", s.Range, s.Name, s.Source)
		}
	}
	return ""
}

// isPublic4 reports whether an IPv4 range is public space, or reaches into it.
func isPublic4(p netip.Prefix) bool {
	if !p.Addr().Is4() || aside(p) != "" {
		return false
	}
	return address.Public().Overlaps(p)
}
