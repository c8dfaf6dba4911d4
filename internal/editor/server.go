package editor

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/creachadair/jrpc2/channel"
	"github.com/creachadair/jrpc2/handler"
)

// The errors of the protocol (LSP 3.17, Base Protocol).
const (
	notInitialized   jrpc2.Code = -32002
	requestFailed    jrpc2.Code = -32803
	requestCancelled jrpc2.Code = -32800
	contentModified  jrpc2.Code = -32801
)

// server is one conversation with an editor.
type server struct {
	rpc     *jrpc2.Server
	ctx     context.Context
	stop    context.CancelFunc // ends the conversation
	working sync.WaitGroup
	version string

	// What the editor said of itself; fixed once it has been greeted.
	greeted  chan struct{}
	can      clientCapabilities
	encoding encoding
	folders  []string

	lock     sync.Mutex
	docs     map[string]*document // by URI
	plans    map[string]*kept     // by the path of their first file
	closing  bool
	work     map[string]context.CancelFunc // what runs that a person may cancel, by its token
	pictures string                        // the folder that they are drawn into; empty before the first one
}

// memoryGoal is what the server tries to stay below, in bytes.
const memoryGoal = 520 << 20

// Serve speaks with an editor until it says goodbye, goes away, or ctx ends. The version is what it calls itself. The error is nil when the editor
// ended the conversation as the protocol has it.
func Serve(ctx context.Context, version string, in io.Reader, out io.WriteCloser) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	s := &server{ctx: ctx, stop: stop, version: version, greeted: make(chan struct{}), encoding: utf16Encoding, docs: map[string]*document{}, plans: map[string]*kept{}, work: map[string]context.CancelFunc{}}
	debug.SetGCPercent(60)
	if debug.SetMemoryLimit(-1) > memoryGoal {
		debug.SetMemoryLimit(memoryGoal)
	}
	s.rpc = jrpc2.NewServer(s.methods(), &jrpc2.ServerOptions{AllowPush: true, Concurrency: 8, DisableBuiltin: true})
	words, said := io.Pipe() // so that nobody waits for an editor that says nothing once ctx has ended
	go func() {
		_, err := io.Copy(said, in)
		_ = said.CloseWithError(err)
	}()
	s.rpc.Start(channel.LSP(words, out))
	context.AfterFunc(ctx, func() {
		s.rpc.Stop()
		_ = said.Close()
	})
	err := s.rpc.Wait()
	stop()
	s.working.Wait()
	s.lock.Lock()
	defer s.lock.Unlock()
	if s.pictures != "" {
		_ = os.RemoveAll(s.pictures)
	}
	switch {
	case s.closing:
		return nil
	case err != nil && !errors.Is(err, io.EOF):
		return err
	}
	return errors.New("the editor went away without a word")
}

func (s *server) methods() handler.Map {
	return handler.Map{
		"initialize":                        handler.New(s.initialize),
		"initialized":                       handler.New(s.initialized),
		"shutdown":                          handler.New(s.shutdown),
		"exit":                              handler.New(s.exit),
		"$/cancelRequest":                   handler.New(s.cancel),
		"textDocument/didOpen":              told(s, s.didOpen),
		"textDocument/didChange":            told(s, s.didChange),
		"textDocument/didClose":             told(s, s.didClose),
		"workspace/didChangeWatchedFiles":   told(s, s.didChangeWatched),
		"textDocument/completion":           asked(s, s.completion),
		"textDocument/hover":                asked(s, s.hover),
		"textDocument/definition":           asked(s, s.definition),
		"textDocument/references":           asked(s, s.references),
		"textDocument/documentHighlight":    asked(s, s.highlights),
		"textDocument/prepareRename":        asked(s, s.prepareRename),
		"textDocument/rename":               asked(s, s.rename),
		"textDocument/documentSymbol":       asked(s, s.documentSymbols),
		"workspace/symbol":                  asked(s, s.workspaceSymbols),
		"textDocument/foldingRange":         asked(s, s.folding),
		"textDocument/selectionRange":       asked(s, s.selections),
		"textDocument/codeLens":             asked(s, s.lenses),
		"codeLens/resolve":                  asked(s, s.resolveLens),
		"textDocument/inlayHint":            asked(s, s.hints),
		"textDocument/semanticTokens/full":  asked(s, s.tokens),
		"textDocument/semanticTokens/range": asked(s, s.tokensIn),
		"textDocument/prepareCallHierarchy": asked(s, s.prepareCalls),
		"callHierarchy/incomingCalls":       asked(s, s.incoming),
		"callHierarchy/outgoingCalls":       asked(s, s.outgoing),
		"textDocument/codeAction":           asked(s, s.actions),
		"textDocument/formatting":           asked(s, s.format),
		"workspace/executeCommand":          asked(s, s.execute),
		"window/workDoneProgress/cancel":    told(s, s.cancelWork),
	}
}

