package text

import (
	"bytes"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"

	"wendrik/internal/fuzz"
)

// whole reads a text at once, and never from a cache.
func whole(f *File) *Tree {
	root, p := f.parse()
	if p != nil {
		return nil
	}
	b := &treeBuilder{file: f}
	if root != nil {
		b.add(root)
	}
	return b.tree()
}

// requireSame holds a compact tree against the library's.
func requireSame(t *testing.T, y *yaml.Node, n Node) {
	kinds := map[yaml.Kind]Kind{yaml.ScalarNode: ScalarKind, yaml.MappingNode: MapKind, yaml.SequenceNode: ListKind, yaml.AliasNode: AliasKind}
	require.Equal(t, kinds[y.Kind], n.Kind())
	require.Equal(t, [2]int{y.Line, y.Column}, [2]int{n.At().Line(), n.At().Column()})
	var parts []Node
	switch n.Kind() {
	case ScalarKind:
		require.Equal(t, y.Value, n.Value())
		require.Equal(t, nothing(y), n.IsNull())
		require.Equal(t, y.Style&yaml.TaggedStyle != 0, n.Tag() != "")
	case AliasKind:
		require.Equal(t, y.Alias.Line, n.Target().At().Line())
	case MapKind:
		for k, v := range n.Entries() {
			parts = append(parts, k, v)
		}
		require.Equal(t, len(y.Content) > 0, n.Nodes() > 1)
	case ListKind:
		for e := range n.Elements() {
			parts = append(parts, e)
		}
	}
	require.Len(t, parts, len(y.Content))
	for i, c := range y.Content {
		requireSame(t, c, parts[i])
	}
}

// requirePieces holds what the pieces of a text come to against the whole of it.
func requirePieces(t *testing.T, text string, size int) (cut bool) {
	t.Helper()
	f := One("t", text).First()
	got, cut := f.inPieces(size)
	if !cut {
		return false
	}
	want := whole(f)
	require.NotNil(t, want, "pieces were read of a text that is not YAML")
	require.Equal(t, len(want.nodes), len(got.nodes))
	for i := range len(want.nodes) / nodeSize {
		a, b := want.nodes[i*nodeSize:][:atStart], got.nodes[i*nodeSize:][:atStart]
		if (Node{want, uint32(i)}).Value() != (Node{got, uint32(i)}).Value() || !bytes.Equal(a, b) {
			require.Fail(t, "another node", "number %d: %v and %v", i, a, b)
		}
	}
	require.Equal(t, want.tags, got.tags)
	return true
}

// long is a text of many pieces, with an entry somewhere in the middle of it.
func long(entry string) string { return longAt(entry, 45) }

// longAt has it in the place with a number.
func longAt(entry string, at int) string {
	var b strings.Builder
	b.WriteString("# about\nwendrik: 1\n\nestate: x\nnetworks:\n")
	for i := range 90 {
		if i == at {
			b.WriteString(entry)
		}
		fmt.Fprintf(&b, "  n%d:\n    range: [10.0.0.0/8, ::/0, \"a\\tb\"]   # %d\n    é: {ü: 'x''y', z: }\n", i, i)
	}
	b.WriteString("expect:\n  - a reaches b\nlast: {a: 1,\n  b: 2}\n")
	return b.String()
}

func TestPiecesAreTheWhole(t *testing.T) {
	for name, c := range map[string]struct {
		entry string
		cut   bool
	}{
		"nothing special":       {"", true},
		"brackets over lines":   {"  a: {b: [1,\n    2],\n   c: 3}\n", true},
		"a comment at the side": {"# here\n  # and here\n", true},
		"a text in lines":       {"  a: |\n    one\n     two\n\n    b: c\n", true},
		"a word in lines":       {"  a: one\n    two\n", true},
		"a tag":                 {"  a: !x y\n", true},
		"an anchor":             {"  a: &x y\n  b: *x\n", false},
		"brackets not indented": {"  a: {b: 1,\n  c: 3}\n", true},
		"brackets at the start": {"  a: {b: 1,\nc: 3}\n", true},
		"quotes not indented":   {"  a: \"one\n  b: 2\"\n", true},
		"another document":      {"---\n", false},
		"a mistake":             {"  a: b: c\n", false},
		"less indented":         {" a: b\n", false},
		"deeper than its head":  {"  a: b\n    c: d\n", false},
		"a list among entries":  {"  - a\n", false},
	} {
		cut := requirePieces(t, long(c.entry), 300)
		if c.cut && strings.Contains(name, "not indented") || name == "brackets at the start" {
			continue // whether a piece ends in the middle of it is a matter of luck
		}
		assert.Equal(t, c.cut, cut, name)
	}
	assert.True(t, requirePieces(t, strings.Replace(long(""), "networks:\n", "networks:   # all of them\n", 1), 300))
	for head, cut := range map[string]bool{"networks: &x\n": false, "networks: |\n": true, "networks: one\n": false, "networks: {\n": false, "\"networks\":\n": false} {
		assert.Equal(t, cut, requirePieces(t, strings.Replace(long(""), "networks:\n", head, 1), 300), head)
	}
}

