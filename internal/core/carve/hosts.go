package carve

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// This file gives addresses to workloads and NAT gateways that have none. One that stands is never moved.

// Address is what a workload or a NAT gateway got.
type Address struct {
	Name   string // of the workload, or network/gateway
	NAT    bool
	Subnet string // network/subnet
	Addrs  []netip.Addr
	Why    string
}

// room is a subnet, old or new, as a place for hosts.
type room struct {
	network *estate.Network
	name    string
	tier    string
	ranges  []netip.Prefix
	next    []netip.Addr // of each range, the address to try next; invalid when there is none
}

// take gives the lowest free address of each range of the subnet, and reports whether every one has one.
func (r *room) take() ([]netip.Addr, bool) {
	got := make([]netip.Addr, 0, len(r.ranges))
	for i := range r.ranges {
		_, last := r.network.Profile.Ends(r.ranges[i])
		a := r.next[i]
		for a.IsValid() && !r.network.Host(a).Nobody() {
			a = a.Next()
		}
		if !a.IsValid() || last.Less(a) {
			r.next[i] = netip.Addr{}
			return nil, false
		}
		got = append(got, a)
	}
	for i, a := range got {
		r.next[i] = a.Next()
	}
	return got, true
}

// hosts gives addresses to all that has none, in the order of the plan; those of one set are spread over its subnets.
func (c *carver) hosts() {
	rooms := c.rooms()
	for _, n := range c.e.Networks {
		for _, g := range n.Gateways {
			if g.Type == estate.NATGateway && g.Plan != nil && len(g.Addrs) == 0 && g.Plan.In.Given() && !n.Profile.NATServes {
				c.natAddress(g, rooms)
			}
		}
	}
	spread := map[*estate.Set]map[*room]int{}
	for _, w := range c.e.Workloads {
		n := w.Network()
		if w.Set != nil && spread[w.Set] == nil {
			spread[w.Set] = map[*room]int{}
		}
		if len(w.Plan.Addrs) > 0 {
			if w.Set != nil && w.Subnet != nil {
				for _, r := range rooms[w.Subnet.Network.Name] {
					if r.name == w.Subnet.Name {
						spread[w.Set][r]++
					}
				}
			}
			continue
		}
		network, part, _ := strings.Cut(w.Plan.In.Value, "/")
		if n == nil {
			if n = c.e.Network(network); n == nil {
				continue // which has been reported
			}
		}
		some := named(rooms[n.Name], part)
		if len(some) == 0 {
			continue // its tier got no subnet, which has been reported
		}
		if by := spread[w.Set]; w.Set != nil {
			slices.SortStableFunc(some, func(a, b *room) int { return by[a] - by[b] })
		}
		i := 0
		var got []netip.Addr
		for found := false; i < len(some) && !found; {
			if got, found = some[i].take(); !found {
				i++
			}
		}
		if i == len(some) {
			c.noAddress(w, w.Name, some)
			continue
		}
		if w.Set != nil {
			spread[w.Set][some[i]]++
		}
		c.give(w, some[i], got)
	}
}

// ipv6First is how far into an IPv6 subnet hosts begin: its first address is anycast to its routers (RFC 4291 section
// 2.6.1), and a few more are left for what clouds have there.
const ipv6First = 4

// rooms are the subnets of each network, those that are new among them.
func (c *carver) rooms() map[string][]*room {
	all := map[string][]*room{}
	for _, s := range c.Subnets {
		some := all[s.Network]
		first, _ := c.e.Network(s.Network).Profile.Ends(s.Range)
		if first.Is6() {
			first = address.Advance(first, ipv6First)
		}
		if i := slices.IndexFunc(some, func(r *room) bool { return r.name == s.Name }); i >= 0 {
			some[i].ranges = append(some[i].ranges, s.Range)
			some[i].next = append(some[i].next, first)
			continue
		}
		all[s.Network] = append(some, &room{c.e.Network(s.Network), s.Name, s.Tier, []netip.Prefix{s.Range}, []netip.Addr{first}})
	}
	return all
}

// named are the subnets that a word names: one, or those of a tier.
func named(all []*room, word string) []*room {
	var some []*room
	for _, r := range all {
		if r.name == word || r.tier == word {
			some = append(some, r)
		}
	}
	return some
}

// natAddress gives a NAT gateway an address in its subnet; in the first of its tier's that has no other NAT gateway.
func (c *carver) natAddress(g *estate.Gateway, rooms map[string][]*room) {
	some := named(rooms[g.Network.Name], strings.TrimPrefix(g.Plan.In.Value, g.Network.Name+"/"))
	if len(some) == 0 {
		return
	}
	has := func(r *room) int {
		for _, o := range g.Network.NATs() {
			if o != g && slices.ContainsFunc(o.Addrs, func(a netip.Addr) bool {
				return slices.ContainsFunc(r.ranges, func(p netip.Prefix) bool { return p.Contains(a) })
			}) {
				return 1
			}
		}
		return 0
	}
	slices.SortStableFunc(some, func(a, b *room) int { return has(a) - has(b) })
	for _, r := range some {
		all, found := r.take()
		if !found {
			continue
		}
		got := slices.DeleteFunc(all, netip.Addr.Is6) // which it has no use for: IPv6 goes out as it is
		if len(got) == 0 {
			got = all
		}
		why := fmt.Sprintf("the lowest free address of subnet %s/%s", r.network.Name, r.name)
		c.Addresses = append(c.Addresses, Address{g.ID(), true, r.network.Name + "/" + r.name, got, why})
		c.change(why, text.Set(g.Place(), "address", text.WordOrWords(words(got)...)))
		return
	}
	c.noAddress(g, "NAT gateway "+g.ID(), some)
}

func (c *carver) noAddress(o estate.Object, name string, some []*room) {
	where := fmt.Sprintf("subnet %s/%s is full", some[0].network.Name, some[0].name)
	if len(some) > 1 {
		where = fmt.Sprintf("the %d subnets of tier %s/%s are full", len(some), some[0].network.Name, some[0].tier)
	}
	c.Misfits = append(c.Misfits, diag.Finding{Code: noRoom, At: o.At(), Place: o.Place(),
		Message: fmt.Sprintf("%s gets no address: %s", name, where), Fixes: diag.Advise("count fewer, or give the tier more hosts, another zone, or larger subnets")})
}

// give writes the addresses of a workload into the plan.
func (c *carver) give(w *estate.Workload, r *room, got []netip.Addr) {
	why := fmt.Sprintf("the lowest free address of subnet %s/%s", r.network.Name, r.name)
	if w.Set != nil && r.tier != "" {
		why += fmt.Sprintf(", which has the fewest of %s", w.Set.Name)
	}
	c.Addresses = append(c.Addresses, Address{w.Name, false, r.network.Name + "/" + r.name, got, why})
	value := text.WordOrWords(words(got)...)
	if w.Set != nil {
		c.change(why, text.Add(w.Place().To("addresses"), value))
		return
	}
	c.change(why, text.Set(w.Place(), "address", value))
}

func words(addrs []netip.Addr) []string {
	var out []string
	for _, a := range addrs {
		out = append(out, a.String())
	}
	return out
}
