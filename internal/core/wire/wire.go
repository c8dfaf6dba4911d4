// Package wire works out what the stated access of tiers, the joins and the expectations of a plan need, and the plan lacks:
// gateways, NAT gateways, tables, associations, routes of both families, what hubs learn and sites know, and rules. It adds;
// what stands and contradicts is told, and never changed.
package wire

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
	"wendrik/internal/core/text"
)

// Result is what wiring comes to.
type Result struct {
	Changes     text.Changes   // what lacks, each with its reason
	Contradicts []diag.Finding // what stands against what is stated
	Unmet       []diag.Finding // expectations that no edit can make hold
	Opens       []grid.Difference
	Closes      []grid.Difference
	After       *estate.Estate // the estate once the changes are made; the same one where there are none
	Uneditable  error          // why the changes cannot be made in the text
}

// Codes of findings.
const (
	contradicts diag.Code = "contradicts-access"
	noPlace     diag.Code = "no-place-for-nat"
	overlaps    diag.Code = "joined-overlap"
	unmet       diag.Code = "expectation-unmet"
	conflict    diag.Code = "expectations-conflict"
)

// maxCompared is the largest estate, in workloads, of which it is worked out what else opens.
const maxCompared = 5000

// Estate wires an estate.
func Estate(e *estate.Estate) *Result {
	w := &wirer{e: e, Result: &Result{After: e}}
	// Gateways first: what leads to them may stand in the plan already.
	for _, n := range e.Networks {
		if x := wantedOf(n); len(x.of) > 0 {
			w.gateways(x)
		}
	}
	with := e
	if len(w.Changes) > 0 {
		after, _, err := e.With(w.Changes)
		if err != nil {
			w.Uneditable = err
			return w.Result
		}
		with = after
	}
	w.Contradicts = nil // which are told in the next round, once
	for _, n := range with.Networks {
		w.network(n)
	}
	for _, h := range e.Hubs {
		w.hub(h)
	}
	for _, s := range e.Sites {
		w.site(s)
	}
	if w.make() {
		w.expectations()
	}
	if len(w.Changes) > 0 && w.Uneditable == nil && len(e.Workloads) <= maxCompared {
		d := grid.Compare(e, w.After)
		w.Opens, w.Closes = d.Opens, d.Closes
	}
	return w.Result
}

type wirer struct {
	*Result
	e *estate.Estate
}

func (w *wirer) add(why string, edits ...text.Edit) {
	w.Changes = append(w.Changes, text.Change{Edits: edits, Why: why})
}

func (w *wirer) against(at text.Pos, place text.Path, fix, format string, args ...any) {
	w.Contradicts = append(w.Contradicts, diag.Finding{Code: contradicts, Severity: diag.Warning, At: at, Place: place, Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(fix)})
}

// make applies the changes so far, with the addresses that they ask for, and reports whether that could be done.
func (w *wirer) make() bool {
	if len(w.Changes) == 0 {
		return true
	}
	after, problems, err := w.e.With(w.Changes)
	if err == nil && len(problems) > len(w.e.Problems) {
		err = fmt.Errorf("%s", problems[0].Message)
	}
	if err != nil {
		w.Uneditable = err
		return false
	}
	for _, a := range carve.Estate(after).Addresses {
		if !a.NAT {
			continue
		}
		network, name, _ := cut(a.Name)
		var words []string
		for _, x := range a.Addrs {
			words = append(words, x.String())
		}
		w.add(fmt.Sprintf("NAT gateway %s gets %s", a.Name, a.Why), text.Set(text.Path{"networks", network, "gateways", name}, "address", text.WordOrWords(words...)))
	}
	w.After, _, w.Uneditable = w.e.With(w.Changes)
	return w.Uneditable == nil
}

func cut(id string) (network, name string, found bool) {
	for i := range id {
		if id[i] == '/' {
			return id[:i], id[i+1:], true
		}
	}
	return id, "", false
}

// wanted is what a network's tiers want, by access.
type wanted struct {
	n     *estate.Network
	of    map[string][]*estate.Tier
	front *estate.Gateway            // the internet gateway, perhaps one to come
	six   *estate.Gateway            // that lets IPv6 out
	nats  map[string]*estate.Gateway // by zone; under an empty word where one is for all
	had   []string                   // names that are taken among gateways and tables
}

