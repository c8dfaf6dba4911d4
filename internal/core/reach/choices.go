package reach

import (
	"net/netip"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// Where a table has several routes of one rank to a range, a network may take any of them, for each flow and each direction
// another (RFC 2992 says how routers spread flows). So may a site that is attached to several
// hubs with a route. Such a packet is walked once for each choice.

// maxChoices is how many ways are walked for the sake of choices; of what is left, nothing is sure.
const maxChoices = 64

// choices are those that one walk made, in order, among the routes of one rank that it met.
type choices struct {
	made   []choice
	met    int // how many this walk has met so far
	walked int
}

// Tie is where a packet may go any of several ways: by routes of one rank, or, out of a site, by one of its hubs.
type Tie struct {
	To   netip.Prefix    // the range that all of them lead to
	Over []estate.Object // where they lead next
}

func (t Tie) is(o Tie) bool { return t.To == o.To && slices.Equal(t.Over, o.Over) }

// choice is what was taken at one place.
type choice struct {
	tie   Tie
	taken int
}

// take gives which way is taken of those of the tie that the walk comes to next.
func (c *choices) take(t Tie) int {
	if c.met == len(c.made) {
		c.made = append(c.made, choice{tie: t})
	}
	c.met++
	return c.made[c.met-1].taken
}

// next goes on to choices that were not walked yet, and reports whether there are such.
func (c *choices) next() bool {
	if len(c.made) == 0 {
		return false
	}
	c.made, c.met = c.made[:c.met], 0
	for c.walked++; len(c.made) > 0 && c.walked < maxChoices; c.made = c.made[:len(c.made)-1] {
		if last := &c.made[len(c.made)-1]; last.taken+1 < len(last.tie.Over) {
			last.taken++
			return true
		}
	}
	return false
}

func (c *choices) tied() (all []Tie) {
	for _, x := range c.made[:c.met] {
		all = withTie(all, x.tie)
	}
	return all
}

func withTie(all []Tie, t Tie) []Tie {
	if slices.ContainsFunc(all, t.is) {
		return all
	}
	return append(all, t)
}

// choose gives the route that is taken of those of one rank. One that leads over what is out of order is withdrawn where
// another stands.
func (w *walker) choose(r *estate.Route, over func(*estate.Route) any) *estate.Route {
	if r == nil || len(r.Or) == 0 {
		return r
	}
	all := slices.DeleteFunc(append([]*estate.Route{r}, r.Or...), func(x *estate.Route) bool { return w.e.Out(over(x)) })
	w.record.remembers(false) // since the walk must be made for each
	switch len(all) {
	case 0:
		return r
	case 1:
		return all[0]
	}
	tie := Tie{To: r.To}
	for _, x := range all {
		tie.Over = append(tie.Over, x.Via)
	}
	return all[w.choices.take(tie)]
}

// byHub is the attachment by which a site sends a packet: the one whose hub has the longest route for it, and any of several that
// have one as long. The last where none has any, so that the reason can be told; nil where the site is attached to nothing. One
// that is out of order is passed over where another stands.
func (w *walker) byHub(site *estate.Site, p packet) *estate.Attachment {
	var best []*estate.Attachment
	tie := Tie{}
	for _, a := range site.Attachments {
		r := lookup(p.dst, a.Table.Routes, a.Table.Lookup)
		switch {
		case r == nil || len(site.Attachments) > 1 && (w.e.Out(a) || w.e.Out(a.Hub)):
		case len(best) == 0 || r.To.Bits() > tie.To.Bits():
			best, tie = append(best[:0], a), Tie{To: r.To, Over: []estate.Object{a.Hub}}
		case r.To.Bits() == tie.To.Bits():
			best, tie.Over = append(best, a), append(tie.Over, a.Hub)
		}
	}
	switch {
	case len(best) > 1:
		w.record.remembers(false) // since the walk must be made for each
		return best[w.choices.take(tie)]
	case len(best) == 1:
		return best[0]
	case len(site.Attachments) > 0:
		return site.Attachments[len(site.Attachments)-1]
	}
	return nil
}

// overPeer is what a route of a network's own table that is one of several leads over; attached, that of a hub's.
func overPeer(r *estate.Route) any { return r.Via }

func attached(h *estate.Hub) func(*estate.Route) any {
	return func(r *estate.Route) any {
		for _, a := range h.Attachments {
			if a.To() == r.Via {
				return a
			}
		}
		return nil
	}
}

// Each are the ways that packets may go by the choice among routes of one rank; the way itself where there is none.
func (w *Way) Each() []Way {
	if len(w.each) > 0 {
		return w.each
	}
	return []Way{*w}
}

// either is the way of packets that may go any of some: what passes by all of them passes, and what passes by some may pass.
func either(ways []Way) Way {
	shown := max(slices.IndexFunc(ways, func(w Way) bool { return !w.Some.Empty() }), 0)
	way, always, same := ways[shown], ways[shown].Some, true
	for i, o := range ways {
		if i == shown {
			continue
		}
		same = same && o.Full.Equal(way.Full) && o.Some.Equal(way.Some) && o.May.Equal(way.May)
		way.Full, way.Some, way.May, always = way.Full.Intersect(o.Full), way.Some.Union(o.Some), way.May.Union(o.May), always.Intersect(o.Some)
		for _, s := range o.SeenAs {
			if !slices.Contains(way.SeenAs, s) {
				way.SeenAs = append(slices.Clip(way.SeenAs), s)
			}
		}
		for _, t := range o.Tied {
			way.Tied = withTie(slices.Clip(way.Tied), t)
		}
		way.Blockers = withOthers(way.Blockers, o.Blockers)
	}
	if len(ways) > 1 {
		way.each = ways
	}
	if len(ways) >= maxChoices { // not all were walked
		same, way.Full, always = false, flow.Set{}, flow.Set{}
	}
	if same {
		way.Tied = nil
	}
	way.May = way.May.Union(way.Some.Minus(always)).Minus(way.Full)
	return way
}
