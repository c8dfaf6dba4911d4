package grid

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestRoadsOverHubs: a road that is taken from what others have walked behind a hub is the one that a walk of its own finds, whoever walked
// first: also where two networks on one hub have one range, so that what is for the other stays in a subnet, or goes elsewhere.
func TestRoadsOverHubs(t *testing.T) {
	overlapping := `wendrik: 1
profile: plain
networks:
  pier: {range: 10.1.0.0/20, subnets: {web: {range: 10.1.0.0/24}, app: {range: 10.1.1.0/24}}, tables: {main: {main: true, routes: [{to: 10.1.0.0/22, via: spine}, {to: 10.2.0.0/16, via: spine}]}}}
  drill: {range: 10.1.0.0/22, subnets: {web: {range: 10.1.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.2.0.0/16, via: spine}]}}}
  quay: {range: 10.2.0.0/16, subnets: {web: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.1.0.0/16, via: spine}]}}}
hubs: {spine: {attach: {pier: all, drill: all, quay: all}, tables: {all: {learns: [pier, drill, quay]}}}}
workloads:
  shop: {in: pier/web, address: 10.1.0.10}
  fares: {in: pier/app, address: 10.1.1.10}
  lone: {in: drill/web, address: 10.1.0.10}
  clock: {in: quay/web, address: 10.2.0.10}
`
	roads, over := 0, 0
	hold := func(e *estate.Estate, what any) {
		g := NewGrid(e, func(*estate.Workload) int { return 0 })
		fresh := newWorker(g)
		for f, like := range []family{ipv4, ipv6} {
			for i, a := range g.sources[f] {
				for j, b := range g.targets[f] {
					if a == nil || b == nil || a.Subnet.Network == b.Subnet.Network {
						continue
					}
					if roads++; fresh.overHub(f, a, b) != nil {
						over++
					}
					assert.Equal(t, fresh.road(a, b, like), g.roads[f][i*len(g.targets[f])+j], "%v: %s to %s", what, a.Name, b.Name)
				}
			}
		}
	}
	e, problems := estate.Load(text.One("p", overlapping))
	require.Empty(t, problems)
	for range 20 { // since workers take turns
		hold(e, "overlapping")
	}
	for seed := range fuzz.Rounds(20, 200) {
		rng := rand.New(rand.NewPCG(seed, 91))
		hold(estatetest.Half(t, rng, ""), seed)
		e, problems := estate.Load(text.One("p", randomplan.Write(rng)))
		require.Empty(t, problems)
		hold(e, seed)
	}
	assert.Greater(t, roads, 2000)
	assert.Greater(t, over, 150)
}
