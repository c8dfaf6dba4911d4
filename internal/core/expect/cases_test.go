package expect

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/golden"
)

// ferry is an estate of both families: a tier in two zones, one way out, and things that have no address yet.
const ferry = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
networks:
  pier:
    region: west
    range: [10.0.0.0/16, fd3a:5e11:c0de::/56]
    tiers: {web: {}, app: {}, none: {}, bare: {}, shell: {}}
    subnets:
      web-a: {tier: web, zone: west-a, range: [10.0.0.0/24, fd3a:5e11:c0de::/64]}
      web-b: {tier: web, zone: west-b, range: 10.0.1.0/24}
      app-a: {tier: app, zone: west-a, range: 10.0.2.0/24}
      app-b: {tier: app, zone: west-b, range: 10.0.3.0/24}
      none-a: {tier: none, zone: west-a, range: 10.0.4.0/28}
      full: {zone: west-a, range: 10.0.5.0/28}
      blank: {zone: west-a, range: [10.0.6.0/28, "fd3a:5e11:c0de:6::/64"]}
    gateways:
      front: {kind: internet}
      out: {kind: nat, in: web-a, address: 10.0.0.9, public: 203.0.113.9}
      two: {kind: nat, in: web-b, address: 10.0.1.9, public: 203.0.113.10}
      spare: {kind: nat, in: blank, address: 10.0.6.4}
    tables:
      main: {main: true, routes: []}
      web: {subnets: [web-a, web-b], routes: [{to: 0.0.0.0/0, via: front}, {to: "::/0", via: front}]}
      app-a: {subnets: [app-a], routes: [{to: 0.0.0.0/0, via: out}]}
      app-b: {subnets: [app-b], routes: [{to: 0.0.0.0/0, via: two}]}
    groups:
      web: {in: [tcp/443 from any], out: [any to any]}
      app: {in: [tcp/8080 from group web], out: [any to any]}
      shut: {in: [], out: []}
  quay: {region: west, range: 10.1.0.0/16, subnets: {hall: {zone: west-a, range: 10.1.0.0/24}}, groups: {g: {in: [tcp/22 from any], out: [any to any]}}}
  islet: {region: west, range: 10.2.0.0/16, subnets: {rock: {zone: west-a, range: 10.2.0.0/24}}}
workloads:
  web-1: {in: pier/web-a, address: [10.0.0.10, "fd3a:5e11:c0de::10"], public: [203.0.113.20, "2001:db8::20"], groups: [web]}
  web-2: {in: pier/web-b, address: 10.0.1.10, public: assigned, groups: [web]}
  app-1: {in: pier/app-a, address: 10.0.2.10, groups: [app]}
  app-2: {in: pier/app-b, address: 10.0.3.10, groups: [app]}
  till: {in: pier/app-b, address: 10.0.3.11, groups: [shut]}
  clerk: {in: quay/hall, address: 10.1.0.10, groups: [g]}
  later: {in: pier/bare, groups: [app]}
  full: {in: pier/full, count: 11, addresses: [10.0.5.4, 10.0.5.5, 10.0.5.6, 10.0.5.7, 10.0.5.8, 10.0.5.9, 10.0.5.10, 10.0.5.11, 10.0.5.12, 10.0.5.13, 10.0.5.14]}
