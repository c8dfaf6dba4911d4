package address

import (
	"container/heap"
	"net/netip"
)

// A Pool hands out aligned blocks from free space, always the lowest that fits, so that the same requests in the
// same order give the same answers everywhere. It keeps the free space as the fewest blocks, by length, the lowest
// address on top; a larger block is halved as often as needed. Taking a block costs time in proportion to the
// number of bits of an address and the logarithm of the number of free blocks.
//
// A Pool is for one family of addresses.
type Pool struct {
	width int // 32 or 128
	free  [129]numberHeap
}

// NewPool makes a pool of the addresses of free that are IPv4 (width 32) or IPv6 (width 128).
func NewPool(free Set, width int) *Pool {
	p := &Pool{width: width}
	spans := free.v4
	if width == 128 {
		spans = free.v6
	}
	var blocks []netip.Prefix
	for _, s := range spans {
		blocks = appendBlocks(blocks[:0], s, width)
		for _, b := range blocks {
			p.free[b.Bits()] = append(p.free[b.Bits()], numberOf(b.Addr()))
		}
	}
	// The blocks were met in ascending order, and an ascending slice is a heap.
	return p
}

// Take hands out the lowest free block of the given length (0 to the width of an address), and reports whether there
// was one.
func (p *Pool) Take(length int) (netip.Prefix, bool) {
	if length < 0 || length > p.width {
		return netip.Prefix{}, false
	}
	best := -1
	for l := range length + 1 {
		if len(p.free[l]) > 0 && (best < 0 || p.free[l][0].less(p.free[best][0])) {
			best = l
		}
	}
	if best < 0 {
		return netip.Prefix{}, false
	}
	first := heap.Pop(&p.free[best]).(number)
	for l := best + 1; l <= length; l++ {
		upper := first.or(number{0, 1}.shiftLeft(p.width - l))
		heap.Push(&p.free[l], upper)
	}
	return netip.PrefixFrom(first.addr(p.width), length), true
}

// Largest is the length of the largest free block, and whether anything is free.
func (p *Pool) Largest() (length int, any bool) {
	for l := range p.free {
		if len(p.free[l]) > 0 {
			return l, true
		}
	}
	return 0, false
}

// numberHeap is a min-heap for container/heap.
type numberHeap []number

func (h numberHeap) Len() int           { return len(h) }
func (h numberHeap) Less(i, j int) bool { return h[i].less(h[j]) }
func (h numberHeap) Swap(i, j int)      { h[i], h[j] = h[j], h[i] }
func (h *numberHeap) Push(x any)        { *h = append(*h, x.(number)) }
func (h *numberHeap) Pop() any {
	old := *h
	last := old[len(old)-1]
	*h = old[:len(old)-1]
	return last
}

// Free is what the pool has left.
func (p *Pool) Free() Set {
	var spans []span
	for l, heap := range p.free {
		for _, first := range heap {
			spans = append(spans, span{first, first.or(ones(p.width - l))})
		}
	}
	if p.width == 32 {
		return Set{v4: normal(spans)}
	}
	return Set{v6: normal(spans)}
}

// Remove takes given blocks out of the pool, as far as they were free. It costs time in proportion to the free blocks.
func (p *Pool) Remove(blocks ...netip.Prefix) {
	*p = *NewPool(p.Free().Minus(SetOf(blocks...)), p.width)
}