// TestPiecesOfEveryCut moves the places at which a text is cut over all its lines: brackets and quotes that are open
// where a piece ends are seen, wherever that is.
func TestPiecesOfEveryCut(t *testing.T) {
	for _, entry := range []string{"  a: {b: 1,\n  c: 3}\n", "  a: \"one\n  b: 2\"\n", "  a: 'x\n\n  b: y'\n", "  a: {b: 1,\n  c: 3,\n  d: {\n  e: 1}}\n"} {
		cuts := 0
		for n := 0; n < 400; n += int(fuzz.Rounds(7, 1)) {
			if requirePieces(t, longAt(entry, 40+n%8), 100+n/4) {
				cuts++
			}
		}
		assert.True(t, cuts > 0 && cuts < 400, "%s was cut in %d ways of 400", entry, cuts)
	}
}

// mapCache is a cache in memory.
type mapCache map[string][]byte

func (m mapCache) Load(text string) []byte         { return m[text] }
func (m mapCache) Store(text string, value []byte) { m[text] = value }

func TestCachedTrees(t *testing.T) {
	cache := mapCache{}
	read := func(text string) *Tree {
		tree, p := NewFiles(cache).Add("t", text).Tree()
		require.Nil(t, p)
		return tree
	}
	text := long("  a: !x y\n  b: |\n    apart\n" + strings.Repeat("  # long\n", worthKeeping/9))
	first, again := read(text), read(text)
	require.Len(t, cache, 1)
	require.Equal(t, first.nodes, again.nodes)
	require.Equal(t, first.apart, again.apart)
	require.Equal(t, first.tags, again.tags)
	requireSame(t, mustParse(t, text), again.Root())

	read(text + "# another text\n")
	require.Len(t, cache, 2, "a text that differs in a comment is another")
	for key, value := range cache { // what is damaged is not believed
		for _, damage := range []func([]byte) []byte{
			func(b []byte) []byte { b[len(b)/2] ^= 1; return b },
			func(b []byte) []byte { return b[:len(b)/3] },
			func(b []byte) []byte { b[0]++; return b },
			func(b []byte) []byte { return nil },
		} {
			cache[key] = damage(append([]byte{}, value...))
			requireSame(t, mustParse(t, text), read(text).Root())
		}
	}
	_, p := NewFiles(cache).Add("t", strings.Repeat("a: b: c\n", worthKeeping)).Tree()
	require.NotNil(t, p)
	require.Len(t, cache, 2, "what cannot be read is not kept")
}

func mustParse(t *testing.T, text string) *yaml.Node {
	root, p := One("t", text).First().parse()
	require.Nil(t, p)
	return root
}

// FuzzTrees holds compact trees against the library's, and the trees of pieces against that of the whole.
func FuzzTrees(f *testing.F) {
	f.Add("a: {b: [1, 'x''y', \"\\n\"], c: &x !t |\n  z\n}\n", "  a: {b: 1,\n  c: 3}\n")
	f.Add("\ufeffé: ::/0\nü:\n- ~\n- *x\n", "  a: >\n    b\n  c:\n")
	f.Fuzz(func(t *testing.T, text, entry string) {
		defer fuzz.Bound()()
		if len(text) > fuzz.MaxText || len(entry) > fuzz.MaxText {
			t.Skip()
		}
		file := One("t", text).First()
		if tree, p := file.Tree(); p == nil {
			if root, _ := file.parse(); root != nil {
				requireSame(t, root, tree.Root())
			}
		}
		if len(entry) < 1000 && One("t", entry).First().check() == nil {
			requirePieces(t, long(entry), 300)
		}
	})
}

