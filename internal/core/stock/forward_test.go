package stock_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/stock/stocktest"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// Whatever was changed by hand, the plan can be edited to say it, in whatever words it is written.
func TestThePlanFollowsWhatIsThere(t *testing.T) {
	raw, err := os.ReadFile("../../../examples/skerry-line/planned.yaml")
	require.NoError(t, err)
	for seed := range fuzz.Rounds(40, 150) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 43))
			content := string(raw)
			switch seed % 3 {
			case 1:
				content = randomplan.Write(rng)
			case 2:
				content, _ = randomplan.Both(rng)
			}
			e := load(t, content)
			there := stocktest.Changed(rng, stock.Of(e), 8)
			after, problems, left := stock.Forward(e, there)
			for _, d := range left {
				assert.Fail(t, "not reached", "%s %v\nwas %+v\nis %+v", d.Key(), d.Props, d.Was, d.Is)
			}
			assert.Empty(t, problems)
			if t.Failed() {
				t.Logf("%s", after.Plan.Files.Whole())
			}
			if len(stock.Between(stock.Of(e), there)) == 0 {
				assert.Equal(t, e.Plan.Files.Whole(), after.Plan.Files.Whole())
			}
		})
	}
}

const counted = `wendrik: 1
estate: skerry-line
regions: {west: [west-a, west-b]}
patterns:
  service:
    tiers: {web: {access: public}, db: {access: closed}}
    subnets: {}
    groups: {web: {in: [tcp/443 from any], out: [any to any]}, db: {in: [tcp/5432 from group web, tcp/22 from quay], out: []}}
networks:
  booking: {pattern: service, region: west, range: 10.144.0.0/20, subnets: {web-a: {tier: web, range: 10.144.0.0/24}, db-a: {tier: db, range: 10.144.1.0/24}}, tables: {main: {main: true, routes: [{to: quay, via: spine}, {to: fares, via: spine}]}}}
  fares: {pattern: service, region: west, range: 10.144.16.0/20, subnets: {db-a: {tier: db, range: 10.144.16.0/24}}, tables: {main: {main: true, routes: [{to: booking/web, via: spine}]}}}
hubs:
  spine: {attach: {booking: all, fares: all, quay: all}, tables: {all: {learns: [booking, fares], routes: [{to: quay, via: quay}]}}}
sites:
  quay: {ranges: [10.212.0.0/16], knows: [booking, 10.144.16.0/20]}
clusters:
  berths: {in: fares, pods: 10.220.0.0/16}
workloads:
  web: {in: booking/web, count: 3, addresses: [10.144.0.10, 10.144.0.11, 10.144.0.12], groups: [web], listens: [tcp/443]}
  db: {in: booking/db, count: 2, addresses: [10.144.1.10, 10.144.1.11], groups: [db], listens: [tcp/5432]}
  ledger: {in: fares/db, address: 10.144.16.10, groups: [db], listens: [tcp/5432]}
  front: {in: booking/web, address: 10.144.0.20, groups: [web], targets: [web], target-ports: [tcp/443]}
expect:
  - web reaches db on tcp/5432
  - web reaches quay on tcp/443 without any zone
  - internet never reaches db except 198.51.100.0/24, web
  - quay reaches ledger on tcp/22
  - booking/db never reaches ledger
`

// without is a stock in which a thing was removed, and all that cannot be without it.
func without(want []stock.Thing, gone int) []stock.Thing {
	left := stock.Whole(slices.Delete(slices.Clone(want), gone, gone+1))
	there := map[string]bool{}
	for i := range left {
		there[left[i].Key()] = true
	}
	return slices.DeleteFunc(left, func(t stock.Thing) bool { over := stock.AlsoNeeds(&t); return over != "" && !there[over] })
}

// Whichever thing somebody took away, the plan can be edited to say it, and what spoke of it by name goes or speaks of those who are left.
func TestThePlanFollowsWhatIsGone(t *testing.T) {
	for _, name := range []string{"wendrik", "planned", "counted"} {
		content := []byte(counted)
		if name != "counted" {
			var err error
			content, err = os.ReadFile("../../../examples/skerry-line/" + name + ".yaml")
			require.NoError(t, err)
		}
		e := load(t, string(content))
		want := stock.Of(e)
		for i := range want {
			have := without(want, i)
			after, problems, left := stock.Forward(e, have)
			assert.Empty(t, problems, "%s without %s\n%s", name, want[i].Key(), after.Plan.Files.Whole())
			assert.Empty(t, left, "%s without %s\n%s", name, want[i].Key(), after.Plan.Files.Whole())
		}
	}
}

