package reach

import (
	_ "embed"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// port is an estate in which everything that should pass does. The tests break it in one place each.
//
//go:embed testdata/port.yaml
var port string

// exit is one with one way out for many networks, and a router that the internet's packets pass.
//
//go:embed testdata/exit.yaml
var exitPlan string

// ask asks one question of port, after replacing some of its content.
func ask(t *testing.T, from, to, on string, change ...string) *Answer {
	t.Helper()
	return askOf(t, port, from, to, on, change...)
}

func askOf(t *testing.T, content, from, to, on string, change ...string) *Answer {
	t.Helper()
	for i := 0; i+1 < len(change); i += 2 {
		require.Contains(t, content, change[i])
		content = strings.Replace(content, change[i], change[i+1], 1)
	}
	e, findings := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, findings)
	asked := flow.Any()
	if on != "" {
		var err error
		asked, err = flow.Parse(on)
		require.NoError(t, err)
	}
	a, err := Find(e, from)
	require.NoError(t, err)
	b, err := Find(e, to)
	require.NoError(t, err)
	return Ask(e, Question{From: a, To: b, Flows: asked})
}

// codes are the codes of an answer's blockers, in order.
func codes(a *Answer) string {
	var out []string
	for _, b := range a.Blockers {
		out = append(out, string(b.Code))
	}
	return strings.Join(out, " ")
}

// walked is a question, and what becomes of it: the verdict, the codes of all blockers, and after > whom the far end sees.
type walked struct {
	name, from, to, on string
	change             []string
	want               string
}

func checkWalks(t *testing.T, content string, all []walked) {
	for _, c := range all {
		a := askOf(t, content, c.from, c.to, c.on, c.change...)
		got := strings.TrimSpace(string(a.Verdict) + " " + codes(a))
		if len(a.SeenAs) > 0 {
			got += " > " + a.SeenAs[0].String()
		}
		assert.Equal(t, c.want, got, "%s: %+v", c.name, a.Blockers)
		for _, b := range a.Blockers {
			assert.NotEmpty(t, b.Message, c.name)
			assert.True(t, b.Fix() != "" || b.Code == "not-there", "%s: %s has no fix", c.name, b.Code)
			assert.True(t, b.At.Known(), "%s: %s has no place", c.name, b.Code)
		}
	}
}

// sixes gives app and feed public IPv6 addresses, and feed a way back over the internet alone.
var sixes = []string{"range: 10.144.0.0/20", `range: [10.144.0.0/20, "2001:db8:1::/48"]`, "app: {range: 10.144.1.0/24}", `app: {range: [10.144.1.0/24, "2001:db8:1:1::/64"]}`,
	"range: 10.148.0.0/20\n    subnets: {feed: {range: 10.148.0.0/24}}", "range: [10.148.0.0/20, \"2001:db8:2::/48\"]\n    gateways: {far: {kind: internet}}\n    subnets: {feed: {range: [10.148.0.0/24, \"2001:db8:2::/64\"]}}",
	"{to: 10.144.0.0/20, via: pair}]}}", `{to: 10.144.0.0/20, via: pair}, {to: "::/0", via: far}]}}`, "tcp/8443 from 10.144.0.0/20", "tcp/8443 from any",
	"address: 10.144.1.10", `address: [10.144.1.10, "2001:db8:1:1::10"]`, "address: 10.148.0.10", `address: [10.148.0.10, "2001:db8:2::10"]`,
	"private: {subnets: [app], routes: [", `private: {subnets: [app], routes: [{to: "2001:db8:2::/48", via: pair}, `}

// some lets routes be for some.
var some = []string{"profile: zonal", "profile: {like: zonal, routes-for-some: true}"}

