package estate

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestBound tells all that is bound of plans in which every kind of thing is, and what waits.
func TestBound(t *testing.T) {
	golden.File(t, "bound.txt", func(t *testing.T, asked string) string {
		e, found := load(t, "wendrik: 1\n"+asked+"\n")
		require.Empty(t, found)
		return describe(e)
	})
}

// TestParts tells of all parts that can fail: whose they are, and who is gone with them.
func TestParts(t *testing.T) {
	golden.File(t, "parts.txt", func(t *testing.T, asked string) string {
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

// TestWatched: an estate that is watched notes each thing that it is asked for, once until that is taken, and answers as it would.
func TestWatched(t *testing.T) {
	e, found := load(t, "wendrik: 1\nnetworks:\n  a: {range: 10.0.0.0/16, gateways: {exit: {kind: nat, in: s, address: 10.0.0.9, public: [203.0.113.9]}}, subnets: {s: {range: 10.0.0.0/24}}}\n  b: {range: 10.1.0.0/16}\n  c: {range: 10.2.0.0/16}\n"+
		"peerings: {ab: {between: [a, b], accepted: [a, b]}, bc: {between: [b, c], accepted: [b, c]}}\n")
	require.Empty(t, found)
	var gateways, peerings []Part
	for _, p := range e.Parts() {
		switch p.Kind {
		case "NAT gateway":
			gateways = append(gateways, p)
		case "peering":
			peerings = append(peerings, p)
		}
	}
	require.Len(t, gateways, 1)
	require.Len(t, peerings, 2)
	out := func(e *Estate) any { return slices.Collect(e.OutOfOrder())[0] }
	nat, one, other := out(e.Without(gateways[0])), out(e.Without(peerings[0])), out(e.Without(peerings[1]))
	for _, failing := range []*Estate{e, e.Without(gateways[0])} {
		watched, watch := failing.Watched()
		assert.Empty(t, watch.Take())
		for range 2 {
			assert.Equal(t, failing != e, watched.Out(nat))
			assert.False(t, watched.Out(one))
		}
		assert.ElementsMatch(t, []any{nat, one}, watch.Take())
		assert.Empty(t, watch.Take(), "it is taken")
		assert.False(t, watched.Out(other))
		assert.Equal(t, []any{other}, watch.Take())
		assert.Equal(t, failing != e, failing.Failing())
		assert.Equal(t, failing != e, failing.Out(nat), "nothing is noted where nobody watches")
		assert.Empty(t, watch.Take())
		assert.Equal(t, failing != e, failing.AnyOut([]any{one, nat}))
		assert.False(t, failing.AnyOut([]any{one, other}))
	}
	assert.ElementsMatch(t, []any{nat, one}, slices.Collect(e.Without(gateways[0], peerings[0]).OutOfOrder()))
}
