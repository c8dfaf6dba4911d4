package carve

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// carveText carves a plan and gives the ranges by name: booking, and booking/web-a.
func carveText(t *testing.T, content string) (map[string]string, *Result) {
	t.Helper()
	r := Estate(estatetest.Load(t, content))
	got := map[string]string{}
	for _, n := range r.Networks {
		got[n.Name] = n.Range.String()
	}
	for _, s := range r.Subnets {
		got[s.Network+"/"+s.Name] = s.Range.String()
	}
	return got, r
}

// written carves a plan, writes the result into it, and checks that carving that again changes nothing.
func written(t *testing.T, content string) string {
	t.Helper()
	e := estatetest.Load(t, content)
	r := Estate(e)
	require.Empty(t, r.Misfits)
	after, _, err := e.Plan.Files.First().Apply(r.Changes.Edits())
	require.NoError(t, err)
	again := Estate(estatetest.Load(t, string(after)))
	require.False(t, again.New(), "carving twice changes something: %v\n%s", again.Changes, after)
	require.Len(t, again.Subnets, len(r.Subnets))
	return string(after)
}

const zonal = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b, west-c]}
space:
  cloud: {block: 10.144.0.0/12}
  west: {block: 10.144.0.0/14, within: cloud}
  kept: {block: 10.144.16.0/20, within: west, held: a data room}
networks:
`

func TestZonalNetwork(t *testing.T) {
	got, r := carveText(t, zonal+`  booking:
    region: west
    from: west
    size: /20
    tiers: {web: {hosts: 120}, app: {hosts: 400}, data: {hosts: 60}}
  harbour: {region: west, from: west, size: /20, tiers: {web: {hosts: 11}, tiny: {hosts: 1, spare: 0, zones: [west-b]}}}
  high: {from: cloud, size: /14}
`)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{
		"booking": "10.144.0.0/20", "harbour": "10.144.32.0/20", "high": "10.148.0.0/14", // beside the held block; beside the block west
		"booking/app-a": "10.144.0.0/23", "booking/app-b": "10.144.2.0/23", "booking/app-c": "10.144.4.0/23",
		"booking/web-a": "10.144.8.0/25", "booking/web-b": "10.144.8.128/25", "booking/web-c": "10.144.9.0/25",
		"booking/data-a": "10.144.10.0/25", "booking/data-b": "10.144.10.128/25", "booking/data-c": "10.144.11.0/25", // 64 addresses keep 59
		"harbour/web-a": "10.144.32.0/28", "harbour/web-b": "10.144.32.16/28", "harbour/web-c": "10.144.32.32/28",
		"harbour/tiny-b": "10.144.32.64/28", // the smallest that the profile takes
	}, got)
	assert.Equal(t, "web-a", r.Subnets[0].Name, "in the order of the plan")
	assert.Equal(t, "10.144.8.4 10.144.8.126 123", fmt.Sprint(r.Subnets[0].First, " ", r.Subnets[0].Last, " ", r.Subnets[0].Usable))
}

func TestRegionalNetworks(t *testing.T) {
	content := `wendrik: 1
profile: regional
regions: {west: [west-a], north: [north-a]}
space: {cloud: {block: 10.144.0.0/20}}
networks:
  one: {region: [west, north], from: cloud, tiers: {web: {hosts: 252}, app: {size: /25}}}
  two: {region: west, from: cloud, tiers: {web: {hosts: 253}}}
  hand: {region: west, subnets: {a: {range: 10.144.0.0/24}}}
`
	got, r := carveText(t, content)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{
		"one/web-west": "10.144.2.0/24", "one/web-north": "10.144.3.0/24", "one/app-west": "10.144.1.0/25", "one/app-north": "10.144.1.128/25",
		"two/web-west": "10.144.4.0/23", "hand/a": "10.144.0.0/24",
	}, got)
	written(t, content)
}

func TestPlainNetwork(t *testing.T) {
	got, r := carveText(t, "wendrik: 1\nnetworks: {lan: {range: 10.0.0.0/24, tiers: {desk: {hosts: 29}, lab: {hosts: 1}}}}\n")
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{"lan": "10.0.0.0/24", "lan/desk": "10.0.0.0/27", "lan/lab": "10.0.0.32/30"}, got)
}

func TestSubnetsThePlanNames(t *testing.T) {
	content := zonal + `  booking:
    region: west
    range: 10.144.0.0/22
    tiers: {web: {hosts: 50}}
    subnets:
      mine: {range: 10.144.0.0/26}
      web-b: {tier: web, zone: west-b}
      extra: {tier: web, zone: west-b}
