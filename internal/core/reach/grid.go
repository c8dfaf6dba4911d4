package reach

import (
	"net/netip"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// Grid is who reaches whom among all workloads of an estate that have an address, for every flow at once. It keeps
// classes, and works their pairs out row by row, so that it needs little room however many workloads there are.
type Grid struct {
	Classes []*Class

	e        *estate.Estate
	filters  *filters
	places   []*place
	routers  map[*estate.Table]int
	sources  [2][]*estate.Workload // one that each table is for, in each family; nil when there is none
	spots    [2]map[spot]int32
	targets  [2][]*estate.Workload // one in each spot
	roads    [2][]road             // from each router to each spot, by routers
	coming   [2][]road             // the same, by spots
	brief    []brief               // of each class
	addrs    [2][]netip.Addr       // of all classes, in order
	ranked   [2][]ranked           // every filter, towards these
	outcomes outcomes
	workers  []*worker
	handed   map[int]outcome // what becomes of the flows that the balancers of a class hand on
}

// Outcome is what becomes of the flows between two workloads: those that pass whichever of their addresses are taken,
// with all their replies, and those of which any part does.
type Outcome struct{ Full, Some flow.Set }

// Verdict is the answer about some flows.
func (f Outcome) Verdict(asked flow.Set) Verdict {
	switch {
	case f.Full.Covers(asked):
		return Open
	case f.Some.Intersect(asked).Empty():
		return Blocked
	}
	return Partly
}

// Outcome is what becomes of the flows of a way, and of an answer.
func (w Way) Outcome() Outcome     { return Outcome{w.Passes, w.Some} }
func (a *Answer) Outcome() Outcome { return Outcome{a.Passes, a.Some} }

// Of are those of some flows that pass, and those that pass in part.
func (f Outcome) Of(asked flow.Set) (full, part flow.Set) {
	return f.Full.Intersect(asked), f.Some.Minus(f.Full).Intersect(asked)
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
func NewGrid(e *estate.Estate, unit func(*estate.Workload) int) *Grid {
	g := newClasses(e, unit)
	for f, like := range []family{ipv4, ipv6} {
		g.rank(f, like)
	}
	for _, c := range g.Classes {
		g.brief = append(g.brief, brief{c.ranks, c.groups[0]})
	}
	g.findRoads()
	g.handOn()
	return g
}

// newClasses makes a grid that has nothing but its classes. Workloads of which unit is negative are in none.
func newClasses(e *estate.Estate, unit func(*estate.Workload) int) *Grid {
	g := &Grid{e: e, filters: compile(e), routers: map[*estate.Table]int{}, outcomes: outcomes{known: map[outcome]OutcomeID{}}, handed: map[int]outcome{}}
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

// findRoads walks from every table to every spot.
func (g *Grid) findRoads() {
	for f := range g.roads {
		g.roads[f] = make([]road, len(g.sources[f])*len(g.targets[f]))
		g.sideBySide(len(g.sources[f]), func(r *worker, i int) {
			row := g.roads[f][i*len(g.targets[f]):][:len(g.targets[f])]
			for j, b := range g.targets[f] {
				if a := g.sources[f][i]; a != nil && a.Subnet.Network != b.Subnet.Network {
					row[j] = r.road(a, b, []family{ipv4, ipv6}[f])
				}
			}
		})
		routers, spots := len(g.sources[f]), len(g.targets[f])
		g.coming[f] = make([]road, routers*spots)
		for i := range routers {
			for j := range spots {
				g.coming[f][j*routers+i] = g.roads[f][i*spots+j]
			}
		}
	}
}

// sideBySide does n jobs, several at once.
func (g *Grid) sideBySide(n int, do func(r *worker, i int)) {
	if g.workers == nil {
		for range runtime.GOMAXPROCS(0) {
			g.workers = append(g.workers, newWorker(g))
		}
	}
	var taken atomic.Int64
	var all sync.WaitGroup
	for _, r := range g.workers {
		all.Go(func() {
			for i := int(taken.Add(1)) - 1; i < n; i = int(taken.Add(1)) - 1 {
				do(r, i)
			}
		})
	}
	all.Wait()
}

// Outcome is the outcome that has a number; of NoPair the one of nothing at all.
func (g *Grid) Outcome(id OutcomeID) Outcome {
	if id == NoPair {
		return Outcome{}
	}
	g.outcomes.lock.RLock()
	x := g.outcomes.all[id]
	g.outcomes.lock.RUnlock()
	return Outcome{g.filters.flows.set(x.full), g.filters.flows.set(x.some)}
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

// worker works out cells. Each worker has one of its own, with what it remembers.
type worker struct {
	g        *Grid
	walker   walker
	trace    trace
	small    []flowID // the meets of sets with low numbers; -1 for one that is not known yet
	met      map[[2]flowID]flowID
	joined   map[[2]flowID]flowID
	answers  map[[2]flowID]outcome
	numbers  map[outcome]OutcomeID
	same     [lowNumbers]OutcomeID // one more than the number of the outcome whose two sets are the same; 0 when unknown
	replies  map[[2]uint16]flowID
	src, dst side
	lets     [2][]run    // of each filter, in each family, the run that was asked about last
	rowsOf   [2][]flowID // of the class whose row it is, what its own filters let through to each address there
	rowsBack [2][]flowID // and what its list lets back in from each
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
		replies: map[[2]uint16]flowID{}, src: side{single: true}, dst: side{single: true}, small: make([]flowID, lowNumbers*lowNumbers)}
	for i := range r.small {
		r.small[i] = -1
	}
	for f := range r.lets {
		r.lets[f] = make([]run, len(g.filters.tables))
		r.rowsOf[f], r.rowsBack[f] = make([]flowID, len(g.addrs[f])), make([]flowID, len(g.addrs[f]))
	}
	return r
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
			*known = r.g.filters.flows.number(r.g.filters.flows.set(a).Intersect(r.g.filters.flows.set(b)))
		}
		return *known
	}
	id, found := r.met[[2]flowID{a, b}]
	if !found {
		id = r.g.filters.flows.number(r.g.filters.flows.set(a).Intersect(r.g.filters.flows.set(b)))
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
		id = r.g.filters.flows.number(r.g.filters.flows.set(a).Union(r.g.filters.flows.set(b)))
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
		full, some := answered(flow.Any(), flows.set(replies), flows.set(got))
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

// course is a way between two places in one family, and the filters on it.
type course struct {
	family  int
	stopped bool
	there   flowID // what all filters together let through that any pair of classes meets alike
	back    flowID
	replies flowID
	asked   []asked
}

// asked is a filter that a packet or its reply meets, and the address that it judges.
type asked struct {
	whose  end // whose groups it is, or no end's
	dir    direction
	filter filterID // when it is no end's
	judges end      // whose address it judges, or no end's
	addr   netip.Addr
	back   bool
}

type end int8

const (
	neither end = iota
	source
	target
)

// addresses are those of two workloads in a family, and whether both have one.
func addresses(a, b *estate.Workload, f int) (from, to netip.Addr, both bool) {
	like := []family{ipv4, ipv6}[f]
	from, has := a.AddrLike(like)
	to, too := b.AddrLike(like)
	return from, to, has && too
}

// walk sets out from one workload to another, and reports whether it gets there.
func (r *worker) walk(a, b *estate.Workload, from, to netip.Addr) bool {
	t, w := &r.trace, &r.walker
	*t = trace{there: t.there[:0], back: t.back[:0]}
	*w = walker{e: r.g.e, from: End{Workload: a}, to: End{Workload: b}, quiet: t, through: w.through[:0], passed: w.passed[:0]}
	w.leaveSource(packet{role{from, &r.src}, role{to, &r.dst}})
	return !w.stopped
}

// road walks from one network to another, there only.
func (r *worker) road(a, b *estate.Workload, like family) road {
	from, _ := a.AddrLike(like)
	to, _ := b.AddrLike(like)
	arrives := r.walk(a, b, from, to)
	switch {
	case r.trace.own || arrives && r.trace.kept:
		return winded
	case arrives:
		return plain
	}
	return nowhere
}

// course walks from one workload to another, and back.
func (r *worker) course(a, b *estate.Workload, f int, from, to netip.Addr) course {
	c := course{family: f, there: allFlows, replies: r.replyFlows(a)}
	c.back = c.replies
	c.stopped = !r.walk(a, b, from, to)
	if w := &r.walker; !c.stopped {
		w.turn(flow.Set{})
		w.leaveTarget(packet{role{to, &r.dst}, w.seen})
		c.stopped = w.stopped
	}
	if c.stopped {
		return c
	}
	for i, gates := range [][]gate{r.trace.there, r.trace.back} {
		for _, x := range gates {
			r.sort(&c, x, a, b, i == 1)
		}
	}
	return c
}

// sort puts a filter where the course needs it.
func (r *worker) sort(c *course, x gate, a, b *estate.Workload, back bool) {
	q := asked{dir: x.dir, addr: x.far.Addr, back: back}
	switch {
	case x.list != nil:
		q.filter = r.g.filters.ofList(x.list, x.dir)
	case x.host == a:
		q.whose = source
	case x.host == b:
		q.whose = target
	default:
		q.filter = r.g.filters.ofGroups(x.host, x.dir)
	}
	switch x.far.side {
	case &r.src:
		q.judges = source
	case &r.dst:
		q.judges = target
	}
	switch {
	case q.judges != neither || q.whose != neither:
		c.asked = append(c.asked, q)
	case back:
		c.back = r.meet(c.back, r.g.filters.lets(q.filter, q.addr))
	default:
		c.there = r.meet(c.there, r.g.filters.lets(q.filter, q.addr))
	}
}

func (r *worker) replyFlows(from *estate.Workload) flowID {
	ports := from.Subnet.Network.Profile.ReplyPorts
	id, found := r.replies[ports]
	if !found {
		id = r.g.filters.flows.number(flow.Ports(ports[0], ports[1]).Union(flow.WithoutPorts()))
		r.replies[ports] = id
	}
	return id
}

// across is the outcome of flows between workloads of two classes that take a course.
func (r *worker) across(c *course, x, y *Class) outcome {
	if c.stopped {
		return outcome{}
	}
	there, back := c.there, c.back
	for _, q := range c.asked {
		lets := r.judge(q, c.family, x, y)
		if q.back {
			back = r.meet(back, lets)
		} else {
			there = r.meet(there, lets)
		}
	}
	return r.come(there, back, c.replies)
}

// come is the outcome when some flows arrive, and some of the replies come back.
func (r *worker) come(there, back, replies flowID) outcome {
	if back == replies {
		return outcome{there, there}
	}
	answer := r.answered(replies, back)
	return outcome{r.meet(there, answer.full), r.meet(there, answer.some)}
}

// judge asks a filter about the address that it judges.
func (r *worker) judge(q asked, f int, x, y *Class) flowID {
	id := q.filter
	switch q.whose {
	case source:
		id = x.groups[q.dir.index()]
	case target:
		id = y.groups[q.dir.index()]
	}
	switch q.judges {
	case source:
		return r.toward(id, f, x.ranks[f])
	case target:
		return r.toward(id, f, y.ranks[f])
	}
	return r.g.filters.lets(id, q.addr)
}

// within is the outcome of flows between workloads of two classes in one subnet: only their groups judge them.
func (r *worker) within(x, y *Class) outcome {
	total, met := outcome{allFlows, noFlows}, false
	for f := range 2 {
		if x.ranks[f] < 0 || y.ranks[f] < 0 {
			continue
		}
		lets := r.meet(r.toward(x.groups[1], f, y.ranks[f]), r.toward(y.groups[0], f, x.ranks[f]))
		total, met = r.either(total, outcome{lets, lets}), true
	}
	if !met {
		return outcome{}
	}
	return total
}

// rows works out the rows of some classes of one place, which start at a number.
func (r *worker) rows(start int, rows [][]Cell) {
	for i, row := range rows {
		x := r.g.Classes[start+i]
		r.leave(x)
		r.strangers(x, row)
		for _, to := range r.g.places {
			if to.network == x.place.network {
				r.neighbours(x, to, row)
			}
		}
	}
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
			out = append(out, r.course(a, b, f, from, to))
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
			coming[f] = g.coming[f][int(from.spots[f])*len(g.sources[f]):]
		}
	}
	for _, to := range g.places {
		if to.network == from.network {
			continue
		}
		var lead [2]road
		var wind [2]course
		families := 0
		for f := range 2 {
			if from.spots[f] < 0 || to.spots[f] < 0 {
				continue
			}
			families++
			there, back := roads[f][to.spots[f]], coming[f][to.router]
			switch {
			case there == nowhere || there == plain && back == nowhere:
			case there == plain && back == plain:
				lead[f] = plain
			default:
				a, b, _ := addresses(from.first, to.first, f)
				lead[f], wind[f] = winded, r.course(from.first, to.first, f, a, b)
			}
		}
		cells := row[to.start : to.start+len(to.classes)]
		for j := range cells {
			switch {
			case lead == [2]road{}:
				cells[j] = none
			case families == 1 && lead[0] == plain:
				y := &g.brief[to.start+j]
				if r.rowsOf[0][y.ranks[0]] == noFlows { // most often nothing leaves at all
					cells[j] = none
					continue
				}
				cells[j] = Cell{r.number(r.handed(to.start+j, r.plainly(0, x, to, y, replies))), NoPair}
			default:
				cells[j] = Cell{r.number(r.handed(to.start+j, r.led(x, to, to.start+j, lead, &wind, replies))), NoPair}
			}
		}
	}
}

// led is the outcome of flows that may go in any family that both ends have.
func (r *worker) led(x *Class, to *place, class int, lead [2]road, wind *[2]course, replies flowID) outcome {
	total := outcome{allFlows, noFlows}
	for f := range 2 {
		var one outcome
		switch {
		case x.place.spots[f] < 0 || to.spots[f] < 0:
			continue
		case lead[f] == plain:
			one = r.plainly(f, x, to, &r.g.brief[class], replies)
		case lead[f] == winded:
			one = r.across(&wind[f], x, r.g.Classes[class])
		}
		total = r.either(total, one)
	}
	return total
}

// plainly is the outcome of flows that only the filters of both ends judge.
func (r *worker) plainly(f int, x *Class, to *place, y *brief, replies flowID) outcome {
	at, of := y.ranks[f], x.ranks[f]
	there := r.rowsOf[f][at]
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
		back = r.meet(back, r.rowsBack[f][at])
	}
	return r.come(there, back, replies)
}

