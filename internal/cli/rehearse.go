package cli

import (
	"fmt"
	"strings"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/rehearse"
)

func rehearseCommand() *command {
	return &command{
		name: "rehearse", args: "[-in PLACE -- COMMAND...]",
		short: "builds the plan in the Linux kernel, and tries it with real packets",
		long: "Rehearse builds the plan in network namespaces of this machine's Linux kernel: a router with its tables for each network, a namespace for each workload, NAT gateway, hub and site, " +
			"and a simulated internet; groups and lists become rules of the kernel's packet filter. Then it sends real packets between all workloads, and to and from the sites and the internet: " +
			"TCP and UDP on every port that one end listens on or a rule names and on one that is none of these, and echo requests. It compares what arrives, and as whom, with what reach says, " +
			"holds every line of expect, and takes everything down again. " +
			"The machine's own network is never touched, and nothing outlives the program. It needs root, or a kernel that lets anybody make user namespaces. " +
			"-steps OLD builds another plan instead, makes in the standing network each step that leads from it to this one, and tries it after each: what passes in both must pass, " +
			"what passes in neither must not, and TCP connections that were open before the first step must be open still, where the plan says that they can. " +
			"-keep leaves it standing: -in runs any program in a workload (or in a network's router, a hub, a site, internet), -again tries everything once more, -down takes it down. " +
			"The exit status is 0 only if everything agrees and every expectation holds; with -in, it is that of the program.",
		examples: []example{
			{"wendrik rehearse", "everything"},
			{"wendrik rehearse -only booking,finance -format json", "the workloads of two networks, for another program"},
			{"wendrik rehearse -plan planned.yaml -steps wendrik.yaml", "the change from one plan to another, step by step"},
			{"wendrik rehearse -keep", "and leave it standing"},
			{"wendrik rehearse -in fares-1 -- cat /proc/net/route", "a program of your own in it"},
			{"wendrik rehearse -down", "take it down"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			at := f.standing()
			only := f.String("only", "", "`NETWORK,...` try the workloads of these networks alone; all others are built as far as packets go through them")
			keep := f.Bool("keep", false, "leave it standing")
			in := f.String("in", "", "`PLACE` run the command behind -- there, in the rehearsal that stands")
			again := f.Bool("again", false, "try everything once more in the rehearsal that stands, as it is now")
			down := f.Bool("down", false, "take the rehearsal that stands down")
			steps := f.String("steps", "", "`OLD` a plan: make each step from it to this one, and try all after each")
			f.apart("keep", "again", "in", "down")
			f.apart("steps", "keep", "again", "in", "down")
			f.apart("only", "again", "in", "down")
			f.apart("plan", "in", "down")
			f.apart("format", "in", "down")
			return func(c *call) (int, error) {
				c.ask(at)
				if rehearse.IsWorker() {
					return rehearse.Work(), nil
				}
				switch {
				case *down:
					return c.rehearsalDown()
				case *in != "":
					return c.rehearsalIn(*in)
				case len(c.args) > 0:
					return cannot, &usageError{fmt.Sprintf("rehearse takes no arguments without -in, and %q is one", c.args[0]), "wendrik rehearse -in PLACE -- COMMAND"}
				}
				o, err := c.load(*name, func(text.Path) bool { return true })
				if err != nil {
					return cannot, err
				}
				if *steps != "" {
					return c.rehearseSteps(o, *steps, *only, *format)
				}
				return c.rehearse(o.Estate, *only, *keep, *again, *format)
			}
		},
	}
}

func (c *call) rehearsalDown() (int, error) {
	stood, err := rehearse.Down()
	switch {
	case err != nil:
		return cannot, &usageError{err.Error(), ""}
	case stood:
		c.say("the rehearsal is down")
	default:
		c.say("no rehearsal stands")
	}
	return good, nil
}

func (c *call) rehearsalIn(place string) (int, error) {
	if len(c.args) == 0 {
		return cannot, &usageError{"-in needs a command behind --", "wendrik rehearse -in " + place + " -- sh"}
	}
	status, err := rehearse.In(place, c.args)
	if err != nil {
		return cannot, &usageError{err.Error(), ""}
	}
	return status, nil
}

func (c *call) rehearse(e *estate.Estate, only string, keep, again bool, format string) (int, error) {
	opt, err := onlyOf(e, only)
	if err != nil {
		return cannot, err
	}
	m, step := c.rehearsalMeter()
	var r *rehearse.Result
	if again {
		r, err = rehearse.Again(e, step)
	} else {
		r, err = rehearse.Run(e, opt, keep, step)
	}
	m.end()
	if err != nil {
		return cannot, &usageError{err.Error(), ""}
	}
	if format == "json" {
		err = c.json(rehearsalJSON(r))
	} else {
		c.rehearsed(e, r, keep || again)
	}
	if r.Good() {
		return good, err
	}
	return no, err
}

// onlyOf reads the networks of -only.
func onlyOf(e *estate.Estate, only string) (opt rehearse.Options, err error) {
	for name := range strings.SplitSeq(only, ",") {
		if name = strings.TrimSpace(name); name == "" {
			continue
		}
		if e.Network(name) == nil {
			return opt, &usageError{fmt.Sprintf("there is no network %s", name), "-only takes names of networks, with commas between"}
		}
		opt.Only = append(opt.Only, name)
	}
	return opt, nil
}

// rehearsalMeter shows how far a rehearsal is.
func (c *call) rehearsalMeter() (*meter, func(what string, done, total int)) {
	m := c.meter("rehearsing", 0, progress.UnitsDefault)
	return m, func(what string, done, total int) {
		m.tracker.UpdateMessage(what)
		m.step(done, total+1)
	}
}

// rehearseSteps makes the steps from another plan in a standing network.
func (c *call) rehearseSteps(o *opened, old, only, format string) (int, error) {
	opt, err := onlyOf(o.Estate, only)
	if err != nil {
		return cannot, err
	}
	from, err := c.openWhole(old)
	if err == nil {
		err = c.whole(o)
	}
	if err != nil {
		return cannot, err
	}
	order, err := c.stepsBetween(from.Estate, o.Estate)
	if err != nil {
		return cannot, err
	}
	file := from.Estate.Plan.Files.First()
	states := []rehearse.State{rehearse.StateOf(file.Name, file.Text, "", false)}
	for i, s := range order.Steps {
		content, err := order.At(i + 1)
		if err != nil {
			return cannot, uneditable("the plan", err)
		}
		states = append(states, rehearse.StateOf(file.Name, content, strings.TrimSpace(s.Kind+" "+s.Name)+": "+s.Text, len(s.Cuts)+len(s.Opens) > 0))
	}
	m, step := c.rehearsalMeter()
	r, err := rehearse.Steps(o.Estate, states, opt, step)
	m.end()
	if err != nil {
		return cannot, &usageError{err.Error(), ""}
	}
	if format == "json" {
		err = c.json(rehearsalJSON(r))
	} else {
		c.movesRehearsed(o.Estate, r)
	}
	if r.Good() {
		return good, err
	}
	return no, err
}
