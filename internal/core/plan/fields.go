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
	{key: "wendrik", doc: "the version of the format: 1", shape: aCount, required: true, read: to(func(p *Plan) *Number { return &p.Version }, (*decoder).count)},
	{key: "estate", doc: "the name of all that the plan describes", shape: aWord, read: first(to(func(p *Plan) *Text { return &p.Estate }, (*decoder).text))},
	{key: "parts", doc: "other files of this folder, or patterns of their names, over which the plan is spread", shape: listOf(aWord), read: first(to(func(p *Plan) *[]Text { return &p.Parts }, (*decoder).texts))},
	{key: "labels-required", doc: "labels that each network, workload, gateway, peering, site and held part must have; owner is one", shape: listOf(aName), read: first(to(func(p *Plan) *[]Text { return &p.Required }, (*decoder).fewTexts))},
	{key: "profile", doc: "how the cloud behaves: zonal, regional, plain, or knobs of its own", shape: aProfile, read: first(to(func(p *Plan) *ProfileSetting { return &p.Profile }, (*decoder).profile))},
	{key: "naming", doc: "the pattern of subnet names, such as {tier}-{zone}", shape: aWord, read: first(to(func(p *Plan) *Text { return &p.Naming }, (*decoder).pattern))},
	{key: "regions", doc: "the regions and the zones of each", shape: mapOf(listOf(aName)), read: func(d *decoder, n text.Node, p *Plan) {
		p.Regions = joined(d, p.Regions, d.regions(n), func(r *Region) *Text { return &r.Name })
	}},
	{key: "patterns", doc: "shapes of networks, each named once; {network} in them is the network's name", shape: mapOf(ref("network")), read: func(*decoder, text.Node, *Plan) {}}, // which has been read before
	{key: "dhcp", doc: "sets of options that hosts are given (RFC 2132)", shape: mapOf(ref("dhcp")), read: named(func(p *Plan) *[]*DHCP { return &p.DHCP }, dhcpFields, func(x *DHCP) *Text { return &x.Name })},
	{key: "space", doc: "the blocks of address space", shape: mapOf(ref("block")), read: named(func(p *Plan) *[]*Block { return &p.Space }, blockFields, func(b *Block) *Text { return &b.Name })},
	{key: "networks", doc: "the virtual networks", shape: mapOf(ref("network")), read: func(d *decoder, n text.Node, p *Plan) {
		name := func(n *Network) *Text { return &n.Name }
		p.Networks = joined(d, p.Networks, readNamed(d, n, networkFields, name, nil, (*decoder).shape), name)
	}},
	{key: "workloads", doc: "the things that talk", shape: mapOf(ref("workload")), read: named(func(p *Plan) *[]*Workload { return &p.Workloads }, workloadFields, func(w *Workload) *Text { return &w.Name })},
	{key: "peerings", doc: "pairs of networks that are joined", shape: mapOf(ref("peering")), read: named(func(p *Plan) *[]*Peering { return &p.Peerings }, peeringFields, func(x *Peering) *Text { return &x.Name })},
	{key: "hubs", doc: "hubs that join many networks and sites", shape: mapOf(ref("hub")), read: named(func(p *Plan) *[]*Hub { return &p.Hubs }, hubFields, func(h *Hub) *Text { return &h.Name })},
	{key: "hub-links", doc: "pairs of hubs that are joined", shape: mapOf(ref("hub-link")), read: named(func(p *Plan) *[]*HubLink { return &p.HubLinks }, hubLinkFields, func(l *HubLink) *Text { return &l.Name })},
	{key: "sites", doc: "buildings of the organisation or of partners", shape: mapOf(ref("site")), read: named(func(p *Plan) *[]*Site { return &p.Sites }, siteFields, func(s *Site) *Text { return &s.Name })},
	{key: "clusters", doc: "container clusters, and the ranges of their pods and services", shape: mapOf(ref("cluster")), read: named(func(p *Plan) *[]*Cluster { return &p.Clusters }, clusterFields, func(c *Cluster) *Text { return &c.Name })},
	{key: "expect", doc: "statements of who reaches whom, and who never does", shape: listOf(aWord), read: func(d *decoder, n text.Node, p *Plan) { p.Expect = append(p.Expect, d.expectations(n)...) }},
	{key: "waive", doc: "what check finds and is meant: a rule, a place, and why", shape: listOf(ref("waiver")), read: func(d *decoder, n text.Node, p *Plan) { p.Waive = append(p.Waive, d.waivers(n)...) }},
}

