package cli_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/creachadair/jrpc2"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/editor/editortest"
)

// edit is an editor that has started the built program, and that program.
func edit(t testing.TB, folder string, encodings ...string) (*editortest.Writer, *exec.Cmd) {
	server := exec.Command(program, "language-server")
	server.Stderr = os.Stderr
	in, err := server.StdinPipe()
	require.NoError(t, err)
	out, err := server.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, server.Start())
	return editortest.Begin(t, in, out, func() { _ = server.Wait() }, folder, encodings...), server
}

// What is marked is what check finds, at the same places and in the same words; a line that is no YAML silences nothing else; what is mended is no
// longer marked, and nothing is once the file is closed.
func TestEditorMarks(t *testing.T) {
	folder := demo(t)
	w, _ := edit(t, folder, "utf-8")
	u := w.Open(folder, "wendrik.yaml", read(t, folder))
	whole := w.Marked(u, func(codes []string) bool { return slices.Contains(codes, "expectation") })
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
		at := slices.IndexFunc(whole, func(m editortest.Mark) bool { return m.Code == f.Code && m.Range.Start.Line == f.Line-1 })
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
	row := whole[slices.IndexFunc(whole, func(m editortest.Mark) bool { return m.Code == "left-on-main-table" })].Range
	assert.Equal(t, editortest.SpanOf(w.Texts[u], strings.Index(w.Texts[u], "app-c:"), strings.Index(w.Texts[u], "app-c:")+5), row)

	w.Replace(u, "      door: {kind: internet}", "      door: {kind: internet")
	broken := w.Marked(u, func(codes []string) bool { return slices.Contains(codes, "not-yaml") })
	assert.Contains(t, editortest.CodesOf(broken), "outgrown", "a line that is no YAML silences nothing else")
	w.Replace(u, "door: {kind: internet", "door: {kind: internett}")
	w.Marked(u, func(codes []string) bool {
		return !slices.Contains(codes, "not-yaml") && slices.Contains(codes, "outgrown") && len(codes) > len(editortest.CodesOf(whole))-2
	})
	w.Replace(u, "internett", "internet")
	again := w.Marked(u, func(codes []string) bool { return slices.Equal(codes, editortest.CodesOf(whole)) })
	assert.Equal(t, whole, again)

	w.Tell("textDocument/didClose", map[string]any{"textDocument": map[string]any{"uri": u}})
	w.Marked(u, func(codes []string) bool { return len(codes) == 0 })
}

