package cli

import (
	"fmt"
	"slices"

	"wendrik/internal/core/join"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// joined shows what joining comes to, or taking a join out.
func (c *call) joined(o *opened, r *join.Result, edits []text.Edit, undo bool) error {
	src, two := o.Plan.Files, fmt.Sprintf("%s %s and %s %s", r.A.Kind(), r.A.ID(), r.B.Kind(), r.B.ID())
	switch {
	case len(r.Forbids) > 0:
		c.say("%s", bad.Sprint(c.wrap(2, fmt.Sprintf("%s cannot be joined as they are: %s", two, phrase.Count(len(r.Forbids), "reason")))))
		for i, f := range r.Forbids {
			if i == maxReasons {
				c.say("\n%d more;  -format json  lists all", len(r.Forbids)-i)
				break
			}
			c.say("")
			c.finding(c.out, src, f)
		}
		return nil
	case len(r.Steps) == 0 && len(r.Told) == 0:
		c.say("%s", fine.Sprint(c.wrap(2, nothingLacksJoined.plain(two, r.By))))
	default:
		c.say("%s", strong.Sprint(c.wrap(2, fmt.Sprintf("%s: %s", two, countSteps(r)))))
		if !undo {
			c.say("%s", joinsCleanly.say())
		}
	}
	c.steps("", r.Steps)
	if len(edits) > 0 {
		if err := c.preview(o.label, src, edits); err != nil {
			return err
		}
	}
	if len(r.Told) > 0 {
		who := r.Told[0].Of
		if owner := r.Told[0].Owner; owner != "" {
			who += " (" + owner + ")"
		}
		c.say("")
		c.steps(fmt.Sprintf("%s has to be told, and nothing passes until it has done this:", clean(who)), r.Told)
	}
	if len(r.Opens) > 0 {
		c.say("\n%s", map[bool]string{true: "once both are done, this opens:", false: "this opens:"}[len(r.Told) > 0])
		c.effects(r.Opens)
	} else if !undo && len(r.Steps) > 0 {
		c.say("\nthis opens nothing: no rules let anybody in from the other side;  -on FLOW  writes them")
	}
	if len(r.Closes) > 0 {
		c.say("%s", bad.Sprint("this closes:"))
		c.effects(r.Closes)
	}
	c.breaks("this breaks:", r.Against)
	for _, f := range r.Unmet {
		c.say("\n%s", bad.Sprint("and this is in the way as well"))
		c.finding(c.out, src, f)
	}
	for _, n := range r.Notes {
		c.say("%s", dim.Sprint(c.wrap(2, clean(n))))
	}
	return nil
}

// countSteps counts steps as a person would: 7 changes in 2 networks, by 2 owners (tickets and books).
func countSteps(r *join.Result) string {
	words := phrase.Count(len(r.Steps), "change")
	if n := len(r.Networks()); n > 0 {
		kind := "network"
		if slices.ContainsFunc(r.Networks(), func(name string) bool { return r.After.Network(name) == nil }) {
			kind = "place" // a site is among them
		}
		words += " in " + phrase.Count(n, kind)
	}
	if owners := r.Owners(); len(owners) > 0 {
		words += fmt.Sprintf(", by %s (%s)", phrase.Count(len(owners), "owner"), phrase.And(owners))
	}
	return words
}

// steps lists touch points, each with whose it is.
func (c *call) steps(title string, all []join.Step) {
	if title != "" && len(all) > 0 {
		c.say("%s", strong.Sprint(c.wrap(2, title)))
	}
	for i, s := range all {
		if i == maxReasons {
			c.say("  %d more;  -format json  lists all", len(all)-i)
			return
		}
		c.say("  %s", c.wrap(4, clean(s.Why)))
	}
}

// The JSON of join; docs/json.md describes it.
type joinOut struct {
	By      string          `json:"by"`
	Forbids []findingOut    `json:"forbids"`
	Changes []joinChangeOut `json:"changes"`
	Told    []joinChangeOut `json:"told"`
	Opens   []effectOut     `json:"opens"`
	Closes  []effectOut     `json:"closes"`
	Breaks  []string        `json:"breaks"`
	Unmet   []findingOut    `json:"unmet"`
	Notes   []string        `json:"notes"`
}

type joinChangeOut struct {
	wireChangeOut
	Of    string `json:"of"`
	Owner string `json:"owner"`
}

func joinJSON(r *join.Result, src *text.Files) joinOut {
	steps := func(all []join.Step) []joinChangeOut {
		out := []joinChangeOut{}
		for _, s := range all {
			out = append(out, joinChangeOut{changeJSON(s.Change), s.Of, s.Owner})
		}
		return out
	}
	out := joinOut{r.By, findingsJSON(r.Forbids, src), steps(r.Steps), steps(r.Told), effectsJSON(r.Opens), effectsJSON(r.Closes), []string{}, findingsJSON(r.Unmet, src), append([]string{}, r.Notes...)}
	for _, x := range r.Against {
		out.Breaks = append(out.Breaks, x.Text)
	}
	return out
}
