package editor

import (
	"slices"
	"strconv"
	"strings"

	"wendrik/internal/core/text"
)

// This file finds where in a plan somebody's cursor is, from the lines around it alone: also in a text that is no YAML, as it is while one types.

// cursor is a place in a plan.
type cursor struct {
	spot
	path    text.Path // what the cursor is in: names, keys, and numbers of elements; with the key, where it is behind one
	key     bool      // whether a key stands there, or could be begun
	comment bool
	flow    bool     // whether that is in brackets
	have    []string // in brackets: the keys that stand before it in the same ones
	parents []spot   // where the keys and elements of path stand
	indent  int      // the blanks before the line, or before its first key
	scalar  string   // the whole value or key, without quotes
	start   int      // the byte of the line at which it starts, and that behind its last
	end     int
}

// before is what of the value stands before the cursor.
func (c *cursor) before() string { return c.scalar[:min(max(c.byte-c.start, 0), len(c.scalar))] }

// element reports whether the cursor is in an element of a list that is no mapping yet.
func (c *cursor) element() bool {
	if len(c.path) == 0 {
		return false
	}
	_, err := strconv.Atoi(c.path[len(c.path)-1])
	return err == nil
}

// word is the run of characters around the cursor that may be a name, a range, an address or a flow, and where it starts and ends in the line.
func (c *cursor) word() (word string, start, end int) {
	at := min(max(c.byte-c.start, 0), len(c.scalar))
	from, to := at, at
	for from > 0 && wordByte(c.scalar[from-1]) {
		from--
	}
	for to < len(c.scalar) && wordByte(c.scalar[to]) {
		to++
	}
	return c.scalar[from:to], c.start + from, c.start + to
}

func wordByte(b byte) bool {
	return b >= 'a' && b <= 'z' || b >= 'A' && b <= 'Z' || b >= '0' && b <= '9' || strings.IndexByte("-_./:%", b) >= 0 || b >= 0x80
}

// level is a key or an element that is begun in a line, outside of brackets.
type level struct {
	column int // at which it starts
	key    string
	start  int // of the key's word
	end    int
	value  int // behind the colon and blanks, or behind the dash
}

// levelsOf are the levels that a line begins, outermost first, and where what is left of it starts.
func levelsOf(line string) (all []level, rest int) {
	at := len(line) - len(strings.TrimLeft(line, " "))
	for at < len(line) && line[at] == '-' && (at+1 == len(line) || line[at+1] == ' ') {
		next := at + 1 + len(line[at+1:]) - len(strings.TrimLeft(line[at+1:], " "))
		all = append(all, level{column: at, value: next})
		at = next
	}
	word, end := scalarAt(line, at, false)
	if after := end; word != "" && after < len(line) && line[after] == ':' && (after+1 == len(line) || line[after+1] == ' ') {
		value := after + 1 + len(line[after+1:]) - len(strings.TrimLeft(line[after+1:], " "))
		start := at
		if line[at] == '"' || line[at] == '\'' {
			start, end = at+1, end-1
		}
		all = append(all, level{column: at, key: word, start: start, end: end, value: value})
		at = value
	}
	return all, at
}

// scalarAt is the word or text that starts at a byte of a line, without quotes, and the byte behind it. In brackets it ends at what these have
// between values.
func scalarAt(line string, at int, flow bool) (scalar string, end int) {
	if at >= len(line) {
		return "", at
	}
	switch q := line[at]; {
	case q == '"' || q == '\'':
		for i := at + 1; i < len(line); i++ {
			switch {
			case q == '"' && line[i] == '\\':
				i++
			case line[i] == q && q == '\'' && i+1 < len(line) && line[i+1] == q:
				i++
			case line[i] == q:
				return line[at+1 : i], i + 1
			}
		}
		return line[at+1:], len(line)
	case !flow && (q == '[' || q == '{'), q == '#':
		return "", at
	}
	i := at
	for i < len(line) {
		switch b := line[i]; {
		case b == ':' && (i+1 == len(line) || line[i+1] == ' ' || flow && strings.IndexByte(",[]{}", line[i+1]) >= 0),
			b == '#' && i > 0 && line[i-1] == ' ',
			flow && strings.IndexByte(",[]{}", b) >= 0:
			return strings.TrimRight(line[at:i], " "), at + len(strings.TrimRight(line[at:i], " "))
		}
		i++
	}
	return strings.TrimRight(line[at:], " "), at + len(strings.TrimRight(line[at:], " "))
}

