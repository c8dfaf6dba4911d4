package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"

	"wendrik/internal/cache"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/inlet"
	"wendrik/internal/session"
)

// planFlag defines the flag that names the plan.
func (f *flags) planFlag() *string {
	return f.String("plan", "wendrik.yaml", "`FILE` the plan, a folder with a wendrik.yaml, or - for standard input")
}

// opened is a plan that was read, as far as it can be.
type opened struct {
	*estate.Estate
	label string
}

// unread reports whether nothing of the plan could be read.
func (o *opened) unread() bool { return o.Plan.Unread }

// open reads a plan and binds it; where a question is asked of what is there at a cloud, it is that in the words of the plan.
func (s *screen) open(name string) (*opened, error) {
	if s.there == nil {
		return s.openPlan(name)
	}
	if _, err := os.Stat(name); errors.Is(err, fs.ErrNotExist) && name == "wendrik.yaml" {
		return s.asThere(nil)
	}
	o, err := s.openPlan(name)
	if err != nil {
		return nil, err
	}
	return s.asThere(o)
}

// openPlan reads a plan and binds it.
func (s *screen) openPlan(name string) (*opened, error) {
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		inside := filepath.Join(name, "wendrik.yaml")
		if _, err := os.Stat(inside); errors.Is(err, fs.ErrNotExist) {
			return nil, &usageError{fmt.Sprintf("folder %s has no wendrik.yaml", name), "name the plan with  -plan FILE"}
		}
		name = inside
	}
	if err := s.recovered(name); err != nil {
		return nil, err
	}
	raw, err := s.read(name)
	if err != nil {
		return nil, err
	}
	label := name
	if name == "-" {
		label = standardInput
	}
	s.plan = name
	seldom(len(raw))
	files := text.NewFiles(cache.Open(os.Getenv("WENDRIK_CACHE")))
	problems, read := session.Parts(files, files.Add(label, raw), name, nil)
	s.texts = append(s.texts, read...)
	e, _ := estate.Load(files)
	if len(problems) > 0 {
		e.Problems = append(problems, e.Problems...)
		diag.Sort(e.Problems)
	}
	return &opened{e, label}, nil
}

// standardInput is how a plan is called that has no name.
const standardInput = "standard input"

// samePlan is the flag with which a suggested command reads the plan that was read; empty where it does so without.
func (s *screen) samePlan() string {
	if s.plan == "" || s.plan == "wendrik.yaml" {
		return ""
	}
	return " -plan " + shellWord(s.plan)
}

// sameList are the flags with which a suggested command reads the same list of what is taken.
func (s *screen) sameList(name, columns string) string {
	if name == "" {
		return ""
	}
	words := " -taken " + shellWord(name)
	if columns != "" {
		words += " -columns " + shellWord(columns)
	}
	return words
}

var plainWord = regexp.MustCompile(`^[-\w./=,:@%+]+$`)

// shellWord writes a word so that a shell takes it for one; what does not print is shown escaped, as everywhere.
func shellWord(s string) string {
	if plainWord.MatchString(s) {
		return s
	}
	return "'" + strings.ReplaceAll(clean(s), "'", `'\''`) + "'"
}

// tellProblems tells the problems of a plan, all of them, and what follows from them.
func (s *screen) tellProblems(o *opened, then string) {
	rank := map[int]int{} // of each problem: the first of each kind come first, then the others
	kinds := map[diag.Code]bool{}
	for _, first := range []bool{true, false} {
		for i, f := range o.Problems {
			if _, has := rank[i]; !has && (!first || !kinds[f.Code]) {
				kinds[f.Code], rank[i] = true, len(rank)
			}
		}
	}
	for i, f := range o.Problems {
		if rank[i] < maxProblems {
			s.finding(s.err, o.Plan.Files, f)
		}
	}
	more := map[diag.Code][]string{}
	for i, f := range o.Problems {
		where := clean(o.Plan.Files.Where(f.At))
		switch {
		case rank[i] >= maxProblems+maxBrief:
			more[f.Code] = append(more[f.Code], where)
		case rank[i] >= maxProblems:
			s.tell("%s", strings.Replace(wrapTo(s.width-4, 4, where+": "+clean(f.Message)), where+":", place.Sprint(where+":"), 1))
		}
	}
	for _, code := range slices.Sorted(maps.Keys(more)) {
		s.tell("%s", s.wrap(4, fmt.Sprintf("%d more of the kind %s: %s", len(more[code]), code, phrase.Few(more[code], 3))))
	}
	if len(o.Problems) > maxProblems {
		then += ";  wendrik check" + s.samePlan() + " -format json  lists all"
	}
	s.tell("%s in %s; %s", phrase.Count(len(o.Problems), "problem"), clean(o.label), then)
}

// Of the problems of a plan, so many are told in full, and so many more in a line each; the rest are counted by their kinds.
const (
	maxProblems = 10
	maxBrief    = 20
)

// maxWaits is how many things that are not yet given are told one by one.
const maxWaits = 3

