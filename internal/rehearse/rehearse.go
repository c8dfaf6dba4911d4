// Package rehearse builds a plan in network namespaces of the Linux kernel, sends real packets through it, and compares
// what becomes of them with what package reach says.
//
// The kernel's own routing tables, packet filter, connection tracking and address translation decide; package stage says
// how a plan is built from them. Everything lives in namespaces that belong to one process, so that nothing of it
// outlives that process, however it ends.
package rehearse

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/plan"
)

// Try is one exchange of real packets: a flow from one address to another, and what came of it.
type Try struct {
	From, To   string // the ends, by name
	FromSite   bool   // whether an end is a site
	ToSite     bool
	Src, Dst   netip.Addr
	Protocol   string // tcp, udp or icmp
	Port       uint16
	SourcePort uint16
	Says       bool         // whether it passes, by reach
	SeenAs     []netip.Addr // as whom reach says that the far end sees it; empty for no opinion
	Passed     bool
	Saw        netip.Addr // as whom the far end saw it; the zero Addr for ICMP and where nothing arrived
	Other      string     // the end that it came to in the place of the one that was meant, and that has the same address
	shared     bool       // whether its target's address is that of more than one end
	Again      int        // how often it was tried again because reach says that it passes
}

// Flow is the flow of the try, as a rule would write it.
func (t *Try) Flow() string {
	if t.Protocol == "icmp" {
		return "icmp"
	}
	return fmt.Sprintf("%s/%d", t.Protocol, t.Port)
}

// Agrees reports whether the kernel and reach agree on the try.
func (t *Try) Agrees() bool { return t.Says == t.Passed && !t.mistaken() }

// mistaken reports whether the far end saw somebody else than reach says.
func (t *Try) mistaken() bool {
	if !t.Passed || !t.Saw.IsValid() || len(t.SeenAs) == 0 {
		return false
	}
	for _, a := range t.SeenAs {
		if a == t.Saw {
			return false
		}
	}
	return true
}

// Untried is something that a kernel cannot show, with the reason.
type Untried struct{ What, Why string }

// Expected is what real packets made of a line of expect.
type Expected struct {
	*plan.Expectation
	Says  bool // whether it holds, by reach
	Tries int  // how many exchanges speak of it
	Holds bool // whether it holds, by the kernel
	Why   string
}

// Result is what a rehearsal came to.
type Result struct {
	Tries    []*Try
	Expected []Expected
	Untried  []Untried
	Nodes    int
	Moves    []Move // the states that led here, of a rehearsal of steps; this one is the last
}

// A Pair is the tries from one end to another.
type Pair struct {
	From, To string
	Tries    int
	Agreed   int
	Passed   int
}

// Pairs sums the tries up by pairs of ends, in the order in which they first occur.
func (r *Result) Pairs() []Pair {
	var out []Pair
	at := map[[2]string]int{}
	for _, t := range r.Tries {
		key := [2]string{t.From, t.To}
		i, found := at[key]
		if !found {
			i = len(out)
			at[key] = i
			out = append(out, Pair{From: t.From, To: t.To})
		}
		out[i].Tries++
		if t.Agrees() {
			out[i].Agreed++
		}
		if t.Passed {
			out[i].Passed++
		}
	}
	return out
}

// Good reports whether everything agrees, and every expectation holds, by the packets and by reach.
func (r *Result) Good() bool {
	for _, t := range r.Tries {
		if !t.Agrees() {
			return false
		}
	}
	for _, x := range r.Expected {
		if !x.Holds || !x.Says {
			return false
		}
	}
	for i := range r.Moves {
		if !r.Moves[i].Good() {
			return false
		}
	}
	return true
}

// Options say what to rehearse.
type Options struct {
	Only []string // the networks whose workloads are tried; all when empty
	Most int      // how many of the exchanges that should not pass are tried at most, spread evenly; all when 0
}
