package space

import (
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/text"
)

// Taken is a range that nobody else may have: by whom, why, and where that is written.
type Taken struct {
	Range netip.Prefix
	By    estate.Object // who in the estate has it; nil for what the plan does not know of
	Owner string        // who has it outside the plan, as far as a list says
	Why   string        // "in use", or what it is held for
	At    text.Pos      // in the plan or in the list
}

// inUse is why most ranges are taken.
const inUse = "in use"

// Listed is what a list says is taken; file is what positions in it are of.
func Listed(l *ranges.List, file *text.File) []Taken {
	all := make([]Taken, 0, len(l.Entries))
	for _, x := range l.Entries {
		labels := x.Labels()
		owner := labels.Owner
		if owner == "" {
			owner = labels.Name
		}
		for _, p := range address.Between(x.First, x.Last).Ranges() {
			all = append(all, Taken{Range: p, Owner: owner, Why: inUse, At: file.At(x.Line, 1)})
		}
	}
	return all
}

// takenIn is what the parts of an estate take: first held blocks, sites, clusters, subnets and held parts, of which no
// part is free for anything, then the networks' own ranges, in which subnets are carved.
func takenIn(e *estate.Estate) (leaves, networks []Taken) {
	add := func(to *[]Taken, by estate.Object, why string, all ...netip.Prefix) {
		for _, p := range all {
			*to = append(*to, Taken{Range: p, By: by, Why: why, At: by.At()})
		}
	}
	for _, b := range e.Blocks {
		if b.Held {
			add(&leaves, b, heldFor(b.Plan.Held.Value), b.Ranges...)
		}
	}
	for _, x := range e.Sites {
		add(&leaves, x, inUse, x.Ranges...)
	}
	for _, x := range e.Clusters {
		add(&leaves, x, inUse, x.Pods...)
		add(&leaves, x, inUse, x.Services...)
	}
	for _, n := range e.Networks {
		for _, x := range n.Subnets {
			add(&leaves, x, inUse, x.Ranges...)
		}
		for _, h := range n.Held {
			add(&leaves, h, heldFor(h.Plan.For.Value), h.Ranges...)
		}
		for _, r := range n.Plan.Ranges {
			add(&networks, n, inUse, r.Prefix)
		}
	}
	return leaves, networks
}

func heldFor(what string) string {
	if what == "" {
		return "held"
	}
	return "held for " + what
}

func rangesOf(all []Taken) []netip.Prefix {
	out := make([]netip.Prefix, len(all))
	for i, t := range all {
		out[i] = t.Range
	}
	return out
}
