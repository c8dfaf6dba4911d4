package cli

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/address"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/renumber"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func renumberCommand() *command {
	return &command{
		name: "renumber", args: "NAME",
		short: "moves a network, a subnet, a tier or a cluster's ranges, and all that speaks of them",
		long: "Renumber moves a network, network/subnet, network/tier, network/held part, cluster/pods or cluster/services to other ranges: those of -to, or the nearest free place in the block of -from, or in the one around it; with -size to a range of another size, in place where that can be. " +
			"Every subnet, address, route, rule, hub route and site in the plan that speaks of the old ranges follows, and each workload keeps its place within its subnet. A wider range that held the old place and not the new one gets the new one beside it. " +
			"It shows that nothing else changes: who reaches whom is the same before and after, but for what an overlap had broken; and it tells what is to be asked for outside the plan. -write makes it. " +
			"The exit status is 1 when anything opens or closes.",
		examples: []example{
			{"wendrik renumber drill", "to the nearest free place"},
			{"wendrik renumber finance -to 10.144.32.0/20", "to a range"},
			{"wendrik renumber booking/app-c -size /23", "to a larger range: where it is, if what lies beside it is free"},
			{"wendrik renumber berths/pods -to 10.214.0.0/18", "the pods of a cluster"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			to := f.String("to", "", "`RANGE` that it moves to, or one of each family with a comma")
			size := f.String("size", "", "`/LENGTH` of its new IPv4 range, in place where that is free, or else at the nearest free place; with -to, that of the range there")
			from := f.String("from", "", "`BLOCK` of space in which a free place is looked for")
			write := f.Bool("write", false, "make the changes")
			breaks := f.breaksFlag()
			f.apart("to", "from")
			return func(c *call) (int, error) {
				if len(c.args) != 1 {
					return cannot, &usageError{fmt.Sprintf("renumber takes what is to move, not %d names", len(c.args)), "wendrik renumber booking -to 10.144.64.0/20"}
				}
				q := renumber.Request{Name: c.args[0], From: *from}
				if *size != "" {
					var err error
					if q.Bits, err = address.ParseSize(*size); err != nil {
						return cannot, &usageError{err.Error(), "-size /22"}
					}
				}
				if *to != "" {
					for word := range strings.SplitSeq(*to, ",") {
						p, err := address.ParseRange(word)
						if err != nil {
							return cannot, &usageError{err.Error(), wrong.Right(err)}
						}
						q.To = append(q.To, p)
					}
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				r, err := renumber.Of(o.Estate, q)
				if err != nil {
					return cannot, &usageError{err.Error(), wrong.Right(err)}
				}
				before, _ := estate.Load(o.Plan.Files)
				d := compare.Of(before, r.After, nil, time.Now())
				status := good
				if len(d.Opens)+len(d.Closes) > 0 {
					status = no
				}
				edits := o.Own(r.Changes.OnLines().Edits())
				if *format == "json" {
					if err := c.json(renumberJSON(r, d)); err != nil {
						return cannot, err
					}
				} else if err := c.renumbered(o, r, d, edits); err != nil {
					return cannot, err
				}
				if len(edits) == 0 || !*write {
					if len(edits) > 0 && *format == "text" {
						c.say("\nto make it so:  the same command with  -write")
					}
					return status, nil
				}
				if err := keeps(expect.NoLonger(before, r.After, len(d.Closes) > 0), *breaks); err != nil {
					return cannot, err
				}
				if err := c.saveEdits(o.label, o.Plan.Files, edits, false); err != nil {
					return cannot, err
				}
				c.written(*format == "text", "written to %s: %s", clean(o.label), phrase.Count(len(r.Changes), "change"))
				return status, nil
			}
		},
	}
}

// renumbered shows what moving comes to.
func (c *call) renumbered(o *opened, r *renumber.Result, d *compare.Result, edits []text.Edit) error {
	if len(r.Moves) == 0 {
		c.say("%s is there already", clean(r.What))
		return nil
	}
	does := r.Moves[0].Does(strings.HasPrefix(r.What, "the "))
	var moves []string
	for _, m := range r.Moves {
		moves = append(moves, fmt.Sprintf("%s to %s", m.Was, m.Is))
	}
	c.say("%s", strong.Sprint(c.wrap(2, fmt.Sprintf("%s %s from %s: %s", r.What, does, phrase.And(moves), phrase.Count(len(r.Changes), "change")))))
	for i, x := range r.Changes {
		if i == maxReasons {
			c.say("  %d more;  -format json  lists all", len(r.Changes)-i)
			break
		}
		c.say("  %s", c.wrap(4, clean(x.Why)))
	}
	if err := c.preview(o.label, o.Plan.Files, edits); err != nil {
		return err
	}
	c.say("")
	c.sameOrNot(o, d, r.Told)
	for i, t := range r.Left {
		if i == 0 {
			c.say("\n%s", strong.Sprint("to be changed by hand"))
		}
		c.say("  %s", c.wrap(4, clean(t)))
	}
	return nil
}

// sameOrNot says whether who reaches whom is the same once ranges have moved or grown, which findings go and come, and what is to be asked for
// outside the plan.
func (c *call) sameOrNot(o *opened, d *compare.Result, told []string) {
	if len(d.Opens)+len(d.Closes) == 0 {
		c.say("%s", sameBeforeAfter.say())
	} else {
		c.say("%s", doubt.Sprint("who reaches whom is not the same:"))
		for _, part := range []struct {
			what string
			all  []compare.Difference
		}{{"opens ", d.Opens}, {"closes", d.Closes}} {
			for i, x := range part.all {
				if i == maxInside {
					c.say("  %s  %d more", part.what, len(part.all)-i)
					break
				}
				c.say("  %s  %s", part.what, c.wrap(10, effectLine(&x.Difference, func(all []string) string { return gathered(o, all) })))
			}
		}
	}
	gone, fresh := apart(d.Gone, d.New)
	for i, f := range gone {
		if i == 0 {
			c.say("\n%s", strong.Sprint("findings that are gone"))
		}
		c.say("  %s", c.wrap(4, clean(fmt.Sprintf("%s: %s", f.Code, f.Message))))
	}
	for i, f := range fresh {
		if i == 0 {
			c.say("\n%s", strong.Sprint("findings that are new"))
		}
		c.say("  %s", c.wrap(4, clean(fmt.Sprintf("%s: %s", f.Code, f.Message))))
	}
	for i, t := range told {
		if i == 0 {
			c.say("\n%s", strong.Sprint("to be asked for outside the plan"))
		}
		c.say("  %s", c.wrap(4, clean(t)))
	}
}

// apart leaves out findings that stay, and only name other ranges.
func apart(gone, fresh []diag.Finding) (left, come []diag.Finding) {
	same := func(f diag.Finding) func(o diag.Finding) bool {
		return func(o diag.Finding) bool { return o.Code == f.Code && slices.Equal(o.Place, f.Place) }
	}
	for _, f := range gone {
		if !slices.ContainsFunc(fresh, same(f)) {
			left = append(left, f)
		}
	}
	for _, f := range fresh {
		if !slices.ContainsFunc(gone, same(f)) {
			come = append(come, f)
		}
	}
	return left, come
}

// The JSON of renumber; docs/json.md describes it.
type renumberOut struct {
	What    string          `json:"what"`
	Moves   []moveOut       `json:"moves"`
	Changes []wireChangeOut `json:"changes"`
	Opens   []effectOut     `json:"opens"`
	Closes  []effectOut     `json:"closes"`
	Told    []string        `json:"told"`
	Left    []string        `json:"left"`
}

type moveOut struct {
	Was netip.Prefix `json:"was"`
	Is  netip.Prefix `json:"is"`
}

func renumberJSON(r *renumber.Result, d *compare.Result) renumberOut {
	out := renumberOut{r.What, []moveOut{}, []wireChangeOut{}, []effectOut{}, []effectOut{}, append([]string{}, r.Told...), append([]string{}, r.Left...)}
	for _, m := range r.Moves {
		out.Moves = append(out.Moves, moveOut(m))
	}
	for _, x := range r.Changes {
		out.Changes = append(out.Changes, changeJSON(x))
	}
	for i := range d.Opens {
		out.Opens = append(out.Opens, effectJSON(&d.Opens[i].Difference))
	}
	for i := range d.Closes {
		out.Closes = append(out.Closes, effectJSON(&d.Closes[i].Difference))
	}
	return out
}
