package reach

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
)

// randomPlan writes a small estate with everything that a walk can meet, some of it wrong.
func randomPlan(rng *rand.Rand) string {
	var b strings.Builder
	pick := func(words ...string) string { return words[rng.IntN(len(words))] }
	some := func(percent int) bool { return rng.IntN(100) < percent }
	networks := 2 + rng.IntN(2)
	var ends []string // ranges that rules and routes speak of
	for n := range networks {
		ends = append(ends, fmt.Sprintf("10.%d.0.0/16", n))
		for s := range 3 {
			ends = append(ends, fmt.Sprintf("10.%d.%d.0/24", n, s))
		}
		ends = append(ends, fmt.Sprintf("10.%d.%d.10/32", n, rng.IntN(3)))
	}
	ends = append(ends, "0.0.0.0/0", "198.51.100.0/24", "198.51.100.128/25", "10.200.0.0/16", "10.200.7.0/24", "10.201.0.0/16")
	flows := func() string {
		return pick("any", "tcp", "tcp/443", "tcp/80-443", "tcp/1024-65535", "tcp/32768-60999", "udp", "udp/53", "udp/1024-65535", "icmp")
	}
	peer := func(n int) string {
		switch {
		case some(40):
			return "any"
		case some(30):
			return fmt.Sprintf("group g%d", rng.IntN(2))
		case some(30):
			return fmt.Sprintf("group n%d/g%d", rng.IntN(networks), rng.IntN(2))
		}
		return pick(ends...)
	}
	rules := func(n int, dir, mostly string, list bool) string {
		var out []string
		for range rng.IntN(4) {
			r := fmt.Sprintf("%s %s %s", flows(), dir, peer(n))
			if list {
				r = pick("allow", "allow", "deny") + " " + r
			}
			out = append(out, r)
		}
		if some(60) {
			out = append(out, mostly)
		}
		return "[" + strings.Join(out, ", ") + "]"
	}
	fmt.Fprintf(&b, "wendrik: 1\nprofile: {like: plain, peer-groups: %v, reply-ports: %s}\nnetworks:\n", some(70), pick("1024-65535", "32768-60999"))
	for n := range networks {
		fmt.Fprintf(&b, "  n%d:\n    range: 10.%d.0.0/16\n    profile: {peer-routes: %v}\n    subnets:\n", n, n, some(30))
		for s := range 3 {
			fmt.Fprintf(&b, "      s%d: {range: 10.%d.%d.0/24}\n", s, n, s)
		}
		fmt.Fprintf(&b, "    gateways:\n      gate: {kind: internet, attached: %v}\n      nat: {kind: nat, in: s%d, address: 10.%d.%d.200", some(85), rng.IntN(2), n, 0)
		// The NAT's address must lie in its subnet.
		text := b.String()
		at := strings.LastIndex(text, "in: s")
		text = fmt.Sprintf("%sin: s%d, address: 10.%d.%d.200", text[:at], n%2, n, n%2)
		b.Reset()
		b.WriteString(text)
		if some(80) {
			fmt.Fprintf(&b, ", public: 203.0.113.%d", 200+n)
		}
		b.WriteString("}\n    tables:\n")
		for i, name := range []string{"main", "t0", "t1"} {
			via := []string{"gate", "gate", "nat", "nat", "blackhole"}
			for m := range networks {
				if m != n {
					via = append(via, fmt.Sprintf("p%d%d", min(n, m), max(n, m)))
				}
			}
			via = append(via, "hub")
			if n == 0 {
				via = append(via, "quay")
			}
			seen, routes := map[string]bool{fmt.Sprintf("10.%d.0.0/16", n): true}, []string{}
			for range rng.IntN(6) {
				to := pick(ends...)
				hop := pick(via...)
				for m := range networks { // mostly the right way
					if m != n && strings.HasPrefix(to, fmt.Sprintf("10.%d.", m)) && some(70) {
						hop = pick(fmt.Sprintf("p%d%d", min(n, m), max(n, m)), "hub")
					}
				}
				if !seen[to] {
					seen[to] = true
					routes = append(routes, fmt.Sprintf("{to: %s, via: %s}", to, hop))
				}
			}
			if !seen["0.0.0.0/0"] && some(60) {
				routes = append(routes, fmt.Sprintf("{to: 0.0.0.0/0, via: %s}", pick("gate", "nat")))
			}
			own := []string{"main: true", "subnets: [s0]", "subnets: [s1]"}[i]
			fmt.Fprintf(&b, "      %s: {%s, routes: [%s]}\n", name, own, strings.Join(routes, ", "))
		}
		b.WriteString("    groups:\n")
		for g := range 2 {
			fmt.Fprintf(&b, "      g%d: {in: %s, out: %s}\n", g, rules(n, "from", "any from any", false), rules(n, "to", "any to any", false))
		}
		fmt.Fprintf(&b, "    lists:\n      l: {subnets: [s%d], in: %s, out: %s}\n", rng.IntN(3), rules(n, "from", "allow any from any", true), rules(n, "to", "allow any to any", true))
	}
	b.WriteString("workloads:\n")
	for n := range networks {
		for s := range 3 {
			for w := range 1 + rng.IntN(2) {
				fmt.Fprintf(&b, "  w%d%d%d: {in: n%d/s%d, address: 10.%d.%d.%d", n, s, w, n, s, n, s, 10+w)
				if some(40) {
					fmt.Fprintf(&b, ", public: 203.0.113.%d", n*20+s*4+w)
				}
				b.WriteString(pick("", ", groups: [g0]", ", groups: [g0]", ", groups: [g1]", ", groups: [g0, g1]") + "}\n")
			}
		}
	}
	b.WriteString("peerings:\n")
	for n := range networks {
		for m := n + 1; m < networks; m++ {
			fmt.Fprintf(&b, "  p%d%d: {between: [n%d, n%d], accepted: %s}\n", n, m, n, m,
				pick(fmt.Sprintf("[n%d, n%d]", n, m), fmt.Sprintf("[n%d, n%d]", n, m), fmt.Sprintf("[n%d, n%d]", n, m), fmt.Sprintf("[n%d]", n)))
		}
	}
	learns := []string{"depot"}
	fmt.Fprint(&b, "hubs:\n  hub:\n    attach: {depot: b")
	for n := range networks {
		fmt.Fprintf(&b, ", n%d: %s", n, pick("a", "b"))
		if some(80) {
			learns = append(learns, fmt.Sprintf("n%d", n))
		}
	}
	static := fmt.Sprintf("{to: %s, via: %s}", pick(ends...), pick("n0", "n1", "depot", "blackhole"))
	fmt.Fprintf(&b, "}\n    tables:\n      a: {learns: [%s], routes: [%s]}\n      b: {learns: [n0, n1]}\n", strings.Join(learns, ", "), pick("", static))
	fmt.Fprintf(&b, "sites:\n  quay: {ranges: 10.200.0.0/16, knows: [%s, 10.0.0.0/16], link: n0}\n  depot: {ranges: 10.201.0.0/16, knows: %s}\n", pick("10.0.0.0/17", "10.1.0.0/16"), pick("10.0.0.0/8", "10.0.0.0/16"))
	return b.String()
}

