package cli

import (
	"time"

	"wendrik/internal/core/check"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/phrase"
)

func overlapsCommand() *command {
	return &command{
		name: "overlaps", args: "[< LIST]",
		short: "says which ranges overlap, and whether that matters",
		long: "Overlaps finds every pair of networks, subnets, held ranges, sites and clusters whose ranges overlap. A conflict is a pair that meets, by a peering, " +
			"a hub or a link, or in one network: one of them is broken, and a place to move to is named. A latent pair does not meet today, and could never be joined. " +
			"A harmless one is meant to be so. Ranges that a registry sets aside for something else are reported too. " +
			"Without a plan it takes a list: one range a line, or CSV with a header, from standard input or a file; then ranges that are the same, that overlap in part, " +
			"and that lie in each other are told apart. With a list and a plan, such as a spreadsheet of a firm that was bought, it says which ranges of the list overlap with what of the plan, whether that matters once they are joined, who must move and where to: " +
			"never what is fixed (in the plan fixed: true, in the list a column of that name). A list may be several files with commas between, and have several ranges in a cell, masks of either kind and remarks. " +
			"The exit status is 1 when there is a conflict, a latent pair or any other finding.",
		examples: []example{
			{"wendrik overlaps", "all of them, the worst first"},
			{"wendrik overlaps -only conflict -format csv", "the conflicts, for a spreadsheet"},
			{"wendrik overlaps -list inventory.csv -columns range=cidr,owner=team", "a list that is no plan"},
			{"wendrik overlaps -list inventory.csv -columns range=cidr,owner=team -plan wendrik.yaml -with booking", "the list against the plan: what is in the way once it is joined with booking, and who moves"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			only := f.oneOf("only", "list one verdict", "all", "conflict", "latent", "harmless")
			list := f.String("list", "", "`FILE` a list of ranges, or several with commas, in the place of a plan, or with -plan beside it; - for standard input")
			columns := f.String("columns", "", "`range=NAME,...` which columns of a CSV list are the range, name, owner, place and fixed")
			with := f.String("with", "", "with -list and -plan: the `NAMES` of networks and sites that the list's are to be joined with")
			limit := f.Int("limit", 100_000, "`N` the most pairs of a list to find")
			f.atLeastOne("limit", limit)
			return func(c *call) (int, error) {
				if err := c.noArguments("overlaps", "-plan FILE,  or  -list FILE"); err != nil {
					return cannot, err
				}
				if *list == "" && !f.given("plan") {
					meant, err := c.listOnInput()
					if err != nil {
						return cannot, err
					}
					if meant {
						*list = "-"
					}
				}
				if *list == "" && (f.given("columns") || f.given("limit")) {
					return cannot, &usageError{"-columns and -limit are for a list, and the overlaps of a plan were asked for", "-list FILE  or  < FILE  names a list"}
				}
				if *with != "" && (*list == "" || !f.given("plan")) {
					return cannot, &usageError{"-with is for a list beside a plan", "wendrik overlaps -list FILE -plan wendrik.yaml -with booking"}
				}
				if *list != "" && f.given("plan") {
					return c.besides(*name, *list, *columns, *with, *format, *only)
				}
				if *list != "" {
					return c.listOverlaps(*list, *columns, *format, *only, *limit)
				}
				return c.planOverlaps(*name, *format, *only)
			}
		},
	}
}

// planOverlaps finds the overlaps of a plan.
func (c *call) planOverlaps(name, format, only string) (int, error) {
	o, status, err := c.loadPart(name)
	if err != nil {
		return cannot, err
	}
	e := o.Estate
	src := e.Plan.Files
	found := overlap.Estate(e)
	findings, _ := check.Judge(e, time.Now(), check.Ranges)
	shown, left := found.Pairs, 0
	for verdict, n := range found.Left {
		if only == "all" || only == string(verdict) {
			left += n
		}
	}
	if only != "all" {
		shown, findings = nil, nil
		for _, p := range found.Pairs {
			if string(p.Verdict) == only {
				shown = append(shown, p)
			}
		}
	}
	switch format {
	case "json":
		err = c.json(overlapsJSON(shown, left, findings, src))
	case "text":
		c.overlaps(found, shown, left, o)
		c.findings("ranges that should not be used so", findings, src)
	default:
		err = c.write(overlapsSheet(shown, src), format)
		for _, f := range findings {
			c.finding(c.err, src, f)
		}
	}
	if found.Unjudged > 0 {
		c.tell("%d more pairs of ranges share addresses than could be looked at: give them ranges of their own first", found.Unjudged)
	}
	if left > 0 && format != "text" {
		c.tell("%s left out: no more than %d of a verdict are listed", phrase.Count(left, "more pair"), overlap.MaxPairs)
	}
	if found.Unjudged > 0 {
		return status(no), err
	}
	for _, p := range shown {
		if p.Verdict != overlap.Harmless {
			return status(no), err
		}
	}
	if len(findings) > 0 {
		return status(no), err
	}
	return status(good), err
}
