package compare

import (
	"maps"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/plan"
)

// This file finds the networks of which a change can touch what passes from or to them, so that the others need not be
// looked at.

// touched are networks by name; all of them where a change can touch any.
type touched struct {
	all      bool
	networks map[string]bool
}

func (t *touched) has(network string) bool { return t.all || t.networks[network] }

// touchedBy finds them: those in which something differs, those at the ends of what joins them and differs, those that speak of
// ranges that differ, and, of what passes packets on for others, all that can meet it.
func touchedBy(before, after *estate.Estate, d *differ) *touched {
	t := &touched{networks: map[string]bool{}}
	f := &finder{touched: t, estates: []*estate.Estate{before, after}, moved: map[string]bool{}}
	for _, c := range d.changes {
		f.change(c)
		if c.called != "" { // the old version knows it by that
			c.Name = c.called
			f.change(c)
		}
	}
	if !t.all && len(f.moved) > 0 {
		f.speakOf()
	}
	if !t.all {
		f.closure()
	}
	return t
}

// finder finds what a change touches.
type finder struct {
	*touched
	estates []*estate.Estate
	moved   map[string]bool // what has other ranges, by name
	homes   map[string][]string
}

// home are the networks that a workload, or the members of a count, live in, in either estate.
func (f *finder) home(name string) []string {
	if f.homes == nil {
		f.homes = map[string][]string{}
		live := func(name, network string) {
			if !slices.Contains(f.homes[name], network) {
				f.homes[name] = append(f.homes[name], network)
			}
		}
		for _, e := range f.estates {
			for _, w := range e.Workloads {
				if n := w.Network(); n != nil {
					live(w.Name, n.Name)
					if w.Set != nil {
						live(w.Set.Name, n.Name)
					}
				}
			}
		}
	}
	return f.homes[name]
}

func (f *finder) change(c Change) {
	if c.affects == plan.Nobody {
		return
	}
	if c.affects == plan.Everybody {
		f.all = true
		return
	}
	switch c.Thing {
	case "block", "cluster":
		f.moved[c.Name] = true
	case "peering":
		for _, e := range f.estates {
			if p := e.Peering(c.Name); p != nil {
				f.networks[p.Between[0].Name], f.networks[p.Between[1].Name] = true, true
			}
		}
	case "workload", "set of workloads":
		for _, network := range f.home(c.Name) {
			f.networks[network] = true
		}
	default: // a network, or a part of one
		name := c.Name
		if c.of != "" {
			name = c.of
		}
		network, _, _ := strings.Cut(name, "/")
		f.networks[network] = true
		if c.affects == plan.Neighbours {
			f.moved[c.Name], f.moved[network] = true, true
			for _, e := range f.estates {
				if n := e.Network(network); n != nil {
					for _, s := range n.Subnets {
						if s.Tier != nil && (s.ID() == c.Name || c.Thing == "network") {
							f.moved[s.Tier.ID()] = true
						}
					}
				}
			}
		}
	}
}

// speakOf touches networks whose tables, groups or lists name what has other ranges, those that share addresses with it, and
// those that have routes to it installed.
func (f *finder) speakOf() {
	var ranges []netip.Prefix
	for _, e := range f.estates {
		for _, s := range e.Sites {
			for _, t := range s.Plan.Names {
				f.all = f.all || f.moved[t.Value]
			}
		}
		for _, n := range e.Networks {
			if f.moved[n.Name] {
				ranges = append(ranges, n.Ranges...)
				for _, p := range n.Peerings {
					f.networks[p.Far(n).Name] = true
				}
				f.all = f.all || len(n.Attachments) > 0 // hub tables learn its ranges
			}
		}
	}
	set := address.SetOf(ranges...)
	for _, e := range f.estates {
		for _, n := range e.Networks {
			speaks := slices.ContainsFunc(n.Ranges, set.Overlaps)
			for _, t := range n.Tables {
				speaks = speaks || slices.ContainsFunc(t.Routes, func(r *estate.Route) bool { return f.moved[r.Name] })
			}
			named := func(r estate.Rule) bool { return f.moved[r.Peer.Name] }
			for _, g := range n.Groups {
				speaks = speaks || slices.ContainsFunc(g.In, named) || slices.ContainsFunc(g.Out, named)
			}
			for _, l := range n.Lists {
				speaks = speaks || slices.ContainsFunc(l.In, named) || slices.ContainsFunc(l.Out, named)
			}
			if speaks {
				f.networks[n.Name] = true
			}
		}
	}
}

// closure touches what depends on what is touched: networks whose packets go through a touched one, and those of balancers that
// hand on into it.
func (f *finder) closure() {
	through := false
	for _, e := range f.estates {
		for _, n := range e.Networks {
			through = through || f.networks[n.Name] && (len(n.Doors()) > 0 || slices.ContainsFunc(n.Peerings, func(p *estate.Peering) bool { return p.Carries(n) }))
		}
	}
	if through {
		touched := maps.Clone(f.networks)
		for _, e := range f.estates {
			m := meet.Of(e)
			for _, n := range e.Networks {
				for name := range touched {
					if o := e.Network(name); o != nil && o != n && m.Meet(n, o) {
						f.networks[n.Name] = true
						break
					}
				}
			}
		}
	}
	for _, e := range f.estates {
		for _, w := range e.Workloads {
			for _, x := range w.Targets {
				if w.Network() != nil && f.networks[networkOf(x)] {
					f.networks[w.Network().Name] = true
				}
			}
		}
	}
}
