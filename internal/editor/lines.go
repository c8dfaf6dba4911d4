// Package editor is the plan at somebody's cursor: a server of the Language Server Protocol 3.17, to be used by any editor that speaks it.
// What it says is what the commands say, from the same packages; it writes nothing itself, and an editor makes the edits that a person chose.
package editor

import (
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// lines is a text as its lines, each with its line end. It never changes: an edit gives another one, which shares the lines that stay.
type lines []string

// splitLines cuts a text into lines. A line ends with a line feed, a carriage return, or both (LSP 3.17, Text Documents). The last one has no
// line end, and may be empty.
func splitLines(s string) lines {
	all := make(lines, 0, strings.Count(s, "\n")+1)
	for {
		i := strings.IndexAny(s, "\r\n")
		if i < 0 {
			return append(all, s)
		}
		end := i + 1
		if s[i] == '\r' && strings.HasPrefix(s[end:], "\n") {
			end++
		}
		all = append(all, s[:end])
		s = s[end:]
	}
}

func (l lines) String() string { return strings.Join(l, "") }

// at is the text of a line without its line end; empty beyond the last one.
func (l lines) at(n int) string {
	if n < 0 || n >= len(l) {
		return ""
	}
	return strings.TrimRight(l[n], "\r\n")
}

// blank is the text with nothing in some lines.
func (l lines) blank(which ...int) lines {
	if len(which) == 0 {
		return l
	}
	l = slices.Clone(l)
	for _, n := range which {
		l[n] = l[n][len(l.at(n)):]
	}
	return l
}

// replaced is the text with something else in the place of what stands from one place to another.
func (l lines) replaced(from, to spot, with string) lines {
	first, head := from.line, l[from.line][:from.byte]
	if first > 0 && strings.HasSuffix(l[first-1], "\r") { // with a line feed behind it, it would be one line end
		first--
		head = l[first] + head
	}
	fresh := splitLines(head + with + l[to.line][to.byte:])
	if to.line < len(l)-1 {
		fresh = fresh[:len(fresh)-1] // what ends with a line end has nothing behind it
	}
	return slices.Concat(l[:first], fresh, l[to.line+1:])
}

// spot is a place in a text: a line and a byte in it, both from 0.
type spot struct{ line, byte int }

func (a spot) before(b spot) bool { return a.line < b.line || a.line == b.line && a.byte < b.byte }

// encoding is how an editor counts the characters of a line.
type encoding string

// The encodings that an editor may choose; what it says nothing of is UTF-16.
const (
	utf8Encoding  encoding = "utf-8"
	utf16Encoding encoding = "utf-16"
	utf32Encoding encoding = "utf-32"
)

// byteOf is the byte of a line at which a character stands that an editor counts; the end of the line for what is beyond it, and the start of a
// character for what is inside of it.
func (e encoding) byteOf(line string, character int) int {
	if e == utf8Encoding {
		n := min(max(character, 0), len(line))
		for n > 0 && n < len(line) && !utf8.RuneStart(line[n]) {
			n--
		}
		return n
	}
	count := 0
	for i, r := range line {
		width := e.width(r)
		if count+width > character {
			return i
		}
		count += width
	}
	return len(line)
}

// characterOf is how an editor counts the byte of a line.
func (e encoding) characterOf(line string, n int) int {
	n = min(max(n, 0), len(line))
	if e == utf8Encoding {
		return n
	}
	count := 0
	for _, r := range line[:n] {
		count += e.width(r)
	}
	return count
}

func (e encoding) width(r rune) int {
	if e == utf16Encoding {
		return max(utf16.RuneLen(r), 1)
	}
	return 1
}

// spotOf is the place in a text that an editor means; the end of the text for what is beyond it.
func (l lines) spotOf(p position, e encoding) spot {
	if p.Line < 0 {
		return spot{}
	}
	if p.Line >= len(l) {
		return spot{len(l) - 1, len(l.at(len(l) - 1))}
	}
	return spot{p.Line, e.byteOf(l.at(p.Line), p.Character)}
}

// positionOf is a place as an editor counts.
func (l lines) positionOf(s spot, e encoding) position {
	return position{s.line, e.characterOf(l.at(s.line), s.byte)}
}

// byteAt is the byte of a line at which its nth character stands, from 1, as positions of a plan count.
func byteAt(line string, column int) int {
	for i := range line {
		if column--; column <= 0 {
			return i
		}
	}
	return len(line)
}
