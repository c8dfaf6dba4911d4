// Package cloud is the edge to any cloud: what a driver is asked and answers, and how that goes over the streams of a program or over
// HTTP, as JSON-RPC 2.0. docs/driver.md is the same for people who write drivers.
package cloud

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"wendrik/internal/core/stock"
)

// Protocol is the version of the protocol.
const Protocol = 1

// State is how far a thing has come.
type State string

// The states of things. What joins two owners is asked until both have accepted it; what is failed never becomes ready.
const (
	Asked   State = "asked"
	Pending State = "pending"
	Ready   State = "ready"
	Failed  State = "failed"
)

// Thing is a thing as a cloud has it. What names another thing in its properties does it by that thing's ID.
type Thing struct {
	Kind    stock.Kind                 `json:"kind"`
	ID      string                     `json:"id"`
	Name    string                     `json:"name"`
	Owner   string                     `json:"owner"`
	Labels  map[string]string          `json:"labels"`
	Props   map[string]json.RawMessage `json:"props"`
	State   State                      `json:"state"`
	Why     string                     `json:"why,omitempty"`     // of what is failed: why
	Default bool                       `json:"default,omitempty"` // whether the cloud made it by itself, for a new owner
	Foreign bool                       `json:"foreign,omitempty"` // whether it is another owner's, so that it can be named and nothing else
	By      string                     `json:"by,omitempty"`      // who changed it last
	At      string                     `json:"at,omitempty"`      // when, as RFC 3339 writes it
}

// Owner is an account at a cloud.
type Owner struct {
	Name string `json:"name"`
	Ours bool   `json:"ours"` // whether things can be made for it
	// Left are how many more things of a kind the owner may have, of kinds of which it may not have any number.
	Left map[stock.Kind]int `json:"left,omitempty"`
}

// Hello is what a driver says of itself and its cloud.
type Hello struct {
	Protocol int               `json:"protocol"`
	Driver   string            `json:"driver"`
	Owners   []Owner           `json:"owners"` // the one that things belong to where nobody is named first
	Profile  map[string]string `json:"profile,omitempty"`
	Regions  []stock.Region    `json:"regions"`
	Kinds    []stock.Kind      `json:"kinds"`
	Log      bool              `json:"log"`             // whether it answers log
	Locks    bool              `json:"locks,omitempty"` // whether it answers lock and unlock
}

// Hold is a lock on an estate: whoever has it builds alone.
type Hold struct {
	Estate  string `json:"estate"`
	Token   string `json:"token"`             // made up by who takes it; with the same one it is taken for longer, or given up
	By      string `json:"by,omitempty"`      // who that is, for those who find it taken
	Seconds int    `json:"seconds,omitempty"` // for how long, unless it is taken for longer before
}

// Locker is a driver of a cloud that has locks. Lock is refused as a conflict, which says by whom and since when, where another has it.
type Locker interface {
	Lock(ctx context.Context, h *Hold) error
	Unlock(ctx context.Context, h *Hold) error
}

// LockerOf are the locks of a driver; of one that has none, such as refuse what they are asked.
func LockerOf(d Driver) Locker {
	if l, is := d.(Locker); is {
		return l
	}
	return lockless{}
}

type lockless struct{}

func (lockless) Lock(context.Context, *Hold) error {
	return Refused(Unsupported, "this driver has no locks")
}

func (l lockless) Unlock(ctx context.Context, h *Hold) error { return l.Lock(ctx, h) }

// Lock takes a lock where a driver has such; taken is false where it has none.
func Lock(ctx context.Context, d Driver, h *Hold) (taken bool, err error) {
	if hello, err := d.Hello(ctx); err != nil || !hello.Locks {
		return false, err
	}
	err = LockerOf(d).Lock(ctx, h)
	var refused *Refusal
	if errors.As(err, &refused) && refused.Reason == Unsupported { // it passes on what its cloud says of itself, and has no such method
		return false, nil
	}
	return true, err
}

// Page is a part of what was asked for; Next asks for the following one, and is empty on the last.
type Page struct {
	Things []Thing `json:"things"`
	Next   string  `json:"next,omitempty"`
}

// Order is a thing to be made.
type Order struct {
	Kind   stock.Kind        `json:"kind"`
	Owner  string            `json:"owner"`
	Name   string            `json:"name"`
	Labels map[string]string `json:"labels,omitempty"`
	Props  map[string]any    `json:"props"`
	Token  string            `json:"token"` // the same for each try of the same order: a thing is made once for a token
	Note   string            `json:"note"`  // kept in the log with what is done
}

// Alteration is a change of a thing: the properties and labels that it names are written anew, and one that is null is taken away.
type Alteration struct {
	ID     string         `json:"id"`
	Props  map[string]any `json:"props,omitempty"`
	Labels map[string]any `json:"labels,omitempty"`
	Note   string         `json:"note"`
}

// Entry is one thing that was done at a cloud.
type Entry struct {
	N      int    `json:"n"` // greater than that of everything before
	At     string `json:"at"`
	By     string `json:"by"`
	Note   string `json:"note,omitempty"`
	What   string `json:"what"` // make, change, remove or accept
	ID     string `json:"id"`
	Before *Thing `json:"before,omitempty"` // none for what was made
	After  *Thing `json:"after,omitempty"`  // none for what was removed
}

