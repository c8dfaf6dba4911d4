package steps

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestAnswers tells the order in which changes of plans are made, with what each step cuts and opens.
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
		for line := range strings.Lines(changes + "\n") {
			if line = strings.TrimSpace(line); line == "" {
				continue
			} else if line == "planned" {
				after = estatetest.Plan(t, "planned")
				continue
			}
			old, new, is := strings.Cut(line+" ", " => ")
			require.True(t, is, line)
			require.Equal(t, 1, strings.Count(after, old), old)
			after = strings.Replace(after, old, strings.TrimSpace(new), 1)
		}
		var b strings.Builder
		for i, pair := range [][2]string{{before, after}, {after, before}} {
			p, err := Of(estatetest.Load(t, pair[0]), estatetest.Load(t, pair[1]), nil)
			if err != nil {
				fmt.Fprintf(&b, "%s: error: %v\n", []string{"there", "back"}[i], err)
				continue
			}
			fmt.Fprintf(&b, "%s, clean %v\n%s", []string{"there", "back"}[i], p.Clean(), golden.Tell(p))
			last, err := p.At(len(p.Steps))
			require.NoError(t, err)
			left, err := text.Between(text.One("last", last).First(), text.One("wanted", pair[1]).First())
			require.NoError(t, err)
			for _, e := range left {
				require.True(t, e.Remove || len(e.Value.Fields())+len(e.Value.Items()) == 0, "the last state says what is wanted: %s", e) // an empty mapping is as good as none
			}
		}
		return b.String()
	})
}
