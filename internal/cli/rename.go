package cli

import (
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/rename"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wrong"
)

func renameCommand() *command {
	return &command{
		name: "rename", args: "[KIND] NAME NEW",
		short: "calls a thing of the plan otherwise, and has all that speaks of it follow",
		long: "Rename gives anything of a plan that has a name another one: a network, subnet, tier, table, group, list, gateway, workload, site, peering, hub, link, cluster or block. A part of a network is named as network/part, and its new name stands alone. " +
			"All that speaks of it follows, in every file: lists, routes, rules, lines of expect and of waive. What is meant by a word is found by what the plan cannot be read without, and then all that is bound to a thing is held against what it was bound to before: " +
			"where something else would be meant, nothing is done. Where several things have one name, KIND says which. -write makes it.",
		examples: []example{
			{"wendrik rename finance ledgers", "a network"},
			{"wendrik rename booking/private inner", "a route table of a network"},
			{"wendrik rename tier booking/web shop", "by its kind"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			write := f.Bool("write", false, "make the changes")
			return func(c *call) (int, error) {
				n := len(c.args)
				if n < 2 || n > 4 {
					return cannot, &usageError{"rename takes a name, and the new one behind it", "wendrik rename finance ledgers"}
				}
				q := rename.Request{Name: c.args[n-2], To: c.args[n-1]}
				for _, word := range c.args[:n-2] {
					if q.Kind != "" {
						q.Kind += " "
					}
					q.Kind += word
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				r, err := rename.Of(o.Estate, q)
				if err != nil {
					return cannot, &usageError{err.Error(), wrong.Right(err)}
				}
				changed := changedFiles(o.Plan.Files, r.After.Plan.Files)
				if *format == "json" {
					err = c.json(renameOut{r.What, q.To, r.Places, append([]string{}, r.Left...)})
				} else {
					err = c.renamed(r, q.To, changed)
				}
				if err != nil {
					return cannot, err
				}
				if err := c.makeSo(o, changed, *write, *format == "text", phrase.Count(r.Places, "place")); err != nil {
					return cannot, err
				}
				return good, nil
			}
		},
	}
}

// renamed shows what renaming comes to.
func (c *call) renamed(r *rename.Result, to string, changed []text.Changed) error {
	c.say("%s", strong.Sprint(c.wrap(2, clean(r.What)+" becomes "+clean(to)+": "+phrase.Count(r.Places, "place"))))
	if err := c.showChanged(changed, 0); err != nil {
		return err
	}
	c.say("%s", sameMeant.say())
	for i, t := range r.Left {
		if i == 0 {
			c.say("\n%s", strong.Sprint("names that do not follow the pattern of the plan then"))
		}
		c.say("  %s", c.wrap(4, clean(t)))
	}
	return nil
}

// renameOut is the JSON of rename; docs/json.md describes it.
type renameOut struct {
	What   string   `json:"what"`
	To     string   `json:"to"`
	Places int      `json:"places"`
	Left   []string `json:"left"`
}