// The conversation begins with a greeting and ends with a goodbye; what is cancelled is answered as that; an editor that goes away ends it.
func TestEditorConversation(t *testing.T) {
	folder := demo(t)
	w, server := edit(t, folder, "utf-16")
	u := w.Open(folder, "wendrik.yaml", read(t, folder))
	w.Marked(u, func(codes []string) bool { return len(codes) > 0 })
	code := func(err error) jrpc2.Code { return jrpc2.ErrorCode(err) }
	assert.Equal(t, jrpc2.MethodNotFound, code(w.Try(nil, "textDocument/knit", map[string]any{})))
	assert.Equal(t, jrpc2.InvalidParams, code(w.Try(nil, "textDocument/hover", map[string]any{"textDocument": 7})))
	w.Tell("$/whatever", map[string]any{})
	w.Ask(nil, "textDocument/hover", w.At(u, "  booki"))
	ctx, stop := context.WithCancel(context.Background())
	answers := make(chan error, 1)
	go func() {
		answers <- w.RPC.CallResult(ctx, "workspace/executeCommand", map[string]any{"command": "wendrik.rehearse", "arguments": []any{u}}, &json.RawMessage{})
	}()
	running := func() bool {
		threads, err := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/children", server.Process.Pid))
		return err == nil && slices.ContainsFunc(threads, func(name string) bool {
			raw, err := os.ReadFile(name)
			return err == nil && len(raw) > 0
		})
	}
	if runtime.GOOS == "linux" {
		require.Eventually(t, running, 10*time.Second, time.Millisecond, "the rehearsal runs")
	}
	stop()
	assert.Error(t, <-answers)
	assert.Eventually(t, func() bool { return !running() }, 10*time.Second, 5*time.Millisecond, "and is ended with the question")
	w.Ask(nil, "textDocument/hover", w.At(u, "  booki"))
	go func() {
		answers <- w.Try(nil, "workspace/executeCommand", map[string]any{"command": "wendrik.rehearse", "arguments": []any{u}, "workDoneToken": 7})
	}()
	if runtime.GOOS == "linux" {
		require.Eventually(t, running, 10*time.Second, time.Millisecond, "another one runs")
	}
	w.Tell("window/workDoneProgress/cancel", map[string]any{"token": 7})
	assert.ErrorContains(t, <-answers, "cancelled")
	w.Ask(nil, "shutdown", nil)
	assert.Error(t, w.Try(nil, "textDocument/hover", w.At(u, "  booki")), "after a goodbye")
	w.Tell("exit", nil)
	assert.NoError(t, server.Wait())

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

// The commands that an editor can run say what they say elsewhere, of what stands in the editor; nothing is written beside the plan, and pictures go
// with the server.
func TestEditorCommands(t *testing.T) {
	folder := t.TempDir()
	w, server := edit(t, folder, "utf-8")
	u := w.Open(folder, "wendrik.yaml", `wendrik: 1
networks: {booking: {range: 10.144.0.0/20, subnets: {web: {range: 10.144.0.0/24}}, groups: {shop: {in: [tcp/443 from any], out: [any to any]}}}}
workloads: {till-1: {in: booking/web, address: 10.144.0.4, groups: [shop]}, clerk: {in: booking/web, address: 10.144.0.5}}
`)
	w.Marked(u, func(codes []string) bool { return len(codes) >= 0 })
	var out struct {
		Status int
		Text   string
		URI    string
	}
	w.Ask(&out, "workspace/executeCommand", map[string]any{"command": "wendrik.reach", "arguments": []any{u, "clerk", "till-1", "tcp/22"}})
	assert.Equal(t, 1, out.Status)
	assert.Contains(t, out.Text, "no rule of group shop lets tcp/22 in")
	w.Ask(&out, "workspace/executeCommand", map[string]any{"command": "wendrik.draw", "arguments": []any{u, "network", "booking"}})
	drawn, err := os.ReadFile(strings.TrimPrefix(out.URI, "file://"))
	require.NoError(t, err)
	assert.Contains(t, string(drawn), "<svg")
	assert.Contains(t, string(drawn), "booking")
	for _, bad := range [][]any{{}, {u}, {u, "-o", "x"}, {u, 7, "x"}, {"file:///none", "a", "b"}} {
		assert.Error(t, w.Try(nil, "workspace/executeCommand", map[string]any{"command": "wendrik.reach", "arguments": bad}), "%v", bad)
	}
	files, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Empty(t, files, "nothing is written beside the plan")
	w.Ask(nil, "shutdown", nil)
	w.Tell("exit", nil)
	require.NoError(t, server.Wait())
	assert.NoFileExists(t, strings.TrimPrefix(out.URI, "file://"), "pictures go with the server")
}

// What the settings of an editor need is printed as docs/editors.md has it.
func TestEditorSettings(t *testing.T) {
	told, err := os.ReadFile("../../docs/editors.md")
	require.NoError(t, err)
	for name, word := range map[string]string{"neovim": "start_client", "emacs": "define-derived-mode", "kate": "highlightingModeRegex"} {
		r := run(t, t.TempDir(), "", "language-server", "-setup", name)
		assert.Equal(t, 0, r.status)
		assert.Contains(t, r.out, word)
		assert.Contains(t, string(told), "\n"+r.out+"```\n")
	}
	r := run(t, t.TempDir(), "", "language-server", "-setup", "pen")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, `no settings are known of an editor "pen"`)
}
