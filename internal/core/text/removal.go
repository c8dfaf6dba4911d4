package text

import (
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// This file takes entries and elements out of a text.

// hollowed are edits in which a list of lines that loses all its elements becomes an empty one, and a mapping of lines that
// loses all its entries goes itself: neither can stand with nothing below it.
func (ed *editor) hollowed(edits []Edit) []Edit {
	for range maxDepth {
		again := false
		gone, kept := map[string][]int{}, map[string]bool{} // by path: the edits that take out of it; whether others write inside
		for i, e := range edits {
			if e.Remove {
				gone[key(e.Path)] = append(gone[key(e.Path)], i)
			} else {
				for n := range len(e.Path) + 1 {
					kept[key(e.Path[:n])] = true
				}
			}
		}
		drop := map[int]bool{}
		var fresh []Edit
		for path, which := range gone {
			where := edits[which[0]].Path
			at := ed.at(where)
			if kept[path] || len(where) == 0 || at == nil || at.Style&yaml.FlowStyle != 0 {
				continue
			}
			if _, err := strconv.Atoi(where[len(where)-1]); err == nil {
				continue
			}
			parent, last := where[:len(where)-1], where[len(where)-1]
			out := map[string]bool{}
			for _, i := range which {
				out[edits[i].Key+"#"+strconv.Itoa(edits[i].Nth)] = true
			}
			switch {
			case at.Kind == yaml.SequenceNode && len(out) == len(at.Content):
				fresh = append(fresh, Set(parent, last, List()))
			case at.Kind == yaml.MappingNode && 2*len(out) == len(at.Content):
				fresh = append(fresh, Remove(parent, last))
			default:
				continue
			}
			for _, i := range which {
				drop[i] = true
			}
			again = true
		}
		if !again {
			return edits
		}
		var rest []Edit
		for i, e := range edits {
			if !drop[i] {
				rest = append(rest, e)
			}
		}
		slices.SortFunc(fresh, func(a, b Edit) int { return strings.Compare(key(a.Path.To(a.Key)), key(b.Path.To(b.Key))) })
		edits = append(rest, fresh...)
	}
	return edits
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
