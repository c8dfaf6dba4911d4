package ranges

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/wrong"
)

// This file reads CSV.

// maxRecord is how many lines a quoted field may run over.
const maxRecord = 64

// table reads a list that is CSV.
type table struct {
	list    *List
	in      *bufio.Reader
	line    int      // the number of the last line that was taken
	ahead   [][]byte // lines that were looked at and not taken
	ended   error    // what the end of the text was
	csv     *csv.Reader
	feed    bytes.Reader // what csv reads, one record at a time
	columns Columns
	at      map[string]int // by name of a column; nil where the list has no header
	width   int            // how many columns the header has
}

// readCSV reads CSV, by its header where it has one.
func readCSV(r io.Reader, comma rune, columns Columns, skipped int) (*List, error) {
	t := &table{list: &List{}, in: bufio.NewReaderSize(r, 1<<16), line: skipped, columns: columns}
	t.csv = csv.NewReader(&t.feed)
	t.csv.Comma, t.csv.FieldsPerRecord, t.csv.ReuseRecord, t.csv.TrimLeadingSpace = comma, -1, true, comma != '\t'
	for first := true; ; {
		line, err := t.next()
		if err == io.EOF {
			return t.list, nil
		}
		if err != nil {
			return t.list, err
		}
		if text := bytes.TrimSpace(line); len(text) == 0 || text[0] == '#' {
			continue
		}
		number := t.line
		record, err := t.record(line)
		switch {
		case err != nil && first:
			return t.list, fmt.Errorf("line %d, the first, has a quote that is stray or not closed", number)
		case err != nil:
			t.list.problem(Problem{number, phrase.Clip(string(bytes.TrimSpace(line))), "a quote in this line is stray, or not closed in it",
				`put quotes around the whole field, and write a quote in it twice ("")`})
			continue
		}
		if first {
			first = false
			if _, _, err := parse(strings.TrimSpace(record[0])); err != nil {
				if err := t.header(record); err != nil {
					return t.list, err
				}
				continue
			}
		}
		if !t.row(number, record) {
			return t.list, tooMany()
		}
	}
}

// next takes the next line.
func (t *table) next() ([]byte, error) {
	if len(t.ahead) > 0 {
		line := t.ahead[0]
		t.ahead = t.ahead[1:]
		t.line++
		return line, nil
	}
	if t.ended != nil {
		return nil, t.ended
	}
	line, err := nextLine(t.in, t.line+1)
	if err != nil {
		t.ended = err
		if err != io.EOF || len(line) == 0 {
			return nil, err
		}
	}
	t.line++
	return line, nil
}

var errQuote = errors.New("quote")

// record reads a line as a record, with the lines after it that a quoted field runs over. A field that would swallow
// lines with ranges was not closed, and then those lines are read by themselves.
func (t *table) record(line []byte) ([]string, error) {
	text, from := line, t.line
	var more [][]byte
	doubtful := false
	for open := odd(line); open; {
		next, err := t.next()
		if err != nil && err != io.EOF {
			return nil, err
		}
		if err == nil {
			more = append(more, next)
		}
		_, swallowed := second(address.Interval{}, string(next))
		doubtful = doubtful || swallowed
		if err != nil || len(more) > maxRecord || swallowed && t.at == nil {
			return nil, t.back(from, more)
		}
		text = slices.Concat(text, next)
		open = open != odd(next)
	}
	t.feed.Reset(text)
	record, err := t.csv.Read()
	if err == nil && (!doubtful || t.below(record)) {
		return record, nil
	}
	for err != io.EOF {
		_, err = t.csv.Read() // what is left of the record
	}
	return nil, t.back(from, more)
}

// below reports whether the ranges of a record that runs over several lines are all in the field that is for ranges, one below the other.
func (t *table) below(record []string) bool {
	for i, field := range record {
		if _, found := second(address.Interval{}, field); i != t.at[t.columns.Range] && found {
			return false
		}
	}
	return len(record) == t.width
}

// back gives lines back to be read by themselves.
func (t *table) back(from int, lines [][]byte) error {
	t.ahead, t.line = slices.Concat(lines, t.ahead), from
	return errQuote
}

// odd reports whether a line leaves a quote open, or closes one: in a field, a quote is written twice.
func odd(line []byte) bool { return bytes.Count(line, []byte{'"'})%2 == 1 }

// header finds the columns in the first line.
func (t *table) header(record []string) error {
	t.at, t.width = map[string]int{}, len(record)
	var names []string
	for i, name := range record {
		name = strings.TrimSpace(usual.Replace(name))
		names = append(names, name)
		for _, want := range []string{t.columns.Range, t.columns.Name, t.columns.Owner, t.columns.Place, t.columns.Mask, t.columns.Last, t.columns.Fixed} {
			if _, known := t.at[want]; strings.EqualFold(name, want) && !known {
				t.at[want] = i
			}
		}
	}
	if _, found := t.at[t.columns.Range]; !found && t.columns.Range == DefaultColumns.Range {
		if _, is := second(address.Interval{}, strings.Join(record, " ")); is {
			return wrong.Value("write one range a line, or a header", "the first line is no header, and what stands first in it is no range: %s", phrase.Clip(record[0]))
		}
		if i, only := t.likely(len(record)); only {
			t.at[t.columns.Range] = i
		}
	}
	if _, found := t.at[t.columns.Range]; !found {
		return wrong.Value("write -columns range=NAME", "no column is named %s; the header has %s", t.columns.Range, phrase.Clip(strings.Join(names, ", ")))
	}
	if _, found := t.at[t.columns.Name]; !found && t.columns.Name == DefaultColumns.Name && t.at[t.columns.Range] > 0 {
		t.at[t.columns.Name] = 0 // what stands first and is no range is what the ranges are of
	}
	return nil
}

