package draw

import (
	"fmt"
	"slices"
	"strings"
)

// A Matrix is who reaches whom: what passes from each row to each column.
type Matrix struct {
	Names []string // of rows and columns; those of one network begin with its name and a slash
	At    func(from, to int) (Look, string)
	About string // on what, and what a row is
	Asked bool   // whether cells are about one flow, of which all passes or some; else about whatever passes
}

// Draw draws a matrix, in an order in which those that fare alike stand together, and those of a network, too.
func (m *Matrix) Draw(title string, font Font) *Picture {
	s := newSheet(font)
	order := m.order()
	left, cell := 0.0, 18.0
	for _, name := range m.Names {
		left = max(left, s.font(name, 9.5, false))
	}
	left = min(left, 190) + 30
	top := 30.0
	for r, i := range order {
		y := top + float64(r)*cell
		key := fmt.Sprint(r + 1)
		s.text(-1, 0, y+12.5, 22, 9, true, Faint, key)
		s.text(-1, 24, y+12.5, left-28, 9.5, false, Ink, m.Names[i])
		x := left + float64(r)*cell
		s.centred(-1, x, top-6, cell, 9, true, Faint, key)
	}
	for r, i := range order {
		for c, j := range order {
			look, word := m.At(i, j)
			x, y := left+float64(c)*cell, top+float64(r)*cell
			b := s.box(-1, x+1, y+1, cell-2, cell-2, look, fmt.Sprintf("%s to %s: %s", m.Names[i], m.Names[j], word))
			switch look {
			case Open:
				s.centred(b, x+1, y+12.5, cell-2, 9, true, OnDark, "●")
			case Partly:
				s.centred(b, x+1, y+12.5, cell-2, 9, true, OnDark, "–")
			}
		}
	}
	// Where one network ends.
	n := float64(len(order))
	for r := 1; r < len(order); r++ {
		if networkOf(m.Names[order[r]]) != networkOf(m.Names[order[r-1]]) {
			at := float64(r) * cell
			s.Lines = append(s.Lines, Line{Points: []Point{{0, top + at}, {left + n*cell, top + at}}, Look: Plain},
				Line{Points: []Point{{left + at, top - 16}, {left + at, top + n*cell}}, Look: Plain})
		}
	}
	y := top + n*cell + 14
	x := 0.0
	open, partly := "● what passes, passes between all", "– something passes between some"
	if m.Asked {
		open, partly = "● all of it passes", "– some of it, or for some"
	}
	for _, k := range []struct {
		look Look
		word string
	}{{Open, open}, {Partly, partly}, {Blocked, "nothing passes"}} {
		s.box(-1, x, y, 16, 14, k.look, k.word)
		x += 22 + s.text(-1, x+22, y+11, 220, 9.5, false, Faint, k.word) + 20
	}
	s.H = y + 18
	return s.done(title, m.About)
}

func networkOf(name string) string {
	network, _, _ := strings.Cut(name, "/")
	return network
}

// order puts those next to each other that fare most alike: from the first on, each time the network, and in it the row, that is
// most like the one before.
func (m *Matrix) order() []int {
	n := len(m.Names)
	looks := make([][]Look, n)
	for i := range n {
		for j := range n {
			there, _ := m.At(i, j)
			back, _ := m.At(j, i)
			looks[i] = append(looks[i], there, back)
		}
	}
	apart := func(i, j int) int {
		d := 0
		for k := range looks[i] {
			if looks[i][k] != looks[j][k] {
				d++
			}
		}
		return d
	}
	left := make([]int, n)
	for i := range left {
		left[i] = i
	}
	var order []int
	for len(left) > 0 {
		next := 0
		if len(order) > 0 {
			last := order[len(order)-1]
			same := slices.ContainsFunc(left, func(i int) bool { return networkOf(m.Names[i]) == networkOf(m.Names[last]) })
			best := -1
			for k, i := range left {
				if same && networkOf(m.Names[i]) != networkOf(m.Names[last]) {
					continue
				}
				if d := apart(last, i); best < 0 || d < best {
					best, next = d, k
				}
			}
		}
		order = append(order, left[next])
		left = slices.Delete(left, next, next+1)
	}
	return order
}