var waiverFields = []field[Waiver]{
	{key: "rule", doc: "the code of the rule, as check shows it", shape: aName, required: true, read: to(func(w *Waiver) *Text { return &w.Rule }, (*decoder).text)},
	{key: "at", doc: "where it is silent: the name of a network, a workload, network/group and the like, or a place such as networks.booking.tables", shape: aWord, required: true, read: to(func(w *Waiver) *Text { return &w.Place }, (*decoder).text)},
	{key: "because", doc: "why that is meant", shape: aWord, required: true, read: to(func(w *Waiver) *Text { return &w.Because }, (*decoder).text)},
	{key: "until", doc: "the last day on which it is so, such as 2031-03-31; for always unless written", shape: aDate, read: to(func(w *Waiver) *Text { return &w.Until }, (*decoder).date)},
}

var dhcpFields = []field[DHCP]{
	{key: "domain", doc: "the domain name (option 15)", shape: aWord, read: to(func(x *DHCP) *Text { return &x.Domain }, (*decoder).text)},
	{key: "dns", doc: "the name servers (option 6): addresses or workloads", shape: listOf(aWord), read: to(func(x *DHCP) *[]Text { return &x.DNS }, (*decoder).fewTexts)},
	{key: "ntp", doc: "the time servers (option 42): addresses or workloads", shape: listOf(aWord), read: to(func(x *DHCP) *[]Text { return &x.NTP }, (*decoder).fewTexts)},
	{key: "mtu", doc: "the largest packet on a link, in bytes (option 26): 68 or more", shape: aCount, read: to(func(x *DHCP) *Number { return &x.MTU }, (*decoder).mtu)},
}

var blockFields = []field[Block]{
	{key: "block", doc: "its range, or a list with one of each family", shape: listOf(aRange), required: true, read: to(func(b *Block) *[]Range { return &b.Ranges }, (*decoder).ranges)},
	{key: "within", doc: "the block that it is a part of", shape: aName, read: to(func(b *Block) *Text { return &b.Within }, (*decoder).text)},
	{key: "region", doc: "the region that its ranges are for", shape: aName, read: to(func(b *Block) *Text { return &b.Region }, (*decoder).text)},
	{key: "held", doc: "why nothing may be carved from it", shape: aWord, read: to(func(b *Block) *Text { return &b.Held }, (*decoder).text)},
	{key: "owner", doc: "who to ask about it", shape: aWord, read: to(func(b *Block) *Text { return &b.Owner }, (*decoder).text)},
}

