package grid

import (
	"wendrik/internal/core/estate"
	"wendrik/internal/core/reach"
)

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
	total, some := outcome{allFlows, noFlows}, false
	for _, t := range x.Targets {
		if r.g.e.Out(t) {
			continue
		}
		some = true
		total = r.either(total, r.between(x, t, numbers))
	}
	if !some {
		return outcome{}
	}
	if x.TargetPorts.Empty() {
		return total
	}
	switch (reach.Outcome{Full: r.g.filters.flows.set(total.full), Some: r.g.filters.flows.set(total.some)}).Verdict(x.TargetPorts) {
	case reach.Open:
		return outcome{allFlows, allFlows}
	case reach.Partly:
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
