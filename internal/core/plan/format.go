package plan

import (
	_ "embed"
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/text"
)

// This file tells the format to people, from the tables that read it.

// whole is a plan with every key of the format, which the examples of keys are taken from.
//
//go:embed whole.yaml
var whole string

// Key is one key of the format.
type Key struct {
	Name     string
	Doc      string
	Takes    string // what may stand behind it, in words
	Required bool
	Choices  []string // the words of which it takes one; none where it takes others
	Names    []string // the kinds of things that its words name
	inside   string   // the kind of thing that its value holds, when that has keys of its own
	holds    holding
	affects  Affects
}

// holding is how a value holds things that have keys of their own, or words.
type holding int

const (
	itself  holding = iota // the value is one
	byName                 // a mapping whose keys are names
	inAList                // a list
)

// kinds are the tables of things that have keys, by the names that the schema has for them.
var kinds = map[string]func() []Key{
	"profile": func() []Key { return tell(profileFields) }, "block": func() []Key { return tell(blockFields) },
	"network": func() []Key { return tell(networkFields) }, "tier": func() []Key { return tell(tierFields) },
	"held": func() []Key { return tell(heldFields) }, "cluster": func() []Key { return tell(clusterFields) },
	"subnet": func() []Key { return tell(subnetFields) }, "gateway": func() []Key { return tell(gatewayFields) },
	"table": func() []Key { return tell(tableFields) }, "route": func() []Key { return tell(routeFields) }, "hub-route": func() []Key { return tell(hubRouteFields) },
	"group": func() []Key { return tell(groupFields) }, "list": func() []Key { return tell(listFields) },
	"workload": func() []Key { return tell(workloadFields) }, "peering": func() []Key { return tell(peeringFields) },
	"hub": func() []Key { return tell(hubFields) }, "hub-table": func() []Key { return tell(hubTableFields) },
	"attachment": func() []Key { return tell(attachmentFields) }, "hub-link": func() []Key { return tell(hubLinkFields) },
	"site": func() []Key { return tell(siteFields) }, "dhcp": func() []Key { return tell(dhcpFields) },
	"waiver": func() []Key { return tell(waiverFields) },
}

func tell[T any](fields []field[T]) []Key {
	var all []Key
	for _, f := range fields {
		all = append(all, Key{f.key, f.doc, takesOf(f.shape), f.required, choicesOf(f.shape), f.names, refOf(f.shape), holdingOf(f.shape), f.affects})
	}
	return all
}

// refOf is the kind of thing that a shape holds; empty for none.
func refOf(s shape) string {
	if name, is := s["$ref"].(string); is {
		return strings.TrimPrefix(name, "#/$defs/")
	}
	for _, part := range []string{"additionalProperties", "items"} {
		if inner, is := s[part].(shape); is {
			if name := refOf(inner); name != "" {
				return name
			}
		}
	}
	some, _ := s["oneOf"].([]shape)
	for _, inner := range some {
		if name := refOf(inner); name != "" {
			return name
		}
	}
	return ""
}

// choicesOf are the words of which a shape takes one; none where it takes others.
func choicesOf(s shape) []string {
	if words, is := s["enum"].([]string); is {
		return words
	}
	if fmt.Sprint(s["type"]) == "boolean" {
		return []string{"true", "false"}
	}
	some, _ := s["oneOf"].([]shape)
	for _, inner := range some {
		if words := choicesOf(inner); len(words) > 0 {
			return words
		}
	}
	return nil
}

// holdingOf is how a shape holds what is in it.
func holdingOf(s shape) holding {
	switch {
	case s["additionalProperties"] != nil && s["properties"] == nil:
		return byName
	case s["items"] != nil:
		return inAList
	}
	some, _ := s["oneOf"].([]shape)
	for _, inner := range some {
		if h := holdingOf(inner); h != itself {
			return h
		}
	}
	return itself
}

// A Spot is what the format has at a place of a plan.
type Spot struct {
	Format []string // the keys that lead there, without names and numbers of elements
	Key    Key      // the key that the place is the value of, or inside; the zero Key for the whole plan
	Keys   []Key    // the keys that a mapping there may have; none where its keys are names, or it is none
	Named  bool     // whether a mapping there has names for its keys
	List   bool     // whether a list may stand there
}

// At is what the format has at a place of a plan, which is written with all names, and numbers for elements; ok is false where the format
// has no such place.
func At(place text.Path) (at Spot, ok bool) {
	at = Spot{Keys: tell(planFields)}
	for i := 0; i < len(place); i++ {
		k := slices.IndexFunc(at.Keys, func(k Key) bool { return k.Name == place[i] })
		if k < 0 {
			return Spot{}, false
		}
		key, format := at.Keys[k], append(slices.Clip(at.Format), place[i])
		at = Spot{Format: format, Key: key, Named: key.holds == byName, List: key.holds == inAList}
		inner := func() []Key {
			switch {
			case key.Name == "patterns" && len(format) == 1:
				return kinds["network"]()
			case key.inside != "":
				return kinds[key.inside]()
			}
			return nil
		}
		switch {
		case key.holds == itself:
			at.Keys = inner()
		case i+1 < len(place): // a name, or the number of an element
			i++
			at.Keys, at.Named, at.List = inner(), false, false
		}
		if i+1 < len(place) && at.Keys == nil {
			return at, i+2 >= len(place) // an element of an element, as addresses have
		}
	}
	return at, true
}

