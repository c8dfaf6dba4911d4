package carve

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestAnswers tells all that carving gives, why, and what it writes; behind a line of dashes, a list of what is taken beside the
// plan.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		content, list, _ := strings.Cut(asked, "\n----\n")
		if !strings.Contains(content, ":") {
			content = estatetest.Plan(t, content)
		} else {
			content = "wendrik: 1\n" + content + "\n"
		}
		e := estatetest.Load(t, content)
		var taken []space.Taken
		if list != "" {
			l, err := ranges.Read(strings.NewReader("range,owner\n"+list+"\n"), ranges.DefaultColumns)
			require.NoError(t, err)
			taken = space.Listed(l, text.One("x", "").Add("list.csv", ""))
		}
		r := Estate(e, taken...)
		after, problems, err := e.With(r.Changes)
		require.NoError(t, err)
		require.Empty(t, problems)
		again := Estate(after, taken...)
		require.False(t, again.New() && len(r.Misfits) == 0, "twice is once")
		return golden.Tell(r)
	})
}
