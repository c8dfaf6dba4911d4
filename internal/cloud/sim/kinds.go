package sim

import (
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/cloud"
	"wendrik/internal/core/address"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/stock"
)

// This file is what the cloud refuses of things of each kind.

func (c *Cloud) subnets(network string) []*record {
	var all []*record
	for user := range c.usedBy[network] {
		if x := c.things[user]; x.Kind == stock.Subnet {
			all = append(all, x)
		}
	}
	return all
}

func (c *Cloud) checkNetwork(r, old *record) error {
	if like := r.props.Pairs("profile")["like"]; !slices.Contains(profile.Names(), like) {
		return cloud.Refused(cloud.Invalid, "profile of a network must be like %s, not %.60q", strings.Join(profile.Names(), ", "), like)
	}
	if _, err := stock.ProfileOf(r.props.Pairs("profile")); err != nil {
		return cloud.Refused(cloud.Invalid, "profile of a network: %s", err)
	}
	for _, name := range r.props.Words("regions") {
		if !slices.ContainsFunc(c.regions, func(x stock.Region) bool { return x.Name == name }) {
			return cloud.Refused(cloud.Invalid, "there is no region %.60q", name)
		}
	}
	all := rangesOf(r)
	p := c.profileOf(r)
	switch {
	case p.OwnRanges && len(all) == 0:
		return cloud.Refused(cloud.Invalid, "a network that is like %s needs a range", p.Name)
	case !p.OwnRanges && len(all) > 0:
		return cloud.Refused(cloud.Invalid, "a network that is like %s has no ranges of its own", p.Name)
	}
	for i := range all {
		if x, y, found := overlap(all[:i], all[i:i+1]); found {
			return cloud.Refused(cloud.Conflict, "ranges %s and %s of network %s overlap", x, y, r.Name)
		}
	}
	if old == nil {
		return nil
	}
	for _, s := range c.subnets(r.ID) {
		for _, x := range rangesOf(s) {
			if p.OwnRanges && !slices.ContainsFunc(all, func(own netip.Prefix) bool { return inside(own, x) }) {
				return cloud.Refused(cloud.Needed, "range %s of subnet %s (%s) would be in no range of network %s", x, s.Name, s.ID, r.Name)
			}
		}
	}
	for user := range c.usedBy[r.ID] {
		if y := c.things[user]; y.Kind == stock.Peering {
			for _, side := range y.props.Words("networks") {
				if side == r.ID {
					continue
				}
				if a, b, found := overlap(all, rangesOf(c.things[side])); found {
					return cloud.Refused(cloud.Conflict, "range %s of network %s overlaps %s of network %s, with which it is peered", a, r.Name, b, c.things[side].Name)
				}
			}
		}
	}
	return nil
}

func (c *Cloud) checkSubnet(r, old *record) error {
	network := c.things[r.props.Word("network")]
	p := c.profileOf(network)
	for _, name := range []string{"table", "list"} {
		if err := c.within(r, name, "network", network.ID); err != nil {
			return err
		}
	}
	if old != nil {
		return nil
	}
	all := rangesOf(r)
	families := map[bool]int{}
	for _, x := range all {
		families[x.Addr().Is4()]++
		switch {
		case families[x.Addr().Is4()] > 1:
			return cloud.Refused(cloud.Invalid, "a subnet has one range of each family at most")
		case x.Addr().Is4() && !p.Takes(x.Bits()):
			return cloud.Refused(cloud.Invalid, "a subnet of a network that is like %s is from /%d to /%d, and %s is not", p.Name, p.Largest, p.Smallest, x)
		case p.OwnRanges && !slices.ContainsFunc(rangesOf(network), func(own netip.Prefix) bool { return inside(own, x) }):
			return cloud.Refused(cloud.Invalid, "range %s is in no range of network %s", x, network.Name)
		}
	}
	for _, s := range c.subnets(network.ID) {
		if x, y, found := overlap(all, rangesOf(s)); found {
			return cloud.Refused(cloud.Conflict, "range %s overlaps %s of subnet %s (%s)", x, y, s.Name, s.ID)
		}
	}
	if err := c.knownRegion(r); err != nil {
		return err
	}
	lives := network.props.Words("regions")
	if region := r.props.Word("region"); region != "" && len(lives) > 0 && !slices.Contains(lives, region) {
		return cloud.Refused(cloud.Invalid, "network %s does not live in region %s", network.Name, region)
	}
	if zone := r.props.Word("zone"); zone != "" && !slices.ContainsFunc(c.regions, func(x stock.Region) bool {
		return slices.Contains(x.Zones, zone) && (len(lives) == 0 || slices.Contains(lives, x.Name))
	}) {
		return cloud.Refused(cloud.Invalid, "there is no zone %.60q where network %s lives", zone, network.Name)
	}
	return nil
}