// handOn works out what becomes of the flows that balancers hand on to their targets.
func (g *Grid) handOn() {
	balancers := 0
	for _, c := range g.Classes {
		balancers += len(c.Members[0].Targets)
	}
	if balancers == 0 {
		return
	}
	numbers := map[*estate.Workload]int{}
	for i, c := range g.Classes {
		for _, x := range c.Members {
			numbers[x] = i
		}
	}
	r := newWorker(g)
	for i, c := range g.Classes {
		if x := c.Members[0]; len(x.Targets) > 0 {
			g.handed[i] = r.targets(x, numbers)
		}
	}
}

// targets is the outcome of what a balancer hands on.
func (r *worker) targets(x *estate.Workload, numbers map[*estate.Workload]int) outcome {
	total := outcome{allFlows, noFlows}
	for _, t := range x.Targets {
		total = r.either(total, r.between(x, t, numbers))
	}
	if x.TargetPorts.Empty() {
		return total
	}
	switch (Outcome{r.g.filters.flows.set(total.full), r.g.filters.flows.set(total.some)}).Verdict(x.TargetPorts) {
	case Open:
		return outcome{allFlows, allFlows}
	case Partly:
		return outcome{noFlows, allFlows}
	}
	return outcome{}
}

// between is the outcome of flows between two workloads.
func (r *worker) between(a, b *estate.Workload, numbers map[*estate.Workload]int) outcome {
	i, has := numbers[a]
	j, too := numbers[b]
	switch {
	case a == b:
		return outcome{allFlows, allFlows}
	case !has || !too:
		return outcome{} // one of them has no place in the estate yet
	case a.Subnet == b.Subnet:
		return r.within(r.g.Classes[i], r.g.Classes[j])
	}
	return r.all(r.courses(a, b), r.g.Classes[i], r.g.Classes[j])
}

// handed is the outcome of flows to a class, with what a balancer makes of them.
func (r *worker) handed(to int, x outcome) outcome {
	if len(r.g.handed) == 0 {
		return x
	}
	if on, balances := r.g.handed[to]; balances {
		return r.both(x, on)
	}
	return x
}
