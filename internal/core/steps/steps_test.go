package steps

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// state is the plan after some steps, read anew.
func state(t *testing.T, p *Plan, from *estate.Estate, n int) *estate.Estate {
	t.Helper()
	content, err := p.At(n)
	require.NoError(t, err)
	return estatetest.Load(t, content)
}

// between is a random estate with some of the rules, routes and groups of another of the same shape.
func between(t *testing.T, e *estate.Estate, rng *rand.Rand) *estate.Estate {
	t.Helper()
	after := e
	for range 2 + rng.IntN(4) {
		n := after.Networks[rng.IntN(len(after.Networks))]
		var edits []text.Edit
		switch rng.IntN(5) {
		case 0:
			if tb := n.Tables[rng.IntN(len(n.Tables))]; tb.Plan != nil && len(tb.Plan.Routes) > 0 {
				edits = append(edits, text.RemoveNth(tb.Place().To("routes"), 1+rng.IntN(len(tb.Plan.Routes))))
			}
		case 1:
			g := n.Groups[rng.IntN(len(n.Groups))]
			edits = append(edits, text.Set(g.Place(), "in", text.Words("tcp/22 from any", "udp/53 from 10.0.0.0/8")))
		case 2:
			g := n.Groups[rng.IntN(len(n.Groups))]
			edits = append(edits, text.Add(g.Place().To("out"), text.Word("any to any")))
		case 3:
			w := after.Workloads[rng.IntN(len(after.Workloads))]
			edits = append(edits, text.Set(w.Place(), "groups", text.Words("g1")))
		case 4:
			edits = append(edits, text.Set(n.Place().To("tables"), "fresh", text.Map(text.Field{Key: "subnets", Value: text.Words()}, text.Field{Key: "routes", Value: text.List(text.Map(text.Field{Key: "to", Value: text.Word("198.18.0.0/15")}, text.Field{Key: "via", Value: text.Word("blackhole")}))})))
		}
		if next, problems, err := after.With(text.Changes{{Edits: edits}}); err == nil && len(problems) == 0 {
			after = next
		}
	}
	return after
}

// TestEveryState changes random estates step by step, and holds each state against asking for every pair: what passes before and
// after all and not there is what the step says that it cuts, and what passes there alone is what it opens. The last state says what
// the new plan says.
func TestEveryState(t *testing.T) {
	steps, clean := 0, 0
	for seed := range fuzz.Rounds(3, 9) {
		rng := rand.New(rand.NewPCG(seed, 71))
		old := estatetest.Load(t, randomplan.Write(rng))
		fresh := between(t, old, rng)
		p, err := Of(old, fresh, nil)
		require.NoError(t, err)
		was, is := outcomes(old), outcomes(fresh)
		for n := 0; n <= len(p.Steps); n++ {
			e := state(t, p, old, n)
			if n == 0 || n == len(p.Steps) {
				left, err := text.Between(e.Plan.Files.First(), []*estate.Estate{old, fresh}[min(n, 1)].Plan.Files.First())
				require.NoError(t, err)
				require.Empty(t, left, "seed %d", seed)
				continue
			}
			steps++
			if len(p.Steps[n-1].Cuts)+len(p.Steps[n-1].Opens) == 0 {
				clean++
			}
			var cuts, opens []string
			for pair, o := range outcomes(e) {
				if cut := was[pair].Some.Intersect(is[pair].Some).Minus(o.Some).Union(was[pair].Full.Intersect(is[pair].Full).Minus(o.Full)); !cut.Empty() {
					cuts = append(cuts, pair+" "+cut.String())
				}
				if more := o.Some.Minus(was[pair].Some.Union(is[pair].Some)).Union(o.Full.Minus(was[pair].Full.Union(is[pair].Full))); !more.Empty() {
					opens = append(opens, pair+" "+more.String())
				}
			}
			require.ElementsMatch(t, cuts, said(p.Steps[n-1].Cuts), "seed %d, step %d: %s", seed, n, p.Steps[n-1].Text)
			require.ElementsMatch(t, opens, said(p.Steps[n-1].Opens), "seed %d, step %d: %s", seed, n, p.Steps[n-1].Text)
		}
	}
	assert.Greater(t, steps, 9)
	assert.Greater(t, clean*10, steps*6, "%d of %d", clean, steps)
}

