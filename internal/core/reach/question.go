// Package reach walks packets through an estate: from one end to another and back, through groups, lists, route tables,
// gateways, peerings, hubs and sites, and says which flows pass and everything that stops the rest.
//
// A walk carries a set of flows between two addresses. Where an end is many addresses (the internet, a site), each walk
// also finds the exact part of them to which all its decisions apply alike, and the rest is walked anew, until no
// address is left: no address and no port is ever sampled.
package reach

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// Verdict says whether what was asked passes.
type Verdict string

// The verdicts.
const (
	Open    Verdict = "open"
	Partly  Verdict = "partly" // for some of the flows, the addresses, or the ports of replies
	Blocked Verdict = "blocked"
)

// Question is whether flows pass from one end to another.
type Question struct {
	From, To End
	Flows    flow.Set // flow.Any() to learn which pass
	Replies  Ports    // that replies come back to; those of the profile of From when zero
}

// Ports is a range of ports, both ends included.
type Ports struct{ First, Last uint16 }

// Outcome is what becomes of some flows: those that pass with all their replies, whichever addresses of the ends are
// taken; and those of which any part does, to some addresses, or with some replies.
type Outcome struct{ Full, Some flow.Set }

// Verdict is the answer about some flows.
func (o Outcome) Verdict(asked flow.Set) Verdict {
	switch {
	case o.Full.Covers(asked):
		return Open
	case o.Some.Intersect(asked).Empty():
		return Blocked
	}
	return Partly
}

// Of are those of some flows that pass, and those that pass in part.
func (o Outcome) Of(asked flow.Set) (full, part flow.Set) {
	return o.Full.Intersect(asked), o.Some.Minus(o.Full).Intersect(asked)
}

// Answer is the answer to a question.
type Answer struct {
	Question
	Outcome
	Verdict  Verdict
	May      flow.Set       // those of Some that may pass or not, as the firewall on the way likes; none of them is in Full
	SeenAs   []netip.Addr   // as whom the far end sees the source, when something arrives
	Ways     []Way          // one for each family, and for each part of an end that fares differently
	Blockers []diag.Finding // of a flow that was asked for; without one, only where nothing passes at all
	Notes    []Note         // what is not a matter of passing
	Targets  []*Answer      // of a balancer: what becomes of the flows that it hands on, for each target

	handed *handing // what the targets of a balancer make of an outcome; nil where the far end is none
}

// OnlyMay reports whether all that was asked for may pass or not: nothing of it surely does, and nothing is surely stopped.
func (a *Answer) OnlyMay() bool { return !a.Flows.Empty() && a.May.Covers(a.Flows) }

// Part is some addresses of the internet or of a site, and what becomes of flows from or to them: the same for all of them.
type Part struct {
	Of address.Set
	Outcome
}

// Parts divide an end that is the internet or a site by what becomes of the flows. There are none where no end is such.
func (a *Answer) Parts() []Part {
	var parts []Part
	for _, w := range a.Ways {
		p := Part{w.To, a.handed.make(w.Outcome)}
		if a.From.outside() {
			p.Of = w.From
		} else if !a.To.outside() {
			return nil
		}
		same := func(o Part) bool { return o.Full.Equal(p.Full) && o.Some.Equal(p.Some) }
		if i := slices.IndexFunc(parts, same); i >= 0 {
			parts[i].Of = parts[i].Of.Union(p.Of)
		} else {
			parts = append(parts, p)
		}
	}
	return parts
}

// handing is what becomes of the flows that a balancer hands on.
type handing struct {
	on    flow.Set // the flows that leave it
	other bool     // whether they are others than those that come to it
	to    Outcome
}

// make is the outcome of flows that come to a balancer.
func (h *handing) make(o Outcome) Outcome {
	switch {
	case h == nil:
		return o
	case !h.other:
		return Outcome{o.Full.Intersect(h.to.Full), o.Some.Intersect(h.to.Some)}
	}
	switch h.to.Verdict(h.on) {
	case Blocked:
		return Outcome{}
	case Partly:
		return Outcome{Some: o.Some}
	}
	return o
}

// ByChance reports whether something passes under an address that the cloud chooses.
func (a *Answer) ByChance() bool {
	return slices.ContainsFunc(a.EachWay(), func(w Way) bool {
		return w.Verdict != Blocked && slices.ContainsFunc(w.Forward, func(h Hop) bool { return h.Did == OutByChance && !h.Stops })
	})
}

// EachWay are all ways, by each choice among routes of one rank.
func (a *Answer) EachWay() []Way {
	var all []Way
	for i := range a.Ways {
		all = append(all, a.Ways[i].Each()...)
	}
	return all
}

// Way is how packets fare between two sets of addresses that nothing tells apart.
type Way struct {
	Outcome
	From, To address.Set
	FromName string // how to call the addresses of From: the end itself, a few ranges, or the rest of it
	ToName   string
	Verdict  Verdict
	SeenAs   []netip.Addr
	May      flow.Set // those of Some that may pass or not: a firewall sees one direction of them alone
	Forward  []Hop
	Back     []Hop
	Crossed  [2][]estate.Object // what joins networks and was crossed there and back: peerings, hubs, sites, gateways, workloads that forward
	Other    bool               // whether the reply comes back by another way
	Tied     []Tie              // those that it met, where it depends on the choice what passes
	each     []Way              // by each choice, where there is one
	Blockers []diag.Finding
}