var everywhere = map[bool]netip.Prefix{false: netip.MustParsePrefix("0.0.0.0/0"), true: netip.MustParsePrefix("::/0")}

// network gives a network the ways out that its tiers ask for, and the tables that lead there.
func (w *wirer) network(n *estate.Network) {
	x := wantedOf(n)
	if len(x.of) == 0 {
		return
	}
	w.gateways(x)
	all := allJoins(n)
	for _, j := range all {
		if who := inTheWay(n, j, all); who != "" {
			w.Contradicts = append(w.Contradicts, diag.Finding{Code: overlaps, Severity: diag.Warning, At: n.At(), Place: n.Place(),
				Message: fmt.Sprintf("network %s is joined to %s, whose range overlaps that of %s, so no route leads there", n.Name, j.to, who), Fixes: diag.Advise("move one of them, or write the route by hand")})
		}
	}
	for _, access := range []string{"public", "outbound", "closed"} {
		w.tables(x, access)
	}
}

// wantedOf is what the tiers of a network want.
func wantedOf(n *estate.Network) *wanted {
	x := &wanted{n: n, of: map[string][]*estate.Tier{}, nats: map[string]*estate.Gateway{}}
	for _, t := range n.Tiers {
		if a := t.Plan.Access.Value; a != "" && len(t.Subnets) > 0 {
			x.of[a] = append(x.of[a], t)
		}
	}
	return x
}

// gateways finds or adds the gateways of a network.
func (w *wirer) gateways(x *wanted) {
	n := x.n
	nat := n.Plan.NAT.Value != "none"
	if len(x.of["public"]) > 0 || len(x.of["outbound"]) > 0 && nat && (n.Profile.NATServes || len(n.NATs()) > 0) {
		switch g := n.InternetGateway(); {
		case g == nil:
			x.front = &estate.Gateway{Name: x.free(estate.WiredFront), Network: n, Type: estate.InternetGateway, Attached: true}
			w.add(fmt.Sprintf("network %s has tiers that are open to the internet or go out to it, and no internet gateway", n.Name),
				text.Set(n.Place().To("gateways"), x.front.Name, text.Map(text.Field{Key: "kind", Value: text.Word("internet")})))
		case !g.Attached:
			w.against(g.Plan.Attached.At, g.Place(), "write  attached: true,  or another access for the tiers", "internet gateway %s is not attached, and tiers of network %s are open to the internet or go out to it", g.Name, n.Name)
			x.front = g
		default:
			x.front = g
		}
	}
	if len(x.of["outbound"]) > 0 && nat {
		w.nat(x)
	}
	if len(x.of["outbound"]) > 0 && x.hasSix(x.of["outbound"]) {
		for _, g := range n.Gateways {
			if g.Type == estate.EgressGateway && g.Attached {
				x.six = g
			}
		}
		if x.six == nil {
			x.six = &estate.Gateway{Name: x.free(estate.WiredSix), Network: n, Type: estate.EgressGateway, Attached: true}
			w.add(fmt.Sprintf("outbound tiers of network %s have IPv6, and nothing lets that out alone", n.Name),
				text.Set(n.Place().To("gateways"), x.six.Name, text.Map(text.Field{Key: "kind", Value: text.Word("egress")})))
		}
	}
}

// hasSix reports whether some tiers have IPv6 that the internet carries.
func (x *wanted) hasSix(tiers []*estate.Tier) bool {
	return slices.ContainsFunc(tiers, func(t *estate.Tier) bool {
		return slices.ContainsFunc(t.Subnets, func(s *estate.Subnet) bool {
			return slices.ContainsFunc(s.Ranges, func(p netip.Prefix) bool { return p.Addr().Is6() })
		})
	})
}

