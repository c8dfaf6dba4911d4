package rename

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/text"
	"wendrik/internal/core/wrong"
	"wendrik/internal/golden"
)

// TestEverything calls each thing of some plans otherwise, and back again: who reaches whom stays, the old name is left nowhere where the plan
// spoke of the thing, and at the end every byte is as it was.
func TestEverything(t *testing.T) {
	for _, name := range []string{"skerry-line", "coast", "whole", "more"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			content := estatetest.Plan(t, name)
			e := estatetest.Load(t, content)
			renamed, said := 0, map[string]bool{}
			for _, o := range e.Objects() {
				if w, is := o.(*estate.Workload); is && w.Plan.Count.Given() {
					continue
				}
				if said[string(o.Kind())+o.ID()] {
					continue
				}
				said[string(o.Kind())+o.ID()] = true
				old := o.ID()[strings.LastIndexByte(o.ID(), '/')+1:]
				r, err := Of(e, Request{Kind: string(o.Kind()), Name: o.ID(), To: "zz-other"})
				if err != nil && strings.Contains(err.Error(), "is not written") {
					continue // a main table that nobody wrote
				}
				require.NoError(t, err, "%s %s", o.Kind(), o.ID())
				renamed++
				d := grid.Compare(e, r.After)
				if o.Kind() != estate.WorkloadKind && o.Kind() != estate.SetKind && o.Kind() != estate.SiteKind {
					require.Empty(t, d.Opens, "%s %s", o.Kind(), o.ID())
					require.Empty(t, d.Closes, "%s %s", o.Kind(), o.ID())
				}
				is := strings.TrimSuffix(o.ID(), old) + "zz-other"
				back, err := Of(r.After, Request{Kind: string(o.Kind()), Name: is, To: old})
				require.NoError(t, err, "%s %s and back", o.Kind(), o.ID())
				require.Equal(t, content, back.After.Plan.Files.First().Text, "%s %s", o.Kind(), o.ID())
				require.Equal(t, r.Places, back.Places)
			}
			assert.Greater(t, renamed, 8)
		})
	}
}

// TestNames: things of one name, each with its own references; names that are taken, or none; and lines of expect and of waive.
func TestNames(t *testing.T) {
	const plan = `wendrik: 1
networks:
  web:
    range: 10.0.0.0/16
    tiers: {web: {}}
    subnets: {web: {tier: web, range: 10.0.0.0/24}}
    groups: {web: {in: [tcp/80 from group web, tcp/81 from web/web], out: [any to any]}}
    tables: {web: {subnets: [web], routes: [{to: other, via: web}]}}
  other: {range: 10.1.0.0/16, subnets: {web: {range: 10.1.0.0/24}}, groups: {web: {in: [tcp/80 from group web, tcp/82 from web], out: []}}, tables: {m: {main: true, routes: [{to: web, via: web}]}}}
peerings: {web: {between: [web, other], accepted: [web, other]}}
workloads:
  web: {in: web/web, address: 10.0.0.9, groups: [web]}   # web
  far: {in: other/web, address: 10.1.0.9, groups: [web]}
expect: [web/web reaches far on tcp/82]
waive: [{rule: nobody-asks, at: web/web, because: web}]
`
	e := estatetest.Load(t, plan)
	for _, c := range []struct{ kind, name, to, want string }{
		{"group", "web/web", "shop", "groups: {shop: {in: [tcp/80 from group shop, tcp/81 from web/web]"},
		{"group", "other/web", "shop", "groups: {shop: {in: [tcp/80 from group shop, tcp/82 from web]"},
		{"network", "web", "shop", "from shop/web]"},
		{"network", "web", "shop", "between: [shop, other], accepted: [shop, other]"},
		{"network", "web", "shop", "in: shop/web, address: 10.0.0.9, groups: [web]}   # web"},
		{"network", "web", "shop", "at: shop/web, because: web"},
		{"peering", "web", "shop", "routes: [{to: other, via: shop}]"},
		{"subnet", "other/web", "deck", "far: {in: other/deck"},
		{"workload", "far", "near", "web/web reaches near on tcp/82"},
		{"route table", "web/web", "inner", "tables: {inner: {subnets: [web]"},
	} {
		r, err := Of(e, Request{Kind: c.kind, Name: c.name, To: c.to})
		if assert.NoError(t, err, "%s %s", c.kind, c.name) {
			assert.Contains(t, r.After.Plan.Files.First().Text, c.want, "%s %s", c.kind, c.name)
		}
	}
	// of one name a workload is meant before a network, and without it the network, silently
	const both = `wendrik: 1
networks: {web: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/80 from any], out: [any to any]}}}}
workloads:
  web: {in: web/s, address: 10.0.0.9, groups: [g], forwards: plain}
  two: {in: web/s, address: 10.0.0.10, groups: [g]}
  far: {in: web/s, address: 10.0.0.11, groups: [g]}
expect: [%s]
`
	for _, c := range []struct{ kind, line, want string }{
		{"workload", "far reaches web on tcp/80", "far reaches shop on tcp/80"},
		{"workload", "far reaches two on tcp/80 except web", "far reaches two on tcp/80 except shop"},
		{"workload", "far reaches web through web", "far reaches shop through shop"},
		{"workload", "far reaches two on tcp/80 without web", "far reaches two on tcp/80 without shop"},
		{"network", "far reaches web on tcp/80", "far reaches web on tcp/80"},
	} {
		r, err := Of(estatetest.Load(t, fmt.Sprintf(both, c.line)), Request{Kind: c.kind, Name: "web", To: "shop"})
		if assert.NoError(t, err, c.line) {
			assert.Contains(t, r.After.Plan.Files.First().Text, "expect: ["+c.want+"]", "%s %s", c.kind, c.line)
		}
	}
	r, err := Of(estatetest.Load(t, fmt.Sprintf(both, "web/s reaches web on tcp/80")), Request{Kind: "network", Name: "web", To: "shop"})
	require.NoError(t, err)
	assert.Contains(t, r.After.Plan.Files.First().Text, "expect: [shop/s reaches web on tcp/80]", "of two words in one line the one follows that is meant")
	for _, c := range []struct {
		q    Request
		want string
	}{
		{Request{"", "web", "shop"}, "web is the name of a network, a workload and a peering"},
		{Request{"network", "web", "other"}, "it cannot be called other"},
		{Request{"network", "web", "Shop Floor"}, "it cannot be called Shop Floor"},
		{Request{"group", "web/web", "web"}, "is called that"},
		{Request{"", "ferries", "x"}, "there is no thing called"},
		{Request{"hub", "web", "x"}, "there is no hub called"},
	} {
		_, err := Of(e, c.q)
		if assert.Error(t, err, c.q) {
			assert.Contains(t, err.Error(), c.want)
			assert.NotEmpty(t, wrong.Right(err), c.q)
		}
	}
	broken, _ := estate.Load(text.One("p", plan+"sites: {s: {}}\n"))
	_, err = Of(broken, Request{"group", "web/web", "shop"})
	assert.ErrorContains(t, err, "a plan with mistakes")
}

