package outage

import (
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/golden"
	"wendrik/internal/randomplan"
)

// TestAgainstAllPairs takes each part out of random estates, and holds what stops against asking for every pair in the estate
// without it; and that estate, where a plan can say so, against a plan without the part.
func TestAgainstAllPairs(t *testing.T) {
	stops, written := 0, 0
	for seed := range fuzz.Rounds(1, 4) {
		content := randomplan.Write(rand.New(rand.NewPCG(seed, 51)))
		if seed%3 == 1 {
			content = randomplan.LearnedTwice(content)
		}
		e := estatetest.Load(t, content)
		parts := e.Parts()
		losses := Of(e, false, 0, nil)
		require.Len(t, losses, len(parts))
		most := 1 + int(seed)%5
		brief := Of(e, false, most, nil)
		for i, l := range brief { // the worst are told wholly, and the others stand where they did
			want := losses[i]
			if i >= most {
				want.Stops, want.Seen = nil, nil
			}
			require.Equal(t, golden.Tell(want), golden.Tell(l), "seed %d: the worst %d", seed, most)
			require.Equal(t, want.Harm(), l.Harm())
		}
		var whole []Loss
		require.NoError(t, Whole(e, brief, func(l *Loss) error { whole = append(whole, *l); return nil }))
		require.Equal(t, golden.Tell(losses), golden.Tell(whole), "seed %d: what was left out is worked out again", seed)
		given := 0
		require.ErrorIs(t, Whole(e, brief, func(*Loss) error { given++; return io.EOF }), io.EOF)
		require.Equal(t, 1, given, "an error ends it")
		for _, p := range parts {
			i := slices.IndexFunc(losses, func(l Loss) bool { return l.Of[0] == p.Kind+" "+p.Name })
			require.GreaterOrEqual(t, i, 0)
			var got []string
			for _, d := range losses[i].Stops {
				for _, f := range d.From {
					for _, g := range d.To {
						if f != g {
							got = append(got, fmt.Sprint(f, " ", g, " ", d.Flows))
						}
					}
				}
			}
			failing := e.Without(p)
			want := stopped(t, e, failing, losses[i].Gone)
			slices.Sort(got)
			require.Equal(t, want, got, "seed %d: %s", seed, losses[i].Name())
			stops += len(got)
			if out := without(t, e, p); out != nil {
				written++
				require.Equal(t, stopped(t, e, out, losses[i].Gone), got, "seed %d: %s, by a plan without it", seed, losses[i].Name())
			}
		}
	}
	assert.Greater(t, stops, int(fuzz.Rounds(10, 60)))
	assert.Greater(t, written, int(fuzz.Rounds(3, 6)))
}

// stopped asks for every pair in two estates, but for those that are gone.
func stopped(t *testing.T, before, after *estate.Estate, gone []string) []string {
	t.Helper()
	names := []string{"internet"}
	for _, s := range before.Sites {
		names = append(names, s.Name)
	}
	for _, w := range before.Workloads {
		if !slices.Contains(gone, w.Name) {
			names = append(names, w.Name)
		}
	}
	var all []string
	for _, p := range names {
		for _, q := range names {
			if p == q || before.Workload(p) == nil && before.Workload(q) == nil {
				continue
			}
			was, is := outcome(t, before, p, q), outcome(t, after, p, q)
			if less := was.Full.Minus(is.Full).Union(was.Some.Minus(is.Some)); !less.Empty() {
				all = append(all, fmt.Sprint(p, " ", q, " ", less))
			}
		}
	}
	slices.Sort(all)
	return all
}

func outcome(t *testing.T, e *estate.Estate, p, q string) reach.Outcome {
	t.Helper()
	x, err := reach.Find(e, p)
	require.NoError(t, err)
	y, err := reach.Find(e, q)
	require.NoError(t, err)
	return reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()}).Outcome
}

// without is the plan in which a part does not work, as a person would write it; nil for one of which that cannot be said so.
func without(t *testing.T, e *estate.Estate, p estate.Part) *estate.Estate {
	t.Helper()
	var edits []text.Edit
	switch network, name, _ := strings.Cut(p.Name, "/"); p.Kind {
	case "peering":
		if slices.ContainsFunc(e.Peering(p.Name).Between[:], func(n *estate.Network) bool { return n.Profile.PeerRoutes }) {
			return nil // where routes install themselves, they go with it
		}
		edits = append(edits, text.Remove(e.Peering(p.Name).Place(), "accepted"))
	case "hub link":
		edits = append(edits, text.Remove(e.HubLink(p.Name).Place(), "accepted"))
	case "gateway":
		n := e.Network(network)
		edits = append(edits, text.Set(n.Place().To("gateways", name), "attached", text.Word("false")))
		if n.Gateway(name).Type != estate.InternetGateway {
			return nil
		}
	case "NAT gateway": // whose routes lead nowhere
		for _, t := range e.Network(network).Tables {
			if t.Plan == nil {
				continue
			}
			for i, r := range t.Plan.Routes {
				if r.Via.Value == name {
					edits = append(edits, text.Set(t.Place().To("routes", fmt.Sprint(i+1)), "via", text.Word("blackhole")))
				}
			}
		}
		if len(edits) == 0 {
			return nil
		}
	default:
		return nil
	}
	after, problems, err := e.With(text.Changes{{Edits: edits}})
	require.NoError(t, err)
	if len(problems) > 0 {
		return nil
	}
	return after
}

