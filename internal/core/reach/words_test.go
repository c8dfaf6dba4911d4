package reach

import (
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/randomplan"
)

// codesInSource are the codes of all blockers that the walk can give.
func codesInSource(t *testing.T) map[string]int {
	t.Helper()
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	out := map[string]int{}
	for _, name := range files {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		for _, m := range regexp.MustCompile(`Code(?::| =|, place.Message =) "([a-z-]+)"|misrouted\("[a-z]+", [^"]*"([a-z-]+)"|misrouted\(kind, where, s, r, p, "([a-z-]+)"`).FindAllStringSubmatch(string(raw), -1) {
			for _, code := range m[1:] {
				if code != "" && !strings.HasSuffix(code, "-") { // the direction follows
					out[code] = 0
				}
			}
		}
	}
	return out
}

// TestEveryBlockerIsWorded: whatever stops a packet, on many random estates, is told in a sentence with its place and
// line and with what would be right, and nearly every kind of blocker comes up.
func TestEveryBlockerIsWorded(t *testing.T) {
	codes := codesInSource(t)
	require.Greater(t, len(codes), 25)
	var flows []flow.Set
	for _, word := range []string{"tcp/443", "udp/53", "icmp", "any", "tcp/20-80"} {
		f, err := flow.Parse(word)
		require.NoError(t, err)
		flows = append(flows, f)
	}
	for seed := range uint64(150) {
		e, findings := estate.Load(plan.NewSource("p", []byte(randomplan.Write(rand.New(rand.NewPCG(seed, 61))))))
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
			a := Ask(e, from, to, flows[rng.IntN(len(flows))])
			require.Equal(t, a.Verdict == Blocked && !a.Asked.Empty(), a.Verdict == Blocked)
			if a.Verdict == Blocked {
				require.NotEmpty(t, a.Blockers, "seed %d: %s to %s is blocked by nothing", seed, from.Name, to.Name)
			}
			for _, b := range a.Blockers {
				codes[b.Code]++
				at := []any{"seed %d: %s to %s: %+v", seed, from.Name, to.Name, b}
				require.True(t, b.At.Known() || b.Code == "not-carried" || b.Code == "no-common-family", at...)
				require.NotEmpty(t, b.Place+b.Message, at...)
				require.NotEmpty(t, b.Fix, at...)
				for _, sentence := range []string{b.Message, b.Fix} {
					require.NotContains(t, sentence, "%!", at...)
					require.NotContains(t, sentence, "invalid", at...)
					require.False(t, strings.HasSuffix(sentence, "."), at...)
					require.LessOrEqual(t, len(sentence), 400, at...)
				}
				if b.At.Known() {
					require.NotEmpty(t, e.Plan.Source.Line(b.At.Line), at...)
				}
			}
			for _, w := range a.Ways {
				for _, h := range append(w.Forward, w.Back...) {
					require.NotContains(t, h.What+h.Where, "%!")
					require.NotContains(t, h.What+h.Where, "invalid IP")
				}
			}
		}
	}
	never := []string{}
	for code, n := range codes {
		if n == 0 {
			never = append(never, code)
		}
	}
	assert.Subset(t, []string{"overlap", "not-there", "not-forwarding", "left-on-main-table", "no-internet-gateway", "nat-family", "no-common-family", "no-workload", "not-joined", "no-range"}, never,
		"the others must come up by themselves")
}
