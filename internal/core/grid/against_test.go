package grid

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/golden"
	"wendrik/internal/randomplan"
)

// pairwise is what passes between every two of some ends, of which one at least is a workload, and as whom the internet sees each.
func pairwise(t *testing.T, e *estate.Estate, names []string) (all map[string]reach.Outcome, seen map[string]string) {
	t.Helper()
	all, seen = map[string]reach.Outcome{}, map[string]string{}
	for _, from := range names {
		for _, to := range names {
			if from == to || e.Workload(from) == nil && e.Workload(to) == nil {
				continue
			}
			x, err := reach.Find(e, from)
			require.NoError(t, err)
			y, err := reach.Find(e, to)
			require.NoError(t, err)
			a := reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()})
			all[from+" "+to] = a.Outcome
			if to == "internet" {
				seen[from] = fmt.Sprint(a.SeenAs)
			}
		}
	}
	return all, seen
}

// more is what passes in one and not in the other, for any or for all.
func more(is, was map[string]reach.Outcome) map[string]flow.Set {
	all := map[string]flow.Set{}
	for pair, o := range is {
		if x := o.Some.Minus(was[pair].Some).Union(o.Full.Minus(was[pair].Full)); !x.Empty() {
			all[pair] = x
		}
	}
	return all
}

// TestDifferencesAgainstPairs takes entries out of random estates, puts others in, and lets parts fail, and holds what opens, closes and is
// seen otherwise against asking for every pair in both.
func TestDifferencesAgainstPairs(t *testing.T) {
	entry := regexp.MustCompile(`\{to: [^}]*\}|(?:allow|deny) [^,\]\n]* (?:from|to) [^,\]\n]*|(?:any|tcp|udp|icmp)[^,\]\n ]* (?:from|to) [^,\]\n]*|10\.\d+\.\d+\.\d+/\d+`)
	opened, closed, otherwise := 0, 0, 0
	var asked *estate.Estate // whose pairs were asked last
	var was map[string]reach.Outcome
	var wasSeen map[string]string
	check := func(a, b *estate.Estate, d *Differences, names []string, at ...any) {
		if a != asked {
			asked = a
			was, wasSeen = pairwise(t, a, names)
		}
		is, isSeen := pairwise(t, b, names)
		for i, all := range [][]Difference{d.Opens, d.Closes} {
			told := map[string]flow.Set{}
			for _, x := range all {
				for _, from := range x.From {
					for _, to := range x.To {
						if from != to && slices.Contains(names, from) && slices.Contains(names, to) {
							told[from+" "+to] = told[from+" "+to].Union(x.Flows)
						}
					}
				}
			}
			want := []map[string]flow.Set{more(is, was), more(was, is)}[i]
			for pair, flows := range want {
				require.True(t, told[pair].Covers(flows), "%v: %s: %s, told %s", at, pair, flows, told[pair])
			}
			for pair, flows := range told { // of a part of what is outside, all of it may be as before
				from, to, _ := strings.Cut(pair, " ")
				require.True(t, a.Workload(from) == nil || a.Workload(to) == nil || want[pair].Equal(flows), "%v: %s: %s, told %s", at, pair, want[pair], flows)
			}
		}
		opened, closed = opened+len(d.Opens), closed+len(d.Closes)
		var changed, told []string
		for _, name := range names {
			if isSeen[name] != wasSeen[name] {
				changed = append(changed, name)
			}
		}
		for _, x := range d.Seen {
			if slices.Contains(names, x.Workload) {
				told = append(told, x.Workload)
			}
		}
		slices.Sort(changed)
		slices.Sort(told)
		require.Equal(t, changed, told, at...)
		otherwise += len(told)
	}
	for seed := range fuzz.Rounds(2, 14) {
		rng := rand.New(rand.NewPCG(seed, 77))
		content := randomplan.Write(rng)
		if seed%2 == 1 {
			content = randomplan.LearnedTwice(content)
		}
		a := estatetest.Load(t, content)
		names := []string{"internet"}
		for _, x := range a.Sites {
			names = append(names, x.Name)
		}
		for _, i := range rng.Perm(len(a.Workloads))[:8] {
			names = append(names, a.Workloads[i].Name)
		}
		all := entry.FindAllStringIndex(content[:strings.Index(content, "\nworkloads:")], -1)
		for range 5 {
			at := all[rng.IntN(len(all))]
			with := content[:at[0]] + content[at[1]:]
			if other := all[rng.IntN(len(all))]; rng.IntN(2) == 0 {
				with = content[:at[0]] + content[other[0]:other[1]] + content[at[1]:]
			} else {
				with = strings.NewReplacer("[, ", "[", ", , ", ", ", ", ]", "]").Replace(with)
			}
			b, findings := estate.Load(text.One("p", with))
			if len(findings) > 0 {
				continue
			}
			check(a, b, Compare(a, b), names, "seed %d: %s", seed, content[at[0]:at[1]])
			check(b, a, Compare(b, a), names, "seed %d: %s", seed, content[at[0]:at[1]])
		}
		parts := a.Parts()
		standing := NewStanding(a)
		if seed%2 == 0 {
			standing.rows = nil // as of estates that are too large to keep them
			standing.Remember()
		}
		for range 5 {
			p := parts[rng.IntN(len(parts))]
			failing := a.Without(p)
			d := standing.Without(failing, nil)
			check(a, failing, d, names, "seed %d: without %s %s", seed, p.Kind, p.Name)
			require.Equal(t, golden.Tell(d), golden.Tell(standing.Without(failing, nil)), "the second time it is the same")
		}
	}
	for _, name := range []string{"lakes", "skerry-line", "coast"} { // of which most ways stay as they are when a part fails
		a := estatetest.Load(t, estatetest.Plan(t, name))
		names := []string{"internet"}
		for _, x := range a.Sites {
			names = append(names, x.Name)
		}
		for i, x := range a.Workloads {
			if len(a.Workloads) <= 8 || i%2 == 0 {
				names = append(names, x.Name)
			}
		}
		standing := NewStanding(a)
		for _, p := range a.Parts() {
			failing := a.Without(p)
			check(a, failing, standing.Without(failing, nil), names, "%s without %s %s", name, p.Kind, p.Name)
			if touched := p.Networks(); len(touched) > 0 { // asked about its networks alone, what is of these is told alike
				some := standing.Without(failing, func(n string) bool { return slices.Contains(touched, n) })
				require.Subset(t, oneByOne(standing.Without(failing, nil).Closes), oneByOne(some.Closes), "%s without %s %s", name, p.Kind, p.Name)
			}
		}
	}
	assert.Greater(t, opened, 0)
	assert.Greater(t, closed, 10)
	assert.Greater(t, otherwise, 2)
}

