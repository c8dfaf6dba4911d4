package rehearse

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/netip"
	"os"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"wendrik/internal/core/estate"
	"wendrik/internal/rehearse/stage"
)

// lab is a rehearsal that stands: the script, the kernel that plays it, and the servers on it.
type lab struct {
	*script
	stage   *stage.Stage
	kernel  *kernel
	places  map[string]*stage.Node // by the name of an end
	names   []string               // of the ends that answer, by number
	servers []interface{ Close() error }

	remembered map[tracked]bool // what is not TCP and has passed in a state before, so that the kernel may remember it
}

// raise builds the stage of a script, with a server on every port that is tried.
func raise(s *script, step func(what string, done, total int)) (*lab, error) {
	wanted := map[*estate.Workload]bool{}
	for _, w := range s.cast {
		wanted[w] = true
	}
	l := &lab{script: s, stage: stage.Build(s.e, func(w *estate.Workload) bool { return wanted[w] }, s.internet, s.sites), places: map[string]*stage.Node{}}
	if n := len(l.stage.Nodes); n > maxNamespaces {
		return nil, fmt.Errorf("it takes %d network namespaces, and more than %d are too many: name some networks with -only", n, maxNamespaces)
	}
	var err error
	if l.kernel, err = build(l.stage, func(done, total int) { step("building", done, total) }); err != nil {
		return nil, err
	}
	if err := l.open(); err != nil {
		l.down()
		return nil, err
	}
	return l, nil
}

// next makes of a rehearsal that stands that of another script, in place.
func (l *lab) next(s *script) error {
	if l.remembered == nil {
		l.remembered = map[tracked]bool{}
	}
	wanted := map[*estate.Workload]bool{}
	for _, w := range s.cast {
		wanted[w] = true
	}
	now := l.stage.Next(s.e, func(w *estate.Workload) bool { return wanted[w] }, s.internet, s.sites)
	if n := len(now.Nodes); n > maxNamespaces {
		return fmt.Errorf("it takes %d network namespaces, and more than %d are too many: name some networks with -only", n, maxNamespaces)
	}
	for _, x := range l.servers {
		x.Close()
	}
	l.servers, l.names, l.places = nil, nil, map[string]*stage.Node{}
	if err := l.kernel.change(l.stage, now); err != nil {
		return err
	}
	for _, t := range l.script.tries {
		if t.Passed && t.Protocol != "tcp" {
			l.remembered[packetOf(t)] = true
		}
	}
	l.script, l.stage = s, now
	if slices.ContainsFunc(s.tries, func(t *Try) bool { return !t.Says && l.remembered[packetOf(t)] }) {
		clear(l.remembered)
		if err := l.kernel.forget(); err != nil {
			return fmt.Errorf("what the kernel remembers of packets before cannot be taken out: %w", err)
		}
	}
	return l.open()
}

// tracked is all of a try by which connection tracking knows its packets.
type tracked struct {
	src, dst     netip.Addr
	protocol     string
	source, port uint16
}

func packetOf(t *Try) tracked { return tracked{t.Src, t.Dst, t.Protocol, t.SourcePort, t.Port} }

// open finds the places of all ends, and starts their servers.
func (l *lab) open() error {
	if !l.kernel.six {
		l.leaveOutIPv6()
	}
	for _, n := range l.stage.Nodes {
		switch site, is := strings.CutPrefix(n.Name, "site "); {
		case n.Workload != nil:
			l.places[n.Workload.Name] = n
		case is:
			l.places[site] = n
		case n.Name == "internet":
			l.places["internet"] = n
		}
	}
	return l.serve()
}

// maxNamespaces is how many namespaces a rehearsal has at most: a kernel takes long to clear many away.
const maxNamespaces = 1000

// leaveOutIPv6 takes out what a kernel without IPv6 cannot try.
func (l *lab) leaveOutIPv6() {
	var left []*Try
	for _, t := range l.tries {
		if t.Dst.Is4() {
			left = append(left, t)
		} else {
			l.skip("everything that is IPv6", "this kernel has no IPv6")
		}
	}
	l.tries = left
}

