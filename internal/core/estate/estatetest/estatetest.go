// Package estatetest reads estates for the tests of what works on them.
package estatetest

import (
	"testing"

	"github.com/stretchr/testify/require"

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
