package grid

import (
	"cmp"
	"maps"
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file compares an estate with itself while parts of it are out of order.

// Standing is the grid of an estate in which everything works, to be compared with what is left when parts fail: one after another.
//
// Whatever is worked out of an estate asks it what is out of order, and is noted beside that. What never asked for a thing stays as it is
// while the thing fails, so that only what asked is worked out again.
type Standing struct {
	c       *comparison
	rows    [][]Cell                 // all of its grid, where that is not too large; else nil
	away    map[*estate.Network]bool // those of which a table leads a part of their own ranges elsewhere
	winded  []pairOfPlaces           // those between which a walk tells what passes, and asks for more than its road does
	bySpot  [2][][]*place            // the places that each spot is for, in each family
	byTable [][]*place               // those that each table is for
	outside map[any][]outside        // the questions about what is outside that rest on a thing
	workers []*worker                // which know what filters come to, and go from one that fails to the next
	readers []*rowReader
	roads   [2][]road // those of the estate of which parts fail
	differ  [][]*place
	far     []reach.End // the internet, and sites
	tally   *tally      // where it was asked for, and there is room
	counts  bool        // whether what stops for want of a way is counted, and not said
	counted int         // how many pairs that are
}

// pairOfPlaces are two places in different networks.
type pairOfPlaces struct{ from, to *place }

// maxKept is of how many classes the grid is kept.
const maxKept = 4000

// outside is a question between a class and what is outside, which is known by its number.
type outside struct {
	class, far int
	way        int // 0 from there, 1 to there
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
	g := newClasses(e, unit)
	g.want(nil)
	g.rests = [2]map[any][]int{{}, {}}
	g.complete()
	c := &comparison{estates: [2]*estate.Estate{e, e}, grids: [2]*Grid{g, g}}
	for i := range g.Classes {
		x := sameClass{at: [2]int{i, i}}
		x.sort(c.estates, c.grids)
		c.classes = append(c.classes, x)
	}
	s := &Standing{c: c, away: map[*estate.Network]bool{}, byTable: make([][]*place, len(g.routers)), differ: make([][]*place, len(g.places))}
	for _, n := range e.Networks {
		s.away[n] = leadsOwnAway(n)
	}
	if len(g.Classes) <= maxKept {
		_ = g.Rows(func(_ int, row []Cell) error { // which give never ends
			s.rows = append(s.rows, slices.Clone(row))
			return nil
		})
	}
	s.findPlaces()
	for _, name := range append([]string{"internet"}, siteNames(e)...) {
		if far, err := reach.Find(e, name); err == nil {
			s.far = append(s.far, far)
		}
	}
	return s
}

func siteNames(e *estate.Estate) (names []string) {
	for _, x := range e.Sites {
		names = append(names, x.Name)
	}
	return names
}

// findPlaces sorts the places by their tables and spots, and finds those between which only a walk tells what passes.
func (s *Standing) findPlaces() {
	g := s.c.grids[0]
	for f := range s.bySpot {
		s.bySpot[f] = make([][]*place, len(g.targets[f]))
		s.roads[f] = slices.Clone(g.roads[f])
	}
	for _, p := range g.places {
		s.byTable[p.router] = append(s.byTable[p.router], p)
		for f, spot := range p.spots {
			if spot >= 0 {
				s.bySpot[f][spot] = append(s.bySpot[f][spot], p)
			}
		}
	}
	for f := range g.roads {
		for number, r := range g.roads[f] {
			if r == winded {
				s.between(f, number, func(p pairOfPlaces) { s.winded = append(s.winded, p) })
			}
		}
	}
}

// between tells of the places between which packets take a road, or their replies.
func (s *Standing) between(f, number int, tell func(pairOfPlaces)) {
	spots := len(s.bySpot[f])
	for _, from := range s.byTable[number/spots] {
		for _, to := range s.bySpot[f][number%spots] {
			if from.network != to.network && from.spots[f] >= 0 {
				tell(pairOfPlaces{from, to})
				tell(pairOfPlaces{to, from})
			}
		}
	}
}

// Remember asks what passes between each class and what is outside, and notes on what that rests where anything does, as what does not pass
// cannot stop: for who has many parts fail, of which each is asked about that alone from then on.
func (s *Standing) Remember() {
	e := s.c.estates[0]
	var taken atomic.Int64
	var lock sync.Mutex
	var work sync.WaitGroup
	s.outside = map[any][]outside{}
	for range runtime.GOMAXPROCS(0) {
		work.Go(func() {
			watched, watch := e.Watched()
			rests := map[any][]outside{}
			for i := int(taken.Add(1)) - 1; i < len(s.c.classes); i = int(taken.Add(1)) - 1 {
				for far := range s.far {
					for way := range 2 {
						q := outside{i, far, way}
						a := reach.Ask(watched, s.question(q))
						asked := watch.Take()
						if a.Some.Empty() && len(a.SeenAs) == 0 {
							continue
						}
						for _, x := range asked {
							rests[x] = append(rests[x], q)
						}
					}
				}
			}
			lock.Lock()
			defer lock.Unlock()
			for x, all := range rests {
				s.outside[x] = append(s.outside[x], all...)
			}
		})
	}
	work.Wait()
}

func (s *Standing) question(q outside) reach.Question {
	far, class := s.far[q.far], reach.EndOf(s.c.grids[0].Classes[q.class].Members[0])
	if q.way == 0 {
		return reach.Question{From: far, To: class, Flows: flow.Any()}
	}
	return reach.Question{From: class, To: far, Flows: flow.Any()}
}

// Without compares with the estate in which some parts are out of order: what passes no longer, and whom the internet sees otherwise. Where
// a walk or a workload that forwards is on the way, it asks only for what goes from or to some networks, or for all where in is nil. What
// passes only now cannot be.
func (s *Standing) Without(failing *estate.Estate, in func(network string) bool) *Differences {
	base := s.c.grids[0]
	g := &Grid{Classes: base.Classes, e: failing, filters: base.filters, places: base.places, routers: base.routers, sources: base.sources, spots: base.spots, targets: base.targets,
		brief: base.brief, addrs: base.addrs, ranked: base.ranked, roads: s.roads, outcomes: outcomes{known: map[outcome]OutcomeID{}}, handed: map[int]outcome{}}
	g.want(in)
	base.wanted, base.differ = g.wanted, nil // since the places are those of both
	if s.workers == nil {
		s.workers = g.staff()
	}
	for _, r := range s.workers {
		r.take(g)
	}
	g.workers = s.workers
	changed := s.walkAgain(g)
	s.counted = 0
	g.handOn()
	c := &comparison{estates: [2]*estate.Estate{s.c.estates[0], failing}, grids: [2]*Grid{base, g}, classes: s.c.classes, before: s.rows, readers: s.readers}
	for i := range c.classes {
		c.classes[i].asked = g.Classes[i].place.asked
	}
	g.differ = s.differing(g, changed)
	base.differ = g.differ
	c.inside()
	s.readers = c.readers
	s.compareOutside(c)
	for f := range changed {
		for _, number := range changed[f] {
			s.roads[f][number] = base.roads[f][number]
		}
	}
	for i := range s.differ {
		s.differ[i] = s.differ[i][:0]
	}
	return &Differences{gathered(c.notes.opens), gathered(c.notes.closes), c.seen}
}

// walkAgain walks the roads that rest on what is out of order, and gives those that are others than while everything works.
func (s *Standing) walkAgain(g *Grid) (changed [2][]int) {
	base := s.c.grids[0]
	for f := range changed {
		var again []int
		for x := range g.e.OutOfOrder() {
			again = append(again, base.rests[f][x]...)
		}
		slices.Sort(again)
		again = slices.Compact(again)
		const atOnce = 64
		g.sideBySide((len(again)+atOnce-1)/atOnce, func(r *worker, i int) {
			for _, number := range again[i*atOnce : min((i+1)*atOnce, len(again))] {
				r.findRoad(f, number)
			}
		})
		for _, number := range again {
			if g.roads[f][number] != base.roads[f][number] {
				changed[f] = append(changed[f], number)
			}
		}
	}
	return changed
}

// differing are, for each place, those towards which something can go otherwise than while everything works: all that are asked for where
// a workload may be on the way within its network or balancers hand on otherwise, else those to or from which a way is another.
func (s *Standing) differing(g *Grid, changed [2][]int) [][]*place {
	if g.e.OutForwards() || !maps.Equal(s.c.grids[0].handed, g.handed) {
		return nil
	}
	all := s.differ
	add := func(p pairOfPlaces) { all[p.from.number] = append(all[p.from.number], p.to) }
	for f := range changed {
		if s.counts {
			s.cut(g, changed, add)
			break
		}
		for _, number := range changed[f] {
			s.between(f, number, add)
		}
	}
	for _, p := range s.winded {
		if p.from.asked || p.to.asked {
			add(p)
		}
	}
	for _, from := range g.places {
		if s.away[from.network] {
			all[from.number] = append(all[from.number], g.askedFrom(from)...)
		}
		if len(all[from.number]) > 1 {
			slices.SortFunc(all[from.number], func(a, b *place) int { return a.number - b.number })
			all[from.number] = slices.Compact(all[from.number])
		}
	}
	return all
}

// leadsOwnAway reports whether a table of a network leads a part of its own ranges elsewhere.
func leadsOwnAway(n *estate.Network) bool {
	return slices.ContainsFunc(n.Tables, func(t *estate.Table) bool {
		return slices.ContainsFunc(slices.Concat(t.Routes, t.Some), func(r *estate.Route) bool {
			return r.Origin != estate.Local && r.To.Bits() > 0 && slices.ContainsFunc(n.Ranges, func(p netip.Prefix) bool { return p.Contains(r.To.Addr()) && r.To.Bits() >= p.Bits() })
		})
	})
}

// compareOutside compares what passes between workloads and what is outside: of all that rests on what is out of order where that is
// remembered, else of the networks that are asked for.
func (s *Standing) compareOutside(c *comparison) {
	var again []outside
	for i := range c.classes {
		if s.outside != nil || !c.classes[i].asked {
			continue
		}
		for far := range s.far {
			again = append(again, outside{i, far, 0}, outside{i, far, 1})
		}
	}
	for x := range c.estates[1].OutOfOrder() {
		again = append(again, s.outside[x]...)
	}
	slices.SortFunc(again, func(a, b outside) int { return cmp.Or(a.far-b.far, a.class-b.class, a.way-b.way) })
	for _, q := range slices.Compact(again) {
		was, is := reach.Ask(c.estates[0], s.question(q)), reach.Ask(c.estates[1], s.question(q))
		x := &c.classes[q.class]
		name := nameOf(s.far[q.far])
		if name == "internet" && q.way == 1 {
			c.seenOf(x, [2]*reach.Answer{was, is})
		}
		c.notes.outside(name, x.names(), q.way == 0, [2][]reach.Part{was.Parts(), is.Parts()}, address.All(), nil)
	}
}
