package reach

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// Direction is into or out of what a filter guards.
type Direction string

// The directions.
const (
	In  Direction = "in"
	Out Direction = "out"
)

// word is what stands between the flows and the far end in a rule of this direction.
func (d Direction) word() string {
	if d == In {
		return "from"
	}
	return "to"
}

// far is the address of the packet that a rule of this direction speaks of.
func (d Direction) far(p packet) role {
	if d == In {
		return p.src
	}
	return p.dst
}

// matches reports whether a rule of network n speaks of an address, and narrows the address's side accordingly.
func matches(n *estate.Network, r estate.Rule, far role) bool {
	switch {
	case r.Peer.Any:
		return true
	case r.Peer.Range.IsValid():
		return far.inRange(r.Peer.Range)
	case r.Group.Network != n && !n.Profile.PeerGroups:
		return false
	case far.side == nil || far.side.single:
		return r.Group.Has(far.Addr)
	}
	return far.within(membersOf(r.Group))
}

func membersOf(g *estate.Group) address.Set {
	var all []netip.Prefix
	for _, m := range g.Members {
		for _, a := range m.Addrs {
			all = append(all, address.Single(a))
		}
	}
	return address.SetOf(all...)
}

// wanted are the flows that must pass in this direction: those asked for, or all their replies.
func (w *walker) wanted() flow.Set {
	if w.back {
		return w.replies()
	}
	return w.asked
}

// ruling is what rules made of what is wanted.
type ruling struct {
	far             role
	wanted, allowed flow.Set
	passing         []estate.Rule // those that let some of it pass
	against         []estate.Rule // of a list, the first that denies some of it; of groups, those that speak of it and of others
	nth             int           // the number of the rule of a list that denies, from 1
}

// missing is what is wanted and does not pass.
func (r *ruling) missing() flow.Set { return r.wanted.Minus(r.allowed) }

// judgeList judges a packet by a list: the first rule that matches decides, and an implicit deny ends it.
func (w *walker) judgeList(l *estate.List, dir Direction, p packet) *ruling {
	rules := l.In
	if dir == Out {
		rules = l.Out
	}
	r := &ruling{far: dir.far(p), wanted: w.wanted()}
	undecided := flow.Any()
	for i, x := range rules {
		if undecided.Empty() {
			break
		}
		if !matches(l.Network, x, r.far) {
			continue
		}
		decides := x.Flows.Intersect(undecided)
		undecided = undecided.Minus(x.Flows)
		switch concerned := !decides.Intersect(r.wanted).Empty(); {
		case x.Allow:
			r.allowed = r.allowed.Union(decides)
			if concerned {
				r.passing = append(r.passing, x)
			}
		case concerned && r.nth == 0:
			r.nth, r.against = x.Nth, rules[i:i+1]
		}
	}
	return r
}

// judgeGroups judges a packet by the groups of a workload. One allowing rule of any group is enough. With no group
// everything goes out, and nothing comes in.
func (w *walker) judgeGroups(x *estate.Workload, dir Direction, p packet) *ruling {
	r := &ruling{far: dir.far(p), wanted: w.wanted()}
	if len(x.Groups) == 0 && dir == Out {
		r.allowed = flow.Any()
	}
	for _, g := range x.Groups {
		rules := g.In
		if dir == Out {
			rules = g.Out
		}
		for _, rule := range rules {
			switch concerned := !rule.Flows.Intersect(r.wanted).Empty(); {
			case matches(g.Network, rule, r.far):
				r.allowed = r.allowed.Union(rule.Flows)
				if concerned {
					r.passing = append(r.passing, rule)
				}
			case concerned:
				r.against = append(r.against, rule)
			}
		}
	}
	return r
}

// flowText names flows in a message, as replies on the way back.
func (w *walker) flowText(s flow.Set) string {
	if w.back {
		return "the reply (" + s.String() + ")"
	}
	return s.String()
}

