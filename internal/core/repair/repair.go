// Package repair makes the fixes of answers on a copy of the plan, asks again until nothing is in the way that an edit can
// end, and keeps of the fixes those that are needed: so each cause that it gives stays when the others are fixed.
package repair

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// Repair is what would open flows that are blocked.
type Repair struct {
	Causes  []diag.Finding  // what stops the flows: those with edits, each of which is needed, and those for which a person must choose
	Made    int             // how many of the causes have edits, which were made
	Unmade  []int           // the numbers of the causes that have none, from 0
	After   []*reach.Answer // the same questions, asked again; nil where no edit was made
	Estate  *estate.Estate  // the estate then
	Opens   []grid.Difference
	Closes  []grid.Difference
	Against []plan.Expectation // lines that say that something never passes, and that the edits break
	Broken  []plan.Expectation // all lines that hold, and that the edits break: those, and others where something closes
	Problem string             // why the edits of some causes cannot be made beside the others; empty when all can
}

// Verdict is what the questions come to once the edits are made: Open when all are, Blocked when all are.
func (r *Repair) Verdict() reach.Verdict {
	some := map[reach.Verdict]bool{}
	for _, a := range r.After {
		some[a.Verdict] = true
	}
	if len(some) == 1 {
		return r.After[0].Verdict
	}
	return reach.Partly
}

// The bounds of a search: how often the question is asked again behind fixes, and how many narrower fixes are compared.
const (
	maxRounds   = 8
	maxNarrower = 12
)

// Of works out what would open the flows of some answers. What else that opens and closes speaks of sites and the internet,
// too.
func Of(e *estate.Estate, a *reach.Answer) *Repair {
	again := func(after *estate.Estate) (answers []*reach.Answer, ok bool) {
		q := reach.Question{Flows: a.Flows, Replies: a.Replies}
		var err error
		if q.From, err = reach.Find(after, a.From.Name); err == nil {
			q.To, err = reach.Find(after, a.To.Name)
		}
		if err != nil {
			return nil, false
		}
		return []*reach.Answer{reach.Ask(after, q)}, true
	}
	return (&search{e: e, was: []*reach.Answer{a}, again: again}).repair()
}

// OfMany works out what would open the flows between all pairs of ends that were asked about.
func OfMany(e *estate.Estate, many *grid.Survey) *Repair {
	s := &search{e: e, was: answersOf(many), again: func(after *estate.Estate) ([]*reach.Answer, bool) { return askAgain(after, many) }}
	s.ends = []reach.Ends{many.From, many.To}
	r := s.repair()
	from, to := namesOf(many.From), namesOf(many.To)
	r.Opens = slices.DeleteFunc(r.Opens, func(d grid.Difference) bool {
		in := func(set map[string]bool) func(string) bool { return func(x string) bool { return !set[x] } }
		return many.Asked.Covers(d.Flows) && !slices.ContainsFunc(d.From, in(from)) && !slices.ContainsFunc(d.To, in(to))
	})
	return r
}

// answersOf are those of the parts of a survey.
func answersOf(many *grid.Survey) []*reach.Answer {
	var all []*reach.Answer
	for _, p := range many.Parts {
		all = append(all, p.Answer)
	}
	return all
}

// askAgain asks about the pairs of a survey in another estate: some that fared alike may do so no longer.
func askAgain(after *estate.Estate, many *grid.Survey) ([]*reach.Answer, bool) {
	from, ok := many.From.In(after)
	if !ok {
		return nil, false
	}
	to, ok := many.To.In(after)
	if !ok {
		return nil, false
	}
	return answersOf(grid.AskMany(after, from, to, many.Asked, false, nil)), true
}

// namesOf are those of the workloads, or the one end, of a question.
func namesOf(e reach.Ends) map[string]bool {
	if e.One != nil {
		return map[string]bool{e.One.Name: true}
	}
	all := map[string]bool{}
	for _, x := range e.Many {
		all[x.Name] = true
	}
	return all
}

func (s *search) repair() *Repair {
	now := s.collect(outcome{s.e, s.was}, false)
	if len(s.steps) == 0 {
		r := &Repair{Causes: causes(s.was)}
		r.number()
		return r
	}
	now = s.prune(now)
	r := s.result(now)
	if len(r.Closes) > 0 || len(r.Against) > 0 {
		r = s.narrow(r)
	}
	return r
}

// causes are all that some answers are blocked by, each once.
func causes(answers []*reach.Answer) []diag.Finding {
	var all []diag.Finding
	for _, a := range answers {
		for _, b := range a.Blockers {
			if !has(all, b) {
				all = append(all, b)
			}
		}
	}
	return all
}

func has(all []diag.Finding, f diag.Finding) bool {
	return slices.ContainsFunc(all, func(o diag.Finding) bool { return Alike(o, f) })
}

