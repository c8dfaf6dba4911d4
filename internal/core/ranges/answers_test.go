package ranges

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"testing"
	"testing/iotest"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/golden"
)

func told(l *List, err error) string {
	var b strings.Builder
	if l != nil {
		for _, e := range l.Entries {
			fixed := map[bool]string{true: " fixed"}[e.Labels().Fixed]
			fmt.Fprintf(&b, "%d: %s%s%s\n", e.Line, e.Interval, strings.TrimSuffix(fmt.Sprintf(" {%q %q %q}", e.Labels().Name, e.Labels().Owner, e.Labels().Place), ` {"" "" ""}`), fixed)
		}
		for _, p := range l.Problems {
			fmt.Fprintf(&b, "%d: problem with %q: %s; %s\n", p.Line, p.Text, p.Message, p.Fix)
		}
		if l.Widened+l.Dropped > 0 {
			fmt.Fprintf(&b, "%d widened from line %d, %d dropped\n", l.Widened, l.WidenedAt, l.Dropped)
		}
		pairs, total := l.Overlaps(10)
		for _, p := range pairs {
			fmt.Fprintf(&b, "lines %d and %d: %s, %s, of %d\n", p.A.Line, p.B.Line, p.Kind, p.Shared, total)
		}
	}
	if err != nil {
		fmt.Fprintf(&b, "error: %v\n", err)
	}
	return b.String()
}

// TestAnswers reads lists of all forms, with the mistakes that people and programs make in them. A first line that begins with
// columns says which there are.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		columns := DefaultColumns
		if line, rest, _ := strings.Cut(asked, "\n"); strings.HasPrefix(line, "columns ") {
			var err error
			if columns, err = ParseColumns(strings.TrimPrefix(line, "columns ")); err != nil {
				return "error: " + err.Error()
			}
			asked = rest
		}
		content, err := strconv.Unquote(`"` + strings.ReplaceAll(strings.ReplaceAll(asked, "\n", `\n`), `"`, `\"`) + `\n"`)
		require.NoError(t, err)
		whole, err := Read(strings.NewReader(content), columns)
		said := told(whole, err)
		slow, err := Read(iotest.OneByteReader(strings.NewReader(content)), columns)
		require.Equal(t, said, told(slow, err), "byte by byte")
		if utf := utf16.Encode([]rune("\ufeff" + content)); err == nil { // as some spreadsheets save text
			for _, big := range []int{0, 1} {
				raw := make([]byte, 0, 2*len(utf))
				for _, u := range utf {
					raw = append(raw, byte(u>>(8*big)), byte(u>>(8*(1-big))))
				}
				other, err := Read(strings.NewReader(string(raw)), columns)
				require.Equal(t, said, told(other, err), "as UTF-16")
			}
		}
		return said
	})
}

// TestLargeLists: lists of several blocks keep the order and the numbers of their lines, whatever reads them first; and lines that
// are too long, and readers that fail, are told with their place.
func TestLargeLists(t *testing.T) {
	var b strings.Builder
	b.WriteString("# a list of three blocks\n")
	n := 0
	for ; b.Len() < 5*blockSize/2; n++ {
		fmt.Fprintf(&b, "10.%d.%d.0/24 berth %d\n", n/256%256, n%256, n)
		if n%1000 == 999 {
			b.WriteString("\n")
		}
	}
	b.WriteString("10.0.0.9/24\nnothing of sense\n")
	l, err := Read(strings.NewReader(b.String()), DefaultColumns)
	require.NoError(t, err)
	require.Len(t, l.Entries, n+1)
	for i, e := range l.Entries[:n] {
		if e.Line != i+2+i/1000 || e.Labels().Name != fmt.Sprintf("berth %d", i) {
			require.Fail(t, "another line", "entry %d is of line %d: %v", i, e.Line, e.Labels())
		}
	}
	lines := strings.Count(b.String(), "\n")
	assert.Equal(t, []int{1, lines - 1, lines, 0}, []int{l.Widened, l.WidenedAt, l.Problems[0].Line, l.Dropped})

	long := "10.0.0.0/24\n\n" + strings.Repeat("x", 2*MaxLine+2*blockSize)
	for _, list := range []string{long, "range,name\n" + long, strings.Replace(long, "\n\n", "\n\n10.0.1.0/24 ", 1)} {
		_, err = Read(strings.NewReader(list), DefaultColumns)
		assert.ErrorContains(t, err, fmt.Sprintf("line %d is longer than a million characters", 1+strings.Count(list, "\n")))
	}
	broken := errors.New("the disk is gone")
	for _, list := range []string{"10.0.0.0/24\n", "range\n10.0.0.0/24\n", "", "range,name\n10.0.0.0/24,\"a\n"} {
		_, err = Read(io.MultiReader(strings.NewReader(list), iotest.ErrReader(broken)), DefaultColumns)
		assert.ErrorIs(t, err, broken, "%q", list)
	}
}
