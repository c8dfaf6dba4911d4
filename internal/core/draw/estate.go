package draw

import (
	"fmt"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
)

// Up to how many networks a picture of an estate shows each subnet, and up to how many each tier; beyond, networks have their names
// and ranges alone, and no lines are drawn.
const (
	mostFull  = 12
	mostTiers = 60
)

// Estate draws all of an estate: networks by region, hubs, sites, and what joins them; with subnets in scale where that is asked for.
func Estate(e *estate.Estate, scale bool, font Font) *Picture {
	b := newEstateBuilder(e, font)
	b.scale = scale
	b.joins()
	return b.picture(title(e, "the estate"))
}

func title(e *estate.Estate, what string) string {
	if name := e.Plan.Estate.Value; name != "" {
		return name + ": " + what
	}
	return strings.ToUpper(what[:1]) + what[1:]
}

// estateBuilder makes the picture of an estate.
type estateBuilder struct {
	*grid
	e     *estate.Estate
	level level
	scale bool
	at    map[estate.Object]int
	note  map[estate.Object]string // what else a card says
	left  []string                 // what is left out
}

func newEstateBuilder(e *estate.Estate, font Font) *estateBuilder {
	b := &estateBuilder{grid: &grid{font: font}, e: e, at: map[estate.Object]int{}, note: map[estate.Object]string{}}
	switch n := len(e.Networks); {
	case n <= mostFull:
		b.level = full
	case n <= mostTiers:
		b.level = tiers
		b.left = append(b.left, phrase.Count(len(e.Subnets), "subnet"))
	default:
		b.level = names
		b.left = append(b.left, "tiers, gateways and "+phrase.Count(len(e.Subnets), "subnet"))
	}
	return b
}

// cards makes the cards of all networks, hubs and sites, in frames.
func (b *estateBuilder) cards() {
	regions := map[string]int{}
	for _, n := range b.e.Networks {
		name := strings.Join(n.RegionNames(), ", ")
		if name == "" {
			name = "no region"
		}
		if _, known := regions[name]; !known {
			regions[name] = len(b.groups)
			label := "region " + name
			if len(n.Regions) == 0 {
				label = "no region is given"
			}
			b.groups = append(b.groups, group{label, Region, label})
		}
		b.add(n, regions[name], networkCard(n, b.level, b.note[n], b.scale, b.font))
	}
	if len(b.e.Hubs) > 0 {
		b.groups = append(b.groups, group{"hubs", Region, "hubs"})
		for _, h := range b.e.Hubs {
			b.add(h, len(b.groups)-1, hubCard(h, b.level, b.font))
		}
	}
	gates := b.gates()
	if len(b.e.Sites) > 0 || gates != "" {
		b.groups = append(b.groups, group{"outside", Region, "what is outside the clouds"})
		for _, s := range b.e.Sites {
			b.add(s, len(b.groups)-1, siteCard(s, b.note[s], b.font))
		}
		if gates != "" {
			b.nodes = append(b.nodes, &node{sheet: newSheet(b.font).plainCard(Outside, "the internet", gates), group: len(b.groups) - 1})
		}
	}
}

// gates says by which gateways the internet is reached.
func (b *estateBuilder) gates() string {
	var all []string
	for _, n := range b.e.Networks {
		for _, g := range n.Gateways {
			if g.Attached && g.Type != estate.NATGateway {
				all = append(all, g.ID())
			}
		}
	}
	switch {
	case len(all) == 0:
		return ""
	case len(all) > 4:
		return "by " + phrase.Count(len(all), "gateway")
	}
	return "by " + strings.Join(all, ", ")
}

func (b *estateBuilder) add(o estate.Object, group int, s *sheet) {
	b.at[o] = len(b.nodes)
	b.nodes = append(b.nodes, &node{sheet: s, group: group})
}

// join is a line that joins two things.
type join struct {
	a, b        estate.Object
	label, what string
	look        Look
}

