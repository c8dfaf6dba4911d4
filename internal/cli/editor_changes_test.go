package cli_test

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/fuzz"
)

// workspaceEdit is what an editor is asked to change.
type workspaceEdit struct {
	DocumentChanges []struct {
		TextDocument struct {
			URI     string `json:"uri"`
			Version *int   `json:"version"`
		} `json:"textDocument"`
		Edits []change `json:"edits"`
	} `json:"documentChanges"`
}

// changedBy are the documents once the edits are made, by URI; those of which nothing changes are left out.
func (w *writer) changedBy(e workspaceEdit) map[string]string {
	after := map[string]string{}
	for _, d := range e.DocumentChanges {
		text := w.texts[d.TextDocument.URI]
		if text == "" {
			raw, err := os.ReadFile(strings.TrimPrefix(d.TextDocument.URI, "file://"))
			require.NoError(w.t, err)
			text = string(raw)
		}
		edits := slices.Clone(d.Edits)
		slices.SortFunc(edits, func(a, b change) int { return offsetOf(text, b.Range.Start) - offsetOf(text, a.Range.Start) })
		for _, one := range edits {
			text = text[:offsetOf(text, one.Range.Start)] + one.NewText + text[offsetOf(text, one.Range.End):]
		}
		after[d.TextDocument.URI] = text
	}
	return after
}

func offsetOf(text string, p point) int {
	at := 0
	for range p.Line {
		at += strings.Index(text[at:], "\n") + 1
	}
	return at + p.Character
}

// Names are found and changed in all files of a plan, also where a file is not saved; nothing is written by the server.
func TestEditorNames(t *testing.T) {
	folder := t.TempDir()
	first := "wendrik: 1\nparts: [parts/*.yaml]\nnetworks:\n  booking: {range: 10.144.0.0/20, subnets: {web: {range: 10.144.0.0/24}}, groups: {shop: {in: [tcp/443 from any], out: [any to any]}, web: {in: [tcp/80 from group shop], out: []}}}\n"
	part := "workloads:\n  till: {in: booking/web, address: 10.144.0.4, groups: [shop, web]}   # the shop is not a name here\nexpect: [internet never reaches till on tcp/22, booking/web reaches till on tcp/443]\n"
	write(t, folder, first)
	require.NoError(t, os.Mkdir(filepath.Join(folder, "parts"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "parts", "things.yaml"), []byte("workloads: {}\n"), 0o644))
	w := edit(t, folder, "utf-8")
	p := w.open(folder, "parts/things.yaml", part)
	w.marked(p, func(codes []string) bool { return true })
	u := uri(filepath.Join(folder, "wendrik.yaml"))

	var found []place
	w.ask(&found, "textDocument/definition", w.at(p, "groups: [sh"))
	require.Len(t, found, 1)
	assert.Equal(t, u, found[0].URI)
	assert.Equal(t, "shop", first[offsetOf(first, found[0].Range.Start):offsetOf(first, found[0].Range.End)])

	w.ask(&found, "textDocument/references", merged(w.at(p, "groups: [sh"), "context", map[string]bool{"includeDeclaration": true}))
	assert.Len(t, found, 3, "%v", found) // where it is made, in the rule of another, and here
	w.ask(&found, "textDocument/references", merged(w.at(p, "groups: [sh"), "context", map[string]bool{"includeDeclaration": false}))
	assert.Len(t, found, 2)
	w.ask(&found, "textDocument/references", merged(w.at(p, "in: booking/we"), "context", map[string]bool{"includeDeclaration": true}))
	assert.Len(t, found, 3, "the subnet, and not the group that is called so: %v", found)

	var renamed workspaceEdit
	w.ask(&renamed, "textDocument/rename", merged(w.at(p, "in: booking/we"), "newName", "shore"))
	after := w.changedBy(renamed)
	assert.Contains(t, after[p], "till: {in: booking/shore, address: 10.144.0.4, groups: [shop, web]}   # the shop")
	assert.Contains(t, after[p], "booking/shore reaches till")
	assert.Contains(t, after[u], "subnets: {shore:")
	assert.Contains(t, after[u], "web: {in: [tcp/80 from group shop]")
	assert.Equal(t, first, read(t, folder), "the server writes nothing")
	var lit []map[string]any
	w.ask(&lit, "textDocument/documentHighlight", w.at(p, "expect: [internet never reaches ti"))
	assert.Len(t, lit, 3)

	assert.ErrorContains(t, w.try(nil, "textDocument/rename", merged(w.at(p, "groups: [sh"), "newName", "web")), "web", "a name that is taken")
	assert.Error(t, w.try(nil, "textDocument/rename", merged(w.at(p, "groups: [sh"), "newName", "x y: [")))

	w.open(folder, "wendrik.yaml", strings.ReplaceAll(first, "shop", "tills"))
	w.marked(p, func(codes []string) bool { return slices.Contains(codes, "unknown-name") })
	var said struct {
		Contents struct{ Value string } `json:"contents"`
	}
	w.ask(&said, "textDocument/hover", w.at(p, "in: booking/we"))
	assert.Contains(t, said.Contents.Value, "subnet booking/web")
	assert.Contains(t, said.Contents.Value, "1 used of")
}

