package join

import (
	"fmt"
	"net/netip"
	"slices"

	"wendrik/internal/core/address"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// This file takes a join back out.

// Undo works out what takes the same join out again, and nothing else: what joins the two, the routes over it, what was learned
// of the other side, and those rules for the flows that a join would write. The error is a *wrong.Error.
func Undo(e *estate.Estate, q Request) (*Result, error) {
	j, err := newJoiner(e, q)
	if err != nil {
		return nil, err
	}
	switch b := j.B.(type) {
	case *estate.Hub:
		j.detach(j.A, b)
	case *estate.Site:
		j.unlink(j.A.(*estate.Network), b)
	case *estate.Network:
		j.part(j.A.(*estate.Network), b)
	}
	if len(j.Steps) == 0 {
		return nil, wrong.Value("wendrik show "+q.A+"  tells what it is joined to", "%s %s and %s %s are not joined", j.A.Kind(), j.A.ID(), j.B.Kind(), j.B.ID())
	}
	if err := j.make(); err != nil {
		return nil, err
	}
	if !q.On.Empty() {
		if err := j.withoutRules(); err != nil {
			return nil, err
		}
	}
	if len(e.Workloads) <= maxCompared {
		d := compare.Effect(e, j.After)
		j.Opens, j.Closes, j.Against = d.Opens, d.Closes, expect.Against(e, j.After)
	}
	j.halve()
	return j.Result, nil
}

// part takes a peering out, with the routes over it; where one side does so alone, it takes back that it agreed.
func (j *joiner) part(a, b *estate.Network) {
	i := slices.IndexFunc(a.Peerings, func(p *estate.Peering) bool { return p.Far(a) == b })
	if i < 0 {
		return
	}
	p := a.Peerings[i]
	j.By = p.Name
	switch j.q.Half {
	case "":
		j.step(nil, fmt.Sprintf("peering %s is taken out", p.Name), takenOut(len(j.e.Peerings), p.Place()))
	default:
		for k, t := range p.Plan.Accepted {
			if t.Value == j.q.Half {
				j.step(j.e.Network(t.Value), fmt.Sprintf("network %s accepts peering %s no longer", t.Value, p.Name), text.RemoveNth(p.Place().To("accepted"), k+1))
			}
		}
	}
	all := func(*estate.Route) bool { return true }
	j.withoutRoutes(a, p, all)
	j.withoutRoutes(b, p, all)
}

// takenOut takes an entry out of a mapping, and the mapping with its only entry.
func takenOut(entries int, place text.Path) text.Edit {
	if last := len(place) - 1; entries > 1 || last == 0 {
		return text.Remove(place[:last], place[last])
	}
	return takenOut(2, place[:len(place)-1])
}

// withoutRoutes takes routes over something out of the tables of a network, and the main table with its only route where it
// says nothing else, as a join writes it.
func (j *joiner) withoutRoutes(n *estate.Network, via estate.Object, which func(*estate.Route) bool) {
	for _, t := range n.Tables {
		if t.Plan == nil {
			continue
		}
		var out []int
		for i, r := range t.Plan.Routes {
			k := slices.IndexFunc(t.Routes, func(x *estate.Route) bool { return x.At == r.At })
			if r.Via.Value == via.ID() && (k < 0 || which(t.Routes[k])) {
				out = append(out, i)
			}
		}
		if len(out) == 0 {
			continue
		}
		if len(out) == len(t.Plan.Routes) && t.Main && t.Name == "main" && len(t.Plan.Subnets) == 0 && len(n.Plan.Tables) == 1 && !n.FromPattern(t) {
			j.step(n, fmt.Sprintf("table %s leads nothing else", t.ID()), text.Remove(n.Place(), "tables"))
			continue
		}
		for _, i := range out {
			j.step(n, fmt.Sprintf("table %s leads %s over %s no longer", t.ID(), toOf(t.Plan.Routes[i]), via.ID()), text.RemoveNth(t.Place().To("routes"), i+1))
		}
	}
}

func toOf(r plan.Route) string {
	if r.Name.Given() {
		return r.Name.Value
	}
	return r.To.String()
}

// unlink takes a link out, with the routes over it and what the site knows of the network.
func (j *joiner) unlink(n *estate.Network, s *estate.Site) {
	if s.Link != n {
		return
	}
	j.By = s.Name
	j.step(s, fmt.Sprintf("site %s is linked to network %s no longer", s.Name, n.Name), text.Remove(s.Place(), "link"))
	j.forgets(s, n)
	j.withoutRoutes(n, s, func(*estate.Route) bool { return true })
}

// forgets takes out of what a site knows that which is a network, or a part of it.
func (j *joiner) forgets(s *estate.Site, n *estate.Network) {
	type known struct {
		at   text.Pos
		word string
		its  bool
	}
	own := address.SetOf(n.Ranges...)
	var all []known
	for _, r := range s.Plan.Knows {
		all = append(all, known{r.At, r.String(), own.ContainsRange(r.Prefix)})
	}
	for _, t := range s.Plan.Names {
		ranges, _ := j.rangesOf(t.Value)
		all = append(all, known{t.At, t.Value, t.Value == n.Name || len(ranges) > 0 && !slices.ContainsFunc(ranges, func(p netip.Prefix) bool { return !own.ContainsRange(p) })})
	}
	slices.SortFunc(all, func(a, b known) int { return int(a.at) - int(b.at) })
	gone := 0
	for _, k := range all {
		if k.its {
			gone++
		}
	}
	if gone > 0 && gone == len(all) {
		j.step(s, fmt.Sprintf("site %s knows nothing else", s.Name), text.Remove(s.Place(), "knows"))
		return
	}
	for i, k := range all {
		if k.its {
			j.step(s, fmt.Sprintf("site %s knows %s no longer", s.Name, k.word), text.RemoveNth(s.Place().To("knows"), i+1))
		}
	}
}

// detach takes an attachment out, with what hub tables learn of it, the routes of both sides, and what sites know.
func (j *joiner) detach(x estate.Object, h *estate.Hub) {
	if !slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return a.To() == x }) {
		return
	}
	j.By = h.Name
	j.step(x, fmt.Sprintf("%s %s is attached to hub %s no longer", x.Kind(), x.ID(), h.Name), takenOut(len(h.Attachments), h.Place().To("attach", x.ID())))
	for _, t := range h.Tables {
		alone := !slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return a.Table == t && a.To() != x }) &&
			slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return a.Table == t })
		out := 0
		for _, w := range t.Plan.Learns {
			if w.Value == x.ID() || alone {
				out++
			}
		}
		for i, w := range t.Plan.Learns {
			if out == len(t.Plan.Learns) {
				j.step(x, fmt.Sprintf("table %s of hub %s learns nothing else", t.Name, h.Name), text.Remove(t.Place(), "learns"))
				break
			}
			if w.Value == x.ID() || alone {
				j.step(x, fmt.Sprintf("table %s of hub %s learns %s no longer", t.Name, h.Name, w.Value), text.RemoveNth(t.Place().To("learns"), i+1))
			}
		}
		for i, r := range t.Plan.Routes {
			if r.Via.Value == x.ID() {
				j.step(x, fmt.Sprintf("table %s of hub %s leads %s to %s no longer", t.Name, h.Name, toOf(r), x.ID()), text.RemoveNth(t.Place().To("routes"), i+1))
			}
		}
	}
	ranges, _ := j.rangesOf(x.ID())
	own := address.SetOf(ranges...)
	n, network := x.(*estate.Network)
	if network {
		j.withoutRoutes(n, h, func(*estate.Route) bool { return true })
	}
	for _, a := range h.Attachments {
		switch o := a.To().(type) {
		case *estate.Network:
			if o != x {
				j.withoutRoutes(o, h, func(r *estate.Route) bool { return own.ContainsRange(r.To) })
			}
		case *estate.Site:
			if network {
				j.forgets(o, n)
			} else if s := x.(*estate.Site); o == s {
				for _, b := range h.Attachments {
					if b.Network != nil {
						j.forgets(s, b.Network)
					}
				}
			}
		}
	}
}

