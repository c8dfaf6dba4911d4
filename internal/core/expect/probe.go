package expect

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// couldBeThere is how the name begins of a workload that is tried in the place of those that are not there yet.
const couldBeThere = "could-be-there-"

// maxProbes is how many such workloads an estate has at most.
const maxProbes = 6

// lone is the one workload that an end is; nil where it is another, several or none.
func lone(ends reach.Ends) *estate.Workload {
	switch {
	case ends.One != nil:
		return ends.One.Workload
	case len(ends.Many) == 1:
		return ends.Many[0]
	}
	return nil
}

// alone reports whether the same workload is all of both ends, and one of these could have another.
func alone(from, to reach.Ends) bool {
	return (from.One == nil || to.One == nil) && lone(from) != nil && lone(from) == lone(to)
}

// probed is the estate with a workload in each end that has none yet, or none but the other end: in a subnet of it, at a free address, in
// a group that lets everything in and out, so that what is tried is all that stands between. It is nil where no end could have one.
func probed(e *estate.Estate, x *plan.Expectation) *estate.Estate {
	from, to, err := Ends(e, x)
	another := -1 // the end that is to have another than the workload that is all of both
	if err == nil && alone(from, to) {
		if another = 1; to.One != nil {
			another = 0
		}
	}
	var edits []text.Edit
	for i, word := range []string{x.From, x.To} {
		ends, err := reach.FindEnds(e, word)
		if i != another && (err != nil || ends.One != nil || len(ends.Many) > 0) {
			continue
		}
		s, a := free(e, word, x.Except)
		if s == nil {
			return nil
		}
		name := fmt.Sprint(couldBeThere, i+1)
		for nth := i + 2; e.Workload(name) != nil; nth++ { // one that is tried may be all of both ends itself, by what is excepted
			if name = fmt.Sprint(couldBeThere, nth); nth > maxProbes {
				return nil
			}
		}
		group := text.Map(text.Field{Key: "in", Value: text.Words("any from any")}, text.Field{Key: "out", Value: text.Words("any to any")})
		one := text.Map(text.Field{Key: "in", Value: text.Word(s.ID())}, text.Field{Key: "address", Value: text.Word(a.String())}, text.Field{Key: "groups", Value: text.Words(name)})
		edits = append(edits, text.Set(s.Network.Place().To("groups"), name, group), text.Set(text.Path{"workloads"}, name, one))
	}
	if len(edits) == 0 {
		return nil
	}
	after, findings, err := e.With(text.Changes{{Edits: edits}})
	if err != nil || len(findings) > len(e.Problems) {
		return nil
	}
	return after
}

// subnetsOf are the subnets of what a word names, where it names no workload.
func subnetsOf(e *estate.Estate, word string) (some []*estate.Subnet) {
	for _, o := range e.Named(word) {
		switch o := o.(type) {
		case *estate.Network:
			some = append(some, o.Subnets...)
		case *estate.Tier:
			some = append(some, o.Subnets...)
		case *estate.Subnet:
			some = append(some, o)
		}
	}
	return some
}

// free is a subnet of what a word names that has a range and is not excepted, and an address of it that nobody has.
func free(e *estate.Estate, word string, except []string) (*estate.Subnet, netip.Addr) {
	some := subnetsOf(e, word)
	for _, but := range except {
		out := subnetsOf(e, but)
		some = slices.DeleteFunc(some, func(s *estate.Subnet) bool { return slices.Contains(out, s) })
	}
	for _, s := range some {
		for _, r := range s.Ranges {
			first, last := s.Network.Profile.Ends(r)
			for a := first; a.IsValid() && !last.Less(a); a = a.Next() {
				if s.Network.Host(a).Nobody() {
					return s, a
				}
			}
		}
	}
	return nil, netip.Addr{}
}
