package cli

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"wendrik/internal/build"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
)

// This file is what a drift looks like.

func (v *drifted) text() {
	if len(v.Things) == 0 {
		if len(v.Waived) > 0 {
			v.say("%s, at %s: %s", noDriftButWaived.say(), clean(v.at), phrase.Count(len(v.There.Items), "thing"))
			v.strange()
			v.setAside()
			return
		}
		v.say("%s  what is there at %s is what the plan says: %s", noDrift.say(), clean(v.at), phrase.Count(len(v.There.Items), "thing"))
		v.strange()
		return
	}
	v.say("%s at %s", bad.Sprint(phrase.Count(len(v.Things), "thing")+" otherwise than planned"), clean(v.at))
	for i := range v.Things {
		if i == maxReasons {
			v.say("  %d more;  -format json  lists all", len(v.Things)-i)
			break
		}
		d := &v.Things[i]
		hand := ""
		if d.ByHand && d.Was == nil {
			hand = "  made by hand"
		}
		t := d.Thing()
		v.say("  %s %s  %s", doubt.Sprintf("%-8s", v.verb(d)), strong.Sprint(clean(kindWord(t.Kind)+" "+t.Name)), dim.Sprint(clean(whose(d)+hand)))
		for k, line := range details(d) {
			if k == maxInside {
				v.say("           and more;  -format json  lists all")
				break
			}
			v.say("           %s", v.wrap(13, clean(line)))
		}
	}
	v.passes("what opens by it", bad.Sprint, v.does.Opens)
	v.passes("what closes by it", doubt.Sprint, v.does.Closes)
	if len(v.does.Opens)+len(v.does.Closes) == 0 {
		v.say("\n%s", nothingOpensByIt.say())
	}
	for i, x := range v.does.Expectations {
		if i == 0 {
			v.say("\n%s", strong.Sprint("lines of expect"))
		}
		words := expectedWords(x)
		if x.Is == compare.NotThere {
			words = fmt.Sprintf("%q speaks of what is gone", x.Text)
		}
		v.say("  %s", v.wrap(4, clean(words)))
	}
	v.ways()
	v.strange()
	v.setAside()
}

// strange tells of labels that others put on, and that the plan has no word for.
func (v *drifted) strange() {
	if all := v.labels(); len(all) > 0 {
		v.say("\nlabels that the plan has no word for, left alone: %s", v.wrap(4, clean(labelList(all))))
	}
}

// labelList says which labels others put on, and on how many things.
func labelList(all []labelledOut) string {
	var words []string
	for _, x := range all {
		words = append(words, fmt.Sprintf("%s on %s", x.Label, phrase.Count(x.Things, "thing")))
	}
	return phrase.Few(words, 6)
}

// labels are those that others put on, by their names.
func (v *drifted) labels() []labelledOut {
	all := []labelledOut{}
	for _, label := range slices.Sorted(maps.Keys(v.There.Strange)) {
		all = append(all, labelledOut{label, v.There.Strange[label]})
	}
	return all
}

// setAside tells what the plan says is meant to be otherwise.
func (v *drifted) setAside() {
	if len(v.Waived) == 0 {
		return
	}
	if !v.waived {
		v.say("\n%s waived;  -waived  lists them", phrase.Count(len(v.Waived), "thing"))
		return
	}
	v.say("\n%s", strong.Sprint("waived"))
	for i := range v.Waived {
		w := &v.Waived[i]
		until := ""
		if w.By.Until.Given() {
			until = ", until " + w.By.Until.Value
		}
		t := w.Thing()
		v.say("  %s %s  %s", doubt.Sprintf("%-8s", v.verb(&w.Drifted)), strong.Sprint(clean(kindWord(t.Kind)+" "+t.Name)), v.wrap(13, clean(w.By.Because.Value+until)))
	}
}

// passes lists flows that open or close, and by whose change.
func (v *drifted) passes(title string, colour func(a ...any) string, all []compare.Difference) {
	for i, x := range all {
		if i == 0 {
			v.say("\n%s", colour(title))
		}
		if i == maxReasons {
			v.say("  %d more;  -format json  lists all", len(all)-i)
			return
		}
		v.say("  %s", v.wrap(4, clean(effectLine(&x.Difference, v.ends))))
		if len(x.By) > 0 {
			v.say("    %s", dim.Sprint(v.wrap(6, clean("by "+v.byWhom(x.By)))))
		}
	}
}

