package compare

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// TestEveryKey changes each key of a plan in turn: where what the plan says is another, something is told of it, and whoever the table of
// keys says that it touches, what opens and closes is what asking everybody finds.
func TestEveryKey(t *testing.T) {
	told := map[string]bool{}
	for _, name := range []string{"whole", "coast", "lakes"} {
		estatetest.EveryKey(t, name, func(before, after *estate.Estate, path text.Path, e text.Edit) {
			told[path[len(path)-1]] = true
			if path[0] == "networks" && path[2] != "profile" { // whose knobs are those of its cloud
				assert.NotEqual(t, whole(before), whole(after), "%s: %s: all of the network is written as it was", name, e)
			}
			d := diff(before, after)
			assert.NotEmpty(t, d.changes, "%s: %s", name, e)
			if name != "whole" && fuzz.Rounds(0, 1) == 0 {
				return // each takes a grid of its own
			}
			for was, is := range d.calls {
				before.Call(was, is)
			}
			some := grid.CompareIn(before, after, touchedBy(before, after, d).has)
			all := grid.CompareIn(before, after, func(string) bool { return true })
			assert.Equal(t, all, some, "%s: %s: whom it touches", name, e)
		})
	}
	for _, key := range []string{"subnets-in", "smallest", "max-peerings", "slot", "layout", "spare", "zones", "for", "labels", "attached", "only", "targets", "target-ports", "because", "until", "exports", "imports", "knows"} {
		assert.True(t, told[key], "%s is not tried", key)
	}
}

// whole is all of the networks, as they are written out.
func whole(e *estate.Estate) (all string) {
	for _, n := range e.Networks {
		all += n.Plan.Whole()
	}
	return all
}