// Note is something about an answer that is not a matter of passing.
type Note struct {
	Kind     NoteKind
	Workload *estate.Workload   // of MayPass, the firewall
	Flows    flow.Set           // of Unheard, those that nobody listens on; of MayPass, those that may pass or not
	Crossed  [2][]estate.Object // of AnotherWayBack, what is crossed there and back
	Tie      Tie                // of OneRank
}

// NoteKind says what a note is about.
type NoteKind int

// The kinds of notes.
const (
	SameWorkload   NoteKind = iota // both ends are one workload, and nothing leaves it
	Unheard                        // the workload does not listen on some of what was asked
	AnotherWayBack                 // the reply comes back by another way
	MayPass                        // a firewall sees one direction of flows alone, and may pass those that have no handshake or drop them
	OneRank                        // what passes depends on which of several ways of one rank a packet takes
)

// Ask answers a question.
func Ask(e *estate.Estate, q Question) *Answer {
	a := &Answer{Question: q}
	if q.From.Workload != nil && q.From.Workload == q.To.Workload {
		a.Verdict, a.Outcome = Open, Outcome{q.Flows, q.Flows}
		a.Notes = append(a.Notes, Note{Kind: SameWorkload, Workload: q.To.Workload})
		return a
	}
	if q.Replies == (Ports{}) {
		q.Replies = replyPorts(e, q.From)
	}
	sure, perhaps := families(q.From, q.To)
	for _, f := range sure {
		a.Ways = append(a.Ways, walkAll(e, q, f)...)
	}
	var first []Way
	for i, f := range perhaps { // which counts where something translates it, and gets out
		ways := walkAll(e, q, f)
		if slices.ContainsFunc(ways, func(w Way) bool { return !w.Some.Empty() }) {
			a.Ways = append(a.Ways, ways...)
		} else if i == 0 {
			first = ways
		}
	}
	if len(a.Ways) == 0 {
		a.Ways = first
	}
	a.sum()
	a.notes()
	if len(a.Ways) == 0 {
		a.Blockers = append(a.Blockers, noFamily(q.From, q.To))
	}
	if x := q.To.Workload; x != nil && len(x.Targets) > 0 {
		a.handOn(e, x)
	}
	return a
}

// handOn asks what becomes of the flows that a balancer hands on to its targets, from its own address. No target is a
// balancer.
func (a *Answer) handOn(e *estate.Estate, x *estate.Workload) {
	on := a.Flows
	if !x.TargetPorts.Empty() {
		on = x.TargetPorts
	}
	handed := Outcome{Full: on}
	for _, t := range x.Targets {
		if e.Out(t) {
			continue // which it knows, and hands on to the others
		}
		one := Ask(e, Question{From: EndOf(x), To: EndOf(t), Flows: on})
		a.Targets = append(a.Targets, one)
		handed.Full, handed.Some = handed.Full.Intersect(one.Full), handed.Some.Union(one.Some)
		a.block(one.Blockers)
	}
	if len(a.Targets) == 0 {
		handed.Full = flow.Set{}
	}
	a.handed = &handing{on, !x.TargetPorts.Empty(), handed}
	a.Outcome = a.handed.make(a.Outcome)
	a.May = a.May.Intersect(a.Some).Minus(a.Full)
	a.Verdict = a.Outcome.Verdict(a.Flows)
}

// block adds blockers that are not among those of the answer yet.
func (a *Answer) block(more []diag.Finding) { a.Blockers = withOthers(a.Blockers, more) }

// withOthers are some blockers, and those of more that are not among them.
func withOthers(some, more []diag.Finding) []diag.Finding {
	for _, b := range more {
		if !slices.ContainsFunc(some, func(o diag.Finding) bool {
			return o.Code == b.Code && slices.Equal(o.Place, b.Place) && o.Message == b.Message
		}) {
			some = append(slices.Clip(some), b)
		}
	}
	return some
}

// noFamily is the blocker of two ends that have no kind of address in common.
func noFamily(from, to End) diag.Finding {
	f := diag.Finding{Code: NoCommonFamily, Severity: diag.Error, Message: fmt.Sprintf("%s and %s have no address of the same family", from.Name, to.Name),
		Fixes: diag.Advise("give one of them an address of the other's family, IPv4 or IPv6")}
	for _, end := range []End{from, to} {
		if o := end.object(); o != nil && o.Kind() != estate.NetworkKind && f.Place == nil {
			f.At, f.Place = o.At(), o.Place()
		}
	}
	return f
}

// family is IPv4 or IPv6, as an address of it.
type family = netip.Addr

var (
	ipv4 family = netip.IPv4Unspecified()
	ipv6 family = netip.IPv6Unspecified()
)

