// Package ranges reads lists of ranges that are no plan: bare lists, CSV with or without a header, inventories; and
// finds what in them overlaps.
package ranges

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net/netip"
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
type Labels struct{ Name, Owner, Place string }

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
}

// A list from a stranger is bounded in the length of its lines, the number of its ranges, and in what is kept of its
// mistakes.
const (
	MaxLine     = 1 << 20
	MaxEntries  = 20_000_000
	MaxProblems = 1000
	MaxText     = 1 << 30
)

// Columns names the columns of a CSV file that hold the range and what is known of it.
type Columns struct{ Range, Name, Owner, Place string }

// DefaultColumns are the names that a header has unless told otherwise.
var DefaultColumns = Columns{"range", "name", "owner", "place"}

// ParseColumns reads names of columns as a flag gives them: range=CIDR,name=Host. What is not named keeps its name.
func ParseColumns(text string) (Columns, error) {
	c := DefaultColumns
	if text == "" {
		return c, nil
	}
	for part := range strings.SplitSeq(text, ",") {
		key, value, found := strings.Cut(part, "=")
		target := map[string]*string{"range": &c.Range, "name": &c.Name, "owner": &c.Owner, "place": &c.Place}[strings.TrimSpace(key)]
		if !found || target == nil || strings.TrimSpace(value) == "" {
			return c, wrong.Value("write range=NAME,owner=NAME", "%q does not say which column is the range, name, owner or place", part)
		}
		*target = strings.TrimSpace(value)
	}
	return c, nil
}

// Read reads a list. A line is a range, which is a CIDR block, first-last or one address, with a name behind it if any;
// or the list is CSV (RFC 4180), with commas, semicolons or tabs, and with a header unless its first line starts with
// a range. Empty lines and those that start with # are left out. A line that holds no range is a problem, and the rest
// is still read; the error is for what cannot be read at all.
func Read(r io.Reader, columns Columns) (*List, error) {
	limited := &io.LimitedReader{R: r, N: MaxText + 1}
	list, err := readAny(bufio.NewReaderSize(limited, 1<<16), columns)
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
	first = bytes.TrimPrefix(first, []byte("\ufeff"))
	comma, isCSV := separator(first, columns)
	if !isCSV {
		return readLines(io.MultiReader(bytes.NewReader(first), in), skipped)
	}
	return readCSV(io.MultiReader(bytes.NewReader(first), in), comma, columns, skipped)
}

// firstLine is the first line that says something, with its line end, and how many lines stand before it.
func firstLine(in *bufio.Reader) (line []byte, skipped int, err error) {
	for {
		for line = line[:0]; ; {
			part, more := in.ReadSlice('\n')
			line = append(line, part...)
			if err = more; err != bufio.ErrBufferFull || len(line) > MaxLine {
				break
			}
		}
		if len(line) > MaxLine {
			return nil, skipped, errors.New("the first line is longer than a million characters")
		}
		if text := strings.TrimSpace(string(line)); text != "" && !strings.HasPrefix(text, "#") || err == io.EOF {
			return line, skipped, nil
		}
		if err != nil {
			return nil, skipped, err
		}
		skipped++
	}
}

// separator finds out whether a first line is one of CSV, and what stands between its fields.
func separator(line []byte, columns Columns) (rune, bool) {
	text := strings.TrimSpace(string(line))
	for _, c := range ",;\t" {
		if strings.ContainsRune(text, c) {
			return c, true
		}
	}
	// A header of one column is no range.
	return ',', strings.EqualFold(strings.Trim(text, `"`), columns.Range)
}

// dashed takes "first - last" off the front of a line, with what stands behind it.
func dashed(text []byte) (word, rest []byte) {
	fields := bytes.Fields(text)
	joined := []byte(nil)
	for i, f := range fields {
		joined = append(joined, f...)
		if i > 0 && !bytes.HasSuffix(joined, []byte("-")) {
			return joined, bytes.Join(fields[i+1:], []byte(" "))
		}
	}
	return joined, nil
}

func tooMany() error { return fmt.Errorf("the list has more than %d ranges", MaxEntries) }

