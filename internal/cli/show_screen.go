package cli

import (
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
)

// screen is where a command reads and writes.
type screen struct {
	in       io.Reader
	out      *answer
	err      io.Writer
	width    int    // columns of the terminal
	terminal bool   // whether results go to one
	plan     string // the plan that was read, as it was named
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
	if f, is := out.(*os.File); is && term.IsTerminal(int(f.Fd())) {
		s.terminal = true
		if w, _, e := term.GetSize(int(f.Fd())); e == nil && w > 0 {
			s.width = min(max(w, 60), 140)
		}
	}
	// Colour is for a person at a terminal who has not asked to do without (no-color.org).
	if s.terminal && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" {
		pretty.EnableColors()
	} else {
		pretty.DisableColors()
	}
	return s
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

// say writes a line of the result.
func (s *screen) say(format string, args ...any) { fmt.Fprintf(s.out, format+"\n", args...) }

// tell writes a line that is not part of the result.
func (s *screen) tell(format string, args ...any) { fmt.Fprintf(s.err, format+"\n", args...) }

// complain tells what went wrong, and what would be right.
func (s *screen) complain(message, fix string) {
	s.tell("wendrik: %s", clean(message))
	if fix != "" {
		s.tell("  %s", clean(fix))
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
