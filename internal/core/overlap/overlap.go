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
	"wendrik/internal/core/text"
)

// Verdict says whether an overlap matters.
type Verdict string

// The verdicts on an overlap.
const (
	Conflict Verdict = "conflict" // the two meet, so one of them is broken
	Latent   Verdict = "latent"   // they do not meet today, and could never be joined
	Harmless Verdict = "harmless" // it is meant to be so
)

// rank orders verdicts, the worst first.
func (v Verdict) rank() int {
	switch v {
	case Conflict:
		return 0
	case Latent:
		return 1
	}
	return 2
}

// A Pair is two things whose ranges overlap.
type Pair struct {
	A, B    Thing
	Shared  netip.Prefix
	Verdict Verdict
	Why     string   // a sentence without its full stop
	Chain   []string // by what a conflict's two meet, from one end to the other: network a, peering p, network b
	Move    *Move    // for a conflict: where one of them could go; nil when nothing is known
}

// Thing is something of the estate that has a range.
type Thing struct {
	Kind  string // network, subnet, block, held, site, pods or services
	Name  string // such as booking, booking/web-a
	Range netip.Prefix
	At    text.Pos
	Owner string // the network of a network, subnet or held part

	of      estate.Object
	network *estate.Network // that it is, lies in, or has as its nodes
	part    bool            // whether it is a part of its network: a subnet or held part
	block   *estate.Block
	site    *estate.Site
	cluster *estate.Cluster
}

// String is the kind and the name.
func (t Thing) String() string {
	if t.cluster != nil {
		return fmt.Sprintf("the %s of cluster %s", t.Kind, t.Name)
	}
	if t.Kind == "held" {
		return "held part " + t.Name
	}
	return t.Kind + " " + t.Name
}

// Fixed reports whether its ranges are not ours to change; those of a part are its network's.
func (t Thing) Fixed() bool {
	switch {
	case t.site != nil:
		return t.site.Plan.Fixed.Value
	case t.cluster != nil:
		return t.cluster.Plan.Fixed.Value
	case t.network != nil && !t.part:
		return t.network.Plan.Fixed.Value
	}
	return false
}

// Place is where it stands in the plan.
func (t Thing) Place() text.Path { return t.of.Place() }

// Found is what overlaps in an estate.
type Found struct {
	Pairs []Pair          // conflicts first, then latent pairs, then harmless ones, each in the order of the ranges
	Left  map[Verdict]int // how many more pairs there are of a verdict
	// Unjudged is how many pairs share addresses beyond the first maxJudged, with such among them as are of no interest.
	Unjudged uint64
}

// maxJudged is how many pairs are looked at: thousands of things in one range are more pairs than anybody wants to know.
const maxJudged = 20_000_000

// MaxPairs is how many pairs of each verdict are told; more are counted.
const MaxPairs = 10_000

// Estate finds all pairs of networks, their subnets and held parts, held blocks, sites and clusters whose ranges
// overlap, and blocks that are the same space, but for those that belong together: a subnet and its own network. Where
// two networks with ranges of their own overlap, what follows for a subnet of one and the whole of the other is not
// repeated; what their subnets share is. Memory follows the number of ranges and of the pairs that are told.
func Estate(e *estate.Estate) *Found {
	things := listOf(e)
	ranges := make([]netip.Prefix, len(things))
	for i := range things {
		ranges[i] = things[i].Range
	}
	j := newJudge(e)
	found := &Found{Left: map[Verdict]int{}}
	var told [3]int // by rank
	judged := uint64(0)
	total := address.Pairs(ranges, func(outer, inner int) bool {
		judged++
		more := judged < maxJudged
		a, b := &things[outer], &things[inner]
		if belong(a, b) || belong(b, a) {
			return more
		}
		if a.At.Known() && b.At.Known() && a.At > b.At {
			a, b = b, a
		}
		first, second := inOrder(a, b)
		verdict, because := j.judge(first, second)
		if told[verdict.rank()]++; told[verdict.rank()] > MaxPairs {
			return more
		}
		p := Pair{A: *a, B: *b, Shared: address.Shared(a.Range, b.Range), Verdict: verdict}
		p.Why, p.Chain = j.words(because, first, second)
		if verdict == Conflict {
			p.Move = j.move(p.A, p.B)
		}
		found.Pairs = append(found.Pairs, p)
		return more
	})
	found.Unjudged = total - judged
	for _, v := range []Verdict{Conflict, Latent, Harmless} {
		if left := told[v.rank()] - MaxPairs; left > 0 {
			found.Left[v] = left
		}
	}
	slices.SortStableFunc(found.Pairs, func(p, q Pair) int {
		return cmp.Or(p.Verdict.rank()-q.Verdict.rank(), address.Compare(p.Shared, q.Shared))
	})
	return found
}

