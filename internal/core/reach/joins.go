package reach

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file walks packets between networks: over peerings, hubs and their links, and to and from sites.

// overPeering carries a packet over a peering: into the far network's own ranges, or on by a route that it exports.
func (w *walker) overPeering(s *estate.Subnet, x *estate.Peering, r *estate.Route, p packet) {
	far := x.Far(s.Network)
	stands := w.halvesStand(x, PeeringHalf, [2]string{x.Between[0].Name, x.Between[1].Name}, x.Accepted)
	if w.halted() {
		return
	}
	var custom estate.Object
	if x.Carries(far) {
		if c := lookup(p.dst, far.Custom, far.CustomRoute); c != nil {
			custom = c.Via
		}
	}
	if door := x.Door(far); door != nil {
		w.crosses(x)
		if stands {
			w.hop(Hop{Did: PeeringCrossed, Object: x, At: x.At(), Into: far})
		}
		w.leaveSubnet(door, p)
		return
	}
	held := p.dst.inRanges(far.Ranges)
	if !held && custom == nil {
		if !w.unexplained() && !w.uncarried(s, x, p) {
			w.misrouted(x, s, r, p, NotBehind, "%s is not in network %s, and peering %s carries nothing further", w.describe(p.dst), far.Name, x.Name)
		}
		return
	}
	w.crosses(x)
	if stands {
		w.hop(Hop{Did: PeeringCrossed, Object: x, At: x.At(), Into: far})
	}
	if held {
		w.arrive(far, p)
		return
	}
	w.onward(far, custom, p)
}

// uncarried blocks a packet that a peering would carry on if the far network's way to the goal were there, exported and
// imported, with a cause for each of these that lacks; it reports whether there is such a way, and then goes on by it.
func (w *walker) uncarried(s *estate.Subnet, x *estate.Peering, p packet) bool {
	far := x.Far(s.Network)
	var via estate.Object
	r := lookup(p.dst, far.Custom, far.CustomRoute)
	if r != nil {
		via = r.Via
	} else if to, found := w.behind(far, p); found {
		via = to.via
		f := diag.Finding{Code: NoExportedRoute, At: far.Main.At(), Place: far.Main.Place(),
			Message: fmt.Sprintf("the main table of network %s has no route to %s over %s that it could export", far.Name, w.describe(p.dst), to.viaName()),
			Fixes:   diag.By(to.edits(far.Main)...)}
		for _, other := range far.Main.Routes {
			if other.Origin == estate.ByHand && other.To == to.to {
				f.Fixes = to.instead(far.Main, other)
			}
		}
		if w.goal().Site == nil { // the same table may need a route of its own to that network, by another way
			f.Fixes = append(f.Fixes, diag.Advise("join the two networks themselves")...)
		}
		w.block(x, f)
	}
	if via == nil {
		return false
	}
	w.carriedFrom(x, far)
	w.onward(far, via, p)
	return true
}

// carriedFrom blocks where a peering does not carry the routes of one end to the other, with a cause for each side that
// lacks.
func (w *walker) carriedFrom(x *estate.Peering, from *estate.Network) {
	end, near := 0, x.Far(from)
	if x.Between[1] == from {
		end = 1
	}
	for _, half := range []struct {
		given bool
		code  diag.Code
		n     *estate.Network
		key   string
		does  string
	}{{x.Exports[end], NotExported, from, "exports", "export its routes to sites and hubs"}, {x.Imports[1-end], NotImported, near, "imports", "import its peer's routes to sites and hubs"}} {
		if !half.given {
			w.block(x, diag.Finding{Code: half.code, At: x.At(), Place: x.Place(),
				Message: fmt.Sprintf("network %s does not %s over peering %s", half.n.Name, half.does, x.Name),
				Fixes:   diag.By(text.Add(x.Place().To(half.key), text.Word(half.n.Name)))})
		}
	}
}

// behind is the way from a network to the goal by a link or a hub of its own.
func (w *walker) behind(n *estate.Network, p packet) (way, bool) {
	goal := w.goal()
	switch {
	case goal.Site != nil && goal.Site.Holds(p.dst.Addr) && goal.Site.Link == n:
		return way{rangeWith(goal.Site.Ranges, p.dst.Addr), goal.Site}, true
	case goal.Site != nil && goal.Site.Holds(p.dst.Addr):
		return w.hubWay(n, rangeWith(goal.Site.Ranges, p.dst.Addr))
	case goal.network() != nil && goal.network() != n && goal.network().Holds(p.dst.Addr):
		return w.hubWay(n, rangeWith(goal.network().Ranges, p.dst.Addr))
	}
	return way{}, false
}

