package estate

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// This part of the builder binds what has addresses: gateways and workloads.

func (b *builder) gateways(n *Network) {
	for _, p := range n.Plan.Gateways {
		g := &Gateway{Plan: p, Name: p.Name.Value, Network: n, Type: GatewayType(p.Kind.Value),
			Attached: !p.Attached.Given() || p.Attached.Value, Addrs: b.addrs(p.Addrs), Public: b.addrs(p.Public), Assigned: p.Assigned.Given()}
		if !p.Kind.Given() {
			g.Type = NATGateway // the kind has been reported; this one leads nobody out
		}
		n.Gateways = append(n.Gateways, g)
		n.scope.bind(g.Name, g)
		switch {
		case !p.Kind.Given():
		case g.Type == NATGateway:
			if p.Attached.Given() {
				b.report(p.Attached.At, spot{g, "attached"}, wrongKey, "remove it, or make it  kind: internet", "a nat gateway is not attached: it sits in a subnet or serves subnets")
			}
			b.nat(g)
		default:
			b.outerGateway(g)
		}
		for _, a := range p.Public {
			b.claimPublic(a, Host{NAT: g}, spot{g, "public"})
		}
	}
	if n.Profile.DefaultRoute && n.InternetGateway() == nil {
		n.Gateways = append(n.Gateways, &Gateway{Name: "internet", Network: n, Type: InternetGateway, Attached: true, Born: true})
	}
}

// outerGateway checks an internet or egress gateway.
func (b *builder) outerGateway(g *Gateway) {
	p := g.Plan
	var extra text.Pos
	switch {
	case p.In.Given():
		extra = p.In.At
	case len(p.Addrs) > 0:
		extra = p.Addrs[0].At
	case len(p.Public) > 0:
		extra = p.Public[0].At
	case p.Assigned.Given():
		extra = p.Assigned.At
	case len(p.Serves) > 0:
		extra = p.Serves[0].At
	default:
		return
	}
	b.report(extra, spot{g, ""}, wrongKey, "remove it, or make it  kind: nat",
		"an %s gateway sits in no subnet and has no addresses; workloads and NAT gateways have them", p.Kind.Value)
}

func (b *builder) nat(g *Gateway) {
	n, p := g.Network, g.Plan
	if n.Profile.NATServes {
		for _, t := range p.Serves {
			g.Serves = append(g.Serves, b.subnetsNamed(n, t, spot{g, "serves"})...)
		}
		switch {
		case p.In.Given():
			b.report(p.In.At, spot{g, "in"}, natKind, "write  serves: [SUBNET, ...]", "under profile %s a NAT gateway serves subnets and sits in none", n.Profile.Name)
		case len(p.Addrs) > 0:
			b.report(p.Addrs[0].At, spot{g, "address"}, wrongKey, "remove it; its public addresses are all it has", "under profile %s a NAT gateway serves subnets and has no private address", n.Profile.Name)
		case len(p.Serves) == 0:
			b.report(p.Name.At, spot{g, ""}, natKind, "write  serves: [SUBNET, ...]", "NAT gateway %s serves no subnet", g.Name)
		}
		return
	}
	switch {
	case len(p.Serves) > 0:
		b.report(p.Serves[0].At, spot{g, "serves"}, natKind, "write  in: SUBNET, and lead route tables to it", "under profile %s a NAT gateway sits in a subnet", n.Profile.Name)
		return
	case !p.In.Given():
		b.report(p.Name.At, spot{g, ""}, natKind, "write  in: SUBNET  and  address: ...", "NAT gateway %s sits in no subnet", g.Name)
		return
	}
	some := b.subnetsNamed(n, p.In, spot{g, "in"})
	if len(some) == 0 {
		return
	}
	g.In = homeOf(some, p.Addrs)
	if len(p.Addrs) == 0 {
		b.wait(p.Name.At, spot{g, ""}, byCarve, "NAT gateway %s has no address", g.ID())
	}
	for _, a := range p.Addrs {
		b.claim(g.In, a, Host{NAT: g}, spot{g, "address"})
		if own := (Host{NAT: g}); slices.Contains(g.PublicLike(a.Addr), a.Addr) && n.hosts[a.Addr] == own && g.In.Holds(a.Addr) && b.e.public[a.Addr].Nobody() {
			b.e.public[a.Addr] = own // the internet carries it as it is
		}
	}
}

// homeOf is the subnet of some that holds an address of a host; the first where none does.
func homeOf(some []*Subnet, addrs []plan.Addr) *Subnet {
	for _, s := range some {
		if slices.ContainsFunc(addrs, func(a plan.Addr) bool { return s.Holds(a.Addr) }) {
			return s
		}
	}
	return some[0]
}

