package stock

import (
	"maps"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file edits what tables and lists are for, and what hub tables learn.

// memberKey is where a table or list says what it is for.
func memberKey(k Kind) string {
	if k == HubTable {
		return "learns"
	}
	return "subnets"
}

// members are the subnets that have a table or a list, or what a hub table learns, as is there.
func (f *forward) members(k Kind, of string) []string {
	var all []string
	for i := range f.all {
		t := &f.all[i]
		switch {
		case k == Table && t.Kind == Subnet && t.Props.Word("table") == of, k == List && t.Kind == Subnet && t.Props.Word("list") == of,
			k == HubTable && t.Kind == Attachment && slices.Contains(t.Props.Words("learned-by"), of):
			all = append(all, lastOf(t.Name))
		}
	}
	if k != HubTable {
		all, _ = called(tiersIn(f.all, networkOf(of)), all)
	}
	return all
}

// networkOf is the network that a part of one is in, by its key.
func networkOf(key string) string {
	_, name := SplitKey(key)
	network, _, _ := strings.Cut(name, "/")
	return network
}

// nameable are things of which every table and list can be written: without the tiers that have the name of a subnet which cannot be named
// beside them.
func nameable(all []Thing) []Thing {
	all = slices.Clone(all)
	of := map[string][]string{}
	for i := range all {
		for _, p := range []string{"table", "list"} {
			if at := all[i].Props.Word(p); all[i].Kind == Subnet && at != "" {
				of[at] = append(of[at], all[i].short())
			}
		}
	}
	for _, at := range slices.Sorted(maps.Keys(of)) {
		for {
			_, tier := called(tiersIn(all, networkOf(at)), of[at])
			if tier == "" {
				break
			}
			for i := range all {
				if t := &all[i]; t.Kind == Subnet && t.Labels[TierLabel] == tier && networkOf(t.Key()) == networkOf(at) {
					t.Labels = maps.Clone(t.Labels)
					delete(t.Labels, TierLabel)
				}
			}
		}
	}
	return all
}

// tiersIn are the subnets of a network by the tiers that they are labelled with.
func tiersIn(all []Thing, network string) map[string][]string {
	tiers := map[string][]string{}
	for i := range all {
		if t := &all[i]; t.Kind == Subnet && t.Labels[TierLabel] != "" && strings.HasPrefix(t.Name, network+"/") {
			tiers[t.Labels[TierLabel]] = append(tiers[t.Labels[TierLabel]], t.short())
		}
	}
	return tiers
}

// called are the words by which a table or a list of a plan names some subnets: one that is called as its tier is cannot be named without all of
// that tier, and the word stands for them. It gives a tier of which others are not among them, whose subnet nothing names then; else none.
func called(tiers map[string][]string, subnets []string) (words []string, unnamed string) {
	rest := slices.Clone(subnets)
	for _, s := range subnets {
		of := tiers[s]
		switch {
		case len(of) == 0:
			continue
		case !slices.Contains(of, s), slices.ContainsFunc(of, func(o string) bool { return !slices.Contains(subnets, o) }):
			return subnets, s
		}
		rest = slices.DeleteFunc(rest, func(o string) bool { return o != s && slices.Contains(of, o) })
	}
	return rest, ""
}

// memberships writes anew which subnets have which tables and lists, and what hub tables learn, where that differs for things that the
// plan has; what is new or gone is left to the round behind this one.
func (f *forward) memberships(all []Difference) {
	touched := map[string]Kind{}
	for _, d := range all {
		if d.Is == nil {
			f.namedIn(d.Was, touched)
		}
		if d.Was == nil || d.Is == nil {
			continue
		}
		for prop, k := range map[string]Kind{"table": Table, "list": List, "learned-by": HubTable} {
			if d.Is.Kind != Subnet && d.Is.Kind != Attachment || !slices.Contains(d.Props, prop) || d.Is.Kind == Attachment && prop == "table" {
				continue
			}
			for _, t := range []*Thing{d.Was, d.Is} {
				for _, of := range append(t.Props.Words(prop), t.Props.Word(prop)) {
					if of != "" {
						touched[of] = k
					}
				}
			}
		}
	}
	for _, of := range slices.Sorted(maps.Keys(touched)) {
		t := f.have[of]
		if t == nil || f.isNew(t) {
			continue
		}
		at, name := placeOf(t)
		if subnets := f.members(touched[of], of); len(subnets) > 0 {
			f.add(text.Set(at.To(name), memberKey(touched[of]), text.Words(subnets...)))
		} else {
			f.add(text.Remove(at.To(name), memberKey(touched[of])))
		}
	}
}

// namedIn enters the tables and lists of the plan that name a thing which is gone.
func (f *forward) namedIn(gone *Thing, touched map[string]Kind) {
	at, short, _ := strings.Cut(gone.Name, "/")
	named := func(all []plan.Text) bool {
		return slices.ContainsFunc(all, func(t plan.Text) bool { return t.Value == short })
	}
	switch gone.Kind {
	case Subnet:
		n := f.e.Network(at)
		if n == nil {
			return
		}
		for _, t := range n.Tables {
			if t.Plan != nil && named(t.Plan.Subnets) {
				touched[key(t)] = Table
			}
		}
		for _, l := range n.Lists {
			if named(l.Plan.Subnets) {
				touched[key(l)] = List
			}
		}
	case Attachment:
		if h := f.e.Hub(at); h != nil {
			for _, t := range h.Tables {
				if named(t.Plan.Learns) {
					touched[key(t)] = HubTable
				}
			}
		}
	}
}

// isNew reports whether the plan does not have a table or list.
func (f *forward) isNew(t *Thing) bool {
	at, short, _ := strings.Cut(t.Name, "/")
	if t.Kind == HubTable {
		h := f.e.Hub(at)
		return h == nil || !slices.ContainsFunc(h.Tables, func(x *estate.HubTable) bool { return x.Name == short })
	}
	n := f.e.Network(at)
	if n == nil {
		return true
	}
	if t.Kind == List {
		return n.List(short) == nil
	}
	return n.Table(short) == nil || n.Table(short).Plan == nil
}
