// Package grow makes room in an estate whose tiers are to hold more hosts, or live in more zones, than they were carved for: what can grow
// where it is does, what must move moves, and what is missing is carved.
package grow

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/carve"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/renumber"
	"wendrik/internal/core/space"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Request is what is to have room.
type Request struct {
	Names []string // networks, or tiers as network/tier; all that lack room for none
	Hosts int      // what the one tier that is named is to hold in each place; 0 for what it says
	Zone  string   // a zone that is new in the region of the one network that is named; empty for none
	Stay  bool     // whether nothing may move: what has no room where it is gets further subnets beside it
}

// Step is one range, and what becomes of it.
type Step struct {
	What string       // subnet booking/app-a
	Was  netip.Prefix // not valid for what is new
	Is   netip.Prefix
	Does string // grows, moves, or is new
	Why  string
}

// Result is what making room comes to.
type Result struct {
	Steps  []Step
	After  *estate.Estate
	Told   []string // what is to be asked for outside the plan
	NoRoom []string // what still lacks room, and what would give it, each in a sentence without its full stop
}

// Waiting are the networks of those asked for, by name, whose tiers say hosts and that have no range yet: they have room for nobody, and it is
// not for grow to carve them first.
func Waiting(e *estate.Estate, names []string) (all []string) {
	g := &grower{q: Request{Names: names}}
	for _, n := range e.Networks {
		if len(n.Ranges) == 0 && slices.ContainsFunc(n.Tiers, func(t *estate.Tier) bool { return t.Plan.Hosts.Given() && g.asked(n.Name, t.Name) }) {
			all = append(all, n.Name)
		}
	}
	return all
}

// Of makes room. The error is a *wrong.Error, for what is asked for and is not there.
func Of(e *estate.Estate, q Request) (*Result, error) {
	g := &grower{Result: &Result{After: e}, q: q}
	if err := g.begin(); err != nil {
		return nil, err
	}
	for _, n := range e.Networks { // by name, since each step makes another estate
		for _, t := range n.Tiers {
			if g.asked(n.Name, t.Name) {
				was := *g.Result
				if told := len(g.NoRoom); !g.tier(n.Name, t.Name) { // a tier grows wholly, or stays as it is
					was.NoRoom = append(was.NoRoom, g.NoRoom[told:]...)
					if *g.Result = was; q.Hosts > 0 {
						g.After, g.Told = e, nil // and what was asked for it is not said either
					}
				}
			}
		}
	}
	g.carve()
	return g.Result, nil
}

type grower struct {
	*Result
	q Request
}

// apply makes changes.
func (g *grower) apply(edits ...text.Edit) error {
	after, problems, err := g.After.With(text.Changes{{Edits: edits}}.OnLines())
	if err != nil {
		return err
	}
	if len(problems) > len(g.After.Problems) {
		return fmt.Errorf("%s", problems[len(problems)-1].Message)
	}
	g.After = after
	return nil
}

// begin looks whether what is named is there, and writes what is said of it.
func (g *grower) begin() error {
	for _, name := range g.q.Names {
		network, tier, inside := strings.Cut(name, "/")
		n := g.After.Network(network)
		if n == nil || inside && n.Tier(tier) == nil {
			right := "name a network, or a tier as network/tier"
			if near := g.After.Near(name, estate.NetworkKind, estate.TierKind); near != "" {
				right = "did you mean " + near + "?"
			}
			return wrong.Value(right, "there is no network and no tier called %q", name)
		}
	}
	one := ""
	if len(g.q.Names) == 1 {
		one = g.q.Names[0]
	}
	network, tier, inside := strings.Cut(one, "/")
	if g.q.Hosts > 0 {
		if !inside {
			return wrong.Value("name one, as in  wendrik grow booking/app -hosts 900", "hosts are those of one tier")
		}
		if err := g.apply(text.Set(g.After.Network(network).Tier(tier).Place(), "hosts", text.Word(fmt.Sprint(g.q.Hosts)))); err != nil {
			return wrong.Value("write it into the plan yourself", "the hosts of %s cannot be written: %s", one, err)
		}
	}
	if g.q.Zone == "" {
		return nil
	}
	n := g.After.Network(network)
	if one == "" || len(n.Regions) != 1 {
		return wrong.Value("name one network that lives in one region, as in  wendrik grow booking -zone west-d", "a zone is new in the region of one network")
	}
	region := n.Regions[0]
	if !slices.ContainsFunc(region.Zones, func(z plan.Text) bool { return z.Value == g.q.Zone }) {
		if err := g.apply(text.Add(text.Path{"regions", region.Name.Value}, text.Word(g.q.Zone))); err != nil {
			return wrong.Value("give it another name", "zone %s cannot be written: %s", g.q.Zone, err)
		}
		var others []string
		for _, o := range g.After.Networks {
			if o.Name != network && slices.ContainsFunc(o.Regions, func(r *plan.Region) bool { return r.Name.Value == region.Name.Value }) && slices.ContainsFunc(o.Tiers, func(t *estate.Tier) bool { return len(t.Plan.Zones) == 0 }) {
				others = append(others, o.Name)
			}
		}
		if len(others) > 0 {
			g.Told = append(g.Told, fmt.Sprintf("zone %s is in region %s for all that live there: %s, too, may have subnets in it, and  wendrik grow  carves them", g.q.Zone, region.Name.Value, phrase.Few(others, 4)))
		}
	}
	for _, t := range g.After.Network(network).Tiers {
		listed := len(t.Plan.Zones) > 0 && !slices.ContainsFunc(t.Plan.Zones, func(z plan.Text) bool { return z.Value == g.q.Zone })
		if listed && (!inside || t.Name == tier) {
			if err := g.apply(text.Add(t.Place().To("zones"), text.Word(g.q.Zone))); err != nil {
				return wrong.Value("write it into the plan yourself", "the zones of tier %s cannot be written: %s", t.ID(), err)
			}
		}
	}
	return nil
}