// ends are what the questions of the twin are asked about: workloads, and addresses outside on both sides of every
// boundary that a random plan draws.
func ends(e *estate.Estate) []string {
	out := []string{"198.51.100.1", "198.51.100.129", "198.51.101.1", "203.0.113.250", "10.200.0.1", "10.200.7.1", "10.201.0.1"}
	for _, w := range e.Workloads {
		out = append(out, w.Name)
		for _, a := range w.Public {
			out = append(out, a.String())
		}
	}
	return out
}

// ask1 asks the twin about one flow: whether it passes with every reply port, with some, or with none.
func ask1(e *estate.Estate, from, to End, protocol string, port int) (verdict Verdict, seen netip.Addr) {
	src, dst := from.Addr, to.Addr
	if from.Workload != nil {
		src = from.Workload.Addrs[0]
	}
	if to.Workload != nil && !dst.IsValid() {
		dst = to.Workload.Addrs[0]
		if from.Internet {
			if len(to.Workload.Public) == 0 {
				return Blocked, netip.Addr{}
			}
			dst = to.Workload.Public[0]
		}
	}
	profile := e.Profile
	if from.Workload != nil {
		profile = from.Workload.Subnet.Network.Profile
	}
	passed, tried := 0, 0
	for _, sport := range []int{1024, 32767, 32768, 60999, 61000, 65535} {
		if sport < int(profile.ReplyPorts[0]) || sport > int(profile.ReplyPorts[1]) {
			continue
		}
		tried++
		t := &trip{e: e}
		p := parcel{src, dst, protocol, sport, port}
		if t.goes(from.Workload, p) && (to.Workload == nil || t.receiver == to.Workload) {
			seen = t.seen
			if t.comesBack(to.Workload, p) {
				passed++
			}
		}
	}
	switch passed {
	case tried:
		return Open, seen
	case 0:
		return Blocked, seen
	}
	return Partly, seen
}

