package plan

import (
	"fmt"
	"strconv"

	"wendrik/internal/core/flow"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// The tables below are the format: every key of a plan, what it takes, and how it is read.

var planFields = []field[Plan]{
	key("wendrik", "the version of the format: 1", Nobody, aNumber, func(p *Plan) *Number { return &p.Version }).must(),
	first(key("estate", "the name of all that the plan describes", Nobody, aText, func(p *Plan) *Text { return &p.Estate })),
	first(key("parts", "other files of this folder, or patterns of their names, over which the plan is spread", Nobody, manyWords,
		func(p *Plan) *[]Text { return &p.Parts })),
	first(key("labels-required", "labels that each network, workload, gateway, peering, site and held part must have; owner is one", Nobody, unordered(manyNames),
		func(p *Plan) *[]Text { return &p.Required })),
	first(key("labels-ignored", "labels that others write at a cloud: they are no drift, and no build changes them", Nobody, unordered(manyNames),
		func(p *Plan) *[]Text { return &p.Ignored })),
	first(key("scope", "what of an account is the estate's, such as [team=ferries, booking]: labels, and names or identifiers of networks, hubs and sites at the cloud; all that bears no estate's label unless written",
		Nobody, unordered(manyWords), func(p *Plan) *[]Text { return &p.Scope })),
	first(key("out", "what wire lets out of a group that it makes: open (anything) or closed (what lines of expect ask for); open unless written", Nobody,
		choice("open", "closed"), func(p *Plan) *Text { return &p.Out })),
	first(key("profile", "how the cloud behaves: zonal, regional, plain, or knobs of its own", Everybody, profileForm,
		func(p *Plan) *ProfileSetting { return &p.Profile })),
	first(key("naming", "the pattern of subnet names, such as {tier}-{zone}", Nobody, aNaming, func(p *Plan) *Text { return &p.Naming })),
	{key: "regions", doc: "the regions and the zones of each", affects: Nobody, shape: mapOf(listOf(aName)), apart: true, read: func(d *decoder, n text.Node, p *Plan) {
		p.Regions = joined(d, p.Regions, d.regions(n), func(r *Region) *Text { return &r.Name })
	}},
	{key: "patterns", doc: "shapes of networks, each named once; {network} in them is the network's name", affects: Nobody, shape: mapOf(ref("network")), apart: true,
		read: func(*decoder, text.Node, *Plan) {}}, // which has been read before
	things("dhcp", "sets of options that hosts are given (RFC 2132)", Nobody, "dhcp", dhcpFields, func(p *Plan) *[]*DHCP { return &p.DHCP }, func(x *DHCP) *Text { return &x.Name }),
	things("space", "the blocks of address space", Neighbours, "block", blockFields, func(p *Plan) *[]*Block { return &p.Space }, func(b *Block) *Text { return &b.Name }),
	{key: "networks", doc: "the virtual networks", affects: Neighbours, shape: mapOf(ref("network")), apart: true, read: func(d *decoder, n text.Node, p *Plan) {
		name := func(n *Network) *Text { return &n.Name }
		p.Networks = joined(d, p.Networks, readNamed(d, n, networkFields, name, nil, (*decoder).shape), name)
	}},
	things("workloads", "the things that talk", Members, "workload", workloadFields, func(p *Plan) *[]*Workload { return &p.Workloads }, func(w *Workload) *Text { return &w.Name }),
	things("peerings", "pairs of networks that are joined", Members, "peering", peeringFields, func(p *Plan) *[]*Peering { return &p.Peerings }, func(x *Peering) *Text { return &x.Name }),
	things("hubs", "hubs that join many networks and sites", Everybody, "hub", hubFields, func(p *Plan) *[]*Hub { return &p.Hubs }, func(h *Hub) *Text { return &h.Name }),
	things("hub-links", "pairs of hubs that are joined", Everybody, "hub-link", hubLinkFields, func(p *Plan) *[]*HubLink { return &p.HubLinks }, func(l *HubLink) *Text { return &l.Name }),
	things("sites", "buildings of the organisation or of partners", Everybody, "site", siteFields, func(p *Plan) *[]*Site { return &p.Sites }, func(s *Site) *Text { return &s.Name }),
	things("clusters", "container clusters, and the ranges of their pods and services", Neighbours, "cluster", clusterFields,
		func(p *Plan) *[]*Cluster { return &p.Clusters }, func(c *Cluster) *Text { return &c.Name }),
	{key: "expect", doc: "statements of who reaches whom, and who never does", affects: Nobody, shape: listOf(aWord), apart: true,
		read: func(d *decoder, n text.Node, p *Plan) { p.Expect = append(p.Expect, d.expectations(n)...) }},
	{key: "waive", doc: "what check finds and is meant: a rule, a place, and why", affects: Nobody, shape: listOf(ref("waiver")), apart: true,
		read: func(d *decoder, n text.Node, p *Plan) { p.Waive = append(p.Waive, d.waivers(n)...) }},
}

var waiverFields = []field[Waiver]{
	key("rule", "the code of the rule, as check shows it", Nobody, aReference, func(w *Waiver) *Text { return &w.Rule }).must(),
	key("at", "where it is silent: the name of a network, a workload, network/group and the like, or a place such as networks.booking.tables", Nobody, aText,
		func(w *Waiver) *Text { return &w.Place }).must(),
	key("because", "why that is meant", Nobody, aText, func(w *Waiver) *Text { return &w.Because }).must(),
	key("until", "the last day on which it is so, such as 2031-03-31; for always unless written", Nobody, aDay, func(w *Waiver) *Text { return &w.Until }),
}

var dhcpFields = []field[DHCP]{
	key("domain", "the domain name (option 15)", Nobody, aText, func(x *DHCP) *Text { return &x.Domain }),
	key("dns", "the name servers (option 6): addresses or workloads, or cloud for the one that the cloud has in each subnet", Nobody, fewWords, func(x *DHCP) *[]Text { return &x.DNS }).of("workload"),
	key("ntp", "the time servers (option 42): addresses or workloads", Nobody, fewWords, func(x *DHCP) *[]Text { return &x.NTP }).of("workload"),
	key("mtu", "the largest packet on a link, in bytes (option 26): 68 or more", Nobody, numbers(aCount, "", "", (*decoder).mtu), func(x *DHCP) *Number { return &x.MTU }),
}

var blockFields = []field[Block]{
	key("block", "its range, or a list with one of each family", Neighbours, ranges, func(b *Block) *[]Range { return &b.Ranges }).must(),
	key("within", "the block that it is a part of", Nobody, aReference, func(b *Block) *Text { return &b.Within }).of("block"),
	key("region", "the region that its ranges are for", Nobody, aReference, func(b *Block) *Text { return &b.Region }),
	key("held", "why nothing may be carved from it", Nobody, aText, func(b *Block) *Text { return &b.Held }),
	key("owner", "who to ask about it", Nobody, aText, func(b *Block) *Text { return &b.Owner }),
}

var networkFields = append([]field[Network]{
	{key: "pattern", doc: "the pattern whose shape it takes; what it says itself stands in the place of what that says", affects: Nobody, shape: aName, apart: true,
		read: to(func(n *Network) *Text { return &n.Pattern }, (*decoder).text)}, // what it gives is told of the network itself
	key("dhcp", "the set of options that its hosts are given", Nobody, aReference, func(n *Network) *Text { return &n.DHCP }),
	key("nat", "what its outbound tiers leave by: one NAT gateway, one per-zone, or none", Nobody, choice("one", "per-zone", "none"), func(n *Network) *Text { return &n.NAT }),
	{key: "expect", doc: "of a pattern: statements for each network that takes it, with {network} for its name", affects: Nobody, shape: listOf(aWord), apart: true,
		read:  func(d *decoder, v text.Node, n *Network) { n.Expect = append(n.Expect, d.expectations(v)...) },
		write: func(n *Network) (text.Value, bool) { return expectForm.write(n.Expect) }},
	fixed(func(n *Network) *Flag { return &n.Fixed }),
	key("profile", "how its cloud behaves, where that differs from the estate's profile", Neighbours, profileForm, func(n *Network) *ProfileSetting { return &n.Profile }),
	key("region", "the region it lives in; a list where a subnet spans a region", Members, names, func(n *Network) *[]Text { return &n.Regions }),
	key("from", "the block of space that its range is carved from", Nobody, aReference, func(n *Network) *Text { return &n.From }).of("block"),
	key("size", "the size of the range to carve, such as /20", Nobody, aSize4, func(n *Network) *Number { return &n.Size }),
	key("growth", "where no size is written: room to grow on top of what its tiers take, such as 100%", Nobody, aGrowth, func(n *Network) *Number { return &n.Growth }),
	key("size6", "the size of the IPv6 range to carve, such as /56", Nobody, anySize, func(n *Network) *Number { return &n.Size6 }),
	key("slot", "which piece of that size of the block it takes, counted from 0; the lowest free one unless written", Nobody, aNumber, func(n *Network) *Number { return &n.Slot }),
	key("layout", "what lies side by side in one block: tiers (unless written) or zones", Nobody, choice("tiers", "zones"), func(n *Network) *Text { return &n.Layout }),
	key("naming", "the pattern of its subnets' names, where that differs from the estate's", Nobody, aNaming, func(n *Network) *Text { return &n.Naming }),
	{key: "range", doc: "its range, or a list of them", affects: Neighbours, shape: listOf(aRange),
		read:  func(d *decoder, v text.Node, n *Network) { n.Ranges, n.HasRange = d.ranges(v), true },
		write: func(n *Network) (text.Value, bool) { return ranges.write(n.Ranges) }},
	things("tiers", "the purposes that subnets are carved for", Nobody, "tier", tierFields, func(n *Network) *[]*Tier { return &n.Tiers }, func(t *Tier) *Text { return &t.Name }),
	things("held", "parts of it that are no subnets", Nobody, "held", heldFields, func(n *Network) *[]*Held { return &n.Held }, func(h *Held) *Text { return &h.Name }),
	things("subnets", "its subnets", Neighbours, "subnet", subnetFields, func(n *Network) *[]*Subnet { return &n.Subnets }, func(s *Subnet) *Text { return &s.Name }),
	things("gateways", "its internet and NAT gateways", Members, "gateway", gatewayFields, func(n *Network) *[]*Gateway { return &n.Gateways }, func(g *Gateway) *Text { return &g.Name }),
	things("tables", "its route tables", Members, "table", tableFields, func(n *Network) *[]*Table { return &n.Tables }, func(t *Table) *Text { return &t.Name }),
	things("groups", "its security groups", Members, "group", groupFields, func(n *Network) *[]*Group { return &n.Groups }, func(g *Group) *Text { return &g.Name }),
	things("lists", "its access lists", Members, "list", listFields, func(n *Network) *[]*List { return &n.Lists }, func(l *List) *Text { return &l.Name }),
}, builtFields(func(x *Network) *Tags { return &x.Tags })...)

var tierFields = []field[Tier]{
	key("access", "public, outbound or closed", Nobody, choice("public", "outbound", "closed"), func(t *Tier) *Text { return &t.Access }),
	key("hosts", "how many workloads each of its subnets must have room for", Nobody, aNumber, func(t *Tier) *Number { return &t.Hosts }),
	key("growth", "room to grow on top of hosts, such as 50%", Nobody, aGrowth, func(t *Tier) *Number { return &t.Growth }),
	key("slot", "which piece of the network its block is, counted from 0; the lowest free one unless written", Nobody, aNumber, func(t *Tier) *Number { return &t.Slot }),
	key("size", "the size of each of its subnets, in place of hosts", Nobody, aSize4, func(t *Tier) *Number { return &t.Size }),
	key("zones", "the zones it has subnets in, when not all", Nobody, names, func(t *Tier) *[]Text { return &t.Zones }),
	key("spare", "for how many more zones its block leaves room; 1 unless written", Nobody, aNumber, func(t *Tier) *Number { return &t.Spare }),
	key("public", "assigned: the cloud gives each workload there a public address", Members, choice(Assigned), func(t *Tier) *Text { return &t.Public }),
}

var subnetFields = []field[Subnet]{
	key("tier", "the tier it belongs to", Neighbours, aReference, func(s *Subnet) *Text { return &s.Tier }).of("tier"),
	key("zone", "the zone it lives in", Members, aReference, func(s *Subnet) *Text { return &s.Zone }),
	key("region", "the region it lives in, where its network has several", Members, aReference, func(s *Subnet) *Text { return &s.Region }),
	key("size", "the size to carve, where it has no tier or another size than its tier", Nobody, aSize4, func(s *Subnet) *Number { return &s.Size }),
	key("slot", "which piece of the network it is, counted from 0; the lowest free one unless written", Nobody, aNumber, func(s *Subnet) *Number { return &s.Slot }),
	key("range", "its range, or a list with one of each family; carve writes it", Neighbours, ranges, func(s *Subnet) *[]Range { return &s.Ranges }),
	key("public", "assigned: the cloud gives each workload there a public address", Members, choice(Assigned), func(s *Subnet) *Text { return &s.Public }),
}

var heldFields = append([]field[Held]{
	key("for", "why it is held", Nobody, aText, func(h *Held) *Text { return &h.For }).must(),
	key("size", "the size to carve, such as /24", Nobody, aSize4, func(h *Held) *Number { return &h.Size }),
	key("range", "its range, or a list with one of each family; carve writes it", Nobody, ranges, func(h *Held) *[]Range { return &h.Ranges }),
}, tagFields(func(x *Held) *Tags { return &x.Tags })...)

var clusterFields = []field[Cluster]{
	key("in", "the network whose workloads are its nodes", Neighbours, aReference, func(c *Cluster) *Text { return &c.In }).must().of("network"),
	key("pods", "the ranges of its pods", Neighbours, ranges, func(c *Cluster) *[]Range { return &c.Pods }),
	key("services", "the ranges of its services", Neighbours, ranges, func(c *Cluster) *[]Range { return &c.Services }),
	fixed(func(c *Cluster) *Flag { return &c.Fixed }),
}

var gatewayFields = append([]field[Gateway]{
	key("kind", "internet, egress (IPv6 out, and nothing new in) or nat", Members, choice("internet", "egress", "nat"), func(g *Gateway) *Text { return &g.Kind }).must(),
	key("attached", "internet and egress: whether it is attached to the network; true unless written", Members, flags("true"), func(g *Gateway) *Flag { return &g.Attached }),
	key("in", "nat: the subnet it sits in", Members, aReference, func(g *Gateway) *Text { return &g.In }).of("subnet"),
	key("address", "nat: its private address", Members, addresses, func(g *Gateway) *[]Addr { return &g.Addrs }),
	key("serves", "nat: the subnets it serves, where the profile ties NAT to subnets", Members, unordered(manyNames), func(g *Gateway) *[]Text { return &g.Serves }).of("subnet", "tier"),
	publicKey("nat: its public addresses, or assigned where the cloud gives one", func(g *Gateway) *[]Addr { return &g.Public }, func(g *Gateway) *Text { return &g.Assigned }),
	key("arrives", "internet: the table that what comes in by it looks into; unless written, it gets to the network's own ranges alone", Members, aReference,
		func(g *Gateway) *Text { return &g.Arrives }).of("route table"),
}, builtFields(func(x *Gateway) *Tags { return &x.Tags })...)

var tableFields = []field[Table]{
	key("main", "true for the table of every subnet that no other table names", Members, flags("false"), func(t *Table) *Flag { return &t.Main }),
	{key: "subnets", doc: "the subnets it is for, or the tiers whose subnets it is for", affects: Members, shape: listOf(aName), apart: true, // each subnet tells its table
		read:  to(func(t *Table) *[]Text { return &t.Subnets }, (*decoder).texts),
		write: func(t *Table) (text.Value, bool) { return manyNames.write(t.Subnets) }},
	key("routes", "its routes; those to the network itself are always there", Members, routesOf("route", routeFields), func(t *Table) *[]Route { return &t.Routes }),
}

var routeFields = []field[Route]{
	{key: "to", doc: "the range it leads to, or the name of what has it: a network, network/tier, network/subnet, site, cluster or block", affects: Members,
		shape: aRangeOrName, required: true, apart: true, // which it is known by
		read: func(d *decoder, n text.Node, r *Route) { r.To, r.Name = d.destination(n) },
		write: func(r *Route) (text.Value, bool) {
			if r.To.IsValid() {
				return text.Word(r.To.String()), true
			}
			return text.Word(r.Name.Value), r.Name.Given()
		}},
	key("via", "a gateway, peering, hub, site or workload, or blackhole", Members, aText, func(r *Route) *Text { return &r.Via }).must().
		of("network", "hub", "site", "peering", "hub link", "gateway", "workload"),
	{key: "only", doc: "the group whose members' packets it is for; for all unless written", affects: Members, shape: aName, apart: true, // which it is known by
		read:  to(func(r *Route) *Text { return &r.Only }, (*decoder).text),
		write: func(r *Route) (text.Value, bool) { return aReference.write(r.Only) }},
}

// hubRouteFields are those of a route of a hub, which is for all packets.
var hubRouteFields = routeFields[:2]

var groupFields = []field[Group]{
	key("in", "rules for what comes in, such as  tcp/443 from any", Members, rulesOf(groupRule, inward), func(g *Group) *[]Rule { return &g.In }),
	key("out", "rules for what goes out, such as  any to any", Members, rulesOf(groupRule, outward), func(g *Group) *[]Rule { return &g.Out }),
}

var listFields = []field[List]{
	{key: "subnets", doc: "the subnets it guards, or the tiers whose subnets it guards", affects: Members, shape: listOf(aName), apart: true, // each subnet tells its list
		read:  to(func(l *List) *[]Text { return &l.Subnets }, (*decoder).texts),
		write: func(l *List) (text.Value, bool) { return manyNames.write(l.Subnets) }},
	key("in", "rules for what comes in, in order, such as  allow tcp/443 from any", Members, rulesOf(listRule, inward), func(l *List) *[]Rule { return &l.In }),
	key("out", "rules for what goes out, in order, such as  allow any to any", Members, rulesOf(listRule, outward), func(l *List) *[]Rule { return &l.Out }),
}

var workloadFields = append([]field[Workload]{
	key("in", "the subnet it lives in, as network/subnet, or the tier, as network/tier", Members, aText, func(w *Workload) *Text { return &w.In }).must().
		of("network", "tier", "subnet"),
	key("count", "how many of it there are: NAME-1, NAME-2 and so on", Members, someOfIt, func(w *Workload) *Number { return &w.Count }),
	key("address", "its address, or a list with one of each family; carve writes it", Members, addresses, func(w *Workload) *[]Addr { return &w.Addrs }),
	{key: "addresses", doc: "with count: the address of each, or a list with one of each family; carve writes them", affects: Members, shape: listOf(listOf(anAddress)),
		read: func(d *decoder, n text.Node, w *Workload) { w.Each = d.each(n) },
		write: func(w *Workload) (text.Value, bool) {
			var all []text.Value
			for _, one := range w.Each {
				v, _ := addresses.write(one)
				all = append(all, v)
			}
			return text.List(all...), len(all) > 0
		}},
	publicKey("the address by which the internet reaches it, or assigned where the cloud gives one", func(w *Workload) *[]Addr { return &w.Public }, func(w *Workload) *Text { return &w.Assigned }),
	key("groups", "the security groups it is in", Members, unordered(names), func(w *Workload) *[]Text { return &w.Groups }).of("group"),
	key("listens", "what it listens on, such as tcp/443", Members, flowWords, func(w *Workload) *[]Flows { return &w.Listens }),
	key("forwards", "plain, stateful or nat: passes on what routes lead to it, as a router, as a firewall that must see both directions, or under its own address", Members,
		choice("plain", "stateful", "nat"), func(w *Workload) *Text { return &w.Forwards }),
	{key: "targets", doc: "of a balancer: the workloads that it hands flows on to", affects: Members, shape: listOf(aName), names: []string{"workload"},
		read: func(d *decoder, n text.Node, w *Workload) { w.Targets, w.Balances = d.texts(n), Flag{true, n.At()} },
		write: func(w *Workload) (text.Value, bool) {
			v, some := manyNames.write(w.Targets)
			return v, some || w.Balances.Given()
		}},
	key("target-ports", "of a balancer: on what it hands flows on, such as tcp/8080; as it was asked unless written", Members, flowWords, func(w *Workload) *[]Flows { return &w.TargetPorts }),
}, builtFields(func(x *Workload) *Tags { return &x.Tags })...)

var peeringFields = append([]field[Peering]{
	key("between", "the two networks", Members, twoNames, func(p *Peering) *[]Text { return &p.Between }).must().of("network"),
	key("accepted", "the networks whose owners have agreed to it", Members, unordered(names), func(p *Peering) *[]Text { return &p.Accepted }).of("network"),
	key("exports", "the networks that let the other have the routes to sites and hubs of their main tables", Members, unordered(names), func(p *Peering) *[]Text { return &p.Exports }).of("network"),
	key("arrives", "for each network, its table that what comes over the peering looks into; unless written, it gets to the network's own ranges alone", Members,
		pairs(aName, "networks to tables of them", false), func(p *Peering) *[]Attachment { return &p.Arrives }).of("network", "route table"),
	key("only", "the tiers or subnets of either side that it is meant for; all of a side of which none is named", Nobody, unordered(fewWords), func(p *Peering) *[]Text { return &p.Only }).
		of("network", "tier", "subnet"),
	key("imports", "the networks that take such routes from the other", Members, unordered(names), func(p *Peering) *[]Text { return &p.Imports }).of("network"),
}, builtFields(func(x *Peering) *Tags { return &x.Tags })...)

var hubLinkFields = []field[HubLink]{
	key("between", "the two hubs", Everybody, twoNames, func(l *HubLink) *[]Text { return &l.Between }).must().of("hub"),
	key("accepted", "the hubs whose owners have agreed to it", Everybody, unordered(names), func(l *HubLink) *[]Text { return &l.Accepted }).of("hub"),
	key("tables", "for each hub, the table that what comes over the link looks into", Everybody, pairs(aName, "hubs to hub tables", false), func(l *HubLink) *[]Attachment { return &l.Tables }).
		of("hub", "hub table"),
}

var hubFields = append([]field[Hub]{
	key("region", "the region it lives in", Nobody, aReference, func(h *Hub) *Text { return &h.Region }),
	key("attach", "the networks and sites tied to it, and the hub table of each", Everybody, pairs(anAttachment, "networks and sites to hub tables", true),
		func(h *Hub) *[]Attachment { return &h.Attach }),
	things("tables", "its route tables", Everybody, "hub-table", hubTableFields, func(h *Hub) *[]*HubTable { return &h.Tables }, func(t *HubTable) *Text { return &t.Name }),
}, builtFields(func(x *Hub) *Tags { return &x.Tags })...)

var attachmentFields = []field[Attachment]{
	key("table", "the hub table that its packets look into", Everybody, aReference, func(a *Attachment) *Text { return &a.Table }).must().of("hub table"),
	key("arrives", "the table of the network that what the hub brings looks into; unless written, it gets to the network's own ranges alone", Everybody, aReference,
		func(a *Attachment) *Text { return &a.Arrives }).of("route table"),
	key("only", "the tiers or subnets of the network that it is meant for; all of them unless written", Nobody, unordered(fewWords), func(a *Attachment) *[]Text { return &a.Only }).
		of("network", "tier", "subnet"),
}

var hubTableFields = []field[HubTable]{
	key("learns", "the attachments whose ranges it has routes to", Everybody, lines(aName, (*decoder).texts, func(t Text) text.Value { return text.Word(t.Value) }),
		func(t *HubTable) *[]Text { return &t.Learns }),
	key("routes", "routes by hand", Everybody, routesOf("hub-route", hubRouteFields), func(t *HubTable) *[]Route { return &t.Routes }),
}

var siteFields = append([]field[Site]{
	key("ranges", "its own ranges", Everybody, ranges, func(s *Site) *[]Range { return &s.Ranges }).must(),
	fixed(func(s *Site) *Flag { return &s.Fixed }),
	{key: "knows", doc: "the ranges that it has routes to through its link, or names of what has them", affects: Everybody, shape: listOf(aRangeOrName), names: []string{"network", "tier", "subnet", "site", "cluster", "block"},
		read: func(d *decoder, n text.Node, s *Site) { s.Knows, s.Names = d.rangesOrNames(n) },
		write: func(s *Site) (text.Value, bool) {
			var words []string
			for _, r := range s.Knows {
				words = append(words, r.String())
			}
			for _, t := range s.Names {
				words = append(words, t.Value)
			}
			return text.WordOrWords(words...), len(words) > 0
		}},
	key("link", "the network it is linked to, when no hub stands between", Everybody, aReference, func(s *Site) *Text { return &s.Link }).of("network"),
	key("arrives", "the table of that network that what comes over the link looks into; unless written, it gets to the network's own ranges alone", Everybody, aReference,
		func(s *Site) *Text { return &s.Arrives }).of("route table"),
}, builtFields(func(x *Site) *Tags { return &x.Tags })...)

var profileFields = []field[ProfileSetting]{
	key("like", "the built-in profile to start from", Everybody, choice(profile.Names()...), func(p *ProfileSetting) *Text { return &p.Like }),
	knob("subnets-in", "what one subnet spans: zone, region or anywhere", choice("zone", "region", "anywhere"),
		func(p *profile.Profile, v Text) { p.SubnetsIn = profile.Reach(v.Value) }, func(p *profile.Profile) Text { return Text{string(p.SubnetsIn), somewhere} }),
	countKnob("reserved-first", "addresses reserved at the start of each IPv4 subnet", aNumber, func(p *profile.Profile) *int { return &p.ReservedFirst }),
	countKnob("reserved-last", "addresses reserved at the end of each IPv4 subnet", aNumber, func(p *profile.Profile) *int { return &p.ReservedLast }),
	countKnob("smallest", "the size of the smallest IPv4 subnet, such as /28", aSize4, func(p *profile.Profile) *int { return &p.Smallest }),
	countKnob("largest", "the size of the largest IPv4 subnet, such as /16", aSize4, func(p *profile.Profile) *int { return &p.Largest }),
	flagKnob("own-ranges", "whether a network has ranges of its own; false: it is the sum of its subnets", func(p *profile.Profile) *bool { return &p.OwnRanges }),
	flagKnob("peer-routes", "whether routes to a peer's ranges install themselves; where a network is the sum of its subnets, those to its subnets",
		func(p *profile.Profile) *bool { return &p.PeerRoutes }),
	flagKnob("default-route", "whether a network is born with a default route to the internet", func(p *profile.Profile) *bool { return &p.DefaultRoute }),
	flagKnob("nat-serves", "whether a NAT gateway serves named subnets; false: it sits in a subnet", func(p *profile.Profile) *bool { return &p.NATServes }),
	flagKnob("implicit-out", "whether a workload gets out to the internet with neither public address nor NAT", func(p *profile.Profile) *bool { return &p.ImplicitOut }),
	flagKnob("peer-groups", "whether a rule may name a group of a peered network", func(p *profile.Profile) *bool { return &p.PeerGroups }),
	countKnob("router", "which address of a subnet, counted from its first, is its router's; 0 for none", aNumber, func(p *profile.Profile) *int { return &p.Router }),
	countKnob("resolver", "likewise its name server's", aNumber, func(p *profile.Profile) *int { return &p.Resolver }),
	countKnob("dhcp-server", "likewise its DHCP server's", aNumber, func(p *profile.Profile) *int { return &p.DHCPServer }),
	flagKnob("routes-for-some", "whether a route can be for the packets of some workloads alone", func(p *profile.Profile) *bool { return &p.RoutesForSome }),
	countKnob("max-routes", "how many routes one table may have, beside those to the network itself; as many as one likes unless written", someOfIt, func(p *profile.Profile) *int { return &p.MaxRoutes }),
	countKnob("max-rules", "how many rules one group or list may have in one direction; as many as one likes unless written", someOfIt, func(p *profile.Profile) *int { return &p.MaxRules }),
	countKnob("max-peerings", "how many peerings one network may have; as many as one likes unless written", someOfIt, func(p *profile.Profile) *int { return &p.MaxPeerings }),
	knob("reply-ports", "the ports that replies come back to, 1024-65535 unless written", portForm,
		func(p *profile.Profile, v portRange) { p.ReplyPorts = [2]uint16{v.first, v.last} },
		func(p *profile.Profile) portRange { return portRange{p.ReplyPorts[0], p.ReplyPorts[1], somewhere} }),
}

// tagFields are the fields of what says whose a thing is.
func tagFields[T any](part func(*T) *Tags) []field[T] {
	return []field[T]{
		key("owner", "who to ask about it", Nobody, aText, func(x *T) *Text { return &part(x).Owner }),
		{key: "labels", doc: "what else is to be known of it, as words under words", affects: Nobody, shape: mapOf(aWord),
			read: func(d *decoder, n text.Node, x *T) { part(x).Labels = d.labels(n) },
			write: func(x *T) (text.Value, bool) {
				var all []text.Field
				for _, l := range part(x).Labels {
					all = append(all, text.Field{Key: l.Key.Value, Value: text.Word(l.Value.Value)})
				}
				return text.Map(all...), len(all) > 0
			}},
	}
}

// fixed is the field of what has ranges that somebody else may give it.
func fixed[T any](of func(*T) *Flag) field[T] {
	return key("fixed", "true: its ranges are not ours to change, such as a provider's, and it is never the one that moves", Nobody, flags("false"), of)
}

// builtFields are those of what is made at a cloud.
func builtFields[T any](part func(*T) *Tags) []field[T] {
	return append(tagFields(part), key("keep", "true: no build removes it, unless it is asked for by name", Nobody, flags("false"), func(x *T) *Flag { return &part(x).Keep }))
}

func (d *decoder) labels(n text.Node) []Label {
	var all []Label
	d.entries(n, "a mapping from words to words", func(key Text, value text.Node) {
		d.checkName(key)
		if v := d.text(value); v.Given() {
			all = append(all, Label{key, v})
		}
	})
	return all
}

// first is a field that stands in the first file of a plan alone.
func first(f field[Plan]) field[Plan] {
	read := f.read
	f.read = func(d *decoder, n text.Node, p *Plan) {
		if d.part > 0 {
			d.report(n.At(), notInPart, fmt.Sprintf("%s speaks of the whole plan, and this is a part of it", d.path.String()), "write it in "+d.plan.Files.First().Name)
			return
		}
		read(d, n, p)
	}
	return f
}

// mtu reads the largest packet of a link, which RFC 2132 section 5.1 has at 68 at least.
func (d *decoder) mtu(n text.Node) Number {
	v := d.count(n)
	if v.Given() && (v.Value < 68 || v.Value > 65535) {
		d.report(v.At, badNumber, fmt.Sprintf("%d is no MTU", v.Value), "write a number from 68 to 65535 (RFC 2132 section 5.1)")
		return Number{}
	}
	return v
}

// size4 reads the length of an IPv4 range.
func (d *decoder) size4(n text.Node) Number {
	v := d.size(n)
	if v.Given() && v.Value > 32 {
		d.report(v.At, badSize, fmt.Sprintf("/%d is longer than an IPv4 address", v.Value), "write a size from /0 to /32")
		return Number{32, v.At} // it is given, though nothing has it
	}
	return v
}

// growth reads a percentage.
func (d *decoder) growth(n text.Node) Number {
	v, at := parsed(d, n, badGrowth, profile.ParseGrowth)
	return Number{v, at}
}

// pattern reads the pattern of names.
func (d *decoder) pattern(n text.Node) Text {
	v, at := parsed(d, n, badPattern, func(s string) (string, error) { return s, CheckPattern(s) })
	return Text{v, at}
}

type portRange struct {
	first, last uint16
	at          text.Pos
}

var portForm = form[portRange]{shape: aWord, read: (*decoder).ports, write: func(p portRange) (text.Value, bool) {
	return text.Word(fmt.Sprintf("%d-%d", p.first, p.last)), p.at.Known()
}}

func (d *decoder) ports(n text.Node) portRange {
	v, at := parsed(d, n, badPorts, func(s string) ([2]uint16, error) {
		first, last, err := flow.ParsePorts(s)
		return [2]uint16{first, last}, err
	})
	return portRange{v[0], v[1], at}
}

// profile reads the name of a profile, or a mapping of knobs.
func (d *decoder) profile(n text.Node) ProfileSetting {
	var s ProfileSetting
	target, entered := d.follow(n)
	d.leave(entered)
	if target.Kind() != text.MapKind {
		s.Like = oneOf(profile.Names()...)(d, n)
		return s
	}
	readMap(d, n, profileFields, &s, n.At())
	return s
}

func (d *decoder) regions(n text.Node) []*Region {
	var all []*Region
	d.entries(n, "a mapping from regions to their zones", func(key Text, value text.Node) {
		d.checkName(key)
		r := &Region{Name: key, Zones: d.fewTexts(value)}
		for _, zone := range r.Zones {
			d.checkName(zone)
		}
		all = append(all, r)
	})
	return all
}

func routesWith(fields []field[Route]) func(d *decoder, n text.Node) []Route {
	return func(d *decoder, n text.Node) []Route {
		var all []Route
		nth := 0
		d.elements(n, func(n text.Node) {
			r := Route{At: n.At()}
			nth++
			d.within(strconv.Itoa(nth), func() { readMap(d, n, fields, &r, r.At) })
			if (r.To.IsValid() || r.Name.Given()) && r.Via.Given() {
				all = append(all, r)
			}
		})
		return all
	}
}

func (d *decoder) waivers(n text.Node) []Waiver {
	var all []Waiver
	nth := 0
	d.elements(n, func(n text.Node) {
		w := Waiver{At: n.At()}
		nth++
		d.within(strconv.Itoa(nth), func() { readMap(d, n, waiverFields, &w, w.At) })
		if w.Rule.Given() && w.Place.Given() && w.Because.Given() {
			all = append(all, w)
		}
	})
	return all
}

// attachments reads a mapping from names to tables. Where one of a hub says more than its table, that stands in a mapping
// of its own.
func (d *decoder) attachments(n text.Node, what string) []Attachment {
	var all []Attachment
	d.entries(n, "a mapping from "+what, func(key Text, value text.Node) {
		a := Attachment{Who: key}
		target, entered := d.follow(value)
		d.leave(entered)
		if target.Kind() == text.MapKind {
			readMap(d, value, attachmentFields, &a, key.At)
		} else {
			a.Table = d.text(value)
		}
		if a.Table.Given() {
			all = append(all, a)
		}
	})
	return all
}
