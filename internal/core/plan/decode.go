package plan

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// Decode reads a plan. It goes on after each problem, and returns what it could read together with what it found; the
// plan is incomplete when that is anything. Neither is ever nil.
func Decode(files *text.Files) (*Plan, *diag.Bag) {
	d := &decoder{plan: &Plan{Files: files}, flowsOf: map[string]flow.Set{}}
	roots := make([]text.Node, len(files.All()))
	for i, f := range files.All() {
		tree, problem := f.Tree()
		if problem != nil {
			d.plan.Unread = d.plan.Unread || i == 0
			d.found.Add(diag.Finding{Code: diag.Code(problem.Code), At: problem.At, Message: problem.Message, Fixes: diag.Advise(problem.Fix)})
			continue
		}
		if roots[i] = tree.Root(); roots[i].Kind() == 0 {
			d.report(f.Start(), empty, "the plan is empty", "start it with  wendrik: 1  and  estate: NAME")
		}
	}
	if d.plan.Unread || roots[0].Kind() == 0 {
		d.plan.Unread = d.plan.Unread || roots[0].Kind() != text.MapKind
		return d.plan, &d.found
	}
	d.plan.Unread = roots[0].Kind() != text.MapKind
	for _, root := range roots {
		d.findPatterns(root)
	}
	for i, root := range roots {
		if root.Kind() == 0 {
			continue
		}
		d.part = i
		readMapOver(d, root, planFields, d.plan, files.All()[i].Start(), i > 0)
	}
	d.endPatterns()
	if v := d.plan.Version; v.Given() && v.Value != 1 {
		d.report(v.At, badVersion, fmt.Sprintf("this plan is of version %d, and this program reads version 1", v.Value), "wendrik: 1")
	}
	return d.plan, &d.found
}

// PartsOf are the other files that the first file of a plan names, as it names them; none where it cannot be read.
func PartsOf(f *text.File) []Text {
	tree, problem := f.Tree()
	if problem != nil || tree.Root().Kind() != text.MapKind {
		return nil
	}
	d := &decoder{plan: &Plan{}}
	for k, v := range tree.Root().Entries() {
		if k.Kind() == text.ScalarKind && k.Value() == "parts" {
			return d.texts(v)
		}
	}
	return nil
}

// Aliases in a text from a stranger may stand for aliases, and a few bytes for a thing with much room: both are bounded.
const (
	maxAliasedNodes = 1_000_000
	maxNamed        = 500_000
	maxFew          = 1_000 // ranges, addresses, zones and the like of one thing
	maxName         = 100   // characters of a name
)

type decoder struct {
	plan    *Plan
	path    text.Path // where the decoder is
	found   diag.Bag
	aliases int // aliases being read
	aliased int // nodes read inside aliases
	bombed  bool
	named   int                 // things with a name that were read
	part    int                 // the number of the file that is being read
	filling string              // the network whose pattern is being read; empty for none
	flowsOf map[string]flow.Set // texts of flows that were read before

	// Where short lists of values lie, many in one piece of memory.
	textSlab  slab[Text]
	rangeSlab slab[Range]
	addrSlab  slab[Addr]
	flowSlab  slab[Flows]
}

// slab hands out memory for short lists. What it has handed out is never moved.
type slab[T any] struct {
	free    []T
	scratch []T
}

// begin starts a list, and end ends it. Lists are made one at a time.
func (s *slab[T]) begin() { s.scratch = s.scratch[:0] }

func (s *slab[T]) add(x T) { s.scratch = append(s.scratch, x) }

func (s *slab[T]) end() []T {
	n := len(s.scratch)
	if n == 0 {
		return nil
	}
	if n > len(s.free) {
		s.free = make([]T, max(n, 256))
	}
	list := s.free[:n:n]
	s.free = s.free[n:]
	copy(list, s.scratch)
	return list
}

// to makes the read function of a field that fills one part of T.
func to[T, V any](part func(*T) *V, read func(*decoder, text.Node) V) func(*decoder, text.Node, *T) {
	return func(d *decoder, n text.Node, into *T) { *part(into) = read(d, n) }
}

