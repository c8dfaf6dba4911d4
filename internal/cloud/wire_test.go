package cloud_test

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
	"wendrik/internal/golden"
)

// written is a driver that writes down what it is asked.
type written struct {
	asked *strings.Builder
	err   error
}

func (w written) note(method string, args ...any) {
	raw, _ := json.Marshal(args)
	fmt.Fprintf(w.asked, "asked %s %s\n", method, raw)
}

var thing = &cloud.Thing{Kind: stock.Hub, ID: "hub-1", Name: "spine", Owner: "skerry-line", Labels: map[string]string{"a": "b"}, Props: map[string]json.RawMessage{"region": json.RawMessage(`"west"`)}, State: cloud.Failed, Why: "no room", Default: true, Foreign: true, By: "mira", At: "2031-03-31T04:00:00Z"}

func (w written) Hello(context.Context) (*cloud.Hello, error) {
	w.note("Hello")
	return &cloud.Hello{Protocol: cloud.Protocol, Driver: "written", Owners: []cloud.Owner{{Name: "skerry-line", Ours: true}, {Name: "gull-rail"}}, Profile: map[string]string{"like": "plain"}, Regions: []stock.Region{{Name: "west", Zones: []string{"west-a"}}}, Kinds: []stock.Kind{stock.Hub}, Log: true}, w.err
}
func (w written) Things(_ context.Context, page string) (*cloud.Page, error) {
	w.note("Things", page)
	return &cloud.Page{Things: []cloud.Thing{*thing}, Next: "2"}, w.err
}
func (w written) Thing(_ context.Context, id string) (*cloud.Thing, error) {
	w.note("Thing", id)
	return thing, w.err
}
func (w written) Make(_ context.Context, o *cloud.Order) (*cloud.Thing, error) {
	w.note("Make", o)
	return thing, w.err
}
func (w written) Change(_ context.Context, a *cloud.Alteration) (*cloud.Thing, error) {
	w.note("Change", a)
	return thing, w.err
}
func (w written) Remove(_ context.Context, id, note string) error {
	w.note("Remove", id, note)
	return w.err
}
func (w written) Accept(_ context.Context, id, side, note string) (*cloud.Thing, error) {
	w.note("Accept", id, side, note)
	return thing, w.err
}
func (w written) Log(_ context.Context, after int) (*cloud.Entries, error) {
	w.note("Log", after)
	return &cloud.Entries{Entries: []cloud.Entry{{N: 7, At: "now", By: "mira", Note: "a note", What: "change", ID: "hub-1", Before: thing, After: thing}}, More: true}, w.err
}
func (w written) Close() error { return nil }

// kept writes down what goes over a stream.
type kept struct {
	io.WriteCloser
	lines *bytes.Buffer
	lock  *sync.Mutex
}

func (k kept) Write(p []byte) (int, error) {
	k.lock.Lock()
	k.lines.Write(p)
	k.lock.Unlock()
	return k.WriteCloser.Write(p)
}

// TestOnTheWire reads back what each method says on the wire, what the driver is asked by it, and what comes back.
func TestOnTheWire(t *testing.T) {
	golden.File(t, "wire.txt", func(t *testing.T, asked string) string {
		var calls strings.Builder
		var err error
		switch asked {
		case "refused":
			err = &cloud.Refusal{Reason: cloud.Quota, Message: "100 % full", After: 1500 * time.Millisecond}
		case "broken":
			err = errors.New("100 % broken")
		}
		var lines bytes.Buffer
		var lock sync.Mutex
		in, ask := io.Pipe()
		answer, out := io.Pipe()
		served := make(chan error)
		go func() { served <- cloud.Serve(written{&calls, err}, in, kept{out, &lines, &lock}) }()
		d := cloud.Spoken(answer, kept{ask, &lines, &lock})
		ctx := t.Context()
		var b strings.Builder
		for _, do := range []func() (any, error){
			func() (any, error) { return d.Hello(ctx) },
			func() (any, error) { return d.Things(ctx, "") },
			func() (any, error) { return d.Things(ctx, "p 2") },
			func() (any, error) { return d.Thing(ctx, "hub-1") },
			func() (any, error) {
				return d.Make(ctx, &cloud.Order{Kind: stock.Hub, Owner: "o", Name: "n", Labels: map[string]string{"a": "b"}, Props: map[string]any{"region": "west"}, Token: "t", Note: "why"})
			},
			func() (any, error) {
				return d.Change(ctx, &cloud.Alteration{ID: "hub-1", Props: map[string]any{"region": nil}, Labels: map[string]any{"a": nil}, Note: "why"})
			},
			func() (any, error) { return nil, d.Remove(ctx, "hub-1", "why") },
			func() (any, error) { return d.Accept(ctx, "peering-1", "network-2", "why") },
			func() (any, error) { return d.Log(ctx, 6) },
		} {
			calls.Reset()
			lines.Reset()
			said, err := do()
			raw, _ := json.Marshal(said)
			lock.Lock()
			b.WriteString(lines.String() + calls.String())
			lock.Unlock()
			if err != nil {
				after := time.Duration(0)
				if r, is := err.(*cloud.Refusal); is {
					after = r.After
				}
				fmt.Fprintf(&b, "error: %s, after %s: %v\n\n", cloud.ReasonOf(err), after, err)
				continue
			}
			fmt.Fprintf(&b, "answer %s\n\n", raw)
		}
		require.NoError(t, d.Close())
		require.NoError(t, ask.Close())
		require.NoError(t, <-served)
		return b.String()
	})
}

