package cli

import (
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
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
				cards := findCards(e, c.args[0])
				if len(cards) == 0 {
					return cannot, unknownThing(e, c.args[0])
				}
				if *format == "json" {
					return good, c.json(cardsJSON(cards, e.Plan.Source))
				}
				for i, card := range cards {
					if i > 0 {
						c.say("")
					}
					c.card(card, e.Plan.Source)
				}
				return good, nil
			}
		},
	}
}

// card is all about one thing: facts, and tables of what is tied to it.
type card struct {
	kind, name string
	at         plan.Pos
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

func (c *call) card(k *card, src *plan.Source) {
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

// findCards finds everything that a name names.
func findCards(e *estate.Estate, name string) []*card {
	var cards []*card
	if n := e.Network(name); n != nil {
		cards = append(cards, networkCard(n))
	}
	if w := e.Workload(name); w != nil {
		cards = append(cards, workloadCard(w))
	}
	if s := e.Site(name); s != nil {
		cards = append(cards, siteCard(s))
	}
	if p := e.Peering(name); p != nil {
		cards = append(cards, peeringCard(p))
	}
	if h := e.Hub(name); h != nil {
		cards = append(cards, hubCard(e, h))
	}
	if l := e.HubLink(name); l != nil {
		cards = append(cards, hubLinkCard(l))
	}
	for _, c := range e.Clusters {
		if c.Name == name {
			cards = append(cards, clusterCard(c))
		}
	}
	if b := e.Block(name); b != nil {
		cards = append(cards, blockCard(e, b))
	}
	network, inside, found := strings.Cut(name, "/")
	n := e.Network(network)
	if !found || n == nil {
		return cards
	}
	if s := n.Subnet(inside); s != nil {
		cards = append(cards, subnetCard(s))
	}
	if t := n.Tier(inside); t != nil {
		cards = append(cards, tierCard(t))
	}
	if t := n.Table(inside); t != nil {
		cards = append(cards, tableCard(t))
	}
	if g := n.Group(inside); g != nil {
		cards = append(cards, groupCard(g))
	}
	for _, l := range n.Lists {
		if l.Name == inside {
			cards = append(cards, listCard(l))
		}
	}
	if g := n.Gateway(inside); g != nil {
		cards = append(cards, gatewayCard(g))
	}
	return cards
}

func unknownThing(e *estate.Estate, name string) error {
	var known []string
	for _, n := range e.Networks {
		known = append(known, n.Name)
		for _, s := range n.Subnets {
			known = append(known, s.Path())
		}
		for _, t := range n.Tables {
			known = append(known, t.Path())
		}
	}
	for _, w := range e.Workloads {
		known = append(known, w.Name)
	}
	for _, s := range e.Sites {
		known = append(known, s.Name)
	}
	fix := "name a network, network/subnet, network/table, or a workload"
	if near := plan.Nearest(name, known); near != "" {
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

func cardsJSON(cards []*card, src *plan.Source) showOut {
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
