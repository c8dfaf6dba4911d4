package carve

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file keeps true what stands in the plan already: addresses in subnets whose ranges were taken out, and rules that
// name ranges.

// addressesOf are the addresses of a family that workloads and NAT gateways of what a need stands for have: of a subnet, or of one that carve is to
// make, and that these name already.
func (c *carver) addressesOf(n *estate.Network, s *need, family int) []netip.Addr {
	switch {
	case s.subnet != nil:
		return addressesIn(s.subnet, family)
	case s.tier == nil:
		return nil
	}
	return ofWidth(c.awaiting()[n.Name][n.SubnetName(nil, s.tier.Name, s.place, netip.Prefix{})], family)
}

// awaiting are the addresses of what lives in subnets that are not there yet, by network, and by the names that the subnets are to have.
func (c *carver) awaiting() map[string]map[string][]netip.Addr {
	if c.waiting != nil {
		return c.waiting
	}
	c.waiting = map[string]map[string][]netip.Addr{}
	add := func(network, subnet string, addrs []netip.Addr) {
		if c.waiting[network] == nil {
			c.waiting[network] = map[string][]netip.Addr{}
		}
		c.waiting[network][subnet] = append(c.waiting[network][subnet], addrs...)
	}
	for _, w := range c.e.Workloads {
		if network, subnet, found := strings.Cut(w.Plan.In.Value, "/"); found && w.Subnet == nil && w.Tier == nil {
			add(network, subnet, w.Addrs)
		}
	}
	for _, n := range c.e.Networks {
		for _, g := range n.Gateways {
			if g.In == nil && g.Plan != nil && g.Plan.In.Given() {
				add(n.Name, g.Plan.In.Value, g.Addrs)
			}
		}
	}
	return c.waiting
}

func ofWidth(all []netip.Addr, family int) []netip.Addr {
	return slices.DeleteFunc(slices.Clone(all), func(a netip.Addr) bool { return a.BitLen() != widths[family] })
}

// addressesIn are the addresses of a family that workloads and NAT gateways of a subnet have.
func addressesIn(s *estate.Subnet, family int) []netip.Addr {
	var all []netip.Addr
	add := func(addrs []netip.Addr) {
		for _, a := range addrs {
			if a.BitLen() == widths[family] {
				all = append(all, a)
			}
		}
	}
	for _, w := range s.Workloads {
		add(w.Addrs)
	}
	for _, g := range s.Network.Gateways {
		if g.In == s {
			add(g.Addrs)
		}
	}
	return all
}

// standing gives a subnet that has addresses, and no range, the range around them.
func (f *field) standing() {
	for _, b := range f.aggregates {
		for _, s := range b.wanting(f.family) {
			addrs := f.addressesOf(f.n, s, f.family)
			if len(addrs) == 0 {
				continue
			}
			who := s.name()
			if s.subnet != nil {
				who = "subnet " + s.subnet.ID()
			}
			size := s.size[f.family]
			p, _ := addrs[0].Prefix(size)
			if s.fixed.Given() {
				p = piece(f.base, size, s.fixed.Value)
			}
			outside := slices.IndexFunc(addrs, func(a netip.Addr) bool { return !p.Contains(a) })
			within := slices.ContainsFunc(f.base, func(r netip.Prefix) bool { return address.Covers(r, p) })
			fail := func(fix, format string, args ...any) {
				f.misfit(s.of().At(), s.of().Place(), noRoom, fix, format, args...)
				s.size[f.family] = 0
			}
			switch {
			case outside >= 0 && s.fixed.Given():
				fail("take the slot out, or give what lives there other addresses", "slot %d of %s is %s, and %s in it lies elsewhere", s.fixed.Value, who, p, addrs[outside])
			case outside >= 0:
				fail("write its range, or give what lives there other addresses", "%s has the addresses %s and %s, which no /%d holds both", who, addrs[0], addrs[outside], size)
			case !within:
				fail("give what lives there other addresses, or the network the range that they lie in", "%s has the address %s, which does not lie in network %s (%s)", who, addrs[0], f.n.Name, phrase.List(f.base))
			case !f.free.ContainsRange(p):
				fail("give what lives there other addresses, or free that range", "%s has the address %s, and %s around it is not free%s", who, addrs[0], p, f.whose(p, func(by estate.Object) bool { return by == estate.Object(f.n) }))
			default:
				f.take(s, p, fmt.Sprintf("; around %s, which stands in it", addrs[0]))
			}
		}
	}
}

