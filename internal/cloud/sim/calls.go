package sim

import (
	"context"
	"encoding/json"
	"maps"
	"slices"
	"strconv"
	"time"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file is what can be asked of the cloud.

// Hello is what the cloud says of itself to a caller.
func (c *Cloud) Hello(me Caller) *cloud.Hello {
	c.mu.Lock()
	defer c.mu.Unlock()
	h := &cloud.Hello{Protocol: cloud.Protocol, Driver: "the simulated cloud", Profile: c.o.Profile, Regions: slices.Clone(c.regions), Log: true, Locks: true}
	for _, o := range c.owners {
		one := cloud.Owner{Name: o, Ours: o == me.Owner}
		if one.Ours && len(c.o.Quotas) > 0 {
			one.Left = map[stock.Kind]int{}
			for k, most := range c.o.Quotas {
				one.Left[k] = max(0, most-c.counts[o+" "+string(k)])
			}
		}
		h.Owners = append(h.Owners, one)
	}
	for i := range stock.Specs {
		h.Kinds = append(h.Kinds, stock.Specs[i].Kind)
	}
	return h
}

// Owners are the names of all owners.
func (c *Cloud) Owners() []string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return slices.Clone(c.owners)
}

// Filter is which things a list is of.
type Filter struct {
	Kind   stock.Kind // of all when empty
	Labels map[string]string
	Name   string
	After  string // the page behind the one that said so; the first when empty
	Most   int
}

// List is a page of what a caller may see, in the order in which it was made.
func (c *Cloud) List(me Caller, f Filter) (*cloud.Page, error) {
	c.mu.Lock()
	after := 0
	if f.After != "" {
		n, err := strconv.Atoi(f.After)
		if err != nil || n < 0 {
			c.mu.Unlock()
			return nil, cloud.Refused(cloud.Invalid, "%.40q is no page of this list", f.After)
		}
		after = n
	}
	page := &cloud.Page{Things: []cloud.Thing{}}
	all := c.visible(me)
	i, _ := slices.BinarySearchFunc(all, after+1, func(r *record, seq int) int { return r.Seq - seq })
	for ; i < len(all); i++ {
		r := all[i]
		if f.Kind != "" && r.Kind != f.Kind || f.Name != "" && r.Name != f.Name || !has(r.Labels, f.Labels) {
			continue
		}
		if len(page.Things) == f.Most {
			page.Next = strconv.Itoa(after)
			break
		}
		page.Things = append(page.Things, *c.seen(r))
		after = r.Seq
	}
	w := c.enqueue(nil)
	c.mu.Unlock()
	return page, c.settle(w)
}

func has(all, wanted map[string]string) bool {
	for k, v := range wanted {
		if all[k] != v {
			return false
		}
	}
	return true
}

// visible are the things that a caller may see, in the order in which they were made.
func (c *Cloud) visible(me Caller) []*record {
	all := c.byOwner[me.Owner]
	var joined []*record
	for _, owner := range c.owners {
		if owner == me.Owner {
			continue
		}
		for _, r := range c.byOwner[owner] {
			if len(sidesOf(r)) > 0 && c.mine(me, r) {
				joined = append(joined, r)
			}
		}
	}
	if len(joined) == 0 {
		return all
	}
	all = append(slices.Clone(all), joined...)
	slices.SortFunc(all, func(a, b *record) int { return a.Seq - b.Seq })
	return all
}

// Neighbours are the networks, hubs and sites of other owners, and the tables and groups of these, by name alone: what a peering, a link, an
// attachment or a rule can name.
func (c *Cloud) Neighbours(me Caller) *cloud.Page {
	c.mu.Lock()
	defer c.mu.Unlock()
	page := &cloud.Page{Things: []cloud.Thing{}}
	for _, owner := range c.owners {
		if owner == me.Owner {
			continue
		}
		for _, r := range c.byOwner[owner] {
			if r.Default || !slices.Contains(named, r.Kind) {
				continue
			}
			t := cloud.Thing{Kind: r.Kind, ID: r.ID, Name: r.Name, Owner: owner, Props: map[string]json.RawMessage{}, State: c.stateOf(r), Foreign: true}
			if up := stock.SpecOf(r.Kind).Parent; up != "" {
				t.Props[up] = r.Props[up]
			}
			page.Things = append(page.Things, t)
		}
	}
	return page
}

// named are the kinds of things that other owners can name.
var named = []stock.Kind{stock.Network, stock.Hub, stock.Site, stock.Table, stock.Group, stock.HubTable}

