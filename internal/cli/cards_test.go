package cli

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/text"
)

// TestEveryKeyIsShown changes each key of a plan in turn: the card of some thing is another, or one is there no more.
func TestEveryKeyIsShown(t *testing.T) {
	cards := func(e *estate.Estate) (all []showOut) {
		for _, o := range e.Objects() {
			if k := cardOf(e, o); k != nil {
				all = append(all, cardsJSON([]*card{k}, e.Plan.Files))
			}
		}
		return all
	}
	tried := map[string]bool{}
	estatetest.EveryKey(t, "whole", func(before, after *estate.Estate, path text.Path, e text.Edit) {
		of := []string{"space", "networks", "workloads", "peerings", "hubs", "hub-links", "sites", "clusters"}
		if !slices.Contains(of, path[0]) || slices.Contains(path, "held") && len(path) > 4 || slices.Contains(path, "expect") {
			return // parts that are held have no card of their own
		}
		tried[path[len(path)-1]] = true
		assert.NotEqual(t, cards(before), cards(after), "%s", e)
	})
	for _, key := range []string{"slot", "spare", "growth", "layout", "exports", "target-ports", "labels"} {
		assert.True(t, tried[key], "%s is not tried", key)
	}
}
