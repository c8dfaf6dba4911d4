package stock

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// form is how a plan says things shorter than one by one.
type form struct {
	tiers   map[string]map[string]tierForm // by the key of a network and the name of a tier
	ranges  map[string]string              // the names of ranges, by these
	sets    map[string]setForm             // by the name of the first member
	inSet   map[string]bool                // the other members, by name
	pattern map[string]string              // by the key of a network
	shapes  []shapeForm
}

type tierForm struct {
	access string
	zones  []string // those it has subnets in, where that is not all of them
}

type setForm struct {
	name    string
	in      string
	members []*Thing
}

// shapeForm is what networks that are alike have in common.
type shapeForm struct {
	name  string
	like  *Thing            // one of them
	parts map[string]string // the texts of groups and gateways, by their kind and short name, with {network} for the name of the network
	of    map[string]*Thing // one of those that are so
}

// has reports whether the pattern of a network says a part of it already.
func (w *writer) has(n, part *Thing) bool {
	for i := range w.form.shapes {
		if s := &w.form.shapes[i]; s.name == w.form.pattern[n.Key()] {
			return s.parts[partKey(part)] != "" && s.parts[partKey(part)] == w.partText(n, part)
		}
	}
	return false
}

func partKey(t *Thing) string { return string(t.Kind) + " " + t.short() }

// partText writes a group or gateway of a network as a pattern would.
func (w *writer) partText(n, part *Thing) string {
	x := newWriter(w.head, nil, w.form)
	x.calling, x.called = n.Name, "{network}"
	if part.Kind == Gateway {
		return GatewayValue(part).String()
	}
	x.rules(4, part, n.Name)
	return x.b.String()
}

// InForm is a plan that comes to some things, in the form in which a person would write it: tiers that are found by the names of subnets
// and by where their tables lead, ranges by the names of those who have them, workloads that are alike counted, and networks that are
// alike by a pattern. What would not come to exactly these things is left as it is.
func InForm(head Head, all []Thing) string {
	things := inReadingOrder(all)
	f := &form{}
	best := write(head, things, f)
	if !comesTo(best, things) {
		return best
	}
	labelled := tiersOf(things)
	for _, improve := range []func(*form) *form{
		func(f *form) *form { x := *f; x.tiers = tierForms(head, labelled); return &x },
		func(f *form) *form { x := *f; x.ranges = rangeNames(labelled); return &x },
		func(f *form) *form { x := *f; x.sets, x.inSet = setForms(labelled); return &x },
		func(f *form) *form { x := *f; x.shapes, x.pattern = shapeForms(head, labelled, &x); return &x },
	} {
		next := improve(f)
		if content := write(head, labelled, next); comesTo(content, things) {
			f, best = next, content
		}
	}
	return best
}

// inReadingOrder are things by their names, subnets by their ranges, and routes by where they lead.
func inReadingOrder(all []Thing) []Thing {
	first := func(words []string) netip.Prefix {
		if len(words) == 0 {
			return netip.Prefix{}
		}
		p, _ := netip.ParsePrefix(words[0])
		return p
	}
	out := slices.Clone(all)
	slices.SortStableFunc(out, func(a, b Thing) int {
		switch {
		case a.Kind != b.Kind:
			return ByRank(a, b)
		case a.Kind == Subnet && a.Props.Word("network") == b.Props.Word("network"):
			return first(a.Props.Words("ranges")).Compare(first(b.Props.Words("ranges")))
		case a.Kind == Route && a.Props.Word("table") == b.Props.Word("table"):
			return first([]string{a.Props.Word("to")}).Compare(first([]string{b.Props.Word("to")}))
		}
		return byNumber(a.Name, b.Name)
	})
	return out
}

// byNumber compares names so that those that end in numbers have the order of these.
func byNumber(a, b string) int {
	split := func(s string) (string, int) {
		base := strings.TrimRight(s, "0123456789")
		n, _ := strconv.Atoi(s[len(base):])
		return base, n
	}
	x, n := split(a)
	y, m := split(b)
	return cmp.Or(strings.Compare(x, y), n-m, strings.Compare(a, b))
}

// comesTo reports whether a plan comes to some things.
func comesTo(content string, things []Thing) bool {
	e, problems := estate.Load(text.One("what is there", content))
	if len(problems) > 0 {
		return false
	}
	return len(Between(Of(e), things)) == 0
}

