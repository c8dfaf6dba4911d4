package outage

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// TestAnswers tells what stops when parts fail: each by itself, every two at once, and some by their names.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		head, names, _ := strings.Cut(asked, "\n")
		words := strings.Fields(head)
		content := ""
		if words[0] == "example" {
			content, words = "wendrik: 1\n"+check.Examples[diag.Code(words[1])].Keeps+"\n", words[:1]
		} else {
			content = estatetest.Plan(t, words[0])
		}
		e := estatetest.Load(t, content)
		var b strings.Builder
		if names != "" {
			l, err := Named(e, strings.Split(names, "\n"))
			if err != nil {
				return err.Error()
			}
			fmt.Fprintf(&b, "%s: harm %d\n", l.Name(), l.Harm())
			return b.String() + golden.Tell(l)
		}
		steps := 0
		for _, l := range Of(e, len(words) > 1, func(done, total int) { require.Less(t, done, total); steps++ }) {
			fmt.Fprintf(&b, "%s: harm %d\n%s", l.Name(), l.Harm(), golden.Tell(l))
		}
		if words[0] != "example" {
			require.Positive(t, steps)
		}
		return b.String()
	})
}