// tellWaits tells what of what is needed is not yet given, and by which command it would be.
func (s *screen) tellWaits(o *opened, needed func(problem text.Path) bool) {
	var waits []diag.Finding
	for _, f := range o.Waits {
		if needed(f.Place) && !(s.gives != "" && strings.HasPrefix(f.Fix(), s.gives+" ")) {
			waits = append(waits, f)
		}
	}
	for i, f := range waits {
		if i == maxWaits && len(waits) > maxWaits+1 {
			s.tell("not yet given: %d more", len(waits)-i)
			break
		}
		s.tell("not yet given: %s (%s)", clean(f.Message), clean(o.Plan.Files.Where(f.At)))
	}
	var by []string
	for _, name := range []string{"carve", "wire"} {
		if slices.ContainsFunc(waits, func(f diag.Finding) bool { return strings.HasPrefix(f.Fix(), name+" ") }) {
			by = append(by, "wendrik "+name+" -write"+s.samePlan())
		}
	}
	if len(by) > 0 {
		s.tell("%s  gives that; it is left out of the answer until then", strings.Join(by, "  and then  "))
	}
}

// load reads a plan for an answer that some parts of it are needed for. Its problems are told, all of them, and end the
// command when one of them is in a part that is needed.
func (s *screen) load(name string, needed func(problem text.Path) bool) (*opened, error) {
	return s.loadFor(name, func(*estate.Estate) (func(text.Path) bool, error) { return needed, nil })
}

// loadQuietly is load for a command that gives what is not yet given.
func (s *screen) loadQuietly(name string, needed func(problem text.Path) bool) (*opened, error) {
	s.quiet = true
	return s.load(name, needed)
}

// loadFor is load where the plan itself says what is needed; the error is that of asking for it.
func (s *screen) loadFor(name string, need func(e *estate.Estate) (needed func(problem text.Path) bool, err error)) (*opened, error) {
	o, err := s.open(name)
	if err != nil {
		return nil, err
	}
	if o.unread() {
		s.tellProblems(o, "nothing was done")
		return nil, errSaid
	}
	needed, err := need(o.Estate)
	if err == nil && !s.quiet {
		s.tellWaits(o, needed)
	}
	switch {
	case len(o.Problems) == 0:
		return o, err
	case err != nil || slices.ContainsFunc(o.Problems, func(f diag.Finding) bool { return needed(f.Place) }):
		s.tellProblems(o, "nothing was done")
		if err != nil {
			return nil, err
		}
		return nil, errSaid
	}
	s.tellProblems(o, "the answer does not rest on what they speak of")
	return o, nil
}

// loadPart reads a plan for an answer about whatever of it can be read. With problems the exit status is cannot, as the
// answer may lack something.
func (s *screen) loadPart(name string) (o *opened, status func(int) int, err error) {
	o, err = s.open(name)
	switch {
	case err != nil:
		return nil, nil, err
	case len(o.Problems) == 0:
		s.tellWaits(o, verdict.Needed)
		return o, func(answer int) int { return answer }, nil
	case o.unread():
		s.tellProblems(o, "nothing was done")
		return nil, nil, errSaid
	}
	s.tellProblems(o, "what they speak of is left out of the answer")
	return o, func(int) int { return cannot }, nil
}

// seldom has garbage collected only once it fills some room, and as ever from then on: reading a plan leaves most of what
// it makes standing, so that looking for garbage is work for nothing. The room follows the size of the text.
func seldom(size int) {
	percent, limit := usual()
	debug.SetGCPercent(-1)
	debug.SetMemoryLimit(64<<20 + 12*int64(size))
	runtime.AddCleanup(new([64]byte), func(percent int) { // which the first collection finds
		debug.SetMemoryLimit(limit)
		debug.SetGCPercent(percent)
	}, percent)
}

// memoryGoal is what garbage collection tries to stay below, by working more often.
const memoryGoal = 1600 << 20

// usual are the percentage that the runtime began with, and the limit, where none was given to it (GOMEMLIMIT) the goal.
var usual = sync.OnceValues(func() (int, int64) {
	return debug.SetGCPercent(-1), min(debug.SetMemoryLimit(-1), memoryGoal)
})

// read reads a text, up to one byte more than a plan may have.
func (s *screen) read(name string) (string, error) {
	in := s.in
	if name != "-" {
		f, err := inlet.Open(name)
		if err != nil {
			return "", fileError(name, err)
		}
		defer f.Close()
		in = f
		s.texts = append(s.texts, name)
	}
	var b strings.Builder
	if f, is := in.(*os.File); is {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			b.Grow(int(min(info.Size(), text.MaxSize)) + 1)
		}
	}
	if _, err := io.Copy(&b, io.LimitReader(in, text.MaxSize+1)); err != nil {
		return "", fileError(name, err)
	}
	return b.String(), nil
}

// fileError says in a sentence why a file cannot be used.
func fileError(name string, err error) error {
	return unreadable(name, "plan", err)
}

// unreadable says in a sentence why a file, a plan or a list, cannot be used.
func unreadable(name, what string, err error) error {
	named := "name another file"
	if what == "plan" {
		named = "name the plan with  -plan FILE,  or make an example with  wendrik demo"
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return &usageError{fmt.Sprintf("there is no file %s", name), named}
	case errors.Is(err, fs.ErrPermission):
		return &usageError{fmt.Sprintf("%s may not be read or written by you", name), "change its permissions"}
	}
	if info, statErr := os.Stat(name); statErr == nil && info.IsDir() {
		if what == "plan" {
			named = "name the plan in it:  -plan " + filepath.Join(name, "wendrik.yaml")
		}
		return &usageError{fmt.Sprintf("%s is a folder, not a %s", name, what), named}
	}
	return &usageError{fmt.Sprintf("%s cannot be read: %s", name, session.Reason(err)), named}
}