// TestInverse takes changes back.
func TestInverse(t *testing.T) {
	const text = "a:\n  size: /20 # why\n  b: [x, w]\n  c: 1\nd: {e: [1]}\nz:\n  - p\n"
	for name, c := range map[string]struct {
		edits []Edit
		exact bool
	}{
		"what was added":     {[]Edit{set("a", "k", "v"), Add(at("a.b"), Word("w")), Insert(at("a.b"), 1, Word("v")), set("n.m", "o", "1"), Add(at("z"), Word("q")), Set(at("d"), "f", Map(Field{"g", Words("h")}))}, true},
		"what was replaced":  {[]Edit{Replace(at("a"), "size", "range", Word("10.0.0.0/20")), set("a", "c", "2")}, true},
		"what was taken out": {[]Edit{Remove(at("a"), "c"), RemoveNth(at("a.b"), 1)}, false},
		"a list made anew":   {[]Edit{Set(at("a"), "b", Words("p", "q", "r"))}, true},
		"a single value":     {[]Edit{Add(at("a.c"), Word("2"))}, true},
	} {
		f := One("t", text).First()
		after, _, err := f.Apply(c.edits)
		require.NoError(t, err, name)
		back, err := Changes{{Edits: c.edits}}.Inverse(f)
		require.NoError(t, err, name)
		again, _, err := One("t", after).First().Apply(back.Edits)
		require.NoError(t, err, name)
		if c.exact && name != "what was added" {
			require.Equal(t, text, again, name)
		}
		left, err := Between(One("t", again).First(), f)
		require.NoError(t, err)
		require.Empty(t, left, name)
	}
	_, err := Between(One("t", "a: &x 1\nb: *x\n").First(), One("t", "a: 1\n").First())
	require.Error(t, err)
}

// FuzzBetween makes one text of another.
func FuzzBetween(f *testing.F) {
	f.Add("a: 1\nb: [x, y]\n", "a: {c: 2}\nb: [x, z, y]\nd:\n")
	f.Add("a: [1]\n", "a: []\nb: {c: [p]}\n")
	f.Fuzz(func(t *testing.T, from, to string) {
		defer fuzz.Bound()()
		if len(from) > fuzz.MaxText || len(to) > fuzz.MaxText {
			t.Skip()
		}
		a, b := One("a", from).First(), One("b", to).First()
		if a.check() != nil || b.check() != nil {
			return
		}
		edits, err := between(a, b)
		x, y := differing(a, b, 8)
		some, other := between(x, y)
		require.Equal(t, err == nil, other == nil, "what differs alone:\n%s---\n%s", x.Text, y.Text)
		if err != nil {
			return
		}
		require.Equal(t, edits, some, "what differs alone:\n%s---\n%s", x.Text, y.Text)
		got, _, err := a.Apply(edits)
		if err != nil {
			return // the layout of the text does not allow it
		}
		left, err := Between(One("g", got).First(), b)
		require.NoError(t, err)
		require.Empty(t, left, "%s", got)
	})
}

func TestWordsOfEdits(t *testing.T) {
	for want, e := range map[string]Edit{
		"write  accepted: [a, b]  at peerings.p":                         Set(at("peerings.p"), "accepted", Words("a", "b")),
		"write  estate: x  at the top":                                   set("", "estate", "x"),
		"add  tcp/443 from any  to networks.a.groups.g.in":               Add(at("networks.a.groups.g.in"), Word("tcp/443 from any")),
		"add  deny any from any  to networks.a.lists.l.in, as number 2":  Insert(at("networks.a.lists.l.in"), 2, Word("deny any from any")),
		"add  {to: 10.0.0.0/8, via: six}  to networks.a.tables.t.routes": Add(at("networks.a.tables.t.routes"), Map(Field{"to", Word("10.0.0.0/8")}, Field{"via", Word("six")})),
		"take size out of networks.a":                                    Remove(at("networks.a"), "size"),
		"take number 3 out of expect":                                    RemoveNth(at("expect"), 3),
	} {
		assert.Equal(t, want, e.String())
	}
}
