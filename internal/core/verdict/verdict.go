// Package verdict is all that is to be said against a plan: what the rules of check find, and which lines of expect do not hold, without
// what may follow only from what could not be read.
package verdict

import (
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// Verdict is what is to be said against a plan, beside the problems of its text.
type Verdict struct {
	Findings []diag.Finding // of the rules, in the order of the plan
	Waived   []check.Waived // what the plan says is meant
	Expected []expect.Result
}

// Of runs the rules on what can be read of an estate on a day, and holds it against its lines of expect; before each of these it calls step,
// when that is not nil, with its number and how many there are. Once overtaken reports true, when that is not nil, the rest of the lines
// count as doubted, and the verdict is of no use.
func Of(e *estate.Estate, today time.Time, step func(done, total int), overtaken func() bool) *Verdict {
	v := &Verdict{}
	findings, waived := check.Judge(e, today)
	for _, f := range findings {
		if !doubted(f, e.Problems) {
			v.Findings = append(v.Findings, f)
		}
	}
	for _, w := range waived {
		if !doubted(w.Finding, e.Problems) {
			v.Waived = append(v.Waived, w)
		}
	}
	doubts := doubtedLines(e)
	if overtaken != nil {
		also := doubts
		doubts = func(x *plan.Expectation) bool { return overtaken() || also != nil && also(x) }
	}
	v.Expected = expect.RunSome(e, doubts, step)
	return v
}

// doubtedLines tells the lines of expect that may rest on what a problem of the text left out; nil where none does.
func doubtedLines(e *estate.Estate) func(x *plan.Expectation) bool {
	if !slices.ContainsFunc(e.Problems, func(f diag.Finding) bool { return Needed(f.Place) }) {
		return nil
	}
	return func(x *plan.Expectation) bool {
		from, errFrom := reach.FindEnds(e, x.From)
		to, errTo := reach.FindEnds(e, x.To)
		if errFrom != nil || errTo != nil {
			return true
		}
		touches := Around(e, from, to)
		return slices.ContainsFunc(e.Problems, func(f diag.Finding) bool { return touches(f.Place) })
	}
}

// Needed reports whether a problem at a place leaves something out that the walk of packets may rest on, which is all but what the plan
// expects of itself.
func Needed(problem text.Path) bool { return len(problem) == 0 || problem[0] != "expect" }

// doubted reports whether what a rule found may follow from what a problem of the text left out: both are about the same thing, or the rule
// asks what is missing.
func doubted(f diag.Finding, problems []diag.Finding) bool {
	topic := Topic(f.Code)
	if topic != check.Wiring && topic != check.Guards && topic != check.Expect {
		return false
	}
	return slices.ContainsFunc(problems, func(p diag.Finding) bool {
		switch {
		case len(p.Place) < 2 || len(f.Place) < 2:
			return Needed(p.Place)
		case topic == check.Wiring && len(p.Place) > 2 && (p.Place[2] == "groups" || p.Place[2] == "lists"):
			return false // routes do not rest on them
		case p.Place[0] == "workloads":
			return topic == check.Guards || f.Place[0] == "workloads"
		case p.Place[0] == "networks" && f.Place[0] == "networks":
			return p.Place[1] == f.Place[1]
		case p.Place[0] == "space":
			return false
		}
		return Needed(p.Place)
	})
}

// Topic is what the rule is about that has a code; empty for a code that no rule has.
func Topic(code diag.Code) check.Topic {
	if i := slices.IndexFunc(check.Rules, func(r check.Rule) bool { return r.Code == code }); i >= 0 {
		return check.Rules[i].Topic
	}
	return ""
}

// Around reports of a problem whether it can be about what packets between some ends come to: the networks of the ends,
// those that can meet them, and all that joins networks.
func Around(e *estate.Estate, ends ...reach.Ends) func(problem text.Path) bool {
	touched, own := map[string]bool{}, map[string]bool{}
	m := meet.Of(e)
	for _, end := range ends {
		for _, o := range end.Objects() {
			for _, n := range e.Networks {
				own[n.Name] = own[n.Name] || n == o
				if n == o || m.Meet(n, o) {
					touched[n.Name] = true
				}
			}
		}
	}
	return func(problem text.Path) bool {
		switch {
		case !Needed(problem):
			return false
		case len(problem) < 2:
			return true
		case problem[0] == "networks":
			return touched[problem[1]] || e.Network(problem[1]) == nil
		case problem[0] == "workloads":
			i := slices.IndexFunc(e.Plan.Workloads, func(w *plan.Workload) bool { return w.Name.Value == problem[1] })
			if i < 0 {
				return true
			}
			w := e.Plan.Workloads[i]
			network, _, _ := strings.Cut(w.In.Value, "/")
			passesOn := w.Forwards.Given() || len(w.Targets) > 0
			return e.Network(network) == nil || own[network] || passesOn && touched[network]
		}
		return problem[0] != "space" && problem[0] != "clusters"
	}
}
