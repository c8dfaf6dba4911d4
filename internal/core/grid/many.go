package grid

import (
	"maps"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file answers questions about many: the workloads of a subnet, a tier or a network.

// Pair is an ordered pair of ends, by name.
type Pair struct{ From, To string }

// Part is some pairs of a question about many that fare alike.
type Part struct {
	Answer *reach.Answer // of the first of them
	Pairs  int
	Some   []Pair // a few of them, the first one first
}

// Survey is the answer to a question about many.
type Survey struct {
	From, To reach.Ends
	Asked    flow.Set
	Verdict  reach.Verdict // Open when all pairs are, Blocked when all are; Blocked too when there is none
	Pairs    int
	Parts    []Part
}

// maxNamed is how many pairs of a part are named.
const maxNamed = 3

// AskMany answers for every pair of some ends, by classes of workloads that nothing tells apart. Parts are those that
// fare alike, and with apart those that take the same way as well. A workload is never asked about itself. After each
// pair of classes it calls step, when that is not nil, with how much is done of how much.
func AskMany(e *estate.Estate, from, to reach.Ends, asked flow.Set, apart bool, step func(done, total int)) *Survey {
	s := &Survey{From: from, To: to, Asked: asked}
	froms, tos := likeEnds(e, from, to)
	for i, x := range froms {
		for j, y := range tos {
			for _, q := range x.questions(y) {
				s.add(reach.Ask(e, reach.Question{From: q.from, To: q.to, Flows: asked}), q.pairs, apart)
			}
			if step != nil {
				step(i*len(tos)+j+1, len(froms)*len(tos))
			}
		}
	}
	s.sum()
	return s
}

func (s *Survey) sum() {
	open, blocked := true, true
	for _, p := range s.Parts {
		open = open && p.Answer.Verdict == reach.Open
		blocked = blocked && p.Answer.Verdict == reach.Blocked
	}
	switch {
	case blocked:
		s.Verdict = reach.Blocked
	case open:
		s.Verdict = reach.Open
	default:
		s.Verdict = reach.Partly
	}
}

// add adds an answer to the part that fares like it.
func (s *Survey) add(a *reach.Answer, pairs int, apart bool) {
	s.Pairs += pairs
	one := Pair{a.From.Name, a.To.Name}
	for i := range s.Parts {
		if p := &s.Parts[i]; fareAlike(p.Answer, a) && (!apart || slices.EqualFunc(p.Answer.Ways, a.Ways, sameRoad)) {
			p.Pairs += pairs
			if len(p.Some) < maxNamed {
				p.Some = append(p.Some, one)
			}
			return
		}
	}
	s.Parts = append(s.Parts, Part{a, pairs, []Pair{one}})
}

// fareAlike reports whether two answers say the same of different ends.
func fareAlike(a, b *reach.Answer) bool {
	return a.Verdict == b.Verdict && a.Full.Equal(b.Full) && a.Some.Equal(b.Some) &&
		slices.EqualFunc(a.Blockers, b.Blockers, func(x, y diag.Finding) bool { return x.Same(&y) })
}

// sameRoad reports whether two ways lead over the same steps, whoever takes them.
func sameRoad(w, o reach.Way) bool {
	same := func(a, b reach.Hop) bool {
		if a.Object != nil && b.Object != nil && a.Object.Kind() == estate.WorkloadKind {
			return b.Object.Kind() == estate.WorkloadKind
		}
		return a.Object == b.Object && a.Dir == b.Dir && a.At == b.At
	}
	return slices.EqualFunc(w.Forward, o.Forward, same) && slices.EqualFunc(w.Back, o.Back, same)
}

// sameEnds are some ends of a question that nothing tells apart: an end alone, or the workloads of a class.
type sameEnds struct {
	one   *reach.End
	class *Class
}

// likeEnds sorts the ends of a question into those that nothing tells apart.
func likeEnds(e *estate.Estate, from, to reach.Ends) (froms, tos []sameEnds) {
	const inFrom, inTo = 1, 2
	wanted := map[*estate.Workload]int{}
	for _, x := range from.Many {
		wanted[x] |= inFrom
	}
	for _, x := range to.Many {
		wanted[x] |= inTo
	}
	for _, c := range alikes(e, wanted) {
		if wanted[c.Members[0]]&inFrom != 0 {
			froms = append(froms, sameEnds{class: c})
		}
		if wanted[c.Members[0]]&inTo != 0 {
			tos = append(tos, sameEnds{class: c})
		}
	}
	if from.One != nil {
		froms = []sameEnds{{one: from.One}}
	}
	if to.One != nil {
		tos = []sameEnds{{one: to.One}}
	}
	return froms, tos
}

// alikes sorts some workloads into classes none of which has workloads of two numbers.
func alikes(e *estate.Estate, wanted map[*estate.Workload]int) []*Class {
	if len(wanted) == 0 {
		return nil
	}
	filters := filtersOf(e)
	of := e.Derived(classOfKey{}, func() any { return newClassOf(e, filters) }).(classOf)
	type part struct {
		class  *Class
		number int
	}
	some := slices.SortedFunc(maps.Keys(wanted), func(a, b *estate.Workload) int { return a.Index - b.Index })
	var places []*place
	byPlace, known := map[*place][]*Class{}, map[part]*Class{}
	for _, x := range some {
		whole := of[x.Index]
		if whole == nil {
			continue
		}
		c := known[part{whole, wanted[x]}]
		if c == nil {
			c = &Class{place: whole.place, groups: whole.groups, counts: map[*estate.Subnet]int{}}
			known[part{whole, wanted[x]}] = c
			if byPlace[c.place] == nil {
				places = append(places, c.place)
			}
			byPlace[c.place] = append(byPlace[c.place], c)
		}
		c.Members = append(c.Members, x)
		c.counts[x.Subnet]++
	}
	var all []*Class
	for _, p := range places {
		all = append(all, byPlace[p]...)
	}
	return all
}

// classOf is the class of each workload by its number, of those that the internet tells apart as well; nil for one without a
// place. An estate keeps it.
type classOf []*Class

type classOfKey struct{}

func newClassOf(e *estate.Estate, filters *filters) classOf {
	of := make(classOf, len(e.Workloads))
	for _, c := range classesWith(e, filters, publicness).Classes {
		for _, x := range c.Members {
			of[x.Index] = c
		}
	}
	return of
}

// publicness numbers in which families the internet can know a workload: what classes do not tell apart, and the
// internet does.
func publicness(x *estate.Workload) int {
	n := 0
	for i, f := range []family{ipv4, ipv6} {
		if _, has := x.PublicLike(f); has {
			n |= 1 << i
		}
	}
	return n
}

// question is one to ask, and for how many pairs its answer stands.
type question struct {
	from, to reach.End
	pairs    int
}

// questions are those whose answers stand for all pairs of two sides: one across subnets, and one within a subnet.
func (b sameEnds) questions(c sameEnds) []question {
	switch {
	case b.one != nil && c.one != nil:
		return []question{{*b.one, *c.one, 1}}
	case b.one != nil:
		return withOne(*b.one, c.class, func(x *estate.Workload, pairs int) question { return question{*b.one, reach.EndOf(x), pairs} })
	case c.one != nil:
		return withOne(*c.one, b.class, func(x *estate.Workload, pairs int) question { return question{reach.EndOf(x), *c.one, pairs} })
	}
	var out []question
	across, within := pairs(b.class, c.class)
	for _, want := range []struct {
		pairs int
		same  bool
	}{{across, false}, {within, true}} {
		if want.pairs == 0 {
			continue
		}
		x, y := onePair(b.class, c.class, want.same)
		out = append(out, question{reach.EndOf(x), reach.EndOf(y), want.pairs})
	}
	return out
}

// onePair is a pair of different workloads of two classes, in the same subnet or in different ones. There must be one.
func onePair(b, c *Class, same bool) (x, y *estate.Workload) {
	for _, x := range b.Members {
		for _, y := range c.Members {
			if x != y && (x.Subnet == y.Subnet) == same {
				return x, y
			}
		}
	}
	panic("pairs were counted that are not there")
}

// withOne asks about one end, and a workload of a class: one in another subnet, and one in the same.
func withOne(one reach.End, c *Class, ask func(x *estate.Workload, pairs int) question) []question {
	var out []question
	var far, near []*estate.Workload
	for _, x := range c.Members {
		switch {
		case one.Workload == nil || one.Workload.Subnet != x.Subnet:
			far = append(far, x)
		case one.Workload != x:
			near = append(near, x)
		}
	}
	for _, some := range [][]*estate.Workload{far, near} {
		if len(some) > 0 {
			out = append(out, ask(some[0], len(some)))
		}
	}
	return out
}