func TestWalks(t *testing.T) {
	checkWalks(t, port, []walked{
		// Within one network.
		{"same subnet", "shop", "jump", "tcp/443", nil, "open > 10.144.0.10"},
		{"same subnet, past no list and no table", "bare", "db", "tcp/5432", nil, "blocked group-in"},
		{"other subnet", "app", "db", "tcp/5432", nil, "open > 10.144.1.10"},
		{"a rule denies", "odd", "db", "tcp/5432", nil, "blocked list-in"},
		{"an echo", "app", "db", "icmp", nil, "open > 10.144.1.10"},
		{"the list forgets replies", "app", "db", "tcp/5432", []string{"allow tcp/1024-65535 to any, ", ""}, "blocked list-out > 10.144.1.10"},
		{"the list knows some reply ports", "app", "db", "tcp/5432", []string{"allow tcp/1024-65535 to any", "allow tcp/32768-60999 to any"}, "partly list-out > 10.144.1.10"},
		{"replies to the ports that the plan says", "app", "db", "tcp/5432", []string{"allow tcp/1024-65535 to any", "allow tcp/32768-60999 to any", "profile: zonal", "profile: {like: zonal, reply-ports: 32768-60999}"}, "open > 10.144.1.10"},
		{"no rule of the target", "app", "db", "tcp/443", nil, "blocked group-in"},
		{"several flows, some of them", "app", "db", "tcp/5432-5433", nil, "partly group-in > 10.144.1.10"},
		{"a target without a group", "app", "bare", "tcp/22", nil, "blocked no-group"},
		{"a source without a group", "bare", "app", "tcp/443", []string{"allow tcp/1024-65535 to any", "allow tcp to any"}, "open > 10.144.2.11"},
		{"a source whose groups let nothing out", "db", "app", "tcp/443", []string{"allow tcp/1024-65535 to any", "allow tcp to any"}, "blocked group-out"},
		{"one of several groups is enough", "app", "jump", "tcp/443", nil, "open > 10.144.1.10"},
		{"by membership", "jump", "app", "tcp/22", nil, "open > 10.144.0.11"},
		{"without membership", "shop", "app", "tcp/22", nil, "blocked group-in"},
		{"all causes at once", "odd", "db", "tcp/5432", []string{"out: [any to any]}\n      ops", "out: []}\n      ops", "tcp/5432 from 10.144.1.0/24, ", "", "allow tcp/1024-65535 to any, ", ""}, "blocked group-out list-in group-in list-out"},
		{"a more specific route leads away", "app", "db", "tcp/5432", []string{"{to: 10.148.0.0/20, via: pair}, {to: 10.150", "{to: 10.144.2.0/24, via: blackhole}, {to: 10.150"}, "blocked blackhole"},
		{"nobody there", "app", "10.144.2.99", "tcp/5432", nil, "blocked no-workload"},
		{"no subnet there", "app", "10.144.9.9", "tcp/5432", nil, "blocked no-workload"},
		{"a NAT is no target", "app", "10.144.0.200", "tcp/5432", nil, "blocked nat-inbound"},
		{"nor is its public address", "shop", "203.0.113.7", "tcp/443", nil, "blocked nat-inbound"},
		{"not even for what it translates", "app", "203.0.113.7", "tcp/443", nil, "blocked nat-inbound"},
		{"nor from outside", "internet", "203.0.113.7", "tcp/443", nil, "blocked nat-inbound"},

		// The internet.
		{"out with a public address", "shop", "internet", "tcp/443", nil, "open > 203.0.113.20"},
		{"out through NAT", "app", "internet", "tcp/443", nil, "open > 203.0.113.7"},
		{"out through NAT to one address", "app", "198.51.100.9", "udp/53", nil, "open > 203.0.113.7"},
		{"no route out", "db", "internet", "tcp/443", []string{"icmp from 10.144.0.0/16], out: []", "icmp from 10.144.0.0/16], out: [any to any]", "out: [allow tcp/1024-65535 to any", "out: [allow tcp to any"}, "blocked no-route list-in"},
		{"no public address", "jump", "internet", "tcp/443", nil, "blocked no-public-address"},
		{"a gateway that is not attached", "shop", "internet", "tcp/443", []string{"kind: internet", "kind: internet, attached: false"}, "blocked gateway-detached"},
		{"the NAT's subnet has no way out", "app", "internet", "tcp/443", []string{"routes: [{to: 0.0.0.0/0, via: front}, ", "routes: ["}, "blocked no-route"},
		{"the NAT's subnet leads to the NAT", "app", "internet", "tcp/443", []string{"via: front", "via: out"}, "blocked second-nat"},
		{"a NAT without a public address", "app", "internet", "tcp/443", []string{", public: [203.0.113.7]", ""}, "blocked no-public-address"},
		{"in to a public address", "internet", "shop", "tcp/443", nil, "open"},
		{"in to that address itself", "internet", "203.0.113.20", "tcp/443", nil, "open"},
		{"in from one address", "198.51.100.9", "shop", "tcp/443", nil, "open > 198.51.100.9"},
		{"in without a public address", "internet", "jump", "tcp/443", nil, "blocked no-public-address"},
		{"in, and the group says no", "internet", "shop", "tcp/80", nil, "blocked group-in"},
		{"in, and replies know no way", "internet", "shop", "tcp/443", []string{"routes: [{to: 0.0.0.0/0, via: front}, ", "routes: ["}, "blocked no-route"},
		{"in, and replies leave through a NAT", "internet", "shop", "tcp/443", []string{"subnets: [web]", "subnets: []", "subnets: [app]", "subnets: [app, web]"}, "blocked reply-through-nat"},
		{"in for a part of the internet", "internet", "shop", "tcp/443", []string{"tcp/443 from any", "tcp/443 from 198.51.100.0/24"}, "partly group-in"},
		{"in but for a part of the internet", "internet", "shop", "tcp/443", []string{"{to: 10.212.0.0/16, via: quay}", "{to: 198.51.100.0/24, via: blackhole}"}, "partly blackhole"},
		{"one workload to the other's public address", "app", "203.0.113.20", "tcp/443", nil, "open > 203.0.113.7"},
		{"a private address by the way of the internet", "shop", "yard", "tcp/443", nil, "blocked private-to-internet"},

		// Peering.
		{"over a peering", "app", "feed", "tcp/8443", nil, "open > 10.144.1.10"},
		{"over half a peering", "app", "feed", "tcp/8443", []string{"accepted: [booking, harbour]", "accepted: [booking]"}, "blocked peering-half"},
		{"no route there", "app", "feed", "tcp/8443", []string{"[{to: 0.0.0.0/0, via: out}, {to: 10.148.0.0/20, via: pair}, ", "["}, "blocked no-route"},
		{"no route there but by the NAT, whose subnet has one", "app", "feed", "tcp/8443", []string{"{to: 10.148.0.0/20, via: pair}, {to: 10.150", "{to: 10.150"}, "open > 10.144.0.200"},
		{"no route back", "app", "feed", "tcp/8443", []string{"{to: 10.144.0.0/20, via: pair}", ""}, "blocked no-route > 10.144.1.10"},
		{"left on the main table", "app", "feed", "tcp/8443", []string{"private: {subnets: [app]", "private: {subnets: [data]", "data: {range: 10.144.2.0/24}", "data: {range: 10.144.2.0/24, tier: x}", "app: {range: 10.144.1.0/24}", "app: {range: 10.144.1.0/24, tier: x}", "    subnets:\n      web", "    tiers: {x: {hosts: 1}}\n    subnets:\n      web"}, "blocked left-on-main-table"},
		{"three causes over a peering", "app", "feed", "tcp/80", []string{"accepted: [booking, harbour]", "accepted: [harbour]", "{to: 10.144.0.0/20, via: pair}", ""}, "blocked peering-half group-in no-route"},
		{"a group of the peer", "jump", "feed", "tcp/22", nil, "open > 10.144.0.11"},
		{"a group of the peer, where that matches nothing", "jump", "feed", "tcp/22", []string{"    range: 10.148.0.0/20", "    profile: {peer-groups: false}\n    range: 10.148.0.0/20"}, "blocked group-in"},
		{"peers' routes that install themselves", "feed", "app", "tcp/443", []string{"    tables: {main: {main: true, routes: [{to: 10.144.0.0/20, via: pair}]}}", "    profile: {peer-routes: true}"}, "open > 10.148.0.10"},
		{"a peering carries nothing further", "feed", "yard", "tcp/443", []string{"[{to: 10.144.0.0/20, via: pair}]", "[{to: 10.144.0.0/20, via: pair}, {to: 10.150.0.0/20, via: pair}]"}, "blocked no-exported-route not-exported not-imported not-joined"},
		{"nothing joins them", "feed", "yard", "tcp/443", nil, "blocked not-joined"},

		// Hubs and sites.
		{"over a hub", "app", "yard", "tcp/443", nil, "open > 10.144.1.10"},
		{"the hub has not learned the way there", "app", "yard", "tcp/443", []string{"learns: [booking, rail, depot]", "learns: [booking]"}, "blocked hub-no-route"},
		{"the hub has not learned the way back", "app", "yard", "tcp/443", []string{"learns: [booking, rail, depot]", "learns: [rail]"}, "blocked hub-no-route > 10.144.1.10"},
		{"the hub drops on purpose", "app", "yard", "tcp/443", []string{"learns: [booking, rail, depot]", "learns: [booking, rail], routes: [{to: 10.150.0.0/24, via: blackhole}]"}, "blocked blackhole"},
		{"static beats learned", "app", "yard", "tcp/443", []string{"learns: [booking, rail, depot]", "learns: [booking, rail], routes: [{to: 10.150.0.0/20, via: depot}]"}, "blocked not-behind"},
		{"a static route to the wrong network", "app", "yard", "tcp/443", []string{"learns: [booking, rail, depot]", "learns: [booking, rail], routes: [{to: 10.150.0.0/20, via: booking}]"}, "blocked not-behind"},
		{"to a site", "shop", "quay", "tcp/22", nil, "open > 10.144.0.10"},
		{"to an address of a site", "shop", "10.212.3.4", "tcp/22", nil, "open > 10.144.0.10"},
		{"from a site", "quay", "shop", "tcp/443", nil, "open"},
		{"a site that does not know us", "shop", "quay", "tcp/22", []string{"knows: [10.144.0.0/20], link", "link"}, "blocked site-does-not-know > 10.144.0.10"},
		{"a site by the NAT, whose subnet has a route", "app", "quay", "tcp/22", nil, "open > 10.144.0.200"},
		{"from a site behind a hub", "depot", "yard", "tcp/22", []string{"routes: [{to: 10.144.0.0/20, via: spine}]", "routes: [{to: 10.213.0.0/16, via: spine}]"}, "open"},
		{"to a site whose way back is forgotten", "yard", "depot", "tcp/22", []string{"knows: [10.150.0.0/20]", "knows: [10.151.0.0/20]", "routes: [{to: 10.144.0.0/20, via: spine}]", "routes: [{to: 10.213.0.0/16, via: spine}]"}, "blocked site-does-not-know > 10.150.0.10"},
		{"part of a site", "quay", "shop", "tcp/443", []string{"tcp/443 from any", "tcp/443 from 10.212.7.0/24"}, "partly group-in"},

		// What does not leave, and what is named wrongly.
		{"to itself", "shop", "shop", "tcp/443", nil, "open"},
		{"a workload that does not forward", "app", "yard", "tcp/443", []string{"{to: 10.150.0.0/20, via: spine}", "{to: 10.150.0.0/20, via: odd}"}, "blocked not-forwarding"},
		{"an address that two networks have", "app", "feed", "tcp/8443", []string{"    range: 10.148.0.0/20\n    subnets: {feed: {range: 10.148.0.0/24}}", "    range: 10.144.0.0/20\n    subnets: {feed: {range: 10.144.1.0/24}}",
			"{to: 10.144.0.0/20, via: pair}", "", "address: 10.148.0.10", "address: 10.144.1.77"}, "blocked overlap overlap"},

		// What decides between two that could.
		{"replies to the ports of the source's network", "app", "db", "tcp/5432", []string{"allow tcp/1024-65535 to any", "allow tcp/32768-60999 to any", "    range: 10.144.0.0/20", "    profile: {reply-ports: 32768-60999}\n    range: 10.144.0.0/20"}, "open > 10.144.1.10"},
		{"a route by hand beats one that installs itself", "feed", "app", "tcp/443", []string{"    tables: {main: {main: true, routes: [{to: 10.144.0.0/20, via: pair}]}}", "    profile: {peer-routes: true}\n    tables: {main: {main: true, routes: [{to: 10.144.0.0/20, via: blackhole}]}}"}, "blocked blackhole"},
		{"the main table need not stand first", "bare", "feed", "tcp/8443", []string{"      main: {main: true, routes: []}\n", "", "via: spine}]}\n    groups", "via: spine}]}\n      main: {main: true, routes: []}\n    groups", "out: [allow tcp/1024", "out: [allow tcp/8443 to any, allow tcp/1024"}, "blocked no-route list-in"},
		{"a NAT meets the list of its subnet", "app", "internet", "tcp/443", []string{"    lists:\n", "    lists:\n      gate: {subnets: [web], in: [deny tcp/443 from 10.144.1.0/24, allow any from any], out: [allow any to any]}\n"}, "blocked list-in"},
		{"a reply that is led to the NAT that it is for", "app", "jump", "tcp/443", []string{"private: {subnets: [app], routes: [", "private: {subnets: [app], routes: [{to: 10.144.0.11/32, via: out}, ", "public: {subnets: [web], routes: [", "public: {subnets: [web], routes: [{to: 10.144.0.200/32, via: out}, "}, "open > 10.144.0.200"},
		{"a reply to the NAT that its table leads to it", "app", "bare", "icmp", []string{"private: {subnets: [app], routes: [", "private: {subnets: [app], routes: [{to: 10.144.2.0/24, via: out}, ", "main: {main: true, routes: []", "main: {main: true, routes: [{to: 10.144.0.200/32, via: out}]", "bare: {in: booking/data, address: 10.144.2.11}", "bare: {in: booking/data, address: 10.144.2.11, groups: [data]}"}, "open > 10.144.0.200"},
		{"what a NAT turns back goes by its table", "app", "internet", "tcp/443", []string{"public: {subnets: [web], routes: [", "public: {subnets: [web], routes: [{to: 10.144.1.0/24, via: blackhole}, "}, "blocked blackhole > 203.0.113.7"},
		{"a reply that goes over the internet to an address that it carries", "app", "feed", "tcp/8443", sixes, "open > 10.144.1.10"},
		{"a reply that goes over the internet, and no gateway lets it in", "app", "feed", "tcp/8443", append([]string{"kind: internet}", "kind: internet, attached: false}"}, sixes...), "partly no-internet-gateway > 10.144.1.10"},
		{"a route for some beats one for all that is as long", "app", "yard", "tcp/443", append([]string{"{to: 10.150.0.0/20, via: spine}", "{to: 10.150.0.0/20, via: spine}, {to: 10.150.0.0/20, via: blackhole, only: web}"}, some...), "blocked blackhole"},
		{"a route for others", "app", "yard", "tcp/443", append([]string{"{to: 10.150.0.0/20, via: spine}", "{to: 10.150.0.0/20, via: spine}, {to: 10.150.0.0/20, via: blackhole, only: ops}"}, some...), "open > 10.144.1.10"},
		{"a longer route for all beats one for some", "app", "yard", "tcp/443", append([]string{"{to: 10.150.0.0/20, via: spine}", "{to: 10.150.0.0/20, via: spine}, {to: 10.150.0.0/16, via: blackhole, only: web}"}, some...), "open > 10.144.1.10"},
		{"a route for some does not beat a local one", "app", "jump", "tcp/443", append([]string{"{to: 10.150.0.0/20, via: spine}", "{to: 10.150.0.0/20, via: spine}, {to: 10.144.0.0/20, via: blackhole, only: web}"}, some...), "open > 10.144.1.10"},
		{"a site is no way to another", "shop", "depot", "tcp/22", []string{"{to: 10.212.0.0/16, via: quay}", "{to: 10.213.0.0/16, via: quay}"}, "blocked not-behind site-does-not-know"},
		{"a site that has the address, too", "shop", "feed", "tcp/8443", []string{"{to: 10.148.0.0/20, via: pair}, {to: 10.212", "{to: 10.148.0.0/20, via: quay}, {to: 10.212", "ranges: [10.212.0.0/16]", "ranges: [10.212.0.0/16, 10.148.0.0/20]"}, "blocked overlap"},
	})
}