// listBlocks is what is wrong where a list does not let all pass that is wanted.
func (w *walker) listBlocks(l *estate.List, dir Direction, r *ruling) diag.Finding {
	place, missing := l.Place().To(string(dir)), r.missing()
	f := diag.Finding{Code: map[Direction]diag.Code{In: ListIn, Out: ListOut}[dir], At: l.At(), Place: place}
	why := fmt.Sprintf("no rule of list %s lets", l.Name)
	if r.nth > 0 {
		f.At = r.against[0].At
		why = fmt.Sprintf("the rule %q of list %s does not let", r.against[0].Text, l.Name)
	}
	f.Fixes = ruleFix(place, r.nth, "allow "+missing.Rule(), dir, w.askers(nil, r.far))
	f.Message = fmt.Sprintf("%s %s %s %s %s", why, w.flowText(missing), dir, dir.word(), w.describe(r.far))
	return f
}

// groupsBlock is what is wrong where the groups of a workload do not let all pass that is wanted.
func (w *walker) groupsBlock(x *estate.Workload, dir Direction, r *ruling) diag.Finding {
	if len(x.Groups) == 0 {
		return diag.Finding{Code: NoGroup, At: x.At(), Place: x.Place(), Message: fmt.Sprintf("%s is in no group, so nothing comes in", x.Name), Fixes: w.groupFor(x, r)}
	}
	var names []string
	for _, g := range x.Groups {
		names = append(names, g.Name)
	}
	groups := "group " + names[0]
	if len(names) > 1 {
		groups = "groups " + phrase.And(names)
	}
	g, missing := x.Groups[0], r.missing()
	place := g.Place().To(string(dir))
	f := diag.Finding{Code: map[Direction]diag.Code{In: GroupIn, Out: GroupOut}[dir], At: g.At(), Place: place,
		Message: fmt.Sprintf("no rule of %s lets %s %s %s %s", groups, w.flowText(missing), dir, dir.word(), w.describe(r.far)),
		Fixes:   ruleFix(place, 0, missing.Rule(), dir, w.askers(g.Network, r.far))}
	if len(r.against) > 0 {
		near := r.against[0]
		f.At = near.At
		f.Message += "; the nearest is " + near.Text
		if near.Group != nil && near.Group.Network != g.Network && !g.Network.Profile.PeerGroups {
			f.Message += fmt.Sprintf(", and under profile %s a group of another network matches nothing", g.Network.Profile.Name)
		}
	}
	return f
}

// groupFor puts a workload that is in no group into one of its network that lets all in that is missing, and out whatever
// goes out today; into one of its own where there is none.
func (w *walker) groupFor(x *estate.Workload, r *ruling) []diag.Fix {
	var fits *estate.Group
	for _, g := range x.Subnet.Network.Groups {
		out := slices.ContainsFunc(g.Out, func(o estate.Rule) bool { return o.Peer.Any && o.Flows.Equal(flow.Any()) })
		var in flow.Set
		for _, rule := range g.In {
			if rule.Peer.Any || !r.far.divisible() && matches(g.Network, rule, role{Addr: r.far.Addr}) {
				in = in.Union(rule.Flows)
			}
		}
		if out && in.Covers(r.wanted) && (fits == nil || len(g.In) < len(fits.In)) {
			fits = g
		}
	}
	name := x.Name
	if x.Set != nil {
		name = x.Set.Name
	}
	for slices.ContainsFunc(x.Subnet.Network.Groups, func(g *estate.Group) bool { return g.Name == name }) {
		name += "-in"
	}
	var all [][]text.Edit
	if fits != nil {
		all = append(all, []text.Edit{text.Set(x.Place(), "groups", text.Words(fits.Name))})
	}
	for _, peers := range w.askers(x.Subnet.Network, r.far) {
		var in []string
		for _, peer := range peers {
			in = append(in, r.wanted.Rule()+" from "+peer)
		}
		group := text.Map(text.Field{Key: "in", Value: text.Words(in...)}, text.Field{Key: "out", Value: text.Words("any to any")})
		all = append(all, []text.Edit{text.Set(x.Subnet.Network.Place().To("groups"), name, group), text.Set(x.Place(), "groups", text.Words(name))})
	}
	return inTurn(all)
}

