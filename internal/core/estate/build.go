package estate

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/plan"
)

// Load decodes a text and binds its names. It reports every problem of the text in one run, in the order of the text;
// with findings of severity error the estate is incomplete, and no answer about it can be trusted.
func Load(src *plan.Source) (*Estate, []plan.Finding) {
	p, findings := plan.Decode(src)
	e, more := Build(p)
	findings = append(findings, more...)
	plan.SortFindings(findings)
	return e, findings
}

// Build binds the names of a plan. What cannot be bound is left out and reported.
func Build(p *plan.Plan) (*Estate, []plan.Finding) {
	b := &builder{e: &Estate{Plan: p, public: map[netip.Addr]Host{}}}
	b.e.Profile = p.Profile.On(plan.Profiles[len(plan.Profiles)-1])
	b.regions()
	b.space()
	b.networks()
	b.workloads()
	b.targets()
	b.sites()
	b.clusters()
	b.peerings()
	b.hubs()
	b.hubLinks()
	b.hubTables()
	b.tables()
	b.imports()
	b.rules()
	b.expectations()
	b.freeze()
	return b.e, b.findings
}

// freeze makes all tables ready for lookups.
func (b *builder) freeze() {
	b.e.Outside = b.e.findOutside()
	b.e.StandIn = b.e.findStandIn()
	for _, n := range b.e.Networks {
		n.where.Freeze()
		for _, t := range n.Tables {
			t.routes.Freeze()
		}
	}
	for _, h := range b.e.Hubs {
		for _, t := range h.Tables {
			t.routes.Freeze()
		}
	}
}

// findOutside is every public address that belongs to nobody in the estate.
func (e *Estate) findOutside() address.Set {
	var ours []netip.Prefix
	for _, n := range e.Networks {
		ours = append(ours, n.Ranges...)
		for _, g := range n.Gateways {
			for _, a := range g.Public {
				ours = append(ours, address.Single(a))
			}
		}
	}
	for _, s := range e.Sites {
		ours = append(ours, s.Ranges...)
	}
	for _, w := range e.Workloads {
		for _, a := range w.Public {
			ours = append(ours, address.Single(a))
		}
	}
	return address.Public().Minus(address.SetOf(ours...))
}

// findStandIn is a documentation address (RFC 5737) of the internet where one is left.
func (e *Estate) findStandIn() netip.Addr {
	if some := e.Outside.Clip(netip.MustParsePrefix("192.0.2.0/24")); !some.Empty() {
		return some.First()
	}
	return e.Outside.First()
}

type builder struct {
	e        *Estate
	findings []plan.Finding
}

func (b *builder) report(at plan.Pos, place, code, fix, format string, args ...any) {
	b.findings = append(b.findings, plan.Finding{Code: code, At: at, Place: place, Message: fmt.Sprintf(format, args...), Fix: fix})
}

// unknown reports a name that nothing of its kind has.
func (b *builder) unknown(t plan.Text, place, kind string, known []string) {
	fix := ""
	switch near := plan.Nearest(t.Value, known); {
	case near != "":
		fix = fmt.Sprintf("did you mean %s?", near)
	case len(known) == 0:
		fix = fmt.Sprintf("there is no %s at all; write one first", kind)
	case len(known) == 1:
		fix = "the only one known is " + known[0]
	case len(known) > 8:
		fix = fmt.Sprintf("there are %d, among them %s", len(known), strings.Join(known[:8], ", "))
	default:
		fix = "known are " + strings.Join(known, ", ")
	}
	b.report(t.At, place, "unknown-name", fix, "there is no %s named %q", kind, t.Value)
}

// lookup finds a thing by name, or reports the name.
func lookup[T any](b *builder, t plan.Text, place, kind string, all map[string]*T) *T {
	if found := all[t.Value]; found != nil {
		return found
	}
	b.unknown(t, place, kind, names(all))
	return nil
}

