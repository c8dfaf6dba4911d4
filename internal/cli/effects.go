package cli

import (
	"fmt"
	"maps"
	"slices"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
)

// This file says what opens and closes: in one line, and in JSON.

// effectLine is a difference as a person would say it; names is how the ends are called.
func effectLine(d *grid.Difference, names func([]string) string) string {
	from, to := d.Ends()
	return fmt.Sprintf("%s  from %s to %s", d.Flows, names(from), names(to))
}

// effects lists what a change opens or closes, by the names of the ends.
func (c *call) effects(all []grid.Difference) {
	for i := range all {
		if i == maxOpenings {
			c.say("     %d more;  -format json  lists all", len(all)-i)
			break
		}
		c.say("     %s", c.wrap(7, effectLine(&all[i], few)))
	}
}

// few names some of many.
func few(names []string) string { return clean(phrase.Few(names, 4)) }

// effectOut is a difference in JSON, in every answer that has some.
type effectOut struct {
	From    []string      `json:"from"`
	To      []string      `json:"to"`
	Flows   []string      `json:"flows"`
	Outside []outsidePart `json:"outside"`
}

type outsidePart struct {
	Of     string   `json:"of"`
	Ranges []string `json:"ranges"`
}

// judgedOut is one of which the changes are known that do it.
type judgedOut struct {
	effectOut
	By      []string `json:"by"`
	Allowed bool     `json:"allowed"`
}

func effectJSON(d *grid.Difference) effectOut {
	out := effectOut{append([]string{}, d.From...), append([]string{}, d.To...), append([]string{}, d.Flows.Words()...), []outsidePart{}}
	for _, name := range slices.Sorted(maps.Keys(d.Parts)) {
		p := d.Parts[name]
		if p.Rest.Empty() {
			continue
		}
		one := outsidePart{Of: name}
		for _, r := range p.Of.Ranges() {
			one.Ranges = append(one.Ranges, r.String())
		}
		out.Outside = append(out.Outside, one)
	}
	return out
}

func effectsJSON(all []grid.Difference) []effectOut {
	out := []effectOut{}
	for i := range all {
		out = append(out, effectJSON(&all[i]))
	}
	return out
}

func judgedJSON(all []compare.Difference) []judgedOut {
	out := []judgedOut{}
	for i := range all {
		out = append(out, judgedOut{effectJSON(&all[i].Difference), placesOf(all[i].By), all[i].Allowed})
	}
	return out
}

// breaks lists lines of expect that hold no longer, behind a title.
func (s *screen) breaks(title string, lines []plan.Expectation) {
	if len(lines) > 0 {
		s.say("%s  %s", bad.Sprint(title), s.wrap(len(title)+2, clean(phrase.Names(lines, func(x plan.Expectation) string { return fmt.Sprintf("%q", x.Text) }))))
	}
}
