package main

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWhatLives breaks a small package in all ways: what its tests hold is noticed, and what they do not, lives.
func TestWhatLives(t *testing.T) {
	packages, err := load([]string{"./testdata/berths"})
	require.NoError(t, err)
	require.Len(t, packages, 1)
	all := packages[0].mutants()
	var out bytes.Buffer
	r := run{seed: "x", in: regexp.MustCompile(""), workers: 2, out: &out}
	tried, err := r.try(context.Background(), packages[0], r.choose(packages[0], all, 0))
	require.NoError(t, err)
	var lives, noticed []string
	for _, o := range tried {
		if o.lives {
			lives = append(lives, o.key()+"; "+o.by)
		} else {
			noticed = append(noticed, o.key()+"; "+o.by)
		}
	}
	assert.ElementsMatch(t, []string{
		"Ends: the loop ends after its first round, last = b; 1 tests come by it",
		"Ends: first ↔ last in return first, last; 1 tests come by it",
		"Ends: first → last; 1 tests come by it",
		"Free: length < 1 → <=; 1 tests come by it",
		"Ends: first → last (3); 1 tests come by it",
		"Ends: last → first (2); 1 tests come by it",
		"Ends: first == 0 → (first == 0) || true; 1 tests come by it",
		"Idle: returns at once; no test comes by it",
		"Idle: n == 0 → !=; no test comes by it",
		"Idle: 0 → 1; no test comes by it",
		"Free: b < length → <=; 1 tests come by it",
		"lengths: without Tug: 20; 2 tests come by it",
		"lengths: 20 → 21; 2 tests come by it",
	}, lives)
	for _, want := range []string{
		"Free: slices.Clone(berths) → berths; TestFree",
		`Free: errors.New("a ship has a length") → error(nil); TestFree`,
		"Free: taken[b] || b < length → &&; TestFree",
		"Free: taken[b] || b < length → taken[b]; TestFree",
		"Ends: returns at once; TestEnds",
		"Ends: without last = b; TestEnds",
		"Length: returns at once; TestEnds",
		"lengths: without Ferry: 90; TestEnds",
		"lengths: 90 → 91; TestEnds",
	} {
		assert.Contains(t, noticed, want)
	}
	assert.Contains(t, out.String(), "mutants/testdata/berths: 23 of 36 noticed (63 %)\n")
	assert.Contains(t, out.String(), "lives berths.go:45  Idle: n == 0 → !=  [comparison; no test comes by it]")
}

// TestChoice: the same seed chooses the same, as many of each kind as there are, and none that is marked as harmless.
func TestChoice(t *testing.T) {
	packages, err := load([]string{"./testdata/berths"})
	require.NoError(t, err)
	all := packages[0].mutants()
	keys := func(seed string, n int) (keys []string) {
		for _, m := range (&run{seed: seed, in: regexp.MustCompile("")}).choose(packages[0], all, n) {
			keys = append(keys, m.key())
		}
		return keys
	}
	assert.Equal(t, keys("a", 20), keys("a", 20))
	assert.NotEqual(t, keys("a", 20), keys("b", 20))
	assert.Len(t, keys("a", 20), 20)
	assert.Len(t, keys("a", 0), len(all))
	kinds := map[string]int{}
	for _, m := range (&run{in: regexp.MustCompile("")}).choose(packages[0], all, 12) {
		kinds[m.kind]++
	}
	for kind, n := range kinds {
		assert.Equal(t, 1, n, kind)
	}
	assert.Len(t, (&run{in: regexp.MustCompile("^berths.go Idle")}).choose(packages[0], all, 0), 3)
}

// TestHarmless: what stands in the list of those that change nothing is a mutant that there is.
func TestHarmless(t *testing.T) {
	byPackage := map[string][]string{}
	for key, why := range harmless() {
		assert.NotEmpty(t, why, key)
		byPackage[key[0]] = append(byPackage[key[0]], key[1])
	}
	for line := range strings.Lines(harmlessText) {
		assert.True(t, strings.HasPrefix(line, "#") || strings.Count(line, " | ") == 2, line)
	}
	for short, keys := range byPackage {
		packages, err := load([]string{"wendrik/internal/" + short})
		require.NoError(t, err)
		there := map[string]bool{}
		for _, m := range packages[0].mutants() {
			there[m.key()] = true
		}
		for _, key := range keys {
			assert.True(t, there[key], "%s: there is no mutant  %s", short, key)
		}
	}
}

