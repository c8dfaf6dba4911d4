package build

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// Options say how a run goes about its work.
type Options struct {
	Estate   string
	Note     string        // kept in the cloud's log with all that the run does
	Side     int           // how many calls may be under way at once
	Patience time.Duration // how long it is waited until something is ready
	Report   func(Event)   // told of all that is done; it may be nil
}

// Event is something that a run did, or that went wrong.
type Event struct {
	What  string
	Act   *stock.Act // nil where a phase begins or ends
	ID    string
	Err   error // why it was not done
	Waits bool  // whether it is for another owner to do, and is waited for
	Done  int   // how many acts are done, of Total
	Total int
	Took  time.Duration
}

// Outcome is what a run came to.
type Outcome struct {
	Done    int
	Total   int
	Undone  []Undone     // what was not done, and why, as far as it was tried
	Waiting []string     // the keys of what waits for another owner to accept it
	Later   []*stock.Act // what can be done once that has come
}

// Undone is an act that could not be done.
type Undone struct {
	Act *stock.Act
	Err error
}

// run makes the calls of some phases. It stops at the first that fails: what is under way comes to its end, and nothing else is begun.
// The error is that of the context when it ended. There must be what the phases begin with.
func run(ctx context.Context, d cloud.Driver, there *There, phases []Phase, owners *Owners, opt Options) (*Outcome, error) {
	r := &runner{driver: d, owners: owners, says: there.says, opt: opt, ids: map[string]string{}, out: &Outcome{}}
	for i := range there.Items {
		r.ids[there.Items[i].Key()] = there.Items[i].At.ID
	}
	for _, p := range phases {
		r.out.Total += len(p.Acts)
	}
	r.opt.Side = max(r.opt.Side, 1)
	for _, p := range phases {
		r.tell(Event{What: p.What})
		r.run(ctx, p.Acts)
		if ctx.Err() != nil || len(r.out.Undone) > 0 {
			return r.out, ctx.Err()
		}
	}
	return r.out, nil
}

type runner struct {
	driver cloud.Driver
	owners *Owners
	opt    Options
	says   vocabulary

	mu  sync.Mutex
	ids map[string]string // by key
	out *Outcome
}

func (r *runner) tell(e Event) {
	if r.opt.Report != nil {
		e.Done, e.Total = r.out.Done, r.out.Total
		r.opt.Report(e)
	}
}

// run does the acts of a phase, each once those that it waits for are done.
func (r *runner) run(ctx context.Context, acts []stock.Act) {
	waits, then := make([]int, len(acts)), make([][]int, len(acts))
	for i := range acts {
		for _, n := range acts[i].After {
			waits[i]++
			then[n] = append(then[n], i)
		}
	}
	type result struct {
		i    int
		id   string
		err  error
		took time.Duration
	}
	results := make(chan result)
	var ready []int
	for i := range acts {
		if waits[i] == 0 {
			ready = append(ready, i)
		}
	}
	for under := 0; ; {
		for under < r.opt.Side && len(ready) > 0 && len(r.out.Undone) == 0 && ctx.Err() == nil {
			i := ready[0]
			ready = ready[1:]
			under++
			go func() {
				begun := time.Now()
				id, err := r.do(ctx, &acts[i])
				results <- result{i, id, err, time.Since(begun)}
			}()
		}
		if under == 0 {
			return
		}
		x := <-results
		under--
		if errors.Is(x.err, errLater) {
			r.putOff(acts, then, x.i)
			continue
		}
		r.mu.Lock()
		if x.err != nil {
			r.out.Undone = append(r.out.Undone, Undone{&acts[x.i], x.err})
		} else {
			r.out.Done++
			for _, n := range then[x.i] {
				if waits[n]--; waits[n] == 0 {
					ready = append(ready, n)
				}
			}
		}
		r.mu.Unlock()
		a := &acts[x.i]
		r.tell(Event{Act: a, ID: x.id, Err: x.err, Waits: a.Verb == stock.Accept && !r.owners.Ours(a.Side), Took: x.took})
	}
}

