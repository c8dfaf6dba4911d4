package cli

import (
	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/phrase"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wire"
)

func wireCommand() *command {
	return &command{
		name:  "wire",
		short: "writes the gateways, tables, routes and rules that follow from what is wanted",
		long: "Wire works out what the access of tiers, the joins and the lines of expect need, and the plan lacks: gateways, NAT gateways with an address, a table for each access, " +
			"default routes of both families, routes to peers, hubs and sites, what hubs learn and sites know, and the rules that make each line of expect hold. " +
			"A join that no line speaks of leads to and from all subnets; one that lines speak of, those that they name; and a rule names whom its line names, by their group or address. " +
			"A line that says through what, or as whom something leaves, is led by way of it, there and back, in a table of its own. " +
			"It shows that as a difference, with what else it opens; with -write it makes it. What stands and contradicts is told, and never changed; a line that says never is never broken.",
		examples: []example{
			{"wendrik wire", "what the plan lacks"},
			{"wendrik wire -format json", "the same for another program"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			write := f.Bool("write", false, "write what is missing into the plan")
			return func(c *call) (int, error) {
				if err := c.noArguments("wire", ""); err != nil {
					return cannot, err
				}
				c.gives = "wire"
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				e := o.Estate
				meter := c.meter("making the lines of expect hold", 0, progress.UnitsDefault)
				r := wire.InSteps(e, meter.step)
				meter.end()
				status := good
				if len(r.Contradicts)+len(r.Unmet)+len(r.Waiting)+len(e.Problems) > 0 {
					status = no
				}
				if r.Uneditable != nil {
					return cannot, uneditable(*name, r.Uneditable)
				}
				if *format == "json" {
					if err := c.json(wireJSON(r, e.Plan.Files)); err != nil || !*write {
						return status, err
					}
				} else if err := c.wired(e, r); err != nil {
					return cannot, err
				}
				if !*write || len(r.Changes) == 0 {
					if len(r.Changes) > 0 && *format == "text" {
						c.say("\nto write it into the plan:  wendrik wire -write%s", c.samePlan())
					}
					return status, nil
				}
				if err := c.saveEdits(o.label, e.Plan.Files, e.Own(r.Changes.Edits()), false); err != nil {
					return cannot, err
				}
				c.written(*format == "text", "written to %s: %s", clean(o.label), phrase.Count(len(r.Changes), "change"))
				return status, nil
			}
		},
	}
}
