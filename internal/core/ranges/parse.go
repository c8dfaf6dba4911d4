package ranges

import (
	"net/netip"
	"strconv"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/wrong"
)

// This file reads one range, and tells what else in a line could be one.

// parse reads a range in any of the forms that lists have: a CIDR block, an address with its mask or length behind a
// slash or a space, first-last, or one address. Widened says that it was named by an address inside its block.
func parse(s string) (i address.Interval, widened bool, err error) {
	said := s
	s = usual.Replace(s)
	if first, mask, found := strings.Cut(s, " "); found && isAlone(first) {
		if mask = strings.TrimSpace(mask); !strings.HasPrefix(mask, "-") {
			s = first + "/" + strings.TrimPrefix(mask, "/")
		}
	}
	first, length, found := strings.Cut(s, "/")
	if found && isAlone(first) && strings.ContainsAny(length, " ,;|/") {
		return i, false, wrong.Value("write one range a line", "%q is more than one range", phrase.Clip(said))
	}
	if !found || strings.Contains(s, "-") {
		i, err = address.ParseInterval(s)
		return i, false, err
	}
	if strings.Contains(length, ".") {
		bits, err := maskBits(first, length)
		if err != nil {
			return i, false, err
		}
		s = first + "/" + strconv.Itoa(bits)
	}
	i, err = address.ParseInterval(s)
	if bits, is := err.(*address.HostBitsError); is {
		return address.IntervalOf(bits.Meant), true, nil
	}
	return i, false, err
}

// parseCell reads a field of a table: a range, with a remark behind it if any; or several, with commas, semicolons, bars, spaces or line ends
// between, where that is allowed. What looks like a range and is none is an error, as is another one in a remark.
func parseCell(cell string, several bool) (all []address.Interval, widened bool, err error) {
	i, widened, err := parse(cell)
	if err == nil || !several {
		return []address.Interval{i}, widened, err
	}
	rest := strings.NewReplacer("\n", " ", "\r", " ", "|", " ").Replace(cell)
	for rest = strings.Trim(rest, " \t,;"); rest != ""; rest = strings.Trim(rest, " \t,;") {
		if strings.ContainsAny(rest[:1], "(#[") {
			remark, after, _ := strings.Cut(rest, map[byte]string{'(': ")", '[': "]", '#': "\x00"}[rest[0]])
			whole := address.Interval{}
			if len(all) > 0 {
				whole = all[len(all)-1]
			}
			if other, found := second(whole, remark); found {
				return nil, false, wrong.Value("write one range a line, or take it out of the remark", "%s stands in a remark, and would be lost", phrase.Clip(other))
			}
			rest = after
			continue
		}
		word, behind := cutWord(rest)
		j, wide, failed := parse(word)
		switch {
		case failed == nil:
			all, widened = append(all, j), widened || wide
		case strings.ContainsAny(word, "0123456789") && strings.ContainsAny(word, "./:"):
			return nil, false, failed
		case len(all) == 0:
			return nil, false, err
		}
		rest = behind
	}
	if len(all) == 0 {
		return nil, false, err
	}
	return all, widened, nil
}

// usual makes the usual hyphen and space of what a spreadsheet or a word processor makes of one, and takes out marks.
var usual = strings.NewReplacer("\u2013", "-", "\u2014", "-", "\u2212", "-", "\u2010", "-", "\u2011", "-", "\u00a0", " ", "\ufeff", "")

// maskBits is the length that a mask beside an address means.
func maskBits(first, mask string) (int, error) {
	a, err := address.ParseAddr(first)
	if err != nil {
		return 0, err
	}
	bits, is := address.MaskBits(mask)
	if !is {
		bits, is = wildcardBits(mask)
	}
	switch {
	case !is || !a.Is4():
		return 0, wrong.Value("write "+first+"/LENGTH", "%q is not a mask for %s", phrase.Clip(mask), first)
	case bits == 0 && !a.IsUnspecified():
		return 0, wrong.Value("write 0.0.0.0/0 if it is meant", "%s with the mask %s is every address", first, mask)
	}
	return bits, nil
}

// isLength reports whether a text behind a lone address is its length or mask: /24 or 255.255.255.0.
func isLength(s string) bool {
	digits, slash := strings.CutPrefix(s, "/")
	if slash {
		n, err := strconv.ParseUint(digits, 10, 8)
		return err == nil && n <= 128
	}
	_, is := address.MaskBits(s)
	_, wild := wildcardBits(s)
	return is || wild
}

// wildcardBits is the length that a mask means which is written the other way round: 0.0.3.255 for /22.
func wildcardBits(s string) (bits int, is bool) {
	a, err := netip.ParseAddr(s)
	if err != nil || !a.Is4() {
		return 0, false
	}
	b := a.As4()
	for i := range b {
		b[i] = ^b[i]
	}
	return address.MaskBits(netip.AddrFrom4(b).String())
}

// isAlone reports whether a text is one address, with nothing that says how long its range is.
func isAlone(s string) bool {
	_, err := netip.ParseAddr(s)
	return err == nil
}

// second finds another range in what stands behind a range in its line, and of which it is no part: reading only the
// first would give away the other.
func second(whole address.Interval, behind string) (string, bool) {
	for _, word := range strings.FieldsFunc(usual.Replace(behind), func(r rune) bool { return strings.ContainsRune(" \t\r\n,;|()[]\"'", r) }) {
		if !strings.ContainsAny(word, ".:") {
			continue
		}
		word = strings.Trim(word, "-")
		if i, _, err := parse(word); err == nil && !whole.Holds(i) {
			return word, true
		}
	}
	return "", false
}

func twoRanges(line int, first, second string) Problem {
	return Problem{line, phrase.Clip(first), phrase.Clip(second) + " stands behind " + phrase.Clip(first) + " in one line, and one of them would be lost",
		"write one range a line, a first and a last address as FIRST-LAST, or a remark behind #"}
}

// parseFast reads the usual IPv4 block without making a string of it; anything else is left to the careful way.
func parseFast(word []byte) (address.Interval, bool) {
	var octets [4]byte
	i := 0
	for part := range 4 {
		v, digits := 0, 0
		for ; i < len(word) && word[i] >= '0' && word[i] <= '9' && digits < 3; i++ {
			v, digits = v*10+int(word[i]-'0'), digits+1
		}
		if digits == 0 || v > 255 || digits > 1 && word[i-digits] == '0' {
			return address.Interval{}, false
		}
		octets[part] = byte(v)
		if part < 3 {
			if i >= len(word) || word[i] != '.' {
				return address.Interval{}, false
			}
			i++
		}
	}
	if i >= len(word) || word[i] != '/' {
		return address.Interval{}, false
	}
	length, digits := 0, 0
	for i++; i < len(word) && word[i] >= '0' && word[i] <= '9' && digits < 2; i++ {
		length, digits = length*10+int(word[i]-'0'), digits+1
	}
	if i != len(word) || digits == 0 || length > 32 || digits == 2 && word[i-2] == '0' {
		return address.Interval{}, false
	}
	p := netip.PrefixFrom(netip.AddrFrom4(octets), length)
	if p.Masked() != p {
		return address.Interval{}, false
	}
	return address.IntervalOf(p), true
}
