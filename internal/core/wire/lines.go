package wire

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
	"wendrik/internal/core/text"
)

// This file makes lines of expect hold.

// expectations finds the edits that make the lines hold which do not, as long as they break no line that says never.
func (w *wirer) expectations() {
	var wide, narrow []int // what lets many in, or everybody, may serve those of whom others speak
	var ways []int         // those that say through what are led by way of it first
	for i := range w.e.Plan.Expect {
		if w.step != nil {
			w.step(i, len(w.e.Plan.Expect))
		}
		switch x := &w.After.Plan.Expect[i]; {
		case (x.Through != "" || x.LeavesAs != "") && !x.Never && !expect.One(w.After, x).Holds:
			ways = append(ways, i)
		case w.broken(i):
			if from, to, err := expect.Ends(w.After, x); err == nil && single(from) && single(to) {
				narrow = append(narrow, i)
			} else {
				wide = append(wide, i)
			}
		}
	}
	before := len(w.Changes)
	w.groups(slices.Concat(wide, narrow, ways))
	grouped := len(w.Changes)
	w.hold(wide)
	if len(wide) > 0 {
		narrow = w.stillBroken(narrow)
	}
	w.hold(narrow)
	w.turn(ways)
	defer w.unwritten()
	w.empty(before, grouped)
	w.halves(append(slices.Clone(wide), narrow...))
	if len(wide)+len(narrow)+len(ways) > 1 && len(w.Changes)-before <= maxSpared {
		w.spare(before, len(w.Changes))
	}
}

// halves takes out what was written for lines that say that nobody else reaches somebody, and do not hold by it: nothing is opened for a line that
// stays broken.
func (w *wirer) halves(lines []int) {
	for _, i := range lines {
		x := &w.After.Plan.Expect[i]
		if !x.Only || expect.One(w.After, x).Holds {
			continue
		}
		why := fmt.Sprintf("%q, and ", x.Text)
		less := slices.DeleteFunc(slices.Clone(w.Changes), func(c text.Change) bool { return strings.HasPrefix(c.Why, why) })
		was, before, held := w.Changes, w.After, w.fare(w.After)
		if len(less) < len(was) && w.take(less) && !slices.Equal(w.fare(w.After), held) {
			w.Changes, w.After = was, before
		}
	}
}

// fare is which lines hold in an estate, and which of those that say without what do so while all is in order.
func (w *wirer) fare(e *estate.Estate) []bool {
	var all []bool
	for _, x := range e.Plan.Expect {
		all = append(all, expect.One(e, &x).Holds)
		if x.Without != "" { // which is to hold while all is in order, too
			x.Without = ""
			all = append(all, expect.One(e, &x).Holds)
		}
	}
	return all
}

// single reports whether ends are one workload.
func single(e reach.Ends) bool { return e.One != nil && e.One.Workload != nil }

// groups puts those who are in none, and whom some lines want to be reached, into a group of their own that lets nothing in: then what each of
// the lines needs is a rule more, and none has to know of the others.
func (w *wirer) groups(lines []int) {
	var fresh text.Changes
	known := map[string]bool{}
	for _, i := range lines {
		s, ok := w.survey(&w.After.Plan.Expect[i])
		if !ok {
			continue
		}
		if set := askers(w.After, s, w.e.Plan.Expect[i].From); set != nil && !known[set.Place().String()] {
			known[set.Place().String()] = true
			fresh = append(fresh, text.Change{Kind: "line: " + string(reach.NoGroup), Why: fmt.Sprintf("%q, and %s is in no group by which a rule could name it", w.e.Plan.Expect[i].Text, set.Name),
				Edits: []text.Edit{w.shut(set.Members[0].Subnet.Network.Place().To("groups"), set.Name), text.Set(set.Place(), "groups", text.Words(set.Name))}})
		}
		for _, p := range s.Parts {
			for _, b := range p.Answer.Blockers {
				edits := b.Edits()
				if b.Code != reach.NoGroup || len(edits) != 2 || known[b.Place.String()] {
					continue
				}
				known[b.Place.String()] = true
				fresh = append(fresh, text.Change{Kind: "line: " + string(reach.NoGroup), Why: fmt.Sprintf("%q, and %s", w.e.Plan.Expect[i].Text, b.Message), Edits: []text.Edit{w.shut(edits[0].Path, edits[0].Key), edits[1]}})
			}
		}
	}
	if len(fresh) == 0 {
		return
	}
	w.take(append(slices.Clone(w.Changes), fresh...))
}

