package editor

import (
	"context"
	"fmt"
	"net/netip"
	"strings"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/core/reach"
	"wendrik/internal/core/space"
)

// This file says what is known of what stands at a cursor.

func (s *server) hover(ctx context.Context, p positionParams) (*hover, error) {
	d, k, c, ok := s.cursor(p)
	if !ok || c.comment {
		return nil, nil
	}
	x := s.some(ctx, k)
	if x == nil {
		return nil, nil
	}
	word, start, end := c.word()
	said := s.about(x, k, d, c, word)
	if said == "" {
		return nil, nil
	}
	if c.key {
		start, end = c.start, c.end
	}
	return &hover{markdown(said), &extent{d.lines.positionOf(spot{c.line, start}, s.encoding), d.lines.positionOf(spot{c.line, end}, s.encoding)}}, nil
}

func (s *server) about(x *state, k *kept, d document, c *cursor, word string) string {
	at, known := plan.At(c.path)
	if known && !c.key && at.Key.Name == "expect" {
		return s.line(x, k, d, c)
	}
	if prefix, err := address.ParseRange(word); err == nil && !c.key {
		return x.rangeSaid(prefix)
	}
	if a, err := netip.ParseAddr(word); err == nil && !c.key {
		return x.addressSaid(a)
	}
	if objects := x.named(c); len(objects) > 0 {
		var all []string
		for _, o := range objects {
			all = append(all, x.said(o))
		}
		return strings.Join(all, "\n\n---\n\n")
	}
	if c.key && known {
		for _, key := range at.Keys {
			if key.Name == c.scalar {
				return keySaid(append(at.Format, key.Name), key)
			}
		}
	}
	if known && !c.key && at.Key.Name != "" {
		return keySaid(at.Format, at.Key)
	}
	return ""
}

// keySaid tells a key of the format.
func keySaid(format []string, key plan.Key) string {
	out := fmt.Sprintf("**%s**  %s\n\nIt takes %s.", escape(strings.Join(format, ".")), escape(key.Doc), escape(key.Takes))
	if example := plan.Example(format); example != "" {
		out += "\n\n```yaml\n" + example + "\n```"
	}
	return out
}

// said tells a thing of the plan: its kind and name, what the plan says of it, and what follows.
func (x *state) said(o estate.Object) string {
	var b strings.Builder
	fmt.Fprintf(&b, "**%s %s**\n", o.Kind(), escape(o.ID()))
	line := func(key, format string, args ...any) {
		fmt.Fprintf(&b, "\n- %s: %s", key, escape(fmt.Sprintf(format, args...)))
	}
	for _, f := range o.Facts() {
		line(f.Key, "%s", clip(f.String(), 200))
	}
	switch o := o.(type) {
	case *estate.Network:
		line("free", "%s", freeSaid(space.FreeOf(o)))
		line("in it", "%s, %s", phrase.Count(len(o.Subnets), "subnet"), phrase.Count(len(o.Workloads()), "workload"))
	case *estate.Subnet:
		line("routes", "%s", routesSaid(o.Table))
		line("addresses", "%d used of %d", space.Used(o), space.Room(o))
	case *estate.Table:
		line("routes", "%s", routesSaid(o))
	case *estate.Group:
		line("members", "%s", phrase.Few(names(o.Members), 8))
		for _, r := range o.In {
			line("in", "%s", r.Text)
		}
		for _, r := range o.Out {
			line("out", "%s", r.Text)
		}
	case *estate.Set:
		line("members", "%s", phrase.Few(names(o.Members), 8))
	case *estate.Block:
		line("free", "%s", freeSaid(x.survey().FreeIn(o)))
	}
	return b.String()
}

// freeSaid are the first ranges of what is free.
func freeSaid(free address.Set) string {
	if free.Empty() {
		return "nothing"
	}
	var words []string
	for _, p := range free.Ranges() {
		words = append(words, p.String())
	}
	return phrase.Few(words, 4)
}

func names(all []*estate.Workload) []string {
	var out []string
	for _, w := range all {
		out = append(out, w.Name)
	}
	return out
}

func routesSaid(t *estate.Table) string {
	var all []string
	for _, r := range t.Routes {
		if r.Origin != estate.Local {
			all = append(all, r.Leads()+" via "+r.ViaName())
		}
	}
	if len(all) == 0 {
		return "to the network itself alone"
	}
	return phrase.Few(all, 6)
}

// rangeSaid tells a range: its ends, its size, and whose it is.
func (x *state) rangeSaid(p netip.Prefix) string {
	p = p.Masked()
	last := address.Last(p)
	out := fmt.Sprintf("**%s**  %s to %s, %s addresses", p, p.Addr(), last, address.Count(p))
	var whose []string
	for _, t := range x.survey().Who(p) {
		if t.By != nil {
			whose = append(whose, fmt.Sprintf("%s %s (%s)", t.By.Kind(), t.By.ID(), t.Range))
		}
	}
	if len(whose) == 0 {
		return out + "\n\nNobody in the plan has any of it."
	}
	return out + "\n\nIn it, or around it: " + escape(phrase.Few(whose, 6))
}

