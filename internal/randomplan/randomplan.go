// Package randomplan writes small estates at random for tests: with every kind of hop and filter that a packet can
// meet, put together without much sense, so that much passes and much does not.
package randomplan

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// Write writes a plan of two or three networks with the numbers of rng. The same numbers give the same plan. Every plan
// can be loaded without a finding.
func Write(rng *rand.Rand) string {
	w := &writer{rng: rng, networks: 2 + rng.IntN(2)}
	w.six = make([]string, w.networks)
	w.far = w.networks - w.rng.IntN(2)
	for n := range w.networks {
		// Public addresses that the internet carries as they are, ones that it does not, or none.
		w.six[n] = w.pick("", fmt.Sprintf("2001:db8:%d::/48", n), fmt.Sprintf("2001:db8:%d::/48", n), fmt.Sprintf("fd00:1:%d::/48", n))
		w.ranges = append(w.ranges, w.network(n)...)
		for s := range subnets {
			w.ranges = append(w.ranges, w.subnet(n, s)...)
		}
		w.ranges = append(w.ranges, w.hosts(n, w.rng.IntN(subnets), 10)...)
	}
	w.ranges = append(w.ranges, "0.0.0.0/0", "::/0", "198.51.100.0/24", "198.51.100.128/25", "2001:db8:ff00::/40", "2001:db8:ffff::/48",
		"10.200.0.0/16", "10.200.7.0/24", "10.201.0.0/16", "fd20:1::/48")
	w.line("wendrik: 1\nprofile: {like: plain, peer-groups: %v, reply-ports: %s}\nnetworks:", w.some(70), w.pick("1024-65535", "32768-60999"))
	for n := range w.networks {
		w.writeNetwork(n)
	}
	w.workloads()
	w.joins()
	return w.String()
}

// subnets is how many subnets a network has. The last two have the same table, and often the same list.
const subnets = 4

type writer struct {
	strings.Builder
	rng      *rand.Rand
	networks int
	far      int      // the network that is attached to the second hub; none when it is as many as there are
	six      []string // of each network, its IPv6 range or nothing
	ranges   []string // what rules and routes speak of
}

func (w *writer) line(format string, args ...any) { fmt.Fprintf(w, format+"\n", args...) }

func (w *writer) pick(words ...string) string { return words[w.rng.IntN(len(words))] }

func (w *writer) some(percent int) bool { return w.rng.IntN(100) < percent }

// network are the ranges of a network, subnet those of one of its subnets, and hosts one address in that, as ranges.
func (w *writer) network(n int) []string { return w.both(n, fmt.Sprintf("10.%d.0.0/16", n), w.six[n]) }

func (w *writer) subnet(n, s int) []string {
	return w.both(n, fmt.Sprintf("10.%d.%d.0/24", n, s), strings.Replace(w.six[n], "::/48", fmt.Sprintf(":%d::/64", s), 1))
}

func (w *writer) hosts(n, s, host int) []string {
	return w.both(n, fmt.Sprintf("10.%d.%d.%d/32", n, s, host), strings.Replace(w.six[n], "::/48", fmt.Sprintf(":%d::%d/128", s, host), 1))
}

func (w *writer) both(n int, four, six string) []string {
	if w.six[n] == "" {
		return []string{four}
	}
	return []string{four, six}
}

// list writes words as a YAML list; addresses are ranges without their length.
func list(words []string) string { return "[" + strings.Join(words, ", ") + "]" }

func addresses(ranges []string) string {
	var out []string
	for _, r := range ranges {
		a, _, _ := strings.Cut(r, "/")
		out = append(out, a)
	}
	return list(out)
}

func (w *writer) flows() string {
	return w.pick("any", "tcp", "tcp/443", "tcp/80-443", "tcp/1024-65535", "tcp/32768-60999", "udp", "udp/53", "udp/1024-65535", "icmp")
}

func (w *writer) peer() string {
	switch {
	case w.some(40):
		return "any"
	case w.some(30):
		return fmt.Sprintf("group g%d", w.rng.IntN(2))
	case w.some(30):
		return fmt.Sprintf("group n%d/g%d", w.rng.IntN(w.networks), w.rng.IntN(2))
	}
	return w.pick(w.ranges...)
}

// rules writes up to three rules at random, and often one that lets everything through.
func (w *writer) rules(dir string, inList bool) string {
	allow := ""
	if inList {
		allow = "allow "
	}
	var out []string
	for range w.rng.IntN(4) {
		r := fmt.Sprintf("%s %s %s", w.flows(), dir, w.peer())
		if inList {
			r = w.pick("allow", "allow", "deny") + " " + r
		}
		out = append(out, r)
	}
	if w.some(60) {
		out = append(out, allow+"any "+dir+" any")
	}
	return list(out)
}

