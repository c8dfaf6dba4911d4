package draw

import (
	"cmp"
	"math"
	"slices"
)

// This file places cards in rows and columns, and leads lines between them through the channels that are left free.

// node is a card that is placed.
type node struct {
	sheet      *sheet
	group      int // the number of the group that it stands in
	row, col   int
	x, y       float64
	top, under []*stub // the ends of lines at its edges, from the left
}

// group is cards that stand in one frame.
type group struct {
	title string
	look  Look
	what  string
}

// link is a line between two cards.
type link struct {
	a, b  int
	label string
	what  string
	look  Look
	arrow bool
}

// stub is the end of a line at a card.
type stub struct {
	far float64 // where the other end is, from the left
	x   float64
}

// grid is cards in rows and columns, and lines between them.
type grid struct {
	font    Font
	nodes   []*node
	groups  []group
	links   []link
	columns int
	rows    [][]*node
}

// The room of channels: between a card and the first line, between lines, and above the cards of a frame for its title.
const (
	channelPad = 12
	trackRoom  = 15
	titleRoom  = 22
	gutter     = 14
)

// maxColumns is how many cards stand side by side at most.
const maxColumns = 40

// wanted is how wide a picture is to be for its height: that of a screen.
const wanted = 1.6

// layout places everything, as near to the shape of a screen as may be, and with the shorter lines of two ways to place them.
func (g *grid) layout() *sheet {
	most := 1
	for k := range g.groups {
		n := 0
		for _, x := range g.nodes {
			if x.group == k {
				n++
			}
		}
		most = max(most, n)
	}
	columns, least := 1, math.Inf(1)
	for g.columns = 1; g.columns <= min(most, maxColumns); g.columns++ {
		g.inOrder()
		s, _ := g.lines()
		shape := s.W / max(s.H, 1)
		if off := math.Abs(math.Log(shape / wanted)); off < least-1e-9 {
			least, columns = off, g.columns
		}
		if shape > 2*wanted {
			break
		}
	}
	g.columns = columns
	g.inOrder()
	plain, length := g.lines()
	g.byPeers()
	if better, shorter := g.lines(); shorter < length {
		return better
	}
	return plain
}

// inOrder places the cards in the order of the plan: each group from the left in rows of its own.
func (g *grid) inOrder() {
	g.rows = nil
	for k := range g.groups {
		col := g.columns
		for _, n := range g.nodes {
			if n.group != k {
				continue
			}
			if col == g.columns {
				g.rows, col = append(g.rows, nil), 0
			}
			n.row, n.col = len(g.rows)-1, col
			g.rows[n.row] = append(g.rows[n.row], n)
			col++
		}
	}
}

// byPeers moves the cards of each row to where those are that they are joined to: twice down and up again.
func (g *grid) byPeers() {
	near := make(map[*node][]*node)
	for _, l := range g.links {
		a, b := g.nodes[l.a], g.nodes[l.b]
		near[a], near[b] = append(near[a], b), append(near[b], a)
	}
	order := make([][]*node, 0, 4*len(g.rows))
	for range 2 {
		order = append(order, g.rows...)
		for _, row := range slices.Backward(g.rows) {
			order = append(order, row)
		}
	}
	for _, row := range order {
		at := map[*node]float64{}
		for _, n := range row {
			at[n] = float64(n.col)
			if len(near[n]) == 0 {
				continue
			}
			sum := 0.0
			for _, p := range near[n] {
				sum += float64(p.col)
			}
			at[n] = sum / float64(len(near[n]))
		}
		slices.SortStableFunc(row, func(a, b *node) int { return cmp.Compare(at[a], at[b]) })
		for i, n := range row {
			n.col = i
		}
	}
}

// run is the part of a line in one channel.
type run struct {
	from, to float64 // along the channel
	track    int
	label    string
	labelAt  float64
}

