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

// TestForecastOfRevisions has a plan grow in git, and asks what becomes of it: each revision is read as it was.
func TestForecastOfRevisions(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	git := func(date string, args ...string) {
		c := exec.Command("git", append([]string{"-C", folder, "-c", "user.name=a", "-c", "user.email=a@skerry.example"}, args...)...)
		c.Env = append(os.Environ(), "GIT_AUTHOR_DATE="+date, "GIT_COMMITTER_DATE="+date)
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
	}
	r := run(t, folder, "", "forecast")
	assert.Equal(t, 2, r.status)
	plan := "wendrik: 1\nspace: {all: {block: 10.144.0.0/21}}\nnetworks:\n  a: {range: 10.144.1.0/24, from: all}\n"
	git("", "init", "-q")
	write(t, folder, plan)
	r = run(t, folder, "", "forecast")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "nothing tells what came in the past")
	assert.Contains(t, r.err, "-monthly /22")
	git("2024-01-01T00:00:00Z", "add", ".")
	git("2024-01-01T00:00:00Z", "commit", "-qm", "a")
	plan += "  b: {range: 10.144.3.0/24, from: all}\n"
	write(t, folder, plan)
	git("2024-03-01T00:00:00Z", "commit", "-qam", "b")
	write(t, folder, "no plan")
	git("2024-03-02T00:00:00Z", "commit", "-qam", "broken")
	plan += "  c: {range: 10.144.5.0/24, from: all}\n"
	write(t, folder, plan)
	git("2024-04-01T00:00:00Z", "commit", "-qam", "c")
	r = run(t, folder, "", "forecast", "-from", "2024-05-01", "-until", "2030-05-01")
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.err, "1 revision of the plan has no plan that can be read")
	assert.Contains(t, r.out, "as in the 121 days since 2024-01-01, in which 2 ranges came")
	// Five /24 are free, and two come in 121 days, on the 60th and on the 91st: the sixth is asked for on the 91st of the third time.
	assert.Contains(t, r.out, "2025-03-30")
	r = run(t, folder, "", "forecast", "-from", "2024-05-01", "-since", "2024-03-15", "-format", "json")
	var out struct {
		Came  int
		Since string
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &out))
	part := filepath.Join(t.TempDir(), "part")
	raw, err := exec.Command("git", "clone", "-q", "--depth", "1", "file://"+folder, part).CombinedOutput()
	require.NoError(t, err, string(raw))
	r = run(t, part, "", "forecast", "-from", "2024-05-01")
	assert.Contains(t, r.err, "the clone is shallow")
	assert.Contains(t, r.out, "nothing came in the 30 days since 2024-04-01", "of what is there")
	assert.Equal(t, [2]any{1, "2024-03-15"}, [2]any{out.Came, out.Since}, "what came before does not count")
}

// TestForecastRefuses says of each mistake what would be right, and draws nothing then.
func TestForecastRefuses(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "bad.csv"), []byte("date,size,block\n2025-13-01,/22,west\n2025-01-01,x,west\n2025-01-01,/22,nowhere\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "headless.csv"), []byte("2025-01-01,/22,west\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "later.csv"), []byte("date,range\n2095-01-01,10.144.0.0/22\n"), 0o644))
	for args, said := range map[string]string{
		"-dates bad.csv":                 "bad.csv:2: \"2025-13-01\" is no date\nbad.csv:3: \"x\" is neither a size nor a range\nbad.csv:4: there is no block \"nowhere\"",
		"-dates headless.csv":            "headless.csv:1 has no column date",
		"-dates later.csv":               "later.csv has no day that is past",
		"-dates none.csv":                "there is no file none.csv",
		"-monthly wide":                  "-monthly wide is neither a size nor a pattern",
		"-monthly /22 -in nowhere":       "nowhere",
		"-monthly /22 -in quays":         "block quays is held",
		"-monthly /22 -until 2020-01-01": "-until 2020-01-01 is no day to come",
		"-monthly /22 -since 2095-01-01": "-since 2095-01-01 is no day that is past",
		"-monthly /22 -from yesterday":   "-from yesterday is no day",
		"-monthly /22 -o f.gif":          "names no format of pictures",
		"-monthly /22 -force":            "-force",
	} {
		r := run(t, folder, "", append([]string{"forecast"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, said, args)
		assert.Empty(t, r.out, args)
	}
	r := run(t, folder, "date,range,block\n2025-01-06,10.144.8.0/22,\n2025-01-06,10.150.0.0/22,\n", "forecast", "-dates", "-", "-from", "2025-01-16", "-until", "2025-03-01", "-format", "csv")
	assert.Equal(t, "block,free,of,size,a year,fit,no place from\nwest,253952,262144,/22,36.5,248,\nnorth,249856,262144,/22,36.5,244,\n", r.out, "a range says its block")
}

// TestForecastPromisesNothing where it cannot: what no block gives, what came in no block of today, and what is too much to be foreseen to the end.
func TestForecastPromisesNothing(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, "wendrik: 1\nspace: {west: {block: 10.144.0.0/14}, quays: {block: 10.212.0.0/16, held: us}}\n")
	r := run(t, folder, "", "forecast", "-monthly", "/64")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "nothing of it has a block")
	assert.Contains(t, r.out, "no block gives a /64 of IPv6")
	assert.NotContains(t, r.out, "no block is foreseen")
	r = run(t, folder, "date,size,block\n2026-01-05,/24,quays\n2026-02-05,/24,west\n", "forecast", "-dates", "-", "-from", "2026-12-01")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "no block gives a /24 of IPv4 from quays")
	r = run(t, folder, "date,range\n2026-01-05,192.0.2.0/24\n", "forecast", "-dates", "-", "-from", "2026-12-01")
	assert.Contains(t, r.out, "what came (standard input) came in no block of today")
	assert.Contains(t, r.out, "1 range of the past lay in no block of today, and is not asked for again")
	r = run(t, folder, "date,size,block\n"+strings.Repeat("2026-11-30,/32,west\n", 1000), "forecast", "-dates", "-", "-from", "2026-12-01", "-until", "2028-01-01")
	assert.Contains(t, r.out, "not before 2027-06-18", "a thousand a day, of which 200,000 are foreseen")
	assert.NotContains(t, r.out, "not before 2028-01-01")
}
