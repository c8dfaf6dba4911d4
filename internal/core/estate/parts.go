package estate

import (
	"iter"
	"maps"
	"slices"

	"wendrik/internal/core/text"
)

// Part is a part of an estate that can fail: a zone, a gateway, a workload that forwards, and whatever joins networks.
type Part struct {
	Kind string // zone, gateway, NAT gateway, workload, peering, hub, hub link, attachment or site link
	Name string
	At   text.Pos
	Gone []*Workload // that live there, and are gone with it

	out []any // the objects that packets cannot cross any more
	of  []string
}

// Networks are those that the part is of, by name: whose packets cross it first.
func (p *Part) Networks() []string { return p.of }

// Parts are all parts of an estate that can fail, in the order of the plan: zones first.
func (e *Estate) Parts() []Part {
	var all []Part
	for _, r := range e.Plan.Regions {
		for _, z := range r.Zones {
			if p := e.zone(z.Value); len(p.of) > 0 {
				p.At = z.At
				all = append(all, p)
			}
		}
	}
	for _, n := range e.Networks {
		for _, g := range n.Gateways {
			kind := "gateway"
			if g.Type == NATGateway {
				kind = "NAT gateway"
			}
			all = append(all, Part{Kind: kind, Name: g.ID(), At: g.At(), out: []any{g}, of: []string{n.Name}})
		}
	}
	for _, w := range e.Workloads {
		if w.Forwards != NotForwarding && w.Network() != nil {
			all = append(all, Part{Kind: "workload", Name: w.Name, At: w.At(), Gone: []*Workload{w}, out: []any{w}, of: []string{w.Network().Name}})
		}
	}
	for _, p := range e.Peerings {
		all = append(all, Part{Kind: "peering", Name: p.Name, At: p.At(), out: []any{p}, of: []string{p.Between[0].Name, p.Between[1].Name}})
	}
	for _, h := range e.Hubs {
		var of []string
		for _, a := range h.Attachments {
			of = append(of, a.To().ID())
		}
		all = append(all, Part{Kind: "hub", Name: h.Name, At: h.At(), out: []any{h}, of: of})
	}
	for _, l := range e.HubLinks {
		var of []string
		for _, h := range l.Between {
			for _, a := range h.Attachments {
				of = append(of, a.To().ID())
			}
		}
		all = append(all, Part{Kind: "hub link", Name: l.Name, At: l.At(), out: []any{l}, of: of})
	}
	for _, h := range e.Hubs {
		for _, a := range h.Attachments {
			all = append(all, Part{Kind: "attachment", Name: h.Name + "/" + a.To().ID(), At: a.At, out: []any{a}, of: []string{a.To().ID()}})
		}
	}
	for _, s := range e.Sites {
		if s.Link != nil {
			all = append(all, Part{Kind: "site link", Name: s.Name, At: s.Plan.Link.At, out: []any{SiteLink{s}}, of: []string{s.Link.Name, s.Name}})
		}
	}
	return all
}

// SiteLink is the link of a site, as a thing that packets cannot cross.
type SiteLink struct{ Site *Site }

// zone is a zone as a part: the workloads of its subnets, and the NAT gateways and forwarding workloads among them.
func (e *Estate) zone(name string) Part {
	p := Part{Kind: "zone", Name: name}
	for _, s := range e.Subnets {
		if s.Zone != name {
			continue
		}
		if !slices.Contains(p.of, s.Network.Name) {
			p.of = append(p.of, s.Network.Name)
		}
		p.Gone = append(p.Gone, s.Workloads...)
		for _, w := range s.Workloads {
			p.out = append(p.out, w)
		}
		for _, g := range s.Network.Gateways {
			if g.In == s {
				p.out = append(p.out, g)
			}
		}
	}
	return p
}

// Without is the estate with some parts out of order: packets that come to them are lost, and balancers hand nothing on to what
// is gone. It shares all else with the estate.
func (e *Estate) Without(parts ...Part) *Estate {
	without := *e
	without.out, without.derived = map[any]bool{}, &derived{}
	for x := range e.out {
		without.out[x] = true
	}
	for _, p := range parts {
		for _, x := range p.out {
			without.out[x] = true
		}
	}
	return &without
}

// Out reports whether something is out of order.
func (e *Estate) Out(x any) bool {
	if e.watch != nil {
		e.watch.asked[x] = true
	}
	return len(e.out) > 0 && e.out[x]
}

// Watch is what an estate was asked whether it is out of order. An answer that came about without a word about some parts is the same while
// these are out of order, since nothing else tells such estates apart.
type Watch struct {
	asked map[any]bool
	taken []any
}

// Watched is the estate, and what notes of which things it is asked whether they are out of order, by one question at a time.
func (e *Estate) Watched() (*Estate, *Watch) {
	watched := *e
	watched.watch = &Watch{asked: map[any]bool{}}
	return &watched, watched.watch
}

// Take gives what was asked since it was taken last, until it is taken again.
func (w *Watch) Take() []any {
	w.taken = w.taken[:0]
	for x := range w.asked {
		w.taken = append(w.taken, x)
	}
	clear(w.asked)
	return w.taken
}

// AnyOut reports whether any of some things is out of order.
func (e *Estate) AnyOut(things []any) bool { return slices.ContainsFunc(things, e.Out) }

// OutOfOrder is all that is out of order, in no order.
func (e *Estate) OutOfOrder() iter.Seq[any] { return maps.Keys(e.out) }

// Failing reports whether anything is out of order.
func (e *Estate) Failing() bool { return len(e.out) > 0 }

// OutForwards reports whether a workload that forwards is out of order.
func (e *Estate) OutForwards() bool {
	for x := range e.out {
		if w, is := x.(*Workload); is && w.Forwards != NotForwarding {
			return true
		}
	}
	return false
}
