package rehearse_test

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wire"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
	"wendrik/internal/rehearse"
)

// A longer run:  go test ./internal/rehearse -run TestRandomEstates -seed 1 -estates 1000 -timeout 0
var (
	firstSeed = flag.Uint64("seed", 1, "the first seed of random estates")
	estates   = flag.Uint64("estates", fuzz.Rounds(2, 6), "how many random estates to rehearse")
)

func TestMain(m *testing.M) {
	if rehearse.IsWorker() { // the rehearsal starts this program once more
		os.Exit(rehearse.Work())
	}
	_ = flag.Set("test.parallel", "8") // they wait for the kernel more than they compute
	flag.Parse()
	os.Exit(m.Run())
}

func load(t testing.TB, name, content string) *estate.Estate {
	t.Helper()
	e, findings := estate.Load(text.One(name, content))
	require.Empty(t, findings, name)
	return e
}

// play rehearses a plan, and wants the kernel to agree with reach on every exchange.
func play(t testing.TB, e *estate.Estate, opt rehearse.Options) *rehearse.Result {
	t.Helper()
	r, err := rehearse.Run(e, opt, false, nil)
	require.NoError(t, err)
	var wrong []string
	for _, x := range r.Tries {
		if !x.Agrees() && len(wrong) < 10 {
			wrong = append(wrong, fmt.Sprintf("%s (%s) to %s (%s) on %s from port %d: reach says %v as %v, the kernel %v as %s (%s)", x.From, x.Src, x.To, x.Dst, x.Flow(), x.SourcePort, x.Says, x.SeenAs, x.Passed, x.Saw, x.Other))
		}
	}
	require.Empty(t, wrong, "%s\n%s", strings.Join(wrong, "\n"), e.Plan.Files.First().Text)
	return r
}

// TestNamedPlans rehearses the shipped estate, and a plan for each kind of hop and filter; each has lines of expect
// that tell what it is about, all of which must hold by real packets. Plans on which kernel and reach once disagreed
// are among them.
func TestNamedPlans(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("testdata/*.yaml")
	require.NoError(t, err)
	require.Greater(t, len(files), 15)
	files = append(files, "../../examples/one-way-out.yaml")
	for _, name := range files {
		t.Run(strings.TrimSuffix(filepath.Base(name), ".yaml"), func(t *testing.T) {
			t.Parallel()
			raw, err := os.ReadFile(name)
			require.NoError(t, err)
			r := play(t, load(t, name, string(raw)), rehearse.Options{})
			require.NotEmpty(t, r.Expected)
			for _, x := range r.Expected {
				assert.True(t, x.Says && x.Holds, "%s: reach says %v, the kernel %v: %s", x.Text, x.Says, x.Holds, x.Why)
				assert.Positive(t, x.Tries, "%s: nothing was tried", x.Text)
			}
		})
	}
}

func TestShippedEstate(t *testing.T) {
	t.Parallel()
	raw, err := os.ReadFile("../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	r := play(t, load(t, "wendrik.yaml", string(raw)), rehearse.Options{})
	assert.False(t, r.Good(), "one line of expect is broken on purpose")
	held := 0
	for _, x := range r.Expected {
		assert.Equal(t, x.Says, x.Holds, x.Text)
		if x.Holds {
			held++
		}
	}
	assert.Equal(t, len(r.Expected)-1, held)
	passed := 0
	for _, p := range r.Pairs() {
		passed += p.Passed
	}
	assert.Greater(t, passed, 100)
}

// TestRandomEstates rehearses estates made at random, with every kind of hop and filter; every third of them in a cloud
// whose NAT gateways serve subnets by name.
func TestRandomEstates(t *testing.T) {
	t.Parallel()
	passed := 0
	for seed := *firstSeed; seed < *firstSeed+*estates; seed++ {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 7))
			content := randomplan.Write(rng)
			if seed%3 == 0 {
				content = serving(content, rng)
			}
			for _, x := range play(t, load(t, "wendrik.yaml", content), rehearse.Options{Most: 1500}).Tries {
				if x.Passed {
					passed++
				}
			}
		})
	}
	assert.Positive(t, passed)
}

// TestHalves rehearses plans of which parts are gone, or are others.
func TestHalves(t *testing.T) {
	t.Parallel()
	for seed := range fuzz.Rounds(1, 6) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			play(t, estatetest.Half(t, rand.New(rand.NewPCG(seed, 8)), ""), rehearse.Options{Most: 1500})
		})
	}
}

