package compare

import (
	"cmp"
	"slices"

	"wendrik/internal/core/estate"
)

// This file puts ends together as a person would speak of them.

// Gather is how a person would call some ends: all of a network, of a tier, of a set or of a group as that, and the others by
// their names. It looks for such in the estates that are given.
func Gather(names []string, estates ...*estate.Estate) []string {
	if len(names) < 2 {
		return names
	}
	left := map[string]bool{}
	for _, n := range names {
		left[n] = true
	}
	type crowd struct {
		word    string
		rank    int
		members map[string]bool
		order   int
	}
	var all []*crowd
	known := map[string]*crowd{}
	add := func(word string, rank int, who []*estate.Workload) {
		x := known[word]
		if x == nil {
			x = &crowd{word: word, rank: rank, members: map[string]bool{}, order: len(all)}
			known[word] = x
			all = append(all, x)
		}
		for _, w := range who {
			x.members[w.Name] = true
		}
	}
	for _, e := range estates {
		for _, n := range e.Networks {
			add("network "+n.Name, 0, n.Workloads())
			for _, t := range n.Tiers {
				var who []*estate.Workload
				for _, s := range t.Subnets {
					who = append(who, s.Workloads...)
				}
				add("tier "+t.ID(), 1, who)
			}
			for _, g := range n.Groups {
				add("group "+g.ID(), 3, g.Members)
			}
		}
		for _, s := range e.Sets {
			add("all of "+s.Name, 2, s.Members)
		}
	}
	slices.SortStableFunc(all, func(a, b *crowd) int { return cmp.Or(-cmp.Compare(len(a.members), len(b.members)), a.rank-b.rank) })
	var words []string
	for _, x := range all {
		if len(x.members) < 2 || len(x.members) > len(left) {
			continue
		}
		whole := true
		for m := range x.members {
			if !left[m] {
				whole = false
				break
			}
		}
		if whole {
			words = append(words, x.word)
			for m := range x.members {
				delete(left, m)
			}
		}
	}
	for _, n := range names {
		if left[n] {
			words = append(words, n)
		}
	}
	return words
}