// claim gives a private address in a subnet to a host, or reports why it cannot be its own.
func (b *builder) claim(s *Subnet, a plan.Addr, who Host, in spot) {
	n := s.Network
	var holds netip.Prefix
	for _, r := range s.Ranges {
		if r.Contains(a.Addr) {
			holds = r
		}
	}
	if !holds.IsValid() {
		if len(s.Ranges) > 0 {
			fix := "choose an address in it"
			if other := subnetWith(n, a.Addr); other != nil {
				fix += fmt.Sprintf(", or write  in: %s,  which holds %s", other.ID(), a.Addr)
			}
			b.report(a.At, in, addressOutside, fix, "%s does not lie in subnet %s (%s)", a.Addr, s.ID(), phrase.List(s.Ranges))
		}
		n.hosts[a.Addr] = who
		return
	}
	if n.Reserved(holds, a.Addr) {
		first, last := n.Profile.Ends(holds)
		fix := "the subnet has no usable address"
		if first.IsValid() {
			fix = fmt.Sprintf("choose one from %s to %s", first, last)
		}
		b.report(a.At, in, addressReserved, fix, "%s is reserved: profile %s reserves the first %d and the last %d of %s",
			a.Addr, n.Profile.Name, n.Profile.ReservedFirst, n.Profile.ReservedLast, holds)
	}
	if other, taken := n.hosts[a.Addr]; taken && !other.Nobody() {
		b.report(a.At, in, addressTwice, "give one of them another address", "%s is already the address of %s", a.Addr, other.Name())
		return
	}
	n.hosts[a.Addr] = who
}

// claimPublic gives a public address to a host, or reports why it cannot be its own.
func (b *builder) claimPublic(a plan.Addr, who Host, in spot) {
	if !address.IsPublic(a.Addr) || address.StandIns.Contains(a.Addr) {
		why := "special"
		if s, found := address.SpecialOf(address.Single(a.Addr)); found {
			why = fmt.Sprintf("%s, %s", s.Name, s.Source)
		}
		b.report(a.At, in, notPublic, "write an address that the internet carries", "%s is not a public address (%s)", a.Addr, why)
		return
	}
	if own, has := who.AddrLike(a.Addr); has && who.Workload != nil && own != a.Addr && own.Is6() && address.IsPublic(own) {
		b.report(a.At, in, needlessPublic, "take it out", "the internet carries %s as it is, so no other address stands for it", own)
		return
	}
	if other := b.e.public[a.Addr]; !other.Nobody() {
		b.report(a.At, in, addressTwice, "give one of them another address", "%s is already the public address of %s", a.Addr, other.Name())
		return
	}
	b.e.public[a.Addr] = who
}

// maxWorkloads is how many workloads a plan may come to, with all that it counts.
const maxWorkloads = 1_000_000

// startWorkloads begins to read the workloads, as far as that takes no networks, and gives what waits for it to end.
func (b *builder) startWorkloads() (wait func() []Workload) {
	given := b.e.Plan.Workloads
	total := 0
	for _, p := range given {
		total += max(1, p.Count.Value)
		if total > maxWorkloads {
			b.report(p.Count.At, spot{key: "workloads"}, tooManyOf, "split the estate into plans of their own", "the plan counts more than %d workloads", maxWorkloads)
			total -= max(1, p.Count.Value)
			p.Count = plan.Number{}
			total++
		}
	}
	all := make([]Workload, total)
	names, sets := make(map[string]Object, total), map[string]Object{}
	b.e.scope[WorkloadKind], b.e.scope[SetKind], b.e.scope[NetworkKind] = names, sets, map[string]Object{} // from here on, nobody writes to the scope itself
	own := &builder{e: b.e, found: &diag.Bag{}, waits: b.waits}
	var reading sync.WaitGroup
	reading.Go(func() {
		i := 0
		for _, p := range given {
			if p.Count.Given() {
				i = own.set(all, i, p, names)
				continue
			}
			own.workload(&all[i], i, p)
			if other, taken := names[all[i].Name]; !taken {
				names[all[i].Name] = &all[i]
			} else if of := other.(*Workload).Set; of != nil {
				own.report(p.Name.At, spot{&all[i], ""}, nameTwice, "give it another name", "%s is already the name of one of %s", p.Name.Value, of.Name)
			}
			if len(p.Each) > 0 {
				own.report(p.Each[0][0].At, spot{&all[i], "addresses"}, wrongKey, "write  address:,  or say how many with  count:", "%s has addresses and no count", p.Name.Value)
			}
			i++
		}
	})
	return func() []Workload {
		reading.Wait()
		b.found.Take(own.found)
		return all
	}
}

