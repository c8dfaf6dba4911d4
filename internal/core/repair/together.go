package repair

import (
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/text"
)

// Together is what would open the flows of several surveys, searched for at once: the plan is read anew for all of them, and
// not for each.
type Together struct {
	Surveys  []Share
	Estate   *estate.Estate // once all edits are made
	MayClose bool           // whether some of the edits do more than add rules that let something pass
}

// Share is what belongs to one of the surveys.
type Share struct {
	Causes []diag.Finding // with the edits that end them; one that ends a cause of several surveys is at the first alone
	Left   []diag.Finding // what no edit ends
	Open   bool           // whether all passes then
	Alone  bool           // whether it must be worked out by itself, since some of its edits may close what passes today
}

// OfAll works out what would open the flows of several surveys of an estate. It reports false where their edits cannot be made
// beside each other, or some of them undo what others do; then they must be worked out in smaller parts. Nothing is made for
// surveys that do not open, and for those that must be worked out alone. No rule is needless; a route may be where the routes of another
// survey do what it does, as those that a peer exports.
func OfAll(e *estate.Estate, surveys []*grid.Survey) (*Together, bool) {
	t := &together{search: search{e: e}}
	for _, s := range surveys {
		t.lines = append(t.lines, &line{survey: s, was: answersOf(s), now: answersOf(s)})
	}
	if !t.collect() || !t.dropClosed() || !t.prune() {
		return nil, false
	}
	return t.result(), true
}

type together struct {
	search         // its steps are those of all lines
	of     [][]int // by step: the numbers of the lines that need it
	lines  []*line
	now    *estate.Estate
}

// line is a survey that is part of a joint search.
type line struct {
	survey   *grid.Survey
	was, now []*reach.Answer
	alone    bool
}

func (l *line) open() bool {
	return !slices.ContainsFunc(l.now, func(a *reach.Answer) bool { return a.Verdict != reach.Open })
}

// collect makes the fixes of all lines, as that of one search does.
func (t *together) collect() bool {
	t.now = t.e
	for range maxRounds {
		base := len(t.steps)
		numbers := map[string]int{} // of steps, by their words
		for n, x := range t.steps {
			numbers[x.words()] = n
		}
		var fresh []step
		for i, l := range t.lines {
			if l.alone || l.open() {
				continue
			}
			for _, b := range causes(l.now) {
				x := step{cause: b, edits: t.placed(alternatives(t.e, b, l.survey.From, l.survey.To))}
				if len(x.edits) == 0 {
					continue
				}
				if len(x.edits) > 1 && !onlyAllows(x.edits[0]) {
					l.alone = true
				}
				n, known := numbers[x.words()]
				if !known {
					n = base + len(fresh)
					numbers[x.words()] = n
					fresh, t.of = append(fresh, x), append(t.of, nil)
				}
				if !slices.Contains(t.of[n], i) {
					t.of[n] = append(t.of[n], i)
				}
			}
		}
		t.steps = append(t.steps, fresh...)
		// What was made in rounds before for a line that is alone now is taken back, too.
		if dropped := t.leaveOut(func(l *line) bool { return l.alone }); !dropped && len(fresh) == 0 {
			return true
		}
		if !t.make(nil) {
			return false
		}
	}
	return true
}

// onlyAllows reports whether edits do nothing but add rules that let something pass, which closes nothing.
func onlyAllows(edits []text.Edit) bool {
	for _, x := range edits {
		n := len(x.Path)
		word, single := x.Value.Single()
		switch {
		case x.Remove || x.Key != "" || !single || n != 5 || x.Path[4] != "in" && x.Path[4] != "out":
			return false
		case x.Path[2] == "lists" && !allows(word):
			return false
		case x.Path[2] != "lists" && x.Path[2] != "groups":
			return false
		}
	}
	return true
}

func allows(entry string) bool { return len(entry) > 6 && entry[:6] == "allow " }

