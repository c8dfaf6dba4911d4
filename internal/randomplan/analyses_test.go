package randomplan

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wire"
	"wendrik/internal/fuzz"
)

// spoil changes a plan here and there: words go, come twice, or take the place of others, as in the texts of people.
func spoil(content string, rng *rand.Rand, times int) string {
	for range times {
		words := strings.SplitAfter(content, " ")
		i, j := rng.IntN(len(words)), rng.IntN(len(words))
		switch rng.IntN(5) {
		case 0:
			words[i] = ""
		case 1:
			words[i] += words[i]
		case 2:
			words[i] = words[j]
		case 3:
			words[i], words[j] = words[j], words[i]
		case 4:
			words[i] = strings.NewReplacer("10.0.", "10.1.", "/24", "/23", "tcp", "udp", "allow", "deny", "n0", "n1").Replace(words[i])
		}
		content = strings.Join(words, "")
	}
	return content
}

// analyse runs every analysis on a plan, on what can be read of it, and writes down what they found. It gives nothing for a
// content that is no plan.
func analyse(t *testing.T, content string) string {
	e, findings := estate.Load(text.One("p", content))
	var b strings.Builder
	for _, f := range findings {
		require.NotEmpty(t, f.Message)
		require.NotEmpty(t, f.Code)
		fmt.Fprintln(&b, f.Code, f.At, f.Message, f.Fix())
	}
	if e.Plan.Unread {
		return ""
	}
	for _, f := range check.Run(e) {
		require.True(t, f.Message != "" && f.Fix() != "" && f.At.Known(), "%+v", f)
		fmt.Fprintln(&b, f.Code, f.At, f.Message, f.Fix())
	}
	for _, p := range overlap.Estate(e).Pairs {
		fmt.Fprintln(&b, p.Verdict, p.A, p.B, p.Shared, p.Why, p.Move)
	}
	for _, n := range space.NewSurvey(e, nil).Tree() {
		fmt.Fprintln(&b, n.Range, n.Free)
	}
	if w := wire.Estate(e); w.Uneditable == nil {
		for _, c := range w.Changes {
			fmt.Fprintln(&b, c.Why, c.Edits)
		}
	}
	for _, s := range carve.Estate(e).Subnets {
		fmt.Fprintln(&b, s.Network, s.Name, s.Range)
	}
	for _, r := range expect.Run(e, nil) {
		fmt.Fprintln(&b, r.Text, r.Holds, r.Pairs, r.Against, r.Why)
	}
	ends := []string{"internet", "quay", "depot"}
	for _, w := range e.Workloads {
		ends = append(ends, w.Name)
	}
	for i, from := range ends {
		x, errFrom := reach.Find(e, from)
		y, errTo := reach.Find(e, ends[(i*7+1)%len(ends)])
		if errFrom != nil || errTo != nil {
			continue
		}
		a := reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()})
		require.True(t, a.Some.Covers(a.Full))
		fmt.Fprintln(&b, from, y.Name, a.Verdict, a.Full, a.Some, a.SeenAs)
		for _, f := range a.Blockers {
			require.True(t, f.Message != "" && f.Fix() != "", "%+v", f)
			fmt.Fprintln(&b, f.Code, f.Message, f.Fix())
		}
	}
	for _, s := range grid.Matrix(e, len(e.Networks), func(w *estate.Workload) int {
		for i, n := range e.Networks {
			if w.Subnet != nil && w.Subnet.Network == n {
				return i
			}
		}
		return -1
	}, nil) {
		fmt.Fprintln(&b, s.Pairs, s.Full, s.Some)
	}
	return b.String()
}

const expectations = "expect:\n  - n0 never reaches n1\n  - internet reaches n0/s0 on tcp/443\n  - quay never reaches n1/s1 on udp/53\n"

// anyPlan is one that spells all out, one by patterns and names, or one of which only what is wanted is said.
func anyPlan(rng *rand.Rand, kind int) string {
	switch kind % 3 {
	case 1:
		stated, _ := Both(rng)
		return stated + expectations
	case 2:
		return Statement(rng)
	}
	return Write(rng) + expectations
}

// TestSpoiledPlans: no content, however spoiled, breaks an analysis, and each that can be read gives the same answers twice.
func TestSpoiledPlans(t *testing.T) {
	read := 0
	for seed := range fuzz.Rounds(40, 240) {
		rng := rand.New(rand.NewPCG(seed, 41))
		content := spoil(anyPlan(rng, int(seed)), rng, rng.IntN(6))
		one := analyse(t, content)
		if one != "" {
			read++
			require.Equal(t, one, analyse(t, content), "seed %d", seed)
		}
	}
	assert.Greater(t, read, int(fuzz.Rounds(5, 30)))
}

// FuzzAnalyses looks for a content that breaks an analysis.
func FuzzAnalyses(f *testing.F) {
	for seed := range fuzz.Rounds(5, 20) {
		f.Add(seed, uint64(seed), uint8(seed))
	}
	f.Fuzz(func(t *testing.T, seed, how uint64, times uint8) {
		defer fuzz.Bound()()
		analyse(t, spoil(anyPlan(rand.New(rand.NewPCG(seed, 42)), int(seed%3)), rand.New(rand.NewPCG(how, 43)), int(times%24)))
	})
}

