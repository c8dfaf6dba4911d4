package cli

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/mend"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// fixed shows what fixing findings comes to, and makes the fixes when that was asked for.
func (c *call) fixed(o *opened, r *checked, m *mend.Result, format string, makes, breaks bool) (status int, err error) {
	if len(m.Unused) > 0 {
		x := m.Unused[0]
		return cannot, &usageError{fmt.Sprintf("nothing asks for the choice %s=%s", x.Code, x.Word), "wendrik check -fix" + c.samePlan() + "  lists the choices"}
	}
	edits := o.Own(m.Changes.OnLines().Edits())
	changed, err := o.Plan.Files.Apply(edits)
	if err != nil {
		return cannot, uneditable(o.label, err)
	}
	left := len(m.Asks) + len(m.Left) + len(m.Failed) + len(m.New)
	if status = good; left > 0 || len(m.Made) > 0 && !makes {
		status = no
	}
	if format == "json" {
		if err := c.json(fixJSON(m, r.src)); err != nil {
			return cannot, err
		}
	} else if err := c.mended(r, m, changed); err != nil {
		return cannot, err
	}
	if len(edits) == 0 {
		return status, nil
	}
	if !makes {
		if format == "text" {
			c.say("\nto make them:  the same command with  -write")
		}
		return status, nil
	}
	if err := keeps(m.Against, breaks); err != nil {
		return cannot, err
	}
	if err := c.saveEdits(o.label, o.Plan.Files, edits, false); err != nil {
		return cannot, err
	}
	c.written(format == "text", "written to %s: %s", clean(o.label), phrase.Count(len(m.Changes), "change"))
	return status, nil
}

// mended shows what fixing findings comes to.
func (c *call) mended(r *checked, m *mend.Result, changed []text.Changed) error {
	if len(r.findings) == 0 {
		c.say("%s", nothingToFix.say())
		return nil
	}
	is := map[bool]string{true: "is", false: "are"}
	parts := []string{fmt.Sprintf("%d %s ended by edits", len(m.Made), is[len(m.Made) == 1])}
	if n := len(m.Asks); n > 0 {
		parts = append(parts, fmt.Sprintf("%d %s", n, map[bool]string{true: "needs a choice", false: "need a choice"}[n == 1]))
	}
	if n := len(m.Left) + len(m.Failed); n > 0 {
		parts = append(parts, fmt.Sprintf("%d %s left to you", n, is[n == 1]))
	}
	c.say("%s  %s", strong.Sprint(phrase.Count(len(r.findings), "finding")), strings.Join(parts, ", "))
	c.mendedList(r, "ended", m.Made, func(diag.Finding) string { return "" })
	if len(changed) > 0 {
		c.say("")
	}
	for _, one := range changed {
		if err := c.showChange(one); err != nil {
			return err
		}
	}
	if len(m.Opens) > 0 {
		c.say("\nthis opens:")
		c.effects(m.Opens)
	}
	if len(m.Closes) > 0 {
		c.say("%s", bad.Sprint("and this closes:"))
		c.effects(m.Closes)
	}
	c.breaks("and this breaks:", m.Against)
	c.mendedList(r, "found then, and not before", m.New, func(f diag.Finding) string { return f.Fix() })
	c.mendedList(r, "needs a choice", m.Asks, askText)
	var failed []diag.Finding
	for _, x := range m.Failed {
		x.Fixes = diag.Advise("its fix cannot be made: " + x.Why)
		failed = append(failed, x.Finding)
	}
	c.mendedList(r, "left to you", append(failed, m.Left...), func(f diag.Finding) string { return f.Fix() })
	return nil
}

// askText is how a choice is made on the command line, and what is known of what must be given.
func askText(f diag.Finding) string {
	words := "-choose " + mend.Ask(&f)
	for _, x := range f.Fixes {
		if x.Takes != nil && x.Advice != "" {
			words += "   " + x.Advice
		}
	}
	return words
}

// mendedList lists findings in two lines each: what, and what is to be done.
func (c *call) mendedList(r *checked, title string, all []diag.Finding, then func(f diag.Finding) string) {
	for i, f := range slices.Clone(all) {
		if i == 0 {
			c.say("\n%s", strong.Sprint(title))
		}
		if i == maxReasons {
			c.say("  %d more;  -format json  lists all", len(all)-i)
			return
		}
		c.say("  %s", c.wrap(4, fmt.Sprintf("%s: %s", clean(string(f.Code)), clean(f.Message))))
		if what := then(f); what != "" {
			c.say("    %s", dim.Sprint(c.wrap(4, clean(what))))
		}
	}
}

// The JSON of check -fix; docs/json.md describes it.
type fixOut struct {
	Made    []findingOut    `json:"made"`
	Changes []wireChangeOut `json:"changes"`
	Asks    []askOut        `json:"asks"`
	Left    []findingOut    `json:"left"`
	New     []findingOut    `json:"new"`
	Opens   []effectOut     `json:"opens"`
	Closes  []effectOut     `json:"closes"`
	Breaks  []string        `json:"breaks"`
}

type askOut struct {
	findingOut
	Choices []string `json:"choices"`
}

func fixJSON(m *mend.Result, src *text.Files) fixOut {
	out := fixOut{findingsJSON(m.Made, src), []wireChangeOut{}, []askOut{}, findingsJSON(m.Left, src), findingsJSON(m.New, src), effectsJSON(m.Opens), effectsJSON(m.Closes), []string{}}
	for _, x := range m.Changes {
		out.Changes = append(out.Changes, changeJSON(x))
	}
	for _, f := range m.Asks {
		out.Asks = append(out.Asks, askOut{findingsJSON([]diag.Finding{f}, src)[0], mend.Choices(&f)})
	}
	for _, x := range m.Failed {
		one := findingsJSON([]diag.Finding{x.Finding}, src)[0]
		one.Fix = "its fix cannot be made: " + x.Why
		out.Left = append(out.Left, one)
	}
	for _, x := range m.Against {
		out.Breaks = append(out.Breaks, x.Text)
	}
	return out
}
