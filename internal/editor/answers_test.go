package editor_test

import (
	"encoding/json"
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/editor/editortest"
	"wendrik/internal/golden"
)

// What the server answers at every word and every line of a plan with every key, and of the shipped one: told in a line each.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		head, own, written := strings.Cut(asked, "\n")
		what, name, _ := strings.Cut(head, " ")
		plan, after, _ := strings.Cut(own, "|")
		at := editortest.PointOf(plan, len(plan))
		switch plan += after; {
		case name == "shipped":
			plan = shipped(t)
		case !written:
			plan = estatetest.Plan(t, name)
		}
		w := edit(t, t.TempDir(), "utf-8")
		u := w.Open("/plans", "wendrik.yaml", plan)
		doc := map[string]any{"uri": u}
		ask := func(method string, params map[string]any) any {
			var r any
			params["textDocument"] = doc
			if err := w.Try(&r, method, params); err != nil {
				return err.Error()
			}
			return r
		}
		lenses := ask("textDocument/codeLens", map[string]any{}).([]any) // which waits for all that is to be said
		lines := strings.Split(plan, "\n")
		var out []string
		say := func(format string, args ...any) {
			out = append(out, strings.TrimRight(fmt.Sprintf(format, args...), " "))
		}
		all := map[string]any{"start": editortest.Point{}, "end": editortest.Point{Line: len(lines)}}
		switch what {
		case "items": // all that is offered at a place, as it is sent
			for _, i := range ask("textDocument/completion", map[string]any{"position": at}).(map[string]any)["items"].([]any) {
				i := i.(map[string]any)
				e := i["textEdit"].(map[string]any)
				say("%v %v %v %v %q %s %v", i["label"], i["kind"], i["sortText"], i["detail"], e["newText"], told(e["range"]), i["insertTextFormat"])
			}
		case "names": // what a name is, where it stands, and what it may be called
			p := map[string]any{"position": at}
			for _, r := range ask("textDocument/references", map[string]any{"position": at, "context": map[string]any{"includeDeclaration": true}}).([]any) {
				say("spoken of at %s", told(r.(map[string]any)["range"]))
			}
			for _, h := range ask("textDocument/documentHighlight", p).([]any) {
				say("lit %s %v", told(h.(map[string]any)["range"]), h.(map[string]any)["kind"])
			}
			if r := ask("textDocument/prepareRename", p); r != nil {
				say("renamed at %s", told(r))
			}
			raw, err := json.Marshal(ask("textDocument/rename", map[string]any{"position": at, "newName": "fresh"}))
			require.NoError(t, err)
			var e editortest.WorkspaceEdit
			if json.Unmarshal(raw, &e) != nil {
				say("%s", raw)
			}
			for _, text := range w.ChangedBy(e) {
				say("%s", text)
			}
		case "marks":
			w.Marked(u, func(codes []string) bool { return len(codes) > 0 })
			for _, m := range w.Marks[u] {
				say("%s %d %s %v %s", spanWords(m.Range), m.Severity, m.Code, m.Tags, strings.ReplaceAll(m.Message, "\n", " / "))
				for _, r := range m.Related {
					say("  beside %s %s", spanWords(r.Location.Range), r.Message)
				}
			}
		case "words":
			for n, line := range lines {
				for _, at := range word.FindAllStringIndex(strings.SplitN(line, "#", 2)[0], -1) {
					p := map[string]any{"position": editortest.Point{Line: n, Character: at[1]}}
					said := ""
					if h, is := ask("textDocument/hover", p).(map[string]any); is {
						said = strings.Join(strings.Fields(h["contents"].(map[string]any)["value"].(string)), " ")
					}
					var to []string
					for _, d := range ask("textDocument/definition", p).([]any) {
						to = append(to, told(d.(map[string]any)["range"]))
					}
					var offers []string
					for _, i := range ask("textDocument/completion", map[string]any{"position": editortest.Point{Line: n, Character: at[0]}}).(map[string]any)["items"].([]any) {
						offers = append(offers, i.(map[string]any)["label"].(string))
					}
					say("%d:%d %s | %s | %s | %d %s", n+1, at[0]+1, line[at[0]:at[1]], clipped(said, 110), strings.Join(to, " "), len(offers), clipped(strings.Join(offers, " "), 60))
				}
			}
		case "symbols":
			tellSymbols(ask("textDocument/documentSymbol", map[string]any{}).([]any), "", say)
		case "tokens":
			line, character := 0, 0
			data := ask("textDocument/semanticTokens/full", map[string]any{}).(map[string]any)["data"].([]any)
			num := func(i int) int { return int(data[i].(float64)) }
			for i := 0; i < len(data); i += 5 {
				if num(i) > 0 {
					line, character = line+num(i), 0
				}
				character += num(i + 1)
				say("%d:%d %s %s", line+1, character+1, lines[line][character:character+num(i+2)], []string{"key", "name", "word", "number", "text", "comment", "value"}[num(i+3)])
			}
		case "folds":
			for _, f := range ask("textDocument/foldingRange", map[string]any{}).([]any) {
				f := f.(map[string]any)
				say("%v to %v %s", f["startLine"].(float64)+1, f["endLine"].(float64)+1, strings.TrimSpace(lines[int(f["startLine"].(float64))]))
			}
		case "hints":
			for _, h := range ask("textDocument/inlayHint", map[string]any{"range": all}).([]any) {
				h := h.(map[string]any)
				at := h["position"].(map[string]any)
				line := int(at["line"].(float64))
				say("%d %s ‹%s›", line+1, strings.TrimSpace(lines[line][:int(at["character"].(float64))]), h["label"])
			}
		case "lenses":
			for _, l := range lenses {
				var shown struct {
					Range   editortest.Span
					Command struct {
						Title, Command string
						Arguments      []any
					}
				}
				w.Ask(&shown, "codeLens/resolve", l)
				say("%s %s: %s %v", spanWords(shown.Range), shown.Command.Title, shown.Command.Command, shown.Command.Arguments[1:])
			}
		case "selections":
			for n, line := range lines {
				for _, r := range ask("textDocument/selectionRange", map[string]any{"positions": []any{editortest.Point{Line: n, Character: len(line) * 2 / 3}}}).([]any) {
					var words []string
					for r, is := r.(map[string]any); is; r, is = r["parent"].(map[string]any) {
						words = append(words, told(r["range"]))
					}
					say("%d %s", n+1, strings.Join(words, " in "))
				}
			}
		case "actions":
			for n := range lines {
				for _, a := range ask("textDocument/codeAction", map[string]any{"range": map[string]any{"start": editortest.Point{Line: n}, "end": editortest.Point{Line: n}}, "context": map[string]any{"only": []string{"quickfix"}}}).([]any) {
					a := a.(map[string]any)
					say("%d %v %v%s", n+1, a["kind"], a["title"], map[bool]string{true: " (preferred)"}[a["isPreferred"] == true])
					raw, err := json.Marshal(a["edit"])
					require.NoError(t, err)
					var e editortest.WorkspaceEdit
					require.NoError(t, json.Unmarshal(raw, &e))
					for _, d := range e.DocumentChanges {
						for _, c := range d.Edits {
							say("    %s %q", spanWords(c.Range), c.NewText)
						}
					}
				}
			}
		case "calls":
			for n, line := range lines {
				if at := word.FindStringIndex(line); at != nil {
					for _, item := range ask("textDocument/prepareCallHierarchy", map[string]any{"position": editortest.Point{Line: n, Character: at[0] + 1}}).([]any) {
						say("%d %v %v", n+1, item.(map[string]any)["name"], item.(map[string]any)["detail"])
						for _, m := range [][2]string{{"from", "incomingCalls"}, {"to", "outgoingCalls"}} {
							end, method := m[0], m[1]
							var others []string
							for _, c := range ask("callHierarchy/"+method, map[string]any{"item": item}).([]any) {
								other := c.(map[string]any)[end].(map[string]any)
								others = append(others, fmt.Sprintf("%v on %v", other["name"], other["detail"]))
							}
							say("    %s %s", end, strings.Join(others, "; "))
						}
					}
				}
			}
		default:
			t.Fatalf("nothing is asked by %q", asked)
		}
		return strings.Join(out, "\n")
	})
}

var word = regexp.MustCompile(`[^\s,\[\]{}"#]+[^\s,\[\]{}":#]`)

func spanWords(s editortest.Span) string {
	return fmt.Sprintf("%d:%d-%d:%d", s.Start.Line+1, s.Start.Character+1, s.End.Line+1, s.End.Character+1)
}

func told(r any) string {
	raw, _ := json.Marshal(r)
	var s editortest.Span
	_ = json.Unmarshal(raw, &s)
	return spanWords(s)
}

func clipped(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most])
	}
	return s
}

func tellSymbols(all []any, in string, say func(string, ...any)) {
	for _, one := range all {
		s := one.(map[string]any)
		say("%s%v %v %v %s %s", in, s["name"], s["detail"], s["kind"], told(s["range"]), told(s["selectionRange"]))
		if inner, is := s["children"].([]any); is {
			tellSymbols(inner, in+"  ", say)
		}
	}
}
