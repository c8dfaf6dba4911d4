// Package join works out all that joining two networks takes, or a network and a hub, or a site and one of these: what forbids
// it, the peering, attachment or link, the routes of both sides, what the far side learns, the rules for some flows, and what
// that opens. It takes the same back out, too.
package join

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
)

// Request is what is to be joined, and how.
type Request struct {
	A, B  string
	Only  []string // parts of either side, or of what is behind a hub, that are meant; empty for all
	On    flow.Set // what A is to reach B on; empty for nothing that needs rules
	Half  string   // the side that writes its own part alone; empty for both
	Table string   // of a hub with several: the table that what is attached looks into
}

// Step is one touch point.
type Step struct {
	text.Change
	Of    string // the network, hub or site whose part it is; empty for what belongs to both
	Owner string // who to ask about that; empty when nobody is named
}

// Result is what joining comes to.
type Result struct {
	A, B    estate.Object
	By      string         // the peering, hub or link by which they are joined
	Forbids []diag.Finding // what forbids it
	Steps   []Step         // what is missing, or with Half the part of that side
	Told    []Step         // with Half: what the other side has to do
	After   *estate.Estate // the estate once all of both is done
	Opens   []grid.Difference
	Closes  []grid.Difference
	Against []plan.Expectation // lines that hold, and that it breaks
	Unmet   []diag.Finding     // what keeps A from reaching B on the flows beside this
	Notes   []string           // what else is to be known
}

// Codes of findings.
const (
	forbidden diag.Code = "join-overlap"
	otherLink diag.Code = "join-other-link"
	otherWay  diag.Code = "join-other-route"
)

// maxCompared is the largest estate, in workloads, of which it is worked out what a join opens.
const maxCompared = 5000

// Changes are the steps in the order in which a person would make them.
func (r *Result) Changes() text.Changes {
	var all text.Changes
	for _, s := range r.Steps {
		all = append(all, s.Change)
	}
	return all
}

// Networks and Owners are whose parts the steps are.
func (r *Result) Networks() []string {
	return distinct(r.Steps, func(s Step) string { return s.Of })
}

// Owners are those who are named for the parts that the steps are of.
func (r *Result) Owners() []string {
	return distinct(r.Steps, func(s Step) string { return s.Owner })
}

func distinct(steps []Step, word func(Step) string) []string {
	var all []string
	for _, s := range steps {
		if w := word(s); w != "" && !slices.Contains(all, w) {
			all = append(all, w)
		}
	}
	return all
}

// Of works out a join. The error is a *wrong.Error, of a word that names nothing that can be joined.
func Of(e *estate.Estate, q Request) (*Result, error) {
	j, err := newJoiner(e, q)
	if err != nil {
		return nil, err
	}
	if err := j.join(); err != nil {
		return nil, err
	}
	if err := j.make(); err != nil {
		return nil, err
	}
	j.forbids()
	if len(j.Forbids) == 0 && !q.On.Empty() {
		if err := j.rules(); err != nil {
			return nil, err
		}
	}
	if len(e.Workloads) <= maxCompared && j.After != e {
		d := compare.Effect(e, j.After)
		j.Opens, j.Closes = d.Opens, d.Closes
		j.Against = append(j.Against, expect.NoLonger(e, j.After, len(d.Closes) > 0)...)
	}
	j.halve()
	return j.Result, nil
}

type joiner struct {
	*Result
	e    *estate.Estate
	q    Request
	only map[string][]string // by network or site, the words of Only that are parts of it
}

// newJoiner binds the words of a request.
func newJoiner(e *estate.Estate, q Request) (*joiner, error) {
	j := &joiner{e: e, q: q, Result: &Result{After: e}, only: map[string][]string{}}
	for i, word := range []string{q.A, q.B} {
		var o estate.Object
		switch {
		case e.Network(word) != nil:
			o = e.Network(word)
		case e.Hub(word) != nil:
			o = e.Hub(word)
		case e.Site(word) != nil:
			o = e.Site(word)
		default:
			right := "join takes networks, hubs and sites"
			if near := e.Near(word, estate.NetworkKind, estate.HubKind, estate.SiteKind); near != "" {
				right = "did you mean " + near + "?"
			}
			return nil, wrong.Value(right, "there is no network, hub or site %q", word)
		}
		if i == 0 {
			j.A = o
		} else {
			j.B = o
		}
	}
	if j.A == j.B {
		return nil, wrong.Value("name two", "%s %s is joined to itself already", j.A.Kind(), j.A.ID())
	}
	// A hub comes last, and a site after a network.
	if rank(j.A) > rank(j.B) {
		j.A, j.B = j.B, j.A
	}
	if _, both := j.A.(*estate.Hub); both || rank(j.A) == 1 && rank(j.B) == 1 {
		return nil, wrong.Value("join a network and a hub, or two networks", "%s %s and %s %s are not joined by this", j.A.Kind(), j.A.ID(), j.B.Kind(), j.B.ID())
	}
	for _, word := range q.Only {
		whole, _, _ := strings.Cut(word, "/")
		ranged := slices.ContainsFunc(e.Named(word), func(o estate.Object) bool {
			switch o.(type) {
			case *estate.Network, *estate.Tier, *estate.Subnet, *estate.Site:
				return true
			}
			return false
		})
		if !ranged {
			return nil, wrong.Value("name a network, network/tier, network/subnet or site", "%q names no part that can be meant alone", word)
		}
		if !j.has(whole) {
			return nil, wrong.Value(fmt.Sprintf("name parts of %s and %s", q.A, q.B), "%s is no part of either side", word)
		}
		j.only[whole] = append(j.only[whole], word)
	}
	if q.Half != "" && q.Half != q.A && q.Half != q.B {
		return nil, wrong.Value(fmt.Sprintf("write  -half %s  or  -half %s", q.A, q.B), "%q is neither of the two sides", q.Half)
	}
	return j, nil
}