var networkFields = append([]field[Network]{
	{key: "pattern", doc: "the pattern whose shape it takes; what it says itself stands in the place of what that says", shape: aName, read: to(func(n *Network) *Text { return &n.Pattern }, (*decoder).text)},
	{key: "dhcp", doc: "the set of options that its hosts are given", shape: aName, read: to(func(n *Network) *Text { return &n.DHCP }, (*decoder).text)},
	{key: "nat", doc: "what its outbound tiers leave by: one NAT gateway, one per-zone, or none", shape: enum("one", "per-zone", "none"), read: to(func(n *Network) *Text { return &n.NAT }, oneOf("one", "per-zone", "none"))},
	{key: "expect", doc: "of a pattern: statements for each network that takes it, with {network} for its name", shape: listOf(aWord), read: func(d *decoder, v text.Node, n *Network) { n.Expect = append(n.Expect, d.expectations(v)...) }},
	{key: "profile", doc: "how its cloud behaves, where that differs from the estate's profile", shape: aProfile, read: to(func(n *Network) *ProfileSetting { return &n.Profile }, (*decoder).profile)},
	{key: "region", doc: "the region it lives in; a list where a subnet spans a region", shape: listOf(aName), read: to(func(n *Network) *[]Text { return &n.Regions }, (*decoder).fewTexts)},
	{key: "from", doc: "the block of space that its range is carved from", shape: aName, read: to(func(n *Network) *Text { return &n.From }, (*decoder).text)},
	{key: "size", doc: "the size of the range to carve, such as /20", shape: aSize, read: to(func(n *Network) *Number { return &n.Size }, (*decoder).size4)},
	{key: "size6", doc: "the size of the IPv6 range to carve, such as /56", shape: aSize, read: to(func(n *Network) *Number { return &n.Size6 }, (*decoder).size)},
	{key: "slot", doc: "which piece of that size of the block it takes, counted from 0; the lowest free one unless written", shape: aCount, read: to(func(n *Network) *Number { return &n.Slot }, (*decoder).count)},
	{key: "layout", doc: "what lies side by side in one block: tiers (unless written) or zones", shape: enum("tiers", "zones"), read: to(func(n *Network) *Text { return &n.Layout }, oneOf("tiers", "zones"))},
	{key: "naming", doc: "the pattern of its subnets' names, where that differs from the estate's", shape: aWord, read: to(func(n *Network) *Text { return &n.Naming }, (*decoder).pattern)},
	{key: "range", doc: "its range, or a list of them", shape: listOf(aRange), read: func(d *decoder, v text.Node, n *Network) {
		n.Ranges, n.HasRange = d.ranges(v), true
	}},
	{key: "tiers", doc: "the purposes that subnets are carved for", shape: mapOf(ref("tier")), read: named(func(n *Network) *[]*Tier { return &n.Tiers }, tierFields, func(t *Tier) *Text { return &t.Name })},
	{key: "held", doc: "parts of it that are no subnets", shape: mapOf(ref("held")), read: named(func(n *Network) *[]*Held { return &n.Held }, heldFields, func(h *Held) *Text { return &h.Name })},
	{key: "subnets", doc: "its subnets", shape: mapOf(ref("subnet")), read: named(func(n *Network) *[]*Subnet { return &n.Subnets }, subnetFields, func(s *Subnet) *Text { return &s.Name })},
	{key: "gateways", doc: "its internet and NAT gateways", shape: mapOf(ref("gateway")), read: named(func(n *Network) *[]*Gateway { return &n.Gateways }, gatewayFields, func(g *Gateway) *Text { return &g.Name })},
	{key: "tables", doc: "its route tables", shape: mapOf(ref("table")), read: named(func(n *Network) *[]*Table { return &n.Tables }, tableFields, func(t *Table) *Text { return &t.Name })},
	{key: "groups", doc: "its security groups", shape: mapOf(ref("group")), read: named(func(n *Network) *[]*Group { return &n.Groups }, groupFields, func(g *Group) *Text { return &g.Name })},
	{key: "lists", doc: "its access lists", shape: mapOf(ref("list")), read: named(func(n *Network) *[]*List { return &n.Lists }, listFields, func(l *List) *Text { return &l.Name })},
}, tagFields(func(x *Network) *Tags { return &x.Tags })...)

var tierFields = []field[Tier]{
	{key: "access", doc: "public, outbound or closed", shape: enum("public", "outbound", "closed"), read: to(func(t *Tier) *Text { return &t.Access }, oneOf("public", "outbound", "closed"))},
	{key: "hosts", doc: "how many workloads each of its subnets must have room for", shape: aCount, read: to(func(t *Tier) *Number { return &t.Hosts }, (*decoder).count)},
	{key: "growth", doc: "room to grow on top of hosts, such as 50%", shape: aPercentage, read: to(func(t *Tier) *Number { return &t.Growth }, (*decoder).growth)},
	{key: "slot", doc: "which piece of the network its block is, counted from 0; the lowest free one unless written", shape: aCount, read: to(func(t *Tier) *Number { return &t.Slot }, (*decoder).count)},
	{key: "size", doc: "the size of each of its subnets, in place of hosts", shape: aSize, read: to(func(t *Tier) *Number { return &t.Size }, (*decoder).size4)},
	{key: "zones", doc: "the zones it has subnets in, when not all", shape: listOf(aName), read: to(func(t *Tier) *[]Text { return &t.Zones }, (*decoder).fewTexts)},
	{key: "spare", doc: "for how many more zones its block leaves room; 1 unless written", shape: aCount, read: to(func(t *Tier) *Number { return &t.Spare }, (*decoder).count)},
	{key: "public", doc: "assigned: the cloud gives each workload there a public address", shape: enum(Assigned), read: to(func(t *Tier) *Text { return &t.Public }, oneOf(Assigned))},
}

