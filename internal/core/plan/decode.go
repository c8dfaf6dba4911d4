package plan

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"

	"wendrik/internal/core/address"
	"wendrik/internal/core/flow"
)

// Decode reads a plan. It goes on after each problem, and returns what it could read together with every finding, in
// the order of the text; the plan is incomplete when there are findings. It never returns a nil plan.
func Decode(src *Source) (*Plan, []Finding) {
	d := &decoder{src: src, plan: &Plan{Source: src}}
	if f := src.check(); f != nil {
		return d.plan, []Finding{*f}
	}
	root, f := parseYAML(src)
	switch {
	case f != nil:
		return d.plan, []Finding{*f}
	case root == nil:
		return d.plan, []Finding{{Code: "empty", At: Pos{1, 1}, Message: "the plan is empty",
			Fix: "start it with  wendrik: 1  and  estate: NAME"}}
	}
	readMap(d, root, planFields, d.plan, Pos{1, 1})
	if v := d.plan.Version; v.Given() && v.Value != 1 {
		d.report(v.At, "version", fmt.Sprintf("this plan is of version %d, and this program reads version 1", v.Value), "wendrik: 1")
	}
	SortFindings(d.findings)
	if d.dropped > 0 {
		d.findings = append(d.findings, Finding{Code: "more", Message: fmt.Sprintf("%d more problems are not shown", d.dropped),
			Fix: "fix these first"})
	}
	return d.plan, d.findings
}

// A text from a stranger may hold a problem in every byte, or aliases that stand for aliases: both are bounded.
const (
	maxFindings     = 1000
	maxAliasedNodes = 1_000_000
)

type decoder struct {
	src      *Source
	plan     *Plan
	path     []string // where the decoder is, in the plan's words
	findings []Finding
	dropped  int // findings over maxFindings
	aliases  int // aliases being read
	aliased  int // nodes read inside aliases
	bombed   bool
}

// field is one key of a mapping of the plan. The same table reads the text, names the keys in messages, and makes the
// JSON Schema.
type field[T any] struct {
	key      string
	doc      string
	shape    shape
	required bool
	read     func(d *decoder, n *yaml.Node, into *T)
}

// to makes the read function of a field that fills one part of T.
func to[T, V any](part func(*T) *V, read func(*decoder, *yaml.Node) V) func(*decoder, *yaml.Node, *T) {
	return func(d *decoder, n *yaml.Node, into *T) { *part(into) = read(d, n) }
}

func pos(n *yaml.Node) Pos { return Pos{int32(n.Line), int32(n.Column)} }

// report adds a finding at the place where the decoder is.
func (d *decoder) report(at Pos, code, message, fix string) {
	if len(d.findings) >= maxFindings {
		d.dropped++
		return
	}
	d.findings = append(d.findings, Finding{Code: code, At: at, Place: strings.Join(d.path, "."), Message: message, Fix: fix})
}

// within runs read with one more word on the path.
func (d *decoder) within(word string, read func()) {
	d.path = append(d.path, word)
	read()
	d.path = d.path[:len(d.path)-1]
}

// follow gives the node that an alias stands for, any other node itself, and nil when aliases grow without bound.
// The caller must call the function it gets when it is done with the node.
func (d *decoder) follow(n *yaml.Node) (*yaml.Node, func()) {
	if d.aliases > 0 {
		d.aliased++
	}
	if n.Kind != yaml.AliasNode {
		return n, func() {}
	}
	if d.aliased >= maxAliasedNodes {
		if !d.bombed {
			d.bombed = true
			d.report(pos(n), "alias-expansion", fmt.Sprintf("the aliases of this text stand for more than %d values", maxAliasedNodes),
				"write the values out")
		}
		return nil, func() {}
	}
	d.aliases++
	return n.Alias, func() { d.aliases-- }
}

// isNull reports whether nothing was written for a value.
func isNull(n *yaml.Node) bool { return n.Kind == yaml.ScalarNode && n.Tag == "!!null" && n.Style == 0 }

// kindName says what a node is, in words for a message.
func kindName(n *yaml.Node) string {
	switch n.Kind {
	case yaml.MappingNode:
		return "a mapping"
	case yaml.SequenceNode:
		return "a list"
	case yaml.AliasNode:
		return "an alias"
	}
	if isNull(n) {
		return "nothing"
	}
	return "a single value"
}

// entries calls visit for every key and value of a mapping, with the key's word on the path, and reports keys that
// are no words or stand twice.
// It reports whether the node was a mapping, or nothing at all.
func (d *decoder) entries(n *yaml.Node, want string, visit func(key Text, value *yaml.Node)) bool {
	n, done := d.follow(n)
	defer done()
	if n == nil {
		return false
	}
	if isNull(n) {
		return true
	}
	if n.Kind != yaml.MappingNode {
		d.report(pos(n), "wrong-kind", fmt.Sprintf("%s belongs here, not %s", want, kindName(n)), "write  key: value  lines, or {key: value}")
		return false
	}
	var seen map[string]Pos
	if len(n.Content) > 2 {
		seen = make(map[string]Pos, len(n.Content)/2)
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key := n.Content[i]
		if key.Kind != yaml.ScalarNode {
			d.report(pos(key), "wrong-kind", "a key is a single word, not "+kindName(key), "")
			continue
		}
		if first, twice := seen[key.Value]; twice {
			d.within(key.Value, func() {
				d.report(pos(key), "duplicate-key", fmt.Sprintf("%q stands twice here, first on line %d", key.Value, first.Line),
					"keep one of the two")
			})
			continue
		}
		if seen != nil {
			seen[key.Value] = pos(key)
		}
		d.within(key.Value, func() { visit(Text{key.Value, pos(key)}, n.Content[i+1]) })
	}
	return true
}