// shut is a new group that lets nothing in, and all out, as for who is in none, unless the plan says that such a group is closed.
func (w *wirer) shut(groups text.Path, name string) text.Edit {
	out := text.Words("any to any")
	if w.e.Plan.Out.Value == "closed" {
		out = text.Words()
	}
	return text.Set(groups, name, text.Map(text.Field{Key: "in", Value: text.Words()}, text.Field{Key: "out", Value: out}))
}

// askers are the several of one count that a line names as who asks, where they are in no group, and those whom they ask can name one of theirs; nil
// for none.
func askers(e *estate.Estate, s *grid.Survey, from string) *estate.Set {
	for _, o := range e.Named(from) {
		set, is := o.(*estate.Set)
		if !is || len(set.Members) < 2 || set.Members[0].Subnet == nil || slices.ContainsFunc(set.Members, func(x *estate.Workload) bool { return len(x.Groups) > 0 }) {
			continue
		}
		n := set.Members[0].Subnet.Network
		names := func(x *estate.Workload) bool {
			return x.Subnet != nil && (x.Subnet.Network == n || x.Subnet.Network.Profile.PeerGroups)
		}
		to := s.To.Many
		if s.To.One != nil && s.To.One.Workload != nil {
			to = []*estate.Workload{s.To.One.Workload}
		}
		if slices.ContainsFunc(to, names) && !slices.ContainsFunc(n.Groups, func(g *estate.Group) bool { return g.Name == set.Name }) {
			return set
		}
	}
	return nil
}

// empty takes those of the groups that were made back into which nothing came, and which no rule names: no edit makes their lines hold.
func (w *wirer) empty(first, last int) {
	named := map[*estate.Group]bool{}
	for _, n := range w.After.Networks {
		for _, g := range n.Groups {
			for _, x := range slices.Concat(g.In, g.Out) {
				named[x.Group] = true
			}
		}
	}
	less := slices.Clone(w.Changes[:first])
	for _, c := range w.Changes[first:last] {
		path := c.Edits[0].Path
		idle := func(g *estate.Group) bool { return g.Name == c.Edits[0].Key && len(g.In) == 0 && !named[g] }
		if n := w.After.Network(path[1]); n == nil || !slices.ContainsFunc(n.Groups, idle) {
			less = append(less, c)
		}
	}
	if len(less) == last {
		return
	}
	w.take(append(less, w.Changes[last:]...))
}

// unwritten tells the lines that cannot be tried yet, and those that do not hold and that no edit was searched for: what stands in
// for a part that fails one of places, and what passes against a line is not closed by adding.
func (w *wirer) unwritten() {
	for i := range w.After.Plan.Expect {
		x, at := &w.After.Plan.Expect[i], w.e.Plan.Expect[i].At
		if slices.ContainsFunc(w.Unmet, func(f diag.Finding) bool { return f.At == at }) {
			continue
		}
		r := expect.One(w.After, x)
		if r.Waits {
			w.Waiting = append(w.Waiting, diag.Finding{Code: waiting, Severity: diag.Warning, At: at, Place: text.Path{"expect"}, Message: fmt.Sprintf("%q cannot be tried yet: %s", x.Text, r.Why), Fixes: r.Fixes})
			continue
		}
		if r.Holds || x.Never && r.Counter == nil {
			continue
		}
		does := "has nothing to write for it"
		if x.Never || r.Else {
			does = "takes nothing away"
		}
		w.Unmet = append(w.Unmet, diag.Finding{Code: unmet, Severity: diag.Error, At: at, Place: text.Path{"expect"}, Message: fmt.Sprintf("%q does not hold, and wire %s: %s", x.Text, does, r.Why), Fixes: r.Fixes})
	}
}

