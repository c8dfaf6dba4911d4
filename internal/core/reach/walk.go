package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// walker walks one packet there, and its reply back. What it meets it tells a recorder, which decides whether the walk
// goes on behind what stops everything.
type walker struct {
	e        *estate.Estate
	from, to End
	asked    flow.Set
	ports    Ports // that replies come back to
	record   recorder

	back    bool     // whether this is the reply
	left    flow.Set // what has passed so far in this direction
	stopped bool     // whether something on this way stops everything
	cut     bool     // of a reply: whether something stopped everything on the way there
	may     bool     // whether what passes only may do so; none of it is TCP
	steps   int
	choices choices

	// What became of the packet on its way, which its reply must undo.
	origin     role               // the source as it was
	sentTo     netip.Addr         // the address that the source sent to
	translated estate.Host        // the NAT gateway or workload that put its own address in the place of the source last
	was        role               // the source before it did
	earlier    []translation      // those that did so before
	through    []passage          // workloads that passed it on as it is
	passed     []*estate.Workload // those of them that the reply has come through, and that knew it for one
	exit       *exit              // the internet gateway that it left by
	entrance   *estate.Gateway    // the internet gateway that it came in by
	seen       role               // the source as the far end sees it; the zero Addr when unknown
}

// translation is what put its own address in the place of the source, and what that was before.
type translation struct {
	by  estate.Host
	was role
}

