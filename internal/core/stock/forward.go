package stock

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// maxRounds is how often a plan is edited towards what is there: what follows from an edit, as the subnets that a tier brings into a
// table, is seen in the next round.
const maxRounds = 8

// Forward is the estate of a plan that is edited to say what is there, in its own words where these still hold, with the problems of its
// text, and what the edits do not reach. A network that differs from its pattern in what a pattern cannot leave out is spelt out, and what
// speaks of things that are gone goes with them.
func Forward(e *estate.Estate, have []Thing) (after *estate.Estate, problems []diag.Finding, left []Difference) {
	after = e
	spelt, broken := map[string]bool{}, map[string][]string{}
	best, bestProblems, least := e, problems, -1
	for round := range maxRounds {
		left = Between(Of(after), have)
		if lacks := short(left, problems); least < 0 || lacks < least {
			best, bestProblems, least = after, problems, lacks
		} else if round > 4 { // what no edit reaches
			break
		}
		if len(left)+len(problems) == 0 {
			break
		}
		f := &forward{e: after, have: byKey(have), all: have, edited: map[string]bool{}, differs: map[string]bool{}, broken: broken}
		for i := range left {
			f.differs[left[i].Key()] = true
		}
		if round >= 2 {
			f.spellOut(left, spelt)
		}
		if len(f.edits) == 0 {
			for _, d := range left {
				f.edit(d)
			}
			f.memberships(left)
		}
		f.lacks(problems)
		if len(left) == 0 {
			f.gone(problems)
		}
		edits := after.Own(f.edits)
		next, bad, err := after.With(text.Changes{{Edits: edits}})
		if err != nil { // one of them cannot be made: the others are
			next, bad, err = after.With(text.Changes{{Edits: possible(after, edits)}})
		}
		if err != nil || len(edits) == 0 {
			break
		}
		after, problems = next, bad
	}
	if left = Between(Of(after), have); short(left, problems) >= least {
		after, problems = best, bestProblems
		left = Between(Of(after), have)
	}
	return after, problems, left
}

// short is how far a plan is from what is there: first by what it says otherwise, then by what of it speaks of nothing.
func short(left []Difference, problems []diag.Finding) int { return len(left)<<20 + len(problems) }

// spellOut writes networks that take a pattern, and still differ, without it.
func (f *forward) spellOut(left []Difference, had map[string]bool) {
	for _, d := range left {
		name, _, _ := strings.Cut(d.Thing().Name, "/")
		n := f.e.Network(name)
		if n == nil || had[name] || !n.Plan.Pattern.Given() || sections[d.Thing().Kind] != "" && d.Thing().Kind != Network {
			continue
		}
		had[name] = true
		whole, found := text.One(name, n.Plan.Whole()).Value(text.Path{"networks", name})
		if !found {
			continue
		}
		f.add(text.Set(text.Path{"networks"}, name, whole))
	}
}

// possible are the edits that can be made, each beside those before it.
func possible(e *estate.Estate, all []text.Edit) []text.Edit {
	var made []text.Edit
	for _, x := range all {
		try := append(slices.Clone(made), x)
		if _, _, err := e.With(text.Changes{{Edits: try}}); err == nil {
			made = try
		}
	}
	return made
}

type forward struct {
	e       *estate.Estate
	have    map[string]*Thing
	all     []Thing
	edits   []text.Edit
	edited  map[string]bool     // sets that are written as single workloads
	differs map[string]bool     // what is there otherwise than the plan says, by key
	broken  map[string][]string // sets that were in a round before, and who of them is left
}

func (f *forward) add(edits ...text.Edit) { f.edits = append(f.edits, edits...) }

// sections are where the things of a kind stand, that are parts of nothing.
var sections = map[Kind]string{Network: "networks", Workload: "workloads", Peering: "peerings", Hub: "hubs", HubLink: "hub-links", Site: "sites"}

