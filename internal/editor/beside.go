package editor

import (
	"context"
	"encoding/json"
	"fmt"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
)

// This file tells beside the text what follows from it: over networks and lines of expect who reaches whom, and behind counts, blocks and names
// what they come to.

// mostAsked is of how many workloads it is asked who reaches whom, while one types.
const mostAsked = 20_000

// reached is how many workloads of others reach any of a network, and how many of its own the internet does.
type reached struct{ by, internet int }

// whoReaches asks that of all networks.
func whoReaches(e *estate.Estate) map[*estate.Network]reached {
	all := map[*estate.Network]reached{}
	g := grid.NewGrid(e, func(*estate.Workload) int { return 0 })
	network := func(c *grid.Class) *estate.Network { return c.Members[0].Subnet.Network }
	_ = g.Rows(func(from int, row []grid.Cell) error {
		into := map[*estate.Network]bool{}
		for to, cell := range row {
			if n := network(g.Classes[to]); n != network(g.Classes[from]) && cell.Across != grid.NoPair && !g.Outcome(cell.Across).Some.Empty() {
				into[n] = true
			}
		}
		for n := range into {
			r := all[n]
			r.by += len(g.Classes[from].Members)
			all[n] = r
		}
		return nil
	})
	if internet, err := reach.Find(e, "internet"); err == nil {
		for _, one := range grid.AskEach(e, internet, false, e.Workloads, flow.Any(), nil) {
			if one.Answer != nil && !one.Answer.Some.Empty() && one.Workload.Subnet != nil {
				r := all[one.Workload.Subnet.Network]
				r.internet++
				all[one.Workload.Subnet.Network] = r
			}
		}
	}
	return all
}

// lensData is what a lens is about, for when it is shown.
type lensData struct {
	Plan    string `json:"plan"`
	Network string `json:"network"`
}

func (s *server) lenses(ctx context.Context, p documentParams) ([]codeLens, error) {
	all := []codeLens{}
	d, k, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return all, nil
	}
	x := s.settled(ctx, k, true)
	if x == nil || x.texts[d.path] == nil {
		return all, nil
	}
	for _, n := range x.estate.Networks {
		if path, where := x.extentOf(n.At(), s.encoding); path == d.path && n.At().Known() {
			data, _ := json.Marshal(lensData{k.first, n.Name})
			all = append(all, codeLens{Range: where, Data: data})
		}
	}
	if x.verdict == nil {
		return all, nil
	}
	for i := range x.verdict.Expected {
		r := &x.verdict.Expected[i]
		if path, where := x.extentOf(r.At, s.encoding); path == d.path {
			said := "holds, of " + phrase.Count(r.Pairs, "pair")
			switch {
			case r.Waits:
				said = "cannot be tried yet"
			case r.Doubted:
				said = "was not tried"
			case !r.Holds:
				said = "does not hold: " + clip(r.Why, 100)
			}
			all = append(all, codeLens{Range: where, Command: &command{Title: said, Command: reachCommand, Arguments: []any{k.first, r.From, r.To, r.Flows.Rule()}}})
		}
	}
	return all, nil
}

func (s *server) resolveLens(ctx context.Context, lens codeLens) (codeLens, error) {
	var data lensData
	if json.Unmarshal(lens.Data, &data) != nil {
		return lens, nil
	}
	k := s.planNamed(data.Plan)
	if k == nil {
		return lens, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil || x.estate.Network(data.Network) == nil {
		return lens, nil
	}
	n := x.estate.Network(data.Network)
	said := phrase.Count(len(n.Workloads()), "workload")
	if len(x.estate.Workloads) <= mostAsked {
		r := x.reached()[n]
		said += fmt.Sprintf("; %s of others reach it", phrase.Count(r.by, "workload"))
		if r.internet > 0 {
			said += fmt.Sprintf(", and the internet reaches %d of it", r.internet)
		}
	}
	lens.Command = &command{Title: said, Command: drawCommand, Arguments: []any{k.first, "network", n.Name}}
	return lens, nil
}

func (s *server) hints(ctx context.Context, p rangeParams) ([]inlayHint, error) {
	all := []inlayHint{}
	d, k, ok := s.doc(p.TextDocument.URI)
	if !ok {
		return all, nil
	}
	x := s.some(ctx, k)
	if x == nil || x.texts[d.path] == nil {
		return all, nil
	}
	l := x.texts[d.path]
	add := func(at spot, label string) {
		line, ok := k.lineNow(x, d.path, at.line)
		if ok && line >= p.Range.Start.Line && line <= p.Range.End.Line {
			all = append(all, inlayHint{Position: position{line, s.encoding.characterOf(l.at(at.line), at.byte)}, Label: label, PaddingLeft: true})
		}
	}
	here := func(o estate.Object) (spot, bool) {
		if !o.At().Known() {
			return spot{}, false
		}
		path, at := x.posOf(o.At())
		return at, path == d.path
	}
	for _, set := range x.estate.Sets {
		if at, ok := here(set); ok && len(set.Members) > 0 {
			first, last := set.Members[0], set.Members[len(set.Members)-1]
			if len(first.Addrs) > 0 && len(last.Addrs) > 0 && set.Plan.Count.Given() {
				path, count := x.posOf(set.Plan.Count.At)
				if path == d.path {
					at = count
				}
				add(spot{at.line, wordEnd(l.at(at.line), at.byte)}, fmt.Sprintf("%s to %s", first.Addrs[0], last.Addrs[0]))
			}
		}
	}
	for _, b := range x.estate.Blocks {
		if at, ok := here(b); ok && !b.Held {
			add(spot{at.line, lineEnd(l.at(at.line))}, "free: "+freeSaid(x.survey().FreeIn(b)))
		}
	}
	for _, n := range x.estate.Networks {
		for _, t := range n.Tables {
			for _, r := range t.Routes {
				if r.Name == "" || r.Origin != estate.ByHand {
					continue
				}
				if path, at := x.posOf(r.At); path == d.path {
					add(spot{at.line, lineEnd(l.at(at.line))}, r.To.String())
				}
			}
		}
	}
	return all, nil
}

// lineEnd is where the last value of a line ends, before its comment.
func lineEnd(line string) int {
	tokens := tokensOf(line)
	end := len(line)
	if n := len(tokens); n > 0 && tokens[n-1].kind == tokenComment {
		end = tokens[n-1].start
	}
	for end > 0 && line[end-1] == ' ' {
		end--
	}
	return end
}
