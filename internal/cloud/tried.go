package cloud

import (
	"context"
	"fmt"
	"io"
	"slices"
	"time"
)

// This file tries what a driver says before anybody else sees it: an answer that lacks what it must have is a fault, and not an empty cloud.

// Patience is how long an answer is waited for: of what reads, and of what makes, changes or removes.
type Patience struct{ Read, Write time.Duration }

// Usual is the patience that there is with any driver.
var Usual = Patience{time.Minute, 10 * time.Minute}

// most are bounds of what is read: of one message in bytes, and of all things.
const (
	mostMessage = 64 << 20
	mostThings  = 1_000_000
)

// Tried is a driver whose answers have what the protocol says that they have, and come in time. What does not is a *Refusal for
// Unspeakable, or an error that says what was waited for.
func Tried(d Driver, p Patience) Driver { return &tried{d: d, patience: p} }

type tried struct {
	d        Driver
	patience Patience
	things   int // that pages have had so far, from the first one on
}

// within calls with a time, and says so when that is over.
func within[T any](ctx context.Context, method string, time time.Duration, call func(context.Context) (T, error)) (T, error) {
	short, cancel := context.WithTimeout(ctx, time)
	defer cancel()
	answer, err := call(short)
	if err != nil && ctx.Err() == nil && short.Err() != nil {
		err = fmt.Errorf("the driver gave no answer to %s within %s", method, time)
	}
	return answer, err
}

func lacks(method, what string, args ...any) error {
	return Refused(Unspeakable, "the driver's answer to %s %s", method, fmt.Sprintf(what, args...))
}

// whole says what a thing lacks; empty where it has all.
func whole(t *Thing) string {
	switch {
	case t == nil || t.Kind == "" && t.ID == "":
		return "is no thing: it has no kind and no id"
	case t.Kind == "":
		return "has a thing without a kind"
	case t.ID == "":
		return "has a thing without an id"
	case t.Name == "":
		return fmt.Sprintf("has %s %s without a name", t.Kind, t.ID)
	case !slices.Contains([]State{Asked, Pending, Ready, Failed}, t.State) && !t.Foreign:
		return fmt.Sprintf("has %s %s in the state %q, and there is no such", t.Kind, t.ID, t.State)
	case t.Props == nil && !t.Foreign:
		return fmt.Sprintf("has %s %s without properties (props)", t.Kind, t.ID)
	}
	return ""
}

func (d *tried) Hello(ctx context.Context) (*Hello, error) {
	h, err := within(ctx, "hello", d.patience.Read, d.d.Hello)
	switch {
	case err != nil:
		return h, err
	case h.Owners == nil:
		return nil, lacks("hello", "has no owners: whom it can make things for")
	case len(h.Kinds) == 0:
		return nil, lacks("hello", "has no kinds: what there is at the cloud")
	}
	return h, nil
}

func (d *tried) Things(ctx context.Context, page string) (*Page, error) {
	p, err := within(ctx, "things", d.patience.Read, func(ctx context.Context) (*Page, error) { return d.d.Things(ctx, page) })
	switch {
	case err != nil:
		return p, err
	case p.Things == nil:
		return nil, lacks("things", `has no things; where there is none it is {"things": []}`)
	case p.Next != "" && p.Next == page:
		return nil, lacks("things", "is followed by itself: page %q", page)
	}
	for i := range p.Things {
		if what := whole(&p.Things[i]); what != "" {
			return nil, lacks("things", "%s", what)
		}
	}
	if page == "" {
		d.things = 0
	}
	if d.things += len(p.Things); d.things > mostThings {
		return nil, lacks("things", "has no end: there are more than %d", mostThings)
	}
	return p, nil
}

func (d *tried) one(ctx context.Context, method string, patience time.Duration, call func(context.Context) (*Thing, error)) (*Thing, error) {
	t, err := within(ctx, method, patience, call)
	if err != nil {
		return t, err
	}
	if what := whole(t); what != "" {
		return nil, lacks(method, "%s", what)
	}
	return t, nil
}

func (d *tried) Thing(ctx context.Context, id string) (*Thing, error) {
	return d.one(ctx, "thing", d.patience.Read, func(ctx context.Context) (*Thing, error) { return d.d.Thing(ctx, id) })
}

func (d *tried) Make(ctx context.Context, o *Order) (*Thing, error) {
	return d.one(ctx, "make", d.patience.Write, func(ctx context.Context) (*Thing, error) { return d.d.Make(ctx, o) })
}

func (d *tried) Change(ctx context.Context, a *Alteration) (*Thing, error) {
	return d.one(ctx, "change", d.patience.Write, func(ctx context.Context) (*Thing, error) { return d.d.Change(ctx, a) })
}

func (d *tried) Accept(ctx context.Context, id, side, note string) (*Thing, error) {
	return d.one(ctx, "accept", d.patience.Write, func(ctx context.Context) (*Thing, error) { return d.d.Accept(ctx, id, side, note) })
}

func (d *tried) Remove(ctx context.Context, id, note string) error {
	_, err := within(ctx, "remove", d.patience.Write, func(ctx context.Context) (struct{}, error) { return struct{}{}, d.d.Remove(ctx, id, note) })
	return err
}

func (d *tried) Log(ctx context.Context, after int) (*Entries, error) {
	e, err := within(ctx, "log", d.patience.Read, func(ctx context.Context) (*Entries, error) { return d.d.Log(ctx, after) })
	switch {
	case err != nil:
		return e, err
	case e.Entries == nil:
		return nil, lacks("log", `has no entries; where there is none it is {"entries": []}`)
	}
	for _, x := range e.Entries {
		if x.N <= after {
			return nil, lacks("log", "goes back: entry %d comes behind %d", x.N, after)
		}
		after = x.N
	}
	return e, nil
}

func (d *tried) Lock(ctx context.Context, h *Hold) error {
	return d.held(ctx, "lock", h, LockerOf(d.d).Lock)
}

func (d *tried) Unlock(ctx context.Context, h *Hold) error {
	return d.held(ctx, "unlock", h, LockerOf(d.d).Unlock)
}

func (d *tried) held(ctx context.Context, method string, h *Hold, do func(context.Context, *Hold) error) error {
	_, err := within(ctx, method, d.patience.Read, func(ctx context.Context) (struct{}, error) { return struct{}{}, do(ctx, h) })
	return err
}

func (d *tried) Close() error { return d.d.Close() }

// bounded reads messages, one on each line, and ends with an error where one is longer than any answer.
type bounded struct {
	from io.Reader
	line int
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.from.Read(p)
	for _, c := range p[:n] {
		if b.line++; c == '\n' {
			b.line = 0
		}
		if b.line > mostMessage {
			return 0, fmt.Errorf("a message of the driver is longer than %d MiB", mostMessage>>20)
		}
	}
	return n, err
}

// limited is a body that ends with an error where it is longer than any answer.
type limited struct {
	io.ReadCloser
	left int
}

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.ReadCloser.Read(p)
	if l.left -= n; l.left < 0 {
		return 0, fmt.Errorf("an answer of the driver is longer than %d MiB", mostMessage>>20)
	}
	return n, err
}