// insides are where the parts of a network or a hub stand.
var insides = map[Kind]string{Subnet: "subnets", Gateway: "gateways", Table: "tables", Group: "groups", List: "lists", HubTable: "tables", Attachment: "attach"}

// placeOf is the mapping that a thing stands in, and its key there.
func placeOf(t *Thing) (text.Path, string) {
	if s := sections[t.Kind]; s != "" {
		return text.Path{s}, t.Name
	}
	at, name, _ := strings.Cut(t.Name, "/")
	top := "networks"
	if t.Kind == HubTable || t.Kind == Attachment {
		top = "hubs"
	}
	return text.Path{top, at, insides[t.Kind]}, name
}

// parentGone reports whether what a thing is a part of is not there, and so goes with it.
func (f *forward) parentGone(t *Thing) bool {
	p := SpecOf(t.Kind).Parent
	return p != "" && t.Kind != Workload && f.have[t.Props.Word(p)] == nil
}

// parentNew reports whether the plan does not have what a thing is a part of.
func (f *forward) parentNew(t *Thing) bool {
	k, name := SplitKey(t.Props.Word(SpecOf(t.Kind).Parent))
	switch k {
	case Table:
		n, short, _ := strings.Cut(name, "/")
		x := f.e.Network(n)
		return x == nil || x.Table(short) == nil || x.Table(short).Plan == nil
	case HubTable:
		h, short, _ := strings.Cut(name, "/")
		x := f.e.Hub(h)
		return x == nil || !slices.ContainsFunc(x.Tables, func(t *estate.HubTable) bool { return t.Name == short })
	}
	return false
}

func (f *forward) edit(d Difference) {
	t := d.Thing()
	if d.Is == nil && f.parentGone(t) || t.Kind == Route && d.Was == nil && f.parentNew(t) {
		return
	}
	if t.Kind == Route {
		f.route(d)
		return
	}
	if t.Kind == Workload && f.unassigned(d) && len(d.Props) == 1 {
		return
	}
	if t.Kind == Workload && d.Was != nil {
		if w := f.e.Workload(t.Name); w != nil && w.Set != nil {
			f.breakUp(w.Set)
			return
		}
	}
	at, name := placeOf(t)
	switch {
	case d.Is == nil:
		f.add(text.Remove(at, name))
	case d.Was == nil:
		f.add(text.Set(at, name, f.whole(t)))
	case t.Kind == Group:
		f.groupRules(d, at.To(name))
	case t.Kind == List:
		for _, dir := range []string{"in", "out"} {
			if slices.Contains(d.Props, dir) {
				f.add(text.Set(at.To(name), dir, lines(d.Is, dir)))
			}
		}
	case t.Kind == Table:
		if d.Is.Props.Flag("main") {
			f.add(text.Set(at.To(name), "main", text.Word("true")))
		} else {
			f.add(text.Remove(at.To(name), "main"))
		}
	case t.Kind == Attachment:
		if slices.Contains(d.Props, "table") || slices.Contains(d.Props, "arrives") {
			f.add(text.Set(at, name, attachmentValue(d.Is)))
		}
	default:
		f.fields(at.To(name), f.whole(d.Was).Fields(), f.whole(d.Is).Fields())
	}
}

// fields edits the entries of a mapping that differ.
func (f *forward) fields(at text.Path, was, is []text.Field) {
	old := map[string]string{}
	for _, x := range was {
		old[x.Key] = x.Value.String()
	}
	for _, x := range is {
		if old[x.Key] != x.Value.String() {
			f.add(text.Set(at, x.Key, x.Value))
		}
		delete(old, x.Key)
	}
	for _, x := range was {
		if _, gone := old[x.Key]; gone {
			f.add(text.Remove(at, x.Key))
		}
	}
}

