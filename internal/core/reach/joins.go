package reach

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// This file walks packets between networks: over peerings, hubs and their links, and to and from sites.

// overPeering carries a packet over a peering: into the far network's own ranges, or on by a route that it exports.
func (w *walker) overPeering(s *estate.Subnet, x *estate.Peering, r *estate.Route, p packet) {
	far := x.Far(s.Network)
	stands := w.halvesStand(x.Stands(), "peering", x.Name, "peerings."+x.Name, x.Plan.Name.At, [2]string{x.Between[0].Name, x.Between[1].Name}, x.Accepted)
	if !stands && w.quiet != nil {
		return
	}
	custom := estate.NextHop{}
	if x.Carries(far) {
		if c := lookup(p.dst, far.Custom, far.CustomRoute); c != nil {
			custom = c.Via
		}
	}
	held := p.dst.inRanges(far.Ranges)
	if !held && custom == (estate.NextHop{}) {
		if !w.fails() {
			w.misrouted("peering", r.Via.Name, s, r, p, "not-behind", "%s is not in network %s, and peering %s carries nothing further", w.describe(p.dst), far.Name, x.Name)
		}
		return
	}
	if w.quiet == nil {
		w.cross("peering " + x.Name)
		if stands {
			w.hop("peering", x.Name, x.Plan.Name.At, "into network %s", far.Name)
		}
	}
	if held {
		w.arrive(far, p)
		return
	}
	w.onward(far, custom, p)
}

// onward carries a packet that came over a peering on by an exported route.
func (w *walker) onward(n *estate.Network, via estate.NextHop, p packet) {
	if via.Site != nil {
		w.atSite(via.Site, p)
		return
	}
	if a := n.Attachment(via.Hub); a != nil {
		w.overHub(a.Hub, a.Table, p)
	}
}

// halvesStand reports whether both halves of a peering or hub link are accepted, and blocks when one is not.
func (w *walker) halvesStand(stands bool, what, name, place string, at plan.Pos, ends [2]string, accepted [2]bool) bool {
	if stands || w.fails() {
		return stands
	}
	var lacks []string
	for i, end := range ends {
		if !accepted[i] {
			lacks = append(lacks, end)
		}
	}
	both := plan.Words(ends[0], ends[1])
	code := map[string]string{"peering": "peering-half", "hub link": "hub-link-half"}[what]
	top := map[string]string{"peering": "peerings", "hub link": "hub-links"}[what]
	w.block(map[string]string{"peering": "peering", "hub link": "hub"}[what], name, plan.Finding{Code: code, At: at, Place: place,
		Message: fmt.Sprintf("%s %s is not accepted by %s", what, name, and(lacks)),
		Fix:     fmt.Sprintf("have it accepted: write  accepted: %s  at %s", both, place),
		Edits:   []plan.Edit{{Path: []string{top, name}, Key: "accepted", Value: both}}})
	return false
}

// overHub carries a packet through a table of a hub.
func (w *walker) overHub(h *estate.Hub, t *estate.HubTable, p packet) {
	if w.halted() || w.goesRound(t) {
		return
	}
	if w.quiet == nil {
		w.cross("hub " + h.Name)
	}
	r := lookup(p.dst, t.Routes, t.Lookup)
	where := ""
	if w.quiet == nil {
		where = "hub " + h.Name
		if r != nil && !r.Via.Blackhole {
			w.hop("hub", where, r.At, "table %s: %s via %s", t.Name, r.To, r.Via.Name)
		}
	}
	switch {
	case r == nil:
		w.hubNoRoute(h, t, where, p)
	case r.Via.Blackhole:
		if w.fails() {
			return
		}
		w.block("hub", where, plan.Finding{Code: "blackhole", At: r.At, Place: t.Place(),
			Message: fmt.Sprintf("table %s of hub %s drops %s on purpose", t.Name, h.Name, r.To), Fix: "remove the route, if it may pass after all"})
		w.deliver(p)
	case r.Via.Link != nil:
		w.overHubLink(h, r.Via.Link, p)
	case r.Via.Site != nil:
		if !p.dst.inRanges(r.Via.Site.Ranges) {
			w.hubNotBehind(h, t, r, where, p)
			return
		}
		w.atSite(r.Via.Site, p)
	case !p.dst.inRanges(r.Via.Network.Ranges):
		w.hubNotBehind(h, t, r, where, p)
	default:
		w.arrive(r.Via.Network, p)
	}
}

