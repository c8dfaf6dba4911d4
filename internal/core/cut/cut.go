// Package cut takes somebody off from somebody else with the least that it takes: rules that let only them in go, rules that let others in, too,
// are narrowed, or access lists deny them. What it makes is asked again, and what else closes is told.
package cut

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// All is the word for everybody else.
const All = "all"

// Request is who is to be taken off from whom; one of A and B may be All.
type Request struct {
	A, B  string
	Flows flow.Set
	On    bool // whether the flows were named
}

// Result is what it takes.
type Result struct {
	Changes text.Changes
	Proof   []string // lines of expect that say so from now on; they are among the changes
	Opens   []grid.Difference
	Closes  []grid.Difference  // beyond what was asked
	Breaks  []plan.Expectation // lines that held, and do not then
	Left    []*reach.Answer    // what passes all the same
	Passed  int                // pairs that something passed between before
	After   *estate.Estate
}

// The bounds of a search: how often it is asked again behind edits, and how many rules one is written as.
const (
	maxRounds = 12
	maxRules  = 40
	few       = 2 // edits: where no more close what is asked and nothing besides, no other way is tried
)

// side is one of the two ends.
type side struct {
	word  string
	ends  []reach.Ends
	addrs address.Set // of its workloads, private and public, and of sites
	own   address.Set // without the public ones
	who   map[string]bool
	whole bool // whether the internet is among it
	sites map[string]bool
}

// Of works out what takes A off from B. The error is a *wrong.Error, of a word that names nothing.
func Of(e *estate.Estate, q Request) (*Result, error) {
	a, b, err := sides(e, q)
	if err != nil {
		return nil, err
	}
	s := &search{e: e, q: q, a: a, b: b}
	for i := range e.Plan.Expect {
		s.held = append(s.held, expect.One(e, &e.Plan.Expect[i]).Holds)
	}
	open, asked := s.passing(e)
	if asked == 0 {
		return nil, wrong.Value("ask for somebody who has one; carve gives them", "nobody with an address is on both sides, so there is nothing to cut")
	}
	r := &Result{After: e}
	for _, p := range open {
		r.Passed += p.Pairs
	}
	if len(open) > 0 {
		s.try(r, open)
	}
	s.prove(r)
	if len(r.Changes) > 0 {
		d := compare.Effect(e, r.After)
		r.Opens, r.Closes = d.Opens, s.beyond(d.Closes)
		r.Breaks = s.breaks(r.After)
	}
	left, _ := s.passing(r.After)
	for _, p := range left {
		r.Left = append(r.Left, p.Answer)
	}
	return r, nil
}

// breaks are the lines that hold in the estate, and not in what comes of it.
func (s *search) breaks(after *estate.Estate) []plan.Expectation {
	var all []plan.Expectation
	for i, x := range s.e.Plan.Expect {
		if s.held[i] && !expect.One(after, &x).Holds {
			all = append(all, x)
		}
	}
	return all
}

func sides(e *estate.Estate, q Request) (a, b *side, err error) {
	find := func(word string) (*side, error) {
		s := &side{word: word}
		if word != All {
			ends, err := reach.FindEnds(e, word)
			if err != nil {
				return nil, err
			}
			s.ends = []reach.Ends{ends}
		}
		return s, nil
	}
	if a, err = find(q.A); err == nil {
		b, err = find(q.B)
	}
	if err != nil {
		return nil, nil, err
	}
	for _, x := range []struct{ s, other *side }{{a, b}, {b, a}} {
		if x.s.word == All {
			for _, o := range expect.Everybody(e) {
				for _, but := range x.other.ends {
					o = o.Without(but)
				}
				if o.One != nil || len(o.Many) > 0 {
					x.s.ends = append(x.s.ends, o)
				}
			}
		}
		x.s.gather()
	}
	return a, b, nil
}

// gather notes who is of a side, and by which addresses.
func (s *side) gather() {
	s.who, s.sites = map[string]bool{}, map[string]bool{}
	var addrs, public []netip.Prefix
	for _, o := range s.ends {
		some := o.Many
		switch {
		case o.One == nil:
		case o.One.Workload != nil:
			some = []*estate.Workload{o.One.Workload}
		case o.One.Site != nil && o.Name == o.One.Site.Name:
			s.sites[o.Name] = true
			addrs = append(addrs, o.One.Site.Ranges...)
		case o.Name == plan.Internet:
			s.whole = true
		case o.One.Addr.IsValid():
			addrs = append(addrs, address.Single(o.One.Addr))
		default: // a part of the internet or of a site
			if p, err := address.ParseRange(o.Name); err == nil {
				addrs = append(addrs, p)
			}
		}
		for _, w := range some {
			s.who[w.Name] = true
			for _, a := range w.Addrs {
				addrs = append(addrs, address.Single(a))
			}
			for _, a := range w.Public {
				public = append(public, address.Single(a))
			}
		}
	}
	s.own = address.SetOf(addrs...)
	s.addrs = s.own.Union(address.SetOf(public...))
}

type search struct {
	e    *estate.Estate
	q    Request
	a, b *side
	held []bool // of each line of expect, whether it holds in the estate
}

// passing are the pairs that something passes between, and how many were asked about.
func (s *search) passing(e *estate.Estate) (open []grid.Part, asked int) {
	for _, from := range s.a.ends {
		for _, to := range s.b.ends {
			from, there := from.In(e)
			to, here := to.In(e)
			if !there || !here {
				continue
			}
			for _, p := range grid.AskMany(e, from, to, s.q.Flows, false, nil).Parts {
				if asked += p.Pairs; p.Answer.Verdict != reach.Blocked {
					open = append(open, p)
				}
			}
		}
	}
	return open, asked
}

