package stock

import (
	"net/netip"
	"slices"
	"strings"
)

// This file finds which acts must come before which, and takes circles of them apart.

// order finds for each act those that must come before.
func (g *graph) order() {
	frees := map[string][]int{} // by what is free once it is done
	for i := range g.acts {
		a := &g.acts[i]
		if a.Verb == Remove {
			for _, c := range claims(a.Thing, nil) {
				frees[c] = append(frees[c], i)
			}
		} else if a.Verb == Change {
			after := map[string]bool{}
			for _, c := range claims(a.Thing, nil) {
				after[c] = true
			}
			for _, c := range claims(g.was[a.Thing.Key()], a.Props) {
				if !after[c] {
					frees[c] = append(frees[c], i)
				}
			}
		}
	}
	removedIn := map[string][]int{} // subnets that go, by their network
	for _, i := range g.removes {
		if t := g.acts[i].Thing; t.Kind == Subnet {
			removedIn[t.Props.Word("network")] = append(removedIn[t.Props.Word("network")], i)
		}
	}
	links := map[string][]int{} // by the key of a site, what changes its link, which routes to it need
	for i := range g.acts {
		if a := &g.acts[i]; a.Thing.Kind == Site && a.Verb == Change {
			if _, has := a.Props["link"]; has {
				links[a.Thing.Key()] = append(links[a.Thing.Key()], i)
			}
		}
	}
	accepts := map[string][]int{} // by the key of what joins two
	for i := range g.acts {
		if a := &g.acts[i]; a.Verb == Accept {
			accepts[a.Thing.Key()] = append(accepts[a.Thing.Key()], i)
		}
	}
	for i := range g.acts {
		a := &g.acts[i]
		before := func(n int) {
			if n != i && !slices.Contains(a.After, n) {
				a.After = append(a.After, n)
			}
		}
		switch a.Verb {
		case Remove:
			g.beforeRemove(a, before)
			continue
		case Make:
			if n, found := g.removes[a.Thing.Key()]; found {
				before(n)
			}
			if a.Thing.Kind == Subnet {
				for _, n := range removedIn[a.Thing.Props.Word("network")] {
					if overlap(a.Thing, g.acts[n].Thing) {
						before(n)
					}
				}
			}
		}
		for _, ref := range slices.Concat(refsOf(a), g.alsoNeeds(a.Thing)) {
			if n, found := g.makes[ref]; found {
				before(n)
			}
		}
		if a.Thing.Kind == Route {
			for _, n := range accepts[AlsoNeeds(a.Thing)] {
				before(n)
			}
			for _, n := range links[a.Thing.Props.Word("via")] {
				before(n)
			}
		}
		for _, c := range claims(a.Thing, a.Props) {
			for _, n := range frees[c] {
				if g.acts[n].Thing.Key() != a.Thing.Key() || g.acts[n].Verb == Remove {
					before(n)
				}
			}
		}
		if a.Thing.Kind == Network && a.Verb == Change && a.Props["ranges"] != nil {
			g.orderRanges(i, before)
		}
	}
	g.orderPeered()
	g.subnetsAfterGrowth()
	for i := range g.acts {
		slices.Sort(g.acts[i].After) // so that the order is the same each time
	}
	g.breakCycles()
}

// beforeRemove has a removal wait until nothing names the thing.
func (g *graph) beforeRemove(a *Act, before func(int)) {
	key := a.Thing.Key()
	for _, user := range g.users[key] {
		if n, found := g.removes[user]; found {
			before(n)
			continue
		}
		for n := range g.acts {
			if c := &g.acts[n]; c.Verb == Change && c.Thing.Key() == user && !g.again[key] {
				for name := range c.Props {
					if _, named := without(SpecOf(c.Thing.Kind).Prop(name), g.was[user].Props[name], key); named {
						before(n)
					}
				}
			}
		}
	}
}

// orderRanges has a network lose ranges once no subnet of them is there.
func (g *graph) orderRanges(i int, before func(int)) {
	key := g.acts[i].Thing.Key()
	final := sameWords(g.acts[i].Props["ranges"].([]string), widest(g.is[key].Props.Words("ranges")))
	if !final {
		return
	}
	for _, n := range g.removes {
		if t := g.acts[n].Thing; t.Kind == Subnet && t.Props.Word("network") == key {
			before(n)
		}
	}
	for n := range i { // the act that made it wider
		if c := &g.acts[n]; c.Verb == Change && c.Thing.Key() == key && c.Props["ranges"] != nil {
			before(n)
		}
	}
}

