package grid

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
)

// This file finds the workloads that nothing in an estate can tell apart.

// A Class is workloads of one network that no rule, table or list can tell apart: what is true of one is true of all.
type Class struct {
	Members []*estate.Workload
	place   *place
	groups  [2]filterID // those of their groups, in and out
	ranks   [2]int32    // the places of the address of the first among those of all classes, in each family; -1 for none
	counts  map[*estate.Subnet]int
}

// place is where packets go the same way: classes at the same place differ only in what filters say of them.
type place struct {
	number  int // among those of the grid
	start   int // the number of the first of its classes; the others follow
	classes []*Class
	network *estate.Network
	asked   bool        // whether what goes from or to it is asked for
	lists   [2]filterID // those of its list, in and out; -1 for none
	router  int         // the number of its table
	spots   [2]int32    // the numbers of where routes see it, in each family; -1 when it has no address of it
	first   *estate.Workload
	other   *estate.Workload // one in another subnet than the first; nil when there is none
}

// placeKey is all of a workload that decides by which way its packets go, and those to it.
type placeKey struct {
	network    *estate.Network
	table      *estate.Table
	list       *estate.List
	four, six  int32           // which routes speak of its addresses; -1 when it has none of the family
	outer      [2]int32        // and of its public addresses
	public     bool            // whether the internet carries its IPv6 address
	serving    *estate.Gateway // the NAT gateway that serves its subnet by name
	subnet     *estate.Subnet  // where NAT gateways or forwarding workloads are among its neighbours
	individual int32           // its own number and one, where it is like no other
	some       string          // for which routes that are for some workloads alone it is one of them
}

// classKey is all of a workload that decides what happens to its packets.
type classKey struct {
	place     *place
	four, six int32    // which rules speak of its addresses
	outer     [2]int32 // and of its public addresses
	groups    int32
	unit      int
}

// cells number the parts into which ranges cut the addresses: two addresses have the same number when they are in the
// same of the ranges.
type cells struct {
	table address.Table[int32]
	n     int32
}

func (c *cells) add(p netip.Prefix) {
	if c.table.Insert(p, c.n+1) {
		c.n++
	}
}

// of gives the numbers of the cells of an IPv4 and an IPv6 address; -1 where there is none.
func (c *cells) of(x *estate.Workload) (four, six int32) {
	at := func(like family) int32 {
		a, found := x.AddrLike(like)
		if !found {
			return -1
		}
		_, n, _ := c.table.Lookup(a)
		return n
	}
	return at(ipv4), at(ipv6)
}

// outer gives those of its public addresses.
func (c *cells) outer(x *estate.Workload) (at [2]int32) {
	for i, f := range []family{ipv4, ipv6} {
		at[i] = -1
		if a, has := x.PublicLike(f); has {
			_, at[i], _ = c.table.Lookup(a)
		}
	}
	return at
}

// routed are the cells of all that routes, sites and networks speak of.
func routed(e *estate.Estate) *cells {
	c := &cells{}
	for _, n := range e.Networks {
		for _, p := range n.Ranges {
			c.add(p)
		}
		for _, t := range n.Tables {
			for _, r := range slices.Concat(t.Routes, t.Some) {
				c.add(r.To)
			}
		}
		for _, r := range n.Custom {
			c.add(r.To)
		}
	}
	for _, h := range e.Hubs {
		for _, t := range h.Tables {
			for _, r := range t.Routes {
				c.add(r.To)
			}
		}
	}
	for _, s := range e.Sites {
		for _, p := range s.Ranges {
			c.add(p)
		}
		for _, p := range s.Knows {
			c.add(p)
		}
	}
	c.table.Freeze()
	return c
}

// ruledOn are the cells of all that rules speak of. The members of groups have their set of groups for that; but whom a
// group of a workload with the same address means, only the address tells.
func ruledOn(e *estate.Estate) *cells {
	c := &cells{}
	add := func(rules []estate.Rule) {
		for _, r := range rules {
			if r.Peer.Range.IsValid() {
				c.add(r.Peer.Range)
			}
		}
	}
	for _, n := range e.Networks {
		for _, g := range n.Groups {
			add(g.In)
			add(g.Out)
		}
		for _, l := range n.Lists {
			add(l.In)
			add(l.Out)
		}
	}
	seen := map[netip.Addr]bool{}
	for _, x := range e.Workloads {
		for _, a := range x.Addrs {
			if seen[a] {
				c.add(address.Single(a))
			}
			seen[a] = true
		}
	}
	c.table.Freeze()
	return c
}

