package main

import (
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"slices"
	"strconv"
	"strings"
)

// mutant is one small mistake in a package, as a hurried colleague would make it.
type mutant struct {
	file  *file
	line  int
	place string   // the function or variable that it is in
	kind  string   // of mistake
	says  string   // what becomes of what
	nth   int      // of those that say the same in one place
	root  ast.Node // the *ast.FuncDecl, or the value of a variable, that is written again with the mistake
	edits []edit
}

// edit puts a text in the place of the bytes from one offset to another.
type edit struct {
	from, to int
	text     string
}

// key names the mutant wherever its file has moved to.
func (m *mutant) key() string {
	if m.nth > 1 {
		return fmt.Sprintf("%s: %s (%d)", m.place, m.says, m.nth)
	}
	return m.place + ": " + m.says
}

// maker finds all mutants of one function, or of one variable's value.
type maker struct {
	c     *code
	f     *file
	place string
	root  ast.Node
	found []*mutant
}

// mutants gives all of a package, in the order of its files.
func (c *code) mutants() []*mutant {
	var all []*mutant
	for _, f := range c.files {
		for _, d := range f.syntax.Decls {
			switch d := d.(type) {
			case *ast.FuncDecl:
				if d.Body != nil && d.Name.Name != "init" {
					m := maker{c: c, f: f, place: function(d), root: d}
					m.atOnce(d)
					m.walk(d.Body)
					all = append(all, m.found...)
				}
			case *ast.GenDecl:
				if d.Tok != token.VAR {
					continue
				}
				for _, s := range d.Specs {
					for i, v := range s.(*ast.ValueSpec).Values {
						if names := s.(*ast.ValueSpec).Names; len(names) == len(s.(*ast.ValueSpec).Values) {
							m := maker{c: c, f: f, place: names[i].Name, root: v}
							m.walk(v)
							all = append(all, m.found...)
						}
					}
				}
			}
		}
	}
	times := map[string]int{}
	for _, m := range all {
		times[m.key()]++
		m.nth = times[m.key()]
	}
	return all
}

func function(d *ast.FuncDecl) string {
	if d.Recv == nil || len(d.Recv.List) == 0 {
		return d.Name.Name
	}
	return strings.TrimPrefix(types.ExprString(d.Recv.List[0].Type), "*") + "." + d.Name.Name
}

func (m *maker) text(n ast.Node) string {
	from, to := m.c.span(n)
	return string(m.f.text[from:to])
}

// add notes a mutant in which a text takes the place of a node.
func (m *maker) add(kind string, n ast.Node, text string) {
	from, to := m.c.span(n)
	m.put(kind, n, short(m.text(n))+" → "+short(text), edit{from, to, text})
}

func (m *maker) put(kind string, at ast.Node, says string, edits ...edit) {
	m.found = append(m.found, &mutant{file: m.f, line: m.c.fset.Position(at.Pos()).Line, place: m.place, kind: kind, says: says, root: m.root, edits: edits})
}

// remove notes a mutant without a node.
func (m *maker) remove(kind string, n ast.Node) {
	from, to := m.c.span(n)
	m.put(kind, n, "without "+short(m.text(n)), edit{from, to, ""})
}

// swap notes a mutant in which two nodes have changed places.
func (m *maker) swap(kind string, at, a, b ast.Node) {
	ta, tb := m.text(a), m.text(b)
	if ta == tb {
		return
	}
	af, at1 := m.c.span(a)
	bf, bt := m.c.span(b)
	m.put(kind, at, short(ta)+" ↔ "+short(tb)+" in "+short(m.text(at)), edit{af, at1, tb}, edit{bf, bt, ta})
}

// short is a text in one line that is not long.
func short(s string) string {
	s = strings.Join(strings.Fields(s), " ")
	if r := []rune(s); len(r) > 70 {
		s = string(r[:45]) + " … " + string(r[len(r)-20:])
	}
	return s
}