// Get is one thing.
func (c *Cloud) Get(me Caller, id string) (*cloud.Thing, error) {
	c.mu.Lock()
	r := c.things[id]
	if !c.mine(me, r) {
		c.mu.Unlock()
		return nil, cloud.Refused(cloud.NotFound, "there is no thing %.60q", id)
	}
	t := c.seen(r)
	w := c.enqueue(nil)
	c.mu.Unlock()
	return t, c.settle(w)
}

// Log are the entries of a caller's log behind a number.
func (c *Cloud) Log(me Caller, after int) (*cloud.Entries, error) {
	c.mu.Lock()
	w := c.enqueue(nil)
	c.mu.Unlock()
	if err := c.settle(w); err != nil {
		return nil, err
	}
	e, err := c.store.entries(me.Owner, after, 500)
	if err != nil {
		return nil, cloud.Refused(cloud.Fault, "the log cannot be read: %s", err)
	}
	return e, nil
}

// Make makes a thing. What was made for the same token before is given again.
func (c *Cloud) Make(ctx context.Context, me Caller, o *cloud.Order) (*cloud.Thing, error) {
	return c.add(ctx, me, o, false)
}

func (c *Cloud) add(ctx context.Context, me Caller, o *cloud.Order, birth bool) (*cloud.Thing, error) {
	c.mu.Lock()
	if id := c.byToken[me.Owner+" "+o.Token]; o.Token != "" && id != "" {
		r := c.things[id]
		t := c.seen(r)
		w := c.enqueue(nil)
		c.mu.Unlock()
		if r.Kind != o.Kind || r.Name != o.Name {
			return nil, cloud.Refused(cloud.Conflict, "the token was given with %s %s before", r.Kind, r.Name)
		}
		return t, c.settle(w)
	}
	var fault fault
	if !birth {
		if fault = c.fault(); fault.before() {
			c.mu.Unlock()
			return nil, fault.refuse(c)
		}
	}
	props, err := safely(func() (stock.Props, error) { return c.checkedOrder(me, o) })
	if err != nil {
		c.mu.Unlock()
		return nil, err
	}
	now := c.o.Now()
	c.seq++
	r := &record{Seq: c.seq, Token: o.Token, ReadyAt: now.Add(c.o.Delay).UnixMilli(), props: props}
	r.Thing = cloud.Thing{Kind: o.Kind, ID: newID(), Name: o.Name, Owner: me.Owner, Labels: maps.Clone(o.Labels), Props: encode(props), By: me.Name, At: now.UTC().Format(time.RFC3339Nano), Default: birth}
	if birth {
		r.ReadyAt = 0
	}
	c.give(r)
	c.failing(r, fault)
	t := c.seen(r)
	if fault.kind == "forget" {
		r.props = maps.Clone(r.props)
		delete(r.props, "in")
		delete(r.props, "out")
		r.Props = encode(r.props)
	}
	c.put(r)
	w := c.enqueue(&write{put: []*record{r}, entry: c.entry(me, "make", o.Note, r.ID, nil, t), owners: c.ownersOf(me, r)})
	c.mu.Unlock()
	return t, fault.after(c, c.settle(w))
}

// failing has a thing fail where the fault of the call is that.
func (c *Cloud) failing(r *record, f fault) {
	r.Fails, r.Why = f.kind == "fail", ""
	if r.Fails {
		r.Why = "the cloud had no room for it"
	}
}

// give gives a public address to what is to have one, and takes it back from what is not.
func (c *Cloud) give(r *record) {
	_, has := given(r)
	switch wants := r.props.Flag("assigned"); {
	case wants && !has:
		for range 200_000 {
			a := c.nextOut.String()
			c.nextOut = nextPublic(c.nextOut)
			if c.addresses[a] == "" {
				if r.Labels == nil {
					r.Labels = map[string]string{}
				}
				r.Labels[givenLabel] = a
				return
			}
		}
	case !wants && has:
		delete(r.Labels, givenLabel)
	}
}

// Change changes a thing.
func (c *Cloud) Change(ctx context.Context, me Caller, a *cloud.Alteration) (*cloud.Thing, error) {
	c.mu.Lock()
	old := c.things[a.ID]
	if !c.mine(me, old) {
		c.mu.Unlock()
		return nil, cloud.Refused(cloud.NotFound, "there is no thing %.60q", a.ID)
	}
	f := c.fault()
	if f.before() {
		c.mu.Unlock()
		return nil, f.refuse(c)
	}
	r, err := safely(func() (*record, error) { return c.altered(me, old, a) })
	if err != nil {
		c.mu.Unlock()
		return nil, err
	}
	if f.kind == "forget" {
		t := c.seen(r)
		c.mu.Unlock()
		return t, nil
	}
	before := c.seen(old)
	c.failing(r, f)
	w := c.replace(me, old, r, "change", a.Note, before)
	t := c.seen(r)
	c.mu.Unlock()
	return t, f.after(c, c.settle(w))
}

