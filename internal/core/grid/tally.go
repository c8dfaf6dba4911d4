package grid

import (
	"math"
	"math/bits"
	"sync/atomic"

	"wendrik/internal/core/estate"
)

// This file counts what stops where a way is gone, in the place of saying it.

// tally is between how many pairs of workloads anything passes while everything works, from each stand to each in another network.
type tally struct {
	stands  [][]*place // places that only filters tell apart: of one table, and in the same spots
	of      []int32    // the number of the stand of each place
	bySpot  [2][][]int32
	byTable [][]int32
	pairs   []uint32 // by the numbers of both stands
	met     []uint64 // a bit for each pair of stands that was met, all zero between two questions
}

// maxTallied is of how many stands a tally is kept: 256 MB.
const maxTallied = 8000

// newTally sorts the places of a grid into stands.
func newTally(g *Grid) *tally {
	type key struct {
		router int
		spots  [2]int32
	}
	t := &tally{byTable: make([][]int32, len(g.routers))}
	for f := range t.bySpot {
		t.bySpot[f] = make([][]int32, len(g.targets[f]))
	}
	known := map[key]int32{}
	for _, p := range g.places {
		k := key{p.router, p.spots}
		n, found := known[k]
		if !found {
			n = int32(len(t.stands))
			known[k] = n
			t.stands = append(t.stands, nil)
			t.byTable[p.router] = append(t.byTable[p.router], n)
			for f, spot := range p.spots {
				if spot >= 0 {
					t.bySpot[f][spot] = append(t.bySpot[f][spot], n)
				}
			}
		}
		t.stands[n] = append(t.stands[n], p)
		t.of = append(t.of, n)
	}
	return t
}

// Tally counts between how many workloads anything passes from each place to each other one, so that Count need not work that out again of each part
// that fails. Of an estate that is too large for that it does nothing.
func (s *Standing) Tally() {
	g := s.c.grids[0]
	t := newTally(g)
	n := len(t.stands)
	if n > maxTallied {
		return
	}
	t.pairs, t.met = make([]uint32, n*n), make([]uint64, (n*n+63)/64)
	of := make([]int32, len(g.Classes)) // the stand of each class
	for _, p := range g.places {
		for i := range p.classes {
			of[p.start+i] = t.of[p.number]
		}
	}
	var over atomic.Bool // whether some count is too large for its field
	g.differ = nil
	g.want(nil)
	g.sideBySide(n, func(r *worker, k int) {
		sums := make([]uint64, n)
		row := make([]Cell, len(g.Classes))
		passes := map[OutcomeID]bool{}
		for _, from := range t.stands[k] {
			for i := range from.classes {
				r.rows(from.start+i, [][]Cell{row})
				r.sumInto(sums, row, of, uint64(len(from.classes[i].Members)), passes)
			}
		}
		for to, sum := range sums {
			if sum > math.MaxUint32 {
				over.Store(true)
				return
			}
			t.pairs[k*n+to] = uint32(sum)
		}
	})
	if !over.Load() {
		s.tally = t
	}
}

// sumInto adds how many pairs something passes between in a row of a class of some size, by the stands of the others.
func (r *worker) sumInto(sums []uint64, row []Cell, of []int32, size uint64, passes map[OutcomeID]bool) {
	last, some := NoPair, false
	for j, cell := range row {
		if cell.Across != last {
			if last = cell.Across; last == NoPair {
				some = false
			} else if known, found := passes[last]; found {
				some = known
			} else {
				some = r.outcome(last).some != noFlows
				passes[last] = some
			}
		}
		if some {
			sums[of[j]] += size * uint64(len(r.g.Classes[j].Members))
		}
	}
}

// Count is Without, but for the pairs of workloads in different networks between which no way is left: of these it gives only how many stop. It needs
// the Tally; where there is none it gives all differences.
func (s *Standing) Count(failing *estate.Estate, in func(network string) bool) (d *Differences, pairs int) {
	s.counts = s.tally != nil
	defer func() { s.counts = false }()
	d = s.Without(failing, in)
	return d, s.counted
}

// cut takes those pairs of places out between which a way has changed and none is left, and counts what stops between their workloads. Tell tells of each
// of the others once.
func (s *Standing) cut(g *Grid, changed [2][]int, tell func(p pairOfPlaces)) {
	t, n := s.tally, len(s.tally.stands)
	var words []int
	meet := func(a, b int32) {
		at := int(a)*n + int(b)
		if t.met[at/64] == 0 {
			words = append(words, at/64)
		}
		t.met[at/64] |= 1 << (at % 64)
	}
	for f := range changed {
		spots := len(t.bySpot[f])
		for _, number := range changed[f] {
			for _, a := range t.byTable[number/spots] {
				if t.stands[a][0].spots[f] < 0 {
					continue
				}
				for _, b := range t.bySpot[f][number%spots] {
					meet(a, b)
					meet(b, a)
				}
			}
		}
	}
	for _, word := range words {
		for set := t.met[word]; set != 0; set &= set - 1 {
			at := word*64 + bits.TrailingZeros64(set)
			a, b := t.stands[at/n], t.stands[at%n]
			p := pairOfPlaces{a[0], b[0]}
			if !s.away[p.from.network] && s.c.grids[0].filteredAlone(p) && g.gone(p) {
				s.counted += int(t.pairs[at])
				continue
			}
			for _, from := range a {
				for _, to := range b {
					tell(pairOfPlaces{from, to})
				}
			}
		}
		t.met[word] = 0
	}
}

// filteredAlone reports whether filters alone decide what passes from one place to another: what a walk tells of is asked for all the same.
func (g *Grid) filteredAlone(p pairOfPlaces) bool {
	for f := range 2 {
		if p.from.spots[f] >= 0 && p.to.spots[f] >= 0 {
			if there, back := g.between(f, p); there == winded || back == winded {
				return false
			}
		}
	}
	return true
}

// between are the roads from one place to another and back, in a family that both have.
func (g *Grid) between(f int, p pairOfPlaces) (there, back road) {
	spots := len(g.targets[f])
	return g.roads[f][p.from.router*spots+int(p.to.spots[f])], g.roads[f][p.to.router*spots+int(p.from.spots[f])]
}

// gone reports whether no packet gets from one place to another and its reply back, in any family, whatever filters say.
func (g *Grid) gone(p pairOfPlaces) bool {
	for f := range 2 {
		if p.from.spots[f] < 0 || p.to.spots[f] < 0 {
			continue
		}
		if there, back := g.between(f, p); there != nowhere && (there != plain || back != nowhere) {
			return false
		}
	}
	return true
}
