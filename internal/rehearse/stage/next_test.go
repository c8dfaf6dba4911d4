package stage

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// ports are the names and numbers of all ports and bridges of a stage, by what they are.
func ports(s *Stage) map[string]string {
	all := map[string]string{}
	for _, n := range s.Nodes {
		for _, b := range n.Bridges {
			all[n.Name+" bridge "+b.Name] = fmt.Sprint(b.Number)
		}
		for _, p := range n.Ports {
			all[n.Name+" "+p.Name+" to "+p.Peer.Node.Name] = fmt.Sprint(p.Number)
		}
	}
	return all
}

// TestNextKeepsNames: what stays in the next stage has the names and numbers that it had, whatever comes or goes beside it, and no
// two have the same number.
func TestNextKeepsNames(t *testing.T) {
	const plan = `wendrik: 1
networks:
  pier:
    range: 10.144.0.0/20
    subnets: {a: {range: 10.144.0.0/24}, b: {range: 10.144.1.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: a, address: 10.144.0.200, public: 203.0.113.7}}
  quay: {range: 10.145.0.0/20, subnets: {c: {range: 10.145.0.0/24}}}
workloads:
  shop: {in: pier/a, address: 10.144.0.10}
  till: {in: pier/b, address: 10.144.1.10}
  crane: {in: quay/c, address: 10.145.0.10}
peerings: {p: {between: [pier, quay], accepted: [pier, quay]}}
sites: {hall: {ranges: 10.200.0.0/16, link: pier}}
`
	load := func(content string) *estate.Estate {
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		return e
	}
	everybody := func(*estate.Workload) bool { return true }
	outside := []netip.Addr{netip.MustParseAddr("198.51.100.9")}
	first := Build(load(plan), everybody, outside, nil)
	was := ports(first)
	for name, change := range map[string][2]string{
		"the same":                 {"", ""},
		"a workload before others": {"  shop:", "  buoy: {in: pier/a, address: 10.144.0.9}\n  shop:"},
		"a workload gone":          {"  till: {in: pier/b, address: 10.144.1.10}\n", ""},
		"a subnet before others":   {"{a: {range: 10.144.0.0/24}", "{z: {range: 10.144.2.0/24}, a: {range: 10.144.0.0/24}"},
		"a gateway gone":           {"front: {kind: internet}, ", ""},
		"a peering gone":           {"accepted: [pier, quay]", "accepted: [pier]"},
		"a site gone":              {", link: pier", ""},
		"another address":          {"10.144.1.10", "10.144.1.11"},
	} {
		next := first.Next(load(strings.Replace(plan, change[0], change[1], 1)), everybody, outside, nil)
		is := ports(next)
		seen := map[string]string{}
		stays := 0
		for what, number := range is {
			if old, had := was[what]; had {
				assert.Equal(t, old, number, "%s: %s", name, what)
				stays++
			}
			assert.Empty(t, seen[number], "%s: %s has the number of %s", name, what, seen[number])
			seen[number] = what
		}
		assert.GreaterOrEqual(t, stays, len(was)-5, name)
	}
}