// asked reports whether a tier is one of those that are named.
func (g *grower) asked(network, tier string) bool {
	return len(g.q.Names) == 0 || slices.Contains(g.q.Names, network) || slices.Contains(g.q.Names, network+"/"+tier)
}

// tier makes room for one tier: of each place for the subnet there in which most live. It reports false where some of it has no room.
func (g *grower) tier(network, name string) bool {
	t := g.After.Network(network).Tier(name)
	small := space.Outgrown(t)
	if len(small) == 0 {
		return true
	}
	n, wants := t.Network, 0
	for _, x := range small {
		wants = max(wants, x.Wants)
	}
	bits, fits := n.Profile.SizeFor(wants)
	if !fits {
		g.NoRoom = append(g.NoRoom, fmt.Sprintf("tier %s is to hold %d, and the largest subnet of profile %s is a /%d: make several tiers of it", t.ID(), wants, n.Profile.Name, n.Profile.Largest))
		return false
	}
	if g.q.Stay {
		return g.inPlace(small, bits)
	}
	stays, moves := g.keep(n, small, bits)
	taken := address.SetOf(stays.ranges...)
	for _, s := range moves {
		free := g.free(n).Minus(taken)
		was := ipv4Of(s)
		to, found := address.Nearest(free, netip.PrefixFrom(was.Addr(), bits).Masked())
		if !found {
			g.full(n, t, bits)
			return false
		}
		if !g.renumber("subnet "+s.ID(), s.ID(), was, to, fmt.Sprintf("%d hosts, and what lies beside it is taken", wants)) {
			return false
		}
		taken = taken.Union(address.SetOf(to))
	}
	for i, s := range stays.subnets {
		if !g.renumber("subnet "+s.ID(), s.ID(), ipv4Of(s), stays.ranges[i], fmt.Sprintf("%d hosts", wants)) {
			return false
		}
	}
	return true
}

// free is what the subnets of a network can be given: of its own ranges, or of the block that it carves from where it has none.
func (g *grower) free(n *estate.Network) address.Set {
	survey := space.NewSurvey(g.After, nil)
	if len(n.Plan.Ranges) == 0 && n.From != nil {
		return survey.FreeIn(n.From)
	}
	return survey.FreeInNetwork(n.Ranges)
}

// keepers are the subnets that grow where they are, and their ranges then.
type keepers struct {
	subnets []*estate.Subnet
	ranges  []netip.Prefix
}

// keep divides the subnets that are too small into those that can grow where they are and those that must move. Of several that would grow
// into each other the one stays in which most live.
func (g *grower) keep(n *estate.Network, small []space.Small, bits int) (stays keepers, moves []*estate.Subnet) {
	var all []*estate.Subnet
	own := address.Set{}
	for _, x := range small {
		s := slices.MaxFunc(x.Subnets, func(a, b *estate.Subnet) int { return space.Used(a) - space.Used(b) })
		all = append(all, s)
		own = own.Union(address.SetOf(ipv4Of(s)))
	}
	free := g.free(n).Union(own)
	best := map[netip.Prefix]*estate.Subnet{}
	for _, s := range all {
		to := netip.PrefixFrom(ipv4Of(s).Addr(), bits).Masked()
		if free.ContainsRange(to) && (best[to] == nil || space.Used(s) > space.Used(best[to])) {
			best[to] = s
		}
	}
	for _, s := range all {
		to := netip.PrefixFrom(ipv4Of(s).Addr(), bits).Masked()
		if best[to] == s {
			stays.subnets, stays.ranges = append(stays.subnets, s), append(stays.ranges, to)
		} else {
			moves = append(moves, s)
		}
	}
	return stays, moves
}

