package rehearse

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
)

// This file finds the tries that speak of a line of expect, and judges the line by them.

// expectations finds, for each line of expect, the tries that speak of it, and what reach makes of it.
func (s *script) expectations() {
	for _, r := range expect.Run(s.e, nil) {
		x := Expected{Expectation: r.Expectation, Says: r.Holds}
		from, to, err := expect.Ends(s.e, r.Expectation)
		var others []reach.Ends // whom the line keeps out by naming others
		if r.Only {
			others = expect.Others(s.e, r.Expectation)
		}
		var speak []*Try
		if err == nil {
			for _, t := range s.tries {
				if (names(from, t.From, t.Src) || kept(others, t)) && names(to, t.To, t.Dst) && (to.One != nil && to.One.Addr.IsValid() || s.byName(t)) && r.Flows.Covers(t.flows()) {
					speak = append(speak, t)
				}
			}
		}
		s.expected = append(s.expected, x)
		s.lines, s.others = append(s.lines, speak), append(s.others, others)
	}
}

// kept reports whether a try is of somebody whom a line keeps out by naming others.
func kept(others []reach.Ends, t *Try) bool {
	return slices.ContainsFunc(others, func(o reach.Ends) bool { return names(o, t.From, t.Src) })
}

func (t *Try) flows() flow.Set {
	f, _ := flow.Parse(t.Flow())
	return f
}

// byName reports whether a try is by the address that a line of expect means: the private one, but from the internet.
func (s *script) byName(t *Try) bool {
	w := s.e.Workload(t.To)
	return w == nil || t.From == "internet" || slices.Contains(w.Addrs, t.Dst)
}

// names reports whether ends have the end of a name, or the address when they are one address.
func names(e reach.Ends, name string, addr netip.Addr) bool {
	if e.One == nil {
		return slices.ContainsFunc(e.Many, func(w *estate.Workload) bool { return w.Name == name })
	}
	return e.One.Means(name, addr)
}

// judge says what the tries made of each expectation.
func (s *script) judge() []Expected {
	for i := range s.expected {
		x := &s.expected[i]
		x.Tries = len(s.lines[i])
		x.Holds = true
		for _, t := range s.lines[i] {
			if x.LeavesAs != "" {
				if t.Passed && t.Saw.IsValid() && address.Word(t.Saw) != x.LeavesAs && (t.Saw.Is4() || x.LeavesAs != plan.Assigned && !strings.Contains(x.LeavesAs, ".")) {
					x.Holds, x.Why = false, fmt.Sprintf("%s on %s: the internet saw %s", t.From, t.Flow(), address.Word(t.Saw))
					break
				}
				continue
			}
			never := x.Never || kept(s.others[i], t)
			if !never && s.withoutWay(t) {
				continue
			}
			got, behind := s.passedOn(t, never)
			if got == never {
				x.Holds = false
				x.Why = fmt.Sprintf("%s to %s on %s: the packets %s%s", t.From, t.To, t.Flow(), passed(got), behind)
				break
			}
		}
		if x.Tries == 0 {
			x.Holds = x.Says
			x.Why = "nothing of it could be tried"
		}
	}
	return s.expected
}

// withoutWay reports whether a try is by an IPv6 address that the internet does not carry, of a workload of which nothing gets out by
// it: that says nothing against "reaches internet", which it does by another address.
func (s *script) withoutWay(t *Try) bool {
	return t.To == plan.Internet && t.Src.Is6() && !address.IsPublic(t.Src) && !slices.ContainsFunc(s.tries, func(o *Try) bool {
		return o.Passed && o.To == plan.Internet && o.From == t.From && o.Src.Is6()
	})
}

// passedOn reports whether a try passed, and where its target is a balancer, whether what that hands on passes to every
// target, or to any; behind names the target that settled it.
func (s *script) passedOn(t *Try, any bool) (yes bool, behind string) {
	w := s.e.Workload(t.To)
	if w == nil || len(w.Targets) == 0 || !t.Passed {
		return t.Passed, ""
	}
	on := w.TargetPorts
	if on.Empty() {
		on = t.flows()
	}
	for _, target := range w.Targets {
		all := true
		for _, o := range s.tries {
			if o.From == w.Name && o.To == target.Name && slices.Contains(target.Addrs, o.Dst) && on.Covers(o.flows()) {
				all = all && o.Passed
			}
		}
		if all == any {
			return any, ", handed on to " + target.Name
		}
	}
	return !any, ""
}

func passed(yes bool) string {
	if yes {
		return "passed"
	}
	return "did not pass"
}
