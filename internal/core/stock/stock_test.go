package stock_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// load reads a plan, of which things may wait for carve and wire.
func load(t *testing.T, content string) *estate.Estate {
	t.Helper()
	e, problems := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, problems, "%s", content)
	return e
}

// What a plan comes to, written as a plan, comes to the same, and the same reaches the same in it.
func TestWrittenOutItIsTheSame(t *testing.T) {
	var plans []string
	for _, name := range []string{"wendrik.yaml", "planned.yaml"} {
		raw, err := os.ReadFile("../../../examples/skerry-line/" + name)
		require.NoError(t, err)
		plans = append(plans, string(raw))
	}
	for seed := range fuzz.Rounds(20, 60) {
		plans = append(plans, randomplan.Write(rand.New(rand.NewPCG(seed, 17))))
		stated, _ := randomplan.Both(rand.New(rand.NewPCG(seed, 18)))
		plans = append(plans, stated)
	}
	for seed := range fuzz.Rounds(30, 80) { // plans of which parts are gone, or others
		plans = append(plans, estatetest.Half(t, rand.New(rand.NewPCG(seed, 19)), "").Plan.Files.Whole())
	}
	for i, content := range plans {
		t.Run(fmt.Sprint(i), func(t *testing.T) {
			e := load(t, content)
			things := stock.Of(e)
			written := stock.Text(stock.HeadOf(e), things)
			again := load(t, written)
			differences := stock.Between(things, stock.Of(again))
			for _, d := range differences {
				assert.Fail(t, "differs", "%s %v\n%+v\n%+v", d.Key(), d.Props, d.Was, d.Is)
			}
			if t.Failed() {
				t.Logf("%s\n---\n%s", content, written)
				return
			}
			waits := func(w *estate.Workload) bool { return !w.Settled() }
			if len(e.Waits) == 0 && !slices.ContainsFunc(e.Workloads, waits) {
				d := grid.Compare(e, again)
				assert.Empty(t, d.Opens, "%s\n---\n%s", content, written)
				assert.Empty(t, d.Closes)
				assert.Empty(t, d.Seen)
			}
		})
	}
}

// A thing that differs in one property is told with that one alone, and one that is replaced is fixed.
func TestWhatDiffers(t *testing.T) {
	before := load(t, "wendrik: 1\nnetworks:\n  a: {range: 10.144.0.0/20, subnets: {x: {range: 10.144.0.0/24}}, groups: {g: {in: [tcp/443 from any, udp/53 from any], out: []}}}\n")
	after := load(t, "wendrik: 1\nnetworks:\n  a: {range: 10.144.0.0/20, owner: tickets, subnets: {x: {range: 10.144.1.0/24}}, groups: {g: {in: [udp/53 from any, tcp/443 from any], out: [any to any]}}}\n")
	all := stock.Between(stock.Of(before), stock.Of(after))
	require.Len(t, all, 3)
	assert.True(t, all[0].Labels)
	assert.Empty(t, all[0].Props, "the owner is a label")
	assert.Equal(t, []string{"ranges"}, all[1].Props)
	assert.True(t, all[1].Fixed(), "a subnet cannot take another range")
	assert.Equal(t, []string{"out"}, all[2].Props, "the order of a group's rules says nothing")
	assert.False(t, all[2].Fixed())
}

// TestWhatWaitsIsNotBuilt: what has no range yet, and what sits in it or leads to it, is no part of the stock.
func TestWhatWaitsIsNotBuilt(t *testing.T) {
	t.Parallel()
	const plan = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
naming: "{tier}-{zone}"
space: {s: {block: 10.0.0.0/8}}
networks:
  later: {from: s, size: /20}
  a:
    region: west
    range: 10.0.0.0/16
    tiers: {web: {}}
    subnets: {web-a: {tier: web, zone: west-a, range: 10.0.0.0/24}}
    gateways: {here: {kind: nat, in: web-a, public: assigned}, there: {kind: nat, in: web-b, public: assigned}}
    tables: {m: {subnets: [web-a, web-b], routes: [{to: 0.0.0.0/0, via: there}, {to: 192.0.2.0/24, via: here}]}}
`
	var keys []string
	for _, x := range stock.Of(load(t, plan)) {
		keys = append(keys, x.Key())
	}
	assert.Equal(t, []string{"network:a", "table:a/m", "subnet:a/web-a", "gateway:a/here", "route:a/m 192.0.2.0/24"}, keys)
}
