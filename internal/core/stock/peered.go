package stock

import (
	"maps"
	"slices"
)

// This file has networks that are peered never have overlapping ranges while these move: no cloud takes that.

// peered are the peerings that are there before or behind, in order, each with its two networks.
func (g *graph) peered() (all []string, sides map[string][]string) {
	sides = map[string][]string{}
	for _, side := range []map[string]*Thing{g.was, g.is} {
		for key, t := range side {
			if t.Kind == Peering && len(t.Props.Words("networks")) == 2 {
				sides[key] = t.Props.Words("networks")
			}
		}
	}
	return slices.Sorted(maps.Keys(sides)), sides
}

// takes reports whether a network takes what another had before.
func (g *graph) takes(a, b string) bool {
	return g.is[a] != nil && g.was[b] != nil && overlap(g.is[a], g.was[b])
}

// part has a peering be made again whose networks each wait for the other, or for others that wait for them, to give up a range: while it
// stands none of them can begin.
func (g *graph) part() {
	all, sides := g.peered()
	waits := map[string][]string{}
	stays := func(key string) bool { return g.was[key] != nil && g.is[key] != nil && !g.again[key] }
	for _, key := range all {
		if s := sides[key]; stays(key) {
			for i, a := range s {
				if b := s[1-i]; g.takes(a, b) {
					waits[a] = append(waits[a], b)
				}
			}
		}
	}
	var reaches func(from, to string, seen map[string]bool) bool
	reaches = func(from, to string, seen map[string]bool) bool {
		return slices.ContainsFunc(waits[from], func(n string) bool {
			if n == to || seen[n] {
				return n == to
			}
			seen[n] = true
			return reaches(n, to, seen)
		})
	}
	for _, key := range all {
		s := sides[key]
		if stays(key) && (g.takes(s[0], s[1]) && reaches(s[1], s[0], map[string]bool{}) || g.takes(s[1], s[0]) && reaches(s[0], s[1], map[string]bool{})) {
			g.replace(key)
		}
	}
}

// orderPeered has a network take a range only once what it is peered with has it no longer, or the peering is gone; and a peering be made only
// once neither of its networks has what the other is to have.
func (g *graph) orderPeered() {
	grows, shrinks := map[string]int{}, map[string]int{} // by network, the acts by which it has its new ranges, and has its old ones no longer
	maps.Copy(grows, g.makes)
	maps.Copy(shrinks, g.removes)
	for i := range g.acts {
		a := &g.acts[i]
		if a.Thing.Kind != Network || a.Verb != Change || a.Props["ranges"] == nil {
			continue
		}
		key := a.Thing.Key()
		if _, again := grows[key]; !again {
			grows[key] = i
		}
		shrinks[key] = i
	}
	wait := func(i, n int) {
		if i != n && !slices.Contains(g.acts[i].After, n) {
			g.acts[i].After = append(g.acts[i].After, n)
		}
	}
	all, sides := g.peered()
	for _, key := range all {
		removed, goes := g.removes[key]
		made, comes := g.makes[key]
		for i, a := range sides[key] {
			b := sides[key][1-i]
			grow, grown := grows[a]
			shrink, shrunk := shrinks[b]
			switch {
			case !grown:
			case goes && (g.takes(a, b) || g.is[a] != nil && g.is[b] != nil && overlap(g.is[a], g.is[b])):
				wait(grow, removed)
			case !goes && g.was[key] != nil && shrunk && g.takes(a, b):
				wait(grow, shrink)
			}
			if comes && shrunk && (g.takes(a, b) || g.was[a] != nil && g.was[b] != nil && overlap(g.was[a], g.was[b])) {
				wait(made, shrink) // neither has any longer what the other has or is to have
			}
		}
	}
}

// overlapPeered reports whether two networks that are peered have overlapping ranges.
func overlapPeered(all []Thing) bool {
	networks := byKey(all)
	return slices.ContainsFunc(all, func(t Thing) bool {
		s := t.Props.Words("networks")
		return t.Kind == Peering && len(s) == 2 && networks[s[0]] != nil && networks[s[1]] != nil && overlap(networks[s[0]], networks[s[1]])
	})
}
