package check

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

var emptyGroups = Rule{"empty-group", Guards, "A rule that names a group without members, and so matches nothing.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, x := range slices.Concat(g.In, g.Out) {
				if x.Group != nil && len(x.Group.Members) == 0 {
					r.report(diag.Warning, x.At, g.Place(), fmt.Sprintf("put workloads into group %s", x.Group.Name),
						"the rule  %s  matches nothing, because group %s has no members", x.Text, x.Group.Name)
					if out, can := ruleOut(g, n, x); can {
						r.choice(remove, out)
					}
				}
			}
		}
	}
}}

var shadowed = Rule{"shadowed-rule", Guards, "A rule of a list that nothing gets to, because one before it decides.", func(r *run) {
	for _, n := range r.Networks {
		for _, l := range n.Lists {
			for _, rules := range [][]estate.Rule{l.In, l.Out} {
				before := decided(rules)
				for i, x := range rules {
					if j := before[i]; j >= 0 && firstOfLine(rules, i) && allOfLine(rules, i, func(k int) bool { return before[k] >= 0 }) {
						r.report(diag.Warning, x.At, l.Place(), "take it out, or move it up",
							"nothing gets to the rule  %s,  because line %d has decided already:  %s", x.Text, rules[j].At.Line(), rules[j].Text)
						if out, can := ruleOut(l, n, x); can {
							r.findings[len(r.findings)-1].Fixes[0] = diag.Fix{Edits: []text.Edit{out}, Advice: "or move it up"}
						}
					}
				}
			}
		}
	}
}}

// firstOfLine reports whether a rule is the first that its line of the plan stands for: there is one for each range of its peer.
func firstOfLine(rules []estate.Rule, i int) bool { return i == 0 || rules[i-1].At != rules[i].At }

// allOfLine reports whether something is true of all rules that the line of a first one stands for.
func allOfLine(rules []estate.Rule, i int, is func(int) bool) bool {
	for k := i; k < len(rules) && rules[k].At == rules[i].At; k++ {
		if !is(k) {
			return false
		}
	}
	return true
}

var noReplyRoom = Rule{"no-reply-room", Guards, "A rule of a list that lets flows pass, whose replies the other direction of the list keeps from passing.", func(r *run) {
	for _, n := range r.Networks {
		replies := flow.Ports(n.Profile.ReplyPorts[0], n.Profile.ReplyPorts[1])
		for _, l := range n.Lists {
			if !slices.ContainsFunc(n.Subnets, func(s *estate.Subnet) bool { return s.List == l }) {
				continue
			}
			for i, rules := range [][]estate.Rule{l.In, l.Out} {
				other, way, back, word := l.Out, "in", "out", "to"
				if i == 1 {
					other, way, back, word = l.In, "out", "in", "from"
				}
				told, before := map[string]bool{}, decided(rules)
				for nth, x := range rules {
					ports := x.Flows.Minus(flow.WithoutPorts())
					if before[nth] >= 0 {
						continue // nothing gets to it
					}
					if !x.Allow || ports.Empty() || repliesThemselves(ports, replies) || told[x.Text] {
						continue
					}
					wanted := replies.Intersect(ports.WholeProtocols())
					passes, denied := letsBack(other, x, wanted)
					missing := wanted.Minus(passes)
					if missing.Empty() || x.Flows.Covers(flow.Any()) && !passes.Empty() {
						continue // who lets everything pass one way has not each of it in mind
					}
					told[x.Text] = true
					peer := x.Peer.String()
					r.report(diag.Warning, x.At, l.Place().To(back), "", "the rule  %s  of list %s lets flows %s, and no rule lets their replies (%s) %s %s %s", x.Text, l.ID(), way, missing, back, word, peer)
					allow := text.Word(fmt.Sprintf("allow %s %s %s", missing.Rule(), word, peer))
					if denied < 0 {
						r.by(text.Add(l.Place().To(back), allow))
						continue
					}
					nth := 0 // of the line that denies them, which may be meant
					for k := range other[:denied+1] {
						if firstOfLine(other, k) {
							nth++
						}
					}
					r.findings[len(r.findings)-1].Fixes = diag.Advise(fmt.Sprintf("put  allow %s %s %s  before the rule  %s,  or take out the rule that lets the flows %s", missing.Rule(), word, peer, other[denied].Text, way))
					r.choice("before", text.Insert(l.Place().To(back), nth, allow))
				}
			}
		}
	}
}}

