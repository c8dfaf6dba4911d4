package draw

import (
	"fmt"
	"slices"

	"wendrik/internal/core/compare"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/phrase"
)

// Change draws what a change does into the estate as it is then: which networks it touches, and between which something opens or
// closes.
func Change(after *estate.Estate, r *compare.Result, font Font) *Picture {
	b := newEstateBuilder(after, font)
	touched := map[string]int{}
	for _, c := range r.Changes {
		if len(c.Place) > 1 {
			touched[c.Place[0]+"/"+c.Place[1]]++
		}
	}
	within := map[estate.Object]string{}
	type pair struct {
		a, b string
		look Look
	}
	flows := map[pair]flow.Set{}
	var pairs []pair
	gather := func(all []compare.Difference, look Look) {
		for _, d := range all {
			for _, f := range placesOf(after, d.From) {
				for _, t := range placesOf(after, d.To) {
					p := pair{f, t, look}
					if _, known := flows[p]; !known {
						pairs = append(pairs, p)
					}
					flows[p] = flows[p].Union(d.Flows)
				}
			}
		}
	}
	gather(r.Opens, Opens)
	gather(r.Closes, Closes)
	word := map[Look]string{Opens: "opens ", Closes: "closes "}
	for _, p := range pairs {
		if n := after.Network(p.a); p.a == p.b && n != nil {
			within[n] += "; within it " + word[p.look] + flows[p].String()
		}
	}
	for _, n := range after.Networks {
		if k := touched["networks/"+n.Name]; k > 0 {
			b.note[n] = phrase.Count(k, "change")
		}
		if within[n] != "" {
			b.note[n] += within[n]
			if b.note[n][0] == ';' {
				b.note[n] = b.note[n][2:]
			}
		}
	}
	b.attached()
	b.cards()
	outside := len(b.nodes) - 1 // the internet, where it has a card
	nodeOf := func(name string) int {
		if n := after.Network(name); n != nil {
			return b.at[n]
		}
		if s := after.Site(name); s != nil {
			return b.at[s]
		}
		if b.gates() != "" {
			return outside
		}
		return -1
	}
	for o, n := range b.at {
		x, is := o.(*estate.Network)
		if is && (touched["networks/"+x.Name] > 0 || within[x] != "") {
			b.nodes[n].sheet.Boxes[0].Look = Changed
		}
	}
	for _, p := range pairs {
		from, to := nodeOf(p.a), nodeOf(p.b)
		if p.a == p.b || from < 0 || to < 0 {
			continue
		}
		label := word[p.look] + few(flows[p])
		b.links = append(b.links, link{a: from, b: to, label: label, what: fmt.Sprintf("%s%s from %s to %s", word[p.look], flows[p], p.a, p.b), look: p.look, arrow: true})
	}
	for _, j := range b.allJoins() {
		changed := false
		if p := after.Peering(j.label); p != nil {
			changed = touched["peerings/"+p.Name] > 0
		}
		if changed {
			b.links = append(b.links, link{a: b.at[j.a], b: b.at[j.b], label: "new or changed: " + j.label, what: j.what, look: j.look})
		} else {
			b.links = append(b.links, link{a: b.at[j.a], b: b.at[j.b], what: j.what, look: j.look})
		}
	}
	s := b.layout()
	b.legend(s)
	y := s.H + 10
	for i, c := range r.Changes {
		line := fmt.Sprintf("%s %s %s", c.Kind, c.Thing, c.Name)
		if c.What != "" {
			line += ": " + c.What
		}
		if i == mostListed {
			line = fmt.Sprintf("%d more changes", len(r.Changes)-i)
		}
		s.text(-1, 0, y+10, max(s.W, 480), 10, false, Ink, line)
		y += 14
		if i == mostListed {
			break
		}
	}
	return s.done(title(after, "a change"), fmt.Sprintf("%s; %d differences open something, %d close something. Networks that it touches have a thick border", phrase.Count(len(r.Changes), "change"), len(r.Opens), len(r.Closes)))
}

// few are flows in a word that is not long.
func few(f flow.Set) string {
	word := f.String()
	if len(word) > 28 {
		return word[:26] + "…"
	}
	return word
}

// placesOf are the networks and sites that ends are in, or the internet, each once.
func placesOf(e *estate.Estate, ends []string) []string {
	var all []string
	for _, name := range ends {
		if w := e.Workload(name); w != nil && w.Network() != nil {
			name = w.Network().Name
		}
		if !slices.Contains(all, name) {
			all = append(all, name)
		}
	}
	return all
}
