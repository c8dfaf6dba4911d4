package reach

import "wendrik/internal/core/diag"

// The codes of what stops packets.
const (
	NoGroup           diag.Code = "no-group"
	GroupIn           diag.Code = "group-in"
	GroupOut          diag.Code = "group-out"
	ListIn            diag.Code = "list-in"
	ListOut           diag.Code = "list-out"
	NoRoute           diag.Code = "no-route"
	LeftOnMainTable   diag.Code = "left-on-main-table"
	BlackholeRoute    diag.Code = "blackhole"
	Endless           diag.Code = "endless"
	NotJoined         diag.Code = "not-joined"
	NotBehind         diag.Code = "not-behind"
	PeeringHalf       diag.Code = "peering-half"
	HubLinkHalf       diag.Code = "hub-link-half"
	HubNoRoute        diag.Code = "hub-no-route"
	SiteDoesNotKnow   diag.Code = "site-does-not-know"
	GatewayDetached   diag.Code = "gateway-detached"
	NoInternetGateway diag.Code = "no-internet-gateway"
	PrivateToInternet diag.Code = "private-to-internet"
	EgressFamily      diag.Code = "egress-family"
	NoPublicAddress   diag.Code = "no-public-address"
	NotCarried        diag.Code = "not-carried"
	NATInbound        diag.Code = "nat-inbound"
	NATFamily         diag.Code = "nat-family"
	SecondNAT         diag.Code = "second-nat"
	ReplyThroughNAT   diag.Code = "reply-through-nat"
	ReplyToInternet   diag.Code = "reply-to-internet"
	NotExported       diag.Code = "not-exported" // a peer's route to a site or hub
	NotImported       diag.Code = "not-imported"
	NoExportedRoute   diag.Code = "no-exported-route" // that the peer has to export
	ReplyBypasses     diag.Code = "reply-bypasses"
	ReplyUnknown      diag.Code = "reply-unknown" // through a firewall that did not see the flow begin
	ReplyFromStranger diag.Code = "reply-from-stranger"
	NotForwarding     diag.Code = "not-forwarding"
	Overlap           diag.Code = "overlap"
	NotThere          diag.Code = "not-there"
	NoWorkload        diag.Code = "no-workload"
	NoCommonFamily    diag.Code = "no-common-family"
	OutOfOrder        diag.Code = "out-of-order"
)

// Codes are all of them.
var Codes = []diag.Code{NoGroup, GroupIn, GroupOut, ListIn, ListOut, NoRoute, LeftOnMainTable, BlackholeRoute, Endless, NotJoined, NotBehind,
	PeeringHalf, HubLinkHalf, HubNoRoute, SiteDoesNotKnow, GatewayDetached, NoInternetGateway, PrivateToInternet, EgressFamily, NoPublicAddress,
	NotCarried, NATInbound, NATFamily, SecondNAT, ReplyThroughNAT, ReplyToInternet, ReplyBypasses, ReplyUnknown, NotExported, NotImported, NoExportedRoute, ReplyFromStranger, NotForwarding, Overlap,
	NotThere, NoWorkload, NoCommonFamily, OutOfOrder}
