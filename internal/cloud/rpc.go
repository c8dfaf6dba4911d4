package cloud

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/creachadair/jrpc2/channel"
	"github.com/creachadair/jrpc2/handler"
	"github.com/creachadair/jrpc2/jhttp"
)

// refusedCode is the code of the errors of JSON-RPC that are refusals; their data says the reason.
const refusedCode jrpc2.Code = -32000

// The parameters of the methods that have more than one of the types above.
type (
	askThings struct {
		Page string `json:"page,omitempty"`
	}
	askThing struct {
		ID   string `json:"id"`
		Note string `json:"note,omitempty"`
	}
	askAccept struct {
		ID   string `json:"id"`
		Side string `json:"side"`
		Note string `json:"note"`
	}
	askLog struct {
		After int `json:"after"`
	}
	askHello struct {
		Protocol int `json:"protocol"`
	}
	nothing struct{}
	refusal struct {
		Reason  Reason `json:"reason"`
		AfterMS int64  `json:"after_ms,omitempty"`
	}
)

// methods are what a driver answers.
func methods(d Driver) handler.Map {
	return handler.Map{
		"hello": handler.New(func(ctx context.Context, q askHello) (*Hello, error) {
			if q.Protocol != Protocol {
				return nil, refuse(Refused(Unsupported, "this driver speaks version %d of the protocol, not %d", Protocol, q.Protocol))
			}
			h, err := d.Hello(ctx)
			return h, refuse(err)
		}),
		"things": handler.New(func(ctx context.Context, q askThings) (*Page, error) {
			p, err := d.Things(ctx, q.Page)
			return p, refuse(err)
		}),
		"thing": handler.New(func(ctx context.Context, q askThing) (*Thing, error) {
			t, err := d.Thing(ctx, q.ID)
			return t, refuse(err)
		}),
		"make": handler.New(func(ctx context.Context, o *Order) (*Thing, error) {
			t, err := d.Make(ctx, o)
			return t, refuse(err)
		}),
		"change": handler.New(func(ctx context.Context, a *Alteration) (*Thing, error) {
			t, err := d.Change(ctx, a)
			return t, refuse(err)
		}),
		"remove": handler.New(func(ctx context.Context, q askThing) (nothing, error) {
			return nothing{}, refuse(d.Remove(ctx, q.ID, q.Note))
		}),
		"accept": handler.New(func(ctx context.Context, q askAccept) (*Thing, error) {
			t, err := d.Accept(ctx, q.ID, q.Side, q.Note)
			return t, refuse(err)
		}),
		"lock": handler.New(func(ctx context.Context, h *Hold) (nothing, error) {
			return nothing{}, refuse(LockerOf(d).Lock(ctx, h))
		}),
		"unlock": handler.New(func(ctx context.Context, h *Hold) (nothing, error) {
			return nothing{}, refuse(LockerOf(d).Unlock(ctx, h))
		}),
		"log": handler.New(func(ctx context.Context, q askLog) (*Entries, error) {
			e, err := d.Log(ctx, q.After)
			return e, refuse(err)
		}),
	}
}

// refuse is an error as JSON-RPC has it.
func refuse(err error) error {
	var r *Refusal
	switch {
	case err == nil:
		return nil
	case errors.As(err, &r):
		return jrpc2.Errorf(refusedCode, "%s", r.Message).WithData(refusal{r.Reason, r.After.Milliseconds()})
	}
	return jrpc2.Errorf(jrpc2.InternalError, "%s", err)
}

// Serve answers for a driver on two streams, one message on each line, until the first one ends.
func Serve(d Driver, in io.Reader, out io.WriteCloser) error {
	s := jrpc2.NewServer(methods(d), &jrpc2.ServerOptions{Concurrency: 64}).Start(channel.Line(in, out))
	return s.Wait()
}

