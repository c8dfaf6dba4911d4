package reach

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
)

// side is one of the two sets of addresses of a walk, with the part of it that has met the same decisions so far.
type side struct {
	part   address.Set
	single bool   // whether it is one address, which no decision can divide
	name   string // how messages call it
}

// role is an address in a packet, and the side that it stands for; a translated address stands for none.
type role struct {
	netip.Addr
	side *side
}

func at(a netip.Addr) role { return role{Addr: a} }

// packet is what filters and tables see of it.
type packet struct{ src, dst role }

// walker walks one packet there, and its reply back.
type walker struct {
	e        *estate.Estate
	from, to End
	asked    flow.Set

	back    bool     // whether this is the reply
	left    flow.Set // what has passed so far in this direction
	hops    []Hop
	stopped bool // whether something on this way stops everything

	// What became of the packet on its way, which its reply must undo.
	nat      *estate.Gateway // the NAT gateway that it went through
	exit     *exit           // the internet gateway that it left by
	entrance *estate.Gateway // the internet gateway that it came in by
	seen     role            // the source as the far end sees it; the zero Addr when unknown

	blockers []plan.Finding
	steps    int
}

// exit is an internet gateway that a packet left by, and whose public address it took.
type exit struct {
	gateway *estate.Gateway
	host    estate.Host
	public  []netip.Addr
}

// maxSteps is more than any way through an estate has: each network, hub and site at most twice, with a NAT between.
const maxSteps = 64

// walk follows a packet from the first address of one set to the first of another, and back. The way it gives is that
// of the parts of the sets for which everything on it was decided alike.
func walk(e *estate.Estate, from, to End, fromSet, toSet address.Set, asked flow.Set) Way {
	way := walkOnce(e, from, to, fromSet, toSet, asked)
	if way.From.IsSingle() && way.To.IsSingle() {
		return way
	}
	// Only now is it known of which addresses the way speaks, so that its messages can name them.
	return walkOnce(e, from, to, way.From, way.To, asked)
}

func walkOnce(e *estate.Estate, from, to End, fromSet, toSet address.Set, asked flow.Set) Way {
	src := &side{fromSet, fromSet.IsSingle(), from.call(fromSet)}
	dst := &side{toSet, toSet.IsSingle(), to.call(toSet)}
	w := &walker{e: e, from: from, to: to, asked: asked, left: asked}
	w.leaveSource(packet{role{fromSet.First(), src}, role{toSet.First(), dst}})
	way := Way{Forward: w.hops}
	passes, stopped := w.left, w.stopped
	if !stopped && !passes.Empty() {
		way.SeenAs = w.seenAs()
	}
	replies := w.replies(asked)
	w.back, w.hops, w.stopped, w.left, w.steps = true, nil, false, replies, 0
	w.leaveTarget(packet{role{toSet.First(), dst}, w.seen})
	way.Back = w.hops
	full, some := w.answered(asked, replies)
	if stopped || w.stopped {
		passes, full, some = flow.Set{}, flow.Set{}, flow.Set{}
	}
	way.From, way.To, way.FromName, way.ToName = src.part, dst.part, src.name, dst.name
	way.Passes = passes.Intersect(full)
	switch {
	case way.Passes.Equal(asked):
		way.Verdict = Open
	case passes.Intersect(some).Empty():
		way.Verdict = Blocked
	default:
		way.Verdict = Partly
	}
	way.Blockers = w.settle(way.Verdict)
	return way
}

// seenAs is whom the far end sees, where that is a few addresses.
func (w *walker) seenAs() []netip.Addr {
	switch {
	case w.exit != nil:
		return w.exit.public
	case w.seen.IsValid() && (w.seen.side == nil || w.seen.side.single):
		return []netip.Addr{w.seen.Addr}
	}
	return nil
}

// replies are the flows of the replies to those asked for: of TCP and UDP to any port that a client may have taken, of
// other protocols the same.
func (w *walker) replies(asked flow.Set) flow.Set {
	profile := w.e.Profile
	if w.from.Workload != nil {
		profile = w.from.Workload.Subnet.Network.Profile
	}
	ports := flow.Ports(profile.ReplyPorts[0], profile.ReplyPorts[1])
	return asked.WholeProtocols().Intersect(ports.Union(flow.WithoutPorts()))
}

// answered gives the flows of asked whose replies all come back, and those of which some do.
func (w *walker) answered(asked, replies flow.Set) (full, some flow.Set) {
	for _, protocol := range asked.Protocols() {
		whole := protocol.WholeProtocols()
		want, got := replies.Intersect(whole), w.left.Intersect(whole)
		if got.Equal(want) {
			full = full.Union(protocol)
		}
		if !got.Empty() {
			some = some.Union(protocol)
		}
	}
	return full, some
}

