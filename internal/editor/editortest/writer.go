// Package editortest is an editor for tests: a client of the Language Server Protocol that keeps the texts as an editor does.
package editortest

import (
	"context"
	"encoding/json"
	"io"
	"net/url"
	"os"
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

// Writer is an editor without a screen: it speaks the protocol with the built program, and keeps the texts as an editor does.
type Writer struct {
	t       testing.TB
	RPC     *jrpc2.Client
	Texts   map[string]string // by URI, as the editor has them
	version int
	Lock    sync.Mutex
	Marks   map[string][]Mark // by URI
	told    chan struct{}
	shown   []string // what the server asked to show
}

// Point is a place in a document, as the protocol counts.
type Point struct {
	Line      int `json:"line"`
	Character int `json:"character"`
}

// Span is what stands between two places.
type Span struct {
	Start Point `json:"start"`
	End   Point `json:"end"`
}

// Mark is what is marked in a document.
type Mark struct {
	Range    Span   `json:"range"`
	Severity int    `json:"severity"`
	Code     string `json:"code"`
	Message  string `json:"message"`
	Tags     []int  `json:"tags"`
	Related  []struct {
		Location Place  `json:"location"`
		Message  string `json:"message"`
	} `json:"relatedInformation"`
}

// Place is a span of a document.
type Place struct {
	URI   string `json:"uri"`
	Range Span   `json:"range"`
}

// Begin greets a server, which is at the other end of two streams, for a folder; encodings are how the editor can count characters, the best
// first. What end does is done once the test has ended.
func Begin(t testing.TB, in io.WriteCloser, out io.Reader, end func(), folder string, encodings ...string) *Writer {
	w := &Writer{t: t, Texts: map[string]string{}, Marks: map[string][]Mark{}, told: make(chan struct{}, 1)}
	w.RPC = jrpc2.NewClient(channel.LSP(out, in), &jrpc2.ClientOptions{
		OnCancel: func(c *jrpc2.Client, r *jrpc2.Response) {
			_ = c.Notify(context.Background(), "$/cancelRequest", map[string]any{"id": json.RawMessage(r.ID())})
		},
		OnNotify: func(r *jrpc2.Request) {
			if r.Method() != "textDocument/publishDiagnostics" {
				return
			}
			var p struct {
				URI         string `json:"uri"`
				Diagnostics []Mark `json:"diagnostics"`
			}
			if assert.NoError(t, r.UnmarshalParams(&p)) {
				w.Lock.Lock()
				w.Marks[p.URI] = p.Diagnostics
				w.Lock.Unlock()
				select {
				case w.told <- struct{}{}:
				default:
				}
			}
		},
		OnCallback: func(_ context.Context, r *jrpc2.Request) (any, error) {
			w.Lock.Lock()
			defer w.Lock.Unlock()
			w.shown = append(w.shown, r.Method())
			return nil, nil
		},
	})
	t.Cleanup(func() {
		_ = w.RPC.Close()
		end()
	})
	var greeting struct {
		Capabilities struct {
			PositionEncoding string `json:"positionEncoding"`
		} `json:"capabilities"`
	}
	w.Ask(&greeting, "initialize", map[string]any{"processId": os.Getpid(), "rootUri": URI(folder), "capabilities": map[string]any{
		"general":      map[string]any{"positionEncodings": encodings},
		"workspace":    map[string]any{"workspaceEdit": map[string]any{"documentChanges": true, "changeAnnotationSupport": map[string]any{}}},
		"window":       map[string]any{"showDocument": map[string]any{"support": true}},
		"textDocument": map[string]any{"completion": map[string]any{"completionItem": map[string]any{"snippetSupport": true}}, "documentSymbol": map[string]any{"hierarchicalDocumentSymbolSupport": true}, "publishDiagnostics": map[string]any{"relatedInformation": true}},
	}})
	if len(encodings) > 0 {
		assert.Equal(t, encodings[0], greeting.Capabilities.PositionEncoding)
	}
	w.Tell("initialized", map[string]any{})
	return w
}

func URI(path string) string { return (&url.URL{Scheme: "file", Path: path}).String() }

// Ask asks a question, which must be answered.
func (w *Writer) Ask(into any, method string, params any) {
	w.t.Helper()
	require.NoError(w.t, w.Try(into, method, params), method)
}

func (w *Writer) Try(into any, method string, params any) error {
	ctx, stop := context.WithTimeout(context.Background(), 60*time.Second)
	defer stop()
	if into == nil {
		into = &json.RawMessage{}
	}
	return w.RPC.CallResult(ctx, method, params, into)
}

func (w *Writer) Tell(method string, params any) {
	w.t.Helper()
	require.NoError(w.t, w.RPC.Notify(context.Background(), method, params))
}

// Open opens a file of a folder, and gives its URI.
func (w *Writer) Open(folder, name, text string) string {
	u := URI(filepath.Join(folder, name))
	w.Texts[u] = text
	w.version++
	w.Tell("textDocument/didOpen", map[string]any{"textDocument": map[string]any{"uri": u, "languageId": "not-yaml", "version": w.version, "text": text}})
	return u
}

// Replace has the first text of a document be another one, as typing does.
func (w *Writer) Replace(u, old, with string) {
	w.t.Helper()
	text := w.Texts[u]
	at := strings.Index(text, old)
	require.GreaterOrEqual(w.t, at, 0, old)
	w.Change(u, SpanOf(text, at, at+len(old)), with)
	w.Texts[u] = text[:at] + with + text[at+len(old):]
}

func (w *Writer) Change(u string, where Span, with string) {
	w.version++
	w.Tell("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": u, "version": w.version}, "contentChanges": []any{map[string]any{"range": where, "text": with}}})
}