`
	got, r := carveText(t, content)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{
		"booking": "10.144.0.0/22", "booking/mine": "10.144.0.0/26",
		"booking/web-a": "10.144.2.0/26", "booking/web-b": "10.144.2.64/26", "booking/web-c": "10.144.2.128/26", "booking/extra": "10.144.2.192/26",
	}, got)
	after := written(t, content)
	assert.Contains(t, after, "web-b: {tier: web, zone: west-b, range: 10.144.2.64/26}\n")
}

// TestNetworkAroundItsSubnets gives a range to a network whose subnets were written by hand before.
func TestNetworkAroundItsSubnets(t *testing.T) {
	content := zonal + `  first: {from: west, size: /22}
  booking:
    region: west
    from: west
    size: /20
    tiers: {web: {hosts: 120}}
    subnets: {web-a: {tier: web, zone: west-a, range: 10.144.0.0/24}, other: {range: 10.144.3.0/24}}
`
	got, r := carveText(t, content)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{"first": "10.144.32.0/22", "booking": "10.144.0.0/20", "booking/web-a": "10.144.0.0/24",
		"booking/other": "10.144.3.0/24", "booking/web-b": "10.144.1.0/24", "booking/web-c": "10.144.2.0/24"}, got, "as large as the one that is there")
	written(t, content)
	_, r = carveText(t, strings.Replace(content, "10.144.3.0/24", "10.145.3.0/24", 1))
	require.Len(t, r.Misfits, 1)
	assert.Contains(t, r.Misfits[0].Message, "no free /20 of block west holds all subnets and addresses that network booking has (10.144.0.0/24, 10.145.3.0/24)")
}

func TestGrowthAndSizes(t *testing.T) {
	got, r := carveText(t, zonal+`  a:
    region: west
    range: 10.0.0.0/20
    tiers: {web: {hosts: 100, growth: 50%}, app: {size: /26}}
    subnets: {app-b: {tier: app, zone: west-b, size: /24}, lone: {size: /28}}
`)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{"a": "10.0.0.0/20", "a/web-a": "10.0.0.0/24", "a/web-b": "10.0.1.0/24", "a/web-c": "10.0.2.0/24", // 150 and 5 reserved
		"a/app-b": "10.0.4.0/24", "a/app-a": "10.0.5.0/26", "a/app-c": "10.0.5.64/26", "a/lone": "10.0.8.0/28"}, got)
	assert.Contains(t, r.Subnets[0].Why, "100 hosts, 150 with growth, and 5 reserved addresses fit into a /24")
}

func TestSlots(t *testing.T) {
	content := zonal + `  first: {from: west, size: /20}
  third: {from: west, size: /20, slot: 3}
  a:
    region: west
    range: 10.0.0.0/20
    tiers: {web: {size: /26, slot: 2}, app: {size: /26}, data: {size: /26, spare: 0}}
    subnets: {lone: {size: /24, slot: 0}, data-b: {tier: data, zone: west-b, slot: 63}}
