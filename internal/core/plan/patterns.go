package plan

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
)

// This file reads patterns: a network takes the shape of one, and what it says itself stands in the place of what that says.

// findPatterns finds the patterns of a text, wherever in it they stand.
func (d *decoder) findPatterns(root text.Node) {
	if root.Kind() != text.MapKind {
		return
	}
	for k, value := range root.Entries() {
		if k.Kind() != text.ScalarKind || k.Value() != "patterns" {
			continue
		}
		d.within("patterns", func() {
			d.entries(value, "a mapping from names", func(key Text, node text.Node) {
				d.checkName(key)
				d.plan.Patterns = append(d.plan.Patterns, &Pattern{Name: key, Last: lastOf(node, key.At), node: node})
			})
		})
	}
}

// lastOf is the place of the last thing inside a node.
func lastOf(n text.Node, last text.Pos) text.Pos {
	last = max(last, n.At())
	switch n.Kind() {
	case text.MapKind:
		for k, v := range n.Entries() {
			last = lastOf(v, max(last, k.At()))
		}
	case text.ListKind:
		for v := range n.Elements() {
			last = lastOf(v, last)
		}
	}
	return last
}

func (d *decoder) patternNamed(name string) *Pattern {
	for _, p := range d.plan.Patterns {
		if p.Name.Value == name {
			return p
		}
	}
	return nil
}

// takes is the pattern that a network, or another pattern, names; the zero Text for none.
func takes(n text.Node) Text {
	if n.Kind() == text.AliasKind {
		n = n.Target()
	}
	if n.Kind() != text.MapKind {
		return Text{}
	}
	for k, v := range n.Entries() {
		if k.Kind() == text.ScalarKind && k.Value() == "pattern" && v.Kind() == text.ScalarKind && !v.IsNull() {
			return Text{v.Value(), v.At()}
		}
	}
	return Text{}
}

// shape reads the pattern of a network, and those that it stands on, before the network itself is read.
func (d *decoder) shape(own text.Node, n *Network) {
	for t := takes(own); t.Given(); {
		p := d.patternNamed(t.Value)
		if p == nil {
			var known []string
			for _, p := range d.plan.Patterns {
				known = append(known, p.Name.Value)
			}
			d.within("pattern", func() {
				d.report(t.At, unknownPattern, fmt.Sprintf("there is no pattern named %q", t.Value), diag.Instead(t.Value, "pattern", known))
			})
			break
		}
		for _, had := range n.Patterns {
			if had == p {
				d.report(t.At, patternLoop, fmt.Sprintf("pattern %s takes its shape from itself", p.Name.Value), "take the pattern out of one of them")
				return
			}
		}
		n.Patterns = append([]*Pattern{p}, n.Patterns...)
		t = takes(p.node)
	}
	path, filling := d.path, d.filling
	for _, p := range n.Patterns {
		d.path, d.filling = text.Path{"patterns", p.Name.Value}, n.Name.Value
		readMapOver(d, p.node, networkFields, n, p.Name.At, true)
	}
	d.path, d.filling = path, filling
}

// endPatterns takes over what patterns expect, and reads those that nobody takes, so that their mistakes are found, too.
func (d *decoder) endPatterns() {
	used := map[*Pattern]bool{}
	for _, n := range d.plan.Networks {
		for _, p := range n.Patterns {
			used[p] = true
		}
		d.plan.Expect = append(d.plan.Expect, n.Expect...)
	}
	for _, p := range d.plan.Patterns {
		if !used[p] {
			d.path, d.filling = text.Path{"patterns", p.Name.Value}, p.Name.Value
			d.shape(p.node, &Network{Name: Text{p.Name.Value, p.Name.At}})
			readMapOver(d, p.node, networkFields, &Network{Name: p.Name}, p.Name.At, true)
			d.path, d.filling = nil, ""
		}
	}
}
