package cli_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAssurances: what is said in the colour of good news is an assurance of the table, or no sentence; and the test that each names is
// there.
func TestAssurances(t *testing.T) {
	t.Parallel()
	files, err := filepath.Glob("*.go")
	require.NoError(t, err)
	promise := regexp.MustCompile(`(?i)\b(nothing|never|no|all|every|none|same|true)\b`)
	harmless := map[string]bool{"there is no run to take back": true} // of a run, not of a plan
	for _, file := range files {
		if strings.HasSuffix(file, "_test.go") || file == "assurances.go" {
			continue
		}
		tree, err := parser.ParseFile(token.NewFileSet(), file, nil, 0)
		require.NoError(t, err)
		ast.Inspect(tree, func(n ast.Node) bool {
			call, is := n.(*ast.CallExpr)
			if !is || len(call.Args) == 0 {
				return true
			}
			method, is := call.Fun.(*ast.SelectorExpr)
			if !is || !strings.HasPrefix(method.Sel.Name, "Sprint") {
				return true
			}
			if colour, is := method.X.(*ast.Ident); !is || colour.Name != "fine" {
				return true
			}
			if text, is := call.Args[0].(*ast.BasicLit); is && !harmless[strings.Trim(text.Value, "\"")] {
				assert.False(t, promise.MatchString(text.Value), "%s: %s promises something, and stands in no line of assurances.go", file, text.Value)
			}
			return true
		})
	}
	page, err := os.ReadFile("../../docs/assurances.md")
	require.NoError(t, err)
	named := regexp.MustCompile(`(Test\w+) in internal/([\w/]+)`).FindAllStringSubmatch(string(page), -1)
	require.Greater(t, len(named), 20)
	for _, x := range named {
		tests, err := filepath.Glob(filepath.Join("..", x[2], "*_test.go"))
		require.NoError(t, err)
		found := false
		for _, file := range tests {
			raw, err := os.ReadFile(file)
			require.NoError(t, err)
			found = found || strings.Contains(string(raw), "func "+x[1]+"(")
		}
		assert.True(t, found, "%s is no test of %s", x[1], x[2])
	}
}

// TestEveryAssuranceIsListed: none is said that the page and the help have not.
func TestEveryAssuranceIsListed(t *testing.T) {
	t.Parallel()
	tree, err := parser.ParseFile(token.NewFileSet(), "assurances.go", nil, 0)
	require.NoError(t, err)
	var said, listed []string
	ast.Inspect(tree, func(n ast.Node) bool {
		spec, is := n.(*ast.ValueSpec)
		if !is || len(spec.Values) != 1 {
			return true
		}
		switch value := spec.Values[0].(type) {
		case *ast.UnaryExpr: // &assurance{…}
			said = append(said, spec.Names[0].Name)
		case *ast.CompositeLit: // the list
			for _, e := range value.Elts {
				listed = append(listed, e.(*ast.Ident).Name)
			}
		}
		return true
	})
	require.Greater(t, len(said), 20)
	assert.ElementsMatch(t, said, listed)
}
