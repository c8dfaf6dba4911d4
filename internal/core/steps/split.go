package steps

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/text"
)

// This file splits the difference of two texts into things that a person or a script does one by one.

// parts are the mappings inside a thing of a plan whose entries are things themselves, by where the thing stands.
var parts = map[string][]string{
	"networks": {"tiers", "held", "subnets", "gateways", "tables", "groups", "lists"},
	"hubs":     {"attach", "tables"},
}

// split breaks an edit that writes a whole thing into those that write it without its parts, and then each of these: so that each
// is one thing to do.
func split(e text.Edit) []text.Edit {
	fields := e.Value.Fields()
	if e.Remove || e.Key == "" || len(fields) == 0 {
		return []text.Edit{e}
	}
	path := e.Path.To(e.Key)
	each := func() []text.Edit { // a mapping of things, one for each
		var all []text.Edit
		for _, f := range fields {
			all = append(all, split(text.Set(path, f.Key, f.Value))...)
		}
		return all
	}
	switch {
	case len(path) == 1 && (path[0] != "profile" && path[0] != "regions"), len(path) == 3 && slices.Contains(parts[path[0]], path[2]):
		return each()
	case len(path) == 2 && len(parts[path[0]]) > 0:
		return apart(e, path, func(f text.Field) bool { return slices.Contains(parts[path[0]], f.Key) })
	case len(path) == 2 && (path[0] == "peerings" || path[0] == "hub-links"):
		return apart(e, path, func(f text.Field) bool { return f.Key == "accepted" })
	case len(path) == 2 && path[0] == "sites":
		return apart(e, path, func(f text.Field) bool { return f.Key == "link" })
	case len(path) == 4 && path[2] == "tables" && path[0] == "networks":
		return apart(e, path, func(f text.Field) bool { return f.Key == "subnets" || f.Key == "routes" })
	case len(path) == 4 && path[2] == "tables" && path[0] == "hubs":
		return apart(e, path, func(f text.Field) bool { return f.Key == "learns" || f.Key == "routes" })
	case len(path) == 4 && path[2] == "groups":
		return apart(e, path, func(f text.Field) bool { return f.Key == "in" || f.Key == "out" })
	case len(path) == 4 && path[2] == "lists":
		return apart(e, path, func(f text.Field) bool { return f.Key == "subnets" })
	}
	return []text.Edit{e}
}

// apart writes a thing without some of its fields, and these behind it: a mapping entry by entry, a list element by element.
func apart(e text.Edit, path text.Path, inner func(text.Field) bool) []text.Edit {
	var own []text.Field
	var rest []text.Edit
	for _, f := range e.Value.Fields() {
		if !inner(f) {
			own = append(own, f)
			continue
		}
		switch {
		case len(f.Value.Fields()) > 0:
			rest = append(rest, split(text.Set(path, f.Key, f.Value))...)
		case len(f.Value.Items()) > 0:
			for _, x := range f.Value.Items() {
				rest = append(rest, text.Add(path.To(f.Key), x))
			}
		default:
			if word, single := f.Value.Single(); single && word != "" && f.Key != "link" {
				rest = append(rest, text.Add(path.To(f.Key), f.Value)) // which stands for a list of one
			} else if single {
				rest = append(rest, text.Set(path, f.Key, f.Value))
			} else {
				own = append(own, f) // an empty list
			}
		}
	}
	for _, key := range []string{"routes", "subnets"} { // what a table must have, be it empty
		if path[len(path)-2] == "tables" && path[0] == "networks" && slices.ContainsFunc(rest, func(x text.Edit) bool { return x.Path[len(x.Path)-1] == key }) {
			own = append(own, text.Field{Key: key, Value: text.List()})
		}
	}
	if len(path) == 4 && path[2] == "lists" && slices.ContainsFunc(rest, func(x text.Edit) bool { return x.Path[len(x.Path)-1] == "subnets" }) {
		own = append(own, text.Field{Key: "subnets", Value: text.List()})
	}
	whole := e
	whole.Value = text.Map(own...)
	return append([]text.Edit{whole}, rest...)
}