// TestPassingThrough tries networks that are only passed through, and workloads that forward.
func TestPassingThrough(t *testing.T) {
	checkWalks(t, exitPlan, []walked{
		{"out over a hub", "roster", "internet", "tcp/443", nil, "open > 203.0.113.7"},
		{"out over a hub, into no table", "roster", "internet", "tcp/443", []string{"{table: t, arrives: back}", "t"}, "blocked not-behind"},
		{"out over a peering", "guide", "internet", "tcp/443", nil, "open > 203.0.113.7"},
		{"out over a peering, into no table", "guide", "internet", "tcp/443", []string{", arrives: {exit: back}", ""}, "blocked not-behind"},
		{"out from a site", "quay", "internet", "tcp/443", nil, "open > 203.0.113.7"},
		{"out from a site, into no table", "quay", "internet", "tcp/443", []string{"link: exit, arrives: back", "link: exit"}, "blocked not-joined"},
		{"in past a router", "internet", "web", "tcp/443", nil, "open"},
		{"in past a router that lets nothing in", "internet", "web", "tcp/443", []string{"screens: {in: [any from any]", "screens: {in: []"}, "blocked group-in"},
		{"in past a router that lets nothing out", "internet", "web", "tcp/443", []string{"screens: {in: [any from any], out: [any to any]", "screens: {in: [any from any], out: []"}, "blocked group-out"},
		{"in past the list of the router's subnet", "internet", "web", "tcp/443", []string{"gate: {subnets: [guard], in: [allow", "gate: {subnets: [guard], in: [deny tcp/443 from any, allow"}, "blocked list-in"},
		{"in past a router, past none", "internet", "web", "tcp/443", []string{"kind: internet, arrives: screen", "kind: internet", "screens: {in: [any from any]", "screens: {in: []"}, "open"},
		{"in past a firewall that sees one direction", "internet", "web", "tcp/443", []string{"forwards: plain", "forwards: stateful"}, "blocked reply-bypasses"},
		{"replies past a router that lets nothing in", "roster", "internet", "tcp/443", []string{"screens: {in: [any from any]", "screens: {in: []"}, "blocked group-in > 203.0.113.7"},
		{"replies past a firewall that saw nothing", "roster", "internet", "tcp/443", []string{"forwards: plain", "forwards: stateful"}, "blocked reply-unknown > 203.0.113.7"},
		{"a firewall before the NAT does not know the replies behind it", "logs", "internet", "tcp/443", []string{"forwards: plain", "forwards: stateful"}, "blocked reply-unknown > 203.0.113.7"},
		{"over a hub link", "roster", "yard", "tcp/443", nil, "open > 10.144.0.10"},
		{"over a hub link into another table", "roster", "yard", "tcp/443", []string{"north: r}}", "north: other}}"}, "blocked hub-no-route"},
	})
}

