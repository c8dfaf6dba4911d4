package estate

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/golden"
)

// TestBindingProblems adds to an estate without problems, and tells all that is found then: where, what, and what would be
// right.
func TestBindingProblems(t *testing.T) {
	golden.Cases(t, problems, func(t *testing.T, asked string) string {
		e, found := load(t, merged(asked))
		for _, f := range append(found, e.Waits...) {
			assert.True(t, f.At.Known() && len(f.Place) > 0, f.Message)
		}
		return findings(e, slices.Concat(found, e.Waits))
	})
}

// TestTooManyWorkloads: what a plan counts has a bound, and the rest is told of.
func TestTooManyWorkloads(t *testing.T) {
	e, found := load(t, merged("workloads:\n  w: {in: booking/web, count: 400000}\n  v: {in: booking/web, count: 200000}\n"))
	assert.Equal(t, "20:31 too-many error workloads: the plan counts more than 500000 workloads | split the estate into plans of their own\n", findings(e, found))
	assert.Len(t, e.Workloads, 400_002)
}

// merged adds entries to the top-level mappings of the ground, or whole keys.
func merged(add string) string {
	content := ground
	if strings.HasPrefix(add, "space:") {
		content = strings.Replace(content, "space: {west: {block: 10.144.0.0/14}}\n", "", 1)
	}
	for _, part := range strings.Split("\n"+add, "\n\n") {
		var keep strings.Builder
		at := ""
		for line := range strings.Lines(strings.TrimPrefix(part, "\n")) {
			key := strings.TrimRight(line, "\n")
			if !strings.HasPrefix(line, " ") {
				at = ""
				if strings.Contains(content, "\n"+key+"\n") && strings.HasSuffix(key, ":") {
					at = "\n" + key + "\n"
					continue
				}
			}
			if at == "" {
				keep.WriteString(line)
				continue
			}
			i := strings.Index(content, at) + len(at)
			content = content[:i] + key + "\n" + content[i:]
			at += key + "\n"
		}
		content += strings.TrimRight(keep.String(), "\n") + "\n"
	}
	return content
}

