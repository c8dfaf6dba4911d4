// Package grid answers for all pairs of workloads at once: who reaches whom in an estate, what a change of it opens and
// closes, and questions about the workloads of a tier or a network. It stands on package reach, which walks for one.
package grid

import (
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
)

// Grid is who reaches whom among all workloads of an estate that have an address, for every flow at once. It keeps
// classes, and works their pairs out row by row, so that it needs little room however many workloads there are.
type Grid struct {
	Classes []*Class

	e        *estate.Estate
	filters  *filters
	places   []*place
	wanted   []*place   // those of which it is asked what goes from and to them
	differ   [][]*place // by place, those towards which it is asked what passes; nil where that follows from wanted
	routers  map[*estate.Table]int
	sources  [2][]*estate.Workload // one that each table is for, in each family; nil when there is none
	spots    [2]map[spot]int32
	targets  [2][]*estate.Workload // one in each spot
	roads    [2][]road             // from each router to each spot, by routers
	rests    [2]map[any][]int      // the roads that rest on each thing that can fail, by number; nil where nobody wants to know
	coming   [2][]road             // the same, by spots; nil where few are asked for
	brief    []brief               // of each class
	addrs    [2][]netip.Addr       // of all classes, in order
	ranked   [2][]ranked           // every filter, towards these
	outcomes outcomes
	workers  []*worker
	handed   map[int]outcome           // what becomes of the flows that the balancers of a class hand on
	in       func(network string) bool // whether what goes from or to a network is asked for; nil for all
}

// OutcomeID is the number of an outcome; equal outcomes of a grid have equal numbers. NoPair is that of no pair at all.
type OutcomeID int32

// NoPair stands where no two workloads of two classes are in the same subnet, or in different ones.
const NoPair OutcomeID = -1

// Cell is the answer for two classes: for pairs in different subnets, and for pairs in the same, which no list and no
// table can part.
type Cell struct{ Across, Within OutcomeID }

// outcomes numbers outcomes. It can be used by several at once.
type outcomes struct {
	lock  sync.RWMutex
	all   []outcome
	known map[outcome]OutcomeID
}

// outcome is a reach.Outcome by the numbers of its sets.
type outcome struct{ full, some flowID }

func (f *outcomes) number(x outcome) OutcomeID {
	f.lock.Lock()
	defer f.lock.Unlock()
	id, found := f.known[x]
	if !found {
		id = OutcomeID(len(f.all))
		f.known[x] = id
		f.all = append(f.all, x)
	}
	return id
}

// NewGrid makes the grid of an estate. Workloads of which unit gives different numbers are never in one class.
func NewGrid(e *estate.Estate, unit func(*estate.Workload) int) *Grid { return newGridIn(e, unit, nil) }

// newGridIn is a grid of which only those cells are right that have an end in some networks.
func newGridIn(e *estate.Estate, unit func(*estate.Workload) int, in func(network string) bool) *Grid {
	g := newClasses(e, unit)
	g.want(in)
	g.complete()
	return g
}

// complete makes all of a grid that has its classes, and of which it is known what is wanted.
func (g *Grid) complete() {
	for f, like := range []family{ipv4, ipv6} {
		g.rank(f, like)
	}
	for _, c := range g.Classes {
		g.brief = append(g.brief, brief{c.ranks, c.groups[0]})
	}
	g.findRoads()
	g.handOn()
}

// want notes of which networks it is asked what goes from and to them.
func (g *Grid) want(in func(network string) bool) {
	g.in, g.wanted = in, nil
	for _, p := range g.places {
		if p.asked = in == nil || in(p.network.Name); p.asked {
			g.wanted = append(g.wanted, p)
		}
	}
}

// newClasses makes a grid that has nothing but its classes. Workloads of which unit is negative are in none.
func newClasses(e *estate.Estate, unit func(*estate.Workload) int) *Grid {
	return classesWith(e, filtersOf(e), unit)
}