// whole is a thing as a plan writes it, with what stands inside of it and is not told apart.
func (f *forward) whole(t *Thing) text.Value {
	switch t.Kind {
	case Subnet:
		return SubnetValue(t)
	case Gateway:
		return GatewayValue(t)
	case Workload:
		return WorkloadValue(t)
	case Peering:
		return peeringValue(t)
	case HubLink:
		return hubLinkValue(t)
	case Site:
		return siteValue(t)
	case Attachment:
		return attachmentValue(t)
	case Group, List:
		all := fields{{Key: "in", Value: lines(t, "in")}, {Key: "out", Value: lines(t, "out")}}
		if subnets := f.members(t.Kind, t.Key()); len(subnets) > 0 {
			all = append(fields{{Key: "subnets", Value: text.Words(subnets...)}}, all...)
		}
		return text.Map(all...)
	case Table, HubTable:
		var all fields
		if t.Props.Flag("main") {
			all.word("main", "true")
		}
		if subnets := f.members(t.Kind, t.Key()); len(subnets) > 0 {
			all = append(all, text.Field{Key: memberKey(t.Kind), Value: text.Words(subnets...)})
		}
		return text.Map(append(all, text.Field{Key: "routes", Value: f.routesOf(t.Key())})...)
	case Hub:
		var all fields
		all.tags(t)
		all.word("region", t.Props.Word("region"))
		return text.Map(append(all, text.Field{Key: "tables", Value: text.Map()})...)
	}
	var all fields
	all.tags(t)
	if knobs := t.Props.Pairs("profile"); len(knobs) > 0 && ProfileValue(knobs).String() != ProfileValue(plan.Knobs(f.e.Profile)).String() {
		all = append(all, text.Field{Key: "profile", Value: ProfileValue(knobs)})
	}
	all.words("region", t.Props.Words("regions"))
	all.words("range", t.Props.Words("ranges"))
	if len(all) == 0 {
		all = append(all, text.Field{Key: "subnets", Value: text.Map()})
	}
	return text.Map(all...)
}

// lines are the rules of a group or list as a plan writes them.
func lines(t *Thing, dir string) text.Value {
	network, _, _ := strings.Cut(t.Name, "/")
	var all []string
	for _, r := range t.Props.Rules(dir) {
		all = append(all, r.Line(dir, network))
	}
	return text.Words(all...)
}

// groupRules takes the rules out of a group that are not there, and adds those that are; all others stay as they are written.
func (f *forward) groupRules(d Difference, at text.Path) {
	network, short, _ := strings.Cut(d.Is.Name, "/")
	n := f.e.Network(network)
	if n == nil || n.Group(short) == nil {
		return
	}
	g := n.Group(short)
	for _, dir := range []string{"in", "out"} {
		if !slices.Contains(d.Props, dir) {
			continue
		}
		written, bound := g.Plan.In, g.In
		if dir == "out" {
			written, bound = g.Plan.Out, g.Out
		}
		is := d.Is.Props.Rules(dir)
		found := map[Rule]bool{}
		var edits []text.Edit
		for nth := range written { // a written rule may stand for several
			var own, still []Rule
			for i, r := range rulesOf(bound, false) {
				if bound[i].Nth == nth+1 {
					own = append(own, r)
					if slices.Contains(is, r) {
						still = append(still, r)
						found[r] = true
					}
				}
			}
			if len(own) == len(still) {
				continue
			}
			edits = append(edits, text.RemoveNth(at.To(dir), nth+1))
			for _, r := range still {
				edits = append(edits, text.Add(at.To(dir), text.Word(r.Line(dir, network))))
			}
		}
		for _, r := range is {
			if !found[r] {
				edits = append(edits, text.Add(at.To(dir), text.Word(r.Line(dir, network))))
				found[r] = true
			}
		}
		if len(written) == 0 {
			edits = []text.Edit{text.Set(at, dir, lines(d.Is, dir))}
		}
		f.add(edits...)
	}
}