const problems = `
== no region named "wst"
networks:
  x: {region: wst, range: 10.0.0.0/24}
--
6:15 unknown-name error networks.x.region: there is no region named "wst" | did you mean west?

== network x has neither range nor size
networks:
  x: {region: west}
--
6:3 no-range error networks.x: network x has neither range nor size | add  range: ...,  or  from: BLOCK  and  size: /20  for carve

== nothing says from which block
networks:
  x: {size: /24}
--
6:13 no-block error networks.x.size: the size of network x says how much to carve, and nothing says from which block | add  from:  with one of west

== no block named "east"
networks:
  x: {size: /24, from: east}
--
6:24 unknown-name error networks.x.from: there is no block named "east" | did you mean west?

== both hosts and size
networks:
  x: {range: 10.0.0.0/24, tiers: {t: {hosts: 1, size: /28}}}
--
6:55 hosts-and-size error networks.x.tiers.t.size: tier t has both hosts and size | keep one of the two

== does not lie in its network x (10.0.0.0/24)
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.1.0/24}}}
--
6:48 subnet-outside error networks.x.subnets.s.range: subnet s (10.0.1.0/24) does not lie in its network x (10.0.0.0/24) | choose a range in 10.0.0.0/24, or add one to the network

== no tier of network x named "t"
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {tier: t, range: 10.0.0.0/28}}}
--
6:47 unknown-name error networks.x.subnets.s.tier: there is no tier of network x named "t" | there is no tier of network x at all; write one first

== has a zone and no region
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {zone: west-a, range: 10.0.0.0/28}}}
--
6:47 no-region error networks.x.subnets.s.zone: network x has a zone and no region | add  region:  to the network

== named "west-c"
networks:
  x: {region: west, range: 10.0.0.0/24, subnets: {s: {zone: west-c, range: 10.0.0.0/28}}}
--
6:61 unknown-name error networks.x.subnets.s.zone: there is no zone of region west named "west-c" | did you mean west-a?

== growth is of hosts
networks:
  x: {range: 10.0.0.0/24, tiers: {t: {size: /28, growth: 50%}}}
--
6:58 wrong-key error networks.x.tiers.t.growth: growth is of hosts, and tier t says none | add  hosts: ...,  or remove it

== a nat gateway is not attached
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, gateways: {g: {kind: nat, attached: true, in: s, address: 10.0.0.5}}}
--
6:99 wrong-key error networks.x.gateways.g.attached: a nat gateway is not attached: it sits in a subnet or serves subnets | remove it, or make it  kind: internet

== has no private address
networks:
  x: {profile: regional, subnets: {s: {range: 10.0.0.0/28}}, gateways: {g: {kind: nat, serves: [s], address: 10.0.0.5, public: 203.0.113.77}}}
--
6:110 wrong-key error networks.x.gateways.g.address: under profile regional a NAT gateway serves subnets and has no private address | remove it; its public addresses are all it has

== a gateway is named front too (wendrik.yaml:
peerings:
  front: {between: [booking, harbour]}
--
21:3 name-twice error peerings.front: a gateway is named front too (wendrik.yaml:14:7), and a route could mean either | rename one of them

== a gateway is named out too
workloads:
  out: {in: booking/web-b, address: 10.144.1.10, forwards: plain}
--
19:3 name-twice error workloads.out: a gateway is named out too (wendrik.yaml:15:7), and a route could mean either | rename one of them

== no route table of network booking named "nowhere"
hubs: {spine: {attach: {booking: {table: t, arrives: nowhere}}, tables: {t: {}}}}
--
22:54 unknown-name error hubs.spine.attach: there is no route table of network booking named "nowhere" | the only one known is main

== site isle is linked to no network
sites: {isle: {ranges: 10.9.0.0/16, arrives: main}}
--
22:46 wrong-key error sites.isle.arrives: site isle is linked to no network that its packets could arrive in | add  link: NETWORK,  or take it out

== a link leads to a network, and spine is a hub
hubs: {spine: {tables: {t: {}}}}
sites: {isle: {ranges: 10.9.0.0/16, link: spine}}
--
23:43 wrong-key error sites.isle.link: a link leads to a network, and spine is a hub | take it out, and write  isle: TABLE  under attach of hub spine

== an internet gateway sits in no subnet
networks:
  x: {range: 10.0.0.0/24, gateways: {g: {kind: internet, in: s}}}
--
6:62 wrong-key error networks.x.gateways.g: an internet gateway sits in no subnet and has no addresses; workloads and NAT gateways have them | remove it, or make it  kind: nat

== sits in no subnet
networks:
  x: {range: 10.0.0.0/24, gateways: {g: {kind: nat}}}
--
6:38 nat-kind error networks.x.gateways.g: NAT gateway g sits in no subnet | write  in: SUBNET  and  address: ...

== 10.0.0.3 is reserved
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, gateways: {g: {kind: nat, in: s, address: 10.0.0.3}}}
--
6:105 address-reserved error networks.x.gateways.g.address: 10.0.0.3 is reserved: profile zonal reserves the first 4 and the last 1 of 10.0.0.0/28 | choose one from 10.0.0.4 to 10.0.0.14

== sits in a subnet
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, gateways: {g: {kind: nat, serves: [s]}}}
--
6:98 nat-kind error networks.x.gateways.g.serves: under profile zonal a NAT gateway sits in a subnet | write  in: SUBNET, and lead route tables to it

== serves subnets
networks:
  x: {profile: regional, subnets: {s: {range: 10.0.0.0/28}}, gateways: {g: {kind: nat, in: s}}}
--
6:92 nat-kind error networks.x.gateways.g.in: under profile regional a NAT gateway serves subnets and sits in none | write  serves: [SUBNET, ...]

== "gate"
networks:
  x: {range: 10.0.0.0/24, tables: {t: {routes: [{to: 10.9.0.0/16, via: gate}]}}}
--
6:72 unknown-name error networks.x.tables.t.routes: there is no gateway, peering, hub, site or workload named "gate" | the only one known is blackhole

== does not have network x at either end
networks:
  x: {range: 10.0.0.0/24, tables: {t: {routes: [{to: 10.9.0.0/16, via: both}]}}}
--
6:72 not-joined error networks.x.tables.t.routes: peering both does not have network x at either end | choose a peering of x: it has none

== a route to 10.9.0.0/16 already
networks:
  x: {range: 10.0.0.0/24, tables: {t: {routes: [{to: 10.9.0.0/16, via: blackhole}, {to: 10.9.0.0/16, via: blackhole}]}}}
--
6:84 route-twice error networks.x.tables.t.routes: this table has a route to 10.9.0.0/16 already | keep one of the two

== local route always wins
networks:
  x: {range: 10.0.0.0/24, tables: {t: {routes: [{to: 10.0.0.0/24, via: blackhole}]}}}
--
6:49 route-local error networks.x.tables.t.routes: 10.0.0.0/24 is the network's own range, and its local route always wins | remove it, or route a part of the range

== has main table t already
networks:
  x: {range: 10.0.0.0/24, tables: {t: {main: true}, u: {main: true}}}
--
6:63 two-main-tables error networks.x.tables.u.main: network x has main table t already | keep one main table

== has table t already
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, tables: {t: {subnets: s}, u: {subnets: [s]}}}
--
6:103 table-twice error networks.x.tables.u.subnets: subnet s has table t already | name the subnet in one table only

== has list t already
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, lists: {t: {subnets: s}, u: {subnets: [s]}}}
--
6:102 two-lists error networks.x.lists.u.subnets: subnet s has list t already | name the subnet in one list only

== no group of network x named "h"
networks:
  x: {range: 10.0.0.0/24, groups: {g: {in: [any from group h]}}}
--
6:45 unknown-name error networks.x.groups.g.in: there is no group of network x named "h" | did you mean g?

== does not name a subnet
workloads:
  w: {in: booking, address: 10.144.0.5}
--
19:11 bad-subnet error workloads.w.in: "booking" does not name a subnet | write it as network/subnet, or network/tier

== no network named "bokking"
workloads:
  w: {in: bokking/web-a, address: 10.144.0.5}
--
19:11 unknown-name error workloads.w.in: there is no network named "bokking" | did you mean booking?

== does not lie in subnet booking/web-a (10.144.0.0/24)
workloads:
  w: {in: booking/web-a, address: 10.144.1.5}
--
19:35 address-outside error workloads.w.address: 10.144.1.5 does not lie in subnet booking/web-a (10.144.0.0/24) | choose an address in it, or write  in: booking/web-b,  which holds 10.144.1.5

== the last 1
workloads:
  w: {in: booking/web-a, address: 10.144.0.255}
--
19:35 address-reserved error workloads.w.address: 10.144.0.255 is reserved: profile zonal reserves the first 4 and the last 1 of 10.144.0.0/24 | choose one from 10.144.0.4 to 10.144.0.254

== already the address of booking/out
workloads:
  w: {in: booking/web-a, address: 10.144.0.9}
--
19:35 address-twice error workloads.w.address: 10.144.0.9 is already the address of booking/out | give one of them another address

== public address of w
workloads:
  w: {in: booking/web-a, address: 10.144.0.5, public: 203.0.113.20}
--
20:63 address-twice error workloads.ticket-1.public: 203.0.113.20 is already the public address of w | give one of them another address

== private use, RFC 1918
workloads:
  w: {in: booking/web-a, address: 10.144.0.5, public: 10.1.1.1}
--
19:55 not-public error workloads.w.public: 10.1.1.1 is not a public address (private use, RFC 1918) | write an address that the internet carries

== named "wep"
workloads:
  w: {in: booking/web-a, address: 10.144.0.5, groups: wep}
--
19:55 unknown-name error workloads.w.groups: there is no group of network booking named "wep" | did you mean web?

== between two networks, not 1
peerings:
  p: {between: [booking]}
--
21:17 bad-peering error peerings.p.between: a peering is between two networks, not 1 | write  between: [ONE, OTHER]

== cannot join network booking with itself
peerings:
  p: {between: [booking, booking]}
--
21:26 peering-with-itself error peerings.p.between: a peering cannot join network booking with itself | name another network

== named "bookin"
peerings:
  p: {between: [booking, harbour], accepted: [bookin]}
--
21:47 unknown-name error peerings.p.accepted: there is no end of this peering named "bookin" | did you mean booking?

== a network is named booking too
sites:
  booking: {ranges: 10.212.0.0/16}
--
23:3 name-twice error sites.booking: a network is named booking too, and both can be an end of a question | rename one of them

== named "hrbour"
sites:
  quay: {ranges: 10.212.0.0/16, link: hrbour}
--
23:39 unknown-name error sites.quay.link: there is no network named "hrbour" | did you mean harbour?

== attachment of hub h
hubs:
  h: {attach: {booking: t}, tables: {t: {learns: [harbour]}}}
--
23:51 unknown-name error hubs.h.tables.t.learns: there is no attachment of hub h named "harbour" | the only one known is booking

== no network or site named "quay"
hubs:
  h: {attach: {quay: t}, tables: {t: {}}}
--
23:16 unknown-name error hubs.h.attach: there is no network or site named "quay" | known are booking, harbour

== no table of hub h named "u"
hubs:
  h: {attach: {booking: u}, tables: {t: {}}}
--
23:25 unknown-name error hubs.h.attach.booking: there is no table of hub h named "u" | did you mean t?

== "ticket-2"
expect: [ticket-2 reaches internet on tcp/443]
--
22:10 unknown-name error expect: there is no workload, site, network, tier or subnet named "ticket-2" | did you mean ticket-1?

== no hub named "i"
hubs:
  h: {tables: {t: {}}}
hub-links:
  l: {between: [h, i]}
--
25:20 unknown-name error hub-links.l.between: there is no hub named "i" | did you mean h?

== which table of hub i
hubs:
  h: {tables: {t: {}}}
  i: {tables: {t: {}}}
hub-links:
  l: {between: [h, i], tables: {h: t}}
--
26:3 no-hub-table error hub-links.l: nothing says which table of hub i looks up what comes over link l | add  tables: {i: TABLE, ...}

== no table of hub i named "u"
hubs:
  h: {tables: {t: {}}}
  i: {tables: {t: {}}}
hub-links:
  l: {between: [h, i], tables: {h: t, i: u}}
--
26:42 unknown-name error hub-links.l.tables: there is no table of hub i named "u" | did you mean t?

== cannot join hub h with itself
hubs:
  h: {tables: {t: {}}}
  i: {tables: {t: {}}}
hub-links:
  l: {between: [h, h], tables: {h: t}}
--
26:20 hub-link-with-itself error hub-links.l.between: a hub link cannot join hub h with itself | name another hub

== no end of this peering named "x"
peerings:
  p: {between: [booking, harbour], exports: [x]}
--
21:46 unknown-name error peerings.p.exports: there is no end of this peering named "x" | known are booking, harbour

== to itself
workloads:
  w: {in: booking/web-a, address: 10.144.0.5, targets: [w]}
--
19:57 target-itself error workloads.w.targets: w cannot hand flows on to itself | name another workload

== "ticket-2" (2)
workloads:
  w: {in: booking/web-a, address: 10.144.0.5, targets: [ticket-2]}
--
19:57 unknown-name error workloads.w.targets: there is no workload named "ticket-2" | did you mean ticket-1?

== to nobody
workloads:
  w: {in: booking/web-a, address: 10.144.0.5, target-ports: tcp/80}
--
19:61 no-targets error workloads.w.target-ports: w hands flows on to nobody | add  targets: [...]

== an egress gateway sits in no subnet
networks:
  x: {range: 10.0.0.0/24, gateways: {g: {kind: egress, public: 203.0.113.77}}}
--
6:64 wrong-key error networks.x.gateways.g: an egress gateway sits in no subnet and has no addresses; workloads and NAT gateways have them | remove it, or make it  kind: nat

== no network named "bookin"
clusters:
  c: {in: bookin, pods: 10.9.0.0/16}
--
23:11 unknown-name error clusters.c.in: there is no network named "bookin" | did you mean booking?

== held part x/h has neither range nor size
networks:
  x: {range: 10.0.0.0/24, held: {h: {for: tills}}}
--
6:34 no-range error networks.x.held.h: held part x/h has neither range nor size | add  range: ...,  or  size: /24  for carve

== does not lie in network x
networks:
  x: {range: 10.0.0.0/24, held: {h: {for: tills, range: 10.0.1.0/28}}}
--
6:57 held-outside error networks.x.held.h.range: 10.0.1.0/28 does not lie in network x (10.0.0.0/24) | hold it as a block of space with  held:,  or choose a range in the network

== nothing says from which block (2)
networks:
  x: {size6: /56}
--
6:14 no-block error networks.x.size: the size of network x says how much to carve, and nothing says from which block | add  from:  with one of west

== does not lie in block west (10.144.0.0/14)
space: {east: {block: 10.9.0.0/16, within: west}, west: {block: 10.144.0.0/14}}
--
21:23 block-outside error space.east.block: 10.9.0.0/16 does not lie in block west (10.144.0.0/14) | choose a range in it, or another block for within

== a zone twice, and a region that a hub and a subnet name wrongly
networks:
  x: {profile: regional, subnets: {s: {region: wset, range: 10.0.0.0/24}}}
hubs: {h: {region: noth, tables: {t: {}}}}
--
6:48 unknown-name error networks.x.subnets.s.region: there is no region named "wset" | did you mean west?
23:20 unknown-name error hubs.h.region: there is no region named "noth" | the only one known is west

== a NAT gateway that serves, and has none to serve, and one that routes lead to
networks:
  x: {profile: regional, subnets: {s: {range: 10.0.0.0/24}}, gateways: {g: {kind: nat}, h: {kind: nat, serves: [s]}}, tables: {t: {routes: [{to: 10.9.0.0/16, via: h}]}}}
--
6:73 nat-kind error networks.x.gateways.g: NAT gateway g serves no subnet | write  serves: [SUBNET, ...]
6:164 nat-no-hop error networks.x.tables.t.routes: NAT gateway h serves subnets and is no next hop | route to the internet gateway; the NAT serves its subnets there

== outer gateways with what only NAT gateways have
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, gateways: {a: {kind: internet, address: 10.0.0.5}, b: {kind: egress, public: assigned}, c: {kind: internet, serves: [s]}}}
--
6:103 wrong-key error networks.x.gateways.a: an internet gateway sits in no subnet and has no addresses; workloads and NAT gateways have them | remove it, or make it  kind: nat
6:140 wrong-key error networks.x.gateways.b: an egress gateway sits in no subnet and has no addresses; workloads and NAT gateways have them | remove it, or make it  kind: nat
6:180 wrong-key error networks.x.gateways.c: an internet gateway sits in no subnet and has no addresses; workloads and NAT gateways have them | remove it, or make it  kind: nat

== addresses twice, in two families, beside their subnet and reserved in a subnet with none to use
networks:
  x: {range: [10.0.0.0/24, "fd00::/64"], subnets: {s: {range: [10.0.0.0/28, "fd00::/112"]}, u: {range: 10.0.0.16/30}}}
workloads:
  a: {in: x/s, address: [10.0.0.5, "fd00::5"]}
  b: {in: x/s, address: [10.0.0.6, 10.0.0.7]}
  c: {in: x/s, address: ["fd00::5"]}
  d: {in: x/u, address: 10.0.0.17}
  f: {in: x/s, address: "fd00:0:0:1::1"}
--
21:36 two-addresses error workloads.b.address: b has 10.0.0.6 already | keep one of each family
22:26 address-twice error workloads.c.address: fd00::5 is already the address of a | give one of them another address
23:25 address-reserved error workloads.d.address: 10.0.0.17 is reserved: profile zonal reserves the first 4 and the last 1 of 10.0.0.16/30 | the subnet has no usable address
24:25 address-outside error workloads.f.address: fd00:0:0:1::1 does not lie in subnet x/s (10.0.0.0/28, fd00::/112) | choose an address in it

== public addresses that cannot be
networks:
  x: {range: [10.0.0.0/24, "2001:db8::/48"], subnets: {s: {range: [10.0.0.0/28, "2001:db8::/64"]}, v4: {range: 10.0.0.32/28}}, gateways: {g: {kind: nat, in: s, address: 10.0.0.4, public: 240.1.1.1}}}
workloads:
  a: {in: x/s, address: [10.0.0.5, "2001:db8::5"], public: ["2001:db8::9"]}
  b: {in: x/v4, address: 10.0.0.37, public: ["2001:db8::7"]}
  c: {in: x/s, address: [10.0.0.6], public: [255.255.255.255, 203.0.113.9]}
--
6:188 not-public error networks.x.gateways.g.public: 240.1.1.1 is not a public address (reserved, RFC 1112) | write an address that the internet carries
20:61 needless-public error workloads.a.public: the internet carries 2001:db8::5 as it is, so no other address stands for it | take it out
21:46 public-family error workloads.b.public: b has no private address of the family of 2001:db8::7 | add an address of that family
22:46 not-public error workloads.c.public: 255.255.255.255 is not a public address (limited broadcast, RFC 8190) | write an address that the internet carries
22:63 address-twice error workloads.c.public: 203.0.113.9 is already the public address of booking/out | give one of them another address

== two ranges of one kind of route, for some and for all
networks:
  x: {profile: {like: plain}, range: 10.0.0.0/24, groups: {g: {}}, tables: {t: {routes: [{to: 10.9.0.0/16, via: blackhole, only: x/g}, {to: 10.9.0.0/16, via: blackhole, only: g}, {to: 10.9.0.0/16, via: blackhole, only: h}]}}}
  y: {range: 10.1.0.0/24, groups: {g: {}}, tables: {t: {routes: [{to: 10.9.0.0/16, via: blackhole, only: g}]}}}
--
6:136 route-twice error networks.x.tables.t.routes: this table has a route to 10.9.0.0/16, for group g already | keep one of the two
6:220 unknown-name error networks.x.tables.t.routes: there is no group of network x named "h" | did you mean g?
7:106 wrong-key error networks.y.tables.t.routes: under profile zonal a route is for all packets | take  only  out, or set the knob  routes-for-some: true

== what routes lead to and are not joined
networks:
  x: {range: 10.0.0.0/24, tables: {t: {routes: [{to: 10.9.0.0/16, via: quay}, {to: 10.8.0.0/16, via: h}, {to: 10.7.0.0/16, via: ticket-1}, {to: 10.6.0.0/16, via: both}]}}}
sites: {quay: {ranges: 10.212.0.0/16}}
hubs: {h: {tables: {t: {}}}}
--
6:72 not-joined error networks.x.tables.t.routes: site quay is not linked to network x | write  link: x  at the site, or route to the hub that it is behind
6:102 not-joined error networks.x.tables.t.routes: network x is not attached to hub h | add x to attach of the hub, with a hub table
6:129 not-joined error networks.x.tables.t.routes: workload ticket-1 is not in network x | choose a workload of network x
6:163 not-joined error networks.x.tables.t.routes: peering both does not have network x at either end | choose a peering of x: it has none

== rules that name what there is not
networks:
  x: {range: 10.0.0.0/24, groups: {g: {in: [tcp/1 from g, tcp/2 from nowhere, tcp/3 from group y/g, tcp/4 from group booking/wbe, tcp/5 from booking/web]}}}
--
6:45 unknown-name error networks.x.groups.g.in: "g" is a group, and the rule "tcp/1 from g" takes it for a range | write  group g
6:59 unknown-name error networks.x.groups.g.in: there is no network, tier, subnet, site, cluster or block named "nowhere" | known are booking, harbour, x, west
6:79 unknown-name error networks.x.groups.g.in: there is no network named "y" | did you mean x?
6:101 unknown-name error networks.x.groups.g.in: there is no group of network booking named "wbe" | the only one known is web

== a name that stands for two things, in rules, tables, workloads and lists
networks:
  x:
    range: 10.0.0.0/24
    tiers: {web: {}, app: {}}
    subnets: {web: {tier: app, range: 10.0.0.0/28}, app: {tier: app, range: 10.0.0.16/28}}
    tables: {t: {subnets: [web]}}
    lists: {l: {subnets: [x/web], in: [allow any from x/web]}}
    gateways: {g: {kind: nat, in: web, address: 10.0.0.5}}
workloads:
  w: {in: x/web, address: 10.0.0.6}
--
10:28 two-meanings error networks.x.tables.t.subnets: "web" names both a tier and a subnet of network x that is not of that tier | give one of them another name
11:27 two-meanings error networks.x.lists.l.subnets: "web" names both a tier and a subnet of network x that is not of that tier | give one of them another name
11:40 two-meanings error networks.x.lists.l.in: "x/web" names both subnet x/web and tier x/web | give one of them another name, or write the range
12:35 two-meanings error networks.x.gateways.g.in: "web" names both a tier and a subnet of network x that is not of that tier | give one of them another name
26:11 two-meanings error workloads.w.in: "web" names both a tier and a subnet of network x that is not of that tier | give one of them another name

== a table, and a list, that name one subnet twice
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, tables: {t: {subnets: [s, x/s]}}, lists: {l: {subnets: [s, x/s]}}}
--
6:89 table-twice error networks.x.tables.t.subnets: subnet s stands twice | name it once
6:122 two-lists error networks.x.lists.l.subnets: subnet s has list l already | name the subnet in one list only

== doors
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, tables: {t: {routes: []}}, gateways: {g: {kind: nat, in: s, address: 10.0.0.5, arrives: t}, i: {kind: internet, arrives: u}}}
  y: {range: 10.1.0.0/24}
peerings:
  p: {between: [x, y], arrives: {z: t, y: t}}
hubs: {h: {attach: {x: {table: k, arrives: u}, quay: {table: k, arrives: t}}, tables: {k: {}}}}
sites: {quay: {ranges: 10.212.0.0/16}, isle: {ranges: 10.213.0.0/16, link: y, arrives: t}}
--
6:151 wrong-key error networks.x.gateways.g.arrives: nothing new comes in by nat gateway g | take it out
6:184 unknown-name error networks.x.gateways.i.arrives: there is no route table of network x named "u" | did you mean t?
23:34 unknown-name error peerings.p.arrives: there is no end of this peering named "z" | did you mean x?
23:43 unknown-name error peerings.p.arrives: there is no route table of network y named "t" | the only one known is main
25:44 unknown-name error hubs.h.attach: there is no route table of network x named "u" | did you mean t?
25:74 wrong-key error hubs.h.attach: quay is a site, and has no tables that packets could look into | take it out
26:88 unknown-name error sites.isle.arrives: there is no route table of network y named "t" | the only one known is main

== names of hops that stand for two things
networks:
  x: {range: 10.0.0.0/24, subnets: {s: {range: 10.0.0.0/28}}, gateways: {one: {kind: internet}, two: {kind: egress}, three: {kind: internet, attached: false}}}
  y: {range: 10.1.0.0/24}
workloads:
  three: {in: x/s, address: 10.0.0.5, forwards: nat}
  two: {in: x/s, address: 10.0.0.6}
peerings:
  one: {between: [x, y]}
hubs: {one: {attach: {x: k, y: k}, tables: {k: {}}}, other: {attach: {x: k}, tables: {k: {}}}}
hub-links: {x: {between: [one, other], tables: {one: k, other: k}}}
sites: {two: {ranges: 10.212.0.0/16, link: x}}
--
21:3 name-twice error workloads.three: a gateway is named three too (wendrik.yaml:6:118), and a route could mean either | rename one of them
25:3 name-twice error peerings.one: a gateway is named one too (wendrik.yaml:6:74), and a route could mean either | rename one of them
27:8 name-twice error hubs.one: a gateway is named one too (wendrik.yaml:6:74), and a route could mean either | rename one of them
27:8 name-twice error hubs.one: a peering is named one too (wendrik.yaml:25:3), and a route could mean either | rename one of them
28:13 name-twice error hub-links.x: a network is named x too (wendrik.yaml:6:3), and a route could mean either | rename one of them
29:9 name-twice error sites.two: a workload is named two too, and both can be an end of a question | rename one of them
29:9 name-twice error sites.two: a gateway is named two too (wendrik.yaml:6:97), and a route could mean either | rename one of them

== sites that are named as workloads, and links that lead to nothing
sites: {ticket-1: {ranges: 10.212.0.0/16}, isle: {ranges: 10.213.0.0/16, knows: [booking, nowhere]}}
--
22:9 name-twice error sites.ticket-1: a workload is named ticket-1 too, and both can be an end of a question | rename one of them
22:91 unknown-name error sites.isle.knows: there is no network, tier, subnet, site, cluster or block named "nowhere" | known are booking, harbour, isle, ticket-1, west

== hub links with too many ends, and tables of hubs that they do not have
hubs: {h: {tables: {t: {}}}, i: {tables: {t: {}}}, j: {tables: {t: {}}}}
hub-links: {l: {between: [h, i, j]}, m: {between: [h, i], accepted: [h, j], tables: {h: t, i: t, j: t}}}
--
23:27 bad-hub-link error hub-links.l.between: a hub link is between two hubs, not 3 | write  between: [ONE, OTHER]
23:73 unknown-name error hub-links.m.accepted: there is no end of this hub link named "j" | did you mean h?
23:98 unknown-name error hub-links.m.tables: there is no end of this hub link named "j" | did you mean h?

== hub tables
networks:
  x: {range: 10.0.0.0/24}
hubs: {h: {attach: {x: t, booking: t}, tables: {t: {learns: [x, y], routes: [{to: 10.0.0.0/24, via: x}, {to: 10.0.0.0/24, via: booking}, {to: 10.9.0.0/16, via: harbour}, {to: nowhere, via: x}]}}}}
--
23:65 unknown-name error hubs.h.tables.t.learns: there is no attachment of hub h named "y" | did you mean x?
23:105 route-twice error hubs.h.tables.t.routes: this table has a route to 10.0.0.0/24 already | keep one of the two
23:161 unknown-name error hubs.h.tables.t.routes: there is no attachment of hub h named "harbour" | known are booking, x
23:176 unknown-name error hubs.h.tables.t.routes: there is no network, tier, subnet, site, cluster or block named "nowhere" | known are booking, harbour, x, west

== counts
workloads:
  w: {in: booking/web, count: 2, address: 10.144.0.20}
  v: {in: booking/web, addresses: [10.144.0.21]}
  u: {in: booking/web, count: 1, addresses: [10.144.0.22, 10.144.0.23]}
  u-1: {in: booking/web, address: 10.144.0.24}
  k-2: {in: booking/web, address: 10.144.0.25}
  k: {in: booking/web, count: 2, addresses: [10.144.0.26, 10.144.0.27]}
--
19:43 wrong-key error workloads.w.address: w counts 2, and has one address | write  addresses:  with one for each
20:36 wrong-key error workloads.v.addresses: v has addresses and no count | write  address:,  or say how many with  count:
21:59 wrong-key error workloads.u.addresses: u counts 1, and has 2 addresses | take those out that are gone, or raise the count
22:3 name-twice error workloads.u-1: u-1 is already the name of one of u | give it another name
24:3 name-twice error workloads.k: k-2 is the name of a workload, and would be that of number 2 of k | give one of them another name
19:3 not-yet-given pending workloads.w: workload w-1 has no address | carve gives it
19:3 not-yet-given pending workloads.w: workload w-2 has no address | carve gives it
20:3 not-yet-given pending workloads.v: workload v has no address | carve gives it

== targets
workloads:
  a: {in: booking/web, address: 10.144.0.30, targets: [b, c]}
  b: {in: booking/web, address: 10.144.0.31, targets: [ticket-1]}
  c: {in: booking/web, count: 2, addresses: [10.144.0.32]}
--
19:56 target-balancer error workloads.a.targets: b is a balancer itself, and flows are handed on once | name the targets of that one
21:3 not-yet-given pending workloads.c: workload c-2 has no address | carve gives it

== servers of options
dhcp: {office: {dns: [ticket-1, tickets, 10.9.9.9]}}
networks:
  x: {range: 10.0.0.0/24, dhcp: ofice}
--
6:33 unknown-name error networks.x.dhcp: there is no set of DHCP options named "ofice" | did you mean office?
23:33 unknown-name error dhcp.office.dns: there is no workload named "tickets" | did you mean ticket-1?

== held parts, blocks and clusters
networks:
  x: {from: booking, size: /24, held: {h: {for: tills, range: 10.0.1.0/28}}}
clusters: {c: {pods: 10.9.0.0/16}, d: {in: harbour, pods: 10.8.0.0/16, services: 10.7.0.0/16}}
--
6:13 unknown-name error networks.x.from: there is no block named "booking" | the only one known is west
23:12 missing-key error clusters.c: clusters.c has no in | add  in:  the network whose workloads are its nodes

== regions
networks:
  x: {region: [west, north], range: 10.0.0.0/24}
--
6:22 unknown-name error networks.x.region: there is no region named "north" | the only one known is west
6:22 several-regions error networks.x.region: a network whose subnets live in one zone lives in one region | give each region a network of its own

== ends of expectations
expect:
  - ticket-1 reaches booking/web on tcp/443 except ticket-9
  - nobody never reaches internet
  - booking/front never reaches 10.0.0.0/8
  - fd00::1 never reaches both
--
23:5 unknown-name error expect: there is no workload, site, network, tier or subnet named "ticket-9" | did you mean ticket-1?
24:5 unknown-name error expect: there is no workload, site, network, tier or subnet named "nobody" | known are ticket-1, booking, harbour, internet
25:5 unknown-name error expect: there is no workload, site, network, tier or subnet named "booking/front" | known are ticket-1, booking, harbour, internet
26:5 unknown-name error expect: there is no workload, site, network, tier or subnet named "both" | known are ticket-1, booking, harbour, internet
`
