package compare

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// TestEveryKey changes each key of a plan in turn: where what the plan says is another, something is told of it, and whoever the table of
// keys says that it touches, what opens and closes is what asking everybody finds.
func TestEveryKey(t *testing.T) {
	told := map[string]bool{}
	for _, name := range []string{"whole", "more", "coast", "lakes"} {
		estatetest.EveryKey(t, name, func(before, after *estate.Estate, path text.Path, e text.Edit) {
			for _, word := range path {
				told[word] = true
			}
			if path[0] == "networks" && path[2] != "profile" { // whose knobs are those of its cloud
				assert.NotEqual(t, whole(before), whole(after), "%s: %s: all of the network is written as it was", name, e)
			}
			d := diff(before, after)
			assert.NotEmpty(t, d.changes, "%s: %s", name, e)
			if name != "whole" && name != "more" && fuzz.Rounds(0, 1) == 0 {
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
	var all func(path []string)
	all = func(path []string) {
		keys, one, _ := plan.Keys(path)
		if one || len(path) > 5 {
			return
		}
		for _, k := range keys {
			at := append(slices.Clone(path), k.Name)
			switch k.Name {
			case "wendrik", "parts", "patterns", "pattern", "between", "nat-serves", "serves": // of which nothing is told but what they hold, and what cannot be another alone
				continue
			}
			assert.True(t, told[k.Name], "%s is not tried: put it into one of the plans of estatetest", strings.Join(at, "."))
			all(at)
		}
	}
	all(nil)
}

// whole is all of the networks, as they are written out.
func whole(e *estate.Estate) (all string) {
	for _, n := range e.Networks {
		all += n.Plan.Whole()
	}
	return all
}
