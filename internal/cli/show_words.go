package cli

import (
	"net/netip"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
)

// This file puts parts of the estate into words for tables and cards.

func groupName(g *estate.Group) string { return g.Name }

func subnetName(s *estate.Subnet) string {
	if s == nil {
		return ""
	}
	return s.Name
}

func gatewayKind(g *estate.Gateway) string {
	switch {
	case g.Type == estate.InternetGateway && g.Attached:
		return "internet"
	case g.Type == estate.InternetGateway:
		return "internet, not attached"
	case g.Type == estate.EgressGateway && g.Attached:
		return "egress only, IPv6"
	case g.Type == estate.EgressGateway:
		return "egress only, not attached"
	}
	return "NAT"
}

// joined says who of two has accepted what joins them.
func joined(names [2]string, accepted [2]bool) string {
	switch {
	case accepted[0] && accepted[1]:
		return "accepted by both"
	case accepted[0]:
		return "not accepted by " + names[1]
	case accepted[1]:
		return "not accepted by " + names[0]
	}
	return "accepted by neither"
}

func peeringState(p *estate.Peering) string {
	return joined([2]string{p.Between[0].Name, p.Between[1].Name}, p.Accepted)
}

func linkState(l *estate.HubLink) string {
	return joined([2]string{l.Between[0].Name, l.Between[1].Name}, l.Accepted)
}

// tableFor says which subnets a table is for.
func tableFor(t *estate.Table) string {
	named := phrase.Names(t.Subnets, func(s *estate.Subnet) string { return s.Name })
	switch {
	case t.Main && named == "":
		return "every subnet that no table names; there is none"
	case t.Main:
		return named + " (the main table)"
	case named == "":
		return "no subnet"
	}
	return named
}

// listens says what a workload listens on.
func listens(w *estate.Workload) string {
	if w.Listens.Empty() {
		return ""
	}
	return w.Listens.String()
}

// addrText is empty for no address.
func addrText(a netip.Addr) string {
	if !a.IsValid() {
		return ""
	}
	return a.String()
}

func addrTexts(all []netip.Addr) []string {
	out := make([]string, 0, len(all))
	for _, a := range all {
		out = append(out, address.Word(a))
	}
	return out
}

// seenWords names addresses of which any may be seen.
func seenWords(all []netip.Addr) string { return strings.Join(addrTexts(all), " or ") }
