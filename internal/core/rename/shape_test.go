package rename

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
)

// nameless are the keys that name nothing of the plan, or what cannot be renamed, as zones; lines of waive are held by what they silence.
var nameless = strings.Fields(`estate labels-required labels-ignored scope regions region zones owner held slot layout nat labels access hosts growth spare size size6
	for keep listens target-ports waive fixed domain mtu`)

// TestShapeSeesEveryKey changes each key of two plans in turn, and takes away what stands there: what a plan is bound to is told otherwise then,
// but for what names nothing.
func TestShapeSeesEveryKey(t *testing.T) {
	self := func(s string) string { return s }
	seen := 0
	for _, name := range []string{"whole", "more"} {
		estatetest.EveryKey(t, name, func(before, after *estate.Estate, path text.Path, e text.Edit) {
			was, is := (&shape{say: self}).of(before), (&shape{say: self}).of(after)
			if path.String() != "out" && !slices.ContainsFunc(path, func(word string) bool { return slices.Contains(nameless, word) }) {
				seen++
				assert.NotEqual(t, was, is, "%s: %s: %s", name, path, e)
			}
			assert.Equal(t, was, (&shape{say: self}).of(before), "it is told alike each time")
		})
	}
	assert.Greater(t, seen, 150)
}
