package join

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/reach"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// made is the text once a join is made, or taken out.
func made(t *testing.T, e *estate.Estate, r *Result) string {
	t.Helper()
	if len(r.Steps) == 0 {
		return e.Plan.Files.First().Text
	}
	changed, err := e.Plan.Files.Apply(e.Own(r.Changes().Edits()))
	require.NoError(t, err)
	return changed[0].After
}

// TestRandomJoins takes joins out of random estates and puts them back: taking the join out again leaves every byte as it was, and
// both halves together are the whole.
func TestRandomJoins(t *testing.T) {
	joined, undone := 0, 0
	on, _ := flow.Parse("tcp/8443")
	for seed := range fuzz.Rounds(3, 10) {
		e := estatetest.Load(t, randomplan.Write(rand.New(rand.NewPCG(seed, 33))))
		pairs := [][2]string{{"n0", "n1"}, {"n1", "n0"}, {"quay", "n0"}, {"n0", "hub"}, {"n1", "hub"}}
		for _, pair := range [][2]string{pairs[seed%5], pairs[(seed+2)%5]} {
			q := Request{A: pair[0], B: pair[1], Table: "t"}
			apart, err := Undo(e, q)
			if err != nil {
				assert.Contains(t, err.Error(), "not", "seed %d", seed)
				continue
			}
			bare := made(t, e, apart)
			without := estatetest.Load(t, bare)
			q.On = on
			r, err := Of(without, q)
			if err != nil {
				continue // a hub without the table
			}
			if len(r.Forbids) > 0 {
				continue
			}
			joined++
			after := estatetest.Load(t, made(t, without, r))
			j, err := newJoiner(without, q)
			require.NoError(t, err)
			if len(j.candidates()) == 0 { // else rules stood there that a join could have written: nothing tells them apart
				back, err := Undo(after, q)
				require.NoError(t, err, "seed %d: %v", seed, pair)
				require.Equal(t, bare, made(t, after, back), "seed %d: %v", seed, pair)
			}
			q.On = flow.Set{}
			whole, err := Of(without, q)
			require.NoError(t, err)
			if len(whole.Steps) > 0 {
				undone++
				after := estatetest.Load(t, made(t, without, whole))
				back, err := Undo(after, q)
				require.NoError(t, err, "seed %d: %v", seed, pair)
				require.Equal(t, bare, made(t, after, back), "seed %d: %v", seed, pair)
			}
			for _, half := range pair {
				q.Half = half
				h, err := Of(without, q)
				require.NoError(t, err)
				require.Len(t, whole.Steps, len(h.Steps)+len(h.Told), "seed %d: %v, by %s", seed, pair, half)
			}
		}
	}
	assert.Greater(t, joined, int(fuzz.Rounds(2, 5)))
	assert.Greater(t, undone, int(fuzz.Rounds(2, 5)))
}

const small = `wendrik: 1
networks:
  booking: {range: 10.1.0.0/16, owner: tickets, tiers: {web: {}, app: {}}, subnets: {web: {tier: web, range: 10.1.0.0/24}, app: {tier: app, range: 10.1.1.0/24}}, tables: {w: {subnets: [web], routes: []}, a: {subnets: [app], routes: []}}}
  finance: {range: 10.2.0.0/16, owner: books, subnets: {data: {range: 10.2.0.0/24}}, groups: {db: {in: [], out: []}}}
  drill: {range: 10.1.4.0/22}
  shared: {range: 10.3.0.0/16}
workloads:
  fares: {in: booking/app, address: 10.1.1.10}
  fare-db: {in: finance/data, address: 10.2.0.10, groups: [db]}
peerings:
  shared-drill: {between: [shared, drill], accepted: [shared, drill]}
sites: {quay: {ranges: 10.9.0.0/16}, far: {ranges: 10.8.0.0/16, link: booking}}
hubs: {spine: {attach: {shared: all}, tables: {all: {learns: [shared]}, apart: {}}}}
`

