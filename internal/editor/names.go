package editor

import (
	"context"
	"errors"
	"slices"
	"strings"
	"unicode/utf8"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/rename"
	"wendrik/internal/core/text"
)

// This file finds what the words of a plan name, wherever they stand, and calls it otherwise.

// local are the kinds of things that are named within a network or a hub.
var local = []estate.Kind{estate.SubnetKind, estate.TierKind, estate.TableKind, estate.GroupKind, estate.ListKind, estate.GatewayKind, estate.HeldKind, estate.HubTableKind}

// named are the things that the word at a cursor names, the likeliest first.
func (x *state) named(c *cursor) []estate.Object {
	word, start, _ := c.word()
	if word == "" || c.comment {
		return nil
	}
	if c.key {
		if o := x.places()[c.path.To(c.scalar).String()]; o != nil {
			return []estate.Object{o}
		}
	}
	at, ok := plan.At(c.path)
	if c.key && at.Named {
		at.Key.Names = []string{"network", "site", "hub"}
	} else if c.key && !c.element() || !ok {
		return nil
	}
	if at.Key.Choices != nil && len(at.Key.Names) == 0 {
		return nil
	}
	kinds := at.Key.Names
	switch at.Key.Name {
	case "dhcp":
		kinds = []string{string(estate.DHCPKind)}
	case "attach":
		if !c.key {
			kinds = []string{string(estate.HubTableKind)}
		}
	case "expect", "in", "out", "to", "only", "subnets", "learns", "at":
	default:
		if len(kinds) == 0 {
			return nil // a word that says what something is called elsewhere
		}
	}
	inLine := at.Key.Name == "expect" || (at.Key.Name == "in" || at.Key.Name == "out") && len(at.Format) > 2
	var all []estate.Object
	take := func(name string, within bool) {
		for _, o := range x.lookup(name) {
			isLocal := slices.Contains(local, o.Kind())
			switch {
			case isLocal != (within || strings.Contains(name, "/")):
			case len(kinds) > 0 && !slices.Contains(kinds, string(o.Kind())) && !(o.Kind() == estate.SetKind && slices.Contains(kinds, string(estate.WorkloadKind))):
			case !slices.Contains(all, o):
				all = append(all, o)
			}
		}
	}
	if group := strings.HasSuffix(strings.TrimRight(c.scalar[:max(start-c.start, 0)], " "), "group"); !inLine || group {
		for _, around := range x.around(c) {
			take(around+"/"+word, true)
		}
	}
	take(word, false)
	if head, _, is := strings.Cut(word, "/"); is && len(all) == 0 {
		take(head, false)
	}
	return all
}

// lookup is all that a name is of, tables of hubs among them.
func (x *state) lookup(name string) []estate.Object {
	all := x.estate.Named(name)
	head, tail, _ := strings.Cut(name, "/")
	if h := x.estate.Hub(head); h != nil {
		for _, t := range h.Tables {
			if t.Name == tail {
				all = append(all, t)
			}
		}
	}
	return all
}

// around are the networks and hubs within which the words at a cursor are understood: the one that it is in, that of the workload, and those
// that stand as keys before it.
func (x *state) around(c *cursor) []string {
	var all []string
	if len(c.path) >= 2 {
		switch c.path[0] {
		case "networks", "hubs":
			all = append(all, c.path[1])
		case "workloads":
			for _, w := range x.estate.Plan.Workloads {
				if w.Name.Value == c.path[1] {
					network, _, _ := strings.Cut(w.In.Value, "/")
					all = append(all, network)
				}
			}
		case "sites":
			if s := x.estate.Site(c.path[1]); s != nil && s.Link != nil {
				all = append(all, s.Link.Name)
			}
		}
	}
	if n := len(c.path); n > 0 && (slices.Contains(c.path, "arrives") || slices.Contains(c.path, "tables") || slices.Contains(c.path, "attach")) {
		for _, word := range c.path[min(2, n):] {
			if x.estate.Network(word) != nil || x.estate.Hub(word) != nil {
				all = append(all, word)
			}
		}
	}
	return all
}

// cursor is where a question of an editor is asked.
func (s *server) cursor(p positionParams) (d document, k *kept, c *cursor, ok bool) {
	if d, k, ok = s.doc(p.TextDocument.URI); !ok {
		return d, k, nil, false
	}
	return d, k, cursorAt(d.lines, d.lines.spotOf(p.Position, s.encoding)), true
}

// locate is where a thing stands now; ok is false for what the plan does not write.
func (s *server) locate(k *kept, x *state, o estate.Object) (loc location, ok bool) {
	if !o.At().Known() {
		return location{}, false
	}
	return s.locateAt(k, x, o.At()), true
}

// locateAt is where what stood at a place of the plan as it was read stands now.
func (s *server) locateAt(k *kept, x *state, at text.Pos) location {
	path, where := x.extentOf(at, s.encoding)
	line, _ := k.lineNow(x, path, where.Start.Line)
	where.End.Line += line - where.Start.Line
	where.Start.Line = line
	uri, _ := s.called(k, path, x)
	return location{uri, where}
}

func (s *server) definition(ctx context.Context, p positionParams) ([]location, error) {
	_, k, c, ok := s.cursor(p)
	if !ok {
		return []location{}, nil
	}
	all := []location{}
	x := s.some(ctx, k)
	if x == nil {
		return all, nil
	}
	for _, o := range x.named(c) {
		if loc, ok := s.locate(k, x, o); ok && !slices.Contains(all, loc) {
			all = append(all, loc)
		}
	}
	if at := x.written(c); at.Known() {
		all = append(all, s.locateAt(k, x, at))
	}
	return all, nil
}