// onward carries a packet that came over a peering on by an exported route.
func (w *walker) onward(n *estate.Network, via estate.Object, p packet) {
	switch via := via.(type) {
	case *estate.Site:
		w.works(estate.SiteLink{Site: via}, via)
		w.atSite(via, p)
	case *estate.Hub:
		if a := n.Attachment(via); a != nil {
			w.works(a, via)
			w.overHub(a.Hub, a.Table, p)
		}
	}
}

// halvesStand reports whether both halves of a peering or hub link are accepted, and blocks when one is not.
func (w *walker) halvesStand(x estate.Object, code diag.Code, ends [2]string, accepted [2]bool) bool {
	if stands := accepted[0] && accepted[1]; stands || w.unexplained() {
		return stands
	}
	var lacks []string
	for i, end := range ends {
		if !accepted[i] {
			lacks = append(lacks, end)
		}
	}
	w.block(x, diag.Finding{Code: code, At: x.At(), Place: x.Place(),
		Message: fmt.Sprintf("%s %s is not accepted by %s", x.Kind(), x.ID(), phrase.And(lacks)),
		Fixes:   diag.By(text.Set(x.Place(), "accepted", text.Words(ends[0], ends[1])))})
	return false
}

// overHub carries a packet through a table of a hub.
func (w *walker) overHub(h *estate.Hub, t *estate.HubTable, p packet) {
	if w.halted() || w.hubRound(h, t, p) {
		return
	}
	w.crosses(h)
	r := w.choose(lookup(p.dst, t.Routes, t.Lookup), attached(h))
	if r == nil {
		w.hubNoRoute(h, t, p)
		return
	}
	if r.Via != estate.Blackhole {
		w.hop(Hop{Did: HubRouted, Object: h, Table: t, Route: r, At: r.At})
	}
	switch via := r.Via.(type) {
	case *estate.HubLink:
		w.works(via, via)
		w.overHubLink(h, via, p)
	case *estate.Site:
		for _, a := range via.Attachments {
			if a.Hub == h {
				w.works(a, h)
			}
		}
		if !p.dst.inRanges(via.Ranges) {
			w.hubNotBehind(h, t, r, p)
			return
		}
		w.atSite(via, p)
	case *estate.Network:
		if a := via.Attachment(h); a != nil {
			w.works(a, h)
		}
		if a := via.Attachment(h); a != nil && a.Door != nil {
			w.leaveSubnet(a.Door, p)
			return
		}
		if !p.dst.inRanges(via.Ranges) {
			if !via.ExportsTo(h) || !w.toImporter(via, p) {
				w.hubNotBehind(h, t, r, p)
			}
			return
		}
		w.arrive(via, p)
	default:
		if w.unexplained() {
			return
		}
		w.block(h, diag.Finding{Code: BlackholeRoute, At: r.At, Place: t.Place(),
			Message: fmt.Sprintf("table %s of hub %s drops %s on purpose", t.Name, h.Name, r.Leads()), Fixes: diag.Advise("remove the route, if it may pass after all")})
		w.deliver(p)
	}
}

func (w *walker) hubNotBehind(h *estate.Hub, t *estate.HubTable, r *estate.Route, p packet) {
	if w.unexplained() {
		return
	}
	f := diag.Finding{Code: NotBehind, At: r.At, Place: t.Place(),
		Message: fmt.Sprintf("table %s of hub %s leads %s to %s, which does not hold %s", t.Name, h.Name, r.Leads(), r.ViaName(), w.describe(p.dst)),
		Fixes:   diag.Advise("lead the route to the attachment that holds it")}
	if fixes := w.hubInstead(h, t, r); fixes != nil {
		f.Fixes = fixes
	}
	if n, is := r.Via.(*estate.Network); is {
		f.Message += " and passes nothing on"
		f.Fixes = append(f.Fixes, diag.Advise(fmt.Sprintf("write  %s: {table: %s, arrives: TABLE}  under attach of the hub, with a table of network %s that leads on", n.Name, w.attachedTable(h, n), n.Name))...)
	}
	w.block(h, f)
	w.deliver(p)
}

