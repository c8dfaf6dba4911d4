package draw

import "fmt"

// A Stop is a thing on a way, in words.
type Stop struct {
	Where string
	What  string
	Stops bool // whether nothing gets past it
}

// A Leg is one direction of a way.
type Leg struct {
	Name  string // there or back
	Stops []Stop
}

// A Cause is what stops a flow, and how that would be fixed.
type Cause struct{ What, Fix string }

// Way draws by which way packets go, and what stops them.
func Way(title, verdict string, good bool, legs []Leg, causes []Cause, font Font) *Picture {
	s := newSheet(font)
	const stopW, gap, perRow = 186.0, 26.0, 6
	y := 6.0
	look := Alarm
	if good {
		look = Good
	}
	s.text(-1, 0, y+12, 1200, 14, true, look, verdict)
	y += 30
	found := 0
	for _, leg := range legs {
		s.text(-1, 0, y+10, 300, 11, true, Faint, leg.Name)
		y += 18
		high := 0.0
		var before *Point // where the line comes from
		for i, stop := range leg.Stops {
			if i > 0 && i%perRow == 0 {
				y += high + 28
				high = 0
			}
			x := float64(i%perRow) * (stopW + gap)
			lines := s.lines(stop.What, stopW-2*pad, 9)
			if len(lines) > 5 {
				lines = append(lines[:4], lines[4]+" …")
			}
			h := 24 + 11*float64(len(lines)) + 4
			boxLook := Plain
			if stop.Stops {
				boxLook = Changed
			}
			b := s.box(-1, x, y, stopW, h, boxLook, stop.Where+": "+stop.What)
			room := stopW - 2*pad
			if stop.Stops {
				found++
				mark := fmt.Sprintf("× %d", found)
				w := s.font(mark, 10, true)
				s.text(b, x+stopW-pad-w, y+15, w+1, 10, true, Alarm, mark)
				room -= w + 6
			}
			s.text(b, x+pad, y+15, room, 10.5, true, Ink, stop.Where)
			for k, l := range lines {
				s.text(b, x+pad, y+28+11*float64(k), stopW-2*pad, 9, false, Ink, l)
			}
			at := Point{x, y + 14}
			line := Open
			if stop.Stops {
				line = Blocked
			}
			switch {
			case before == nil:
			case i%perRow == 0:
				s.Lines = append(s.Lines, Line{Points: []Point{*before, {before.X + gap/2, before.Y}, {before.X + gap/2, y - 12}, {x + 12, y - 12}, {x + 12, y}}, Look: line, Arrow: true})
			default:
				s.Lines = append(s.Lines, Line{Points: []Point{*before, at}, Look: line, Arrow: true})
			}
			before = &Point{x + stopW, y + 14}
			high = max(high, h)
		}
		y += high + 22
	}
	s.W = max(s.W, perRow*stopW+(perRow-1)*gap)
	if len(causes) > 0 {
		s.text(-1, 0, y+10, 600, 11, true, Faint, "what stops it, and what would fix it")
		y += 20
		for i, c := range causes {
			s.text(-1, 0, y+9, 24, 10, true, Alarm, fmt.Sprint(i+1))
			for _, l := range s.lines(c.What, s.W-30, 10) {
				s.text(-1, 22, y+9, s.W-22, 10, false, Ink, l)
				y += 13
			}
			for _, l := range s.lines(c.Fix, s.W-70, 10) {
				s.text(-1, 36, y+9, s.W-36, 10, false, Faint, l)
				y += 13
			}
			y += 4
		}
	}
	s.H = max(s.H, y)
	return s.done(title, "")
}
