package try

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// This file is what each check asks, and what it takes for wrong.

func (r *run) sayHello() error {
	h, err := r.d.Hello(r.ctx)
	if err != nil {
		return err
	}
	r.hello = h
	for _, o := range h.Owners {
		if o.Ours && r.owner == "" {
			r.owner = o.Name
		}
	}
	switch {
	case h.Driver == "":
		return bad("driver is empty: it should name the driver")
	case r.owner == "":
		return bad("no owner is ours, so that nothing can be made")
	case !slices.Contains(h.Kinds, stock.Network) || !slices.Contains(h.Kinds, stock.Subnet):
		return bad("kinds lack network or subnet")
	}
	return nil
}

func (r *run) otherVersion() error {
	var h cloud.Hello
	err := r.d.Ask(r.ctx, "hello", map[string]any{"protocol": 999}, &h)
	return r.refused(err, cloud.Unsupported)
}

func (r *run) noMethod() error {
	err := r.d.Ask(r.ctx, "no-such-method", map[string]any{}, nil)
	if cloud.ReasonOf(err) != cloud.Unsupported {
		return bad("it was answered with %s", said(err))
	}
	return nil
}

// profile is how the networks of the run behave: they have ranges of their own.
var plain = map[string]string{"like": "plain"}

func (r *run) makeNetworks() (err error) {
	props := r.region()
	props["ranges"], props["profile"] = []string{"10.144.0.0/20"}, plain
	if r.network, err = r.make(stock.Network, "try-one", props); err != nil {
		return err
	}
	more := maps.Clone(props)
	more["ranges"] = []string{"10.144.16.0/20", "fd3a:5e11:c0de:10::/60"}
	r.other, err = r.make(stock.Network, "try-two", more)
	return err
}

func (r *run) madeOnce() error {
	if err := r.needs(r.network); err != nil {
		return err
	}
	o := &cloud.Order{Kind: stock.Group, Owner: r.owner, Name: "try-once", Labels: map[string]string{markLabel: r.mark}, Props: map[string]any{"network": r.network.ID}, Token: r.token(), Note: r.note}
	first, err := r.patiently(func() (*cloud.Thing, error) { return r.d.Make(r.ctx, o) })
	if err != nil {
		return fmt.Errorf("make was refused with %s", said(err))
	}
	r.made = append(r.made, first.ID)
	again, err := r.patiently(func() (*cloud.Thing, error) { return r.d.Make(r.ctx, o) })
	if err != nil {
		return fmt.Errorf("the second try was refused with %s", said(err))
	}
	if again.ID != first.ID {
		r.made = append(r.made, again.ID)
		return bad("the first try made %s, and the second %s", first.ID, again.ID)
	}
	n, err := r.count(stock.Group)
	if err != nil {
		return err
	}
	if n != 1 {
		return bad("there are %d such groups, not 1", n)
	}
	r.group, err = r.await(again)
	return err
}

func (r *run) becomesReady() error {
	if err := r.needs(r.network); err != nil {
		return err
	}
	t, err := r.d.Thing(r.ctx, r.network.ID)
	if err != nil {
		return fmt.Errorf("thing was answered with %s", said(err))
	}
	if t.ID != r.network.ID || t.State != cloud.Ready {
		return bad("thing %s is %s %s", r.network.ID, t.ID, t.State)
	}
	if t.Kind != r.network.Kind || t.Name != r.network.Name {
		return bad("thing %s is the %s %q, and the %s %q was made", t.ID, t.Kind, t.Name, r.network.Kind, r.network.Name)
	}
	return r.sameProps(t, map[string]any{"ranges": []string{"10.144.0.0/20"}})
}

func (r *run) makeParts() (err error) {
	if err := r.needs(r.network); err != nil {
		return err
	}
	if r.table, err = r.make(stock.Table, "try-table", map[string]any{"network": r.network.ID, "main": true}); err != nil {
		return err
	}
	if r.subnet, err = r.make(stock.Subnet, "try-subnet", map[string]any{"network": r.network.ID, "ranges": []string{"10.144.0.0/24"}, "table": r.table.ID}); err != nil {
		return err
	}
	now, err := r.d.Thing(r.ctx, r.subnet.ID)
	if err != nil {
		return fmt.Errorf("thing was answered with %s", said(err))
	}
	if err := r.sameProps(now, map[string]any{"network": r.network.ID, "ranges": []string{"10.144.0.0/24"}, "table": r.table.ID}); err != nil {
		return err
	}
	_, err = r.make(stock.Route, "try-route", map[string]any{"table": r.table.ID, "to": "10.99.0.0/16", "via": stock.Blackhole})
	return err
}