// atOnce notes the mutant of a function that returns before it has done anything.
func (m *maker) atOnce(d *ast.FuncDecl) {
	if len(d.Body.List) == 0 {
		return
	}
	from, _ := m.c.span(d.Body)
	var b strings.Builder
	var names []string
	if d.Type.Results != nil {
		for _, f := range d.Type.Results.List {
			for range max(1, len(f.Names)) {
				names = append(names, fmt.Sprintf("nothing%d", len(names)))
				fmt.Fprintf(&b, "var %s %s; ", names[len(names)-1], m.text(f.Type))
			}
		}
	}
	fmt.Fprintf(&b, "if true { return %s }; ", strings.Join(names, ", "))
	m.put("returns at once", d.Body.List[0], "returns at once", edit{from + 1, from + 1, b.String()})
}

var compared = map[token.Token][]string{
	token.LSS: {"<=", ">="}, token.LEQ: {"<", ">"}, token.GTR: {">=", "<="}, token.GEQ: {">", "<"}, token.EQL: {"!="}, token.NEQ: {"=="},
}

var computed = map[token.Token]string{
	token.ADD: "-", token.SUB: "+", token.MUL: "/", token.QUO: "*", token.SHL: ">>", token.SHR: "<<", token.AND: "|", token.OR: "&", token.AND_NOT: "&",
}

// pairs are words of names one of which is easily taken for the other.
var pairs = [][2]string{
	{"In", "Out"}, {"From", "To"}, {"First", "Last"}, {"Used", "Held"}, {"Used", "Free"}, {"Src", "Dst"}, {"Left", "Right"}, {"V4", "V6"}, {"4", "6"}, {"Old", "New"}, {"Before", "After"},
	{"Opens", "Closes"}, {"Opened", "Closed"}, {"Added", "Removed"}, {"Min", "Max"}, {"Lo", "Hi"}, {"Low", "High"}, {"Start", "End"}, {"A", "B"}, {"There", "Back"}, {"Near", "Far"}, {"Private", "Public"},
	{"Exports", "Imports"}, {"Allow", "Deny"}, {"Source", "Destination"}, {"Next", "Prev"}, {"Width", "Height"}, {"X", "Y"}, {"W", "H"}, {"Contains", "Overlaps"}, {"Union", "Intersect"}, {"Union", "Minus"},
	{"Has", "Is"}, {"Network", "Subnet"}, {"Group", "List"}, {"Add", "Remove"}, {"Opening", "Closing"}, {"Missing", "Extra"}, {"Want", "Have"}, {"Wanted", "Given"}, {"Top", "Bottom"}, {"Prefix", "Suffix"},
}

// partners gives the names that a name becomes when one word of it is taken for the other of its pair.
func partners(name string) []string {
	var found []string
	words := camel(name)
	for i, w := range words {
		for _, p := range pairs {
			for side := range 2 {
				var other string
				switch w {
				case p[side]:
					other = p[1-side]
				case strings.ToLower(p[side]):
					other = strings.ToLower(p[1-side])
				default:
					continue
				}
				changed := slices.Clone(words)
				changed[i] = other
				found = append(found, strings.Join(changed, ""))
			}
		}
	}
	return found
}

// camel splits a name before its capitals and digits.
func camel(name string) []string {
	var words []string
	start := 0
	for i, r := range name {
		if i > start && (r >= 'A' && r <= 'Z' || r >= '0' && r <= '9') {
			words = append(words, name[start:i])
			start = i
		}
	}
	return append(words, name[start:])
}

