// Package sim is a small simulated cloud, which behaves as practitioners know clouds to behave: identifiers that it makes up, states
// that take time, refusals, quotas, and faults on request. Its state lies in one SQLite file, and outlives the process.
package sim

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"

	"wendrik/internal/cloud"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/stock"
)

// Options say how a cloud behaves.
type Options struct {
	Owners  []string // made when they are not there yet; the first is that of what nobody is named for
	Regions []stock.Region
	Profile map[string]string           // what networks are like that say nothing
	Delay   time.Duration               // how long what is made or changed is pending
	Quotas  map[stock.Kind]int          // how many of a kind an owner may have; as many as it likes where none is given
	Faults  Faults                      // what goes wrong
	Die     func()                      // ends the process at once, for faults that do so
	Now     func() time.Time            // the clock; time.Now when it is nil
	Deny    func(err error) (died bool) // what happens when the state cannot be written any more
}

// Cloud is a simulated cloud.
type Cloud struct {
	o     Options
	store *store

	mu        sync.Mutex
	things    map[string]*record
	byOwner   map[string][]*record // in the order in which they were made
	usedBy    map[string]map[string]bool
	byToken   map[string]string // by owner and token
	addresses map[string]string // who has an address: by network and address, or by public address alone
	owners    []string
	regions   []stock.Region
	counts    map[string]int             // by owner and kind
	profiles  map[string]profile.Profile // by their knobs
	seq, n    int                        // of the last thing, and of the last entry of the log
	calls     int                        // that change something, since the start
	nextOut   netip.Addr                 // where the next public address is looked for
	locks     map[[2]string]lock         // by owner and estate

	queue   chan *waiting
	written sync.WaitGroup
}

// waiting is a write, and who waits for it.
type waiting struct {
	*write
	done chan error
}

// Caller is whose key a call has.
type Caller struct {
	Owner string
	Name  string // of the key: the owner, or owner/person
}

// Open opens a cloud, and makes the file of its state where there is none.
func Open(file string, o Options) (*Cloud, error) {
	s, err := openStore(file)
	if err != nil {
		return nil, err
	}
	if o.Now == nil {
		o.Now = time.Now
	}
	c := &Cloud{o: o, store: s, things: map[string]*record{}, byOwner: map[string][]*record{}, usedBy: map[string]map[string]bool{}, byToken: map[string]string{}, addresses: map[string]string{},
		counts: map[string]int{}, profiles: map[string]profile.Profile{}, nextOut: netip.MustParseAddr("192.0.2.1"), queue: make(chan *waiting, 4096)}
	var all []*record
	if c.n, c.owners, c.regions, err = s.load(func(r *record) { all = append(all, r) }); err != nil {
		s.db.Close()
		return nil, err
	}
	if c.locks, err = s.locks(); err != nil {
		s.db.Close()
		return nil, err
	}
	slices.SortFunc(all, func(a, b *record) int { return cmp.Compare(a.Seq, b.Seq) })
	for _, r := range all {
		if r.props, err = cloud.Decode(r.Kind, r.Props); err != nil {
			s.db.Close()
			return nil, fmt.Errorf("thing %s cannot be read: %w", r.ID, err)
		}
		c.put(r)
		c.seq = r.Seq
	}
	for _, r := range o.Regions {
		i := slices.IndexFunc(c.regions, func(x stock.Region) bool { return x.Name == r.Name })
		if i < 0 {
			c.regions = append(c.regions, r)
		} else {
			for _, z := range r.Zones {
				if !slices.Contains(c.regions[i].Zones, z) {
					c.regions[i].Zones = append(c.regions[i].Zones, z)
				}
			}
			r = c.regions[i]
		}
		if err := s.keepRegion(r); err != nil {
			s.db.Close()
			return nil, err
		}
	}
	c.written.Add(1)
	go c.writer()
	for _, owner := range o.Owners {
		if slices.Contains(c.owners, owner) {
			continue
		}
		if err := c.born(owner); err != nil {
			c.Close()
			return nil, err
		}
	}
	return c, nil
}

// Close ends the cloud once all is written.
func (c *Cloud) Close() error {
	close(c.queue)
	c.written.Wait()
	return c.store.db.Close()
}

// writer commits what calls change, as much at once as waits.
func (c *Cloud) writer() {
	defer c.written.Done()
	for first := range c.queue {
		all := []*waiting{first}
	more:
		for len(all) < 1000 {
			select {
			case w, open := <-c.queue:
				if !open {
					break more
				}
				all = append(all, w)
			default:
				break more
			}
		}
		var writes []*write
		for _, w := range all {
			if w.write != nil {
				writes = append(writes, w.write)
			}
		}
		var err error
		if len(writes) > 0 {
			err = c.store.commit(writes)
		}
		if err != nil && c.o.Deny != nil && c.o.Deny(err) {
			return
		}
		for _, w := range all {
			w.done <- err
		}
	}
}

// settle waits until a write, and all before it, is committed; nil waits for those before alone.
func (c *Cloud) settle(w *waiting) error {
	if err := <-w.done; err != nil {
		return cloud.Refused(cloud.Fault, "the state of the cloud cannot be written: %s", err)
	}
	return nil
}

// enqueue puts a write at the end of what is to be committed. The lock is held, so that writes have the order of what they change.
func (c *Cloud) enqueue(w *write) *waiting {
	if w != nil {
		for _, r := range w.put {
			raw, _ := json.Marshal(r)
			w.data = append(w.data, raw)
		}
	}
	x := &waiting{w, make(chan error, 1)}
	c.queue <- x
	return x
}

