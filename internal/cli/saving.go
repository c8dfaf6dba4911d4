package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"

	"github.com/aymanbagabas/go-udiff"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/replace"
	"wendrik/internal/session"
)

// This file writes plans: what is to be written is shown, read back, and put into its files, all of them or none.

// save writes edits into the plan, and shows the difference that they make when it is asked to.
func (s *screen) save(name string, src *text.Files, changes text.Changes, show bool) error {
	return s.saveEdits(name, src, changes.OnLines().Edits(), show)
}

func (s *screen) saveEdits(name string, src *text.Files, edits []text.Edit, show bool) error {
	if name == "-" || name == standardInput {
		return &usageError{"standard input cannot be written to", "name the plan with  -plan FILE"}
	}
	changed, err := src.Apply(edits)
	if err != nil {
		return uneditable(name, err)
	}
	if err := readBack(src, changed); err != nil {
		return err
	}
	for _, one := range changed {
		if !show {
			break
		}
		if err := s.showChange(one); err != nil {
			return err
		}
	}
	if s.out.lost != nil {
		return &usageError{"the difference could not be shown", "nothing was written"}
	}
	return s.replaceAll(src.First().Name, changed)
}

// changedFiles are the files of a plan that say something else in another state of it.
func changedFiles(was, is *text.Files) []text.Changed {
	var all []text.Changed
	after := map[string]string{}
	for _, f := range is.All() {
		after[f.Name] = f.Text
	}
	for _, f := range was.All() {
		if after, there := after[f.Name]; there && after != f.Text {
			all = append(all, text.Changed{File: f, After: after})
		}
	}
	return all
}

// saveChanged writes files of a plan that were changed as a whole, once they are read back.
func (s *screen) saveChanged(name string, src *text.Files, changed []text.Changed) error {
	if name == "-" || name == standardInput {
		return &usageError{"standard input cannot be written to", "name the plan with  -plan FILE"}
	}
	if err := readBack(src, changed); err != nil {
		return err
	}
	return s.replaceAll(src.First().Name, changed)
}

// showChanged shows what becomes of files, with so many lines around each change.
func (s *screen) showChanged(changed []text.Changed, around int) error {
	for _, one := range changed {
		unified, err := udiff.ToUnified(one.Name, one.Name, one.Text, udiff.Lines(one.Text, one.After), around)
		if err != nil {
			return err
		}
		s.say("")
		s.diff(recounted(unified))
	}
	s.say("")
	return nil
}

// makeSo writes changed files where that is asked for, and says how many things that were; else it says, to a person, how to have it done.
func (c *call) makeSo(o *opened, changed []text.Changed, write, person bool, things string) error {
	if !write {
		if person {
			c.say("\nto make it so:  the same command with  -write")
		}
		return nil
	}
	if err := c.saveChanged(o.label, o.Plan.Files, changed); err != nil {
		return err
	}
	c.written(person, "written to %s: %s", clean(o.label), things)
	return nil
}

// preview shows what edits would make of a plan, below an empty line.
func (s *screen) preview(name string, src *text.Files, edits []text.Edit) error {
	changed, err := src.Apply(edits)
	if err != nil {
		return uneditable(name, err)
	}
	s.say("")
	for _, one := range changed {
		if err := s.showChange(one); err != nil {
			return err
		}
	}
	return nil
}

// replaceAll writes files of a plan, all of them or none.
func (s *screen) replaceAll(plan string, changed []text.Changed) error {
	var all []replace.Change
	for _, one := range changed {
		all = append(all, replace.Change{Name: one.Name, Before: one.Text, After: one.After})
	}
	named := func(name string) string { // as it was named
		for _, one := range changed {
			if path, err := filepath.Abs(one.Name); err == nil && path == name {
				return one.Name
			}
		}
		return name
	}
	linked, err := replace.Files(plan, all)
	for _, name := range linked {
		s.tell("%s has another name (a hard link), which keeps the old text", clean(named(name)))
	}
	var which *replace.NotWritten
	if errors.As(err, &which) {
		return writeError(named(which.Name), which.Err)
	}
	return err
}

// recovered puts back what a program that was killed has left half written of a plan, and tells of it.
func (s *screen) recovered(name string) error {
	back, err := replace.Recover(name)
	if len(back) > 0 {
		s.tell("a change of %s was interrupted while it was written; it was taken back in %s", clean(name), phrase.Names(back, func(f string) string { return clean(filepath.Base(f)) }))
	}
	var which *replace.NotWritten
	switch {
	case errors.As(err, &which) && errors.Is(err, replace.ErrChanged):
		s.tell("a change of %s was interrupted while it was written; %s was edited since, and stays as it is", clean(name), clean(which.Name))
	case err != nil:
		return &usageError{fmt.Sprintf("a change of %s was interrupted while it was written, and cannot be taken back: %s", name, session.Reason(err)), "try again; or look at the parts of the plan yourself"}
	}
	return nil
}