// families are those in which the two ends can talk. With the internet, a workload talks in those in which the internet can know
// it, and in IPv4 through a NAT; perhaps in IPv6 through one. When there is none, perhaps in the first that both have, so that the
// answer can say why.
func families(from, to End) (sure, perhaps []family) {
	for _, f := range []family{ipv4, ipv6} {
		if !from.has(f) || !to.has(f) {
			continue
		}
		known := true
		switch {
		case from.Internet && to.Workload != nil && !to.Addr.IsValid():
			_, known = to.Workload.PublicLike(f)
		case to.Internet && from.Workload != nil && f.Is6():
			_, known = from.Workload.PublicLike(f)
		}
		if known {
			sure = append(sure, f)
		} else {
			perhaps = append(perhaps, f)
		}
	}
	return sure, perhaps
}

// walkAll walks every part of the two ends' addresses.
func walkAll(e *estate.Estate, q Question, f family) []Way {
	from, to := q.From, q.To
	type rectangle struct{ from, to address.Set }
	todo := []rectangle{{from.addresses(f, to, false), to.addresses(f, from, true)}}
	var ways []Way
	for len(todo) > 0 {
		r := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		if r.from.Empty() || r.to.Empty() {
			continue
		}
		way := walk(e, q, r.from, r.to)
		ways = merge(ways, way, from, to)
		todo = append(todo, rectangle{r.from.Minus(way.From), r.to}, rectangle{way.From, r.to.Minus(way.To)})
	}
	return ways
}

// merge adds a way, joined with one before it that differs only in the addresses of one end.
func merge(ways []Way, w Way, from, to End) []Way {
	for i := range ways {
		o := &ways[i]
		sameFrom, sameTo := o.From.Equal(w.From), o.To.Equal(w.To)
		if !sameFrom && !sameTo || !o.alike(w) {
			continue
		}
		o.From, o.To = o.From.Union(w.From), o.To.Union(w.To)
		o.FromName, o.ToName = from.call(o.From), to.call(o.To)
		return ways
	}
	return append(ways, w)
}

// alike reports whether two ways have the same outcome by the same steps.
func (w Way) alike(o Way) bool {
	sameHop := func(a, b Hop) bool {
		return a.Did == b.Did && a.Object == b.Object && a.At == b.At && a.Dir == b.Dir && a.Stops == b.Stops && a.Left.Equal(b.Left)
	}
	sameBlocker := func(a, b diag.Finding) bool { return a.Same(&b) }
	return w.Verdict == o.Verdict && w.Full.Equal(o.Full) && slices.Equal(w.SeenAs, o.SeenAs) &&
		slices.EqualFunc(w.Forward, o.Forward, sameHop) && slices.EqualFunc(w.Back, o.Back, sameHop) &&
		slices.EqualFunc(w.Blockers, o.Blockers, sameBlocker)
}

// sum puts the ways together.
func (a *Answer) sum() {
	for i, w := range a.Ways {
		if i == 0 {
			a.Full = w.Full
		}
		a.Full, a.Some = a.Full.Intersect(w.Full), a.Some.Union(w.Some)
		for _, s := range w.SeenAs {
			if !slices.Contains(a.SeenAs, s) {
				a.SeenAs = append(a.SeenAs, s)
			}
		}
		a.May = a.May.Union(w.May)
		a.block(w.Blockers)
	}
	a.Verdict = a.Outcome.Verdict(a.Flows)
	if a.Verdict == Partly && a.Flows.Equal(flow.Any()) {
		a.Blockers = nil
	}
}

// notes adds what matters beside passing.
func (a *Answer) notes() {
	for _, way := range a.Ways {
		told := slices.ContainsFunc(a.Notes, func(n Note) bool {
			return slices.Equal(n.Crossed[0], way.Crossed[0]) && slices.Equal(n.Crossed[1], way.Crossed[1])
		})
		if way.Other && way.Verdict != Blocked && !told {
			a.Notes = append(a.Notes, Note{Kind: AnotherWayBack, Crossed: way.Crossed})
		}
	}
	for _, way := range a.EachWay() {
		for _, h := range append(slices.Clone(way.Forward), way.Back...) {
			if firewall, is := h.Object.(*estate.Workload); is && h.Did == SeesHalf && !way.May.Empty() &&
				!slices.ContainsFunc(a.Notes, func(n Note) bool { return n.Kind == MayPass && n.Workload == firewall && n.Flows.Equal(way.May) }) {
				a.Notes = append(a.Notes, Note{Kind: MayPass, Workload: firewall, Flows: way.May})
			}
		}
	}
	for _, way := range a.Ways {
		for _, t := range way.Tied {
			if !slices.ContainsFunc(a.Notes, func(n Note) bool { return n.Kind == OneRank && n.Tie.is(t) }) {
				a.Notes = append(a.Notes, Note{Kind: OneRank, Tie: t, Flows: way.May})
			}
		}
	}
	w := a.To.Workload
	if w == nil || w.Listens.Empty() || a.Flows.Equal(flow.Any()) {
		return
	}
	if unheard := a.Flows.Minus(w.Listens).Intersect(flow.Ports(0, 65535)); !unheard.Empty() {
		a.Notes = append(a.Notes, Note{Kind: Unheard, Workload: w, Flows: unheard})
	}
}
