// Package estatetest reads estates for the tests of what works on them.
package estatetest

import (
	"embed"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/examples"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// Load reads a plan of one file that must have no problem.
func Load(t testing.TB, content string) *estate.Estate {
	t.Helper()
	e, problems := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, problems, content)
	return e
}

//go:embed plans
var plans embed.FS

// Plan is the text of a plan that many tests ask: coast has one of nearly everything, lakes is of a cloud where routes install
// themselves, tangle, knot and coil were written at random and have many mistakes, fleet waits to be carved, whole and more have all keys, skerry-line is the shipped estate, and planned what becomes of it.
func Plan(t testing.TB, name string) string {
	t.Helper()
	if raw, err := plans.ReadFile("plans/" + name + ".yaml"); err == nil {
		return string(raw)
	}
	file := map[string]string{"skerry-line": "wendrik.yaml", "planned": "planned.yaml"}[name]
	require.NotEmpty(t, file, "there is no plan %s", name)
	raw, err := examples.SkerryLine.ReadFile("skerry-line/" + file)
	require.NoError(t, err)
	return string(raw)
}
