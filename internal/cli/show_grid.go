package cli

import (
	"fmt"
	"slices"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
)

// The marks of a cell. A letter stands for flows that are spelled out below the table.
const (
	markOpen    = "■"
	markPartly  = "◧"
	markBlocked = "·"
	markOther   = "*"
)

const maxGridRows = 60

// drawn draws the table for a person: a mark for each cell, and what the marks mean below.
func (g *gridCall) drawn(m *grid.Table) {
	widest := 0
	for _, i := range m.Rows {
		widest = max(widest, pretty.StringWidth(clean(m.Names[i])))
	}
	widest = min(widest, 40)
	shownColumns := m.Columns[:min(len(m.Columns), max((g.width-widest-8)/3, 1))]
	shownRows := m.Rows[:min(len(m.Rows), maxGridRows)]
	letters := g.letters(m, shownRows, shownColumns)
	counts := map[reach.Verdict]int{}
	for _, i := range m.Rows {
		for _, j := range m.Columns {
			if s := m.At(i, j); s.Pairs > 0 {
				counts[s.Verdict(g.asked)]++
			}
		}
	}
	what := "on any flow"
	if g.on {
		what = "on " + g.asked.String()
	}
	g.say("%s  %s, %s, %s", strong.Sprintf("%d %s, %s", len(m.Names), m.Kind, what), fine.Sprintf("%d open", counts[reach.Open]), doubt.Sprintf("%d partly", counts[reach.Partly]), bad.Sprintf("%d blocked", counts[reach.Blocked]))
	g.say("\n%s", dim.Sprintf("%*s  from \\ to", 4, ""))
	head := strings.Repeat(" ", widest+6)
	for _, j := range shownColumns {
		head += fmt.Sprintf("%3d", j+1)
	}
	g.say("%s", dim.Sprint(head))
	for _, i := range shownRows {
		line := dim.Sprintf("%4d", i+1) + "  " + pretty.Pad(pretty.Snip(clean(m.Names[i]), widest, "…"), widest, ' ')
		for _, j := range shownColumns {
			mark, colour := g.mark(m.At(i, j), letters)
			line += "  " + colour.Sprint(mark)
		}
		g.say("%s", strings.TrimRight(line, " "))
	}
	g.say("")
	var strange []string
	for _, j := range shownColumns {
		if !slices.Contains(shownRows, j) {
			strange = append(strange, fmt.Sprintf("%d %s", j+1, clean(m.Names[j])))
		}
	}
	if len(strange) > 0 {
		g.say("columns: %s\n", g.wrap(9, strings.Join(strange, ", ")))
	}
	g.legend(letters, m.Kind)
	if left := len(m.Rows) - len(shownRows); left > 0 {
		g.say("%s not shown;  -format csv  has all, and  -from END  narrows them", phrase.Count(left, "more row"))
	}
	if left := len(m.Columns) - len(shownColumns); left > 0 {
		g.say("%s not shown;  -format csv  has all, and  -to END  narrows them", phrase.Count(left, "more column"))
	}
}

// lettered is a way to fare that has a letter.
type lettered struct {
	reach.Outcome
	cells int
}

// letters gives the ways to fare that are neither everything nor nothing, the most frequent first. With a flow asked
// for there are none: a cell is a verdict.
func (g *gridCall) letters(m *grid.Table, rows, columns []int) []lettered {
	if g.on {
		return nil
	}
	at := map[string]int{}
	var all []lettered
	for _, i := range rows {
		for _, j := range columns {
			s := m.At(i, j)
			if s.Pairs == 0 || s.Verdict(g.asked) != reach.Partly {
				continue
			}
			key := s.Full.Key() + "|" + s.Some.Key()
			n, found := at[key]
			if !found {
				n = len(all)
				at[key] = n
				all = append(all, lettered{Outcome: s.Outcome})
			}
			all[n].cells++
		}
	}
	slices.SortStableFunc(all, func(a, b lettered) int { return b.cells - a.cells })
	return all
}

