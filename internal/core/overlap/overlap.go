// Package overlap finds the ranges of an estate that overlap, and says of each pair whether it matters.
package overlap

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// Verdict says whether an overlap matters.
type Verdict string

// The verdicts on an overlap.
const (
	Conflict Verdict = "conflict" // the two meet, so one of them is broken
	Latent   Verdict = "latent"   // they do not meet today, and could never be joined
	Harmless Verdict = "harmless" // it is meant to be so
)

// A Pair is two things whose ranges overlap.
type Pair struct {
	A, B    Thing
	Shared  netip.Prefix
	Verdict Verdict
	Why     string // a sentence without its full stop
}

// Thing is something of the estate that has a range.
type Thing struct {
	Kind  string // network, subnet, block or site
	Name  string // such as booking, booking/web-a
	Range netip.Prefix
	At    plan.Pos
	Owner string // the network of a network or subnet

	network *estate.Network // of a network or a subnet
	subnet  *estate.Subnet
	block   *estate.Block
	site    *estate.Site
}

// Estate finds all pairs of networks, subnets, held blocks and sites whose ranges overlap, but for those that belong
// together: a subnet and its own network. Where two networks with ranges of their own overlap, what follows for a
// subnet of one and the whole of the other is not repeated; what their subnets share is. Conflicts come first, then
// latent pairs, then harmless ones, each in the order of the ranges.
func Estate(e *estate.Estate) []Pair {
	things := list(e)
	ranges := make([]netip.Prefix, len(things))
	for i := range things {
		ranges[i] = things[i].Range
	}
	meetings := newMeetings(e)
	var pairs []Pair
	address.Pairs(ranges, func(outer, inner int) bool {
		a, b := things[outer], things[inner]
		if belong(a, b) || belong(b, a) {
			return true
		}
		if a.At.Known() && b.At.Known() && cmp.Or(cmp.Compare(a.At.Line, b.At.Line), cmp.Compare(a.At.Column, b.At.Column)) > 0 {
			a, b = b, a
		}
		p := Pair{A: a, B: b, Shared: address.Shared(a.Range, b.Range)}
		p.Verdict, p.Why = judge(a, b, meetings)
		pairs = append(pairs, p)
		return true
	})
	rank := map[Verdict]int{Conflict: 0, Latent: 1, Harmless: 2}
	slices.SortStableFunc(pairs, func(p, q Pair) int {
		return cmp.Or(rank[p.Verdict]-rank[q.Verdict], address.Compare(p.Shared, q.Shared))
	})
	return pairs
}

// list is everything that has a range, in the order of the plan.
func list(e *estate.Estate) []Thing {
	var all []Thing
	for _, b := range e.Blocks {
		if !b.Held {
			continue
		}
		for _, r := range b.Plan.Ranges {
			all = append(all, Thing{Kind: "block", Name: b.Name, Range: r.Prefix, At: r.At, block: b})
		}
	}
	for _, n := range e.Networks {
		for _, r := range n.Plan.Ranges {
			all = append(all, Thing{Kind: "network", Name: n.Name, Range: r.Prefix, At: r.At, Owner: n.Name, network: n})
		}
		for _, s := range n.Subnets {
			for _, r := range s.Plan.Ranges {
				all = append(all, Thing{Kind: "subnet", Name: s.Path(), Range: r.Prefix, At: r.At, Owner: n.Name, network: n, subnet: s})
			}
		}
	}
	for _, s := range e.Sites {
		for _, r := range s.Plan.Ranges {
			all = append(all, Thing{Kind: "site", Name: s.Name, Range: r.Prefix, At: r.At, site: s})
		}
	}
	return all
}

// represented reports whether the subnet's overlaps with whole networks and sites are those of its network.
func (t Thing) represented() bool { return t.subnet != nil && len(t.network.Plan.Ranges) > 0 }

// belong reports whether the overlap of a with b is of no interest: a is a part of b, or says nothing that another pair
// does not say.
func belong(a, b Thing) bool {
	switch {
	case a.subnet != nil && b.subnet == nil && a.network == b.network:
		return true // a subnet in its own network
	case a.represented() && b.subnet == nil && b.block == nil:
		return true // what its network shares with another network or a site
	case a.represented() && b.block != nil:
		// Inside its network's range a held block is the business of the subnets; around it, of the network.
		return !inOwnRange(a.network, b.Range)
	case a.network != nil && a.network == b.network && a.subnet == nil && b.subnet == nil:
		return a.Range == b.Range && a.At == b.At
	}
	return false
}

// inOwnRange reports whether p is a part of a range of the network, and not all of it.
func inOwnRange(n *estate.Network, p netip.Prefix) bool {
	return slices.ContainsFunc(n.Plan.Ranges, func(r plan.Range) bool { return address.Covers(r.Prefix, p) && r.Prefix != p })
}

// judge says whether the overlap of a and b matters.
func judge(a, b Thing, m *meetings) (Verdict, string) {
	if b.block != nil && a.block == nil {
		a, b = b, a
	}
	if a.block != nil {
		return judgeHeld(a.block, a.Range, b)
	}
	if a.network != nil && a.network == b.network {
		if a.subnet == nil || b.subnet == nil || a.subnet == b.subnet {
			return Conflict, fmt.Sprintf("both are ranges of %s", a.owner())
		}
		return Conflict, fmt.Sprintf("both are in network %s", a.network.Name)
	}
	if a.site != nil && a.site == b.site {
		return Harmless, "both are ranges of one site"
	}
	if how := m.between(a, b); how != "" {
		return Conflict, how
	}
	return Latent, fmt.Sprintf("nothing joins %s and %s today, and nothing ever could", a.owner(), b.owner())
}

// String is the kind and the name.
func (t Thing) String() string { return t.Kind + " " + t.Name }

// owner names what meets others: a network or a site.
func (t Thing) owner() string {
	if t.network != nil {
		return "network " + t.network.Name
	}
	return t.String()
}

// judgeHeld judges an overlap with a block that is held.
func judgeHeld(b *estate.Block, held netip.Prefix, other Thing) (Verdict, string) {
	why := fmt.Sprintf("block %s is held (%s)", b.Name, b.Plan.Held.Value)
	switch {
	case other.block != nil && (other.block.Within == b || b.Within == other.block):
		return Harmless, "one held block lies within the other"
	case other.block != nil:
		return Latent, "both are held, for two things that could never be joined"
	case other.site != nil && address.Covers(held, other.Range):
		return Harmless, fmt.Sprintf("%s, and site %s lies in it", why, other.site.Name)
	case other.network != nil && other.network.From == b:
		return Harmless, fmt.Sprintf("%s, and network %s is carved from it", why, other.network.Name)
	case other.subnet == nil && other.network != nil && inOwnRange(other.network, held):
		return Harmless, fmt.Sprintf("%s inside network %s, and carve leaves it free", why, other.network.Name)
	case other.subnet != nil && inOwnRange(other.network, held):
		return Conflict, fmt.Sprintf("%s inside network %s, and the subnet takes its addresses", why, other.network.Name)
	}
	return Latent, fmt.Sprintf("%s, and what it is held for could never be joined to %s", why, other.owner())
}
