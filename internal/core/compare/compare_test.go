package compare

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

var today = time.Date(2031, 3, 31, 0, 0, 0, 0, time.UTC)

// edited is a plan with a few things changed at random, that still can be read.
func edited(t *testing.T, e *estate.Estate, rng *rand.Rand) *estate.Estate {
	t.Helper()
	after := e
	for range 1 + rng.IntN(3) {
		for range 20 {
			n := after.Networks[rng.IntN(len(after.Networks))]
			var x text.Edit
			switch rng.IntN(9) {
			case 0:
				tb := n.Tables[rng.IntN(len(n.Tables))]
				if tb.Plan == nil || len(tb.Plan.Routes) == 0 {
					continue
				}
				x = text.RemoveNth(tb.Place().To("routes"), 1+rng.IntN(len(tb.Plan.Routes)))
			case 1:
				g := n.Groups[rng.IntN(len(n.Groups))]
				x = text.Add(g.Place().To("in"), text.Word([]string{"tcp/22 from any", "udp from any", "any from 10.0.0.0/16"}[rng.IntN(3)]))
			case 2:
				g := n.Groups[rng.IntN(len(n.Groups))]
				if len(g.Plan.Out) == 0 {
					continue
				}
				x = text.RemoveNth(g.Place().To("out"), 1+rng.IntN(len(g.Plan.Out)))
			case 3:
				if len(n.Lists) == 0 || len(n.Lists[0].Plan.In) == 0 {
					continue
				}
				x = text.RemoveNth(n.Lists[0].Place().To("in"), 1)
			case 4:
				w := after.Workloads[rng.IntN(len(after.Workloads))]
				x = text.Set(w.Place(), "groups", text.Words([]string{"g0", "g1"}[rng.IntN(2)]))
			case 5:
				if len(after.Peerings) == 0 {
					continue
				}
				p := after.Peerings[rng.IntN(len(after.Peerings))]
				x = text.Set(p.Place(), "accepted", text.Words(p.Between[0].Name))
			case 6:
				w := after.Workloads[rng.IntN(len(after.Workloads))]
				x = text.Remove(text.Path{"workloads"}, w.Name)
			case 7:
				x = text.Set(text.Path{"workloads"}, fmt.Sprint("fresh-", rng.IntN(9)), text.Map(text.Field{Key: "in", Value: text.Word(n.Subnets[0].ID())},
					text.Field{Key: "address", Value: text.Word(n.Subnets[0].Ranges[0].Addr().Next().Next().Next().String())}, text.Field{Key: "groups", Value: text.Words("g0")}))
			case 8:
				g := n.Gateways[rng.IntN(len(n.Gateways))]
				if g.Type != estate.InternetGateway {
					continue
				}
				x = text.Set(g.Place(), "attached", text.Word(fmt.Sprint(!g.Attached)))
			}
			next, problems, err := after.With(text.Changes{{Edits: []text.Edit{x}}})
			if err == nil && len(problems) == 0 {
				after = next
				break
			}
		}
	}
	return after
}

// TestAgainstAllPairs compares random estates before and after random changes, and holds what opens and closes against asking for
// every pair in both.
func TestAgainstAllPairs(t *testing.T) {
	differ, explained := 0, 0
	for seed := range fuzz.Rounds(6, 24) {
		rng := rand.New(rand.NewPCG(seed, 41))
		before := estatetest.Load(t, randomplan.Write(rng))
		after := edited(t, before, rng)
		r := Of(before, after, nil, today)
		var got []string
		for i, all := range [][]Difference{r.Opens, r.Closes} {
			for _, d := range all {
				if len(d.By) > 0 {
					explained++
				}
				for _, f := range d.From {
					for _, g := range d.To {
						if f != g {
							got = append(got, fmt.Sprint(i, " ", f, " ", g, " ", d.Flows))
						}
					}
				}
			}
		}
		differ += len(r.Opens) + len(r.Closes)
		var want []string
		names := []string{"internet"}
		for _, e := range []*estate.Estate{before, after} {
			for _, s := range e.Sites {
				names = append(names, s.Name)
			}
			for _, w := range e.Workloads {
				names = append(names, w.Name)
			}
		}
		slices.Sort(names)
		names = slices.Compact(names)
		for _, p := range names {
			for _, q := range names {
				if p == q || before.Workload(p) == nil && before.Workload(q) == nil && after.Workload(p) == nil && after.Workload(q) == nil {
					continue
				}
				was, is := outcome(before, p, q), outcome(after, p, q)
				for i, o := range [][2]reach.Outcome{{was, is}, {is, was}} {
					if more := o[1].Full.Minus(o[0].Full).Union(o[1].Some.Minus(o[0].Some)); !more.Empty() {
						want = append(want, fmt.Sprint(i, " ", p, " ", q, " ", more))
					}
				}
			}
		}
		slices.Sort(got)
		slices.Sort(want)
		require.Equal(t, want, got, "seed %d", seed)
		for _, w := range after.Workloads {
			was, is := seenIn(before, w.Name), seenIn(after, w.Name)
			i := slices.IndexFunc(r.Seen, func(s grid.Seen) bool { return s.Workload == w.Name })
			require.Equal(t, was != is, i >= 0, "seed %d: %s was %s, is %s", seed, w.Name, was, is)
		}
		require.Empty(t, Of(after, after, nil, today).Changes)
	}
	assert.Greater(t, differ, int(fuzz.Rounds(8, 40)))
	assert.Greater(t, explained*100, differ*95, "%d of %d", explained, differ)
}

