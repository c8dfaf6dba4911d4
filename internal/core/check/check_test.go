package check

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

const regions = "regions: {west: [west-a], north: [north-a]}\n"

// row is a plan, and the one thing that is found in it; nothing where that is empty.
type row struct{ content, want string }

var rows = []row{
	{"networks: {a: {range: 10.0.0.0/8}, b: {range: 100.64.0.0/10}, c: {range: fd3a::/48}, d: {range: \"2a00:1::/32\"}}", ""},
	{"networks: {a: {range: 192.0.2.0/24, subnets: {s: {range: 192.0.2.0/28}}}}", "special-range network a uses 192.0.2.0/24, and that is set aside for documentation (RFC 5737)"},
	{"networks: {a: {range: 224.1.0.0/16}}", "special-range network a uses 224.1.0.0/16, and that is set aside for multicast (RFC 5771)"},
	{"networks: {a: {range: 127.0.0.0/16}}", "set aside for loopback (RFC 1122)"},
	{"networks: {a: {range: \"fe80::/64\"}}", "set aside for link-local unicast (RFC 4291)"},
	{"networks: {a: {range: \"2001:db8::/48\"}}", "set aside for documentation (RFC 3849)"},
	{"space: {s: {block: 169.254.0.0/16}}\nnetworks: {a: {range: 169.254.0.0/24}}", "special-range block s uses 169.254.0.0/16, and that is set aside for link-local (RFC 3927)"},
	{"networks: {a: {range: 192.0.0.0/16}}", "special-range network a uses 192.0.0.0/16, and 192.0.0.0/29 in it is set aside"},
	{"networks: {a: {range: 9.0.0.0/8, subnets: {s: {range: 9.1.0.0/24}}}}", "public-range network a uses 9.0.0.0/8, which is public space"},
	{"networks: {a: {range: 172.0.0.0/8}}", "public-range network a uses 172.0.0.0/8"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: s, via: s}]}}}}\nsites: {s: {ranges: 9.0.0.0/8, knows: a, link: a}}", ""},
	{"networks: {a: {range: 10.0.0.0/16}}\nclusters: {c: {in: a, pods: 198.18.0.0/16}}", "special-range cluster c (pods) uses 198.18.0.0/16"},

	{"labels-required: [owner, purpose]\nnetworks: {a: {range: 10.0.0.0/16, owner: x}}", "labels network a has no label purpose"},
	{"labels-required: [owner, purpose]\nnetworks: {a: {range: 10.0.0.0/16, owner: x, labels: {purpose: y}}}", ""},
	{"patterns: {p: {tiers: {t: {hosts: 1}}}}\nnetworks: {a: {range: 10.0.0.0/16}}", "idle no network takes pattern p"},
	{"patterns: {p: {tiers: {t: {hosts: 1}}}}\nnetworks: {a: {range: 10.0.0.0/16, pattern: p}}", ""},
	{"dhcp: {d: {dns: [w, 10.0.0.4]}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: d, groups: {g: {in: [\"udp/53,tcp/53 from any\"], out: [any to any]}}, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/s, address: 10.0.0.4, groups: g}, v: {in: a/s, address: 10.0.0.5}}", ""},
	{"dhcp: {d: {dns: w, ntp: w}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: d, groups: {g: {in: [udp/53 from any, udp/123 from any], out: [any to any]}}, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/s, address: 10.0.0.4, groups: g}, v: {in: a/s, address: 10.0.0.5}}", "server-unreachable v does not reach name server w on tcp/53, udp/53, which network a names by DHCP: no rule of group g"},

	{"space: {s: {block: 10.0.0.0/9}}\nnetworks: {a: {range: 10.0.0.0/16}, b: {range: 10.200.0.0/16}, c: {range: fd3a::/48}}", "outside-space network b (10.200.0.0/16) lies in no block of space"},
	{"space: {s: {block: 10.0.0.0/9}}\nprofile: regional\nnetworks: {a: {subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.128.0.0/24}}}}", "outside-space subnet a/y (10.128.0.0/24) lies in no block"},
	{regions + "space: {all: {block: 10.0.0.0/8}, w: {block: 10.0.0.0/9, region: west}, h: {block: 10.0.0.0/24, held: x}}\nnetworks: {a: {region: west, range: 10.0.0.0/16}}", ""},
	{regions + "space: {all: {block: 10.0.0.0/8}, w: {block: 10.0.0.0/9, region: west}, p: {block: 10.1.0.0/16, within: w}}\nnetworks: {a: {region: north, range: 10.1.0.0/24}}",
		"other-region network a (10.1.0.0/24) is in region north, and block w is for region west"},

	{regions + "profile: zonal\nnaming: \"{tier}-{zone}\"\nnetworks: {a: {region: west, range: 10.0.0.0/16, tiers: {web: {}}, subnets: {web-a: {tier: web, zone: west-a, range: 10.0.0.0/24}, web-a-2: {tier: web, zone: west-a, range: 10.0.1.0/24}}}}", ""},
	{regions + "profile: zonal\nnaming: \"{tier}-{zone}\"\nnetworks: {a: {region: west, range: 10.0.0.0/16, tiers: {web: {}}, subnets: {web-one: {tier: web, zone: west-a, range: 10.0.0.0/24}}}}",
		"naming subnet a/web-one is not named by the pattern {tier}-{zone}"},
	{"naming: \"{tier}-{slot}\"\nnetworks: {a: {range: 10.0.0.0/16, tiers: {web: {}}, subnets: {web-8: {tier: web, range: 10.0.9.0/24}}}}", "naming subnet a/web-8 is not named"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {slot: 3, range: 10.0.3.0/24}, y: {slot: 3, range: 10.0.4.0/24}}}}", "slot subnet a/y (10.0.4.0/24) is piece number 4 of its size, and its slot says 3"},
	{"space: {s: {block: 10.0.0.0/8}}\nnetworks: {a: {from: s, slot: 3, range: 10.5.0.0/16}}", "slot network a (10.5.0.0/16) is piece number 5"},
	{"profile: zonal\nnetworks: {a: {range: 10.0.0.0/16, tiers: {web: {hosts: 9}}}}", "no-zones the subnets of network a live in zones, and it has none"},
	{"regions: {west: []}\nprofile: zonal\nnetworks: {a: {range: 10.0.0.0/16, region: west, tiers: {web: {hosts: 9}}}}", "no-zones the subnets of network a live in zones, and it has none"},
	{regions + "profile: zonal\nnetworks: {a: {range: 10.0.0.0/16, region: west, tiers: {web: {hosts: 9}}}, b: {range: 10.1.0.0/16, profile: plain, tiers: {web: {hosts: 9}}}}", ""},
	{"profile: zonal\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.3.0/29}}}}", "subnet-size subnet a/x (10.0.3.0/29) is of a size that profile zonal does not take"},
}

