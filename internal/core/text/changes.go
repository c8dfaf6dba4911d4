package text

import (
	"errors"
	"slices"

	"go.yaml.in/yaml/v4"
)

// Change is some edits that belong together, and why they are made.
type Change struct {
	Edits []Edit
	Why   string // a sentence without its full stop; may be empty
	Kind  string // the same for changes that are made for the same reason at other places, and may be told together; may be empty
}

// Changes are changes in the order in which a person would make them.
type Changes []Change

// Edits are those of all changes, in their order.
func (c Changes) Edits() []Edit {
	var all []Edit
	for _, one := range c {
		all = append(all, one.Edits...)
	}
	return all
}

// OnLines are the changes with what is in brackets, and outgrows its line, on lines of its own.
func (c Changes) OnLines() Changes {
	var all Changes
	for _, x := range c {
		x.Edits = slices.Clone(x.Edits)
		for i := range x.Edits {
			x.Edits[i].Lines = true
		}
		all = append(all, x)
	}
	return all
}

// Before is an edit that was worked out in the text with these changes, as it must be made in the text without them, beside
// them: an element of a list is counted there.
func (c Changes) Before(e Edit) Edit {
	if e.Nth == 0 || e.Key != "" {
		return e
	}
	put, gone := map[int]int{}, map[int]bool{} // by the number of an element: how many came before it, and whether it went
	for _, x := range c.Edits() {
		switch {
		case x.Key != "" || x.Nth == 0 || x.Put || !slices.Equal(x.Path, e.Path):
		case x.Remove:
			gone[x.Nth] = true
		default:
			put[x.Nth]++
		}
	}
	at := 0
	for i := 1; ; i++ {
		if at += put[i]; at >= e.Nth {
			e.Nth = i // among those that came, before the element that they came before
			return e
		}
		if !gone[i] {
			at++
		}
		if at == e.Nth {
			e.Nth = i
			return e
		}
	}
}

// Inverse is the change that takes these back, made in the text to which they lead when they are made in f. It leads
// to a text that says what f says; where the changes only added, to the same bytes.
func (c Changes) Inverse(f *File) (Change, error) {
	after, _, err := f.Apply(c.Edits())
	if err != nil {
		return Change{}, err
	}
	edits, err := Between(&File{Name: f.Name, Text: after}, f)
	return Change{Edits: edits, Why: "takes the change back"}, err
}

// Between are the edits that make one text say what another says. They are as small as the form of the texts allows: an
// entry or element that only one of them has is added or taken out, and a value that differs is written anew. The error
// tells of a text that is not YAML, or that has aliases, or keys that are no words.
func Between(from, to *File) ([]Edit, error) {
	if from.Text == to.Text {
		return nil, nil
	}
	return between(differing(from, to, leastDiffering))
}

func between(from, to *File) ([]Edit, error) {
	a, p := from.parse()
	if p != nil {
		return nil, p
	}
	b, p := to.parse()
	if p != nil {
		return nil, p
	}
	if a == nil || b == nil || a.Kind != yaml.MappingNode || b.Kind != yaml.MappingNode || !plainTree(a) || !plainTree(b) {
		return nil, errors.New("only mappings can be compared in which each key is a word that stands once, without aliases")
	}
	var d differ
	d.mapping(nil, a, b)
	return d.edits, nil
}

// plainTree reports whether a tree is one that edits can speak of: without aliases, and with a word for each key.
func plainTree(n *yaml.Node) bool {
	if n.Kind == yaml.AliasNode || n.Anchor != "" {
		return false
	}
	if n.Kind == yaml.MappingNode {
		seen := make(map[string]bool, len(n.Content)/2)
		for i := 0; i < len(n.Content); i += 2 {
			key := n.Content[i]
			if key.Kind != yaml.ScalarNode || key.Value == "" || seen[key.Value] {
				return false
			}
			seen[key.Value] = true
		}
	}
	return !slices.ContainsFunc(n.Content, func(c *yaml.Node) bool { return !plainTree(c) })
}

type differ struct{ edits []Edit }

