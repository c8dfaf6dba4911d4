package text

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/golden"
)

// editOf reads an edit of a test: a verb, a path with slashes, what else it needs, and a value.
func editOf(t *testing.T, line string) Edit {
	t.Helper()
	if after, is := strings.CutPrefix(line, "lines "); is {
		e := editOf(t, after)
		e.Lines = true
		return e
	}
	verb, rest, _ := strings.Cut(line, " ")
	next := func() string {
		word, after, _ := strings.Cut(rest, " ")
		rest = after
		return word
	}
	path := Path(strings.FieldsFunc(next(), func(r rune) bool { return r == '/' }))
	value := func() Value {
		root, problem := One("v", "v: "+rest+"\n").First().parse()
		require.Nil(t, problem, line)
		return valueOf(root.Content[1])
	}
	number := func() int {
		n, err := strconv.Atoi(next())
		require.NoError(t, err, line)
		return n
	}
	switch verb {
	case "set":
		key := next()
		return Set(path, key, value())
	case "replace":
		was := next()
		key := next()
		return Replace(path, was, key, value())
	case "add":
		return Add(path, value())
	case "insert":
		n := number()
		return Insert(path, n, value())
	case "put":
		n := number()
		return Put(path, n, value())
	case "remove":
		return Remove(path, next())
	case "remove-nth":
		return RemoveNth(path, number())
	}
	require.Fail(t, "no edit", line)
	return Edit{}
}

// TestEdits makes edits in texts of all layouts: what they say of themselves, what becomes of the text, and what takes it back.
func TestEdits(t *testing.T) {
	golden.File(t, "edits.txt", func(t *testing.T, asked string) string {
		content, lines, _ := strings.Cut(asked+"\n", "\n@@\n")
		content = strings.ReplaceAll(content+"\n", "␍", "\r")
		content = strings.ReplaceAll(strings.TrimSuffix(content, "∅\n"), "⇥", "\t")
		f := One("plan.yaml", content).First()
		var b strings.Builder
		var edits []Edit
		for line := range strings.Lines(lines) {
			e := editOf(t, strings.TrimSpace(line))
			edits = append(edits, e)
			fmt.Fprintf(&b, "- %s\n", e)
		}
		after, patches, err := f.Apply(edits)
		if err != nil {
			require.Empty(t, after)
			return b.String() + "error: " + err.Error()
		}
		from := 0
		rest := after
		for _, p := range patches { // what no patch names is there as it was
			kept := content[from:p.Start]
			require.True(t, strings.HasPrefix(rest, kept+p.Text), "%q", rest)
			rest, from = rest[len(kept)+len(p.Text):], p.End
		}
		require.Equal(t, content[from:], rest)
		b.WriteString(strings.ReplaceAll(after, "\r", "␍"))
		if !strings.HasSuffix(after, "\n") {
			b.WriteString("∅\n")
		}
		back, err := Changes{{Edits: edits}}.Inverse(f)
		if err != nil {
			return b.String() + "back: " + err.Error()
		}
		for _, e := range back.Edits {
			fmt.Fprintf(&b, "back: %s\n", e)
		}
		again, _, err := One("plan.yaml", after).First().Apply(back.Edits)
		require.NoError(t, err)
		left, err := Between(One("a", again).First(), f)
		require.NoError(t, err)
		for _, e := range left {
			require.True(t, e.Value.kind == yamlKinds[MapKind] && len(e.Value.fields) == 0 || e.Remove, "%s", e) // an empty mapping is as good as none
		}
		return b.String()
	})
}

