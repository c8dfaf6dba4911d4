// Package mend makes the fixes of what check finds on a copy of the plan: those that findings carry, those that a person has
// chosen, and what wire adds where that ends a finding. It checks again, and says what came of it.
package mend

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"wendrik/internal/core/check"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wire"
)

// A Choice is a word that a person gives for the findings of a rule, everywhere or at a place.
type Choice struct {
	Code, Place string // Place is the name of a thing or its place in the plan; empty for everywhere
	Word        string
	used        bool
}

// ParseChoice reads CODE=WORD or CODE@PLACE=WORD.
func ParseChoice(s string) (c Choice, ok bool) {
	left, word, found := strings.Cut(s, "=")
	c.Code, c.Place, _ = strings.Cut(left, "@")
	c.Word = word
	return c, found && c.Code != "" && word != ""
}

// Result is what fixing findings comes to.
type Result struct {
	Made    []diag.Finding // what the changes end
	Asks    []diag.Finding // what a person must choose for; Choices says by which words
	Left    []diag.Finding // what no edit ends
	Failed  []Failure      // what could not be made, and why
	Changes text.Changes   // in the text as it is
	After   *estate.Estate // the estate then; the same where nothing is changed
	New     []diag.Finding // what check finds then and not before
	Opens   []grid.Difference
	Closes  []grid.Difference
	Against []plan.Expectation // lines that hold, and do not any longer once the changes are made
	Unused  []Choice           // choices for which nothing asks
}

// Failure is a finding whose fix could not be made.
type Failure struct {
	diag.Finding
	Why string
}

// Choices are the words by which a person can choose a fix of a finding; one in capitals stands for what must be given.
func Choices(f *diag.Finding) []string {
	var all []string
	for _, x := range f.Fixes {
		if x.Choice != "" {
			all = append(all, x.Choice)
		}
	}
	return all
}

// byWire are the rules of which wire may end what they find.
var byWire = []diag.Code{"access", "one-family", "no-route-back", "idle-peering", "idle-site", "idle-attachment", "site-does-not-know", "idle-gateway", "other-zone"}

// maxCompared is the largest estate, in workloads, of which it is worked out what fixes open.
const maxCompared = 5000

// Of makes the fixes of some findings of an estate, with what a person has chosen.
func Of(e *estate.Estate, findings []diag.Finding, choices []Choice, today time.Time) *Result {
	m := &mender{e: e, today: today, choices: choices, failed: map[int]bool{}, chosen: map[string]bool{}, Result: &Result{After: e}}
	fails := func(i int, why string) {
		m.failed[i] = true
		m.Failed = append(m.Failed, Failure{findings[i], why})
	}
	var open []diag.Finding // those for which nothing is made yet
	var picked []text.Change
	var of []int // the numbers of the findings that they are of
	for i, f := range findings {
		edits, chosen, err := m.pick(f)
		m.chosen[f.Message] = chosen
		switch {
		case err != nil:
			fails(i, err.Error())
		case len(edits) > 0 && f.Code != expect.Broken:
			picked, of = append(picked, text.Change{Edits: edits, Why: f.Message}), append(of, i)
		case !chosen:
			open = append(open, f)
		}
	}
	if len(picked) > 0 && m.try(picked...) != "" { // some cannot be made beside others: find out which
		for i, c := range picked {
			if why := m.try(c); why != "" {
				fails(of[i], why)
			}
		}
	}
	m.wire(open)
	m.judge(findings)
	if len(m.New) > len(m.Made) {
		for _, why := range m.fewer() {
			fails(slices.IndexFunc(findings, func(f diag.Finding) bool { return f.Message == why }), "more would be found then than is ended")
		}
		m.judge(findings)
	}
	for i, c := range m.choices {
		if !c.used {
			m.Unused = append(m.Unused, m.choices[i])
		}
	}
	return m.Result
}

