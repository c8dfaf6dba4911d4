package compare

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file lists all that an estate is made of, each thing with the words that say it.

// item is one thing of an estate: what it is called, and facts about it.
type item struct {
	kind  string // in the plan's words: network, route, rule
	name  string // with that of its network or hub: booking/web-a
	of    string // the network, hub, table, group or list that it is a part of; empty at the top
	at    text.Pos
	place text.Path
	facts []fact
	nth   int // of several with one name, which
}

// fact is something that is to be known of a thing, by the key that the plan has for it.
type fact struct{ key, value string }

func (x *item) id() string { return fmt.Sprint(x.kind, " ", x.name, "#", x.nth) }

// say is all facts in one word, to compare by.
func (x *item) say() string {
	var b strings.Builder
	for _, f := range x.facts {
		b.WriteString(f.key + "=" + f.value + ";")
	}
	return b.String()
}

// lister collects the items of an estate.
type lister struct {
	all  []*item
	seen map[string]int
}

func (l *lister) add(kind, name, of string, at text.Pos, place text.Path, facts ...fact) {
	var said []fact
	for _, f := range facts {
		if f.value != "" {
			said = append(said, f)
		}
	}
	key := kind + " " + name
	l.all = append(l.all, &item{kind, name, of, at, place, said, l.seen[key]})
	l.seen[key]++
}

func texts(all []plan.Text) string {
	var words []string
	for _, t := range all {
		words = append(words, t.Value)
	}
	return strings.Join(words, ", ")
}

func flowsOf(all []plan.Flows) string {
	return phrase.Names(all, func(f plan.Flows) string { return f.String() })
}

func addrsOf(all []plan.Addr) string {
	return phrase.Names(all, func(a plan.Addr) string { return a.String() })
}

func rangesOf(all []plan.Range) string {
	return phrase.Names(all, func(r plan.Range) string { return r.String() })
}

func number(n plan.Number, form string) string {
	if !n.Given() {
		return ""
	}
	return fmt.Sprintf(form, n.Value)
}

func tags(t *plan.Tags) []fact {
	all := []fact{{"owner", t.Owner.Value}}
	for _, x := range t.Labels {
		all = append(all, fact{"label " + x.Key.Value, x.Value.Value})
	}
	return all
}

func attachments(all []plan.Attachment) string {
	return phrase.Names(all, func(a plan.Attachment) string { return a.Who.Value + ": " + a.Table.Value })
}

// itemsOf are all things of an estate, in the order of its parts.
func itemsOf(e *estate.Estate) []*item {
	l := &lister{seen: map[string]int{}}
	l.add("estate", "itself", "", e.Plan.Estate.At, nil, fact{"name", e.Plan.Estate.Value}, fact{"profile", fmt.Sprintf("%+v", e.Profile)}, fact{"naming", e.Plan.Naming.Value}, fact{"labels-required", texts(e.Plan.Required)})
	for _, r := range e.Plan.Regions {
		l.add("region", r.Name.Value, "", r.Name.At, text.Path{"regions", r.Name.Value}, fact{"zones", texts(r.Zones)})
	}
	for _, d := range e.Plan.DHCP {
		l.add("dhcp", d.Name.Value, "", d.Name.At, text.Path{"dhcp", d.Name.Value}, fact{"domain", d.Domain.Value}, fact{"dns", texts(d.DNS)}, fact{"ntp", texts(d.NTP)}, fact{"mtu", number(d.MTU, "%d")})
	}
	for _, b := range e.Blocks {
		l.add("block", b.Name, "", b.At(), b.Place(), fact{"range", phrase.List(b.Ranges)}, fact{"within", b.Plan.Within.Value}, fact{"region", b.Region}, fact{"held", b.Plan.Held.Value}, fact{"owner", b.Plan.Owner.Value})
	}
	for _, n := range e.Networks {
		l.network(n, e)
	}
	for _, w := range e.Plan.Workloads {
		l.workload(w)
	}
	for _, p := range e.Peerings {
		l.add("peering", p.Name, "", p.At(), p.Place(), append(tags(&p.Plan.Tags), fact{"between", p.Between[0].Name + ", " + p.Between[1].Name}, fact{"accepted", accepted(p.Accepted, [2]string{p.Between[0].Name, p.Between[1].Name})},
			fact{"exports", texts(p.Plan.Exports)}, fact{"imports", texts(p.Plan.Imports)}, fact{"arrives", attachments(p.Plan.Arrives)}, fact{"only", texts(p.Plan.Only)})...)
	}
	for _, h := range e.Hubs {
		l.hub(h)
	}
	for _, x := range e.HubLinks {
		l.add("hub link", x.Name, "", x.At(), x.Place(), fact{"between", x.Between[0].Name + ", " + x.Between[1].Name}, fact{"accepted", accepted(x.Accepted, [2]string{x.Between[0].Name, x.Between[1].Name})}, fact{"tables", attachments(x.Plan.Tables)})
	}
	for _, s := range e.Sites {
		l.add("site", s.Name, "", s.At(), s.Place(), append(tags(&s.Plan.Tags), fact{"range", phrase.List(s.Ranges)}, fact{"knows", phrase.List(s.Knows)}, fact{"link", s.Plan.Link.Value}, fact{"arrives", s.Plan.Arrives.Value})...)
	}
	for _, c := range e.Clusters {
		l.add("cluster", c.Name, "", c.At(), c.Place(), fact{"in", c.Plan.In.Value}, fact{"pods", phrase.List(c.Pods)}, fact{"services", phrase.List(c.Services)})
	}
	for _, x := range e.Plan.Expect {
		l.add("expectation", x.Text, "", x.At, text.Path{"expect"})
	}
	for _, w := range e.Plan.Waive {
		l.add("waiver", w.Rule.Value+" at "+w.Place.Value, "", w.At, text.Path{"waive"}, fact{"because", w.Because.Value}, fact{"until", w.Until.Value})
	}
	return l.all
}

