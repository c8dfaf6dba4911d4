package cut

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/golden"
	"wendrik/internal/randomplan"
)

// TestRandomCuts holds cuts in random estates against asking every pair before and after: what was asked is closed or told as left, nothing opens, what
// closes besides is told, and the line that is written as a proof holds.
func TestRandomCuts(t *testing.T) {
	cuts, clean, left := 0, 0, 0
	for seed := range fuzz.Rounds(10, 60) {
		rng := rand.New(rand.NewPCG(seed, 71))
		content := randomplan.Write(rng)
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings)
		ends := []string{"internet", "quay", "depot"}
		for _, w := range e.Workloads {
			ends = append(ends, w.Name)
		}
		words := append([]string{All, "n0/s1", "n1", "n1/s2"}, ends...)
		for range 3 {
			q := Request{A: words[rng.IntN(len(words))], B: words[rng.IntN(len(words))], Flows: flow.Any()}
			if rng.IntN(2) == 0 {
				q.On, q.Flows = true, flow.Ports(443, 443)
			}
			inside := func(s string) bool { return e.Workload(s) != nil || s[0] == 'n' || s == All }
			if q.A == q.B || !inside(q.A) && !inside(q.B) || q.A == "n1" && q.B == "n1/s2" || q.B == "n1" && q.A == "n1/s2" {
				continue
			}
			r, err := Of(e, q)
			require.NoError(t, err)
			at := []any{"seed %d: %s from %s on %s\n%s", seed, q.A, q.B, q.Flows, content}
			require.Empty(t, r.Opens, at...)
			a, b, err := sides(e, q)
			require.NoError(t, err)
			of := func(s *side, name string) bool {
				return s.who[name] || s.sites[name] || name == plan.Internet && s.whole
			}
			told := map[[2]string]flow.Set{}
			for _, d := range r.Closes {
				for _, f := range d.From {
					for _, g := range d.To {
						told[[2]string{f, g}] = told[[2]string{f, g}].Union(d.Flows)
					}
				}
			}
			ask := func(e *estate.Estate, p, q string) flow.Set {
				from, err := reach.Find(e, p)
				require.NoError(t, err)
				to, err := reach.Find(e, q)
				require.NoError(t, err)
				return reach.Ask(e, reach.Question{From: from, To: to, Flows: flow.Any()}).Some
			}
			for _, p := range ends {
				for _, x := range ends {
					if p == x || e.Workload(p) == nil && e.Workload(x) == nil {
						continue
					}
					was, is := ask(e, p, x), ask(r.After, p, x)
					require.True(t, was.Covers(is), at...)
					if of(a, p) && of(b, x) {
						if len(r.Left) == 0 {
							require.True(t, is.Intersect(q.Flows).Empty(), at...)
						}
						was = was.Minus(q.Flows)
					}
					require.True(t, told[[2]string{p, x}].Covers(was.Minus(is)), "%s to %s: %s closes, and it is not told\n%v", p, x, was.Minus(is), at)
				}
			}
			for _, line := range r.Proof {
				x, err := plan.ParseExpectation(line)
				require.NoError(t, err)
				require.True(t, expect.One(r.After, &x).Holds, at...)
			}
			if r.Passed == 0 {
				continue
			}
			if cuts++; len(r.Left) > 0 {
				left++
			} else if len(r.Closes) == 0 {
				clean++
			}
		}
	}
	t.Log(cuts, clean, left)
	assert.Greater(t, cuts, 8)
	assert.Greater(t, clean, 2)
}

// TestAnswers tells what cuts come to: A | B | FLOW.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		said := ""
		asked, more, _ := strings.Cut(asked, "\n@@\n")
		var all [][3]string
		for line := range strings.Lines(more) {
			words := strings.Fields(line)
			all = append(all, [3]string{words[0], words[1], words[2]})
		}
		if all == nil {
			all = [][3]string{
				{"job-1", "db", "any"}, {"job-1", "db", "tcp/1"}, {"internet", "web", "any"}, {All, "db", "tcp/1-3"}, {"desk", "db", "any"}, {"office", "web", "any"}, {"web", "internet", "any"}, {"db", All, "any"},
				{"a/s", "a/t", "tcp/1"}, {"web", "db", "any"}, {"job", "web", "any"}, {"office", "job", "any"}, {"desk", "office", "any"},
			}
		}
		for _, c := range all {
			on, err := flow.Parse(c[2])
			require.NoError(t, err)
			e := estatetest.Load(t, "wendrik: 1\n"+asked+"\n")
			r, err := Of(e, Request{A: c[0], B: c[1], Flows: on, On: c[2] != "any"})
			require.NoError(t, err)
			for _, a := range r.Left {
				said += "left: " + a.From.Name + " to " + a.To.Name + " on " + a.Some.String() + "\n"
			}
			left := len(r.Left)
			r.Left = nil
			said += c[0] + " from " + c[1] + " on " + c[2] + "\n" + golden.Tell(r)
			again, err := Of(r.After, Request{A: c[0], B: c[1], Flows: on, On: c[2] != "any"})
			require.NoError(t, err)
			if left == 0 {
				require.Empty(t, again.Changes, "%v: twice is once", c)
				require.Zero(t, again.Passed)
			}
		}
		return said
	})
	_, err := Of(estatetest.Load(t, "wendrik: 1\n"), Request{A: "nobody", B: All, Flows: flow.Any()})
	assert.ErrorContains(t, err, "nobody")
}

// TestNobodyToAsk: where nobody is, nothing is promised; a site that gets out over a network is seen, although no rule can keep it in.
func TestNobodyToAsk(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, out: {range: 10.0.1.0/24}}, gateways: {front: {kind: internet}, nat: {kind: nat, in: out, address: 10.0.1.9, public: 203.0.113.9}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: front}, {to: office, via: office}]}, in: {subnets: [], routes: [{to: 0.0.0.0/0, via: nat}]}}}, b: {range: 10.1.0.0/16, subnets: {y: {range: 10.1.0.0/24}}}}
sites: {office: {ranges: 10.9.0.0/24, link: a, knows: [0.0.0.0/0], arrives: in}}
workloads: {w: {in: a/x, address: 10.0.0.9}, v: {in: a/x, count: 2}}
`)
	for _, q := range [][2]string{{"b", "w"}, {"v", "w"}, {"b", "a"}} {
		_, err := Of(e, Request{A: q[0], B: q[1], Flows: flow.Any()})
		assert.ErrorContains(t, err, "nobody with an address", q)
	}
	for _, q := range [][2]string{{"office", "internet"}, {"office", All}} {
		r, err := Of(e, Request{A: q[0], B: q[1], Flows: flow.Ports(443, 443)})
		require.NoError(t, err)
		require.Len(t, r.Left, 1, q)
		assert.Equal(t, "office to internet", r.Left[0].From.Name+" to "+r.Left[0].To.Name)
	}
}
