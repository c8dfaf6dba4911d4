package stock

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

// TestAnswers tells what plans come to at a cloud, what the acts are from one to another, and the plans that say so.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		if words[0] == "example" {
			return exampleTold(t, check.Examples[diag.Code(words[1])])
		}
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		all := Of(e)
		switch words[1] {
		case "things":
			var b strings.Builder
			for _, x := range all {
				fmt.Fprintf(&b, "%s, at %s%s\n", x.Key(), PlaceOf(&x), strings.TrimSuffix("; needs "+AlsoNeeds(&x), "; needs "))
				b.WriteString("  " + strings.ReplaceAll(strings.TrimSpace(golden.Tell(x)), "\n", "\n  ") + "\n")
			}
			return b.String()
		case "text":
			return Text(HeadOf(e), all)
		case "form":
			return InForm(HeadOf(e), all)
		}
		other := Of(estatetest.Load(t, estatetest.Plan(t, words[2])))
		switch words[1] {
		case "between":
			return golden.Tell(Between(all, other))
		case "acts":
			return golden.Tell(Acts(all, other))
		}
		after, problems, left := Forward(e, other)
		require.Empty(t, problems)
		require.Empty(t, Between(Of(after), other), "what is there, but for what is left: %v", left)
		return after.Plan.Files.First().Text + "left\n" + golden.Tell(left)
	})
}

// exampleTold tells what is to be made, changed and taken away from the plan that breaks a rule to the one that keeps it, and the plan
// that says what is there then.
func exampleTold(t *testing.T, x check.Example) string {
	e := estatetest.Load(t, "wendrik: 1\n"+x.Breaks+"\n")
	all, wanted := Of(e), Of(estatetest.Load(t, "wendrik: 1\n"+x.Keeps+"\n"))
	after, problems, left := Forward(e, wanted)
	require.Empty(t, problems)
	require.Empty(t, Between(Of(after), wanted), "what is there, but for what is left: %v", left)
	return golden.Tell(Acts(all, wanted)) + after.Plan.Files.First().Text + "left\n" + golden.Tell(left)
}

// TestKindsTold tells all that is known of the kinds of things.
func TestKindsTold(t *testing.T) {
	golden.File(t, "kinds.txt", func(t *testing.T, asked string) string {
		s := SpecOf(Kind(asked))
		require.NotNil(t, s)
		return golden.Tell(s)
	})
}
