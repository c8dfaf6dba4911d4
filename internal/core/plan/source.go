package plan

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// MaxText is the size in bytes of the largest text that is read. The YAML library needs some thirty times the text's
// size in memory, and 15 MB already describe an estate of 100,000 workloads.
const MaxText = 32 << 20

// Source is a text and the places of its lines.
type Source struct {
	Name string // how messages call it, such as wendrik.yaml
	Text []byte
	line []int // where each line starts
}

// NewSource takes a text under the name by which messages call it.
func NewSource(name string, text []byte) *Source {
	s := &Source{Name: name, Text: text, line: []int{0}}
	for i, c := range text {
		if c == '\n' {
			s.line = append(s.line, i+1)
		}
	}
	return s
}

// Line is the text of line n (from 1) without its line end; empty when there is no such line.
func (s *Source) Line(n int32) string {
	if n < 1 || int(n) > len(s.line) {
		return ""
	}
	end := len(s.Text)
	if int(n) < len(s.line) {
		end = s.line[n]
	}
	return strings.TrimRight(string(s.Text[s.line[n-1]:end]), "\r\n")
}

// Where writes a place of this text as file:line:column; the name alone when the place is not known.
func (s *Source) Where(at Pos) string {
	if !at.Known() {
		return s.Name
	}
	return fmt.Sprintf("%s:%d:%d", s.Name, at.Line, at.Column)
}

// offset is the byte at which a place stands.
func (s *Source) offset(at Pos) int {
	if int(at.Line) > len(s.line) {
		return len(s.Text)
	}
	i := s.line[at.Line-1]
	if i == 0 && strings.HasPrefix(string(s.Text[:min(3, len(s.Text))]), byteOrderMark) {
		i = len(byteOrderMark)
	}
	for range at.Column - 1 {
		if i >= len(s.Text) {
			break
		}
		_, size := utf8.DecodeRune(s.Text[i:])
		i += size
	}
	return i
}

// position is the inverse of offset.
func (s *Source) position(offset int) Pos {
	lo, hi := 0, len(s.line)
	for hi-lo > 1 {
		if mid := (lo + hi) / 2; s.line[mid] <= offset {
			lo = mid
		} else {
			hi = mid
		}
	}
	return Pos{int32(lo + 1), int32(utf8.RuneCount(s.Text[s.line[lo]:offset]) + 1)}
}

const byteOrderMark = "\ufeff"

// check finds what makes a text unreadable before YAML is asked: size, encoding, and control characters. The library
// counts U+0085, U+2028, U+2029 and a lone carriage return as line ends; editors do not, and then no line number
// would be right, so they are refused too.
func (s *Source) check() *Finding {
	if len(s.Text) > MaxText {
		return &Finding{Code: "text-too-large", Message: fmt.Sprintf("the text is larger than %d MiB", MaxText>>20),
			Fix: "split the estate into plans of their own"}
	}
	for i := 0; i < len(s.Text); {
		c, size := rune(s.Text[i]), 1
		if c >= utf8.RuneSelf {
			c, size = utf8.DecodeRune(s.Text[i:])
		}
		switch {
		case c == utf8.RuneError && size == 1:
			return &Finding{Code: "not-text", At: s.position(i), Message: "this byte is not UTF-8",
				Fix: "save the plan as UTF-8"}
		case c == '\r' && (i+1 == len(s.Text) || s.Text[i+1] != '\n'),
			c < ' ' && c != '\n' && c != '\t' && c != '\r', c == 0x7f,
			c >= 0x80 && c < 0xa0, c == 0x2028, c == 0x2029, c == 0xfeff && i > 0, c == 0xfffe, c == 0xffff:
			return &Finding{Code: "not-text", At: s.position(i), Message: fmt.Sprintf("the control character %U stands here", c),
				Fix: "remove it"}
		}
		i += size
	}
	return nil
}