// checkAgainstTwin asks every question of one random estate, of both.
func checkAgainstTwin(t *testing.T, seed uint64) (open int) {
	text := randomPlan(rand.New(rand.NewPCG(seed, 1)))
	e, findings := estate.Load(plan.NewSource("wendrik.yaml", []byte(text)))
	require.Empty(t, findings, text)
	probes := []struct {
		protocol string
		port     int
	}{{"tcp", 79}, {"tcp", 80}, {"tcp", 443}, {"tcp", 444}, {"tcp", 1023}, {"tcp", 1024}, {"tcp", 61000}, {"udp", 53}, {"udp", 54}, {"udp", 2000}, {"icmp", 0}, {"other", 0}}
	all := ends(e)
	for _, a := range all {
		for _, b := range all {
			from, err := Find(e, a)
			require.NoError(t, err)
			to, err := Find(e, b)
			require.NoError(t, err)
			if from.Workload == nil && to.Workload == nil || from.Workload != nil && from.Workload == to.Workload || from.Workload != nil && from.Addr.IsValid() ||
				from.Site != nil && to.Addr.IsValid() {
				continue
			}
			whole := Ask(e, from, to, flow.Any())
			for _, probe := range probes {
				one := parcel{protocol: probe.protocol, dport: probe.port}.set()
				want, seen := ask1(e, from, to, probe.protocol, probe.port)
				got := Ask(e, from, to, one)
				question := fmt.Sprintf("seed %d: %s to %s on %s", seed, a, b, one)
				if want != got.Verdict {
					require.Equal(t, want, got.Verdict, "%s\n%s\n%+v", question, text, got)
				}
				if passes := whole.Passes.Covers(one); passes != (want == Open) {
					require.Equal(t, want == Open, passes, "%s: all that passes is %s\n%s", question, whole.Passes, text)
				}
				if want != Blocked {
					open++
					require.NotEmpty(t, got.SeenAs, question)
					require.Equal(t, seen, got.SeenAs[0], "%s\n%s", question, text)
				} else {
					require.NotEmpty(t, got.Blockers, question)
				}
			}
		}
	}
	checkParts(t, e, text)
	return open
}

// checkParts asks about the whole internet and whole sites: each of their addresses must lie in exactly one way, which
// has the fate that the twin finds for that address.
func checkParts(t *testing.T, e *estate.Estate, text string) {
	one := parcel{protocol: "tcp", dport: 443}.set()
	outside := map[string][]string{"internet": {"198.51.100.1", "198.51.100.129", "198.51.101.1"}, "quay": {"10.200.0.1", "10.200.7.1"}, "depot": {"10.201.0.1"}}
	for name, addrs := range outside {
		for _, x := range e.Workloads {
			for _, inward := range []bool{true, false} {
				from, _ := Find(e, name)
				to, _ := Find(e, x.Name)
				if !inward {
					from, to = to, from
				}
				a := Ask(e, from, to, one)
				for _, addr := range addrs {
					single, _ := Find(e, addr)
					ends := [2]End{single, to}
					if !inward {
						ends = [2]End{from, single}
					}
					want, _ := ask1(e, ends[0], ends[1], "tcp", 443)
					found := 0
					for _, w := range a.Ways {
						part := w.From
						if !inward {
							part = w.To
						}
						if part.Contains(netip.MustParseAddr(addr)) {
							found++
							require.Equal(t, want, w.Verdict, "%s of %s, %s, inward %v\n%s", addr, name, x.Name, inward, text)
						}
					}
					require.Equal(t, 1, found, "%s is in %d ways of %s, %s", addr, found, name, x.Name)
				}
			}
		}
	}
}

// TestAgainstTwin holds the walk of sets against the twin's single packets, on random estates.
func TestAgainstTwin(t *testing.T) {
	open := 0
	for seed := range uint64(25) {
		open += checkAgainstTwin(t, seed)
	}
	require.Greater(t, open, 1000, "random estates in which hardly anything passes try nothing")
}

// FuzzAgainstTwin tries one estate for each seed.
func FuzzAgainstTwin(f *testing.F) {
	f.Add(uint64(1000))
	f.Fuzz(func(t *testing.T, seed uint64) { checkAgainstTwin(t, seed) })
}
