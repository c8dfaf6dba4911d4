package cli

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"unicode/utf8"

	pretty "github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"

	"wendrik/internal/core/phrase"
)

// screen is where a command reads and writes.
type screen struct {
	in       io.Reader
	out      *answer
	err      io.Writer
	width    int      // columns of the terminal
	terminal bool     // whether results go to one
	told     bool     // whether all else does
	plan     string   // the plan that was read, as it was named
	texts    []string // the files that were read: plans, their parts, and lists
	quiet    bool     // whether what is not yet given is not told
	there    *atFlags // where what is there takes the place of what a plan says; nil for nowhere
	keys     string   // the file of keys that was named for a cloud; empty for the usual one
	gives    string   // the command that runs, which gives some of that itself; it is not told
}

// answer is where results go, and remembers whether they could be written.
type answer struct {
	to   io.Writer
	lost error // the first error of writing; what comes behind it is not written
}

func (a *answer) Write(p []byte) (n int, err error) {
	if a.lost == nil {
		n, a.lost = a.to.Write(p)
	}
	return n, a.lost
}

// columns is the width for which text is laid out where no terminal says its own.
const columns = 100

func newScreen(in io.Reader, out, err io.Writer) *screen {
	s := &screen{in: in, out: &answer{to: out}, err: err, width: columns}
	s.terminal, s.told = s.measure(out), s.measure(err)
	// Colour is for a person at a terminal who has not asked to do without (no-color.org).
	if s.terminal && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" {
		pretty.EnableColors()
	} else {
		pretty.DisableColors()
	}
	return s
}

// measure reports whether a file is a terminal, and takes its width.
func (s *screen) measure(to io.Writer) bool {
	f, is := to.(*os.File)
	if !is || !term.IsTerminal(int(f.Fd())) {
		return false
	}
	if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 0 {
		s.width = min(max(w, 60), 140)
	}
	return true
}

// The colours, by what they say.
var (
	strong = pretty.Colors{pretty.Bold}
	dim    = pretty.Colors{pretty.FgHiBlack}
	bad    = pretty.Colors{pretty.FgHiRed, pretty.Bold}
	doubt  = pretty.Colors{pretty.FgHiYellow, pretty.Bold}
	fine   = pretty.Colors{pretty.FgHiGreen, pretty.Bold}
	place  = pretty.Colors{pretty.FgHiCyan}
)

// say writes lines of the result.
func (s *screen) say(format string, args ...any) {
	fmt.Fprintln(s.out, s.fit(fmt.Sprintf(format, args...)))
}

// tell writes lines that are not part of the result.
func (s *screen) tell(format string, args ...any) {
	fmt.Fprintln(s.err, s.fit(fmt.Sprintf(format, args...)))
}

// fit breaks the lines of a text that are wider than a terminal. Where there is none, a line may be as long as it is.
func (s *screen) fit(text string) string {
	if !s.terminal && !s.told {
		return text
	}
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		if pretty.StringWidthWithoutEscSequences(line) <= s.width {
			continue
		}
		indent := len(line) - len(strings.TrimLeft(line, " "))
		broken := strings.Split(pretty.WrapSoft(line[indent:], s.width-indent-folded), "\n")
		for k := range broken {
			broken[k] = strings.Repeat(" ", indent+min(k, 1)*folded) + strings.TrimRight(broken[k], " ")
		}
		lines[i] = strings.Join(broken, "\n")
	}
	return strings.Join(lines, "\n")
}

// complain tells what went wrong, and what would be right.
func (s *screen) complain(message, fix string) {
	s.tell("wendrik: %s", clean(phrase.ClipQuotes(message)))
	if fix != "" {
		s.tell("  %s", clean(phrase.ClipQuotes(fix)))
	}
}

// clean makes a text from a plan safe for a terminal: what does not print is written as an escape.
func clean(s string) string {
	ok := true
	for _, r := range s {
		if !strconv.IsPrint(r) || r == utf8.RuneError {
			ok = false
			break
		}
	}
	if ok {
		return s
	}
	var b strings.Builder
	for _, r := range s {
		if strconv.IsPrint(r) && r != utf8.RuneError {
			b.WriteRune(r)
			continue
		}
		q := strconv.QuoteRuneToASCII(r)
		b.WriteString(q[1 : len(q)-1])
	}
	return b.String()
}

// json writes a result as JSON. Its structs are made with empty lists, never null ones.
func (s *screen) json(v any) error {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	if err := e.Encode(v); err != nil {
		return err
	}
	_, err := s.out.Write(b.Bytes())
	return err
}

// lineWriter writes lists of JSON that may be long: each element on a line of its own.
type lineWriter struct{ *bufio.Writer }

// element writes the ith element of a list.
func (w *lineWriter) element(i int, v any) error {
	raw, err := json.Marshal(v)
	if err != nil {
		return err
	}
	w.WriteString(comma(i))
	_, err = w.Write(raw)
	return err
}

// comma is what stands before an element of a list.
func comma(i int) string {
	if i == 0 {
		return "\n"
	}
	return ",\n"
}

// wrap breaks a text into lines that fit behind an indent, and indents all but the first.
func (s *screen) wrap(indent int, words string) string {
	return wrapTo(max(s.width-indent, 30), indent, words)
}

// wrapTo breaks a text into lines of a width, and indents all but the first.
func wrapTo(width, indent int, words string) string {
	lines := strings.Split(pretty.WrapSoft(words, width), "\n")
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i], " ")
	}
	return strings.Join(lines, "\n"+strings.Repeat(" ", indent))
}
