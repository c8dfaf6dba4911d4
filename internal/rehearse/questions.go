package rehearse

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
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
	mine     *estate.Estate // a copy of the estate, in which each question sets the ports that replies come to
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
}

// MaxWorkloads is how many workloads a rehearsal tries at most.
const MaxWorkloads = 200

// newScript chooses what to try.
func newScript(e *estate.Estate, opt Options) (*script, error) {
	mine, findings := estate.Build(e.Plan)
	if len(findings) > 0 {
		return nil, fmt.Errorf("the plan has mistakes: %s", findings[0].Message)
	}
	s := &script{e: e, mine: mine, sites: map[*estate.Site][]netip.Addr{}, told: map[Untried]bool{}, cuts: listCuts(e), judges: map[*estate.Network][]flow.Set{}}
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
	s.internet = spread(s.e.Outside, spoken)
	for _, x := range s.e.Sites {
		s.sites[x] = spread(address.SetOf(x.Ranges...), spoken)
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

// spread takes one address in each part of a set that ranges tell apart, up to a few of each family.
func spread(all address.Set, ranges []netip.Prefix) []netip.Addr {
	var out []netip.Addr
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
			if !part.Empty() && len(some) < maxOutside {
				some = append(some, inner(part))
			}
		}
		out = append(out, some...)
	}
	return out
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
			out = append(out, end{w.Name, reach.End{Name: w.Name, Workload: s.mine.Workloads[w.Index]}, a, a, ports})
		}
	}
	ports := s.sourcePorts(s.e.Profile.ReplyPorts, len(s.cast))
	for _, x := range s.e.Sites {
		for _, a := range s.sites[x] {
			if a.Is4() == four {
				out = append(out, end{x.Name, reach.End{Name: x.Name, Site: s.mine.Site(x.Name), Addr: a}, a, a, ports})
			}
		}
	}
	for _, a := range s.internet {
		if a.Is4() == four {
			if found, err := reach.Find(s.mine, a.String()); err == nil && found.Internet {
				found.Name = "internet"
				out = append(out, end{"internet", found, a, a, ports})
			}
		}
	}
	return out
}

