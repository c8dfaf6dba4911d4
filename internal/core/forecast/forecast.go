// Package forecast foresees when blocks of address space have no place left, from what came in the past and from what comes each month.
package forecast

import (
	"math/big"
	"net/netip"
	"slices"
	"time"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/space"
)

// Arrival is a range that somebody came to need.
type Arrival struct {
	At    time.Time
	Block string // of space, in which it was or is to be; empty for each
	Size  int    // the length of the range
	Wide  bool   // whether it is IPv6
	Who   string // a network's name, or whatever is known
}

// Demand is what is asked for from a day on: the past again, at the same distances, as often as it takes; and what comes on the same day of each
// month, the first a month from then.
type Demand struct {
	From    time.Time
	Since   time.Time // when the past began of which all is known
	Past    []Arrival // not before Since, nor after From
	Monthly []Arrival // At says nothing
	Until   time.Time
}

// Block is what becomes of one family of a block.
type Block struct {
	Block *estate.Block
	Wide  bool
	Ever  *big.Int // addresses that it has for networks: neither held nor of blocks inside it
	Free  *big.Int
	Sizes []Size    // those that are asked for, the widest first
	Curve []Point   // what is free from day to day
	Until time.Time // to which day it is foreseen: the end, or that on which more has come than is foreseen of a block
	// ByCount is when something first would have no place if all that is free lay together; zero for not before the end.
	ByCount time.Time
}

// Size is what becomes of ranges of one length.
type Size struct {
	Length  int
	Yearly  float64   // how many are asked for in a year
	Fits    *big.Int  // how many have a place today
	NoPlace time.Time // when one first has none; zero for not before the end
}

// Point is what is free of a block on a day.
type Point struct {
	At   time.Time
	Free *big.Int
}

// Share is a number of addresses as a part of all that the block has for networks, from 0 to 1.
func (b *Block) Share(of *big.Int) float64 {
	part, _ := new(big.Rat).SetFrac(of, b.Ever).Float64()
	return part
}

// First is the size that first has no place; the zero Size where each has one until the end.
func (b *Block) First() Size {
	var first Size
	for _, s := range b.Sizes {
		if !s.NoPlace.IsZero() && (first.NoPlace.IsZero() || s.NoPlace.Before(first.NoPlace)) {
			first = s
		}
	}
	return first
}

