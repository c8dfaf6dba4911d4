package reach

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// ends are what the questions of the twin are asked about: workloads, and addresses outside on both sides of every
// boundary that a random plan draws.
func ends(e *estate.Estate) []string {
	out := []string{"198.51.100.1", "198.51.100.129", "198.51.101.1", "203.0.113.250", "2001:db8:ff01::1", "2001:db8:ffff::1",
		"10.200.0.1", "10.200.7.1", "10.201.0.1", "fd20:1::1"}
	for _, w := range e.Workloads {
		out = append(out, w.Name)
		for _, a := range w.Public {
			out = append(out, a.String())
		}
	}
	return out
}

// ask1 asks the twin about one flow, in every family that both ends have: whether it passes with every reply port,
// with some, or with none.
func ask1(e *estate.Estate, from, to End, protocol string, port int) (verdict Verdict, seen []netip.Addr) {
	for _, f := range []netip.Addr{ipv4, ipv6} {
		if !from.has(f) || !to.has(f) {
			continue
		}
		v, as := askOne(e, from, to, f, protocol, port)
		verdict = anyOf(verdict, v)
		if v != Blocked {
			seen = append(seen, as)
		}
	}
	if verdict == "" {
		verdict = Blocked
	}
	x := to.Workload
	if x == nil || len(x.Targets) == 0 || verdict == Blocked {
		return verdict, seen
	}
	targets := Verdict("")
	for _, target := range x.Targets {
		p, n := protocol, port
		if !x.TargetPorts.Empty() {
			p, n = "tcp", 443 // the only one that random balancers name
		}
		one, _ := ask1(e, End{Workload: x}, End{Workload: target}, p, n)
		targets = anyOf(targets, one)
	}
	if targets == Blocked {
		return Blocked, seen
	}
	return anyOf(verdict, targets), seen
}

// anyOf is the verdict about two things of which one or the other may come.
func anyOf(a, b Verdict) Verdict {
	switch {
	case a == "" || a == b:
		return b
	}
	return Partly
}

func askOne(e *estate.Estate, from, to End, f netip.Addr, protocol string, port int) (verdict Verdict, seen netip.Addr) {
	src, dst := from.Addr, to.Addr
	if from.Workload != nil {
		src = like(from.Workload.Addrs, f)
	}
	if to.Workload != nil && !dst.IsValid() {
		dst = like(to.Workload.Addrs, f)
		if from.Internet {
			if dst = public(to.Workload, f); !dst.IsValid() {
				return Blocked, dst
			}
		}
	}
	profile := e.Profile
	if from.Workload != nil {
		profile = from.Workload.Subnet.Network.Profile
	}
	passed, sure, tried := 0, 0, 0
	for _, sport := range []int{1024, 32767, 32768, 40000, 50000, 60999, 61000, 65535} {
		if sport < int(profile.ReplyPorts[0]) || sport > int(profile.ReplyPorts[1]) {
			continue
		}
		for world, worlds := 0, 1; world < worlds; world++ {
			tried++
			t := &trip{e: e, world: world, worlds: 1}
			p := parcel{src, dst, protocol, sport, port}
			if t.goes(from.Workload, p) && (to.Workload == nil || t.receiver == to.Workload) {
				seen = t.seen
				if t.comesBack(to.Workload, p) {
					passed++
					if !t.may {
						sure++
					}
				}
			}
			worlds = max(worlds, t.worlds)
		}
	}
	switch {
	case sure == tried:
		return Open, seen
	case passed == 0:
		return Blocked, seen
	}
	return Partly, seen
}

// checkAgainstTwin asks every question of one random estate, of both.
func checkAgainstTwin(t *testing.T, seed uint64) (open int) {
	return checkSome(t, seed, 1, 0)
}