// leaveOut drops the steps that only such lines need, and reports whether there is any such line.
func (t *together) leaveOut(out func(l *line) bool) bool {
	any := false
	var steps []step
	var of [][]int
	for n, x := range t.steps {
		rest := slices.DeleteFunc(slices.Clone(t.of[n]), func(i int) bool { return out(t.lines[i]) })
		any = any || len(rest) < len(t.of[n])
		if len(rest) > 0 {
			steps, of = append(steps, x), append(of, rest)
		}
	}
	t.steps, t.of = steps, of
	return any
}

// make makes all steps but some, by number, and asks the questions of all lines again: what is made for one may open another.
func (t *together) make(but []int) bool {
	var changes text.Changes
	for n, x := range t.steps {
		if !slices.Contains(but, n) {
			changes = append(changes, text.Change{Edits: x.edits[x.nth], Why: x.cause.Message})
		}
	}
	after, findings, err := t.e.With(changes)
	if err != nil || len(findings) > 0 {
		return false
	}
	t.now = after
	for _, l := range t.lines {
		now, ok := askAgain(after, l.survey)
		if !ok {
			return false
		}
		l.now = now
	}
	return true
}

// dropClosed makes nothing for the lines that do not open.
func (t *together) dropClosed() bool {
	if len(t.steps) == 0 || !t.leaveOut(func(l *line) bool { return !l.open() }) {
		return true
	}
	was := make([]bool, len(t.lines))
	left := make([][]*reach.Answer, len(t.lines))
	for i, l := range t.lines {
		was[i], left[i] = l.open(), l.now
	}
	if !t.make(nil) {
		return false
	}
	for i, l := range t.lines {
		switch {
		case was[i] && !l.open(): // it opened by what was made for others
			return false
		case !was[i] && !l.open(): // what is in its way once all its edits are made
			l.now = left[i]
		}
	}
	return true
}

// prune drops each step without which all is as it is with it: the last of each line first, one of each line at a time.
func (t *together) prune() bool {
	tried := t.surelyNeeded()
	if !slices.Contains(tried, false) {
		return true
	}
	final := make([][]*reach.Answer, len(t.lines))
	for i, l := range t.lines {
		final[i] = l.now
	}
	asBefore := func(i int) bool { return !t.needs(i) || slices.EqualFunc(t.lines[i].now, final[i], same) }
	gone := make([]bool, len(t.steps))
	at := map[string][]int{}
	for n, x := range t.steps {
		for _, place := range x.places() {
			at[place] = append(at[place], n)
		}
	}
	for {
		var but, round []int
		busy := make([]bool, len(t.lines))
		left := make([]int, len(t.lines)) // how many steps a line has
		for n := range t.steps {
			if gone[n] {
				but = append(but, n)
				continue
			}
			for _, i := range t.of[n] {
				left[i]++
			}
		}
		taken := map[string]bool{} // filters of which a rule is tried that another one may stand for
		for n := len(t.steps) - 1; n >= 0; n-- {
			isBusy := func(i int) bool { return busy[i] }
			last := func(i int) bool { return left[i] == 1 } // a line whose flows were blocked needs one
			if tried[n] || gone[n] || slices.ContainsFunc(t.of[n], isBusy) {
				continue
			}
			doubled, places := t.doubled(n, gone, at), t.steps[n].places()
			if doubled && slices.ContainsFunc(places, func(place string) bool { return taken[place] }) {
				continue
			}
			tried[n] = true
			if !doubled && slices.ContainsFunc(t.of[n], last) {
				continue
			}
			round = append(round, n)
			for _, i := range t.of[n] {
				busy[i] = true
			}
			if doubled {
				for _, place := range places {
					taken[place] = true
				}
			}
		}
		if len(round) == 0 {
			break
		}
		if !t.make(append(but, round...)) {
			return false
		}
		for _, n := range round {
			gone[n] = !slices.ContainsFunc(t.of[n], func(i int) bool { return !asBefore(i) })
		}
	}
	var steps []step
	var of [][]int
	for n, x := range t.steps {
		if !gone[n] {
			steps, of = append(steps, x), append(of, t.of[n])
		}
	}
	t.steps, t.of = steps, of
	if !t.make(nil) {
		return false
	}
	for i := range t.lines {
		if !asBefore(i) {
			return false
		}
	}
	for i, l := range t.lines {
		l.now = final[i]
	}
	return true
}