// replace puts a thing in the place of what it was.
func (c *Cloud) replace(me Caller, old, r *record, what, note string, before *cloud.Thing) *waiting {
	now := c.o.Now()
	r.By, r.At, r.ReadyAt = me.Name, now.UTC().Format(time.RFC3339Nano), now.Add(c.o.Delay).UnixMilli()
	c.index(old, false)
	list := c.byOwner[r.Owner]
	if i, found := slices.BinarySearchFunc(list, r.Seq, func(x *record, seq int) int { return x.Seq - seq }); found {
		list[i] = r
	}
	c.things[r.ID] = r
	c.give(r)
	r.Props = encode(r.props)
	c.index(r, true)
	return c.enqueue(&write{put: []*record{r}, entry: c.entry(me, what, note, r.ID, before, c.seen(r)), owners: c.ownersOf(me, r)})
}

// Accept accepts what joins two, for a side of the caller's.
func (c *Cloud) Accept(ctx context.Context, me Caller, id, side, note string) (*cloud.Thing, error) {
	c.mu.Lock()
	old := c.things[id]
	if !c.mine(me, old) {
		c.mu.Unlock()
		return nil, cloud.Refused(cloud.NotFound, "there is no thing %.60q", id)
	}
	f := c.fault()
	if f.before() {
		c.mu.Unlock()
		return nil, f.refuse(c)
	}
	if err := c.checkAccept(me, old, side); err != nil {
		c.mu.Unlock()
		return nil, err
	}
	if slices.Contains(old.props.Words("accepted"), side) {
		t := c.seen(old)
		w := c.enqueue(nil)
		c.mu.Unlock()
		return t, c.settle(w)
	}
	before := c.seen(old)
	r := old.copied()
	r.props.Set("accepted", append(slices.Clone(old.props.Words("accepted")), side))
	c.failing(r, f)
	w := c.replace(me, old, r, "accept", note, before)
	t := c.seen(r)
	c.mu.Unlock()
	return t, f.after(c, c.settle(w))
}

// copied is a thing that can be changed without the other.
func (r *record) copied() *record {
	x := *r
	x.props, x.Props, x.Labels = maps.Clone(r.props), maps.Clone(r.Props), maps.Clone(r.Labels)
	return &x
}

// Remove removes a thing that nothing needs.
func (c *Cloud) Remove(ctx context.Context, me Caller, id, note string) error {
	c.mu.Lock()
	r := c.things[id]
	if !c.mine(me, r) {
		c.mu.Unlock()
		return cloud.Refused(cloud.NotFound, "there is no thing %.60q", id)
	}
	f := c.fault()
	if f.before() || f.kind == "fail" {
		c.mu.Unlock()
		return f.refuse(c)
	}
	if x := c.among(id, func(x *record) bool { return x.ID != id }); x != nil {
		c.mu.Unlock()
		return cloud.Refused(cloud.Needed, "%s %s (%s) is needed by %s %s (%s)", r.Kind, r.Name, r.ID, x.Kind, x.Name, x.ID)
	}
	if r.Kind == stock.Attachment {
		if x := c.leadsOver(r); x != nil {
			c.mu.Unlock()
			return cloud.Refused(cloud.Needed, "attachment %s (%s) is needed by route %s (%s), which leads over it", r.Name, r.ID, x.Name, x.ID)
		}
	}
	owners := c.ownersOf(me, r)
	before := c.seen(r)
	c.index(r, false)
	delete(c.things, id)
	delete(c.byToken, r.Owner+" "+r.Token)
	c.counts[r.Owner+" "+string(r.Kind)]--
	list := c.byOwner[r.Owner]
	if i, found := slices.BinarySearchFunc(list, r.Seq, func(x *record, seq int) int { return x.Seq - seq }); found {
		c.byOwner[r.Owner] = slices.Delete(list, i, i+1)
	}
	w := c.enqueue(&write{remove: id, entry: c.entry(me, "remove", note, id, before, nil), owners: owners})
	c.mu.Unlock()
	return f.after(c, c.settle(w))
}

// encode writes properties as JSON.
func encode(props stock.Props) map[string]json.RawMessage {
	out := map[string]json.RawMessage{}
	for name, v := range props {
		raw, _ := json.Marshal(v)
		out[name] = raw
	}
	return out
}
