package text

import (
	"iter"
	"strings"

	"go.yaml.in/yaml/v4"
)

// Kind says what a node is.
type Kind uint8

// The kinds of nodes. The zero Kind is that of the zero Node, which is nothing.
const (
	ScalarKind Kind = iota + 1
	ListKind
	MapKind
	AliasKind
)

// What else is known of a node.
const (
	isNull   uint8 = 1 << iota // nothing was written for a value
	isTagged                   // it has a tag
	isFlow                     // it stands in brackets
	isApart                    // its value stands in Tree.apart, and not in the text
)

// node is one node of a tree: 24 bytes, where those of the library take some three hundred. The nodes in it follow it.
type node struct {
	kind         Kind
	flags        uint8
	size         uint32 // of its subtree in nodes, itself counted
	line, column uint32
	start, end   uint32 // of its value in the text, or apart; of an alias, start is the node that it stands for
}

// Tree is the one document of a text.
type Tree struct {
	file  *File
	nodes []node
	apart string            // values that the text writes in another way: with escapes, or over several lines
	tags  map[uint32]string // by node
}

// Root is the outermost node; the zero Node for an empty text.
func (t *Tree) Root() Node {
	if len(t.nodes) == 0 {
		return Node{}
	}
	return Node{t, 0}
}

// Node is a place in a tree.
type Node struct {
	t *Tree
	i uint32
}

func (n Node) node() *node { return &n.t.nodes[n.i] }

// Kind is what the node is; 0 for the zero Node.
func (n Node) Kind() Kind {
	if n.t == nil {
		return 0
	}
	return n.node().kind
}

// At is where the node starts; no place for the zero Node.
func (n Node) At() Pos {
	if n.t == nil {
		return 0
	}
	x := n.node()
	return n.t.file.at(int(x.line), int(x.column))
}

// Value is the value of a scalar, without quotes and escapes.
func (n Node) Value() string {
	x := n.node()
	if x.flags&isApart != 0 {
		return n.t.apart[x.start:x.end]
	}
	return n.t.file.Text[x.start:x.end]
}

// IsNull reports whether nothing was written for a value.
func (n Node) IsNull() bool { return n.node().flags&isNull != 0 }

// Tag is the tag that was written before a value; empty for none.
func (n Node) Tag() string {
	if n.node().flags&isTagged == 0 {
		return ""
	}
	return n.t.tags[n.i]
}

// Target is the node that an alias stands for.
func (n Node) Target() Node { return Node{n.t, n.node().start} }

// Entries are the keys and values of a mapping.
func (n Node) Entries() iter.Seq2[Node, Node] {
	return func(yield func(key, value Node) bool) {
		end := n.i + n.node().size
		for i := n.i + 1; i < end; {
			value := i + n.t.nodes[i].size
			if !yield(Node{n.t, i}, Node{n.t, value}) {
				return
			}
			i = value + n.t.nodes[value].size
		}
	}
}

// Elements are the elements of a list.
func (n Node) Elements() iter.Seq[Node] {
	return func(yield func(Node) bool) {
		end := n.i + n.node().size
		for i := n.i + 1; i < end; i += n.t.nodes[i].size {
			if !yield(Node{n.t, i}) {
				return
			}
		}
	}
}

// Several reports whether a mapping or list holds more than one thing.
func (n Node) Several() bool {
	x := n.node()
	if x.size == 1 {
		return false
	}
	first := n.t.nodes[n.i+1].size
	if x.kind == MapKind {
		first += n.t.nodes[n.i+1+first].size
	}
	return first+1 < x.size
}

// Tree is the node tree of the file's document: from the cache where it has it, else read anew, in pieces side by side
// where the text can be cut into such.
func (f *File) Tree() (*Tree, *Problem) {
	large := f.cache != nil && len(f.Text) >= worthKeeping
	if large {
		if t := f.cached(); t != nil {
			return t, nil
		}
	}
	if p := f.check(); p != nil {
		return nil, p
	}
	t, cut := f.inPieces(pieceSize)
	if !cut {
		root, p := f.parse()
		if p != nil {
			return nil, p
		}
		b := &treeBuilder{file: f}
		if root != nil {
			b.add(root)
		}
		t = b.tree()
	}
	if large {
		f.keep(t)
	}
	return t, nil
}

// treeBuilder makes a compact tree of the library's.
type treeBuilder struct {
	file  *File
	above int // lines of the file before the first one that the library has seen
	nodes []node
	apart strings.Builder
	tags  map[uint32]string
	known map[*yaml.Node]uint32 // those with an anchor

	// Where the last node stood: nodes come in the order of the text, so each line is walked once.
	line, column, offset int
}

func (b *treeBuilder) tree() *Tree {
	return &Tree{file: b.file, nodes: b.nodes, apart: b.apart.String(), tags: b.tags}
}

// add adds a node and all that is in it.
func (b *treeBuilder) add(y *yaml.Node) {
	i := uint32(len(b.nodes))
	n := node{line: uint32(y.Line + b.above), column: uint32(y.Column)}
	if y.Anchor != "" {
		if b.known == nil {
			b.known = map[*yaml.Node]uint32{}
		}
		b.known[y] = i
	}
	if y.Style&yaml.TaggedStyle != 0 {
		n.flags |= isTagged
		if b.tags == nil {
			b.tags = map[uint32]string{}
		}
		b.tags[i] = y.Tag
	}
	if y.Style&yaml.FlowStyle != 0 {
		n.flags |= isFlow
	}
	switch y.Kind {
	case yaml.MappingNode:
		n.kind = MapKind
	case yaml.SequenceNode:
		n.kind = ListKind
	case yaml.AliasNode:
		n.kind, n.start = AliasKind, b.known[y.Alias]
	default:
		n.kind = ScalarKind
		if nothing(y) {
			n.flags |= isNull
		}
		b.value(y, &n)
	}
	b.nodes = append(b.nodes, n)
	for _, c := range y.Content {
		b.add(c)
	}
	b.nodes[i].size = uint32(len(b.nodes)) - i
}

// value finds the value of a scalar in the text, or puts it apart.
func (b *treeBuilder) value(y *yaml.Node, n *node) {
	if y.Value == "" {
		return
	}
	plain := y.Style&(yaml.TaggedStyle|yaml.LiteralStyle|yaml.FoldedStyle) == 0 && y.Anchor == ""
	if plain {
		at := b.seek(y.Line+b.above, y.Column)
		quote := ""
		if y.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0 {
			at, quote = at+1, b.file.Text[at:at+1]
		}
		if end := at + len(y.Value); end+len(quote) <= len(b.file.Text) && b.file.Text[at:end] == y.Value && b.file.Text[end:end+len(quote)] == quote {
			n.start, n.end = uint32(at), uint32(end)
			return
		}
	}
	n.flags |= isApart
	n.start = uint32(b.apart.Len())
	b.apart.WriteString(y.Value)
	n.end = uint32(b.apart.Len())
}

// seek is the byte at a line and column, which lie behind those asked for before.
func (b *treeBuilder) seek(line, column int) int {
	if line != b.line || column < b.column {
		b.line, b.column, b.offset = line, 1, b.file.offset(line, 1)
	}
	b.offset = skip(b.file.Text, b.offset, column-b.column)
	b.column = column
	return b.offset
}

// nothing reports whether nothing was written for a value.
func nothing(n *yaml.Node) bool {
	return n.Kind == yaml.ScalarNode && n.Tag == "!!null" && n.Style == 0
}
