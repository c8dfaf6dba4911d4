package estate

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
)

// wanted is an estate of which only what is wanted is said.
const wanted = `wendrik: 1
profile: {like: zonal, routes-for-some: true}
regions: {west: [west-a, west-b]}
space: {west: {block: 10.0.0.0/8, region: west}}
dhcp: {office: {dns: [dns, 198.51.100.53], ntp: [w]}}
networks:
  n:
    region: west
    range: 10.0.0.0/16
    dhcp: office
    tiers: {a: {access: public, hosts: 9}, b: {access: outbound, hosts: 9, public: assigned}}
    subnets: {a-a: {tier: a, zone: west-a, range: 10.0.0.0/24}, b-a: {tier: b, zone: west-a, range: 10.0.1.0/24}, b-b: {tier: b, zone: west-b, range: 10.0.2.0/24}}
    gateways: {door: {kind: internet}, nat: {kind: nat, in: a, public: assigned, address: 10.0.0.9}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: nat}, {to: quay, via: blackhole, only: g}]}, t: {subnets: [a, b-b], routes: []}}
    groups: {g: {in: [tcp/22 from quay], out: [any to n/b]}}
    lists: {l: {subnets: [b], in: [allow any from n/a-a], out: [allow any to berths]}}
  m: {region: west, from: west, size: /20, tiers: {c: {access: outbound, hosts: 9}}}
workloads:
  dns: {in: n/a, address: 10.0.0.4}
  w: {in: n/b, count: 2, addresses: [10.0.1.4, 10.0.2.4], groups: [g]}
  late: {in: m/c}
sites: {quay: {ranges: [10.212.0.0/16, 10.213.0.0/16], knows: [n, 10.9.0.0/16]}}
clusters: {berths: {in: n, pods: 10.220.0.0/16, services: 10.221.0.0/20}}
`

func TestStatement(t *testing.T) {
	e, findings := Load(text.One("p", wanted))
	require.Empty(t, findings)
	n := e.Network("n")
	assert.Equal(t, []string{"b-a", "b-b"}, []string{e.Workload("w-1").Subnet.Name, e.Workload("w-2").Subnet.Name}, "by the address")
	assert.Equal(t, "a-a", n.NATs()[0].In.Name)
	var table, listed []string
	for _, s := range n.Table("t").Subnets {
		table = append(table, s.Name)
	}
	for _, s := range n.Lists[0].Guards() {
		listed = append(listed, s.Name)
	}
	assert.Equal(t, []string{"a-a", "b-b"}, table, "a tier is all of its subnets")
	assert.Equal(t, []string{"b-a", "b-b"}, listed)
	assert.Len(t, n.Main.Some, 1, "two ranges side by side are one")
	assert.Equal(t, "quay (10.212.0.0/15), for group g", n.Main.Some[0].Leads())
	assert.Equal(t, "10.0.1.0/24", n.Groups[0].Out[0].Peer.Range.String(), "what has no block of its own is several")
	assert.Equal(t, []int{1, 1}, []int{n.Groups[0].Out[0].Nth, n.Groups[0].Out[1].Nth}, "which are one in the plan")
	assert.Equal(t, []string{"10.220.0.0/16", "10.221.0.0/20"}, []string{n.Lists[0].Out[0].Peer.Range.String(), n.Lists[0].Out[1].Peer.Range.String()})
	assert.Equal(t, "[10.9.0.0/16 10.0.0.0/16]", fmt.Sprint(e.Site("quay").Knows))
	assert.True(t, e.Workload("w-1").Assigned, "by its tier")
	assert.False(t, e.Workload("dns").Assigned)
	assert.NotEqual(t, e.Workload("w-1").Public, e.Workload("w-2").Public, "each has one of its own")
	assert.Equal(t, Host{Workload: e.Workload("w-1")}, e.Owner(e.Workload("w-1").Public[0]))
	assert.False(t, e.Outside.Overlaps(netip.MustParsePrefix("240.0.0.0/8")), "the internet has none of them")
	assert.Equal(t, []string{"dns", "198.51.100.53"}, []string{n.DHCP.DNS[0].Workload.Name, n.DHCP.DNS[1].Addr.String()})
	assert.Len(t, n.DHCP.NTP, 2, "all of a count")
	router, resolver, dhcp := n.Subnets[0].Served(netip.MustParsePrefix("10.0.0.0/24"))
	assert.Equal(t, "10.0.0.1 10.0.0.2 10.0.0.1", fmt.Sprint(router, " ", resolver, " ", dhcp))
	assert.Equal(t, "has no address yet", e.Workload("late").Waiting())
	require.NotEmpty(t, e.Waits)
}

