package grid

import (
	"net/netip"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file walks between places, and asks the filters on the way.

// course is a way between two places in one family, and the filters on it.
type course struct {
	family  int
	stopped bool
	may     bool   // whether TCP is stopped, and the rest only may pass
	there   flowID // what all filters together let through that any pair of classes meets alike
	back    flowID
	replies flowID
	asked   []asked
}

// asked is a filter that a packet or its reply meets, and the address that it judges.
type asked struct {
	whose  reach.Party // whose groups it is, or no party's
	dir    reach.Direction
	filter filterID    // when it is no party's
	judges reach.Party // whose address it judges, or no party's
	addr   netip.Addr
	back   bool
}

// addresses are those of two workloads in a family, and whether both have one.
func addresses(a, b *estate.Workload, f int) (from, to netip.Addr, both bool) {
	like := []family{ipv4, ipv6}[f]
	from, has := a.AddrLike(like)
	to, too := b.AddrLike(like)
	return from, to, has && too
}

// road walks from one network to another, there only.
func (r *worker) road(a, b *estate.Workload, like family) road {
	from, _ := a.AddrLike(like)
	to, _ := b.AddrLike(like)
	arrives := r.tracer.There(a, b, from, to)
	switch {
	case r.tracer.Own || r.tracer.Tied() || arrives && r.tracer.Remembers:
		return winded
	case arrives:
		return plain
	}
	return nowhere
}

// coursesIn walks from one workload to another, and back, by each choice among routes of one rank.
func (r *worker) coursesIn(f int, a, b *estate.Workload, from, to netip.Addr) []course {
	arrives, others := r.tracer.ThereAndBack(a, b, from, to), true
	var all []course
	for ; others; arrives, others = r.tracer.Again(a, b, from, to) {
		all = append(all, r.course(f, a, b, arrives))
	}
	return all
}

// course is the way that was just walked.
func (r *worker) course(f int, a, b *estate.Workload, arrives bool) course {
	c := course{family: f, there: allFlows, replies: r.replyFlows(a), stopped: !arrives}
	c.back = c.replies
	if c.stopped {
		return c
	}
	c.may = r.tracer.May
	for i, gates := range [][]reach.Gate{r.tracer.Trace.There, r.tracer.Trace.Back} {
		for _, x := range gates {
			r.sort(&c, x, a, b, i == 1)
		}
	}
	return c
}

// sort puts a filter where the course needs it.
func (r *worker) sort(c *course, x reach.Gate, a, b *estate.Workload, back bool) {
	q := asked{dir: x.Dir, addr: x.Addr, back: back, judges: x.Of}
	switch {
	case x.List != nil:
		q.filter = r.g.filters.ofList(x.List, x.Dir)
	case x.Host == a:
		q.whose = reach.Source
	case x.Host == b:
		q.whose = reach.Target
	default:
		q.filter = r.g.filters.ofGroups(x.Host, x.Dir)
	}
	switch {
	case q.judges != reach.NoParty || q.whose != reach.NoParty:
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
	all := r.come(there, back, c.replies)
	if c.may {
		return outcome{noFlows, r.meet(all.some, r.notTCP)}
	}
	return all
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
	case reach.Source:
		id = x.groups[index(q.dir)]
	case reach.Target:
		id = y.groups[index(q.dir)]
	}
	switch q.judges {
	case reach.Source:
		return r.toward(id, f, x.ranks[f])
	case reach.Target:
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
