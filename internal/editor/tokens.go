package editor

import (
	"context"
	"slices"
	"strings"
	"sync"

	"wendrik/internal/core/plan"
)

// This file tells what each word of a text is, for its colour.

var (
	tokenTypes     = []string{"property", "class", "keyword", "number", "string", "comment", "variable"}
	tokenModifiers = []string{"declaration"}
)

const (
	tokenProperty = iota
	tokenClass    // the name of a thing, where it is made
	tokenKeyword
	tokenNumber
	tokenString
	tokenComment
	tokenVariable
)

// keyWords are the words of lines of expect and rules.
var keyWords = []string{"reaches", "never", "only", "except", "through", "without", "leaves", "as", "on", "from", "to", "allow", "deny", "group", "any", "internet", "assigned", "blackhole"}

// formatKeys are all keys of the format.
var formatKeys = sync.OnceValue(func() map[string]bool {
	all := map[string]bool{}
	for _, k := range plan.AllKeys() {
		all[k.Name] = true
	}
	return all
})

// token is a word of a line.
type token struct{ start, end, kind, modifiers int }

// tokensOf are the words of a line.
func tokensOf(line string) []token {
	var all []token
	at := 0
	for at < len(line) {
		switch b := line[at]; {
		case b == '#' && (at == 0 || line[at-1] == ' '):
			return append(all, token{at, len(line), tokenComment, 0})
		case b == '"' || b == '\'':
			_, end := scalarAt(line, at, true)
			all = append(all, token{at, end, tokenString, 0})
			at = end
		case wordByte(b) && b != ':':
			end := at
			for end < len(line) && wordByte(line[end]) && !(line[end] == ':' && (end+1 == len(line) || line[end+1] == ' ')) {
				end++
			}
			word := line[at:end]
			switch {
			case word == "-":
			case end < len(line) && line[end] == ':' && formatKeys()[word]:
				all = append(all, token{at, end, tokenProperty, 0})
			case end < len(line) && line[end] == ':':
				all = append(all, token{at, end, tokenClass, 1})
			case word[0] >= '0' && word[0] <= '9' || word[0] == '/' || strings.Count(word, ":") > 1:
				all = append(all, token{at, end, tokenNumber, 0})
			case slices.Contains(keyWords, word):
				all = append(all, token{at, end, tokenKeyword, 0})
			default:
				all = append(all, token{at, end, tokenVariable, 0})
			}
			at = max(end, at+1)
		default:
			at++
		}
	}
	return all
}

// coded are the words of some lines as the protocol has them: each five numbers, its place by how far it is behind the one before.
func (s *server) coded(l lines, from, to int) *semanticTokens {
	out := &semanticTokens{Data: []int{}}
	line, character := 0, 0
	for n := max(from, 0); n <= min(to, len(l)-1); n++ {
		text := l.at(n)
		for _, t := range tokensOf(text) {
			start, end := s.encoding.characterOf(text, t.start), s.encoding.characterOf(text, t.end)
			if n != line {
				character = 0
			}
			out.Data = append(out.Data, n-line, start-character, end-start, t.kind, t.modifiers)
			line, character = n, start
		}
	}
	return out
}

func (s *server) tokens(_ context.Context, p documentParams) (*semanticTokens, error) {
	d, _, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return &semanticTokens{Data: []int{}}, nil
	}
	return s.coded(d.lines, 0, len(d.lines)), nil
}

func (s *server) tokensIn(_ context.Context, p rangeParams) (*semanticTokens, error) {
	d, _, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return &semanticTokens{Data: []int{}}, nil
	}
	return s.coded(d.lines, p.Range.Start.Line, p.Range.End.Line), nil
}
