package address

import (
	"net/netip"
	"slices"
)

// Special is one entry of the IANA IPv4 and IPv6 special-purpose address registries (RFC 6890, updated by RFC 8190),
// or the multicast space beside them.
type Special struct {
	Range  netip.Prefix
	Name   string // what the registry calls it
	Source string // the RFC that sets it aside
	Global bool   // whether the registry lets the internet carry it
}

// specials is ordered so that a more specific entry comes before the one that holds it.
var specials = []Special{
	special("0.0.0.0/32", "this host on this network", "RFC 1122", false),
	special("0.0.0.0/8", "this network", "RFC 791", false),
	special("10.0.0.0/8", "private use", "RFC 1918", false),
	special("100.64.0.0/10", "shared address space", "RFC 6598", false),
	special("127.0.0.0/8", "loopback", "RFC 1122", false),
	special("169.254.0.0/16", "link-local", "RFC 3927", false),
	special("172.16.0.0/12", "private use", "RFC 1918", false),
	special("192.0.0.0/29", "IPv4 service continuity", "RFC 7335", false),
	special("192.0.0.8/32", "IPv4 dummy address", "RFC 7600", false),
	special("192.0.0.9/32", "port control protocol anycast", "RFC 7723", true),
	special("192.0.0.10/32", "relay traversal anycast", "RFC 8155", true),
	special("192.0.0.170/31", "NAT64 and DNS64 discovery", "RFC 8880", false),
	special("192.0.0.0/24", "IETF protocol assignments", "RFC 6890", false),
	special("192.0.2.0/24", "documentation", "RFC 5737", false),
	special("192.31.196.0/24", "AS112 service", "RFC 7535", true),
	special("192.52.193.0/24", "automatic multicast tunnels", "RFC 7450", true),
	special("192.88.99.0/24", "deprecated 6to4 relay anycast", "RFC 7526", false),
	special("192.168.0.0/16", "private use", "RFC 1918", false),
	special("192.175.48.0/24", "direct delegation AS112 service", "RFC 7534", true),
	special("198.18.0.0/15", "benchmarking", "RFC 2544", false),
	special("198.51.100.0/24", "documentation", "RFC 5737", false),
	special("203.0.113.0/24", "documentation", "RFC 5737", false),
	special("224.0.0.0/4", "multicast", "RFC 5771", false),
	special("255.255.255.255/32", "limited broadcast", "RFC 8190", false),
	special("240.0.0.0/4", "reserved", "RFC 1112", false),

	special("::1/128", "loopback", "RFC 4291", false),
	special("::/128", "unspecified address", "RFC 4291", false),
	special("::ffff:0:0/96", "IPv4-mapped", "RFC 4291", false),
	special("64:ff9b::/96", "IPv4-IPv6 translation", "RFC 6052", true),
	special("64:ff9b:1::/48", "local IPv4-IPv6 translation", "RFC 8215", false),
	special("100::/64", "discard-only", "RFC 6666", false),
	special("100:0:0:1::/64", "dummy prefix", "RFC 9780", false),
	special("2001:1::1/128", "port control protocol anycast", "RFC 7723", true),
	special("2001:1::2/128", "relay traversal anycast", "RFC 8155", true),
	special("2001::/32", "tunnelling over UDP", "RFC 4380", false),
	special("2001:2::/48", "benchmarking", "RFC 5180", false),
	special("2001:3::/32", "automatic multicast tunnels", "RFC 7450", true),
	special("2001:4:112::/48", "AS112 service", "RFC 7535", true),
	special("2001:10::/28", "deprecated cryptographic hash identifiers", "RFC 4843", false),
	special("2001:20::/28", "cryptographic hash identifiers", "RFC 7343", true),
	special("2001:30::/28", "drone remote identification", "RFC 9374", true),
	special("2001:db8::/32", "documentation", "RFC 3849", false),
	special("2001::/23", "IETF protocol assignments", "RFC 2928", false),
	special("2002::/16", "6to4", "RFC 3056", false),
	special("2620:4f:8000::/48", "direct delegation AS112 service", "RFC 7534", true),
	special("3fff::/20", "documentation", "RFC 9637", false),
	special("5f00::/16", "segment routing identifiers", "RFC 9602", false),
	special("fc00::/7", "unique-local", "RFC 4193", false),
	special("fe80::/10", "link-local unicast", "RFC 4291", false),
	special("ff00::/8", "multicast", "RFC 4291", false),
}

func special(r, name, source string, global bool) Special {
	return Special{netip.MustParsePrefix(r), name, source, global}
}

// Specials are all entries, a more specific one before the one that holds it.
func Specials() []Special { return slices.Clone(specials) }

// SpecialOf is the most specific registry entry that holds the whole of p, and whether there is one.
func SpecialOf(p netip.Prefix) (Special, bool) {
	for _, s := range specials {
		if Covers(s.Range, p) {
			return s, true
		}
	}
	return Special{}, false
}

// HoldsSpecial reports whether p holds a registry entry, or lies in one.
func HoldsSpecial(p netip.Prefix) bool {
	return slices.ContainsFunc(specials, func(s Special) bool { return s.Range.Overlaps(p) })
}

// public is every address that the internet carries, with the documentation ranges in place of real ones.
var public = func() Set {
	var hidden, carried []netip.Prefix
	for _, s := range specials {
		if s.Global || s.Name == "documentation" {
			carried = append(carried, s.Range)
		} else {
			hidden = append(hidden, s.Range)
		}
	}
	return All().Minus(SetOf(hidden...)).Union(SetOf(append(carried, StandIns)...))
}()

// StandIns are addresses of reserved space (RFC 1112 section 4), which no plan can hold and no network has: they stand for
// public addresses that a cloud has yet to give, so that packets can be told apart by them. They are never shown.
var StandIns = netip.MustParsePrefix("240.0.0.0/8")

// Word is how answers name an address: itself, or as the plan does where it stands for one that a cloud has yet to give.
func Word(a netip.Addr) string {
	if StandIns.Contains(a) {
		return "assigned"
	}
	return a.String()
}

// Public is the set of addresses that the internet carries, counting the documentation ranges and the stand-ins as public.
func Public() Set { return public }

// IsPublic reports whether the internet carries a: it is not private, shared, loopback, link-local, multicast or
// otherwise special, or it stands in a documentation range or for one that a cloud has yet to give.
func IsPublic(a netip.Addr) bool { return public.Contains(a) }
