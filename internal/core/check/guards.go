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
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// sensitive are the ports for logins and databases, with the names of the IANA registry of service names and port numbers.
var sensitive = []struct {
	name string
	port uint16
}{
	{"ssh", 22}, {"telnet", 23}, {"exec", 512}, {"login", 513}, {"shell", 514}, {"ms-wbt-server", 3389}, {"rfb", 5900}, {"wsman", 5985}, {"wsmans", 5986},
	{"ms-sql-s", 1433}, {"mysql", 3306}, {"postgresql", 5432}, {"redis", 6379},
}

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
					if j := before[i]; j >= 0 {
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
					passes := letsBack(other, x, wanted)
					missing := wanted.Minus(passes)
					if missing.Empty() || x.Flows.Covers(flow.Any()) && !passes.Empty() {
						continue // who lets everything pass one way has not each of it in mind
					}
					told[x.Text] = true
					peer := x.Peer.String()
					r.report(diag.Warning, x.At, l.Place().To(back), "", "the rule  %s  of list %s lets flows %s, and no rule lets their replies (%s) %s %s %s", x.Text, l.ID(), way, missing, back, word, peer)
					r.by(text.Add(l.Place().To(back), text.Word(fmt.Sprintf("allow %s %s %s", missing.Rule(), word, peer))))
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

// letsBack is what of some flows the rules of a list may let pass to or from the far end of a rule, or a part of it.
func letsBack(rules []estate.Rule, x estate.Rule, wanted flow.Set) flow.Set {
	var passes flow.Set
	undecided := wanted
	for _, y := range rules {
		ranges := x.Peer.Range.IsValid() && y.Peer.Range.IsValid()
		all := y.Peer.Any || x.Group != nil && x.Group == y.Group || ranges && address.Covers(y.Peer.Range, x.Peer.Range)
		some := all || !ranges || address.Covers(x.Peer.Range, y.Peer.Range) // whom a group holds is not looked at
		if y.Allow && some {
			passes = passes.Union(y.Flows.Intersect(undecided))
		}
		if all {
			undecided = undecided.Minus(y.Flows)
		}
	}
	return passes
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

var openPort = Rule{"open-port", Guards, "A group that lets the whole internet in on a port for logins or databases, of a workload that the internet gets to, and that no line of expect wants.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			i := slices.IndexFunc(g.Members, exposed)
			if i < 0 {
				continue
			}
			for _, x := range g.In {
				if !everywhere(x) || x.Flows.Covers(flow.Any()) {
					continue
				}
				var open []string
				spans := x.Flows.Minus(r.meant(g)).Spans()
				for _, p := range sensitive {
					if slices.ContainsFunc(spans, func(y flow.Span) bool { return y.Protocol == "tcp" && y.First <= p.port && p.port <= y.Last }) {
						open = append(open, fmt.Sprintf("%s (tcp/%d)", p.name, p.port))
					}
				}
				if len(open) > 0 {
					r.report(diag.Warning, x.At, g.Place().To("in"), "", "group %s lets the whole internet in on %s, and the internet gets to workload %s", g.ID(), phrase.And(open), g.Members[i].Name)
					r.narrows(g, n, x, "name the ranges or the group that it is for")
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
