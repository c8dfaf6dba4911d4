package rehearse

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file chooses what to try, and asks reach what to expect of it.

// end is one address that packets are sent from or to.
type end struct {
	name string
	reach.End
	addr  netip.Addr // that the end itself has
	asks  netip.Addr // that others send to
	takes []uint16   // the ports that it takes as a client
}

// script is all that is to be tried on an estate.
type script struct {
	e        *estate.Estate
	cast     []*estate.Workload
	internet []netip.Addr
	sites    map[*estate.Site][]netip.Addr
	tries    []*Try
	untried  []Untried
	told     map[Untried]bool
	expected []Expected
	lines    [][]*Try // of each expectation
	cuts     []int    // the ports at which lists begin to say something else
	judges   map[*estate.Network][]flow.Set
	others   [][]reach.Ends     // of each expectation, whom it keeps out by naming others
	owners   map[netip.Addr]int // how many ends have an address
}

// MaxWorkloads is how many workloads a rehearsal tries at most.
const MaxWorkloads = 200

// newScript chooses what to try.
func newScript(e *estate.Estate, opt Options) (*script, error) {
	s := &script{e: e, sites: map[*estate.Site][]netip.Addr{}, told: map[Untried]bool{}, cuts: listCuts(e), judges: map[*estate.Network][]flow.Set{}}
	only := map[string]bool{}
	for _, name := range opt.Only {
		if e.Network(name) == nil {
			return nil, fmt.Errorf("there is no network %s", name)
		}
		only[name] = true
	}
	for _, w := range e.Workloads {
		switch {
		case !w.Settled():
			s.skip("workload "+w.Name, "it has no range or no address yet")
		case len(only) == 0 || only[w.Subnet.Network.Name]:
			s.cast = append(s.cast, w)
		}
	}
	if len(s.cast) > MaxWorkloads {
		return nil, fmt.Errorf("a rehearsal of %d workloads is too large: at most %d, so name some networks with -only", len(s.cast), MaxWorkloads)
	}
	s.outside()
	s.pairs()
	if opt.Most > 0 {
		s.thin(opt.Most)
	}
	s.expectations()
	return s, nil
}

// skip notes something that is not tried.
func (s *script) skip(what, why string) {
	u := Untried{what, why}
	if !s.told[u] {
		s.told[u] = true
		s.untried = append(s.untried, u)
	}
}

// maxOutside is how many addresses of a site or the internet are tried at most, in each family.
const maxOutside = 5

// outside chooses addresses of the internet and the sites: one in each range that rules and routes tell apart, and one
// in the rest.
func (s *script) outside() {
	spoken := s.spoken()
	some := func(name string, all address.Set) []netip.Addr {
		addrs, left := spread(all, spoken)
		if left > 0 {
			s.skip(fmt.Sprintf("%d of the parts of %s that rules and routes tell apart, or more", left, name), fmt.Sprintf("no more than %d addresses of each family are tried of it", maxOutside))
		}
		return addrs
	}
	s.internet = some("the internet", s.e.Outside)
	for _, x := range s.e.Sites {
		s.sites[x] = some("site "+x.Name, address.SetOf(x.Ranges...))
	}
}

// spoken are the ranges that rules, routes and sites speak of.
func (s *script) spoken() []netip.Prefix {
	seen := map[netip.Prefix]bool{}
	var out []netip.Prefix
	add := func(p netip.Prefix) {
		if p.IsValid() && p.Bits() > 0 && !seen[p] {
			seen[p] = true
			out = append(out, p)
		}
	}
	rules := func(all []estate.Rule) {
		for _, r := range all {
			add(r.Peer.Range)
		}
	}
	for _, n := range s.e.Networks {
		for _, g := range n.Groups {
			rules(g.In)
			rules(g.Out)
		}
		for _, l := range n.Lists {
			rules(l.In)
			rules(l.Out)
		}
		for _, t := range n.Tables {
			for _, r := range t.Routes {
				add(r.To)
			}
		}
	}
	for _, h := range s.e.Hubs {
		for _, t := range h.Tables {
			for _, r := range t.Routes {
				add(r.To)
			}
		}
	}
	return out
}