// TestTally: a sample fails where a fresh mistake lives, and where none was tried for lack of time.
func TestTally(t *testing.T) {
	c := &code{path: "wendrik/internal/core/a"}
	m := &mutant{file: &file{name: "x.go"}, line: 4}
	lives, noticed := outcome{mutant: m, lives: true}, outcome{mutant: m}
	for _, tc := range []struct {
		name          string
		fresh, others []outcome
		noFresh       bool
		says, fails   string
	}{
		{"all noticed", []outcome{noticed}, []outcome{noticed, noticed}, false, "3 of 3 noticed in all\n", ""},
		{"one lives elsewhere", []outcome{noticed}, []outcome{lives}, false, "1 of 2 noticed in all\n", ""},
		{"a fresh one lives", []outcome{lives, noticed}, nil, false, "1 of 2 noticed in all\n", "what the last commit changed:\n  x.go:4 "},
		{"no time for anything", nil, nil, false, "0 of 0 noticed in all\nno time was left to try what the last commit changed in: core/a\n", "none was tried"},
		{"no time for the fresh ones", nil, []outcome{noticed}, false, "1 of 1 noticed in all\nno time was left to try what the last commit changed in: core/a\n", "nothing of what the last commit changed was tried"},
		{"the last commit changed no code", nil, []outcome{noticed}, true, "1 of 1 noticed in all\n", ""},
		{"there is nothing", nil, nil, true, "0 of 0 noticed in all\n", "none was tried"},
	} {
		var all tally
		if !tc.noFresh {
			all.add(c, []*mutant{m, m}, tc.fresh, true)
		}
		all.add(c, []*mutant{m, m}, tc.others, false)
		var out bytes.Buffer
		err := all.end(&out)
		assert.Equal(t, tc.says, out.String(), tc.name)
		if tc.fails == "" {
			assert.NoError(t, err, tc.name)
		} else {
			assert.ErrorContains(t, err, tc.fails, tc.name)
		}
	}
}

func TestHunks(t *testing.T) {
	got := hunks("/top", "diff --git a/x.go b/x.go\n--- a/x.go\n+++ b/x.go\n@@ -3 +3,2 @@ func f\n-a\n+b\n+c\n@@ -9,2 +10,0 @@\n-d\n-e\n--- a/y.go\n+++ b/y.go\n@@ -1 +1 @@\n-a\n+b\n")
	assert.Equal(t, lines{"/top/x.go": {3: true, 4: true}, "/top/y.go": {1: true}}, got)
	assert.True(t, got.has(&mutant{file: &file{name: "/top/x.go"}, line: 4}))
	assert.False(t, got.has(&mutant{file: &file{name: "/top/x.go"}, line: 5}))
}

// TestPage: a score takes the place of that of its package, or comes where its name stands in order.
func TestPage(t *testing.T) {
	page := filepath.Join(t.TempDir(), "page.md")
	require.NoError(t, os.WriteFile(page, []byte("text\n\n| package | a |\n|---|---|\n| `core/b` | old |\n| `core/d` | old |\n\nmore\n"), 0o644))
	r := run{page: page}
	for _, name := range []string{"core/b", "core/c", "core/e"} {
		require.NoError(t, r.write(&code{path: "wendrik/internal/" + name}, make([]*mutant, 70), []outcome{{lives: true}, {}, {}}))
	}
	raw, err := os.ReadFile(page)
	require.NoError(t, err)
	rows := regexp.MustCompile("`core/.`.*").FindAllString(string(raw), -1)
	require.Len(t, rows, 4)
	assert.True(t, strings.HasPrefix(rows[0], "`core/b` | 70 | 3 | 2 | 66 % | 0 | 2"), rows[0])
	assert.Equal(t, "`core/d` | old |", rows[2])
	assert.True(t, strings.HasPrefix(rows[1], "`core/c`") && strings.HasPrefix(rows[3], "`core/e`"))
	assert.True(t, strings.HasSuffix(string(raw), "\n\nmore\n"))
}
