package stage

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// This file turns groups and lists into rules of the packet filter.

// known lets pass what belongs to a flow that has passed already, and neighbour discovery, which comes before all flows.
func known() []Filter {
	return []Filter{{State: Known}, {Neighbour: true}}
}

// guard adds the groups of a workload to its node: a chain for what comes in, one for what goes out, and one for what it
// passes on.
func guard(n *Node, w *estate.Workload) {
	in, out := known(), known()
	for _, g := range w.Groups {
		in = append(in, filters(g.Network, g.In, true, Accept, Accept)...)
		out = append(out, filters(g.Network, g.Out, false, Accept, Accept)...)
	}
	if len(w.Groups) == 0 {
		out = append(out, Filter{})
	}
	n.chain(Chain{Name: "in", Hook: Input, Drops: true, Rules: in})
	n.chain(Chain{Name: "out", Hook: Output, Drops: true, Rules: out})
	if w.Forwards == estate.NotForwarding {
		return
	}
	passOn := []Filter{{State: Known}}
	if w.Forwards != estate.PlainForwarding {
		// What belongs to no flow that it has seen begin: of TCP, all but the first packet where it sees one direction alone.
		passOn = append(passOn, Filter{State: Invalid, Then: Drop})
	}
	var onward []Filter
	for _, g := range w.Groups {
		for _, f := range filters(g.Network, g.In, true, Accept, Accept) {
			f.Then, f.Jump = Jump, "onward"
			passOn = append(passOn, f)
		}
		onward = append(onward, filters(g.Network, g.Out, false, Accept, Accept)...)
	}
	n.Chains = append(n.Chains, Chain{Name: "onward", Rules: onward})
	n.chain(Chain{Name: "pass-on", Hook: Forward, Drops: true, Rules: passOn})
	if w.Forwards == estate.NATForwarding {
		translate(n, w.Addrs)
	}
}

// translate puts the node's own address in the place of the source of all that it passes on.
func translate(n *Node, own []netip.Addr) {
	var rules []Filter
	for _, a := range own {
		rules = append(rules, Filter{NotSrc: address.Single(a), Family: familyOf(a), Then: From, New: a})
	}
	n.chain(Chain{Name: "translate", Hook: Leaving, Rules: rules})
}

func familyOf(a netip.Addr) int {
	if a.Is4() {
		return 4
	}
	return 6
}

// filters are the rules of a group or list of a network, with what to do where they allow and where they deny.
func filters(n *estate.Network, rules []estate.Rule, inward bool, allow, deny Then) []Filter {
	var out []Filter
	for _, r := range rules {
		then := deny
		if r.Allow {
			then = allow
		}
		for _, far := range peers(n, r) {
			for _, f := range matching(r.Flows) {
				f.Then = then
				if far.IsValid() {
					f.Family = familyOf(far.Addr())
					if inward {
						f.Src = far
					} else {
						f.Dst = far
					}
				}
				out = append(out, f)
			}
		}
	}
	return out
}

// peers are the ranges that a rule speaks of; the zero range stands for any.
func peers(n *estate.Network, r estate.Rule) []netip.Prefix {
	switch {
	case r.Peer.Any:
		return []netip.Prefix{{}}
	case r.Peer.Range.IsValid():
		return []netip.Prefix{r.Peer.Range}
	case r.Group.Network != n && !n.Profile.PeerGroups:
		return nil
	}
	var out []netip.Prefix
	for _, m := range r.Group.Members {
		for _, a := range m.Addrs {
			out = append(out, address.Single(a))
		}
	}
	return out
}

// matching are rules that together match some flows.
func matching(s flow.Set) []Filter {
	if s.Equal(flow.Any()) {
		return []Filter{{}}
	}
	var out []Filter
	for _, x := range s.Spans() {
		f := Filter{Protocol: x.Protocol}
		if !x.Whole {
			f.Ports = &[2]uint16{x.First, x.Last}
		}
		out = append(out, f)
	}
	return out
}

// edge adds the lists of a network's subnets to its router: a packet meets the list of the subnet that it leaves, and
// of the one that it comes into from elsewhere.
func edge(n *Node, bridges map[*estate.Subnet]*Bridge, subnets []*estate.Subnet) {
	var all []Filter
	for i, s := range subnets {
		if s.List == nil {
			continue
		}
		b := bridges[s]
		in, out := fmt.Sprintf("in-%d", i), fmt.Sprintf("out-%d", i)
		n.Chains = append(n.Chains,
			Chain{Name: in, Rules: append(filters(s.Network, s.List.In, true, Return, Drop), Filter{Then: Drop})},
			Chain{Name: out, Rules: append(filters(s.Network, s.List.Out, false, Return, Drop), Filter{Then: Drop})})
		all = append(all, Filter{In: b.Name, Then: Jump, Jump: out}, Filter{Out: b.Name, Apart: true, Then: Jump, Jump: in})
	}
	n.chain(Chain{Name: "edge", Hook: Forward, Rules: all})
}

// Guards are the chains of a workload's groups, as a node has them.
func Guards(w *estate.Workload) []Chain {
	var n Node
	guard(&n, w)
	return n.Chains
}

// Edge are the chains of a subnet's list for a router that forwards: packets from its ranges to elsewhere, and from elsewhere to them.
func Edge(s *estate.Subnet) []Chain {
	if s.List == nil {
		return nil
	}
	forward := Chain{Name: "edge", Hook: Forward}
	for _, p := range s.Ranges {
		f := familyOf(p.Addr())
		forward.Rules = append(forward.Rules, Filter{Family: f, Src: p, NotDst: p, Then: Jump, Jump: "out"}, Filter{Family: f, Dst: p, NotSrc: p, Then: Jump, Jump: "in"})
	}
	return []Chain{
		{Name: "in", Rules: append(filters(s.Network, s.List.In, true, Return, Drop), Filter{Then: Drop})},
		{Name: "out", Rules: append(filters(s.Network, s.List.Out, false, Return, Drop), Filter{Then: Drop})},
		forward,
	}
}