func ipv4Of(s *estate.Subnet) netip.Prefix {
	i := slices.IndexFunc(s.Ranges, func(p netip.Prefix) bool { return p.Addr().Is4() })
	return s.Ranges[i]
}

// renumber gives a range another place or size, and reports whether that could be.
func (g *grower) renumber(what, name string, was, to netip.Prefix, why string) bool {
	r, err := renumber.Of(g.After, renumber.Request{Name: name, To: []netip.Prefix{to}})
	if err != nil {
		g.NoRoom = append(g.NoRoom, fmt.Sprintf("%s cannot be %s: %s", what, to, err))
		return false
	}
	g.After, g.Told = r.After, append(g.Told, r.Told...)
	g.Steps = append(g.Steps, Step{what, was, to, renumber.Move{Was: was, Is: to}.Does(false), why})
	return true
}

// full tells that a network has no room, and what would give some: a larger range where it is, when what lies beside it is free.
func (g *grower) full(n *estate.Network, t *estate.Tier, bits int) {
	words := fmt.Sprintf("network %s has no /%d left for tier %s; -stay makes several smaller subnets, where there is room for such", n.Name, bits, t.ID())
	for _, p := range n.Plan.Ranges {
		if !p.Addr().Is4() || p.Bits() < 2 {
			continue
		}
		r, err := renumber.Of(g.After, renumber.Request{Name: n.Name, Bits: p.Bits() - 1})
		switch {
		case err != nil:
			words += "; " + err.Error()
		case r.Moves[0].Was.Overlaps(r.Moves[0].Is):
			words += fmt.Sprintf("; it can grow where it is:  wendrik renumber %s -size /%d", n.Name, p.Bits()-1)
		default:
			words += fmt.Sprintf("; it could move to %s:  wendrik renumber %s -size /%d", r.Moves[0].Is, n.Name, p.Bits()-1)
		}
		break
	}
	g.NoRoom = append(g.NoRoom, words)
}

// inPlace makes room without moving anything: a subnet grows where that can be, and else gets others beside it in its place. It reports false
// where some of it has no room.
func (g *grower) inPlace(small []space.Small, bits int) bool {
	for _, x := range small {
		n := g.After.Network(x.Tier.Network.Name)
		s := slices.MaxFunc(x.Subnets, func(a, b *estate.Subnet) int { return space.Used(a) - space.Used(b) })
		was := ipv4Of(s)
		to := netip.PrefixFrom(was.Addr(), bits).Masked()
		if g.free(n).Union(address.SetOf(was)).ContainsRange(to) &&
			g.renumber("subnet "+s.ID(), s.ID(), was, to, fmt.Sprintf("%d hosts", x.Wants)) {
			continue
		}
		more := g.more(n, was, x.Wants-x.Room)
		if more == nil {
			g.NoRoom = append(g.NoRoom, fmt.Sprintf("network %s has no room for %d more hosts of tier %s%s", n.Name, x.Wants-x.Room, x.Tier.ID(), inPlace(x.Place)))
			return false
		}
		for _, p := range more {
			if !g.beside(s.ID(), x, p) {
				return false
			}
		}
	}
	return true
}

func inPlace(place string) string {
	if place == "" {
		return ""
	}
	return " in " + place
}

// more are ranges for so many more hosts of a network, as few as can be and near to a range; none where there is no room.
func (g *grower) more(n *estate.Network, near netip.Prefix, hosts int) []netip.Prefix {
	for count := 1; count <= 16; count++ {
		bits, fits := n.Profile.SizeFor((hosts + count - 1) / count)
		if !fits {
			continue
		}
		free := g.free(n)
		var all []netip.Prefix
		for len(all) < count {
			p, found := address.Nearest(free, netip.PrefixFrom(near.Addr(), bits).Masked())
			if !found {
				break
			}
			all, free = append(all, p), free.Minus(address.SetOf(p))
		}
		if len(all) == count {
			return all
		}
	}
	return nil
}

