// Package expect holds an estate against what its plan says of it: who reaches whom, and who never does.
package expect

import (
	"fmt"
	"iter"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/wrong"
)

// Broken is the code of an expectation that does not hold.
const Broken diag.Code = "expectation"

// Result is what became of one expectation.
type Result struct {
	*plan.Expectation
	Holds   bool
	Pairs   int           // how many pairs of ends it speaks of
	Against int           // how many of them are otherwise than expected
	Counter *reach.Answer // the first that is; nil when it holds, or there is no pair
	Else    bool          // whether that is of somebody whom the expectation does not name, and who reaches what only others are to reach
	Waits   bool          // whether nothing could be tried because somebody has no address yet
	probed  bool          // whether somebody was tried who could be there
	Doubted bool          // whether it was not tried because something that it may rest on could not be read
	Nobody  bool          // whether there is nobody to try it by, and could be nobody
	through []estate.Object
	Why     string // why it does not hold, or what it rests on that is doubtful, as a sentence without its full stop
	Fixes   []diag.Fix
}

// Run holds each expectation of the plan against the estate. A reaches B when every workload of A reaches every one of
// B with the whole flow; A never reaches B when no part of the flow passes between any of them. Before each it calls
// step, when that is not nil, with its number and how many there are.
func Run(e *estate.Estate, step func(done, total int)) []Result { return RunSome(e, nil, step) }

// RunSome is Run without the expectations that are doubted, when that is not nil.
func RunSome(e *estate.Estate, doubted func(x *plan.Expectation) bool, step func(done, total int)) []Result {
	var all []Result
	for i := range e.Plan.Expect {
		if step != nil {
			step(i, len(e.Plan.Expect))
		}
		x := &e.Plan.Expect[i]
		if doubted != nil && doubted(x) {
			all = append(all, Result{Expectation: x, Doubted: true, Why: "it was not tried, because something that it may rest on could not be read"})
			continue
		}
		all = append(all, One(e, x))
	}
	return all
}

// NoLonger are the lines that hold in one estate, and not in another that a change has made of it, as they are written there: those that Against
// gives, and where the change closes something, which it need not be asked for otherwise, those that say that somebody reaches another.
func NoLonger(before, after *estate.Estate, closes bool) []plan.Expectation {
	var all []plan.Expectation
	for i := range before.Plan.Expect {
		x := &before.Plan.Expect[i]
		now := x
		if len(after.Plan.Expect) == len(before.Plan.Expect) {
			now = &after.Plan.Expect[i] // what moves, or is called otherwise, moves in lines, too
		}
		if lets(before, after, x, now) || closes && !x.Never && !x.Only && One(before, x).Holds && !One(after, now).Holds {
			all = append(all, *x)
		}
	}
	return all
}

// Against are the lines that say that somebody never reaches another, or only somebody does, and of which that is so in one estate and not in
// another that a change has made of it.
func Against(before, after *estate.Estate) []plan.Expectation {
	var all []plan.Expectation
	for i := range before.Plan.Expect {
		x := &before.Plan.Expect[i]
		if lets(before, after, x, x) {
			all = append(all, *x)
		}
	}
	return all
}

// lets reports whether what a line keeps out before a change, and as it stands then, gets there after it.
func lets(before, after *estate.Estate, was, is *plan.Expectation) bool {
	return (was.Never || was.Only) && Never(after, is).Counter != nil && Never(before, was).Holds
}

// Never is what becomes of that part of an expectation that says who never reaches whom: all of one that says never, and of one that says only, that
// nobody else does. Of others it holds.
func Never(e *estate.Estate, x *plan.Expectation) Result {
	if x.Never {
		return One(e, x)
	}
	r := Result{Expectation: x, Holds: true}
	if !x.Only {
		return r
	}
	never := *x
	never.Never, never.Only, never.Without, never.Through = true, false, "", ""
	for _, from := range Others(e, x) {
		_, to, err := Ends(e, x)
		if err != nil {
			return r // which the other part tells
		}
		one := Result{Expectation: &never}
		one.ask(e, from, to)
		if r.Pairs, r.Against = r.Pairs+one.Pairs, r.Against+one.Against; one.Counter != nil && r.Counter == nil {
			one.explain(from, to)
			r.Holds, r.Counter, r.Why, r.Fixes = false, one.Counter, one.Why, one.Fixes
		}
	}
	return r
}