// walk notes the mutants of all that is below a node.
func (m *maker) walk(root ast.Node) {
	ast.Inspect(root, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.BinaryExpr:
			m.binary(n)
		case *ast.UnaryExpr:
			if n.Op == token.NOT {
				m.add("condition turned", n, m.text(n.X))
			}
		case *ast.IfStmt:
			kind := "condition forgotten"
			if c, ok := n.Cond.(*ast.BinaryExpr); ok && c.Op == token.NEQ && m.text(c.Y) == "nil" && m.isError(c.X) {
				kind = "error passed over"
			} else {
				m.add(kind, n.Cond, "("+m.text(n.Cond)+") || true")
			}
			m.add(kind, n.Cond, "("+m.text(n.Cond)+") && false")
		case *ast.ForStmt:
			m.onlyFirst(n.Body)
		case *ast.RangeStmt:
			m.onlyFirst(n.Body)
		case *ast.CaseClause:
			m.clause(n)
		case *ast.CompositeLit:
			m.literal(n)
		case *ast.CallExpr:
			if f, is := n.Fun.(*ast.Ident); is && f.Name == "make" {
				return false // room to begin with
			}
			m.call(n)
		case *ast.ReturnStmt:
			m.results(n)
			if m.fails(n) {
				for _, x := range n.Results {
					if _, constant := x.(*ast.BasicLit); !constant {
						m.walk(x)
					}
				}
				return false
			}
		case *ast.ExprStmt:
			if _, is := n.X.(*ast.CallExpr); is && !strings.HasPrefix(m.text(n), "panic(") {
				m.remove("statement forgotten", n)
			}
		case *ast.AssignStmt:
			if n.Tok != token.DEFINE {
				m.remove("statement forgotten", n)
			}
		case *ast.IncDecStmt, *ast.DeferStmt:
			m.remove("statement forgotten", n)
		case *ast.BranchStmt:
			if n.Label == nil && n.Tok == token.CONTINUE {
				m.add("branch", n, "break")
				m.remove("branch", n)
			} else if n.Label == nil && n.Tok == token.BREAK {
				m.add("branch", n, "continue")
			}
		case *ast.Ident:
			m.name(n)
		case *ast.BasicLit:
			m.constant(n)
		case *ast.FuncLit:
			return true
		}
		return true
	})
}

func (m *maker) isError(x ast.Expr) bool {
	t := m.c.info.Types[x].Type
	return t != nil && t.String() == "error"
}

func (m *maker) binary(n *ast.BinaryExpr) {
	if m.c.info.Types[n].Value != nil {
		return // a constant
	}
	from := m.c.fset.Position(n.OpPos).Offset
	turn := func(kind, op string) {
		m.put(kind, n, short(m.text(n))+" → "+op, edit{from, from + len(n.Op.String()), op})
	}
	for _, op := range compared[n.Op] {
		if m.text(n.Y) == "nil" && m.isError(n.X) {
			break // as an error passed over
		}
		turn("comparison", op)
	}
	switch n.Op {
	case token.LAND, token.LOR:
		turn("and, or", map[token.Token]string{token.LAND: "||", token.LOR: "&&"}[n.Op])
		m.add("part of a condition forgotten", n, m.text(n.X))
		m.add("part of a condition forgotten", n, m.text(n.Y))
	default:
		if b, ok := m.c.info.Types[n].Type.Underlying().(*types.Basic); ok && b.Info()&types.IsNumeric != 0 && computed[n.Op] != "" {
			turn("arithmetic", computed[n.Op])
		}
	}
}

// onlyFirst notes the loop that ends after its first round.
func (m *maker) onlyFirst(body *ast.BlockStmt) {
	if len(body.List) == 0 {
		return
	}
	switch last := body.List[len(body.List)-1].(type) {
	case *ast.ReturnStmt, *ast.BranchStmt:
		return
	default:
		_, to := m.c.span(body)
		m.put("the first alone", last, "the loop ends after its first round, "+short(m.text(last)), edit{to - 1, to - 1, "; break\n"})
	}
}

// clause notes a case, and each member of a case, that is left out of its switch.
func (m *maker) clause(n *ast.CaseClause) {
	m.remove("case left out", n)
	if len(n.List) > 1 {
		for i := range n.List {
			m.leave("case left out", n, n.List, i)
		}
	}
}

// leave notes a list without one of its members.
func (m *maker) leave(kind string, in ast.Node, list []ast.Expr, i int) {
	from, to := m.c.span(list[i])
	switch {
	case i+1 < len(list):
		to, _ = m.c.span(list[i+1])
	case i > 0:
		_, from = m.c.span(list[i-1])
	}
	m.put(kind, list[i], "without "+short(m.text(list[i])), edit{from, to, ""})
}

func (m *maker) literal(n *ast.CompositeLit) {
	for i, e := range n.Elts {
		if kv, is := e.(*ast.KeyValueExpr); is && m.text(kv.Value) == "nil" {
			continue
		}
		if _, is := e.(*ast.KeyValueExpr); !is {
			if _, fields := m.c.info.Types[n].Type.Underlying().(*types.Struct); fields {
				continue // values in order: one cannot be left out
			}
		}
		m.leave("entry left out", n, n.Elts, i)
	}
}

