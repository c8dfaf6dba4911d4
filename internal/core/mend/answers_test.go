package mend

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// TestAnswers tells what the fixes of all findings of a plan come to, with choices as the command line has them.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		name, lines, _ := strings.Cut(asked, "\n")
		choices, content, own := strings.Cut(lines, "\n----\n")
		if own {
			content = "wendrik: 1\n" + content + "\n"
		} else if code, of := strings.CutPrefix(name, "example "); of {
			choices, content = lines, "wendrik: 1\n"+check.Examples[diag.Code(code)].Breaks+"\n"
		} else {
			choices, content = lines, estatetest.Plan(t, name)
		}
		e := estatetest.Load(t, content)
		var chosen []Choice
		for _, word := range strings.Fields(choices) {
			c, ok := ParseChoice(word)
			require.True(t, ok, word)
			chosen = append(chosen, c)
		}
		found := check.Run(e)
		r := Of(e, found, chosen, today)
		var b strings.Builder
		for i := range r.Asks {
			f := &r.Asks[i]
			b.WriteString("asks: " + f.Message + ": " + Ask(f) + "; " + strings.Join(Choices(f), ", ") + "\n")
		}
		return b.String() + golden.Tell(r)
	})
}
