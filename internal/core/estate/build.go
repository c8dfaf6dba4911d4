package estate

import (
	"fmt"
	"maps"
	"net/netip"
	"runtime"
	"slices"
	"strings"
	"sync"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/text"
)

// Load decodes a text and binds its names. It reports every problem of the text in one run, in the order of the text;
// with findings of severity error the estate is incomplete, and no answer about it can be trusted.
func Load(files *text.Files) (*Estate, []diag.Finding) {
	p, found := plan.Decode(files)
	e := build(p, found)
	e.Problems = found.All()
	return e, e.Problems
}

// With is the estate that the plan describes once changes are made in it, with the findings of loading that. The error
// says why the changes cannot be made in the text.
func (e *Estate) With(c text.Changes) (*Estate, []diag.Finding, error) {
	changed, err := e.Plan.Files.Apply(e.Own(c.Edits()))
	if err != nil {
		return nil, nil, err
	}
	after, findings := Load(e.Plan.Files.With(changed))
	return after, findings, nil
}

// Own are edits of networks that take a pattern, as they must be made: what is added to a list that the pattern gives
// makes the list the network's own, with all that the pattern's has.
func (e *Estate) Own(edits []text.Edit) []text.Edit {
	f := e.Plan.Files
	own := map[string]bool{}
	var out []text.Edit
	for _, x := range edits {
		out = append(out, x)
		if len(x.Path) < 3 || x.Path[0] != "networks" || x.Key != "" || x.Remove {
			continue
		}
		n, list := e.Network(x.Path[1]), x.Path.String()
		if n == nil || len(n.Plan.Patterns) == 0 || own[list] {
			continue
		}
		if _, found := f.Value(x.Path); found {
			continue
		}
		for _, p := range slices.Backward(n.Plan.Patterns) {
			if v, found := f.Value(append(text.Path{"patterns", p.Name.Value}, x.Path[2:]...)); found {
				last := len(x.Path) - 1
				own[list] = true
				out[len(out)-1] = text.Set(x.Path[:last], x.Path[last], v.Filled("{network}", n.Name))
				out = append(out, x)
				break
			}
		}
	}
	return out
}

// build binds the names of a plan. What cannot be bound is left out and reported.
func build(p *plan.Plan, found *diag.Bag) *Estate {
	b := &builder{found: found, waits: &diag.Bag{}, e: &Estate{Plan: p, scope: scope{}, derived: &derived{}, public: make(map[netip.Addr]Host, len(p.Workloads)/8)}}
	b.e.Profile = p.Profile.On(profile.BuiltIn[len(profile.BuiltIn)-1])
	b.regions()
	b.space()
	workloads := b.startWorkloads()
	b.networks()
	b.workloads(workloads())
	b.targets()
	b.dhcp()
	b.sites()
	b.clusters()
	b.knows()
	b.peerings()
	b.hubs()
	b.hubLinks()
	b.hops()
	b.hubTables()
	b.groupNames()
	b.tables()
	b.doors()
	b.imports()
	b.rules()
	b.expectations()
	b.assign()
	b.freeze()
	b.e.Waits = b.waits.All()
	return b.e
}

// freeze makes all tables ready for lookups.
func (b *builder) freeze() {
	b.e.Outside = b.e.findOutside()
	b.e.StandIn = b.e.findStandIn()
	b.eachNetwork(func(_ *builder, n *Network) {
		n.where.Freeze()
		for _, t := range n.Tables {
			t.routes.Freeze()
		}
	})
	for _, h := range b.e.Hubs {
		for _, t := range h.Tables {
			t.routes.Freeze()
		}
	}
}

// findOutside is every public address that belongs to nobody in the estate.
func (e *Estate) findOutside() address.Set {
	var ours []netip.Prefix
	for _, n := range e.Networks {
		ours = append(ours, n.Ranges...)
		for _, g := range n.Gateways {
			for _, a := range g.Public {
				ours = append(ours, address.Single(a))
			}
		}
	}
	for _, s := range e.Sites {
		ours = append(ours, s.Ranges...)
	}
	for _, w := range e.Workloads {
		for _, a := range w.Public {
			ours = append(ours, address.Single(a))
		}
	}
	return address.Public().Minus(address.SetOf(append(ours, address.StandIns)...))
}

// findStandIn is a documentation address (RFC 5737) of the internet where one is left.
func (e *Estate) findStandIn() netip.Addr {
	if some := e.Outside.Clip(netip.MustParsePrefix("192.0.2.0/24")); !some.Empty() {
		return some.First()
	}
	return e.Outside.First()
}

type builder struct {
	e        *Estate
	found    *diag.Bag
	waits    *diag.Bag    // what is not yet given
	searched int          // names looked through
	room     []netip.Addr // for lists of addresses
	places   []*Group     // for lists of groups
}

// groupRoom is room for some groups, side by side with that of others.
func (b *builder) groupRoom(n int) []*Group {
	if n > len(b.places) {
		b.places = make([]*Group, max(n, 1024))
	}
	room := b.places[:0:n]
	b.places = b.places[n:]
	return room
}

// many is from how many workloads on it pays to bind parts of a plan side by side.
const many = 2000

// eachNetwork does something for every network that touches no other one.
func (b *builder) eachNetwork(do func(b *builder, n *Network)) {
	b.sideBySide(len(b.e.Networks), func(b *builder, from, to int) {
		for _, n := range b.e.Networks[from:to] {
			do(b, n)
		}
	})
}

