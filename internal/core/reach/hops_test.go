package reach_test

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid/gridtest"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// quays is an estate with the rarer kinds of hop: workloads that forward, an egress gateway, a peering that carries
// routes to a site, two hubs with a link, and a balancer.
const quays = `wendrik: 1
networks:
  dock:
    range: [10.10.0.0/16, "2001:db8:10::/48"]
    subnets: {app: {range: [10.10.1.0/24, "2001:db8:10:1::/64"]}, guard: {range: [10.10.2.0/24, "2001:db8:10:2::/64"]}}
    gateways: {six: {kind: egress}, front: {kind: internet}}
    tables:
      main: {main: true, routes: [{to: 10.20.0.0/16, via: watch}, {to: 10.30.0.0/16, via: spine}, {to: 10.40.0.0/16, via: pair}, {to: "::/0", via: six}]}
      guard: {subnets: [guard], routes: [{to: 10.20.0.0/16, via: pair}]}
    groups: {all: {in: [any from any], out: [any to any]}, some: {in: [tcp/22 from any], out: [any to any]}}
  fleet:
    range: [10.20.0.0/16, "2001:db8:20::/48"]
    subnets: {deck: {range: [10.20.1.0/24, "2001:db8:20:1::/64"]}}
    gateways: {front: {kind: internet}}
    tables: {main: {main: true, routes: [{to: 10.10.0.0/16, via: pair}, {to: 10.40.0.0/16, via: yard}, {to: "::/0", via: front}]}}
    groups: {all: {in: [any from any], out: [any to any]}}
  east:
    range: 10.30.0.0/16
    subnets: {pier: {range: 10.30.1.0/24}}
    tables: {main: {main: true, routes: [{to: 10.10.0.0/16, via: rail}]}}
    groups: {all: {in: [any from any], out: [any to any]}}
workloads:
  shop: {in: dock/app, address: [10.10.1.10, "2001:db8:10:1::10"], groups: all}
  front: {in: dock/app, address: 10.10.1.20, groups: all, targets: [watch, shop], target-ports: [tcp/8080]}
  watch: {in: dock/guard, address: [10.10.2.10, "2001:db8:10:2::10"], groups: all, forwards: nat}
  feed: {in: fleet/deck, address: [10.20.1.10, "2001:db8:20:1::10"], groups: all}
  berth: {in: east/pier, address: 10.30.1.10, groups: all}
  old: {in: east/pier, address: "10.30.1.11", groups: all}
peerings: {pair: {between: [dock, fleet], accepted: [dock, fleet], exports: [fleet], imports: [dock]}}
hubs:
  spine: {attach: {dock: t}, tables: {t: {learns: [dock], routes: [{to: 10.30.0.0/16, via: bridge}]}}}
  rail: {attach: {east: t}, tables: {t: {learns: [east], routes: [{to: 10.10.0.0/16, via: bridge}]}}}
hub-links: {bridge: {between: [spine, rail], accepted: [spine, rail], tables: {spine: t, rail: t}}}
sites:
  yard: {ranges: 10.40.0.0/16, knows: [10.20.0.0/16, 10.10.0.0/16], link: fleet}
`

