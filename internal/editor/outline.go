package editor

import (
	"context"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// This file tells the parts of a text: things with names, what folds, and what is selected around a cursor.

// Kinds of symbols, by the protocol.
var symbolKinds = map[estate.Kind]int{
	estate.NetworkKind: 3, estate.WorkloadKind: 19, estate.SetKind: 18, estate.SiteKind: 2, estate.PeeringKind: 11, estate.HubKind: 4, estate.HubLinkKind: 11,
	estate.ClusterKind: 5, estate.BlockKind: 23, estate.SubnetKind: 8, estate.TierKind: 10, estate.TableKind: 20, estate.GroupKind: 24, estate.ListKind: 24,
	estate.GatewayKind: 12, estate.HeldKind: 14, estate.HubTableKind: 20, estate.DHCPKind: 7,
}

// blockEnd is where the block ends whose key stands at a place: at the last line that is further in.
func blockEnd(l lines, at spot) spot {
	end := at.line
	column := len(l.at(at.line)) - len(strings.TrimLeft(l.at(at.line), " "))
	if at.byte > column {
		return spot{at.line, len(strings.TrimRight(l.at(at.line), " "))} // in a line with others
	}
	for n := at.line + 1; n < len(l); n++ {
		s := l.at(n)
		trimmed := strings.TrimLeft(s, " ")
		if trimmed == "" || trimmed[0] == '#' {
			continue
		}
		if lead := len(s) - len(trimmed); lead < column || lead == column && trimmed[0] != '-' && trimmed[0] != ']' && trimmed[0] != '}' {
			break
		}
		end = n
	}
	return spot{end, len(l.at(end))}
}

func (s *server) documentSymbols(ctx context.Context, p documentParams) (any, error) {
	d, k, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return []documentSymbol{}, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil || x.texts[d.path] == nil {
		return []documentSymbol{}, nil
	}
	l := x.texts[d.path]
	type open struct {
		place  text.Path
		symbol *documentSymbol
	}
	root := &documentSymbol{}
	stack := []open{{nil, root}}
	var flat []symbolInformation
	for _, o := range x.objects() {
		if !o.At().Known() {
			continue
		}
		path, where := x.extentOf(o.At(), s.encoding)
		if path != d.path {
			continue
		}
		_, at := x.posOf(o.At())
		whole := extent{where.Start, l.positionOf(blockEnd(l, at), s.encoding)}
		symbol := documentSymbol{Name: ownName(o), Detail: string(o.Kind()), Kind: symbolKinds[o.Kind()], Range: whole, SelectionRange: where}
		place := o.Place()
		for len(stack) > 1 && !inside(stack[len(stack)-1].place, place, stack[len(stack)-1].symbol, whole) {
			stack = stack[:len(stack)-1]
		}
		top := stack[len(stack)-1].symbol
		if len(stack) > 1 && top.SelectionRange == where {
			continue // what the plan does not write, such as a main table that is implied
		}
		flat = append(flat, symbolInformation{o.ID(), symbol.Kind, location{d.uri, where}, string(o.Kind())})
		top.Children = append(top.Children, symbol)
		stack = append(stack, open{place, &top.Children[len(top.Children)-1]})
	}
	if !s.can.TextDocument.DocumentSymbol.Hierarchical {
		return append([]symbolInformation{}, flat...), nil
	}
	return append([]documentSymbol{}, root.Children...), nil
}

// inside reports whether a thing is a part of another, in the plan and in the text.
func inside(outer, inner text.Path, symbol *documentSymbol, r extent) bool {
	if len(inner) <= len(outer) {
		return false
	}
	for i := range outer {
		if outer[i] != inner[i] {
			return false
		}
	}
	return symbol.Range.Start.Line <= r.Start.Line && r.End.Line <= symbol.Range.End.Line
}

// mostSymbols is how many symbols of all files are given at once.
const mostSymbols = 500

func (s *server) workspaceSymbols(ctx context.Context, p symbolParams) ([]symbolInformation, error) {
	all := []symbolInformation{}
	s.lock.Lock()
	var plans []*kept
	for _, k := range s.plans {
		plans = append(plans, k)
	}
	s.lock.Unlock()
	for _, k := range plans {
		x := s.settled(ctx, k, false)
		if x == nil {
			continue
		}
		for _, o := range x.objects() {
			if len(all) < mostSymbols && strings.Contains(o.ID(), p.Query) {
				if loc, ok := s.locate(k, x, o); ok {
					all = append(all, symbolInformation{o.ID(), symbolKinds[o.Kind()], loc, string(o.Kind())})
				}
			}
		}
	}
	return all, nil
}

// folding is by how far lines stand in, and what stands in brackets over lines, and comments of several lines.
func (s *server) folding(_ context.Context, p documentParams) ([]foldingRange, error) {
	all := []foldingRange{}
	d, _, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return all, nil
	}
	type open struct{ line, lead int }
	var stack []open
	last, comment := -1, -1
	closeTo := func(lead int) {
		for len(stack) > 0 && stack[len(stack)-1].lead >= lead {
			if top := stack[len(stack)-1]; last > top.line {
				all = append(all, foldingRange{StartLine: top.line, EndLine: last})
			}
			stack = stack[:len(stack)-1]
		}
	}
	for n := range d.lines {
		line := d.lines.at(n)
		trimmed := strings.TrimLeft(line, " ")
		if strings.HasPrefix(trimmed, "#") {
			if comment < 0 {
				comment = n
			}
			continue
		}
		if comment >= 0 && n-1 > comment {
			all = append(all, foldingRange{comment, n - 1, "comment"})
		}
		comment = -1
		if strings.TrimSpace(trimmed) == "" {
			continue
		}
		lead := len(line) - len(trimmed)
		if strings.HasPrefix(trimmed, "- ") || strings.HasPrefix(trimmed, "]") || strings.HasPrefix(trimmed, "}") {
			lead++ // a list may stand as far in as its key
		}
		closeTo(lead)
		stack = append(stack, open{n, lead})
		last = n
	}
	closeTo(-1)
	return all, nil
}

// selections are the word, the value, the line, and the blocks around each place.
func (s *server) selections(_ context.Context, p positionsParams) ([]selectionRange, error) {
	all := []selectionRange{}
	d, _, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return all, nil
	}
	l := d.lines
	for _, pos := range p.Positions {
		c := cursorAt(l, l.spotOf(pos, s.encoding))
		whole := &selectionRange{Range: extent{position{}, l.positionOf(spot{len(l) - 1, len(l.at(len(l) - 1))}, s.encoding)}}
		around := whole
		grow := func(from, to spot) {
			r := extent{l.positionOf(from, s.encoding), l.positionOf(to, s.encoding)}
			if holds(around.Range, r) && r != around.Range {
				around = &selectionRange{r, around}
			}
		}
		for _, at := range c.parents {
			if at.line != c.line {
				grow(at, blockEnd(l, at))
			}
		}
		line := l.at(c.line)
		grow(spot{c.line, len(line) - len(strings.TrimLeft(line, " "))}, spot{c.line, len(line)})
		grow(spot{c.line, c.start}, spot{c.line, c.end})
		_, start, end := c.word()
		grow(spot{c.line, start}, spot{c.line, end})
		all = append(all, *around)
	}
	return all, nil
}

// holds reports whether one extent has all of another.
func holds(outer, inner extent) bool {
	before := func(a, b position) bool { return a.Line < b.Line || a.Line == b.Line && a.Character <= b.Character }
	return before(outer.Start, inner.Start) && before(inner.End, outer.End)
}
