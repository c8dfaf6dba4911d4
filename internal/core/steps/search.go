package steps

import (
	"slices"
	"strings"

	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
)

// This file puts what is only planned into one step, and looks for an order without harm where the first one that was found has some.

// Paper is the kind of a step that changes the plan alone: what is wanted, planned or said there, of which nothing is at a cloud.
const Paper = "plan"

// onPaper makes one step, the first, of all that change nothing at a cloud.
func (f *finder) onPaper() {
	var was []stock.Thing
	var paper []text.Edit
	rest := slices.DeleteFunc(slices.Clone(f.left), func(s Step) bool {
		if slices.ContainsFunc(s.Edits, atCloud) {
			return false
		}
		if was == nil {
			was = stock.Of(f.old)
		}
		e := f.state(s)
		if e == nil || len(stock.Between(was, stock.Of(e))) > 0 {
			return false
		}
		paper = append(paper, s.Edits...)
		return true
	})
	if len(paper) == 0 {
		return
	}
	all := f.step(paper)
	all.Kind, all.Name, all.Owner, all.Place, all.rank = Paper, "", "", nil, -1
	if f.state(all) != nil {
		f.left = append(rest, all)
	}
}

// atCloud reports whether an edit is of what is at a cloud in any case: routes, and rules of groups and lists.
func atCloud(e text.Edit) bool {
	return len(e.Path) > 4 && e.Path[0] == "networks" && slices.Contains([]string{"routes", "in", "out"}, e.Path[4])
}

// search looks for an order of the steps that were found in which no state does harm, from each state on by all steps that do none there.
// It gives nil where it finds none, and whether all were tried.
func (f *finder) search() (found []Step, all bool) {
	steps := f.done
	f.tried, f.left = map[string]bool{}, nil
	defer func() { f.done = steps }()
	set := []byte(strings.Repeat("-", len(steps)))
	harmless := func() bool {
		if known, is := f.tried[string(set)]; is {
			return known
		}
		e := f.state()
		ok := e != nil
		if ok {
			c, o := f.harm(e)
			ok = len(c)+len(o) == 0
		}
		f.tried[string(set)] = ok
		return ok
	}
	dead := map[string]bool{} // states from which no way leads on
	all = true
	var walk func(order []Step) []Step
	walk = func(order []Step) []Step {
		if len(order) == len(steps) {
			return order
		}
		for i, s := range steps {
			if set[i] != '-' {
				continue
			}
			if len(f.tried) >= maxStates {
				all = false
				return nil
			}
			set[i] = '+'
			f.done, f.left = append(slices.Clone(order), s), nil
			for k, x := range steps {
				if set[k] == '-' {
					f.left = append(f.left, x)
				}
			}
			if f.early(s) {
				set[i] = '-'
				continue
			}
			if key := string(set); !dead[key] && harmless() {
				clean := s
				clean.Cuts, clean.Opens, clean.Why = nil, nil, ""
				if way := walk(append(slices.Clone(order), clean)); way != nil {
					return way
				}
				dead[key] = true
			}
			set[i] = '-'
		}
		return nil
	}
	return walk(nil), all
}
