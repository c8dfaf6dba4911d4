package check

import "wendrik/internal/core/diag"

// Example is two plans that are much alike: a rule finds something in the one, and nothing in the other.
type Example struct{ Breaks, Keeps string }

// Examples has one for each rule.
var Examples = map[diag.Code]Example{
	"special-range": {
		Breaks: "networks: {a: {range: 224.1.0.0/16}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16}}",
	},
	"public-range": {
		Breaks: "networks: {a: {range: 172.0.0.0/8}}",
		Keeps:  "networks: {a: {range: 172.16.0.0/12}}",
	},
	"does-not-fit": {
		Breaks: "space: {s: {block: 10.0.0.0/22}}\nnetworks: {a: {from: s, size: /23, tiers: {t: {hosts: 300}, u: {hosts: 300}}}}",
		Keeps:  "space: {s: {block: 10.0.0.0/22}}\nnetworks: {a: {from: s, size: /22, tiers: {t: {hosts: 300}, u: {hosts: 300}}}}",
	},
	"outside-space": {
		Breaks: "space: {s: {block: 10.0.0.0/9}}\nnetworks: {a: {range: 10.0.0.0/16}, b: {range: 10.200.0.0/16}, c: {range: fd3a::/48}}",
		Keeps:  "space: {s: {block: 10.0.0.0/8}}\nnetworks: {a: {range: 10.0.0.0/16}, b: {range: 10.200.0.0/16}, c: {range: fd3a::/48}}",
	},
	"other-region": {
		Breaks: "regions: {west: [west-a], north: [north-a]}\nspace: {all: {block: 10.0.0.0/8}, w: {block: 10.0.0.0/9, region: west}, p: {block: 10.1.0.0/16, within: w}}\nnetworks: {a: {region: north, range: 10.1.0.0/24}}",
		Keeps:  "regions: {west: [west-a], north: [north-a]}\nspace: {all: {block: 10.0.0.0/8}, w: {block: 10.0.0.0/9, region: west}, p: {block: 10.1.0.0/16, within: w}}\nnetworks: {a: {region: west, range: 10.1.0.0/24}}",
	},
	"held-space": {
		Breaks: "space: {s: {block: 10.0.0.0/8}, h: {block: 10.1.0.0/16, held: trains, within: s}}\nnetworks: {a: {range: 10.1.0.0/20}}",
		Keeps:  "space: {s: {block: 10.0.0.0/8}, h: {block: 10.1.0.0/24, held: trains, within: s}}\nnetworks: {a: {range: 10.1.0.0/20}}",
	},
	"idle-block": {
		Breaks: "space: {s: {block: 10.0.0.0/8}, t: {block: 10.1.0.0/16, within: s}}\nnetworks: {a: {range: 10.2.0.0/20}}",
		Keeps:  "space: {s: {block: 10.0.0.0/8}, t: {block: 10.1.0.0/16, within: s}}\nnetworks: {a: {range: 10.2.0.0/20}, b: {from: t, size: /24}}",
	},
	"block-nearly-full": {
		Breaks: "space: {s: {block: 10.0.0.0/24}}\nnetworks: {a: {range: 10.0.0.0/25}, b: {range: 10.0.0.128/26}, c: {range: 10.0.0.192/27}, d: {range: 10.0.0.224/28}}",
		Keeps:  "space: {s: {block: 10.0.0.0/24}}\nnetworks: {a: {range: 10.0.0.0/25}, b: {range: 10.0.0.128/26}, c: {range: 10.0.0.192/27}}",
	},
	"nearly-full": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/29}}}}\nworkloads: {w: {in: a/x, count: 6, addresses: [10.0.0.1, 10.0.0.2, 10.0.0.3, 10.0.0.4, 10.0.0.5, 10.0.0.6]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/29}}}}\nworkloads: {w: {in: a/x, count: 5, addresses: [10.0.0.1, 10.0.0.2, 10.0.0.3, 10.0.0.4, 10.0.0.5]}}",
	},
	"outgrown": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tiers: {t: {hosts: 200, growth: 50%}}, subnets: {x: {tier: t, range: 10.0.0.0/24}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tiers: {t: {hosts: 200, growth: 25%}}, subnets: {x: {tier: t, range: 10.0.0.0/24}}}}",
	},
	"no-zone-room": {
		Breaks: "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 20}}, subnets: {x: {tier: t, zone: west-a, range: 10.0.0.0/25}, y: {tier: t, zone: west-b, range: 10.0.0.128/26}}}}",
		Keeps:  "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/24, tiers: {t: {hosts: 20}}, subnets: {x: {tier: t, zone: west-a, range: 10.0.0.0/26}, y: {tier: t, zone: west-b, range: 10.0.0.128/25}}}}",
	},
	"naming": {
		Breaks: "naming: \"{tier}-{slot}\"\nnetworks: {a: {range: 10.0.0.0/16, tiers: {web: {}}, subnets: {web-8: {tier: web, range: 10.0.9.0/24}}}}",
		Keeps:  "naming: \"{tier}-{slot}\"\nnetworks: {a: {range: 10.0.0.0/16, tiers: {web: {}}, subnets: {web-9: {tier: web, range: 10.0.9.0/24}}}}",
	},
	"labels": {
		Breaks: "labels-required: [owner, purpose]\nnetworks: {a: {range: 10.0.0.0/16, owner: x}}",
		Keeps:  "labels-required: [owner, purpose]\nnetworks: {a: {range: 10.0.0.0/16, owner: x, labels: {purpose: y}}}",
	},
	"slot": {
		Breaks: "space: {s: {block: 10.0.0.0/8}}\nnetworks: {a: {from: s, slot: 3, range: 10.5.0.0/16}}",
		Keeps:  "space: {s: {block: 10.0.0.0/8}}\nnetworks: {a: {from: s, slot: 5, range: 10.5.0.0/16}}",
	},
	"no-zones": {
		Breaks: "profile: zonal\nnetworks: {a: {range: 10.0.0.0/16, tiers: {web: {hosts: 9}}}}",
		Keeps:  "profile: plain\nnetworks: {a: {range: 10.0.0.0/16, tiers: {web: {hosts: 9}}}}",
	},
	"subnet-size": {
		Breaks: "profile: zonal\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.3.0/29}}}}",
		Keeps:  "profile: zonal\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.3.0/28}}}}",
	},
	"two-ranges": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: [10.0.3.0/24, 10.0.4.0/24]}}}}",
		Keeps:  "networks: {a: {range: [10.0.0.0/16, \"fd3a:5e11:c0de::/56\"], subnets: {x: {range: [10.0.3.0/24, \"fd3a:5e11:c0de::/64\"]}}}}",
	},
	"conflict": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.0.0.0/17, via: s}]}}}}\nsites: {s: {ranges: 10.0.0.0/17, knows: 10.0.0.0/16, link: a}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.9.0.0/17, via: s}]}}}}\nsites: {s: {ranges: 10.9.0.0/17, knows: 10.0.0.0/16, link: a}}",
	},
	"half-joined": {
		Breaks: "networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: p}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: a, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
	},
	"not-attached": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet, attached: false}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}",
	},
	"left-on-main-table": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tiers: {w: {}}, subnets: {x: {tier: w, range: 10.0.0.0/24}, y: {tier: w, range: 10.0.1.0/24}}, tables: {t: {subnets: [x], routes: []}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tiers: {w: {}}, subnets: {x: {tier: w, range: 10.0.0.0/24}, y: {tier: w, range: 10.0.1.0/24}}, tables: {t: {subnets: [x, y], routes: []}}}}",
	},
	"access": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tiers: {w: {access: public}}, subnets: {x: {tier: w, range: 10.0.0.0/24}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tiers: {w: {access: closed}}, subnets: {x: {tier: w, range: 10.0.0.0/24}}}}",
	},
	"way-out": {
		Breaks: "profile: regional\nnetworks: {a: {tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}}}}",
		Keeps:  "profile: regional\nnetworks: {a: {tiers: {app: {access: outbound}}, subnets: {x: {tier: app, range: 10.0.0.0/24}}, gateways: {n: {kind: nat, serves: [x], public: 203.0.113.9}}}}",
	},
	"no-route-back": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: p}]}}}, b: {range: 10.1.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: p}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: 10.0.0.0/24, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
	},
	"dead-route": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.2.0.0/16, via: p}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: 10.0.0.0/24, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: s}]}}}}\nsites: {s: {ranges: 10.9.0.0/16, knows: 10.0.0.0/8, link: a}}",
	},
	"passes-nothing-on": {
		Breaks: "networks: {a: {range: 10.0.0.0/16}, exit: {range: 10.1.0.0/16, tables: {t: {routes: []}}}}\nhubs: {h: {attach: {a: s, exit: b}, tables: {s: {routes: [{to: 0.0.0.0/0, via: exit}]}, b: {learns: [a]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16}, exit: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}, tables: {t: {routes: []}}}}\nhubs: {h: {attach: {a: s, exit: {table: b, arrives: t}}, tables: {s: {routes: [{to: 0.0.0.0/0, via: exit}]}, b: {learns: [a]}}}}",
	},
	"site-does-not-know": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: s}]}}}}\nsites: {s: {ranges: 10.9.0.0/16, link: a}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: s}]}}}}\nsites: {s: {ranges: 10.9.0.0/16, knows: 10.0.0.0/8, link: a}}",
	},
	"stranded-nat": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, gateways: {g: {kind: nat, in: x, address: 10.0.0.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: []}, o: {subnets: [y], routes: [{to: 0.0.0.0/0, via: g}]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, gateways: {i: {kind: internet}, g: {kind: nat, in: x, address: 10.0.0.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: i}]}, o: {subnets: [y], routes: [{to: 0.0.0.0/0, via: g}]}}}}",
	},
	"nat-loop": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: nat, in: x, address: 10.0.0.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {i: {kind: internet}, g: {kind: nat, in: x, address: 10.0.0.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: i}]}}}}",
	},
	"one-family": {
		Breaks: "networks: {a: {range: [10.0.0.0/16, \"2001:db8:5::/48\"], tiers: {w: {access: public}}, subnets: {x: {tier: w, range: [10.0.0.0/24, \"2001:db8:5::/64\"]}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}}}",
		Keeps:  "networks: {a: {range: [10.0.0.0/16, \"2001:db8:5::/48\"], tiers: {w: {access: public}}, subnets: {x: {tier: w, range: [10.0.0.0/24, \"2001:db8:5::/64\"]}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}, {to: \"::/0\", via: blackhole}]}}}}",
	},
	"other-zone": {
		Breaks: "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, nat: per-zone, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}",
		Keeps:  "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}\nworkloads: {door: {in: a/p-a, address: 10.0.0.7, targets: [u, v]}, u: {in: a/p-a, address: 10.0.0.8}, v: {in: a/p-b, address: 10.0.1.10}}",
	},
	"forwards-nothing": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, f: {range: 10.0.2.0/24}}, tables: {t: {subnets: [x], routes: [{to: 10.0.1.0/24, via: wall}]}}}}\nworkloads: {wall: {in: a/f, address: 10.0.2.9}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, f: {range: 10.0.2.0/24}}, tables: {t: {subnets: [x], routes: [{to: 10.0.1.0/24, via: wall}]}}}}\nworkloads: {wall: {in: a/f, address: 10.0.2.9, forwards: plain}}",
	},
	"sees-half": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, f: {range: 10.0.2.0/24}}, tables: {t: {subnets: [x], routes: [{to: 10.0.1.0/24, via: wall}]}, u: {subnets: [y], routes: []}, w: {subnets: [f], routes: []}}}}\nworkloads: {wall: {in: a/f, address: 10.0.2.9, forwards: stateful}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, f: {range: 10.0.2.0/24}}, tables: {t: {subnets: [x], routes: [{to: 10.0.1.0/24, via: wall}]}, u: {subnets: [y], routes: [{to: 10.0.0.0/24, via: wall}]}, w: {subnets: [f], routes: []}}}}\nworkloads: {wall: {in: a/f, address: 10.0.2.9, forwards: stateful}}",
	},
	"own-away": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.4.0/24}}, tables: {m: {main: true, routes: [{to: 10.0.4.0/22, via: s}]}}}}\nsites: {s: {ranges: [10.1.0.0/16, 10.0.4.0/22], knows: a, link: a}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.8.0/24}}, tables: {m: {main: true, routes: [{to: 10.0.4.0/22, via: s}]}}}}\nsites: {s: {ranges: [10.1.0.0/16, 10.0.4.0/22], knows: a, link: a}}",
	},
	"changes-nothing": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.4.0/24, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.4.0/22, via: blackhole}, {to: 10.1.4.0/24, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}",
	},
	"shared-firewall": {
		Breaks: "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {x-a: {zone: west-a, range: 10.0.0.0/24}, x-b: {zone: west-b, range: 10.0.1.0/24}, f-a: {zone: west-a, range: 10.0.2.0/24}}, tables: {t: {subnets: [x-a, x-b], routes: [{to: 0.0.0.0/0, via: wall}]}}}}\nworkloads: {wall: {in: a/f-a, address: 10.0.2.9, forwards: nat}}",
		Keeps:  "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {x-a: {zone: west-a, range: 10.0.0.0/24}, x-b: {zone: west-b, range: 10.0.1.0/24}, f-a: {zone: west-a, range: 10.0.2.0/24}}, tables: {t: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: wall}]}, m: {main: true, routes: []}}}}\nworkloads: {wall: {in: a/f-a, address: 10.0.2.9, forwards: nat}}",
	},
	"no-public-ipv6": {
		Breaks: "networks: {a: {range: [10.0.0.0/16, \"fd3a::/48\"], gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}, {to: \"::/0\", via: g}]}}}}",
		Keeps:  "networks: {a: {range: [10.0.0.0/16, \"2001:db8:5::/48\"], gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}, {to: \"::/0\", via: g}]}}}}",
	},
	"group-not-joined": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {out: [any to any]}}}, b: {range: 10.1.0.0/16, groups: {h: {in: [tcp/22 from group a/g]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: [g]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {out: [any to any]}}}, b: {range: 10.1.0.0/16, groups: {h: {in: [tcp/22 from group a/g]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: [g]}}",
	},
	"nobody-listens": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/443 from a, tcp/8443 from a], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: [g], listens: [tcp/443]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/443 from a, tcp/8443 from a], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: [g], listens: [tcp/443]}, v: {in: a/x, address: 10.0.0.10, groups: [g]}}",
	},
	"nobody-there": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/443 from 10.0.0.77/32], out: [any to any]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/443 from 10.0.0.77/32], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.77, groups: [g]}}",
	},
	"target-deaf": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {door: {in: a/x, address: 10.0.0.8, targets: [w], target-ports: [tcp/8080]}, w: {in: a/x, address: 10.0.0.9, listens: [tcp/8443]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {door: {in: a/x, address: 10.0.0.8, targets: [w], target-ports: [tcp/8080]}, w: {in: a/x, address: 10.0.0.9, listens: [tcp/8080-8443]}}",
	},
	"never-wins": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.0.0/17, via: blackhole}, {to: 10.1.128.0/17, via: blackhole}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}, {to: 10.1.0.0/17, via: blackhole}, {to: 10.1.128.0/18, via: blackhole}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: a, link: a}}",
	},
	"site-knows-more": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: s, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: [10.0.0.0/16, 10.3.0.0/16], link: a}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: s, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: [10.0.0.0/12], link: a}}",
	},
	"tier-in-one-zone": {
		Breaks: "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/20, tiers: {t: {hosts: 20, zones: [west-b]}}}}",
		Keeps:  "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/20, tiers: {t: {hosts: 20}}}}",
	},
	"one-zone": {
		Breaks: "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}\nworkloads: {door: {in: a/p-a, address: 10.0.0.7, targets: [u, v]}, u: {in: a/p-a, address: 10.0.0.8}, v: {in: a/p-a, address: 10.0.0.10}}",
		Keeps:  "profile: zonal\nregions: {west: [west-a, west-b]}\nnetworks: {a: {region: west, range: 10.0.0.0/16, subnets: {p-a: {zone: west-a, range: 10.0.0.0/24}, p-b: {zone: west-b, range: 10.0.1.0/24}, x-a: {zone: west-a, range: 10.0.2.0/24}}, gateways: {g: {kind: internet}, n: {kind: nat, in: p-b, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, o: {subnets: [x-a], routes: [{to: 0.0.0.0/0, via: n}]}}}}\nworkloads: {door: {in: a/p-a, address: 10.0.0.7, targets: [u, v]}, u: {in: a/p-a, address: 10.0.0.8}, v: {in: a/p-b, address: 10.0.1.10}}",
	},
	"no-targets": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r, targets: []}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: tcp/443, targets: [v]}, v: {in: a/x, address: 10.0.0.8, groups: r}}",
	},
	"target-unreached": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: tcp/443, targets: [v], target-ports: tcp/8443}, v: {in: a/x, address: 10.0.0.8, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: tcp/443, targets: [v]}, v: {in: a/x, address: 10.0.0.8, groups: r}}",
	},
	"too-many-routes": {
		Breaks: "profile: {like: plain, max-routes: 1}\nnetworks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: blackhole}, {to: 10.2.0.0/16, via: blackhole}]}}}}",
		Keeps:  "profile: {like: plain, max-routes: 2}\nnetworks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: blackhole}, {to: 10.2.0.0/16, via: blackhole}]}}}}",
	},
	"too-many-rules": {
		Breaks: "profile: {like: plain, max-rules: 1}\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow any from any], out: [allow tcp to any, allow udp to any]}}}}",
		Keeps:  "profile: {like: plain, max-rules: 2}\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow any from any], out: [allow tcp to any, allow udp to any]}}}}",
	},
	"too-many-peerings": {
		Breaks: "profile: {like: plain, peer-routes: true}\nnetworks: {a: {range: 10.0.0.0/16, profile: {max-peerings: 1}}, b: {range: 10.1.0.0/16}, c: {range: 10.2.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b]}, q: {between: [a, c], accepted: [a, c]}}",
		Keeps:  "profile: {like: plain, peer-routes: true}\nnetworks: {a: {range: 10.0.0.0/16, profile: {max-peerings: 2}}, b: {range: 10.1.0.0/16}, c: {range: 10.2.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b]}, q: {between: [a, c], accepted: [a, c]}}",
	},
	"idle-public": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9}}",
	},
	"idle-gateway": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 192.0.2.0/24, via: g}]}}}}",
	},
	"idle-peering": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: []}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: []}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
		Keeps:  "profile: {like: plain, peer-routes: true}\nnetworks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: []}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: []}}}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
	},
	"idle-site": {
		Breaks: "networks: {a: {range: 10.0.0.0/16}}\nsites: {s: {ranges: 10.1.0.0/16}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: s}]}}}}\nsites: {s: {ranges: 10.1.0.0/16, knows: 10.0.0.0/16, link: a}}",
	},
	"idle-attachment": {
		Breaks: "networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a, b]}}}}",
	},
	"idle-hub-link": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: h}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: a, via: h}]}}}}\nhubs: {h: {attach: {a: x, b: x}, tables: {x: {learns: [a, b]}}}, j: {tables: {x: {}}}}\nhub-links: {l: {between: [h, j], accepted: [h, j], tables: {h: x, j: x}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: b, via: h}]}}}, b: {range: 10.1.0.0/16, tables: {m: {main: true, routes: [{to: a, via: h}]}}}}\nhubs: {h: {attach: {a: x, b: x}, tables: {x: {learns: [a, b]}}}, j: {tables: {x: {routes: [{to: a, via: l}]}}}}\nhub-links: {l: {between: [h, j], accepted: [h, j], tables: {h: x, j: x}}}",
	},
	"idle": {
		Breaks: "patterns: {p: {tiers: {t: {hosts: 1}}}}\nnetworks: {a: {range: 10.0.0.0/16}}",
		Keeps:  "patterns: {p: {tiers: {t: {hosts: 1}}}}\nnetworks: {a: {range: 10.0.0.0/16, pattern: p}}",
	},
	"idle-group": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/22 from any], out: []}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/22 from 10.0.0.0/16], out: []}}, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: g}}",
	},
	"no-group": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}, v: {in: a/x, address: 10.0.0.8, listens: tcp/443}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}, v: {in: a/x, address: 10.0.0.8}}",
	},
	"empty-group": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/22 from group h, tcp/23 from group g], out: []}, h: {in: [], out: []}}, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: g}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, groups: {g: {in: [tcp/23 from group g], out: []}, h: {in: [], out: []}}, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: g}}",
	},
	"server-unreachable": {
		Breaks: "dhcp: {d: {dns: w, ntp: w}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: d, groups: {g: {in: [udp/53 from any, udp/123 from any], out: [any to any]}}, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/s, address: 10.0.0.4, groups: g}, v: {in: a/s, address: 10.0.0.5}}",
		Keeps:  "dhcp: {d: {dns: w, ntp: w}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: d, groups: {g: {in: [udp/53 from any, tcp/53 from any, udp/123 from any], out: [any to any]}}, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/s, address: 10.0.0.4, groups: g}, v: {in: a/s, address: 10.0.0.5}}",
	},
	"no-reply-room": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from 10.2.0.0/16], out: [allow tcp/32768-65535 to 10.2.0.0/16]}}}}",
		Keeps:  "profile: {like: plain, reply-ports: 32768-65535}\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/443 from 10.2.0.0/16], out: [allow tcp/32768-65535 to 10.2.0.0/16]}}}}",
	},
	"shadowed-rule": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/22 from any, deny any from 10.0.0.0/8, allow tcp from 10.2.0.0/16], out: [allow any to any]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow tcp/22 from any, deny any from 10.0.0.0/8], out: [allow any to any]}}}}",
	},
	"needless-rule": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/80 from 10.0.0.0/24, tcp from 10.0.0.0/16], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/80 from 10.0.0.0/24, udp from 10.0.0.0/16, tcp/80 from group r], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
	},
	"wide-open": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [any from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [any from 10.0.0.0/16], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
	},
	"lets-all-out": {
		Breaks: "out: closed\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {r: {in: [tcp/22 from a], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: [r], listens: [tcp/22]}}",
		Keeps:  "out: closed\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {r: {in: [tcp/22 from a], out: [any to 10.0.0.0/8, tcp/443 to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: [r], listens: [tcp/22]}}",
	},
	"open-port": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/22-23 from 0.0.0.0/0], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/22 from 203.0.113.0/24], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
	},
	"untried": {
		Breaks: "networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}}}\nexpect: [a never reaches b]",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}, b: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}}}\nexpect: [a never reaches b]",
	},
	"reflects": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [udp/123 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [udp/123 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}\nexpect: [internet reaches w on udp/123]",
	},
	"plain-text": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/110 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, gateways: {g: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}}, groups: {r: {in: [tcp/995 from any, tcp/110 from 203.0.113.0/24], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, public: 203.0.113.9, groups: r}}",
	},
	"all-private": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {r: {in: [tcp from 10.0.0.0/8], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {r: {in: [tcp from 10.0.0.0/9, tcp/443 from 10.0.0.0/8], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}}",
	},
	"same-members": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, groups: {r: {in: [tcp/443 from group web, tcp/443 from 10.0.1.0/24], out: [any to any]}, web: {in: [tcp/80 from 10.0.0.0/24], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}, v: {in: a/y, address: 10.0.1.9, groups: web}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, groups: {r: {in: [tcp/443 from group web, tcp/443 from 10.0.1.0/25], out: [any to any]}, web: {in: [tcp/80 from 10.0.0.0/24], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r}, v: {in: a/y, address: 10.0.1.200, groups: web}}",
	},
	"nothing-passes": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow any from any], out: [deny tcp/25 to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, lists: {l: {subnets: [x], in: [allow any from any], out: [deny tcp/25 to any, allow any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9}}",
	},
	"no-icmp": {
		Breaks: "networks: {a: {range: [10.0.0.0/16, \"2001:db8::/48\"], subnets: {x: {range: [10.0.0.0/24, \"2001:db8::/64\"]}}, lists: {l: {subnets: [x], in: [allow tcp/443 from any, allow icmp from 10.0.0.0/8], out: [allow any to any]}}}}\nworkloads: {w: {in: a/x, address: [10.0.0.9, \"2001:db8::9\"]}}",
		Keeps:  "networks: {a: {range: [10.0.0.0/16, \"2001:db8::/48\"], subnets: {x: {range: [10.0.0.0/24, \"2001:db8::/64\"]}}, lists: {l: {subnets: [x], in: [allow tcp/443 from any, allow icmp from any], out: [allow any to any]}}}}\nworkloads: {w: {in: a/x, address: [10.0.0.9, \"2001:db8::9\"]}}",
	},
	"nobody-asks": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {r: {in: [tcp/443 from 10.0.0.0/24], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: [tcp/443, tcp/8443]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {r: {in: [tcp/443 from 10.0.0.0/24, tcp/8000-9000 from 10.0.0.9/32], out: [any to any]}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9, groups: r, listens: [tcp/443, tcp/8443]}}",
	},
	"said-twice": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9}, v: {in: a/x, address: 10.0.0.8}}\nexpect: [w never reaches v on tcp, w never reaches v on tcp/22]",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: a/x, address: 10.0.0.9}, v: {in: a/x, address: 10.0.0.8}}\nexpect: [w never reaches v on tcp/23, w reaches v on tcp/22, v never reaches w on tcp/23]",
	},
	"idle-hub-table": {
		Breaks: "networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a, b]}, u: {learns: [a]}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16}, b: {range: 10.1.0.0/16}}\nhubs: {h: {attach: {a: t, b: u}, tables: {t: {learns: [a, b]}, u: {learns: [a]}}}}",
	},
	"beyond-the-join": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, tables: {m: {main: true, routes: [{to: b, via: p}]}}}, b: {range: 10.1.0.0/16, subnets: {z: {range: 10.1.0.0/24}}, tables: {m: {main: true, routes: [{to: a/x, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b], only: [a/x]}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, tables: {m: {main: true, routes: []}, t: {subnets: [x], routes: [{to: b, via: p}]}}}, b: {range: 10.1.0.0/16, subnets: {z: {range: 10.1.0.0/24}}, tables: {m: {main: true, routes: [{to: a/x, via: p}]}}}}\npeerings: {p: {between: [a, b], accepted: [a, b], only: [a/x]}}",
	},
	"two-ways": {
		Breaks: "profile: regional\nregions: {west: []}\nnetworks: {a: {subnets: {x: {region: west, range: 10.0.0.0/24}}}, b: {subnets: {y: {region: west, range: 10.1.0.0/24}}, tables: {m: {main: true, routes: [{to: s, via: h}]}}}, c: {subnets: {z: {region: west, range: 10.2.0.0/24}}, tables: {m: {main: true, routes: [{to: s, via: h}]}}}}\nhubs: {h: {attach: {b: t, c: t, s: t}, tables: {t: {learns: [s]}}}}\nsites: {s: {ranges: 10.9.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b], exports: [b], imports: [a]}, q: {between: [a, c], accepted: [a, c], exports: [c], imports: [a]}}",
		Keeps:  "profile: regional\nregions: {west: []}\nnetworks: {a: {subnets: {x: {region: west, range: 10.0.0.0/24}}}, b: {subnets: {y: {region: west, range: 10.1.0.0/24}}, tables: {m: {main: true, routes: [{to: s, via: h}]}}}, c: {subnets: {z: {region: west, range: 10.2.0.0/24}}, tables: {m: {main: true, routes: [{to: s, via: h}]}}}}\nhubs: {h: {attach: {b: t, c: t, s: t}, tables: {t: {learns: [s]}}}}\nsites: {s: {ranges: 10.9.0.0/16}}\npeerings: {p: {between: [a, b], accepted: [a, b], exports: [b], imports: [a]}, q: {between: [a, c], accepted: [a, c]}}",
	},
	"two-gateways": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}, f: {kind: internet}}}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, gateways: {g: {kind: internet}, f: {kind: internet, attached: false}}}}",
	},
	"crowded-nat": {
		Breaks: "networks: {a: {range: 10.0.0.0/8, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.1.0.0/16}}, gateways: {g: {kind: internet}, n: {kind: nat, in: x, address: 10.0.0.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, p: {subnets: [y], routes: [{to: 0.0.0.0/0, via: n}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/y, count: 1200, groups: r}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/8, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.1.0.0/16}}, gateways: {g: {kind: internet}, n: {kind: nat, in: x, address: 10.0.0.9, public: [203.0.113.9, 203.0.113.10]}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: g}]}, p: {subnets: [y], routes: [{to: 0.0.0.0/0, via: n}]}}, groups: {r: {in: [tcp/443 from any], out: [any to any]}}}}\nworkloads: {w: {in: a/y, count: 1200, groups: r}}",
	},
	"one-target": {
		Breaks: "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {b: {in: a/x, address: 10.0.0.9, targets: [w]}, w: {in: a/x, address: 10.0.0.10}, v: {in: a/x, address: 10.0.0.11}}",
		Keeps:  "networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\nworkloads: {b: {in: a/x, address: 10.0.0.9, targets: [w, v]}, w: {in: a/x, address: 10.0.0.10}, v: {in: a/x, address: 10.0.0.11}}",
	},
	"mtu-differs": {
		Breaks: "dhcp: {big: {mtu: 9001}, small: {mtu: 1500}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: big}, b: {range: 10.1.0.0/16, dhcp: small}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
		Keeps:  "dhcp: {big: {mtu: 9001}, small: {mtu: 1500}}\nnetworks: {a: {range: 10.0.0.0/16, dhcp: big}, b: {range: 10.1.0.0/16, dhcp: big}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}",
	},
}
