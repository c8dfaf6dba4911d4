package join

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// peer joins two networks by a peering.
func (j *joiner) peer(a, b *estate.Network) {
	i := slices.IndexFunc(a.Peerings, func(p *estate.Peering) bool { return p.Far(a) == b })
	place, name := text.Path{"peerings"}, j.freePeering(a.Name+"-"+b.Name)
	if i < 0 {
		both := text.Words(a.Name, b.Name)
		first := a
		if j.q.Half == b.Name {
			first = b
		}
		j.step(nil, fmt.Sprintf("peering %s joins networks %s and %s", name, a.Name, b.Name), text.Set(place, name, text.Map(append([]text.Field{{Key: "between", Value: both}, {Key: "accepted", Value: text.Words(first.Name)}}, j.meantFor(a, b)...)...)))
		far := b
		if first == b {
			far = a
		}
		j.step(far, fmt.Sprintf("network %s accepts peering %s", far.Name, name), text.Add(place.To(name, "accepted"), text.Word(far.Name)))
	} else {
		p := a.Peerings[i]
		name = p.Name
		for k, n := range p.Between {
			j.widen(p.Place().To("only"), n, p.Meant[k], len(p.Plan.Only) > 0)
		}
		for k, n := range p.Between {
			if !p.Accepted[k] {
				j.step(n, fmt.Sprintf("network %s accepts peering %s", n.Name, name), text.Add(p.Place().To("accepted"), text.Word(n.Name)))
			}
		}
	}
	j.By = name
	j.routes(a, b, name)
	j.routes(b, a, name)
}

func (j *joiner) freePeering(wanted string) string {
	return phrase.Free(wanted, func(name string) bool {
		return j.e.Peering(name) != nil || j.e.Hub(name) != nil || j.e.Site(name) != nil
	})
}

// link joins a network and a site by a link.
func (j *joiner) link(n *estate.Network, s *estate.Site) {
	j.By = s.Name
	switch {
	case s.Link != nil && s.Link != n:
		j.forbid(otherLink, s, "attach the site and both networks to a hub", "site %s is linked to network %s already, and a site has one link", s.Name, s.Link.Name)
		return
	case s.Link == nil && len(s.Attachments) > 0:
		h := s.Attachments[0].Hub
		j.forbid(otherLink, s, fmt.Sprintf("wendrik join %s %s", n.Name, h.Name), "site %s is behind hub %s, and needs no link", s.Name, h.Name)
		return
	case s.Link == nil:
		j.step(s, fmt.Sprintf("site %s is linked to network %s", s.Name, n.Name), text.Set(s.Place(), "link", text.Word(n.Name)))
	}
	j.knows(s, n)
	j.routes(n, s, s.Name)
}

