// Package ranges reads lists of ranges that are no plan: bare lists, CSV with or without a header, inventories; and
// finds what in them overlaps.
package ranges

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/wrong"
)

// Entry is one range of a list.
type Entry struct {
	address.Interval
	Line   int
	labels *Labels // nil where nothing is known of the range, so that a bare list stays small
}

// Labels are what a list knows of a range.
type Labels struct {
	Name, Owner, Place string
	Fixed              bool // whether it is said that it cannot move
}

// Labels are what the list knows of the range; all empty where it knows nothing.
func (e Entry) Labels() Labels {
	if e.labels == nil {
		return Labels{}
	}
	return *e.labels
}

// Problem is a line that holds no range.
type Problem struct {
	Line         int
	Text         string
	Message, Fix string
}

// List is what was read.
type List struct {
	Entries  []Entry
	Problems []Problem // the first MaxProblems of them
	Dropped  int       // how many more there are

	Widened   int // how many ranges were named by an address inside their block
	WidenedAt int // the line of the first of them
}

// Unread is how many lines hold no range that could be read.
func (l *List) Unread() int { return len(l.Problems) + l.Dropped }

// A list from a stranger is bounded in the length of its lines, the number of its ranges, and in what is kept of its
// mistakes.
const (
	MaxLine     = 1 << 20
	MaxEntries  = 20_000_000
	MaxProblems = 1000
	MaxText     = 1 << 30
)

// Columns names the columns of a CSV file that hold the range and what is known of it. Mask and Last are for lists that
// have the first address in the column of the range, and its mask or length, or its last address, in another.
type Columns struct{ Range, Name, Owner, Place, Mask, Last, Fixed string }

// DefaultColumns are the names that a header has unless told otherwise.
var DefaultColumns = Columns{"range", "name", "owner", "place", "mask", "last", "fixed"}

// ParseColumns reads names of columns as a flag gives them: range=CIDR,name=Host. What is not named keeps its name.
func ParseColumns(text string) (Columns, error) {
	c := DefaultColumns
	if text == "" {
		return c, nil
	}
	said := map[string]bool{}
	for part := range strings.SplitSeq(text, ",") {
		key, value, found := strings.Cut(part, "=")
		key = strings.TrimSpace(key)
		target := map[string]*string{"range": &c.Range, "name": &c.Name, "owner": &c.Owner, "place": &c.Place,
			"mask": &c.Mask, "last": &c.Last, "fixed": &c.Fixed}[key]
		if !found || target == nil || strings.TrimSpace(value) == "" {
			return c, wrong.Value("write range=NAME,owner=NAME", "%q does not say which column is the range, name, owner, place, mask, last or fixed", part)
		}
		if said[key] {
			return c, wrong.Value("say it once", "%q says a second time which column is the %s", part, key)
		}
		*target, said[key] = strings.TrimSpace(value), true
	}
	return c, nil
}

// Read reads a list. A line is a range, with a name behind it if any; or the list is CSV (RFC 4180), with commas,
// semicolons or tabs, and with a header unless its first line starts with a range. A range is a CIDR block, an address
// with its mask, first-last or one address; a block that is named by an address inside it counts whole. Empty lines and
// those that start with # are left out. The text is UTF-8, or UTF-16 with its mark, and its lines end with LF, CRLF or
// CR. A line that holds no range, or more than one, is a problem, and the rest is still read; the error is for what
// cannot be read at all.
func Read(r io.Reader, columns Columns) (*List, error) {
	limited := &io.LimitedReader{R: r, N: MaxText + 1}
	list, err := readAny(bufio.NewReaderSize(plain(limited), 1<<16), columns)
	if err == nil && limited.N <= 0 {
		err = fmt.Errorf("the list is larger than %d MiB", MaxText>>20)
	}
	return list, err
}

// readAny reads a list in the form that its first line has.
func readAny(in *bufio.Reader, columns Columns) (*List, error) {
	first, skipped, err := firstLine(in)
	if err != nil {
		return &List{}, err
	}
	if bytes.IndexByte(first, 0) >= 0 {
		return &List{}, wrong.Value("save it as UTF-8, or as UTF-16 with its byte order mark", "this is not a list: line %d has zero bytes", skipped+1)
	}
	rest := io.MultiReader(bytes.NewReader(first), in)
	if comma, isCSV := separator(string(bytes.TrimSpace(first)), columns); isCSV {
		return readCSV(rest, comma, columns, skipped)
	}
	return readLines(rest, skipped)
}

// firstLine is the first line that says something, with its line end, and how many lines stand before it.
func firstLine(in *bufio.Reader) (line []byte, skipped int, err error) {
	for {
		line, err = nextLine(in, skipped+1)
		if text := bytes.TrimSpace(line); len(text) > 0 && text[0] != '#' || err == io.EOF {
			return line, skipped, nil
		}
		if err != nil {
			return nil, skipped, err
		}
		skipped++
	}
}

// nextLine is the next line, with its line end; at the end of the text, io.EOF stands beside the last one.
func nextLine(in *bufio.Reader, number int) (line []byte, err error) {
	for {
		part, err := in.ReadSlice('\n')
		line = append(line, part...)
		switch {
		case len(line) > MaxLine:
			return nil, tooLong(number)
		case err != bufio.ErrBufferFull:
			return line, err
		}
	}
}

func tooLong(line int) error { return fmt.Errorf("line %d is longer than a million characters", line) }

// separator finds out whether a first line is one of CSV, and what stands between its fields.
func separator(line string, columns Columns) (comma rune, isCSV bool) {
	const separators = ",;\t"
	at := strings.IndexAny(line, separators)
	if at >= 0 {
		if _, _, err := parse(strings.Trim(line[:at], "\" ")); err == nil {
			return rune(line[at]), true
		}
	}
	if word, _ := cutWord(line); word != "" {
		if _, _, err := parse(word); err == nil {
			return 0, false
		}
	}
	// What names the column of the range is what separates columns; a header of one column is no range.
	for _, c := range separators {
		for field := range strings.SplitSeq(line, string(c)) {
			if strings.EqualFold(strings.Trim(usual.Replace(field), "\" "), columns.Range) {
				return c, true
			}
		}
	}
	if at >= 0 {
		return rune(line[at]), true
	}
	return ',', strings.HasPrefix(line, `"`)
}

func tooMany() error { return fmt.Errorf("the list has more than %d ranges", MaxEntries) }

// add puts an entry into the list, and reports whether the list may still grow.
func (l *List) add(e Entry) bool {
	if len(l.Entries) >= MaxEntries {
		return false
	}
	l.Entries = append(l.Entries, e)
	return true
}

// widen counts a range that was named by an address inside its block.
func (l *List) widen(line int) {
	if l.Widened++; l.WidenedAt == 0 {
		l.WidenedAt = line
	}
}

func (l *List) problem(p Problem) {
	if len(l.Problems) >= MaxProblems {
		l.Dropped++
		return
	}
	l.Problems = append(l.Problems, p)
}
