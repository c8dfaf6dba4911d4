package address

import (
	"fmt"
	"math/big"
	"math/bits"
	"net/netip"
	"slices"
	"strings"
)

// Split cuts p into n blocks, as even as can be: halves of halves, with the last ones halved once more where n is no
// power of two. It is empty when p has fewer than n addresses, or n is below 1.
func Split(p netip.Prefix, n int) []netip.Prefix {
	if n < 1 || Count(p).Cmp(big.NewInt(int64(n))) < 0 {
		return nil
	}
	depth := bits.Len(uint(n)) - 1
	halved := n - 1<<depth // how many of the pieces are halved once more
	var out []netip.Prefix
	for i := range uint64(1) << depth {
		piece, _ := Piece(p, p.Bits()+depth, i)
		if i < 1<<depth-uint64(halved) {
			out = append(out, piece)
			continue
		}
		for half := range uint64(2) {
			q, _ := Piece(piece, piece.Bits()+1, half)
			out = append(out, q)
		}
	}
	return out
}

// Pieces is how many blocks of a length p can be cut into; 0 when the length is shorter than that of p or longer than
// an address.
func Pieces(p netip.Prefix, length int) *big.Int {
	if !p.IsValid() || length < p.Bits() || length > p.Addr().BitLen() {
		return new(big.Int)
	}
	return new(big.Int).Lsh(big.NewInt(1), uint(length-p.Bits()))
}

// PieceNumber is the number (from 0) of the piece inside outer, as Piece counts pieces of that length, and whether it
// is one: inside, and of a number that fits 64 bits.
func PieceNumber(outer, piece netip.Prefix) (uint64, bool) {
	if !Covers(outer, piece) {
		return 0, false
	}
	width := piece.Addr().BitLen()
	n := numberOf(piece.Addr()).minus(numberOf(outer.Addr())).shiftRight(width - piece.Bits())
	return n.lo, n.hi == 0
}

// Next is the block of the same length behind p, and whether there is one before the end of the addresses.
func Next(p netip.Prefix) (netip.Prefix, bool) {
	a := spanOf(p).last.next()
	width := p.Addr().BitLen()
	if a == (number{}) || width == 32 && a.lo>>32 != 0 {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(a.addr(width), p.Bits()), true
}

// Previous is the block of the same length before p, and whether there is one.
func Previous(p netip.Prefix) (netip.Prefix, bool) {
	first := numberOf(p.Addr())
	if first == (number{}) {
		return netip.Prefix{}, false
	}
	q := netip.PrefixFrom(first.prev().addr(p.Addr().BitLen()), p.Bits())
	return q.Masked(), true
}

// Between is the set of addresses from first to last, both included; empty when they are of two families or run
// backwards.
func Between(first, last netip.Addr) Set { return UnionOf(Interval{first, last}) }

// UnionOf is every address of the given intervals. One that is of two families or runs backwards counts as empty.
func UnionOf(all ...Interval) Set {
	var s Set
	for _, i := range all {
		switch one := (span{numberOf(i.First), numberOf(i.Last)}); {
		case i.First.BitLen() != i.Last.BitLen() || i.Last.Less(i.First) || !i.First.IsValid():
		case i.First.Is4():
			s.v4 = append(s.v4, one)
		default:
			s.v6 = append(s.v6, one)
		}
	}
	return Set{normal(s.v4), normal(s.v6)}
}

// Around is the smallest block that holds every address of s, which must be of one family; the zero Prefix else.
func Around(s Set) netip.Prefix {
	spans, width := s.v4, 32
	if len(spans) == 0 {
		spans, width = s.v6, 128
	}
	if s.Empty() || len(s.v4) > 0 && len(s.v6) > 0 {
		return netip.Prefix{}
	}
	first, last := spans[0].first, spans[len(spans)-1].last
	differ := number{first.hi ^ last.hi, first.lo ^ last.lo}
	p, _ := first.addr(width).Prefix(width - differ.length())
	return p
}

// Mask is the netmask of an IPv4 block in dotted form, and Wildcard its inverse; both empty for IPv6.
func Mask(p netip.Prefix) string {
	if !p.Addr().Is4() {
		return ""
	}
	return number{0, ^ones(32-p.Bits()).lo & 0xffffffff}.addr(32).String()
}

// Wildcard is the inverse of Mask.
func Wildcard(p netip.Prefix) string {
	if !p.Addr().Is4() {
		return ""
	}
	return ones(32 - p.Bits()).addr(32).String()
}

// ReverseZones are the names of the reverse-DNS zones that hold the addresses of p and no others: for IPv4 one for
// each block that ends on an octet (RFC 1035 section 3.5), and for a part of the last octet the name of RFC 2317
// section 4; for IPv6 one for each block that ends on a hex digit (RFC 3596 section 2.5). At most 256 and 16 of them.
func ReverseZones(p netip.Prefix) []string {
	if p.Addr().Is4() {
		return reverse4(p)
	}
	length := (p.Bits() + 3) / 4 * 4
	var zones []string
	for i := range uint64(1) << (length - p.Bits()) {
		q, _ := Piece(p, length, i)
		digits := fmt.Sprintf("%032x", q.Addr().As16())[:length/4]
		var labels []string
		for _, d := range slices.Backward([]byte(digits)) {
			labels = append(labels, string(d))
		}
		zones = append(zones, strings.Join(append(labels, "ip6.arpa"), "."))
	}
	return zones
}

func reverse4(p netip.Prefix) []string {
	name := func(octets []byte) string {
		var labels []string
		for _, o := range slices.Backward(octets) {
			labels = append(labels, fmt.Sprint(o))
		}
		return strings.Join(append(labels, "in-addr.arpa"), ".")
	}
	if p.Bits() > 24 && p.Bits() < 32 {
		b := p.Addr().As4()
		return []string{fmt.Sprintf("%d/%d.%s", b[3], p.Bits(), name(b[:3]))}
	}
	length := (p.Bits() + 7) / 8 * 8
	var zones []string
	for i := range uint64(1) << (length - p.Bits()) {
		q, _ := Piece(p, length, i)
		b := q.Addr().As4()
		zones = append(zones, name(b[:length/8]))
	}
	return zones
}