type mender struct {
	*Result
	e       *estate.Estate
	today   time.Time
	choices []Choice
	failed  map[int]bool    // by the number of a finding
	chosen  map[string]bool // by the message of one
}

// pick gives the edits of a finding: those of the choice that was made for it, or else of the fix that needs none.
func (m *mender) pick(f diag.Finding) (edits []text.Edit, chosen bool, err error) {
	for i := range m.choices {
		c := &m.choices[i]
		if c.Code != string(f.Code) || c.Place != "" && !m.at(c.Place, f) {
			continue
		}
		for _, x := range f.Fixes {
			if x.Choice == c.Word && x.Takes == nil {
				c.used = true
				return x.Edits, true, nil
			}
		}
		for _, x := range f.Fixes {
			if x.Takes != nil {
				c.used = true
				edits, err = x.Takes(c.Word)
				return edits, true, err
			}
		}
	}
	return f.Edits(), false, nil
}

// at reports whether a finding is at a place that a person names.
func (m *mender) at(place string, f diag.Finding) bool {
	return check.At(m.e, place, f)
}

// try adds changes, and says why they cannot be made beside those before them; empty where they can.
func (m *mender) try(changes ...text.Change) (why string) {
	after, problems, err := m.e.With(append(slices.Clone(m.Changes), changes...))
	switch {
	case err != nil:
		return err.Error()
	case len(problems) > len(m.e.Problems):
		for _, p := range problems {
			if !slices.ContainsFunc(m.e.Problems, func(o diag.Finding) bool { return o.Message == p.Message }) {
				return p.Message
			}
		}
	}
	m.Changes, m.After = append(m.Changes, changes...), after
	return ""
}

// wire adds what wire would, for the networks, hubs and sites of findings that it may end.
func (m *mender) wire(open []diag.Finding) {
	concerned, lines := map[string]bool{}, map[string]bool{}
	for _, f := range open {
		if f.Code == expect.Broken {
			lines[lineOf(f)] = true
		}
		if slices.Contains(byWire, f.Code) {
			for _, word := range m.around(f) {
				concerned[word] = true
			}
		}
	}
	if len(concerned) > 0 {
		if r := wire.Access(m.After); r.Uneditable == nil {
			m.wired(r.Changes, concerned, open)
		}
	}
	if len(lines) > 0 {
		r := wire.Expectations(m.After)
		for _, c := range r.Changes {
			if line, _, _ := strings.Cut(strings.TrimPrefix(c.Why, `"`), `", and `); lines[line] && r.Uneditable == nil {
				m.after(c)
			}
		}
	}
}

// wired adds those of wire's changes that concern some networks, hubs and sites, where they end a finding there.
func (m *mender) wired(changes text.Changes, concerned map[string]bool, open []diag.Finding) {
	before, with := m.Changes, m.After
	add := func() {
		m.Changes, m.After = before, with
		for _, c := range changes {
			if len(c.Edits) > 0 && concerned[about(c.Edits[0])] {
				m.after(c)
			}
		}
	}
	add()
	now, _ := check.Judge(m.After, m.today)
	useful := map[string]bool{}
	for _, f := range open {
		if slices.Contains(byWire, f.Code) && !has(now, f) {
			for _, word := range m.around(f) {
				useful[word] = true
			}
		}
	}
	if len(useful) < len(concerned) {
		concerned = useful
		add()
	}
}

// lineOf is the line of expect that a finding is about.
func lineOf(f diag.Finding) string {
	line, _, _ := strings.Cut(strings.TrimPrefix(f.Message, `"`), `" does not hold`)
	return line
}

// about is what an edit is in: a network, a site, a hub, as kind and name.
func about(e text.Edit) string {
	path := e.Path
	if len(path) < 2 {
		return path.String()
	}
	return path[:2].String()
}

