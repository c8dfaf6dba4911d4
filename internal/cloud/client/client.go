// Package client is the driver of the simulated cloud: it speaks to its interface over HTTP, with a key for each owner.
package client

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"go.yaml.in/yaml/v4"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/wrong"
	"wendrik/internal/inlet"
)

// Key is a key of an owner, or of a person of it: OWNER, or OWNER/PERSON.
type Key struct{ Name, Secret string }

// String is the name of the key alone, so that no message has the secret by accident.
func (k Key) String() string { return k.Name }

// GoString is the same for other ways to print.
func (k Key) GoString() string { return k.Name }

// ReadKeys reads a file of keys: a YAML mapping from names to keys, in its order. The error is a *wrong.Error, and has no key in it.
func ReadKeys(file string) ([]Key, error) {
	raw, err := inlet.Read(file, 1<<20)
	if err != nil {
		return nil, err
	}
	if info, err := os.Stat(file); err == nil && runtime.GOOS != "windows" && info.Mode().Perm()&0o077 != 0 {
		return nil, wrong.Value("chmod 600 "+file+"  keeps it to you", "%s has keys, and others than you can read it", file)
	}
	bad := wrong.Value("write  OWNER: KEY  on a line for each", "%s is no file of keys", file)
	var doc yaml.Node
	if yaml.Unmarshal(raw, &doc) != nil || len(doc.Content) != 1 || doc.Content[0].Kind != yaml.MappingNode {
		return nil, bad
	}
	var all []Key
	entries := doc.Content[0].Content
	for i := 0; i+1 < len(entries); i += 2 {
		if entries[i+1].Kind != yaml.ScalarNode || len(entries[i+1].Value) < 8 {
			return nil, bad
		}
		all = append(all, Key{entries[i].Value, entries[i+1].Value})
	}
	return all, nil
}

// client is the driver.
type client struct {
	base string
	keys []Key // one for each owner
	http *http.Client

	mu     sync.Mutex
	hello  *cloud.Hello
	owners []string // of the keys
	whose  map[string]int
	kinds  map[string]stock.Kind
}

// New gives the driver of the simulated cloud at an address such as http://127.0.0.1:8470. Of several keys of one owner the first is
// used.
func New(base string, keys []Key) cloud.Driver {
	var own []Key
	for _, k := range keys {
		owner, _, _ := strings.Cut(k.Name, "/")
		if !slices.ContainsFunc(own, func(x Key) bool { o, _, _ := strings.Cut(x.Name, "/"); return o == owner }) {
			own = append(own, k)
		}
	}
	transport := http.DefaultTransport.(*http.Transport).Clone()
	transport.MaxIdleConnsPerHost = 64
	transport.Proxy = nil
	return &client{base: strings.TrimRight(base, "/"), keys: own, http: &http.Client{Timeout: time.Minute, Transport: transport, CheckRedirect: cloud.Stay}, whose: map[string]int{}, kinds: map[string]stock.Kind{}}
}

func (c *client) Close() error {
	c.http.CloseIdleConnections()
	return nil
}

// ask asks with the key of an owner. An error that is no *cloud.Refusal tells that no answer came.
func (c *client) ask(ctx context.Context, owner int, method, path string, body, into any) error {
	var raw []byte
	if body != nil {
		var err error
		if raw, err = json.Marshal(body); err != nil {
			return err
		}
	}
	r, err := http.NewRequestWithContext(ctx, method, c.base+path, bytes.NewReader(raw))
	if err != nil {
		return err
	}
	if len(c.keys) > 0 {
		r.Header.Set("Authorization", "Bearer "+c.keys[owner].Secret)
	}
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	answer, err := c.http.Do(r)
	if err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("the cloud gave no answer: %w", unwrapped(err))
	}
	defer answer.Body.Close()
	raw, err = io.ReadAll(io.LimitReader(answer.Body, 64<<20))
	if err != nil {
		return fmt.Errorf("the answer of the cloud ended too soon: %w", unwrapped(err))
	}
	if answer.StatusCode >= 300 {
		var p struct {
			Detail  string       `json:"detail"`
			Reason  cloud.Reason `json:"reason"`
			AfterMS int64        `json:"after_ms"`
		}
		if json.Unmarshal(raw, &p) != nil || p.Reason == "" {
			return cloud.Refused(cloud.Fault, "the cloud answered %s", answer.Status)
		}
		after := time.Duration(p.AfterMS) * time.Millisecond
		if n, err := strconv.Atoi(answer.Header.Get("Retry-After")); err == nil && after == 0 {
			after = time.Duration(n) * time.Second
		}
		return &cloud.Refusal{Reason: p.Reason, Message: p.Detail, After: after}
	}
	if into == nil {
		return nil
	}
	if err := json.Unmarshal(raw, into); err != nil {
		return cloud.Refused(cloud.Unspeakable, "the cloud answered what cannot be read: %s", err)
	}
	return nil
}

