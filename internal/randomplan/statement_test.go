package randomplan

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// TestStatedAndSpelt: a plan by patterns, counts, tiers and names lets the same pass as one that spells all of it out.
func TestStatedAndSpelt(t *testing.T) {
	open := 0
	for seed := range fuzz.Rounds(10, 40) {
		stated, spelt := Both(rand.New(rand.NewPCG(seed, 91)))
		var told [2]string
		for i, content := range []string{stated, spelt} {
			e, findings := estate.Load(text.One("p", content))
			require.Empty(t, findings, content)
			require.Empty(t, e.Waits, content)
			var b strings.Builder
			ends := []string{"internet", "quay"}
			for _, w := range e.Workloads {
				fmt.Fprintln(&b, w.Name, w.Subnet.ID(), w.Subnet.Table.ID(), w.Addrs)
				ends = append(ends, w.Name)
			}
			for _, from := range ends {
				for _, to := range ends {
					x, err := reach.Find(e, from)
					require.NoError(t, err)
					y, err := reach.Find(e, to)
					require.NoError(t, err)
					if x.Workload == nil && y.Workload == nil {
						continue
					}
					a := reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()})
					fmt.Fprintln(&b, from, to, a.Verdict, a.Full, a.Some, a.SeenAs)
					if i == 0 && a.Verdict != reach.Blocked {
						open++
					}
				}
			}
			told[i] = b.String()
		}
		e, _ := estate.Load(text.One("p", stated))
		head, _, _ := strings.Cut(stated, "patterns:\n")
		_, behind, _ := strings.Cut(stated, "workloads:\n")
		written := head + "networks:\n"
		for _, n := range e.Networks {
			written += strings.TrimPrefix(n.Plan.Whole(), "networks:\n")
		}
		again, findings := estate.Load(text.One("p", written+"workloads:\n"+behind))
		require.Empty(t, findings, written)
		for i, n := range again.Networks {
			require.Equal(t, e.Networks[i].Plan.Whole(), n.Plan.Whole(), "what is written out is read as it was")
		}
		require.Equal(t, told[1], told[0], "seed %d\n%s\n%s", seed, stated, spelt)
	}
	assert.Greater(t, open, int(fuzz.Rounds(250, 1000)))
}

// grow carves a statement, lets it grow, carves it again, and holds that nothing of the first time has moved.
func grow(t *testing.T, counts [4]uint8, zones uint8, spread bool) {
	statement := func(add uint8, zones int) string {
		names := strings.Join([]string{"west-a", "west-b", "west-c", "west-d", "west-e"}[:zones], ", ")
		return fmt.Sprintf(`wendrik: 1
profile: zonal
regions: {west: [%s]}
space: {west: {block: 10.144.0.0/14, region: west}}
networks:
  n: {region: west, from: west, size: /18, tiers: {a: {hosts: 40}, b: {hosts: 90}}, gateways: {out: {kind: nat, in: a, public: assigned}}}
workloads:
  x: {in: n/a, count: %d}
  y: {in: n/b, count: %d}
  z: {in: n/a}
`, names, 1+int(counts[0]%20)+int(add%20), 1+int(counts[1]%20)+int(counts[2]%20)*int(add%2))
	}
	first := 1 + int(zones%4)
	load := func(content string) *estate.Estate {
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings, content)
		return e
	}
	e := load(statement(0, first))
	r := carve.Estate(e)
	require.Empty(t, r.Misfits)
	after, findings, err := e.With(r.Changes)
	require.NoError(t, err)
	require.Empty(t, findings)
	note := func(e *estate.Estate) map[string]string {
		all := map[string]string{}
		for _, w := range e.Workloads {
			require.True(t, w.Settled(), w.Name)
			all[w.Name] = fmt.Sprint(w.Addrs)
		}
		for _, s := range e.Subnets {
			all[s.ID()] = fmt.Sprint(s.Ranges)
		}
		return all
	}
	was := note(after)
	more := first
	if spread {
		more++
	}
	content := after.Plan.Files.First().Text
	old, fresh := statement(0, first), statement(counts[3], more)
	for i, line := range strings.Split(old, "\n") { // the lines that say how many, and the zones
		with := strings.Split(fresh, "\n")[i]
		if line == with {
			continue
		}
		cut := func(s string) string { return strings.TrimSuffix(s, "}") }
		require.Contains(t, content, cut(line))
		content = strings.Replace(content, cut(line), cut(with), 1)
	}
	e = load(content)
	r = carve.Estate(e)
	require.Empty(t, r.Misfits, content)
	after, findings, err = e.With(r.Changes)
	require.NoError(t, err)
	require.Empty(t, findings)
	now := note(after)
	for name, what := range was {
		require.Equal(t, what, now[name], "%s moved\n%s", name, content)
	}
}

// FuzzGrow looks for a statement of which something moves when it grows.
func FuzzGrow(f *testing.F) {
	for seed := range uint8(12) {
		f.Add(seed, seed*3, seed*5, seed*7, seed, seed%2 == 0)
	}
	f.Fuzz(func(t *testing.T, a, b, c, d, zones uint8, spread bool) {
		defer fuzz.Bound()()
		grow(t, [4]uint8{a, b, c, d}, zones, spread)
	})
}
