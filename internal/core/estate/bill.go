package estate

import "wendrik/internal/core/plan"

// Thing is something that clouds charge for.
type Thing struct {
	Kind   string // such as  nat gateway
	Name   string
	Owner  string // who is named for it, or for what it is in; empty when nobody is
	Labels []string
}

// Charged are the kinds of things that clouds charge for, in the order in which they are told.
var Charged = []string{"network", "subnet", "nat gateway", "public address", "workload", "peering", "hub", "attachment", "hub link", "site link"}

// Things are all things of an estate that clouds charge for. A public address is counted with each workload and NAT gateway that
// has one, also where the cloud assigns it.
func (e *Estate) Things() []Thing {
	var all []Thing
	add := func(kind, name, owner string, labels []string) {
		all = append(all, Thing{kind, name, owner, labels})
	}
	for _, n := range e.Networks {
		owner, labels := n.Plan.Owner.Value, labelsOf(n.Plan.Tags.Labels)
		add("network", n.Name, owner, labels)
		for _, s := range n.Subnets {
			add("subnet", s.ID(), owner, labels)
		}
		for _, g := range n.NATs() {
			add("nat gateway", g.ID(), owner, labels)
			for range g.Public {
				add("public address", g.ID(), owner, labels)
			}
		}
	}
	for _, w := range e.Workloads {
		owner, labels := w.Plan.Owner.Value, labelsOf(w.Plan.Tags.Labels)
		if n := w.Network(); owner == "" && n != nil {
			owner = n.Plan.Owner.Value
		}
		add("workload", w.Name, owner, labels)
		for _, a := range w.Public {
			if a.Is4() {
				add("public address", w.Name, owner, labels)
			}
		}
	}
	for _, p := range e.Peerings {
		add("peering", p.Name, p.Plan.Owner.Value, labelsOf(p.Plan.Tags.Labels))
	}
	for _, h := range e.Hubs {
		owner, labels := h.Plan.Owner.Value, labelsOf(h.Plan.Tags.Labels)
		add("hub", h.Name, owner, labels)
		for _, a := range h.Attachments {
			add("attachment", h.Name+"/"+a.To().ID(), owner, labels)
		}
	}
	for _, l := range e.HubLinks {
		add("hub link", l.Name, "", nil)
	}
	for _, s := range e.Sites {
		if s.Link != nil {
			add("site link", s.Name, s.Plan.Owner.Value, labelsOf(s.Plan.Tags.Labels))
		}
	}
	return all
}

func labelsOf(all []plan.Label) []string {
	var out []string
	for _, l := range all {
		out = append(out, l.Key.Value+"="+l.Value.Value)
	}
	return out
}
