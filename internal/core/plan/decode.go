package plan

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Decode reads a plan. It goes on after each problem, and returns what it could read together with every finding, in
// the order of the text; the plan is incomplete when there are findings. It never returns a nil plan.
func Decode(files *text.Files) (*Plan, []diag.Finding) {
	d := &decoder{plan: &Plan{Files: files}}
	tree, problem := files.First().Tree()
	if problem != nil {
		return d.plan, []diag.Finding{{Code: diag.Code(problem.Code), At: problem.At, Message: problem.Message, Fixes: diag.Advise(problem.Fix)}}
	}
	root := tree.Root()
	start := files.First().Start()
	if root.Kind() == 0 {
		return d.plan, []diag.Finding{{Code: empty, At: start, Message: "the plan is empty",
			Fixes: diag.Advise("start it with  wendrik: 1  and  estate: NAME")}}
	}
	readMap(d, root, planFields, d.plan, start)
	if v := d.plan.Version; v.Given() && v.Value != 1 {
		d.report(v.At, badVersion, fmt.Sprintf("this plan is of version %d, and this program reads version 1", v.Value), "wendrik: 1")
	}
	diag.Sort(d.findings)
	if d.dropped > 0 {
		d.findings = append(d.findings, diag.Finding{Code: more, Message: fmt.Sprintf("%d more problems are not shown", d.dropped),
			Fixes: diag.Advise("fix these first")})
	}
	return d.plan, d.findings
}

// A text from a stranger may hold a problem in every byte, or aliases that stand for aliases: both are bounded.
const (
	maxFindings     = 1000
	maxAliasedNodes = 1_000_000
)

type decoder struct {
	plan     *Plan
	path     text.Path // where the decoder is
	findings []diag.Finding
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
	read     func(d *decoder, n text.Node, into *T)
}

// to makes the read function of a field that fills one part of T.
func to[T, V any](part func(*T) *V, read func(*decoder, text.Node) V) func(*decoder, text.Node, *T) {
	return func(d *decoder, n text.Node, into *T) { *part(into) = read(d, n) }
}

// report adds a finding at the place where the decoder is.
func (d *decoder) report(at text.Pos, code diag.Code, message, fix string) {
	if len(d.findings) >= maxFindings {
		d.dropped++
		return
	}
	d.findings = append(d.findings, diag.Finding{Code: code, At: at, Place: slices.Clone(d.path), Message: message, Fixes: diag.Advise(fix)})
}

// within runs read with one more word on the path.
func (d *decoder) within(word string, read func()) {
	d.path = append(d.path, word)
	read()
	d.path = d.path[:len(d.path)-1]
}

// follow gives the node that an alias stands for, any other node itself, and the zero Node when aliases grow without
// bound. The caller must call the function it gets when it is done with the node.
func (d *decoder) follow(n text.Node) (text.Node, func()) {
	if d.aliases > 0 {
		d.aliased++
	}
	if n.Kind() != text.AliasKind {
		return n, func() {}
	}
	if d.aliased >= maxAliasedNodes {
		if !d.bombed {
			d.bombed = true
			d.report(n.At(), aliasExpansion, fmt.Sprintf("the aliases of this text stand for more than %d values", maxAliasedNodes),
				"write the values out")
		}
		return text.Node{}, func() {}
	}
	d.aliases++
	return n.Target(), func() { d.aliases-- }
}

// kindName says what a node is, in words for a message.
func kindName(n text.Node) string {
	switch n.Kind() {
	case text.MapKind:
		return "a mapping"
	case text.ListKind:
		return "a list"
	case text.AliasKind:
		return "an alias"
	}
	if n.IsNull() {
		return "nothing"
	}
	return "a single value"
}

// mapping follows a node to a mapping. Nothing at all counts as one without entries; anything else is reported.
func (d *decoder) mapping(n text.Node, want string) (m text.Node, done func(), readable bool) {
	m, done = d.follow(n)
	switch {
	case m.Kind() == 0:
		return text.Node{}, done, false
	case m.Kind() == text.MapKind:
		return m, done, true
	case m.Kind() == text.ScalarKind && m.IsNull():
		return text.Node{}, done, true
	}
	d.report(m.At(), wrongKind, fmt.Sprintf("%s belongs here, not %s", want, kindName(m)), "write  key: value  lines, or {key: value}")
	return text.Node{}, done, false
}

// key gives the word that a key is, or reports what it is instead.
func (d *decoder) key(n text.Node) (Text, bool) {
	if n.Kind() != text.ScalarKind {
		d.report(n.At(), wrongKind, "a key is a single word, not "+kindName(n), "")
		return Text{}, false
	}
	return Text{n.Value(), n.At()}, true
}

// twice reports a key that stands twice.
func (d *decoder) twice(key Text, first text.Pos) {
	d.within(key.Value, func() {
		d.report(key.At, duplicateKey, fmt.Sprintf("%q stands twice here, first on line %d", key.Value, first.Line()), "keep one of the two")
	})
}

