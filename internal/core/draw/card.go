package draw

import (
	"cmp"
	"fmt"
	"math/big"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
)

// This file makes the cards of networks, hubs and sites.

// level is how much a card tells.
type level int

const (
	names level = iota // name and range
	tiers              // its tiers as well
	full               // every subnet
)

// pad is the room between a box and what is in it.
const pad = 8

// card is what stands for a network, a hub or a site in a picture of the estate.
func (s *sheet) header(look Look, title, under, what string, least float64) (box int, w float64) {
	w = max(least, s.font(title, 13, true)+2*pad, min(s.font(under, 10, false), 260)+2*pad)
	return s.box(-1, 0, 0, w, 0, look, what), w
}

func rangesOf(all []netip.Prefix) string { return cmp.Or(phrase.List(all), "no range yet") }

// networkCard is the card of a network.
func networkCard(n *estate.Network, l level, note string, scale bool, font Font) *sheet {
	s := newSheet(font)
	what := fmt.Sprintf("network %s, %s, %s, %s", n.Name, rangesOf(n.Ranges), phrase.Count(len(n.Subnets), "subnet"), phrase.Count(len(n.Workloads()), "workload"))
	var body *sheet
	switch l {
	case full:
		body = subnetTable(n, nil, scale, font)
	case tiers:
		body = tierRows(n, font)
	default:
		body = newSheet(font)
	}
	gates := gateRow(n, l, font)
	least := max(96, body.W+2*pad, gates.W+2*pad, s.font(note, 9, false)+2*pad)
	box, w := s.header(Card, n.Name, rangesOf(n.Ranges), what, least)
	y := 0.0
	if len(gates.Boxes) > 0 {
		s.put(gates, box, pad, 0) // at the edge
		y = gates.H + 2
	}
	s.text(box, pad, y+16, w-2*pad, 13, true, Ink, n.Name)
	s.text(box, pad, y+30, w-2*pad, 10, false, Faint, rangesOf(n.Ranges))
	y += 36
	if note != "" {
		s.text(box, pad, y+8, w-2*pad, 9, false, Faint, note)
		y += 14
	}
	if len(body.Boxes)+len(body.Texts) > 0 {
		s.put(body, box, pad, y+2)
		y += body.H + 4
	}
	s.Boxes[box].H = y + pad - 2
	s.W, s.H = w, s.Boxes[box].H
	return s
}

// gateRow are the gateways at the edge of a network.
func gateRow(n *estate.Network, l level, font Font) *sheet {
	s := newSheet(font)
	if l == names {
		return s
	}
	x := 0.0
	for _, g := range n.Gateways {
		if g.Type == estate.NATGateway && g.In != nil {
			continue // it stands in its subnet
		}
		word := map[estate.GatewayType]string{estate.InternetGateway: "to the internet", estate.EgressGateway: "IPv6 out", estate.NATGateway: "NAT"}[g.Type]
		if !g.Attached && g.Type != estate.NATGateway {
			word = "not attached"
		}
		label := g.Name + ": " + word
		w := s.font(label, 9, false) + 10
		b := s.box(-1, x, 0, w, 15, Gate, "gateway "+g.ID()+", "+word)
		s.text(b, x+5, 11, w, 9, false, OnDark, label)
		x += w + 4
	}
	return s
}

// accessOf is the access of a subnet, by its tier.
func accessOf(s *estate.Subnet) (Look, string) {
	if s.Tier == nil {
		return Unstated, ""
	}
	return accessLook(s.Tier)
}

func accessLook(t *estate.Tier) (Look, string) {
	switch word := t.Plan.Access.Value; word {
	case "public":
		return Public, word
	case "outbound":
		return Outbound, word
	case "closed":
		return Closed, word
	}
	return Unstated, ""
}