`
	got, r := carveText(t, content)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{"first": "10.144.0.0/20", "third": "10.144.48.0/20", "a": "10.0.0.0/20", "a/lone": "10.0.0.0/24",
		"a/web-a": "10.0.2.0/26", "a/web-b": "10.0.2.64/26", "a/web-c": "10.0.2.128/26", // the third /24
		"a/app-a": "10.0.1.0/26", "a/app-b": "10.0.1.64/26", "a/app-c": "10.0.1.128/26",
		"a/data-b": "10.0.15.192/26", "a/data-a": "10.0.15.128/26", "a/data-c": "10.0.15.0/26"}, got)
	after := written(t, content)
	assert.Contains(t, after, "data-b: {tier: data, zone: west-b, slot: 63, range: 10.0.15.192/26}")

	for change, want := range map[string]string{
		"size: /20, slot: 3 -> size: /20, slot: 1":               "slot 1 of network third is 10.144.16.0/20, and that is not free in block west",
		"size: /20, slot: 3 -> size: /20, slot: 64":              "block west has no piece number 64 of /20 for network third",
		"slot: 63 -> slot: 64":                                   "network a has no piece number 64 of /26 for subnet data-b",
		"size: /26, slot: 2 -> size: /26, slot: 0":               "slot 0 of tier web is 10.0.0.0/24 in network a, and that is not free",
		"spare: 0 -> spare: 0, slot: 0":                          "slot 0 of tier data is 10.0.0.0/24 in network a, and that is not free",
		"slot: 2}, app: {size: /26 -> slot: 2}, app: {size: /20": "no room for tier app",
	} {
		old, new, _ := strings.Cut(change, " -> ")
		require.Contains(t, content, old)
		_, r := carveText(t, strings.Replace(content, old, new, 1))
		require.NotEmpty(t, r.Misfits, change)
		assert.Contains(t, r.Misfits[0].Message, want, change)
	}
}

func TestZonesSideBySide(t *testing.T) {
	content := zonal + `  a:
    region: west
    range: 10.0.0.0/20
    layout: zones
    tiers: {web: {hosts: 100}, app: {hosts: 200}}
    held: {tills: {for: card terminals, size: /26}}
`
	got, r := carveText(t, content)
	require.Empty(t, r.Misfits)
	want := map[string]string{"a": "10.0.0.0/20", "a/app-a": "10.0.0.0/24", "a/web-a": "10.0.1.0/25", "a/app-b": "10.0.2.0/24", "a/web-b": "10.0.3.0/25",
		"a/app-c": "10.0.4.0/24", "a/web-c": "10.0.5.0/25"}
	assert.Equal(t, want, got)
	assert.Equal(t, "10.0.8.0/26", r.Held[0].Range.String())
	require.Len(t, r.Aggregates, 4)
	assert.Equal(t, "zone west-b 10.0.2.0/23 128", fmt.Sprint(r.Aggregates[1].Name, " ", r.Aggregates[1].Block, " ", r.Aggregates[1].Free))
	after := written(t, content)
	assert.Contains(t, after, "tills: {for: card terminals, range: 10.0.8.0/26}")
	// A tier that is added goes into each zone's block, and a zone behind the others.
	after = strings.Replace(after, "app: {hosts: 200}", "app: {hosts: 200}, data: {hosts: 50}", 1)
	after = written(t, strings.Replace(after, "west-c]", "west-c, west-d]", 1))
	got, _ = carveText(t, after)
	for name, r := range want {
		assert.Equal(t, r, got[name], "%s moved", name)
	}
	assert.Equal(t, []string{"10.0.1.128/26", "10.0.3.128/26", "10.0.5.128/26", "10.0.6.0/24"}, []string{got["a/data-a"], got["a/data-b"], got["a/data-c"], got["a/app-d"]})

	_, r = carveText(t, strings.Replace(content, "10.0.0.0/20", "10.0.0.0/22", 1))
	require.NotEmpty(t, r.Misfits)
	assert.Contains(t, r.Misfits[0].Message, "no room for 3 zones of /23 side by side and 0 more: it needs a /21 (2048 addresses)")
}

func TestBothFamilies(t *testing.T) {
	content := `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
space: {all: {block: [10.144.0.0/12, "fd3a:5e11:c0de::/48"]}}
networks:
  a:
    region: west
    from: all
    size: /20
    size6: /56   # gone with the size
    tiers: {web: {hosts: 100}, app: {hosts: 100, zones: [west-b]}}
  b:
    region: west
    range: 10.150.0.0/20
    from: all
    size6: /56
    tiers: {web: {hosts: 100}}
    subnets: {web-a: {tier: web, zone: west-a, range: 10.150.0.0/25}}
  six: {region: west, range: "fd3a:5e11:c0de:ff00::/62", tiers: {t: {spare: 0}}}
