package editor

import (
	"context"
	"fmt"
	"io"
	"maps"
	"net/url"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/inlet"
	"wendrik/internal/session"
)

// This file keeps what is known of a plan while its files are edited: one estate, which is made anew once typing pauses.

// document is a file that an editor has open.
type document struct {
	uri     string
	path    string
	version int
	lines   lines
	plan    *kept // nil for a file that is of no plan
}

// kept is a plan of which some file is open.
type kept struct {
	first string // the path of its first file
	edits int    // how often any of its files has changed; under the server's lock
	wake  chan struct{}
	stop  context.CancelFunc

	lock   sync.Mutex
	known  *state
	judged *state          // the last one of which the verdict is known
	fresh  chan struct{}   // closed when known is another
	shifts []shift         // what was edited since known was read
	marked map[string]bool // the documents that have been told of something
}

// shift is an edit, as the lines that it moved.
type shift struct {
	path           string
	edit           int // its number
	line           int
	before, behind int // so many lines were there, and are
}

// state is all that is known of a plan at one time.
type state struct {
	edit    int              // the number of the last edit that it has
	texts   map[string]lines // as they were, by path
	estate  *estate.Estate   // of what can be read of them
	broken  []diag.Finding   // lines that are no YAML, and were left out
	verdict *verdict.Verdict // nil until it is known
	objects func() []estate.Object
	places  func() map[string]estate.Object
	survey  func() *space.Survey
	reached func() map[*estate.Network]reached
}

// gather is how long edits are gathered before the plan is read anew.
const gather = 40 * time.Millisecond

// mostGather is how long they are gathered at most: where reading takes long, as long as that, so that somebody who types is not slowed by it.
const mostGather = 800 * time.Millisecond

// mostBroken is how many lines are left out at most so that the rest can be read.
const mostBroken = 12

// pathOf is the file that a URI of an editor names; empty for what is no file.
func pathOf(uri string) string {
	u, err := url.Parse(uri)
	if err != nil || u.Scheme != "file" || u.Path == "" {
		return ""
	}
	path := u.Path
	if runtime.GOOS == "windows" && len(path) > 2 && path[2] == ':' {
		path = path[1:]
	}
	return filepath.Clean(filepath.FromSlash(path))
}

// uriOf is a file as an editor calls it.
func uriOf(path string) string {
	path = filepath.ToSlash(path)
	if !strings.HasPrefix(path, "/") {
		path = "/" + path
	}
	return (&url.URL{Scheme: "file", Path: path}).String()
}

// planOf is the first file of the plan that a file belongs to; empty for a file of none. It looks at the file itself, and at a wendrik.yaml in
// its folder and those above it, as far as the folder that the editor has open.
func (s *server) planOf(path string, content string) string {
	s.lock.Lock()
	plans := maps.Clone(s.plans)
	s.lock.Unlock()
	for first, k := range plans {
		if known := k.now(); known != nil && known.texts[path] != nil {
			return first
		}
	}
	if filepath.Base(path) == "wendrik.yaml" || begins(content, "wendrik:") {
		return path
	}
	for folder := filepath.Dir(path); ; folder = filepath.Dir(folder) {
		first := filepath.Join(folder, "wendrik.yaml")
		if raw, ok := s.read(first); ok && first != path {
			files := text.NewFiles(nil)
			for _, part := range plan.PartsOf(files.Add(first, raw.String())) {
				if !filepath.IsLocal(part.Value) {
					continue
				}
				if is, err := filepath.Match(filepath.Join(folder, filepath.FromSlash(part.Value)), path); err == nil && is {
					return first
				}
			}
		}
		if folder == filepath.Dir(folder) || !slices.ContainsFunc(s.folders, func(root string) bool { return folder != root && within(root, folder) }) {
			return ""
		}
	}
}

// within reports whether a path is in a folder, or the folder.
func within(folder, path string) bool {
	rel, err := filepath.Rel(folder, path)
	return err == nil && filepath.IsLocal(rel)
}

func begins(content, key string) bool {
	return strings.HasPrefix(content, key) || strings.Contains(content, "\n"+key)
}

// read is the text of a file as the editor has it, or else as it lies there.
func (s *server) read(path string) (lines, bool) {
	if l, is := s.opened(path); is {
		return l, true
	}
	f, err := inlet.Open(path)
	if err != nil {
		return nil, false
	}
	defer f.Close()
	if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() {
		return nil, false
	}
	raw, err := io.ReadAll(io.LimitReader(f, text.MaxSize+1))
	return splitLines(string(raw)), err == nil
}