// maxSpared is up to how many changes it is tried whether the later make one of the earlier needless.
const maxSpared = 40

// spare takes out those changes from one to another without which every line fares as it does with them.
func (w *wirer) spare(first, last int) {
	now := w.fare(w.After)
	for i := last - 1; i >= first; i-- {
		was, before := w.Changes, w.After
		if w.take(slices.Delete(slices.Clone(was), i, i+1)) && !slices.Equal(w.fare(w.After), now) {
			w.Changes, w.After = was, before
		}
	}
}

// broken reports whether a line could be made to hold, and does not; one that says without what, while all is in order.
func (w *wirer) broken(i int) bool {
	x := w.After.Plan.Expect[i]
	if x.Never || x.LeavesAs != "" {
		return false
	}
	x.Without, x.Only, x.Through = "", false, ""
	r := expect.One(w.After, &x)
	return !r.Holds && !r.Waits
}

// hold makes lines hold, all at once where that can be done, and otherwise in halves: the later on the ground of the earlier,
// by which some of them may hold already.
func (w *wirer) hold(lines []int) {
	switch len(lines) {
	case 0:
		return
	case 1:
		w.holdOne(lines[0])
		return
	}
	if aside, ok := w.holdAll(lines); ok {
		if len(aside) > 0 {
			w.hold(w.stillBroken(aside))
		}
		return
	}
	w.hold(lines[:len(lines)/2])
	w.hold(w.stillBroken(lines[len(lines)/2:]))
}

// stillBroken are those of some lines that do not hold by what was made for others.
func (w *wirer) stillBroken(lines []int) []int {
	return slices.DeleteFunc(slices.Clone(lines), func(i int) bool { return !w.broken(i) })
}

// holdAll makes lines hold at once, but for those that must be made to hold each by itself. It reports false, and makes nothing,
// where that cannot be done.
func (w *wirer) holdAll(lines []int) (aside []int, ok bool) {
	var asked []int
	var surveys []*grid.Survey
	for _, i := range lines {
		if s, ok := w.survey(&w.After.Plan.Expect[i]); ok {
			asked, surveys = append(asked, i), append(surveys, s)
		}
	}
	all, ok := repair.OfAll(w.After, surveys)
	if !ok {
		return nil, false
	}
	if beyond(all.Estate) > beyond(w.After) {
		return nil, false
	}
	if against := expect.Against(w.After, all.Estate); len(against) > 0 {
		return w.apart(asked, surveys, against)
	}
	if all.MayClose && w.breaks(all.Estate) != nil {
		return nil, false
	}
	if !slices.ContainsFunc(all.Surveys, func(s repair.Share) bool { return !s.Alone }) {
		return nil, len(asked) == 0
	}
	so := slices.Clone(w.Changes)
	for n, i := range asked {
		s := all.Surveys[n]
		switch {
		case s.Alone:
			aside = append(aside, i)
		case !s.Open:
			w.unmet(i, s.Left)
		default:
			w.write(so, i, s.Causes)
		}
	}
	w.After = all.Estate
	return aside, true
}

// apart makes those lines hold that speak of nobody of whom broken lines speak, and leaves the others aside.
func (w *wirer) apart(lines []int, surveys []*grid.Survey, broken []plan.Expectation) (aside []int, ok bool) {
	var rest []int
	for n, i := range lines {
		if slices.ContainsFunc(broken, func(x plan.Expectation) bool { return w.meets(surveys[n], &x) }) {
			aside = append(aside, i)
		} else {
			rest = append(rest, i)
		}
	}
	if len(rest) == 0 || len(aside) == 0 {
		return nil, false
	}
	more, ok := w.holdAll(rest)
	return append(more, aside...), ok
}

// meets reports whether a survey and a line have somebody in common at both ends.
func (w *wirer) meets(s *grid.Survey, x *plan.Expectation) bool {
	from, to, err := expect.Ends(w.After, x)
	return err == nil && s.From.Meets(from) && s.To.Meets(to)
}

