package cli

import (
	"fmt"
	"math/big"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/profile"
)

// The JSON of block; docs/json.md describes it.
type blocksOut struct {
	Blocks []blockOut `json:"blocks"`
}

type blockOut struct {
	Range     string      `json:"range"`
	First     string      `json:"first"`
	Last      string      `json:"last"`
	Count     *big.Int    `json:"count"`
	Mask      string      `json:"mask"`
	Wildcard  string      `json:"wildcard"`
	Class     string      `json:"class"`
	Source    string      `json:"source"`
	Usable    []usableOut `json:"usable"`
	Halves    []string    `json:"halves"`
	HalfOf    string      `json:"half_of"`
	Next      string      `json:"next"`
	Previous  string      `json:"previous"`
	Inside    string      `json:"inside"`
	Piece     string      `json:"piece"`
	Blocks    []string    `json:"blocks"`
	ReverseIn []string    `json:"reverse_zones"`
}

type usableOut struct {
	Profile string   `json:"profile"`
	Count   *big.Int `json:"count"`
	First   string   `json:"first"`
	Last    string   `json:"last"`
	Fits    bool     `json:"fits"`
}

type blockListOut struct {
	Ranges []string `json:"ranges"`
}

type blockSizesOut struct {
	Sizes []blockSizeOut `json:"sizes"`
}

type blockSizeOut struct {
	Profile string `json:"profile"`
	Size    string `json:"size"`
	Usable  int    `json:"usable"`
}

// blockCardOf gathers all about one range; among is what was given with it.
func blockCardOf(i address.Interval, among []address.Interval, profiles []profile.Profile) blockOut {
	set := address.Between(i.First, i.Last)
	k := blockOut{Range: i.String(), First: i.First.String(), Last: i.Last.String(), Count: set.Count(), Class: "public",
		Usable: []usableOut{}, Halves: []string{}, Blocks: []string{}, ReverseIn: []string{}}
	for _, p := range set.Ranges() {
		k.Blocks = append(k.Blocks, p.String())
		k.ReverseIn = append(k.ReverseIn, address.ReverseZones(p)...)
	}
	p, is := i.Block()
	around := p
	if !is {
		around = address.Around(set)
	}
	if s, found := address.SpecialOf(around); found {
		k.Class, k.Source = s.Name, s.Source
	} else if address.HoldsSpecial(around) {
		k.Class = "several classes"
	}
	var smallest address.Interval
	for _, other := range among {
		holds := !i.First.Less(other.First) && !other.Last.Less(i.Last) && i != other && i.First.BitLen() == other.First.BitLen()
		if holds && (!smallest.First.IsValid() || !other.First.Less(smallest.First) && !smallest.Last.Less(other.Last)) {
			smallest = other
		}
	}
	if smallest.First.IsValid() {
		k.Inside = smallest.String()
		if q, whole := smallest.Block(); whole && is {
			n, _ := address.PieceNumber(q, p)
			k.Piece = strconv.FormatUint(n, 10)
		}
	}
	if !is {
		return k
	}
	k.Mask, k.Wildcard = address.Mask(p), address.Wildcard(p)
	for _, half := range address.Split(p, 2) {
		k.Halves = append(k.Halves, half.String())
	}
	if p.Bits() > 0 {
		k.HalfOf = netip.PrefixFrom(p.Addr(), p.Bits()-1).Masked().String()
	}
	if q, found := address.Next(p); found {
		k.Next = q.String()
	}
	if q, found := address.Previous(p); found {
		k.Previous = q.String()
	}
	if p.Addr().Is4() {
		for _, profile := range profiles {
			first, last := profile.Ends(p)
			k.Usable = append(k.Usable, usableOut{profile.Name, profile.Usable(p), addrText(first), addrText(last), profile.Takes(p.Bits())})
		}
	}
	return k
}

func (k *blockOut) countText() string { return grouped(k.Count) }

// blockCard shows one range to a person.
func (c *call) blockCard(k blockOut) {
	class := k.Class
	if k.Source != "" {
		class += ", " + k.Source
	}
	c.say("%s  %s", strong.Sprint(k.Range), class)
	fact := func(name, value string) {
		if value != "" {
			c.say("  %s %s", dim.Sprintf("%-11s", name), c.wrap(14, value))
		}
	}
	fact("first", k.First)
	fact("last", k.Last)
	fact("addresses", k.countText())
	fact("mask", k.Mask)
	fact("wildcard", k.Wildcard)
	for i, u := range k.Usable {
		name := ""
		if i == 0 {
			name = "usable"
		}
		value := fmt.Sprintf("%s, from %s to %s", grouped(u.Count), u.First, u.Last)
		if u.Count.Sign() == 0 {
			value = "none"
		}
		if !u.Fits {
			value += "; it takes no subnet of this size"
		}
		c.say("  %s %-9s %s", dim.Sprintf("%-11s", name), u.Profile, value)
	}
	fact("halves", strings.Join(k.Halves, "  "))
	fact("half of", k.HalfOf)
	fact("next", k.Next)
	fact("previous", k.Previous)
	if len(k.Halves) == 0 && len(k.Blocks) > 1 {
		fact("blocks", strings.Join(k.Blocks, "  "))
	}
	zones := slices.Clone(k.ReverseIn)
	if len(zones) > 4 {
		zones = []string{fmt.Sprintf("%d zones, from %s to %s", len(zones), zones[0], zones[len(zones)-1])}
	}
	fact("reverse DNS", strings.Join(zones, "  "))
}

// grouped writes a number with commas between its thousands, and as a power of two where it is a large one.
func grouped(n *big.Int) string {
	if n.BitLen() > 50 && n.TrailingZeroBits() == uint(n.BitLen()-1) {
		return fmt.Sprintf("2^%d", n.BitLen()-1)
	}
	s := n.String()
	for i := len(s) - 3; i > 0 && s[i-1] != '-'; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}
