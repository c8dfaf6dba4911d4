package cli

import (
	"fmt"

	"wendrik/internal/core/cut"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func cutCommand() *command {
	return &command{
		name: "cut", args: "A B",
		short: "takes somebody off from somebody else, with the least that it takes",
		long: "Cut works out what keeps A from B: a workload, network, tier, subnet, site, the internet, or all, which is everybody but the other. " +
			"Rules that let only A in go, others are narrowed, or access lists deny it; of the ways to do that it takes the one that closes the least besides, tells what that is, " +
			"and adds a line of expect that says never as a proof. It shows a difference; -write makes it, and -undo gives back every byte, as long as nobody has edited the plan since. " +
			"The exit status is 1 when something passes all the same, or when more closes than was asked.",
		examples: []example{
			{"wendrik cut ticket-1 berth-1", "one from another"},
			{"wendrik cut all fare-db -on tcp/22", "everybody from one, on one port"},
			{"wendrik cut quay harbour", "a site from a network"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			on := f.String("on", "", "the `FLOW` that is meant, such as tcp/22; all of them unless given")
			undo := f.Bool("undo", false, "take the same cut back")
			write := f.Bool("write", false, "make the changes")
			breaks := f.breaksFlag()
			return func(c *call) (int, error) {
				if len(c.args) != 2 {
					return cannot, &usageError{fmt.Sprintf("cut takes two sides, not %d", len(c.args)), "wendrik cut ticket-1 berth-1"}
				}
				q := cut.Request{A: c.args[0], B: c.args[1], Flows: flow.Any(), On: *on != ""}
				if q.On {
					var err error
					if q.Flows, err = flow.Parse(*on); err != nil {
						return cannot, &usageError{err.Error(), "-on tcp/22"}
					}
				}
				if q.A == q.B {
					return cannot, &usageError{"both sides are the same", "wendrik cut ticket-1 berth-1"}
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				if *undo {
					return c.uncut(o, q, *write, *format)
				}
				r, err := cut.Of(o.Estate, q)
				if err != nil {
					return cannot, &usageError{err.Error(), wrong.Right(err)}
				}
				status := good
				if len(r.Left)+len(r.Closes)+len(r.Opens)+len(r.Breaks) > 0 {
					status = no
				}
				edits := o.Own(r.Changes.OnLines().Edits())
				if *format == "json" {
					if err := c.json(cutJSON(r)); err != nil {
						return cannot, err
					}
				} else if err := c.cutOff(o, r, q, edits); err != nil {
					return cannot, err
				}
				switch {
				case len(edits) == 0:
					return status, nil
				case !*write:
					if *format == "text" {
						c.say("\nto make it so:  the same command with  -write")
					}
					return status, nil
				}
				if err := keeps(r.Breaks, *breaks); err != nil {
					return cannot, err
				}
				changed, err := o.Plan.Files.Apply(edits)
				if err != nil {
					return cannot, uneditable(o.label, err)
				}
				if err := c.saveEdits(o.label, o.Plan.Files, edits, false); err != nil {
					return cannot, err
				}
				c.written(*format == "text", "written to %s: %s", clean(o.label), phrase.Count(len(r.Changes), "change"))
				if !remember(o.Plan.Files.First().Name, q, changed) {
					c.tell("it could not be remembered, so -undo does not know of it; the plan's history does")
				}
				return status, nil
			}
		},
	}
}

// cutOff shows what a cut comes to.
func (c *call) cutOff(o *opened, r *cut.Result, q cut.Request, edits []text.Edit) error {
	what := fmt.Sprintf("%s to %s", q.A, q.B)
	if q.On {
		what += " on " + q.Flows.String()
	}
	if r.Passed == 0 {
		c.say("%s", fine.Sprint(c.wrap(2, nothingPassesAlready.plain(clean(what)))))
	} else {
		c.say("%s", strong.Sprint(c.wrap(2, fmt.Sprintf("%s: %s, to cut what passes between %s", clean(what), phrase.Count(len(r.Changes), "change"), phrase.Count(r.Passed, "pair")))))
	}
	for i, x := range r.Changes {
		if i == maxReasons {
			c.say("  %d more;  -format json  lists all", len(r.Changes)-i)
			break
		}
		c.say("  %s", c.wrap(4, clean(x.Why)))
	}
	if len(edits) > 0 {
		if err := c.preview(o.label, o.Plan.Files, edits); err != nil {
			return err
		}
	}
	if len(r.Opens) > 0 {
		c.say("%s", bad.Sprint("\nthis opens:"))
		c.effects(r.Opens)
	}
	if len(r.Closes) > 0 {
		c.say("%s", bad.Sprint("\nthis closes besides; of what was tried, nothing closes less:"))
		c.effects(r.Closes)
	}
	c.breaks("this breaks:", r.Breaks)
	switch {
	case len(r.Left) > 0:
		c.say("\n%s", bad.Sprint("this passes all the same, since no edit of rules or lists keeps it out:"))
		for i, a := range r.Left {
			if i == maxReasons {
				c.say("  %d more;  -format json  lists all", len(r.Left)-i)
				break
			}
			c.say("  %s", c.wrap(4, fmt.Sprintf("%s  from %s to %s", a.Some.Intersect(q.Flows), clean(a.From.Name), clean(a.To.Name))))
		}
	case len(r.Changes) > 0 && len(r.Closes)+len(r.Opens) == 0:
		c.say("\n%s", cutsNoMore.say())
	}
	return nil
}

// The JSON of cut; docs/json.md describes it.
type cutOut struct {
	Passed  int             `json:"passed"`
	Changes []wireChangeOut `json:"changes"`
	Proof   []string        `json:"proof"`
	Opens   []effectOut     `json:"opens"`
	Closes  []effectOut     `json:"closes"`
	Breaks  []string        `json:"breaks"`
	Left    []cutLeftOut    `json:"left"`
}

type cutLeftOut struct {
	From  string `json:"from"`
	To    string `json:"to"`
	Flows string `json:"flows"`
}

func cutJSON(r *cut.Result) cutOut {
	out := cutOut{r.Passed, []wireChangeOut{}, append([]string{}, r.Proof...), effectsJSON(r.Opens), effectsJSON(r.Closes), []string{}, []cutLeftOut{}}
	for _, x := range r.Changes {
		out.Changes = append(out.Changes, changeJSON(x))
	}
	for _, x := range r.Breaks {
		out.Breaks = append(out.Breaks, x.Text)
	}
	for _, a := range r.Left {
		out.Left = append(out.Left, cutLeftOut{a.From.Name, a.To.Name, a.Some.String()})
	}
	return out
}
