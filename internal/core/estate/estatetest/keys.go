package estatetest

import (
	"fmt"
	"math/rand/v2"
	"strconv"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// others are words that may stand in the place of another, one of which can be read at most places.
var others = []string{"u", "s", "/49", "true", "false", "zone", "region", "plain", "zonal", "regional", "public", "outbound", "closed", "tiers", "zones", "one", "per-zone", "none", "west-b", "north-a", "west", "north", "pier", "quay", "g", "w", "door",
	"internet", "egress", "nat", "stateful", "blackhole", "front", "pair", "2031-11-30", "x", "{tier}-{slot}", "/25", "/27", "/17", "25%", "10.144.0.0/21", "10.144.9.0/24", "10.144.1.0/27", "10.212.0.0/15", "10.144.0.33", "203.0.113.33", "tcp/444", "udp from any", "udp to any",
	"deny udp from any", "allow tcp to any", "w reaches door on tcp/444", "wide-open", "depot", "192.168.0.0/16"}

// EveryKey takes each key and each element of a plan away in turn, and of the plans whole and more changes each value to some other: where the plan
// can still be read, it gives both estates to try, with the edit, and the path of what is changed.
func EveryKey(t testing.TB, name string, try func(before, after *estate.Estate, path text.Path, e text.Edit)) {
	t.Helper()
	content := Plan(t, name)
	before, _ := estate.Load(text.One("wendrik.yaml", content))
	root, found := text.One("wendrik.yaml", content).First().Value(nil)
	require.True(t, found)
	one := func(path text.Path, e text.Edit) bool {
		after, problems, err := before.With(text.Changes{{Edits: []text.Edit{e}}})
		if err != nil || len(problems) > len(before.Problems) {
			return false
		}
		if path[0] == "profile" && e.Remove && fmt.Sprintf("%+v", before.Profile) == fmt.Sprintf("%+v", after.Profile) {
			return true // it said what is so anyway
		}
		try(before, after, path, e)
		return true
	}
	var walk func(path text.Path, v text.Value)
	walk = func(path text.Path, v text.Value) {
		for _, f := range v.Fields() {
			at := path.To(f.Key)
			if len(f.Value.Fields())+len(f.Value.Items()) > 0 || f.Value.String() != "[]" && f.Value.String() != "{}" {
				one(at, text.Remove(path, f.Key))
			}
			if word, single := f.Value.Single(); single && (name == "whole" || name == "more") {
				words := others
				if n, err := strconv.Atoi(word); err == nil {
					words = []string{fmt.Sprint(n + 1)}
				}
				for _, other := range words {
					if other != word && one(at, text.Set(path, f.Key, text.Word(other))) {
						break
					}
				}
			}
			walk(at, f.Value)
		}
		for i, x := range v.Items() {
			at := path.To(fmt.Sprint(i + 1))
			one(path, text.RemoveNth(path, i+1))
			walk(at, x)
		}
	}
	walk(nil, root)
}

// AnyPart is an edit that takes a key or an element of a plan away, whichever, or changes a value to some other word.
func AnyPart(t testing.TB, content string, rng *rand.Rand) []text.Edit {
	t.Helper()
	var all []text.Edit
	var walk func(path text.Path, v text.Value)
	walk = func(path text.Path, v text.Value) {
		for _, f := range v.Fields() {
			all = append(all, text.Remove(path, f.Key))
			if _, single := f.Value.Single(); single {
				all = append(all, text.Set(path, f.Key, text.Word(others[rng.IntN(len(others))])))
			}
			walk(path.To(f.Key), f.Value)
		}
		for i, x := range v.Items() {
			all = append(all, text.RemoveNth(path, i+1))
			walk(path.To(fmt.Sprint(i+1)), x)
		}
	}
	root, found := text.One("p", content).First().Value(nil)
	require.True(t, found)
	walk(nil, root)
	return []text.Edit{all[rng.IntN(len(all))]}
}

// Half is a plan that can be read, of which some parts are taken away or are others, whichever; of a plan with a name, or of any of those that
// are written out by hand.
func Half(t testing.TB, rng *rand.Rand, name string) *estate.Estate {
	t.Helper()
	if name == "" {
		name = AnyPlan(rng)
	}
	whole := Plan(t, name)
	for {
		content := whole
		for range 1 + rng.IntN(5) {
			if less, _, err := text.One("wendrik.yaml", content).First().Apply(AnyPart(t, content, rng)); err == nil {
				content = less
			}
		}
		if e, problems := estate.Load(text.One("wendrik.yaml", content)); len(problems) == 0 {
			return e
		}
	}
}

// AnyPlan is the name of one of the plans that have much in them.
func AnyPlan(rng *rand.Rand) string {
	all := []string{"coast", "lakes", "more", "whole", "skerry-line", "tangle", "knot", "coil", "twins"}
	return all[rng.IntN(len(all))]
}
