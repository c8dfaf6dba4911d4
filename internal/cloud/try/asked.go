package try

import (
	"crypto/rand"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file asks, waits, and compares what was answered with what was asked for.

func said(err error) string {
	if err == nil {
		return "no error"
	}
	if why := cloud.ReasonOf(err); why != "" {
		return fmt.Sprintf("%s: %s", why, err)
	}
	return err.Error()
}

// refused says what is wrong with an answer that should say no for a reason.
func (r *run) refused(err error, why cloud.Reason) error {
	switch got := cloud.ReasonOf(err); {
	case err == nil:
		return bad("it was done, and not refused as %s", why)
	case got != why:
		return bad("it was refused with %s, and not as %s", said(err), why)
	}
	return nil
}

func (r *run) token() string {
	var raw [8]byte
	rand.Read(raw[:])
	return hex.EncodeToString(raw[:])
}

// make makes a thing and holds what is given back against what was ordered. What is not ready yet is waited for.
func (r *run) make(k stock.Kind, name string, props map[string]any) (*cloud.Thing, error) {
	o := &cloud.Order{Kind: k, Owner: r.owner, Name: name, Labels: map[string]string{markLabel: r.mark, "purpose": "a try"}, Props: props, Token: r.token(), Note: r.note}
	t, err := r.patiently(func() (*cloud.Thing, error) { return r.d.Make(r.ctx, o) })
	if err != nil {
		return nil, fmt.Errorf("make %s was refused with %s", k, said(err))
	}
	if t.ID != "" {
		r.made = append(r.made, t.ID)
	}
	if err := r.asOrdered(t, o); err != nil {
		return t, err
	}
	return r.await(t)
}

// patiently asks again what is refused as limited or not-ready.
func (r *run) patiently(do func() (*cloud.Thing, error)) (*cloud.Thing, error) {
	deadline := time.Now().Add(r.patience)
	for {
		t, err := do()
		var no *cloud.Refusal
		if !errors.As(err, &no) || no.Reason != cloud.Limited && no.Reason != cloud.NotReady || time.Now().After(deadline) || r.until.Err() != nil {
			return t, err
		}
		time.Sleep(max(no.After, 50*time.Millisecond))
	}
}

// asOrdered says what of a thing is not as it was ordered.
func (r *run) asOrdered(t *cloud.Thing, o *cloud.Order) error {
	switch {
	case t.ID == "":
		return bad("the %s has no id", o.Kind)
	case t.Kind != o.Kind:
		return bad("the kind is %q, and %q was ordered", t.Kind, o.Kind)
	case t.Name != o.Name:
		return bad("the name is %q, and %q was ordered", t.Name, o.Name)
	case t.Owner != o.Owner:
		return bad("the owner is %q, and %q was ordered", t.Owner, o.Owner)
	case !slices.Contains([]cloud.State{cloud.Asked, cloud.Pending, cloud.Ready}, t.State):
		return bad("the state is %q, and must be asked, pending or ready", t.State)
	}
	for _, k := range slices.Sorted(maps.Keys(o.Labels)) {
		if v := o.Labels[k]; t.Labels[k] != v {
			return bad("label %s is %q, and %q was ordered", k, t.Labels[k], v)
		}
	}
	return r.sameProps(t, o.Props)
}

// sameProps says which of some properties a thing has otherwise. Others it may have besides.
func (r *run) sameProps(t *cloud.Thing, props map[string]any) error {
	got, err := cloud.Decode(t.Kind, t.Props)
	if err != nil {
		return bad("the properties cannot be understood: %s", err)
	}
	raw := map[string]json.RawMessage{}
	for k, v := range props {
		raw[k], _ = json.Marshal(v)
	}
	want, err := cloud.Decode(t.Kind, raw)
	if err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(props)) {
		if p := stock.SpecOf(t.Kind).Prop(name); !p.Equal(got[name], want[name]) {
			return bad("%s of the %s is %s, and %s was ordered", name, t.Kind, short(got[name]), short(want[name]))
		}
	}
	return nil
}

func short(v any) string {
	raw, _ := json.Marshal(v)
	if len(raw) > 120 {
		return string(raw[:120]) + "…"
	}
	return string(raw)
}

// await waits until a thing is ready, or is asked for.
func (r *run) await(t *cloud.Thing) (*cloud.Thing, error) {
	deadline := time.Now().Add(r.patience)
	for t.State == cloud.Pending {
		if time.Now().After(deadline) {
			return t, bad("%s %s is still pending after %s", t.Kind, t.ID, r.patience)
		}
		if r.until.Err() != nil {
			return t, r.until.Err()
		}
		time.Sleep(30 * time.Millisecond)
		id := t.ID
		again, err := r.d.Thing(r.ctx, id)
		if cloud.ReasonOf(err) == cloud.Limited {
			continue
		}
		if err != nil {
			return t, fmt.Errorf("thing %s was answered with %s", id, said(err))
		}
		if again.ID != id {
			return t, bad("thing %s was answered with the thing %s", id, again.ID)
		}
		t = again
	}
	if t.State == cloud.Failed {
		return t, bad("%s %s failed: %s", t.Kind, t.ID, t.Why)
	}
	return t, nil
}

func (r *run) region() map[string]any {
	props := map[string]any{}
	if len(r.hello.Regions) > 0 {
		props["regions"] = []string{r.hello.Regions[0].Name}
	}
	return props
}

func (r *run) needs(things ...*cloud.Thing) error {
	if slices.Contains(things, nil) {
		return skip("what it needs could not be made")
	}
	return nil
}

// count is how many things of the run are there, of a kind.
func (r *run) count(k stock.Kind) (int, error) {
	all, err := cloud.All(r.ctx, r.d)
	if err != nil {
		return 0, err
	}
	n := 0
	for _, t := range all {
		if t.Kind == k && t.Labels[markLabel] == r.mark {
			n++
		}
	}
	return n, nil
}
