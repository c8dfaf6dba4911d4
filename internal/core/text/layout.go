package text

import (
	"strings"

	"go.yaml.in/yaml/v4"
)

// This file writes fields and what grows, on one line or on several.

// maxFlow is how long an entry with others inside it may be on the line of the mapping that it goes into.
const maxFlow = 90

// maxWide is how long a line with a mapping in brackets may get by an entry with others inside it.
const maxWide = 160

// maxLine is how long a line may be that an edit writes, before what it holds gets lines of its own.
const maxLine = 100

// flowPad is what stands before an entry that goes onto a line of its own in a mapping in brackets: where the last entry
// has one, or the new one is long and has others inside it, or makes the line long.
func (ed *editor) flowPad(at *yaml.Node, g *growth, text string) (pad string, apart bool) {
	if at.Kind != yaml.MappingNode || len(at.Content) == 0 || ed.quotes() {
		return "", false
	}
	last := ed.offset(at.Content[len(at.Content)-2])
	if before := ed.src.Text[ed.lineStart(last):last]; strings.TrimSpace(before) == "" && len(at.Content) > 2 {
		return before, true
	}
	if g.value != nil && g.value.kind == yaml.ScalarNode {
		return "", false
	}
	line := ed.src.Text[ed.lineStart(ed.offset(at)):]
	end, err := ed.end(at)
	wide := err == nil && len(text) > maxFlow/3 && end-ed.lineStart(last)+len(text) > maxWide
	if len(text) <= maxFlow && !wide {
		return "", false
	}
	return line[:len(line)-len(strings.TrimLeft(line, " "))] + "    ", true
}

// flowLines writes the growth in brackets, with what is long and has others inside it on several lines.
func (g *growth) flowLines(pad, lineEnd string) string {
	if g.value != nil && g.key != "" {
		return Field{g.key, *g.value}.flowLines(pad, lineEnd)
	}
	if short := g.flow(false); g.value != nil || len(short) <= maxFlow || len(g.inside) == 0 || g.inside[0].key == "" {
		return short
	}
	text := quoted(g.key, false) + ": {" + lineEnd
	for i, x := range g.inside {
		text += pad + "  " + x.flowLines(pad+"  ", lineEnd)
		if i < len(g.inside)-1 {
			text += "," + lineEnd
		}
	}
	return text + "}"
}

// maxShort is how long an entry with others inside it may be that goes onto one line below entries that all stand on theirs.
const maxShort = 70

// onOneLine reports whether no entry of a mapping in lines has lines of its own: what is added and short follows them.
func onOneLine(m *yaml.Node) bool {
	for i := 1; m.Kind == yaml.MappingNode && i < len(m.Content); i += 2 {
		if v := m.Content[i]; v.Kind != yaml.ScalarNode && v.Style&yaml.FlowStyle == 0 {
			return false
		}
	}
	return m.Kind == yaml.MappingNode
}

// block writes what grows as lines of their own; what is short has only one where that is asked for.
func (ed *editor) block(list []*growth, indent, step int, short bool) string {
	var b strings.Builder
	eol := ed.lineEnd()
	for _, g := range list {
		b.WriteString(strings.Repeat(" ", indent))
		switch {
		case g.value == nil && short && indent+len(g.flow(false)) <= maxShort:
			b.WriteString(g.flow(false))
		case g.value == nil:
			b.WriteString(quoted(g.key, false) + ":" + eol + ed.block(g.inside, indent+step, step, false))
			continue
		case g.key == "":
			b.WriteString("- " + g.value.text(false))
		default:
			b.WriteString(Field{g.key, *g.value}.block(indent, step, eol))
			continue
		}
		b.WriteString(eol)
	}
	return b.String()
}

// block writes a field behind an indent: on one line where that is not long, else with what it holds on lines of their own.
func (f Field) block(indent, step int, eol string) string {
	line := f.text(false)
	if v := f.Value; indent+len(line) <= maxLine || v.kind == yaml.ScalarNode || len(v.list)+len(v.fields) == 0 {
		return line + eol
	}
	all, inner := quoted(f.Key, false)+":"+eol, strings.Repeat(" ", indent+step)
	for _, x := range f.Value.fields {
		all += inner + x.block(indent+step, step, eol)
	}
	for _, x := range f.Value.list {
		all += inner + "- " + x.text(false) + eol
	}
	return all
}

// flowLines writes a field inside brackets behind a pad, with what it holds on lines of their own where it is long.
func (f Field) flowLines(pad, eol string) string {
	line := f.text(false)
	if v := f.Value; len(pad)+len(line) <= maxLine || v.kind == yaml.ScalarNode || len(v.list)+len(v.fields) == 0 {
		return line
	}
	var inside []string
	for _, x := range f.Value.fields {
		inside = append(inside, x.flowLines(pad+"  ", eol))
	}
	for _, x := range f.Value.list {
		inside = append(inside, x.text(false))
	}
	start, end := "{", "}"
	if f.Value.kind == yaml.SequenceNode {
		start, end = "[", "]"
	}
	return quoted(f.Key, false) + ": " + start + eol + pad + "  " + strings.Join(inside, ","+eol+pad+"  ") + end
}

// flow writes what grows inside brackets.
func (g *growth) flow(quotes bool) string {
	switch {
	case g.value == nil:
		return quoted(g.key, quotes) + ": " + flowAll(g.inside, quotes)
	case g.key == "":
		return g.value.text(quotes)
	}
	return Field{g.key, *g.value}.text(quotes)
}

func flowAll(list []*growth, quotes bool) string {
	var items []string
	for _, g := range list {
		items = append(items, g.flow(quotes))
	}
	if len(list) > 0 && list[0].key == "" {
		return "[" + strings.Join(items, ", ") + "]"
	}
	return "{" + strings.Join(items, ", ") + "}"
}