// TestRules tries each rule on a plan that breaks it and on one that does not.
func TestRules(t *testing.T) {
	for _, c := range rows {
		e, problems := estate.Load(text.One("p", "wendrik: 1\n"+c.content+"\n"))
		require.Empty(t, problems, c.content)
		found := Run(e)
		if c.want == "" {
			assert.Empty(t, found, c.content)
			continue
		}
		if assert.Len(t, found, 1, "%s: %v", c.content, found) {
			assert.Contains(t, fmt.Sprint(found[0].Code, " ", found[0].Message), c.want)
			assert.NotEmpty(t, found[0].Fix())
			assert.True(t, found[0].At.Known())
		}
	}
}

func TestTopics(t *testing.T) {
	e, problems := estate.Load(text.One("p", "wendrik: 1\nspace: {s: {block: 10.0.0.0/8, held: x}}\nnetworks: {a: {range: 9.0.0.0/16, subnets: {x: {slot: 3, range: 9.0.4.0/24}}}}\n"))
	require.Empty(t, problems)
	assert.Len(t, Run(e), 3)
	assert.Len(t, Run(e, Ranges), 1)
	assert.Len(t, Run(e, Space, Names), 2)
	seen := map[diag.Code]bool{}
	for _, r := range Rules {
		assert.NotEmpty(t, r.Doc)
		assert.False(t, seen[r.Code], "the code %s stands for two rules", r.Code)
		seen[r.Code] = true
		broken := func(x row) bool { return strings.HasPrefix(x.want, string(r.Code)+" ") }
		_, example := Examples[r.Code]
		assert.True(t, example || slices.ContainsFunc(slices.Concat(rows, wiringRows, fullRows), broken) || r.Code == waivesNothing.Code, "no plan breaks rule %s", r.Code)
	}
}

