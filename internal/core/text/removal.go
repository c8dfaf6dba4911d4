package text

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// This file takes entries and elements out of a text.

// hollowed are edits in which a list or mapping that loses all it has is written anew: with what is added to it, or as an empty
// list; a mapping of lines with nothing left goes itself. Neither can stand in lines with nothing below it, and in brackets
// there is no neighbour to hold on to.
func (ed *editor) hollowed(edits []Edit) []Edit {
	for range maxDepth {
		which := map[string][]int{} // by path: the edits of what is there
		var order []string
		inside := map[string]bool{} // whether edits go deeper
		for i, e := range edits {
			at := key(e.Path)
			if which[at] == nil {
				order = append(order, at)
			}
			which[at] = append(which[at], i)
			for n := range len(e.Path) {
				inside[key(e.Path[:n])] = true
			}
		}
		drop := map[int]bool{}
		var fresh []Edit
		for _, at := range order {
			if inside[at] {
				continue
			}
			if e, is := ed.anew(edits, which[at]); is {
				fresh = append(fresh, e)
				for _, i := range which[at] {
					drop[i] = true
				}
			}
		}
		if len(drop) == 0 {
			return edits
		}
		var rest []Edit
		for i, e := range edits {
			if !drop[i] {
				rest = append(rest, e)
			}
		}
		edits = append(rest, fresh...)
	}
	return edits
}

// anew is the edit that writes a list or mapping anew, where some edits of it take out all that it has.
func (ed *editor) anew(edits []Edit, which []int) (Edit, bool) {
	path := edits[which[0]].Path
	at := ed.at(path)
	if len(path) == 0 || at == nil || at.Kind == yaml.ScalarNode || len(at.Content) == 0 {
		return Edit{}, false
	}
	parent, last := path[:len(path)-1], path[len(path)-1]
	if _, err := strconv.Atoi(last); err == nil {
		return Edit{}, false // an element of a list, which an edit cannot write anew
	}
	flow := at.Style&yaml.FlowStyle != 0
	gone := map[string]bool{}
	var adds []Edit
	for _, i := range which {
		switch e := edits[i]; {
		case e.Remove:
			gone[e.Key+"#"+strconv.Itoa(e.Nth)] = true
		case e.Was != "" || e.Put:
			return Edit{}, false
		default:
			adds = append(adds, e)
		}
	}
	if at.Kind == yaml.SequenceNode {
		if len(gone) < len(at.Content) || flow && len(adds) == 0 {
			return Edit{}, false
		}
		slices.SortStableFunc(adds, func(a, b Edit) int { // those for the end last
			return cmp.Compare(uint(a.Nth)-1, uint(b.Nth)-1)
		})
		var all []Value
		for _, e := range adds {
			all = append(all, e.Value)
		}
		return Set(parent, last, List(all...)), true
	}
	if 2*len(gone) < len(at.Content) || flow && len(adds) == 0 || slices.ContainsFunc(adds, func(e Edit) bool { value, _ := ed.find(at, e.Key); return value != nil }) {
		return Edit{}, false
	}
	if len(adds) == 0 {
		return Remove(parent, last), true
	}
	var all []Field
	for _, e := range adds {
		all = append(all, Field{e.Key, e.Value})
	}
	return Set(parent, last, Map(all...)), true
}

func key(p Path) string { return strings.Join(p, "\x00") }

// at is the node at a path; nil for none.
func (ed *editor) at(path Path) *yaml.Node {
	at := ed.root
	for _, word := range path {
		if at, _ = ed.find(at, word); at == nil {
			return nil
		}
	}
	return at
}

// goes notes what edits take out of each list and mapping, so that neighbours in brackets go together.
func (ed *editor) goes(edits []Edit) {
	ed.gone = map[*yaml.Node]map[int]bool{}
	for _, e := range edits {
		at := ed.at(e.Path)
		if !e.Remove || at == nil {
			continue
		}
		i := e.Nth - 1
		if e.Key != "" {
			if _, i = ed.find(at, e.Key); i < 0 {
				continue
			}
			i /= 2
		}
		if ed.gone[at] == nil {
			ed.gone[at] = map[int]bool{}
		}
		ed.gone[at][i] = true
	}
}

// remove patches an entry of a mapping away.
func (ed *editor) remove(m *yaml.Node, key string) error {
	if value, i := ed.find(m, key); value != nil {
		return ed.cutOut(m, i/2, len(m.Content)/2, "", func(i int) (int, int, error) {
			end, err := ed.endOfValue(m.Content[2*i], m.Content[2*i+1])
			return ed.offset(m.Content[2*i]), end, err
		})
	}
	return nil
}

// removeElement patches an element of a list away.
func (ed *editor) removeElement(list *yaml.Node, nth int) error {
	if list.Kind != yaml.SequenceNode || nth < 1 || nth > len(list.Content) {
		return nil
	}
	return ed.cutOut(list, nth-1, len(list.Content), "-", func(i int) (int, int, error) {
		end, err := ed.end(list.Content[i])
		return ed.offset(list.Content[i]), end, err
	})
}

// cutOut patches the part of a mapping or list with a number away: its lines, or what stands in the brackets up to its
// neighbour, with the neighbours that go as well. Before a part that stands on lines of its own is what leads it.
func (ed *editor) cutOut(of *yaml.Node, i, count int, leads string, extent func(i int) (start, end int, err error)) error {
	start, end, err := extent(i)
	if err != nil {
		return err
	}
	if of.Style&yaml.FlowStyle == 0 {
		line := ed.lineStart(start)
		if strings.TrimSpace(ed.src.Text[line:start]) != leads {
			return errExtent // another thing stands on its line
		}
		ed.patches = append(ed.patches, Patch{Start: line, End: min(lineStop(ed.src.Text, end)+1, len(ed.src.Text))})
		return nil
	}
	if ed.gone[of][i-1] {
		return nil // it goes with the one before
	}
	last := i
	for ed.gone[of][last+1] {
		last++
	}
	if _, end, err = extent(last); err != nil {
		return err
	}
	switch {
	case i > 0:
		_, start, err = extent(i - 1)
	case last+1 < count:
		end, _, err = extent(last + 1)
	}
	if err != nil {
		return err
	}
	ed.patches = append(ed.patches, Patch{Start: start, End: end})
	return nil
}
