package wire

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// This file leads packets to what networks are joined to: peers, what is behind hubs, and sites.

// joined is a route to what a network is joined to, by name.
type joined struct {
	to, via string // by name: all of what is joined, or a part of it that is meant
	place   string // the network or site
	ranges  []netip.Prefix
	from    estate.Meant // of the network that is led from
}

// joins are the routes to peers, to what is behind hubs, and to sites that some subnets of a network need.
func (w *wirer) joins(n *estate.Network, subnets []*estate.Subnet) []joined {
	all := w.allJoins(n)
	return slices.DeleteFunc(slices.Clone(all), func(j joined) bool { return !w.needs.wants(n, j, subnets) || w.inTheWay(n, j, all) != "" })
}

// allJoins are the routes to all that a network is joined to.
func (w *wirer) allJoins(n *estate.Network) []joined {
	if w.joinsOf == nil {
		w.joinsOf = map[*estate.Network][]joined{}
	}
	all, known := w.joinsOf[n]
	if known {
		return all
	}
	defer func() { w.joinsOf[n] = all }()
	had := map[string]bool{}
	add := func(to, via string, ranges []netip.Prefix, from, far estate.Meant) {
		if len(ranges) == 0 || had[to] {
			return
		}
		had[to] = true
		if far.All() {
			all = append(all, joined{to, via, to, ranges, from})
		}
		for _, word := range far.Words {
			var some []netip.Prefix
			for _, s := range far.Subnets {
				if s.In(word) {
					some = append(some, s.Ranges...)
				}
			}
			if len(some) > 0 {
				all = append(all, joined{word, via, to, some, from})
			}
		}
	}
	for _, p := range n.Peerings {
		if !n.Profile.PeerRoutes {
			i := slices.Index(p.Between[:], n)
			add(p.Far(n).Name, p.Name, p.Far(n).Ranges, p.Meant[i], p.Meant[1-i])
		}
	}
	for _, a := range n.Attachments {
		for _, o := range a.Hub.Attachments {
			if o.Network != n {
				add(o.To().ID(), a.Hub.Name, o.Ranges(), a.Meant, o.Meant)
			}
		}
		for _, l := range a.Hub.Links {
			for _, o := range behind(l, a.Hub) {
				if o.Network != n {
					add(o.To().ID(), a.Hub.Name, o.Ranges(), a.Meant, o.Meant)
				}
			}
		}
	}
	for _, s := range n.Links {
		add(s.Name, s.Name, s.Ranges, estate.Meant{}, estate.Meant{})
	}
	return all
}

// inTheWay is whose range overlaps that of something joined, so that a route to it would lead the packets of the other
// astray; empty for nobody's.
func (w *wirer) inTheWay(n *estate.Network, j joined, all []joined) string {
	overlap := func(p netip.Prefix) bool {
		return slices.ContainsFunc(j.ranges, func(q netip.Prefix) bool { return p.Overlaps(q) })
	}
	if slices.ContainsFunc(n.Ranges, overlap) {
		return "network " + n.Name
	}
	for _, o := range all {
		if o.to != j.to && slices.ContainsFunc(o.ranges, overlap) {
			return o.to
		}
	}
	for _, t := range n.Tables {
		for _, r := range t.Routes {
			if r.Origin == estate.ByHand && r.To.Bits() > 0 && overlap(r.To) && r.ViaName() != j.via && !w.passes(r.Via, j) {
				return "what table " + t.ID() + " leads to " + r.ViaName()
			}
		}
	}
	return ""
}

// hub has each table of a hub learn who is attached, where it learns nobody and leads nowhere.
func (w *wirer) hub(h *estate.Hub) {
	var all []string
	for _, a := range h.Attachments {
		all = append(all, a.To().ID())
	}
	linked := slices.ContainsFunc(h.Links, (*estate.HubLink).Stands) // over which others come to the only one
	for _, t := range h.Tables {
		if learns := slices.DeleteFunc(slices.Clone(all), func(name string) bool { return w.leaves(hubLead(h.Name, t.Name, name)) }); len(t.Plan.Learns) == 0 && len(t.Plan.Routes) == 0 && (len(all) > 1 || linked) && len(learns) > 0 {
			w.add("learns", fmt.Sprintf("table %s of hub %s has no routes", t.Name, h.Name), text.Set(t.Place(), "learns", text.Words(learns...)))
		}
	}
	for _, l := range h.Links {
		w.overLink(h, l)
	}
}

// behind is what is attached to the hub at the far end of a link, where that stands.
func behind(l *estate.HubLink, from *estate.Hub) []*estate.Attachment {
	if !l.Stands() {
		return nil
	}
	far, _ := l.Far(from)
	return far.Attachments
}

// overLink has the tables of a hub lead over a link to what is attached at its far end, where none of them leads over it yet.
func (w *wirer) overLink(h *estate.Hub, l *estate.HubLink) {
	leads := func(t *estate.HubTable) bool {
		return slices.ContainsFunc(t.Routes, func(r *estate.Route) bool { return r.Via == estate.Object(l) })
	}
	if slices.ContainsFunc(h.Tables, leads) {
		return
	}
	for _, t := range h.Tables {
		asked := slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return a.Table == t })
		far := behind(l, h)
		if spoken := slices.DeleteFunc(slices.Clone(far), func(o *estate.Attachment) bool { return !w.needs.meets(h, o) }); len(spoken) > 0 {
			far = spoken
		}
		for _, o := range far {
			held := slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return a.To() == o.To() })
			if asked && !held && len(o.Ranges()) > 0 && !w.leaves(hubLead(h.Name, t.Name, o.To().ID())) {
				w.add("link", fmt.Sprintf("table %s of hub %s has no route over link %s", t.Name, h.Name, l.Name), text.Add(t.Place().To("routes"), route(o.To().ID(), l.Name)))
			}
		}
	}
}

// site has a site know the networks that it is joined to.
func (w *wirer) site(s *estate.Site) {
	var lacks []string
	need := func(n *estate.Network) {
		if len(n.Ranges) > 0 && w.needs.knows(s, n) && !slices.ContainsFunc(n.Ranges, func(p netip.Prefix) bool { return s.KnowsOf(p.Addr()) }) && !slices.Contains(lacks, n.Name) && !w.leaves(siteLead(s.Name, n.Name)) {
			lacks = append(lacks, n.Name)
		}
	}
	if s.Link != nil {
		need(s.Link)
	}
	for _, a := range s.Attachments {
		for _, o := range a.Hub.Attachments {
			if o.Network != nil {
				need(o.Network)
			}
		}
		for _, l := range a.Hub.Links {
			for _, o := range behind(l, a.Hub) {
				if o.Network != nil {
					need(o.Network)
				}
			}
		}
	}
	for _, name := range lacks {
		w.add("knows", fmt.Sprintf("site %s has no route to network %s, which it is joined to", s.Name, name), text.Add(s.Place().To("knows"), text.Word(name)))
	}
}
