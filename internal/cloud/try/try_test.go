package try_test

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/cloud/try"
	"wendrik/internal/core/stock"
)

// The test program is a driver itself, with a mistake of a known kind.
func TestMain(m *testing.M) {
	if len(os.Args) != 3 || os.Args[1] != "mistake" {
		_ = flag.Set("test.parallel", "8") // they wait for their drivers
		os.Exit(m.Run())
	}
	n, _ := strconv.Atoi(os.Args[2])
	dir, err := os.MkdirTemp("", "wendrik-try-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(dir)
	c, err := sim.Open(filepath.Join(dir, "cloud.db"), sim.Options{Owners: []string{"skerry-line"}, Regions: []stock.Region{{Name: "west", Zones: []string{"west-a"}}}, Profile: map[string]string{"like": "plain"}, Delay: 20 * time.Millisecond})
	if err != nil {
		panic(err)
	}
	server := httptest.NewUnstartedServer(nil)
	server.Config.Handler = sim.NewServer(c, map[string]sim.Caller{"key-of-skerry-line": {Owner: "skerry-line", Name: "skerry-line"}}, sim.Hosts(server.Listener.Addr()), 0)
	server.Start()
	d := &mistaken{Driver: client.New(server.URL, []client.Key{{Name: "skerry-line", Secret: "key-of-skerry-line"}}), n: n}
	if err := cloud.Serve(d, os.Stdin, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// mistakes are what a driver may have wrong, and the checks one of which must find it.
var mistakes = []struct {
	what  string
	found []string
}{
	{"no mistake", nil},
	{"each try makes another thing", []string{"made-once"}},
	{"the last page of things is lost", []string{"things"}},
	{"a thing is given on two pages", []string{"things"}},
	{"a change takes away what it does not name", []string{"change"}},
	{"null is passed over", []string{"take-away"}},
	{"labels are lost", []string{"make"}},
	{"removing what others need is said to be done", []string{"needed"}},
	{"refusals have no reason", []string{"conflict", "invalid"}},
	{"a peering is ready before it is accepted", []string{"accept"}},
	{"the rules of a list are sorted", []string{"rules"}},
	{"what was removed is remembered", []string{"remove"}},
	{"things are named by their names, not by their ids", []string{"parts"}},
	{"the log goes backwards", []string{"log"}},
	{"answers come to other questions", []string{"at-once", "ready"}},
	{"an attachment needs nobody to accept it", []string{"attachment"}},
	{"two have the lock of an estate", []string{"lock"}},
	{"a lock is given up for whoever asks", []string{"lock"}},
}

func (m *mistaken) Lock(ctx context.Context, h *cloud.Hold) error {
	m.lock.Lock()
	if m.had == nil {
		m.had = h
	}
	m.lock.Unlock()
	if mistakes[m.n].what == "two have the lock of an estate" {
		return nil
	}
	return m.Driver.(cloud.Locker).Lock(ctx, h)
}

func (m *mistaken) Unlock(ctx context.Context, h *cloud.Hold) error {
	if mistakes[m.n].what == "a lock is given up for whoever asks" {
		m.lock.Lock()
		defer m.lock.Unlock()
		return m.Driver.(cloud.Locker).Unlock(ctx, m.had)
	}
	return m.Driver.(cloud.Locker).Unlock(ctx, h)
}

// mistaken is a driver with a mistake.
type mistaken struct {
	cloud.Driver
	n    int
	had  *cloud.Hold // the first that was asked for
	lock sync.Mutex
	kept map[string]*cloud.Thing
	last string
}

func (m *mistaken) Things(ctx context.Context, page string) (*cloud.Page, error) {
	p, err := m.Driver.Things(ctx, page)
	if err != nil || len(p.Things) == 0 {
		return p, err
	}
	switch m.n {
	case 2:
		p.Things = p.Things[:len(p.Things)-1]
	case 3:
		p.Things = append(p.Things, p.Things[len(p.Things)-1])
	}
	return p, nil
}

func (m *mistaken) Make(ctx context.Context, o *cloud.Order) (*cloud.Thing, error) {
	switch m.n {
	case 1:
		m.lock.Lock()
		o.Token += "x"
		m.last += "x"
		o.Token += m.last
		m.lock.Unlock()
	case 6:
		o.Labels = nil
	}
	t, err := m.Driver.Make(ctx, o)
	switch {
	case m.n == 8 && err != nil:
		return nil, fmt.Errorf("%s", err)
	case err != nil:
		return t, err
	case m.n == 9 && t.State == cloud.Asked:
		t.State = cloud.Ready
	case m.n == 9 && t.Kind == stock.Peering:
		t.State = cloud.Ready
	case m.n == 12 && t.Props["network"] != nil:
		t.Props["network"] = json.RawMessage(`"the network"`)
	}
	return m.sorted(t), nil
}

func (m *mistaken) sorted(t *cloud.Thing) *cloud.Thing {
	if m.n == 10 && t.Kind == stock.List {
		var rules []stock.Rule
		if json.Unmarshal(t.Props["in"], &rules) == nil {
			slices.SortFunc(rules, func(a, b stock.Rule) int { return len(a.Flows) - len(b.Flows) })
			slices.Reverse(rules)
			t.Props["in"], _ = json.Marshal(rules)
		}
	}
	return t
}

func (m *mistaken) Thing(ctx context.Context, id string) (*cloud.Thing, error) {
	m.lock.Lock()
	if m.n == 14 && m.last != "" {
		id, m.last = m.last, id
	} else {
		m.last = id
	}
	old := m.kept[id]
	m.lock.Unlock()
	t, err := m.Driver.Thing(ctx, id)
	if m.n == 11 && err == nil {
		m.lock.Lock()
		if m.kept == nil {
			m.kept = map[string]*cloud.Thing{}
		}
		m.kept[id] = t
		m.lock.Unlock()
	}
	if m.n == 11 && err != nil && old != nil {
		return old, nil
	}
	if err == nil {
		t = m.sorted(t)
		if m.n == 15 && t.Kind == stock.Attachment && t.State == cloud.Asked {
			t.State = cloud.Ready
		}
	}
	return t, err
}

func (m *mistaken) Change(ctx context.Context, a *cloud.Alteration) (*cloud.Thing, error) {
	switch m.n {
	case 4:
		if a.Props["out"] != nil && a.Props["in"] == nil {
			a.Props["in"] = nil
		}
	case 5:
		for k, v := range a.Props {
			if v == nil {
				delete(a.Props, k)
			}
		}
		for k, v := range a.Labels {
			if v == nil {
				delete(a.Labels, k)
			}
		}
	}
	return m.Driver.Change(ctx, a)
}

func (m *mistaken) Remove(ctx context.Context, id, note string) error {
	err := m.Driver.Remove(ctx, id, note)
	if m.n == 7 && cloud.ReasonOf(err) == cloud.Needed {
		return nil
	}
	return err
}

func (m *mistaken) Log(ctx context.Context, after int) (*cloud.Entries, error) {
	e, err := m.Driver.Log(ctx, after)
	if m.n == 13 && err == nil {
		slices.Reverse(e.Entries)
	}
	return e, err
}

// Each known mistake is found by the check that is for it, and a driver without any has none.
func TestKnownMistakes(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	for n, x := range mistakes {
		t.Run(x.what, func(t *testing.T) {
			t.Parallel()
			ctx := context.Background()
			d, err := cloud.Run([]string{self, "mistake", strconv.Itoa(n)})
			require.NoError(t, err)
			checks := try.Run(ctx, d.(try.Asker), 2*time.Second, nil)
			require.NoError(t, d.Close())
			var found []string
			for _, c := range checks {
				if c.Wrong != "" {
					found = append(found, c.Name)
					t.Logf("%s: %s", c.Name, c.Wrong)
				}
				if n == 0 {
					assert.Empty(t, c.Skipped, c.Name)
				}
			}
			if x.found == nil {
				assert.Empty(t, found)
			}
			for _, name := range x.found {
				assert.Contains(t, found, name)
			}
		})
	}
}
