package export

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
)

// TestEveryKey changes each key of a plan in turn: where a thing with a name is another, or is gone, its values are. What is behind keys
// that speak of packets alone, of the whole plan or of who expects what, is no value.
func TestEveryKey(t *testing.T) {
	no := []string{"routes", "learns", "attach", "pattern", "expect", "in", "out"}
	tried := map[string]bool{}
	try := func(before, after *estate.Estate, path text.Path, e text.Edit) {
		kinds := []string{"space", "dhcp", "networks", "workloads", "peerings", "hubs", "hub-links", "sites", "clusters"}
		if !slices.Contains(kinds, path[0]) || slices.ContainsFunc(path[min(2, len(path)):], func(word string) bool { return slices.Contains(no, word) }) {
			return
		}
		if path[len(path)-1] == "groups" && path[0] == "networks" || path[len(path)-1] == "lists" || slices.Contains(path, "lists") && path[0] == "networks" && len(path) > 4 {
			return // whose rules are no values
		}
		if len(path) == 4 && path[2] == "tables" && path[0] == "hubs" {
			return // of which nothing is to be known but its routes
		}
		tried[path[len(path)-1]] = true
		assert.NotEqual(t, Values(before), Values(after), "%s", e)
	}
	for _, name := range []string{"whole", "more", "coast", "lakes"} {
		estatetest.EveryKey(t, name, try)
	}
	for _, key := range []string{"slot", "spare", "growth", "knows", "exports", "attached", "labels", "profile", "mtu", "within"} {
		assert.True(t, tried[key], "%s is not tried", key)
	}
}
