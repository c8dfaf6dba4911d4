package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

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

// as is the role with another address in its place; it stays itself when that is its own.
func (r role) as(a netip.Addr) role {
	if r.Addr == a {
		return r
	}
	return at(a)
}

// packet is what filters and tables see of it.
type packet struct{ src, dst role }

// walker walks one packet there, and its reply back. With quiet set it only notes which filters judge them: it says
// nothing, and stops at the first thing that stops everything.
type walker struct {
	e        *estate.Estate
	from, to End
	asked    flow.Set
	quiet    *trace

	back    bool     // whether this is the reply
	left    flow.Set // what has passed so far in this direction
	hops    []Hop
	stopped bool // whether something on this way stops everything
	steps   int

	// What became of the packet on its way, which its reply must undo.
	origin     role               // the source as it was
	sentTo     netip.Addr         // the address that the source sent to
	translated estate.Host        // the NAT gateway or workload that put its own address in the place of the source
	through    []passage          // workloads that passed it on as it is
	passed     []*estate.Workload // those of them that the reply has come through, and that knew it for one
	exit       *exit              // the internet gateway that it left by
	entrance   *estate.Gateway    // the internet gateway that it came in by
	seen       role               // the source as the far end sees it; the zero Addr when unknown
	joins      [2][]string        // the peerings, hubs, links and gateways crossed there and back
	blockers   []plan.Finding
}

// passage is a workload that passed the packet on, and the addresses that it saw.
type passage struct {
	workload *estate.Workload
	src, dst netip.Addr
}

// exit is an internet gateway that a packet left by, and whose public address it took.
type exit struct {
	gateway *estate.Gateway
	host    estate.Host
	public  []netip.Addr
}

// maxSteps is more than any way through an estate has that does not go in a circle.
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
	w.turn(replies)
	w.leaveTarget(packet{role{toSet.First(), dst}, w.seen})
	way.Back = w.hops
	full, some := answered(asked, replies, w.left)
	if stopped || w.stopped {
		passes, full, some = flow.Set{}, flow.Set{}, flow.Set{}
	}
	way.From, way.To, way.FromName, way.ToName = src.part, dst.part, src.name, dst.name
	way.Passes, way.Some = passes.Intersect(full), passes.Intersect(some)
	way.Verdict = way.Outcome().Verdict(asked)
	way.Blockers = w.settle(way.Verdict)
	way.Other = w.otherWay()
	return way
}

// turn begins the way back.
func (w *walker) turn(replies flow.Set) {
	w.back, w.hops, w.stopped, w.left, w.steps = true, nil, false, replies, 0
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
	ports := replyPorts(w.e, w.from)
	return asked.WholeProtocols().Intersect(flow.Ports(ports[0], ports[1]).Union(flow.WithoutPorts()))
}

// replyPorts are the ports that a client at an end may have taken.
func replyPorts(e *estate.Estate, from End) [2]uint16 {
	if from.Workload != nil {
		return from.Workload.Subnet.Network.Profile.ReplyPorts
	}
	return e.Profile.ReplyPorts
}

