package cli

import (
	"encoding/csv"
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
		return s.writeCSV(t)
	case "md":
		s.say("%s", t.pretty(markdown, 0).RenderMarkdown())
	default:
		if len(t.rows) > 0 {
			s.say("%s", t.pretty(clean, s.width).Render())
		}
	}
	return nil
}

// pretty lays the sheet out, in at most width columns when that is not 0.
func (t *sheet) pretty(cell func(string) string, width int) table.Writer {
	w := table.NewWriter()
	w.SetStyle(table.Style{
		Box:    table.BoxStyle{PaddingRight: "  "},
		Format: table.FormatOptions{Header: pretty.FormatUpper},
		Color:  table.ColorOptions{Header: dim},
	})
	w.SuppressTrailingSpaces()
	natural := make([]int, len(t.header))
	header := make(table.Row, len(t.header))
	for i, h := range t.header {
		header[i], natural[i] = h, pretty.StringWidth(h)
	}
	if strings.Join(t.header, "") != "" {
		w.AppendHeader(header)
	}
	for _, r := range t.rows {
		row := make(table.Row, len(r))
		for i, c := range r {
			c = cell(c)
			natural[i] = max(natural[i], pretty.StringWidth(c))
			if t.paint != nil && width > 0 {
				c = t.paint(i, r[i]).Sprint(c)
			}
			row[i] = c
		}
		w.AppendRow(row)
	}
	total := 0
	for _, n := range natural {
		total += n + 2
	}
	var configs []table.ColumnConfig
	for i := range t.header {
		c := table.ColumnConfig{Number: i + 1}
		if t.right[i] {
			c.Align, c.AlignHeader = pretty.AlignRight, pretty.AlignRight
		}
		if i == t.wrap && width > 0 && total > width {
			c.WidthMax, c.WidthMaxEnforcer = max(natural[i]-(total-width), 24), pretty.WrapSoft
		}
		configs = append(configs, c)
	}
	w.SetColumnConfigs(configs)
	return w
}

// writeCSV writes the sheet as RFC 4180, with a quote before what a spreadsheet would take for a formula.
func (s *screen) writeCSV(t *sheet) error {
	w := csv.NewWriter(s.out)
	if err := w.Write(t.header); err != nil {
		return err
	}
	for _, r := range t.rows {
		row := make([]string, len(r))
		for i, c := range r {
			c = clean(c)
			if c != "" && strings.ContainsRune("=+-@", rune(c[0])) {
				c = "'" + c
			}
			row[i] = c
		}
		if err := w.Write(row); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// markdown makes a text harmless inside a Markdown table; the table writer sees to the bars.
func markdown(s string) string {
	return strings.NewReplacer(`\`, `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<", "&lt;", ">", "&gt;").Replace(clean(s))
}