// TestWhatPasses asks without a flow: the answer is the exact set.
func TestWhatPasses(t *testing.T) {
	for _, c := range []struct {
		from, to string
		change   []string
		want     string
	}{
		{"app", "db", nil, "partly: tcp/5432, icmp"},
		{"odd", "db", nil, "partly: icmp"},
		{"shop", "app", nil, "partly: tcp/443"},
		{"jump", "app", nil, "partly: tcp/22, tcp/443"},
		{"app", "yard", nil, "open: any"},
		{"app", "bare", nil, "blocked: nothing no-group"},
		{"app", "db", []string{"tcp/5432 from 10.144.1.0/24, icmp", "tcp/5000-6000 from 10.144.1.0/24, udp/53", "in: [deny", "in: [allow tcp/5500-7000 from any, deny udp from any, deny tcp from any, deny"}, "partly: tcp/5500-6000"},
		{"app", "db", []string{"in: [deny", "in: [allow udp from any, deny any from any, deny"}, "blocked: nothing list-in group-in list-out"},
	} {
		a := ask(t, c.from, c.to, "", c.change...)
		assert.Equal(t, c.want, strings.TrimSpace(fmt.Sprintf("%s: %s %s", a.Verdict, a.Full, codes(a))), "%s to %s", c.from, c.to)
	}
}

