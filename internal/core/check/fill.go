package check

import (
	"cmp"
	"fmt"
	"math/big"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/space"
)

// This file looks at how full ranges are. It speaks of IPv4 alone: nobody fills an IPv6 subnet.

// nearly is from how much on, of a hundred, a range is nearly full.
const nearly = 90

var heldSpace = Rule{"held-space", Space, "A network or subnet in a block that is held for something else.", func(r *run) {
	for _, h := range r.homes() {
		for _, b := range r.Blocks {
			if b.Held && slices.ContainsFunc(b.Ranges, func(p netip.Prefix) bool { return address.Covers(p, h.Prefix) }) {
				r.report(diag.Warning, h.At, h.place(), "choose a range that is not held, or take  held:  out of the block", "%s (%s) lies in block %s, which is held (%s)", h.name(), h.Prefix, b.Name, b.Plan.Held.Value)
				break
			}
		}
	}
}}

var blockNearlyFull = Rule{"block-nearly-full", Room, "A block of space of which less than a tenth is free, of IPv4.", func(r *run) {
	survey, outer := space.NewSurvey(r.Estate, nil), r.outerBlocks()
	for _, b := range r.Blocks {
		if b.Held || outer[b] {
			continue // what is handed on to blocks inside is full on purpose
		}
		for _, p := range b.Ranges {
			if !p.Addr().Is4() || r.whole(p) {
				continue
			}
			free := address.SetOf(p).Minus(survey.Occupied.Clip(p)).Count()
			if new(big.Int).Mul(free, big.NewInt(100)).Cmp(new(big.Int).Mul(address.Count(p), big.NewInt(100-nearly))) < 0 {
				r.report(diag.Warning, b.At(), b.Place(), "add a range to it, or a block beside it", "block %s (%s) is nearly full: %s of its %s addresses are free", b.Name, p, free, address.Count(p))
			}
		}
	}
}}

// outerBlocks are the blocks that hold others.
func (r *run) outerBlocks() map[*estate.Block]bool {
	type piece struct {
		netip.Prefix
		of *estate.Block
	}
	var all []piece
	for _, b := range r.Blocks {
		for _, p := range b.Ranges {
			all = append(all, piece{p, b})
		}
	}
	slices.SortStableFunc(all, func(a, b piece) int { return address.Compare(a.Prefix, b.Prefix) })
	outer := map[*estate.Block]bool{}
	var around []piece
	for _, x := range all {
		for len(around) > 0 && !address.Covers(around[len(around)-1].Prefix, x.Prefix) {
			around = around[:len(around)-1]
		}
		if n := len(around); n > 0 && (around[n-1].Prefix != x.Prefix || x.of.Within == around[n-1].of) {
			outer[around[n-1].of] = true
		}
		around = append(around, x)
	}
	return outer
}

// whole reports whether one network has all of a range, which is then for it alone.
func (r *run) whole(p netip.Prefix) bool {
	return slices.ContainsFunc(r.Networks, func(n *estate.Network) bool { return slices.Contains(n.Ranges, p) })
}

var nearlyFull = Rule{"nearly-full", Room, "A subnet of which nine tenths of the IPv4 addresses have an owner.", func(r *run) {
	for _, s := range r.Subnets {
		if has, most := space.Used(s), space.Room(s); most > 0 && has*100 >= most*nearly {
			how := "nearly full"
			if has >= most {
				how = "full"
			}
			r.report(diag.Warning, s.At(), s.Place(), "add a subnet beside it, or move it to a larger range", "subnet %s is %s: %d of its %d addresses have an owner", s.ID(), how, has, most)
		}
	}
}}

var outgrown = Rule{"outgrown", Room, "Subnets that are too small for the hosts that their tier says, now or with its growth.", func(r *run) {
	for _, n := range r.Networks {
		for _, t := range n.Tiers {
			var small []string
			need, least := 0, 0
			for _, x := range space.Outgrown(t) {
				for _, s := range x.Subnets {
					small = append(small, s.Name)
				}
				if need = max(need, x.Wants); least == 0 || x.Room < least {
					least = x.Room
				}
			}
			if len(small) == 0 {
				continue
			}
			grows := ""
			if t.Plan.Growth.Value > 0 {
				grows = fmt.Sprintf(" with its growth of %d%%", t.Plan.Growth.Value)
			}
			word := "subnet"
			if len(small) > 1 {
				word = "subnets"
			}
			r.report(diag.Warning, t.At(), t.Place(), "grow "+t.ID()+"  makes room; or say less in  hosts:", "%s %s of tier %s: room for %d workloads, and the tier is to have %d%s", word, phrase.And(small), t.ID(), least, need, grows)
		}
	}
}}

var noZoneRoom = Rule{"no-zone-room", Room, "A network in which its tiers have no room for one more zone.", func(r *run) {
	for _, n := range r.Networks {
		if n.Profile.SubnetsIn != profile.OneZone || len(n.Plan.Ranges) == 0 {
			continue
		}
		type want struct {
			tier *estate.Tier
			bits int
		}
		var all []want
		for _, t := range n.Tiers {
			if t.Plan.Spare.Given() && t.Plan.Spare.Value == 0 || len(t.Plan.Zones) > 0 {
				continue // which wants no more
			}
			if i := slices.IndexFunc(t.Subnets, func(s *estate.Subnet) bool { return s.Has(true) }); i >= 0 {
				for _, p := range t.Subnets[i].Ranges {
					if p.Addr().Is4() {
						all = append(all, want{t, p.Bits()})
					}
				}
			}
		}
		slices.SortStableFunc(all, func(a, b want) int { return cmp.Compare(a.bits, b.bits) })
		pool := address.NewPool(space.FreeOf(n), 32)
		var lack []string
		for _, w := range all {
			if _, fits := pool.Take(w.bits); !fits {
				lack = append(lack, fmt.Sprintf("%s (/%d)", w.tier.Name, w.bits))
			}
		}
		if len(lack) > 0 {
			r.report(diag.Warning, n.At(), n.Place(), "give it one more range, or write  spare: 0  at the tiers that stay as they are", "network %s has no room for one more zone: no free range is left for tier %s", n.Name, phrase.And(lack))
		}
	}
}}
