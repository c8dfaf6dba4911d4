package reach

import (
	"fmt"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/estate"
)

// This file walks from the door of a network to who is asked for.

// comeIn carries a packet that something brings into a network on: by the table of the door that the plan names for it, or
// else into the subnet that it is for.
func (w *walker) comeIn(n *estate.Network, door *estate.Subnet, p packet) {
	if door != nil {
		w.leaveSubnet(door, p)
		return
	}
	w.arrive(n, p)
}

// arrive looks a destination up among a network's own subnets, as all that comes from outside does.
func (w *walker) arrive(n *estate.Network, p packet) {
	s := n.SubnetOf(p.dst.Addr)
	if p.dst.divisible() {
		for _, x := range n.Subnets {
			p.dst.inRanges(x.Ranges)
		}
	}
	if s == nil {
		w.lost(n, nil, p)
		return
	}
	w.enterSubnet(s, p, true)
}

// enterSubnet brings a packet into a subnet, past its list when it comes from outside, to the host it is for.
func (w *walker) enterSubnet(s *estate.Subnet, p packet, crossed bool) {
	if crossed {
		w.list(s, In, p)
	}
	host, goal := s.Network.Host(p.dst.Addr), w.goal()
	switch {
	case w.back && p.src.Addr != w.sentTo && !host.Nobody() && (host == w.translated || host.Workload == goal.Workload):
		w.stranger(s, p)
	case w.back && !w.translated.Nobody() && host == w.translated:
		w.turnBack(p)
	case host.Workload != nil && host.Workload == goal.Workload:
		if w.back {
			w.hop(Hop{Did: FlowRemembered, Object: host.Workload, At: host.Workload.At()})
		} else {
			w.record.groups(w, host.Workload, In, p)
		}
	default:
		w.lost(s.Network, s, p)
	}
}

// stranger blocks a reply that does not come from the address that the flow was sent to.
func (w *walker) stranger(s *estate.Subnet, p packet) {
	if w.unexplained() {
		return
	}
	f := diag.Finding{Code: ReplyFromStranger, At: s.At(), Place: s.Place(),
		Message: fmt.Sprintf("the reply comes from %s, since it does not go by the gateway that translates it, and the flow was sent to %s", p.src.Addr, w.sentTo),
		Fixes:   diag.Advise("lead the reply to the internet gateway, or ask for the private address")}
	if x := w.to.Workload; x != nil {
		f.At, f.Place = x.Subnet.Table.At(), x.Subnet.Table.Place()
	}
	w.block(s, f)
}

// lost ends a way that leads to the wrong place, and goes on at the right one.
func (w *walker) lost(n *estate.Network, s *estate.Subnet, p packet) {
	if w.unexplained() {
		return
	}
	goal, where := w.goal(), estate.Object(n)
	if s != nil {
		where = s
	}
	f := diag.Finding{At: where.At(), Place: where.Place()}
	host := n.Host(p.dst.Addr)
	switch {
	case host.NAT != nil && !w.back:
		f.Code, f.Message = NATInbound, fmt.Sprintf("nothing that starts outside comes in through NAT gateway %s", host.Name())
		f.Fixes = diag.Advise("ask for the workload itself")
		w.block(host.NAT, f)
		return
	case goal.Network == n:
		w.nobody(goal, p.dst)
		return
	case goal.Workload != nil && goal.Workload.Subnet.Network == n:
		f.Code, f.Message = NotThere, fmt.Sprintf("%s is not where %s is", p.dst.Addr, goal.Workload.Name)
		f.Fixes = diag.Advise("give them addresses of their own")
	default:
		f.Code = Overlap
		f.Message = fmt.Sprintf("%s is also an address of network %s, and the packet stays there", p.dst.Addr, n.Name)
		f.Fixes = diag.Advise(fmt.Sprintf("give network %s or %s a range of its own", n.Name, goal.owner()))
	}
	w.block(where, f)
	w.deliver(p)
}

// deliver goes on at the goal, as if the packet had got there: what stands at its door is judged too.
func (w *walker) deliver(p packet) {
	x := w.goal().Workload
	if x == nil || !w.translated.Nobody() && w.back {
		return
	}
	if private, found := x.AddrLike(p.dst.Addr); found {
		p.dst = at(private)
	}
	w.list(x.Subnet, In, p)
	if w.back {
		w.hop(Hop{Did: FlowRemembered, Object: x, At: x.At()})
	} else {
		w.record.groups(w, x, In, p)
	}
}
