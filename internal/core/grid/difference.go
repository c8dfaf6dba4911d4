package grid

import (
	"hash/maphash"
	"net/netip"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file compares who reaches whom in two estates.

// Difference is flows between some ends that pass in one estate, and not in another, wholly or in part. Every end of
// From differs so towards every end of To, but for itself.
type Difference struct {
	From, To []string // by name
	Flows    flow.Set
	Parts    map[string]Outside // of the ends that are the internet or a site
}

// Differences are what a change opens, what it closes, and whom the internet sees otherwise.
type Differences struct {
	Opens, Closes []Difference
	Seen          []Seen
}

// Seen is a workload that the internet sees as other addresses than before, in the words of a plan; empty where nothing of it
// arrives there.
type Seen struct{ Workload, Was, Is string }

// Compare finds every flow between workloads of two estates, and between them, sites and the internet, that passes in
// one of them and not in the other. Workloads and sites are known by their names; what only one estate has passes
// nothing in the other. But for flows that are asked about in a question, which are left out.
func Compare(before, after *estate.Estate, but ...reach.Question) *Differences {
	return CompareIn(before, after, nil, but...)
}

// CompareIn is Compare of what goes from or to the workloads of some networks alone, by name: for who knows that nothing else can
// differ. It is of all where in is nil.
func CompareIn(before, after *estate.Estate, in func(network string) bool, but ...reach.Question) *Differences {
	c := newComparison(before, after, in, but)
	c.inside()
	c.outside()
	return &Differences{gathered(c.notes.opens), gathered(c.notes.closes), c.seen}
}

// comparison is two grids whose classes have the same members, by name.
type comparison struct {
	estates [2]*estate.Estate
	but     []reach.Question
	classes []sameClass
	grids   [2]*Grid
	notes   notes
	seen    []Seen
	before  [][]Cell     // the rows of the first grid, where they are known
	readers []*rowReader // to be used again; they remember nothing but their room
}

// sameClass is one class in both estates, by its number there; -1 where an estate has no such workloads.
type sameClass struct {
	at     [2]int
	groups []neighbours
	moved  bool // whether the subnet of one has another name in the other estate
	asked  bool // whether its network is one of those that are asked for
	all    []string
}

// neighbours are the members of a class that are in one subnet, in both estates.
type neighbours struct {
	subnets [2]string
	names   []string
}

func newComparison(before, after *estate.Estate, in func(network string) bool, but []reach.Question) *comparison {
	c := &comparison{estates: [2]*estate.Estate{before, after}, but: but}
	apart := map[string]int{}
	for _, q := range but {
		for _, end := range []reach.End{q.From, q.To} {
			if x := end.Workload; x != nil && apart[x.Name] == 0 {
				apart[x.Name] = len(apart) + 1
			}
		}
	}
	fine := func(x *estate.Workload) int { return apart[x.Name]<<2 | publicness(x) }
	// The classes of each grid are made as fine as those of the other, by way of the names.
	var units [2]map[string]int
	both := func(do func(i int)) {
		var work sync.WaitGroup
		for i := range c.estates {
			work.Go(func() { do(i) })
		}
		work.Wait()
	}
	both(func(i int) {
		if units[1-i] = unitsOf(c.estates[i]); len(apart) > 0 {
			units[1-i] = newClasses(c.estates[i], fine).units()
		}
	})
	both(func(i int) {
		c.grids[i] = newGridIn(c.estates[i], func(x *estate.Workload) int { return units[i][x.Name]<<24 | fine(x) }, in)
	})
	known := map[string]int{}
	for i, g := range c.grids {
		for j, class := range g.Classes {
			at, found := known[class.Members[0].Name]
			if !found {
				at = len(c.classes)
				c.classes = append(c.classes, sameClass{at: [2]int{-1, -1}})
			}
			c.classes[at].at[i] = j
			c.classes[at].asked = c.classes[at].asked || in == nil || in(class.place.network.Name)
			for _, x := range class.Members {
				known[x.Name] = at
			}
		}
	}
	for i := range c.classes {
		c.classes[i].sort(c.estates, c.grids)
	}
	return c
}

// sort puts the members of a class together that are in one subnet.
func (s *sameClass) sort(estates [2]*estate.Estate, grids [2]*Grid) {
	at := map[[2]string]int{}
	i := 0
	if s.at[0] < 0 {
		i = 1
	}
	for _, x := range grids[i].Classes[s.at[i]].Members {
		var key [2]string
		for k, e := range estates {
			if y := e.Workload(x.Name); y != nil && y.Subnet != nil {
				key[k] = y.Subnet.ID()
			}
		}
		n, found := at[key]
		if !found {
			n = len(s.groups)
			at[key] = n
			s.groups = append(s.groups, neighbours{subnets: key})
			s.moved = s.moved || key[0] != key[1] && s.at[0] >= 0 && s.at[1] >= 0
		}
		s.groups[n].names = append(s.groups[n].names, x.Name)
	}
	for _, g := range s.groups {
		s.all = append(s.all, g.names...)
	}
}

// names are those of all members.
func (s *sameClass) names() []string {
	if len(s.groups) == 1 {
		return s.groups[0].names
	}
	return s.all
}

// unitsOf number the class of each workload of an estate, which keeps that.
func unitsOf(e *estate.Estate) map[string]int {
	filters := filtersOf(e)
	return e.Derived(unitsKey{}, func() any { return classesWith(e, filters, publicness).units() }).(map[string]int)
}

type unitsKey struct{}

// units number the class of each workload, by name, from 1.
func (g *Grid) units() map[string]int {
	out := make(map[string]int, len(g.e.Workloads))
	for i, c := range g.Classes {
		for _, x := range c.Members {
			out[x.Name] = i + 1
		}
	}
	return out
}

// notes are differences as they are found.
type notes struct{ opens, closes []Difference }

// add adds what passes by one outcome and not by the other, but for what a question asks.
func (n *notes) add(from, to []string, was, is reach.Outcome, but []reach.Question) {
	opens, closes := gain(was, is), gain(is, was)
	for _, q := range but {
		if len(from) == 1 && len(to) == 1 && from[0] == nameOf(q.From) && to[0] == nameOf(q.To) {
			opens, closes = opens.Minus(q.Flows), closes.Minus(q.Flows)
		}
	}
	n.note(from, to, opens, closes)
}

func (n *notes) note(from, to []string, opens, closes flow.Set) {
	if !opens.Empty() {
		n.opens = append(n.opens, Difference{From: from, To: to, Flows: opens})
	}
	if !closes.Empty() {
		n.closes = append(n.closes, Difference{From: from, To: to, Flows: closes})
	}
}

// nameOf is the name of the thing that an end of a question is, also where the question names an address of it.
func nameOf(e reach.End) string {
	switch {
	case e.Workload != nil:
		return e.Workload.Name
	}
	if name, _, outside := e.Outside(); outside {
		return name
	}
	return e.Name
}

// gain is what passes by the second outcome, wholly or in part, and not so by the first.
func gain(was, is reach.Outcome) flow.Set {
	return is.Full.Minus(was.Full).Union(is.Some.Minus(was.Some))
}

// inside compares the grids row by row, several rows side by side.
func (c *comparison) inside() {
	var all, asked, todo []int // the classes, those of which it is asked what goes from and to them, and those whose rows are compared
	differ := c.grids[1].differ
	for i := range c.classes {
		if differ != nil {
			if len(differ[c.grids[1].Classes[i].place.number]) > 0 {
				todo = append(todo, i)
			}
			continue
		}
		if all, todo = append(all, i), append(todo, i); c.classes[i].asked {
			asked = append(asked, i)
		}
	}
	if len(todo) == 0 {
		return
	}
	found := make([]notes, len(todo))
	var taken atomic.Int64
	var work sync.WaitGroup
	for nth := range runtime.GOMAXPROCS(0) {
		if nth == len(c.readers) {
			c.readers = append(c.readers, newRowReader(c.grids))
		}
		r := c.readers[nth]
		r.begin(c, nth)
		work.Go(func() {
			for n := int(taken.Add(1)) - 1; n < len(todo); n = int(taken.Add(1)) - 1 {
				i := todo[n]
				towards := all
				if differ != nil {
					towards = r.classesOf(differ[c.grids[1].Classes[i].place.number])
				} else if !c.classes[i].asked {
					towards = asked
				}
				r.row(&c.classes[i], towards, &found[n])
			}
		})
	}
	work.Wait()
	for _, n := range found {
		c.notes.opens = append(c.notes.opens, n.opens...)
		c.notes.closes = append(c.notes.closes, n.closes...)
	}
}

// apart reports whether no pair of two classes is in one subnet.
func (c *comparison) apart(x, y *sameClass) bool {
	for _, a := range x.groups {
		for _, b := range y.groups {
			if a.subnets[0] != "" && a.subnets[0] == b.subnets[0] || a.subnets[1] != "" && a.subnets[1] == b.subnets[1] {
				return false
			}
		}
	}
	return true
}

// byNeighbours compares two classes of which some pairs are in one subnet, and others are not.
func (c *comparison) byNeighbours(x, y *sameClass, across, within [2]reach.Outcome, into *notes) {
	for _, a := range x.groups {
		for _, b := range y.groups {
			if len(a.names) == 1 && len(b.names) == 1 && a.names[0] == b.names[0] {
				continue // nobody is a pair with itself
			}
			var o [2]reach.Outcome
			for i := range o {
				if o[i] = across[i]; a.subnets[i] == b.subnets[i] {
					o[i] = within[i]
				}
			}
			into.add(a.names, b.names, o[0], o[1], c.but)
		}
	}
}

// outside compares what passes between workloads and the internet or sites.
func (c *comparison) outside() {
	sameOutside := c.estates[0].Outside.Equal(c.estates[1].Outside) // else the internet itself is another
	names := []string{"internet"}
	for _, e := range c.estates {
		for _, s := range e.Sites {
			if !slices.Contains(names, s.Name) {
				names = append(names, s.Name)
			}
		}
	}
	for _, name := range names {
		within := address.All()
		if name == "internet" {
			within = Ownerless(c.estates[0]).Intersect(Ownerless(c.estates[1]))
		}
		var far [2]reach.End
		var known [2]bool
		for i, e := range c.estates {
			end, err := reach.Find(e, name)
			far[i], known[i] = end, err == nil
		}
		for k := range c.classes {
			x := &c.classes[k]
			if !x.asked && sameOutside {
				continue
			}
			for _, there := range []bool{true, false} {
				var parts [2][]reach.Part
				var answers [2]*reach.Answer
				for i, e := range c.estates {
					if !known[i] || x.at[i] < 0 {
						continue
					}
					q := reach.Question{From: far[i], To: reach.EndOf(c.grids[i].Classes[x.at[i]].Members[0]), Flows: flow.Any()}
					if !there {
						q.From, q.To = q.To, q.From
					}
					a := reach.Ask(e, q)
					parts[i], answers[i] = a.Parts(), a
				}
				if name == "internet" && !there {
					c.seenOf(x, answers)
				}
				c.notes.outside(name, x.names(), there, parts, within, c.but)
			}
		}
	}
}

// Ownerless are the addresses that are no network's and no workload's: what is one's own in one of two estates is told by its name there,
// and is no part of the internet that opens or closes.
func Ownerless(e *estate.Estate) address.Set {
	all := e.Outside
	for _, s := range e.Sites {
		all = all.Union(address.SetOf(s.Ranges...))
	}
	return all
}

// seenOf notes the members of a class that the internet sees otherwise, by what it makes of one of them.
func (c *comparison) seenOf(x *sameClass, answers [2]*reach.Answer) {
	for _, name := range x.names() {
		var words [2]string
		for i, a := range answers {
			w := c.estates[i].Workload(name)
			if a == nil || w == nil {
				continue
			}
			var all []string
			for _, seen := range a.SeenAs {
				if own, is := ownLike(a.From.Workload, w, seen); is {
					seen = own
				}
				all = append(all, address.Word(seen))
			}
			if words[i] = strings.Join(all, ", "); len(all) == 0 && a.ByChance() {
				words[i] = "an address of the cloud's choosing"
			}
		}
		if words[0] != words[1] {
			c.seen = append(c.seen, Seen{name, words[0], words[1]})
		}
	}
}

// ownLike is the address of one workload that is to it what another address is to another; false where that is not its own.
func ownLike(of, w *estate.Workload, a netip.Addr) (netip.Addr, bool) {
	for i, own := range of.Public {
		if own == a && i < len(w.Public) {
			return w.Public[i], true
		}
	}
	if slices.Contains(of.Addrs, a) {
		return w.AddrLike(a)
	}
	return a, false
}

// gathered puts differences of the same flows together, first those from the same ends, then those to the same ones.
func gathered(all []Difference) []Difference {
	return gather(gather(all, fromOf, toOf), toOf, fromOf)
}

func fromOf(x *Difference) *[]string { return &x.From }
func toOf(x *Difference) *[]string   { return &x.To }

func gather(all []Difference, alike, joined func(*Difference) *[]string) []Difference {
	if len(all) < 2 {
		return all
	}
	var out []Difference
	of, sizes, notes := make([]int, len(all)), []int{}, []int{} // by difference, its number in out; by that, how much is joined
	seed, at, hashes := maphash.MakeSeed(), map[uint64][]int{}, map[sameList]uint64{}
	for n := range all {
		y := &all[n]
		list := *alike(y)
		var id sameList
		if len(list) > 0 {
			id = sameList{&list[0], len(list)}
		}
		key, known := hashes[id]
		if !known {
			var h maphash.Hash
			h.SetSeed(seed)
			for _, name := range list {
				_, _ = h.WriteString(name)
				_ = h.WriteByte(0)
			}
			key = h.Sum64()
			hashes[id] = key
		}
		key ^= maphash.String(seed, y.Flows.Key())
		k := slices.IndexFunc(at[key], func(i int) bool {
			return out[i].Flows.Equal(y.Flows) && slices.Equal(*alike(&out[i]), list) && sameParts(&out[i], y)
		})
		if k < 0 {
			of[n] = len(out)
			at[key] = append(at[key], len(out))
			out, sizes, notes = append(out, *y), append(sizes, 0), append(notes, 0)
		} else {
			of[n] = at[key][k]
			out[of[n]].Parts = joinedParts(out[of[n]].Parts, y.Parts)
		}
		sizes[of[n]] += len(*joined(y))
		notes[of[n]]++
	}
	for i := range out {
		if notes[i] > 1 {
			*joined(&out[i]) = make([]string, 0, sizes[i])
		}
	}
	for n := range all {
		if i := of[n]; notes[i] > 1 {
			list := joined(&out[i])
			*list = append(*list, *joined(&all[n])...)
		}
	}
	return out
}

// sameList is a list of names by where it stands: many differences share one.
type sameList struct {
	first *string
	size  int
}

// Gathered puts differences of the same flows together, first those from the same ends, then those to the same ones.
func Gathered(all []Difference) []Difference { return gathered(all) }