// settle drops what narrowed the flows without stopping all of them where the question was which flows pass, unless
// together they left none.
func (w *walker) settle(v Verdict) []plan.Finding {
	if !w.asked.Equal(flow.Any()) {
		return w.blockers
	}
	var hard []plan.Finding
	for _, b := range w.blockers {
		if b.Severity == plan.Error {
			hard = append(hard, b)
		}
	}
	if v == Blocked && len(hard) == 0 {
		return w.blockers
	}
	return hard
}

// hop notes a step that lets everything through that has come so far.
func (w *walker) hop(kind, where string, at plan.Pos, format string, args ...any) {
	w.hops = append(w.hops, Hop{Kind: kind, Where: where, What: fmt.Sprintf(format, args...), At: at, Left: w.left})
}

// block notes a step that stops everything; the walk goes on as if it were mended.
func (w *walker) block(kind, where string, f plan.Finding) {
	f.Severity = plan.Error
	w.hops = append(w.hops, Hop{Kind: kind, Where: where, What: f.Message, At: f.At, Stops: true})
	w.stopped = true
	w.addBlocker(f)
}

// addBlocker adds a blocker unless the other direction has met the same.
func (w *walker) addBlocker(f plan.Finding) {
	for _, b := range w.blockers {
		if b.Code == f.Code && b.Place == f.Place && b.At == f.At && (b.Message == f.Message || f.Code == "peering-half") {
			return
		}
	}
	w.blockers = append(w.blockers, f)
}

// within reports whether an address lies in a set, and narrows its side to the addresses of which the same is true.
func (r role) within(s address.Set) bool {
	in := s.Contains(r.Addr)
	if r.side != nil && !r.side.single {
		if in {
			r.side.part = r.side.part.Intersect(s)
		} else {
			r.side.part = r.side.part.Minus(s)
		}
	}
	return in
}

// inRange is within for one range, without building a set where a single address is asked about.
func (r role) inRange(p netip.Prefix) bool {
	if r.side == nil || r.side.single {
		return p.Contains(r.Addr)
	}
	return r.within(address.SetOf(p))
}

func (r role) inRanges(ranges []netip.Prefix) bool {
	for _, p := range ranges {
		if r.inRange(p) {
			return true
		}
	}
	return false
}

// lookup finds a route for the destination, and narrows its side to the addresses that take the same route.
func lookup(dst role, routes []*estate.Route, find func(netip.Addr) *estate.Route) *estate.Route {
	if dst.side != nil && !dst.side.single {
		for _, r := range routes {
			dst.inRange(r.To)
		}
	}
	return find(dst.Addr)
}

// leaveSource starts the packet at its source.
func (w *walker) leaveSource(p packet) {
	switch {
	case w.from.Workload != nil:
		x := w.from.Workload
		w.seen = p.src
		w.groups(x, outward, p)
		w.leaveSubnet(x.Subnet, p)
	case w.from.Site != nil:
		w.seen = p.src
		w.leaveSite(w.from.Site, p)
	case w.from.Internet:
		w.seen = p.src
		w.hop("internet", "internet", plan.Pos{}, "from %s", w.describe(p.src))
		w.fromInternet(p)
	default:
		w.nobody(w.from, p.src)
	}
}

// leaveTarget starts the reply at the packet's destination.
func (w *walker) leaveTarget(p packet) {
	if !p.dst.IsValid() && (w.exit == nil || !w.to.Internet) {
		return // nothing is known of whom to answer; the forward way says why
	}
	switch {
	case w.to.Workload != nil:
		x := w.to.Workload
		if private, found := x.AddrLike(p.src.Addr); found {
			p.src = at(private)
		}
		w.leaveSubnet(x.Subnet, p)
	case w.to.Site != nil:
		w.leaveSite(w.to.Site, p)
	case w.to.Internet:
		w.hop("internet", "internet", plan.Pos{}, "the reply of %s", w.describe(p.src))
		w.fromInternet(p)
	}
}

// describe names an address of a packet: the one address, or all that its side stands for.
func (w *walker) describe(r role) string {
	if r.side == nil || r.side.single {
		return r.Addr.String()
	}
	return r.side.name
}