// TestOtherVersions: a driver does not answer who speaks another version of the protocol.
func TestOtherVersions(t *testing.T) {
	var calls strings.Builder
	d := joined(t, written{&calls, nil}).(interface {
		Ask(ctx context.Context, method string, ask, answer any) error
	})
	err := d.Ask(t.Context(), "hello", map[string]int{"protocol": 2}, nil)
	assert.EqualError(t, err, "this driver speaks version 1 of the protocol, not 2")
	assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(err))
	assert.Empty(t, calls.String())
	err = d.Ask(t.Context(), "melt", nil, nil)
	assert.EqualError(t, err, "the driver does not answer melt")
	assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(err))
	err = d.Ask(t.Context(), "make", []int{1}, nil)
	assert.ErrorContains(t, err, "the driver does not take the parameters of make: ")
	assert.Equal(t, cloud.Unspeakable, cloud.ReasonOf(err))
	var page cloud.Page
	require.NoError(t, d.Ask(t.Context(), "things", nil, &page))
	assert.Len(t, page.Things, 1)
}

// TestNoAnswers: who never gets an answer is told why: they gave up, the driver is gone, or what it said last; over HTTP with its key.
func TestNoAnswers(t *testing.T) {
	in, ask := io.Pipe()
	answer, out := io.Pipe()
	go io.Copy(io.Discard, in)
	d := cloud.Spoken(answer, ask)
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	_, err := d.Thing(ctx, "x")
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	time.AfterFunc(20*time.Millisecond, func() { out.Close() })
	_, err = d.Thing(t.Context(), "x")
	assert.EqualError(t, err, "the driver ended before it answered thing")
	assert.Empty(t, cloud.ReasonOf(err))

	self, err := os.Executable()
	require.NoError(t, err)
	t.Setenv("WENDRIK_DRIVER_SAYS", "")
	d, err = cloud.Run([]string{self})
	require.NoError(t, err)
	_, err = d.Thing(t.Context(), "x")
	assert.EqualError(t, err, "the driver gave no answer to thing; the last it said was: the last words")
	assert.Error(t, d.Close(), "it ended with a status of its own")
	_, err = cloud.Run([]string{self + "-is-not-there"})
	assert.ErrorIs(t, err, os.ErrNotExist)

	for key, want := range map[string]string{"a key": "Bearer a key", "": ""} {
		var calls strings.Builder
		had := []string{}
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			had = append(had, r.Header.Get("Authorization"))
			cloud.Handler(written{&calls, nil}).ServeHTTP(w, r)
		}))
		d := cloud.Over(s.URL, key)
		x, err := d.Thing(t.Context(), "x")
		require.NoError(t, err)
		assert.Equal(t, thing, x)
		assert.Equal(t, []string{want}, had)
		require.NoError(t, d.Close())
		s.Close()
		_, err = cloud.Over(s.URL, key).Thing(t.Context(), "x")
		require.Error(t, err)
		assert.Empty(t, cloud.ReasonOf(err))
		assert.NotContains(t, err.Error(), "a key")
	}
}