var subnetFields = []field[Subnet]{
	{key: "tier", doc: "the tier it belongs to", shape: aName, read: to(func(s *Subnet) *Text { return &s.Tier }, (*decoder).text)},
	{key: "zone", doc: "the zone it lives in", shape: aName, read: to(func(s *Subnet) *Text { return &s.Zone }, (*decoder).text)},
	{key: "region", doc: "the region it lives in, where its network has several", shape: aName, read: to(func(s *Subnet) *Text { return &s.Region }, (*decoder).text)},
	{key: "size", doc: "the size to carve, where it has no tier or another size than its tier", shape: aSize, read: to(func(s *Subnet) *Number { return &s.Size }, (*decoder).size4)},
	{key: "slot", doc: "which piece of the network it is, counted from 0; the lowest free one unless written", shape: aCount, read: to(func(s *Subnet) *Number { return &s.Slot }, (*decoder).count)},
	{key: "range", doc: "its range, or a list with one of each family; carve writes it", shape: listOf(aRange), read: to(func(s *Subnet) *[]Range { return &s.Ranges }, (*decoder).ranges)},
	{key: "public", doc: "assigned: the cloud gives each workload there a public address", shape: enum(Assigned), read: to(func(s *Subnet) *Text { return &s.Public }, oneOf(Assigned))},
}

var heldFields = append([]field[Held]{
	{key: "for", doc: "why it is held", shape: aWord, required: true, read: to(func(h *Held) *Text { return &h.For }, (*decoder).text)},
	{key: "size", doc: "the size to carve, such as /24", shape: aSize, read: to(func(h *Held) *Number { return &h.Size }, (*decoder).size4)},
	{key: "range", doc: "its range, or a list with one of each family; carve writes it", shape: listOf(aRange), read: to(func(h *Held) *[]Range { return &h.Ranges }, (*decoder).ranges)},
}, tagFields(func(x *Held) *Tags { return &x.Tags })...)

var clusterFields = []field[Cluster]{
	{key: "in", doc: "the network whose workloads are its nodes", shape: aName, required: true, read: to(func(c *Cluster) *Text { return &c.In }, (*decoder).text)},
	{key: "pods", doc: "the ranges of its pods", shape: listOf(aRange), read: to(func(c *Cluster) *[]Range { return &c.Pods }, (*decoder).ranges)},
	{key: "services", doc: "the ranges of its services", shape: listOf(aRange), read: to(func(c *Cluster) *[]Range { return &c.Services }, (*decoder).ranges)},
}

var gatewayFields = append([]field[Gateway]{
	{key: "kind", doc: "internet, egress (IPv6 out, and nothing new in) or nat", shape: enum("internet", "egress", "nat"), required: true, read: to(func(g *Gateway) *Text { return &g.Kind }, oneOf("internet", "egress", "nat"))},
	{key: "attached", doc: "internet and egress: whether it is attached to the network; true unless written", shape: aFlag, read: to(func(g *Gateway) *Flag { return &g.Attached }, (*decoder).flag)},
	{key: "in", doc: "nat: the subnet it sits in", shape: aName, read: to(func(g *Gateway) *Text { return &g.In }, (*decoder).text)},
	{key: "address", doc: "nat: its private address", shape: listOf(anAddress), read: to(func(g *Gateway) *[]Addr { return &g.Addrs }, (*decoder).addrs)},
	{key: "serves", doc: "nat: the subnets it serves, where the profile ties NAT to subnets", shape: listOf(aName), read: to(func(g *Gateway) *[]Text { return &g.Serves }, (*decoder).texts)},
	{key: "public", doc: "nat: its public addresses, or assigned where the cloud gives one", shape: publicAddress, read: func(d *decoder, n text.Node, g *Gateway) { g.Public, g.Assigned = d.public(n) }},
	{key: "arrives", doc: "internet: the table that what comes in by it looks into; unless written, it gets to the network's own ranges alone", shape: aName, read: to(func(g *Gateway) *Text { return &g.Arrives }, (*decoder).text)},
}, tagFields(func(x *Gateway) *Tags { return &x.Tags })...)