// add reads the range of an entry, and reports whether the list may still grow.
func (l *List) add(e Entry, word []byte) bool {
	if i, fast := parseFast(word); fast {
		e.Interval = i
	} else {
		i, err := address.ParseInterval(string(word))
		if err != nil {
			l.problem(Problem{e.Line, clip(string(word)), err.Error(), wrong.Right(err)})
			return true
		}
		e.Interval = i
	}
	if len(l.Entries) >= MaxEntries {
		return false
	}
	l.Entries = append(l.Entries, e)
	return true
}

func (l *List) problem(p Problem) {
	if len(l.Problems) >= MaxProblems {
		l.Dropped++
		return
	}
	l.Problems = append(l.Problems, p)
}

// clip shortens what is quoted of a line.
func clip(s string) string {
	if len(s) > 60 {
		return s[:57] + "..."
	}
	return s
}

// parseFast reads the usual IPv4 block without making a string of it; anything else is left to the careful way.
func parseFast(word []byte) (address.Interval, bool) {
	var octets [4]byte
	i := 0
	for part := range 4 {
		v, digits := 0, 0
		for ; i < len(word) && word[i] >= '0' && word[i] <= '9' && digits < 3; i++ {
			v, digits = v*10+int(word[i]-'0'), digits+1
		}
		if digits == 0 || v > 255 || digits > 1 && word[i-digits] == '0' {
			return address.Interval{}, false
		}
		octets[part] = byte(v)
		if part < 3 {
			if i >= len(word) || word[i] != '.' {
				return address.Interval{}, false
			}
			i++
		}
	}
	if i >= len(word) || word[i] != '/' {
		return address.Interval{}, false
	}
	length, digits := 0, 0
	for i++; i < len(word) && word[i] >= '0' && word[i] <= '9' && digits < 2; i++ {
		length, digits = length*10+int(word[i]-'0'), digits+1
	}
	if i != len(word) || digits == 0 || length > 32 || digits == 2 && word[i-2] == '0' {
		return address.Interval{}, false
	}
	p := netip.PrefixFrom(netip.AddrFrom4(octets), length)
	if p.Masked() != p {
		return address.Interval{}, false
	}
	return address.IntervalOf(p), true
}

// readCSV reads CSV, by its header where it has one.
func readCSV(r io.Reader, comma rune, columns Columns, skipped int) (*List, error) {
	list := &List{}
	c := csv.NewReader(r)
	c.Comma, c.FieldsPerRecord, c.LazyQuotes, c.ReuseRecord, c.TrimLeadingSpace = comma, -1, true, true, true
	if comma == ',' || comma == ';' {
		c.Comment = '#'
	}
	at := map[string]int{columns.Range: 0, columns.Name: 1, columns.Owner: 2, columns.Place: 3}
	for first := true; ; first = false {
		record, err := c.Read()
		if err == io.EOF {
			return list, nil
		}
		if err != nil {
			return list, fmt.Errorf("the CSV cannot be read: %w", err)
		}
		line, _ := c.FieldPos(0)
		if first {
			if _, err := address.ParseInterval(strings.TrimSpace(record[0])); err != nil {
				if at, err = header(record, columns); err != nil {
					return list, err
				}
				continue
			}
		}
		get := func(column string) string {
			if i, known := at[column]; known && i < len(record) {
				return strings.TrimSpace(record[i])
			}
			return ""
		}
		text := get(columns.Range)
		if text == "" {
			if strings.Join(record, "") != "" {
				list.problem(Problem{line + skipped, "", "the range of this line is empty", "write one like 10.144.0.0/20"})
			}
			continue
		}
		entry := Entry{Line: line + skipped}
		if labels := (Labels{get(columns.Name), get(columns.Owner), get(columns.Place)}); labels != (Labels{}) {
			entry.labels = &labels
		}
		if !list.add(entry, []byte(text)) {
			return list, tooMany()
		}
	}
}

// header finds the columns in the first line.
func header(record []string, columns Columns) (map[string]int, error) {
	at := map[string]int{}
	var names []string
	for i, name := range record {
		name = strings.TrimSpace(name)
		names = append(names, name)
		for _, want := range []string{columns.Range, columns.Name, columns.Owner, columns.Place} {
			if _, known := at[want]; strings.EqualFold(name, want) && !known {
				at[want] = i
			}
		}
	}
	if _, found := at[columns.Range]; !found {
		return nil, wrong.Value("write -columns range=NAME", "no column is named %s; the header has %s", columns.Range, clip(strings.Join(names, ", ")))
	}
	return at, nil
}
