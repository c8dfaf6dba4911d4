// Package renumber moves a network, a subnet, a tier, a held part or the ranges of a cluster to other ranges: all in the plan that
// speaks of the old ones follows, each workload keeps its place within its subnet, and what lies outside the plan is told.
package renumber

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Request is what is to move, and where to.
type Request struct {
	Name string         // a network, network/subnet, network/tier, network/held part, cluster/pods or cluster/services
	To   []netip.Prefix // its new ranges, one of a family or of each; empty for the nearest free place
	From string         // the block of space that they are to come from; empty for the one around it
	Bits int            // the length of its new IPv4 range; 0 for that of the old one
}

// Move is a range, and where it goes.
type Move struct{ Was, Is netip.Prefix }

// Does is what it does, as the verb of a sentence: it moves, or grows or shrinks where it is.
func (m Move) Does(many bool) string {
	word := "move"
	switch {
	case m.Was == m.Is || !m.Was.Overlaps(m.Is):
	case m.Is.Bits() < m.Was.Bits():
		word = "grow"
	default:
		word = "shrink"
	}
	if many {
		return word
	}
	return word + "s"
}

// Result is what moving comes to.
type Result struct {
	What    string // the kind and name of what moves
	Moves   []Move
	Changes text.Changes
	After   *estate.Estate
	Told    []string // what is to be asked for outside the plan, each in a sentence without its full stop
	Left    []string // what speaks of the old ranges, and cannot be written
}

// Of works out a move. The error is a *wrong.Error.
func Of(e *estate.Estate, q Request) (*Result, error) {
	r := &renumberer{e: e, Result: &Result{After: e}, survey: space.NewSurvey(e, nil)}
	if err := r.find(q); err != nil {
		return nil, err
	}
	if err := r.place(q); err != nil {
		return nil, err
	}
	r.whose()
	r.rewrite()
	r.outside()
	if len(r.Changes) == 0 {
		return r.Result, nil
	}
	after, problems, err := e.With(r.Changes)
	if err == nil && len(problems) > len(e.Problems) {
		for _, p := range problems {
			if !slices.ContainsFunc(e.Problems, func(o diag.Finding) bool { return o.Message == p.Message }) {
				err = fmt.Errorf("%s", p.Message)
				break
			}
		}
	}
	if err != nil {
		return nil, wrong.Value("nothing was written; choose another range with  -to", "it cannot be moved there: %s", err)
	}
	r.After = after
	return r.Result, nil
}

type renumberer struct {
	*Result
	e      *estate.Estate
	survey *space.Survey
	was    []netip.Prefix
	moved  estate.Object
	net    *estate.Network // that it is, or a part of
	others bool            // whether somebody else has some of the old ranges, so that who is meant must be told apart
	meets  *meet.Map
	sets   map[string]bool
}

// find finds what is to move, and its ranges.
func (r *renumberer) find(q Request) error {
	network, part, inside := strings.Cut(q.Name, "/")
	if c := slices.IndexFunc(r.e.Clusters, func(c *estate.Cluster) bool { return c.Name == network }); inside && c >= 0 && (part == "pods" || part == "services") {
		x := r.e.Clusters[c]
		r.moved, r.What = x, fmt.Sprintf("the %s of cluster %s", part, x.Name)
		if r.was = x.Pods; part == "services" {
			r.was = x.Services
		}
		return r.ranged(q)
	}
	n := r.e.Network(network)
	switch {
	case n != nil && !inside:
		r.moved, r.What = n, "network "+n.Name
		for _, p := range n.Plan.Ranges {
			r.was = append(r.was, p.Prefix)
		}
		if len(r.was) == 0 {
			r.was = slices.Clone(n.Ranges) // of one that is the sum of its subnets
		}
		return r.ranged(q)
	case n != nil:
		for _, o := range r.e.Named(q.Name) {
			switch o := o.(type) {
			case *estate.Subnet:
				r.moved, r.What, r.was = o, "subnet "+o.ID(), o.Ranges
			case *estate.Tier:
				if r.moved == nil {
					r.moved, r.What = o, "tier "+o.ID()
					for _, four := range []bool{true, false} {
						var all []netip.Prefix
						for _, s := range o.Subnets {
							for _, p := range s.Ranges {
								if p.Addr().Is4() == four {
									all = append(all, p)
								}
							}
						}
						if len(all) > 0 {
							r.was = append(r.was, address.Around(address.SetOf(all...)))
						}
					}
				}
			}
		}
		for _, h := range n.Held {
			if h.Name == part && r.moved == nil {
				r.moved, r.What, r.was = h, "held part "+h.ID(), h.Ranges
			}
		}
		if r.moved != nil {
			return r.ranged(q)
		}
	}
	right := "name a network, network/subnet, network/tier, network/held part, cluster/pods or cluster/services"
	if near := r.e.Near(q.Name, estate.NetworkKind, estate.SubnetKind, estate.TierKind); near != "" {
		right = "did you mean " + near + "?"
	}
	return wrong.Value(right, "there is nothing called %q that could move", q.Name)
}