// repliesThemselves reports whether a rule's flows look like replies: runs of many ports, all of them ports that replies
// come back to.
func repliesThemselves(ports, replies flow.Set) bool {
	const many = 4096
	return replies.Covers(ports) && !slices.ContainsFunc(ports.Spans(), func(x flow.Span) bool { return x.Last-x.First < many })
}

// letsBack is what of some flows the rules of a list may let pass to or from the far end of a rule, or a part of it; and the number of
// the first rule that denies some of the others, or -1 where only the end of the list does.
func letsBack(rules []estate.Rule, x estate.Rule, wanted flow.Set) (passes flow.Set, denied int) {
	undecided := wanted
	denied = -1
	for i, y := range rules {
		ranges := x.Peer.Range.IsValid() && y.Peer.Range.IsValid()
		all := y.Peer.Any || x.Group != nil && x.Group == y.Group || ranges && address.Covers(y.Peer.Range, x.Peer.Range)
		some := all || !ranges || address.Covers(x.Peer.Range, y.Peer.Range) // whom a group holds is not looked at
		concerned := !y.Flows.Intersect(undecided).Empty()
		if y.Allow && some {
			passes = passes.Union(y.Flows.Intersect(undecided))
		}
		if !y.Allow && all && concerned && denied < 0 {
			denied = i
		}
		if all {
			undecided = undecided.Minus(y.Flows)
		}
	}
	return passes, denied
}

var wideOpen = Rule{"wide-open", Guards, "A rule of a group that lets everything in from everywhere.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, x := range g.In {
				if everywhere(x) && x.Flows.Covers(flow.Any()) {
					r.report(diag.Warning, x.At, g.Place().To("in"), "name the flows that its members serve, and who asks for them", "group %s lets everything in from everywhere:  %s", g.ID(), x.Text)
					r.narrows(g, n, x, "")
				}
			}
		}
	}
}}

var letsAllOut = Rule{"lets-all-out", Guards, "A rule of a group that lets everything out to everywhere, where the plan says `out: closed`.", func(r *run) {
	if r.Plan.Out.Value != "closed" {
		return
	}
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, x := range g.Out {
				if !everywhere(x) || !x.Flows.Covers(flow.Any()) {
					continue
				}
				r.report(diag.Warning, x.At, g.Place().To("out"), "name what its members are to reach (wire writes what lines of expect ask for)", "group %s lets everything out to everywhere, and the plan says  out: closed", g.ID())
				if edit, can := ruleOut(g, n, x); can {
					r.choice(remove, edit)
				}
			}
		}
	}
}}

// meant are the flows that lines of expect want from the internet to members of a group.
func (r *run) meant(g *estate.Group) flow.Set {
	var all flow.Set
	for _, x := range r.Plan.Expect {
		if x.From != plan.Internet || x.Never || x.LeavesAs != "" {
			continue
		}
		to, err := reach.FindEnds(r.Estate, x.To)
		if err != nil {
			continue
		}
		if to.One != nil && slices.Contains(g.Members, to.One.Workload) || slices.ContainsFunc(to.Many, func(w *estate.Workload) bool { return slices.Contains(g.Members, w) }) {
			all = all.Union(x.Flows)
		}
	}
	return all
}

// ruleOut takes a rule out of a group or a list; not one that stands for several, or that a pattern gives.
func ruleOut(o estate.Object, n *estate.Network, x estate.Rule) (text.Edit, bool) {
	place, rules := ruleList(o, x)
	one := 0
	for _, y := range rules {
		if y.Nth == x.Nth {
			one++
		}
	}
	return text.RemoveNth(place, x.Nth), one == 1 && !n.FromPattern(o)
}

// ruleList is the list of rules that one stands in, and where.
func ruleList(o estate.Object, x estate.Rule) (text.Path, []estate.Rule) {
	var in, out []estate.Rule
	switch o := o.(type) {
	case *estate.Group:
		in, out = o.In, o.Out
	case *estate.List:
		in, out = o.In, o.Out
	}
	if slices.ContainsFunc(in, func(y estate.Rule) bool { return y.At == x.At }) {
		return o.Place().To("in"), in
	}
	return o.Place().To("out"), out
}

