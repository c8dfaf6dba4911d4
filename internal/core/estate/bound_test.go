package estate

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestBound tells all that is bound of plans in which every kind of thing is, and what waits.
func TestBound(t *testing.T) {
	golden.Cases(t, bound, func(t *testing.T, asked string) string {
		e, found := load(t, "wendrik: 1\n"+asked+"\n")
		require.Empty(t, found)
		return describe(e)
	})
}

// TestParts tells of all parts that can fail: whose they are, and who is gone with them.
func TestParts(t *testing.T) {
	golden.Cases(t, parts, func(t *testing.T, asked string) string {
		e, found := load(t, "wendrik: 1\n"+asked+"\n")
		require.Empty(t, found)
		require.False(t, e.Failing())
		var b strings.Builder
		all := e.Parts()
		for i, p := range all {
			fmt.Fprintf(&b, "%d:%d %s %s of %s%s\n", p.At.Line(), p.At.Column(), p.Kind, p.Name, strings.Join(p.Networks(), ","), word(", gone ", names(p.Gone)))
			failing := e.Without(p)
			require.True(t, failing.Failing())
			require.False(t, e.Failing(), "what is out of order there is not so here")
			var out []string
			for _, n := range e.Networks {
				for _, g := range n.Gateways {
					if failing.Out(g) {
						out = append(out, g.ID())
					}
				}
				for _, a := range n.Attachments {
					if failing.Out(a) {
						out = append(out, "attachment of "+n.Name)
					}
				}
			}
			for _, w := range e.Workloads {
				if failing.Out(w) {
					out = append(out, w.Name)
				}
			}
			for _, s := range e.Sites {
				if failing.Out(SiteLink{s}) {
					out = append(out, "link of "+s.Name)
				}
			}
			for _, o := range []Object{e.Peering("p"), e.Hub("h"), e.HubLink("l")} {
				if failing.Out(o) {
					out = append(out, o.ID())
				}
			}
			fmt.Fprintf(&b, "  out: %s%s\n", strings.Join(out, " "), flag(failing.OutForwards(), ", with one that forwards"))
			if i > 0 {
				both := failing.Without(all[0])
				require.Equal(t, len(failing.out)+len(all[0].out), len(both.out)+shared(failing.out, all[0].out), "what failed before stays so")
			}
		}
		return b.String()
	})
}

func shared(out map[any]bool, more []any) (n int) {
	for _, x := range more {
		if out[x] {
			n++
		}
	}
	return n
}

// TestSideBySide: of a plan that is large enough to be bound in parts, each workload and each mistake is what it is in a small one.
func TestSideBySide(t *testing.T) {
	var content strings.Builder
	content.WriteString("wendrik: 1\nnetworks:\n")
	for i := range 5 {
		fmt.Fprintf(&content, "  n%d: {range: 10.%d.0.0/16, subnets: {s: {range: 10.%d.0.0/16}}, groups: {g: {in: [tcp/%d from any, tcp/1 from n9]}}}\n", i, i, i, i+1)
	}
	content.WriteString("workloads:\n")
	const n = 2 * many
	for i := range n {
		group := "g"
		if i%1000 == 7 {
			group = "h"
		}
		fmt.Fprintf(&content, "  w%d: {in: n%d/s, address: 10.%d.%d.%d, groups: %s}\n", i, i%5, i%5, 1+i/250, 1+i%250, group)
	}
	e, found := load(t, content.String())
	var said []string
	for _, f := range found {
		said = append(said, fmt.Sprintf("%d %s %s", f.At.Line(), f.Place, f.Message))
	}
	want := []string{}
	for i := range 5 {
		want = append(want, fmt.Sprintf(`%d networks.n%d.groups.g.in there is no network, tier, subnet, site, cluster or block named "n9"`, 3+i, i))
	}
	for i := 7; i < n; i += 1000 {
		want = append(want, fmt.Sprintf(`%d workloads.w%d.groups there is no group of network n%d named "h"`, 9+i, i, i%5))
	}
	assert.Equal(t, want, said)
	require.Len(t, e.Workloads, n)
	for i, w := range e.Workloads {
		require.Equal(t, i, w.Index)
		require.Equal(t, fmt.Sprint("w", i), w.Name)
		require.Equal(t, w, e.Networks[i%5].Host(w.Addrs[0]).Workload)
		require.Equal(t, i%1000 != 7, len(w.Groups) == 1)
		require.Equal(t, fmt.Sprintf("10.%d.%d.%d", i%5, 1+i/250, 1+i%250), w.Addrs[0].String())
	}
	for _, n := range e.Networks {
		require.Len(t, n.Workloads(), len(e.Workloads)/5)
		require.Equal(t, "tcp/"+fmt.Sprint(n.Ranges[0].Addr().As4()[1]+1), n.Groups[0].In[0].Flows.String())
	}
}