func (w *walker) hubNotBehind(h *estate.Hub, t *estate.HubTable, r *estate.Route, where string, p packet) {
	if w.fails() {
		return
	}
	w.block("hub", where, plan.Finding{Code: "not-behind", At: r.At, Place: t.Place(),
		Message: fmt.Sprintf("table %s of hub %s leads %s to %s, which does not hold %s", t.Name, h.Name, r.To, r.Via.Name, w.describe(p.dst)),
		Fix:     "lead the route to the attachment that holds it"})
	w.deliver(p)
}

// hubNoRoute blocks a packet for which a hub's table has no route, and goes on at the goal.
func (w *walker) hubNoRoute(h *estate.Hub, t *estate.HubTable, where string, p packet) {
	if w.fails() {
		return
	}
	f := plan.Finding{Code: "hub-no-route", At: t.At(), Place: t.Place(),
		Message: fmt.Sprintf("table %s of hub %s has no route to %s", t.Name, h.Name, w.describe(p.dst)), Fix: "attach what holds it, and let the table learn it"}
	path := []string{"hubs", h.Name, "tables", t.Name}
	if a := w.goalAttachment(h); a != nil {
		f.Fix = fmt.Sprintf("add  %s  to %s.learns", a.Name(), t.Place())
		f.Edits = []plan.Edit{{Path: append(path, "learns"), Value: plan.Word(a.Name())}}
	} else if l := w.goalLink(h); l != nil {
		route := plan.Map(plan.Field{Key: "to", Value: plan.Word(w.goalRange(p).String())}, plan.Field{Key: "via", Value: plan.Word(l.Name)})
		f.Fix = fmt.Sprintf("add  %s  to %s.routes", route, t.Place())
		f.Edits = []plan.Edit{{Path: append(path, "routes"), Value: route}}
		w.block("hub", where, f)
		w.overHubLink(h, l, p)
		return
	}
	w.block("hub", where, f)
	w.deliver(p)
}

// overHubLink carries a packet over a link from a hub to another, into the table that the link has there.
func (w *walker) overHubLink(h *estate.Hub, l *estate.HubLink, p packet) {
	stands := w.halvesStand(l.Stands(), "hub link", l.Name, "hub-links."+l.Name, l.Plan.Name.At, [2]string{l.Between[0].Name, l.Between[1].Name}, l.Accepted)
	if !stands && w.quiet != nil {
		return
	}
	far, table := l.Far(h)
	if stands && w.quiet == nil {
		w.hop("hub", "link "+l.Name, l.Plan.Name.At, "on to hub %s", far.Name)
	}
	w.overHub(far, table, p)
}

// goalAttachment is the attachment by which a hub could lead to the goal; nil when there is none.
func (w *walker) goalAttachment(h *estate.Hub) *estate.Attachment {
	goal := w.goal()
	for _, a := range h.Attachments {
		if a.Site != nil && a.Site == goal.Site || a.Network != nil && a.Network == goal.network() {
			return a
		}
	}
	return nil
}

// goalLink is the link by which a hub could lead to one that the goal is attached to; nil when there is none.
func (w *walker) goalLink(h *estate.Hub) *estate.HubLink {
	for _, l := range w.e.HubLinks {
		if l.Between[0] == h || l.Between[1] == h {
			if far, _ := l.Far(h); w.goalAttachment(far) != nil {
				return l
			}
		}
	}
	return nil
}

// toSite carries a packet over a link to a site.
func (w *walker) toSite(s *estate.Subnet, site *estate.Site, r *estate.Route, p packet) {
	if !p.dst.inRanges(site.Ranges) {
		if !w.fails() {
			w.misrouted("site", site.Name, s, r, p, "not-behind", "%s is not in the ranges of site %s", w.describe(p.dst), site.Name)
		}
		return
	}
	w.atSite(site, p)
}