// TestMany: of a part that parts more pairs than anybody reads Of says how many, and of the others which; both are worked out in two ways.
func TestMany(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
networks:
  a: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/18}, t: {range: 10.1.64.0/24}}, tables: {m: {main: true, routes: [{to: b, via: pair}]}}, groups: {g: {in: [icmp from any], out: [any to any]}}}
  b: {range: 10.2.0.0/16, subnets: {s: {range: 10.2.0.0/18}}, tables: {m: {main: true, routes: [{to: a, via: pair}, {to: c, via: other}]}}, groups: {g: {in: [icmp from 10.1.0.0/18, icmp from c], out: [any to any]}}}
  c: {range: 10.3.0.0/16, subnets: {s: {range: 10.3.0.0/24}}, tables: {m: {main: true, routes: [{to: b, via: other}]}}, groups: {g: {in: [tcp/22 from 10.2.0.0/16], out: [icmp to 10.2.0.0/19]}}}
peerings: {pair: {between: [a, b], accepted: [a, b]}, other: {between: [b, c], accepted: [b, c]}}
workloads:
`+hosts("many", "a/s", "10.1", 3300)+hosts("more", "b/s", "10.2", 3300)+hosts("few", "c/s", "10.3", 2))
	brief, whole := Of(e, false, 1, nil), Of(e, false, 0, nil)
	require.Len(t, brief, 2)
	assert.Equal(t, "peering pair", brief[0].Name())
	assert.Equal(t, 2*3300*3300, brief[0].Many, "there and back")
	assert.Empty(t, brief[0].Stops)
	for i := range whole {
		pairs := 0
		for _, d := range whole[i].Stops {
			pairs += len(d.From) * len(d.To)
		}
		assert.Equal(t, pairs, whole[i].Harm())
		assert.Equal(t, pairs, brief[i].Harm())
		assert.Zero(t, whole[i].Many)
	}
	assert.Equal(t, 2*2*3300, brief[1].Harm(), "ssh to c, and echoes from c to those of b that are low enough")
	assert.Equal(t, "peering other", Of(e, false, 3, nil)[1].Name())
}

// hosts writes some workloads of a subnet that is a /18, from its tenth address on.
func hosts(name, in, net string, n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "  %s-%d: {in: %s, address: %s.%d.%d, groups: [g]}\n", name, i, in, net, (i+10)/256, (i+10)%256)
	}
	return b.String()
}

const coast = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
networks:
  booking:
    region: west
    range: 10.1.0.0/16
    subnets: {web-a: {zone: west-a, range: 10.1.0.0/24}, app-a: {zone: west-a, range: 10.1.1.0/24}, app-b: {zone: west-b, range: 10.1.2.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: web-a, address: 10.1.0.9, public: 203.0.113.9}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: out}, {to: finance, via: pair}]}, web: {subnets: [web-a], routes: [{to: 0.0.0.0/0, via: front}]}}
    groups: {all: {in: [tcp/443 from any], out: [any to any]}}
  finance:
    region: west
    range: 10.2.0.0/16
    subnets: {data: {zone: west-b, range: 10.2.0.0/24}}
    tables: {main: {main: true, routes: [{to: booking, via: pair}]}}
    groups: {all: {in: [tcp/5432 from booking], out: []}}
workloads:
  app-1: {in: booking/app-a, address: 10.1.1.10, groups: [all]}
  app-2: {in: booking/app-b, address: 10.1.2.10, groups: [all]}
  door: {in: booking/app-b, address: 10.1.2.20, groups: [all], targets: [app-1, app-2]}
  db: {in: finance/data, address: 10.2.0.10, groups: [all]}
peerings: {pair: {between: [booking, finance], accepted: [booking, finance]}}
expect:
  - booking/app-b reaches internet on tcp/443
  - booking reaches db on tcp/5432
  - app-2 reaches db on tcp/5432 without zone west-a
  - app-2 reaches internet on tcp/443 without any zone
  - app-1 reaches door on tcp/443 without any peering
  - app-2 leaves as 203.0.113.9
`

// TestOutage works out by hand what stops.
func TestOutage(t *testing.T) {
	e := estatetest.Load(t, coast)
	var names []string
	for _, l := range Of(e, false, 0, nil) {
		names = append(names, l.Name())
	}
	assert.Equal(t, []string{"zone west-a", "NAT gateway booking/out", "zone west-b", "gateway booking/front", "peering pair"}, sortedAs(names, "zone west-a", "NAT gateway booking/out", "zone west-b", "gateway booking/front", "peering pair"))
	l, err := Named(e, []string{"west-a"})
	require.NoError(t, err)
	assert.Equal(t, []string{"app-1"}, l.Gone)
	require.Len(t, l.Stops, 1, "%v", l.Stops)
	assert.Equal(t, []string{"app-2", "door"}, l.Stops[0].From)
	assert.Equal(t, []string{"internet"}, l.Stops[0].To)
	require.Len(t, l.Breaks, 1)
	assert.Equal(t, "booking/app-b reaches internet on tcp/443", l.Breaks[0].Text)
	l, err = Named(e, []string{"zone west-b", "peering pair"})
	require.NoError(t, err)
	assert.Equal(t, []string{"app-2", "door", "db"}, l.Gone)
	assert.Empty(t, l.Stops, "nobody is left to miss it")
	assert.Len(t, l.Breaks, 2)
	l, err = Named(e, []string{"west-b", "west-a", "zone west-b", "pair", "peering pair"})
	require.NoError(t, err)
	assert.Equal(t, []string{"zone west-b", "zone west-a", "peering pair"}, l.Of, "each once, also two of a kind")
	_, err = Named(e, []string{"west-c"})
	assert.ErrorContains(t, err, `"west-c" is no part that can fail`)
	assert.Len(t, Of(e, true, 0, nil), 10)
}

func sortedAs(names []string, like ...string) []string {
	slices.SortFunc(names, func(a, b string) int { return slices.Index(like, a) - slices.Index(like, b) })
	return names
}
