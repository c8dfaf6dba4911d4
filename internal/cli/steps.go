package cli

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	order "wendrik/internal/core/steps"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

func stepsCommand() *command {
	return &command{
		name: "steps", args: "[OLD] NEW",
		short: "the order in which to make a change, so that nothing is cut on the way",
		long: "Steps gives the order in which to change one estate into another, or with NEW alone to build one from nothing, one step for each thing that a person or a script does at a cloud: " +
			"with its owner, its place, what it needs before it, and its undo. In every state between, what passes both before and after passes, and nothing passes that passes in neither. " +
			"Where no order does that, the step is named with what is cut or opened for a while, and the order has the least of it. " +
			"-at N writes the plan as it is after N steps, so that any command can be asked about it; -undo gives the way back, and -down the order to take all down. " +
			"Of a plan with parts the steps are those of what it comes to at a cloud, written as one file. " +
			"The exit status is 1 when something is cut or opened on the way.",
		examples: []example{
			{"wendrik steps wendrik.yaml planned.yaml", "from one plan to another"},
			{"wendrik steps wendrik.yaml", "to build it from nothing"},
			{"wendrik steps wendrik.yaml -at 12", "the plan after twelve steps"},
			{"wendrik steps wendrik.yaml -down -format md", "a checklist to take it down"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			format := f.oneOf("format", "how to write the result", "text", "md", "json")
			at := f.Int("at", -1, "write the text of the plan after `N` steps, and do nothing else")
			out := f.String("o", "-", "with -at: `FILE` to write it to; - for standard output")
			undo := f.Bool("undo", false, "the way back, from NEW to OLD")
			down := f.Bool("down", false, "the order to take all of it down")
			f.onlyWith("o", "at")
			f.apart("undo", "down")
			return func(c *call) (int, error) {
				if len(c.args) == 0 || len(c.args) > 2 || *down && len(c.args) != 1 {
					return cannot, &usageError{fmt.Sprintf("steps takes OLD and NEW, or NEW alone, not %d names", len(c.args)), "wendrik steps OLD NEW"}
				}
				fresh, err := c.openWhole(c.args[len(c.args)-1])
				if err != nil {
					return cannot, err
				}
				var old *estate.Estate
				if len(c.args) == 2 {
					o, err := c.openWhole(c.args[0])
					if err != nil {
						return cannot, err
					}
					old = o.Estate
				} else if old, err = nothingOf(fresh.Estate); err != nil {
					return cannot, uneditable(fresh.label, err)
				}
				from, to := old, fresh.Estate
				if *undo || *down {
					from, to = to, from
				}
				if len(from.Plan.Files.All()) > 1 || len(to.Plan.Files.All()) > 1 {
					c.tell("the plan has parts: the steps are those of what it comes to at a cloud, written as one file")
					if from, err = inForm(from); err == nil {
						to, err = inForm(to)
					}
					if err != nil {
						return cannot, &usageError{fmt.Sprintf("what the plan comes to cannot be walked: %s", err), "wendrik check"}
					}
				}
				p, err := c.stepsBetween(from, to)
				if err != nil {
					return cannot, err
				}
				if *at >= 0 {
					return c.stepAt(p, *at, *out)
				}
				status := good
				if !p.Clean() {
					status = no
				}
				switch *format {
				case "json":
					return status, c.json(stepsJSON(p))
				case "md":
					c.stepsMarkdown(p)
				default:
					c.ordered(p)
				}
				return status, nil
			}
		},
	}
}

// stepsBetween finds the order of steps from one estate to another.
func (c *call) stepsBetween(from, to *estate.Estate) (*order.Plan, error) {
	meter := c.meter("finding the order", 0, progress.UnitsDefault)
	p, err := order.Of(from, to, meter.step)
	meter.end()
	if err != nil {
		return nil, &usageError{err.Error(), wrong.Right(err)}
	}
	return p, nil
}

// nothingOf is the estate before anything of it is built: what a plan says of all, without anything in it.
func nothingOf(e *estate.Estate) (*estate.Estate, error) {
	var edits []text.Edit
	for _, key := range []string{"space", "dhcp", "networks", "workloads", "peerings", "hubs", "hub-links", "sites", "clusters", "expect", "waive"} {
		if _, found := e.Plan.Files.Value(text.Path{key}); found {
			edits = append(edits, text.Remove(nil, key))
		}
	}
	old, _, err := e.With(text.Changes{{Edits: edits}})
	return old, err
}

// stepAt writes the text of the plan after some steps.
func (c *call) stepAt(p *order.Plan, n int, out string) (int, error) {
	if n > len(p.Steps) {
		return cannot, &usageError{fmt.Sprintf("there are %s, and %d is beyond the last", phrase.Count(len(p.Steps), "step"), n), fmt.Sprintf("-at %d", len(p.Steps))}
	}
	content, err := p.At(n)
	if err != nil {
		return cannot, uneditable("the plan", err)
	}
	if out == "-" {
		c.say("%s", strings.TrimSuffix(content, "\n"))
		return good, nil
	}
	if err := create(out, content); err != nil {
		return cannot, err
	}
	c.say("written to %s: the plan after %s", clean(out), phrase.Count(n, "step"))
	return good, nil
}

// ordered shows the steps.
func (c *call) ordered(p *order.Plan) {
	if len(p.Steps) == 0 {
		c.say("%s", bothSame.say())
		return
	}
	c.say("%s  %s", strong.Sprint(phrase.Count(len(p.Steps), "step")), c.proved(p))
	for i, s := range p.Steps {
		if i == maxSteps {
			c.say("\n%d more;  -format md  lists all", len(p.Steps)-i)
			return
		}
		beside := ""
		if s.Owner != "" {
			beside = "  (" + s.Owner + ")"
		}
		if len(s.Needs) > 0 {
			beside += "  needs " + phrase.Names(s.Needs, func(n int) string { return fmt.Sprint(n) })
		}
		c.say("%4d. %s", i+1, c.wrap(6, clean(stepName(&s)+beside)))
		c.say("      %s", dim.Sprint(c.wrap(8, clean(s.Text))))
		c.say("      %s", dim.Sprint(c.wrap(8, "undo: "+clean(s.Undo))))
		c.harm("cuts", s.Cuts)
		c.harm("opens", s.Opens)
		if s.Why != "" {
			c.say("      why    %s", c.wrap(13, clean(s.Why)))
		}
	}
}

// stepName is what a step is about.
func stepName(s *order.Step) string {
	if s.Kind == order.Paper {
		return "the plan alone: nothing of it is at a cloud"
	}
	return strings.TrimSpace(s.Kind + " " + s.Name)
}

// maxSteps is how many steps the text lists.
const maxSteps = 100

// proved says what is known of the states between.
func (c *call) proved(p *order.Plan) string {
	harmful := 0
	for _, s := range p.Steps {
		if len(s.Cuts)+len(s.Opens) > 0 {
			harmful++
		}
	}
	if harmful == 0 {
		return cleanSteps.say()
	}
	switch {
	case p.None:
		return bad.Sprintf("after %d of them something is cut or opened for a while; no order of these steps is without, all were tried", harmful)
	case p.Tried > 0:
		return bad.Sprintf("after %d of them something is cut or opened for a while; no order without was found among %s that were tried", harmful, phrase.Count(p.Tried, "state"))
	}
	return bad.Sprintf("after %d of them something is cut or opened for a while; no order with less was found", harmful)
}

func (c *call) harm(what string, all []grid.Difference) {
	for i, d := range all {
		if i == maxInside {
			c.say("      %s  %d more", bad.Sprint(what), len(all)-i)
			return
		}
		c.say("      %s  %s", bad.Sprint(what), c.wrap(14, effectLine(&d, few)))
	}
}

// stepsMarkdown writes a checklist.
func (c *call) stepsMarkdown(p *order.Plan) {
	harmful := strings.ToUpper(cleanSteps.words[:1]) + cleanSteps.words[1:] + "."
	if !p.Clean() {
		harmful = "Mind the steps that cut or open something for a while."
	}
	c.say("## %s\n\n%s\n", phrase.Count(len(p.Steps), "step"), harmful)
	for i, s := range p.Steps {
		owner := ""
		if s.Owner != "" {
			owner = " — " + markdown(s.Owner)
		}
		c.say("- [ ] **%d. %s**%s", i+1, markdown(stepName(&s)), owner)
		c.say("  - %s", markdown(s.Text))
		if len(s.Needs) > 0 {
			c.say("  - needs %s", phrase.Names(s.Needs, func(n int) string { return fmt.Sprint(n) }))
		}
		c.say("  - undo: %s", markdown(s.Undo))
		if s.Why != "" {
			c.say("  - why here: %s", markdown(s.Why))
		}
		for _, x := range []struct {
			what string
			all  []grid.Difference
		}{{"cuts for a while", s.Cuts}, {"opens for a while", s.Opens}} {
			for k, d := range x.all {
				if k == maxInside {
					c.say("  - %s: %d more", x.what, len(x.all)-k)
					break
				}
				c.say("  - %s: %s", x.what, markdown(effectLine(&d, few)))
			}
		}
	}
}

// The JSON of steps; docs/json.md describes it.
type stepsOut struct {
	Steps []stepOut `json:"steps"`
}

type stepOut struct {
	N     int         `json:"n"`
	Kind  string      `json:"kind"`
	Name  string      `json:"name"`
	Owner string      `json:"owner"`
	Place string      `json:"place"`
	Text  string      `json:"text"`
	Needs []int       `json:"needs"`
	Undo  string      `json:"undo"`
	Cuts  []effectOut `json:"cuts"`
	Opens []effectOut `json:"opens"`
	Why   string      `json:"why"`
}

func stepsJSON(p *order.Plan) stepsOut {
	out := stepsOut{[]stepOut{}}
	for i, s := range p.Steps {
		out.Steps = append(out.Steps, stepOut{i + 1, s.Kind, s.Name, s.Owner, s.Place.String(), s.Text, append([]int{}, s.Needs...), s.Undo, effectsJSON(s.Cuts), effectsJSON(s.Opens), s.Why})
	}
	return out
}