var tableFields = []field[Table]{
	{key: "main", doc: "true for the table of every subnet that no other table names", shape: aFlag, read: to(func(t *Table) *Flag { return &t.Main }, (*decoder).flag)},
	{key: "subnets", doc: "the subnets it is for, or the tiers whose subnets it is for", shape: listOf(aName), read: to(func(t *Table) *[]Text { return &t.Subnets }, (*decoder).texts)},
	{key: "routes", doc: "its routes; those to the network itself are always there", shape: listOf(ref("route")), read: to(func(t *Table) *[]Route { return &t.Routes }, routesWith(routeFields))},
}

var routeFields = []field[Route]{
	{key: "to", doc: "the range it leads to, or the name of what has it: a network, network/tier, network/subnet, site, cluster or block", shape: aRangeOrName, required: true, read: func(d *decoder, n text.Node, r *Route) { r.To, r.Name = d.destination(n) }},
	{key: "via", doc: "a gateway, peering, hub, site or workload, or blackhole", shape: aWord, required: true, read: to(func(r *Route) *Text { return &r.Via }, (*decoder).text)},
	{key: "only", doc: "the group whose members' packets it is for; for all unless written", shape: aName, read: to(func(r *Route) *Text { return &r.Only }, (*decoder).text)},
}

// hubRouteFields are those of a route of a hub, which is for all packets.
var hubRouteFields = routeFields[:2]

var groupFields = []field[Group]{
	{key: "in", doc: "rules for what comes in, such as  tcp/443 from any", shape: listOf(aWord), read: to(func(g *Group) *[]Rule { return &g.In }, rules(groupRule, inward))},
	{key: "out", doc: "rules for what goes out, such as  any to any", shape: listOf(aWord), read: to(func(g *Group) *[]Rule { return &g.Out }, rules(groupRule, outward))},
}

var listFields = []field[List]{
	{key: "subnets", doc: "the subnets it guards, or the tiers whose subnets it guards", shape: listOf(aName), read: to(func(l *List) *[]Text { return &l.Subnets }, (*decoder).texts)},
	{key: "in", doc: "rules for what comes in, in order, such as  allow tcp/443 from any", shape: listOf(aWord), read: to(func(l *List) *[]Rule { return &l.In }, rules(listRule, inward))},
	{key: "out", doc: "rules for what goes out, in order, such as  allow any to any", shape: listOf(aWord), read: to(func(l *List) *[]Rule { return &l.Out }, rules(listRule, outward))},
}

