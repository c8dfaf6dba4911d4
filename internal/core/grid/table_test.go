package grid

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
)

// TestUnits: workloads without a place are in no unit, the finest kind that fits is taken, and rows and columns are the
// units of those that were asked for.
func TestUnits(t *testing.T) {
	e, findings := estate.Load(text.One("p", `wendrik: 1
networks:
  a: {range: 10.1.0.0/16, tiers: {web: {}}, subnets: {x: {tier: web, range: 10.1.0.0/24}, y: {tier: web, range: 10.1.1.0/24}, z: {range: 10.1.2.0/24}, w: {size: /24}}}
  b: {range: 10.2.0.0/16, subnets: {x: {range: 10.2.0.0/24}}}
workloads:
  one: {in: a/x, address: 10.1.0.4}
  two: {in: a/y, address: 10.1.1.4}
  late: {in: a/w, address: 10.1.3.4}
  three: {in: a/z, address: 10.1.2.4}
  four: {in: b/x, address: 10.2.0.4}
`))
	require.Empty(t, findings)
	all := e.Workloads
	for _, c := range []struct {
		kind  string
		most  int
		is    string
		names []string
		sizes []int
	}{
		{"workloads", 0, "workloads", []string{"one", "two", "three", "four"}, []int{1, 1, 1, 1}},
		{"subnets", 0, "subnets", []string{"a/x", "a/y", "a/z", "b/x"}, []int{1, 1, 1, 1}},
		{"tiers", 0, "tiers", []string{"a/web", "a/z", "b/x"}, []int{2, 1, 1}},
		{"networks", 0, "networks", []string{"a", "b"}, []int{3, 1}},
		{"fit", 4, "workloads", []string{"one", "two", "three", "four"}, []int{1, 1, 1, 1}},
		{"fit", 3, "tiers", []string{"a/web", "a/z", "b/x"}, []int{2, 1, 1}},
		{"fit", 1, "networks", []string{"a", "b"}, []int{3, 1}},
	} {
		u := UnitsFor(e, all, all, c.kind, c.most)
		assert.Equal(t, c.is, u.Kind)
		assert.Equal(t, c.names, u.Names, c.kind)
		assert.Equal(t, c.sizes, u.Sizes, c.kind)
		assert.Negative(t, u.Of(e.Workload("late")), c.kind)
	}
	u := UnitsFor(e, all[:2], all[3:], "networks", 0)
	table := NewTable(e, u, all[:2], all[3:], nil)
	assert.Equal(t, []int{0}, table.Rows)
	assert.Equal(t, []int{0, 1}, table.Columns)
	assert.Equal(t, 6, table.At(0, 0).Pairs, "of three workloads")
	assert.Equal(t, 3, table.At(0, 1).Pairs)
	assert.Zero(t, table.At(1, 1).Pairs)
}