// maxUp is how many lines are looked at above a cursor: the networks of a plan of many stand far below their key.
const maxUp = 1_000_000

// maxFlow is how many lines what is in brackets may have to be understood.
const maxFlow = 5000

// frame is a line that the cursor is inside of, with those of its levels that it is in.
type frame struct {
	line   int
	levels []level
}

// cursorAt finds where a place is.
func cursorAt(l lines, at spot) *cursor {
	c := &cursor{spot: at}
	line := l.at(at.line)
	own, rest := levelsOf(line)
	blank := strings.TrimSpace(line) == "" || at.byte < len(line)-len(strings.TrimLeft(line, " "))
	limit := at.byte
	element := false
	switch {
	case blank:
		own, rest = nil, at.byte
	case len(own) > 0:
		limit, element = own[0].column, own[0].key == ""
	default:
		limit = rest
	}
	c.indent = limit
	frames := above(l, at.line, limit, element)
	for i := range frames { // the outermost bracket that is still open there
		f := &frames[i]
		last := f.levels[len(f.levels)-1]
		if value := l.at(f.line); last.value < len(value) && (value[last.value] == '[' || value[last.value] == '{') && at.line-f.line <= maxFlow {
			if c.inBrackets(l, frames[:i+1], spot{f.line, last.value}) {
				return c
			}
		}
	}
	for _, f := range frames {
		c.enter(l, f)
	}
	mine := frame{line: at.line}
	for _, v := range own {
		if v.key != "" && at.byte <= v.end && at.byte >= v.column {
			c.enter(l, mine)
			c.key, c.scalar, c.start, c.end = true, v.key, v.start, v.end
			return c
		}
		if at.byte >= v.value || v.key == "" && at.byte > v.column {
			mine.levels = append(mine.levels, v)
		}
	}
	if len(mine.levels) > 0 {
		last := mine.levels[len(mine.levels)-1]
		if last.value < len(line) && (line[last.value] == '[' || line[last.value] == '{') && c.inBrackets(l, append(frames, mine), spot{at.line, last.value}) {
			return c
		}
		c.enter(l, mine)
	}
	from := rest
	c.scalar, c.end = scalarAt(line, from, false)
	c.start = from
	if from < len(line) && (line[from] == '"' || line[from] == '\'') {
		c.start, c.end = from+1, from+1+len(c.scalar)
	}
	if at.byte > c.end && strings.Contains(line[min(c.end, len(line)):min(at.byte, len(line))], "#") {
		c.comment = true
	}
	c.reach(line)
	if at.byte < c.start || c.comment {
		c.start, c.end, c.scalar = at.byte, at.byte, ""
	}
	c.key = len(own) == 0 || own[len(own)-1].key == ""
	return c
}

// above are the lines that a place is inside of, outermost first.
func above(l lines, n, limit int, element bool) []frame {
	var frames []frame
	for i := n - 1; i >= 0 && n-i <= maxUp && (limit > 0 || element); i-- {
		s := l[i]
		lead := 0
		for lead < len(s) && s[lead] == ' ' {
			lead++
		}
		if lead > limit || lead == len(s) || s[lead] == '#' || s[lead] == '\n' || s[lead] == '\r' {
			continue
		}
		all, _ := levelsOf(l.at(i))
		var in []level
		for _, v := range all {
			if v.column < limit || v.column == limit && element && v.key != "" {
				in = append(in, v)
			}
		}
		if len(in) > 0 {
			frames = append(frames, frame{i, in})
			limit, element = in[0].column, in[0].key == ""
		}
	}
	slices.Reverse(frames)
	return frames
}

// enter goes into the levels of a line.
func (c *cursor) enter(l lines, f frame) {
	for _, v := range f.levels {
		word := v.key
		if word == "" {
			word = strconv.Itoa(1 + elementsAbove(l, f.line, v.column))
		}
		c.path = append(c.path, word)
		c.parents = append(c.parents, spot{f.line, max(v.start, v.column)})
	}
}

