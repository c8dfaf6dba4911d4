package picture

import (
	"math"

	"wendrik/internal/core/draw"
)

// This file has what all formats draw alike.

// scaleOf fits a picture into a size; as it is where that is 0.
func scaleOf(p *draw.Picture, width, height float64) float64 {
	if width == 0 || height == 0 {
		return 1
	}
	return min(width/p.W, height/p.H)
}

// marks are the lines within a box by which its look is told without colour: a bar at the left, or hatching.
func marks(b draw.Box, s style) [][]draw.Point {
	var all [][]draw.Point
	if s.bar {
		all = append(all, []draw.Point{{X: b.X + 1.5, Y: b.Y + 2}, {X: b.X + 1.5, Y: b.Y + b.H - 2}})
	}
	if s.hatch {
		const apart = 7
		for d := apart; float64(d) < b.W+b.H; d += apart {
			x0, y0 := b.X+float64(d), b.Y
			if over := x0 - (b.X + b.W); over > 0 {
				x0, y0 = b.X+b.W, b.Y+over
			}
			x1, y1 := b.X, b.Y+float64(d)
			if over := y1 - (b.Y + b.H); over > 0 {
				x1, y1 = b.X+over, b.Y+b.H
			}
			all = append(all, []draw.Point{{X: x0, Y: y0}, {X: x1, Y: y1}})
		}
	}
	return all
}

// radius is how round the corners of a box are; small ones are not.
func radius(b draw.Box) float64 {
	if min(b.W, b.H) < 12 {
		return 0
	}
	return 3
}

func markWidth(s style) float64 {
	if s.bar {
		return 3
	}
	return 0.35
}

// arrow is the head of an arrow at the end of a line.
func arrow(points []draw.Point) []draw.Point {
	end, before := points[len(points)-1], points[max(0, len(points)-2)]
	a := math.Atan2(end.Y-before.Y, end.X-before.X)
	at := func(turn, far float64) draw.Point {
		return draw.Point{X: end.X - far*math.Cos(a+turn), Y: end.Y - far*math.Sin(a+turn)}
	}
	return []draw.Point{end, at(0.45, 8), at(-0.45, 8)}
}