func (r *renumberer) ranged(q Request) error {
	if len(r.was) == 0 {
		return wrong.Value("wendrik carve  gives it one", "%s has no range that could move", r.What)
	}
	fixed := false
	switch x := r.moved.(type) {
	case *estate.Network:
		fixed = x.Plan.Fixed.Value
	case *estate.Cluster:
		fixed = x.Plan.Fixed.Value
	}
	if fixed {
		return wrong.Value("take  fixed: true  out first, if that is not so any more", "%s is fixed: its ranges are not ours to change", r.What)
	}
	return nil
}

// place says where each range goes.
func (r *renumberer) place(q Request) error {
	var from *estate.Block
	if q.From != "" {
		if from = r.e.Block(q.From); from == nil {
			return wrong.Value("name a block of space", "there is no block %q", q.From)
		}
	}
	if len(q.To) > 0 {
		for _, to := range q.To {
			i := slices.IndexFunc(r.was, func(p netip.Prefix) bool {
				return p.Addr().Is4() == to.Addr().Is4() && !slices.ContainsFunc(r.Moves, func(m Move) bool { return m.Was == p })
			})
			switch {
			case i < 0:
				return wrong.Value("give one range for each that it has", "%s has no range for %s to take the place of", r.What, to)
			case q.Bits != 0 && to.Addr().Is4() && to.Bits() != q.Bits:
				return wrong.Value(fmt.Sprintf("give a /%d, or leave the size out", q.Bits), "%s is of another size than /%d", to, q.Bits)
			}
			if err := r.fits(Move{r.was[i], to}); err != nil {
				return err
			}
			if to != r.was[i] {
				r.Moves = append(r.Moves, Move{r.was[i], to})
			}
		}
		return nil
	}
	if q.Bits != 0 {
		return r.resize(q.Bits, from)
	}
	// The nearest free place for its IPv4 range; those of IPv6 stay, unless it has nothing else.
	taken := slices.Clone(r.was)
	for _, p := range r.was {
		if !p.Addr().Is4() && slices.ContainsFunc(r.was, func(o netip.Prefix) bool { return o.Addr().Is4() }) {
			continue
		}
		free, where := r.room(p, from)
		to, found := address.Nearest(free.Minus(address.SetOf(taken...)), p)
		if !found {
			return wrong.Value("name another block with  -from,  or a range with  -to", "no /%d is free for %s in %s", p.Bits(), r.What, where)
		}
		r.Moves, taken = append(r.Moves, Move{p, to}), append(taken, to)
	}
	return nil
}

// resize gives the IPv4 range another size: in place where what is around it is free, or else at the nearest place that is.
func (r *renumberer) resize(bits int, from *estate.Block) error {
	four := slices.DeleteFunc(slices.Clone(r.was), func(p netip.Prefix) bool { return !p.Addr().Is4() })
	if _, tier := r.moved.(*estate.Tier); tier || len(four) != 1 {
		return wrong.Value("name one of its parts", "%s has %s of IPv4, and a size is of one range", r.What, phrase.Count(len(four), "range"))
	}
	if bits < 1 || bits > 32 {
		return wrong.Value("give one from /1 to /32", "/%d is no size of an IPv4 range", bits)
	}
	was := four[0]
	meant := netip.PrefixFrom(was.Addr(), bits).Masked()
	free, where := r.room(was, from)
	if to := meant; to != was && free.Union(address.SetOf(was)).ContainsRange(to) && r.fits(Move{was, to}) == nil {
		r.Moves = append(r.Moves, Move{was, to})
		return nil
	}
	if meant == was {
		return nil
	}
	to, found := address.Nearest(free.Minus(address.SetOf(was)), meant)
	if !found {
		return wrong.Value("name another block with  -from,  or a range with  -to", "no /%d is free for %s in %s", bits, r.What, where)
	}
	r.Moves = append(r.Moves, Move{was, to})
	return r.fits(r.Moves[len(r.Moves)-1])
}

