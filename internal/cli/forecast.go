package cli

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/core/address"
	"wendrik/internal/core/draw"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/forecast"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/space"
	"wendrik/internal/inlet"
	"wendrik/internal/picture"
)

func forecastCommand() *command {
	return &command{
		name:  "forecast",
		short: "when which block of address space has no place left, and which moves would make some",
		long: "Forecast foresees from when on which size of range has no place in which block. What is asked for is the past again, at the same distances: " +
			"the networks that came from revision to revision of the plan, as git has them, or those of a list of dates (-dates); and whatever -monthly says comes each month. " +
			"Each is put where carve would put it. For the size that first has none it says from when on there would be none if all that is free lay together, " +
			"and which networks would have to move so that more fit. " +
			"Networks that went are not expected to go again. -o draws it. The exit status is 1 when anything has no place before the end.",
		examples: []example{
			{"wendrik forecast -dates came.csv", "as the ranges of a list came: date,size,block"},
			{"wendrik forecast -monthly /18,/22 -in west -until 2100-01-01", "a /18 and a /22 each month from one block"},
			{"wendrik forecast -dates came.csv -monthly /18 -o forecast.svg", "as a picture"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			in := f.String("in", "", "`NAME` only this block")
			monthly := f.String("monthly", "", "`WHAT` what comes each month: sizes and patterns, with commas")
			dates := f.String("dates", "", "`FILE` the past as CSV with a header: date, size (or a range), and block or none; - for standard input")
			from := f.String("from", "", "`DATE` the day from which it looks ahead; today unless given")
			since := f.String("since", "", "`DATE` from when on the past counts; the first revision, or the first date, unless given")
			until := f.String("until", "", "`DATE` the end; ten years on unless given")
			out := f.String("o", "", "`FILE` draw it into this file, .svg, .png or .pdf")
			force, theme := f.forceFlag(), f.themeFlag()
			taken, columns := f.takenFlags()
			f.onlyWith("force", "o")
			f.onlyWith("theme", "o")
			return func(c *call) (int, error) {
				if err := c.noArguments("forecast", "-in BLOCK"); err != nil {
					return cannot, err
				}
				var into func(*draw.Picture) error
				var err error
				if *out != "" {
					if into, err = c.pictureInto(*out, *theme, 0, 0, *force); err != nil {
						return cannot, err
					}
				}
				o, err := c.load(*name, ranged)
				if err != nil {
					return cannot, err
				}
				used, err := c.inventory(*taken, *columns, o.Plan.Files)
				if err == nil {
					err = used.refusal()
				}
				if err != nil {
					return cannot, err
				}
				block := o.Estate.Block(*in)
				switch {
				case *in != "" && block == nil:
					return cannot, unknownBlock(o.Estate, *in)
				case block != nil && block.Held:
					return cannot, &usageError{fmt.Sprintf("block %s is held, and has no place for anybody", block.Name), ""}
				}
				p := &foreseen{survey: space.NewSurvey(o.Estate, used.taken), demand: forecast.Demand{From: today()}}
				if err := p.bounds(*from, *since, *until); err != nil {
					return cannot, err
				}
				if err := c.past(p, o, *name, *dates, *monthly != ""); err != nil {
					return cannot, err
				}
				if err := p.monthly(o.Estate, block, *monthly); err != nil {
					return cannot, err
				}
				p.blocks, p.nowhere = forecast.Of(p.survey, p.demand, block), forecast.Nowhere(p.survey, p.demand, block)
				status := good
				if len(p.nowhere) > 0 || slices.ContainsFunc(p.blocks, func(b forecast.Block) bool { return b.First().Length > 0 }) {
					status = no
				}
				if into != nil {
					return status, into(draw.Forecast(p.blocks, p.demand, p.asked(), picture.Width))
				}
				switch *format {
				case "json":
					return status, c.json(p.json())
				case "text":
					c.forecast(p)
					return status, nil
				}
				return status, c.write(p.sheet(), *format)
			}
		},
	}
}

// foreseen is what is asked for, and what becomes of the blocks.
type foreseen struct {
	survey  *space.Survey
	demand  forecast.Demand
	since   time.Time // from when on the past counts by the user's word
	blocks  []forecast.Block
	nowhere []forecast.Arrival // what is asked for, and no block could give
	outside int                // ranges of the past that lie in no block
	went    int                // networks of the past that are no more
	source  string             // where the past is from; empty for none
	each    bool               // whether what comes each month comes in each block
}

// today is the day that it is, in the time of the place.
func today() time.Time {
	y, m, d := time.Now().Date()
	return time.Date(y, m, d, 0, 0, 0, 0, time.UTC)
}

// dateOf reads a day, or a moment of one.
func dateOf(word string) (time.Time, error) {
	for _, form := range []string{time.DateOnly, time.RFC3339, "2006-01-02 15:04:05", "2006-01-02T15:04"} {
		if t, err := time.Parse(form, strings.TrimSpace(word)); err == nil {
			return t.UTC(), nil
		}
	}
	return time.Time{}, fmt.Errorf("%q is no date", word)
}

// bounds reads from when it looks ahead, from when the past counts and when the end is.
func (p *foreseen) bounds(from, since, until string) error {
	var err error
	if from != "" {
		if p.demand.From, err = dateOf(from); err != nil {
			return &usageError{fmt.Sprintf("-from %s is no day", from), "write it as  " + today().Format(time.DateOnly)}
		}
	}
	p.demand.Until = p.demand.From.AddDate(10, 0, 0)
	if until != "" {
		if p.demand.Until, err = dateOf(until); err != nil || !p.demand.Until.After(p.demand.From) {
			return &usageError{fmt.Sprintf("-until %s is no day to come", until), "write it as  " + p.demand.From.AddDate(3, 0, 0).Format(time.DateOnly)}
		}
	}
	if since != "" {
		if p.since, err = dateOf(since); err != nil || !p.since.Before(p.demand.From) {
			return &usageError{fmt.Sprintf("-since %s is no day that is past", since), "write it as  " + p.demand.From.AddDate(-1, 0, 0).Format(time.DateOnly)}
		}
	}
	return nil
}

// monthly adds what comes each month.
func (p *foreseen) monthly(e *estate.Estate, block *estate.Block, words string) error {
	if words == "" {
		return nil
	}
	p.each = block == nil
	for word := range strings.SplitSeq(words, ",") {
		word = strings.TrimSpace(word)
		a := forecast.Arrival{Who: word}
		if block != nil {
			a.Block = block.Name
		}
		if size, err := address.ParseSize(word); err == nil {
			a.Size, a.Wide = size, size > 32
			p.demand.Monthly = append(p.demand.Monthly, a)
			continue
		}
		if !slices.ContainsFunc(e.Plan.Patterns, func(x *plan.Pattern) bool { return x.Name.Value == word }) {
			return &usageError{fmt.Sprintf("-monthly %s is neither a size nor a pattern of the plan", word), "such as  -monthly /22"}
		}
		found := false
		for _, b := range e.Blocks {
			if b.Held || block != nil && b != block {
				continue
			}
			if size, can := forecast.PatternSize(e, word, b); can {
				found = true
				p.demand.Monthly = append(p.demand.Monthly, forecast.Arrival{Who: word, Block: b.Name, Size: size})
			}
		}
		if !found {
			return &usageError{fmt.Sprintf("of pattern %s it cannot be told how large a range it takes", word), "give its size:  -monthly /22"}
		}
	}
	return nil
}

// past finds what came: of a list, or of the revisions of the plan. Where neither is there, it is an error unless something else is asked for.
func (c *call) past(p *foreseen, o *opened, name, dates string, other bool) error {
	if dates != "" {
		return c.pastOfList(p, o.Estate, dates)
	}
	states, err := c.revisions(p, o, name)
	if err != nil && other {
		return nil // what comes each month is enough
	}
	if err != nil {
		return err
	}
	p.demand.Since = states[0].At
	p.demand.Past, p.outside, p.went = forecast.Came(states, o.Estate)
	p.source = phrase.Count(len(states)-1, "revision") + " of the plan"
	return nil
}

// maxRevisions is how many revisions of a plan are read; of more, those at even distances.
const maxRevisions = 200

// revisions are the states of the plan in git, and that of today.
func (c *call) revisions(p *foreseen, o *opened, name string) ([]forecast.State, error) {
	none := func(why string) error {
		return &usageError{"nothing tells what came in the past: " + why, "say what comes:  -monthly /22,  or what came:  -dates FILE"}
	}
	if name == "-" || name == standardInput {
		return nil, none("standard input has no revisions")
	}
	folder := filepath.Dir(o.Plan.Files.First().Name)
	commits, err := commitsOf(folder)
	if err != nil {
		return nil, none(err.Error())
	}
	if shallow(folder) {
		c.tell("the clone is shallow, and what came before its first revision is not known:  git fetch --unshallow  gets the rest")
	}
	state := func(x commit) (forecast.State, bool) {
		past, err := c.openSince(x.hash, o.Plan.Files.First().Name)
		if err != nil || past.unread() {
			return forecast.State{}, false
		}
		return forecast.StateOf(x.at, past.Estate), true
	}
	var states []forecast.State
	if !p.since.IsZero() { // it begins with the last one before that can be read
		before := 0
		for before < len(commits) && !commits[before].at.After(p.since) {
			before++
		}
		for i := before - 1; i >= 0 && len(states) == 0; i-- {
			if first, can := state(commits[i]); can {
				states = append(states, first)
			}
		}
		commits = commits[before:]
	}
	all := len(commits)
	if all > maxRevisions {
		var some []commit
		for i := range maxRevisions {
			some = append(some, commits[i*(all-1)/(maxRevisions-1)])
		}
		commits = some
		c.tell("of %d revisions of the plan, %d are read", all, maxRevisions)
	}
	meter := c.meter("reading revisions", int64(len(commits)), progress.UnitsDefault)
	defer meter.end()
	unread := 0
	for i, x := range commits {
		meter.step(i+1, len(commits))
		if next, can := state(x); can {
			states = append(states, next)
		} else {
			unread++
		}
	}
	if unread > 0 {
		c.tell("%s of the plan %s no plan that can be read", phrase.Count(unread, "revision"), map[bool]string{true: "has", false: "have"}[unread == 1])
	}
	if len(states) == 0 || p.demand.From.Sub(states[0].At) < 24*time.Hour {
		return nil, none("its folder has no revision of yesterday or before")
	}
	if !p.since.IsZero() && states[0].At.Before(p.since) {
		states[0].At = p.since
	}
	return append(states, forecast.StateOf(p.demand.From, o.Estate)), nil
}

// pastOfList reads a list of what came.
func (c *call) pastOfList(p *foreseen, e *estate.Estate, name string) error {
	in, label := c.in, standardInput
	if name != "-" {
		f, err := inlet.Open(name)
		if err != nil {
			return unreadable(name, "list", err)
		}
		defer f.Close()
		in, label = f, name
		c.texts = append(c.texts, name)
	}
	content, err := io.ReadAll(io.LimitReader(in, maxDates+1))
	switch {
	case err != nil:
		return unreadable(label, "list", err)
	case len(content) > maxDates:
		return &usageError{fmt.Sprintf("%s is larger than %d MiB", label, maxDates>>20), "-since DATE  needs what came since then alone"}
	}
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(content, []byte("\xef\xbb\xbf"))))
	r.FieldsPerRecord, r.TrimLeadingSpace = -1, true
	rows, err := r.ReadAll()
	if err != nil || len(rows) == 0 {
		return &usageError{fmt.Sprintf("%s is no CSV with a header", label), "date,size,block"}
	}
	column := func(words ...string) int {
		return slices.IndexFunc(rows[0], func(x string) bool { return slices.Contains(words, strings.ToLower(strings.TrimSpace(x))) })
	}
	date, size, block, who := column("date", "day"), column("size", "range"), column("block"), column("name", "network")
	if date < 0 || size < 0 {
		return &usageError{fmt.Sprintf("%s:1 has no column date, or none named size or range", label), "date,size,block"}
	}
	var problems []string
	for i, row := range rows[1:] {
		cell := func(at int) string {
			if at < 0 || at >= len(row) {
				return ""
			}
			return strings.TrimSpace(row[at])
		}
		a := forecast.Arrival{Block: cell(block), Who: cell(who)}
		bad := func(format string, args ...any) {
			problems = append(problems, fmt.Sprintf("%s:%d: %s", label, i+2, fmt.Sprintf(format, args...)))
		}
		if a.At, err = dateOf(cell(date)); err != nil {
			bad("%s", err)
			continue
		}
		if a.Size, err = address.ParseSize(cell(size)); err == nil {
			a.Wide = a.Size > 32
		} else {
			x, wrong := address.ParseRange(cell(size))
			if wrong != nil {
				bad("%q is neither a size nor a range", cell(size))
				continue
			}
			a.Size, a.Wide = x.Bits(), x.Addr().Is6()
			if b := forecast.BlockOf(e, x); b != nil && a.Block == "" {
				a.Block = b.Name
			}
			if a.Block == "" {
				p.outside++
				continue
			}
		}
		if a.Block != "" && e.Block(a.Block) == nil {
			bad("there is no block %q", a.Block)
			continue
		}
		if !a.At.After(p.demand.From) && !a.At.Before(p.since) {
			p.demand.Past = append(p.demand.Past, a)
		}
	}
	if len(problems) > 0 {
		for _, x := range problems {
			c.tell("%s", clean(x))
		}
		return &usageError{phrase.Count(len(problems), "line") + " cannot be read; nothing was done", "each line is  2026-03-14,/22,west"}
	}
	if len(p.demand.Past) == 0 && p.outside == 0 {
		return &usageError{fmt.Sprintf("%s has no day that is past", label), ""}
	}
	p.source = filepath.Base(label)
	if len(p.demand.Past) == 0 {
		p.demand.Since = p.demand.From
		return nil
	}
	p.demand.Since = slices.MinFunc(p.demand.Past, func(a, b forecast.Arrival) int { return a.At.Compare(b.At) }).At
	if !p.since.IsZero() {
		p.demand.Since = p.since
	}
	return nil
}

// maxDates is how large a list of dates may be, in bytes.
const maxDates = 16 << 20
