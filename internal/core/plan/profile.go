package plan

// A Profile says how a cloud behaves, in knobs that name no provider.
type Profile struct {
	Name         string
	SubnetsIn    Reach // what one subnet spans
	KeptFirst    int   // addresses kept at the start of each IPv4 subnet
	KeptLast     int   // and at its end
	Smallest     int   // length of the smallest IPv4 subnet, such as 28
	Largest      int   // length of the largest
	OwnRanges    bool  // whether a network has ranges of its own, or is the sum of its subnets
	PeerRoutes   bool  // whether routes to a peer's subnets install themselves
	DefaultRoute bool  // whether a network is born with a route to the internet
	NATServes    bool  // whether a NAT gateway serves named subnets, or sits in one
	ImplicitOut  bool  // whether a workload without public address and NAT gets out all the same
	PeerGroups   bool  // whether a rule may name a group of a peered network
	ReplyPorts   [2]uint16
}

// Reach is what one subnet spans.
type Reach string

// A subnet lives in one zone, in all zones of a region, or anywhere.
const (
	OneZone   Reach = "zone"
	OneRegion Reach = "region"
	Anywhere  Reach = "anywhere"
)

// replyPorts is wider than the dynamic ports of RFC 6335 (49152-65535), which is too narrow for real clients.
var replyPorts = [2]uint16{1024, 65535}

// Profiles are the built-in ones, in the order in which they are named to people.
var Profiles = []Profile{
	{Name: "zonal", SubnetsIn: OneZone, KeptFirst: 4, KeptLast: 1, Smallest: 28, Largest: 16,
		OwnRanges: true, PeerGroups: true, ReplyPorts: replyPorts},
	{Name: "regional", SubnetsIn: OneRegion, KeptFirst: 2, KeptLast: 2, Smallest: 29, Largest: 8,
		PeerRoutes: true, DefaultRoute: true, NATServes: true, ReplyPorts: replyPorts},
	{Name: "plain", SubnetsIn: Anywhere, KeptFirst: 1, KeptLast: 1, Smallest: 30, Largest: 8,
		OwnRanges: true, PeerGroups: true, ReplyPorts: replyPorts},
}

// profileNames lists the built-in profiles for messages and suggestions.
func profileNames() []string {
	var names []string
	for _, p := range Profiles {
		names = append(names, p.Name)
	}
	return names
}

// ProfileNamed is the built-in profile of that name, and whether there is one.
func ProfileNamed(name string) (Profile, bool) {
	for _, p := range Profiles {
		if p.Name == name {
			return p, true
		}
	}
	return Profile{}, false
}

// ProfileSetting is what a plan or a network says of its profile: which one it is like, and the knobs it sets.
type ProfileSetting struct {
	Like  Text
	knobs []func(*Profile)
}

// On is the profile that the setting makes of base. The setting's Like, when given, takes the place of base.
func (s ProfileSetting) On(base Profile) Profile {
	if p, found := ProfileNamed(s.Like.Value); found {
		base = p
	}
	for _, set := range s.knobs {
		set(&base)
	}
	return base
}
