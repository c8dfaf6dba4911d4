package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
)

func driftCommand() *command {
	return &command{
		name:  "drift",
		short: "how what is there differs from the plan, by whose change, and the ways back and forward",
		long: "Drift compares what is there at a cloud with the plan: each thing that is new, gone or otherwise, and who did that; what opens and what closes by it, exactly; which lines of expect hold no longer; " +
			"the way back, as the steps that build would make; and the way forward, as an edit of the plan, which -write makes. What other estates have at the same cloud is left out, and so is what a cloud makes by itself. What is meant to be otherwise stands in a line of waive of the plan, with drift as its rule, why, and up to which day; -waived lists that, and build makes it as planned all the same. " +
			"The exit status is 1 when there is any drift.",
		examples: []example{
			{"wendrik drift", "what somebody changed by hand"},
			{"wendrik drift -format json", "the same for another program"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, at, format := f.planFlag(), f.atFlags(), f.oneOf("format", "how to write the result", "text", "json", "md")
			write := f.Bool("write", false, "write the way forward into the plan")
			waived := f.Bool("waived", false, "list what the plan says is meant to be otherwise, too")
			return func(c *call) (int, error) {
				if err := c.noArguments("drift", ""); err != nil {
					return cannot, err
				}
				o, err := c.load(*name, verdict.Needed)
				if err != nil {
					return cannot, err
				}
				ctx := context.Background()
				d, err := c.driver(at)
				if err != nil {
					return cannot, err
				}
				defer d.Close()
				x, err := build.Drifts(ctx, d, o.Estate, stock.HeadOf(o.Estate), time.Now().UTC().Format(time.DateOnly))
				if err != nil {
					return cannot, cloudError(*at.at, err)
				}
				v := &drifted{call: c, Drift: x, plan: o, at: *at.at, waived: *waived}
				if err := v.weigh(); err != nil {
					return cannot, err
				}
				status := good
				if len(x.Things) > 0 {
					status = no
				}
				switch *format {
				case "json":
					err = c.json(v.asJSON())
				case "md":
					v.markdown()
					v.markdownLabels()
				default:
					v.text()
				}
				if err != nil || !*write || len(x.Things) == 0 {
					return status, err
				}
				return status, v.write(*format == "text")
			}
		},
	}
}

// drifted is a drift that is shown.
type drifted struct {
	*call
	*build.Drift
	plan   *opened
	at     string
	waived bool            // whether what is waived is listed
	does   *compare.Result // what it lets through and stops; nil where nothing is otherwise
	back   *build.Job
}

// weigh works out what a drift does, and the way back.
func (v *drifted) weigh() error {
	if len(v.Things) == 0 {
		return nil
	}
	before := v.plan.Estate
	if v.Anew { // compared with the plan in the same form, so that only what differs is told
		if fresh, err := inForm(before); err == nil {
			before = fresh
		}
	}
	v.does = compare.Of(before, v.Estate, nil, time.Now())
	v.does.Expectations = slices.DeleteFunc(v.does.Expectations, func(x compare.Expectation) bool { return x.Was == compare.NotThere }) // what the way forward makes of other lines
	meter := v.meter("finding the way back", 0, progress.UnitsDefault)
	job, err := build.Prepared(v.There, stock.HeadOf(v.plan.Estate), stock.Of(v.plan.Estate), build.Leave{Hand: true, Take: true}, meter.step)
	meter.end()
	if err != nil {
		return cloudError(v.at, err)
	}
	v.back = job
	return nil
}

// inForm is an estate as it is written from its things.
func inForm(e *estate.Estate) (*estate.Estate, error) {
	fresh, problems := estate.Load(text.One("what is planned", stock.Text(stock.HeadOf(e), stock.Of(e))))
	if len(problems) > 0 {
		return nil, fmt.Errorf("%s", problems[0].Message)
	}
	return fresh, nil
}

// verb says what became of a thing.
func (v *drifted) verb(d *build.Drifted) string {
	switch {
	case d.Trouble != "":
		return "trouble"
	case d.Is == nil && d.State == cloud.Asked:
		return "asked"
	case d.Was == nil:
		return "new"
	case d.Is == nil:
		return "gone"
	}
	return "changed"
}

// whose says who did something, and when.
func whose(d *build.Drifted) string {
	switch {
	case d.Unbuilt:
		return "not built"
	case d.By == "":
		return "by nobody known"
	}
	when := d.At
	if t, err := time.Parse(time.RFC3339Nano, d.At); err == nil {
		when = t.UTC().Format("2006-01-02 15:04")
	}
	words := "by " + d.By + ", " + when
	if d.Note != "" {
		words += ": " + phrase.Clip(d.Note)
	}
	return words
}

// details say what of a thing is otherwise, a line for each property.
func details(d *build.Drifted) []string {
	switch {
	case d.Trouble != "":
		return []string{d.Trouble}
	case d.Is == nil && d.State == cloud.Asked:
		return []string{"it waits until both sides have accepted it"}
	}
	if d.Was == nil || d.Is == nil {
		t := d.Thing()
		switch t.Kind {
		case stock.Route:
			return []string{"via " + viaName(t)}
		case stock.Subnet, stock.Network, stock.Site:
			return []string{strings.Join(t.Props.Words("ranges"), ", ")}
		case stock.Workload:
			return []string{"in " + stock.NameIn(t.Props.Word("subnet")) + "  " + strings.Join(t.Props.Words("addresses"), ", ")}
		}
		return nil
	}
	var all []string
	spec := stock.SpecOf(d.Is.Kind)
	for _, name := range d.Props {
		p := spec.Prop(name)
		was, is := wordsOf(d.Was, p), wordsOf(d.Is, p)
		var less, more []string
		for _, w := range was {
			if !slices.Contains(is, w) {
				less = append(less, w)
			}
		}
		for _, w := range is {
			if !slices.Contains(was, w) {
				more = append(more, w)
			}
		}
		switch {
		case p.Shape == stock.Word || p.Shape == stock.Flag:
			all = append(all, fmt.Sprintf("%s is %s, planned %s", name, orNone(is), orNone(was)))
		case len(less)+len(more) == 0:
			all = append(all, name+" are in another order")
		default:
			for _, w := range more {
				all = append(all, fmt.Sprintf("%s has  %s", name, w))
			}
			for _, w := range less {
				all = append(all, fmt.Sprintf("%s lacks  %s", name, w))
			}
		}
	}
	if d.Labels {
		was, is := labelWords(d.Was), labelWords(d.Is)
		all = append(all, fmt.Sprintf("labels are %s, planned %s", orNone(is), orNone(was)))
	}
	if d.Mislabelled != "" {
		all = append(all, d.Mislabelled)
	}
	return all
}

func orNone(words []string) string {
	if len(words) == 0 {
		return "none"
	}
	return strings.Join(words, ", ")
}

// wordsOf are the words of a property, as a plan writes them.
func wordsOf(t *stock.Thing, p *stock.Prop) []string {
	named := func(key string) string {
		if len(p.Of) == 0 || key == stock.Blackhole {
			return key
		}
		return stock.NameIn(key)
	}
	var all []string
	switch v := t.Props[p.Name].(type) {
	case string:
		all = []string{named(v)}
	case bool:
		all = []string{fmt.Sprint(v)}
	case []string:
		for _, s := range v {
			all = append(all, named(s))
		}
	case map[string]string:
		for k, s := range v {
			if len(p.KeysOf) > 0 {
				k = stock.NameIn(k)
			}
			all = append(all, k+": "+named(s))
		}
		slices.Sort(all)
	case []stock.Rule:
		network, _, _ := strings.Cut(t.Name, "/")
		for _, r := range v {
			all = append(all, r.Line(p.Name, network))
		}
	}
	return all
}

func labelWords(t *stock.Thing) []string {
	var all []string
	if t.Owner != "" {
		all = append(all, "owner "+t.Owner)
	}
	for k, s := range t.Labels {
		all = append(all, k+" "+s)
	}
	slices.Sort(all)
	return all
}

// byWhom are those who made the changes by which flows open or close.
func (v *drifted) byWhom(all []*compare.Change) string {
	var who []string
	for _, ch := range all {
		for i := range v.Things {
			if d := &v.Things[i]; d.By != "" && v.touches(d, ch) && !slices.Contains(who, d.By) {
				who = append(who, d.By)
			}
		}
	}
	words := by(v.ofMembers(all))
	if len(who) > 0 {
		words += "  (" + strings.Join(who, ", ") + ")"
	}
	return words
}

// ofMembers are changes in which that of a count is told as those of its members, which is what somebody changed.
func (v *drifted) ofMembers(all []*compare.Change) []*compare.Change {
	var out []*compare.Change
	for _, ch := range all {
		n := len(out)
		for i := range v.Things {
			if d := &v.Things[i]; d.Thing().Kind == stock.Workload && ch.Name != d.Thing().Name && v.touches(d, ch) {
				one := *ch
				one.Kind, one.Thing, one.Name = v.verb(d), "workload", d.Thing().Name
				out = append(out, &one)
			}
		}
		if len(out) == n {
			out = append(out, ch)
		}
	}
	return out
}

// touches reports whether a change of the plan is of a thing, or of the count that it is a member of.
func (v *drifted) touches(d *build.Drifted, ch *compare.Change) bool {
	if w := v.plan.Workload(d.Thing().Name); d.Thing().Kind == stock.Workload && w != nil && w.Set != nil && slices.Equal(ch.Place, text.Path{"workloads", w.Set.Name}) {
		return true
	}
	at := stock.PlaceOf(d.Thing())
	inside := func(a, b text.Path) bool { return len(a) <= len(b) && slices.Equal(a, b[:len(a)]) }
	return inside(at, ch.Place) || inside(ch.Place, at)
}

// forward are the files of the plan that the way forward changes.
func (v *drifted) forward() []text.Changed {
	if v.Anew {
		return nil
	}
	return changedFiles(v.plan.Plan.Files, v.Estate.Plan.Files)
}

// write writes the way forward into the plan.
func (v *drifted) write(talk bool) error {
	if v.Anew {
		return &usageError{fmt.Sprintf("the plan cannot be edited to say what is there: %s", v.unreached()), "write a plan from what is there:  wendrik adopt -o FILE"}
	}
	changed := v.forward()
	if err := v.saveChanged(v.plan.label, v.plan.Plan.Files, changed); err != nil {
		return err
	}
	for _, one := range changed {
		v.written(talk, "written to %s: it says what is there", clean(one.Name))
	}
	return nil
}

// unreached says what the way forward does not say.
func (v *drifted) unreached() string {
	if len(v.Left) == 0 {
		return "something else in it speaks of what is gone"
	}
	t := v.Left[0].Thing()
	return fmt.Sprintf("%s %s comes from a pattern, or is written where no edit reaches", kindWord(t.Kind), t.Name)
}