// entries calls visit for every key and value of a mapping, with the key's word on the path, and reports keys that
// are no words or stand twice.
func (d *decoder) entries(n text.Node, want string, visit func(key Text, value text.Node)) {
	m, done, _ := d.mapping(n, want)
	defer done()
	if m.Kind() == 0 {
		return
	}
	var seen map[string]text.Pos
	if m.Several() {
		seen = map[string]text.Pos{}
	}
	for k, value := range m.Entries() {
		key, is := d.key(k)
		if !is {
			continue
		}
		if first, twice := seen[key.Value]; twice {
			d.twice(key, first)
			continue
		}
		if seen != nil {
			seen[key.Value] = key.At
		}
		d.within(key.Value, func() { visit(key, value) })
	}
}

// readMap reads a mapping whose keys are known. Missing required keys are reported at the place of its name.
func readMap[T any](d *decoder, n text.Node, fields []field[T], into *T, name text.Pos) {
	given := make([]text.Pos, len(fields))
	var unknown map[string]text.Pos
	m, done, readable := d.mapping(n, "a mapping")
	defer done()
	if m.Kind() != 0 {
		for k, value := range m.Entries() {
			key, is := d.key(k)
			if !is {
				continue
			}
			i := slices.IndexFunc(fields, func(f field[T]) bool { return f.key == key.Value })
			switch {
			case i >= 0 && given[i].Known():
				d.twice(key, given[i])
			case i >= 0:
				given[i] = key.At
				d.path = append(d.path, key.Value)
				fields[i].read(d, value, into)
				d.path = d.path[:len(d.path)-1]
			case unknown[key.Value].Known():
				d.twice(key, unknown[key.Value])
			default:
				if unknown == nil {
					unknown = map[string]text.Pos{}
				}
				unknown[key.Value] = key.At
				d.within(key.Value, func() { d.unknownKey(key, keysOf(fields)) })
			}
		}
	}
	for i := range fields {
		if f := &fields[i]; readable && f.required && !given[i].Known() {
			d.report(name, missingKey, fmt.Sprintf("%s has no %s", d.here(), f.key), fmt.Sprintf("add  %s:  %s", f.key, f.doc))
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
	return d.path.String()
}

func (d *decoder) unknownKey(key Text, known []string) {
	fix := "the keys here are " + strings.Join(known, ", ")
	if key.Value == "<<" {
		fix = "YAML 1.2 has no merge keys: write the values out"
	} else if near := diag.Nearest(key.Value, known); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	d.report(key.At, unknownKey, fmt.Sprintf("%q is not a key of this place", key.Value), fix)
}

var (
	nameForm = regexp.MustCompile(`^[a-z][a-z0-9-]*$`)
	// reserved words mean something of their own wherever a name can stand.
	reserved = map[string]bool{Internet: true, "any": true, Blackhole: true}
)

// isName is nameForm, which 100,000 names are held against.
func isName(s string) bool {
	for i := range len(s) {
		c := s[i]
		if (c < 'a' || c > 'z') && (i == 0 || (c < '0' || c > '9') && c != '-') {
			return false
		}
	}
	return s != ""
}

// readNamed reads a mapping from names to things of one kind, in the order of the text.
func readNamed[T any](d *decoder, n text.Node, fields []field[T], name func(*T) *Text) []*T {
	var all []*T
	d.entries(n, "a mapping from names", func(key Text, value text.Node) {
		d.checkName(key) // a thing with a bad name is read all the same, so that what names it is not reported too
		thing := new(T)
		*name(thing) = key
		readMap(d, value, fields, thing, key.At)
		all = append(all, thing)
	})
	return all
}

// named makes the read function of a field that holds named things.
func named[T, V any](part func(*T) *[]*V, fields []field[V], name func(*V) *Text) func(*decoder, text.Node, *T) {
	return func(d *decoder, n text.Node, into *T) { *part(into) = readNamed(d, n, fields, name) }
}

// checkName reports a word that cannot be a name.
func (d *decoder) checkName(name Text) {
	switch {
	case reserved[name.Value]:
		d.report(name.At, reservedName, fmt.Sprintf("%q is a word of the plan and cannot be a name", name.Value), "choose another name")
	case !isName(name.Value):
		fix := "names are small letters, digits and dashes, and start with a letter"
		if better := tidyName(name.Value); isName(better) {
			fix += ": " + better
		}
		d.report(name.At, badName, fmt.Sprintf("%q cannot be a name", name.Value), fix)
	}
}

var notInNames = regexp.MustCompile(`[^a-z0-9]+`)

func tidyName(s string) string {
	return strings.Trim(notInNames.ReplaceAllString(strings.ToLower(s), "-"), "-0123456789")
}

// elements calls visit for every element of a list; a single value counts as a list of one.
func (d *decoder) elements(n text.Node, visit func(n text.Node)) {
	n, done := d.follow(n)
	defer done()
	switch n.Kind() {
	case 0:
	case text.ListKind:
		for c := range n.Elements() {
			visit(c)
		}
	case text.ScalarKind:
		if !n.IsNull() {
			visit(n) // counts as a list of one
		}
	default:
		d.report(n.At(), wrongKind, fmt.Sprintf("a list belongs here, not %s", kindName(n)), "write [one, two], or a line with a dash for each")
	}
}

// text reads a single value of any kind of word.
func (d *decoder) text(n text.Node) Text {
	n, done := d.follow(n)
	defer done()
	switch {
	case n.Kind() == 0:
		return Text{}
	case n.Kind() != text.ScalarKind || n.IsNull():
		d.report(n.At(), wrongKind, fmt.Sprintf("a single value belongs here, not %s", kindName(n)), "")
		return Text{}
	case n.Tag() != "":
		d.report(n.At(), tagged, "a plan has no tags", fmt.Sprintf("write %q without %s", n.Value(), n.Tag()))
		return Text{}
	}
	return Text{n.Value(), n.At()}
}

func (d *decoder) texts(n text.Node) []Text {
	var all []Text
	d.elements(n, func(n text.Node) {
		if t := d.text(n); t.Given() {
			all = append(all, t)
		}
	})
	return all
}

// parsed reads a single value through a parse function, and reports what that function says.
func parsed[V any](d *decoder, n text.Node, code diag.Code, parse func(string) (V, error)) (v V, at text.Pos) {
	t := d.text(n)
	if !t.Given() {
		return v, 0
	}
	v, err := parse(t.Value)
	if err != nil {
		d.reportValue(t.At, code, err)
		return v, 0
	}
	return v, t.At
}

// reportValue reports an error of reading one value.
func (d *decoder) reportValue(at text.Pos, code diag.Code, err error) {
	if _, is := errors.AsType[*address.HostBitsError](err); is {
		code = hostBits
	}
	d.report(at, code, err.Error(), wrong.Right(err))
}

func (d *decoder) ranges(n text.Node) []Range {
	var all []Range
	d.elements(n, func(n text.Node) {
		if r := d.oneRange(n); r.IsValid() {
			all = append(all, r)
		}
	})
	return all
}

// oneRange reads a range. One with host bits is reported and taken for the block that was meant, so that what lies in
// it is still judged.
func (d *decoder) oneRange(n text.Node) Range {
	t := d.text(n)
	if !t.Given() {
		return Range{}
	}
	p, err := address.ParseRange(t.Value)
	if err != nil {
		d.reportValue(t.At, badRange, err)
		host, is := errors.AsType[*address.HostBitsError](err)
		if !is {
			return Range{}
		}
		p = host.Meant
	}
	return Range{p, t.At}
}

func (d *decoder) addrs(n text.Node) []Addr {
	var all []Addr
	d.elements(n, func(n text.Node) {
		if a, at := parsed(d, n, badAddress, address.ParseAddr); at.Known() {
			all = append(all, Addr{a, at})
		}
	})
	return all
}

func (d *decoder) flows(n text.Node) []Flows {
	var all []Flows
	d.elements(n, func(n text.Node) {
		if f, at := parsed(d, n, badFlow, flow.Parse); at.Known() {
			all = append(all, Flows{f, at})
		}
	})
	return all
}

func (d *decoder) flag(n text.Node) Flag {
	v, at := parsed(d, n, badFlag, func(s string) (bool, error) {
		if s != "true" && s != "false" {
			return false, fmt.Errorf("%q is neither true nor false", s)
		}
		return s == "true", nil
	})
	return Flag{v, at}
}

func (d *decoder) count(n text.Node) Number {
	v, at := parsed(d, n, badNumber, func(s string) (int, error) {
		v, err := strconv.ParseUint(s, 10, 31)
		if err != nil {
			return 0, fmt.Errorf("%q is not a whole number from 0 to %d", s, 1<<31-1)
		}
		return int(v), nil
	})
	return Number{v, at}
}

// size reads the length of a range, written /20.
func (d *decoder) size(n text.Node) Number {
	v, at := parsed(d, n, badSize, address.ParseSize)
	return Number{v, at}
}

// oneOf reads a word that must be one of a few.
func oneOf(words ...string) func(*decoder, text.Node) Text {
	return func(d *decoder, n text.Node) Text {
		t := d.text(n)
		if !t.Given() || slices.Contains(words, t.Value) {
			return t
		}
		fix := "one of " + strings.Join(words, ", ")
		if near := diag.Nearest(t.Value, words); near != "" {
			fix = fmt.Sprintf("did you mean %s? It is %s", near, fix)
		}
		d.report(t.At, unknownWord, fmt.Sprintf("%q is not known here", t.Value), fix)
		return Text{}
	}
}
