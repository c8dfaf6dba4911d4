package cli

import (
	"fmt"
	"strings"

	"wendrik/internal/core/flow"
	"wendrik/internal/core/join"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func joinCommand() *command {
	return &command{
		name: "join", args: "A B",
		short: "joins two networks, or a network or site and a hub: what forbids it, and all that it takes",
		long: "Join works out every touch point of joining two networks, a network and a site, or one of these and a hub: first what forbids it, which is ranges that overlap and would meet, " +
			"with the move that would allow it; then the peering and its halves, the attachment or the link, the routes of both sides, what hubs learn and sites know, " +
			"with -on the rules for some flows, and what that opens. -only narrows it to some tiers or subnets. " +
			"It shows a difference; -write makes it, and -undo takes the same out again. With -half one side writes its own part alone, and join says what the other side has to do. " +
			"The exit status is 1 when something forbids it.",
		examples: []example{
			{"wendrik join harbour finance", "all that it takes"},
			{"wendrik join harbour finance -half harbour", "the part of one side, and what the other has to be told"},
			{"wendrik join booking finance -only booking/app,finance -on tcp/5432", "one tier, and what it asks for"},
			{"wendrik join booking finance -undo", "what takes it out again"},
			{"wendrik join drill booking", "what forbids it"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			on := f.String("on", "", "`FLOW` that A is to reach B on, such as tcp/5432: the rules for it are written as well")
			only := f.String("only", "", "`PARTS` of either side that are meant, with commas, such as booking/app,finance")
			half := f.String("half", "", "`SIDE` that writes its own part alone")
			table := f.String("table", "", "`TABLE` of a hub that has several, which what is attached looks into")
			undo := f.Bool("undo", false, "take the same join out again")
			write := f.Bool("write", false, "make the changes")
			breaks := f.breaksFlag()
			return func(c *call) (int, error) {
				if len(c.args) != 2 {
					return cannot, &usageError{fmt.Sprintf("join takes two sides, not %d", len(c.args)), "wendrik join booking finance"}
				}
				q := join.Request{A: c.args[0], B: c.args[1], Half: *half, Table: *table}
				if *only != "" {
					q.Only = strings.Split(*only, ",")
				}
				if *on != "" {
					asked, err := flow.Parse(*on)
					if err != nil {
						return cannot, &usageError{err.Error(), "-on tcp/5432"}
					}
					q.On = asked
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				work := join.Of
				if *undo {
					work = join.Undo
				}
				r, err := work(o.Estate, q)
				if err != nil {
					return cannot, &usageError{err.Error(), wrong.Right(err)}
				}
				status := good
				if len(r.Forbids)+len(r.Unmet)+len(r.Against) > 0 {
					status = no
				}
				edits := o.Own(r.Changes().Edits())
				if *format == "json" {
					if err := c.json(joinJSON(r, o.Plan.Files)); err != nil {
						return cannot, err
					}
				} else if err := c.joined(o, r, edits, *undo); err != nil {
					return cannot, err
				}
				switch {
				case len(r.Forbids) > 0 && *write:
					c.tell("nothing was written, because something forbids it")
					return no, nil
				case len(r.Forbids) > 0 || len(edits) == 0:
					return status, nil
				case !*write:
					if *format == "text" {
						c.say("\nto make it so:  the same command with  -write")
					}
					return status, nil
				}
				if err := keeps(r.Against, *breaks); err != nil {
					return cannot, err
				}
				if err := c.saveEdits(o.label, o.Plan.Files, edits, false); err != nil {
					return cannot, err
				}
				c.written(*format == "text", "written to %s: %s", clean(o.label), phrase.Count(len(r.Steps), "change"))
				return status, nil
			}
		},
	}
}
