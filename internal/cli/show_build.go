package cli

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"golang.org/x/term"

	"wendrik/internal/build"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
)

// verbs say what an act does, before it is done and once it is.
var verbs = map[stock.Verb][2]string{stock.Make: {"make", "made"}, stock.Change: {"change", "changed"}, stock.Remove: {"remove", "removed"}, stock.Accept: {"accept", "accepted"}}

// kindWord is how people call a kind.
func kindWord(k stock.Kind) string { return strings.ReplaceAll(string(k), "-", " ") }

// keyWords is how people call a thing, by its key.
func keyWords(key string) string {
	kind, name := stock.SplitKey(key)
	return kindWord(kind) + " " + name
}

// fewKeys are the first of some things, as people call them, and how many more there are.
func fewKeys(keys []string) string {
	words := make([]string, len(keys))
	for i, key := range keys {
		words[i] = keyWords(key)
	}
	return phrase.Few(words, 6)
}

// actWords say what an act is about, and what of it.
func actWords(a *stock.Act) string {
	words := kindWord(a.Thing.Kind) + " " + clean(a.Thing.Name)
	switch a.Verb {
	case stock.Accept:
		return words + "  for " + clean(stock.NameIn(a.Side))
	case stock.Change:
		var what []string
		for name := range a.Props {
			what = append(what, name)
		}
		slices.Sort(what)
		if a.Labels {
			what = append(what, "labels")
		}
		return words + "  " + strings.Join(what, ", ")
	}
	if a.Thing.Kind == stock.Route && a.Verb == stock.Make {
		return words + " via " + clean(viaName(a.Thing))
	}
	return words
}

func viaName(t *stock.Thing) string {
	via := t.Props.Word("via")
	if via == stock.Blackhole {
		return via
	}
	return stock.NameIn(via)
}

// showedActs is up to how many calls of a phase are listed one by one.
const showedActs = 40

// told tells what a job would do.
func (b *building) told(job *build.Job) {
	b.remarks(job)
	if job.Empty() {
		b.say("%s", nothingToDo.say()+b.nothingWords())
		return
	}
	counts := map[stock.Verb]int{}
	for _, p := range job.Phases() {
		for _, a := range p.Acts {
			counts[a.Verb]++
		}
	}
	var parts []string
	for _, v := range []stock.Verb{stock.Make, stock.Change, stock.Remove, stock.Accept} {
		if counts[v] > 0 {
			parts = append(parts, fmt.Sprintf("%s %d", verbs[v][0], counts[v]))
		}
	}
	b.say("%s at %s: %s", strong.Sprint(phrase.Count(job.Calls(), "call")), clean(b.at), strings.Join(parts, ", "))
	b.say("%s", b.safety(job))
	if b.undone != "" {
		b.say("takes back what was done up to the run of %s", runTime(b.undone))
	}
	for _, p := range job.Phases() {
		b.phase(&p)
	}
}

// runTime is when a run began, of its name.
func runTime(run string) string {
	began, _, _ := strings.Cut(run, " ")
	return began
}

func (b *building) nothingWords() string {
	if b.down {
		return "nothing of the estate is there"
	}
	return "what is there is what the plan says"
}

// safety says what is known of the states between.
func (b *building) safety(job *build.Job) string {
	switch o := job.Order; {
	case o.Unproved != "":
		return doubt.Sprint("what is cut and opened on the way was not worked out: ") + clean(o.Unproved)
	case b.down && !o.Harmful():
		return "workloads go first, so that nothing is opened on the way"
	case o.Harmful():
		return bad.Sprint("something is cut or opened for a while; no order was found in which less is")
	}
	return cleanSteps.say()
}

func (b *building) phase(p *build.Phase) {
	b.say("\n%s", strong.Sprint(clean(p.What)))
	b.harm("cuts", p.Cuts)
	b.harm("opens", p.Opens)
	if p.Why != "" {
		b.say("      why    %s", b.wrap(13, clean(p.Why)))
	}
	for i, a := range inOrder(p.Acts) {
		if i == showedActs && len(p.Acts) > showedActs+1 {
			b.say("  %d more;  -format json  lists all", len(p.Acts)-i)
			break
		}
		b.say("  %-8s %s", verbs[a.Verb][0], b.wrap(11, actWords(a)))
	}
}

// inOrder are acts in an order in which they can be done, as near to the one that they are in as that allows.
func inOrder(acts []stock.Act) []*stock.Act {
	var out []*stock.Act
	had := make([]bool, len(acts))
	var add func(i int)
	add = func(i int) {
		if had[i] {
			return
		}
		had[i] = true
		for _, n := range acts[i].After {
			add(n)
		}
		out = append(out, &acts[i])
	}
	for i := range acts {
		add(i)
	}
	return out
}