// around are the networks, hubs and sites on which wire may end a finding, likewise.
func (m *mender) around(f diag.Finding) []string {
	if len(f.Place) < 2 {
		return nil
	}
	all := []string{f.Place[:2].String()}
	add := func(o estate.Object) { all = append(all, o.Place().String()) }
	switch f.Place[0] {
	case "peerings":
		if p := m.e.Peering(f.Place[1]); p != nil {
			add(p.Between[0])
			add(p.Between[1])
		}
	case "sites":
		if s := m.e.Site(f.Place[1]); s != nil && s.Link != nil {
			add(s.Link)
		}
	case "hubs":
		if h := m.e.Hub(f.Place[1]); h != nil {
			for _, a := range h.Attachments {
				add(a.To())
			}
		}
	}
	return all
}

// after adds a change that was worked out in the estate with the changes so far.
func (m *mender) after(c text.Change) {
	edits := slices.Clone(c.Edits)
	for i := range edits {
		edits[i] = m.Changes.Before(edits[i])
	}
	c.Edits = edits
	m.try(c)
}

// fewer makes the changes anew, without those that leave more findings than there were before them, and that nobody has chosen. It gives
// the messages of the findings that stay.
func (m *mender) fewer() (stay []string) {
	changes, left := m.Changes, len(found(m.e, m.today))
	m.Result = &Result{After: m.e, Failed: m.Failed}
	for _, c := range changes {
		before, with := m.Changes, m.After
		if m.try(c) != "" {
			continue
		}
		now := len(found(m.After, m.today))
		if now <= left || m.chosen[c.Why] {
			left = now
			continue
		}
		m.Changes, m.After = before, with
		if _, one := m.chosen[c.Why]; one {
			stay = append(stay, c.Why)
		}
	}
	return stay
}

// found is all that check finds in an estate, and the lines of expect that do not hold.
func found(e *estate.Estate, today time.Time) []diag.Finding {
	all, _ := check.Judge(e, today)
	for _, r := range expect.Run(e, nil) {
		if f, is := r.Finding(); is {
			all = append(all, f)
		}
	}
	return all
}

// judge checks again, and sorts the findings by what became of them.
func (m *mender) judge(findings []diag.Finding) {
	if len(m.Changes) == 0 {
		for i, f := range findings {
			m.stays(i, f)
		}
		return
	}
	was, now := found(m.e, m.today), found(m.After, m.today)
	for i, f := range findings {
		if m.failed[i] || has(now, f) {
			m.stays(i, f)
		} else {
			m.Made = append(m.Made, f)
		}
	}
	for _, f := range now {
		if !has(was, f) {
			m.New = append(m.New, f)
		}
	}
	closes := true // where nobody knows
	if len(m.e.Workloads) <= maxCompared {
		d := compare.Effect(m.e, m.After)
		m.Opens, m.Closes, closes = d.Opens, d.Closes, len(d.Closes) > 0
	}
	m.Against = expect.NoLonger(m.e, m.After, closes)
}

// has reports whether a finding is among others, wherever it stands in the text.
func has(all []diag.Finding, f diag.Finding) bool {
	return slices.ContainsFunc(all, func(o diag.Finding) bool {
		if f.Code == expect.Broken {
			return o.Code == f.Code && lineOf(o) == lineOf(f)
		}
		return o.Code == f.Code && slices.Equal(o.Place, f.Place) && o.Message == f.Message
	})
}

// stays sorts a finding that is there still.
func (m *mender) stays(i int, f diag.Finding) {
	switch {
	case m.failed[i]:
	case len(Choices(&f)) > 0:
		m.Asks = append(m.Asks, f)
	default:
		m.Left = append(m.Left, f)
	}
}

// Ask is the word with which a person answers for a finding on the command line, with the choices that it has.
func Ask(f *diag.Finding) string {
	place := f.Place.String()
	return fmt.Sprintf("%s@%s=%s", f.Code, cmp.Or(place, "."), strings.Join(Choices(f), "|"))
}
