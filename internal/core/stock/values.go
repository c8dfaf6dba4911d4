package stock

import (
	"maps"
	"slices"
	"strings"

	"wendrik/internal/core/text"
)

// This file is how a plan writes things on one line each.

// ProfileValue is a profile as a plan writes it: the built-in one by its name alone where no knob differs.
func ProfileValue(knobs map[string]string) text.Value {
	if len(knobs) == 1 && knobs["like"] != "" {
		return text.Word(knobs["like"])
	}
	var f fields
	f.word("like", knobs["like"])
	for _, k := range slices.Sorted(maps.Keys(knobs)) {
		if k != "like" {
			f.word(k, knobs[k])
		}
	}
	return text.Map(f...)
}

// SubnetValue, and the like for the other kinds, is a thing as a plan writes it on one line.
func SubnetValue(s *Thing) text.Value {
	var f fields
	f.word("tier", s.Labels[TierLabel])
	f.word("zone", s.Props.Word("zone"))
	f.word("region", s.Props.Word("region"))
	f.words("range", s.Props.Words("ranges"))
	return text.Map(f...)
}

func GatewayValue(g *Thing) text.Value {
	var f fields
	f.word("kind", g.Props.Word("type"))
	if g.Props.Word("type") != "nat" && !g.Props.Flag("attached") {
		f.word("attached", "false")
	}
	if at := g.Props.Word("subnet"); at != "" {
		f.word("in", lastOf(NameIn(at)))
	}
	f.words("address", g.Props.Words("addresses"))
	f.words("serves", lasts(g.Props.Words("serves")))
	f.public(g)
	if at := g.Props.Word("arrives"); at != "" {
		f.word("arrives", lastOf(NameIn(at)))
	}
	f.tags(g)
	return text.Map(f...)
}

func (f *fields) public(t *Thing) {
	if t.Props.Flag("assigned") {
		f.word("public", "assigned")
	} else {
		f.words("public", t.Props.Words("public"))
	}
}

func RouteValue(r *Thing) text.Value {
	var f fields
	f.word("to", r.Props.Word("to"))
	via := r.Props.Word("via")
	if kind, name := SplitKey(via); kind == Gateway {
		via = lastOf(name)
	} else if via != Blackhole {
		via = name
	}
	f.word("via", via)
	if only := r.Props.Word("only"); only != "" {
		f.word("only", lastOf(NameIn(only)))
	}
	return text.Map(f...)
}

func WorkloadValue(t *Thing) text.Value {
	var f fields
	at := NameIn(t.Props.Word("subnet"))
	network, _, _ := strings.Cut(at, "/")
	f.word("in", at)
	f.words("address", t.Props.Words("addresses"))
	f.public(t)
	var groups []string
	for _, g := range t.Props.Words("groups") {
		name := NameIn(g)
		if in, short, _ := strings.Cut(name, "/"); in == network {
			name = short
		}
		groups = append(groups, name)
	}
	if len(groups) > 0 {
		f.list("groups", groups)
	}
	if s := t.Props.Word("listens"); s != "" {
		f.list("listens", strings.Split(s, ","))
	}
	f.word("forwards", t.Props.Word("forwards"))
	if targets := names(t.Props.Words("targets")); len(targets) > 0 || t.Props.Flag("balances") {
		f.list("targets", targets)
	}
	if s := t.Props.Word("target-ports"); s != "" {
		f.list("target-ports", strings.Split(s, ","))
	}
	f.tags(t)
	return text.Map(f...)
}

func peeringValue(t *Thing) text.Value {
	var f fields
	f.list("between", names(t.Props.Words("networks")))
	for _, p := range []string{"accepted", "exports", "imports"} {
		if all := names(t.Props.Words(p)); len(all) > 0 {
			f.list(p, all)
		}
	}
	f.pairs("arrives", shortPairs(t.Props.Pairs("arrives")))
	f.tags(t)
	return text.Map(f...)
}

func shortPairs(all map[string]string) map[string]string {
	out := map[string]string{}
	for k, v := range all {
		out[NameIn(k)] = lastOf(NameIn(v))
	}
	return out
}

func hubLinkValue(t *Thing) text.Value {
	var f fields
	f.list("between", names(t.Props.Words("hubs")))
	if all := names(t.Props.Words("accepted")); len(all) > 0 {
		f.list("accepted", all)
	}
	f.pairs("tables", shortPairs(t.Props.Pairs("tables")))
	return text.Map(f...)
}

func siteValue(t *Thing) text.Value {
	var f fields
	f.list("ranges", t.Props.Words("ranges"))
	f.words("knows", t.Props.Words("knows"))
	if at := t.Props.Word("link"); at != "" {
		f.word("link", NameIn(at))
	}
	if at := t.Props.Word("arrives"); at != "" {
		f.word("arrives", lastOf(NameIn(at)))
	}
	f.tags(t)
	return text.Map(f...)
}

func attachmentValue(t *Thing) text.Value {
	table := text.Word(lastOf(NameIn(t.Props.Word("table"))))
	at := t.Props.Word("arrives")
	if at == "" {
		return table
	}
	return text.Map(text.Field{Key: "table", Value: table}, text.Field{Key: "arrives", Value: text.Word(lastOf(NameIn(at)))})
}