func classesWith(e *estate.Estate, filters *filters, unit func(*estate.Workload) int) *Grid {
	g := &Grid{e: e, filters: filters, routers: map[*estate.Table]int{}, outcomes: outcomes{known: map[outcome]OutcomeID{}}, handed: map[int]outcome{}}
	for f := range g.spots {
		g.spots[f] = map[spot]int32{}
	}
	g.classesOf(unit)
	return g
}

// rank puts the addresses of all classes in order.
func (g *Grid) rank(f int, like family) {
	for _, c := range g.Classes {
		if a, has := c.Members[0].AddrLike(like); has {
			g.addrs[f] = append(g.addrs[f], a)
		}
	}
	slices.SortFunc(g.addrs[f], netip.Addr.Compare)
	g.addrs[f] = slices.Compact(g.addrs[f])
	for _, c := range g.Classes {
		c.ranks[f] = -1
		if a, has := c.Members[0].AddrLike(like); has {
			i, _ := slices.BinarySearchFunc(g.addrs[f], a, netip.Addr.Compare)
			c.ranks[f] = int32(i)
		}
	}
	g.ranked[f] = g.filters.rank(g.addrs[f])
}

// brief is what targets of a class are asked most, close together.
type brief struct {
	ranks [2]int32
	in    filterID
}

// road is what tables alone make of packets from a table to a spot in another network.
type road uint8

const (
	nowhere road = iota // they do not arrive, whoever sends them
	plain               // they arrive, and nothing on the way must remember them
	winded              // only a walk can tell
)

// findRoads walks from every table to every spot, of those that are asked for; the others are as they are.
func (g *Grid) findRoads() {
	asked := func(x *estate.Workload) bool { return x != nil && (g.in == nil || g.in(x.Subnet.Network.Name)) }
	for f := range g.roads {
		routers, spots := len(g.sources[f]), len(g.targets[f])
		g.roads[f] = make([]road, routers*spots)
		var all, some []int // the spots that are asked for from everywhere
		for j, b := range g.targets[f] {
			if all = append(all, j); asked(b) {
				some = append(some, j)
			}
		}
		g.sideBySide(routers, func(r *worker, i int) {
			to := some
			if a := g.sources[f][i]; a == nil {
				return
			} else if asked(a) {
				to = all
			}
			for _, j := range to {
				r.findRoad(f, i*spots+j)
			}
		})
		if g.coming[f] = nil; g.in != nil {
			continue // of which few are asked for
		}
		g.coming[f] = make([]road, routers*spots)
		for i := range routers {
			for j := range spots {
				g.coming[f][j*routers+i] = g.roads[f][i*spots+j]
			}
		}
	}
	if g.rests[0] == nil {
		return
	}
	for _, r := range g.workers {
		for f := range r.rests {
			for x, roads := range r.rests[f] {
				g.rests[f][x] = append(g.rests[f][x], roads...)
			}
		}
		r.tracer, r.watch, r.rests = reach.NewTracer(g.e), nil, [2]map[any][]int{}
	}
}

// findRoad walks the road that has a number.
func (r *worker) findRoad(f, number int) {
	a, b := r.g.sources[f][number/len(r.g.targets[f])], r.g.targets[f][number%len(r.g.targets[f])]
	if a == nil || a.Subnet.Network == b.Subnet.Network {
		return
	}
	if over := r.overHub(f, a, b); over != nil {
		known := r.hubs[f][over]
		if known == nil {
			known = make([]road, len(r.g.targets[f]))
			r.hubs[f][over] = known
		}
		to := number % len(r.g.targets[f])
		if known[to] == 0 { // one more than the road, so that 0 is one that is not known
			known[to] = r.road(a, b, []family{ipv4, ipv6}[f]) + 1
		}
		r.g.roads[f][number] = known[to] - 1
		return
	}
	r.g.roads[f][number] = r.road(a, b, []family{ipv4, ipv6}[f])
	if r.watch != nil {
		for _, x := range r.watch.Take() {
			r.rests[f][x] = append(r.rests[f][x], number)
		}
	}
}