// spread takes one address in each part of a set that ranges tell apart, up to a few of each family; left is how many
// parts it has seen beyond those.
func spread(all address.Set, ranges []netip.Prefix) (out []netip.Addr, left int) {
	for _, family := range []netip.Prefix{netip.MustParsePrefix("0.0.0.0/0"), netip.MustParsePrefix("::/0")} {
		set := all.Clip(family)
		parts := []address.Set{set}
		for _, p := range ranges {
			var finer []address.Set
			for _, part := range parts {
				in := part.Clip(p)
				if in.Empty() || len(parts)+len(finer) > 4*maxOutside {
					finer = append(finer, part)
					continue
				}
				finer = append(finer, in)
				if rest := part.Minus(in); !rest.Empty() {
					finer = append(finer, rest)
				}
			}
			parts = finer
		}
		// The smallest parts are those that a rule means.
		slices.SortStableFunc(parts, func(a, b address.Set) int { return a.Count().Cmp(b.Count()) })
		var some []netip.Addr
		for _, part := range parts {
			switch {
			case part.Empty():
			case len(some) < maxOutside:
				some = append(some, inner(part))
			default:
				left++
			}
		}
		out = append(out, some...)
	}
	return out, left
}

// examples are the ranges set aside for documentation (RFC 5737, RFC 3849): packets to them mean nobody.
var examples = []netip.Prefix{netip.MustParsePrefix("198.51.100.0/24"), netip.MustParsePrefix("192.0.2.0/24"), netip.MustParsePrefix("203.0.113.0/24"), netip.MustParsePrefix("2001:db8::/32")}

// inner is an address of a set, an example where it has one, and not the first of its range, which may stand for the
// range itself.
func inner(s address.Set) netip.Addr {
	for _, p := range examples {
		if part := s.Clip(p); !part.Empty() {
			s = part
			break
		}
	}
	first := s.First()
	if next := first.Next(); next.IsValid() && s.Contains(next) {
		return next
	}
	return first
}

// ends are all ends that packets are sent between, in one family.
func (s *script) ends(four bool) []end {
	family := netip.IPv6Unspecified()
	if four {
		family = netip.IPv4Unspecified()
	}
	var out []end
	for i, w := range s.cast {
		if a, has := w.AddrLike(family); has {
			ports := s.sourcePorts(w.Subnet.Network.Profile.ReplyPorts, i)
			out = append(out, end{w.Name, reach.EndOf(w), a, a, ports})
		}
	}
	ports := s.sourcePorts(s.e.Profile.ReplyPorts, len(s.cast))
	for _, x := range s.e.Sites {
		for _, a := range s.sites[x] {
			if a.Is4() == four {
				out = append(out, end{x.Name, reach.End{Name: x.Name, Site: x, Addr: a}, a, a, ports})
			}
		}
	}
	for _, a := range s.internet {
		if a.Is4() == four {
			if found, err := reach.Find(s.e, a.String()); err == nil && found.Internet {
				found.Name = "internet"
				out = append(out, end{"internet", found, a, a, ports})
			}
		}
	}
	return out
}

// pairs makes the tries between all ends of which one at least is a workload.
func (s *script) pairs() {
	s.owners = map[netip.Addr]int{}
	for _, w := range s.e.Workloads { // those that are not tried may answer all the same
		for _, a := range w.Addrs {
			s.owners[a]++
		}
	}
	for _, n := range s.e.Networks {
		for _, g := range n.Gateways {
			for _, a := range g.Addrs {
				s.owners[a]++
			}
		}
	}
	for _, four := range []bool{true, false} {
		all := s.ends(four)
		var stranger netip.Addr
		for _, x := range all {
			if x.Workload == nil {
				s.owners[x.addr]++
			}
			if x.Internet && !stranger.IsValid() {
				stranger = x.addr
			}
		}
		for _, from := range all {
			for _, to := range all {
				if from.Workload == nil && to.Workload == nil || from.Workload != nil && from.Workload == to.Workload {
					continue
				}
				ports := s.portsOf(from, to)
				if !from.Internet {
					s.try(from, to, ports)
				}
				if to.Workload == nil {
					continue
				}
				// By its public address, where that is another one.
				public, has := to.Workload.PublicLike(to.addr)
				switch {
				case has && (public != to.addr || from.Internet):
					to.asks = public
					s.try(from, to, ports)
				case !has && from.Internet && from.addr == stranger:
					s.try(from, to, ports[:1]) // by its private one, which the internet is not to carry: one of the internet's stands for all
				}
			}
		}
	}
}

