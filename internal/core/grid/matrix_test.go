package grid

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestMatrixAgainstPairs sums random estates up by networks, by subnets, and by single workloads with some left out, and
// holds each sum against every pair of it.
func TestMatrixAgainstPairs(t *testing.T) {
	for seed := range fuzz.Rounds(10, 30) {
		e, findings := estate.Load(text.One("p", randomplan.LearnedTwice(randomplan.Write(rand.New(rand.NewPCG(seed, 11))))))
		require.Empty(t, findings)
		outcomes := make([][]reach.Outcome, len(e.Workloads))
		for i, a := range e.Workloads {
			for _, b := range e.Workloads {
				one := reach.Ask(e, reach.Question{From: reach.EndOf(a), To: reach.EndOf(b), Flows: flow.Any()})
				outcomes[i] = append(outcomes[i], one.Outcome)
			}
		}
		networks := map[*estate.Network]int{}
		for i, n := range e.Networks {
			networks[n] = i
		}
		for name, unit := range map[string]func(*estate.Workload) int{
			"networks":  func(x *estate.Workload) int { return networks[x.Subnet.Network] },
			"subnets":   func(x *estate.Workload) int { return x.Subnet.Index },
			"every 3rd": func(x *estate.Workload) int { return map[bool]int{true: x.Index / 3, false: -1}[x.Index%3 == 0] },
		} {
			units := 0
			for _, x := range e.Workloads {
				units = max(units, unit(x)+1)
			}
			steps := 0
			got := Matrix(e, units, unit, func(done, total int) { steps++; assert.LessOrEqual(t, done, total) })
			assert.Positive(t, steps)
			for i := range units {
				for j := range units {
					want := Sum{}
					for a, x := range e.Workloads {
						for b, y := range e.Workloads {
							if a == b || unit(x) != i || unit(y) != j {
								continue
							}
							if want.Pairs == 0 {
								want.Outcome = outcomes[a][b]
							}
							want.Full, want.Some = want.Full.Intersect(outcomes[a][b].Full), want.Some.Union(outcomes[a][b].Some)
							want.Pairs++
						}
					}
					is := got[i*units+j]
					require.Equal(t, want.Pairs, is.Pairs, "seed %d, %s: %d to %d", seed, name, i, j)
					require.True(t, want.Full.Equal(is.Full) && want.Some.Equal(is.Some), "seed %d, %s: %d to %d: %v, and pair by pair %v", seed, name, i, j, is, want)
					if want.Pairs == 0 {
						require.Equal(t, reach.Blocked, is.Verdict(flow.Any()))
					}
				}
			}
		}
	}
}

// TestAskEach holds the answers for each workload, as whom it is seen included, against asking one by one.
func TestAskEach(t *testing.T) {
	seen := 0
	for seed := range fuzz.Rounds(10, 30) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 12)))))
		require.Empty(t, findings)
		for _, word := range []string{"internet", "198.51.100.9", "2001:db8:ff00::9", "quay", "depot"} {
			one, err := reach.Find(e, word)
			require.NoError(t, err)
			for _, toOne := range []bool{false, true} {
				all := AskEach(e, one, toOne, e.Workloads, flow.Any(), nil)
				require.Len(t, all, len(e.Workloads))
				for i, got := range all {
					require.Same(t, e.Workloads[i], got.Workload, "in the order given")
					from, to := one, reach.EndOf(got.Workload)
					if toOne {
						from, to = to, from
					}
					want := reach.Ask(e, reach.Question{From: from, To: to, Flows: flow.Any()})
					at := []any{"seed %d: %s to %s", seed, from.Name, to.Name}
					require.Equal(t, want.Verdict, got.Answer.Verdict, at...)
					require.True(t, want.Full.Equal(got.Answer.Full) && want.Some.Equal(got.Answer.Some), at...)
					if toOne {
						require.ElementsMatch(t, want.SeenAs, got.SeenAs, at...)
						seen += len(want.SeenAs)
					}
					if want.Verdict == reach.Blocked && len(want.Blockers) > 0 {
						require.Equal(t, want.Blockers[0].Message, got.Answer.Blockers[0].Message, at...)
					}
				}
			}
		}
	}
	assert.Greater(t, seen, int(fuzz.Rounds(50, 150)))
}

// TestAskEachOfMany: with more workloads than are asked singly, those of a class share an answer, and each is still seen
// as itself.
func TestAskEachOfMany(t *testing.T) {
	e, findings := estate.Load(text.One("p", randomplan.Large(60)))
	require.Empty(t, findings)
	require.Greater(t, len(e.Workloads), maxSingly)
	one, err := reach.Find(e, "internet")
	require.NoError(t, err)
	on, _ := flow.Parse("tcp/443")
	own, shared := 0, map[string]int{}
	for _, x := range AskEach(e, one, true, e.Workloads, on, nil) {
		public, has := x.Workload.PublicLike(ipv4)
		switch {
		case has && x.Answer.Verdict == reach.Open:
			require.Equal(t, public, x.SeenAs[0], x.Workload.Name)
			own++
		case x.Answer.Verdict == reach.Open:
			shared[x.SeenAs[0].String()]++
		}
	}
	assert.Greater(t, own, 100)
	assert.NotEmpty(t, shared, "some go out through a NAT gateway, and share its address")
}
