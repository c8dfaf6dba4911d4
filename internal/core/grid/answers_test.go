package grid

import (
	"fmt"
	"hash/crc32"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestAnswers tells of estates of several clouds which workloads are alike, who reaches whom, by all kinds of units, and from and to
// what is outside.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		switch words[1] {
		case "classes":
			return classes(e)
		case "many":
			return many(t, e, words[2:])
		case "each":
			return askedEach(t, e, words[2:])
		}
		return table(t, e, words[1:])
	})
}

func classes(e *estate.Estate) string {
	var b strings.Builder
	g := NewGrid(e, func(*estate.Workload) int { return 0 })
	for i, c := range g.Classes {
		fmt.Fprintf(&b, "%d: %s\n", i, golden.Tell(c.Members))
	}
	_ = g.Rows(func(from int, row []Cell) error {
		for to, c := range row {
			for where, id := range map[bool]OutcomeID{false: c.Across, true: c.Within} {
				if id != NoPair && !g.Outcome(id).Some.Empty() {
					across, within := g.Pairs(from, to)
					fmt.Fprintf(&b, "%d to %d (within a unit %v, of %d and %d): %s, in part %s\n", from, to, where, across, within, g.Outcome(id).Full, g.Outcome(id).Some)
				}
			}
		}
		return nil
	})
	lines := strings.Split(b.String(), "\n")
	slices.Sort(lines) // a cell has two sides
	return strings.Join(lines, "\n")
}

func ends(t *testing.T, e *estate.Estate, from, to string) (a, b reach.Ends) {
	t.Helper()
	a, err := reach.FindEnds(e, from)
	require.NoError(t, err)
	b, err = reach.FindEnds(e, to)
	require.NoError(t, err)
	return a, b
}

func many(t *testing.T, e *estate.Estate, words []string) string {
	flows := flow.Any()
	var err error
	if len(words) > 2 {
		flows, err = flow.Parse(words[2])
		require.NoError(t, err)
	}
	a, b := ends(t, e, words[0], words[1])
	s := AskMany(e, a, b, flows, len(words) > 3, nil)
	require.Positive(t, s.Pairs)
	var out strings.Builder
	fmt.Fprintf(&out, "%s, %d pairs\n", s.Verdict, s.Pairs)
	for _, p := range s.Parts {
		fmt.Fprintf(&out, "%d: %s, %s: %s, in part %s, seen as %v, %v\n", p.Pairs, p.Answer.From.Name, p.Answer.To.Name, p.Answer.Full, p.Answer.Some, p.Answer.SeenAs, p.Some)
	}
	return out.String()
}

func askedEach(t *testing.T, e *estate.Estate, words []string) string {
	one, err := reach.Find(e, words[1])
	require.NoError(t, err)
	var out strings.Builder
	var steps []string
	for _, x := range AskEach(e, one, words[0] == "to", e.Workloads, flow.Any(), func(done, total int) { steps = append(steps, fmt.Sprint(done, "/", total)) }) {
		fmt.Fprintf(&out, "%s: %s, in part %s, seen as %v, %d stop it\n", x.Workload.Name, x.Answer.Full, x.Answer.Some, x.SeenAs, len(x.Answer.Blockers))
	}
	require.NotEmpty(t, steps)
	return out.String()
}

func table(t *testing.T, e *estate.Estate, words []string) string {
	a, b := ends(t, e, words[1], words[2])
	var settled [2][]*estate.Workload
	for i, x := range []reach.Ends{a, b} {
		if settled[i] = x.Many; x.One != nil {
			settled[i] = []*estate.Workload{x.One.Workload}
		}
	}
	u := UnitsFor(e, settled[0], settled[1], words[0], 20)
	var out strings.Builder
	fmt.Fprintf(&out, "%s %v %v\n", u.Kind, u.Names, u.Sizes)
	tab := NewTable(e, u, settled[0], settled[1], nil)
	for i, r := range tab.Rows {
		for j, c := range tab.Columns {
			s := tab.At(i, j)
			if !s.Some.Empty() {
				fmt.Fprintf(&out, "%s to %s: %d pairs, %s, in part %s, on tcp/443 %s\n", u.Names[r], u.Names[c], s.Pairs, s.Full, s.Some, s.Verdict(flow.Ports(443, 443)))
			}
		}
	}
	return out.String()
}

// TestDifferencesTold tells what a change of an estate opens, closes, and lets the internet see otherwise.
func TestDifferencesTold(t *testing.T) {
	golden.File(t, "differences.txt", func(t *testing.T, asked string) string {
		name, changes, _ := strings.Cut(asked, "\n")
		content := estatetest.Plan(t, name)
		after := content
		for line := range strings.Lines(changes + "\n") {
			old, new, _ := strings.Cut(strings.TrimSpace(line), " => ")
			require.Equal(t, 1, strings.Count(after, old), old)
			after = strings.Replace(after, old, new, 1)
		}
		a, b := estatetest.Load(t, content), estatetest.Load(t, after)
		there, back := Compare(a, b), Compare(b, a)
		require.Equal(t, oneByOne(there.Opens), oneByOne(back.Closes), "what opens there closes on the way back")
		require.Equal(t, oneByOne(there.Closes), oneByOne(back.Opens))
		return golden.Tell(there) + "gathered\n" + golden.Tell(Gathered(there.Opens))
	})
}

// TestDifferencesOfEachEntry takes each route and each rule of a list or group out of a plan in turn, and tells what opens and closes: by
// the ends, and the rest as a checksum.
func TestDifferencesOfEachEntry(t *testing.T) {
	entry := regexp.MustCompile(`\{to: [^}]*\}|(?:allow|deny) [^,\]\n]* (?:from|to) [^,\]\n]*|(?:any|tcp|udp|icmp)[^,\]\n ]* (?:from|to) [^,\]\n]*`)
	golden.File(t, "entries.txt", func(t *testing.T, asked string) string {
		content := estatetest.Plan(t, asked)
		a := estatetest.Load(t, content)
		var b strings.Builder
		for _, at := range entry.FindAllStringIndex(content[:strings.Index(content, "\nworkloads:")], -1) {
			what, after := content[at[0]:at[1]], content[at[1]:]
			before := content[:at[0]]
			if rest, found := strings.CutPrefix(after, ", "); found {
				after = rest
			} else {
				before = strings.TrimSuffix(before, ", ")
			}
			e, findings := estate.Load(text.One("p", before+after))
			if len(findings) > 0 {
				continue
			}
			d := Compare(a, e)
			ends := func(all []Difference) string {
				var words []string
				for _, d := range all {
					words = append(words, strings.Join(d.From, " ")+" > "+strings.Join(d.To, " "))
				}
				return strings.Join(words, ", ")
			}
			if told := golden.Tell(d); told != "" {
				fmt.Fprintf(&b, "%s: opens %s; closes %s; %08x\n", what, ends(d.Opens), ends(d.Closes), crc32.ChecksumIEEE([]byte(told)))
			}
		}
		return b.String()
	})
}

// oneByOne are differences by pairs, in order.
func oneByOne(all []Difference) (lines []string) {
	for _, d := range all {
		for _, from := range d.From {
			for _, to := range d.To {
				lines = append(lines, from+" "+to+" "+d.Flows.String())
			}
		}
	}
	slices.Sort(lines)
	return lines
}