// classesOf sorts the workloads that have a place into classes, none of which has workloads of two units.
func (g *Grid) classesOf(unit func(*estate.Workload) int) {
	routes, rules := routed(g.e), ruledOn(g.e)
	crowded := map[*estate.Subnet]bool{}
	for _, n := range g.e.Networks {
		for _, x := range n.Gateways {
			if x.In != nil {
				crowded[x.In] = true
			}
		}
	}
	for _, x := range g.e.Workloads {
		if x.Forwards != estate.NotForwarding && x.Subnet != nil {
			crowded[x.Subnet] = true
		}
	}
	byPlace, byClass := map[placeKey]*place{}, map[classKey]*Class{}
	for _, x := range g.e.Workloads {
		s, part := x.Subnet, unit(x)
		if !x.Settled() || part < 0 {
			continue
		}
		key := placeKey{network: s.Network, table: s.Table, list: s.List, serving: s.Network.NATServing(s)}
		key.four, key.six = routes.of(x)
		key.outer = routes.outer(x)
		key.some = forSome(x)
		own, has := x.AddrLike(ipv6)
		key.public = has && address.IsPublic(own)
		if crowded[s] {
			key.subnet = s
		}
		if named, _ := x.PublicLike(ipv6); x.Forwards != estate.NotForwarding || len(x.Targets) > 0 || named.IsValid() && named != own {
			key.individual = int32(x.Index) + 1
		}
		p := byPlace[key]
		if p == nil {
			p = g.place(key, x)
			byPlace[key] = p
		}
		if p.other == nil && s != p.first.Subnet {
			p.other = x
		}
		fine := classKey{place: p, groups: g.filters.groups[x.Index], unit: part}
		fine.four, fine.six = rules.of(x)
		fine.outer = rules.outer(x)
		c := byClass[fine]
		if c == nil {
			c = &Class{place: p, counts: map[*estate.Subnet]int{}, groups: [2]filterID{g.filters.ofGroups(x, reach.In), g.filters.ofGroups(x, reach.Out)}}
			byClass[fine] = c
			p.classes = append(p.classes, c)
		}
		c.Members = append(c.Members, x)
		c.counts[s]++
	}
	for _, p := range g.places {
		p.start = len(g.Classes)
		g.Classes = append(g.Classes, p.classes...)
	}
}

// place adds a place, and numbers its table and where routes see it.
func (g *Grid) place(key placeKey, first *estate.Workload) *place {
	p := &place{number: len(g.places), first: first, network: key.network, spots: [2]int32{-1, -1}, lists: [2]filterID{-1, -1}}
	if key.list != nil {
		p.lists = [2]filterID{g.filters.ofList(key.list, reach.In), g.filters.ofList(key.list, reach.Out)}
	}
	router, found := g.routers[key.table]
	if !found {
		router = len(g.routers)
		g.routers[key.table] = router
		for f := range g.sources {
			g.sources[f] = append(g.sources[f], nil)
		}
	}
	p.router = router
	for f, cell := range []int32{key.four, key.six} {
		if cell < 0 {
			continue
		}
		g.sources[f][router] = first
		at := spot{key.network, cell}
		n, found := g.spots[f][at]
		if !found {
			n = int32(len(g.spots[f]))
			g.spots[f][at] = n
			g.targets[f] = append(g.targets[f], first)
		}
		p.spots[f] = n
	}
	g.places = append(g.places, p)
	return p
}

// spot is a part of a network that routes do not divide.
type spot struct {
	network *estate.Network
	cell    int32
}

// pairs counts the ordered pairs of two classes whose workloads are in different subnets, and those in the same.
func pairs(from, to *Class) (across, within int) {
	if from.place.network != to.place.network {
		return len(from.Members) * len(to.Members), 0
	}
	small, large := from, to
	if len(small.counts) > len(large.counts) {
		small, large = large, small
	}
	for s, n := range small.counts {
		within += n * large.counts[s]
	}
	across = len(from.Members)*len(to.Members) - within
	if from == to {
		within -= len(from.Members)
	}
	return across, within
}

// forSome tells apart workloads for which tables of their network have routes of their own.
func forSome(x *estate.Workload) string {
	key := ""
	for i, t := range x.Subnet.Network.Tables {
		for j, r := range t.Some {
			if slices.Contains(x.Groups, r.Only) {
				key += fmt.Sprintf("%d.%d ", i, j)
			}
		}
	}
	return key
}