// subnetsAfterGrowth has new subnets wait for the ranges that they are in.
func (g *graph) subnetsAfterGrowth() {
	grows := map[string]int{}
	for i := range g.acts {
		a := &g.acts[i]
		if a.Thing.Kind != Network || a.Verb != Change || a.Props["ranges"] == nil {
			continue
		}
		if _, has := grows[a.Thing.Key()]; !has {
			grows[a.Thing.Key()] = i
		}
	}
	for i := range g.acts {
		a := &g.acts[i]
		if a.Thing.Kind != Subnet || a.Verb != Make {
			continue
		}
		if n, found := grows[a.Thing.Props.Word("network")]; found && !slices.Contains(g.acts[n].After, i) {
			shrinks := slices.ContainsFunc(g.acts[n].After, func(k int) bool { return g.acts[k].Verb == Remove })
			if !shrinks || !g.waits(n, i) {
				a.After = append(a.After, n)
			}
		}
	}
}

// waits reports whether an act comes behind another.
func (g *graph) waits(n, behind int) bool {
	seen := map[int]bool{}
	var from func(int) bool
	from = func(k int) bool {
		if k == behind {
			return true
		}
		if seen[k] {
			return false
		}
		seen[k] = true
		return slices.ContainsFunc(g.acts[k].After, from)
	}
	return from(n)
}

// refsOf are the keys that the properties of an act name.
func refsOf(a *Act) []string {
	t := Thing{Kind: a.Thing.Kind, Props: Props{}}
	for name, v := range a.Props {
		if v != nil {
			t.Props[name] = v
		}
	}
	return t.Refs()
}

// claims are the places that a thing takes alone: addresses, the main table, a route's place in its table. Of a change they are those of
// the properties that it writes.
func claims(t *Thing, only map[string]any) []string {
	if t == nil {
		return nil
	}
	has := func(name string) bool { _, is := only[name]; return only == nil || is }
	var all []string
	if has("addresses") {
		at := t.Props.Word("network")
		if at == "" {
			at, _, _ = strings.Cut(NameIn(t.Props.Word("subnet")), "/")
			at = KeyOf(Network, at)
		}
		for _, a := range t.Props.Words("addresses") {
			all = append(all, "address "+at+" "+a)
		}
	}
	if has("public") {
		for _, a := range t.Props.Words("public") {
			all = append(all, "public "+a)
		}
	}
	if has("main") && t.Props.Flag("main") {
		all = append(all, "main "+t.Props.Word("network"))
	}
	return all
}

func overlap(a, b *Thing) bool {
	for _, x := range a.Props.Words("ranges") {
		for _, y := range b.Props.Words("ranges") {
			p, err := netip.ParsePrefix(x)
			q, bad := netip.ParsePrefix(y)
			if err == nil && bad == nil && p.Overlaps(q) {
				return true
			}
		}
	}
	return false
}

// breakCycles makes without their names in it things that name one another in a circle, or themselves, and has these written once all
// are there.
func (g *graph) breakCycles() {
	for _, circle := range g.circles() {
		made, gone := map[string]int{}, map[string]int{}
		for _, i := range circle {
			switch key := g.acts[i].Thing.Key(); g.acts[i].Verb {
			case Make:
				made[key] = i
			case Remove:
				gone[key] = i
			}
		}
		for _, i := range circle {
			switch g.acts[i].Verb {
			case Make:
				g.loosen(i, func(key string) bool { n, found := made[key]; return found && n >= i })
			case Remove:
				g.letGo(i, func(key string) bool { n, found := gone[key]; return found && n > i })
			case Change:
				if was := g.was[g.acts[i].Thing.Key()]; was != nil && !g.acts[i].Split {
					g.letGo(i, func(key string) bool { _, found := gone[key]; return found })
				}
			}
		}
	}
}

