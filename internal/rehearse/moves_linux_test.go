package rehearse_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
	"wendrik/internal/rehearse"
)

// playSteps rehearses states, and wants the kernel to agree with reach in each.
func playSteps(t *testing.T, opt rehearse.Options, states ...string) *rehearse.Result {
	t.Helper()
	var all []rehearse.State
	var e *estate.Estate
	for i, content := range states {
		e = load(t, "wendrik.yaml", content)
		all = append(all, rehearse.StateOf("wendrik.yaml", content, fmt.Sprint("step ", i), true))
	}
	r, err := rehearse.Steps(e, all, opt, nil)
	require.NoError(t, err)
	for i, m := range r.Moves {
		for _, x := range m.Wrong {
			assert.Fail(t, "they disagree", "state %d: %s (%s) to %s (%s) on %s from port %d: reach says %v as %v, the kernel %v as %s (%s)\n%s", i, x.From, x.Src, x.To, x.Dst, x.Flow(), x.SourcePort, x.Says, x.SeenAs, x.Passed, x.Saw, x.Other, states[i])
			break
		}
		assert.Empty(t, m.Lost, "state %d\n%s", i, states[i])
	}
	return r
}

// TestStandingNetwork changes a standing network from one random estate to another that has nothing to do with it, and on to one
// that differs in a few lines: what is left of before, or is not made, shows in packets.
func TestStandingNetwork(t *testing.T) {
	t.Parallel()
	kept := 0
	for seed := uint64(0); seed < fuzz.Rounds(1, 2); seed++ {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			a, b := randomplan.Write(rand.New(rand.NewPCG(seed, 61))), randomplan.Write(rand.New(rand.NewPCG(seed, 62)))
			less := withoutLine(b, "f0:")
			r := playSteps(t, rehearse.Options{Most: 600}, a, b, less, b, b)
			kept += r.Moves[4].Kept
		})
	}
}

// withoutLine is a plan without the workload of a line, where nothing else needs it.
func withoutLine(content, begins string) string {
	var left []string
	for _, line := range strings.Split(content, "\n") {
		if !strings.HasPrefix(strings.TrimSpace(line), begins) {
			left = append(left, line)
		}
	}
	less := strings.Join(left, "\n")
	if _, findings := estate.Load(text.One("p", less)); len(findings) > 0 {
		return content
	}
	return less
}

// TestConnectionsAreKept has connections that stay over changes of rules, routes and neighbours; one whose way goes ends, and is
// not counted as lost; and what passes for a while though it passes neither before nor after is told.
func TestConnectionsAreKept(t *testing.T) {
	t.Parallel()
	raw, err := os.ReadFile("../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	plan := string(raw)
	narrow := strings.Replace(plan, "          - tcp/5432 from 10.144.5.0/24\n", "          - tcp/5432 from 10.144.4.0/22\n", 1)
	open := strings.Replace(narrow, "- tcp/443 from any\n", "- tcp/443 from any\n          - tcp/8081 from any\n", 1)
	cut := strings.Replace(narrow, "accepted: [booking, finance]", "accepted: [booking]", 1)
	r := playSteps(t, rehearse.Options{Only: []string{"booking", "finance"}}, plan, narrow, open, cut, narrow)
	before := r.Moves[1].Kept
	require.Greater(t, before, 8)
	assert.Zero(t, r.Moves[1].Ended)
	assert.Equal(t, before, r.Moves[2].Kept, "rules that come and go leave what is open")
	assert.Empty(t, r.Moves[1].Cut)
	assert.NotEmpty(t, r.Moves[2].Opened)
	assert.NotEmpty(t, r.Moves[3].Cut, "the peering is gone for a while")
	assert.Positive(t, r.Moves[3].Ended)
	assert.Equal(t, before-r.Moves[3].Ended, r.Moves[3].Kept)
	assert.Empty(t, r.Moves[4].Cut)
	assert.False(t, func() bool { m := r.Moves[3]; m.Harms = false; return m.Good() }(), "what is cut and was not told of is no success")
}
