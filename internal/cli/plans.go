package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"strings"
	"sync"

	"github.com/aymanbagabas/go-udiff"

	"wendrik/internal/cache"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/replace"
)

// planFlag defines the flag that names the plan.
func (f *flags) planFlag() *string {
	return f.String("plan", "wendrik.yaml", "`FILE` the plan, or - for standard input")
}

// load reads a plan and binds it. Its problems are told, all of them, and end the command.
func (s *screen) load(name string) (*estate.Estate, error) {
	raw, err := s.read(name)
	if err != nil {
		return nil, err
	}
	label := name
	if name == "-" {
		label = "standard input"
	}
	seldom(len(raw))
	files := text.NewFiles(cache.Open(os.Getenv("WENDRIK_CACHE")))
	files.Add(label, raw)
	e, findings := estate.Load(files)
	if len(findings) == 0 {
		return e, nil
	}
	for _, f := range findings {
		s.finding(s.err, files, f)
	}
	s.tell("%s in %s; nothing was done", phrase.Count(len(findings), "problem"), clean(label))
	return nil, errSaid
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
		f, err := os.Open(name)
		if err != nil {
			return "", fileError(name, err)
		}
		defer f.Close()
		in = f
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
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return &usageError{fmt.Sprintf("there is no file %s", name), "name the plan with  -plan FILE,  or make an example with  wendrik demo"}
	case errors.Is(err, fs.ErrPermission):
		return &usageError{fmt.Sprintf("%s may not be read or written by you", name), "change its permissions"}
	}
	if info, statErr := os.Stat(name); statErr == nil && info.IsDir() {
		return &usageError{fmt.Sprintf("%s is a folder, not a plan", name), "name the plan in it:  -plan " + filepath.Join(name, "wendrik.yaml")}
	}
	return &usageError{fmt.Sprintf("%s cannot be read: %s", name, reason(err)), "name a readable file with  -plan FILE"}
}

// reason is why a file could not be used, without its name.
func reason(err error) string {
	var path *fs.PathError
	if errors.As(err, &path) {
		err = path.Err
	}
	return err.Error()
}

// save writes edits into the plan, and shows the difference that they make when it is asked to.
func (s *screen) save(name string, src *text.Files, changes text.Changes, show bool) error {
	if name == "-" {
		return &usageError{"standard input cannot be written to", "name the plan with  -plan FILE"}
	}
	before := src.First()
	after, patches, err := before.Apply(changes.Edits())
	if err != nil {
		return &usageError{fmt.Sprintf("%s cannot be edited: %s", name, err), "nothing was written"}
	}
	if show {
		shown := patches[:min(len(patches), maxRows)]
		var diff []udiff.Edit
		for _, p := range shown {
			diff = append(diff, udiff.Edit{Start: p.Start, End: p.End, New: p.Text})
		}
		unified, err := udiff.ToUnified(name, name, before.Text, diff, 1)
		if err != nil {
			return err
		}
		s.diff(unified)
		if left := len(patches) - len(shown); left > 0 {
			s.say("%s", dim.Sprintf("%d more changes are not shown", left))
		}
	}
	if s.out.lost != nil {
		return &usageError{"the difference could not be shown", "nothing was written"}
	}
	linked, err := replace.File(name, before.Text, after)
	if linked {
		s.tell("%s has another name (a hard link), which keeps the old text", clean(name))
	}
	return writeError(name, err)
}

// writeError says in a sentence why a file was not written; nil where it was.
func writeError(name string, err error) error {
	fix := map[error]string{
		replace.ErrChanged:  "run the command again, on what stands there now",
		replace.ErrBusy:     "run the command again when they are done",
		replace.ErrReadOnly: "make it writable first:  chmod u+w " + name,
		replace.ErrNotFile:  "name a file with  -plan FILE",
		replace.ErrOwner:    "have its owner run the command",
	}
	for reason, right := range fix {
		if errors.Is(err, reason) {
			return &usageError{fmt.Sprintf("%s was not written: %s", name, reason), right}
		}
	}
	if err != nil {
		return &usageError{fmt.Sprintf("%s was not written: %s", name, reason(err)), "it is as it was"}
	}
	return nil
}
