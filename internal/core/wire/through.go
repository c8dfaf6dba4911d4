package wire

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file leads what lines say passes through something by way of it, both ways: a workload that forwards, a gateway, a peering or a hub.

// turning is the search for the routes of one line.
type turning struct {
	e     *estate.Estate
	line  *plan.Expectation
	edits [][]text.Edit // those that go together
	fresh []*freshTable
	doors map[string]*freshTable         // by where packets come in, the table that they are to look into
	hubs  map[*estate.HubTable]*freshHub // the table that those of the ends get in the place of one that others have, too
	ends  []string                       // the networks and sites of the ends
	back  bool                           // whether the line begins at what has no subnets
	why   error                          // what stands against it, the first
}

// freshTable is a table that is not there yet.
type freshTable struct {
	network *estate.Network
	name    string
	of      *estate.Table // whose routes it has, too; nil for none
	member  string
	subnets []string
	routes  []leads
	then    func(name string) []text.Edit // what leads to it, where no subnet has it
}

// search looks for what leads both ends of the line to what it says through, and that on to them.
func (t *turning) search() {
	from, to := sideOf(t.e, t.line.From), sideOf(t.e, t.line.To)
	a, b := outsideOf(t.e, t.line.From), outsideOf(t.e, t.line.To)
	if len(from.subnets) == 0 {
		from, to, a, b, t.back = to, from, b, a, true
	}
	t.ends = append(slices.Clone(from.places), to.places...)
	from.subnets, to.subnets = t.inhabited(from.subnets), t.inhabited(to.subnets)
	for _, o := range t.passers() {
		if six := familiesOf(o); len(six) > 0 {
			t.by(o, from, to, b, six)
		}
	}
	t.write()
}

// inhabited are those of some subnets in which somebody is; all of them where nobody is in any.
func (t *turning) inhabited(subnets []*estate.Subnet) []*estate.Subnet {
	some := slices.DeleteFunc(slices.Clone(subnets), func(s *estate.Subnet) bool { return !t.lives(s) })
	if len(some) == 0 {
		return subnets
	}
	return some
}

func (t *turning) lives(s *estate.Subnet) bool {
	return slices.ContainsFunc(t.e.Workloads, func(x *estate.Workload) bool { return x.Subnet == s })
}

// passers are what stands for what the line says through: of several alike one for each table is chosen later, so the first stands for all.
func (t *turning) passers() []estate.Object {
	all := passersOf(t.e, t.line)
	if len(all) > 1 {
		return all[:1]
	}
	return all
}

// familiesOf are the families that a thing passes on.
func familiesOf(o estate.Object) []bool {
	var addrs []netip.Addr
	switch o := o.(type) {
	case *estate.Workload:
		addrs = o.Addrs
	case *estate.Gateway:
		if o.Type == estate.NATGateway {
			addrs = o.Public
		}
	}
	if addrs == nil {
		return []bool{false, true}
	}
	var all []bool
	for _, six := range []bool{false, true} {
		if slices.ContainsFunc(addrs, func(a netip.Addr) bool { return a.Is6() == six }) {
			all = append(all, six)
		}
	}
	return all
}

// outsideOf are the ranges of an end that is the internet, a site, or a part of them; nil of any other.
func outsideOf(e *estate.Estate, word string) []netip.Prefix {
	ends, err := reach.FindEnds(e, word)
	if err != nil || ends.One == nil {
		return nil
	}
	name, part, ok := ends.One.Outside()
	switch {
	case !ok:
		return nil
	case word == "internet" || name == "internet" && part.Empty():
		return []netip.Prefix{everywhere[false], everywhere[true]}
	case part.Empty() && ends.One.Site != nil:
		return ends.One.Site.Ranges
	}
	return part.Ranges()
}

// by leads between the subnets of one side and another side, or ranges outside, by a thing.
func (t *turning) by(o estate.Object, from, to side, outside []netip.Prefix, six []bool) {
	far := ofFamilies(outside, six)
	for _, s := range to.subnets {
		far = append(far, ofFamilies(s.Ranges, six)...)
	}
	for _, s := range from.subnets {
		passer := t.memberFor(o, s)
		x, _ := passer.(*estate.Workload)
		masks := x != nil && x.Forwards == estate.NATForwarding // what passes it is answered to its own address
		for _, p := range far {
			if carries(s, p) && !(masks && t.back) {
				t.lead(s, p, passer)
			}
		}
		if masks && !t.back {
			continue
		}
		for _, back := range ofFamilies(s.Ranges, six) {
			for _, o := range to.subnets {
				if o != s && carries(o, back) {
					t.lead(o, back, passer)
				}
			}
			if slices.ContainsFunc(outside, func(p netip.Prefix) bool { return p.Addr().Is6() == back.Addr().Is6() && carries(s, p) }) {
				t.fromOutside(s, outside, back, passer, to.places)
			}
		}
	}
}