// TestOwn: what is added to a list that a pattern gives makes the list the network's own, with all that the pattern's has,
// the inner pattern before the outer; a list that is the network's own already stays so.
func TestOwn(t *testing.T) {
	const plan = `wendrik: 1
patterns:
  base: {groups: {g: {in: [tcp/1 from any], out: ["tcp/2 to {network}"]}}, lists: {l: {in: [allow any from any], out: []}}}
  more: {pattern: base, groups: {g: {in: ["tcp/3 from {network}"]}}}
networks:
  a: {pattern: more, range: 10.0.0.0/16}
  b: {pattern: more, range: 10.1.0.0/16, groups: {g: {in: [tcp/4 from a]}}}
  c: {range: 10.2.0.0/16, groups: {g: {in: []}}}
`
	e, found := load(t, plan)
	require.Empty(t, found)
	in, out := text.Path{"networks", "a", "groups", "g", "in"}, text.Path{"networks", "a", "groups", "g", "out"}
	after, problems, err := e.With(text.Changes{{Edits: []text.Edit{text.Add(in, text.Word("tcp/9 from b")), text.Add(in, text.Word("tcp/8 from b")), text.Add(out, text.Word("tcp/7 to b")),
		text.Add(text.Path{"networks", "b", "groups", "g", "in"}, text.Word("tcp/6 from c")), text.Add(text.Path{"networks", "c", "groups", "g", "in"}, text.Word("tcp/5 from b"))}}})
	require.NoError(t, err)
	require.Empty(t, problems)
	rules := func(name string) string {
		var b strings.Builder
		g := after.Network(name).Group("g")
		ruleLines(func(_ int, format string, args ...any) { fmt.Fprintf(&b, format+"; ", args...) }, g.In, g.Out)
		return b.String()
	}
	assert.Equal(t, "in 1: tcp/3 a 10.0.0.0/16; in 2: tcp/9 b 10.1.0.0/16; in 3: tcp/8 b 10.1.0.0/16; out 1: tcp/2 a 10.0.0.0/16; out 2: tcp/7 b 10.1.0.0/16; ", rules("a"))
	assert.Equal(t, "in 1: tcp/4 a 10.0.0.0/16; in 2: tcp/6 c 10.2.0.0/16; out 1: tcp/2 b 10.1.0.0/16; ", rules("b"))
	assert.Equal(t, "in 1: tcp/5 b 10.1.0.0/16; ", rules("c"))
	assert.Equal(t, plan, e.Plan.Files.First().Text, "the estate before is as it was")
	_, _, err = e.With(text.Changes{{Edits: []text.Edit{text.Add(text.Path{"wendrik", "x"}, text.Word("z"))}}})
	assert.Error(t, err, "what cannot be made in the text")
}

