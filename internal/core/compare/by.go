package compare

import (
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// This file finds by which part of a change a flow opens or closes.

// causes finds the changes that do something.
type causes struct {
	before, after *estate.Estate
	changes       []Change
	is, was       map[text.Pos]*Change // by where they stand
}

// of are the changes by which the flows of a difference open, or close: those that its packets rely on where they pass, and
// those of which they are stopped where they do not. Where neither says it, the changes of the ends themselves, and of what
// they live in.
func (c *causes) of(x grid.Difference, opens bool) []*Change {
	from, to := x.From[0], x.To[0]
	if from == to && len(x.To) > 1 {
		to = x.To[1]
	} else if from == to && len(x.From) > 1 {
		from = x.From[1]
	}
	if c.is == nil {
		c.is, c.was = map[text.Pos]*Change{}, map[text.Pos]*Change{}
		for i := range c.changes {
			ch := &c.changes[i]
			if ch.Is.Known() {
				c.is[ch.Is] = ch
			}
			if ch.Was.Known() {
				c.was[ch.Was] = ch
			}
		}
	}
	passing, stopping, whereIs, whereWas := c.after, c.before, c.is, c.was
	kinds := []string{New, Gone}
	if !opens {
		passing, stopping, whereIs, whereWas = c.before, c.after, c.was, c.is
		kinds = []string{Gone, New}
	}
	var all []*Change
	add := func(ch *Change, kind string) {
		if ch != nil && (ch.Kind == kind || ch.Kind == Changed) && !slices.Contains(all, ch) {
			all = append(all, ch)
		}
	}
	for _, name := range []string{from, to} {
		add(c.end(passing, name, whereIs), kinds[0])
	}
	if len(all) > 0 && all[0].Kind != Changed {
		return all // what is not there cannot be reached
	}
	for _, name := range []string{from, to} {
		if w := passing.Workload(name); w != nil && w.Subnet != nil {
			add(whereIs[w.Subnet.At()], kinds[0]) // its table or its list is another
		}
	}
	if a := ask(passing, from, to, &x); a != nil {
		for _, at := range relied(a) {
			add(whereIs[at], kinds[0])
		}
	}
	if a := ask(stopping, from, to, &x); a != nil {
		for _, at := range stops(a) {
			add(whereWas[at], kinds[1])
		}
	}
	if len(all) == 0 {
		for _, name := range []string{from, to} {
			if w := passing.Workload(name); w != nil && w.Subnet != nil {
				add(whereIs[w.Subnet.Table.At()], Changed)
				add(whereIs[w.Network().At()], Changed)
			}
		}
	}
	return all
}

// end is the change of an end itself; nil for none.
func (c *causes) end(e *estate.Estate, name string, where map[text.Pos]*Change) *Change {
	if w := e.Workload(name); w != nil {
		return where[w.Plan.Name.At]
	}
	if s := e.Site(name); s != nil {
		return where[s.At()]
	}
	return nil
}

// ask asks about the flows of a difference between two of its ends; of what is outside, about the part that is meant.
func ask(e *estate.Estate, from, to string, about *grid.Difference) *reach.Answer {
	var ends [2]reach.End
	for i, name := range []string{from, to} {
		end, err := reach.Find(e, name)
		if err != nil {
			return nil
		}
		if p, outside := about.Parts[name]; outside && !p.Rest.Empty() {
			end = end.Only(p.Of)
		}
		ends[i] = end
	}
	return reach.Ask(e, reach.Question{From: ends[0], To: ends[1], Flows: about.Flows})
}

// relied is where all stands that packets rely on which pass: rules, routes, and what they cross.
func relied(a *reach.Answer) []text.Pos {
	var all []text.Pos
	add := func(at text.Pos) {
		if at.Known() {
			all = append(all, at)
		}
	}
	for _, w := range a.EachWay() {
		if w.Some.Empty() {
			continue
		}
		for _, hops := range [][]reach.Hop{w.Forward, w.Back} {
			for _, h := range hops {
				add(h.At)
				for _, r := range h.Rules {
					add(r.At)
				}
				if h.Route != nil {
					add(h.Route.At)
				}
				if h.Object != nil {
					add(h.Object.At())
					if s, is := h.Object.(*estate.Subnet); is {
						add(s.Table.At())
					}
				}
				if h.Table != nil {
					add(h.Table.At())
				}
			}
		}
	}
	for _, t := range a.Targets {
		all = append(all, relied(t)...)
	}
	return all
}

// stops is where all stands that stops packets.
func stops(a *reach.Answer) []text.Pos {
	var all []text.Pos
	for _, w := range a.EachWay() {
		for _, hops := range [][]reach.Hop{w.Forward, w.Back} {
			for _, h := range hops {
				if h.Stops && h.At.Known() {
					all = append(all, h.At)
				}
				if h.Stops && h.Object != nil {
					all = append(all, h.Object.At())
				}
			}
		}
	}
	for _, b := range a.Blockers {
		all = append(all, b.At)
	}
	return all
}