// unwrapped is an error of the network without the address in it, which is told once and elsewhere.
func unwrapped(err error) error {
	var u *url.Error
	if errors.As(err, &u) {
		return u.Err
	}
	return err
}

func (c *client) Hello(ctx context.Context) (*cloud.Hello, error) {
	var all *cloud.Hello
	var own, others []cloud.Owner
	var owners []string
	for i := range max(1, len(c.keys)) {
		var h cloud.Hello
		if err := c.ask(ctx, i, "GET", "/v1/cloud", nil, &h); err != nil {
			return nil, err
		}
		for _, o := range h.Owners {
			if o.Ours {
				own, owners = append(own, o), append(owners, o.Name)
			}
		}
		all = cmp.Or(all, &h)
	}
	for _, o := range all.Owners {
		if !slices.Contains(owners, o.Name) {
			others = append(others, cloud.Owner{Name: o.Name})
		}
	}
	all.Owners, all.Driver = append(own, others...), "wendrik's driver of the simulated cloud"
	c.mu.Lock()
	c.hello, c.owners = all, owners
	c.mu.Unlock()
	return all, nil
}

// Lock takes the lock of an estate for each of the owners whose keys there are, or for none.
func (c *client) Lock(ctx context.Context, h *cloud.Hold) error {
	for i := range max(1, len(c.keys)) {
		if err := c.ask(ctx, i, "POST", "/v1/locks", h, nil); err != nil {
			for k := range i {
				_ = c.ask(ctx, k, "DELETE", "/v1/locks", h, nil)
			}
			return err
		}
	}
	return nil
}

// Unlock gives it up.
func (c *client) Unlock(ctx context.Context, h *cloud.Hold) error {
	var all error
	for i := range max(1, len(c.keys)) {
		all = errors.Join(all, c.ask(ctx, i, "DELETE", "/v1/locks", h, nil))
	}
	return all
}

// owner is the number of the key of an owner; the first for nobody.
func (c *client) owner(ctx context.Context, name string) (int, error) {
	c.mu.Lock()
	owners := c.owners
	c.mu.Unlock()
	if owners == nil {
		if _, err := c.Hello(ctx); err != nil {
			return 0, err
		}
		c.mu.Lock()
		owners = c.owners
		c.mu.Unlock()
	}
	if name == "" {
		return 0, nil
	}
	if i := slices.Index(owners, name); i >= 0 {
		return i, nil
	}
	return 0, cloud.Refused(cloud.Denied, "there is no key of owner %s", name)
}

// Things are those of each owner in turn, and behind them the networks and hubs of others, by name.
func (c *client) Things(ctx context.Context, page string) (*cloud.Page, error) {
	n, inside, _ := strings.Cut(page, ":")
	i, _ := strconv.Atoi(n)
	var p cloud.Page
	if i >= max(1, len(c.keys)) {
		all := cloud.Page{Things: []cloud.Thing{}}
		for k := range max(1, len(c.keys)) {
			p = cloud.Page{}
			if err := c.ask(ctx, k, "GET", "/v1/neighbours", nil, &p); err != nil {
				return nil, err
			}
			if p.Things == nil {
				return nil, cloud.Refused(cloud.Unspeakable, "the cloud's answer about its neighbours has no things")
			}
			all.Things = append(all.Things, p.Things...)
		}
		return &all, nil
	}
	if err := c.ask(ctx, i, "GET", fmt.Sprintf("/v1/things?limit=500&page=%s", url.QueryEscape(inside)), nil, &p); err != nil {
		return nil, err
	}
	c.mu.Lock()
	for _, t := range p.Things {
		if _, found := c.whose[t.ID]; !found || c.owners != nil && i < len(c.owners) && c.owners[i] == t.Owner {
			c.whose[t.ID], c.kinds[t.ID] = i, t.Kind
		}
	}
	c.mu.Unlock()
	if p.Next != "" {
		p.Next = fmt.Sprintf("%d:%s", i, p.Next)
	} else {
		p.Next = fmt.Sprintf("%d:", i+1)
	}
	return &p, nil
}

