package wire

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
)

// TestIntoPatterns: what every network of a pattern gets alike stands in the pattern, once, but for its address; what one of them has already, or
// gets otherwise, stays with the networks.
func TestIntoPatterns(t *testing.T) {
	t.Parallel()
	const head = `wendrik: 1
profile: zonal
regions: {west: [west-a]}
patterns:
  service:
    tiers: {web: {access: public}, app: {access: outbound}}
    nat: one
  shop: {pattern: service}
networks:
`
	network := func(name, third, more string) string {
		return "  " + name + ": {region: west, pattern: service, range: 10." + third + ".0.0/16, subnets: {web-a: {tier: web, zone: west-a, range: 10." + third + ".0.0/24}, app-a: {tier: app, zone: west-a, range: 10." + third + ".1.0/24}}" + more + "}\n"
	}
	lone := "  lone: {region: west, range: 10.9.0.0/16, tiers: {web: {access: public}}, subnets: {web-a: {tier: web, zone: west-a, range: 10.9.0.0/24}}}\n"
	for _, c := range []struct {
		name, plan   string
		pattern, own []string // what stands in the pattern then, and what in the first network
	}{
		{"all of it", network("a", "1", "") + network("b", "2", "") + lone, []string{"tables.outbound", "tables.public", "gateways.front", "gateways.out"}, []string{"gateways.out.address"}},
		{"one taker has a gateway", network("a", "1", "") + network("b", "2", ", gateways: {front: {kind: internet}}"), []string{"tables.outbound", "tables.public", "gateways.out"}, []string{"gateways.front"}},
		{"one taker has another way", network("a", "1", ", nat: per-zone") + network("b", "2", ""), []string{"tables.public", "gateways.front"}, []string{"gateways.out-a", "tables.outbound"}},
		{"some by way of another pattern", network("a", "1", "") + strings.ReplaceAll(network("b", "2", "")+network("c", "3", ""), "pattern: service", "pattern: shop"), []string{"tables.outbound", "tables.public", "gateways.front", "gateways.out"}, []string{"gateways.out.address"}},
		{"one network alone", network("a", "1", "") + lone, nil, []string{"tables.outbound", "tables.public", "gateways.front", "gateways.out"}},
	} {
		e := estatetest.Load(t, head+c.plan)
		w := Estate(e)
		require.NoError(t, w.Uneditable, c.name)
		require.Empty(t, Estate(w.After).Changes, "%s: twice is once", c.name)
		for _, f := range check.Run(w.After) {
			assert.NotContains(t, []string{"access", "way-out", "idle-gateway"}, string(f.Code), "%s: %s", c.name, f.Message)
		}
		files := w.After.Plan.Files
		stands := func(at string, paths []string) {
			for _, x := range paths {
				_, found := files.Value(strings.Split(at+"."+x, "."))
				assert.True(t, found, "%s: %s.%s is not in\n%s", c.name, at, x, files.Whole())
			}
		}
		stands("patterns.service", c.pattern)
		shop, _ := files.Value(text.Path{"patterns", "shop"})
		assert.Equal(t, "{pattern: service}", shop.String(), c.name)
		stands("networks.a", c.own)
		for _, x := range c.pattern {
			_, found := files.Value(strings.Split("networks.a."+x+".kind", "."))
			assert.False(t, found, "%s: %s stands twice", c.name, x)
		}
	}
}