// errLater is what an act ends with that can be done once others have accepted what it leads over.
var errLater = errors.New("it waits until others have accepted")

// putOff notes that an act, and all that waits for it, is left to a later run.
func (r *runner) putOff(acts []stock.Act, then [][]int, i int) {
	if slices.Contains(r.out.Later, &acts[i]) {
		return
	}
	r.out.Later = append(r.out.Later, &acts[i])
	for _, n := range then[i] {
		r.putOff(acts, then, n)
	}
}

// id is the identifier that the cloud has for a thing.
func (r *runner) id(key string) (string, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	id, found := r.ids[key]
	return id, found
}

// props are properties in the words of the cloud.
func (r *runner) props(t *stock.Thing, all map[string]any) (map[string]any, error) {
	out := map[string]any{}
	for name, v := range all {
		if v == nil {
			out[name] = nil
			continue
		}
		missing := ""
		named, ok := stock.SpecOf(t.Kind).Prop(name).Named(v, func(key string) (string, bool) {
			id, found := r.id(key)
			if !found {
				missing = key
			}
			return id, found
		})
		if !ok {
			return nil, fmt.Errorf("%s of %s %s names %s, which is not there", name, t.Kind, t.Name, stock.NameIn(missing))
		}
		out[name] = named
	}
	return out, nil
}

// waits reports whether something waits to be accepted by others.
func (r *runner) waits(key string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return key != "" && slices.Contains(r.out.Waiting, key)
}

// do makes the call of an act, and waits until the cloud is done with it.
func (r *runner) do(ctx context.Context, a *stock.Act) (string, error) {
	key := a.Thing.Key()
	id, _ := r.id(key)
	call := context.WithoutCancel(ctx) // what is under way comes to its end, and so it is known what is done
	switch a.Verb {
	case stock.Make:
		if r.waits(stock.AlsoNeeds(a.Thing)) {
			return "", errLater
		}
		props, err := r.props(a.Thing, a.Props)
		if err != nil {
			return "", err
		}
		for name, v := range props {
			if v == nil {
				delete(props, name)
			}
		}
		name := a.Thing.Name
		if k := a.Thing.Kind; k == stock.Route {
			name = a.Thing.Props.Word("to")
		} else if stock.SpecOf(k).Parent != "" {
			name = name[strings.LastIndex(name, "/")+1:]
		}
		order := &cloud.Order{Kind: a.Thing.Kind, Owner: r.owners.Of(key), Name: name, Labels: labelsFor(a.Thing, r.opt.Estate), Props: props, Token: Token(r.opt.Estate, key), Note: r.opt.Note}
		t, err := r.asked(ctx, a, func() (*cloud.Thing, error) { return r.driver.Make(call, order) })
		if err != nil {
			return "", err
		}
		r.mu.Lock()
		r.ids[key] = t.ID
		r.mu.Unlock()
		return t.ID, nil
	case stock.Change:
		props, err := r.props(a.Thing, a.Props)
		if err != nil {
			return id, err
		}
		change := &cloud.Alteration{ID: id, Props: props, Note: r.opt.Note}
		if a.Labels {
			change.Labels = map[string]any{}
			for k, v := range labelsFor(a.Thing, r.opt.Estate) {
				if !r.says.ignores(k) {
					change.Labels[k] = v
				}
			}
			for _, gone := range r.goneLabels(call, id, change.Labels) {
				change.Labels[gone] = nil
			}
		}
		_, err = r.asked(ctx, a, func() (*cloud.Thing, error) { return r.driver.Change(call, change) })
		return id, err
	case stock.Accept:
		side, _ := r.id(a.Side)
		if !r.owners.Ours(a.Side) { // somebody else accepts, and nothing here can but wait
			r.mu.Lock()
			r.out.Waiting = append(r.out.Waiting, key)
			r.mu.Unlock()
			return id, nil
		}
		_, err := r.asked(ctx, a, func() (*cloud.Thing, error) { return r.driver.Accept(call, id, side, r.opt.Note) })
		return id, err
	case stock.Remove:
		_, err := r.asked(ctx, a, func() (*cloud.Thing, error) {
			err := r.driver.Remove(call, id, r.opt.Note)
			if cloud.ReasonOf(err) == cloud.NotFound {
				err = nil
			}
			return nil, err
		})
		return id, err
	}
	return id, fmt.Errorf("there is nothing that does %q", a.Verb)
}