// TestAnswers renames each thing of a plan in which nearly everything has one name, and tells the lines that change, or why nothing does. What is
// renamed means what it meant: who reaches whom, what holds, and what is waived is as before.
func TestAnswers(t *testing.T) {
	raw, err := os.ReadFile(filepath.Join("testdata", "same.yaml"))
	require.NoError(t, err)
	golden.File(t, "answers.txt", func(t *testing.T, to string) string {
		e := estatetest.Load(t, string(raw))
		before := strings.Split(string(raw), "\n")
		var all strings.Builder
		for _, o := range e.Objects() {
			fmt.Fprintf(&all, "%s %s\n", o.Kind(), o.ID())
			r, err := Of(e, Request{Kind: string(o.Kind()), Name: o.ID(), To: to})
			if err != nil {
				fmt.Fprintf(&all, "  refused: %s; %s\n", err, wrong.Right(err))
				continue
			}
			after := strings.Split(r.After.Plan.Files.First().Text, "\n")
			require.Len(t, after, len(before))
			for i, line := range after {
				if line != before[i] {
					fmt.Fprintf(&all, "  %s\n", strings.TrimSpace(line))
				}
			}
			fmt.Fprintf(&all, "  %s, %d places%s\n", r.What, r.Places, strings.Join(append([]string{""}, r.Left...), "; left: "))
			require.Empty(t, r.After.Problems)
			d := grid.Compare(e, r.After)
			named := func(all []grid.Difference) bool { // of a workload or a site the ends have another name
				return o.Kind() == estate.WorkloadKind || o.Kind() == estate.SetKind || o.Kind() == estate.SiteKind || len(all) == 0
			}
			require.True(t, named(d.Opens) && named(d.Closes), "%s %s", o.Kind(), o.ID())
			was, is := expect.Run(e, nil), expect.Run(r.After, nil)
			for i := range was {
				require.Equal(t, []any{was[i].Holds, was[i].Pairs}, []any{is[i].Holds, is[i].Pairs}, "%s %s: %s", o.Kind(), o.ID(), was[i].Text)
			}
		}
		return all.String()
	})
}

// TestRefusals: what would silence something else, or call others otherwise, too, is refused, with what it is.
func TestRefusals(t *testing.T) {
	const plan = `wendrik: 1
patterns: {quay: {gateways: {front: {kind: internet}}, subnets: {s: {}}, tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}}}}
networks:
  web: {range: 10.0.0.0/16, pattern: quay, subnets: {s: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/22 from any], out: [any to any]}}}
  far: {range: 10.1.0.0/16, pattern: quay, subnets: {s: {range: 10.1.0.0/24}}}
workloads:
  web: {in: web/s, address: 10.0.0.9, public: 203.0.113.9, groups: [g]}
  two: {in: web/s, address: 10.0.0.10}
waive: [{rule: %s, at: %s, because: tides}]
`
	for _, c := range []struct{ rule, at, kind, name, to, want string }{
		{"drift", "web", "workload", "web", "shop", "line 1 of waive, at web, is about something else of that name, too"},
		{"drift", "web", "network", "web", "shop", "line 1 of waive, at web, is about something else of that name, too"},
		{"drift", "far", "gateway", "web/front", "door", "such as those that a pattern gives to several networks"},
		{"open-port", "web/shop", "group", "web/g", "shop", "a line of waive would silence something else"},
	} {
		e := estatetest.Load(t, fmt.Sprintf(plan, c.rule, c.at))
		_, err := Of(e, Request{c.kind, c.name, c.to})
		assert.ErrorContains(t, err, c.want, "%s %s", c.kind, c.name)
	}
}
