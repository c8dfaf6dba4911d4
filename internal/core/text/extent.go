package text

import (
	"errors"
	"strings"

	"go.yaml.in/yaml/v4"
)

// The YAML library says where a node starts, never where it ends. What follows finds the end in the text. A mistake
// here cannot reach a file: Apply reads its result again and compares.

var errExtent = errors.New("the text is laid out in a way that cannot be edited safely; make the change by hand")

// contentStart is where the value of a node starts, behind its anchor and tag.
func (ed *editor) contentStart(n *yaml.Node) int {
	text, i := ed.src.Text, ed.offset(n)
	for i < len(text) && (text[i] == '&' || text[i] == '!') {
		for i < len(text) && !isSpace(text[i]) {
			i++
		}
		i = ed.skipBlank(i)
	}
	return i
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\r' }

// skipBlank moves over white space, line ends and comments.
func (ed *editor) skipBlank(i int) int {
	text := ed.src.Text
	for i < len(text) {
		switch {
		case isSpace(text[i]):
			i++
		case text[i] == '#' && (i == 0 || isSpace(text[i-1])):
			for i < len(text) && text[i] != '\n' {
				i++
			}
		default:
			return i
		}
	}
	return i
}

// endOfValue is the end of an entry of a mapping: that of its value, or of its colon when no value was written.
func (ed *editor) endOfValue(key, value *yaml.Node) (int, error) {
	if !nothing(value) || value.Value != "" {
		return ed.end(value)
	}
	i, err := ed.end(key)
	if err != nil {
		return 0, err
	}
	colon := ed.skipBlank(i)
	if colon < len(ed.src.Text) && ed.src.Text[colon] == ':' {
		return colon + 1, nil
	}
	return i, nil
}

// end is the byte after the last one of a node.
func (ed *editor) end(n *yaml.Node) (int, error) {
	if n.Kind == yaml.ScalarNode || n.Kind == yaml.AliasNode {
		return ed.endOfScalar(n)
	}
	i := ed.contentStart(n) + 1
	if len(n.Content) > 0 {
		var err error
		last := n.Content[len(n.Content)-1]
		if n.Kind == yaml.MappingNode {
			i, err = ed.endOfValue(n.Content[len(n.Content)-2], last)
		} else {
			i, err = ed.end(last)
		}
		if err != nil || n.Style&yaml.FlowStyle == 0 {
			return i, err
		}
	}
	for i = ed.skipBlank(i); i < len(ed.src.Text); i = ed.skipBlank(i + 1) {
		switch ed.src.Text[i] {
		case ',':
		case '}', ']':
			return i + 1, nil
		default:
			return 0, errExtent
		}
	}
	return 0, errExtent
}

func (ed *editor) endOfScalar(n *yaml.Node) (int, error) {
	text, i := ed.src.Text, ed.contentStart(n)
	if i >= len(text) {
		return 0, errExtent
	}
	switch {
	case n.Kind == yaml.AliasNode:
		return i + 1 + len(n.Value), nil
	case n.Style&yaml.DoubleQuotedStyle != 0:
		for j := i + 1; j < len(text); j++ {
			switch text[j] {
			case '\\':
				j++
			case '"':
				return j + 1, nil
			}
		}
		return 0, errExtent
	case n.Style&yaml.SingleQuotedStyle != 0:
		for j := i + 1; j < len(text); j++ {
			if text[j] != '\'' {
				continue
			}
			if j+1 < len(text) && text[j+1] == '\'' {
				j++
				continue
			}
			return j + 1, nil
		}
		return 0, errExtent
	case n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		return ed.endOfBlockScalar(i), nil
	case strings.HasPrefix(text[i:], n.Value):
		return i + len(n.Value), nil
	}
	return ed.endOfFolded(i, n.Value)
}

// endOfFolded is the end of a plain value over several lines: its words stand in the text with any white space between.
func (ed *editor) endOfFolded(i int, value string) (int, error) {
	text := ed.src.Text
	for _, word := range strings.Fields(value) {
		for i < len(text) && isSpace(text[i]) {
			i++
		}
		if !strings.HasPrefix(text[i:], word) {
			return 0, errExtent
		}
		i += len(word)
	}
	return i, nil
}

// endOfBlockScalar is the end of the last line of a | or > value whose sign stands at i: the lines below it that are
// blank or indented at least as deep as the first of them.
func (ed *editor) endOfBlockScalar(i int) int {
	text := ed.src.Text
	end, indent := lineStop(text, i), -1
	for next := end + 1; next < len(text); {
		stop := lineStop(text, next)
		line := strings.TrimRight(text[next:stop], "\r")
		depth := len(line) - len(strings.TrimLeft(line, " "))
		if strings.TrimSpace(line) != "" {
			if indent < 0 && depth > 0 {
				indent = depth
			}
			if indent < 0 || depth < indent {
				break
			}
			end = stop
		}
		next = stop + 1
	}
	return end
}

// lineStop is where the line that holds byte i ends, before its line feed.
func lineStop(text string, i int) int {
	if n := strings.IndexByte(text[i:], '\n'); n >= 0 {
		return i + n
	}
	return len(text)
}
