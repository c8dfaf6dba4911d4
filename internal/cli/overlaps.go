package cli

import (
	"fmt"
	"slices"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/check"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/overlap"
	"wendrik/internal/core/text"
)

func overlapsCommand() *command {
	return &command{
		name: "overlaps", args: "[< LIST]",
		short: "says which ranges overlap, and whether that matters",
		long: "Overlaps finds every pair of networks, subnets, held ranges, sites and clusters whose ranges overlap. A conflict is a pair that meets, by a peering, " +
			"a hub or a link, or in one network: one of them is broken, and a place to move to is named. A latent pair does not meet today, and could never be joined. " +
			"A harmless one is meant to be so. Ranges that a registry sets aside for something else are reported too. " +
			"Without a plan it takes a list: one range a line, or CSV with a header, from standard input or a file; then ranges that are the same, that overlap in part, " +
			"and that lie in each other are told apart. " +
			"The exit status is 1 when there is a conflict, a latent pair or any other finding.",
		examples: []example{
			{"wendrik overlaps", "all of them, the worst first"},
			{"wendrik overlaps -only conflict -format csv", "the conflicts, for a spreadsheet"},
			{"wendrik overlaps -list inventory.csv -columns range=cidr,owner=team", "a list that is no plan"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			name, format := f.planFlag(), f.oneOf("format", "how to write the result", "text", "json", "csv", "md")
			only := f.oneOf("only", "list one verdict", "all", "conflict", "latent", "harmless")
			list := f.String("list", "", "`FILE` a list of ranges in the place of a plan; - for standard input")
			columns := f.String("columns", "", "`range=NAME,...` which columns of a CSV list are the range, name, owner and place")
			limit := f.Int("limit", 100_000, "`N` the most pairs of a list to find")
			return func(c *call) (int, error) {
				if err := c.noArguments("overlaps", "-plan FILE,  or  -list FILE"); err != nil {
					return cannot, err
				}
				if *list == "" && !f.given("plan") && c.listOnInput() {
					*list = "-"
				}
				if *list != "" {
					return c.listOverlaps(*list, *columns, *format, *only, *limit)
				}
				return c.planOverlaps(*name, *format, *only)
			}
		},
	}
}

// planOverlaps finds the overlaps of a plan.
func (c *call) planOverlaps(name, format, only string) (int, error) {
	e, err := c.load(name)
	if err != nil {
		return cannot, err
	}
	src := e.Plan.Files
	pairs := overlap.Estate(e)
	findings := check.Run(e, check.Ranges)
	shown := pairs
	if only != "all" {
		shown, findings = nil, nil
		for _, p := range pairs {
			if string(p.Verdict) == only {
				shown = append(shown, p)
			}
		}
	}
	switch format {
	case "json":
		err = c.json(overlapsJSON(shown, findings, src))
	case "text":
		c.overlaps(pairs, shown, src)
		c.findings("ranges that should not be used so", findings, src)
	default:
		err = c.write(overlapsSheet(shown, src), format)
		for _, f := range findings {
			c.finding(c.err, src, f)
		}
	}
	for _, p := range shown {
		if p.Verdict != overlap.Harmless {
			return no, err
		}
	}
	if len(findings) > 0 {
		return no, err
	}
	return good, err
}

// maxShown is how many pairs the text lists.
const maxShown = 50

func (c *call) overlaps(pairs, shown []overlap.Pair, src *text.Files) {
	counts := map[overlap.Verdict]int{}
	for _, p := range pairs {
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
		c.say("%s", fine.Sprint("nothing overlaps"))
		return
	}
	c.say("%s", strong.Sprintf("%s overlap: %s", count(len(pairs), "pair"), strings.Join(words, ", ")))
	all := couples(shown)
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
		if len(p.inside) > 0 {
			words := joinNames(p.inside[:min(len(p.inside), maxInside)], func(q overlap.Pair) string { return q.A.Name + " with " + q.B.Name })
			if left := len(p.inside) - maxInside; left > 0 {
				words += fmt.Sprintf(", and %d more", left)
			}
			c.say("          in it    %s", c.wrap(19, words))
		}
	}
	if left := len(all) - maxShown; left > 0 {
		c.say("\n%d more are left out; -format csv lists all, -only conflict the worst", left)
	}
}

// maxInside is how many pairs of subnets the text lists with their networks.
const maxInside = 6

// couple is a pair, with the pairs of subnets that it accounts for.
type couple struct {
	overlap.Pair
	inside []overlap.Pair
}

// couples puts what the subnets of two networks share with the networks.
func couples(pairs []overlap.Pair) []*couple {
	owners := func(p overlap.Pair) [2]string { return [2]string{min(p.A.Owner, p.B.Owner), max(p.A.Owner, p.B.Owner)} }
	networks := map[[2]string][]*couple{}
	var all []*couple
	for _, p := range pairs {
		if p.A.Kind == "network" && p.B.Kind == "network" {
			networks[owners(p)] = append(networks[owners(p)], &couple{Pair: p})
		}
	}
	next := map[[2]string]int{}
	for _, p := range pairs {
		key := owners(p)
		switch {
		case p.A.Kind == "network" && p.B.Kind == "network":
			all = append(all, networks[key][next[key]])
			next[key]++
			continue
		case p.A.Kind == "subnet" && p.B.Kind == "subnet":
			if i := slices.IndexFunc(networks[key], func(c *couple) bool { return c.Shared.Overlaps(p.Shared) }); i >= 0 {
				networks[key][i].inside = append(networks[key][i].inside, p)
				continue
			}
		}
		all = append(all, &couple{Pair: p})
	}
	return all
}

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

func overlapsJSON(pairs []overlap.Pair, findings []diag.Finding, src *text.Files) overlapsOut {
	out := overlapsOut{[]overlapOut{}, uint64(len(pairs)), findingsJSON(findings, src)}
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