peerings: {ferry: {between: [pier, quay], accepted: [pier, quay]}}
`

// told is what becomes of the lines of an estate.
func told(e *estate.Estate) string {
	var b strings.Builder
	for _, r := range Run(e, nil) {
		is := map[bool]string{true: "holds", false: "fails"}[r.Holds]
		for word, yes := range map[string]bool{" waits": r.Waits, " doubted": r.Doubted, " nobody": r.Nobody} {
			if yes {
				is += word
			}
		}
		fmt.Fprintf(&b, "%s, %d against of %d: %s\n", is, r.Against, r.Pairs, r.Text)
		if r.Counter != nil {
			fmt.Fprintf(&b, "  but %s to %s\n", r.Counter.From.Name, r.Counter.To.Name)
		}
		if f, is := r.Finding(); is {
			fmt.Fprintf(&b, "  %s %s %s: %s\n", f.Code, f.Severity, f.Place, f.Message)
			if f.At != r.At {
				b.WriteString("  at another place\n")
			}
			if fix := f.Fix(); fix != "" {
				fmt.Fprintf(&b, "  fix: %s\n", fix)
			}
		} else if r.Why != "" {
			fmt.Fprintf(&b, "  no finding: %s; %s\n", r.Why, (r.Fixes)[0])
		}
	}
	return b.String()
}

// TestCases tells of lines of all kinds whether they hold, by how many pairs, and why not.
func TestCases(t *testing.T) {
	golden.Cases(t, cases, func(t *testing.T, asked string) string {
		var lines strings.Builder
		for line := range strings.Lines(asked) {
			lines.WriteString("  - " + line)
		}
		return told(estatetest.Load(t, ferry+"expect:\n"+lines.String()))
	})
}

// TestAgainst: of two estates, the lines of never that hold in the one and not in the other.
func TestAgainst(t *testing.T) {
	lines := "expect:\n  - pier/web never reaches till\n  - app-1 never reaches till\n  - web-1 reaches till on tcp/443\n  - web-1 never reaches app-1\n  - quay never reaches till on udp\n  - app-1 reaches web-1 on tcp/443\n"
	before := estatetest.Load(t, ferry+lines)
	after := estatetest.Load(t, strings.Replace(strings.Replace(ferry, "web: {in: [tcp/443", "web: {in: [tcp/80", 1), "shut: {in: []", "shut: {in: [tcp/443 from 10.0.1.0/24, udp/53 from 10.0.2.0/24]", 1)+lines)
	assert.False(t, One(after, &plan.Expectation{From: "app-1", To: "web-1", Flows: flow.Ports(443, 443)}).Holds, "what no longer reaches is no opening")
	names := func(all []plan.Expectation) (texts []string) {
		for _, x := range all {
			texts = append(texts, x.Text)
		}
		return texts
	}
	assert.Equal(t, []string{"pier/web never reaches till", "app-1 never reaches till"}, names(Against(before, after)))
	assert.Empty(t, names(Against(after, before)))
}

// TestRunSome: lines that are doubted are not tried, and each line is told of before it is.
func TestRunSome(t *testing.T) {
	e := estatetest.Load(t, ferry+"expect:\n  - app-1 never reaches till\n  - web-1 never reaches app-1\n")
	var steps []string
	step := func(done, total int) { steps = append(steps, fmt.Sprint(done, " of ", total)) }
	all := RunSome(e, func(x *plan.Expectation) bool { return x.To == "till" }, step)
	assert.Equal(t, []string{"0 of 2", "1 of 2"}, steps)
	require.Len(t, all, 2)
	assert.True(t, all[0].Doubted && !all[0].Holds)
	assert.Equal(t, "it was not tried, because something that it may rest on could not be read", all[0].Why)
	_, is := all[0].Finding()
	assert.False(t, is, "what was not tried is no finding")
	assert.True(t, !all[1].Doubted && !all[1].Holds && all[1].Counter != nil)
}

// TestWhile: those who are gone with what is out of order are not asked, and the line itself stays as it is.
func TestWhile(t *testing.T) {
	e := estatetest.Load(t, ferry+"expect:\n  - pier/web reaches pier/app on tcp/8080 except till without zone west-b\n")
	x := &e.Plan.Expect[0]
	for _, p := range e.Parts() {
		if p.Name == "west-b" {
			r := While(e.Without(p), x, []string{"web-2", "app-2"})
			assert.True(t, r.Holds, r.Why)
			assert.Equal(t, 1, r.Pairs)
			assert.Equal(t, 2, While(e.Without(p), x, []string{"web-2"}).Pairs, "who is not said to be gone is asked")
		}
	}
	room := append(make([]string, 0, 9), "till") // with room behind it that is somebody else's
	somebody := append(room, "web-1")
	While(e, &plan.Expectation{From: x.From, To: x.To, Except: room, Flows: x.Flows}, []string{"web-2"})
	assert.Equal(t, []string{"till", "web-1"}, somebody)
	assert.Equal(t, []string{"till"}, x.Except)
	assert.Equal(t, "zone west-b", x.Without)
}

// TestUntried: why nobody could ever try a line.
func TestUntried(t *testing.T) {
	e := estatetest.Load(t, ferry+"expect:\n  - web-1 never reaches app-1 except app-1\n  - web-1 never reaches app-1\n  - pier/none never reaches app-1\n  - internet never reaches pier/full except till\n  - pier/shell never reaches app-1\n  - app-1 never reaches pier/shell\n")
	var said []string
	for i := range e.Plan.Expect {
		why, fixes := Untried(e, &e.Plan.Expect[i])
		said = append(said, fmt.Sprint(why, " ", fixes))
	}
	assert.Equal(t, []string{"nothing was tried, because app-1 has no workload to try [put a workload there, or take the line out]", " []", " []", " []",
		"nothing was tried, because pier/shell has no workload to try [put a workload there, or take the line out]", "nothing was tried, because pier/shell has no workload to try [put a workload there, or take the line out]"}, said)
}

const cases = `
== reaches
web-1 reaches app-1 on tcp/8080
pier/web reaches pier/app on tcp/8080
pier/web reaches pier/app on tcp/8080 except till
pier/web reaches pier/app on tcp/8080-8081 except till
clerk reaches app-1 on tcp/8080
app-1 reaches web-1 on tcp/443
internet reaches web-2 on tcp/443
internet reaches app-1 on tcp/443
till reaches internet on tcp/443
--
holds, 0 against of 1: web-1 reaches app-1 on tcp/8080
fails, 2 against of 6: pier/web reaches pier/app on tcp/8080
  but web-1 to till
  expectation error expect: "pier/web reaches pier/app on tcp/8080" does not hold: web-1 does not reach till on tcp/8080: no rule of group shut lets tcp/8080 in from 10.0.0.10; 2 of 6 pairs are so
  fix: add  tcp/8080 from group web  to networks.pier.groups.shut.in