// TestFixesFix makes the change that each blocker proposes, and asks again until nothing is left to fix.
func TestFixesFix(t *testing.T) {
	for _, c := range []struct {
		from, to, on string
		change       []string
	}{
		{"odd", "db", "tcp/5432", []string{"out: [any to any]}\n      ops", "out: []}\n      ops", "tcp/5432 from 10.144.1.0/24, ", "", "allow tcp/1024-65535 to any, ", ""}},
		{"app", "feed", "tcp/80", []string{"accepted: [booking, harbour]", "accepted: [harbour]", "{to: 10.144.0.0/20, via: pair}", ""}},
		{"db", "internet", "tcp/443", []string{"kind: internet", "kind: internet, attached: false"}},
		{"app", "yard", "tcp/443", []string{"learns: [booking, rail, depot]", "learns: []"}},
		{"feed", "yard", "tcp/443", nil},
		{"shop", "yard", "tcp/443", nil},
		{"internet", "shop", "udp/53", []string{"routes: [{to: 0.0.0.0/0, via: front}, ", "routes: ["}},
		{"quay", "shop", "tcp/22", nil},
	} {
		content := port
		for i := 0; i+1 < len(c.change); i += 2 {
			content = strings.Replace(content, c.change[i], c.change[i+1], 1)
		}
		verdict := Blocked
		for round := 0; verdict != Open && round < 3; round++ {
			e, findings := estate.Load(text.One("wendrik.yaml", content))
			require.Empty(t, findings, content)
			from, _ := Find(e, c.from)
			to, _ := Find(e, c.to)
			asked, _ := flow.Parse(c.on)
			a := Ask(e, Question{From: from, To: to, Flows: asked})
			verdict = a.Verdict
			var edits []text.Edit
			for _, b := range a.Blockers {
				edits = append(edits, b.Edits()...)
			}
			if len(edits) == 0 {
				break
			}
			after, _, err := e.Plan.Files.First().Apply(edits)
			require.NoError(t, err)
			content = string(after)
		}
		assert.Equal(t, Open, verdict, "%s to %s on %s:\n%s", c.from, c.to, c.on, content)
	}
}

