package cli

import (
	"fmt"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func reachCommand() *command {
	return &command{
		name: "reach", args: "FROM TO",
		short: "says whether a flow passes, by which way, and if not, everything that stops it",
		long: "Reach walks a flow from one end to the other and its replies back, through groups, lists, route tables, gateways, peerings, hubs and sites. " +
			"An end is a workload, a site, an address, or internet; or all workloads of a network, network/tier or network/subnet. " +
			"It names every blocker at once, each with its place in the plan and the change that fixes it: " +
			"behind each blocker it goes on as if that were fixed. Then it makes the fixes on a copy, asks again, and says what else they would open " +
			"(in estates of up to 5,000 workloads). Without -on it says exactly which protocols and ports pass. " +
			"The exit status is 0 when the flow passes, or without -on when anything does.",
		examples: []example{
			{"wendrik reach ticket-1 fare-db -on tcp/5432", "blocked, and by what"},
			{"wendrik reach ticket-1 fare-db -on tcp/5432 -fix", "and the fixes as a difference; -write makes them"},
			{"wendrik reach fares-1 internet -on tcp/443", "open, and as whom the internet sees it"},
			{"wendrik reach internet ticket-1", "all that passes"},
			{"wendrik reach booking/app fare-db -on tcp/5432 -all-ways", "every workload of a tier, each way apart"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "md")
			at := f.standing()
			on := f.onFlag()
			fix := f.Bool("fix", false, "show the fixes that can be written as a difference")
			write := f.Bool("write", false, "with -fix: make them")
			breaks := f.breaksFlag()
			f.onlyWith("write", "fix")
			f.apart("at", "write")
			ways := f.Bool("all-ways", false, "show every way, also where several lead to the same answer")
			return func(c *call) (int, error) {
				c.ask(at)
				if len(c.args) != 2 {
					return cannot, &usageError{fmt.Sprintf("reach takes two ends, not %d", len(c.args)), "wendrik reach FROM TO -on tcp/443"}
				}
				asked, err := askedFlows(*on)
				if err != nil {
					return cannot, err
				}
				var from, to reach.Ends
				o, err := c.loadFor(*name, func(e *estate.Estate) (needed func(text.Path) bool, err error) {
					if from, err = findEnds(e, c.args[0]); err != nil {
						return nil, err
					}
					if to, err = findEnds(e, c.args[1]); err != nil {
						return nil, err
					}
					return verdict.Around(e, from, to), nil
				})
				if err != nil {
					return cannot, err
				}
				e := o.Estate
				r := &reachCall{call: c, e: e, asked: *on != "", allWays: *ways, label: o.label, fix: *fix, makes: *write, breaks: *breaks}
				verdict := reach.Blocked
				if from.One != nil && to.One != nil {
					verdict, err = r.one(reach.Ask(e, reach.Question{From: *from.One, To: *to.One, Flows: asked}), *format)
				} else {
					verdict, err = r.many(from, to, asked, *format)
				}
				if verdict == reach.Open || verdict == reach.Partly && *on == "" {
					return good, err
				}
				return no, err
			}
		},
	}
}

// onFlag defines the flag that says which flows are asked for.
func (f *flags) onFlag() *string {
	return f.String("on", "", "`FLOW` what is asked for: tcp/443, udp/53, icmp, any, or several with commas")
}

// askedFlows are the flows of that flag; any when it is not given.
func askedFlows(on string) (flow.Set, error) {
	if on == "" {
		return flow.Any(), nil
	}
	asked, err := flow.Parse(on)
	if err != nil {
		return asked, &usageError{err.Error(), "-on tcp/443"}
	}
	return asked, nil
}

// reachCall is one run of reach.
type reachCall struct {
	*call
	e       *estate.Estate
	asked   bool // whether a flow was asked for
	allWays bool
	label   string // of the plan
	fix     bool   // whether the fixes are shown as a difference
	makes   bool   // whether they are made
	breaks  bool   // also where that breaks a line that holds
}

// fixes shows the fixes of an answer as a difference, and makes them when that was asked for.
func (c *reachCall) fixes(r *repair.Repair, talk bool) error {
	if !c.fix {
		return nil
	}
	if r == nil || r.After == nil {
		if talk {
			c.say("\nthere is no fix that can be written")
		}
		return nil
	}
	var edits []text.Edit
	for i := range r.Causes {
		edits = append(edits, r.Causes[i].Edits()...)
	}
	edits = c.e.Own(text.Changes{{Edits: edits}}.OnLines().Edits())
	if talk {
		if err := c.preview(c.label, c.e.Plan.Files, edits); err != nil {
			return err
		}
	}
	if !c.makes {
		if talk {
			c.say("\nto make them:  the same command with  -write")
		}
		return nil
	}
	if err := keeps(r.Broken, c.breaks); err != nil {
		return err
	}
	if err := c.saveEdits(c.label, c.e.Plan.Files, edits, false); err != nil {
		return err
	}
	c.written(talk, "written to %s: %s", clean(c.label), phrase.Count(r.Made, "change"))
	return nil
}

// The largest estate, in workloads, in which fixes are tried without being asked, and the most parts that fare differently.
const (
	maxTried = 5000
	maxParts = 24
)

// one answers for two ends.
func (c *reachCall) one(a *reach.Answer, format string) (reach.Verdict, error) {
	var fixed *repair.Repair
	if len(a.Blockers) > 0 && len(c.e.Workloads) <= maxTried {
		fixed = repair.Of(c.e, a)
		a.Blockers = fixed.Causes
	}
	switch format {
	case "json":
		if err := c.json(reachJSON(a, fixed, c.e.Plan.Files)); err != nil {
			return a.Verdict, err
		}
	case "md":
		c.reachedMarkdown(a, fixed)
	default:
		c.reached(a, fixed)
	}
	return a.Verdict, c.fixes(fixed, format == "text")
}

// many answers for every pair of two ends of which one at least is many.
func (c *reachCall) many(from, to reach.Ends, asked flow.Set, format string) (reach.Verdict, error) {
	for _, end := range []reach.Ends{from, to} {
		if end.One == nil && len(end.Many) == 0 {
			if w := end.Unsettled; w != nil {
				return reach.Blocked, &usageError{fmt.Sprintf("workload %s %s, so there is nothing to ask about", w.Name, w.Waiting()), "wendrik carve -write" + c.samePlan() + "  gives it one"}
			}
			return reach.Blocked, &usageError{fmt.Sprintf("%s has no workload with an address, so there is nothing to ask about", end.Name), "ask for one that has, or for an address in it"}
		}
	}
	meter := c.meter("asking about each pair", 0, progress.UnitsDefault)
	s := grid.AskMany(c.e, from, to, asked, c.allWays, meter.step)
	meter.end()
	var fixed *repair.Repair
	if s.Verdict != reach.Open && len(c.e.Workloads) <= maxTried && len(s.Parts) <= maxParts {
		fixed = repair.OfMany(c.e, s)
	}
	switch format {
	case "json":
		if err := c.json(surveyJSON(s, fixed, c.e.Plan.Files)); err != nil {
			return s.Verdict, err
		}
	case "md":
		c.surveyedMarkdown(s, fixed)
	default:
		c.surveyed(s, fixed)
	}
	return s.Verdict, c.fixes(fixed, format == "text")
}

// findEnds finds an end of a question, or many, or says what is wrong with the word.
func findEnds(e *estate.Estate, word string) (reach.Ends, error) {
	ends, err := reach.FindEnds(e, word)
	if err != nil {
		return ends, &usageError{err.Error(), wrong.Right(err)}
	}
	return ends, nil
}
