package cli

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
)

var verdictColours = map[reach.Verdict]pretty.Colors{reach.Open: fine, reach.Partly: doubt, reach.Blocked: bad}

// reached shows an answer to a person: the verdict in a sentence, what stops it and what the fixes would do, then the
// ways.
func (c *reachCall) reached(a *reach.Answer, fixed *repair.Repair) {
	colour := verdictColours[a.Verdict]
	from, to := clean(a.From.Name), clean(a.To.Name)
	switch {
	case c.asked && a.Verdict == reach.Open:
		c.say("%s  %s reaches %s on %s", colour.Sprint("open"), from, to, a.Flows)
	case c.asked && a.Verdict == reach.Blocked:
		c.say("%s  %s does not reach %s on %s: %s", colour.Sprint("blocked"), from, to, a.Flows, phrase.Count(len(a.Blockers), "cause"))
	case c.asked && a.OnlyMay():
		c.say("%s  %s may reach %s on %s, or not", colour.Sprint("may pass"), from, to, a.Flows)
	case c.asked:
		c.say("%s  %s reaches %s on %s only in part", colour.Sprint("partly"), from, to, a.Flows)
	case a.Verdict == reach.Blocked:
		c.say("%s  nothing passes from %s to %s: %s", colour.Sprint("blocked"), from, to, phrase.Count(len(a.Blockers), "cause"))
	case len(a.Ways) == 1:
		c.say("%s  from %s to %s pass: %s", colour.Sprint(string(a.Verdict)), from, to, passing(a.Outcome.Of(a.Flows)))
	default:
		c.say("%s  from %s to %s passes what the ways below let through", colour.Sprint(string(a.Verdict)), from, to)
	}
	if len(a.SeenAs) > 0 && (a.To.Internet || a.SeenAs[0] != privateOf(a.From)) {
		c.say("      %s sees it as %s", to, seenWords(a.SeenAs))
	}
	for _, n := range a.Notes {
		c.say("      note: %s", c.wrap(12, clean(noteText(n))))
	}
	c.targets(a)
	c.blockers(a.Blockers)
	if len(a.Blockers) > 0 {
		c.effect(fixed)
	}
	shown := map[reach.Verdict]bool{}
	for _, w := range a.Ways {
		if len(a.Ways) > 1 {
			c.say("\n%s  from %s to %s", verdictColours[w.Verdict].Sprint(string(w.Verdict)), clean(w.FromName), clean(w.ToName))
			if !c.asked && w.Verdict != reach.Blocked {
				c.say("      pass: %s", passing(w.Outcome.Of(a.Flows)))
			}
		}
		if shown[w.Verdict] && !c.allWays {
			c.say("      %s", dim.Sprint("-all-ways shows its steps"))
			continue
		}
		shown[w.Verdict] = true
		c.hops("there", w.Forward)
		c.hops("and back", w.Back)
	}
	if name := showable(a); len(a.Blockers) > 0 && name != "" {
		c.say("\nto look closer:  wendrik show %s%s", name, c.samePlan())
	}
}

// blockers lists the blockers of an answer, each with its line and its fix.
func (c *reachCall) blockers(all []diag.Finding) {
	src := c.e.Plan.Files
	for i, b := range all {
		c.say("\n%s %s", bad.Sprintf("%3d.", i+1), c.wrap(5, clean(b.Message)))
		where := clean(src.Where(b.At))
		line, _ := c.excerpt(src, b.At, max(c.width-7-pretty.StringWidth(where), 20))
		c.say("     %s  %s", place.Sprint(where), dim.Sprint(line))
		if fix := b.Fix(); fix != "" {
			c.say("     fix: %s", c.wrap(10, clean(fix)))
		}
	}
}

// targets says what becomes of the flows that a balancer hands on.
func (c *reachCall) targets(a *reach.Answer) {
	for _, t := range a.Targets {
		c.say("      %s hands on to %s: %s", clean(a.To.Name), clean(t.To.Name), verdictColours[t.Verdict].Sprint(string(t.Verdict)))
	}
}

// maxOpenings is how many openings the text lists.
const maxOpenings = 8

// effect says what the fixes would do.
func (c *reachCall) effect(x *repair.Repair) {
	if x == nil {
		c.say("\nwhat else the fixes would open is not worked out for more than %d workloads", maxTried)
		return
	}
	if x.After == nil {
		return
	}
	var unmade []string
	for _, i := range x.Unmade {
		unmade = append(unmade, fmt.Sprint(i+1))
	}
	fixes := "the fix"
	if x.Made > 1 {
		fixes = fmt.Sprintf("the %d fixes", x.Made)
	}
	if len(unmade) > 0 {
		fixes += fmt.Sprintf(" (all but %s, for which you must choose)", strings.Join(unmade, ", "))
	}
	result := fmt.Sprintf("tried: with %s it is %s", fixes, x.Verdict())
	if len(x.Opens) == 0 {
		c.say("\n%s", c.wrap(0, result+", and "+nothingOpensElse.plain()))
	} else {
		c.say("\n%s", c.wrap(0, result+", and this opens, too:"))
		c.effects(x.Opens)
	}
	if len(x.Closes) > 0 {
		c.say("%s", c.wrap(0, bad.Sprint("and this closes:")))
		c.effects(x.Closes)
	}
	for _, x := range x.Broken {
		c.say("%s", c.wrap(5, bad.Sprint("against")+"  "+clean(x.Text)))
	}
}

