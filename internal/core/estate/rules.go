package estate

import (
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/plan"
)

// This part of the builder binds groups, the groups that rules name, and the ends of expectations.

// groupNames binds the names of groups, which routes may name.
func (b *builder) groupNames() {
	for _, n := range b.e.Networks {
		for _, p := range n.Plan.Groups {
			g := &Group{Plan: p, Name: p.Name.Value, Network: n}
			n.Groups = append(n.Groups, g)
			n.scope.bind(g.Name, g)
		}
	}
}

func (b *builder) rules() {
	b.eachNetwork(func(b *builder, n *Network) {
		for _, g := range n.Groups {
			g.In = b.bindRules(n, g.Plan.In, spot{g, "in"})
			g.Out = b.bindRules(n, g.Plan.Out, spot{g, "out"})
		}
		for _, l := range n.Lists {
			l.In = b.bindRules(n, l.Plan.In, spot{l, "in"})
			l.Out = b.bindRules(n, l.Plan.Out, spot{l, "out"})
		}
		for _, w := range n.crowd {
			b.groups(w)
		}
	})
}

// groups puts a workload into its groups.
func (b *builder) groups(w *Workload) {
	n := w.Network()
	for _, t := range w.Plan.Groups {
		t.Value = within(n, t.Value)
		g := lookup[*Group](b, n, n.scope, GroupKind, t, spot{w, "groups"})
		if g == nil || slices.Contains(w.Groups, g) {
			continue
		}
		if w.Groups == nil {
			w.Groups = b.groupRoom(len(w.Plan.Groups))
		}
		w.Groups = append(w.Groups, g)
		g.Members = append(g.Members, w)
	}
}

func (b *builder) bindRules(n *Network, rules []plan.Rule, in spot) []Rule {
	out := make([]Rule, 0, len(rules))
	for i := range rules {
		r := Rule{Rule: &rules[i], Nth: i + 1}
		switch name := rules[i].Peer.Group; {
		case rules[i].Peer.Name != "":
			if name := rules[i].Peer.Name; len(b.e.Named(name)) == 0 && find[*Group](n.scope, GroupKind, name) != nil {
				b.report(r.At, in, unknownName, "write  group "+name, "%q is a group, and the rule %q takes it for a range", name, r.Text)
				continue
			}
			out = append(out, b.byName(r, in)...)
			continue
		case name != "":
			owner := n
			if network, group, found := strings.Cut(name, "/"); found {
				if owner = b.network(plan.Text{Value: network, At: r.At}, in); owner == nil {
					continue
				}
				name = group
			}
			if r.Group = lookup[*Group](b, owner, owner.scope, GroupKind, plan.Text{Value: name, At: r.At}, in); r.Group == nil {
				continue
			}
		}
		out = append(out, r)
	}
	return out
}

// byName are the rules that one stands for whose far end is a name: one for each range of what has it.
func (b *builder) byName(r Rule, in spot) []Rule {
	var all []Rule
	for _, p := range b.rangesOf(plan.Text{Value: r.Peer.Name, At: r.At}, in) {
		one := *r.Rule
		one.Peer.Range = p
		one.Text += " (" + p.String() + ")"
		all = append(all, Rule{Rule: &one, Nth: r.Nth})
	}
	return all
}

// expectations checks that each end is a thing of the estate.
func (b *builder) expectations() {
	for _, x := range b.e.Plan.Expect {
		for _, end := range append([]string{x.From, x.To}, x.Except...) {
			if !b.e.IsEnd(end) {
				b.unknown(plan.Text{Value: end, At: x.At}, spot{key: "expect"}, "workload, site, network, tier or subnet",
					func() []string { return append(b.e.scope.names(WorkloadKind, SiteKind, NetworkKind), "internet") })
			}
		}
	}
}

// IsEnd reports whether a word names something that can be an end of a question.
func (e *Estate) IsEnd(word string) bool {
	if _, err := netip.ParseAddr(word); err == nil || word == plan.Internet {
		return true
	}
	if _, err := address.ParseRange(word); err == nil {
		return true
	}
	return slices.ContainsFunc(e.Named(word), func(o Object) bool { return slices.Contains(EndKinds, o.Kind()) })
}

// EndKinds are the kinds of objects that can be an end of a question.
var EndKinds = []Kind{WorkloadKind, SetKind, SiteKind, NetworkKind, TierKind, SubnetKind}
