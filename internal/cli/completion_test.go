package cli_test

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestCompletion tries the words that are offered for commands, flags, what flags take, and names out of the plan.
func TestCompletion(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for words, want := range map[string]string{
		"rep":                              "report",
		"reach fares":                      "fares-1 fares-2 fares-3",
		"reach booking/":                   "booking/app booking/app-a booking/app-b booking/app-c booking/web booking/web-a booking/web-b booking/web-c",
		"reach ticket-1 fare-db -o":        "-on",
		"reach -plan planned.yaml fares-4": "fares-4",
		"grid -format m":                   "md",
		"check -only no-route":             "no-route-back",
		"help rules half":                  "half-joined",
		"draw net":                         "network",
		"draw network fin":                 "finance finance/data finance/data-a finance/data-b finance/data-c",
		"export h":                         "hosts",
		"completion z":                     "zsh",
		"compare wen":                      "",
		"reach -plan none.yaml x":          "",
		"nothing of this":                  "",
	} {
		r := run(t, folder, "", append([]string{"complete", "--"}, strings.Split(words, " ")...)...)
		require.Equal(t, 0, r.status, r.err)
		assert.Equal(t, strings.Fields(want), strings.Fields(r.out), words)
		assert.Empty(t, r.err, words)
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "evil.yaml"), []byte("wendrik: 1\nnetworks: {'a;touch evil': {range: 10.0.0.0/16}, 'a\x1b': {range: 10.1.0.0/16}}\n"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "shells.yaml"), []byte("wendrik: 1\nnetworks: {\"a;id>x\": {range: 10.0.0.0/16}, \"a$(id)\": {}, \"a`id`\": {}, \"a*\": {}, \"a|b\": {}, \"a'b\": {}, \"~a\": {}, ab: {range: 10.1.0.0/16}}\n"), 0o644))
	assert.Equal(t, "ab", strings.Join(strings.Fields(run(t, folder, "", "complete", "--", "reach", "-plan", "shells.yaml", "a").out), " "), "only what means nothing to a shell")
	r := run(t, folder, "", "complete", "--", "reach", "-plan", "evil.yaml", "a")
	assert.Empty(t, r.out)
}

// TestCompletionInShells asks the real shells.
func TestCompletionInShells(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	bin := filepath.Dir(program)
	for shell, script := range map[string]string{
		"bash": `source <(wendrik completion bash); COMP_WORDS=(wendrik reach tick); COMP_CWORD=2; _wendrik 2>/dev/null; printf '%s\n' "${COMPREPLY[@]}"`,
		"zsh":  `compdef() { : }; compadd() { shift 2; print -l -- "$@" }; source <(wendrik completion zsh); words=(wendrik reach tick); CURRENT=3; _wendrik`,
		"fish": `wendrik completion fish | source; complete -C "wendrik reach tick"`,
	} {
		t.Run(shell, func(t *testing.T) {
			needs(t, shell)
			c := exec.Command(shell, "-c", script)
			c.Dir, c.Env = folder, append(os.Environ(), "PATH="+bin+":"+os.Getenv("PATH"), "HOME="+t.TempDir())
			out, err := c.CombinedOutput()
			require.NoError(t, err, string(out))
			assert.Equal(t, []string{"ticket-1", "ticket-2"}, strings.Fields(string(out)))
		})
	}
}

// TestVersion tells version, commit and Go.
func TestVersion(t *testing.T) {
	t.Parallel()
	r := run(t, t.TempDir(), "", "version", "-format", "json")
	var v map[string]any
	require.NoError(t, json.Unmarshal([]byte(r.out), &v), r.out)
	assert.Contains(t, v["go"], "go1.")
	for _, key := range documented(t, "version") {
		assert.Contains(t, v, key)
	}
	assert.Contains(t, run(t, t.TempDir(), "", "version").out, "commit ")
	assert.Equal(t, run(t, t.TempDir(), "", "version").out, run(t, t.TempDir(), "", "--version").out)
}