// likely is the one column in which ranges stand, of the first lines behind the header; only is false where none does, or several. A column
// of lone addresses counts where there is no other.
func (t *table) likely(width int) (column int, only bool) {
	const some = 40
	from := t.line
	var lines [][]byte
	ranged, alone := make([]int, width), make([]int, width)
	for len(lines) < some {
		line, err := t.next()
		if err != nil {
			break
		}
		lines = append(lines, line)
		in := csv.NewReader(bytes.NewReader(line))
		in.Comma, in.FieldsPerRecord, in.LazyQuotes, in.TrimLeadingSpace = t.csv.Comma, -1, true, t.csv.TrimLeadingSpace
		record, err := in.Read()
		for i := 0; err == nil && i < min(width, len(record)); i++ {
			field := strings.TrimSpace(record[i])
			if isAlone(field) {
				alone[i]++
			} else if _, _, err := parseCell(field, true); err == nil {
				ranged[i]++
			}
		}
	}
	t.ahead, t.line = slices.Concat(lines, t.ahead), from
	for _, counts := range [][]int{ranged, alone} {
		found := 0
		for i, n := range counts {
			if n > 0 {
				column, found = i, found+1
			}
		}
		if found > 0 {
			return column, found == 1
		}
	}
	return 0, false
}

// row reads a record, and reports whether the list may still grow.
func (t *table) row(line int, record []string) bool {
	for i, field := range record {
		record[i] = strings.TrimSpace(field)
	}
	get := func(column string, unheaded int) string {
		i, known := t.at[column]
		if t.at == nil {
			i, known = unheaded, unheaded >= 0
		}
		if known && i < len(record) {
			return record[i]
		}
		return ""
	}
	text, mask, last := get(t.columns.Range, 0), get(t.columns.Mask, -1), get(t.columns.Last, -1)
	if t.at == nil && len(record) > 1 && isAlone(text) && isLength(record[1]) {
		mask = record[1]
		record = slices.Delete(record, 1, 2)
	}
	switch {
	case text == "":
		if strings.Join(record, "") != "" {
			t.list.problem(Problem{line, "", "the range of this line is empty", "write one like 10.144.0.0/20"})
		}
		return true
	case isAlone(text) && mask != "":
		text += "/" + strings.TrimPrefix(mask, "/")
	case isAlone(text) && last != "":
		text += "-" + last
	}
	all, widened, err := parseCell(text, t.at != nil)
	if err != nil {
		t.list.problem(Problem{line, phrase.Clip(text), err.Error(), wrong.Right(err)})
		return true
	}
	if mask != "" && len(all) == 1 {
		first, _, slash := strings.Cut(text, "/")
		if other, _, wrong := parse(first + "/" + strings.TrimPrefix(mask, "/")); slash && wrong == nil && other != all[0] {
			t.list.problem(Problem{line, phrase.Clip(text), fmt.Sprintf("%s stands beside %s, and says another length", phrase.Clip(mask), phrase.Clip(text)), "leave one of them out"})
			return true
		}
	}
	if p, found := t.unread(line, text, all[0], record); found && len(all) == 1 {
		t.list.problem(p)
		return true
	}
	if widened {
		t.list.widen(line)
	}
	var known *Labels
	if labels := (Labels{get(t.columns.Name, 1), get(t.columns.Owner, 2), get(t.columns.Place, 3), isYes(get(t.columns.Fixed, -1))}); labels != (Labels{}) {
		known = &labels
	}
	for _, i := range all {
		if !t.list.add(Entry{Interval: i, Line: line, labels: known}) {
			return false
		}
	}
	return true
}

// isYes reports whether a field of a spreadsheet says that something is so.
func isYes(field string) bool {
	switch strings.ToLower(field) {
	case "", "no", "n", "false", "0", "-":
		return false
	}
	return true
}

// unread finds what a row says of its range that was not read: a length in a column that nobody named, or another range
// where a label should be.
func (t *table) unread(line int, text string, i address.Interval, record []string) (Problem, bool) {
	if t.at == nil {
		other, found := second(i, strings.Join(record[1:], " "))
		if !found && len(record) > 1 && isAlone(text) && isLength("/"+record[1]) {
			return Problem{line, phrase.Clip(text), fmt.Sprintf("%s stands beside %s, which may be its length", phrase.Clip(record[1]), text),
				fmt.Sprintf("write %s/%s, or a header that says what the columns are", text, record[1])}, true
		}
		return twoRanges(line, text, other), found
	}
	for k, field := range record {
		label := slices.ContainsFunc([]string{t.columns.Name, t.columns.Owner, t.columns.Place}, func(c string) bool { at, is := t.at[c]; return is && at == k })
		if label || k >= t.width {
			if other, _, err := parse(field); err == nil && !i.Holds(other) {
				return twoRanges(line, text, field), true
			}
		}
		if !label && isAlone(text) && isLength(field) {
			return Problem{line, phrase.Clip(text), fmt.Sprintf("%s stands beside %s, and no column is named as its mask", field, text), "write -columns mask=NAME"}, true
		}
	}
	return Problem{}, false
}
