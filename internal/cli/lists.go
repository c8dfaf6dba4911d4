package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"time"

	"wendrik/internal/core/phrase"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
	"wendrik/internal/inlet"
)

// inputWait is how long a pipe may be silent while a plan could be meant in its place.
const inputWait = time.Second

// listOnInput reports whether standard input holds a list in the place of the plan of this folder: a file that was put
// there, or a pipe through which something comes. Where both could be meant it says which was taken, or refuses.
func (s *screen) listOnInput() (bool, error) {
	f, is := s.in.(*os.File)
	if !is {
		return false, nil
	}
	info, err := f.Stat()
	if err != nil {
		return false, nil
	}
	_, err = os.Stat("wendrik.yaml")
	hasPlan := !errors.Is(err, fs.ErrNotExist)
	switch {
	case info.Mode().IsRegular():
	case info.Mode()&(fs.ModeNamedPipe|fs.ModeSocket) == 0:
		return false, nil
	default:
		buffered := bufio.NewReader(f)
		s.in = buffered
		came := make(chan bool, 1)
		go func() {
			_, err := buffered.Peek(1)
			came <- err == nil
		}()
		silent := make(<-chan time.Time)
		if hasPlan {
			silent = time.After(inputWait)
		}
		select {
		case something := <-came:
			if !something {
				return false, nil
			}
		case <-silent:
			return false, &usageError{"standard input is a pipe through which nothing has come yet, and this folder has a plan: either could be meant", "-list -  waits for the list,  -plan wendrik.yaml  takes the plan"}
		}
	}
	if hasPlan {
		s.tell("the list on standard input was taken, and not the plan in this folder; for that:  wendrik overlaps -plan wendrik.yaml")
	}
	return true, nil
}

// readList reads a list of ranges from a file, or standard input for a dash, with progress while that takes long.
func (s *screen) readList(name, columns string) (*ranges.List, string, error) {
	named, err := ranges.ParseColumns(columns)
	if err != nil {
		return nil, "", rangeMistake(err)
	}
	in, label := s.in, "standard input"
	if name != "-" {
		f, err := inlet.Open(name)
		if err != nil {
			return nil, "", unreadable(name, "list", err)
		}
		defer f.Close()
		in, label = f, name
		s.texts = append(s.texts, name)
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
	if path, is := errors.AsType[*fs.PathError](err); is {
		return nil, "", unreadable(name, "list", path)
	}
	if err != nil {
		return nil, "", &usageError{fmt.Sprintf("%s: %s", label, err), wrong.Right(err)}
	}
	return list, label, nil
}

// inventory is what a list says is in use, beside the plan.
type inventory struct {
	taken  []space.Taken
	label  string
	unread int // lines that may hold ranges that nobody could read
}

// inventory reads a list of ranges in use, when one is named, to stand beside the plan's files. Its mistakes are told.
func (s *screen) inventory(name, columns string, files *text.Files) (*inventory, error) {
	if name == "" {
		return &inventory{}, nil
	}
	if name == "-" && s.plan == "-" {
		return nil, &usageError{"standard input cannot be the plan and the list of what is taken", "give one of them as a file"}
	}
	list, label, err := s.readList(name, columns)
	if err != nil {
		return nil, err
	}
	s.listProblems(list, label)
	return &inventory{space.Listed(list, files.Beside(label)), label, list.Unread()}, nil
}

// refusal is why no range can be given away beside an inventory that could not be read whole; nil where it could.
func (i *inventory) refusal() error {
	if i.unread == 0 {
		return nil
	}
	return &usageError{fmt.Sprintf("%s of %s could not be read, so a range that is in use could be given away", phrase.Count(i.unread, "line"), i.label), "put the lines above right, or start those that hold no range with #"}
}

// listOverlaps finds the overlaps of a list that is no plan.
func (c *call) listOverlaps(name, columns, format, only string, limit int) (int, error) {
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