// tierRows are the tiers of a network, and how many subnets each has.
func tierRows(n *estate.Network, font Font) *sheet {
	s := newSheet(font)
	y := 0.0
	row := func(look Look, label, what string) {
		w := s.font(label, 9.5, false) + 12
		b := s.box(-1, 0, y, w, 16, look, what)
		s.text(b, 6, y+11.5, w, 9.5, false, Ink, label)
		y += 19
	}
	for _, t := range n.Tiers {
		look, access := accessLook(t)
		row(look, strings.TrimSpace(fmt.Sprintf("%s  %s  %s", t.Name, access, phrase.Count(len(t.Subnets), "subnet"))), "tier "+n.Name+"/"+t.Name)
	}
	if free := len(n.Subnets) - tiered(n); free > 0 {
		row(Unstated, phrase.Count(free, "subnet")+" in no tier", "subnets of no tier")
	}
	for i := range s.Boxes { // all as wide as the widest
		s.Boxes[i].W = s.W
	}
	return s
}

func tiered(n *estate.Network) int {
	k := 0
	for _, x := range n.Subnets {
		if x.Tier != nil {
			k++
		}
	}
	return k
}

// doubling is by how much a subnet is higher than one of half its size, where they are in scale.
const doubling = 7

// subnetTable has the zones of a network as columns, and its tiers as rows. More says what else stands in a subnet. In scale, a subnet
// is the higher the more addresses it has: by a step for each doubling.
func subnetTable(n *estate.Network, more func(*estate.Subnet) []string, scale bool, font Font) *sheet {
	s := newSheet(font)
	if len(n.Subnets) == 0 {
		return s
	}
	var zones []string
	for _, r := range n.Regions {
		for _, z := range r.Zones {
			if slices.ContainsFunc(n.Subnets, func(x *estate.Subnet) bool { return x.Zone == z.Value }) {
				zones = append(zones, z.Value)
			}
		}
	}
	for _, x := range n.Subnets {
		if !slices.Contains(zones, x.Zone) {
			zones = append(zones, x.Zone)
		}
	}
	rows := []*estate.Tier{}
	for _, t := range n.Tiers {
		if len(t.Subnets) > 0 {
			rows = append(rows, t)
		}
	}
	if tiered(n) < len(n.Subnets) {
		rows = append(rows, nil)
	}
	smallest := 0
	for _, x := range n.Subnets {
		smallest = max(smallest, lengthOf(x))
	}
	cells := map[[2]int][]*sheet{}
	widths, heights := make([]float64, len(zones)), make([]float64, len(rows))
	for _, x := range n.Subnets {
		at := [2]int{slices.Index(rows, x.Tier), slices.Index(zones, x.Zone)}
		c := subnetCell(x, more, font)
		if scale {
			grow := float64(doubling * (smallest - lengthOf(x)))
			c.Boxes[0].H, c.H = c.Boxes[0].H+grow, c.H+grow
		}
		cells[at] = append(cells[at], c)
		widths[at[1]] = max(widths[at[1]], c.W)
	}
	for at, list := range cells {
		h := 0.0
		for _, c := range list {
			h += c.H + 4
		}
		heights[at[0]] = max(heights[at[0]], h)
	}
	left := 0.0
	for _, t := range rows {
		if t != nil {
			_, access := accessLook(t)
			left = max(left, s.font(t.Name, 10, true)+8, s.font(access, 9, false)+8)
			heights[slices.Index(rows, t)] = max(heights[slices.Index(rows, t)], 30)
		}
	}
	x := left
	for k, z := range zones {
		widths[k] = max(widths[k], s.font(z, 9, false))
		s.text(-1, x, 9, widths[k], 9, false, Faint, z)
		x += widths[k] + 5
	}
	y := 14.0
	for r, t := range rows {
		if t != nil {
			_, access := accessLook(t)
			s.text(-1, 0, y+12, left, 10, true, Ink, t.Name)
			s.text(-1, 0, y+24, left, 9, false, Faint, access)
		}
		x := left
		for k := range zones {
			at := y
			for _, c := range cells[[2]int{r, k}] {
				for i := range c.Boxes {
					if c.Boxes[i].In < 0 {
						c.Boxes[i].W = widths[k]
					}
				}
				s.put(c, -1, x, at)
				at += c.H + 4
			}
			x += widths[k] + 5
		}
		y += heights[r]
	}
	s.W, s.H = max(s.W, x-5), y-4
	return s
}