// surelyNeeded tells for which steps there is no doubt: where all do nothing but add rules, packets go the same way without any
// of them, and a filter to which one alone adds stands in it.
func (t *together) surelyNeeded() []bool {
	sure := make([]bool, len(t.steps))
	steps := map[string]int{} // how many add to a filter
	for _, x := range t.steps {
		if !onlyAllows(x.edits[x.nth]) {
			return sure
		}
		for _, place := range x.places() {
			steps[place]++
		}
	}
	for n, x := range t.steps {
		sure[n] = !slices.ContainsFunc(x.places(), func(place string) bool { return steps[place] > 1 })
	}
	return sure
}

// doubled reports whether a rule that another step adds to a filter may let in or out what a step adds one for: it speaks of somebody of the
// same line. At has the steps by where they write.
func (t *together) doubled(n int, gone []bool, at map[string][]int) bool {
	for _, place := range t.steps[n].places() {
		for _, m := range at[place] {
			speaks := func(x text.Edit) bool {
				return x.Path.String() == place && slices.ContainsFunc(t.of[n], func(i int) bool { return speaksOf(x, t.lines[i].survey) })
			}
			if m != n && !gone[m] && slices.ContainsFunc(t.steps[m].edits[t.steps[m].nth], speaks) {
				return true
			}
		}
	}
	return false
}

// speaksOf reports whether the far end of a rule may be somebody of a survey: true where that cannot be told from the rule.
func speaksOf(rule text.Edit, s *grid.Survey) bool {
	word, single := rule.Value.Single()
	words := strings.Fields(word)
	if !single || len(words) < 2 {
		return true
	}
	peer := words[len(words)-1]
	p, err := netip.ParsePrefix(peer)
	in := func(w *estate.Workload) bool {
		switch {
		case words[len(words)-2] == "group":
			return slices.ContainsFunc(w.Groups, func(g *estate.Group) bool { return g.Name == peer[strings.LastIndex(peer, "/")+1:] })
		case err == nil:
			return slices.ContainsFunc(w.Addrs, p.Contains)
		}
		return true
	}
	for _, end := range []reach.Ends{s.From, s.To} {
		if end.One != nil && end.One.Workload == nil || end.One != nil && in(end.One.Workload) || slices.ContainsFunc(end.Many, in) {
			return true
		}
	}
	return false
}

// places are where a step writes, each once.
func (x step) places() []string {
	var all []string
	for _, e := range x.edits[x.nth] {
		all = append(all, e.Path.String())
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// needs reports whether any step is made for a line.
func (t *together) needs(i int) bool {
	return slices.ContainsFunc(t.of, func(of []int) bool { return slices.Contains(of, i) })
}

func (t *together) result() *Together {
	r := &Together{Surveys: make([]Share, len(t.lines)), Estate: t.now}
	for i, l := range t.lines {
		x := &r.Surveys[i]
		x.Open, x.Alone = l.open(), l.alone
		if x.Open {
			continue
		}
		left := causes(l.now)
		for _, b := range causes(l.was) { // in the order of the way
			if has(left, b) {
				x.Left = append(x.Left, b)
			}
		}
		for _, b := range left {
			if !has(x.Left, b) {
				x.Left = append(x.Left, b)
			}
		}
	}
	for n, x := range t.steps {
		f := x.cause
		f.Fixes = []diag.Fix{{Edits: x.edits[x.nth], Advice: adviceOf(f)}}
		r.MayClose = r.MayClose || !onlyAllows(x.edits[x.nth])
		first := &r.Surveys[t.of[n][0]]
		first.Causes = append(first.Causes, f)
	}
	return r
}