// Handler answers for a driver over HTTP: a message in the body of each POST.
func Handler(d Driver) http.Handler {
	return jhttp.NewBridge(methods(d), &jhttp.BridgeOptions{Server: &jrpc2.ServerOptions{Concurrency: 64}})
}

// spoken is a driver that is spoken to.
type spoken struct {
	client *jrpc2.Client
	end    func() error
	words  *tail // what a program said on its standard error
}

// Run starts the program of a driver. What it writes on its standard error is kept for the error that tells why it ended.
func Run(words []string) (Driver, error) {
	cmd := exec.Command(words[0], words[1:]...)
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	errs, err := cmd.StderrPipe()
	if err != nil {
		return nil, err
	}
	apart(cmd)
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	said := &tail{ended: make(chan struct{})}
	go func() {
		io.Copy(said, errs)
		close(said.ended)
	}()
	d := Spoken(out, in).(*spoken)
	d.words = said
	d.end = func() error {
		in.Close()
		kill := time.AfterFunc(5*time.Second, func() { cmd.Process.Kill() }) // where it was asked to end, and does not
		defer kill.Stop()
		d.client.Close()
		said.wait() // before Wait, which closes what it is read from
		return cmd.Wait()
	}
	return d, nil
}

// Spoken speaks to a driver over two streams, one message on each line.
func Spoken(answers io.Reader, questions io.WriteCloser) Driver {
	client := jrpc2.NewClient(channel.Line(&bounded{from: answers}, questions), nil)
	return &spoken{client, client.Close, &tail{}}
}

// Over speaks to a driver over HTTP, with a key in the Authorization header (RFC 6750) when it is not empty.
func Over(url, key string) Driver {
	c := &http.Client{Timeout: 2 * time.Minute, Transport: bearer{key}, CheckRedirect: Stay}
	client := jrpc2.NewClient(jhttp.NewChannel(url, &jhttp.ChannelOptions{Client: c}), nil)
	return &spoken{client, client.Close, &tail{}}
}

// Stay follows no redirect, as the CheckRedirect of an HTTP client: a key is for the address that a person named.
func Stay(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }

type bearer struct{ key string }

func (b bearer) RoundTrip(r *http.Request) (*http.Response, error) {
	if b.key != "" {
		r = r.Clone(r.Context())
		r.Header.Set("Authorization", "Bearer "+b.key)
	}
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err == nil {
		answer.Body = &limited{answer.Body, mostMessage}
	}
	return answer, err
}

// tail keeps the last that was written to it.
type tail struct {
	mu    sync.Mutex
	text  []byte
	ended chan struct{} // closed when nothing more comes; nil where nothing comes at all
}

func (t *tail) Write(p []byte) (int, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.text = append(t.text, p...)
	if len(t.text) > 4096 {
		t.text = slices.Clone(t.text[len(t.text)-4096:])
	}
	return len(p), nil
}

// wait is until all words of a program that ended have come: they come by another way than its answers, and may be later.
// What another program holds open is not waited for longer than two seconds.
func (t *tail) wait() {
	if t.ended == nil {
		return
	}
	select {
	case <-t.ended:
	case <-time.After(2 * time.Second):
	}
}

// Last is the last line that was written, but for those that are indented below it.
func (t *tail) Last() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	lines := strings.Split(strings.TrimSpace(string(t.text)), "\n")
	for i := len(lines) - 1; i > 0; i-- {
		if lines[i] != "" && lines[i] == strings.TrimLeft(lines[i], " \t") {
			return strings.TrimSpace(lines[i])
		}
	}
	return strings.TrimSpace(lines[0])
}

