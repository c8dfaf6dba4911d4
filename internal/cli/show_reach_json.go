package cli

import (
	"wendrik/internal/core/address"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/repair"
	"wendrik/internal/core/text"
)

// The JSON of reach; docs/json.md describes it.
type reachOut struct {
	From     string       `json:"from"`
	To       string       `json:"to"`
	Flow     string       `json:"flow"`
	Verdict  string       `json:"verdict"`
	Passes   []string     `json:"passes"`
	SeenAs   string       `json:"seen_as"`
	SeenAll  []string     `json:"seen_as_all"`
	Forward  []hopOut     `json:"forward"`
	Back     []hopOut     `json:"back"`
	Blockers []findingOut `json:"blockers"`
	Notes    []string     `json:"notes"`
	InPart   []string     `json:"in_part"`
	May      []string     `json:"may_pass"`
	Targets  []targetOut  `json:"targets"`
	Ways     []wayOut     `json:"ways"`
	Effect   fixedOut     `json:"effect"`
	Pairs    int          `json:"pairs"`
	Parts    []partedOut  `json:"parts"`
}

type targetOut struct {
	To string `json:"to"`
	outcomeOut
}

// outcomeOut is what becomes of flows: the keys that say so everywhere.
type outcomeOut struct {
	Verdict string   `json:"verdict"`
	Passes  []string `json:"passes"`
	InPart  []string `json:"in_part"`
}

func outcomeJSON(f reach.Outcome, asked flow.Set) outcomeOut {
	full, part := f.Of(asked)
	return outcomeOut{string(f.Verdict(asked)), full.Words(), part.Words()}
}

type fixedOut struct {
	Tried   bool        `json:"tried"`
	Verdict string      `json:"verdict"`
	Unmade  []int       `json:"unmade"`
	Problem string      `json:"problem"`
	Opens   []effectOut `json:"opens"`
	Closes  []effectOut `json:"closes"`
	Against []string    `json:"against"`
}

type partedOut struct {
	Pairs int       `json:"pairs"`
	Some  []pairOut `json:"some"`
	outcomeOut
	SeenAs   []string     `json:"seen_as"`
	Blockers []findingOut `json:"blockers"`
	Ways     []wayOut     `json:"ways"`
}

type pairOut struct {
	From string `json:"from"`
	To   string `json:"to"`
}

type wayOut struct {
	From     []string     `json:"from"`
	To       []string     `json:"to"`
	Verdict  string       `json:"verdict"`
	Passes   []string     `json:"passes"`
	SeenAs   []string     `json:"seen_as"`
	Forward  []hopOut     `json:"forward"`
	Back     []hopOut     `json:"back"`
	Blockers []findingOut `json:"blockers"`
}

type hopOut struct {
	Kind  string   `json:"kind"`
	Where string   `json:"where"`
	What  string   `json:"what"`
	Stops bool     `json:"stops"`
	Left  []string `json:"left"`
	Line  int      `json:"line"`
}

func reachJSON(a *reach.Answer, fixed *repair.Repair, src *text.Files) reachOut {
	out := reachOut{From: a.From.Name, To: a.To.Name, Flow: a.Flows.String(), Verdict: string(a.Verdict), Passes: a.Full.Words(),
		InPart: a.Some.Minus(a.Full).Words(), May: a.May.Words(), SeenAll: addrTexts(a.SeenAs), Forward: []hopOut{}, Back: []hopOut{}, Blockers: findingsJSON(a.Blockers, src),
		Notes: notesText(a.Notes), Targets: []targetOut{}, Ways: waysJSON(a, src), Effect: fixedJSON(fixed), Pairs: 1, Parts: []partedOut{}}
	if len(a.SeenAs) > 0 {
		out.SeenAs = address.Word(a.SeenAs[0])
	}
	for _, t := range a.Targets {
		out.Targets = append(out.Targets, targetOut{t.To.Name, outcomeJSON(t.Outcome, t.Flows)})
	}
	if len(out.Ways) > 0 {
		out.Forward, out.Back = out.Ways[0].Forward, out.Ways[0].Back
	}
	return out
}

func waysJSON(a *reach.Answer, src *text.Files) []wayOut {
	out := []wayOut{}
	for _, w := range a.Ways {
		x := wayOut{[]string{}, []string{}, string(w.Verdict), w.Full.Words(), addrTexts(w.SeenAs), hopsJSON(w.Forward), hopsJSON(w.Back), findingsJSON(w.Blockers, src)}
		for _, p := range w.From.Ranges() {
			x.From = append(x.From, p.String())
		}
		for _, p := range w.To.Ranges() {
			x.To = append(x.To, p.String())
		}
		out = append(out, x)
	}
	return out
}

func fixedJSON(x *repair.Repair) fixedOut {
	out := fixedOut{Unmade: []int{}, Opens: []effectOut{}, Closes: []effectOut{}, Against: []string{}}
	if x == nil {
		return out
	}
	out.Problem, out.Unmade = x.Problem, append(out.Unmade, x.Unmade...)
	if x.After == nil {
		return out
	}
	out.Tried, out.Verdict = true, string(x.Verdict())
	out.Opens, out.Closes = effectsJSON(x.Opens), effectsJSON(x.Closes)
	for _, x := range x.Broken {
		out.Against = append(out.Against, x.Text)
	}
	return out
}

// surveyJSON is the answer about many: the keys of an answer about one pair, with nothing of a single way, and parts.
func surveyJSON(s *grid.Survey, fixed *repair.Repair, src *text.Files) reachOut {
	out := reachOut{From: s.From.Name, To: s.To.Name, Flow: s.Asked.String(), Verdict: string(s.Verdict), Passes: []string{}, InPart: []string{},
		SeenAll: []string{}, Forward: []hopOut{}, Back: []hopOut{}, Blockers: []findingOut{}, Notes: []string{}, Targets: []targetOut{}, Ways: []wayOut{},
		Effect: fixedJSON(fixed), Pairs: s.Pairs, Parts: []partedOut{}}
	full, some, may := s.Asked, flow.Set{}, flow.Set{}
	for _, p := range s.Parts {
		a := p.Answer
		full, some, may = full.Intersect(a.Full), some.Union(a.Some), may.Union(a.May)
		x := partedOut{p.Pairs, []pairOut{}, outcomeJSON(a.Outcome, a.Flows), addrTexts(a.SeenAs), findingsJSON(a.Blockers, src), waysJSON(a, src)}
		for _, q := range p.Some {
			x.Some = append(x.Some, pairOut{q.From, q.To})
		}
		out.Parts = append(out.Parts, x)
		if fixed == nil {
			out.Blockers = append(out.Blockers, x.Blockers...)
		}
	}
	if fixed != nil {
		out.Blockers = findingsJSON(fixed.Causes, src)
	}
	out.Passes, out.InPart, out.May = full.Words(), some.Minus(full).Words(), may.Words()
	return out
}

func hopsJSON(hops []reach.Hop) []hopOut {
	out := make([]hopOut, 0, len(hops))
	for _, h := range hops {
		out = append(out, hopOut{hopKind(h), hopWhere(h), hopWhat(h), h.Stops, h.Left.Words(), h.At.Line()})
	}
	return out
}
