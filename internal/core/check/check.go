// Package check finds what is wrong or doubtful in an estate. Each rule is a value in a list.
package check

import (
	"fmt"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// Topic is what a rule is about, so that a command can ask for the rules that concern it.
type Topic string

// The topics.
const (
	Ranges Topic = "ranges" // addresses that should not be used so
	Space  Topic = "space"  // ranges and the blocks that they lie in
	Names  Topic = "names"  // naming and numbering conventions, and sizes
	Meets  Topic = "meets"  // ranges that overlap where they meet
	Wiring Topic = "wiring" // tables, gateways, and all that joins networks
	Guards Topic = "guards" // groups and lists
)

// Rule is one check.
type Rule struct {
	Code  string // the code of its findings
	Topic Topic
	Doc   string // what it looks for, in a sentence
	run   func(*run)
}

// Rules are all checks, in the order in which they are run.
var Rules = []Rule{
	specialRanges,
	publicRanges,
	outsideSpace,
	otherRegion,
	naming,
	slots,
	sizes,
	conflicts,
	halves,
	detached,
	leftOnMain,
	access,
	noRouteBack,
	deadRoutes,
	sitesWithoutWayBack,
	strandedNATs,
	natLoops,
	idlePublic,
	idle,
	emptyGroups,
	shadowed,
}

// Run runs the rules of some topics on an estate, of all when none is given, and gives the findings in the order of
// the plan.
func Run(e *estate.Estate, topics ...Topic) []plan.Finding {
	var all []plan.Finding
	for _, r := range Rules {
		wanted := len(topics) == 0
		for _, t := range topics {
			wanted = wanted || t == r.Topic
		}
		if wanted {
			x := &run{Estate: e, code: r.Code}
			r.run(x)
			all = append(all, x.findings...)
		}
	}
	plan.SortFindings(all)
	return all
}

// run is one rule at work.
type run struct {
	*estate.Estate
	code     string
	findings []plan.Finding
}

// report adds a finding of the rule.
func (r *run) report(severity plan.Severity, at plan.Pos, place, fix, format string, args ...any) {
	r.findings = append(r.findings, plan.Finding{Code: r.code, Severity: severity, At: at, Place: place, Message: fmt.Sprintf(format, args...), Fix: fix})
}