// carries reports whether a subnet has the family of a range, for the internet as addresses that it carries.
func carries(s *estate.Subnet, p netip.Prefix) bool {
	if p.Addr().Is6() && p.Bits() == 0 {
		return s.HasPublicSix()
	}
	return slices.ContainsFunc(s.Ranges, func(q netip.Prefix) bool { return q.Addr().Is6() == p.Addr().Is6() })
}

func ofFamilies(ranges []netip.Prefix, six []bool) []netip.Prefix {
	var all []netip.Prefix
	for _, p := range ranges {
		if slices.Contains(six, p.Addr().Is6()) {
			all = append(all, p)
		}
	}
	return all
}

// memberFor is which of several alike packets of a subnet go through: the one in the zone of the first subnet that has the same table, since a
// table leads to one alone; both directions of it go through the same.
func (t *turning) memberFor(o estate.Object, s *estate.Subnet) estate.Object {
	x, is := o.(*estate.Workload)
	if !is || x.Set == nil {
		return o
	}
	of := s
	if !s.ByDefault {
		of = s.Table.Subnets[0]
	}
	for _, m := range x.Set.Members {
		if m.Subnet != nil && m.Subnet.Network.PlaceOf(m.Subnet) == of.Network.PlaceOf(of) {
			return m
		}
	}
	return o
}

// lead has a subnet's table lead a range to a thing, and the thing lead it on.
func (t *turning) lead(s *estate.Subnet, to netip.Prefix, o estate.Object) {
	var at *estate.Network // where the thing is
	var in *estate.Subnet  // in which its own packets begin
	switch o := o.(type) {
	case *estate.Workload:
		if o.Subnet == nil {
			return
		}
		at, in = o.Subnet.Network, o.Subnet
	case *estate.Gateway:
		at, in = o.Network, o.In
	case *estate.Peering, *estate.Hub:
		t.route(s, to, o.ID(), nil)
		return
	default:
		t.fail("wire leads nothing by %s %s", o.Kind(), o.ID())
		return
	}
	via := o.ID()
	if g, is := o.(*estate.Gateway); is {
		via = g.Name
	}
	if s.Network == at {
		t.route(s, to, via, in)
		return
	}
	door := t.towards(s, to, at)
	if door == nil {
		return
	}
	t.into(door, to, via)
	t.onward(in, append(slices.Clone(s.Ranges), to))
}

// towards leads a range from a subnet to another network, and gives the table into which it looks there.
func (t *turning) towards(s *estate.Subnet, to netip.Prefix, at *estate.Network) *freshTable {
	for _, p := range s.Network.Peerings {
		if p.Far(s.Network) == at {
			t.route(s, to, p.Name, nil)
			return t.door(at, "peering "+p.Name, p.Door(at), "from-"+s.Network.Name, func(name string) []text.Edit {
				return []text.Edit{text.Set(p.Place().To("arrives"), at.Name, text.Word(name))}
			})
		}
	}
	for _, a := range s.Network.Attachments {
		i := slices.IndexFunc(a.Hub.Attachments, func(o *estate.Attachment) bool { return o.Network == at })
		if i < 0 {
			continue
		}
		t.route(s, to, a.Hub.Name, nil)
		return t.overHub(a, a.Hub.Attachments[i], to)
	}
	if t.why == nil {
		t.why = apart{fmt.Sprintf("nothing joins network %s to network %s, where %s is", s.Network.Name, at.Name, t.name())}
	}
	return nil
}

// onward leads ranges on from where a thing is, back over the join by which they are reached.
func (t *turning) onward(in *estate.Subnet, ranges []netip.Prefix) {
	if in == nil {
		return
	}
	for _, p := range ranges {
		for _, x := range in.Network.Peerings {
			if slices.ContainsFunc(x.Far(in.Network).Ranges, p.Overlaps) {
				t.route(in, p, x.Name, nil)
			}
		}
		for _, a := range in.Network.Attachments {
			for _, far := range a.Hub.Attachments {
				if far.Network != in.Network && slices.ContainsFunc(far.Ranges(), p.Overlaps) {
					t.route(in, p, a.Hub.Name, nil)
					if a.Table != nil {
						t.inHub(a, p, far.To().ID())
					}
				}
			}
		}
	}
}

