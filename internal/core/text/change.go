package text

import (
	"slices"

	"go.yaml.in/yaml/v4"
)

// change makes an edit in the node tree, where it is plain: the text must come out as this tree.
func (ed *editor) change(e Edit) {
	at := ed.root
	for _, word := range e.Path {
		value, _ := ed.find(at, word)
		if value == nil && e.Remove {
			return
		}
		if value == nil {
			value = &yaml.Node{Kind: yaml.MappingNode}
			ed.put(at, word, value)
		}
		at = value
		if nothing(at) {
			*at = yaml.Node{Kind: yaml.MappingNode}
		}
	}
	if e.Put {
		if at.Kind == yaml.ScalarNode {
			*at = *e.Value.node()
		} else if were := ed.elements(at); e.Nth <= len(were) {
			at.Content[slices.Index(at.Content, were[e.Nth-1])] = e.Value.node()
		}
		return
	}
	if e.Remove && e.Key == "" {
		if were := ed.elements(at); e.Nth <= len(were) {
			at.Content = slices.Delete(at.Content, slices.Index(at.Content, were[e.Nth-1]), slices.Index(at.Content, were[e.Nth-1])+1)
		}
		return
	}
	if e.Remove {
		if _, i := ed.find(at, e.Key); i >= 0 {
			at.Content = append(at.Content[:i], at.Content[i+2:]...)
			delete(ed.keys, at)
		}
		return
	}
	if e.Key != "" {
		if at.Kind == yaml.SequenceNode && len(at.Content) == 0 {
			at.Kind = yaml.MappingNode
		}
		if _, i := ed.find(at, e.Was); e.Was != "" && i >= 0 {
			at.Content[i].Value = e.Key
			at.Content[i+1] = e.Value.node()
			delete(ed.keys, at)
			return
		}
		if _, i := ed.find(at, e.Key); i >= 0 {
			at.Content[i+1] = e.Value.node()
			return
		}
		ed.put(at, e.Key, e.Value.node())
		return
	}
	if at.Kind == yaml.ScalarNode {
		*at = yaml.Node{Kind: yaml.SequenceNode, Content: []*yaml.Node{{Kind: yaml.ScalarNode, Value: at.Value}}}
	}
	at.Kind = yaml.SequenceNode
	for were, n := ed.elements(at), e.Nth; n > 0 && n <= len(were); n++ {
		if i := slices.Index(at.Content, were[n-1]); i >= 0 { // else that one has gone, and it goes before the next
			at.Content = slices.Insert(at.Content, i, e.Value.node())
			return
		}
	}
	at.Content = append(at.Content, e.Value.node())
}

// elements are those that a list had before it was changed: edits count them as they were before any of them.
func (ed *editor) elements(list *yaml.Node) []*yaml.Node {
	were, found := ed.were[list]
	if !found {
		were = slices.Clone(list.Content)
		ed.were[list] = were
	}
	return were
}

// put adds an entry to a mapping, and to what is known of its keys.
func (ed *editor) put(m *yaml.Node, key string, value *yaml.Node) {
	if known := ed.keys[m]; known != nil {
		known[key] = len(m.Content)
	}
	m.Content = append(m.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: key}, value)
}

// sameTree reports whether two trees hold the same values, whatever their layout.
func sameTree(a, b *yaml.Node) bool {
	bothNull := nothing(a) && nothing(b) // however that is written
	if a.Kind != b.Kind || a.Value != b.Value && !bothNull || len(a.Content) != len(b.Content) {
		return false
	}
	for i := range a.Content {
		if !sameTree(a.Content[i], b.Content[i]) {
			return false
		}
	}
	return true
}
