package overlap

import (
	"cmp"
	"math/big"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/space"
)

// Listed is a range of a list that stands beside a plan.
type Listed struct {
	ranges.Entry
	Where string // in which file and line
}

// Clash is a range of a list, and what of the plan has some of its addresses.
type Clash struct {
	Listed  *Listed
	With    Thing
	Shared  address.Interval
	Verdict Verdict // a conflict meets once the list's is joined as was asked; what is latent would meet by other joins
	Why     string  // a sentence without its full stop
}

// Mover is what must move so that the two can be joined, and where to.
type Mover struct {
	Listed *Listed // nil where it is something of the plan
	What   Thing   // of the plan
	Was    []netip.Prefix
	To     netip.Prefix // one range with room for all of Was; not valid where there is none
	Where  string       // in which block or private range
	For    []string     // whom it overlaps with
}

// Beside is what a list and a plan come to.
type Beside struct {
	Clashes []Clash
	Left    int     // how many more there are
	Moves   []Mover // the largest first: each goes to what is free now, so that they can be made in this order, or in any
	NoRoom  []Mover // for which there is no free range of the size
	Fixed   []Clash // of which neither may move: only translation joins them
	// Unjudged is how many pairs share addresses beyond the first maxJudged, with such among them as are of one side alone.
	Unjudged uint64
}

// Against finds which ranges of a list overlap with networks, sites, clusters and held parts of an estate; with are those that the list's
// are to be joined with, and so meet, together with what those meet: all of them are latent where none is given. Of the two the one moves that
// is not fixed; else a cluster's range, or a network in which nobody lives yet, before the list's, and the list's before all else.
func Against(e *estate.Estate, list []Listed, with []estate.Object) *Beside {
	j := newJudge(e)
	var taken []space.Taken
	var all []netip.Prefix
	var whose []int // by number in all: of the list; what comes behind is of the plan
	for i := range list {
		for _, p := range address.Between(list[i].First, list[i].Last).Ranges() {
			taken = append(taken, space.Taken{Range: p, Owner: list[i].Labels().Name})
			all, whose = append(all, p), append(whose, i)
		}
	}
	var things []Thing
	for _, t := range listOf(e) {
		if !t.represented() && (t.block == nil || t.block.Held) {
			things = append(things, t)
			all = append(all, t.Range)
		}
	}
	j.survey = space.NewSurvey(e, taken)
	out := &Beside{}
	type pair struct{ entry, thing int }
	seen := map[pair]bool{}
	var pairs []pair
	judged := 0
	total := address.Pairs(all, func(outer, inner int) bool {
		judged++
		a, b := min(outer, inner), max(outer, inner)
		if a < len(whose) && b >= len(whose) {
			if p := (pair{whose[a], b - len(whose)}); !seen[p] {
				seen[p] = true
				pairs = append(pairs, p)
			}
		}
		return judged < maxJudged
	})
	out.Unjudged = total - uint64(judged)
	slices.SortFunc(pairs, func(p, q pair) int { return cmp.Or(p.entry-q.entry, p.thing-q.thing) })
	moves := map[pair]*Mover{} // by entry with thing -1, and by thing with entry -1
	var order []pair
	mover := func(k pair, because string) {
		if moves[k] == nil {
			order = append(order, k)
			moves[k] = &Mover{}
		}
		if m := moves[k]; !slices.Contains(m.For, because) {
			m.For = append(m.For, because)
		}
	}
	var easy []pair
	for _, p := range pairs {
		t, l := things[p.thing], &list[p.entry]
		c := Clash{Listed: l, With: t}
		c.Shared = address.Interval{First: later(l.First, t.Range.Addr(), 1), Last: later(l.Last, address.Last(t.Range), -1)}
		c.Verdict, c.Why = j.beside(&t, with)
		if len(out.Clashes) >= MaxPairs {
			out.Left++
		} else {
			out.Clashes = append(out.Clashes, c)
		}
		switch {
		case c.Verdict == Harmless || len(with) > 0 && c.Verdict == Latent: // which is in nobody's way
		case l.Labels().Fixed && ease(t) == 0:
			out.Fixed = append(out.Fixed, c)
		case l.Labels().Fixed:
			mover(pair{-1, p.thing}, name(l))
		case ease(t) != 0 && (t.cluster != nil || t.isNetwork() && len(t.network.Workloads()) == 0):
			easy = append(easy, p)
		default:
			mover(pair{p.entry, -1}, t.String())
		}
	}
	for _, p := range easy { // of what is in the way of something that moves in any case, nothing moves
		if moves[pair{p.entry, -1}] == nil {
			mover(pair{-1, p.thing}, name(&list[p.entry]))
		}
	}
	for _, k := range order {
		m := moves[k]
		if k.entry >= 0 {
			m.Listed = &list[k.entry]
			m.Was = address.Between(m.Listed.First, m.Listed.Last).Ranges()
		} else {
			m.What, m.Was = things[k.thing], []netip.Prefix{things[k.thing].Range}
		}
	}
	slices.SortStableFunc(order, func(a, b pair) int { return largest(moves[a].Was) - largest(moves[b].Was) })
	given := address.Set{}
	for _, k := range order {
		if m := moves[k]; j.place(m, &given) {
			out.Moves = append(out.Moves, *m)
		} else {
			out.NoRoom = append(out.NoRoom, *m)
		}
	}
	return out
}