// TestExamples: each rule has a plan in which it finds something, and one in which it does not.
func TestExamples(t *testing.T) {
	for _, r := range Rules {
		x, found := Examples[r.Code]
		if !assert.True(t, found || r.Code == waivesNothing.Code, "rule %s has no example", r.Code) || !found {
			continue
		}
		for _, c := range []struct {
			content string
			finds   bool
		}{{x.Breaks, true}, {x.Keeps, false}} {
			e, problems := estate.Load(text.One("p", "wendrik: 1\n"+c.content+"\n"))
			assert.Empty(t, problems, "%s: %s", r.Code, c.content)
			is := slices.ContainsFunc(Run(e), func(f diag.Finding) bool { return f.Code == r.Code })
			assert.Equal(t, c.finds, is, "%s: %s", r.Code, c.content)
		}
	}
}

// TestRefused: what no cloud takes is told before anything is built; ranges that touch, or are of networks that are not joined, are no such.
func TestRefused(t *testing.T) {
	t.Parallel()
	for _, c := range []row{
		{"networks: {a: {range: [10.0.0.0/16, 10.1.0.0/16], subnets: {s: {range: 10.0.0.0/24}, t: {range: 10.0.1.0/24}}}, b: {range: 10.0.0.0/16}}", ""},
		{"networks: {a: {range: [10.0.0.0/16, 10.0.4.0/24]}}", "conflict network a (10.0.0.0/16) and network a (10.0.4.0/24) overlap"},
		{"networks: {a: {range: [\"fd3a::/48\", \"fd3a::/56\"]}}", "conflict network a (fd3a::/48) and network a (fd3a::/56) overlap"},
		{"networks: {a: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/20}, t: {range: 10.0.1.0/24}, u: {range: 10.0.2.0/24}}}}", "conflict subnet a/s (10.0.0.0/20) and subnet a/t (10.0.1.0/24) overlap\nconflict subnet a/s (10.0.0.0/20) and subnet a/u (10.0.2.0/24) overlap"},
		{"networks: {a: {range: \"fd3a::/48\", subnets: {s: {range: [\"fd3a::/64\", \"fd3a:0:0:1::/64\"]}}}}", "two-ranges subnet a/s has fd3a::/64 and fd3a:0:0:1::/64, and a cloud's subnet has one range of a family"},
		{"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.0.8.0/24}}\npeerings: {p: {between: [a, b]}}", "conflict networks a (10.0.0.0/16) and b (10.0.8.0/24) overlap, and peering p joins them"},
		{"profile: zonal\nregions: {west: [west-a]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {x: {zone: west-a, range: 10.0.3.0/29}}}}", "subnet-size subnet a/x (10.0.3.0/29) is of a size that profile zonal does not take"},
		{"profile: {like: plain, max-rules: 1, max-routes: 1}\nnetworks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/1 from any, tcp/2 from any]}}, tables: {m: {routes: [{to: 10.1.0.0/16, via: blackhole}, {to: 10.2.0.0/16, via: blackhole}]}}}}",
			"too-many-routes table a/m has 2 routes, and a table may have 1\ntoo-many-rules group a/g has 2 rules in, and it may have 1"},
	} {
		e, problems := estate.Load(text.One("p", "wendrik: 1\n"+c.content))
		require.Empty(t, problems, c.content)
		var got []string
		for _, f := range Refused(e) {
			got = append(got, string(f.Code)+" "+f.Message)
		}
		slices.Sort(got)
		assert.Equal(t, c.want, strings.Join(got, "\n"), c.content)
	}
}