// checkHost says why a workload, or a NAT gateway in a subnet, cannot have its addresses.
func (c *Cloud) checkHost(r, old *record) error {
	if subnet := c.things[r.props.Word("subnet")]; subnet != nil {
		network := c.networkOf(subnet)
		p := c.profileOf(network)
		for _, w := range r.props.Words("addresses") {
			a, _ := netip.ParseAddr(w)
			i := slices.IndexFunc(rangesOf(subnet), func(x netip.Prefix) bool { return x.Contains(a) })
			if i < 0 {
				return cloud.Refused(cloud.Invalid, "address %s is in no range of subnet %s", a, subnet.Name)
			}
			if first, last := p.Ends(rangesOf(subnet)[i]); a.Is4() && (a.Less(first) || last.Less(a)) {
				return cloud.Refused(cloud.Invalid, "address %s of subnet %s is reserved by the cloud", a, subnet.Name)
			}
			if who := c.addresses[network.ID+" "+w]; who != "" && (old == nil || who != old.ID) {
				return cloud.Refused(cloud.Conflict, "address %s is taken by %s", a, who)
			}
		}
		for _, g := range r.props.Words("groups") {
			if x := c.things[g]; x.props.Word("network") != network.ID {
				return cloud.Refused(cloud.Invalid, "group %s is of another network", x.ID)
			}
		}
	}
	if err := oneOfEach("addresses", r); err != nil {
		return err
	}
	for _, w := range r.props.Words("public") {
		if a, _ := netip.ParseAddr(w); !address.IsPublic(a) {
			return cloud.Refused(cloud.Invalid, "%s is no address that the internet carries", w)
		}
		if who := c.addresses[w]; who != "" && (old == nil || who != old.ID) {
			return cloud.Refused(cloud.Conflict, "public address %s is taken by %s", w, who)
		}
	}
	return nil
}

// oneOfEach says when a list has two addresses of one family.
func oneOfEach(name string, r *record) error {
	had := map[bool]string{}
	for _, w := range r.props.Words(name) {
		a, _ := netip.ParseAddr(w)
		if had[a.Is4()] != "" {
			return cloud.Refused(cloud.Invalid, "%s of %s %s are one of each family at most, not %s and %s", name, r.Kind, r.Name, had[a.Is4()], w)
		}
		had[a.Is4()] = w
	}
	return nil
}

// checkWorkload says why a workload cannot be so.
func (c *Cloud) checkWorkload(r, old *record) error {
	if err := oneOfEach("public", r); err != nil {
		return err
	}
	if r.props.Word("target-ports") != "" && len(r.props.Words("targets")) == 0 {
		return cloud.Refused(cloud.Invalid, "workload %s has target-ports and no targets", r.Name)
	}
	for _, id := range r.props.Words("targets") {
		if x := c.things[id]; id == r.ID || x.props.Flag("balances") || len(x.props.Words("targets")) > 0 {
			return cloud.Refused(cloud.Invalid, "target %s is a balancer itself", id)
		}
	}
	if len(r.props.Words("targets")) > 0 && c.among(r.ID, func(x *record) bool {
		return x.Kind == stock.Workload && slices.Contains(x.props.Words("targets"), r.ID)
	}) != nil {
		return cloud.Refused(cloud.Invalid, "workload %s is a target, and cannot hand flows on itself", r.Name)
	}
	return c.checkHost(r, old)
}

// checkSite says why a site cannot be so.
func (c *Cloud) checkSite(r *record) error {
	if r.props.Word("arrives") != "" && r.props.Word("link") == "" {
		return cloud.Refused(cloud.Invalid, "arrives of site %s needs the link that packets arrive by", r.Name)
	}
	return c.within(r, "arrives", "network", r.props.Word("link"))
}

