package cli

import (
	"fmt"
	"strings"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
)

// helpRules lists the rules of check, or tells one of them with a plan that has its finding and one that has not.
func (c *call) helpRules(code string) (int, error) {
	if code == "" {
		t := &sheet{header: []string{"rule", "about", "what it finds"}, wrap: 2}
		for _, r := range check.Rules {
			t.add(string(r.Code), string(r.Topic), r.Doc)
		}
		_ = c.write(t, "text")
		c.say("\nabout one:  wendrik help rules %s", check.Rules[0].Code)
		return good, nil
	}
	for _, r := range check.Rules {
		if string(r.Code) != code {
			continue
		}
		c.say("%s  %s", strong.Sprint(r.Code), c.wrap(len(r.Code)+2, r.Doc))
		if x, has := check.Examples[r.Code]; has {
			for _, part := range []struct{ title, plan string }{{"a plan that has it", x.Breaks}, {"one that has not", x.Keeps}} {
				c.say("\n%s", strong.Sprint(part.title))
				for line := range strings.Lines("wendrik: 1\n" + part.plan + "\n") {
					c.say("  %s", strings.TrimRight(line, "\n"))
				}
			}
		}
		c.say("\nto waive it in a plan:  waive: [{rule: %s, at: PLACE, why: REASON}]", r.Code)
		return good, nil
	}
	fix := "wendrik help rules  lists them"
	if near := diag.Nearest(code, codes()); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	return cannot, &usageError{fmt.Sprintf("there is no rule %q", code), fix}
}