// takesOf says what a shape takes, in words.
func takesOf(s shape) string {
	if name := refOf(shape{"$ref": s["$ref"]}); name != "" {
		return name
	}
	if words, is := s["enum"].([]string); is {
		return strings.Join(words, ", ")
	}
	if some, is := s["oneOf"].([]shape); is {
		var words []string
		for _, inner := range some {
			if items, list := inner["items"].(shape); list {
				words = append(words, "a list")
				_ = items
			} else if w := takesOf(inner); !slices.Contains(words, w) {
				words = append(words, w)
			}
		}
		return strings.Join(words, ", or ")
	}
	if inner, is := s["additionalProperties"].(shape); is {
		if name := refOf(inner); name != "" {
			return "names, each with the keys of a " + name
		}
		return "names, each with " + takesOf(inner)
	}
	for _, known := range []struct {
		words string
		shape shape
	}{{"a word", aWord}, {"a name", aName}, {"a number", aCount}, {"a number from 1", aPositive}, {"true or false", aFlag}, {"a size, such as /20", aSize},
		{"a range, such as 10.144.0.0/20", aRange}, {"a range or a name", aRangeOrName}, {"a percentage, such as 50%", aPercentage}, {"an address", anAddress}} {
		if s["pattern"] == known.shape["pattern"] && fmt.Sprint(s["type"]) == fmt.Sprint(known.shape["type"]) && s["minimum"] == known.shape["minimum"] {
			return known.words
		}
	}
	return "a list"
}

// Keys are the keys at a place of the format, written with dots and without names, such as networks.tiers; those of the
// plan itself for an empty path. At the end of the path may stand a single key, which is then all that is given. It
// reports whether there is such a place.
func Keys(path []string) (all []Key, one bool, found bool) {
	all = tell(planFields)
	for i, word := range path {
		at := slices.IndexFunc(all, func(k Key) bool { return k.Name == word })
		if at < 0 {
			return nil, false, false
		}
		k := all[at]
		if k.inside == "" {
			return []Key{k}, true, i == len(path)-1
		}
		if all = kinds[k.inside](); k.Name == "patterns" {
			all = kinds["network"]()
		}
	}
	return all, false, true
}

// Example is a piece of a plan that has a key, as it is written; empty where there is none.
func Example(path []string) string {
	f := text.One("whole.yaml", whole).First()
	tree, problem := f.Tree()
	if problem != nil || len(path) == 0 {
		return ""
	}
	from, to := spanOf(tree.Root(), path)
	if !from.Known() {
		return ""
	}
	var lines []string
	for n := from.Line(); n <= max(from.Line(), to.Line()); n++ {
		lines = append(lines, f.Line(n))
	}
	set := len(lines[0]) - len(strings.TrimLeft(lines[0], " "))
	for i := range lines {
		lines[i] = strings.TrimRight(lines[i][min(set, len(lines[i])):], " ")
	}
	return strings.TrimRight(strings.Join(lines, "\n"), "\n")
}

// spanOf finds the first key of a path below a node, through names and lists, and where what is behind it ends.
func spanOf(n text.Node, path []string) (from, to text.Pos) {
	switch n.Kind() {
	case text.MapKind:
		for k, v := range n.Entries() {
			if k.Value() == path[0] {
				if empty := v.Kind() == text.ListKind && v.Nodes() == 1; len(path) == 1 && !empty {
					return k.At(), lastOf(v, k.At())
				}
				if from, to = spanOf(v, path[1:]); from.Known() {
					return from, to
				}
			}
		}
		for _, near := range []bool{true, false} { // what has the key itself before what has it further inside
			for _, v := range n.Entries() {
				if near && !hasKey(v, path[0]) {
					continue
				}
				if from, to = spanOf(v, path); from.Known() {
					return from, to
				}
			}
		}
	case text.ListKind:
		for v := range n.Elements() {
			if from, to = spanOf(v, path); from.Known() {
				return from, to
			}
		}
	}
	return 0, 0
}

func hasKey(n text.Node, key string) bool {
	if n.Kind() != text.MapKind {
		return false
	}
	for k := range n.Entries() {
		if k.Value() == key {
			return true
		}
	}
	return false
}

// KeyAt is a key with its place in the format, written with dots.
type KeyAt struct {
	Path string
	Key
}

// AllKeys are the keys of the format, each at every place at which it may stand but inside of patterns, which have those of networks.
func AllKeys() []KeyAt {
	var all []KeyAt
	var walk func(path string, keys []Key)
	walk = func(path string, keys []Key) {
		for _, k := range keys {
			at := strings.TrimPrefix(path+"."+k.Name, ".")
			all = append(all, KeyAt{at, k})
			if k.inside != "" && k.Name != "patterns" {
				walk(at, kinds[k.inside]())
			}
		}
	}
	walk("", tell(planFields))
	return all
}