holds, 0 against of 4: pier/web reaches pier/app on tcp/8080 except till
fails, 4 against of 4: pier/web reaches pier/app on tcp/8080-8081 except till
  but web-1 to app-1
  expectation error expect: "pier/web reaches pier/app on tcp/8080-8081 except till" does not hold: web-1 reaches app-1 on tcp/8080-8081 only in part: no rule of group app lets tcp/8081 in from 10.0.0.10; 4 of 4 pairs are so
  fix: add  tcp/8081 from group web  to networks.pier.groups.app.in
fails, 1 against of 1: clerk reaches app-1 on tcp/8080
  but clerk to app-1
  expectation error expect: "clerk reaches app-1 on tcp/8080" does not hold: clerk does not reach app-1 on tcp/8080: table quay/main has no route to 10.0.2.10 (and 2 more)
holds, 0 against of 1: app-1 reaches web-1 on tcp/443
holds, 0 against of 1: internet reaches web-2 on tcp/443
fails, 1 against of 1: internet reaches app-1 on tcp/443
  but internet to app-1
  expectation error expect: "internet reaches app-1 on tcp/443" does not hold: internet does not reach app-1 on tcp/443: app-1 has no public address, so the internet has no way to it (and 2 more)
fails, 1 against of 1: till reaches internet on tcp/443
  but till to internet
  expectation error expect: "till reaches internet on tcp/443" does not hold: till does not reach internet on tcp/443: no rule of group shut lets tcp/443 out to any public IPv4 address
  fix: add  tcp/443 to any  to networks.pier.groups.shut.out

== never
pier/web never reaches pier/app
pier/web never reaches pier/app on udp
pier/web never reaches pier/app on tcp/8000-9000 except app-1, app-2
app-1 never reaches till
quay never reaches pier
internet never reaches pier
fd3a:5e11:c0de::77 never reaches web-1
--
fails, 4 against of 6: pier/web never reaches pier/app
  but web-1 to app-1
  expectation error expect: "pier/web never reaches pier/app" does not hold: web-1 reaches app-1 on tcp/8080; 4 of 6 pairs are so
holds, 0 against of 6: pier/web never reaches pier/app on udp
holds, 0 against of 2: pier/web never reaches pier/app on tcp/8000-9000 except app-1, app-2
holds, 0 against of 1: app-1 never reaches till
holds, 0 against of 16: quay never reaches pier
fails, 2 against of 16: internet never reaches pier
  but internet to web-1
  expectation error expect: "internet never reaches pier" does not hold: internet reaches web-1 on tcp/443; 2 of 16 pairs are so
holds, 0 against of 1: fd3a:5e11:c0de::77 never reaches web-1

