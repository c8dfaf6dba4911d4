package cli

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
)

// This file shows what a list and a plan come to.

// besides finds what of a list, of one file or several, overlaps with a plan.
func (c *call) besides(plan, lists, columns, with, format, only string) (int, error) {
	o, err := c.load(plan, verdict.Needed)
	if err != nil {
		return cannot, err
	}
	var joined []estate.Object
	for word := range strings.SplitSeq(with, ",") {
		if word = strings.TrimSpace(word); word == "" {
			continue
		}
		i := slices.IndexFunc(o.Estate.Named(word), func(x estate.Object) bool { return x.Kind() == estate.NetworkKind || x.Kind() == estate.SiteKind })
		if i < 0 {
			return cannot, &usageError{fmt.Sprintf("there is no network or site called %q", word), "-with names those that the list's are to be joined with"}
		}
		joined = append(joined, o.Estate.Named(word)[i])
	}
	var all []overlap.Listed
	unread := 0
	for name := range strings.SplitSeq(lists, ",") {
		list, label, err := c.readList(strings.TrimSpace(name), columns)
		if err != nil {
			return cannot, err
		}
		c.listProblems(list, label)
		unread += list.Unread()
		for _, x := range list.Entries {
			all = append(all, overlap.Listed{Entry: x, Where: fmt.Sprintf("%s:%d", label, x.Line)})
		}
	}
	found := overlap.Against(o.Estate, all, joined)
	before := len(found.Clashes)
	if only != "all" {
		found.Clashes = slices.DeleteFunc(found.Clashes, func(x overlap.Clash) bool { return string(x.Verdict) != only })
	}
	switch format {
	case "json":
		err = c.json(besideJSON(found, len(all), unread, o))
	case "text":
		c.beside(found, before, only, len(all), unread, o)
	default:
		err = c.write(besideSheet(found, o), format)
	}
	if found.Unjudged > 0 {
		c.tell("%d more pairs of ranges share addresses than could be looked at: take those out of the list that stand in it many times", found.Unjudged)
	}
	if found.Unjudged > 0 || slices.ContainsFunc(found.Clashes, func(x overlap.Clash) bool { return x.Verdict != overlap.Harmless }) || found.Left > 0 || unread > 0 {
		return no, err
	}
	return good, err
}

// listName is how a range of a list is called: by its name, or by itself.
func listName(l *overlap.Listed) string { return nameOr(&l.Entry) }

// moverFrom is the range that something moves from, as it is written.
func moverFrom(m *overlap.Mover) string {
	if m.Listed != nil {
		return m.Listed.String()
	}
	return m.Was[0].String()
}

// toWord is where something goes; empty where there is no room.
func toWord(p netip.Prefix) string {
	if !p.IsValid() {
		return ""
	}
	return p.String()
}

// beside shows the list and the plan to a person: those overlaps that are only of a verdict, of as many as there were before.
func (c *call) beside(found *overlap.Beside, before int, only string, n, unread int, o *opened) {
	read := phrase.Count(n, "range")
	if unread > 0 {
		read += " that could be read"
	}
	if before == 0 && found.Unjudged == 0 {
		c.say("%s", nothingBeside.say(read))
		return
	}
	entries := map[*overlap.Listed]bool{}
	for _, x := range found.Clashes {
		entries[x.Listed] = true
	}
	if only == "all" {
		c.say("%s\n", strong.Sprintf("%d of %s overlap with what the plan has", len(entries), read))
	} else {
		c.say("%s\n", strong.Sprintf("-only %s shows %d of the %s of %s with what the plan has", only, len(found.Clashes), phrase.Count(before, "overlap"), read))
	}
	t := &sheet{header: []string{"matters", "of the list", "range", "where", "overlaps", "range", "why"}, wrap: 6, paint: func(column int, cell string) pretty.Colors {
		if column != 0 {
			return nil
		}
		return map[string]pretty.Colors{"conflict": bad, "latent": doubt, "harmless": dim}[cell]
	}}
	for _, x := range found.Clashes[:min(len(found.Clashes), maxShown)] {
		t.add(string(x.Verdict), short(listName(x.Listed)), x.Listed.String(), x.Listed.Where, x.With.String(), x.With.Range.String(), x.Why)
	}
	if len(found.Clashes) > 0 {
		_ = c.write(t, "text")
	}
	if left := len(found.Clashes) + found.Left - maxShown; left > 0 {
		c.say("\n%d more are left out; -format csv lists them", left)
	}
	if len(found.Moves) > 0 {
		c.say("\n%s", strong.Sprint("who moves, the largest first"))
		t = &sheet{header: []string{"", "who", "from", "to", "in", "how"}, right: map[int]bool{0: true}, wrap: 5}
		for i, m := range found.Moves[:min(len(found.Moves), maxShown)] {
			t.add(fmt.Sprint(i+1), moverName(&m), moverFrom(&m), m.To.String(), m.Where, moverHow(&m, c.samePlan()))
		}
		_ = c.write(t, "text")
		if left := len(found.Moves) - maxShown; left > 0 {
			c.say("\n%d more are left out; -format json lists them", left)
		}
	}
	for _, m := range found.NoRoom[:min(len(found.NoRoom), maxShown)] {
		c.say("\n%s  %s (%s) must move, and nothing of its size is free in %s: give the plan another block, or leave it apart", bad.Sprint("no room"), clean(moverName(&m)), moverFrom(&m), clean(m.Where))
	}
	for _, x := range found.Fixed[:min(len(found.Fixed), maxShown)] {
		c.say("\n%s  %s (%s) and %s (%s) are both fixed, so that they cannot be joined as they are", bad.Sprint("fixed"), clean(listName(x.Listed)), x.Listed, clean(x.With.String()), x.With.Range)
	}
}

