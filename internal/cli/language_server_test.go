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
	t       testing.TB
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

// edit starts the server for a folder; encodings are how the editor can count characters, the best first.
func edit(t testing.TB, folder string, encodings ...string) *writer {
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
	w.tell("textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": u, "languageId": "not-yaml", "version": w.version, "text": text}})
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

// What is marked is what check finds, at the same places and in the same words; a line that is no YAML silences nothing else; what is mended is no
// longer marked, and nothing is once the file is closed.
func TestEditorMarks(t *testing.T) {
	folder := demo(t)
	w := edit(t, folder, "utf-8")
	u := w.open(folder, "wendrik.yaml", read(t, folder))
	whole := w.marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
	var found struct {
		Findings []struct {
			Code, What string
			Line       int
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "check", "-format", "json").out), &found))
	require.Greater(t, len(found.Findings), 8)
	require.Len(t, whole, len(found.Findings))
	for i, f := range found.Findings {
		at := slices.IndexFunc(whole, func(m mark) bool { return m.Code == f.Code && m.Range.Start.Line == f.Line-1 })
		require.GreaterOrEqual(t, at, 0, "%d: %s", i, f.What)
		assert.True(t, strings.HasPrefix(whole[at].Message, f.What), whole[at].Message)
		assert.Contains(t, []int{1, 2}, whole[at].Severity)
		if f.Code == "conflict" {
			require.Len(t, whole[at].Related, 1, "the other end of an overlap")
			assert.Equal(t, u, whole[at].Related[0].Location.URI)
			assert.NotEqual(t, whole[at].Range, whole[at].Related[0].Location.Range)
			assert.Contains(t, f.What, whole[at].Related[0].Message)
		}
		if f.Code == "idle-site" {
			assert.Equal(t, []int{1}, whole[at].Tags)
		}
	}
	row := whole[slices.IndexFunc(whole, func(m mark) bool { return m.Code == "left-on-main-table" })].Range
	assert.Equal(t, spanOf(w.texts[u], strings.Index(w.texts[u], "app-c:"), strings.Index(w.texts[u], "app-c:")+5), row)

	w.replace(u, "      door: {kind: internet}", "      door: {kind: internet")
	broken := w.marked(u, func(codes []string) bool { return slices.Contains(codes, "not-yaml") })
	assert.Contains(t, codesOf(broken), "outgrown", "a line that is no YAML silences nothing else")
	w.replace(u, "door: {kind: internet", "door: {kind: internett}")
	w.marked(u, func(codes []string) bool {
		return !slices.Contains(codes, "not-yaml") && slices.Contains(codes, "outgrown") && len(codes) > len(codesOf(whole))-2
	})
	w.replace(u, "internett", "internet")
	again := w.marked(u, func(codes []string) bool { return slices.Equal(codes, codesOf(whole)) })
	assert.Equal(t, whole, again)

	w.tell("textDocument/didClose", map[string]any{"textDocument": map[string]any{"uri": u}})
	w.marked(u, func(codes []string) bool { return len(codes) == 0 })
}

// offered are the words that are offered behind a text of a document.
func (w *writer) offered(u, behind string) []string {
	w.t.Helper()
	var list struct {
		Items []struct {
			Label    string `json:"label"`
			TextEdit change `json:"textEdit"`
		} `json:"items"`
	}
	w.ask(&list, "textDocument/completion", w.at(u, behind))
	var words []string
	for _, i := range list.Items {
		words = append(words, i.Label)
	}
	return words
}

type change struct {
	Range   span   `json:"range"`
	NewText string `json:"newText"`
}

