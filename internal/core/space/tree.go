package space

import (
	"math/big"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
)

// Node is one range of a block in the tree of the address space. Used, Held, Inner and Free are its addresses, each
// counted once.
type Node struct {
	Block *estate.Block
	Range netip.Prefix
	Depth int         // how many blocks it lies in
	Used  address.Set // of networks, subnets without a network's range, sites, clusters, and what is taken
	Held  address.Set
	Inner address.Set // of blocks inside it, whatever they hold
	Free  address.Set
}

// Tree lists the blocks of an estate, each behind the one it lies in, in the order of their ranges.
func (s *Survey) Tree() []Node {
	var nodes []Node
	var held []netip.Prefix
	for _, b := range s.Estate.Blocks {
		for _, r := range b.Ranges {
			nodes = append(nodes, Node{Block: b, Range: r})
		}
	}
	for _, t := range s.Taken {
		if b, is := t.By.(*estate.Block); is && b.Held {
			held = append(held, t.Range)
		}
	}
	slices.SortStableFunc(nodes, func(a, b Node) int {
		if a.Range == b.Range && a.Block.Within != b.Block.Within {
			if a.Block.Within == b.Block {
				return 1
			}
			return -1
		}
		return address.Compare(a.Range, b.Range)
	})
	// Blocks with one range are a level; levels in each other are at most as many as an address has bits.
	var open []*level
	levels := make([]*level, len(nodes))
	depth := 0
	for i := range nodes {
		n := &nodes[i]
		for len(open) > 0 && !address.Covers(open[len(open)-1].of, n.Range) {
			depth -= open[len(open)-1].nodes
			open = open[:len(open)-1]
		}
		if len(open) == 0 || open[len(open)-1].of != n.Range {
			open = append(open, &level{of: n.Range})
		}
		here := open[len(open)-1]
		n.Depth, levels[i] = depth, here
		depth++
		here.add(n.Block, open[:len(open)-1])
	}
	heldSet := address.SetOf(held...)
	for i := range nodes {
		nodes[i].fill(levels[i], s.Occupied, heldSet)
	}
	return nodes
}

// level is the blocks of one range.
type level struct {
	of     netip.Prefix
	nodes  int
	open   bool                   // whether one of them is not held
	within map[*estate.Block]bool // blocks within which another of them lies by the plan's word
	inner  []netip.Prefix         // smaller ranges in it, of blocks that are not held
	filled map[bool]*Node         // what is used, held and free, by whether the whole range is in a block inside
}

// add notes a block of a level; around are the levels that it lies in.
func (l *level) add(b *estate.Block, around []*level) {
	l.nodes++
	if b.Held {
		return
	}
	if b.Within != nil {
		if l.within == nil {
			l.within = map[*estate.Block]bool{}
		}
		l.within[b.Within] = true
	}
	if l.open {
		return // its range is noted already
	}
	l.open = true
	for i := len(around) - 1; i >= 0; i-- {
		around[i].inner = append(around[i].inner, l.of)
		if around[i].open {
			return // whose own range stands for it further out
		}
	}
}

// fill works out what the addresses of a node are for.
func (n *Node) fill(l *level, occupied, held address.Set) {
	whole := address.SetOf(n.Range)
	if n.Block.Held {
		n.Held = whole
		return
	}
	inside := l.within[n.Block]
	if done := l.filled[inside]; done != nil {
		n.Used, n.Held, n.Inner, n.Free = done.Used, done.Held, done.Inner, done.Free
		return
	}
	if n.Inner = address.SetOf(l.inner...); inside {
		n.Inner = whole
	}
	n.Held = held.Clip(n.Range).Minus(n.Inner)
	n.Used = occupied.Clip(n.Range).Minus(n.Inner).Minus(n.Held)
	n.Free = whole.Minus(n.Inner).Minus(n.Held).Minus(n.Used)
	if l.filled == nil {
		l.filled = map[bool]*Node{}
	}
	l.filled[inside] = n
}

// Largest is the largest free block of a node, the lowest of several; the zero Prefix when nothing is free.
func (n Node) Largest() netip.Prefix {
	var best netip.Prefix
	for _, p := range n.Free.Ranges() {
		if !best.IsValid() || p.Bits() < best.Bits() {
			best = p
		}
	}
	return best
}

// Pieces is how many runs the free addresses of a node are in.
func (n Node) Pieces() int { return len(n.Free.Intervals()) }

// Fits is how many more blocks of a length fit into what is free.
func (n Node) Fits(length int) *big.Int { return Fits(n.Free, length) }

// Fits is how many blocks of a length have a place in what is free.
func Fits(free address.Set, length int) *big.Int {
	sum := new(big.Int)
	for _, p := range free.Ranges() {
		sum.Add(sum, address.Pieces(p, length))
	}
	return sum
}

// Share is a set's part of the node, from 0 to 1.
func (n Node) Share(s address.Set) float64 {
	part, _ := new(big.Rat).SetFrac(s.Count(), address.Count(n.Range)).Float64()
	return part
}

// Cell says what most of a part of a block is for.
type Cell byte

// The cells of a map.
const (
	FreeCell   Cell = iota
	InnerCell       // of a block inside
	HeldCell        // held, at least in part, and not used
	PartlyUsed      // used in part
	FullyUsed
)

// Map cuts a node into equal parts, at most width of them, and says what each is for.
func (n Node) Map(width int) []Cell {
	cells := 1
	for cells*2 <= width && n.Range.Bits() < n.Range.Addr().BitLen() && cells < 1<<min(20, n.Range.Addr().BitLen()-n.Range.Bits()) {
		cells *= 2
	}
	out := make([]Cell, 0, cells)
	for _, part := range address.Split(n.Range, cells) {
		switch used := n.Used.Clip(part); {
		case used.ContainsRange(part):
			out = append(out, FullyUsed)
		case !used.Empty():
			out = append(out, PartlyUsed)
		case n.Held.Overlaps(part):
			out = append(out, HeldCell)
		case n.Inner.Overlaps(part):
			out = append(out, InnerCell)
		default:
			out = append(out, FreeCell)
		}
	}
	return out
}
