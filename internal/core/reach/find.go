package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/wrong"
)

// This file finds ends by what a person or a plan calls them.

// Find finds the end that a word names: a workload, a site, "internet", or an address. An address is that of the
// workload that has it, private or public; else of the site or network that holds it; else one of the internet. The
// error is a *wrong.Error.
func Find(e *estate.Estate, word string) (End, error) {
	ends, err := FindEnds(e, word)
	switch {
	case err != nil:
		return End{Name: word}, err
	case ends.One == nil:
		return End{Name: word}, unknownEnd(e, word)
	}
	return *ends.One, nil
}

// FindEnds finds what a word names: one end, as Find does, or the workloads of a network, network/tier or network/subnet.
// The error is a *wrong.Error.
func FindEnds(e *estate.Estate, word string) (Ends, error) {
	ends, end := Ends{Name: word}, End{Name: word}
	if word == plan.Internet {
		end.Internet, end.part, end.whole = true, e.Outside, e.Outside
		ends.One = &end
		return ends, nil
	}
	found := false
	for _, o := range e.Named(word) {
		switch o := o.(type) {
		case *estate.Workload:
			end.Workload = o
			ends.One, ends.Many = &end, nil
			return ends, settled(o)
		case *estate.Site:
			end.Site = o
			ends.One = &end
		case *estate.Set:
			ends.add(o.Members)
			for _, x := range o.Members {
				if x.Subnet != nil {
					ends.live(x.Subnet.Network)
				}
			}
		case *estate.Network:
			ends.live(o)
			ends.add(o.Workloads())
		case *estate.Tier:
			ends.live(o.Network)
			for _, s := range o.Subnets {
				ends.add(s.Workloads)
			}
			if len(ends.Many) > 0 {
				break
			}
			if i := slices.IndexFunc(e.Workloads, func(x *estate.Workload) bool { return x.Tier == o && !x.Settled() }); i >= 0 {
				ends.Unsettled = e.Workloads[i]
			}
		case *estate.Subnet:
			ends.live(o.Network)
			ends.add(o.Workloads)
		default:
			continue
		}
		found = true
	}
	switch {
	case ends.One != nil:
		ends.Many = nil
	case !found && strings.Contains(word, "/"):
		p, err := address.ParseRange(word)
		before, _, _ := strings.Cut(word, "/")
		switch _, no := netip.ParseAddr(before); {
		case err != nil && no != nil:
			return ends, unknownEnd(e, word)
		case err != nil:
			return ends, wrong.Value(wrong.Right(err), "%s", err)
		}
		return findRange(e, ends, p)
	case !found:
		a, err := netip.ParseAddr(word)
		if err != nil {
			return ends, unknownEnd(e, word)
		}
		end, err = findAddr(e, end, a)
		ends.One = &end
		return ends, err
	}
	return ends, nil
}

// live adds a network that they are of, once.
func (e *Ends) live(n *estate.Network) {
	if !slices.Contains(e.in, estate.Object(n)) {
		e.in = append(e.in, n)
	}
}

// add adds the workloads that have a place in the estate, each once.
func (e *Ends) add(all []*estate.Workload) {
	had := map[*estate.Workload]bool{}
	for _, x := range e.Many {
		had[x] = true
	}
	for _, x := range all {
		if x.Settled() && !had[x] {
			e.Many = append(e.Many, x)
		} else if !had[x] && e.Unsettled == nil {
			e.Unsettled = x
		}
	}
}

// settled says why a workload cannot be an end yet; nil when it can.
func settled(w *estate.Workload) error {
	switch s := w.Subnet; {
	case w.Network() == nil:
		return wrong.Value("put it into a subnet or tier that there is", "workload %s has no place in the estate", w.Name)
	case s == nil || !w.Settled():
		return wrong.Value("carve gives it one", "workload %s %s", w.Name, w.Waiting())
	}
	return nil
}

func findAddr(e *estate.Estate, end End, a netip.Addr) (End, error) {
	end.Addr = a
	if address.StandIns.Contains(a) {
		return end, wrong.Value("ask for an address of the estate", "%s is in no network and no site of the estate, and the internet does not carry it", a)
	}
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
		return end, wrong.Value("ask by name", "%s lies in %s and in %s, which overlap", a, found[0].owner(), found[1].owner())
	case !address.IsPublic(a):
		return end, wrong.Value("ask for an address of the estate", "%s is in no network and no site of the estate, and the internet does not carry it", a)
	}
	end.Internet, end.part = true, address.SetOf(address.Single(a))
	end.whole = end.part
	return end, nil
}

// unknownEnd says what a word might have meant.
func unknownEnd(e *estate.Estate, word string) error {
	fix := "ask for a workload, a site, an address, a network, network/tier, network/subnet, or internet"
	if near := e.Near(word, estate.EndKinds...); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	} else if near := diag.Nearest(word, []string{plan.Internet}); near != "" {
		fix = fmt.Sprintf("did you mean %s?", near)
	}
	return wrong.Value(fix, "%q is no workload, site, network or address", word)
}

// findRange finds the ends that a range is: a part of the internet or of a site, or the workloads in it.
func findRange(e *estate.Estate, ends Ends, p netip.Prefix) (Ends, error) {
	set := address.SetOf(p)
	for _, x := range e.Workloads {
		if x.Settled() && slices.ContainsFunc(x.Addrs, p.Contains) {
			ends.Many = append(ends.Many, x)
		}
	}
	var ones []End
	for _, s := range e.Sites {
		if some := address.SetOf(s.Ranges...).Intersect(set); !some.Empty() {
			ones = append(ones, End{Name: ends.Name, Site: s, part: some, whole: some})
		}
	}
	if some := e.Outside.Intersect(set); !some.Empty() {
		ones = append(ones, End{Name: ends.Name, Internet: true, part: some, whole: some})
	}
	switch {
	case len(ones) == 1 && len(ends.Many) == 0:
		ends.One = &ones[0]
	case len(ones) > 1 || len(ones) == 1:
		return ends, wrong.Value("ask for a range of one of them", "%s holds addresses of several: of %s and of others", p, ones[0].owner())
	case len(ends.Many) == 0:
		return ends, wrong.Value("ask for a range that holds one", "no workload, site or public address lies in %s", p)
	}
	for _, x := range ends.Many {
		ends.live(x.Subnet.Network)
	}
	return ends, nil
}