// TestWaits: what another command gives is waited for, and a name that nothing gives is an error.
func TestWaits(t *testing.T) {
	for change, want := range map[string]string{
		"in: m/c} -> in: m/c-a}":                                "subnet m/c-a is not there: carve gives it",
		"in: m/c} -> in: m/c-x}":                                "!there is no subnet or tier named \"m/c-x\"",
		"[a, b-b] -> [a, m]":                                    "!there is no subnet of network n named \"m\"",
		"address: 10.0.0.9} -> owner: x}":                       "NAT gateway n/nat has no address: carve gives it",
		"[tcp/22 from quay] -> [tcp/22 from m/c]":               "tier m/c has no range: carve gives it",
		"[tcp/22 from quay] -> [tcp/22 from m]":                 "network m has no range: carve gives it",
		"[tcp/22 from quay] -> [tcp/22 from g]":                 "!\"g\" is a group, and the rule \"tcp/22 from g\" takes it for a range",
		"[tcp/22 from quay] -> [tcp/22 from nobody]":            "!there is no network, tier, subnet, site, cluster or block named \"nobody\"",
		"via: blackhole, only: g -> via: nat, only: h":          "!there is no group of network n named \"h\"",
		"routes-for-some: true -> routes-for-some: false":       "!under profile zonal a route is for all packets",
		"ntp: [w] -> ntp: [x]":                                  "!there is no workload named \"x\"",
		"dhcp: office\n -> dhcp: offic\n":                       "!there is no set of DHCP options named \"offic\"",
		"count: 2, -> ":                                         "!w has addresses and no count",
		"[10.0.1.4, 10.0.2.4] -> [10.0.1.4, 10.0.0.44]":         "!10.0.0.44 does not lie in a subnet of tier n/b",
		"  late: -> w-2: {in: n/a, address: 10.0.0.7}\n  late:": "!w-2",
		"size: /20, tiers: {c: {access: outbound, hosts: 9}} -> size: /20, tiers: {c: {access: outbound, hosts: 9}}, tables: {t: {subnets: [c], routes: [{to: 0.0.0.0/0, via: out}]}}": "network m has no gateway out: wire gives it",
		"size: /20, tiers: {c: {access: outbound, hosts: 9}} -> size: /20, tiers: {c: {access: closed, hosts: 9}}, tables: {t: {subnets: [c], routes: [{to: 0.0.0.0/0, via: out}]}}":   "!there is no gateway, peering, hub, site or workload named \"out\"",
	} {
		old, with, _ := strings.Cut(change, " -> ")
		require.Contains(t, wanted, old, change)
		content := strings.Replace(wanted, old, with, 1)
		if strings.HasPrefix(with, "w-2:") {
			content = strings.Replace(wanted, old, "  "+with, 1)
		}
		e, findings := Load(text.One("p", content))
		var told []string
		if message, wrong := strings.CutPrefix(want, "!"); wrong {
			want = message
			for _, f := range findings {
				told = append(told, f.Message)
			}
			require.NotEmpty(t, told, change)
		} else {
			require.Empty(t, findings, change)
			for _, f := range e.Waits {
				told = append(told, f.Message+": "+f.Fix())
			}
		}
		assert.Contains(t, strings.Join(told, "\n"), want, change)
	}
}

// TestTwoMeanings: one word for two things in one place is an error that names both.
func TestTwoMeanings(t *testing.T) {
	for _, more := range []string{"space: {quay: {block: 10.212.0.0/16}}\n", "clusters: {quay: {in: n, pods: 10.99.0.0/16}}\n"} {
		_, findings := Load(text.One("p", "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16, groups: {g: {in: [any from quay]}}}}\nsites: {quay: {ranges: 10.212.0.0/16}}\n"+more))
		require.Len(t, findings, 1, more)
		assert.Contains(t, findings[0].Message, `"quay" names both site quay and`)
	}
	_, findings := Load(text.One("p", "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16, tiers: {a: {hosts: 1}}, subnets: {a: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: n/a, address: 10.0.0.4}}\n"))
	require.Len(t, findings, 1)
	assert.Contains(t, findings[0].Message, `"a" names both a tier and a subnet of network n that is not of that tier`)
}

// A pattern that nobody takes may speak of the network that would.
func TestPatternThatNobodyTakes(t *testing.T) {
	_, problems := Load(text.One("wendrik.yaml", "wendrik: 1\npatterns:\n  db: {tiers: {data: {access: closed, hosts: 9}}, groups: {db: {in: [\"tcp/5432 from {network}/data\"], out: []}}, expect: [\"internet never reaches {network}/data\"]}\n"))
	assert.Empty(t, problems)
}
