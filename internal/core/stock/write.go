package stock

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"wendrik/internal/core/text"
)

// Head is what a plan says of all of its things.
type Head struct {
	Estate  string
	Profile map[string]string // knobs, as Knobs gives them
	Regions []Region
	Scope   []string // what of an account is the estate's, as the plan writes it; all that bears nobody's label where it is empty
	Ignored []string // labels that others put on things
}

// Region is a region and its zones.
type Region struct {
	Name  string   `json:"name"`
	Zones []string `json:"zones"`
}

// Text is the plan, in one file and with nothing left to find out, that comes to some things: Of gives these again.
func Text(head Head, all []Thing) string { return write(head, all, &form{}) }

// write is Text, in a form.
func write(head Head, all []Thing, f *form) string {
	w := newWriter(head, all, f)
	w.all()
	return w.b.String()
}

func newWriter(head Head, all []Thing, f *form) *writer {
	w := &writer{head: head, form: f, of: map[Kind][]*Thing{}, in: map[string][]*Thing{}, tables: map[string][]string{}, learned: map[string][]string{}}
	all = nameable(all)
	for i := range all {
		t := &all[i]
		w.of[t.Kind] = append(w.of[t.Kind], t)
		if parent := SpecOf(t.Kind).Parent; parent != "" {
			w.in[t.Props.Word(parent)] = append(w.in[t.Props.Word(parent)], t)
		}
		for _, table := range t.Props.Words("learned-by") {
			w.learned[table] = append(w.learned[table], lastOf(t.Name))
		}
		if t.Kind == Subnet {
			for _, p := range []string{"table", "list"} {
				if at := t.Props.Word(p); at != "" {
					w.tables[at] = append(w.tables[at], t.short())
				}
			}
		}
	}
	for of, subnets := range w.tables {
		w.tables[of], _ = called(tiersIn(all, networkOf(of)), subnets)
	}
	return w
}

// short is the name of a thing in what it is a part of.
func (t *Thing) short() string { return lastOf(t.Name) }

func lastOf(name string) string { return name[strings.LastIndex(name, "/")+1:] }

type writer struct {
	form            *form
	calling, called string // the name of a network, and the word that stands for it
	head            Head
	b               strings.Builder
	of              map[Kind][]*Thing
	in              map[string][]*Thing // by the key of what they are a part of
	tables          map[string][]string // by the key of a table or list, the subnets that have it
	learned         map[string][]string // by the key of a hub table, what it learns
}

func (w *writer) line(depth int, format string, args ...any) {
	w.b.WriteString(strings.Repeat("  ", depth))
	fmt.Fprintf(&w.b, format+"\n", args...)
}

func (w *writer) entry(depth int, key string, v text.Value) {
	w.line(depth, "%s: %s", text.Word(key), v)
}

// fields are entries of a mapping on one line; what is empty is left out.
type fields []text.Field

func (f *fields) word(key, v string) {
	if v != "" {
		*f = append(*f, text.Field{Key: key, Value: text.Word(v)})
	}
}

func (f *fields) words(key string, all []string) {
	if len(all) > 0 {
		*f = append(*f, text.Field{Key: key, Value: text.WordOrWords(all...)})
	}
}

func (f *fields) list(key string, all []string) {
	*f = append(*f, text.Field{Key: key, Value: text.Words(all...)})
}

func (f *fields) pairs(key string, all map[string]string) {
	if len(all) == 0 {
		return
	}
	var in fields
	for _, k := range slices.Sorted(maps.Keys(all)) {
		in.word(k, all[k])
	}
	*f = append(*f, text.Field{Key: key, Value: text.Map(in...)})
}

func (f *fields) tags(t *Thing) {
	f.word("owner", t.Owner)
	if t.Kept() {
		f.word("keep", "true")
	}
	all := own(t.Labels)
	delete(all, KeepLabel)
	f.pairs("labels", all)
}

// own are the labels that the plan writes as such.
func own(all map[string]string) map[string]string {
	out := map[string]string{}
	for k, v := range all {
		if k != TierLabel && k != WasOfLabel {
			out[k] = v
		}
	}
	return out
}

func names(keys []string) []string {
	var all []string
	for _, k := range keys {
		all = append(all, NameIn(k))
	}
	return all
}

func lasts(keys []string) []string {
	var all []string
	for _, k := range keys {
		all = append(all, lastOf(NameIn(k)))
	}
	return all
}

