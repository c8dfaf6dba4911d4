package reach

import (
	"fmt"
	"slices"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// story is the recorder of a walk that is told in full: every step there and back, and everything that stops it.
type story struct {
	hops     [2][]Hop
	crossed  [2][]estate.Object
	blockers []diag.Finding
}

func (s *story) explains() bool { return true }

func (s *story) remembers(bool) {}

// direction is which of the two ways the walk is on.
func direction(w *walker) int {
	if w.back {
		return 1
	}
	return 0
}

func (s *story) hop(w *walker, h Hop) {
	h.Left, h.Back = w.left, w.back
	if h.far.IsValid() {
		h.Far, h.far = w.describe(h.far), role{} // which would keep whole sets of addresses in memory
	}
	i := direction(w)
	s.hops[i] = append(s.hops[i], h)
}

func (s *story) crosses(w *walker, o estate.Object) {
	i := direction(w)
	s.crossed[i] = append(s.crossed[i], o)
}

func (s *story) block(w *walker, f diag.Finding, h Hop) {
	f.Severity = diag.Error
	i := direction(w)
	h.Back = w.back
	s.hops[i] = append(s.hops[i], h)
	s.suspect(f)
}

func (s *story) half(w *walker, x *estate.Workload, f diag.Finding) {
	w.left = w.left.Minus(flow.TCP())
	may, stops := w.asked.Minus(flow.TCP()), w.asked.Intersect(flow.TCP())
	f.Severity = diag.Warning
	if stops.Empty() {
		f.Message += fmt.Sprintf(": %s may pass it", may)
	} else {
		f.Message += fmt.Sprintf(": %s ends there, and %s may pass it", stops, may)
	}
	s.suspect(f)
	s.hop(w, Hop{Did: SeesHalf, Object: x, At: f.At, Code: f.Code, Message: f.Message, Only: may})
}

// suspect adds a blocker unless the other direction has met the same.
func (s *story) suspect(f diag.Finding) {
	if f.Severity == "" {
		f.Severity = diag.Error
	}
	once := f.Code == PeeringHalf || f.Code == HubLinkHalf
	if !slices.ContainsFunc(s.blockers, func(b diag.Finding) bool { return b.Same(&f) && (once || b.Message == f.Message) }) {
		s.blockers = append(s.blockers, f)
	}
}

// settle drops what narrowed the flows without stopping all of them where the question was which flows pass, unless
// together they left none.
func (s *story) settle(asked flow.Set, v Verdict) []diag.Finding {
	if !asked.Equal(flow.Any()) {
		return s.blockers
	}
	var hard []diag.Finding
	for _, b := range s.blockers {
		if b.Severity == diag.Error {
			hard = append(hard, b)
		}
	}
	if v == Blocked && len(hard) == 0 {
		return s.blockers
	}
	return hard
}

func (s *story) list(w *walker, l *estate.List, dir Direction, p packet) {
	r := w.judgeList(l, dir, p)
	h := Hop{Did: ListPassed, Object: l, Dir: dir, At: l.At()}
	s.judged(w, h, r, func() diag.Finding { return w.listBlocks(l, dir, r) })
}

func (s *story) groups(w *walker, x *estate.Workload, dir Direction, p packet) {
	r := w.judgeGroups(x, dir, p)
	h := Hop{Did: GroupsPassed, Object: x, Dir: dir, At: x.At(), groups: x.Groups}
	if len(x.Groups) == 0 && dir == Out {
		h.Did = NoGroupsOut
	}
	s.judged(w, h, r, func() diag.Finding { return w.groupsBlock(x, dir, r) })
}

// judged notes what a filter made of the packet.
func (s *story) judged(w *walker, h Hop, r *ruling, blocks func() diag.Finding) {
	w.left = w.left.Intersect(r.allowed)
	h.Rules = r.passing
	if len(r.passing) > 0 {
		h.At = r.passing[0].At
	}
	if !r.missing().Empty() {
		f := blocks()
		f.Severity = diag.Error
		h.Message, h.At, h.Stops = f.Message, f.At, true
		if through := r.allowed.Intersect(r.wanted); !through.Empty() {
			f.Severity, h.Only, h.Stops = diag.Warning, through, false
		}
		s.suspect(f)
	}
	s.hop(w, h)
}

// rounds keeps the hops up to where the packet goes the same way again, and gives the routes of the first round.
func (s *story) rounds() []string {
	all := &s.hops[0]
	if len(s.hops[1]) > 0 {
		all = &s.hops[1]
	}
	for j, h := range *all {
		i := slices.IndexFunc((*all)[:j], func(o Hop) bool {
			return o.Did == h.Did && o.Object == h.Object && o.Route == h.Route && o.At == h.At && o.Dir == h.Dir
		})
		if i < 0 {
			continue
		}
		var routes []string
		for _, o := range (*all)[i:j] {
			switch {
			case o.Route == nil:
			case o.Table != nil:
				routes = append(routes, fmt.Sprintf("hub %s (table %s: %s via %s)", o.Object.ID(), o.Table.Name, o.Route.Leads(), o.Route.ViaName()))
			case o.Did == Routed:
				routes = append(routes, fmt.Sprintf("table %s (%s via %s%s)", o.Object.ID(), o.Route.Leads(), o.Route.ViaName(), o.Route.Origin.Remark()))
			default:
				routes = append(routes, fmt.Sprintf("table %s (%s is local)", o.Object.ID(), o.Route.To))
			}
		}
		*all = (*all)[:j]
		return routes
	}
	return nil
}
