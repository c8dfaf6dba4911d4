package build

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/steps"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
)

// Phase is some acts that may be done side by side, as far as they do not wait for each other.
type Phase struct {
	What  string // what it does, in words
	Acts  []stock.Act
	Cuts  []grid.Difference // what is cut for a while behind it, and
	Opens []grid.Difference
	Why   string // why that cannot be helped
}

// Order is the way from what is there to what is wanted.
type Order struct {
	Phases []Phase
	// Unproved says why nobody worked out what is cut and opened on the way; empty where that was done.
	Unproved string
}

// Acts are how many there are.
func (o *Order) Acts() int {
	n := 0
	for _, p := range o.Phases {
		n += len(p.Acts)
	}
	return n
}

// Harmful reports whether something is cut or opened on the way.
func (o *Order) Harmful() bool {
	return slices.ContainsFunc(o.Phases, func(p Phase) bool { return len(p.Cuts)+len(p.Opens) > 0 })
}

// maxSteps is up to how many differences the order of a change in what stands is worked out step by step.
const maxSteps = 600

// Between finds the phases. What no packet can touch comes first and last: workloads that go and that nothing else names go at once,
// since that closes only what is to be closed; what is made where nobody lives yet changes nothing; and workloads that come and that
// nothing else names come at the end, when all that lets packets through is as it is to be, so that what they can reach then is a part
// of what they are to reach. What is between goes in the order of steps, each of which is held against both ends.
func Between(head stock.Head, was, is []stock.Thing, step func(done, total int)) *Order {
	o := &Order{}
	was, labels := relabelled(was, is)
	state := was
	phase := func(what string, next []stock.Thing) {
		if acts := stock.Acts(state, next); len(acts) > 0 {
			o.Phases = append(o.Phases, Phase{What: what, Acts: acts})
		}
		state = next
	}
	last, gone := quiet(is, was), quiet(was, is)
	without := slices.DeleteFunc(slices.Clone(was), func(t stock.Thing) bool { return gone[t.Key()] })
	phase("workloads that go", without)
	target := slices.DeleteFunc(slices.Clone(is), func(t stock.Thing) bool { return last[t.Key()] })
	if more := merged(state, inert(state, target)); lived(target) && !stock.Clash(more) {
		phase("what nobody lives in yet", more)
	}
	if more := accepted(state, target); len(stock.Between(state, more)) > 0 { // at once, since no plan has a word for what waits
		old, bad := loaded(head, state)
		fresh, worse := loaded(head, target)
		phase("attachments that wait", more)
		if bad == nil && worse == nil {
			o.Phases[len(o.Phases)-1].harm(head, old, fresh, more)
		}
	}
	end := target
	if more := merged(target, inert(target, state)); lived(target) && !stock.Clash(more) { // the same, the other way round
		target = more
	}
	switch {
	case !lived(target): // nothing is to pass then, and nothing that has a workload is left
		what := "what nobody lives in yet"
		if lived(was) {
			what = "what is left"
		}
		phase(what, target)
	case len(stock.Between(state, target)) > 0:
		if err := o.stepwise(head, state, target, step); err != nil {
			o.Unproved = err.Error()
			phase("what changes", target)
		}
		state = target
	}
	phase("what nobody lives in any longer", end)
	phase("workloads that come", is)
	if len(labels) > 0 {
		o.Phases = append(o.Phases, Phase{What: "labels, of which no packet can tell", Acts: labels})
	}
	return o
}

// relabelled are things as they are once those of which the labels alone differ have the labels that are wanted, and the acts by which they
// get them.
func relabelled(was, is []stock.Thing) (after []stock.Thing, acts []stock.Act) {
	after = slices.Clone(was)
	at := map[string]int{}
	for i := range after {
		at[after[i].Key()] = i
	}
	for _, d := range stock.Between(was, is) {
		if d.Was != nil && d.Is != nil && len(d.Props) == 0 {
			after[at[d.Key()]].Labels, after[at[d.Key()]].Owner = d.Is.Labels, d.Is.Owner
			acts = append(acts, stock.Act{Verb: stock.Change, Thing: d.Is, Props: map[string]any{}, Labels: true})
		}
	}
	return after, acts
}

// merged is a stock with some things more.
func merged(all, more []stock.Thing) []stock.Thing {
	out := slices.Concat(all, more)
	slices.SortStableFunc(out, stock.ByRank)
	return out
}

