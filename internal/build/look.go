// Package build makes a plan true at a cloud, through a driver: it looks at what is there, finds the calls and their order, and makes
// them, side by side where the order allows.
package build

import (
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// Labels by which a build finds its own things again, at any cloud.
const (
	EstateLabel = "wendrik-estate" // the estate that a thing is of
	NameLabel   = "wendrik-name"   // what the plan calls it
	ownerLabel  = "owner"          // who is named for it in the plan
)

// Item is a thing that is there.
type Item struct {
	stock.Thing
	At     *cloud.Thing
	ByHand bool // whether it has no label of the estate, so that no build made it
	// Context tells that it is another estate's, and seen because something of this one names it: it is never touched.
	Context bool
	// Inside tells that it is the estate's, or a part of what is, or joins nothing else.
	Inside bool
	// Mislabelled says what is wrong with the labels by which it is known; empty for nothing.
	Mislabelled string
}

// There is what is there of an estate.
type There struct {
	Hello   *cloud.Hello
	Items   []Item
	Others  int            // things that belong to other estates, or that the scope leaves out
	Strange map[string]int // labels that others put on things of the estate, and on how many
	Born    []*cloud.Thing // what the cloud made by itself

	byKey map[string]*Item
	says  vocabulary
	scope []string
}

// Things are the things that are there.
func (t *There) Things() []stock.Thing {
	all := make([]stock.Thing, len(t.Items))
	for i := range t.Items {
		all[i] = t.Items[i].Thing
	}
	return all
}

// supposed are the keys of what must be there, since what joins two owners names it, and is not seen, since it is the other owner's.
func (t *There) supposed() map[string]bool {
	out := map[string]bool{}
	for i := range t.Items {
		if len(t.Items[i].Sides()) == 0 {
			continue
		}
		for _, ref := range t.Items[i].Refs() {
			if t.Item(ref) == nil {
				out[ref] = true
			}
		}
	}
	return out
}

// passing are the things by which packets can pass: all but the attachments that wait to be accepted, and what is another owner's and
// nothing else names.
func (t *There) passing() []stock.Thing {
	left := stock.Joined(t.Things())
	named := map[string]bool{}
	for _, x := range slices.Backward(left) { // what a thing is a part of stands before it
		if !t.Item(x.Key()).At.Foreign || named[x.Key()] {
			for _, ref := range x.Refs() {
				named[ref] = true
			}
		}
	}
	return slices.DeleteFunc(left, func(x stock.Thing) bool { return t.Item(x.Key()).At.Foreign && !named[x.Key()] })
}

// Item is a thing by its key; nil when it is not there.
func (t *There) Item(key string) *Item { return t.byKey[key] }

// ours are the owners for whom things can be made, the one of what nobody is named for first.
func ours(h *cloud.Hello) []string {
	var all []string
	for _, o := range h.Owners {
		if o.Ours {
			all = append(all, o.Name)
		}
	}
	return all
}

// Look asks a driver what is there of an estate: what bears its label, all that is a part of that, and what nobody's label is on. The
// wanted things lend their names to networks of other owners.
func Look(ctx context.Context, d cloud.Driver, head stock.Head, wanted []stock.Thing) (*There, error) {
	h, all, err := everything(ctx, d)
	if err != nil {
		return nil, err
	}
	return see(h, all, head, wanted)
}

// everything is what a driver says of itself, and all that is at its cloud.
func everything(ctx context.Context, d cloud.Driver) (*cloud.Hello, []cloud.Thing, error) {
	h, err := d.Hello(ctx)
	if err != nil {
		return nil, nil, err
	}
	all, err := cloud.All(ctx, d)
	return h, all, err
}

func see(h *cloud.Hello, all []cloud.Thing, head stock.Head, wanted []stock.Thing) (*There, error) {
	s := &seer{There: &There{Hello: h, byKey: map[string]*Item{}, Strange: map[string]int{}, says: newVocabulary(head, wanted), scope: head.Scope}, labelled: map[string]bool{},
		ids: map[string]string{}, estate: head.Estate, of: map[string]*cloud.Thing{}, props: map[string]stock.Props{}, in: map[string]int{}, context: map[string]bool{}, wanted: map[string]*stock.Thing{}}
	for i := range wanted {
		s.wanted[wanted[i].Key()] = &wanted[i]
	}
	for i := range all {
		t := &all[i]
		if stock.SpecOf(t.Kind) == nil {
			continue // a kind that a plan has no word for
		}
		props, err := cloud.Decode(t.Kind, t.Props)
		if err != nil {
			return nil, fmt.Errorf("%s %s (%s) cannot be understood: %w", t.Kind, t.Name, t.ID, err)
		}
		s.of[t.ID], s.props[t.ID] = t, props
	}
	var taken []*cloud.Thing
	for i := range all {
		t := &all[i]
		if s.of[t.ID] == nil {
			continue
		}
		switch s.whose(t.ID) {
		case belongs:
			taken = append(taken, t)
		case others:
			if !t.Foreign {
				s.Others++
			}
		case born:
			s.Born = append(s.Born, t)
		}
	}
	for k := 0; k < len(taken); k++ { // and what these name
		for _, id := range refsOf(taken[k].Kind, s.props[taken[k].ID]) {
			if t := s.of[id]; t != nil && s.in[id] != belongs {
				s.context[id] = s.in[id] == others && !t.Foreign
				s.in[id] = belongs
				taken = append(taken, t)
			}
		}
	}
	slices.SortStableFunc(taken, func(a, b *cloud.Thing) int {
		if d := a.Kind.Rank() - b.Kind.Rank(); d != 0 {
			return d
		}
		return hand(s, a) - hand(s, b) // what has the label keeps its name
	})
	names := newNames()
	for _, t := range taken {
		if hand(s, t) == 0 {
			names.keep(t.Kind, t.Labels[NameLabel])
			s.labelled[stock.KeyOf(t.Kind, t.Labels[NameLabel])] = true
		}
	}
	for _, t := range taken {
		s.ids[t.ID] = stock.KeyOf(t.Kind, s.name(t, names))
	}
	for _, t := range taken {
		s.Items = append(s.Items, s.item(t))
	}
	for i := range s.Items {
		s.byKey[s.Items[i].Key()] = &s.Items[i]
	}
	return s.There, nil
}

func hand(s *seer, t *cloud.Thing) int {
	if t.Labels[EstateLabel] == s.estate {
		return 0
	}
	return 1
}

// Whose a thing is.
const (
	unknown = iota
	belongs // to the estate, or to nobody
	others
	born
)

type seer struct {
	*There
	ids    map[string]string // keys by the identifiers of the cloud
	estate string
	of     map[string]*cloud.Thing
	props  map[string]stock.Props
	in     map[string]int
	// context are things of other estates that those of this one name.
	context  map[string]bool
	wanted   map[string]*stock.Thing
	labelled map[string]bool // keys that things of the estate bear
}

func refsOf(k stock.Kind, props stock.Props) []string {
	t := stock.Thing{Kind: k, Props: props}
	return t.Refs()
}

// parent is the identifier of what a thing is a part of; empty for none.
func (s *seer) parent(id string) string {
	p := stock.SpecOf(s.of[id].Kind).Parent
	if p == "" {
		return ""
	}
	return s.props[id].Word(p)
}

func (s *seer) whose(id string) int {
	if w := s.in[id]; w != unknown {
		return w
	}
	t := s.of[id]
	s.in[id] = others // of a circle
	w := others
	switch up := s.parent(id); {
	case t.Default:
		w = born
	case t.Foreign:
		name := plain(t.Name)
		if up := s.of[s.parent(id)]; up != nil {
			name = plain(up.Name) + "/" + name
		}
		if s.wanted[stock.KeyOf(t.Kind, name)] != nil {
			w = belongs
		}
	case t.Labels[EstateLabel] == s.estate:
		w = belongs
	case t.Labels[EstateLabel] != "":
	case len(s.scope) > 0 && InScope(s.scope, t):
		w = belongs
	case up != "" && s.of[up] != nil:
		if w = s.whose(up); len(s.scope) > 0 && t.Kind == stock.Attachment && s.of[s.props[id].Word("to")] != nil && s.whose(s.props[id].Word("to")) == belongs {
			w = belongs // to a hub that is outside
		}
	default:
		if len(s.scope) == 0 {
			w = belongs
		}
		for _, ref := range refsOf(t.Kind, s.props[id]) { // what joins two of others is theirs
			if s.of[ref] != nil && s.parent(id) == "" {
				if x := s.whose(ref); x == belongs {
					w = belongs
					break
				} else {
					w = x
				}
			}
		}
	}
	s.in[id] = w
	return w
}

var unword = regexp.MustCompile(`[^a-z0-9]+`)

// plain is a name as a plan can have it.
func plain(name string) string {
	s := strings.Trim(unword.ReplaceAllString(strings.ToLower(name), "-"), "-")
	if s == "" || s[0] < 'a' || s[0] > 'z' {
		s = "x" + s
	}
	if len(s) > 90 {
		s = s[:90]
	}
	return s
}

// wellNamed are the names that a plan can have.
var wellNamed = regexp.MustCompile(`^[a-z][a-z0-9-]{0,99}(/[a-z][a-z0-9-]{0,99})?$`)

// name is what the plan calls a thing: by its label, by what it is between, or by the name that it has at the cloud.
func (s *seer) name(t *cloud.Thing, names *names) string {
	props := s.props[t.ID]
	up := ""
	if id := s.parent(t.ID); id != "" && s.ids[id] != "" {
		up = stock.NameIn(s.ids[id])
	}
	name := plain(t.Name)
	planned, stray := s.astray(t, up)
	switch {
	case t.Kind == stock.Route:
		name = up + " " + props.Word("to")
		if only := props.Word("only"); only != "" {
			group := stock.NameIn(s.ids[only])
			name += " only " + group[strings.LastIndex(group, "/")+1:]
		}
		return name
	case t.Kind == stock.Attachment:
		return up + "/" + stock.NameIn(s.ids[props.Word("to")])
	case t.Labels[EstateLabel] == s.estate && stray:
		return names.next(t.Kind, planned, true)
	case t.Labels[EstateLabel] == s.estate && wellNamed.MatchString(t.Labels[NameLabel]) && (up == "" || t.Kind == stock.Workload || strings.HasPrefix(t.Labels[NameLabel], up+"/")):
		return names.next(t.Kind, t.Labels[NameLabel], true)
	case up != "" && t.Kind != stock.Workload:
		name = up + "/" + name
	}
	return names.next(t.Kind, name, s.wanted[stock.KeyOf(t.Kind, name)] != nil && !s.context[t.ID]) // what is another estate's is not what this one wants
}

// inside reports whether a thing is the estate's, or a part of what is, or joins nothing else.
func (s *seer) inside(id string, depth int) bool {
	t := s.of[id]
	switch {
	case t == nil || depth > 8:
		return false
	case t.Labels[EstateLabel] != "":
		return t.Labels[EstateLabel] == s.estate
	case s.parent(id) != "":
		return s.inside(s.parent(id), depth+1)
	case t.Kind != stock.Peering && t.Kind != stock.HubLink:
		return false
	}
	for _, ref := range refsOf(t.Kind, s.props[id]) {
		if !s.inside(ref, depth+1) {
			return false
		}
	}
	return true
}

// item is a thing in the words of a plan.
func (s *seer) item(t *cloud.Thing) Item {
	i := Item{At: t, ByHand: t.Labels[EstateLabel] != s.estate, Context: s.context[t.ID], Inside: s.inside(t.ID, 0)}
	i.Kind, i.Name = t.Kind, stock.NameIn(s.ids[t.ID])
	i.Props = stock.Props{}
	for name, v := range s.props[t.ID] {
		named, known := stock.SpecOf(t.Kind).Prop(name).Named(v, func(id string) (string, bool) { key, found := s.ids[id]; return key, found })
		if w := s.wanted[i.Key()]; !known && w != nil && len(i.Sides()) > 0 { // what it names is of its other side, and cannot be seen: it is taken to be as planned
			named = w.Props[name]
		}
		i.Props.Set(name, named)
	}
	if len(i.Props.Words("targets")) > 0 {
		delete(i.Props, "balances") // which goes without saying
	}
	if w := s.wanted[i.Key()]; t.Foreign && w != nil { // which tells nothing but its name: it is taken to be as planned
		i.Props = w.Props
		i.Owner, i.Labels = w.Owner, w.Labels
		return i
	}
	w := s.wanted[i.Key()]
	i.Owner, i.Labels = t.Labels[ownerLabel], s.labels(t, w, i.Context)
	if w != nil && !i.ByHand {
		i.Mislabelled = mislabelled(t, i.Name, w)
	}
	return i
}

// labelsFor are the labels that a thing is given at a cloud.
func labelsFor(t *stock.Thing, estateName string) map[string]string {
	all := maps.Clone(t.Labels)
	if all == nil {
		all = map[string]string{}
	}
	whose, others := all[stock.WasOfLabel]
	delete(all, stock.WasOfLabel)
	switch {
	case !others:
		all[EstateLabel], all[NameLabel] = estateName, t.Name
	case whose != "":
		all[EstateLabel], all[NameLabel] = whose, t.Name
	}
	if t.Owner != "" {
		all[ownerLabel] = t.Owner
	}
	return all
}

// Owners says who is to make which things: for a thing, and for all that is a part of it, the owner that the plan names when the cloud
// knows one of that name, else the first of ours.
type Owners struct {
	ours  []string
	known map[string]bool
	of    map[string]string // by key
}

// OwnersOf finds the owners of things at a cloud.
func OwnersOf(h *cloud.Hello, all []stock.Thing) *Owners {
	o := &Owners{ours: ours(h), known: map[string]bool{}, of: map[string]string{}}
	for _, x := range h.Owners {
		o.known[x.Name] = true
	}
	first := ""
	if len(o.ours) > 0 {
		first = o.ours[0]
	}
	for i := range all { // in the order of Specs, so that what a thing is a part of comes before it
		t := &all[i]
		owner := first
		if p := stock.SpecOf(t.Kind).Parent; p != "" && o.of[t.Props.Word(p)] != "" {
			owner = o.of[t.Props.Word(p)]
		}
		sides := t.Sides()
		if len(sides) > 0 && stock.SpecOf(t.Kind).Parent == "" {
			owner = o.of[sides[0]]
		}
		if k := slices.IndexFunc(sides, func(s string) bool { return slices.Contains(o.ours, o.of[s]) }); k >= 0 {
			owner = o.of[sides[k]]
		}
		if network := o.of[t.Props.Word("link")]; network != "" { // of a site
			owner = network
		}
		if o.known[t.Owner] && stock.SpecOf(t.Kind).Parent == "" && t.Kind != stock.Peering {
			owner = t.Owner
		}
		o.of[t.Key()] = owner
	}
	return o
}

// Of is the owner of a thing by its key.
func (o *Owners) Of(key string) string { return o.of[key] }

// Ours reports whether there is a key of the owner of a thing.
func (o *Owners) Ours(key string) bool { return slices.Contains(o.ours, o.of[key]) }