// attach joins a network or site to a hub, and to what is behind it.
func (j *joiner) attach(x estate.Object, h *estate.Hub) error {
	j.By = h.Name
	var own *estate.Attachment
	for _, a := range h.Attachments {
		if a.To() == x {
			own = a
		}
	}
	tables := phrase.Names(h.Tables, func(t *estate.HubTable) string { return t.Name })
	var table *estate.HubTable
	switch {
	case own != nil:
		table = own.Table
	case j.q.Table != "":
		i := slices.IndexFunc(h.Tables, func(t *estate.HubTable) bool { return t.Name == j.q.Table })
		if i < 0 {
			return wrong.Value("name one of "+tables, "hub %s has no table %q", h.Name, j.q.Table)
		}
		table = h.Tables[i]
	case len(h.Tables) == 1:
		table = h.Tables[0]
	default:
		return wrong.Value("write  -table  with one of "+tables, "hub %s has %d tables, and nothing says which of them %s looks into", h.Name, len(h.Tables), x.ID())
	}
	if own == nil {
		j.step(x, fmt.Sprintf("%s %s is attached to hub %s, and looks into its table %s", x.Kind(), x.ID(), h.Name, table.Name), text.Set(h.Place().To("attach"), x.ID(), j.attachment(table.Name, x)))
	} else if n, is := x.(*estate.Network); is {
		j.widen(h.Place().To("attach", n.Name, "only"), n, own.Meant, !own.Meant.All())
	}
	learns := map[string]bool{}
	learn := func(t *estate.HubTable, o estate.Object) {
		if key := t.Name + " " + o.ID(); !learns[key] && !slices.ContainsFunc(t.Routes, func(r *estate.Route) bool { return r.Via == o }) && !slices.ContainsFunc(t.Plan.Learns, func(w plan.Text) bool { return w.Value == o.ID() }) {
			learns[key] = true
			j.step(x, fmt.Sprintf("table %s of hub %s learns %s %s", t.Name, h.Name, o.Kind(), o.ID()), text.Add(t.Place().To("learns"), text.Word(o.ID())))
		}
	}
	for _, a := range h.Attachments {
		o := a.To()
		if o == x || !j.meant(o) {
			continue
		}
		learn(a.Table, x)
		learn(table, o)
		for _, side := range [][2]estate.Object{{x, o}, {o, x}} {
			switch near := side[0].(type) {
			case *estate.Network:
				j.routes(near, side[1], h.Name)
			case *estate.Site:
				if far, is := side[1].(*estate.Network); is {
					j.knows(near, far)
				}
			}
		}
	}
	return nil
}

// knows has a site know the way back to what is meant of a network.
func (j *joiner) knows(s *estate.Site, n *estate.Network) {
	for _, word := range j.parts(n) {
		ranges, words := j.rangesOf(word)
		if len(ranges) > 0 && !slices.ContainsFunc(ranges, func(p netip.Prefix) bool { return !s.KnowsOf(p.Addr()) }) || named(s.Plan.Names, word) {
			continue
		}
		for _, w := range words {
			j.step(s, fmt.Sprintf("site %s knows the way back to %s", s.Name, word), text.Add(s.Place().To("knows"), text.Word(w)))
		}
	}
}

func named(all []plan.Text, word string) bool {
	return slices.ContainsFunc(all, func(t plan.Text) bool { return t.Value == word })
}

// rangesOf are the ranges of what a word names, and the words by which the plan says them: the word itself, or the ranges
// where other things have that name, too.
func (j *joiner) rangesOf(word string) (ranges []netip.Prefix, words []string) {
	others := 0
	for _, o := range j.e.Named(word) {
		switch o := o.(type) {
		case *estate.Network:
			ranges = append(ranges, o.Ranges...)
		case *estate.Site:
			ranges = append(ranges, o.Ranges...)
		case *estate.Tier:
			for _, s := range o.Subnets {
				ranges = append(ranges, s.Ranges...)
			}
			if len(o.Subnets) == 1 && o.Subnets[0].Name == o.Name {
				others-- // a tier and its only subnet are one thing
			}
		case *estate.Subnet:
			ranges = append(ranges, o.Ranges...)
		case *estate.Block, *estate.Cluster:
		default:
			continue
		}
		others++
	}
	ranges = address.SetOf(ranges...).Ranges()
	if others < 2 {
		return ranges, []string{word}
	}
	for _, p := range ranges {
		words = append(words, p.String())
	}
	return ranges, words
}