// lengthOf is the length of a subnet's IPv4 range, or else of its first; 0 where it has none yet.
func lengthOf(x *estate.Subnet) int {
	length := 0
	for _, p := range x.Ranges {
		if length == 0 || p.Addr().Is4() {
			length = p.Bits()
		}
	}
	if length == 0 {
		for _, o := range x.Network.Subnets { // as small as the smallest
			if len(o.Ranges) > 0 {
				length = max(length, lengthOf(o))
			}
		}
	}
	return length
}

// subnetCell is a subnet: its name, its ranges, and the room that is left.
func subnetCell(x *estate.Subnet, more func(*estate.Subnet) []string, font Font) *sheet {
	s := newSheet(font)
	look, access := accessOf(x)
	lines := []string{}
	for _, p := range x.Ranges {
		lines = append(lines, p.String())
	}
	if len(lines) == 0 {
		lines = append(lines, "no range yet")
	}
	if left := roomLeft(x); left != "" {
		lines = append(lines, left)
	}
	for _, g := range x.Network.Gateways {
		if g.In == x {
			lines = append(lines, "NAT "+g.Name)
		}
	}
	if more != nil {
		lines = append(lines, more(x)...)
	}
	w := s.font(x.Name, 10.5, true)
	for _, l := range lines {
		w = max(w, s.font(l, 9, false))
	}
	w = min(w, 230) + 12
	b := s.box(-1, 0, 0, w, float64(18+12*len(lines)), look, strings.TrimSuffix("subnet "+x.ID()+", "+strings.Join(lines, ", ")+", "+access, ", "))
	s.text(b, 6, 12, w-12, 10.5, true, Ink, x.Name)
	for i, l := range lines {
		s.text(b, 6, float64(24+12*i), w-12, 9, false, Ink, l)
	}
	return s
}

// roomLeft says how many addresses of a subnet are left for hosts.
func roomLeft(x *estate.Subnet) string {
	for _, p := range x.Ranges {
		if p.Addr().Is4() {
			left := new(big.Int).Sub(x.Network.Profile.Usable(p), big.NewInt(int64(x.Taken(p))))
			return left.String() + " left"
		}
	}
	if len(x.Ranges) > 0 && address.Count(x.Ranges[0]).BitLen() > 32 {
		return "room for all"
	}
	return ""
}

// hubCard is the card of a hub.
func hubCard(h *estate.Hub, l level, font Font) *sheet {
	s := newSheet(font)
	var all []string
	for _, t := range h.Tables {
		all = append(all, t.Name)
	}
	under := phrase.Count(len(h.Attachments), "attachment")
	if l != names && len(all) > 0 {
		under += "; tables " + strings.Join(all, ", ")
	}
	return s.plainCard(HubLook, "hub "+h.Name, under)
}

// siteCard is the card of a site.
func siteCard(x *estate.Site, note string, font Font) *sheet {
	return newSheet(font).plainCard(Outside, "site "+x.Name, strings.TrimSuffix(rangesOf(x.Ranges)+", "+note, ", "))
}

func (s *sheet) plainCard(look Look, title, under string) *sheet {
	box, w := s.header(look, title, under, title+", "+under, 96)
	s.text(box, pad, 17, w-2*pad, 13, true, Ink, title)
	s.text(box, pad, 31, w-2*pad, 10, false, Faint, under)
	s.Boxes[box].H = 40
	s.W, s.H = w, 40
	return s
}