// born makes what each owner has from birth: a network that nobody asked for, and a group in it.
func (c *Cloud) born(owner string) error {
	if err := c.store.keepOwner(owner); err != nil {
		return err
	}
	c.owners = append(c.owners, owner)
	var in []string
	if len(c.regions) > 0 {
		in = []string{c.regions[0].Name}
	}
	me := Caller{owner, "the cloud"}
	ctx := context.Background()
	n, err := c.add(ctx, me, &cloud.Order{Kind: stock.Network, Name: "default", Props: map[string]any{
		"profile": map[string]string{"like": "plain"}, "ranges": []string{"192.168.240.0/20"}, "regions": in}}, true)
	if err != nil {
		return err
	}
	_, err = c.add(ctx, me, &cloud.Order{Kind: stock.Group, Name: "default", Props: map[string]any{"network": n.ID, "out": []stock.Rule{{Flows: "any"}}}}, true)
	return err
}

// put takes a thing into the indexes.
func (c *Cloud) put(r *record) {
	if old := c.things[r.ID]; old == nil {
		c.byOwner[r.Owner] = append(c.byOwner[r.Owner], r)
		c.counts[r.Owner+" "+string(r.Kind)]++
	}
	c.things[r.ID] = r
	if r.Token != "" {
		c.byToken[r.Owner+" "+r.Token] = r.ID
	}
	c.index(r, true)
}

// index enters whom a thing names and which addresses it has, or takes that out.
func (c *Cloud) index(r *record, enter bool) {
	t := stock.Thing{Kind: r.Kind, Props: r.props}
	for _, id := range t.Refs() {
		if enter {
			if c.usedBy[id] == nil {
				c.usedBy[id] = map[string]bool{}
			}
			c.usedBy[id][r.ID] = true
		} else if delete(c.usedBy[id], r.ID); len(c.usedBy[id]) == 0 {
			delete(c.usedBy, id)
		}
	}
	for _, a := range c.addressesOf(r) {
		if enter {
			c.addresses[a] = r.ID
		} else if c.addresses[a] == r.ID {
			delete(c.addresses, a)
		}
	}
}

// addressesOf are the addresses that a thing has, as the index of addresses has them.
func (c *Cloud) addressesOf(r *record) []string {
	var all []string
	if net := c.networkOf(r); net != nil {
		for _, a := range r.props.Words("addresses") {
			all = append(all, net.ID+" "+a)
		}
	}
	for _, name := range []string{"public"} {
		all = append(all, r.props.Words(name)...)
	}
	if given, _ := given(r); given != "" {
		all = append(all, given)
	}
	return all
}

// given is the public address that the cloud gave a thing.
func given(r *record) (string, bool) {
	s, found := r.Labels[givenLabel]
	return s, found
}

// givenLabel is where the cloud says which public address it gave. Nobody else can write it.
const givenLabel = "cloud-given-address"

// networkOf is the network that a part of one is in; nil where it is in none.
func (c *Cloud) networkOf(r *record) *record {
	if id := r.props.Word("network"); id != "" {
		return c.things[id]
	}
	if s := c.things[r.props.Word("subnet")]; s != nil {
		return c.networkOf(s)
	}
	return nil
}

// seen is a thing as a call gets to see it now.
func (c *Cloud) seen(r *record) *cloud.Thing {
	t := r.Thing
	t.Props, t.Labels = maps.Clone(r.Props), maps.Clone(r.Labels)
	if t.Labels == nil {
		t.Labels = map[string]string{}
	}
	t.State = c.stateOf(r)
	if t.State != cloud.Failed {
		t.Why = ""
	}
	return &t
}

func (c *Cloud) stateOf(r *record) cloud.State {
	switch sides := sidesOf(r); {
	case c.o.Now().UnixMilli() < r.ReadyAt:
		return cloud.Pending
	case r.Fails:
		return cloud.Failed
	case len(sides) > 0 && len(r.props.Words("accepted")) < len(sides):
		return cloud.Asked
	}
	return cloud.Ready
}

// sidesOf are the two sides of what joins two; none for another thing.
func sidesOf(r *record) []string {
	t := stock.Thing{Kind: r.Kind, Props: r.props}
	return t.Sides()
}

// mine reports whether a caller may see a thing: its own, and what joins something of its own.
func (c *Cloud) mine(me Caller, r *record) bool {
	if r == nil {
		return false
	}
	return r.Owner == me.Owner || slices.ContainsFunc(sidesOf(r), func(id string) bool { s := c.things[id]; return s != nil && s.Owner == me.Owner })
}

// ownersOf are those whose log tells of a thing.
func (c *Cloud) ownersOf(me Caller, r *record) []string {
	all := []string{r.Owner, me.Owner}
	for _, id := range sidesOf(r) {
		if s := c.things[id]; s != nil {
			all = append(all, s.Owner)
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// entry is the next one of the log.
func (c *Cloud) entry(me Caller, what, note, id string, before, after *cloud.Thing) *cloud.Entry {
	c.n++
	return &cloud.Entry{N: c.n, At: c.o.Now().UTC().Format(time.RFC3339Nano), By: me.Name, Note: note, What: what, ID: id, Before: before, After: after}
}

// newID makes an identifier up: a UUID (RFC 9562).
func newID() string { return uuid.NewString() }
