// Package begin writes a first plan: a shape of network, networks that take it, and space for them, each part with a
// comment that says what it is for.
package begin

import (
	"fmt"
	"net/netip"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/wrong"
)

// Tier is a tier to begin with.
type Tier struct {
	Name, Access string
	Hosts        int
}

// Options say what a plan begins with.
type Options struct {
	Estate   string
	Profile  string // one of profile.Names
	Networks []string
	Region   string
	Zones    int // how many the region has, up to 26
	Tiers    []Tier
	Space    netip.Prefix // of which the region gets the first quarter
	Size     int          // of each network
}

// Accesses are what a tier can be.
var Accesses = []string{"public", "outbound", "closed"}

// ParseTiers reads tiers as name:access:hosts, with commas between. The error is a *wrong.Error.
func ParseTiers(text string) ([]Tier, error) {
	var all []Tier
	for one := range strings.SplitSeq(text, ",") {
		parts := strings.Split(strings.TrimSpace(one), ":")
		bad := wrong.Value("write  web:public:60,app:outbound:200", "%q is no tier: it takes a name, an access and how many hosts", one)
		if len(parts) != 3 {
			return nil, bad
		}
		t := Tier{Name: parts[0], Access: parts[1]}
		if _, err := fmt.Sscanf(parts[2], "%d", &t.Hosts); err != nil || t.Hosts < 1 || fmt.Sprint(t.Hosts) != parts[2] {
			return nil, bad
		}
		known := false
		for _, a := range Accesses {
			known = known || a == t.Access
		}
		if !known {
			return nil, wrong.Value("write public, outbound or closed", "%q is no access", t.Access)
		}
		all = append(all, t)
	}
	return all, nil
}

// Lacks says what tiers lack for a way out under a profile; nil where they lack nothing. The error is a *wrong.Error.
func Lacks(tiers []Tier, cloud profile.Profile) error {
	is := map[string]string{}
	for _, t := range tiers {
		is[t.Access] = t.Name
	}
	if is["outbound"] != "" && is["public"] == "" && !cloud.NATServes {
		return wrong.Value("add one, such as  edge:public:10", "tier %s is outbound, and no public tier is there for the NAT gateway that it leaves by", is["outbound"])
	}
	return nil
}

// Plan writes the text of the plan; nothing in it is carved yet.
func Plan(o Options) string {
	cloud, _ := profile.Named(o.Profile)
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("# The plan of %s. What is wanted stands here; carve adds ranges and addresses, and moves none.", o.Estate)
	line("# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid")
	line("wendrik: 1\nestate: %s", o.Estate)
	line("profile: %s          # how the cloud behaves; each knob can be set:  wendrik help plan profile\n", o.Profile)
	line("# The region, and its zones.\nregions:\n  %s: [%s]\n", o.Region, strings.Join(zones(o), ", "))
	line("# Address space, from the top down: networks of the region come out of its block, and the rest is\n# left for other regions.")
	line("space:\n  cloud: {block: %s}", o.Space)
	if part, found := address.Piece(o.Space, min(o.Space.Bits()+2, 32), 0); found {
		line("  %s: {block: %s, within: cloud, region: %s}\n", o.Region, part, o.Region)
	}
	line("# A shape of network, named once; {network} in it is the name of the network that takes it.\npatterns:\n  service:")
	line("    # What its subnets are for. hosts is how many workloads each must have room for. public is open\n    # to the internet, outbound gets out through NAT, closed does neither.\n    tiers:")
	of := map[string][]string{}
	width := 0
	for _, t := range o.Tiers {
		of[t.Access] = append(of[t.Access], t.Name)
		width = max(width, len(t.Name))
	}
	for _, t := range o.Tiers {
		line("      %-*s {access: %s, hosts: %d}", width+1, t.Name+":", t.Access, t.Hosts)
	}
	gateways(line, cloud, of)
	if len(of["closed"]) > 0 {
		line("    # Who reaches whom, and who never does; check holds the plan against it.")
		line("    expect:")
		for _, t := range of["closed"] {
			line("      - internet never reaches {network}/%s", t)
		}
	}
	line("\n# The networks. What one says itself stands in the place of what the pattern says.\nnetworks:")
	for _, n := range o.Networks {
		line("  %s:\n    pattern: service\n    region: %s\n    from: %s", n, o.Region, o.Region)
		if cloud.OwnRanges {
			line("    size: /%d", o.Size)
		}
	}
	first := o.Tiers[0].Name
	line("\n# What lives there, by tier: take the marks off, and carve gives addresses.\n# workloads:")
	line("#   shop: {in: %s/%s, count: 2, public: assigned, listens: [tcp/443]}", o.Networks[0], first)
	if len(o.Networks) > 1 {
		line("\n# Networks that are to talk need a peering, accepted by both, and routes:  wendrik help plan peerings\n# peerings:")
		line("#   %s-%s: {between: [%s, %s], accepted: [%s, %s]}", o.Networks[0], o.Networks[1], o.Networks[0], o.Networks[1], o.Networks[0], o.Networks[1])
	}
	return b.String()
}

func zones(o Options) []string {
	var all []string
	for i := range o.Zones {
		all = append(all, fmt.Sprintf("%s-%c", o.Region, 'a'+i))
	}
	return all
}

// gateways writes the ways out of tiers, and the tables that lead to them, as far as the cloud leaves that to people.
func gateways(line func(string, ...any), cloud profile.Profile, of map[string][]string) {
	public, outbound, closed := of["public"], of["outbound"], of["closed"]
	if len(public)+len(outbound) == 0 && !cloud.DefaultRoute {
		return
	}
	line("    # The ways out. assigned is a public address that the cloud gives.\n    gateways:")
	line("      front: {kind: internet}")
	nat := len(outbound) > 0 && (cloud.NATServes || len(public) > 0)
	switch {
	case nat && cloud.NATServes:
		line("      out: {kind: nat, serves: [%s], public: assigned}", strings.Join(outbound, ", "))
	case nat:
		line("      out: {kind: nat, in: %s, public: assigned}", public[0])
	}
	line("    # Where packets go: the most specific route wins, and those inside the network are always there.\n    tables:")
	line("      main: {main: true, routes: []}")
	if len(public) > 0 {
		line("      public: {subnets: [%s], routes: [{to: 0.0.0.0/0, via: front}]}", strings.Join(public, ", "))
	}
	if nat {
		via := "out"
		if cloud.NATServes {
			via = "front"
		}
		line("      outbound: {subnets: [%s], routes: [{to: 0.0.0.0/0, via: %s}]}", strings.Join(outbound, ", "), via)
	}
	if len(closed) > 0 && cloud.DefaultRoute {
		line("      # A network is born with a way out here, so what is closed leads it nowhere.")
		line("      closed: {subnets: [%s], routes: [{to: 0.0.0.0/0, via: blackhole}, {to: \"::/0\", via: blackhole}]}", strings.Join(closed, ", "))
	}
}