// kind is a way to cut: some kinds of edits, one after the other as long as something passes.
type kind func(s *search, e *estate.Estate, open []grid.Part) text.Changes

// try makes each way of cutting on a copy of the plan, and takes the one that closes what is asked and the least besides, in as
// few edits.
func (s *search) try(r *Result, open []grid.Part) {
	best, harm, size := outcome{}, -1, 0
	for _, way := range [][]kind{{rulesIn}, {listsIn, rulesIn}, {listsOut, rulesIn}, {rulesOut}, {listsIn, rulesOut}, {splitsIn}, {listsIn, splitsIn}, {splitsOut}} {
		if harm == 0 && size <= few {
			break
		}
		o, ok := s.make(way, open)
		if !ok {
			continue
		}
		n := 0
		for _, c := range o.changes {
			n += len(c.Edits)
		}
		if h := s.harm(o); harm < 0 || h < harm || h == harm && n < size {
			best, harm, size = o, h, n
		}
	}
	if harm >= 0 {
		r.Changes, r.After = best.changes, best.e
	}
}

type outcome struct {
	changes text.Changes
	e       *estate.Estate
	open    []grid.Part
}

// make makes the edits of some kinds in turn, each until nothing passes or it has no more.
func (s *search) make(way []kind, open []grid.Part) (outcome, bool) {
	o := outcome{e: s.e, open: open}
	for _, k := range way {
		for range maxRounds {
			if len(o.open) == 0 {
				return o, true
			}
			fresh := k(s, o.e, o.open)
			if len(fresh) == 0 {
				break
			}
			changes := slices.Clone(o.changes)
			for _, c := range fresh {
				edits := slices.Clone(c.Edits)
				for i := range edits {
					edits[i] = o.changes.Before(edits[i])
				}
				changes = append(changes, text.Change{Edits: edits, Why: c.Why})
			}
			after, problems, err := s.e.With(changes)
			if err != nil || len(problems) > len(s.e.Problems) {
				break
			}
			left, _ := s.passing(after)
			o = outcome{changes, after, left}
		}
	}
	return o, len(o.changes) > 0
}

// harm is how much an outcome leaves open, breaks, opens and closes besides.
func (s *search) harm(o outcome) int {
	d := compare.Effect(s.e, o.e)
	n := 0
	for _, p := range o.open {
		n += 1000000 * p.Pairs
	}
	n += 100000 * len(s.breaks(o.e))
	for _, x := range d.Opens {
		n += 10000 * len(x.From) * len(x.To)
	}
	for _, x := range s.beyond(d.Closes) {
		n += len(x.From) * len(x.To)
	}
	return n
}

// beyond is what closes besides what was asked.
func (s *search) beyond(closes []grid.Difference) []grid.Difference {
	of := func(x *side, name string) bool {
		if name == plan.Internet {
			return x.whole
		}
		if w := s.e.Workload(name); w != nil {
			return x.has(w)
		}
		return x.sites[name]
	}
	var all []grid.Difference
	for _, d := range closes {
		if s.q.Flows.Covers(d.Flows) {
			var from, to []string
			for _, f := range d.From {
				if !of(s.a, f) {
					from = append(from, f)
				}
			}
			for _, t := range d.To {
				if !of(s.b, t) {
					to = append(to, t)
				}
			}
			switch {
			case len(from) == 0 && len(to) == 0:
				continue
			case len(from) == 0:
				d.To = to
			case len(to) == 0:
				d.From = from
			}
		}
		all = append(all, d)
	}
	return all
}

// prove adds lines of expect that say that what was asked never happens, where that is so now.
func (s *search) prove(r *Result) {
	var lines []text.Edit
	for _, a := range s.words(s.a, s.b) {
		for _, b := range s.words(s.b, s.a) {
			line := a + " never reaches " + b
			if s.q.On {
				line += " on " + s.q.Flows.String()
			}
			x, err := plan.ParseExpectation(line)
			if err != nil || slices.ContainsFunc(s.e.Plan.Expect, func(o plan.Expectation) bool { return o.Line() == x.Line() }) || !expect.One(r.After, &x).Holds {
				continue
			}
			r.Proof = append(r.Proof, line)
			lines = append(lines, text.Add(text.Path{"expect"}, text.Word(line)))
		}
	}
	if len(lines) == 0 {
		return
	}
	changes := append(slices.Clone(r.Changes), text.Change{Edits: lines, Why: "a line of expect says so from now on"})
	if after, problems, err := s.e.With(changes); err == nil && len(problems) <= len(s.e.Problems) {
		r.Changes, r.After = changes, after
	} else {
		r.Proof = nil
	}
}

// words are how a line of expect names a side: everybody else by the internet, the sites and the other networks.
func (s *search) words(x, other *side) []string {
	if x.word != All {
		return []string{x.word}
	}
	words := []string{plan.Internet}
	for _, site := range s.e.Sites {
		words = append(words, site.Name)
	}
	for _, n := range s.e.Networks {
		if len(n.Workloads()) > 0 && len(s.e.Named(n.Name)) == 1 {
			words = append(words, n.Name)
		}
	}
	return slices.DeleteFunc(words, func(w string) bool { return other.word == w || other.word == All })
}