// course is the way of a line: from the one card over a channel below it, perhaps over one beside the columns, to the other.
type course struct {
	*link
	a, b   *stub // b's card is not above that of a
	first  *run  // in the channel behind the row of a
	side   *run  // between columns; nil where it needs none
	last   *run  // in the channel before the row of b; the same as the first where there is no side
	bAbove bool  // whether it comes to b from above
}

// lines leads all lines, and gives the whole of it, and how long the lines are in all.
func (g *grid) lines() (*sheet, float64) {
	widths := make([]float64, g.columns)
	for _, n := range g.nodes {
		widths[n.col] = max(widths[n.col], n.sheet.W)
		n.top, n.under = nil, nil
	}
	across := make([][]*run, len(g.rows)+1) // by channel: 0 is above the first row
	beside := make([][]*run, g.columns+1)
	var all []*course
	for i := range g.links {
		l := &g.links[i]
		a, b := g.nodes[l.a], g.nodes[l.b]
		if a == b {
			continue
		}
		if b.row < a.row {
			a, b = b, a
		}
		c := &course{link: l, a: &stub{}, b: &stub{}, first: &run{label: l.label}}
		a.under = append(a.under, c.a)
		across[a.row+1] = append(across[a.row+1], c.first)
		c.last = c.first
		if c.bAbove = b.row > a.row; c.bAbove {
			b.top = append(b.top, c.b)
		} else {
			b.under = append(b.under, c.b)
		}
		c.a.far, c.b.far = float64(b.col), float64(a.col)
		if b.row > a.row+1 {
			c.side, c.last = &run{from: float64(a.row + 1), to: float64(b.row)}, &run{}
			v := b.col
			if a.col > b.col {
				v++
			}
			beside[v] = append(beside[v], c.side)
			across[b.row] = append(across[b.row], c.last)
		}
		all = append(all, c)
	}
	// From the left to the right: where columns and the channels beside them are.
	sides := make([]float64, g.columns+1)
	x := 0.0
	columns := make([]float64, g.columns)
	for v := range sides {
		sides[v] = x
		if tracks := assign(beside[v]); tracks > 0 {
			x += 2*gutter/2 + float64(tracks)*8
		}
		if v < g.columns {
			x += gutter
			columns[v] = x
			x += widths[v] + gutter
		}
	}
	right := x
	for _, n := range g.nodes {
		n.x = columns[n.col]
		spread(n, n.top, 3)
		spread(n, n.under, -3)
	}
	sideAt := func(c *course) float64 {
		for v := range beside {
			if slices.Contains(beside[v], c.side) {
				return sides[v] + gutter/2 + float64(c.side.track)*8
			}
		}
		return 0
	}
	for _, c := range all {
		to := c.b.x
		if c.side != nil {
			to = sideAt(c)
			c.last.from, c.last.to = min(to, c.b.x), max(to, c.b.x)
		}
		c.first.from, c.first.to = min(c.a.x, to), max(c.a.x, to)
		if c.label != "" { // the label has its place on the line, and no other line on that
			room := g.font(c.label, 9, false) + 10
			c.first.labelAt = c.first.from + 5
			if c.first.from+room > right {
				c.first.labelAt = right - room + 5
			}
			c.first.from = min(c.first.from, c.first.labelAt-5)
			c.first.to = max(c.first.to, c.first.labelAt-5+room)
		}
	}
	// From the top down: where rows and the channels between them are.
	tops := make([]float64, len(g.rows)+1)
	rowAt := make([]float64, len(g.rows))
	y := 0.0
	for i := range across {
		tracks := assign(across[i])
		tops[i] = y + channelPad
		if tracks > 0 {
			y += channelPad + float64(tracks)*trackRoom
		}
		y += channelPad
		if i == len(g.rows) {
			break
		}
		if i == 0 || g.rows[i][0].group != g.rows[i-1][0].group {
			y += titleRoom
		}
		rowAt[i] = y
		h := 0.0
		for _, n := range g.rows[i] {
			n.y = y
			h = max(h, n.sheet.H)
		}
		y += h
	}
	s := newSheet(g.font)
	length := g.drawLines(s, all, tops, sideAt)
	in := g.frames(s, rowAt, right)
	for _, n := range g.nodes {
		s.put(n.sheet, in[n.group], n.x, n.y)
	}
	s.W, s.H = max(s.W, right), max(s.H, y)
	return s, length
}

