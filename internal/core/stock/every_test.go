package stock_test

import (
	"maps"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
)

// onPaper are the places of keys that only plan: what they say is nothing at a cloud. A key that is new is tried, and must be there or here.
var onPaper = regexp.MustCompile(`^(estate|expect|waive|naming|labels-required|labels-ignored|scope|out|space|dhcp|clusters)\b|` +
	`^networks\.[^.]+\.(from|size|size6|slot|layout|nat|held|dhcp|fixed|growth)\b|^networks\.[^.]+\.tiers(\.[^.]+)?$|^networks\.[^.]+\.tiers\.[^.]+\.(hosts|size|growth|spare|zones|slot|access)\b|^peerings\.[^.]+\.only|^hubs\.[^.]+\.attach\.[^.]+\.only|^networks\.[^.]+\.subnets\.[^.]+\.(slot|tier)$|^regions\.|^sites\.[^.]+\.fixed`)

// TestEveryKey changes each key of a plan in turn: what is at a cloud is another then, unless the key only plans, and the plan as it was can
// follow to what is there.
func TestEveryKey(t *testing.T) {
	for _, name := range []string{"whole", "more", "coast", "lakes"} {
		t.Run(name, func(t *testing.T) { everyKey(t, name) })
	}
}

func everyKey(t *testing.T, name string) {
	t.Parallel()
	estatetest.EveryKey(t, name, func(before, after *estate.Estate, path text.Path, e text.Edit) {
		if len(after.Waits) > 0 {
			return // what has no range or address yet is at no cloud
		}
		was, is := stock.Of(before), stock.Of(after)
		if !onPaper.MatchString(path.String()) {
			assert.NotEmpty(t, stock.Between(was, is), "%s: %s (%s)", name, e, path)
		}
		followed, problems, left := stock.Forward(before, is)
		assert.Empty(t, problems, "%s: %s", name, e)
		assert.Empty(t, left, "%s: %s", name, e)
		assert.Empty(t, stock.Between(stock.Of(followed), is), "%s: %s", name, e)
	})
}

// TestTagged: things of just the kinds that say so have an owner or labels in plans that give all of them some.
func TestTagged(t *testing.T) {
	given, tagged := map[stock.Kind]bool{}, map[stock.Kind]bool{}
	for _, name := range []string{"whole", "more", "coast", "lakes"} {
		for _, x := range stock.Of(estatetest.Load(t, estatetest.Plan(t, name))) {
			labels := maps.Clone(x.Labels)
			delete(labels, stock.TierLabel)
			if x.Owner != "" || len(labels) > 0 {
				given[x.Kind] = true
			}
		}
	}
	for _, s := range stock.Specs {
		if s.Tagged {
			tagged[s.Kind] = true
		}
	}
	assert.Equal(t, tagged, given)
}

// TestTiersThatAssign: where one workload of a tier that has public addresses has none there, the tier no longer says so, and the others do.
func TestTiersThatAssign(t *testing.T) {
	const plan = `wendrik: 1
networks: {pier: {range: 10.0.0.0/16, tiers: {web: {access: public, public: assigned}}, subnets: {web: {tier: web, range: 10.0.0.0/24}}}}
workloads:
  shop: {in: pier/web, address: 10.0.0.10}
  till: {in: pier/web, address: 10.0.0.11}
  fares: {in: pier/web, count: 2, addresses: [10.0.0.12, 10.0.0.13]}
  map: {in: pier/web, address: 10.0.0.14, public: assigned}
`
	before := estatetest.Load(t, plan)
	there := stock.Of(before)
	for i := range there {
		if there[i].Name == "till" {
			there[i].Props = maps.Clone(there[i].Props)
			there[i].Props["assigned"] = false
		}
	}
	after, problems, left := stock.Forward(before, there)
	assert.Empty(t, problems)
	assert.Empty(t, left)
	for _, want := range []string{"web: {access: public}", "shop: {in: pier/web, address: 10.0.0.10, public: assigned}", "till: {in: pier/web, address: 10.0.0.11}",
		"fares: {in: pier/web, count: 2, addresses: [10.0.0.12, 10.0.0.13], public: assigned}", "map: {in: pier/web, address: 10.0.0.14, public: assigned}"} {
		assert.Contains(t, after.Plan.Files.Whole(), want)
	}
}
