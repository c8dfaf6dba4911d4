package cli

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/signal"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"wendrik/internal/cloud/client"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/wrong"
	"wendrik/internal/session"
)

// cloudAddress is where the simulated cloud listens unless told otherwise.
const cloudAddress = "127.0.0.1:8470"

// keysFile is where keys are unless told otherwise.
const keysFile = "cloud.keys"

func cloudCommand() *command {
	var kinds []string
	for _, k := range sim.FaultKinds {
		kinds = append(kinds, "  "+k[0]+"  "+k[1])
	}
	return &command{
		name: "cloud", args: "[PLAN]",
		short: "a small simulated cloud to build in",
		long: "Cloud serves a small simulated cloud on the loopback address, with an interface of its own that it describes at /openapi.json (OpenAPI 3.1; -describe prints the same). " +
			"It has the regions and the profile of the plan, and owners with keys: they are made at the first start and written into a file that only you can read. " +
			"It behaves as clouds do: it makes identifiers up, takes its time until things are ready, has a default network at birth, refuses what overlaps or has the wrong size, removes nothing that others need, " +
			"has a peering wait for its other owner, and has quotas, pages and a rate limit. Its state is one SQLite file, which no second program can have at the same time, and what it has answered is kept when it is killed. " +
			"-faults has calls go wrong, counted among those that change something: KIND@N, KIND@N+ or KIND@P%, with commas between them. The kinds are:\n\n" + strings.Join(kinds, "\n"),
		examples: []example{
			{"wendrik cloud -describe", "its interface, in OpenAPI 3.1"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			state := f.String("state", "cloud.db", "the `FILE` of its state")
			keys := f.String("keys", keysFile, "the `FILE` with the keys of its owners")
			listen := f.String("listen", cloudAddress, "the `ADDRESS` to listen at; one that is not of this machine alone can be asked by others")
			owners := f.String("owners", "", "`OWNERS`, and persons with keys of their own, with commas: skerry-line,skerry-line/night-shift; the name of the estate unless given")
			delay := f.Duration("delay", 200*time.Millisecond, "how long `TIME` it takes until what is made or changed is ready")
			quota := f.String("quota", "", "`QUOTAS`: how many things of a kind each owner may have, such as network=5,peering=10")
			perSecond := f.Int("rate", 1000, "how many calls `N` each key may make in a second; 0 for as many as it likes")
			faults := f.String("faults", "", "`FAULTS`: what goes wrong, and when, such as refuse@12,lose@5%")
			describe := f.Bool("describe", false, "print the description of its interface, and do nothing else")
			return func(c *call) (int, error) {
				if *describe {
					return good, c.json(sim.Description())
				}
				if len(c.args) > 1 {
					return cannot, &usageError{"cloud takes one plan", "wendrik cloud wendrik.yaml"}
				}
				o, err := c.cloudOptions(*owners, *quota, *faults)
				if err != nil {
					return cannot, err
				}
				o.Delay = *delay
				if *perSecond < 0 || *delay < 0 {
					return cannot, &usageError{"-rate and -delay cannot be less than 0", ""}
				}
				return c.serveCloud(*state, *keys, *listen, *perSecond, o)
			}
		},
	}
}

// cloudOptions are those that the flags and the plan ask for. Of Owners those with a slash are persons.
func (c *call) cloudOptions(owners, quota, faults string) (*sim.Options, error) {
	o := &sim.Options{Profile: map[string]string{"like": "plain"}, Quotas: map[stock.Kind]int{}}
	name := "wendrik.yaml"
	if len(c.args) == 1 {
		name = c.args[0]
	}
	estateName := "skerry-line"
	if _, err := os.Stat(name); err == nil || len(c.args) == 1 {
		plan, err := c.open(name)
		if err != nil {
			return nil, err
		}
		head := stock.HeadOf(plan.Estate)
		estateName, o.Profile, o.Regions = head.Estate, head.Profile, head.Regions
	} else {
		o.Regions = []stock.Region{{Name: "west", Zones: []string{"west-a", "west-b", "west-c"}}, {Name: "north", Zones: []string{"north-a", "north-b"}}}
	}
	if owners == "" {
		owners = estateName
	}
	for one := range strings.SplitSeq(owners, ",") {
		one = strings.TrimSpace(one)
		if owner, person, has := strings.Cut(one, "/"); owner == "" || has && person == "" || len(one) > 100 {
			return nil, &usageError{fmt.Sprintf("%q is no owner", one), "write  -owners OWNER,OWNER/PERSON"}
		}
		o.Owners = append(o.Owners, one)
	}
	if quota != "" {
		for one := range strings.SplitSeq(quota, ",") {
			kind, most, _ := strings.Cut(strings.TrimSpace(one), "=")
			n, err := strconv.Atoi(most)
			if err != nil || n < 0 || stock.SpecOf(stock.Kind(kind)) == nil {
				return nil, &usageError{fmt.Sprintf("%q is no quota", one), "write  -quota network=5,peering=10"}
			}
			o.Quotas[stock.Kind(kind)] = n
		}
	}
	var err error
	if o.Faults, err = sim.ParseFaults(faults); err != nil {
		return nil, &usageError{err.Error(), wrong.Right(err)}
	}
	return o, nil
}

// serveCloud serves the simulated cloud until it is interrupted.
func (c *call) serveCloud(state, keys, listen string, perSecond int, o *sim.Options) (int, error) {
	names := o.Owners
	o.Owners = nil
	for _, n := range names {
		if owner, _, _ := strings.Cut(n, "/"); !slices.Contains(o.Owners, owner) {
			o.Owners = append(o.Owners, owner)
		}
	}
	socket, err := net.Listen("tcp", listen)
	if err != nil {
		return cannot, &usageError{fmt.Sprintf("nothing can listen at %s: %s", clean(listen), session.Reason(err)), "-listen 127.0.0.1:0  takes a port that is free"}
	}
	o.Die = func() {
		if p, err := os.FindProcess(os.Getpid()); err == nil {
			p.Kill()
		}
		select {}
	}
	o.Deny = func(err error) bool {
		c.complain(fmt.Sprintf("the state cannot be written: %s", err), "")
		os.Exit(cannot)
		return true
	}
	s, err := sim.Open(state, *o)
	if err != nil {
		return cannot, &usageError{fmt.Sprintf("the state %s cannot be used: %s", clean(state), err), "name another file with  -state FILE"}
	}
	all, err := client.KeepKeys(keys, names)
	if err != nil {
		s.Close()
		return cannot, keysError(keys, err)
	}
	callers := map[string]sim.Caller{}
	for _, k := range all {
		owner, _, _ := strings.Cut(k.Name, "/")
		if slices.Contains(s.Owners(), owner) {
			callers[k.Secret] = sim.Caller{Owner: owner, Name: k.Name}
		}
	}
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	if host, _, err := net.SplitHostPort(socket.Addr().String()); err == nil && !net.ParseIP(host).IsLoopback() {
		c.tell("others than this machine can ask at %s; they need a key, and what goes there is not encrypted", clean(listen))
	}
	c.say("the cloud listens at  http://%s  (%s; the keys are in %s, the state is in %s)", socket.Addr(), phrase.Count(len(s.Owners()), "owner"), clean(keys), clean(state))
	if err := serve(ctx, socket, sim.NewServer(s, callers, sim.Hosts(socket.Addr()), perSecond)); err != nil {
		s.Close()
		return cannot, &usageError{fmt.Sprintf("the cloud ended: %s", err), ""}
	}
	if err := s.Close(); err != nil {
		return cannot, &usageError{fmt.Sprintf("the state cannot be closed: %s", err), ""}
	}
	return good, nil
}

// serve answers requests at a socket until the context ends, and what is under way then; the error is that of the socket.
func serve(ctx context.Context, socket net.Listener, handler http.Handler) error {
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 5 * time.Second, ReadTimeout: 30 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 16 << 10}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(socket) }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	end, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	if server.Shutdown(end) != nil {
		_ = server.Close()
	}
	return nil
}

// keysError says why a file of keys cannot be used; nothing of what stands in it is told.
func keysError(file string, err error) error {
	if right := wrong.Right(err); right != "" {
		return &usageError{err.Error(), right}
	}
	if errors.Is(err, os.ErrNotExist) {
		return &usageError{fmt.Sprintf("there is no file of keys %s", clean(file)), "name it with  -keys FILE;  wendrik cloud  makes one"}
	}
	return &usageError{fmt.Sprintf("the keys in %s cannot be read: %s", clean(file), session.Reason(err)), "name another file with  -keys FILE"}
}
