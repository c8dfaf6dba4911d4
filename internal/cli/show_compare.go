package cli

import (
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
)

// maxReasons is how many changes, and whatever else there may be many of, are told one by one.
const maxReasons = 40

// words are ends as a person would call them, few of them.
func (v *versions) words(names []string) string {
	return phrase.Few(compare.Gather(names, v.after.Estate, v.before.Estate), 4)
}

// gathered are ends as a person would call them, few of them.
func gathered(o *opened, names []string) string {
	return clean(phrase.Few(compare.Gather(names, o.Estate), 4))
}

// where is where a change stands, in the new text or in the old one.
func (v *versions) where(x *compare.Change) string {
	if x.Is.Known() {
		return v.after.Plan.Files.Where(x.Is)
	}
	return v.before.Plan.Files.Where(x.Was)
}

func by(all []*compare.Change) string {
	var words []string
	for _, x := range all {
		words = append(words, fmt.Sprintf("%s %s %s", x.Kind, x.Thing, x.Name))
	}
	return phrase.Few(words, 3)
}

// summary counts what is different.
func (v *versions) summary() string {
	parts := []string{phrase.Count(len(v.Changes), "change")}
	add := func(n int, one, many string) {
		if n == 1 {
			parts = append(parts, "1 "+one)
		} else if n > 1 {
			parts = append(parts, fmt.Sprintf("%d %s", n, many))
		}
	}
	opens, closes := v.Unallowed()
	tell := func(all, left int, what string, none *assurance) {
		switch {
		case all == 0:
			parts = append(parts, none.plain())
		case left == 0:
			parts = append(parts, thingsWords(all, what)+", as is allowed")
		default:
			parts = append(parts, thingsWords(all, what))
		}
	}
	tell(len(v.Opens), len(opens), "open", nothingOpens)
	tell(len(v.Closes), len(closes), "close", nothingCloses)
	add(len(v.Seen), "workload is seen otherwise", "workloads are seen otherwise")
	add(len(v.New), "finding is new", "findings are new")
	add(len(v.Gone), "finding is gone", "findings are gone")
	return strings.Join(parts, ", ")
}

// thingsWords says how many things open or close.
func thingsWords(n int, what string) string {
	return phrase.Count(n, "thing") + " " + map[bool]string{true: what + "s", false: what}[n == 1]
}

func (v *versions) text() {
	title := fmt.Sprintf("%s to %s: ", clean(v.before.label), clean(v.after.label))
	if v.Same() {
		v.say("%s%s", title, nothingDifferent.say())
		return
	}
	v.say("%s", strong.Sprint(v.wrap(2, title+v.summary())))
	for i, x := range v.Changes {
		if i == 0 {
			v.say("\n%s", strong.Sprint("what changed"))
		}
		if i == maxReasons {
			v.say("  %d more;  -format json  lists all", len(v.Changes)-i)
			break
		}
		what := ""
		if x.What != "" {
			what = ": " + x.What
		}
		colour := map[string]func(format string, a ...any) string{compare.New: fine.Sprintf, compare.Gone: bad.Sprintf, compare.Changed: doubt.Sprintf, compare.Renamed: dim.Sprintf}[x.Kind]
		v.say("  %s %s  %s", colour("%-7s", x.Kind), v.wrap(10, clean(fmt.Sprintf("%s %s%s", x.Thing, x.Name, what))), place.Sprint(clean(v.where(&x))))
	}
	v.differences("what opens", v.Opens)
	v.differences("what closes", v.Closes)
	for i, x := range v.Seen {
		if i == 0 {
			v.say("\n%s", strong.Sprint("whom the internet sees otherwise"))
		}
		if i == maxReasons {
			v.say("  %d more", len(v.Seen)-i)
			break
		}
		v.say("  %s", v.wrap(4, clean(fmt.Sprintf("%s: %s, was %s", x.Workload, seenWord(x.Is), seenWord(x.Was)))))
	}
	for i, x := range v.Expectations {
		if i == 0 {
			v.say("\n%s", strong.Sprint("expectations"))
		}
		v.say("  %s", v.wrap(4, clean(expectedWords(x))))
	}
	v.found("findings that are new", v.New)
	v.found("findings that are gone", v.Gone)
	if opens, closes := v.Unallowed(); len(opens)+len(closes) > 0 {
		v.say("\n%s", v.wrap(2, "what opens is allowed by a line of expect in the new plan, or of the file of  -allow,  that says  reaches,  and what closes by one that says  never reaches"))
	}
}

func seenWord(word string) string {
	if word == "" {
		return "nobody"
	}
	return word
}