func (w *writer) all() {
	w.line(0, "wendrik: 1")
	if w.head.Estate != "" {
		w.entry(0, "estate", text.Word(w.head.Estate))
	}
	if len(w.head.Scope) > 0 {
		w.entry(0, "scope", text.Words(w.head.Scope...))
	}
	if len(w.head.Ignored) > 0 {
		w.entry(0, "labels-ignored", text.Words(w.head.Ignored...))
	}
	if len(w.head.Profile) > 0 {
		w.entry(0, "profile", ProfileValue(w.head.Profile))
	}
	if len(w.head.Regions) > 0 {
		w.line(0, "\nregions:")
		for _, r := range w.head.Regions {
			w.entry(1, r.Name, text.Words(r.Zones...))
		}
	}
	for i := range w.form.shapes {
		if i == 0 {
			w.line(0, "\npatterns:")
		}
		w.shape(&w.form.shapes[i])
	}
	w.section("networks", Network, w.network)
	w.section("workloads", Workload, w.workload)
	w.section("peerings", Peering, func(t *Thing) { w.entry(1, t.Name, peeringValue(t)) })
	w.section("hubs", Hub, w.hub)
	w.section("hub-links", HubLink, func(t *Thing) { w.entry(1, t.Name, hubLinkValue(t)) })
	w.section("sites", Site, func(t *Thing) { w.entry(1, t.Name, siteValue(t)) })
}

func (w *writer) section(name string, k Kind, write func(*Thing)) {
	if len(w.of[k]) == 0 {
		return
	}
	w.line(0, "\n%s:", name)
	for _, t := range w.of[k] {
		write(t)
	}
}

// parts writes the parts of a thing that are of one kind, under a key.
func (w *writer) parts(depth int, name string, of *Thing, k Kind, write func(*Thing)) {
	w.partsUnless(depth, name, of, k, func(*Thing) bool { return false }, write)
}

func (w *writer) partsUnless(depth int, name string, of *Thing, k Kind, unless func(*Thing) bool, write func(*Thing)) {
	begun := false
	for _, t := range w.in[of.Key()] {
		if t.Kind != k || unless(t) {
			continue
		}
		if !begun {
			w.line(depth, "%s:", name)
			begun = true
		}
		write(t)
	}
}

func (w *writer) network(n *Thing) {
	w.line(1, "%s:", text.Word(n.Name))
	var f fields
	f.word("pattern", w.form.pattern[n.Key()])
	f.tags(n)
	if knobs := n.Props.Pairs("profile"); len(knobs) > 0 && !maps.Equal(knobs, w.head.Profile) {
		f = append(f, text.Field{Key: "profile", Value: ProfileValue(knobs)})
	}
	f.words("region", n.Props.Words("regions"))
	f.words("range", n.Props.Words("ranges"))
	for _, x := range f {
		w.entry(2, x.Key, x.Value)
	}
	if len(f) == 0 && len(w.in[n.Key()]) == 0 {
		w.line(2, "subnets: {}")
	}
	if w.form.pattern[n.Key()] == "" {
		w.tiers(n)
	}
	w.parts(2, "subnets", n, Subnet, func(s *Thing) { w.entry(3, s.short(), SubnetValue(s)) })
	w.partsUnless(2, "gateways", n, Gateway, func(g *Thing) bool { return w.has(n, g) }, func(g *Thing) { w.entry(3, g.short(), GatewayValue(g)) })
	w.parts(2, "tables", n, Table, func(t *Thing) {
		w.line(3, "%s:", text.Word(t.short()))
		if t.Props.Flag("main") {
			w.line(4, "main: true")
		}
		if subnets := w.tables[t.Key()]; len(subnets) > 0 {
			w.entry(4, "subnets", text.Words(subnets...))
		}
		w.routes(4, t)
	})
	w.groups(n)
	w.parts(2, "lists", n, List, func(l *Thing) {
		w.line(3, "%s:", text.Word(l.short()))
		if subnets := w.tables[l.Key()]; len(subnets) > 0 {
			w.entry(4, "subnets", text.Words(subnets...))
		}
		w.rules(4, l, n.Name)
	})
}

// shape writes a pattern.
func (w *writer) shape(s *shapeForm) {
	w.line(1, "%s:", s.name)
	w.tiers(s.like)
	for _, k := range []Kind{Gateway, Group} {
		begun := false
		for _, name := range slices.Sorted(maps.Keys(s.of)) {
			part := s.of[name]
			if part.Kind != k {
				continue
			}
			if !begun {
				w.line(2, "%s:", insides[k])
				begun = true
			}
			if k == Gateway {
				w.entry(3, part.short(), GatewayValue(part))
				continue
			}
			w.line(3, "%s:", text.Word(part.short()))
			w.b.WriteString(s.parts[name])
		}
	}
}

