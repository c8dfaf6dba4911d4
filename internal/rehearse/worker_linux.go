package rehearse

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/rehearse/stage"
)

// This file runs a rehearsal in a process of its own, the worker: the program starts itself once more, in a user
// namespace where it is not root, and the two talk by lines of JSON. All network namespaces belong to the worker.

// workerKey is the variable of the environment that makes this program a worker.
const workerKey = "WENDRIK_REHEARSAL"

// userKey is the variable that tells a worker whose it is, since in a user namespace everybody is root.
const userKey = "WENDRIK_REHEARSAL_USER"

// IsWorker reports whether this process was started as a worker.
func IsWorker() bool { return os.Getenv(workerKey) == "worker" }

// order is what a worker is asked for; the later ones come over its socket.
type order struct {
	Do     string  // play, steps, keep, again, in or down
	Files  []named // of the plan
	States []State // of steps: the last is the plan
	Opt    Options
	Keep   bool
	Place  string
	Args   []string
	Env    []string
	Dir    string
	Kill   int
	Sum    string // of the text that another try is to be about
}

// report is what a worker says.
type report struct {
	What        string // of a step
	Done, Total int
	Result      *Result
	Status      *int // of a program that has ended
	Error       string
	Barred      bool // whether it lacks the right to make namespaces
}

// Run rehearses an estate. It calls step with what is being done, how much of it is done, and how much there is. With
// keep set it leaves the rehearsal standing. It needs the right to make network namespaces: root, or a kernel that lets
// anybody make user namespaces.
func Run(e *estate.Estate, opt Options, keep bool, step func(what string, done, total int)) (*Result, error) {
	if keep {
		c, err := call()
		if err == nil {
			c.Close()
			return nil, errStands
		}
		if !errors.Is(err, errNone) {
			return nil, err
		}
	}
	return start(e, order{Do: "play", Files: textsOf(e), Opt: opt, Keep: keep}, step)
}

// start starts a worker with the rights that there are, and follows it.
func start(e *estate.Estate, first order, step func(what string, done, total int)) (*Result, error) {
	var r *Result
	err := error(errBarred)
	if os.Geteuid() == 0 {
		r, err = work(first, nil, step)
	}
	if errors.Is(err, errBarred) {
		r, err = work(first, &syscall.SysProcAttr{Cloneflags: syscall.CLONE_NEWUSER,
			UidMappings: []syscall.SysProcIDMap{{HostID: os.Getuid(), Size: 1}}, GidMappings: []syscall.SysProcIDMap{{HostID: os.Getgid(), Size: 1}}}, step)
	}
	if errors.Is(err, errBarred) {
		return nil, errors.New("this kernel lets you make no network namespaces: run it as root, or allow user namespaces (the settings user.max_user_namespaces, user.max_net_namespaces and kernel.unprivileged_userns_clone)")
	}
	if err != nil {
		return nil, err
	}
	return r, bind(e, r)
}

var errBarred = errors.New("no right to make namespaces")

// bind puts the expectations of the plan into a result that has come from a worker.
func bind(e *estate.Estate, r *Result) error {
	if len(r.Expected) != len(e.Plan.Expect) {
		return errors.New("the plan is not the one that stands: take it down with  wendrik rehearse -down,  and rehearse anew")
	}
	for i := range r.Expected {
		r.Expected[i].Expectation = &e.Plan.Expect[i]
	}
	return nil
}

// work starts a worker and follows it to its result.
func work(first order, attr *syscall.SysProcAttr, step func(string, int, int)) (*Result, error) {
	// The worker dies with the thread that started it, unless it is to stay.
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	if attr == nil {
		attr = &syscall.SysProcAttr{}
	}
	// Even what the worker does by mistake stays out of the machine's own network.
	attr.Cloneflags |= syscall.CLONE_NEWNET
	if first.Keep {
		attr.Setsid = true
	} else {
		attr.Pdeathsig = syscall.SIGKILL
	}
	c := exec.Command("/proc/self/exe", "rehearse")
	c.Env = append(os.Environ(), workerKey+"=worker", userKey+"="+fmt.Sprint(os.Getuid()))
	c.SysProcAttr = attr
	in, err := c.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := c.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := c.Start(); err != nil {
		if errors.Is(err, os.ErrPermission) || errors.Is(err, unix.ENOSPC) || errors.Is(err, unix.EINVAL) {
			return nil, errBarred
		}
		return nil, err
	}
	defer in.Close()
	if err := json.NewEncoder(in).Encode(first); err != nil {
		return nil, err
	}
	r, err := follow(json.NewDecoder(out), step)
	if err == nil && first.Keep {
		// Until this word comes the worker goes down with us.
		if err = json.NewEncoder(in).Encode(order{Do: "keep"}); err == nil {
			return r, nil
		}
	}
	in.Close()
	_ = c.Process.Kill()
	_ = c.Wait()
	return r, err
}

