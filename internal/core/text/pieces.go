package text

import (
	"hash/fnv"
	"runtime"
	"sync"

	"go.yaml.in/yaml/v4"
)

// A large text is read in pieces, side by side, so that the library's nodes of one piece are gone before those of the
// next are made. It is cut where an entry of the outermost mapping begins, or one of a mapping directly in that: at a
// line that is indented like its first entry and starts with a plain key. No value can go on behind such a line, but
// for one in brackets or quotes, and then the piece before it does not end well. So whenever a piece cannot be read,
// or is not of the expected form, the text is read as a whole, and what the library says of that counts.

// A piece has about so many bytes, by the size of the text.
const (
	leastPiece = 8 << 10
	mostPiece  = 128 << 10
)

// pieceSize is about how many bytes a piece of the text has.
func (f *File) pieceSize() int { return max(leastPiece, min(len(f.Text)/16, mostPiece)) }

// piece is some whole entries of a text.
type piece struct {
	text  string
	above int  // how many lines stand before it
	start int  // and how many bytes
	inner bool // whether it goes on with the entries of the last key of the piece before
}

// pieceTrees are the trees of pieces that were read: of a text of which an edit changes a piece, the others need not be read again.
type pieceTrees struct {
	lock sync.Mutex
	of   map[pieceKey]*treeBuilder
}

type pieceKey struct {
	text  string
	inner bool
}

// get is what was read of a piece; nil where nothing was.
func (t *pieceTrees) get(p piece) *treeBuilder {
	if t == nil {
		return nil
	}
	t.lock.Lock()
	defer t.lock.Unlock()
	return t.of[pieceKey{p.text, p.inner}]
}

// put keeps what was read of the pieces of a text. Those of other texts go once they are more than these.
func (t *pieceTrees) put(pieces []piece, built []*treeBuilder) {
	if t == nil {
		return
	}
	t.lock.Lock()
	defer t.lock.Unlock()
	if len(t.of) > 2*len(pieces) {
		t.of = nil
	}
	if t.of == nil {
		t.of = make(map[pieceKey]*treeBuilder, len(pieces))
	}
	for i, p := range pieces {
		if built[i] != nil {
			t.of[pieceKey{p.text, p.inner}] = built[i]
		}
	}
}

// inPieces reads the text in pieces of about some size, when it is larger and can be cut.
func (f *File) inPieces(size int) (*Tree, bool) {
	if len(f.Text) < 2*size {
		return nil, false
	}
	pieces, can := f.cut(size)
	if !can {
		return nil, false
	}
	built := make([]*treeBuilder, len(pieces))
	var all sync.WaitGroup
	next := make(chan int)
	for range runtime.GOMAXPROCS(0) {
		all.Go(func() {
			for i := range next {
				if built[i] = f.pieces.get(pieces[i]); built[i] == nil {
					built[i] = f.build(pieces[i])
				}
			}
		})
	}
	for i := range pieces {
		next <- i
	}
	close(next)
	all.Wait()
	f.pieces.put(pieces, built)
	return f.join(pieces, built)
}

// build reads a piece; nil when it is not what a piece should be.
func (f *File) build(p piece) *treeBuilder {
	depth := maxDepth
	if p.inner {
		depth-- // the mapping that it is in is not there to be counted
	}
	root, second, err := load(p.text, depth)
	if err != nil || second != nil || root == nil || root.Kind != yaml.MappingNode || root.Style&yaml.FlowStyle != 0 || root.Anchor != "" {
		return nil
	}
	b := &treeBuilder{file: &File{Text: p.text}}
	b.add(root)
	b.file = nil // whose places are not needed any more
	if b.known != nil || root.Style&yaml.TaggedStyle != 0 {
		return nil // an anchor may be meant by an alias in another piece
	}
	return b
}

