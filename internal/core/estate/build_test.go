package estate

import (
	"fmt"
	"net/netip"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
)

// ground is a small estate that binds without a problem; the tests below add to it or put something else in its place.
const ground = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
space: {west: {block: 10.144.0.0/14}}
networks:
  booking:
    region: west
    range: 10.144.0.0/20
    tiers: {web: {access: public, hosts: 20}}
    subnets:
      web-a: {tier: web, zone: west-a, range: 10.144.0.0/24}
      web-b: {tier: web, zone: west-b, range: 10.144.1.0/24}
    gateways:
      front: {kind: internet}
      out: {kind: nat, in: web-a, address: 10.144.0.9, public: 203.0.113.9}
    groups: {web: {in: [tcp/443 from any]}}
  harbour: {region: west, range: 10.148.0.0/20}
workloads:
  ticket-1: {in: booking/web-a, address: 10.144.0.10, public: 203.0.113.20, groups: [web]}
peerings:
  both: {between: [booking, harbour], accepted: [booking, harbour]}
`

func load(t *testing.T, content string) (*Estate, []diag.Finding) {
	t.Helper()
	return Load(text.One("wendrik.yaml", content))
}

func TestGroundHasNoProblem(t *testing.T) {
	e, findings := load(t, ground)
	require.Empty(t, findings)
	n := e.Network("booking")
	assert.Equal(t, n.Subnet("web-a"), n.SubnetOf(netip.MustParseAddr("10.144.0.77")))
	assert.Nil(t, n.SubnetOf(netip.MustParseAddr("10.144.2.1")))
	assert.Equal(t, "ticket-1", n.Host(netip.MustParseAddr("10.144.0.10")).Name())
	assert.Equal(t, "booking/out", e.Owner(netip.MustParseAddr("203.0.113.9")).Name())
	assert.Equal(t, "main", n.Subnet("web-a").Table.Name)
	assert.True(t, n.Subnet("web-a").ByDefault)
	first, last := n.Profile.Ends(netip.MustParsePrefix("10.144.0.0/24"))
	assert.Equal(t, "10.144.0.4 10.144.0.254", fmt.Sprint(first, " ", last))
}

func TestBlockWithinItself(t *testing.T) {
	_, findings := load(t, "wendrik: 1\nspace: {a: {block: 10.0.0.0/8, within: b}, b: {block: 10.0.0.0/8, within: a}}\n")
	require.NotEmpty(t, findings)
	assert.Equal(t, blockLoop, findings[0].Code)
}

func TestProfilesDecideHowNetworksBehave(t *testing.T) {
	e, findings := load(t, `wendrik: 1
profile: regional
networks:
  one: {subnets: {a: {range: 10.0.0.0/24}, b: {range: 10.0.2.0/24}}, tables: {t: {subnets: b, routes: [{to: 0.0.0.0/0, via: blackhole}]}}}
  two: {subnets: {a: {range: 10.0.1.0/24}}}
  three: {profile: {like: plain, reserved-first: 7}, range: 10.1.0.0/16, subnets: {a: {range: 10.1.0.0/24}}}
peerings:
  p: {between: [one, two], accepted: [one, two]}
  q: {between: [one, three], accepted: [one]}
`)
	require.Empty(t, findings)
	one := e.Network("one")
	assert.Equal(t, []netip.Prefix{netip.MustParsePrefix("10.0.0.0/24"), netip.MustParsePrefix("10.0.2.0/24")}, one.Ranges)
	via := func(n *Network, subnet, to string) string {
		r := n.Subnet(subnet).Table.Lookup(netip.MustParseAddr(to))
		if r == nil {
			return "none"
		}
		return fmt.Sprint(r.ViaName(), " ", r.Origin)
	}
	assert.Equal(t, fmt.Sprint(" ", Local), via(one, "a", "10.0.2.9"))
	assert.Equal(t, fmt.Sprint("p ", Learned), via(one, "a", "10.0.1.9"), "a peer's subnets are learned")
	assert.Equal(t, fmt.Sprint("internet ", Birth), via(one, "a", "10.1.0.9"), "half a peering teaches nothing")
	assert.Equal(t, fmt.Sprint("blackhole ", ByHand), via(one, "b", "10.1.0.9"), "by hand beats birth")
	assert.Equal(t, "none", via(e.Network("three"), "a", "10.0.0.9"))
	first, _ := e.Network("three").Profile.Ends(netip.MustParsePrefix("10.1.0.0/24"))
	assert.Equal(t, "10.1.0.7", first.String())
}

// TestNetworkWithoutRange has the ranges of its subnets until it is carved.
func TestNetworkWithoutRange(t *testing.T) {
	e, findings := load(t, "wendrik: 1\nspace: {s: {block: 10.0.0.0/8}}\nnetworks: {a: {from: s, size: /20, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.2.0/24}, z: {}}}}\n")
	require.Empty(t, findings)
	n := e.Network("a")
	assert.True(t, n.Holds(netip.MustParseAddr("10.0.2.9")))
	assert.False(t, n.Holds(netip.MustParseAddr("10.0.1.9")))
	assert.Equal(t, Local, n.Main.Lookup(netip.MustParseAddr("10.0.0.1")).Origin)
}

func TestExampleBinds(t *testing.T) {
	raw, err := os.ReadFile("../../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	_, findings := load(t, string(raw))
	assert.Empty(t, findings)
}

// TestPatterns: a plan with patterns, counts and names comes to the estate that it comes to when all is spelt out.
func TestPatterns(t *testing.T) {
	const short = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
patterns:
  base: {tiers: {data: {access: closed, hosts: 9}}, groups: {all: {in: [any from any], out: [any to any]}}}
  service:
    pattern: base
    tiers: {app: {access: outbound, hosts: 20}}
    gateways: {front: {kind: internet}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: front}, {to: "{network}-far", via: blackhole}]}}
    groups: {db: {in: ["tcp/5432 from {network}/app"], out: []}}
    expect: ["internet never reaches {network}/data"]
networks:
  one: {pattern: service, region: west, range: 10.0.0.0/16, tiers: {app: {hosts: 40}}, subnets: {app-a: {tier: app, zone: west-a, range: 10.0.1.0/26}, app-b: {tier: app, zone: west-b, range: 10.0.1.64/26}, data-a: {tier: data, zone: west-a, range: 10.0.2.0/28}}}
  two: {pattern: base, region: west, range: 10.1.0.0/16, groups: {all: {out: []}}}
sites: {one-far: {ranges: 10.9.0.0/16}}
workloads:
  w: {in: one/app, count: 2, addresses: [10.0.1.4, 10.0.1.68], groups: [all]}
  d: {in: one/data, address: 10.0.2.4, groups: [db]}
`
	const long = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