// find gives the key that has a thing, and its kind.
func (c *client) find(ctx context.Context, id string) (int, stock.Kind, error) {
	c.mu.Lock()
	i, found := c.whose[id]
	k := c.kinds[id]
	c.mu.Unlock()
	if found {
		return i, k, nil
	}
	t, err := c.Thing(ctx, id)
	if err != nil {
		return 0, "", err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.whose[id], t.Kind, nil
}

func (c *client) Thing(ctx context.Context, id string) (*cloud.Thing, error) {
	c.mu.Lock()
	at, found := c.whose[id]
	c.mu.Unlock()
	var t cloud.Thing
	if found {
		return &t, c.ask(ctx, at, "GET", "/v1/things/"+url.PathEscape(id), nil, &t)
	}
	err := error(cloud.Refused(cloud.NotFound, "there is no thing %.60q", id))
	for i := range max(1, len(c.keys)) {
		if err = c.ask(ctx, i, "GET", "/v1/things/"+url.PathEscape(id), nil, &t); err == nil {
			c.keep(i, &t)
			return &t, nil
		}
		if cloud.ReasonOf(err) != cloud.NotFound {
			return nil, err
		}
	}
	return nil, err
}

func (c *client) keep(i int, t *cloud.Thing) {
	c.mu.Lock()
	c.whose[t.ID], c.kinds[t.ID] = i, t.Kind
	c.mu.Unlock()
}

func at(k stock.Kind, id string) string {
	path := "/v1/" + string(k) + "s"
	if id != "" {
		path += "/" + url.PathEscape(id)
	}
	return path
}

func (c *client) Make(ctx context.Context, o *cloud.Order) (*cloud.Thing, error) {
	i, err := c.owner(ctx, o.Owner)
	if err != nil {
		return nil, err
	}
	if stock.SpecOf(o.Kind) == nil {
		return nil, cloud.Refused(cloud.Invalid, "there is no kind %.60q", o.Kind)
	}
	var t cloud.Thing
	body := map[string]any{"name": o.Name, "labels": o.Labels, "props": o.Props, "token": o.Token, "note": o.Note}
	if err := c.ask(ctx, i, "POST", at(o.Kind, ""), body, &t); err != nil {
		return nil, err
	}
	c.keep(i, &t)
	return &t, nil
}

// Change changes a thing with the key that has it; what somebody has accepted is taken back with the key of who did.
func (c *client) Change(ctx context.Context, a *cloud.Alteration) (*cloud.Thing, error) {
	i, k, err := c.find(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	var t cloud.Thing
	if _, joins := a.Props["accepted"]; joins && len(c.keys) > 1 {
		if err := c.takeBack(ctx, i, k, a, &t); err != nil {
			return nil, err
		}
	}
	return &t, c.ask(ctx, i, "PATCH", at(k, a.ID), map[string]any{"props": a.Props, "labels": a.Labels, "note": a.Note}, &t)
}

// takeBack takes out of what a thing was accepted for the sides that others have than the one with some key, each with the key that has it.
func (c *client) takeBack(ctx context.Context, key int, k stock.Kind, a *cloud.Alteration, t *cloud.Thing) error {
	was, err := c.Thing(ctx, a.ID)
	if err != nil {
		return err
	}
	keep, _ := a.Props["accepted"].([]string)
	var left []string
	if raw := was.Props["accepted"]; raw != nil {
		if err := json.Unmarshal(raw, &left); err != nil {
			return fmt.Errorf("what %s was accepted for: %w", a.ID, err)
		}
	}
	for _, side := range slices.Clone(left) {
		if slices.Contains(keep, side) {
			continue
		}
		i, _, err := c.find(ctx, side)
		if err != nil || i == key { // of what no key sees the cloud says whose it is
			continue
		}
		left = slices.DeleteFunc(left, func(x string) bool { return x == side })
		if err := c.ask(ctx, i, "PATCH", at(k, a.ID), map[string]any{"props": map[string]any{"accepted": left}, "note": a.Note}, t); err != nil {
			return err
		}
	}
	return nil
}

func (c *client) Remove(ctx context.Context, id, note string) error {
	i, k, err := c.find(ctx, id)
	if err != nil {
		return err
	}
	return c.ask(ctx, i, "DELETE", at(k, id)+"?note="+url.QueryEscape(note), nil, nil)
}

// Accept accepts with the key of the side's owner.
func (c *client) Accept(ctx context.Context, id, side, note string) (*cloud.Thing, error) {
	_, k, err := c.find(ctx, id)
	if err != nil {
		return nil, err
	}
	i, _, err := c.find(ctx, side)
	if err != nil {
		return nil, cloud.Refused(cloud.Denied, "there is no key of the owner of %.60q", side)
	}
	var t cloud.Thing
	return &t, c.ask(ctx, i, "POST", at(k, id)+"/accept", map[string]any{"side": side, "note": note}, &t)
}

// Log is that of all owners, each entry once, in the order of their numbers.
func (c *client) Log(ctx context.Context, after int) (*cloud.Entries, error) {
	all := map[int]cloud.Entry{}
	more, last := false, 0
	for i := range max(1, len(c.keys)) {
		var e cloud.Entries
		if err := c.ask(ctx, i, "GET", fmt.Sprintf("/v1/log?after=%d", after), nil, &e); err != nil {
			return nil, err
		}
		for _, x := range e.Entries {
			all[x.N] = x
		}
		if n := len(e.Entries); e.More && n > 0 {
			if end := e.Entries[n-1].N; !more || end < last { // behind it this owner has others, which are asked for next
				last = end
			}
			more = true
		}
	}
	out := &cloud.Entries{More: more}
	for _, x := range all {
		if !more || x.N <= last {
			out.Entries = append(out.Entries, x)
		}
	}
	slices.SortFunc(out.Entries, func(a, b cloud.Entry) int { return a.N - b.N })
	return out, nil
}
