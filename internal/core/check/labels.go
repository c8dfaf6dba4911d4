package check

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/text"
)

var labels = Rule{"labels", Names, "A network, workload, gateway, peering, site or held part without a label that labels-required names.", func(r *run) {
	look := func(o estate.Object, tags *plan.Tags) {
		var lacks []string
		for _, t := range r.Plan.Required {
			if !tags.Has(t.Value) {
				lacks = append(lacks, t.Value)
			}
		}
		if len(lacks) == 0 || !o.At().Known() {
			return
		}
		fix := fmt.Sprintf("write  labels: {%s: ...}  there", lacks[0])
		if lacks[0] == "owner" {
			fix = "write  owner: ...  there"
		}
		r.report(diag.Warning, o.At(), o.Place(), "", "%s %s has no label %s", o.Kind(), o.ID(), phrase.And(lacks))
		r.takes("WORD", fix, func(word string) ([]text.Edit, error) {
			if lacks[0] == "owner" {
				return []text.Edit{text.Set(o.Place(), "owner", text.Word(word))}, nil
			}
			return []text.Edit{text.Set(o.Place().To("labels"), lacks[0], text.Word(word))}, nil
		})
	}
	if len(r.Plan.Required) == 0 {
		return
	}
	for _, n := range r.Networks {
		look(n, &n.Plan.Tags)
		for _, g := range n.Gateways {
			if g.Plan != nil {
				look(g, &g.Plan.Tags)
			}
		}
		for _, h := range n.Held {
			look(h, &h.Plan.Tags)
		}
	}
	for _, w := range r.Workloads {
		switch {
		case w.Set == nil:
			look(w, &w.Plan.Tags)
		case w == w.Set.Members[0]: // once for all
			look(w.Set, &w.Set.Plan.Tags)
		}
	}
	for _, p := range r.Peerings {
		look(p, &p.Plan.Tags)
	}
	for _, s := range r.Sites {
		look(s, &s.Plan.Tags)
	}
}}