// TestNamed: all that a word names, in order; a name that was mistyped; and things that go by another name.
func TestNamed(t *testing.T) {
	e, found := load(t, ground+"sites: {quay: {ranges: 10.212.0.0/16}}\nclusters: {west: {in: harbour, pods: 10.9.0.0/16}}\nhubs: {both: {tables: {t: {}}}}\n")
	require.Empty(t, found)
	told := func(word string) string {
		var all []string
		for _, o := range e.Named(word) {
			all = append(all, string(o.Kind())+" "+o.ID()+" at "+o.Place().String())
		}
		return strings.Join(all, "; ")
	}
	assert.Equal(t, "cluster west at clusters.west; block west at space.west", told("west"))
	assert.Equal(t, "peering both at peerings.both; hub both at hubs.both", told("both"))
	assert.Equal(t, "tier booking/web at networks.booking.tiers.web; group booking/web at networks.booking.groups.web", told("booking/web"))
	assert.Equal(t, "subnet booking/web-a at networks.booking.subnets.web-a", told("booking/web-a"))
	assert.Equal(t, "route table booking/main at networks.booking.tables.main", told("booking/main"))
	assert.Equal(t, "gateway booking/out at networks.booking.gateways.out", told("booking/out"))
	assert.Empty(t, told("web")+told("harbor/web")+told("booking/")+told("nowhere"))
	assert.Equal(t, "booking/web-a", e.Near("booking/web-s", SubnetKind))
	assert.Equal(t, "booking", e.Near("bookng", NetworkKind, SubnetKind))
	assert.Empty(t, e.Near("quya", NetworkKind, SubnetKind))
	kinds := []Kind{NetworkKind, SiteKind}
	assert.Equal(t, "quay", e.Near("quya", kinds...))
	assert.Equal(t, []Kind{NetworkKind, SiteKind}, kinds)

	for word, is := range map[string]bool{"internet": true, "10.0.0.1": true, "10.0.0.0/8": true, "quay": true, "ticket-1": true, "booking": true, "booking/web": true, "booking/web-a": true, "west": false, "both": false, "booking/main": false, "10.0.0.1/8": false} {
		assert.Equal(t, is, e.IsEnd(word), word)
	}

	e, found = load(t, "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: n/s, count: 2, addresses: [10.0.0.4, 10.0.0.5]}, x: {in: n/s, address: 10.0.0.6}}\nsites: {q: {ranges: 10.9.0.0/16}}\n")
	require.Empty(t, found)
	e.Call("w", "fares")
	e.Call("x", "tides")
	e.Call("q", "isle")
	e.Call("n", "pier")
	assert.Equal(t, "fares-1,fares-2,tides", names(e.Workloads))
	assert.NotNil(t, e.Workload("fares-2"))
	assert.Nil(t, e.Workload("w-2"))
	assert.Equal(t, "isle", e.Site("isle").Name)
	assert.Equal(t, "fares", e.Sets[0].Name)
	assert.NotNil(t, e.Network("n"), "networks keep theirs")
}