// TestProblems tells of texts that cannot be read where, why, and what would be right.
func TestProblems(t *testing.T) {
	golden.File(t, "problems.txt", func(t *testing.T, asked string) string {
		content, err := strconv.Unquote(`"` + strings.ReplaceAll(strings.ReplaceAll(asked, "\n", `\n`), `"`, `\"`) + `"`)
		require.NoError(t, err)
		f := NewFiles(nil).Add("plan.yaml", content)
		_, p := f.Tree()
		if p == nil {
			return "nothing"
		}
		require.Equal(t, p.Message, p.Error())
		return fmt.Sprintf("%d:%d %s: %s | %s", p.At.Line(), p.At.Column(), p.Code, p.Message, p.Fix)
	})
	for _, large := range []struct{ text, want string }{
		{strings.Repeat("a", MaxSize+1), "text-too-large: the text is larger than 32 MiB | split the estate into plans of their own"},
		{"a: [" + strings.Repeat(",", MaxValues) + "]", "too-many-values: the text has more than 5000000 keys and values | split the estate into plans of their own"},
		{strings.Repeat("- a\n", MaxValues/2+2), "too-many-values: the text has more than 5000000 keys and values | split the estate into plans of their own"},
		{strings.Repeat("a:\n", MaxValues/2+2), "too-many-values: the text has more than 5000000 keys and values | split the estate into plans of their own"},
	} {
		_, p := One("t", large.text).First().Tree()
		require.NotNil(t, p, "%.20s", large.text)
		assert.Equal(t, large.want, p.Code+": "+p.Message+" | "+p.Fix)
		assert.False(t, p.At.Known())
	}
}

// TestValues: how many values a text has at least, by its signs, is never less than there are.
func TestValues(t *testing.T) {
	for content, want := range map[string]int{
		"": 1, "a": 1, "a: b": 2, "a:b": 1, "a: b\nc: d\n": 5, "\n\n\n": 1, "a\n\n\nb": 2, "[a, b, c]": 4, "{a: b, c: d}": 5, "- a\n- b\n": 5, "a-b": 1, "? a\n: b": 4, `{"a":1}`: 3, "{'a':1}": 3, "a:": 2, "a:{": 3, "x -": 2,
	} {
		assert.Equal(t, want, One("t", content).First().values(), "%q", content)
	}
}

// TestPlaces: where a place is, what its line says, and what stands around it, also behind characters of many bytes.
func TestPlaces(t *testing.T) {
	s := NewFiles(nil)
	one, two := s.Add("one.yaml", "\ufeffa: é𝄞x\r\nb: [c]\n\nlast"), s.Add("two.yaml", "d: e\n")
	assert.Equal(t, "one.yaml:2:4", s.Where(one.At(2, 4)))
	assert.Equal(t, "two.yaml:1:1", s.Where(two.Start()))
	assert.Equal(t, "one.yaml", s.Where(0))
	assert.Empty(t, s.Where(Pos(99)<<fileShift|1))
	assert.True(t, one.At(9, 9) < two.At(1, 1) && one.At(1, 9) < one.At(2, 1) && one.At(2, 1) < one.At(2, 2))
	assert.Equal(t, two, s.Of(two.Start()))
	assert.Nil(t, s.Of(Pos(99)<<fileShift))
	assert.Nil(t, (*Files)(nil).First())
	assert.Nil(t, NewFiles(nil).First())
	for n, want := range map[int]string{0: "", 1: "\ufeffa: é𝄞x", 2: "b: [c]", 3: "", 4: "last", 5: ""} {
		assert.Equal(t, want, one.Line(n), n)
	}
	assert.Equal(t, "b: [c]", s.Line(one.At(2, 3)))
	assert.Empty(t, s.Line(0)+s.Line(one.At(9, 1))+s.Line(Pos(99)<<fileShift|1<<lineShift))
	for offset := range len(one.Text) { // there and back
		if p := one.Position(offset); offset > 3 && one.Text[offset]&0xc0 != 0x80 && one.Text[offset] != '\n' && p.Line() > 1 {
			assert.Equal(t, offset, one.offset(p.Line(), p.Column()), "%d", offset)
			assert.Equal(t, offset, one.seek(p.Line(), p.Column()))
		}
	}
	assert.Equal(t, "1:6", fmt.Sprint(one.Position(strings.Index(one.Text, "𝄞")).Line(), ":", one.Position(strings.Index(one.Text, "𝄞")).Column()))
	assert.Equal(t, len(one.Text), one.offset(17, 1))
	around := func(p Pos, before, after int) string {
		left, right, whole := s.Around(p, before, after)
		return fmt.Sprintf("%s|%s|%v", left, right, whole)
	}
	assert.Equal(t, "b: |[c]|true", around(one.At(2, 4), 9, 9))
	assert.Equal(t, ": |[c|false", around(one.At(2, 4), 2, 2))
	assert.Equal(t, "b: |[c|true", around(one.At(2, 4), 3, 2))
	assert.Equal(t, "|[c]|false", around(one.At(2, 4), 0, 99))
	assert.Equal(t, " é|𝄞x|false", around(one.At(1, 5), 2, 9))
	assert.Equal(t, "||true", around(0, 9, 9))
	assert.Equal(t, "||true", around(one.At(17, 1), 9, 9))
	assert.Equal(t, "||true", around(Pos(99)<<fileShift|1<<lineShift|1, 9, 9))
	assert.Panics(t, func() {
		many := NewFiles(nil)
		for range mostFiles + 1 {
			many.Add("x", "")
		}
	})
}