// recorder is told what a walk meets.
type recorder interface {
	// hop is a step that lets everything through that has come so far.
	hop(w *walker, h Hop)
	// crosses is told what joins networks and is crossed.
	crosses(w *walker, o estate.Object)
	// list and groups judge a packet by the list of a subnet, and by the groups of a workload.
	list(w *walker, l *estate.List, dir Direction, p packet)
	groups(w *walker, x *estate.Workload, dir Direction, p packet)
	// remembers is told that something on the way must remember the packet, to know its reply; own is whether where it
	// goes depends on the source's own address.
	remembers(own bool)
	// explains is whether the walk is to say why something stops everything, and go on behind it as if it were fixed.
	explains() bool
	// half is told of a firewall that sees one direction of a flow alone, so that all but TCP may pass it.
	half(w *walker, x *estate.Workload, f diag.Finding)
	// block is told why, when the recorder explains.
	block(w *walker, f diag.Finding, h Hop)
	// suspect is told of another cause, which is no step.
	suspect(f diag.Finding)
	// rounds is told that the packet goes round in a circle, and gives the routes of the first round.
	rounds() []string
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
func walk(e *estate.Estate, q Question, fromSet, toSet address.Set) Way {
	ways := walkEach(e, q, fromSet, toSet)
	from, to := ways[0].From, ways[0].To
	for _, w := range ways[1:] {
		from, to = from.Intersect(w.From), to.Intersect(w.To)
	}
	if len(ways) > 1 || !from.IsSingle() || !to.IsSingle() {
		// Only now is it known of which addresses the way speaks, so that its messages can name them.
		ways = walkEach(e, q, from, to)
	}
	return either(ways)
}

// walkEach walks once for each choice among routes of one rank that are met.
func walkEach(e *estate.Estate, q Question, fromSet, toSet address.Set) []Way {
	var all []Way
	for c := (choices{}); ; {
		way := walkOnce(e, q, fromSet, toSet, &c)
		if all = append(all, way); !c.next() {
			return all
		}
	}
}

func walkOnce(e *estate.Estate, q Question, fromSet, toSet address.Set, chosen *choices) Way {
	src := &side{fromSet, fromSet.IsSingle(), q.From.call(fromSet)}
	dst := &side{toSet, toSet.IsSingle(), q.To.call(toSet)}
	r := &story{}
	w := &walker{e: e, from: q.From, to: q.To, asked: q.Flows, ports: q.Replies, left: q.Flows, record: r, choices: *chosen}
	w.leaveSource(packet{role{fromSet.First(), src}, role{toSet.First(), dst}})
	passes, stopped := w.left, w.stopped
	var way Way
	if !stopped && !passes.Empty() {
		way.SeenAs = w.seenAs()
	}
	replies := w.replies()
	w.turn(replies)
	w.leaveTarget(packet{role{toSet.First(), dst}, w.seen})
	way.Forward, way.Back, way.Crossed = r.hops[0], r.hops[1], r.crossed
	full, some := Answered(q.Flows, replies, w.left)
	if stopped || w.stopped {
		passes, full, some = flow.Set{}, flow.Set{}, flow.Set{}
	}
	way.From, way.To, way.FromName, way.ToName = src.part, dst.part, src.name, dst.name
	way.Full, way.Some = passes.Intersect(full), passes.Intersect(some)
	if w.may {
		way.May = way.Some // of which nothing is TCP
		way.Full, way.Some = flow.Set{}, way.May
	}
	way.Verdict = way.Outcome.Verdict(q.Flows)
	way.Blockers = r.settle(q.Flows, way.Verdict)
	there := slices.Clone(r.crossed[0])
	slices.Reverse(there)
	way.Other = !slices.Equal(there, r.crossed[1]) && !w.stopped
	*chosen = w.choices
	way.Tied = w.choices.tied()
	return way
}

// turn begins the way back.
func (w *walker) turn(replies flow.Set) {
	w.back, w.cut, w.stopped, w.left, w.steps = true, w.stopped, false, replies, 0
}

// seenAs is whom the far end sees, where that is a few addresses.
func (w *walker) seenAs() []netip.Addr {
	switch {
	case w.exit != nil && (!w.seen.IsValid() || w.seen.Addr == w.e.StandIn || slices.Contains(w.exit.public, w.seen.Addr)):
		return w.exit.public // one of which the gateway chooses, unless something behind it has translated the packet again
	case w.seen.IsValid() && (w.seen.side == nil || w.seen.side.single):
		return []netip.Addr{w.seen.Addr}
	}
	return nil
}

// replies are the flows of the replies to those asked for: of TCP and UDP to any port that a client may have taken, of
// other protocols the same.
func (w *walker) replies() flow.Set {
	return w.asked.WholeProtocols().Intersect(w.ports.flows())
}

// flows are those of TCP and UDP to the ports, and all that have no ports.
func (p Ports) flows() flow.Set { return flow.Ports(p.First, p.Last).Union(flow.WithoutPorts()) }

// replyPorts are the ports that a client at an end may have taken.
func replyPorts(e *estate.Estate, from End) Ports {
	ports := e.Profile.ReplyPorts
	if from.Workload != nil {
		ports = from.Workload.Subnet.Network.Profile.ReplyPorts
	}
	return Ports{ports[0], ports[1]}
}

// Answered gives the flows of asked whose replies all come back, and those of which some do, when of replies those in
// got come back.
func Answered(asked, replies, got flow.Set) (full, some flow.Set) {
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

// hop notes a step that lets everything through that has come so far.
func (w *walker) hop(h Hop) { w.record.hop(w, h) }

// crosses notes that the packet crosses something that joins networks.
func (w *walker) crosses(o estate.Object) {
	w.record.crosses(w, o)
	w.works(o, o)
}

// works stops everything at what is out of order.
func (w *walker) works(x any, o estate.Object) {
	if w.e.Out(x) && !w.unexplained() {
		w.block(o, diag.Finding{Code: OutOfOrder, At: o.At(), Place: o.Place(), Message: fmt.Sprintf("%s %s is out of order", o.Kind(), o.ID())})
	}
}

// unexplained notes that everything stops here, and reports whether nobody wants to know why.
func (w *walker) unexplained() bool {
	w.stopped = true
	return !w.record.explains()
}

// halted reports whether the walk has met what stops everything, and nobody wants to know what is behind that.
func (w *walker) halted() bool { return w.stopped && !w.record.explains() }

// block notes a step of an object that stops everything; the walk goes on as if it were fixed.
func (w *walker) block(by estate.Object, f diag.Finding) {
	w.stopped = true
	w.record.block(w, f, Hop{Object: by, At: f.At, Stops: true, Code: f.Code, Message: f.Message})
}

// leaveSource starts the packet at its source.
func (w *walker) leaveSource(p packet) {
	w.seen, w.origin, w.sentTo = p.src, p.src, p.dst.Addr
	switch {
	case w.from.Workload != nil:
		x := w.from.Workload
		w.record.groups(w, x, Out, p)
		w.leaveSubnet(x.Subnet, p)
	case w.from.Site != nil:
		w.leaveSite(w.from.Site, p)
	case w.from.Internet:
		w.hop(Hop{Did: FromInternet, far: p.src})
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
		w.hop(Hop{Did: ReplyOfInternet, far: p.src})
		w.fromInternet(p)
	}
	w.checkPassed()
}

// describe names an address of a packet: the one address, or all that its side stands for.
func (w *walker) describe(r role) string {
	if !r.divisible() {
		return address.Word(r.Addr)
	}
	return r.side.name
}

// nobody ends a walk from or to an address that no workload has.
func (w *walker) nobody(e End, r role) {
	f := diag.Finding{Code: NoWorkload, At: e.Network.At(), Place: e.Network.Place(),
		Message: fmt.Sprintf("no workload has the address %s", r.Addr), Fixes: diag.Advise("ask for an address that one has, or give it to one")}
	if s := e.Network.SubnetOf(r.Addr); s == nil {
		f.Message = fmt.Sprintf("%s lies in no subnet of network %s", r.Addr, e.Network.Name)
		f.Fixes = diag.Advise("carve a subnet there, or ask for an address in one")
	} else {
		f.At, f.Place = s.At(), s.Place()
	}
	w.block(e.Network, f)
}

// goal is the end that the packet must arrive at: the target, or on the way back the source.
func (w *walker) goal() End {
	if w.back {
		return w.from
	}
	return w.to
}

// tooLong counts a step, and reports whether a walk has more than any way has that leads somewhere.
func (w *walker) tooLong() bool {
	w.steps++
	return w.steps > maxSteps
}

// circle is what is wrong where a packet comes by again and again.
func (w *walker) circle(t estate.Object) diag.Finding {
	w.through = nil // that it comes back is not to be expected
	what := "packet"
	if w.back {
		what = "reply"
	}
	return diag.Finding{Code: Endless, At: t.At(), Place: t.Place(),
		Message: fmt.Sprintf("the %s goes round in a circle for ever: %s", what, strings.Join(w.record.rounds(), ", ")),
		Fixes:   diag.Advise("break the circle in one of the tables")}
}

// goesRound ends a walk that goes in a circle.
func (w *walker) goesRound(t estate.Object) bool {
	if !w.tooLong() {
		return false
	}
	if !w.unexplained() {
		w.block(t, w.circle(t))
	}
	return true
}

// roundFrom ends a walk that goes in a circle through a subnet, with the route that would lead out of it as the fix.
func (w *walker) roundFrom(s *estate.Subnet, p packet) bool {
	if !w.tooLong() {
		return false
	}
	if w.unexplained() {
		return true
	}
	f := w.circle(s.Table)
	r := w.route(s.Table, p)
	if to, found := w.intended(s, p); w.ownAway(s, r, p) != nil {
		f.Fixes = w.ownAway(s, r, p)
	} else if found && r != nil && to.via != r.Via && w.unsafe(s, to) == "" {
		if f.Fixes = w.routeFix(s.Table, to, p); f.Fixes == nil {
			f.Fixes = to.instead(s.Table, r)
		}
	}
	w.block(s.Table, f)
	return true
}

// leaveSubnet carries a packet out of a subnet, from whatever emitted it there.
func (w *walker) leaveSubnet(s *estate.Subnet, p packet) {
	if w.halted() || w.roundFrom(s, p) {
		return
	}
	if p.dst.IsValid() && p.dst.inRanges(s.Ranges) {
		w.hop(Hop{Did: StaysInside, Object: s, At: s.At()})
		w.enterSubnet(s, p, false)
		return
	}
	w.list(s, Out, p)
	r := w.route(s.Table, p)
	if r == nil {
		w.noRoute(s, p)
		return
	}
	w.routed(s, r, p)
}

// route is the one of a table that a packet takes: the longest, and of those as long one that is for its source alone.
func (w *walker) route(t *estate.Table, p packet) *estate.Route {
	all := w.choose(lookup(p.dst, t.Routes, t.Lookup), overPeer)
	best := all
	for _, r := range t.Some {
		w.record.remembers(true) // where it goes depends on who sends it
		if p.dst.IsValid() && p.dst.inRange(r.To) && r.Takes(p.src.Addr, all) && (best == all || r.To.Bits() > best.To.Bits()) {
			best = r
		}
	}
	return best
}

// list judges a packet by the list of a subnet, when it has one.
func (w *walker) list(s *estate.Subnet, dir Direction, p packet) {
	if s.List != nil {
		w.record.list(w, s.List, dir, p)
	}
}

// routed follows the route that a table gave.
func (w *walker) routed(s *estate.Subnet, r *estate.Route, p packet) {
	switch {
	case r.Origin == estate.Local:
		w.hop(Hop{Did: RouteLocal, Object: s.Table, Route: r, At: r.At})
		w.arrive(s.Network, p)
	case r.Via == estate.Blackhole:
		if !w.unexplained() {
			w.misrouted(s.Table, s, r, p, BlackholeRoute, "table %s drops %s on purpose", s.Table.ID(), r.Leads())
		}
	default:
		w.hop(Hop{Did: Routed, Object: s.Table, Route: r, At: r.At})
		w.follow(s, r, p)
	}
}

// follow takes a next hop out of a subnet.
func (w *walker) follow(s *estate.Subnet, r *estate.Route, p packet) {
	switch via := r.Via.(type) {
	case *estate.Gateway:
		if via.Type == estate.NATGateway {
			w.throughNAT(s, via, r, p)
		} else {
			w.toInternet(s, via, r, p)
		}
	case *estate.Peering:
		w.overPeering(s, via, r, p)
	case *estate.Hub:
		if a := s.Network.Attachment(via); a != nil {
			w.works(a, via)
			w.overHub(a.Hub, a.Table, p)
		}
	case *estate.Site:
		w.toSite(s, via, r, p)
	case *estate.Workload:
		w.throughWorkload(s, via, r, p)
	}
}
