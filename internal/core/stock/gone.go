package stock

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This file edits what of a plan speaks by name of things that are gone.

// gone writes anew what problems tell of: routes, rules and what sites know by their ranges, as they are there; lines of expect about
// those who are left; and a cluster goes with its network.
func (f *forward) gone(problems []diag.Finding) {
	done := map[string]bool{}
	for _, p := range problems {
		at := p.Place
		if done[at.String()] {
			continue
		}
		done[at.String()] = true
		switch {
		case len(at) > 0 && at[0] == "expect":
			f.lines()
		case len(at) == 5 && at[0] == "networks" && (at[2] == "groups" || at[2] == "lists"):
			k := Group
			if at[2] == "lists" {
				k = List
			}
			if t := f.have[KeyOf(k, at[1]+"/"+at[3])]; t != nil {
				f.add(text.Set(at[:4], at[4], lines(t, at[4])))
			}
		case len(at) == 5 && at[4] == "routes":
			k := Table
			if at[0] == "hubs" {
				k = HubTable
			}
			f.add(text.Set(at[:4], at[4], f.routesOf(KeyOf(k, at[1]+"/"+at[3]))))
		case len(at) == 3 && at[0] == "sites" && at[2] == "knows":
			if t := f.have[KeyOf(Site, at[1])]; t != nil {
				f.add(text.Set(at[:2], at[2], text.Words(t.Props.Words("knows")...)))
			}
		case len(at) > 3 && at[0] == "hubs" && at[2] == "attach":
			f.meantFor(at[:4])
		case len(at) > 1 && at[0] == "peerings":
			f.meantFor(at[:2])
		case len(at) == 3 && at[0] == "dhcp":
			f.servers(at)
		case len(at) > 1 && at[0] == "clusters":
			f.add(text.Remove(at[:1], at[1]))
		}
	}
}

// meantFor writes what a join is meant for without parts of networks that are gone.
func (f *forward) meantFor(at text.Path) {
	v, found := f.e.Plan.Files.Value(at.To("only"))
	if !found {
		return
	}
	var left []string
	for _, x := range v.Elements() {
		if word, _ := x.Single(); len(f.e.Named(word)) > 0 {
			left = append(left, word)
		}
	}
	if len(left) == 0 {
		f.add(text.Remove(at, "only"))
	} else {
		f.add(text.Set(at, "only", text.Words(left...)))
	}
}

// servers writes a list of servers of DHCP without workloads that are gone.
func (f *forward) servers(at text.Path) {
	v, found := f.e.Plan.Files.Value(at)
	if !found {
		return
	}
	var left []string
	for _, x := range v.Elements() {
		word, _ := x.Single()
		if _, err := netip.ParseAddr(word); err == nil || f.e.Workload(word) != nil {
			left = append(left, word)
		}
	}
	if len(left) == 0 {
		f.add(text.Remove(at[:2], at[2]))
	} else {
		f.add(text.Set(at[:2], at[2], text.Words(left...)))
	}
}

// unassigned has a workload without a public address of the cloud's choosing, where its tier or subnet says that all there have one: that no
// longer says so, and the others say it themselves. It reports whether that is so.
func (f *forward) unassigned(d Difference) bool {
	w := f.e.Workload(d.Thing().Name)
	if w == nil || d.Was == nil || d.Is == nil || !d.Was.Props.Flag("assigned") || d.Is.Props.Flag("assigned") || w.Plan.Assigned.Given() {
		return false
	}
	places := []text.Path{w.Subnet.Place()}
	tier := w.Subnet.Tier
	if tier != nil {
		places = append(places, tier.Place())
	}
	for _, at := range places {
		if v, found := f.e.Plan.Files.Value(at.To("public")); !found || v.String() == "" || f.edited[at.String()] {
			continue
		}
		f.edited[at.String()] = true
		f.add(text.Remove(at, "public"))
		for _, x := range f.e.Workloads {
			there := x.Subnet != nil && (x.Subnet == w.Subnet || tier != nil && x.Subnet.Tier == tier)
			if there && !x.Plan.Assigned.Given() && f.allAssigned(x) && !f.edited["public "+x.Place().String()] {
				f.edited["public "+x.Place().String()] = true
				f.add(text.Set(x.Place(), "public", text.Word(plan.Assigned)))
			}
		}
	}
	return true
}

// allAssigned reports whether a workload, and all that are counted with it, are there with public addresses of the cloud's choosing.
func (f *forward) allAssigned(x *estate.Workload) bool {
	all := []*estate.Workload{x}
	if x.Set != nil {
		all = x.Set.Members
	}
	return !slices.ContainsFunc(all, func(w *estate.Workload) bool {
		t := f.have[KeyOf(Workload, w.Name)]
		return t == nil || !t.Props.Flag("assigned")
	})
}

