package rehearse

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"wendrik/internal/core/estate"
	"wendrik/internal/rehearse/stage"
)

// This file keeps a rehearsal standing, for the programs that are run in it later.

// socketPath is where the worker of a rehearsal that stands listens: one for each user.
func socketPath() string {
	folder := os.Getenv("XDG_RUNTIME_DIR")
	if folder == "" {
		folder = os.TempDir()
	}
	user := fmt.Sprint(os.Getuid())
	if IsWorker() {
		user = os.Getenv(userKey)
	}
	return filepath.Join(folder, "wendrik-rehearsal-"+user+".sock")
}

// listen makes the socket, in the place of one that a worker has left behind which is gone.
func listen() (*net.UnixListener, error) {
	c, err := call()
	switch {
	case err == nil:
		c.Close()
		return nil, errStands
	case !errors.Is(err, errNone):
		return nil, err
	}
	old := unix.Umask(0o077)
	defer unix.Umask(old)
	return net.ListenUnix("unix", &net.UnixAddr{Name: socketPath(), Net: "unix"})
}

// call calls the worker of the rehearsal that stands. The error is errNone when there is none; what a worker that is gone
// has left behind is cleared away then.
func call() (*net.UnixConn, error) {
	path := socketPath()
	info, err := os.Lstat(path)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil, errNone
	case err != nil:
		return nil, err
	}
	if owner, is := info.Sys().(*syscall.Stat_t); is && int(owner.Uid) != os.Getuid() {
		return nil, fmt.Errorf("%s belongs to somebody else: have it removed, or set XDG_RUNTIME_DIR to a folder of your own", path)
	}
	if info.Mode()&os.ModeSocket == 0 {
		return nil, fmt.Errorf("%s is no socket, and stands where that of a rehearsal belongs: remove it", path)
	}
	c, err := net.DialUnix("unix", nil, &net.UnixAddr{Name: path, Net: "unix"})
	if errors.Is(err, unix.ECONNREFUSED) {
		_ = os.Remove(path)
		return nil, errNone
	}
	if err != nil {
		return nil, fmt.Errorf("the rehearsal that stands does not answer: %w", err)
	}
	return c, nil
}

// host is a rehearsal that stands, with what goes on in it.
type host struct {
	*lab
	sum     string // of the plan that it was built from
	playing sync.Mutex
	lock    sync.Mutex // held while a program is started
}

// stay serves the socket until it is told to come down. Each caller is heard apart, so that none keeps others waiting.
func (h *host) stay(socket *net.UnixListener) {
	down := make(chan bool, 1)
	go func() {
		for {
			c, err := socket.AcceptUnix()
			if err != nil {
				down <- true
				return
			}
			go h.attend(c, down)
		}
	}()
	<-down
	h.lock.Lock() // no program is started any more
	for offspring := descendants(os.Getpid()); len(offspring) > 0; offspring = descendants(os.Getpid()) {
		for _, pid := range offspring {
			_ = syscall.Kill(pid, syscall.SIGKILL)
		}
		time.Sleep(5 * time.Millisecond)
	}
	h.lab.down()
}

// descendants are the processes that a process has started, and those that these have, but for such as have ended.
func descendants(of int) []int {
	children := map[int][]int{}
	stats, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, name := range stats {
		raw, err := os.ReadFile(name)
		if err != nil {
			continue // it has just ended
		}
		// The name of the program stands in parentheses, and may have any character.
		var state string
		var parent int
		if _, err := fmt.Sscan(string(raw[bytes.LastIndexByte(raw, ')')+1:]), &state, &parent); err != nil || state == "Z" {
			continue
		}
		if pid, err := strconv.Atoi(filepath.Base(filepath.Dir(name))); err == nil {
			children[parent] = append(children[parent], pid)
		}
	}
	all := children[of]
	for i := 0; i < len(all); i++ {
		all = append(all, children[all[i]]...)
	}
	return all
}

// attend does what one caller wants.
func (h *host) attend(c *net.UnixConn, down chan<- bool) {
	defer c.Close()
	out := teller{json.NewEncoder(c)}
	_ = c.SetReadDeadline(time.Now().Add(orderWait))
	buf, oob := make([]byte, 1<<16), make([]byte, unix.CmsgSpace(3*4))
	n, oobn, _, _, err := c.ReadMsgUnix(buf, oob) // the caller's files come with the first bytes
	if err != nil {
		return
	}
	in := json.NewDecoder(io.LimitReader(io.MultiReader(bytes.NewReader(buf[:n]), c), maxOrder))
	var o order
	if in.Decode(&o) != nil {
		closeFiles(oob[:oobn])
		return
	}
	_ = c.SetReadDeadline(time.Time{})
	switch o.Do {
	case "down":
		select {
		case down <- true:
		default:
		}
		_, _ = io.Copy(io.Discard, c) // until the caller has gone, or we
	case "again":
		if o.Sum != h.sum {
			out.say(report{Error: "the plan is not the one that stands: take that down with  wendrik rehearse -down,  and rehearse this one anew"})
			return
		}
		h.playing.Lock()
		defer h.playing.Unlock()
		out.say(report{Result: h.play(out.step())})
	case "in":
		h.runIn(o, in, oob[:oobn], out)
	}
}

// filesOf are the files that came over with a message.
func filesOf(oob []byte) ([]*os.File, error) {
	messages, err := unix.ParseSocketControlMessage(oob)
	var files []*os.File
	for i := range messages {
		fds, more := unix.ParseUnixRights(&messages[i])
		err = errors.Join(err, more)
		for _, fd := range fds {
			unix.CloseOnExec(fd)
			files = append(files, os.NewFile(uintptr(fd), "caller"))
		}
	}
	return files, err
}