// free is a name that no gateway and no table of the network has, as near to the one that is wanted as can be.
func (x *wanted) free(name string) string {
	taken := func(s string) bool {
		return slices.Contains(x.had, s) || slices.ContainsFunc(x.n.Gateways, func(g *estate.Gateway) bool { return g.Name == s }) ||
			slices.ContainsFunc(x.n.Tables, func(t *estate.Table) bool { return t.Name == s && t.Plan != nil })
	}
	free := name
	for i := 2; taken(free); i++ {
		free = fmt.Sprintf("%s-%d", name, i)
	}
	x.had = append(x.had, free)
	return free
}

// nat finds or adds the NAT gateways of a network: one, or one in each zone.
func (w *wirer) nat(x *wanted) {
	n := x.n
	if n.Profile.NATServes {
		var lacks []string
		for _, t := range x.of["outbound"] {
			if slices.ContainsFunc(t.Subnets, func(s *estate.Subnet) bool { return n.NATServing(s) == nil }) {
				lacks = append(lacks, t.Name)
			}
		}
		if len(lacks) > 0 {
			name := x.free(estate.WiredNAT)
			w.add(fmt.Sprintf("outbound tiers of network %s are served by no NAT gateway", n.Name), text.Set(n.Place().To("gateways"), name, text.Map(
				text.Field{Key: "kind", Value: text.Word("nat")}, text.Field{Key: "serves", Value: text.Words(lacks...)}, text.Field{Key: "public", Value: text.Word(plan.Assigned)})))
		}
		return
	}
	zones := []string{""}
	if n.Plan.NAT.Value == "per-zone" {
		zones = nil
		for _, t := range x.of["outbound"] {
			for _, s := range t.Subnets {
				if !slices.Contains(zones, n.PlaceOf(s)) {
					zones = append(zones, n.PlaceOf(s))
				}
			}
		}
	}
	for _, zone := range zones {
		for _, g := range n.NATs() {
			if g.In != nil && (zone == "" || n.PlaceOf(g.In) == zone) && x.nats[zone] == nil {
				x.nats[zone] = g
			}
		}
		if x.nats[zone] != nil {
			continue
		}
		var in *estate.Subnet
		for _, t := range x.of["public"] {
			for _, s := range t.Subnets {
				if in == nil && (zone == "" || n.PlaceOf(s) == zone) {
					in = s
				}
			}
		}
		if in == nil {
			where := ""
			if zone != "" {
				where = " in " + zone
			}
			w.Contradicts = append(w.Contradicts, diag.Finding{Code: noPlace, Severity: diag.Warning, At: n.At(), Place: n.Place(), Message: fmt.Sprintf("outbound tiers of network %s need a NAT gateway, and no public tier has a subnet%s for it", n.Name, where),
				Fixes: diag.Advise("add a public tier, or write  nat: none")})
			continue
		}
		name := estate.WiredNAT
		if zone != "" {
			name = estate.WiredNAT + "-" + short(n, zone)
		}
		name = x.free(name)
		why := fmt.Sprintf("outbound tiers of network %s need a NAT gateway", n.Name)
		if zone != "" {
			why += " in " + zone
		}
		w.add(why, text.Set(n.Place().To("gateways"), name, text.Map(text.Field{Key: "kind", Value: text.Word("nat")}, text.Field{Key: "in", Value: text.Word(in.Name)}, text.Field{Key: "public", Value: text.Word(plan.Assigned)})))
		x.nats[zone] = &estate.Gateway{Name: name, Network: n, Type: estate.NATGateway, In: in}
	}
}

// short is a zone's name without what it repeats of its region's.
func short(n *estate.Network, zone string) string {
	for _, r := range n.Regions {
		if prefix := r.Name.Value + "-"; len(zone) > len(prefix) && zone[:len(prefix)] == prefix {
			return zone[len(prefix):]
		}
	}
	return zone
}