// TestEveryKindComesUp: the random plans have every kind of hop, filter and end that there is, and large ones the size
// that is asked for.
func TestEveryKindComesUp(t *testing.T) {
	seen := map[string]int{}
	for seed := range fuzz.Rounds(15, 80) {
		content := Write(rand.New(rand.NewPCG(seed, 44)))
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings, content)
		for _, n := range e.Networks {
			for _, tab := range n.Tables {
				for _, r := range tab.Routes {
					kindsOf(seen, r)
				}
			}
			for _, s := range n.Subnets {
				if s.List != nil {
					seen["list"]++
				}
				if s.ByDefault {
					seen["main table"]++
				}
			}
		}
		for _, h := range e.Hubs {
			for _, tab := range h.Tables {
				for _, r := range tab.Routes {
					kindsOf(seen, r)
				}
			}
		}
		for _, w := range e.Workloads {
			switch {
			case w.Forwards == estate.NATForwarding:
				seen["translates"]++
			case w.Forwards == estate.PlainForwarding:
				seen["forwards"]++
			case len(w.Targets) > 0:
				seen["balancer"]++
			case len(w.Groups) == 0:
				seen["no group"]++
			case len(w.Groups) > 1:
				seen["several groups"]++
			}
		}
		for _, p := range e.Peerings {
			seen[fmt.Sprintf("peering stands: %v", p.Stands())]++
			if p.Carries(p.Between[0]) {
				seen["peering carries"]++
			}
		}
	}
	for _, kind := range []string{"internet", "not attached", "egress", "nat", "peering", "hub", "site", "workload", "blackhole", "hub link", "learned", "list", "main table",
		"translates", "forwards", "balancer", "no group", "several groups", "peering stands: true", "peering stands: false", "peering carries"} {
		assert.Greater(t, seen[kind], int(fuzz.Rounds(0, 5)), "%s: %v", kind, seen)
	}
	e, findings := estate.Load(text.One("p", Large(12)))
	require.Empty(t, findings)
	assert.Len(t, e.Networks, 12)
	assert.Len(t, e.Subnets, 120)
	assert.Len(t, e.Workloads, 1200)
}

func kindsOf(seen map[string]int, r *estate.Route) {
	switch via := r.Via.(type) {
	case nil:
	case *estate.Gateway:
		kind := string(via.Type)
		if via.Type == estate.InternetGateway && !via.Attached {
			kind = "not attached"
		}
		seen[kind]++
	default:
		seen[string(via.Kind())]++
	}
	if r.Origin == estate.Learned {
		seen["learned"]++
	}
}

// TestWhatReachesMeets: two networks or sites that any flow passes between can meet, so that ranges of theirs that
// overlap are a conflict.
func TestWhatReachesMeets(t *testing.T) {
	passed := map[string]int{}
	for seed := range fuzz.Rounds(30, 150) {
		e, findings := estate.Load(text.One("p", Write(rand.New(rand.NewPCG(seed, 77)))))
		if len(findings) > 0 {
			continue
		}
		m := meet.Of(e)
		var ends []reach.End
		for _, w := range e.Workloads {
			if len(w.Addrs) > 0 {
				x, err := reach.Find(e, w.Name)
				require.NoError(t, err)
				ends = append(ends, x)
			}
		}
		for _, s := range e.Sites {
			x, err := reach.Find(e, s.Name)
			require.NoError(t, err)
			ends = append(ends, x)
		}
		of := func(x reach.End) estate.Object {
			if x.Workload != nil {
				return x.Workload.Subnet.Network
			}
			return x.Site
		}
		for _, x := range ends {
			for _, y := range ends {
				if of(x) == of(y) || x.Workload == nil && y.Workload == nil {
					continue
				}
				a := reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()})
				if a.Verdict == reach.Blocked {
					continue
				}
				chain, _ := m.Chain(of(x), of(y))
				require.True(t, m.Meet(of(x), of(y)) && len(chain) > 2, "seed %d: %s reaches %s", seed, x.Name, y.Name)
				passed[strings.Join(strings.Fields(strings.Join(chain[1:len(chain)-1], " "))[:1], "")]++
			}
		}
	}
	for _, how := range []string{"peering", "hub", "the"} {
		assert.Greater(t, passed[how], int(fuzz.Rounds(2, 10)), how)
	}
}

// TestCarvedPlansCanBeRead takes ranges out of random plans, in which all else still stands, and carves them: either
// that is refused, or the plan can be read, and every workload is where it was.
func TestCarvedPlansCanBeRead(t *testing.T) {
	carved, refused := 0, 0
	for seed := range fuzz.Rounds(50, 300) {
		rng := rand.New(rand.NewPCG(seed, 78))
		e, findings := estate.Load(text.One("p", Write(rng)))
		if len(findings) > 0 {
			continue
		}
		var edits []text.Edit
		for _, s := range e.Subnets {
			if len(s.Ranges) > 0 && rng.IntN(3) == 0 {
				edits = append(edits, text.Replace(s.Place(), "range", "size", text.Word(fmt.Sprintf("/%d", s.Ranges[0].Bits()))))
			}
		}
		released, findings, err := e.With(text.Changes{{Edits: edits}})
		require.NoError(t, err)
		if len(findings) > 0 {
			continue // what was taken out is needed
		}
		r := carve.Estate(released)
		if len(r.Misfits) > 0 {
			refused++
			continue
		}
		again, findings, err := released.With(r.Changes)
		require.NoError(t, err)
		require.Empty(t, findings, "seed %d", seed)
		for _, w := range e.Workloads {
			require.True(t, again.Workload(w.Name).Subnet.Holds(w.Addrs[0]), "seed %d: %s", seed, w.Name)
		}
		carved++
	}
	assert.Greater(t, carved, int(fuzz.Rounds(5, 30)))
	t.Log(carved, refused)
}
