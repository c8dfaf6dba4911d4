package draw

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
)

// The map of a block is cut in half by each bit of an address, across its longer side: so that every range is a rectangle, what lies
// side by side in numbers lies close by, and an area is as large as a range.

// mapW and mapH are the size of the map of a block.
const mapW, mapH = 520.0, 340.0

// area is a rectangle on a map.
type area struct{ x, y, w, h float64 }

// half is one half of an area, across its longer side.
func (a area) half(second bool) area {
	if a.w >= a.h {
		a.w /= 2
		if second {
			a.x += a.w
		}
		return a
	}
	a.h /= 2
	if second {
		a.y += a.h
	}
	return a
}

// of is where a range lies in the area of one that holds it.
func (a area) of(whole, p netip.Prefix) area {
	bytes := p.Addr().AsSlice()
	for bit := whole.Bits(); bit < p.Bits(); bit++ {
		a = a.half(bytes[bit/8]&(0x80>>(bit%8)) != 0)
	}
	return a
}

// holding is something on a map.
type holding struct {
	name string
	p    netip.Prefix
	look Look
	what string
}

// Space draws every block of an estate as a map, with who has which part of it.
func Space(e *estate.Estate, font Font) *Picture {
	s := newSheet(font)
	survey := space.NewSurvey(e, nil)
	y := 0.0
	for _, n := range survey.Tree() {
		if n.Depth > 0 {
			continue
		}
		m := blockMap(e, n, font)
		s.put(m, -1, 0, y)
		y += m.H + 22
	}
	if y == 0 {
		s.text(-1, 0, 14, 400, 11, false, Faint, "the plan has no blocks of address space")
	}
	return s.done(title(e, "address space"), "The area of a range is its size. Hatched: held. Pale: free. A number stands for a name in the list beside the map")
}

// holdings are all that lies in a range: networks, what is held, sites and clusters; the larger first.
func holdings(e *estate.Estate, whole netip.Prefix) []holding {
	var all []holding
	add := func(name string, look Look, what string, ranges []netip.Prefix) {
		for _, p := range ranges {
			if address.Covers(whole, p) {
				all = append(all, holding{name: name, p: p, look: look, what: fmt.Sprintf("%s, %s%s", name, p, what)})
			}
		}
	}
	for _, b := range e.Blocks {
		if b.Held {
			add(b.Name, HeldLook, ", held for "+b.Plan.Held.Value, b.Ranges)
		}
	}
	for _, n := range e.Networks {
		add(n.Name, Used, ", network", n.Ranges)
	}
	for _, x := range e.Sites {
		add("site "+x.Name, Outside, "", x.Ranges)
	}
	for _, x := range e.Clusters {
		add(x.Name+"/pods", Used, ", pods of a cluster", x.Pods)
		add(x.Name+"/services", Used, ", services of a cluster", x.Services)
	}
	slices.SortStableFunc(all, func(a, b holding) int {
		return cmp.Or(cmp.Compare(a.p.Bits(), b.p.Bits()), a.p.Addr().Compare(b.p.Addr()))
	})
	return all
}

