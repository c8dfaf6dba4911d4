package check

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
)

// services are what hosts ask of the servers that DHCP names: names over UDP and, where answers are long, TCP (RFC 7766),
// and the time (RFC 5905).
var services = []struct {
	what  string
	of    func(*estate.DHCP) []estate.Server
	flows string
}{
	{"name server", func(x *estate.DHCP) []estate.Server { return x.DNS }, "udp/53,tcp/53"},
	{"time server", func(x *estate.DHCP) []estate.Server { return x.NTP }, "udp/123"},
}

var unreachableServers = Rule{"server-unreachable", Guards, "A name server or time server that DHCP names, and that a workload of the network cannot reach.", func(r *run) {
	for _, n := range r.Networks {
		if n.DHCP == nil {
			continue
		}
		for _, service := range services {
			flows, err := flow.Parse(service.flows)
			if err != nil {
				continue
			}
			for _, s := range service.of(n.DHCP) {
				r.server(n, service.what, s, flows)
			}
		}
	}
}}

// server tries whether the workloads of a network reach a server.
func (r *run) server(n *estate.Network, what string, s estate.Server, flows flow.Set) {
	if s.Cloud {
		if n.Profile.Resolver == 0 {
			r.report(diag.Error, s.Word.At, n.DHCP.Place(), "name an address or a workload; or give the profile a  resolver",
				"network %s names the cloud's %s by DHCP, and in profile %s a subnet has none", n.Name, what, n.Profile.Name)
		}
		return
	}
	name := s.Word.Value
	if s.Workload != nil {
		name = s.Workload.Name
		if !s.Workload.Settled() {
			return // which is not yet given
		}
	}
	from, err := reach.FindEnds(r.Estate, n.Name)
	if err != nil || len(from.Many) == 0 {
		return
	}
	to, err := reach.FindEnds(r.Estate, name)
	if err != nil {
		r.report(diag.Error, s.Word.At, n.DHCP.Place(), "name an address of the estate or of the internet, or a workload", "%s %s of network %s: %s", what, name, n.Name, err)
		return
	}
	survey := grid.AskMany(r.Estate, from, to, flows, false, nil)
	for _, p := range survey.Parts {
		if p.Answer.Verdict == reach.Open {
			continue
		}
		a := p.Answer
		why := ""
		if len(a.Blockers) > 0 {
			why = ": " + a.Blockers[0].Message
		}
		more := ""
		if p.Pairs > 1 {
			more = fmt.Sprintf(" (and %d more like it)", p.Pairs-1)
		}
		fix := "let it pass, or name another server"
		if len(a.Blockers) > 0 && a.Blockers[0].Fix() != "" {
			fix = a.Blockers[0].Fix()
		}
		r.report(diag.Error, s.Word.At, n.DHCP.Place(), fix,
			"%s%s does not reach %s %s on %s, which network %s names by DHCP%s", a.From.Name, more, what, name, flows, n.Name, why)
	}
}

var mtuDiffers = Rule{"mtu-differs", Wiring, "Two networks that a peering joins, whose DHCP gives hosts different MTUs: what is as large as the larger one takes is too big for the other (RFC 4821).", func(r *run) {
	for _, p := range r.Peerings {
		a, b := p.Between[0], p.Between[1]
		if !p.Stands() || a.DHCP == nil || b.DHCP == nil {
			continue
		}
		one, two := a.DHCP.Plan.MTU, b.DHCP.Plan.MTU
		if one.Given() && two.Given() && one.Value != two.Value {
			r.report(diag.Warning, p.At(), p.Place(), "give both the same, or let ICMP pass between them", "peering %s joins network %s, whose hosts take packets of %d bytes, to network %s with %d", p.Name, a.Name, one.Value, b.Name, two.Value)
		}
	}
}}