// hubRound ends a walk that goes in a circle through a hub's table.
func (w *walker) hubRound(h *estate.Hub, t *estate.HubTable, p packet) bool {
	if !w.tooLong() {
		return false
	}
	if w.unexplained() {
		return true
	}
	f := w.circle(t)
	if r := t.Lookup(p.dst.Addr); r != nil {
		if fixes := w.hubInstead(h, t, r); fixes != nil {
			f.Fixes = fixes
		}
	}
	w.block(t, f)
	return true
}

// hubInstead leads a route that was written in a hub's table to what holds the goal; nil when nothing that is attached does.
func (w *walker) hubInstead(h *estate.Hub, t *estate.HubTable, r *estate.Route) []diag.Fix {
	nth := slices.IndexFunc(t.Plan.Routes, func(x plan.Route) bool { return x.At == r.At })
	a := w.goalAttachment(h)
	if nth < 0 || a == nil || a.To() == r.Via {
		return nil
	}
	lead := text.Set(t.Place().To("routes", fmt.Sprint(nth+1)), "via", text.Word(a.To().ID()))
	return []diag.Fix{{Edits: []text.Edit{lead}, Advice: fmt.Sprintf("which leads  %s  there instead", r.To)}}
}

// attachedTable is the name of the hub table that an attached network's packets look into.
func (w *walker) attachedTable(h *estate.Hub, n *estate.Network) string {
	if a := n.Attachment(h); a != nil {
		return a.Table.Name
	}
	return "TABLE"
}

// hubNoRoute blocks a packet for which a hub's table has no route, and goes on at the goal.
func (w *walker) hubNoRoute(h *estate.Hub, t *estate.HubTable, p packet) {
	if w.unexplained() {
		return
	}
	f := diag.Finding{Code: HubNoRoute, At: t.At(), Place: t.Place(),
		Message: fmt.Sprintf("table %s of hub %s has no route to %s", t.Name, h.Name, w.describe(p.dst)), Fixes: diag.Advise("attach what holds it, and let the table learn it")}
	if a := w.goalAttachment(h); a != nil {
		f.Fixes = diag.By(text.Add(t.Place().To("learns"), text.Word(a.To().ID())))
	} else if l := w.goalLink(h); l != nil {
		f.Fixes = diag.By(text.Add(t.Place().To("routes"), routeValue(w.goalRange(p), l.Name)))
		w.block(h, f)
		w.overHubLink(h, l, p)
		return
	}
	w.block(h, f)
	w.deliver(p)
}

// routeValue is a route as an edit writes it.
func routeValue(to netip.Prefix, via string) text.Value {
	return text.Map(text.Field{Key: "to", Value: text.Word(to.String())}, text.Field{Key: "via", Value: text.Word(via)})
}

// overHubLink carries a packet over a link from a hub to another, into the table that the link has there.
func (w *walker) overHubLink(h *estate.Hub, l *estate.HubLink, p packet) {
	stands := w.halvesStand(l, HubLinkHalf, [2]string{l.Between[0].Name, l.Between[1].Name}, l.Accepted)
	if w.halted() {
		return
	}
	far, table := l.Far(h)
	if stands {
		w.hop(Hop{Did: LinkCrossed, Object: l, At: l.At(), Into: far})
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
		if !w.unexplained() {
			w.misrouted(site, s, r, p, NotBehind, "%s is not in the ranges of site %s", w.describe(p.dst), site.Name)
		}
		return
	}
	w.works(estate.SiteLink{Site: site}, site)
	w.atSite(site, p)
}

func (w *walker) atSite(site *estate.Site, p packet) {
	if w.goal().Site == site {
		w.crosses(site)
		w.hop(Hop{Did: SiteEntered, Object: site, At: site.At(), far: p.dst})
		return
	}
	if w.unexplained() {
		return
	}
	w.block(site, diag.Finding{Code: Overlap, At: site.At(), Place: site.Place(),
		Message: fmt.Sprintf("%s is also an address of site %s, and the packet goes there", p.dst.Addr, site.Name),
		Fixes:   diag.Advise("give one of them a range of its own")})
	w.deliver(p)
}

