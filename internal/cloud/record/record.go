// Package record writes down what is asked of a driver and what it answers, and answers from that again without a cloud.
package record

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"sync"
	"time"

	"wendrik/internal/cloud"
)

// entry is one question and its answer: a line of a record.
type entry struct {
	At     string          `json:"at"` // RFC 3339
	Method string          `json:"method"`
	Params params          `json:"params,omitzero"`
	Result json.RawMessage `json:"result,omitempty"`
	Error  *refusal        `json:"error,omitempty"`
}

type refusal struct {
	Reason  cloud.Reason `json:"reason,omitempty"` // empty where no answer came
	Message string       `json:"message"`
	AfterMS int64        `json:"after_ms,omitempty"`
}

// params name what is asked for: a page, an identifier, an entry of the log, or a whole order.
type params struct {
	Page  string `json:"page,omitempty"`
	ID    string `json:"id,omitempty"`
	Side  string `json:"side,omitempty"`
	After int    `json:"after,omitempty"`
	What  any    `json:"what,omitempty"`
}

// question is what tells two questions apart that a record can be asked again: of what is there, and of the log.
type question struct {
	method, page, id string
	after            int
}

func asked(method string, p params) question { return question{method, p.Page, p.ID, p.After} }

// Recorder is a driver that passes all questions on to another, and writes each down with its answer.
type Recorder struct {
	cloud.Locker // passed on, and no part of the record: a lock is the matter of a moment
	driver       cloud.Driver
	now          func() time.Time

	mu     sync.Mutex
	out    io.Writer
	failed error // of the first line that could not be written
}

// New gives a driver that asks another and writes a line of JSON for each question. No key is ever in a record: a driver gets none by the
// protocol.
func New(d cloud.Driver, out io.Writer, now func() time.Time) *Recorder {
	return &Recorder{Locker: cloud.LockerOf(d), driver: d, out: out, now: now}
}