var workloadFields = append([]field[Workload]{
	{key: "in", doc: "the subnet it lives in, as network/subnet, or the tier, as network/tier", shape: aWord, required: true, read: to(func(w *Workload) *Text { return &w.In }, (*decoder).text)},
	{key: "count", doc: "how many of it there are: NAME-1, NAME-2 and so on", shape: aPositive, read: to(func(w *Workload) *Number { return &w.Count }, (*decoder).positive)},
	{key: "address", doc: "its address, or a list with one of each family; carve writes it", shape: listOf(anAddress), read: to(func(w *Workload) *[]Addr { return &w.Addrs }, (*decoder).addrs)},
	{key: "addresses", doc: "with count: the address of each, or a list with one of each family; carve writes them", shape: listOf(listOf(anAddress)), read: func(d *decoder, n text.Node, w *Workload) { w.Each = d.each(n) }},
	{key: "public", doc: "the address by which the internet reaches it, or assigned where the cloud gives one", shape: publicAddress, read: func(d *decoder, n text.Node, w *Workload) { w.Public, w.Assigned = d.public(n) }},
	{key: "groups", doc: "the security groups it is in", shape: listOf(aName), read: to(func(w *Workload) *[]Text { return &w.Groups }, (*decoder).fewTexts)},
	{key: "listens", doc: "what it listens on, such as tcp/443", shape: listOf(aWord), read: to(func(w *Workload) *[]Flows { return &w.Listens }, (*decoder).flows)},
	{key: "forwards", doc: "plain, stateful or nat: passes on what routes lead to it, as a router, as a firewall that must see both directions, or under its own address", shape: enum("plain", "stateful", "nat"), read: to(func(w *Workload) *Text { return &w.Forwards }, oneOf("plain", "stateful", "nat"))},
	{key: "targets", doc: "of a balancer: the workloads that it hands flows on to", shape: listOf(aName), read: func(d *decoder, n text.Node, w *Workload) {
		w.Targets, w.Balances = d.texts(n), Flag{true, n.At()}
	}},
	{key: "target-ports", doc: "of a balancer: on what it hands flows on, such as tcp/8080; as it was asked unless written", shape: listOf(aWord), read: to(func(w *Workload) *[]Flows { return &w.TargetPorts }, (*decoder).flows)},
}, tagFields(func(x *Workload) *Tags { return &x.Tags })...)

var peeringFields = append([]field[Peering]{
	{key: "between", doc: "the two networks", shape: listOf(aName), required: true, read: to(func(p *Peering) *[]Text { return &p.Between }, (*decoder).someTexts)},
	{key: "accepted", doc: "the networks whose owners have agreed to it", shape: listOf(aName), read: to(func(p *Peering) *[]Text { return &p.Accepted }, (*decoder).fewTexts)},
	{key: "exports", doc: "the networks that let the other have the routes to sites and hubs of their main tables", shape: listOf(aName), read: to(func(p *Peering) *[]Text { return &p.Exports }, (*decoder).fewTexts)},
	{key: "arrives", doc: "for each network, its table that what comes over the peering looks into; unless written, it gets to the network's own ranges alone", shape: mapOf(aName), read: func(d *decoder, n text.Node, p *Peering) { p.Arrives = d.attachments(n, "networks to tables of them") }},
	{key: "only", doc: "the tiers or subnets of either side that it is meant for; all of a side of which none is named", shape: listOf(aWord), read: to(func(p *Peering) *[]Text { return &p.Only }, (*decoder).fewTexts)},
	{key: "imports", doc: "the networks that take such routes from the other", shape: listOf(aName), read: to(func(p *Peering) *[]Text { return &p.Imports }, (*decoder).fewTexts)},
}, tagFields(func(x *Peering) *Tags { return &x.Tags })...)

var hubLinkFields = []field[HubLink]{
	{key: "between", doc: "the two hubs", shape: listOf(aName), required: true, read: to(func(l *HubLink) *[]Text { return &l.Between }, (*decoder).someTexts)},
	{key: "accepted", doc: "the hubs whose owners have agreed to it", shape: listOf(aName), read: to(func(l *HubLink) *[]Text { return &l.Accepted }, (*decoder).fewTexts)},
	{key: "tables", doc: "for each hub, the table that what comes over the link looks into", shape: mapOf(aName), read: func(d *decoder, n text.Node, l *HubLink) { l.Tables = d.attachments(n, "hubs to hub tables") }},
}

var hubFields = append([]field[Hub]{
	{key: "region", doc: "the region it lives in", shape: aName, read: to(func(h *Hub) *Text { return &h.Region }, (*decoder).text)},
	{key: "attach", doc: "the networks and sites tied to it, and the hub table of each", shape: mapOf(anAttachment), read: func(d *decoder, n text.Node, h *Hub) { h.Attach = d.attachments(n, "networks and sites to hub tables") }},
	{key: "tables", doc: "its route tables", shape: mapOf(ref("hub-table")), read: named(func(h *Hub) *[]*HubTable { return &h.Tables }, hubTableFields, func(t *HubTable) *Text { return &t.Name })},
}, tagFields(func(x *Hub) *Tags { return &x.Tags })...)

