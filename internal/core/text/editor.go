package text

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// editor collects the patches for one text.
type editor struct {
	src     *File
	root    *yaml.Node
	keys    map[*yaml.Node]map[string]int // where the keys of a mapping are, once asked for
	grown   map[*yaml.Node][]*growth      // what is added to each mapping or list
	order   []*yaml.Node                  // the keys of grown, as they came
	changed []place                       // where edits write
	were    map[*yaml.Node][]*yaml.Node   // the elements of a list before it was changed
	gone    map[*yaml.Node]map[int]bool   // what is taken out of each mapping or list, by its number from 0
	parents map[*yaml.Node]place
	patches []Patch
}

// place is where a mapping or list that grows stands: its key in its parent, and how deep.
type place struct {
	node        *yaml.Node
	parent, key *yaml.Node
	depth       int
	above       *place // where the parent stands
}

// growth is an entry or element that is added, perhaps with others inside it.
type growth struct {
	key    string
	value  *Value // nil when inside holds the entries
	inside []*growth
	before int
}

// find gives the value of a key in a mapping and the index of the key, or nil. Of a list, a number is the key of an element,
// from 1, as it was before any edit.
func (ed *editor) find(m *yaml.Node, key string) (value *yaml.Node, index int) {
	if m.Kind == yaml.SequenceNode {
		were := ed.elements(m)
		nth, err := strconv.Atoi(key)
		if err != nil || nth < 1 || nth > len(were) {
			return nil, -1
		}
		return were[nth-1], nth - 1
	}
	if m.Kind != yaml.MappingNode {
		return nil, -1
	}
	index, found := -1, false
	if len(m.Content) > 32 {
		if ed.keys[m] == nil {
			ed.keys[m] = make(map[string]int, len(m.Content)/2)
			for i := 0; i < len(m.Content); i += 2 {
				ed.keys[m][m.Content[i].Value] = i
			}
		}
		index, found = ed.keys[m][key]
	} else {
		for i := 0; i < len(m.Content) && !found; i += 2 {
			index, found = i, m.Content[i].Value == key
		}
	}
	if !found {
		return nil, -1
	}
	return m.Content[index+1], index
}

// hollow reports whether nothing is in a node yet, so that it can become a mapping or a list.
func hollow(n *yaml.Node) bool {
	return nothing(n) || (n.Kind != yaml.ScalarNode && len(n.Content) == 0)
}

// plan notes what one edit asks for: a patch at once where an entry is replaced, else something that grows.
func (ed *editor) plan(e Edit) error {
	at := ed.root
	where := place{node: ed.root}
	rest := e.Path
	for len(rest) > 0 {
		value, i := ed.find(at, rest[0])
		if value == nil {
			break
		}
		if value.Kind == yaml.AliasNode || value.Anchor != "" {
			return fmt.Errorf("%s is written once and used in several places (&, *); write it out to have it edited",
				strings.Join(e.Path[:len(e.Path)-len(rest)+1], "."))
		}
		above := where
		where = place{value, at, at.Content[i], where.depth + 1, &above}
		at, rest = value, rest[1:]
		if hollow(value) {
			break
		}
	}
	if e.Remove {
		if len(rest) > 0 {
			return nil
		}
		if e.Key == "" {
			return ed.removeElement(at, e.Nth)
		}
		return ed.remove(at, e.Key)
	}
	ed.changed = append(ed.changed, where)
	if e.Put {
		return ed.put1(at, len(rest), e)
	}
	if len(rest) == 0 && e.Key == "" && at.Kind == yaml.ScalarNode && !nothing(at) {
		ed.note(at, where, rest, e) // a single value stands for a list of one
		return nil
	}
	if len(rest) == 0 && e.Key != "" && !hollow(at) {
		if done, err := ed.replace(at, e); done || err != nil {
			return err
		}
	}
	if !hollow(at) && len(rest) == 0 && (at.Kind == yaml.SequenceNode) != (e.Key == "") || at.Kind == yaml.ScalarNode && !nothing(at) {
		return fmt.Errorf("%s is not what the edit takes it for", strings.Join(e.Path, "."))
	}
	ed.note(at, where, rest, e)
	return nil
}

// put1 patches an element of a list, or the single value that stands for it.
func (ed *editor) put1(at *yaml.Node, rest int, e Edit) error {
	switch {
	case rest > 0 || nothing(at) || at.Kind == yaml.MappingNode || at.Kind == yaml.SequenceNode && e.Nth > len(at.Content) || at.Kind == yaml.ScalarNode && e.Nth > 1:
		return fmt.Errorf("%s has no number %d", strings.Join(e.Path, "."), e.Nth)
	case at.Kind == yaml.SequenceNode:
		at = at.Content[e.Nth-1]
	}
	end, err := ed.end(at)
	if err != nil {
		return err
	}
	ed.patches = append(ed.patches, Patch{Start: ed.offset(at), End: end, Text: e.Value.text(ed.quotes())})
	return nil
}

