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

// more is what passes in one and not in the other, for any or for all, in order.
func more(is, was map[string]reach.Outcome) (lines []string) {
	for pair, o := range is {
		if x := o.Some.Minus(was[pair].Some).Union(o.Full.Minus(was[pair].Full)); !x.Empty() {
			lines = append(lines, pair+" "+x.String())
		}
	}
	slices.Sort(lines)
	return lines
}

// TestDifferencesAgainstPairs takes entries out of random estates, puts others in, and lets parts fail, and holds what opens, closes and is
// seen otherwise against asking for every pair in both.
func TestDifferencesAgainstPairs(t *testing.T) {
	entry := regexp.MustCompile(`\{to: [^}]*\}|(?:allow|deny) [^,\]\n]* (?:from|to) [^,\]\n]*|(?:any|tcp|udp|icmp)[^,\]\n ]* (?:from|to) [^,\]\n]*|10\.\d+\.\d+\.\d+/\d+`)
	opened, closed, otherwise := 0, 0, 0
	check := func(a, b *estate.Estate, d *Differences, names []string, at ...any) {
		was, wasSeen := pairwise(t, a, names)
		is, isSeen := pairwise(t, b, names)
		of := func(all []Difference) (lines []string) {
			for _, line := range oneByOne(all) {
				if words := strings.Fields(line); slices.Contains(names, words[0]) && slices.Contains(names, words[1]) && words[0] != words[1] {
					lines = append(lines, line)
				}
			}
			return lines
		}
		for i, told := range [][]string{of(d.Opens), of(d.Closes)} {
			want := [][]string{more(is, was), more(was, is)}[i]
			require.Subset(t, told, want, at...)
			for _, line := range told { // of a part of what is outside, all of it may be as before
				inside := a.Workload(strings.Fields(line)[0]) != nil && a.Workload(strings.Fields(line)[1]) != nil
				require.True(t, !inside || slices.Contains(want, line), "%v: %s", at, line)
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
	for seed := range fuzz.Rounds(5, 25) {
		rng := rand.New(rand.NewPCG(seed, 77))
		content := randomplan.Write(rng)
		a := estatetest.Load(t, content)
		names := []string{"internet"}
		for _, x := range a.Sites {
			names = append(names, x.Name)
		}
		for _, i := range rng.Perm(len(a.Workloads))[:8] {
			names = append(names, a.Workloads[i].Name)
		}
		all := entry.FindAllStringIndex(content[:strings.Index(content, "\nworkloads:")], -1)
		for range 8 {
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
		}
		parts := a.Parts()
		standing := NewStanding(a)
		for range 5 {
			p := parts[rng.IntN(len(parts))]
			failing := a.Without(p)
			d := standing.Without(failing, nil)
			check(a, failing, d, names, "seed %d: without %s %s", seed, p.Kind, p.Name)
			require.Equal(t, golden.Tell(d), golden.Tell(standing.Without(failing, nil)), "the second time it is the same")
		}
	}
	assert.Greater(t, opened, int(fuzz.Rounds(0, 5)))
	assert.Greater(t, closed, 15)
	assert.Greater(t, otherwise, 2)
}
