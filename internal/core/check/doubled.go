package check

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file finds what is said or done twice, and where two things stand for one.

var saidTwice = Rule{"said-twice", Expect, "A line of expect that another one says already, of the same ends and of no fewer flows.", func(r *run) {
	all := r.Plan.Expect
	at := map[string][]int{} // the lines by their ends
	for i, x := range all {
		at[x.From+" "+x.To] = append(at[x.From+" "+x.To], i)
	}
	for i, x := range all {
		for _, j := range at[x.From+" "+x.To] {
			y := all[j]
			if i == j || x.Never != y.Never || x.Only && !y.Only || x.LeavesAs != y.LeavesAs || x.Without != y.Without || x.Through != y.Through && x.Through != "" || !slices.Equal(x.Except, y.Except) || !y.Flows.Covers(x.Flows) || i < j && x.Flows.Equal(y.Flows) {
				continue
			}
			r.report(diag.Warning, x.At, text.Path{"expect"}, "take it out", "%q says no more than %q", x.Text, y.Text)
			if len(r.Plan.Files.All()) == 1 && len(r.Plan.Patterns) == 0 {
				r.choice(remove, text.RemoveNth(text.Path{"expect"}, i+1))
			}
			break
		}
	}
}}

var sameMembers = Rule{"same-members", Guards, "A rule of a group for addresses all of whose owners another rule names as a group, or for a group all of whose members another rule names by a range.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for _, rules := range [][]estate.Rule{g.In, g.Out} {
				for i, x := range rules {
					if !firstOfLine(rules, i) || i+1 < len(rules) && rules[i+1].At == x.At {
						continue // that of a name with several ranges is wider
					}
					who := r.owners(n, x)
					if len(who) == 0 {
						continue
					}
					for j, y := range rules {
						// Of a range for one address and a group, the address goes; of a group and a range, the group, for it names fewer.
						if i == j || y.Peer.Any || (x.Group == nil) == (y.Group == nil) || !y.Flows.Covers(x.Flows) || !namesAll(n, y, who) {
							continue
						}
						r.report(diag.Warning, x.At, g.Place(), "take it out", "the rule  %s  of group %s lets nobody pass whom  %s  does not", x.Text, g.ID(), y.Text)
						if out, can := ruleOut(g, n, x); can {
							r.choice(remove, out)
						}
						break
					}
				}
			}
		}
	}
}}

// owners are the addresses of those that a rule names: the members of a group, or the workload that has a single address; none where some
// are not known, or the group matches nothing.
func (r *run) owners(n *estate.Network, x estate.Rule) (all []netip.Addr) {
	switch {
	case x.Group != nil:
		if x.Group.Network != n && !n.Profile.PeerGroups {
			return nil
		}
		for _, w := range x.Group.Members {
			if !w.Settled() {
				return nil
			}
			all = append(all, w.Addrs...)
		}
	case x.Peer.Range.IsValid() && x.Peer.Range.IsSingleIP() && n.Host(x.Peer.Range.Addr()).Workload != nil:
		all = []netip.Addr{x.Peer.Range.Addr()}
	}
	return all
}

// namesAll reports whether a rule names all of some addresses.
func namesAll(n *estate.Network, x estate.Rule, all []netip.Addr) bool {
	return !slices.ContainsFunc(all, func(a netip.Addr) bool {
		if x.Group == nil {
			return !x.Peer.Range.Contains(a)
		}
		return x.Group.Network != n && !n.Profile.PeerGroups || !x.Group.Has(a)
	})
}

var twoWays = Rule{"two-ways", Wiring, "One range that a network imports over two peerings: which of them its packets take is not said.", func(r *run) {
	for _, n := range r.Networks {
		if !n.Profile.PeerRoutes {
			continue
		}
		first := map[netip.Prefix]*estate.Peering{}
		for _, p := range n.Peerings {
			far := p.Far(n)
			if !p.Stands() || !p.Carries(far) {
				continue
			}
			for _, x := range far.Custom {
				switch o := first[x.To]; {
				case o == nil:
					first[x.To] = p
				case o != p:
					r.report(diag.Warning, p.At(), p.Place(), "let one of the two export it, or write the route in the tables of the network", "network %s imports the way to %s over peering %s and over peering %s", n.Name, x.To, o.Name, p.Name)
				}
			}
		}
	}
}}

var twoGateways = Rule{"two-gateways", Wiring, "A network with two internet gateways that are attached: which of them what comes in takes is not said.", func(r *run) {
	for _, n := range r.Networks {
		var first *estate.Gateway
		for _, g := range n.Gateways {
			switch {
			case g.Type != estate.InternetGateway || !g.Attached:
			case first == nil:
				first = g
			default:
				r.report(diag.Warning, g.At(), g.Place(), "keep one of the two", "network %s has the internet gateways %s and %s, both attached", n.Name, first.Name, g.Name)
				r.choice("detach", text.Set(g.Place(), "attached", text.Word("false")))
			}
		}
	}
}}

// allPrivateBlocks are the blocks of private addresses (RFC 1918, RFC 4193).
var allPrivateBlocks = []netip.Prefix{netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("172.16.0.0/12"), netip.MustParsePrefix("192.168.0.0/16"), netip.MustParsePrefix("fd00::/8")}

var allPrivate = Rule{"all-private", Guards, "A rule of a group that lets everything in from a whole block of private addresses, whoever has them.", func(r *run) {
	for _, n := range r.Networks {
		for _, g := range n.Groups {
			for i, x := range g.In {
				whole := x.Peer.Range.IsValid() && slices.ContainsFunc(allPrivateBlocks, func(p netip.Prefix) bool { return address.Covers(x.Peer.Range, p) })
				if !whole || everywhere(x) || !x.Flows.Covers(tcp) || !firstOfLine(g.In, i) || r.isBlock(x.Peer) {
					continue
				}
				what := "all of TCP"
				if x.Flows.Covers(flow.Any()) {
					what = "everything"
				}
				r.report(diag.Warning, x.At, g.Place().To("in"), "", "group %s lets %s in from all of %s, whoever has it:  %s", g.ID(), what, x.Peer.Range, x.Text)
				r.narrows(g, n, x, "name the networks, tiers or groups that it is for")
			}
		}
	}
}}

// isBlock reports whether a peer is a block of the plan by its name, and so as wide as the estate is.
func (r *run) isBlock(p plan.Peer) bool {
	return slices.ContainsFunc(r.Blocks, func(b *estate.Block) bool { return p.Name != "" && p.Name == b.Name })
}