// told is the handler of a notification. What is wrong with one harms nothing.
func told[P any](s *server, do func(context.Context, P)) jrpc2.Handler {
	return func(ctx context.Context, req *jrpc2.Request) (any, error) {
		var p P
		if !s.ready() || req.UnmarshalParams(&p) != nil {
			return nil, nil
		}
		defer s.survive(req.Method(), nil)
		do(ctx, p)
		return nil, nil
	}
}

// asked is the handler of a request.
func asked[P, R any](s *server, do func(context.Context, P) (R, error)) jrpc2.Handler {
	return func(ctx context.Context, req *jrpc2.Request) (result any, err error) {
		if !s.ready() {
			return nil, jrpc2.Errorf(notInitialized, "the first word must be initialize")
		}
		var p P
		if err := req.UnmarshalParams(&p); err != nil {
			return nil, jrpc2.Errorf(jrpc2.InvalidParams, "%s has other parameters than the protocol wants", req.Method())
		}
		defer s.survive(req.Method(), &err)
		r, err := do(ctx, p)
		switch {
		case ctx.Err() != nil:
			return nil, jrpc2.Errorf(requestCancelled, "it is no longer wanted")
		case errors.Is(err, errMoved):
			return nil, jrpc2.Errorf(contentModified, "%s", err)
		case err != nil:
			return nil, jrpc2.Errorf(requestFailed, "%s", err)
		}
		return r, nil
	}
}

// survive keeps one question that goes wrong from ending the conversation.
func (s *server) survive(method string, err *error) {
	if fault := recover(); fault != nil {
		fmt.Fprintf(os.Stderr, "wendrik: %s went wrong: %v\n%s", method, fault, debug.Stack())
		if err != nil {
			*err = jrpc2.Errorf(jrpc2.InternalError, "%s went wrong, and was left out", method)
		}
	}
}

// ready reports whether the editor has been greeted, and has not said goodbye.
func (s *server) ready() bool {
	s.lock.Lock()
	defer s.lock.Unlock()
	select {
	case <-s.greeted:
		return !s.closing
	default:
		return false
	}
}