// sideBySide does something for parts of n things that do not touch each other, with what is reported put together in
// their order.
func (b *builder) sideBySide(n int, do func(b *builder, from, to int)) {
	parts := runtime.GOMAXPROCS(0)
	if len(b.e.Plan.Workloads) < many || parts < 2 {
		do(b, 0, n)
		return
	}
	each := make([]*builder, parts)
	var all sync.WaitGroup
	for i := range each {
		each[i] = &builder{e: b.e, found: &diag.Bag{}, waits: &diag.Bag{}}
		all.Go(func() { do(each[i], i*n/parts, (i+1)*n/parts) })
	}
	all.Wait()
	for _, part := range each {
		b.found.Take(part.found)
		b.waits.Take(part.waits)
	}
}

// wait notes what is not yet given, and what would give it.
func (b *builder) wait(at text.Pos, in spot, by, format string, args ...any) {
	if !b.waits.Full() {
		b.waits.Add(diag.Finding{Code: notYetGiven, Severity: diag.Pending, At: at, Place: in.path(), Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(by)})
	}
}

// spot is a place in the plan that is written out only when something is reported there: a key of an object, or of the
// plan itself.
type spot struct {
	of  Object // nil for the plan
	key string // empty for the object as a whole; of something further inside, the keys with dots between
}

func (s spot) path() text.Path {
	var p text.Path
	if s.of != nil {
		p = s.of.Place()
	}
	if s.key != "" {
		p = p.To(strings.Split(s.key, ".")...)
	}
	return p
}

func (b *builder) report(at text.Pos, in spot, code diag.Code, fix, format string, args ...any) {
	if !b.found.Full() {
		b.found.Add(diag.Finding{Code: code, At: at, Place: in.path(), Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(fix)})
	}
}

// maxSearched is how many names are looked through for those that a mistyped one may mean.
const maxSearched = 2_000_000

// unknown reports a name that nothing of its kind has; known are the names that there are.
func (b *builder) unknown(t plan.Text, in spot, kind string, known func() []string) {
	if b.found.Full() {
		return
	}
	fix := "name one that there is"
	if b.searched < maxSearched {
		names := known()
		b.searched += len(names)
		fix = diag.Instead(t.Value, kind, names)
	}
	b.report(t.At, in, unknownName, fix, "there is no %s named %q", kind, phrase.Clip(t.Value))
}

// lookup finds an object of a kind by name, in the estate or in a network or hub, or reports the name.
func lookup[T Object](b *builder, owner Object, s scope, kind Kind, t plan.Text, in spot) T {
	found := find[T](s, kind, t.Value)
	if Object(found) == Object(*new(T)) {
		words := string(kind)
		if owner != nil {
			words = strings.TrimPrefix(words, string(owner.Kind())+" ") + " of " + string(owner.Kind()) + " " + owner.ID()
		}
		b.unknown(t, in, words, func() []string { return s.names(kind) })
	}
	return found
}

// region finds a region by name, or reports the name.
func (b *builder) region(t plan.Text, in spot) *plan.Region {
	r := b.e.regions[t.Value]
	if r == nil {
		b.unknown(t, in, "region", func() []string { return slices.Sorted(maps.Keys(b.e.regions)) })
	}
	return r
}

func (b *builder) network(t plan.Text, in spot) *Network {
	return lookup[*Network](b, nil, b.e.scope, NetworkKind, t, in)
}

func (b *builder) block(t plan.Text, in spot) *Block {
	return lookup[*Block](b, nil, b.e.scope, BlockKind, t, in)
}

// subnetsNamed are the subnets of a network that a word names: one, or those of a tier. A subnet that carve would make is
// waited for.
func (b *builder) subnetsNamed(n *Network, t plan.Text, in spot) []*Subnet {
	name := within(n, t.Value)
	tier := n.Tier(name)
	switch s := n.Subnet(name); {
	case s != nil && tier != nil && s.Tier != tier:
		b.report(t.At, in, twoMeanings, "give one of them another name", "%q names both a tier and a subnet of network %s that is not of that tier", name, n.Name)
		return nil
	case s != nil && tier == nil:
		return []*Subnet{s}
	case tier != nil && len(tier.Subnets) == 0:
		b.wait(t.At, in, byCarve, "tier %s has no subnets", tier.ID())
		return nil
	case tier != nil:
		return tier.Subnets
	case n.wouldCarve(name):
		b.wait(t.At, in, byCarve, "subnet %s/%s is not there", n.Name, name)
		return nil
	}
	t.Value = name
	b.unknown(t, in, "subnet of network "+n.Name, func() []string { return n.scope.names(SubnetKind, TierKind) })
	return nil
}

// byCarve is what gives subnets, ranges and addresses.
const byCarve = "carve gives it"

// byWire is what gives the gateways that access calls for.
const byWire = "wire gives it"

// within is a name inside a network, where that may be written with the network's own.
func within(n *Network, name string) string {
	if rest, with := strings.CutPrefix(name, n.Name); with && strings.HasPrefix(rest, "/") {
		return rest[1:]
	}
	return name
}

func prefixes(ranges []plan.Range) []netip.Prefix {
	if len(ranges) == 0 {
		return nil
	}
	out := make([]netip.Prefix, len(ranges))
	for i, r := range ranges {
		out[i] = r.Prefix
	}
	return out
}

// addrs are addresses without their places. They lie side by side with others.
func (b *builder) addrs(given []plan.Addr) []netip.Addr {
	n := len(given)
	if n == 0 {
		return nil
	}
	if n > len(b.room) {
		b.room = make([]netip.Addr, max(n, 1024))
	}
	out := b.room[:n:n]
	b.room = b.room[n:]
	for i, a := range given {
		out[i] = a.Addr
	}
	return out
}

// inside reports whether one of the ranges holds all of p.
func inside(ranges []netip.Prefix, p netip.Prefix) bool {
	return slices.ContainsFunc(ranges, func(r netip.Prefix) bool { return address.Covers(r, p) })
}