// together merges edits that are made at once: a subnet that goes from one table or list to another, and a route that takes the place of
// another one to the same destination.
func together(edits []text.Edit, word func(text.Edit) string, element func(text.Edit) text.Value) [][]text.Edit {
	taken := make([]bool, len(edits))
	var all [][]text.Edit
	for i, e := range edits {
		if taken[i] {
			continue
		}
		one := []text.Edit{e}
		if kind, network := assignment(e); kind != "" {
			for k := i + 1; k < len(edits); k++ {
				o := edits[k]
				if other, at := assignment(o); !taken[k] && other == kind && at == network && o.Remove != e.Remove && word(o) == word(e) && !slices.Equal(o.Path, e.Path) {
					one = append(one, o)
					taken[k] = true
				}
			}
		}
		if to := routeTo(e, element); to != "" {
			for k := i + 1; k < len(edits) && len(one) == 1; k++ {
				if o := edits[k]; !taken[k] && o.Remove != e.Remove && slices.Equal(o.Path, e.Path) && routeTo(o, element) == to {
					one = append(one, o)
					taken[k] = true
				}
			}
		}
		all = append(all, one)
	}
	return all
}

// routeTo is where a route leads that an edit adds to a table or takes out of it, and for whom; empty for another edit.
func routeTo(e text.Edit, element func(text.Edit) text.Value) string {
	if e.Key != "" || e.Put || len(e.Path) == 0 || e.Path[len(e.Path)-1] != "routes" {
		return ""
	}
	to, only := "", ""
	for _, f := range element(e).Fields() {
		switch word, _ := f.Value.Single(); f.Key {
		case "to":
			to = word
		case "only":
			only = word
		}
	}
	if to == "" {
		return ""
	}
	return to + " " + only
}

// assignment reports whether an edit gives a subnet a table or list, or takes that away: of which kind, and in which network.
func assignment(e text.Edit) (kind, network string) {
	if len(e.Path) == 5 && e.Path[0] == "networks" && (e.Path[2] == "tables" || e.Path[2] == "lists") && e.Path[4] == "subnets" && e.Key == "" && !e.Put {
		return e.Path[2], e.Path[1]
	}
	return "", ""
}

// What a step does, by where its first edit is: the kind of thing, its name, and when it comes among those that are made.
func describe(e text.Edit) (kind, name string, rank int) {
	p := e.Path
	if e.Key != "" {
		p = p.To(e.Key)
	}
	at := func(i int) string {
		if i < len(p) {
			return p[i]
		}
		return ""
	}
	switch p[0] {
	case "space":
		return "block", at(1), 1
	case "regions":
		return "region", at(1), 0
	case "dhcp":
		return "dhcp options", at(1), 15
	case "sites":
		if at(2) == "link" {
			return "link of site", at(1), 9
		}
		if at(2) == "knows" {
			return "what a site knows", at(1), 9
		}
		return "site", at(1), 4
	case "clusters":
		return "cluster", at(1), 12
	case "workloads":
		return "workload", at(1), 14
	case "peerings":
		if at(2) == "accepted" {
			return "accepting a peering", at(1), 8
		}
		return "peering", at(1), 6
	case "hub-links":
		if at(2) == "accepted" {
			return "accepting a hub link", at(1), 8
		}
		return "hub link", at(1), 7
	case "hubs":
		switch at(2) {
		case "attach":
			return "attachment", at(1) + "/" + at(3), 7
		case "tables":
			if len(p) > 4 {
				return "hub route", at(1) + "/" + at(3), 9
			}
			return "hub table", at(1) + "/" + at(3), 6
		}
		return "hub", at(1), 5
	case "expect", "waive":
		return "line of " + p[0], "", 30
	case "networks":
		inside := at(1) + "/" + at(3)
		switch at(2) {
		case "tiers":
			return "tier", inside, 3
		case "held":
			return "held part", inside, 4
		case "subnets":
			return "subnet", inside, 4
		case "gateways":
			return "gateway", inside, 6
		case "tables":
			switch at(4) {
			case "routes":
				return "route", inside, 11
			case "subnets":
				return "table of a subnet", inside, 13
			}
			return "route table", inside, 10
		case "groups":
			if len(p) > 4 {
				return "rule of group", inside, 10
			}
			return "group", inside, 5
		case "lists":
			switch at(4) {
			case "in", "out":
				return "rule of list", inside, 11
			case "subnets":
				return "list of a subnet", inside, 15
			}
			return "list", inside, 9
		}
		return "network", at(1), 2
	}
	return strings.Join(p[:1], ""), at(1), 0
}

