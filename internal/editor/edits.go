package editor

import (
	"errors"
	"fmt"

	"github.com/aymanbagabas/go-udiff"

	"wendrik/internal/core/text"
)

// This file puts changes of a plan into the words in which an editor makes them.

var errMoved = errors.New("the plan was edited meanwhile: ask again")

// difference is what makes the files of a plan say what others of the same names say; with a reason, it is one that a person is shown first.
func (s *server) difference(k *kept, x *state, after *text.Files, why *annotation) (*workspaceEdit, error) {
	if s.editOf(k) != x.edit {
		return nil, errMoved
	}
	w := &workspaceEdit{}
	label := ""
	if ws := s.can.Workspace.WorkspaceEdit; why != nil && ws.DocumentChanges && ws.ChangeAnnotationSupport != nil {
		label = "why"
		w.ChangeAnnotations = map[string]annotation{label: *why}
	}
	for _, f := range after.All() {
		l, is := x.texts[f.Name]
		if !is {
			return nil, fmt.Errorf("%s is no file of the plan", f.Name)
		}
		edits := s.textEdits(l, f.Text, label)
		if len(edits) == 0 {
			continue
		}
		uri, version := s.called(k, f.Name, x)
		if s.can.Workspace.WorkspaceEdit.DocumentChanges {
			w.DocumentChanges = append(w.DocumentChanges, textDocumentEdit{optionalVersionedID{uri, version}, edits})
			continue
		}
		if w.Changes == nil {
			w.Changes = map[string][]textEdit{}
		}
		w.Changes[uri] = edits
	}
	return w, nil
}

// textEdits are the edits that make a text another one.
func (s *server) textEdits(l lines, after, label string) []textEdit {
	before := l.String()
	var all []textEdit
	n, start := 0, 0 // the line that a byte of the text is in, and where that starts
	place := func(offset int) position {
		for n < len(l)-1 && start+len(l[n]) <= offset {
			start += len(l[n])
			n++
		}
		return l.positionOf(spot{n, offset - start}, s.encoding)
	}
	for _, e := range udiff.Lines(before, after) {
		from := place(e.Start)
		all = append(all, textEdit{extent{from, place(e.End)}, e.New, label})
	}
	return all
}