// lived reports whether anything is there that packets come from or go to.
func lived(all []stock.Thing) bool {
	return slices.ContainsFunc(all, func(t stock.Thing) bool { return t.Kind == stock.Workload || t.Kind == stock.Site })
}

// quiet are the workloads that only the first of two stocks has, and that nothing but such names in either.
func quiet(all, other []stock.Thing) map[string]bool {
	there := map[string]bool{}
	for i := range other {
		if other[i].Kind == stock.Workload {
			there[other[i].Key()] = true
		}
	}
	out := map[string]bool{}
	for i := range all {
		if t := &all[i]; t.Kind == stock.Workload && !there[t.Key()] {
			out[t.Key()] = true
		}
	}
	for again := true; again; {
		again = false
		for _, list := range [][]stock.Thing{all, other} {
			for i := range list {
				if out[list[i].Key()] {
					continue
				}
				for _, ref := range list[i].Refs() {
					if out[ref] {
						delete(out, ref)
						again = true
					}
				}
			}
		}
	}
	return out
}

// inert are the things that are only wanted and change nothing for any packet: parts of networks in which nobody lives yet, and which
// nothing that stands names.
func inert(was, is []stock.Thing) []stock.Thing {
	there, busy, open := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, t := range stock.Joined(was) {
		open[t.Key()] = true
	}
	for i := range was {
		t := &was[i]
		there[t.Key()] = true
		if t.Kind == stock.Workload || t.Kind == stock.Site || t.Kind == stock.Peering || t.Kind == stock.Attachment {
			for _, ref := range t.Refs() {
				busy[ref] = true
				if k, name := stock.SplitKey(ref); k == stock.Subnet || k == stock.Group {
					busy[stock.KeyOf(stock.Network, before(name))] = true
				}
			}
		}
	}
	var out []stock.Thing
	taken := map[string]bool{}
	for i := range is {
		t := &is[i]
		if there[t.Key()] || t.Kind == stock.Workload || t.Kind == stock.Site {
			continue
		}
		network := t.Props.Word("network")
		if t.Kind == stock.Route {
			table := t.Props.Word("table")
			if k, name := stock.SplitKey(table); k == stock.Table {
				network = stock.KeyOf(stock.Network, before(name))
			} else {
				network = table
			}
		}
		harmless := t.Kind == stock.Network || t.Kind == stock.Hub || t.Kind == stock.Group || t.Kind == stock.Table && !t.Props.Flag("main") || network != "" && !busy[network]
		harmless = harmless || t.Kind == stock.HubTable || t.Kind == stock.Peering && len(t.Props.Words("accepted")) < 2
		if !lived(was) {
			harmless = true
		}
		if t.Kind == stock.Route && !taken[t.Props.Word("table")] && lived(was) { // a table that stands may be somebody's
			harmless = false
		}
		for _, ref := range t.Refs() { // what is named stands before it in the order of Specs, but for groups
			harmless = harmless && (there[ref] || taken[ref] || ref == t.Key() || t.Kind == stock.Group)
		}
		if harmless {
			taken[t.Key()] = true
			out = append(out, *t)
		}
	}
	for again := true; again; { // what names something that is not taken waits with it
		again = false
		out = slices.DeleteFunc(out, func(t stock.Thing) bool {
			over := stock.AlsoNeeds(&t) // which must be there and accepted
			for _, ref := range append(t.Refs(), over) {
				if ref != "" && !taken[ref] && (!there[ref] || ref == over && !open[ref]) {
					delete(taken, t.Key())
					again = true
					return true
				}
			}
			return false
		})
	}
	return out
}

// before is the first part of a name.
func before(name string) string {
	first, _, _ := strings.Cut(name, "/")
	return first
}

