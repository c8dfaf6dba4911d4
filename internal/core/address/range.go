// Package address is the arithmetic of IPv4 and IPv6 ranges, on the types of net/netip: ranges, sets of
// addresses, and pools from which ranges are taken. It knows nothing of plans or networks.
package address

import (
	"encoding/binary"
	"errors"
	"fmt"
	"math/big"
	mathbits "math/bits"
	"net/netip"
	"strconv"
	"strings"

	"wendrik/internal/core/phrase"
	"wendrik/internal/core/wrong"
)

// A HostBitsError says that a range's text names an address inside a block, not the block itself.
type HostBitsError struct {
	Given string
	Meant netip.Prefix // the block that holds the given address
}

// Unwrap gives the same as a wrong value, with the block that was meant as what would be right.
func (e *HostBitsError) Unwrap() error {
	return wrong.Value(fmt.Sprintf("the block is %s", e.Meant), "%s", e.Error())
}

func (e *HostBitsError) Error() string {
	return fmt.Sprintf("%s is an address inside a block, not a block: its host bits are not zero", e.Given)
}

// ParseRange reads a CIDR block such as 10.144.0.0/20 or fd3a:5e11:c0de::/48 (RFC 4632, RFC 4291 section 2.3).
// Host bits must be zero, else the error is a *HostBitsError that names the block meant. IPv6 zones, and IPv4
// addresses written as IPv6, are refused.
func ParseRange(s string) (netip.Prefix, error) {
	p, err := netip.ParsePrefix(s)
	if err != nil {
		return netip.Prefix{}, rangeError(s)
	}
	if p.Addr().Is4In6() {
		return netip.Prefix{}, errors.New("an IPv4 range is written as IPv4, not inside IPv6")
	}
	if m := p.Masked(); m != p {
		return netip.Prefix{}, &HostBitsError{Given: s, Meant: m}
	}
	return p, nil
}

// rangeError says in a sentence why s is no range.
func rangeError(s string) error {
	const like = "write one like 10.144.0.0/20"
	a, length, found := strings.Cut(s, "/")
	addr, err := ParseAddr(a)
	quoted := phrase.Clip(s)
	switch {
	case s == "":
		return wrong.Value(like, "a range is missing here")
	case err != nil && found && whole(a).IsValid():
		right := like
		if p, err := netip.ParsePrefix(whole(a).String() + "/" + length); err == nil {
			right = "write " + p.Masked().String()
		}
		return wrong.Value(right, "%q is not a range: its address is not whole", quoted)
	case err != nil && strings.Contains(s, "-"):
		return wrong.Value(like, "%q is not a CIDR block", quoted)
	case err != nil && !isAddr(a):
		return wrong.Value(like, "%q is not a range", quoted)
	case err != nil:
		return err
	case !found:
		return wrong.Value(fmt.Sprintf("write it like %s", netip.PrefixFrom(addr, addr.BitLen()-8).Masked()), "%s is an address, and a range has a length", s)
	}
	if bits, is := MaskBits(length); is && addr.Is4() {
		return wrong.Value(fmt.Sprintf("write %s", netip.PrefixFrom(addr, bits).Masked()), "%s has a mask, and a range has a length", s)
	}
	return wrong.Value(fmt.Sprintf("write /0 to /%d behind the address", addr.BitLen()), "%q is not a range: its length is not a whole number from 0 to %d", quoted, addr.BitLen())
}

// isAddr reports whether s is an address at all, if not one that a plan can have.
func isAddr(s string) bool {
	_, err := netip.ParseAddr(s)
	return err == nil
}

// whole is the address that starts with the octets of s, such as 10.144; the zero Addr where that is not meant.
func whole(s string) netip.Addr {
	for range 3 {
		s += ".0"
		if a, err := netip.ParseAddr(s); err == nil && a.Is4() {
			return a
		}
	}
	return netip.Addr{}
}

// MaskBits is the length that an IPv4 mask such as 255.255.240.0 means, and whether s is one: ones and then zeros
// (RFC 950, RFC 4632 section 3.1).
func MaskBits(s string) (bits int, is bool) {
	m, err := netip.ParseAddr(s)
	if err != nil || !m.Is4() {
		return 0, false
	}
	b := m.As4()
	mask := binary.BigEndian.Uint32(b[:])
	return mathbits.LeadingZeros32(^mask), ^mask&(^mask+1) == 0
}

// ParseAddr reads one IPv4 or IPv6 address without a zone, and says in a sentence what is wrong with any other text.
func ParseAddr(s string) (netip.Addr, error) {
	a, err := netip.ParseAddr(s)
	switch {
	case err != nil:
		return netip.Addr{}, wrong.Value("write one like 10.144.0.10", "%q is not an IPv4 or IPv6 address", phrase.Clip(s))
	case a.Zone() != "":
		return netip.Addr{}, fmt.Errorf("%s names an interface after %%; a plan has no interfaces", phrase.Clip(s))
	case a.Is4In6():
		return netip.Addr{}, errors.New("an IPv4 address is written as IPv4, not inside IPv6")
	}
	return a, nil
}

// Last is the highest address of p. The zero Prefix gives the zero Addr.
func Last(p netip.Prefix) netip.Addr {
	if !p.IsValid() {
		return netip.Addr{}
	}
	return spanOf(p).last.addr(p.Addr().BitLen())
}

// Count is how many addresses p holds: 1 for a single address, 2^128 for ::/0, 0 for the zero Prefix.
func Count(p netip.Prefix) *big.Int {
	if !p.IsValid() {
		return new(big.Int)
	}
	return new(big.Int).Lsh(big.NewInt(1), uint(p.Addr().BitLen()-p.Bits()))
}