const alphabet = "abcdefghijklmnopqrstuvwxyz"

// mark is how a cell is drawn.
func (g *gridCall) mark(s grid.Sum, letters []lettered) (string, pretty.Colors) {
	if s.Pairs == 0 {
		return " ", nil
	}
	switch s.Verdict(g.asked) {
	case reach.Open:
		return markOpen, fine
	case reach.Blocked:
		return markBlocked, dim
	}
	if g.on {
		return markPartly, doubt
	}
	for i, l := range letters[:min(len(letters), len(alphabet))] {
		if l.Full.Equal(s.Full) && l.Some.Equal(s.Some) {
			return alphabet[i : i+1], doubt
		}
	}
	return markOther, doubt
}

// legend says what the marks mean.
func (g *gridCall) legend(letters []lettered, kind string) {
	if g.on {
		g.say("%s open   %s partly   %s blocked", fine.Sprint(markOpen), doubt.Sprint(markPartly), dim.Sprint(markBlocked))
		return
	}
	g.say("%s everything   %s nothing   a letter: only what it stands for", fine.Sprint(markOpen), dim.Sprint(markBlocked))
	for i, l := range letters[:min(len(letters), len(alphabet))] {
		words := passing(l.Full, l.Some.Minus(l.Full))
		if kind != "workloads" { // a cell is of many pairs
			words = strings.Replace(words, "in part", "of some pairs", 1)
		}
		g.say("%s %s", doubt.Sprint(alphabet[i:i+1]), g.wrap(2, words))
	}
	if left := len(letters) - len(alphabet); left > 0 {
		g.say("%s %s of flows;  -format csv  spells them out", doubt.Sprint(markOther), phrase.Count(left, "more set"))
	}
}

// passesOf says what passes between a workload and an end outside, and for which part of that; or why nothing does.
func (g *gridCall) passesOf(a *reach.Answer, toOne bool) string {
	if a.Verdict == reach.Blocked {
		if len(a.Blockers) > 0 {
			return a.Blockers[0].Message
		}
		return ""
	}
	var order []string
	of := map[string][]string{} // by what passes, the parts of the end outside that it is true of
	for _, w := range a.Ways {
		words := ""
		if w.Verdict != reach.Blocked {
			words = passing(w.Outcome.Of(g.asked))
		}
		if of[words] == nil {
			order = append(order, words)
		}
		of[words] = append(of[words], map[bool]string{true: w.ToName, false: w.FromName}[toOne])
	}
	if len(order) == 1 {
		return order[0]
	}
	var parts []string
	for _, words := range order {
		if words != "" {
			parts = append(parts, words+map[bool]string{true: " to ", false: " from "}[toOne]+phrase.And(of[words]))
		}
	}
	return strings.Join(parts, "; ")
}

// verdictColumn colours the verdicts in a column.
func verdictColumn(at int) func(int, string) pretty.Colors {
	return func(column int, cell string) pretty.Colors {
		if column == at {
			return verdictColours[reach.Verdict(cell)]
		}
		return nil
	}
}

// seenAs lists as whom the internet sees a workload.
func seenAs(x grid.One) string {
	seen := phrase.Names(x.SeenAs, address.Word)
	if !x.Answer.ByChance() {
		return seen
	}
	return strings.TrimPrefix(seen+", the cloud's choice", ", ")
}

// leaves says by what a flow leaves the estate: the last gateway on its way, and a NAT before it.
func leaves(a *reach.Answer) string {
	var by []string
	for _, w := range a.EachWay() {
		if w.Verdict == reach.Blocked {
			continue
		}
		for _, h := range w.Forward {
			if gateway, is := h.Object.(*estate.Gateway); is && !h.Stops && !slices.Contains(by, gateway.ID()) {
				by = append(by, gateway.ID())
			}
		}
	}
	return strings.Join(by, ", ")
}
