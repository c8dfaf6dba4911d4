package cli

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wire"
)

// wired shows what wiring comes to: what is missing and why, the difference that it makes, what contradicts, and what else opens.
func (c *call) wired(e *estate.Estate, r *wire.Result) error {
	switch {
	case len(r.Changes) > 0:
		c.say("%s", strong.Sprint(c.wrap(2, fmt.Sprintf("%s to make what is stated true: %s", phrase.Count(len(r.Changes), "change"), clean(compare.ByKind(compare.Changes(e, r.After)))))))
	case slices.ContainsFunc(e.Waits, func(f diag.Finding) bool { return strings.HasPrefix(f.Fix(), "carve ") }):
		c.say("nothing to add as yet: what follows from things without ranges is worked out once carve has given them some")
	case len(r.Contradicts)+len(r.Unmet)+len(r.Spared)+len(r.Waiting)+len(e.Problems) == 0:
		c.say("%s", nothingLacks.say())
		return nil
	default:
		c.say("%s", strong.Sprint("nothing that wire could add is missing"))
	}
	c.reasons(r.Changes)
	if len(r.Changes) > 0 {
		if err := c.preview("the plan", e.Plan.Files, e.Own(r.Changes.Edits())); err != nil {
			return err
		}
	}
	if len(r.Opens) > 0 {
		c.say("\nwith that, this opens:")
		c.effects(r.Opens)
	}
	if len(r.Closes) > 0 {
		c.say("%s", bad.Sprint("and this closes:"))
		c.effects(r.Closes)
	}
	if len(r.Changes) > 0 && slices.ContainsFunc(e.Plan.Expect, func(x plan.Expectation) bool { return x.Never || x.Only }) {
		c.say("\n%s", neverStays.say())
	}
	for _, f := range r.Spared {
		c.say("\n%s", doubt.Sprint("is left out"))
		c.finding(c.out, e.Plan.Files, f)
	}
	for _, f := range r.Contradicts {
		c.say("\n%s", doubt.Sprint("contradicts, and is left as it is"))
		c.finding(c.out, e.Plan.Files, f)
	}
	for _, f := range r.Waiting {
		c.say("\n%s", doubt.Sprint("waits"))
		c.finding(c.out, e.Plan.Files, f)
	}
	for _, f := range r.Unmet {
		c.say("\n%s", bad.Sprint("does not hold"))
		c.finding(c.out, e.Plan.Files, f)
	}
	return nil
}

// fewReasons is up to how many changes each is told with its reason; of more, some of each kind are.
const fewReasons, fewOfAKind = 12, 2

// reasons tells why changes are made: of many that are made for the same reason at other places, the first, and how many there are.
func (c *call) reasons(all text.Changes) {
	var kinds []string
	of := map[string][]string{}
	for i, x := range all {
		kind := x.Kind
		if len(all) <= fewReasons || kind == "" {
			kind = fmt.Sprint(i) // told as it stands
		}
		if len(of[kind]) == 0 {
			kinds = append(kinds, kind)
		}
		if !slices.Contains(of[kind], x.Why) {
			of[kind] = append(of[kind], x.Why)
		}
	}
	last := ""
	for _, kind := range kinds {
		for i, why := range of[kind] {
			if left := len(of[kind]) - i; i == fewOfAKind && left > 1 {
				c.say("    %s", dim.Sprintf("and %d more like these", left))
				break
			}
			if why != last {
				c.say("  %s", c.wrap(4, clean(why)))
			}
			last = why
		}
	}
}

// The JSON of wire; docs/json.md describes it.
type wireOut struct {
	Changes     []wireChangeOut `json:"changes"`
	Contradicts []findingOut    `json:"contradicts"`
	Unmet       []findingOut    `json:"unmet"`
	Waiting     []findingOut    `json:"waiting"`
	Spared      []findingOut    `json:"spared"`
	Opens       []effectOut     `json:"opens"`
	Closes      []effectOut     `json:"closes"`
}

type wireChangeOut struct {
	Why   string   `json:"why"`
	Edits []string `json:"edits"`
}

func wireJSON(r *wire.Result, src *text.Files) wireOut {
	out := wireOut{[]wireChangeOut{}, findingsJSON(r.Contradicts, src), findingsJSON(r.Unmet, src), findingsJSON(r.Waiting, src), findingsJSON(r.Spared, src), effectsJSON(r.Opens), effectsJSON(r.Closes)}
	for _, x := range r.Changes {
		out.Changes = append(out.Changes, changeJSON(x))
	}
	return out
}

func changeJSON(x text.Change) wireChangeOut {
	one := wireChangeOut{x.Why, []string{}}
	for _, e := range x.Edits {
		one.Edits = append(one.Edits, e.String())
	}
	return one
}