// Everybody is all that packets come from and go to: every workload that has a place, the internet and each site.
func Everybody(e *estate.Estate) []reach.Ends {
	all := []reach.Ends{{Name: "anybody else"}}
	for _, w := range e.Workloads {
		if w.Settled() {
			all[0].Many = append(all[0].Many, w)
		}
	}
	words := []string{plan.Internet}
	for _, s := range e.Sites {
		words = append(words, s.Name)
	}
	for _, word := range words {
		if o, err := reach.FindEnds(e, word); err == nil && (o.One == nil || o.One.Workload == nil) {
			all = append(all, o)
		}
	}
	return all
}

// Others are all that an expectation that says only keeps out: every workload, the internet and each site, without those whom it names or excepts.
func Others(e *estate.Estate, x *plan.Expectation) []reach.Ends {
	from, _, err := Ends(e, x)
	if err != nil {
		return nil
	}
	var left []reach.Ends
	for _, o := range Everybody(e) {
		o = o.Without(from)
		for _, word := range x.Except {
			if but, err := reach.FindEnds(e, word); err == nil {
				o = o.Without(but)
			}
		}
		if o.One != nil || len(o.Many) > 0 {
			left = append(left, o)
		}
	}
	return left
}

// While is what becomes of an expectation while parts of the estate are out of order: for those who are not gone with them.
func While(failing *estate.Estate, x *plan.Expectation, gone []string) Result {
	less := *x
	less.Without, less.Only = "", false // what is out of order lets nobody in who was kept out
	less.Except = append(slices.Clone(x.Except), gone...)
	return One(failing, &less)
}

// without holds an expectation while each of the parts that it names is out of order, one at a time.
func without(e *estate.Estate, x *plan.Expectation) Result {
	whole := *x
	whole.Without = ""
	r := One(e, &whole)
	r.Expectation = x
	if !r.Holds {
		return r
	}
	parts := Failing(e, x)
	for _, p := range parts {
		var gone []string
		for _, w := range p.Gone {
			gone = append(gone, w.Name)
		}
		now := While(e.Without(p), x, gone)
		if now.Holds {
			continue
		}
		now.Expectation = x
		now.Why = fmt.Sprintf("without %s %s, %s", p.Kind, p.Name, now.Why)
		now.Fixes = diag.Advise("wendrik outage  says what else stops, and what would end it")
		return now
	}
	if len(parts) == 0 {
		r.Holds, r.Why = false, fmt.Sprintf("nothing in the estate is %q", strings.TrimPrefix(x.Without, "any "))
		r.Fixes = diag.Advise("name a part of it: any zone, any NAT gateway, peering NAME")
	}
	return r
}

// Failing are the parts of an estate that may be out of order, one at a time, while an expectation holds; none where it does not say without.
func Failing(e *estate.Estate, x *plan.Expectation) []estate.Part {
	kind, any := strings.CutPrefix(x.Without, "any ")
	return slices.DeleteFunc(e.Parts(), func(p estate.Part) bool {
		return any && p.Kind != kind || !any && p.Kind+" "+p.Name != x.Without && p.Name != x.Without
	})
}

// One holds one expectation against the estate.
func One(e *estate.Estate, x *plan.Expectation) Result {
	if x.Without != "" {
		return without(e, x)
	}
	if x.Only {
		return only(e, x)
	}
	r := Result{Expectation: x}
	if x.Through != "" {
		if r.through = Passers(e, x.Through); len(r.through) == 0 {
			r.Why, r.Fixes = fmt.Sprintf("nothing called %s passes packets on", x.Through), diag.Advise("name a workload that forwards, a gateway, a peering, a hub, a link or a site")
			return r
		}
	}
	from, to, err := Ends(e, x)
	if err != nil {
		r.Why, r.Fixes = err.Error(), diag.Advise(wrong.Right(err))
		for _, end := range []string{x.From, x.To} {
			if w := e.Workload(end); w != nil && w.Network() != nil && !w.Settled() {
				r.Waits = true
			}
		}
		return r
	}
	r.ask(e, from, to)
	r.Holds = r.Against == 0 && (r.Pairs > 0 || x.Never)
	r.explain(from, to)
	if r.Pairs == 0 && !r.Waits && !e.Failing() {
		could := probed(e, x)
		if could != nil {
			r.byProbe(One(could, x))
		}
		r.Nobody = r.Why != "" && !r.probed
	}
	return r
}

// only is what becomes of an expectation that says that somebody reaches another, and nobody else does.
func only(e *estate.Estate, x *plan.Expectation) Result {
	reaches := *x
	reaches.Only = false
	r := One(e, &reaches)
	r.Expectation = x
	if !r.Holds {
		return r
	}
	never := Never(e, x)
	r.Pairs += never.Pairs
	if !never.Holds {
		r.Holds, r.Else, r.Against, r.Counter, r.Why, r.Fixes = false, true, never.Against, never.Counter, never.Why, never.Fixes
	}
	return r
}

