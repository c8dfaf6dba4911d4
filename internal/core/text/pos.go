// Package text is texts of YAML 1.2 and what stands where in them: files, positions, compact node trees, and edits that
// keep every byte that they need not touch. It knows no plan.
package text

import (
	"fmt"
	"sort"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v4"
)

// Pos is a place in one of a set of files, as a number that a Files resolves. Places of one set compare in the order
// of files, lines and columns. The zero Pos is no place.
type Pos uint64

// A Pos is a file's number and, in 26 bits each, a line and a column from 1. Both are in bounds for any text of MaxSize.
const (
	lineShift = 26
	fileShift = 52
	halfMask  = 1<<lineShift - 1
	maxFiles  = 1 << (64 - fileShift)
	mostFiles = maxFiles - 1
)

// Known reports whether p is a place at all.
func (p Pos) Known() bool { return p != 0 }

// Line and Column count from 1, the column in characters; both are 0 for no place.
func (p Pos) Line() int   { return int(p >> lineShift & halfMask) }
func (p Pos) Column() int { return int(p & halfMask) }

func (p Pos) file() int { return int(p >> fileShift) }

// At is a place in the file.
func (f *File) At(line, column int) Pos {
	return Pos(f.number)<<fileShift | Pos(line)<<lineShift | Pos(column)
}

// MaxSize is the size in bytes of the largest text that is read. 15 MB already describe an estate of 100,000 workloads.
const MaxSize = 32 << 20

// MaxValues is how many keys and values a text has at most, so that memory follows its size even where each of them has
// but a character. A text of MaxSize with a value every seven bytes has as many.
const MaxValues = 5_000_000

// Files are the texts that positions speak of.
type Files struct {
	all    []*File
	beside []*File // the last ones by number: places can be in them, and they are no part of the set
	cache  Cache
	pieces *pieceTrees
}

// NewFiles makes a set without files. Node trees of large texts are looked up in the cache and left there, when it is not
// nil.
func NewFiles(cache Cache) *Files { return &Files{cache: cache, pieces: &pieceTrees{}} }

// One is a set of one file, without a cache.
func One(name, content string) *Files {
	s := NewFiles(nil)
	s.Add(name, content)
	return s
}

// Add adds a file to the set. It panics when there are more than 4,095 of them.
func (s *Files) Add(name, content string) *File {
	if len(s.all)+len(s.beside) == mostFiles {
		panic("text: too many files")
	}
	f := &File{Name: name, Text: content, number: len(s.all), cache: s.cache, pieces: s.pieces}
	s.all = append(s.all, f)
	return f
}

// Beside adds a file that places can be in and that is no part of the set, such as a list that is read with a plan.
func (s *Files) Beside(name string) *File {
	f := &File{Name: name, number: mostFiles - 1 - len(s.beside)}
	s.beside = append(s.beside, f)
	return f
}

// First is the first file of the set; nil when it has none.
func (s *Files) First() *File {
	if s == nil || len(s.all) == 0 {
		return nil
	}
	return s.all[0]
}

// Of is the file that a place is in; the first one for no place.
func (s *Files) Of(p Pos) *File {
	n := p.file()
	if n < len(s.all) {
		return s.all[n]
	}
	if n = mostFiles - 1 - n; n < len(s.beside) {
		return s.beside[n]
	}
	return nil
}

// Where writes a place as file:line:column; the first file's name alone when the place is not known.
func (s *Files) Where(p Pos) string {
	f := s.Of(p)
	if f == nil {
		return ""
	}
	if !p.Known() {
		return f.Name
	}
	return fmt.Sprintf("%s:%d:%d", f.Name, p.Line(), p.Column())
}

// Line is the text of the line of a place, without its line end; empty when there is no such line.
func (s *Files) Line(p Pos) string {
	f := s.Of(p)
	if f == nil || !p.Known() {
		return ""
	}
	return f.Line(p.Line())
}

// Around is what stands in the line of a place, up to so many characters before it and from it on, without the line end;
// and whether the line starts with what stands before.
func (s *Files) Around(p Pos, before, after int) (left, right string, whole bool) {
	f := s.Of(p)
	if f == nil || !p.Known() || p.Line() > len(f.lines()) {
		return "", "", true
	}
	start, at := f.lines()[p.Line()-1], f.seek(p.Line(), p.Column())
	end := skip(f.Text, at, after)
	if i := strings.IndexAny(f.Text[at:end], "\r\n"); i >= 0 {
		end = at + i
	}
	from := at
	for ; from > start && before > 0; before-- {
		_, size := utf8.DecodeLastRuneInString(f.Text[start:from])
		from -= size
	}
	return f.Text[from:at], f.Text[at:end], from == start
}

// File is one text.
type File struct {
	Name   string // how messages call it, such as wendrik.yaml
	Text   string
	number int
	cache  Cache
	pieces *pieceTrees // those of the texts that this one was made of; nil where none are kept
	tree   *Tree       // once Value was asked for one
	root   *yaml.Node  // once edits were made, where it is kept; nobody changes it
	starts []int       // where each line starts, once asked for
	sought struct {
		at     Pos // the last place for which seek was asked
		offset int
	}
}