// report adds a finding at the place where the decoder is.
func (d *decoder) report(at text.Pos, code diag.Code, message, fix string) {
	if !d.found.Full() {
		d.found.Add(diag.Finding{Code: code, At: at, Place: slices.Clone(d.path), Message: message, Fixes: diag.Advise(fix)})
	}
}

// within runs read with one more word on the path.
func (d *decoder) within(word string, read func()) {
	d.path = append(d.path, word)
	read()
	d.path = d.path[:len(d.path)-1]
}

// follow gives the node that an alias stands for, any other node itself, and the zero Node when aliases grow without
// bound. The caller must call leave with what it gets when it is done with the node.
func (d *decoder) follow(n text.Node) (target text.Node, entered bool) {
	if d.aliases > 0 {
		d.aliased++
	}
	if n.Kind() != text.AliasKind {
		return n, false
	}
	if d.aliased >= maxAliasedNodes {
		if !d.bombed {
			d.bombed = true
			d.report(n.At(), aliasExpansion, fmt.Sprintf("the aliases of this text stand for more than %d values", maxAliasedNodes),
				"write the values out")
		}
		return text.Node{}, false
	}
	d.aliases++
	return n.Target(), true
}

func (d *decoder) leave(entered bool) {
	if entered {
		d.aliases--
	}
}

