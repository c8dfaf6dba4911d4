package grid_test

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// twoWays has networks that meet by another way in each family, by one table there and another back, and past a workload that forwards.
const twoWays = `wendrik: 1
networks:
  a: {range: [10.1.0.0/16, "fd00:1::/48"], subnets: {s: {range: [10.1.0.0/24, "fd00:1::/64"]}, t: {range: [10.1.1.0/24, "fd00:1:0:1::/64"]}, u: {range: 10.1.2.0/24}}, tables: {m: {main: true, routes: [{to: 10.2.0.0/16, via: pair}, {to: "fd00:2::/48", via: h}, {to: c, via: h}]}, t: {subnets: [t], routes: [{to: b, via: h}]}}, groups: {g: {in: [any from any], out: [any to any]}, k: {in: [tcp/22 from any], out: [tcp/22 to any]}, n: {in: [], out: [any to any]}}}
  b: {range: [10.2.0.0/16, "fd00:2::/48"], subnets: {s: {range: [10.2.0.0/24, "fd00:2::/64"]}, t: {range: 10.2.1.0/24}}, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: pair}, {to: "fd00:1::/48", via: h}]}, t: {subnets: [t], routes: [{to: 10.1.0.0/16, via: h}, {to: c, via: h}]}}, groups: {g: {in: [any from any], out: [any to any]}, k: {in: [tcp/22 from a], out: [any to any]}}}
  c: {range: 10.3.0.0/16, subnets: {s: {range: 10.3.0.0/24}, w: {range: 10.3.1.0/24}}, tables: {m: {main: true, routes: [{to: a, via: wall}, {to: b, via: h}]}, w: {subnets: [w], routes: [{to: a, via: h}, {to: b, via: h}]}, door: {routes: [{to: 10.3.0.0/24, via: wall}]}}, groups: {g: {in: [any from any], out: [any to any]}}}
peerings: {pair: {between: [a, b], accepted: [a, b]}}
hubs: {h: {attach: {a: t, b: t, c: {table: t, arrives: door}}, tables: {t: {learns: [a, b, c]}}}}
workloads:
  s: {in: a/s, count: 3, addresses: [[10.1.0.4, "fd00:1::4"], [10.1.0.5, "fd00:1::5"], [10.1.0.6, "fd00:1::6"]], groups: [g]}
  k: {in: a/s, address: [10.1.0.7, "fd00:1::7"], groups: [k]}
  o: {in: a/s, address: 10.1.0.8, groups: [n]}
  t: {in: a/t, count: 2, addresses: [[10.1.1.4, "fd00:1:0:1::4"], [10.1.1.5, "fd00:1:0:1::5"]], groups: [k]}
  u: {in: a/u, address: 10.1.2.4, groups: [g]}
  b: {in: b/s, count: 2, addresses: [[10.2.0.4, "fd00:2::4"], [10.2.0.5, "fd00:2::5"]], groups: [g]}
  l: {in: b/s, address: ["fd00:2::6"], groups: [k]}
  d: {in: b/t, address: 10.2.1.4, groups: [k]}
  c: {in: c/s, address: 10.3.0.4, groups: [g]}
  wall: {in: c/w, address: 10.3.1.4, groups: [g], forwards: stateful}
`

// TestCount: what is counted where no way is left, and what is said of the rest, is together what is said of all.
func TestCount(t *testing.T) {
	counted, said := 0, 0
	for seed := range fuzz.Rounds(6, 25) {
		rng := rand.New(rand.NewPCG(seed, 167))
		content := randomplan.Write(rng)
		switch seed % 5 {
		case 1:
			content = randomplan.LearnedTwice(randomplan.Write(rng))
		case 2:
			content = estatetest.Plan(t, estatetest.AnyPlan(rng))
		case 3:
			content = randomplan.Large(70) // of two hubs
		case 4:
			content = twoWays
		}
		e := estatetest.Load(t, content)
		whole, tallied := grid.NewStanding(e), grid.NewStanding(e)
		_, none := tallied.Count(e.Without(e.Parts()...), nil)
		require.Zero(t, none, "nothing is counted before the tally")
		tallied.Tally()
		whole.Remember()
		tallied.Remember()
		parts := e.Parts()
		rng.Shuffle(len(parts), func(i, j int) { parts[i], parts[j] = parts[j], parts[i] })
		for _, p := range parts[:min(6, len(parts))] {
			failing := e.Without(p)
			want := whole.Without(failing, nil)
			d, pairs := tallied.Count(failing, nil)
			require.Equal(t, pairsOf(want.Closes), pairs+pairsOf(d.Closes), "seed %d: %s %s\n%s", seed, p.Kind, p.Name, content)
			require.Equal(t, pairsOf(want.Opens), pairsOf(d.Opens), "seed %d", seed)
			require.Equal(t, want.Seen, d.Seen)
			counted, said = counted+pairs, said+pairsOf(d.Closes)
			require.Equal(t, want, tallied.Without(failing, nil), "seed %d: all is said again", seed)
		}
	}
	assert.Positive(t, counted)
	assert.Positive(t, said)
}

func pairsOf(all []grid.Difference) (n int) {
	for _, d := range all {
		n += len(d.From) * len(d.To)
	}
	return n
}