func (b *estateBuilder) allJoins() []join {
	var all []join
	state := func(stands bool, look Look) (Look, string) {
		if stands {
			return look, ""
		}
		return Waiting, ", not accepted on both sides"
	}
	for _, p := range b.e.Peerings {
		look, more := state(p.Stands(), PeerLine)
		all = append(all, join{p.Between[0], p.Between[1], p.Name, fmt.Sprintf("peering %s between %s and %s%s", p.Name, p.Between[0].Name, p.Between[1].Name, more), look})
	}
	for _, h := range b.e.Hubs {
		for _, a := range h.Attachments {
			if len(h.Attachments) > mostAttached {
				continue
			}
			all = append(all, join{a.To(), h, "", fmt.Sprintf("%s is attached to hub %s, table %s", a.To().ID(), h.Name, a.Table.Name), HubLine})
		}
	}
	for _, l := range b.e.HubLinks {
		look, more := state(l.Stands(), HubLine)
		all = append(all, join{l.Between[0], l.Between[1], l.Name, fmt.Sprintf("hub link %s between %s and %s%s", l.Name, l.Between[0].Name, l.Between[1].Name, more), look})
	}
	for _, s := range b.e.Sites {
		if s.Link != nil {
			all = append(all, join{s, s.Link, "", fmt.Sprintf("site %s is linked to network %s", s.Name, s.Link.Name), SiteLine})
		}
	}
	return all
}

// joins adds the cards and the lines between them; where they are too many, each card says how many it has.
func (b *estateBuilder) joins() {
	all := b.allJoins()
	if b.level == names {
		count := map[estate.Object]int{}
		for _, j := range all {
			count[j.a]++
			count[j.b]++
		}
		for o, n := range count {
			b.note[o] = phrase.Count(n, "join")
		}
		b.left = append(b.left, phrase.Count(len(all), "line")+" of what is joined, which each card counts")
		all = nil
	}
	b.attached()
	b.cards()
	for _, j := range all {
		b.links = append(b.links, link{a: b.at[j.a], b: b.at[j.b], label: j.label, what: j.what, look: j.look})
	}
}

// mostAttached is up to how many attachments of a hub are drawn as lines; of more, the cards say what they are attached to.
const mostAttached = 10

func (b *estateBuilder) attached() {
	if b.level == names {
		return
	}
	for _, h := range b.e.Hubs {
		if len(h.Attachments) <= mostAttached {
			continue
		}
		b.left = append(b.left, fmt.Sprintf("the lines to hub %s, which cards name", h.Name))
		for _, a := range h.Attachments {
			if b.note[a.To()] != "" {
				b.note[a.To()] += ", "
			}
			b.note[a.To()] += "on hub " + h.Name
		}
	}
}

// picture lays everything out.
func (b *estateBuilder) picture(title string) *Picture {
	note := fmt.Sprintf("%s, %s, %s", phrase.Count(len(b.e.Networks), "network"), phrase.Count(len(b.e.Subnets), "subnet"), phrase.Count(len(b.e.Workloads), "workload"))
	if len(b.left) > 0 {
		note += ". Left out: " + strings.Join(b.left, "; ") + ". A picture of one network shows it in full"
	}
	s := b.layout()
	b.legend(s)
	return s.done(title, note)
}

// legend says what borders and lines mean, below all.
func (b *estateBuilder) legend(s *sheet) {
	x, y := 0.0, s.H+12
	entry := func(look Look, word string, line bool) {
		w := b.font(word, 9.5, false)
		if line {
			s.Lines = append(s.Lines, Line{Points: []Point{{x, y + 8}, {x + 26, y + 8}}, Look: look})
		} else {
			s.box(-1, x, y, 26, 15, look, word)
		}
		s.text(-1, x+31, y+11.5, w+1, 9.5, false, Faint, word)
		x += 31 + w + 18
	}
	has := map[Look]bool{}
	for _, x := range s.Boxes {
		has[x.Look] = true
	}
	for _, x := range []struct {
		look Look
		word string
	}{{Public, "public"}, {Outbound, "outbound"}, {Closed, "closed"}, {Unstated, "access not stated"}} {
		if has[x.look] {
			entry(x.look, x.word, false)
		}
	}
	for _, l := range b.links {
		has[l.look] = true
	}
	for _, x := range []struct {
		look Look
		word string
	}{{PeerLine, "peering"}, {HubLine, "attachment or hub link"}, {SiteLine, "link of a site"}, {Waiting, "not accepted on both sides"}, {Opens, "opens"}, {Closes, "closes"}} {
		if has[x.look] {
			entry(x.look, x.word, true)
		}
	}
	s.H = y + 18
}