// join puts the trees of pieces together.
func (f *File) join(pieces []piece, built []*treeBuilder) (*Tree, bool) {
	total := nodeSize
	for _, b := range built {
		if b == nil {
			return nil, false
		}
		total += len(b.nodes) - nodeSize
	}
	all := &treeBuilder{file: f, nodes: append(make([]byte, 0, total), built[0].nodes[:nodeSize]...)}
	t := &Tree{file: f}
	last := Node{t, 0} // the value of the last outermost key
	for i, p := range pieces {
		b := built[i]
		added := b.nodes[nodeSize:]
		if p.inner {
			if last.Kind() != MapKind || last.flag(isFlow) {
				return nil, false
			}
			all.set(last.i, atSize, t.get(last.i, atSize)+uint32(len(added)/nodeSize))
		}
		base := uint32(len(all.nodes) / nodeSize)
		all.nodes = append(all.nodes, added...)
		t.nodes = all.nodes
		end := uint32(len(all.nodes) / nodeSize)
		apart, above, start := uint32(all.apart.Len()), uint32(p.above), uint32(p.start)
		for n := (Node{t, base}); n.i < end; n.i++ {
			all.set(n.i, atLine, t.get(n.i, atLine)+above)
			if from, to := t.get(n.i, atStart), t.get(n.i, atEnd); to > from {
				by := start
				if n.flag(isApart) {
					by = apart
				}
				all.set(n.i, atStart, from+by)
				all.set(n.i, atEnd, to+by)
			}
		}
		all.apart.WriteString(b.apart.String())
		for j, tag := range b.tags {
			if all.tags == nil {
				all.tags = map[uint32]string{}
			}
			all.tags[j-1+base] = tag
		}
		if !p.inner {
			for n := (Node{t, base}); n.i < end; n.i = last.behind() {
				last.i = n.behind()
			}
		}
	}
	all.set(0, atSize, uint32(len(all.nodes)/nodeSize))
	return all.tree(), true
}

// cut finds where the text can be cut.
func (f *File) cut(most int) ([]piece, bool) {
	lines := f.lines()
	var pieces []piece
	first := 0 // the line that the piece begins with
	inner, indent := false, 0
	for i, start := range lines {
		depth, key, bare := keyOf(f.Line(i + 1))
		size := start - lines[first]
		switch {
		case key == 0:
			continue // nothing, or a comment, or the inside of a value
		case depth == 0 && key != 'k':
			return nil, false
		case depth == 0:
			if size >= most || inner {
				pieces = append(pieces, piece{f.Text[lines[first]:start], first, lines[first], inner})
				first, inner = i, false
			}
			indent = 0
			if bare {
				indent = -1 // that of the first line below it
			}
		case indent < 0 && key == 'k':
			indent = depth
		case indent < 0:
			indent = 0
		case depth == indent && key == 'k' && size >= most && (size >= 2*most || settles(f.Line(i+1))):
			pieces = append(pieces, piece{f.Text[lines[first]:start], first, lines[first], inner})
			first, inner = i, true
		}
	}
	pieces = append(pieces, piece{f.Text[lines[first]:], first, lines[first], inner})
	return pieces, len(pieces) > 1
}

// settles reports whether a line is one of a few, by what it says: pieces that end there end there again when something changes before it.
func settles(line string) bool {
	h := fnv.New32a()
	_, _ = h.Write([]byte(line))
	return h.Sum32()%4 == 0
}

// keyOf looks at how a line begins: how far it is indented, with what ('k' for a plain key, 0 for nothing or a comment,
// else '?'), and whether nothing but a comment follows the key.
func keyOf(line string) (depth int, key byte, bare bool) {
	for depth < len(line) && line[depth] == ' ' {
		depth++
	}
	rest := line[depth:]
	if rest == "" || rest[0] == '#' {
		return depth, 0, false
	}
	i := 0
	for i < len(rest) && (rest[i] >= 'a' && rest[i] <= 'z' || i > 0 && (rest[i] >= '0' && rest[i] <= '9' || rest[i] == '-')) {
		i++
	}
	if i == 0 || i == len(rest) || rest[i] != ':' || i+1 < len(rest) && rest[i+1] != ' ' {
		return depth, '?', false
	}
	for i++; i < len(rest) && rest[i] == ' '; i++ {
	}
	return depth, 'k', i == len(rest) || rest[i] == '#'
}