// TestEveryStateOfHalves is the same for plans of which parts are gone or are others: every state can be read, the last one is the new plan, and
// what is cut and opened between two workloads is told exactly; of what is outside, at least what is so for all of it.
func TestEveryStateOfHalves(t *testing.T) {
	for seed := range fuzz.Rounds(5, 20) {
		rng := rand.New(rand.NewPCG(seed, 72))
		name := estatetest.AnyPlan(rng)
		old, fresh := estatetest.Half(t, rng, name), estatetest.Half(t, rng, name)
		p, err := Of(old, fresh, nil)
		require.NoError(t, err, "seed %d", seed)
		was, is := outcomes(old), outcomes(fresh)
		for n := 1; n <= len(p.Steps); n++ {
			e := state(t, p, old, n)
			if n == len(p.Steps) {
				require.Empty(t, compare.Of(e, fresh, nil, today).Changes, "seed %d", seed) // routes may stand in another order
				continue
			}
			cuts, opens := map[string]flow.Set{}, map[string]flow.Set{}
			for pair, o := range outcomes(e) {
				cuts[pair] = was[pair].Some.Intersect(is[pair].Some).Minus(o.Some).Union(was[pair].Full.Intersect(is[pair].Full).Minus(o.Full))
				opens[pair] = o.Some.Minus(was[pair].Some.Union(is[pair].Some)).Union(o.Full.Minus(was[pair].Full.Union(is[pair].Full)))
			}
			for _, x := range []struct {
				what string
				all  map[string]flow.Set
				told []grid.Difference
			}{{"cuts", cuts, p.Steps[n-1].Cuts}, {"opens", opens, p.Steps[n-1].Opens}} {
				told := map[string]flow.Set{}
				for _, d := range x.told {
					for _, f := range d.From {
						for _, g := range d.To {
							told[f+" "+g] = told[f+" "+g].Union(d.Flows)
						}
					}
				}
				for pair, flows := range x.all {
					from, to, _ := strings.Cut(pair, " ")
					inside := e.Workload(from) != nil && e.Workload(to) != nil
					require.True(t, inside && told[pair].Equal(flows) || !inside && told[pair].Covers(flows), "seed %d, step %d: %s: %s %s: %s, told %s", seed, n, p.Steps[n-1].Text, x.what, pair, flows, told[pair])
				}
			}
		}
	}
}

func said(all []grid.Difference) (words []string) {
	for _, d := range all {
		for _, f := range d.From {
			for _, g := range d.To {
				if f != g {
					words = append(words, f+" "+g+" "+d.Flows.String())
				}
			}
		}
	}
	return words
}

// outcomes are what passes between every two ends.
func outcomes(e *estate.Estate) map[string]reach.Outcome {
	names := []string{"internet"}
	for _, s := range e.Sites {
		names = append(names, s.Name)
	}
	for _, w := range e.Workloads {
		names = append(names, w.Name)
	}
	all := map[string]reach.Outcome{}
	for _, p := range names {
		for _, q := range names {
			if p == q || e.Workload(p) == nil && e.Workload(q) == nil {
				continue
			}
			x, _ := reach.Find(e, p)
			y, _ := reach.Find(e, q)
			all[p+" "+q] = reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()}).Outcome
		}
	}
	return all
}

var today = time.Date(2031, 3, 31, 0, 0, 0, 0, time.UTC)

const coast = `wendrik: 1
networks:
  booking:
    range: 10.1.0.0/16
    owner: tickets
    subnets: {app-a: {range: 10.1.0.0/24}, app-b: {range: 10.1.1.0/24}}
    gateways: {front: {kind: internet}}
    tables: {main: {main: true, routes: [{to: finance, via: pair}]}, other: {subnets: [app-b], routes: [{to: finance, via: pair}]}}
    groups: {fares: {in: [tcp/443 from any], out: [any to any]}}
  finance: {range: 10.2.0.0/16, owner: books, subnets: {data: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [{to: booking, via: pair}]}}, groups: {db: {in: [tcp/5432 from booking], out: []}}}
workloads:
  fares: {in: booking/app-a, address: 10.1.0.10, groups: [fares]}
  fare-db: {in: finance/data, address: 10.2.0.10, groups: [db]}
peerings: {pair: {between: [booking, finance], accepted: [booking, finance]}}
`

