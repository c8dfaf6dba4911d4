package expect

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestAllFourAgree: what reach, a line of expect, a list of the grid to and from one end, and a cell of its table say of one pair is the
// same, for workloads, addresses and ranges of the internet and of sites.
func TestAllFourAgree(t *testing.T) {
	said := map[reach.Verdict]int{}
	for seed := range fuzz.Rounds(8, 80) {
		rng := rand.New(rand.NewPCG(seed, 53))
		content := randomplan.Write(rng)
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		outside := []string{"internet", "quay", "depot", "198.51.100.200", "198.51.100.128/25", "203.0.113.250", "2001:db8:ff01::1", "10.200.7.1", "10.200.0.0/20", "10.201.0.1", "fd20:1::/64"}
		type pair struct{ from, to, on string }
		var pairs []pair
		var lines strings.Builder
		for range 40 {
			p := pair{e.Workloads[rng.IntN(len(e.Workloads))].Name, outside[rng.IntN(len(outside))], []string{"tcp/443", "udp/53", "icmp", "tcp/22,udp/1000-2000", "any"}[rng.IntN(5)]}
			if rng.IntN(3) == 0 {
				p.to = e.Workloads[rng.IntN(len(e.Workloads))].Name
			}
			if rng.IntN(2) == 0 {
				p.from, p.to = p.to, p.from
			}
			if p.from == p.to {
				continue
			}
			pairs = append(pairs, p)
			fmt.Fprintf(&lines, "  - %s reaches %s on %s\n  - %s never reaches %s on %s\n", p.from, p.to, p.on, p.from, p.to, p.on)
		}
		e, findings = estate.Load(text.One("p", content+"expect:\n"+lines.String()))
		require.Empty(t, findings)
		results := Run(e, nil)
		for i, p := range pairs {
			from, err := reach.FindEnds(e, p.from)
			require.NoError(t, err)
			to, err := reach.FindEnds(e, p.to)
			require.NoError(t, err)
			flows, err := flow.Parse(p.on)
			require.NoError(t, err)
			at := []any{"seed %d: %s to %s on %s\n%s", seed, p.from, p.to, p.on, content}
			a := reach.Ask(e, reach.Question{From: *from.One, To: *to.One, Flows: flows})
			said[a.Verdict]++
			require.Equal(t, a.Verdict == reach.Open, results[2*i].Holds, at...)
			require.Equal(t, a.Verdict == reach.Blocked, results[2*i+1].Holds, at...)
			if x := from.One.Workload; x != nil && to.One.Workload == nil {
				same(t, a, grid.AskEach(e, *to.One, true, e.Workloads, flows, nil), x, at)
			}
			if x := to.One.Workload; x != nil && from.One.Workload == nil {
				same(t, a, grid.AskEach(e, *from.One, false, e.Workloads, flows, nil), x, at)
			}
			if x, y := from.One.Workload, to.One.Workload; x != nil && y != nil {
				both := []*estate.Workload{x, y}
				u := grid.UnitsFor(e, both, both, "workloads", 20)
				cell := grid.NewTable(e, u, both, both, nil).At(slices.Index(u.Names, x.Name), slices.Index(u.Names, y.Name))
				require.True(t, a.Full.Equal(cell.Full.Intersect(flows)) && a.Some.Equal(cell.Some.Intersect(flows)), at...)
			}
		}
	}
	for _, v := range []reach.Verdict{reach.Open, reach.Partly, reach.Blocked} {
		assert.Greater(t, said[v], 10, v)
	}
}

func same(t *testing.T, a *reach.Answer, all []grid.One, x *estate.Workload, at []any) {
	t.Helper()
	for _, each := range all {
		if each.Workload == x {
			require.True(t, a.Full.Equal(each.Answer.Full) && a.Some.Equal(each.Answer.Some) && a.Verdict == each.Answer.Verdict, at...)
		}
	}
}
