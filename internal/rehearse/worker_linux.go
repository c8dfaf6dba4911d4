package rehearse

import (
	"bufio"
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
	"strings"
	"syscall"

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
	Do    string // play, keep, again, in or down
	Name  string
	Text  string
	Opt   Options
	Keep  bool
	Place string
	Args  []string
	Env   []string
	Dir   string
	Kill  int
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
		if c, err := call(); err == nil {
			c.Close()
			return nil, errors.New("a rehearsal stands already: take it down first with  wendrik rehearse -down")
		}
	}
	first := order{Do: "play", Name: e.Plan.Files.First().Name, Text: e.Plan.Files.First().Text, Opt: opt, Keep: keep}
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
			return nil, fmt.Errorf("the rehearsal ended before it had a result: %w", err)
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
	if err := in.Decode(&first); err != nil || first.Do != "keep" {
		return 1
	}
	signal.Ignore(syscall.SIGHUP, syscall.SIGPIPE)
	l.stay(socket)
	return 0
}

// perform loads the plan of an order, builds it, and tries it.
func perform(o order, out teller) (*lab, *Result, error) {
	e, findings := estate.Load(text.One(o.Name, o.Text))
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
	at := &net.UnixAddr{Name: socketPath(), Net: "unix"}
	if c, err := net.DialUnix("unix", nil, at); err == nil {
		c.Close()
		return nil, errors.New("a rehearsal stands already: take it down first with  wendrik rehearse -down")
	}
	_ = os.Remove(at.Name)
	old := unix.Umask(0o077)
	defer unix.Umask(old)
	return net.ListenUnix("unix", at)
}

// call calls the worker of the rehearsal that stands, when it is one of this user's.
func call() (*net.UnixConn, error) {
	c, err := net.DialUnix("unix", nil, &net.UnixAddr{Name: socketPath(), Net: "unix"})
	if err != nil {
		return nil, errors.New("no rehearsal stands: build one with  wendrik rehearse -keep")
	}
	raw, err := c.SyscallConn()
	if err != nil {
		return nil, err
	}
	var peer *unix.Ucred
	if ctlErr := raw.Control(func(fd uintptr) { peer, err = unix.GetsockoptUcred(int(fd), unix.SOL_SOCKET, unix.SO_PEERCRED) }); ctlErr != nil || err != nil || int(peer.Uid) != os.Getuid() {
		c.Close()
		return nil, fmt.Errorf("what listens at %s is not yours", socketPath())
	}
	return c, nil
}

// stay serves the socket until it is told to come down.
func (l *lab) stay(socket *net.UnixListener) {
	for {
		c, err := socket.AcceptUnix()
		if err != nil {
			return
		}
		down := make(chan bool)
		go func() { down <- l.attend(c) }()
		// One word after another, but programs run side by side with all else.
		if <-down {
			l.down()
			return
		}
	}
}

// attend does what one caller wants, and reports whether that is to come down.
func (l *lab) attend(c *net.UnixConn) (down bool) {
	out := teller{json.NewEncoder(c)}
	buf, oob := make([]byte, 1<<20), make([]byte, unix.CmsgSpace(3*4))
	n, oobn, _, _, err := c.ReadMsgUnix(buf, oob)
	for err == nil && n < len(buf) && (n == 0 || buf[n-1] != '\n') { // a long word comes in pieces
		var more int
		more, err = c.Read(buf[n:])
		n += more
	}
	var o order
	if err != nil || json.Unmarshal(buf[:n], &o) != nil {
		c.Close()
		return false
	}
	switch o.Do {
	case "down":
		out.say(report{Status: new(int)})
		c.Close()
		return true
	case "again":
		out.say(report{Result: l.play(out.step())})
		c.Close()
	case "in":
		go func() {
			defer c.Close()
			l.runIn(o, c, oob[:oobn], out)
		}()
	default:
		c.Close()
	}
	return false
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

// runIn runs a program in a place, with the files of the caller.
func (l *lab) runIn(o order, c *net.UnixConn, oob []byte, out teller) {
	messages, err := unix.ParseSocketControlMessage(oob)
	var fds []int
	if err == nil && len(messages) == 1 {
		fds, err = unix.ParseUnixRights(&messages[0])
	}
	if err != nil || len(fds) != 3 {
		out.say(report{Error: "the caller's files did not come over"})
		return
	}
	var files []*os.File
	for _, fd := range fds {
		f := os.NewFile(uintptr(fd), "caller")
		defer f.Close()
		files = append(files, f)
	}
	space := l.space(o.Place)
	if space == nil {
		out.say(report{Error: fmt.Sprintf("nothing in the rehearsal is named %s", o.Place)})
		return
	}
	p := exec.Command(o.Args[0], o.Args[1:]...)
	p.Stdin, p.Stdout, p.Stderr, p.Env, p.Dir = files[0], files[1], files[2], o.Env, o.Dir
	p.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if err := space.do(p.Start); err != nil {
		out.say(report{Error: err.Error()})
		return
	}
	go func() { // signals of the caller, until it is gone
		d := json.NewDecoder(c)
		for {
			var o order
			if d.Decode(&o) != nil {
				_ = syscall.Kill(-p.Process.Pid, syscall.SIGHUP)
				return
			}
			_ = syscall.Kill(-p.Process.Pid, syscall.Signal(o.Kill))
		}
	}()
	_ = p.Wait()
	status := p.ProcessState.ExitCode()
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
	if err := json.NewEncoder(c).Encode(order{Do: "again"}); err != nil {
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
	if err != nil {
		_ = os.Remove(socketPath()) // of one that was killed
		return false, nil
	}
	defer c.Close()
	if err := json.NewEncoder(c).Encode(order{Do: "down"}); err != nil {
		return false, err
	}
	_, _ = io.Copy(io.Discard, c)
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
	if _, _, err := c.WriteMsgUnix(append(raw, '\n'), unix.UnixRights(0, 1, 2), nil); err != nil {
		return 0, err
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