// opened is the text of a file that the editor has open.
func (s *server) opened(path string) (lines, bool) {
	s.lock.Lock()
	defer s.lock.Unlock()
	for _, d := range s.docs {
		if d.path == path {
			return d.lines, true
		}
	}
	return nil, false
}

// now is what is known of the plan; nil before anything is.
func (k *kept) now() *state {
	k.lock.Lock()
	defer k.lock.Unlock()
	return k.known
}

// keep begins to keep a plan.
func (s *server) keep(first string) *kept {
	ctx, stop := context.WithCancel(s.ctx)
	k := &kept{first: first, wake: make(chan struct{}, 1), stop: stop, fresh: make(chan struct{}), marked: map[string]bool{}}
	s.plans[first] = k
	s.working.Go(func() { s.follow(ctx, k) })
	return k
}

// changed has a plan read anew soon.
func (k *kept) changed() {
	select {
	case k.wake <- struct{}{}:
	default:
	}
}

// follow reads a plan anew whenever it has changed, until it is no longer kept.
func (s *server) follow(ctx context.Context, k *kept) {
	var took time.Duration
	for {
		select {
		case <-ctx.Done():
			return
		case <-k.wake:
		}
		for quiet := false; !quiet; { // typing goes on
			select {
			case <-ctx.Done():
				return
			case <-k.wake:
			case <-time.After(max(gather, min(took, mostGather))):
				quiet = true
			}
		}
		edit := s.editOf(k)
		begin := time.Now()
		x := s.look(k, edit)
		took = time.Since(begin)
		k.set(x)
		s.tell(k, x)
		overtaken := func() bool { return ctx.Err() != nil || s.editOf(k) != edit }
		if overtaken() || x.estate.Plan.Unread {
			continue
		}
		if v := verdict.Of(x.estate, time.Now(), nil, overtaken); !overtaken() {
			with := *x
			with.verdict = v
			k.set(&with)
			s.tell(k, &with)
			s.refresh()
		}
	}
}

func (s *server) editOf(k *kept) int {
	s.lock.Lock()
	defer s.lock.Unlock()
	return k.edits
}

// set has something else known of a plan from now on.
func (k *kept) set(x *state) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.known = x; x.verdict != nil {
		k.judged = x
	}
	if k.judged != nil {
		k.shifts = slices.DeleteFunc(k.shifts, func(h shift) bool { return h.edit <= k.judged.edit })
	}
	close(k.fresh)
	k.fresh = make(chan struct{})
}

// look reads a plan as it is.
func (s *server) look(k *kept, edit int) *state {
	x := &state{edit: edit}
	without := map[string][]int{} // lines that are left out, by path
	for try := 0; ; try++ {
		x.texts = map[string]lines{}
		take := func(path string) (string, bool) {
			l, ok := s.read(path)
			if !ok {
				return "", false
			}
			x.texts[path] = l
			return l.blank(without[path]...).String(), true
		}
		files := text.NewFiles(nil)
		raw, ok := take(k.first)
		first := files.Add(k.first, raw)
		problems, _ := session.Parts(files, first, k.first, take)
		if !ok {
			problems = append(problems, diag.Finding{Code: "no-plan", At: first.Start(), Message: fmt.Sprintf("%s cannot be read", filepath.Base(k.first))})
		}
		x.estate, _ = estate.Load(files)
		x.estate.Problems = append(problems, x.estate.Problems...)
		if !x.estate.Plan.Unread || len(x.estate.Problems) == 0 || try == mostBroken {
			break
		}
		f := x.estate.Problems[0]
		path, n := files.Of(f.At).Name, f.At.Line()-1
		l := x.texts[path]
		read := l.blank(without[path]...)
		if open := neverClosed(read); open >= 0 && !slices.Contains(without[path], open) {
			n = open
		}
		if before := n - 1; before >= 0 && n < len(l) && len(files.Of(f.At).Text) < smallText && read.further(before, n) {
			n = before
		}
		for n >= 0 && (n >= len(l) || slices.Contains(without[path], n) || strings.TrimSpace(l[n]) == "") {
			n-- // what was left out already did not end it: then it began before
		}
		if !f.At.Known() || n < 0 || l == nil {
			break
		}
		without[path] = append(without[path], n)
		if !slices.ContainsFunc(x.broken, func(b diag.Finding) bool { return b.At == f.At }) {
			f.Place = cursorAt(l, spot{n, len(l.at(n))}).path
			x.broken = append(x.broken, f)
		}
	}
	if !x.estate.Plan.Unread && len(x.broken) > 0 {
		var lost strings.Builder
		for path, out := range without {
			for _, n := range out {
				lost.WriteString(x.texts[path].at(n) + "\n")
			}
		}
		words := strings.FieldsFunc(lost.String(), func(r rune) bool { return r > 0x7f || !wordByte(byte(r)) || r == ':' })
		x.estate.Problems = slices.DeleteFunc(x.estate.Problems, func(f diag.Finding) bool {
			return speaksOf(f.Message, words) || slices.ContainsFunc(x.broken, func(b diag.Finding) bool { return len(f.Place) > 0 && leads(f.Place, b.Place) })
		})
		x.estate.Problems = append(slices.Clone(x.broken), x.estate.Problems...)
	}
	if x.estate.Plan.Unread && len(x.broken) > 0 {
		x.estate.Problems = x.broken
	}
	x.objects = sync.OnceValue(x.estate.Objects)
	x.reached = sync.OnceValue(func() map[*estate.Network]reached { return whoReaches(x.estate) })
	x.survey = sync.OnceValue(func() *space.Survey { return space.NewSurvey(x.estate, nil) })
	x.places = sync.OnceValue(func() map[string]estate.Object {
		all := map[string]estate.Object{}
		for _, o := range x.objects() {
			all[o.Place().String()] = o
		}
		return all
	})
	return x
}