// elementsAbove counts the elements of the same list that stand above a line.
func elementsAbove(l lines, n, column int) int {
	count := 0
	for i := n - 1; i >= 0 && n-i <= maxFlow; i-- {
		s := l.at(i)
		lead := len(s) - len(strings.TrimLeft(s, " "))
		switch {
		case lead == len(s) || s[lead] == '#' || lead > column:
		case lead == column && s[lead] == '-':
			count++
		default:
			return count
		}
	}
	return count
}

// bracket is what is open around a place in brackets.
type bracket struct {
	list  bool
	n     int    // of a list: how many elements were before
	key   string // of a mapping: the key whose value it is; empty before it
	at    spot
	have  []string
	ended bool // whether the value has been
}

// inBrackets goes from where a bracket opens to the cursor, and reports whether it is still open there.
func (c *cursor) inBrackets(l lines, frames []frame, from spot) bool {
	var open []bracket
	begun := spot{-1, 0} // where the scalar starts that the cursor may be in
	line := from.line
	for at := from.byte; line <= c.line; line, at = line+1, 0 {
		s := l.at(line)
		for at < len(s) {
			if line == c.line && at >= c.byte {
				break
			}
			switch b := s[at]; {
			case b == ' ' || b == '\t':
				at++
				continue
			case b == '[' || b == '{':
				open = append(open, bracket{list: b == '['})
			case b == ']' || b == '}':
				if open = open[:len(open)-1]; len(open) == 0 {
					return false
				}
				open[len(open)-1].ended = true
			case b == ',':
				o := &open[len(open)-1]
				if o.key != "" {
					o.have = append(o.have, o.key)
				}
				o.n, o.key, o.ended = o.n+1, "", false
			case b == ':' && open[len(open)-1].key != "":
			case b == '#' && (at == 0 || s[at-1] == ' '):
				c.comment = line == c.line
				at = len(s)
				continue
			default:
				word, end := scalarAt(s, at, true)
				if end == at {
					end = at + 1
				}
				if line == c.line && (end >= c.byte || strings.TrimLeft(s[end:c.byte], " ") == "") {
					begun = spot{line, at}
				}
				o := &open[len(open)-1]
				next := end
				for next < len(s) && s[next] == ' ' {
					next++
				}
				if begun.line < 0 && !o.list && o.key == "" && next < len(s) && s[next] == ':' {
					o.key, o.at = word, spot{line, at}
				}
				at = end
				continue
			}
			at++
		}
	}
	if len(open) == 0 {
		return false
	}
	c.path, c.parents = nil, nil
	for _, f := range frames {
		c.enter(l, f)
	}
	for _, o := range open {
		if o.list {
			c.path, c.parents = append(c.path, strconv.Itoa(o.n+1)), append(c.parents, c.spot)
		} else if o.key != "" {
			c.path, c.parents = append(c.path, o.key), append(c.parents, o.at)
		}
	}
	last := open[len(open)-1]
	c.flow, c.have = true, last.have
	c.key = !last.list && last.key == ""
	s := l.at(c.line)
	c.start, c.end, c.scalar = c.byte, c.byte, ""
	if start := c.byte; begun.line < 0 && start < len(s) && strings.IndexByte(" ,]}#:", s[start]) < 0 {
		begun = spot{c.line, start} // the cursor is right before it
	}
	if begun.line >= 0 {
		var end int
		c.scalar, end = scalarAt(s, begun.byte, true)
		c.start, c.end = begun.byte, end
		if q := s[begun.byte]; q == '"' || q == '\'' {
			c.start, c.end = begun.byte+1, begun.byte+1+len(c.scalar)
		}
		c.reach(s)
	}
	return true
}

// reach has the blanks belong to the value that stand between it and the cursor, where somebody goes on with it.
func (c *cursor) reach(line string) {
	if at := min(c.byte, len(line)); c.scalar != "" && at > c.end && strings.TrimLeft(line[c.end:at], " ") == "" {
		c.scalar += line[c.end:at]
		c.end = at
	}
}