// loosen makes a thing without what its properties name of some others, where they can be changed later, and writes these then.
func (g *graph) loosen(i int, later func(key string) bool) {
	for _, p := range SpecOf(g.acts[i].Thing.Kind).Props {
		v := g.acts[i].Props[p.Name]
		if v == nil || p.Fixed || p.Required {
			continue
		}
		less, found := v, false
		for _, key := range refsOf(&Act{Thing: g.acts[i].Thing, Props: map[string]any{p.Name: v}}) {
			if later(key) {
				less, _ = without(&p, less, key)
				found = true
				if n := g.makes[key]; n != i {
					g.acts[i].After = slices.DeleteFunc(g.acts[i].After, func(k int) bool { return k == n })
				}
			}
		}
		if found {
			a := &g.acts[i]
			a.Props[p.Name], a.Split = less, true
			g.acts = append(g.acts, Act{Verb: Change, Thing: a.Thing, Props: map[string]any{p.Name: v}, After: g.makesOf(a.Thing, p.Name, i), Split: true})
		}
	}
}

// letGo has a thing that is to be removed or changed let go first of some others that it names, so that they need not wait for that.
func (g *graph) letGo(i int, others func(key string) bool) {
	t := g.was[g.acts[i].Thing.Key()]
	for _, p := range SpecOf(t.Kind).Props {
		if _, changed := g.acts[i].Props[p.Name]; p.Fixed || p.Required || g.acts[i].Verb == Change && !changed {
			continue
		}
		less := t.Props[p.Name]
		var let []int
		for _, key := range refsOf(&Act{Thing: t, Props: map[string]any{p.Name: less}}) {
			if others(key) {
				less, _ = without(&p, less, key)
				let = append(let, g.removes[key])
			}
		}
		if len(let) == 0 {
			continue
		}
		n := g.add(Act{Verb: Change, Thing: t, Props: map[string]any{p.Name: less}, Split: true})
		g.acts[i].After = append(g.acts[i].After, n)
		for _, k := range let {
			g.acts[k].After = append(slices.DeleteFunc(g.acts[k].After, func(x int) bool { return x == i }), n)
		}
	}
}

// circles are the sets of acts each of which waits for all others of its set (Tarjan's strongly connected components), and the acts that
// make what names itself.
func (g *graph) circles() [][]int {
	var all [][]int
	index, low := make([]int, len(g.acts)), make([]int, len(g.acts))
	on := make([]bool, len(g.acts))
	var stack []int
	next := 1
	var visit func(i int)
	visit = func(i int) {
		index[i], low[i] = next, next
		next++
		stack = append(stack, i)
		on[i] = true
		for _, n := range g.acts[i].After {
			if index[n] == 0 {
				visit(n)
				low[i] = min(low[i], low[n])
			} else if on[n] {
				low[i] = min(low[i], index[n])
			}
		}
		if low[i] != index[i] {
			return
		}
		at := slices.Index(stack, i)
		circle := slices.Sorted(slices.Values(stack[at:]))
		for _, n := range circle {
			on[n] = false
		}
		stack = stack[:at]
		if a := &g.acts[i]; len(circle) > 1 || a.Verb == Make && slices.Contains(refsOf(a), a.Thing.Key()) {
			all = append(all, circle)
		}
	}
	for i := range g.acts {
		if index[i] == 0 {
			visit(i)
		}
	}
	return all
}

// makesOf are the acts that make what a property of a thing names, and the thing itself.
func (g *graph) makesOf(t *Thing, name string, own int) []int {
	all := []int{own}
	for _, ref := range refsOf(&Act{Thing: t, Props: map[string]any{name: t.Props[name]}}) {
		if n, found := g.makes[ref]; found && !slices.Contains(all, n) {
			all = append(all, n)
		}
	}
	return all
}

// Clash reports whether two of some things would take the same place: overlapping subnets of a network, overlapping networks that are peered,
// one address twice, two main tables, two routes of a table to one range.
func Clash(all []Thing) bool {
	taken := map[string]bool{}
	subnets := map[string][]*Thing{}
	for i := range all {
		t := &all[i]
		for _, c := range append(claims(t, nil), t.Key()) {
			if taken[c] {
				return true
			}
			taken[c] = true
		}
		if t.Kind == Subnet {
			in := t.Props.Word("network")
			if slices.ContainsFunc(subnets[in], func(x *Thing) bool { return overlap(x, t) }) {
				return true
			}
			subnets[in] = append(subnets[in], t)
		}
	}
	return overlapPeered(all)
}
