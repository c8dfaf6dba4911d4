package cli

import (
	"fmt"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/rehearse"
)

// movesRehearsed shows a rehearsal of steps to a person.
func (c *call) movesRehearsed(e *estate.Estate, r *rehearse.Result) {
	tries, failed := 0, 0
	for i := range r.Moves {
		tries += r.Moves[i].Tries
		if !r.Moves[i].Good() {
			failed++
		}
	}
	verdict := allAsItIs.say()
	if failed > 0 {
		verdict = bad.Sprintf("%d of %s not as it should be", failed, phrase.Count(len(r.Moves), "state"))
	}
	c.say("%s  %s in a standing network, %s in all\n", verdict, phrase.Count(len(r.Moves)-1, "step"), phrase.Count(tries, "exchange"))
	table := &sheet{header: []string{"", "after", "exchanges", "as reach", "pass", "stopped", "open"}, right: map[int]bool{0: true, 2: true, 3: true, 4: true, 5: true, 6: true}, wrap: 1}
	for i, m := range r.Moves {
		step := clean(m.Step)
		if i == 0 {
			step = "(before the first step)"
		}
		table.add(fmt.Sprint(i), step, fmt.Sprint(m.Tries), share(m.Tries-len(m.Wrong), m.Tries), share(m.Must-len(m.Cut), m.Must), share(m.Never-len(m.Opened), m.Never), share(m.Kept, m.Kept+len(m.Lost)))
	}
	_ = c.write(table, "text")
	c.say("%s", dim.Sprint(c.wrap(0, "pass: exchanges that pass before all and after all, and do here; stopped: those that pass in neither, and do not here; open: connections that were open before the first step, and are")))
	for i := range r.Moves {
		c.moveFailed(i, &r.Moves[i])
	}
	c.disagreed(e, r)
	ended := 0
	for _, m := range r.Moves {
		ended += m.Ended
	}
	if ended > 0 {
		c.say("\n%s", c.wrap(0, phrase.Count(ended, "connection")+" were not kept up to the end, and the plan does not say that they can be: between them nothing passes any more, "+
			"or they are seen as somebody else or go by another gateway or forwarding workload from some step on"))
	}
}

// share is how many of some.
func share(n, of int) string {
	if n < of {
		return fmt.Sprintf("%d of %d", n, of)
	}
	return fmt.Sprint(n)
}

// moveFailed tells what is not as it should be in a state.
func (c *call) moveFailed(n int, m *rehearse.Move) {
	if m.Good() && len(m.Cut) == 0 && len(m.Opened) == 0 {
		return
	}
	c.say("\n%s", strong.Sprintf("after step %d", n))
	shown := func(what string, tries []*rehearse.Try) {
		for i, t := range tries {
			if i == maxInside {
				c.say("  %s  %d more;  -format json  lists all", bad.Sprint(what), len(tries)-i)
				return
			}
			c.say("  %s  %s", bad.Sprint(what), c.wrap(12, fmt.Sprintf("%s to %s (%s) on %s from port %d", clean(t.From), clean(t.To), t.Dst, t.Flow(), t.SourcePort)))
		}
	}
	told := ""
	if m.Harms {
		told = ", as steps says"
	}
	shown("cut"+told, m.Cut)
	shown("opened"+told, m.Opened)
	shown("against reach", m.Wrong)
	for i, x := range m.Lost {
		if i == maxInside {
			c.say("  %s  %d more", bad.Sprint("lost"), len(m.Lost)-i)
			break
		}
		c.say("  %s  %s", bad.Sprint("lost"), c.wrap(8, "the connection from "+clean(x)))
	}
}
