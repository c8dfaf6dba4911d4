package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
)

// direction is into or out of what a filter guards.
type direction string

const (
	inward  direction = "in"
	outward direction = "out"
)

// word is what stands between the flows and the far end in a rule of this direction.
func (d direction) word() string {
	if d == inward {
		return "from"
	}
	return "to"
}

// far is the address of the packet that a rule of this direction speaks of.
func (d direction) far(p packet) role {
	if d == inward {
		return p.src
	}
	return p.dst
}

// trace is what a quiet walk leaves behind: the filters that the packet and its reply must pass.
type trace struct {
	there, back []gate
	kept        bool // whether something on the way must remember the packet, to know its reply
	own         bool // whether it depended on the source's own address where it goes
}

// gate is a list, or the groups of a host, and the address that its rules judge.
type gate struct {
	list *estate.List
	host *estate.Workload
	dir  direction
	far  role
}

func (t *trace) note(w *walker, g gate) {
	if w.back {
		t.back = append(t.back, g)
	} else {
		t.there = append(t.there, g)
	}
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
		return w.replies(w.asked)
	}
	return w.asked
}

// list judges a packet by the list of a subnet: the first rule that matches decides, and an implicit deny ends it.
func (w *walker) list(s *estate.Subnet, dir direction, p packet) {
	l := s.List
	if l == nil {
		return
	}
	if w.quiet != nil {
		w.quiet.note(w, gate{list: l, dir: dir, far: dir.far(p)})
		return
	}
	rules := l.In
	if dir == outward {
		rules = l.Out
	}
	far, wanted := dir.far(p), w.wanted()
	var allowed flow.Set
	undecided := flow.Any()
	firstDeny, passing := -1, []estate.Rule(nil)
	for i, r := range rules {
		if undecided.Empty() {
			break
		}
		if !matches(l.Network, r, far) {
			continue
		}
		decides := r.Flows.Intersect(undecided)
		undecided = undecided.Minus(r.Flows)
		switch concerned := !decides.Intersect(wanted).Empty(); {
		case r.Allow:
			allowed = allowed.Union(decides)
			if concerned {
				passing = append(passing, r)
			}
		case concerned && firstDeny < 0:
			firstDeny = i
		}
	}
	where := fmt.Sprintf("list %s/%s, %s", l.Network.Name, l.Name, dir)
	w.left = w.left.Intersect(allowed)
	missing := wanted.Minus(allowed)
	if missing.Empty() {
		w.hop("list", where, passing[0].At, "%s", quoteRules(passing))
		return
	}
	place := fmt.Sprintf("networks.%s.lists.%s.%s", l.Network.Name, l.Name, dir)
	f := plan.Finding{Code: "list-" + string(dir), At: l.Plan.Name.At, Place: place}
	add := fmt.Sprintf("allow %s %s %s", missing.Rule(), dir.word(), w.peerText(far))
	edit := plan.Edit{Path: strings.Split(place, "."), Value: plan.Word(add)}
	why := fmt.Sprintf("no rule of list %s lets", l.Name)
	f.Fix = fmt.Sprintf("add  %s  to %s", add, place)
	if firstDeny >= 0 {
		f.At, edit.Before = rules[firstDeny].At, firstDeny+1
		why = fmt.Sprintf("the rule %q of list %s does not let", rules[firstDeny].Text, l.Name)
		f.Fix += ", before that rule"
	}
	f.Edits = []plan.Edit{edit}
	f.Message = fmt.Sprintf("%s %s %s %s %s", why, w.flowText(missing), dir, dir.word(), w.describe(far))
	w.narrow("list", where, f, allowed, wanted, passing)
}

// flowText names flows in a message, as replies on the way back.
func (w *walker) flowText(s flow.Set) string {
	if w.back {
		return "the reply (" + s.String() + ")"
	}
	return s.String()
}

// narrow notes a filter that lets only some of what is wanted pass, or nothing.
func (w *walker) narrow(kind, where string, f plan.Finding, allowed, wanted flow.Set, passing []estate.Rule) {
	f.Severity = plan.Error
	what := f.Message
	if through := allowed.Intersect(wanted); !through.Empty() {
		f.Severity = plan.Warning
		what = fmt.Sprintf("only %s: %s", w.flowText(through), quoteRules(passing))
	}
	w.hops = append(w.hops, Hop{Kind: kind, Where: where, What: what, At: f.At, Stops: f.Severity == plan.Error, Left: w.left})
	w.addBlocker(f)
}