// hundred are rules in an order of their own.
func hundred() []stock.Rule {
	var all []stock.Rule
	for i := range 100 {
		action := "allow"
		if i%3 == 0 {
			action = "deny"
		}
		all = append(all, stock.Rule{Action: action, Flows: fmt.Sprintf("tcp/%d", 9000-7*i), Range: fmt.Sprintf("10.%d.0.0/16", i)})
	}
	return all
}

func (r *run) keepOrder() (err error) {
	if err := r.needs(r.network); err != nil {
		return err
	}
	if r.list, err = r.make(stock.List, "try-list", map[string]any{"network": r.network.ID, "in": hundred(), "out": []stock.Rule{{Action: "allow", Flows: "any"}}}); err != nil {
		return err
	}
	t, err := r.d.Thing(r.ctx, r.list.ID)
	if err != nil {
		return fmt.Errorf("thing was answered with %s", said(err))
	}
	return r.sameProps(t, map[string]any{"in": hundred()})
}

func (r *run) listThings() error {
	had := map[string]int{}
	mine := map[string]*cloud.Thing{}
	pages := map[string]bool{}
	for page := ""; ; {
		p, err := r.d.Things(r.ctx, page)
		if err != nil {
			return fmt.Errorf("things was answered with %s", said(err))
		}
		for i := range p.Things {
			t := &p.Things[i]
			had[t.ID]++
			if t.Labels[markLabel] == r.mark {
				mine[t.ID] = t
			}
			if stock.SpecOf(t.Kind) == nil {
				return bad("%s is of the kind %q, which there is not", t.ID, t.Kind)
			}
			if _, err := cloud.Decode(t.Kind, t.Props); err != nil {
				return bad("%s %s: %s", t.Kind, t.ID, err)
			}
		}
		if p.Next == "" {
			break
		}
		if pages[p.Next] {
			return bad("page %q leads to itself", p.Next)
		}
		pages[p.Next] = true
		page = p.Next
	}
	for id, n := range had {
		if n > 1 && mine[id] != nil {
			return bad("%s is there %d times", id, n)
		}
	}
	for _, id := range r.made {
		if mine[id] == nil {
			return bad("%s was made and is not in things, or without its label", id)
		}
	}
	switch {
	case r.network == nil:
	case mine[r.network.ID] == nil:
		return bad("%s is not in things, or without its label", r.network.ID)
	case mine[r.network.ID].Name != r.network.Name:
		return bad("%s is named %q in things, and %q was made", r.network.ID, mine[r.network.ID].Name, r.network.Name)
	default:
		return r.sameProps(mine[r.network.ID], map[string]any{"ranges": []string{"10.144.0.0/20"}})
	}
	return nil
}

// change changes a thing, and gives what thing tells of it then.
func (r *run) change(a *cloud.Alteration) (*cloud.Thing, error) {
	a.Note = r.note
	t, err := r.patiently(func() (*cloud.Thing, error) { return r.d.Change(r.ctx, a) })
	if err != nil {
		return nil, fmt.Errorf("change was refused with %s", said(err))
	}
	if t.ID != a.ID {
		return nil, bad("change of %s was answered with %s", a.ID, t.ID)
	}
	if _, err := r.await(t); err != nil {
		return nil, err
	}
	if t, err = r.d.Thing(r.ctx, a.ID); err != nil {
		return nil, fmt.Errorf("thing was answered with %s", said(err))
	}
	return t, nil
}

