package wire

import (
	"fmt"
	"slices"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file writes into a pattern, once, what every network that takes it gets alike.

// own is the key that may differ between the networks of a pattern: it stays with the networks.
const own = "address"

// intoPatterns has new gateways, tables, groups and lists that all networks of a pattern get alike stand in the pattern, where the plan comes to the
// same by that.
func (w *wirer) intoPatterns() {
	if w.Uneditable != nil || len(w.Changes) == 0 {
		return
	}
	for _, p := range w.e.Plan.Patterns {
		var takers []*estate.Network
		for _, n := range w.e.Networks {
			if slices.ContainsFunc(n.Plan.Patterns, func(x *plan.Pattern) bool { return x.Name.Value == p.Name.Value }) {
				takers = append(takers, n)
			}
		}
		if len(takers) < 2 {
			continue
		}
		for _, kind := range []string{"gateways", "tables", "groups", "lists"} {
			all, _ := w.After.Plan.Files.Value(takers[0].Place().To(kind))
			for _, f := range all.Fields() {
				if shared, ok := w.alike(takers, kind, f.Key); ok {
					w.intoPattern(p.Name.Value, takers, kind, f.Key, shared)
				}
			}
		}
	}
}

// alike is what some networks all get as a new thing of a name, but for the key that may differ.
func (w *wirer) alike(takers []*estate.Network, kind, name string) (shared text.Value, ok bool) {
	for i, n := range takers {
		v, found := w.After.Plan.Files.Value(n.Place().To(kind, name))
		if _, stood := w.e.Plan.Files.Value(n.Place().To(kind, name)); !found || stood {
			return shared, false
		}
		var fields []text.Field
		for _, f := range v.Fields() {
			if f.Key != own {
				fields = append(fields, f)
			}
		}
		if v = text.Map(fields...); i == 0 {
			shared = v
		} else if v.String() != shared.String() {
			return shared, false
		}
	}
	return shared, len(shared.Fields()) > 0 // else it stands in a wider pattern already
}

// intoPattern has a thing stand in a pattern, in the place of the one that each of its networks gets.
func (w *wirer) intoPattern(pattern string, takers []*estate.Network, kind, name string, shared text.Value) {
	edits := []text.Edit{text.Set(text.Path{"patterns", pattern, kind}, name, shared)}
	for _, n := range takers {
		if v, found := w.After.Plan.Files.Value(n.Place().To(kind, name, own)); found {
			if all := v.Items(); len(all) == 1 {
				v = all[0]
			}
			edits = append(edits, text.Set(n.Place().To(kind, name), own, v))
		}
	}
	gone := func(e text.Edit) bool {
		at := e.Path
		if e.Key != "" {
			at = at.To(e.Key)
		}
		return slices.ContainsFunc(takers, func(n *estate.Network) bool {
			place := n.Place().To(kind, name)
			return len(at) >= len(place) && slices.Equal(at[:len(place)], place)
		})
	}
	var changes text.Changes
	for _, c := range w.Changes {
		left := slices.DeleteFunc(slices.Clone(c.Edits), gone)
		if len(left) < len(c.Edits) && edits != nil {
			changes = append(changes, text.Change{Edits: edits, Kind: c.Kind, Why: fmt.Sprintf("%s, and so it is in every network of pattern %s", c.Why, pattern)})
			edits = nil
		}
		if c.Edits = left; len(left) > 0 {
			changes = append(changes, c)
		}
	}
	was, before := w.After, w.Changes
	if w.take(changes) && len(compare.Changes(was, w.After)) > 0 {
		w.After, w.Changes = was, before
	}
}
