package draw_test

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/draw"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/forecast"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/picture"
)

// TestForecast reads the chart back: how high the line of what is free stands on each day, and on which day each dashed line does.
func TestForecast(t *testing.T) {
	day := time.Date(2027, 1, 1, 0, 0, 0, 0, time.UTC)
	plan := func(rng *rand.Rand) string {
		return fmt.Sprintf("wendrik: 1\nspace:\n  west: {block: 10.0.0.0/20}\n  %s: {block: [10.9.0.0/%d, \"fd00::/56\"]}\nnetworks: {n: {range: 10.0.0.0/%d, from: west}}\n",
			"north"+strings.Repeat("-and-east", rng.IntN(4)), 16+rng.IntN(8), 21+rng.IntN(3))
	}
	for seed := range fuzz.Rounds(20, 100) {
		rng := rand.New(rand.NewPCG(seed, 5))
		e, findings := estate.Load(text.One("p", plan(rng)))
		require.Empty(t, findings)
		d := forecast.Demand{From: day, Until: day.AddDate(1+rng.IntN(12), 0, 0), Monthly: []forecast.Arrival{{Size: 24}, {Size: 25 + rng.IntN(3)}, {Size: 64, Wide: true}}}
		blocks := forecast.Of(space.NewSurvey(e, nil), d, nil)
		p := draw.Forecast(blocks, d, "each month a few", picture.Width)
		sound(t, p, fmt.Sprint("seed ", seed))
		var free []draw.Line
		stops := map[string]float64{}
		for _, l := range p.Lines {
			switch l.Look {
			case draw.PeerLine:
				free = append(free, l)
			case draw.Closes:
				stops[fmt.Sprint(len(free)-1, " ", l.What)] = l.Points[0].X
			}
		}
		require.Len(t, free, len(blocks))
		last := 0
		for i, b := range blocks {
			line := free[i].Points
			left, right := line[0].X, line[len(line)-1].X
			for j := 1; j < len(line); j++ {
				require.GreaterOrEqual(t, line[j].X, line[j-1].X)
				require.GreaterOrEqual(t, line[j].Y, line[j-1].Y, "what is free only gets less")
			}
			share := func(n int) float64 { // what is free of what there is, at a point of its curve
				part, _ := b.Curve[n].Free.Float64()
				whole, _ := b.Ever.Float64()
				return part / whole
			}
			assert.InDelta(t, line[0].Y+120*(share(0)-share(len(b.Curve)-1)), line[len(line)-1].Y, 0.01)
			for _, s := range b.Sizes {
				at, shown := stops[fmt.Sprintf("%d /%d has no place from %s", i, s.Length, s.NoPlace.Format(time.DateOnly))]
				assert.Equal(t, !s.NoPlace.IsZero(), shown)
				if !shown {
					continue
				}
				last++
				for _, other := range b.Sizes { // days are as far from each other as on the scale
					if x, there := stops[fmt.Sprintf("%d /%d has no place from %s", i, other.Length, other.NoPlace.Format(time.DateOnly))]; there && other.NoPlace.After(s.NoPlace) {
						assert.InDelta(t, (x-left)/(at-left), float64(other.NoPlace.Sub(day))/float64(s.NoPlace.Sub(day)), 0.001)
						assert.LessOrEqual(t, x, right)
					}
				}
			}
		}
		assert.Len(t, stops, last)
	}
	e, findings := estate.Load(text.One("p", "wendrik: 1\nspace: {west: {block: 10.0.0.0/20}}\nnetworks: {n: {range: 10.0.0.0/21, from: west}}\n"))
	require.Empty(t, findings)
	for last, sixth := range map[int]string{29: "97 /29: 12.0 a year", 30: "97 2 more sizes"} { // a line that says "1 more" would take the place of the one it is about
		var sizes []forecast.Arrival
		for length := 24; length <= last; length++ {
			sizes = append(sizes, forecast.Arrival{Size: length})
		}
		d := forecast.Demand{From: day, Until: day.AddDate(1, 0, 0), Monthly: sizes}
		p := draw.Forecast(forecast.Of(space.NewSurvey(e, nil), d, nil), d, "each month a few", picture.Width)
		sound(t, p, "many sizes")
		var beside []string
		var name draw.Text
		for _, x := range p.Texts {
			if x.Value == "west" {
				name = x
			}
			if x.X == name.X && x.Look == draw.Faint && !x.Bold && x.Size == 10 && name.Value != "" {
				beside = append(beside, fmt.Sprintf("%g %s", x.Y-name.Y, x.Value))
			}
		}
		assert.Equal(t, []string{"16 IPv4, 50% free today", "32 /24: 12.0 a year", "45 /25: 12.0 a year", "58 /26: 12.0 a year", "71 /27: 12.0 a year", "84 /28: 12.0 a year", sixth}, beside)
	}
	none := draw.Forecast(nil, forecast.Demand{From: day}, "nothing", picture.Width)
	assert.Contains(t, none.Texts[len(none.Texts)-1].Value, "nothing is asked for")
}
