package editor

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/core/wire"
)

// This file offers changes of the plan: fixes of what is marked, what carve and wire would write, and waivers. Each is made in memory first, so
// that its title says what it opens, closes and breaks; an editor makes it where a person chose it.

// mostWeighed is of how many workloads it is asked what a change opens and closes, while somebody waits for a menu.
const mostWeighed = 3000

// mostActions is how many changes are offered at once, as each of them is tried.
const mostActions = 12

// proposal is a change that may be offered.
type proposal struct {
	title   string
	kind    string
	changes text.Changes
	ends    *diag.Finding // what it ends; nil for nothing that is marked
	waives  bool
	first   bool // whether it is the one to take
}

func (s *server) actions(ctx context.Context, p codeActionParams) ([]codeAction, error) {
	all := []codeAction{}
	d, k, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return all, nil
	}
	x := s.settled(ctx, k, true)
	if x == nil || x.estate.Plan.Unread || len(x.broken) > 0 || x.texts[d.path] == nil {
		return all, nil
	}
	wants := func(kind string) bool {
		return len(p.Context.Only) == 0 || slices.ContainsFunc(p.Context.Only, func(o string) bool { return kind == o || strings.HasPrefix(kind, o+".") })
	}
	var proposals []proposal
	waits := false
	for _, f := range x.findings() {
		path, where := x.extentOf(f.At, s.encoding)
		if path != d.path || where.Start.Line < p.Range.Start.Line || where.Start.Line > p.Range.End.Line {
			continue
		}
		if f.Severity == diag.Pending {
			waits = true
		}
		if wants("quickfix") {
			proposals = append(proposals, x.proposals(&f)...)
		}
	}
	if x.verdict != nil && (wants("refactor") || wants("quickfix")) {
		for i := range x.verdict.Expected {
			r := &x.verdict.Expected[i]
			path, at := x.posOf(r.At)
			if path == d.path && at.line >= p.Range.Start.Line && at.line <= p.Range.End.Line && !r.Holds && !r.Doubted {
				proposals = append(proposals, x.wiring(r)...)
			}
		}
	}
	if waits && wants("quickfix") || wants("source") && len(x.estate.Workloads) <= mostWeighed {
		if r := carve.Estate(x.estate); r.New() && r.Uneditable == nil {
			kind := map[bool]string{true: "quickfix", false: "source"}[waits]
			proposals = append(proposals, proposal{title: "Carve what has no range: " + phrase.Count(len(r.Changes), "change"), kind: kind, changes: r.Changes})
		}
	}
	for _, one := range proposals {
		if ctx.Err() != nil || len(all) == mostActions {
			break
		}
		if a, ok := s.action(k, x, one); ok {
			all = append(all, a)
		}
	}
	return all, nil
}

// proposals are the changes that end a finding, and the line of waive that silences it.
func (x *state) proposals(f *diag.Finding) []proposal {
	var all []proposal
	for _, fix := range f.Fixes {
		switch {
		case len(fix.Edits) > 0:
			one := proposal{title: sentence(diag.Fix{Edits: fix.Edits}.String()), kind: "quickfix", changes: text.Changes{{Edits: fix.Edits}}, ends: f, first: fix.Choice == "" && len(all) == 0}
			all = append(all, one)
		case fix.Takes != nil:
			for word := range strings.FieldsFuncSeq(fix.Advice, func(r rune) bool { return r == ' ' || r == ',' || r == '(' || r == ')' }) {
				if to, err := address.ParseRange(word); err == nil { // the nearest range that is free
					if edits, err := fix.Takes(to.String()); err == nil && len(edits) > 0 {
						all = append(all, proposal{title: "Move it to " + to.String() + ", the nearest that is free", kind: "quickfix", changes: text.Changes{{Edits: edits}}, ends: f})
					}
					break
				}
			}
		}
	}
	if verdict.Topic(f.Code) != "" && len(f.Place) > 0 && x.estate.Problems == nil {
		line := text.Map(text.Field{Key: "rule", Value: text.Word(string(f.Code))}, text.Field{Key: "at", Value: text.Word(f.Place.String())}, text.Field{Key: "because", Value: text.Word("say why it is meant")})
		all = append(all, proposal{title: "Waive " + string(f.Code) + " here, because …", kind: "quickfix", changes: text.Changes{{Edits: []text.Edit{text.Add(text.Path{"waive"}, line)}}}, ends: f, waives: true})
	}
	return all
}

