package forecast

import (
	"math/big"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/space"
)

// Move is a network that would have to lie elsewhere.
type Move struct {
	Network *estate.Network
	From    netip.Prefix
	To      netip.Prefix // free when the moves before it are made
}

// Room is what moves make of a block for ranges of one length.
type Room struct {
	Length int
	Fits   *big.Int // how many have a place today
	Moved  *big.Int // how many have one once the moves are made
	Most   *big.Int // how many there could be if all that is free lay together; nobody can reach more
	Moves  []Move   // in an order in which they can be made, each to what is free then
}

// The bounds of a search for moves: how many places are looked at, how many moves are told.
const (
	maxPlaces = 1 << 14
	maxMoves  = 64
)

// Moves finds networks of a block that could move within it so that more ranges of a length have a place: each time those fewest addresses that
// stand in the way of one more. Nothing moves that the plan says is fixed, that has another range of the family, or in whose range somebody else
// has one; nor does it find what takes more than one network's move to be any good.
func Moves(s *space.Survey, b *estate.Block, wide bool, length int) Room {
	free := ofFamily(s.FreeIn(b), wide)
	m := mover{width: 32, length: length, held: map[netip.Prefix]*estate.Network{}}
	if wide {
		m.width = 128
	}
	for _, r := range b.Ranges {
		if r.Addr().BitLen() == m.width && r.Bits() <= length {
			m.ranges = append(m.ranges, r)
		}
	}
	out := Room{Length: length, Fits: m.fits(free)}
	out.Most = new(big.Int).Rsh(free.Count(), uint(max(0, m.width-length)))
	most := new(big.Int)
	for _, r := range m.ranges {
		most.Add(most, new(big.Int).Lsh(big.NewInt(1), uint(length-r.Bits())))
	}
	if out.Most.Cmp(most) > 0 {
		out.Most = most
	}
	stays := address.SetOf(s.Inner(b)...).Union(s.Shared).Union(othersIn(s)) // where whatever moves would leave somebody behind
	for _, n := range s.Estate.Networks {
		if p, can := movable(n, b, m.width); can && !stays.Overlaps(p) {
			m.held[p] = n
		}
	}
	for len(out.Moves) < maxMoves {
		moves, after := m.one(free)
		if len(moves) == 0 || len(out.Moves)+len(moves) > maxMoves {
			break
		}
		out.Moves, free = append(out.Moves, moves...), after
	}
	out.Moved = m.fits(free)
	return out
}

// movable gives the one range of a family that a network has, where it lies in a block and may move.
func movable(n *estate.Network, b *estate.Block, width int) (netip.Prefix, bool) {
	var found netip.Prefix
	for _, r := range n.Ranges {
		if r.Addr().BitLen() != width {
			continue
		}
		if found.IsValid() {
			return netip.Prefix{}, false
		}
		found = r
	}
	inside := slices.ContainsFunc(b.Ranges, func(r netip.Prefix) bool { return found.IsValid() && address.Covers(r, found) })
	return found, inside && !n.Plan.Fixed.Value && !n.Plan.Slot.Given()
}

type mover struct {
	width, length int
	ranges        []netip.Prefix
	held          map[netip.Prefix]*estate.Network // what could move, by where it lies now
}

// othersIn is what somebody has who is no network, or a network outside of its own ranges.
func othersIn(s *space.Survey) address.Set {
	var all []netip.Prefix
	for _, t := range s.Taken {
		if n := networkOf(t.By); n == nil || !slices.ContainsFunc(n.Ranges, func(r netip.Prefix) bool { return address.Covers(r, t.Range) }) {
			all = append(all, t.Range)
		}
	}
	return address.SetOf(all...)
}

// networkOf is the network that has something; nil where it is no network's.
func networkOf(by estate.Object) *estate.Network {
	switch by := by.(type) {
	case *estate.Network:
		return by
	case *estate.Subnet:
		return by.Network
	case *estate.Held:
		return by.Network
	}
	return nil
}

// fits is how many ranges of the length have a place.
func (m *mover) fits(free address.Set) *big.Int { return space.Fits(free, m.length) }

// pieces are what is free in places that are too small for the length: to move into another would take as much as it gives.
func (m *mover) pieces(free address.Set) address.Set {
	return address.SetOf(slices.DeleteFunc(free.Ranges(), func(p netip.Prefix) bool { return p.Bits() <= m.length })...)
}

// one finds the moves that make one more place, and what is free after them; none where there are no such.
func (m *mover) one(free address.Set) ([]Move, address.Set) {
	type place struct {
		p    netip.Prefix
		used *big.Int
		in   []netip.Prefix
	}
	places := map[netip.Prefix]*place{}
	for p := range m.held {
		slot := netip.PrefixFrom(p.Addr(), m.length).Masked()
		if !slices.ContainsFunc(m.ranges, func(r netip.Prefix) bool { return address.Covers(r, slot) }) {
			continue
		}
		if places[slot] == nil {
			if len(places) >= maxPlaces {
				continue
			}
			places[slot] = &place{p: slot, used: new(big.Int)}
		}
		x := places[slot]
		x.in = append(x.in, p)
		x.used.Add(x.used, address.Count(p))
	}
	var order []*place
	for _, x := range places {
		slices.SortFunc(x.in, func(a, b netip.Prefix) int {
			if a.Bits() != b.Bits() {
				return a.Bits() - b.Bits() // the widest first: it is the hardest to place
			}
			return a.Addr().Compare(b.Addr())
		})
		order = append(order, x)
	}
	slices.SortFunc(order, func(a, b *place) int {
		if c := a.used.Cmp(b.used); c != 0 {
			return c
		}
		return address.Compare(a.p, b.p)
	})
	before := m.fits(free)
	for _, x := range order {
		whole := free.Union(address.SetOf(x.in...))
		if !whole.ContainsRange(x.p) {
			continue // somebody who cannot move is there, too
		}
		pool := address.NewPool(m.pieces(free.Minus(address.SetOf(x.p))), m.width)
		var moves []Move
		for _, p := range x.in {
			to, found := pool.Take(p.Bits())
			if !found {
				moves = nil
				break
			}
			moves = append(moves, Move{m.held[p], p, to})
		}
		if len(moves) == 0 {
			continue
		}
		after := whole
		for _, v := range moves {
			after = after.Minus(address.SetOf(v.To))
		}
		if m.fits(after).Cmp(before) <= 0 {
			continue
		}
		for _, v := range moves {
			delete(m.held, v.From)
			m.held[v.To] = v.Network
		}
		return moves, after
	}
	return nil, free
}