func moverName(m *overlap.Mover) string {
	if m.Listed != nil {
		return listName(m.Listed)
	}
	return m.What.String()
}

// moverHow says how something moves: what of the plan moves by a command.
func moverHow(m *overlap.Mover, plan string) string {
	if m.Listed != nil {
		return "by its owners, " + m.Listed.Where
	}
	move := overlap.Move{What: m.What, To: m.To}
	return fmt.Sprintf("wendrik renumber %s -to %s%s", move.Name(), m.To, plan)
}

// besideSheet has a row for each overlap, with who moves beside it; sizes are numbers of addresses.
func besideSheet(found *overlap.Beside, o *opened) *sheet {
	t := &sheet{header: []string{"verdict", "name", "owner", "place", "range", "addresses", "fixed", "where", "plan_kind", "plan_name", "plan_range", "plan_addresses", "plan_fixed", "plan_where", "shared", "shared_addresses", "why", "moves", "to"}, wrap: -1}
	moves := movers(found)
	for _, x := range found.Clashes {
		l := x.Listed.Labels()
		who, to := moves(&x)
		t.add(string(x.Verdict), l.Name, l.Owner, l.Place, x.Listed.String(), addressesIn(x.Listed.Interval), fmt.Sprint(l.Fixed), x.Listed.Where,
			x.With.Kind, x.With.Name, x.With.Range.String(), addressesIn(address.IntervalOf(x.With.Range)), fmt.Sprint(x.With.Fixed()), o.Plan.Files.Where(x.With.At), x.Shared.String(), addressesIn(x.Shared), x.Why, who, to)
	}
	return t
}

// movers tells which side of an overlap moves, and where to: list, plan, neither where both are fixed, or nobody where it is in nobody's way.
func movers(found *overlap.Beside) func(x *overlap.Clash) (who, to string) {
	type place struct {
		kind, name string
		r          netip.Prefix
	}
	type pair struct {
		listed *overlap.Listed
		at     text.Pos
	}
	all := slices.Concat(found.Moves, found.NoRoom)
	listed, planned, fixed := map[*overlap.Listed]int{}, map[place]int{}, map[pair]bool{}
	for i, m := range slices.Backward(all) { // so that the first is kept
		if m.Listed != nil {
			listed[m.Listed] = i
		} else {
			planned[place{m.What.Kind, m.What.Name, m.What.Range}] = i
		}
	}
	for _, f := range found.Fixed {
		fixed[pair{f.Listed, f.With.At}] = true
	}
	return func(x *overlap.Clash) (who, to string) {
		i, ofList := listed[x.Listed]
		k, ofPlan := planned[place{x.With.Kind, x.With.Name, x.With.Range}]
		switch {
		case ofList && (!ofPlan || i < k):
			return "list", toWord(all[i].To)
		case ofPlan:
			return "plan", toWord(all[k].To)
		case fixed[pair{x.Listed, x.With.At}]:
			return "neither", ""
		}
		return "", ""
	}
}

func addressesIn(i address.Interval) string { return address.Between(i.First, i.Last).Count().String() }

// The JSON of a list beside a plan; docs/json.md describes it.
type besideOut struct {
	Ranges   int        `json:"ranges"`
	Unread   int        `json:"unread"`
	Overlaps []clashOut `json:"overlaps"`
	Left     int        `json:"left"`
	Moves    []moverOut `json:"moves"`
	NoRoom   []moverOut `json:"no_room"`
}

type clashOut struct {
	Verdict string    `json:"verdict"`
	Why     string    `json:"why"`
	Shared  string    `json:"shared"`
	Listed  clashSide `json:"listed"`
	Plan    clashSide `json:"plan"`
	Moves   string    `json:"moves"`
}

type clashSide struct {
	Kind  string `json:"kind,omitempty"`
	Name  string `json:"name"`
	Owner string `json:"owner,omitempty"`
	Place string `json:"place,omitempty"`
	Range string `json:"range"`
	Fixed bool   `json:"fixed"`
	Where string `json:"where"`
}

type moverOut struct {
	Listed bool     `json:"listed"`
	Name   string   `json:"name"`
	From   string   `json:"from"`
	To     string   `json:"to"`
	In     string   `json:"in"`
	For    []string `json:"for"`
}

func besideJSON(found *overlap.Beside, n, unread int, o *opened) besideOut {
	out := besideOut{n, unread, []clashOut{}, found.Left, []moverOut{}, []moverOut{}}
	listed := func(l *overlap.Listed) clashSide {
		x := l.Labels()
		return clashSide{Name: x.Name, Owner: x.Owner, Place: x.Place, Range: l.String(), Fixed: x.Fixed, Where: l.Where}
	}
	moves := movers(found)
	for _, x := range found.Clashes {
		who, _ := moves(&x)
		out.Overlaps = append(out.Overlaps, clashOut{string(x.Verdict), x.Why, x.Shared.String(), listed(x.Listed),
			clashSide{Kind: x.With.Kind, Name: x.With.Name, Range: x.With.Range.String(), Fixed: x.With.Fixed(), Where: o.Plan.Files.Where(x.With.At)}, who})
	}
	movings := func(all []overlap.Mover) []moverOut {
		some := []moverOut{}
		for _, m := range all {
			one := moverOut{m.Listed != nil, moverName(&m), moverFrom(&m), toWord(m.To), m.Where, m.For}
			some = append(some, one)
		}
		return some
	}
	out.Moves, out.NoRoom = movings(found.Moves), movings(found.NoRoom)
	return out
}