// largest is the length of the largest of some ranges, in bits of their family's addresses.
func largest(all []netip.Prefix) int {
	best := 128
	for _, p := range all {
		best = min(best, p.Bits()+128-p.Addr().BitLen())
	}
	return best
}

// later is the greater of two addresses, or with -1 the lesser.
func later(a, b netip.Addr, way int) netip.Addr {
	if a.Compare(b)*way >= 0 {
		return a
	}
	return b
}

// name is how a list calls a range, with where it stands.
func name(l *Listed) string {
	if n := l.Labels().Name; n != "" {
		return n + " (" + l.Where + ")"
	}
	return l.String() + " (" + l.Where + ")"
}

// beside says whether it matters that a range of a list has addresses of a thing.
func (j *judge) beside(t *Thing, with []estate.Object) (Verdict, string) {
	switch {
	case t.block != nil:
		return Harmless, "the block is held for " + t.block.Plan.Held.Value + ", which may be just that"
	case t.Kind == "held":
		return Latent, "the part of network " + t.network.Name + " is held, and nobody is there yet"
	}
	end, around := t.end(), ""
	if t.cluster != nil {
		around = ", around which alone its " + t.Kind + " are known"
		if t.network == nil {
			return Latent, "its " + t.Kind + " are known around its nodes alone"
		}
	}
	called := func(x estate.Object) string { return string(x.Kind()) + " " + x.ID() }
	for _, x := range with {
		switch {
		case x == end:
			return Conflict, "it is to be joined with " + called(x) + around
		case j.meetings.Meet(x, end):
			return Conflict, called(x) + ", with which it is to be joined, meets " + called(end) + around
		}
	}
	if len(with) > 0 {
		return Latent, called(end) + " meets nothing that it is to be joined with"
	}
	return Latent, "they meet once it is joined with " + called(end) + around + ", or with what that meets"
}

// place finds where something goes: what of the plan moves within its block, and the list's into any block of the plan, or else into the
// private range that it lies in. It reports false where there is no room.
func (j *judge) place(m *Mover, given *address.Set) bool {
	rooms, names := j.rooms(m)
	total := new(big.Int)
	for _, p := range m.Was {
		total.Add(total, address.Count(p))
	}
	width := m.Was[0].Addr().BitLen()
	for i, free := range rooms {
		if to, found := address.NewPool(free.Minus(*given).Minus(address.SetOf(m.Was...)), width).Take(address.BitsFor(total, width)); found {
			m.To, m.Where, *given = to, names[i], given.Union(address.SetOf(to))
			return true
		}
	}
	m.Where = phrase.And(names)
	return false
}

// rooms are the free spaces that something may move to, and what they are of, in the order in which they are tried.
func (j *judge) rooms(m *Mover) (rooms []address.Set, names []string) {
	if m.Listed == nil {
		if free, where, found := j.room(m.What); found {
			return []address.Set{free}, []string{where}
		}
		return nil, nil
	}
	remember := func(key any, name string, free func() address.Set) {
		if _, known := j.free[key]; !known {
			j.free[key] = free()
		}
		rooms, names = append(rooms, j.free[key]), append(names, name)
	}
	for _, b := range j.survey.Estate.Blocks {
		if !b.Held {
			remember(b, "block "+b.Name, func() address.Set { return j.survey.FreeIn(b) })
		}
	}
	if special, is := address.SpecialOf(m.Was[0]); is {
		remember(special.Range, special.Range.String(), func() address.Set { return address.SetOf(special.Range).Minus(j.survey.Occupied) })
	}
	return rooms, names
}