// call asks, and turns what says no into a *Refusal.
func (r *spoken) call(ctx context.Context, method string, ask, answer any) error {
	err := r.client.CallResult(ctx, method, ask, answer)
	var e *jrpc2.Error
	switch {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &e) && (e.Code == jrpc2.MethodNotFound):
		return Refused(Unsupported, "the driver does not answer %s", method)
	case errors.As(err, &e) && (e.Code == jrpc2.InvalidParams || e.Code == jrpc2.InvalidRequest || e.Code == jrpc2.ParseError):
		return Refused(Unspeakable, "the driver does not take the parameters of %s: %s", method, e.Message)
	case errors.As(err, &e) && e.Code == refusedCode:
		var why refusal
		if json.Unmarshal(e.Data, &why) != nil || why.Reason == "" {
			return Refused(Fault, "%s", e.Message)
		}
		return &Refusal{why.Reason, e.Message, time.Duration(why.AfterMS) * time.Millisecond}
	case errors.As(err, &e) && e.Code == jrpc2.InternalError && !r.client.IsStopped(): // which says so, too, when its channel broke
		return Refused(Fault, "%s", e.Message)
	case errors.As(err, &e) && e.Code != jrpc2.InternalError && !r.client.IsStopped():
		return Refused(Fault, "the driver answers %s with an error that the protocol does not have (%d): %s", method, int(e.Code), e.Message)
	}
	var shape *json.UnmarshalTypeError
	var broken *json.SyntaxError
	if errors.As(err, &shape) || errors.As(err, &broken) {
		return Refused(Fault, "the driver's answer to %s cannot be read: %s", method, err)
	}
	if r.client.IsStopped() {
		r.words.wait()
	}
	if said := r.words.Last(); said != "" {
		return fmt.Errorf("the driver gave no answer to %s; the last it said was: %s", method, said)
	}
	if errors.Is(err, context.Canceled) { // which the client says when the other side is gone
		return fmt.Errorf("the driver ended before it answered %s", method)
	}
	return fmt.Errorf("the driver gave no answer to %s: %w", method, err)
}

// Ask asks by the name of a method.
func (r *spoken) Ask(ctx context.Context, method string, ask, answer any) error {
	if answer == nil {
		answer = &json.RawMessage{}
	}
	return r.call(ctx, method, ask, answer)
}

func (r *spoken) Hello(ctx context.Context) (*Hello, error) {
	var h Hello
	err := r.call(ctx, "hello", askHello{Protocol}, &h)
	if err == nil && h.Protocol != Protocol {
		err = Refused(Unspeakable, "the driver speaks version %d of the protocol, and this program version %d", h.Protocol, Protocol)
	}
	return &h, err
}

func (r *spoken) Things(ctx context.Context, page string) (*Page, error) {
	var p Page
	return &p, r.call(ctx, "things", askThings{page}, &p)
}

func (r *spoken) Thing(ctx context.Context, id string) (*Thing, error) {
	var t Thing
	return &t, r.call(ctx, "thing", askThing{ID: id}, &t)
}

func (r *spoken) Make(ctx context.Context, o *Order) (*Thing, error) {
	var t Thing
	return &t, r.call(ctx, "make", o, &t)
}

func (r *spoken) Change(ctx context.Context, a *Alteration) (*Thing, error) {
	var t Thing
	return &t, r.call(ctx, "change", a, &t)
}

func (r *spoken) Remove(ctx context.Context, id, note string) error {
	return r.call(ctx, "remove", askThing{id, note}, &nothing{})
}

func (r *spoken) Accept(ctx context.Context, id, side, note string) (*Thing, error) {
	var t Thing
	return &t, r.call(ctx, "accept", askAccept{id, side, note}, &t)
}

func (r *spoken) Log(ctx context.Context, after int) (*Entries, error) {
	var e Entries
	return &e, r.call(ctx, "log", askLog{after}, &e)
}

func (r *spoken) Lock(ctx context.Context, h *Hold) error {
	return r.call(ctx, "lock", h, &nothing{})
}

func (r *spoken) Unlock(ctx context.Context, h *Hold) error {
	return r.call(ctx, "unlock", h, &nothing{})
}

func (r *spoken) Close() error {
	return r.end()
}