func merged(params map[string]any, key string, value any) map[string]any {
	params[key] = value
	return params
}

// A fix that is offered says what it opens, changes what it says and nothing else, and ends what it is for; a line that does not hold is wired; what
// breaks a line says so; what is not given is carved.
func TestEditorFixes(t *testing.T) {
	type action struct {
		Title       string        `json:"title"`
		Edit        workspaceEdit `json:"edit"`
		IsPreferred bool          `json:"isPreferred"`
		Diagnostics []mark        `json:"diagnostics"`
	}
	folder := demo(t)
	w := edit(t, folder, "utf-8")
	u := w.open(folder, "wendrik.yaml", read(t, folder))
	w.marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
	offered := func(on string) []action {
		t.Helper()
		at := strings.Index(w.texts[u], on)
		require.GreaterOrEqual(t, at, 0)
		var all []action
		w.ask(&all, "textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": u}, "range": spanOf(w.texts[u], at, at), "context": map[string]any{"diagnostics": []any{}}})
		return all
	}
	take := func(title string, all []action) action {
		t.Helper()
		var titles []string
		for _, a := range all {
			if strings.HasPrefix(a.Title, title) {
				return a
			}
			titles = append(titles, a.Title)
		}
		require.Fail(t, "it is not offered", "%s: %v", title, titles)
		return action{}
	}
	fix := take("Add  app-c", offered("app-c: {tier: app"))
	assert.Contains(t, fix.Title, "opens fares-3 to ledger on tcp/443")
	assert.True(t, fix.IsPreferred)
	require.Len(t, fix.Diagnostics, 1)
	assert.Equal(t, "left-on-main-table", fix.Diagnostics[0].Code)
	after := w.changedBy(fix.Edit)[u]
	assert.Equal(t, strings.Replace(w.texts[u], "[app-a, app-b]", "[app-a, app-b, app-c]", 1), after)
	write(t, folder, after)
	assert.NotContains(t, run(t, folder, "", "check").out, "left-on-main-table")

	wired := take("Wire", offered("booking/app reaches fare-db"))
	write(t, folder, w.changedBy(wired.Edit)[u])
	assert.NotContains(t, run(t, folder, "", "check", "-only", "expect").out, "booking/app reaches fare-db")

	waived := take("Waive conflict", offered("gull-rail:"))
	write(t, folder, w.changedBy(waived.Edit)[u])
	assert.NotContains(t, run(t, folder, "", "check").out, "gull-rail (10.148.16.0/22) overlap")

	plan := "wendrik: 1\nspace: {s: {block: 10.144.0.0/16}}\nnetworks:\n  a: {from: s, size: /24}\n  b: {range: 10.144.0.0/24, subnets: {x: {range: 10.144.0.0/26}}, groups: {g: {in: [tcp/22 from any, tcp/22 from 10.0.0.0/8], out: [any to any]}}}\nworkloads: {w: {in: b/x, address: 10.144.0.4, groups: [g]}, v: {in: b/x, address: 10.144.0.5, groups: [g]}}\nexpect: [v reaches w on tcp/22]\n"
	other := t.TempDir()
	u = w.open(other, "wendrik.yaml", plan)
	w.marked(u, func(codes []string) bool { return slices.Contains(codes, "needless-rule") })
	carved := take("Carve", offered("a: {from: s"))
	assert.Contains(t, w.changedBy(carved.Edit)[u], "a: {from: s, range: 10.144.1.0/24}")
	needless := take("Take", offered("tcp/22 from 10.0.0.0/8"))
	assert.Contains(t, needless.Title, "no packet passes otherwise")
	assert.NotContains(t, w.changedBy(needless.Edit)[u], "10.0.0.0/8")
}