// answered gives the flows of asked whose replies all come back, and those of which some do, when of replies those in
// got come back.
func answered(asked, replies, got flow.Set) (full, some flow.Set) {
	for _, protocol := range asked.Protocols() {
		whole := protocol.WholeProtocols()
		want, have := replies.Intersect(whole), got.Intersect(whole)
		if have.Equal(want) {
			full = full.Union(protocol)
		}
		if !have.Empty() {
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

// otherWay says by what the reply comes back when that is not by what the flow went; empty when it is.
func (w *walker) otherWay() string {
	there, back := slices.Clone(w.joins[0]), slices.Clone(w.joins[1])
	slices.Reverse(back)
	if slices.Equal(there, back) || w.stopped {
		return ""
	}
	return fmt.Sprintf("it goes by %s, and the reply comes back by %s", orDirect(there), orDirect(w.joins[1]))
}

func orDirect(joins []string) string {
	if len(joins) == 0 {
		return "the network itself"
	}
	return and(joins)
}

// cross notes that the packet crosses something between networks.
func (w *walker) cross(what string) {
	i := 0
	if w.back {
		i = 1
	}
	w.joins[i] = append(w.joins[i], what)
}

// fails notes, on a quiet walk, that everything stops here, and reports whether the walk is quiet. A walk that is not
// goes on to say why.
func (w *walker) fails() bool {
	if w.quiet == nil {
		return false
	}
	w.stopped = true
	return true
}

// hop notes a step that lets everything through that has come so far.
func (w *walker) hop(kind, where string, at plan.Pos, format string, args ...any) {
	w.hops = append(w.hops, Hop{Kind: kind, Where: where, What: fmt.Sprintf(format, args...), At: at, Left: w.left})
}

// block notes a step that stops everything; the walk goes on as if it were fixed.
func (w *walker) block(kind, where string, f plan.Finding) {
	f.Severity = plan.Error
	w.hops = append(w.hops, Hop{Kind: kind, Where: where, What: f.Message, At: f.At, Stops: true})
	w.stopped = true
	w.addBlocker(f)
}

// addBlocker adds a blocker unless the other direction has met the same.
func (w *walker) addBlocker(f plan.Finding) {
	for _, b := range w.blockers {
		if b.Code == f.Code && b.Place == f.Place && b.At == f.At && (b.Message == f.Message || f.Code == "peering-half" || f.Code == "hub-link-half") {
			return
		}
	}
	w.blockers = append(w.blockers, f)
}

// within reports whether an address lies in a set, and narrows its side to the addresses of which the same is true.
func (r role) within(s address.Set) bool {
	in := s.Contains(r.Addr)
	switch {
	case !r.divisible():
	case !in:
		r.side.part = r.side.part.Minus(s)
	case !s.Covers(r.side.part):
		r.side.part = r.side.part.Intersect(s)
	}
	return in
}

// divisible reports whether the role stands for several addresses, which decisions can tell apart.
func (r role) divisible() bool { return r.side != nil && !r.side.single }

// inRange is within for one range, without building a set where a single address is asked about.
func (r role) inRange(p netip.Prefix) bool {
	in := p.Contains(r.Addr)
	switch {
	case !r.divisible():
	case in:
		r.side.part = r.side.part.Clip(p)
	case r.side.part.Overlaps(p):
		r.side.part = r.side.part.Minus(address.SetOf(p))
	}
	return in
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
	if dst.divisible() {
		for _, r := range routes {
			dst.inRange(r.To)
		}
	}
	return find(dst.Addr)
}

// leaveSource starts the packet at its source.
func (w *walker) leaveSource(p packet) {
	w.seen, w.origin, w.sentTo = p.src, p.src, p.dst.Addr
	switch {
	case w.from.Workload != nil:
		x := w.from.Workload
		w.groups(x, outward, p)
		w.leaveSubnet(x.Subnet, p)
	case w.from.Site != nil:
		w.leaveSite(w.from.Site, p)
	case w.from.Internet:
		w.hop("internet", "internet", plan.Pos{}, "from %s", w.describe(p.src))
		w.fromInternet(p)
	default:
		w.nobody(w.from, p.src)
	}
}

// leaveTarget starts the reply at the packet's destination.
func (w *walker) leaveTarget(p packet) {
	if w.from.Internet && w.to.Internet {
		return // nothing of it comes into the estate
	}
	if !p.dst.IsValid() && (w.exit == nil || !w.to.Internet) {
		return // nothing is known of whom to answer; the forward way says why
	}
	switch {
	case w.to.Workload != nil:
		x := w.to.Workload
		if private, found := x.AddrLike(p.src.Addr); found {
			p.src = p.src.as(private)
		}
		w.leaveSubnet(x.Subnet, p)
	case w.to.Site != nil:
		w.leaveSite(w.to.Site, p)
	case w.to.Internet:
		w.hop("internet", "internet", plan.Pos{}, "the reply of %s", w.describe(p.src))
		w.fromInternet(p)
	}
	w.checkPassed()
}

// describe names an address of a packet: the one address, or all that its side stands for.
func (w *walker) describe(r role) string {
	if !r.divisible() {
		return r.Addr.String()
	}
	return r.side.name
}

// nobody ends a walk from or to an address that no workload has.
func (w *walker) nobody(e End, r role) {
	f := plan.Finding{Code: "no-workload", At: e.Network.Plan.Name.At, Place: "networks." + e.Network.Name,
		Message: fmt.Sprintf("no workload has the address %s", r.Addr), Fix: "ask for an address that one has, or give it to one"}
	if s := e.Network.SubnetOf(r.Addr); s == nil {
		f.Message = fmt.Sprintf("%s lies in no subnet of network %s", r.Addr, e.Network.Name)
		f.Fix = "carve a subnet there, or ask for an address in one"
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

// goesRound counts a step, and ends a walk that has too many.
func (w *walker) goesRound(t interface {
	At() plan.Pos
	Place() string
	Path() string
}) bool {
	if w.steps++; w.steps <= maxSteps {
		return false
	}
	if !w.fails() {
		w.through = nil // that it comes back is not to be expected
		w.block("table", "table "+t.Path(), plan.Finding{Code: "endless", At: t.At(), Place: t.Place(),
			Message: fmt.Sprintf("the %s goes round in a circle for ever: %s", w.thing(), strings.Join(w.circle(), ", ")), Fix: "break the circle in one of the tables"})
	}
	return true
}

// thing is what the walk follows just now.
func (w *walker) thing() string {
	if w.back {
		return "reply"
	}
	return "packet"
}

// circle keeps the hops up to where a packet goes the same way again, and tells the routes of the first round.
func (w *walker) circle() []string {
	for j, h := range w.hops {
		i := slices.IndexFunc(w.hops[:j], func(o Hop) bool { return o.Where == h.Where && o.What == h.What && o.At == h.At })
		if i < 0 {
			continue
		}
		var routes []string
		for _, o := range w.hops[i:j] {
			if o.Kind == "table" || o.Kind == "hub" {
				routes = append(routes, fmt.Sprintf("%s (%s)", o.Where, o.What))
			}
		}
		w.hops = w.hops[:j]
		return routes
	}
	return nil
}

// halted reports whether a quiet walk has met what stops everything.
func (w *walker) halted() bool { return w.quiet != nil && w.stopped }

// leaveSubnet carries a packet out of a subnet, from whatever emitted it there.
func (w *walker) leaveSubnet(s *estate.Subnet, p packet) {
	if w.halted() || w.goesRound(s.Table) {
		return
	}
	if p.dst.IsValid() && p.dst.inRanges(s.Ranges) {
		if w.quiet == nil {
			w.hop("subnet", s.Path(), s.Plan.Name.At, "both ends are in it, so no list and no table is asked")
		}
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
	switch {
	case r.Origin == estate.Local:
		if w.quiet == nil {
			w.hop("table", "table "+s.Table.Path(), r.At, "%s is local", r.To)
		}
		w.arrive(s.Network, p)
	case r.Via.Blackhole:
		if !w.fails() {
			w.misrouted("table", "table "+s.Table.Path(), s, r, p, "blackhole", "table %s drops %s on purpose", s.Table.Path(), r.To)
		}
	default:
		if w.quiet == nil {
			w.hop("table", "table "+s.Table.Path(), r.At, "%s via %s%s", r.To, r.Via.Name, origins[r.Origin])
		}
		w.follow(s, r, p)
	}
}

var origins = map[estate.Origin]string{estate.Learned: " (installed by itself)", estate.Birth: " (there from birth)"}

// follow takes a next hop out of a subnet.
func (w *walker) follow(s *estate.Subnet, r *estate.Route, p packet) {
	switch hop := r.Via; {
	case hop.Gateway != nil && (hop.Gateway.Internet || hop.Gateway.Egress):
		w.toInternet(s, hop.Gateway, r, p)
	case hop.Gateway != nil:
		w.throughNAT(s, hop.Gateway, r, p)
	case hop.Peering != nil:
		w.overPeering(s, hop.Peering, r, p)
	case hop.Hub != nil:
		if a := s.Network.Attachment(hop.Hub); a != nil {
			w.overHub(a.Hub, a.Table, p)
		}
	case hop.Site != nil:
		w.toSite(s, hop.Site, r, p)
	case hop.Workload != nil:
		w.throughWorkload(s, hop.Workload, r, p)
	}
}

// arrive looks a destination up among a network's own subnets, as all that comes from outside does.
func (w *walker) arrive(n *estate.Network, p packet) {
	s := n.SubnetOf(p.dst.Addr)
	if p.dst.divisible() {
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
	case w.back && p.src.Addr != w.sentTo && !host.Nobody() && (host == w.translated || host.Workload == goal.Workload):
		w.stranger(s, p)
	case w.back && !w.translated.Nobody() && host == w.translated:
		w.turnBack(p)
	case host.Workload != nil && host.Workload == goal.Workload:
		if !w.back {
			w.groups(host.Workload, inward, p)
		} else if w.quiet == nil {
			w.hop("workload", host.Workload.Name, host.Workload.Plan.Name.At, "its groups remember the flow")
		}
	default:
		w.lost(s.Network, s, p)
	}
}

// stranger blocks a reply that does not come from the address that the flow was sent to.
func (w *walker) stranger(s *estate.Subnet, p packet) {
	if w.fails() {
		return
	}
	f := plan.Finding{Code: "reply-from-stranger", At: s.Plan.Name.At, Place: "networks." + s.Network.Name + ".subnets." + s.Name,
		Message: fmt.Sprintf("the reply comes from %s, since it does not go by the gateway that translates it, and the flow was sent to %s", p.src.Addr, w.sentTo),
		Fix:     "lead the reply to the internet gateway, or ask for the private address"}
	if x := w.to.Workload; x != nil {
		f.At, f.Place = x.Subnet.Table.At(), x.Subnet.Table.Place()
	}
	w.block("subnet", s.Path(), f)
}

// lost ends a way that leads to the wrong place, and goes on at the right one.
func (w *walker) lost(n *estate.Network, s *estate.Subnet, p packet) {
	if w.fails() {
		return
	}
	goal := w.goal()
	place := plan.Finding{At: n.Plan.Name.At, Place: "networks." + n.Name}
	where := n.Name
	if s != nil {
		place.At, place.Place, where = s.Plan.Name.At, "networks."+n.Name+".subnets."+s.Name, s.Path()
	}
	host := n.Host(p.dst.Addr)
	switch {
	case host.NAT != nil && !w.back:
		place.Code, place.Message = "nat-inbound", fmt.Sprintf("nothing that starts outside comes in through NAT gateway %s", host.Name())
		place.Fix = "ask for the workload itself"
		w.block("nat", host.Name(), place)
		return
	case goal.Network == n:
		w.nobody(goal, p.dst)
		return
	case goal.Workload != nil && goal.Workload.Subnet.Network == n:
		place.Code, place.Message = "not-there", fmt.Sprintf("%s is not where %s is", p.dst.Addr, goal.Workload.Name)
	default:
		place.Code = "overlap"
		place.Message = fmt.Sprintf("%s is also an address of network %s, and the packet stays there", p.dst.Addr, n.Name)
		place.Fix = fmt.Sprintf("give network %s or %s a range of its own; see wendrik overlaps", n.Name, goal.owner())
	}
	w.block("subnet", where, place)
	w.deliver(p)
}

// deliver goes on at the goal, as if the packet had got there: what stands at its door is judged too.
func (w *walker) deliver(p packet) {
	if x := w.goal().Workload; x != nil && (w.translated.Nobody() || !w.back) {
		if private, found := x.AddrLike(p.dst.Addr); found {
			p.dst = at(private)
		}
		w.enterSubnet(x.Subnet, p, true)
	}
}

// network is the network that the end lives in; nil for a site and the internet.
func (e End) network() *estate.Network {
	if e.Workload != nil {
		return e.Workload.Subnet.Network
	}
	return e.Network
}
