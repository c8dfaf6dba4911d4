package grid

import (
	"net/netip"
	"slices"
	"sync"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
)

// This file turns the rules of an estate into tables that give, for an address, all that a filter lets through at once.
// A grid asks them many millions of times.

// flowID is the number of a set of flows; equal sets have equal numbers.
type flowID int32

const (
	noFlows  flowID = iota // the empty set
	allFlows               // flow.Any
)

// flowSets numbers sets of flows. It can be used by several at once.
type flowSets struct {
	lock  sync.RWMutex
	all   []flow.Set
	known map[string]flowID
}

func newFlowSets() *flowSets {
	f := &flowSets{known: map[string]flowID{}}
	f.number(flow.Set{})
	f.number(flow.Any())
	return f
}

func (f *flowSets) number(s flow.Set) flowID {
	key := s.Key()
	f.lock.Lock()
	defer f.lock.Unlock()
	id, found := f.known[key]
	if !found {
		id = flowID(len(f.all))
		f.known[key] = id
		f.all = append(f.all, s)
	}
	return id
}

func (f *flowSets) set(id flowID) flow.Set {
	f.lock.RLock()
	defer f.lock.RUnlock()
	return f.all[id]
}

// both is the flows in both of two sets, and either those in any of them.
func (f *flowSets) both(a, b flowID) flowID   { return f.number(f.set(a).Intersect(f.set(b))) }
func (f *flowSets) either(a, b flowID) flowID { return f.number(f.set(a).Union(f.set(b))) }

// filterID is the number of a list, or of all groups of a workload together, in one direction.
type filterID int32

// filters are all lists and groups of an estate, as tables.
type filters struct {
	flows  *flowSets
	lists  filterID // how many of the tables are those of lists; the others are those of sets of groups
	tables []address.Table[flowID]
	groups []int32 // of each workload, the number of its set of groups
}

// index is the place of a direction in pairs of filters.
func index(dir reach.Direction) int {
	if dir == reach.Out {
		return 1
	}
	return 0
}

func ofDirection(i int, dir reach.Direction) filterID { return filterID(2*i + index(dir)) }

func (f *filters) ofList(l *estate.List, dir reach.Direction) filterID {
	return ofDirection(l.Index, dir)
}

func (f *filters) ofGroups(x *estate.Workload, dir reach.Direction) filterID {
	return f.lists + ofDirection(int(f.groups[x.Index]), dir)
}

// lets gives all flows that a filter lets through between its host and a far address.
func (f *filters) lets(id filterID, far netip.Addr) flowID {
	_, flows, _ := f.tables[id].Lookup(far)
	return flows
}

// ranked is a filter towards the addresses that are known beforehand, by their places in order: it lets the same through
// from each start to the next.
type ranked struct {
	starts []int32
	flows  []flowID
}

// rank makes the table of every filter for addresses in order.
func (f *filters) rank(addrs []netip.Addr) []ranked {
	out := make([]ranked, len(f.tables))
	for i := range f.tables {
		r := &out[i]
		f.tables[i].Each(func(first netip.Addr, flows flowID, _ bool) {
			if len(addrs) == 0 || first.Is4() != addrs[0].Is4() {
				return
			}
			start, _ := slices.BinarySearchFunc(addrs, first, netip.Addr.Compare)
			n := len(r.starts)
			switch {
			case n > 0 && int(r.starts[n-1]) == start:
				r.flows[n-1] = flows // nobody has an address in the run before
				if n > 1 && r.flows[n-2] == flows {
					r.starts, r.flows = r.starts[:n-1], r.flows[:n-1]
				}
			case n > 0 && r.flows[n-1] == flows:
			default:
				r.starts, r.flows = append(r.starts, int32(start)), append(r.flows, flows)
			}
		})
	}
	return out
}

// filtersOf are the filters of an estate, which keeps them.
func filtersOf(e *estate.Estate) *filters {
	return e.Derived(filtersKey{}, func() any { return compile(e) }).(*filters)
}