// remarks tell what a job leaves alone.
func (b *building) remarks(job *build.Job) {
	if len(job.Theirs) > 0 {
		b.tell("left to other owners, whose keys are not here: %s", phrase.Few(job.Theirs, 6))
	}
	if len(job.Left) > 0 {
		b.tell("made by hand or kept, not in the plan, and left alone: %s", phrase.Few(handNames(job.Left), 6))
		b.tell("  -hand-made  removes what is inside of the estate's own,  -remove NAME  anything by its name;  wendrik drift%s  says what it lets through", b.samePlace(b.at))
	}
	if job.There.Others > 0 {
		b.tell("%s there of other estates%s", phrase.Count(job.There.Others, "thing"), orOutside(b.head.Scope))
	}
}

func handNames(all []*build.Item) []string {
	var names []string
	for _, i := range all {
		names = append(names, keyWords(i.Key()))
	}
	return names
}

// buildProgress shows how a run comes along: on a terminal a line that is written anew, and what was done above it.
type buildProgress struct {
	b       *building
	began   time.Time
	live    bool
	writer  progress.Writer
	tracker *progress.Tracker
	every   time.Time
	last    int // how many calls are done
}

// maxLines is how many calls are told one by one while a run goes on; those of longer runs are counted.
const maxLines = 300

func (b *building) progressOf(job *build.Job) *buildProgress {
	p := &buildProgress{b: b, began: time.Now()}
	if *b.format == "json" {
		return p
	}
	b.remarks(job)
	if f, is := b.err.(*os.File); is && term.IsTerminal(int(f.Fd())) && !job.Empty() {
		p.live = true
		p.writer = progress.NewWriter()
		p.writer.SetOutputWriter(b.err)
		p.writer.SetUpdateFrequency(100 * time.Millisecond)
		p.writer.SetTrackerLength(30)
		p.writer.SetMessageLength(26)
		style := progress.StyleBlocks // a copy
		style.Options.PercentFormat = "%3.0f%%"
		style.Options.TimeInProgressPrecision = 100 * time.Millisecond
		p.writer.SetStyle(style)
		p.tracker = &progress.Tracker{Message: "building " + clean(b.head.Estate), Total: int64(job.Calls())}
		p.writer.AppendTracker(p.tracker)
		go p.writer.Render()
	}
	return p
}

func (p *buildProgress) line(format string, args ...any) {
	text := p.b.fit(fmt.Sprintf(format, args...))
	if p.live {
		p.writer.Log("%s", text)
		return
	}
	p.b.tell("%s", text)
}

// event shows one thing that was done.
func (p *buildProgress) event(e build.Event) {
	if *p.b.format == "json" {
		return
	}
	if p.last = e.Done; p.tracker != nil && e.Done < e.Total { // the last of them when its line stands
		p.tracker.SetValue(int64(e.Done))
	}
	switch {
	case e.Act == nil:
		p.line("%s", strong.Sprint(clean(e.What)))
	case e.Err != nil:
		p.line("  %s %s: %s", bad.Sprintf("%-8s", "stopped"), actWords(e.Act), clean(e.Err.Error()))
	case e.Waits:
		p.line("  %s %-52s  %s", doubt.Sprintf("%-8s", "asked"), actWords(e.Act), dim.Sprint(clean(e.ID)))
	case e.Total <= maxLines:
		p.line("  %s %-52s  %s", fine.Sprintf("%-8s", verbs[e.Act.Verb][1]), actWords(e.Act), dim.Sprintf("%-20s  %.1f s", clean(e.ID), e.Took.Seconds()))
	case !p.live && time.Since(p.every) > 5*time.Second:
		p.every = time.Now()
		p.line("  %d of %d", e.Done, e.Total)
	}
}

func (p *buildProgress) end() {
	if p.live {
		time.Sleep(150 * time.Millisecond) // until the last line stands
		p.tracker.SetValue(int64(p.last))
		p.tracker.MarkAsDone()
		time.Sleep(200 * time.Millisecond) // the last update
		p.writer.Stop()
	}
}

