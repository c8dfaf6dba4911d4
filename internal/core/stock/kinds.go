// Package stock is what a plan comes to at a cloud: the things that are made there, each with the properties that a cloud has for it,
// and the plan that says the same. It knows no cloud; what is there and what is wanted are told apart here by name.
package stock

// Kind is what a thing is, in the word that the protocol to clouds has for it.
type Kind string

// The kinds of things that are made at a cloud.
const (
	Network    Kind = "network"
	Subnet     Kind = "subnet"
	Gateway    Kind = "gateway"
	Table      Kind = "table"
	Route      Kind = "route"
	Group      Kind = "group"
	List       Kind = "list"
	Workload   Kind = "workload"
	Peering    Kind = "peering"
	Hub        Kind = "hub"
	HubTable   Kind = "hub-table"
	Attachment Kind = "attachment"
	HubLink    Kind = "hub-link"
	Site       Kind = "site"
)

// Shape is how a property is written, in JSON and in Go.
type Shape string

// The shapes of properties. One that is empty, or false, is the same as one that is not there.
const (
	Word  Shape = "word"  // string
	Flag  Shape = "flag"  // bool
	Words Shape = "words" // []string
	Pairs Shape = "pairs" // map[string]string
	Rules Shape = "rules" // []Rule
)

// Format is what the words of a property are.
type Format string

// The formats of words; the zero Format is any text.
const (
	Ranges    Format = "cidr"    // RFC 4632, host bits zero
	Addresses Format = "address" // RFC 4291 and dotted decimal
	Flows     Format = "flows"   // tcp/443, tcp/8000-8100, udp, icmp, any, or several with commas
)

// Prop is a property of a kind of things.
type Prop struct {
	Name     string
	Doc      string
	Shape    Shape
	Format   Format
	Enum     []string
	Of       []Kind // what its words name (of pairs, the words behind the keys), where they name things
	KeysOf   []Kind // of pairs: what the keys name
	Required bool
	Fixed    bool // whether it cannot be changed once the thing is made
	Ordered  bool // whether the order of its words says something
}

// Spec is a kind of things.
type Spec struct {
	Kind   Kind
	Doc    string
	Parent string // the property that names what a thing is a part of; empty for none
	Tagged bool   // whether a plan can give its things an owner and labels
	Props  []Prop
}

// Blackhole is the next hop of a route that drops on purpose, in the place of a thing.
const Blackhole = "blackhole"