func TestNotes(t *testing.T) {
	a := ask(t, "app", "db", "icmp")
	assert.Empty(t, a.Notes)
	a = ask(t, "internet", "shop", "tcp/443-444")
	require.Len(t, a.Notes, 1)
	assert.Equal(t, Note{Kind: Unheard, Workload: a.To.Workload, Flows: a.Notes[0].Flows}, a.Notes[0])
	assert.Equal(t, "tcp/444", a.Notes[0].Flows.String())
}

func TestEndsThatAreNone(t *testing.T) {
	content := strings.Replace(port, "      data: {range: 10.144.2.0/24}", "      data: {range: 10.144.2.0/24}\n      bare: {}", 1)
	e, findings := estate.Load(text.One("wendrik.yaml", content+"  pier: {ranges: 10.9.8.0/24}\n"))
	require.Empty(t, findings)
	e.Workload("bare").Subnet = e.Network("booking").Subnet("bare")
	for word, want := range map[string]string{
		"bare":     "carve gives it one",
		"shopp":    "did you mean shop?",
		"10.9.9.9": "an address of the estate",
		"zzzzz":    "ask for a workload",
	} {
		_, err := FindEnds(e, word)
		require.Error(t, err, word)
		assert.Contains(t, wrong.Right(err), want, word)
	}
}

// TestRegional tries what the regional profile does by itself: a way out from birth, NAT that serves subnets, routes to
// peers.
func TestRegional(t *testing.T) {
	const content = `wendrik: 1
profile: regional
networks:
  one:
    subnets: {a: {range: 10.0.0.0/24}, b: {range: 10.0.1.0/24}}
    gateways: {nat: {kind: nat, serves: [a], public: [203.0.113.1, 203.0.113.2]}}
    groups: {all: {in: [any from any], out: [any to any]}}
  two:
    subnets: {a: {range: 10.1.0.0/24}}
    groups: {all: {in: [any from any], out: [any to any]}}
workloads:
  in-a: {in: one/a, address: 10.0.0.10, groups: all}
  in-b: {in: one/b, address: 10.0.1.10, groups: all}
  open: {in: one/b, address: 10.0.1.11, public: 203.0.113.9, groups: all}
  far: {in: two/a, address: 10.1.0.10, groups: all}
peerings: {p: {between: [one, two], accepted: [one, two]}}
`
	e, findings := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, findings)
	for question, want := range map[string]string{
		"in-a internet": "open [203.0.113.1 203.0.113.2]",
		"in-b internet": "blocked [] no-public-address",
		"open internet": "open [203.0.113.9]",
		"internet open": "open []",
		"in-b far":      "open [10.0.1.10]",
		"far in-a":      "open [10.1.0.10]",
	} {
		words := strings.Fields(question)
		from, _ := Find(e, words[0])
		to, _ := Find(e, words[1])
		a := Ask(e, Question{From: from, To: to, Flows: flow.Any()})
		assert.Equal(t, want, strings.TrimSpace(fmt.Sprint(a.Verdict, " ", a.SeenAs, " ", codes(a))), question)
	}
}