// narrows gives the finding that was reported last the fix that a rule is for a range or a group alone.
func (r *run) narrows(g *estate.Group, n *estate.Network, x estate.Rule, advice string) {
	if n.FromPattern(g) {
		if advice != "" {
			r.findings[len(r.findings)-1].Fixes = diag.Advise(advice)
		}
		return
	}
	place := g.Place().To("in")
	r.takes("FROM", advice, func(word string) ([]text.Edit, error) {
		from := word
		if _, err := netip.ParsePrefix(word); err != nil && word != "any" {
			from = "group " + word
		}
		return []text.Edit{text.Add(place, text.Word(x.Flows.Rule()+" from "+from)), text.RemoveNth(place, x.Nth)}, nil // their order is nothing to a group
	})
}

// everywhere reports whether a rule is for every address of a family.
func everywhere(x estate.Rule) bool {
	return x.Peer.Any || x.Peer.Range.IsValid() && x.Peer.Range.Bits() == 0
}

// nearlyEverywhere reports whether a rule is for a large part of the internet: half of it, or a quarter, as well.
func nearlyEverywhere(x estate.Rule) bool {
	p := x.Peer.Range
	switch {
	case everywhere(x):
		return true
	case !p.IsValid() || address.Covers(privateIPv6, p):
		return false
	case p.Addr().Is4():
		return p.Bits() < 8
	}
	return p.Bits() < 16
}

var privateIPv6 = netip.MustParsePrefix("fc00::/7") // RFC 4193

// howMuch names what a rule that is for nearly everywhere is for.
func howMuch(x estate.Rule) string {
	if everywhere(x) {
		return "the whole internet"
	}
	return "a large part of the internet (" + x.Peer.Range.String() + ")"
}

// exposed reports whether the internet gets to a workload, as far as routes decide.
func exposed(w *estate.Workload) bool {
	if w.Subnet == nil || !leadsOut(w.Subnet.Table, true) {
		return false
	}
	return len(w.Public) > 0 || slices.ContainsFunc(w.Addrs, func(a netip.Addr) bool { return a.Is6() && !a.IsPrivate() })
}

var needless = Rule{"needless-rule", Guards, "A rule of a group that a wider one of the same group, or the same one before it, makes needless.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, rules := range [][]estate.Rule{g.In, g.Out} {
				all := newCoverers()
				for i, x := range rules {
					all.add(i, x)
				}
				for i := 0; i < len(rules); {
					x, last := rules[i], i+1
					for last < len(rules) && rules[last].Nth == x.Nth {
						last++
					}
					var by []string // for each range that the rule stands for, the rule that lets it in
					for _, part := range rules[i:last] {
						j := -1
						for k := range all.of(part) {
							y := rules[k]
							if (j < 0 || k < j) && y.Nth != part.Nth && covers(y, part) && (y.Nth < part.Nth || !covers(part, y)) {
								j = k
							}
						}
						if j < 0 {
							break
						}
						if !slices.Contains(by, rules[j].Text) {
							by = append(by, rules[j].Text)
						}
						i++
					}
					if i == last {
						r.report(diag.Warning, x.At, g.Place(), "take it out", "the rule  %s  of group %s is needless beside  %s", x.Text, g.ID(), strings.Join(by, ",  "))
						if out, can := ruleOut(g, n, x); can {
							r.findings[len(r.findings)-1].Fixes = diag.By(out)
						}
					}
					i = last
				}
			}
		}
	}
}}

// covers reports whether one rule matches all that another does.
func covers(a, b estate.Rule) bool {
	switch {
	case !a.Flows.Covers(b.Flows):
		return false
	case a.Peer.Any:
		return true
	case a.Peer.Group != "" || b.Peer.Group != "":
		return a.Group != nil && a.Group == b.Group
	case b.Peer.Any:
		return false // a range is of one family
	}
	return a.Peer.Range.Bits() <= b.Peer.Range.Bits() && a.Peer.Range.Contains(b.Peer.Range.Addr())
}