// owner is the path of whose a step is: a network, site, workload.
func ownerPath(e text.Edit) text.Path {
	p := e.Path
	if e.Key != "" {
		p = p.To(e.Key)
	}
	return p[:min(2, len(p))]
}

// words say what edits do, as a checklist does.
func words(edits []text.Edit, was func(text.Edit) string) string {
	var all []string
	for _, e := range edits {
		if e.Remove && e.Key == "" {
			all = append(all, fmt.Sprintf("take  %s  out of %s", was(e), e.Path))
		} else if e.Was != "" && e.Was != e.Key {
			all = append(all, fmt.Sprintf("%s, in the place of  %s: %s", e, e.Was, was(text.Edit{Path: e.Path, Key: e.Was})))
		} else {
			all = append(all, e.String())
		}
	}
	return strings.Join(all, ", and ")
}

// undoWords say what takes edits back.
func undoWords(edits []text.Edit, was func(text.Edit) string) string {
	var all []string
	for _, e := range edits {
		switch {
		case e.Was != "" && e.Was != e.Key:
			all = append(all, fmt.Sprintf("write  %s: %s  at %s again, in the place of %s", e.Was, was(text.Edit{Path: e.Path, Key: e.Was}), cmp.Or(e.Path.String(), "the top"), e.Key))
		case e.Remove && e.Key == "":
			all = append(all, fmt.Sprintf("put  %s  back into %s", was(e), e.Path))
		case e.Remove:
			all = append(all, fmt.Sprintf("put %s back into %s", e.Key, cmp.Or(e.Path.String(), "the top")))
		case e.Put:
			all = append(all, fmt.Sprintf("write  %s  there again, at %s", was(e), e.Path))
		case e.Key == "":
			all = append(all, text.Edit{Path: e.Path, Key: bare(e), Remove: true}.String())
		case was(e) != "":
			all = append(all, fmt.Sprintf("write  %s: %s  at %s again", e.Key, was(e), cmp.Or(e.Path.String(), "the top")))
		default:
			all = append(all, text.Remove(e.Path, e.Key).String())
		}
	}
	return strings.Join(all, ", and ")
}

func bare(e text.Edit) string {
	if word, single := e.Value.Single(); single {
		return " " + word + " "
	}
	return " " + e.Value.String() + " "
}

// splitRemoval breaks the removal of a whole thing into those of its parts, and at last of the thing: the other way round than it
// would be built.
func splitRemoval(e text.Edit, value text.Value) []text.Edit {
	built := split(text.Set(e.Path, e.Key, value))
	if len(built) < 2 {
		return []text.Edit{e}
	}
	count := map[string]int{}
	var all []text.Edit
	for _, x := range built {
		if x.Key != "" {
			all = append(all, text.Remove(x.Path, x.Key))
			continue
		}
		count[x.Path.String()]++
		all = append(all, text.RemoveNth(x.Path, count[x.Path.String()]))
	}
	slices.Reverse(all)
	return all
}

// settled are edits without those inside of what others take out as a whole.
func settled(edits []text.Edit) []text.Edit {
	gone := map[string]bool{}
	for _, e := range edits {
		if e.Remove && e.Key != "" {
			gone[strings.Join(e.Path.To(e.Key), "\x00")] = true
		}
	}
	if len(gone) == 0 {
		return edits
	}
	return slices.DeleteFunc(slices.Clone(edits), func(e text.Edit) bool {
		for n := 1; n <= len(e.Path); n++ {
			if gone[strings.Join(e.Path[:n], "\x00")] {
				return true
			}
		}
		return false
	})
}