// TestJoin tries what a join takes, what forbids it, and words that name nothing.
func TestJoin(t *testing.T) {
	e := estatetest.Load(t, small)
	on, _ := flow.Parse("tcp/5432")
	for _, c := range []struct {
		q       Request
		steps   []string
		forbids string
		mistake string
	}{
		{Request{A: "booking", B: "finance", Only: []string{"booking/app", "finance"}, On: on}, []string{
			"peering booking-finance joins", "network finance accepts", "table booking/a leads finance over booking-finance", "table finance/main leads booking/app over booking-finance",
			"add  tcp/5432 from 10.1.1.0/24  to networks.finance.groups.db.in"}, "", ""},
		{Request{A: "shared", B: "booking"}, nil, "network booking (10.1.0.0/16) and network drill (10.1.4.0/22) overlap: network shared is joined to both", ""},
		{Request{A: "booking", B: "quay"}, []string{"site quay is linked", "site quay knows the way back to booking", "table booking/w leads quay", "table booking/a leads quay"}, "", ""},
		{Request{A: "finance", B: "far"}, nil, "site far is linked to network booking already", ""},
		{Request{A: "finance", B: "spine", Table: "all"}, []string{"network finance is attached to hub spine", "table all of hub spine learns network finance", "table finance/main leads shared over spine", "table shared/main leads finance over spine"}, "", ""},
		{Request{A: "finance", B: "spine", Table: "apart"}, []string{"network finance is attached", "table all of hub spine learns network finance", "table apart of hub spine learns network shared", "table finance/main", "table shared/main"}, "", ""},
		{Request{A: "finance", B: "spine"}, nil, "", "hub spine has 2 tables, and nothing says which of them finance looks into"},
		{Request{A: "finance", B: "finanse"}, nil, "", `there is no network, hub or site "finanse"`},
		{Request{A: "quay", B: "far"}, nil, "", "are not joined by this"},
		{Request{A: "booking", B: "booking"}, nil, "", "is joined to itself"},
		{Request{A: "booking", B: "finance", Only: []string{"shared"}}, nil, "", "shared is no part of either side"},
		{Request{A: "booking", B: "finance", Only: []string{"fares"}}, nil, "", `"fares" names no part`},
		{Request{A: "booking", B: "finance", Half: "quay"}, nil, "", `"quay" is neither of the two sides`},
	} {
		r, err := Of(e, c.q)
		if c.mistake != "" {
			assert.ErrorContains(t, err, c.mistake)
			continue
		}
		require.NoError(t, err)
		if c.forbids != "" {
			if assert.Len(t, r.Forbids, 1, c.q) {
				assert.Contains(t, r.Forbids[0].Message, c.forbids)
			}
			continue
		}
		assert.Empty(t, r.Forbids)
		var got []string
		for _, s := range r.Steps {
			got = append(got, s.Why)
		}
		if assert.Len(t, got, len(c.steps), strings.Join(got, "\n")) {
			for i := range got {
				assert.Contains(t, got[i], c.steps[i])
			}
		}
		after := estatetest.Load(t, made(t, e, r))
		if !c.q.On.Empty() {
			assert.Empty(t, r.Unmet)
			s := grid.AskMany(after, endsOf(after, "booking/app"), endsOf(after, "finance"), on, false, nil)
			assert.Equal(t, reach.Open, s.Verdict)
			assert.Equal(t, []grid.Difference{{From: []string{"fares"}, To: []string{"fare-db"}, Flows: on}}, r.Opens)
		}
		back, err := Undo(after, c.q)
		require.NoError(t, err)
		assert.Equal(t, small, made(t, after, back), fmt.Sprint(c.q))
	}
	_, err := Undo(e, Request{A: "booking", B: "finance"})
	assert.ErrorContains(t, err, "are not joined")
	r, err := Of(e, Request{A: "booking", B: "finance", Half: "booking"})
	require.NoError(t, err)
	assert.Equal(t, []string{"booking"}, r.Networks())
	assert.Equal(t, []string{"tickets"}, r.Owners())
	assert.Contains(t, made(t, e, r), "booking-finance: {between: [booking, finance], accepted: [booking]}")
	assert.Len(t, r.Told, 2)
}
