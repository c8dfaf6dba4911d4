package cli_test

import (
	"context"
	"encoding/json"
	"io"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/creachadair/jrpc2/channel"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// writer is an editor without a screen: it speaks the protocol with the built program, and keeps the texts as an editor does.
type writer struct {
	t       *testing.T
	rpc     *jrpc2.Client
	texts   map[string]string // by URI, as the editor has them
	version int
	lock    sync.Mutex
	marks   map[string][]mark // by URI
	told    chan struct{}
	shown   []string // what the server asked to show
	process *exec.Cmd
	in      io.Closer
}

type point struct {
	Line      int `json:"line"`
	Character int `json:"character"`
}

type span struct {
	Start point `json:"start"`
	End   point `json:"end"`
}

type mark struct {
	Range    span   `json:"range"`
	Severity int    `json:"severity"`
	Code     string `json:"code"`
	Message  string `json:"message"`
	Tags     []int  `json:"tags"`
	Related  []struct {
		Location place  `json:"location"`
		Message  string `json:"message"`
	} `json:"relatedInformation"`
}

type place struct {
	URI   string `json:"uri"`
	Range span   `json:"range"`
}

// capabilities are those of the editor; encodings are how it can count characters.
func edit(t *testing.T, folder string, encodings ...string) *writer {
	w := &writer{t: t, texts: map[string]string{}, marks: map[string][]mark{}, told: make(chan struct{}, 1)}
	w.process = exec.Command(program, "language-server")
	w.process.Stderr = os.Stderr
	in, err := w.process.StdinPipe()
	require.NoError(t, err)
	out, err := w.process.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, w.process.Start())
	w.in = in
	w.rpc = jrpc2.NewClient(channel.LSP(out, in), &jrpc2.ClientOptions{
		OnNotify: func(r *jrpc2.Request) {
			if r.Method() != "textDocument/publishDiagnostics" {
				return
			}
			var p struct {
				URI         string `json:"uri"`
				Diagnostics []mark `json:"diagnostics"`
			}
			if assert.NoError(t, r.UnmarshalParams(&p)) {
				w.lock.Lock()
				w.marks[p.URI] = p.Diagnostics
				w.lock.Unlock()
				select {
				case w.told <- struct{}{}:
				default:
				}
			}
		},
		OnCallback: func(_ context.Context, r *jrpc2.Request) (any, error) {
			w.lock.Lock()
			defer w.lock.Unlock()
			w.shown = append(w.shown, r.Method())
			return nil, nil
		},
	})
	t.Cleanup(func() {
		_ = w.rpc.Close()
		_ = w.process.Wait()
	})
	var greeting struct {
		Capabilities struct {
			PositionEncoding string `json:"positionEncoding"`
		} `json:"capabilities"`
	}
	w.ask(&greeting, "initialize", map[string]any{"processId": os.Getpid(), "rootUri": uri(folder), "capabilities": map[string]any{
		"general":      map[string]any{"positionEncodings": encodings},
		"workspace":    map[string]any{"workspaceEdit": map[string]any{"documentChanges": true, "changeAnnotationSupport": map[string]any{}}},
		"window":       map[string]any{"showDocument": map[string]any{"support": true}},
		"textDocument": map[string]any{"completion": map[string]any{"completionItem": map[string]any{"snippetSupport": true}}, "documentSymbol": map[string]any{"hierarchicalDocumentSymbolSupport": true}, "publishDiagnostics": map[string]any{"relatedInformation": true}},
	}})
	if len(encodings) > 0 {
		assert.Equal(t, encodings[0], greeting.Capabilities.PositionEncoding)
	}
	w.tell("initialized", map[string]any{})
	return w
}

func uri(path string) string { return (&url.URL{Scheme: "file", Path: path}).String() }

// ask asks a question, which must be answered.
func (w *writer) ask(into any, method string, params any) {
	w.t.Helper()
	require.NoError(w.t, w.try(into, method, params), method)
}

func (w *writer) try(into any, method string, params any) error {
	ctx, stop := context.WithTimeout(context.Background(), 60*time.Second)
	defer stop()
	if into == nil {
		into = &json.RawMessage{}
	}
	return w.rpc.CallResult(ctx, method, params, into)
}

func (w *writer) tell(method string, params any) {
	w.t.Helper()
	require.NoError(w.t, w.rpc.Notify(context.Background(), method, params))
}

// open opens a file of a folder, and gives its URI.
func (w *writer) open(folder, name, text string) string {
	u := uri(filepath.Join(folder, name))
	w.texts[u] = text
	w.version++
	w.tell("textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": u, "languageId": "yaml", "version": w.version, "text": text}})
	return u
}

// replace has the first text of a document be another one, as typing does.
func (w *writer) replace(u, old, with string) {
	w.t.Helper()
	text := w.texts[u]
	at := strings.Index(text, old)
	require.GreaterOrEqual(w.t, at, 0, old)
	w.change(u, spanOf(text, at, at+len(old)), with)
	w.texts[u] = text[:at] + with + text[at+len(old):]
}

func (w *writer) change(u string, where span, with string) {
	w.version++
	w.tell("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": u, "version": w.version}, "contentChanges": []any{map[string]any{"range": where, "text": with}}})
}

// spanOf are two bytes of an ASCII text as places.
func spanOf(text string, from, to int) span { return span{pointOf(text, from), pointOf(text, to)} }

func pointOf(text string, at int) point {
	line := strings.Count(text[:at], "\n")
	return point{line, at - strings.LastIndex(text[:at], "\n") - 1}
}

// at are the parameters of a question about a place: behind a text of a document.
func (w *writer) at(u, behind string) map[string]any {
	w.t.Helper()
	at := strings.Index(w.texts[u], behind)
	require.GreaterOrEqual(w.t, at, 0, behind)
	return map[string]any{"textDocument": map[string]any{"uri": u}, "position": pointOf(w.texts[u], at+len(behind))}
}

// marked waits until the marks of a document are as they are wanted, by their codes without doubles.
func (w *writer) marked(u string, want func(codes []string) bool) []mark {
	w.t.Helper()
	end := time.After(20 * time.Second)
	for {
		w.lock.Lock()
		all := w.marks[u]
		w.lock.Unlock()
		if all != nil && want(codesOf(all)) {
			return all
		}
		select {
		case <-w.told:
		case <-end:
			require.Fail(w.t, "it is never marked so", "%v", codesOf(all))
		}
	}
}

func codesOf(all []mark) []string {
	var codes []string
	for _, m := range all {
		codes = append(codes, m.Code)
	}
	slices.Sort(codes)
	return slices.Compact(codes)
}
