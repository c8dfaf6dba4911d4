// Package wire works out what the stated access of tiers, the joins and the expectations of a plan need, and the plan lacks:
// gateways, NAT gateways, tables, associations, routes of both families, what hubs learn and sites know, and rules. It adds;
// what stands and contradicts is told, and never changed.
package wire

import (
	"fmt"
	"slices"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// Result is what wiring comes to.
type Result struct {
	Changes     text.Changes   // what is missing, each with its reason
	Contradicts []diag.Finding // what stands against what is stated
	Unmet       []diag.Finding // expectations that no edit can make hold
	Waiting     []diag.Finding // expectations that cannot be tried yet, since somebody has no place
	Spared      []diag.Finding // what the joins and the access would have, and a line that says never keeps from being written
	Opens       []grid.Difference
	Closes      []grid.Difference
	After       *estate.Estate // the estate once the changes are made; the same one where there are none
	Uneditable  error          // why the changes cannot be made in the text
}

// Codes of findings.
const (
	contradicts diag.Code = "contradicts-access"
	noPlace     diag.Code = "no-place-for-nat"
	overlaps    diag.Code = "joined-overlap"
	unmet       diag.Code = "expectation-unmet"
	waiting     diag.Code = "expectation-waits"
	conflict    diag.Code = "expectations-conflict"
)

// maxCompared is the largest estate, in workloads, of which it is worked out what else opens.
const maxCompared = 5000

// Estate wires an estate: what the access of tiers and the joins need, and then what the lines of expect do.
func Estate(e *estate.Estate) *Result { return InSteps(e, nil) }

// InSteps is Estate, and calls step before each line of expect, when that is not nil, with its number and how many there are.
func InSteps(e *estate.Estate, step func(done, total int)) *Result {
	w := &wirer{e: e, Result: &Result{After: e}, step: step, needs: needsOf(e), ways: waysOf(e)}
	if w.access() {
		first := len(w.Changes)
		w.expectations()
		w.again(first)
	}
	w.breaksNone()
	w.intoPatterns()
	w.onLines()
	if len(w.Changes) > 0 && w.Uneditable == nil && len(e.Workloads) <= maxCompared {
		d := compare.Effect(e, w.After)
		w.Opens, w.Closes = d.Opens, d.Closes
	}
	return w.Result
}

// maxAgain is how often it is wired on the ground of what was made; each time something must have been joined.
const maxAgain = 3

// again wires once more on the ground of what was made, where the search for a line has joined what was not: the new join calls for routes of
// its own, and what was let in for want of it, as a NAT gateway, may be needless. First is the number of the first change of the lines.
func (w *wirer) again(first int) {
	joins := func(c text.Change) bool {
		return slices.ContainsFunc(c.Edits, func(e text.Edit) bool {
			path := e.Path.To(e.Key)
			return slices.Contains([]string{"peerings", "hub-links"}, path[0]) || path[0] == "hubs" && len(path) > 2 && path[2] == "attach" || path[0] == "sites" && e.Key == "link"
		})
	}
	spans := [][2]int{{first, len(w.Changes)}} // the changes of lines, from one to another
	from := first
	for range maxAgain {
		if !slices.ContainsFunc(w.Changes[from:], joins) {
			break
		}
		next := &wirer{e: w.After, Result: &Result{After: w.After}, needs: needsOf(w.After), ways: waysOf(w.After)}
		if !next.access() {
			return
		}
		led := len(w.Changes) + len(next.Changes)
		next.expectations()
		changes := slices.Clone(w.Changes)
		for _, c := range next.Changes {
			c.Edits = slices.Clone(c.Edits)
			for i := range c.Edits {
				c.Edits[i] = w.Changes.Before(c.Edits[i])
			}
			changes = append(changes, c)
		}
		from = len(w.Changes)
		if !w.take(changes) {
			return
		}
		spans = append(spans, [2]int{led, len(w.Changes)})
		w.Unmet, w.Waiting = w.here(next, next.Unmet), w.here(next, next.Waiting)
	}
	if len(spans) == 1 || len(w.Changes)-first > maxSpared {
		return
	}
	for _, s := range slices.Backward(spans) {
		w.spare(s[0], s[1])
	}
}

// here are findings about lines of expect of a wirer that went on from this one, at the places that these lines have in the text of this one.
func (w *wirer) here(next *wirer, all []diag.Finding) []diag.Finding {
	for k := range all {
		if i := slices.IndexFunc(next.e.Plan.Expect, func(x plan.Expectation) bool { return x.At == all[k].At }); i >= 0 {
			all[k].At = w.e.Plan.Expect[i].At
		}
	}
	return all
}

// onLines has lists that outgrow their lines on lines of their own; what they say is the same.
func (w *wirer) onLines() {
	if len(w.Changes) > 0 && w.Uneditable == nil {
		w.take(w.Changes.OnLines())
	}
}

// take has some changes in the place of those so far, where they can be made without a problem more.
func (w *wirer) take(changes text.Changes) bool {
	after, problems, err := w.e.With(changes)
	if err != nil || len(problems) > len(w.e.Problems) {
		return false
	}
	w.Changes, w.After = changes, after
	return true
}

// Access is what the access of tiers and the joins alone need; it does not say what that opens.
func Access(e *estate.Estate) *Result {
	w := &wirer{e: e, Result: &Result{After: e}, needs: needsOf(e), ways: waysOf(e)}
	w.access()
	w.breaksNone()
	return w.Result
}

// Expectations are what the lines of expect alone need; it does not say what else that opens.
func Expectations(e *estate.Estate) *Result {
	w := &wirer{e: e, Result: &Result{After: e}}
	w.expectations()
	return w.Result
}

// access wires networks, hubs and sites, but for what would break a line that says never, and reports whether what it found could be made.
func (w *wirer) access() bool {
	for {
		w.Changes, w.Contradicts, w.After = nil, nil, w.e
		if !w.follow() {
			return false
		}
		broken := expect.Against(w.e, w.After)
		if len(broken) == 0 || !w.spareOne(&broken[0]) {
			return true
		}
	}
}

// follow wires what follows from the access of tiers and the joins, but for what is spared.
func (w *wirer) follow() bool {
	// Gateways first: what leads to them may stand in the plan already.
	for _, n := range w.e.Networks {
		if x := wantedOf(n); len(x.of) > 0 {
			w.gateways(x)
		}
	}
	with := w.e
	if len(w.Changes) > 0 {
		after, _, err := w.e.With(w.Changes)
		if err != nil {
			w.Uneditable = err
			return false
		}
		with = after
	}
	w.Contradicts = nil // which are told in the next round, once
	for _, n := range with.Networks {
		w.network(n)
	}
	for _, h := range w.e.Hubs {
		w.hub(h)
	}
	for _, s := range w.e.Sites {
		w.site(s)
	}
	return w.make()
}

type wirer struct {
	*Result
	e       *estate.Estate
	step    func(done, total int)
	needs   *needs
	ways    []way
	joinsOf map[*estate.Network][]joined
	spared  map[string]*plan.Expectation // by lead, the line that keeps it from being written
}

// add adds a change, of a kind of which there may be more.
func (w *wirer) add(kind, why string, edits ...text.Edit) {
	w.Changes = append(w.Changes, text.Change{Edits: edits, Why: why, Kind: kind})
}

func (w *wirer) against(at text.Pos, place text.Path, fix, format string, args ...any) {
	w.Contradicts = append(w.Contradicts, diag.Finding{Code: contradicts, Severity: diag.Warning, At: at, Place: place, Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(fix)})
}

// make applies the changes so far, with the addresses that they ask for, and reports whether that could be done.
func (w *wirer) make() bool {
	if len(w.Changes) == 0 {
		return true
	}
	after, problems, err := w.e.With(w.Changes)
	if err == nil && len(problems) > len(w.e.Problems) {
		err = fmt.Errorf("%s", problems[0].Message)
	}
	if err != nil {
		w.Uneditable = err
		return false
	}
	for _, a := range carve.Estate(after).Addresses {
		if !a.NAT {
			continue
		}
		network, name, _ := cut(a.Name)
		var words []string
		for _, x := range a.Addrs {
			words = append(words, x.String())
		}
		w.add("address", fmt.Sprintf("NAT gateway %s gets %s", a.Name, a.Why), text.Set(text.Path{"networks", network, "gateways", name}, "address", text.WordOrWords(words...)))
	}
	w.After, _, w.Uneditable = w.e.With(w.Changes)
	return w.Uneditable == nil
}

func cut(id string) (network, name string, found bool) {
	for i := range id {
		if id[i] == '/' {
			return id[:i], id[i+1:], true
		}
	}
	return id, "", false
}
