package wire

import (
	"fmt"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file makes the lines hold that say through what, or as whom something leaves, and keeps what is written for them only where they do.

// turn makes lines hold that say through what: with routes by way of it in both directions, and what else is needed on that way, which must break
// nothing.
func (w *wirer) turn(lines []int) {
	for _, i := range lines {
		x := &w.After.Plan.Expect[i]
		if expect.One(w.After, x).Holds {
			continue
		}
		if why := w.turnOne(i, false); why != nil {
			if _, is := why.(apart); is && w.turnOne(i, true) == nil { // once they are joined
				continue
			}
			w.unmetSince(i, why)
		}
	}
}

// apart is that nothing joins where something is to where it is to go by way of.
type apart struct{ says string }

func (a apart) Error() string { return a.says }

// turnOne makes one line hold, or writes nothing, with what is to be told in the place of what the search for the others finds; nil for nothing. With
// joined it has the search make the line hold by any way first.
func (w *wirer) turnOne(i int, joined bool) (why error) {
	was, before, unmet, held := w.Changes, w.After, w.Unmet, w.fare(w.After)
	if joined {
		w.holdOne(i)
	}
	x := &w.After.Plan.Expect[i]
	t := &turning{e: w.After, line: x, doors: map[string]*freshTable{}, hubs: map[*estate.HubTable]*freshHub{}}
	t.search()
	if t.why == nil {
		so := w.Changes
		added := append(without(so, slices.Concat(t.edits...)), w.guarded(t)...)
		for _, edits := range t.edits {
			for k := range edits {
				edits[k] = so.Before(edits[k])
			}
			added = append(added, text.Change{Kind: "line: through", Why: fmt.Sprintf("%q, and what passes goes past %s", x.Text, t.name()), Edits: edits})
		}
		if w.take(added) && w.broken(i) {
			w.holdOne(i)
		}
	}
	now := w.fare(w.After)
	if expect.One(w.After, &w.After.Plan.Expect[i]).Holds && !worse(held, now) && len(expect.Against(before, w.After)) == 0 {
		w.spare(len(was), len(w.Changes))
		return nil
	}
	w.Changes, w.After = was, before
	if t.why != nil {
		w.Unmet = unmet
	}
	return t.why
}

// without are changes without the edits that others stand in the place of: what is written twice is written once.
func without(changes text.Changes, later []text.Edit) text.Changes {
	all := slices.Clone(changes)
	for i, c := range all {
		all[i].Edits = slices.DeleteFunc(slices.Clone(c.Edits), func(e text.Edit) bool {
			return e.Key != "" && slices.ContainsFunc(later, func(o text.Edit) bool { return o.Key == e.Key && slices.Equal(o.Path, e.Path) })
		})
	}
	return slices.DeleteFunc(all, func(c text.Change) bool { return len(c.Edits) == 0 })
}

// guarded are groups of their own for what a line says through, where it is in none: then what passes it needs is a rule of it.
func (w *wirer) guarded(t *turning) text.Changes {
	var all text.Changes
	for _, o := range expect.Passers(t.e, t.line.Through) {
		x, is := o.(*estate.Workload)
		if !is || x.Subnet == nil || len(x.Groups) > 0 {
			continue
		}
		var set estate.Object = x
		if x.Set != nil {
			set = x.Set
		}
		name := set.ID()
		if slices.ContainsFunc(all, func(c text.Change) bool { return c.Edits[0].Key == name }) || slices.ContainsFunc(x.Subnet.Network.Groups, func(g *estate.Group) bool { return g.Name == name }) {
			continue
		}
		all = append(all, text.Change{Kind: "line: " + string(reach.NoGroup), Why: fmt.Sprintf("%q, and %s is in no group", t.line.Text, name),
			Edits: []text.Edit{w.shut(x.Subnet.Network.Place().To("groups"), name), text.Set(set.Place(), "groups", text.Words(name))}})
	}
	return all
}

// name is what the line wants to be passed, in words.
func (t *turning) name() string {
	if t.line.LeavesAs != "" {
		return "the gateway that has " + t.line.LeavesAs
	}
	return t.line.Through
}

// worse reports whether something that held does not any longer.
func worse(held, now []bool) bool {
	for i := range held {
		if held[i] && !now[i] {
			return true
		}
	}
	return false
}