// withoutRules takes out the rules for the flows that a join would write where none of their kind stood.
func (j *joiner) withoutRules() error {
	of := map[string]candidate{}
	var out text.Changes
	for _, c := range j.candidates() {
		out = append(out, text.Change{Edits: []text.Edit{c.edit}})
		of[c.place.String()+" "+c.words] = c
	}
	if len(out) == 0 {
		return nil
	}
	bare, _, err := j.e.With(append(j.Changes(), out...))
	if err != nil {
		return wrong.Value("nothing was written", "the rules cannot be taken out: %s", err)
	}
	q := j.q
	q.Half = ""
	again, err := Of(bare, q)
	if err != nil {
		return err
	}
	for _, s := range again.Steps {
		for _, e := range s.Edits {
			if c, found := of[e.Path.String()+" "+e.Value.String()]; found {
				j.step(j.whose(c.edit), fmt.Sprintf("the rule  %s  of %s is taken out", c.words, c.place), c.edit)
			}
		}
	}
	return j.make()
}

// candidate is a rule that a join may have written.
type candidate struct {
	place text.Path
	words string
	edit  text.Edit
}

// candidates are the rules of both sides for some of the flows, or for what comes back, that name a far end.
func (j *joiner) candidates() []candidate {
	var sides []*estate.Network
	add := func(o estate.Object) {
		if n, is := o.(*estate.Network); is && !slices.Contains(sides, n) {
			sides = append(sides, n)
		}
	}
	add(j.A)
	add(j.B)
	if h, is := j.B.(*estate.Hub); is {
		for _, a := range h.Attachments {
			if j.meant(a.To()) {
				add(a.To())
			}
		}
	}
	var replies []flow.Set // which lists have to let back, and what balancers hand on
	for _, w := range j.e.Workloads {
		if !w.TargetPorts.Empty() {
			replies = append(replies, w.TargetPorts)
		}
	}
	for _, n := range j.e.Networks {
		replies = append(replies, flow.Ports(n.Profile.ReplyPorts[0], n.Profile.ReplyPorts[1]).Intersect(j.q.On.WholeProtocols()))
	}
	var all []candidate
	for _, n := range sides {
		look := func(place text.Path, rules []plan.Rule) {
			for i, r := range rules {
				if (j.q.On.Covers(r.Flows) || slices.ContainsFunc(replies, r.Flows.Equal)) && !r.Peer.Any {
					all = append(all, candidate{place, text.Word(r.Text).String(), text.RemoveNth(place, i+1)})
				}
			}
		}
		for _, g := range n.Groups {
			if !n.FromPattern(g) {
				look(g.Place().To("in"), g.Plan.In)
				look(g.Place().To("out"), g.Plan.Out)
			}
		}
		for _, l := range n.Lists {
			if !n.FromPattern(l) {
				look(l.Place().To("in"), l.Plan.In)
				look(l.Place().To("out"), l.Plan.Out)
			}
		}
	}
	return all
}
