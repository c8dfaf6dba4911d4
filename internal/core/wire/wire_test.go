package wire

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// carved is an estate in which all has the ranges and addresses that carve gives.
func carved(t *testing.T, e *estate.Estate) *estate.Estate {
	t.Helper()
	r := carve.Estate(e)
	require.Empty(t, r.Misfits, e.Plan.Files.Whole())
	after, problems, err := e.With(r.Changes)
	require.NoError(t, err)
	require.Empty(t, problems)
	return after
}

// TestStatements carves and wires statements: then every line of expect holds, check finds nothing, and a second run has
// nothing to say.
func TestStatements(t *testing.T) {
	changes := 0
	for seed := range fuzz.Rounds(20, 60) {
		content := randomplan.Statement(rand.New(rand.NewPCG(seed, 101)))
		e := carved(t, estatetest.Load(t, content))
		w := Estate(e)
		require.NoError(t, w.Uneditable, "seed %d\n%s", seed, content)
		require.Empty(t, w.Contradicts, "seed %d\n%s", seed, content)
		require.Empty(t, w.Unmet, "seed %d\n%s", seed, content)
		require.Empty(t, w.Closes, "seed %d\n%s", seed, content)
		changes += len(w.Changes)
		after, findings, err := e.With(w.Changes)
		require.NoError(t, err)
		require.Empty(t, findings)
		written := after.Plan.Files.First().Text
		for _, x := range expect.Run(after, nil) {
			require.True(t, x.Holds, "seed %d: %s: %s\n%s", seed, x.Text, x.Why, written)
		}
		require.Empty(t, check.Run(after), "seed %d\n%s", seed, written)
		require.Empty(t, Estate(after).Changes, "seed %d: twice is once\n%s", seed, written)
	}
	assert.Greater(t, changes, int(fuzz.Rounds(250, 900)))
}

// TestWishes is the same for estates whose networks differ, where only what no wiring ends may be found.
func TestWishes(t *testing.T) {
	for seed := range fuzz.Rounds(10, 50) {
		content := randomplan.Wish(rand.New(rand.NewPCG(seed, 161)))
		e := carved(t, estatetest.Load(t, content))
		w := Estate(e)
		require.NoError(t, w.Uneditable, "seed %d\n%s", seed, content)
		for _, all := range [][]diag.Finding{w.Contradicts, w.Unmet, w.Waiting, w.Spared} {
			require.Empty(t, all, "seed %d\n%s", seed, content)
		}
		require.Empty(t, w.Closes, "seed %d\n%s", seed, content)
		written := w.After.Plan.Files.Whole()
		for _, x := range expect.Run(w.After, nil) {
			require.True(t, x.Holds, "seed %d: %s: %s\n%s", seed, x.Text, x.Why, written)
		}
		for _, f := range check.Run(w.After) {
			require.Contains(t, []diag.Code{"idle-block", "idle", "tier-in-one-zone"}, f.Code, "seed %d: %s\n%s", seed, f.Message, written)
		}
		require.Empty(t, Estate(w.After).Changes, "seed %d: twice is once\n%s", seed, written)
		nothingIsSpare(t, e, w.After)
	}
}

// TestNeverIsNever: whatever the joins, the access of tiers and other lines need, no line that says never and held is broken; what is left out
// for it is told, a second run writes nothing, and check finds nothing that wire would have written.
func TestNeverIsNever(t *testing.T) {
	lines, sparedAll := 0, 0
	for seed := range fuzz.Rounds(20, 120) {
		rng := rand.New(rand.NewPCG(seed, 131))
		content := randomplan.Statement(rng)
		ends := []string{"n0/app", "n1/web", "n2/data", "store0", "jobs1", "quay", "internet", "10.212.7.0/24", "shop2", "n1", "jobs0"}
		for range 2 + rng.IntN(4) {
			from, to := ends[rng.IntN(len(ends))], ends[rng.IntN(len(ends))]
			if from != to && (from[0] != 'q' && from[0] != 'i' && from[0] != '1' || to[0] != 'q' && to[0] != 'i' && to[0] != '1') {
				content += fmt.Sprintf("  - %s never reaches %s%s\n", from, to, []string{"", " on tcp/443", " on icmp"}[rng.IntN(3)])
				lines++
			}
		}
		e := carved(t, estatetest.Load(t, content))
		w := Estate(e)
		require.NoError(t, w.Uneditable, "seed %d\n%s", seed, content)
		require.Empty(t, expect.Against(e, w.After), "seed %d\n%s", seed, content)
		again := Estate(w.After)
		require.Empty(t, again.Changes, "seed %d: twice is once\n%s", seed, w.After.Plan.Files.First().Text)
		sparedAll += len(w.Spared)
		if len(w.Spared) == 0 && len(w.Unmet)+len(w.Contradicts) == 0 {
			for _, f := range check.Run(w.After) {
				require.Equal(t, "said-twice", string(f.Code), "seed %d: %s\n%s", seed, f.Message, w.After.Plan.Files.First().Text)
			}
		}
	}
	assert.Greater(t, lines, 20)
	assert.Greater(t, sparedAll, 2)
}

