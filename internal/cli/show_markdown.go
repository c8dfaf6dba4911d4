package cli

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
	"wendrik/internal/core/text"
)

// This file writes answers as Markdown, for a wiki or a ticket.

// cardMarkdown writes all about one thing.
func (c *call) cardMarkdown(k *card, src *text.Files) {
	where := ""
	if k.at.Known() {
		where = " (" + markdown(src.Where(k.at)) + ")"
	}
	c.say("## %s %s%s\n", k.kind, markdown(k.name), where)
	for _, f := range k.facts {
		c.say("- %s: %s", f[0], markdown(f[1]))
	}
	for _, p := range k.parts {
		c.say("\n### %s\n", p.title)
		_ = c.write(p.sheet, "md")
	}
}

// reachedMarkdown writes the answer about two ends.
func (c *reachCall) reachedMarkdown(a *reach.Answer, fixed *repair.Repair) {
	on := ""
	if c.asked {
		on = " on " + a.Flows.String()
	}
	c.say("## %s to %s%s: %s\n", markdown(a.From.Name), markdown(a.To.Name), markdown(on), a.Verdict)
	if full, part := a.Outcome.Of(a.Flows); !c.asked && a.Verdict != reach.Blocked {
		c.say("Pass: %s\n", markdown(passing(full, part)))
	}
	if len(a.SeenAs) > 0 && a.To.Internet {
		c.say("%s sees it as %s\n", markdown(a.To.Name), seenWords(a.SeenAs))
	}
	for _, n := range a.Notes {
		c.say("Note: %s\n", markdown(noteText(n)))
	}
	c.causesMarkdown(a.Blockers, fixed)
	for _, w := range a.Ways {
		if len(a.Ways) > 1 {
			c.say("### %s to %s: %s\n", markdown(w.FromName), markdown(w.ToName), w.Verdict)
		}
		for i, hops := range [][]reach.Hop{w.Forward, w.Back} {
			if len(hops) == 0 {
				continue
			}
			t := &sheet{header: []string{[]string{"there", "and back"}[i], "what", "line"}, right: map[int]bool{2: true}}
			for _, h := range hops {
				what, line := hopWhat(h), ""
				if h.Stops {
					what = "stops here: " + h.Message
				}
				if h.At.Known() {
					line = fmt.Sprint(h.At.Line())
				}
				t.add(hopWhere(h), what, line)
			}
			_ = c.write(t, "md")
			c.say("")
		}
	}
}

// surveyedMarkdown writes the answer about many.
func (c *reachCall) surveyedMarkdown(s *grid.Survey, fixed *repair.Repair) {
	c.say("## %s to %s on %s: %s\n", markdown(endsText(s.From)), markdown(endsText(s.To)), markdown(s.Asked.String()), s.Verdict)
	t := &sheet{header: []string{"pairs", "such as", "verdict", "passes"}, right: map[int]bool{0: true}}
	for _, p := range s.Parts {
		full, part := p.Answer.Outcome.Of(s.Asked)
		t.add(fmt.Sprint(p.Pairs), p.Some[0].From+" to "+p.Some[0].To, string(p.Answer.Verdict), passing(full, part))
	}
	_ = c.write(t, "md")
	c.say("")
	if fixed != nil {
		c.causesMarkdown(fixed.Causes, fixed)
	}
}

// causesMarkdown lists what stops a flow, and what the fixes would do.
func (c *reachCall) causesMarkdown(all []diag.Finding, fixed *repair.Repair) {
	for i, b := range all {
		c.say("%d. %s (%s)", i+1, markdown(b.Message), markdown(c.e.Plan.Files.Where(b.At)))
		if fix := b.Fix(); fix != "" {
			c.say("   - fix: %s", markdown(fix))
		}
	}
	if len(all) > 0 {
		c.say("")
	}
	if fixed == nil || fixed.After == nil {
		return
	}
	c.say("With the fixes that can be written it is %s.\n", fixed.Verdict())
	for _, x := range []struct {
		what string
		all  []grid.Difference
	}{{"opens, too", fixed.Opens}, {"closes", fixed.Closes}} {
		if len(x.all) == 0 {
			continue
		}
		t := &sheet{header: []string{x.what, "from", "to"}}
		for _, d := range x.all {
			from, to := d.Ends()
			t.add(d.Flows.String(), phrase.Few(from, 4), phrase.Few(to, 4))
		}
		_ = c.write(t, "md")
		c.say("")
	}
}

