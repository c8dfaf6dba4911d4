package compare

import (
	"fmt"
	"hash/crc32"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/rename"
	"wendrik/internal/core/text"
	"wendrik/internal/golden"
)

// TestWhomItTouches tells of each key of a plan, changed in turn, the networks of which what passes may be another: no fewer, which
// TestEveryKey sees, and no more, which would cost the asking of them.
func TestWhomItTouches(t *testing.T) {
	golden.File(t, "touched.txt", func(t *testing.T, asked string) string {
		by := map[string][]string{}
		estatetest.EveryKey(t, asked, func(before, after *estate.Estate, path text.Path, e text.Edit) {
			d := diff(before, after)
			some := touchedBy(before, after, d)
			who := "everybody"
			if !some.all {
				who = strings.Join(slices.Sorted(maps.Keys(some.networks)), ", ")
			}
			var kinds []string
			for _, c := range d.changes {
				kinds = append(kinds, fmt.Sprint(c.Kind, " ", c.Thing, " ", c.Name, ", ", c.What))
			}
			by[who] = append(by[who], fmt.Sprint(e, ": ", strings.Join(kinds, "; ")))
		})
		var b strings.Builder
		for _, who := range slices.Sorted(maps.Keys(by)) {
			all := by[who]
			slices.Sort(all)
			fmt.Fprintf(&b, "[%s] %d, %08x\n", who, len(all), crc32.ChecksumIEEE([]byte(strings.Join(all, "\n"))))
			for _, one := range all[:min(4, len(all))] {
				b.WriteString("  " + one[:min(len(one), 150)] + "\n")
			}
		}
		return b.String()
	})
}

// TestGathered: ends are called by the widest that they are all of, and the rest by their names.
func TestGathered(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
networks:
  a: {range: 10.0.0.0/16, tiers: {web: {}, app: {}}, subnets: {x: {tier: web, range: 10.0.0.0/24}, y: {tier: app, range: 10.0.1.0/24}}, groups: {g: {in: [], out: []}, one: {in: [], out: []}}}
  b: {range: 10.1.0.0/16, subnets: {z: {range: 10.1.0.0/24}}}
workloads:
  w1: {in: a/x, address: 10.0.0.9, groups: [g]}
  w2: {in: a/x, address: 10.0.0.10}
  w3: {in: a/y, address: 10.0.1.9, groups: [g]}
  w4: {in: a/y, address: 10.0.1.10, groups: [one]}
  set: {in: b/z, count: 2, addresses: [10.1.0.9, 10.1.0.10]}
  lone: {in: b/z, address: 10.1.0.11}
`)
	for asked, want := range map[string]string{
		"w1":                                "w1",
		"w1 w2":                             "tier a/web",
		"w2 w3":                             "w2 w3",
		"w1 w3":                             "group a/g",
		"w1 w2 w3 w4":                       "network a",
		"w3 w1 w2":                          "tier a/web w3",
		"set-1 set-2":                       "all of set",
		"set-2 w4":                          "set-2 w4",
		"lone set-2 set-1":                  "network b",
		"w4 internet w3":                    "tier a/app internet",
		"w1 w1 w3 w2 w2":                    "tier a/web w3",
		"w1 w2 w3 w4 set-1 set-2 lone quay": "network a network b quay",
	} {
		assert.Equal(t, strings.Fields(want), strings.Fields(strings.ReplaceAll(strings.Join(Gather(strings.Fields(asked), e), " "), "  ", " ")), asked)
	}
	assert.Equal(t, []string{"w1", "w2"}, Gather([]string{"w1", "w2"}), "no estate says what they are of")
	untiered := estatetest.Load(t, "wendrik: 1\nnetworks:\n  a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, groups: {g: {in: [], out: []}}}\nworkloads:\n"+
		"  w1: {in: a/x, address: 10.0.0.9, groups: [g]}\n  w3: {in: a/y, address: 10.0.1.9, groups: [g]}\n  w9: {in: a/y, address: 10.0.1.10}\n")
	assert.Equal(t, []string{"tier a/web", "w3"}, Gather([]string{"w3", "w1", "w2"}, untiered, e), "a tier comes before a group, whichever of two estates has it")
}

// TestWhatIsSame: each thing that can differ does, and what somebody has allowed is left out of what is not allowed, and of nothing else.
func TestWhatIsSame(t *testing.T) {
	assert.True(t, (&Result{Ranges: []RangeChange{{}}}).Same(), "ranges are told with the changes that they are of")
	for name, r := range map[string]*Result{
		"changes": {Changes: make([]Change, 1)}, "opens": {Opens: make([]Difference, 1)}, "closes": {Closes: make([]Difference, 1)}, "seen": {Seen: make([]grid.Seen, 1)},
		"expectations": {Expectations: make([]Expectation, 1)}, "new": {New: make([]diag.Finding, 1)}, "gone": {Gone: make([]diag.Finding, 1)},
		"two that could cancel each other": {Changes: make([]Change, 1), Opens: make([]Difference, 1)},
		"two others":                       {Opens: make([]Difference, 1), Closes: make([]Difference, 1)}, "two more": {Changes: make([]Change, 1), Closes: make([]Difference, 1)},
	} {
		assert.False(t, r.Same(), name)
	}
	diff := func(from string, allowed bool) Difference {
		return Difference{Difference: grid.Difference{From: []string{from}}, Allowed: allowed}
	}
	r := &Result{Opens: []Difference{diff("a", true), diff("b", false)}, Closes: []Difference{diff("c", false), diff("d", true), diff("e", false)}}
	opens, closes := r.Unallowed()
	assert.Equal(t, []Difference{diff("b", false)}, opens)
	assert.Equal(t, []Difference{diff("c", false), diff("e", false)}, closes)
	assert.Len(t, r.Opens, 2)
	assert.Equal(t, "a", r.Opens[0].From[0], "what is asked stays as it is")
	assert.Len(t, r.Closes, 3)
	assert.Equal(t, "d", r.Closes[1].From[0])
}

// TestByWhat: what opens and closes is told with the change that does it, also where that is on the way back, at the far end, or at something
// that is passed on the way.
func TestByWhat(t *testing.T) {
	const plan = `wendrik: 1
networks:
  a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, groups: {g: {in: [tcp/443 from any], out: [any to any]}}, lists: {l: {subnets: [x], in: [allow any from any], out: [allow any to any]}}, tables: {m: {main: true, routes: [{to: 10.1.0.0/16, via: p}]}}}
  b: {range: 10.1.0.0/16, subnets: {z: {range: 10.1.0.0/24}}, groups: {g: {in: [tcp/443 from any], out: [any to any]}}, tables: {m: {main: true, routes: [{to: 10.0.0.0/16, via: p}]}}}