// overHub is the table of a hub into which all packets from one workload to another come by the table of its subnet alone, and by which the
// rest of their way is decided, whoever sent them; nil where that is not so, or where something may be out of order.
func (r *worker) overHub(f int, a, b *estate.Workload) *estate.HubTable {
	t := a.Subnet.Table
	if r.watch != nil || len(t.Some) > 0 || r.g.e.Failing() {
		return nil
	}
	addr, has := b.AddrLike([]family{ipv4, ipv6}[f])
	if !has || a.Subnet.Holds(addr) { // where it stays inside, whatever the table says
		return nil
	}
	route := t.Lookup(addr)
	if route == nil || len(route.Or) > 0 {
		return nil
	}
	h, is := route.Via.(*estate.Hub)
	if !is {
		return nil
	}
	if x := a.Subnet.Network.Attachment(h); x != nil {
		return x.Table
	}
	return nil
}

// staff are as many workers as can work at once.
func (g *Grid) staff() []*worker {
	for len(g.workers) < runtime.GOMAXPROCS(0) {
		g.workers = append(g.workers, newWorker(g))
	}
	return g.workers
}

// sideBySide does n jobs, several at once.
func (g *Grid) sideBySide(n int, do func(r *worker, i int)) {
	var taken atomic.Int64
	var all sync.WaitGroup
	for _, r := range g.staff() {
		all.Go(func() {
			for i := int(taken.Add(1)) - 1; i < n; i = int(taken.Add(1)) - 1 {
				do(r, i)
			}
		})
	}
	all.Wait()
}

// Outcome is the outcome that has a number; of NoPair the one of nothing at all.
func (g *Grid) Outcome(id OutcomeID) reach.Outcome {
	if id == NoPair {
		return reach.Outcome{}
	}
	g.outcomes.lock.RLock()
	x := g.outcomes.all[id]
	g.outcomes.lock.RUnlock()
	return g.sets(x)
}

// sets are the sets of an outcome.
func (g *Grid) sets(x outcome) reach.Outcome {
	return reach.Outcome{Full: g.filters.flows.set(x.full), Some: g.filters.flows.set(x.some)}
}

// Pairs counts the ordered pairs of workloads of two classes, by the two fields of their cell.
func (g *Grid) Pairs(from, to int) (across, within int) { return pairs(g.Classes[from], g.Classes[to]) }

// Rows works out the cells of each class towards every other, and gives them in the order of the classes. The row is
// used again as soon as give returns; an error of give ends the work and comes back.
func (g *Grid) Rows(give func(from int, row []Cell) error) error {
	// A task is some classes of one place, whose ways are the same. Several tasks are done side by side, and their rows
	// handed on in order before the next ones begin.
	const rowsOfTask, tasksAtOnce = 16, 16
	type task struct{ start, end int }
	var tasks []task
	for i := 0; i < len(g.Classes); {
		end := i + 1
		for end < len(g.Classes) && end-i < rowsOfTask && g.Classes[end].place == g.Classes[i].place {
			end++
		}
		tasks = append(tasks, task{i, end})
		i = end
	}
	rows := make([][]Cell, 0, rowsOfTask*tasksAtOnce)
	for len(tasks) > 0 {
		now := tasks[:min(tasksAtOnce, len(tasks))]
		tasks = tasks[len(now):]
		first, last := now[0].start, now[len(now)-1].end
		for len(rows) < last-first {
			rows = append(rows, make([]Cell, len(g.Classes)))
		}
		g.sideBySide(len(now), func(r *worker, i int) { r.rows(now[i].start, rows[now[i].start-first:now[i].end-first]) })
		for i := first; i < last; i++ {
			if err := give(i, rows[i-first]); err != nil {
				return err
			}
		}
	}
	return nil
}