// TestStatedEstates rehearses estates by patterns, counts, tiers, names and addresses that the cloud gives; what passes is
// what passes in those that spell all of it out.
func TestStatedEstates(t *testing.T) {
	t.Parallel()
	for seed := range fuzz.Rounds(1, 3) {
		stated, spelt := randomplan.Both(rand.New(rand.NewPCG(seed, 92)))
		var passed [2][]string
		for i, content := range []string{stated, spelt} {
			for _, x := range play(t, load(t, "wendrik.yaml", content), rehearse.Options{Most: 600}).Tries {
				passed[i] = append(passed[i], fmt.Sprint(x.From, x.To, x.Flow(), x.Passed))
			}
		}
		assert.Equal(t, passed[1], passed[0], "seed %d", seed)
	}
}

// TestWiredEstates carves, wires and rehearses statements: what wire writes holds in the kernel, too.
func TestWiredEstates(t *testing.T) {
	t.Parallel()
	for seed := range fuzz.Rounds(2, 6) {
		rng := rand.New(rand.NewPCG(seed, 102))
		content := randomplan.Statement(rng)
		if seed%2 == 1 {
			content = randomplan.Wish(rng)
		}
		e := load(t, "wendrik.yaml", content)
		e, findings, err := e.With(carve.Estate(e).Changes)
		require.NoError(t, err)
		require.Empty(t, findings)
		e, findings, err = e.With(wire.Estate(e).Changes)
		require.NoError(t, err)
		require.Empty(t, findings)
		for _, x := range play(t, e, rehearse.Options{Most: 600}).Expected {
			assert.True(t, x.Holds, "seed %d: %s: %s", seed, x.Text, x.Why)
		}
	}
}

// serving makes of a random plan one of a cloud where NAT gateways serve subnets, networks may be born with a way out,
// and workloads may get out without any address.
func serving(content string, rng *rand.Rand) string {
	knobs := fmt.Sprintf("profile: {like: plain, nat-serves: true, default-route: %v, implicit-out: %v,", rng.IntN(2) == 0, rng.IntN(4) == 0)
	content = strings.Replace(content, "profile: {like: plain,", knobs, 1)
	content = regexp.MustCompile(`nat: \{kind: nat, in: s(\d), address: (\[[^\]]*\]|[0-9.]+)`).ReplaceAllString(content, "nat: {kind: nat, serves: [s$1, s2]")
	return strings.ReplaceAll(content, "via: nat", "via: gate")
}