// done tells what a run came to.
func (b *building) done(job *build.Job, out *build.Outcome, interrupted bool) {
	what := planTrue.plain() + clean(b.at)
	switch {
	case b.down:
		what = "all is taken down at " + clean(b.at)
	case b.undo:
		what = "what was done up to the run of " + runTime(b.undone) + " is taken back"
	}
	switch {
	case interrupted || len(out.Undone) > 0:
		b.say("%s  %d of %s done, %d not", bad.Sprint("stopped"), out.Done, phrase.Count(out.Total, "call"), out.Total-out.Done)
		for _, u := range out.Undone {
			b.say("  not done: %s %s", verbs[u.Act.Verb][0], actWords(u.Act))
			b.say("            %s", b.wrap(12, clean(u.Err.Error())))
		}
		b.say("the same command goes on from here;  wendrik build -undo%s  takes back what this run did", b.samePlace(b.at))
	case len(out.Waiting) > 0:
		b.say("%s  %s done, and %s", doubt.Sprint("waiting"), phrase.Count(out.Done, "call"), b.waitWords(job, out.Waiting))
		if len(out.Later) > 0 {
			var words []string
			for _, a := range out.Later {
				words = append(words, actWords(a))
			}
			b.say("until then it leaves undone: %s", b.wrap(4, phrase.Few(words, 4)))
		}
		b.say("the same command goes on when that has come")
	case len(b.untrue) > 0:
		names := phrase.Names(b.untrue, func(d stock.Difference) string { return keyWords(d.Key()) })
		b.say("%s  %s, and looked at again %s not as it is to be: %s", bad.Sprint("not true"), phrase.Count(out.Done, "call"), phrase.Count(len(b.untrue), "thing"), clean(names))
		b.say("wendrik drift%s  says how, and who did that; the same command goes on from here", b.samePlace(b.at))
	case len(job.Theirs) > 0 || len(job.Left) > 0:
		b.say("%s  %s; what is left to others, or made by hand, is told above", doubt.Sprint("done"), phrase.Count(out.Done, "call"))
	case out.Total == 0:
		b.say("%s", nothingWasToDo.say()+b.nothingWords())
	default:
		b.say("%s  %s: %s", fine.Sprint("done"), phrase.Count(out.Done, "call"), what)
	}
}

// The JSON of build; docs/json.md describes it.
type builtOut struct {
	At       string       `json:"at"`
	Estate   string       `json:"estate"`
	Phases   []phaseOut   `json:"phases"`
	Unproved string       `json:"unproved"`
	Done     int          `json:"done"`
	Total    int          `json:"total"`
	NotDone  []notDoneOut `json:"not_done"`
	Waiting  []string     `json:"waiting"`
	Untrue   []string     `json:"untrue"`
	HandMade []string     `json:"hand_made"`
	NotOurs  []string     `json:"not_ours"`
	Undoes   string       `json:"undoes"`
}

type phaseOut struct {
	What  string      `json:"what"`
	Calls []callOut   `json:"calls"`
	Cuts  []effectOut `json:"cuts"`
	Opens []effectOut `json:"opens"`
	Why   string      `json:"why"`
}

type callOut struct {
	Verb  string    `json:"verb"`
	Kind  string    `json:"kind"`
	Name  string    `json:"name"`
	Props []propOut `json:"props"`
	Side  string    `json:"side"`
	After []int     `json:"after"`
}

type propOut struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// propsJSON are the properties that a call writes, in the order of their names.
func propsJSON(all map[string]any) []propOut {
	out := []propOut{}
	for _, name := range slices.Sorted(maps.Keys(all)) {
		raw, err := json.Marshal(all[name])
		if err != nil {
			raw = []byte("null")
		}
		out = append(out, propOut{name, string(raw)})
	}
	return out
}

type notDoneOut struct {
	Verb string `json:"verb"`
	Kind string `json:"kind"`
	Name string `json:"name"`
	Why  string `json:"why"`
}

// nothingBuilt is the answer where there is nothing to do.
func nothingBuilt(at, estateName string) builtOut {
	return builtOut{At: at, Estate: estateName, Phases: []phaseOut{}, NotDone: []notDoneOut{}, Waiting: []string{}, Untrue: []string{}, HandMade: []string{}, NotOurs: []string{}}
}

func (b *building) asJSON(job *build.Job, out *build.Outcome) builtOut {
	x := nothingBuilt(b.at, b.head.Estate)
	x.Unproved, x.Total, x.Undoes = job.Order.Unproved, job.Calls(), b.undone
	x.HandMade, x.NotOurs = append(x.HandMade, handNames(job.Left)...), append(x.NotOurs, job.Theirs...)
	for _, p := range job.Phases() {
		one := phaseOut{What: p.What, Calls: []callOut{}, Cuts: effectsJSON(p.Cuts), Opens: effectsJSON(p.Opens), Why: p.Why}
		for _, a := range p.Acts {
			c := callOut{Verb: string(a.Verb), Kind: string(a.Thing.Kind), Name: a.Thing.Name, Props: propsJSON(a.Props), Side: stock.NameIn(a.Side), After: []int{}}
			for _, n := range a.After {
				c.After = append(c.After, n+1)
			}
			one.Calls = append(one.Calls, c)
		}
		x.Phases = append(x.Phases, one)
	}
	if out != nil {
		x.Done = out.Done
		for _, d := range b.untrue {
			x.Untrue = append(x.Untrue, keyWords(d.Key()))
		}
		for _, k := range out.Waiting {
			x.Waiting = append(x.Waiting, stock.NameIn(k))
		}
		for _, u := range out.Undone {
			x.NotDone = append(x.NotDone, notDoneOut{string(u.Act.Verb), string(u.Act.Thing.Kind), u.Act.Thing.Name, u.Err.Error()})
		}
	}
	return x
}