// addressSaid tells an address: who has it in each network that holds it, or whose public one it is.
func (x *state) addressSaid(a netip.Addr) string {
	var all []string
	for _, n := range x.estate.Networks {
		switch host := n.Host(a); {
		case !host.Nobody():
			all = append(all, fmt.Sprintf("of %s %s, in network %s", host.Object().Kind(), host.Name(), n.Name))
		case n.SubnetOf(a) != nil:
			all = append(all, "of nobody, in subnet "+n.SubnetOf(a).ID())
		case n.Holds(a):
			all = append(all, "of nobody, in network "+n.Name)
		}
	}
	for _, site := range x.estate.Sites {
		if address.SetOf(site.Ranges...).Contains(a) {
			all = append(all, "in site "+site.Name)
		}
	}
	if host := x.estate.Owner(a); !host.Nobody() {
		all = append(all, fmt.Sprintf("a public address of %s %s", host.Object().Kind(), host.Name()))
	}
	if len(all) == 0 {
		all = []string{"of nobody in the plan"}
	}
	return fmt.Sprintf("**%s**  %s", a, escape(phrase.Few(all, 6)))
}

// line tells a line of expect: whether it holds, and by which way or why not.
func (s *server) line(x *state, k *kept, d document, c *cursor) string {
	r := x.expected(k, d, c)
	if r == nil {
		return ""
	}
	out := "**" + escape(r.Line()) + "**\n\n" + standing(r)
	if r.Holds && !r.Never && r.LeavesAs == "" {
		if way := x.way(r); way != "" {
			out += "\n\n" + way
		}
	}
	for _, f := range r.Fixes {
		out += "\n\n- " + escape(f.String())
	}
	return out
}

// standing is whether a line of expect holds, in a sentence.
func standing(r *expect.Result) string {
	switch {
	case r.Waits:
		return "It cannot be tried yet: somebody has no address."
	case r.Doubted:
		return "It was not tried: something that it may rest on cannot be read."
	case r.Holds:
		return "It holds, of " + phrase.Count(r.Pairs, "pair") + "."
	}
	return "It does not hold: " + escape(r.Why) + "."
}

// expected is what became of the line of expect that a cursor is in; nil where it is in none, it is not known, or the line says something else now.
func (x *state) expected(k *kept, d document, c *cursor) *expect.Result {
	if x.verdict == nil {
		return nil
	}
	for i := range x.verdict.Expected {
		r := &x.verdict.Expected[i]
		path, at := x.posOf(r.At)
		if path != d.path || at.byte != c.start && at.byte != c.start-1 { // behind a quote
			continue
		}
		if now, _ := k.lineNow(x, path, at.line); now == c.line && x.texts[path].at(at.line) == d.lines.at(c.line) {
			return r
		}
	}
	return nil
}

// way is by what the first pair of a line goes, there and back.
func (x *state) way(r *expect.Result) string {
	from, to, err := expect.Ends(x.estate, r.Expectation)
	if err != nil {
		return ""
	}
	one := func(e reach.Ends) (reach.End, bool) {
		if e.One != nil {
			return *e.One, true
		}
		if len(e.Many) == 0 {
			return reach.End{}, false
		}
		return reach.EndOf(e.Many[0]), true
	}
	a, ok := one(from)
	b, also := one(to)
	if !ok || !also {
		return ""
	}
	answer := reach.Ask(x.estate, reach.Question{From: a, To: b, Flows: r.Flows})
	if len(answer.Ways) == 0 {
		return ""
	}
	way := &answer.Ways[0]
	over := func(all []estate.Object) string {
		if len(all) == 0 {
			return "with nothing between"
		}
		var words []string
		for _, o := range all {
			words = append(words, fmt.Sprintf("%s %s", o.Kind(), o.ID()))
		}
		return "over " + strings.Join(words, ", ")
	}
	said := fmt.Sprintf("From %s to %s %s", escape(a.Name), escape(b.Name), escape(over(way.Crossed[0])))
	if way.Other {
		said += "; back " + escape(over(way.Crossed[1]))
	}
	return said + "."
}

// escape writes a text of a plan so that Markdown has nothing to read in it.
func escape(s string) string {
	var b strings.Builder
	for _, r := range s {
		switch {
		case r < ' ' && r != '\n' || r == 0x7f:
			fmt.Fprintf(&b, "\\\\u%04x", r)
			continue
		case strings.ContainsRune("\\`*_{}[]<>()#!|&~", r):
			b.WriteByte('\\')
		}
		b.WriteRune(r)
	}
	return b.String()
}

// clip shortens a text to so many characters.
func clip(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}