// SpanOf are two bytes of an ASCII text as places.
// Reset has a document say something else from beginning to end.
func (w *Writer) Reset(u, text string) {
	w.version++
	w.Texts[u] = text
	w.Tell("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": u, "version": w.version}, "contentChanges": []any{map[string]any{"text": text}}})
}

func SpanOf(text string, from, to int) Span { return Span{PointOf(text, from), PointOf(text, to)} }

// PointOf is the place of a byte of an ASCII text.
func PointOf(text string, at int) Point {
	line := strings.Count(text[:at], "\n")
	return Point{line, at - strings.LastIndex(text[:at], "\n") - 1}
}

// At are the parameters of a question about a place: behind a text of a document.
func (w *Writer) At(u, behind string) map[string]any {
	w.t.Helper()
	at := strings.Index(w.Texts[u], behind)
	require.GreaterOrEqual(w.t, at, 0, behind)
	return map[string]any{"textDocument": map[string]any{"uri": u}, "position": PointOf(w.Texts[u], at+len(behind))}
}

// Marked waits until the marks of a document are as they are wanted, by their codes without doubles.
func (w *Writer) Marked(u string, want func(codes []string) bool) []Mark {
	w.t.Helper()
	end := time.After(20 * time.Second)
	for {
		w.Lock.Lock()
		all := w.Marks[u]
		w.Lock.Unlock()
		if all != nil && want(CodesOf(all)) {
			return all
		}
		select {
		case <-w.told:
		case <-end:
			require.Fail(w.t, "it is never marked so", "%v", CodesOf(all))
		}
	}
}

func CodesOf(all []Mark) []string {
	var codes []string
	for _, m := range all {
		codes = append(codes, m.Code)
	}
	slices.Sort(codes)
	return slices.Compact(codes)
}

// Offered are the words that are offered behind a text of a document.
func (w *Writer) Offered(u, behind string) []string {
	w.t.Helper()
	var list struct {
		Items []struct {
			Label    string `json:"label"`
			TextEdit Change `json:"textEdit"`
		} `json:"items"`
	}
	w.Ask(&list, "textDocument/completion", w.At(u, behind))
	var words []string
	for _, i := range list.Items {
		words = append(words, i.Label)
	}
	return words
}

// Change is an edit of a document.
type Change struct {
	Range   Span   `json:"range"`
	NewText string `json:"newText"`
}

// WorkspaceEdit is what an editor is asked to change.
type WorkspaceEdit struct {
	DocumentChanges []struct {
		TextDocument struct {
			URI     string `json:"uri"`
			Version *int   `json:"version"`
		} `json:"textDocument"`
		Edits []Change `json:"edits"`
	} `json:"documentChanges"`
}

// ChangedBy are the documents once the edits are made, by URI; those of which nothing changes are left out.
func (w *Writer) ChangedBy(e WorkspaceEdit) map[string]string {
	after := map[string]string{}
	for _, d := range e.DocumentChanges {
		text := w.Texts[d.TextDocument.URI]
		if text == "" {
			raw, err := os.ReadFile(strings.TrimPrefix(d.TextDocument.URI, "file://"))
			require.NoError(w.t, err)
			text = string(raw)
		}
		edits := slices.Clone(d.Edits)
		slices.SortFunc(edits, func(a, b Change) int { return OffsetOf(text, b.Range.Start) - OffsetOf(text, a.Range.Start) })
		for _, one := range edits {
			text = text[:OffsetOf(text, one.Range.Start)] + one.NewText + text[OffsetOf(text, one.Range.End):]
		}
		after[d.TextDocument.URI] = text
	}
	return after
}

func OffsetOf(text string, p Point) int {
	at := 0
	for range p.Line {
		at += strings.Index(text[at:], "\n") + 1
	}
	return at + p.Character
}