// TestValuesOfEdits: how values are written and what can be asked of them; changing one leaves the others.
func TestValuesOfEdits(t *testing.T) {
	for word, want := range map[string]string{
		"a": "a", "10.0.0.0/8": "10.0.0.0/8", "tcp/443 from any": "tcp/443 from any", "fd00::/8": "fd00::/8", "::/0": `"::/0"`, "any from fd00::/8": "any from fd00::/8",
		"yes": `"yes"`, "On": `"On"`, "null": `"null"`, "12:30": `"12:30"`, "true": "true", "false": "false", "17": "17", "-1": `"-1"`, "4294967296": "4294967296", "": `""`, "a: b": `"a: b"`, "#x": `"#x"`, "a b": "a b", "a  b": `"a  b"`, "x:": `"x:"`, "é": `"é"`,
	} {
		assert.Equal(t, want, Word(word).String(), word)
	}
	v := Map(Field{"a", Words("x", "w")}, Field{"b b", Map(Field{"c", Word("10.0.0.1")})}, Field{"d", List(Words(), Map())})
	assert.Equal(t, `{a: [x, w], b b: {c: 10.0.0.1}, d: [[], {}]}`, v.String())
	assert.Equal(t, `{"a": ["x", "w"], "b b": {"c": "10.0.0.1"}, "d": [[], {}]}`, v.text(true))
	assert.Equal(t, "x", WordOrWords("x").String())
	assert.Equal(t, "[x, w]", WordOrWords("x", "w").String())
	assert.Equal(t, "[]", WordOrWords().String())
	assert.Len(t, v.Fields(), 3)
	assert.Equal(t, []Value{Word("x"), Word("w")}, v.Fields()[0].Value.Items())
	assert.Equal(t, []Value{Word("x")}, Word("x").Elements())
	assert.Equal(t, []Value{Word("x"), Word("w")}, Words("x", "w").Elements())
	assert.Empty(t, Word("").Elements())
	word, single := Word("x").Single()
	assert.True(t, single && word == "x")
	_, single = v.Single()
	assert.False(t, single)

	filled := Map(Field{"a", Words("{n}-x", "{n}{n}")}, Field{"b", Map(Field{"{n}", Word("to {n}/y")})})
	before := filled.String()
	assert.Equal(t, `{a: [pier-x, pierpier], b: {"{n}": to pier/y}}`, filled.Filled("{n}", "pier").String())
	assert.Equal(t, before, filled.String(), "what is filled is another")
	changed, ok := v.with(Path{"b b"}, Set(nil, "c", Word("z")))
	assert.True(t, ok)
	assert.Equal(t, `{a: [x, w], b b: {c: z}, d: [[], {}]}`, changed.String())
	changed, ok = v.with(Path{"a"}, Insert(nil, 1, Word("v")))
	assert.True(t, ok)
	assert.Equal(t, "[v, x, w]", changed.Fields()[0].Value.String())
	assert.Equal(t, "[x, w]", v.Fields()[0].Value.String())
	assert.Equal(t, "10.0.0.1", v.Fields()[1].Value.Fields()[0].Value.String())
	_, ok = v.with(Path{"a", "b"}, Set(nil, "c", Word("z")))
	assert.False(t, ok, "a list has no key")
	_, ok = Word("x").with(nil, Add(nil, Word("z")))
	assert.False(t, ok)
}