// Entries are a part of a log, the oldest first; More says that others follow.
type Entries struct {
	Entries []Entry `json:"entries"`
	More    bool    `json:"more"`
}

// Driver is the edge to one cloud. The errors that it gives are *Refusal where the cloud or the driver refused, and others where no
// answer came, so that nobody knows whether the thing was done.
type Driver interface {
	Hello(ctx context.Context) (*Hello, error)
	Things(ctx context.Context, page string) (*Page, error)
	Thing(ctx context.Context, id string) (*Thing, error)
	Make(ctx context.Context, o *Order) (*Thing, error)
	Change(ctx context.Context, a *Alteration) (*Thing, error)
	Remove(ctx context.Context, id, note string) error
	Accept(ctx context.Context, id, side, note string) (*Thing, error)
	Log(ctx context.Context, after int) (*Entries, error)
	Close() error
}

// Reason is why something was refused, in one word.
type Reason string

// The reasons.
const (
	Invalid     Reason = "invalid"      // what was asked makes no sense to the cloud, and never will
	Denied      Reason = "denied"       // the key is not for it
	NotFound    Reason = "not-found"    // the thing is not there
	NotReady    Reason = "not-ready"    // what it needs is not ready yet
	Needed      Reason = "needed"       // others need it, so that it cannot be removed
	Conflict    Reason = "conflict"     // something that is there stands against it: an overlap, an address that is taken
	Quota       Reason = "quota"        // there are as many as the owner may have
	Limited     Reason = "limited"      // too many calls; the same one will do later
	Fault       Reason = "fault"        // the cloud is at fault
	Unsupported Reason = "unsupported"  // the driver or its cloud has no such thing
	Unspeakable Reason = "not-protocol" // what came is not what the protocol has
)

// Refusal is an answer that says no.
type Refusal struct {
	Reason  Reason        `json:"reason"`
	Message string        `json:"-"`
	After   time.Duration `json:"-"` // of Limited: how long to wait
}

func (r *Refusal) Error() string { return r.Message }

// Refused is a refusal with a message that is made like fmt.Sprintf does.
func Refused(why Reason, format string, args ...any) *Refusal {
	return &Refusal{Reason: why, Message: fmt.Sprintf(format, args...)}
}

// ReasonOf is why something was refused; empty where no answer came.
func ReasonOf(err error) Reason {
	var r *Refusal
	if errors.As(err, &r) {
		return r.Reason
	}
	return ""
}

// All are all things of a driver, page by page. What it is given twice is an error, and so are pages without end.
func All(ctx context.Context, d Driver) ([]Thing, error) {
	var all []Thing
	had := map[string]bool{}
	for page, n := "", 0; ; n++ {
		if n > maxPages {
			return nil, Refused(Unspeakable, "the pages of things have no end: more than %d", maxPages)
		}
		p, err := d.Things(ctx, page)
		if err != nil {
			return nil, err
		}
		for _, t := range p.Things {
			if had[t.ID] {
				continue // what was made while the pages were read may stand on two
			}
			had[t.ID] = true
			all = append(all, t)
		}
		if p.Next == "" {
			return all, nil
		}
		page = p.Next
	}
}

const maxPages = 100_000

// WholeLog are all entries of a driver's log, the oldest first.
func WholeLog(ctx context.Context, d Driver) ([]Entry, error) {
	var all []Entry
	for after := 0; ; after = all[len(all)-1].N {
		page, err := d.Log(ctx, after)
		if err != nil {
			return nil, err
		}
		all = append(all, page.Entries...)
		if !page.More || len(page.Entries) == 0 {
			return all, nil
		}
	}
}

// Decode reads the properties of a thing into the Go types of their shapes. The error is a *Refusal that names the property.
func Decode(k stock.Kind, raw map[string]json.RawMessage) (stock.Props, error) {
	spec := stock.SpecOf(k)
	if spec == nil {
		return nil, Refused(Invalid, "there is no kind %q", k)
	}
	props := stock.Props{}
	for name, v := range raw {
		p := spec.Prop(name)
		if p == nil {
			return nil, Refused(Invalid, "a %s has no property %q", k, name)
		}
		value, err := decode(p, v)
		if err != nil {
			return nil, Refused(Invalid, "property %s of a %s must be %s", name, k, shapeWords[p.Shape])
		}
		props.Set(name, value)
	}
	return props, nil
}

var shapeWords = map[stock.Shape]string{stock.Word: "a string", stock.Flag: "true or false", stock.Words: "a list of strings", stock.Pairs: "an object of strings", stock.Rules: "a list of rules"}

func decode(p *stock.Prop, raw json.RawMessage) (any, error) {
	switch p.Shape {
	case stock.Flag:
		return into[bool](raw)
	case stock.Words:
		return into[[]string](raw)
	case stock.Pairs:
		return into[map[string]string](raw)
	case stock.Rules:
		return into[[]stock.Rule](raw)
	}
	return into[string](raw)
}

func into[T any](raw json.RawMessage) (v T, err error) {
	err = json.Unmarshal(raw, &v)
	return v, err
}
