package editor_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/core/verdict"
	"wendrik/internal/editor"
	"wendrik/internal/editor/editortest"
	"wendrik/internal/fuzz"
)

// edit is an editor with a server of its own.
func edit(t testing.TB, folder string, encodings ...string) *editortest.Writer {
	in, words := io.Pipe()
	said, out := io.Pipe()
	ended := make(chan error, 1)
	go func() { ended <- editor.Serve(context.Background(), "of a test", in, out) }()
	return editortest.Begin(t, words, said, func() {
		_ = words.Close()
		<-ended
	}, folder, encodings...)
}

// shipped is the demo estate.
func shipped(t *testing.T) string {
	raw, err := os.ReadFile("../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	return string(raw)
}

// against are the codes of all that is to be said against a plan.
func against(plan string) []string {
	e, problems := estate.Load(text.One("wendrik.yaml", plan))
	var codes []string
	for _, f := range problems {
		codes = append(codes, string(f.Code))
	}
	v := verdict.Of(e, time.Now(), nil, nil)
	for _, f := range v.Findings {
		codes = append(codes, string(f.Code))
	}
	for _, r := range v.Expected {
		if !r.Holds {
			codes = append(codes, r.Text)
		}
	}
	return codes
}

// What is offered where one types: keys that are not there yet, words, names of here, zones of the region, ranges and addresses that are free, ports
// that somebody listens on, and the words of rules and lines of expect.
func TestOffers(t *testing.T) {
	folder := t.TempDir()
	w := edit(t, folder, "utf-8")
	u := w.Open(folder, "wendrik.yaml", `wendrik: 1
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
	w.Marked(u, func(codes []string) bool { return len(codes) > 0 })
	has := func(behind string, want, but []string) {
		t.Helper()
		got := w.Offered(u, behind)
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
	assert.Equal(t, "tcp/5432", w.Offered(u, "books: {in: [")[0], "what its own members listen on comes first")
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
	w.Replace(u, "  clerk: {in: booking/web-a, address: 10.144.0.5}\n", "  clerk: {in: booking/web-a, groups: [\n")
	has("clerk: {in: booking/web-a, groups: [", []string{"shop", "books"}, nil)
}

// Names are found and changed in all files of a plan, also where a file is not saved; nothing is written by the server.
func TestNames(t *testing.T) {
	folder := t.TempDir()
	first := "wendrik: 1\nparts: [parts/*.yaml]\nnetworks:\n  booking: {range: 10.144.0.0/20, subnets: {web: {range: 10.144.0.0/24}}, groups: {shop: {in: [tcp/443 from any], out: [any to any]}, web: {in: [tcp/80 from group shop], out: []}}}\n"
	part := "workloads:\n  till: {in: booking/web, address: 10.144.0.4, groups: [shop, web]}   # the shop is not a name here\nexpect: [internet never reaches till on tcp/22, booking/web reaches till on tcp/443]\n"
	require.NoError(t, os.WriteFile(filepath.Join(folder, "wendrik.yaml"), []byte(first), 0o644))
	require.NoError(t, os.Mkdir(filepath.Join(folder, "parts"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "parts", "things.yaml"), []byte("workloads: {}\n"), 0o644))
	w := edit(t, folder, "utf-8")
	p := w.Open(folder, "parts/things.yaml", part)
	w.Marked(p, func(codes []string) bool { return true })
	u := editortest.URI(filepath.Join(folder, "wendrik.yaml"))

	var found []editortest.Place
	w.Ask(&found, "textDocument/definition", w.At(p, "groups: [sh"))
	require.Len(t, found, 1)
	assert.Equal(t, u, found[0].URI)
	assert.Equal(t, "shop", first[editortest.OffsetOf(first, found[0].Range.Start):editortest.OffsetOf(first, found[0].Range.End)])

	w.Ask(&found, "textDocument/references", merged(w.At(p, "groups: [sh"), "context", map[string]bool{"includeDeclaration": true}))
	assert.Len(t, found, 3, "%v", found) // where it is made, in the rule of another, and here
	w.Ask(&found, "textDocument/references", merged(w.At(p, "groups: [sh"), "context", map[string]bool{"includeDeclaration": false}))
	assert.Len(t, found, 2)
	w.Ask(&found, "textDocument/references", merged(w.At(p, "in: booking/we"), "context", map[string]bool{"includeDeclaration": true}))
	assert.Len(t, found, 3, "the subnet, and not the group that is called so: %v", found)

	var renamed editortest.WorkspaceEdit
	w.Ask(&renamed, "textDocument/rename", merged(w.At(p, "in: booking/we"), "newName", "shore"))
	after := w.ChangedBy(renamed)
	assert.Contains(t, after[p], "till: {in: booking/shore, address: 10.144.0.4, groups: [shop, web]}   # the shop")
	assert.Contains(t, after[p], "booking/shore reaches till")
	assert.Contains(t, after[u], "subnets: {shore:")
	assert.Contains(t, after[u], "web: {in: [tcp/80 from group shop]")
	raw, err := os.ReadFile(filepath.Join(folder, "wendrik.yaml"))
	require.NoError(t, err)
	assert.Equal(t, first, string(raw), "the server writes nothing")
	var lit []map[string]any
	w.Ask(&lit, "textDocument/documentHighlight", w.At(p, "expect: [internet never reaches ti"))
	assert.Len(t, lit, 3)

	assert.ErrorContains(t, w.Try(nil, "textDocument/rename", merged(w.At(p, "groups: [sh"), "newName", "web")), "web", "a name that is taken")
	assert.Error(t, w.Try(nil, "textDocument/rename", merged(w.At(p, "groups: [sh"), "newName", "x y: [")))

	w.Open(folder, "wendrik.yaml", strings.ReplaceAll(first, "shop", "tills"))
	w.Marked(p, func(codes []string) bool { return slices.Contains(codes, "unknown-name") })
	var said struct {
		Contents struct{ Value string } `json:"contents"`
	}
	w.Ask(&said, "textDocument/hover", w.At(p, "in: booking/we"))
	assert.Contains(t, said.Contents.Value, "subnet booking/web")
	assert.Contains(t, said.Contents.Value, "1 used of")
}

func merged(params map[string]any, key string, value any) map[string]any {
	params[key] = value
	return params
}

// A fix that is offered says what it opens, changes what it says and nothing else, and ends what it is for; a line that does not hold is wired; what
// breaks a line says so; what is not given is carved.
func TestFixes(t *testing.T) {
	type action struct {
		Title       string                   `json:"title"`
		Edit        editortest.WorkspaceEdit `json:"edit"`
		IsPreferred bool                     `json:"isPreferred"`
		Diagnostics []editortest.Mark        `json:"diagnostics"`
	}
	folder := t.TempDir()
	w := edit(t, folder, "utf-8")
	u := w.Open(folder, "wendrik.yaml", shipped(t))
	w.Marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
	offered := func(on string) []action {
		t.Helper()
		at := strings.Index(w.Texts[u], on)
		require.GreaterOrEqual(t, at, 0)
		var all []action
		w.Ask(&all, "textDocument/codeAction", map[string]any{"textDocument": map[string]any{"uri": u}, "range": editortest.SpanOf(w.Texts[u], at, at), "context": map[string]any{"diagnostics": []any{}}})
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
	after := w.ChangedBy(fix.Edit)[u]
	assert.Equal(t, strings.Replace(w.Texts[u], "[app-a, app-b]", "[app-a, app-b, app-c]", 1), after)
	assert.NotContains(t, against(after), "left-on-main-table")

	wired := take("Wire", offered("booking/app reaches fare-db"))
	assert.Contains(t, against(w.Texts[u]), "booking/app reaches fare-db on tcp/5432")
	assert.NotContains(t, against(w.ChangedBy(wired.Edit)[u]), "booking/app reaches fare-db on tcp/5432")

	waived := take("Waive conflict", offered("gull-rail:"))
	conflicts := func(plan string) int {
		return len(slices.DeleteFunc(against(plan), func(c string) bool { return c != "conflict" }))
	}
	assert.Equal(t, conflicts(w.Texts[u])-1, conflicts(w.ChangedBy(waived.Edit)[u]))

	plan := "wendrik: 1\nspace: {s: {block: 10.144.0.0/16}}\nnetworks:\n  a: {from: s, size: /24}\n  b: {range: 10.144.0.0/24, subnets: {x: {range: 10.144.0.0/26}}, groups: {g: {in: [tcp/22 from any, tcp/22 from 10.0.0.0/8], out: [any to any]}}}\nworkloads: {w: {in: b/x, address: 10.144.0.4, groups: [g]}, v: {in: b/x, address: 10.144.0.5, groups: [g]}}\nexpect: [v reaches w on tcp/22]\n"
	other := t.TempDir()
	u = w.Open(other, "wendrik.yaml", plan)
	w.Marked(u, func(codes []string) bool { return slices.Contains(codes, "needless-rule") })
	carved := take("Carve", offered("a: {from: s"))
	assert.Contains(t, w.ChangedBy(carved.Edit)[u], "a: {from: s, range: 10.144.1.0/24}")
	needless := take("Take", offered("tcp/22 from 10.0.0.0/8"))
	assert.Contains(t, needless.Title, "no packet passes otherwise")
	assert.NotContains(t, w.ChangedBy(needless.Edit)[u], "10.0.0.0/8")
}

// A lens says who reaches a network and whether a line holds; a hint what a count comes to; the hierarchy who reaches whom; and commands run on what
// stands in the editor.
func TestBeside(t *testing.T) {
	folder := t.TempDir()
	w := edit(t, folder, "utf-8")
	u := w.Open(folder, "wendrik.yaml", `wendrik: 1
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
	w.Marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
	doc := map[string]any{"textDocument": map[string]any{"uri": u}}
	type lens struct {
		Range   editortest.Span        `json:"range"`
		Command struct{ Title string } `json:"command"`
	}
	var raw []json.RawMessage
	w.Ask(&raw, "textDocument/codeLens", doc)
	var titles []string
	for _, one := range raw {
		var shown lens
		w.Ask(&shown, "codeLens/resolve", one)
		titles = append(titles, fmt.Sprintf("%d %s", shown.Range.Start.Line, shown.Command.Title))
	}
	assert.Equal(t, []string{"3 2 workloads; 1 workload of others reach it, and the internet reaches 2 of it", "9 1 workload; 0 workloads of others reach it",
		"18 holds, of 2 pairs", "19 does not hold: clerk reaches till-1 on tcp/443; 2 of 2 pairs are so"}, titles)

	var hints []struct {
		Position editortest.Point
		Label    string
	}
	w.Ask(&hints, "textDocument/inlayHint", merged(map[string]any{"textDocument": doc["textDocument"]}, "range", editortest.Span{Start: editortest.Point{Line: 0, Character: 0}, End: editortest.Point{Line: 30, Character: 0}}))
	var said []string
	for _, h := range hints {
		said = append(said, fmt.Sprintf("%d %s", h.Position.Line, h.Label))
	}
	assert.Equal(t, []string{"14 10.144.0.4 to 10.144.0.9", "1 free: 10.144.32.0/19, 10.144.64.0/18, 10.144.128.0/17", "7 10.144.16.0/20", "12 10.144.0.0/20"}, said)

	calls := func(behind, method, end string) []string {
		var items []json.RawMessage
		w.Ask(&items, "textDocument/prepareCallHierarchy", w.At(u, behind))
		require.Len(t, items, 1, behind)
		var all []map[string]json.RawMessage
		w.Ask(&all, "callHierarchy/"+method, map[string]any{"item": items[0]})
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
}

// Of two lines of expect in one line of the text that is told which the cursor is in, and of one that was changed nothing until it is known.
func TestLineAtTheCursor(t *testing.T) {
	w := edit(t, t.TempDir(), "utf-8")
	u := w.Open(t.TempDir(), "wendrik.yaml", `wendrik: 1
networks: {a: {range: 10.144.0.0/20, subnets: {x: {range: 10.144.0.0/24}}, groups: {g: {in: [tcp/22 from any], out: [any to any]}}}}
workloads: {w: {in: a/x, address: 10.144.0.4, groups: [g]}, v: {in: a/x, address: 10.144.0.5, groups: [g]}}
expect: [w reaches v on tcp/22, "v reaches w on tcp/80"]
`)
	w.Marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
	told := func(behind string) string {
		var h *struct {
			Contents struct{ Value string } `json:"contents"`
		}
		w.Ask(&h, "textDocument/hover", w.At(u, behind))
		if h == nil {
			return ""
		}
		return h.Contents.Value
	}
	assert.Contains(t, told("[w rea"), "**w reaches v on tcp/22**\n\nIt holds, of 1 pair.")
	assert.Contains(t, told("v rea"), "**v reaches w on tcp/80**\n\nIt does not hold: v does not reach w on tcp/80")
	w.Replace(u, "tcp/22, ", "tcp/23, ")
	assert.NotContains(t, told("[w rea"), "It holds", "nothing is said of what was another line")
}

// Questions at random about plans that are broken at random are answered, all of them, and none goes wrong; and the text that the server has is the
// editor's, which laying it out shows.
func TestAtRandom(t *testing.T) {
	folder := t.TempDir()
	w := edit(t, folder, "utf-16")
	u := w.Open(folder, "wendrik.yaml", shipped(t))
	rng := rand.New(rand.NewPCG(11, 12))
	methods := []string{"completion", "hover", "definition", "documentHighlight", "prepareRename", "prepareCallHierarchy", "rename", "references", "documentSymbol", "foldingRange",
		"selectionRange", "codeLens", "inlayHint", "semanticTokens/full", "semanticTokens/range", "codeAction", "formatting"}
	pieces := []string{"x", ":", " ", "\n", "\r\n", "[", "]", "{", "}", "\"", "# ü𝄞\n", "  - ", "tcp/443 from ", "booking", "10.144.0.0/20", "\t", "&a", "*a", "networks:\n", "~"}
	for n := range fuzz.Rounds(250, 10_000) {
		lines := strings.Split(w.Texts[u], "\n")
		somewhere := func() editortest.Point {
			line := rng.IntN(len(lines))
			return editortest.Point{Line: line, Character: rng.IntN(len([]rune(lines[line])) + 2)}
		}
		if rng.IntN(3) == 0 {
			from := editortest.Point{Line: rng.IntN(len(lines)), Character: 0}
			from.Character = rng.IntN(len(lines[from.Line]) + 1)
			if text := w.Texts[u]; !strings.ContainsAny(text, "𝄞ü\r") {
				at := editortest.OffsetOf(text, from)
				to := min(at+rng.IntN(4), len(text))
				with := pieces[rng.IntN(len(pieces))]
				w.Change(u, editortest.SpanOf(text, at, to), with)
				w.Texts[u] = text[:at] + with + text[to:]
			} else {
				w.Reset(u, shipped(t))
			}
		}
		p := map[string]any{"textDocument": map[string]any{"uri": u}, "position": somewhere(), "positions": []any{somewhere()}, "newName": "fresh",
			"range": editortest.Span{Start: editortest.Point{Line: max(0, somewhere().Line-5)}, End: somewhere()}, "context": map[string]any{}}
		method := methods[rng.IntN(len(methods))]
		if err := w.Try(nil, "textDocument/"+method, p); err != nil {
			require.Contains(t, []jrpc2.Code{-32801, -32803}, jrpc2.ErrorCode(err), "%d: %s: %v", n, method, err)
		}
	}
	w.Reset(u, "wendrik: 1\nestate:   a\nprofile: zonal   \n")
	var edits []editortest.Change
	w.Ask(&edits, "textDocument/formatting", map[string]any{"textDocument": map[string]any{"uri": u}, "options": map[string]any{}})
	require.Len(t, edits, 1)
	assert.Equal(t, "profile: zonal\n", edits[0].NewText)
}
