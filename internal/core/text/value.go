package text

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// Value is something that an edit writes into a plan: a word, a list, or a mapping on one line.
type Value struct {
	word   string
	list   []Value
	fields []Field
	kind   yaml.Kind
	null   bool // whether it is nothing at all
}

// Field is one entry of a mapping that an edit writes.
type Field struct {
	Key   string
	Value Value
}

// Word is a single value.
func Word(s string) Value { return Value{word: s, kind: yaml.ScalarNode} }

// Words is a list of single values.
func Words(all ...string) Value {
	v := Value{kind: yaml.SequenceNode}
	for _, s := range all {
		v.list = append(v.list, Word(s))
	}
	return v
}

// WordOrWords is a single value where there is one, else a list.
func WordOrWords(all ...string) Value {
	if len(all) == 1 {
		return Word(all[0])
	}
	return Words(all...)
}

// List is a list of any values.
func List(all ...Value) Value { return Value{list: all, kind: yaml.SequenceNode} }

// Map is a mapping.
func Map(fields ...Field) Value { return Value{fields: fields, kind: yaml.MappingNode} }

// with is the value once an edit is made inside it, at the end of a path; ok is false where the edit does not fit it.
func (v Value) with(rest Path, e Edit) (changed Value, ok bool) {
	switch {
	case len(rest) == 0 && e.Key == "" && v.kind == yaml.SequenceNode:
		at := len(v.list)
		if e.Nth > 0 {
			at = min(e.Nth-1, at)
		}
		v.list = slices.Insert(slices.Clone(v.list), at, e.Value)
		return v, true
	case v.kind != yaml.MappingNode:
		return v, false
	}
	key := e.Key
	if len(rest) > 0 {
		key = rest[0]
	}
	v.fields = slices.Clone(v.fields)
	i := slices.IndexFunc(v.fields, func(f Field) bool { return f.Key == key })
	switch {
	case len(rest) == 0 && i >= 0:
		v.fields[i].Value = e.Value
	case len(rest) == 0:
		v.fields = append(v.fields, Field{key, e.Value})
	case i >= 0:
		v.fields[i].Value, ok = v.fields[i].Value.with(rest[1:], e)
		return v, ok
	default:
		inside := Value{kind: yaml.MappingNode}
		if len(rest) == 1 && e.Key == "" {
			inside.kind = yaml.SequenceNode
		}
		inside, ok = inside.with(rest[1:], e)
		v.fields = append(v.fields, Field{key, inside})
		return v, ok
	}
	return v, true
}

// Filled is the value with something else in the place of a word, wherever that stands in it.
func (v Value) Filled(word, with string) Value {
	v.word = strings.ReplaceAll(v.word, word, with)
	v.list = slices.Clone(v.list)
	for i := range v.list {
		v.list[i] = v.list[i].Filled(word, with)
	}
	v.fields = slices.Clone(v.fields)
	for i := range v.fields {
		v.fields[i].Value = v.fields[i].Value.Filled(word, with)
	}
	return v
}

// Fields are the entries of a mapping; none for another value.
func (v Value) Fields() []Field { return v.fields }

// Items are the elements of a list; none for another value.
func (v Value) Items() []Value { return v.list }

// Elements are the elements of a list; a single value counts as a list of one.
func (v Value) Elements() []Value {
	if word, single := v.Single(); single && word != "" {
		return []Value{v}
	}
	return v.list
}

// Single is a single value, and whether it is one.
func (v Value) Single() (string, bool) { return v.word, v.kind == yaml.ScalarNode }

// Value is what stands at a path, and whether anything does. A single value counts as a list of one.
func (f *File) Value(path Path) (Value, bool) {
	tree, problem := f.whole()
	if problem != nil {
		return Value{}, false
	}
	at := tree.Root()
	for _, word := range path {
		found := false
		if at, found = at.in(word); !found {
			return Value{}, false
		}
	}
	if at.Kind() == ScalarKind && !at.IsNull() {
		return Words(at.Value()), true
	}
	return at.whole(), at.Kind() == ListKind || at.Kind() == MapKind
}

// in is the value of a key of a mapping, or the element of a list whose number it is, from 1.
func (n Node) in(key string) (Node, bool) {
	if n.Kind() == AliasKind {
		n = n.Target()
	}
	switch n.Kind() {
	case MapKind:
		for k, v := range n.Entries() {
			if k.Value() == key {
				return v, true
			}
		}
	case ListKind:
		nth, err := strconv.Atoi(key)
		for x := range n.Elements() {
			if nth--; nth == 0 && err == nil {
				return x, true
			}
		}
	}
	return Node{}, false
}

