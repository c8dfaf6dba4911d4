package text

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// at splits a path written with dots.
func at(path string) Path {
	if path == "" {
		return nil
	}
	return strings.Split(path, ".")
}

func set(path, key, value string) Edit { return Set(at(path), key, Word(value)) }

func TestApply(t *testing.T) {
	for _, c := range []struct {
		name, before, after string
		edits               []Edit
	}{
		{"replace an entry and its key", "a:\n  size: /20   # why\n  b: 1\n", "a:\n  range: 10.0.0.0/20   # why\n  b: 1\n",
			[]Edit{{Path: at("a"), Was: "size", Key: "range", Value: Word("10.0.0.0/20")}}},
		{"replace in braces", "a: {size: /20, b: 1}\n", "a: {range: fd3a::/48, b: 1}\n",
			[]Edit{{Path: at("a"), Was: "size", Key: "range", Value: Word("fd3a::/48")}}},
		{"replace a value over several lines", "a:\n  b:\n    - x\n    - y # z\n  c: 1\n", "a:\n  b: [p, q] # z\n  c: 1\n",
			[]Edit{{Path: at("a"), Key: "b", Value: Words("p", "q")}}},
		{"add below the last entry", "a:\n  b: 1 # one\n\n# about c\nc: 2\n", "a:\n  b: 1 # one\n  d: 3\n\n# about c\nc: 2\n",
			[]Edit{set("a", "d", "3")}},
		{"add behind a nested entry", "a:\n  b:\n    c: {d: [1,\n      2]}   # end\ne: 1\n", "a:\n  b:\n    c: {d: [1,\n      2]}   # end\n  f: x\ne: 1\n",
			[]Edit{set("a", "f", "x")}},
		{"add inside braces", "a: {b: 1}\n", "a: {b: 1, c: x}\n", []Edit{set("a", "c", "x")}},
		{"add inside braces with a comma at the end", "a: {\n  b: 1, # one\n}\n", "a: {\n  b: 1, c: x, # one\n}\n", []Edit{set("a", "c", "x")}},
		{"add to a key without a value", "a:\n  b:\n  c: 1\n", "a:\n  b:\n    d: x\n    e: w\n  c: 1\n",
			[]Edit{set("a.b", "d", "x"), set("a.b", "e", "w")}},
		{"add to empty braces", "a:\n  b: {}\n  c: 1\n", "a:\n  b:\n    d: x\n  c: 1\n", []Edit{set("a.b", "d", "x")}},
		{"add a mapping that is not there", "a:\n  b: 1\n", "a:\n  b: 1\n  c:\n    d: {e: 1}\n    f: w\n",
			[]Edit{{Path: at("a.c"), Key: "d", Value: Map(Field{"e", Word("1")})}, set("a.c", "f", "w")}},
		{"add a mapping that is not there, inside braces", "a: {b: 1}\n", "a: {b: 1, c: {d: x, f: w}}\n", []Edit{set("a.c", "d", "x"), set("a.c", "f", "w")}},
		{"add at two depths of one place", "a:\n  b:\n    c: 1\n", "a:\n  b:\n    c: 1\n    d: x\n  e: w\n", []Edit{set("a", "e", "w"), set("a.b", "d", "x")}},
		{"add at the top", "a: 1\n", "a: 1\nb:\n  c: x\n", []Edit{set("b", "c", "x")}},
		{"add to a list in brackets", "a: {b: [x]}\n", "a: {b: [x, \"y, z\"]}\n", []Edit{{Path: at("a.b"), Value: Word("y, z")}}},
		{"add to a list in lines", "a:\n  - x\n  # more\n", "a:\n  - x\n  - w\n  # more\n", []Edit{{Path: at("a"), Value: Word("w")}}},
		{"add to a list before an element", "a:\n  - x\n  - z\n", "a:\n  - x\n  - w\n  - z\n", []Edit{{Path: at("a"), Nth: 2, Value: Word("w")}}},
		{"add to a list in brackets before an element", "a: [x, z]\n", "a: [x, w, z]\n", []Edit{{Path: at("a"), Nth: 2, Value: Word("w")}}},
		{"add twice before one element, and before another", "a: [x, y, z]\n", "a: [p, q, x, y, r, z]\n",
			[]Edit{{Path: at("a"), Nth: 1, Value: Word("p")}, {Path: at("a"), Nth: 3, Value: Word("r")}, {Path: at("a"), Nth: 1, Value: Word("q")}}},
		{"add lines twice before one element", "a:\n  - x\n  - z\n", "a:\n  - x\n  - p\n  - q\n  - z\n",
			[]Edit{{Path: at("a"), Nth: 2, Value: Word("p")}, {Path: at("a"), Nth: 2, Value: Word("q")}}},
		{"the same edit twice", "a: [x]\n", "a: [x, w]\n", []Edit{{Path: at("a"), Value: Word("w")}, {Path: at("a"), Value: Word("w")}}},
		{"add to a single value", "a: {b: x}\nc: 1\n", "a: {b: [x, w, z]}\nc: 1\n", []Edit{Add(at("a.b"), Word("w")), Add(at("a.b"), Word("z"))}},
		{"add to a single value in lines", "a:\n  b: 10.0.0.0/8 # ours\nc: 1\n", "a:\n  b: [10.0.0.0/8, 10.1.0.0/16] # ours\nc: 1\n", []Edit{Add(at("a.b"), Word("10.1.0.0/16"))}},
		{"remove an element in lines", "a:\n  - x\n  - y: 1\n    z: 2\n  - w # why\n", "a:\n  - x\n  - w # why\n", []Edit{RemoveNth(at("a"), 2)}},
		{"remove elements in brackets", "a: [x, {y: 1}, z, w]\n", "a: [x, z]\n", []Edit{RemoveNth(at("a"), 2), RemoveNth(at("a"), 4)}},
		{"remove the first element in brackets", "a: [x, y]\n", "a: [y]\n", []Edit{RemoveNth(at("a"), 1)}},
		{"remove an element and add another", "a: [x, y]\n", "a: [x, z]\n", []Edit{RemoveNth(at("a"), 2), Add(at("a"), Word("z"))}},
		{"add to an empty list", "a:\n  b: []\n", "a:\n  b:\n    - x\n", []Edit{{Path: at("a.b"), Value: Word("x")}}},
		{"line ends of another system", "a:\r\n  b: 1\r\n", "a:\r\n  b: 1\r\n  c: x\r\n", []Edit{set("a", "c", "x")}},
		{"no line end at the end", "a:\n  b: 1", "a:\n  b: 1\n  c: x", []Edit{set("a", "c", "x")}},
		{"wide letters before the place", "é: {ü: 'ß''s'}\n", "é: {ü: 'ß''s', c: x}\n", []Edit{set("é", "c", "x")}},
		{"a block of text at the end", "a:\n  b: |\n    one\n\n    two\n\nc: 1\n", "a:\n  b: |\n    one\n\n    two\n  d: x\n\nc: 1\n", []Edit{set("a", "d", "x")}},
		{"a folded word at the end", "a:\n  b: one\n    two\nc: 1\n", "a:\n  b: one\n    two\n  d: x\nc: 1\n", []Edit{set("a", "d", "x")}},
		{"the layout of JSON", "{\"a\": {\"b\": 1}}\n", "{\"a\": {\"b\": 1, \"c\": {\"d\": \"x\"}}}\n", []Edit{set("a.c", "d", "x")}},
		{"four blanks a level", "a:\n    b:\n        c: 1\n", "a:\n    b:\n        c: 1\n    d:\n        e: x\n", []Edit{set("a.d", "e", "x")}},
		{"remove lines", "a:\n  b: 1\n  c:\n    - x # y\n  d: 2\n", "a:\n  b: 1\n  d: 2\n", []Edit{{Path: at("a"), Key: "c", Remove: true}}},
		{"remove inside braces", "a: {b: 1, c: [x], d: 2}\n", "a: {b: 1, d: 2}\n", []Edit{{Path: at("a"), Key: "c", Remove: true}}},
		{"remove the first inside braces", "a: {b: 1, c: 2}\n", "a: {c: 2}\n", []Edit{{Path: at("a"), Key: "b", Remove: true}}},
		{"remove the last and add behind it", "a:\n  b: 1\n  c: 2\n", "a:\n  b: x\n  d: w\n", []Edit{set("a", "b", "x"), {Path: at("a"), Key: "c", Remove: true}, set("a", "d", "w")}},
		{"remove the last inside braces and add behind it", "a: {b: 1, c: 2}\n", "a: {b: 1, d: w}\n", []Edit{{Path: at("a"), Key: "c", Remove: true}, set("a", "d", "w")}},
		{"remove what is not there", "a: {b: 1}\n", "a: {b: 1}\n", []Edit{{Path: at("a"), Key: "c", Remove: true}, {Path: at("x.y"), Key: "c", Remove: true}}},
		{"the whole of a key with quotes", "a:\n  \"size\": \"/20\"\n", "a:\n  range: ::1/128\n", []Edit{{Path: at("a"), Was: "size", Key: "range", Value: Word("::1/128")}}},
	} {
		got, _, err := One("t", c.before).First().Apply(c.edits)
		if c.name == "the whole of a key with quotes" {
			c.after = "a:\n  range: \"::1/128\"\n"
		}
		if assert.NoError(t, err, c.name) {
			assert.Equal(t, c.after, got, c.name)
		}
	}
}

