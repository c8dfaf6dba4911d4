package build

import (
	"context"
	"slices"
	"strings"

	"wendrik/internal/cloud"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/stock"
)

// Drifted is a thing that is there otherwise than the plan says.
type Drifted struct {
	stock.Difference // Was is what the plan says, Is what is there
	ByHand           bool
	Unbuilt          bool   // whether it is not there, and the cloud's log has nobody who took it away
	By, At           string // who changed it last, and when, as RFC 3339 writes it; empty where the cloud does not tell
	Note             string // what was said of it then, such as the number of a ticket; empty for none
	State            cloud.State
	Trouble          string // of what is there as planned and all the same not right: why
	Mislabelled      string // what is wrong with the labels by which it is known, besides; empty for nothing
}

// Drift is what is there, and how it differs from the plan.
type Drift struct {
	There  *There
	Things []Drifted
	Waived []Waived // what the plan says is meant to be otherwise
	// Estate is the plan as it would say what is there: its own words where these still hold. Where it could not be edited that far
	// it is the plan that is written anew from what is there, and Anew is true.
	Estate *estate.Estate
	Anew   bool
	Left   []stock.Difference // what the edits of the plan did not reach
}

// Waived is a thing of which a line of waive says that it may be otherwise.
type Waived struct {
	Drifted
	By *plan.Waiver
}

// waives is the line of waive of a plan that is of a thing, or of what it is a part of, on a day; nil for none. Its place is a name, a kind and
// a name, or a place in the plan.
func waives(e *estate.Estate, t *stock.Thing, day string) *plan.Waiver {
	if day == "" {
		return nil
	}
	at := stock.PlaceOf(t).String()
	for i := range e.Plan.Waive {
		w := &e.Plan.Waive[i]
		place := w.Place.Value
		if w.Rule.Value != check.Drift || w.Until.Given() && w.Until.Value < day {
			continue
		}
		if place == t.Name || place == string(t.Kind)+" "+t.Name || strings.HasPrefix(t.Name, place+"/") || strings.HasPrefix(t.Name, place+":") || at == place || strings.HasPrefix(at, place+".") {
			return w
		}
	}
	return nil
}

// asPlanned is what is there, but for a difference; differences go on naming what was there.
func asPlanned(have []stock.Thing, d stock.Difference) []stock.Thing {
	have = slices.Clone(have)
	i := slices.IndexFunc(have, func(t stock.Thing) bool { return t.Key() == d.Key() })
	switch {
	case i < 0 && d.Was == nil:
		return have
	case i < 0:
		return append(have, *d.Was)
	case d.Was == nil:
		return slices.Delete(have, i, i+1)
	}
	have[i] = *d.Was
	return have
}

// Drifts finds how what is there differs from a plan, on a day as RFC 3339 writes it, on which its lines of waive are judged; they
// are passed over where that is empty.
func Drifts(ctx context.Context, d cloud.Driver, e *estate.Estate, head stock.Head, day string) (*Drift, error) {
	want := stock.Of(e)
	there, err := Look(ctx, d, head, want)
	if err != nil {
		return nil, err
	}
	x := &Drift{There: there, Estate: e}
	owners := OwnersOf(there.Hello, merged(there.Things(), want))
	have := there.passing()
	has, others := map[string]bool{}, map[string]bool{}
	for i := range have {
		has[have[i].Key()] = true
	}
	for i := range want { // what only another owner can make is not missed; it is taken to be as planned where it can be
		t := &want[i]
		if key := t.Key(); !has[key] && !owners.Ours(key) {
			others[key] = true
			if needs := append(t.Refs(), stock.AlsoNeeds(t)); !slices.ContainsFunc(needs, func(ref string) bool { return ref != "" && !has[ref] }) {
				has[key] = true
				have = append(have, *t)
			}
		}
	}
	missed := slices.DeleteFunc(slices.Clone(want), func(t stock.Thing) bool { return others[t.Key()] && !has[t.Key()] })
	gone, notes, err := lastGone(ctx, d, there, head.Estate)
	if err != nil {
		return nil, err
	}
	differs := map[string]bool{}
	for _, diff := range stock.Between(missed, have) {
		differs[diff.Key()] = true
		one := Drifted{Difference: diff}
		if i := there.Item(diff.Key()); i != nil && i.Context && diff.Was == nil {
			continue // another estate's, which something of this one names
		} else if i != nil {
			one.By, one.At, one.ByHand, one.State, one.Note, one.Mislabelled = i.At.By, i.At.At, i.ByHand, i.At.State, notes[i.At.ID], i.Mislabelled
		} else if e := gone[diff.Key()]; e != nil {
			one.By, one.At, one.Note = e.By, e.At, e.Note
		} else {
			one.Unbuilt = there.Hello.Log
		}
		if w := waives(e, one.Thing(), day); w != nil {
			x.Waived = append(x.Waived, Waived{one, w})
			have = asPlanned(have, diff)
			continue
		}
		x.Things = append(x.Things, one)
	}
	for i := range there.Items {
		item := &there.Items[i]
		trouble := item.Mislabelled
		if item.At.State == cloud.Failed {
			trouble = "it failed: " + item.At.Why
		}
		if trouble != "" && !differs[item.Key()] && !item.Context {
			x.Things = append(x.Things, Drifted{Difference: stock.Difference{Was: &item.Thing, Is: &item.Thing}, By: item.At.By, At: item.At.At, State: item.At.State, Note: notes[item.At.ID], Trouble: trouble})
		}
	}
	if slices.ContainsFunc(x.Things, func(d Drifted) bool { return d.Trouble == "" }) {
		after, problems, left := stock.Forward(e, have)
		x.Estate, x.Left = after, left
		if len(left) > 0 || len(problems) > len(e.Problems) {
			if fresh, err := loaded(head, have); err == nil {
				x.Estate, x.Anew = fresh, true
			}
		}
	}
	return x, nil
}

