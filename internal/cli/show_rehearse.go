package cli

import (
	"fmt"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/reach"
	"wendrik/internal/rehearse"
)

// kinds are the kinds of pairs that the table tells apart.
var kinds = []string{"workload to workload", "workload to a site", "a site to workload", "workload to the internet", "the internet to workload"}

// maxDisagreed is how many disagreements the text lists.
const maxDisagreed = 20

// rehearsed shows a rehearsal to a person.
func (c *call) rehearsed(e *estate.Estate, r *rehearse.Result, stands bool) {
	pairs := r.Pairs()
	if len(pairs) == 0 {
		c.say("nothing to try: there is no workload with an address that could send or receive")
		return
	}
	agreed, tries := 0, 0
	for _, p := range pairs {
		tries += p.Tries
		if p.Agreed == p.Tries {
			agreed++
		}
	}
	verdict := allAgree.say()
	if agreed < len(pairs) {
		verdict = bad.Sprintf("%d of %s disagree", len(pairs)-agreed, phrase.Count(len(pairs), "pair"))
	}
	c.say("%s  %s, %s in %s: the kernel and reach\n", verdict, phrase.Count(len(pairs), "pair"), phrase.Count(tries, "exchange"), phrase.Count(r.Nodes, "namespace"))
	c.tried(r)
	c.disagreed(e, r)
	for i, x := range r.Expected {
		if i == 0 {
			c.say("\n%s", strong.Sprint("expectations, by real packets"))
		}
		mark, why := lineHolds.say(), ""
		switch {
		case x.Tries == 0:
			mark, why = doubt.Sprint("not tried"), ": no exchange of this rehearsal is between these ends"
		case x.Holds && !x.Says:
			mark, why = doubt.Sprint("doubtful"), ": the packets that were tried agree, and reach does not;  wendrik check"+c.samePlan()+"  tells why"
		case !x.Holds:
			mark, why = bad.Sprint("broken"), ": "+x.Why
		}
		c.say("%s  %s", mark, c.wrap(8, clean(x.Text+why)))
	}
	for i, u := range r.Untried {
		if i == 0 {
			c.say("\n%s", strong.Sprint("not tried, and not counted"))
		}
		if i == maxDisagreed {
			c.say("%d more;  -format json  lists all", len(r.Untried)-i)
			break
		}
		c.say("%s", c.wrap(4, clean(u.What+": "+u.Why)))
	}
	if stands {
		c.say("\nit stands:  wendrik rehearse -in PLACE -- COMMAND  runs a program in it,")
		c.say("            wendrik rehearse -again%s  tries it once more,  wendrik rehearse -down  takes it down", c.samePlan())
	}
}

// tried is the table of what was tried.
func (c *call) tried(r *rehearse.Result) {
	type sum struct{ pairs, tries, passed, agreed int }
	sums := map[string]*sum{}
	seen := map[[2]string]bool{}
	for _, t := range r.Tries {
		kind := kindOf(t)
		s := sums[kind]
		if s == nil {
			s = &sum{}
			sums[kind] = s
		}
		if key := [2]string{t.From, t.To}; !seen[key] {
			seen[key] = true
			s.pairs++
		}
		s.tries++
		if t.Passed {
			s.passed++
		}
		if t.Agrees() {
			s.agreed++
		}
	}
	table := &sheet{header: []string{"tried", "pairs", "exchanges", "passed", "stopped", "agree with reach"}, right: map[int]bool{1: true, 2: true, 3: true, 4: true, 5: true}, wrap: -1}
	for _, kind := range kinds {
		if s := sums[kind]; s != nil {
			table.add(kind, fmt.Sprint(s.pairs), fmt.Sprint(s.tries), fmt.Sprint(s.passed), fmt.Sprint(s.tries-s.passed), fmt.Sprint(s.agreed))
		}
	}
	_ = c.write(table, "text")
}

func kindOf(t *rehearse.Try) string {
	switch {
	case t.From == "internet":
		return kinds[4]
	case t.To == "internet":
		return kinds[3]
	case t.FromSite:
		return kinds[2]
	case t.ToSite:
		return kinds[1]
	}
	return kinds[0]
}

// disagreed lists the disagreements, with both stories; flows of a pair that disagree alike stand together.
func (c *call) disagreed(e *estate.Estate, r *rehearse.Result) {
	type entry struct {
		*rehearse.Try
		flows []string
	}
	var all []*entry
	for _, t := range r.Tries {
		if t.Agrees() {
			continue
		}
		i := slices.IndexFunc(all, func(e *entry) bool {
			return e.From == t.From && e.To == t.To && e.Dst == t.Dst && e.Src == t.Src && e.Says == t.Says && e.Passed == t.Passed
		})
		if i < 0 {
			all = append(all, &entry{t, nil})
			i = len(all) - 1
		}
		if f := t.Flow(); !slices.Contains(all[i].flows, f) {
			all[i].flows = append(all[i].flows, f)
		}
	}
	if len(all) == 0 {
		return
	}
	c.say("\n%s", strong.Sprint("where they disagree"))
	for i, x := range all {
		if i == maxDisagreed {
			c.say("%d more;  -format json  lists all", len(all)-i)
			break
		}
		c.say("%s %s to %s (%s) on %s", bad.Sprintf("%3d.", i+1), clean(x.From), clean(x.To), x.Dst, c.wrap(5, few(x.flows)))
		c.say("     reach says   %s", saysOf(x.Try))
		c.say("     the kernel   %s", storyOf(x.Try))
		c.say("     look closer  wendrik reach %s %s -on %s%s", clean(x.From), clean(target(e, x.Try)), x.flows[0], c.samePlan())
	}
}

