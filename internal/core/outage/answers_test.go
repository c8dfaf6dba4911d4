package outage

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/wire"
	"wendrik/internal/core/wrong"
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
		if words[0] == "pair" {
			e = wired(t, e)
		}
		var b strings.Builder
		if names != "" {
			l, err := Named(e, strings.Split(names, "\n"))
			if err != nil {
				return err.Error() + "; " + wrong.Right(err)
			}
			fmt.Fprintf(&b, "%s: harm %d\n", l.Name(), l.Harm())
			return b.String() + golden.Tell(l)
		}
		steps := 0
		for _, l := range Of(e, len(words) > 1, 0, func(done, total int) { require.Less(t, done, total); steps++ }) {
			fmt.Fprintf(&b, "%s: harm %d\n%s", l.Name(), l.Harm(), golden.Tell(l))
		}
		if words[0] != "example" {
			require.Positive(t, steps)
		}
		return b.String()
	})
}

func wired(t *testing.T, e *estate.Estate) *estate.Estate {
	t.Helper()
	e, problems, err := e.With(wire.Estate(e).Changes)
	require.NoError(t, err)
	require.Empty(t, problems)
	return e
}

// TestTouchedIsEnough: what is not looked at when parts fail is what nothing changes in.
func TestTouchedIsEnough(t *testing.T) {
	everything := func(string) bool { return true }
	for _, name := range []string{"coast", "lakes", "skerry-line", "tangle", "knot", "coil", "twins", "fleet"} {
		e := estatetest.Load(t, estatetest.Plan(t, name))
		e = wired(t, e)
		w, all := newWorker(e), newWorker(e)
		all.standing.Remember()
		parts := e.Parts()
		for i, p := range parts {
			for _, set := range [][]estate.Part{{p}, {p, parts[(i+1)%len(parts)]}} {
				failing := e.Without(set...)
				require.Equal(t, golden.Tell(all.standing.Without(failing, everything)), golden.Tell(w.standing.Without(failing, w.touched(set))), "%s: %s %s, and one more or not (%d)", name, p.Kind, p.Name, len(set))
			}
		}
	}
}