// Covers reports whether every address of inner is in outer.
func Covers(outer, inner netip.Prefix) bool {
	return outer.Bits() <= inner.Bits() && outer.Contains(inner.Addr())
}

// Shared is the part that a and b have in common: the smaller of two blocks that overlap, else the zero Prefix.
func Shared(a, b netip.Prefix) netip.Prefix {
	switch {
	case !a.Overlaps(b):
		return netip.Prefix{}
	case a.Bits() > b.Bits():
		return a
	}
	return b
}

// Compare orders ranges by family (IPv4 first), first address, and then the larger range before the smaller.
func Compare(a, b netip.Prefix) int {
	if c := a.Addr().Compare(b.Addr()); c != 0 {
		return c
	}
	return a.Bits() - b.Bits()
}

// Single is the range that holds a alone: a /32 or a /128.
func Single(a netip.Addr) netip.Prefix { return netip.PrefixFrom(a, a.BitLen()) }

// BitsFor is the length of the smallest block of addresses width bits wide (32 or 128) that holds at least n
// addresses; it is negative when no block of that family does.
func BitsFor(n *big.Int, width int) int {
	if n.Sign() <= 0 {
		return width
	}
	return width - new(big.Int).Sub(n, big.NewInt(1)).BitLen()
}

// Piece is the i-th block (from 0) of the given length inside p, and whether there is one.
func Piece(p netip.Prefix, length int, i uint64) (netip.Prefix, bool) {
	width := p.Addr().BitLen()
	if !p.IsValid() || length < p.Bits() || length > width {
		return netip.Prefix{}, false
	}
	if room := length - p.Bits(); room < 64 && i>>room != 0 {
		return netip.Prefix{}, false
	}
	step := number{0, i}.shiftLeft(width - length)
	return netip.PrefixFrom(numberOf(p.Addr()).or(step).addr(width), length), true
}

// Distance is how many addresses b lies behind a, which must be of the same family and not after b; the largest
// uint64 when it is more than that.
func Distance(a, b netip.Addr) uint64 {
	d := numberOf(b).minus(numberOf(a))
	if d.hi != 0 {
		return ^uint64(0)
	}
	return d.lo
}

// Usable is how many addresses of p are left when first at its start and last at its end are reserved; never below 0.
func Usable(p netip.Prefix, first, last int) *big.Int {
	n := Count(p)
	n.Sub(n, big.NewInt(int64(first+last)))
	if n.Sign() < 0 {
		n.SetInt64(0)
	}
	return n
}

// Advance is the address n places behind a; it must lie in the family.
func Advance(a netip.Addr, n uint64) netip.Addr {
	return numberOf(a).plus(n).addr(a.BitLen())
}

// Retreat is the address n places before a; it must lie in the family.
func Retreat(a netip.Addr, n uint64) netip.Addr {
	return numberOf(a).minus(number{0, n}).addr(a.BitLen())
}

// ParseInterval reads a run of addresses: a CIDR block, a first and a last address with a dash between them, or one
// address alone.
func ParseInterval(s string) (Interval, error) {
	first, last, dashed := strings.Cut(s, "-")
	if dashed {
		a, err := ParseAddr(strings.TrimSpace(first))
		if err != nil {
			return Interval{}, err
		}
		b, err := ParseAddr(strings.TrimSpace(last))
		switch {
		case err != nil:
			return Interval{}, err
		case a.BitLen() != b.BitLen():
			return Interval{}, fmt.Errorf("%s and %s are not of one family", a, b)
		case b.Less(a):
			return Interval{}, wrong.Value(fmt.Sprintf("write %s-%s", b, a), "%s-%s runs backwards", a, b)
		}
		return Interval{a, b}, nil
	}
	if !strings.Contains(s, "/") {
		if a, err := ParseAddr(s); err == nil {
			return Interval{a, a}, nil
		}
	}
	p, err := ParseRange(s)
	if err != nil {
		return Interval{}, err
	}
	return IntervalOf(p), nil
}

// IntervalOf is the run of addresses of a block.
func IntervalOf(p netip.Prefix) Interval { return Interval{p.Addr(), Last(p)} }

// Holds reports whether every address of other is in i; both must not be empty.
func (i Interval) Holds(other Interval) bool {
	return !other.First.Less(i.First) && !i.Last.Less(other.Last)
}

// Block is the CIDR block that an interval is, and whether it is one.
func (i Interval) Block() (netip.Prefix, bool) {
	if !i.First.IsValid() || i.First.BitLen() != i.Last.BitLen() {
		return netip.Prefix{}, false
	}
	first, last := numberOf(i.First), numberOf(i.Last)
	host := last.minus(first).length()
	if first.or(ones(host)) != last || first.and(ones(host)) != (number{}) {
		return netip.Prefix{}, false
	}
	return netip.PrefixFrom(i.First, i.First.BitLen()-host), true
}

// String writes a block as CIDR, and any other interval as first-last.
func (i Interval) String() string {
	if p, is := i.Block(); is {
		return p.String()
	}
	return i.First.String() + "-" + i.Last.String()
}

// ParseSize reads the length of a range, written /20.
func ParseSize(s string) (int, error) {
	v, err := strconv.ParseUint(strings.TrimPrefix(s, "/"), 10, 8)
	bits, isMask := MaskBits(strings.TrimPrefix(s, "/"))
	switch {
	case err == nil && v <= 128 && strings.HasPrefix(s, "/"):
		return int(v), nil
	case err == nil && v <= 128:
		return 0, wrong.Value("write /"+s, "the size %s lacks its slash", s)
	case isMask:
		return 0, wrong.Value(fmt.Sprintf("write /%d", bits), "%s is a mask, and a size is a length", s)
	}
	return 0, wrong.Value("write the length of the range, such as /20", "%q is not a size", phrase.Clip(s))
}