// down ends the servers and the namespaces.
func (l *lab) down() {
	for _, s := range l.servers {
		s.Close()
	}
	l.kernel.down()
}

// door is where a server listens.
type door struct {
	place    string
	addr     netip.Addr
	protocol string
	port     uint16
}

// serve starts a server behind every door that is tried. It answers each client with the address that it saw.
func (l *lab) serve() error {
	doors := map[string]map[door]bool{}
	for _, t := range l.tries {
		if t.Protocol == "icmp" {
			continue // the kernel answers
		}
		at := t.Dst
		if w := l.e.Workload(t.To); w != nil {
			at, _ = w.AddrLike(t.Dst)
		}
		if doors[t.To] == nil {
			doors[t.To] = map[door]bool{}
		}
		doors[t.To][door{t.To, at, t.Protocol, t.Port}] = true
	}
	for number, place := range slices.Sorted(maps.Keys(doors)) {
		all := doors[place]
		l.names = append(l.names, place)
		err := l.kernel.spaces[l.places[place]].do(func() error {
			for d := range all {
				if err := l.listen(d, uint32(number)); err != nil {
					return fmt.Errorf("%s cannot listen on %s/%d: %w", d.place, d.protocol, d.port, err)
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// listen starts a server; who is the number of the end that it answers for.
func (l *lab) listen(d door, who uint32) error {
	at := netip.AddrPortFrom(d.addr, d.port)
	// Clients may take ports on which others listen.
	config := net.ListenConfig{Control: func(_, _ string, c syscall.RawConn) error {
		return c.Control(func(fd uintptr) { _ = unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_REUSEPORT, 1) })
	}}
	if d.protocol == "udp" {
		c, err := config.ListenPacket(context.Background(), "udp", at.String())
		if err != nil {
			return err
		}
		l.servers = append(l.servers, c)
		go func() {
			buf := make([]byte, 64)
			for {
				n, from, err := c.(*net.UDPConn).ReadFromUDPAddrPort(buf)
				if errors.Is(err, net.ErrClosed) {
					return
				}
				if err == nil {
					_, _ = c.(*net.UDPConn).WriteToUDPAddrPort(reply(buf[:n], who, from.Addr()), from)
				}
			}
		}()
		return nil
	}
	listener, err := config.Listen(context.Background(), "tcp", at.String())
	if err != nil {
		return err
	}
	l.servers = append(l.servers, listener)
	go func() {
		for {
			c, err := listener.Accept()
			if errors.Is(err, net.ErrClosed) {
				return
			}
			if err == nil {
				go answer(c, who)
			}
		}
	}()
	return nil
}

// answer waits for the words of a client, so that the packets of both ways have passed, and says whom it saw, until the client
// ends it.
func answer(c net.Conn, who uint32) {
	defer c.Close()
	buf := make([]byte, 64)
	for {
		_ = c.SetDeadline(time.Now().Add(silence))
		n, err := c.Read(buf)
		if err != nil {
			return
		}
		if _, err := c.Write(reply(buf[:n], who, c.RemoteAddr().(*net.TCPAddr).AddrPort().Addr())); err != nil {
			return
		}
	}
}

// silence is how long a server waits for the next word of a client.
const silence = 10 * time.Minute

// wordSize is the size of the word of a try. No two tries have the same, so that an answer that has strayed from one, as
// through a translation that the plan has in the wrong place, is not taken for that of another.
const wordSize = 8

// whoSize is the size of the number of the end that answers, which stands behind the word: an address may be that of two.
const whoSize = 4

// reply is a client's word, who answers, and whom it saw.
func reply(word []byte, who uint32, from netip.Addr) []byte {
	return append(binary.BigEndian.AppendUint32(word[:min(len(word), wordSize)], who), from.Unmap().String()...)
}

// patience is how long a try waits, and how long when it is tried again because reach says that it passes: a machine may
// be busy, and nothing is said to be stopped because of that.
var patience = []time.Duration{1200 * time.Millisecond, 3 * time.Second, 8 * time.Second}

// fewEnough is how many tries there may be for the last and longest wait: more than that is no busy machine.
const fewEnough = 50

// atOnce is how many tries are made side by side.
const atOnce = 3000

// play makes every try.
func (l *lab) play(step func(what string, done, total int)) *Result {
	for _, t := range l.tries {
		t.Passed, t.Saw, t.Other, t.Again = false, netip.Addr{}, "", 0
	}
	todo := l.tries
	side := min(atOnce, openFiles()/3)
	for round, wait := range patience {
		what := "trying"
		if round > 0 {
			what = "trying again"
			side = min(side, 200)
		}
		if round > 0 {
			for _, t := range todo {
				t.Again++
			}
		}
		l.round(todo, wait, side, func(done int) { step(what, done, len(todo)) })
		var again []*Try
		for _, t := range todo {
			if t.Says && !t.Passed {
				again = append(again, t)
			}
		}
		if todo = again; len(todo) == 0 || round > 0 && len(todo) > fewEnough {
			break
		}
	}
	inOrder(l.e, l.tries)
	return &Result{Tries: l.tries, Expected: l.judge(), Untried: l.untried, Nodes: len(l.stage.Nodes)}
}

// openFiles is how many files this process may have open.
func openFiles() int {
	var limit unix.Rlimit
	if err := unix.Getrlimit(unix.RLIMIT_NOFILE, &limit); err != nil {
		return 1024
	}
	return int(min(limit.Cur, 1<<20))
}

// round makes some tries, several side by side. The sockets of one place are made together, on a thread in its
// namespace; waiting needs no thread.
func (l *lab) round(tries []*Try, wait time.Duration, side int, step func(done int)) {
	free := make(chan struct{}, side)
	var all sync.WaitGroup
	var done atomic.Int64
	var byPlace [][]*Try
	at := map[string]int{}
	for _, t := range tries {
		i, found := at[t.From]
		if !found {
			i = len(byPlace)
			at[t.From] = i
			byPlace = append(byPlace, nil)
		}
		byPlace[i] = append(byPlace[i], t)
	}
	for _, some := range byPlace {
		_ = l.kernel.spaces[l.places[some[0].From]].do(func() error {
			for _, t := range some {
				free <- struct{}{}
				fd, err := dial(t)
				if err != nil {
					<-free
					step(int(done.Add(1)))
					continue // nothing leaves: the kernel has no way, or its filter says no
				}
				all.Go(func() {
					l.exchange(t, fd, wait)
					<-free
					step(int(done.Add(1)))
				})
			}
			return nil
		})
	}
	all.Wait()
}

// dial makes a socket for a try in the namespace of this thread, bound to its source, and begins to connect.
func dial(t *Try) (fd int, err error) {
	family := unix.AF_INET6
	if t.Dst.Is4() {
		family = unix.AF_INET
	}
	kind, protocol := unix.SOCK_STREAM, unix.IPPROTO_TCP
	switch {
	case t.Protocol == "udp":
		kind, protocol = unix.SOCK_DGRAM, unix.IPPROTO_UDP
	case t.Protocol == "icmp" && t.Dst.Is4():
		kind, protocol = unix.SOCK_DGRAM, unix.IPPROTO_ICMP
	case t.Protocol == "icmp":
		kind, protocol = unix.SOCK_DGRAM, unix.IPPROTO_ICMPV6
	}
	fd, err = unix.Socket(family, kind|unix.SOCK_NONBLOCK|unix.SOCK_CLOEXEC, protocol)
	if err != nil {
		return -1, err
	}
	for _, option := range []int{unix.SO_REUSEADDR, unix.SO_REUSEPORT} {
		if t.Protocol != "icmp" {
			_ = unix.SetsockoptInt(fd, unix.SOL_SOCKET, option, 1)
		}
	}
	if t.Protocol == "tcp" { // no port is left waiting afterwards
		_ = unix.SetsockoptLinger(fd, unix.SOL_SOCKET, unix.SO_LINGER, &unix.Linger{Onoff: 1})
	}
	if err = unix.Bind(fd, sockaddr(netip.AddrPortFrom(t.Src, t.SourcePort))); err == nil {
		if err = unix.Connect(fd, sockaddr(netip.AddrPortFrom(t.Dst, t.Port))); errors.Is(err, unix.EINPROGRESS) {
			err = nil
		}
	}
	if err != nil {
		unix.Close(fd)
		return -1, err
	}
	return fd, nil
}

func sockaddr(a netip.AddrPort) unix.Sockaddr {
	if a.Addr().Is4() {
		return &unix.SockaddrInet4{Port: int(a.Port()), Addr: a.Addr().As4()}
	}
	return &unix.SockaddrInet6{Port: int(a.Port()), Addr: a.Addr().As16()}
}

// words numbers the tries.
var words atomic.Uint64

// exchange sends a word and waits for the answer. UDP and ICMP, which do not repeat themselves, are sent twice.
func (l *lab) exchange(t *Try, fd int, wait time.Duration) {
	f := os.NewFile(uintptr(fd), "try")
	defer f.Close()
	deadline := time.Now().Add(wait)
	word := binary.BigEndian.AppendUint64(nil, words.Add(1))
	sent, sends := word, []time.Time{time.Now().Add(wait / 2), deadline}
	switch t.Protocol {
	case "tcp":
		sends = sends[1:]
	case "icmp":
		sent = echo(t.Dst.Is4(), word)
	}
	buf := make([]byte, 128)
	for _, until := range sends {
		_ = f.SetDeadline(until)
		if _, err := f.Write(sent); err != nil && !errors.Is(err, unix.ECONNREFUSED) {
			return
		}
		for {
			n, err := read(t, f, buf)
			if err != nil {
				break
			}
			if t.hear(buf[:n], word, l.names) {
				return
			}
		}
	}
}

// read reads the next answer. The kernel takes an echo reply from anybody, so of ICMP those from others than the target
// are left out here.
func read(t *Try, f *os.File, buf []byte) (n int, err error) {
	if t.Protocol != "icmp" {
		return f.Read(buf)
	}
	raw, err := f.SyscallConn()
	if err != nil {
		return 0, err
	}
	for {
		var from unix.Sockaddr
		waitErr := raw.Read(func(fd uintptr) bool {
			n, from, err = unix.Recvfrom(int(fd), buf, 0)
			return !errors.Is(err, unix.EAGAIN)
		})
		if err = errors.Join(waitErr, err); err != nil || addrOf(from) == t.Dst {
			return n, err
		}
	}
}

func addrOf(a unix.Sockaddr) netip.Addr {
	switch a := a.(type) {
	case *unix.SockaddrInet4:
		return netip.AddrFrom4(a.Addr)
	case *unix.SockaddrInet6:
		return netip.AddrFrom16(a.Addr)
	}
	return netip.Addr{}
}

// echoHeader is the size of the header of an echo request and its reply.
const echoHeader = 8

// echo is an echo request (RFC 792, RFC 4443); the kernel fills in the identifier and the checksum.
func echo(four bool, word []byte) []byte {
	b := make([]byte, echoHeader, echoHeader+wordSize)
	b[0] = 128
	if four {
		b[0] = 8
	}
	binary.BigEndian.PutUint16(b[6:], 1)
	return append(b, word...)
}

// hear notes the answer to a try, when it is one; names are those of the ends that answer, by number.
func (t *Try) hear(answer, word []byte, names []string) bool {
	if t.Protocol == "icmp" {
		t.Passed = len(answer) >= echoHeader && bytes.HasPrefix(answer[echoHeader:], word)
		return t.Passed
	}
	if !bytes.HasPrefix(answer, word) || len(answer) < wordSize+whoSize {
		return false
	}
	// Where nobody else has the address, another end answers only for what an earlier try has left in a translation.
	if who := names[binary.BigEndian.Uint32(answer[wordSize:])]; who != t.To && t.shared {
		t.Other = who
		return true
	}
	t.Passed = true
	t.Saw, _ = netip.ParseAddr(string(answer[wordSize+whoSize:]))
	return true
}