// readMap reads a mapping whose keys are known. Missing required keys are reported at the place of its name.
func readMap[T any](d *decoder, n *yaml.Node, fields []field[T], into *T, name Pos) {
	given := make([]bool, len(fields))
	readable := d.entries(n, "a mapping", func(key Text, value *yaml.Node) {
		for i := range fields {
			if fields[i].key == key.Value {
				given[i] = true
				fields[i].read(d, value, into)
				return
			}
		}
		d.unknownKey(key, keysOf(fields))
	})
	for i, f := range fields {
		if readable && f.required && !given[i] {
			d.report(name, "missing-key", fmt.Sprintf("%s has no %s", d.here(), f.key), fmt.Sprintf("add  %s:  %s", f.key, f.doc))
		}
	}
}

func keysOf[T any](fields []field[T]) []string {
	keys := make([]string, len(fields))
	for i := range fields {
		keys[i] = fields[i].key
	}
	return keys
}

// here names the place where the decoder is, for use inside a sentence.
func (d *decoder) here() string {
	if len(d.path) == 0 {
		return "the plan"
	}
	return strings.Join(d.path, ".")
}

func (d *decoder) unknownKey(key Text, known []string) {
	fix := "the keys here are " + strings.Join(known, ", ")
	if key.Value == "<<" {
		fix = "YAML 1.2 has no merge keys: write the values out"
	} else if near := Nearest(key.Value, known); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	d.report(key.At, "unknown-key", fmt.Sprintf("%q is not a key of this place", key.Value), fix)
}

var (
	nameForm = regexp.MustCompile(`^[a-z][a-z0-9-]*$`)
	// reserved words mean something of their own wherever a name can stand.
	reserved = map[string]bool{"internet": true, "any": true, Blackhole: true}
)

// readNamed reads a mapping from names to things of one kind, in the order of the text.
func readNamed[T any](d *decoder, n *yaml.Node, fields []field[T], name func(*T) *Text) []*T {
	var all []*T
	d.entries(n, "a mapping from names", func(key Text, value *yaml.Node) {
		d.checkName(key) // a thing with a bad name is read all the same, so that what names it is not reported too
		thing := new(T)
		*name(thing) = key
		readMap(d, value, fields, thing, key.At)
		all = append(all, thing)
	})
	return all
}

// named makes the read function of a field that holds named things.
func named[T, V any](part func(*T) *[]*V, fields []field[V], name func(*V) *Text) func(*decoder, *yaml.Node, *T) {
	return func(d *decoder, n *yaml.Node, into *T) { *part(into) = readNamed(d, n, fields, name) }
}

// checkName reports a word that cannot be a name.
func (d *decoder) checkName(name Text) {
	switch {
	case reserved[name.Value]:
		d.report(name.At, "reserved-name", fmt.Sprintf("%q is a word of the plan and cannot be a name", name.Value), "choose another name")
	case !nameForm.MatchString(name.Value):
		fix := "names are small letters, digits and dashes, and start with a letter"
		if better := tidyName(name.Value); nameForm.MatchString(better) {
			fix += ": " + better
		}
		d.report(name.At, "bad-name", fmt.Sprintf("%q cannot be a name", name.Value), fix)
	}
}

var notInNames = regexp.MustCompile(`[^a-z0-9]+`)

func tidyName(s string) string {
	return strings.Trim(notInNames.ReplaceAllString(strings.ToLower(s), "-"), "-0123456789")
}

// elements calls visit for every element of a list; a single value counts as a list of one.
func (d *decoder) elements(n *yaml.Node, visit func(n *yaml.Node)) {
	n, done := d.follow(n)
	defer done()
	switch {
	case n == nil, isNull(n):
	case n.Kind == yaml.SequenceNode:
		for _, c := range n.Content {
			visit(c)
		}
	case n.Kind == yaml.ScalarNode:
		visit(n) // counts as a list of one
	default:
		d.report(pos(n), "wrong-kind", fmt.Sprintf("a list belongs here, not %s", kindName(n)), "write [one, two], or a line with a dash for each")
	}
}

// text reads a single value of any kind of word.
func (d *decoder) text(n *yaml.Node) Text {
	n, done := d.follow(n)
	defer done()
	switch {
	case n == nil:
		return Text{}
	case n.Kind != yaml.ScalarNode || isNull(n):
		d.report(pos(n), "wrong-kind", fmt.Sprintf("a single value belongs here, not %s", kindName(n)), "")
		return Text{}
	case n.Style&yaml.TaggedStyle != 0:
		d.report(pos(n), "tag", "a plan has no tags", fmt.Sprintf("write %q without %s", n.Value, n.Tag))
		return Text{}
	}
	return Text{n.Value, pos(n)}
}

