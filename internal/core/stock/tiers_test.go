package stock_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/stock"
)

// TestSubnetsCalledAsTiers: a subnet that is called as its tier is cannot be named without the rest of that, nor one that is called as another
// tier: what is there is written all the same, and comes to what is there but for the tier that cannot be.
func TestSubnetsCalledAsTiers(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
networks:
  n:
    range: 10.0.0.0/16
    tiers: {web: {}, app: {}}
    subnets: {web: {tier: web, range: 10.0.0.0/24}, two: {tier: web, range: 10.0.1.0/24}, far: {tier: app, range: 10.0.2.0/24}}
    tables: {main: {main: true, routes: []}, t: {subnets: [web], routes: []}}
    lists: {l: {subnets: [web], in: [allow any from any], out: [allow any to any]}}
`)
	for name, c := range map[string]struct {
		change func(subnets map[string]*stock.Thing)
		want   []string
		tiers  int // how many subnets keep theirs
	}{
		"as it is":            {func(map[string]*stock.Thing) {}, []string{"t: subnets: [web]", "l: subnets: [web]"}, 3},
		"a part of the table": {func(s map[string]*stock.Thing) { s["two"].Props["table"] = "table:n/main" }, []string{"t: subnets: [web]", "main: main: true subnets: [two] routes", "l: subnets: [web, two]"}, 1},
		"a part of the list":  {func(s map[string]*stock.Thing) { delete(s["web"].Props, "list") }, []string{"t: subnets: [web]", "l: subnets: [two]"}, 3},
		"of another tier": {func(s map[string]*stock.Thing) { s["web"].Labels = map[string]string{stock.TierLabel: "app"} },
			[]string{"t: subnets: [web, two]", "l: subnets: [web, two]"}, 2},
	} {
		things := stock.Of(e)
		subnets := map[string]*stock.Thing{}
		for i := range things {
			if things[i].Kind == stock.Subnet {
				subnets[things[i].Name[2:]] = &things[i]
			}
		}
		c.change(subnets)
		content := stock.Text(stock.Head{}, things)
		words := strings.Join(strings.Fields(content), " ")
		for _, want := range c.want {
			assert.Contains(t, words, want, name)
		}
		after := estatetest.Load(t, content)
		assert.Empty(t, stock.Between(stock.Of(after), things), name)
		tiers := 0
		for _, x := range after.Network("n").Subnets {
			if x.Tier != nil {
				tiers++
			}
		}
		assert.Equal(t, c.tiers, tiers, name)
	}
}
