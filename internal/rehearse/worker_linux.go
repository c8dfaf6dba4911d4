package rehearse

import (
	"bufio"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"runtime"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
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

var (
	errStands = errors.New("a rehearsal stands already: take it down first with  wendrik rehearse -down")
	errNone   = errors.New("no rehearsal stands: build one with  wendrik rehearse -keep")
)

// What a caller says is bounded in size and time. An environment is larger than the kernel takes long before the former.
const (
	maxOrder  = 32 << 20
	orderWait = 10 * time.Second
)

// downWait is how long a rehearsal may take to come down; the kernel clears a thousand namespaces away meanwhile.
const downWait = 60 * time.Second