// thin leaves out some of the tries that should not pass.
func (s *script) thin(most int) {
	stopped := 0
	for _, t := range s.tries {
		if !t.Says {
			stopped++
		}
	}
	var kept []*Try
	n := 0
	for _, t := range s.tries {
		if !t.Says {
			n++
			if n*most/max(stopped, 1) == (n-1)*most/max(stopped, 1) && stopped > most {
				continue
			}
		}
		kept = append(kept, t)
	}
	if left := len(s.tries) - len(kept); left > 0 {
		s.skip(fmt.Sprintf("%d exchanges that should not pass", left), "some were asked for, spread evenly")
	}
	s.tries = kept
}

// unshown are the kinds of blockers that a kernel does not show by itself, with the reason.
var unshown = map[diag.Code]string{
	reach.ReplyBypasses: "without TCP, the kernel's firewall does not notice that it misses the replies",
	reach.ReplyUnknown:  "without TCP, the kernel's firewall takes a reply for a flow that begins",
}

// try adds the tries of one pair of ends, in one family.
func (s *script) try(from, to end, doors []Try) {
	asked := to.End
	if to.Workload != nil {
		asked.Addr = to.asks
	}
	var flows flow.Set
	for _, d := range doors {
		flows = flows.Union(d.flows())
	}
	source := from.End
	for i, q := range from.takes {
		a := reach.Ask(s.e, reach.Question{From: source, To: asked, Flows: flows, Replies: reach.Ports{First: q, Last: q}})
		if len(a.Ways) == 0 {
			s.skip(fmt.Sprintf("%s to %s", from.name, to.name), "they have no address of the same family")
			return
		}
		// A balancer's own door is what is tried here; what it hands on is tried from itself.
		passes, seen := a.Ways[0].Full, a.Ways[0].SeenAs
		for _, d := range doors {
			if d.Port == q {
				continue
			}
			one := &Try{From: from.name, To: to.name, FromSite: from.Site != nil, ToSite: to.Site != nil, Src: from.addr, Dst: to.asks, Protocol: d.Protocol, Port: d.Port, SourcePort: q, shared: s.owners[to.asks] > 1}
			if d.Protocol == "icmp" {
				one.SourcePort = 0
				if i > 0 {
					continue // it has no ports
				}
			}
			if one.Says = passes.Covers(d.flows()); one.Says {
				one.SeenAs = seen
			}
			why := hidden(a, one)
			if d.Protocol == "icmp" && one.shared {
				why = fmt.Sprintf("more than one end has the address %s, and an echo does not say who answers it", to.asks)
			}
			if why == "" && one.Says && outBySix(a) {
				why = "replies come into a network by one cable here, and its internet gateway has a table of its own for what comes in"
			}
			if why != "" {
				s.skip(fmt.Sprintf("%s to %s", from.name, to.name), why)
				continue
			}
			s.tries = append(s.tries, one)
		}
	}
}

// outBySix reports whether a flow leaves by an egress gateway of a network whose internet gateway has a table for what
// comes in, which the reply does not look into.
func outBySix(a *reach.Answer) bool {
	return slices.ContainsFunc(a.EachWay(), func(w reach.Way) bool {
		return slices.ContainsFunc(w.Forward, func(h reach.Hop) bool {
			g, is := h.Object.(*estate.Gateway)
			if !is || g.Type != estate.EgressGateway {
				return false
			}
			in := g.Network.InternetGateway()
			return in != nil && in.Door != nil
		})
	})
}

// hidden says why a kernel cannot show what is to become of a try; empty when it can.
func hidden(a *reach.Answer, t *Try) string {
	if slices.ContainsFunc(a.Ways, func(w reach.Way) bool { return len(w.Tied) > 0 }) {
		return "it depends on which of several routes of one rank a packet takes, and a kernel takes one of them"
	}
	for _, b := range a.Blockers {
		why, is := unshown[b.Code]
		if is && t.Protocol != "tcp" {
			return why
		}
		if b.Code == reach.ReplyToInternet && t.Protocol == "udp" {
			return "without TCP, a gateway cannot tell a stray reply from a new flow"
		}
	}
	return ""
}

// inOrder sorts tries by the order of the plan.
func inOrder(e *estate.Estate, tries []*Try) {
	rank := func(name string) int {
		if w := e.Workload(name); w != nil {
			return w.Index
		}
		return len(e.Workloads)
	}
	slices.SortStableFunc(tries, func(a, b *Try) int {
		return cmp.Or(cmp.Compare(rank(a.From), rank(b.From)), cmp.Compare(rank(a.To), rank(b.To)))
	})
}
