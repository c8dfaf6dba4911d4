package cli_test

import (
	"flag"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/stock"
)

// kindsPage is the part of docs/driver.md that is made from the table of kinds.
func kindsPage() string {
	var b strings.Builder
	for i := range stock.Specs {
		spec := &stock.Specs[i]
		fmt.Fprintf(&b, "### %s\n\nIt is %s.\n\n| property | what it holds | form | |\n|---|---|---|---|\n", spec.Kind, spec.Doc)
		for k := range spec.Props {
			p := &spec.Props[k]
			var marks []string
			if p.Required {
				marks = append(marks, "needed")
			}
			if p.Fixed {
				marks = append(marks, "fixed")
			}
			fmt.Fprintf(&b, "| `%s` | %s | %s | %s |\n", p.Name, p.Doc, formOf(p), strings.Join(marks, ", "))
		}
		b.WriteString("\n")
	}
	return strings.TrimSpace(b.String()) + "\n"
}

// formOf is the form of a property, in words.
func formOf(p *stock.Prop) string {
	ids := func(kinds []stock.Kind) string {
		var words []string
		for _, k := range kinds {
			words = append(words, string(k))
		}
		return "id of a " + strings.Join(words, ", ")
	}
	word := "text"
	switch {
	case len(p.Enum) > 0:
		word = strings.Join(p.Enum, ", ")
	case p.Format == stock.Ranges:
		word = "range"
	case p.Format == stock.Addresses:
		word = "address"
	case p.Format == stock.Flows:
		word = "flows"
	case len(p.Of) > 0:
		word = ids(p.Of)
	}
	switch p.Shape {
	case stock.Flag:
		return "true or false"
	case stock.Words:
		if p.Ordered {
			return "list in order: " + word
		}
		return "list: " + word
	case stock.Pairs:
		if len(p.KeysOf) > 0 {
			return "object: " + ids(p.KeysOf) + " to " + word
		}
		return "object of texts"
	case stock.Rules:
		if p.Ordered {
			return "list of rules in order"
		}
		return "list of rules"
	}
	return word
}

// The page for people who write drivers has every kind and every property that the program has.
func TestDriverPage(t *testing.T) {
	t.Parallel()
	const file, mark = "../../docs/driver.md", "makes another in its place.\n\n"
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	head, _, found := strings.Cut(string(raw), mark)
	require.True(t, found)
	page := head + mark + kindsPage()
	if f := flag.Lookup("update"); f != nil && f.Value.String() == "true" {
		require.NoError(t, os.WriteFile(file, []byte(page), 0o644))
		return
	}
	assert.Equal(t, page, string(raw), "go test ./internal/cli -run TestDriverPage -update")
}
