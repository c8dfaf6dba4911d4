// Package draw lays out pictures: which box, line and text stands where. It draws nothing itself, and knows no format.
//
// The same plan gives the same picture. No box stands over another but for what it stands in, every text lies in its box, and no
// two texts meet.
package draw

import (
	"slices"
	"strings"
)

// Picture is a picture in points, the corner at the top left being 0, 0.
type Picture struct {
	Title string
	W, H  float64
	Boxes []Box  // those that stand in others behind them
	Lines []Line // between boxes
	Texts []Text
}

// Box is a rectangle.
type Box struct {
	X, Y, W, H float64
	Look       Look
	What       string // all that is known of it, in a sentence without its full stop
	In         int    // the number of the box that it stands in; -1 for none
}

// Line is a line over some points.
type Line struct {
	Points []Point
	Look   Look
	Arrow  bool // whether it ends in an arrow
	What   string
}

// Point is a place.
type Point struct{ X, Y float64 }

// Text is one line of text.
type Text struct {
	X, Y  float64 // the left end of its base line
	W     float64
	Size  float64
	Bold  bool
	Look  Look
	Value string
	Whole string // what it is short for; empty where it is whole
	In    int    // the number of the box that it stands in; -1 for none
}

// Look is what something is, by which it looks as it does.
type Look string

// The looks of boxes and lines.
const (
	Region   Look = "region"
	Card     Look = "card"   // a network
	Public   Look = "public" // open to the internet
	Outbound Look = "outbound"
	Closed   Look = "closed"
	Unstated Look = "unstated" // a subnet whose access nobody states
	Gate     Look = "gate"
	HubLook  Look = "hub"
	Outside  Look = "outside" // sites and the internet
	Used     Look = "used"
	HeldLook Look = "held"
	Free     Look = "free"
	Plain    Look = "plain"
	Open     Look = "open"
	Partly   Look = "partly"
	Blocked  Look = "blocked"
	PeerLine Look = "peering"
	HubLine  Look = "attachment"
	SiteLine Look = "site-link"
	Waiting  Look = "waiting" // a join that is not accepted
	Opens    Look = "opens"
	Closes   Look = "closes"
	Changed  Look = "changed"
	Ink      Look = "ink"   // of texts
	Faint    Look = "faint" // of texts that say less
	Alarm    Look = "alarm" // of texts that say what is wrong
	Good     Look = "good"
	OnDark   Look = "on-dark" // of texts on boxes that are filled
)

// A Font says how wide a text is.
type Font func(text string, size float64, bold bool) float64

// sheet is a picture that is being laid out.
type sheet struct {
	Picture
	font Font
}

func newSheet(font Font) *sheet { return &sheet{font: font} }

// box adds a box, and gives its number.
func (s *sheet) box(in int, x, y, w, h float64, look Look, what string) int {
	s.Boxes = append(s.Boxes, Box{x, y, w, h, look, what, in})
	s.W, s.H = max(s.W, x+w), max(s.H, y+h)
	return len(s.Boxes) - 1
}

// text adds a text of which no more is shown than has room, and gives how wide it is.
func (s *sheet) text(in int, x, y, room, size float64, bold bool, look Look, value string) float64 {
	value = strings.ToValidUTF8(value, "\uFFFD")
	shown := s.short(value, room, size, bold)
	if shown == "" {
		return 0
	}
	t := Text{X: x, Y: y, W: s.font(shown, size, bold), Size: size, Bold: bold, Look: look, Value: shown, In: in}
	if shown != value {
		t.Whole = value
	}
	s.Texts = append(s.Texts, t)
	s.W, s.H = max(s.W, x+t.W), max(s.H, y+size*0.3)
	return t.W
}

// centred is text in the middle of some room.
func (s *sheet) centred(in int, x, y, room, size float64, bold bool, look Look, value string) {
	w := s.font(s.short(value, room, size, bold), size, bold)
	s.text(in, x+(room-w)/2, y, room, size, bold, look, value)
}

// short is a text, or as much of it as has room with a sign that more of it is left out.
func (s *sheet) short(value string, room, size float64, bold bool) string {
	if s.font(value, size, bold) <= room {
		return value
	}
	runes := []rune(value)
	low, high := 0, len(runes)
	for low < high {
		middle := (low + high + 1) / 2
		if s.font(string(runes[:middle])+"…", size, bold) <= room {
			low = middle
		} else {
			high = middle - 1
		}
	}
	if low == 0 {
		return ""
	}
	return string(runes[:low]) + "…"
}

// put puts a sheet onto this one, into a box of it or none.
func (s *sheet) put(o *sheet, in int, x, y float64) {
	first := len(s.Boxes)
	at := func(n int) int {
		if n < 0 {
			return in
		}
		return n + first
	}
	for _, b := range o.Boxes {
		b.X, b.Y, b.In = b.X+x, b.Y+y, at(b.In)
		s.Boxes = append(s.Boxes, b)
	}
	for _, l := range o.Lines {
		l.Points = slices.Clone(l.Points)
		for i := range l.Points {
			l.Points[i].X, l.Points[i].Y = l.Points[i].X+x, l.Points[i].Y+y
		}
		s.Lines = append(s.Lines, l)
	}
	for _, t := range o.Texts {
		t.X, t.Y, t.In = t.X+x, t.Y+y, at(t.In)
		s.Texts = append(s.Texts, t)
	}
	s.W, s.H = max(s.W, x+o.W), max(s.H, y+o.H)
}

// margin is the room around everything.
const margin = 24

// done is the picture, with a title above all of it.
func (s *sheet) done(title, note string) *Picture {
	whole := newSheet(s.font)
	w := max(s.W, 480)
	whole.text(-1, margin, margin+14, w, 18, true, Ink, title)
	top := float64(margin + 28)
	if note != "" {
		for _, line := range whole.lines(note, w, 11) {
			whole.text(-1, margin, top+10, w, 11, false, Faint, line)
			top += 15
		}
		top += 4
	}
	whole.put(s, -1, margin, top+6)
	whole.Title = title
	whole.W, whole.H = w+2*margin, top+6+s.H+margin
	return &whole.Picture
}

// lines are the words of a text in as many lines as it takes.
func (s *sheet) lines(value string, room, size float64) []string {
	var all []string
	line := ""
	for _, word := range strings.Fields(value) {
		longer := word
		if line != "" {
			longer = line + " " + word
		}
		if line != "" && s.font(longer, size, false) > room {
			all = append(all, line)
			longer = word
		}
		line = longer
	}
	if line != "" {
		all = append(all, line)
	}
	return all
}