// ask tries an expectation between all pairs of two ends.
func (r *Result) ask(e *estate.Estate, from, to reach.Ends) {
	x := r.Expectation
	parts := eachAlone(e, from, to, x.Flows)
	if x.Through == "" && x.LeavesAs == "" {
		parts = slices.Values(grid.AskMany(e, from, to, x.Flows, false, nil).Parts)
	}
	for p := range parts {
		r.Pairs += p.Pairs
		as := p.Answer.Verdict == reach.Open
		switch {
		case x.LeavesAs != "":
			as = leavesAs(p.Answer, x.LeavesAs)
		case x.Through != "":
			as = (as || !x.HasFlows && p.Answer.Verdict != reach.Blocked) && Past(p.Answer, r.through) == nil
		case x.Never:
			as = p.Answer.Verdict == reach.Blocked
		}
		if as {
			continue
		}
		if r.Counter == nil {
			r.Counter = p.Answer
		}
		r.Against += p.Pairs
	}
}

// Ends are the ends of an expectation, without those that it excepts. The error is a *wrong.Error, of the first that is not there.
func Ends(e *estate.Estate, x *plan.Expectation) (from, to reach.Ends, err error) {
	if from, err = reach.FindEnds(e, x.From); err == nil {
		to, err = reach.FindEnds(e, x.To)
	}
	for _, word := range x.Except {
		var but reach.Ends
		if err == nil {
			but, err = reach.FindEnds(e, word)
			from, to = from.Without(but), to.Without(but)
		}
	}
	return from, to, err
}

// Passers are the things of a name that packets pass on their way.
func Passers(e *estate.Estate, name string) []estate.Object {
	var all []estate.Object
	for _, o := range e.Named(name) {
		switch o := o.(type) {
		case *estate.Workload:
			if o.Forwards != estate.NotForwarding {
				all = append(all, o)
			}
		case *estate.Set:
			for _, x := range o.Members {
				if x.Forwards != estate.NotForwarding {
					all = append(all, x)
				}
			}
		case *estate.Gateway, *estate.Peering, *estate.Hub, *estate.HubLink, *estate.Site:
			all = append(all, o)
		}
	}
	return all
}

// Past is a way on which something passes, and which goes past some things there or back: workloads that forward, gateways, peerings, hubs, their
// links and sites. It is nil where every way leads through one of them.
func Past(a *reach.Answer, things []estate.Object) *reach.Way {
	is := func(o estate.Object) bool { return slices.Contains(things, o) }
	ways := a.EachWay()
	for i := range ways {
		way := &ways[i]
		if way.Verdict != reach.Blocked && (!slices.ContainsFunc(passed(way.Forward), is) || !slices.ContainsFunc(passed(way.Back), is)) {
			return way
		}
	}
	return nil
}

// eachAlone asks each pair by itself: as whom one is seen, and by which way, may differ where the same passes, so nothing stands for another there.
func eachAlone(e *estate.Estate, from, to reach.Ends, flows flow.Set) iter.Seq[grid.Part] {
	all := func(ends reach.Ends) []reach.End {
		if ends.One != nil {
			return []reach.End{*ends.One}
		}
		var some []reach.End
		for _, x := range ends.Many {
			some = append(some, reach.EndOf(x))
		}
		return some
	}
	return func(yield func(grid.Part) bool) {
		for _, a := range all(from) {
			for _, b := range all(to) {
				if a.Workload != nil && a.Workload == b.Workload {
					continue
				}
				if !yield(grid.Part{Answer: reach.Ask(e, reach.Question{From: a, To: b, Flows: flows}), Pairs: 1}) {
					return
				}
			}
		}
	}
}

// Untried is why nobody could ever try an expectation: an end where no workload is, and none can be.
func Untried(e *estate.Estate, x *plan.Expectation) (why string, fixes []diag.Fix) {
	if !quick(e, x) {
		if r := One(e, x); r.Nobody {
			return r.Why, r.Fixes
		}
	}
	return "", nil
}

// quick reports whether it is plain that an expectation can be tried.
func quick(e *estate.Estate, x *plan.Expectation) bool {
	var both [2]reach.Ends
	for i, word := range []string{x.From, x.To} {
		ends, err := reach.FindEnds(e, word)
		if err != nil || ends.One == nil && len(ends.Many) == 0 {
			return false
		}
		both[i] = ends
	}
	return len(x.Except) == 0 && !alone(both[0], both[1])
}