// leaveSite carries a packet out of a site, as far as the site knows where to.
func (w *walker) leaveSite(site *estate.Site, p packet) {
	w.crosses(site)
	switch {
	case p.dst.inRanges(site.Knows):
		w.hop(Hop{Did: SiteKnows, Object: site, At: site.At(), far: p.dst})
	case w.unexplained():
		return
	default:
		knows := site.Place().To("knows")
		w.block(site, diag.Finding{Code: SiteDoesNotKnow, At: site.At(), Place: knows,
			Message: fmt.Sprintf("site %s has no route to %s", site.Name, w.describe(p.dst)), Fixes: w.knowFix(knows, p)})
	}
	if site.Link != nil && w.overSiteLink(site, p) {
		return
	}
	if a := w.byHub(site, p); a != nil {
		w.works(a, a.Hub)
		w.overHub(a.Hub, a.Table, p)
		return
	}
	if w.unexplained() {
		return
	}
	if site.Link != nil {
		for _, x := range site.Link.Peerings {
			if far := x.Far(site.Link); far == w.goal().network() && x.Stands() && far.Holds(p.dst.Addr) && p.dst.inRanges(far.Ranges) {
				if !site.Link.ExportsTo(site) {
					to := rangeWith(site.Ranges, p.src.Addr)
					w.block(x, diag.Finding{Code: NoExportedRoute, At: site.Link.Main.At(), Place: site.Link.Main.Place(),
						Message: fmt.Sprintf("the main table of network %s has no route to site %s that it could export, and by which the way back is imported", site.Link.Name, site.Name),
						Fixes:   diag.By(RouteEdits(site.Link.Main, site.Name, to)...)})
				}
				w.carriedFrom(x, site.Link)
				w.crosses(x)
				w.arrive(far, p)
				return
			}
		}
	}
	f := diag.Finding{Code: NotJoined, At: site.At(), Place: site.Place(),
		Message: fmt.Sprintf("site %s is tied to nothing that leads to %s", site.Name, w.describe(p.dst)), Fixes: diag.Advise("link it to a network, or attach it to a hub")}
	if site.Link != nil {
		f.Message = fmt.Sprintf("the link of site %s leads into network %s only, and %s is not there", site.Name, site.Link.Name, w.describe(p.dst))
		f.Fixes = diag.Advise("attach both to a hub, or let the network export its route to the site over a peering")
	}
	w.block(site, f)
	w.deliver(p)
}

// knowFix has a site know the network of the destination, or less of it.
func (w *walker) knowFix(knows text.Path, p packet) []diag.Fix {
	var all [][]text.Edit
	if x := w.asker(p.dst); x != nil {
		if n := x.Subnet.Network; len(w.e.Named(n.Name)) == 1 && len(n.Ranges) > 0 {
			all = append(all, []text.Edit{text.Add(knows, text.Word(n.Name))})
		}
		for _, r := range x.Subnet.Ranges {
			if r.Contains(p.dst.Addr) {
				all = append(all, []text.Edit{text.Add(knows, text.Word(r.String()))})
			}
		}
	}
	return inTurn(append(all, []text.Edit{text.Add(knows, text.Word(w.rangeText(p.dst)))}))
}

// overSiteLink carries a packet over the link of a site, into its network or on to a peer that imports the way to the
// site; it reports whether that leads to the destination.
func (w *walker) overSiteLink(site *estate.Site, p packet) bool {
	n := site.Link
	w.works(estate.SiteLink{Site: site}, site)
	linked := Hop{Did: SiteLinked, Object: site, At: site.Plan.Link.At, Into: n}
	if site.Door != nil {
		// Where a hub stands by, the link is for what the table leads on.
		if len(site.Attachments) > 0 && lookup(p.dst, site.Door.Table.Routes, site.Door.Table.Lookup) == nil {
			return false
		}
		w.hop(linked)
		w.leaveSubnet(site.Door, p)
		return true
	}
	if p.dst.inRanges(n.Ranges) {
		w.hop(linked)
		w.arrive(n, p)
		return true
	}
	if !n.ExportsTo(site) || w.importer(n, p) == nil {
		return false
	}
	w.hop(linked)
	return w.toImporter(n, p)
}

// importer is the peering over which a network passes on what a site or hub brings for a peer that imports the way there;
// nil when there is none.
func (w *walker) importer(n *estate.Network, p packet) *estate.Peering {
	for _, x := range n.Peerings {
		if x.Stands() && x.Carries(n) && p.dst.inRanges(x.Far(n).Ranges) {
			return x
		}
	}
	return nil
}

// toImporter carries a packet over such a peering, and reports whether there is one: an exported route carries the replies,
// too.
func (w *walker) toImporter(n *estate.Network, p packet) bool {
	x := w.importer(n, p)
	if x == nil {
		return false
	}
	w.crosses(x)
	w.hop(Hop{Did: PeeringImports, Object: x, At: x.At(), Into: x.Far(n)})
	w.comeIn(x.Far(n), x.Door(x.Far(n)), p)
	return true
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
