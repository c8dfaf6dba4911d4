package cut

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file has the kinds of edits that close: narrower rules of groups, and denials of access lists.

func rulesIn(s *search, e *estate.Estate, open []grid.Part) text.Changes {
	return s.rules(e, open, reach.In, s.a, false)
}

// splitsIn does so, and keeps all of the internet that a rule for any lets in: by many ranges.
func splitsIn(s *search, e *estate.Estate, open []grid.Part) text.Changes {
	return s.rules(e, open, reach.In, s.a, true)
}

func splitsOut(s *search, e *estate.Estate, open []grid.Part) text.Changes {
	return s.rules(e, open, reach.Out, s.b, true)
}

func rulesOut(s *search, e *estate.Estate, open []grid.Part) text.Changes {
	return s.rules(e, open, reach.Out, s.b, false)
}

// rules takes the far side out of the rules of groups by which something passes in one direction.
func (s *search) rules(e *estate.Estate, open []grid.Part, dir reach.Direction, far *side, split bool) text.Changes {
	type key struct {
		g   *estate.Group
		nth int
	}
	var order []key
	rules := map[key][]estate.Rule{}
	for _, p := range open {
		for _, way := range p.Answer.EachWay() {
			if way.Verdict == reach.Blocked {
				continue
			}
			for _, h := range way.Forward {
				w, is := h.Object.(*estate.Workload)
				if !is || h.Did != reach.GroupsPassed || h.Dir != dir || dir == reach.In && !s.b.has(w) || dir == reach.Out && !s.a.has(w) {
					continue
				}
				for _, x := range h.Rules {
					for _, g := range w.Groups {
						all := g.In
						if dir == reach.Out {
							all = g.Out
						}
						k := key{g, x.Nth}
						if rules[k] != nil || !slices.ContainsFunc(all, func(y estate.Rule) bool { return y.Rule == x.Rule }) {
							continue
						}
						order = append(order, k)
						for _, y := range all {
							if y.Nth == x.Nth {
								rules[k] = append(rules[k], y)
							}
						}
					}
				}
			}
		}
	}
	slices.SortStableFunc(order, func(a, b key) int { return b.nth - a.nth }) // the last first, so that numbers hold
	var changes text.Changes
	for _, k := range order {
		left, ok := s.narrowed(e, rules[k], dir, far, split)
		if !ok {
			continue
		}
		place := k.g.Place().To(string(dir))
		edits := []text.Edit{text.RemoveNth(place, k.nth)}
		for _, rule := range left {
			edits = append(edits, text.Insert(place, k.nth, text.Word(rule)))
		}
		what := "goes"
		if len(left) > 0 {
			what = "is for fewer"
		}
		changes = append(changes, text.Change{Edits: edits, Why: fmt.Sprintf("the rule  %s  of group %s %s", rules[k][0].Text, k.g.ID(), what)})
	}
	return changes
}

// has reports whether a workload, of whatever version of the estate, is of a side.
func (s *side) has(w *estate.Workload) bool { return s.who[w.Name] }

// named are the protocols that a rule can name.
var named, _ = flow.Parse("tcp, udp, icmp")

// narrowed is a rule as it must be written for all that it lets pass but what is to be cut; ok is false where that takes too many.
func (s *search) narrowed(e *estate.Estate, parts []estate.Rule, dir reach.Direction, far *side, split bool) (left []string, ok bool) {
	x := parts[0]
	word := map[reach.Direction]string{reach.In: "from", reach.Out: "to"}[dir]
	if rest := x.Flows.Minus(s.q.Flows); !rest.Empty() {
		if rest.Rule() == "any" { // protocols without a name can be written with all the others only
			rest = rest.Intersect(named)
		}
		left = append(left, rest.Rule()+" "+word+" "+x.Peer.String())
	}
	flows := x.Flows.Intersect(s.q.Flows)
	if flows.Empty() {
		return nil, false
	}
	peers, ok := s.peers(e, parts, far, split)
	for _, p := range peers {
		left = append(left, flows.Rule()+" "+word+" "+p)
	}
	return left, ok && len(left) <= maxRules
}

// peers are those whom a rule names, without a side.
func (s *search) peers(e *estate.Estate, parts []estate.Rule, far *side, split bool) ([]string, bool) {
	x := parts[0]
	switch {
	case far.word == All:
		return s.among(far), true
	case x.Peer.Group != "":
		var left []string
		if x.Group == nil {
			return nil, false
		}
		for _, w := range x.Group.Members {
			if !far.has(w) {
				for _, a := range w.Addrs {
					left = append(left, address.Single(a).String())
				}
			}
		}
		return left, true
	case x.Peer.Any && (far.whole || !split):
		return s.within(e, far)
	case x.Peer.Any:
		all := address.SetOf(netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("::/0")).Minus(far.addrs)
		return ranges(all), true
	}
	var own []netip.Prefix
	for _, p := range parts {
		own = append(own, p.Peer.Range)
	}
	left := address.SetOf(own...)
	if far.whole {
		left = left.Minus(s.e.Outside)
	}
	if left = left.Minus(far.addrs); !someone(e, far, left) {
		return nil, true
	}
	return ranges(left), true
}

// someone reports whether anybody but a side has an address of a set: a workload, a gateway, a site or a part of the internet.
func someone(e *estate.Estate, far *side, set address.Set) bool {
	if !set.Intersect(e.Outside).Empty() {
		return true
	}
	for _, w := range e.Workloads {
		if !far.has(w) && slices.ContainsFunc(w.Addrs, set.Contains) {
			return true
		}
	}
	for _, n := range e.Networks {
		for _, g := range n.NATs() {
			if slices.ContainsFunc(g.Addrs, set.Contains) {
				return true
			}
		}
	}
	return slices.ContainsFunc(e.Sites, func(x *estate.Site) bool { return slices.ContainsFunc(x.Ranges, set.Overlaps) })
}