// smallText is up to how many bytes it is tried which of two lines is the one to leave out.
const smallText = 1 << 20

// further reports whether a text can be read, or further, without one line, and not without another.
func (l lines) further(line, other int) bool {
	readTo := func(out int) int {
		f := text.One("", l.blank(out).String()).First()
		if _, problem := f.Tree(); problem != nil {
			return problem.At.Line()
		}
		return len(l) + 1
	}
	return readTo(line) > readTo(other)
}

// neverClosed is the first line of which a bracket or a quote is still open where a line begins that stands no further in; negative where none is.
func neverClosed(l lines) int {
	depth, quote, from, lead := 0, byte(0), -1, 0
	for n := range l {
		line := l.at(n)
		trimmed := strings.TrimLeft(line, " ")
		if at := len(line) - len(trimmed); trimmed != "" && (depth > 0 || quote != 0) && at <= lead && strings.IndexByte("]}#", trimmed[0]) < 0 {
			return from
		}
		if depth == 0 && quote == 0 {
			from, lead = n, len(line)-len(trimmed)
		}
		depth, quote = openAfter(line, depth, quote)
	}
	if depth > 0 || quote != 0 {
		return from
	}
	return -1
}

// leads reports whether a place is that of another, or of what that is in: what is missing there may stand in the line that was left out.
func leads(place, to text.Path) bool {
	return len(place) <= len(to) && slices.Equal(place, to[:len(place)])
}

// speaksOf reports whether a message quotes any of some words, or ends in one.
func speaksOf(message string, words []string) bool {
	for _, w := range words {
		if len(w) > 1 && (strings.Contains(message, `"`+w+`"`) || strings.Contains(message, "/"+w+`"`)) {
			return true
		}
	}
	return false
}

// settled is what is known of a plan once it has all edits that were made before the question; what is there after a while where that takes too
// long, or the question is no longer wanted.
func (s *server) settled(ctx context.Context, k *kept, judged bool) *state {
	edit := s.editOf(k)
	end := time.After(30 * time.Second)
	for {
		k.lock.Lock()
		x, fresh := k.known, k.fresh
		k.lock.Unlock()
		if x != nil && x.edit >= edit && (!judged || x.verdict != nil || x.estate.Plan.Unread) {
			return x
		}
		select {
		case <-fresh:
		case <-ctx.Done():
			return x
		case <-end:
			return x
		}
	}
}

// lineNow is where a line is now that stood somewhere when a plan was read; ok is false where it was edited since.
func (k *kept) lineNow(x *state, path string, n int) (now int, ok bool) {
	k.lock.Lock()
	defer k.lock.Unlock()
	for _, h := range k.shifts {
		if h.path != path || h.edit <= x.edit {
			continue
		}
		switch {
		case n >= h.line+h.before:
			n += h.behind - h.before
		case n >= h.line && h.before != h.behind:
			return n, false
		}
	}
	return n, true
}

// posOf is a place of a plan as it was read: its file, and the byte in its line.
func (x *state) posOf(at text.Pos) (path string, where spot) {
	path = x.estate.Plan.Files.Of(at).Name
	if !at.Known() {
		return path, spot{}
	}
	line := at.Line() - 1
	return path, spot{line, byteAt(x.texts[path].at(line), at.Column())}
}