// follow reads reports up to a result.
func follow(d *json.Decoder, step func(string, int, int)) (*Result, error) {
	for {
		var r report
		if err := d.Decode(&r); err != nil {
			return nil, errors.New("the rehearsal ended before it had a result: something ended its process, or memory ran out")
		}
		switch {
		case r.Barred:
			return nil, errBarred
		case r.Error != "":
			return nil, errors.New(r.Error)
		case r.Result != nil:
			return r.Result, nil
		case step != nil:
			step(r.What, r.Done, r.Total)
		}
	}
}

// teller says things to whoever started or called a worker.
type teller struct{ *json.Encoder }

func (t teller) say(r report) { _ = t.Encode(r) }

// step reports progress, not more often than anybody can read.
func (t teller) step() func(string, int, int) {
	last := ""
	return func(what string, done, total int) {
		if key := fmt.Sprint(what, done*100/max(total, 1)); key != last {
			last = key
			t.say(report{What: what, Done: done, Total: total})
		}
	}
}

// Work is all that a worker does. It gives the exit status of its process.
func Work() int {
	out := teller{json.NewEncoder(os.Stdout)}
	in := json.NewDecoder(bufio.NewReader(os.Stdin))
	var first order
	if err := in.Decode(&first); err != nil {
		return 1
	}
	if space, err := newNamespace(); err != nil {
		out.say(report{Barred: true, Error: err.Error()})
		return 1
	} else {
		space.close()
	}
	if first.Do == "steps" {
		r, err := performSteps(first, out)
		if err != nil {
			out.say(report{Error: err.Error()})
			return 1
		}
		out.say(report{Result: r})
		return 0
	}
	l, r, err := perform(first, out)
	if err != nil {
		out.say(report{Error: err.Error()})
		return 1
	}
	if !first.Keep {
		l.down()
		out.say(report{Result: r})
		return 0
	}
	socket, err := listen()
	if err != nil {
		l.down()
		out.say(report{Error: err.Error()})
		return 1
	}
	defer socket.Close()
	out.say(report{Result: r})
	var second order
	if err := in.Decode(&second); err != nil || second.Do != "keep" {
		return 1
	}
	// They are taken, and not ignored: what is ignored would be so in the programs that are run here, too.
	signal.Notify(make(chan os.Signal, 1), syscall.SIGHUP, syscall.SIGPIPE)
	// What a program leaves running becomes a child of this process, and ends with it.
	_ = unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
	(&host{lab: l, sum: sumOf(filesFrom(first.Files).Whole())}).stay(socket)
	return 0
}

func filesFrom(all []named) *text.Files {
	files := text.NewFiles(nil)
	for _, f := range all {
		files.Add(f.Name, f.Text)
	}
	return files
}

// sumOf is a short name for a text.
func sumOf(text string) string { return fmt.Sprintf("%x", sha256.Sum256([]byte(text))) }

// perform loads the plan of an order, builds it, and tries it.
func perform(o order, out teller) (*lab, *Result, error) {
	e, findings := estate.Load(filesFrom(o.Files))
	if len(findings) > 0 {
		return nil, nil, errors.New(findings[0].Message)
	}
	s, err := newScript(e, o.Opt)
	if err != nil {
		return nil, nil, err
	}
	l, err := raise(s, out.step())
	if err != nil {
		return nil, nil, fmt.Errorf("the plan cannot be built here: %w", err)
	}
	return l, l.play(out.step()), nil
}

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

var (
	errStands = errors.New("a rehearsal stands already: take it down first with  wendrik rehearse -down")
	errNone   = errors.New("no rehearsal stands: build one with  wendrik rehearse -keep")
)

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

// What a caller says is bounded in size and time. An environment is larger than the kernel takes long before the former.
const (
	maxOrder  = 32 << 20
	orderWait = 10 * time.Second
)

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

// downWait is how long a rehearsal may take to come down; the kernel clears a thousand namespaces away meanwhile.
const downWait = 60 * time.Second

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