func (r *run) changeGroup() error {
	if err := r.needs(r.group); err != nil {
		return err
	}
	in := []stock.Rule{{Flows: "tcp/443"}, {Flows: "tcp/22", Range: "198.51.100.0/28"}}
	if _, err := r.change(&cloud.Alteration{ID: r.group.ID, Props: map[string]any{"in": in, "out": []stock.Rule{{Flows: "any"}}}}); err != nil {
		return err
	}
	t, err := r.change(&cloud.Alteration{ID: r.group.ID, Props: map[string]any{"out": []stock.Rule{{Flows: "udp/53"}}}, Labels: map[string]any{"purpose": "changed"}})
	if err != nil {
		return err
	}
	if t.Labels["purpose"] != "changed" || t.Labels[markLabel] != r.mark {
		return bad("the labels are %s: purpose should be changed, and %s stay", short(t.Labels), markLabel)
	}
	return r.sameProps(t, map[string]any{"in": in, "out": []stock.Rule{{Flows: "udp/53"}}, "network": r.network.ID})
}

func (r *run) takeAway() error {
	if err := r.needs(r.subnet, r.table); err != nil {
		return err
	}
	t, err := r.change(&cloud.Alteration{ID: r.subnet.ID, Props: map[string]any{"table": nil}, Labels: map[string]any{"purpose": nil}})
	if err != nil {
		return err
	}
	if _, has := t.Labels["purpose"]; has {
		return bad("label purpose is still there")
	}
	return r.sameProps(t, map[string]any{"table": "", "ranges": []string{"10.144.0.0/24"}})
}

func (r *run) keepFixed() error {
	if err := r.needs(r.subnet); err != nil {
		return err
	}
	_, err := r.d.Change(r.ctx, &cloud.Alteration{ID: r.subnet.ID, Props: map[string]any{"ranges": []string{"10.144.1.0/24"}}, Note: r.note})
	if err := r.refused(err, cloud.Invalid); err != nil {
		return err
	}
	t, err := r.d.Thing(r.ctx, r.subnet.ID)
	if err != nil {
		return fmt.Errorf("thing was answered with %s", said(err))
	}
	return r.sameProps(t, map[string]any{"ranges": []string{"10.144.0.0/24"}})
}

func (r *run) refuseInvalid() error {
	if err := r.needs(r.network); err != nil {
		return err
	}
	for _, o := range []*cloud.Order{
		{Kind: "lighthouse", Props: map[string]any{}},
		{Kind: stock.Group, Props: map[string]any{"network": r.network.ID, "colour": "red"}},
		{Kind: stock.Group, Props: map[string]any{}},
		{Kind: stock.Subnet, Props: map[string]any{"network": r.network.ID, "ranges": []string{"10.144.3.7/24"}}},
	} {
		o.Owner, o.Name, o.Token, o.Note, o.Labels = r.owner, "try-invalid", r.token(), r.note, map[string]string{markLabel: r.mark}
		t, err := r.d.Make(r.ctx, o)
		if err == nil {
			r.made = append(r.made, t.ID)
		}
		if err := r.refused(err, cloud.Invalid); err != nil {
			return fmt.Errorf("make of %s %s: %w", o.Kind, short(o.Props), err)
		}
	}
	return nil
}

func (r *run) refuseUnknown() error {
	_, err := r.d.Thing(r.ctx, "no-such-thing")
	if err := r.refused(err, cloud.NotFound); err != nil {
		return fmt.Errorf("thing: %w", err)
	}
	t, err := r.d.Make(r.ctx, &cloud.Order{Kind: stock.Group, Owner: r.owner, Name: "try-nowhere", Props: map[string]any{"network": "no-such-thing"}, Token: r.token(), Note: r.note, Labels: map[string]string{markLabel: r.mark}})
	if err == nil {
		r.made = append(r.made, t.ID)
	}
	return r.refused(err, cloud.NotFound)
}

func (r *run) refuseOverlap() error {
	if err := r.needs(r.network, r.subnet); err != nil {
		return err
	}
	before, err := r.count(stock.Subnet)
	if err != nil {
		return err
	}
	t, err := r.d.Make(r.ctx, &cloud.Order{Kind: stock.Subnet, Owner: r.owner, Name: "try-overlap", Props: map[string]any{"network": r.network.ID, "ranges": []string{"10.144.0.128/25"}}, Token: r.token(), Note: r.note, Labels: map[string]string{markLabel: r.mark}})
	if err == nil {
		r.made = append(r.made, t.ID)
	}
	if err := r.refused(err, cloud.Conflict); err != nil {
		return err
	}
	after, err := r.count(stock.Subnet)
	if err == nil && after != before {
		err = bad("there were %d subnets before, and are %d behind it", before, after)
	}
	return err
}