func names[T any](all map[string]*T) []string {
	out := make([]string, 0, len(all))
	for name := range all {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

func (b *builder) regions() {
	b.e.regions = map[string]*plan.Region{}
	for _, r := range b.e.Plan.Regions {
		b.e.regions[r.Name.Value] = r
		seen := map[string]bool{}
		for _, z := range r.Zones {
			if seen[z.Value] {
				b.report(z.At, "regions."+r.Name.Value, "duplicate-zone", "keep one of the two", "zone %s stands twice", z.Value)
			}
			seen[z.Value] = true
		}
	}
}

func (b *builder) space() {
	b.e.blocks = map[string]*Block{}
	for _, p := range b.e.Plan.Space {
		block := &Block{Plan: p, Name: p.Name.Value, Ranges: prefixes(p.Ranges), Held: p.Held.Given(), Region: p.Region.Value}
		if p.Region.Given() {
			lookup(b, p.Region, "space."+block.Name+".region", "region", b.e.regions)
		}
		b.e.Blocks = append(b.e.Blocks, block)
		b.e.blocks[block.Name] = block
	}
	for _, block := range b.e.Blocks {
		place := "space." + block.Name
		if !block.Plan.Within.Given() {
			continue
		}
		block.Within = lookup(b, block.Plan.Within, place+".within", "block", b.e.blocks)
		if block.Within == nil {
			continue
		}
		for _, r := range block.Plan.Ranges {
			if !inside(block.Within.Ranges, r.Prefix) {
				b.report(r.At, place+".block", "block-outside", "choose a range in it, or another block for within",
					"%s does not lie in block %s (%s)", r.Prefix, block.Within.Name, join(block.Within.Ranges))
			}
		}
	}
	for _, block := range b.e.Blocks {
		slow, fast := block, block
		for fast != nil && fast.Within != nil {
			if slow, fast = slow.Within, fast.Within.Within; slow == fast && slow != nil {
				b.report(block.Plan.Within.At, "space."+block.Name+".within", "block-loop", "let one of them stand at the top",
					"block %s lies within itself", block.Name)
				block.Within = nil
				break
			}
		}
	}
}

func prefixes(ranges []plan.Range) []netip.Prefix {
	var out []netip.Prefix
	for _, r := range ranges {
		out = append(out, r.Prefix)
	}
	return out
}

func addrs(given []plan.Addr) []netip.Addr {
	var out []netip.Addr
	for _, a := range given {
		out = append(out, a.Addr)
	}
	return out
}

// join lists ranges for a message.
func join(ranges []netip.Prefix) string {
	var words []string
	for _, p := range ranges {
		words = append(words, p.String())
	}
	return strings.Join(words, ", ")
}

func (b *builder) networks() {
	b.e.networks = map[string]*Network{}
	for _, p := range b.e.Plan.Networks {
		n := &Network{Plan: p, Name: p.Name.Value, Profile: p.Profile.On(b.e.Profile), Ranges: prefixes(p.Ranges),
			tiers: map[string]*Tier{}, subnets: map[string]*Subnet{}, gateways: map[string]*Gateway{},
			groups: map[string]*Group{}, hosts: map[netip.Addr]Host{}}
		b.e.Networks = append(b.e.Networks, n)
		b.e.networks[n.Name] = n
		place := "networks." + n.Name
		for _, t := range p.Regions {
			if r := lookup(b, t, place+".region", "region", b.e.regions); r != nil {
				n.Regions = append(n.Regions, r)
			}
		}
		if len(p.Regions) > 1 && n.Profile.SubnetsIn == plan.OneZone {
			b.report(p.Regions[1].At, place+".region", "several-regions", "give each region a network of its own",
				"a network whose subnets live in one zone lives in one region")
		}
		n.Naming = cmp.Or(p.Naming.Value, b.e.Plan.Naming.Value)
		if p.From.Given() {
			n.From = lookup(b, p.From, place+".from", "block", b.e.blocks)
		}
		if n.Profile.OwnRanges && !p.HasRange && !p.Size.Given() && !p.Size6.Given() {
			b.report(p.Name.At, place, "no-range", "add  range: ...,  or  from: BLOCK  and  size: /20  for carve",
				"network %s has neither range nor size", n.Name)
		}
		if (p.Size.Given() || p.Size6.Given()) && !p.From.Given() && !p.HasRange {
			at := p.Size.At
			if !p.Size.Given() {
				at = p.Size6.At
			}
			b.report(at, place+".size", "no-block", "add  from:  with one of "+orNone(names(b.e.blocks)),
				"the size of network %s says how much to carve, and nothing says from which block", n.Name)
		}
		b.tiers(n, place)
		b.held(n, place)
		b.subnets(n, place)
		b.gateways(n, place)
		b.lists(n, place)
	}
}

func orNone(words []string) string {
	if len(words) == 0 {
		return "the blocks of space, of which there is none yet"
	}
	return strings.Join(words, ", ")
}

func (b *builder) tiers(n *Network, place string) {
	for _, p := range n.Plan.Tiers {
		t := &Tier{Plan: p, Name: p.Name.Value, Network: n}
		n.Tiers = append(n.Tiers, t)
		n.tiers[t.Name] = t
		here := place + ".tiers." + t.Name
		if p.Hosts.Given() && p.Size.Given() {
			b.report(p.Size.At, here+".size", "hosts-and-size", "keep one of the two", "tier %s has both hosts and size", t.Name)
		}
		for _, z := range p.Zones {
			b.zone(n, z, here+".zones")
		}
	}
}

// zone reports a zone that none of the network's regions has.
func (b *builder) zone(n *Network, z plan.Text, place string) {
	var known []string
	for _, r := range n.Regions {
		for _, k := range r.Zones {
			known = append(known, k.Value)
		}
	}
	switch {
	case slices.Contains(known, z.Value):
	case len(n.Regions) == 0 && n.Plan.Regions == nil:
		b.report(z.At, place, "no-region", "add  region:  to the network", "network %s has a zone and no region", n.Name)
	case len(n.Regions) > 0:
		b.unknown(z, place, "zone of region "+n.Regions[0].Name.Value, known)
	}
}

// held binds the parts of a network that are held.
func (b *builder) held(n *Network, place string) {
	for _, p := range n.Plan.Held {
		h := &Held{Plan: p, Name: p.Name.Value, Network: n, Ranges: prefixes(p.Ranges)}
		n.Held = append(n.Held, h)
		here := place + ".held." + h.Name
		if len(p.Ranges) == 0 && !p.Size.Given() {
			b.report(p.Name.At, here, "no-range", "add  range: ...,  or  size: /24  for carve", "held part %s has neither range nor size", h.Path())
		}
		for _, r := range p.Ranges {
			if own := prefixes(n.Plan.Ranges); len(own) > 0 && !inside(own, r.Prefix) {
				b.report(r.At, here+".range", "held-outside", "hold it as a block of space with  held:,  or choose a range in the network",
					"%s does not lie in network %s (%s)", r.Prefix, n.Name, join(own))
			}
		}
	}
}

// inside reports whether one of the ranges holds all of p.
func inside(ranges []netip.Prefix, p netip.Prefix) bool {
	return slices.ContainsFunc(ranges, func(r netip.Prefix) bool { return address.Covers(r, p) })
}

func (b *builder) subnets(n *Network, place string) {
	own := prefixes(n.Plan.Ranges)
	for _, p := range n.Plan.Subnets {
		s := &Subnet{Plan: p, Index: len(b.e.Subnets), Name: p.Name.Value, Network: n, Zone: p.Zone.Value, Ranges: prefixes(p.Ranges)}
		n.Subnets = append(n.Subnets, s)
		b.e.Subnets = append(b.e.Subnets, s)
		n.subnets[s.Name] = s
		here := place + ".subnets." + s.Name
		if p.Tier.Given() {
			if s.Tier = lookup(b, p.Tier, here+".tier", "tier of network "+n.Name, n.tiers); s.Tier != nil {
				s.Tier.Subnets = append(s.Tier.Subnets, s)
			}
		}
		if p.Zone.Given() {
			b.zone(n, p.Zone, here+".zone")
		}
		if p.Region.Given() {
			lookup(b, p.Region, here+".region", "region", b.e.regions)
		}
		for _, r := range p.Ranges {
			n.where.Insert(r.Prefix, s)
			if n.Profile.OwnRanges && len(own) > 0 && !inside(own, r.Prefix) {
				b.report(r.At, here+".range", "subnet-outside", fmt.Sprintf("choose a range in %s, or add one to the network", join(own)),
					"subnet %s (%s) does not lie in its network %s (%s)", s.Name, r.Prefix, n.Name, join(own))
			}
		}
		if !n.Profile.OwnRanges || !n.Plan.HasRange {
			if s == n.Subnets[0] {
				n.Ranges = nil
			}
			n.Ranges = append(n.Ranges, s.Ranges...)
		}
	}
}

// subnet finds a subnet of a network by its name, alone or with the network's.
func (b *builder) subnet(n *Network, t plan.Text, place string) *Subnet {
	t.Value = strings.TrimPrefix(t.Value, n.Name+"/")
	return lookup(b, t, place, "subnet of network "+n.Name, n.subnets)
}

func (b *builder) gateways(n *Network, place string) {
	for _, p := range n.Plan.Gateways {
		g := &Gateway{Plan: p, Name: p.Name.Value, Network: n, Internet: p.Kind.Value == "internet", Egress: p.Kind.Value == "egress",
			Attached: !p.Attached.Given() || p.Attached.Value, Addrs: addrs(p.Addrs), Public: addrs(p.Public)}
		n.Gateways = append(n.Gateways, g)
		n.gateways[g.Name] = g
		here := place + ".gateways." + g.Name
		switch {
		case !p.Kind.Given():
		case g.Internet, g.Egress:
			b.internetGateway(g, here)
		default:
			b.nat(g, here)
		}
		for _, a := range p.Public {
			b.claimPublic(a, Host{NAT: g}, here+".public")
		}
	}
	if n.Profile.DefaultRoute && n.InternetGateway() == nil {
		g := &Gateway{Name: "internet", Network: n, Internet: true, Attached: true, Born: true}
		n.Gateways = append(n.Gateways, g)
	}
}

func (b *builder) internetGateway(g *Gateway, place string) {
	p := g.Plan
	var extra plan.Pos
	switch {
	case p.In.Given():
		extra = p.In.At
	case len(p.Addrs) > 0:
		extra = p.Addrs[0].At
	case len(p.Public) > 0:
		extra = p.Public[0].At
	case len(p.Serves) > 0:
		extra = p.Serves[0].At
	default:
		return
	}
	b.report(extra, place, "wrong-key", "remove it, or make it  kind: nat",
		"an %s gateway sits in no subnet and has no addresses; workloads and NAT gateways have them", p.Kind.Value)
}

func (b *builder) nat(g *Gateway, place string) {
	n, p := g.Network, g.Plan
	if n.Profile.NATServes {
		for _, t := range p.Serves {
			if s := b.subnet(n, t, place+".serves"); s != nil {
				g.Serves = append(g.Serves, s)
			}
		}
		switch {
		case p.In.Given():
			b.report(p.In.At, place+".in", "nat-kind", "write  serves: [SUBNET, ...]", "under profile %s a NAT gateway serves subnets and sits in none", n.Profile.Name)
		case len(p.Serves) == 0:
			b.report(p.Name.At, place, "nat-kind", "write  serves: [SUBNET, ...]", "NAT gateway %s serves no subnet", g.Name)
		}
		return
	}
	switch {
	case len(p.Serves) > 0:
		b.report(p.Serves[0].At, place+".serves", "nat-kind", "write  in: SUBNET, and lead route tables to it", "under profile %s a NAT gateway sits in a subnet", n.Profile.Name)
		return
	case !p.In.Given():
		b.report(p.Name.At, place, "nat-kind", "write  in: SUBNET  and  address: ...", "NAT gateway %s sits in no subnet", g.Name)
		return
	}
	g.In = b.subnet(n, p.In, place+".in")
	if g.In == nil {
		return
	}
	if len(p.Addrs) == 0 && len(g.In.Ranges) > 0 {
		b.report(p.Name.At, place, "missing-key", fmt.Sprintf("add  address:  with one of %s", join(g.In.Ranges)), "NAT gateway %s has no address", g.Name)
	}
	for _, a := range p.Addrs {
		b.claim(g.In, a, Host{NAT: g}, place+".address")
	}
}

// claim gives a private address in a subnet to a host, or reports why it cannot be its own.
func (b *builder) claim(s *Subnet, a plan.Addr, who Host, place string) {
	n := s.Network
	var in netip.Prefix
	for _, r := range s.Ranges {
		if r.Contains(a.Addr) {
			in = r
		}
	}
	if !in.IsValid() {
		if len(s.Ranges) > 0 {
			fix := "choose an address in it"
			if other := subnetWith(n, a.Addr); other != nil {
				fix += fmt.Sprintf(", or write  in: %s,  which holds %s", other.Path(), a.Addr)
			}
			b.report(a.At, place, "address-outside", fix, "%s does not lie in subnet %s (%s)", a.Addr, s.Path(), join(s.Ranges))
		}
		n.hosts[a.Addr] = who
		return
	}
	if n.Reserved(in, a.Addr) {
		first, last := n.Profile.Ends(in)
		fix := "the subnet has no usable address"
		if first.IsValid() {
			fix = fmt.Sprintf("choose one from %s to %s", first, last)
		}
		b.report(a.At, place, "address-reserved", fix, "%s is reserved: profile %s reserves the first %d and the last %d of %s",
			a.Addr, n.Profile.Name, n.Profile.ReservedFirst, n.Profile.ReservedLast, in)
	}
	if other := n.hosts[a.Addr]; !other.Nobody() {
		b.report(a.At, place, "address-twice", "give one of them another address", "%s is already the address of %s", a.Addr, other.Name())
		return
	}
	n.hosts[a.Addr] = who
	if a.Is6() && address.IsPublic(a.Addr) && b.e.public[a.Addr].Nobody() {
		b.e.public[a.Addr] = who // the internet carries it as it is
	}
}

// subnetWith is SubnetOf while the network is still being built.
func subnetWith(n *Network, a netip.Addr) *Subnet {
	for _, s := range n.Subnets {
		if s.Holds(a) {
			return s
		}
	}
	return nil
}

// Name is how messages call the host.
func (h Host) Name() string {
	switch {
	case h.Workload != nil:
		return h.Workload.Name
	case h.NAT != nil:
		return h.NAT.Path()
	}
	return "nobody"
}

// claimPublic gives a public address to a host, or reports why it cannot be its own.
func (b *builder) claimPublic(a plan.Addr, who Host, place string) {
	if !address.IsPublic(a.Addr) {
		why := "special"
		if s, found := address.SpecialOf(address.Single(a.Addr)); found {
			why = fmt.Sprintf("%s, %s", s.Name, s.Source)
		}
		b.report(a.At, place, "not-public", "write an address that the internet carries", "%s is not a public address (%s)", a.Addr, why)
		return
	}
	if own, has := who.AddrLike(a.Addr); has && who.Workload != nil && own != a.Addr && own.Is6() && address.IsPublic(own) {
		b.report(a.At, place, "needless-public", "take it out", "the internet carries %s as it is, so no other address stands for it", own)
		return
	}
	if other := b.e.public[a.Addr]; !other.Nobody() {
		b.report(a.At, place, "address-twice", "give one of them another address", "%s is already the public address of %s", a.Addr, other.Name())
		return
	}
	b.e.public[a.Addr] = who
}

func (b *builder) lists(n *Network, place string) {
	seen := map[string]bool{}
	for _, p := range n.Plan.Lists {
		l := &List{Plan: p, Index: len(b.e.Lists), Name: p.Name.Value, Network: n}
		if seen[l.Name] {
			continue
		}
		seen[l.Name] = true
		n.Lists = append(n.Lists, l)
		b.e.Lists = append(b.e.Lists, l)
		for _, t := range p.Subnets {
			s := b.subnet(n, t, place+".lists."+l.Name+".subnets")
			switch {
			case s == nil:
			case s.List != nil:
				b.report(t.At, place+".lists."+l.Name+".subnets", "two-lists", "name the subnet in one list only",
					"subnet %s has list %s already", s.Name, s.List.Name)
			default:
				s.List = l
			}
		}
	}
}

func (b *builder) workloads() {
	b.e.workloads = map[string]*Workload{}
	for _, p := range b.e.Plan.Workloads {
		w := &Workload{Plan: p, Index: len(b.e.Workloads), Name: p.Name.Value, Addrs: addrs(p.Addrs), Public: addrs(p.Public),
			Forwards: p.Forwards.Given(), Translates: p.Forwards.Value == "nat"}
		place := "workloads." + w.Name
		b.e.Workloads = append(b.e.Workloads, w)
		b.e.workloads[w.Name] = w
		for _, f := range p.Listens {
			w.Listens = w.Listens.Union(f.Set)
		}
		for _, f := range p.TargetPorts {
			w.TargetPorts = w.TargetPorts.Union(f.Set)
		}
		if w.Subnet = b.home(p.In, place+".in"); w.Subnet == nil {
			continue
		}
		w.Subnet.Workloads = append(w.Subnet.Workloads, w)
		families := map[bool]netip.Addr{}
		for _, a := range p.Addrs {
			if first, twice := families[a.Is4()]; twice {
				b.report(a.At, place+".address", "two-addresses", "keep one of each family", "%s has %s already", w.Name, first)
			}
			families[a.Is4()] = a.Addr
			b.claim(w.Subnet, a, Host{Workload: w}, place+".address")
		}
		for _, a := range p.Public {
			b.claimPublic(a, Host{Workload: w}, place+".public")
			if _, has := families[a.Is4()]; !has && len(p.Addrs) > 0 {
				b.report(a.At, place+".public", "public-family", "add an address of that family", "%s has no private address of the family of %s", w.Name, a.Addr)
			}
		}
	}
}

// targets binds the workloads that balancers hand flows on to.
func (b *builder) targets() {
	for _, w := range b.e.Workloads {
		place := "workloads." + w.Name
		for _, t := range w.Plan.Targets {
			target := lookup(b, t, place+".targets", "workload", b.e.workloads)
			switch {
			case target == nil:
			case target == w:
				b.report(t.At, place+".targets", "target-itself", "name another workload", "%s cannot hand flows on to itself", w.Name)
			case len(target.Plan.Targets) > 0:
				b.report(t.At, place+".targets", "target-balancer", "name the targets of that one", "%s is a balancer itself, and flows are handed on once", target.Name)
			default:
				w.Targets = append(w.Targets, target)
			}
		}
		if len(w.Plan.TargetPorts) > 0 && len(w.Plan.Targets) == 0 {
			b.report(w.Plan.TargetPorts[0].At, place+".target-ports", "no-targets", "add  targets: [...]", "%s hands flows on to nobody", w.Name)
		}
	}
}

// home finds the subnet of a workload, written network/subnet.
func (b *builder) home(t plan.Text, place string) *Subnet {
	if !t.Given() {
		return nil
	}
	network, subnet, found := strings.Cut(t.Value, "/")
	if !found {
		b.report(t.At, place, "bad-subnet", "write it as network/subnet", "%q does not name a subnet", t.Value)
		return nil
	}
	n := lookup(b, plan.Text{Value: network, At: t.At}, place, "network", b.e.networks)
	if n == nil {
		return nil
	}
	s := n.subnets[subnet]
	if s == nil {
		var known []string
		for name := range n.subnets {
			known = append(known, n.Name+"/"+name)
		}
		slices.Sort(known)
		b.unknown(t, place, "subnet", known)
	}
	return s
}
