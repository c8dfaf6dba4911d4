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
	golden.File(t, "cases.txt", func(t *testing.T, asked string) string {
		var lines strings.Builder
		for line := range strings.Lines(asked) {
			lines.WriteString("  - " + line)
		}
		return told(estatetest.Load(t, ferry+"expect:\n"+lines.String()))
	})
}

// TestAgainst: of two estates, the lines of never that hold in the one and not in the other.
func TestAgainst(t *testing.T) {
	lines := "expect:\n  - app-2 reaches web-1 on tcp/443\n  - only app-1 reaches till on tcp/443\n  - only till reaches app-1 on tcp/9\n  - pier/web never reaches till\n  - app-1 never reaches till\n  - web-1 reaches till on tcp/443\n  - web-1 never reaches app-1\n  - quay never reaches till on udp\n  - app-1 reaches web-1 on tcp/443\n"
	before := estatetest.Load(t, ferry+lines)
	after := estatetest.Load(t, strings.Replace(strings.Replace(ferry, "web: {in: [tcp/443", "web: {in: [tcp/80", 1), "shut: {in: []", "shut: {in: [tcp/443 from 10.0.1.0/24, udp/53 from 10.0.2.0/24]", 1)+lines)
	assert.False(t, One(after, &plan.Expectation{From: "app-1", To: "web-1", Flows: flow.Ports(443, 443)}).Holds, "what no longer reaches is no opening")
	names := func(all []plan.Expectation) (texts []string) {
		for _, x := range all {
			texts = append(texts, x.Text)
		}
		return texts
	}
	assert.Equal(t, []string{"only app-1 reaches till on tcp/443", "pier/web never reaches till", "app-1 never reaches till"}, names(Against(before, after)))
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

// TestThrough: each kind of thing that packets pass is known on both ways; what does not pass packets on is none, and neither is one direction alone.
func TestThrough(t *testing.T) {
	const content = `wendrik: 1
networks:
  a: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/24}, w: {range: 10.1.1.0/24}, t: {range: 10.1.2.0/24}, u: {range: 10.1.3.0/24}}, tables: {m: {main: true, routes: [{to: b, via: h}, {to: office, via: h}, {to: c, via: pair}, {to: 10.1.2.0/24, via: wall-1}, {to: 10.1.3.0/24, via: wall-2}]}, w: {subnets: [w], routes: []}, t: {subnets: [t], routes: [{to: 10.1.0.0/24, via: wall-1}, {to: 10.1.3.0/24, via: mask}]}, u: {subnets: [u], routes: [{to: 10.1.2.0/24, via: mask}, {to: 10.1.0.0/24, via: wall-2}]}}, groups: {g: {in: [any from any], out: [any to any]}}}
  b: {range: 10.2.0.0/16, subnets: {s: {range: 10.2.0.0/24}}, tables: {m: {main: true, routes: [{to: a, via: i}]}}, groups: {g: {in: [any from any], out: [any to any]}}}
  c: {range: 10.3.0.0/16, subnets: {s: {range: 10.3.0.0/24}}, tables: {m: {main: true, routes: [{to: a, via: pair}]}}, groups: {g: {in: [any from any], out: [any to any]}, k: {in: [tcp/1 from any], out: [any to any]}}}
hubs: {h: {attach: {a: t, office: t}, tables: {t: {learns: [a, office], routes: [{to: b, via: bridge}]}}}, i: {attach: {b: t}, tables: {t: {learns: [b], routes: [{to: a, via: bridge}]}}}}
hub-links: {bridge: {between: [h, i], accepted: [h, i], tables: {h: t, i: t}}}
sites: {office: {ranges: 10.9.0.0/24, knows: [a]}}
peerings: {pair: {between: [a, c], accepted: [a, c]}}
workloads:
  job: {in: a/s, address: 10.1.0.10, groups: [g]}
  db: {in: a/t, address: 10.1.2.10, groups: [g]}
  far: {in: a/u, address: 10.1.3.10, groups: [g]}
  wall: {in: a/w, count: 2, addresses: [10.1.1.10, 10.1.1.11], groups: [g], forwards: plain}
  mask: {in: a/w, address: 10.1.1.12, groups: [g], forwards: nat}
  idle: {in: a/w, address: 10.1.1.13, groups: [g]}
  till: {in: b/s, address: 10.2.0.10, groups: [g]}
  pay: {in: c/s, address: 10.3.0.10, groups: [g]}
  safe: {in: c/s, address: 10.3.0.11, groups: [k]}
expect: [job never reaches db on icmp]
`
	e := estatetest.Load(t, content)
	for line, why := range map[string]string{
		"job reaches till on tcp/1 through h": "", "job reaches till on tcp/1 through i": "", "job reaches till on tcp/1 through bridge": "", "job reaches till through bridge": "",
		"job reaches pay on tcp/1 through pair": "", "office reaches job on tcp/1 through office": "", "office reaches job on tcp/1 through h": "",
		"job reaches db on tcp/1 through wall": "", "job reaches db on tcp/1 through wall-1": "",
		"far reaches db on tcp/1 through mask":      "",
		"job reaches till on tcp/1 through pair":    "job reaches till past pair: by h, bridge, i there, and by i, bridge, h back",
		"job reaches pay on tcp/1 through h":        "job reaches pay past h: by pair there, and by pair back",
		"job reaches db on tcp/1 through wall-2":    "job reaches db past wall-2: by wall-1 there, and by wall-1 back",
		"job reaches far on tcp/1 through wall":     "",
		"job reaches far on tcp/1 through wall-1":   "job reaches far past wall-1: by wall-2 there, and by wall-2 back",
		"job reaches idle on tcp/1 through wall":    "job reaches idle past wall: by nothing between there, and by nothing between back",
		"job reaches safe through pair":             "",
		"job reaches safe on any through pair":      "job reaches safe on any only in part",
		"job reaches db on tcp/1 through idle":      "nothing called idle passes packets on",
		"job reaches db on tcp/1 through a":         "nothing called a passes packets on",
		"a/s reaches a/t on tcp/1 through wall":     "",
		"only job reaches db on tcp/1 through wall": "far reaches db on tcp/1; 5 of 8 pairs are so",
	} {
		x, err := plan.ParseExpectation(line)
		require.NoError(t, err, line)
		r := One(e, &x)
		assert.Equal(t, why == "", r.Holds, "%s: %s", line, r.Why)
		assert.Equal(t, why, r.Why, line)
	}
	oneWay := estatetest.Load(t, strings.Replace(content, "{to: 10.1.0.0/24, via: wall-1}, ", "", 1))
	x, err := plan.ParseExpectation("job reaches db on tcp/1 through wall-1")
	require.NoError(t, err)
	assert.Equal(t, "job reaches db past wall-1: by wall-1 there, and by nothing between back", One(oneWay, &x).Why)
	x, err = plan.ParseExpectation("only nobody reaches db on tcp/1")
	require.NoError(t, err)
	assert.True(t, Never(e, &x).Holds && !One(e, &x).Holds, "who is not there is told by the other part")
}

// TestProbesEnd: a workload that is tried in an empty subnet is all of both ends, by what is excepted, and another is tried beside it.
func TestProbesEnd(t *testing.T) {
	const yet = "nobody is there yet, and its groups alone would keep a workload there from it"
	const none = "nothing was tried, because n has no workload to try"
	for _, c := range []struct {
		line, network, why string
		holds              bool
	}{
		{"n never reaches n/u on tcp/443 except n/s", "", yet, true},
		{"n never reaches n/u on tcp/443 except n/s, n/u", "", none, true},
		{"n reaches n/u on tcp/443 except n/s", "", "", true},
		{"n/u never reaches n on tcp/443 except n/s", "", yet, true},
		{"n/u never reaches n/v on tcp/443 except n/s", "lists: {shut: {subnets: [u], in: [], out: []}}, ", "", true},
		{"n/u reaches n/v on tcp/443", "lists: {shut: {subnets: [u], in: [], out: []}}, ", "tried by a workload that could be there: could-be-there-1 does not reach could-be-there-2", false},
	} {
		e := estatetest.Load(t, "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16, "+c.network+"subnets: {s: {range: 10.0.0.0/24}, u: {range: 10.0.1.0/24}, v: {range: 10.0.2.0/24}}}}\nworkloads: {w: {in: n/s, address: 10.0.0.9}}\nexpect: [\""+c.line+"\"]\n")
		r := One(e, &e.Plan.Expect[0])
		assert.Equal(t, c.holds, r.Holds, c.line)
		assert.True(t, c.why == r.Why || c.why != "" && strings.HasPrefix(r.Why, c.why), "%s: %s", c.line, r.Why)
		assert.Equal(t, c.why == none, r.Nobody, c.line)
	}
}
