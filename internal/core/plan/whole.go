package plan

import (
	"fmt"
	"strings"

	"wendrik/internal/core/text"
)

// This file writes a network out: all that it says and that its patterns give it, in the form of a plan.

// entry of a mapping that is written, when it has something behind it.
func word(key string, t Text) []text.Field {
	if !t.Given() {
		return nil
	}
	return []text.Field{{Key: key, Value: text.Word(t.Value)}}
}

func wordsOf(key string, all []Text) []text.Field {
	if len(all) == 0 {
		return nil
	}
	var words []string
	for _, t := range all {
		words = append(words, t.Value)
	}
	return []text.Field{{Key: key, Value: text.WordOrWords(words...)}}
}

func number(key, before string, n Number, after string) []text.Field {
	if !n.Given() {
		return nil
	}
	return []text.Field{{Key: key, Value: text.Word(fmt.Sprint(before, n.Value, after))}}
}

func someRanges(key string, all []Range) []text.Field {
	var words []string
	for _, r := range all {
		words = append(words, r.String())
	}
	if len(words) == 0 {
		return nil
	}
	return []text.Field{{Key: key, Value: text.WordOrWords(words...)}}
}

func someAddrs(key string, all []Addr, assigned Text) []text.Field {
	if assigned.Given() {
		return word(key, assigned)
	}
	var words []string
	for _, a := range all {
		words = append(words, a.String())
	}
	if len(words) == 0 {
		return nil
	}
	return []text.Field{{Key: key, Value: text.WordOrWords(words...)}}
}

func truth(key string, f Flag) []text.Field {
	if !f.Given() {
		return nil
	}
	return []text.Field{{Key: key, Value: text.Word(fmt.Sprint(f.Value))}}
}

func someRules(key string, all []Rule) text.Field {
	words := make([]string, len(all))
	for i, r := range all {
		words[i] = r.Text
	}
	return text.Field{Key: key, Value: text.Words(words...)}
}

func (t *Tags) fields() []text.Field {
	out := word("owner", t.Owner)
	var labels []text.Field
	for _, l := range t.Labels {
		labels = append(labels, text.Field{Key: l.Key.Value, Value: text.Word(l.Value.Value)})
	}
	if len(labels) > 0 {
		out = append(out, text.Field{Key: "labels", Value: text.Map(labels...)})
	}
	return out
}

func join(parts ...[]text.Field) []text.Field {
	var all []text.Field
	for _, p := range parts {
		all = append(all, p...)
	}
	return all
}

// Whole is the network as a plan would spell it out, under the key networks; but for its profile, whose knobs are its cloud's.
func (n *Network) Whole() string {
	var b strings.Builder
	fmt.Fprintf(&b, "networks:\n  %s:\n", n.Name.Value)
	for _, f := range join(n.Tags.fields(), wordsOf("region", n.Regions), word("from", n.From), number("size", "/", n.Size, ""), number("size6", "/", n.Size6, ""), number("slot", "", n.Slot, ""),
		word("layout", n.Layout), word("naming", n.Naming), word("nat", n.NAT), word("dhcp", n.DHCP), someRanges("range", n.Ranges)) {
		fmt.Fprintf(&b, "    %s: %s\n", f.Key, f.Value)
	}
	part := func(key string, entries []text.Field) {
		if len(entries) == 0 {
			return
		}
		fmt.Fprintf(&b, "    %s:\n", key)
		for _, f := range entries {
			fmt.Fprintf(&b, "      %s: %s\n", f.Key, f.Value)
		}
	}
	part("tiers", each(n.Tiers, func(t *Tier) (Text, []text.Field) {
		return t.Name, join(word("access", t.Access), number("hosts", "", t.Hosts, ""), number("growth", "", t.Growth, "%"), number("size", "/", t.Size, ""), number("slot", "", t.Slot, ""),
			wordsOf("zones", t.Zones), number("spare", "", t.Spare, ""), word("public", t.Public))
	}))
	part("held", each(n.Held, func(h *Held) (Text, []text.Field) {
		return h.Name, join(word("for", h.For), h.Tags.fields(), number("size", "/", h.Size, ""), someRanges("range", h.Ranges))
	}))
	part("subnets", each(n.Subnets, func(s *Subnet) (Text, []text.Field) {
		return s.Name, join(word("tier", s.Tier), word("zone", s.Zone), word("region", s.Region), number("size", "/", s.Size, ""), number("slot", "", s.Slot, ""), someRanges("range", s.Ranges), word("public", s.Public))
	}))
	part("gateways", each(n.Gateways, func(g *Gateway) (Text, []text.Field) {
		return g.Name, join(word("kind", g.Kind), truth("attached", g.Attached), word("in", g.In), someAddrs("address", g.Addrs, Text{}), wordsOf("serves", g.Serves), someAddrs("public", g.Public, g.Assigned),
			word("arrives", g.Arrives), g.Tags.fields())
	}))
	if len(n.Tables) > 0 {
		b.WriteString("    tables:\n")
	}
	for _, t := range n.Tables {
		fmt.Fprintf(&b, "      %s:\n", t.Name.Value)
		for _, f := range join(truth("main", t.Main), wordsOf("subnets", t.Subnets)) {
			fmt.Fprintf(&b, "        %s: %s\n", f.Key, f.Value)
		}
		if len(t.Routes) == 0 {
			b.WriteString("        routes: []\n")
			continue
		}
		b.WriteString("        routes:\n")
		for _, r := range t.Routes {
			to := r.Name.Value
			if r.To.IsValid() {
				to = r.To.String()
			}
			fmt.Fprintf(&b, "          - %s\n", text.Map(join([]text.Field{{Key: "to", Value: text.Word(to)}}, word("via", r.Via), word("only", r.Only))...))
		}
	}
	part("groups", each(n.Groups, func(g *Group) (Text, []text.Field) {
		return g.Name, []text.Field{someRules("in", g.In), someRules("out", g.Out)}
	}))
	part("lists", each(n.Lists, func(l *List) (Text, []text.Field) {
		return l.Name, join(wordsOf("subnets", l.Subnets), []text.Field{someRules("in", l.In), someRules("out", l.Out)})
	}))
	if len(n.Expect) > 0 {
		b.WriteString("    expect:\n")
		for _, x := range n.Expect {
			fmt.Fprintf(&b, "      - %s\n", text.Word(x.Text))
		}
	}
	return b.String()
}

func each[T any](all []*T, of func(*T) (Text, []text.Field)) []text.Field {
	var out []text.Field
	for _, x := range all {
		name, fields := of(x)
		out = append(out, text.Field{Key: name.Value, Value: text.Map(fields...)})
	}
	return out
}
