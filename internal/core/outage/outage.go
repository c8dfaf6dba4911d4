// Package outage says what stops when a part of an estate fails: what is gone with it, what else stops that did not live there,
// which lines of expect break, and whom the internet sees otherwise.
package outage

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/meet"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Loss is what the failure of some parts comes to.
type Loss struct {
	Of     []string // kind and name of each: peering booking-harbour, zone west-a
	At     text.Pos
	Gone   []string          // workloads that live there
	Stops  []grid.Difference // what stops besides
	Seen   []grid.Seen       // workloads that the internet sees otherwise
	Breaks []plan.Expectation
	End    string // the change that would end it, in words; empty where nothing stops
	Many   int    // how many pairs stop, of whom Of does not say which since they are more than anybody reads; 0 where it does
	harm   int
	pairs  int
	set    []estate.Part
	brief  bool // whether Of has left out what stops, and who is seen otherwise
}

// Name is what fails, in words.
func (l *Loss) Name() string { return strings.Join(l.Of, " and ") }

// Harm is how many pairs stop, and how many lines break, beside what is gone with the part itself.
func (l *Loss) Harm() int { return l.harm }

// Of works out what each part of an estate takes with it when it fails alone, or with pairs every two of them; the worst first, and of that
// many what stops and who is seen otherwise, or of all where most is 0; of the largest only between how many. Before each it calls step, when that is not nil.
func Of(e *estate.Estate, pairs bool, most int, step func(done, total int)) []Loss {
	parts := e.Parts()
	var sets [][]estate.Part
	for i, p := range parts {
		if !pairs {
			sets = append(sets, []estate.Part{p})
			continue
		}
		for _, q := range parts[i+1:] {
			sets = append(sets, []estate.Part{p, q})
		}
	}
	w := newWorker(e)
	if len(sets) > 1 {
		w.standing.Remember()
	}
	weighed := most > 0 && len(sets) > most
	if weighed {
		w.standing.Tally()
	}
	all := make([]Loss, len(sets))
	for i, set := range sets {
		if step != nil {
			step(i, len(sets))
		}
		all[i] = w.loss(set, weighed)
	}
	slices.SortStableFunc(all, func(a, b Loss) int { return -cmp.Compare(a.harm, b.harm) })
	for i := range all[:min(most, len(all))] {
		switch {
		case !all[i].brief:
		case all[i].pairs > maxSaid:
			all[i].Many = all[i].pairs
		default:
			all[i] = w.loss(all[i].set, false)
		}
	}
	return all
}

// maxSaid is up to how many pairs Of says of the worst losses which they are: a hub of a thousand networks parts a billion.
const maxSaid = 20_000_000

// Whole gives losses one after another, and works out again what Of has left out of them, so that never all of them are held. An error of give
// ends that, and comes back.
func Whole(e *estate.Estate, all []Loss, give func(*Loss) error) error {
	var w *worker
	for i := range all {
		l := all[i]
		if l.brief {
			if w == nil {
				w = newWorker(e)
				w.standing.Remember()
			}
			l = w.loss(l.set, false)
		}
		if err := give(&l); err != nil {
			return err
		}
	}
	return nil
}

// Named works out what some parts take with them when they fail together, by their names: peering booking-harbour, or the name
// alone where one part has it. The error is a *wrong.Error.
func Named(e *estate.Estate, names []string) (Loss, error) {
	var set []estate.Part
	parts := e.Parts()
	for _, name := range names {
		var found []estate.Part
		for _, p := range parts {
			if p.Kind+" "+p.Name == name || p.Name == name {
				found = append(found, p)
			}
		}
		switch {
		case len(found) == 0:
			var known []string
			for _, p := range parts {
				known = append(known, p.Name)
			}
			right := "name a zone, a gateway, a workload that forwards, a peering, a hub, a hub link, HUB/NAME for an attachment, or a site with a link"
			if near := diag.Nearest(name, known); near != "" {
				right = "did you mean " + near + "?"
			}
			return Loss{}, wrong.Value(right, "%q is no part that can fail", name)
		case len(found) > 1:
			return Loss{}, wrong.Value(fmt.Sprintf("write  %q", found[0].Kind+" "+found[0].Name), "%q is both a %s and a %s", name, found[0].Kind, found[1].Kind)
		}
		if p := found[0]; !slices.ContainsFunc(set, func(o estate.Part) bool { return o.Kind == p.Kind && o.Name == p.Name }) {
			set = append(set, p)
		}
	}
	return newWorker(e).loss(set, false), nil
}

type worker struct {
	e        *estate.Estate
	standing *grid.Standing
	meetings *meet.Map
	balance  []*estate.Workload // those that hand on to others
	held     []bool             // of each line of expect, whether it holds while everything works
	rests    [][]any            // of each that does, all that must be in order for it
}

func newWorker(e *estate.Estate) *worker {
	w := &worker{e: e, standing: grid.NewStanding(e), meetings: meet.Of(e)}
	for _, x := range e.Workloads {
		if len(x.Targets) > 0 {
			w.balance = append(w.balance, x)
		}
	}
	watched, watch := e.Watched()
	for i, r := range expect.Run(e, nil) {
		w.held, w.rests = append(w.held, r.Holds), append(w.rests, nil)
		if x := &e.Plan.Expect[i]; r.Holds && fails(x) {
			expect.While(watched, x, nil)
			w.rests[i] = slices.Clone(watch.Take())
		}
	}
	return w
}