// blockMap is the map of a block and the list of what is on it.
func blockMap(e *estate.Estate, n space.Node, font Font) *sheet {
	s := newSheet(font)
	all := holdings(e, n.Range)
	shown := n.Range
	if len(all) > 0 { // as near as all of it can be seen
		near := all[0].p
		for _, h := range all {
			for !address.Covers(near, h.p) {
				near = netip.PrefixFrom(near.Addr(), near.Bits()-1).Masked()
			}
		}
		for _, b := range e.Blocks {
			for _, p := range b.Ranges {
				if p != n.Range && address.Covers(n.Range, p) && p.Bits() <= near.Bits()+3 {
					for !address.Covers(near, p) {
						near = netip.PrefixFrom(near.Addr(), near.Bits()-1).Masked()
					}
				}
			}
		}
		if near.Bits() >= n.Range.Bits()+2 {
			shown = near
		}
	}
	head := fmt.Sprintf("%s  %s", n.Block.Name, n.Range)
	s.text(-1, 0, 13, mapW, 13, true, Ink, head)
	share := func(f float64) string {
		if f > 0 && f < 0.005 {
			return "less than 1 %"
		}
		return fmt.Sprintf("%.0f %%", 100*f)
	}
	taken, kept := address.Set{}, address.Set{}
	for _, h := range all {
		if h.look == HeldLook {
			kept = kept.Union(address.SetOf(h.p))
		} else {
			taken = taken.Union(address.SetOf(h.p))
		}
	}
	used, held := n.Share(taken), n.Share(kept.Minus(taken))
	sub := fmt.Sprintf("used %s, held %s", share(used), share(held))
	if shown != n.Range {
		sub += fmt.Sprintf("; the map shows %s, the rest is free", shown)
	}
	s.text(-1, 0, 28, mapW+300, 10, false, Faint, sub)
	const top = 36
	high := mapH
	if len(all) == 0 {
		high = mapH / 3
	}
	frame := s.box(-1, 0, top, mapW, high, Free, "block "+n.Block.Name)
	whole := area{0, top, mapW, high}

	// Blocks within are outlines.
	type placed struct {
		p   netip.Prefix
		box int
	}
	inside := []placed{{shown, frame}}
	within := func(p netip.Prefix) int {
		best := inside[0]
		for _, x := range inside[1:] {
			if address.Covers(x.p, p) && x.p.Bits() >= best.p.Bits() {
				best = x
			}
		}
		return best.box
	}
	put := func(p netip.Prefix, look Look, what string) int {
		in := within(p)
		r := whole.of(shown, p)
		inset := 0.8
		for b := in; b >= 0; b = s.Boxes[b].In {
			inset += 0.8
		}
		inset = min(inset, r.w/4, r.h/4)
		b := s.box(in, r.x+inset, r.y+inset, r.w-2*inset, r.h-2*inset, look, what)
		inside = append(inside, placed{p, b})
		return b
	}
	var blocks []holding
	for _, b := range e.Blocks {
		for _, p := range b.Ranges {
			if !b.Held && p != n.Range && address.Covers(n.Range, p) && address.Covers(shown, p) {
				blocks = append(blocks, holding{name: b.Name, p: p})
			}
		}
	}
	slices.SortStableFunc(blocks, func(a, b holding) int { return cmp.Compare(a.p.Bits(), b.p.Bits()) })
	for _, b := range blocks {
		put(b.p, Free, "block "+b.name+", "+b.p.String())
	}
	first := len(s.Boxes)
	boxes := make([]int, len(all))
	for i, h := range all {
		boxes[i] = put(h.p, h.look, h.what)
	}
	parent := map[int]bool{}
	for _, b := range s.Boxes[first:] {
		parent[b.In] = true
	}
	for i, b := range blocks {
		s.corner(frame+1+i, "block "+b.name)
	}
	// The list is in the order of addresses; what has no room for its name on the map has a number there.
	listed := slices.Clone(all)
	slices.SortStableFunc(listed, func(a, b holding) int { return address.Compare(a.p, b.p) })
	number := map[holding]int{}
	for i, h := range listed {
		number[h] = i + 1
	}
	for i, h := range all {
		b := s.Boxes[boxes[i]]
		if parent[boxes[i]] {
			s.corner(boxes[i], h.name)
			continue
		}
		name, key := h.name, fmt.Sprint(number[h])
		for _, label := range []string{name, key} {
			if w := s.font(label, 9, label == name); w+6 <= b.W && b.H >= 12 {
				s.centred(boxes[i], b.X+3, b.Y+b.H/2+3, b.W-6, 9, label == name, Ink, label)
				break
			}
		}
	}
	s.list(listed, blocks)
	s.H = max(s.H, top+high)
	return s
}

// corner writes a name into a corner of a box in which no other box stands, where there is one with room for it.
func (s *sheet) corner(box int, name string) {
	b := s.Boxes[box]
	w, h := s.font(name, 9, true)+8, 14.0
	if w > b.W || h > b.H {
		return
	}
	for _, at := range []Point{{b.X, b.Y}, {b.X + b.W - w, b.Y}, {b.X, b.Y + b.H - h}, {b.X + b.W - w, b.Y + b.H - h}} {
		if !slices.ContainsFunc(s.Boxes[box+1:], func(o Box) bool {
			return o.X < at.X+w && at.X < o.X+o.W && o.Y < at.Y+h && at.Y < o.Y+o.H
		}) {
			s.text(box, at.X+4, at.Y+10.5, w, 9, true, Faint, name)
			return
		}
	}
}

// list writes who has what beside a map.
func (s *sheet) list(all, blocks []holding) {
	const top, row, most = 36.0, 13.0, 26
	x, y := mapW+20, top+9
	column := 0.0
	line := func(key, name, rest string) {
		if y > top+row*most {
			x, y, column = x+column+16, top+9, 0
		}
		s.text(-1, x, y, 24, 9, false, Faint, key)
		s.text(-1, x+24, y, 130, 9, true, Ink, name)
		w := s.text(-1, x+158, y, 190, 9, false, Ink, rest)
		column = max(column, 158+w)
		y += row
	}
	const largest = 120
	for i, h := range all {
		if i == largest {
			line("", fmt.Sprintf("%d more", len(all)-largest), "wendrik space lists all")
			break
		}
		line(fmt.Sprint(i+1), h.name, h.p.String()+"  "+sizeWord(h.p))
	}
	for _, b := range blocks {
		line("", "block "+b.name, b.p.String())
	}
	if len(all)+len(blocks) == 0 {
		s.text(-1, x, y, 200, 9, false, Faint, "nothing has any of it")
	}
}

// sizeWord is how many addresses a range has.
func sizeWord(p netip.Prefix) string {
	bits := p.Addr().BitLen() - p.Bits()
	if bits > 24 {
		return fmt.Sprintf("2^%d", bits)
	}
	return phrase.Count(1<<bits, "address")
}
