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
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
)

// Verdict says whether what was asked passes.
type Verdict string

// The verdicts.
const (
	Open    Verdict = "open"
	Partly  Verdict = "partly" // for some of the flows, the addresses, or the ports of replies
	Blocked Verdict = "blocked"
)

// Answer is the answer to whether one end reaches another.
type Answer struct {
	From, To End
	Asked    flow.Set // Any when no flow was asked for
	Verdict  Verdict
	// Passes is every flow that passes with all its replies, whichever addresses of the ends are taken.
	Passes   flow.Set
	Some     flow.Set       // every flow of which any part passes: to some addresses, or with some replies
	SeenAs   []netip.Addr   // as whom the far end sees the source, when something arrives
	Ways     []Way          // one for each family, and for each part of an end that fares differently
	Blockers []plan.Finding // of a flow that was asked for; without one, only where nothing passes at all
	Notes    []string       // what is not a matter of passing, such as a port that nobody listens on
	Targets  []*Answer      // of a balancer: what becomes of the flows that it hands on, for each target
}

// Way is how packets fare between two sets of addresses that nothing tells apart.
type Way struct {
	From, To address.Set
	FromName string // how to call the addresses of From: the end itself, a few ranges, or the rest of it
	ToName   string
	Verdict  Verdict
	Passes   flow.Set
	Some     flow.Set
	SeenAs   []netip.Addr
	Forward  []Hop
	Back     []Hop
	Other    string // by what the reply comes back, when not by what the flow went; empty when it is
	Blockers []plan.Finding
}

// Hop is one step of a walk.
type Hop struct {
	Kind  string // workload, subnet, list, table, gateway, nat, peering, hub, site, internet
	Where string // whose step it is, such as booking/web-a
	What  string // what was decided there
	At    plan.Pos
	Stops bool     // whether nothing gets past it
	Left  flow.Set // the flows that are left behind it; on the way back, those of the replies
}

// Ask answers whether from reaches to with every flow of asked. With asked as flow.Any() the answer is what passes.
func Ask(e *estate.Estate, from, to End, asked flow.Set) *Answer {
	a := &Answer{From: from, To: to, Asked: asked}
	if from.Workload != nil && from.Workload == to.Workload {
		a.Verdict, a.Passes, a.Some = Open, asked, asked
		a.Notes = append(a.Notes, "both ends are the same workload: nothing leaves it")
		return a
	}
	for _, f := range families(from, to) {
		a.Ways = append(a.Ways, walkAll(e, from, to, f, asked)...)
	}
	a.sum()
	a.notes()
	if len(a.Ways) == 0 {
		a.Blockers = append(a.Blockers, noFamily(from, to))
	}
	if x := to.Workload; x != nil && len(x.Targets) > 0 {
		a.handOn(e, x)
	}
	return a
}

// handOn asks what becomes of the flows that a balancer hands on to its targets, from its own address. No target is a
// balancer.
func (a *Answer) handOn(e *estate.Estate, x *estate.Workload) {
	on := a.Asked
	if !x.TargetPorts.Empty() {
		on = x.TargetPorts
	}
	handed := Outcome{Full: on}
	for _, t := range x.Targets {
		one := Ask(e, endOf(x), endOf(t), on)
		a.Targets = append(a.Targets, one)
		handed.Full, handed.Some = handed.Full.Intersect(one.Passes), handed.Some.Union(one.Some)
		a.block(one.Blockers)
	}
	if x.TargetPorts.Empty() {
		a.Passes, a.Some = a.Passes.Intersect(handed.Full), a.Some.Intersect(handed.Some)
	} else {
		switch handed.Verdict(on) {
		case Blocked:
			a.Passes, a.Some = flow.Set{}, flow.Set{}
		case Partly:
			a.Passes = flow.Set{}
		}
	}
	a.Verdict = a.Outcome().Verdict(a.Asked)
}

// block adds blockers that are not among those of the answer yet.
func (a *Answer) block(more []plan.Finding) {
	for _, b := range more {
		if !slices.ContainsFunc(a.Blockers, func(o plan.Finding) bool { return o.Code == b.Code && o.Place == b.Place && o.Message == b.Message }) {
			a.Blockers = append(a.Blockers, b)
		}
	}
}