func rank(o estate.Object) int {
	switch o.(type) {
	case *estate.Site:
		return 1
	case *estate.Hub:
		return 2
	}
	return 0
}

// has reports whether a network or site is one of the two sides, or is attached to the hub that is one.
func (j *joiner) has(name string) bool {
	if j.A.ID() == name || j.B.ID() == name {
		return true
	}
	h, is := j.B.(*estate.Hub)
	return is && slices.ContainsFunc(h.Attachments, func(a *estate.Attachment) bool { return a.To().ID() == name })
}

// parts are the words for what is meant of a network or site: those of Only, or its name.
func (j *joiner) parts(o estate.Object) []string {
	if words := j.only[o.ID()]; len(words) > 0 {
		return words
	}
	return []string{o.ID()}
}

// meant reports whether anything of what is attached to a hub is meant.
func (j *joiner) meant(o estate.Object) bool {
	if len(j.only[o.ID()]) > 0 {
		return true
	}
	for name := range j.only {
		if name != j.A.ID() {
			return false // others are named, and it is not
		}
	}
	return true
}

func (j *joiner) step(of estate.Object, why string, edits ...text.Edit) {
	s := Step{Change: text.Change{Edits: edits, Why: why}}
	if of != nil {
		s.Of, s.Owner = of.ID(), ownerOf(of)
	}
	j.Steps = append(j.Steps, s)
}

func ownerOf(o estate.Object) string {
	switch o := o.(type) {
	case *estate.Network:
		return o.Plan.Owner.Value
	case *estate.Site:
		return o.Plan.Owner.Value
	}
	return ""
}

func (j *joiner) forbid(code diag.Code, o estate.Object, fix, format string, args ...any) {
	j.Forbids = append(j.Forbids, diag.Finding{Code: code, At: o.At(), Place: o.Place(), Message: fmt.Sprintf(format, args...), Fixes: diag.Advise(fix)})
}

// join adds the steps that lack.
func (j *joiner) join() error {
	switch b := j.B.(type) {
	case *estate.Hub:
		return j.attach(j.A, b)
	case *estate.Site:
		j.link(j.A.(*estate.Network), b)
	case *estate.Network:
		j.peer(j.A.(*estate.Network), b)
	}
	return nil
}

// make makes the steps on a copy.
func (j *joiner) make() error {
	if len(j.Steps) == 0 {
		return nil
	}
	after, problems, err := j.e.With(j.Changes())
	if err == nil && len(problems) > len(j.e.Problems) {
		err = fmt.Errorf("%s", problems[0].Message)
	}
	if err != nil {
		return wrong.Value("nothing was written", "the join cannot be written: %s", err)
	}
	j.After = after
	return nil
}

// forbids finds ranges that overlap and meet once the two are joined, and do not today.
func (j *joiner) forbids() {
	if j.After == j.e {
		return
	}
	key := func(p overlap.Pair) string { return fmt.Sprint(p.A, p.A.Range, p.B, p.B.Range) }
	had := map[string]bool{}
	for _, p := range overlap.Estate(j.e).Pairs {
		if p.Verdict != overlap.Conflict {
			break
		}
		had[key(p)] = true
	}
	var fresh []overlap.Pair
	for _, p := range overlap.Estate(j.After).Pairs {
		if p.Verdict == overlap.Conflict && !had[key(p)] {
			fresh = append(fresh, p)
		}
	}
	for _, p := range overlap.Couples(fresh) {
		fix := ""
		if p.Move != nil {
			fix = p.Move.String()
		}
		f := diag.Finding{Code: forbidden, Place: p.B.Place(), Message: fmt.Sprintf("%s (%s) and %s (%s) overlap: %s", p.A, p.A.Range, p.B, p.B.Range, p.Why), Fixes: diag.Advise(fix)}
		for _, o := range j.e.Named(p.B.Name) { // where it stands today
			if slices.Equal(o.Place(), f.Place) {
				f.At = o.At()
			}
		}
		j.Forbids = append(j.Forbids, f)
	}
}