// Start is the first place of the file.
// Offset is how many bytes of the text stand before a place in it.
func (f *File) Offset(p Pos) int { return f.offset(p.Line(), p.Column()) }

func (f *File) Start() Pos { return f.At(1, 1) }

// lines are where each line starts.
func (f *File) lines() []int {
	if f.starts == nil {
		f.starts = append(make([]int, 0, strings.Count(f.Text, "\n")+1), 0)
		for i := 0; ; {
			n := strings.IndexByte(f.Text[i:], '\n')
			if n < 0 {
				break
			}
			i += n + 1
			f.starts = append(f.starts, i)
		}
	}
	return f.starts
}

// Line is the text of line n (from 1) without its line end; empty when there is no such line.
func (f *File) Line(n int) string {
	lines := f.lines()
	if n < 1 || n > len(lines) {
		return ""
	}
	end := len(f.Text)
	if n < len(lines) {
		end = lines[n]
	}
	return strings.TrimRight(f.Text[lines[n-1]:end], "\r\n")
}

// offset is the byte at which a line and column stand.
func (f *File) offset(line, column int) int {
	lines := f.lines()
	if line > len(lines) {
		return len(f.Text)
	}
	i := lines[line-1]
	if i == 0 && strings.HasPrefix(f.Text, byteOrderMark) {
		i = len(byteOrderMark)
	}
	return skip(f.Text, i, column-1)
}

// seek is offset for places that are asked for in the order of the text, so that each line is walked once. It is for one
// user at a time.
func (f *File) seek(line, column int) int {
	if last := f.sought.at; last.Known() && last.Line() == line && last.Column() <= column {
		f.sought.offset = skip(f.Text, f.sought.offset, column-last.Column())
	} else {
		f.sought.offset = f.offset(line, column)
	}
	f.sought.at = f.At(line, column)
	return f.sought.offset
}

// skip moves over some characters of a text.
func skip(s string, i, characters int) int {
	for ; characters > 0 && i < len(s); characters-- {
		if s[i] < utf8.RuneSelf {
			i++
			continue
		}
		_, size := utf8.DecodeRuneInString(s[i:])
		i += size
	}
	return i
}

// Position is the place of the character at a byte of the text.
func (f *File) Position(offset int) Pos {
	lines := f.lines()
	n := sort.SearchInts(lines, offset+1)
	return f.At(n, utf8.RuneCountInString(f.Text[lines[n-1]:offset])+1)
}

const byteOrderMark = "\ufeff"

// A Problem is what makes a text unreadable.
type Problem struct {
	Code    string // a short, stable name
	At      Pos
	Message string // what is wrong, as a sentence without its full stop
	Fix     string // what would be right, likewise; may be empty
}

func (p *Problem) Error() string { return p.Message }

// check finds what makes a text unreadable before YAML is asked: size, encoding, and control characters. The library
// counts U+0085, U+2028, U+2029 and a lone carriage return as line ends; editors do not, and then no line number
// would be right, so they are refused too.
func (f *File) check() *Problem {
	if len(f.Text) > MaxSize {
		return &Problem{Code: "text-too-large", At: 0, Message: fmt.Sprintf("the text is larger than %d MiB", MaxSize>>20),
			Fix: "split the estate into plans of their own"}
	}
	if f.values() > MaxValues {
		return &Problem{Code: "too-many-values", At: 0, Message: fmt.Sprintf("the text has more than %d keys and values", MaxValues),
			Fix: "split the estate into plans of their own"}
	}
	for i := 0; i < len(f.Text); {
		c, size := rune(f.Text[i]), 1
		if c >= utf8.RuneSelf {
			c, size = utf8.DecodeRuneInString(f.Text[i:])
		}
		switch {
		case c >= ' ' && c < 0x7f, c == '\n', c == '\t':
		case c == utf8.RuneError && size == 1:
			return &Problem{Code: "not-text", At: f.Position(i), Message: "this byte is not UTF-8", Fix: "save the plan as UTF-8"}
		case c == '\r' && (i+1 == len(f.Text) || f.Text[i+1] != '\n'), c < ' ' && c != '\r', c == 0x7f,
			c >= 0x80 && c < 0xa0, c == 0x2028, c == 0x2029, c == 0xfeff && i > 0, c == 0xfffe, c == 0xffff:
			return &Problem{Code: "not-text", At: f.Position(i), Message: fmt.Sprintf("the control character %U stands here", c), Fix: "remove it"}
		}
		i += size
	}
	return nil
}

// values is about how many keys and values the text has, and no fewer: each but the first stands behind a comma, bracket,
// colon or dash, or in a line of its own.
func (f *File) values() int {
	n := 1
	for i := range len(f.Text) {
		switch f.Text[i] {
		case ',', '[', '{':
			n++
		case '\n':
			if i > 0 && f.Text[i-1] != '\n' {
				n++
			}
		case ':', '-', '?':
			if i+1 == len(f.Text) || f.Text[i+1] <= ' ' || strings.IndexByte(",[]{}\"'", f.Text[i+1]) >= 0 || i > 0 && (f.Text[i-1] == '"' || f.Text[i-1] == '\'') {
				n++
			}
		}
	}
	return n
}
