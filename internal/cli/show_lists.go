package cli

import (
	"fmt"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/overlap"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/ranges"
)

// listProblems tells which lines of a list could not be read, and what was read otherwise than it is written.
func (s *screen) listProblems(list *ranges.List, label string) {
	for _, p := range list.Problems {
		where := fmt.Sprintf("%s:%d:", clean(label), p.Line)
		message := clean(p.Message)
		if p.Fix != "" {
			message += "; " + clean(p.Fix)
		}
		s.tell("%s %s", place.Sprint(where), message)
	}
	if list.Dropped > 0 {
		s.tell("%s like these are not listed here", phrase.Count(list.Dropped, "more line"))
	}
	if n := list.Unread(); n > 0 {
		s.tell("%s of %s could not be read; the rest was", phrase.Count(n, "line"), clean(label))
	}
	if list.Widened > 0 {
		s.tell("%s:%d: %s named by an address inside the block; the whole block counts", clean(label), list.WidenedAt, phrase.Count(list.Widened, "range"))
	}
}

// listVerdict is what a list can say of a pair, knowing nothing of who meets whom: the same range twice, or in part,
// has two owners; a range in another may be a subnet of it.
func listVerdict(k ranges.Kind) overlap.Verdict {
	if k == ranges.Inside {
		return overlap.Latent
	}
	return overlap.Conflict
}

var kindText = map[ranges.Kind]string{
	ranges.Same:    "both are the same range",
	ranges.Partial: "each has addresses that the other has not",
	ranges.Inside:  "one lies in the other, which is right for a subnet in its network",
}

// listed shows the overlaps of a list to a person.
func (c *call) listed(list *ranges.List, pairs []ranges.Pair, total uint64, label string) {
	if total == 0 {
		what := nothingOverlapsLists.say(phrase.Count(len(list.Entries), "range"))
		if list.Unread() > 0 {
			what = doubt.Sprintf("nothing overlaps in the %s that could be read", phrase.Count(len(list.Entries), "range"))
		}
		c.say("%s", what)
		return
	}
	kinds := map[ranges.Kind]int{}
	for _, p := range pairs {
		kinds[p.Kind]++
	}
	head := fmt.Sprintf("%s of %s overlap", phrase.Count(int(total), "pair"), phrase.Count(len(list.Entries), "range"))
	if total == uint64(len(pairs)) {
		head += fmt.Sprintf(": %d the same, %d in part, %d inside", kinds[ranges.Same], kinds[ranges.Partial], kinds[ranges.Inside])
	}
	c.say("%s\n", strong.Sprint(head))
	t := &sheet{header: []string{"how", "range", "name", "line", "and", "name", "line"}, right: map[int]bool{3: true, 6: true}, wrap: -1,
		paint: func(column int, cell string) pretty.Colors {
			switch {
			case column != 0:
				return nil
			case cell == string(ranges.Inside):
				return dim
			}
			return bad
		}}
	for _, p := range pairs[:min(len(pairs), maxShown)] {
		t.add(string(p.Kind), p.A.String(), short(p.A.Labels().Name), fmt.Sprint(p.A.Line), p.B.String(), short(p.B.Labels().Name), fmt.Sprint(p.B.Line))
	}
	_ = c.write(t, "text")
	if left := total - uint64(min(len(pairs), maxShown)); left > 0 {
		c.say("\n%d more are left out; -format csv lists all", left)
	}
}

// short cuts a name for a table.
func short(s string) string {
	if r := []rune(s); len(r) > 20 {
		return string(r[:19]) + "…"
	}
	return s
}

func listSheet(pairs []ranges.Pair) *sheet {
	t := &sheet{header: []string{"kind", "range", "name", "owner", "place", "line", "overlaps_range", "overlaps_name", "overlaps_owner", "overlaps_place", "overlaps_line", "shared"}, wrap: -1}
	for _, p := range pairs {
		a, b := p.A.Labels(), p.B.Labels()
		t.add(string(p.Kind), p.A.String(), a.Name, a.Owner, a.Place, fmt.Sprint(p.A.Line), p.B.String(), b.Name, b.Owner, b.Place, fmt.Sprint(p.B.Line), p.Shared.String())
	}
	return t
}

// The JSON of overlaps of a list; docs/json.md describes it.
type listOut struct {
	Overlaps []listPairOut    `json:"overlaps"`
	Total    uint64           `json:"total"`
	Ranges   int              `json:"ranges"`
	Problems []listProblemOut `json:"problems"`
}

type listPairOut struct {
	A       string `json:"a"`
	B       string `json:"b"`
	RangeA  string `json:"range_a"`
	RangeB  string `json:"range_b"`
	OwnerA  string `json:"owner_a"`
	OwnerB  string `json:"owner_b"`
	PlaceA  string `json:"place_a"`
	PlaceB  string `json:"place_b"`
	Shared  string `json:"shared"`
	Kind    string `json:"kind"`
	Verdict string `json:"verdict"`
	Why     string `json:"why"`
	LineA   int    `json:"line_a"`
	LineB   int    `json:"line_b"`
}

type listProblemOut struct {
	Line int    `json:"line"`
	Text string `json:"text"`
	What string `json:"what"`
	Fix  string `json:"fix"`
}

func listJSON(pairs []ranges.Pair, total uint64, list *ranges.List, label string) listOut {
	out := listOut{[]listPairOut{}, total, len(list.Entries), []listProblemOut{}}
	for _, p := range pairs {
		a, b := p.A.Labels(), p.B.Labels()
		out.Overlaps = append(out.Overlaps, listPairOut{nameOr(p.A), nameOr(p.B), p.A.String(), p.B.String(), a.Owner, b.Owner, a.Place, b.Place,
			p.Shared.String(), string(p.Kind), string(listVerdict(p.Kind)), kindText[p.Kind], p.A.Line, p.B.Line})
	}
	for _, p := range list.Problems {
		out.Problems = append(out.Problems, listProblemOut{p.Line, p.Text, p.Message, p.Fix})
	}
	return out
}

// nameOr is the name of an entry, or its range where it has none.
func nameOr(e *ranges.Entry) string {
	if name := e.Labels().Name; name != "" {
		return name
	}
	return e.String()
}