// tagged reports a tag; a plan has none, and what is tagged means something else.
func (d *decoder) tagged(n text.Node) bool {
	if n.Tag() == "" {
		return false
	}
	what := "what is behind it"
	if n.Kind() == text.ScalarKind {
		what = strconv.Quote(phrase.Clip(n.Value()))
	}
	d.report(n.At(), tagged, "a plan has no tags", fmt.Sprintf("write %s without %s", what, phrase.Clip(n.Tag())))
	return true
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

// mapping gives the mapping that a node is, when it has entries. Nothing at all counts as one without; anything else is
// reported, and is not readable.
func (d *decoder) mapping(n text.Node, want string) (m text.Node, readable bool) {
	switch {
	case n.Kind() == 0 || d.tagged(n):
		return text.Node{}, false
	case n.Kind() == text.MapKind:
		return n, true
	case n.Kind() == text.ScalarKind && n.IsNull():
		return text.Node{}, true
	}
	d.report(n.At(), wrongKind, fmt.Sprintf("%s belongs here, not %s", want, kindName(n)), "write  key: value  lines, or {key: value}")
	return text.Node{}, false
}

// key gives the word that a key is, or reports what it is instead.
func (d *decoder) key(n text.Node) (Text, bool) {
	if n.Kind() != text.ScalarKind {
		d.report(n.At(), wrongKind, "a key is a single word, not "+kindName(n), "write  key: value")
		return Text{}, false
	}
	return Text{n.Value(), n.At()}, !d.tagged(n)
}

// twice reports a key that stands twice.
func (d *decoder) twice(key Text, first text.Pos) {
	d.within(key.Value, func() {
		d.report(key.At, duplicateKey, fmt.Sprintf("%q stands twice here, first on line %d", phrase.Clip(key.Value), first.Line()), "keep one of the two")
	})
}

// entry is a key of a mapping and its value.
type entry struct {
	key   Text
	value text.Node
}

// some calls visit for every element of a list that must have one: where a value belongs, empty is not absent.
func (d *decoder) some(n text.Node, what string, visit func(n text.Node)) {
	target, entered := d.follow(n)
	d.leave(entered)
	empty := target.Kind() == text.ScalarKind && target.IsNull() || target.Kind() == text.ListKind && target.Nodes() == 1
	if empty && !d.tagged(target) {
		d.report(target.At(), nothingHere, fmt.Sprintf("%s belongs here, and nothing stands here", what), "write it, or leave the key out")
		return
	}
	d.few(n, visit)
}

// words are the entries of a mapping whose keys are words. It reports the others.
func (d *decoder) words(n text.Node, want string) []entry {
	m, _ := d.mapping(n, want)
	if m.Kind() == 0 {
		return nil
	}
	all := make([]entry, 0, 1+m.Nodes()/8)
	for k, value := range m.Entries() {
		if key, is := d.key(k); is {
			all = append(all, entry{key, value})
		}
	}
	return all
}

// repeated are the numbers of entries whose key stood before, with the place where it did.
func repeated(all []entry) map[int]text.Pos {
	if len(all) < 2 {
		return nil
	}
	var out map[int]text.Pos
	seen := make(map[string]text.Pos, len(all))
	for i := range all {
		key := all[i].key
		first, twice := seen[key.Value]
		if !twice {
			seen[key.Value] = key.At
			continue
		}
		if out == nil {
			out = map[int]text.Pos{}
		}
		out[i] = first
	}
	return out
}

// once are the entries without those whose key stood before, which it reports.
func (d *decoder) once(all []entry, repeated map[int]text.Pos) []entry {
	if len(repeated) == 0 {
		return all
	}
	var out []entry
	for i, e := range all {
		if first, twice := repeated[i]; twice {
			d.twice(e.key, first)
			continue
		}
		out = append(out, e)
	}
	return out
}

// entries calls visit for every key and value of a mapping, with the key's word on the path, and reports keys that
// are no words or stand twice.
func (d *decoder) entries(n text.Node, want string, visit func(key Text, value text.Node)) {
	n, entered := d.follow(n)
	defer d.leave(entered)
	all := d.words(n, want)
	for _, e := range d.once(all, repeated(all)) {
		d.path = append(d.path, e.key.Value)
		visit(e.key, e.value)
		d.path = d.path[:len(d.path)-1]
	}
}

// maxFields is more than any mapping has known keys.
const maxFields = 40

// readMap reads a mapping whose keys are known. Missing required keys are reported at the place of its name.
func readMap[T any](d *decoder, n text.Node, fields []field[T], into *T, name text.Pos) {
	readMapOver(d, n, fields, into, name, false)
}

// readMapOver is readMap; over what a pattern has given already, no key is required.
func readMapOver[T any](d *decoder, n text.Node, fields []field[T], into *T, name text.Pos, over bool) {
	n, entered := d.follow(n)
	defer d.leave(entered)
	var given [maxFields]text.Pos
	var unknown map[string]text.Pos
	m, readable := d.mapping(n, "a mapping")
	if m.Kind() != 0 {
		for k, value := range m.Entries() {
			key, is := d.key(k)
			if !is {
				continue
			}
			i := 0
			for i < len(fields) && fields[i].key != key.Value {
				i++
			}
			switch {
			case i < len(fields) && given[i].Known():
				d.twice(key, given[i])
			case i < len(fields):
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
		if f := &fields[i]; readable && f.required && !over && !given[i].Known() {
			what, fix := fmt.Sprintf("%s has no %s", d.here(), f.key), fmt.Sprintf("add  %s:  %s", f.key, f.doc)
			if f.key == "wendrik" {
				what, fix = "the plan does not say of which version of the format it is", "write  wendrik: 1  as its first line"
			}
			d.report(name, missingKey, what, fix)
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
	d.report(key.At, unknownKey, fmt.Sprintf("%q is not a key of this place", phrase.Clip(key.Value)), fix)
}

var (
	nameForm = regexp.MustCompile(`^[a-z][a-z0-9-]*$`)
	// reserved words mean something of their own wherever a name can stand.
	reserved = map[string]bool{Internet: true, "any": true, Blackhole: true}
)

// manyEntries is from how many entries on it pays to read parts of a mapping side by side.
const manyEntries = 250

var notInNames = regexp.MustCompile(`[^a-z0-9]+`)

// few calls visit for every element of a list of which one thing has a few.
func (d *decoder) few(n text.Node, visit func(n text.Node)) {
	count := 0
	d.elements(n, func(n text.Node) {
		if count++; count == maxFew+1 {
			d.report(n.At(), tooMany, fmt.Sprintf("more than %d values stand in this list, and the rest was left out", maxFew), "leave some out")
		}
		if count <= maxFew {
			visit(n)
		}
	})
}

// elements calls visit for every element of a list; a single value counts as a list of one.
func (d *decoder) elements(n text.Node, visit func(n text.Node)) {
	n, entered := d.follow(n)
	defer d.leave(entered)
	switch n.Kind() {
	case 0:
	case text.ListKind:
		if d.tagged(n) {
			return
		}
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
