package stock

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// TierLabel is the label of a subnet that says its tier, for which a cloud has no property.
const TierLabel = "wendrik-tier"

// WasOfLabel says of a thing that comes back whose it was: an estate, or nobody. It never reaches a cloud, and no plan has it.
const WasOfLabel = "wendrik-was-of"

// KeepLabel is the label of what no build removes, unless it is asked for by name.
const KeepLabel = "wendrik-keep"

// Of is what an estate comes to at a cloud, in the order of Specs and of the plan. What waits for a range or an address is left out, and
// so is what no cloud is told of: space, held parts, clusters, sets of DHCP options, and what a plan expects.
func Of(e *estate.Estate) []Thing {
	b := &builder{of: map[Kind][]Thing{}}
	for _, n := range e.Networks {
		b.network(n)
	}
	for _, w := range e.Workloads {
		b.workload(w)
	}
	for _, p := range e.Peerings {
		b.peering(p)
	}
	for _, h := range e.Hubs {
		b.hub(h)
	}
	for _, l := range e.HubLinks {
		b.hubLink(l)
	}
	for _, s := range e.Sites {
		b.site(s)
	}
	var all []Thing
	there := map[string]bool{}
	for i := range Specs {
		for _, t := range b.of[Specs[i].Kind] {
			if !there[t.Key()] { // of several routes to one prefix the first counts
				there[t.Key()] = true
				all = append(all, t)
			}
		}
	}
	return Whole(all)
}

// Whole are the things all of whose names are there as well.
func Whole(all []Thing) []Thing {
	for {
		there := map[string]bool{}
		for i := range all {
			there[all[i].Key()] = true
		}
		left := slices.DeleteFunc(slices.Clone(all), func(t Thing) bool {
			return slices.ContainsFunc(t.Refs(), func(key string) bool { return !there[key] })
		})
		if len(left) == len(all) {
			return all
		}
		all = left
	}
}

// Joined are things without the attachments that a side has not accepted yet: by those nothing passes, and no plan says so.
func Joined(all []Thing) []Thing {
	waits := func(t Thing) bool { return t.Kind == Attachment && len(t.Props.Words("accepted")) < 2 }
	if !slices.ContainsFunc(all, waits) {
		return all
	}
	return slices.DeleteFunc(slices.Clone(all), waits)
}

type builder struct{ of map[Kind][]Thing }

func (b *builder) add(k Kind, name string, tags *plan.Tags, props Props) *Thing {
	t := Thing{Kind: k, Name: name, Props: Props{}}
	for key, v := range props {
		t.Props.Set(key, v)
	}
	if tags != nil {
		t.Owner = tags.Owner.Value
		for _, l := range tags.Labels {
			t.label(l.Key.Value, l.Value.Value)
		}
		if tags.Keep.Value {
			t.label(KeepLabel, "true")
		}
	}
	b.of[k] = append(b.of[k], t)
	return &b.of[k][len(b.of[k])-1]
}

func (t *Thing) label(key, value string) {
	if value == "" {
		return
	}
	if t.Labels == nil {
		t.Labels = map[string]string{}
	}
	t.Labels[key] = value
}

// key is the key of an object of the estate; empty for none.
func key(o estate.Object) string {
	kinds := map[estate.Kind]Kind{estate.NetworkKind: Network, estate.SubnetKind: Subnet, estate.GatewayKind: Gateway, estate.TableKind: Table, estate.GroupKind: Group, estate.ListKind: List,
		estate.WorkloadKind: Workload, estate.PeeringKind: Peering, estate.HubKind: Hub, estate.HubTableKind: HubTable, estate.HubLinkKind: HubLink, estate.SiteKind: Site}
	return KeyOf(kinds[o.Kind()], o.ID())
}

func keys[T estate.Object](all []T) []string {
	var out []string
	for _, o := range all {
		out = append(out, key(o))
	}
	return out
}

func words[T fmt.Stringer](all []T) []string {
	var out []string
	for _, x := range all {
		out = append(out, x.String())
	}
	return out
}

