// Package estate is a plan with its names bound: every subnet knows its table, every route its next hop, and every
// address its owner. The analyses ask it and never look at names again.
package estate

import (
	"net/netip"
	"slices"
	"sync"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// Estate is all that a plan describes. Every list keeps the order of the text.
type Estate struct {
	Plan      *plan.Plan
	Problems  []diag.Finding // of the text; what they speak of is left out
	Waits     []diag.Finding // what is not yet given, and by what it would be; it is left out likewise
	Profile   profile.Profile
	Blocks    []*Block
	DHCP      []*DHCP
	Networks  []*Network
	Workloads []*Workload
	Sets      []*Set
	Peerings  []*Peering
	Hubs      []*Hub
	HubLinks  []*HubLink
	Sites     []*Site
	Clusters  []*Cluster
	Subnets   []*Subnet // of all networks
	Lists     []*List
	Outside   address.Set // every public address that belongs to nobody in the estate
	StandIn   netip.Addr  // one of them, for the address that a cloud chooses itself for what has none

	out     map[any]bool // what is out of order
	watch   *Watch       // notes of what it is asked whether it is; nil where nobody wants to know
	scope   scope
	regions map[string]*plan.Region
	public  map[netip.Addr]Host
	derived *derived
}

// derived is what others have worked out of an estate, and keep with it.
type derived struct {
	lock sync.Mutex
	of   map[any]any
}

// Derived is what work gives, which is called once for a key; the estate keeps it.
func (e *Estate) Derived(key any, work func() any) any {
	e.derived.lock.Lock()
	defer e.derived.lock.Unlock()
	v, known := e.derived.of[key]
	if !known {
		v = work()
		if e.derived.of == nil {
			e.derived.of = map[any]any{}
		}
		e.derived.of[key] = v
	}
	return v
}

// Block is a part of the address space.
type Block struct {
	Plan   *plan.Block
	Name   string
	Ranges []netip.Prefix
	Within *Block // nil at the top
	Region string // empty when it is for any
	Held   bool
}

// Network is a virtual network.
type Network struct {
	Plan    *plan.Network
	Name    string
	Profile profile.Profile
	Regions []*plan.Region
	From    *Block
	DHCP    *DHCP  // the options that its hosts are given; nil for none
	Naming  string // the pattern of its subnets' names; empty for that of the profile
	// Ranges are the network's own, or those of its subnets where the profile gives it none of its own, or the plan none
	// yet.
	Ranges      []netip.Prefix
	Tiers       []*Tier
	Held        []*Held
	Subnets     []*Subnet
	Gateways    []*Gateway
	Tables      []*Table
	Main        *Table   // never nil; one with local routes alone when the plan has none
	Custom      []*Route // routes of the main table to sites and hubs, which a peering may carry
	Groups      []*Group
	Lists       []*List
	Peerings    []*Peering
	Attachments []*Attachment
	Links       []*Site // sites linked to it with no hub between

	scope scope
	crowd []*Workload // of all its subnets, in the order of the plan
	hosts map[netip.Addr]Host
	where address.Table[*Subnet]
}

// DHCP is a set of options that hosts are given.
type DHCP struct {
	Plan *plan.DHCP
	Name string
	DNS  []Server
	NTP  []Server
}

// Server is a server of a set of options: a workload, or an address.
type Server struct {
	Word     plan.Text
	Workload *Workload
	Addr     netip.Addr
	Cloud    bool // whether it is the cloud's own, which each subnet has
}

// Held is a part of a network that is no subnet.
type Held struct {
	Plan    *plan.Held
	Name    string
	Network *Network
	Ranges  []netip.Prefix
}

// Cluster is a container cluster, with the ranges of its pods and services.
type Cluster struct {
	Plan     *plan.Cluster
	Name     string
	Network  *Network
	Pods     []netip.Prefix
	Services []netip.Prefix
}

// Tier is a purpose that subnets of a network serve.
type Tier struct {
	Plan    *plan.Tier
	Name    string
	Network *Network
	Subnets []*Subnet
}

// Subnet is a range of a network.
type Subnet struct {
	Plan      *plan.Subnet
	Index     int // its number among the subnets of the estate
	Name      string
	Network   *Network
	Tier      *Tier // nil when it belongs to none
	Zone      string
	Ranges    []netip.Prefix
	Table     *Table
	ByDefault bool  // whether no table names it, so that the main table is its own
	List      *List // nil when everything passes
	Workloads []*Workload
}

// Set is as many workloads of one kind as the plan counts.
type Set struct {
	Plan    *plan.Workload
	Name    string
	Members []*Workload
}

// Gateway is an internet gateway, an egress-only gateway or a NAT gateway.
type Gateway struct {
	Plan     *plan.Gateway
	Name     string
	Network  *Network
	Type     GatewayType
	Attached bool
	In       *Subnet // the subnet of a NAT that sits in one
	Addrs    []netip.Addr
	Serves   []*Subnet
	Public   []netip.Addr
	Assigned bool    // whether the cloud gives its public address, and Public has one that stands for it
	Born     bool    // whether it came with the network, and the plan does not write it
	Door     *Subnet // where what an internet gateway brings looks into a table; nil when it gets to the network's ranges alone
}

// GatewayType says what a gateway does.
type GatewayType string

// The types of gateways: to and from the internet; IPv6 out, and nothing new in; translation of addresses.
const (
	InternetGateway GatewayType = "internet"
	EgressGateway   GatewayType = "egress"
	NATGateway      GatewayType = "nat"
)

// Table is a route table of a network.
type Table struct {
	Plan    *plan.Table // nil for a main table that the plan does not write
	Name    string
	Network *Network
	Main    bool
	Subnets []*Subnet
	Routes  []*Route // local ones first, then those by hand, then those that install themselves
	Some    []*Route // those that are for the packets of some workloads alone

	routes address.Table[*Route]

	door *Subnet // once asked for
}

// Origin says how a route came to be. At the same length, a lower one wins.
type Origin int

// The origins of routes.
const (
	Local   Origin = iota // to the network itself
	ByHand                // written in the plan
	Learned               // to a peer's ranges, or learned by a hub table
	Birth                 // the default route a network is born with
)

// Route leads a destination to a next hop.
type Route struct {
	To     netip.Prefix
	Name   string // what has the range, where the plan names that in its place
	Only   *Group // whose members' packets it is for; nil for all
	Origin Origin
	// Via is the next hop: of a network's table a gateway, peering, hub, site or workload of it; of a hub's table a network
	// or site attached to it, or a link to another hub; Blackhole in both; nil for a local route.
	Via Object
	At  text.Pos // where it stands, when it was written
	// Or are others of a table to the same range and of the same origin, which lead elsewhere: a packet may take any of them.
	Or []*Route
}

// ViaName is the next hop as a route writes it; empty for a local route.
func (r *Route) ViaName() string {
	switch via := r.Via.(type) {
	case nil:
		return ""
	case *Gateway:
		return via.Name
	default:
		return via.ID()
	}
}

// Leads is the range that the route leads to, with the name that the plan has for it.
func (r *Route) Leads() string {
	some := ""
	if r.Only != nil {
		some = ", for group " + r.Only.Name
	}
	if r.Name != "" {
		return r.Name + " (" + r.To.String() + ")" + some
	}
	return r.To.String() + some
}

// Takes reports whether a route that is for some is taken for the packets of a source, in the place of the route that all
// take: it is when it is as long, and no local one stands against it.
func (r *Route) Takes(source netip.Addr, all *Route) bool {
	if !r.Only.Has(source) {
		return false
	}
	return all == nil || r.To.Bits() > all.To.Bits() || r.To.Bits() == all.To.Bits() && all.Origin != Local
}

// ToInternet is the internet gateway that the route leads to; nil when it leads elsewhere.
func (r *Route) ToInternet() *Gateway {
	if g, is := r.Via.(*Gateway); is && g.Type == InternetGateway {
		return g
	}
	return nil
}

// Group is a stateful security group.
type Group struct {
	Plan    *plan.Group
	Name    string
	Network *Network
	Members []*Workload
	In, Out []Rule
}

// Has reports whether a is a private address of a member.
func (g *Group) Has(a netip.Addr) bool {
	w := g.Network.hosts[a].Workload
	return w != nil && slices.Contains(w.Groups, g)
}

// Rule is a rule of a group or a list, with the group that it names bound.
type Rule struct {
	*plan.Rule
	Group *Group
	Nth   int // its number in the plan, from 1: a name that stands for several ranges makes several rules of one
}

// List is an ordered, stateless access list.
type List struct {
	Plan    *plan.List
	Index   int // its number among the lists of the estate
	Name    string
	Network *Network
	In, Out []Rule
}

// Workload is a thing with addresses that talks.
type Workload struct {
	Plan        *plan.Workload
	Index       int // its number in Estate.Workloads
	Name        string
	Set         *Set    // that it is one of; nil for a workload alone
	Tier        *Tier   // where the plan puts it, when that is no subnet
	Subnet      *Subnet // nil where only its tier is known
	Addrs       []netip.Addr
	Public      []netip.Addr
	Assigned    bool // whether the cloud gives its public address, and Public has one that stands for it
	Groups      []*Group
	Listens     flow.Set
	Forwards    Forwarding
	Targets     []*Workload // of a balancer
	TargetPorts flow.Set    // on what it hands flows on; empty for what it was asked
}

// Forwarding says what a workload does with packets that routes lead to it.
type Forwarding string

// It drops them; passes them on as a router does, to which it is nothing that the other direction goes past it; as a
// firewall does, which drops what belongs to no flow that it has seen begin; or so and under its own address.
const (
	NotForwarding      Forwarding = ""
	PlainForwarding    Forwarding = "plain"
	StatefulForwarding Forwarding = "stateful"
	NATForwarding      Forwarding = "nat"
)

// Peering joins two networks.
type Peering struct {
	Plan     *plan.Peering
	Name     string
	Between  [2]*Network
	Accepted [2]bool
	Exports  [2]bool    // whether each end lets the other have its routes to sites and hubs
	Imports  [2]bool    // whether each end takes those of the other
	Meant    [2]Meant   // of each end, what it is meant for
	Doors    [2]*Subnet // of each end, where what comes over it looks into a table; nil when it gets to its ranges alone
}

// Carries reports whether the custom routes of one end, to sites and hubs behind it, are for the other end to use.
func (p *Peering) Carries(from *Network) bool {
	i := 0
	if p.Between[1] == from {
		i = 1
	}
	return p.Exports[i] && p.Imports[1-i]
}

// Far is the network at the other end from n.
func (p *Peering) Far(n *Network) *Network {
	if p.Between[0] == n {
		return p.Between[1]
	}
	return p.Between[0]
}

// Door is where what comes over the peering into one of its ends looks into a table; nil when it gets to that network's own
// ranges alone.
func (p *Peering) Door(into *Network) *Subnet {
	if p.Between[1] == into {
		return p.Doors[1]
	}
	return p.Doors[0]
}

// Stands reports whether both halves are accepted.
func (p *Peering) Stands() bool { return p.Accepted[0] && p.Accepted[1] }

// Hub joins networks and sites through tables of its own.
type Hub struct {
	Plan        *plan.Hub
	Name        string
	Attachments []*Attachment
	Tables      []*HubTable
	Links       []*HubLink

	scope    scope
	attached map[string]*Attachment // by the name of what is attached
}

// HubLink joins two hubs.
type HubLink struct {
	Plan     *plan.HubLink
	Name     string
	Between  [2]*Hub
	Accepted [2]bool
	Tables   [2]*HubTable // what comes over the link to each hub looks into this table of it
}

// Stands reports whether both halves are accepted.
func (l *HubLink) Stands() bool { return l.Accepted[0] && l.Accepted[1] }

// Far is the hub at the other end from h, and the table that what comes from h looks into there.
func (l *HubLink) Far(h *Hub) (*Hub, *HubTable) {
	if l.Between[0] == h {
		return l.Between[1], l.Tables[1]
	}
	return l.Between[0], l.Tables[0]
}

// Attachment ties a network or a site to a hub.
type Attachment struct {
	Hub     *Hub
	Network *Network // or
	Site    *Site
	Table   *HubTable
	Arrives plan.Text
	Meant   Meant   // of its network
	Door    *Subnet // where what the hub brings looks into a table of the network; nil when it gets to its ranges alone
	At      text.Pos
}

// To is the network or site that is attached.
func (a *Attachment) To() Object {
	if a.Network != nil {
		return a.Network
	}
	return a.Site
}

// Ranges are those of the network or site that is attached.
func (a *Attachment) Ranges() []netip.Prefix {
	if a.Network != nil {
		return a.Network.Ranges
	}
	return a.Site.Ranges
}

// HubTable is a route table of a hub.
type HubTable struct {
	Plan   *plan.HubTable
	Name   string
	Hub    *Hub
	Routes []*Route

	routes address.Table[*Route]
}

// Site is a building of the organisation or of a partner.
type Site struct {
	Plan        *plan.Site
	Name        string
	Ranges      []netip.Prefix
	Knows       []netip.Prefix
	Link        *Network
	Attachments []*Attachment
	Door        *Subnet // where what comes over its link looks into a table of that network; nil when it gets to its ranges alone
}

// Remark is what is worth saying of a route of this origin; empty for one by hand.
func (o Origin) Remark() string {
	switch o {
	case Learned:
		return " (installed by itself)"
	case Birth:
		return " (there from birth)"
	}
	return ""
}
