// Package profile says how clouds behave, in knobs that name no provider.
package profile

import (
	"math/big"
	"net/netip"
	"strconv"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/wrong"
)

// A Profile says how a cloud behaves, in knobs that name no provider.
type Profile struct {
	Name          string
	SubnetsIn     Reach // what one subnet spans
	ReservedFirst int   // addresses reserved at the start of each IPv4 subnet
	ReservedLast  int   // and at its end
	Smallest      int   // length of the smallest IPv4 subnet, such as 28
	Largest       int   // length of the largest
	OwnRanges     bool  // whether a network has ranges of its own, or is the sum of its subnets
	PeerRoutes    bool  // whether routes to a peer's ranges install themselves
	DefaultRoute  bool  // whether a network is born with a route to the internet
	NATServes     bool  // whether a NAT gateway serves named subnets, or sits in one
	ImplicitOut   bool  // whether a workload without public address and NAT gets out all the same
	PeerGroups    bool  // whether a rule may name a group of a peered network
	RoutesForSome bool  // whether a route can be for the packets of some workloads alone
	ReplyPorts    [2]uint16
	Router        int // which address of a subnet, counted from its first, is its router's; 0 for none
	Resolver      int // likewise its name server's
	DHCPServer    int // likewise its DHCP server's
	MaxRoutes     int // how many routes one table may have beside the local ones; 0 for as many as one likes, here and below
	MaxRules      int // how many rules one group or list may have in one direction
	MaxPeerings   int // how many peerings one network may have
}

// Reach is what one subnet spans.
type Reach string

// A subnet lives in one zone, in all zones of a region, or anywhere.
const (
	OneZone   Reach = "zone"
	OneRegion Reach = "region"
	Anywhere  Reach = "anywhere"
)

// usualReplyPorts is wider than the dynamic ports of RFC 6335 (49152-65535), which is too narrow for real clients.
var usualReplyPorts = [2]uint16{1024, 65535}

// BuiltIn are the profiles that need no knobs, in the order in which they are named to people.
var BuiltIn = []Profile{
	{Name: "zonal", SubnetsIn: OneZone, ReservedFirst: 4, ReservedLast: 1, Smallest: 28, Largest: 16,
		OwnRanges: true, PeerGroups: true, ReplyPorts: usualReplyPorts, Router: 1, Resolver: 2, DHCPServer: 1},
	{Name: "regional", SubnetsIn: OneRegion, ReservedFirst: 2, ReservedLast: 2, Smallest: 29, Largest: 8,
		PeerRoutes: true, DefaultRoute: true, NATServes: true, RoutesForSome: true, ReplyPorts: usualReplyPorts, Router: 1},
	{Name: "plain", SubnetsIn: Anywhere, ReservedFirst: 1, ReservedLast: 1, Smallest: 30, Largest: 8,
		OwnRanges: true, PeerGroups: true, RoutesForSome: true, ReplyPorts: usualReplyPorts},
}

// Names are those of the built-in profiles.
func Names() []string {
	var names []string
	for _, p := range BuiltIn {
		names = append(names, p.Name)
	}
	return names
}

// Named is the built-in profile of that name, and whether there is one.
func Named(name string) (Profile, bool) {
	for _, p := range BuiltIn {
		if p.Name == name {
			return p, true
		}
	}
	return Profile{}, false
}

// Usable is how many addresses of a subnet's range workloads can have: all but those that the cloud reserves, which it
// does for IPv4 only.
func (p Profile) Usable(r netip.Prefix) *big.Int {
	if r.Addr().Is4() {
		return address.Usable(r, p.ReservedFirst, p.ReservedLast)
	}
	return address.Count(r)
}

// UsableIn is Usable for an IPv4 range of a length from 0 to 32.
func (p Profile) UsableIn(length int) int {
	return max(0, 1<<(32-length)-p.ReservedFirst-p.ReservedLast)
}

// Ends are the first and the last address of a subnet's range that workloads can have; both zero when there is none.
func (p Profile) Ends(r netip.Prefix) (first, last netip.Addr) {
	if p.Usable(r).Sign() == 0 {
		return
	}
	first, last = r.Addr(), address.Last(r)
	if first.Is4() {
		first = address.Advance(first, uint64(p.ReservedFirst))
		last = address.Retreat(last, uint64(p.ReservedLast))
	}
	return first, last
}

// Takes reports whether an IPv4 subnet may have a length.
func (p Profile) Takes(length int) bool { return length >= p.Largest && length <= p.Smallest }

// SizeFor is the length of the smallest IPv4 subnet with room for n workloads, and whether there is one.
func (p Profile) SizeFor(n int) (length int, fits bool) {
	length = min(address.BitsFor(big.NewInt(int64(n)+int64(p.ReservedFirst+p.ReservedLast)), 32), p.Smallest)
	return length, length >= p.Largest
}

// ParseGrowth reads room to grow as a whole percentage, such as 50%.
func ParseGrowth(s string) (percent int, err error) {
	v, err := strconv.ParseUint(strings.TrimSuffix(s, "%"), 10, 16)
	switch {
	case err != nil || v > 10_000:
		return 0, wrong.Value("write 50%", "%q is not a percentage up to 10000%%", s)
	case !strings.HasSuffix(s, "%"):
		return 0, wrong.Value("write "+s+"%", "the growth %s lacks its sign", s)
	}
	return int(v), nil
}

// Grown is a head count with room to grow, rounded up.
func Grown(hosts, percent int) int { return hosts + (hosts*percent+99)/100 }