// TestOnly: packets go through networks whose workloads are not tried.
func TestOnly(t *testing.T) {
	t.Parallel()
	raw, err := os.ReadFile("../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	r := play(t, load(t, "wendrik.yaml", string(raw)), rehearse.Options{Only: []string{"harbour"}})
	for _, p := range r.Pairs() {
		for _, end := range []string{p.From, p.To} {
			assert.Contains(t, []string{"berth-1", "tide-gauge", "tide-db", "quay", "gull-rail", "internet"}, end)
		}
	}
	_, err = rehearse.Run(load(t, "wendrik.yaml", string(raw)), rehearse.Options{Only: []string{"nowhere"}}, false, nil)
	assert.ErrorContains(t, err, "no network nowhere")
}

// TestExpectationsByPackets: a line of expect holds by what the packets do, and by nothing else.
func TestExpectationsByPackets(t *testing.T) {
	t.Parallel()
	r, err := rehearse.Run(load(t, "p", `wendrik: 1
networks:
  pier:
    range: 10.0.0.0/16
    subnets: {web: {range: 10.0.0.0/24}, db: {range: 10.0.1.0/24}}
    groups: {db: {in: [tcp/5432 from 10.0.0.1/32], out: []}}
workloads:
  web-1: {in: pier/web, address: 10.0.0.1}
  web-2: {in: pier/web, address: 10.0.0.2}
  db: {in: pier/db, address: 10.0.1.1, groups: [db]}
expect:
  - web-1 reaches db on tcp/5432
  - pier/web reaches db on tcp/5432
  - web-2 never reaches db
  - web-1 never reaches db
`), rehearse.Options{}, false, nil)
	require.NoError(t, err)
	var held []bool
	for _, x := range r.Expected {
		held = append(held, x.Holds)
	}
	assert.Equal(t, []bool{true, false, true, false}, held)
	assert.False(t, r.Good())
}

// TestPacketsAndLines: the packets and the walk say the same of lines on private IPv6, on what two translate, and on what a cloud
// lets out by an address of its choosing.
func TestPacketsAndLines(t *testing.T) {
	t.Parallel()
	for name, content := range map[string]string{
		"private IPv6 has no way out": `networks: {a: {range: [10.1.0.0/16, "fd00:1::/48"], subnets: {x: {range: [10.1.0.0/24, "fd00:1::/64"]}, y: {range: 10.1.1.0/24}}, groups: {g: {out: [any to any]}},
  gateways: {front: {kind: internet}, out: {kind: nat, in: y, public: assigned, address: 10.1.1.4}, six: {kind: egress}}, tables: {p: {subnets: [y], routes: [{to: 0.0.0.0/0, via: front}]}, o: {subnets: [x], routes: [{to: 0.0.0.0/0, via: out}, {to: "::/0", via: six}]}}}}
workloads: {app: {in: a/x, address: [10.1.0.10, "fd00:1::10"], groups: [g]}}
expect: [app reaches internet on tcp/443, "app never reaches 2001:db8:ff00::/40"]`,
		"two translate": `networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}, z: {range: 10.0.2.0/24}}, groups: {g: {in: [any from any], out: [any to any]}}, gateways: {i: {kind: internet}, n: {kind: nat, in: z, address: 10.0.2.9, public: 203.0.113.9}},
  tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: f}]}, o: {subnets: [y], routes: [{to: 0.0.0.0/0, via: n}]}, p: {subnets: [z], routes: [{to: 0.0.0.0/0, via: i}]}}}}
workloads: {w: {in: a/x, address: 10.0.0.9, groups: g}, f: {in: a/y, address: 10.0.1.9, groups: g, forwards: nat}}
expect: [w reaches internet on tcp/443, w leaves as 203.0.113.9, w never reaches internet]`,
		"the cloud chooses": `profile: {like: plain, implicit-out: true}
networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, groups: {g: {in: any from any, out: any to any}}, gateways: {i: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: f}]}, o: {subnets: y, routes: [{to: 0.0.0.0/0, via: i}]}}}}
workloads: {w: {in: a/x, address: 10.0.0.9, groups: g}, f: {in: a/y, address: 10.0.1.9, groups: g, forwards: nat}}
expect: [f reaches internet on tcp/443, w reaches internet on tcp/443, w never reaches internet]`,
	} {
		t.Run(name, func(t *testing.T) {
			r, err := rehearse.Run(load(t, "p", "wendrik: 1\n"+content+"\n"), rehearse.Options{}, false, nil)
			require.NoError(t, err)
			for _, x := range r.Tries {
				assert.True(t, x.Agrees(), "%+v", x)
			}
			for _, x := range r.Expected {
				assert.Equal(t, x.Says, x.Holds, "%s: %s", x.Text, x.Why)
			}
		})
	}
}

// BenchmarkRehearsal rehearses 30 workloads in 10 networks around a hub, each pair on several ports: up, tried and down.
func BenchmarkRehearsal(b *testing.B) {
	var content strings.Builder
	content.WriteString("wendrik: 1\nnetworks:\n")
	var attach, workloads []string
	for n := range 10 {
		fmt.Fprintf(&content, "  n%d:\n    range: 10.%d.0.0/16\n    subnets: {a: {range: 10.%d.0.0/24}, b: {range: 10.%d.1.0/24}}\n", n, n, n, n)
		fmt.Fprintf(&content, "    tables: {main: {main: true, routes: [{to: 10.0.0.0/8, via: hub}]}}\n    groups: {g: {in: [\"tcp/443,tcp/5432 from 10.%d.0.0/15\", udp/53 from any, icmp from any], out: [any to any]}}\n", n/2*2)
		attach = append(attach, fmt.Sprintf("n%d: t", n))
		for w := range 3 {
			workloads = append(workloads, fmt.Sprintf("  w%d%d: {in: n%d/%c, address: 10.%d.%d.%d, groups: [g], listens: [tcp/443]}\n", n, w, n, "aab"[w], n, w/2, 10+w))
		}
	}
	fmt.Fprintf(&content, "hubs: {hub: {attach: {%s}, tables: {t: {learns: [n0, n1, n2, n3, n4, n5, n6, n7, n8, n9]}}}}\nworkloads:\n%s", strings.Join(attach, ", "), strings.Join(workloads, ""))
	e := load(b, "wendrik.yaml", content.String())
	for b.Loop() {
		r := play(b, e, rehearse.Options{})
		b.ReportMetric(float64(len(r.Pairs())), "pairs")
		b.ReportMetric(float64(len(r.Tries)), "exchanges")
	}
}