// pairs makes the tries between all ends of which one at least is a workload.
func (s *script) pairs() {
	for _, four := range []bool{true, false} {
		all := s.ends(four)
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
				if public, has := to.Workload.PublicLike(to.addr); has && (public != to.addr || from.Internet) {
					to.asks = public
					s.try(from, to, ports)
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
	s.tries = kept
}

// unrelated is a port that no rule is likely to name.
const unrelated = 47011

// maxPorts is how many ports of a protocol are tried of a pair at most.
const maxPorts = 14

// portsOf are the ports to try of a pair: those that one of them listens on or a rule that may be asked names, and one
// that is none of these.
func (s *script) portsOf(from, to end) []Try {
	var sets []flow.Set
	var networks []*estate.Network
	for _, x := range []end{to, from} {
		if w := x.Workload; w != nil {
			sets = append(append(sets, w.Listens, w.TargetPorts), ruled(w)...)
			if n := w.Subnet.Network; !slices.Contains(networks, n) {
				networks = append(networks, n)
			}
		}
	}
	for _, x := range s.e.Plan.Expect {
		sets = append(sets, x.Flows)
	}
	for _, n := range networks {
		sets = append(sets, s.judged(n)...)
	}
	seen := map[string][]uint16{}
	for _, set := range sets {
		for _, x := range set.Spans() {
			if x.Protocol == "icmp" || x.Whole {
				continue
			}
			for _, p := range []uint16{x.First, x.Last} {
				if p != 0 && !slices.Contains(seen[x.Protocol], p) {
					seen[x.Protocol] = append(seen[x.Protocol], p)
				}
			}
		}
	}
	out := []Try{{Protocol: "icmp"}}
	for _, name := range []string{"tcp", "udp"} {
		for _, p := range append(seen[name][:min(len(seen[name]), maxPorts)], unrelated) {
			out = append(out, Try{Protocol: name, Port: p})
		}
	}
	return out
}

// ruled are the flows that the rules of a workload's groups speak of.
func ruled(w *estate.Workload) []flow.Set {
	var out []flow.Set
	for _, g := range w.Groups {
		out = append(out, flowsOf(g.In, g.Out)...)
	}
	return out
}

func flowsOf(rules ...[]estate.Rule) []flow.Set {
	var out []flow.Set
	for _, r := range slices.Concat(rules...) {
		out = append(out, r.Flows)
	}
	return out
}

// judged are the flows that a network's lists, and the groups of its workloads that pass packets on, speak of. It works
// them out once, since every pair asks.
func (s *script) judged(n *estate.Network) []flow.Set {
	out, known := s.judges[n]
	if known {
		return out
	}
	for _, l := range n.Lists {
		out = append(out, flowsOf(l.In, l.Out)...)
	}
	for _, w := range n.Workloads() {
		if w.Forwards {
			out = append(out, ruled(w)...)
		}
	}
	s.judges[n] = out
	return out
}

// maxSourcePorts is how many ports a client tries at most.
const maxSourcePorts = 4

// listCuts are the ports at which a rule of some list begins, or has just ended.
func listCuts(e *estate.Estate) []int {
	seen := map[int]bool{}
	for _, n := range e.Networks {
		for _, l := range n.Lists {
			for _, set := range flowsOf(l.In, l.Out) {
				for _, x := range set.Spans() {
					if x.Protocol != "icmp" && !x.Whole {
						seen[int(x.First)], seen[int(x.Last)+1] = true, true
					}
				}
			}
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// sourcePorts are the ports that a client takes: one in each part of the range of reply ports that lists tell apart. No
// two clients, each with a number of its own, take the same, so that no translation need give one another port.
func (s *script) sourcePorts(replies [2]uint16, number int) []uint16 {
	first, last := int(replies[0]), int(replies[1])
	cuts := []int{first}
	for _, cut := range s.cuts {
		if cut > first && cut <= last {
			cuts = append(cuts, cut)
		}
	}
	cuts = append(cuts, last+1)
	var out []uint16
	for i, next := range cuts[1:] {
		if port := next - 1 - number; port >= cuts[i] { // else the part is too narrow for everybody to have a port of its own
			out = append(out, uint16(port))
		}
	}
	if len(out) > maxSourcePorts {
		out = append(out[:maxSourcePorts-1], out[len(out)-1])
	}
	return out
}

// unshown are the kinds of blockers that a kernel does not show by itself, with the reason.
var unshown = map[string]string{
	"second-nat":     "the kernel would translate a packet twice, which the plan's NAT gateways do not",
	"reply-bypasses": "without TCP, what passes a flow on does not notice that it misses the replies",
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
		s.repliesTo(from, q)
		a := reach.Ask(s.mine, source, asked, flows)
		if len(a.Ways) == 0 {
			s.skip(fmt.Sprintf("%s to %s", from.name, to.name), "they have no address of the same family")
			return
		}
		// A balancer's own door is what is tried here; what it hands on is tried from itself.
		passes, seen := a.Ways[0].Passes, a.Ways[0].SeenAs
		for _, d := range doors {
			if d.Port == q {
				continue
			}
			one := &Try{From: from.name, To: to.name, FromSite: from.Site != nil, ToSite: to.Site != nil, Src: from.addr, Dst: to.asks, Protocol: d.Protocol, Port: d.Port, SourcePort: q}
			if d.Protocol == "icmp" {
				one.SourcePort = 0
				if i > 0 {
					continue // it has no ports
				}
			}
			if one.Says = passes.Covers(d.flows()); one.Says {
				one.SeenAs = seen
			}
			if why := hidden(a, one); why != "" {
				s.skip(fmt.Sprintf("%s to %s", from.name, to.name), why)
				continue
			}
			s.tries = append(s.tries, one)
		}
	}
}

// repliesTo sets the port that replies come to in the questions of an end.
func (s *script) repliesTo(from end, port uint16) {
	s.mine.Profile.ReplyPorts = [2]uint16{port, port}
	if w := from.Workload; w != nil {
		w.Subnet.Network.Profile.ReplyPorts = [2]uint16{port, port}
	}
}

// hidden says why a kernel cannot show what is to become of a try; empty when it can.
func hidden(a *reach.Answer, t *Try) string {
	for _, b := range a.Blockers {
		why, is := unshown[b.Code]
		if is && (b.Code != "reply-bypasses" || t.Protocol != "tcp") {
			return why
		}
		if b.Code == "reply-to-internet" && t.Protocol == "udp" {
			return "without TCP, a gateway cannot tell a stray reply from a new flow"
		}
	}
	return ""
}

// expectations finds, for each line of expect, the tries that speak of it, and what reach makes of it.
func (s *script) expectations() {
	for _, r := range expect.Run(s.e, nil) {
		x := Expected{Expectation: r.Expectation, Says: r.Holds}
		from, errFrom := reach.FindEnds(s.e, r.From)
		to, errTo := reach.FindEnds(s.e, r.To)
		var speak []*Try
		if errFrom == nil && errTo == nil {
			for _, t := range s.tries {
				if names(from, t.From, t.Src) && names(to, t.To, t.Dst) && (to.One != nil && to.One.Addr.IsValid() || s.byName(t)) && r.Flows.Covers(t.flows()) {
					speak = append(speak, t)
				}
			}
		}
		s.expected = append(s.expected, x)
		s.lines = append(s.lines, speak)
	}
}

func (t *Try) flows() flow.Set {
	f, _ := flow.Parse(t.Flow())
	return f
}

// byName reports whether a try is by the address that a line of expect means: the private one, but from the internet.
func (s *script) byName(t *Try) bool {
	w := s.e.Workload(t.To)
	return w == nil || t.From == "internet" || slices.Contains(w.Addrs, t.Dst)
}

// names reports whether ends have the end of a name, or the address when they are one address.
func names(e reach.Ends, name string, addr netip.Addr) bool {
	if e.One == nil {
		return slices.ContainsFunc(e.Many, func(w *estate.Workload) bool { return w.Name == name })
	}
	if e.One.Addr.IsValid() {
		return e.One.Addr == addr
	}
	return e.One.Name == name
}

// judge says what the tries made of each expectation.
func (s *script) judge() []Expected {
	for i := range s.expected {
		x := &s.expected[i]
		x.Tries = len(s.lines[i])
		x.Holds = true
		for _, t := range s.lines[i] {
			got, behind := s.passedOn(t, x.Never)
			if got == x.Never {
				x.Holds = false
				x.Why = fmt.Sprintf("%s to %s on %s: the packets %s%s", t.From, t.To, t.Flow(), passed(got), behind)
				break
			}
		}
		if x.Tries == 0 {
			x.Holds = x.Says
			x.Why = "nothing of it could be tried"
		}
	}
	return s.expected
}

// passedOn reports whether a try passed, and where its target is a balancer, whether what that hands on passes to every
// target, or to any; behind names the target that settled it.
func (s *script) passedOn(t *Try, any bool) (yes bool, behind string) {
	w := s.e.Workload(t.To)
	if w == nil || len(w.Targets) == 0 || !t.Passed {
		return t.Passed, ""
	}
	on := w.TargetPorts
	if on.Empty() {
		on = t.flows()
	}
	for _, target := range w.Targets {
		all := true
		for _, o := range s.tries {
			if o.From == w.Name && o.To == target.Name && slices.Contains(target.Addrs, o.Dst) && on.Covers(o.flows()) {
				all = all && o.Passed
			}
		}
		if all == any {
			return any, ", handed on to " + target.Name
		}
	}
	return !any, ""
}

func passed(yes bool) string {
	if yes {
		return "passed"
	}
	return "did not pass"
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
