package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os/signal"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"github.com/fsnotify/fsnotify"

	"wendrik/internal/report"
)

// This file serves a report to this machine, and keeps it up to date while the plan is edited.

// gatherFor is how long edits are gathered before the page is made anew.
const gatherFor = 200 * time.Millisecond

// live is a page that is served, with those who are to hear that it has changed.
type live struct {
	lock    sync.Mutex
	content []byte
	hear    map[chan struct{}]bool
	host    string
}

func (c *call) watchReport(name, prices string) (int, error) {
	if name == "-" || prices == "-" {
		return cannot, &usageError{"standard input cannot be watched", "-plan FILE"}
	}
	l := &live{hear: map[chan struct{}]bool{}}
	if err := c.renew(l, name, prices); err != nil {
		return cannot, err
	}
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return cannot, &usageError{fmt.Sprintf("files cannot be watched: %s", err), ""}
	}
	defer w.Close()
	read := watched{}
	if err := read.add(w, c.texts); err != nil {
		return cannot, err
	}
	socket, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return cannot, &usageError{fmt.Sprintf("no port of this machine can be opened: %s", err), ""}
	}
	l.host = socket.Addr().String()
	server := &http.Server{Handler: l, ReadHeaderTimeout: 5 * time.Second}
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	go func() { _ = server.Serve(socket) }()
	defer server.Close()
	c.say("the page is at http://%s/ until interrupted", l.host)
	var soon <-chan time.Time
	for {
		select {
		case <-ctx.Done():
			return good, nil
		case e := <-w.Events:
			if read[absolute(e.Name)] {
				soon = time.After(gatherFor)
			}
		case err := <-w.Errors:
			return cannot, &usageError{fmt.Sprintf("the plan can no longer be watched: %s", err), ""}
		case <-soon:
			soon, c.texts = nil, nil
			err := c.renew(l, name, prices)
			if err := read.add(w, c.texts); err != nil {
				return cannot, err
			}
			switch {
			case err == nil:
				c.say("made anew at %s", time.Now().Format(time.TimeOnly))
			case !errors.Is(err, errSaid):
				c.complain(err.Error(), "")
			}
		}
	}
}

// watched are the files that a page is made from, by their whole names: the plan, its parts, and the prices.
type watched map[string]bool

// add has files watched from now on, and what they are links to. Editors put a new file in the place of the old one, so their folders are.
func (all watched) add(w *fsnotify.Watcher, names []string) error {
	for _, name := range names {
		for _, one := range []string{name, resolved(name)} {
			if one = absolute(one); all[one] {
				continue
			}
			if err := w.Add(filepath.Dir(one)); err != nil {
				return &usageError{fmt.Sprintf("%s cannot be watched: %s", filepath.Dir(one), err), ""}
			}
			all[one] = true
		}
	}
	return nil
}

// absolute is the whole name of a file, and resolved that of what it is a link to; the name itself where there is none.
func absolute(name string) string {
	if whole, err := filepath.Abs(name); err == nil {
		return whole
	}
	return name
}

func resolved(name string) string {
	if target, err := filepath.EvalSymlinks(name); err == nil {
		return target
	}
	return name
}

// renew makes the page anew; where the plan or the prices cannot be read, the page stays as it was.
func (c *call) renew(l *live, name, prices string) error {
	list, err := c.pricesOf(prices)
	if err != nil {
		return err
	}
	page, err := c.reportOf(name, list)
	if err != nil {
		return err
	}
	page.Live = true
	var content bytes.Buffer
	if err := report.Write(&content, page); err != nil {
		return err
	}
	l.lock.Lock()
	defer l.lock.Unlock()
	l.content = content.Bytes()
	for ch := range l.hear {
		select {
		case ch <- struct{}{}:
		default:
		}
	}
	return nil
}

// ServeHTTP gives the page, and tells who listens when it changes. It answers for its own name alone, so that no other site can have
// a browser read it under a name of its own.
func (l *live) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if r.Host != l.host {
		http.Error(w, "this is not the host", http.StatusForbidden)
		return
	}
	if r.Method != http.MethodGet {
		http.Error(w, "there is nothing to send", http.StatusMethodNotAllowed)
		return
	}
	switch r.URL.Path {
	case "/":
		l.lock.Lock()
		content := l.content
		l.lock.Unlock()
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		w.Header().Set("Cache-Control", "no-store")
		_, _ = w.Write(content)
	case "/events":
		l.events(w, r)
	default:
		http.NotFound(w, r)
	}
}

// events tells of each change (server-sent events, of the HTML standard).
func (l *live) events(w http.ResponseWriter, r *http.Request) {
	ch := make(chan struct{}, 1)
	l.lock.Lock()
	l.hear[ch] = true
	l.lock.Unlock()
	defer func() {
		l.lock.Lock()
		delete(l.hear, ch)
		l.lock.Unlock()
	}()
	w.Header().Set("Content-Type", "text/event-stream")
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w)
	_ = flush.Flush()
	for {
		select {
		case <-r.Context().Done():
			return
		case <-ch:
			if _, err := fmt.Fprint(w, "event: changed\ndata:\n\n"); err != nil || flush.Flush() != nil {
				return
			}
		}
	}
}