peerings: {p: {between: [a, b], accepted: [a, b]}}
workloads: {one: {in: a/x, address: 10.0.0.9, groups: [g]}, two: {in: a/y, address: 10.0.1.9, groups: [g]}, far: {in: b/z, address: 10.1.0.9, groups: [g]}}
`
	e := estatetest.Load(t, plan)
	golden.File(t, "bywhat.txt", func(t *testing.T, asked string) string {
		from, to, _ := strings.Cut(asked, "\n")
		assert.Equal(t, 1, strings.Count(plan, from), from)
		after := estatetest.Load(t, strings.Replace(plan, from, to, 1))
		var b strings.Builder
		for i, r := range []*Result{Of(e, after, nil, today), Of(after, e, nil, today)} {
			for _, d := range append(slices.Clone(r.Closes), r.Opens...) {
				var by []string
				for _, x := range d.By {
					by = append(by, fmt.Sprint(x.Kind, " ", x.Thing, " ", x.Name))
				}
				fmt.Fprintf(&b, "%s: %v to %v on %v by %s\n", []string{"there", "back"}[i], d.From, d.To, d.Flows, strings.Join(by, " and "))
			}
		}
		return b.String()
	})
}

// TestRenamedIsRenamed: a thing that is called otherwise, with all that speaks of it, is told as that and as nothing else.
func TestRenamedIsRenamed(t *testing.T) {
	told := 0
	for _, name := range []string{"coast", "whole", "more"} {
		e := estatetest.Load(t, estatetest.Plan(t, name))
		for _, o := range e.Objects() {
			r, err := rename.Of(e, rename.Request{Kind: string(o.Kind()), Name: o.ID(), To: "zz-other"})
			if err != nil {
				continue // one of a set, or what has no name of its own
			}
			for _, c := range diff(e, r.After).changes {
				if c.Thing == "waiver" || c.Thing == "attachment" || c.Thing == "hub link" && o.Kind() == estate.HubTableKind || o.Kind() == estate.DHCPKind && strings.HasPrefix(c.What, "dhcp was") || name == "coast" && o.ID() == "pier/web" && strings.Contains(c.What, "in was") {
					continue // a place that a waiver names; a table of the network that is attached, or of a hub that is linked; a set of DHCP options; and a word that is a tier and a subnet
				}
				assert.True(t, c.Kind == Renamed || strings.HasSuffix(c.Name, "zz-other") || c.Name == o.ID(), "%s: %s %s: %s %s %s: %s", name, o.Kind(), o.ID(), c.Kind, c.Thing, c.Name, c.What)
			}
			told++
		}
	}
	assert.Greater(t, told, 60)
}