func (m *maker) call(n *ast.CallExpr) {
	name := m.text(n.Fun)
	switch name {
	case "slices.Equal", "maps.Equal", "bytes.Equal":
		return // the same both ways round
	case "slices.Clone", "maps.Clone", "bytes.Clone":
		m.add("clone left out", n, m.text(n.Args[0]))
	case "min", "max":
		m.add("other of a pair", n.Fun, map[string]string{"min": "max", "max": "min"}[name])
		return
	}
	if s, is := n.Fun.(*ast.SelectorExpr); is && s.Sel.Name == "Clone" && len(n.Args) == 0 {
		m.add("clone left out", n, m.text(s.X))
	}
	if symmetric[called(n)] {
		return
	}
	for i := 1; i < len(n.Args); i++ {
		a, b := m.c.info.Types[n.Args[i-1]].Type, m.c.info.Types[n.Args[i]].Type
		if a != nil && b != nil && types.Identical(types.Default(a), types.Default(b)) {
			m.swap("swapped", n, n.Args[i-1], n.Args[i])
		}
	}
}

// symmetric are functions of this module and of the library to which the order of two arguments is nothing.
var symmetric = map[string]bool{"meet": true, "join": true, "Equal": true, "EqualFold": true, "SameFile": true}

// called is the last word of what is called.
func called(n *ast.CallExpr) string {
	switch f := n.Fun.(type) {
	case *ast.Ident:
		return f.Name
	case *ast.SelectorExpr:
		return f.Sel.Name
	}
	return ""
}

func (m *maker) results(n *ast.ReturnStmt) {
	for i := 1; i < len(n.Results); i++ {
		a, b := m.c.info.Types[n.Results[i-1]].Type, m.c.info.Types[n.Results[i]].Type
		if a != nil && b != nil && types.Identical(a, b) {
			m.swap("swapped", n, n.Results[i-1], n.Results[i])
		}
	}
	if m.fails(n) {
		m.add("error passed over", n.Results[len(n.Results)-1], "error(nil)")
	}
}

// fails says whether a function returns an error, and so nothing else that counts.
func (m *maker) fails(n *ast.ReturnStmt) bool {
	if len(n.Results) == 0 {
		return false
	}
	last := n.Results[len(n.Results)-1]
	return m.isError(last) && m.text(last) != "nil"
}

// name notes names that are taken for the other of their pair, and constants that are taken for the next of their kind.
func (m *maker) name(n *ast.Ident) {
	switch n.Name {
	case "true":
		m.add("true, false", n, "false")
		return
	case "false":
		m.add("true, false", n, "true")
		return
	}
	o := m.c.info.Uses[n]
	if o == nil {
		return
	}
	for _, other := range partners(n.Name) {
		m.add("other of a pair", n, other)
	}
	k, is := o.(*types.Const)
	if named, has := o.Type().(*types.Named); is && has && k.Parent() == k.Pkg().Scope() {
		var kinds []string
		for _, name := range k.Pkg().Scope().Names() {
			if c, is := k.Pkg().Scope().Lookup(name).(*types.Const); is && types.Identical(c.Type(), named) && (c.Exported() || c.Pkg().Path() == m.c.path) {
				kinds = append(kinds, name)
			}
		}
		if i := slices.Index(kinds, n.Name); len(kinds) > 1 && i >= 0 {
			m.add("another kind", n, kinds[(i+1)%len(kinds)])
		}
	}
}

func (m *maker) constant(n *ast.BasicLit) {
	switch n.Kind {
	case token.INT:
		if v, err := strconv.ParseInt(n.Value, 0, 63); err == nil {
			switch v {
			case 0:
				m.add("number", n, "1")
			case 1:
				m.add("number", n, "0")
			default:
				m.add("number", n, strconv.FormatInt(v+1, 10))
			}
		}
	case token.STRING:
		if word, err := strconv.Unquote(n.Value); err == nil {
			for _, other := range partners(word) {
				m.add("other of a pair", n, strconv.Quote(other))
			}
		}
	}
}
