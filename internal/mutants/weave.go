package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"go/types"
	"path/filepath"
	"slices"
	"sort"
	"strconv"
	"strings"
)

// woven is a package in which all of some mutants are, asleep: each function begins with the whole of it as each of
// its mutants has it, for when that one is awake. So one build serves for all, and a run is no more than the tests.
type woven struct {
	files   map[string]string // by the names of the files in whose place they stand
	mutants []*mutant
}

// switches is the file beside the others that knows which mutant is awake, and notes which are come by.
const switches = `package %s

import (
	mutantOS "os"
	mutantAtomic "sync/atomic"
	mutantStrconv "strconv"
)

var mutantAwake, mutantsSeen = func() (int, string) {
	n, err := mutantStrconv.Atoi(mutantOS.Getenv("MUTANT_AWAKE"))
	if err != nil {
		n = -1
	}
	return n, mutantOS.Getenv("MUTANTS_SEEN")
}()

var mutantSeen [%d]mutantAtomic.Bool

func mutantIs(n int) bool {
	if mutantsSeen != "" {
		mutantNote(n)
	}
	return n == mutantAwake
}

func mutantNote(n int) {
	if mutantSeen[n].Swap(true) {
		return
	}
	f, err := mutantOS.OpenFile(mutantsSeen, mutantOS.O_APPEND|mutantOS.O_CREATE|mutantOS.O_WRONLY, 0o600)
	if err != nil { // of a test that runs the program as somebody else
		return
	}
	f.WriteString(mutantStrconv.Itoa(n) + "\n")
	f.Close()
}

func mutantOf[T any](n int, broken, whole func() T) T {
	if mutantIs(n) {
		return broken()
	}
	return whole()
}
`

// weave puts mutants into a package, without those that would not compile.
func (c *code) weave(all []*mutant) (woven, error) {
	for {
		w, bad, err := c.try(all)
		if err != nil || len(bad) == 0 {
			return w, err
		}
		kept := all[:0:0]
		for _, m := range all {
			if !bad[m] {
				kept = append(kept, m)
			}
		}
		all = kept
	}
}

// region is where in a woven file the text of a mutant is.
type region struct {
	from, to int
	m        *mutant
}

func (c *code) try(all []*mutant) (woven, map[*mutant]bool, error) {
	w := woven{files: map[string]string{}, mutants: all}
	regions := map[string][]region{}
	fset := token.NewFileSet()
	var syntax []*ast.File
	parse := func(name, text string) error {
		f, err := parser.ParseFile(fset, name, text, parser.SkipObjectResolution)
		syntax = append(syntax, f)
		return err
	}
	bad := map[*mutant]bool{}
	for _, f := range c.files {
		text, places := c.weaveFile(f, all)
		w.files[f.name], regions[f.name] = text, places
		if err := parse(f.name, text); err != nil {
			for _, r := range places { // one that does not parse is found by itself
				if alone, _ := c.weaveFile(f, []*mutant{r.m}); !parses(alone) {
					bad[r.m] = true
				}
			}
			if len(bad) == 0 {
				return w, nil, err
			}
		}
	}
	if len(bad) > 0 {
		return w, bad, nil
	}
	beside := filepath.Join(c.dir, "mutant_switches.go")
	w.files[beside] = fmt.Sprintf(switches, c.files[0].syntax.Name.Name, len(all)+1)
	if err := parse(beside, w.files[beside]); err != nil {
		return w, nil, err
	}
	for _, err := range c.check(syntax, fset, nil) {
		at, is := err.(types.Error)
		if !is {
			return w, nil, err
		}
		p := fset.Position(at.Pos)
		places := regions[p.Filename]
		i := sort.Search(len(places), func(i int) bool { return places[i].from > p.Offset })
		if i == 0 || places[i-1].to < p.Offset {
			return w, nil, fmt.Errorf("the woven package does not compile: %w", err)
		}
		bad[places[i-1].m] = true
	}
	return w, bad, nil
}

func parses(text string) bool {
	_, err := parser.ParseFile(token.NewFileSet(), "", text, parser.SkipObjectResolution)
	return err == nil
}

// weaveFile gives the text of a file with its mutants in it, and where they are.
func (c *code) weaveFile(f *file, all []*mutant) (string, []region) {
	byRoot := map[ast.Node][]int{}
	for i, m := range all {
		if m.file == f {
			byRoot[m.root] = append(byRoot[m.root], i)
		}
	}
	var roots []ast.Node
	for r := range byRoot {
		roots = append(roots, r)
	}
	slices.SortFunc(roots, func(a, b ast.Node) int { return int(a.Pos() - b.Pos()) })
	var b strings.Builder
	var places []region
	done := 0
	put := func(m *mutant, text string) {
		places = append(places, region{b.Len(), b.Len() + len(text), m})
		b.WriteString(text)
	}
	for _, r := range roots {
		if d, is := r.(*ast.FuncDecl); is {
			from, to := c.span(d.Body)
			b.Write(f.text[done : from+1])
			done = from + 1
			for _, i := range byRoot[r] {
				fmt.Fprintf(&b, " if mutantIs(%d) {", i)
				put(all[i], patched(f, from+1, to-1, append(c.labels(d, i), all[i].edits...)))
				if d.Type.Results == nil {
					b.WriteString("\nreturn }\n")
				} else {
					b.WriteString("\npanic(\"no return\") }\n")
				}
			}
			continue
		}
		from, to := c.span(r)
		b.Write(f.text[done:from])
		done = to
		lazy := "func() " + c.typeIn(f, r.(ast.Expr)) + " { return "
		for _, i := range byRoot[r] {
			fmt.Fprintf(&b, "mutantOf(%d, ", i)
			put(all[i], lazy+patched(f, from, to, all[i].edits)+" }, "+lazy) // with the type, which may have no name here
		}
		b.Write(f.text[from:to])
		b.WriteString(strings.Repeat("})", len(byRoot[r])))
	}
	b.Write(f.text[done:])
	return b.String(), places
}

// typeIn writes the type of a value as its file would.
func (c *code) typeIn(f *file, value ast.Expr) string {
	return types.TypeString(types.Default(c.info.Types[value].Type), func(p *types.Package) string {
		if p.Path() == c.path {
			return ""
		}
		for _, i := range f.syntax.Imports {
			if path, _ := strconv.Unquote(i.Path.Value); path == p.Path() && i.Name != nil {
				return i.Name.Name
			}
		}
		return p.Name()
	})
}

// labels gives new names to the labels of a function, of which each copy of it needs its own.
func (c *code) labels(d *ast.FuncDecl, n int) (edits []edit) {
	ast.Inspect(d.Body, func(x ast.Node) bool {
		var label *ast.Ident
		switch x := x.(type) {
		case *ast.LabeledStmt:
			label = x.Label
		case *ast.BranchStmt:
			label = x.Label
		}
		if label != nil {
			_, to := c.span(label)
			edits = append(edits, edit{to, to, fmt.Sprintf("M%d", n)})
		}
		return true
	})
	return edits
}

// patched gives the bytes of a file from one offset to another with edits made in them. Of two edits that meet, the
// one that takes more away stays.
func patched(f *file, from, to int, edits []edit) string {
	edits = slices.Clone(edits)
	slices.SortStableFunc(edits, func(a, b edit) int {
		if a.from != b.from {
			return a.from - b.from
		}
		return b.to - a.to
	})
	var b strings.Builder
	for _, e := range edits {
		if e.from < from || e.to > to {
			continue
		}
		b.Write(f.text[from:e.from])
		b.WriteString(e.text)
		from = e.to
	}
	b.Write(f.text[from:to])
	return b.String()
}