func (w *writer) writeNetwork(n int) {
	ports := w.pick("", "", "", ", reply-ports: 40000-50000")
	w.line("  n%d:\n    range: %s\n    profile: {peer-routes: %v%s}\n    subnets:", n, list(w.network(n)), w.some(30), ports)
	for s := range subnets {
		w.line("      s%d: {range: %s}", s, list(w.subnet(n, s)))
	}
	public := ""
	if w.some(80) {
		public = fmt.Sprintf(", public: 203.0.113.%d", 200+n)
	}
	nat := fmt.Sprintf("10.%d.%d.200", n, n%2)
	if w.six[n] != "" && w.some(50) { // a NAT of both families
		nat = addresses(w.hosts(n, n%2, 200))
		if public != "" && w.some(60) {
			public = fmt.Sprintf(", public: [203.0.113.%d, \"2001:db8:aaaa::%d\"]", 200+n, n+1)
		}
	}
	w.line("    gateways:\n      gate: {kind: internet, attached: %v%s}\n      nat: {kind: nat, in: s%d, address: %s%s}", w.some(85), w.pick("", "", "", "", ", arrives: in"), n%2, nat, public)
	w.line("      six: {kind: egress}\n    tables:")
	for i, name := range []string{"main", "t0", "t1", "in"} {
		w.line("      %s: {%s, routes: %s}", name, []string{"main: true", "subnets: [s0]", "subnets: [s1]", "subnets: []"}[i], w.routes(n))
	}
	w.line("    groups:")
	for g := range 2 {
		w.line("      g%d: {in: %s, out: %s}", g, w.rules("from", false), w.rules("to", false))
	}
	w.line("    lists:\n      l: {subnets: %s, in: %s, out: %s}", w.pick("[s0]", "[s1]", "[s2, s3]"), w.rules("from", true), w.rules("to", true))
}

// routes writes the routes of a table of a network: more or less sensible ones, and mostly a default.
func (w *writer) routes(n int) string {
	seen, out := map[string]bool{}, []string{}
	for _, own := range w.network(n) {
		seen[own] = true
	}
	add := func(to, via string) {
		if !seen[to] {
			seen[to] = true
			out = append(out, fmt.Sprintf("{to: %q, via: %s}", to, via))
		}
		if only := fmt.Sprintf("g%d", w.rng.IntN(2)); w.some(8) && !seen[to+only] {
			seen[to+only] = true
			out = append(out, fmt.Sprintf("{to: %q, via: %s, only: %s}", to, w.pick("gate", "nat", "blackhole", w.hub(n), w.forwarder(n)), only))
		}
	}
	var peers []string
	for m := range w.networks {
		if m != n {
			peers = append(peers, peering(n, m))
		}
	}
	any := append([]string{"gate", "gate", "nat", "nat", "six", "blackhole", w.hub(n), w.forwarder(n), w.forwarder(n)}, peers...)
	if n == 0 {
		any = append(any, "quay")
	}
	for range w.rng.IntN(7) {
		to, via := w.pick(w.ranges...), w.pick(any...)
		for m := range w.networks { // mostly the right way
			of := strings.HasPrefix(to, fmt.Sprintf("10.%d.", m)) || w.six[m] != "" && strings.HasPrefix(to, strings.TrimSuffix(w.six[m], "::/48"))
			if m != n && of && w.some(70) {
				via = w.pick(peering(n, m), w.hub(n))
			}
		}
		add(to, via)
	}
	if w.some(60) {
		add("0.0.0.0/0", w.pick("gate", "nat", w.forwarder(n)))
	}
	if w.some(60) {
		add("::/0", w.pick("gate", "six"))
	}
	return list(out)
}

func peering(n, m int) string { return fmt.Sprintf("p%d%d", min(n, m), max(n, m)) }

func (w *writer) hub(n int) string {
	if n == w.far {
		return "rail"
	}
	return "hub"
}

func (w *writer) forwarder(n int) string { return fmt.Sprintf("f%d", n) }

func (w *writer) workloads() {
	groups := func() string {
		return w.pick("", ", groups: [g0]", ", groups: [g0]", ", groups: [g1]", ", groups: [g0, g1]")
	}
	w.line("workloads:")
	for n := range w.networks {
		for s := range subnets {
			for host := range 1 + w.rng.IntN(2) {
				public := ""
				if w.some(40) {
					public = fmt.Sprintf(", public: 203.0.113.%d", n*20+s*4+host)
				}
				w.line("  w%d%d%d: {in: n%d/s%d, address: %s%s%s}", n, s, host, n, s, addresses(w.hosts(n, s, 10+host)), public, groups())
			}
		}
		s := w.rng.IntN(subnets)
		w.line("  b%d: {in: n%d/s%d, address: %s, targets: [w%d00, w%d10]%s%s}", n, n, 1, addresses(w.hosts(n, 1, 60)), n, w.rng.IntN(w.networks),
			w.pick("", ", target-ports: [tcp/443]"), groups())
		w.line("  %s: {in: n%d/s%d, address: %s, forwards: %s%s}", w.forwarder(n), n, s, addresses(w.hosts(n, s, 50)), w.pick("plain", "stateful", "nat"), groups())
	}
}