// TestHostsAndAddresses asks estates for what stands where, and as whom the internet knows it.
func TestHostsAndAddresses(t *testing.T) {
	e, found := load(t, `wendrik: 1
profile: zonal
networks:
  n:
    range: [10.0.0.0/16, "2001:db8::/56", "fd00::/56"]
    subnets: {s: {range: [10.0.0.0/24, "2001:db8::/64"]}, u: {range: [10.0.0.0/28, "fd00::/64"]}, wide: {range: 10.0.0.0/20}}
    gateways: {six: {kind: egress}, out: {kind: internet, attached: false}, in: {kind: internet}, nat: {kind: nat, in: s, address: [10.0.0.200, "2001:db8::200"], public: [203.0.113.1, 203.0.113.2]}, wall: {kind: nat, in: u, address: ["fd00::9"]}}
workloads:
  a: {in: n/s, address: [10.0.0.100, "2001:db8::5"], public: 203.0.113.9}
  b: {in: n/u, address: [10.0.0.5, "fd00::5"], public: assigned}
`)
	require.Empty(t, found)
	n := e.Network("n")
	four, six := addr("0.0.0.0"), addr("::")
	a, b, nat, wall := Host{Workload: e.Workload("a")}, Host{Workload: e.Workload("b")}, Host{NAT: n.Gateway("nat")}, Host{NAT: n.Gateway("wall")}
	for who, h := range map[string]Host{"a": a, "b": b, "n/nat": nat, "n/wall": wall, "nobody": {}} {
		assert.Equal(t, who, h.Name())
		assert.Equal(t, who == "nobody", h.Nobody())
	}
	known := func(h Host) string {
		x, has := h.AddrLike(four)
		y, too := h.AddrLike(six)
		s := "none"
		if h.Subnet() != nil {
			s = h.Subnet().Name
		}
		return fmt.Sprint(s, x, has, y, too, h.PublicLike(four), h.PublicLike(six))
	}
	assert.Equal(t, "s10.0.0.100 true 2001:db8::5 true [203.0.113.9] [2001:db8::5]", known(a))
	assert.Equal(t, "u10.0.0.5 true fd00::5 true [240.0.0.1] []", known(b))
	assert.Equal(t, "s10.0.0.200 true 2001:db8::200 true [203.0.113.1 203.0.113.2] [2001:db8::200]", known(nat))
	assert.Equal(t, "uinvalid IP false fd00::9 true [] []", known(wall))
	assert.Equal(t, "noneinvalid IP false invalid IP false [] []", known(Host{}))
	for public, who := range map[string]Host{"203.0.113.9": a, "2001:db8::5": a, "240.0.0.1": b, "203.0.113.2": nat, "2001:db8::200": nat, "fd00::5": {}, "203.0.113.10": {}} {
		assert.Equal(t, who, e.Owner(addr(public)), public)
	}
	for private, who := range map[string]Host{"10.0.0.100": a, "fd00::5": b, "10.0.0.200": nat, "fd00::9": wall, "10.0.0.101": {}} {
		assert.Equal(t, who, n.Host(addr(private)), private)
	}
	for a, s := range map[string]string{"10.0.0.14": "u", "10.0.0.17": "s", "10.0.1.1": "wide", "fd00::1": "u", "10.0.16.1": ""} {
		got := ""
		if x := n.SubnetOf(addr(a)); x != nil {
			got = x.Name
		}
		assert.Equal(t, s, got, a)
	}
	assert.Equal(t, "in", n.InternetGateway().Name, "the one that is attached")
	assert.Equal(t, "n/nat,n/wall", names(n.NATs()))
	assert.Nil(t, n.NATServing(n.Subnet("s")))
	p := netip.MustParsePrefix("10.0.0.0/24")
	for a, is := range map[string]bool{"10.0.0.0": true, "10.0.0.3": true, "10.0.0.4": false, "10.0.0.254": false, "10.0.0.255": true, "10.0.1.0": false, "fd00::1": false} {
		assert.Equal(t, is, n.Reserved(p, addr(a)), a)
	}
	assert.Equal(t, []int{2, 0}, []int{n.Subnet("s").Taken(p), n.Subnet("s").Taken(netip.MustParsePrefix("10.0.0.0/28"))})
	assert.True(t, n.Subnet("u").Has(true) && n.Subnet("u").Has(false) && n.Subnet("wide").Has(true) && !n.Subnet("wide").Has(false))
	router, resolver, dhcp := n.Subnet("s").Served(p)
	assert.Equal(t, "10.0.0.1 10.0.0.2 10.0.0.1", fmt.Sprint(router, " ", resolver, " ", dhcp))
	router, _, _ = n.Subnet("s").Served(netip.MustParsePrefix("10.0.0.0/32"))
	assert.False(t, router.IsValid(), "it is not in the range")
	router, _, _ = n.Subnet("s").Served(netip.MustParsePrefix("fd00::/64"))
	assert.False(t, router.IsValid())

	assert.False(t, e.Outside.Contains(addr("203.0.113.9")) || e.Outside.Contains(addr("2001:db8::77")) || e.Outside.Contains(addr("240.0.0.1")) || e.Outside.Contains(addr("203.0.113.1")))
	assert.True(t, e.Outside.Contains(addr("203.0.113.77")) && e.Outside.Contains(addr("2001:db8:1::")))
	assert.Equal(t, "192.0.2.0", e.StandIn.String())
}