func (b *builder) network(n *estate.Network) {
	props := Props{"profile": plan.Knobs(n.Profile), "regions": n.RegionNames()}
	if n.Profile.OwnRanges {
		if props["ranges"] = words(n.Ranges); len(n.Ranges) == 0 {
			return // which waits for its range
		}
	}
	b.add(Network, n.Name, &n.Plan.Tags, props)
	me := key(n)
	for _, t := range n.Tables {
		if t.Plan != nil {
			b.add(Table, t.ID(), nil, Props{"network": me, "main": t.Main})
			b.routes(key(t), t.ID(), append(slices.Clone(t.Routes), t.Some...))
		}
	}
	for _, l := range n.Lists {
		b.add(List, l.ID(), nil, Props{"network": me, "in": rulesOf(l.In, true), "out": rulesOf(l.Out, true)})
	}
	for _, s := range n.Subnets {
		if s.Plan == nil || len(s.Ranges) == 0 {
			continue
		}
		props := Props{"network": me, "zone": s.Zone, "ranges": words(s.Ranges), "region": s.Plan.Region.Value}
		if s.Table != nil && !s.ByDefault && s.Table.Plan != nil {
			props["table"] = key(s.Table)
		}
		if s.List != nil {
			props["list"] = key(s.List)
		}
		t := b.add(Subnet, s.ID(), nil, props)
		if s.Tier != nil {
			t.label(TierLabel, s.Tier.Name)
		}
	}
	for _, g := range n.Groups {
		b.add(Group, g.ID(), nil, Props{"network": me, "in": rulesOf(g.In, false), "out": rulesOf(g.Out, false)})
	}
	for _, g := range n.Gateways {
		b.gateway(g, me)
	}
}

func (b *builder) gateway(g *estate.Gateway, network string) {
	if g.Born || g.Plan == nil {
		return
	}
	props := Props{"network": network, "type": string(g.Type)}
	if g.Type == estate.NATGateway {
		switch {
		case g.In != nil && len(g.In.Ranges) > 0:
			props["subnet"] = key(g.In)
		case g.Plan.In.Given() || len(g.Plan.Serves) > 0 && len(g.Serves) == 0:
			return // which waits for its subnets
		}
		props["addresses"], props["serves"], props["assigned"] = words(g.Addrs), keys(g.Serves), g.Assigned
		if !g.Assigned {
			props["public"] = words(g.Public)
		}
	} else {
		props["attached"] = g.Attached
	}
	if g.Door != nil {
		props["arrives"] = key(g.Door.Table)
	}
	b.add(Gateway, g.ID(), &g.Plan.Tags, props)
}

// routes adds the routes of a table that are written; those that others make the plan's own are left to them.
func (b *builder) routes(table, name string, all []*estate.Route) {
	for _, r := range all {
		if r.Origin != estate.ByHand || !r.At.Known() {
			continue
		}
		props := Props{"table": table, "to": r.To.String(), "via": Blackhole}
		if r.Via != estate.Blackhole {
			props["via"] = key(r.Via)
		}
		id := name + " " + r.To.String()
		if r.Only != nil {
			props["only"] = key(r.Only)
			id += " only " + r.Only.Name
		}
		b.add(Route, id, nil, props)
	}
}

func rulesOf(all []estate.Rule, list bool) []Rule {
	var out []Rule
	for _, r := range all {
		one := Rule{Flows: r.Flows.Word()}
		if list {
			if one.Action = "deny"; r.Allow {
				one.Action = "allow"
			}
		}
		switch {
		case r.Group != nil:
			one.Group = key(r.Group)
		case !r.Peer.Any:
			one.Range = r.Peer.Range.String()
		}
		out = append(out, one)
	}
	return out
}

func (b *builder) workload(w *estate.Workload) {
	if w.Subnet == nil || len(w.Addrs) == 0 {
		return
	}
	props := Props{"subnet": key(w.Subnet), "addresses": words(w.Addrs), "assigned": w.Assigned, "groups": keys(w.Groups), "listens": flowsOf(w.Listens), "forwards": string(w.Forwards),
		"targets": keys(w.Targets), "balances": (w.Plan.Balances.Value || len(w.Plan.Targets) > 0) && len(w.Targets) == 0}
	if len(w.Targets) > 0 { // else they wait, and so do the ports
		props["target-ports"] = flowsOf(w.TargetPorts)
	}
	if !w.Assigned {
		props["public"] = words(w.Public)
	}
	b.add(Workload, w.Name, &w.Plan.Tags, props)
}