func (r *run) keepNeeded() error {
	if err := r.needs(r.network, r.subnet); err != nil {
		return err
	}
	if err := r.refused(r.d.Remove(r.ctx, r.network.ID, r.note), cloud.Needed); err != nil {
		return err
	}
	_, err := r.d.Thing(r.ctx, r.network.ID)
	if err != nil {
		return bad("and now thing answers %s", said(err))
	}
	return nil
}

func (r *run) askAtOnce() error {
	if err := r.needs(r.network, r.other); err != nil {
		return err
	}
	errs := make([]error, 20)
	var all sync.WaitGroup
	for i := range errs {
		all.Go(func() {
			id := []string{r.network.ID, r.other.ID}[i%2]
			t, err := r.patiently(func() (*cloud.Thing, error) { return r.d.Thing(r.ctx, id) })
			switch {
			case err != nil:
				errs[i] = fmt.Errorf("thing %s was answered with %s", id, said(err))
			case t.ID != id:
				errs[i] = bad("thing %s was answered with the thing %s", id, t.ID)
			}
		})
	}
	all.Wait()
	return errors.Join(errs...)
}

func (r *run) removeOne() error {
	if err := r.needs(r.group); err != nil {
		return err
	}
	if err := r.remove(r.group.ID); err != nil {
		return fmt.Errorf("remove was refused with %s", said(err))
	}
	if _, err := r.d.Thing(r.ctx, r.group.ID); cloud.ReasonOf(err) != cloud.NotFound {
		return bad("thing answers %s for what was removed, and not not-found", said(err))
	}
	all, err := cloud.All(r.ctx, r.d)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(all, func(t cloud.Thing) bool { return t.ID == r.group.ID }) {
		return bad("it is still in things")
	}
	return r.refused(r.d.Remove(r.ctx, r.group.ID, r.note), cloud.NotFound)
}

// remove removes, and asks again what is refused as limited.
func (r *run) remove(id string) error {
	_, err := r.patiently(func() (*cloud.Thing, error) { return nil, r.d.Remove(r.ctx, id, r.note) })
	return err
}

func (r *run) readLog() error {
	if !r.hello.Log {
		return skip("hello says that there is no log")
	}
	if err := r.needs(r.group, r.subnet); err != nil {
		return err
	}
	last := 0
	did := map[string][]string{}
	for {
		page, err := r.d.Log(r.ctx, last)
		if err != nil {
			return fmt.Errorf("log was answered with %s", said(err))
		}
		for _, e := range page.Entries {
			if e.N <= last {
				return bad("entry %d comes behind entry %d", e.N, last)
			}
			if last = e.N; e.Note != r.note {
				continue
			}
			did[e.ID] = append(did[e.ID], e.What)
			switch {
			case e.By == "":
				return bad("entry %d does not say by whom", e.N)
			case e.What == "make" && (e.Before != nil || e.After == nil), e.What == "remove" && (e.Before == nil || e.After != nil), e.What == "change" && (e.Before == nil || e.After == nil):
				return bad("entry %d (%s) has not what was before and behind", e.N, e.What)
			}
		}
		if !page.More || len(page.Entries) == 0 {
			break
		}
	}
	if got := strings.Join(did[r.group.ID], " "); !strings.HasPrefix(got, "make change change") || !strings.HasSuffix(got, "remove") {
		return bad("of the group it has %q, and make, two changes and remove were done", got)
	}
	return nil
}

// clean removes all that the run made, the last first, in as many rounds as it takes.
func (r *run) clean() error {
	left := slices.Clone(r.made)
	slices.Reverse(left)
	var last error
	for range len(left) + 1 {
		var still []string
		for _, id := range left {
			if err := r.remove(id); err != nil && cloud.ReasonOf(err) != cloud.NotFound {
				still = append(still, id)
				last = err
			}
		}
		if left = still; len(left) == 0 {
			return nil
		}
	}
	return bad("%s cannot be removed: %s", strings.Join(left, ", "), said(last))
}
