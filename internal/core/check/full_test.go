package check

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

const (
	zonal = "profile: zonal\nregions: {west: [west-a, west-b]}\n"
	// A network with a public subnet, a workload there that listens, and another.
	shop = "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\n"
)

// fullRows are pairs of plans: one that a rule finds something in, and one in which it nearly does.
var fullRows = []row{
	{"space: {s: {block: 10.0.0.0/8}, h: {block: 10.1.0.0/16, held: trains, within: s}}\nnetworks: {a: {range: 10.1.0.0/20}}", "held-space network a (10.1.0.0/20) lies in block h, which is held (trains)"},
	{"space: {s: {block: 10.0.0.0/8}, h: {block: 10.1.0.0/24, held: trains, within: s}}\nnetworks: {a: {range: 10.1.0.0/20}}", ""},
	{"space: {s: {block: 10.0.0.0/8}, t: {block: 10.1.0.0/16, within: s}}\nnetworks: {a: {range: 10.2.0.0/20}}", "idle-block nothing uses block t (10.1.0.0/16)"},
	{"space: {s: {block: 10.0.0.0/8}, t: {block: 10.1.0.0/16, within: s}}\nnetworks: {a: {range: 10.2.0.0/20}, b: {from: t, size: /24}}", ""},
	{"space: {s: {block: 10.0.0.0/24}}\nnetworks: {a: {range: 10.0.0.0/25}, b: {range: 10.0.0.128/26}, c: {range: 10.0.0.192/27}, d: {range: 10.0.0.224/28}}", "block-nearly-full block s (10.0.0.0/24) is nearly full: 16 of its 256 addresses are free"},
	{"space: {s: {block: 10.0.0.0/24}}\nnetworks: {a: {range: 10.0.0.0/25}, b: {range: 10.0.0.128/26}, c: {range: 10.0.0.192/27}}", ""},
	{"space: {s: {block: 10.0.0.0/24}}\nnetworks: {a: {range: 10.0.0.0/24}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/29}}}}\nworkloads: {w: {in: a/x, count: 6, addresses: [10.0.0.1, 10.0.0.2, 10.0.0.3, 10.0.0.4, 10.0.0.5, 10.0.0.6]}}", "nearly-full subnet a/x is full: 6 of its 6 addresses have an owner"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/29}}}}\nworkloads: {w: {in: a/x, count: 5, addresses: [10.0.0.1, 10.0.0.2, 10.0.0.3, 10.0.0.4, 10.0.0.5]}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {t: {hosts: 200, growth: 50%}}, subnets: {x: {tier: t, range: 10.0.0.0/24}}}}", "outgrown subnet x of tier a/t: room for 254 workloads, and the tier is to have 300 with its growth of 50%"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {t: {hosts: 200, growth: 25%}}, subnets: {x: {tier: t, range: 10.0.0.0/24}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {t: {hosts: 2, growth: 100%}}, subnets: {x: {tier: t, range: 10.0.0.0/29}}}}\nworkloads: {w: {in: a/x, count: 4, addresses: [10.0.0.1, 10.0.0.2, 10.0.0.3, 10.0.0.4]}}", "outgrown subnet x of tier a/t: room for 6 workloads, and the tier is to have 8"},
	{zonal + "networks: {a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 20}}, subnets: {x: {tier: t, zone: west-a, range: 10.0.0.0/25}, y: {tier: t, zone: west-b, range: 10.0.0.128/26}}}}", "no-zone-room network a has no room for one more zone: no free range is left for tier t (/25)"},
	{zonal + "networks: {a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 20}}, subnets: {x: {tier: t, zone: west-a, range: 10.0.0.0/26}, y: {tier: t, zone: west-b, range: 10.0.0.128/25}}}}", ""},
	{zonal + "networks: {a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 20, spare: 0}}, subnets: {x: {tier: t, zone: west-a, range: 10.0.0.0/25}, y: {tier: t, zone: west-b, range: 10.0.0.128/26}}}}", ""},
	{zonal + "networks: {a: {region: west, range: 10.0.0.0/20, tiers: {t: {hosts: 20}}, subnets: {x: {tier: t, zone: west-a, range: 10.0.0.0/25}}}}", "tier-in-one-zone tier a/t is in zone west-a alone"},
	{zonal + "networks: {a: {region: west, range: 10.0.0.0/20, tiers: {t: {hosts: 20, zones: [west-b]}}}}", "tier-in-one-zone tier a/t is in zone west-b alone"},
	{zonal + "networks: {a: {region: west, range: 10.0.0.0/20, tiers: {t: {hosts: 20}}}}", ""},

	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.0.0/17, via: blackhole}, {to: 10.1.128.0/17, via: blackhole}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}", "never-wins the route to 10.1.0.0/16 of table a/m never wins: 2 longer ones lead away all of it"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.0.0/17, via: blackhole}, {to: 10.1.128.0/18, via: blackhole}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [], out: []}}, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.0.0/17, via: blackhole, only: g}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}", "never-wins the route to 10.1.0.0/17, for group g of table a/m never wins: the group has no members"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: s, via: s}]}}}, b: {range: 10.2.0.0/16}}\nsites: {s: {ranges: 10.1.0.0/16, knows: [10.0.0.0/16, 10.2.0.0/16], link: a}}", "site-knows-more site s knows 10.2.0.0/16, and nothing that it is joined to has any of that"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: s, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: [10.0.0.0/16, 10.3.0.0/16], link: a}}", "site-knows-more site s knows 10.3.0.0/16, and nothing in the estate has any of that"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: s, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: [10.0.0.0/12], link: a}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: t, via: h}]}}}}\nsites: {t: {ranges: 10.1.0.0/16}}\nhubs: {h: {attach: {a: x, t: x}, tables: {x: {learns: [a, t]}}}}", "site-does-not-know network a leads packets to site t, and the site knows no way back to it"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: t, via: h}]}}}}\nsites: {t: {ranges: 10.1.0.0/16, knows: [a]}}\nhubs: {h: {attach: {a: x, t: x}, tables: {x: {learns: [a, t]}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: h}]}}}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: x, b: x}, tables: {x: {learns: [a, b]}}}}", "no-route-back network a leads packets over hub h to network b, and no table there leads replies back"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: h}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: a, via: h}]}}}}\nhubs: {h: {attach: {a: x, b: x}, tables: {x: {learns: [a, b]}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16}}\nsites: {s: {ranges: 10.1.0.0/16}}", "idle-site site s is joined to nothing"},
	{"networks: {a: {range: 10.0.0.0/16}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}", "idle-site no route leads over the link to site s"},
	{"networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}}}}", "idle-gateway nothing uses gateway a/g"},
	{"networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 192.0.2.0/24, via: g}]}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: x, address: 10.0.0.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [y], routes: [{to: 0.0.0.0/0, via: n}]}}}}", "stranded-nat NAT gateway n has no public address"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: x, address: 10.0.0.9, public: assigned}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [y], routes: [{to: 0.0.0.0/0, via: n}]}}}}", ""},
	{"networks: {a: {range: [10.0.0.0/16, \"2a00:1:5::/48\"], tiers: {w: {access: public}}, subnets: {x: {tier: w, range: [10.0.0.0/24, \"2a00:1:5::/64\"]}}, gateways: {g: {kind: internet}, s: {kind: egress}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}, {to: \"::/0\", via: s}]}}}}", "access tier a/w is public, and the tables of x lead all of a family to a gateway that lets nothing new in"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: h}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: a, via: h}]}}}}\nhubs: {h: {attach: {a: x, b: x}, tables: {x: {learns: [a, b]}}}, j: {tables: {x: {}}}}\nhub-links: {l: {between: [h, j], accepted: [h, j], tables: {h: x, j: x}}}", "idle-hub-link no route leads over hub link l"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: h}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: a, via: h}]}}}}\nhubs: {h: {attach: {a: x, b: x}, tables: {x: {learns: [a, b]}}}, j: {tables: {x: {routes: [{to: a, via: l}]}}}}\nhub-links: {l: {between: [h, j], accepted: [h, j], tables: {h: x, j: x}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/22 from any], out: []}}}}", "idle-group group a/g has no members, and nothing names it"},
	{shop + "workloads: {w: {in: a/x, address: 10.0.0.9, groups: r}, v: {in: a/x, address: 10.0.0.8, listens: tcp/443}}", "no-group workload v: in no group, so nothing comes in on tcp/443"},
	{shop + "workloads: {w: {in: a/x, address: 10.0.0.9, groups: r}, v: {in: a/x, address: 10.0.0.8}}", ""},
	{"dhcp: {big: {mtu: 9001}, small: {mtu: 1500}, none: {domain: x}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: big, tables: {m: {main: true, routes: [{to: b, via: p}]}}}, b: {range: 10.1.0.0/16, dhcp: small, tables: {m: {main: true, routes: [{to: a, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", "mtu-differs peering p joins network a, whose hosts take packets of 9001 bytes, to network b with 1500"},
	{"dhcp: {big: {mtu: 9001}, small: {mtu: 1500}, none: {domain: x}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: big, tables: {m: {main: true, routes: [{to: b, via: p}]}}}, b: {range: 10.1.0.0/16, dhcp: none, tables: {m: {main: true, routes: [{to: a, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", ""},
	{shop + "workloads: {w: {in: a/x, address: 10.0.0.9, groups: r, targets: []}}", "no-targets w hands flows on to nobody"},
	{shop + "workloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: tcp/443, targets: [v, u]}, v: {in: a/x, address: 10.0.0.8, groups: r}, u: {in: a/x, address: 10.0.0.7, groups: r}}", ""},
	{shop + "workloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: tcp/443, targets: [v]}, v: {in: a/x, address: 10.0.0.8, groups: r}}", "one-target w hands everything on to v alone"},

	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from any], out: [allow tcp/443 to any]}}}}", "!2"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from any], out: [deny tcp/8000-8100 to any, allow tcp to any]}}}}", "!2"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from 10.2.0.0/16], out: [allow tcp/32768-65535 to 10.2.0.0/16]}}}}", "no-reply-room the rule  allow tcp/443 from 10.2.0.0/16  of list a/l lets flows in, and no rule lets their replies (tcp/1024-32767) out to 10.2.0.0/16"},
	{"profile: {like: plain, reply-ports: 32768-65535}\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from 10.2.0.0/16], out: [allow tcp/32768-65535 to 10.2.0.0/16]}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from any, allow tcp/1024-65535 from any], out: [allow any to any]}}}}", ""},
	{strings.Replace(shop, "tcp/443", "tcp/22", 1) + "workloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}\nexpect: [internet reaches w on tcp/22]", ""},
	{strings.Replace(shop, "tcp/443", "tcp/22-23", 1) + "workloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}\nexpect: [internet reaches a on tcp/22]", "open-port group a/r lets the whole internet in on telnet (tcp/23)"},

	{"profile: {like: plain, max-routes: 1}\nnetworks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: blackhole}, {to: 10.2.0.0/16, via: blackhole}]}}}}", "too-many-routes table a/m has 2 routes, and a table may have 1"},
	{"profile: {like: plain, max-routes: 2}\nnetworks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: blackhole}, {to: 10.2.0.0/16, via: blackhole}]}}}}", ""},
	{"profile: {like: plain, max-rules: 1}\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow any from any], out: [allow tcp to any, allow udp to any]}}}}", "too-many-rules list a/l has 2 rules out, and it may have 1"},
	{"profile: {like: plain, max-rules: 2}\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow any from any], out: [allow tcp to any, allow udp to any]}}}}", ""},
	{"profile: {like: plain, peer-routes: true}\nnetworks: {a: {range: 10.0.0.0/16, profile: {max-peerings: 1}}, b: {range: 10.1.0.0/16}, c: {range: 10.2.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b]}, q: {between: [a, c], accepted: [a, c]}}", "too-many-peerings network a has 2 peerings, and a network may have 1"},
	{"profile: {like: plain, peer-routes: true}\nnetworks: {a: {range: 10.0.0.0/16, profile: {max-peerings: 2}}, b: {range: 10.1.0.0/16}, c: {range: 10.2.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b]}, q: {between: [a, c], accepted: [a, c]}}", ""},

	{"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}}}\nexpect: [a never reaches b]", "untried \"a never reaches b\" was not tried: nothing was tried, because a has no workload to try"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}, b: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}}}\nexpect: [a never reaches b]", ""},
}

