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
			Attached: !p.Attached.Given() || p.Attached.Value, Addrs: b.addrs(p.Addrs), Public: b.addrs(p.Public)}
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
			if s := b.subnet(n, t, spot{g, "serves"}); s != nil {
				g.Serves = append(g.Serves, s)
			}
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
	g.In = b.subnet(n, p.In, spot{g, "in"})
	if g.In == nil {
		return
	}
	if len(p.Addrs) == 0 && len(g.In.Ranges) > 0 {
		b.report(p.Name.At, spot{g, ""}, missingKey, fmt.Sprintf("add  address:  with one of %s", phrase.List(g.In.Ranges)), "NAT gateway %s has no address", g.Name)
	}
	for _, a := range p.Addrs {
		b.claim(g.In, a, Host{NAT: g}, spot{g, "address"})
		if own := (Host{NAT: g}); a.Is6() && address.IsPublic(a.Addr) && n.hosts[a.Addr] == own && g.In.Holds(a.Addr) && b.e.public[a.Addr].Nobody() {
			b.e.public[a.Addr] = own // the internet carries it as it is
		}
	}
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
	if !address.IsPublic(a.Addr) {
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

// startWorkloads begins to read the workloads, as far as that takes no networks, and gives what waits for it to end.
func (b *builder) startWorkloads() (wait func() []Workload) {
	given := b.e.Plan.Workloads
	all := make([]Workload, len(given))
	names := make(map[string]Object, len(given))
	b.e.scope[WorkloadKind], b.e.scope[NetworkKind] = names, map[string]Object{} // from here on, nobody writes to the scope itself
	own := &builder{e: b.e, found: &diag.Bag{}}
	var reading sync.WaitGroup
	reading.Go(func() {
		for i := range all {
			own.workload(&all[i], i)
			if _, taken := names[all[i].Name]; !taken {
				names[all[i].Name] = &all[i]
			}
		}
	})
	return func() []Workload {
		reading.Wait()
		b.found.Take(own.found)
		return all
	}
}

// workloads puts workloads into their subnets, and gives them their addresses.
func (b *builder) workloads(all []Workload) {
	b.sideBySide(len(all), func(b *builder, from, to int) {
		for i := from; i < to; i++ {
			all[i].Subnet = b.home(all[i].Plan.In, spot{&all[i], "in"})
		}
	})
	b.e.Workloads = make([]*Workload, len(all))
	for i := range all {
		w := &all[i]
		b.e.Workloads[i] = w
		if w.Subnet != nil {
			w.Subnet.Workloads = append(w.Subnet.Workloads, w)
			w.Subnet.Network.crowd = append(w.Subnet.Network.crowd, w)
		}
	}
	b.eachNetwork(func(b *builder, n *Network) {
		for _, w := range n.crowd {
			b.privateAddrs(w)
		}
	})
	for i := range all {
		if all[i].Subnet != nil {
			b.publicAddrs(&all[i])
		}
	}
}

// workload reads one workload, but for its subnet.
func (b *builder) workload(w *Workload, i int) {
	p := b.e.Plan.Workloads[i]
	*w = Workload{Plan: p, Index: i, Name: p.Name.Value, Addrs: b.addrs(p.Addrs), Public: b.addrs(p.Public), Forwards: Forwarding(p.Forwards.Value)}
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
			target := lookup[*Workload](b, nil, b.e.scope, WorkloadKind, t, in)
			switch {
			case target == nil || target.Subnet == nil:
			case target == w:
				b.report(t.At, in, targetItself, "name another workload", "%s cannot hand flows on to itself", w.Name)
			case len(target.Plan.Targets) > 0:
				b.report(t.At, in, targetBalancer, "name the targets of that one", "%s is a balancer itself, and flows are handed on once", target.Name)
			default:
				w.Targets = append(w.Targets, target)
			}
		}
		if len(w.Plan.TargetPorts) > 0 && len(w.Plan.Targets) == 0 {
			b.report(w.Plan.TargetPorts[0].At, spot{w, "target-ports"}, noTargets, "add  targets: [...]", "%s hands flows on to nobody", w.Name)
		}
	}
}

// home finds the subnet of a workload, written network/subnet.
func (b *builder) home(t plan.Text, in spot) *Subnet {
	if !t.Given() {
		return nil
	}
	network, subnet, found := strings.Cut(t.Value, "/")
	if !found {
		b.report(t.At, in, badSubnet, "write it as network/subnet", "%q does not name a subnet", t.Value)
		return nil
	}
	n := b.network(plan.Text{Value: network, At: t.At}, in)
	if n == nil {
		return nil
	}
	s := n.Subnet(subnet)
	if s == nil {
		b.unknown(t, in, "subnet", func() []string {
			known := n.scope.names(SubnetKind)
			for i, name := range known {
				known[i] = n.Name + "/" + name
			}
			return known
		})
	}
	return s
}