// tiersOf are things whose subnets have a tier each: the one that they are labelled with, else what is left of their name when the zone
// is taken out of it.
func tiersOf(all []Thing) []Thing {
	out := slices.Clone(all)
	for i := range out {
		t := &out[i]
		if t.Kind != Subnet || t.Labels[TierLabel] != "" {
			continue
		}
		labels := maps.Clone(t.Labels)
		if labels == nil {
			labels = map[string]string{}
		}
		labels[TierLabel] = tierName(t)
		t.Labels = labels
	}
	return out
}

// tierName is what is left of a subnet's name without its zone, or its region.
func tierName(t *Thing) string {
	name := t.short()
	for _, place := range []string{t.Props.Word("zone"), t.Props.Word("region")} {
		for at := place; at != ""; _, at, _ = strings.Cut(at, "-") { // west-a, then a
			if tier, found := strings.CutSuffix(name, "-"+at); found && tier != "" {
				return tier
			}
			if tier, found := strings.CutPrefix(name, at+"-"); found && tier != "" {
				return tier
			}
		}
	}
	return name
}

// tierForms are the tiers of each network: what their subnets get out by, and the zones they are in.
func tierForms(head Head, all []Thing) map[string]map[string]tierForm {
	out := map[string]map[string]tierForm{}
	main, leads, kinds := map[string]string{}, map[string]string{}, map[string]string{}
	for i := range all {
		switch t := &all[i]; t.Kind {
		case Table:
			if t.Props.Flag("main") {
				main[t.Props.Word("network")] = t.Key()
			}
		case Gateway:
			kinds[t.Key()] = t.Props.Word("type")
		case Route:
			if to := t.Props.Word("to"); to == "0.0.0.0/0" || to == "::/0" && leads[t.Props.Word("table")] == "" {
				leads[t.Props.Word("table")] = t.Props.Word("via")
			}
		}
	}
	zones := map[string][]string{}
	for _, r := range head.Regions {
		zones[r.Name] = r.Zones
	}
	networks := byKey(all)
	for i := range all {
		t := &all[i]
		if t.Kind != Subnet {
			continue
		}
		n := t.Props.Word("network")
		if out[n] == nil {
			out[n] = map[string]tierForm{}
		}
		x := out[n][t.Labels[TierLabel]]
		table := t.Props.Word("table")
		if table == "" {
			table = main[n]
		}
		access := "closed"
		switch via := leads[table]; kinds[via] {
		case "internet":
			access = "public"
		case "nat", "egress":
			access = "outbound"
		}
		if x.access == "" || x.access == "closed" {
			x.access = access
		}
		if z := t.Props.Word("zone"); z != "" && !slices.Contains(x.zones, z) {
			x.zones = append(x.zones, z)
		}
		out[n][t.Labels[TierLabel]] = x
	}
	for n, tiers := range out {
		every := 0
		for _, r := range networks[n].Props.Words("regions") {
			every += len(zones[r])
		}
		for name, x := range tiers {
			if len(x.zones) == every {
				x.zones = nil
				tiers[name] = x
			}
		}
	}
	return out
}

// rangeNames are the names of ranges that one network or site has alone, as its only one.
func rangeNames(all []Thing) map[string]string {
	out, twice := map[string]string{}, map[string]bool{}
	for i := range all {
		t := &all[i]
		if r := t.Props.Words("ranges"); (t.Kind == Network || t.Kind == Site) && len(r) == 1 {
			if twice[r[0]] = out[r[0]] != ""; !twice[r[0]] {
				out[r[0]] = t.Name
			}
		}
	}
	for i := range all { // one that overlaps others would be ambiguous to a reader
		t := &all[i]
		if t.Kind != Network && t.Kind != Site {
			continue
		}
		for _, r := range t.Props.Words("ranges") {
			for s, name := range out {
				p, err := netip.ParsePrefix(r)
				q, bad := netip.ParsePrefix(s)
				if name != t.Name && (err != nil || bad != nil || p.Overlaps(q)) {
					delete(out, s)
				}
			}
		}
	}
	return out
}