`
	after := written(t, content)
	for _, line := range []string{
		"    range: [10.144.0.0/20, fd3a:5e11:c0de::/56]\n    tiers",
		"web-a: {tier: web, zone: west-a, range: [10.144.0.0/25, fd3a:5e11:c0de::/64]}",
		"web-b: {tier: web, zone: west-b, range: [10.144.0.128/25, fd3a:5e11:c0de:1::/64]}",
		"app-b: {tier: app, zone: west-b, range: [10.144.2.0/25, fd3a:5e11:c0de:4::/64]}",
		"    range: [10.150.0.0/20, fd3a:5e11:c0de:100::/56]\n    from: all\n    tiers",
		"web-a: {tier: web, zone: west-a, range: [10.150.0.0/25, fd3a:5e11:c0de:100::/64]}",
		"web-b: {tier: web, zone: west-b, range: [10.150.0.128/25, fd3a:5e11:c0de:101::/64]}",
		"t-b: {tier: t, zone: west-b, range: fd3a:5e11:c0de:ff01::/64}",
	} {
		assert.Contains(t, after, line)
	}
	assert.NotContains(t, after, "size6")
	_, r := carveText(t, strings.Replace(content, "ff00::/62", "ff00::/64", 1))
	require.Len(t, r.Misfits, 1)
	assert.Contains(t, r.Misfits[0].Message, "tier t, 2 subnets of /64 and room for 0 more: it needs a /63 (36893488147419103232 addresses)")
}

func TestNaming(t *testing.T) {
	content := strings.Replace(zonal, "networks:", "naming: \"{tier}-{zone}-{slot}\"\nnetworks:", 1) + `  a: {region: west, range: 10.0.0.0/20, tiers: {web: {size: /24}}}
  b: {region: west, range: 10.1.0.0/20, naming: "{network}-{region}-{tier}{zone}", tiers: {web: {size: /24, zones: [west-b]}}, subnets: {b-west-webb: {range: 10.1.15.0/24}}}
`
	got, r := carveText(t, content)
	require.Empty(t, r.Misfits)
	assert.Equal(t, map[string]string{"a": "10.0.0.0/20", "b": "10.1.0.0/20", "a/web-a-0": "10.0.0.0/24", "a/web-b-1": "10.0.1.0/24", "a/web-c-2": "10.0.2.0/24",
		"b/b-west-webb": "10.1.15.0/24", "b/b-west-webb-2": "10.1.0.0/24"}, got)
}

func TestWhatIsTaken(t *testing.T) {
	e := estatetest.Load(t, zonal+`  a: {from: west, size: /20}
  b: {region: west, range: 10.0.0.0/22, tiers: {web: {size: /24, spare: 0, zones: [west-a]}}, held: {h: {for: x, range: 10.0.1.0/24}}}
clusters: {c: {in: b, pods: 10.0.2.0/24}}
`)
	r := Estate(e, space.Taken{Range: netip.MustParsePrefix("10.144.0.0/18")}, space.Taken{Range: netip.MustParsePrefix("10.0.0.64/26")})
	require.Empty(t, r.Misfits)
	assert.Equal(t, "10.144.64.0/20", r.Networks[0].Range.String())
	assert.Equal(t, "10.0.3.0/24", r.Subnets[0].Range.String(), "past what is taken, held, and a cluster's")
}

// TestAdditionsMoveNothing adds a zone, then a tier, then a network to a carved plan.
func TestAdditionsMoveNothing(t *testing.T) {
	content := written(t, zonal+`  booking: {region: west, from: west, size: /20, tiers: {web: {hosts: 120}, app: {hosts: 400}}}