// fromOutside leads to a thing what comes from outside to a range: from the gateway by which the thing gets out, or from a site.
func (t *turning) fromOutside(s *estate.Subnet, outside []netip.Prefix, to netip.Prefix, o estate.Object, sites []string) {
	x, is := o.(*estate.Workload)
	if !is || x.Subnet == nil {
		return
	}
	n := x.Subnet.Network
	if len(sites) == 1 && t.e.Site(sites[0]) != nil {
		site := t.e.Site(sites[0])
		if site.Link == n {
			t.into(t.door(n, "site "+site.Name, site.Door, "from-"+site.Name, func(name string) []text.Edit {
				return []text.Edit{text.Set(site.Place(), "arrives", text.Word(name))}
			}), to, o.ID())
		}
		for _, a := range site.Attachments {
			i := slices.IndexFunc(a.Hub.Attachments, func(o *estate.Attachment) bool { return o.Network == n })
			if i < 0 {
				continue
			}
			if door := t.overHub(a, a.Hub.Attachments[i], to); door != nil {
				t.into(door, to, o.ID())
			}
			t.onward(x.Subnet, ofFamilies(outside, []bool{to.Addr().Is6()}))
		}
		return
	}
	if x.Forwards == estate.NATForwarding {
		return // what answers it answers its own address
	}
	r := x.Subnet.Table.Lookup(everywhere[to.Addr().Is6()].Addr())
	if r == nil {
		return
	}
	switch g, _ := r.Via.(*estate.Gateway); {
	case g == nil:
	case g.In != nil:
		before := len(t.edits)
		t.route(g.In, to, o.ID(), x.Subnet)
		if others := g.In.Table.Subnets; x.Forwards == estate.StatefulForwarding && (len(others) > 1 || t.lives(g.In)) { // who has that table, too, is led the same way in both directions
			for _, other := range others {
				for _, p := range ofFamilies(other.Ranges, []bool{to.Addr().Is6()}) {
					t.route(s, p, o.ID(), x.Subnet)
				}
			}
		}
		if len(t.edits) > before+1 {
			t.edits = append(t.edits[:before], slices.Concat(t.edits[before:]...))
		}
	case g.Born:
		t.fail("what comes in by gateway %s of network %s, which is there from birth, looks into no table that could lead it to %s", g.Name, n.Name, o.ID())
	case g.Type == estate.InternetGateway:
		t.into(t.door(n, "gateway "+g.Name, g.Door, "from-"+g.Name, func(name string) []text.Edit {
			return []text.Edit{text.Set(g.Place(), "arrives", text.Word(name))}
		}), to, o.ID())
	}
}

// door is the table into which what comes into a network somewhere looks: the one that is there, or a new one.
func (t *turning) door(n *estate.Network, where string, is *estate.Subnet, name string, then func(string) []text.Edit) *freshTable {
	key := n.Name + " " + where
	if f := t.doors[key]; f != nil {
		return f
	}
	f := &freshTable{network: n, name: name, then: then}
	if is != nil {
		f.of, f.then = is.Table, nil
	}
	t.doors[key] = f
	t.fresh = append(t.fresh, f)
	return f
}

// into has the table that what comes in looks into lead a range to a thing.
func (t *turning) into(f *freshTable, to netip.Prefix, via string) {
	if t.ownFirst(f.network, to, via) {
		return
	}
	f.add(to, via)
}

// ownFirst tells where a network's own route to a range comes before any other.
func (t *turning) ownFirst(n *estate.Network, to netip.Prefix, via string) bool {
	r := n.Main.Lookup(to.Addr())
	if r == nil || r.Origin != estate.Local || r.To.Bits() < to.Bits() {
		return false
	}
	t.fail("the route that network %s has to %s itself comes before one to %s", n.Name, to, via)
	return true
}

func (f *freshTable) add(to netip.Prefix, via string) {
	if r := (leads{to, via}); !slices.Contains(f.routes, r) {
		f.routes = append(f.routes, r)
	}
}

