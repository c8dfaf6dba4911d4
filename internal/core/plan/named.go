package plan

import (
	"fmt"
	"runtime"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// This file reads things by their names.

// isName is nameForm, which 100,000 names are held against.
func isName(s string) bool {
	for i := range len(s) {
		c := s[i]
		if (c < 'a' || c > 'z') && (i == 0 || (c < '0' || c > '9') && c != '-') {
			return false
		}
	}
	return s != ""
}

// readNamed reads a mapping from names to things of one kind, in the order of the text. Those of a pattern come first:
// what has the name of one is read over it. Before each it calls shape, when that is not nil.
func readNamed[T any](d *decoder, n text.Node, fields []field[T], name func(*T) *Text, base []*T, shape func(*decoder, text.Node, *T)) []*T {
	based := map[string]*T{}
	for _, b := range base {
		based[name(b).Value] = b
	}
	n, entered := d.follow(n)
	defer d.leave(entered)
	entries := d.words(n, "a mapping from names")
	if d.named += len(entries); d.named > maxNamed {
		over := entries[max(0, len(entries)-(d.named-maxNamed))]
		d.report(over.key.At, tooMany, fmt.Sprintf("the plan names more than %d things", maxNamed), "split the estate into plans of their own")
		return nil
	}
	read := func(d *decoder, things []T, entries []entry) {
		for i, e := range entries {
			d.path = append(d.path, e.key.Value)
			d.checkName(e.key) // a thing with a bad name is read all the same, so that what names it is not reported too
			*name(&things[i]) = Text{phrase.Clip(e.key.Value), e.key.At}
			if len(e.key.Value) <= maxName {
				*name(&things[i]) = e.key
			}
			below := based[name(&things[i]).Value]
			if below != nil {
				under := *name(&things[i])
				things[i] = *below
				*name(&things[i]) = under
			}
			if shape != nil {
				shape(d, e.value, &things[i])
			}
			readMapOver(d, e.value, fields, &things[i], e.key.At, below != nil)
			d.path = d.path[:len(d.path)-1]
		}
	}
	things := make([]T, len(entries))
	if len(entries) < manyEntries || d.aliases > 0 || n.HasAliases() || !readSideBySide(d, things, entries, read) {
		entries = d.once(entries, repeated(entries))
		things = things[:len(entries)]
		read(d, things, entries)
	}
	all := make([]*T, 0, len(base)+len(things))
	at := make(map[string]int, len(base))
	for _, b := range base {
		at[name(b).Value] = len(all)
		all = append(all, b)
	}
	for i := range things {
		if j, over := at[name(&things[i]).Value]; over && len(base) > 0 {
			all[j] = &things[i]
			continue
		}
		all = append(all, &things[i])
	}
	return all
}

// readSideBySide reads parts of many entries side by side, while it looks for keys that stand twice. When there are any
// it reports false, and nothing has been read.
func readSideBySide[T any](d *decoder, things []T, entries []entry, read func(*decoder, []T, []entry)) bool {
	parts := make([]*decoder, runtime.GOMAXPROCS(0))
	var all sync.WaitGroup
	for i := range parts {
		parts[i] = &decoder{plan: d.plan, path: slices.Clone(d.path), flowsOf: map[string]flow.Set{}, filling: d.filling}
		from, to := i*len(entries)/len(parts), (i+1)*len(entries)/len(parts)
		all.Go(func() { read(parts[i], things[from:to], entries[from:to]) })
	}
	twice := repeated(entries)
	all.Wait()
	if len(twice) > 0 {
		clear(things)
		return false
	}
	for _, part := range parts {
		d.found.Take(&part.found)
	}
	return true
}

// named makes the read function of a field that holds named things.
func named[T, V any](part func(*T) *[]*V, fields []field[V], name func(*V) *Text) func(*decoder, text.Node, *T) {
	return func(d *decoder, n text.Node, into *T) {
		if _, whole := any(into).(*Plan); whole {
			*part(into) = joined(d, *part(into), readNamed(d, n, fields, name, nil, nil), name)
			return
		}
		*part(into) = readNamed(d, n, fields, name, *part(into), nil)
	}
}

// joined puts the things of another part of a plan behind those before, and reports names that stood there.
func joined[T any](d *decoder, had, more []*T, name func(*T) *Text) []*T {
	if len(had) == 0 {
		return more
	}
	first := make(map[string]text.Pos, len(had))
	for _, x := range had {
		first[name(x).Value] = name(x).At
	}
	for _, x := range more {
		if at, twice := first[name(x).Value]; twice {
			d.within(name(x).Value, func() {
				d.report(name(x).At, duplicateKey, fmt.Sprintf("%q stands in two parts of the plan, first at %s", phrase.Clip(name(x).Value), d.plan.Files.Where(at)), "keep one of the two")
			})
			continue
		}
		had = append(had, x)
	}
	return had
}

// checkName reports a word that cannot be a name.
func (d *decoder) checkName(name Text) {
	switch {
	case len(name.Value) > maxName:
		d.report(name.At, badName, fmt.Sprintf("a name has at most %d characters, and this one has %d", maxName, utf8.RuneCountInString(name.Value)), "write a shorter one")
	case reserved[name.Value]:
		d.report(name.At, reservedName, fmt.Sprintf("%q is a word of the plan and cannot be a name", name.Value), "choose another name")
	case !isName(name.Value):
		fix := "names are small letters, digits and dashes, and start with a letter"
		if better := tidyName(name.Value); isName(better) {
			fix += ": " + better
		}
		d.report(name.At, badName, fmt.Sprintf("%q cannot be a name", phrase.Clip(name.Value)), fix)
	}
}

func tidyName(s string) string {
	return strings.Trim(notInNames.ReplaceAllString(strings.ToLower(s), "-"), "-0123456789")
}