func outcome(e *estate.Estate, p, q string) reach.Outcome {
	if a := ask(e, p, q, flow.Any()); a != nil {
		return a.Outcome
	}
	return reach.Outcome{}
}

func seenIn(e *estate.Estate, name string) string {
	if e.Workload(name) == nil {
		return ""
	}
	return strings.Trim(fmt.Sprint(ask(e, name, "internet", flow.Any()).SeenAs), "[]")
}

const port = `wendrik: 1
networks:
  booking:
    range: 10.1.0.0/16
    tiers: {app: {access: closed}}
    subnets: {app: {tier: app, range: 10.1.1.0/24}}
    tables: {main: {main: true, routes: [{to: finance, via: pair}]}}
    groups: {fares: {in: [tcp/8080 from any], out: [any to any]}}
  finance:
    range: 10.2.0.0/16
    subnets: {data: {range: 10.2.0.0/24}}
    tables: {main: {main: true, routes: [{to: booking, via: pair}]}}
    groups: {db: {in: [tcp/5432 from booking/app], out: []}}
workloads:
  fares: {in: booking/app, address: 10.1.1.10, groups: [fares]}
  fare-db: {in: finance/data, address: 10.2.0.10, groups: [db]}
peerings:
  pair: {between: [booking, finance], accepted: [booking, finance]}
expect:
  - fares reaches fare-db on tcp/5432
`

// TestChanges tells changes in the plan's words.
func TestChanges(t *testing.T) {
	for _, c := range []struct {
		was, is string
		want    []string
		opens   []string
	}{
		{"in: [tcp/5432 from booking/app]", "in: [tcp/5432 from booking/app, tcp/22 from booking]", []string{"new rule group finance/db in: tcp/22 from booking"}, []string{"fares fare-db tcp/22 by networks.finance.groups.db.in"}},
		{"range: 10.2.0.0/16\n    subnets: {data: {range: 10.2.0.0/24}}", "range: 10.3.0.0/16\n    subnets: {data: {range: 10.3.0.0/24}}", nil, nil},
		{"{to: finance, via: pair}", "{to: finance, via: pair}, {to: 10.9.0.0/16, via: blackhole}", []string{"new route booking/main: 10.9.0.0/16"}, nil},
		{"{to: finance, via: pair}", "{to: finance, via: blackhole}", []string{"changed route booking/main: finance via was pair, is blackhole"}, nil},
		{"accepted: [booking, finance]", "accepted: [booking]", []string{"changed peering pair accepted was booking, finance, is booking"}, nil},
		{"access: closed", "access: outbound", []string{"changed tier booking/app access was closed, is outbound"}, nil},
	} {
		before, after := estatetest.Load(t, port), replaced(t, c.was, c.is)
		r := Of(before, after, nil, today)
		var got, opens []string
		for _, x := range r.Changes {
			words := x.Kind + " " + x.Thing + " " + x.Name
			if x.What != "" {
				words += " " + x.What
			}
			got = append(got, words)
		}
		for _, x := range r.Opens {
			by := ""
			for _, b := range x.By {
				by += " by " + b.Place.String()
			}
			opens = append(opens, fmt.Sprint(x.From[0], " ", x.To[0], " ", x.Flows, by))
		}
		if c.want != nil {
			assert.Equal(t, c.want, got)
			assert.Equal(t, c.opens, opens)
		}
	}
}

func replaced(t *testing.T, pairs ...string) *estate.Estate {
	t.Helper()
	content := port
	for i := 0; i < len(pairs); i += 2 {
		require.Contains(t, content, pairs[i])
		content = strings.ReplaceAll(content, pairs[i], pairs[i+1])
	}
	e, problems := estate.Load(text.One("p", content))
	if len(problems) > 0 {
		t.Log(problems)
	}
	return e
}

// TestRenames tells a thing that is called otherwise, and alike in all else, as renamed: nothing opens and nothing closes.
func TestRenames(t *testing.T) {
	for _, c := range []struct {
		pairs []string
		want  string
	}{
		{[]string{"fares: {in: b", "tickets: {in: b", "- fares reaches", "- tickets reaches"}, "workload tickets was called fares"},
		{[]string{"booking", "shop"}, "network shop was called booking"},
		{[]string{"pair", "booking-finance"}, "peering booking-finance was called pair"},
		{[]string{"app", "work"}, "tier booking/work was called booking/app"},
		{[]string{"db: {in: [tcp", "base: {in: [tcp", "[db]", "[base]"}, "group finance/base was called finance/db"},
	} {
		r := Of(estatetest.Load(t, port), replaced(t, c.pairs...), nil, today)
		var got []string
		for _, x := range r.Changes {
			got = append(got, x.Thing+" "+x.Name+" "+x.What)
			assert.Equal(t, Renamed, x.Kind, "%s: %s", x.Name, x.What)
		}
		assert.Contains(t, got, c.want)
		assert.Empty(t, r.Opens, c.want)
		assert.Empty(t, r.Closes, c.want)
		assert.Empty(t, r.Seen)
	}
}