func TestApplyRefuses(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		edit Edit
	}{
		"an alias":           {"a: &x {b: 1}\nc: *x\n", set("c", "d", "1")},
		"an anchor":          {"a: &x {b: 1}\nc: *x\n", set("a", "d", "1")},
		"a word for a place": {"a: 1\n", set("a.b", "d", "1")},
		"a list for a map":   {"a: [1]\n", set("a", "d", "1")},
		"nothing":            {"", set("a", "d", "1")},
		"no YAML":            {"a: [", set("a", "d", "1")},
	} {
		got, _, err := One("t", c.text).First().Apply([]Edit{c.edit})
		assert.Error(t, err, name)
		assert.Empty(t, got, name)
	}
}

// TestElements makes edits inside elements of lists, counted as they were before any of them.
func TestElements(t *testing.T) {
	const before = "a:\n  - {to: x, via: p}\n  - {to: y, via: q}\nb: [{to: x, via: p}, {to: y, via: q}]\n"
	for _, c := range []struct {
		edits []Edit
		want  string
	}{
		{[]Edit{Set(Path{"a", "2"}, "via", Word("r"))}, "a:\n  - {to: x, via: p}\n  - {to: y, via: r}\nb: [{to: x, via: p}, {to: y, via: q}]\n"},
		{[]Edit{Set(Path{"b", "1"}, "via", Word("r")), Set(Path{"b", "2"}, "only", Word("g"))}, "a:\n  - {to: x, via: p}\n  - {to: y, via: q}\nb: [{to: x, via: r}, {to: y, via: q, only: g}]\n"},
		{[]Edit{RemoveNth(Path{"a"}, 1), Set(Path{"a", "2"}, "via", Word("r"))}, "a:\n  - {to: y, via: r}\nb: [{to: x, via: p}, {to: y, via: q}]\n"},
	} {
		after, _, err := One("p", before).First().Apply(c.edits)
		require.NoError(t, err)
		assert.Equal(t, c.want, after)
	}
	_, _, err := One("p", before).First().Apply([]Edit{Set(Path{"a", "3"}, "via", Word("r"))})
	assert.Error(t, err, "there is no third one")
	assert.Equal(t, "write  via: r  at number 2 of a", Set(Path{"a", "2"}, "via", Word("r")).String())
}

