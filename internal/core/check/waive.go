package check

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// Waived is a finding that the plan says is meant.
type Waived struct {
	diag.Finding
	By *plan.Waiver
}

// Drift is what a line of waive says in the place of a rule for what is otherwise at a cloud, and meant to be.
const Drift = "drift"

// Judge runs the rules of some topics, of all when none is given, and takes out what the plan waives on a day. When all are
// run, a waiver that silences nothing, or whose last day has passed, is a finding itself. Both lists are in the order of the
// plan.
func Judge(e *estate.Estate, today time.Time, topics ...Topic) (findings []diag.Finding, waived []Waived) {
	all := Run(e, topics...)
	if len(e.Plan.Waive) == 0 {
		return all, nil
	}
	silenced := make([]bool, len(e.Plan.Waive))
	waivers := make([]waiver, len(e.Plan.Waive))
	for i := range e.Plan.Waive {
		w := &e.Plan.Waive[i]
		waivers[i] = waiver{w, i + 1, spotOf(e, w.Place.Value)}
	}
	day := today.Format(time.DateOnly)
	for _, f := range all {
		i := slices.IndexFunc(waivers, func(w waiver) bool { return !w.over(day) && w.covers(f) })
		if i < 0 {
			findings = append(findings, f)
			continue
		}
		silenced[i] = true
		waived = append(waived, Waived{f, waivers[i].Waiver})
	}
	for i, w := range waivers {
		if w.Rule.Value == Drift && !w.over(day) {
			continue // of which only who looks at a cloud knows whether it silences something
		}
		if !silenced[i] && len(topics) == 0 {
			findings = append(findings, w.idle(all, day))
		}
	}
	diag.Sort(findings)
	return findings, waived
}

// waiver is one of the plan, with its place bound.
type waiver struct {
	*plan.Waiver
	nth  int
	spot spot
}

func (w waiver) over(day string) bool { return w.Until.Given() && w.Until.Value < day }

// covers reports whether a finding is of its rule, and at its place or inside.
func (w waiver) covers(f diag.Finding) bool { return string(f.Code) == w.Rule.Value && w.spot.holds(f) }

// At reports whether a finding is at a place that a person names, as waive does, or inside.
func At(e *estate.Estate, place string, f diag.Finding) bool { return spotOf(e, place).holds(f) }

// spot is a place that a person names: by the name of a thing, or by keys with dots.
type spot struct {
	places []text.Path
	lines  []text.Pos // where what it names stands
}

func spotOf(e *estate.Estate, word string) spot {
	s := spot{places: []text.Path{strings.Split(word, ".")}}
	for _, o := range e.Named(word) {
		s.places, s.lines = append(s.places, o.Place()), append(s.lines, o.At())
	}
	if hub, table, found := strings.Cut(word, "/"); found && e.Hub(hub) != nil {
		s.places = append(s.places, e.Hub(hub).Place().To("tables", table))
	}
	return s
}

func (s spot) holds(f diag.Finding) bool {
	inside := func(p text.Path) bool { return len(p) <= len(f.Place) && slices.Equal(p, f.Place[:len(p)]) }
	return slices.ContainsFunc(s.places, inside) || slices.Contains(s.lines, f.At)
}

// idle is what is to be said of a waiver that silences nothing.
func (w waiver) idle(all []diag.Finding, day string) diag.Finding {
	f := diag.Finding{Code: waivesNothing.Code, Severity: diag.Warning, At: w.At, Place: text.Path{"waive", fmt.Sprint(w.nth)}, Fixes: []diag.Fix{{Edits: []text.Edit{text.RemoveNth(text.Path{"waive"}, w.nth)}}}}
	known := func(r Rule) bool { return string(r.Code) == w.Rule.Value }
	switch {
	case w.Rule.Value == Drift:
		f.Message = fmt.Sprintf("what is otherwise at a cloud at %s was waived until %s, and that has passed", w.Place.Value, w.Until.Value)
		f.Fixes = diag.Advise("put it right, or write a later day")
	case !slices.ContainsFunc(Rules, known):
		var codes []string
		for _, r := range Rules {
			codes = append(codes, string(r.Code))
		}
		f.Message = fmt.Sprintf("there is no rule %s to waive", w.Rule.Value)
		f.Fixes = diag.Advise("name one that  wendrik check -rules  lists")
		if near := diag.Nearest(w.Rule.Value, codes); near != "" {
			f.Fixes = diag.Advise("did you mean " + near)
		}
	case w.over(day) && slices.ContainsFunc(all, w.covers):
		f.Message = fmt.Sprintf("what rule %s finds at %s was waived until %s, and that has passed", w.Rule.Value, w.Place.Value, w.Until.Value)
		f.Fixes = diag.Advise("put it right, or write a later day")
	default:
		f.Message = fmt.Sprintf("rule %s finds nothing at %s, so there is nothing to waive", w.Rule.Value, w.Place.Value)
	}
	return f
}

// waivesNothing is found by Judge, which alone knows what the other rules found.
var waivesNothing = Rule{"waives-nothing", Expect, "A line of waive that silences nothing, or whose last day has passed.", func(*run) {}}

var untried = Rule{"untried", Expect, "A line of expect that nobody can ever try, because no workload is at one of its ends, and none can be.", func(r *run) {
	for i := range r.Plan.Expect {
		x := &r.Plan.Expect[i]
		if why, fixes := expect.Untried(r.Estate, x); why != "" {
			severity := diag.Error
			if x.Never {
				severity = diag.Warning // which is so as long as nobody is there
			}
			r.report(severity, x.At, text.Path{"expect"}, "", "%q was not tried: %s", x.Text, why)
			r.findings[len(r.findings)-1].Fixes = fixes
			if len(r.Plan.Files.All()) == 1 && len(r.Plan.Patterns) == 0 {
				r.choice(remove, text.RemoveNth(text.Path{"expect"}, i+1))
			}
		}
	}
}}