// lacks writes what the plan lacks for what is there: tiers, by where their subnets lead, regions, and zones.
func (f *forward) lacks(problems []diag.Finding) {
	var tiers map[string]map[string]tierForm
	done := map[string]bool{}
	for _, p := range problems {
		at := p.Place
		if len(at) < 3 || at[0] != "networks" || f.have[KeyOf(Network, at[1])] == nil {
			continue
		}
		var s *Thing
		if at[2] == "subnets" && len(at) > 4 {
			s = f.have[KeyOf(Subnet, at[1]+"/"+at[3])]
		}
		switch {
		case s != nil && at[4] == "tier" && s.Labels[TierLabel] != "":
			if tiers == nil {
				tiers = tierForms(HeadOf(f.e), f.all)
			}
			if tier := s.Labels[TierLabel]; !done[at[1]+"/"+tier] {
				done[at[1]+"/"+tier] = true
				var all fields
				all.word("access", tiers[KeyOf(Network, at[1])][tier].access)
				f.add(text.Set(text.Path{"networks", at[1], "tiers"}, tier, text.Map(all...)))
			}
		case at[2] == "region", s != nil && at[4] == "zone":
			for _, region := range f.have[KeyOf(Network, at[1])].Props.Words("regions") {
				if !done[region] {
					done[region] = true
					f.add(text.Set(text.Path{"regions"}, region, text.Words(f.zonesOf(region)...)))
				}
			}
		}
	}
}

// zonesOf are the zones that the plan has in a region, and those in which there are subnets of networks that live in it alone.
func (f *forward) zonesOf(region string) []string {
	var all []string
	for _, r := range HeadOf(f.e).Regions {
		if r.Name == region {
			all = append(all, r.Zones...)
		}
	}
	for i := range f.all {
		t := &f.all[i]
		if t.Kind != Subnet {
			continue
		}
		z, n := t.Props.Word("zone"), f.have[t.Props.Word("network")]
		if z != "" && slices.Equal(n.Props.Words("regions"), []string{region}) && !slices.Contains(all, z) {
			all = append(all, z)
		}
	}
	return all
}

// routesOf are the routes that a table has.
func (f *forward) routesOf(table string) text.Value {
	var all []text.Value
	for i := range f.all {
		if r := &f.all[i]; r.Kind == Route && r.Props.Word("table") == table {
			all = append(all, RouteValue(r))
		}
	}
	return text.List(all...)
}

// lines writes the lines of expect anew whose ends are gone. One about a count that is written one by one becomes one for each of
// those; one about nobody goes.
func (f *forward) lines() {
	at := text.Path{"expect"}
	for _, file := range f.e.Plan.Files.All() {
		written, _ := file.Value(at)
		for i, item := range written.Elements() {
			word, _ := item.Single()
			lines, gone := f.told(word)
			if !gone {
				continue
			}
			var edits []text.Edit
			for k, line := range lines {
				switch {
				case k == 0:
					edits = append(edits, text.Put(at, i+1, text.Word(line)))
				case i+1 < len(written.Elements()):
					edits = append(edits, text.Insert(at, i+2, text.Word(line)))
				default:
					edits = append(edits, text.Add(at, text.Word(line)))
				}
			}
			if len(lines) == 0 {
				edits = append(edits, text.RemoveNth(at, i+1))
			}
			for _, x := range edits {
				x.In = file.Name
				f.add(x)
			}
		}
	}
}

// told are the lines that say of those who are left what a line of expect says; gone is false where all of its ends are there.
func (f *forward) told(line string) (lines []string, gone bool) {
	x, err := plan.ParseExpectation(line)
	if err != nil || !slices.ContainsFunc(append([]string{x.From, x.To}, x.Except...), func(end string) bool { return !f.e.IsEnd(end) }) {
		return nil, false
	}
	except := x.Except
	x.Except = nil
	for _, end := range except {
		x.Except = append(x.Except, f.who(end)...)
	}
	for _, from := range f.who(x.From) {
		for _, to := range f.who(x.To) {
			one := x
			one.From, one.To = from, to
			lines = append(lines, one.Line())
		}
	}
	return lines, true
}

// who is left of whom a word meant.
func (f *forward) who(end string) []string {
	if left, was := f.broken[end]; was {
		return slices.DeleteFunc(slices.Clone(left), func(name string) bool { return f.e.Workload(name) == nil })
	}
	if f.e.IsEnd(end) {
		return []string{end}
	}
	return nil
}