func (v *drifted) ends(names []string) string {
	return phrase.Few(compare.Gather(names, v.Estate, v.plan.Estate), 4)
}

// ways tell the way back and the way forward.
func (v *drifted) ways() {
	hand := ""
	if slices.ContainsFunc(v.Things, func(d build.Drifted) bool { return d.ByHand && d.Was == nil }) {
		hand = " -hand-made"
	}
	v.say("\n%s  %s:  wendrik build%s%s", strong.Sprint("the way back"), phrase.Count(v.back.Calls(), "call"), hand, v.samePlace(v.at))
	n := 0
	for _, p := range v.back.Phases() {
		for _, a := range inOrder(p.Acts) {
			if n++; n <= maxInside*2 {
				v.say("%4d. %s %s", n, verbs[a.Verb][0], v.wrap(8, actWords(a)))
			}
		}
		v.harm("cuts", p.Cuts)
		v.harm("opens", p.Opens)
	}
	if n > maxInside*2 {
		v.say("      %d more;  wendrik build -dry%s  lists them", n-maxInside*2, v.samePlace(v.at))
	}
	if v.Anew {
		v.say("\n%s  the plan cannot be edited to say it: %s;  wendrik adopt  writes a plan anew", strong.Sprint("the way forward"), clean(v.unreached()))
		return
	}
	files := v.forward()
	if len(files) == 0 {
		return
	}
	v.say("\n%s  the plan says what is there, once it is written:  wendrik drift -write%s", strong.Sprint("the way forward"), v.samePlace(v.at))
	for _, one := range files {
		lines := strings.SplitAfter(unified(one.Name, one.Text, one.After), "\n")
		v.diff(strings.Join(lines[:min(len(lines), maxDiff)], ""))
		if more := len(lines) - maxDiff; more > 0 {
			v.say("  %d more lines;  -format json  has them all", more)
		}
	}
}

// maxDiff is how many lines of the way forward are shown of a file.
const maxDiff = 300

// markdownLabels tells of labels that others put on.
func (v *drifted) markdownLabels() {
	if all := v.labels(); len(all) > 0 {
		v.say("\nLabels that the plan has no word for, left alone: %s.", markdown(labelList(all)))
	}
}

func (v *drifted) markdown() {
	switch {
	case len(v.Things) == 0 && len(v.Waived) == 0:
		v.say("No drift: what is there at %s is what the plan says.", markdown(v.at))
		return
	case len(v.Things) == 0:
		v.say("At %s, %s.", markdown(v.at), noDriftButWaived.plain())
		v.markdownWaived()
		return
	}
	v.say("## %s otherwise than planned at %s\n", phrase.Count(len(v.Things), "thing"), markdown(v.at))
	t := &sheet{header: []string{"", "thing", "what", "by", "at"}}
	for i := range v.Things {
		d := &v.Things[i]
		t.add(v.verb(d), kindWord(d.Thing().Kind)+" "+d.Thing().Name, strings.Join(details(d), "; "), d.By, d.At)
	}
	_ = v.callWrite(t)
	for _, part := range []struct {
		title string
		all   []compare.Difference
	}{{"What opens by it", v.does.Opens}, {"What closes by it", v.does.Closes}} {
		if len(part.all) == 0 {
			continue
		}
		v.say("\n### %s\n", part.title)
		t := &sheet{header: []string{"flows", "from", "to", "by"}}
		for _, x := range part.all[:min(len(part.all), maxReasons)] {
			from, to := x.Ends()
			t.add(x.Flows.String(), v.ends(from), v.ends(to), v.byWhom(x.By))
		}
		_ = v.callWrite(t)
	}
	v.say("\n### The way back\n")
	for _, p := range v.back.Phases() {
		for _, a := range inOrder(p.Acts) {
			v.say("- [ ] %s %s", verbs[a.Verb][0], markdown(actWords(a)))
		}
	}
	v.markdownWaived()
}

