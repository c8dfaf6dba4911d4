package compare

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/plan"
	"wendrik/internal/golden"
)

// TestAnswers tells all of what changes of plans do, there and back; lines that begin with allow say what may open.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		name, changes, _ := strings.Cut(asked, "\n")
		before, after := "", ""
		if code, of := strings.CutPrefix(name, "example "); of {
			x := check.Examples[diag.Code(code)]
			before, after, changes = "wendrik: 1\n"+x.Breaks+"\n", "wendrik: 1\n"+x.Keeps+"\n", ""
		} else {
			before = estatetest.Plan(t, name)
			after = before
		}
		var allow []plan.Expectation
		for line := range strings.Lines(changes + "\n") {
			if line = strings.TrimSpace(line); line == "" {
				continue
			}
			if of, is := strings.CutPrefix(line, "allow "); is {
				x, err := plan.ParseExpectation(of)
				require.NoError(t, err)
				allow = append(allow, x)
				continue
			}
			if line == "planned" {
				after = estatetest.Plan(t, "planned")
				continue
			}
			old, new, is := strings.Cut(line+" ", " => ")
			require.True(t, is, line)
			require.Equal(t, 1, strings.Count(after, old), old)
			after = strings.Replace(after, old, strings.TrimSpace(new), 1)
		}
		a, b := estatetest.Load(t, before), estatetest.Load(t, after)
		there, back := Of(a, b, allow, today), Of(b, a, allow, today)
		require.False(t, there.Same())
		unallowed := ""
		opens, closes := there.Unallowed()
		for _, d := range slices.Concat(opens, closes) {
			unallowed += golden.Tell(d)
		}
		return golden.Tell(there) + "unallowed\n" + unallowed + "back\n" + golden.Tell(back)
	})
}