// TestBefore: the number of an element that is changed beside other changes of its list, in all lists of four with some of them.
func TestBefore(t *testing.T) {
	path := Path{"l"}
	content := "l: [a, b, c, d]\n"
	for mask := range 1 << 8 {
		var c Changes
		for i := range 4 {
			if mask>>i&1 == 1 {
				c = append(c, Change{Edits: []Edit{RemoveNth(path, i+1)}})
			}
			if mask>>(4+i)&1 == 1 {
				c = append(c, Change{Edits: []Edit{Insert(path, i+1, Word(fmt.Sprint("n", i+1)))}})
			}
		}
		if mask&15 == 15 {
			continue // a list that loses all it has is written anew
		}
		c = append(c, Change{Edits: []Edit{Insert(Path{"other"}, 1, Word("x")), Put(path, 4, Word("d"))}})
		if mask>>3&1 == 1 {
			c = c[:len(c)-1]
		}
		f := One("t", content).First()
		after, _, err := f.Apply(c.Edits())
		require.NoError(t, err)
		v, found := One("t", after).First().Value(path)
		require.True(t, found)
		for nth := 1; nth <= len(v.list); nth++ {
			want, _ := v.list[nth-1].Single()
			is := c.Before(Put(path, nth, Word("new")))
			switch {
			case len(want) == 2: // among those that came: before the element that they came before
				assert.Equal(t, want[1:], fmt.Sprint(is.Nth), "%08b: number %d of %s", mask, nth, v)
			default:
				assert.Equal(t, want, string(rune('a'+is.Nth-1)), "%08b: number %d of %s", mask, nth, v)
			}
		}
		assert.Equal(t, Set(path, "k", Word("v")), c.Before(Set(path, "k", Word("v"))))
		assert.Equal(t, Add(path, Word("v")), c.Before(Add(path, Word("v"))))
	}
}

// TestEditsOfFiles makes edits in a set of files: behind ---- NAME each, and behind @@ the edits; in is before one that names its file.
func TestEditsOfFiles(t *testing.T) {
	golden.File(t, "files.txt", func(t *testing.T, asked string) string {
		content, lines, _ := strings.Cut(asked+"\n", "\n@@\n")
		s := NewFiles(nil)
		for part := range strings.SplitSeq(strings.TrimPrefix(content, "---- "), "\n---- ") {
			name, text, _ := strings.Cut(part, "\n")
			s.Add(name, text+"\n")
		}
		var edits []Edit
		for line := range strings.Lines(lines) {
			line = strings.TrimSpace(line)
			in := ""
			if rest, is := strings.CutPrefix(line, "in "); is {
				in, line, _ = strings.Cut(rest, " ")
			}
			e := editOf(t, line)
			e.In = in
			edits = append(edits, e)
		}
		changed, err := s.Apply(edits)
		if err != nil {
			require.Nil(t, changed)
			return "error: " + err.Error()
		}
		var b strings.Builder
		for _, c := range changed {
			b.WriteString("---- " + c.File.Name + "\n" + c.After)
		}
		after := s.With(changed)
		for i, f := range after.All() {
			require.Equal(t, s.All()[i].Name, f.Name)
			again, p := f.Tree()
			require.Nil(t, p)
			fresh, p := One(f.Name, f.Text).First().Tree()
			require.Nil(t, p)
			require.Equal(t, golden.Tell(plainOf(fresh.Root())), golden.Tell(plainOf(again.Root())), "what is kept of %s is what it says", f.Name)
		}
		return b.String()
	})
}

