package stock

import (
	"maps"
	"net/netip"
	"slices"
	"strings"
)

// Verb is what is done to a thing.
type Verb string

// What is done to things. Accept accepts what joins two for one of its sides.
const (
	Make   Verb = "make"
	Change Verb = "change"
	Remove Verb = "remove"
	Accept Verb = "accept"
)

// Act is one call that changes something at a cloud.
type Act struct {
	Verb   Verb
	Thing  *Thing         // as it is to be; of what is removed, as it was
	Props  map[string]any // of a change: what is written anew, nil for what goes; of what is made, its properties
	Labels bool           // of a change: whether the labels are to be written, too
	Side   string         // of accept: the key of the side
	After  []int          // the numbers of acts that must be done before
	Split  bool           // whether another act of the same thing does the rest
}

// Acts are the calls that lead from one stock to another, each behind those that must come before: what is named is made before what
// names it and removed behind it, and an address, a range or a place is free before another takes it. What cannot be changed in place is
// removed and made again, with all that hangs on it.
func Acts(was, is []Thing) []Act {
	g := &graph{was: byKey(was), is: byKey(is), users: map[string][]string{}, makes: map[string]int{}, removes: map[string]int{}, again: map[string]bool{}}
	for i := range was {
		for _, ref := range slices.Concat(was[i].Refs(), g.alsoNeeds(&was[i])) {
			g.users[ref] = append(g.users[ref], was[i].Key())
		}
	}
	var differ []Difference
	for _, d := range Between(was, is) {
		if d.Fixed() {
			g.replace(d.Key())
		}
		differ = append(differ, d)
	}
	g.part()
	through := maps.Clone(g.again) // what is made again because of another need not differ by itself
	for _, d := range differ {
		g.one(d)
		delete(through, d.Key())
	}
	for _, key := range slices.Sorted(maps.Keys(through)) {
		g.one(Difference{Was: g.was[key], Is: g.is[key]})
	}
	g.release()
	g.order()
	return g.acts
}

// alsoNeeds are the keys of what a thing needs and does not name, of those that are there before or behind.
func (g *graph) alsoNeeds(t *Thing) []string {
	key := AlsoNeeds(t)
	if key != "" && (g.was[key] != nil || g.is[key] != nil) {
		return []string{key}
	}
	return nil
}

// AlsoNeeds is the key of what a thing needs and does not name: a route of a network that leads to a hub, or of a hub to what is
// attached to it, needs what ties the two. It is empty for none.
func AlsoNeeds(t *Thing) string {
	if t.Kind != Route {
		return ""
	}
	kind, table := SplitKey(t.Props.Word("table"))
	at, _, _ := strings.Cut(table, "/")
	switch to, via := SplitKey(t.Props.Word("via")); {
	case kind == Table && to == Hub:
		return KeyOf(Attachment, via+"/"+at)
	case kind == HubTable && (to == Network || to == Site):
		return KeyOf(Attachment, at+"/"+via)
	}
	return ""
}

func byKey(all []Thing) map[string]*Thing {
	out := make(map[string]*Thing, len(all))
	for i := range all {
		out[all[i].Key()] = &all[i]
	}
	return out
}

type graph struct {
	was, is        map[string]*Thing
	users          map[string][]string // who names a thing, as it was
	acts           []Act
	makes, removes map[string]int  // by key, the number of the act
	again          map[string]bool // what is removed and made again
}

// replace has a thing be made again, and with it all that cannot be without it meanwhile.
func (g *graph) replace(key string) {
	if g.again[key] {
		return
	}
	g.again[key] = true
	for _, user := range g.users[key] {
		u := g.was[user]
		if g.is[user] == nil { // which goes anyway
			continue
		}
		for _, p := range SpecOf(u.Kind).Props {
			names := false
			p.Named(u.Props[p.Name], func(k string) (string, bool) { names = names || k == key; return k, true })
			if names && (p.Fixed || p.Required) {
				g.replace(user)
			}
		}
	}
}

func (g *graph) add(a Act) int {
	g.acts = append(g.acts, a)
	return len(g.acts) - 1
}

// one adds the acts that one difference comes to, without those that it needs of others.
func (g *graph) one(d Difference) {
	key := d.Key()
	if d.Was != nil && (d.Is == nil || g.again[key]) {
		g.removes[key] = g.add(Act{Verb: Remove, Thing: d.Was})
	}
	if d.Is == nil {
		return
	}
	if d.Was == nil || g.again[key] {
		g.making(d.Is)
		return
	}
	a := Act{Verb: Change, Thing: d.Is, Props: map[string]any{}, Labels: d.Labels}
	var accepts []string
	for _, name := range d.Props {
		switch {
		case name == "accepted":
			was, is := d.Was.Props.Words(name), d.Is.Props.Words(name)
			for _, side := range is {
				if !slices.Contains(was, side) {
					accepts = append(accepts, side)
				}
			}
			if kept := intersection(was, is); len(kept) < len(was) {
				a.Props[name] = kept
			}
		case name == "ranges" && d.Is.Kind == Network:
			g.ranges(d)
		default:
			a.Props[name] = d.Is.Props[name]
		}
	}
	var first []int
	if len(a.Props) > 0 || a.Labels {
		first = []int{g.add(a)}
	}
	for _, side := range accepts {
		g.add(Act{Verb: Accept, Thing: d.Is, Side: side, After: slices.Clone(first)})
	}
}

