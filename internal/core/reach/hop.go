package reach

import (
	"net/netip"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/text"
)

// Hop is one step of a walk: what was decided, by which object. Sentences are made from it elsewhere.
type Hop struct {
	Did    Deed
	Object estate.Object // whose step it is: a workload, subnet, list, route table, gateway, peering, hub, hub link or site; nil for the internet
	At     text.Pos      // of the rule or route that decided it, or of the object
	Stops  bool          // whether nothing gets past it
	Left   flow.Set      // the flows that are left behind it; on the way back, those of the replies

	// What it was decided by, and what became of the packet, as far as the deed has such.
	Dir     Direction        // of a list or groups
	Rules   []estate.Rule    // that let it pass
	Only    flow.Set         // what a list or groups let through, where that is not all that is wanted
	Table   *estate.HubTable // of a hub
	Route   *estate.Route    // of a route table or a hub
	Addrs   []netip.Addr     // that the packet has from here on; any of them, where they are several
	Host    estate.Host      // whose address it takes, or whom it is for
	Into    estate.Object    // the network or hub that it is led into
	Back    bool             // whether it is a reply
	Far     string           // the address that it is for or from, or the name of all that are alike
	Code    diag.Code        // of a step that stops everything: that of its blocker
	Message string           // of a step that stops everything or lets only some pass: why
	groups  []*estate.Group  // see Groups
	far     role
}

// Groups are those of a workload that a rule of which decided; none where they are not what decides.
func (h Hop) Groups() []*estate.Group { return h.groups }

// Deed is what a step did with the packet.
type Deed int

// The deeds.
const (
	Stopped         Deed = iota // it stops everything, and the message says why
	StaysInside                 // both ends are in the subnet, so that no list and no table is asked
	ListPassed                  // a list let it through
	GroupsPassed                // the groups of a workload did
	NoGroupsOut                 // the workload is in no group, so that everything goes out
	FlowRemembered              // the groups of a workload remember the flow
	RouteLocal                  // the table leads it on within the network
	Routed                      // the table leads it to a next hop
	HubRouted                   // a hub's table leads it to an attachment or a link
	LinkCrossed                 // it goes on to another hub
	PeeringCrossed              // it goes into another network
	PeeringImports              // it goes from a site into a network that imports the way to that
	SiteEntered                 // it arrives at the site
	SiteKnows                   // the site knows a way
	SiteLinked                  // the site's link leads into a network
	OutSeenAs                   // the internet gateway lets it out, and the internet sees it as an address
	OutByChance                 // the same, and the cloud chooses the address
	ReplyOut                    // a reply leaves by an internet gateway, as an address
	InFor                       // an internet gateway lets it in, for a host
	ReplyInFor                  // the same for a reply
	Translated                  // a NAT gateway puts its address in the place of the source
	TurnedBack                  // what translated a flow gives its reply the address of the source as it was
	PassedOn                    // a workload passes it on as it is
	PassedOnAs                  // a workload passes it on under its own address
	OnInternet                  // it arrives on the internet
	FromInternet                // it comes from the internet
	ReplyOfInternet             // a reply comes from the internet
	SeesHalf                    // a firewall sees one direction alone: TCP ends there, and what is left may pass
)
