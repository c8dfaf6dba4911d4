package text

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"
)

// This file writes what is in brackets, and outgrows its line, as lines with indents and dashes.

// tooLong is from where on a line is written anew although its author let it outgrow the others.
const tooLong = 160

// little is by how much a line may outgrow the others without being written anew: another address in the place of one is no reason.
const little = 12

// unfold makes the edits in a text in which whatever they let outgrow its line in brackets has been given lines of its own, one level after
// another. It reports false where nothing does, or none of it can be written so; an edit that is to be taken back byte for byte does not ask.
func (ed *editor) unfold(edits []Edit) (*File, []Patch, bool) {
	if ed.quotes() || !slices.ContainsFunc(edits, func(e Edit) bool { return e.Lines }) {
		return nil, nil, false
	}
	var first []Patch
	for _, p := range ed.outgrown() {
		first = append(first, ed.onLines(p)...)
	}
	if len(first) == 0 {
		return nil, nil, false
	}
	slices.SortStableFunc(first, func(a, b Patch) int { return a.Start - b.Start })
	made, err := patchedWith(ed.src.Text, first)
	if err != nil {
		return nil, nil, false
	}
	unfolded := &File{Name: ed.src.Name, Text: made}
	root, problem := unfolded.own()
	if problem != nil || root == nil || !sameTree(ed.root, root) {
		return nil, nil, false
	}
	after, then, err := unfolded.applyWhole(edits)
	if err != nil {
		return nil, nil, false
	}
	return after, composed(first, then, made), true
}

// outgrown are the outermost brackets that the patches make too long for their lines, each with the place where it stands.
func (ed *editor) outgrown() []place {
	var all []place
	seen := map[*yaml.Node]bool{}
	for _, where := range ed.changed {
		for where.parent != nil && where.parent.Style&yaml.FlowStyle != 0 {
			where = *where.above
		}
		if n := where.node; where.parent != nil && n.Style&yaml.FlowStyle != 0 && len(n.Content) > 0 && !seen[n] {
			seen[n] = true
			if ed.outgrows(n) {
				all = append(all, where)
			}
		}
	}
	return all
}

// outgrows reports whether the patches make brackets go over lines that stood on one, or their line too long.
func (ed *editor) outgrows(n *yaml.Node) bool {
	start := ed.contentStart(n)
	end, err := ed.end(n)
	if err != nil || strings.Contains(ed.src.Text[start:end], "\n") {
		return false
	}
	inside, from := "", start
	for _, p := range ed.patches {
		if p.Start > start && p.End <= end && p.Start >= from && p.Start < end {
			inside += ed.src.Text[from:p.Start] + p.Text
			from = p.End
		}
	}
	first, last := ed.lineStart(start), ed.lineStop(end)
	was := last - first
	is := was - (end - start) + len(inside) + end - from
	return strings.Contains(inside, "\n") || is-was > little && (is > tooLong || is > maxLine && was <= maxLine)
}

// onLines are the patches that write one level of brackets as lines; none where they cannot be written so.
func (ed *editor) onLines(at place) []Patch {
	n := at.node
	start, indent, first := ed.offset(n), n.Column-1, ""
	end, err := ed.end(n)
	inList := at.parent.Kind == yaml.SequenceNode
	if err != nil || n.Anchor != "" || ed.contentStart(n) != start || inList && n.Kind == yaml.SequenceNode {
		return nil
	}
	if !inList {
		if at.key == nil || at.key.Line != n.Line {
			return nil
		}
		indent = at.key.Column - 1 + ed.step(n, at)
	}
	var lines []string
	source := func(n *yaml.Node) string {
		stop, wrong := ed.end(n)
		if wrong != nil {
			err = wrong
			return ""
		}
		return ed.src.Text[ed.offset(n):stop]
	}
	for i := 0; i < len(n.Content); i++ {
		if n.Kind == yaml.SequenceNode {
			lines = append(lines, "- "+source(n.Content[i]))
			continue
		}
		line := source(n.Content[i]) + ":"
		if v := n.Content[i+1]; !nothing(v) || v.Value != "" {
			line += " " + source(v)
		}
		lines, i = append(lines, line), i+1
	}
	if err != nil {
		return nil
	}
	if inList {
		first, lines = lines[0], lines[1:]
	} else {
		for start > 0 && ed.src.Text[start-1] == ' ' {
			start--
		}
	}
	var rest strings.Builder
	for _, line := range lines {
		rest.WriteString(strings.Repeat(" ", indent) + line + ed.lineEnd())
	}
	return []Patch{{Start: start, End: end, Text: first}, ed.wholeLines(end, at.depth, rest.String())}
}

// composed are the patches that do at once what some do, and then others in the text that those made.
func composed(first, then []Patch, made string) []Patch {
	var out []Patch
	for shift := 0; len(first)+len(then) > 0; {
		start := len(made)
		if len(first) > 0 {
			start = first[0].Start + shift
		}
		if len(then) > 0 {
			start = min(start, then[0].Start)
		}
		was, end, at, text := start-shift, start, start, "" // what lies together, in the text between
		for {
			switch {
			case len(first) > 0 && first[0].Start+shift <= end:
				p := first[0]
				end = max(end, p.Start+shift+len(p.Text))
				first, shift = first[1:], shift+len(p.Text)-(p.End-p.Start)
				continue
			case len(then) > 0 && then[0].Start <= end:
				text += made[at:then[0].Start] + then[0].Text
				at, end, then = then[0].End, max(end, then[0].End), then[1:]
				continue
			}
			break
		}
		out = append(out, Patch{Start: was, End: end - shift, Text: text + made[at:end]})
	}
	return out
}