// TestFullRules tries them.
func TestFullRules(t *testing.T) {
	for _, c := range fullRows {
		e, problems := estate.Load(text.One("p", "wendrik: 1\n"+c.content+"\n"))
		require.Empty(t, problems, c.content)
		var found []string
		for _, f := range Run(e) {
			assert.NotEmpty(t, f.Fix(), f.Message)
			assert.True(t, f.At.Known())
			found = append(found, string(f.Code)+" "+f.Message)
		}
		switch c.want {
		case "":
			assert.Empty(t, found, c.content)
		case "!2":
			assert.Len(t, found, 2, "of each direction: %v", found)
		default:
			if assert.Len(t, found, 1, "%s\n%q", c.content, found) {
				assert.Contains(t, found[0], c.want, c.content)
			}
		}
	}
}

// TestWaive silences findings at places, until a day, and finds waivers that silence nothing.
func TestWaive(t *testing.T) {
	const plan = "wendrik: 1\nnetworks: {a: {range: 10.0.0.0/16, groups: {g: {in: [], out: []}, h: {in: [], out: []}}, gateways: {front: {kind: internet}}}, b: {range: 10.1.0.0/16, gateways: {front: {kind: internet}}}}\n"
	today := time.Date(2031, 3, 31, 23, 0, 0, 0, time.UTC)
	for _, c := range []struct {
		waive    string
		findings []string
		waived   int
	}{
		{"", []string{"idle-group", "idle-group", "idle-gateway", "idle-gateway"}, 0},
		{"{rule: idle-gateway, at: a, because: x}", []string{"idle-group", "idle-group", "idle-gateway"}, 1},
		{"{rule: idle-gateway, at: a/front, because: x}, {rule: idle-group, at: networks.a.groups, because: y}", []string{"idle-gateway"}, 3},
		{"{rule: idle-gateway, at: networks.a.gateways.front, because: x, until: 2031-03-31}", []string{"idle-group", "idle-group", "idle-gateway"}, 1},
		{"{rule: idle-gateway, at: a, because: x, until: 2031-03-30}", []string{"idle-group", "idle-group", "idle-gateway", "idle-gateway", "waives-nothing what rule idle-gateway finds at a was waived until 2031-03-30, and that has passed"}, 0},
		{"{rule: idle-site, at: a, because: x}", []string{"idle-group", "idle-group", "idle-gateway", "idle-gateway", "waives-nothing rule idle-site finds nothing at a, so there is nothing to waive"}, 0},
		{"{rule: idle-grup, at: a, because: x}", []string{"idle-group", "idle-group", "idle-gateway", "idle-gateway", "waives-nothing there is no rule idle-grup to waive"}, 0},
		{"{rule: idle-group, at: a/gg, because: x}", []string{"idle-group", "idle-group", "idle-gateway", "idle-gateway", "waives-nothing rule idle-group finds nothing at a/gg"}, 0},
	} {
		e, problems := estate.Load(text.One("p", plan+"waive: ["+c.waive+"]\n"))
		require.Empty(t, problems, c.waive)
		findings, waived := Judge(e, today)
		assert.Len(t, waived, c.waived, c.waive)
		if assert.Len(t, findings, len(c.findings), c.waive) {
			for i, f := range findings {
				assert.Contains(t, string(f.Code)+" "+f.Message, c.findings[i], c.waive)
			}
		}
	}
}
