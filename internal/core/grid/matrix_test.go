package grid

import (
	"maps"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/randomplan"
)

// TestMatrixAgainstPairs sums random estates up by networks, by subnets, and by single workloads with some left out, and
// holds each sum against every pair of it.
func TestMatrixAgainstPairs(t *testing.T) {
	for seed := range uint64(30) {
		e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 11)))))
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
	for seed := range uint64(40) {
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
	assert.Greater(t, seen, 200)
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

// TestRandomFixes: on random estates, what is blocked opens step by step when the fixes that can be written are made, and
// is never blocked by the same again.
func TestRandomFixes(t *testing.T) {
	opened, tried := 0, 0
	for seed := range uint64(40) {
		content := randomplan.Write(rand.New(rand.NewPCG(seed, 13)))
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		rng := rand.New(rand.NewPCG(seed, 14))
		for range 12 {
			from, to := e.Workloads[rng.IntN(len(e.Workloads))].Name, e.Workloads[rng.IntN(len(e.Workloads))].Name
			on, _ := flow.Parse([]string{"tcp/443", "udp/53", "icmp", "tcp/80-90"}[rng.IntN(4)])
			now, made := e, map[string]bool{}
			for range 6 {
				a, b := find(t, now, from), find(t, now, to)
				answer := reach.Ask(now, reach.Question{From: a, To: b, Flows: on})
				if answer.Verdict == reach.Open {
					if len(made) > 0 {
						opened++
					}
					break
				}
				var edits []text.Edit
				wanted := map[string]bool{}
				for _, x := range answer.Blockers {
					require.NotEmpty(t, x.Message)
					require.NotEmpty(t, x.Fix(), x.Message)
					for _, edit := range x.Edits() {
						require.False(t, made[edit.String()], "seed %d: %s to %s: %s was made already, and is wanted again: %s", seed, from, to, edit, x.Message)
						wanted[edit.String()] = true
						edits = append(edits, edit)
					}
				}
				if len(edits) == 0 {
					break // what is left is for a person
				}
				tried++
				maps.Copy(made, wanted)
				after, _, err := now.Plan.Files.First().Apply(edits)
				require.NoError(t, err, "seed %d: %s to %s %v\n%s", seed, from, to, edits, now.Plan.Files.First().Text)
				var wrong []diag.Finding
				now, wrong = estate.Load(text.One("p", string(after)))
				require.Empty(t, wrong, "seed %d: %s to %s: the fixes make a plan that is no plan\n%s", seed, from, to, after)
			}
		}
	}
	assert.Greater(t, tried, 100)
	assert.Greater(t, opened, 60)
}

func find(t *testing.T, e *estate.Estate, word string) reach.End {
	t.Helper()
	end, err := reach.Find(e, word)
	require.NoError(t, err)
	return end
}
