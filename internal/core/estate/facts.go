package estate

import (
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/plan"
)

// This file says what is to be known of each object: what the plan says of it, and what that came to.

// Facts of a kind of objects are those of the plan; of what the plan does not write, none.
func (n *Network) Facts() []plan.Fact  { return plan.Facts(n.Plan) }
func (s *Set) Facts() []plan.Fact      { return plan.Facts(s.Plan) }
func (s *Site) Facts() []plan.Fact     { return plan.Facts(s.Plan) }
func (p *Peering) Facts() []plan.Fact  { return plan.Facts(p.Plan) }
func (h *Hub) Facts() []plan.Fact      { return plan.Facts(h.Plan) }
func (l *HubLink) Facts() []plan.Fact  { return plan.Facts(l.Plan) }
func (c *Cluster) Facts() []plan.Fact  { return plan.Facts(c.Plan) }
func (b *Block) Facts() []plan.Fact    { return plan.Facts(b.Plan) }
func (x *DHCP) Facts() []plan.Fact     { return plan.Facts(x.Plan) }
func (t *Tier) Facts() []plan.Fact     { return plan.Facts(t.Plan) }
func (h *Held) Facts() []plan.Fact     { return plan.Facts(h.Plan) }
func (t *HubTable) Facts() []plan.Fact { return plan.Facts(t.Plan) }
func (g *Group) Facts() []plan.Fact    { return plan.Facts(g.Plan) }
func (blackhole) Facts() []plan.Fact   { return nil }

// Facts of a subnet tell its table and its list, too.
func (s *Subnet) Facts() []plan.Fact {
	all := append(plan.Facts(s.Plan), plan.Fact{Key: "table", Words: []string{s.Table.Name}, Affects: plan.Members, Names: []string{string(TableKind)}})
	if s.List != nil {
		all = append(all, plan.Fact{Key: "list", Words: []string{s.List.Name}, Affects: plan.Members, Names: []string{string(ListKind)}})
	}
	return all
}

// Facts of a gateway are none of one that came with its network.
func (g *Gateway) Facts() []plan.Fact {
	if g.Plan == nil {
		return nil
	}
	return plan.Facts(g.Plan)
}

// Facts of a table are none of a main table that the plan does not write.
func (t *Table) Facts() []plan.Fact {
	if t.Plan == nil {
		return nil
	}
	return plan.Facts(t.Plan)
}

// Facts of a list tell the order of its rules, too.
func (l *List) Facts() []plan.Fact {
	all := plan.Facts(l.Plan)
	for _, way := range []struct {
		key   string
		rules []plan.Rule
	}{{"order in", l.Plan.In}, {"order out", l.Plan.Out}} {
		if len(way.rules) > 0 {
			words := make([]string, len(way.rules))
			for i, r := range way.rules {
				words[i] = r.Text
			}
			all = append(all, plan.Fact{Key: way.key, Words: words, Affects: plan.Members})
		}
	}
	return all
}

// Facts of a workload of a set are those of the set with the addresses that are its own.
func (w *Workload) Facts() []plan.Fact {
	if w.Set == nil {
		return plan.Facts(w.Plan)
	}
	var all []plan.Fact
	own := func(key string, addrs []netip.Addr) {
		if len(addrs) > 0 {
			f := plan.Fact{Key: key, Affects: plan.Members}
			for _, a := range addrs {
				f.Words = append(f.Words, address.Word(a))
			}
			all = append(all, f)
		}
	}
	for _, f := range plan.Facts(w.Plan) {
		switch f.Key {
		case "count":
		case "addresses":
			own("address", w.Addrs)
		case "public":
			own("public", w.Public)
		default:
			all = append(all, f)
		}
	}
	return all
}

// Objects are all things of the estate that have names, each before its parts, in the order of the plan.
func (e *Estate) Objects() []Object {
	var all []Object
	add := func(o Object) { all = append(all, o) }
	for _, x := range e.DHCP {
		add(x)
	}
	for _, b := range e.Blocks {
		add(b)
	}
	for _, n := range e.Networks {
		add(n)
		for _, t := range n.Tiers {
			add(t)
		}
		for _, h := range n.Held {
			add(h)
		}
		for _, s := range n.Subnets {
			add(s)
		}
		for _, g := range n.Gateways {
			add(g)
		}
		for _, t := range n.Tables {
			add(t)
		}
		for _, g := range n.Groups {
			add(g)
		}
		for _, l := range n.Lists {
			add(l)
		}
	}
	for _, w := range e.Workloads {
		add(w)
	}
	for _, p := range e.Peerings {
		add(p)
	}
	for _, h := range e.Hubs {
		add(h)
		for _, t := range h.Tables {
			add(t)
		}
	}
	for _, l := range e.HubLinks {
		add(l)
	}
	for _, s := range e.Sites {
		add(s)
	}
	for _, c := range e.Clusters {
		add(c)
	}
	return all
}