// TestRangesAsEnds asks about parts of the internet, of a site, and of networks, and leaves some out.
func TestRangesAsEnds(t *testing.T) {
	e, findings := estate.Load(text.One("wendrik.yaml", strings.Replace(port, "tcp/443 from any, tcp/22", "tcp/443 from 198.51.100.0/24, tcp/443 from 10.212.7.0/24, tcp/22", 1)))
	require.Empty(t, findings)
	verdict := func(from Ends, to string) Verdict {
		target, err := Find(e, to)
		require.NoError(t, err)
		flows, err := flow.Parse("tcp/443")
		require.NoError(t, err)
		return Ask(e, Question{From: *from.One, To: target, Flows: flows}).Verdict
	}
	ends := func(word string) Ends {
		x, err := FindEnds(e, word)
		require.NoError(t, err, word)
		return x
	}
	for word, want := range map[string]Verdict{
		"198.51.100.0/25": Open, "198.51.100.0/23": Partly, "203.0.114.0/24": Blocked, "10.212.7.0/25": Open, "10.212.0.0/16": Partly, "10.212.8.0/24": Blocked, "internet": Partly,
	} {
		assert.Equal(t, want, verdict(ends(word), "shop"), word)
	}
	assert.Equal(t, Blocked, verdict(ends("internet").Without(ends("198.51.100.0/24")), "shop"))
	assert.Equal(t, Blocked, verdict(ends("quay").Without(ends("10.212.7.0/24")), "shop"))
	assert.Equal(t, Open, verdict(ends("10.212.0.0/20").Without(ends("10.212.0.0/22")).Without(ends("10.212.8.0/21")).Without(ends("10.212.4.0/23")).Without(ends("10.212.6.0/24")), "shop"))
	var names []string
	for _, x := range ends("10.144.0.0/23").Without(ends("app")).Many {
		names = append(names, x.Name)
	}
	assert.Equal(t, []string{"shop", "jump", "odd"}, names)
	assert.True(t, ends("198.51.100.0/24").One.Means("internet", netip.MustParseAddr("198.51.100.9")))
	assert.False(t, ends("198.51.100.0/24").One.Means("internet", netip.MustParseAddr("198.51.101.9")))
	for word, want := range map[string]string{"172.16.0.0/12": "no workload, site or public address lies in", "10.0.0.0/8": "holds addresses of several", "10.144.0.1/24": "its host bits are not zero"} {
		_, err := FindEnds(e, word)
		require.Error(t, err, word)
		assert.Contains(t, err.Error(), want, word)
	}
}

// failing is an estate in which some parts are out of order.
func failing(t *testing.T, plan string, names []string) *estate.Estate {
	t.Helper()
	e, findings := estate.Load(text.One("wendrik.yaml", plan))
	require.Empty(t, findings)
	var parts []estate.Part
	for _, p := range e.Parts() {
		if slices.Contains(names, p.Name) {
			parts = append(parts, p)
		}
	}
	require.Len(t, parts, len(names))
	return e.Without(parts...)
}