// joins writes peerings, two hubs with a link between, and two sites: one linked to a network, one behind a hub.
func (w *writer) joins() {
	ends := func(n, m string, percent int) string {
		var out []string
		for _, x := range []string{n, m} {
			if w.some(percent) {
				out = append(out, x)
			}
		}
		return list(out)
	}
	w.line("peerings:")
	for n := range w.networks {
		for m := n + 1; m < w.networks; m++ {
			a, b := fmt.Sprintf("n%d", n), fmt.Sprintf("n%d", m)
			arrives := w.pick("", "", "", "", fmt.Sprintf(", arrives: {%s: in}", a), fmt.Sprintf(", arrives: {%s: in, %s: in}", a, b))
			w.line("  %s: {between: [%s, %s], accepted: %s, exports: %s, imports: %s%s}", peering(n, m), a, b, ends(a, b, 85), ends(a, b, 70), ends(a, b, 70), arrives)
		}
	}
	near, there, learns := []string{"depot: b"}, []string{}, []string{"depot"}
	for n := range w.networks {
		name := fmt.Sprintf("n%d", n)
		if n == w.far {
			there = append(there, name+": "+w.pick("c", "c", "{table: c, arrives: in}"))
			continue
		}
		near = append(near, name+": "+w.pick("a", "b", "a", "b", "{table: a, arrives: in}", "{table: b, arrives: in}"))
		if w.some(80) {
			learns = append(learns, name)
		}
	}
	statics := func(via ...string) string {
		seen, out := map[string]bool{}, []string{}
		for range w.rng.IntN(3) {
			if to := w.pick(w.ranges...); !seen[to] {
				seen[to] = true
				out = append(out, fmt.Sprintf("{to: %q, via: %s}", to, w.pick(via...)))
			}
		}
		return list(out)
	}
	w.line("hubs:\n  hub:\n    attach: {%s}\n    tables:", strings.Join(near, ", "))
	w.line("      a: {learns: %s, routes: %s}", list(learns), statics("n0", "depot", "blackhole", "bridge", "bridge"))
	w.line("      b: {learns: [n0], routes: %s}", statics("bridge", "n0"))
	w.line("  rail:\n    attach: {%s}\n    tables: {c: {learns: %s, routes: %s}}", strings.Join(there, ", "), list(names(there)), statics("bridge", "bridge", "blackhole"))
	w.line("hub-links:\n  bridge: {between: [hub, rail], accepted: %s, tables: {hub: %s, rail: c}}", ends("hub", "rail", 90), w.pick("a", "b"))
	w.line("sites:\n  quay: {ranges: 10.200.0.0/16, knows: [%s, 10.0.0.0/16], link: n0%s}", w.pick("10.0.0.0/17", "10.1.0.0/16"), w.pick("", "", "", ", arrives: in"))
	w.line("  depot: {ranges: [10.201.0.0/16, \"fd20:1::/48\"], knows: [%s, \"fd00::/16\", \"2001:db8:1::/48\"]}", w.pick("10.0.0.0/8", "10.0.0.0/16"))
}

// LearnedTwice gives a plan of Write two more networks with ranges that are there, attached to the hub and peered, so that tables learn those by two ways.
func LearnedTwice(content string) string {
	return strings.NewReplacer("attach: {depot: b", "attach: {depot: b, annex: b", "a: {learns: [depot", "a: {learns: [annex, depot",
		"b: {learns: [n0]", "b: {learns: [n0, annex, depot]", "\nnetworks:\n", "\nnetworks:\n  annex: {range: 10.0.0.0/16}\n  berth: {range: 10.1.0.0/16}\n",
		"\npeerings:\n", "\npeerings:\n  before: {between: [n1, annex], accepted: [n1, annex]}\n", "\nhubs:\n", "\n  behind: {between: [n0, berth], accepted: [n0, berth]}\nhubs:\n").Replace(content)
}

// names are the keys of "name: table" pairs.
func names(pairs []string) []string {
	var out []string
	for _, p := range pairs {
		name, _, _ := strings.Cut(p, ":")
		out = append(out, name)
	}
	return out
}