const bound = `
== what is wanted, and what is there of it
profile: {like: zonal, routes-for-some: true}
naming: "{network}-{tier}-{slot}"
regions: {west: [west-a, west-b], north: [north-a]}
space: {all: {block: [10.0.0.0/8, "fd00::/48"]}, west: {block: 10.0.0.0/12, region: west, within: all}, kept: {block: 10.64.0.0/16, held: trains, within: all}}
dhcp: {office: {dns: [dns, 198.51.100.53], ntp: [w]}, bare: {mtu: 1400}}
networks:
  n:
    region: west
    range: [10.0.0.0/16, "fd00::/56"]
    dhcp: office
    naming: "{tier}-{zone}"
    tiers: {a: {access: public, hosts: 9}, b: {access: outbound, hosts: 9, public: assigned}}
    held: {h: {for: bots, range: 10.0.9.0/24}}
    subnets: {a-a: {tier: a, zone: west-a, range: [10.0.0.0/24, "fd00::/64"]}, b-a: {tier: b, zone: west-a, range: 10.0.1.0/24}, b-b: {tier: b, zone: west-b, range: 10.0.2.0/24}, lone: {range: 10.0.3.0/24, public: assigned}}
    gateways: {door: {kind: internet, arrives: t}, nat: {kind: nat, in: a, public: assigned, address: [10.0.0.9, "fd00::9"]}, six: {kind: egress}, shut: {kind: internet, attached: false}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: nat}, {to: quay, via: blackhole, only: g}, {to: "::/0", via: six}]}, t: {subnets: [a, b-b], routes: [{to: berths, via: w-1}, {to: n/b, via: blackhole}]}}
    groups: {g: {in: [tcp/22 from quay, "any from group n/k"], out: [any to n/b, "icmp to fd00::/64"]}, k: {in: [tcp/80 from any]}}
    lists: {l: {subnets: [b], in: [allow any from n/a-a, deny any from any], out: [allow any to berths]}, m: {subnets: [lone], in: [], out: []}}
  m: {region: north, from: west, size: /20, tiers: {c: {access: outbound, hosts: 9}}, tables: {t: {subnets: [c], routes: [{to: 0.0.0.0/0, via: out}, {to: n/b, via: front}]}}}
workloads:
  dns: {in: n/a, address: 10.0.0.4, listens: [udp/53, tcp/53], public: assigned}
  w: {in: n/b, count: 2, addresses: [10.0.1.4, 10.0.2.4], groups: [g, n/k, g], forwards: stateful}
  late: {in: m/c}
  later: {in: n/b, count: 2}
  lb: {in: n/lone, address: 10.0.3.9, public: 203.0.113.7, targets: [w, dns], target-ports: [tcp/8080, tcp/8081]}
  tail: {in: n/lone, address: 10.0.3.10}
sites: {quay: {ranges: [10.212.0.0/16, 10.213.0.0/16], knows: [n, 10.9.0.0/16, m]}}
clusters: {berths: {in: n, pods: 10.220.0.0/16, services: 10.221.0.0/20}}
--
block all [10.0.0.0/8 fd00::/48]
block west [10.0.0.0/12] within all for west
block kept [10.64.0.0/16] within all held
dhcp office: dns dns 198.51.100.53, ntp w-1 w-2
dhcp bare: dns , ntp
network n [10.0.0.0/16 fd00::/56] in west dhcp office named by {tier}-{zone}
  tier n/a of n/a-a
  tier n/b of n/b-a,n/b-b
  held n/h [10.0.9.0/24]
  subnet 0 n/a-a [10.0.0.0/24 fd00::/64] tier a zone west-a table t, lies in "west-a"
    10.0.0.4 is dns
    10.0.0.9 is n/nat
    fd00::9 is n/nat
  subnet 1 n/b-a [10.0.1.0/24] tier b zone west-a table main by default list l, lies in "west-a"
    10.0.1.4 is w-1
  subnet 2 n/b-b [10.0.2.0/24] tier b zone west-b table t list l, lies in "west-b"
    10.0.2.4 is w-2
  subnet 3 n/lone [10.0.3.0/24] table main by default list m, lies in ""
    10.0.3.9 is lb
    10.0.3.10 is tail
  gateway n/door internet attached, arrives in n/t (true)
  gateway n/nat nat attached in a-a has [10.0.0.9 fd00::9] public [240.0.0.1] assigned
  gateway n/six egress attached
  gateway n/shut internet
  table n/main of n/b-a,n/lone, main
    10.0.0.0/16 local 0
    fd00::/56 local 0
    0.0.0.0/0 via gateway nat 1
    ::/0 via gateway six 1
    quay (10.212.0.0/15), for group g via blackhole blackhole 1
  table n/t of n/a-a,n/b-b, a door
    10.0.0.0/16 local 0
    fd00::/56 local 0
    berths (10.220.0.0/16) via workload w-1 1
    berths (10.221.0.0/20) via workload w-1 1
    n/b (10.0.1.0/24) via blackhole blackhole 1
    n/b (10.0.2.0/24) via blackhole blackhole 1
  group n/g of w-1,w-2
    in 1: tcp/22 quay 10.212.0.0/15
    in 2: any group n/k
    out 1: any n/b 10.0.1.0/24
    out 1: any n/b 10.0.2.0/24
    out 2: icmp fd00::/64
  group n/k of w-1,w-2
    in 1: tcp/80 any
  list 0 n/l on n/b-a,n/b-b
    in 1: any n/a-a 10.0.0.0/24
    in 1: any n/a-a fd00::/64
    in 2: deny any any
    out 1: any berths 10.220.0.0/16
    out 1: any berths 10.221.0.0/20
  list 1 n/m on n/lone
  joined by , attached 0, links
network m [] in north from west named by {network}-{tier}-{slot}
  tier m/c of
  table m/t of
  table m/main of , main
  joined by , attached 0, links
set w of w-1,w-2
set later of later-1,later-2
workload 0 dns in n/a-a [10.0.0.4] public [240.0.0.2] assigned listens tcp/53, udp/53
workload 1 w-1 in n/b-a [10.0.1.4] public [240.0.0.3] assigned groups n/g,n/k forwards stateful
workload 2 w-2 in n/b-b [10.0.2.4] public [240.0.0.4] assigned groups n/g,n/k forwards stateful
workload 3 late in tier m/c []
  has no address yet
workload 4 later-1 in tier n/b []
  has no address yet
workload 5 later-2 in tier n/b []
  has no address yet
workload 6 lb in n/lone [10.0.3.9] public [203.0.113.7] targets w-1,w-2,dns on tcp/8080-8081
workload 7 tail in n/lone [10.0.3.10] public [240.0.0.5] assigned
site quay [10.212.0.0/16 10.213.0.0/16] knows [10.9.0.0/16 10.0.0.0/16 fd00::/56] attached 0
cluster berths in n, pods [10.220.0.0/16], services [10.221.0.0/20]
20:110 not-yet-given pending networks.m.tables.t.subnets: tier m/c has no subnets | carve gives it
20:144 not-yet-given pending networks.m.tables.t.routes: network m has no gateway out | wire gives it
20:165 not-yet-given pending networks.m.tables.t.routes: network m has no gateway front | wire gives it
24:3 not-yet-given pending workloads.late: workload late has no address | carve gives it
25:3 not-yet-given pending workloads.later: workload later-1 has no address | carve gives it
25:3 not-yet-given pending workloads.later: workload later-2 has no address | carve gives it
28:80 not-yet-given pending sites.quay.knows: network m has no range | carve gives it

== networks that are the sum of their subnets, with routes that install themselves
profile: regional
regions: {west: [], north: []}
networks:
  one: {region: [west, north], subnets: {a: {range: [10.0.0.0/24, "fd00::/64"]}, b: {region: north, range: 10.0.2.0/24}, z: {}}, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: quay}, {to: 10.8.0.0/16, via: h}, {to: 10.7.0.0/16, via: blackhole}]}, t: {subnets: b, routes: [{to: 0.0.0.0/0, via: blackhole}, {to: 10.0.1.0/24, via: blackhole}]}}, gateways: {n: {kind: nat, serves: [b], public: [203.0.113.5, "2001:db8::5"]}}}
  two: {subnets: {a: {range: 10.0.1.0/24}}, gateways: {own: {kind: internet}}}
  three: {profile: {like: plain, reserved-first: 7}, range: 10.1.0.0/16, subnets: {a: {range: 10.1.0.0/24}}}
peerings:
  p: {between: [one, two], accepted: [two, one], exports: [one], imports: [two]}
  q: {between: [one, three], accepted: [one], exports: [three], imports: [one]}
  r: {between: [three, two], accepted: [three, two], exports: [two], imports: [two]}
hubs: {h: {attach: {one: t}, tables: {t: {}}}}
sites: {quay: {ranges: 10.9.0.0/16, link: one}}
--
network one [10.0.0.0/24 fd00::/64 10.0.2.0/24] in west,north
  subnet 0 one/a [10.0.0.0/24 fd00::/64] table m by default, lies in "west"
  subnet 1 one/b [10.0.2.0/24] table t, lies in "north"
  subnet 2 one/z [] table m by default, lies in "west"
  gateway one/n nat attached serves one/b public [203.0.113.5 2001:db8::5]
  gateway one/internet internet attached born
  table one/m of one/a,one/z, main
    10.0.0.0/24 local 0
    fd00::/64 local 0
    10.0.2.0/24 local 0
    10.9.0.0/16 via site quay 1
    10.8.0.0/16 via hub h 1
    10.7.0.0/16 via blackhole blackhole 1
    10.0.1.0/24 via peering p (installed by itself) 2
    0.0.0.0/0 via gateway internet (there from birth) 3
    ::/0 via gateway internet (there from birth) 3
  table one/t of one/b
    10.0.0.0/24 local 0
    fd00::/64 local 0
    10.0.2.0/24 local 0
    0.0.0.0/0 via blackhole blackhole 1
    10.0.1.0/24 via blackhole blackhole 1
    10.0.1.0/24 via peering p (installed by itself) 2
    ::/0 via gateway internet (there from birth) 3
  custom 10.9.0.0/16 via site quay 1
  custom 10.8.0.0/16 via hub h 1
  joined by p,q, attached 1, links quay
network two [10.0.1.0/24]
  subnet 3 two/a [10.0.1.0/24] table main by default, lies in ""
  gateway two/own internet attached
  table two/main of two/a, main
    10.0.1.0/24 local 0
    10.0.0.0/24 via peering p (installed by itself) 2
    fd00::/64 via peering p (installed by itself) 2
    10.0.2.0/24 via peering p (installed by itself) 2
    10.1.0.0/16 via peering r (installed by itself) 2
    0.0.0.0/0 via gateway own (there from birth) 3
    ::/0 via gateway own (there from birth) 3
    10.9.0.0/16 via peering p (installed by itself) 2
    10.8.0.0/16 via peering p (installed by itself) 2
  joined by p,r, attached 0, links
network three [10.1.0.0/16]
  subnet 4 three/a [10.1.0.0/24] table main by default, lies in ""
  table three/main of three/a, main
    10.1.0.0/16 local 0
  joined by q,r, attached 0, links
peering p of one and two, accepted [true true], exports [true false], imports [false true], stands
  one: the other is two, carries
  two: the other is one
peering q of one and three, accepted [true false], exports [false true], imports [true false]
  one: the other is three
  three: the other is one, carries
peering r of three and two, accepted [true true], exports [false true], imports [false true], stands
  three: the other is two
  two: the other is three
hub h
  attachment of one [10.0.0.0/24 fd00::/64 10.0.2.0/24] looks into "t"
  hub table h/t
site quay [10.9.0.0/16] knows [] linked to one attached 0

== what joins networks, and where they are passed through
networks:
  a: {range: 10.0.0.0/16, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: h}]}}}
  mid: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/24}}, tables: {in: {routes: [{to: 10.9.0.0/16, via: wall}, {to: 10.2.0.0/16, via: p}]}, back: {subnets: s, routes: [{to: a, via: h}]}}}
  far: {range: [10.2.0.0/16, 10.3.0.0/16]}
workloads: {wall: {in: mid/s, address: 10.1.0.5, forwards: plain}, fan: {in: mid/s, address: 10.1.0.6, forwards: nat}}
peerings: {p: {between: [mid, far], accepted: [far], arrives: {far: main, mid: in}}}
hubs:
  h: {region: west, attach: {a: t, mid: {table: u, arrives: in}, isle: u}, tables: {t: {learns: [mid, isle], routes: [{to: 0.0.0.0/0, via: mid}, {to: 10.2.0.0/16, via: l}, {to: 10.6.0.0/16, via: blackhole}, {to: far, via: l}]}, u: {learns: [a]}}}
  i: {attach: {far: t}, tables: {t: {learns: [far]}}}
regions: {west: [west-a]}
hub-links: {l: {between: [i, h], accepted: [i, h], tables: {i: t, h: u}}}
sites: {isle: {ranges: 10.4.0.0/16, knows: [a]}, quay: {ranges: 10.5.0.0/16, link: mid, arrives: back, knows: far}}
--
network a [10.0.0.0/16]
  table a/m of , main
    10.0.0.0/16 local 0
    0.0.0.0/0 via hub h 1
  custom 0.0.0.0/0 via hub h 1
  joined by , attached 1, links
network mid [10.1.0.0/16]
  subnet 0 mid/s [10.1.0.0/24] table back, lies in ""
    10.1.0.5 is wall
    10.1.0.6 is fan
  table mid/in of , a door
    10.1.0.0/16 local 0
    10.9.0.0/16 via workload wall 1
    10.2.0.0/16 via peering p 1
  table mid/back of mid/s, a door
    10.1.0.0/16 local 0
    a (10.0.0.0/16) via hub h 1
  table mid/main of , main
    10.1.0.0/16 local 0
  joined by p, attached 1, links quay
network far [10.2.0.0/16 10.3.0.0/16]
  table far/main of , main, a door
    10.2.0.0/16 local 0
    10.3.0.0/16 local 0
  joined by p, attached 1, links
workload 0 wall in mid/s [10.1.0.5] forwards plain
workload 1 fan in mid/s [10.1.0.6] forwards nat
peering p of mid and far, accepted [false true], exports [false false], imports [false false]
  mid: the other is far, arrives in mid/in (true)
  far: the other is mid, arrives in far/main (true)
hub h links l
  attachment of a [10.0.0.0/16] looks into "t"
  attachment of mid [10.1.0.0/16] looks into "u", arrives in mid/in (true)
  attachment of isle [10.4.0.0/16] looks into "u"
  hub table h/t
    0.0.0.0/0 via network mid 1
    10.2.0.0/16 via hub link l 1
    10.6.0.0/16 via blackhole blackhole 1
    far (10.2.0.0/15) via hub link l 1
    10.1.0.0/16 via network mid (installed by itself) 2
    10.4.0.0/16 via site isle (installed by itself) 2
  hub table h/u
    10.0.0.0/16 via network a (installed by itself) 2
hub i links l
  attachment of far [10.2.0.0/16 10.3.0.0/16] looks into "t"
  hub table i/t
    10.2.0.0/16 via network far (installed by itself) 2
    10.3.0.0/16 via network far (installed by itself) 2
hub link l of i and h, accepted [true true], into "t" and "u", stands
  from i to h, table "u"
  from h to i, table "t"
site isle [10.4.0.0/16] knows [10.0.0.0/16] attached 1
site quay [10.5.0.0/16] knows [10.2.0.0/15] linked to mid, arrives in mid/back (true) attached 0
`

