// Package stage says what a plan looks like when it is built from the parts of a Linux kernel: which network namespaces
// there are, how they are joined, and what each has for routes and packet filters. It touches no kernel itself.
package stage

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
)

// Stage is all that has to be built.
type Stage struct {
	Nodes   []*Node
	numbers *numbers
}

// numbers give each bridge and each end of a cable a number of its own, by what it is: the same in every stage of an estate that
// changes, so that what stays can be told from what comes and goes.
type numbers struct {
	of    map[string]int
	taken map[string]bool // in the stage that is being built
}

// number is the number of a thing, which no other has.
func (n *numbers) number(thing string) int {
	for n.taken[thing] {
		thing += "+"
	}
	n.taken[thing] = true
	x, known := n.of[thing]
	if !known {
		x = len(n.of) + 1
		n.of[thing] = x
	}
	return x
}

// Node is a network namespace: a workload, a NAT gateway, the router of a network, its gateways to the internet, a hub,
// a site, or the internet.
type Node struct {
	Name     string // such as  network booking
	Forwards bool
	Bridges  []*Bridge
	Ports    []*Port
	Own      []netip.Addr // addresses on its loopback
	Rules    []Rule       // which table to look into, in order; the first that has a route decides
	Tables   [][]Route    // by number, from 0
	Chains   []Chain

	Workload *estate.Workload // set on the node of a workload
}

// Bridge is a subnet in the router of its network.
type Bridge struct {
	Name   string
	Addrs  []netip.Prefix
	Number int // of its own, as that of a port
}

// Port is one end of a cable between two nodes.
type Port struct {
	Name   string
	Addrs  []netip.Prefix
	Bridge *Bridge // that it is plugged into; nil for none
	Peer   *Port
	Node   *Node
	Number int // which no other port or bridge has
}

// Neighbour is a host on a link, and the number of its port or bridge there.
type Neighbour struct {
	Dev    string
	Addr   netip.Addr
	Number int
}

// Neighbours are all hosts on the links of a node. They are written down, since a kernel has room for so many only that
// it has to find out about, in all namespaces together.
func (n *Node) Neighbours() []Neighbour {
	var out []Neighbour
	add := func(dev string, addrs []netip.Prefix, number int) {
		for _, a := range addrs {
			out = append(out, Neighbour{dev, a.Addr(), number})
		}
	}
	for _, p := range n.Ports {
		far := p.Peer
		switch {
		case p.Bridge != nil:
			add(p.Bridge.Name, far.Addrs, far.Number)
		case far.Bridge == nil:
			add(p.Name, far.Addrs, far.Number)
		default:
			add(p.Name, far.Bridge.Addrs, far.Bridge.Number)
			for _, other := range far.Node.Ports {
				if other.Bridge == far.Bridge && other.Peer != p {
					add(p.Name, other.Peer.Addrs, other.Peer.Number)
				}
			}
		}
	}
	return out
}

// Rule sends packets to a table by where they came in; an empty In is for all, also those of the node itself.
type Rule struct {
	In    string
	From  netip.Prefix // the source, where it is not for all
	Table int
}

// Kind is what a route does.
type Kind int

// The kinds of routes.
const (
	Deliver     Kind = iota
	Next             // look into the table of the next rule
	Unreachable      // drop
)

// Route is a route of the kernel. Without Via, the destination is on the link.
type Route struct {
	To   netip.Prefix
	Kind Kind
	Via  netip.Addr
	Dev  string
}

// Hook is where in the kernel's path of a packet a chain is asked.
type Hook int

// The hooks. NoHook is for chains that others jump to.
const (
	NoHook Hook = iota
	Input
	Output
	Forward
	Arriving // before routing; translates destinations
	Leaving  // after routing; translates sources
	Left     // after that
)

// Chain is a list of rules of the packet filter.
type Chain struct {
	Name  string
	Hook  Hook
	Drops bool // whether what no rule decides is dropped; else it is accepted, or goes back to where it was
	Rules []Filter
}

// Then is what a rule does with a packet.
type Then int

// What a rule does.
const (
	Accept Then = iota
	Drop
	Return
	Jump
	From // put To in the place of the source
	To   // put To in the place of the destination
)

// Tracked are states of connection tracking.
type Tracked int

// The states, which can be added.
const (
	Known   Tracked = 1 << iota // the flow, or one that belongs to it, was seen before
	Invalid                     // it belongs to nothing that could be
	Reply                       // it goes against the direction of the flow's first packet
)

// Part is a part of TCP's handshake (RFC 9293).
type Part int