// endsText says what the ends of a question are.
func endsText(e reach.Ends) string {
	if e.One != nil {
		return clean(e.Name)
	}
	return fmt.Sprintf("%s (%s)", clean(e.Name), phrase.Count(len(e.Many), "workload"))
}

// surveyed shows an answer about many.
func (c *reachCall) surveyed(s *grid.Survey, fixed *repair.Repair) {
	from, to, colour := endsText(s.From), endsText(s.To), verdictColours[s.Verdict]
	open := 0
	for _, p := range s.Parts {
		if p.Answer.Verdict == reach.Open || !c.asked && p.Answer.Verdict == reach.Partly {
			open += p.Pairs
		}
	}
	switch {
	case s.Pairs == 0:
		c.say("%s and %s are the same workload: there is no pair to ask about", from, to)
		return
	case c.asked:
		c.say("%s  from %s to %s on %s: %d of %s pass", colour.Sprint(string(s.Verdict)), from, to, s.Asked, open, phrase.Count(s.Pairs, "pair"))
	default:
		c.say("%s  from %s to %s: something passes between %d of %s", colour.Sprint(string(s.Verdict)), from, to, open, phrase.Count(s.Pairs, "pair"))
	}
	for _, p := range s.Parts {
		a := p.Answer
		var named []string
		for _, x := range p.Some {
			named = append(named, x.From+" to "+x.To)
		}
		such := strings.Join(named, ", ")
		if p.Pairs > len(p.Some) {
			such = "such as " + such
		}
		c.say("\n%s  %s: %s", verdictColours[a.Verdict].Sprintf("%-7s", string(a.Verdict)), phrase.Count(p.Pairs, "pair"), c.wrap(9, clean(such)))
		for _, n := range a.Notes {
			if n.Kind == reach.MayPass || n.Kind == reach.OneRank {
				c.say("         note: %s", c.wrap(15, clean(noteText(n))))
			}
		}
		if !c.asked && a.Verdict != reach.Blocked {
			c.say("         pass: %s", c.wrap(15, passing(a.Outcome.Of(a.Flows))))
		}
		if fixed == nil {
			c.blockers(a.Blockers)
		} else if by := numbers(a.Blockers, fixed.Causes); by != "" {
			c.say("         stopped by %s", by)
		}
		if c.allWays {
			for _, w := range a.Ways {
				c.hops("there", w.Forward)
				c.hops("and back", w.Back)
			}
		}
	}
	if fixed != nil && len(fixed.Causes) > 0 {
		c.blockers(fixed.Causes)
		c.effect(fixed)
	}
	worst := slices.IndexFunc(s.Parts, func(p grid.Part) bool { return p.Answer.Verdict != reach.Open })
	if worst >= 0 && !c.allWays {
		pair := s.Parts[worst].Some[0]
		c.say("\nto look closer:  wendrik reach %s %s%s", pair.From, pair.To, onWords(c.asked, s.Asked)+c.samePlan())
	}
}

// numbers are those of the causes, from 1, that are of the kind and at the place of some blockers.
func numbers(blockers, causes []diag.Finding) string {
	var words []string
	for i, cause := range causes {
		if slices.ContainsFunc(blockers, func(b diag.Finding) bool { return b.Same(&cause) }) {
			words = append(words, fmt.Sprint(i+1))
		}
	}
	if len(words) == 1 {
		return "cause " + words[0]
	}
	if len(words) > 1 {
		return "causes " + phrase.And(words)
	}
	return ""
}

// onWords writes the flag that asks for flows.
func onWords(asked bool, flows flow.Set) string {
	if !asked {
		return ""
	}
	return " -on " + flows.Word()
}

// showable is an end of the question that the show command knows; empty for none.
func showable(a *reach.Answer) string {
	if a.To.Workload != nil {
		return a.To.Workload.Name
	}
	if a.From.Workload != nil {
		return a.From.Workload.Name
	}
	return ""
}

func privateOf(e reach.End) netip.Addr {
	if e.Workload != nil && len(e.Workload.Addrs) > 0 {
		return e.Workload.Addrs[0]
	}
	return netip.Addr{}
}

// hops shows the steps of a way. The mark in front tells what passes: all of it, some of it (~), or nothing (x).
func (c *reachCall) hops(title string, hops []reach.Hop) {
	if len(hops) == 0 {
		return
	}
	t := &sheet{header: []string{"", title, "", "line"}, right: map[int]bool{3: true}, wrap: 2,
		paint: func(column int, cell string) pretty.Colors {
			switch {
			case column == 0 && cell == "x":
				return bad
			case column == 0 && cell == "~":
				return doubt
			case column == 3:
				return place
			}
			return nil
		}}
	for i, h := range hops {
		mark := ""
		switch {
		case h.Stops:
			mark = "x"
		case i > 0 && !h.Left.Equal(hops[i-1].Left) && !h.Only.Empty():
			mark = "~"
		}
		what, line := hopWhat(h), ""
		if h.Stops {
			what = "stops here" // the reason stands above, with its fix
		}
		if h.At.Known() {
			line = fmt.Sprint(h.At.Line())
		}
		t.add(mark, hopWhere(h), what, line)
	}
	c.say("")
	_ = c.write(t, "text")
}
