package reach

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestEveryBlockerIsWorded: whatever stops a packet, on many random estates, is told in a sentence with its place and
// line and with what would be right, and nearly every kind of blocker comes up.
func TestEveryBlockerIsWorded(t *testing.T) {
	seen := map[diag.Code]int{}
	var flows []flow.Set
	for _, word := range []string{"tcp/443", "udp/53", "icmp", "any", "tcp/20-80"} {
		f, err := flow.Parse(word)
		require.NoError(t, err)
		flows = append(flows, f)
	}
	for seed := range fuzz.Rounds(40, 150) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 61)))))
		require.Empty(t, findings)
		rng := rand.New(rand.NewPCG(seed, 62))
		words := []string{"internet", "198.51.100.77", "203.0.113.200", "2001:db8:ff00::5", "10.0.0.99", "10.1.200.1", "quay", "depot", "10.200.7.7"}
		for _, w := range e.Workloads {
			words = append(words, w.Name)
		}
		for range 60 {
			from, errFrom := Find(e, words[rng.IntN(len(words))])
			to, errTo := Find(e, words[rng.IntN(len(words))])
			if errFrom != nil || errTo != nil || from.Workload == nil && to.Workload == nil {
				continue
			}
			a := Ask(e, Question{From: from, To: to, Flows: flows[rng.IntN(len(flows))]})
			require.Equal(t, a.Verdict == Blocked && !a.Flows.Empty(), a.Verdict == Blocked)
			if a.Verdict == Blocked {
				require.NotEmpty(t, a.Blockers, "seed %d: %s to %s is blocked by nothing", seed, from.Name, to.Name)
			}
			for _, b := range a.Blockers {
				require.Contains(t, Codes, b.Code)
				seen[b.Code]++
				at := []any{"seed %d: %s to %s: %+v", seed, from.Name, to.Name, b}
				require.True(t, b.At.Known() || b.Code == NotCarried || b.Code == NoCommonFamily, at...)
				require.NotEmpty(t, b.Message, at...)
				require.NotEmpty(t, b.Fix(), at...)
				for _, sentence := range []string{b.Message, b.Fix()} {
					require.NotContains(t, sentence, "%!", at...)
					require.NotContains(t, sentence, "invalid", at...)
					require.False(t, strings.HasSuffix(sentence, "."), at...)
					require.LessOrEqual(t, len(sentence), 400, at...)
				}
				if b.At.Known() {
					require.NotEmpty(t, e.Plan.Files.Line(b.At), at...)
				}
			}
			for _, w := range a.Ways {
				for _, h := range append(w.Forward, w.Back...) {
					require.NotContains(t, h.Far+h.Message, "%!")
					require.NotContains(t, h.Far+h.Message, "invalid IP")
				}
			}
		}
	}
	// Some take a plan made for them; reach_test.go and hops_test.go have each.
	rare := []diag.Code{Overlap, NotThere, NotForwarding, LeftOnMainTable, NoInternetGateway, NATFamily, NoCommonFamily, NoWorkload, NotJoined, OutOfOrder}
	assert.Len(t, slices.Compact(slices.Sorted(slices.Values(Codes))), len(Codes), "each once")
	for _, code := range Codes {
		assert.True(t, seen[code] > 0 || slices.Contains(rare, code), "%s never came up", code)
	}
}