func (s *server) initialize(_ context.Context, req *jrpc2.Request) (any, error) {
	var p initializeParams
	if err := req.UnmarshalParams(&p); err != nil {
		return nil, jrpc2.Errorf(jrpc2.InvalidParams, "initialize has other parameters than the protocol wants")
	}
	s.lock.Lock()
	defer s.lock.Unlock()
	select {
	case <-s.greeted:
		return nil, jrpc2.Errorf(jrpc2.InvalidRequest, "it was said before")
	default:
	}
	s.can = p.Capabilities
	for _, e := range p.Capabilities.General.PositionEncodings {
		if one := encoding(e); slices.Contains([]encoding{utf8Encoding, utf16Encoding, utf32Encoding}, one) {
			s.encoding = one
			break
		}
	}
	for _, f := range p.WorkspaceFolders {
		s.folders = append(s.folders, pathOf(f.URI))
	}
	if len(s.folders) == 0 && p.RootURI != "" {
		s.folders = append(s.folders, pathOf(p.RootURI))
	}
	s.folders = slices.DeleteFunc(s.folders, func(f string) bool { return f == "" })
	if p.ProcessID != nil {
		s.working.Go(func() { s.endWith(*p.ProcessID) })
	}
	close(s.greeted)
	return map[string]any{
		"serverInfo": map[string]string{"name": "wendrik", "version": s.version},
		"capabilities": map[string]any{
			"positionEncoding":           s.encoding,
			"textDocumentSync":           map[string]any{"openClose": true, "change": 2, "save": true},
			"completionProvider":         map[string]any{"triggerCharacters": []string{" ", "/", ":", "[", "{", ","}},
			"hoverProvider":              true,
			"definitionProvider":         true,
			"referencesProvider":         true,
			"documentHighlightProvider":  true,
			"renameProvider":             map[string]bool{"prepareProvider": true},
			"documentSymbolProvider":     true,
			"workspaceSymbolProvider":    true,
			"foldingRangeProvider":       true,
			"selectionRangeProvider":     true,
			"codeLensProvider":           map[string]bool{"resolveProvider": true},
			"inlayHintProvider":          true,
			"callHierarchyProvider":      true,
			"documentFormattingProvider": true,
			"codeActionProvider":         map[string]any{"codeActionKinds": []string{"quickfix", "refactor", "source"}},
			"executeCommandProvider":     map[string]any{"commands": commandNames},
			"semanticTokensProvider": map[string]any{
				"legend": map[string]any{"tokenTypes": tokenTypes, "tokenModifiers": tokenModifiers}, "full": true, "range": true,
			},
		},
	}, nil
}

// initialized asks to be told when files change that nobody has open.
func (s *server) initialized(context.Context, *jrpc2.Request) error {
	if s.ready() && s.can.Workspace.DidChangeWatchedFiles.DynamicRegistration {
		s.working.Go(func() {
			_, _ = s.rpc.Callback(s.ctx, "client/registerCapability", map[string]any{"registrations": []any{map[string]any{
				"id": "files", "method": "workspace/didChangeWatchedFiles",
				"registerOptions": map[string]any{"watchers": []any{map[string]any{"globPattern": "**/*.{yaml,yml}"}}},
			}}})
		})
	}
	return nil
}

func (s *server) shutdown(context.Context, *jrpc2.Request) (any, error) {
	s.lock.Lock()
	defer s.lock.Unlock()
	s.closing = true
	for _, k := range s.plans {
		k.stop()
	}
	return nil, nil
}

func (s *server) exit(context.Context, *jrpc2.Request) error {
	go s.stop()
	return nil
}

// cancel has a question no longer wanted.
func (s *server) cancel(_ context.Context, req *jrpc2.Request) error {
	var p struct {
		ID any `json:"id"`
	}
	if req.UnmarshalParams(&p) != nil {
		return nil
	}
	switch id := p.ID.(type) {
	case string:
		s.rpc.CancelRequest(fmt.Sprintf("%q", id))
	case float64:
		s.rpc.CancelRequest(fmt.Sprint(int64(id)))
	}
	return nil
}

// endWith ends the server when the process is gone that started it.
func (s *server) endWith(process int) {
	for {
		select {
		case <-s.ctx.Done():
			return
		case <-time.After(3 * time.Second):
		}
		if gone(process) {
			s.stop()
			return
		}
	}
}

// refresh has the editor ask again for what it shows beside the text.
func (s *server) refresh() {
	w := s.can.Workspace
	for method, can := range map[string]bool{"workspace/codeLens/refresh": w.CodeLens.RefreshSupport, "workspace/inlayHint/refresh": w.InlayHint.RefreshSupport,
		"workspace/semanticTokens/refresh": w.SemanticTokens.RefreshSupport} {
		if can {
			s.working.Go(func() { _, _ = s.rpc.Callback(s.ctx, method, nil) })
		}
	}
}

