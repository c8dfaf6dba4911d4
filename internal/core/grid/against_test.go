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
	for seed := range fuzz.Rounds(3, 25) {
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
