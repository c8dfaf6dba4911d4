package text

import (
	"slices"
	"strings"
)

// Two large texts of which little differs are compared by the part that does: the pieces before and behind it, which both have, are left out.

// leastDiffering is about how many bytes a piece has that two texts may have in common.
const leastDiffering = 4 << 10

// differing are two texts that differ as two others do, entry by entry: these without the entries that both begin and end with, as far as they
// can be cut there. What is left of a mapping stands below its key.
func differing(a, b *File, size int) (*File, *File) {
	if min(len(a.Text), len(b.Text)) < 4*size || strings.ContainsAny(a.Text, "&*") || strings.ContainsAny(b.Text, "&*") { // which may be anchors
		return a, b
	}
	var pieces [2][]piece
	var entries [2]*outerEntries
	for i, f := range []*File{a, b} {
		can := false
		if pieces[i], can = f.cut(size); !can {
			return a, b
		}
		if entries[i] = f.outerEntries(); entries[i] == nil {
			return a, b
		}
	}
	x, y := pieces[0], pieces[1]
	same := func(p, q piece) bool { return p.inner == q.inner && p.text == q.text }
	first, behind := 0, 0
	for first < min(len(x), len(y)) && same(x[first], y[first]) {
		first++
	}
	for behind < min(len(x), len(y))-first && same(x[len(x)-1-behind], y[len(y)-1-behind]) {
		behind++
	}
	// One more piece that both have stays on each side, so that no mapping is left without an entry.
	first, behind = max(first-1, 0), max(behind-1, 0)
	var heads, tails [2]string // the keys in whose mappings what is left begins, and what is behind it; empty where an outermost entry does
	var left [2]string
	for i, all := range pieces {
		end := len(all) - behind
		var real [2]bool
		heads[i], real[0] = entries[i].above(all, first)
		if tails[i], real[1] = entries[i].above(all, end); !real[0] || !real[1] {
			return a, b // what looks like an entry is the inside of a value
		}
		for _, p := range all[first:end] {
			left[i] += p.text
		}
	}
	if heads[0] != heads[1] || tails[0] != tails[1] {
		return a, b
	}
	head := ""
	if heads[0] != "" {
		head = heads[0] + ":\n"
	}
	return &File{Name: a.Name, Text: head + left[0]}, &File{Name: b.Name, Text: head + left[1]}
}

// outerEntries are the entries of the outermost mapping of a text, and the lines where those of the mappings in it begin.
type outerEntries struct {
	lines []int
	keys  []string
	inner map[int]bool
}

// outerEntries looks up the outer entries of a text; nil where it has none, or two of one key.
func (f *File) outerEntries() *outerEntries {
	tree, problem := f.whole()
	if problem != nil || tree.Root().Kind() != MapKind || tree.Root().flag(isFlow) {
		return nil
	}
	all := &outerEntries{inner: map[int]bool{}}
	outer := map[string]bool{}
	for k, v := range tree.Root().Entries() {
		all.lines, all.keys, outer[k.Value()] = append(all.lines, k.At().Line()), append(all.keys, k.Value()), true
		if v.Kind() == MapKind && !v.flag(isFlow) {
			seen, n := map[string]bool{}, 0
			for inner := range v.Entries() {
				all.inner[inner.At().Line()], seen[inner.Value()] = true, true
				n++
			}
			if len(seen) < n {
				return nil
			}
		}
	}
	if len(outer) < len(all.keys) {
		return nil
	}
	return all
}

// above is the key in whose mapping a piece goes on, empty for one that begins with an outermost key or is behind the last; ok is whether an
// entry begins there.
func (o *outerEntries) above(pieces []piece, i int) (key string, ok bool) {
	if i == len(pieces) || i == 0 {
		return "", true
	}
	line := pieces[i].above + 1
	at, begins := slices.BinarySearch(o.lines, line)
	if !pieces[i].inner {
		return "", begins
	}
	return o.keys[max(at-1, 0)], !begins && o.inner[line]
}