// setForms are the workloads that differ in nothing but their number, their subnet in one tier, and their address.
func setForms(all []Thing) (map[string]setForm, map[string]bool) {
	names := map[string]*Thing{}
	subnets := map[string]*Thing{}
	targeted := map[string]bool{}
	for i := range all {
		t := &all[i]
		switch t.Kind {
		case Workload:
			names[t.Name] = t
			for _, x := range t.Props.Words("targets") {
				targeted[x] = true
			}
		case Subnet:
			subnets[t.Key()] = t
		case Route:
			targeted[t.Props.Word("via")] = true
		}
		if sections[t.Kind] != "" && t.Kind != Workload {
			names[t.Name] = t
		}
	}
	like := func(t *Thing) string {
		s := subnets[t.Props.Word("subnet")]
		n, _, _ := strings.Cut(s.Name, "/")
		x := Thing{Kind: t.Kind, Owner: t.Owner, Labels: t.Labels, Props: maps.Clone(t.Props)}
		delete(x.Props, "addresses")
		x.Props["subnet"] = KeyOf(Subnet, n+"/"+s.Labels[TierLabel])
		if len(t.Props.Words("public")) > 0 {
			return "" // which has an address of its own
		}
		return WorkloadValue(&x).String()
	}
	sets, in := map[string]setForm{}, map[string]bool{}
	for i := range all {
		t := &all[i]
		base, is := strings.CutSuffix(t.Name, "-1")
		if t.Kind != Workload || !is || base == "" || names[base] != nil || like(t) == "" {
			continue
		}
		s := setForm{name: base, members: []*Thing{t}}
		for n := 2; ; n++ {
			next := names[base+"-"+strconv.Itoa(n)]
			if next == nil || next.Kind != Workload || like(next) != like(t) {
				break
			}
			s.members = append(s.members, next)
		}
		if names[base+"-"+strconv.Itoa(len(s.members)+1)] != nil || len(s.members) < 2 {
			continue
		}
		if slices.ContainsFunc(s.members, func(m *Thing) bool { return targeted[m.Key()] }) {
			continue
		}
		sub := subnets[t.Props.Word("subnet")]
		n, _, _ := strings.Cut(sub.Name, "/")
		s.in = n + "/" + sub.Labels[TierLabel]
		sets[t.Name] = s
		for _, m := range s.members[1:] {
			in[m.Name] = true
		}
	}
	return sets, in
}

// shapeForms are the patterns of networks that have the same tiers, with the groups and gateways that most of them have alike.
func shapeForms(head Head, all []Thing, f *form) ([]shapeForm, map[string]string) {
	w := newWriter(head, all, f)
	alike := map[string][]*Thing{}
	var order []string
	for i := range all {
		n := &all[i]
		if n.Kind != Network {
			continue
		}
		x := newWriter(head, nil, f)
		x.in = w.in
		x.tiers(n)
		if tiers := x.b.String(); tiers != "" {
			if alike[tiers] == nil {
				order = append(order, tiers)
			}
			alike[tiers] = append(alike[tiers], n)
		}
	}
	pattern := map[string]string{}
	var shapes []shapeForm
	for _, tiers := range order {
		nets := alike[tiers]
		if len(nets) < 2 {
			continue
		}
		s := shapeForm{name: "service", like: nets[0], parts: map[string]string{}, of: map[string]*Thing{}}
		w.common(&s, nets)
		if len(s.parts) == 0 && strings.Count(tiers, "\n") < 3 { // a tier alone is hardly a shape
			continue
		}
		if len(shapes) > 0 {
			s.name = fmt.Sprintf("service-%d", len(shapes)+1)
		}
		for _, n := range nets {
			pattern[n.Key()] = s.name
		}
		shapes = append(shapes, s)
	}
	return shapes, pattern
}

// common finds the groups and gateways that all of some networks have, each as most of them have it. A gateway that sits in a subnet
// or has an address is a network's own.
func (w *writer) common(s *shapeForm, nets []*Thing) {
	type wording struct {
		text  string
		count int
		thing *Thing
	}
	said := map[string][]wording{}
	total := map[string]int{}
	for _, n := range nets {
		for _, part := range w.in[n.Key()] {
			if part.Kind != Group && (part.Kind != Gateway || part.Props.Word("type") == "nat") {
				continue
			}
			k, content := partKey(part), w.partText(n, part)
			total[k]++
			i := slices.IndexFunc(said[k], func(x wording) bool { return x.text == content })
			if i < 0 {
				said[k] = append(said[k], wording{content, 0, part})
				i = len(said[k]) - 1
			}
			said[k][i].count++
		}
	}
	for k, all := range said {
		most := slices.MaxFunc(all, func(a, b wording) int { return a.count - b.count })
		if total[k] == len(nets) && most.count > 1 {
			s.parts[k], s.of[k] = most.text, most.thing
		}
	}
}
