package check

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// This file holds findings against the walk of packets on random estates: what a rule says must be so.

func randomEstate(t *testing.T, seed uint64) *estate.Estate {
	t.Helper()
	e, findings := estate.Load(text.One("p", randomplan.Write(rand.New(rand.NewPCG(seed, 21)))))
	require.Empty(t, findings)
	return e
}

// outcomes are what passes between all workloads of an estate.
func outcomes(e *estate.Estate) []grid.Sum {
	return grid.Matrix(e, len(e.Workloads), func(x *estate.Workload) int { return x.Index }, nil)
}

func sameOutcomes(t *testing.T, before, after []grid.Sum, what string, seed uint64) {
	t.Helper()
	for i := range before {
		require.True(t, before[i].Full.Equal(after[i].Full) && before[i].Some.Equal(after[i].Some), "seed %d: %s made a difference", seed, what)
	}
}

// TestUselessRulesAreUseless takes out of random estates each rule that is said to be shadowed, needless or to match nothing, and
// each list and table that is said to be for no subnet. Nothing may come of that.
func TestUselessRulesAreUseless(t *testing.T) {
	taken := map[diag.Code]int{}
	for seed := range fuzz.Rounds(30, 100) {
		e := randomEstate(t, seed)
		before := outcomes(e)
		useless := map[text.Pos]diag.Code{}
		for _, f := range Run(e, Guards) {
			switch f.Code {
			case "shadowed-rule", "needless-rule", "empty-group", "idle":
				useless[f.At] = f.Code
			}
		}
		if len(useless) == 0 {
			continue
		}
		kept := func(rules []estate.Rule) []estate.Rule {
			return slices.DeleteFunc(slices.Clone(rules), func(r estate.Rule) bool {
				code, is := useless[r.At]
				if is {
					taken[code]++
				}
				return is
			})
		}
		for _, n := range e.Networks {
			for _, g := range n.Groups {
				g.In, g.Out = kept(g.In), kept(g.Out)
			}
			for _, l := range n.Lists {
				l.In, l.Out = kept(l.In), kept(l.Out)
			}
		}
		sameOutcomes(t, before, outcomes(e), "taking useless rules out", seed)
	}
	assert.Greater(t, taken["shadowed-rule"], int(fuzz.Rounds(6, 20)))
	assert.Greater(t, taken["empty-group"], int(fuzz.Rounds(0, 2)))
	assert.Greater(t, taken["needless-rule"], int(fuzz.Rounds(2, 5)))
}

// TestNothingPassesWhereNothingCan: no flow that needs what a finding says is missing passes.
func TestNothingPassesWhereNothingCan(t *testing.T) {
	seen := map[diag.Code]int{}
	for seed := range fuzz.Rounds(40, 120) {
		e := randomEstate(t, seed)
		for _, f := range Run(e, Wiring) {
			seen[f.Code]++
			switch f.Code {
			case "dead-route", "not-attached":
				deadRoute(t, e, f, seed)
			case "stranded-nat":
				strandedNAT(t, e, f, seed)
			case "half-joined":
				halfJoined(t, e, f, seed)
			case "idle-public":
				idlePublicReached(t, e, f, seed)
			}
		}
	}
	for _, code := range []diag.Code{"dead-route", "half-joined", "idle-public", "not-attached", "stranded-nat"} {
		assert.Greater(t, seen[code], int(fuzz.Rounds(0, 3)), "%s never came up: %v", code, seen)
	}
}

// deadRoute: no packet that takes the route arrives anywhere.
func deadRoute(t *testing.T, e *estate.Estate, f diag.Finding, seed uint64) {
	t.Helper()
	for _, x := range e.Workloads {
		for _, r := range x.Subnet.Table.Routes {
			if r.At != f.At {
				continue
			}
			for _, y := range e.Workloads {
				a := reach.Ask(e, reach.Question{From: reach.End{Name: x.Name, Workload: x}, To: reach.End{Name: y.Name, Workload: y}, Flows: flow.Any()})
				for _, w := range a.Ways {
					takes := slices.ContainsFunc(w.Forward, func(h reach.Hop) bool { return h.Did == reach.Routed && h.At == f.At })
					require.False(t, takes && !w.Some.Empty(), "seed %d: %s, and %s reaches %s by it", seed, f.Message, x.Name, y.Name)
				}
			}
		}
	}
}

// strandedNAT: nothing that the gateway translates gets to the internet.
func strandedNAT(t *testing.T, e *estate.Estate, f diag.Finding, seed uint64) {
	t.Helper()
	internet, err := reach.Find(e, "internet")
	require.NoError(t, err)
	for _, x := range e.Workloads {
		a := reach.Ask(e, reach.Question{From: reach.EndOf(x), To: internet, Flows: flow.Any()})
		for _, w := range a.Ways {
			translated := slices.ContainsFunc(w.Forward, func(h reach.Hop) bool { return h.Did == reach.Translated && h.At == f.At })
			require.False(t, translated && !w.Some.Empty(), "seed %d: %s, and %s gets out by it", seed, f.Message, x.Name)
		}
	}
}