// A lens says who reaches a network and whether a line holds; a hint what a count comes to; the hierarchy who reaches whom; and commands run on what
// stands in the editor.
func TestEditorAnswers(t *testing.T) {
	folder := t.TempDir()
	w := edit(t, folder, "utf-8")
	u := w.open(folder, "wendrik.yaml", `wendrik: 1
space: {all: {block: 10.144.0.0/16}}
networks:
  booking:
    range: 10.144.0.0/20
    subnets: {web: {range: 10.144.0.0/24}, app: {range: 10.144.1.0/24}}
    gateways: {front: {kind: internet}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: front}, {to: drill, via: both}]}}
    groups: {shop: {in: [tcp/443 from any], out: [any to any]}}
  drill:
    range: 10.144.16.0/20
    subnets: {hall: {range: 10.144.16.0/24}}
    tables: {main: {main: true, routes: [{to: booking, via: both}]}}
workloads:
  till: {in: booking/web, count: 2, addresses: [10.144.0.4, 10.144.0.9], public: assigned, groups: [shop]}
  clerk: {in: drill/hall, address: 10.144.16.4}
peerings: {both: {between: [booking, drill], accepted: [booking, drill]}}
expect:
  - clerk reaches till on tcp/443
  - clerk never reaches till on tcp/443
`)
	w.marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
	doc := map[string]any{"textDocument": map[string]any{"uri": u}}
	type lens struct {
		Range   span                   `json:"range"`
		Command struct{ Title string } `json:"command"`
	}
	var raw []json.RawMessage
	w.ask(&raw, "textDocument/codeLens", doc)
	var titles []string
	for _, one := range raw {
		var shown lens
		w.ask(&shown, "codeLens/resolve", one)
		titles = append(titles, fmt.Sprintf("%d %s", shown.Range.Start.Line, shown.Command.Title))
	}
	assert.Equal(t, []string{"3 2 workloads; 1 workload of others reach it, and the internet reaches 2 of it", "9 1 workload; 0 workloads of others reach it",
		"18 holds, of 2 pairs", "19 does not hold: clerk reaches till-1 on tcp/443; 2 of 2 pairs are so"}, titles)

	var hints []struct {
		Position point
		Label    string
	}
	w.ask(&hints, "textDocument/inlayHint", merged(map[string]any{"textDocument": doc["textDocument"]}, "range", span{point{0, 0}, point{30, 0}}))
	var said []string
	for _, h := range hints {
		said = append(said, fmt.Sprintf("%d %s", h.Position.Line, h.Label))
	}
	assert.Equal(t, []string{"14 10.144.0.4 to 10.144.0.9", "1 free: 10.144.32.0/19, 10.144.64.0/18, 10.144.128.0/17", "7 10.144.16.0/20", "12 10.144.0.0/20"}, said)

	calls := func(behind, method, end string) []string {
		var items []json.RawMessage
		w.ask(&items, "textDocument/prepareCallHierarchy", w.at(u, behind))
		require.Len(t, items, 1, behind)
		var all []map[string]json.RawMessage
		w.ask(&all, "callHierarchy/"+method, map[string]any{"item": items[0]})
		var names []string
		for _, c := range all {
			var item struct{ Name, Detail string }
			require.NoError(t, json.Unmarshal(c[end], &item))
			names = append(names, item.Name+" "+item.Detail)
		}
		return names
	}
	assert.Equal(t, []string{"till-1 tcp/443", "till-2 tcp/443", "clerk tcp/443", "internet tcp/443"}, calls("  booki", "incomingCalls", "from"))
	assert.Equal(t, []string{"till-1 tcp/443", "till-2 tcp/443"}, calls("  cler", "outgoingCalls", "to"))

	var out struct {
		Status int
		Text   string
		URI    string
	}
	w.ask(&out, "workspace/executeCommand", map[string]any{"command": "wendrik.reach", "arguments": []any{u, "clerk", "till-1", "tcp/22"}})
	assert.Equal(t, 1, out.Status)
	assert.Contains(t, out.Text, "no rule of group shop lets tcp/22 in")
	w.ask(&out, "workspace/executeCommand", map[string]any{"command": "wendrik.draw", "arguments": []any{u, "network", "booking"}})
	drawn, err := os.ReadFile(strings.TrimPrefix(out.URI, "file://"))
	require.NoError(t, err)
	assert.Contains(t, string(drawn), "<svg")
	assert.Contains(t, string(drawn), "booking")
	for _, bad := range [][]any{{}, {u}, {u, "-o", "x"}, {u, 7, "x"}, {"file:///none", "a", "b"}} {
		assert.Error(t, w.try(nil, "workspace/executeCommand", map[string]any{"command": "wendrik.reach", "arguments": bad}), "%v", bad)
	}
	files, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, files, "nothing is written beside the plan")
	w.ask(nil, "shutdown", nil)
	w.tell("exit", nil)
	require.NoError(t, w.process.Wait())
	assert.NoFileExists(t, strings.TrimPrefix(out.URI, "file://"), "pictures go with the server")
}

