package cli

import (
	"bytes"
	"fmt"
	"io"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/draw"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/verdict"
	"wendrik/internal/picture"
)

func drawCommand() *command {
	return &command{
		name: "draw", args: "WHAT... -o FILE",
		short: "pictures of the estate, its space, its ways and its changes, as SVG, PNG or PDF",
		long: "Draw makes a picture, in the format that the ending of FILE names: SVG, in which texts can be searched and copied, PNG, or PDF. The fonts are part of the picture, and the same plan gives the same bytes. What it draws:\n\n" +
			"  estate          all of it: networks by region with their zones as columns and their tiers as rows, what joins them, and what is outside\n" +
			"  network NAME    one network in full\n" +
			"  space           the address space as a map, in which a range's place and size can be seen\n" +
			"  reach FROM TO   what reach says as a path, there and back, with everything that stops it\n" +
			"  grid            who reaches whom\n" +
			"  change OLD NEW  what compare says, drawn into the estate",
		examples: []example{
			{"wendrik draw estate -o estate.svg", "all of it"},
			{"wendrik draw network booking -o booking.png -size 1280x800", "one network, to fit a screen"},
			{"wendrik draw space -o space.pdf -theme print", "the address space, for a printer without colours"},
			{"wendrik draw reach ticket-1 fare-db -on tcp/5432 -o ticket.svg", "a ticket, and all that stops it"},
			{"wendrik draw grid -on tcp/443 -o grid.png -theme dark", "who reaches whom"},
			{"wendrik draw change wendrik.yaml planned.yaml -o change.svg", "what a change does"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name := f.planFlag()
			out := f.String("o", "", "`FILE` to write: its ending is .svg, .png or .pdf; - writes SVG to standard output")
			force := f.forceFlag()
			size := f.String("size", "", "`WIDTHxHEIGHT` fit the picture into so many pixels, or points of a PDF")
			theme := f.themeFlag()
			on := f.String("on", "", "of reach and grid: `FLOW,...` such as tcp/443; any where it is not given")
			scale := f.Bool("scale", false, "of estate and network: subnets are the higher the larger, by a step for each doubling")
			return func(c *call) (int, error) {
				if len(c.args) == 0 {
					return cannot, &usageError{"draw needs to know what", "wendrik draw estate -o estate.svg"}
				}
				if *out == "" {
					return cannot, &usageError{"draw needs a file to write", "-o " + c.args[0] + ".svg"}
				}
				width, height, err := sizeOf(*size)
				if err != nil {
					return cannot, err
				}
				into, err := c.pictureInto(*out, *theme, width, height, *force)
				if err != nil {
					return cannot, err
				}
				p, err := c.drawn(*name, *on, *scale)
				if err != nil {
					return cannot, err
				}
				return good, into(p)
			}
		},
	}
}

// pictureInto gives what writes a picture into a file, or to standard output for a dash. The error is of a name that no format has.
func (c *call) pictureInto(name, theme string, width, height float64, force bool) (func(*draw.Picture) error, error) {
	write, err := writerFor(name)
	if err != nil {
		return nil, err
	}
	return func(p *draw.Picture) error {
		var content bytes.Buffer
		if err := write(&content, p, picture.Themes[theme], width, height); err != nil {
			return &usageError{err.Error(), ""}
		}
		if name == "-" {
			_, err := c.out.Write(content.Bytes())
			return err
		}
		if err := c.overwrite(name, content.Bytes(), force); err != nil {
			return err
		}
		c.say("written to %s: %.0f by %.0f", clean(name), p.W, p.H)
		return nil
	}, nil
}

// themeFlag is how a picture looks.
func (f *flags) themeFlag() *string {
	return f.oneOf("theme", "how it looks", "light", "dark", "print")
}

// sizeOf reads WIDTHxHEIGHT.
func sizeOf(word string) (width, height float64, err error) {
	if word == "" {
		return 0, 0, nil
	}
	w, h, found := strings.Cut(word, "x")
	wide, errW := strconv.Atoi(w)
	high, errH := strconv.Atoi(h)
	if !found || errW != nil || errH != nil || wide < 16 || high < 16 || wide > 20000 || high > 20000 {
		return 0, 0, &usageError{fmt.Sprintf("-size %s is no size", word), "-size 1280x800"}
	}
	return float64(wide), float64(high), nil
}

// writerFor is what writes a picture in the format of a file.
func writerFor(name string) (func(io.Writer, *draw.Picture, picture.Theme, float64, float64) error, error) {
	svg := func(w io.Writer, p *draw.Picture, t picture.Theme, width, height float64) error {
		return picture.SVG(w, p, t, width, height, true)
	}
	switch ending := strings.ToLower(filepath.Ext(name)); {
	case name == "-" || ending == ".svg":
		return svg, nil
	case ending == ".png":
		return picture.PNG, nil
	case ending == ".pdf":
		return picture.PDF, nil
	default:
		return nil, &usageError{fmt.Sprintf("%s has an ending that names no format of pictures", name), "-o picture.svg, picture.png or picture.pdf"}
	}
}

// drawn lays out the picture that the arguments ask for.
func (c *call) drawn(plan, on string, scale bool) (*draw.Picture, error) {
	what, args := c.args[0], c.args[1:]
	forms := map[string]int{"estate": 0, "space": 0, "grid": 0, "network": 1, "reach": 2, "change": 2}
	n, known := forms[what]
	if !known {
		return nil, &usageError{fmt.Sprintf("draw knows no picture of %q", what), "estate, network NAME, space, reach FROM TO, grid or change OLD NEW"}
	}
	if len(args) != n {
		return nil, &usageError{fmt.Sprintf("draw %s takes %s, not %d", what, []string{"no names", "one name", "two names"}[n], len(args)), "wendrik help draw"}
	}
	if what == "change" {
		return c.drawnChange(args[0], args[1])
	}
	o, err := c.load(plan, verdict.Needed)
	if err != nil {
		return nil, err
	}
	e := o.Estate
	switch what {
	case "estate":
		return draw.Estate(e, scale, picture.Width), nil
	case "space":
		return draw.Space(e, picture.Width), nil
	case "network":
		n := e.Network(args[0])
		if n == nil {
			return nil, &usageError{fmt.Sprintf("there is no network %s", args[0]), "wendrik show  lists what there is"}
		}
		return draw.Network(n, scale, picture.Width), nil
	case "grid":
		return c.drawnGrid(e, on)
	}
	return drawnWay(e, args[0], args[1], on)
}

// drawnChange compares two plans, and draws what is different.
func (c *call) drawnChange(old, fresh string) (*draw.Picture, error) {
	var both [2]*estate.Estate
	for i, name := range []string{old, fresh} {
		o, err := c.openWhole(name)
		if err != nil {
			return nil, err
		}
		both[i] = o.Estate
	}
	return draw.Change(both[1], compare.Of(both[0], both[1], nil, time.Now()), picture.Width), nil
}

// maxDrawnUnits is how many rows a picture of the grid has at most.
const maxDrawnUnits = 60

// drawnGrid draws who reaches whom, by tiers where they are not too many, else by networks.
func (c *call) drawnGrid(e *estate.Estate, on string) (*draw.Picture, error) {
	asked, err := askedFlows(on)
	if err != nil {
		return nil, err
	}
	u := grid.UnitsFor(e, e.Workloads, e.Workloads, "tiers", maxDrawnUnits)
	if len(u.Names) > maxDrawnUnits {
		u = grid.UnitsFor(e, e.Workloads, e.Workloads, "networks", maxDrawnUnits)
	}
	switch {
	case len(u.Names) == 0:
		return nil, &usageError{"there is no workload with an address to ask about", "wendrik carve -write"}
	case len(u.Names) > maxUnits:
		return nil, &usageError{fmt.Sprintf("a picture of %d %s is more than anybody reads", len(u.Names), u.Kind), "wendrik grid -by classes -format json"}
	}
	m := grid.NewTable(e, u, e.Workloads, e.Workloads, nil)
	what := "on any flow"
	if on != "" {
		what = "on " + asked.String()
	}
	d := &draw.Matrix{Names: u.Names, Asked: on != "", About: fmt.Sprintf("%s, from each row to each column; rows are %s, and those that fare alike stand together", what, u.Kind), At: func(i, j int) (draw.Look, string) {
		s := m.At(i, j)
		full, part := s.Of(asked)
		switch {
		case s.Pairs == 0 || full.Empty() && part.Empty():
			return draw.Blocked, "nothing passes"
		case part.Empty() && (on == "" || s.Verdict(asked) == reach.Open):
			return draw.Open, full.String()
		case full.Empty():
			return draw.Partly, "for some " + part.String()
		}
		return draw.Partly, strings.TrimSuffix(full.String()+", and for some "+part.String(), ", and for some nothing")
	}}
	return d.Draw("who reaches whom", picture.Width), nil
}

// drawnWay draws what reach says of two ends.
func drawnWay(e *estate.Estate, from, to, on string) (*draw.Picture, error) {
	asked, err := askedFlows(on)
	if err != nil {
		return nil, err
	}
	var ends [2]reach.End
	for i, word := range []string{from, to} {
		x, err := findEnds(e, word)
		if err != nil {
			return nil, err
		}
		if x.One == nil {
			if len(x.Many) == 0 {
				return nil, &usageError{fmt.Sprintf("%s has no workload with an address", word), "name a workload, a site, internet or an address"}
			}
			one := reach.EndOf(x.Many[0]) // one of them; a picture of all is the grid
			x.One = &one
		}
		ends[i] = *x.One
	}
	a := reach.Ask(e, reach.Question{From: ends[0], To: ends[1], Flows: asked})
	var legs []draw.Leg
	for i, w := range a.Ways {
		name := ""
		if len(a.Ways) > 1 {
			name = fmt.Sprintf(", %s to %s", w.FromName, w.ToName)
		}
		if i == maxInside {
			break
		}
		legs = append(legs, draw.Leg{Name: "there" + name, Stops: stopsOf(w.Forward)}, draw.Leg{Name: "back" + name, Stops: stopsOf(w.Back)})
	}
	var causes []draw.Cause
	for _, b := range a.Blockers {
		causes = append(causes, draw.Cause{What: fmt.Sprintf("%s (%s)", b.Message, e.Plan.Files.Where(b.At)), Fix: b.Fix()})
	}
	verdict := map[reach.Verdict]string{reach.Open: "passes", reach.Blocked: "does not pass", reach.Partly: "passes in part"}[a.Verdict]
	flows := "anything"
	if on != "" {
		flows = asked.String()
	}
	if a.Verdict != reach.Blocked {
		if on == "" {
			verdict += ": " + a.Some.String()
		}
		if len(a.SeenAs) > 0 {
			verdict += ", seen as " + seenWords(a.SeenAs)
		}
	}
	return draw.Way(fmt.Sprintf("%s to %s on %s", a.From.Name, a.To.Name, flows), verdict, a.Verdict != reach.Blocked, legs, causes, picture.Width), nil
}

func stopsOf(hops []reach.Hop) []draw.Stop {
	var all []draw.Stop
	for _, h := range hops {
		all = append(all, draw.Stop{Where: hopWhere(h), What: hopWhat(h), Stops: h.Stops})
	}
	return all
}