// Of foresees every block that has places for networks and is asked for some; or only one, where it is named. The earliest to have no place
// comes first.
func Of(s *space.Survey, d Demand, only *estate.Block) []Block {
	var all []Block
	for _, b := range s.Estate.Blocks {
		if b.Held || only != nil && b != only {
			continue
		}
		for _, wide := range []bool{false, true} {
			past, monthly := d.of(b, wide)
			if whole := ofFamily(address.SetOf(b.Ranges...).Minus(address.SetOf(s.Inner(b)...)), wide); !whole.Empty() && len(past)+len(monthly) > 0 {
				all = append(all, d.foresee(s, b, wide, past, monthly))
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Block) int {
		x, y := a.First().NoPlace, b.First().NoPlace
		switch {
		case x.IsZero() == y.IsZero():
			return x.Compare(y)
		case x.IsZero():
			return 1
		}
		return -1
	})
	return all
}

// Nowhere is what is asked for and no block could ever give: the block that is named is held or not there, or none has the family.
func Nowhere(s *space.Survey, d Demand, only *estate.Block) (all []Arrival) {
	for _, a := range slices.Concat(d.Past, d.Monthly) {
		gives := func(b *estate.Block) bool {
			return !b.Held && (only == nil || b == only) && (a.Block == "" || a.Block == b.Name) && slices.ContainsFunc(b.Ranges, func(r netip.Prefix) bool { return r.Addr().Is6() == a.Wide })
		}
		if (only == nil || a.Block == "" || a.Block == only.Name) && !slices.ContainsFunc(s.Estate.Blocks, gives) {
			all = append(all, a)
		}
	}
	return all
}

// ofFamily is what of a set is of one family.
func ofFamily(s address.Set, wide bool) address.Set {
	all := netip.PrefixFrom(netip.IPv4Unspecified(), 0)
	if wide {
		all = netip.PrefixFrom(netip.IPv6Unspecified(), 0)
	}
	return s.Clip(all)
}

// of is what of the demand is for one family of a block.
func (d *Demand) of(b *estate.Block, wide bool) (past, monthly []Arrival) {
	pick := func(all []Arrival) (some []Arrival) {
		for _, a := range all {
			if a.Wide == wide && (a.Block == "" || a.Block == b.Name) {
				some = append(some, a)
			}
		}
		return some
	}
	past = pick(d.Past)
	slices.SortStableFunc(past, func(a, b Arrival) int { return a.At.Compare(b.At) })
	return past, pick(d.Monthly)
}

// maxArrivals is how many arrivals are foreseen of a block: from there on nothing is said.
const maxArrivals = 200_000

// coming gives what is asked for in order, until the end or until it is told to stop, and says to which day it came.
func (d *Demand) coming(past, monthly []Arrival, yield func(Arrival) bool) (until time.Time) {
	period := d.From.Sub(d.Since)
	if period <= 0 {
		past = nil
	}
	round, next, month := 0, 0, 1
	for range maxArrivals {
		var then time.Time
		if len(past) > 0 {
			then = d.From.Add(time.Duration(round)*period + past[next].At.Sub(d.Since))
		}
		now := []Arrival{}
		switch first := d.month(month); {
		case len(monthly) > 0 && (then.IsZero() || first.Before(then)):
			now, then = monthly, first
			month++
		case len(past) > 0:
			now = past[next : next+1]
			if next++; next == len(past) {
				next, round = 0, round+1
			}
		}
		if then.IsZero() || then.After(d.Until) {
			return d.Until
		}
		for _, a := range now {
			a.At = then
			if !yield(a) {
				return d.Until
			}
		}
		until = then
	}
	return until
}

// month is the same day some months on, or the last one of a month that does not have it.
func (d *Demand) month(n int) time.Time {
	y, m, day := d.From.Date()
	last := time.Date(y, m+time.Month(n)+1, 0, 0, 0, 0, 0, d.From.Location()).Day()
	return time.Date(y, m+time.Month(n), min(day, last), 0, 0, 0, 0, d.From.Location())
}

// foresee puts whatever comes where carve would put it, the lowest place that is free, until the end.
func (d *Demand) foresee(s *space.Survey, b *estate.Block, wide bool, past, monthly []Arrival) Block {
	width := 32
	if wide {
		width = 128
	}
	free := ofFamily(s.FreeIn(b), wide)
	inner := address.SetOf(s.Inner(b)...)
	out := Block{Block: b, Wide: wide, Free: free.Count(), Ever: ofFamily(address.SetOf(b.Ranges...), wide).Minus(inner).Count()}
	sizes := map[int]*Size{}
	years := d.From.Sub(d.Since).Hours() / 24 / 365.25
	for i, a := range slices.Concat(past, monthly) {
		if sizes[a.Size] == nil {
			sizes[a.Size] = &Size{Length: a.Size, Fits: space.Fits(free, a.Size)}
		}
		if i >= len(past) {
			sizes[a.Size].Yearly += 12
		} else if years > 0 {
			sizes[a.Size].Yearly += 1 / years
		}
	}
	pool, left, count := address.NewPool(free, width), new(big.Int).Set(out.Free), new(big.Int).Set(out.Free)
	out.Curve = []Point{{d.From, out.Free}}
	open := len(sizes)
	out.Until = d.coming(past, monthly, func(a Arrival) bool {
		size, needs := sizes[a.Size], new(big.Int).Lsh(big.NewInt(1), uint(width-a.Size))
		if count.Sub(count, needs); count.Sign() < 0 && out.ByCount.IsZero() {
			out.ByCount = a.At
		}
		if !size.NoPlace.IsZero() {
			return open > 0 || out.ByCount.IsZero()
		}
		if _, found := pool.Take(a.Size); !found {
			size.NoPlace = a.At
			open--
		} else {
			left = new(big.Int).Sub(left, needs)
			out.Curve = append(out.Curve, Point{a.At, left})
		}
		return true
	})
	for _, x := range sizes {
		out.Sizes = append(out.Sizes, *x)
	}
	slices.SortFunc(out.Sizes, func(a, b Size) int { return a.Length - b.Length })
	return out
}
