package editor

import (
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/text"
)

// This file marks in the text what is wrong or doubtful, in the words of check.

// Severities and tags of the protocol.
const (
	markError       = 1
	markWarning     = 2
	markInformation = 3
	tagUnnecessary  = 1
)

// unneeded are the rules that find what is there and does nothing.
func unneeded(code diag.Code) bool {
	switch code {
	case "needless-rule", "shadowed-rule", "never-wins", "changes-nothing", "nobody-asks", "empty-group", "waives-nothing", "said-twice", "dead-route", "nothing-passes":
		return true
	}
	return strings.HasPrefix(string(code), "idle")
}

// ofVerdict are what the rules and the lines of expect come to; none where that is not known.
func (x *state) ofVerdict() []diag.Finding {
	if x.verdict == nil {
		return nil
	}
	all := slices.Clone(x.verdict.Findings)
	for _, r := range x.verdict.Expected {
		if f, is := r.Finding(); is {
			all = append(all, f)
		}
	}
	return all
}

// findings are all that is to be told of a plan, by what is known of it.
func (x *state) findings() []diag.Finding {
	all := slices.Clone(x.estate.Problems)
	for _, f := range x.estate.Waits {
		f.Severity = diag.Pending
		all = append(all, f)
	}
	return append(all, x.ofVerdict()...)
}

// tell marks what is known of a plan in its files. What is still being judged keeps the marks that it had, where its lines are now.
func (s *server) tell(k *kept, x *state) {
	s.adopt(k, x)
	if x.verdict == nil && !x.estate.Plan.Unread && len(k.marked) > 0 && len(x.estate.Problems) == 0 {
		return // the whole comes in a moment
	}
	byFile := map[string][]diagnostic{}
	for path := range x.texts {
		byFile[path] = []diagnostic{}
	}
	for _, f := range x.findings() {
		path, at := x.extentOf(f.At, s.encoding)
		byFile[path] = append(byFile[path], s.diagnosticOf(x, f, at))
	}
	if old := k.judgedLast(); x.verdict == nil && old != nil {
		for _, f := range old.ofVerdict() {
			path, at := old.extentOf(f.At, s.encoding)
			if line, ok := k.lineNow(old, path, at.Start.Line); ok {
				at.End.Line += line - at.Start.Line
				at.Start.Line = line
				byFile[path] = append(byFile[path], s.diagnosticOf(old, f, at))
			}
		}
	}
	marked := map[string]bool{}
	for path, all := range byFile {
		uri, version := s.called(k, path, x)
		s.publish(publishParams{URI: uri, Version: version, Diagnostics: all})
		marked[uri] = true
	}
	for uri := range k.marked {
		if !marked[uri] {
			s.publish(publishParams{URI: uri, Diagnostics: []diagnostic{}})
		}
	}
	s.lock.Lock()
	k.marked = marked
	s.lock.Unlock()
}

// judgedLast is what was known of a plan when its verdict was; nil before one was.
func (k *kept) judgedLast() *state {
	k.lock.Lock()
	defer k.lock.Unlock()
	return k.judged
}

// adopt has documents that a plan has come to name belong to it.
func (s *server) adopt(k *kept, x *state) {
	s.lock.Lock()
	defer s.lock.Unlock()
	for _, d := range s.docs {
		if d.plan == nil && x.texts[d.path] != nil {
			d.plan = k
		}
	}
}

// called is how the editor calls a file, and the version of it that was read, where it is known to be that.
func (s *server) called(k *kept, path string, x *state) (uri string, version *int) {
	s.lock.Lock()
	defer s.lock.Unlock()
	for _, d := range s.docs {
		if d.path == path {
			if k.edits == x.edit {
				v := d.version
				version = &v
			}
			return d.uri, version
		}
	}
	return uriOf(path), nil
}

func (s *server) diagnosticOf(x *state, f diag.Finding, at extent) diagnostic {
	d := diagnostic{Range: at, Severity: markError, Code: string(f.Code), Source: "wendrik", Message: f.Message}
	switch f.Weight() {
	case diag.Warning:
		d.Severity = markWarning
	case diag.Pending:
		d.Severity, d.Message = markInformation, "not yet given: "+f.Message
	}
	if fix := f.Fix(); fix != "" {
		d.Message += "\n" + fix
	}
	if unneeded(f.Code) {
		d.Tags = []int{tagUnnecessary}
	}
	if s.can.TextDocument.PublishDiagnostics.RelatedInformation {
		for _, b := range f.Beside {
			path, other := x.extentOf(b.At, s.encoding)
			d.RelatedInformation = append(d.RelatedInformation, related{location{uriOf(path), other}, b.What})
		}
	}
	return d
}

// extentOf is the key, word or line of a list that starts at a place of a plan as it was read.
func (x *state) extentOf(at text.Pos, e encoding) (path string, where extent) {
	path, from := x.posOf(at)
	l := x.texts[path]
	return path, extent{l.positionOf(from, e), l.positionOf(spot{from.line, wordEnd(l.at(from.line), from.byte)}, e)}
}

// wordEnd is where the value ends that starts at a byte of a line: at the end of a line of a list, of a key, or of what stands in brackets.
func wordEnd(line string, from int) int {
	flow := strings.Count(line[:from], "[")+strings.Count(line[:from], "{") > strings.Count(line[:from], "]")+strings.Count(line[:from], "}")
	if from < len(line) && (line[from] == '{' || line[from] == '[') {
		depth := 0
		for i := from; i < len(line); i++ {
			switch line[i] {
			case '{', '[':
				depth++
			case '}', ']':
				if depth--; depth == 0 {
					return i + 1
				}
			}
		}
		return len(strings.TrimRight(line, " "))
	}
	_, end := scalarAt(line, from, flow)
	if end == from {
		return len(strings.TrimRight(line, " "))
	}
	return end
}
