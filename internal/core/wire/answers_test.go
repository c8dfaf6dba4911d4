package wire

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/golden"
)

// TestAnswers tells all that wiring a plan writes, carved before where it is a statement; twice is once, and every line that is not
// told of holds.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		content := "wendrik: 1\n" + asked + "\n"
		if code, of := strings.CutPrefix(asked, "example "); of {
			content = "wendrik: 1\n" + check.Examples[diag.Code(code)].Breaks + "\n"
		} else if !strings.Contains(asked, ":") {
			content = estatetest.Plan(t, asked)
		}
		e := estatetest.Load(t, content)
		e, problems, err := e.With(carve.Estate(e).Changes)
		require.NoError(t, err)
		require.Empty(t, problems)
		r := Estate(e)
		require.NoError(t, r.Uneditable)
		said := golden.Tell(r)
		require.Empty(t, Estate(r.After).Changes, "twice is once")
		for _, x := range expect.Run(r.After, nil) {
			said += map[bool]string{true: "holds ", false: "fails "}[x.Holds] + x.Text + "\n"
		}
		return said + "access\n" + golden.Tell(Access(e).Changes) + "expectations\n" + golden.Tell(Expectations(e).Changes)
	})
}