// breakUp writes the workloads of a set one by one, since they are not alike any longer; or, where only its last ones are gone, has it
// count fewer.
func (f *forward) breakUp(s *estate.Set) {
	if f.edited[s.Name] {
		return
	}
	f.edited[s.Name] = true
	var left []string
	alike := true // whether those that are left are the first ones, each as it was
	for i, w := range s.Members {
		t := f.have[KeyOf(Workload, w.Name)]
		if t == nil {
			continue
		}
		alike = alike && len(left) == i && !f.differs[t.Key()]
		left = append(left, w.Name)
	}
	at := text.Path{"workloads"}
	if each, found := f.e.Plan.Files.Value(at.To(s.Name, "addresses")); alike && found && len(left) > 0 && len(each.Items()) == len(s.Members) {
		f.add(text.Set(at.To(s.Name), "count", text.Word(fmt.Sprint(len(left)))), text.Set(at.To(s.Name), "addresses", text.List(each.Items()[:len(left)]...)))
		return
	}
	f.broken[s.Name] = left
	f.add(text.Remove(at, s.Name))
	for _, name := range left {
		one := text.Set(at, name, WorkloadValue(f.have[KeyOf(Workload, name)]))
		one.In = f.e.Plan.Files.Of(s.At()).Name
		f.add(one)
	}
}

// route edits a route. One that is written with a name may stand for several.
func (f *forward) route(d Difference) {
	t := d.Thing()
	k, table := SplitKey(t.Props.Word("table"))
	at, short, _ := strings.Cut(table, "/")
	path := PlaceOf(t)
	var routes []*estate.Route
	var written []plan.Route
	if k == HubTable {
		for _, x := range f.e.Hub(at).Tables {
			if x.Name == short {
				routes, written = x.Routes, x.Plan.Routes
			}
		}
	} else if x := f.e.Network(at); x != nil && x.Table(short) != nil && x.Table(short).Plan != nil {
		routes, written = slices.Concat(x.Table(short).Routes, x.Table(short).Some), x.Table(short).Plan.Routes
	}
	if d.Was == nil {
		f.add(text.Add(path, RouteValue(d.Is)))
		return
	}
	for _, r := range routes {
		if r.Origin != estate.ByHand || r.To.String() != t.Props.Word("to") || (r.Only == nil) != (t.Props.Word("only") == "") || r.Only != nil && key(r.Only) != t.Props.Word("only") {
			continue
		}
		nth := slices.IndexFunc(written, func(w plan.Route) bool { return w.At == r.At }) + 1
		if nth == 0 {
			return
		}
		var others []text.Value // for which the same line stands, and which are there
		for _, o := range routes {
			if o != r && o.At == r.At {
				id := table + " " + o.To.String()
				if o.Only != nil {
					id += " only " + o.Only.Name
				}
				if x := f.have[KeyOf(Route, id)]; x != nil {
					others = append(others, RouteValue(x))
				}
			}
		}
		if d.Is != nil {
			others = append([]text.Value{RouteValue(d.Is)}, others...)
		}
		mark := path.String() + " " + string(rune(nth))
		if f.edited[mark] { // the line has been written for another of its routes
			return
		}
		f.edited[mark] = true
		if len(others) == 0 {
			f.add(text.RemoveNth(path, nth))
			return
		}
		f.add(text.Put(path, nth, others[0]))
		for _, v := range others[1:] {
			f.add(text.Add(path, v))
		}
		return
	}
}

// PlaceOf is where a thing stands in a plan; of a route, where the routes of its table do.
func PlaceOf(t *Thing) text.Path {
	if t.Kind == Route {
		k, table := SplitKey(t.Props.Word("table"))
		at, short, _ := strings.Cut(table, "/")
		top := "networks"
		if k == HubTable {
			top = "hubs"
		}
		return text.Path{top, at, "tables", short, "routes"}
	}
	at, name := placeOf(t)
	return at.To(name)
}
