package estate

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
)

// TestMeant: what joins are meant for is bound to tiers and subnets of their sides, words of others are told, and routes know whether they keep to it.
func TestMeant(t *testing.T) {
	const networks = "wendrik: 1\nnetworks:\n" +
		"  x: {range: 10.0.0.0/16, tiers: {web: {}}, subnets: {a: {tier: web, range: 10.0.0.0/24}, b: {tier: web, range: 10.0.1.0/24}, c: {range: 10.0.2.0/24}}, tables: {m: {main: true, routes: [{to: y, via: p}]}, w: {subnets: [a, b], routes: [{to: y/d, via: p}, {to: y/e, via: p}, {to: z/f, via: h}, {to: z, via: h}, {to: s, via: h}]}}}\n" +
		"  y: {range: 10.1.0.0/16, subnets: {d: {range: 10.1.0.0/24}, e: {range: 10.1.1.0/24}}, tables: {m: {main: true, routes: [{to: x/web, via: p}]}}}\n" +
		"  z: {range: 10.2.0.0/16, subnets: {f: {range: 10.2.0.0/24}}}\n" +
		"sites: {s: {ranges: 10.9.0.0/24}}\n"
	e, problems := Load(text.One("p", networks+"peerings: {p: {between: [x, y], accepted: [x, y], only: [x/web, y/d]}}\nhubs: {h: {attach: {x: {table: t, only: [x/a, x/b]}, z: {table: t, only: z/f}, s: t}, tables: {t: {}}}}\n"))
	require.Empty(t, problems)
	p := e.Peering("p")
	assert.Equal(t, []string{"x/web"}, p.Meant[0].Words)
	assert.Len(t, p.Meant[0].Subnets, 2)
	assert.True(t, p.Meant[1].Has(e.Network("y").Subnet("d")) && !p.Meant[1].Has(e.Network("y").Subnet("e")))
	said := map[string]string{}
	for _, n := range e.Networks {
		for _, table := range n.Tables {
			for _, r := range table.Routes {
				if r.Origin == ByHand {
					said[table.ID()+" "+r.To.String()] = table.Beyond(r)
				} else {
					assert.Empty(t, table.Beyond(r))
				}
			}
		}
	}
	assert.Equal(t, map[string]string{
		"x/m 10.1.0.0/16": "from subnet x/c", "x/w 10.1.0.0/24": "", "x/w 10.1.1.0/24": "to 10.1.1.0/24", "x/w 10.2.0.0/24": "", "x/w 10.2.0.0/16": "to 10.2.0.0/16", "x/w 10.9.0.0/24": "",
		"y/m 10.0.0.0/23": "from subnet y/e", // both subnets of the tier
	}, said)

	_, problems = Load(text.One("p", networks+"peerings: {p: {between: [x, y], accepted: [x, y], only: [x/wep, x/a, x, z/f]}}\nhubs: {h: {attach: {x: {table: t, only: [y/d, x/web]}, z: t, s: {table: t, only: [s/s]}}, tables: {t: {}}}}\n"))
	var told []string
	for _, f := range problems {
		told = append(told, f.Place.String()+": "+f.Message)
	}
	assert.Equal(t, []string{
		`peerings.p.only: there is no part of either side named "x/wep"`, `peerings.p.only: there is no part of either side named "x"`, `peerings.p.only: there is no part of either side named "z/f"`,
		`hubs.h.attach.x: there is no part of x named "y/d"`, `hubs.h.attach.s: there is no part of s named "s/s"`,
	}, told)
}
