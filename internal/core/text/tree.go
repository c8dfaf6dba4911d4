package text

import (
	"encoding/binary"
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

// A tree is records of nodes, the nodes in one following it, in the form in which a cache keeps them: 24 bytes, where
// those of the library take some three hundred. All numbers are little-endian, of 32 bits.
const (
	atKind    = 0  // one byte
	atFlags   = 1  // one byte
	atAliases = 2  // one byte, of the first node: whether the tree has aliases; one is not used
	atSize    = 4  // of the node's subtree in nodes, itself counted
	atLine    = 8  // from 1
	atColumn  = 12 // from 1
	atStart   = 16 // of its value in the text, or apart; of an alias, the number of the node that it stands for
	atEnd     = 20
	nodeSize  = 24
)

// Tree is the one document of a text.
type Tree struct {
	file  *File
	nodes []byte            // records
	apart string            // values that the text writes in another way: with escapes, or over several lines
	tags  map[uint32]string // by node
}

func (t *Tree) get(node uint32, at int) uint32 {
	return binary.LittleEndian.Uint32(t.nodes[int(node)*nodeSize+at:])
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

func (n Node) flag(f uint8) bool { return n.t.nodes[int(n.i)*nodeSize+atFlags]&f != 0 }

// Kind is what the node is; 0 for the zero Node.
func (n Node) Kind() Kind {
	if n.t == nil {
		return 0
	}
	return Kind(n.t.nodes[int(n.i)*nodeSize+atKind])
}

// At is where the node starts; no place for the zero Node.
func (n Node) At() Pos {
	if n.t == nil {
		return 0
	}
	return n.t.file.At(int(n.t.get(n.i, atLine)), int(n.t.get(n.i, atColumn)))
}

// Value is the value of a scalar, without quotes and escapes.
func (n Node) Value() string {
	start, end := n.t.get(n.i, atStart), n.t.get(n.i, atEnd)
	if n.flag(isApart) {
		return n.t.apart[start:end]
	}
	return n.t.file.Text[start:end]
}

// IsNull reports whether nothing was written for a value.
func (n Node) IsNull() bool { return n.flag(isNull) }

// Tag is the tag that was written before a value; empty for none.
func (n Node) Tag() string {
	if !n.flag(isTagged) {
		return ""
	}
	return n.t.tags[n.i]
}

// Target is the node that an alias stands for.
func (n Node) Target() Node { return Node{n.t, n.t.get(n.i, atStart)} }

// behind is the number of the node behind a node and all that is in it.
func (n Node) behind() uint32 { return n.i + n.t.get(n.i, atSize) }

// Entries are the keys and values of a mapping.
func (n Node) Entries() iter.Seq2[Node, Node] {
	return func(yield func(key, value Node) bool) {
		for i, end := n.i+1, n.behind(); i < end; {
			key := Node{n.t, i}
			value := Node{n.t, key.behind()}
			if !yield(key, value) {
				return
			}
			i = value.behind()
		}
	}
}

// Elements are the elements of a list.
func (n Node) Elements() iter.Seq[Node] {
	return func(yield func(Node) bool) {
		for i, end := n.i+1, n.behind(); i < end; i = (Node{n.t, i}).behind() {
			if !yield(Node{n.t, i}) {
				return
			}
		}
	}
}

// Nodes is how many nodes the node and all that is in it are.
func (n Node) Nodes() int { return int(n.t.get(n.i, atSize)) }

// HasAliases reports whether the tree that the node is in has any alias.
func (n Node) HasAliases() bool { return n.t.nodes[atAliases] != 0 }

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
	var t *Tree
	cut := false
	if f.root == nil {
		t, cut = f.inPieces(f.pieceSize())
	}
	if !cut {
		root, p := f.root, (*Problem)(nil)
		if root == nil {
			if root, p = f.parse(); p != nil {
				return nil, p
			}
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
	nodes []byte
	apart strings.Builder
	tags  map[uint32]string
	known map[*yaml.Node]uint32 // those with an anchor

	// Where the last node stood: nodes come in the order of the text, so each line is walked once.
	line, column, offset int
}

func (b *treeBuilder) tree() *Tree {
	return &Tree{file: b.file, nodes: b.nodes, apart: b.apart.String(), tags: b.tags}
}

func (b *treeBuilder) set(node uint32, at int, value uint32) {
	binary.LittleEndian.PutUint32(b.nodes[int(node)*nodeSize+at:], value)
}

// add adds a node and all that is in it.
func (b *treeBuilder) add(y *yaml.Node) {
	i := uint32(len(b.nodes) / nodeSize)
	b.nodes = append(b.nodes, make([]byte, nodeSize)...)
	var flags uint8
	kind := ScalarKind
	if y.Anchor != "" {
		if b.known == nil {
			b.known = map[*yaml.Node]uint32{}
		}
		b.known[y] = i
	}
	if y.Style&yaml.TaggedStyle != 0 {
		flags |= isTagged
		if b.tags == nil {
			b.tags = map[uint32]string{}
		}
		b.tags[i] = y.Tag
	}
	if y.Style&yaml.FlowStyle != 0 {
		flags |= isFlow
	}
	switch y.Kind {
	case yaml.MappingNode:
		kind = MapKind
	case yaml.SequenceNode:
		kind = ListKind
	case yaml.AliasNode:
		kind, b.nodes[atAliases] = AliasKind, 1
		b.set(i, atStart, b.known[y.Alias])
	default:
		if nothing(y) {
			flags |= isNull
		}
		start, end, apart := b.value(y)
		if apart {
			flags |= isApart
		}
		b.set(i, atStart, uint32(start))
		b.set(i, atEnd, uint32(end))
	}
	b.nodes[int(i)*nodeSize+atKind], b.nodes[int(i)*nodeSize+atFlags] = byte(kind), flags
	b.set(i, atLine, uint32(y.Line+b.above))
	b.set(i, atColumn, uint32(y.Column))
	for _, c := range y.Content {
		b.add(c)
	}
	b.set(i, atSize, uint32(len(b.nodes)/nodeSize)-i)
}

// value finds the value of a scalar in the text, or puts it apart.
func (b *treeBuilder) value(y *yaml.Node) (start, end int, apart bool) {
	if y.Value == "" {
		return 0, 0, false
	}
	if y.Style&(yaml.TaggedStyle|yaml.LiteralStyle|yaml.FoldedStyle) == 0 && y.Anchor == "" {
		at := b.seek(y.Line+b.above, y.Column)
		quote := ""
		if y.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0 {
			at, quote = at+1, b.file.Text[at:at+1]
		}
		if end := at + len(y.Value); end+len(quote) <= len(b.file.Text) && b.file.Text[at:end] == y.Value && b.file.Text[end:end+len(quote)] == quote {
			return at, end, false
		}
	}
	start = b.apart.Len()
	b.apart.WriteString(y.Value)
	return start, b.apart.Len(), true
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
