package cli

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

var originNames = map[estate.Origin]string{estate.Local: "always there", estate.ByHand: "by hand", estate.Learned: "learned", estate.Birth: "from birth"}

func workloadCard(w *estate.Workload) *card {
	k := &card{kind: "workload", name: w.Name, at: w.At()}
	k.fact("in", "%s", w.Plan.In.Value)
	if w.Tier != nil && w.Subnet != nil {
		k.fact("subnet", "%s", w.Subnet.ID())
	}
	if w.Set != nil {
		k.fact("one of", "%s, which counts %d", w.Set.Name, len(w.Set.Members))
	}
	k.fact("address", "%s", cmp.Or(phrase.List(w.Addrs), "none yet; wendrik carve gives it one"))
	k.tags(&w.Plan.Tags)
	if len(w.Public) > 0 {
		k.fact("public", "%s", phrase.Names(w.Public, address.Word))
	}
	if !w.Listens.Empty() {
		k.fact("listens", "%s", listens(w))
	}
	switch {
	case w.Forwards == estate.NATForwarding:
		k.fact("forwards", "what routes lead to it, under its own address")
	case w.Forwards == estate.StatefulForwarding:
		k.fact("forwards", "as it is, what belongs to a flow that it has seen begin")
	case w.Forwards == estate.PlainForwarding:
		k.fact("forwards", "what routes lead to it, as it is")
	}
	if len(w.Targets) > 0 {
		on := "what it was asked on"
		if !w.TargetPorts.Empty() {
			on = w.TargetPorts.String()
		}
		k.fact("targets", "%s, on %s", phrase.Names(w.Targets, func(x *estate.Workload) string { return x.Name }), on)
	}
	if s := w.Subnet; s != nil {
		k.fact("table", "%s", s.Table.ID())
		if s.List != nil {
			k.fact("list", "%s/%s", s.Network.Name, s.List.Name)
		}
	}
	if len(w.Groups) == 0 {
		k.fact("groups", "none: everything goes out, and nothing comes in")
	}
	rules := &sheet{header: []string{"group", "way", "rule", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for _, g := range w.Groups {
		addRules(rules, g.Name, g.In, g.Out)
	}
	k.part("groups", rules)
	return k
}

func peeringCard(p *estate.Peering) *card {
	k := &card{kind: "peering", name: p.Name, at: p.At()}
	k.fact("between", "%s and %s", p.Between[0].Name, p.Between[1].Name)
	k.fact("state", "%s", peeringState(p))
	k.tags(&p.Plan.Tags)
	for i, n := range p.Between {
		if p.Carries(n) {
			k.fact("carries", "the routes of %s to sites and hubs, for %s", n.Name, p.Between[1-i].Name)
		}
	}
	for _, n := range p.Between {
		if door := p.Door(n); door != nil {
			k.fact("arrives", "what it brings into %s looks into table %s", n.Name, door.Table.Name)
		}
	}
	k.part("routes that each side gives", given(p))
	routes := &sheet{header: []string{"table", "to", "for", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for _, n := range p.Between {
		for _, t := range n.Tables {
			for _, r := range t.Routes {
				if r.Via == p {
					routes.add(t.ID(), r.Leads(), tableFor(t), fmt.Sprint(r.At.Line()))
				}
			}
		}
	}
	k.part("routes that lead to it", routes)
	return k
}

// given lists what each end of a peering gives the other: its own ranges, and its routes to sites and hubs; and by which
// tables the other takes it, or why it does not.
func given(p *estate.Peering) *sheet {
	t := &sheet{header: []string{"from", "range", "what", "taken"}, wrap: 3}
	for i, n := range p.Between {
		far := p.Between[1-i]
		for _, r := range n.Ranges {
			t.add(n.Name, r.String(), "its own", takenBy(far, p, r))
		}
		for _, c := range n.Custom {
			taken := takenBy(far, p, c.To)
			switch {
			case !p.Exports[i]:
				taken = "no: " + n.Name + " does not export it"
			case !p.Imports[1-i]:
				taken = "no: " + far.Name + " does not import it"
			}
			t.add(n.Name, c.To.String(), "over "+c.ViaName(), taken)
		}
	}
	return t
}

// takenBy says which tables of a network lead a range over a peering, or why none does.
func takenBy(n *estate.Network, p *estate.Peering, r netip.Prefix) string {
	if !p.Stands() {
		return "no: the peering does not stand"
	}
	var tables []string
	for _, t := range n.Tables {
		if slices.ContainsFunc(t.Routes, func(x *estate.Route) bool { return x.Via == estate.Object(p) && x.To.Overlaps(r) }) {
			tables = append(tables, t.Name)
		}
	}
	if len(tables) == 0 {
		return "no: no table of " + n.Name + " leads there"
	}
	return "by " + strings.Join(tables, ", ")
}

// learnedBy are the tables of a hub that have routes to what is attached.
func learnedBy(h *estate.Hub, a *estate.Attachment) string {
	var tables []string
	for _, t := range h.Tables {
		if slices.ContainsFunc(t.Routes, func(x *estate.Route) bool { return x.Via == a.To() }) {
			tables = append(tables, t.Name)
		}
	}
	if len(tables) == 0 {
		return "no table"
	}
	return strings.Join(tables, ", ")
}

func hubCard(e *estate.Estate, h *estate.Hub) *card {
	k := &card{kind: "hub", name: h.Name, at: h.At()}
	k.tags(&h.Plan.Tags)
	attached := &sheet{header: []string{"attached", "table", "led to by"}, wrap: -1}
	for _, a := range h.Attachments {
		attached.add(a.To().ID(), a.Table.Name+arrivesIn(a.Door), learnedBy(h, a))
	}
	k.part("attachments", attached)
	links := &sheet{header: []string{"link", "to", "state"}, wrap: -1}
	for _, l := range e.HubLinks {
		if l.Between[0] == h || l.Between[1] == h {
			far, _ := l.Far(h)
			links.add(l.Name, far.Name, linkState(l))
		}
	}
	k.part("links to other hubs", links)
	for _, t := range h.Tables {
		k.part("table "+t.Name, routesSheet(t.Routes))
	}
	return k
}

func hubLinkCard(l *estate.HubLink) *card {
	k := &card{kind: "hub link", name: l.Name, at: l.At()}
	k.fact("between", "%s and %s", l.Between[0].Name, l.Between[1].Name)
	k.fact("state", "%s", linkState(l))
	for i, h := range l.Between {
		if t := l.Tables[i]; t != nil {
			k.fact("table", "what comes over it to %s looks into %s", h.Name, t.ID())
		}
	}
	over := &sheet{header: []string{"table", "to", "taken", "line"}, right: map[int]bool{3: true}, wrap: 2}
	for i, h := range l.Between {
		for _, t := range h.Tables {
			for _, r := range t.Routes {
				if r.Via != estate.Object(l) {
					continue
				}
				taken := "by table " + l.Tables[1-i].ID()
				switch far := l.Tables[1-i]; {
				case !l.Stands():
					taken = "no: the link does not stand"
				case !slices.ContainsFunc(far.Routes, func(x *estate.Route) bool { return x.To.Overlaps(r.To) }):
					taken = "no: table " + far.ID() + " leads nowhere there"
				}
				over.add(t.ID(), r.Leads(), taken, fmt.Sprint(r.At.Line()))
			}
		}
	}
	k.part("routes that lead over it", over)
	return k
}

func siteCard(s *estate.Site) *card {
	k := &card{kind: "site", name: s.Name, at: s.At()}
	k.fact("ranges", "%s", phrase.List(s.Ranges))
	k.tags(&s.Plan.Tags)
	if len(s.Knows) > 0 {
		k.fact("knows", "%s", phrase.List(s.Knows))
	} else {
		k.fact("knows", "nothing: no reply of it finds a way back")
	}
	if s.Link != nil {
		k.fact("link", "network %s%s", s.Link.Name, arrivesIn(s.Door))
	}
	for _, a := range s.Attachments {
		k.fact("hub", "%s, table %s", a.Hub.Name, a.Table.Name)
	}
	return k
}

func clusterCard(c *estate.Cluster) *card {
	k := &card{kind: "cluster", name: c.Name, at: c.At()}
	k.fact("in", "network %s", c.Network.Name)
	k.fact("pods", "%s", phrase.List(c.Pods))
	k.fact("services", "%s", phrase.List(c.Services))
	return k
}

func blockCard(e *estate.Estate, b *estate.Block) *card {
	k := &card{kind: "block", name: b.Name, at: b.At()}
	k.fact("range", "%s", phrase.List(b.Ranges))
	if b.Within != nil {
		k.fact("within", "%s", b.Within.Name)
	}
	if b.Held {
		k.fact("held", "%s", b.Plan.Held.Value)
	}
	if b.Region != "" {
		k.fact("region", "%s", b.Region)
	}
	if b.Plan.Owner.Given() {
		k.fact("owner", "%s", b.Plan.Owner.Value)
	}
	inside := &sheet{header: []string{"kind", "name", "range"}, wrap: -1}
	in := func(r netip.Prefix) bool {
		return slices.ContainsFunc(b.Ranges, func(p netip.Prefix) bool { return p.Overlaps(r) })
	}
	for _, other := range e.Blocks {
		for _, r := range other.Ranges {
			if other.Within == b && in(r) {
				inside.add("block", other.Name, r.String())
			}
		}
	}
	for _, n := range e.Networks {
		for _, r := range n.Ranges {
			if in(r) {
				inside.add("network", n.Name, r.String())
			}
		}
	}
	k.part("what lies in it", inside)
	return k
}

// card is all about one thing: facts, and tables of what is tied to it.
type card struct {
	kind, name string
	at         text.Pos
	facts      [][2]string
	parts      []part
}

type part struct {
	title string
	*sheet
}

func (c *card) fact(name, format string, args ...any) {
	c.facts = append(c.facts, [2]string{name, fmt.Sprintf(format, args...)})
}

// part adds a table, unless it is empty.
func (c *card) part(title string, t *sheet) {
	if len(t.rows) > 0 {
		c.parts = append(c.parts, part{title, t})
	}
}

func (c *call) card(k *card, src *text.Files) {
	where := ""
	if k.at.Known() {
		where = "  " + place.Sprint(clean(src.Where(k.at)))
	}
	c.say("%s%s", strong.Sprintf("%s %s", k.kind, clean(k.name)), where)
	for _, f := range k.facts {
		c.say("  %s %s", dim.Sprintf("%-10s", f[0]), c.wrap(13, clean(f[1])))
	}
	for _, p := range k.parts {
		c.say("\n%s", strong.Sprint(p.title))
		_ = c.write(p.sheet, "text")
	}
}

// inOtherWords are keys of the plan that cards tell in words of their own, beside those under the key itself.
var inOtherWords = map[estate.Kind][]string{
	estate.PeeringKind:  {"accepted", "exports", "imports"}, // its state, and what it carries
	estate.HubLinkKind:  {"accepted", "tables"},
	estate.BlockKind:    {"block"}, // its range
	estate.SetKind:      {"addresses", "public"},
	estate.WorkloadKind: {"target-ports", "arrives"},
	estate.TableKind:    {"main"}, // for whom it is
	estate.ListKind:     {"order"},
}

// cardOf is the card of an object, with all that the plan says of it; nil for a kind that has none.
func cardOf(e *estate.Estate, o estate.Object) *card {
	k := ownCard(e, o)
	if k == nil {
		return nil
	}
	told := inOtherWords[o.Kind()]
	for _, f := range k.facts {
		told = append(told, f[0])
	}
	for _, f := range o.Facts() {
		if key, _, _ := strings.Cut(f.Key, " "); !slices.Contains(told, key) {
			k.fact(f.Key, "%s", f)
		}
	}
	return k
}

// ownCard is the card of an object in the words that its kind has.
func ownCard(e *estate.Estate, o estate.Object) *card {
	switch o := o.(type) {
	case *estate.Network:
		return networkCard(o)
	case *estate.Workload:
		return workloadCard(o)
	case *estate.Set:
		return setCard(o)
	case *estate.Site:
		return siteCard(o)
	case *estate.Peering:
		return peeringCard(o)
	case *estate.Hub:
		return hubCard(e, o)
	case *estate.HubLink:
		return hubLinkCard(o)
	case *estate.Cluster:
		return clusterCard(o)
	case *estate.Block:
		return blockCard(e, o)
	case *estate.Subnet:
		return subnetCard(o)
	case *estate.Tier:
		return tierCard(o)
	case *estate.Table:
		return tableCard(o)
	case *estate.Group:
		return groupCard(o)
	case *estate.List:
		return listCard(o)
	case *estate.Gateway:
		return gatewayCard(o)
	}
	return nil
}

// The JSON of show; docs/json.md describes it.
type showOut struct {
	Things []cardOut `json:"things"`
}

type cardOut struct {
	Kind  string    `json:"kind"`
	Name  string    `json:"name"`
	Where string    `json:"where"`
	Facts []factOut `json:"facts"`
	Parts []partOut `json:"parts"`
}

type factOut struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type partOut struct {
	Title  string     `json:"title"`
	Header []string   `json:"header"`
	Rows   [][]string `json:"rows"`
}

// arrivesIn says into which table of a network packets look that come into it; empty where they get to its own ranges
// alone.
func arrivesIn(door *estate.Subnet) string {
	if door == nil {
		return ""
	}
	return "; what it brings looks into " + door.Table.ID()
}

func cardsJSON(cards []*card, src *text.Files) showOut {
	out := showOut{[]cardOut{}}
	for _, k := range cards {
		x := cardOut{k.kind, k.name, src.Where(k.at), []factOut{}, []partOut{}}
		for _, f := range k.facts {
			x.Facts = append(x.Facts, factOut{f[0], f[1]})
		}
		for _, p := range k.parts {
			x.Parts = append(x.Parts, partOut{p.title, p.header, p.rows})
		}
		out.Things = append(out.Things, x)
	}
	return out
}

// setCard is the card of as many workloads as the plan counts.
func setCard(s *estate.Set) *card {
	k := &card{kind: "set of workloads", name: s.Name, at: s.At()}
	k.fact("in", "%s", s.Plan.In.Value)
	k.fact("count", "%d", len(s.Members))
	k.tags(&s.Plan.Tags)
	t := &sheet{header: []string{"workload", "subnet", "address", "public"}, wrap: -1}
	for _, w := range s.Members {
		subnet := ""
		if w.Subnet != nil {
			subnet = w.Subnet.ID()
		}
		t.add(w.Name, subnet, phrase.List(w.Addrs), phrase.Names(w.Public, address.Word))
	}
	k.part("workloads", t)
	return k
}

// tags tells whose a thing is, and its labels.
func (k *card) tags(t *plan.Tags) {
	if t.Owner.Given() {
		k.fact("owner", "%s", t.Owner.Value)
	}
	if len(t.Labels) > 0 {
		k.fact("labels", "%s", phrase.Names(t.Labels, func(l plan.Label) string { return l.Key.Value + ": " + l.Value.Value }))
	}
}
