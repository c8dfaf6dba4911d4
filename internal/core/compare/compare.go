// Package compare says what a change of a plan does: what it is made of, in the plan's words; what opens and closes, and by
// which part of the change; whom the internet sees otherwise; and which expectations and findings come and go.
package compare

import (
	"slices"
	"sync"
	"time"

	"wendrik/internal/core/address"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
)

// Result is what two versions of a plan come to.
type Result struct {
	Changes      []Change
	Ranges       []RangeChange
	Opens        []Difference
	Closes       []Difference
	Seen         []grid.Seen
	Expectations []Expectation
	New, Gone    []diag.Finding // findings of check that are there in one version alone
}

// Difference is flows that pass in one version and not in the other, and the changes that do that.
type Difference struct {
	grid.Difference
	By      []*Change
	Allowed bool // whether somebody has said that they may
}

// Expectation is a line of expect of which something else is true than before: it holds, does not, cannot be tried, or is not
// there.
type Expectation struct{ Text, Was, Is string }

// Of compares two versions of an estate, on a day on which check judges. Lines that say who reaches whom allow what they speak
// of to open; the expectations of the new version do so by themselves.
func Of(before, after *estate.Estate, allow []plan.Expectation, today time.Time) *Result {
	d := diff(before, after)
	r := &Result{Changes: d.changes, Ranges: d.ranges}
	for was, is := range d.calls {
		before.Call(was, is)
	}
	found := d.effect(before, after)
	c := &causes{before: before, after: after, changes: r.Changes}
	for _, x := range found.Opens {
		r.Opens = append(r.Opens, Difference{Difference: x, By: c.of(x, true)})
	}
	for _, x := range found.Closes {
		r.Closes = append(r.Closes, Difference{Difference: x, By: c.of(x, false)})
	}
	r.permit(before, after, append(slices.Clone(allow), after.Plan.Expect...))
	r.Seen = found.Seen
	r.expectations(before, after)
	r.findings(before, after, today)
	return r
}

// Effect is all that opens and closes from one version of an estate to another, and whom the internet sees otherwise, but for flows that
// are asked about: what grid.Compare finds by asking everybody, found by asking those whom the change can touch.
func Effect(before, after *estate.Estate, but ...reach.Question) *grid.Differences {
	return diff(before, after).effect(before, after, but...)
}

func (d *differ) effect(before, after *estate.Estate, but ...reach.Question) *grid.Differences {
	switch t := touchedBy(before, after, d); {
	case t.all:
		return grid.Compare(before, after, but...)
	case len(t.networks) == 0:
		return &grid.Differences{}
	default:
		return grid.CompareIn(before, after, t.has, but...)
	}
}

// permit notes what may open: what a line says that it reaches; and what may close: what one says that it never reaches.
func (r *Result) permit(before, after *estate.Estate, allow []plan.Expectation) {
	opens, closes := said(allow, false, after), said(allow, true, after, before)
	for i := range r.Opens {
		r.Opens[i].Allowed = within(&r.Opens[i].Difference, opens)
	}
	for i := range r.Closes {
		r.Closes[i].Allowed = within(&r.Closes[i].Difference, closes)
	}
}

// meant is what one line speaks of.
type meant struct {
	from, to map[string]address.Set
	flows    flow.Set
}

// said is what lines speak of that say that something is reached, or never. Their ends are those of all estates that are given: what closes
// may be gone from the new one.
func said(lines []plan.Expectation, never bool, estates ...*estate.Estate) []meant {
	var all []meant
	for _, x := range lines {
		if x.LeavesAs != "" || x.Never != never && !x.Only {
			continue
		}
		for _, e := range estates {
			if x.Only && never { // what only says besides: nobody else
				for _, from := range expect.Others(e, &x) {
					if _, to, err := expect.Ends(e, &x); err == nil {
						all = append(all, meant{meantBy(from), meantBy(to), x.Flows})
					}
				}
				continue
			}
			if from, to, err := expect.Ends(e, &x); err == nil {
				all = append(all, meant{meantBy(from), meantBy(to), x.Flows})
			}
		}
	}
	return all
}

// within reports whether all of a difference is said.
func within(x *grid.Difference, all []meant) bool {
	for _, f := range x.From {
		for _, t := range x.To {
			var said []grid.Difference
			for _, m := range all {
				a, from := m.from[f]
				b, to := m.to[t]
				if from && to {
					said = append(said, grid.Difference{Flows: m.flows, Parts: map[string]grid.Outside{f: {Of: a}, t: {Of: b}}})
				}
			}
			if f != t && len(x.Between(f, t).Minus(said)) > 0 {
				return false
			}
		}
	}
	return true
}

// meantBy are the names of the workloads, of the internet or of the site that are meant, and the addresses of these.
func meantBy(e reach.Ends) map[string]address.Set {
	if e.One != nil {
		if name, part, outside := e.One.Outside(); outside {
			return map[string]address.Set{name: part}
		}
		if e.One.Workload != nil {
			return map[string]address.Set{e.One.Workload.Name: {}}
		}
		return nil
	}
	all := map[string]address.Set{}
	for _, x := range e.Many {
		all[x.Name] = address.Set{}
	}
	return all
}

func networkOf(w *estate.Workload) string {
	if n := w.Network(); n != nil {
		return n.Name
	}
	return ""
}

// Words for what became of an expectation.
const (
	Holds    = "holds"
	HoldsNot = "does not hold"
	Untried  = "cannot be tried"
	NotThere = ""
)

// expectations tells those of which something else is true.
func (r *Result) expectations(before, after *estate.Estate) {
	was, is := map[string]string{}, map[string]string{}
	var order []string
	for i, e := range []*estate.Estate{before, after} {
		for _, x := range expect.Run(e, nil) {
			word := HoldsNot
			switch {
			case x.Waits || x.Nobody:
				word = Untried
			case x.Holds:
				word = Holds
			}
			if was[x.Text] == "" && is[x.Text] == "" {
				order = append(order, x.Text)
			}
			[]map[string]string{was, is}[i][x.Text] = word
		}
	}
	for _, line := range order {
		if was[line] != is[line] {
			r.Expectations = append(r.Expectations, Expectation{line, was[line], is[line]})
		}
	}
}

// findings tells those of check that one version alone has.
func (r *Result) findings(before, after *estate.Estate, today time.Time) {
	var was, is []diag.Finding
	var both sync.WaitGroup
	both.Go(func() { was, _ = check.Judge(before, today) })
	both.Go(func() { is, _ = check.Judge(after, today) })
	both.Wait()
	key := func(f diag.Finding) string { return string(f.Code) + " " + f.Place.String() + " " + f.Message }
	only := func(all, others []diag.Finding) []diag.Finding {
		known := map[string]bool{}
		for _, f := range others {
			known[key(f)] = true
		}
		var left []diag.Finding
		for _, f := range all {
			if !known[key(f)] {
				left = append(left, f)
			}
		}
		return left
	}
	r.New, r.Gone = only(is, was), only(was, is)
}

// Unallowed are the differences that open, and those that close, of which nobody has said that they may.
func (r *Result) Unallowed() (opens, closes []Difference) {
	allowed := func(x Difference) bool { return x.Allowed }
	return slices.DeleteFunc(slices.Clone(r.Opens), allowed), slices.DeleteFunc(slices.Clone(r.Closes), allowed)
}

// Same reports whether nothing is different.
func (r *Result) Same() bool {
	return len(r.Changes)+len(r.Opens)+len(r.Closes)+len(r.Seen)+len(r.Expectations)+len(r.New)+len(r.Gone) == 0
}