// replace patches the entry that an edit sets, when the mapping has it already.
func (ed *editor) replace(m *yaml.Node, e Edit) (done bool, err error) {
	old := e.Key
	if e.Was != "" {
		old = e.Was
	}
	value, i := ed.find(m, old)
	if value == nil {
		return false, nil
	}
	key := m.Content[i]
	end, err := ed.endOfValue(key, value)
	if err != nil {
		return false, err
	}
	start := ed.offset(key)
	ed.patches = append(ed.patches, Patch{Start: start, End: end, Text: Field{e.Key, e.Value}.text(ed.quotes())})
	return true, nil
}

// note adds an edit to what grows in the mapping or list at a node.
func (ed *editor) note(at *yaml.Node, where place, rest []string, e Edit) {
	if ed.parents == nil {
		ed.parents = map[*yaml.Node]place{}
	}
	if _, known := ed.parents[at]; !known {
		ed.parents[at] = where
		ed.order = append(ed.order, at)
	}
	list := ed.grown[at]
	target := &list
	for _, word := range rest {
		var next *growth
		for _, g := range *target {
			if g.key == word && g.value == nil {
				next = g
			}
		}
		if next == nil {
			next = &growth{key: word}
			*target = append(*target, next)
		}
		target = &next.inside
	}
	*target = append(*target, &growth{key: e.Key, value: &e.Value, before: e.Nth})
	ed.grown[at] = list
}

// quotes reports whether the text is JSON in spirit: one flow mapping whose keys stand in double quotes.
func (ed *editor) quotes() bool {
	return ed.root.Style&yaml.FlowStyle != 0 && len(ed.root.Content) > 0 && ed.root.Content[0].Style&yaml.DoubleQuotedStyle != 0
}