var attachmentFields = []field[Attachment]{
	{key: "table", doc: "the hub table that its packets look into", shape: aName, required: true, read: to(func(a *Attachment) *Text { return &a.Table }, (*decoder).text)},
	{key: "arrives", doc: "the table of the network that what the hub brings looks into; unless written, it gets to the network's own ranges alone", shape: aName, read: to(func(a *Attachment) *Text { return &a.Arrives }, (*decoder).text)},
	{key: "only", doc: "the tiers or subnets of the network that it is meant for; all of them unless written", shape: listOf(aWord), read: to(func(a *Attachment) *[]Text { return &a.Only }, (*decoder).fewTexts)},
}

var hubTableFields = []field[HubTable]{
	{key: "learns", doc: "the attachments whose ranges it has routes to", shape: listOf(aName), read: to(func(t *HubTable) *[]Text { return &t.Learns }, (*decoder).texts)},
	{key: "routes", doc: "routes by hand", shape: listOf(ref("hub-route")), read: to(func(t *HubTable) *[]Route { return &t.Routes }, routesWith(hubRouteFields))},
}

var siteFields = append([]field[Site]{
	{key: "ranges", doc: "its own ranges", shape: listOf(aRange), required: true, read: to(func(s *Site) *[]Range { return &s.Ranges }, (*decoder).ranges)},
	{key: "knows", doc: "the ranges that it has routes to through its link, or names of what has them", shape: listOf(aRangeOrName), read: func(d *decoder, n text.Node, s *Site) { s.Knows, s.Names = d.rangesOrNames(n) }},
	{key: "link", doc: "the network it is linked to, when no hub stands between", shape: aName, read: to(func(s *Site) *Text { return &s.Link }, (*decoder).text)},
	{key: "arrives", doc: "the table of that network that what comes over the link looks into; unless written, it gets to the network's own ranges alone", shape: aName, read: to(func(s *Site) *Text { return &s.Arrives }, (*decoder).text)},
}, tagFields(func(x *Site) *Tags { return &x.Tags })...)

