package compare

import (
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file lists all that an estate is made of, each thing with the facts that the format has of it.

// item is one thing of an estate: what it is called, and facts about it.
type item struct {
	kind    string // in the plan's words: network, route, rule
	name    string // with that of its network or hub: booking/web-a
	of      string // the network, hub, table, group or list that it is a part of; empty at the top
	at      text.Pos
	place   text.Path
	facts   []fact
	affects plan.Affects // whom it touches that it comes or goes
	nth     int          // of several with one name, which
}

// fact is something that is to be known of a thing.
type fact struct {
	key, value string
	affects    plan.Affects
	names      []string // the kinds of things that its words name
	set        bool     // whether the order of its words says nothing
}

// same is the value, in the order of the alphabet where its own says nothing.
func (f fact) same() string {
	if f.set {
		return sorted(f.value)
	}
	return f.value
}

func (x *item) id() string { return fmt.Sprint(x.kind, " ", x.name, "#", x.nth) }

// say is all facts in one word, to compare by.
func (x *item) say() string {
	var b strings.Builder
	for _, f := range x.facts {
		b.WriteString(f.key + "=" + f.same() + ";")
	}
	return b.String()
}

// lister collects the items of an estate.
type lister struct {
	all     []*item
	seen    map[string]int
	affects map[string]plan.Affects // of the things at one kind of place
}

// told are keys that people know by another word.
var told = map[string]string{"block": "range", "ranges": "range", "addresses": "address", "estate": "name", "labels": "label"}

// add adds a thing with what is to be known of it.
func (l *lister) add(kind, name, of string, at text.Pos, place text.Path, facts []plan.Fact) {
	key := kind + " " + name
	x := &item{kind: kind, name: name, of: of, at: at, place: place, nth: l.seen[key]}
	l.seen[key]++
	known := false
	if x.affects, known = l.affects[kind]; !known {
		x.affects = plan.AffectsAt(place)
		l.affects[kind] = x.affects
	}
	for _, f := range facts {
		word, entry, _ := strings.Cut(f.Key, " ")
		if as := told[word]; as != "" {
			word = as
		}
		x.facts = append(x.facts, fact{strings.TrimSpace(word + " " + entry), f.String(), f.Affects, f.Names, f.Set})
		x.affects = min(x.affects, f.Affects)
	}
	l.all = append(l.all, x)
}

// thing adds an object of the estate.
func (l *lister) thing(o estate.Object, of string) {
	l.add(string(o.Kind()), o.ID(), of, o.At(), o.Place(), o.Facts())
}

// itemsOf are all things of an estate, in the order of its parts, but for some.
func itemsOf(e *estate.Estate, but *alike) []*item {
	if but == nil {
		but = &alike{}
	}
	l := &lister{seen: map[string]int{}, affects: map[string]plan.Affects{}}
	l.add("estate", "itself", "", e.Plan.Estate.At, nil, plan.Facts(e.Plan))
	for _, r := range e.Plan.Regions {
		l.add("region", r.Name.Value, "", r.Name.At, text.Path{"regions", r.Name.Value}, r.Facts())
	}
	for _, d := range e.Plan.DHCP {
		l.add("dhcp", d.Name.Value, "", d.Name.At, text.Path{"dhcp", d.Name.Value}, plan.Facts(d))
	}
	for _, b := range e.Blocks {
		l.thing(b, "")
	}
	for _, n := range e.Networks {
		if !but.networks[n.Name] {
			l.network(n)
		}
	}
	for _, w := range e.Plan.Workloads {
		if but.workloads[w.Name.Value] {
			continue
		}
		kind := estate.WorkloadKind
		if w.Count.Given() {
			kind = estate.SetKind
		}
		l.add(string(kind), w.Name.Value, "", w.Name.At, text.Path{"workloads", w.Name.Value}, plan.Facts(w))
	}
	for _, p := range e.Peerings {
		l.thing(p, "")
	}
	for _, h := range e.Hubs {
		l.hub(h)
	}
	for _, x := range e.HubLinks {
		l.thing(x, "")
	}
	for _, s := range e.Sites {
		l.thing(s, "")
	}
	for _, c := range e.Clusters {
		l.thing(c, "")
	}
	for _, x := range e.Plan.Expect {
		l.add("expectation", x.Text, "", x.At, text.Path{"expect"}, nil)
	}
	for _, w := range e.Plan.Waive {
		l.add("waiver", w.Rule.Value+" at "+w.Place.Value, "", w.At, text.Path{"waive"}, plan.Facts(&w))
	}
	return l.all
}

func (l *lister) network(n *estate.Network) {
	l.thing(n, "")
	for _, t := range n.Tiers {
		l.thing(t, n.Name)
	}
	for _, h := range n.Held {
		l.thing(h, n.Name)
	}
	for _, s := range n.Subnets {
		l.thing(s, n.Name)
	}
	for _, g := range n.Gateways {
		if g.Plan != nil {
			l.thing(g, n.Name)
		}
	}
	for _, t := range n.Tables {
		if t.Plan != nil {
			l.thing(t, n.Name)
			l.routes(t.ID(), t.Place(), t.Plan.Routes, "route")
		}
	}
	for _, g := range n.Groups {
		l.thing(g, n.Name)
		l.rules("group", g, g.Plan.In, g.Plan.Out)
	}
	for _, x := range n.Lists {
		l.thing(x, n.Name)
		l.rules("list", x, x.Plan.In, x.Plan.Out)
	}
}

func (l *lister) routes(of string, place text.Path, all []plan.Route, kind string) {
	for _, r := range all {
		to := r.To.String()
		if r.Name.Given() {
			to = r.Name.Value
		}
		some := ""
		if r.Only.Given() {
			some = " for group " + r.Only.Value
		}
		l.add(kind, fmt.Sprintf("%s: %s%s", of, to, some), of, r.At, place.To("routes"), plan.Facts(&r))
	}
}

func (l *lister) rules(kind string, o estate.Object, in, out []plan.Rule) {
	for i, rules := range [][]plan.Rule{in, out} {
		direction := []string{"in", "out"}[i]
		for _, r := range rules {
			l.add("rule", fmt.Sprintf("%s %s %s: %s", kind, o.ID(), direction, r.Text), o.ID(), r.At, o.Place().To(direction), nil)
		}
	}
}

func (l *lister) hub(h *estate.Hub) {
	l.thing(h, "")
	for i := range h.Plan.Attach {
		a := &h.Plan.Attach[i]
		l.add("attachment", h.Name+": "+a.Who.Value, h.Name, a.Who.At, h.Place().To("attach", a.Who.Value), plan.Facts(a))
	}
	for _, t := range h.Tables {
		l.thing(t, h.Name)
		for _, w := range t.Plan.Learns {
			l.add("learned route", t.ID()+": "+w.Value, t.ID(), w.At, t.Place().To("learns"), nil)
		}
		l.routes(t.ID(), t.Place(), t.Plan.Routes, "hub route")
	}
}