// knownRegion says when a thing is in a region that there is not.
func (c *Cloud) knownRegion(r *record) error {
	name := r.props.Word("region")
	if name != "" && !slices.ContainsFunc(c.regions, func(x stock.Region) bool { return x.Name == name }) {
		return cloud.Refused(cloud.Invalid, "there is no region %.60q", name)
	}
	return nil
}

func (c *Cloud) checkGateway(r, old *record) error {
	network := r.props.Word("network")
	for _, name := range []string{"subnet", "arrives"} {
		if err := c.within(r, name, "network", network); err != nil {
			return err
		}
	}
	for _, id := range r.props.Words("serves") {
		if x := c.things[id]; x.props.Word("network") != network {
			return cloud.Refused(cloud.Invalid, "subnet %s is of another network", id)
		}
	}
	if r.props.Word("type") == "nat" {
		if r.props.Word("subnet") == "" && !c.profileOf(c.things[network]).NATServes {
			return cloud.Refused(cloud.Invalid, "a NAT gateway of this network sits in a subnet")
		}
		if r.props.Word("subnet") == "" && len(r.props.Words("addresses")) > 0 {
			return cloud.Refused(cloud.Invalid, "a NAT gateway that sits in no subnet has no private address")
		}
		return c.checkHost(r, old)
	}
	for _, name := range []string{"subnet", "addresses", "serves", "public", "assigned"} {
		if r.props[name] != nil {
			return cloud.Refused(cloud.Invalid, "only a NAT gateway has %s", name)
		}
	}
	return nil
}

func (c *Cloud) checkTable(r, old *record) error {
	if !r.props.Flag("main") {
		return nil
	}
	if dup := c.among(r.props.Word("network"), func(x *record) bool { return x.ID != r.ID && x.Kind == stock.Table && x.props.Flag("main") }); dup != nil {
		return cloud.Refused(cloud.Conflict, "table %s (%s) is the main one already", dup.Name, dup.ID)
	}
	return nil
}

func (c *Cloud) checkRoute(r, old *record) error {
	table := c.things[r.props.Word("table")]
	if dup := c.among(table.ID, func(x *record) bool {
		return x.ID != r.ID && x.Kind == stock.Route && x.props.Word("to") == r.props.Word("to") && x.props.Word("only") == r.props.Word("only")
	}); dup != nil {
		return cloud.Refused(cloud.Conflict, "table %s has a route to %s already: %s", table.Name, r.props.Word("to"), dup.ID)
	}
	if err := c.within(r, "only", "network", table.props.Word("network")); err != nil {
		return err
	}
	if via := r.props.Word("via"); via != stock.Blackhole && !c.leads(table, c.things[via]) {
		return cloud.Refused(cloud.Invalid, "no route of table %s can lead to %s %s: it is not of the same network or hub, or nothing joins them", table.Name, c.things[via].Kind, c.things[via].Name)
	}
	if hub, end := c.tied(r); hub != "" && (old == nil || old.props.Word("via") != r.props.Word("via")) {
		switch a := c.attachment(hub, end); {
		case a == nil:
			return cloud.Refused(cloud.Invalid, "%s is not attached to hub %s", c.things[end].Name, c.things[hub].Name)
		case c.stateOf(a) != cloud.Ready:
			return cloud.Refused(cloud.NotReady, "attachment %s (%s) is %s", a.Name, a.ID, c.stateOf(a))
		}
	}
	if table.Kind != stock.Table {
		return nil
	}
	if most := c.profileOf(c.things[table.props.Word("network")]).MaxRoutes; most > 0 && old == nil {
		n := 0
		for user := range c.usedBy[table.ID] {
			if c.things[user].Kind == stock.Route {
				n++
			}
		}
		if n >= most {
			return cloud.Refused(cloud.Quota, "table %s has %d routes, as many as it may have", table.Name, n)
		}
	}
	return nil
}

