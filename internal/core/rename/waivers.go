package rename

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file has lines of waive silence after a renaming what they did before.

// waivers has the lines of waive follow that are at the thing or in it, by its name or by its place: a plan can be read without them. A name
// that others have, too, follows where the line silences what is found at the thing and nothing else; the error is of one that silences both.
func (r *renamer) waivers(e *estate.Estate, o estate.Object) error {
	is := r.was[:len(r.was)-len(r.old)] + r.is
	at := slices.Clone(o.Place())
	at[len(at)-1] = r.is
	for i := len(r.After.Plan.Waive) - 1; i >= 0; i-- { // the last first, so that those before it stay where they are
		place := r.After.Plan.Waive[i].Place
		old, fresh := o.Place().String(), at.String()
		if rest, here := strings.CutPrefix(place.Value, old); !here || rest != "" && rest[0] != '.' {
			mine, others := placed(e, o, &e.Plan.Waive[i])
			switch {
			case !mine:
				continue
			case others:
				return r.otherwise(fmt.Sprintf("line %d of waive, at %s, is about something else of that name, too", i+1, phrase.Clip(place.Value)))
			}
			old, fresh = r.was, is
		}
		f, start := r.file(r.After.Plan.Files, place.At)
		if f == nil {
			continue
		}
		content := r.texts[f]
		start += len(content[start:]) - len(strings.TrimLeft(content[start:], `"'`))
		if strings.HasPrefix(content[start:], old) {
			r.texts[f] = content[:start] + fresh + content[start+len(old):]
			r.Places++
		}
	}
	r.After, _ = estate.Load(r.files())
	return nil
}

// placed says of a line of waive whether it is about the thing or what is in it, and whether about something else: by what it silences where its
// word is the name of both, and that can be told.
func placed(e *estate.Estate, o estate.Object, w *plan.Waiver) (mine, others bool) {
	within := func(p text.Path) bool { at := o.Place(); return len(p) >= len(at) && slices.Equal(p[:len(at)], at) }
	for _, x := range e.Named(w.Place.Value) {
		mine, others = mine || within(x.Place()), others || !within(x.Place())
	}
	if hub, table, found := strings.Cut(w.Place.Value, "/"); found && o.Kind() == estate.HubKind && hub == o.ID() { // by which no thing is named
		mine = mine || slices.ContainsFunc(e.Hub(hub).Tables, func(t *estate.HubTable) bool { return t.Name == table })
	}
	if !mine || !others || w.Rule.Value == check.Drift {
		return mine, others
	}
	mine, others = false, false
	for _, f := range check.Run(e) {
		if string(f.Code) == w.Rule.Value && check.At(e, w.Place.Value, f) {
			mine, others = mine || within(f.Place), others || !within(f.Place)
		}
	}
	return mine, others
}

// silenced counts what each rule finds that the plan waives, whenever that ends.
func silenced(e *estate.Estate) map[diag.Code]int {
	all := map[diag.Code]int{}
	if len(e.Plan.Waive) > 0 {
		_, waived := check.Judge(e, time.Time{})
		for _, w := range waived {
			all[w.Code]++
		}
	}
	return all
}