func (w *walker) atSite(site *estate.Site, p packet) {
	if w.goal().Site != site {
		if w.fails() {
			return
		}
		w.block("site", site.Name, plan.Finding{Code: "overlap", At: site.Plan.Name.At, Place: "sites." + site.Name,
			Message: fmt.Sprintf("%s is also an address of site %s, and the packet goes there", p.dst.Addr, site.Name),
			Fix:     "give one of them a range of its own; see wendrik overlaps"})
		w.deliver(p)
		return
	}
	if w.quiet == nil {
		w.cross("site " + site.Name)
		w.hop("site", site.Name, site.Plan.Name.At, "to %s", w.describe(p.dst))
	}
}

// leaveSite carries a packet out of a site, as far as the site knows where to.
func (w *walker) leaveSite(site *estate.Site, p packet) {
	if w.quiet == nil {
		w.cross("site " + site.Name)
	}
	if !p.dst.inRanges(site.Knows) {
		if w.fails() {
			return
		}
		w.block("site", site.Name, plan.Finding{Code: "site-does-not-know", At: site.Plan.Name.At, Place: "sites." + site.Name + ".knows",
			Message: fmt.Sprintf("site %s has no route to %s", site.Name, w.describe(p.dst)),
			Fix:     fmt.Sprintf("add  %s  to sites.%s.knows", w.rangeText(p.dst), site.Name),
			Edits:   []plan.Edit{w.knowing(site, p.dst)}})
	} else if w.quiet == nil {
		w.hop("site", site.Name, site.Plan.Name.At, "it knows a way to %s", w.describe(p.dst))
	}
	if site.Link != nil && w.overSiteLink(site, p) {
		return
	}
	for i, a := range site.Attachments {
		// Of several hubs, the first whose table has a route; the last in any case, so that the reason can be told.
		if i == len(site.Attachments)-1 || lookup(p.dst, a.Table.Routes, a.Table.Lookup) != nil {
			w.overHub(a.Hub, a.Table, p)
			return
		}
	}
	if w.fails() {
		return
	}
	f := plan.Finding{Code: "not-joined", At: site.Plan.Name.At, Place: "sites." + site.Name,
		Message: fmt.Sprintf("site %s is tied to nothing that leads to %s", site.Name, w.describe(p.dst)), Fix: "link it to a network, or attach it to a hub"}
	if site.Link != nil {
		f.Message = fmt.Sprintf("the link of site %s leads into network %s only, and %s is not there", site.Name, site.Link.Name, w.describe(p.dst))
		f.Fix = "attach both to a hub, or let the network export its route to the site over a peering"
	}
	w.block("site", site.Name, f)
	w.deliver(p)
}

// overSiteLink carries a packet over the link of a site, into its network or on to a peer that imports the way to the
// site; it reports whether that leads to the destination.
func (w *walker) overSiteLink(site *estate.Site, p packet) bool {
	n := site.Link
	if p.dst.inRanges(n.Ranges) {
		if w.quiet == nil {
			w.hop("site", site.Name, site.Plan.Link.At, "its link leads into network %s", n.Name)
		}
		w.arrive(n, p)
		return true
	}
	for _, x := range n.Peerings {
		far := x.Far(n)
		if !x.Stands() || !x.Carries(n) || !p.dst.inRanges(far.Ranges) {
			continue
		}
		if w.quiet == nil {
			w.hop("site", site.Name, site.Plan.Link.At, "its link leads into network %s", n.Name)
			w.cross("peering " + x.Name)
			w.hop("peering", x.Name, x.Plan.Name.At, "into network %s, which imports the way to the site", far.Name)
		}
		w.arrive(far, p)
		return true
	}
	return false
}

// knowing is the edit that makes a site know of an address.
func (w *walker) knowing(site *estate.Site, of role) plan.Edit {
	all := make([]string, 0, len(site.Knows)+1)
	for _, p := range site.Knows {
		all = append(all, p.String())
	}
	return plan.Edit{Path: []string{"sites", site.Name}, Key: "knows", Value: plan.Words(append(all, w.rangeText(of))...)}
}

// goalRange is the range that a route to the goal would have.
func (w *walker) goalRange(p packet) netip.Prefix {
	goal := w.goal()
	switch {
	case goal.network() != nil:
		return rangeWith(goal.network().Ranges, p.dst.Addr)
	case goal.Site != nil:
		return rangeWith(goal.Site.Ranges, p.dst.Addr)
	}
	return address.Single(p.dst.Addr)
}
