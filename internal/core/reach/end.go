package reach

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

// End is one end of a question: a workload, a site, the internet, or one address of any of these. The zero End is none.
type End struct {
	Name     string // as asked
	Workload *estate.Workload
	Site     *estate.Site
	Network  *estate.Network // of an address of a network that nobody has
	Internet bool
	Addr     netip.Addr // the one address that was asked for; the zero Addr for all

	outside address.Set // the internet's addresses that belong to nobody in the estate
}

// An UnknownEndError says that a word names no end, or more than one.
type UnknownEndError struct{ Message, Fix string }

func (e *UnknownEndError) Error() string { return e.Message }

// Find finds the end that a word names: a workload, a site, "internet", or an address. An address is that of the
// workload that has it, private or public; else of the site or network that holds it; else one of the internet.
func Find(e *estate.Estate, word string) (End, error) {
	end := End{Name: word}
	if word == "internet" {
		end.Internet, end.outside = true, e.Outside
		return end, nil
	}
	if end.Workload = e.Workload(word); end.Workload != nil {
		if s := end.Workload.Subnet; s == nil || len(end.Workload.Addrs) == 0 {
			return end, &UnknownEndError{fmt.Sprintf("workload %s has no place in the estate yet", word), "give it a subnet and an address"}
		} else if len(s.Ranges) == 0 {
			return end, &UnknownEndError{fmt.Sprintf("workload %s lives in subnet %s, which has no range yet", word, s.Path()), "wendrik carve -write"}
		}
		return end, nil
	}
	if end.Site = e.Site(word); end.Site != nil {
		return end, nil
	}
	a, err := netip.ParseAddr(word)
	if err != nil {
		return end, unknownEnd(e, word)
	}
	return findAddr(e, end, a)
}

func findAddr(e *estate.Estate, end End, a netip.Addr) (End, error) {
	end.Addr = a
	if host := e.Owner(a); host.Workload != nil {
		end.Workload = host.Workload
		return end, nil
	}
	var found []End
	for _, n := range e.Networks {
		if !n.Holds(a) {
			continue
		}
		one := end
		if one.Workload = n.Host(a).Workload; one.Workload == nil {
			one.Network = n
		}
		found = append(found, one)
	}
	for _, s := range e.Sites {
		if s.Holds(a) {
			one := end
			one.Site = s
			found = append(found, one)
		}
	}
	switch {
	case len(found) == 1:
		return found[0], nil
	case len(found) > 1:
		return end, &UnknownEndError{fmt.Sprintf("%s lies in %s and in %s, which overlap", a, found[0].owner(), found[1].owner()), "ask by name"}
	case !address.IsPublic(a):
		return end, &UnknownEndError{fmt.Sprintf("%s is in no network and no site of the estate, and the internet does not carry it", a), "ask for an address of the estate"}
	}
	end.Internet, end.outside = true, address.SetOf(address.Single(a))
	return end, nil
}

func (e End) owner() string {
	switch {
	case e.Workload != nil:
		return "network " + e.Workload.Subnet.Network.Name
	case e.Network != nil:
		return "network " + e.Network.Name
	case e.Site != nil:
		return "site " + e.Site.Name
	}
	return "the internet"
}

// unknownEnd says what a word might have meant.
func unknownEnd(e *estate.Estate, word string) error {
	known := []string{"internet"}
	for _, w := range e.Workloads {
		known = append(known, w.Name)
	}
	for _, s := range e.Sites {
		known = append(known, s.Name)
	}
	for _, n := range e.Networks {
		known = append(known, n.Name)
		for _, t := range n.Tiers {
			known = append(known, n.Name+"/"+t.Name)
		}
		for _, x := range n.Subnets {
			known = append(known, x.Path())
		}
	}
	fix := "ask for a workload, a site, an address, a network, network/tier, network/subnet, or internet"
	if near := plan.Nearest(word, known); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	return &UnknownEndError{fmt.Sprintf("%q is no workload, site, network or address", word), fix}
}

// ofFamily is the part of s that is IPv4 or IPv6.
func ofFamily(s address.Set, f family) address.Set {
	return s.Clip(netip.PrefixFrom(f, 0))
}

// has reports whether the end has any address of a family.
func (e End) has(f family) bool {
	switch {
	case e.Addr.IsValid():
		return e.Addr.Is4() == f.Is4()
	case e.Workload != nil:
		_, found := e.Workload.AddrLike(f)
		return found
	case e.Site != nil:
		return !ofFamily(address.SetOf(e.Site.Ranges...), f).Empty()
	}
	return true
}

// call names some of the end's addresses: the only one, a few ranges, the end itself for all, or what else it has.
func (e End) call(some address.Set) string {
	all := e.outside
	name := "any public address"
	if e.Site != nil {
		all, name = address.SetOf(e.Site.Ranges...), "site "+e.Site.Name
	}
	f := family(some.First())
	switch {
	case some.Empty() || some.IsSingle():
		return some.First().String()
	case some.Equal(ofFamily(all, f)):
		return name
	case len(some.Intervals()) <= 3 && len(some.Ranges()) <= 3:
		return some.String()
	}
	return "the rest of " + e.owner()
}

// addresses are those of a family that the end's packets carry, or that packets to it carry: of a workload, its
// private address, or the public one where that was asked for or the packets come from the internet.
func (e End) addresses(f family, other End, asTarget bool) address.Set {
	switch {
	case e.Workload != nil && !asTarget:
		a, _ := e.Workload.AddrLike(f)
		return address.SetOf(address.Single(a))
	case e.Addr.IsValid():
		return ofFamily(address.SetOf(address.Single(e.Addr)), f)
	case e.Workload != nil:
		a, found := netip.Addr{}, false
		if other.Internet {
			a, found = e.Workload.PublicLike(f)
		}
		if !found {
			a, _ = e.Workload.AddrLike(f)
		}
		return address.SetOf(address.Single(a))
	case e.Site != nil:
		return ofFamily(address.SetOf(e.Site.Ranges...), f)
	}
	return ofFamily(e.outside, f)
}
