package reach

import (
	"net/netip"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// Trace is what a walk without a story leaves behind: the filters that the packet and its reply meet.
type Trace struct {
	There, Back []Gate
	Remembers   bool // whether something on the way must remember the packet, to know its reply
	Own         bool // whether where it goes depends on the source's own address
	May         bool // whether TCP is stopped, and all else only may pass
}

// Gate is a list, or the groups of a workload, and the address that its rules judge.
type Gate struct {
	List *estate.List
	Host *estate.Workload // of groups
	Dir  Direction
	Addr netip.Addr
	Of   Party // whose own address that is
}

// Party is an end of a flow.
type Party int8

// The parties. A translated address is no party's.
const (
	NoParty Party = iota
	Source
	Target
)

// A Tracer walks between workloads, again and again. It stops at the first thing that stops everything.
type Tracer struct {
	Trace
	walker   walker
	src, dst side
	choices  choices
}

// NewTracer makes a tracer for an estate.
func NewTracer(e *estate.Estate) *Tracer {
	t := &Tracer{src: side{single: true}, dst: side{single: true}}
	t.walker.e = e
	return t
}

// There walks from one workload to another, by their addresses, and reports whether that arrives. Of routes of one rank it takes
// the first.
func (t *Tracer) There(a, b *estate.Workload, from, to netip.Addr) bool {
	t.choices = choices{made: t.choices.made[:0]}
	return t.there(a, b, from, to)
}

// Tied reports whether the last walk met several routes of one rank.
func (t *Tracer) Tied() bool { return len(t.walker.choices.made) > 0 }

// Again is ThereAndBack by another choice among routes of one rank than all before; others is whether there was one. Where there
// are too many, the last is one that does not arrive.
func (t *Tracer) Again(a, b *estate.Workload, from, to netip.Addr) (arrives, others bool) {
	if t.choices = t.walker.choices; !t.choices.next() {
		return false, false
	}
	arrives = t.thereAndBack(a, b, from, to)
	return arrives && t.choices.walked+1 < maxChoices, true
}

func (t *Tracer) there(a, b *estate.Workload, from, to netip.Addr) bool {
	t.Trace = Trace{There: t.Trace.There[:0], Back: t.Trace.Back[:0]}
	w := &t.walker
	*w = walker{e: w.e, from: End{Workload: a}, to: End{Workload: b}, record: t, through: w.through[:0], passed: w.passed[:0], choices: t.choices}
	w.leaveSource(packet{role{from, &t.src}, role{to, &t.dst}})
	return !w.stopped
}

// ThereAndBack walks as There does, and back, and reports whether both arrive.
func (t *Tracer) ThereAndBack(a, b *estate.Workload, from, to netip.Addr) bool {
	t.choices = choices{made: t.choices.made[:0]}
	return t.thereAndBack(a, b, from, to)
}

func (t *Tracer) thereAndBack(a, b *estate.Workload, from, to netip.Addr) bool {
	if !t.there(a, b, from, to) {
		return false
	}
	w := &t.walker
	w.turn(flow.Set{})
	w.leaveTarget(packet{role{to, &t.dst}, w.seen})
	t.May = w.may
	return !w.stopped
}

func (t *Tracer) explains() bool                               { return false }
func (t *Tracer) hop(*walker, Hop)                             {}
func (t *Tracer) crosses(*walker, estate.Object)               {}
func (t *Tracer) block(*walker, diag.Finding, Hop)             {}
func (t *Tracer) suspect(diag.Finding)                         {}
func (t *Tracer) half(*walker, *estate.Workload, diag.Finding) {}
func (t *Tracer) rounds() []string                             { return nil }

func (t *Tracer) remembers(own bool) {
	t.Remembers = true
	t.Own = t.Own || own
}

func (t *Tracer) list(w *walker, l *estate.List, dir Direction, p packet) {
	t.gate(w, Gate{List: l, Dir: dir}, dir.far(p))
}

func (t *Tracer) groups(w *walker, x *estate.Workload, dir Direction, p packet) {
	t.gate(w, Gate{Host: x, Dir: dir}, dir.far(p))
}

func (t *Tracer) gate(w *walker, g Gate, far role) {
	g.Addr = far.Addr
	switch far.side {
	case &t.src:
		g.Of = Source
	case &t.dst:
		g.Of = Target
	}
	if w.back {
		t.Trace.Back = append(t.Trace.Back, g)
	} else {
		t.Trace.There = append(t.Trace.There, g)
	}
}