// The conversation begins with a greeting and ends with a goodbye; what is cancelled is answered as that; an editor that goes away ends it.
func TestEditorConversation(t *testing.T) {
	folder := demo(t)
	w := edit(t, folder, "utf-16")
	u := w.open(folder, "wendrik.yaml", read(t, folder))
	w.marked(u, func(codes []string) bool { return len(codes) > 0 })
	code := func(err error) jrpc2.Code { return jrpc2.ErrorCode(err) }
	assert.Equal(t, jrpc2.MethodNotFound, code(w.try(nil, "textDocument/knit", map[string]any{})))
	assert.Equal(t, jrpc2.InvalidParams, code(w.try(nil, "textDocument/hover", map[string]any{"textDocument": 7})))
	w.tell("$/whatever", map[string]any{})
	w.ask(nil, "textDocument/hover", w.at(u, "  booki"))
	ctx, stop := context.WithCancel(context.Background())
	answers := make(chan error, 1)
	go func() {
		answers <- w.rpc.CallResult(ctx, "workspace/executeCommand", map[string]any{"command": "wendrik.rehearse", "arguments": []any{u}}, &json.RawMessage{})
	}()
	time.Sleep(50 * time.Millisecond)
	stop()
	assert.Error(t, <-answers)
	w.ask(nil, "textDocument/hover", w.at(u, "  booki"))
	w.ask(nil, "shutdown", nil)
	assert.Error(t, w.try(nil, "textDocument/hover", w.at(u, "  booki")), "after a goodbye")
	w.tell("exit", nil)
	assert.NoError(t, w.process.Wait())

	early := exec.Command(program, "language-server")
	in, err := early.StdinPipe()
	require.NoError(t, err)
	var out strings.Builder
	early.Stdout = &out
	require.NoError(t, early.Start())
	body := `{"jsonrpc":"2.0","id":1,"method":"textDocument/hover","params":{}}`
	_, err = fmt.Fprintf(in, "Content-Length: %d\r\n\r\n%s", len(body), body)
	require.NoError(t, err)
	time.Sleep(100 * time.Millisecond)
	require.NoError(t, in.Close())
	assert.Error(t, early.Wait(), "it was left without a word")
	assert.Contains(t, out.String(), "-32002")
}