// TestLinesAreCounted: each line is told of before it is tried, with how many there are.
func TestLinesAreCounted(t *testing.T) {
	e := estatetest.Load(t, "wendrik: 1\nnetworks: {a: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/24}}}}\nworkloads: {w: {in: a/s, address: 10.1.0.4}, v: {in: a/s, address: 10.1.0.5}}\nexpect: [w reaches v on tcp/1, v reaches w on tcp/1, v never reaches w on tcp/2]\n")
	var said []string
	r := InSteps(e, func(done, total int) { said = append(said, fmt.Sprint(done, " of ", total)) })
	assert.Equal(t, []string{"0 of 3", "1 of 3", "2 of 3"}, said)
	assert.Len(t, r.Changes, 4, "a group for each of the two, and a rule")
	assert.Len(t, r.After.Network("a").Groups, 2)
}

// TestSpared: each kind of lead that a line keeps from being written is left out alone: that of the tier that the line is about, of a hub, of a
// site, and a way out.
func TestSpared(t *testing.T) {
	const frame = `wendrik: 1
profile: zonal
regions: {west: [west-a]}
networks:
  pier:
    region: west
    range: 10.144.0.0/20
    tiers: {web: {access: public}, db: {access: closed}}
    subnets: {web-a: {tier: web, zone: west-a, range: 10.144.0.0/24}, db-a: {tier: db, zone: west-a, range: 10.144.1.0/24}}
    groups: {all: {in: [any from any], out: [any to any]}}
  hall: {region: west, range: 10.145.0.0/20, tiers: {web: {access: public}}, subnets: {web-a: {tier: web, zone: west-a, range: 10.145.0.0/24}}, groups: {all: {in: [any from any], out: [any to any]}}}
workloads:
  shop: {in: pier/web, address: 10.144.0.10, public: 203.0.113.9, groups: [all]}
  db: {in: pier/db, address: 10.144.1.10, groups: [all]}
  desk: {in: hall/web, address: 10.145.0.10, groups: [all]}
`
	const link, hub, peered = "sites: {office: {ranges: 10.212.0.0/16, link: pier}}\n", "hubs: {h: {attach: {pier: t, hall: u}, tables: {t: {}, u: {}}}}\n", "peerings: {p: {between: [pier, hall], accepted: [pier, hall]}}\n"
	for _, c := range []struct{ joins, lines, spares, holds string }{
		{link, "db never reaches office", "table pier/closed gets no route to office", "shop reaches office"},
		{link, "office never reaches db", "table pier/closed gets no route to office", "office reaches shop"},
		{link, "office never reaches pier", "site office gets no route to network pier", ""},
		{peered, "db never reaches desk", "table pier/closed gets no route to hall", "shop reaches desk"},
		{peered, "desk never reaches db on tcp/22", "table pier/closed gets no route to hall", "desk reaches shop"},
		{hub, "db never reaches desk", "table pier/closed gets no route to hall", "shop reaches desk"},
		{"", "internet never reaches shop", "table pier/public gets no route to 0.0.0.0/0", ""},
	} {
		lines := "expect: [" + c.lines + "]\n"
		e := estatetest.Load(t, frame+c.joins+lines)
		w := Estate(e)
		require.NoError(t, w.Uneditable, c.lines)
		require.Empty(t, expect.Against(e, w.After), c.lines)
		var said []string
		for _, f := range w.Spared {
			what, _, _ := strings.Cut(f.Message, ", since with one")
			assert.Contains(t, f.Message, c.lines)
			said = append(said, what)
		}
		assert.Equal(t, c.spares, strings.Join(said, " "), c.lines)
		if c.holds != "" {
			x, err := plan.ParseExpectation(c.holds + " on tcp/443")
			require.NoError(t, err)
			assert.True(t, expect.One(w.After, &x).Holds, "%s: %s", c.lines, c.holds)
		}
		assert.Empty(t, Estate(w.After).Changes, c.lines)
	}
}