// What is offered where one types: keys that are not there yet, words, names of here, zones of the region, ranges and addresses that are free, ports
// that somebody listens on, and the words of rules and lines of expect.
func TestEditorOffers(t *testing.T) {
	folder := t.TempDir()
	w := edit(t, folder, "utf-8")
	u := w.open(folder, "wendrik.yaml", `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b], north: [north-a]}
space: {all: {block: 10.144.0.0/16}}
networks:
  booking:
    region: west
    range: 10.144.0.0/20
    tiers:
      web: {access: public, hosts: 20}
      app: {access: closed, hosts: 20}
    subnets:
      web-a: {tier: web, zone: west-a, range: 10.144.0.0/24}
      app-a: {tier: app, zone: west-a, range: 10.144.1.0/24}
    gateways:
      front: {kind: internet}
    tables:
      public: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
    groups:
      shop:
        in:
          - tcp/443 from any
        out: [any to any]
      books: {in: [tcp/5432 from group shop], out: []}
  drill: {region: north, range: 10.144.16.0/20}
workloads:
  till: {in: booking/web-a, address: 10.144.0.4, groups: [shop], listens: [tcp/443]}
  ledger: {in: booking/app-a, address: 10.144.1.4, groups: [books], listens: [tcp/5432, udp/123]}
  clerk: {in: booking/web-a, address: 10.144.0.5}
peerings: {both: {between: [booking, drill], accepted: [booking]}}
expect:
  - till reaches ledger on tcp/5432
`)
	w.marked(u, func(codes []string) bool { return len(codes) > 0 })
	has := func(behind string, want, but []string) {
		t.Helper()
		got := w.offered(u, behind)
		assert.Subset(t, got, want, behind)
		for _, word := range but {
			assert.NotContains(t, got, word, behind)
		}
	}
	has("      app: {access: closed, ", []string{"growth", "zones", "public"}, []string{"access"})
	has("      app: {access: ", []string{"closed", "outbound", "public"}, []string{"shop"})
	has("app-a: {tier: ", []string{"web", "app"}, []string{"shop", "booking"})
	has("app-a: {tier: app, zone: ", []string{"west-a", "west-b"}, []string{"north-a"})
	has("      web-a: {tier: web, zone: west-a, range: ", []string{"10.144.2.0/24"}, []string{"10.144.1.0/24"})
	has("via: ", []string{"front", "both", "blackhole"}, []string{"booking", "shop"})
	has("{subnets: [", []string{"web", "app-a"}, []string{"shop"})
	has("- tcp/443 ", []string{"from"}, []string{"to"})
	has("- tcp/443 from ", []string{"any", "group", "booking", "booking/web", "10.144.16.0/20"}, []string{"till"})
	has("[tcp/5432 from group ", []string{"shop", "books"}, []string{"any"})
	has("books: {in: [", []string{"tcp/5432", "udp/123", "tcp/443"}, nil)
	assert.Equal(t, "tcp/5432", w.offered(u, "books: {in: [")[0], "what its own members listen on comes first")
	has("ledger: {in: ", []string{"booking/app", "booking/app-a"}, []string{"shop"})
	has("clerk: {in: booking/web-a, address: ", []string{"10.144.0.6"}, []string{"10.144.0.4", "10.144.0.0"})
	has("10.144.1.4, groups: [", []string{"shop", "books"}, []string{"web"})
	has("both: {between: [", []string{"booking", "drill"}, []string{"till"})
	has("expect:\n  - ", []string{"till", "booking/web", "internet", "only"}, []string{"shop"})
	has("\n  - till ", []string{"reaches", "never reaches"}, []string{"ledger"})
	has("\n  - till reaches ledger ", []string{"on", "through"}, []string{"tcp/5432"})
	has("\n  - till reaches ledger on ", []string{"tcp/5432", "udp/123"}, []string{"tcp/443", "ledger"})
	has("expect:\n", []string{"networks", "waive"}, nil)

	// In a text that is no YAML while one types, with the names of before.
	w.replace(u, "  clerk: {in: booking/web-a, address: 10.144.0.5}\n", "  clerk: {in: booking/web-a, groups: [\n")
	has("clerk: {in: booking/web-a, groups: [", []string{"shop", "books"}, nil)
}