// TestOrder makes before it breaks: a rule that takes the place of another comes before that goes, and a subnet takes a table once that
// has its routes.
func TestOrder(t *testing.T) {
	old := estatetest.Load(t, coast)
	fresh := estatetest.Load(t, strings.NewReplacer("in: [tcp/5432 from booking]", "in: [tcp/5432 from 10.1.0.0/24]",
		"other: {subnets: [app-b], routes: [{to: finance, via: pair}]}", "apps: {subnets: [app-a, app-b], routes: [{to: finance, via: pair}]}").Replace(coast))
	p, err := Of(old, fresh, nil)
	require.NoError(t, err)
	assert.True(t, p.Clean())
	var got []string
	for _, s := range p.Steps {
		got = append(got, s.Text)
	}
	at := func(words string) int {
		i := slices.IndexFunc(got, func(s string) bool { return strings.Contains(s, words) })
		require.GreaterOrEqual(t, i, 0, "%s\n%s", words, strings.Join(got, "\n"))
		return i
	}
	assert.Less(t, at("tcp/5432 from 10.1.0.0/24"), at("take  tcp/5432 from booking  out of networks.finance.groups.db.in"))
	assert.Less(t, at("write  apps:"), at("add  {to: finance, via: pair}"))
	assert.Less(t, at("add  {to: finance, via: pair}"), at("add  app-b"))
	both := p.Steps[at("add  app-b")]
	assert.Contains(t, both.Text, "take  app-b  out of networks.booking.tables.other.subnets", "it goes from one table to the other at once")
	assert.Equal(t, "tickets", both.Owner)
	assert.NotEmpty(t, both.Needs)
	assert.Contains(t, both.Undo, "put  app-b  back")

	empty := estatetest.Load(t, "wendrik: 1\n")
	built, err := Of(empty, fresh, nil)
	require.NoError(t, err)
	assert.True(t, built.Clean())
	assert.Greater(t, len(built.Steps), 20)
	kinds := fmt.Sprint(built.Steps[0].Kind, " ", built.Steps[1].Kind)
	assert.Equal(t, "network network", kinds)
	down, err := Of(fresh, empty, nil)
	require.NoError(t, err)
	assert.True(t, down.Clean())
	left, err := text.Between(state(t, down, fresh, len(down.Steps)).Plan.Files.First(), empty.Plan.Files.First())
	require.NoError(t, err)
	for _, e := range left { // braces with nothing in them say nothing
		assert.True(t, e.Remove, e)
	}
}

// TestMovesAndReplacements: a network that moves is one step between the route to its new place and the end of that to its old one;
// what must be freed first is taken out and comes back, and each step that cuts says what had to wait for it.
func TestMovesAndReplacements(t *testing.T) {
	const pier = `wendrik: 1
networks:
  booking:
    range: 10.1.0.0/16
    subnets: {web: {range: 10.1.0.0/24}, app: {range: 10.1.1.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: web, address: 10.1.0.200, public: 203.0.113.7}}
    tables:
      public: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
      private: {subnets: [app], routes: [{to: 0.0.0.0/0, via: out}, {to: 10.2.0.0/16, via: pair}]}
    groups: {fares: {in: [], out: [any to any]}}
  finance: {range: 10.2.0.0/16, subnets: {data: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.1.0.0/16, via: pair}]}}, groups: {db: {in: [tcp/5432 from 10.1.0.0/16], out: []}}}
workloads:
  fares: {in: booking/app, address: 10.1.1.10, groups: [fares]}
  fare-db: {in: finance/data, address: 10.2.0.10, groups: [db]}
peerings: {pair: {between: [booking, finance], accepted: [booking, finance]}}
`
	old := estatetest.Load(t, pier)
	moved, err := Of(old, estatetest.Load(t, strings.ReplaceAll(pier, "10.2.", "10.3.")), nil)
	require.NoError(t, err)
	assert.True(t, moved.Clean(), "nothing need be cut")
	require.Len(t, moved.Steps, 3)
	assert.Contains(t, moved.Steps[0].Text, "add  {to: 10.3.0.0/16, via: pair}")
	assert.Contains(t, moved.Steps[1].Text, "range: 10.3.0.0/16")
	assert.Contains(t, moved.Steps[1].Text, "address: 10.3.0.10")
	assert.Contains(t, moved.Steps[2].Text, "take  {to: 10.2.0.0/16, via: pair}")

	renamed, err := Of(old, estatetest.Load(t, strings.NewReplacer("out: {kind", "way: {kind", "via: out", "via: way").Replace(pier)), nil)
	require.NoError(t, err)
	require.Len(t, renamed.Steps, 4, "its address must be free before it has it again")
	assert.False(t, renamed.Clean())
	for i, s := range renamed.Steps {
		harms := len(s.Cuts)+len(s.Opens) > 0
		assert.Equal(t, harms, s.Why != "", "step %d: %s: %s", i+1, s.Text, s.Why)
		assert.Equal(t, i < 3, harms, "step %d: %s", i+1, s.Text)
		assert.Empty(t, s.Opens)
	}
	assert.Contains(t, renamed.Steps[0].Why, "must wait for it, since else 10.1.0.200 is already the address of booking/out")
	last := state(t, renamed, old, 4)
	assert.Equal(t, "way", last.Network("booking").Gateways[1].Name)
}