func TestHops(t *testing.T) {
	plainly, router := []string{"forwards: nat", "forwards: stateful"}, []string{"forwards: nat", "forwards: plain"}
	for _, c := range []struct {
		name, from, to, on string
		change             []string
		want               string
	}{
		// Workloads that forward.
		{"through one that translates", "shop", "feed", "tcp/443", nil, "open > 10.10.2.10"},
		{"through one that translates, in one family", "shop", "10.20.1.10", "tcp/443", nil, "open > 10.10.2.10"},
		{"through one that does not, and the reply comes straight back", "shop", "10.20.1.10", "tcp/443", plainly, "blocked reply-bypasses > 10.10.1.10"},
		{"what has no handshake may pass it", "shop", "10.20.1.10", "udp/53", plainly, "partly reply-bypasses > 10.10.1.10, may pass udp/53"},
		{"and an echo", "shop", "10.20.1.10", "icmp", plainly, "partly reply-bypasses > 10.10.1.10, may pass icmp"},
		{"but no TCP beside it", "shop", "10.20.1.10", "tcp/53,udp/53", plainly, "partly reply-bypasses > 10.10.1.10, may pass udp/53"},
		{"of all, all but TCP", "shop", "10.20.1.10", "any", plainly, "partly > 10.10.1.10, may pass udp, icmp, other protocols"},
		{"through a router, and the reply comes straight back", "shop", "10.20.1.10", "tcp/443", router, "open > 10.10.1.10"},
		{"past its groups", "shop", "10.20.1.10", "tcp/443", []string{"groups: all, forwards", "groups: some, forwards"}, "blocked group-in"},
		{"it is in no group", "shop", "10.20.1.10", "tcp/443", []string{"groups: all, forwards", "forwards"}, "blocked no-group"},
		{"two that translate", "shop", "10.20.1.10", "tcp/443", []string{"guard: {subnets: [guard], routes: [{to: 10.20.0.0/16, via: pair}]}", "guard: {subnets: [guard], routes: [{to: 10.20.0.0/16, via: watch}]}"}, "blocked second-nat"},
		{"round and round", "shop", "10.20.1.10", "tcp/443", append(plainly, "guard: {subnets: [guard], routes: [{to: 10.20.0.0/16, via: pair}]}", "guard: {subnets: [guard], routes: [{to: 10.20.0.0/16, via: watch}]}"), "blocked endless"},
		{"a reply through one that did not see the flow", "feed", "10.10.1.10", "tcp/443", append(router, "groups: all, forwards", "groups: some, forwards"), "blocked group-in > 10.20.1.10"},
		{"a reply through a firewall that did not see the flow", "feed", "10.10.1.10", "tcp/443", append(plainly, "groups: all, forwards", "groups: some, forwards"), "blocked reply-unknown > 10.20.1.10"},
		{"a reply of UDP through it is as a new flow to it, which its groups do not let in", "feed", "10.10.1.10", "udp/53", append(plainly, "groups: all, forwards", "groups: some, forwards"), "blocked reply-unknown group-in > 10.20.1.10"},
		{"or do, and then it may pass", "feed", "10.10.1.10", "udp/53", plainly, "partly reply-unknown > 10.20.1.10, may pass udp/53"},
		{"a reply through one that lets it pass all the same", "feed", "10.10.1.10", "tcp/443", router, "open > 10.20.1.10"},
		{"a reply that one translates", "feed", "10.10.1.10", "tcp/443", nil, "blocked reply-through-nat > 10.20.1.10"},

		// IPv6: out, and back the way it came.
		{"out by the egress gateway", "shop", "2001:db8:ffff::1", "tcp/443", nil, "open > 2001:db8:10:1::10"},
		{"in, where replies leave by the egress gateway", "2001:db8:ffff::1", "shop", "tcp/443", nil, "blocked reply-to-internet > 2001:db8:ffff::1"},
		{"in by the internet gateway", "2001:db8:ffff::1", "shop", "tcp/443", []string{"via: six", "via: front"}, "open > 2001:db8:ffff::1"},
		{"an egress gateway carries no IPv4", "shop", "198.51.100.1", "tcp/443", []string{`{to: "::/0", via: six}`, "{to: 0.0.0.0/0, via: six}"}, "blocked egress-family no-public-address"},
		{"from network to network by the internet", "shop", "2001:db8:20:1::10", "tcp/443", nil, "open > 2001:db8:10:1::10"},
		{"and the reply by the peering", "shop", "2001:db8:20:1::10", "tcp/443", []string{`{to: "::/0", via: front}`, `{to: "2001:db8:10::/48", via: pair}`}, "open > 2001:db8:10:1::10"},
		{"no family in common", "shop", "old", "tcp/443", []string{`"10.30.1.11"`, `"2001:db8:30:1::11"`, "range: 10.30.0.0/16", `range: [10.30.0.0/16, "2001:db8:30::/48"]`, "{range: 10.30.1.0/24}", `{range: [10.30.1.0/24, "2001:db8:30:1::/64"]}`,
			`shop: {in: dock/app, address: [10.10.1.10, "2001:db8:10:1::10"]`, "shop: {in: dock/app, address: [10.10.1.10]"}, "blocked no-common-family"},

		// A reply must come from the address that was asked, and back to who knows the flow.
		{"to a public address, and the reply past the gateway", "feed", "2001:db8:aaaa::1", "tcp/443", []string{
			"range: [10.10.0.0/16, \"2001:db8:10::/48\"]", "range: [10.10.0.0/16, \"fd3a:10::/48\"]",
			"app: {range: [10.10.1.0/24, \"2001:db8:10:1::/64\"]}, guard: {range: [10.10.2.0/24, \"2001:db8:10:2::/64\"]}", "app: {range: [10.10.1.0/24, \"fd3a:10:0:1::/64\"]}, guard: {range: [10.10.2.0/24, \"fd3a:10:0:2::/64\"]}",
			"shop: {in: dock/app, address: [10.10.1.10, \"2001:db8:10:1::10\"]", "shop: {in: dock/app, address: [10.10.1.10, \"fd3a:10:0:1::10\"], public: \"2001:db8:aaaa::1\"",
			"watch: {in: dock/guard, address: [10.10.2.10, \"2001:db8:10:2::10\"]", "watch: {in: dock/guard, address: 10.10.2.10",
			"{to: \"::/0\", via: six}", "{to: \"2001:db8:20::/48\", via: pair}"}, "blocked reply-from-stranger > 2001:db8:20:1::10"},
		{"the next hop is the destination itself", "shop", "watch", "tcp/443", []string{"{to: 10.20.0.0/16, via: watch}", "{to: 10.10.2.0/24, via: watch}"}, "open > 10.10.1.10"},

		// What a peering carries, and what hubs hand to each other.
		{"to a site behind a peer", "shop", "yard", "tcp/443", nil, "open > 10.10.1.10"},
		{"from a site behind a peer", "yard", "shop", "tcp/443", nil, "open"},
		{"the peer does not export", "shop", "yard", "tcp/443", []string{"exports: [fleet], ", ""}, "blocked not-exported"},
		{"we do not import", "yard", "shop", "tcp/443", []string{", imports: [dock]", ""}, "blocked not-imported"},
		{"over a hub link", "shop", "berth", "tcp/443", nil, "open > 10.10.1.10"},
		{"over half a hub link", "shop", "berth", "tcp/443", []string{"accepted: [spine, rail]", "accepted: [spine]"}, "blocked hub-link-half"},
		{"the far hub has no way back", "shop", "berth", "tcp/443", []string{"learns: [east], routes: [{to: 10.10.0.0/16, via: bridge}]", "learns: [east]"}, "blocked hub-no-route > 10.10.1.10"},
		{"hubs that point at each other", "shop", "berth", "tcp/443", []string{"learns: [east], routes: [", "learns: [], routes: [{to: 10.30.0.0/16, via: bridge}, "}, "blocked endless"},

		// A balancer: its front, then each target.
		{"through a balancer", "berth", "front", "tcp/443", nil, "open > 10.30.1.10"},
		{"one target is shut", "berth", "front", "tcp/443", []string{"groups: all, forwards", "groups: some, forwards"}, "partly group-in > 10.30.1.10"},
		{"the front is shut", "berth", "front", "tcp/443", []string{"groups: all, targets", "groups: some, targets"}, "blocked group-in"},
		{"on what it was asked", "berth", "front", "tcp/22", []string{", target-ports: [tcp/8080]", "", "groups: all, forwards", "groups: some, forwards"}, "open > 10.30.1.10"},
	} {
		content := quays
		for i := 0; i+1 < len(c.change); i += 2 {
			require.Contains(t, content, c.change[i], c.name)
			content = strings.Replace(content, c.change[i], c.change[i+1], 1)
		}
		e, findings := estate.Load(text.One("wendrik.yaml", content))
		require.Empty(t, findings, c.name)
		from, err := reach.Find(e, c.from)
		require.NoError(t, err)
		to, err := reach.Find(e, c.to)
		require.NoError(t, err)
		on, _ := flow.Parse(c.on)
		a := reach.Ask(e, reach.Question{From: from, To: to, Flows: on})
		got := strings.TrimSpace(string(a.Verdict) + " " + codesOf(a))
		if len(a.SeenAs) > 0 {
			got += " > " + a.SeenAs[0].String()
		}
		if !a.May.Empty() {
			got += ", may pass " + a.May.String()
			require.True(t, a.Some.Covers(a.May) && a.Full.Intersect(a.May).Empty(), c.name)
			require.Equal(t, a.May.Equal(on), a.OnlyMay(), c.name)
		}
		assert.Equal(t, c.want, got, "%s: %+v", c.name, a.Blockers)
		for _, b := range a.Blockers {
			assert.True(t, b.Message != "" && b.Fix() != "" && b.At.Known(), "%s: %+v", c.name, b)
		}
		gridtest.Check(t, content)
	}
}

