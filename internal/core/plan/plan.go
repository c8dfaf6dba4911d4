// Package plan is what a plan may say: it decodes a text into values that remember where they stood, and reports every
// problem of it in one run. The tables of fields are the format: decoder, messages and schema are made from them.
//
// It knows nothing of what a plan means: names are bound in package estate.
package plan

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/flow"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// Text is a word of the plan and where it stood. An empty Value with an unknown place means that it was not written.
type Text struct {
	Value string
	At    text.Pos
}

// Given reports whether the word was written.
func (t Text) Given() bool { return t.At.Known() }

// Range is a CIDR block of the plan and where it stood.
type Range struct {
	netip.Prefix
	At text.Pos
}

// Addr is an address of the plan and where it stood.
type Addr struct {
	netip.Addr
	At text.Pos
}

// Number is a whole number of the plan and where it stood.
type Number struct {
	Value int
	At    text.Pos
}

// Given reports whether the number was written.
func (n Number) Given() bool { return n.At.Known() }

// Flag is true or false, and where it stood.
type Flag struct {
	Value bool
	At    text.Pos
}

// Given reports whether the flag was written.
func (f Flag) Given() bool { return f.At.Known() }

// Plan is one decoded text. Every list keeps the order of the text.
type Plan struct {
	Files     *text.Files
	Unread    bool // whether the text is no YAML, or no mapping, so that nothing of it could be read
	Version   Number
	Estate    Text
	Parts     []Text // the other files of the plan, as they are named
	Scope     []Text // what of an account is the estate's: labels, names and identifiers at the cloud; all that bears nobody's label where it is empty
	Out       Text   // open or closed: what is let out of a group that is made for a line; empty is open
	Ignored   []Text // labels that others put on things at a cloud, and that are nobody's matter here
	Required  []Text // the labels that each network, workload, gateway, peering, site and held part must have
	Profile   ProfileSetting
	Naming    Text // the pattern of subnet names, such as {tier}-{zone}
	Regions   []*Region
	Patterns  []*Pattern
	DHCP      []*DHCP
	Space     []*Block
	Networks  []*Network
	Workloads []*Workload
	Peerings  []*Peering
	Hubs      []*Hub
	HubLinks  []*HubLink
	Sites     []*Site
	Clusters  []*Cluster
	Expect    []Expectation
	Waive     []Waiver
}

// Waiver says that what a rule of check finds at a place is meant.
type Waiver struct {
	At      text.Pos
	Rule    Text
	Place   Text // the name of a thing, or its place in the plan; the rule is silent there and in all that is inside
	Because Text
	Until   Text // the last day on which it is so, as RFC 3339 writes a date; empty for always
}

// ProfileSetting is what a plan or a network says of its profile: which one it is like, and the knobs it sets.
type ProfileSetting struct {
	Like  Text
	knobs []setting
}

// On is the profile that the setting makes of base. The setting's Like, when given, takes the place of base.
func (s ProfileSetting) On(base profile.Profile) profile.Profile {
	if p, found := profile.Named(s.Like.Value); found {
		base = p
	}
	for _, k := range s.knobs {
		k.set(&base)
	}
	return base
}

// Tags are who to ask about a thing, and what else is to be known of it.
type Tags struct {
	Owner  Text
	Labels []Label
	Keep   Flag // whether no build removes it, unless it is asked for by name
}

// Label is one word of a thing under another.
type Label struct{ Key, Value Text }

// Has reports whether a thing has a label; its owner is the one named so.
func (t *Tags) Has(key string) bool {
	if key == "owner" && t.Owner.Given() {
		return true
	}
	return slices.ContainsFunc(t.Labels, func(l Label) bool { return l.Key.Value == key })
}

// Region is a named place of a cloud and its zones.
type Region struct {
	Name  Text
	Zones []Text
}

// Block is a part of the address space. A held block is kept for something that is not a subnet; nothing is carved
// from it.
type Block struct {
	Name   Text
	Ranges []Range
	Within Text
	Region Text
	Held   Text // why it is held
	Owner  Text
}

