package renumber

import (
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// TestRandomMoves moves networks and subnets of random estates to places where nothing is: who reaches whom is the same for every
// pair, and moving back leaves every byte as it was.
func TestRandomMoves(t *testing.T) {
	moved := 0
	for seed := range fuzz.Rounds(5, 16) {
		content := randomplan.Write(rand.New(rand.NewPCG(seed, 61)))
		e := estatetest.Load(t, content)
		for _, x := range []struct{ name, was, is string }{{"n0", "10.0.0.0/16", "10.77.0.0/16"}, {"n1", "10.1.0.0/16", "10.78.0.0/16"}, {"n0/s1", "10.0.1.0/24", "10.0.99.0/24"},
			{"n1", "10.1.0.0/16", "10.78.0.0/15"}, {"n0/s1", "10.0.1.0/24", "10.0.98.0/23"}} { // the last two grow, and shrink on the way back
			r, err := Of(e, Request{Name: x.name, To: []netip.Prefix{netip.MustParsePrefix(x.is)}})
			require.NoError(t, err, "seed %d: %s\n%s", seed, x.name, content)
			moved += len(r.Changes)
			d := grid.Compare(e, r.After)
			require.Empty(t, d.Opens, "seed %d: %s", seed, x.name)
			require.Empty(t, d.Closes, "seed %d: %s", seed, x.name)
			back, err := Of(r.After, Request{Name: x.name, To: []netip.Prefix{netip.MustParsePrefix(x.was)}})
			require.NoError(t, err, "seed %d: %s", seed, x.name)
			plain := strings.NewReplacer(`"`, "") // an edit quotes what must be
			require.Equal(t, plain.Replace(content), plain.Replace(back.After.Plan.Files.First().Text), "seed %d: %s", seed, x.name)
		}
	}
	assert.Greater(t, moved, int(fuzz.Rounds(100, 400)))
}

const port = `wendrik: 1
space: {west: {block: 10.0.0.0/12}, far: {block: 172.16.0.0/16}}
dhcp: {d: {dns: [10.1.0.10, 198.51.100.53]}}
networks:
  booking: {range: 10.1.0.0/16, dhcp: d, tiers: {app: {}}, subnets: {app: {tier: app, range: 10.1.0.0/24}}, held: {tills: {for: cards, range: 10.1.9.0/24}}, groups: {g: {in: [tcp/22 from 10.1.0.10/32, any from 10.0.0.0/12], out: [any to any]}}}
  drill: {range: 10.1.0.0/20, subnets: {a: {range: 10.1.0.0/24}}, groups: {g: {in: [tcp/22 from 10.1.0.0/24], out: []}}}
  shared: {range: 10.2.0.0/16, subnets: {a: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.0.0.0/14, via: p}, {to: booking/app, via: blackhole}]}}, groups: {g: {in: [tcp/80 from 10.1.0.0/16], out: []}}}
workloads:
  u: {in: booking/app, count: 2, addresses: [10.1.0.10, 10.1.0.11]}
  v: {in: drill/a, address: 10.1.0.10}
peerings: {p: {between: [booking, shared], accepted: [booking, shared]}}
sites: {quay: {ranges: 10.9.0.0/16, knows: [10.0.0.0/14, 10.1.0.0/24], link: booking, owner: harbour master}}
clusters: {c: {in: booking, pods: 10.20.0.0/16}}
expect: [10.9.0.7 never reaches 10.1.0.11]
`

// TestMove moves a network whose ranges another has, too: who means that one is left alone.
func TestMove(t *testing.T) {
	e := estatetest.Load(t, port)
	r, err := Of(e, Request{Name: "booking", From: "far"})
	require.NoError(t, err)
	assert.Equal(t, []Move{{netip.MustParsePrefix("10.1.0.0/16"), netip.MustParsePrefix("172.16.0.0/16")}}, r.Moves)
	assert.Contains(t, r.After.Plan.Files.First().Text, "any from 10.0.0.0/12, any from 172.16.0.0/16", "who was meant by a wider range still is")
	r, err = Of(e, Request{Name: "booking", To: []netip.Prefix{netip.MustParsePrefix("10.5.0.0/16")}})
	require.NoError(t, err)
	after := r.After.Plan.Files.First().Text
	for _, want := range []string{
		"booking: {range: 10.5.0.0/16", "subnets: {app: {tier: app, range: 10.5.0.0/24}}", "tills: {for: cards, range: 10.5.9.0/24}", "[tcp/22 from 10.5.0.10/32, any from 10.0.0.0/12]",
		"drill: {range: 10.1.0.0/20", "in: [tcp/22 from 10.1.0.0/24]", "{to: 10.0.0.0/14, via: p}", "{to: 10.5.0.0/16, via: p}", "tcp/80 from 10.5.0.0/16", "addresses: [10.5.0.10, 10.5.0.11]",
		"v: {in: drill/a, address: 10.1.0.10}", "knows: [10.0.0.0/14, 10.5.0.0/24, 10.5.0.0/16]", "dns: [10.5.0.10, 198.51.100.53]", "expect: [10.9.0.7 never reaches 10.5.0.11]",
	} {
		assert.Contains(t, after, want)
	}
	require.Len(t, r.Told, 1)
	assert.Contains(t, r.Told[0], "site quay (harbour master): its routers need a route to 10.5.0.0/16")
	r, err = Of(e, Request{Name: "c/pods"})
	require.NoError(t, err)
	assert.Equal(t, "the pods of cluster c", r.What)
	sum := estatetest.Load(t, "wendrik: 1\nprofile: regional\nspace: {s: {block: 10.0.0.0/16}}\nnetworks: {a: {subnets: {x: {range: 10.0.0.0/26}, y: {range: 10.0.0.64/26}, z: {range: 10.0.1.0/24}}}}\n")
	r, err = Of(sum, Request{Name: "a"})
	require.NoError(t, err)
	require.Len(t, r.Moves, 3)
	for i, m := range r.Moves {
		for _, o := range r.Moves[:i] {
			assert.False(t, m.Is.Overlaps(o.Is), "%s and %s", m.Is, o.Is)
		}
	}
	for name, want := range map[string]string{"bookin": "there is nothing called", "booking/nobody": "there is nothing called", "c/services": "has no range that could move"} {
		_, err := Of(e, Request{Name: name})
		assert.ErrorContains(t, err, want)
	}
	_, err = Of(e, Request{Name: "booking", Bits: 15, To: []netip.Prefix{netip.MustParsePrefix("10.2.0.0/17")}})
	assert.ErrorContains(t, err, "is of another size than /15")
}

// TestSizes gives what has a range another size: where it is, where that is free, else at the nearest place; all in it stays, or keeps its
// place, and what has no room is told.
func TestSizes(t *testing.T) {
	const plan = `wendrik: 1
space: {s: {block: 10.0.0.0/8}}
networks:
  a:
    range: 10.0.0.0/20
    from: s
    size: /20
    tiers: {web: {}}
    subnets: {x: {tier: web, slot: 3, size: /24, range: 10.0.3.0/24}, y: {range: 10.0.5.0/25}}
    held: {tills: {for: cards, size: /24, range: 10.0.8.0/24}}
    gateways: {out: {kind: nat, in: x, address: 10.0.3.250, public: 203.0.113.9}}
    groups: {g: {in: [tcp/22 from 10.0.3.0/24, tcp/23 from 10.0.3.7/32, tcp/24 from 10.0.3.128/25], out: []}}
  b: {range: 10.0.32.0/20}
workloads: {w: {in: a/x, address: 10.0.3.7}, v: {in: a/y, address: 10.0.5.9}}
`
	e := estatetest.Load(t, plan)
	for _, c := range []struct {
		name string
		bits int
		want []string
	}{
		{"a/x", 23, []string{"x: {tier: web, size: /23, range: 10.0.2.0/23}", "address: 10.0.3.250", "tcp/22 from 10.0.2.0/23, tcp/23 from 10.0.3.7/32, tcp/24 from 10.0.3.128/25", "w: {in: a/x, address: 10.0.3.7}"}},
		{"a/x", 22, []string{"x: {tier: web, size: /22, range: 10.0.0.0/22}", "w: {in: a/x, address: 10.0.3.7}"}},
		{"a/x", 21, []string{"10.0.0.0/21 is not free", ""}},
		{"a/y", 24, []string{"y: {range: 10.0.5.0/24}", "v: {in: a/y, address: 10.0.5.9}"}},
		{"a/y", 28, []string{"y: {range: 10.0.5.0/28}", "v: {in: a/y, address: 10.0.5.9}"}},
		{"a/y", 29, []string{"has no room for workload v"}},
		{"a/tills", 23, []string{"tills: {for: cards, size: /23, range: 10.0.8.0/23}"}},
		{"a", 19, []string{"range: 10.0.0.0/19", "size: /19", "x: {tier: web, slot: 3, size: /24, range: 10.0.3.0/24}"}},
		{"a", 18, []string{"range: 10.0.64.0/18", "size: /18", "range: 10.0.67.0/24", "y: {range: 10.0.69.0/25}", "tills: {for: cards, size: /24, range: 10.0.72.0/24}", "tcp/23 from 10.0.67.7/32", "w: {in: a/x, address: 10.0.67.7}", "address: 10.0.67.250"}},
		{"a", 21, []string{"has no room for held part a/tills"}},
		{"a/web", 20, []string{"name one of its parts"}},
	} {
		r, err := Of(e, Request{Name: c.name, Bits: c.bits})
		if c.want[0] == "10.0.0.0/21 is not free" { // y is there, and the nearest /21 has held cards, so that there is none
			require.Error(t, err)
			assert.Contains(t, err.Error(), "no /21 is free for subnet a/x in network a")
			continue
		}
		if err != nil {
			assert.Contains(t, err.Error()+" "+wrong.Right(err), c.want[0], "%s /%d", c.name, c.bits)
			continue
		}
		for _, want := range c.want {
			assert.Contains(t, r.After.Plan.Files.First().Text, want, "%s /%d", c.name, c.bits)
		}
	}
}

// Lines of expect are written in whichever file they stand; one that a pattern gives to all that take it is told.
func TestLinesOfSeveralFiles(t *testing.T) {
	files := text.NewFiles(nil)
	files.Add("wendrik.yaml", "wendrik: 1\nparts: [teams.yaml]\nspace: {s: {block: 10.0.0.0/8}}\npatterns: {p: {expect: [\"10.1.0.10 never reaches {network}\"]}}\nnetworks: {a: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}}, b: {pattern: p, range: 10.2.0.0/16}}\nexpect: 10.1.0.10 never reaches 10.2.0.1\n")
	files.Add("teams.yaml", "workloads: {w: {in: a/x, address: 10.1.0.10}}\nexpect:\n  - w never reaches b\n  - 10.2.0.1 never reaches 10.1.0.10\n")
	e, problems := estate.Load(files)
	require.Empty(t, problems)
	r, err := Of(e, Request{Name: "a", To: []netip.Prefix{netip.MustParsePrefix("10.5.0.0/16")}})
	require.NoError(t, err)
	all := r.After.Plan.Files.All()
	assert.Contains(t, all[0].Text, "\nexpect: 10.5.0.10 never reaches 10.2.0.1\n")
	assert.Equal(t, "workloads: {w: {in: a/x, address: 10.5.0.10}}\nexpect:\n  - w never reaches b\n  - 10.2.0.1 never reaches 10.5.0.10\n", all[1].Text)
	assert.Equal(t, []string{"the line of expect  10.1.0.10 never reaches b"}, r.Left)
}