// route has a subnet's table lead a range somewhere: in a table of its own where the one that it has is the main one, or is that of the subnet
// in which the thing is, which would go round in a circle.
func (t *turning) route(s *estate.Subnet, to netip.Prefix, via string, thing *estate.Subnet) {
	if leadsBy(s.Table.Routes, s.Table.Lookup(to.Addr()), to, via) {
		return
	}
	if t.ownFirst(s.Network, to, via) {
		return
	}
	if r := byHand(s.Table.Routes, to); r != nil {
		t.fail("table %s leads %s to %s, not to %s", s.Table.ID(), to, r.ViaName(), via)
		return
	}
	if s.ByDefault {
		for _, f := range t.fresh {
			if f.then == nil && f.of == s.Table && f.network == s.Network && f.subnets != nil && f.member == memberOf(s) {
				if !slices.Contains(f.subnets, s.Name) {
					f.subnets = append(f.subnets, s.Name)
				}
				f.add(to, via)
				return
			}
		}
		f := &freshTable{network: s.Network, name: memberOf(s), of: s.Table, member: memberOf(s), subnets: []string{s.Name}}
		f.add(to, via)
		t.fresh = append(t.fresh, f)
		return
	}
	if thing != nil && thing.Table == s.Table {
		t.fail("%s and %s share table %s, which cannot lead the one to the other and the other on", s.ID(), thing.ID(), s.Table.ID())
		return
	}
	t.once(text.Add(s.Table.Place().To("routes"), route(to.String(), via)))
}

// memberOf is by what subnets that are named by no table come together: their tier, or each alone.
func memberOf(s *estate.Subnet) string {
	if s.Tier != nil {
		return s.Tier.Name
	}
	return s.Name
}

// leadsBy reports whether a table leads a range somewhere already.
func leadsBy(routes []*estate.Route, found *estate.Route, to netip.Prefix, via string) bool {
	if found == nil || found.ViaName() != via || found.To.Bits() > to.Bits() {
		return false
	}
	return to.Bits() == 0 || !slices.ContainsFunc(routes, func(r *estate.Route) bool {
		return r.To.Bits() > to.Bits() && to.Contains(r.To.Addr()) && r.ViaName() != via
	})
}

func byHand(routes []*estate.Route, to netip.Prefix) *estate.Route {
	i := slices.IndexFunc(routes, func(r *estate.Route) bool { return r.To == to && r.Origin == estate.ByHand && r.Only == nil })
	if i < 0 {
		return nil
	}
	return routes[i]
}

func (t *turning) once(e text.Edit) {
	if !slices.ContainsFunc(slices.Concat(t.edits...), func(o text.Edit) bool { return o.String() == e.String() }) {
		t.edits = append(t.edits, []text.Edit{e})
	}
}

func (t *turning) fail(format string, args ...any) {
	if t.why == nil {
		t.why = fmt.Errorf(format, args...)
	}
}

// write makes edits of the tables that are new, and of what those that packets look into already lack.
func (t *turning) write() {
	t.writeHubs()
	names := map[*estate.Network]*wanted{}
	for _, f := range t.fresh {
		if f.subnets == nil && f.of != nil { // where packets come in already
			for _, r := range f.routes {
				if has := byHand(f.of.Routes, r.to); has != nil && has.ViaName() != r.via {
					t.fail("table %s leads %s to %s, not to %s", f.of.ID(), r.to, has.ViaName(), r.via)
				} else if !leadsBy(f.of.Routes, f.of.Lookup(r.to.Addr()), r.to, r.via) {
					t.once(text.Add(f.of.Place().To("routes"), route(r.to.String(), r.via)))
				}
			}
			continue
		}
		if names[f.network] == nil {
			names[f.network] = &wanted{n: f.network}
		}
		name := names[f.network].free(f.name)
		var routes []text.Value
		if f.of != nil {
			for _, r := range statedIn(f.of) {
				if !slices.ContainsFunc(f.routes, func(l leads) bool { return r.Only.Value == "" && l.to.String() == toOf(r) }) {
					routes = append(routes, again(r))
				}
			}
		}
		for _, r := range f.routes {
			routes = append(routes, route(r.to.String(), r.via))
		}
		fields := []text.Field{{Key: "routes", Value: text.List(routes...)}}
		if f.subnets != nil {
			fields = slices.Insert(fields, 0, text.Field{Key: "subnets", Value: text.Words(f.subnets...)})
		}
		edits := []text.Edit{text.Set(f.network.Place().To("tables"), name, text.Map(fields...))}
		if f.then != nil {
			edits = append(edits, f.then(name)...)
		}
		t.edits = append(t.edits, edits)
	}
}