// TestSiteWithTwoHubs: a site takes the hub with the longest route, and any of two that have one as long: what passes by one alone may
// pass, and one that is out of order is not taken.
func TestSiteWithTwoHubs(t *testing.T) {
	const plan = `wendrik: 1
profile: plain
networks:
  booking: {range: 10.1.0.0/16, subnets: {app: {range: 10.1.0.0/24}}, groups: {all: {in: [any from any], out: [any to any]}}, tables: {main: {main: true, routes: [{to: 10.200.0.0/16, via: core}]}}}
hubs:
  core: {attach: {booking: main, quay: main}, tables: {main: {learns: [quay, booking]}}}
  east: {attach: {booking: main, quay: main}, tables: {main: {learns: [quay, booking]}}}
sites: {quay: {ranges: 10.200.0.0/16, knows: [10.0.0.0/8]}}
workloads: {clerk: {in: booking/app, address: 10.1.0.9, groups: [all]}}
`
	none := "  east: {attach: {booking: main, quay: main}, tables: {main: {learns: [quay], routes: [{to: 10.1.0.0/16, via: blackhole}]}}}\n"
	both := "  east: {attach: {booking: main, quay: main}, tables: {main: {learns: [quay, booking]}}}\n"
	ask := func(plan string, without ...string) string {
		e := failing(t, plan, without)
		said := ""
		for _, ends := range [][2]string{{"quay", "clerk"}, {"clerk", "quay"}} {
			from, _ := Find(e, ends[0])
			to, _ := Find(e, ends[1])
			flows, _ := flow.Parse("tcp/443")
			a := Ask(e, Question{From: from, To: to, Flows: flows})
			said += fmt.Sprint(a.Verdict, " may ", a.May, " ", codes(a))
			for _, n := range a.Notes {
				if n.Kind == OneRank {
					said += fmt.Sprint(" ", n.Tie.To, " ", n.Tie.Over[0].ID(), " ", n.Tie.Over[1].ID())
				}
			}
			said += "; "
		}
		return said
	}
	assert.Equal(t, "open may nothing ; open may nothing ; ", ask(plan))
	split := strings.Replace(plan, both, none, 1)
	assert.Equal(t, "partly may tcp/443 blackhole 10.1.0.0/16 core east; partly may tcp/443 blackhole 10.1.0.0/16 core east; ", ask(split), "one of them drops it")
	assert.Equal(t, "open may nothing ; open may nothing ; ", ask(split, "east"), "that one is out of order")
	longer := strings.Replace(split, "to: 10.1.0.0/16, via: blackhole", "to: 10.1.0.0/24, via: blackhole", 1)
	assert.Equal(t, "blocked may nothing blackhole; blocked may nothing blackhole; ", ask(longer), "that one has the longer route")
	assert.Equal(t, "open may nothing ; open may nothing ; ", ask(strings.Replace(longer, "10.1.0.0/24, via: blackhole", "10.0.0.0/8, via: blackhole", 1)), "the other one has the longer route")
}

// TestRoutesOfOneRank: what passes by each of two routes to one range passes, what passes by one alone may pass, and one that leads over
// what is out of order is not taken.
func TestRoutesOfOneRank(t *testing.T) {
	const plan = `wendrik: 1
profile: {like: plain, peer-routes: true}
networks:
  booking: {range: 10.1.0.0/16, subnets: {app: {range: 10.1.0.0/24}}, groups: {all: {in: [any from any], out: [any to any]}}}
  east: {range: 10.2.0.0/16, subnets: {gate: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.200.0.0/16, via: core}]}}}
  west: {range: 10.3.0.0/16, subnets: {gate: {range: 10.3.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.200.0.0/16, via: core}]}}}
peerings:
  be: {between: [booking, east], accepted: [booking, east], exports: [east], imports: [booking]}
  bw: {between: [booking, west], accepted: [booking, west], exports: [west], imports: [booking]}
hubs:
  core:
    attach: {east: main, west: other, quay: main}
    tables: {main: {learns: [quay], routes: [{to: 10.1.0.0/16, via: east}]}, other: {learns: [quay]}}
sites: {quay: {ranges: 10.200.0.0/16, knows: [10.0.0.0/8]}}
workloads: {clerk: {in: booking/app, address: 10.1.0.9, groups: [all]}}
`
	ask := func(plan string, out bool, without ...string) string {
		e := failing(t, plan, without)
		from, _ := Find(e, "clerk")
		to, _ := Find(e, "quay")
		if !out {
			from, to = to, from
		}
		flows, _ := flow.Parse("tcp/443,udp/53")
		a := Ask(e, Question{From: from, To: to, Flows: flows})
		var over []string
		for _, n := range a.Notes {
			if n.Kind == OneRank {
				over = append(over, n.Tie.Over[0].ID())
			}
		}
		return fmt.Sprint(a.Verdict, " full ", a.Full, " may ", a.May, " by ", over, " ", codes(a), " ", len(a.EachWay()))
	}
	for _, out := range []bool{true, false} {
		assert.Equal(t, "open full tcp/443, udp/53 may nothing by []  2", ask(plan, out), "both lead there")
		for where, one := range map[string]string{"no route": strings.Replace(plan, "other: {learns: [quay]}", "other: {}", 1), "a blackhole, first": strings.Replace(strings.Replace(plan, "other: {learns: [quay]}", "other: {routes: [{to: 10.200.0.0/16, via: blackhole}]}", 1), "east: main, west: other", "west: main, east: other", 1)} {
			code := map[string]string{"no route": "hub-no-route", "a blackhole, first": "blackhole"}[where]
			assert.Equal(t, "partly full nothing may tcp/443, udp/53 by [be] "+code+" 2", ask(one, out), where)
		}
		one := strings.Replace(plan, "other: {learns: [quay]}", "other: {}", 1)
		assert.Equal(t, "open full tcp/443, udp/53 may nothing by []  1", ask(one, out, "bw"), "the other is out of order")
		assert.True(t, strings.HasPrefix(ask(one, out, "be"), "blocked full nothing may nothing by []"), "the one that leads there is out of order")
	}
}