// leads reports whether a route of a table can have a thing as its next hop.
func (c *Cloud) leads(table, via *record) bool {
	if table.Kind == stock.HubTable {
		return via.Kind == stock.Network || via.Kind == stock.Site || via.Kind == stock.HubLink && slices.Contains(sidesOf(via), table.props.Word("hub"))
	}
	network := table.props.Word("network")
	switch via.Kind {
	case stock.Gateway:
		return via.props.Word("network") == network
	case stock.Peering:
		return slices.Contains(sidesOf(via), network)
	case stock.Site:
		return via.props.Word("link") == network
	case stock.Workload:
		n := c.networkOf(via)
		return n != nil && n.ID == network
	}
	return via.Kind == stock.Hub
}

// tied are the hub, and the network or site, that must be tied for a route to lead from one to the other; none where it does not.
func (c *Cloud) tied(route *record) (hub, end string) {
	table, via := c.things[route.props.Word("table")], c.things[route.props.Word("via")]
	switch {
	case table == nil || via == nil:
	case table.Kind == stock.Table && via.Kind == stock.Hub:
		return via.ID, table.props.Word("network")
	case table.Kind == stock.HubTable && (via.Kind == stock.Network || via.Kind == stock.Site):
		return table.props.Word("hub"), via.ID
	}
	return "", ""
}

// attachment is what ties a network or site to a hub; nil for nothing.
func (c *Cloud) attachment(hub, end string) *record {
	return c.among(hub, func(x *record) bool { return x.Kind == stock.Attachment && x.props.Word("to") == end })
}

// leadsOver is a route that leads over an attachment; nil for none.
func (c *Cloud) leadsOver(a *record) *record {
	hub, end := a.props.Word("hub"), a.props.Word("to")
	over := func(x *record) bool {
		h, e := c.tied(x)
		return x.Kind == stock.Route && h == hub && e == end
	}
	if x := c.among(hub, over); x != nil {
		return x
	}
	return c.among(end, over)
}

func (c *Cloud) checkRules(r *record) error {
	most := c.profileOf(c.things[r.props.Word("network")]).MaxRules
	for _, dir := range []string{"in", "out"} {
		all := r.props.Rules(dir)
		if most > 0 && len(all) > most {
			return cloud.Refused(cloud.Quota, "%s %s has %d rules %s, and may have %d", r.Kind, r.Name, len(all), dir, most)
		}
		for _, x := range all {
			list := r.Kind == stock.List
			switch {
			case !formed(stock.Flows, x.Flows):
				return cloud.Refused(cloud.Invalid, "%.60q is no flow of a rule: write tcp/443, udp, any", x.Flows)
			case x.Range != "" && !formed(stock.Ranges, x.Range):
				return cloud.Refused(cloud.Invalid, "%.60q is no range of a rule", x.Range)
			case x.Range != "" && x.Group != "":
				return cloud.Refused(cloud.Invalid, "a rule has a range or a group as its far end, not both")
			case list && x.Action != "allow" && x.Action != "deny", !list && x.Action != "":
				return cloud.Refused(cloud.Invalid, "the rules of a list, and they alone, have an action: allow or deny")
			}
		}
	}
	return nil
}

// checkJoin says why two cannot be joined so.
func (c *Cloud) checkJoin(me Caller, r, old *record) error {
	sides := sidesOf(r)
	if len(sides) != 2 || sides[0] == sides[1] {
		return cloud.Refused(cloud.Invalid, "a %s joins two that differ", r.Kind)
	}
	is := func(id string) bool { return slices.Contains(sides, id) }
	for _, name := range []string{"accepted", "exports", "imports"} {
		if err := c.sidesAlone(r, name); err != nil {
			return err
		}
	}
	for _, name := range []string{"arrives", "tables"} {
		for side, table := range r.props.Pairs(name) {
			x := c.things[table]
			if !is(side) || x.props.Word("network")+x.props.Word("hub") != side {
				return cloud.Refused(cloud.Invalid, "%s of %s %s names a table that is not of its side", name, r.Kind, r.Name)
			}
		}
	}
	if r.Kind == stock.HubLink && len(r.props.Pairs("tables")) < 2 {
		return cloud.Refused(cloud.Invalid, "tables of hub link %s must name one for each of its hubs", r.Name)
	}
	if err := c.checkAccepted(me, r, old); err != nil || old != nil {
		return err
	}
	if err := c.hasSide(me, r); err != nil {
		return err
	}
	if r.Kind != stock.Peering {
		return nil
	}
	a, b := c.things[sides[0]], c.things[sides[1]]
	if x, y, found := overlap(rangesOf(a), rangesOf(b)); found {
		return cloud.Refused(cloud.Conflict, "networks %s and %s cannot be peered: %s overlaps %s", a.Name, b.Name, x, y)
	}
	for _, n := range []*record{a, b} {
		most, has := c.profileOf(n).MaxPeerings, 0
		for user := range c.usedBy[n.ID] {
			if c.things[user].Kind == stock.Peering {
				has++
			}
		}
		if most > 0 && has >= most {
			return cloud.Refused(cloud.Quota, "network %s has %d peerings, as many as it may have", n.Name, has)
		}
	}
	return nil
}

