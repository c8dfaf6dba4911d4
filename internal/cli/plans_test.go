package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/randomplan"
)

// TestNothingIsStale: with a cache, every question about a plan is answered as without one, also right after an edit
// that keeps its size, with what is kept damaged, and with a folder that others can read.
func TestNothingIsStale(t *testing.T) {
	home, folder := t.TempDir(), t.TempDir()
	t.Setenv("XDG_CACHE_HOME", home)
	plan := randomplan.Large(20)
	kept := func() []string {
		files, err := filepath.Glob(filepath.Join(home, "wendrik", "*.tree"))
		require.NoError(t, err)
		return files
	}
	same := func(why string) {
		t.Helper()
		for range 2 {
			for _, line := range []string{"reach app-1-a-3 data-1-b-4 -on tcp/5432", "show app-1-a-3", "space -format csv"} {
				t.Setenv("WENDRIK_CACHE", "off")
				without := run(t, folder, "", strings.Fields(line)...)
				t.Setenv("WENDRIK_CACHE", "")
				assert.Equal(t, without, run(t, folder, "", strings.Fields(line)...), "%s: %s", why, line)
			}
		}
	}
	write(t, folder, plan)
	same("as it was")
	require.Len(t, kept(), 1)

	line := plan[strings.Index(plan, "  app-1-a-3:"):]
	line, _, _ = strings.Cut(line, "\n")
	moved := strings.Replace(line, "app-1-a-3:", "app-1-a-9:", 1)
	require.NotContains(t, plan, moved)
	write(t, folder, strings.Replace(plan, line, moved, 1))
	same("a name of the same length")
	require.Len(t, kept(), 2)

	for _, file := range kept() {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		raw[len(raw)/2] ^= 1
		require.NoError(t, os.WriteFile(file, raw, 0o600))
	}
	same("damaged")
	for _, file := range kept() {
		require.NoError(t, os.Truncate(file, 10))
	}
	same("cut short")
	require.NoError(t, os.Chmod(filepath.Join(home, "wendrik"), 0o755))
	same("readable by others")
}

// TestNoPlanNoAnswer: a plan that is empty, or has problems, gets no answer from any command, in any form.
func TestNoPlanNoAnswer(t *testing.T) {
	broken, err := os.ReadFile("testdata/broken.yaml")
	require.NoError(t, err)
	for _, line := range []string{
		"space", "space -format csv", "space -free /22", "carve", "carve -write", "carve -format json", "overlaps", "overlaps -format csv", "reach a b", "reach a b -format json",
		"grid", "grid -by classes -format json", "check", "check -format junit", "check -format sarif", "check -format md", "show a", "rehearse",
	} {
		for content, want := range map[string]string{"": "the plan is empty", "# nothing\n": "the plan is empty", string(broken): `did you mean zonal?`, "a: [": "wendrik.yaml:1:"} {
			folder := t.TempDir()
			write(t, folder, content)
			r := run(t, folder, "", strings.Fields(line)...)
			assert.Equal(t, 2, r.status, line)
			assert.Empty(t, r.out, line)
			assert.Contains(t, r.err, want, line)
			assert.Contains(t, r.err, "nothing was done", line)
			assert.Equal(t, content, read(t, folder), line)
		}
	}
}