func (d *decoder) texts(n *yaml.Node) []Text {
	var all []Text
	d.elements(n, func(n *yaml.Node) {
		if t := d.text(n); t.Given() {
			all = append(all, t)
		}
	})
	return all
}

// parsed reads a single value through a parse function, and reports what that function says.
func parsed[V any](d *decoder, n *yaml.Node, code string, parse func(string) (V, error)) (v V, at Pos) {
	t := d.text(n)
	if !t.Given() {
		return v, Pos{}
	}
	v, err := parse(t.Value)
	if err != nil {
		d.reportValue(t.At, code, err)
		return v, Pos{}
	}
	return v, t.At
}

// reportValue reports an error of parsing one value, with the block that was meant where the error knows it.
func (d *decoder) reportValue(at Pos, code string, err error) {
	var host *address.HostBitsError
	if errors.As(err, &host) {
		code = "host-bits"
	}
	message, fix := Advice(err)
	d.report(at, code, message, fix)
}

// Advice sets apart what is wrong and what would be right in an error of reading a value, which ends in ": write ..."
// where it knows; of a range with host bits it names the block that was meant.
func Advice(err error) (message, fix string) {
	var host *address.HostBitsError
	if errors.As(err, &host) {
		return host.Error(), fmt.Sprintf("the block is %s", host.Meant)
	}
	message, fix, _ = strings.Cut(err.Error(), ": write ")
	if fix != "" {
		fix = "write " + fix
	}
	return message, fix
}

func (d *decoder) ranges(n *yaml.Node) []Range {
	var all []Range
	d.elements(n, func(n *yaml.Node) {
		if r := d.oneRange(n); r.IsValid() {
			all = append(all, r)
		}
	})
	return all
}

// oneRange reads a range. One with host bits is reported and taken for the block that was meant, so that what lies in
// it is still judged.
func (d *decoder) oneRange(n *yaml.Node) Range {
	t := d.text(n)
	if !t.Given() {
		return Range{}
	}
	p, err := address.ParseRange(t.Value)
	if err != nil {
		d.reportValue(t.At, "bad-range", err)
		var host *address.HostBitsError
		if !errors.As(err, &host) {
			return Range{}
		}
		p = host.Meant
	}
	return Range{p, t.At}
}

func (d *decoder) addrs(n *yaml.Node) []Addr {
	var all []Addr
	d.elements(n, func(n *yaml.Node) {
		if a, at := parsed(d, n, "bad-address", address.ParseAddr); at.Known() {
			all = append(all, Addr{a, at})
		}
	})
	return all
}

func (d *decoder) flows(n *yaml.Node) []Flows {
	var all []Flows
	d.elements(n, func(n *yaml.Node) {
		if f, at := parsed(d, n, "bad-flow", flow.Parse); at.Known() {
			all = append(all, Flows{f, at})
		}
	})
	return all
}

func (d *decoder) flag(n *yaml.Node) Flag {
	v, at := parsed(d, n, "bad-flag", func(s string) (bool, error) {
		if s != "true" && s != "false" {
			return false, fmt.Errorf("%q is neither true nor false", s)
		}
		return s == "true", nil
	})
	return Flag{v, at}
}

func (d *decoder) count(n *yaml.Node) Number {
	v, at := parsed(d, n, "bad-number", func(s string) (int, error) {
		v, err := strconv.ParseUint(s, 10, 31)
		if err != nil {
			return 0, fmt.Errorf("%q is not a whole number from 0 to %d", s, 1<<31-1)
		}
		return int(v), nil
	})
	return Number{v, at}
}

// size reads the length of a range, written /20.
func (d *decoder) size(n *yaml.Node) Number {
	v, at := parsed(d, n, "bad-size", ParseSize)
	return Number{v, at}
}

// ParseSize reads the length of a range, written /20.
func ParseSize(s string) (int, error) {
	v, err := strconv.ParseUint(strings.TrimPrefix(s, "/"), 10, 8)
	switch {
	case err == nil && v <= 128 && strings.HasPrefix(s, "/"):
		return int(v), nil
	case err == nil && v <= 128:
		return 0, fmt.Errorf("the size %s lacks its slash: write /%s", s, s)
	}
	return 0, fmt.Errorf("%q is not a size: write the length of the range, such as /20", s)
}

// oneOf reads a word that must be one of a few.
func oneOf(words ...string) func(*decoder, *yaml.Node) Text {
	return func(d *decoder, n *yaml.Node) Text {
		t := d.text(n)
		if !t.Given() {
			return t
		}
		for _, w := range words {
			if t.Value == w {
				return t
			}
		}
		fix := "one of " + strings.Join(words, ", ")
		if near := Nearest(t.Value, words); near != "" {
			fix = fmt.Sprintf("did you mean %s? It is %s", near, fix)
		}
		d.report(t.At, "unknown-word", fmt.Sprintf("%q is not known here", t.Value), fix)
		return Text{}
	}
}