// halfJoined: no way that passes crosses it.
func halfJoined(t *testing.T, e *estate.Estate, f diag.Finding, seed uint64) {
	t.Helper()
	for _, x := range e.Workloads[:min(len(e.Workloads), 8)] {
		for _, y := range e.Workloads {
			a := reach.Ask(e, reach.Question{From: reach.End{Name: x.Name, Workload: x}, To: reach.End{Name: y.Name, Workload: y}, Flows: flow.Any()})
			for _, w := range a.Ways {
				for _, h := range slices.Concat(w.Forward, w.Back) {
					require.False(t, h.At == f.At && !h.Stops && !w.Some.Empty(), "seed %d: %s, and %s reaches %s over it", seed, f.Message, x.Name, y.Name)
				}
			}
		}
	}
}

// idlePublicReached: the internet gets no answer from the workload by its public IPv4 address.
func idlePublicReached(t *testing.T, e *estate.Estate, f diag.Finding, seed uint64) {
	t.Helper()
	internet, err := reach.Find(e, "internet")
	require.NoError(t, err)
	for _, x := range e.Workloads {
		if len(x.Plan.Public) == 0 || x.Plan.Public[0].At != f.At {
			continue
		}
		a := reach.Ask(e, reach.Question{From: internet, To: reach.End{Name: x.Name, Workload: x, Addr: x.Public[0]}, Flows: flow.Any()})
		require.Equal(t, reach.Blocked, a.Verdict, "seed %d: %s", seed, f.Message)
	}
}

// TestDecidedAgainstAllPairs holds what finds covering rules by what they name against looking at each pair.
func TestDecidedAgainstAllPairs(t *testing.T) {
	covered := 0
	for seed := range fuzz.Rounds(20, 60) {
		for _, n := range randomEstate(t, seed).Networks {
			lists := [][]estate.Rule{}
			for _, l := range n.Lists {
				lists = append(lists, l.In, l.Out)
			}
			for _, g := range n.Groups {
				lists = append(lists, g.In, g.Out)
			}
			for _, rules := range lists {
				for i, j := range decided(rules) {
					want := slices.IndexFunc(rules[:i], func(y estate.Rule) bool { return covers(y, rules[i]) })
					require.Equal(t, want, j, "seed %d", seed)
					if j >= 0 {
						covered++
					}
				}
			}
		}
	}
	assert.Greater(t, covered, int(fuzz.Rounds(6, 20)))
}

// TestNoLineIsPassedOver: of each line of expect that does not hold and waits for nothing, on plans of which parts are missing and with ends
// chosen at random, something is found.
func TestNoLineIsPassedOver(t *testing.T) {
	broken, untried := 0, 0
	for seed := range fuzz.Rounds(60, 600) {
		rng := rand.New(rand.NewPCG(seed, 77))
		e := estatetest.Half(t, rng, "")
		var ends []string
		for _, n := range e.Networks {
			ends = append(ends, n.Name)
			for _, x := range n.Tiers {
				ends = append(ends, n.Name+"/"+x.Name)
			}
		}
		for _, x := range e.Subnets {
			ends = append(ends, x.ID())
		}
		for _, x := range e.Workloads {
			ends = append(ends, x.Name)
		}
		for _, x := range e.Sites {
			ends = append(ends, x.Name)
		}
		if len(ends) == 0 {
			continue
		}
		var edits []text.Edit
		for range 6 {
			line := ends[rng.IntN(len(ends))] + []string{" reaches ", " never reaches "}[rng.IntN(2)] + ends[rng.IntN(len(ends))] + " on tcp/443"
			if rng.IntN(4) == 0 {
				line += " except " + ends[rng.IntN(len(ends))]
			}
			edits = append(edits, text.Add(text.Path{"expect"}, text.Word(line)))
		}
		after, problems, err := e.With(text.Changes{{Edits: edits}})
		if err != nil || len(problems) > len(e.Problems) {
			continue
		}
		found := map[text.Pos]diag.Code{}
		for _, f := range Run(after, Expect) {
			found[f.At] = f.Code
		}
		for _, r := range expect.Run(after, nil) {
			if f, is := r.Finding(); is {
				found[f.At] = f.Code
			}
			if r.Holds || r.Waits || r.Doubted {
				continue
			}
			broken++
			if found[r.At] == "untried" {
				untried++
			}
			assert.NotEmpty(t, found[r.At], "seed %d: %q does not hold, %s, and nothing is found", seed, r.Text, r.Why)
		}
	}
	assert.Greater(t, broken, 100)
	assert.Greater(t, untried, 1)
}
