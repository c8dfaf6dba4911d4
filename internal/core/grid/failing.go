package grid

import (
	"maps"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file compares an estate with itself while parts of it are out of order.

// Standing is the grid of an estate in which everything works, to be compared with what is left when parts fail.
type Standing struct {
	c       *comparison
	answers map[outside]*reach.Answer // what passes between a class and a site or the internet
	rows    [][]Cell                  // all of its grid, where that is not too large; else nil
	away    map[*estate.Network]bool  // those of which a table leads a part of their own ranges elsewhere
	workers []*worker                 // which know what filters come to, and go from one that fails to the next
}

// maxKept is of how many classes the grid is kept.
const maxKept = 4000

// outside is a question between a class and what is outside.
type outside struct {
	class int
	name  string
	there bool // whether it is from there
}

// NewStanding makes the grid of an estate. No workloads of two zones are in one class.
func NewStanding(e *estate.Estate) *Standing {
	zones := map[string]int{}
	unit := func(x *estate.Workload) int {
		if x.Subnet == nil {
			return 0
		}
		if zones[x.Subnet.Zone] == 0 {
			zones[x.Subnet.Zone] = len(zones) + 1
		}
		return zones[x.Subnet.Zone]<<2 | publicness(x)
	}
	g := NewGrid(e, unit)
	c := &comparison{estates: [2]*estate.Estate{e, e}, grids: [2]*Grid{g, g}}
	for i := range g.Classes {
		x := sameClass{at: [2]int{i, i}}
		x.sort(c.estates, c.grids)
		c.classes = append(c.classes, x)
	}
	s := &Standing{c: c, answers: map[outside]*reach.Answer{}, away: map[*estate.Network]bool{}}
	for _, n := range e.Networks {
		s.away[n] = leadsOwnAway(n)
	}
	if len(g.Classes) <= maxKept {
		_ = g.Rows(func(_ int, row []Cell) error { // which give never ends
			s.rows = append(s.rows, slices.Clone(row))
			return nil
		})
	}
	return s
}

// Without compares with the estate in which some parts are out of order: what passes no longer, of what goes from or to some
// networks, and whom of theirs the internet sees otherwise. What passes only now cannot be.
func (s *Standing) Without(failing *estate.Estate, in func(network string) bool) *Differences {
	base := s.c.grids[0]
	g := &Grid{Classes: base.Classes, e: failing, filters: base.filters, places: base.places, routers: base.routers, sources: base.sources, spots: base.spots, targets: base.targets,
		brief: base.brief, addrs: base.addrs, ranked: base.ranked, outcomes: outcomes{known: map[outcome]OutcomeID{}}, handed: map[int]outcome{}}
	for f := range g.roads {
		g.roads[f] = slices.Clone(base.roads[f])
	}
	g.want(in)
	base.wanted = g.wanted // since the places are those of both
	if s.workers == nil {
		s.workers = g.staff()
	}
	for _, r := range s.workers {
		r.take(g)
	}
	g.workers = s.workers
	g.findRoads()
	g.handOn()
	c := &comparison{estates: [2]*estate.Estate{s.c.estates[0], failing}, grids: [2]*Grid{base, g}, in: in, classes: slices.Clone(s.c.classes)}
	for i := range c.classes {
		c.classes[i].asked = g.Classes[i].place.asked
	}
	c.skip, c.before = s.unchanged(g), s.rows
	c.inside()
	s.outside(c)
	return &Differences{gathered(c.notes.opens), gathered(c.notes.closes), c.seen}
}

// unchanged tells the classes from which nothing goes otherwise than while everything works: all ways of their place stay as
// they are, and balancers hand on what they did.
func (s *Standing) unchanged(g *Grid) func(class int) bool {
	base := s.c.grids[0]
	inside := g.e.OutForwards() // a workload that forwards may be on the way within its network
	if inside || !maps.Equal(base.handed, g.handed) {
		return func(int) bool { return false }
	}
	known := make([]bool, len(g.places))
	for _, from := range g.places {
		same := !s.away[from.network]
		for _, to := range g.askedFrom(from) {
			if !same {
				break
			}
			if to.network == from.network {
				continue
			}
			for f := range 2 {
				if from.spots[f] < 0 || to.spots[f] < 0 {
					continue
				}
				there := from.router*len(g.targets[f]) + int(to.spots[f])
				back := to.router*len(g.targets[f]) + int(from.spots[f])
				for _, at := range []int{there, back} {
					if g.roads[f][at] != base.roads[f][at] || g.roads[f][at] == winded {
						same = false
					}
				}
			}
		}
		known[from.number] = same
	}
	return func(class int) bool { return known[g.Classes[class].place.number] }
}

// leadsOwnAway reports whether a table of a network leads a part of its own ranges elsewhere.
func leadsOwnAway(n *estate.Network) bool {
	return slices.ContainsFunc(n.Tables, func(t *estate.Table) bool {
		return slices.ContainsFunc(slices.Concat(t.Routes, t.Some), func(r *estate.Route) bool {
			return r.Origin != estate.Local && r.To.Bits() > 0 && slices.ContainsFunc(n.Ranges, func(p netip.Prefix) bool { return p.Contains(r.To.Addr()) && r.To.Bits() >= p.Bits() })
		})
	})
}

// outside compares what passes between workloads and the internet or sites, with what it remembers of the estate that stands.
func (s *Standing) outside(c *comparison) {
	names := []string{"internet"}
	for _, x := range c.estates[0].Sites {
		names = append(names, x.Name)
	}
	for _, name := range names {
		far, err := reach.Find(c.estates[0], name)
		if err != nil {
			continue
		}
		for k := range c.classes {
			x := &c.classes[k]
			if !x.asked {
				continue
			}
			for _, there := range []bool{true, false} {
				q := reach.Question{From: far, To: reach.EndOf(c.grids[0].Classes[k].Members[0]), Flows: flow.Any()}
				if !there {
					q.From, q.To = q.To, q.From
				}
				key := outside{k, name, there}
				was := s.answers[key]
				if was == nil {
					was = reach.Ask(c.estates[0], q)
					s.answers[key] = was
				}
				if was.Some.Empty() && len(was.SeenAs) == 0 {
					continue // what does not pass cannot stop
				}
				is := reach.Ask(c.estates[1], q)
				if name == "internet" && !there {
					c.seenOf(x, [2]*reach.Answer{was, is})
				}
				c.notes.outside(name, x.names(), there, [2][]reach.Part{was.Parts(), is.Parts()}, address.All(), nil)
			}
		}
	}
}