// among are the addresses of the other side, where it is several whom everybody else is taken off from.
func (s *search) among(far *side) []string {
	near := s.a
	if far == s.a {
		near = s.b
	}
	if len(near.who) < 2 {
		return nil
	}
	return ranges(near.own)
}

// within are all of the estate by name that are not of a side: networks and sites, and of networks that have some of it, the others alone.
func (s *search) within(e *estate.Estate, far *side) ([]string, bool) {
	var words []string
	for _, n := range e.Networks {
		some := slices.ContainsFunc(n.Workloads(), far.has)
		if !some && len(n.Ranges) > 0 && len(e.Named(n.Name)) == 1 {
			words = append(words, n.Name)
			continue
		}
		for _, w := range n.Workloads() {
			if !far.has(w) {
				for _, a := range w.Addrs {
					words = append(words, address.Single(a).String())
				}
			}
		}
	}
	for _, x := range e.Sites {
		if !far.sites[x.Name] && len(x.Ranges) > 0 {
			words = append(words, x.Name)
		}
	}
	return words, len(words) <= maxRules
}

func ranges(set address.Set) []string {
	var words []string
	for _, p := range set.Ranges() {
		words = append(words, p.String())
	}
	return words
}

func listsIn(s *search, e *estate.Estate, open []grid.Part) text.Changes {
	return s.lists(e, open, reach.In, s.b, s.a)
}

func listsOut(s *search, e *estate.Estate, open []grid.Part) text.Changes {
	return s.lists(e, open, reach.Out, s.a, s.b)
}

// lists denies the far side in the lists of the subnets of the near one, before all else; a subnet without a list gets one that lets the rest pass.
func (s *search) lists(e *estate.Estate, open []grid.Part, dir reach.Direction, near, far *side) text.Changes {
	peers, ok := s.names(far)
	var inside []string
	switch {
	case far.word == All:
		peers, ok = []string{"any"}, true
	case far.whole: // which has no name but any: the others are let pass before
		inside, ok = s.within(e, far)
		peers = []string{"any"}
	}
	if !ok {
		return nil
	}
	word := map[reach.Direction]string{reach.In: "from", reach.Out: "to"}[dir]
	var denials []text.Value
	for _, p := range inside {
		denials = append(denials, text.Word("allow "+s.q.Flows.Rule()+" "+word+" "+p))
	}
	for _, p := range peers {
		denials = append(denials, text.Word("deny "+s.q.Flows.Rule()+" "+word+" "+p))
	}
	var subnets []*estate.Subnet
	for _, p := range open {
		end := p.Answer.To
		if dir == reach.Out {
			end = p.Answer.From
		}
		if end.Workload == nil {
			continue
		}
		for _, w := range e.Workloads { // a class may live in several subnets
			if near.has(w) && w.Subnet != nil && !slices.Contains(subnets, w.Subnet) {
				subnets = append(subnets, w.Subnet)
			}
		}
	}
	var changes text.Changes
	done := map[*estate.List]bool{}
	for _, x := range subnets {
		if x.List != nil {
			rules := x.List.In
			if dir == reach.Out {
				rules = x.List.Out
			}
			if done[x.List] || len(inside) > 0 || // what it denies might be let pass
				len(rules) > 0 && "deny "+s.q.Flows.Rule()+" "+word+" "+peers[0] == rules[0].Text {
				continue // which did not help
			}
			done[x.List] = true
			var edits []text.Edit
			for _, d := range denials {
				edits = append(edits, text.Insert(x.List.Place().To(string(dir)), 1, d))
			}
			changes = append(changes, text.Change{Edits: edits, Why: fmt.Sprintf("list %s denies it first", x.List.Name)})
			continue
		}
		in, out := []text.Value{text.Word("allow any from any")}, []text.Value{text.Word("allow any to any")}
		if dir == reach.In {
			in = append(slices.Clone(denials), in...)
		} else {
			out = append(slices.Clone(denials), out...)
		}
		name := phrase.Free("cut-"+x.Name, func(name string) bool {
			return slices.ContainsFunc(x.Network.Lists, func(l *estate.List) bool { return l.Name == name })
		})
		list := text.Map(text.Field{Key: "subnets", Value: text.Words(x.Name)}, text.Field{Key: "in", Value: text.List(in...)}, text.Field{Key: "out", Value: text.List(out...)})
		changes = append(changes, text.Change{Edits: []text.Edit{text.Set(x.Network.Place().To("lists"), name, list)}, Why: fmt.Sprintf("subnet %s gets a list that denies it, and lets all else pass", x.ID())})
	}
	return changes
}

// names are how rules name a side, by name where it is a network, tier, subnet or site; ok is false for the internet, which only all could mean, and for
// too many.
func (s *search) names(x *side) ([]string, bool) {
	if x.whole {
		return nil, false
	}
	if x.word != All && s.e.Workload(x.word) == nil {
		for _, o := range s.e.Named(x.word) {
			switch o.(type) {
			case *estate.Network, *estate.Tier, *estate.Subnet, *estate.Site:
				return []string{x.word}, len(s.e.Named(x.word)) == 1
			}
		}
	}
	words := ranges(x.own)
	return words, len(words) > 0 && len(words) <= maxRules
}
