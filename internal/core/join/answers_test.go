package join

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestAnswers tells all that joining takes, and all that undoing it takes out: PLAN join|undo A B [only PARTS] [on FLOW] [half SIDE]
// [table NAME]. What has been joined is taken out again.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		q := Request{A: words[2], B: words[3]}
		for i := 4; i+1 < len(words); i += 2 {
			switch words[i] {
			case "only":
				q.Only = strings.Split(words[i+1], ",")
			case "on":
				var err error
				q.On, err = flow.Parse(words[i+1])
				require.NoError(t, err)
			case "half":
				q.Half = words[i+1]
			case "table":
				q.Table = words[i+1]
			}
		}
		do := map[string]func(*testing.T) (*Result, error){"join": func(*testing.T) (*Result, error) { return Of(e, q) }, "undo": func(*testing.T) (*Result, error) { return Undo(e, q) }}[words[1]]
		r, err := do(t)
		if err != nil {
			return "error: " + err.Error()
		}
		said := "networks " + strings.Join(r.Networks(), ",") + "; owners " + strings.Join(r.Owners(), ",") + "\n" + golden.Tell(r)
		after, problems, err := e.With(r.Changes())
		require.NoError(t, err)
		require.Empty(t, problems)
		if words[1] == "join" && q.Half == "" && len(r.Forbids) == 0 && len(r.Steps) > 0 {
			back, err := Undo(after, q)
			require.NoError(t, err)
			undone, _, err := after.With(back.Changes())
			require.NoError(t, err)
			left, err := text.Between(undone.Plan.Files.First(), e.Plan.Files.First())
			require.NoError(t, err)
			for _, x := range left {
				said += "undone, and then still: " + x.String() + "\n"
			}
		}
		return said
	})
}