// nobody ends a walk from or to an address that no workload has.
func (w *walker) nobody(e End, r role) {
	f := plan.Finding{Code: "no-workload", At: e.Network.Plan.Name.At, Place: "networks." + e.Network.Name,
		Message: fmt.Sprintf("no workload has the address %s", r.Addr), Mend: "ask for an address that one has, or give it to one"}
	if s := e.Network.SubnetOf(r.Addr); s == nil {
		f.Message = fmt.Sprintf("%s lies in no subnet of network %s", r.Addr, e.Network.Name)
		f.Mend = "carve a subnet there, or ask for an address in one"
	} else {
		f.At, f.Place = s.Plan.Name.At, "networks."+e.Network.Name+".subnets."+s.Name
	}
	w.block("subnet", e.Network.Name, f)
}

// goal is the end that the packet must arrive at: the target, or on the way back the source.
func (w *walker) goal() End {
	if w.back {
		return w.from
	}
	return w.to
}

// leaveSubnet carries a packet out of a subnet, from whatever emitted it there.
func (w *walker) leaveSubnet(s *estate.Subnet, p packet) {
	if w.steps++; w.steps > maxSteps {
		w.block("table", s.Path(), plan.Finding{Code: "endless", At: s.Table.At(), Place: tablePlace(s.Table),
			Message: "the packet goes round for ever", Mend: "break the circle in one of the tables"})
		return
	}
	if p.dst.IsValid() && p.dst.inRanges(s.Ranges) {
		w.hop("subnet", s.Path(), s.Plan.Name.At, "both ends are in it, so no list and no table is asked")
		w.enterSubnet(s, p, false)
		return
	}
	w.list(s, outward, p)
	r := lookup(p.dst, s.Table.Routes, s.Table.Lookup)
	if r == nil {
		w.noRoute(s, p)
		return
	}
	w.routed(s, r, p)
}

// routed follows the route that a table gave.
func (w *walker) routed(s *estate.Subnet, r *estate.Route, p packet) {
	n, where := s.Network, "table "+s.Table.Path()
	switch {
	case r.Origin == estate.Local:
		w.hop("table", where, r.At, "%s is local", r.To)
		w.arrive(n, p)
		return
	case r.Via.Blackhole:
		w.misrouted("table", where, s, r, p, "blackhole", "table %s drops %s on purpose", s.Table.Path(), r.To)
		return
	}
	w.hop("table", where, r.At, "%s via %s%s", r.To, r.Via.Name, origins[r.Origin])
	w.follow(s, r, p)
}

var origins = map[estate.Origin]string{estate.Learned: " (installed by itself)", estate.Birth: " (there from birth)"}

// follow takes a next hop out of a subnet.
func (w *walker) follow(s *estate.Subnet, r *estate.Route, p packet) {
	n := s.Network
	switch hop := r.Via; {
	case hop.Gateway != nil && hop.Gateway.Internet:
		w.toInternet(s, hop.Gateway, r, p)
	case hop.Gateway != nil:
		w.throughNAT(s, hop.Gateway, r, p)
	case hop.Peering != nil:
		w.overPeering(s, hop.Peering, r, p)
	case hop.Hub != nil:
		for _, a := range n.Attachments {
			if a.Hub == hop.Hub {
				w.overHub(a, p)
				return
			}
		}
	case hop.Site != nil:
		w.toSite(s, hop.Site, r, p)
	case hop.Workload != nil:
		w.misrouted("workload", hop.Workload.Name, s, r, p, "not-forwarding", "workload %s does not forward: it drops what is not for itself", hop.Workload.Name)
	}
}

// arrive looks a destination up among a network's own subnets, as all that comes from outside does.
func (w *walker) arrive(n *estate.Network, p packet) {
	s := n.SubnetOf(p.dst.Addr)
	if p.dst.side != nil && !p.dst.side.single {
		for _, x := range n.Subnets {
			p.dst.inRanges(x.Ranges)
		}
	}
	if s == nil {
		w.lost(n, nil, p)
		return
	}
	w.enterSubnet(s, p, true)
}

// enterSubnet brings a packet into a subnet, past its list when it comes from outside, to the host it is for.
func (w *walker) enterSubnet(s *estate.Subnet, p packet, crossed bool) {
	if crossed {
		w.list(s, inward, p)
	}
	host, goal := s.Network.Host(p.dst.Addr), w.goal()
	switch {
	case w.back && w.nat != nil && host.NAT == w.nat:
		w.turnBack(p)
	case host.Workload != nil && host.Workload == goal.Workload:
		if w.back {
			w.hop("workload", host.Workload.Name, host.Workload.Plan.Name.At, "its groups remember the flow")
			return
		}
		w.groups(host.Workload, inward, p)
	default:
		w.lost(s.Network, s, p)
	}
}