// noted writes a question and its answer down. A record that cannot be written is a fault, so that nobody takes a part for the whole.
func noted[T any](r *Recorder, method string, p params, result T, err error) (T, error) {
	e := entry{At: r.now().UTC().Format(time.RFC3339Nano), Method: method, Params: p}
	var refused *cloud.Refusal
	switch {
	case errors.As(err, &refused):
		e.Error = &refusal{refused.Reason, refused.Message, refused.After.Milliseconds()}
	case err != nil:
		e.Error = &refusal{Message: err.Error()}
	default:
		raw, wrong := json.Marshal(result)
		if wrong != nil {
			return result, wrong
		}
		e.Result = raw
	}
	line, wrong := json.Marshal(e)
	if wrong != nil {
		return result, wrong
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.failed == nil {
		_, r.failed = r.out.Write(append(line, '\n'))
	}
	if r.failed != nil && err == nil {
		return result, fmt.Errorf("the record cannot be written: %w", r.failed)
	}
	return result, err
}

func (r *Recorder) Hello(ctx context.Context) (*cloud.Hello, error) {
	h, err := r.driver.Hello(ctx)
	return noted(r, "hello", params{}, h, err)
}

func (r *Recorder) Things(ctx context.Context, page string) (*cloud.Page, error) {
	p, err := r.driver.Things(ctx, page)
	return noted(r, "things", params{Page: page}, p, err)
}

func (r *Recorder) Thing(ctx context.Context, id string) (*cloud.Thing, error) {
	t, err := r.driver.Thing(ctx, id)
	return noted(r, "thing", params{ID: id}, t, err)
}

func (r *Recorder) Make(ctx context.Context, o *cloud.Order) (*cloud.Thing, error) {
	t, err := r.driver.Make(ctx, o)
	return noted(r, "make", params{What: o}, t, err)
}

func (r *Recorder) Change(ctx context.Context, a *cloud.Alteration) (*cloud.Thing, error) {
	t, err := r.driver.Change(ctx, a)
	return noted(r, "change", params{What: a}, t, err)
}

func (r *Recorder) Remove(ctx context.Context, id, note string) error {
	_, err := noted(r, "remove", params{ID: id}, struct{}{}, r.driver.Remove(ctx, id, note))
	return err
}

func (r *Recorder) Accept(ctx context.Context, id, side, note string) (*cloud.Thing, error) {
	t, err := r.driver.Accept(ctx, id, side, note)
	return noted(r, "accept", params{ID: id, Side: side}, t, err)
}

func (r *Recorder) Log(ctx context.Context, after int) (*cloud.Entries, error) {
	l, err := r.driver.Log(ctx, after)
	return noted(r, "log", params{After: after}, l, err)
}

func (r *Recorder) Close() error { return r.driver.Close() }

// Replay is a driver that answers from a record. A question that was asked several times is answered in the order of the record, and with the
// last answer from then on. Nothing can be made, changed or removed at it.
type Replay struct {
	mu      sync.Mutex
	answers map[question][]entry
	began   string
}

// mostLine is how long a line of a record may be: as long as a message of a driver, with what stands around it.
const mostLine = 65 << 20

// Read reads a record. The error says which line is none of a record.
func Read(in io.Reader) (*Replay, error) {
	r := &Replay{answers: map[question][]entry{}}
	lines := bufio.NewScanner(in)
	lines.Buffer(nil, mostLine)
	n := 0
	for lines.Scan() {
		n++
		var e entry
		if err := json.Unmarshal(lines.Bytes(), &e); err != nil || e.Method == "" || (e.Result == nil) == (e.Error == nil) {
			return nil, fmt.Errorf("line %d is no question with its answer", n)
		}
		if r.began == "" {
			r.began = e.At
		}
		key := asked(e.Method, e.Params)
		r.answers[key] = append(r.answers[key], e)
	}
	if err := lines.Err(); err != nil {
		return nil, fmt.Errorf("line %d cannot be read: %w", n+1, err)
	}
	if len(r.answers[asked("hello", params{})]) == 0 {
		return nil, errors.New("it has no answer to hello, with which every record begins")
	}
	return r, nil
}

// answer reads the next answer to a question.
func (r *Replay) answer(method string, p params, into any) error {
	r.mu.Lock()
	key := asked(method, p)
	all := r.answers[key]
	if len(all) > 1 {
		r.answers[key] = all[1:]
	}
	r.mu.Unlock()
	switch {
	case len(all) == 0:
		return cloud.Refused(cloud.Unsupported, "this is a record of %s, and nobody asked for that then (%s)", r.began, method)
	case all[0].Error != nil && all[0].Error.Reason == "":
		return errors.New(all[0].Error.Message)
	case all[0].Error != nil:
		return &cloud.Refusal{Reason: all[0].Error.Reason, Message: all[0].Error.Message, After: time.Duration(all[0].Error.AfterMS) * time.Millisecond}
	}
	return json.Unmarshal(all[0].Result, into)
}

func (r *Replay) never(method string) error {
	return cloud.Refused(cloud.Unsupported, "this is a record of %s, at which nothing can be done (%s)", r.began, method)
}

func (r *Replay) Hello(context.Context) (*cloud.Hello, error) {
	h := &cloud.Hello{}
	err := r.answer("hello", params{}, h)
	h.Locks = false // there is nothing that one could have for oneself
	return h, err
}

func (r *Replay) Things(_ context.Context, page string) (*cloud.Page, error) {
	p := &cloud.Page{}
	return p, r.answer("things", params{Page: page}, p)
}

func (r *Replay) Thing(_ context.Context, id string) (*cloud.Thing, error) {
	t := &cloud.Thing{}
	return t, r.answer("thing", params{ID: id}, t)
}

func (r *Replay) Log(_ context.Context, after int) (*cloud.Entries, error) {
	l := &cloud.Entries{}
	return l, r.answer("log", params{After: after}, l)
}

func (r *Replay) Make(context.Context, *cloud.Order) (*cloud.Thing, error) {
	return nil, r.never("make")
}

func (r *Replay) Change(context.Context, *cloud.Alteration) (*cloud.Thing, error) {
	return nil, r.never("change")
}

func (r *Replay) Remove(context.Context, string, string) error { return r.never("remove") }

func (r *Replay) Accept(context.Context, string, string, string) (*cloud.Thing, error) {
	return nil, r.never("accept")
}

func (r *Replay) Close() error { return nil }