// whole is what an edit writes to have a node.
func (n Node) whole() Value {
	v := Value{kind: yamlKinds[n.Kind()]}
	switch n.Kind() {
	case ScalarKind:
		v.word, v.null = n.Value(), n.IsNull()
	case ListKind:
		for x := range n.Elements() {
			v.list = append(v.list, x.whole())
		}
	case MapKind:
		for k, x := range n.Entries() {
			v.fields = append(v.fields, Field{k.Value(), x.whole()})
		}
	}
	return v
}

var yamlKinds = map[Kind]yaml.Kind{ScalarKind: yaml.ScalarNode, ListKind: yaml.SequenceNode, MapKind: yaml.MappingNode, AliasKind: yaml.AliasNode}

// plain texts need no quotes anywhere in YAML 1.2: no sign of the syntax stands in them, and they are no word that
// older readers take for a truth value.
var (
	plain    = regexp.MustCompile(`^[A-Za-z0-9/][A-Za-z0-9./_-]*(:+[A-Za-z0-9./_-]+|:+/[0-9]+| [A-Za-z0-9./_-]+(:+[A-Za-z0-9./_-]+|:+/[0-9]+)*)*$`)
	notPlain = regexp.MustCompile(`(?i)^(y|n|yes|no|on|off|true|false|null|[0-9][0-9_]*:[0-5]?[0-9].*)$`)
)

func quoted(s string, always bool) string {
	if !always && plain.MatchString(s) && !notPlain.MatchString(s) {
		return s
	}
	return strconv.Quote(s)
}

// bare is the value as messages quote it: a single one without quotes.
func (v Value) bare() string {
	if v.kind == yaml.ScalarNode {
		return v.word
	}
	return v.String()
}

// String writes the value on one line, as YAML.
func (v Value) String() string { return v.text(false) }

// text writes the value on one line. With quotes, every word and key stands in double quotes, as JSON wants it.
func (v Value) text(quotes bool) string {
	switch v.kind {
	case yaml.SequenceNode:
		var items []string
		for _, item := range v.list {
			items = append(items, item.text(quotes))
		}
		return "[" + strings.Join(items, ", ") + "]"
	case yaml.MappingNode:
		var items []string
		for _, f := range v.fields {
			items = append(items, f.text(quotes))
		}
		return "{" + strings.Join(items, ", ") + "}"
	}
	if v.null {
		return "null"
	}
	if _, err := strconv.ParseUint(v.word, 10, 31); err == nil || v.word == "true" || v.word == "false" {
		return v.word
	}
	return quoted(v.word, quotes)
}

func (f Field) text(quotes bool) string { return quoted(f.Key, quotes) + ": " + f.Value.text(quotes) }

// Equal reports whether two values are written alike.
func (v Value) Equal(o Value) bool {
	return v.kind == o.kind && v.word == o.word && v.null == o.null && slices.EqualFunc(v.list, o.list, Value.Equal) &&
		slices.EqualFunc(v.fields, o.fields, func(a, b Field) bool { return a.Key == b.Key && a.Value.Equal(b.Value) })
}

// Lines writes a field as a text of its own, with two blanks for each step: what holds mappings has a line for each of them, and the rest
// stands on one line where that is not long.
func Lines(f Field) string {
	var b strings.Builder
	f.lines(&b, 0)
	return b.String()
}

func (f Field) lines(b *strings.Builder, indent int) {
	pad := strings.Repeat(" ", indent)
	if !f.Value.deep() {
		b.WriteString(pad + f.block(indent, 2, "\n"))
		return
	}
	b.WriteString(pad + quoted(f.Key, false) + ":\n")
	for _, x := range f.Value.fields {
		x.lines(b, indent+2)
	}
	for _, x := range f.Value.list {
		b.WriteString(pad + "  - " + x.text(false) + "\n")
	}
}

// deep reports whether a value holds others that have keys.
func (v Value) deep() bool {
	inside := func(x Value) bool { return x.kind == yaml.MappingNode && len(x.fields) > 0 }
	return slices.ContainsFunc(v.list, inside) || slices.ContainsFunc(v.fields, func(f Field) bool { return inside(f.Value) || f.Value.deep() })
}

// node is the value as the YAML library would read it.
func (v Value) node() *yaml.Node {
	n := &yaml.Node{Kind: v.kind, Value: v.word}
	if v.null {
		n.Value = "null"
	}
	for _, item := range v.list {
		n.Content = append(n.Content, item.node())
	}
	for _, f := range v.fields {
		n.Content = append(n.Content, &yaml.Node{Kind: yaml.ScalarNode, Value: f.Key}, f.Value.node())
	}
	return n
}
