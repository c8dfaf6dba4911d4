package reach

import (
	"net/netip"
	"slices"

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

	part  address.Set // those addresses of the internet, or of a site, that are meant; empty for all of a site
	whole address.Set // those that its name means, where part may be less; empty for all of a site
}

// EndOf is the end that a workload is.
func EndOf(x *estate.Workload) End { return End{Name: x.Name, Workload: x} }

// outside reports whether the end is the internet or a site, or a part of one.
func (e End) outside() bool { return e.Internet || e.Site != nil }

// Outside is the name of the internet or of a site, and those of its addresses that the end means; ok is false of a workload
// and of an address of a network.
func (e End) Outside() (name string, part address.Set, ok bool) {
	part = e.part
	switch {
	case e.Addr.IsValid() && e.outside():
		part = address.SetOf(address.Single(e.Addr))
	case e.Site != nil && part.Empty():
		part = address.SetOf(e.Site.Ranges...)
	}
	switch {
	case e.Internet:
		return plan.Internet, part, true
	case e.Site != nil:
		return e.Site.Name, part, true
	}
	return "", address.Set{}, false
}

// Only is the end with some of the addresses alone that the internet or a site has.
func (e End) Only(part address.Set) End {
	if e.outside() {
		e.part = part
	}
	return e
}

// object is the workload, site or network of the end; nil for the internet.
func (e End) object() estate.Object {
	switch {
	case e.Workload != nil:
		return e.Workload
	case e.Site != nil:
		return e.Site
	case e.Network != nil:
		return e.Network
	}
	return nil
}

// network is the network that the end lives in; nil for a site and the internet.
func (e End) network() *estate.Network {
	if e.Workload != nil {
		return e.Workload.Network()
	}
	return e.Network
}

// owner names what the end lives in, or is.
func (e End) owner() string {
	switch {
	case e.network() != nil:
		return "network " + e.network().Name
	case e.Site != nil:
		return "site " + e.Site.Name
	}
	return "the internet"
}

// Ends are one end of a question, or many workloads.
type Ends struct {
	Name string
	One  *End               // nil when it is many
	Many []*estate.Workload // those of a network, tier or subnet that have a place in the estate

	// Unsettled is one of their workloads that has no place in the estate yet, and a subnet without a range; nil when there
	// is none.
	Unsettled *estate.Workload

	in []estate.Object // the networks that Many are of
}

// Objects are the networks that the ends live in, or the sites that they are; none for the internet.
func (e Ends) Objects() []estate.Object {
	switch {
	case e.One == nil:
		return e.in
	case e.One.network() != nil:
		return []estate.Object{e.One.network()}
	case e.One.Site != nil:
		return []estate.Object{e.One.Site}
	}
	return nil
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
	case e.Internet || !e.part.Empty():
		return !ofFamily(e.part, f).Empty()
	case e.Site != nil:
		return !ofFamily(address.SetOf(e.Site.Ranges...), f).Empty()
	}
	return true
}

// call names some of the end's addresses: the only one, a few ranges, the end itself for all, or what else it has.
func (e End) call(some address.Set) string {
	f := family(some.First())
	all, name := e.whole, "any public IPv6 address"
	if f.Is4() {
		name = "any public IPv4 address"
	}
	if e.Site != nil {
		all, name = address.SetOf(e.Site.Ranges...), "site "+e.Site.Name
	}
	if _, err := netip.ParsePrefix(e.Name); err == nil {
		all, name = e.whole, e.Name
	}
	switch {
	case some.Empty() || some.IsSingle():
		return address.Word(some.First())
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
	case e.Site != nil && !e.part.Empty():
		return ofFamily(e.part, f)
	case e.Site != nil:
		return ofFamily(address.SetOf(e.Site.Ranges...), f)
	}
	return ofFamily(e.part, f)
}

// Means reports whether the end has an address of what has a name: of a workload or site, or of the internet.
func (e End) Means(name string, a netip.Addr) bool {
	switch {
	case e.Addr.IsValid():
		return e.Addr == a
	case e.Internet:
		return name == plan.Internet && e.part.Contains(a)
	case e.Site != nil && !e.part.Empty():
		return name == e.Site.Name && e.part.Contains(a)
	case e.Site != nil:
		return name == e.Site.Name
	}
	return e.Name == name
}

// Without are the ends without those of others: addresses of the internet or a site, or workloads.
func (e Ends) Without(o Ends) Ends {
	gone := map[*estate.Workload]bool{}
	for _, x := range o.Many {
		gone[x] = true
	}
	if o.One != nil && o.One.Workload != nil {
		gone[o.One.Workload] = true
	}
	if e.One == nil || e.One.Workload != nil {
		left := e
		left.Many = nil
		some := e.Many
		if e.One != nil {
			some, left.One = []*estate.Workload{e.One.Workload}, nil
		}
		for _, x := range some {
			if !gone[x] {
				left.Many = append(left.Many, x)
			}
		}
		return left
	}
	if e.One.isAddr(o.One) {
		return Ends{Name: e.Name}
	}
	less := o.outsideOf(e)
	if less.Empty() {
		return e
	}
	left := e.outsideOf(o).Minus(less)
	if left.Empty() {
		return Ends{Name: e.Name}
	}
	one := e.One.Only(left)
	return Ends{Name: e.Name, One: &one}
}

// isAddr reports whether two ends are one address.
func (e End) isAddr(o *End) bool { return o != nil && e.Addr.IsValid() && e.Addr == o.Addr }

// outsideOf are those addresses that the ends have of the internet, or of the site, that others are; nothing where they are neither.
func (e Ends) outsideOf(o Ends) address.Set {
	if e.One == nil || o.One == nil || e.One.Internet != o.One.Internet || e.One.Site != o.One.Site {
		return address.Set{}
	}
	_, part, _ := e.One.Outside()
	return part
}

// Meets reports whether two ends may have somebody in common.
func (e Ends) Meets(o Ends) bool {
	all := map[*estate.Workload]bool{}
	if e.One != nil && e.One.Workload != nil {
		all[e.One.Workload] = true
	}
	for _, x := range e.Many {
		all[x] = true
	}
	if o.One != nil && o.One.Workload != nil && all[o.One.Workload] {
		return true
	}
	if slices.ContainsFunc(o.Many, func(x *estate.Workload) bool { return all[x] }) {
		return true
	}
	return !e.outsideOf(o).Intersect(o.outsideOf(e)).Empty() || e.One != nil && e.One.isAddr(o.One)
}

// In are the same ends in another estate, by name; ok is false where one is not there.
func (e Ends) In(o *estate.Estate) (in Ends, ok bool) {
	in = Ends{Name: e.Name}
	if e.One != nil {
		one, err := Find(o, e.One.Name)
		if err != nil {
			return in, false
		}
		if e.One.Workload == nil {
			one = one.Only(e.One.part)
		}
		in.One = &one
		return in, true
	}
	for _, x := range e.Many {
		w := o.Workload(x.Name)
		if w == nil || !w.Settled() {
			return in, false
		}
		in.Many = append(in.Many, w)
	}
	for _, x := range e.in {
		if n := o.Network(x.ID()); n != nil {
			in.in = append(in.in, n)
		}
	}
	return in, true
}