// TestOrdersWithoutHarm: a change of a great many things, of which a greedy order cuts something, is found one without; what is only planned is
// one step, and where no order is without harm, that is said, and said to be proved only where all were tried.
func TestOrdersWithoutHarm(t *testing.T) {
	const plan = `wendrik: 1
networks:
  booking:
    range: 10.1.0.0/16
    owner: tickets
    tiers: {app: {hosts: 20}}
    subnets: {app-a: {tier: app, range: 10.1.0.0/24}}
    tables: {main: {main: true, routes: [{to: 10.2.0.0/16, via: pair}, {to: 10.3.0.0/16, via: clocks}]}}
    groups: {fares: {in: [tcp/443 from any], out: [any to any]}}
  finance: {range: 10.2.0.0/16, subnets: {data: {range: 10.2.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.1.0.0/16, via: pair}]}}, groups: {db: {in: [tcp/5432 from 10.1.0.0/16], out: []}}}
  shared: {range: 10.3.0.0/16, subnets: {hall: {range: 10.3.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.1.0.0/16, via: clocks}]}}, groups: {time: {in: [udp/123 from 10.1.0.0/16], out: []}}}
workloads:
  fares: {in: booking/app-a, address: 10.1.0.10, groups: [fares]}
  fare-db: {in: finance/data, address: 10.2.0.10, groups: [db]}
  clock: {in: shared/hall, address: 10.3.0.10, groups: [time]}
peerings:
  pair: {between: [booking, finance], accepted: [booking, finance]}
  clocks: {between: [booking, shared], accepted: [booking, shared]}
`
	old := estatetest.Load(t, plan)
	moved := strings.NewReplacer("hosts: 20", "hosts: 40, growth: 50%", "owner: tickets", "owner: sales",
		"{to: 10.2.0.0/16, via: pair}, {to: 10.3.0.0/16, via: clocks}", "{to: 10.4.0.0/16, via: spine}, {to: 10.3.0.0/16, via: spine}", "{to: 10.1.0.0/16, via: pair}", "{to: 10.1.0.0/16, via: spine}",
		"{to: 10.1.0.0/16, via: clocks}", "{to: 10.1.0.0/16, via: spine}", "10.2.0", "10.4.0", "udp/123 from 10.1.0.0/16", "udp/123 from 10.1.0.0/24").Replace(plan)
	moved = moved[:strings.Index(moved, "peerings:")] + "hubs: {spine: {attach: {booking: t, finance: t, shared: t}, tables: {t: {learns: [booking, finance, shared]}}}}\n"
	p, err := Of(old, estatetest.Load(t, moved), nil)
	require.NoError(t, err)
	for i, s := range p.Steps {
		assert.Empty(t, s.Cuts, "step %d: %s", i+1, s.Text)
		assert.Empty(t, s.Opens, "step %d: %s", i+1, s.Text)
	}
	assert.Equal(t, Paper, p.Steps[0].Kind)
	assert.Contains(t, p.Steps[0].Text, "hosts: 40")
	replaced := slices.IndexFunc(p.Steps, func(s Step) bool { return strings.Contains(s.Text, "{to: 10.3.0.0/16, via: spine}") })
	require.GreaterOrEqual(t, replaced, 0)
	assert.Contains(t, p.Steps[replaced].Text, "{to: 10.3.0.0/16, via: clocks}", "a route is replaced by one to the same place at once")
	assert.Contains(t, p.Steps[replaced].Undo, "put  {to: 10.3.0.0/16, via: clocks}  back")

	renamed := strings.NewReplacer("groups: {fares: {in: [tcp/443 from any], out: [any to any]}}", "gateways: {front: {kind: internet}, out: {kind: nat, in: app-a, address: 10.1.0.200}}\n    groups: {fares: {in: [tcp/443 from any], out: [any to any]}}",
		"{to: 10.3.0.0/16, via: clocks}]", "{to: 10.3.0.0/16, via: out}]").Replace(plan)
	stuck, err := Of(estatetest.Load(t, renamed), estatetest.Load(t, strings.NewReplacer("out: {kind: nat", "way: {kind: nat", "via: out", "via: way").Replace(renamed)), nil)
	require.NoError(t, err)
	assert.Equal(t, stuck.Clean(), !stuck.None && stuck.Tried == 0)
}