// DHCP is a set of options that hosts are given (RFC 2132): the domain name (15), name servers (6), time servers (42), and
// the interface's MTU (26). Servers are addresses or workloads.
type DHCP struct {
	Name   Text
	Domain Text
	DNS    []Text
	NTP    []Text
	MTU    Number
}

// Pattern is a shape of network that is named once.
type Pattern struct {
	Name Text
	Last text.Pos // where the last thing of it stands

	node text.Node
}

// Holds reports whether a place is inside the pattern.
func (p *Pattern) Holds(at text.Pos) bool { return at >= p.Name.At && at <= p.Last }

// Network is a virtual network.
type Network struct {
	Name     Text
	Pattern  Text       // the shape that it takes, with what it says itself in the place of what that says
	Patterns []*Pattern // that one, and those that it takes its shape from, the widest first
	DHCP     Text       // the set of options that its hosts are given
	NAT      Text       // one, per-zone or none: what its outbound tiers leave by
	Tags
	Profile  ProfileSetting
	Regions  []Text
	From     Text   // the block of space that its range is carved from
	Size     Number // the length of the IPv4 range to carve, such as 20 for /20
	Size6    Number // the length of the IPv6 range to carve
	Slot     Number // which piece of that size of the block it takes; the lowest free one unless written
	Growth   Number // where no size is written, room on top of what its parts take, in percent of that
	Fixed    Flag   // whether its ranges are not ours to change
	Layout   Text   // tiers or zones: what lies side by side in one block
	Naming   Text
	Ranges   []Range
	HasRange bool // whether a range was written, readable or not
	Tiers    []*Tier
	Held     []*Held
	Subnets  []*Subnet
	Gateways []*Gateway
	Tables   []*Table
	Groups   []*Group
	Lists    []*List
	Expect   []Expectation // those of its pattern
}

// Tier is a purpose that subnets are carved for, one in each zone.
type Tier struct {
	Name   Text
	Access Text // public, outbound or closed
	Hosts  Number
	Growth Number // in percent of the hosts
	Size   Number
	Slot   Number // which piece of the network its block is
	Zones  []Text
	Spare  Number // for how many more zones its block leaves room
	Public Text   // assigned: the cloud gives each workload there a public address
}

// Subnet is a range of a network in which workloads live.
type Subnet struct {
	Name   Text
	Tier   Text
	Zone   Text
	Region Text
	Size   Number
	Slot   Number // which piece of the network it is
	Ranges []Range
	Public Text // assigned: the cloud gives each workload there a public address
}

// Held is a part of a network that is no subnet: room for a managed service, say.
type Held struct {
	Name Text
	For  Text // why it is held
	Tags
	Size   Number
	Ranges []Range
}

// Cluster is a container cluster: its pods and services have addresses of their own, known only around it.
type Cluster struct {
	Name     Text
	In       Text // the network whose workloads are its nodes
	Pods     []Range
	Services []Range
	Fixed    Flag // whether they are not ours to change
}

// Gateway is an internet gateway, an egress-only gateway for IPv6, or a NAT gateway of a network.
type Gateway struct {
	Name     Text
	Kind     Text // internet, egress or nat
	Attached Flag // internet: whether it is attached; true unless written
	In       Text // nat: the subnet it sits in
	Addrs    []Addr
	Serves   []Text // nat: the subnets it serves, where the profile has it that way
	Public   []Addr
	Assigned Text // nat: in the place of public addresses, that the cloud gives one
	Arrives  Text // internet: the table that what comes in by it looks into
	Tags
}

// Table is a route table.
type Table struct {
	Name    Text
	Main    Flag
	Subnets []Text
	Routes  []Route
}

// Route leads a destination to a next hop.
type Route struct {
	To   Range
	Name Text // in the place of To, what has the ranges that it leads to
	Via  Text
	Only Text // the group whose members' packets it is for; empty for all
	At   text.Pos
}