// tables gives the subnets of the tiers of one access a table that leads where that says: one for all, or of outbound
// tiers with a NAT gateway in each zone, one for each.
func (w *wirer) tables(x *wanted, access string) {
	n := x.n
	fresh := map[string][]string{} // by zone, what a new table is for
	var order []string
	for _, t := range x.of[access] {
		whole := true
		for _, s := range t.Subnets {
			whole = whole && s.ByDefault
		}
		for _, s := range t.Subnets {
			zone := ""
			if access == "outbound" && len(x.nats) > 1 {
				zone = n.PlaceOf(s)
			}
			if !s.ByDefault {
				w.routesOf(x, s, access, zone)
				continue
			}
			if like := sibling(s, zone); like != nil {
				w.add(fmt.Sprintf("subnet %s is named by no table, and others of its tier have table %s", s.ID(), like.Name), text.Add(like.Place().To("subnets"), text.Word(s.Name)))
				continue
			}
			word := s.Name
			if zone == "" && whole {
				word = t.Name
			}
			if _, known := fresh[zone]; !known {
				order = append(order, zone)
			}
			if !slices.Contains(fresh[zone], word) {
				fresh[zone] = append(fresh[zone], word)
			}
		}
	}
	for _, zone := range order {
		name := access
		if zone != "" {
			name += "-" + short(n, zone)
		}
		var routes []text.Value
		for _, r := range w.defaults(x, access, zone, x.of[access]) {
			routes = append(routes, route(r.to.String(), r.via))
		}
		stands := map[string]bool{}
		for _, r := range n.Main.Routes { // where what was on the main table went by its routes, it still does
			what := r.Name
			if what == "" {
				what = r.To.String()
			}
			if r.Origin == estate.ByHand && r.To.Bits() > 0 && !stands[what] {
				stands[what] = true
				routes = append(routes, route(what, r.ViaName()))
			}
		}
		for _, r := range joins(n) {
			over := slices.ContainsFunc(n.Main.Routes, func(o *estate.Route) bool { return o.Origin == estate.ByHand && slices.Contains(r.ranges, o.To) })
			if !over && !stands[r.to] {
				routes = append(routes, route(r.to, r.via))
			}
		}
		table := text.Map(text.Field{Key: "subnets", Value: text.Words(fresh[zone]...)}, text.Field{Key: "routes", Value: text.List(routes...)})
		// A table that an earlier run has written is found by its name, and gets the subnets that came since.
		if at := slices.IndexFunc(n.Tables, func(t *estate.Table) bool { return t.Name == name && t.Plan != nil }); at >= 0 {
			var edits []text.Edit
			for _, s := range fresh[zone] {
				edits = append(edits, text.Add(n.Tables[at].Place().To("subnets"), text.Word(s)))
			}
			w.add(fmt.Sprintf("%s of network %s have no table of their own", phrase.And(fresh[zone]), n.Name), edits...)
			continue
		}
		w.add(fmt.Sprintf("the %s tiers of network %s have no table of their own", access, n.Name), text.Set(n.Place().To("tables"), x.free(name), table))
	}
}

// sibling is the table of another subnet of a subnet's tier, in its zone where tables are by zone; nil when none has one.
func sibling(s *estate.Subnet, zone string) *estate.Table {
	for _, o := range s.Tier.Subnets {
		if !o.ByDefault && (zone == "" || s.Network.PlaceOf(o) == zone) {
			return o.Table
		}
	}
	return nil
}

func route(to, via string) text.Value {
	return text.Map(text.Field{Key: "to", Value: text.Word(to)}, text.Field{Key: "via", Value: text.Word(via)})
}

// leads is a route that is wanted.
type leads struct {
	to  netip.Prefix
	via string
}

// defaults are the default routes that an access wants.
func (w *wirer) defaults(x *wanted, access, zone string, tiers []*estate.Tier) []leads {
	var all []leads
	nat := x.nats[zone]
	six := x.hasSix(tiers)
	switch access {
	case "public":
		if x.front != nil && !(x.front.Born && x.n.Profile.DefaultRoute) {
			all = append(all, leads{everywhere[false], x.front.Name})
			if six {
				all = append(all, leads{everywhere[true], x.front.Name})
			}
		}
	case "outbound":
		switch {
		case x.n.Profile.NATServes && x.front != nil && !(x.front.Born && x.n.Profile.DefaultRoute):
			all = append(all, leads{everywhere[false], x.front.Name})
		case nat != nil:
			all = append(all, leads{everywhere[false], nat.Name})
		}
		if six && x.six != nil {
			all = append(all, leads{everywhere[true], x.six.Name})
		}
	case "closed":
		if x.n.Profile.DefaultRoute { // where a network is born with a way out
			all = append(all, leads{everywhere[false], plan.Blackhole}, leads{everywhere[true], plan.Blackhole})
		}
	}
	return all
}

