package cli

import (
	"cmp"
	"fmt"
	"slices"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
)

// fixOf is what would be right of an expectation that does not hold: a command that tells more, or the fix itself.
func (r *checked) fixOf(x expect.Result) string {
	if more := lookCloser(x, r.samePlan); more != "" {
		return more
	}
	f := diag.Finding{Fixes: x.Fixes}
	return f.Fix()
}

// lookCloser is the command that shows why an expectation does not hold, where more is to be seen than its finding says.
func lookCloser(x expect.Result, samePlan string) string {
	a := x.Counter
	if a == nil || !x.Never && !x.Else && len(a.Blockers) < 2 {
		return ""
	}
	on := onWords(!x.Flows.Equal(flow.Any()), x.Flows)
	what := "all that stops it"
	if x.Never || x.Else {
		what = "by which way"
	}
	return fmt.Sprintf("wendrik reach %s %s%s%s  shows %s", a.From.Name, a.To.Name, on, samePlan, what)
}

func (c *call) writeChecked(r *checked, format string) error {
	switch format {
	case "json":
		return c.json(checkJSON(r))
	case "junit":
		return c.junit(r)
	case "sarif":
		return c.sarif(r)
	case "text":
		c.checkedText(r)
		return nil
	}
	t := &sheet{header: []string{"severity", "code", "where", "what", "fix"}, wrap: 3}
	for _, f := range r.all() {
		t.add(string(f.Weight()), string(f.Code), r.src.Where(f.At), f.Message, f.Fix())
	}
	for _, w := range r.waived {
		if r.listWaived {
			t.add("waived", string(w.Code), r.src.Where(w.At), w.Message, "waived because "+w.By.Because.Value)
		}
	}
	return c.write(t, format)
}

// maxChecked is how many findings the text lists.
const maxChecked = 100

func (c *call) checkedText(r *checked) {
	errors, warnings := r.count(diag.Error), r.count(diag.Warning)
	held := fmt.Sprintf("%d of %s %s", r.holding(), phrase.Count(len(r.expected), "expectation"), map[bool]string{true: "holds", false: "hold"}[len(r.expected) == 1])
	if waiting := r.waiting(); waiting > 0 {
		held += fmt.Sprintf(", %d cannot be tried yet", waiting)
	}
	switch {
	case !r.tried:
		held = "expectations were not tried"
	case len(r.expected) == 0:
		held = "the plan has no expectations"
	}
	if n := len(r.waived); n > 0 {
		held += fmt.Sprintf("; %d waived", n)
	}
	defer c.listWaived(r)
	if len(r.findings) == 0 {
		what := nothingWrong
		if len(r.problems) > 0 {
			what = nothingElseWrong
		}
		c.say("%s; %s", what.say(), held)
		return
	}
	c.say("%s  %s, %s; %s", strong.Sprint(phrase.Count(len(r.findings), "finding")), bad.Sprint(phrase.Count(errors, "error")), doubt.Sprint(phrase.Count(warnings, "warning")), held)
	for i, f := range errorsFirst(r.findings) {
		if i == maxChecked {
			c.say("\n%d more are left out;  -format csv  lists all", len(r.findings)-i)
			break
		}
		colour := bad
		if f.Severity == diag.Warning {
			colour = doubt
		}
		c.say("\n%s  %s", colour.Sprintf("%-7s", f.Severity), dim.Sprint(f.Code))
		c.finding(c.out, r.src, f)
	}
	for _, x := range r.expected {
		if a := x.Counter; a != nil {
			c.say("\nto look closer:  wendrik reach %s %s%s", clean(a.From.Name), clean(a.To.Name), onWords(!x.Never || x.HasFlows, x.Flows)+c.samePlan())
			break
		}
	}
}

// errorsFirst are findings with the errors before the warnings, and else in the order in which they stand.
func errorsFirst(all []diag.Finding) []diag.Finding {
	return slices.SortedStableFunc(slices.Values(all), func(a, b diag.Finding) int {
		return cmp.Compare(a.Weight(), b.Weight()) // "error" before "warning"
	})
}

// listWaived lists what the plan waives, where that was asked for.
func (c *call) listWaived(r *checked) {
	if !r.listWaived {
		return
	}
	for _, w := range r.waived {
		until := ""
		if w.By.Until.Given() {
			until = " until " + w.By.Until.Value
		}
		c.say("\n%s  %s", dim.Sprintf("%-7s", "waived"), dim.Sprint(w.Code))
		c.say("%s %s", place.Sprint(clean(r.src.Where(w.At))+":"), c.wrap(4, clean(w.Message)))
		c.say("    %s", c.wrap(4, fmt.Sprintf("because %s%s (%s)", clean(w.By.Because.Value), until, clean(r.src.Where(w.By.At)))))
	}
}

// rules lists the rules.
func (c *call) rules(format string) error {
	t := &sheet{header: []string{"code", "about", "what it looks for"}, wrap: 2}
	for _, r := range check.Rules {
		t.add(string(r.Code), string(r.Topic), r.Doc)
	}
	switch format {
	case "text", "csv", "md":
		return c.write(t, format)
	}
	return &usageError{"the rules are listed as text, csv or md", "wendrik check -rules"}
}

// The JSON of check; docs/json.md describes it.
type checkOut struct {
	Errors       int              `json:"errors"`
	Warnings     int              `json:"warnings"`
	Findings     []findingOut     `json:"findings"`
	Waived       []waivedOut      `json:"waived"`
	NotYetGiven  []findingOut     `json:"not_yet_given"`
	Expectations []expectationOut `json:"expectations"`
}

type waivedOut struct {
	findingOut
	Because string `json:"because"`
	Until   string `json:"until"`
}

type expectationOut struct {
	Text    string `json:"text"`
	Where   string `json:"where"`
	Holds   bool   `json:"holds"`
	Waits   bool   `json:"waits"`
	Pairs   int    `json:"pairs"`
	Against int    `json:"against"`
	From    string `json:"from"`
	To      string `json:"to"`
	Why     string `json:"why"`
	Fix     string `json:"fix"`
}

func checkJSON(r *checked) checkOut {
	out := checkOut{r.count(diag.Error) + len(r.problems), r.count(diag.Warning), findingsJSON(r.all(), r.src), []waivedOut{}, findingsJSON(r.waits, r.src), []expectationOut{}}
	for _, w := range r.waived {
		out.Waived = append(out.Waived, waivedOut{findingsJSON([]diag.Finding{w.Finding}, r.src)[0], w.By.Because.Value, w.By.Until.Value})
	}
	for _, x := range r.expected {
		one := expectationOut{x.Text, r.src.Where(x.At), x.Holds, x.Waits || x.Doubted, x.Pairs, x.Against, "", "", x.Why, r.fixOf(x)}
		if x.Counter != nil {
			one.From, one.To = x.Counter.From.Name, x.Counter.To.Name
		}
		out.Expectations = append(out.Expectations, one)
	}
	return out
}