== leaves as
app-1 leaves as 203.0.113.9
pier/app leaves as 203.0.113.9
app-2 leaves as assigned
web-2 leaves as assigned
web-2 leaves as 203.0.113.20
web-1 leaves as 203.0.113.20
web-1 leaves as 2001:db8::1
web-1 leaves as 2001:db8::20
clerk leaves as 203.0.113.9
till leaves as 203.0.113.10
--
holds, 0 against of 1: app-1 leaves as 203.0.113.9
fails, 1 against of 3: pier/app leaves as 203.0.113.9
  but till to internet
  expectation error expect: "pier/app leaves as 203.0.113.9" does not hold: till does not get out to the internet
  fix: lead it through the gateway that has the address
fails, 1 against of 1: app-2 leaves as assigned
  but app-2 to internet
  expectation error expect: "app-2 leaves as assigned" does not hold: the internet sees app-2 as 203.0.113.10
  fix: lead it through the gateway that has the address
holds, 0 against of 1: web-2 leaves as assigned
fails, 1 against of 1: web-2 leaves as 203.0.113.20
  but web-2 to internet
  expectation error expect: "web-2 leaves as 203.0.113.20" does not hold: the internet sees web-2 as assigned
  fix: lead it through the gateway that has the address
holds, 0 against of 1: web-1 leaves as 203.0.113.20
fails, 1 against of 1: web-1 leaves as 2001:db8::1
  but web-1 to internet
  expectation error expect: "web-1 leaves as 2001:db8::1" does not hold: the internet sees web-1 as 203.0.113.20, 2001:db8::20
  fix: lead it through the gateway that has the address
holds, 0 against of 1: web-1 leaves as 2001:db8::20
fails, 1 against of 1: clerk leaves as 203.0.113.9
  but clerk to internet
  expectation error expect: "clerk leaves as 203.0.113.9" does not hold: clerk does not get out to the internet
  fix: lead it through the gateway that has the address
fails, 1 against of 1: till leaves as 203.0.113.10
  but till to internet
  expectation error expect: "till leaves as 203.0.113.10" does not hold: till does not get out to the internet
  fix: lead it through the gateway that has the address

== without
app-1 reaches internet on tcp/443 without NAT gateway pier/two
app-1 reaches internet on tcp/443 without any NAT gateway
app-1 reaches internet on tcp/443 without pier/out
pier/app reaches internet on tcp/443 without zone west-a
pier/app reaches internet on tcp/443 without any zone
web-1 reaches app-1 on tcp/8080 without zone west-b
web-1 reaches app-1 on tcp/9 without any zone
web-1 reaches app-1 on tcp/8080 without any lift
web-1 reaches app-1 on tcp/8080 without lift harbour
--
holds, 0 against of 1: app-1 reaches internet on tcp/443 without NAT gateway pier/two
fails, 1 against of 1: app-1 reaches internet on tcp/443 without any NAT gateway
  but app-1 to internet
  expectation error expect: "app-1 reaches internet on tcp/443 without any NAT gateway" does not hold: without NAT gateway pier/out, app-1 does not reach internet on tcp/443: gateway pier/out is out of order
  fix: wendrik outage  says what else stops, and what would end it
fails, 1 against of 1: app-1 reaches internet on tcp/443 without pier/out
  but app-1 to internet
  expectation error expect: "app-1 reaches internet on tcp/443 without pier/out" does not hold: without NAT gateway pier/out, app-1 does not reach internet on tcp/443: gateway pier/out is out of order
  fix: wendrik outage  says what else stops, and what would end it
fails, 1 against of 3: pier/app reaches internet on tcp/443 without zone west-a
  but till to internet
  expectation error expect: "pier/app reaches internet on tcp/443 without zone west-a" does not hold: till does not reach internet on tcp/443: no rule of group shut lets tcp/443 out to any public IPv4 address
  fix: add  tcp/443 to any  to networks.pier.groups.shut.out
fails, 1 against of 3: pier/app reaches internet on tcp/443 without any zone
  but till to internet
  expectation error expect: "pier/app reaches internet on tcp/443 without any zone" does not hold: till does not reach internet on tcp/443: no rule of group shut lets tcp/443 out to any public IPv4 address
  fix: add  tcp/443 to any  to networks.pier.groups.shut.out
