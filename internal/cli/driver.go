package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/cloud/record"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/cloud/try"
	"wendrik/internal/core/phrase"
	"wendrik/internal/inlet"
	"wendrik/internal/session"
)

func driverCommand() *command {
	return &command{
		name: "driver", args: "[-try PROGRAM [ARGUMENT…]]",
		short: "the edge to any cloud: the driver of the simulated one, and the trial of others",
		long: "Build, drift and adopt speak to a cloud through a driver: a program that answers JSON-RPC 2.0 on its standard streams, or over HTTP; docs/driver.md describes it. " +
			"Driver is the one of the simulated cloud: it answers on the standard streams, or with -listen over HTTP for those who have a key. " +
			"-record FILE passes all questions on to the cloud of -at, any that there is, and writes each down with its answer; -replay FILE answers from such a record without a cloud, so that a drift can be looked into later, and lets nothing be done. " +
			"-try makes the conformance run on a driver that somebody else wrote: it makes things at its cloud, asks all that the protocol has, says what is not as it should be, and removes what it made. " +
			"The exit status is 1 when anything is not as the protocol wants it.",
		examples: []example{
			{"wendrik driver -try wendrik driver", "the conformance run, on the driver of the simulated cloud"},
			{"wendrik driver -try wendrik driver -format json", "the same for another program"},
			{`wendrik drift -at "wendrik driver -record friday.jsonl"`, "what is otherwise, kept as it was told"},
			{`wendrik drift -at "wendrik driver -replay friday.jsonl"`, "the same on another day, without the cloud"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			at := f.atFlags()
			trial := f.Bool("try", false, "make the conformance run on the driver that is named, rpc:URL or a program")
			keep := f.String("record", "", "pass all on to the cloud of -at, and write questions and answers to `FILE`, which is new; it has what is at the cloud in it, and no key")
			replay := f.String("replay", "", "answer from the record in `FILE`")
			listen := f.String("listen", "", "answer over HTTP at `ADDRESS`, such as 127.0.0.1:8471")
			format := f.oneOf("format", "of -try: how to write the result", "text", "json")
			wait := f.Duration("wait", 30*time.Second, "of -try: how long `TIME` it is waited until a thing is ready")
			f.apart("try", "listen")
			f.apart("try", "record", "replay")
			f.apart("replay", "at")
			f.onlyWith("format", "try")
			f.onlyWith("wait", "try")
			return func(c *call) (int, error) {
				ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
				defer stop()
				context.AfterFunc(ctx, stop) // a second interruption ends it at once
				if *trial {
					if len(c.args) == 0 {
						return cannot, &usageError{"-try needs the driver that is to be tried", "wendrik driver -try PROGRAM"}
					}
					return c.tryDriver(ctx, at, *format, *wait)
				}
				if err := c.noArguments("driver", "wendrik driver -try PROGRAM"); err != nil {
					return cannot, err
				}
				if *keep == "" && *replay == "" && !strings.HasPrefix(*at.at, "http://") && !strings.HasPrefix(*at.at, "https://") {
					return cannot, &usageError{"driver is that of the simulated cloud, and -at must be its address", "-at http://" + cloudAddress}
				}
				d, end, err := c.recorded(at, *keep, *replay)
				if err != nil {
					return cannot, err
				}
				defer end()
				if *listen != "" {
					return c.serveDriver(ctx, d, *listen, *at.keys)
				}
				if err := cloud.Serve(d, c.in, keepOpen{c.out}); err != nil && !errors.Is(err, context.Canceled) {
					return cannot, &usageError{fmt.Sprintf("the other side broke off: %s", err), ""}
				}
				return good, nil
			}
		},
	}
}

// keepOpen is where a driver answers, which is not its own to close.
type keepOpen struct{ *answer }

func (keepOpen) Close() error { return nil }

// recorded is the driver of a cloud, written down into a file where that is named, or the one that answers from a file.
func (c *call) recorded(at atFlags, keep, replay string) (d cloud.Driver, end func(), err error) {
	if replay != "" {
		in, err := inlet.Open(replay)
		if err != nil {
			return nil, nil, &usageError{fmt.Sprintf("%s cannot be read: %s", clean(replay), session.Reason(err)), "name a record with  -replay FILE;  -record FILE  makes one"}
		}
		defer in.Close()
		r, err := record.Read(in)
		if err != nil {
			return nil, nil, &usageError{fmt.Sprintf("%s is no record: %s", clean(replay), err), "-record FILE  makes one"}
		}
		return r, func() {}, nil
	}
	if d, err = c.driver(at); err != nil || keep == "" {
		return d, func() { d.Close() }, err
	}
	out, err := newFile(keep, "-record", 0o600)
	if err != nil {
		d.Close()
		return nil, nil, err
	}
	return record.New(d, out, time.Now), func() { d.Close(); out.Close() }, nil
}

// tryDriver makes the conformance run.
func (c *call) tryDriver(ctx context.Context, at atFlags, format string, wait time.Duration) (int, error) {
	word := strings.Join(c.args, " ") // one word is a command as -at takes it, several are its words
	at.at = &word
	var d cloud.Driver
	var err error
	if len(c.args) > 1 {
		d, err = started(c.args)
	} else {
		d, err = c.untried(at)
	}
	if err != nil {
		return cannot, err
	}
	asker, is := d.(try.Asker)
	if !is {
		d.Close()
		return cannot, &usageError{"-try is for drivers that are programs, or rpc:URL", "wendrik driver -try wendrik driver"}
	}
	checks := try.Run(ctx, asker, wait, func(x try.Check) {
		if format == "text" {
			c.tried1(x)
		}
	})
	closed := d.Close()
	if ctx.Err() != nil {
		left := "; what it made is removed"
		if last := checks[len(checks)-1]; last.Wrong != "" {
			left = ", and what it made has the label wendrik-try: " + last.Wrong
		}
		return cannot, &usageError{"it was interrupted" + left, ""}
	}
	end := try.Check{Name: "end", Wants: "the program ends by itself when its standard input does"}
	if closed != nil {
		end.Wrong = fmt.Sprintf("it did not, or said that something was wrong: %s", closed)
	}
	if format == "text" {
		c.tried1(end)
	}
	checks = append(checks, end)
	wrong, skipped := 0, 0
	for _, x := range checks {
		if x.Wrong != "" {
			wrong++
		} else if x.Skipped != "" {
			skipped++
		}
	}
	status := good
	if wrong > 0 {
		status = no
	}
	if format == "json" {
		out := tryOut{Driver: *at.at, Checks: []tryCheckOut{}}
		for _, x := range checks {
			out.Checks = append(out.Checks, tryCheckOut{x.Name, x.Wants, x.Wrong, x.Skipped})
		}
		return status, c.json(out)
	}
	words := asProtocol.say()
	if wrong > 0 {
		words = bad.Sprintf("%d of %s not as the protocol wants it", wrong, phrase.Count(len(checks), "check"))
	}
	if skipped > 0 {
		words += fmt.Sprintf("; %d not tried", skipped)
	}
	c.say("\n%s", words)
	return status, nil
}

// tried1 shows one check.
func (c *call) tried1(x try.Check) {
	switch {
	case x.Wrong != "":
		c.say("%s  %s", bad.Sprint("wrong "), c.wrap(8, x.Wants))
		c.say("        %s", c.wrap(8, clean(x.Wrong)))
	case x.Skipped != "":
		c.say("%s  %s", doubt.Sprint("untried"), c.wrap(8, x.Wants+": "+clean(x.Skipped)))
	default:
		c.say("%s  %s", fine.Sprint("good  "), c.wrap(8, x.Wants))
	}
}

// The JSON of a trial; docs/json.md describes it.
type tryOut struct {
	Driver string        `json:"driver"`
	Checks []tryCheckOut `json:"checks"`
}

type tryCheckOut struct {
	Name    string `json:"name"`
	Wants   string `json:"wants"`
	Wrong   string `json:"wrong"`
	Untried string `json:"untried"`
}

// serveDriver answers over HTTP until it is interrupted, to those who have one of the keys.
func (c *call) serveDriver(ctx context.Context, d cloud.Driver, listen, keys string) (int, error) {
	all, err := client.ReadKeys(keys)
	if err != nil {
		return cannot, keysError(keys, err)
	}
	callers := map[string]sim.Caller{}
	for _, k := range all {
		callers[k.Secret] = sim.Caller{Name: k.Name}
	}
	known := sim.KeysOf(callers)
	socket, err := net.Listen("tcp", listen)
	if err != nil {
		return cannot, &usageError{fmt.Sprintf("nothing can listen at %s: %s", clean(listen), session.Reason(err)), "-listen 127.0.0.1:0  takes a port that is free"}
	}
	hosts := sim.Hosts(socket.Addr())
	inner := cloud.Handler(d)
	handler := http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if err := sim.Guard(r, hosts); err != nil {
			http.Error(w, err.Error(), http.StatusForbidden)
			return
		}
		if _, may := known.Whose(r); !may {
			w.Header().Set("WWW-Authenticate", "Bearer")
			http.Error(w, "the request has no key: Authorization: Bearer KEY", http.StatusUnauthorized)
			return
		}
		r.Body = http.MaxBytesReader(w, r.Body, sim.MaxBody)
		inner.ServeHTTP(w, r)
	})
	c.say("the driver listens at  http://%s  (-at rpc:http://%s)", socket.Addr(), socket.Addr())
	if err := serve(ctx, socket, handler); err != nil {
		return cannot, &usageError{fmt.Sprintf("the driver ended: %s", err), ""}
	}
	return good, nil
}