// Alike reports whether two findings say the same of the same place.
func Alike(a, b diag.Finding) bool {
	return a.Code == b.Code && slices.Equal(a.Place, b.Place) && a.Message == b.Message
}

// search is the search for what opens flows.
type search struct {
	e     *estate.Estate
	was   []*reach.Answer
	ends  []reach.Ends                                       // whom the question names, where it names many
	again func(after *estate.Estate) ([]*reach.Answer, bool) // asks in another estate; ok is false where that cannot be
	steps []step
	left  []diag.Finding // causes whose edits cannot be made in this plan
}

// step is a cause with the edits that end it: those of edits[nth], of which each later one does less.
type step struct {
	cause diag.Finding
	edits [][]text.Edit
	nth   int
}

// outcome is an estate with some of the steps made, and the answers there.
type outcome struct {
	e       *estate.Estate
	answers []*reach.Answer
}

// try makes all steps but one (none for -1) and asks again; ok is false where they cannot be made.
func (s *search) try(but int) (o outcome, ok bool) {
	var changes text.Changes
	for i, x := range s.steps {
		if i != but {
			changes = append(changes, text.Change{Edits: x.edits[x.nth], Why: x.cause.Message})
		}
	}
	after, findings, err := s.e.With(changes)
	if err != nil || len(findings) > 0 {
		return o, false
	}
	o.e = after
	o.answers, ok = s.again(after)
	return o, ok
}

// collect makes the fixes of all that is in the way now, and of what is in the way then, until there is nothing more to make; least says
// that of each the one is made that does the least.
func (s *search) collect(now outcome, least bool) outcome {
	made := map[string]bool{}
	for _, x := range s.steps {
		made[x.words()] = true
	}
	for range maxRounds {
		var fresh []step
		for _, b := range causes(now.answers) {
			x := step{cause: b, edits: s.placed(alternatives(s.e, b, s.ends...))}
			if len(x.edits) == 0 {
				continue
			}
			if least {
				x.nth = len(x.edits) - 1
			}
			if !made[x.words()] {
				made[x.words()] = true
				fresh = append(fresh, x)
			}
		}
		if len(fresh) == 0 {
			break
		}
		before := len(s.steps)
		s.steps = append(s.steps, fresh...)
		o, ok := s.try(-1)
		if !ok { // one of them cannot be made beside the others: find out which
			s.steps = s.steps[:before]
			for _, x := range fresh {
				s.steps = append(s.steps, x)
				if one, fits := s.try(-1); fits {
					o, ok = one, true
				} else {
					s.steps = s.steps[:len(s.steps)-1]
					s.left = append(s.left, x.cause)
				}
			}
		}
		if !ok {
			break
		}
		now = o
	}
	return now
}

// alternatives are the edits of a cause, and the narrower ones, but for those whose rule of a group speaks of more than the question does.
func alternatives(e *estate.Estate, f diag.Finding, ends ...reach.Ends) [][]text.Edit {
	for _, x := range f.Fixes {
		if len(x.Edits) > 0 {
			all := append([][]text.Edit{x.Edits}, x.Instead...)
			if fits := slices.DeleteFunc(slices.Clone(all), func(edits []text.Edit) bool { return tooWide(e, edits, ends) }); len(fits) > 0 {
				return fits
			}
			return all
		}
	}
	return nil
}

// tooWide reports whether a rule of a group would name a subnet or a tier that is not, nor is a part of, what the question names: whoever comes to
// live there was not asked about.
func tooWide(e *estate.Estate, edits []text.Edit, ends []reach.Ends) bool {
	for _, x := range edits {
		rule, single := x.Value.Single()
		if n := len(x.Path); !single || n != 5 || x.Path[2] != "groups" || x.Path[4] != "in" && x.Path[4] != "out" {
			continue
		}
		words := strings.Fields(rule)
		peer := words[len(words)-1]
		p, err := netip.ParsePrefix(peer)
		if words[len(words)-2] == "group" || err == nil && p.IsSingleIP() {
			continue
		}
		for _, s := range e.Subnets {
			spoken := err != nil && s.Tier != nil && s.Tier.ID() == peer
			for _, r := range s.Ranges {
				spoken = spoken || err == nil && p.Bits() <= r.Bits() && p.Contains(r.Addr())
			}
			if spoken && !slices.ContainsFunc(ends, func(end reach.Ends) bool { return s.In(end.Name) }) {
				return true
			}
		}
	}
	return false
}

// placed counts the places of elements that go into lists as they were before the steps: edits are made all at once.
func (s *search) placed(all [][]text.Edit) [][]text.Edit {
	for i, edits := range all {
		all[i] = slices.Clone(edits)
		for j := range all[i] {
			all[i][j].Nth -= s.goneBefore(all[i][j])
		}
	}
	return all
}