func (s *server) didOpen(_ context.Context, p didOpenParams) {
	path := pathOf(p.TextDocument.URI)
	if path == "" {
		return
	}
	d := &document{uri: p.TextDocument.URI, path: path, version: p.TextDocument.Version, lines: splitLines(p.TextDocument.Text)}
	s.lock.Lock()
	s.docs[d.uri] = d
	s.lock.Unlock()
	first := s.planOf(path, p.TextDocument.Text)
	if first == "" {
		return
	}
	s.lock.Lock()
	defer s.lock.Unlock()
	if d.plan = s.plans[first]; d.plan == nil {
		d.plan = s.keep(first)
	}
	d.plan.edits++
	d.plan.changed()
}

func (s *server) didChange(_ context.Context, p didChangeParams) {
	s.lock.Lock()
	defer s.lock.Unlock()
	d := s.docs[p.TextDocument.URI]
	if d == nil {
		return
	}
	d.version = p.TextDocument.Version
	for _, c := range p.ContentChanges {
		if c.Range == nil {
			was := len(d.lines)
			d.lines = splitLines(c.Text)
			d.shifted(shift{path: d.path, line: 0, before: was, behind: len(d.lines)})
			continue
		}
		from, to := d.lines.spotOf(c.Range.Start, s.encoding), d.lines.spotOf(c.Range.End, s.encoding)
		if to.before(from) {
			from, to = to, from
		}
		was := len(d.lines)
		d.lines = d.lines.replaced(from, to, c.Text)
		before := to.line - from.line + 1
		d.shifted(shift{path: d.path, line: from.line, before: before, behind: before + len(d.lines) - was})
	}
	if d.plan != nil {
		d.plan.changed()
	}
}

// shifted notes an edit of a document; under the server's lock.
func (d *document) shifted(h shift) {
	if d.plan == nil {
		return
	}
	d.plan.edits++
	h.edit = d.plan.edits
	d.plan.lock.Lock()
	d.plan.shifts = append(d.plan.shifts, h)
	d.plan.lock.Unlock()
}

func (s *server) didClose(_ context.Context, p documentParams) {
	s.lock.Lock()
	defer s.lock.Unlock()
	d := s.docs[p.TextDocument.URI]
	if d == nil {
		return
	}
	delete(s.docs, d.uri)
	if d.plan == nil {
		return
	}
	for _, o := range s.docs {
		if o.plan == d.plan { // others of it are open: it goes on, with the file as it lies there
			d.plan.edits++
			d.plan.changed()
			return
		}
	}
	d.plan.stop()
	delete(s.plans, d.plan.first)
	for uri := range d.plan.marked {
		s.publish(publishParams{URI: uri, Diagnostics: []diagnostic{}})
	}
}

func (s *server) didChangeWatched(_ context.Context, p watchedParams) {
	s.lock.Lock()
	defer s.lock.Unlock()
	for _, k := range s.plans {
		for _, c := range p.Changes {
			if path := pathOf(c.URI); path != "" && strings.HasPrefix(path, strings.TrimSuffix(k.first, "wendrik.yaml")) || path == k.first {
				k.edits++
				k.changed()
				break
			}
		}
	}
}

// publish tells the editor what is to be marked in a file.
func (s *server) publish(p publishParams) {
	_ = s.rpc.Notify(s.ctx, "textDocument/publishDiagnostics", p)
}

// doc is a document that is open, as it is now, and the plan that it is of; ok is false where it is not open, or of no plan.
func (s *server) doc(uri string) (d document, k *kept, ok bool) {
	s.lock.Lock()
	defer s.lock.Unlock()
	if found := s.docs[uri]; found != nil && found.plan != nil {
		return *found, found.plan, true
	}
	return document{}, nil, false
}