// lastGone are the last removals of things of an estate, by their keys, and what was said of the last change of things, by their identifiers.
func lastGone(ctx context.Context, d cloud.Driver, there *There, estateName string) (out map[string]*cloud.Entry, notes map[string]string, err error) {
	out, notes = map[string]*cloud.Entry{}, map[string]string{}
	if !there.Hello.Log {
		return out, notes, nil
	}
	entries, err := cloud.WholeLog(ctx, d)
	for i := range entries {
		e := &entries[i]
		if notes[e.ID] = e.Note; strings.HasPrefix(e.Note, notePrefix) {
			delete(notes, e.ID) // a build's, which says no more than whose it was
		}
		if e.What != "remove" || e.Before == nil || e.Before.Labels[EstateLabel] != estateName || strings.HasPrefix(e.Note, notePrefix+estateName+" ") {
			continue
		}
		out[stock.KeyOf(e.Before.Kind, e.Before.Labels[NameLabel])] = e
	}
	return out, notes, err
}

// Adopt is what is there of an estate, and the plan of it in good form. With no name it is the one estate that things are labelled with,
// and the name of the first owner where they are labelled with none; several are an error. A scope says what of the account it is, as the
// plan will.
func Adopt(ctx context.Context, d cloud.Driver, name string, scope []string) (*There, string, error) {
	h, all, err := everything(ctx, d)
	if err != nil {
		return nil, "", err
	}
	if name == "" {
		var labels []string
		for _, t := range all {
			if l := t.Labels[EstateLabel]; l != "" && !slices.Contains(labels, l) {
				labels = append(labels, l)
			}
		}
		slices.Sort(labels)
		switch {
		case len(labels) > 1:
			return nil, "", &Several{labels}
		case len(labels) == 1:
			name = labels[0]
		case len(ours(h)) > 0:
			name = ours(h)[0]
		default:
			name = "estate"
		}
	}
	head := stock.Head{Estate: name, Regions: h.Regions, Scope: scope}
	there, err := see(h, all, head, nil)
	if err != nil {
		return nil, "", err
	}
	head.Profile = usual(there, h.Profile)
	return there, stock.InForm(head, there.passing()), nil
}

// Several is the error of not saying which of several estates is meant.
type Several struct{ Names []string }

func (e *Several) Error() string {
	return "several estates are there: " + strings.Join(e.Names, ", ")
}

// usual is the profile that most networks have.
func usual(there *There, unless map[string]string) map[string]string {
	count := map[string]int{}
	best := unless
	for i := range there.Items {
		if t := &there.Items[i]; t.Kind == stock.Network {
			knobs := t.Props.Pairs("profile")
			word := stock.ProfileValue(knobs).String()
			if count[word]++; len(knobs) > 0 && count[word] > count[stock.ProfileValue(best).String()] {
				best = knobs
			}
		}
	}
	return best
}
