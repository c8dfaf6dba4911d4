package grid

import "wendrik/internal/core/estate"

// This file works out rows of the grid.

// rows works out the rows of some classes of one place, which start at a number.
func (r *worker) rows(start int, rows [][]Cell) {
	for i, row := range rows {
		x := r.g.Classes[start+i]
		if r.spreads = r.g.asksMany(x.place); r.spreads {
			r.leave(x)
		}
		r.strangers(x, row)
		for _, to := range r.g.askedFrom(x.place) {
			if to.network == x.place.network {
				r.neighbours(x, to, row)
			}
		}
	}
}

// askedFrom are the places of which somebody asks whether what goes there from a place passes.
func (g *Grid) askedFrom(from *place) []*place {
	switch {
	case g.differ != nil:
		return g.differ[from.number]
	case from.asked:
		return g.places
	}
	return g.wanted
}

// asksMany reports whether so much is asked from a place that what filters let through is best written out for every address.
func (g *Grid) asksMany(from *place) bool {
	return from.asked && (g.differ == nil || 4*len(g.differ[from.number]) > len(g.places))
}

// leaves is what the filters of a class itself let through to an address, by the place of that in order.
func (r *worker) leaves(x *Class, f int, at int32) flowID {
	if r.spreads {
		return r.rowsOf[f][at]
	}
	out := r.toward(x.groups[1], f, at)
	if list := x.place.lists[1]; list >= 0 {
		out = r.meet(out, r.toward(list, f, at))
	}
	return out
}

// returns is what the list of a class lets back in from an address.
func (r *worker) returns(x *Class, f int, at int32) flowID {
	if r.spreads {
		return r.rowsBack[f][at]
	}
	return r.toward(x.place.lists[0], f, at)
}

// leave spreads out what the filters of a class itself let through, to and from everybody.
func (r *worker) leave(x *Class) {
	lists := x.place.lists
	for f := range 2 {
		if x.ranks[f] < 0 {
			continue
		}
		out, back := r.rowsOf[f], r.rowsBack[f]
		r.spread(x.groups[1], f, out)
		if lists[1] < 0 {
			continue
		}
		r.spread(lists[1], f, back)
		for i, lets := range back {
			out[i] = r.meet(out[i], lets)
		}
		r.spread(lists[0], f, back)
	}
}

// neighbours works out the cells towards the classes of a place in the same network.
func (r *worker) neighbours(x *Class, to *place, row []Cell) {
	from := x.place
	a, b := from.first, to.first
	if a.Subnet == b.Subnet {
		if to.other != nil {
			b = to.other
		} else if from.other != nil {
			a = from.other
		}
	}
	var courses []course
	if a.Subnet != b.Subnet {
		courses = r.courses(a, b)
	}
	for j, y := range to.classes {
		across, within := pairs(x, y)
		cell := Cell{NoPair, NoPair}
		if across > 0 {
			cell.Across = r.number(r.handed(to.start+j, r.all(courses, x, y)))
		}
		if within > 0 {
			cell.Within = r.number(r.handed(to.start+j, r.within(x, y)))
		}
		row[to.start+j] = cell
	}
}

// courses walks between two workloads in each family that both have.
func (r *worker) courses(a, b *estate.Workload) []course {
	var out []course
	for f := range 2 {
		if from, to, both := addresses(a, b, f); both {
			out = append(out, r.coursesIn(f, a, b, from, to)...)
		}
	}
	return out
}

// all is the outcome of flows that may take any of some courses.
func (r *worker) all(courses []course, x, y *Class) outcome {
	if len(courses) == 0 {
		return outcome{}
	}
	total := outcome{allFlows, noFlows}
	for i := range courses {
		total = r.either(total, r.across(&courses[i], x, y))
	}
	return total
}

