package check

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

var wiringRows = []row{
	{"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.0.0.0/17}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.0.0.0/17, via: s}]}}}}\nsites: {s: {ranges: 10.0.0.0/17, knows: 10.0.0.0/16, link: a}}", "conflict network a (10.0.0.0/16) and site s (10.0.0.0/17) overlap"},
	{"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a]}}", "half-joined peering p is not accepted by b"},
	{"networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet, attached: false}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}", "not-attached the route to 0.0.0.0/0 leads to gateway g"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {w: {}}, subnets: {x: {tier: w, range: 10.0.0.0/24}, y: {tier: w, range: 10.0.1.0/24}}, tables: {t: {subnets: [x], routes: []}}}}", "left-on-main-table subnet a/y is left on the main table"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {w: {}}, subnets: {x: {tier: w, range: 10.0.0.0/24}, y: {tier: w, range: 10.0.1.0/24}}, tables: {t: {subnets: [x, y], routes: []}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {w: {access: public}}, subnets: {x: {tier: w, range: 10.0.0.0/24}}}}", "access tier a/w is public, and the tables of x have no route to an internet gateway"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {w: {access: outbound}}, subnets: {x: {tier: w, range: 10.0.0.0/24}}}}", "access tier a/w is outbound, and the tables of x have no default route"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {w: {access: closed}}, subnets: {x: {tier: w, range: 10.0.0.0/24}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {w: {access: closed}}, subnets: {x: {tier: w, range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}", "access tier a/w is closed, and the tables of x lead all of the internet, or a large part of it, to a gateway"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: p}]}}}, b: {range: 10.1.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", "no-route-back network a leads packets over peering p, and no table of network b leads replies back"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: p}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: 10.0.0.0/24, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.2.0.0/16, via: p}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: 10.0.0.0/24, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", "dead-route the route to 10.2.0.0/16 leads over p, and network b has nothing of that range"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: s}]}}}}\nsites: {s: {ranges: 10.9.0.0/16, link: a}}", "site-does-not-know network a leads packets to site s"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: s}]}}}}\nsites: {s: {ranges: 10.9.0.0/16, knows: 10.0.0.0/8, link: a}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, gateways: {g: {kind: nat, in: x, address: 10.0.0.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: []}, o: {subnets: [y], routes: [{to: 0.0.0.0/0, via: g}]}}}}", "stranded-nat NAT gateway g sits in subnet a/x"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: nat, in: x, address: 10.0.0.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}", "nat-loop NAT gateway g sits in subnet a/x, whose table leads 0.0.0.0/0 back to it"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, z: {range: 10.0.2.0/24}}, gateways: {g: {kind: nat, in: x, address: 10.0.0.9}, h: {kind: nat, in: y, address: 10.0.1.9}}, tables: {m: {main: true, routes: []}, z: {subnets: [z], routes: [{to: 10.9.0.0/16, via: g}]}, x: {subnets: [x], routes: [{to: 10.9.0.0/16, via: h}]}}}}", "nat-loop NAT gateway g sits in subnet a/x, whose table leads 10.9.0.0/16 to NAT gateway h, which translates once more"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9}}", "idle-public workload w has the public address 203.0.113.9"},
	{"networks: {a: {range: 10.0.0.0/16, lists: {l: {subnets: [], in: [allow any from any], out: []}}}}", "idle list a/l guards no subnet"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, tables: {m: {main: true, routes: []}, t: {subnets: [], routes: []}}}}", "idle table a/t is for no subnet"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}", "way-out tier a/app is outbound, and table a/m leads 0.0.0.0/0 straight to the internet gateway"},
	{"networks: {a: {range: 10.0.0.0/16, tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: y, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: n}]}, y: {subnets: [y], routes: [{to: 0.0.0.0/0, via: g}]}}}}", ""},
	{"profile: {like: regional, implicit-out: true}\nnetworks: {a: {tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}}}}", "way-out tier a/app is outbound, and no NAT gateway serves subnet a/x, so it leaves by an address of the cloud's choosing"},
	{"profile: regional\nnetworks: {a: {tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}}}}", "way-out tier a/app is outbound, and no NAT gateway serves subnet a/x, so nothing of it gets out"},
	{"profile: regional\nnetworks: {a: {tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}}, gateways: {n: {kind: nat, serves: [x], public: 203.0.113.9}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16}, exit: {range: 10.1.0.0/16, tables: {t: {routes: []}}}}\nhubs: {h: {attach: {a: s, exit: b}, tables: {s: {routes: [{to: 0.0.0.0/0, via: exit}]}, b: {learns: [a]}}}}", "passes-nothing-on table h/s leads 0.0.0.0/0 to network exit, which delivers what is in its own ranges and passes nothing on"},
	{"networks: {a: {range: 10.0.0.0/16}, exit: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}, tables: {t: {routes: []}}}}\nhubs: {h: {attach: {a: s, exit: {table: b, arrives: t}}, tables: {s: {routes: [{to: 0.0.0.0/0, via: exit}]}, b: {learns: [a]}}}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/22 from group h, tcp/23 from group g], out: []}, h: {in: [], out: []}}, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: g}}", "empty-group the rule  tcp/22 from group h  matches nothing"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/22 from any, deny any from 10.0.0.0/8, allow tcp from 10.2.0.0/16], out: [allow any to any]}}}}", "shadowed-rule nothing gets to the rule  allow tcp from 10.2.0.0/16,  because line 2 has decided already:  deny any from 10.0.0.0/8"},
	{"profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}", ""},
	{"profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, nat: per-zone, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}", "other-zone subnet a/x-a is in zone west-a and leaves by NAT gateway n of zone west-b"},
	{"profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}, h: {kind: nat, in: p-a, address: 10.0.0.9, public: 203.0.113.8}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}", "other-zone subnet a/x-a is in zone west-a and leaves by NAT gateway n of zone west-b"},
	{"profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}\nworkloads: {door: {in: a/p-a, address: 10.0.0.7, targets: [u, v]}, u: {in: a/p-a, address: 10.0.0.8}, v: {in: a/p-a, address: 10.0.0.10}}", "one-zone door hands flows on to workloads in zone west-a alone"},
	{"profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}\nworkloads: {door: {in: a/p-a, address: 10.0.0.7, targets: [u, v]}, u: {in: a/p-a, address: 10.0.0.8}, v: {in: a/p-b, address: 10.0.1.10}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/22-23 from 0.0.0.0/0], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", "open-port group a/r lets the whole internet in on ssh (tcp/22) and telnet (tcp/23), and the internet gets to workload w"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/22 from 203.0.113.0/24], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [udp/22 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/22 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [any from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", "wide-open group a/r lets everything in from everywhere:  any from any"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [any from 10.0.0.0/16], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", ""},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/80 from 10.0.0.0/24, tcp from 10.0.0.0/16], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", "needless-rule the rule  tcp/80 from 10.0.0.0/24  of group a/r is needless beside  tcp from 10.0.0.0/16"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/80 from group r, tcp/80 from any, \"tcp/80 from ::/0\", tcp/81 from 10.0.0.0/16, tcp/81 from 10.0.0.0/15, tcp/81 from 10.0.0.0/15], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", "!4"},
	{"networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/80 from 10.0.0.0/24, udp from 10.0.0.0/16, tcp/80 from group r], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}", "same-members the rule  tcp/80 from group r  of group a/r lets nobody pass whom  tcp/80 from 10.0.0.0/24  does not"},
	{"networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: []}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: []}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", "idle-peering no route leads over peering p"},
	{"profile: {like: plain, peer-routes: true}\nnetworks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: []}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: []}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", ""},
	{"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a]}}}}", "idle-attachment no table of hub h leads anything to network b, which is attached to it"},
	{"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a, b]}}}}", ""},
	{"networks: {a: {range: [10.0.0.0/16, \"2001:db8:5::/48\"], tiers: {w: {access: public}}, subnets: {x: {tier: w, range: [10.0.0.0/24, \"2001:db8:5::/64\"]}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}", "one-family tier a/w is public, and table a/m of its subnet x has no default route of IPv6"},
	{"networks: {a: {range: [10.0.0.0/16, \"2001:db8:5::/48\"], tiers: {w: {access: public}}, subnets: {x: {tier: w, range: [10.0.0.0/24, \"2001:db8:5::/64\"]}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}, {to: \"::/0\", via: blackhole}]}}}}", ""},
	{"networks: {a: {range: [10.0.0.0/16, \"2001:db8:5::/48\"], tiers: {w: {access: public}}, subnets: {x: {tier: w, range: [10.0.0.0/24]}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}", ""},
}

// TestWiringRules tries each rule on wiring and guards on a plan that breaks it, and on the nearest that does not.
func TestWiringRules(t *testing.T) {
	for _, c := range wiringRows {
		e, problems := estate.Load(text.One("p", "wendrik: 1\n"+c.content+"\n"))
		require.Empty(t, problems, c.content)
		var found []string
		for _, f := range Run(e, Meets, Wiring, Guards) {
			assert.NotEmpty(t, f.Fix(), f.Message)
			found = append(found, string(f.Code)+" "+f.Message)
		}
		if c.want == "!4" {
			assert.Len(t, found, 4, "the member's, those of IPv6, the narrower, and the second of two: %v", found)
			continue
		}
		if c.want == "" {
			assert.Empty(t, found, c.content)
			continue
		}
		if assert.Len(t, found, 1, c.content) {
			assert.Contains(t, found[0], c.want, c.content)
		}
	}
}
