package wire

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
)

// This file says which of the joins lead whom where: those of which lines of expect speak, no further than they do.

// needs is who is to get to whom, by the lines of expect, the targets of balancers and the servers that DHCP names.
type needs struct {
	leads map[lead]bool                  // from a subnet to a network or a site
	far   map[lead]map[netip.Prefix]bool // the ranges of the subnets that it is to get to there
	met   map[[2]string]bool             // networks and sites between which something is to pass, both ways round
	over  map[string]bool                // hubs over which something is
}

type lead struct{ subnet, to string }

// side is one end of what is to pass.
type side struct {
	subnets []*estate.Subnet
	places  []string // networks and sites
}

// needsOf works out what an estate needs of its joins.
func needsOf(e *estate.Estate) *needs {
	d := &needs{leads: map[lead]bool{}, far: map[lead]map[netip.Prefix]bool{}, met: map[[2]string]bool{}, over: map[string]bool{}}
	for i := range e.Plan.Expect {
		if x := &e.Plan.Expect[i]; !x.Never && x.LeavesAs == "" {
			d.between(sideOf(e, x.From), sideOf(e, x.To))
		}
	}
	for _, x := range e.Workloads {
		for _, t := range x.Targets {
			d.between(ofWorkload(x), ofWorkload(t))
		}
	}
	for _, n := range e.Networks {
		if n.DHCP == nil {
			continue
		}
		for _, s := range slices.Concat(n.DHCP.DNS, n.DHCP.NTP) {
			switch {
			case s.Cloud:
			case s.Workload != nil:
				d.between(ofNetwork(n), ofWorkload(s.Workload))
			default:
				d.between(ofNetwork(n), sideOf(e, s.Addr.String()))
			}
		}
	}
	for _, h := range e.Hubs {
		for _, a := range h.Attachments {
			d.over[h.Name] = d.over[h.Name] || slices.ContainsFunc(farOf(h), func(o *estate.Attachment) bool { return d.met[[2]string{a.To().ID(), o.To().ID()}] })
		}
	}
	return d
}

// farOf is all that what is attached to a hub can get to by it.
func farOf(h *estate.Hub) []*estate.Attachment {
	all := slices.Clone(h.Attachments)
	for _, l := range h.Links {
		all = append(all, behind(l, h)...)
	}
	return all
}

func sideOf(e *estate.Estate, word string) side {
	var s side
	objects := e.Named(word)
	if len(objects) == 0 {
		if ends, err := reach.FindEnds(e, word); err == nil {
			objects = ends.Objects()
		}
	}
	for _, o := range objects {
		switch o := o.(type) {
		case *estate.Workload:
			s.join(ofWorkload(o))
		case *estate.Set:
			for _, x := range o.Members {
				s.join(ofWorkload(x))
			}
		case *estate.Network:
			s.join(ofNetwork(o))
		case *estate.Tier:
			s.join(side{o.Subnets, []string{o.Network.Name}})
		case *estate.Subnet:
			s.join(side{[]*estate.Subnet{o}, []string{o.Network.Name}})
		case *estate.Site:
			s.join(side{nil, []string{o.Name}})
		}
	}
	return s
}

func ofNetwork(n *estate.Network) side { return side{n.Subnets, []string{n.Name}} }

func ofWorkload(x *estate.Workload) side {
	switch {
	case x.Subnet != nil:
		return side{[]*estate.Subnet{x.Subnet}, []string{x.Subnet.Network.Name}}
	case x.Tier != nil:
		return side{x.Tier.Subnets, []string{x.Tier.Network.Name}}
	}
	return side{}
}

func (s *side) join(o side) {
	for _, x := range o.subnets {
		if !slices.Contains(s.subnets, x) {
			s.subnets = append(s.subnets, x)
		}
	}
	for _, p := range o.places {
		if !slices.Contains(s.places, p) {
			s.places = append(s.places, p)
		}
	}
}

func (d *needs) between(a, b side) {
	for _, way := range [][2]side{{a, b}, {b, a}} {
		for _, to := range way[1].places {
			for _, s := range way[0].subnets {
				l := lead{s.ID(), to}
				d.leads[l] = true
				if d.far[l] == nil {
					d.far[l] = map[netip.Prefix]bool{}
				}
				for _, o := range way[1].subnets {
					for _, p := range o.Ranges {
						d.far[l][p] = d.far[l][p] || o.Network.Name == to
					}
				}
			}
			for _, from := range way[0].places {
				d.met[[2]string{from, to}] = true
			}
		}
	}
}

// wants reports whether some of a network's subnets are to be led to what it is joined to: where lines speak of the join, as far as they do, and
// where none does, since the join is stated for something.
func (d *needs) wants(n *estate.Network, j joined, subnets []*estate.Subnet) bool {
	spoken := d.spoken(n, j)
	return slices.ContainsFunc(subnets, func(s *estate.Subnet) bool {
		return (!spoken || d.leads[lead{s.ID(), j.place}]) && j.from.Has(s)
	})
}

// led reports whether a table leads a subnet by the same join to all that the lines want it to get to: by longer routes than to all of the place.
func (d *needs) led(s *estate.Subnet, j joined, t *estate.Table) bool {
	some := false
	for p, there := range d.far[lead{s.ID(), j.place}] {
		if there {
			some = true
			if r := t.Lookup(p.Addr()); r == nil || r.Origin != estate.ByHand || r.ViaName() != j.via || r.To.Bits() > p.Bits() {
				return false
			}
		}
	}
	return some
}

// spoken reports whether any line speaks of the join by which a network gets somewhere: of a hub, of anything that it joins.
func (d *needs) spoken(n *estate.Network, j joined) bool {
	for _, a := range n.Attachments {
		if a.Hub.Name == j.via {
			return d.over[a.Hub.Name]
		}
	}
	return d.met[[2]string{n.Name, j.place}]
}

// meets reports whether lines lead anything that is attached to a hub to what is attached to another.
func (d *needs) meets(h *estate.Hub, o *estate.Attachment) bool {
	return slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return d.met[[2]string{a.To().ID(), o.To().ID()}] })
}

// knows reports whether a site needs a route to a network: as a network's tables do.
func (d *needs) knows(s *estate.Site, n *estate.Network) bool {
	return d.met[[2]string{s.Name, n.Name}] || s.Link == n || !slices.ContainsFunc(s.Attachments, func(a *estate.Attachment) bool { return d.over[a.Hub.Name] })
}
