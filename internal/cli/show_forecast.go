package cli

import (
	"fmt"
	"math"
	"math/big"
	"slices"
	"strconv"
	"strings"
	"time"

	"wendrik/internal/core/forecast"
	"wendrik/internal/core/phrase"
)

// asked says what is asked for.
func (p *foreseen) asked() string {
	var parts []string
	if p.source != "" {
		days := phrase.Count(int(p.demand.From.Sub(p.demand.Since).Hours()/24), "day")
		since := p.demand.Since.Format(time.DateOnly)
		came := fmt.Sprintf("as in the %s since %s, in which %s came (%s)", days, since, phrase.Count(len(p.demand.Past), "range"), p.source)
		switch {
		case len(p.demand.Past) > 0:
		case p.outside > 0:
			came = fmt.Sprintf("what came (%s) came in no block of today", p.source)
		default:
			came = fmt.Sprintf("nothing came in the %s since %s (%s)", days, since, p.source)
		}
		parts = append(parts, came)
	}
	var monthly []string
	for _, a := range p.demand.Monthly {
		word := fmt.Sprintf("/%d", a.Size)
		if !strings.HasPrefix(a.Who, "/") {
			word = a.Who + " (" + word + ")"
		}
		if !slices.Contains(monthly, word) {
			monthly = append(monthly, word)
		}
	}
	if len(monthly) > 0 {
		word := "each month " + phrase.And(monthly)
		if p.each {
			word += " in each block"
		}
		parts = append(parts, word)
	}
	return strings.Join(parts, ", and ")
}

// day is a date of a block, or what stands where there is none.
func day(b *forecast.Block, t time.Time) string {
	if t.IsZero() {
		return "not before " + b.Until.Format(time.DateOnly)
	}
	return t.Format(time.DateOnly)
}

// sheet is a line for each size of each block.
func (p *foreseen) sheet() *sheet {
	t := &sheet{header: []string{"block", "free", "of", "size", "a year", "fit", "no place from"}, wrap: -1}
	t.right = map[int]bool{1: true, 2: true, 4: true, 5: true}
	for _, b := range p.blocks {
		for _, s := range b.Sizes {
			yearly := strconv.FormatFloat(s.Yearly, 'f', 1, 64)
			t.add(b.Block.Name, b.Free.String(), b.Ever.String(), fmt.Sprintf("/%d", s.Length), yearly, s.Fits.String(), p.date(s.NoPlace))
		}
	}
	return t
}

// date is a date as a program reads it; empty for none.
func (p *foreseen) date(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Format(time.DateOnly)
}

// maxForecastMoves is how many moves the text tells of a block.
const maxForecastMoves = 8

func (c *call) forecast(p *foreseen) {
	defer c.besideForecast(p)
	if len(p.blocks) == 0 {
		said := nothingForeseen.say()
		if len(p.nowhere) > 0 {
			said = "nothing of it has a block"
		}
		c.say("%s", c.wrap(2, clean(p.asked())+": "+said))
		return
	}
	c.say("%s", strong.Sprint(c.wrap(2, "to "+p.demand.Until.Format(time.DateOnly)+", "+clean(p.asked()))))
	t := &sheet{header: []string{"block", "free", "size", "a year", "fit today", "no place from"}, right: map[int]bool{1: true, 3: true, 4: true}, wrap: -1}
	last := ""
	for _, b := range p.blocks {
		for _, s := range b.Sizes {
			name, free := b.Block.Name, percent(b.Share(b.Free))
			if name == last {
				name, free = "", ""
			} else {
				last = name
			}
			t.add(name, free, fmt.Sprintf("/%d", s.Length), strconv.FormatFloat(s.Yearly, 'f', 1, 64), s.Fits.String(), day(&b, s.NoPlace))
		}
	}
	_ = c.write(t, "text")
	for _, b := range p.blocks {
		first := b.First()
		if first.Length == 0 {
			continue
		}
		room := forecast.Moves(p.survey, b.Block, b.Wide, first.Length)
		c.say("\n%s", c.wrap(2, fmt.Sprintf("%s: a /%d has no place from %s; if all that is free lay together, %s",
			strong.Sprint(clean(b.Block.Name)), first.Length, day(&b, first.NoPlace), day(&b, b.ByCount))))
		switch {
		case len(room.Moves) == 0 && room.Most.Cmp(room.Fits) > 0:
			c.say("  %s", c.wrap(2, fmt.Sprintf("%s today, and no move of networks that was found makes more; by count it could be %s", fit(room.Fits), room.Most)))
		case len(room.Moves) == 0:
			c.say("  %s today, as many as there could be", fit(room.Fits))
		default:
			c.say("  %s today, %s after %s; by count it could be %s", fit(room.Fits), room.Moved, phrase.Count(len(room.Moves), "move"), room.Most)
			for i, v := range room.Moves {
				if i == maxForecastMoves {
					c.say("  %d more;  -format json  lists all", len(room.Moves)-i)
					break
				}
				c.say("  wendrik renumber %s -to %s%s -write", clean(v.Network.Name), v.To, c.samePlan())
			}
		}
	}
}

