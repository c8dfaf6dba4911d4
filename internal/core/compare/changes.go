package compare

import (
	"cmp"
	"fmt"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file tells two lists of things apart.

// Kind of change.
const (
	New     = "new"
	Gone    = "gone"
	Changed = "changed"
	Renamed = "renamed"
)

// Change is one thing that two versions of a plan have differently.
type Change struct {
	Kind  string // new, gone, changed or renamed
	Thing string // what it is: network, route, rule
	Name  string
	What  string    // what is so, in words: range was A, is B; empty where the kind says it all
	Place text.Path // where it stands in the plan
	Was   text.Pos  // in the old text; no place for what is new
	Is    text.Pos  // in the new text; no place for what is gone

	of      string
	called  string       // what it was called, where it is renamed
	affects plan.Affects // whom it touches
}

// RangeChange is a range that something had, and the one that it has.
type RangeChange struct{ Name, Was, Is string }

// differ finds changes.
type differ struct {
	was, is []*item
	calls   map[string]string // workloads and sites that are called otherwise: the old name, and the new one
	changes []Change
	ranges  []RangeChange
	renamed bool // whether anything is called otherwise
}

// named are the kinds of things that can be renamed, those that hold others first.
var named = []string{"block", "network", "hub", "site", "peering", "hub link", "cluster", "tier", "subnet", "held part", "gateway", "route table", "group", "list", "hub table", "workload", "set of workloads"}

// diff finds what two versions have differently. What both say in the same words is passed over, unless something is called otherwise,
// of which that may speak.
func diff(before, after *estate.Estate) *differ {
	alike := alikeIn(before, after)
	d := diffBut(before, after, alike)
	if d.renamed {
		d = diffBut(before, after, nil)
	}
	return d
}

// alikeIn are the names of networks, and of workloads, of which two versions say the same.
func alikeIn(before, after *estate.Estate) *alike {
	networks := make(map[string]*plan.Network, len(before.Networks))
	for _, n := range before.Networks {
		networks[n.Name] = n.Plan
	}
	workloads := make(map[string]*plan.Workload, len(before.Plan.Workloads))
	for _, w := range before.Plan.Workloads {
		workloads[w.Name.Value] = w
	}
	return &alike{
		same(after.Networks, func(n *estate.Network) string { return n.Name }, func(n *estate.Network) bool { return networks[n.Name] != nil && plan.Same(networks[n.Name], n.Plan) }),
		same(after.Plan.Workloads, func(w *plan.Workload) string { return w.Name.Value }, func(w *plan.Workload) bool {
			return workloads[w.Name.Value] != nil && plan.Same(workloads[w.Name.Value], w)
		}),
	}
}

// same are the names of those things that are as they were, which are looked at side by side.
func same[T any](all []T, name func(T) string, is func(T) bool) map[string]bool {
	found := make([]bool, len(all))
	var work sync.WaitGroup
	parts := runtime.GOMAXPROCS(0)
	for k := range parts {
		work.Go(func() {
			for i := k * len(all) / parts; i < (k+1)*len(all)/parts; i++ {
				found[i] = is(all[i])
			}
		})
	}
	work.Wait()
	names := make(map[string]bool, len(all))
	for i, x := range all {
		if found[i] {
			names[name(x)] = true
		}
	}
	return names
}

// alike are names of what is to be passed over; nil of nothing.
type alike struct{ networks, workloads map[string]bool }

func diffBut(before, after *estate.Estate, but *alike) *differ {
	d := &differ{was: itemsOf(before, but), is: itemsOf(after, but), calls: map[string]string{}}
	was, is := index(d.was), index(d.is)
	for _, kind := range named {
		if d.renames(kind, was, is) {
			was, d.renamed = index(d.was), true
		}
	}
	for _, x := range d.is {
		if y := was[x.id()]; y == nil {
			d.change(New, x, "", x.affects, 0, x.at)
		} else {
			d.compare(y, x)
		}
	}
	for _, y := range d.was {
		if is[y.id()] == nil {
			d.change(Gone, y, "", y.affects, y.at, 0)
		}
	}
	d.prune()
	return d
}

func index(all []*item) map[string]*item {
	out := make(map[string]*item, len(all))
	for _, x := range all {
		out[x.id()] = x
	}
	return out
}

func (d *differ) change(kind string, x *item, what string, affects plan.Affects, was, is text.Pos) {
	d.changes = append(d.changes, Change{Kind: kind, Thing: x.kind, Name: x.name, What: what, Place: x.place, Was: was, Is: is, of: x.of, affects: affects})
}

// compare tells the facts of a thing apart.
func (d *differ) compare(was, is *item) {
	if was.say() == is.say() {
		return
	}
	values := map[string][2]string{}
	var keys []string
	whom, sets, affects := map[string]plan.Affects{}, map[string]bool{}, plan.Nobody
	for i, facts := range [][]fact{was.facts, is.facts} {
		for _, f := range facts {
			whom[f.key], sets[f.key] = f.affects, f.set
			v, known := values[f.key]
			if !known {
				keys = append(keys, f.key)
			}
			v[i] = f.value
			values[f.key] = v
		}
	}
	var words []string
	for _, k := range keys {
		v := values[k]
		if v[0] == v[1] || sets[k] && sorted(v[0]) == sorted(v[1]) {
			continue
		}
		affects = min(affects, whom[k])
		if strings.HasPrefix(k, "order ") {
			if sorted(v[0]) == sorted(v[1]) { // what was added and taken out is told for itself
				words = append(words, "its rules "+strings.TrimPrefix(k, "order ")+" stand in another order")
			}
			continue
		}
		if k == "range" || k == "pods" || k == "services" {
			name := is.name
			if k != "range" {
				name = k + " of " + name
			}
			d.ranges = append(d.ranges, RangeChange{name, v[0], v[1]})
		}
		switch {
		case v[0] == "":
			words = append(words, fmt.Sprintf("%s is %s", k, v[1]))
		case v[1] == "":
			words = append(words, fmt.Sprintf("%s was %s", k, v[0]))
		default:
			words = append(words, fmt.Sprintf("%s was %s, is %s", k, v[0], v[1]))
		}
	}
	if len(words) > 0 {
		d.change(Changed, is, strings.Join(words, "; "), affects, was.at, is.at)
	}
}

func sorted(words string) string {
	all := strings.Split(words, ", ")
	slices.Sort(all)
	return strings.Join(all, ", ")
}

// renames finds things of a kind that are gone, and are there under another name: alike in all that is said of them, and of
// their parts. It reports whether there are such.
func (d *differ) renames(kind string, was, is map[string]*item) bool {
	var gone, fresh []*item
	for _, x := range d.is {
		if x.kind == kind && was[x.id()] == nil {
			fresh = append(fresh, x)
		}
	}
	for _, y := range d.was {
		if y.kind == kind && is[y.id()] == nil {
			gone = append(gone, y)
		}
	}
	if len(gone) == 0 || len(fresh) == 0 {
		return false
	}
	wasParts, isParts := partsOf(d.was), partsOf(d.is)
	free := map[string][]*item{}
	for _, x := range fresh {
		key := x.of + "|" + sayWhole(x, isParts)
		free[key] = append(free[key], x)
	}
	r := renaming{words: map[string]string{}, names: map[string]string{}}
	for _, y := range gone {
		key := y.of + "|" + sayWhole(y, wasParts)
		if len(free[key]) == 0 || y.say() == "" && len(wasParts[y.name]) == 0 {
			continue // of two that have nothing to be known by, none is the other
		}
		x := free[key][0]
		free[key] = free[key][1:]
		d.change(Renamed, x, fmt.Sprintf("was called %s", y.name), x.affects, y.at, x.at)
		d.changes[len(d.changes)-1].called = y.name
		if y.kind == "workload" || y.kind == "set of workloads" || y.kind == "site" {
			d.calls[y.name] = x.name
		}
		r.names[y.name] = x.name
		if network, last, inside := strings.Cut(y.name, "/"); inside {
			r.words[network+"/"+last] = lastOf(x.name)
		}
	}
	for _, x := range d.was {
		r.apply(x, kind)
	}
	return len(r.names) > 0
}

// partsOf are the things that are parts of others, by what they are of.
func partsOf(all []*item) map[string][]*item {
	out := map[string][]*item{}
	for _, x := range all {
		if x.of != "" {
			out[x.of] = append(out[x.of], x)
		}
	}
	return out
}

// ownerOf is the kind of what a rule or a route is a part of; empty for anything else.
func ownerOf(x *item) string {
	switch x.kind {
	case "rule":
		what, _, _ := strings.Cut(x.name, " ")
		return what
	case "route":
		return "route table"
	case "hub route", "learned route":
		return "hub table"
	}
	return ""
}

// owns reports whether a part is one of a thing, and not of one of another kind that has its name.
func (x *item) owns(part *item) bool { return ownerOf(part) == "" || ownerOf(part) == x.kind }

// sayWhole is all that is said of a thing and its parts, without its name.
func sayWhole(x *item, parts map[string][]*item) string {
	own := lastOf(x.name)
	var all []string
	for _, p := range parts[x.name] {
		if !x.owns(p) {
			continue
		}
		head, words, _ := strings.Cut(p.name, ": ")
		one := p.kind + " " + strings.ReplaceAll(head, x.name, "*") + ": " + words + " " + sayWhole(p, parts)
		if x.kind == "group" { // which is spoken of as such, where other things may have its name
			one = strings.NewReplacer("group "+x.name+" ", "group * ", "group "+own+" ", "group * ").Replace(one + " ")
		} else {
			one = replaceWords(strings.ReplaceAll(one, x.name, "*"), func(w string) string {
				if w == own {
					return "*"
				}
				return w
			})
		}
		all = append(all, one)
	}
	slices.Sort(all)
	return x.say() + "\n" + strings.Join(all, "\n")
}

func lastOf(name string) string { return name[strings.LastIndex(name, "/")+1:] }

var aWord = regexp.MustCompile(`[a-z][a-z0-9-]*`)

func replaceWords(s string, with func(string) string) string {
	return aWord.ReplaceAllStringFunc(s, with)
}

// renaming is what some things of one kind are called otherwise.
type renaming struct {
	names map[string]string // with those of what they are parts of
	words map[string]string // the last of these alone, behind the network that they are of: net/word
}

// in is a text that stands in a network, or in none, in which things are spoken of by their new names: by their whole name, or by the last of it
// in their own network.
func (r *renaming) in(network, s string) string {
	return aPath.ReplaceAllStringFunc(s, func(w string) string {
		if is, renamed := r.names[w]; renamed {
			return is
		}
		of, rest, inside := strings.Cut(w, "/")
		if is, renamed := r.names[of]; renamed && inside {
			return is + "/" + rest
		}
		if is, renamed := r.words[network+"/"+w]; renamed && !inside {
			return is
		}
		return w
	})
}

// inLine is in for what a rule or a route names: a group is named behind that word, and nothing else is.
func (r *renaming) inLine(kind, network, s string) string {
	const group = "group "
	before, name, is := strings.Cut(s, group)
	switch {
	case kind == "group" && !is:
		return s
	case kind == "group":
		return before + group + r.in(network, name)
	case is && kind == "network":
		return r.in(network, before) + group + r.in("", name)
	case is:
		return r.in(network, before) + group + name
	}
	return r.in(network, s)
}

// aPath is a name, or one of a part of a network.
var aPath = regexp.MustCompile(`[a-z][a-z0-9-]*(?:/[a-z][a-z0-9-]*)?`)

// networkIn is the network that an item stands in; empty for none.
func networkIn(x *item) string {
	of := x.of
	for _, f := range x.facts {
		if f.key == "in" && of == "" {
			of = f.value
		}
	}
	network, _, _ := strings.Cut(of, "/")
	return network
}

// inLines are the kinds of things that rules and routes name, and inExpect those that lines of expect name.
var (
	inLines  = []string{"block", "network", "site", "cluster", "tier", "subnet", "group"}
	inExpect = []string{"network", "site", "tier", "subnet", "workload", "set of workloads"}
)

// apply has an item of the old list speak of things by their new names.
func (r *renaming) apply(x *item, kind string) {
	network := networkIn(x)
	tail := func(s string) string {
		if !slices.Contains(inLines, kind) && x.kind != "attachment" && x.kind != "learned route" {
			return s
		}
		return r.inLine(kind, network, s)
	}
	path := func(name string) string { // the first or first two words of a name are what a thing is of
		for i := 0; i <= len(name); i++ {
			if i == len(name) || name[i] == '/' || name[i] == ':' || name[i] == ' ' {
				if is, renamed := r.names[name[:i]]; renamed {
					return is + name[i:]
				}
			}
		}
		return name
	}
	if len(r.names) == 0 {
		return
	}
	if other := ownerOf(x); other != "" && kind != other && strings.Contains(x.of, "/") && kind != "network" && kind != "hub" {
		path = func(name string) string { return name } // a list may be called as a group or a tier is
	}
	x.of = path(x.of)
	switch x.kind {
	case kind:
		x.name = path(x.name)
	case "rule":
		head, words, _ := strings.Cut(x.name, ": ")
		what, rest, _ := strings.Cut(head, " ")
		x.name = what + " " + path(rest) + ": " + tail(words)
	case "expectation":
		if slices.Contains(inExpect, kind) {
			x.name = r.in("", x.name)
		}
	case "route", "hub route", "learned route", "attachment":
		head, words, _ := strings.Cut(x.name, ": ")
		x.name = path(head) + ": " + tail(words)
	default:
		if x.of != "" {
			x.name = path(x.name)
		}
	}
	for i := range x.facts {
		if slices.Contains(x.facts[i].names, kind) || kind == "set of workloads" && slices.Contains(x.facts[i].names, "workload") {
			key, entry, _ := strings.Cut(x.facts[i].key, " ")
			x.facts[i].key = strings.TrimSpace(key + " " + r.in(network, entry))
			x.facts[i].value = r.in(network, x.facts[i].value)
		}
	}
}

// prune leaves out the parts of what is new or gone as a whole.
func (d *differ) prune() {
	whole := map[string]bool{}
	for _, c := range d.changes {
		if c.Kind == New || c.Kind == Gone {
			whole[c.Kind+" "+c.Name] = true
		}
	}
	parent := map[string]string{}
	for _, all := range [][]*item{d.was, d.is} {
		for _, x := range all {
			parent[x.name] = x.of
		}
	}
	d.changes = slices.DeleteFunc(d.changes, func(c Change) bool {
		for of := c.of; of != "" && (c.Kind == New || c.Kind == Gone); of = parent[of] {
			if whole[c.Kind+" "+of] {
				return true
			}
		}
		return false
	})
}

// Changes are what differs between two estates, each thing once: of what is new or gone as a whole, not its parts.
func Changes(before, after *estate.Estate) []Change { return diff(before, after).changes }

// ByKind tells changes by their kinds, how many there are of each, and in how many networks: "4 new routes and 1 changed workload in 2 networks".
// What is new comes first.
func ByKind(all []Change) string {
	var kinds []string
	count, networks := map[string]int{}, map[string]bool{}
	for i := range all {
		x := &all[i]
		kind := x.Kind + " " + x.Thing
		if count[kind]++; count[kind] == 1 {
			kinds = append(kinds, kind)
		}
		if len(x.Place) > 1 && x.Place[0] == "networks" {
			networks[x.Place[1]] = true
		}
	}
	rank := func(kind string) int { // what comes before what it changes
		if strings.HasPrefix(kind, New) {
			return 0
		}
		return 1
	}
	slices.SortStableFunc(kinds, func(a, b string) int { return cmp.Or(rank(a)-rank(b), count[b]-count[a]) })
	for i, kind := range kinds {
		kinds[i] = phrase.Count(count[kind], kind)
	}
	words := phrase.And(kinds)
	if len(networks) > 1 {
		words += fmt.Sprintf(" in %d networks", len(networks))
	}
	return words
}