// goneBefore is how many elements the steps have put into a list before the one that an edit counts.
func (s *search) goneBefore(e text.Edit) int {
	var before []int
	for _, x := range s.steps {
		for _, o := range x.edits[x.nth] {
			if o.Nth > 0 && e.Nth > 0 && slices.Equal(o.Path, e.Path) {
				before = append(before, o.Nth)
			}
		}
	}
	slices.Sort(before)
	gone := 0
	for _, nth := range before {
		if nth+gone < e.Nth {
			gone++
		}
	}
	return gone
}

func (x step) words() string { return fmt.Sprint(x.edits[x.nth]) }

// prune drops each step without which all is as it is with it, the last first.
func (s *search) prune(now outcome) outcome {
	for i := len(s.steps) - 1; i >= 0 && len(s.steps) > 1; i-- {
		if o, ok := s.try(i); ok && slices.EqualFunc(o.answers, now.answers, same) {
			now = o
			s.steps = slices.Delete(s.steps, i, i+1)
		}
	}
	return now
}

// same reports whether two answers let the same pass, and are blocked by the same.
func same(a, b *reach.Answer) bool {
	return a.Verdict == b.Verdict && a.Full.Equal(b.Full) && a.Some.Equal(b.Some) && slices.EqualFunc(a.Blockers, b.Blockers, Alike)
}

// result says what the steps come to.
func (s *search) result(now outcome) *Repair {
	r := &Repair{After: now.answers, Estate: now.e}
	before, left := causes(s.was), causes(now.answers)
	told := make([]bool, len(s.steps))
	cause := func(i int) {
		f := s.steps[i].cause
		f.Fixes = []diag.Fix{{Edits: s.steps[i].edits[s.steps[i].nth], Advice: adviceOf(f)}}
		told[i] = true
		r.Causes = append(r.Causes, f)
	}
	for _, b := range before { // in the order of the way
		if i := slices.IndexFunc(s.steps, func(x step) bool { return Alike(x.cause, b) }); i >= 0 {
			cause(i)
		} else if has(left, b) {
			r.Causes = append(r.Causes, b)
		}
	}
	for i := range s.steps {
		if !told[i] {
			cause(i)
		}
	}
	for _, b := range left {
		if !has(r.Causes, b) {
			r.Causes = append(r.Causes, b)
		}
	}
	for i := range r.Causes {
		f := &r.Causes[i]
		if has(s.left, *f) {
			f.Fixes = diag.Advise(f.Fix() + " (which cannot be written beside the others)")
			r.Problem = fmt.Sprintf("the fix of %s cannot be written beside the others", f.Message)
		}
	}
	r.number()
	var asked []reach.Question
	for _, a := range s.was {
		asked = append(asked, a.Question)
	}
	d := compare.Effect(s.e, now.e, asked...)
	r.Opens, r.Closes, r.Broken = d.Opens, d.Closes, expect.NoLonger(s.e, now.e, len(d.Closes) > 0)
	for _, x := range r.Broken {
		if x.Never || x.Only {
			r.Against = append(r.Against, x)
		}
	}
	return r
}

// number counts the causes that were fixed, and those that were not.
func (r *Repair) number() {
	r.Made, r.Unmade = 0, nil
	for i := range r.Causes {
		if len(r.Causes[i].Edits()) > 0 {
			r.Made++
		} else {
			r.Unmade = append(r.Unmade, i)
		}
	}
}

func adviceOf(f diag.Finding) string {
	for _, x := range f.Fixes {
		if len(x.Edits) > 0 {
			return x.Advice
		}
	}
	return ""
}

// harm is how much steps close and break.
func (r *Repair) harm() int {
	n := len(r.Against)
	for _, d := range r.Closes {
		n += len(d.From) * len(d.To)
	}
	return n
}

// narrow takes fixes that do less, where those that do more close what passes today or break what is said of the estate;
// as few of them as that takes.
func (s *search) narrow(r *Repair) *Repair {
	was := slices.Clone(s.steps)
	for i := range s.steps {
		s.steps[i].nth = len(s.steps[i].edits) - 1
	}
	now, ok := s.try(-1)
	if ok { // what one fix for a group ended is for each family and for each member to be ended now
		now = s.collect(now, true)
	}
	if !ok || !slices.EqualFunc(now.answers, r.After, same) {
		s.steps = was
		return r
	}
	now = s.prune(now)
	least := s.result(now)
	if least.harm() >= r.harm() {
		s.steps = was
		return r
	}
	tries := 0
	for i := range s.steps {
		for nth := range s.steps[i].nth { // as wide as does no more harm
			if tries++; tries > maxNarrower {
				return least
			}
			had := s.steps[i].nth
			s.steps[i].nth = nth
			if now, ok := s.try(-1); ok && slices.EqualFunc(now.answers, r.After, same) {
				if x := s.result(now); x.harm() <= least.harm() {
					least = x
					break
				}
			}
			s.steps[i].nth = had
		}
	}
	if now, ok := s.try(-1); ok { // one that does more may do what another was for
		least = s.result(s.prune(now))
	}
	return least
}
