package record_test

import (
	"bytes"
	"context"
	"errors"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/record"
)

// told is a driver that tells what it is given to tell.
type told struct {
	cloud.Driver
	things []string // a page of each, in turn
	done   []string
}

func (d *told) Hello(context.Context) (*cloud.Hello, error) {
	return &cloud.Hello{Protocol: cloud.Protocol, Driver: "told", Locks: true}, nil
}

func (d *told) Things(_ context.Context, page string) (*cloud.Page, error) {
	id := d.things[0]
	d.things = d.things[1:]
	return &cloud.Page{Things: []cloud.Thing{{Kind: "network", ID: id + page}}}, nil
}

func (d *told) Thing(_ context.Context, id string) (*cloud.Thing, error) {
	switch id {
	case "gone":
		return nil, &cloud.Refusal{Reason: cloud.Limited, Message: "too many", After: 250 * time.Millisecond}
	case "lost":
		return nil, errors.New("the line broke")
	}
	return &cloud.Thing{ID: id}, nil
}

func (d *told) Log(_ context.Context, after int) (*cloud.Entries, error) {
	return &cloud.Entries{Entries: []cloud.Entry{{N: after + 1}}}, nil
}

func (d *told) Remove(_ context.Context, id, note string) error {
	d.done = append(d.done, id+" "+note)
	return nil
}

func (d *told) Accept(_ context.Context, id, side, note string) (*cloud.Thing, error) {
	d.done = append(d.done, id+" for "+side+" "+note)
	return &cloud.Thing{ID: id}, nil
}

func (d *told) Close() error { return errors.New("it ended with 3") }

// locking is one that has locks, too.
type locking struct{ told }

func (d *locking) Lock(_ context.Context, h *cloud.Hold) error {
	d.done = append(d.done, "lock "+h.Token)
	return nil
}

func (d *locking) Unlock(_ context.Context, h *cloud.Hold) error {
	d.done = append(d.done, "unlock "+h.Token)
	return nil
}

// TestPassedOn: what a recorder is asked gets to the driver as it is, locks where that has any, and no lock is in the record.
func TestPassedOn(t *testing.T) {
	ctx := context.Background()
	var out bytes.Buffer
	d := &locking{}
	r := record.New(d, &out, time.Now)
	_, err := r.Accept(ctx, "x", "y", "z")
	require.NoError(t, err)
	require.NoError(t, r.Lock(ctx, &cloud.Hold{Token: "a"}))
	require.NoError(t, r.Unlock(ctx, &cloud.Hold{Token: "b"}))
	assert.Equal(t, []string{"x for y z", "lock a", "unlock b"}, d.done)
	assert.Equal(t, 1, strings.Count(out.String(), "\n"))
	assert.EqualError(t, r.Close(), "it ended with 3")
	without := record.New(&told{}, &out, time.Now)
	assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(without.Lock(ctx, &cloud.Hold{})))
	assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(without.Unlock(ctx, &cloud.Hold{})))
}

// TestReplay: what a driver answered is answered again, in its order, with its refusals, and nothing is done by it.
func TestReplay(t *testing.T) {
	ctx := context.Background()
	var out bytes.Buffer
	d := &told{things: []string{"a", "b", "c"}}
	r := record.New(d, &out, func() time.Time { return time.Date(2031, 3, 1, 9, 0, 0, 0, time.FixedZone("", 3600)) })
	ask := func(d cloud.Driver) (all []string) {
		h, err := d.Hello(ctx)
		require.NoError(t, err)
		all = append(all, h.Driver)
		for _, page := range []string{"", "", "2"} {
			p, err := d.Things(ctx, page)
			require.NoError(t, err)
			all = append(all, p.Things[0].ID)
		}
		x, err := d.Thing(ctx, "one")
		require.NoError(t, err)
		l, err := d.Log(ctx, 7)
		require.NoError(t, err)
		_, err = d.Thing(ctx, "gone")
		var refused *cloud.Refusal
		require.ErrorAs(t, err, &refused)
		_, lost := d.Thing(ctx, "lost")
		require.False(t, errors.As(lost, &refused), "no answer is no refusal")
		return append(all, x.ID, string(refused.Reason)+" "+refused.Message+" "+refused.After.String(), lost.Error(), string(rune('0'+l.Entries[0].N)))
	}
	first := ask(r)
	assert.Equal(t, []string{"told", "a", "b", "c2", "one", "limited too many 250ms", "the line broke", "8"}, first)
	require.NoError(t, r.Remove(ctx, "x", "note of a run"))
	assert.Equal(t, []string{"x note of a run"}, d.done, "passed on")
	assert.Contains(t, out.String(), `{"at":"2031-03-01T08:00:00Z","method":"hello","result":{`)

	again, err := record.Read(strings.NewReader(out.String()))
	require.NoError(t, err)
	assert.Equal(t, first, ask(again))
	p, err := again.Things(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, "b", p.Things[0].ID, "the last answer stands")
	h, err := again.Hello(ctx)
	require.NoError(t, err)
	assert.False(t, h.Locks, "there is nothing to have for oneself")
	_, err = again.Thing(ctx, "two")
	assert.ErrorContains(t, err, "this is a record of 2031-03-01T08:00:00Z, and nobody asked for that then (thing)")
	assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(err))
	_, made := again.Make(ctx, &cloud.Order{})
	_, changed := again.Change(ctx, &cloud.Alteration{})
	_, accepted := again.Accept(ctx, "x", "y", "")
	for method, err := range map[string]error{"make": made, "change": changed, "accept": accepted, "remove": again.Remove(ctx, "x", "note of a run")} {
		assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(err), method)
		assert.ErrorContains(t, err, "at which nothing can be done ("+method+")")
	}
}

// full is a disk on which nothing has room.
type full struct{}

func (full) Write([]byte) (int, error) { return 0, errors.New("no space left") }

// TestRecordsThatAreNone: what is broken off, empty or something else is refused, with the line; and a record that cannot be written stops what asks.
func TestRecordsThatAreNone(t *testing.T) {
	hello := `{"at":"2031-03-01T08:00:00Z","method":"hello","result":{"protocol":1}}` + "\n"
	for text, want := range map[string]string{
		"":                                 "it has no answer to hello",
		`{"method":"things","result":{}}`:  "it has no answer to hello",
		hello + `{"method":"things","resu`: "line 2 is no question with its answer",
		hello + "\n":                       "line 2 is no question with its answer",
		hello + `{"method":"things"}`:      "line 2 is no question with its answer",
		hello + `{"result":{}}`:            "line 2 is no question with its answer",
		hello + `{"method":"a","result":{},"error":{"message":"x"}}`: "line 2 is no question with its answer",
		"wendrik: 1\n":                      "line 1 is no question with its answer",
		hello + strings.Repeat("x", 66<<20): "line 2 cannot be read",
	} {
		_, err := record.Read(strings.NewReader(text))
		assert.ErrorContains(t, err, want, "%.80s", text)
	}
	r := record.New(&told{}, full{}, time.Now)
	_, err := r.Hello(context.Background())
	assert.EqualError(t, err, "the record cannot be written: no space left")
	_, err = r.Thing(context.Background(), "gone")
	assert.EqualError(t, err, "too many", "what the driver says comes first")
}