// Words of the plan that no name can be: the next hop that drops on purpose, and all that is outside; and the word for a
// public address that the cloud gives.
const (
	Blackhole = "blackhole"
	Internet  = "internet"
	Assigned  = "assigned"
)

// Group is a stateful set of allow rules on workloads.
type Group struct {
	Name    Text
	In, Out []Rule
}

// List is an ordered, stateless list of rules on subnets.
type List struct {
	Name    Text
	Subnets []Text
	In, Out []Rule
}

// Rule is one line of a group or a list.
type Rule struct {
	At    text.Pos
	Text  string
	Allow bool // always true in a group
	Flows flow.Set
	Peer  Peer
}

// Peer is the far end that a rule names: any address, a range, or the members of a group.
type Peer struct {
	Any   bool
	Range netip.Prefix // valid when the rule names a range
	Name  string       // what has the ranges that the rule names: a network, network/tier, a site
	Group string       // the group as written, perhaps with its network: jump, harbour/jump
}

// Workload is a thing with an address that talks.
type Workload struct {
	Name   Text
	In     Text // network/subnet, or network/tier
	Count  Number
	Addrs  []Addr
	Each   [][]Addr // of each of a count, its addresses
	Public []Addr
	// Assigned is the word with which the cloud is to give a public address when the thing is built.
	Assigned Text
	Tags
	Groups  []Text
	Listens []Flows
	// Forwards says what it does with packets that routes lead to it: plain and stateful pass them on as they are, the
	// latter only where it sees both directions, nat under its own address; it drops them when this is not written.
	Forwards    Text
	Targets     []Text  // of a balancer: the workloads that it hands flows on to
	Balances    Flag    // whether it says of targets at all, be they none
	TargetPorts []Flows // on what it does so; on what it was asked, when not written
}

// Flows is a set of flows of the plan and where it stood.
type Flows struct {
	flow.Set
	At text.Pos
}

// Peering joins two networks once both have accepted it.
type Peering struct {
	Name     Text
	Between  []Text
	Accepted []Text
	Exports  []Text       // the networks that let the other side have their routes to sites and hubs
	Imports  []Text       // the networks that take such routes
	Arrives  []Attachment // for each network, its table that what comes over the peering looks into
	Only     []Text       // the parts of either side that it is meant for; all of a side of which none is named
	Tags
}

// HubLink joins two hubs once both have accepted it.
type HubLink struct {
	Name     Text
	Between  []Text
	Accepted []Text
	Tables   []Attachment // for each hub, the table that what comes over the link looks into
}

// Hub joins many networks and sites through tables of its own.
type Hub struct {
	Name Text
	Tags
	Region Text
	Attach []Attachment
	Tables []*HubTable
}

// Attachment ties a network or a site to a hub, and names the hub table that its packets look into.
type Attachment struct {
	Who     Text
	Table   Text
	Arrives Text   // of a network that is attached: its table that what the hub brings looks into
	Only    []Text // the parts of it that are meant; all where none is named
}

// HubTable is a route table of a hub: what it learns from attachments, and routes by hand.
type HubTable struct {
	Name   Text
	Learns []Text
	Routes []Route
}

// Site is a building of the organisation or a partner.
type Site struct {
	Name    Text
	Ranges  []Range
	Knows   []Range // what it has routes to
	Names   []Text  // likewise, by the names of what has the ranges
	Link    Text    // the network it is linked to, when no hub stands between
	Arrives Text    // the table of that network that what comes over the link looks into
	Fixed   Flag    // whether its ranges are not ours to change
	Tags
}

// Expectation states who reaches whom, or never does.
type Expectation struct {
	At       text.Pos
	Text     string
	From, To string
	Never    bool
	Only     bool     // whether nobody else than From reaches To, besides
	Except   []string // what of either end is not meant
	LeavesAs string   // in the place of To and all else: as whom the internet sees From; an address, or assigned
	Flows    flow.Set
	HasFlows bool
	Through  string // what every packet there and back passes; empty for nothing
	Without  string // what may be out of order while it holds: any zone, any peering, peering NAME; empty for nothing
}