// checkSome checks one pair of ends of every so many, from the one with a number on, and with every pair the parts of what
// is outside.
func checkSome(t *testing.T, seed uint64, every, from int) (open int) {
	content := randomplan.Write(rand.New(rand.NewPCG(seed, 1)))
	if seed%2 == 1 {
		content = randomplan.LearnedTwice(content)
	}
	e, findings := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, findings, content)
	probes := []struct {
		protocol string
		port     int
	}{{"tcp", 79}, {"tcp", 80}, {"tcp", 443}, {"tcp", 444}, {"tcp", 1023}, {"tcp", 1024}, {"tcp", 61000}, {"udp", 53}, {"udp", 54}, {"udp", 2000}, {"icmp", 0}, {"other", 0}}
	all := ends(e)
	for i, a := range all {
		for j, b := range all {
			if (i*len(all)+j)%every != from%every {
				continue
			}
			from, err := Find(e, a)
			require.NoError(t, err)
			to, err := Find(e, b)
			require.NoError(t, err)
			if from.Workload == nil && to.Workload == nil || from.Workload != nil && from.Workload == to.Workload || from.Workload != nil && from.Addr.IsValid() ||
				from.Site != nil && to.Addr.IsValid() {
				continue
			}
			whole := Ask(e, Question{From: from, To: to, Flows: flow.Any()})
			for _, probe := range probes {
				one := parcel{protocol: probe.protocol, dport: probe.port}.set()
				want, seen := ask1(e, from, to, probe.protocol, probe.port)
				got := Ask(e, Question{From: from, To: to, Flows: one})
				question := fmt.Sprintf("seed %d: %s to %s on %s", seed, a, b, one)
				if want != got.Verdict {
					require.Equal(t, want, got.Verdict, "%s\n%s\n%+v", question, content, got)
				}
				if some := whole.Some.Covers(one); some != (want != Blocked) {
					require.Equal(t, want != Blocked, some, "%s: all that passes for some is %s\n%s", question, whole.Some, content)
				}
				if passes := whole.Full.Covers(one); passes != (want == Open) {
					require.Equal(t, want == Open, passes, "%s: all that passes is %s\n%s", question, whole.Full, content)
				}
				if want != Blocked {
					open++
					require.Subset(t, got.SeenAs, seen, "%s\n%s", question, content)
				} else {
					require.NotEmpty(t, got.Blockers, question)
				}
			}
		}
	}
	if every == 1 {
		checkParts(t, e, content)
	}
	return open
}

// checkParts asks about the whole internet and whole sites: each of their addresses must lie in exactly one way, which
// has the outcome that the twin finds for that address.
func checkParts(t *testing.T, e *estate.Estate, content string) {
	one := parcel{protocol: "tcp", dport: 443}.set()
	outside := map[string][]string{"internet": {"198.51.100.1", "198.51.100.129", "198.51.101.1", "2001:db8:ff01::1", "2001:db8:ffff::1"},
		"quay": {"10.200.0.1", "10.200.7.1"}, "depot": {"10.201.0.1", "fd20:1::1"}}
	for name, addrs := range outside {
		for _, x := range e.Workloads {
			if len(x.Targets) > 0 {
				continue // the ways are those to its front
			}
			for _, inward := range []bool{true, false} {
				from, _ := Find(e, name)
				to, _ := Find(e, x.Name)
				if !inward {
					from, to = to, from
				}
				a := Ask(e, Question{From: from, To: to, Flows: one})
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
							require.Equal(t, want, w.Verdict, "%s of %s, %s, inward %v\n%s", addr, name, x.Name, inward, content)
						}
					}
					if found == 0 && want == Blocked {
						continue // a family in which the two cannot talk
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
	for seed := range fuzz.Rounds(1, 4) {
		open += checkAgainstTwin(t, seed)
	}
	for seed := uint64(4); seed < fuzz.Rounds(24, 64); seed++ { // many estates find more than many pairs of one
		open += checkSome(t, seed, 23, int(seed))
	}
	require.Greater(t, open, int(fuzz.Rounds(250, 1000)), "random estates in which hardly anything passes try nothing")
}

// FuzzAgainstTwin tries a few pairs of ends of one estate for each seed.
func FuzzAgainstTwin(f *testing.F) {
	f.Add(uint64(1000), uint8(3))
	f.Fuzz(func(t *testing.T, seed uint64, from uint8) {
		defer fuzz.Bound()()
		checkSome(t, seed, 97, int(from))
	})
}
