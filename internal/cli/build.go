package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/google/uuid"
	"github.com/jedib0t/go-pretty/v6/progress"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/verdict"
)

func buildCommand() *command {
	return &command{
		name:  "build",
		args:  "[REVIEW]",
		short: "makes the plan true at a cloud",
		long: "Build makes a plan true: it looks at what is there, finds the steps to what the plan says, and makes the calls, side by side where their order allows; it waits until things are ready, accepts for the owners whose keys it has and waits for the others, " +
			"and asks again what a rate limit refused. In no state between is anything cut or opened that can be helped. One builds an estate at a time, where the cloud has locks, and another waits. At a fault it stops, and says what is done and what is not; the same command goes on from there, and -undo takes back what the last job did, over all its runs, unless somebody else has changed that since. " +
			"It knows its own things by their labels, makes none of them twice, and keeps no file. What somebody made by hand is told and left alone, unless -hand-made has it go, inside of what is the estate's; what else is to go, " +
			"and what the plan keeps (keep: true), must be named with -remove. What is another estate's is never touched. What removes, cuts or opens something, -down and -undo are asked for at a terminal, and need -yes elsewhere. " +
			"-dry tells what it would do; with -o it keeps that in a file, and build FILE makes just that, unless something has moved that it rests on. -down takes all down. At the end it looks again: the exit status is 1 when the plan is not true then, for what waits for others too.",
		examples: []example{
			{"wendrik build -dry", "what it would do"},
			{"wendrik build", "make the plan true"},
			{"wendrik build -dry -o friday.json", "keep what it would do, to be read and then made as it stands:  wendrik build friday.json"},
			{"wendrik build -undo -dry", "what the last job did, and how it is taken back"},
			{"wendrik build -down -dry", "the way to take all down"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, at := f.planFlag(), f.atFlags()
			b := &building{}
			f.BoolVar(&b.dry, "dry", false, "tell what is to be done, and do nothing")
			f.BoolVar(&b.down, "down", false, "take down all that is there of the estate")
			f.BoolVar(&b.undo, "undo", false, "take back what the last job did, over all its runs")
			f.BoolVar(&b.leave.Hand, "hand-made", false, "remove what somebody made by hand inside of what is the estate's, and the plan does not have")
			f.BoolVar(&b.leave.Take, "take-over", false, "label as the estate's own what nobody's label is on and the plan has, and change it to what that says")
			remove := f.String("remove", "", "remove these, `NAMES` or identifiers with commas: what was made by hand anywhere, and what is kept")
			f.BoolVar(&b.yes, "yes", false, "do not ask before something is removed, cut or opened")
			keep := f.String("o", "", "with -dry: keep what is to be done in `FILE`, which is not there yet")
			f.BoolVar(&b.spare, "no-cuts", false, "do nothing when something is cut or opened on the way")
			f.IntVar(&b.side, "side", 16, "how many calls `N` may be under way at once")
			f.DurationVar(&b.wait, "wait", 2*time.Minute, "how long `TIME` it is waited until a thing is ready, until another owner accepts, and until another build is done")
			b.format = f.oneOf("format", "how to write the result", "text", "json")
			f.apart("down", "undo")
			return func(c *call) (int, error) {
				b.call, b.at = c, *at.at
				if *keep != "" && (!b.dry || len(c.args) > 0) {
					return cannot, &usageError{"-o keeps what -dry tells", "wendrik build -dry -o FILE"}
				}
				b.leave.Remove = listed(*remove)
				if b.side < 1 || b.side > 256 {
					return cannot, &usageError{fmt.Sprintf("-side %d is not from 1 to 256", b.side), "-side 16"}
				}
				if len(c.args) > 1 || len(c.args) == 1 && (b.down || b.undo || b.leave.Hand || b.leave.Take || len(b.leave.Remove) > 0) {
					return cannot, &usageError{"build takes one file that was kept for a review, and what is to be done stands in that", "wendrik build FILE; a plan is named with  -plan FILE"}
				}
				var e *estate.Estate
				if len(c.args) == 1 {
					if err := b.readReview(c.args[0]); err != nil {
						return cannot, err
					}
				} else {
					o, err := c.load(*name, verdict.Needed)
					if err != nil {
						return cannot, err
					}
					if e = o.Estate; !b.down && !b.undo {
						if err := b.refused(e); err != nil {
							return cannot, err
						}
						b.want = stock.Of(e)
						b.unbuilt = c.tellUnbuilt(e, b.want)
					}
					b.head = stock.HeadOf(e)
				}
				ctx := context.Background()
				d, err := c.driver(at)
				if err != nil {
					return cannot, err
				}
				defer d.Close()
				b.driver = d
				return b.run(ctx, e, *keep)
			}
		},
	}
}

// tellUnbuilt tells what of a plan cannot be built yet, and gives its keys.
func (s *screen) tellUnbuilt(e *estate.Estate, things []stock.Thing) (keys []string) {
	built := map[string]bool{}
	for i := range things {
		built[things[i].Key()] = true
	}
	var left []string
	for _, n := range e.Networks {
		if !built[stock.KeyOf(stock.Network, n.Name)] {
			left, keys = append(left, "network "+n.Name), append(keys, stock.KeyOf(stock.Network, n.Name))
		}
	}
	for _, w := range e.Workloads {
		if n := w.Network(); !built[stock.KeyOf(stock.Workload, w.Name)] && (n == nil || built[stock.KeyOf(stock.Network, n.Name)]) {
			left, keys = append(left, "workload "+w.Name), append(keys, stock.KeyOf(stock.Workload, w.Name))
		}
	}
	if len(left) > 0 {
		s.tell("not built, since a range or an address is not yet given: %s;  wendrik carve -write%s  gives that", clean(phrase.Few(left, 6)), s.samePlan())
	}
	return keys
}

// building is one run of build.
type building struct {
	*call
	at                          string
	driver                      cloud.Driver
	head                        stock.Head
	want                        []stock.Thing
	dry, down, undo, spare, yes bool
	leave                       build.Leave
	review                      *reviewed // the build that was kept and is made now; nil for none
	side                        int
	wait                        time.Duration
	format                      *string
	undone                      string             // the run that is taken back
	unbuilt                     []string           // the keys of what the plan has, and cannot be built yet
	untrue                      []stock.Difference // what was not as it was to be when it was looked at again
}

// run works out what is to be done, and does it; where that is to be kept for a review it is written into a file instead, with the plan.
func (b *building) run(ctx context.Context, plan *estate.Estate, keep string) (int, error) {
	if !b.dry {
		end, err := b.alone(ctx)
		if err != nil {
			return cannot, cloudError(b.at, err)
		}
		defer end()
	}
	began := time.Now().UTC().Format("2006-01-02T15:04:05.000000Z")
	if b.undo {
		there, err := build.Look(ctx, b.driver, b.head, nil)
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
	job, err := build.Prepare(ctx, b.driver, b.head, b.want, b.leave, meter.step)
	meter.end()
	if err != nil {
		return cannot, cloudError(b.at, err)
	}
	if err := b.mayNot(job); err != nil {
		return cannot, err
	}
	harmful := job.Order.Harmful() || job.Order.Unproved != ""
	if b.spare && harmful {
		b.dry = true
		what := "something is cut or opened on the way"
		if !job.Order.Harmful() {
			what = "what is cut and opened on the way was not worked out"
		}
		defer b.complain(what+", so that nothing was done", "without -no-cuts it is done all the same")
	}
	if b.dry {
		status := good
		if b.spare && harmful {
			status = no
		}
		if *b.format == "json" {
			if err := b.json(b.asJSON(job, nil)); err != nil {
				return cannot, err
			}
		} else {
			b.told(job)
		}
		if keep != "" && status == good {
			return status, b.keepReview(job, plan, keep)
		}
		return status, nil
	}
	if err := b.granted(job, harmful); err != nil {
		return cannot, err
	}
	opt := build.Options{Estate: b.head.Estate, Note: build.Note(b.head.Estate, build.Run(began, b.want)), Side: b.side, Patience: b.wait}
	if b.undo {
		opt.Note = build.Undo(b.head.Estate, b.undone)
	}
	ctx, stop := signal.NotifyContext(ctx, syscall.SIGINT, syscall.SIGTERM) // from here on an interruption must leave things in order
	defer stop()
	context.AfterFunc(ctx, stop) // a second one ends it at once
	job, out, err := b.work(ctx, job, opt)
	if err != nil && !errors.Is(err, context.Canceled) {
		return cannot, cloudError(b.at, err)
	}
	interrupted := errors.Is(err, context.Canceled)
	status := good
	if !interrupted && len(out.Undone)+len(out.Waiting)+len(out.Later) == 0 {
		if b.untrue, err = job.Look(ctx, b.driver, b.head, b.want); err != nil {
			return cannot, cloudError(b.at, err)
		}
	}
	switch {
	case interrupted || len(out.Undone) > 0:
		status = cannot
	case len(out.Waiting)+len(job.Theirs)+len(b.untrue) > 0 || len(job.Left) > 0:
		status = no
	}
	if *b.format == "json" {
		return status, b.json(b.asJSON(job, out))
	}
	b.done(job, out, interrupted)
	return status, nil
}

// holdFor is for how long a lock is taken; it is taken again while the build goes on, and ends soon where that was killed.
const holdFor = 10 * time.Second

// alone takes the lock of the estate, where the cloud has such, and keeps it until end is called. While another builds it waits for that, and
// is refused when it has waited for long enough.
func (b *building) alone(ctx context.Context) (end func(), err error) {
	who, _ := os.Hostname()
	h := &cloud.Hold{Estate: b.head.Estate, Token: uuid.NewString(), By: fmt.Sprintf("on %s, process %d", who, os.Getpid()), Seconds: int(holdFor / time.Second)}
	taken, told := false, false
	for deadline := time.Now().Add(b.wait); ; {
		if taken, err = cloud.Lock(ctx, b.driver, h); err == nil {
			break
		}
		var refused *cloud.Refusal
		if !errors.As(err, &refused) || refused.Reason != cloud.Conflict || time.Now().After(deadline) {
			return nil, err
		}
		if !told && *b.format == "text" {
			b.tell("waits: %s", clean(refused.Message))
		}
		told = true
		time.Sleep(time.Second)
	}
	if !taken {
		return func() {}, nil
	}
	done := make(chan struct{})
	go func() {
		for tick := time.NewTicker(holdFor / 3); ; {
			select {
			case <-done:
				tick.Stop()
				return
			case <-tick.C:
				_, _ = cloud.Lock(ctx, b.driver, h) // one that cannot be had now is asked for at the next tick
			}
		}
	}()
	return func() {
		close(done)
		_ = cloud.LockerOf(b.driver).Unlock(context.WithoutCancel(ctx), h) // else it ends by itself
	}, nil
}

// mayNot says why a job is not to be begun, whoever gives leave.
func (b *building) mayNot(job *build.Job) error {
	would := slices.DeleteFunc(slices.Clone(b.unbuilt), func(key string) bool { return job.There.Item(key) == nil })
	unknown, kept := job.Unknown(b.leave), job.KeptButGone(b.leave)
	switch {
	case len(would) > 0:
		return &usageError{fmt.Sprintf("the plan has %s, and no range or address for it yet, so that what is there would go: %s", phrase.Count(len(would), "thing"), fewKeys(would)), "wendrik carve -write" + b.samePlan() + "  gives that"}
	case len(unknown) > 0:
		return &usageError{fmt.Sprintf("there is nothing of the estate, and nothing that nobody's label is on, called %s", phrase.Few(unknown, 6)), "wendrik drift  names what is there and not in the plan; what is another estate's is removed by that"}
	case len(kept) > 0:
		return &usageError{fmt.Sprintf("%s cannot be changed in place, and the plan keeps what would be made anew: %s", phrase.Count(len(kept), "thing"), fewKeys(kept)), "name it with -remove, or leave it as it is"}
	case len(job.TooMany()) > 0:
		return &usageError{"the cloud's quotas do not allow that: " + clean(strings.Join(job.TooMany(), "; ")), "have them raised, or take something out first; nothing was done"}
	case b.review != nil:
		return b.stillSo(job)
	}
	return nil
}

// refused says why a cloud would not take a plan, so that building it is not begun.
func (b *building) refused(e *estate.Estate) error {
	found := check.Refused(e)
	if len(found) == 0 {
		return nil
	}
	var all []string
	for _, f := range found {
		all = append(all, f.Message)
	}
	return &usageError{"a cloud would refuse the plan: " + clean(phrase.Few(all, 6)), "wendrik check" + b.samePlan() + "  tells all of it; nothing was done"}
}

// granted asks a person at a terminal for leave where something goes, or is cut or opened on the way; elsewhere -yes must say so, or a review.
func (b *building) granted(job *build.Job, harmful bool) error {
	gone := job.Removes()
	if b.yes || b.review != nil || job.Empty() || !b.down && !b.undo && !harmful && len(gone) == 0 {
		return nil
	}
	var what []string
	if len(gone) > 0 {
		what = append(what, fmt.Sprintf("removes %s: %s", phrase.Count(len(gone), "thing"), fewKeys(gone)))
	}
	if harmful {
		what = append(what, "may cut or open something on the way")
	}
	if len(what) == 0 {
		what = append(what, "takes back what the last job did")
	}
	words := "this " + phrase.And(what)
	if !b.atTerminal() {
		return &usageError{words + ", and nobody is there to be asked", "-dry tells all of it;  -yes does it, and so does a review:  wendrik build -dry -o FILE"}
	}
	b.told(job)
	fmt.Fprintf(b.err, "%s. Go on? Write yes: ", clean(words))
	if answer, err := bufio.NewReader(b.in).ReadString('\n'); err != nil || strings.TrimSpace(answer) != "yes" {
		return &usageError{"nothing was done", "write yes, or call it with -yes"}
	}
	return nil
}

// work does a job, waits for what others must accept, and does what could not be done before that. The outcome is that of all of it, and
// the job the last one that was done.
func (b *building) work(ctx context.Context, job *build.Job, opt build.Options) (*build.Job, *build.Outcome, error) {
	done := 0
	for {
		p := b.progressOf(job)
		opt.Report = p.event
		out, err := job.Do(ctx, b.driver, opt)
		p.end()
		if out == nil {
			return job, nil, err
		}
		out.Done, out.Total = out.Done+done, out.Total+done
		if err != nil || len(out.Undone) > 0 || len(out.Waiting) == 0 {
			return job, out, err
		}
		told := ""
		out.Waiting, err = build.Await(ctx, b.driver, b.head, b.want, out.Waiting, b.wait, func(left []string) {
			if words := b.waitWords(job, left); words != told && *b.format == "text" {
				told = words
				b.tell("%s", words)
			}
		})
		if err != nil || len(out.Waiting) > 0 || len(out.Later) == 0 {
			return job, out, err
		}
		done = out.Done
		next, err := build.Prepare(ctx, b.driver, b.head, b.want, b.leave, nil)
		if err != nil {
			return job, out, err
		}
		job = next
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