const parts = `
== every kind
regions: {west: [west-a, west-b, west-c]}
profile: zonal
networks:
  n: {region: west, range: 10.0.0.0/16, subnets: {a: {zone: west-a, range: 10.0.0.0/24}, b: {zone: west-b, range: 10.0.1.0/24}}, gateways: {front: {kind: internet}, out: {kind: nat, in: a, address: 10.0.0.9}, two: {kind: nat, in: b, address: 10.0.1.9}}}
  m: {region: west, range: 10.1.0.0/16, subnets: {a: {zone: west-a, range: 10.1.0.0/24}}}
workloads:
  w: {in: n/a, address: 10.0.0.10}
  wall: {in: n/b, address: 10.0.1.10, forwards: stateful}
  v: {in: m/a, address: 10.1.0.10}
peerings: {p: {between: [n, m]}}
hubs: {h: {attach: {n: t, quay: t}, tables: {t: {}}}, k: {attach: {m: t}, tables: {t: {}}}}
hub-links: {l: {between: [h, k], tables: {h: t, k: t}}}
sites: {quay: {ranges: 10.9.0.0/16}, isle: {ranges: 10.8.0.0/16, link: m}}
--
2:18 zone west-a of n,m, gone w,v
  out: n/out w v
2:26 zone west-b of n, gone wall
  out: n/two wall, with one that forwards
5:141 gateway n/front of n
  out: n/front
5:166 NAT gateway n/out of n
  out: n/out
5:210 NAT gateway n/two of n
  out: n/two
9:3 workload wall of n, gone wall
  out: wall, with one that forwards
11:12 peering p of n,m
  out: p
12:8 hub h of n,quay
  out: h
12:55 hub k of m
  out:
13:13 hub link l of n,quay,m
  out: l
12:21 attachment h/n of n
  out: attachment of n
12:27 attachment h/quay of quay
  out:
12:68 attachment k/m of m
  out: attachment of m
14:72 site link isle of m,isle
  out: link of isle
`