// expectedWords says what became of a line of expect.
func expectedWords(x compare.Expectation) string {
	is := map[string]string{compare.Holds: "holds now", compare.HoldsNot: "does not hold any more", compare.Untried: "cannot be tried any more", compare.NotThere: "is not said any more"}[x.Is]
	switch {
	case x.Was == compare.NotThere && x.Is == compare.HoldsNot:
		is = "is new, and does not hold"
	case x.Was == compare.NotThere:
		is = "is new, and " + x.Is
	case x.Is == compare.HoldsNot && x.Was == compare.Untried:
		is = "does not hold"
	}
	return fmt.Sprintf("%q %s", x.Text, is)
}

func (v *versions) differences(title string, all []compare.Difference) {
	for i, x := range all {
		if i == 0 {
			v.say("\n%s", strong.Sprint(title))
		}
		if i == maxReasons {
			v.say("  %d more;  -format json  lists all", len(all)-i)
			return
		}
		allowed := ""
		if x.Allowed {
			allowed = "  (allowed)"
		}
		v.say("  %s", v.wrap(4, clean(effectLine(&x.Difference, v.words)+allowed)))
		if len(x.By) > 0 {
			v.say("    %s", dim.Sprint(v.wrap(6, clean("by "+by(x.By)))))
		}
	}
}

func (v *versions) found(title string, all []diag.Finding) {
	for i, f := range all {
		if i == 0 {
			v.say("\n%s", strong.Sprint(title))
		}
		if i == maxReasons {
			v.say("  %d more;  -format json  lists all", len(all)-i)
			return
		}
		v.say("  %s", v.wrap(4, clean(fmt.Sprintf("%s: %s", f.Code, f.Message))))
	}
}

// markdown writes the comparison for a review's comment.
func (v *versions) markdown() {
	v.say("## %s to %s\n", markdown(v.before.label), markdown(v.after.label))
	if v.Same() {
		v.say("Nothing is different.")
		return
	}
	v.say("%s.\n", markdown(strings.ToUpper(v.summary()[:1])+v.summary()[1:]))
	for _, part := range []struct {
		title string
		all   []compare.Difference
	}{{"What opens", v.Opens}, {"What closes", v.Closes}} {
		if len(part.all) == 0 {
			continue
		}
		v.say("### %s\n", part.title)
		t := &sheet{header: []string{"flows", "from", "to", "by", "allowed"}}
		for i, x := range part.all {
			if i == maxReasons {
				break
			}
			from, to := x.Ends()
			row := []string{x.Flows.String(), v.words(from), v.words(to), by(x.By)}
			row = append(row, map[bool]string{true: "yes", false: "no"}[x.Allowed])
			t.add(row...)
		}
		_ = v.write(t, "md")
		if left := len(part.all) - maxReasons; left > 0 {
			v.say("\n%d more.", left)
		}
		v.say("")
	}
	if len(v.Seen) > 0 {
		v.say("### Whom the internet sees otherwise\n")
		t := &sheet{header: []string{"workload", "was", "is"}}
		for _, x := range v.Seen[:min(len(v.Seen), maxReasons)] {
			t.add(x.Workload, seenWord(x.Was), seenWord(x.Is))
		}
		_ = v.write(t, "md")
		v.say("")
	}
	v.listMarkdown("Expectations", len(v.Expectations), func(i int) string { return expectedWords(v.Expectations[i]) })
	v.listMarkdown("Findings that are new", len(v.New), func(i int) string { return fmt.Sprintf("%s: %s", v.New[i].Code, v.New[i].Message) })
	v.listMarkdown("Findings that are gone", len(v.Gone), func(i int) string { return fmt.Sprintf("%s: %s", v.Gone[i].Code, v.Gone[i].Message) })
	if len(v.Changes) > 0 {
		v.say("### What changed\n")
		t := &sheet{header: []string{"", "thing", "what", "where"}}
		for _, x := range v.Changes[:min(len(v.Changes), 2*maxReasons)] {
			t.add(x.Kind, x.Thing+" "+x.Name, x.What, v.where(&x))
		}
		_ = v.write(t, "md")
		if left := len(v.Changes) - 2*maxReasons; left > 0 {
			v.say("\n%d more.", left)
		}
	}
}

func (v *versions) listMarkdown(title string, n int, line func(i int) string) {
	if n == 0 {
		return
	}
	v.say("### %s\n", title)
	for i := range min(n, maxReasons) {
		v.say("- %s", markdown(line(i)))
	}
	if n > maxReasons {
		v.say("- %d more", n-maxReasons)
	}
	v.say("")
}

// The JSON of compare; docs/json.md describes it.
type compareOut struct {
	Opens        []judgedOut      `json:"opens"`
	Closes       []judgedOut      `json:"closes"`
	Seen         []seenOut        `json:"seen"`
	Ranges       []rangeOut       `json:"ranges"`
	Changes      []changeOut      `json:"changes"`
	Expectations []expectedOut    `json:"expectations"`
	Findings     findingsComeGone `json:"findings"`
}

type seenOut struct {
	Workload string `json:"workload"`
	Was      string `json:"was"`
	Is       string `json:"is"`
}