`)
	before, _ := carveText(t, content)
	for _, c := range []struct{ old, new string }{
		{"west-c]", "west-c, west-d]"},
		{"app: {hosts: 400}", "app: {hosts: 400}, data: {hosts: 60}"},
		{"networks:\n", "networks:\n  crew: {region: west, from: west, size: /18, tiers: {web: {hosts: 9}}}\n"},
		{"west-d]", "west-d, west-e]"},
	} {
		require.Contains(t, content, c.old)
		content = written(t, strings.Replace(content, c.old, c.new, 1))
		after, _ := carveText(t, content)
		for name, r := range before {
			require.Equal(t, r, after[name], "%s moved", name)
		}
		require.Greater(t, len(after), len(before))
		before = after
	}
	assert.Equal(t, "10.144.6.0/23", before["booking/app-d"], "in the room that was kept for it")
	assert.Equal(t, "10.144.9.128/25", before["booking/web-d"])
}

// TestWishes: room for another zone is left where it fits, given up where it does not, the largest first, and held to where
// it was written.
func TestWishes(t *testing.T) {
	const tiers = "tiers: {web: {hosts: 60}, app: {hosts: 400}, data: {hosts: 40}}"
	_, r := carveText(t, zonal+"  a: {region: west, range: 10.0.0.0/19, "+tiers+"}\n")
	assert.Empty(t, r.Misfits)
	assert.Empty(t, r.Notes)
	_, r = carveText(t, zonal+"  a: {region: west, range: 10.0.0.0/20, "+tiers+"}\n")
	assert.Empty(t, r.Misfits)
	assert.Empty(t, r.Notes)
	_, r = carveText(t, zonal+"  a: {region: west, range: 10.0.0.0/21, "+strings.Replace(tiers, "400", "200", 1)+"}\n")
	assert.Empty(t, r.Misfits)
	_, r = carveText(t, zonal+"  a: {region: west, range: [10.0.0.0/23, 10.0.4.0/24, 10.0.6.0/25, 10.0.7.0/26], tiers: {web: {hosts: 20}, app: {hosts: 200}}}\n")
	assert.Empty(t, r.Misfits)
	assert.Equal(t, []string{"network a has no room for another zone in tier app: write  spare:  there to hold to it"}, r.Notes)
	_, r = carveText(t, zonal+"  a: {region: west, range: [10.0.0.0/23, 10.0.4.0/24, 10.0.6.0/25, 10.0.7.0/26], tiers: {web: {hosts: 20}, app: {hosts: 200, spare: 1}}}\n")
	require.Len(t, r.Misfits, 1)
	assert.Contains(t, r.Misfits[0].Message, "no room for tier app")
}

func TestMisfits(t *testing.T) {
	for _, c := range []struct{ networks, code, message, fix string }{
		{"  a: {from: west, size: /13}\n", "no-room", "it needs a /13 (524288 addresses), and the largest free block is a /15 (131072): 393216 addresses are missing", "enlarge the block"},
		{"  a: {from: kept, size: /24}\n", "block-held", "block kept is held (a data room)", "not held"},
		{"  a: {region: west, range: 10.0.0.0/24, tiers: {t: {}}}\n", "no-size", "neither hosts nor size", "hosts: 100"},
		{"  a: {region: west, range: 10.0.0.0/24, tiers: {t: {size: /29}}}\n", "size-limit", "a subnet of /29 is outside what profile zonal takes", "from /16 to /28"},
		{"  a: {region: west, range: 10.0.0.0/8, tiers: {t: {hosts: 70000}}}\n", "size-limit", "need a /15", "up to 65531"},
		{"  a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 59}}}\n", "", "", ""},
		{"  a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 60}}}\n", "no-room", "3 subnets of /25 and room for 1 more: it needs a /23 (512 addresses), and the largest free block is a /24 (256): 256 addresses are missing", "enlarge the network"},
		{"  a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 60, zones: [west-a, west-b]}}}\n", "", "", ""},
		{"  a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 60, zones: [west-a, west-b], spare: 1}}}\n", "no-room", "2 subnets of /25 and room for 2 more", "spare: 0"},
		{"  a: {region: west, range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/24}}, tiers: {t: {hosts: 1}}}\n", "no-room", "nothing is free: 64 addresses are missing", ""},
		{"  a: {region: west, range: 10.0.0.0/26, subnets: {u-a: {tier: u, zone: west-a, range: 10.0.0.0/28}, u-b: {tier: u, zone: west-b, range: 10.0.0.16/28}, u-c: {tier: u, zone: west-c, range: 10.0.0.32/28}},\n     tiers: {u: {hosts: 1, spare: 1}, t: {hosts: 1, zones: [west-a], spare: 0}}}\n",
			"no-room", "nothing is free", "write  spare: 0  at tier u to give that up"},
		{"  a: {range: 10.0.0.0/24, tiers: {t: {hosts: 1}}}\n", "no-zones", "its subnets live in zones, and network a has none", "region:"},
		{"  a: {range: 10.0.0.0/24, subnets: {s: {}}}\n", "no-size", "subnet s of network a has no range, and neither size nor tier", "size:  or  tier:"},
		{"  a: {profile: regional, region: west, tiers: {t: {hosts: 1}}}\n", "no-range", "nothing that its subnets could be carved from", "from:"},
		{"  a: {profile: regional, region: west, from: kept, tiers: {t: {hosts: 1}}}\n", "block-held", "is held", ""},
	} {
		_, r := carveText(t, zonal+c.networks)
		if c.code == "" {
			assert.Empty(t, r.Misfits, c.networks)
			continue
		}
		if !assert.Len(t, r.Misfits, 1, "%s: %v", c.networks, r.Misfits) {
			continue
		}
		m := r.Misfits[0]
		assert.Equal(t, c.code, string(m.Code), c.networks)
		assert.Contains(t, m.Message, c.message, c.networks)
		assert.Contains(t, m.Fix(), c.fix, c.networks)
		assert.True(t, m.At.Known(), c.networks)
	}
}

// TestAgainstBruteForce carves random demands from a space of 64 addresses. Whenever any arrangement of aligned ranges
// exists, carving must find one; and what it finds must be aligned, inside, and clear of all else.
func TestAgainstBruteForce(t *testing.T) {
	rng := rand.New(rand.NewPCG(11, 12))
	space := netip.MustParsePrefix("10.0.0.0/26")
	for range 1500 {
		var content strings.Builder
		content.WriteString("wendrik: 1\nspace:\n  all: {block: 10.0.0.0/26}\n")
		var taken []netip.Prefix
		for i := range rng.IntN(3) {
			length := 28 + rng.IntN(4)
			p, _ := address.Piece(space, length, uint64(rng.IntN(1<<(length-26))))
			taken = append(taken, p)
			fmt.Fprintf(&content, "  held-%d: {block: %s, held: yes}\n", i, p)
		}
		content.WriteString("networks:\n")
		var sizes []int
		for i := range 1 + rng.IntN(4) {
			size := 27 + rng.IntN(5)
			sizes = append(sizes, size)
			fmt.Fprintf(&content, "  n%d: {from: all, size: /%d}\n", i, size)
		}
		r := Estate(estatetest.Load(t, content.String()))
		possible := fits(space, taken, sizes)
		require.Equal(t, possible, len(r.Misfits) == 0, "%s", content.String())
		for _, n := range r.Networks {
			require.True(t, address.Covers(space, n.Range), content.String())
			require.Equal(t, n.Range.Masked(), n.Range)
			for _, other := range taken {
				require.False(t, n.Range.Overlaps(other), "%s over %s in\n%s", n.Range, other, content.String())
			}
			taken = append(taken, n.Range)
		}
	}
}

// fits tries every place for every size, one after another.
func fits(space netip.Prefix, taken []netip.Prefix, sizes []int) bool {
	if len(sizes) == 0 {
		return true
	}
	for i := range uint64(1) << (sizes[0] - space.Bits()) {
		p, _ := address.Piece(space, sizes[0], i)
		if !slices.ContainsFunc(taken, p.Overlaps) && fits(space, append(slices.Clone(taken), p), sizes[1:]) {
			return true
		}
	}
	return false
}

// TestTiersAsProperties carves random networks and checks what every answer must have.
func TestTiersAsProperties(t *testing.T) {
	rng := rand.New(rand.NewPCG(13, 14))
	zones := []string{"west-a", "west-b", "west-c", "west-d"}
	for range 300 {
		some := zones[:1+rng.IntN(4)]
		var content strings.Builder
		fmt.Fprintf(&content, "wendrik: 1\nprofile: zonal\nregions: {west: [%s]}\nspace: {all: {block: 10.0.0.0/8}}\nnetworks:\n  a:\n    region: west\n    from: all\n    size: /%d\n    tiers:\n",
			strings.Join(some, ", "), 16+rng.IntN(4))
		hosts := map[string]int{}
		for i := range 1 + rng.IntN(5) {
			name := fmt.Sprintf("t%d", i)
			hosts[name] = 1 + rng.IntN(1<<rng.IntN(9))
			fmt.Fprintf(&content, "      %s: {hosts: %d}\n", name, hosts[name])
		}
		r := Estate(estatetest.Load(t, content.String()))
		require.Empty(t, r.Misfits, content.String())
		network := r.Networks[0].Range
		byTier := map[string][]netip.Prefix{}
		for i, s := range r.Subnets {
			require.True(t, address.Covers(network, s.Range))
			require.GreaterOrEqual(t, s.Usable.Int64(), int64(hosts[s.Tier]))
			half := address.Usable(netip.PrefixFrom(s.Range.Addr(), s.Range.Bits()+1), 4, 1)
			require.True(t, half.Int64() < int64(hosts[s.Tier]) || s.Range.Bits() == 28, "%s is larger than %d hosts need", s.Range, hosts[s.Tier])
			for _, other := range r.Subnets[:i] {
				require.False(t, s.Range.Overlaps(other.Range))
			}
			byTier[s.Tier] = append(byTier[s.Tier], s.Range)
		}
		require.Len(t, byTier, len(hosts))
		require.Len(t, r.Aggregates, len(hosts))
		for _, aggregate := range r.Aggregates {
			tier := strings.TrimPrefix(aggregate.Name, "tier ")
			mine := byTier[tier]
			require.Len(t, mine, len(some), "one subnet for each zone")
			require.Positive(t, aggregate.Free.Cmp(address.Count(mine[0]).Sub(address.Count(mine[0]), big.NewInt(1))), "room for another zone")
			for name, ranges := range byTier {
				for _, p := range ranges {
					require.Equal(t, name == tier, aggregate.Block.Overlaps(p), "the block of a tier is its own")
				}
			}
		}
		written(t, content.String())
	}
}

// TestHosts gives addresses to what has none: spread over a tier's subnets, of each family that these have, past what is
// reserved and taken, and to NAT gateways that name a tier.
func TestHosts(t *testing.T) {
	const plan = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
networks:
  n:
    region: west
    range: [10.0.0.0/16, "fd00:1::/48"]
    tiers: {a: {size: /28}, b: {size: /28}}
    subnets:
      a-a: {tier: a, zone: west-a, range: [10.0.0.0/28, "fd00:1::/64"]}
      a-b: {tier: a, zone: west-b, range: [10.0.0.16/28, "fd00:1:0:1::/64"]}
    gateways: {one: {kind: nat, in: a}, two: {kind: nat, in: n/a}}
workloads:
  x: {in: n/a, count: 3, addresses: [[10.0.0.21, "fd00:1:0:1::5"]]}
  y: {in: n/a-a}
  z: {in: n/b-a}
`
	e, findings := estate.Load(text.One("p", plan))
	require.Empty(t, findings)
	r := Estate(e)
	require.Empty(t, r.Misfits)
	got := map[string]string{}
	for _, a := range r.Addresses {
		got[a.Name] = fmt.Sprint(a.Subnet, " ", a.Addrs)
	}
	assert.Equal(t, map[string]string{
		"n/one": "n/a-a [10.0.0.4]", "n/two": "n/a-a [10.0.0.5]",
		"x-2": "n/a-a [10.0.0.6 fd00:1::6]", "x-3": "n/a-a [10.0.0.7 fd00:1::7]",
		"y": "n/a-a [10.0.0.8 fd00:1::8]", "z": "n/b-a [10.0.0.68 fd00:1:0:4::4]",
	}, got)
	after, findings, err := e.With(r.Changes)
	require.NoError(t, err)
	require.Empty(t, findings)
	assert.Empty(t, after.Waits)
	assert.Empty(t, Estate(after).Changes, "twice is once")

	e, findings = estate.Load(text.One("p", strings.Replace(plan, "count: 3", "count: 30", 1)))
	require.Empty(t, findings)
	r = Estate(e)
	require.NotEmpty(t, r.Misfits)
	assert.Contains(t, r.Misfits[0].Message, "gets no address: the 2 subnets of tier n/a are full")
	assert.Contains(t, r.Misfits[0].Fix(), "count fewer")
}

