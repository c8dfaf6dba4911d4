package grid

import (
	"encoding/binary"

	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file reads the rows of two grids side by side.

// classesOf are the numbers of the classes of some places, until it is asked again.
func (r *rowReader) classesOf(places []*place) []int {
	r.some = r.some[:0]
	for _, p := range places {
		for i := range p.classes {
			r.some = append(r.some, p.start+i)
		}
	}
	return r.some
}

// rowReader compares rows of two grids, one after another, and remembers what outcomes come to beside one another.
type rowReader struct {
	*comparison
	workers [2]*worker
	rows    [2][]Cell
	same    map[[2]OutcomeID]bool   // whether two outcomes of the two grids are the same
	gains   map[[2]OutcomeID][2]int // what opens and what closes from one outcome to another, as numbers of sets
	sets    []flow.Set
	numbers map[string]int      // of the sets, by their keys; that of none is 0
	lists   map[string][]string // the names of the members of some classes, by the numbers of these
	some    []int
	towards [2][][]int32 // of the row that is read, by number of a set, the classes towards which it opens or closes
}

func newRowReader(grids [2]*Grid) *rowReader {
	r := &rowReader{}
	for i, g := range grids {
		r.rows[i] = make([]Cell, len(g.Classes))
	}
	return r
}

// begin has a reader read rows of a comparison with the workers that have a number.
func (r *rowReader) begin(c *comparison, nth int) {
	*r = rowReader{comparison: c, rows: r.rows, same: map[[2]OutcomeID]bool{}, gains: map[[2]OutcomeID][2]int{}, numbers: map[string]int{}, lists: map[string][]string{}}
	r.number(flow.Set{})
	for i, g := range c.grids {
		if i > 0 || c.before == nil {
			r.workers[i] = g.staff()[nth]
		}
	}
}

// number is that of a set of flows.
func (r *rowReader) number(s flow.Set) int {
	n, known := r.numbers[s.Key()]
	if !known {
		n = len(r.sets)
		r.numbers[s.Key()] = n
		r.sets = append(r.sets, s)
		for way := range r.towards {
			r.towards[way] = append(r.towards[way], nil)
		}
	}
	return n
}

// gain is what opens and what closes from one outcome to another.
func (r *rowReader) gain(key [2]OutcomeID) [2]int {
	more, known := r.gains[key]
	if !known {
		was, is := r.grids[0].Outcome(key[0]), r.grids[1].Outcome(key[1])
		more = [2]int{r.number(gain(was, is)), r.number(gain(is, was))}
		r.gains[key] = more
	}
	return more
}

// row compares the row of a class in both grids, towards some classes.
func (r *rowReader) row(x *sameClass, towards []int, into *notes) {
	first := r.rows[0]
	for k, at := range x.at {
		if k == 0 && r.before != nil {
			first = r.before[at]
		} else if at >= 0 {
			r.workers[k].rows(at, [][]Cell{r.rows[k]})
		}
	}
	type wholly struct{ way, set, at int } // what differs towards the whole of some classes, and where it is noted
	var plain []wholly
	mixed := false
	lists := [2]*[]Difference{&into.opens, &into.closes}
	for _, j := range towards {
		y := &r.classes[j]
		cells := [2]Cell{{NoPair, NoPair}, {NoPair, NoPair}}
		for i := range r.grids {
			if x.at[i] >= 0 && y.at[i] >= 0 {
				cells[i] = [2][]Cell{first, r.rows[1]}[i][y.at[i]]
			}
		}
		if !x.moved && !y.moved && r.alike(cells[0].Across, cells[1].Across) && r.alike(cells[0].Within, cells[1].Within) {
			continue
		}
		if len(r.but) == 0 && cells[0].Within == NoPair && cells[1].Within == NoPair && r.apart(x, y) {
			for way, set := range r.gain([2]OutcomeID{cells[0].Across, cells[1].Across}) {
				if set == 0 {
					continue
				}
				if len(r.towards[way][set]) == 0 {
					plain = append(plain, wholly{way, set, len(*lists[way])})
					*lists[way] = append(*lists[way], Difference{From: x.names(), Flows: r.sets[set]})
				}
				r.towards[way][set] = append(r.towards[way][set], int32(j))
			}
			continue
		}
		mixed = true
		var across, within [2]reach.Outcome
		for i, g := range r.grids {
			across[i], within[i] = g.Outcome(cells[i].Across), g.Outcome(cells[i].Within)
		}
		switch {
		case sameOutcome(within) && within[0].Some.Empty() && r.apart(x, y):
			into.add(x.names(), y.names(), across[0], across[1], r.but)
		default:
			r.byNeighbours(x, y, across, within, into)
		}
	}
	for _, p := range plain {
		(*lists[p.way])[p.at].To = r.names(r.towards[p.way][p.set])
		r.towards[p.way][p.set] = r.towards[p.way][p.set][:0]
	}
	if mixed {
		into.opens, into.closes = gather(into.opens, fromOf, toOf), gather(into.closes, fromOf, toOf)
	}
}

// names are those of the members of some classes: one list for the same classes.
func (r *rowReader) names(classes []int32) []string {
	if len(classes) == 1 {
		return r.classes[classes[0]].names()
	}
	key := make([]byte, 0, 4*len(classes))
	size := 0
	for _, j := range classes {
		key = binary.LittleEndian.AppendUint32(key, uint32(j))
		size += len(r.classes[j].names())
	}
	list, known := r.lists[string(key)]
	if !known {
		list = make([]string, 0, size)
		for _, j := range classes {
			list = append(list, r.classes[j].names()...)
		}
		r.lists[string(key)] = list
	}
	return list
}

// alike reports whether an outcome of the one grid and one of the other are the same.
func (r *rowReader) alike(a, b OutcomeID) bool {
	is, found := r.same[[2]OutcomeID{a, b}]
	if !found {
		is = sameOutcome([2]reach.Outcome{r.grids[0].Outcome(a), r.grids[1].Outcome(b)})
		r.same[[2]OutcomeID{a, b}] = is
	}
	return is
}

func sameOutcome(o [2]reach.Outcome) bool {
	return o[0].Full.Equal(o[1].Full) && o[0].Some.Equal(o[1].Some)
}