// routesOf adds what the table of a subnet lacks, and tells what in it contradicts the access.
func (w *wirer) routesOf(x *wanted, s *estate.Subnet, access, zone string) {
	t := s.Table
	want := w.defaults(x, access, zone, []*estate.Tier{s.Tier})
	for _, six := range []bool{false, true} {
		all := everywhere[six]
		var has *estate.Route
		for _, r := range t.Routes {
			if r.To == all && r.Origin == estate.ByHand {
				has = r
			}
		}
		i := slices.IndexFunc(want, func(l leads) bool { return l.to == all })
		switch {
		case has == nil && i < 0:
		case has == nil:
			w.once(fmt.Sprintf("table %s is for tier %s, which is %s", t.ID(), s.Tier.Name, access), text.Add(t.Place().To("routes"), route(all.String(), want[i].via)))
		case has.Via == estate.Blackhole && access == "closed":
		case i < 0 && access == "closed":
			w.against(has.At, t.Place(), "take the route out, or write another access", "tier %s is closed, and table %s leads %s to %s", s.Tier.ID(), t.ID(), all, has.ViaName())
		case access == "outbound" && has.ToInternet() != nil && !x.n.Profile.NATServes:
			w.against(has.At, t.Place(), "lead it to a NAT gateway, or to an egress gateway for IPv6, or write  access: public", "tier %s is outbound, and table %s leads %s straight to the internet", s.Tier.ID(), t.ID(), all)
		case access == "public" && has.ToInternet() == nil:
			w.against(has.At, t.Place(), "lead it to the internet gateway, or write another access", "tier %s is public, and table %s leads %s to %s", s.Tier.ID(), t.ID(), all, has.ViaName())
		}
	}
	for _, r := range joins(x.n) {
		if !slices.ContainsFunc(t.Routes, func(o *estate.Route) bool {
			return o.Origin == estate.ByHand && (o.Name == r.to || slices.Contains(r.ranges, o.To))
		}) {
			w.once(fmt.Sprintf("table %s has no route to %s, which %s joins to network %s", t.ID(), r.to, r.via, x.n.Name), text.Add(t.Place().To("routes"), route(r.to, r.via)))
		}
	}
}

// once adds a change that is not there yet: two subnets may have one table.
func (w *wirer) once(why string, e text.Edit) {
	for _, c := range w.Changes {
		if len(c.Edits) == 1 && c.Edits[0].String() == e.String() {
			return
		}
	}
	w.add(why, e)
}

// joined is a route to what a network is joined to, by name.
type joined struct {
	to, via string
	ranges  []netip.Prefix
}

// joins are the routes to peers, to what is behind hubs, and to sites that a network needs.
func joins(n *estate.Network) []joined {
	all := allJoins(n)
	return slices.DeleteFunc(slices.Clone(all), func(j joined) bool { return inTheWay(n, j, all) != "" })
}

func allJoins(n *estate.Network) []joined {
	var all []joined
	add := func(to, via string, ranges []netip.Prefix) {
		if len(ranges) > 0 && !slices.ContainsFunc(all, func(j joined) bool { return j.to == to }) {
			all = append(all, joined{to, via, ranges})
		}
	}
	for _, p := range n.Peerings {
		if !n.Profile.PeerRoutes {
			add(p.Far(n).Name, p.Name, p.Far(n).Ranges)
		}
	}
	for _, a := range n.Attachments {
		for _, o := range a.Hub.Attachments {
			if o.Network != n {
				add(o.To().ID(), a.Hub.Name, o.Ranges())
			}
		}
	}
	for _, s := range n.Links {
		add(s.Name, s.Name, s.Ranges)
	}
	return all
}

