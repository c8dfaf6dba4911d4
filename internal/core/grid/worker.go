package grid

import (
	"slices"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// worker works out cells. Each worker has one of its own, with what it remembers.
type worker struct {
	g        *Grid
	tracer   *reach.Tracer
	small    []flowID // the meets of sets with low numbers; -1 for one that is not known yet
	met      map[[2]flowID]flowID
	joined   map[[2]flowID]flowID
	answers  map[[2]flowID]outcome
	numbers  map[outcome]OutcomeID
	notTCP   flowID
	known    []outcome             // the outcomes with the first numbers
	same     [lowNumbers]OutcomeID // one more than the number of the outcome whose two sets are the same; 0 when unknown
	replies  map[[2]uint16]flowID
	lets     [2][]run                       // of each filter, in each family, the run that was asked about last
	rowsOf   [2][]flowID                    // of the class whose row it is, what its own filters let through to each address there
	rowsBack [2][]flowID                    // and what its list lets back in from each
	watch    *estate.Watch                  // of what roads rest on; nil where nobody wants to know
	hubs     [2]map[*estate.HubTable][]road // in each family, where the table of a hub leads, by spots
	rests    [2]map[any][]int               // in each family, the numbers of the roads that rest on a thing
	lately   [1 << 12]filtering             // by what they met
	spreads  bool                           // whether these two are those of that class: else each address is asked for by itself
}

// run is some addresses in order towards which a filter lets the same through.
type run struct {
	start, end int32
	flows      flowID
}

// lowNumbers is how many sets of flows have their meets in a table.
const lowNumbers = 256

func newWorker(g *Grid) *worker {
	r := &worker{g: g, met: map[[2]flowID]flowID{}, joined: map[[2]flowID]flowID{}, answers: map[[2]flowID]outcome{}, numbers: map[outcome]OutcomeID{},
		replies: map[[2]uint16]flowID{}, tracer: reach.NewTracer(g.e), small: make([]flowID, lowNumbers*lowNumbers), hubs: [2]map[*estate.HubTable][]road{{}, {}}}
	r.notTCP = g.filters.flows.number(flow.Any().Minus(flow.TCP()))
	for i := range r.small {
		r.small[i] = -1
	}
	if g.rests[0] != nil {
		var watched *estate.Estate
		watched, r.watch = g.e.Watched()
		r.tracer, r.rests = reach.NewTracer(watched), [2]map[any][]int{{}, {}}
	}
	for f := range r.lets {
		r.lets[f] = make([]run, len(g.filters.tables))
		r.rowsOf[f], r.rowsBack[f] = make([]flowID, len(g.addrs[f])), make([]flowID, len(g.addrs[f]))
	}
	return r
}

// take has a worker of a grid work at one of the same classes and filters, with what it knows of these.
func (r *worker) take(g *Grid) {
	r.g, r.tracer = g, reach.NewTracer(g.e)
	clear(r.numbers)
	r.known = nil
	clear(r.same[:])
	clear(r.lately[:])
	r.hubs = [2]map[*estate.HubTable][]road{{}, {}}
}

// toward is what a filter lets through towards an address of a class, by the place of that in order.
func (r *worker) toward(id filterID, f int, rank int32) flowID {
	last := &r.lets[f][id]
	if rank < last.start || rank >= last.end {
		t := &r.g.ranked[f][id]
		i := 0
		if len(t.starts) > 1 {
			var found bool
			if i, found = slices.BinarySearch(t.starts, rank); !found {
				i--
			}
		}
		*last = run{t.starts[i], int32(len(r.g.addrs[f])), t.flows[i]}
		if i+1 < len(t.starts) {
			last.end = t.starts[i+1]
		}
	}
	return last.flows
}

// spread writes what a filter lets through towards each address.
func (r *worker) spread(id filterID, f int, into []flowID) {
	t := &r.g.ranked[f][id]
	for i, start := range t.starts {
		end := len(into)
		if i+1 < len(t.starts) {
			end = int(t.starts[i+1])
		}
		for j := range into[start:end] {
			into[int(start)+j] = t.flows[i]
		}
	}
}

// meet is the flows in both of two sets.
func (r *worker) meet(a, b flowID) flowID {
	switch {
	case a == b || b == allFlows:
		return a
	case a == allFlows:
		return b
	case a == noFlows || b == noFlows:
		return noFlows
	}
	if a > b {
		a, b = b, a
	}
	if b < lowNumbers {
		known := &r.small[a*lowNumbers+b]
		if *known < 0 {
			*known = r.g.filters.flows.both(a, b)
		}
		return *known
	}
	id, found := r.met[[2]flowID{a, b}]
	if !found {
		id = r.g.filters.flows.both(a, b)
		r.met[[2]flowID{a, b}] = id
	}
	return id
}

// join is the flows in either of two sets.
func (r *worker) join(a, b flowID) flowID {
	switch {
	case a == b || b == noFlows || a == allFlows:
		return a
	case a == noFlows || b == allFlows:
		return b
	}
	if a > b {
		a, b = b, a
	}
	id, found := r.joined[[2]flowID{a, b}]
	if !found {
		id = r.g.filters.flows.either(a, b)
		r.joined[[2]flowID{a, b}] = id
	}
	return id
}

// answered is the outcome of all flows when of all replies those in got come back.
func (r *worker) answered(replies, got flowID) outcome {
	if replies == got {
		return outcome{allFlows, allFlows}
	}
	x, found := r.answers[[2]flowID{replies, got}]
	if !found {
		flows := r.g.filters.flows
		full, some := reach.Answered(flow.Any(), flows.set(replies), flows.set(got))
		x = outcome{flows.number(full), flows.number(some)}
		r.answers[[2]flowID{replies, got}] = x
	}
	return x
}

// both is the outcome of what must fare well both ways, and either that of what may take one of two.
func (r *worker) both(a, b outcome) outcome {
	return outcome{r.meet(a.full, b.full), r.meet(a.some, b.some)}
}

func (r *worker) either(a, b outcome) outcome {
	return outcome{r.meet(a.full, b.full), r.join(a.some, b.some)}
}

func (r *worker) number(x outcome) OutcomeID {
	if x.full == x.some && x.full < lowNumbers {
		if r.same[x.full] == 0 {
			r.same[x.full] = r.g.outcomes.number(x) + 1
		}
		return r.same[x.full] - 1
	}
	id, found := r.numbers[x]
	if !found {
		id = r.g.outcomes.number(x)
		r.numbers[x] = id
	}
	return id
}