// TestWire tries what is added, and what is told and left.
func TestWire(t *testing.T) {
	const frame = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
networks:
  n:
    region: west
    range: 10.144.0.0/20
    tiers: {web: {access: public}, app: {access: outbound}, data: {access: closed}}
    subnets: {web-a: {tier: web, zone: west-a, range: 10.144.0.0/24}, app-a: {tier: app, zone: west-a, range: 10.144.1.0/24}, app-b: {tier: app, zone: west-b, range: 10.144.2.0/24}, data-a: {tier: data, zone: west-a, range: 10.144.3.0/24}}
`
	for _, c := range []struct{ more, says, change string }{
		{"", "", "nat, in: web-a, public: assigned"},
		{"    nat: none\n", "", "public: {subnets: [web]"},
		{"    nat: per-zone\n", "no public tier has a subnet in west-b", "out-a: {kind: nat"},
		{"    tables: {web: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}, app: {subnets: [app], routes: [{to: 0.0.0.0/0, via: out}]}}\n", "", "write  front: {kind: internet}"},
		{"    gateways: {door: {kind: internet, attached: false}}\n", "internet gateway door is not attached", "via: door"},
		{"    gateways: {door: {kind: internet}}\n    tables: {priv: {subnets: [app], routes: [{to: 0.0.0.0/0, via: door}]}}\n", "tier n/app is outbound, and table n/priv leads 0.0.0.0/0 straight to the internet", ""},
		{"    gateways: {door: {kind: internet}, nat: {kind: nat, in: web-a, address: 10.144.0.9, public: 203.0.113.9}}\n    tables: {shut: {subnets: [data], routes: [{to: 0.0.0.0/0, via: nat}]}}\n", "tier n/data is closed, and table n/shut leads 0.0.0.0/0 to nat", ""},
		{"    gateways: {door: {kind: internet}, nat: {kind: nat, in: web-a, address: 10.144.0.9, public: 203.0.113.9}}\n    tables: {priv: {subnets: [app], routes: []}}\n", "", "add  {to: 0.0.0.0/0, via: nat}  to networks.n.tables.priv.routes"},
	} {
		w := Estate(estatetest.Load(t, frame+c.more))
		require.NoError(t, w.Uneditable, c.more)
		var said, edits []string
		for _, f := range w.Contradicts {
			said = append(said, f.Message)
		}
		for _, x := range w.Changes {
			for _, e := range x.Edits {
				edits = append(edits, e.String())
			}
		}
		if c.says == "" {
			assert.Empty(t, said, c.more)
			assert.Empty(t, Estate(w.After).Changes, "%s: twice is once", c.more)
		}
		assert.Contains(t, strings.Join(said, "\n"), c.says, c.more)
		assert.Contains(t, strings.Join(edits, "\n"), c.change, c.more)
	}
}

// TestNeverIsNeverBroken: a line that says never stands, and the two that contradict each other are named.
func TestNeverIsNeverBroken(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
networks: {n: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/24}, r: {range: 10.0.1.0/24}}}}
workloads: {a: {in: n/s, address: 10.0.0.10}, b: {in: n/r, address: 10.0.1.10}}
expect: [a reaches b on tcp/443, n/s never reaches n/r on tcp, a reaches b on udp/53]
`)
	w := Estate(e)
	require.Len(t, w.Unmet, 1)
	assert.Contains(t, w.Unmet[0].Message, `"a reaches b on tcp/443" and "n/s never reaches n/r on tcp" contradict each other`)
	from, err := reach.Find(w.After, "a")
	require.NoError(t, err)
	to, err := reach.Find(w.After, "b")
	require.NoError(t, err)
	a := reach.Ask(w.After, reach.Question{From: from, To: to, Flows: e.Plan.Expect[2].Flows})
	assert.Equal(t, reach.Open, a.Verdict)
}

// TestExcept makes a line hold for those that it means, and for no other.
func TestExcept(t *testing.T) {
	const plan = `wendrik: 1
networks:
  n: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {a: {in: [], out: [any to any]}, b: {in: [], out: [any to any]}, c: {in: [], out: []}}}
workloads:
  u: {in: n/x, address: 10.0.0.4, groups: a}
  v: {in: n/x, address: 10.0.0.5, groups: b}
  w: {in: n/x, address: 10.0.0.6, groups: c}
expect: [n reaches w on tcp/22 except v, v never reaches w]
`
	e, problems := estate.Load(text.One("p", plan))
	require.Empty(t, problems)
	r := Estate(e)
	require.Empty(t, r.Unmet)
	require.Len(t, r.Changes, 1)
	for _, x := range expect.Run(r.After, nil) {
		require.True(t, x.Holds, x.Text)
	}
}

// TestHubLinks wires networks and a site behind two hubs that are joined: all reach all that their groups let.
func TestHubLinks(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
networks:
  a: {range: 10.1.0.0/16, tiers: {t: {access: closed}}, subnets: {x: {tier: t, range: 10.1.0.0/24}}}
  b: {range: 10.2.0.0/16, tiers: {t: {access: closed}}, subnets: {x: {tier: t, range: 10.2.0.0/24}}}
workloads: {u: {in: a/x, address: 10.1.0.4}, v: {in: b/x, address: 10.2.0.4}}
sites: {quay: {ranges: 10.9.0.0/16}}
hubs: {west: {attach: {a: t, quay: t}, tables: {t: {}}}, north: {attach: {b: t}, tables: {t: {}}}}
hub-links: {coast: {between: [west, north], accepted: [west, north], tables: {west: t, north: t}}}
expect: [u reaches v on tcp/443, v reaches u on udp/53, quay reaches v on tcp/22, v reaches quay on tcp/22]
`)
	r := Estate(e)
	require.Empty(t, r.Unmet)
	for _, x := range expect.Run(r.After, nil) {
		require.True(t, x.Holds, "%s: %s\n%s", x.Text, x.Why, r.After.Plan.Files.First().Text)
	}
	require.Empty(t, check.Run(r.After), r.After.Plan.Files.First().Text)
	require.Empty(t, Estate(r.After).Changes, "twice is once")
}
