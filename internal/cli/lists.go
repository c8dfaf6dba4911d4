package cli

import (
	"errors"
	"fmt"
	"io/fs"
	"os"

	"wendrik/internal/core/ranges"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// listOnInput reports whether standard input holds a list in the place of a plan: a file that was put there, or a pipe
// where there is no plan in this folder.
func (s *screen) listOnInput() bool {
	f, is := s.in.(*os.File)
	if !is {
		return false
	}
	info, err := f.Stat()
	if err != nil {
		return false
	}
	if info.Mode().IsRegular() {
		return true
	}
	_, err = os.Stat("wendrik.yaml")
	return info.Mode()&fs.ModeNamedPipe != 0 && errors.Is(err, fs.ErrNotExist)
}

// readList reads a list of ranges from a file, or standard input for a dash, with progress while that takes long.
func (s *screen) readList(name, columns string) (*ranges.List, string, error) {
	named, err := ranges.ParseColumns(columns)
	if err != nil {
		return nil, "", rangeMistake(err)
	}
	in, label := s.in, "standard input"
	if name != "-" {
		f, err := os.Open(name)
		if err != nil {
			return nil, "", fileError(name, err)
		}
		defer f.Close()
		in, label = f, name
	}
	var size int64
	if f, is := in.(*os.File); is {
		if info, err := f.Stat(); err == nil && info.Mode().IsRegular() {
			size = info.Size()
		}
	}
	seldom(int(size))
	counted, done := s.progress(in, size, "reading "+label)
	defer done()
	list, err := ranges.Read(counted, named)
	if err != nil {
		return nil, "", &usageError{fmt.Sprintf("%s: %s", label, err), wrong.Right(err)}
	}
	return list, label, nil
}

// taken reads an inventory of ranges in use, when one is named, to stand beside the plan's files. Its mistakes are told,
// and the rest is used.
func (s *screen) taken(name, columns string, files *text.Files) ([]space.Taken, error) {
	if name == "" {
		return nil, nil
	}
	list, label, err := s.readList(name, columns)
	if err != nil {
		return nil, err
	}
	s.listProblems(list, label)
	return space.Listed(list, files.Add(label, "")), nil
}

// listOverlaps finds the overlaps of a list that is no plan.
func (c *call) listOverlaps(name, columns, format, only string, limit int) (int, error) {
	if limit < 1 {
		return cannot, &usageError{fmt.Sprintf("-limit takes a number from 1, not %d", limit), ""}
	}
	list, label, err := c.readList(name, columns)
	if err != nil {
		return cannot, err
	}
	pairs, total := list.Overlaps(limit)
	shown := pairs
	if only != "all" {
		shown = nil
		for _, p := range pairs {
			if string(listVerdict(p.Kind)) == only {
				shown = append(shown, p)
			}
		}
	}
	switch format {
	case "json":
		err = c.json(listJSON(shown, total, list, label))
	case "text":
		c.listed(list, shown, total, label)
	default:
		err = c.write(listSheet(shown), format)
	}
	c.listProblems(list, label)
	if left := total - uint64(len(pairs)); left > 0 && format != "text" {
		c.tell("%d more pairs are left out; -limit N finds more", left)
	}
	if len(shown) > 0 || len(list.Problems) > 0 {
		return no, err
	}
	return good, err
}
