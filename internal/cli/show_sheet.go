package cli

import (
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	pretty "github.com/jedib0t/go-pretty/v6/text"
)

// sheet is a table of results, for a person or for another program.
type sheet struct {
	header []string
	rows   [][]string
	right  map[int]bool // columns of numbers
	wrap   int          // the column that gives way when the table is too wide, -1 for none
	paint  func(column int, cell string) pretty.Colors
}

func (t *sheet) add(cells ...string) { t.rows = append(t.rows, cells) }

// maxRows is how many rows of a table a person is shown.
const maxRows = 200

// cut drops the rows over a number, and says how many.
func (t *sheet) cut(rows int) (dropped int) {
	dropped = max(0, len(t.rows)-rows)
	t.rows = t.rows[:len(t.rows)-dropped]
	return dropped
}

// without takes a column out that stands before the one that gives way.
func (t *sheet) without(column int) {
	t.header = slices.Delete(slices.Clone(t.header), column, column+1)
	for i, r := range t.rows {
		t.rows[i] = slices.Delete(r, column, column+1)
	}
	t.wrap--
}

// write writes the sheet in one of the formats text, csv and md.
func (s *screen) write(t *sheet, format string) error {
	switch format {
	case "csv":
		return t.csv(s.out)
	case "md":
		_, err := fmt.Fprintln(s.out, t.markdown())
		return err
	default:
		if len(t.rows) > 0 {
			s.say("%s", t.text(s.width))
		}
	}
	return nil
}

// leastWrapped is the narrowest that a column is made by wrapping, and folded how far the columns are set in for which a
// line has no room.
const (
	leastWrapped = 24
	folded       = 4
)

// text lays the sheet out in at most width columns: with one column wrapped, when that is enough, else with the columns
// for which there is no room below the others.
func (t *sheet) text(width int) string {
	natural := make([]int, len(t.header))
	for i, h := range t.header {
		natural[i] = pretty.StringWidth(h)
		for _, r := range t.rows {
			natural[i] = max(natural[i], pretty.StringWidth(clean(r[i])))
		}
	}
	type run struct{ from, to int }
	var runs []run
	most := map[int]int{} // the width of columns that are wrapped
	left := 0
	for _, n := range natural {
		left += n + 2
	}
	over := left - width
	if over > 0 && t.wrap >= 0 && natural[t.wrap]-over >= leastWrapped {
		most[t.wrap], over = natural[t.wrap]-over, 0
	}
	if over <= 0 {
		runs = []run{{0, len(natural)}}
	} else {
		room := width
		for i, n := range natural {
			if len(runs) == 0 || n > room && !(i == t.wrap && room >= leastWrapped) {
				if room = width; len(runs) > 0 {
					room -= folded
				}
				runs = append(runs, run{i, i})
			}
			if n > room {
				most[i], n = room, room
			}
			room -= n + 2
			runs[len(runs)-1].to = i + 1
		}
	}
	parts := make([][]string, len(runs))
	for k, r := range runs {
		parts[k] = strings.Split(t.part(clean, r.from, r.to, most).Render(), "\n")
	}
	if len(runs) == 1 {
		return strings.Join(parts[0], "\n")
	}
	var lines []string
	take := func(k, n int) {
		for _, line := range parts[k][:n] {
			lines = append(lines, strings.Repeat(" ", min(k, 1)*folded)+line)
		}
		parts[k] = parts[k][n:]
	}
	for row := -1; row < len(t.rows); row++ {
		for k, r := range runs {
			height := 1
			for i := r.from; i < r.to && row >= 0; i++ {
				if w := most[i]; w > 0 {
					height = max(height, 1+strings.Count(pretty.WrapSoft(clean(t.rows[row][i]), w), "\n"))
				}
			}
			if row >= 0 || t.headed() {
				take(k, min(height, len(parts[k])))
			}
		}
	}
	return strings.Join(lines, "\n")
}

// headed reports whether the columns have names.
func (t *sheet) headed() bool { return strings.Join(t.header, "") != "" }

// part makes a table of some columns; most is the width of those that are wrapped.
func (t *sheet) part(cell func(string) string, from, to int, most map[int]int) table.Writer {
	w := table.NewWriter()
	w.SetStyle(table.Style{Box: table.BoxStyle{PaddingRight: "  "}, Format: table.FormatOptions{Header: pretty.FormatDefault}})
	w.SuppressTrailingSpaces()
	if t.headed() {
		header := make(table.Row, 0, to-from)
		for _, h := range t.header[from:to] {
			if most != nil {
				h = dim.Sprint(strings.ToUpper(h))
			}
			header = append(header, h)
		}
		w.AppendHeader(header)
	}
	for _, r := range t.rows {
		row := make(table.Row, 0, to-from)
		for i := from; i < to; i++ {
			c := cell(r[i])
			if width := most[i]; width > 0 {
				c = pretty.WrapSoft(c, width)
			}
			if t.paint != nil && most != nil {
				c = t.paint(i, r[i]).Sprint(c)
			}
			row = append(row, c)
		}
		w.AppendRow(row)
	}
	var configs []table.ColumnConfig
	for i := from; i < to; i++ {
		c := table.ColumnConfig{Number: i - from + 1}
		if t.right[i] {
			c.Align, c.AlignHeader = pretty.AlignRight, pretty.AlignRight
		}
		configs = append(configs, c)
	}
	w.SetColumnConfigs(configs)
	return w
}

// csv writes the sheet as RFC 4180, with a quote before what a spreadsheet would take for a formula.
func (t *sheet) csv(to io.Writer) error {
	w := t.csvHead(to)
	t.csvRows(w)
	w.Flush()
	return w.Error()
}

// csvHead begins a sheet with its header, and csvRows adds the rows that it has; the writer keeps the first error.
func (t *sheet) csvHead(to io.Writer) *csv.Writer {
	w := csv.NewWriter(to)
	_ = w.Write(t.header)
	return w
}

func (t *sheet) csvRows(w *csv.Writer) {
	for _, r := range t.rows {
		row := make([]string, len(r))
		for i, c := range r {
			c = clean(c)
			if c != "" && strings.ContainsRune("=+-@", rune(c[0])) {
				c = "'" + c
			}
			row[i] = c
		}
		_ = w.Write(row)
	}
}

// markdown is the table as Markdown has it.
func (t *sheet) markdown() string { return t.part(markdown, 0, len(t.header), nil).RenderMarkdown() }

// markdown makes a text harmless inside a Markdown table; the table writer sees to the bars.
func markdown(s string) string {
	return strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<", "&lt;", ">", "&gt;").Replace(clean(s))
}