// noFamily is the blocker of two ends that have no kind of address in common.
func noFamily(from, to End) plan.Finding {
	f := plan.Finding{Code: "no-common-family", Severity: plan.Error, Message: fmt.Sprintf("%s and %s have no address of the same family", from.Name, to.Name),
		Fix: "give one of them an address of the other's family, IPv4 or IPv6"}
	for _, end := range []End{from, to} {
		switch {
		case f.Place != "":
		case end.Workload != nil:
			f.At, f.Place = end.Workload.Plan.Name.At, "workloads."+end.Workload.Name
		case end.Site != nil:
			f.At, f.Place = end.Site.Plan.Name.At, "sites."+end.Site.Name
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

// families are those in which the two ends can talk. With the internet, a workload talks in those in which the
// internet can know it, and in IPv4 through a NAT. When there is none, the first that both have, so that the answer
// can say why.
func families(from, to End) []family {
	var out, both []family
	for _, f := range []family{ipv4, ipv6} {
		if !from.has(f) || !to.has(f) {
			continue
		}
		both = append(both, f)
		known := true
		switch {
		case from.Internet && to.Workload != nil && !to.Addr.IsValid():
			_, known = to.Workload.PublicLike(f)
		case to.Internet && from.Workload != nil && f.Is6():
			_, known = from.Workload.PublicLike(f)
		}
		if known {
			out = append(out, f)
		}
	}
	if len(out) == 0 && len(both) > 0 {
		return both[:1]
	}
	return out
}

// walkAll walks every part of the two ends' addresses.
func walkAll(e *estate.Estate, from, to End, f family, asked flow.Set) []Way {
	type rectangle struct{ from, to address.Set }
	todo := []rectangle{{from.addresses(f, to, false), to.addresses(f, from, true)}}
	var ways []Way
	for len(todo) > 0 {
		r := todo[len(todo)-1]
		todo = todo[:len(todo)-1]
		if r.from.Empty() || r.to.Empty() {
			continue
		}
		way := walk(e, from, to, r.from, r.to, asked)
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
		return a.Kind == b.Kind && a.Where == b.Where && a.At == b.At && a.Stops == b.Stops && a.Left.Equal(b.Left)
	}
	sameBlocker := func(a, b plan.Finding) bool { return a.Code == b.Code && a.At == b.At && a.Place == b.Place }
	return w.Verdict == o.Verdict && w.Passes.Equal(o.Passes) && slices.Equal(w.SeenAs, o.SeenAs) &&
		slices.EqualFunc(w.Forward, o.Forward, sameHop) && slices.EqualFunc(w.Back, o.Back, sameHop) &&
		slices.EqualFunc(w.Blockers, o.Blockers, sameBlocker)
}

// sum puts the ways together.
func (a *Answer) sum() {
	for i, w := range a.Ways {
		if i == 0 {
			a.Passes = w.Passes
		}
		a.Passes, a.Some = a.Passes.Intersect(w.Passes), a.Some.Union(w.Some)
		for _, s := range w.SeenAs {
			if !slices.Contains(a.SeenAs, s) {
				a.SeenAs = append(a.SeenAs, s)
			}
		}
		a.block(w.Blockers)
	}
	a.Verdict = a.Outcome().Verdict(a.Asked)
	if a.Verdict == Partly && a.Asked.Equal(flow.Any()) {
		a.Blockers = nil
	}
}

// notes adds what matters beside passing.
func (a *Answer) notes() {
	for _, way := range a.Ways {
		if way.Other != "" && way.Verdict != Blocked && !slices.Contains(a.Notes, way.Other) {
			a.Notes = append(a.Notes, way.Other)
		}
	}
	w := a.To.Workload
	if w == nil || w.Listens.Empty() || a.Asked.Equal(flow.Any()) {
		return
	}
	if unheard := a.Asked.Minus(w.Listens).Intersect(flow.Ports(0, 65535)); !unheard.Empty() {
		a.Notes = append(a.Notes, w.Name+" does not listen on "+unheard.String()+"; it listens on "+w.Listens.String())
	}
}
