package check

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
)

// This file finds groups and lists that keep out what should come in.

var nothingPasses = Rule{"nothing-passes", Guards, "A list without a rule that allows anything in one direction, of a subnet with workloads: it cuts them off.", func(r *run) {
	for _, n := range r.Networks {
		for _, l := range n.Lists {
			i := slices.IndexFunc(n.Subnets, func(s *estate.Subnet) bool { return s.List == l && len(s.Workloads) > 0 })
			if i < 0 {
				continue
			}
			for way, rules := range map[string][]estate.Rule{"in": l.In, "out": l.Out} {
				if !slices.ContainsFunc(rules, func(x estate.Rule) bool { return x.Allow }) {
					r.report(diag.Warning, l.At(), l.Place().To(way), "allow there what is meant to pass, and the replies to it", "list %s lets nothing %s, not even replies, and subnet %s has it", l.ID(), way, n.Subnets[i].ID())
				}
			}
		}
	}
}}

var noICMP = Rule{"no-icmp", Guards, "A list that lets IPv6 in from other networks, and no ICMP: packets that are too big for the way are lost without a word (RFC 4890, RFC 8201).", func(r *run) {
	icmp := flow.WithoutPorts()
	for _, n := range r.Networks {
		for _, l := range n.Lists {
			six := func(x estate.Rule) bool {
				return x.Peer.Any || x.Peer.Range.IsValid() && x.Peer.Range.Addr().Is6() && !slices.ContainsFunc(n.Ranges, x.Peer.Range.Overlaps)
			}
			i := slices.IndexFunc(n.Subnets, func(s *estate.Subnet) bool {
				return s.List == l && slices.ContainsFunc(s.Workloads, func(w *estate.Workload) bool { _, has := w.AddrLike(netip.IPv6Unspecified()); return has })
			})
			allows := func(flows flow.Set) int {
				return slices.IndexFunc(l.In, func(x estate.Rule) bool { return x.Allow && six(x) && !x.Flows.Intersect(flows).Empty() })
			}
			if at := allows(tcp); i >= 0 && at >= 0 && allows(icmp) < 0 {
				x := l.In[at]
				r.report(diag.Warning, x.At, l.Place().To("in"), "", "list %s lets  %s  in over IPv6, and no ICMP, by which the sender learns that a packet is too big", l.ID(), x.Text)
				r.choice("icmp", text.Insert(l.Place().To("in"), 1, text.Word("allow icmp from any")))
			}
		}
	}
}}

var nobodyAsks = Rule{"nobody-asks", Guards, "A workload that listens on what no rule of its groups lets in from anybody.", func(r *run) {
	for _, w := range r.Workloads {
		if w.Listens.Empty() || len(w.Groups) == 0 || w.Set != nil && w != w.Set.Members[0] {
			continue
		}
		var in flow.Set
		for _, g := range w.Groups {
			for _, x := range g.In {
				in = in.Union(x.Flows)
			}
		}
		if missing := w.Listens.Minus(in); !missing.Empty() {
			what := "workload " + w.Name + " listens"
			if w.Set != nil {
				what = "the workloads " + w.Set.Name + " listen"
			}
			r.report(diag.Warning, w.At(), w.Place().To("listens"), "let in who is to reach it, by a line of expect and wire, or take it out of  listens", "%s on %s, and no rule of the groups there lets that in", what, missing)
		}
	}
}}