networks:
  one:
    region: west
    range: 10.0.0.0/16
    tiers: {data: {access: closed, hosts: 9}, app: {access: outbound, hosts: 40}}
    subnets: {app-a: {tier: app, zone: west-a, range: 10.0.1.0/26}, app-b: {tier: app, zone: west-b, range: 10.0.1.64/26}, data-a: {tier: data, zone: west-a, range: 10.0.2.0/28}}
    gateways: {front: {kind: internet}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: front}, {to: 10.9.0.0/16, via: blackhole}]}}
    groups: {all: {in: [any from any], out: [any to any]}, db: {in: [tcp/5432 from 10.0.1.0/25], out: []}}
  two:
    region: west
    range: 10.1.0.0/16
    tiers: {data: {access: closed, hosts: 9}}
    groups: {all: {in: [any from any], out: []}}
sites: {one-far: {ranges: 10.9.0.0/16}}
workloads:
  w-1: {in: one/app-a, address: 10.0.1.4, groups: [all]}
  w-2: {in: one/app-b, address: 10.0.1.68, groups: [all]}
  d: {in: one/data-a, address: 10.0.2.4, groups: [db]}
expect: [internet never reaches one/data]
`
	describe := func(content string) string {
		e, findings := Load(text.One("p", content))
		require.Empty(t, findings)
		require.Empty(t, e.Waits)
		var b strings.Builder
		for _, n := range e.Networks {
			fmt.Fprintln(&b, n.Name, n.Ranges, len(n.Gateways))
			for _, x := range n.Tiers {
				fmt.Fprintln(&b, x.Name, x.Plan.Access.Value, x.Plan.Hosts.Value)
			}
			for _, x := range n.Tables {
				for _, r := range x.Routes {
					fmt.Fprintln(&b, x.Name, r.To, r.ViaName(), r.Origin)
				}
			}
			for _, g := range n.Groups {
				for _, r := range slices.Concat(g.In, g.Out) {
					fmt.Fprintln(&b, g.Name, r.Flows, r.Peer.Any, r.Peer.Range)
				}
			}
		}
		for _, w := range e.Workloads {
			fmt.Fprintln(&b, w.Name, w.Index, w.Subnet.ID(), w.Addrs, len(w.Groups))
		}
		for _, x := range e.Plan.Expect {
			fmt.Fprintln(&b, x.Text)
		}
		return b.String()
	}
	assert.Equal(t, describe(long), describe(short))
	for change, want := range map[string]string{
		"pattern: base, region -> pattern: bas, region":                                       "there is no pattern named \"bas\"",
		"base: {tiers -> base: {pattern: service, tiers":                                      "takes its shape from itself",
		"count: 2, -> count: 3, addresses: [10.0.1.9], x: 1, ":                                "\"x\" is not a key",
		"d: {in -> w-2: {in: one/app, address: 10.0.1.9}\n  d: {in":                           "w-2 is already the name of one of w",
		"count: 2, -> count: 1,":                                                              "w counts 1, and has 2 addresses",
		"in: one/data, address: 10.0.2.4 -> in: one/data, address: 10.0.1.9":                  "does not lie in a subnet of tier one/data",
		"sites: {one-far: {ranges: 10.9.0.0/16}} -> sites: {one-away: {ranges: 10.9.0.0/16}}": "no network, tier, subnet, site, cluster or block named \"one-far\"",
		"sites: {one-far -> space: {one-far: {block: 10.9.0.0/16}}\nsites: {one-far":          "names both site one-far and block one-far",
	} {
		old, new, _ := strings.Cut(change, " -> ")
		require.Contains(t, short, old)
		_, findings := Load(text.One("p", strings.Replace(short, old, new, 1)))
		require.NotEmpty(t, findings, change)
		found := false
		for _, f := range findings {
			found = found || strings.Contains(f.Message, want)
		}
		assert.True(t, found, "%s: %v", change, findings)
	}
}
