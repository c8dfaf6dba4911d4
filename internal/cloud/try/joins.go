package try

import (
	"fmt"
	"slices"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file tries what joins two, each of whom must accept it.

func (r *run) acceptPeering() (err error) {
	if err := r.needs(r.network, r.other); err != nil {
		return err
	}
	props := map[string]any{"networks": []string{r.network.ID, r.other.ID}, "accepted": []string{r.network.ID}}
	if r.peering, err = r.make(stock.Peering, "try-peering", props); err != nil {
		return err
	}
	return r.acceptOther(r.peering, r.network.ID, r.other.ID)
}

// acceptOther accepts what joins two for the second of them, as its maker did for the first.
func (r *run) acceptOther(t *cloud.Thing, first, second string) error {
	if t.State != cloud.Asked {
		return bad("it is %s before the second side has accepted it, not asked", t.State)
	}
	after, err := r.patiently(func() (*cloud.Thing, error) { return r.d.Accept(r.ctx, t.ID, second, r.note) })
	if err != nil {
		return fmt.Errorf("accept was refused with %s", said(err))
	}
	if _, err = r.await(after); err != nil {
		return err
	}
	if after, err = r.d.Thing(r.ctx, t.ID); err != nil {
		return fmt.Errorf("thing was answered with %s", said(err))
	}
	if after.State != cloud.Ready {
		return bad("it is %s when both have accepted it", after.State)
	}
	return r.sameProps(after, map[string]any{"accepted": []string{first, second}})
}

func (r *run) acceptAttachment() error {
	if err := r.needs(r.network, r.table); err != nil {
		return err
	}
	for _, k := range []stock.Kind{stock.Hub, stock.HubTable, stock.Attachment} {
		if !slices.Contains(r.hello.Kinds, k) {
			return skip("the cloud has no kind " + string(k))
		}
	}
	hub, err := r.make(stock.Hub, "try-hub", map[string]any{})
	if err != nil {
		return err
	}
	table, err := r.make(stock.HubTable, "try-hub-table", map[string]any{"hub": hub.ID})
	if err != nil {
		return err
	}
	tie, err := r.make(stock.Attachment, "try-attachment", map[string]any{"hub": hub.ID, "to": r.network.ID, "table": table.ID, "accepted": []string{hub.ID}})
	if err != nil {
		return err
	}
	route := func(token string) (*cloud.Thing, error) {
		return r.d.Make(r.ctx, &cloud.Order{Kind: stock.Route, Owner: r.owner, Name: "try-over", Labels: map[string]string{markLabel: r.mark}, Props: map[string]any{"table": r.table.ID, "to": "10.250.0.0/24", "via": hub.ID}, Token: token, Note: r.note})
	}
	if t, err := route(r.token()); err == nil {
		r.made = append(r.made, t.ID)
		return bad("a route leads over it before both have accepted it")
	}
	if err := r.acceptOther(tie, hub.ID, r.network.ID); err != nil {
		return err
	}
	t, err := r.patiently(func() (*cloud.Thing, error) { return route(r.token()) })
	if err != nil {
		return fmt.Errorf("a route over it was refused with %s when both have accepted it", said(err))
	}
	r.made = append(r.made, t.ID)
	return nil
}

func (r *run) refuseSide() error {
	if err := r.needs(r.peering, r.subnet); err != nil {
		return err
	}
	_, err := r.d.Accept(r.ctx, r.peering.ID, r.subnet.ID, r.note)
	return r.refused(err, cloud.Invalid)
}