// spread gives the ends of lines at an edge of a card their places: in the order of where they lead, and a little aside, so that
// those of cards that face each other do not meet.
func spread(n *node, stubs []*stub, aside float64) {
	ordered := slices.Clone(stubs)
	slices.SortStableFunc(ordered, func(a, b *stub) int { return cmp.Compare(a.far, b.far) })
	for i, s := range ordered {
		s.x = n.x + n.sheet.W*float64(i+1)/float64(len(ordered)+1) + aside
	}
}

// assign gives each part of a line in a channel a track on which no other is there, and gives how many tracks that takes.
func assign(runs []*run) int {
	ordered := slices.Clone(runs)
	slices.SortStableFunc(ordered, func(a, b *run) int { return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.to, b.to)) })
	var ends []float64
	for _, r := range ordered {
		r.track = -1
		for i, end := range ends {
			if end+4 < r.from {
				r.track = i
				break
			}
		}
		if r.track < 0 {
			r.track = len(ends)
			ends = append(ends, 0)
		}
		ends[r.track] = r.to
	}
	return len(ends)
}

// drawLines draws the lines, and gives how long they are.
func (g *grid) drawLines(s *sheet, all []*course, tops []float64, sideAt func(*course) float64) float64 {
	length := 0.0
	for _, c := range all {
		a, b := g.nodes[c.link.a], g.nodes[c.link.b]
		turned := b.row < a.row
		if turned {
			a, b = b, a
		}
		y := tops[a.row+1] + float64(c.first.track)*trackRoom + trackRoom/2 + 3
		points := []Point{{c.a.x, a.y + a.sheet.H}, {c.a.x, y}}
		if c.side != nil {
			x := sideAt(c)
			z := tops[b.row] + float64(c.last.track)*trackRoom + trackRoom/2 + 3
			points = append(points, Point{x, y}, Point{x, z}, Point{c.b.x, z})
		} else {
			points = append(points, Point{c.b.x, y})
		}
		if c.bAbove {
			points = append(points, Point{c.b.x, b.y})
		} else {
			points = append(points, Point{c.b.x, b.y + b.sheet.H})
		}
		if turned {
			slices.Reverse(points)
		}
		for i := range points[1:] {
			length += math.Abs(points[i+1].X-points[i].X) + math.Abs(points[i+1].Y-points[i].Y)
		}
		s.Lines = append(s.Lines, Line{points, c.look, c.arrow, c.what})
		if c.label != "" {
			s.text(-1, c.first.labelAt, y-3, math.Inf(1), 9, false, Faint, c.label)
		}
	}
	return length
}

// frames draws the frames of the groups behind their rows, and gives the number of the box of each; -1 for one without a frame.
func (g *grid) frames(s *sheet, rowAt []float64, right float64) []int {
	in := make([]int, len(g.groups))
	for k, x := range g.groups {
		in[k] = -1
		first, last := -1, -1
		for i, row := range g.rows {
			if row[0].group == k {
				if first < 0 {
					first = i
				}
				last = i
			}
		}
		if first < 0 || x.title == "" {
			continue
		}
		bottom := 0.0
		for _, n := range g.rows[last] {
			bottom = max(bottom, n.y+n.sheet.H)
		}
		y := rowAt[first] - titleRoom + 2
		in[k] = s.box(-1, 0, y, right, bottom+6-y, x.look, x.what)
		s.text(in[k], 8, y+13, right-16, 11, true, Faint, x.title)
	}
	return in
}
