package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/randomplan"
)

// TestNothingIsStale: with a cache, every question about a plan is answered as without one, also right after an edit
// that keeps its size, with what is kept damaged, and with a folder that others can read.
func TestNothingIsStale(t *testing.T) {
	t.Parallel()
	home, folder := t.TempDir(), t.TempDir()
	setenv(folder, "XDG_CACHE_HOME", home)
	plan := randomplan.Large(12)
	kept := func() []string {
		files, err := filepath.Glob(filepath.Join(home, "wendrik", "*.tree"))
		require.NoError(t, err)
		return files
	}
	same := func(why string) {
		t.Helper()
		for range 2 {
			for _, line := range []string{"reach app-1-a-3 data-1-b-4 -on tcp/5432", "show app-1-a-3", "space -format csv"} {
				setenv(folder, "WENDRIK_CACHE", "off")
				without := run(t, folder, "", strings.Fields(line)...)
				setenv(folder, "WENDRIK_CACHE", "")
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

// TestNoPlanNoAnswer: a text that cannot be read at all gets no answer from any command, in any form, but a report of
// that from check; where a part cannot be read, the commands that need all of it give no answer.
func TestNoPlanNoAnswer(t *testing.T) {
	t.Parallel()
	broken, err := os.ReadFile("testdata/broken.yaml")
	require.NoError(t, err)
	partly := []string{"space", "space -format csv", "overlaps", "overlaps -format csv", "check", "check -format junit", "check -format sarif", "check -format md", "show harbour"}
	for _, line := range append([]string{
		"space -free /22", "carve", "carve -write", "carve -format json", "reach a b", "reach a b -format json", "grid", "grid -by classes -format json", "rehearse",
	}, partly...) {
		for content, want := range map[string]string{"": "the plan is empty", "# nothing\n": "the plan is empty", string(broken): `did you mean zonal?`, "a: [": "wendrik.yaml:1:"} {
			folder := t.TempDir()
			write(t, folder, content)
			r := run(t, folder, "", strings.Fields(line)...)
			assert.Equal(t, 2, r.status, line)
			assert.Contains(t, r.err, want, line)
			report := strings.HasPrefix(line, "check -format")
			answers := content == string(broken) && slices.Contains(partly, line)
			assert.Equal(t, !answers, strings.Contains(r.err, "nothing was done"), "%s: %s", line, r.err)
			assert.Equal(t, report || answers, r.out != "", "%s: %s", line, r.out)
			assert.Equal(t, content, read(t, folder), line)
		}
	}
}

// TestOneMistakeDoesNotSilenceTheRest puts a mistake into one network and asks about that and others.
func TestOneMistakeDoesNotSilenceTheRest(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	whole := read(t, folder)
	all := run(t, folder, "", "check", "-format", "csv").out
	write(t, folder, strings.Replace(whole, "booking/app reaches fare-db on tcp/5432", "booking/app reches fare-db on tcp/5432", 1))
	r := run(t, folder, "", "check", "-format", "csv")
	assert.Equal(t, 2, r.status)
	for line := range strings.Lines(all) { // all that the rules found, and the other expectations
		if !strings.Contains(line, "booking/app reaches fare-db") {
			assert.Contains(t, r.out, line)
		}
	}
	for _, line := range []string{"carve", "grid", "reach fares-1 fare-db -on tcp/5432"} {
		r := run(t, folder, "", strings.Fields(line)...)
		assert.NotEmpty(t, r.out, line)
		assert.Contains(t, r.err, "1 problem in wendrik.yaml; the answer does not rest on what they speak of", line)
	}

	// A rule of the crews' network, which nothing is joined to.
	write(t, folder, strings.Replace(whole, "  drill:\n", "  drill:\n    groups: {g: {in: [tcp/1 form any]}}\n", 1))
	for line, want := range map[string]int{"reach fares-1 fare-db -on tcp/5432": 0, "carve": 0, "grid": 2, "overlaps": 2, "show booking": 2, "rehearse": 2} {
		r := run(t, folder, "", strings.Fields(line)...)
		assert.Equal(t, want, r.status, "%s: %s", line, r.err)
		assert.Equal(t, want < 2 || line == "overlaps" || line == "show booking", r.out != "", line)
	}
	r = run(t, folder, "", "check", "-format", "csv")
	for line := range strings.Lines(all) {
		if !strings.Contains(line, "drill") && !strings.Contains(line, "expectation") {
			_, rest, _ := strings.Cut(line, ".yaml:") // its line is another
			_, rest, _ = strings.Cut(rest, ",")
			assert.Contains(t, r.out, rest)
		}
	}

	// And one where packets go.
	write(t, folder, strings.Replace(whole, "tcp/5432 from 10.144.4.0/24", "tcp/5432 form 10.144.4.0/24", 1))
	r = run(t, folder, "", "reach", "fares-1", "fare-db", "-on", "tcp/5432")
	assert.Equal(t, 2, r.status)
	assert.Empty(t, r.out)
}

// TestBuildServersAlwaysGetAReport asks for reports of what cannot be read, or is not there.
func TestBuildServersAlwaysGetAReport(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, "wendrik: 1\nnetworks: {a: {range: 10.0.0.0/33}}\n")
	for _, args := range []string{"", " -plan none.yaml", " -plan ."} {
		r := run(t, folder, "", strings.Fields("check -format junit"+args)...)
		assert.Equal(t, 2, r.status)
		valid(t, "junit.schema.json", asJSON(t, r.out))
		assert.Contains(t, r.out, `<failure message=`)
		r = run(t, folder, "", strings.Fields("check -format sarif"+args)...)
		assert.Equal(t, 2, r.status)
		var log struct {
			Runs []struct{ Results []struct{ RuleID string } }
		}
		require.NoError(t, json.Unmarshal([]byte(r.out), &log))
		var report any
		require.NoError(t, json.Unmarshal([]byte(r.out), &report))
		valid(t, "sarif-schema-2.1.0.json", report)
		assert.NotEmpty(t, log.Runs[0].Results[0].RuleID)
	}
}

// TestManyProblems: of very many problems the first of each kind are told in full, some in a line each, and the others by their kinds; JSON has all.
func TestManyProblems(t *testing.T) {
	t.Parallel()
	lines := []string{"wendrik: 1", "regions: {west: [west-a]}", "networks:"}
	for i := range 30 {
		lines = append(lines, fmt.Sprintf("  n%d: {region: west, range: 10.%d.0.0/16, berths: 1, tables: []}", i, i))
	}
	lines = append(lines, "  last: {region: nowhere, range: 10.99.0.0/16}")
	folder := t.TempDir()
	write(t, folder, strings.Join(lines, "\n")+"\n")
	r := run(t, folder, "", "grid")
	assert.Equal(t, 2, r.status)
	assert.Equal(t, maxInFull, strings.Count(r.err, "^"), "in full")
	assert.Contains(t, r.err, "^ the only one known is west", "the only one of its kind is in full, though it is the last")
	var told []int
	for _, n := range regexp.MustCompile(`(?m)^(\d+) more of the kind (?:unknown-key|wrong-kind): wendrik`).FindAllStringSubmatch(r.err, -1) {
		count, err := strconv.Atoi(n[1])
		require.NoError(t, err)
		told = append(told, count)
	}
	require.Len(t, told, 2)
	assert.Equal(t, 61, strings.Count(r.err, "wendrik.yaml:")-len(told)*2+told[0]+told[1], "every problem is told or counted once")
	assert.Contains(t, r.err, "61 problems in wendrik.yaml; nothing was done;  wendrik check -format json  lists all\n")
	var all struct{ Findings []struct{ Where string } }
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "check", "-format", "json").out), &all))
	assert.Len(t, all.Findings, 61)
}

// maxInFull is how many problems are told in full.
const maxInFull = 10
