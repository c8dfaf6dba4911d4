package text

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v4"
)

// This file writes a list that outgrows its line in brackets as lines with dashes.

// tooLong is from where on a line is written anew although its author let it outgrow the others.
const tooLong = 160

// unbracket puts a list in brackets that grows, or the mapping in brackets that it stands in, onto lines of their own below the key, where they would
// outgrow the line. It reports false, and patches nothing, where they would not, or where more is done inside the brackets.
func (ed *editor) unbracket(at *yaml.Node, where place, list []*growth) bool {
	if at.Kind != yaml.SequenceNode || len(at.Content) == 0 || len(ed.gone[at]) > 0 || ed.quotes() || where.parent == nil || where.key == nil {
		return false
	}
	outer, key, around := at, where.key, where
	if where.parent.Style&yaml.FlowStyle != 0 {
		if where.parent.Kind != yaml.MappingNode || where.above == nil || where.above.parent == nil || where.above.key == nil {
			return false
		}
		outer, key, around = where.parent, where.above.key, *where.above
	}
	if around.parent.Kind != yaml.MappingNode || around.parent.Style&yaml.FlowStyle != 0 || outer.Anchor != "" || at.Anchor != "" {
		return false
	}
	start := ed.contentStart(outer)
	end, err := ed.end(outer)
	if err != nil || key.Line != outer.Line || strings.Contains(ed.src.Text[start:end], "\n") || ed.busy(at, start, end) {
		return false
	}
	first, last := ed.lineStart(start), end
	for last < len(ed.src.Text) && ed.src.Text[last] != '\n' {
		last++
	}
	was, more := last-first, 0
	for _, g := range list {
		if g.key != "" || g.value == nil || !g.lines {
			return false
		}
		more += len(g.flow(false)) + 2
	}
	if was+more <= maxLine || was > maxLine && was+more <= tooLong {
		return false
	}
	lines, ok := ed.asLines(at, outer, list, key.Column-1+ed.step(at, around))
	if !ok {
		return false
	}
	for start > 0 && ed.src.Text[start-1] == ' ' {
		start--
	}
	ed.patches = append(ed.patches, Patch{start, end, "", around.depth})
	ed.insertLines(end, around.depth, lines)
	return true
}

// busy reports whether anything but the growth of one list is done between two bytes.
func (ed *editor) busy(at *yaml.Node, start, end int) bool {
	inside := func(n *yaml.Node) bool {
		o := ed.offset(n)
		return n != at && n.Line > 0 && o >= start && o < end
	}
	for n := range ed.gone {
		if len(ed.gone[n]) > 0 && inside(n) {
			return true
		}
	}
	return slices.ContainsFunc(ed.order, inside) || slices.ContainsFunc(ed.patches, func(p Patch) bool { return p.Start < end && p.End > start })
}

// asLines writes a list with what is added to it, or the mapping around it, as lines behind an indent.
func (ed *editor) asLines(at, outer *yaml.Node, list []*growth, indent int) (lines string, ok bool) {
	pad, eol := strings.Repeat(" ", indent), ed.lineEnd()
	source := func(n *yaml.Node) string {
		end, err := ed.end(n)
		ok = ok && err == nil
		if err != nil {
			return ""
		}
		return ed.src.Text[ed.offset(n):end]
	}
	items := func(pad string) string {
		var all []string
		put := func(before int) {
			for _, g := range list {
				if g.before == before || before == 0 && g.before > len(at.Content) {
					all = append(all, pad+"- "+g.value.text(false)+eol)
				}
			}
		}
		for i, n := range at.Content {
			put(i + 1)
			all = append(all, pad+"- "+source(n)+eol)
		}
		put(0)
		return strings.Join(all, "")
	}
	ok = true
	if outer == at {
		return items(pad), ok
	}
	for i := 0; i < len(outer.Content); i += 2 {
		k, v := outer.Content[i], outer.Content[i+1]
		if v == at {
			lines += pad + source(k) + ":" + eol + items(pad+strings.Repeat(" ", 2))
			continue
		}
		lines += strings.TrimRight(pad+source(k)+": "+source(v), " ") + eol
	}
	return lines, ok
}