// The parts: the SYN and ACK that answer a SYN, and everything but that.
const (
	AnyPart Part = iota
	Answering
	NotAnswering
)

// Filter is a rule of the packet filter. What is not set matches everything.
type Filter struct {
	In, Out   string
	Apart     bool // whether it must leave by another port than it came in by
	Family    int  // 4 or 6
	Src, Dst  netip.Prefix
	NotSrc    netip.Prefix
	NotDst    netip.Prefix // in written rulesets alone
	Protocol  string       // tcp, udp or icmp
	Ports     *[2]uint16
	State     Tracked
	Neighbour bool // neighbour discovery (RFC 4861), which no group or list is about
	Answer    Part // which part of TCP's handshake
	Then      Then
	Jump      string
	New       netip.Addr
}

// node adds a node.
func (s *Stage) node(name string, forwards bool) *Node {
	n := &Node{Name: name, Forwards: forwards}
	s.Nodes = append(s.Nodes, n)
	return n
}

// table adds a table to a node, and gives its number.
func (n *Node) table(routes ...Route) int {
	n.Tables = append(n.Tables, routes)
	return len(n.Tables) - 1
}

func (n *Node) rule(in string, table int) { n.Rules = append(n.Rules, Rule{In: in, Table: table}) }

// chain adds a chain, unless it has nothing to say.
func (n *Node) chain(c Chain) {
	if len(c.Rules) > 0 || c.Drops {
		n.Chains = append(n.Chains, c)
	}
}

// The addresses of links between nodes come from these ranges, which RFC 3927 and RFC 4291 set aside for single links.
var (
	gateway4 = netip.MustParseAddr("169.254.255.254")
	gateway6 = netip.MustParseAddr("fe80::ffff")
)

// host is the pair of addresses by which a link knows the host with a number.
func host(n int) []netip.Prefix {
	return []netip.Prefix{
		netip.PrefixFrom(netip.AddrFrom4([4]byte{169, 254, byte(n >> 8), byte(n)}), 32),
		netip.MustParsePrefix(fmt.Sprintf("fe80::%x:%x/128", n>>16, n&0xffff)),
	}
}

// cable joins two nodes for a purpose, each end with addresses of its own. The names of its ends begin with two words, and end
// with a number where these are not whole names.
func (s *Stage) cable(a, b *Node, purpose, nameA, nameB string) (atA, atB *Port) {
	end := func(n *Node, name, which string) *Port {
		p := &Port{Name: name, Node: n, Number: s.numbers.number(fmt.Sprintf("%s | %s | %s | %s", purpose, a.Name, b.Name, which))}
		if len(name) == 1 {
			p.Name = fmt.Sprintf("%s%d", name, p.Number)
		}
		p.Addrs = host(p.Number)
		n.Ports = append(n.Ports, p)
		return p
	}
	atA, atB = end(a, nameA, "near"), end(b, nameB, "far")
	atA.Peer, atB.Peer = atB, atA
	return atA, atB
}

// plug joins a node to a bridge of another, as the hosts of a subnet are.
func (s *Stage) plug(n, router *Node, b *Bridge) *Port {
	inside, outside := s.cable(n, router, "host", "eth0", "v")
	outside.Addrs, outside.Bridge = nil, b
	return inside
}

// like picks the address of a family.
func like(addrs []netip.Prefix, four bool) netip.Addr {
	for _, p := range addrs {
		if p.Addr().Is4() == four {
			return p.Addr()
		}
	}
	return netip.Addr{}
}

// cable is both ends of a cable, in the order in which the plan names what it joins.
type cable [2]*Port

// at is the end at a node.
func (c cable) at(n *Node) *Port {
	if c[1].Node == n {
		return c[1]
	}
	return c[0]
}

// over is the route that leads to the far end of a cable.
func over(to netip.Prefix, p *Port) Route {
	return Route{To: to, Via: like(p.Peer.Addrs, to.Addr().Is4()), Dev: p.Name}
}

// everywhere are the default ranges of both families.
var everywhere = []netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("::/0")}

// end is the table that drops whatever no other one has led anywhere.
func end() []Route { return closed(nil) }

// closed adds to routes that everything else is dropped.
func closed(routes []Route) []Route {
	for _, p := range everywhere {
		if !taken(routes, p) {
			routes = append(routes, Route{To: p, Kind: Unreachable})
		}
	}
	return routes
}

// taken reports whether routes have one to a range already.
func taken(routes []Route, to netip.Prefix) bool {
	return slices.ContainsFunc(routes, func(x Route) bool { return x.To == to })
}