// set reads as many workloads as the plan counts, from number i on, and gives the number of the next.
func (b *builder) set(all []Workload, i int, p *plan.Workload, names map[string]Object) int {
	s := &Set{Plan: p, Name: p.Name.Value}
	b.e.Sets = append(b.e.Sets, s)
	b.e.scope[SetKind][s.Name] = s
	if len(p.Addrs) > 0 {
		b.report(p.Addrs[0].At, spot{s, "address"}, wrongKey, "write  addresses:  with one for each", "%s counts %d, and has one address", s.Name, p.Count.Value)
	}
	if len(p.Each) > p.Count.Value {
		b.report(p.Each[p.Count.Value][0].At, spot{s, "addresses"}, wrongKey, "take those out that are gone, or raise the count", "%s counts %d, and has %d addresses", s.Name, p.Count.Value, len(p.Each))
	}
	for nth := range p.Count.Value {
		one := *p
		one.Name.Value = fmt.Sprintf("%s-%d", p.Name.Value, nth+1)
		one.Addrs = nil
		if nth < len(p.Each) {
			one.Addrs = p.Each[nth]
		}
		w := &all[i]
		b.workload(w, i, &one)
		w.Set = s
		s.Members = append(s.Members, w)
		if _, taken := names[w.Name]; taken {
			b.report(p.Name.At, spot{s, ""}, nameTwice, "give one of them another name", "%s is the name of a workload, and would be that of number %d of %s", w.Name, nth+1, s.Name)
		} else {
			names[w.Name] = w
		}
		i++
	}
	return i
}

// workloads puts workloads into their subnets, and gives them their addresses.
func (b *builder) workloads(all []Workload) {
	b.sideBySide(len(all), func(b *builder, from, to int) {
		for i := from; i < to; i++ {
			b.home(&all[i])
		}
	})
	b.e.Workloads = make([]*Workload, len(all))
	for i := range all {
		w := &all[i]
		b.e.Workloads[i] = w
		if w.Subnet != nil {
			w.Subnet.Workloads = append(w.Subnet.Workloads, w)
		}
		if n := w.Network(); n != nil {
			n.crowd = append(n.crowd, w)
		}
	}
	b.eachNetwork(func(b *builder, n *Network) {
		for _, w := range n.crowd {
			if w.Subnet != nil {
				b.privateAddrs(w)
			}
		}
	})
	for i := range all {
		if all[i].Subnet != nil {
			b.publicAddrs(&all[i])
		}
	}
}

// workload reads one workload, but for its subnet.
func (b *builder) workload(w *Workload, i int, p *plan.Workload) {
	*w = Workload{Plan: p, Index: i, Name: p.Name.Value, Addrs: b.addrs(p.Addrs), Public: b.addrs(p.Public), Assigned: p.Assigned.Given(), Forwards: Forwarding(p.Forwards.Value)}
	for _, f := range p.Listens {
		w.Listens = w.Listens.Union(f.Set)
	}
	for _, f := range p.TargetPorts {
		w.TargetPorts = w.TargetPorts.Union(f.Set)
	}
}

// privateAddrs gives a workload its addresses.
func (b *builder) privateAddrs(w *Workload) {
	in := spot{w, "address"}
	for j, a := range w.Plan.Addrs {
		if first := slices.IndexFunc(w.Plan.Addrs[:j], func(o plan.Addr) bool { return o.Is4() == a.Is4() }); first >= 0 {
			b.report(a.At, in, twoAddresses, "keep one of each family", "%s has %s already", w.Name, w.Plan.Addrs[first].Addr)
		}
		b.claim(w.Subnet, a, Host{Workload: w}, in)
	}
}

// publicAddrs gives a workload its public addresses, its own IPv6 ones among them where the internet carries those.
func (b *builder) publicAddrs(w *Workload) {
	for _, a := range w.Addrs {
		if a.Is6() && address.IsPublic(a) && w.Subnet.Network.Host(a).Workload == w && w.Subnet.Holds(a) && b.e.public[a].Nobody() {
			b.e.public[a] = Host{Workload: w} // the internet carries it as it is
		}
	}
	for _, a := range w.Plan.Public {
		b.claimPublic(a, Host{Workload: w}, spot{w, "public"})
		if _, has := w.AddrLike(a.Addr); !has && len(w.Addrs) > 0 {
			b.report(a.At, spot{w, "public"}, publicFamily, "add an address of that family", "%s has no private address of the family of %s", w.Name, a.Addr)
		}
	}
}