// inTheWay is whose range overlaps that of something joined, so that a route to it would lead the packets of the other
// astray; empty for nobody's.
func inTheWay(n *estate.Network, j joined, all []joined) string {
	overlap := func(p netip.Prefix) bool {
		return slices.ContainsFunc(j.ranges, func(q netip.Prefix) bool { return p.Overlaps(q) })
	}
	if slices.ContainsFunc(n.Ranges, overlap) {
		return "network " + n.Name
	}
	for _, o := range all {
		if o.to != j.to && slices.ContainsFunc(o.ranges, overlap) {
			return o.to
		}
	}
	for _, t := range n.Tables {
		for _, r := range t.Routes {
			if r.Origin == estate.ByHand && r.To.Bits() > 0 && overlap(r.To) && r.ViaName() != j.via {
				return "what table " + t.ID() + " leads to " + r.ViaName()
			}
		}
	}
	return ""
}

// hub has each table of a hub learn who is attached, where it learns nobody and leads nowhere.
func (w *wirer) hub(h *estate.Hub) {
	var all []string
	for _, a := range h.Attachments {
		all = append(all, a.To().ID())
	}
	for _, t := range h.Tables {
		if len(t.Plan.Learns) == 0 && len(t.Plan.Routes) == 0 && len(all) > 1 {
			w.add(fmt.Sprintf("table %s of hub %s has no routes", t.Name, h.Name), text.Set(t.Place(), "learns", text.Words(all...)))
		}
	}
}

// site has a site know the networks that it is joined to.
func (w *wirer) site(s *estate.Site) {
	var lacks []string
	need := func(n *estate.Network) {
		if len(n.Ranges) > 0 && !slices.ContainsFunc(n.Ranges, func(p netip.Prefix) bool { return s.KnowsOf(p.Addr()) }) && !slices.Contains(lacks, n.Name) {
			lacks = append(lacks, n.Name)
		}
	}
	if s.Link != nil {
		need(s.Link)
	}
	for _, a := range s.Attachments {
		for _, o := range a.Hub.Attachments {
			if o.Network != nil {
				need(o.Network)
			}
		}
	}
	for _, name := range lacks {
		w.add(fmt.Sprintf("site %s has no route to network %s, which it is joined to", s.Name, name), text.Add(s.Place().To("knows"), text.Word(name)))
	}
}

// expectations finds the edits that make the lines hold which do not, as long as they break no line that says never.
func (w *wirer) expectations() {
	for i := range w.e.Plan.Expect {
		x := &w.e.Plan.Expect[i]
		if x.Never || x.LeavesAs != "" || len(x.Except) > 0 {
			continue
		}
		results := expect.RunSome(w.After, func(o *plan.Expectation) bool { return o != &w.After.Plan.Expect[i] }, nil)
		held := slices.ContainsFunc(results, func(r expect.Result) bool { return !r.Doubted && (r.Holds || r.Waits) })
		if held {
			continue
		}
		from, err := reach.FindEnds(w.After, x.From)
		if err != nil {
			continue
		}
		to, err := reach.FindEnds(w.After, x.To)
		if err != nil {
			continue
		}
		s := grid.AskMany(w.After, from, to, x.Flows, false, nil)
		if s.Pairs == 0 {
			continue
		}
		r := repair.OfMany(w.After, s)
		switch {
		case len(r.Against) > 0:
			w.Unmet = append(w.Unmet, diag.Finding{Code: conflict, Severity: diag.Error, At: x.At, Place: text.Path{"expect"},
				Message: fmt.Sprintf("%q and %q contradict each other: what makes the one hold breaks the other", x.Text, r.Against[0].Text), Fixes: diag.Advise("take one of them out, or say less in it")})
			continue
		case r.After == nil || r.Verdict() != reach.Open:
			f := diag.Finding{Code: unmet, Severity: diag.Error, At: x.At, Place: text.Path{"expect"}, Message: fmt.Sprintf("%q does not hold, and no edit alone makes it", x.Text)}
			for _, c := range r.Causes {
				if len(c.Edits()) == 0 {
					f.Message += ": " + c.Message
					f.Fixes = c.Fixes
					break
				}
			}
			w.Unmet = append(w.Unmet, f)
			continue
		}
		for _, c := range r.Causes {
			w.add(fmt.Sprintf("%q, and %s", x.Text, c.Message), c.Edits()...)
		}
		// What the search has made becomes the ground of the next.
		w.After = r.Estate
	}
}
