// Package try is the conformance run for drivers: it asks one all that the protocol has, on a cloud that it may make things in, and says
// what of its answers is not as the protocol wants it. It removes all that it made.
package try

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"wendrik/internal/cloud"
)

// Check is one thing that the protocol wants, and whether the driver does it.
type Check struct {
	Name    string
	Wants   string // what the protocol wants, as a sentence without its full stop
	Wrong   string // what was otherwise; empty where nothing was
	Skipped string // why it could not be tried; empty where it was
}

// Asker is a driver that can be asked by the name of a method, too.
type Asker interface {
	cloud.Driver
	Ask(ctx context.Context, method string, parameters, answer any) error
}

// run is one run of all checks.
type run struct {
	d        Asker
	ctx      context.Context // of each call, which comes to its end also where the run is interrupted
	until    context.Context // ends when the run is interrupted
	patience time.Duration
	hello    *cloud.Hello
	owner    string
	mark     string // what all things of the run are labelled with
	note     string
	made     []string // identifiers, in the order in which they were made
	checks   []Check
	report   func(Check)

	network, other, group, list, subnet, table, peering *cloud.Thing
}

const markLabel = "wendrik-try"

// wrong ends a check: what was otherwise than wanted.
type wrong string

func (w wrong) Error() string { return string(w) }

func bad(format string, args ...any) error { return wrong(fmt.Sprintf(format, args...)) }

// skip ends a check that cannot be tried.
type skip string

func (s skip) Error() string { return string(s) }

// Run makes all checks, and tells each when it is done. Patience is how long it is waited until a thing is ready.
func Run(ctx context.Context, d Asker, patience time.Duration, report func(Check)) []Check {
	var raw [6]byte
	rand.Read(raw[:])
	r := &run{d: d, ctx: context.WithoutCancel(ctx), until: ctx, patience: patience, mark: hex.EncodeToString(raw[:]), report: report}
	r.note = "wendrik try " + r.mark
	for _, c := range []struct {
		name, wants string
		do          func() error
	}{
		{"hello", "hello tells the version of the protocol, an owner for whom things can be made, and the kinds", r.sayHello},
		{"other-version", "hello with a version that there is not is refused as unsupported", r.otherVersion},
		{"no-such-method", "a method that there is not is answered with the error -32601 of JSON-RPC", r.noMethod},
		{"make", "make gives the thing with an id, its owner, its name, its labels and its properties as they were ordered, pending or ready", r.makeNetworks},
		{"made-once", "make with the token of before gives the same thing again, and makes no other", r.madeOnce},
		{"ready", "thing tells when what was made is ready", r.becomesReady},
		{"parts", "what is a part of something names it by its id, and is given back so", r.makeParts},
		{"rules", "the rules of a list keep their order, a hundred of them", r.keepOrder},
		{"things", "things gives every thing once, on as many pages as there are, each with what it was made with", r.listThings},
		{"change", "change writes what it names and leaves all else as it is", r.changeGroup},
		{"take-away", "null takes a property away, and a label", r.takeAway},
		{"fixed", "a property that cannot be changed is refused as invalid, and stays", r.keepFixed},
		{"invalid", "a kind or a property that there is not, and one that is missing, is refused as invalid", r.refuseInvalid},
		{"not-found", "what names something that is not there is refused as not-found, and so is asking for it", r.refuseUnknown},
		{"conflict", "a range that overlaps another is refused as conflict, and nothing is made", r.refuseOverlap},
		{"needed", "what others need is not removed, and that is refused as needed", r.keepNeeded},
		{"accept", "a peering is asked until both sides have accepted it, and ready then", r.acceptPeering},
		{"attachment", "an attachment is asked until the hub and what is attached have accepted it, and no route leads over it before", r.acceptAttachment},
		{"side", "what is no side of a peering is refused as invalid", r.refuseSide},
		{"at-once", "twenty questions that are asked at once are answered, each with its own answer", r.askAtOnce},
		{"remove", "what was removed is not there any more, and removing it again is refused as not-found", r.removeOne},
		{"lock", "one has the lock of an estate at a time: another is refused as conflict, until it is given up", r.lockEstate},
		{"log", "the log tells what was done, in order, by whom, with the note, and with what was before and behind", r.readLog},
	} {
		r.one(c.name, c.wants, c.do)
		if c.name == "hello" && r.checks[0].Wrong != "" || ctx.Err() != nil {
			break // nothing else can be tried
		}
	}
	r.until = r.ctx // it cleans up also where it was interrupted
	r.one("clean", "all that the run made can be removed", r.clean)
	return r.checks
}

func (r *run) one(name, wants string, do func() error) {
	c := Check{Name: name, Wants: wants}
	err := do()
	var s skip
	switch {
	case errors.As(err, &s):
		c.Skipped = string(s)
	case err != nil:
		c.Wrong = err.Error()
	}
	r.checks = append(r.checks, c)
	if r.report != nil {
		r.report(c)
	}
}