// TestFolded writes inside what another edit writes.
func TestFolded(t *testing.T) {
	group := Map(Field{"in", Words("x")}, Field{"out", Words()})
	after, _, err := One("p", "n: {a: {}}\n").First().Apply([]Edit{
		Set(Path{"n", "groups"}, "g", group), Add(Path{"n", "groups", "g", "in"}, Word("v")), Insert(Path{"n", "groups", "g", "in"}, 1, Word("w")),
		Set(Path{"n", "groups", "g"}, "owner", Word("me")), Add(Path{"n", "groups", "g", "more", "deep"}, Word("z")),
	})
	require.NoError(t, err)
	assert.Equal(t, "n: {a: {}, groups: {g: {in: [w, x, v], out: [], owner: me, more: {deep: [z]}}}}\n", after)
}

// TestLongEntries: what is long and has others inside it gets lines of its own, in brackets and outside, and what comes later
// follows it.
func TestLongEntries(t *testing.T) {
	long := Map(Field{"range", Word("10.144.0.0/24")}, Field{"zone", Word("west-a")}, Field{"tier", Word("application")})
	flat, _, err := One("p", "n: {x: 1}\n").First().Apply([]Edit{Set(Path{"n", "subnets"}, "one", long), Set(Path{"n", "subnets"}, "two", long), Set(Path{"n"}, "z", Word("2"))})
	require.NoError(t, err)
	assert.Equal(t, "n: {x: 1,\n    subnets: {\n      one: {range: 10.144.0.0/24, zone: west-a, tier: application},\n      two: {range: 10.144.0.0/24, zone: west-a, tier: application}},\n    z: 2}\n", flat)
	more, _, err := One("p", flat).First().Apply([]Edit{Set(Path{"n", "subnets"}, "three", long)})
	require.NoError(t, err)
	assert.Contains(t, more, "application},\n      three: {range", "beside its like")
	table := Map(Field{"subnets", Words("a")}, Field{"routes", List(long, long)})
	block, _, err := One("p", "n:\n  x: 1\n").First().Apply([]Edit{Set(Path{"n"}, "table", table)})
	require.NoError(t, err)
	assert.Equal(t, "n:\n  x: 1\n  table:\n    subnets: [a]\n    routes:\n      - {range: 10.144.0.0/24, zone: west-a, tier: application}\n      - {range: 10.144.0.0/24, zone: west-a, tier: application}\n", block)
}

// TestFilesApply makes edits in the files where the things stand.
func TestFilesApply(t *testing.T) {
	s := NewFiles(nil)
	s.Add("one", "a: {x: 1}\nhubs: {}\n")
	s.Add("two", "b: {y: {z: 1}}\na: {w: 2}\n")
	changed, err := s.Apply([]Edit{Set(Path{"b", "y"}, "z", Word("3")), Set(Path{"a"}, "w", Word("4")), Set(Path{"a"}, "new", Word("5")), Set(Path{"sites"}, "s", Word("6"))})
	require.NoError(t, err)
	require.Len(t, changed, 2)
	assert.Equal(t, "a: {x: 1, new: 5}\nhubs: {}\nsites:\n  s: 6\n", changed[0].After)
	assert.Equal(t, "b: {y: {z: 3}}\na: {w: 4}\n", changed[1].After)
	assert.Equal(t, "b: {y: {z: 3}}\na: {w: 4}\n", s.With(changed).All()[1].Text)
}