// target is the far end of a try in a word that reach takes: the address, unless that is not, or not alone, what was meant.
func target(e *estate.Estate, t *rehearse.Try) string {
	found, err := reach.Find(e, t.Dst.String())
	switch {
	case err != nil:
		return t.To
	case found.Workload != nil && found.Workload.Name == t.To, found.Site != nil && found.Site.Name == t.To, found.Internet && t.To == "internet":
		return t.Dst.String()
	}
	return t.To
}

func saysOf(t *rehearse.Try) string {
	switch {
	case t.Says && len(t.SeenAs) > 0:
		return "it passes, seen as " + seenWords(t.SeenAs)
	case t.Says:
		return "it passes"
	}
	return "it is blocked"
}

func storyOf(t *rehearse.Try) string {
	switch {
	case t.Other != "":
		return fmt.Sprintf("it came to %s, who has the same address", clean(t.Other))
	case t.Passed && t.Saw.IsValid():
		return fmt.Sprintf("it passed, and the far end saw %s", t.Saw)
	case t.Passed:
		return "it passed"
	case t.Again > 0:
		return "no answer came, nor when it was tried again with more patience"
	}
	return "no answer came"
}

// The JSON of rehearse; docs/json.md describes it.
type rehearsalOut struct {
	Pairs        int            `json:"pairs"`
	Agreed       int            `json:"agreed"`
	Disagreed    []disagreedOut `json:"disagreed"`
	Exchanges    int            `json:"exchanges"`
	Passed       int            `json:"passed"`
	Namespaces   int            `json:"namespaces"`
	Expectations []rehearsedOut `json:"expectations"`
	Untried      []untriedOut   `json:"untried"`
	Steps        []stepTriedOut `json:"steps,omitempty"`
}

type stepTriedOut struct {
	N         int            `json:"n"`
	Step      string         `json:"step"`
	Exchanges int            `json:"exchanges"`
	Passed    int            `json:"passed"`
	Disagreed []disagreedOut `json:"disagreed"`
	Must      int            `json:"must_pass"`
	Cut       []disagreedOut `json:"cut"`
	Never     int            `json:"must_not_pass"`
	Opened    []disagreedOut `json:"opened"`
	Told      bool           `json:"told"`
	Kept      int            `json:"kept"`
	Lost      []string       `json:"lost"`
	Ended     int            `json:"ended"`
}

type disagreedOut struct {
	From       string   `json:"from"`
	To         string   `json:"to"`
	Source     string   `json:"source"`
	Target     string   `json:"target"`
	Flow       string   `json:"flow"`
	SourcePort int      `json:"source_port"`
	Reach      string   `json:"reach"`
	Kernel     string   `json:"kernel"`
	SeenAs     []string `json:"seen_as"`
	Saw        string   `json:"saw"`
}

type rehearsedOut struct {
	Text  string `json:"text"`
	Tried int    `json:"tried"`
	Reach bool   `json:"reach"`
	Holds bool   `json:"holds"`
	Why   string `json:"why"`
}

type untriedOut struct {
	What string `json:"what"`
	Why  string `json:"why"`
}

func rehearsalJSON(r *rehearse.Result) rehearsalOut {
	out := rehearsalOut{Disagreed: []disagreedOut{}, Expectations: []rehearsedOut{}, Untried: []untriedOut{}, Exchanges: len(r.Tries), Namespaces: r.Nodes}
	for _, p := range r.Pairs() {
		out.Pairs++
		if p.Agreed == p.Tries {
			out.Agreed++
		}
		out.Passed += p.Passed
	}
	for _, t := range r.Tries {
		if t.Agrees() {
			continue
		}
		out.Disagreed = append(out.Disagreed, tryJSON(t))
	}
	for _, x := range r.Expected {
		out.Expectations = append(out.Expectations, rehearsedOut{x.Text, x.Tries, x.Says, x.Holds, x.Why})
	}
	for _, u := range r.Untried {
		out.Untried = append(out.Untried, untriedOut{u.What, u.Why})
	}
	for i, m := range r.Moves {
		all := func(tries []*rehearse.Try) []disagreedOut {
			list := []disagreedOut{}
			for _, t := range tries {
				list = append(list, tryJSON(t))
			}
			return list
		}
		out.Steps = append(out.Steps, stepTriedOut{i, m.Step, m.Tries, m.Passed, all(m.Wrong), m.Must, all(m.Cut), m.Never, all(m.Opened), m.Harms, m.Kept, append([]string{}, m.Lost...), m.Ended})
	}
	return out
}

func tryJSON(t *rehearse.Try) disagreedOut {
	verdict := map[bool]string{true: "open", false: "blocked"}
	return disagreedOut{t.From, t.To, t.Src.String(), t.Dst.String(), t.Flow(), int(t.SourcePort), verdict[t.Says], verdict[t.Passed], addrTexts(t.SeenAs), addrText(t.Saw)}
}