// goneLabels are the labels of a thing that it is not to have any longer.
func (r *runner) goneLabels(ctx context.Context, id string, keep map[string]any) []string {
	t, err := r.driver.Thing(ctx, id)
	if err != nil {
		return nil
	}
	var gone []string
	for _, k := range slices.Sorted(maps.Keys(ownLabels(t.Labels))) {
		if _, kept := keep[k]; !kept && r.says.has(t.Kind, k) {
			gone = append(gone, k)
		}
	}
	if _, kept := keep[ownerLabel]; !kept && t.Labels[ownerLabel] != "" {
		gone = append(gone, ownerLabel)
	}
	return gone
}

// Token is what all tries to make one thing have in common.
func Token(estateName, key string) string {
	sum := sha256.Sum256([]byte(estateName + "\x00" + key))
	return hex.EncodeToString(sum[:16])
}

// lostTries is how often a call is made again to which no answer came.
const lostTries = 4

// asked makes a call until it is answered, and waits until what it is about is ready. What a rate limit refuses is asked again later, and
// so is what needs something that is not ready; a call without an answer may have been done, and doing it again does no harm.
func (r *runner) asked(ctx context.Context, a *stock.Act, call func() (*cloud.Thing, error)) (*cloud.Thing, error) {
	deadline := time.Now().Add(r.opt.Patience)
	lost, pause := 0, 20*time.Millisecond
	for {
		t, err := call()
		if err == nil {
			if t == nil {
				return nil, nil
			}
			return r.ready(ctx, a, t, deadline)
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		var refused *cloud.Refusal
		wait := pause
		switch {
		case !errors.As(err, &refused):
			if lost++; lost == lostTries {
				return nil, err
			}
			wait = time.Duration(lost) * 150 * time.Millisecond
		case refused.Reason == cloud.Limited:
			wait = max(refused.After, pause)
		case refused.Reason == cloud.NotReady:
		default:
			return nil, err
		}
		if time.Now().Add(wait).After(deadline) {
			return nil, err
		}
		if err := sleep(ctx, wait); err != nil {
			return nil, err
		}
		pause = min(2*pause, time.Second)
	}
}

// ready waits until a thing is, or is asked for and waits for somebody.
func (r *runner) ready(ctx context.Context, a *stock.Act, t *cloud.Thing, deadline time.Time) (*cloud.Thing, error) {
	pause, lost := 20*time.Millisecond, 0
	for {
		switch t.State {
		case cloud.Ready, cloud.Asked:
			return t, nil
		case cloud.Failed:
			return t, fmt.Errorf("it failed at the cloud: %s", t.Why)
		}
		if time.Now().After(deadline) {
			return t, fmt.Errorf("it is still %s after %s", t.State, r.opt.Patience)
		}
		if sleep(ctx, pause) != nil {
			return t, nil // it is made, and nothing else is begun
		}
		pause = min(pause*3/2, time.Second)
		again, err := r.driver.Thing(ctx, t.ID)
		var refused *cloud.Refusal
		switch {
		case err == nil:
			t = again
		case ctx.Err() != nil:
			return t, nil
		case errors.As(err, &refused) && refused.Reason == cloud.Limited:
			pause = max(pause, refused.After)
		case errors.As(err, &refused):
			return t, err
		default:
			if lost++; lost == lostTries {
				return t, err
			}
		}
	}
}

func sleep(ctx context.Context, d time.Duration) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-t.C:
		return nil
	}
}
