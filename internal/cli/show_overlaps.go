package cli

import (
	"fmt"
	"maps"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// maxShown is how many pairs the text lists.
const maxShown = 50

// overlaps shows the pairs that were asked for to a person; left is how many more of them there are.
func (c *call) overlaps(found *overlap.Found, shown []overlap.Pair, left int, o *opened) {
	src := o.Plan.Files
	counts, total := maps.Clone(found.Left), len(found.Pairs)
	for _, n := range found.Left {
		total += n
	}
	for _, p := range found.Pairs {
		counts[p.Verdict]++
	}
	var words []string
	for _, v := range []overlap.Verdict{overlap.Conflict, overlap.Latent, overlap.Harmless} {
		if n := counts[v]; n > 0 {
			word := string(v)
			if v == overlap.Conflict && n > 1 {
				word += "s"
			}
			words = append(words, fmt.Sprintf("%d %s", n, word))
		}
	}
	if len(words) == 0 {
		what := nothingOverlaps
		if len(o.Problems) > 0 {
			what = nothingOverlapsHere
		}
		c.say("%s", what.say())
		return
	}
	c.say("%s", strong.Sprintf("%s overlap: %s", phrase.Count(total, "pair"), strings.Join(words, ", ")))
	all := overlap.Couples(shown)
	widest := 0
	for _, p := range all[:min(len(all), maxShown)] {
		widest = max(widest, len(p.Shared.String()))
	}
	for _, p := range all[:min(len(all), maxShown)] {
		colour := map[overlap.Verdict]pretty.Colors{overlap.Conflict: bad, overlap.Latent: doubt, overlap.Harmless: dim}[p.Verdict]
		c.say("\n%s  %-*s  %s", colour.Sprintf("%-8s", p.Verdict), widest, p.Shared, c.wrap(12+widest, clean(p.Why)))
		two := &sheet{header: []string{"", "", "", ""}, wrap: -1, paint: func(column int, _ string) pretty.Colors {
			if column == 3 {
				return place
			}
			return nil
		}}
		for _, t := range []overlap.Thing{p.A, p.B} {
			two.add("          "+t.Kind, t.Name, t.Range.String(), src.Where(t.At))
		}
		_ = c.write(two, "text")
		if p.Move != nil {
			c.say("          fix      %s", c.wrap(19, clean(p.Move.String())))
		}
		if len(p.Inside) > 0 {
			words := phrase.Names(p.Inside[:min(len(p.Inside), maxInside)], func(q overlap.Pair) string { return q.A.Name + " with " + q.B.Name })
			if left := len(p.Inside) - maxInside; left > 0 {
				words += fmt.Sprintf(", and %d more", left)
			}
			c.say("          in it    %s", c.wrap(19, words))
		}
	}
	if more := len(all) - maxShown; more > 0 {
		c.say("\n%d more are left out; -format csv lists %s, -only conflict the worst", more+left, map[bool]string{true: "more", false: "all"}[left > 0])
	}
}

// maxInside is how many pairs of subnets the text lists with their networks.
const maxInside = 6

func overlapsSheet(pairs []overlap.Pair, src *text.Files) *sheet {
	t := &sheet{header: []string{"verdict", "a", "range_a", "b", "range_b", "shared", "why", "fix", "where_a", "where_b"}, wrap: 6}
	for _, p := range pairs {
		t.add(string(p.Verdict), p.A.String(), p.A.Range.String(), p.B.String(), p.B.Range.String(), p.Shared.String(), p.Why, moveText(p.Move), src.Where(p.A.At), src.Where(p.B.At))
	}
	return t
}

// The JSON of overlaps; docs/json.md describes it.
type overlapsOut struct {
	Overlaps []overlapOut `json:"overlaps"`
	Total    uint64       `json:"total"`
	Findings []findingOut `json:"findings"`
}

type overlapOut struct {
	A       string   `json:"a"`
	B       string   `json:"b"`
	KindA   string   `json:"kind_a"`
	KindB   string   `json:"kind_b"`
	RangeA  string   `json:"range_a"`
	RangeB  string   `json:"range_b"`
	Shared  string   `json:"shared"`
	Verdict string   `json:"verdict"`
	Why     string   `json:"why"`
	Chain   []string `json:"chain"`
	Fix     string   `json:"fix"`
	WhereA  string   `json:"where_a"`
	WhereB  string   `json:"where_b"`
}

func overlapsJSON(pairs []overlap.Pair, left int, findings []diag.Finding, src *text.Files) overlapsOut {
	out := overlapsOut{[]overlapOut{}, uint64(len(pairs) + left), findingsJSON(findings, src)}
	for _, p := range pairs {
		out.Overlaps = append(out.Overlaps, overlapOut{p.A.Name, p.B.Name, p.A.Kind, p.B.Kind, p.A.Range.String(), p.B.Range.String(),
			p.Shared.String(), string(p.Verdict), p.Why, append([]string{}, p.Chain...), moveText(p.Move), src.Where(p.A.At), src.Where(p.B.At)})
	}
	return out
}

// moveText is where a thing could go; empty when that is not known.
func moveText(m *overlap.Move) string {
	if m == nil {
		return ""
	}
	return m.String()
}
