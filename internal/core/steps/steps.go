// Package steps finds the order in which to change one estate into another, one step for each thing that is done at a cloud: so that
// in every state between, what passes in both passes, and nothing passes that passes in neither.
package steps

import (
	"fmt"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Step is one thing to do.
type Step struct {
	Edits []text.Edit
	Kind  string
	Name  string
	Owner string
	Place text.Path
	Text  string
	Undo  string
	Needs []int             // the numbers, from 1, of steps that must come before
	Cuts  []grid.Difference // what passes before and after all, and not in the state behind this step
	Opens []grid.Difference // what passes there, and neither before nor after all
	Why   string            // why that cannot be helped, as a sentence without its full stop; empty where nothing is cut or opened
	rank  int
}

// Plan is an order of steps.
type Plan struct {
	Steps []Step
	// None says of one that is not clean that no order of these steps is, since all of them were tried; Tried is how many states were
	// tried for one.
	None  bool
	Tried int
	old   *estate.Estate
}

// At is the text of the plan after n steps; after none it is the old one.
func (p *Plan) At(n int) (string, error) {
	var edits []text.Edit
	for _, s := range p.Steps[:n] {
		edits = append(edits, s.Edits...)
	}
	old := p.old.Plan.Files.First()
	if len(edits) == 0 {
		return old.Text, nil
	}
	after, _, err := old.Apply(settled(edits))
	return after, err
}

// Clean reports whether nothing is cut and nothing opened on the way.
func (p *Plan) Clean() bool {
	return !slices.ContainsFunc(p.Steps, func(s Step) bool { return len(s.Cuts)+len(s.Opens) > 0 })
}

// maxAhead is how many steps are tried at each place, of a large estate, before the one with the least harm is taken; a small one is of no
// more workloads than maxSearched, and there all are tried, and then up to maxStates states for an order without harm.
const (
	maxAhead    = 12
	maxSearched = 300
	maxStates   = 600
)

// Of finds the order of steps from one estate to another; before each it calls step, when that is not nil. The error is a
// *wrong.Error, of a plan of which that cannot be worked out.
func Of(old, fresh *estate.Estate, step func(done, total int)) (*Plan, error) {
	if len(old.Plan.Files.All()) > 1 || len(fresh.Plan.Files.All()) > 1 {
		return nil, wrong.Value("put the parts into one file for this", "steps are worked out for plans of one file each")
	}
	edits, err := text.Between(old.Plan.Files.First(), fresh.Plan.Files.First())
	if err != nil {
		return nil, wrong.Value("write aliases out", "the two plans cannot be told apart: %s", err)
	}
	var single []text.Edit
	f := &finder{old: old, fresh: fresh}
	for _, e := range apiece(edits) {
		if v, found := old.Plan.Files.Value(e.Path.To(e.Key)); found && e.Remove && e.Key != "" {
			single = append(single, splitRemoval(e, v)...)
		} else {
			single = append(single, split(e)...)
		}
	}
	f.meant = compare.Effect(old, fresh)
	for _, one := range together(single, f.wordOf, f.element) {
		f.left = append(f.left, f.step(one))
	}
	f.onPaper()
	slices.SortStableFunc(f.left, func(a, b Step) int { return a.rank - b.rank })
	if err := f.order(step); err != nil {
		return nil, err
	}
	p := &Plan{Steps: f.done, old: old}
	if !p.Clean() && len(old.Workloads) <= maxSearched {
		found, all := f.search()
		if p.None, p.Tried = found == nil && all, len(f.tried); found != nil {
			f.done, p.Steps = found, found
		}
	}
	f.needs()
	return p, nil
}

// apiece are edits of which those that put an entry in the place of another take that out and write the new one.
func apiece(edits []text.Edit) []text.Edit {
	var all []text.Edit
	for _, e := range edits {
		if e.Was != "" && e.Was != e.Key && len(e.Value.Fields()) > 0 {
			all = append(all, text.Remove(e.Path, e.Was), text.Set(e.Path, e.Key, e.Value))
		} else {
			all = append(all, e)
		}
	}
	return all
}

// finder orders steps.
type finder struct {
	old, fresh *estate.Estate
	meant      *grid.Differences // what is to open and to close
	left, done []Step
	stuck      int             // how many were left when it was last worked out which must come together
	tried      map[string]bool // whether a state, by its steps, is one that does no harm
}

// wordOf is the word that an edit of a list of words is about.
func (f *finder) wordOf(e text.Edit) string {
	if !e.Remove {
		word, _ := e.Value.Single()
		return word
	}
	return f.was(e)
}

// element is the element of a list that an edit writes or takes out.
func (f *finder) element(e text.Edit) text.Value {
	if !e.Remove {
		return e.Value
	}
	v, found := f.old.Plan.Files.Value(e.Path)
	if !found || e.Nth < 1 || e.Nth > len(v.Items()) {
		return text.Value{}
	}
	return v.Items()[e.Nth-1]
}

// was is what stood where an edit writes.
func (f *finder) was(e text.Edit) string {
	at := e.Path
	if e.Key != "" {
		at = at.To(e.Key)
	}
	v, found := f.old.Plan.Files.Value(at)
	switch {
	case !found:
		return ""
	case e.Key == "" && e.Nth > 0 && e.Nth <= len(v.Items()):
		one := v.Items()[e.Nth-1]
		if word, single := one.Single(); single {
			return word
		}
		return one.String()
	}
	return v.String()
}

// step describes the edits of a step.
func (f *finder) step(edits []text.Edit) Step {
	first := edits[0]
	for _, e := range edits {
		if !e.Remove {
			first = e
			break
		}
	}
	kind, name, rank := describe(first)
	if first.Remove {
		rank = 100 - rank // what goes, goes the other way round
	} else if first.Put || first.Key != "" && f.was(first) != "" {
		rank = 40
	}
	s := Step{Edits: edits, Kind: kind, Name: name, Place: first.Path, Text: words(edits, f.was), Undo: undoWords(edits, f.was), rank: rank}
	if first.Key != "" {
		s.Place = first.Path.To(first.Key)
	}
	s.Owner = f.owner(first)
	return s
}

// owner is who is named for the network, site, workload or peering that an edit is in.
func (f *finder) owner(e text.Edit) string {
	p := ownerPath(e)
	if len(p) < 2 {
		return ""
	}
	for _, x := range []*estate.Estate{f.fresh, f.old} {
		switch p[0] {
		case "networks":
			if n := x.Network(p[1]); n != nil {
				return n.Plan.Owner.Value
			}
		case "sites":
			if s := x.Site(p[1]); s != nil {
				return s.Plan.Owner.Value
			}
		case "workloads":
			if w := x.Workload(p[1]); w != nil {
				return w.Plan.Owner.Value
			}
		case "peerings":
			if y := x.Peering(p[1]); y != nil {
				return y.Plan.Owner.Value
			}
		}
	}
	return ""
}

// state is the estate after the steps so far and some more; nil where its plan could not be read.
func (f *finder) state(more ...Step) *estate.Estate {
	e, _ := f.stateOr(more...)
	return e
}

// stateOr is state, and says why its plan could not be read.
func (f *finder) stateOr(more ...Step) (e *estate.Estate, why string) {
	var edits []text.Edit
	for _, s := range f.done {
		edits = append(edits, s.Edits...)
	}
	for _, s := range more {
		edits = append(edits, s.Edits...)
	}
	e, problems, err := f.old.With(text.Changes{{Edits: settled(edits)}})
	switch {
	case err != nil:
		return nil, err.Error()
	case len(problems) > len(f.old.Problems) && len(problems) > len(f.fresh.Problems):
		return nil, problems[0].Message
	}
	return e, ""
}

// why says why what a step cuts or opens cannot be helped, of those that are left.
func (f *finder) why(s Step, tried int) string {
	for _, e := range s.Edits {
		if was := f.was(e); !e.Remove && e.Key != "" && was != "" {
			return fmt.Sprintf("%s becomes %s in one act, and both cannot stand side by side", was, e.Value)
		}
	}
	for _, x := range f.left {
		if x.Text == s.Text {
			continue
		}
		if e, problem := f.stateOr(x); e == nil {
			return fmt.Sprintf("%s %s must wait for it, since else %s", x.Kind, x.Name, problem)
		}
	}
	if tried < 2 {
		return "it is the last that is left"
	}
	return fmt.Sprintf("of %d steps that could come here each other one cuts or opens as much or more", tried)
}

// harm is what a state cuts and opens that is not meant.
func (f *finder) harm(e *estate.Estate) (cuts, opens []grid.Difference) {
	d := compare.Effect(f.old, e)
	internet := grid.Ownerless(f.old).Intersect(grid.Ownerless(f.fresh))
	return beyond(d.Closes, f.meant.Closes, internet), beyond(d.Opens, f.meant.Opens, internet)
}

// Harm is what a state between two estates cuts and opens that is not meant: what passes in both and not in it, and what passes in it
// and in neither.
func Harm(old, fresh, between *estate.Estate) (cuts, opens []grid.Difference) {
	f := &finder{old: old, fresh: fresh, meant: compare.Effect(old, fresh)}
	return f.harm(between)
}

// beyond are differences without those that are meant, of the internet only those of some addresses: others are somebody's in the end.
func beyond(all, meant []grid.Difference, internet address.Set) []grid.Difference {
	if len(all) == 0 {
		return nil
	}
	may := map[[2]string][]grid.Difference{}
	for _, x := range meant {
		for _, a := range x.From {
			for _, b := range x.To {
				may[[2]string{a, b}] = append(may[[2]string{a, b}], x)
			}
		}
	}
	var left []grid.Difference
	for _, x := range all {
		for _, a := range x.From {
			for _, b := range x.To {
				one := x.Between(a, b)
				if p, is := one.Parts[plan.Internet]; is {
					p.Of = p.Of.Intersect(internet)
					one.Parts = map[string]grid.Outside{plan.Internet: p}
				}
				if a != b {
					left = append(left, one.Minus(may[[2]string{a, b}])...)
				}
			}
		}
	}
	return grid.Gathered(left)
}

func weight(all []grid.Difference) int {
	n := 0
	for _, d := range all {
		n += len(d.From) * len(d.To)
	}
	return n
}

// order takes the steps one by one: at each place the first that does no harm, else that which does least.
func (f *finder) order(step func(done, total int)) error {
	total := len(f.left)
	for len(f.left) > 0 {
		if step != nil {
			step(total-len(f.left), total)
		}
		best, least := -1, 0
		var cuts, opens []grid.Difference
		tried := 0
		for i := range f.left {
			if f.early(f.left[i]) {
				continue
			}
			e := f.state(f.left[i])
			if e == nil {
				continue
			}
			c, o := f.harm(e)
			if w := weight(c) + weight(o); best < 0 || w < least {
				best, least, cuts, opens = i, w, c, o
			}
			if tried++; least == 0 || tried >= maxAhead && len(f.old.Workloads) > maxSearched {
				break
			}
		}
		if best < 0 { // no single one can be made: those that must come together do
			if !f.merge() {
				return wrong.Value("make the change in two plans, one after the other", "no order of the steps was found in which each state can be read; %d are left: %s", len(f.left), f.left[0].Text)
			}
			continue
		}
		if least > 0 && f.joinWaiting() {
			continue
		}
		s := f.left[best]
		if s.Cuts, s.Opens = cuts, opens; least > 0 {
			s.Why = f.why(s, tried)
		}
		f.done = append(f.done, s)
		f.left = slices.Delete(f.left, best, best+1)
	}
	return nil
}

// early reports whether a step writes inside of a thing that another step, which is left, makes: the edit would make it by itself, without
// what else it is.
func (f *finder) early(s Step) bool {
	for _, m := range f.left {
		first := m.Edits[0]
		if first.Remove || first.Key == "" || first.Put || m.Text == s.Text {
			continue
		}
		for _, e := range s.Edits {
			if len(m.Place) <= len(e.Path) && slices.Equal(m.Place, e.Path[:len(m.Place)]) && f.was(first) == "" {
				return true
			}
		}
	}
	return false
}

// joinWaiting makes one step of those that change something in place, cannot be made alone, and can together, as the ranges of a
// network that moves; so that they need not wait until all that could be made before them is, where that does harm. It reports
// whether there are such.
func (f *finder) joinWaiting() bool {
	if f.stuck == len(f.left) || len(f.left) > maxWaiting {
		return false
	}
	f.stuck = len(f.left)
	var alone, waiting []Step
	for _, x := range f.left {
		if f.inPlace(x) && f.state(x) == nil {
			waiting = append(waiting, x)
		} else {
			alone = append(alone, x)
		}
	}
	if len(waiting) < 2 || f.state(waiting...) == nil {
		return false
	}
	for i := len(waiting) - 1; i >= 0 && len(waiting) > 1; i-- {
		if less := slices.Delete(slices.Clone(waiting), i, i+1); f.state(less...) != nil {
			alone, waiting = append(alone, waiting[i]), less
		}
	}
	var edits []text.Edit
	for _, x := range waiting {
		edits = append(edits, x.Edits...)
	}
	f.left = append(alone, f.step(edits))
	slices.SortStableFunc(f.left, func(a, b Step) int { return a.rank - b.rank })
	return true
}

// inPlace reports whether a step does nothing but put other values in the place of some.
func (f *finder) inPlace(s Step) bool {
	return !slices.ContainsFunc(s.Edits, func(e text.Edit) bool { return e.Remove || e.Key == "" || f.was(e) == "" })
}

// maxWaiting is up to how many steps that are left it is worked out which of them must come together.
const maxWaiting = 300

// merge makes two steps of one that puts something in the place of another, where none can be made alone; where there is no such,
// one step of two that can be made together, and of all that are left where no two can.
func (f *finder) merge() bool {
	for i, x := range f.left { // first what is replaced goes, and comes back as something else later
		if e := x.Edits[0]; len(x.Edits) == 1 && e.Put && e.Key == "" {
			place := text.Add(e.Path, e.Value)
			if v, found := f.old.Plan.Files.Value(e.Path); found && e.Nth < len(v.Items()) {
				place = text.Insert(e.Path, e.Nth+1, e.Value)
			}
			gone, back := f.step([]text.Edit{text.RemoveNth(e.Path, e.Nth)}), f.step([]text.Edit{place})
			f.left = append(slices.Delete(f.left, i, i+1), gone, back)
			slices.SortStableFunc(f.left, func(a, b Step) int { return a.rank - b.rank })
			return true
		}
	}
	for i := range f.left {
		for k := i + 1; k < len(f.left); k++ {
			if f.state(f.left[i], f.left[k]) != nil {
				f.left[i] = f.step(append(slices.Clone(f.left[i].Edits), f.left[k].Edits...))
				f.left = slices.Delete(f.left, k, k+1)
				return true
			}
		}
	}
	if len(f.left) < 3 || f.state(f.left...) == nil {
		return false
	}
	var all []text.Edit
	for _, s := range f.left {
		all = append(all, s.Edits...)
	}
	f.left = []Step{f.step(all)}
	return true
}

// maxNeedTries is how many plans are read at most to find what steps need.
const maxNeedTries = 500
