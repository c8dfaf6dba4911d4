package grid

import (
	"net/netip"
	"slices"
	"sync"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file sums a grid up: by units of workloads, and for one end towards every workload.

// Sum is what becomes of the flows between all workloads of two units: Full passes between all pairs, and Some between
// any. Pairs is how many ordered pairs of different workloads there are; with none, nothing passes.
type Sum struct {
	reach.Outcome
	Pairs int
}

// Matrix works out the grid between units, which are numbered from 0; workloads of which unit is negative are left out.
// The sum of unit i towards unit j is at [i*units+j]. After each class it calls step, when that is not nil.
func Matrix(e *estate.Estate, units int, unit func(*estate.Workload) int, step func(done, total int)) []Sum {
	g := NewGrid(e, func(x *estate.Workload) int { return max(unit(x), -1) + 1 })
	of, sizes, classes := make([]int, len(g.Classes)), make([]int, units), make([][]int, units)
	for i, c := range g.Classes {
		of[i] = unit(c.Members[0])
		if u := of[i]; u >= 0 {
			sizes[u] += len(c.Members)
			classes[u] = append(classes[u], i)
		}
	}
	sums := make([]Sum, units*units)
	var lock sync.Mutex
	done := 0
	g.sideBySide(units, func(r *worker, u int) {
		r.sum(classes[u], of, sums[u*units:(u+1)*units])
		for v := range units {
			if sums[u*units+v].Pairs = sizes[u] * sizes[v]; u == v {
				sums[u*units+v].Pairs -= sizes[u]
			}
		}
		if step != nil {
			lock.Lock()
			defer lock.Unlock()
			done += len(classes[u])
			step(done, len(g.Classes))
		}
	})
	return sums
}

// sum sums the rows of some classes up, by the units of the columns.
func (r *worker) sum(classes, of []int, sums []Sum) {
	row := make([]Cell, len(of))
	total, met := make([]outcome, len(sums)), make([]bool, len(sums))
	add := func(v int, id OutcomeID) {
		if id == NoPair {
			return
		}
		if x := r.outcome(id); met[v] {
			total[v] = r.either(total[v], x)
		} else {
			total[v], met[v] = x, true
		}
	}
	for _, from := range classes {
		r.rows(from, [][]Cell{row})
		last, at := Cell{NoPair, NoPair}, -1
		for to, cell := range row {
			v := of[to]
			if v < 0 || v == at && cell == last {
				continue // most neighbours in a row fare alike
			}
			add(v, cell.Across)
			add(v, cell.Within)
			last, at = cell, v
		}
	}
	for v := range sums {
		if met[v] {
			sums[v].Outcome = r.g.sets(total[v])
		}
	}
}

// outcome is the outcome that has a number.
func (r *worker) outcome(id OutcomeID) outcome {
	if int(id) >= len(r.known) {
		r.g.outcomes.lock.RLock()
		r.known = append(r.known[:0], r.g.outcomes.all...)
		r.g.outcomes.lock.RUnlock()
	}
	return r.known[id]
}

// Verdict is the answer about some flows between all pairs.
func (s Sum) Verdict(asked flow.Set) reach.Verdict {
	if s.Pairs == 0 {
		return reach.Blocked
	}
	return s.Outcome.Verdict(asked)
}

// One is the answer for one workload among many.
type One struct {
	Workload *estate.Workload
	Answer   *reach.Answer // of a workload of its class
	SeenAs   []netip.Addr
}

// maxSingly is up to how many workloads AskEach gives each blocked one blockers in its own words.
const maxSingly = 5000

// AskEach answers for one end towards each of some workloads, or for each towards the one end, in the order given. The
// end must not be a workload. It asks once for each class, and again for what is blocked where workloads are not many.
// The ways of the answers have names for their addresses alone.
func AskEach(e *estate.Estate, one reach.End, toOne bool, workloads []*estate.Workload, asked flow.Set, step func(done, total int)) []One {
	many := reach.Ends{Many: workloads}
	classes, _ := likeEnds(e, many, reach.Ends{One: &one})
	answers := map[*estate.Workload]One{}
	for i, b := range classes {
		first := b.class.Members[0]
		ask := func(x *estate.Workload) *reach.Answer {
			from, to := one, reach.EndOf(x)
			if toOne {
				from, to = to, from
			}
			a := reach.Ask(e, reach.Question{From: from, To: to, Flows: asked})
			for i := range a.Ways { // the addresses of the internet are many; their names are enough
				a.Ways[i].From, a.Ways[i].To = address.Set{}, address.Set{}
			}
			return a
		}
		a := ask(first)
		for _, x := range b.class.Members {
			answers[x] = One{x, a, asOwn(a.SeenAs, first, x)}
			if a.Verdict == reach.Blocked && x != first && len(workloads) <= maxSingly {
				own := ask(x)
				answers[x] = One{x, own, own.SeenAs}
			}
		}
		if step != nil {
			step(i+1, len(classes))
		}
	}
	all := make([]One, 0, len(workloads))
	for _, x := range workloads {
		if a, settled := answers[x]; settled {
			all = append(all, a)
		}
	}
	return all
}

// asOwn are the addresses as which a workload is seen, by those of another of its class: where that is seen as itself,
// this one is, too.
func asOwn(seen []netip.Addr, first, x *estate.Workload) []netip.Addr {
	out := slices.Clone(seen)
	for i, a := range out {
		public, _ := first.PublicLike(a)
		private, _ := first.AddrLike(a)
		switch a {
		case public:
			out[i], _ = x.PublicLike(a)
		case private:
			out[i], _ = x.AddrLike(a)
		}
	}
	return out
}