func intersection(a, b []string) []string {
	var out []string
	for _, x := range a {
		if slices.Contains(b, x) {
			out = append(out, x)
		}
	}
	return out
}

// ranges changes those of a network: first it has both the old and the new ones, so that its subnets can come and go between.
func (g *graph) ranges(d Difference) {
	was, is := d.Was.Props.Words("ranges"), widest(d.Is.Props.Words("ranges")) // a plan between two may have some inside of others
	both := widest(slices.Concat(is, was))
	grows, shrinks := !sameWords(both, was), !sameWords(both, is)
	if grows {
		g.add(Act{Verb: Change, Thing: d.Is, Props: map[string]any{"ranges": both}, Split: shrinks})
	}
	if shrinks {
		g.add(Act{Verb: Change, Thing: d.Is, Props: map[string]any{"ranges": is}, Split: grows})
	}
}

func sameWords(a, b []string) bool {
	return slices.Equal(sorted(a, strings.Compare), sorted(b, strings.Compare))
}

// widest are ranges without those that are inside others.
func widest(all []string) []string {
	var out []string
	for i, x := range all {
		p, err := netip.ParsePrefix(x)
		inside := slices.ContainsFunc(all, func(y string) bool {
			q, bad := netip.ParsePrefix(y)
			return bad == nil && q.Bits() < p.Bits() && q.Contains(p.Addr())
		})
		if err != nil || !inside && !slices.Contains(all[:i], x) {
			out = append(out, x)
		}
	}
	return out
}

// making makes a thing, and accepts what is to be accepted of it: who asks does so for the first side with that.
func (g *graph) making(t *Thing) {
	props := map[string]any{}
	maps.Copy(props, t.Props)
	accepted := t.Props.Words("accepted")
	if len(accepted) > 0 {
		props["accepted"] = accepted[:1]
	}
	n := g.add(Act{Verb: Make, Thing: t, Props: props})
	g.makes[t.Key()] = n
	for _, side := range accepted[min(1, len(accepted)):] {
		g.add(Act{Verb: Accept, Thing: t, Side: side, After: []int{n}})
	}
}

// release has what stays let go of what is made again, before that is removed.
func (g *graph) release() {
	users := map[string]bool{}
	for key := range g.again {
		for _, user := range g.users[key] {
			users[user] = g.is[user] != nil && !g.again[user]
		}
	}
	for _, user := range slices.Sorted(maps.Keys(users)) {
		if !users[user] {
			continue
		}
		u := g.is[user]
		for _, p := range SpecOf(u.Kind).Props {
			less := g.was[user].Props[p.Name]
			var let []int
			for _, key := range refsOf(&Act{Thing: u, Props: map[string]any{p.Name: less}}) {
				if g.again[key] {
					less, _ = without(&p, less, key)
					let = append(let, g.removes[key])
				}
			}
			if len(let) == 0 {
				continue
			}
			n := g.add(Act{Verb: Change, Thing: u, Props: map[string]any{p.Name: less}, Split: true})
			ports := p.Name == "targets" && len(Props{p.Name: less}.Words(p.Name)) == 0 && g.was[user].Props["target-ports"] != nil
			if ports { // who hands on to nobody has no ports for it
				g.acts[n].Props["target-ports"] = nil
			}
			for _, r := range let {
				g.acts[r].After = append(g.acts[r].After, n)
			}
			back := slices.IndexFunc(g.acts[:n], func(a Act) bool {
				_, has := a.Props[p.Name]
				return has && a.Verb == Change && a.Thing.Key() == user && !a.Split
			})
			if back < 0 {
				back = g.add(Act{Verb: Change, Thing: u, Props: map[string]any{p.Name: u.Props[p.Name]}, Split: true})
			}
			g.acts[back].After = append(g.acts[back].After, n)
			if ports {
				g.acts[back].Props["target-ports"] = u.Props["target-ports"]
			}
		}
	}
}

// without is the value of a property without what names a thing, and whether anything did.
func without(p *Prop, v any, key string) (less any, named bool) {
	is := func(k string) bool { return k == key }
	switch v := v.(type) {
	case string:
		if len(p.Of) > 0 && v == key {
			return nil, true
		}
	case []string:
		if len(p.Of) > 0 && slices.ContainsFunc(v, is) {
			return slices.DeleteFunc(slices.Clone(v), is), true
		}
	case map[string]string:
		out := maps.Clone(v)
		maps.DeleteFunc(out, func(k, s string) bool { return k == key || s == key })
		return out, len(out) < len(v)
	case []Rule:
		out := slices.DeleteFunc(slices.Clone(v), func(r Rule) bool { return r.Group == key })
		return out, len(out) < len(v)
	}
	return v, false
}