var foreignGroup = Rule{"group-not-joined", Guards, "A rule that names a group of a network to which no peering stands, and so matches nothing that could come.", func(r *run) {
	joined := map[[2]*estate.Network]bool{}
	for _, p := range r.Peerings {
		if p.Stands() {
			joined[p.Between], joined[[2]*estate.Network{p.Between[1], p.Between[0]}] = true, true
		}
	}
	for _, n := range r.Networks {
		look := func(o estate.Object, rules []estate.Rule) {
			for _, x := range rules {
				if x.Group == nil || x.Group.Network == n || joined[[2]*estate.Network{n, x.Group.Network}] || len(x.Group.Members) == 0 || joinedOtherwise(n, x.Group.Network) {
					continue
				}
				r.report(diag.Warning, x.At, o.Place(), "join the networks, or take the rule out", "the rule  %s  names group %s, and no peering joins network %s to network %s", x.Text, x.Group.ID(), n.Name, x.Group.Network.Name)
				if out, can := ruleOut(o, n, x); can {
					r.choice(remove, out)
				}
			}
		}
		for _, g := range n.Groups {
			look(g, slices.Concat(g.In, g.Out))
		}
		for _, l := range n.Lists {
			look(l, slices.Concat(l.In, l.Out))
		}
	}
}}

// joinedOtherwise reports whether both networks are attached to hubs, by which packets may get from one to the other.
func joinedOtherwise(a, b *estate.Network) bool {
	return len(a.Attachments) > 0 && len(b.Attachments) > 0
}

// byHand are the ports on which people log in, which listens seldom says.
var byHand = flow.Ports(22, 23).Intersect(tcp).Union(flow.Ports(3389, 3389).Intersect(tcp)).Union(flow.Ports(5900, 5900).Intersect(tcp)).Union(flow.Ports(5985, 5986).Intersect(tcp))

var tcp, _ = flow.Parse("tcp")

var unheard = Rule{"nobody-listens", Guards, "A rule of a group that lets flows in on which none of its members listens.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			var heard flow.Set
			all := len(g.Members) > 0
			for _, w := range g.Members {
				all = all && !w.Listens.Empty() && w.Forwards == estate.NotForwarding
				heard = heard.Union(w.Listens)
			}
			for i, x := range g.In {
				ports := x.Flows.Minus(flow.WithoutPorts())
				ports = ports.Minus(byHand)
				if !all || ports.Empty() || !x.Flows.Minus(byHand).Equal(ports) || !ports.Intersect(heard).Empty() || !firstOfLine(g.In, i) {
					continue
				}
				r.report(diag.Warning, x.At, g.Place().To("in"), "say in  listens  who listens there, or take it out", "the rule  %s  of group %s lets in on what none of its members listens on", x.Text, g.ID())
				if out, can := ruleOut(g, n, x); can {
					r.choice(remove, out)
				}
			}
		}
	}
}}

var nobodyThere = Rule{"nobody-there", Guards, "A rule of a group for one address of a network of the plan that nobody has.", func(r *run) {
	type ruled struct {
		addr netip.Addr
		g    *estate.Group
		rule estate.Rule
		told bool
	}
	var all []ruled
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, x := range slices.Concat(g.In, g.Out) {
				if p := x.Peer.Range; p.IsValid() && p.IsSingleIP() && r.Owner(p.Addr()).Workload == nil {
					all = append(all, ruled{p.Addr(), g, x, false})
				}
			}
		}
	}
	slices.SortStableFunc(all, func(a, b ruled) int { return a.addr.Compare(b.addr) })
	for _, o := range r.Networks {
		for _, s := range o.Subnets {
			for _, q := range s.Ranges {
				first, _ := slices.BinarySearchFunc(all, q.Addr(), func(x ruled, a netip.Addr) int { return x.addr.Compare(a) })
				for i := first; i < len(all) && q.Contains(all[i].addr); i++ {
					x := &all[i]
					if x.told || !o.Host(x.addr).Nobody() || o.Reserved(q, x.addr) {
						continue
					}
					x.told = true
					r.report(diag.Warning, x.rule.At, x.g.Place(), "name who is meant, or take it out", "the rule  %s  of group %s is for an address of subnet %s that nobody has", x.rule.Text, x.g.ID(), s.ID())
					if out, can := ruleOut(x.g, x.g.Network, x.rule); can {
						r.choice(remove, out)
					}
				}
			}
		}
	}
}}