// groups judges a packet by the groups of a workload. Groups remember flows, so the reply to one that they let through
// is never judged. One allowing rule of any group is enough.
func (w *walker) groups(x *estate.Workload, dir direction, p packet) {
	far := dir.far(p)
	switch {
	case w.quiet != nil:
		w.quiet.note(w, gate{host: x, dir: dir, far: far})
		return
	case len(x.Groups) == 0:
		w.withoutGroup(x, dir)
		return
	}
	wanted := w.wanted()
	var allowed flow.Set
	var passing, near []estate.Rule
	for _, g := range x.Groups {
		rules := g.In
		if dir == outward {
			rules = g.Out
		}
		for _, r := range rules {
			switch concerned := !r.Flows.Intersect(wanted).Empty(); {
			case matches(g.Network, r, far):
				allowed = allowed.Union(r.Flows)
				if concerned {
					passing = append(passing, r)
				}
			case concerned:
				near = append(near, r)
			}
		}
	}
	var names []string
	for _, g := range x.Groups {
		names = append(names, g.Name)
	}
	where := fmt.Sprintf("%s, groups %s, %s", x.Name, strings.Join(names, " "), dir)
	if len(names) == 1 {
		where = fmt.Sprintf("%s, group %s, %s", x.Name, names[0], dir)
	}
	w.left = w.left.Intersect(allowed)
	missing := wanted.Minus(allowed)
	if missing.Empty() {
		w.hop("workload", where, passing[0].At, "%s", quoteRules(passing))
		return
	}
	g := x.Groups[0]
	place := fmt.Sprintf("networks.%s.groups.%s.%s", g.Network.Name, g.Name, dir)
	add := fmt.Sprintf("%s %s %s", missing.Rule(), dir.word(), w.peerText(far))
	f := plan.Finding{Code: "group-" + string(dir), At: g.Plan.Name.At, Place: place,
		Message: fmt.Sprintf("no rule of %s lets %s %s %s %s", phrase("group", names), w.flowText(missing), dir, dir.word(), w.describe(far)),
		Fix:     fmt.Sprintf("add  %s  to %s", add, place),
		Edits:   []plan.Edit{{Path: strings.Split(place, "."), Value: plan.Word(add)}}}
	if len(near) > 0 {
		f.At = near[0].At
		f.Message += "; the nearest is " + quoteRules(near[:1])
		if r := near[0]; r.Group != nil && r.Group.Network != g.Network && !g.Network.Profile.PeerGroups {
			f.Message += fmt.Sprintf(", and under profile %s a group of another network matches nothing", g.Network.Profile.Name)
		}
	}
	w.narrow("workload", where, f, allowed, wanted, passing)
}

// withoutGroup judges a workload that is in no group: everything goes out, and nothing comes in.
func (w *walker) withoutGroup(x *estate.Workload, dir direction) {
	if dir == outward {
		w.hop("workload", x.Name, x.Plan.Name.At, "it is in no group, so everything goes out")
		return
	}
	f := plan.Finding{Code: "no-group", At: x.Plan.Name.At, Place: "workloads." + x.Name,
		Message: fmt.Sprintf("%s is in no group, so nothing comes in", x.Name), Fix: "put it into a group that lets this in:  groups: [...]"}
	if known := x.Subnet.Network.Groups; len(known) > 0 {
		var names []string
		for _, g := range known[:min(len(known), 8)] {
			names = append(names, g.Name)
		}
		f.Fix = fmt.Sprintf("put it into a group that lets this in; network %s has %s", x.Subnet.Network.Name, and(names))
	}
	w.left = flow.Set{}
	w.narrow("workload", x.Name, f, flow.Set{}, w.wanted(), nil)
}

// quoteRules writes up to two rules, and how many more there are.
func quoteRules(rules []estate.Rule) string {
	var words []string
	for _, r := range rules {
		if !slices.Contains(words, r.Text) {
			words = append(words, r.Text)
		}
	}
	if len(words) > 2 {
		return fmt.Sprintf("%s; %s; and %d more", words[0], words[1], len(words)-2)
	}
	return strings.Join(words, "; ")
}

// phrase is "group web", or "groups web and app".
func phrase(thing string, names []string) string {
	if len(names) == 1 {
		return thing + " " + names[0]
	}
	return thing + "s " + and(names)
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
			if r.Contains(far.Addr) {
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
	return everywhere(far.Addr).String()
}
