package reach_test

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/wrong"
	"wendrik/internal/golden"
)

// TestCensus asks every pair of workloads, sites, gateways and parts of the internet of an estate, and tells each thing that was said
// once, with the number of times: what stops packets, by which fix, each hop with what decided it, and each note.
func TestCensus(t *testing.T) {
	golden.File(t, "census.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		ends := words[1:]
		for _, x := range e.Workloads {
			ends = append(ends, x.Name)
		}
		for _, s := range e.Sites {
			ends = append(ends, s.Name)
		}
		said := map[string]int{}
		for _, from := range ends {
			for _, to := range ends {
				a, errA := reach.Find(e, from)
				b, errB := reach.Find(e, to)
				if errA != nil || errB != nil || a.Workload == nil && b.Workload == nil {
					continue
				}
				count(said, reach.Ask(e, reach.Question{From: a, To: b}))
			}
		}
		var lines []string
		for _, what := range slices.Sorted(maps.Keys(said)) {
			lines = append(lines, fmt.Sprintf("%d: %s", said[what], what))
		}
		return strings.Join(lines, "\n")
	})
}

// count adds what an answer says.
func count(said map[string]int, a *reach.Answer) {
	said[fmt.Sprintf("ANSWER %s, by chance %v", a.Verdict, a.ByChance())]++
	for _, x := range a.SeenAs {
		said[fmt.Sprintf("SEEN AS %s", x)]++
	}
	for _, b := range a.Blockers {
		said[fmt.Sprintf("BLOCKER %s %d: %s", b.Code, b.At.Line(), b.Message)]++
		for _, f := range b.Fixes {
			said[fmt.Sprintf("FIX of %s: %q, choice %q, edits %s, instead %s", b.Code, f.Advice, f.Choice, golden.Line(f.Edits), golden.Line(f.Instead))]++
		}
	}
	for _, n := range a.Notes {
		said["NOTE "+golden.Line(n)]++
	}
	for _, p := range a.Parts() {
		said["PART "+golden.Line(p)]++
	}
	for _, w := range a.Ways {
		for way, hops := range map[string][]reach.Hop{"there": w.Forward, "back": w.Back} {
			for _, h := range hops {
				h.Left, h.Far, h.Message = flow.Set{}, "", "" // which are another for each pair
				said[fmt.Sprintf("HOP %s %s, groups %s", way, golden.Line(h), golden.Line(h.Groups()))]++
			}
		}
	}
}

// TestEndsTold tells what words mean in an estate, and in another one, and what is left of one without another.
func TestEndsTold(t *testing.T) {
	golden.File(t, "ends.txt", func(t *testing.T, asked string) string {
		var e, o *estate.Estate
		var b strings.Builder
		for line := range strings.Lines(asked) {
			words := strings.Fields(line)
			if e == nil {
				e, o = estatetest.Load(t, estatetest.Plan(t, words[0])), estatetest.Load(t, estatetest.Plan(t, words[1]))
				continue
			}
			x, err := reach.FindEnds(e, words[0])
			fmt.Fprintf(&b, "%s: %s\n", words[0], told(x, err))
			if in, ok := x.In(o); err == nil {
				fmt.Fprintf(&b, "  elsewhere: %v, %s\n", ok, told(in, nil))
			}
			for _, other := range words[1:] {
				y, err := reach.FindEnds(e, other)
				require.NoError(t, err, other)
				fmt.Fprintf(&b, "  without %s: %s; they meet: %v, and the other way round %v\n", other, told(x.Without(y), nil), x.Meets(y), y.Meets(x))
			}
		}
		return b.String()
	})
}

func told(x reach.Ends, err error) string {
	var w *wrong.Error
	if errors.As(err, &w) {
		return fmt.Sprintf("%s; %s", w.What, w.Right)
	}
	one := ""
	if x.One != nil {
		name, part, outside := x.One.Outside()
		one = fmt.Sprintf("%s, %s %s %v", golden.Line(*x.One), name, part, outside)
	}
	waits := ""
	if x.Unsettled != nil {
		waits = ", waits: " + x.Unsettled.Name
	}
	return fmt.Sprintf("one {%s}, many %s, of %s%s", one, golden.Line(x.Many), golden.Line(x.Objects()), waits)
}
