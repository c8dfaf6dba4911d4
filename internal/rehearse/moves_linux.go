package rehearse

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"os"
	"slices"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
	"wendrik/internal/core/reach"
)

// This file makes the steps of a change in a rehearsal that stands, and tries it after each.

// Steps builds the first of some states of an estate in the kernel, makes each step there, and tries after each what must pass and
// what must not, with connections that were open before the first step. The last state is that of the estate given; the result
// is of the tries there, with the moves that led to it.
func Steps(e *estate.Estate, states []State, opt Options, step func(what string, done, total int)) (*Result, error) {
	return start(e, order{Do: "steps", Files: textsOf(e), States: states, Opt: opt}, step)
}

// performSteps builds and tries the states of an order.
func performSteps(o order, out teller) (*Result, error) {
	scripts := make([]*script, len(o.States))
	for i, x := range o.States {
		e, findings := estate.Load(filesFrom(x.Files))
		if len(findings) > 0 {
			return nil, fmt.Errorf("after %s: %s", x.Step, findings[0].Message)
		}
		opt := o.Opt
		opt.Only = slices.DeleteFunc(slices.Clone(opt.Only), func(name string) bool { return e.Network(name) == nil })
		s, err := newScript(e, opt)
		if err != nil {
			return nil, err
		}
		scripts[i] = s
	}
	var l *lab
	var kept []*connection
	var moves []Move
	var r *Result
	defer func() {
		for _, c := range kept {
			c.file.Close()
		}
	}()
	tell := out.step()
	first, last := scripts[0].says(), scripts[len(scripts)-1].says()
	for i, s := range scripts {
		step := func(what string, _, _ int) { tell(fmt.Sprintf("after step %d: %s", i, what), i, len(scripts)) }
		var err error
		if l == nil {
			if l, err = raise(s, step); err == nil {
				defer func() { l.down() }()
			}
		} else {
			err = l.next(s)
		}
		if err != nil {
			return nil, fmt.Errorf("the state after %q cannot be built here: %w", o.States[i].Step, err)
		}
		ended := 0
		var lost []string
		if i > 0 {
			kept, lost, ended = l.still(kept)
		}
		r = l.play(step)
		m := s.judgeMove(first, last)
		if i == 0 {
			kept = l.connect()
		}
		m.Step, m.Harms, m.Kept, m.Lost, m.Ended = o.States[i].Step, o.States[i].Harms, len(kept), lost, ended
		moves = append(moves, m)
	}
	r.Moves = moves
	return r, nil
}

// connection is a line that is open.
type connection struct {
	line
	file *os.File
}

// maxKept is how many connections are kept open.
const maxKept = 400

// connect opens a connection for each pair of ends between which TCP passes.
func (l *lab) connect() []*connection {
	var all []*connection
	had := map[[2]string]bool{}
	taken := map[string]uint16{}
	for _, t := range l.tries {
		pair := [2]string{t.From, t.To}
		if t.Protocol != "tcp" || !t.Passed || had[pair] || len(all) == maxKept {
			continue
		}
		// A port of its own, so that the tries do not want the same.
		taken[t.From]++
		c := &connection{line: line{from: t.From, to: t.To, src: t.Src, dst: t.Dst, port: t.Port, source: t.SourcePort - 512 - taken[t.From]}}
		says := false
		if c.road, says = l.road(c.line); !says {
			continue
		}
		had[pair] = true
		err := l.kernel.spaces[l.places[t.From]].do(func() error {
			fd, err := dial(&Try{Src: c.src, Dst: c.dst, Protocol: "tcp", Port: c.port, SourcePort: c.source})
			if err == nil {
				c.file = os.NewFile(uintptr(fd), "kept")
			}
			return err
		})
		if err == nil && c.talk() {
			all = append(all, c)
		}
	}
	return all
}

// still asks each connection whether it is open; ended is how many are left out because the plan does not promise that they are:
// by reach they do not pass now, are seen as somebody else, or go by others that must remember them.
func (l *lab) still(all []*connection) (kept []*connection, lost []string, ended int) {
	var promised []*connection
	for _, c := range all {
		if road, says := l.road(c.line); !says || road != c.road {
			ended++
			c.file.Close()
			continue
		}
		promised = append(promised, c)
	}
	stand := make([]bool, len(promised))
	var wait sync.WaitGroup
	for i, c := range promised {
		wait.Go(func() { stand[i] = c.talk() })
	}
	wait.Wait()
	for i, c := range promised {
		if stand[i] {
			kept = append(kept, c)
		} else {
			lost = append(lost, c.line.String())
			c.file.Close()
		}
	}
	return kept, lost, ended
}

// road is by whom a connection goes and as whom it is seen, and whether it passes, by reach.
func (l *lab) road(x line) (string, bool) {
	from, to, ok := l.between(x.from, x.to, x.src, x.dst)
	if !ok || l.places[x.from] == nil || l.places[x.to] == nil {
		return "", false
	}
	flows, _ := flow.Parse(fmt.Sprintf("tcp/%d", x.port))
	a := reach.Ask(l.e, reach.Question{From: from, To: to, Flows: flows, Replies: reach.Ports{First: x.source, Last: x.source}})
	if a.Verdict != reach.Open || len(a.Ways) == 0 {
		return "", false
	}
	road := fmt.Sprint(a.Ways[0].SeenAs)
	for _, h := range slices.Concat(a.Ways[0].Forward, a.Ways[0].Back) {
		switch o := h.Object.(type) {
		case *estate.Gateway:
			road += " " + o.ID()
		case *estate.Workload:
			road += " " + o.ID()
		}
	}
	return road, true
}

// talk says a word over a connection, and waits for it to come back. What a step has cut for a moment the kernel sends again.
func (c *connection) talk() bool {
	const patience = 10 * time.Second
	_ = c.file.SetDeadline(time.Now().Add(patience))
	word := binary.BigEndian.AppendUint64(nil, words.Add(1))
	if _, err := c.file.Write(word); err != nil {
		return false
	}
	buf := make([]byte, 128)
	for {
		n, err := c.file.Read(buf)
		switch {
		case errors.Is(err, unix.EAGAIN):
			continue
		case err != nil:
			return false
		case bytes.HasPrefix(buf[:n], word):
			return true
		}
	}
}