// listOf is everything that has a range, in the order of the plan.
func listOf(e *estate.Estate) []Thing {
	var all []Thing
	add := func(ranges []plan.Range, t Thing) {
		for _, r := range ranges {
			t.Range, t.At = r.Prefix, r.At
			all = append(all, t)
		}
	}
	for _, b := range e.Blocks {
		add(b.Plan.Ranges, Thing{Kind: "block", Name: b.Name, block: b, of: b})
	}
	for _, n := range e.Networks {
		add(n.Plan.Ranges, Thing{Kind: "network", Name: n.Name, Owner: n.Name, network: n, of: n})
		for _, h := range n.Held {
			add(h.Plan.Ranges, Thing{Kind: "held", Name: h.ID(), Owner: n.Name, network: n, part: true, of: h})
		}
		for _, s := range n.Subnets {
			add(s.Plan.Ranges, Thing{Kind: "subnet", Name: s.ID(), Owner: n.Name, network: n, part: true, of: s})
		}
	}
	for _, s := range e.Sites {
		add(s.Plan.Ranges, Thing{Kind: "site", Name: s.Name, site: s, of: s})
	}
	for _, c := range e.Clusters {
		add(c.Plan.Pods, Thing{Kind: "pods", Name: c.Name, cluster: c, network: c.Network, of: c})
		add(c.Plan.Services, Thing{Kind: "services", Name: c.Name, cluster: c, network: c.Network, of: c})
	}
	return all
}

// represented reports whether what a part shares with whole networks, sites and clusters is what its network shares.
func (t *Thing) represented() bool { return t.part && len(t.network.Plan.Ranges) > 0 }

// belong reports whether the overlap of a with b is of no interest: a is a part of b, or says nothing that another pair
// does not say.
func belong(a, b *Thing) bool {
	switch {
	case a.block != nil && !a.block.Held:
		// A block is there to hold things; only the same space twice is of interest.
		return b.block == nil || b.block.Held || a.Range != b.Range || a.block.Within == b.block || b.block.Within == a.block || a.block == b.block
	case a.part && b.isNetwork() && a.network == b.network:
		return true // a part in its own network
	case a.represented() && !b.part && b.block == nil:
		return true // what its network shares with another network, a site or a cluster
	case a.represented() && b.block != nil:
		// Inside its network's range a held block is the business of the subnets; around it, of the network.
		return !inOwnRange(a.network, b.Range)
	case a.isNetwork() && b.isNetwork() && a.network == b.network:
		return a.Range == b.Range && a.At == b.At
	}
	return false
}

func (t *Thing) isNetwork() bool { return t.Kind == "network" }

// inOwnRange reports whether p is a part of a range of the network, and not all of it.
func inOwnRange(n *estate.Network, p netip.Prefix) bool {
	return slices.ContainsFunc(n.Plan.Ranges, func(r plan.Range) bool { return address.Covers(r.Prefix, p) && r.Prefix != p })
}

// owner names what meets others: a network, a site, or a cluster.
func (t *Thing) owner() string {
	if t.network != nil && t.cluster == nil {
		return "network " + t.network.Name
	}
	return t.String()
}
