// Package golden holds what a test is answered against what it was answered before, and a person has read.
package golden

import (
	"flag"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Update says that answers are to be written anew, to be read by a person:  go test PACKAGE -update
var Update = flag.Bool("update", false, "write what is expected anew, to be read by a person")

// Cases holds what answer makes of each case of a text of the test's own file, a constant between backquotes, against the
// answer that stands behind it there:
//
//	== the name of the case
//	what is asked
//	--
//	the answer
func Cases(t *testing.T, cases string, answer func(t *testing.T, asked string) string) {
	t.Helper()
	_, file, _, _ := runtime.Caller(1)
	hold(t, file, cases, answer)
}

// File does so for cases that are too long to stand beside the test: those of a file under testdata.
func File(t *testing.T, name string, answer func(t *testing.T, asked string) string) {
	t.Helper()
	file := filepath.Join("testdata", name)
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	hold(t, file, string(raw), answer)
}

func hold(t *testing.T, file, cases string, answer func(t *testing.T, asked string) string) {
	t.Helper()
	var anew strings.Builder
	parts := strings.Split("\n"+strings.TrimPrefix(cases, "\n"), "\n== ")
	require.Empty(t, strings.TrimSpace(parts[0]), "a case begins with  == NAME")
	require.Greater(t, len(parts), 1, "there is no case")
	for _, part := range parts[1:] {
		name, body, _ := strings.Cut(part, "\n")
		asked, want, _ := strings.Cut("\n"+body+"\n", "\n--\n")
		asked, want = strings.TrimPrefix(strings.TrimRight(asked, "\n"), "\n"), strings.TrimSpace(want)
		got := ""
		t.Run(name, func(t *testing.T) {
			var lines []string
			for line := range strings.Lines(strings.TrimSpace(answer(t, asked))) {
				lines = append(lines, strings.TrimRight(line, " \n"))
			}
			got = strings.Join(lines, "\n")
			if !*Update {
				assert.Equal(t, want, got)
			}
		})
		anew.WriteString("\n== " + name + "\n" + asked + "\n--\n" + got + "\n")
	}
	if !*Update || t.Failed() {
		return
	}
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, 1, strings.Count(string(raw), cases), "the cases are a constant between backquotes of the test's own file")
	if written := anew.String(); strings.HasSuffix(file, ".go") {
		require.NotContains(t, written, "`")
		require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(raw), cases, written, 1)), 0o644))
	} else {
		require.NoError(t, os.WriteFile(file, []byte(written[1:]), 0o644))
	}
}