type filtersKey struct{}

// compile makes the tables of all lists and groups of an estate.
func compile(e *estate.Estate) *filters {
	f := &filters{flows: newFlowSets(), lists: filterID(2 * len(e.Lists)), groups: make([]int32, len(e.Workloads))}
	for _, l := range e.Lists {
		for _, rules := range [][]estate.Rule{l.In, l.Out} {
			f.table([]ruled{{l.Network, rules}}, true)
		}
	}
	sets, keys := map[string]int32{}, []byte(nil)
	groupIDs := map[*estate.Group]int{}
	for _, x := range e.Workloads {
		keys = keys[:0]
		for _, g := range x.Groups {
			id, found := groupIDs[g]
			if !found {
				id = len(groupIDs)
				groupIDs[g] = id
			}
			keys = append(keys, byte(id>>24), byte(id>>16), byte(id>>8), byte(id))
		}
		set, found := sets[string(keys)]
		if !found {
			set = int32(len(sets))
			sets[string(keys)] = set
			f.groupSet(x.Groups)
		}
		f.groups[x.Index] = set
	}
	return f
}

// groupSet makes the two tables of some groups together. With no group everything goes out, and nothing comes in.
func (f *filters) groupSet(groups []*estate.Group) {
	var in, out []ruled
	for _, g := range groups {
		in, out = append(in, ruled{g.Network, g.In}), append(out, ruled{g.Network, g.Out})
	}
	f.table(in, false)
	if len(groups) == 0 {
		out = []ruled{{nil, []estate.Rule{anything}}}
	}
	f.table(out, false)
}

// anything lets everything through.
var anything = estate.Rule{Rule: &plan.Rule{Allow: true, Flows: flow.Any(), Peer: plan.Peer{Any: true}}}

// ruled are rules and the network that they are of.
type ruled struct {
	network *estate.Network
	rules   []estate.Rule
}

// table adds a table for rules: ordered ones of a list, or ones of groups, of which one that allows is enough.
func (f *filters) table(all []ruled, ordered bool) {
	f.tables = append(f.tables, address.Table[flowID]{})
	t := &f.tables[len(f.tables)-1]
	add := func(p netip.Prefix) {
		t.Insert(p, noFlows)
	}
	add(reach.Everywhere(ipv4))
	add(reach.Everywhere(ipv6))
	for _, owner := range all {
		for _, r := range owner.rules {
			switch {
			case r.Group != nil:
				for _, m := range r.Group.Members {
					for _, a := range m.Addrs {
						add(address.Single(a))
					}
				}
			case r.Peer.Range.IsValid():
				add(r.Peer.Range)
			}
		}
	}
	// Between the ranges that it inserted, no rule tells addresses apart; so each range is judged once, by its own rules.
	t.Update(func(p netip.Prefix, _ flowID) flowID {
		var allowed flow.Set
		undecided := flow.Any()
		for _, owner := range all {
			for _, r := range owner.rules {
				switch {
				case !speaksOf(owner.network, r, p):
				case !ordered:
					allowed = allowed.Union(r.Flows)
				case r.Allow:
					allowed = allowed.Union(r.Flows.Intersect(undecided))
					undecided = undecided.Minus(r.Flows)
				default:
					undecided = undecided.Minus(r.Flows)
				}
			}
		}
		return f.flows.number(allowed)
	})
	t.Freeze()
}

// speaksOf reports whether a rule of a network speaks of the addresses of a range that is in none of its longer ones.
func speaksOf(n *estate.Network, r estate.Rule, p netip.Prefix) bool {
	switch {
	case r.Peer.Any:
		return true
	case r.Peer.Range.IsValid():
		return address.Covers(r.Peer.Range, p)
	case r.Group.Network != n && !n.Profile.PeerGroups:
		return false
	}
	return p.IsSingleIP() && r.Group.Has(p.Addr())
}