// grow makes the patches for everything that grows.
func (ed *editor) grow() error {
	for _, at := range ed.order {
		where, list := ed.parents[at], ed.grown[at]
		var err error
		switch {
		case at.Kind == yaml.ScalarNode && !nothing(at):
			err = ed.growScalar(at, list)
		case at.Style&yaml.FlowStyle != 0 && (len(at.Content) > 0 || where.parent.Style&yaml.FlowStyle != 0):
			err = ed.growFlow(at, where, list)
		case hollow(at):
			err = ed.growHollow(at, where, list)
		default:
			err = ed.growBlock(at, where, list)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// growScalar makes a list of a single value and what is added to it.
func (ed *editor) growScalar(at *yaml.Node, list []*growth) error {
	end, err := ed.end(at)
	if err != nil {
		return err
	}
	all := []Value{Word(at.Value)}
	for _, g := range list {
		if g.value == nil || g.key != "" {
			return errExtent
		}
		if g.before == 1 {
			all = slices.Insert(all, len(all)-1, *g.value)
			continue
		}
		all = append(all, *g.value)
	}
	start := ed.contentStart(at)
	ed.patches = append(ed.patches, Patch{Start: start, End: end, Text: Value{kind: yaml.SequenceNode, list: all}.text(ed.quotes())})
	return nil
}

// growFlow adds to a mapping or list in brackets.
func (ed *editor) growFlow(at *yaml.Node, where place, list []*growth) error {
	pad := ""
	for _, g := range list {
		text := g.flow(ed.quotes())
		before := g.before
		for before > 0 && ed.gone[at][before-1] { // that one goes: it comes before the next
			before++
		}
		switch {
		case len(at.Content) == 0:
			open := ed.contentStart(at) + 1
			if g != list[0] {
				text = ", " + text
			}
			ed.patches = append(ed.patches, Patch{open, open, text, where.depth})
		case before > 0 && before <= len(at.Content):
			start := ed.offset(at.Content[before-1])
			ed.patches = append(ed.patches, Patch{start, start, text + ", ", where.depth})
		default:
			end, err := ed.end(at.Content[len(at.Content)-1])
			if at.Kind == yaml.MappingNode {
				end, err = ed.endOfValue(at.Content[len(at.Content)-2], at.Content[len(at.Content)-1])
			}
			if err != nil {
				return err
			}
			between := ", "
			if own, apart := ed.flowPad(at, g, text); apart {
				pad = own
			}
			if pad != "" { // what comes behind one on a line of its own has one, too
				between = "," + ed.lineEnd() + pad
				text = g.flowLines(pad, ed.lineEnd())
			}
			ed.patches = append(ed.patches, Patch{end, end, between + text, where.depth})
		}
	}
	return nil
}

// growHollow fills a key that has no value, or empty brackets, with lines below the key.
func (ed *editor) growHollow(at *yaml.Node, where place, list []*growth) error {
	end, err := ed.endOfValue(where.key, at)
	if err != nil {
		return err
	}
	if where.parent.Style&yaml.FlowStyle != 0 {
		start, before := end, " "
		if at.Value != "" { // a null that is written
			start, before = ed.contentStart(at), ""
		}
		ed.patches = append(ed.patches, Patch{start, end, before + flowAll(list, ed.quotes()), where.depth})
		return nil
	}
	if !nothing(at) || at.Value != "" {
		start := ed.contentStart(at)
		for start > 0 && ed.src.Text[start-1] == ' ' {
			start--
		}
		ed.patches = append(ed.patches, Patch{start, end, "", where.depth})
	}
	step := ed.step(at, where)
	ed.insertLines(end, where.depth, ed.block(list, where.key.Column-1+step, step, false))
	return nil
}

// growBlock adds lines to a mapping or list in block style.
func (ed *editor) growBlock(at *yaml.Node, where place, list []*growth) error {
	indent := at.Column - 1
	step := ed.step(at, where)
	last := at.Content[len(at.Content)-1]
	end, err := ed.end(last)
	if at.Kind == yaml.MappingNode {
		indent = at.Content[0].Column - 1
		end, err = ed.endOfValue(at.Content[len(at.Content)-2], last)
	}
	if err != nil {
		return err
	}
	for _, g := range list {
		lines := ed.block([]*growth{g}, indent, step, where.depth > 1 && onOneLine(at))
		if g.before > 0 && g.before <= len(at.Content) {
			start := ed.lineStart(ed.offset(at.Content[g.before-1]))
			ed.patches = append(ed.patches, Patch{start, start, lines, where.depth})
			continue
		}
		ed.insertLines(end, where.depth, lines)
	}
	return nil
}

// step is how much deeper each level of the text is indented: in a mapping or list, or in what is next around it.
func (ed *editor) step(at *yaml.Node, where place) int {
	for w := &where; w != nil && w.key != nil; at, w = w.parent, w.above {
		if w.parent.Kind != yaml.MappingNode || at.Kind != yaml.MappingNode || at.Style&yaml.FlowStyle != 0 || len(at.Content) == 0 {
			continue
		}
		if step := at.Content[0].Column - w.key.Column; step >= 1 && step <= 8 {
			return step
		}
	}
	return 2
}

// insertLines puts whole lines after the line in which a byte stands.
func (ed *editor) insertLines(after, depth int, lines string) {
	ed.patches = append(ed.patches, ed.wholeLines(after, depth, lines))
}

// wholeLines is the patch that puts whole lines after the line in which a byte stands.
func (ed *editor) wholeLines(after, depth int, lines string) Patch {
	at := ed.lineStop(after)
	if at == len(ed.src.Text) {
		// The last line has no end: it gets one, and the new last line has none.
		lines = ed.lineEnd() + strings.TrimSuffix(lines, ed.lineEnd())
	} else {
		at++
	}
	return Patch{at, at, lines, depth}
}

// lineStop is the end of the line in which a byte stands, before what ends it.
func (ed *editor) lineStop(offset int) int {
	for offset < len(ed.src.Text) && ed.src.Text[offset] != '\n' {
		offset++
	}
	return offset
}

func (ed *editor) lineStart(offset int) int {
	for offset > 0 && ed.src.Text[offset-1] != '\n' {
		offset--
	}
	return offset
}

// offset is the byte at which a node stands.
func (ed *editor) offset(n *yaml.Node) int { return ed.src.offset(n.Line, n.Column) }

// lineEnd is the line end that the text uses.
func (ed *editor) lineEnd() string {
	if lines := ed.src.lines(); len(lines) > 1 && lines[1] > 1 && ed.src.Text[lines[1]-2] == '\r' {
		return "\r\n"
	}
	return "\n"
}

// patched sorts the patches and makes the new text.
func (ed *editor) patched() (string, error) {
	slices.SortStableFunc(ed.patches, func(a, b Patch) int {
		if a.Start != b.Start {
			return a.Start - b.Start
		}
		return b.depth - a.depth
	})
	return patchedWith(ed.src.Text, ed.patches)
}

// patchedWith is a text with patches made in it, which are in order; the error is of two that change one place.
func patchedWith(text string, patches []Patch) (string, error) {
	var out strings.Builder
	from := 0
	for _, p := range patches {
		if p.Start < from {
			return "", errors.New("two edits change the same place of the text")
		}
		out.WriteString(text[from:p.Start])
		out.WriteString(p.Text)
		from = p.End
	}
	out.WriteString(text[from:])
	return out.String(), nil
}
