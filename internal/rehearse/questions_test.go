package rehearse

import (
	"math/rand/v2"
	"net/netip"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// This file tests what is tried, and what reach is taken to say of it, without a kernel.

func scriptOf(t *testing.T, content string, opt Options) *script {
	t.Helper()
	e, findings := estate.Load(text.One("p", content))
	require.Empty(t, findings)
	s, err := newScript(e, opt)
	require.NoError(t, err)
	return s
}

func shipped(t *testing.T) string {
	t.Helper()
	raw, err := os.ReadFile("../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	return string(raw)
}

// TestEveryPairIsTried: all ordered pairs of workloads, and each with each site and the internet, on every port that one
// of the two listens on, on echo, and on a port that nobody names; never the same exchange twice.
func TestEveryPairIsTried(t *testing.T) {
	t.Parallel()
	s := scriptOf(t, shipped(t), Options{})
	type exchange struct {
		from, to       string
		src, dst       netip.Addr
		protocol       string
		port, fromPort uint16
	}
	seen := map[exchange]bool{}
	tried := map[[2]string]map[string]bool{}
	for _, x := range s.tries {
		one := exchange{x.From, x.To, x.Src, x.Dst, x.Protocol, x.Port, x.SourcePort}
		require.False(t, seen[one], "%+v twice", one)
		seen[one] = true
		key := [2]string{x.From, x.To}
		if tried[key] == nil {
			tried[key] = map[string]bool{}
		}
		tried[key][x.Flow()] = true
	}
	for _, a := range s.e.Workloads {
		for _, b := range s.e.Workloads {
			if a == b {
				continue
			}
			flows := tried[[2]string{a.Name, b.Name}]
			for _, want := range []string{"icmp", "tcp/47011", "udp/47011"} {
				assert.True(t, flows[want], "%s to %s on %s", a.Name, b.Name, want)
			}
			for _, x := range append(a.Listens.Words(), b.Listens.Words()...) {
				assert.True(t, flows[x], "%s to %s on %s", a.Name, b.Name, x)
			}
		}
		for _, site := range []string{"quay", "gull-rail"} {
			assert.NotEmpty(t, tried[[2]string{a.Name, site}])
			assert.NotEmpty(t, tried[[2]string{site, a.Name}])
		}
		assert.NotEmpty(t, tried[[2]string{a.Name, "internet"}])
		assert.NotEmpty(t, tried[[2]string{"internet", a.Name}], "%s from the internet, by its private address where it has no public one", a.Name)
	}
	assert.True(t, tried[[2]string{"ticket-1", "fare-db"}]["tcp/5432"], "a port that only a rule and a line of expect name")
}

// TestWhatReachSays: each try says what reach says of exactly that packet: its ports, its addresses, and the port that
// the reply must come back to.
func TestWhatReachSays(t *testing.T) {
	t.Parallel()
	says := map[bool]int{}
	for seed := range fuzz.Rounds(2, 6) {
		content := randomplan.Write(rand.New(rand.NewPCG(seed, 31)))
		s := scriptOf(t, content, Options{})
		rng := rand.New(rand.NewPCG(seed, 32))
		for range 400 {
			x := s.tries[rng.IntN(len(s.tries))]
			e, findings := estate.Load(text.One("p", content))
			require.Empty(t, findings)
			if x.SourcePort != 0 {
				e.Profile.ReplyPorts = [2]uint16{x.SourcePort, x.SourcePort}
				for _, n := range e.Networks {
					n.Profile.ReplyPorts = e.Profile.ReplyPorts
				}
			}
			a := reach.Ask(e, reach.Question{From: at(t, e, x.From, x.Src, false), To: at(t, e, x.To, x.Dst, true), Flows: x.flows()})
			front := a.Ways[0].Full
			require.Equal(t, front.Covers(x.flows()), x.Says, "seed %d: %+v", seed, x)
			says[x.Says]++
		}
	}
	assert.Greater(t, says[true], int(fuzz.Rounds(10, 50)))
	assert.Greater(t, says[false], int(fuzz.Rounds(150, 500)))
}

func at(t *testing.T, e *estate.Estate, name string, a netip.Addr, asked bool) reach.End {
	t.Helper()
	switch {
	case name == "internet":
		end, err := reach.Find(e, a.String())
		require.NoError(t, err)
		return end
	case e.Site(name) != nil:
		return reach.End{Name: name, Site: e.Site(name), Addr: a}
	}
	end := reach.End{Name: name, Workload: e.Workload(name)}
	if asked {
		end.Addr = a
	}
	return end
}

// TestSourcePorts: no two clients take the same port, each takes one in every part of the range that lists tell apart,
// and none on which it is itself asked.
func TestSourcePorts(t *testing.T) {
	t.Parallel()
	s := scriptOf(t, `wendrik: 1
profile: {like: plain, reply-ports: 1024-65535}
networks:
  pier:
    range: 10.0.0.0/16
    subnets: {a: {range: 10.0.0.0/24}, b: {range: 10.0.1.0/24}}
    lists: {l: {subnets: [a], in: [allow tcp/1024-65535 from any, allow udp/32768-60999 from any], out: [allow any to any]}}
workloads: {x: {in: pier/a, address: 10.0.0.1}, y: {in: pier/a, address: 10.0.0.2}, z: {in: pier/b, address: 10.0.1.1}}
`, Options{})
	owner := map[uint16]string{}
	for _, x := range s.tries {
		if x.SourcePort == 0 {
			assert.Equal(t, "icmp", x.Protocol)
			continue
		}
		if before, taken := owner[x.SourcePort]; taken {
			assert.Equal(t, before, x.From, "port %d", x.SourcePort)
		}
		owner[x.SourcePort] = x.From
		assert.NotEqual(t, x.Port, x.SourcePort)
	}
	parts := map[string][3]bool{}
	for port, name := range owner {
		p := parts[name]
		switch {
		case port < 32768:
			p[0] = true
		case port < 61000:
			p[1] = true
		default:
			p[2] = true
		}
		parts[name] = p
	}
	for _, name := range []string{"x", "y", "z"} {
		assert.Equal(t, [3]bool{true, true, true}, parts[name], name)
	}
}

// TestSpread: one address in each part of a set that ranges tell apart, examples before real ones, and never too many.
func TestSpread(t *testing.T) {
	t.Parallel()
	ranges := []netip.Prefix{netip.MustParsePrefix("198.51.100.0/28"), netip.MustParsePrefix("192.0.2.128/25"), netip.MustParsePrefix("10.0.0.0/8"), netip.MustParsePrefix("2001:db8:7::/48")}
	got, left := spread(address.Public(), ranges)
	assert.Zero(t, left)
	four, six := 0, 0
	for _, a := range got {
		assert.True(t, address.IsPublic(a), a)
		assert.True(t, func() bool {
			for _, p := range examples {
				if p.Contains(a) {
					return true
				}
			}
			return false
		}(), "%s is no example", a)
		if a.Is4() {
			four++
		} else {
			six++
		}
	}
	assert.Equal(t, 3, four, "two ranges and the rest: %s", got)
	assert.Equal(t, 2, six, got)
	in := func(p netip.Prefix) (n int) {
		for _, a := range got {
			if p.Contains(a) {
				n++
			}
		}
		return n
	}
	assert.Equal(t, 1, in(ranges[0]))
	assert.Equal(t, 1, in(ranges[1]))
	var many []netip.Prefix
	for i := range 200 {
		many = append(many, netip.PrefixFrom(netip.AddrFrom4([4]byte{198, 51, 100, byte(i)}), 32))
	}
	got, left = spread(address.Public(), many)
	assert.LessOrEqual(t, len(got), 2*maxOutside)
	assert.Positive(t, left)
}

// TestThin: what should pass is always tried, and of the rest as many as asked for.
func TestThin(t *testing.T) {
	t.Parallel()
	all := scriptOf(t, shipped(t), Options{})
	some := scriptOf(t, shipped(t), Options{Most: 100})
	count := func(s *script, says bool) (n int) {
		for _, x := range s.tries {
			if x.Says == says {
				n++
			}
		}
		return n
	}
	assert.Equal(t, count(all, true), count(some, true))
	assert.Greater(t, count(all, false), 1000)
	assert.Equal(t, 100, count(some, false))
}

// TestUntried: what a kernel does otherwise than the plan is named, with the reason, and nothing of it is tried.
func TestUntried(t *testing.T) {
	t.Parallel()
	s := scriptOf(t, `wendrik: 1
networks:
  pier:
    range: 10.0.0.0/16
    subnets: {a: {range: 10.0.0.0/24}, b: {range: 10.0.1.0/24}, c: {range: 10.0.2.0/24}, d: {range: 10.0.3.0/24}, e: {range: 10.0.4.0/24}}
    gateways: {one: {kind: nat, in: b, address: 10.0.1.9}, two: {kind: nat, in: c, address: 10.0.2.9}}
    tables:
      a: {subnets: [a], routes: [{to: 10.0.3.0/24, via: one}, {to: 10.0.4.0/24, via: guard}]}
      b: {subnets: [b], routes: [{to: 10.0.3.0/24, via: two}]}
    groups: {g: {in: [any from any], out: [any to any]}}
workloads:
  w: {in: pier/a, address: 10.0.0.1, groups: [g]}
  x: {in: pier/d, address: 10.0.3.1, groups: [g]}
  y: {in: pier/e, address: 10.0.4.1, groups: [g]}
  guard: {in: pier/c, address: 10.0.2.1, groups: [g], forwards: stateful}
`, Options{})
	assert.Equal(t, []Untried{
		{"w to y", unshown["reply-bypasses"]},
		{"y to w", unshown["reply-unknown"]},
	}, s.untried)
	for _, x := range s.tries {
		assert.False(t, x.From == "w" && x.To == "y" && x.Protocol != "tcp", "%+v", x)
	}
}

// TestJudge: a line of expect holds by what its tries came to, and by nothing that is not of it.
func TestJudge(t *testing.T) {
	t.Parallel()
	s := scriptOf(t, shipped(t), Options{})
	for _, x := range s.tries {
		x.Passed = x.Says
	}
	var held []bool
	for _, x := range s.judge() {
		held = append(held, x.Holds)
	}
	assert.Equal(t, []bool{true, false, true}, held)
	on, _ := flow.Parse("tcp/443")
	for _, x := range s.tries {
		if x.From == "internet" && x.To == "ticket-1" && x.flows().Equal(on) {
			x.Passed = false
		}
	}
	judged := s.judge()
	assert.False(t, judged[0].Holds)
	assert.Equal(t, "internet to ticket-1 on tcp/443: the packets did not pass", judged[0].Why)
	assert.Positive(t, judged[2].Tries, "what has no public address is tried by its private one")
}

// TestJudgeBalancers: a flow to a balancer has come through when every target has it, and never when no target has.
func TestJudgeBalancers(t *testing.T) {
	t.Parallel()
	const content = `wendrik: 1
networks:
  pier:
    range: 10.0.0.0/16
    subnets: {a: {range: 10.0.0.0/24}}
    groups: {all: {in: [any from any], out: [any to any]}, shut: {in: [], out: []}}
workloads:
  x: {in: pier/a, address: 10.0.0.1, groups: [all]}
  front: {in: pier/a, address: 10.0.0.2, groups: [all], targets: [one, two], target-ports: [tcp/8080]}
  one: {in: pier/a, address: 10.0.0.3, groups: [ONE]}
  two: {in: pier/a, address: 10.0.0.4, groups: [TWO]}
expect: [x reaches front on tcp/443, x never reaches front on tcp/443]
`
	for groups, want := range map[[2]string][2]bool{{"all", "all"}: {true, false}, {"all", "shut"}: {false, false}, {"shut", "shut"}: {false, true}} {
		s := scriptOf(t, strings.NewReplacer("ONE", groups[0], "TWO", groups[1]).Replace(content), Options{})
		for _, x := range s.tries {
			x.Passed = x.Says
		}
		judged := s.judge()
		assert.Equal(t, want, [2]bool{judged[0].Holds, judged[1].Holds}, groups)
		for _, x := range judged {
			assert.Positive(t, x.Tries)
			assert.Equal(t, x.Says, x.Holds, "%v: reach says the same of %s", groups, x.Text)
		}
	}
}

// TestAgrees: a try agrees when it did what reach says, and the far end saw whom reach says.
func TestAgrees(t *testing.T) {
	t.Parallel()
	a, b := netip.MustParseAddr("203.0.113.1"), netip.MustParseAddr("203.0.113.2")
	for _, c := range []struct {
		try  Try
		want bool
	}{
		{Try{}, true},
		{Try{Says: true}, false},
		{Try{Passed: true}, false},
		{Try{Says: true, Passed: true}, true},
		{Try{Says: true, Passed: true, SeenAs: []netip.Addr{a}, Saw: a}, true},
		{Try{Says: true, Passed: true, SeenAs: []netip.Addr{a, b}, Saw: b}, true},
		{Try{Says: true, Passed: true, SeenAs: []netip.Addr{a}, Saw: b}, false},
		{Try{Says: true, Passed: true, SeenAs: []netip.Addr{a}}, true},
		{Try{Says: true, Passed: true, Saw: b}, true},
	} {
		assert.Equal(t, c.want, c.try.Agrees(), "%+v", c.try)
	}
	r := Result{Tries: []*Try{{From: "x", To: "y", Says: true}, {From: "y", To: "x"}, {From: "x", To: "y"}}}
	assert.Equal(t, []Pair{{"x", "y", 2, 1, 0}, {"y", "x", 1, 1, 0}}, r.Pairs())
	assert.False(t, r.Good())
	r.Tries[0].Passed = true
	assert.True(t, r.Good())
	for _, x := range []Expected{{Says: true, Holds: false, Tries: 3}, {Says: false, Holds: true, Tries: 3}, {Says: false, Holds: false}} {
		r.Expected = []Expected{x}
		assert.False(t, r.Good(), "%+v", x)
	}
	r.Expected = []Expected{{Says: true, Holds: true, Tries: 3}, {Says: true, Holds: true}}
	assert.True(t, r.Good())
}
