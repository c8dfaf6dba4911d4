package try_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/cloud/try"
	"wendrik/internal/core/stock"
	"wendrik/internal/golden"
)

func (o *odd) Lock(ctx context.Context, h *cloud.Hold) error {
	return o.Driver.(cloud.Locker).Lock(ctx, h)
}

func (o *odd) Unlock(ctx context.Context, h *cloud.Hold) error {
	return o.Driver.(cloud.Locker).Unlock(ctx, h)
}

// odd is a driver that answers with something else than its cloud does: a method, of things of a kind where one is given, and either a
// place in the answer with the value that is put there, or no for a refusal, gone for none, and lies for an answer without anything
// being done.
type odd struct {
	cloud.Driver
	method, kind, place, value string
}

func (o *odd) meant(method string, t *cloud.Thing) bool {
	return o.method == method && (o.kind == "" || t != nil && string(t.Kind) == o.kind)
}

// turned puts the value into an answer.
func turned[T any](o *odd, method string, of *cloud.Thing, answer T, err error) (T, error) {
	if !o.meant(method, of) {
		return answer, err
	}
	var none T
	switch o.place {
	case "no":
		return none, cloud.Refused(cloud.Reason(o.value), "no")
	case "gone":
		return none, errors.New("gone")
	case "lies":
		return answer, err
	}
	if err != nil {
		return answer, err
	}
	raw, _ := json.Marshal(answer)
	var tree, value any
	_ = json.Unmarshal(raw, &tree)
	if o.value != "" {
		if jerr := json.Unmarshal([]byte(o.value), &value); jerr != nil {
			panic(o.value)
		}
	}
	put(tree, strings.Split(o.place, "."), value)
	raw, _ = json.Marshal(tree)
	var out T
	if jerr := json.Unmarshal(raw, &out); jerr != nil {
		panic(jerr)
	}
	return out, nil
}

func put(tree any, path []string, value any) {
	switch t := tree.(type) {
	case []any:
		for _, x := range t {
			put(x, path[1:], value)
		}
	case map[string]any:
		if len(path) > 1 {
			put(t[path[0]], path[1:], value)
		} else if value == nil {
			delete(t, path[0])
		} else {
			t[path[0]] = value
		}
	}
}

func (o *odd) Hello(ctx context.Context) (*cloud.Hello, error) {
	h, err := o.Driver.Hello(ctx)
	return turned(o, "hello", nil, h, err)
}
func (o *odd) Things(ctx context.Context, page string) (*cloud.Page, error) {
	p, err := o.Driver.Things(ctx, page)
	return turned(o, "things", nil, p, err)
}
func (o *odd) Thing(ctx context.Context, id string) (*cloud.Thing, error) {
	t, err := o.Driver.Thing(ctx, id)
	return turned(o, "thing", t, t, err)
}
func (o *odd) Make(ctx context.Context, order *cloud.Order) (*cloud.Thing, error) {
	if o.meant("make", &cloud.Thing{Kind: order.Kind}) && (o.place == "no" || o.place == "gone") {
		return turned(o, "make", &cloud.Thing{Kind: order.Kind}, &cloud.Thing{}, nil)
	}
	t, err := o.Driver.Make(ctx, order)
	return turned(o, "make", t, t, err)
}
func (o *odd) Change(ctx context.Context, a *cloud.Alteration) (*cloud.Thing, error) {
	if t, _ := o.Driver.Thing(ctx, a.ID); o.meant("change", t) && o.place == "lies" {
		return t, nil
	}
	t, err := o.Driver.Change(ctx, a)
	return turned(o, "change", t, t, err)
}
func (o *odd) Remove(ctx context.Context, id, note string) error {
	t, _ := o.Driver.Thing(ctx, id)
	if o.meant("remove", t) {
		switch o.place {
		case "lies":
			return nil
		case "no":
			return cloud.Refused(cloud.Reason(o.value), "no")
		}
	}
	return o.Driver.Remove(ctx, id, note)
}
func (o *odd) Accept(ctx context.Context, id, side, note string) (*cloud.Thing, error) {
	if t, _ := o.Driver.Thing(ctx, id); o.meant("accept", t) && o.place == "lies" {
		return t, nil
	}
	t, err := o.Driver.Accept(ctx, id, side, note)
	return turned(o, "accept", t, t, err)
}
func (o *odd) Log(ctx context.Context, after int) (*cloud.Entries, error) {
	e, err := o.Driver.Log(ctx, after)
	return turned(o, "log", nil, e, err)
}

// TestOddDrivers reads back what the checks find of drivers with something odd, a line each: METHOD[:KIND] PLACE VALUE.
func TestOddDrivers(t *testing.T) {
	golden.File(t, "odd.txt", func(t *testing.T, asked string) string {
		c, err := sim.Open(filepath.Join(t.TempDir(), "cloud.db"), sim.Options{Owners: []string{"skerry-line"}, Regions: []stock.Region{{Name: "west", Zones: []string{"west-a"}}}, Profile: map[string]string{"like": "plain"}})
		require.NoError(t, err)
		defer c.Close()
		server := httptest.NewUnstartedServer(nil)
		server.Config.Handler = sim.NewServer(c, map[string]sim.Caller{"key": {Owner: "skerry-line", Name: "skerry-line"}}, sim.Hosts(server.Listener.Addr()), 0)
		server.Start()
		defer server.Close()
		words := append(strings.SplitN(asked, " ", 3), "", "")
		o := &odd{Driver: client.New(server.URL, []client.Key{{Name: "skerry-line", Secret: "key"}}), place: words[1], value: words[2]}
		o.method, o.kind, _ = strings.Cut(words[0], ":")
		in, ask := io.Pipe()
		answer, out := io.Pipe()
		go cloud.Serve(o, in, out)
		d := cloud.Spoken(answer, ask)
		var b strings.Builder
		for _, x := range try.Run(t.Context(), d.(try.Asker), 60*time.Millisecond, nil) {
			if x.Wrong != "" {
				fmt.Fprintf(&b, "%s is wrong: %s\n", x.Name, x.Wrong)
			} else if x.Skipped != "" {
				fmt.Fprintf(&b, "%s is left out: %s\n", x.Name, x.Skipped)
			}
		}
		require.NoError(t, d.Close())
		said := regexp.MustCompile(`\b[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}\b`).ReplaceAllString(b.String(), "ID")
		said = regexp.MustCompile(`wendrik-[a-z]+-[0-9a-z-]+|try-[0-9a-z]+`).ReplaceAllString(said, "NAME")
		return regexp.MustCompile(`"wendrik-try":"[0-9a-f]+"`).ReplaceAllString(said, `"wendrik-try":"MARK"`)
	})
}