// mapping compares two mappings at a path.
func (d *differ) mapping(path Path, a, b *yaml.Node) {
	was, is := indexOf(a), indexOf(b)
	var gone, fresh []int
	for i := 0; i < len(a.Content); i += 2 {
		key := a.Content[i].Value
		j, stays := is[key]
		if !stays {
			gone = append(gone, i)
			continue
		}
		d.value(path, key, a.Content[i+1], b.Content[j+1])
	}
	for j := 0; j < len(b.Content); j += 2 {
		if _, stays := was[b.Content[j].Value]; !stays {
			fresh = append(fresh, j)
		}
	}
	for _, i := range gone {
		// An entry that came in the place of another, as a range does in that of a size, goes back there.
		if k := slices.Index(fresh, i); k >= 0 {
			d.edits = append(d.edits, Replace(path, a.Content[i].Value, b.Content[i].Value, valueOf(b.Content[i+1])))
			fresh = slices.Delete(fresh, k, k+1)
			continue
		}
		d.edits = append(d.edits, Remove(path, a.Content[i].Value))
	}
	for _, j := range fresh {
		d.edits = append(d.edits, Set(path, b.Content[j].Value, valueOf(b.Content[j+1])))
	}
}

// value compares the values of a key.
func (d *differ) value(path Path, key string, a, b *yaml.Node) {
	switch {
	case sameTree(a, b), nothing(a) && nothing(b):
	case a.Kind == yaml.MappingNode && b.Kind == yaml.MappingNode && len(b.Content) > 0:
		d.mapping(path.To(key), a, b)
	case a.Kind == yaml.SequenceNode && b.Kind == yaml.SequenceNode && len(b.Content) > 0 && d.list(path.To(key), a.Content, b.Content):
	default:
		d.edits = append(d.edits, Set(path, key, valueOf(b)))
	}
}

// maxPaired is how large two lists may be, one times the other, to be compared element by element.
const maxPaired = 4_000_000

// list compares two lists element by element: those that both have in the same order stay, and of the others one comes, goes, or
// takes the place of another that begins alike. It reports false where that is too much to work out, and where two elements that
// are the same would come to one place: an edit that stands twice is made once.
func (d *differ) list(path Path, a, b []*yaml.Node) bool {
	if len(a)*len(b) > maxPaired {
		return false
	}
	// How many elements can stay of what is behind each place of both.
	stay := make([][]int32, len(a)+1)
	for i := range stay {
		stay[i] = make([]int32, len(b)+1)
	}
	for i := len(a) - 1; i >= 0; i-- {
		for j := len(b) - 1; j >= 0; j-- {
			if sameTree(a[i], b[j]) {
				stay[i][j] = stay[i+1][j+1] + 1
			} else {
				stay[i][j] = max(stay[i+1][j], stay[i][j+1])
			}
		}
	}
	var edits []Edit
	i, j := 0, 0
	for i < len(a) || j < len(b) {
		switch {
		case i < len(a) && j < len(b) && sameTree(a[i], b[j]):
			i, j = i+1, j+1
		case i < len(a) && j < len(b) && beginsAlike(a[i], b[j]) && stay[i+1][j+1] == stay[i][j]:
			edits = append(edits, Put(path, i+1, valueOf(b[j])))
			i, j = i+1, j+1
		case j < len(b) && (i == len(a) || stay[i][j+1] >= stay[i+1][j]):
			if i < len(a) {
				edits = append(edits, Insert(path, i+1, valueOf(b[j])))
			} else {
				edits = append(edits, Add(path, valueOf(b[j])))
			}
			j++
		default:
			edits = append(edits, RemoveNth(path, i+1))
			i++
		}
	}
	if len(once(edits)) < len(edits) {
		return false
	}
	d.edits = append(d.edits, edits...)
	return true
}

// beginsAlike reports whether two mappings have the same first entry, as two routes to one place do.
func beginsAlike(a, b *yaml.Node) bool {
	return a.Kind == yaml.MappingNode && b.Kind == yaml.MappingNode && len(a.Content) > 1 && len(b.Content) > 1 && sameTree(a.Content[0], b.Content[0]) && sameTree(a.Content[1], b.Content[1])
}

// indexOf is where each key of a mapping stands.
func indexOf(m *yaml.Node) map[string]int {
	at := make(map[string]int, len(m.Content)/2)
	for i := 0; i < len(m.Content); i += 2 {
		at[m.Content[i].Value] = i
	}
	return at
}

// valueOf is what an edit writes to have a node.
func valueOf(n *yaml.Node) Value {
	v := Value{kind: n.Kind, word: n.Value, null: nothing(n)}
	if n.Kind == yaml.MappingNode {
		for i := 0; i < len(n.Content); i += 2 {
			v.fields = append(v.fields, Field{n.Content[i].Value, valueOf(n.Content[i+1])})
		}
		return v
	}
	for _, c := range n.Content {
		v.list = append(v.list, valueOf(c))
	}
	return v
}