// TestStandingAgainstCompare: when a part fails, what is worked out again of an estate that stands comes to what two whole grids come to, part
// after part, in any order, also where ranges are learned twice, and a way that is not taken first leads over what fails.
func TestStandingAgainstCompare(t *testing.T) {
	stopped, seen, wound := 0, 0, 0
	for seed := range fuzz.Rounds(4, 24) {
		rng := rand.New(rand.NewPCG(seed, 78))
		content := randomplan.Write(rng)
		switch {
		case seed == 0:
			content = replyElsewhere
		case seed%2 == 1:
			content = randomplan.LearnedTwice(content)
		}
		e := estatetest.Load(t, content)
		standing := NewStanding(e)
		if seed%3 == 0 {
			standing.rows = nil // as of estates that are too large to keep them
		}
		if seed%4 < 2 {
			standing.Remember()
		}
		wound += len(standing.winded)
		parts := e.Parts()
		for range 2 {
			for _, i := range rng.Perm(len(parts))[:min(len(parts), 12)] {
				set := []estate.Part{parts[i]}
				if rng.IntN(4) == 0 {
					set = append(set, parts[rng.IntN(len(parts))])
				}
				failing := e.Without(set...)
				want, got := Compare(e, failing), standing.Without(failing, nil)
				require.Equal(t, oneByOne(want.Closes), oneByOne(got.Closes), "seed %d: without %s %s", seed, set[0].Kind, set[0].Name)
				require.ElementsMatch(t, want.Seen, got.Seen, "seed %d: without %s %s", seed, set[0].Kind, set[0].Name)
				stopped, seen = stopped+len(want.Closes), seen+len(want.Seen)
				if seed == 0 && parts[i].Kind == "hub" {
					require.Contains(t, oneByOne(want.Closes), "app db tcp/5432", "what the hub carries are replies to another than the source")
				}
				if of := set[0].Networks(); len(of) > 0 { // asked about one of its networks alone, what is of that is told alike
					some := standing.Without(failing, func(n string) bool { return n == of[0] })
					of := func(d Difference) bool {
						return !slices.ContainsFunc(slices.Concat(d.From, d.To), func(name string) bool { w := e.Workload(name); return w != nil && w.Network().Name == of[0] })
					}
					require.Subset(t, oneByOne(want.Closes), oneByOne(some.Closes))
					require.Subset(t, oneByOne(some.Closes), oneByOne(slices.DeleteFunc(spread(want.Closes), of)), "seed %d: without %s %s, of %s", seed, set[0].Kind, set[0].Name, set[0].Networks()[0])
				}
			}
		}
	}
	assert.Greater(t, stopped, 40)
	assert.Greater(t, seen, 5)
	assert.Greater(t, wound, 10)
}

// spread are differences with one end each.
func spread(all []Difference) (out []Difference) {
	for _, d := range all {
		for _, from := range d.From {
			for _, to := range d.To {
				out = append(out, d.Between(from, to))
			}
		}
	}
	return out
}

// replyElsewhere is a plan in which a workload translates on the way, and what it translates comes back over a hub, which no packet to the
// source itself comes over.
const replyElsewhere = `wendrik: 1
networks:
  a:
    range: 10.1.0.0/16
    subnets: {in: {range: 10.1.0.0/24}, edge: {range: 10.1.1.0/24}}
    tables: {main: {main: true, routes: [{to: 10.2.0.0/16, via: door}]}, edge: {subnets: [edge], routes: [{to: 10.2.0.0/16, via: ab}]}}
    groups: {all: {in: [any from any], out: [any to any]}}
  b:
    range: 10.2.0.0/16
    subnets: {data: {range: 10.2.0.0/24}}
    tables: {main: {main: true, routes: [{to: 10.1.0.0/24, via: ab}, {to: 10.1.1.0/24, via: core}]}}
    groups: {all: {in: [tcp/5432 from any], out: [any to any]}}
workloads:
  app: {in: a/in, address: 10.1.0.10, groups: [all]}
  door: {in: a/edge, address: 10.1.1.10, groups: [all], forwards: nat}
  db: {in: b/data, address: 10.2.0.10, groups: [all]}
peerings: {ab: {between: [a, b], accepted: [a, b]}}
hubs: {core: {attach: {a: all, b: all}, tables: {all: {learns: [a]}}}}
`
