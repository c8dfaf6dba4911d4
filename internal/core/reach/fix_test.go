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

// TestFixesJoinNetworks makes the fix of networks that nothing joins, and asks again.
func TestFixesJoinNetworks(t *testing.T) {
	const frame = `wendrik: 1
profile: %s
regions: {west: [west-a]}
networks:
  quay: {region: west, %sgroups: {all: {in: [any from any], out: [any to any]}}, subnets: {a: {zone: west-a, range: %s}}%s}
  pier: {region: west, %sgroups: {all: {in: [any from any], out: [any to any]}}, subnets: {a: {zone: west-a, range: %s}}%s}
workloads:
  tides: {in: quay/a, groups: [all], address: %s}
  fares: {in: pier/a, groups: [all], address: %s}
`
	const gate = ", gateways: {front: {kind: internet}}, tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}}"
	for _, c := range []struct {
		name, advice string
		fill         []any
	}{
		{"both families, told once", "", []any{"zonal", `range: [10.144.0.0/20, "fd00:144::/48"], `, `[10.144.0.0/24, "fd00:144::/64"]`, "", `range: [10.145.0.0/20, "fd00:145::/48"], `, `[10.145.0.0/24, "fd00:145::/64"]`, "", `[10.144.0.10, "fd00:144::10"]`, `[10.145.0.10, "fd00:145::10"]`}},
		{"behind default routes", "", []any{"zonal", "range: 10.144.0.0/20, ", "10.144.0.0/24", gate, "range: 10.145.0.0/20, ", "10.145.0.0/24", gate, "10.144.0.10", "10.145.0.10"}},
		{"with routes that install themselves", "", []any{"regional", "", "10.144.0.0/24", "", "", "10.145.0.0/24", "", "10.144.0.10", "10.145.0.10"}},
		{"that overlap", "10.144.0.0/20 of network quay and 10.144.8.0/21 of network pier overlap", []any{"zonal", "range: 10.144.0.0/20, ", "10.144.0.0/24", "", "range: [10.145.0.0/20, 10.144.8.0/21], ", "10.145.0.0/24", "", "10.144.0.10", "10.145.0.10"}},
	} {
		e, findings := estate.Load(text.One("p", fmt.Sprintf(frame, c.fill...)))
		require.Empty(t, findings, c.name)
		ask := func(e *estate.Estate) *Answer {
			from, err := Find(e, "tides")
			require.NoError(t, err)
			to, err := Find(e, "fares")
			require.NoError(t, err)
			return Ask(e, Question{From: from, To: to, Flows: flow.Any()})
		}
		a := ask(e)
		require.NotEmpty(t, a.Blockers, c.name)
		if c.advice != "" {
			assert.Contains(t, a.Blockers[0].Fix(), c.advice, c.name)
			continue
		}
		require.NotEmpty(t, a.Blockers[0].Fixes[0].Edits, c.name)
		after, findings, err := e.With(text.Changes{{Edits: a.Blockers[0].Fixes[0].Edits}})
		require.NoError(t, err, c.name)
		require.Empty(t, findings, c.name)
		assert.Empty(t, ask(after).Blockers, c.name)
	}
}

// TestNoFixLeadsANATToItself asks for the way out of a workload that stands beside the NAT gateway of its network.
func TestNoFixLeadsANATToItself(t *testing.T) {
	e, findings := estate.Load(text.One("p", `wendrik: 1
networks:
  quay:
    range: 10.144.0.0/20
    subnets: {edge: {range: 10.144.1.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: edge, address: 10.144.1.9, public: 203.0.113.9}}
workloads: {tides: {in: quay/edge, address: 10.144.1.10}}
`))
	require.Empty(t, findings)
	from, err := Find(e, "tides")
	require.NoError(t, err)
	to, err := Find(e, "198.51.100.1")
	require.NoError(t, err)
	a := Ask(e, Question{From: from, To: to, Flows: flow.Any()})
	require.NotEmpty(t, a.Blockers)
	for _, b := range a.Blockers {
		assert.NotContains(t, b.Fix(), "via: out}")
	}
	assert.Contains(t, a.Blockers[0].Fix(), "via: front}")
}

// TestTheWayFromBirth: where a table drops what a network is born with a way for, the fix takes that out, since no route can name the way.
func TestTheWayFromBirth(t *testing.T) {
	e, findings := estate.Load(text.One("p", `wendrik: 1
profile: regional
regions: {west: [west-a]}
networks:
  quay:
    region: west
    subnets: {s: {region: west, range: 10.0.0.0/24}}
    tables: {t: {subnets: [s], routes: [{to: 0.0.0.0/0, via: blackhole}]}}
    groups: {g: {in: [any from any], out: [any to any]}}
workloads: {tides: {in: quay/s, address: 10.0.0.9, public: 203.0.113.9, groups: [g]}}
`))
	require.Empty(t, findings)
	from, err := Find(e, "internet")
	require.NoError(t, err)
	to, err := Find(e, "tides")
	require.NoError(t, err)
	a := Ask(e, Question{From: from, To: to, Flows: flow.Ports(443, 443)})
	require.Len(t, a.Blockers, 1)
	after, findings, err := e.With(text.Changes{{Edits: a.Blockers[0].Edits()}})
	require.NoError(t, err)
	require.Empty(t, findings)
	from, err = Find(after, "internet")
	require.NoError(t, err)
	to, err = Find(after, "tides")
	require.NoError(t, err)
	require.Equal(t, Open, Ask(after, Question{From: from, To: to, Flows: flow.Ports(443, 443)}).Verdict)
}