// TestSizeFollows: a network that says no size gets the smallest range in which all that it is to hold is carved, with the zones that its tiers
// leave room for; growth doubles it or more, and what is written is the range alone.
func TestSizeFollows(t *testing.T) {
	for seed := range fuzz.Rounds(60, 400) {
		rng := rand.New(rand.NewPCG(seed, 94))
		var tiers, more []string
		for i := range 1 + rng.IntN(4) {
			tiers = append(tiers, fmt.Sprintf("t%d: {hosts: %d%s%s}", i, 1+rng.IntN(500), []string{"", ", growth: 70%"}[rng.IntN(2)], []string{"", ", spare: 0", ", spare: 2"}[rng.IntN(3)]))
		}
		if rng.IntN(2) == 0 {
			more = append(more, fmt.Sprintf("held: {h: {for: x, size: /%d}}, subnets: {odd: {zone: west-a, size: /%d}}, ", 22+rng.IntN(6), 22+rng.IntN(6)))
		}
		if rng.IntN(3) == 0 {
			more = append(more, "layout: zones, ")
		}
		carved := func(says string) *Result {
			plan := fmt.Sprintf("wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b, west-c]}\nspace: {west: {block: 10.0.0.0/8}}\nnetworks:\n  n: {region: west, from: west, %s%stiers: {%s}}\n", says, strings.Join(more, ""), strings.Join(tiers, ", "))
			return Estate(estatetest.Load(t, plan))
		}
		r := carved("")
		require.Empty(t, r.Misfits, "seed %d", seed)
		require.Empty(t, r.Notes, "seed %d", seed)
		size := r.Networks[0].Range.Bits()
		smaller := carved(fmt.Sprintf("size: /%d, ", size+1))
		require.NotZero(t, len(smaller.Misfits)+len(smaller.Notes), "seed %d: a /%d would do, and it got a /%d", seed, size+1, size)
		grown := carved("growth: 100%, ")
		require.Equal(t, size-1, grown.Networks[0].Range.Bits(), "seed %d", seed)
		after, problems, err := estatetest.Load(t, "wendrik: 1\nspace: {s: {block: 10.0.0.0/8}}\nprofile: zonal\nregions: {w: [w-a]}\nnetworks: {n: {region: w, from: s, growth: 20%, tiers: {t: {hosts: 9}}}}\n").With(Estate(estatetest.Load(t, "wendrik: 1\nspace: {s: {block: 10.0.0.0/8}}\nprofile: zonal\nregions: {w: [w-a]}\nnetworks: {n: {region: w, from: s, growth: 20%, tiers: {t: {hosts: 9}}}}\n")).Changes)
		require.NoError(t, err)
		require.Empty(t, problems)
		require.Len(t, after.Networks[0].Ranges, 1)
	}
}

