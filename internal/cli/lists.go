package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"net/netip"
	"os"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/overlap"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/wrong"
)

// listOnInput reports whether standard input holds a list in the place of a plan: a file that was put there, or a pipe
// where there is no plan in this folder.
func (s *screen) listOnInput() bool {
	f, is := s.in.(*os.File)
	if !is {
		return false
	}
	info, err := f.Stat()
	if err != nil {
		return false
	}
	if info.Mode().IsRegular() {
		return true
	}
	_, err = os.Stat("wendrik.yaml")
	return info.Mode()&fs.ModeNamedPipe != 0 && errors.Is(err, fs.ErrNotExist)
}

// readList reads a list of ranges from a file, or standard input for a dash, with progress while that takes long.
func (s *screen) readList(name, columns string) (*ranges.List, string, error) {
	named, err := ranges.ParseColumns(columns)
	if err != nil {
		return nil, "", rangeMistake(err)
	}
	in, label := s.in, "standard input"
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return nil, "", fileError(name, err)
		}
		defer f.Close()
		in, label = f, name
	}
	var size int64
	if f, is := in.(*os.File); is {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			size = info.Size()
		}
	}
	defer seldom(int(size))()
	counted, done := s.progress(in, size, "reading "+label)
	defer done()
	list, err := ranges.Read(counted, named)
	if err != nil {
		return nil, "", &usageError{fmt.Sprintf("%s: %s", label, err), wrong.Right(err)}
	}
	return list, label, nil
}

// taken reads an inventory of ranges in use, when one is named. Its mistakes are told, and the rest is used.
func (s *screen) taken(name, columns string) ([]netip.Prefix, error) {
	if name == "" {
		return nil, nil
	}
	list, label, err := s.readList(name, columns)
	if err != nil {
		return nil, err
	}
	s.listProblems(list, label)
	return list.Set().Ranges(), nil
}

// listProblems tells which lines of a list hold no range.
func (s *screen) listProblems(list *ranges.List, label string) {
	for _, p := range list.Problems {
		where := fmt.Sprintf("%s:%d:", clean(label), p.Line)
		message := clean(p.Message)
		if p.Fix != "" {
			message += "; " + clean(p.Fix)
		}
		fmt.Fprintf(s.err, "%s %s\n", place.Sprint(where), message)
	}
	if n := len(list.Problems) + list.Dropped; n > 0 {
		s.tell("%s of %s without a range; the rest was used", count(n, "line"), clean(label))
	}
}

// listOverlaps finds the overlaps of a list that is no plan.
func (c *call) listOverlaps(name, columns, format, only string, limit int) (int, error) {
	if limit < 1 {
		return cannot, &usageError{fmt.Sprintf("-limit takes a number from 1, not %d", limit), ""}
	}
	list, label, err := c.readList(name, columns)
	if err != nil {
		return cannot, err
	}
	pairs, total := list.Overlaps(limit)
	shown := pairs
	if only != "all" {
		shown = nil
		for _, p := range pairs {
			if string(listVerdict(p.Kind)) == only {
				shown = append(shown, p)
			}
		}
	}
	switch format {
	case "json":
		err = c.json(listJSON(shown, total, list, label))
	case "text":
		c.listed(list, shown, total, label)
	default:
		err = c.write(listSheet(shown), format)
	}
	c.listProblems(list, label)
	if left := total - uint64(len(pairs)); left > 0 && format != "text" {
		c.tell("%d more pairs are left out; -limit N finds more", left)
	}
	if len(shown) > 0 || len(list.Problems) > 0 {
		return no, err
	}
	return good, err
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
		c.say("%s", fine.Sprintf("nothing overlaps in %s", count(len(list.Entries), "range")))
		return
	}
	kinds := map[ranges.Kind]int{}
	for _, p := range pairs {
		kinds[p.Kind]++
	}
	head := fmt.Sprintf("%s of %s overlap", count(int(total), "pair"), count(len(list.Entries), "range"))
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
