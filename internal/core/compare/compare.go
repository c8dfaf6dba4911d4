// Package compare says what a change of a plan does: what it is made of, in the plan's words; what opens and closes, and by
// which part of the change; whom the internet sees otherwise; and which expectations and findings come and go.
package compare

import (
	"slices"
	"time"

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
	Allowed bool // whether somebody has said that they may open
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
	t := touchedBy(before, after, d)
	found := grid.CompareIn(before, after, t.has)
	c := &causes{before: before, after: after, changes: r.Changes}
	for _, x := range found.Opens {
		r.Opens = append(r.Opens, Difference{x, c.of(x, true), false})
	}
	for _, x := range found.Closes {
		r.Closes = append(r.Closes, Difference{x, c.of(x, false), false})
	}
	r.permit(after, append(slices.Clone(allow), after.Plan.Expect...))
	r.Seen = found.Seen
	r.expectations(before, after)
	r.findings(before, after, today)
	return r
}

// permit notes what may open: what a line says that it reaches.
func (r *Result) permit(after *estate.Estate, allow []plan.Expectation) {
	type may struct {
		from, to map[string]bool
		flows    flow.Set
	}
	var all []may
	for _, x := range allow {
		if x.Never || x.LeavesAs != "" {
			continue
		}
		from, err := reach.FindEnds(after, x.From)
		if err != nil {
			continue
		}
		to, err := reach.FindEnds(after, x.To)
		if err != nil {
			continue
		}
		all = append(all, may{namesOf(from), namesOf(to), x.Flows})
	}
	for i := range r.Opens {
		x := &r.Opens[i]
		x.Allowed = true
		for _, f := range x.From {
			for _, t := range x.To {
				left := x.Flows
				for _, m := range all {
					if m.from[f] && m.to[t] {
						left = left.Minus(m.flows)
					}
				}
				x.Allowed = x.Allowed && (left.Empty() || f == t)
			}
			if !x.Allowed {
				break
			}
		}
	}
}

func namesOf(e reach.Ends) map[string]bool {
	if e.One != nil {
		if e.One.Workload != nil {
			return map[string]bool{e.One.Workload.Name: true}
		}
		return map[string]bool{e.One.Name: true}
	}
	all := map[string]bool{}
	for _, x := range e.Many {
		all[x.Name] = true
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
	was, _ := check.Judge(before, today)
	is, _ := check.Judge(after, today)
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

// Unallowed are the differences that open, and that nobody has said may do so.
func (r *Result) Unallowed() []Difference {
	return slices.DeleteFunc(slices.Clone(r.Opens), func(x Difference) bool { return x.Allowed })
}

// Same reports whether nothing is different.
func (r *Result) Same() bool {
	return len(r.Changes)+len(r.Opens)+len(r.Closes)+len(r.Seen)+len(r.Expectations)+len(r.New)+len(r.Gone) == 0
}