// TestSizeFollowsNot: of which no size can be told gets no range by it: what carves from its block itself, what says the size of one family, and
// what a block has no IPv4 for.
func TestSizeFollowsNot(t *testing.T) {
	for plan, want := range map[string]string{
		"profile: regional\nspace: {w: {block: 10.0.0.0/16}}\nregions: {r: [r-a]}\nnetworks: {n: {region: r, from: w, tiers: {t: {hosts: 9}}}}":                                      "",
		"space: {w: {block: [10.0.0.0/16, \"fd00::/48\"]}}\nnetworks: {n: {from: w, size6: /56, tiers: {t: {hosts: 9}}}}":                                                            "fd00::/56",
		"space: {w: {block: \"fd00::/48\"}}\nnetworks: {n: {from: w, tiers: {t: {hosts: 9}}}}":                                                                                       "",
		"space: {w: {block: 10.0.0.0/16}}\nnetworks: {n: {from: w, tiers: {t: {}}}}":                                                                                                 "",
		"space: {w: {block: 10.0.0.0/16}}\nnetworks: {n: {from: w, size: /24, tiers: {t: {hosts: 9}}}}":                                                                              "10.0.0.0/24",
		"space: {w: {block: 10.0.0.0/16}}\nnetworks: {n: {from: w, growth: 150%, subnets: {x: {size: /26}}}}":                                                                        "10.0.0.0/24",
		"space: {w: {block: 10.0.0.0/16}}\nnetworks: {n: {from: w, growth: 100%, subnets: {x: {size: /26}}}, m: {from: w, held: {h: {for: x, size: /25}}}, k: {from: w, size: /24}}": "10.0.1.0/25 10.0.1.128/25 10.0.0.0/24",
	} {
		r := Estate(estatetest.Load(t, "wendrik: 1\n"+plan+"\n"))
		var got []string
		for _, n := range r.Networks {
			got = append(got, n.Range.String())
		}
		assert.Equal(t, want, strings.Join(got, " "), plan)
	}
}