// stepwise adds a phase for each step that leads from one stock to another.
func (o *Order) stepwise(head stock.Head, was, is []stock.Thing, step func(done, total int)) error {
	if n := len(stock.Between(was, is)); n > maxSteps {
		return fmt.Errorf("%d things change in what stands, and their order is worked out for up to %d", n, maxSteps)
	}
	is = inOrderOf(was, is)
	old, err := loaded(head, was)
	if err != nil {
		return fmt.Errorf("what is there is no plan that can be walked: %w", err)
	}
	fresh, err := loaded(head, is)
	if err != nil {
		return fmt.Errorf("what is wanted is no plan that can be walked: %w", err)
	}
	p, err := steps.Of(old, fresh, step)
	if err != nil {
		return err
	}
	state := was
	var phases []Phase
	var what []string
	for i, s := range p.Steps {
		next := is
		if i < len(p.Steps)-1 {
			content, err := p.At(i + 1)
			if err != nil {
				return err
			}
			e, problems := estate.Load(text.One("what is there", content))
			if len(problems) > 0 {
				return fmt.Errorf("after step %d it is no plan that can be walked: %s", i+1, problems[0].Message)
			}
			next = stock.Of(e)
		}
		if what = append(what, s.Kind+" "+s.Name); i < len(p.Steps)-1 && stock.Clash(next) {
			continue // a plan may say so, and no cloud has it: it goes together with what is behind it
		}
		acts := stock.Acts(state, next)
		before := state
		state = next
		phase := Phase{What: phrase.Few(what, 4), Acts: acts, Cuts: s.Cuts, Opens: s.Opens, Why: s.Why}
		together := len(what) > 1
		if what = nil; len(acts) == 0 {
			continue
		}
		if gone := replaced(acts, together); len(gone) > 0 { // a cloud has nothing in its place meanwhile
			phase.harm(head, old, fresh, wholeWithout(before, gone))
			if len(phase.Cuts)+len(phase.Opens) > 0 && phase.Why == "" {
				phase.Why = "what cannot be changed in place is removed and made again"
			}
		}
		phases = append(phases, phase)
	}
	if rest := stock.Acts(state, is); len(rest) > 0 { // what a plan has no words for
		phases = append(phases, Phase{What: "what no packet can tell", Acts: rest})
	}
	o.Phases = append(o.Phases, phases...)
	return nil
}

// harm works out what a state cuts and opens that neither end of a change means, where it can be walked.
func (p *Phase) harm(head stock.Head, old, fresh *estate.Estate, state []stock.Thing) {
	if between, err := loaded(head, state); err == nil {
		p.Cuts, p.Opens = steps.Harm(old, fresh, between)
	}
}

// accepted is a stock in which the attachments that wait have been accepted as far as they are to be.
func accepted(all, target []stock.Thing) []stock.Thing {
	sides := map[string][]string{}
	for i := range target {
		if t := &target[i]; t.Kind == stock.Attachment {
			sides[t.Key()] = t.Props.Words("accepted")
		}
	}
	out := slices.Clone(all)
	for i := range out {
		if t := &out[i]; t.Kind == stock.Attachment && len(t.Props.Words("accepted")) < len(sides[t.Key()]) {
			t.Props = maps.Clone(t.Props)
			t.Props["accepted"] = sides[t.Key()]
		}
	}
	return out
}

// loaded is the estate that things are.
func loaded(head stock.Head, all []stock.Thing) (*estate.Estate, error) {
	e, problems := estate.Load(text.One("what is there", stock.Text(head, stock.Joined(all))))
	if len(problems) > 0 {
		return nil, fmt.Errorf("%s", problems[0].Message)
	}
	return e, nil
}

// replaced are the keys of what some acts remove and make again; or, where they do what several steps are about, of all that they remove.
func replaced(acts []stock.Act, all bool) map[string]bool {
	made, gone := map[string]bool{}, map[string]bool{}
	for i := range acts {
		if acts[i].Verb == stock.Make {
			made[acts[i].Thing.Key()] = true
		}
	}
	for i := range acts {
		if key := acts[i].Thing.Key(); acts[i].Verb == stock.Remove && (all || made[key]) {
			gone[key] = true
		}
	}
	return gone
}

// wholeWithout are things without some, and without what cannot be without these.
func wholeWithout(all []stock.Thing, gone map[string]bool) []stock.Thing {
	left := slices.DeleteFunc(slices.Clone(all), func(t stock.Thing) bool { return gone[t.Key()] })
	return stock.Whole(left)
}

// inOrderOf are things in the order of others, those that the others have not behind them, so that texts of both differ in little.
func inOrderOf(others, all []stock.Thing) []stock.Thing {
	at := map[string]int{}
	for i := range others {
		at[others[i].Key()] = i + 1
	}
	place := func(t stock.Thing) int {
		if i := at[t.Key()]; i > 0 {
			return i
		}
		return len(others) + 1
	}
	out := slices.Clone(all)
	slices.SortStableFunc(out, func(a, b stock.Thing) int {
		if a.Kind != b.Kind {
			return stock.ByRank(a, b)
		}
		return place(a) - place(b)
	})
	return out
}