// loss works out what some parts take with them; or with brief how much that is, and which lines break.
func (w *worker) loss(set []estate.Part, brief bool) Loss {
	l := Loss{At: set[0].At, set: set, brief: brief}
	gone := map[string]bool{}
	for _, p := range set {
		l.Of = append(l.Of, p.Kind+" "+p.Name)
		for _, x := range p.Gone {
			if !gone[x.Name] {
				gone[x.Name] = true
				l.Gone = append(l.Gone, x.Name)
			}
		}
	}
	failing := w.e.Without(set...)
	var d *grid.Differences
	pairs := 0
	if brief && len(gone) == 0 {
		d, pairs = w.standing.Count(failing, w.touched(set))
	} else {
		d = w.standing.Without(failing, w.touched(set))
	}
	for _, x := range d.Closes {
		x.From, x.To = left(x.From, gone), left(x.To, gone)
		if len(x.From) > 0 && len(x.To) > 0 && !(len(x.From) == 1 && slices.Equal(x.From, x.To)) {
			l.Stops = append(l.Stops, x)
		}
	}
	for _, s := range d.Seen {
		if !gone[s.Workload] && s.Is != "" {
			l.Seen = append(l.Seen, s)
		}
	}
	l.Breaks = w.breaks(failing, l.Gone)
	l.pairs = pairs
	for _, d := range l.Stops {
		l.pairs += len(d.From) * len(d.To)
	}
	l.harm = l.pairs + 1000*len(l.Breaks)
	if l.harm > 0 {
		l.End = ends(w.e, set)
	}
	if brief {
		l.Stops, l.Seen = nil, nil
	}
	return l
}

func left(names []string, gone map[string]bool) []string {
	if len(gone) == 0 {
		return names
	}
	return slices.DeleteFunc(slices.Clone(names), func(n string) bool { return gone[n] })
}

// touched are the networks from or to which anything can stop: those of the parts, all that meet a site of theirs, and all that go
// through such as pass packets on for others.
func (w *worker) touched(set []estate.Part) func(string) bool {
	in := map[string]bool{}
	for _, p := range set {
		for _, name := range p.Networks() {
			n, s := w.e.Network(name), w.e.Site(name)
			if n != nil {
				in[name] = true
			}
			wide := s != nil || n != nil && (len(n.Doors()) > 0 || slices.ContainsFunc(n.Peerings, func(p *estate.Peering) bool { return p.Carries(n) }))
			if !wide {
				continue
			}
			for _, o := range w.e.Networks {
				var end estate.Object = n
				if s != nil {
					end = s
				}
				if o != n && w.meetings.Meet(o, end) {
					in[o.Name] = true
				}
			}
		}
	}
	for _, x := range w.balance { // balancers hand on into what is touched, and to what is gone
		for _, t := range x.Targets {
			if x.Network() != nil && t.Network() != nil && in[t.Network().Name] {
				in[x.Network().Name] = true
			}
		}
	}
	return func(network string) bool { return in[network] }
}

// fails reports whether a line of expect is one that can break because parts fail.
func fails(x *plan.Expectation) bool { return !x.Never && x.Without == "" && x.LeavesAs == "" }

// breaks are the lines of expect that hold, and do not while some parts fail: of those who are left.
func (w *worker) breaks(failing *estate.Estate, gone []string) []plan.Expectation {
	var all []plan.Expectation
	for i := range w.e.Plan.Expect {
		x := w.e.Plan.Expect[i]
		if !w.held[i] || !fails(&x) || len(gone) == 0 && !failing.AnyOut(w.rests[i]) {
			continue
		}
		if r := expect.While(failing, &x, gone); r.Pairs > 0 && !r.Holds || r.Pairs == 0 && !r.Waits {
			all = append(all, w.e.Plan.Expect[i])
		}
	}
	return all
}

// ends is the change that would end a single point of failure, as far as it can be said in general.
func ends(e *estate.Estate, set []estate.Part) string {
	var words []string
	for _, p := range set {
		switch p.Kind {
		case "zone":
			words = append(words, "spread over more zones what lives there alone, with a NAT gateway in each")
		case "NAT gateway":
			network, _, _ := strings.Cut(p.Name, "/")
			if n := e.Network(network); n != nil && n.Profile.NATServes {
				words = append(words, "a second NAT gateway, which serves half of its subnets")
			} else if n != nil && n.Plan.NAT.Value != "per-zone" && len(n.NATs()) < 2 {
				words = append(words, fmt.Sprintf("write  nat: per-zone  at network %s, and run wire", network))
			} else {
				words = append(words, "a second NAT gateway in the zone, for half of its subnets")
			}
		case "gateway":
			words = append(words, "none: a network has one such gateway, and its cloud keeps it up")
		case "workload":
			words = append(words, "a second one in another zone, and routes by zone")
		case "peering":
			words = append(words, "a second way, over a hub")
		case "hub", "hub link", "attachment":
			words = append(words, "a second hub, or peerings between those that must not part")
		case "site link":
			words = append(words, "attach the site to a hub, by two links")
		}
	}
	return strings.Join(words, "; ")
}