type rangeOut struct {
	Name string `json:"name"`
	Was  string `json:"was"`
	Is   string `json:"is"`
}

type changeOut struct {
	Kind  string `json:"kind"`
	Thing string `json:"thing"`
	Name  string `json:"name"`
	What  string `json:"what"`
	Where string `json:"where"`
	Place string `json:"place"`
}

type expectedOut struct {
	Text string `json:"text"`
	Was  string `json:"was"`
	Is   string `json:"is"`
}

type findingsComeGone struct {
	New  []findingOut `json:"new"`
	Gone []findingOut `json:"gone"`
}

func (v *versions) asJSON() compareOut {
	out := compareOut{[]judgedOut{}, []judgedOut{}, []seenOut{}, []rangeOut{}, []changeOut{}, []expectedOut{}, findingsComeGone{findingsJSON(v.New, v.after.Plan.Files), findingsJSON(v.Gone, v.before.Plan.Files)}}
	out.Opens, out.Closes = judgedJSON(v.Opens), judgedJSON(v.Closes)
	for _, x := range v.Seen {
		out.Seen = append(out.Seen, seenOut(x))
	}
	for _, x := range v.Ranges {
		out.Ranges = append(out.Ranges, rangeOut(x))
	}
	for _, x := range v.Changes {
		what := x.What
		if what == "" {
			what = fmt.Sprintf("%s %s is %s", x.Thing, x.Name, x.Kind)
		}
		out.Changes = append(out.Changes, changeOut{x.Kind, x.Thing, x.Name, what, v.where(&x), x.Place.String()})
	}
	for _, x := range v.Expectations {
		out.Expectations = append(out.Expectations, expectedOut(x))
	}
	return out
}

func placesOf(all []*compare.Change) []string {
	places := []string{}
	for _, x := range all {
		places = append(places, x.Place.String())
	}
	return places
}

// unallowed are what opens and what closes and nobody allowed, as findings.
func (v *versions) unallowed() (opens, closes []diag.Finding) {
	some := func(all []compare.Difference, code diag.Code, cure string) (found []diag.Finding) {
		for _, x := range all {
			from, to := x.Ends()
			f := diag.Finding{Code: code, Severity: diag.Error, At: v.after.Plan.Files.First().Start(), Message: fmt.Sprintf("%s %s from %s to %s", x.Flows, code, v.words(from), v.words(to)), Fixes: diag.Advise(cure)}
			if len(x.By) > 0 {
				f.Place = x.By[0].Place
				f.Message += ", by " + by(x.By)
				if x.By[0].Is.Known() {
					f.At = x.By[0].Is
				}
			}
			found = append(found, f)
		}
		return found
	}
	o, c := v.Unallowed()
	return some(o, "opens", "say in expect, or in the file of  -allow,  that it may open, or take it out"), some(c, "closes", "say in expect, or in the file of  -allow,  that it never reaches, or put it back")
}

// sarif writes what opens or closes and nobody allowed, and the findings that are new, as a log of one run.
func (v *versions) sarif() error {
	opens, closes := v.unallowed()
	return v.sarifOf(slices.Concat(opens, closes, v.New), nil, v.after.Plan.Files, []sarifRule{{"opens", sarifText{"What a change opens, and nobody has said may open."}}, {"closes", sarifText{"What a change closes, and nobody has said may close."}}})
}

// junit writes a test for each thing that opens or closes and nobody allowed, or one that passes where there is none, and for each line of
// expect that is another than before: what the exit status is about. Findings that are new are in SARIF.
func (v *versions) junit() error {
	src := v.after.Plan.Files
	out := junitReport{Name: "wendrik compare"}
	opens, closes := v.unallowed()
	for _, suite := range []struct {
		name, none string
		all        []diag.Finding
	}{{"opens", "nothing opens that nobody has allowed", opens}, {"closes", "nothing closes that nobody has allowed", closes}} {
		var cases []junitCase
		for _, f := range suite.all {
			text := fmt.Sprintf("%s: %s\n  %s\n", clean(src.Where(f.At)), clean(f.Message), clean(f.Fix()))
			cases = append(cases, junitCase{clean(f.Message), "wendrik." + suite.name, &junitFailure{clean(f.Message), string(f.Code), text}})
		}
		if len(cases) == 0 {
			cases = append(cases, junitCase{Name: suite.none, Class: "wendrik." + suite.name})
		}
		out.add(suite.name, src, cases)
	}
	var cases []junitCase
	for _, x := range v.Expectations {
		if x.Is == compare.NotThere {
			continue
		}
		one := junitCase{Name: clean(x.Text), Class: "wendrik.expect"}
		if x.Is != compare.Holds {
			one.Failure = &junitFailure{"it " + x.Is, "expectation", clean(x.Text) + " " + x.Is + "\n"}
		}
		cases = append(cases, one)
	}
	out.add("expect", src, cases)
	return v.xml(&out)
}
