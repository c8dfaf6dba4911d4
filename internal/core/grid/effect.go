package grid

import (
	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// Effect is what becomes of an estate when the fixes of an answer are made.
type Effect struct {
	After   *reach.Answer  // the same question, asked again
	Made    int            // how many of the blockers have a fix that was made
	Unmade  []int          // the numbers of the blockers whose fix is no edit that can be made without a person
	Opens   []Difference   // what passes then, and did not before, beside what was asked
	Closes  []Difference   // what passed before, and does not then
	Estate  *estate.Estate // the estate then; nil where nothing was made
	Problem string         // why the fixes cannot be made, in a sentence; empty when they can
}

// Try makes the fixes of an answer, asks again, and compares who reaches whom before and after, sites and the internet
// included.
func Try(e *estate.Estate, a *reach.Answer) *Effect {
	x := &Effect{}
	var changes text.Changes
	for i, b := range a.Blockers {
		edits := b.Edits()
		if len(edits) == 0 {
			x.Unmade = append(x.Unmade, i)
			continue
		}
		x.Made++
		changes = append(changes, text.Change{Edits: edits, Why: b.Message})
	}
	if x.Made == 0 {
		return x
	}
	after, findings, err := e.With(changes)
	switch {
	case err != nil:
		x.Problem = err.Error()
		return x
	case len(findings) > 0:
		x.Problem = findings[0].Message
		return x
	}
	q := reach.Question{Flows: a.Flows, Replies: a.Replies}
	if q.From, err = reach.Find(after, a.From.Name); err == nil {
		q.To, err = reach.Find(after, a.To.Name)
	}
	if err != nil {
		x.Problem = err.Error()
		return x
	}
	x.After = reach.Ask(after, q)
	d := Compare(e, after, a.Question)
	x.Opens, x.Closes, x.Estate = d.Opens, d.Closes, after
	return x
}