// besideForecast tells what the forecast does not rest on, and what no block could give.
func (c *call) besideForecast(p *foreseen) {
	var sizes []string
	for _, a := range p.nowhere {
		word := fmt.Sprintf("a /%d of %s", a.Size, map[bool]string{false: "IPv4", true: "IPv6"}[a.Wide])
		if a.Block != "" {
			word += " from " + a.Block
		}
		if !slices.Contains(sizes, word) {
			sizes = append(sizes, word)
		}
	}
	if len(sizes) > 0 {
		c.say("\n%s", c.wrap(2, bad.Sprint("no block gives ")+clean(phrase.Few(sizes, 6))+": the plan has none of that family that is not held"))
	}
	if p.outside > 0 {
		are := map[bool]string{true: "is", false: "are"}[p.outside == 1]
		c.say("\n%s", c.wrap(2, phrase.Count(p.outside, "range")+" of the past lay in no block of today, and "+are+" not asked for again"))
	}
	if p.went > 0 {
		c.say("\n%s", c.wrap(2, phrase.Count(p.went, "network")+" went, and none is expected to go again"))
	}
}

// fit says how many fit.
func fit(n *big.Int) string {
	if n.IsInt64() && n.Int64() == 1 {
		return "1 fits"
	}
	return n.String() + " fit"
}

// forecastOut is the JSON of forecast; docs/json.md describes it.
type forecastOut struct {
	From    string             `json:"from"`
	Since   string             `json:"since"`
	Until   string             `json:"until"`
	Came    int                `json:"came"`
	Went    int                `json:"went"`
	Outside int                `json:"outside"`
	Nowhere []string           `json:"nowhere"`
	Blocks  []forecastBlockOut `json:"blocks"`
}

type forecastBlockOut struct {
	Name    string             `json:"name"`
	Family  int                `json:"family"`
	Free    string             `json:"free"`
	Of      string             `json:"of"`
	ByCount string             `json:"by_count"`
	Until   string             `json:"until"`
	Sizes   []forecastSizeOut  `json:"sizes"`
	Curve   []forecastPointOut `json:"curve"`
	Room    forecastRoomOut    `json:"room"`
}

type forecastSizeOut struct {
	Size    string  `json:"size"`
	Yearly  float64 `json:"yearly"`
	Fits    string  `json:"fits"`
	NoPlace string  `json:"no_place"`
}

type forecastPointOut struct {
	Date string `json:"date"`
	Free string `json:"free"`
}

type forecastRoomOut struct {
	Size  string            `json:"size"`
	Fits  string            `json:"fits"`
	Moved string            `json:"moved"`
	Most  string            `json:"most"`
	Moves []forecastMoveOut `json:"moves"`
}

type forecastMoveOut struct {
	Network string `json:"network"`
	From    string `json:"from"`
	To      string `json:"to"`
}

func (p *foreseen) json() forecastOut {
	out := forecastOut{From: p.date(p.demand.From), Since: p.date(p.demand.Since), Until: p.date(p.demand.Until),
		Came: len(p.demand.Past), Went: p.went, Outside: p.outside, Nowhere: []string{}, Blocks: []forecastBlockOut{}}
	for _, a := range p.nowhere {
		if word := fmt.Sprintf("/%d", a.Size); !slices.Contains(out.Nowhere, word) {
			out.Nowhere = append(out.Nowhere, word)
		}
	}
	for _, b := range p.blocks {
		x := forecastBlockOut{Name: b.Block.Name, Family: map[bool]int{false: 4, true: 6}[b.Wide], Free: b.Free.String(), Of: b.Ever.String(),
			ByCount: p.date(b.ByCount), Until: p.date(b.Until), Room: forecastRoomOut{Moves: []forecastMoveOut{}}}
		for _, s := range b.Sizes {
			x.Sizes = append(x.Sizes, forecastSizeOut{fmt.Sprintf("/%d", s.Length), math.Round(s.Yearly*100) / 100, s.Fits.String(), p.date(s.NoPlace)})
		}
		for _, at := range b.Curve {
			x.Curve = append(x.Curve, forecastPointOut{p.date(at.At), at.Free.String()})
		}
		if first := b.First(); first.Length > 0 {
			room := forecast.Moves(p.survey, b.Block, b.Wide, first.Length)
			x.Room = forecastRoomOut{fmt.Sprintf("/%d", room.Length), room.Fits.String(), room.Moved.String(), room.Most.String(), []forecastMoveOut{}}
			for _, v := range room.Moves {
				x.Room.Moves = append(x.Room.Moves, forecastMoveOut{v.Network.Name, v.From.String(), v.To.String()})
			}
		}
		out.Blocks = append(out.Blocks, x)
	}
	return out
}