// inTurn is the fix that makes the first of some edits, and may make any of the others instead.
func inTurn(all [][]text.Edit) []diag.Fix {
	if len(all) == 0 {
		return nil
	}
	return []diag.Fix{{Edits: all[0], Instead: all[1:]}}
}

// ruleFix adds a rule to those of one direction, before number nth where that is not 0, for the widest of those who may
// have asked.
func ruleFix(place text.Path, nth int, allow string, dir Direction, askers [][]string) []diag.Fix {
	var all [][]text.Edit
	for _, peers := range askers {
		var edits []text.Edit
		for _, peer := range peers {
			edits = append(edits, text.Edit{Path: place, Nth: nth, Value: text.Word(fmt.Sprintf("%s %s %s", allow, dir.word(), peer))})
		}
		all = append(all, edits)
	}
	return inTurn(all)
}

// maxAskers is how many ranges a fix names, before it speaks of less.
const maxAskers = 4

// askers are ways in which a rule can name an address, the widest first: the group of network n that the workload with it
// is in, the ranges of its tier or its subnet, and the address alone. Without n it names no group.
func (w *walker) askers(n *estate.Network, far role) [][]string {
	alone := []string{w.peerText(far)}
	x := w.asker(far)
	if x == nil {
		return [][]string{alone}
	}
	var all [][]string
	if n != nil && len(x.Groups) > 0 {
		few := slices.MinFunc(x.Groups, func(a, b *estate.Group) int { return len(a.Members) - len(b.Members) })
		switch {
		case few.Network == n:
			all = append(all, []string{"group " + few.Name})
		case n.Profile.PeerGroups:
			all = append(all, []string{"group " + few.ID()})
		}
	}
	subnet := rangesLike(far.Addr, x.Subnet.Ranges)
	if t := x.Subnet.Tier; t != nil {
		var ranges []netip.Prefix
		for _, s := range t.Subnets {
			ranges = append(ranges, s.Ranges...)
		}
		if tier := rangesLike(far.Addr, ranges); len(tier) > 0 && x.Subnet.Network.Subnet(t.Name) == nil {
			all = append(all, []string{t.ID()}) // by name, so that it follows the tier
		}
	}
	if len(subnet) > 0 && len(subnet) <= maxAskers { // there are none of a family that the subnet does not have
		all = append(all, subnet)
	}
	return append(all, alone)
}

// asker is the end that has an address as its own; nil when the address is another's, or is seen in the place of its own.
func (w *walker) asker(r role) *estate.Workload {
	for _, x := range []*estate.Workload{w.from.Workload, w.to.Workload} {
		if x == nil {
			continue
		}
		if a, has := x.AddrLike(r.Addr); has && a == r.Addr && !r.divisible() {
			return x
		}
	}
	return nil
}

// rangesLike are the ranges of the family of a, as few as they come to.
func rangesLike(a netip.Addr, ranges []netip.Prefix) []string {
	var words []string
	for _, p := range address.SetOf(ranges...).Clip(Everywhere(a)).Ranges() {
		words = append(words, p.String())
	}
	return words
}

// peerText is how a rule would name an address: as the smallest range that serves the question.
func (w *walker) peerText(far role) string {
	if far.side == nil || far.side.single {
		return address.Single(far.Addr).String()
	}
	for _, s := range []*estate.Site{w.from.Site, w.to.Site} {
		if s == nil {
			continue
		}
		for _, r := range s.Ranges {
			if r.Contains(far.Addr) && len(w.e.Named(s.Name)) == 1 {
				return s.Name // which has all its ranges
			} else if r.Contains(far.Addr) {
				return r.String()
			}
		}
	}
	return "any"
}

// rangeText is how a route would name an address: as peerText, with everything as a range.
func (w *walker) rangeText(far role) string {
	if text := w.peerText(far); text != "any" {
		return text
	}
	return Everywhere(far.Addr).String()
}