// beside writes another subnet of a tier in the place of one, and reports whether that could be.
func (g *grower) beside(id string, x space.Small, p netip.Prefix) bool {
	network, first, _ := strings.Cut(id, "/")
	n := g.After.Network(network)
	s := n.Subnet(first)
	name := ""
	for i := 2; name == "" || n.Subnet(name) != nil; i++ {
		name = fmt.Sprintf("%s-%d", first, i)
	}
	fields := []text.Field{{Key: "tier", Value: text.Word(x.Tier.Name)}}
	if n.Profile.SubnetsIn == profile.OneZone {
		fields = append(fields, text.Field{Key: "zone", Value: text.Word(x.Place)})
	} else if s.Plan.Region.Given() {
		fields = append(fields, text.Field{Key: "region", Value: text.Word(s.Plan.Region.Value)})
	}
	fields = append(fields, text.Field{Key: "range", Value: text.Word(p.String())})
	if err := g.apply(text.Set(n.Place().To("subnets"), name, text.Map(fields...))); err != nil {
		g.NoRoom = append(g.NoRoom, fmt.Sprintf("no subnet can be written beside %s: %s", id, err))
		return false
	}
	fresh := g.After.Network(network).Subnet(name)
	g.Steps = append(g.Steps, Step{What: "subnet " + fresh.ID(), Is: p, Does: "is new", Why: "beside " + first})
	g.likeOthers(fresh, []*estate.Subnet{g.After.Network(network).Subnet(first)})
	return true
}

// carve gives ranges to the subnets of tiers that lack them in networks that have been carved before: of zones that are new, and those that
// were written beside others. A network that is new is for carve alone.
func (g *grower) carve() {
	had := map[string]bool{}
	for _, s := range g.After.Subnets {
		had[s.ID()] = len(s.Ranges) > 0
	}
	ours := func(network string) bool {
		n := g.After.Network(network)
		return n != nil && len(n.Ranges) > 0 && (slices.ContainsFunc(n.Tiers, func(t *estate.Tier) bool { return g.asked(network, t.Name) }) || g.asked(network, ""))
	}
	r := carve.Estate(g.After)
	for _, f := range r.Misfits {
		if tier := f.Place; len(tier) > 1 && tier[0] == "networks" && ours(tier[1]) && f.Code != "no-size" && (len(tier) < 4 || tier[2] != "tiers" || g.asked(tier[1], tier[3])) {
			g.NoRoom = append(g.NoRoom, f.Message)
		}
	}
	changes := slices.DeleteFunc(slices.Clone(r.Changes), func(c text.Change) bool {
		return slices.ContainsFunc(c.Edits, func(e text.Edit) bool {
			return len(e.Path) < 2 || e.Path[0] != "networks" || !ours(e.Path[1]) || len(e.Path) > 2 && e.Path[2] == "gateways" ||
				len(e.Path) > 3 && e.Path[2] == "subnets" && had[e.Path[1]+"/"+e.Path[3]] // which has one of the other family
		})
	})
	if len(changes) == 0 {
		return
	}
	after, _, err := g.After.With(changes)
	if err != nil {
		g.NoRoom = append(g.NoRoom, "what has no range cannot be carved: "+err.Error())
		return
	}
	g.After = after
	var fresh []*estate.Subnet
	for _, s := range after.Subnets {
		if had[s.ID()] || len(s.Ranges) == 0 {
			continue
		}
		why := "its own"
		if s.Tier != nil {
			why = "tier " + s.Tier.ID()
			if s.Zone != "" {
				why += " in zone " + s.Zone
			}
		}
		g.Steps = append(g.Steps, Step{What: "subnet " + s.ID(), Is: s.Ranges[0], Does: "is new", Why: why})
		if s.Tier != nil {
			fresh = append(fresh, s)
		}
	}
	for _, s := range fresh {
		g.likeOthers(s, slices.DeleteFunc(slices.Clone(s.Tier.Subnets), func(o *estate.Subnet) bool { return !had[o.ID()] }))
	}
}

// likeOthers gives a new subnet the table and the list that all others of its tier have; where they differ, the plan says no more than before,
// and that is told.
func (g *grower) likeOthers(s *estate.Subnet, others []*estate.Subnet) {
	var edits []text.Edit
	var table *estate.Table
	var list *estate.List
	for i, o := range others {
		if i == 0 {
			list = o.List
		}
		if o.List != list {
			list = nil
		}
	}
	// Of those on the main table one may have been forgotten; what all others have is what the tier has.
	named := slices.DeleteFunc(slices.Clone(others), func(o *estate.Subnet) bool { return o.Table.Main })
	for i, o := range named {
		if i == 0 {
			table = o.Table
		}
		if o.Table != table {
			table = nil
		}
	}
	if table != nil && table.Plan != nil {
		edits = append(edits, text.Add(table.Place().To("subnets"), text.Word(s.Name)))
	}
	if list != nil {
		edits = append(edits, text.Add(list.Place().To("subnets"), text.Word(s.Name)))
	}
	if len(edits) > 0 && g.apply(edits...) != nil {
		edits = nil
	}
	if len(edits) == 0 && len(named) > 0 {
		g.Told = append(g.Told, fmt.Sprintf("subnet %s has no table of its own yet, since the others of tier %s have several: wendrik wire  gives it what its tier is for", s.ID(), s.Tier.ID()))
	}
}