// lost ends a way that leads to the wrong place, and goes on at the right one.
func (w *walker) lost(n *estate.Network, s *estate.Subnet, p packet) {
	goal := w.goal()
	place := plan.Finding{At: n.Plan.Name.At, Place: "networks." + n.Name}
	where := n.Name
	if s != nil {
		place.At, place.Place, where = s.Plan.Name.At, "networks."+n.Name+".subnets."+s.Name, s.Path()
	}
	host := n.Host(p.dst.Addr)
	switch {
	case goal.Network == n:
		w.nobody(goal, p.dst)
		return
	case host.NAT != nil && !w.back:
		place.Code, place.Message = "nat-inbound", fmt.Sprintf("nothing that starts outside comes in through NAT gateway %s", host.Name())
		place.Mend = "ask for the workload itself"
		w.block("nat", host.Name(), place)
		return
	case goal.Workload != nil && goal.Workload.Subnet.Network == n:
		place.Code, place.Message = "not-there", fmt.Sprintf("%s is not where %s is", p.dst.Addr, goal.Workload.Name)
	default:
		place.Code = "overlap"
		place.Message = fmt.Sprintf("%s is also an address of network %s, and the packet stays there", p.dst.Addr, n.Name)
		place.Mend = fmt.Sprintf("give network %s or %s a range of its own; see wendrik overlaps", n.Name, goal.owner())
	}
	w.block("subnet", where, place)
	w.deliver(p)
}

// deliver goes on at the goal, as if the packet had got there: what stands at its door is judged too.
func (w *walker) deliver(p packet) {
	if x := w.goal().Workload; x != nil && (w.nat == nil || !w.back) {
		if private, found := x.AddrLike(p.dst.Addr); found {
			p.dst = at(private)
		}
		w.enterSubnet(x.Subnet, p, true)
	}
}

// overPeering carries a packet over a peering, into the far network's own ranges only.
func (w *walker) overPeering(s *estate.Subnet, x *estate.Peering, r *estate.Route, p packet) {
	far := x.Far(s.Network)
	if !w.peeringStands(x) {
		w.arriveIfHeld(s, far, r, p)
		return
	}
	w.hop("peering", x.Name, x.Plan.Name.At, "into network %s", far.Name)
	w.arriveIfHeld(s, far, r, p)
}

// peeringStands reports whether both halves are accepted, and blocks when one is not.
func (w *walker) peeringStands(x *estate.Peering) bool {
	if x.Stands() {
		return true
	}
	var lacks []string
	for i, n := range x.Between {
		if !x.Accepted[i] {
			lacks = append(lacks, n.Name)
		}
	}
	both := plan.Words(x.Between[0].Name, x.Between[1].Name)
	w.block("peering", x.Name, plan.Finding{Code: "peering-half", At: x.Plan.Name.At, Place: "peerings." + x.Name,
		Message: fmt.Sprintf("peering %s is not accepted by %s", x.Name, and(lacks)),
		Mend:    fmt.Sprintf("have it accepted: write  accepted: %s  at peerings.%s", both, x.Name),
		Edits:   []plan.Edit{{Path: []string{"peerings", x.Name}, Key: "accepted", Value: both}}})
	return false
}

func (w *walker) arriveIfHeld(s *estate.Subnet, far *estate.Network, r *estate.Route, p packet) {
	if p.dst.inRanges(far.Ranges) {
		w.arrive(far, p)
		return
	}
	w.misrouted("peering", r.Via.Name, s, r, p, "not-behind", "%s is not in network %s, and a peering carries nothing further", w.describe(p.dst), far.Name)
}

// toSite carries a packet over a link to a site.
func (w *walker) toSite(s *estate.Subnet, site *estate.Site, r *estate.Route, p packet) {
	if !p.dst.inRanges(site.Ranges) {
		w.misrouted("site", site.Name, s, r, p, "not-behind", "%s is not in the ranges of site %s", w.describe(p.dst), site.Name)
		return
	}
	w.atSite(site, p)
}

func (w *walker) atSite(site *estate.Site, p packet) {
	if w.goal().Site != site {
		w.block("site", site.Name, plan.Finding{Code: "overlap", At: site.Plan.Name.At, Place: "sites." + site.Name,
			Message: fmt.Sprintf("%s is also an address of site %s, and the packet goes there", p.dst.Addr, site.Name),
			Mend:    "give one of them a range of its own; see wendrik overlaps"})
		w.deliver(p)
		return
	}
	w.hop("site", site.Name, site.Plan.Name.At, "to %s", w.describe(p.dst))
}

