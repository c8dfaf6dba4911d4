package rehearse

import (
	"fmt"
	"maps"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
)

// This file chooses the ports to try.

// unrelated is a port that no rule is likely to name.
const unrelated = 47011

// maxPorts is how many ports of a protocol are tried of a pair at most.
const maxPorts = 14

// portsOf are the ports to try of a pair: those that one of them listens on or a rule that may be asked names, and one
// that is none of these.
func (s *script) portsOf(from, to end) []Try {
	var sets []flow.Set
	var networks []*estate.Network
	for _, x := range []end{to, from} {
		if w := x.Workload; w != nil {
			sets = append(append(sets, w.Listens, w.TargetPorts), ruled(w)...)
			if n := w.Subnet.Network; !slices.Contains(networks, n) {
				networks = append(networks, n)
			}
		}
	}
	for _, x := range s.e.Plan.Expect {
		sets = append(sets, x.Flows)
	}
	for _, n := range networks {
		sets = append(sets, s.judged(n)...)
	}
	seen := map[string][]uint16{}
	for _, set := range sets {
		for _, x := range set.Spans() {
			if x.Protocol == "icmp" || x.Whole {
				continue
			}
			for _, p := range []uint16{x.First, x.Last} {
				if p != 0 && !slices.Contains(seen[x.Protocol], p) {
					seen[x.Protocol] = append(seen[x.Protocol], p)
				}
			}
		}
	}
	out := []Try{{Protocol: "icmp"}}
	for _, name := range []string{"tcp", "udp"} {
		if ports := seen[name]; len(ports) > maxPorts {
			var left []string
			for _, p := range ports[maxPorts:] {
				left = append(left, fmt.Sprintf("%s/%d", name, p))
			}
			s.skip(fmt.Sprintf("%s to %s on %s", from.name, to.name, phrase.Few(left, 6)), fmt.Sprintf("no more than %d ports of a protocol are tried of a pair", maxPorts+1))
		}
		for _, p := range append(seen[name][:min(len(seen[name]), maxPorts)], unrelated) {
			out = append(out, Try{Protocol: name, Port: p})
		}
	}
	return out
}

// ruled are the flows that the rules of a workload's groups speak of.
func ruled(w *estate.Workload) []flow.Set {
	var out []flow.Set
	for _, g := range w.Groups {
		out = append(out, flowsOf(g.In, g.Out)...)
	}
	return out
}

func flowsOf(rules ...[]estate.Rule) []flow.Set {
	var out []flow.Set
	for _, r := range slices.Concat(rules...) {
		out = append(out, r.Flows)
	}
	return out
}

// judged are the flows that a network's lists, and the groups of its workloads that pass packets on, speak of. It works
// them out once, since every pair asks.
func (s *script) judged(n *estate.Network) []flow.Set {
	out, known := s.judges[n]
	if known {
		return out
	}
	for _, l := range n.Lists {
		out = append(out, flowsOf(l.In, l.Out)...)
	}
	for _, w := range n.Workloads() {
		if w.Forwards != estate.NotForwarding {
			out = append(out, ruled(w)...)
		}
	}
	s.judges[n] = out
	return out
}

// maxSourcePorts is how many ports a client tries at most.
const maxSourcePorts = 4

// listCuts are the ports at which a rule of some list begins, or has just ended.
func listCuts(e *estate.Estate) []int {
	seen := map[int]bool{}
	for _, n := range e.Networks {
		for _, l := range n.Lists {
			for _, set := range flowsOf(l.In, l.Out) {
				for _, x := range set.Spans() {
					if x.Protocol != "icmp" && !x.Whole {
						seen[int(x.First)], seen[int(x.Last)+1] = true, true
					}
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// sourcePorts are the ports that a client takes: one in each part of the range of reply ports that lists tell apart. No
// two clients, each with a number of its own, take the same, so that no translation need give one another port.
func (s *script) sourcePorts(replies [2]uint16, number int) []uint16 {
	first, last := int(replies[0]), int(replies[1])
	cuts := []int{first}
	for _, cut := range s.cuts {
		if cut > first && cut <= last {
			cuts = append(cuts, cut)
		}
	}
	cuts = append(cuts, last+1)
	var out []uint16
	for i, next := range cuts[1:] {
		if port := next - 1 - number; port >= cuts[i] { // else the part is too narrow for everybody to have a port of its own
			out = append(out, uint16(port))
		}
	}
	if len(out) > maxSourcePorts {
		s.skip(fmt.Sprintf("replies in %d of the parts of the reply ports that lists tell apart", len(out)-maxSourcePorts), fmt.Sprintf("a client takes no more than %d ports", maxSourcePorts))
		out = append(out[:maxSourcePorts-1], out[len(out)-1])
	}
	return out
}