// targets binds the workloads that balancers hand flows on to.
func (b *builder) targets() {
	for _, w := range b.e.Workloads {
		in := spot{w, "targets"}
		for _, t := range w.Plan.Targets {
			some := []*Workload{}
			if s := find[*Set](b.e.scope, SetKind, t.Value); s != nil {
				some = s.Members
			} else if target := lookup[*Workload](b, nil, b.e.scope, WorkloadKind, t, in); target != nil {
				some = append(some, target)
			}
			for _, target := range some {
				switch {
				case target.Subnet == nil || len(target.Addrs) == 0:
				case target == w:
					b.report(t.At, in, targetItself, "name another workload", "%s cannot hand flows on to itself", w.Name)
				case len(target.Plan.Targets) > 0:
					b.report(t.At, in, targetBalancer, "name the targets of that one", "%s is a balancer itself, and flows are handed on once", target.Name)
				default:
					w.Targets = append(w.Targets, target)
				}
			}
		}
		if len(w.Plan.TargetPorts) > 0 && len(w.Plan.Targets) == 0 {
			b.report(w.Plan.TargetPorts[0].At, spot{w, "target-ports"}, noTargets, "add  targets: [...]", "%s hands flows on to nobody", w.Name)
		}
	}
}

// home finds the subnet of a workload, written network/subnet, or as network/tier: then it is the one that holds its
// address.
func (b *builder) home(w *Workload) {
	t, in := w.Plan.In, spot{w, "in"}
	if !t.Given() {
		return
	}
	network, part, found := strings.Cut(t.Value, "/")
	if !found {
		b.report(t.At, in, badSubnet, "write it as network/subnet, or network/tier", "%q does not name a subnet", t.Value)
		return
	}
	n := b.network(plan.Text{Value: network, At: t.At}, in)
	if n == nil {
		return
	}
	s, tier := n.Subnet(part), n.Tier(part)
	switch {
	case s != nil && tier != nil && s.Tier != tier:
		b.report(t.At, in, twoMeanings, "give one of them another name", "%q names both a tier and a subnet of network %s that is not of that tier", part, n.Name)
		return
	case s != nil && tier == nil:
		w.Subnet = s
	case tier != nil:
		w.Tier = tier
		b.homeInTier(w, tier)
	case n.wouldCarve(part):
		b.wait(t.At, in, byCarve, "subnet %s is not there", t.Value)
		return
	default:
		b.unknown(t, in, "subnet or tier", func() []string {
			known := n.scope.names(SubnetKind, TierKind)
			for i, name := range known {
				known[i] = n.Name + "/" + name
			}
			return known
		})
		return
	}
	if len(w.Plan.Addrs) == 0 {
		b.wait(w.Plan.Name.At, spot{w, ""}, byCarve, "workload %s has no address", w.Name)
	}
}

// homeInTier finds the subnet of a tier that holds the address of a workload.
func (b *builder) homeInTier(w *Workload, tier *Tier) {
	for _, a := range w.Plan.Addrs {
		for _, s := range tier.Subnets {
			if s.Holds(a.Addr) {
				w.Subnet = s
				return
			}
		}
	}
	if len(w.Plan.Addrs) == 0 {
		return
	}
	var ranges []netip.Prefix
	for _, s := range tier.Subnets {
		ranges = append(ranges, s.Ranges...)
	}
	a := w.Plan.Addrs[0]
	if len(ranges) == 0 {
		b.wait(a.At, spot{w, "address"}, byCarve, "tier %s has no subnet that could hold %s", tier.ID(), a.Addr)
		return
	}
	b.report(a.At, spot{w, "address"}, addressOutside, "choose an address in one of them, or take it out for carve to give one", "%s does not lie in a subnet of tier %s (%s)", a.Addr, tier.ID(), phrase.List(ranges))
}

// assign gives each host whose public address the cloud gives one that stands for it.
func (b *builder) assign() {
	next := address.StandIns.Addr()
	one := func(who Host) []netip.Addr {
		next = next.Next()
		b.e.public[next] = who
		return []netip.Addr{next}
	}
	for _, n := range b.e.Networks {
		for _, g := range n.Gateways {
			if g.Assigned && g.Type == NATGateway {
				g.Public = one(Host{NAT: g})
			}
		}
	}
	for _, w := range b.e.Workloads {
		if s := w.Subnet; s != nil && len(w.Plan.Public) == 0 {
			w.Assigned = w.Assigned || s.Plan.Public.Given() || s.Tier != nil && s.Tier.Plan.Public.Given()
		}
		if _, has := w.AddrLike(netip.IPv4Unspecified()); w.Assigned && has {
			w.Public = one(Host{Workload: w})
		}
	}
}
