package grid

import (
	"net/netip"
	"slices"

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
	of := make([]int, len(g.Classes))
	for i, c := range g.Classes {
		of[i] = unit(c.Members[0])
	}
	outcomes := make([]OutcomeID, units*units)
	sums := make([]Sum, units*units)
	for i := range outcomes {
		outcomes[i] = NoPair
	}
	joined := map[[2]OutcomeID]OutcomeID{}
	join := func(at int, id OutcomeID) {
		was := outcomes[at]
		switch {
		case id == was || id == NoPair:
			return
		case was == NoPair:
			outcomes[at] = id
			return
		}
		both, found := joined[[2]OutcomeID{was, id}]
		if !found {
			a, b := g.Outcome(was), g.Outcome(id)
			flows := g.filters.flows
			both = g.outcomes.number(outcome{flows.number(a.Full.Intersect(b.Full)), flows.number(a.Some.Union(b.Some))})
			joined[[2]OutcomeID{was, id}] = both
		}
		outcomes[at] = both
	}
	_ = g.Rows(func(from int, row []Cell) error {
		if u := of[from]; u >= 0 {
			for to, cell := range row {
				v := of[to]
				if v < 0 {
					continue
				}
				across, within := g.Pairs(from, to)
				sums[u*units+v].Pairs += across + within
				join(u*units+v, cell.Across)
				join(u*units+v, cell.Within)
			}
		}
		if step != nil {
			step(from+1, len(g.Classes))
		}
		return nil
	})
	for i, id := range outcomes {
		sums[i].Outcome = g.Outcome(id)
	}
	return sums
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