// A count stays one while those who are left are its first; else each is written for itself, and so are the lines that spoke of all.
func TestCountsAreBrokenUp(t *testing.T) {
	e := load(t, counted)
	want := stock.Of(e)
	forward := func(gone string) string {
		at := slices.IndexFunc(want, func(t stock.Thing) bool { return t.Key() == "workload:"+gone })
		have := slices.Delete(slices.Clone(want), at, at+1)
		for i := range have {
			if have[i].Name == "front" {
				have[i].Props = maps.Clone(have[i].Props)
				have[i].Props["targets"] = slices.DeleteFunc(slices.Clone(have[i].Props.Words("targets")), func(key string) bool { return key == "workload:"+gone })
			}
		}
		after, problems, left := stock.Forward(e, have)
		require.Empty(t, problems)
		require.Empty(t, left)
		return after.Plan.Files.Whole()
	}
	last := forward("db-2")
	assert.Contains(t, last, "db: {in: booking/db, count: 1, addresses: [10.144.1.10], groups: [db], listens: [tcp/5432]}")
	assert.Contains(t, last, "  - web reaches db on tcp/5432\n")
	first := forward("db-1")
	assert.Contains(t, first, "  db-2: {in: booking/db-a, address: 10.144.1.11, groups: [db], listens: [tcp/5432]}")
	assert.Contains(t, first, "  - web reaches db-2 on tcp/5432\n")
	middle := forward("web-2")
	for _, line := range []string{"web-1 reaches db on tcp/5432", "web-3 reaches db on tcp/5432", "web-1 reaches quay on tcp/443 without any zone", "web-3 reaches quay on tcp/443 without any zone",
		`"internet never reaches db except 198.51.100.0/24, web-1, web-3"`} {
		assert.Contains(t, middle, "  - "+line+"\n")
	}
	assert.NotContains(t, middle, "- web reaches")
	assert.Contains(t, middle, "targets: [web-1, web-3]")
}

// However much somebody did by hand, or by another plan, the plan can be edited to say it: from each of some plans to what each other
// comes to, with tiers, regions and zones that the first never spoke of.
func TestAnyPlanFollowsToAnyStock(t *testing.T) {
	plans := []string{counted}
	for _, name := range []string{"wendrik", "planned"} {
		raw, err := os.ReadFile("../../../examples/skerry-line/" + name + ".yaml")
		require.NoError(t, err)
		plans = append(plans, string(raw))
	}
	for seed := range uint64(2) {
		rng := rand.New(rand.NewPCG(seed, 47))
		both, _ := randomplan.Both(rng)
		plans = append(plans, randomplan.Write(rng), both)
	}
	for i, from := range plans {
		for k, to := range plans {
			there := stock.Of(load(t, to))
			after, problems, left := stock.Forward(load(t, from), there)
			assert.Empty(t, problems, "from %d to %d\n%s", i, k, after.Plan.Files.Whole())
			assert.Empty(t, left, "from %d to %d\n%s", i, k, after.Plan.Files.Whole())
			if i == k {
				assert.Equal(t, from, after.Plan.Files.Whole())
			}
		}
	}
}

// In a plan of several files each edit goes to the file in which what it speaks of stands, lines of expect among them.
func TestSeveralFilesFollow(t *testing.T) {
	files := text.NewFiles(nil)
	files.Add("wendrik.yaml", "wendrik: 1\nparts: [a.yaml, b.yaml]\nnetworks: {n: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/24}}}}\nexpect: [w never reaches v]\n")
	files.Add("a.yaml", "workloads:\n  v: {in: n/s, address: 10.0.0.9}\nexpect:\n  - v never reaches w\n")
	files.Add("b.yaml", "workloads:\n  w: {in: n/s, count: 3, addresses: [10.0.0.10, 10.0.0.11, 10.0.0.12]}\n  x: {in: n/s, address: 10.0.0.20}\nexpect:\n  - w never reaches x\n  - x never reaches v\n")
	e, problems := estate.Load(files)
	require.Empty(t, problems)
	have := slices.DeleteFunc(stock.Of(e), func(t stock.Thing) bool { return t.Name == "w-2" })
	after, problems, left := stock.Forward(e, have)
	require.Empty(t, problems)
	require.Empty(t, left)
	all := after.Plan.Files.All()
	assert.Contains(t, all[0].Text, "expect: [w-1 never reaches v, w-3 never reaches v]")
	assert.Equal(t, "workloads:\n  v: {in: n/s, address: 10.0.0.9}\nexpect:\n  - v never reaches w-1\n  - v never reaches w-3\n", all[1].Text)
	for _, line := range []string{"  w-1: {in: n/s, address: 10.0.0.10}", "  w-3: {in: n/s, address: 10.0.0.12}", "  - w-1 never reaches x", "  - w-3 never reaches x", "  - x never reaches v"} {
		assert.Contains(t, all[2].Text, line+"\n")
	}
}
