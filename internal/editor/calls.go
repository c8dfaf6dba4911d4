package editor

import (
	"context"
	"encoding/json"
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
)

// This file tells who reaches whom as a hierarchy of calls.

// callData is what an item of the hierarchy is.
type callData struct {
	Plan string `json:"plan"`
	Name string `json:"name"`
}

// mostCalls is in how many parts those are told who reach something, or are reached.
const mostCalls = 200

func (s *server) callOf(k *kept, x *state, name, detail string) (callItem, bool) {
	for _, o := range x.estate.Named(name) {
		if loc, ok := s.locate(k, x, o); ok && slices.Contains(estate.EndKinds, o.Kind()) {
			data, _ := json.Marshal(callData{k.first, o.ID()})
			if detail == "" {
				detail = string(o.Kind())
			}
			return callItem{o.ID(), symbolKinds[o.Kind()], detail, loc.URI, loc.Range, loc.Range, data}, true
		}
	}
	return callItem{}, false
}

func (s *server) prepareCalls(ctx context.Context, p positionParams) ([]callItem, error) {
	all := []callItem{}
	_, k, c, ok := s.cursor(p)
	if !ok {
		return all, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil {
		return all, nil
	}
	for _, o := range x.named(c) {
		if item, ok := s.callOf(k, x, o.ID(), ""); ok {
			return append(all, item), nil
		}
	}
	return all, nil
}

// others are those that reach what an item is, or that it reaches, each with the flows that pass; the internet is told by the item itself.
func (s *server) others(ctx context.Context, item callItem, in bool) ([]callItem, error) {
	var data callData
	if json.Unmarshal(item.Data, &data) != nil {
		return nil, nil
	}
	k := s.planNamed(data.Plan)
	if k == nil {
		return nil, nil
	}
	x := s.settled(ctx, k, false)
	if x == nil {
		return nil, nil
	}
	e := x.estate
	var all []callItem
	add := func(name string, passes flow.Set) {
		if passes.Empty() || ctx.Err() != nil {
			return
		}
		said := clip(passes.String(), 80)
		if one, ok := s.callOf(k, x, name, said); ok {
			all = append(all, one)
		} else if name == "internet" {
			all = append(all, callItem{Name: name, Kind: 2, Detail: said, URI: item.URI, Range: item.Range, SelectionRange: item.SelectionRange})
		}
	}
	var outside []reach.End
	internet, _ := reach.Find(e, plan.Internet)
	outside = append(outside, internet)
	for _, site := range e.Sites {
		if end, err := reach.Find(e, site.Name); err == nil {
			outside = append(outside, end)
		}
	}
	ends, err := reach.FindEnds(e, data.Name)
	if err != nil {
		return nil, nil
	}
	if ends.One != nil && ends.One.Workload == nil { // a site
		u := grid.UnitsFor(e, e.Workloads, e.Workloads, "fit", mostCalls)
		passes := make([]flow.Set, len(u.Names))
		for _, one := range grid.AskEach(e, *ends.One, in, e.Workloads, flow.Any(), nil) {
			if n := u.Of(one.Workload); n >= 0 && one.Answer != nil {
				passes[n] = passes[n].Union(one.Answer.Some)
			}
		}
		for n, name := range u.Names {
			add(name, passes[n])
		}
		return all, nil
	}
	own := ends.Many
	if ends.One != nil {
		own = []*estate.Workload{ends.One.Workload}
	}
	u := grid.UnitsFor(e, e.Workloads, e.Workloads, "fit", mostCalls)
	passes := make([]flow.Set, len(u.Names))
	survey := func(n int, from, to reach.Ends) {
		for _, part := range grid.AskMany(e, from, to, flow.Any(), false, nil).Parts {
			passes[n] = passes[n].Union(part.Answer.Some)
		}
	}
	for n, name := range u.Names {
		other, err := reach.FindEnds(e, name)
		switch {
		case err != nil || ctx.Err() != nil || name == data.Name:
			continue
		case in:
			survey(n, other, ends)
		default:
			survey(n, ends, other)
		}
		add(name, passes[n])
	}
	for _, end := range outside {
		var some flow.Set
		for _, one := range grid.AskEach(e, end, !in, own, flow.Any(), nil) {
			if one.Answer != nil {
				some = some.Union(one.Answer.Some)
			}
		}
		add(end.Name, some)
	}
	return all, nil
}

func (s *server) incoming(ctx context.Context, p callParams) ([]incomingCall, error) {
	out := []incomingCall{}
	all, err := s.others(ctx, p.Item, true)
	for _, one := range all {
		out = append(out, incomingCall{one, []extent{one.SelectionRange}})
	}
	return out, err
}

func (s *server) outgoing(ctx context.Context, p callParams) ([]outgoingCall, error) {
	out := []outgoingCall{}
	all, err := s.others(ctx, p.Item, false)
	for _, one := range all {
		out = append(out, outgoingCall{one, []extent{p.Item.SelectionRange}})
	}
	return out, err
}