// leaveSite carries a packet out of a site, as far as the site knows where to.
func (w *walker) leaveSite(site *estate.Site, p packet) {
	if !p.dst.inRanges(site.Knows) {
		w.block("site", site.Name, plan.Finding{Code: "site-does-not-know", At: site.Plan.Name.At, Place: "sites." + site.Name + ".knows",
			Message: fmt.Sprintf("site %s has no route to %s", site.Name, w.describe(p.dst)),
			Mend:    fmt.Sprintf("add  %s  to sites.%s.knows", w.rangeText(p.dst), site.Name),
			Edits:   []plan.Edit{w.knowing(site, p.dst)}})
	} else {
		w.hop("site", site.Name, site.Plan.Name.At, "it knows a way to %s", w.describe(p.dst))
	}
	if site.Link != nil && p.dst.inRanges(site.Link.Ranges) {
		w.hop("site", site.Name, site.Plan.Link.At, "its link leads into network %s", site.Link.Name)
		w.arrive(site.Link, p)
		return
	}
	if len(site.Attachments) > 0 {
		w.overHub(site.Attachments[0], p)
		return
	}
	f := plan.Finding{Code: "not-joined", At: site.Plan.Name.At, Place: "sites." + site.Name,
		Message: fmt.Sprintf("site %s is tied to nothing that leads to %s", site.Name, w.describe(p.dst)), Mend: "link it to a network, or attach it to a hub"}
	if site.Link != nil {
		f.Message = fmt.Sprintf("the link of site %s leads into network %s only, and %s is not there", site.Name, site.Link.Name, w.describe(p.dst))
		f.Mend = "attach both to a hub"
	}
	w.block("site", site.Name, f)
	w.deliver(p)
}

// knowing is the edit that makes a site know of an address.
func (w *walker) knowing(site *estate.Site, of role) plan.Edit {
	all := make([]string, 0, len(site.Knows)+1)
	for _, p := range site.Knows {
		all = append(all, p.String())
	}
	return plan.Edit{Path: []string{"sites", site.Name}, Key: "knows", Value: plan.Words(append(all, w.rangeText(of))...)}
}

// overHub carries a packet that came in by an attachment through the hub table of that attachment.
func (w *walker) overHub(from *estate.Attachment, p packet) {
	h, t := from.Hub, from.Table
	where := "hub " + h.Name
	place := fmt.Sprintf("hubs.%s.tables.%s", h.Name, t.Name)
	if w.steps++; w.steps > maxSteps {
		w.block("hub", where, plan.Finding{Code: "endless", At: t.Plan.Name.At, Place: place,
			Message: "the packet goes round for ever", Mend: "break the circle in one of the tables"})
		return
	}
	r := lookup(p.dst, t.Routes, t.Lookup)
	switch {
	case r == nil:
		f := plan.Finding{Code: "hub-no-route", At: t.Plan.Name.At, Place: place,
			Message: fmt.Sprintf("table %s of hub %s has no route to %s", t.Name, h.Name, w.describe(p.dst)), Mend: "attach what holds it, and let the table learn it"}
		if a := w.goalAttachment(h); a != nil {
			f.Mend = fmt.Sprintf("add  %s  to %s.learns", a.Name(), place)
			f.Edits = []plan.Edit{{Path: []string{"hubs", h.Name, "tables", t.Name, "learns"}, Value: plan.Word(a.Name())}}
		}
		w.block("hub", where, f)
		w.deliver(p)
	case r.Via.Blackhole:
		w.block("hub", where, plan.Finding{Code: "blackhole", At: r.At, Place: place,
			Message: fmt.Sprintf("table %s of hub %s drops %s on purpose", t.Name, h.Name, r.To), Mend: "remove the route, if it may pass after all"})
		w.deliver(p)
	case r.Via.Site != nil:
		w.hop("hub", where, r.At, "table %s: %s via %s", t.Name, r.To, r.Via.Name)
		w.atSite(r.Via.Site, p)
	case !p.dst.inRanges(r.Via.Network.Ranges):
		w.block("hub", where, plan.Finding{Code: "not-behind", At: r.At, Place: place,
			Message: fmt.Sprintf("table %s of hub %s leads %s to network %s, which does not hold %s", t.Name, h.Name, r.To, r.Via.Name, w.describe(p.dst)),
			Mend:    "lead the route to the attachment that holds it"})
		w.deliver(p)
	default:
		w.hop("hub", where, r.At, "table %s: %s via %s", t.Name, r.To, r.Via.Name)
		w.arrive(r.Via.Network, p)
	}
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

// network is the network that the end lives in; nil for a site and the internet.
func (e End) network() *estate.Network {
	if e.Workload != nil {
		return e.Workload.Subnet.Network
	}
	return e.Network
}
