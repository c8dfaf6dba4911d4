package grid

import (
	"slices"

	"wendrik/internal/core/estate"
)

// Units are what the rows and columns of a table are: workloads, or the subnets, tiers or networks that they are in.
type Units struct {
	Kind  string // "workloads", "subnets", "tiers" or "networks"
	Names []string
	Sizes []int // how many workloads each has
	of    []int // of each workload of the estate; -1 for those that are in none
}

// UnitsFor sorts the workloads of rows and columns into units of a kind; those without an address are in none. The kind
// "fit" is the finest of workloads, tiers and networks of which there are no more than most.
func UnitsFor(e *estate.Estate, from, to []*estate.Workload, kind string, most int) *Units {
	wanted := make([]bool, len(e.Workloads))
	for _, x := range slices.Concat(from, to) {
		wanted[x.Index] = x.Settled()
	}
	if kind != "fit" {
		return unitsBy(e, wanted, kind)
	}
	for _, finer := range []string{"workloads", "tiers"} {
		if u := unitsBy(e, wanted, finer); len(u.Names) <= most {
			return u
		}
	}
	return unitsBy(e, wanted, "networks")
}

func unitsBy(e *estate.Estate, wanted []bool, kind string) *Units {
	u := &Units{Kind: kind, of: make([]int, len(e.Workloads))}
	known := map[string]int{}
	for i, x := range e.Workloads {
		if !wanted[i] {
			u.of[i] = -1
			continue
		}
		s, name := x.Subnet, x.Name
		switch {
		case kind == "networks":
			name = s.Network.Name
		case kind == "tiers" && s.Tier != nil:
			name = s.Network.Name + "/" + s.Tier.Name
		case kind != "workloads":
			name = s.ID()
		}
		n, found := known[name]
		if !found {
			n = len(u.Names)
			known[name] = n
			u.Names, u.Sizes = append(u.Names, name), append(u.Sizes, 0)
		}
		u.of[i] = n
		u.Sizes[n]++
	}
	return u
}

// Of is the number of the unit that a workload is in; negative when it is in none.
func (u *Units) Of(x *estate.Workload) int { return u.of[x.Index] }

// present are the units that some workloads are in, in order.
func (u *Units) present(some []*estate.Workload) []int {
	in := make([]bool, len(u.Names))
	for _, x := range some {
		if i := u.Of(x); i >= 0 {
			in[i] = true
		}
	}
	var all []int
	for i, yes := range in {
		if yes {
			all = append(all, i)
		}
	}
	return all
}

// Table is a sum for each two of its units; Rows and Columns are those that were asked for.
type Table struct {
	*Units
	Rows, Columns []int
	sums          []Sum
}

// NewTable works out a table whose rows are the units of some workloads, and whose columns those of others. It calls
// step as Matrix does.
func NewTable(e *estate.Estate, u *Units, from, to []*estate.Workload, step func(done, total int)) *Table {
	return &Table{u, u.present(from), u.present(to), Matrix(e, len(u.Names), u.Of, step)}
}

// At is the sum of one unit towards another.
func (t *Table) At(row, column int) Sum { return t.sums[row*len(t.Names)+column] }
