package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"go/ast"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
)

// code is one package: its files as they stand, and what their names mean.
type code struct {
	path, dir string
	files     []*file
	info      *types.Info
	fset      *token.FileSet
	exports   map[string]string // the compiled packages that it imports, by path
	imports   types.Importer
}

// file is one file of a package that is no test.
type file struct {
	name   string // with its folder
	text   []byte
	syntax *ast.File
}

// needed is what a woven package imports beside what it did before.
var needed = []string{"os", "strconv", "sync/atomic"}

// load reads the packages that the patterns of the go command name and that have tests.
func load(patterns []string) ([]*code, error) {
	args := slices.Concat([]string{"list", "-deps", "-export", "-json=ImportPath,Dir,Export,GoFiles,TestGoFiles,XTestGoFiles,DepOnly"}, needed, patterns)
	out, err := exec.Command("go", args...).Output()
	if err != nil {
		var failed *exec.ExitError
		if errors.As(err, &failed) {
			return nil, fmt.Errorf("go list: %s", bytes.TrimSpace(failed.Stderr))
		}
		return nil, err
	}
	var found []*code
	exports := map[string]string{}
	for in := json.NewDecoder(bytes.NewReader(out)); ; {
		var p struct {
			ImportPath, Dir, Export            string
			GoFiles, TestGoFiles, XTestGoFiles []string
			DepOnly                            bool
		}
		if err := in.Decode(&p); err == io.EOF {
			break
		} else if err != nil {
			return nil, err
		}
		exports[p.ImportPath] = p.Export
		if p.DepOnly || slices.Contains(needed, p.ImportPath) || len(p.TestGoFiles)+len(p.XTestGoFiles) == 0 {
			continue
		}
		c := &code{path: p.ImportPath, dir: p.Dir, fset: token.NewFileSet(), exports: exports}
		for _, name := range p.GoFiles {
			c.files = append(c.files, &file{name: filepath.Join(p.Dir, name)})
		}
		found = append(found, c)
	}
	for _, c := range found {
		if err := c.read(); err != nil {
			return nil, err
		}
	}
	return found, nil
}

func (c *code) read() error {
	var syntax []*ast.File
	for _, f := range c.files {
		var err error
		if f.text, err = os.ReadFile(f.name); err != nil {
			return err
		}
		if f.syntax, err = parser.ParseFile(c.fset, f.name, f.text, parser.ParseComments); err != nil {
			return err
		}
		syntax = append(syntax, f.syntax)
	}
	c.imports = importer.ForCompiler(c.fset, "gc", func(path string) (io.ReadCloser, error) {
		return os.Open(c.exports[path])
	})
	c.info = &types.Info{Types: map[ast.Expr]types.TypeAndValue{}, Uses: map[*ast.Ident]types.Object{}, Defs: map[*ast.Ident]types.Object{}}
	return errors.Join(c.check(syntax, c.fset, c.info)...)
}

// check gives the errors of types in files.
func (c *code) check(files []*ast.File, fset *token.FileSet, info *types.Info) (wrong []error) {
	config := types.Config{Importer: c.imports, Error: func(err error) { wrong = append(wrong, err) }}
	_, _ = config.Check(c.path, fset, files, info) // its error is the first of those
	return wrong
}

// span is where a piece of a file begins and ends, in bytes.
func (c *code) span(n ast.Node) (from, to int) {
	return c.fset.Position(n.Pos()).Offset, c.fset.Position(n.End()).Offset
}
