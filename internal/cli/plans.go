package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"

	"github.com/aymanbagabas/go-udiff"
	pretty "github.com/jedib0t/go-pretty/v6/text"
	"github.com/natefinch/atomic"

	"wendrik/internal/cache"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
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
	defer seldom(len(raw))()
	files := text.NewFiles(cache.Open(os.Getenv("WENDRIK_CACHE")))
	files.Add(label, raw)
	e, findings := estate.Load(files)
	if len(findings) == 0 {
		return e, nil
	}
	for _, f := range findings {
		s.finding(s.err, files, f)
	}
	s.tell("%s in %s; nothing was done", count(len(findings), "problem"), clean(label))
	return nil, errSaid
}

// seldom has garbage collected only when it fills some room, until what it gives is called: reading a plan leaves most of
// what it makes standing, so that looking for garbage is work for nothing. The room follows the size of the text.
func seldom(size int) (restore func()) {
	percent, limit := debug.SetGCPercent(-1), debug.SetMemoryLimit(64<<20+12*int64(size))
	return func() {
		debug.SetMemoryLimit(limit)
		debug.SetGCPercent(percent)
	}
}

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
	var path *fs.PathError
	reason := err
	if errors.As(err, &path) {
		reason = path.Err
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return &usageError{fmt.Sprintf("there is no file %s", name), "name the plan with  -plan FILE,  or make an example with  wendrik demo"}
	case errors.Is(err, fs.ErrPermission):
		return &usageError{fmt.Sprintf("%s may not be read or written by you", name), "change its permissions"}
	}
	if info, statErr := os.Stat(name); statErr == nil && info.IsDir() {
		return &usageError{fmt.Sprintf("%s is a folder, not a plan", name), "name the plan in it:  -plan " + filepath.Join(name, "wendrik.yaml")}
	}
	return &usageError{fmt.Sprintf("%s cannot be read: %s", name, reason), "name a readable file with  -plan FILE"}
}

// finding shows one finding: where, what, the line itself, and below the place in it what would be right.
func (s *screen) finding(w io.Writer, src *text.Files, f diag.Finding) {
	where := clean(src.Where(f.At)) + ":"
	fmt.Fprintln(w, strings.Replace(wrapTo(s.width-4, 4, where+" "+clean(f.Message)), where, place.Sprint(where), 1))
	fix := clean(f.Fix())
	if !f.At.Known() {
		if fix != "" {
			fmt.Fprintf(w, "    %s\n", s.wrap(4, fix))
		}
		return
	}
	line, indent := s.excerpt(src.Line(f.At), f.At.Column())
	fmt.Fprintf(w, "    %s\n%s%s", dim.Sprint(line), strings.Repeat(" ", 4+indent), bad.Sprint("^"))
	switch {
	case fix == "":
		fmt.Fprintln(w)
	case 4+indent+2+pretty.StringWidth(fix) <= s.width:
		fmt.Fprintf(w, " %s\n", fix)
	default:
		fmt.Fprintf(w, "\n    %s\n", s.wrap(4, fix))
	}
}

// findings shows findings below a title, when there are any.
func (c *call) findings(title string, all []diag.Finding, src *text.Files) {
	if len(all) == 0 {
		return
	}
	c.say("\n%s", strong.Sprint(title))
	for i, f := range all {
		if i == maxShown {
			c.say("%d more are left out; -format json lists all", len(all)-i)
			return
		}
		c.finding(c.out, src, f)
	}
}

// excerpt is a line of the text, cut to the width of the screen, and where in it the column is that matters.
func (s *screen) excerpt(line string, column int) (shown string, indent int) {
	runes := []rune(line)
	column = min(max(column, 1), len(runes)+1)
	room := s.width - 4
	start := 0
	for start < column-1 && runes[start] == ' ' {
		start++
	}
	if column-start > room {
		start = column - room/2
	}
	before := clean(string(runes[start : column-1]))
	after := clean(string(runes[column-1 : max(min(len(runes), start+room), column-1)]))
	return before + after, pretty.StringWidth(before)
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
	return replace(name, before.Text, after)
}

// replace puts a new text in the place of the one that was read, at once and whole. It refuses when somebody else has
// written the file meanwhile.
func replace(name, before, after string) error {
	target, err := filepath.EvalSymlinks(name)
	if err != nil {
		return fileError(name, err)
	}
	now, err := os.ReadFile(target)
	if err != nil {
		return fileError(name, err)
	}
	if string(now) != before {
		return &usageError{fmt.Sprintf("%s was changed by somebody else meanwhile", name), "nothing was written; run the command again"}
	}
	if err := atomic.WriteFile(target, strings.NewReader(after)); err != nil {
		return &usageError{fmt.Sprintf("%s cannot be written: %s", name, err), "it is as it was"}
	}
	return nil
}

// diff shows a unified difference, in colour where there is any.
func (s *screen) diff(unified string) {
	for line := range strings.Lines(unified) {
		line = clean(strings.TrimRight(line, "\r\n"))
		switch {
		case strings.HasPrefix(line, "---"), strings.HasPrefix(line, "+++"), strings.HasPrefix(line, "@@"):
			s.say("%s", dim.Sprint(line))
		case strings.HasPrefix(line, "+"):
			s.say("%s", fine.Sprint(line))
		case strings.HasPrefix(line, "-"):
			s.say("%s", bad.Sprint(line))
		default:
			s.say("%s", line)
		}
	}
}