// fits reports whether all that has an address or a range in what moves has room in a place of another size.
func (r *renumberer) fits(m Move) error {
	if m.Is.Bits() <= m.Was.Bits() {
		return nil
	}
	within := func(p netip.Prefix) bool {
		to := shifted(p, m)
		return !address.Covers(m.Was, p) || p == m.Was || address.Covers(m.Is, to) && backed(to, p, m)
	}
	for _, n := range r.e.Networks {
		if r.moved != estate.Object(n) && !strings.HasPrefix(r.moved.ID(), n.Name+"/") {
			continue
		}
		for _, s := range n.Subnets {
			for _, p := range s.Ranges {
				if r.moved == estate.Object(n) && !within(p) {
					return wrong.Value("move it first, or choose a larger size", "%s has no room for subnet %s (%s)", m.Is, s.ID(), p)
				}
			}
		}
		for _, h := range n.Held {
			for _, p := range h.Ranges {
				if r.moved == estate.Object(n) && !within(p) {
					return wrong.Value("move it first, or choose a larger size", "%s has no room for held part %s (%s)", m.Is, h.ID(), p)
				}
			}
		}
		for _, w := range n.Workloads() {
			for _, a := range w.Addrs {
				if !within(address.Single(a)) {
					return wrong.Value("choose a larger size", "%s has no room for workload %s (%s)", m.Is, w.Name, a)
				}
			}
		}
		for _, g := range n.Gateways {
			for _, a := range g.Addrs {
				if !within(address.Single(a)) {
					return wrong.Value("choose a larger size", "%s has no room for NAT gateway %s (%s)", m.Is, g.ID(), a)
				}
			}
		}
	}
	return nil
}

// backed reports whether what went to a range comes from there alone: nothing else of the old place goes there, too.
func backed(to, from netip.Prefix, m Move) bool {
	return m.Is.Overlaps(m.Was) || shifted(to, Move{m.Is, m.Was}) == from
}

// room is what is free for a range: in the network of a part, else in a block.
func (r *renumberer) room(p netip.Prefix, from *estate.Block) (address.Set, string) {
	if from != nil {
		return r.survey.FreeIn(from), "block " + from.Name
	}
	var n *estate.Network
	switch o := r.moved.(type) {
	case *estate.Subnet:
		n = o.Network
	case *estate.Tier:
		n = o.Network
	case *estate.Held:
		n = o.Network
	}
	if n != nil && len(n.Plan.Ranges) > 0 {
		var ranges []netip.Prefix
		for _, x := range n.Plan.Ranges {
			ranges = append(ranges, x.Prefix)
		}
		return r.survey.FreeInNetwork(ranges), "network " + n.Name
	}
	var around *estate.Block
	for _, b := range r.e.Blocks {
		for _, x := range b.Ranges {
			if !b.Held && address.Covers(x, p) && (around == nil || x.Bits() >= around.Ranges[0].Bits()) {
				around = b
			}
		}
	}
	if around != nil {
		return r.survey.FreeIn(around), "block " + around.Name
	}
	if special, is := address.SpecialOf(p); is {
		return address.SetOf(special.Range).Minus(r.survey.Occupied), special.Range.String()
	}
	return address.Set{}, "the space that it lies in"
}

// follow is where a range that lies in what moves goes; false for one that does not.
func (r *renumberer) follow(p netip.Prefix) (netip.Prefix, bool) {
	for _, m := range r.Moves {
		if address.Covers(m.Was, p) {
			to := shifted(p, m)
			return to, to != p
		}
	}
	return p, false
}

// shifted is a range as far behind the start of the new place as it is behind that of the old one.
func shifted(p netip.Prefix, m Move) netip.Prefix {
	if p.Bits() == m.Was.Bits() {
		return m.Is
	}
	if m.Is.Overlaps(m.Was) { // it grows or shrinks where it is, and all in it stays
		return p
	}
	if n, inside := address.PieceNumber(m.Was, p); inside {
		if to, fits := address.Piece(m.Is, p.Bits(), n); fits {
			return to
		}
	}
	return netip.PrefixFrom(moveAddr(p.Addr(), m), p.Bits())
}

