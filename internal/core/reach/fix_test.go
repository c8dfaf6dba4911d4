package reach

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
)

// TestNoFixOpensATier asks for the way out of tiers that are not meant to be open to the internet.
func TestNoFixOpensATier(t *testing.T) {
	const frame = `wendrik: 1
profile: zonal
regions: {west: [west-a]}
networks:
  quay:
    region: west
    range: [10.144.0.0/20, "2001:db8:7::/48"]
    tiers: {t: {%s}, edge: {access: public}}
    subnets:
      t-a: {tier: t, zone: west-a, range: [10.144.0.0/24, "2001:db8:7::/64"]}
      edge-a: {tier: edge, zone: west-a, range: 10.144.1.0/24}
    gateways: {front: {kind: internet}%s}
    tables: {main: {main: true, routes: []}, edge: {subnets: [edge-a], routes: [{to: 0.0.0.0/0, via: front}]}}
workloads: {tides: {in: quay/t-a, address: [10.144.0.10, "2001:db8:7::10"]}}
`
	const nat, six = ", out: {kind: nat, in: edge-a, address: 10.144.1.9, public: 203.0.113.9}", ", six: {kind: egress}"
	for _, c := range []struct{ name, access, gateways, to, want string }{
		{"outbound, with a NAT", "access: outbound", nat, "198.51.100.1", "{to: 0.0.0.0/0, via: out}"},
		{"outbound, without", "access: outbound", "", "198.51.100.1", "put a NAT gateway into a public subnet of network quay, and lead 0.0.0.0/0 of table main to it: tier quay/t is outbound"},
		{"outbound, IPv6 with an egress gateway", "access: outbound", six, "2001:db8:ffff::1", "via: six}"},
		{"outbound, IPv6 without", "access: outbound", "", "2001:db8:ffff::1", "gateways: {six: {kind: egress}}"},
		{"closed", "access: closed", "", "198.51.100.1", "tier quay/t is closed: write  access: outbound  there first"},
		{"closed, IPv6", "access: closed", "", "2001:db8:ffff::1", "tier quay/t is closed"},
		{"public", "access: public", nat + six, "2001:db8:ffff::1", "via: front}"},
		{"nothing said, with an egress gateway", "size: /24", six, "2001:db8:ffff::1", "via: six}"},
	} {
		e, findings := estate.Load(text.One("p", fmt.Sprintf(frame, c.access, c.gateways)))
		require.Empty(t, findings, c.name)
		from, err := Find(e, "tides")
		require.NoError(t, err)
		to, err := Find(e, c.to)
		require.NoError(t, err)
		a := Ask(e, Question{From: from, To: to, Flows: flow.Any()})
		require.NotEmpty(t, a.Blockers, c.name)
		assert.Contains(t, a.Blockers[0].Fix(), c.want, c.name)
		if c.access != "access: public" {
			for _, b := range a.Blockers {
				assert.NotContains(t, b.Fix(), "via: front", c.name)
			}
		}
	}
}
