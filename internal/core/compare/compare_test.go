package compare

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
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
			if len(n.Gateways) == 0 {
				continue // another network with the range of one, and nothing in it
			}
			var x text.Edit
			switch rng.IntN(14) {
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
			case 9, 10: // a rule that cuts through the internet, or through a site
				g := n.Groups[rng.IntN(len(n.Groups))]
				way, word := "in", "from"
				if rng.IntN(2) == 0 {
					way, word = "out", "to"
				}
				rule := fmt.Sprintf("tcp/%d %s %s", 21+rng.IntN(3), word, cutting(rng, after))
				if x = text.Set(g.Place(), way, text.Words(rule)); rng.IntN(2) == 0 {
					x = text.Add(g.Place().To(way), text.Word(rule))
				}
			case 11: // a route that does
				tb := n.Tables[rng.IntN(len(n.Tables))]
				if tb.Plan == nil {
					continue
				}
				via := "blackhole"
				if len(n.Gateways) > 0 && rng.IntN(2) == 0 {
					via = n.Gateways[rng.IntN(len(n.Gateways))].Name
				}
				x = text.Add(tb.Place().To("routes"), text.Map(text.Field{Key: "to", Value: text.Word(cutting(rng, after))}, text.Field{Key: "via", Value: text.Word(via)}))
			case 12, 13:
				if len(n.Lists) == 0 {
					continue
				}
				x = text.Insert(n.Lists[0].Place().To("in"), 1, text.Word("deny tcp from "+cutting(rng, after)))
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
	differ, explained, parts := 0, 0, 0
	for seed := range fuzz.Rounds(6, 24) {
		rng := rand.New(rand.NewPCG(seed, 41))
		content := randomplan.Write(rng)
		if seed%2 == 1 {
			content = randomplan.LearnedTwice(content)
		}
		before := estatetest.Load(t, content)
		after := edited(t, before, rng)
		r := agrees(t, before, after, seed)
		for _, d := range slices.Concat(r.Opens, r.Closes) {
			if len(d.By) > 0 {
				explained++
			}
			for _, p := range d.Parts {
				if !p.Rest.Empty() {
					parts++
				}
			}
		}
		differ += len(r.Opens) + len(r.Closes)
		require.Empty(t, Of(after, after, nil, today).Changes)
	}
	assert.Greater(t, differ, int(fuzz.Rounds(8, 40)))
	assert.Greater(t, parts, int(fuzz.Rounds(2, 8)), "differences of a part of what is outside")
	assert.Greater(t, explained*100, differ*95, "%d of %d", explained, differ)
}

// agrees holds what opens and closes between two estates against asking for every pair in both.
func agrees(t *testing.T, before, after *estate.Estate, seed uint64) *Result {
	t.Helper()
	r := Of(before, after, nil, today)
	all := [][]Difference{r.Opens, r.Closes}
	// What is told of two ends, and of one address where one of them is outside.
	told := func(which int, f, g string, of netip.Addr) (flows flow.Set) {
		for _, d := range all[which] {
			if slices.Contains(d.From, f) && slices.Contains(d.To, g) {
				if one := d.Between(f, g); !of.IsValid() || slices.ContainsFunc([]string{f, g}, func(name string) bool { return one.Parts[name].Of.Contains(of) }) {
					flows = flows.Union(d.Flows)
				}
			}
		}
		return flows
	}
	names, outside := []string{}, []string{"internet"}
	for _, e := range []*estate.Estate{before, after} {
		for _, s := range e.Sites {
			outside = append(outside, s.Name)
		}
		for _, w := range e.Workloads {
			names = append(names, w.Name)
		}
	}
	slices.Sort(names)
	names = slices.Compact(names)
	hold := func(p, q string, of netip.Addr) {
		was, is := outcome(before, p, q, of), outcome(after, p, q, of)
		for i, o := range [][2]reach.Outcome{{was, is}, {is, was}} {
			more, said := o[1].Full.Minus(o[0].Full).Union(o[1].Some.Minus(o[0].Some)), told(i, p, q, of)
			require.True(t, more.Equal(said), "seed %d: %s to %s, %v: %s, told %s", seed, p, q, of, more, said)
		}
	}
	for _, p := range names {
		for _, q := range names {
			if p != q {
				hold(p, q, netip.Addr{})
			}
		}
		for _, o := range slices.Compact(outside) {
			for _, a := range edges(before, after) {
				if o == "internet" && (ours(before, a) || ours(after, a)) {
					continue // which is told of whose it is
				}
				hold(p, o, a)
				hold(o, p, a)
			}
		}
	}
	for _, w := range after.Workloads {
		was, is := seenIn(before, w.Name), seenIn(after, w.Name)
		i := slices.IndexFunc(r.Seen, func(s grid.Seen) bool { return s.Workload == w.Name })
		require.Equal(t, was != is, i >= 0, "seed %d: %s was %s, is %s", seed, w.Name, was, is)
	}
	return r
}