func closeFiles(oob []byte) {
	files, _ := filesOf(oob)
	for _, f := range files {
		f.Close()
	}
}

// space is the namespace of a workload, or of another node by its name, with or without its kind.
func (l *lab) space(name string) *namespace {
	for _, suits := range []func(*stage.Node) bool{
		func(n *stage.Node) bool { return n.Workload != nil && n.Workload.Name == name },
		func(n *stage.Node) bool { return n.Name == name || strings.HasSuffix(n.Name, " "+name) },
	} {
		for _, n := range l.stage.Nodes {
			if suits(n) {
				return l.kernel.spaces[n]
			}
		}
	}
	return nil
}

// runIn runs a program in a place, with the files of the caller, whose signals come behind its order.
func (h *host) runIn(o order, signals *json.Decoder, oob []byte, out teller) {
	files, err := filesOf(oob)
	for _, f := range files {
		defer f.Close()
	}
	if err != nil || len(files) != 3 || len(o.Args) == 0 {
		out.say(report{Error: "the caller's files did not come over"})
		return
	}
	space := h.space(o.Place)
	if space == nil {
		out.say(report{Error: fmt.Sprintf("nothing in the rehearsal is named %s", o.Place)})
		return
	}
	p := exec.Command(o.Args[0], o.Args[1:]...)
	p.Stdin, p.Stdout, p.Stderr, p.Env, p.Dir = files[0], files[1], files[2], o.Env, o.Dir
	p.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	started := make(chan error)
	over := make(chan int)
	go func() {
		// The program dies with the thread that started it, so that is kept until its end.
		_ = space.do(func() error {
			h.lock.Lock()
			err := p.Start()
			h.lock.Unlock()
			if started <- err; err != nil {
				return nil
			}
			_ = p.Wait()
			_ = syscall.Kill(-p.Process.Pid, syscall.SIGKILL) // what it has left running in its group
			over <- p.ProcessState.ExitCode()
			return nil
		})
	}()
	if err := <-started; err != nil {
		out.say(report{Error: err.Error()})
		return
	}
	go func() { // signals of the caller, until it is gone
		for {
			var o order
			if signals.Decode(&o) != nil {
				_ = syscall.Kill(-p.Process.Pid, syscall.SIGHUP)
				return
			}
			_ = syscall.Kill(-p.Process.Pid, syscall.Signal(o.Kill))
		}
	}()
	status := <-over
	if status < 0 {
		status = 130 // a signal ended it
	}
	out.say(report{Status: &status})
}

// Again tries everything once more in the rehearsal that stands, as it is now.
func Again(e *estate.Estate, step func(what string, done, total int)) (*Result, error) {
	c, err := call()
	if err != nil {
		return nil, err
	}
	defer c.Close()
	if err := json.NewEncoder(c).Encode(order{Do: "again", Sum: sumOf(e.Plan.Files.Whole())}); err != nil {
		return nil, err
	}
	r, err := follow(json.NewDecoder(c), step)
	if err != nil {
		return nil, err
	}
	return r, bind(e, r)
}

// Down takes the rehearsal that stands down, and reports whether there was one.
func Down() (bool, error) {
	c, err := call()
	if errors.Is(err, errNone) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	defer c.Close()
	if err := json.NewEncoder(c).Encode(order{Do: "down"}); err != nil {
		return false, err
	}
	_ = c.SetReadDeadline(time.Now().Add(downWait))
	if _, err := io.Copy(io.Discard, c); err != nil && errors.Is(err, os.ErrDeadlineExceeded) {
		return false, errors.New("the rehearsal that stands does not come down: end the process  wendrik rehearse  by hand")
	}
	_ = os.Remove(socketPath())
	return true, nil
}

// In runs a program in a place of the rehearsal that stands, with this process's own files, and gives its exit status.
func In(place string, args []string) (int, error) {
	c, err := call()
	if err != nil {
		return 0, err
	}
	defer c.Close()
	path, err := exec.LookPath(args[0])
	if err != nil {
		return 0, err
	}
	if path, err = filepath.Abs(path); err != nil {
		return 0, err
	}
	dir, _ := os.Getwd()
	raw, err := json.Marshal(order{Do: "in", Place: place, Args: append([]string{path}, args[1:]...), Env: os.Environ(), Dir: dir})
	if err != nil {
		return 0, err
	}
	// The files go with the first byte: the kernel may take a long message in pieces.
	if _, _, err := c.WriteMsgUnix(raw[:1], unix.UnixRights(0, 1, 2), nil); err != nil {
		return 0, err
	}
	if _, err := c.Write(append(raw[1:], '\n')); err != nil {
		return 0, errors.New("the rehearsal came down meanwhile")
	}
	signals := make(chan os.Signal, 4)
	signal.Notify(signals, os.Interrupt, syscall.SIGTERM, syscall.SIGQUIT)
	go func() {
		for s := range signals {
			_ = json.NewEncoder(c).Encode(order{Kill: int(s.(syscall.Signal))})
		}
	}()
	var r report
	if err := json.NewDecoder(c).Decode(&r); err != nil {
		return 0, errors.New("the rehearsal came down meanwhile")
	}
	if r.Error != "" {
		return 0, errors.New(r.Error)
	}
	return *r.Status, nil
}