// survey asks about all pairs of a line; ok is false where there is none.
func (w *wirer) survey(x *plan.Expectation) (s *grid.Survey, ok bool) {
	from, to, err := expect.Ends(w.After, x)
	if err != nil {
		return nil, false
	}
	s = grid.AskMany(w.After, from, to, x.Flows, false, nil)
	return s, s.Pairs > 0
}

// holdOne makes one line hold.
func (w *wirer) holdOne(i int) {
	x := &w.After.Plan.Expect[i]
	s, ok := w.survey(x)
	if !ok {
		return
	}
	r := repair.OfMany(w.After, s)
	var other *plan.Expectation // which would hold no longer
	switch {
	case len(r.Against) > 0:
		other = &r.Against[0]
	case r.After != nil && r.Verdict() == reach.Open && len(r.Closes) > 0:
		other = w.breaks(r.Estate)
	}
	switch {
	case other != nil:
		w.Unmet = append(w.Unmet, diag.Finding{Code: conflict, Severity: diag.Error, At: w.e.Plan.Expect[i].At, Place: text.Path{"expect"},
			Message: fmt.Sprintf("%q and %q contradict each other: what makes the one hold breaks the other", x.Text, other.Text), Fixes: diag.Advise("take one of them out, or say less in it")})
	case r.After == nil || r.Verdict() != reach.Open:
		w.unmet(i, r.Causes)
	case beyond(r.Estate) > beyond(w.After):
		w.Unmet = append(w.Unmet, diag.Finding{Code: unmet, Severity: diag.Error, At: w.e.Plan.Expect[i].At, Place: text.Path{"expect"},
			Message: fmt.Sprintf("%q needs a route over a join that is meant for others alone", x.Text), Fixes: diag.Advise("add what it needs to  only  of the peering or attachment")})
	default:
		w.write(slices.Clone(w.Changes), i, r.Causes)
		w.After = r.Estate // what the search has made becomes the ground of the next
	}
}

// breaks gives a line that holds now, and not in the estate that a change makes; nil for none.
func (w *wirer) breaks(after *estate.Estate) *plan.Expectation {
	for i := range w.After.Plan.Expect {
		x := &w.After.Plan.Expect[i]
		if !x.Never && expect.One(w.After, x).Holds && !expect.One(after, x).Holds {
			return x
		}
	}
	return nil
}

// beyond is how many routes lead where the joins that they lead over are not meant to.
func beyond(e *estate.Estate) int {
	n := 0
	for _, o := range e.Networks {
		for _, t := range o.Tables {
			for _, r := range t.Routes {
				if t.Beyond(r) != "" {
					n++
				}
			}
		}
	}
	return n
}

// unmet tells that no edit makes a line hold, and the first of the causes that have none.
func (w *wirer) unmet(i int, causes []diag.Finding) {
	x := &w.e.Plan.Expect[i]
	f := diag.Finding{Code: unmet, Severity: diag.Error, At: x.At, Place: text.Path{"expect"}, Message: fmt.Sprintf("%q does not hold, and no edit alone makes it", x.Text)}
	for _, c := range causes {
		if len(c.Edits()) == 0 {
			f.Message += ": " + c.Message
			f.Fixes = c.Fixes
			break
		}
	}
	w.Unmet = append(w.Unmet, f)
}

// unmetSince tells that a line cannot be made to hold, and why.
func (w *wirer) unmetSince(i int, why error) {
	x := &w.e.Plan.Expect[i]
	w.Unmet = append(w.Unmet, diag.Finding{Code: unmet, Severity: diag.Error, At: x.At, Place: text.Path{"expect"}, Message: fmt.Sprintf("%q does not hold: %s", x.Text, why), Fixes: diag.Advise("lead it there by hand, or say less in the line")})
}

// write adds the edits of causes that were worked out once the changes so far were made.
func (w *wirer) write(so text.Changes, i int, causes []diag.Finding) {
	for _, c := range causes {
		edits := slices.Clone(c.Edits())
		for j := range edits {
			edits[j] = so.Before(edits[j])
		}
		w.add("line: "+string(c.Code), fmt.Sprintf("%q, and %s", w.e.Plan.Expect[i].Text, c.Message), edits...)
	}
}