// paged gives pages and parts of a log.
type paged struct {
	cloud.Driver
	pages map[string]*cloud.Page
	parts map[int]*cloud.Entries
}

func (p paged) Things(_ context.Context, page string) (*cloud.Page, error) {
	if p.pages[page] == nil {
		return nil, cloud.Refused(cloud.Fault, "there is no page %s", page)
	}
	return p.pages[page], nil
}
func (p paged) Log(_ context.Context, after int) (*cloud.Entries, error) {
	if p.parts[after] == nil {
		return nil, cloud.Refused(cloud.Fault, "there is no part behind %d", after)
	}
	return p.parts[after], nil
}

// TestAllOfIt: pages are put together, a thing on two of them once; so are the parts of a log; and an error on any is the answer.
func TestAllOfIt(t *testing.T) {
	of := func(ids ...string) (all []cloud.Thing) {
		for _, id := range ids {
			all = append(all, cloud.Thing{ID: id})
		}
		return all
	}
	p := paged{pages: map[string]*cloud.Page{"": {Things: of("a", "b"), Next: "2"}, "2": {Things: of("b", "c", "a", "d"), Next: "3"}, "3": {}}}
	all, err := cloud.All(t.Context(), p)
	require.NoError(t, err)
	assert.Equal(t, of("a", "b", "c", "d"), all)
	delete(p.pages, "3")
	all, err = cloud.All(t.Context(), p)
	assert.EqualError(t, err, "there is no page 3")
	assert.Nil(t, all)
	entries := func(ns ...int) (all []cloud.Entry) {
		for _, n := range ns {
			all = append(all, cloud.Entry{N: n})
		}
		return all
	}
	p = paged{parts: map[int]*cloud.Entries{0: {Entries: entries(1, 2), More: true}, 2: {Entries: entries(4), More: true}, 4: {Entries: entries(9)}, 9: {Entries: entries(10)}}}
	log, err := cloud.WholeLog(t.Context(), p)
	require.NoError(t, err)
	assert.Equal(t, entries(1, 2, 4, 9), log)
	p.parts[4] = &cloud.Entries{More: true}
	log, err = cloud.WholeLog(t.Context(), p)
	require.NoError(t, err)
	assert.Equal(t, entries(1, 2, 4), log, "a part without entries is the last one, whatever it says")
	delete(p.parts, 4)
	_, err = cloud.WholeLog(t.Context(), p)
	assert.EqualError(t, err, "there is no part behind 4")
}

// TestEveryShape decodes a property of each shape, and tells what it should have been.
func TestEveryShape(t *testing.T) {
	for _, c := range []struct {
		kind     stock.Kind
		name     string
		raw      string
		want     any
		mistaken string
	}{
		{stock.Hub, "region", `"west"`, "west", "property region of a hub must be a string"},
		{stock.Table, "main", `true`, true, "property main of a table must be true or false"},
		{stock.Site, "ranges", `["10.0.0.0/8","fd00::/8"]`, []string{"10.0.0.0/8", "fd00::/8"}, "property ranges of a site must be a list of strings"},
		{stock.HubLink, "tables", `{"a":"b","c":"d"}`, map[string]string{"a": "b", "c": "d"}, "property tables of a hub-link must be an object of strings"},
		{stock.Group, "out", `[{"flows":"any","range":"10.0.0.0/8"}]`, []stock.Rule{{Flows: "any", Range: "10.0.0.0/8"}}, "property out of a group must be a list of rules"},
	} {
		props, err := cloud.Decode(c.kind, map[string]json.RawMessage{c.name: json.RawMessage(c.raw)})
		require.NoError(t, err)
		assert.Equal(t, stock.Props{c.name: c.want}, props)
		_, err = cloud.Decode(c.kind, map[string]json.RawMessage{c.name: json.RawMessage(`7`)})
		assert.EqualError(t, err, c.mistaken)
		assert.Equal(t, cloud.Invalid, cloud.ReasonOf(err))
	}
	two := map[string]json.RawMessage{"ranges": json.RawMessage(`["10.0.0.0/8"]`), "knows": json.RawMessage(`["10.0.0.0/8"]`)}
	props, err := cloud.Decode(stock.Site, two)
	require.NoError(t, err)
	assert.Len(t, props, 2)
}
