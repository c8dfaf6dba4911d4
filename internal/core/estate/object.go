package estate

import (
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

// Kind is what an object is, in the word that messages use.
type Kind string

// The kinds of objects.
const (
	NetworkKind   Kind = "network"
	WorkloadKind  Kind = "workload"
	SetKind       Kind = "set of workloads"
	SiteKind      Kind = "site"
	PeeringKind   Kind = "peering"
	HubKind       Kind = "hub"
	HubLinkKind   Kind = "hub link"
	ClusterKind   Kind = "cluster"
	BlockKind     Kind = "block"
	SubnetKind    Kind = "subnet"
	TierKind      Kind = "tier"
	TableKind     Kind = "route table"
	GroupKind     Kind = "group"
	ListKind      Kind = "list"
	GatewayKind   Kind = "gateway"
	HeldKind      Kind = "held part"
	HubTableKind  Kind = "hub table"
	blackholeKind Kind = "blackhole"
)

// Object is a thing that the plan names.
type Object interface {
	Kind() Kind
	ID() string       // its name, with that of its network or hub where it is a part of one: booking/web-a
	Place() text.Path // where it stands in the plan
	At() text.Pos     // the same, in the text; no place for what the plan does not write
	Facts() []plan.Fact
}

// Blackhole is the next hop that drops on purpose.
var Blackhole Object = blackhole{}

type blackhole struct{}

func (blackhole) Kind() Kind       { return blackholeKind }
func (blackhole) ID() string       { return string(blackholeKind) }
func (blackhole) Place() text.Path { return nil }
func (blackhole) At() text.Pos     { return 0 }

func (*Network) Kind() Kind  { return NetworkKind }
func (*Workload) Kind() Kind { return WorkloadKind }
func (*Set) Kind() Kind      { return SetKind }
func (*Site) Kind() Kind     { return SiteKind }
func (*Peering) Kind() Kind  { return PeeringKind }
func (*Hub) Kind() Kind      { return HubKind }
func (*HubLink) Kind() Kind  { return HubLinkKind }
func (*Cluster) Kind() Kind  { return ClusterKind }
func (*Block) Kind() Kind    { return BlockKind }
func (*Subnet) Kind() Kind   { return SubnetKind }
func (*Tier) Kind() Kind     { return TierKind }
func (*Table) Kind() Kind    { return TableKind }
func (*Group) Kind() Kind    { return GroupKind }
func (*List) Kind() Kind     { return ListKind }
func (*Gateway) Kind() Kind  { return GatewayKind }
func (*Held) Kind() Kind     { return HeldKind }
func (*HubTable) Kind() Kind { return HubTableKind }

func (n *Network) ID() string  { return n.Name }
func (w *Workload) ID() string { return w.Name }
func (s *Set) ID() string      { return s.Name }
func (s *Site) ID() string     { return s.Name }
func (p *Peering) ID() string  { return p.Name }
func (h *Hub) ID() string      { return h.Name }
func (l *HubLink) ID() string  { return l.Name }
func (c *Cluster) ID() string  { return c.Name }
func (b *Block) ID() string    { return b.Name }
func (s *Subnet) ID() string   { return s.Network.Name + "/" + s.Name }
func (t *Tier) ID() string     { return t.Network.Name + "/" + t.Name }
func (t *Table) ID() string    { return t.Network.Name + "/" + t.Name }
func (g *Group) ID() string    { return g.Network.Name + "/" + g.Name }
func (l *List) ID() string     { return l.Network.Name + "/" + l.Name }
func (g *Gateway) ID() string  { return g.Network.Name + "/" + g.Name }
func (h *Held) ID() string     { return h.Network.Name + "/" + h.Name }
func (t *HubTable) ID() string { return t.Hub.Name + "/" + t.Name }

func (n *Network) Place() text.Path  { return text.Path{"networks", n.Name} }
func (s *Set) Place() text.Path      { return text.Path{"workloads", s.Name} }
func (s *Site) Place() text.Path     { return text.Path{"sites", s.Name} }
func (p *Peering) Place() text.Path  { return text.Path{"peerings", p.Name} }
func (h *Hub) Place() text.Path      { return text.Path{"hubs", h.Name} }
func (l *HubLink) Place() text.Path  { return text.Path{"hub-links", l.Name} }
func (c *Cluster) Place() text.Path  { return text.Path{"clusters", c.Name} }
func (b *Block) Place() text.Path    { return text.Path{"space", b.Name} }
func (s *Subnet) Place() text.Path   { return s.Network.Place().To("subnets", s.Name) }
func (t *Tier) Place() text.Path     { return t.Network.Place().To("tiers", t.Name) }
func (t *Table) Place() text.Path    { return t.Network.Place().To("tables", t.Name) }
func (g *Group) Place() text.Path    { return g.Network.Place().To("groups", g.Name) }
func (l *List) Place() text.Path     { return l.Network.Place().To("lists", l.Name) }
func (g *Gateway) Place() text.Path  { return g.Network.Place().To("gateways", g.Name) }
func (h *Held) Place() text.Path     { return h.Network.Place().To("held", h.Name) }
func (t *HubTable) Place() text.Path { return t.Hub.Place().To("tables", t.Name) }

func (n *Network) At() text.Pos  { return n.Plan.Name.At }
func (w *Workload) At() text.Pos { return w.Plan.Name.At }
func (s *Set) At() text.Pos      { return s.Plan.Name.At }
func (s *Site) At() text.Pos     { return s.Plan.Name.At }
func (p *Peering) At() text.Pos  { return p.Plan.Name.At }
func (h *Hub) At() text.Pos      { return h.Plan.Name.At }
func (l *HubLink) At() text.Pos  { return l.Plan.Name.At }
func (c *Cluster) At() text.Pos  { return c.Plan.Name.At }
func (b *Block) At() text.Pos    { return b.Plan.Name.At }
func (s *Subnet) At() text.Pos   { return s.Plan.Name.At }
func (t *Tier) At() text.Pos     { return t.Plan.Name.At }
func (g *Group) At() text.Pos    { return g.Plan.Name.At }
func (l *List) At() text.Pos     { return l.Plan.Name.At }
func (h *Held) At() text.Pos     { return h.Plan.Name.At }
func (t *HubTable) At() text.Pos { return t.Plan.Name.At }

// Place is where the workload stands in the plan; for one of a set, where that stands.
func (w *Workload) Place() text.Path {
	if w.Set != nil {
		return w.Set.Place()
	}
	return text.Path{"workloads", w.Name}
}

// At is where the table stands in the plan; for a main table that the plan does not write, where its network stands.
func (t *Table) At() text.Pos {
	if t.Plan == nil {
		return t.Network.At()
	}
	return t.Plan.Name.At
}

// At is where the gateway stands in the plan; no place for one that came with its network.
func (g *Gateway) At() text.Pos {
	if g.Plan == nil {
		return 0
	}
	return g.Plan.Name.At
}

// FromPattern reports whether a thing of the network that stands somewhere in the text comes from its pattern.
func (n *Network) FromPattern(o Object) bool {
	return slices.ContainsFunc(n.Plan.Patterns, func(p *plan.Pattern) bool { return p.Holds(o.At()) })
}

// scope binds names to objects: one of each kind may have a name.
type scope map[Kind]map[string]Object

// bind gives a name to an object. It reports false, and binds nothing, where another of its kind has the name.
func (s scope) bind(name string, o Object) bool {
	names := s[o.Kind()]
	if names == nil {
		names = map[string]Object{}
		s[o.Kind()] = names
	}
	if _, taken := names[name]; taken {
		return false
	}
	names[name] = o
	return true
}

// find is the object of a kind that has a name; nil when none has.
func find[T Object](s scope, kind Kind, name string) T {
	o, _ := s[kind][name].(T)
	return o
}

// names are those of some kinds, in the order of the kinds and of the alphabet.
func (s scope) names(kinds ...Kind) []string {
	var out []string
	for _, k := range kinds {
		one := make([]string, 0, len(s[k]))
		for name := range s[k] {
			one = append(one, name)
		}
		slices.Sort(one)
		out = append(out, one...)
	}
	return out
}

// The order in which objects are told that one word names.
var (
	namedAlone  = []Kind{NetworkKind, WorkloadKind, SetKind, SiteKind, PeeringKind, HubKind, HubLinkKind, ClusterKind, BlockKind}
	namedInside = []Kind{SubnetKind, TierKind, TableKind, GroupKind, ListKind, GatewayKind}
)

// Named is all that a word names: things by their name, and parts of a network as network/part.
func (e *Estate) Named(word string) []Object {
	var all []Object
	for _, k := range namedAlone {
		if o := e.scope[k][word]; o != nil {
			all = append(all, o)
		}
	}
	network, part, found := strings.Cut(word, "/")
	if n := e.Network(network); found && n != nil {
		for _, k := range namedInside {
			if o := n.scope[k][part]; o != nil {
				all = append(all, o)
			}
		}
	}
	return all
}

// Near is a name of the estate that a mistyped word may have meant, among things of some kinds; empty when none is near.
func (e *Estate) Near(word string, kinds ...Kind) string {
	known := e.scope.names(kinds...)
	for _, n := range e.Networks {
		for _, part := range n.scope.names(slices.DeleteFunc(slices.Clone(kinds), func(k Kind) bool { return !slices.Contains(namedInside, k) })...) {
			known = append(known, n.Name+"/"+part)
		}
	}
	return diag.Nearest(word, known)
}
