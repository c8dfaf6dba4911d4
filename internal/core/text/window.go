package text

import (
	"slices"
	"sort"
	"strings"
)

// This file makes edits in a large text by way of the pieces that they are in: the library reads these alone, and what stands around them
// stays as it is, byte for byte.

// windowed is from what size on a text is edited so.
const windowed = 64 << 10

// section is an entry of the outermost mapping.
type section struct {
	name string
	line int // where its key stands
	node Node
	at   map[string]int // where the keys of its own entries stand, in the order of the text
	keys []int          // the same, as lines in order
}

// applyIn makes edits in the pieces that they are in, of about some size. It reports false where that cannot be: the text cannot be cut, an
// edit is not inside a section, or what is written would stand between pieces that are not neighbours.
func (f *File) applyIn(size int, edits []Edit) (after *File, patches []Patch, ok bool) {
	tree, problem := f.whole()
	if problem != nil || tree.Root().Kind() != MapKind || tree.Root().flag(isFlow) || tree.Root().HasAliases() {
		return nil, nil, false
	}
	pieces, can := f.cut(size)
	if !can {
		return nil, nil, false
	}
	var sections []*section
	for k, v := range tree.Root().Entries() {
		sections = append(sections, &section{name: k.Value(), line: k.At().Line(), node: v})
	}
	need := make([]bool, len(pieces))
	gone := map[*section]int{}      // how many of its entries go
	take := func(first, last int) { // the pieces of some lines, and of those around them
		for i := f.pieceAt(pieces, first-1); i <= f.pieceAt(pieces, last+1); i++ {
			need[i] = true
		}
	}
	for _, e := range edits {
		if len(e.Path) == 0 {
			return nil, nil, false
		}
		i := slices.IndexFunc(sections, func(s *section) bool { return s.name == e.Path[0] })
		if i < 0 {
			return nil, nil, false
		}
		end := len(f.lines()) + 1
		if i+1 < len(sections) {
			end = sections[i+1].line
		}
		s := sections[i]
		if s.node.Kind() != MapKind || s.node.flag(isFlow) {
			take(s.line, end-1)
			continue
		}
		if len(e.Path) == 1 && e.Remove {
			gone[s]++
		}
		names := []string{e.Key, e.Was}
		if len(e.Path) > 1 {
			names = e.Path[1:2]
		}
		for _, name := range names {
			if name != "" {
				take(s.lines(name, end))
			}
		}
	}
	for s, n := range gone { // one that loses all that is seen of it would be written as empty
		for _, line := range s.keys {
			if need[f.pieceAt(pieces, line)] {
				n--
			}
		}
		if n >= 0 {
			return nil, nil, false
		}
	}
	reduced, parts := f.only(pieces, need, sections)
	small := &File{Name: f.Name, Text: reduced}
	if !small.startsLike(f, pieces, need, sections) {
		return nil, nil, false
	}
	_, found, err := small.applyWhole(edits)
	if err != nil {
		return nil, nil, false
	}
	for _, p := range found {
		if p, ok = moved(p, parts); !ok {
			return nil, nil, false
		}
		patches = append(patches, p)
	}
	made, err := patchedWith(f.Text, patches)
	return &File{Name: f.Name, Text: made}, patches, err == nil
}

// startsLike reports whether the entries of sections that a text made of pieces has are those that the whole text has there, in order: a
// piece may begin inside of a value that goes over several lines, and means something else then.
func (f *File) startsLike(whole *File, pieces []piece, need []bool, sections []*section) bool {
	tree, problem := f.whole()
	if problem != nil || tree.Root().Kind() != MapKind {
		return false
	}
	var want, have []string
	for _, s := range sections {
		if s.node.Kind() != MapKind {
			continue
		}
		for k := range s.node.Entries() {
			if need[whole.pieceAt(pieces, k.At().Line())] {
				want = append(want, s.name+"."+k.Value())
			}
		}
	}
	for k, v := range tree.Root().Entries() {
		if v.Kind() != MapKind {
			continue
		}
		for x := range v.Entries() {
			have = append(have, k.Value()+"."+x.Value())
		}
	}
	return slices.Equal(want, have)
}

// whole is the tree of the file, which is kept.
func (f *File) whole() (*Tree, *Problem) {
	if f.tree == nil {
		t, problem := f.Tree()
		if problem != nil {
			return nil, problem
		}
		f.tree = t
	}
	return f.tree, nil
}

// lines are the first and the last line of an entry of the section that ends before a line; of one that is not there, those of the last one,
// behind which it goes.
func (s *section) lines(name string, end int) (first, last int) {
	if s.at == nil {
		s.at = map[string]int{}
		for k := range s.node.Entries() {
			line := k.At().Line()
			s.at[k.Value()], s.keys = line, append(s.keys, line)
		}
	}
	line, found := s.at[name]
	if !found {
		line = s.line
		if n := len(s.keys); n > 0 {
			line = s.keys[n-1]
		}
		return line, end - 1
	}
	next := sort.SearchInts(s.keys, line+1)
	if next == len(s.keys) {
		return line, end - 1
	}
	return line, s.keys[next] - 1
}

// pieceAt is the number of the piece that a line, counted from 1, is in.
func (f *File) pieceAt(pieces []piece, line int) int {
	return max(0, sort.Search(len(pieces), func(i int) bool { return pieces[i].above >= line })-1)
}

// kept is a part of a text that stands in another one.
type kept struct {
	at, size int // in the text that is made of such parts
	from     int // in the one that they are of; -1 for a key that only says in what the next one is
}

// only is the text of some pieces, each of which goes on with the section that it is in.
func (f *File) only(pieces []piece, need []bool, sections []*section) (string, []kept) {
	var out strings.Builder
	var parts []kept
	last, start := -1, 0 // the section that is being written
	for i, p := range pieces {
		if need[i] {
			if p.inner {
				if in := sort.Search(len(sections), func(k int) bool { return sections[k].line > p.above }) - 1; in != last {
					parts = append(parts, kept{out.Len(), len(sections[in].name) + 2, -1})
					out.WriteString(sections[in].name + ":\n")
				}
			}
			parts = append(parts, kept{out.Len(), len(p.text), start})
			out.WriteString(p.text)
			end := p.above + strings.Count(p.text, "\n")
			if strings.HasSuffix(p.text, "\n") {
				end--
			}
			last = sort.Search(len(sections), func(k int) bool { return sections[k].line > end+1 }) - 1
		}
		start += len(p.text)
	}
	return out.String(), parts
}

// moved is a patch of a text that is made of parts, as one of that which they are of. It reports false where it is not inside of one, or of
// several that are neighbours there, too.
func moved(p Patch, parts []kept) (Patch, bool) {
	place := func(at int, end bool) (from int, ok bool) {
		for i, k := range parts {
			inside := at > k.at && at < k.at+k.size || at == k.at && !end && k.size > 0 || at == k.at+k.size && (end || i == len(parts)-1)
			if inside && k.from >= 0 {
				return k.from + at - k.at, true
			}
		}
		return 0, false
	}
	start, ok := place(p.Start, false)
	if !ok {
		return p, false
	}
	end := start
	if p.End > p.Start {
		if end, ok = place(p.End, true); !ok || end-start != p.End-p.Start {
			return p, false
		}
	} else if before, is := place(p.Start, true); is && before != start {
		return p, false // between two that are not neighbours
	}
	p.Start, p.End = start, end
	return p, true
}