// routes adds the routes of a network to what is meant of another side, over what joins them.
func (j *joiner) routes(n *estate.Network, far estate.Object, via string) {
	if _, network := far.(*estate.Network); network && n.Profile.PeerRoutes && j.e.Hub(via) == nil {
		if len(j.only) > 0 {
			j.Notes = append(j.Notes, fmt.Sprintf("network %s has routes to all that it is peered with installed by its cloud, so they cannot be narrowed", n.Name))
		}
		return
	}
	for _, t := range j.tables(n) {
		for _, word := range j.parts(far) {
			ranges, words := j.rangesOf(word)
			if j.leads(t, via, word, ranges) {
				continue
			}
			if other := taken(t, ranges); other != nil {
				j.Forbids = append(j.Forbids, diag.Finding{Code: otherWay, At: other.At, Place: t.Place(), Message: fmt.Sprintf("table %s leads %s to %s already", t.ID(), other.To, other.ViaName()), Fixes: diag.Advise("take that route out first, or say with  -only  what is meant")})
				continue
			}
			for i, w := range words {
				var edits []text.Edit
				if t.Plan == nil && i == 0 {
					edits = append(edits, text.Set(t.Place(), "main", text.Word("true")))
				}
				edits = append(edits, text.Add(t.Place().To("routes"), text.Map(text.Field{Key: "to", Value: text.Word(w)}, text.Field{Key: "via", Value: text.Word(via)})))
				j.step(n, fmt.Sprintf("table %s leads %s over %s", t.ID(), w, via), edits...)
			}
		}
	}
}

// leads reports whether a table leads some ranges over what joins the sides already.
func (j *joiner) leads(t *estate.Table, via, word string, ranges []netip.Prefix) bool {
	var over []netip.Prefix
	for _, r := range t.Routes {
		if r.ViaName() == via {
			if r.Name == word && word != "" {
				return true
			}
			over = append(over, r.To)
		}
	}
	set := address.SetOf(over...)
	return len(ranges) > 0 && !slices.ContainsFunc(ranges, func(p netip.Prefix) bool { return !set.ContainsRange(p) })
}

// taken is a route that was written for one of some ranges, and leads elsewhere; nil when there is none.
func taken(t *estate.Table, ranges []netip.Prefix) *estate.Route {
	i := slices.IndexFunc(t.Routes, func(r *estate.Route) bool { return r.Origin == estate.ByHand && slices.Contains(ranges, r.To) })
	if i < 0 {
		return nil
	}
	return t.Routes[i]
}

// tables are those of the subnets that are meant of a network; the main one where it has no subnets.
func (j *joiner) tables(n *estate.Network) []*estate.Table {
	words := j.only[n.Name]
	meant := func(s *estate.Subnet) bool {
		return len(words) == 0 || slices.ContainsFunc(words, s.In)
	}
	var all []*estate.Table
	for _, t := range n.Tables {
		if slices.ContainsFunc(t.Subnets, meant) || len(n.Subnets) == 0 && t.Main {
			all = append(all, t)
			if i := slices.IndexFunc(t.Subnets, func(s *estate.Subnet) bool { return !meant(s) }); i >= 0 {
				j.Notes = append(j.Notes, fmt.Sprintf("table %s is for subnet %s as well, which is not meant", t.ID(), t.Subnets[i].ID()))
			}
		}
	}
	return all
}

// meantFor is what a new join says of what it is meant for: the parts that were named of some networks.
func (j *joiner) meantFor(all ...*estate.Network) []text.Field {
	var words []string
	for _, n := range all {
		for _, w := range j.only[n.Name] {
			if w != n.Name {
				words = append(words, w)
			}
		}
	}
	if len(words) == 0 {
		return nil
	}
	return []text.Field{{Key: "only", Value: text.Words(words...)}}
}

// attachment is what a hub says of something that is attached: the table, and what is meant of it.
func (j *joiner) attachment(table string, x estate.Object) text.Value {
	if n, is := x.(*estate.Network); is {
		if only := j.meantFor(n); len(only) > 0 {
			return text.Map(append([]text.Field{{Key: "table", Value: text.Word(table)}}, only...)...)
		}
	}
	return text.Word(table)
}

// widen adds parts of a network to what a join that stands is meant for, where it is for some alone.
func (j *joiner) widen(only text.Path, n *estate.Network, meant estate.Meant, some bool) {
	for _, w := range j.only[n.Name] {
		if some && w != n.Name && !meant.All() && !slices.Contains(meant.Words, w) {
			j.step(n, fmt.Sprintf("the join is meant for %s, too", w), text.Add(only, text.Word(w)))
		}
	}
}
