package expect

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file says why a line of expect does not hold.

// byProbe takes over what a workload that could be there made of an expectation that nobody can try yet.
func (r *Result) byProbe(tried Result) {
	switch {
	case tried.probed: // that one was alone at both ends, and another was tried beside it
		r.Holds, r.Why, r.Fixes, r.Counter, r.probed = tried.Holds, tried.Why, tried.Fixes, nil, true
		return
	case tried.Pairs == 0:
		return
	}
	r.probed = true
	r.Holds, r.Why, r.Fixes, r.Counter = tried.Holds, "", nil, nil
	switch {
	case tried.Holds:
	case r.Never: // by a workload whose groups let everything in
		r.Holds, r.Why = true, "nobody is there yet, and its groups alone would keep a workload there from it"
		r.Fixes = diag.Advise("put a list or a route between them, or take care of the groups of what comes there")
	default:
		r.Why, r.Fixes = "tried by a workload that could be there: "+tried.Why, tried.Fixes
		if slices.ContainsFunc(tried.Fixes, func(f diag.Fix) bool { return strings.Contains(f.String(), couldBeThere) }) {
			r.Fixes = diag.Advise("put a workload there, for which the rule can be written") // that one is not in the plan
		}
	}
}

// passed are the things that packets pass on a way: what passes them on, and what translates them.
func passed(hops []reach.Hop) []estate.Object {
	var all []estate.Object
	for _, h := range hops {
		switch h.Object.(type) {
		case *estate.Workload:
			if h.Did != reach.PassedOn && h.Did != reach.PassedOnAs && h.Did != reach.TurnedBack {
				continue
			}
		case *estate.Gateway, *estate.Peering, *estate.Hub, *estate.HubLink, *estate.Site:
		default:
			continue
		}
		if !slices.Contains(all, h.Object) {
			all = append(all, h.Object)
		}
	}
	return all
}

// goes says what a way crosses there and back.
func goes(way *reach.Way) string {
	words := func(hops []reach.Hop) string {
		all := passed(hops)
		if len(all) == 0 {
			return "by nothing between"
		}
		return "by " + phrase.Names(all, func(o estate.Object) string { return o.ID() })
	}
	return words(way.Forward) + " there, and " + words(way.Back) + " back"
}

// leavesAs reports whether the internet sees the source of an answer as one address alone, of its family.
func leavesAs(a *reach.Answer, word string) bool {
	want, err := netip.ParseAddr(word)
	seen := 0
	for _, s := range a.SeenAs {
		if err == nil && s.Is4() != want.Is4() {
			continue
		}
		if address.Word(s) != word {
			return false
		}
		seen++
	}
	return seen > 0 && a.Verdict != reach.Blocked
}

// explain says in a sentence why the expectation does not hold.
func (r *Result) explain(from, to reach.Ends) {
	if r.Pairs == 0 {
		empty := from
		if from.One != nil || len(from.Many) > 0 {
			empty = to
		}
		if w := empty.Unsettled; w != nil {
			r.Why = fmt.Sprintf("nothing was tried, because %s %s", w.Name, w.Waiting())
			r.Fixes, r.Waits, r.Holds = diag.Advise("carve gives it one"), true, false
			return
		}
		if alone(from, to) { // each workload is asked about the others alone
			r.Why = fmt.Sprintf("nothing was tried, because there is one workload at both ends, %s", lone(from).Name)
			r.Fixes = diag.Advise("put another workload there, or take the line out")
			return
		}
		r.Why = fmt.Sprintf("nothing was tried, because %s has no workload to try", empty.Name)
		r.Fixes = diag.Advise("put a workload there, or take the line out")
		return
	}
	a := r.Counter
	if a == nil {
		return
	}
	if r.LeavesAs != "" {
		r.Why = fmt.Sprintf("%s does not get out to the internet", a.From.Name)
		if len(a.SeenAs) > 0 {
			r.Why = fmt.Sprintf("the internet sees %s as %s", a.From.Name, phrase.Names(a.SeenAs, address.Word))
		} else if a.ByChance() {
			r.Why = fmt.Sprintf("%s leaves by an address of the cloud's choosing", a.From.Name)
		}
		r.Fixes = diag.Advise("lead it through the gateway that has the address")
	} else if r.Never {
		passes, verb := a.Some.Intersect(r.Flows), "reaches"
		if sure := passes.Minus(a.May); !sure.Empty() {
			passes = sure
		} else {
			verb = "may reach"
		}
		r.Why = fmt.Sprintf("%s %s %s on %s", a.From.Name, verb, a.To.Name, passes)
		cut := a.From.Name + " " + a.To.Name
		if len(r.Except) == 0 && from.Name == r.From && to.Name == r.To {
			cut = r.From + " " + r.To
		}
		if r.HasFlows {
			cut += " -on " + r.Flows.Rule()
		}
		r.Fixes = diag.Advise("wendrik cut " + cut + "  closes it, and says what that closes besides")
	} else if way := Past(a, r.through); r.Through != "" && a.Verdict != reach.Blocked && (a.Verdict == reach.Open || !r.HasFlows) && way != nil {
		r.Why = fmt.Sprintf("%s reaches %s past %s: %s", a.From.Name, a.To.Name, r.Through, goes(way))
		r.Fixes = diag.Advise("lead both directions through it")
	} else {
		r.Why = fmt.Sprintf("%s does not reach %s on %s", a.From.Name, a.To.Name, r.Flows)
		switch {
		case a.OnlyMay():
			r.Why = fmt.Sprintf("%s may reach %s on %s, or not", a.From.Name, a.To.Name, r.Flows)
		case a.Verdict == reach.Partly:
			r.Why = fmt.Sprintf("%s reaches %s on %s only in part", a.From.Name, a.To.Name, r.Flows)
		}
		if len(a.Blockers) > 0 {
			r.Why += ": " + a.Blockers[0].Message
			if more := len(a.Blockers) - 1; more > 0 {
				r.Why += fmt.Sprintf(" (and %d more)", more)
			} else {
				r.Fixes = a.Blockers[0].Fixes
			}
		}
	}
	if r.Against > 1 {
		r.Why += fmt.Sprintf("; %d of %d pairs are so", r.Against, r.Pairs)
	}
}

// Finding is the result as a finding, when it does not hold or is doubtful.
func (r *Result) Finding() (diag.Finding, bool) {
	f := diag.Finding{Code: Broken, At: r.At, Place: text.Path{"expect"}, Fixes: r.Fixes, Message: fmt.Sprintf("%q does not hold: %s", r.Text, r.Why)}
	switch {
	case r.Waits || r.Doubted || r.Nobody:
		return f, false // what is not yet given is no mistake, and what nobody can try is told by a rule
	case !r.Holds:
		f.Severity = diag.Error
		return f, true
	case r.Why != "":
		f.Severity = diag.Warning
		f.Message = fmt.Sprintf("%q holds, but %s", r.Text, r.Why)
		return f, true
	}
	return f, false
}