// rules adds what A needs to reach B on the flows: rules, and routes that were not foreseen.
func (j *joiner) rules() error {
	a, b := j.askers()
	for _, from := range a {
		for _, to := range b {
			f, err := reach.FindEnds(j.After, from)
			if err != nil {
				continue
			}
			t, err := reach.FindEnds(j.After, to)
			if err != nil {
				continue
			}
			s := grid.AskMany(j.After, f, t, j.q.On, false, nil)
			if s.Pairs == 0 {
				j.Notes = append(j.Notes, fmt.Sprintf("no rules were worked out from %s to %s, because there is nobody at one of them yet", from, to))
				continue
			}
			if s.Verdict == reach.Open {
				continue
			}
			if err := j.ruled(repair.OfMany(j.After, s)); err != nil {
				return err
			}
			for _, p := range grid.AskMany(j.After, endsOf(j.After, from), endsOf(j.After, to), j.q.On, false, nil).Parts {
				for _, b := range p.Answer.Blockers {
					if !slices.ContainsFunc(j.Unmet, func(o diag.Finding) bool { return repair.Alike(o, b) }) {
						j.Unmet = append(j.Unmet, b)
					}
				}
			}
		}
	}
	return nil
}

// endsOf are the ends that a word names, which has been found before.
func endsOf(e *estate.Estate, word string) reach.Ends {
	ends, _ := reach.FindEnds(e, word)
	return ends
}

// ruled adds those fixes that are rules of the two sides: what else is in the way is not a part of the join.
func (j *joiner) ruled(r *repair.Repair) error {
	so := j.Changes()
	for _, c := range r.Causes {
		edits := slices.Clone(c.Edits())
		for i := range edits {
			edits[i] = so.Before(edits[i])
		}
		if len(edits) > 0 && !slices.ContainsFunc(edits, func(e text.Edit) bool { return !j.isRule(e) }) {
			j.step(j.whose(edits[0]), fmt.Sprintf("%s, because %s", said(edits), c.Message), edits...)
		}
	}
	return j.make()
}

// isRule reports whether an edit adds a rule to a group or list that is there, of one of the sides, or of what is meant
// behind a hub.
func (j *joiner) isRule(e text.Edit) bool {
	if _, there := j.e.Plan.Files.Value(e.Path); !there && len(e.Path) == 5 {
		if n := j.e.Network(e.Path[1]); n == nil || !slices.ContainsFunc(j.e.Named(n.Name+"/"+e.Path[3]), func(o estate.Object) bool { return slices.Equal(o.Place(), e.Path[:4]) }) {
			return false
		}
	}
	return len(e.Path) == 5 && e.Path[0] == "networks" && j.has(e.Path[1]) && (e.Path[2] == "groups" || e.Path[2] == "lists") && !e.Remove
}

// said is what edits do, in words.
func said(edits []text.Edit) string {
	f := diag.Fix{Edits: edits}
	return f.String()
}

// askers are the words for who asks, and who is asked.
func (j *joiner) askers() (a, b []string) {
	side := func(o estate.Object) []string {
		h, is := o.(*estate.Hub)
		if !is {
			return j.parts(o)
		}
		var all []string
		for _, x := range h.Attachments {
			if x.To() != j.A && j.meant(x.To()) {
				all = append(all, j.parts(x.To())...)
			}
		}
		return all
	}
	a, b = side(j.A), side(j.B)
	if j.A.ID() != j.q.A {
		a, b = b, a
	}
	return a, b
}

// whose is the network, hub or site that an edit is in; nil for none of them.
func (j *joiner) whose(e text.Edit) estate.Object {
	if len(e.Path) < 2 {
		return nil
	}
	switch e.Path[0] {
	case "networks":
		if n := j.e.Network(e.Path[1]); n != nil {
			return n
		}
	case "sites":
		if s := j.e.Site(e.Path[1]); s != nil {
			return s
		}
	case "hubs":
		if h := j.e.Hub(e.Path[1]); h != nil {
			return h
		}
	case "workloads":
		if w := j.e.Workload(e.Path[1]); w != nil && w.Network() != nil {
			return w.Network()
		}
	}
	return nil
}

// halve leaves the other side's steps to it.
func (j *joiner) halve() {
	if j.q.Half == "" {
		return
	}
	var own []Step
	for _, s := range j.Steps {
		if s.Of == "" || s.Of == j.q.Half {
			own = append(own, s)
		} else {
			j.Told = append(j.Told, s)
		}
	}
	j.Steps = own
}