// markdownWaived lists what the plan says is meant to be otherwise.
func (v *drifted) markdownWaived() {
	if len(v.Waived) == 0 {
		return
	}
	v.say("\n### Waived\n")
	t := &sheet{header: []string{"", "thing", "because", "until"}}
	for i := range v.Waived {
		w := &v.Waived[i]
		t.add(v.verb(&w.Drifted), kindWord(w.Thing().Kind)+" "+w.Thing().Name, w.By.Because.Value, w.By.Until.Value)
	}
	_ = v.callWrite(t)
}

func (v *drifted) callWrite(t *sheet) error { return v.call.write(t, "md") }

// The JSON of drift; docs/json.md describes it.
type driftOut struct {
	At           string        `json:"at"`
	Things       []driftThing  `json:"things"`
	Opens        []judgedOut   `json:"opens"`
	Closes       []judgedOut   `json:"closes"`
	Expectations []expectedOut `json:"expectations"`
	Back         builtOut      `json:"back"`
	Forward      []fileOut     `json:"forward"`
	Unreached    []string      `json:"unreached"`
	Waived       []driftWaived `json:"meant"`
	Strange      []labelledOut `json:"labels"`
}

// labelledOut is a label that the plan has no word for.
type labelledOut struct {
	Label  string `json:"label"`
	Things int    `json:"things"`
}

type driftThing struct {
	What     string   `json:"what"`
	Kind     string   `json:"kind"`
	Name     string   `json:"name"`
	Place    string   `json:"place"`
	Props    []string `json:"props"`
	Details  []string `json:"details"`
	By       string   `json:"by"`
	At       string   `json:"at"`
	Note     string   `json:"note"`
	HandMade bool     `json:"hand_made"`
	State    string   `json:"state"`
}

type driftWaived struct {
	What    string `json:"what"`
	Kind    string `json:"kind"`
	Name    string `json:"name"`
	Because string `json:"because"`
	Until   string `json:"until"`
}

type fileOut struct {
	File string `json:"file"`
	Diff string `json:"diff"`
}

func (v *drifted) asJSON() driftOut {
	out := driftOut{At: v.at, Things: []driftThing{}, Opens: []judgedOut{}, Closes: []judgedOut{}, Expectations: []expectedOut{}, Forward: []fileOut{}, Unreached: []string{}, Waived: []driftWaived{}, Strange: v.labels(),
		Back: nothingBuilt(v.at, stock.HeadOf(v.plan.Estate).Estate)}
	for i := range v.Things {
		d := &v.Things[i]
		t := d.Thing()
		out.Things = append(out.Things, driftThing{v.verb(d), string(t.Kind), t.Name, stock.PlaceOf(t).String(), append([]string{}, d.Props...), append([]string{}, details(d)...), d.By, d.At, d.Note, d.ByHand, string(d.State)})
	}
	for i := range v.Waived {
		w := &v.Waived[i]
		out.Waived = append(out.Waived, driftWaived{v.verb(&w.Drifted), string(w.Thing().Kind), w.Thing().Name, w.By.Because.Value, w.By.Until.Value})
	}
	if v.does == nil {
		return out
	}
	out.Opens, out.Closes = judgedJSON(v.does.Opens), judgedJSON(v.does.Closes)
	for _, all := range [][]judgedOut{out.Opens, out.Closes} { // nobody allowed what was done by hand
		for i := range all {
			all[i].Allowed = false
		}
	}
	for _, x := range v.does.Expectations {
		out.Expectations = append(out.Expectations, expectedOut(x))
	}
	b := &building{call: v.call, at: v.at, head: stock.HeadOf(v.plan.Estate)}
	out.Back = b.asJSON(v.back, nil)
	for _, one := range v.forward() {
		out.Forward = append(out.Forward, fileOut{one.Name, unified(one.Name, one.Text, one.After)})
	}
	for _, d := range v.Left {
		out.Unreached = append(out.Unreached, string(d.Thing().Kind)+" "+d.Thing().Name)
	}
	return out
}
