package check

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

var noGroup = Rule{"no-group", Guards, "A workload that listens, in no group, so that nothing comes in.", func(r *run) {
	for _, w := range r.Workloads {
		if len(w.Plan.Groups) > 0 || w.Listens.Empty() || w.Set != nil && w != w.Set.Members[0] {
			continue
		}
		what := "workload " + w.Name
		if w.Set != nil {
			what = "the workloads " + w.Set.Name
		}
		if n := w.Network(); n != nil && len(n.Groups) > 0 {
			r.report(diag.Warning, w.At(), w.Place(), "", "%s: in no group, so nothing comes in on %s", what, w.Listens)
			r.takes("GROUP", "write  groups: [...]  there", func(word string) ([]text.Edit, error) {
				return []text.Edit{text.Set(w.Place(), "groups", text.Words(word))}, nil
			})
		}
	}
}}

var noTargets = Rule{"no-targets", Wiring, "A balancer that hands flows on to nobody.", func(r *run) {
	told := map[*plan.Workload]bool{}
	for _, w := range r.Workloads {
		if w.Plan.Balances.Given() && len(w.Plan.Targets) == 0 && !told[w.Plan] {
			told[w.Plan] = true
			r.report(diag.Warning, w.Plan.Balances.At, w.Place().To("targets"), "name workloads there", "%s hands flows on to nobody", w.Name)
			r.choice(remove, text.Remove(w.Place(), "targets"))
		}
	}
}}

var targetUnreached = Rule{"target-unreached", Guards, "A balancer that does not reach one of its targets on what it hands on.", func(r *run) {
	for _, w := range r.Workloads {
		flows := w.TargetPorts
		if flows.Empty() {
			flows = w.Listens
		}
		if len(w.Targets) == 0 || flows.Empty() || !w.Settled() || w.Set != nil && w != w.Set.Members[0] {
			continue
		}
		end := reach.EndOf(w)
		to := reach.Ends{Name: w.Name + "'s targets"}
		for _, t := range w.Targets {
			if t.Settled() {
				to.Many = append(to.Many, t)
			}
		}
		survey := grid.AskMany(r.Estate, reach.Ends{Name: w.Name, One: &end}, to, flows, false, nil)
		for _, p := range survey.Parts {
			if p.Answer.Verdict == reach.Open {
				continue
			}
			why, fix, more := "", "let it pass, or name other targets", ""
			if b := p.Answer.Blockers; len(b) > 0 {
				if why = ": " + b[0].Message; b[0].Fix() != "" {
					fix = b[0].Fix()
				}
			}
			if p.Pairs > 1 {
				more = fmt.Sprintf(" (and %d more)", p.Pairs-1)
			}
			r.report(diag.Error, w.Plan.Targets[0].At, w.Place().To("targets"), fix, "balancer %s does not reach its target %s%s on %s%s", w.Name, p.Answer.To.Name, more, flows, why)
			if b := p.Answer.Blockers; len(b) == 1 && len(b[0].Edits()) > 0 {
				r.findings[len(r.findings)-1].Fixes = b[0].Fixes
			}
		}
	}
}}

var targetDeaf = Rule{"target-deaf", Wiring, "A target of a balancer that does not listen on what the balancer hands on.", func(r *run) {
	for _, w := range r.Workloads {
		on := w.TargetPorts
		if on.Empty() {
			on = w.Listens
		}
		if on.Empty() || w.Set != nil && w != w.Set.Members[0] {
			continue
		}
		for _, t := range w.Targets {
			if t.Listens.Empty() || !t.Listens.Intersect(on).Empty() {
				continue
			}
			r.report(diag.Warning, w.Plan.Targets[0].At, w.Place().To("targets"), "hand on to what it listens on: write  target-ports", "balancer %s hands on %s, and its target %s listens on %s", w.Name, on, t.Name, t.Listens)
			break
		}
	}
}}

var tierInOneZone = Rule{"tier-in-one-zone", Wiring, "A tier whose subnets are all in one zone, where its region has more.", func(r *run) {
	for _, n := range r.Networks {
		for _, t := range n.Tiers {
			zones, all := map[string]bool{}, 0
			for _, x := range n.Regions {
				all += len(x.Zones)
			}
			for _, s := range t.Subnets {
				zones[s.Zone] = true
			}
			if len(t.Subnets) == 0 {
				for _, z := range t.Plan.Zones {
					zones[z.Value] = true
				}
			}
			for zone := range zones {
				if len(zones) == 1 && zone != "" && all > 1 {
					r.report(diag.Warning, t.At(), t.Place(), "give it a subnet in another zone as well", "tier %s is in zone %s alone", t.ID(), zone)
				}
			}
		}
	}
}}

var oneTarget = Rule{"one-target", Wiring, "A balancer that hands everything on to one workload: where that fails, nothing is left.", func(r *run) {
	for _, w := range r.Workloads {
		if len(w.Targets) == 1 && len(w.Plan.Targets) == 1 && (w.Set == nil || w == w.Set.Members[0]) {
			r.report(diag.Warning, w.Plan.Targets[0].At, w.Place().To("targets"), "name more, in other zones, or lead to the workload itself", "%s hands everything on to %s alone", w.Name, w.Targets[0].Name)
		}
	}
}}

var oneZone = Rule{"one-zone", Wiring, "A balancer whose targets are all in one zone, where its network has more.", func(r *run) {
	wide := map[*estate.Network]bool{} // has subnets in several zones
	for _, n := range r.Networks {
		for _, s := range n.Subnets {
			wide[n] = wide[n] || n.PlaceOf(s) != n.PlaceOf(n.Subnets[0])
		}
	}
	for _, w := range r.Workloads {
		if len(w.Targets) < 2 || w.Subnet == nil || len(w.Targets) < len(w.Plan.Targets) {
			continue // some of its targets have no place yet
		}
		zones, more := map[string]bool{}, false
		for _, t := range w.Targets {
			zones[t.Subnet.Network.PlaceOf(t.Subnet)] = true
			more = more || wide[t.Subnet.Network]
		}
		if zone := w.Targets[0].Subnet.Zone; len(zones) == 1 && more && zone != "" {
			r.report(diag.Warning, w.Plan.Targets[0].At, w.Place().To("targets"), "name workloads in other zones as well", "%s hands flows on to workloads in zone %s alone", w.Name, zone)
		}
	}
}}