// TestAnotherWayBack: a reply that comes back by something else is told, though it passes.
func TestAnotherWayBack(t *testing.T) {
	content := strings.Replace(quays, `{to: "::/0", via: front}`, `{to: "2001:db8:10::/48", via: pair}`, 1)
	e, _ := estate.Load(text.One("wendrik.yaml", content))
	from, _ := reach.Find(e, "shop")
	to, _ := reach.Find(e, "2001:db8:20:1::10")
	a := reach.Ask(e, reach.Question{From: from, To: to, Flows: flow.Any()})
	require.Equal(t, reach.Open, a.Verdict)
	require.Len(t, a.Notes, 1)
	var crossed [2][]string
	for i, all := range a.Notes[0].Crossed {
		for _, o := range all {
			crossed[i] = append(crossed[i], o.ID())
		}
	}
	assert.Equal(t, reach.AnotherWayBack, a.Notes[0].Kind)
	assert.Equal(t, [2][]string{{"dock/six", "fleet/front"}, {"pair"}}, crossed)
}

// codesOf are the codes of an answer's blockers, in order.
func codesOf(a *reach.Answer) string {
	var out []string
	for _, b := range a.Blockers {
		out = append(out, string(b.Code))
	}
	return strings.Join(out, " ")
}

// TestTwoTranslate: each that translates does so, and each turns its replies back; one that gets a packet once more ends it.
func TestTwoTranslate(t *testing.T) {
	t.Parallel()
	e := estatetest.Load(t, `wendrik: 1
networks:
  a:
    range: 10.0.0.0/16
    subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, z: {range: 10.0.2.0/24}, l: {range: 10.0.3.0/24}}
    groups: {g: {in: [any from any], out: [any to any]}}
    gateways: {i: {kind: internet}, n: {kind: nat, in: z, address: 10.0.2.9, public: 203.0.113.9}}
    tables:
      x: {subnets: [x], routes: [{to: 0.0.0.0/0, via: f}]}
      y: {subnets: [y], routes: [{to: 0.0.0.0/0, via: n}]}
      z: {subnets: [z], routes: [{to: 0.0.0.0/0, via: i}]}
      l: {subnets: [l], routes: [{to: 0.0.0.0/0, via: e}]}
workloads:
  w: {in: a/x, address: 10.0.0.9, groups: g}
  f: {in: a/y, address: 10.0.1.9, groups: g, forwards: nat}
  v: {in: a/l, address: 10.0.3.10, groups: g}
  e: {in: a/l, address: 10.0.3.9, groups: g, forwards: nat}
`)
	a := ask(t, e, []string{"w", "internet", "tcp/443"})
	require.Equal(t, reach.Open, a.Verdict, "%+v", a.Blockers)
	assert.Equal(t, []netip.Addr{netip.MustParseAddr("203.0.113.9")}, a.SeenAs)
	var back []string
	for _, h := range a.Ways[0].Back {
		if h.Did == reach.TurnedBack {
			back = append(back, h.Object.ID())
		}
	}
	assert.Equal(t, []string{"a/n", "f"}, back, "the last that translated turns back first")
	round := ask(t, e, []string{"v", "internet", "tcp/443"})
	assert.Equal(t, reach.Blocked, round.Verdict)
	assert.Equal(t, reach.SecondNAT, round.Blockers[0].Code)
}
