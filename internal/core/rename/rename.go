// Package rename calls a thing of a plan otherwise, and has all in the plan that speaks of it follow. What speaks of it is what the plan
// cannot be read without any more once the thing alone has its new name; and what comes of it is compared with the plan as it was.
package rename

import (
	"cmp"
	"fmt"
	"maps"
	"math/bits"
	"slices"
	"strings"
	"unicode/utf8"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Request is what is to be called otherwise.
type Request struct {
	Kind string // its kind, such as tier, where several things have the name; else empty
	Name string // what it is called: booking, booking/web
	To   string // its new name, without what it is a part of
}

// Result is what renaming comes to.
type Result struct {
	What   string // the kind and name
	Places int    // in how many places of the plan it is spoken of, its own among them
	After  *estate.Estate
	Left   []string // names that still follow the old one, such as those of subnets by the pattern that the plan gives
}

// Of renames. The error is a *wrong.Error.
func Of(e *estate.Estate, q Request) (*Result, error) {
	if len(e.Problems) > 0 {
		return nil, wrong.Value("mend that first:  wendrik check", "what a plan with mistakes speaks of cannot be told: %s", e.Problems[0].Message)
	}
	o, err := find(e, q)
	if err != nil {
		return nil, err
	}
	old := o.ID()[strings.LastIndexByte(o.ID(), '/')+1:]
	if q.To == old {
		return nil, wrong.Value("give another name", "%s %s is called that", o.Kind(), o.ID())
	}
	var first error
	for _, careful := range []bool{false, true} {
		r := &renamer{src: e.Plan.Files, texts: map[*text.File]string{}, waited: len(e.Waits), old: old, is: q.To, inside: strings.Contains(o.ID(), "/"), careful: careful,
			was: o.ID(), of: o.Kind(), Result: &Result{What: fmt.Sprintf("%s %s", o.Kind(), o.ID())}}
		err := r.rename(e, o)
		if err == nil {
			return r.Result, nil
		}
		if first == nil {
			first = err
		}
	}
	return nil, first
}

func (r *renamer) rename(e *estate.Estate, o estate.Object) error {
	for _, f := range r.src.All() {
		r.texts[f] = f.Text
	}
	r.others = r.names(e)
	if !r.patch(r.src, o.At(), true) {
		return wrong.Value("rename it in the text", "%s is not written where it could be renamed", r.What)
	}
	if err := r.follow(); err != nil {
		return err
	}
	return r.proved(e, o)
}

// find finds what is to be renamed.
func find(e *estate.Estate, q Request) (estate.Object, error) {
	named := e.Named(q.Name)
	for _, o := range e.Objects() { // what no question names has a name, too
		if slices.Contains([]estate.Kind{estate.HeldKind, estate.HubTableKind, estate.DHCPKind}, o.Kind()) && o.ID() == q.Name && !slices.Contains(named, o) {
			named = append(named, o)
		}
	}
	all := slices.DeleteFunc(named, func(o estate.Object) bool { return q.Kind != "" && string(o.Kind()) != q.Kind })
	switch {
	case len(all) == 1:
		if w, is := all[0].(*estate.Workload); is && w.Plan.Count.Given() {
			return nil, wrong.Value("rename the set", "workload %s is one of the set %s, and named after it", w.Name, w.Plan.Name.Value)
		}
		return all[0], nil
	case len(all) > 1:
		return nil, wrong.Value(fmt.Sprintf("say which:  wendrik rename %s %s %s", all[0].Kind(), q.Name, q.To), "%s is the name of %s", q.Name, phrase.And(phrases(all)))
	}
	right := "name a thing, or a part of a network as network/part"
	if near := e.Near(q.Name, estate.NetworkKind, estate.WorkloadKind, estate.SiteKind, estate.HubKind, estate.SubnetKind, estate.TierKind, estate.GroupKind); near != "" {
		right = "did you mean " + near + "?"
	}
	what := "thing"
	if q.Kind != "" {
		what = q.Kind
	}
	return nil, wrong.Value(right, "there is no %s called %q that could be renamed", what, q.Name)
}

func phrases(all []estate.Object) (words []string) {
	for _, o := range all {
		words = append(words, "a "+string(o.Kind()))
	}
	return words
}

type renamer struct {
	*Result
	src     *text.Files
	texts   map[*text.File]string
	of      estate.Kind
	was     string // the whole name, with what it is a part of
	others  string // the names of all, with the old one for the thing
	waited  int    // how much of the plan waits for something
	old, is string
	inside  bool // whether it is a part of a network, and so stands behind a slash where that is named, too
	careful bool // whether of several words in one value as few follow as it takes, since others may be names of something else
}

// files are the plan as it is by now.
func (r *renamer) files() *text.Files {
	var changed []text.Changed
	for _, f := range r.src.All() {
		if r.texts[f] != f.Text {
			changed = append(changed, text.Changed{File: f, After: r.texts[f]})
		}
	}
	return r.src.With(changed)
}

// follow has what cannot be read any more follow, until all can: first at once the values that stand where something is wrong, then one by one
// what stands behind such a place, as a reference is told of at the thing that has it.
func (r *renamer) follow() error {
	for atOnce := true; ; {
		e, problems := r.load()
		if len(problems) == 0 {
			r.After = e
			return nil
		}
		files := e.Plan.Files
		if atOnce {
			if atOnce = r.values(files, problems); atOnce {
				continue
			}
		}
		if !r.behind(files, problems) {
			return wrong.Value("choose another name", "it cannot be called %s: %s", phrase.Clip(r.is), problems[0].Message)
		}
	}
}

// values patches the values that stand where problems are, and reports whether there were such.
func (r *renamer) values(files *text.Files, problems []diag.Finding) bool {
	places := map[text.Pos]bool{}
	for _, p := range problems {
		if _, i := r.find(strings.ReplaceAll(p.Message, `"`, " ")); i >= 0 && strings.HasPrefix(p.Message, "there is no ") { // others may only follow from those
			places[p.At] = true
		}
	}
	order := slices.SortedFunc(maps.Keys(places), func(a, b text.Pos) int { return cmp.Compare(b, a) }) // the last first, so that those before it stay where they are
	patched := false
	for _, at := range order {
		patched = r.patchFew(files, at) || r.patch(files, at, false) || patched
	}
	return patched
}

// maxWords is of how many words in one value some are tried.
const maxWords = 5

// patchFew patches as few words of a value as it takes to end the problem there, where that is called for and it has several; it reports false
// where it does nothing.
func (r *renamer) patchFew(files *text.Files, at text.Pos) bool {
	f, start := r.file(files, at)
	if f == nil || !r.careful {
		return false
	}
	content := r.texts[f]
	line, _, _ := strings.Cut(content[start:], "\n")
	var words []int
	for from := 0; len(words) <= maxWords; {
		_, i := r.find(line[from:])
		if i < 0 {
			break
		}
		words = append(words, from+i)
		from += i + len(r.old)
	}
	if len(words) < 2 || len(words) > maxWords {
		return false
	}
	var sets []int
	for set := 1; set < 1<<len(words); set++ {
		sets = append(sets, set)
	}
	slices.SortStableFunc(sets, func(a, b int) int { return bits.OnesCount(uint(a)) - bits.OnesCount(uint(b)) })
	for _, set := range sets {
		var said strings.Builder
		done := 0
		for n, i := range words {
			if set&(1<<n) != 0 {
				said.WriteString(line[done:i] + r.is)
				done = i + len(r.old)
			}
		}
		said.WriteString(line[done:])
		r.texts[f] = content[:start] + said.String() + content[start+len(line):]
		_, problems := r.load()
		if !slices.ContainsFunc(problems, func(p diag.Finding) bool { return p.At.Line() == at.Line() && p.At.Column() == at.Column() }) {
			r.Places += bits.OnesCount(uint(set))
			return true
		}
	}
	r.texts[f] = content
	return false
}

// patch writes the new name in the place of the old one in the value, or with own in the key, that stands at a place of the plan as it is by now;
// it reports false where there is none.
func (r *renamer) patch(files *text.Files, at text.Pos, own bool) bool {
	f, start := r.file(files, at)
	if f == nil {
		return false
	}
	content := r.texts[f]
	line, _, _ := strings.Cut(content[start:], "\n")
	key := len(line)
	if i := strings.IndexByte(line, ':'); i >= 0 && (i+1 == len(line) || line[i+1] == ' ') {
		key = i
	}
	stop := len(line)
	switch {
	case own:
		stop = key
	case line != "" && (line[0] == '"' || line[0] == '\''):
		if i := strings.IndexByte(line[1:], line[0]); i >= 0 {
			stop = i + 1
		}
	default:
		if i := strings.IndexAny(line, ",]}"); i >= 0 {
			stop = i
		}
		if key < stop || line != "" && strings.IndexByte("{[", line[0]) >= 0 {
			return false // a key, or what holds others
		}
	}
	said, n := r.replaced(line[:stop])
	if n == 0 {
		return false
	}
	r.Places += n
	r.texts[f] = content[:start] + said + content[start+stop:]
	return true
}

// file is the file of the plan as it was that a place of it as it is now is in, and how far in its text that is.
func (r *renamer) file(files *text.Files, at text.Pos) (*text.File, int) {
	now := files.Of(at)
	i := slices.IndexFunc(r.src.All(), func(f *text.File) bool { return now != nil && f.Name == now.Name })
	if i < 0 || !at.Known() {
		return nil, 0
	}
	f := r.src.All()[i]
	return f, min(now.Offset(at), len(r.texts[f]))
}

// maxTried is how many words behind a place are tried.
const maxTried = 60

// behind finds the first word behind the place of a problem, at which the old name stands, without which there are fewer problems. It reports
// false where there is none.
func (r *renamer) behind(files *text.Files, problems []diag.Finding) bool {
	f, start := r.file(files, problems[0].At)
	if f == nil {
		return false
	}
	content := r.texts[f]
	for range maxTried {
		before, i := r.find(content[start:])
		if i < 0 {
			break
		}
		r.texts[f] = content[:start] + before + r.is + content[start+i+len(r.old):]
		if e, left := r.load(); len(left) < len(problems) && r.names(e) == r.others {
			r.Places++
			return true
		}
		start += i + len(r.old)
	}
	r.texts[f] = content
	return false
}

// replaced is a text with the new name in the place of the old one, wherever that stands as a word, and how often it does.
func (r *renamer) replaced(s string) (string, int) {
	var out strings.Builder
	n := 0
	for {
		before, i := r.find(s)
		if i < 0 {
			out.WriteString(s)
			return out.String(), n
		}
		out.WriteString(before + r.is)
		s, n = s[i+len(r.old):], n+1
	}
}

// find finds the old name as a word: of a part of a network not before a slash, of anything else not behind one.
func (r *renamer) find(s string) (before string, at int) {
	part := func(b byte) bool {
		return b == '-' || b == '_' || b == '.' || '0' <= b && b <= '9' || 'a' <= b && b <= 'z' || 'A' <= b && b <= 'Z' || b >= utf8.RuneSelf
	}
	for from := 0; ; {
		i := strings.Index(s[from:], r.old)
		if i < 0 {
			return "", -1
		}
		i += from
		end := i + len(r.old)
		left, right := byte(' '), byte(' ')
		if i > 0 {
			left = s[i-1]
		}
		if end < len(s) {
			right = s[end]
		}
		if !part(left) && !part(right) && (!r.inside || right != '/') && (r.inside || left != '/') {
			return s[:i], i
		}
		from = i + 1
	}
}

// proved holds what the plan comes to now against what it came to: all that is bound to a thing is bound to the same one, and every line of
// expect speaks of the same ends.
func (r *renamer) proved(e *estate.Estate, o estate.Object) error {
	if err := r.waivers(e, o); err != nil {
		return err
	}
	for was, is := r.shape(e), r.shape(r.After); was != is; is = r.shape(r.After) {
		if !r.nearer(was, common(was, is)) {
			return r.otherwise("something that is called " + r.old + ", too, would be meant in its place")
		}
	}
	if r.names(r.After) != r.others {
		return r.otherwise("other things would be called otherwise, too, such as those that a pattern gives to several networks")
	}
	for i, x := range e.Plan.Expect {
		if i >= len(r.After.Plan.Expect) || r.said(x.Text) != r.said(r.After.Plan.Expect[i].Text) {
			return r.otherwise("the line of expect  " + x.Text)
		}
	}
	if !maps.Equal(silenced(e), silenced(r.After)) {
		return r.otherwise("a line of waive would silence something else")
	}
	for _, f := range check.Run(r.After, check.Names) {
		if f.Code == "naming" {
			r.Left = append(r.Left, f.Message)
		}
	}
	return nil
}

func (r *renamer) shape(e *estate.Estate) string { return (&shape{say: r.said}).of(e) }

// names are those of all things that have one of their own, with the old name for the thing and what is a part of it: nothing else is to be
// called otherwise.
func (r *renamer) names(e *estate.Estate) string {
	is := r.was[:len(r.was)-len(r.old)] + r.is
	var all strings.Builder
	for _, o := range e.Objects() {
		id := o.ID()
		switch o.Kind() {
		case estate.WorkloadKind, estate.SetKind:
			continue // of which a set makes several
		case estate.NetworkKind, estate.SiteKind, estate.PeeringKind, estate.HubKind, estate.HubLinkKind, estate.ClusterKind, estate.BlockKind, estate.SubnetKind,
			estate.TierKind, estate.TableKind, estate.GroupKind, estate.ListKind, estate.GatewayKind, estate.HeldKind, estate.HubTableKind, estate.DHCPKind:
		default:
			continue
		}
		if rest, inside := strings.CutPrefix(id, is); inside && (rest == "" || rest[0] == '/') && (rest != "" || o.Kind() == r.of) {
			id = r.was + rest
		}
		all.WriteString(string(o.Kind()) + " " + id + "\n")
	}
	for _, w := range e.Plan.Workloads {
		name := w.Name.Value
		if name == is && !r.inside && (r.of == estate.WorkloadKind || r.of == estate.SetKind) {
			name = r.was
		}
		all.WriteString(name + "\n")
	}
	return all.String()
}

// common is how far two texts are the same.
func common(a, b string) int {
	n := min(len(a), len(b))
	for i := range n {
		if a[i] != b[i] {
			return i
		}
	}
	return n
}

// nearer has one more word follow, of those that still have the old name: one that would mean something else otherwise, so that more of what is
// bound is as it was. It reports false where there is none.
func (r *renamer) nearer(was string, so int) bool {
	tried := 0
	for _, f := range r.src.All() {
		content := r.texts[f]
		for start := 0; tried < maxTried; tried++ {
			before, i := r.find(content[start:])
			if i < 0 {
				break
			}
			r.texts[f] = content[:start] + before + r.is + content[start+i+len(r.old):]
			if e, problems := r.load(); len(problems) == 0 && r.names(e) == r.others && common(was, r.shape(e)) > so {
				r.Places++
				r.After = e
				return true
			}
			start += i + len(r.old)
		}
		r.texts[f] = content
	}
	return false
}

// load reads the plan as it is now. What waits for a thing that is not there is a problem, too, unless it waited before.
func (r *renamer) load() (*estate.Estate, []diag.Finding) {
	e, problems := estate.Load(r.files())
	if len(e.Waits) > r.waited {
		problems = append(slices.Clone(problems), e.Waits...)
	}
	return e, problems
}

// said is a text in which the old name is the new one.
func (r *renamer) said(s string) string {
	both := &renamer{old: r.old, is: r.is}
	s, _ = both.replaced(s)
	both.inside = true
	s, _ = both.replaced(s)
	return s
}

func (r *renamer) otherwise(what string) error {
	return wrong.Value("choose another name, or rename it in the text", "the plan would say something else if %s were called %s: %s", r.What, phrase.Clip(r.is), what)
}
