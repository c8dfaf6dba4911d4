package cli

import (
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
)

func showCommand() *command {
	return &command{
		name: "show", args: "[NAME]",
		short: "the estate, or one thing of it and all that is tied to it",
		long: "Show tells all about one thing: a network; a subnet, tier, route table, security group, access list or gateway as network/name, a workload, a peering, a hub, a hub link, a site, a cluster, or a block of space. " +
			"Of a network it tells what is free in it, of a subnet the usable addresses, and which are taken. Without a name it is an overview of the estate.",
		examples: []example{
			{"wendrik show", "the estate"},
			{"wendrik show booking", "a network"},
			{"wendrik show booking -format md", "the same for a wiki"},
			{"wendrik show -whole booking", "the same as a plan spells it out"},
			{"wendrik show booking/web-a", "a subnet"},
			{"wendrik show booking/public", "a route table"},
			{"wendrik show fare-db -format json", "a workload, for another program"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "md")
			whole := f.Bool("whole", false, "write the network out as a plan would spell it, with all that its pattern gives")
			f.onlyAsText(format, "whole")
			return func(c *call) (int, error) {
				if len(c.args) > 1 {
					return cannot, &usageError{fmt.Sprintf("show takes one name, not %d", len(c.args)), "wendrik show NETWORK,  or  NETWORK/SUBNET,  or  WORKLOAD"}
				}
				o, status, err := c.loadPart(*name)
				if err != nil {
					return cannot, err
				}
				e := o.Estate
				if *whole {
					n := e.Network(strings.Join(c.args, ""))
					if n == nil {
						return cannot, &usageError{"-whole writes a network out, and this names none", "wendrik show -whole NETWORK"}
					}
					for line := range strings.Lines(n.Plan.Whole()) {
						c.say("%s", clean(strings.TrimRight(line, "\n")))
					}
					return status(good), nil
				}
				var cards []*card
				if len(c.args) == 0 {
					cards = append(cards, estateCard(e))
				}
				for _, o := range e.Named(strings.Join(c.args, "")) {
					cards = append(cards, cardOf(e, o))
				}
				if len(cards) == 0 {
					return cannot, unknownThing(e, c.args[0])
				}
				if *format == "json" {
					return status(good), c.json(cardsJSON(cards, e.Plan.Files))
				}
				for i, card := range cards {
					if i > 0 {
						c.say("")
					}
					if *format == "md" {
						c.cardMarkdown(card, e.Plan.Files)
						continue
					}
					c.card(card, e.Plan.Files)
				}
				return status(good), nil
			}
		},
	}
}

func unknownThing(e *estate.Estate, name string) error {
	fix := "name a network, network/subnet, network/table, or a workload"
	if near := e.Near(name, estate.NetworkKind, estate.SubnetKind, estate.TableKind, estate.WorkloadKind, estate.SiteKind); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	return &usageError{fmt.Sprintf("nothing in the estate is named %q", name), fix}
}
