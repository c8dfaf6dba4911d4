package draw

import (
	"fmt"
	"math/big"
	"slices"
	"time"

	"wendrik/internal/core/forecast"
)

// The chart of a block.
const (
	chartW, chartH = 620.0, 120.0
	chartLeft      = 150.0
	chartSizes     = 5     // so many sizes have a line beside it, and the last one tells how many more there are
	chartRight     = 100.0 // room for the word of a line at the end
)

// Forecast draws what is free of each block from day to day, and from when on which size has no place.
func Forecast(all []forecast.Block, d forecast.Demand, asked string, font Font) *Picture {
	s := newSheet(font)
	if len(all) == 0 {
		s.text(-1, 0, 14, 400, 11, false, Faint, "nothing came, and nothing is asked for")
		return s.done("Forecast", asked)
	}
	end := horizon(all, d)
	for i := range all {
		c := chart(&all[i], d.From, end, font)
		s.put(c, -1, 0, float64(i)*(chartH+46))
	}
	return s.done("Forecast of address space", asked+". The step line: how much is free. A dashed one: from that day on a range of that size has no place")
}

// horizon is how far the charts go: a little behind the last day on which something has no place, or to the end where all have one.
func horizon(all []forecast.Block, d forecast.Demand) time.Time {
	var last time.Time
	for _, b := range all {
		for _, s := range b.Sizes {
			if s.NoPlace.IsZero() {
				return d.Until
			}
			if s.NoPlace.After(last) {
				last = s.NoPlace
			}
		}
	}
	end := last.Add(last.Sub(d.From)/8 + 24*time.Hour)
	if end.After(d.Until) {
		return d.Until
	}
	return end
}

// chart is what becomes of one block.
func chart(b *forecast.Block, from, end time.Time, font Font) *sheet {
	s := newSheet(font)
	x := func(t time.Time) float64 {
		return chartLeft + chartW*min(1, max(0, float64(t.Sub(from))/float64(end.Sub(from))))
	}
	y := func(free *big.Int) float64 { return 16 + chartH*(1-b.Share(free)) }
	s.text(-1, 0, 30, chartLeft-16, 13, true, Ink, b.Block.Name)
	family := "IPv4"
	if b.Wide {
		family = "IPv6"
	}
	s.text(-1, 0, 46, chartLeft-16, 10, false, Faint, fmt.Sprintf("%s, %.0f%% free today", family, 100*b.Share(b.Free)))
	for i, z := range b.Sizes {
		word := fmt.Sprintf("/%d: %.1f a year", z.Length, z.Yearly)
		if i == chartSizes && len(b.Sizes) > chartSizes+1 {
			word = fmt.Sprintf("%d more sizes", len(b.Sizes)-chartSizes)
		}
		s.text(-1, 0, 62+float64(i)*13, chartLeft-16, 10, false, Faint, word)
		if i == chartSizes {
			break
		}
	}
	whole := s.box(-1, chartLeft, 16, chartW+chartRight, chartH, Free, b.Block.Name)
	free := Line{Look: PeerLine, What: fmt.Sprintf("what is free of %s", b.Block.Name), Points: []Point{{x(from), y(b.Free)}}}
	for _, at := range b.Curve {
		if last := free.Points[len(free.Points)-1]; x(at.At)-last.X >= 1 || at.Free.Cmp(b.Free) == 0 { // steps that nobody could tell apart are one
			free.Points = append(free.Points, Point{x(at.At), last.Y}, Point{x(at.At), y(at.Free)})
		} else {
			free.Points[len(free.Points)-1].Y = y(at.Free)
		}
	}
	free.Points = append(free.Points, Point{x(end), free.Points[len(free.Points)-1].Y})
	s.Lines = append(s.Lines, free)
	for year := from.Year() + 1; year <= end.Year(); year++ {
		at := time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC)
		s.Lines = append(s.Lines, Line{Points: []Point{{x(at), 16 + chartH}, {x(at), 16 + chartH + 4}}, Look: Plain})
		if step := 1 + (end.Year()-from.Year())/12; (year-from.Year())%step == 0 && x(at) < chartLeft+chartW-24 {
			s.text(-1, x(at)+2, 16+chartH+12, 40, 9, false, Faint, fmt.Sprint(year))
		}
	}
	ends := slices.DeleteFunc(slices.Clone(b.Sizes), func(z forecast.Size) bool { return z.NoPlace.IsZero() || z.NoPlace.After(end) })
	slices.SortStableFunc(ends, func(a, b forecast.Size) int { return a.NoPlace.Compare(b.NoPlace) })
	for i, z := range ends {
		top := 16 + float64(min(i, 7))*14 // a line begins at its own word, and so crosses none before it
		what := fmt.Sprintf("/%d: %s", z.Length, z.NoPlace.Format(time.DateOnly))
		said := fmt.Sprintf("/%d has no place from %s", z.Length, z.NoPlace.Format(time.DateOnly))
		s.Lines = append(s.Lines, Line{Points: []Point{{x(z.NoPlace), top}, {x(z.NoPlace), 16 + chartH}}, Look: Closes, What: said})
		w, left := font(what, 9, true), x(z.NoPlace)+4
		label := s.box(whole, left, top+1, w+8, 12, Card, what)
		s.text(label, left+4, top+10, w+1, 9, true, Ink, what)
	}
	s.W, s.H = chartLeft+chartW+chartRight, chartH+34
	return s
}