// matrixMarkdown writes the table of the grid as a matrix.
func (g *gridCall) matrixMarkdown(m *grid.Table) error {
	t := &sheet{header: []string{"from \\ to"}}
	for _, j := range m.Columns {
		t.header = append(t.header, m.Names[j])
	}
	for _, i := range m.Rows {
		row := []string{m.Names[i]}
		for _, j := range m.Columns {
			s := m.At(i, j)
			full, part := s.Of(g.asked)
			switch verdict := s.Verdict(g.asked); {
			case s.Pairs == 0:
				row = append(row, "")
			case g.on || verdict == reach.Blocked:
				row = append(row, map[reach.Verdict]string{reach.Open: "open", reach.Partly: "partly", reach.Blocked: "·"}[verdict])
			case part.Empty():
				row = append(row, full.String())
			case full.Empty():
				row = append(row, part.String()+" in part")
			default:
				row = append(row, full.String()+"; "+part.String()+" in part")
			}
		}
		t.add(row...)
	}
	return g.write(t, "md")
}

// estateCard is an overview of the estate.
func estateCard(e *estate.Estate) *card {
	name := e.Plan.Estate.Value
	if name == "" {
		name = "without a name"
	}
	k := &card{kind: "estate", name: name}
	k.fact("profile", "%s", e.Profile.Name)
	k.fact("in all", "%s, %s, %s, %s", phrase.Count(len(e.Networks), "network"), phrase.Count(len(e.Subnets), "subnet"), phrase.Count(len(e.Workloads), "workload"), phrase.Count(len(e.Plan.Expect), "expectation"))
	if n := len(e.Waits); n > 0 {
		k.fact("waits", "%s not yet given: wendrik carve gives them", phrase.Count(n, "thing"))
	}
	blocks := &sheet{header: []string{"block", "range", "region", "held"}, wrap: 3}
	for _, b := range e.Blocks {
		blocks.add(b.Name, phrase.List(b.Ranges), b.Region, b.Plan.Held.Value)
	}
	k.part("address space", blocks)
	networks := &sheet{header: []string{"network", "region", "range", "subnets", "workloads", "way out", "owner"}, right: map[int]bool{3: true, 4: true}, wrap: 5}
	for _, n := range e.Networks {
		var out []string
		for _, g := range n.Gateways {
			out = append(out, gatewayKind(g)+" "+g.Name)
		}
		networks.add(n.Name, phrase.And(n.RegionNames()), phrase.List(n.Ranges), fmt.Sprint(len(n.Subnets)), fmt.Sprint(len(n.Workloads())), phrase.Few(out, 3), n.Plan.Owner.Value)
	}
	k.part("networks", networks)
	joins := &sheet{header: []string{"joined by", "what", "state"}, wrap: 1}
	for _, p := range e.Peerings {
		joins.add("peering "+p.Name, p.Between[0].Name+" and "+p.Between[1].Name, peeringState(p))
	}
	for _, h := range e.Hubs {
		var who []string
		for _, a := range h.Attachments {
			who = append(who, a.To().ID())
		}
		joins.add("hub "+h.Name, phrase.And(who), phrase.Count(len(h.Tables), "table"))
	}
	for _, s := range e.Sites {
		what := "behind a hub"
		if s.Link != nil {
			what = "linked to network " + s.Link.Name
		}
		joins.add("site "+s.Name, phrase.List(s.Ranges), what)
	}
	k.part("joined", joins)
	return k
}
