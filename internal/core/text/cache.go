package text

import (
	"encoding/binary"
	"hash/crc32"
)

// A Cache keeps what reading a text came to. It may lose anything at any time, and must never give what was stored for
// another text.
type Cache interface {
	Load(text string) []byte // nil when it has nothing
	Store(text string, value []byte)
}

// worthKeeping is from which size on a text takes longer to read than its tree.
const worthKeeping = 64 << 10

// The form of a tree in a cache: the version, a sum of the rest, the sizes of the text, of the nodes and of the values
// apart, and the number of tags; then the nodes, the values apart, and the tags. All numbers are little-endian, of 32 bits.
const (
	treeVersion = 1
	treeHeader  = 24
)

var castagnoli = crc32.MakeTable(crc32.Castagnoli)

// keep puts a tree into the cache.
func (f *File) keep(t *Tree) {
	le := binary.LittleEndian
	out := make([]byte, treeHeader, treeHeader+len(t.nodes)+len(t.apart)+64)
	le.PutUint32(out, treeVersion)
	le.PutUint32(out[8:], uint32(len(f.Text)))
	le.PutUint32(out[12:], uint32(len(t.nodes)))
	le.PutUint32(out[16:], uint32(len(t.apart)))
	le.PutUint32(out[20:], uint32(len(t.tags)))
	out = append(append(out, t.nodes...), t.apart...)
	for i, tag := range t.tags {
		out = le.AppendUint32(out, i)
		out = le.AppendUint32(out, uint32(len(tag)))
		out = append(out, tag...)
	}
	le.PutUint32(out[4:], crc32.Checksum(out[8:], castagnoli))
	f.cache.Store(f.Text, out)
}

// cached is the tree that the cache has; nil when it has none, or one that is damaged.
func (f *File) cached() *Tree {
	raw := f.cache.Load(f.Text)
	le := binary.LittleEndian
	size := func(at int) int { return int(le.Uint32(raw[at:])) }
	if len(raw) < treeHeader || size(0) != treeVersion || le.Uint32(raw[4:]) != crc32.Checksum(raw[8:], castagnoli) || size(8) != len(f.Text) {
		return nil
	}
	rest := raw[treeHeader:]
	take := func(n int) []byte {
		part := rest[:n:n]
		rest = rest[n:]
		return part
	}
	t := &Tree{file: f, nodes: take(size(12)), apart: string(take(size(16)))}
	for range size(20) {
		if t.tags == nil {
			t.tags = map[uint32]string{}
		}
		i, n := le.Uint32(rest), int(le.Uint32(rest[4:]))
		take(8)
		t.tags[i] = string(take(n))
	}
	return t
}
