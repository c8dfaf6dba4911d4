package rehearse

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
)

// This file says what a rehearsal of steps comes to.

// State is an estate between two steps, by the files of its plan.
type State struct {
	Step  string // what led to it; empty for the one before the first step
	Harms bool   // whether it is said of the step that it cuts or opens something for a while
	Files []named
}

// StateOf is a state whose plan is one file.
func StateOf(name, content, step string, harms bool) State {
	return State{Step: step, Harms: harms, Files: []named{{name, content}}}
}

// named is a file of a plan.
type named struct{ Name, Text string }

func textsOf(e *estate.Estate) []named {
	var all []named
	for _, f := range e.Plan.Files.All() {
		all = append(all, named{f.Name, f.Text})
	}
	return all
}

// Move is what real packets made of a state.
type Move struct {
	Step   string
	Harms  bool
	Tries  int
	Passed int
	Wrong  []*Try   // on which kernel and reach disagree
	Must   int      // exchanges that pass in the first state and in the last
	Cut    []*Try   // those of them that do not pass here
	Never  int      // exchanges that pass in neither
	Opened []*Try   // those of them that pass here
	Kept   int      // connections that were open before the first step, that must be open still, and are
	Lost   []string // those that are not
	Ended  int      // connections that the plan does not promise to keep from this step on
}

// Good reports whether kernel and reach agree on all of it, nothing is cut or opened but what was said of the step, and no
// connection is lost.
func (m *Move) Good() bool {
	return len(m.Wrong) == 0 && len(m.Lost) == 0 && (m.Harms || len(m.Cut) == 0 && len(m.Opened) == 0)
}

// exchangeKey is what an exchange is, in every state in which there is one like it.
type exchangeKey struct {
	from, to, flow string
	four, public   bool
	source         uint16
}

func (s *script) key(t *Try) exchangeKey {
	w := s.e.Workload(t.To)
	public := false
	if w != nil {
		own, _ := w.AddrLike(t.Dst)
		public = own != t.Dst
	}
	return exchangeKey{t.From, t.To, t.Flow(), t.Dst.Is4(), public, t.SourcePort}
}

// said is what reach says of exchanges in one of the states.
type said struct {
	*script
	of map[exchangeKey]saying
}

// saying is what reach says of all exchanges of a key.
type saying int

const (
	stopped saying = iota
	passes
	both
)

func (s *script) says() said {
	all := said{s, map[exchangeKey]saying{}}
	for _, t := range s.tries {
		all.note(s.key(t), t.Says)
	}
	return all
}

func (s said) note(key exchangeKey, pass bool) {
	now := stopped
	if pass {
		now = passes
	}
	if had, known := s.of[key]; known && had != now {
		now = both
	}
	s.of[key] = now
}

// says is what reach says of an exchange, which need not be one that is tried in this state; what has no such ends stops it.
func (s said) says(t *Try) saying {
	key := s.key(t)
	if _, known := s.of[key]; !known {
		from, to, ok := s.between(t.From, t.To, t.Src, t.Dst)
		if !ok {
			return stopped
		}
		a := reach.Ask(s.e, reach.Question{From: from, To: to, Flows: t.flows(), Replies: reach.Ports{First: max(t.SourcePort, 1), Last: max(t.SourcePort, 1)}})
		s.note(key, a.Verdict == reach.Open)
	}
	return s.of[key]
}

// between are the ends of an exchange, by their names and addresses; ok is false where they are not there, or have others.
func (s *script) between(from, to string, src, dst netip.Addr) (a, b reach.End, ok bool) {
	find := func(name string, addr netip.Addr, own bool) (reach.End, bool) {
		e, err := reach.Find(s.e, addr.String())
		w := s.e.Workload(name)
		switch {
		case err != nil:
			return e, false
		case w != nil && (slices.Contains(w.Addrs, addr) || !own && slices.Contains(w.Public, addr)):
			return reach.End{Name: name, Workload: w, Addr: addr}, true
		case w != nil:
			return e, false
		}
		return e, e.Internet && name == plan.Internet || e.Site != nil && e.Site.Name == name
	}
	if a, ok = find(from, src, true); !ok {
		return a, b, false
	}
	b, ok = find(to, dst, false)
	return a, b, ok
}

// judgeMove is what the tries of a state come to, beside what reach says of the first state and the last.
func (s *script) judgeMove(first, last said) Move {
	m := Move{Tries: len(s.tries)}
	for _, t := range s.tries {
		if t.Passed {
			m.Passed++
		}
		if !t.Agrees() {
			m.Wrong = append(m.Wrong, t)
		}
		before, after := first.says(t), last.says(t)
		switch {
		case before == passes && after == passes:
			if m.Must++; !t.Passed {
				m.Cut = append(m.Cut, t)
			}
		case before == stopped && after == stopped:
			if m.Never++; t.Passed {
				m.Opened = append(m.Opened, t)
			}
		}
	}
	return m
}

// line is a connection that is kept open.
type line struct {
	from, to string
	src, dst netip.Addr
	port     uint16 // of the server
	source   uint16 // of the client
	road     string // whom it is seen as, and what remembers it on the way
}

func (l line) String() string {
	return fmt.Sprintf("%s to %s (%s) on tcp/%d, from port %d", l.from, l.to, l.dst, l.port, l.source)
}