// Specs are all kinds, each after those that its things are parts of.
var Specs = []Spec{
	{Kind: Network, Tagged: true, Doc: "a virtual network", Props: []Prop{
		{Name: "profile", Doc: "how the cloud behaves for it: like (zonal, regional or plain), and the knobs that differ", Shape: Pairs, Fixed: true},
		{Name: "regions", Doc: "the regions it lives in", Shape: Words, Fixed: true},
		{Name: "ranges", Doc: "its ranges; none where it is the sum of its subnets", Shape: Words, Format: Ranges},
	}},
	{Kind: Table, Doc: "a route table of a network", Parent: "network", Props: []Prop{
		{Name: "network", Doc: "the network it is of", Shape: Word, Of: []Kind{Network}, Required: true, Fixed: true},
		{Name: "main", Doc: "whether it is for every subnet that names no table", Shape: Flag},
	}},
	{Kind: List, Doc: "an access list: rules in order, which remember nothing; what none matches is denied", Parent: "network", Props: []Prop{
		{Name: "network", Doc: "the network it is of", Shape: Word, Of: []Kind{Network}, Required: true, Fixed: true},
		{Name: "in", Doc: "rules for what comes in, in order", Shape: Rules, Of: []Kind{Group}, Ordered: true},
		{Name: "out", Doc: "rules for what goes out, in order", Shape: Rules, Of: []Kind{Group}, Ordered: true},
	}},
	{Kind: Subnet, Doc: "a range of a network in which workloads live", Parent: "network", Props: []Prop{
		{Name: "network", Doc: "the network it is of", Shape: Word, Of: []Kind{Network}, Required: true, Fixed: true},
		{Name: "zone", Doc: "the zone it lives in, where a subnet lives in one", Shape: Word, Fixed: true},
		{Name: "region", Doc: "the region it lives in, where a subnet spans one", Shape: Word, Fixed: true},
		{Name: "ranges", Doc: "its ranges, one of each family at most", Shape: Words, Format: Ranges, Required: true, Fixed: true},
		{Name: "table", Doc: "its route table; the network's main table when it names none", Shape: Word, Of: []Kind{Table}},
		{Name: "list", Doc: "the access list on it", Shape: Word, Of: []Kind{List}},
	}},
	{Kind: Group, Doc: "a security group, which remembers flows; without rules in a direction it lets nothing pass in it", Parent: "network", Props: []Prop{
		{Name: "network", Doc: "the network it is of", Shape: Word, Of: []Kind{Network}, Required: true, Fixed: true},
		{Name: "in", Doc: "rules for what comes in", Shape: Rules, Of: []Kind{Group}},
		{Name: "out", Doc: "rules for what goes out", Shape: Rules, Of: []Kind{Group}},
	}},
	{Kind: Gateway, Tagged: true, Doc: "an internet gateway, a gateway for IPv6 out alone, or a NAT gateway", Parent: "network", Props: []Prop{
		{Name: "network", Doc: "the network it is of", Shape: Word, Of: []Kind{Network}, Required: true, Fixed: true},
		{Name: "type", Doc: "what it does", Shape: Word, Enum: []string{"internet", "egress", "nat"}, Required: true, Fixed: true},
		{Name: "attached", Doc: "of an internet or egress gateway: whether it is attached to its network", Shape: Flag},
		{Name: "arrives", Doc: "of an internet gateway: the table that what comes in by it looks into", Shape: Word, Of: []Kind{Table}},
		{Name: "subnet", Doc: "of a NAT gateway: the subnet it sits in", Shape: Word, Of: []Kind{Subnet}, Fixed: true},
		{Name: "addresses", Doc: "of a NAT gateway: its private addresses", Shape: Words, Format: Addresses, Fixed: true},
		{Name: "serves", Doc: "of a NAT gateway: the subnets it serves, where the profile has it that way", Shape: Words, Of: []Kind{Subnet}},
		{Name: "public", Doc: "of a NAT gateway: its public addresses", Shape: Words, Format: Addresses},
		{Name: "assigned", Doc: "whether the cloud gives its public address", Shape: Flag},
	}},
	{Kind: Hub, Tagged: true, Doc: "a hub that joins networks and sites", Props: []Prop{
		{Name: "region", Doc: "the region it lives in", Shape: Word, Fixed: true},
	}},
	{Kind: Site, Tagged: true, Doc: "a building, as the cloud knows it: its ranges, and what it has routes to", Props: []Prop{
		{Name: "ranges", Doc: "its own ranges", Shape: Words, Format: Ranges, Required: true},
		{Name: "knows", Doc: "the ranges that it has routes to through its link", Shape: Words, Format: Ranges},
		{Name: "link", Doc: "the network it is linked to, where no hub stands between", Shape: Word, Of: []Kind{Network}},
		{Name: "arrives", Doc: "the table of that network that what comes over the link looks into", Shape: Word, Of: []Kind{Table}},
	}},
	{Kind: HubTable, Doc: "a route table of a hub", Parent: "hub", Props: []Prop{
		{Name: "hub", Doc: "the hub it is of", Shape: Word, Of: []Kind{Hub}, Required: true, Fixed: true},
	}},
	{Kind: Attachment, Doc: "what ties a network or a site to a hub, once both have accepted it", Parent: "hub", Props: []Prop{
		{Name: "hub", Doc: "the hub", Shape: Word, Of: []Kind{Hub}, Required: true, Fixed: true},
		{Name: "to", Doc: "the network or site that is attached", Shape: Word, Of: []Kind{Network, Site}, Required: true, Fixed: true},
		{Name: "table", Doc: "the hub table that its packets look into", Shape: Word, Of: []Kind{HubTable}, Required: true},
		{Name: "accepted", Doc: "the hub, and what is attached, for which it has been accepted; accept adds one", Shape: Words, Of: []Kind{Hub, Network, Site}},
		{Name: "learned-by", Doc: "the hub tables that learn its ranges, and so have routes to them", Shape: Words, Of: []Kind{HubTable}},
		{Name: "arrives", Doc: "the table of the network that what the hub brings looks into", Shape: Word, Of: []Kind{Table}},
	}},
	{Kind: Peering, Tagged: true, Doc: "what joins two networks, once both have accepted it", Props: []Prop{
		{Name: "networks", Doc: "the two networks", Shape: Words, Of: []Kind{Network}, Required: true, Fixed: true, Ordered: true},
		{Name: "accepted", Doc: "the networks for which it has been accepted; accept adds one, and a change takes one back", Shape: Words, Of: []Kind{Network}},
		{Name: "exports", Doc: "the networks that let the other have their routes to sites and hubs", Shape: Words, Of: []Kind{Network}},
		{Name: "imports", Doc: "the networks that take such routes from the other", Shape: Words, Of: []Kind{Network}},
		{Name: "arrives", Doc: "for each network, its table that what comes over the peering looks into", Shape: Pairs, KeysOf: []Kind{Network}, Of: []Kind{Table}},
	}},
	{Kind: HubLink, Doc: "what joins two hubs, once both have accepted it", Props: []Prop{
		{Name: "hubs", Doc: "the two hubs", Shape: Words, Of: []Kind{Hub}, Required: true, Fixed: true, Ordered: true},
		{Name: "accepted", Doc: "the hubs for which it has been accepted; accept adds one, and a change takes one back", Shape: Words, Of: []Kind{Hub}},
		{Name: "tables", Doc: "for each hub, its table that what comes over the link looks into", Shape: Pairs, KeysOf: []Kind{Hub}, Of: []Kind{HubTable}, Required: true},
	}},
	{Kind: Workload, Tagged: true, Doc: "a thing with addresses that talks", Parent: "subnet", Props: []Prop{
		{Name: "subnet", Doc: "the subnet it lives in", Shape: Word, Of: []Kind{Subnet}, Required: true, Fixed: true},
		{Name: "addresses", Doc: "its private addresses, one of each family at most", Shape: Words, Format: Addresses, Required: true, Fixed: true},
		{Name: "public", Doc: "the addresses by which the internet reaches it", Shape: Words, Format: Addresses},
		{Name: "assigned", Doc: "whether the cloud gives its public address", Shape: Flag},
		{Name: "groups", Doc: "the security groups it is in", Shape: Words, Of: []Kind{Group}},
		{Name: "listens", Doc: "what it listens on", Shape: Word, Format: Flows},
		{Name: "forwards", Doc: "how it passes on what routes lead to it; it drops that when this is not said", Shape: Word, Enum: []string{"plain", "stateful", "nat"}},
		{Name: "balances", Doc: "whether it is a balancer that has no targets yet; one that has some is one anyway", Shape: Flag},
		{Name: "targets", Doc: "of a balancer: the workloads that it hands flows on to", Shape: Words, Of: []Kind{Workload}},
		{Name: "target-ports", Doc: "of a balancer: on what it does so, when not on what it was asked", Shape: Word, Format: Flows},
	}},
	{Kind: Route, Doc: "a route of a table", Parent: "table", Props: []Prop{
		{Name: "table", Doc: "the table it is in", Shape: Word, Of: []Kind{Table, HubTable}, Required: true, Fixed: true},
		{Name: "to", Doc: "the range it leads to", Shape: Word, Format: Ranges, Required: true, Fixed: true},
		{Name: "only", Doc: "the group for whose members' packets alone it is; for all when it names none", Shape: Word, Of: []Kind{Group}, Fixed: true},
		{Name: "via", Doc: "the next hop, or blackhole", Shape: Word, Of: []Kind{Gateway, Peering, Hub, Site, Workload, Network, HubLink}, Required: true},
	}},
}

var specOf = func() map[Kind]*Spec {
	all := map[Kind]*Spec{}
	for i := range Specs {
		all[Specs[i].Kind] = &Specs[i]
	}
	return all
}()

// SpecOf is what there is to know of a kind; nil for none.
func SpecOf(k Kind) *Spec { return specOf[k] }

// Prop is a property of the kind by its name; nil for none.
func (s *Spec) Prop(name string) *Prop {
	for i := range s.Props {
		if s.Props[i].Name == name {
			return &s.Props[i]
		}
	}
	return nil
}

// ByRank compares things by the ranks of their kinds.
func ByRank(a, b Thing) int { return a.Kind.Rank() - b.Kind.Rank() }

// Rank is the place of a kind in the order of Specs.
func (k Kind) Rank() int {
	if rank, found := ranks[k]; found {
		return rank
	}
	return len(Specs)
}

var ranks = func() map[Kind]int {
	all := map[Kind]int{}
	for i := range Specs {
		all[Specs[i].Kind] = i
	}
	return all
}()
