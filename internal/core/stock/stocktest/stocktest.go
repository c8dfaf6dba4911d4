// Package stocktest changes things at random, for tests.
package stocktest

import (
	"maps"
	"math/rand/v2"
	"slices"

	"wendrik/internal/core/stock"
)

// Changed are things as somebody left them who changed some by hand: up to three are gone, with all that hangs on them, others are
// changed, one in so many, and routes are new. The same numbers give the same things.
func Changed(rng *rand.Rand, all []stock.Thing, oneIn int) []stock.Thing {
	gone := map[string]bool{}
	for range rng.IntN(4) {
		gone[all[rng.IntN(len(all))].Key()] = true
	}
	for was := -1; was < len(gone); {
		was = len(gone)
		for _, t := range all {
			for _, ref := range append(t.Refs(), stock.AlsoNeeds(&t)) {
				if gone[ref] {
					gone[t.Key()] = true
				}
			}
		}
	}
	var left []stock.Thing
	for _, t := range all {
		if gone[t.Key()] {
			continue
		}
		t.Props = maps.Clone(t.Props)
		if rng.IntN(oneIn) == 0 {
			change(&t)
		}
		left = append(left, t)
	}
	for _, t := range left {
		if t.Kind == stock.Table && rng.IntN(oneIn) == 0 {
			left = append(left, stock.Thing{Kind: stock.Route, Name: t.Name + " 192.0.2.0/24", Props: stock.Props{"table": t.Key(), "to": "192.0.2.0/24", "via": stock.Blackhole}})
		}
	}
	slices.SortStableFunc(left, stock.ByRank)
	return left
}

// change changes a thing as a person in a hurry would.
func change(t *stock.Thing) {
	switch t.Kind {
	case stock.Group:
		t.Props["in"] = append(slices.Clone(t.Props.Rules("in")), stock.Rule{Flows: "tcp/22", Range: "198.51.100.0/24"})
	case stock.List:
		t.Props["in"] = append([]stock.Rule{{Action: "deny", Flows: "udp", Range: "10.9.0.0/16"}}, t.Props.Rules("in")...)
	case stock.Route:
		t.Props["via"] = stock.Blackhole
	case stock.Workload:
		delete(t.Props, "listens")
		delete(t.Props, "groups")
		t.Owner = "tickets"
	case stock.Subnet:
		delete(t.Props, "table")
	case stock.Peering:
		delete(t.Props, "accepted")
	}
}