func accepted(has [2]bool, names [2]string) string {
	var all []string
	for i, x := range has {
		if x {
			all = append(all, names[i])
		}
	}
	return strings.Join(all, ", ")
}

func (l *lister) network(n *estate.Network, e *estate.Estate) {
	p := n.Plan
	profile := ""
	if n.Profile != e.Profile {
		profile = fmt.Sprintf("%+v", n.Profile)
	}
	l.add("network", n.Name, "", n.At(), n.Place(), append(tags(&p.Tags), fact{"range", rangesOf(p.Ranges)}, fact{"region", texts(p.Regions)}, fact{"size", number(p.Size, "/%d")}, fact{"size6", number(p.Size6, "/%d")}, fact{"from", p.From.Value},
		fact{"slot", number(p.Slot, "%d")}, fact{"layout", p.Layout.Value}, fact{"naming", p.Naming.Value}, fact{"nat", p.NAT.Value}, fact{"dhcp", p.DHCP.Value}, fact{"profile", profile})...)
	for _, t := range n.Tiers {
		l.add("tier", t.ID(), n.Name, t.At(), t.Place(), fact{"access", t.Plan.Access.Value}, fact{"hosts", number(t.Plan.Hosts, "%d")}, fact{"growth", number(t.Plan.Growth, "%d%%")}, fact{"size", number(t.Plan.Size, "/%d")},
			fact{"slot", number(t.Plan.Slot, "%d")}, fact{"zones", texts(t.Plan.Zones)}, fact{"spare", number(t.Plan.Spare, "%d")}, fact{"public", t.Plan.Public.Value})
	}
	for _, h := range n.Held {
		l.add("held part", h.ID(), n.Name, h.At(), h.Place(), append(tags(&h.Plan.Tags), fact{"range", phrase.List(h.Ranges)}, fact{"size", number(h.Plan.Size, "/%d")}, fact{"for", h.Plan.For.Value})...)
	}
	for _, s := range n.Subnets {
		list := ""
		if s.List != nil {
			list = s.List.Name
		}
		l.add("subnet", s.ID(), n.Name, s.At(), s.Place(), fact{"range", phrase.List(s.Ranges)}, fact{"size", number(s.Plan.Size, "/%d")}, fact{"slot", number(s.Plan.Slot, "%d")}, fact{"tier", s.Plan.Tier.Value}, fact{"zone", s.Zone}, fact{"region", s.Plan.Region.Value},
			fact{"table", s.Table.Name}, fact{"list", list}, fact{"public", s.Plan.Public.Value})
	}
	for _, g := range n.Gateways {
		if x := g.Plan; x != nil {
			attached := ""
			if x.Attached.Given() && !x.Attached.Value {
				attached = "false"
			}
			l.add("gateway", g.ID(), n.Name, g.At(), g.Place(), append(tags(&x.Tags), fact{"kind", x.Kind.Value}, fact{"attached", attached}, fact{"in", x.In.Value}, fact{"address", addrsOf(x.Addrs)}, fact{"serves", phrase.Names(g.Serves, (*estate.Subnet).ID)},
				fact{"public", addrsOf(x.Public) + x.Assigned.Value}, fact{"arrives", x.Arrives.Value})...)
		}
	}
	for _, t := range n.Tables {
		if t.Plan == nil {
			continue
		}
		main := ""
		if t.Main {
			main = "true"
		}
		l.add("route table", t.ID(), n.Name, t.At(), t.Place(), fact{"main", main})
		l.routes(t.ID(), t.Place(), t.Plan.Routes, "route")
	}
	for _, g := range n.Groups {
		l.add("group", g.ID(), n.Name, g.At(), g.Place())
		l.rules("group", g, g.Plan.In, g.Plan.Out)
	}
	for _, x := range n.Lists {
		l.add("list", x.ID(), n.Name, x.At(), x.Place(), fact{"order in", order(x.Plan.In)}, fact{"order out", order(x.Plan.Out)})
		l.rules("list", x, x.Plan.In, x.Plan.Out)
	}
}

