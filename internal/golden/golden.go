// Package golden holds what a test is answered against what it was answered before, and a person has read.
package golden

import (
	"flag"
	"os"
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
	if *Update && !t.Failed() {
		_, file, _, _ := runtime.Caller(1)
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		require.Equal(t, 1, strings.Count(string(raw), cases), "the cases are a constant between backquotes of the test's own file")
		require.NotContains(t, anew.String(), "`")
		require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(raw), cases, anew.String(), 1)), 0o644))
	}
}