// Questions at random about plans that are broken at random are answered, all of them, and none goes wrong; and the text that the server has is the
// editor's, which laying it out shows.
func TestEditorAtRandom(t *testing.T) {
	folder := demo(t)
	w := edit(t, folder, "utf-16")
	u := w.open(folder, "wendrik.yaml", read(t, folder))
	rng := rand.New(rand.NewPCG(11, 12))
	methods := []string{"completion", "hover", "definition", "documentHighlight", "prepareRename", "prepareCallHierarchy", "rename", "references", "documentSymbol", "foldingRange",
		"selectionRange", "codeLens", "inlayHint", "semanticTokens/full", "semanticTokens/range", "codeAction", "formatting"}
	pieces := []string{"x", ":", " ", "\n", "\r\n", "[", "]", "{", "}", "\"", "# ü𝄞\n", "  - ", "tcp/443 from ", "booking", "10.144.0.0/20", "\t", "&a", "*a", "networks:\n", "~"}
	for n := range fuzz.Rounds(600, 10_000) {
		lines := strings.Split(w.texts[u], "\n")
		somewhere := func() point {
			line := rng.IntN(len(lines))
			return point{line, rng.IntN(len([]rune(lines[line])) + 2)}
		}
		if rng.IntN(3) == 0 {
			from := point{rng.IntN(len(lines)), 0}
			from.Character = rng.IntN(len(lines[from.Line]) + 1)
			if text := w.texts[u]; !strings.ContainsAny(text, "𝄞ü\r") {
				at := offsetOf(text, from)
				to := min(at+rng.IntN(4), len(text))
				with := pieces[rng.IntN(len(pieces))]
				w.change(u, spanOf(text, at, to), with)
				w.texts[u] = text[:at] + with + text[to:]
			} else {
				w.version++
				w.texts[u] = read(t, folder)
				w.tell("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": u, "version": w.version}, "contentChanges": []any{map[string]any{"text": w.texts[u]}}})
			}
		}
		p := map[string]any{"textDocument": map[string]any{"uri": u}, "position": somewhere(), "positions": []any{somewhere()}, "newName": "fresh",
			"range": span{point{max(0, somewhere().Line-5), 0}, somewhere()}, "context": map[string]any{}}
		method := methods[rng.IntN(len(methods))]
		if err := w.try(nil, "textDocument/"+method, p); err != nil {
			require.Equal(t, jrpc2.Code(-32803), jrpc2.ErrorCode(err), "%d: %s: %v", n, method, err)
		}
	}
	w.version++
	w.tell("textDocument/didChange", map[string]any{"textDocument": map[string]any{"uri": u, "version": w.version}, "contentChanges": []any{map[string]any{"text": "wendrik: 1\nestate:   a\nprofile: zonal   \n"}}})
	w.texts[u] = "wendrik: 1\nestate:   a\nprofile: zonal   \n"
	var edits []change
	w.ask(&edits, "textDocument/formatting", map[string]any{"textDocument": map[string]any{"uri": u}, "options": map[string]any{}})
	require.Len(t, edits, 1)
	assert.Equal(t, "profile: zonal\n", edits[0].NewText)
}
