package cli

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
)

// This file puts the steps of a walk, and what is worth noting of an answer, into words.

// hopKind is what kind of thing a step is at, as the JSON calls it.
func hopKind(h reach.Hop) string {
	if h.Did == reach.TurnedBack {
		return "nat"
	}
	switch o := h.Object.(type) {
	case *estate.Workload:
		return "workload"
	case *estate.Subnet:
		return "subnet"
	case *estate.List:
		return "list"
	case *estate.Table, *estate.HubTable:
		return "table"
	case *estate.Peering:
		return "peering"
	case *estate.Hub, *estate.HubLink:
		return "hub"
	case *estate.Site:
		return "site"
	case *estate.Gateway:
		if o.Type == estate.NATGateway {
			return "nat"
		}
		return "gateway"
	case *estate.Network:
		if h.Code == reach.NoInternetGateway {
			return "gateway"
		}
		return "subnet"
	}
	return "internet"
}

// hopWhere names the thing that a step is at.
func hopWhere(h reach.Hop) string {
	switch o := h.Object.(type) {
	case nil:
		return "internet"
	case *estate.Table, *estate.HubTable:
		return "table " + o.ID()
	case *estate.Hub:
		return "hub " + o.Name
	case *estate.HubLink:
		if h.Did == reach.LinkCrossed {
			return "link " + o.Name
		}
		return o.Name
	case *estate.List:
		return fmt.Sprintf("list %s, %s", o.ID(), h.Dir)
	case *estate.Workload:
		var names []string
		for _, g := range h.Groups() {
			names = append(names, g.Name)
		}
		switch len(names) {
		case 0:
			return o.Name
		case 1:
			return fmt.Sprintf("%s, group %s, %s", o.Name, names[0], h.Dir)
		}
		return fmt.Sprintf("%s, groups %s, %s", o.Name, strings.Join(names, " "), h.Dir)
	default:
		return o.ID()
	}
}

// hopWhat says what was decided at a step.
func hopWhat(h reach.Hop) string {
	switch h.Did {
	case reach.StaysInside:
		return "both ends are in it, so no list and no table is asked"
	case reach.ListPassed, reach.GroupsPassed:
		return judged(h)
	case reach.NoGroupsOut:
		return "it is in no group, so everything goes out"
	case reach.FlowRemembered:
		return "its groups remember the flow"
	case reach.RouteLocal:
		return fmt.Sprintf("%s is local", h.Route.To)
	case reach.Routed:
		return fmt.Sprintf("%s via %s%s", h.Route.Leads(), h.Route.ViaName(), h.Route.Origin.Remark())
	case reach.HubRouted:
		return fmt.Sprintf("table %s: %s via %s", h.Table.Name, h.Route.Leads(), h.Route.ViaName())
	case reach.LinkCrossed:
		return "on to hub " + h.Into.ID()
	case reach.PeeringCrossed:
		return "into network " + h.Into.ID()
	case reach.PeeringImports:
		return fmt.Sprintf("into network %s, which imports the way there", h.Into.ID())
	case reach.SiteEntered, reach.OnInternet:
		return "to " + h.Far
	case reach.SiteKnows:
		return "it knows a way to " + h.Far
	case reach.SiteLinked:
		return "its link leads into network " + h.Into.ID()
	case reach.OutSeenAs:
		return fmt.Sprintf("seen as %s, %s", seenWords(h.Addrs), ownerOf(h))
	case reach.OutByChance:
		return "out under an address of the cloud's choosing, which may change at any time"
	case reach.ReplyOut:
		return "the reply leaves as " + h.Far
	case reach.InFor:
		return fmt.Sprintf("%s is %s", h.Far, h.Host.Workload.Name)
	case reach.ReplyInFor:
		if g := h.Host.NAT; g != nil {
			return "the reply is for NAT gateway " + g.Name
		}
		return "the reply is for " + h.Host.Workload.Name
	case reach.Translated:
		return "the source becomes " + h.Far
	case reach.TurnedBack:
		return "the reply is turned back to " + h.Far
	case reach.PassedOn:
		return "passed on as it is"
	case reach.PassedOnAs:
		return "passed on, and the source becomes " + h.Far
	case reach.FromInternet:
		return "from " + h.Far
	case reach.ReplyOfInternet:
		return "the reply of " + h.Far
	}
	return h.Message
}

// judged says what rules made of the packet.
func judged(h reach.Hop) string {
	switch {
	case h.Stops:
		return h.Message
	case h.Only.Empty():
		return quoteRules(h.Rules)
	case h.Back:
		return fmt.Sprintf("only the reply (%s): %s", h.Only, quoteRules(h.Rules))
	}
	return fmt.Sprintf("only %s: %s", h.Only, quoteRules(h.Rules))
}

// quoteRules writes up to two rules, and how many more there are.
func quoteRules(rules []estate.Rule) string {
	var words []string
	for _, r := range rules {
		if !slices.Contains(words, r.Text) {
			words = append(words, r.Text)
		}
	}
	if len(words) > 2 {
		return fmt.Sprintf("%s; %s; and %d more", words[0], words[1], len(words)-2)
	}
	return strings.Join(words, "; ")
}

// ownerOf says whose public address a packet takes.
func ownerOf(h reach.Hop) string {
	if g := h.Host.NAT; g != nil {
		return "of NAT gateway " + g.Name
	}
	return "the public address of " + h.Host.Workload.Name
}

// noteText puts a note into a sentence.
func noteText(n reach.Note) string {
	switch n.Kind {
	case reach.SameWorkload:
		return "both ends are the same workload: nothing leaves it"
	case reach.MayPass:
		return fmt.Sprintf("%s sees one direction of %s alone: it may pass that, or drop it, and neither reaches nor never holds of it", n.Workload.Name, n.Flows)
	case reach.OneRank:
		var over []string
		for _, o := range n.Tie.Over {
			over = append(over, o.ID())
		}
		return fmt.Sprintf("%s is learned more than once, by way of %s: a packet may take any of them, so %s may pass or not, and neither reaches nor never holds of it", n.Tie.To, phrase.And(over), n.Flows)
	case reach.Unheard:
		return fmt.Sprintf("%s does not listen on %s; it listens on %s", n.Workload.Name, n.Flows, n.Workload.Listens)
	}
	return fmt.Sprintf("it goes by %s, and the reply comes back by %s", crossedText(n.Crossed[0]), crossedText(n.Crossed[1]))
}

// crossedText names what joins networks and is crossed.
func crossedText(all []estate.Object) string {
	if len(all) == 0 {
		return "the network itself"
	}
	var words []string
	for _, o := range all {
		words = append(words, string(o.Kind())+" "+o.ID())
	}
	return phrase.And(words)
}

func notesText(notes []reach.Note) []string {
	out := make([]string, 0, len(notes))
	for _, n := range notes {
		out = append(out, noteText(n))
	}
	return out
}

// passing says what passes, and what does only in part.
func passing(full, part flow.Set) string {
	switch {
	case part.Empty():
		return full.String()
	case full.Empty():
		return "in part " + part.String()
	}
	return full.String() + "; in part " + part.String()
}
