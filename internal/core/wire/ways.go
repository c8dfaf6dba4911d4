package wire

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/plan"
)

// This file knows whom the lines that say through what lead by way of it, for the tables that follow from access and joins.

// way is a line that says through what, with its ends: near has subnets, and far may be outside.
type way struct {
	near, far side
	internet  bool
	passers   []estate.Object
}

// waysOf are the lines of an estate that say through what, or as whom something leaves.
func waysOf(e *estate.Estate) []way {
	var all []way
	for i := range e.Plan.Expect {
		x := &e.Plan.Expect[i]
		if x.Through == "" && x.LeavesAs == "" {
			continue
		}
		from, to, outside := sideOf(e, x.From), sideOf(e, x.To), outsideOf(e, x.To)
		if len(from.subnets) == 0 {
			from, to, outside = to, from, outsideOf(e, x.From)
		}
		passers := passersOf(e, x)
		if len(passers) == 0 {
			continue
		}
		all = append(all, way{from, to, len(outside) > 0 && len(to.places) == 0, passers})
	}
	return all
}

// passersOf are what a line says that packets pass: by its name, or as whom they leave.
func passersOf(e *estate.Estate, x *plan.Expectation) []estate.Object {
	if x.LeavesAs == "" {
		return expect.Passers(e, x.Through)
	}
	var all []estate.Object
	for _, n := range e.Networks {
		for _, g := range n.NATs() {
			if g.In != nil && slices.ContainsFunc(g.Public, func(a netip.Addr) bool { return a.String() == x.LeavesAs }) {
				all = append(all, g)
			}
		}
	}
	return all
}

// ownTable is the name of the table that a subnet is to have apart from others of its access, since a line leads it by way of something, or something by
// way of which one leads is in its tier: what that table says is for nobody else. It is empty for none.
func (w *wirer) ownTable(s *estate.Subnet) string {
	name := ""
	for _, x := range w.ways {
		for _, o := range x.passers {
			if p, is := o.(*estate.Workload); is && name == "" && (p.Tier != nil && p.Tier.ID() == s.Tier.ID() || p.Subnet != nil && in(p.Subnet, s.Tier)) {
				name = s.Tier.Name
			}
		}
		for _, ends := range [][]*estate.Subnet{x.near.subnets, x.far.subnets} {
			switch {
			case !has(ends, s):
			case !slices.ContainsFunc(s.Tier.Subnets, func(o *estate.Subnet) bool { return !has(ends, o) }):
				if name == "" {
					name = s.Tier.Name
				}
			default:
				name = s.Name
			}
		}
	}
	return name
}

// has reports whether a subnet is among some, which may be of another state of the estate.
func has(some []*estate.Subnet, s *estate.Subnet) bool {
	return slices.ContainsFunc(some, func(o *estate.Subnet) bool { return o.ID() == s.ID() })
}

// in reports whether a subnet is of a tier; the two may be of two states of one estate.
func in(s *estate.Subnet, t *estate.Tier) bool { return s.Tier != nil && s.Tier.ID() == t.ID() }

// turnedByZone reports whether a line leads a tier by way of several alike in more zones than one: each of its zones is led by its own.
func (w *wirer) turnedByZone(t *estate.Tier) bool {
	return slices.ContainsFunc(w.ways, func(x way) bool {
		zones := map[string]bool{}
		for _, o := range x.passers {
			if p, is := o.(*estate.Workload); is && p.Subnet != nil {
				zones[p.Subnet.Network.PlaceOf(p.Subnet)] = true
			}
		}
		return len(zones) > 1 && slices.ContainsFunc(x.near.subnets, func(s *estate.Subnet) bool { return in(s, t) })
	})
}

// outBy is the workload or gateway by way of which a line leads subnets of a network out to the internet, or the internet to them: of several the one in a
// zone; empty for none.
func (w *wirer) outBy(n *estate.Network, subnets []*estate.Subnet, zone string, six bool) string {
	for _, x := range w.ways {
		if !x.internet || !slices.ContainsFunc(subnets, func(s *estate.Subnet) bool { return has(x.near.subnets, s) }) {
			continue
		}
		if by := x.passer(n, zone, six); by != "" {
			return by
		}
	}
	return ""
}

// siteBy is the workload by way of which a line leads subnets of a network to a site, or a site to them; otherwise what leads there.
func (w *wirer) siteBy(n *estate.Network, subnets []*estate.Subnet, zone string, j joined) string {
	for _, x := range w.ways {
		if slices.Equal(x.far.places, []string{j.place}) && len(x.far.subnets) == 0 && slices.ContainsFunc(subnets, func(s *estate.Subnet) bool { return has(x.near.subnets, s) }) {
			if by := x.passer(n, zone, j.ranges[0].Addr().Is6()); by != "" {
				return by
			}
		}
	}
	return j.via
}

// passes reports whether a line leads by way of a thing to what is joined.
func (w *wirer) passes(via estate.Object, j joined) bool {
	return via != nil && slices.ContainsFunc(w.ways, func(x way) bool {
		return slices.Contains(x.far.places, j.place) && slices.ContainsFunc(x.passers, func(o estate.Object) bool { return o.Kind() == via.Kind() && o.ID() == via.ID() })
	})
}

// passer is the workload, or for the internet the gateway, of a network by way of which something is led: of several the one in a zone; empty for none.
func (x *way) passer(n *estate.Network, zone string, six bool) string {
	first := ""
	for _, o := range x.passers {
		if g, is := o.(*estate.Gateway); is && g.Network.Name == n.Name && x.internet && slices.Contains(familiesOf(g), six) {
			return g.Name
		}
		p, is := o.(*estate.Workload)
		switch {
		case !is || p.Subnet == nil || p.Subnet.Network.Name != n.Name || !slices.Contains(familiesOf(p), six):
		case n.PlaceOf(p.Subnet) == zone:
			return p.ID()
		case first == "":
			first = p.ID()
		}
	}
	return first
}