func (w *writer) tiers(n *Thing) {
	var names []string
	for _, s := range w.in[n.Key()] {
		if tier := s.Labels[TierLabel]; s.Kind == Subnet && tier != "" && !slices.Contains(names, tier) {
			names = append(names, tier)
		}
	}
	for i, name := range names {
		if i == 0 {
			w.line(2, "tiers:")
		}
		var f fields
		x := w.form.tiers[n.Key()][name]
		f.word("access", x.access)
		if len(x.zones) > 0 {
			f.list("zones", x.zones)
		}
		w.entry(3, name, text.Map(f...))
	}
}

func (w *writer) groups(n *Thing) {
	w.partsUnless(2, "groups", n, Group, func(g *Thing) bool { return w.has(n, g) }, func(g *Thing) {
		w.line(3, "%s:", text.Word(g.short()))
		w.rules(4, g, n.Name)
	})
}

// workload writes a workload, or all of a set at its first member.
func (w *writer) workload(t *Thing) {
	s, first := w.form.sets[t.Name]
	switch {
	case first:
		x := *t
		x.Props = maps.Clone(t.Props)
		delete(x.Props, "addresses")
		x.Props["subnet"] = KeyOf(Subnet, s.in)
		all := fields{{Key: "in", Value: text.Word(s.in)}, {Key: "count", Value: text.Word(fmt.Sprint(len(s.members)))}}
		var each []text.Value
		for _, m := range s.members {
			each = append(each, text.WordOrWords(m.Props.Words("addresses")...))
		}
		all = append(all, text.Field{Key: "addresses", Value: text.List(each...)})
		w.entry(1, s.name, text.Map(append(all, WorkloadValue(&x).Fields()[1:]...)...))
	case !w.form.inSet[t.Name]:
		w.entry(1, t.Name, WorkloadValue(t))
	}
}

// named is a range by the name of what has it, where the form has one.
func (w *writer) named(r string) string {
	name := w.form.ranges[r]
	switch {
	case name == "":
		return r
	case name == w.calling:
		return w.called
	}
	return name
}

func (w *writer) routes(depth int, table *Thing) {
	all := w.in[table.Key()]
	if len(all) == 0 {
		w.line(depth, "routes: []")
		return
	}
	w.line(depth, "routes:")
	for _, r := range all {
		x := *r
		x.Props = maps.Clone(r.Props)
		x.Props["to"] = w.named(r.Props.Word("to"))
		w.line(depth+1, "- %s", RouteValue(&x))
	}
}

func (w *writer) rules(depth int, t *Thing, network string) {
	for _, dir := range []string{"in", "out"} {
		all := t.Props.Rules(dir)
		var lines []string
		for _, r := range all {
			r.Range = w.named(r.Range)
			lines = append(lines, r.Line(dir, network))
		}
		if len(lines) < 2 {
			w.entry(depth, dir, text.Words(lines...))
			continue
		}
		w.line(depth, "%s:", dir)
		for _, line := range lines {
			w.line(depth+1, "- %s", text.Word(line))
		}
	}
}

// Line is a rule as a plan writes it in a group or list of a network, in or out.
func (r Rule) Line(dir, network string) string {
	far := "any"
	switch {
	case r.Group != "":
		in, name, _ := strings.Cut(NameIn(r.Group), "/")
		if in != network {
			name = in + "/" + name
		}
		far = "group " + name
	case r.Range != "":
		far = r.Range
	}
	word := "from"
	if dir == "out" {
		word = "to"
	}
	return strings.TrimSpace(r.Action + " " + r.Flows + " " + word + " " + far)
}

func (w *writer) hub(h *Thing) {
	w.line(1, "%s:", text.Word(h.Name))
	var f fields
	f.tags(h)
	f.word("region", h.Props.Word("region"))
	for _, x := range f {
		w.entry(2, x.Key, x.Value)
	}
	if len(w.in[h.Key()]) == 0 {
		w.line(2, "tables: {}")
	}
	w.parts(2, "attach", h, Attachment, func(a *Thing) { w.entry(3, lastOf(a.Name), attachmentValue(a)) })
	w.parts(2, "tables", h, HubTable, func(t *Thing) {
		w.line(3, "%s:", text.Word(t.short()))
		if all := w.learned[t.Key()]; len(all) > 0 {
			w.entry(4, "learns", text.Words(all...))
		}
		w.routes(4, t)
	})
}
