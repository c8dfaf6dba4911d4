package reach_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/golden"
)

// ask answers a question in words: FROM TO, and perhaps the flows.
func ask(t *testing.T, e *estate.Estate, words []string) *reach.Answer {
	t.Helper()
	q := reach.Question{}
	var err error
	q.From, err = reach.Find(e, words[0])
	require.NoError(t, err)
	q.To, err = reach.Find(e, words[1])
	require.NoError(t, err)
	if len(words) > 2 {
		q.Flows, err = flow.Parse(words[2])
		require.NoError(t, err)
	}
	return reach.Ask(e, q)
}

// TestAnswers tells all of the answers to questions of estates of several clouds: each hop with what decided it, each blocker with
// its fix.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		return golden.Tell(ask(t, estatetest.Load(t, estatetest.Plan(t, words[0])), words[1:]))
	})
}