// readBack reads what is to be written as the next command would, and refuses it where that has a problem which the text does not have, or
// where a plan of something becomes one of nothing.
func readBack(src *text.Files, changed []text.Changed) error {
	if len(changed) == 0 {
		return nil
	}
	was, before := estate.Load(src)
	is, after := estate.Load(src.With(changed))
	had := map[string]bool{}
	for _, p := range before {
		had[string(p.Code)+p.Place.String()+p.Message] = true
	}
	for _, p := range after {
		if !had[string(p.Code)+p.Place.String()+p.Message] && len(after) > len(before) {
			return &usageError{fmt.Sprintf("what would be written is no plan that can be read: %s: %s", clean(p.Place.String()), clean(p.Message)), "nothing was written"}
		}
	}
	size := func(e *estate.Estate) int { return len(e.Networks) + len(e.Workloads) + len(e.Sites) + len(e.Hubs) }
	if size(was) > 0 && size(is) == 0 {
		return &usageError{fmt.Sprintf("what would be written is a plan of nothing, in the place of one with %s and %s", phrase.Count(len(was.Networks), "network"), phrase.Count(len(was.Workloads), "workload")), "nothing was written; where that is meant, make an empty plan with  wendrik new"}
	}
	return nil
}

// showChange shows the difference that edits make in a file.
func (s *screen) showChange(c text.Changed) error {
	shown := c.Patches[:min(len(c.Patches), maxRows)]
	unified, err := udiff.ToUnified(c.Name, c.Name, c.Text, inLines(c.Text, shown), 1)
	if err != nil {
		return err
	}
	s.diff(recounted(unified))
	if left := len(c.Patches) - len(shown); left > 0 {
		s.say("%s", dim.Sprintf("%d more changes are not shown", left))
	}
	return nil
}

var hunk = regexp.MustCompile(`(?m)^@@ -(\d+),(\d+) \+\d+,(\d+) @@$`)

// recounted is a unified difference with the new line numbers counted from the old ones: the library loses count of the lines
// between two edits of one hunk.
func recounted(unified string) string {
	more := 0
	return hunk.ReplaceAllStringFunc(unified, func(head string) string {
		var n [3]int
		for i, digits := range hunk.FindStringSubmatch(head)[1:] {
			n[i], _ = strconv.Atoi(digits)
		}
		head = fmt.Sprintf("@@ -%d,%d +%d,%d @@", n[0], n[1], n[0]+more, n[2])
		more += n[2] - n[1]
		return head
	})
}

// inLines are patches as edits of whole lines, those of neighbouring lines together, without the lines that stay.
func inLines(content string, patches []text.Patch) []udiff.Edit {
	start := func(i int) int { return strings.LastIndexByte(content[:i], '\n') + 1 }
	stop := func(i int) int {
		if i > 0 && content[i-1] == '\n' {
			return i
		}
		if n := strings.IndexByte(content[i:], '\n'); n >= 0 {
			return i + n + 1
		}
		return len(content)
	}
	var all []udiff.Edit
	for i := 0; i < len(patches); {
		from, to := start(patches[i].Start), stop(patches[i].End)
		var is strings.Builder
		at := from
		for first := i; i < len(patches) && (i == first || patches[i].Start < to || start(patches[i].Start) <= to && patches[i].End > patches[i].Start); {
			is.WriteString(content[at:patches[i].Start] + patches[i].Text)
			at = patches[i].End
			to = max(to, stop(at))
			i++
		}
		is.WriteString(content[at:to])
		all = append(all, trimmed(content, from, to, is.String()))
	}
	return all
}

// trimmed is an edit of some lines without those at its start and end that stay.
func trimmed(content string, from, to int, is string) udiff.Edit {
	for {
		n := strings.IndexByte(is, '\n') + 1
		if n == 0 || from+n > to || content[from:from+n] != is[:n] {
			break
		}
		from, is = from+n, is[n:]
	}
	for {
		n := strings.LastIndexByte(strings.TrimSuffix(is, "\n"), '\n') + 1
		last := is[n:]
		if last == "" || to-len(last) < from || content[to-len(last):to] != last || to-len(last) > 0 && content[to-len(last)-1] != '\n' {
			break
		}
		to, is = to-len(last), is[:n]
	}
	return udiff.Edit{Start: from, End: to, New: is}
}

func uneditable(name string, err error) error {
	return &usageError{fmt.Sprintf("%s cannot be edited: %s", name, err), "nothing was written"}
}

// writeError says in a sentence why a file was not written; nil where it was.
func writeError(name string, err error) error {
	fix := map[error]string{
		replace.ErrChanged:  "run the command again, on what stands there now",
		replace.ErrBusy:     "run the command again when they are done",
		replace.ErrReadOnly: "make it writable first:  chmod u+w " + name,
		replace.ErrNotFile:  "name a file with  -plan FILE",
		replace.ErrOwner:    "have its owner run the command",
	}
	for reason, right := range fix {
		if errors.Is(err, reason) {
			return &usageError{fmt.Sprintf("%s was not written: %s", name, reason), right}
		}
	}
	if err != nil {
		return &usageError{fmt.Sprintf("%s was not written: %s", name, session.Reason(err)), "it is as it was"}
	}
	return nil
}

// unified is the difference of two texts of one file, in unified form with a line around each change.
func unified(name, was, is string) string {
	edits := udiff.Lines(was, is)
	s, err := udiff.ToUnified(name, name, was, edits, 1)
	if err != nil {
		return ""
	}
	return recounted(s)
}
