package reach_test

import (
	"errors"
	"flag"
	"fmt"
	"hash/crc32"
	"maps"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/diag"
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
		said, tracer := map[string]int{}, reach.NewTracer(e)
		for _, from := range ends {
			for _, to := range ends {
				a, errA := reach.Find(e, from)
				b, errB := reach.Find(e, to)
				if errA != nil || errB != nil || a.Workload == nil && b.Workload == nil {
					continue
				}
				if a.Workload != nil && b.Workload != nil {
					follow(t, said, e, tracer, a.Workload, b.Workload)
				}
				count(said, reach.Ask(e, reach.Question{From: a, To: b, Flows: flow.Ports(443, 443)}))
			}
		}
		return few(t, said)
	})
}

var whole = flag.String("whole", "", "a folder that a census is written into, with all that the golden file has as checksums alone")

// few are the first of each kind of what was said, and of the rest how many they are, and their checksum.
func few(t *testing.T, said map[string]int) string {
	kinds := map[string][]string{}
	for _, what := range slices.Sorted(maps.Keys(said)) {
		words := strings.Fields(what)
		kind := strings.Join(words[:min(3, len(words))], " ")
		kinds[kind] = append(kinds[kind], fmt.Sprintf("%d: %s", said[what], what))
	}
	var b, all strings.Builder
	for _, kind := range slices.Sorted(maps.Keys(kinds)) {
		lines := kinds[kind]
		all.WriteString(strings.Join(lines, "\n") + "\n")
		b.WriteString(strings.Join(lines[:min(2, len(lines))], "\n") + "\n")
		if rest := lines[min(2, len(lines)):]; len(rest) > 0 {
			fmt.Fprintf(&b, "and %d more like it, %08x\n", len(rest), crc32.ChecksumIEEE([]byte(strings.Join(rest, "\n"))))
		}
	}
	if *whole != "" {
		require.NoError(t, os.WriteFile(filepath.Join(*whole, filepath.Base(t.Name())+".txt"), []byte(all.String()), 0o644))
	}
	return b.String()
}

// follow adds what a tracer meets between two workloads, and holds whether it arrives against the answer.
func follow(t *testing.T, said map[string]int, e *estate.Estate, tracer *reach.Tracer, from, to *estate.Workload) {
	for _, dst := range to.Addrs {
		src, has := from.AddrLike(dst)
		if !has || from == to {
			continue
		}
		there := tracer.There(from, to, src, dst)
		arrives := tracer.ThereAndBack(from, to, src, dst)
		require.True(t, there || !arrives)
		q := reach.Question{From: reach.EndOf(from), To: reach.EndOf(to), Flows: flow.Any()}
		q.To.Addr = dst
		if a := reach.Ask(e, q); !a.Some.Empty() {
			require.True(t, arrives, "%s to %s", from.Name, dst)
		}
		said[fmt.Sprintf("TRACE there %v and back %v, remembers %v own %v", there, arrives, tracer.Remembers, tracer.Own)]++
		for way, gates := range map[string][]reach.Gate{"there": tracer.Trace.There, "back": tracer.Trace.Back} {
			for _, g := range gates {
				whose := map[netip.Addr]string{src: "source", dst: "target"}[g.Addr]
				g.Addr = netip.Addr{}
				said[fmt.Sprintf("GATE %s %s %s", way, golden.Line(g), whose)]++
			}
		}
	}
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
		for _, x := range w.Crossed {
			said["CROSSED "+golden.Line(x)]++
		}
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

// TestCensusOfFailures takes each part of an estate that can fail out of order, and tells how many pairs are cut by it there or back, and
// how many meet it at all.
func TestCensusOfFailures(t *testing.T) {
	golden.File(t, "failures.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		var b strings.Builder
		for _, p := range e.Parts() {
			failing := e.Without(p)
			cut, met := 0, 0
			for _, from := range words[1:] {
				for _, to := range words[1:] {
					x, err := reach.Find(e, from)
					require.NoError(t, err)
					y, err := reach.Find(e, to)
					require.NoError(t, err)
					if x.Workload == nil && y.Workload == nil {
						continue
					}
					was, is := reach.Ask(e, reach.Question{From: x, To: y, Flows: flow.Any()}), reach.Ask(failing, reach.Question{From: x, To: y, Flows: flow.Any()})
					if !was.Some.Empty() && is.Some.Empty() {
						cut++
					}
					if slices.ContainsFunc(is.Blockers, func(f diag.Finding) bool { return f.Code == reach.OutOfOrder }) {
						met++
					}
				}
			}
			if met > 0 {
				fmt.Fprintf(&b, "%s %s: %d cut, %d meet it\n", p.Kind, p.Name, cut, met)
			}
		}
		return b.String()
	})
}