// written is where a region, a zone or a pattern is written that the word at a cursor names: what has a name and is no thing of the estate.
func (x *state) written(c *cursor) text.Pos {
	at, ok := plan.At(c.path)
	if word, _, _ := c.word(); ok && !c.key || c.element() {
		for _, r := range x.estate.Plan.Regions {
			if at.Key.Name == "region" && r.Name.Value == word {
				return r.Name.At
			}
			for _, z := range r.Zones {
				if (at.Key.Name == "zone" || at.Key.Name == "zones") && z.Value == word {
					return z.At
				}
			}
		}
		for _, p := range x.estate.Plan.Patterns {
			if at.Key.Name == "pattern" && p.Name.Value == word {
				return p.Name.At
			}
		}
	}
	return 0
}

// some is what is known of a plan, whenever that was; it waits where nothing is yet.
func (s *server) some(ctx context.Context, k *kept) *state {
	if x := k.now(); x != nil && !x.estate.Plan.Unread {
		return x
	}
	return s.settled(ctx, k, false)
}

// ownName is the name of a thing without that of what it is a part of.
func ownName(o estate.Object) string { return o.ID()[strings.LastIndex(o.ID(), "/")+1:] }

// mentions are the places in a file at which a thing is named, that of itself among them.
func (s *server) mentions(ctx context.Context, x *state, path string, o estate.Object) []extent {
	l, name := x.texts[path], ownName(o)
	var all []extent
	for n := range l {
		line := l.at(n)
		for at := 0; ctx.Err() == nil; {
			i := strings.Index(line[at:], name)
			if i < 0 {
				break
			}
			start := at + i
			at = start + len(name)
			if start > 0 && wordByte(line[start-1]) && line[start-1] != '/' || at < len(line) && wordByte(line[at]) && line[at] != '/' && line[at] != ':' {
				continue
			}
			c := cursorAt(l, spot{n, start})
			part := at < len(line) && line[at] == '/' && (start == 0 || line[start-1] != '/') && slices.Contains(x.estate.Named(name), o) && !c.comment
			if slices.Contains(x.named(c), o) || part { // a network is named with each of its parts
				all = append(all, extent{l.positionOf(spot{n, start}, s.encoding), l.positionOf(spot{n, at}, s.encoding)})
			}
		}
	}
	return all
}

func (s *server) references(ctx context.Context, p referenceParams) ([]location, error) {
	all := []location{}
	_, k, c, ok := s.cursor(p.positionParams)
	if !ok {
		return all, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil {
		return all, nil
	}
	objects := x.named(c)
	if len(objects) == 0 {
		return all, nil
	}
	o := objects[0]
	own, _ := s.locate(k, x, o)
	for _, f := range x.estate.Plan.Files.All() {
		uri, _ := s.called(k, f.Name, x)
		for _, where := range s.mentions(ctx, x, f.Name, o) {
			if loc := (location{uri, where}); p.Context.IncludeDeclaration || loc.URI != own.URI || loc.Range.Start != own.Range.Start {
				all = append(all, loc)
			}
		}
	}
	return all, nil
}

func (s *server) highlights(ctx context.Context, p positionParams) ([]highlight, error) {
	all := []highlight{}
	d, k, c, ok := s.cursor(p)
	if !ok {
		return all, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil || x.texts[d.path] == nil {
		return all, nil
	}
	objects := x.named(c)
	if len(objects) == 0 {
		return all, nil
	}
	for _, where := range s.mentions(ctx, x, d.path, objects[0]) {
		kind := 2 // read
		if loc, ok := s.locate(k, x, objects[0]); ok && loc.Range.Start == where.Start {
			kind = 3 // write
		}
		all = append(all, highlight{where, kind})
	}
	return all, nil
}

// spoken is the part of the word at a cursor that is the name of a thing.
func spoken(c *cursor, o estate.Object) (start, end int, ok bool) {
	word, from, _ := c.word()
	name := ownName(o)
	if i := strings.LastIndex(word, name); i >= 0 {
		return from + i, from + i + len(name), true
	}
	return 0, 0, false
}

func (s *server) prepareRename(ctx context.Context, p positionParams) (*extent, error) {
	d, k, c, ok := s.cursor(p)
	if !ok {
		return nil, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil {
		return nil, nil
	}
	if objects := x.named(c); len(objects) > 0 {
		if start, end, ok := spoken(c, objects[0]); ok {
			return &extent{d.lines.positionOf(spot{c.line, start}, s.encoding), d.lines.positionOf(spot{c.line, end}, s.encoding)}, nil
		}
	}
	return nil, nil
}

// rename calls a thing otherwise in all files of the plan. That nothing else changes is proved as the command does it.
func (s *server) rename(ctx context.Context, p renameParams) (*workspaceEdit, error) {
	_, k, c, ok := s.cursor(p.positionParams)
	if !ok {
		return nil, errors.New("this file is of no plan")
	}
	x := s.settled(ctx, k, false)
	if x == nil || len(x.broken) > 0 || x.estate.Plan.Unread {
		return nil, errors.New("the plan cannot be read as it is: end what is marked first")
	}
	objects := x.named(c)
	if len(objects) == 0 {
		return nil, errors.New("no name of the plan stands there")
	}
	if !utf8.ValidString(p.NewName) {
		return nil, errors.New("the new name is no text")
	}
	kind := objects[0].Kind()
	if kind == estate.SetKind {
		kind = estate.WorkloadKind
	}
	r, err := rename.Of(x.estate, rename.Request{Kind: string(kind), Name: objects[0].ID(), To: p.NewName})
	if err != nil {
		return nil, err
	}
	return s.difference(k, x, r.After.Plan.Files, nil)
}
