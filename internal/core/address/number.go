package address

import (
	"encoding/binary"
	"math/big"
	"math/bits"
	"net/netip"
)

// number is an address as an unsigned 128-bit integer, so that ranges can be counted and compared.
// An IPv4 address uses the low 32 bits; the family is kept beside it, never in it.
type number struct{ hi, lo uint64 }

// numberOf gives the value of a; an IPv4 address lies in 0 to 2^32-1.
func numberOf(a netip.Addr) number {
	if a.Is4() {
		b := a.As4()
		return number{0, uint64(binary.BigEndian.Uint32(b[:]))}
	}
	b := a.As16()
	return number{binary.BigEndian.Uint64(b[:8]), binary.BigEndian.Uint64(b[8:])}
}

// addr is the inverse of numberOf for the family whose addresses are width bits wide (32 or 128).
func (n number) addr(width int) netip.Addr {
	if width == 32 {
		var b [4]byte
		binary.BigEndian.PutUint32(b[:], uint32(n.lo))
		return netip.AddrFrom4(b)
	}
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], n.hi)
	binary.BigEndian.PutUint64(b[8:], n.lo)
	return netip.AddrFrom16(b)
}

func (n number) cmp(m number) int {
	switch {
	case n.hi < m.hi, n.hi == m.hi && n.lo < m.lo:
		return -1
	case n == m:
		return 0
	}
	return 1
}

func (n number) less(m number) bool { return n.cmp(m) < 0 }

// next is n+1 and prev is n-1; both wrap round at the ends of 128 bits.
func (n number) next() number {
	lo, carry := bits.Add64(n.lo, 1, 0)
	return number{n.hi + carry, lo}
}

func (n number) prev() number {
	lo, borrow := bits.Sub64(n.lo, 1, 0)
	return number{n.hi - borrow, lo}
}

func (n number) minus(m number) number {
	lo, borrow := bits.Sub64(n.lo, m.lo, 0)
	return number{n.hi - m.hi - borrow, lo}
}

// or sets the bits of m in n.
func (n number) or(m number) number { return number{n.hi | m.hi, n.lo | m.lo} }

// ones is the number whose low k bits are set (0 <= k <= 128).
func ones(k int) number {
	switch {
	case k >= 128:
		return number{^uint64(0), ^uint64(0)}
	case k > 64:
		return number{1<<(k-64) - 1, ^uint64(0)}
	case k == 64:
		return number{0, ^uint64(0)}
	}
	return number{0, 1<<k - 1}
}

// zeros counts the zero bits at the low end of n; 128 when n is 0.
func (n number) zeros() int {
	if n.lo != 0 {
		return bits.TrailingZeros64(n.lo)
	}
	return 64 + bits.TrailingZeros64(n.hi)
}

// floorLog is the largest k for which a block of 2^k addresses fits into a span whose last minus first is n.
func (n number) floorLog() int {
	size := n.next()
	switch {
	case size.hi != 0:
		return 63 + bits.Len64(size.hi)
	case size.lo != 0:
		return bits.Len64(size.lo) - 1
	}
	return 128
}

func (n number) big() *big.Int {
	b := new(big.Int).SetUint64(n.hi)
	return b.Lsh(b, 64).Or(b, new(big.Int).SetUint64(n.lo))
}

// shiftLeft moves the bits of n up by k (0 <= k <= 128).
func (n number) shiftLeft(k int) number {
	switch {
	case k >= 128:
		return number{}
	case k >= 64:
		return number{n.lo << (k - 64), 0}
	case k == 0:
		return n
	}
	return number{n.hi<<k | n.lo>>(64-k), n.lo << k}
}

func (n number) plus(m uint64) number {
	lo, carry := bits.Add64(n.lo, m, 0)
	return number{n.hi + carry, lo}
}

// shiftRight moves the bits of n down by k (0 <= k <= 128).
func (n number) shiftRight(k int) number {
	switch {
	case k >= 128:
		return number{}
	case k >= 64:
		return number{0, n.hi >> (k - 64)}
	case k == 0:
		return n
	}
	return number{n.hi >> k, n.lo>>k | n.hi<<(64-k)}
}

// length is how many bits it takes to write n; 0 when n is 0.
func (n number) length() int {
	if n.hi != 0 {
		return 64 + bits.Len64(n.hi)
	}
	return bits.Len64(n.lo)
}

func (n number) and(m number) number { return number{n.hi & m.hi, n.lo & m.lo} }

func (n number) not() number { return number{^n.hi, ^n.lo} }

func (n number) plusNumber(m number) number {
	lo, carry := bits.Add64(n.lo, m.lo, 0)
	return number{n.hi + m.hi + carry, lo}
}