func order(rules []plan.Rule) string {
	return phrase.Names(rules, func(r plan.Rule) string { return r.Text })
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
		l.add(kind, fmt.Sprintf("%s: %s%s", of, to, some), of, r.At, place.To("routes"), fact{"via", r.Via.Value})
	}
}

func (l *lister) rules(kind string, o estate.Object, in, out []plan.Rule) {
	for i, rules := range [][]plan.Rule{in, out} {
		direction := []string{"in", "out"}[i]
		for _, r := range rules {
			l.add("rule", fmt.Sprintf("%s %s %s: %s", kind, o.ID(), direction, r.Text), o.ID(), r.At, o.Place().To(direction))
		}
	}
}

func (l *lister) workload(w *plan.Workload) {
	kind, addresses := "workload", addrsOf(w.Addrs)
	if w.Count.Given() {
		kind = "set of workloads"
		addresses = phrase.Names(w.Each, func(a []plan.Addr) string { return addrsOf(a) })
	}
	groups := slices.Clone(w.Groups)
	slices.SortStableFunc(groups, func(a, b plan.Text) int { return strings.Compare(a.Value, b.Value) })
	l.add(kind, w.Name.Value, "", w.Name.At, text.Path{"workloads", w.Name.Value}, append(tags(&w.Tags), fact{"in", w.In.Value}, fact{"count", number(w.Count, "%d")}, fact{"address", addresses}, fact{"public", addrsOf(w.Public) + w.Assigned.Value},
		fact{"groups", texts(groups)}, fact{"listens", flowsOf(w.Listens)}, fact{"forwards", w.Forwards.Value}, fact{"targets", texts(w.Targets)}, fact{"target-ports", flowsOf(w.TargetPorts)})...)
}

func (l *lister) hub(h *estate.Hub) {
	l.add("hub", h.Name, "", h.At(), h.Place(), append(tags(&h.Plan.Tags), fact{"region", h.Plan.Region.Value})...)
	for _, a := range h.Plan.Attach {
		l.add("attachment", h.Name+": "+a.Who.Value, h.Name, a.Who.At, h.Place().To("attach", a.Who.Value), fact{"table", a.Table.Value}, fact{"arrives", a.Arrives.Value}, fact{"only", texts(a.Only)})
	}
	for _, t := range h.Tables {
		l.add("hub table", t.ID(), h.Name, t.At(), t.Place())
		for _, w := range t.Plan.Learns {
			l.add("learned route", t.ID()+": "+w.Value, t.ID(), w.At, t.Place().To("learns"))
		}
		l.routes(t.ID(), t.Place(), t.Plan.Routes, "hub route")
	}
}