// plainOf is what a node says.
func plainOf(n Node) any {
	switch n.Kind() {
	case AliasKind:
		return "an alias"
	case ListKind:
		var all []any
		for x := range n.Elements() {
			all = append(all, plainOf(x))
		}
		return all
	case MapKind:
		var all []any
		for k, v := range n.Entries() {
			all = append(all, k.Value(), plainOf(v))
		}
		return all
	}
	return n.Value()
}

// TestChangesKeepWhatTheyHave: what changes give is a list of its own, and what is put into a value leaves the value as it was.
func TestChangesKeepWhatTheyHave(t *testing.T) {
	c := Changes{{Edits: []Edit{Set(nil, "a", Word("1")), Set(nil, "b", Word("2"))}}, {Edits: []Edit{Set(nil, "c", Word("3"))}}}
	all := c.Edits()
	require.Len(t, all, 3)
	all[0].Key = "x"
	assert.Equal(t, "a", c[0].Edits[0].Key)
	v := List(Word("a"), Word("b"))
	one, ok := v.with(nil, Add(nil, Word("c")))
	require.True(t, ok)
	two, ok := v.with(nil, Insert(nil, 1, Word("d")))
	require.True(t, ok)
	assert.Equal(t, "[a, b]", v.String())
	assert.Equal(t, "[a, b, c]", one.String())
	assert.Equal(t, "[d, a, b]", two.String())
	m := Map(Field{"a", Map(Field{"b", Word("1")})}, Field{"l", List(Word("1"))})
	three, ok := m.with(Path{"a"}, Set(Path{"a"}, "c", Word("2")))
	require.True(t, ok)
	four, ok := m.with(Path{"l"}, Add(Path{"l"}, Word("2")))
	require.True(t, ok)
	five, ok := m.with(Path{"m"}, Add(Path{"m"}, Word("2")))
	require.True(t, ok)
	six, ok := m.with(Path{"m", "o"}, Set(Path{"m", "o"}, "p", Word("2")))
	require.True(t, ok)
	_, ok = m.with(Path{"l"}, Set(Path{"l"}, "k", Word("2")))
	assert.False(t, ok)
	_, ok = m.with(Path{"a", "b"}, Set(Path{"a", "b"}, "k", Word("2")))
	assert.False(t, ok)
	assert.Equal(t, "{a: {b: 1}, l: [1]}", m.String())
	assert.Equal(t, "{a: {b: 1, c: 2}, l: [1]}", three.String())
	assert.Equal(t, "{a: {b: 1}, l: [1, 2]}", four.String())
	assert.Equal(t, "{a: {b: 1}, l: [1], m: [2]}", five.String())
	assert.Equal(t, "{a: {b: 1}, l: [1], m: {o: {p: 2}}}", six.String())
}

// TestBetweenTold tells the edits from one text to another: the two stand behind each other, with a line of dashes between.
func TestBetweenTold(t *testing.T) {
	golden.File(t, "between.txt", func(t *testing.T, asked string) string {
		from, to, _ := strings.Cut(asked+"\n", "\n----\n")
		a, b := One("a", from+"\n").First(), One("b", to).First()
		edits, err := Between(a, b)
		if err != nil {
			return "error: " + err.Error()
		}
		var out strings.Builder
		for _, e := range edits {
			fmt.Fprintf(&out, "- %s\n", e)
		}
		after, _, err := a.Apply(edits)
		require.NoError(t, err)
		left, err := Between(One("a", after).First(), b)
		require.NoError(t, err)
		require.Empty(t, left)
		return out.String() + after
	})
}
