package cli

import (
	"context"
	"slices"
	"time"

	"wendrik/internal/claims"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
)

func carveCommand() *command {
	return &command{
		name:  "carve",
		short: "gives every network and subnet without a range one, and every host an address",
		long: "Carve gives a range to every network with a size and to every tier's subnets that have none: from the named block of space, " +
			"aligned, one subnet for each tier and zone, a tier's subnets side by side with room for another zone, and without moving anything " +
			"that is there. Workloads and NAT gateways without an address get the lowest free one of their subnet; those that are counted in a " +
			"tier are spread over its subnets. It shows what it would do; with -write it puts the ranges into the plan and leaves every other byte as it was.",
		examples: []example{
			{"wendrik carve", "what would get which range"},
			{"wendrik carve -why", "and for what reason"},
			{"wendrik carve -taken inventory.csv -columns range=cidr", "around ranges in use that the plan does not know of"},
			{"wendrik carve -format csv", "every subnet, old and new, for a spreadsheet"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			write := f.Bool("write", false, "put the ranges into the plan")
			all := f.Bool("all", false, "list the subnets that had a range, too; the other formats always do")
			why := f.Bool("why", false, "say why each range was chosen")
			taken, columns := f.takenFlags()
			claim := f.Bool("claim", false, "leave out what others have claimed, and with -write claim what networks get")
			store := f.storeFlag()
			f.onlyWith("store", "claim")
			f.apart("write", "all")
			f.apart("write", "why")
			return func(c *call) (int, error) {
				if err := c.noArguments("carve", ""); err != nil {
					return cannot, err
				}
				o, err := c.loadQuietly(*name, ranged)
				if err != nil {
					return cannot, err
				}
				e := o.Estate
				used, err := c.inventory(*taken, *columns, e.Plan.Files)
				if err != nil {
					return cannot, err
				}
				if refused := used.refusal(); refused != nil && *write {
					return cannot, refused
				}
				var s *claims.Store
				ctx := context.Background()
				if *claim {
					var done func()
					if s, ctx, done, err = c.openStore(*store, *name); err != nil {
						return cannot, err
					}
					defer done()
					others, err := claimedByOthers(ctx, s, e)
					if err != nil {
						return cannot, storeError(err)
					}
					used.taken = append(used.taken, others...)
				}
				r := carve.Estate(e, used.taken...)
				if *claim && *write && len(r.Misfits) == 0 {
					if err := claimCarved(ctx, s, e, r); err != nil {
						return cannot, err
					}
				}
				named, _ := check.Judge(e, time.Now(), check.Names)
				findings := append(r.Renamed, named...)
				switch *format {
				case "json":
					err = c.json(carveJSON(r, findings, e.Plan.Files))
				case "text":
					if !*write {
						c.carved(r, *all, *why)
					}
				default:
					err = c.write(carveSheet(r, true), *format)
				}
				if err != nil {
					return cannot, err
				}
				for _, f := range findings {
					c.finding(c.err, e.Plan.Files, f)
				}
				for _, note := range r.Notes {
					c.tell("%s", clean(note))
				}
				status, err := c.finishCarve(r, e.Plan.Files, *name, *taken, *columns, *write, *format == "text")
				if err == nil {
					err = used.refusal() // what is shown could not be written
				}
				if status == good && len(findings) > 0 {
					status = no
				}
				return status, err
			}
		},
	}
}

// ranged reports whether a problem can be about who has which range or address, or which is asked for.
func ranged(problem text.Path) bool {
	switch {
	case !verdict.Needed(problem):
		return false
	case len(problem) == 0:
		return true
	case problem[0] == "peerings" || problem[0] == "hubs" || problem[0] == "hub-links":
		return false
	case problem[0] == "networks" && len(problem) > 2:
		return !slices.Contains([]string{"tables", "groups", "lists"}, problem[2])
	case problem[0] == "workloads" && len(problem) > 2:
		return problem[2] == "in" || problem[2] == "address"
	}
	return true
}

// finishCarve writes the ranges when that was asked for and everything fits, and says what to do next.
func (c *call) finishCarve(r *carve.Result, src *text.Files, name, taken, columns string, write, talk bool) (int, error) {
	for _, m := range r.Misfits {
		c.finding(c.err, src, m)
	}
	switch {
	case len(r.Misfits) > 0:
		c.tell("%s; %s written", misfits(len(r.Misfits)), map[bool]string{true: "nothing was", false: "nothing can be"}[write])
		return no, nil
	case write && r.New():
		if err := c.save(name, src, r.Changes, talk); err != nil {
			return cannot, err
		}
		c.written(talk, "written to %s: %s", clean(name), news(r))
	case write:
		c.written(talk, "%s is as it was: every network and subnet has its range, and every host its address", clean(name))
	case r.New():
		if r.Uneditable != nil {
			return cannot, uneditable(name, r.Uneditable)
		}
		if !talk {
			break
		}
		c.say("\nto write them into the plan:  wendrik carve -write%s%s", c.samePlan(), c.sameList(taken, columns))
	}
	return good, nil
}
