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
	if len(names) < 2 || len(estates) == 0 {
		return names
	}
	var both [2]*estate.Estate
	copy(both[:], estates)
	known := estates[0].Derived(crowdsKey(both), func() any { return newCrowds(estates) }).(*crowds)
	left, met := make(map[string]bool, len(names)), map[int32]int{}
	for _, n := range names {
		if left[n] {
			continue
		}
		left[n] = true
		for _, i := range known.of[n] {
			met[i]++
		}
	}
	var whole []int32 // all of whom are among the names
	for i, n := range met {
		if n == len(known.all[i].members) && n > 1 {
			whole = append(whole, i)
		}
	}
	slices.Sort(whole)
	var words []string
	for _, i := range whole {
		x := &known.all[i]
		if slices.ContainsFunc(x.members, func(m string) bool { return !left[m] }) {
			continue // called by a wider word already
		}
		words = append(words, x.word)
		for _, m := range x.members {
			delete(left, m)
		}
	}
	for _, n := range names {
		if left[n] {
			words = append(words, n)
		}
	}
	return words
}

// crowdsKey are the estates, at most two, in which crowds are looked for.
type crowdsKey [2]*estate.Estate

// crowds are all that have one word for several ends, the widest first, and those that each end is of.
type crowds struct {
	all []crowd
	of  map[string][]int32
}

type crowd struct {
	word    string
	rank    int
	members []string // in no order
}

func newCrowds(estates []*estate.Estate) *crowds {
	c := &crowds{of: map[string][]int32{}}
	known, in := map[string]int{}, map[string]map[string]bool{}
	add := func(word string, rank int, who []*estate.Workload) {
		i, there := known[word]
		if !there {
			i = len(c.all)
			known[word], in[word] = i, make(map[string]bool, len(who))
			c.all = append(c.all, crowd{word: word, rank: rank})
		}
		for _, w := range who {
			if !in[word][w.Name] {
				in[word][w.Name] = true
				c.all[i].members = append(c.all[i].members, w.Name)
			}
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
	slices.SortStableFunc(c.all, func(a, b crowd) int { return cmp.Or(-cmp.Compare(len(a.members), len(b.members)), a.rank-b.rank) })
	for i, x := range c.all {
		for _, m := range x.members {
			c.of[m] = append(c.of[m], int32(i))
		}
	}
	return c
}