// TestHalvesAgainstAllPairs compares plans of which some parts are taken away, or are others.
func TestHalvesAgainstAllPairs(t *testing.T) {
	for seed := range fuzz.Rounds(8, 40) {
		rng := rand.New(rand.NewPCG(seed, 42))
		name := estatetest.AnyPlan(rng)
		agrees(t, estatetest.Half(t, rng, name), estatetest.Half(t, rng, name), seed)
	}
}

// outcome asks about two ends, of which one that is outside is meant with one address alone.
func outcome(e *estate.Estate, p, q string, of netip.Addr) reach.Outcome {
	var ends [2]reach.End
	for i, name := range []string{p, q} {
		end, err := reach.Find(e, name)
		if err != nil {
			return reach.Outcome{}
		}
		if _, all, outside := end.Outside(); outside {
			if end = end.Only(address.SetOf(address.Single(of))); !all.Contains(of) {
				return reach.Outcome{}
			}
		}
		ends[i] = end
	}
	return reach.Ask(e, reach.Question{From: ends[0], To: ends[1], Flows: flow.Any()}).Outcome
}

// ours reports whether an address is that of a network or a workload.
func ours(e *estate.Estate, a netip.Addr) bool {
	return !e.Outside.Contains(a) && !slices.ContainsFunc(e.Sites, func(s *estate.Site) bool { return s.Holds(a) })
}

// cutting is a range that cuts through what is outside: a part of the internet, or of a site.
func cutting(rng *rand.Rand, e *estate.Estate) string {
	all := []string{"198.51.100.0/28", "198.51.0.0/16", "0.0.0.0/1", "192.0.2.0/24", "192.0.9.9/32", "::/1", "2001:db8:ff00::/40", "0.0.0.0/0"}
	for _, s := range e.Sites {
		for _, p := range s.Ranges {
			all = append(all, netip.PrefixFrom(p.Addr(), min(p.Bits()+2, p.Addr().BitLen())).String())
		}
	}
	return all[rng.IntN(len(all))]
}

// edges are the first and the last address of every range that either estate names, and those beside them.
func edges(estates ...*estate.Estate) []netip.Addr {
	seen := map[netip.Addr]bool{}
	add := func(p netip.Prefix) {
		if p.IsValid() {
			last := address.Last(p)
			for _, a := range []netip.Addr{p.Addr(), last, p.Addr().Prev(), last.Next()} {
				seen[a] = a.IsValid()
			}
		}
	}
	for _, e := range estates {
		for _, s := range e.Sites {
			for _, p := range slices.Concat(s.Ranges, s.Knows) {
				add(p)
			}
		}
		for _, n := range e.Networks {
			for _, g := range n.Groups {
				for _, r := range slices.Concat(g.In, g.Out) {
					add(r.Peer.Range)
				}
			}
			for _, l := range n.Lists {
				for _, r := range slices.Concat(l.In, l.Out) {
					add(r.Peer.Range)
				}
			}
			for _, tb := range n.Tables {
				for _, r := range tb.Routes {
					add(r.To)
				}
			}
		}
	}
	var all []netip.Addr
	for a, is := range seen {
		if is {
			all = append(all, a)
		}
	}
	slices.SortFunc(all, netip.Addr.Compare)
	return all
}