// sidesAlone says when a property names what is no side of the thing.
func (c *Cloud) sidesAlone(r *record, name string) error {
	for _, id := range r.props.Words(name) {
		if !slices.Contains(sidesOf(r), id) {
			return cloud.Refused(cloud.Invalid, "%s of %s %s names %s, which is no side of it", name, r.Kind, r.Name, id)
		}
	}
	return nil
}

// hasSide says when nobody could ask for what joins two, since neither is theirs.
func (c *Cloud) hasSide(me Caller, r *record) error {
	if !slices.ContainsFunc(sidesOf(r), func(id string) bool { return c.things[id].Owner == me.Owner }) {
		return cloud.Refused(cloud.Denied, "neither side is of owner %s", me.Owner)
	}
	return nil
}

func (c *Cloud) checkAttachment(me Caller, r, old *record) error {
	hub, to := r.props.Word("hub"), r.props.Word("to")
	if dup := c.among(hub, func(x *record) bool {
		return x.ID != r.ID && x.Kind == stock.Attachment && x.props.Word("to") == to
	}); dup != nil {
		return cloud.Refused(cloud.Conflict, "%s ties the same to that hub already", dup.ID)
	}
	for _, id := range r.props.Words("learned-by") {
		if x := c.things[id]; x.props.Word("hub") != hub {
			return cloud.Refused(cloud.Invalid, "%s is a table of another hub", id)
		}
	}
	for _, err := range []error{c.within(r, "table", "hub", hub), c.within(r, "arrives", "network", to), c.sidesAlone(r, "accepted"), c.checkAccepted(me, r, old)} {
		if err != nil {
			return err
		}
	}
	if old != nil && len(r.props.Words("accepted")) < len(old.props.Words("accepted")) {
		return cloud.Refused(cloud.Invalid, "what an attachment was accepted for is not taken back; remove it")
	}
	return c.hasSide(me, r)
}

// checkAccepted says when a side is accepted by somebody who may not, or otherwise than by accepting: who asks accepts for one side of
// its own by asking.
func (c *Cloud) checkAccepted(me Caller, r, old *record) error {
	var was []string
	if old != nil {
		was = old.props.Words("accepted")
	}
	is := r.props.Words("accepted")
	fresh := 0
	for _, id := range is {
		if slices.Contains(was, id) {
			continue
		}
		if fresh++; old != nil || fresh > 1 {
			return cloud.Refused(cloud.Invalid, "a side is accepted by accept; only who asks for a %s accepts one side of its own with that", r.Kind)
		}
		if c.things[id].Owner != me.Owner {
			return cloud.Refused(cloud.Denied, "only the owner of %s accepts for it", id)
		}
	}
	for _, id := range was {
		if !slices.Contains(is, id) && c.things[id].Owner != me.Owner {
			return cloud.Refused(cloud.Denied, "only the owner of %s takes back what it accepted", id)
		}
	}
	return nil
}

// nextPublic is the public address behind another, of those that the cloud gives: the documentation ranges (RFC 5737), and behind them
// the range for benchmarks (RFC 2544).
func nextPublic(a netip.Addr) netip.Addr {
	next := a.Next()
	for i, r := range publicRanges {
		if r.Contains(a) && !r.Contains(next) {
			return publicRanges[(i+1)%len(publicRanges)].Addr()
		}
	}
	return next
}

var publicRanges = []netip.Prefix{netip.MustParsePrefix("192.0.2.0/24"), netip.MustParsePrefix("198.51.100.0/24"), netip.MustParsePrefix("203.0.113.0/24"), netip.MustParsePrefix("198.18.0.0/15")}