// verify makes the changes in a copy of the plan, and reports what in it could not be read any more.
func (c *carver) verify() {
	if len(c.Misfits) > 0 || !c.New() {
		return
	}
	_, findings, err := c.e.With(c.Changes)
	c.Uneditable = err
	known := map[string]bool{}
	for _, f := range c.e.Problems {
		known[f.Message] = true
	}
	for _, f := range findings {
		if known[f.Message] {
			continue
		}
		c.misfit(0, f.Place, wouldBreak, f.Fix(), "with these ranges, %s, and the plan could not be read any more", f.Message)
	}
}

// meanings finds rules, routes and what sites know that name a part of a range which is somebody's only from now on:
// they were written for whoever had it before, or was to have it.
func (c *carver) meanings() {
	if !c.New() {
		return
	}
	var table address.Table[*Network]
	var subnets address.Table[*Subnet]
	for i := range c.Networks {
		if x := &c.Networks[i]; x.State == New {
			table.Insert(x.Range, x)
		}
	}
	for i := range c.Subnets {
		if x := &c.Subnets[i]; x.State == New {
			subnets.Insert(x.Range, x)
		}
	}
	table.Freeze()
	subnets.Freeze()
	owner := func(p netip.Prefix) string {
		if q, x, found := subnets.Lookup(p.Addr()); found && address.Covers(q, p) {
			if x.anchored {
				return ""
			}
			return "subnet " + x.Network + "/" + x.Name
		}
		if q, x, found := table.Lookup(p.Addr()); found && address.Covers(q, p) && !x.anchored {
			return "network " + x.Name
		}
		return ""
	}
	say := func(at text.Pos, place text.Path, p netip.Prefix, what string) {
		if !p.IsValid() {
			return
		}
		if who := owner(p); who != "" {
			c.Renamed = append(c.Renamed, diag.Finding{Code: newMeaning, Severity: diag.Warning, At: at, Place: place,
				Message: fmt.Sprintf("%s names %s, which is a part of %s from now on", what, p, who), Fixes: diag.Advise("check that this is who is meant")})
		}
	}
	rules := func(what string, place text.Path, all []plan.Rule) {
		for _, r := range all {
			say(r.At, place, r.Peer.Range, fmt.Sprintf("%s (%s)", what, r.Text))
		}
	}
	for _, n := range c.e.Networks {
		for _, g := range n.Groups {
			rules("a rule of group "+g.ID(), g.Place(), g.Plan.In)
			rules("a rule of group "+g.ID(), g.Place(), g.Plan.Out)
		}
		for _, l := range n.Lists {
			rules("a rule of list "+l.ID(), l.Place(), l.Plan.In)
			rules("a rule of list "+l.ID(), l.Place(), l.Plan.Out)
		}
		for _, t := range n.Tables {
			if t.Plan == nil {
				continue
			}
			for _, r := range t.Plan.Routes {
				say(r.At, t.Place(), r.To.Prefix, "a route of table "+t.ID())
			}
		}
	}
	for _, h := range c.e.Hubs {
		for _, t := range h.Tables {
			for _, r := range t.Plan.Routes {
				say(r.At, t.Place(), r.To.Prefix, "a route of hub table "+t.ID())
			}
		}
	}
	for _, s := range c.e.Sites {
		for _, r := range s.Plan.Knows {
			say(r.At, s.Place().To("knows"), r.Prefix, "what site "+s.Name+" knows")
		}
	}
	diag.Sort(c.Renamed)
}