// wiring is what makes a line of expect hold, as wire would write it.
func (x *state) wiring(r *expect.Result) []proposal {
	if len(x.estate.Workloads) > mostWeighed || len(x.estate.Problems) > 0 || r.Never {
		return nil
	}
	w := wire.Estate(x.estate)
	if w.Uneditable != nil {
		return nil
	}
	quoted := fmt.Sprintf("%q", r.Text)
	var mine text.Changes
	for _, c := range w.Changes {
		if strings.HasPrefix(c.Why, quoted) {
			mine = append(mine, c)
		}
	}
	var all []proposal
	if len(mine) > 0 {
		if after, _, err := x.estate.With(mine); err == nil && holdsIn(after, r.Text) {
			all = append(all, proposal{title: "Wire this line: " + phrase.Count(len(mine), "change"), kind: "quickfix", changes: mine, first: true})
		}
	}
	if len(all) == 0 && len(w.Changes) > 0 && holdsIn(w.After, r.Text) {
		all = append(all, proposal{title: "Wire the plan, for this line needs other parts of it: " + phrase.Count(len(w.Changes), "change"), kind: "quickfix", changes: w.Changes})
	}
	return all
}

// holdsIn reports whether a line of expect holds in an estate.
func holdsIn(e *estate.Estate, line string) bool {
	for i := range e.Plan.Expect {
		if x := &e.Plan.Expect[i]; x.Text == line {
			return expect.One(e, x).Holds
		}
	}
	return false
}

// action is a proposal as an editor shows it, with what it comes to in its title; ok is false where it cannot be made, or makes the plan one that
// has a problem that it had not.
func (s *server) action(k *kept, x *state, p proposal) (codeAction, bool) {
	after, _, err := x.estate.With(p.changes.OnLines())
	if err != nil || len(after.Problems) > len(x.estate.Problems) {
		return codeAction{}, false
	}
	why := &annotation{Label: p.title}
	title := p.title
	if !p.waives && len(x.estate.Workloads) <= mostWeighed && len(x.estate.Problems) == 0 {
		d := compare.Effect(x.estate, after)
		effect, breaks := effectOf(d), expect.NoLonger(x.estate, after, len(d.Closes) > 0)
		if len(breaks) > 0 {
			effect += fmt.Sprintf("; breaks %q", clip(breaks[0].Text, 60))
			why.NeedsConfirmation = true
		}
		title += " (" + effect + ")"
		why.Description = effect
	}
	edit, err := s.difference(k, x, after.Plan.Files, why)
	if err != nil {
		return codeAction{}, false
	}
	a := codeAction{Title: clip(title, 240), Kind: p.kind, IsPreferred: p.first && !why.NeedsConfirmation, Edit: edit}
	if p.ends != nil {
		_, at := x.extentOf(p.ends.At, s.encoding)
		a.Diagnostics = []diagnostic{s.diagnosticOf(x, *p.ends, at)}
	}
	return a, true
}

// effectOf is what a change opens and closes, in a few words.
func effectOf(d *grid.Differences) string {
	first := func(all []grid.Difference) string {
		from, to := all[0].Ends()
		said := fmt.Sprintf("%s to %s on %s", firstOf(from), firstOf(to), clip(all[0].Flows.String(), 40))
		if len(all) > 1 {
			said += fmt.Sprintf(", and %d more", len(all)-1)
		}
		return said
	}
	var words []string
	if len(d.Opens) > 0 {
		words = append(words, "opens "+first(d.Opens))
	}
	if len(d.Closes) > 0 {
		words = append(words, "closes "+first(d.Closes))
	}
	if len(d.Seen) > 0 {
		words = append(words, phrase.Count(len(d.Seen), "workload")+" seen as another address")
	}
	if len(words) == 0 {
		return "no packet passes otherwise"
	}
	return strings.Join(words, "; ")
}

// firstOf is the first of some names, and how many more there are.
func firstOf(names []string) string {
	if len(names) > 1 {
		return fmt.Sprintf("%s (and %d more)", names[0], len(names)-1)
	}
	return names[0]
}

// sentence is a clause with a capital letter.
func sentence(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// format lays a document out anew: two blanks for each step in, one behind what separates, no blank at the end of a line. What it says, its
// order and its comments stay; where that cannot be told, nothing is changed.
func (s *server) format(_ context.Context, p documentParams) ([]textEdit, error) {
	d, _, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return []textEdit{}, nil
	}
	before := d.lines.String()
	after := laidOut(d.lines)
	if after == before {
		return []textEdit{}, nil
	}
	name := d.path
	was, is := text.One(name, before).First(), text.One(name, after).First()
	if _, problem := was.Tree(); problem != nil {
		return nil, errors.New("what is marked must be ended first: it is no YAML")
	}
	if edits, err := text.Between(was, is); err != nil || len(edits) > 0 {
		return nil, errors.New("it is written in a way that cannot be laid out without a doubt, and stays as it is")
	}
	edits := s.textEdits(d.lines, after, "")
	if edits == nil {
		edits = []textEdit{}
	}
	return edits, nil
}
