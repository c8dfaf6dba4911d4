package cli

import (
	"context"
	"errors"
	"fmt"
	"os/signal"
	"syscall"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
)

func buildCommand() *command {
	return &command{
		name:  "build",
		short: "makes the plan true at a cloud",
		long: "Build makes a plan true: it looks at what is there, finds the steps to what the plan says, and makes the calls, side by side where their order allows; it waits until things are ready, accepts for the owners whose keys it has and waits for the others, " +
			"and asks again what a rate limit refused. In no state between is anything cut or opened that can be helped. At a fault it stops, and says what is done and what is not; the same command goes on from there, and -undo takes back what the last run did. " +
			"It knows its own things by their labels, makes none of them twice, and keeps no file. What somebody made by hand is told and left alone, unless -hand-made has it go. " +
			"-dry tells what it would do, and -down takes all down. The exit status is 1 when the plan is not true at the end, for what waits for others too.",
		examples: []example{
			{"wendrik build -dry", "what it would do"},
			{"wendrik build", "make the plan true"},
			{"wendrik build -undo -dry", "what the last run did, and how it is taken back"},
			{"wendrik build -down -dry", "the way to take all down"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, at := f.planFlag(), f.atFlags()
			b := &building{}
			f.BoolVar(&b.dry, "dry", false, "tell what is to be done, and do nothing")
			f.BoolVar(&b.down, "down", false, "take down all that is there of the estate")
			f.BoolVar(&b.undo, "undo", false, "take back what the last run did")
			f.BoolVar(&b.hand, "hand-made", false, "remove what somebody made by hand inside of the estate, and the plan does not have")
			f.BoolVar(&b.take, "take-over", false, "label as the estate's own what is there as planned and somebody else made")
			f.BoolVar(&b.spare, "no-cuts", false, "do nothing when something is cut or opened on the way")
			f.IntVar(&b.side, "side", 16, "how many calls `N` may be under way at once")
			f.DurationVar(&b.wait, "wait", 2*time.Minute, "how long `TIME` it is waited until a thing is ready, and until another owner accepts")
			b.format = f.oneOf("format", "how to write the result", "text", "json")
			f.apart("down", "undo")
			return func(c *call) (int, error) {
				if err := c.noArguments("build", ""); err != nil {
					return cannot, err
				}
				if b.side < 1 || b.side > 256 {
					return cannot, &usageError{fmt.Sprintf("-side %d is not from 1 to 256", b.side), "-side 16"}
				}
				o, err := c.load(*name, anything)
				if err != nil {
					return cannot, err
				}
				ctx := context.Background()
				d, err := c.driver(at)
				if err != nil {
					return cannot, err
				}
				defer d.Close()
				b.call, b.at, b.driver, b.head = c, *at.at, d, stock.HeadOf(o.Estate)
				if !b.down && !b.undo {
					b.want = stock.Of(o.Estate)
					c.tellUnbuilt(o.Estate, b.want)
				}
				return b.run(ctx)
			}
		},
	}
}

// tellUnbuilt tells what of a plan cannot be built yet.
func (s *screen) tellUnbuilt(e *estate.Estate, things []stock.Thing) {
	built := map[string]bool{}
	for i := range things {
		built[things[i].Key()] = true
	}
	var left []string
	for _, n := range e.Networks {
		if !built[stock.KeyOf(stock.Network, n.Name)] {
			left = append(left, "network "+n.Name)
		}
	}
	for _, w := range e.Workloads {
		if n := w.Network(); !built[stock.KeyOf(stock.Workload, w.Name)] && (n == nil || built[stock.KeyOf(stock.Network, n.Name)]) {
			left = append(left, "workload "+w.Name)
		}
	}
	if len(left) > 0 {
		s.tell("not built, since a range or an address is not yet given: %s;  wendrik carve -write%s  gives that", clean(phrase.Few(left, 6)), s.samePlan())
	}
}

// building is one run of build.
type building struct {
	*call
	at                                 string
	driver                             cloud.Driver
	head                               stock.Head
	want                               []stock.Thing
	dry, down, undo, hand, take, spare bool
	side                               int
	wait                               time.Duration
	format                             *string
	undone                             string // the run that is taken back
}

func (b *building) run(ctx context.Context) (int, error) {
	note := time.Now().UTC().Format("2006-01-02T15:04:05.000000Z")
	if b.undo {
		there, err := build.Look(ctx, b.driver, b.head.Estate, nil)
		if err != nil {
			return cannot, cloudError(b.at, err)
		}
		if b.want, b.undone, err = build.Before(ctx, b.driver, there, b.head.Estate); err != nil {
			return cannot, cloudError(b.at, err)
		}
		if b.undone == "" {
			if *b.format == "json" {
				return good, b.json(nothingBuilt(b.at, b.head.Estate))
			}
			b.say("%s", fine.Sprint("there is no run to take back"))
			return good, nil
		}
	}
	meter := b.meter("finding the order", 0, progress.UnitsDefault)
	job, err := build.Prepare(ctx, b.driver, b.head, b.want, b.hand, b.take, meter.step)
	meter.end()
	if err != nil {
		return cannot, cloudError(b.at, err)
	}
	if b.spare && job.Order.Harmful() {
		b.dry = true
		defer b.complain("something is cut or opened on the way, so that nothing was done", "without -no-cuts it is done all the same")
	}
	if b.dry {
		status := good
		if b.spare && job.Order.Harmful() {
			status = no
		}
		if *b.format == "json" {
			return status, b.json(b.asJSON(job, nil))
		}
		b.told(job)
		return status, nil
	}
	opt := build.Options{Estate: b.head.Estate, Note: build.Note(b.head.Estate, note), Side: b.side, Patience: b.wait}
	if b.undo {
		opt.Note = build.Undo(b.head.Estate, b.undone)
	}
	ctx, stop := signal.NotifyContext(ctx, syscall.SIGINT, syscall.SIGTERM) // from here on an interruption must leave things in order
	defer stop()
	context.AfterFunc(ctx, stop) // a second one ends it at once
	out, err := b.work(ctx, job, opt)
	if err != nil && !errors.Is(err, context.Canceled) {
		return cannot, cloudError(b.at, err)
	}
	interrupted := errors.Is(err, context.Canceled)
	status := good
	switch {
	case interrupted || len(out.Undone) > 0:
		status = cannot
	case len(out.Waiting)+len(job.Theirs) > 0 || len(job.Left) > 0:
		status = no
	}
	if *b.format == "json" {
		return status, b.json(b.asJSON(job, out))
	}
	b.done(job, out, interrupted)
	return status, nil
}

// work does a job, waits for what others must accept, and does what could not be done before that. The outcome is that of all of it.
func (b *building) work(ctx context.Context, job *build.Job, opt build.Options) (*build.Outcome, error) {
	done := 0
	for {
		p := b.progressOf(job)
		opt.Report = p.event
		out, err := job.Do(ctx, b.driver, opt)
		p.end()
		if out == nil {
			return nil, err
		}
		out.Done, out.Total = out.Done+done, out.Total+done
		if err != nil || len(out.Undone) > 0 || len(out.Waiting) == 0 {
			return out, err
		}
		told := ""
		out.Waiting, err = build.Await(ctx, b.driver, b.head, b.want, out.Waiting, b.wait, func(left []string) {
			if words := b.waitWords(job, left); words != told && *b.format == "text" {
				told = words
				b.tell("%s", words)
			}
		})
		if err != nil || len(out.Waiting) > 0 || len(out.Later) == 0 {
			return out, err
		}
		done = out.Done
		if job, err = build.Prepare(ctx, b.driver, b.head, b.want, b.hand, b.take, nil); err != nil {
			return out, err
		}
	}
}

// waitWords say for whom it is waited.
func (b *building) waitWords(job *build.Job, keys []string) string {
	var all []string
	for _, k := range keys {
		all = append(all, stock.NameIn(k)+b.otherSide(job, k))
	}
	return fmt.Sprintf("waits to be accepted: %s", phrase.Names(all, clean))
}

// otherSide names the owner that is to accept.
func (b *building) otherSide(job *build.Job, key string) string {
	for i := range job.Is {
		if job.Is[i].Key() != key {
			continue
		}
		for _, side := range job.Is[i].Sides() {
			if !job.Owners.Ours(side) {
				return " by " + job.Owners.Of(side)
			}
		}
	}
	return ""
}