holds, 0 against of 1: web-1 reaches app-1 on tcp/8080 without zone west-b
fails, 1 against of 1: web-1 reaches app-1 on tcp/9 without any zone
  but web-1 to app-1
  expectation error expect: "web-1 reaches app-1 on tcp/9 without any zone" does not hold: web-1 does not reach app-1 on tcp/9: no rule of group app lets tcp/9 in from 10.0.0.10
  fix: add  tcp/9 from group web  to networks.pier.groups.app.in
fails, 0 against of 1: web-1 reaches app-1 on tcp/8080 without any lift
  expectation error expect: "web-1 reaches app-1 on tcp/8080 without any lift" does not hold: nothing in the estate is "lift"
  fix: name a part of it: any zone, any NAT gateway, peering NAME
fails, 0 against of 1: web-1 reaches app-1 on tcp/8080 without lift harbour
  expectation error expect: "web-1 reaches app-1 on tcp/8080 without lift harbour" does not hold: nothing in the estate is "lift harbour"
  fix: name a part of it: any zone, any NAT gateway, peering NAME

== nobody
pier/none reaches web-1 on tcp/443
pier/none reaches till on tcp/443
web-1 reaches pier/none on tcp/22
internet never reaches pier/none
web-1 never reaches pier/none
pier/bare reaches web-1 on tcp/443
later never reaches web-1
web-1 never reaches later
pier/full reaches web-1 on tcp/443
web-1 reaches pier/none on tcp/22 except pier/none
web-1 never reaches app-1 except app-1
islet never reaches pier/none
islet reaches web-1 on tcp/443
pier/blank reaches app-1 on tcp/8080
pier/shell reaches app-1 on tcp/8080
app-1 never reaches pier/shell
--
holds, 0 against of 0: pier/none reaches web-1 on tcp/443
fails, 0 against of 0: pier/none reaches till on tcp/443
  expectation error expect: "pier/none reaches till on tcp/443" does not hold: tried by a workload that could be there: could-be-there-1 does not reach till on tcp/443: no rule of group shut lets tcp/443 in from 10.0.4.4
  fix: put a workload there, for which the rule can be written
holds, 0 against of 0: web-1 reaches pier/none on tcp/22
holds, 0 against of 0: internet never reaches pier/none
holds, 0 against of 0: web-1 never reaches pier/none
  expectation warning expect: "web-1 never reaches pier/none" holds, but nobody is there yet, and its groups alone would keep a workload there from it
  fix: put a list or a route between them, or take care of the groups of what comes there
fails waits, 0 against of 0: pier/bare reaches web-1 on tcp/443
  no finding: nothing was tried, because later has no address yet; carve gives it one
fails waits, 0 against of 0: later never reaches web-1
  no finding: workload later has no address yet; carve gives it one
fails waits, 0 against of 0: web-1 never reaches later
  no finding: workload later has no address yet; carve gives it one
holds, 0 against of 11: pier/full reaches web-1 on tcp/443
fails, 0 against of 0: web-1 reaches pier/none on tcp/22 except pier/none
  expectation error expect: "web-1 reaches pier/none on tcp/22 except pier/none" does not hold: nothing was tried, because pier/none has no workload to try
  fix: put a workload there, or take the line out
holds nobody, 0 against of 0: web-1 never reaches app-1 except app-1
  no finding: nothing was tried, because app-1 has no workload to try; put a workload there, or take the line out
holds, 0 against of 0: islet never reaches pier/none
fails, 0 against of 0: islet reaches web-1 on tcp/443
  expectation error expect: "islet reaches web-1 on tcp/443" does not hold: tried by a workload that could be there: could-be-there-1 does not reach web-1 on tcp/443: nothing joins network islet and network pier (and 1 more)
fails, 0 against of 0: pier/blank reaches app-1 on tcp/8080
  expectation error expect: "pier/blank reaches app-1 on tcp/8080" does not hold: tried by a workload that could be there: could-be-there-1 does not reach app-1 on tcp/8080: no rule of group app lets tcp/8080 in from 10.0.6.5; the nearest is tcp/8080 from group web
  fix: put a workload there, for which the rule can be written
fails nobody, 0 against of 0: pier/shell reaches app-1 on tcp/8080
  no finding: nothing was tried, because pier/shell has no workload to try; put a workload there, or take the line out
holds nobody, 0 against of 0: app-1 never reaches pier/shell
  no finding: nothing was tried, because pier/shell has no workload to try; put a workload there, or take the line out
`