// moveAddr keeps the bits of an address behind the length of the range; one in what grows or shrinks where it is stays.
func moveAddr(a netip.Addr, m Move) netip.Addr {
	if m.Is.Overlaps(m.Was) {
		return a
	}
	was, is := a.AsSlice(), m.Is.Addr().AsSlice()
	for i := range was {
		for bit := range 8 {
			if at := i*8 + bit; at < max(m.Is.Bits(), m.Was.Bits()) {
				mask := byte(1) << (7 - bit)
				was[i] = was[i]&^mask | is[i]&mask
			}
		}
	}
	out, _ := netip.AddrFromSlice(was)
	return out
}

// followAddr is likewise where an address goes.
func (r *renumberer) followAddr(a netip.Addr) (netip.Addr, bool) {
	for _, m := range r.Moves {
		if m.Was.Contains(a) {
			to := moveAddr(a, m)
			return to, to != a
		}
	}
	return a, false
}

// besides are the new ranges that a wider range must be joined by, so that it means what it did: it held all of what moves, and
// does not hold the new place.
func (r *renumberer) besides(p netip.Prefix) []netip.Prefix {
	var all []netip.Prefix
	for _, m := range r.Moves {
		if p.Bits() > 0 && p.Bits() < m.Was.Bits() && p.Contains(m.Was.Addr()) && !address.Covers(p, m.Is) {
			all = append(all, m.Is)
		}
	}
	return all
}

// whose finds the network of what moves, and whether somebody else has some of its ranges.
func (r *renumberer) whose() {
	r.meets = meet.Of(r.e)
	r.net, _ = r.moved.(*estate.Network)
	if c, is := r.moved.(*estate.Cluster); is {
		r.net = c.Network
	}
	for _, n := range r.e.Networks {
		if strings.HasPrefix(r.moved.ID(), n.Name+"/") {
			r.net = n
		}
	}
	overlaps := func(all []netip.Prefix) bool {
		return slices.ContainsFunc(all, func(p netip.Prefix) bool {
			return slices.ContainsFunc(r.Moves, func(m Move) bool { return m.Was.Overlaps(p) })
		})
	}
	_, cluster := r.moved.(*estate.Cluster)
	for _, n := range r.e.Networks {
		r.others = r.others || (n != r.net || cluster) && overlaps(n.Ranges)
	}
	for _, s := range r.e.Sites {
		r.others = r.others || overlaps(s.Ranges)
	}
	for _, c := range r.e.Clusters {
		r.others = r.others || r.moved != estate.Object(c) && overlaps(append(slices.Clone(c.Pods), c.Services...))
	}
}

// means reports whether somebody who speaks of the old ranges means what moves.
func (r *renumberer) means(who estate.Object) bool {
	return !r.others || r.net == nil || who == estate.Object(r.net) || r.meets.Meet(who, r.net)
}

// leadsThere reports whether a route of those that speak of the old ranges leads to what moves, as far as its next hop says.
func (r *renumberer) leadsThere(via string) bool {
	if !r.others || r.net == nil {
		return true
	}
	if s := r.e.Site(via); s != nil {
		return false
	}
	if p := r.e.Peering(via); p != nil {
		return p.Between[0] == r.net || p.Between[1] == r.net
	}
	if n := r.e.Network(via); n != nil {
		return n == r.net
	}
	return true
}

// outside tells what must be asked for where the plan does not reach.
func (r *renumberer) outside() {
	_, cluster := r.moved.(*estate.Cluster)
	if len(r.Moves) == 0 || cluster {
		return
	}
	n, m := r.net, r.meets
	for _, s := range r.e.Sites {
		speaks := slices.ContainsFunc(s.Knows, func(p netip.Prefix) bool {
			return slices.ContainsFunc(r.Moves, func(m Move) bool { return m.Was.Overlaps(p) })
		})
		if n == nil || !speaks && !m.Meet(s, n) {
			continue
		}
		who := "site " + s.Name
		if owner := s.Plan.Owner.Value; owner != "" {
			who += " (" + owner + ")"
		}
		for _, mv := range r.Moves {
			words := fmt.Sprintf("its firewalls need for %s what they have for %s", mv.Is, mv.Was)
			if !slices.ContainsFunc(s.Knows, func(p netip.Prefix) bool { return address.Covers(p, mv.Is) }) {
				words = fmt.Sprintf("its routers need a route to %s, and its firewalls what they have for %s", mv.Is, mv.Was)
			}
			if !mv.Was.Overlaps(mv.Is) {
				words += "; both until the move is done"
			}
			r.Told = append(r.Told, who+": "+words)
		}
	}
}