func flowsOf(s flow.Set) string {
	if s.Empty() {
		return ""
	}
	return s.Word()
}

func (b *builder) peering(p *estate.Peering) {
	props := Props{"networks": keys(p.Between[:])}
	var accepted, exports, imports []string
	arrives := map[string]string{}
	for i, n := range p.Between {
		if p.Accepted[i] {
			accepted = append(accepted, key(n))
		}
		if p.Exports[i] {
			exports = append(exports, key(n))
		}
		if p.Imports[i] {
			imports = append(imports, key(n))
		}
		if p.Doors[i] != nil {
			arrives[key(n)] = key(p.Doors[i].Table)
		}
	}
	props["accepted"], props["exports"], props["imports"], props["arrives"] = accepted, exports, imports, arrives
	b.add(Peering, p.Name, &p.Plan.Tags, props)
}

func (b *builder) hub(h *estate.Hub) {
	b.add(Hub, h.Name, &h.Plan.Tags, Props{"region": h.Plan.Region.Value})
	for _, t := range h.Tables {
		b.add(HubTable, t.ID(), nil, Props{"hub": key(h)})
		b.routes(key(t), t.ID(), t.Routes)
	}
	for _, a := range h.Attachments {
		var by []string
		for _, t := range h.Tables {
			if slices.ContainsFunc(t.Plan.Learns, func(who plan.Text) bool { return who.Value == a.To().ID() }) {
				by = append(by, key(t))
			}
		}
		props := Props{"hub": key(h), "to": key(a.To()), "accepted": []string{key(h), key(a.To())}, "learned-by": by}
		if a.Table != nil {
			props["table"] = key(a.Table)
		}
		if a.Door != nil {
			props["arrives"] = key(a.Door.Table)
		}
		b.add(Attachment, h.Name+"/"+a.To().ID(), nil, props)
	}
}

func (b *builder) hubLink(l *estate.HubLink) {
	props := Props{"hubs": keys(l.Between[:])}
	var accepted []string
	tables := map[string]string{}
	for i, h := range l.Between {
		if l.Accepted[i] {
			accepted = append(accepted, key(h))
		}
		if l.Tables[i] != nil {
			tables[key(h)] = key(l.Tables[i])
		}
	}
	props["accepted"], props["tables"] = accepted, tables
	b.add(HubLink, l.Name, nil, props)
}

func (b *builder) site(s *estate.Site) {
	props := Props{"ranges": words(s.Ranges), "knows": words(s.Knows)}
	if s.Link != nil {
		props["link"] = key(s.Link)
	}
	if s.Door != nil {
		props["arrives"] = key(s.Door.Table)
	}
	b.add(Site, s.Name, &s.Plan.Tags, props)
}

// ProfileOf is the profile that knobs make, as Knobs gives them. The error says which of them is none.
func ProfileOf(knobs map[string]string) (profile.Profile, error) {
	e, problems := estate.Load(text.One("the profile", "wendrik: 1\nprofile: "+ProfileValue(knobs).String()+"\n"))
	if len(problems) > 0 {
		return profile.Profile{}, errors.New(problems[0].Message)
	}
	return e.Profile, nil
}

// HeadOf is what an estate's plan says of all; the name of an estate that has none is estate.
func HeadOf(e *estate.Estate) Head {
	h := Head{Estate: cmp.Or(e.Plan.Estate.Value, "estate"), Profile: plan.Knobs(e.Profile)}
	for _, x := range e.Plan.Scope {
		h.Scope = append(h.Scope, x.Value)
	}
	for _, x := range e.Plan.Ignored {
		h.Ignored = append(h.Ignored, x.Value)
	}
	for _, r := range e.Plan.Regions {
		one := Region{Name: r.Name.Value}
		for _, z := range r.Zones {
			one.Zones = append(one.Zones, z.Value)
		}
		h.Regions = append(h.Regions, one)
	}
	return h
}
