package text

import (
	"crypto/sha256"
	"encoding/binary"
	"hash/crc32"
)

// A Cache keeps what reading a text came to, under the hash of its bytes. It may lose anything at any time. What it
// gives must be what it was given; that is checked again by a sum.
type Cache interface {
	Load(key [sha256.Size]byte) []byte // nil when it has nothing
	Store(key [sha256.Size]byte, value []byte)
}

// worthKeeping is from which size on a text takes longer to read than its tree.
const worthKeeping = 64 << 10

// The form of a tree in a cache: the version, a sum of the rest, the number of nodes and of tags, the nodes, the tags,
// and the values apart. All numbers are little-endian, of 32 bits.
const (
	treeVersion = 1
	treeHeader  = 16
	nodeSize    = 24
)

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// keep puts a tree into the cache.
func (f *File) keep(t *Tree) {
	le := binary.LittleEndian
	out := make([]byte, treeHeader, treeHeader+nodeSize*len(t.nodes)+len(t.apart)+64)
	le.PutUint32(out, treeVersion)
	le.PutUint32(out[8:], uint32(len(t.nodes)))
	le.PutUint32(out[12:], uint32(len(t.tags)))
	for i := range t.nodes {
		n := &t.nodes[i]
		out = append(out, byte(n.kind), n.flags, 0, 0)
		for _, x := range [...]uint32{n.size, n.line, n.column, n.start, n.end} {
			out = le.AppendUint32(out, x)
		}
	}
	for i, tag := range t.tags {
		out = le.AppendUint32(out, i)
		out = le.AppendUint32(out, uint32(len(tag)))
		out = append(out, tag...)
	}
	out = append(out, t.apart...)
	le.PutUint32(out[4:], crc32.Checksum(out[8:], castagnoli))
	f.cache.Store(f.sum(), out)
}

// cached is the tree that the cache has; nil when it has none, or one that is damaged.
func (f *File) cached() *Tree {
	raw := f.cache.Load(f.sum())
	le := binary.LittleEndian
	if len(raw) < treeHeader || le.Uint32(raw) != treeVersion || le.Uint32(raw[4:]) != crc32.Checksum(raw[8:], castagnoli) {
		return nil
	}
	count, tags := int(le.Uint32(raw[8:])), int(le.Uint32(raw[12:]))
	rest := raw[treeHeader:]
	if len(rest) < nodeSize*count {
		return nil
	}
	t := &Tree{file: f, nodes: make([]node, count)}
	for i := range t.nodes {
		b := rest[nodeSize*i : nodeSize*i+nodeSize]
		t.nodes[i] = node{kind: Kind(b[0]), flags: b[1], size: le.Uint32(b[4:]), line: le.Uint32(b[8:]), column: le.Uint32(b[12:]), start: le.Uint32(b[16:]), end: le.Uint32(b[20:])}
	}
	rest = rest[nodeSize*count:]
	for range tags {
		if t.tags == nil {
			t.tags = map[uint32]string{}
		}
		n := int(le.Uint32(rest[4:]))
		t.tags[le.Uint32(rest)] = string(rest[8 : 8+n])
		rest = rest[8+n:]
	}
	t.apart = string(rest)
	return t
}

// sum is the hash of the text.
func (f *File) sum() [sha256.Size]byte { return sha256.Sum256([]byte(f.Text)) }