func seenIn(e *estate.Estate, name string) string {
	if w := e.Workload(name); w == nil || !w.Settled() {
		return ""
	}
	seen := strings.Trim(fmt.Sprint(ask(e, name, "internet", &grid.Difference{Flows: flow.Any()}).SeenAs), "[]")
	return regexp.MustCompile(`240\.0\.0\.\d+`).ReplaceAllString(seen, "assigned") // which of those that stand for it says nothing
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
		assert.Equal(t, grid.Compare(estatetest.Load(t, port), replaced(t, c.pairs...)), Effect(estatetest.Load(t, port), replaced(t, c.pairs...)), "both names are those of what is touched")
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

// TestOnlyAllows: a line that says only lets open whom it names, and close whom it keeps out, and no more.
func TestOnlyAllows(t *testing.T) {
	plan3 := func(in string) *estate.Estate {
		return estatetest.Load(t, "wendrik: 1\nnetworks: {a: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/24}}, gateways: {front: {kind: internet}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}}, groups: {g: {in: ["+in+"], out: [any to any]}}}}\n"+
			"workloads: {job: {in: a/s, address: 10.1.0.10}, desk: {in: a/s, address: 10.1.0.11}, db: {in: a/s, address: 10.1.0.20, public: 203.0.113.9, groups: [g]}}\n")
	}
	unallowed := func(before, after, line string) (opens, closes []string) {
		x, err := plan.ParseExpectation(line)
		require.NoError(t, err)
		o, c := Of(plan3(before), plan3(after), []plan.Expectation{x}, today).Unallowed()
		for _, d := range o {
			opens = append(opens, d.From...)
		}
		for _, d := range c {
			closes = append(closes, d.From...)
		}
		return opens, closes
	}
	opens, closes := unallowed("tcp/1 from any", "tcp/1 from 10.1.0.10/32", "only job reaches db on tcp/1")
	assert.Empty(t, append(opens, closes...))
	_, closes = unallowed("tcp/1 from any", "tcp/1 from 10.1.0.10/32", "only job reaches db on tcp/1 except desk")
	assert.Contains(t, closes, "desk", "of whom the line does not speak")
	_, closes = unallowed("tcp/1-2 from any", "tcp/1 from any", "only job reaches db on tcp/1")
	assert.NotEmpty(t, closes)
	_, closes = unallowed("tcp/1 from any", "tcp/1 from 10.1.0.11/32", "only job reaches db on tcp/1")
	assert.Contains(t, closes, "job", "who is to get there")
	opens, _ = unallowed("", "tcp/1 from 10.1.0.0/24", "only job reaches db on tcp/1")
	assert.Contains(t, opens, "desk")
}

// TestByKind counts what is new before what is changed, and the most of each first; parts of what is new are not counted.
func TestByKind(t *testing.T) {
	const plan = `wendrik: 1
networks:
  a: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/24}}, groups: {g: {in: [tcp/1 from any]}}}
  b: {range: 10.2.0.0/16, subnets: {s: {range: 10.2.0.0/24}}}
workloads: {w: {in: a/s, address: 10.1.0.9, groups: [g]}}
`
	before := estatetest.Load(t, plan)
	after, problems, err := before.With(text.Changes{{Edits: []text.Edit{
		text.Set(text.Path{"networks", "a"}, "tables", text.Map(text.Field{Key: "x", Value: text.Map(text.Field{Key: "routes", Value: text.List(text.Map(text.Field{Key: "to", Value: text.Word("10.9.0.0/16")}, text.Field{Key: "via", Value: text.Word("blackhole")}))})})),
		text.Add(text.Path{"networks", "a", "groups", "g", "in"}, text.Word("tcp/2 from any")),
		text.Add(text.Path{"networks", "a", "groups", "g", "in"}, text.Word("tcp/3 from any")),
		text.Set(text.Path{"networks", "b"}, "range", text.Word("10.2.0.0/17")),
		text.Set(text.Path{"workloads", "w"}, "listens", text.Words("tcp/2")),
	}}})
	require.NoError(t, err)
	require.Empty(t, problems)
	assert.Equal(t, "2 new rules, 1 new route table, 1 changed network and 1 changed workload in 2 networks", ByKind(Changes(before, after)))
	assert.Equal(t, "2 gone rules, 1 changed network, 1 changed workload and 1 gone route table in 2 networks", ByKind(Changes(after, before)))
	assert.Empty(t, ByKind(Changes(before, before)))
}

// TestSeveralLinesAllow: each of several lines allows what it speaks of, whichever comes first, and none of them more; what is given to allow is left
// as it is.
func TestSeveralLinesAllow(t *testing.T) {
	with := func(in, more string) *estate.Estate {
		return estatetest.Load(t, "wendrik: 1\nnetworks: {a: {range: 10.1.0.0/16, subnets: {s: {range: 10.1.0.0/24}}, groups: {g: {in: ["+in+"], out: [any to any]}}}}\n"+
			"workloads: {job: {in: a/s, address: 10.1.0.10}, desk: {in: a/s, address: 10.1.0.11}, db: {in: a/s, address: 10.1.0.20, groups: [g]}}\n"+more)
	}
	lines := []string{"desk reaches db on tcp/9", "job reaches db on tcp/1", "desk never reaches db on tcp/2", "job leaves as 203.0.113.9", "desk reaches db on tcp/3"}
	for turn := range lines {
		var allow []plan.Expectation
		for i := range lines {
			x, err := plan.ParseExpectation(lines[(i+turn)%len(lines)])
			require.NoError(t, err)
			allow = append(allow, x)
		}
		allow = append(make([]plan.Expectation, 0, 20), allow...) // with room behind, in which nothing may be written
		spare := allow[:len(allow)+1]
		r := Of(with("tcp/2 from 10.1.0.11/32, tcp/4 from 10.1.0.11/32", ""), with("tcp/1 from 10.1.0.10/32, tcp/3 from 10.1.0.11/32, tcp/5 from 10.1.0.10/32", "expect: [job reaches db on tcp/7]\n"), allow, today)
		assert.Empty(t, spare[len(allow)].Text, "turn %d", turn)
		allowed := map[string]bool{}
		for way, all := range map[string][]Difference{"opens": r.Opens, "closes": r.Closes} {
			for _, d := range all {
				for _, from := range d.From {
					allowed[way+" "+from+" "+d.Flows.String()] = d.Allowed
				}
			}
		}
		assert.Equal(t, map[string]bool{"opens job tcp/1, tcp/5": false, "opens desk tcp/3": true, "closes desk tcp/2, tcp/4": false}, allowed, "turn %d", turn)
		r = Of(with("tcp/2 from 10.1.0.11/32", ""), with("tcp/1 from 10.1.0.10/32, tcp/3 from 10.1.0.11/32", ""), allow, today)
		opens, closes := r.Unallowed()
		assert.Empty(t, opens, "turn %d", turn)
		assert.Empty(t, closes, "turn %d", turn)
	}
}