var profileFields = []field[ProfileSetting]{
	{key: "like", doc: "the built-in profile to start from", shape: enum(profile.Names()...), read: to(func(p *ProfileSetting) *Text { return &p.Like }, oneOf(profile.Names()...))},
	{key: "subnets-in", doc: "what one subnet spans: zone, region or anywhere", shape: enum("zone", "region", "anywhere"), read: knob(oneOf("zone", "region", "anywhere"), Text.Given, func(p *profile.Profile, v Text) { p.SubnetsIn = profile.Reach(v.Value) })},
	{key: "reserved-first", doc: "addresses reserved at the start of each IPv4 subnet", shape: aCount, read: knob((*decoder).count, Number.Given, func(p *profile.Profile, v Number) { p.ReservedFirst = v.Value })},
	{key: "reserved-last", doc: "addresses reserved at the end of each IPv4 subnet", shape: aCount, read: knob((*decoder).count, Number.Given, func(p *profile.Profile, v Number) { p.ReservedLast = v.Value })},
	{key: "smallest", doc: "the size of the smallest IPv4 subnet, such as /28", shape: aSize, read: knob((*decoder).size4, Number.Given, func(p *profile.Profile, v Number) { p.Smallest = v.Value })},
	{key: "largest", doc: "the size of the largest IPv4 subnet, such as /16", shape: aSize, read: knob((*decoder).size4, Number.Given, func(p *profile.Profile, v Number) { p.Largest = v.Value })},
	{key: "own-ranges", doc: "whether a network has ranges of its own; false: it is the sum of its subnets", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.OwnRanges = v.Value })},
	{key: "peer-routes", doc: "whether routes to a peer's ranges install themselves; where a network is the sum of its subnets, those to its subnets", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.PeerRoutes = v.Value })},
	{key: "default-route", doc: "whether a network is born with a default route to the internet", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.DefaultRoute = v.Value })},
	{key: "nat-serves", doc: "whether a NAT gateway serves named subnets; false: it sits in a subnet", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.NATServes = v.Value })},
	{key: "implicit-out", doc: "whether a workload gets out to the internet with neither public address nor NAT", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.ImplicitOut = v.Value })},
	{key: "peer-groups", doc: "whether a rule may name a group of a peered network", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.PeerGroups = v.Value })},
	{key: "router", doc: "which address of a subnet, counted from its first, is its router's; 0 for none", shape: aCount, read: knob((*decoder).count, Number.Given, func(p *profile.Profile, v Number) { p.Router = v.Value })},
	{key: "resolver", doc: "likewise its name server's", shape: aCount, read: knob((*decoder).count, Number.Given, func(p *profile.Profile, v Number) { p.Resolver = v.Value })},
	{key: "dhcp-server", doc: "likewise its DHCP server's", shape: aCount, read: knob((*decoder).count, Number.Given, func(p *profile.Profile, v Number) { p.DHCPServer = v.Value })},
	{key: "routes-for-some", doc: "whether a route can be for the packets of some workloads alone", shape: aFlag, read: knob((*decoder).flag, Flag.Given, func(p *profile.Profile, v Flag) { p.RoutesForSome = v.Value })},
	{key: "max-routes", doc: "how many routes one table may have, beside those to the network itself; as many as one likes unless written", shape: aPositive, read: knob((*decoder).positive, Number.Given, func(p *profile.Profile, v Number) { p.MaxRoutes = v.Value })},
	{key: "max-rules", doc: "how many rules one group or list may have in one direction; as many as one likes unless written", shape: aPositive, read: knob((*decoder).positive, Number.Given, func(p *profile.Profile, v Number) { p.MaxRules = v.Value })},
	{key: "max-peerings", doc: "how many peerings one network may have; as many as one likes unless written", shape: aPositive, read: knob((*decoder).positive, Number.Given, func(p *profile.Profile, v Number) { p.MaxPeerings = v.Value })},
	{key: "reply-ports", doc: "the ports that replies come back to, 1024-65535 unless written", shape: aWord, read: knob((*decoder).ports, portsGiven, func(p *profile.Profile, v portRange) { p.ReplyPorts = [2]uint16{v.first, v.last} })},
}

// tagFields are the fields of what says whose a thing is.
func tagFields[T any](part func(*T) *Tags) []field[T] {
	return []field[T]{
		{key: "owner", doc: "who to ask about it", shape: aWord, read: to(func(x *T) *Text { return &part(x).Owner }, (*decoder).text)},
		{key: "labels", doc: "what else is to be known of it, as words under words", shape: mapOf(aWord), read: func(d *decoder, n text.Node, x *T) { part(x).Labels = d.labels(n) }},
	}
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

// first makes the read function of a field that stands in the first file of a plan alone.
func first(read func(*decoder, text.Node, *Plan)) func(*decoder, text.Node, *Plan) {
	return func(d *decoder, n text.Node, p *Plan) {
		if d.part > 0 {
			d.report(n.At(), notInPart, fmt.Sprintf("%s speaks of the whole plan, and this is a part of it", d.path.String()), "write it in "+d.plan.Files.First().Name)
			return
		}
		read(d, n, p)
	}
}

// knob makes the read function of a field that sets one knob of a profile, when its value could be read.
func knob[V any](read func(*decoder, text.Node) V, given func(V) bool, set func(*profile.Profile, V)) func(*decoder, text.Node, *ProfileSetting) {
	return func(d *decoder, n text.Node, into *ProfileSetting) {
		if v := read(d, n); given(v) {
			into.knobs = append(into.knobs, func(p *profile.Profile) { set(p, v) })
		}
	}
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

func portsGiven(p portRange) bool { return p.at.Known() }

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
