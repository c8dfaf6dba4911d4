package cli

import (
	"fmt"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

func showCommand() *command {
	return &command{
		name: "show", args: "NAME",
		short: "one thing of the estate and all that is tied to it",
		long: "Show tells all about one thing: a network, a subnet, tier, table, group, list or gateway as network/name, a workload, a peering, a hub, a hub link, a site, a cluster, or a block of space. " +
			"Of a subnet it tells the usable addresses, and which are taken.",
		examples: []example{
			{"wendrik show booking", "a network"},
			{"wendrik show booking/web-a", "a subnet"},
			{"wendrik show booking/public", "a route table"},
			{"wendrik show fare-db -format json", "a workload, for another program"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json")
			return func(c *call) (int, error) {
				if len(c.args) != 1 {
					return cannot, &usageError{fmt.Sprintf("show takes one name, not %d", len(c.args)), "wendrik show NETWORK,  or  NETWORK/SUBNET,  or  WORKLOAD"}
				}
				e, err := c.load(*name)
				if err != nil {
					return cannot, err
				}
				var cards []*card
				for _, o := range e.Named(c.args[0]) {
					cards = append(cards, cardOf(e, o))
				}
				if len(cards) == 0 {
					return cannot, unknownThing(e, c.args[0])
				}
				if *format == "json" {
					return good, c.json(cardsJSON(cards, e.Plan.Files))
				}
				for i, card := range cards {
					if i > 0 {
						c.say("")
					}
					c.card(card, e.Plan.Files)
				}
				return good, nil
			}
		},
	}
}

// card is all about one thing: facts, and tables of what is tied to it.
type card struct {
	kind, name string
	at         text.Pos
	facts      [][2]string
	parts      []part
}

type part struct {
	title string
	*sheet
}

func (c *card) fact(name, format string, args ...any) {
	c.facts = append(c.facts, [2]string{name, fmt.Sprintf(format, args...)})
}

// part adds a table, unless it is empty.
func (c *card) part(title string, t *sheet) {
	if len(t.rows) > 0 {
		c.parts = append(c.parts, part{title, t})
	}
}

func (c *call) card(k *card, src *text.Files) {
	where := ""
	if k.at.Known() {
		where = "  " + place.Sprint(clean(src.Where(k.at)))
	}
	c.say("%s%s", strong.Sprintf("%s %s", k.kind, clean(k.name)), where)
	for _, f := range k.facts {
		c.say("  %s %s", dim.Sprintf("%-10s", f[0]), c.wrap(13, clean(f[1])))
	}
	for _, p := range k.parts {
		c.say("\n%s", strong.Sprint(p.title))
		_ = c.write(p.sheet, "text")
	}
}

// cardOf is the card of an object; nil for a kind that has none.
func cardOf(e *estate.Estate, o estate.Object) *card {
	switch o := o.(type) {
	case *estate.Network:
		return networkCard(o)
	case *estate.Workload:
		return workloadCard(o)
	case *estate.Site:
		return siteCard(o)
	case *estate.Peering:
		return peeringCard(o)
	case *estate.Hub:
		return hubCard(e, o)
	case *estate.HubLink:
		return hubLinkCard(o)
	case *estate.Cluster:
		return clusterCard(o)
	case *estate.Block:
		return blockCard(e, o)
	case *estate.Subnet:
		return subnetCard(o)
	case *estate.Tier:
		return tierCard(o)
	case *estate.Table:
		return tableCard(o)
	case *estate.Group:
		return groupCard(o)
	case *estate.List:
		return listCard(o)
	case *estate.Gateway:
		return gatewayCard(o)
	}
	return nil
}

func unknownThing(e *estate.Estate, name string) error {
	fix := "name a network, network/subnet, network/table, or a workload"
	if near := e.Near(name, estate.NetworkKind, estate.SubnetKind, estate.TableKind, estate.WorkloadKind, estate.SiteKind); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	return &usageError{fmt.Sprintf("nothing in the estate is named %q", name), fix}
}

// The JSON of show; docs/json.md describes it.
type showOut struct {
	Things []cardOut `json:"things"`
}

type cardOut struct {
	Kind  string    `json:"kind"`
	Name  string    `json:"name"`
	Where string    `json:"where"`
	Facts []factOut `json:"facts"`
	Parts []partOut `json:"parts"`
}

type factOut struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

type partOut struct {
	Title  string     `json:"title"`
	Header []string   `json:"header"`
	Rows   [][]string `json:"rows"`
}

func cardsJSON(cards []*card, src *text.Files) showOut {
	out := showOut{[]cardOut{}}
	for _, k := range cards {
		x := cardOut{k.kind, k.name, src.Where(k.at), []factOut{}, []partOut{}}
		for _, f := range k.facts {
			x.Facts = append(x.Facts, factOut{f[0], f[1]})
		}
		for _, p := range k.parts {
			x.Parts = append(x.Parts, partOut{p.title, p.header, p.rows})
		}
		out.Things = append(out.Things, x)
	}
	return out
}
