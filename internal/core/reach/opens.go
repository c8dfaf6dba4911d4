package reach

import (
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
)

// This file finds what the fixes of an answer would open beyond what was asked.

// Effect is what becomes of an estate when fixes are made.
type Effect struct {
	After   *Answer // the same question, asked again
	Made    int     // how many of the fixes were made
	Unmade  []int   // the numbers of the blockers whose fix is no change of the text that can be made without a person
	Opens   []Opening
	Problem string // why the fixes cannot be made, in a sentence; empty when they can
}

// Opening is flows that pass after a change, and did not before.
type Opening struct {
	From, To []string
	Flows    flow.Set
}

// Try makes the fixes of an answer, asks again, and compares who reaches whom before and after, sites and the internet
// included. Flows that were asked for between the two ends are not counted.
func Try(e *estate.Estate, a *Answer) *Effect {
	x := &Effect{}
	var edits []plan.Edit
	for i, b := range a.Blockers {
		if len(b.Edits) == 0 {
			x.Unmade = append(x.Unmade, i)
			continue
		}
		x.Made++
		edits = append(edits, b.Edits...)
	}
	if x.Made == 0 {
		return x
	}
	text, _, err := plan.Apply(e.Plan.Source, edits)
	if err != nil {
		x.Problem = err.Error()
		return x
	}
	after, findings := estate.Load(plan.NewSource(e.Plan.Source.Name, text))
	if len(findings) > 0 {
		x.Problem = findings[0].Message
		return x
	}
	from, err := Find(after, a.From.Name)
	if err == nil {
		var to End
		if to, err = Find(after, a.To.Name); err == nil {
			x.After = Ask(after, from, to, a.Asked)
			x.Opens = opened(e, after, a)
		}
	}
	if err != nil {
		x.Problem = err.Error()
	}
	return x
}

// opened compares two estates that have the same workloads, class by class: the classes of the second are made finer
// where those of the first are, so that each cell of it lies in one cell of the first.
func opened(before, after *estate.Estate, a *Answer) []Opening {
	first := NewGrid(before, func(x *estate.Workload) int {
		n := publicness(x)
		for i, end := range []End{a.From, a.To} {
			if end.Workload == x {
				n |= 4 << i
			}
		}
		return n
	})
	classOf := make([]int, len(before.Workloads))
	for i, c := range first.Classes {
		for _, x := range c.Members {
			classOf[x.Index] = i
		}
	}
	second := NewGrid(after, func(x *estate.Workload) int { return classOf[x.Index] })
	cells := make([][]Cell, 0, len(first.Classes))
	_ = first.Rows(func(_ int, row []Cell) error {
		cells = append(cells, slices.Clone(row))
		return nil
	})
	var all openings
	_ = second.Rows(func(i int, row []Cell) error {
		x := second.Classes[i]
		for j, cell := range row {
			y := second.Classes[j]
			was := cells[classOf[x.Members[0].Index]][classOf[y.Members[0].Index]]
			more := gain(first.Outcome(was.Across), second.Outcome(cell.Across)).Union(gain(first.Outcome(was.Within), second.Outcome(cell.Within)))
			if x.Members[0].Name == a.From.Name && y.Members[0].Name == a.To.Name {
				more = more.Minus(a.Asked)
			}
			all.add(namesOf(x), namesOf(y), more)
		}
		return nil
	})
	all.outside(before, after, second, a)
	return all.merged()
}

// gain is what passes by the second outcome, wholly or in part, and not so by the first.
func gain(was, is Outcome) flow.Set { return is.Full.Minus(was.Full).Union(is.Some.Minus(was.Some)) }

func namesOf(c *Class) []string {
	var names []string
	for _, x := range c.Members {
		names = append(names, x.Name)
	}
	return names
}

// openings collects openings.
type openings []Opening

func (o *openings) add(from, to []string, flows flow.Set) {
	if !flows.Empty() {
		*o = append(*o, Opening{from, to, flows})
	}
}

// outside adds what opens between workloads and the internet or sites.
func (o *openings) outside(before, after *estate.Estate, g *Grid, a *Answer) {
	names := []string{"internet"}
	for _, s := range before.Sites {
		names = append(names, s.Name)
	}
	for _, name := range names {
		for _, c := range g.Classes {
			x := c.Members[0].Name
			for _, q := range [][2]string{{name, x}, {x, name}} {
				var outcomes [2]Outcome
				for i, e := range []*estate.Estate{before, after} {
					from, _ := Find(e, q[0])
					to, _ := Find(e, q[1])
					answer := Ask(e, from, to, flow.Any())
					outcomes[i] = answer.Outcome()
				}
				more := gain(outcomes[0], outcomes[1])
				if q == [2]string{a.From.Name, a.To.Name} {
					more = more.Minus(a.Asked)
				}
				if q[0] == name {
					o.add([]string{name}, namesOf(c), more)
				} else {
					o.add(namesOf(c), []string{name}, more)
				}
			}
		}
	}
}

// merged puts openings of the same flows together, first those from the same ends, then those to the same ones.
func (o openings) merged() []Opening {
	byFrom := gathered(o, func(x Opening) []string { return x.From }, func(x *Opening, y Opening) { x.To = append(slices.Clip(x.To), y.To...) })
	return gathered(byFrom, func(x Opening) []string { return x.To }, func(x *Opening, y Opening) { x.From = append(slices.Clip(x.From), y.From...) })
}

func gathered(all []Opening, alike func(Opening) []string, join func(x *Opening, y Opening)) []Opening {
	var out []Opening
	for _, y := range all {
		i := slices.IndexFunc(out, func(x Opening) bool { return x.Flows.Equal(y.Flows) && slices.Equal(alike(x), alike(y)) })
		if i < 0 {
			out = append(out, y)
		} else {
			join(&out[i], y)
		}
	}
	return out
}