// strangers works out the cells of a class towards those in all other networks. Where the tables lead there and back
// with nothing to remember on the way, only the filters at both ends have a say.
func (r *worker) strangers(x *Class, row []Cell) {
	g, from := r.g, x.place
	replies := r.replyFlows(from.first)
	none := Cell{r.number(outcome{}), NoPair}
	var roads, coming [2][]road
	for f := range 2 {
		if from.spots[f] >= 0 {
			roads[f] = g.roads[f][from.router*len(g.targets[f]):]
			if g.coming[f] != nil {
				coming[f] = g.coming[f][int(from.spots[f])*len(g.sources[f]):]
			}
		}
	}
	for _, to := range g.askedFrom(from) {
		if to.network == from.network {
			continue
		}
		var lead [2]road
		var wind [2][]course
		families := 0
		for f := range 2 {
			if from.spots[f] < 0 || to.spots[f] < 0 {
				continue
			}
			families++
			there, back := roads[f][to.spots[f]], nowhere
			if coming[f] != nil {
				back = coming[f][to.router]
			} else {
				back = g.roads[f][to.router*len(g.targets[f])+int(from.spots[f])]
			}
			switch {
			case there == nowhere || there == plain && back == nowhere:
			case there == plain && back == plain:
				lead[f] = plain
			default:
				a, b, _ := addresses(from.first, to.first, f)
				lead[f], wind[f] = winded, r.coursesIn(f, from.first, to.first, a, b)
			}
		}
		cells := row[to.start : to.start+len(to.classes)]
		switch {
		case lead == [2]road{}:
			for j := range cells {
				cells[j] = none
			}
		case families == 1 && lead[0] == plain:
			r.filtered(x, to, replies, cells)
		default:
			for j := range cells {
				cells[j] = Cell{r.number(r.handed(to.start+j, r.led(x, to, to.start+j, lead, &wind, replies))), NoPair}
			}
		}
	}
}

// filtering is what filters let through there and back, and the number of what that comes to.
type filtering struct {
	there, in, back, replies flowID
	outcome                  OutcomeID
}

// filtered works out the cells towards a place of IPv4 alone, which is as plainly says of each class. Most of them meet what others have met,
// and is remembered.
func (r *worker) filtered(x *Class, to *place, replies flowID, cells []Cell) {
	of := x.ranks[0]
	list, back := allFlows, replies
	if to.lists[0] >= 0 {
		list = r.toward(to.lists[0], 0, of)
		back = r.meet(back, r.toward(to.lists[1], 0, of))
	}
	judged := x.place.lists[0] >= 0
	for j := range cells {
		y := &r.g.brief[to.start+j]
		at := y.ranks[0]
		there := r.leaves(x, 0, at)
		m := filtering{there: r.meet(there, list), in: r.toward(y.in, 0, of), back: back, replies: replies + 1} // of which 0 is nothing that was met
		if judged {
			m.back = r.meet(back, r.returns(x, 0, at))
		}
		known := &r.lately[uint(m.there*31+m.in*131+m.back*17)%uint(len(r.lately))]
		if m.outcome = known.outcome; *known != m {
			m.outcome = r.number(r.plainly(0, x, to, y, replies))
			*known = m
		}
		if len(r.g.handed) > 0 {
			m.outcome = r.number(r.handed(to.start+j, r.outcome(m.outcome)))
		}
		cells[j] = Cell{m.outcome, NoPair}
	}
}

// led is the outcome of flows that may go in any family that both ends have.
func (r *worker) led(x *Class, to *place, class int, lead [2]road, wind *[2][]course, replies flowID) outcome {
	total := outcome{allFlows, noFlows}
	for f := range 2 {
		var one outcome
		switch {
		case x.place.spots[f] < 0 || to.spots[f] < 0:
			continue
		case lead[f] == plain:
			one = r.plainly(f, x, to, &r.g.brief[class], replies)
		case lead[f] == winded:
			one = r.all(wind[f], x, r.g.Classes[class])
		}
		total = r.either(total, one)
	}
	return total
}

// plainly is the outcome of flows that only the filters of both ends judge.
func (r *worker) plainly(f int, x *Class, to *place, y *brief, replies flowID) outcome {
	at, of := y.ranks[f], x.ranks[f]
	there := r.leaves(x, f, at)
	if there == noFlows {
		return outcome{}
	}
	if there = r.meet(there, r.toward(y.in, f, of)); there == noFlows {
		return outcome{}
	}
	back := replies
	if to.lists[0] >= 0 {
		there = r.meet(there, r.toward(to.lists[0], f, of))
		back = r.meet(back, r.toward(to.lists[1], f, of))
	}
	if x.place.lists[0] >= 0 {
		back = r.meet(back, r.returns(x, f, at))
	}
	return r.come(there, back, replies)
}
