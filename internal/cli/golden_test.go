package cli_test

import (
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/mattn/go-shellwords"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/check"
)

var update = flag.Bool("update", false, "write the golden outputs anew, to be read by a person")

// TestGolden holds whole outputs against files that a person has read.
func TestGolden(t *testing.T) {
	t.Parallel()
	hops, err := os.ReadFile("testdata/hops.yaml")
	require.NoError(t, err)
	broken, err := os.ReadFile("testdata/broken.yaml")
	require.NoError(t, err)
	cases := map[string]string{
		"overview":        "help",
		"block":           "block 10.144.0.0/20",
		"block-six":       "block fd3a:5e11:c0de::/48",
		"block-interval":  "block 10.144.0.10-10.144.0.77",
		"block-several":   "block 10.144.0.0/20 10.144.4.0/24 10.144.4.64/26 10.0.0.0/8 fd3a::/48",
		"block-hosts":     "block -hosts 120 -growth 50%",
		"block-json":      "block 203.0.113.64/26 -format json",
		"space":           "space",
		"space-in":        "space -in north -fit /22",
		"space-taken":     "space -taken inventory.csv -columns range=cidr -in west",
		"space-csv":       "space -format csv",
		"forecast":        "forecast -dates came.csv -from 2026-12-01 -monthly /18",
		"forecast-md":     "forecast -dates came.csv -from 2026-12-01 -in north -format md",
		"carve-taken":     "carve -taken inventory.csv -columns range=cidr",
		"overlaps-list":   "overlaps -list inventory.csv -columns range=cidr,owner=team",
		"overlaps-sheet":  "overlaps -list inventory.csv -columns range=cidr,owner=team -format csv",
		"overlaps-beside": "overlaps -list inventory.csv -columns range=cidr,owner=team -plan wendrik.yaml -with booking",
		"show-block":      "show north",
		"show-cluster":    "show berths",
		"help-reach":      "help reach",
		"show-network":    "show booking",
		"show-subnet":     "show booking/web-a",
		"show-table":      "show booking/public",
		"show-workload":   "show fare-db",
		"show-rest":       "show booking-finance",
		"carve":           "carve",
		"carve-why":       "carve -why",
		"carve-all-csv":   "carve -format csv",
		"carve-md":        "carve -format md",
		"carve-write":     "carve -write",
		"carve-json":      "carve -format json",
		"show-estate":     "show",
		"wire":            "wire",
		"join":            "join harbour finance -only harbour/feed,finance/data-b -on tcp/443",
		"join-half":       "join booking finance -only booking/app,finance -on tcp/5432 -half finance",
		"join-forbidden":  "join drill booking",
		"join-undo":       "join booking finance -undo",
		"check-fix":       "check -fix",
		"outage":          "outage",
		"steps-down":      "steps wendrik.yaml -down -format md",
		"renumber":        "renumber drill -from north",
		"outage-md":       "outage -of west-a,booking-finance -format md",
		"new":             "new -o -",
		"help-plan":       "help plan",
		"help-key":        "help plan networks.tiers",
		"show-md":         "show finance -format md",
		"reach-md":        "reach booking/app fare-db -on tcp/5432 -format md",
		"grid-md":         "grid -by networks -format md",
		"space-inside":    "space -in booking",
		"overlaps":        "overlaps",
		"overlaps-csv":    "overlaps -format csv",
		"overlaps-json":   "overlaps -format json",
		"reach-blocked":   "reach ticket-1 fare-db -on tcp/5432",
		"reach-open":      "reach fares-1 fare-db -on tcp/5432",
		"reach-out":       "reach fares-1 internet -on tcp/443",
		"reach-main":      "reach fares-3 internet -on udp/53",
		"reach-back":      "reach ticket-1 berth-1 -on tcp/8443",
		"reach-any":       "reach internet ticket-1",
		"reach-ways":      "reach internet jump-1",
		"reach-part":      "reach internet jump-1 -on tcp/22",
		"reach-site":      "reach quay berth-1 -on tcp/22",
		"reach-json":      "reach ticket-1 fare-db -on tcp/5432 -format json",
		"reach-many":      "reach booking/app fare-db -on tcp/5432",
		"reach-many-ways": "reach booking/app internet -all-ways",
		"grid":            "grid",
		"grid-on":         "grid -on tcp/5432 -by tiers",
		"grid-part":       "grid -from booking -to finance -by workloads",
		"grid-exposed":    "grid -from internet",
		"grid-out":        "grid -to internet -on tcp/443 -all",
		"grid-csv":        "grid -by networks -format csv",
		"grid-out-csv":    "grid -to internet -format csv",
		"grid-classes":    "grid -by classes -format json",
		"check":           "check",
		"check-junit":     "check -format junit",
		"check-rules":     "check -rules",
		"check-errors":    "check -only errors -format csv",
		"demo":            "demo out",
		"broken":          "carve -plan broken.yaml",
		"hops-gateway":    "show dock/six -plan hops.yaml",
		"hops-forwards":   "show guard -plan hops.yaml",
		"hops-balancer":   "show front -plan hops.yaml",
		"hops-peering":    "show pair -plan hops.yaml",
		"hops-hub":        "show spine -plan hops.yaml",
		"hops-link":       "show bridge -plan hops.yaml",
		"hops-check":      "check -plan hops.yaml",
		"hops-reach":      "reach web-1 front -on tcp/443 -plan hops.yaml",
		"hops-grid":       "grid -plan hops.yaml",
		"hops-list":       "grid -to 10.212.0.9 -plan hops.yaml -all",
		"reach-many-any":  "reach booking fare-db",
	}
	files, err := os.ReadDir("testdata/golden")
	require.NoError(t, err)
	for _, f := range files {
		assert.Contains(t, cases, strings.TrimSuffix(f.Name(), ".txt"), "an output that nothing makes")
	}
	for name, args := range cases {
		folder := demo(t)
		require.NoError(t, os.WriteFile(filepath.Join(folder, "broken.yaml"), broken, 0o644))
		require.NoError(t, os.WriteFile(filepath.Join(folder, "hops.yaml"), hops, 0o644))
		r := run(t, folder, "", strings.Fields(args)...)
		got := fmt.Sprintf("$ wendrik %s\n%s", args, strings.ReplaceAll(r.out, program, "wendrik"))
		if r.err != "" {
			got += "--- on standard error\n" + r.err
		}
		got += fmt.Sprintf("--- exit status %d\n", r.status)
		file := filepath.Join("testdata", "golden", name+".txt")
		if *update {
			require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
			require.NoError(t, os.WriteFile(file, []byte(got), 0o644))
		}
		want, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, string(want), got, name)
		for line := range strings.Lines(r.out) {
			if !strings.Contains(args, "-format") && !strings.Contains(args, "demo") {
				assert.LessOrEqual(t, len([]rune(strings.TrimRight(line, "\n"))), 100, "%s: text is for 100 columns: %s", name, line)
			}
		}
	}
}

var consoleBlock = regexp.MustCompile("(?s)```console\n(.*?)```")

// TestReadme runs every command that the README and the tour show, in order, and compares all that it prints.
func TestReadme(t *testing.T) {
	t.Parallel()
	readme(t, "../../README.md", 1)
	readme(t, "../../docs/tour.md", 10)
	raw, err := os.ReadFile("../../README.md")
	require.NoError(t, err)
	require.Less(t, strings.Count(string(raw), "\n"), 150, "it fits on three screens")
}

func readme(t *testing.T, file string, least int) {
	t.Helper()
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	folder := demo(t)
	shown := 0
	text := consoleBlock.ReplaceAllStringFunc(string(raw), func(block string) string {
		line, _, _ := strings.Cut(strings.TrimPrefix(block, "```console\n"), "\n")
		args, ours := strings.CutPrefix(line, "$ wendrik ")
		require.True(t, ours, line)
		shown++
		r := run(t, folder, "", strings.Fields(args)...)
		return "```console\n" + line + "\n" + r.out + r.err + "```"
	})
	require.GreaterOrEqual(t, shown, least)
	if *update {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		return
	}
	assert.Equal(t, text, string(raw), "run  go test ./internal/cli -update  and read the difference")
}

// TestPages: the pages of commands and rules, and that of the manual, are what the program says today.
func TestPages(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	pages := map[string]string{"rules.md": "help -format md rules", "assurances.md": "help -format md assurances", "wendrik.1": "help -format man"}
	for _, c := range regexp.MustCompile(`(?m)^  ([a-z-]+) +\S`).FindAllStringSubmatch(run(t, folder, "", "help").out, -1) {
		pages["commands/"+c[1]+".md"] = "help -format md " + c[1]
	}
	for name, line := range pages {
		r := run(t, folder, "", strings.Fields(line)...)
		require.Equal(t, 0, r.status, r.err)
		file := filepath.Join("../../docs", name)
		if *update {
			require.NoError(t, os.MkdirAll(filepath.Dir(file), 0o755))
			require.NoError(t, os.WriteFile(file, []byte(r.out), 0o644))
			continue
		}
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, r.out, string(raw), "run  go test ./internal/cli -update")
	}
	there, err := filepath.Glob("../../docs/commands/*.md")
	require.NoError(t, err)
	assert.Len(t, there, len(pages)-3, "a page of a command that is gone")
	for _, rule := range check.Rules {
		r := run(t, folder, "", "help", "rules", string(rule.Code))
		assert.Equal(t, 0, r.status, rule.Code)
		assert.Contains(t, r.out, string(rule.Code))
	}
	r := run(t, folder, "", "help", "rules", "no-rout-back")
	assert.Contains(t, r.err, "did you mean no-route-back?")
}

// TestHelpExamplesRun runs every example of every command on the demo estate.
func TestHelpExamplesRun(t *testing.T) {
	t.Parallel()
	overview := run(t, t.TempDir(), "", "help")
	commands := regexp.MustCompile(`(?m)^  ([a-z-]+) +\S`).FindAllStringSubmatch(overview.out, -1)
	require.GreaterOrEqual(t, len(commands), 25)
	for _, c := range commands {
		t.Run(c[1], func(t *testing.T) {
			t.Parallel()
			folder := demo(t)
			setenv(folder, "XDG_RUNTIME_DIR", t.TempDir()) // for the rehearsal that is kept
			setenv(folder, "WENDRIK_AT", cloudIn(t, folder).url)
			setenv(folder, "PATH", filepath.Dir(program)+string(filepath.ListSeparator)+os.Getenv("PATH"))
			help := run(t, folder, "", "help", c[1])
			require.Equal(t, 0, help.status)
			examples := regexp.MustCompile(`(?m)^  wendrik (.*)$`).FindAllStringSubmatch(help.out, -1)
			if c[1] == "claims" || c[1] == "release" { // what has been claimed is listed, and released
				require.Equal(t, 0, run(t, folder, "", "claim", "10.146.0.0/24", "-for", "till printers").status)
			}
			assert.NotEmpty(t, examples, "%s has no example", c[1])
			for _, x := range examples {
				if c[1] == "rehearse" && runtime.GOOS != "linux" {
					continue
				}
				words, err := shellwords.Parse(x[1])
				require.NoError(t, err)
				r := run(t, folder, "", words...)
				assert.Less(t, r.status, 2, "%s: %s", x[1], r.err)
				assert.NotEmpty(t, r.out, x[1])
			}
			again := run(t, folder, "", c[1], "-h")
			assert.Equal(t, help.out, again.out)
		})
	}
}

// TestLinks: what README, CONTRIBUTING and docs link to is there, and every picture is linked from one of them.
func TestLinks(t *testing.T) {
	t.Parallel()
	const top = "../../"
	pages, err := filepath.Glob(top + "docs/*.md")
	require.NoError(t, err)
	pictures := map[string]bool{}
	for _, page := range append(pages, top+"README.md", top+"CONTRIBUTING.md", top+"CHANGELOG.md") {
		raw, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, m := range regexp.MustCompile(`\]\(([^)#\s]+)[^)]*\)`).FindAllStringSubmatch(string(raw), -1) {
			if strings.Contains(m[1], "://") {
				continue
			}
			file := filepath.Join(filepath.Dir(page), m[1])
			_, err := os.Stat(file)
			assert.NoError(t, err, "%s links it", page)
			pictures[filepath.Base(file)] = true
		}
	}
	files, err := os.ReadDir(top + "docs/screenshots")
	require.NoError(t, err)
	assert.Less(t, len(files), 20)
	for _, f := range files {
		assert.True(t, pictures[f.Name()], "%s is not linked", f.Name())
	}
}

// suggested finds the command lines that an answer suggests: up to two spaces, a quote or the end of the line.
var suggested = regexp.MustCompile(`wendrik ([a-z]+(?: [^ "<]+)*)`)

// TestSuggestionsRun runs every command line that a golden output suggests, and those of other answers, as it stands.
func TestSuggestionsRun(t *testing.T) {
	t.Parallel()
	hops, err := os.ReadFile("testdata/hops.yaml")
	require.NoError(t, err)
	files, err := filepath.Glob("testdata/golden/*.txt")
	require.NoError(t, err)
	spaced := demo(t)
	require.NoError(t, os.Rename(filepath.Join(spaced, "wendrik.yaml"), filepath.Join(spaced, "our plan's.yaml")))
	require.NoError(t, os.WriteFile(filepath.Join(spaced, "expects.yaml"), []byte(strings.Replace(read(t, demo(t)), "expect:\n", "expect:\n  - internet never reaches ticket-1\n  - quay never reaches berth-1\n", 1)), 0o644))
	lines := map[string]string{} // by what was run
	collect := func(folder, from, text string) {
		for _, found := range suggested.FindAllStringSubmatch(text, -1) {
			if line := found[1]; line == strings.ToLower(line) || strings.Contains(line, "our plan") { // words in capitals stand for something
				lines[line] = folder
			}
		}
	}
	for _, f := range files {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		_, answer, _ := strings.Cut(string(raw), "\n")
		collect(demo(t), f, answer)
	}
	for _, line := range []string{
		"reach fares-3 booking/app", "reach booking finance", "reach ticket-1 booking -all-ways", "reach internet booking", "reach booking/web internet", "grid -from internet -to internet",
		"check -plan expects.yaml", "check -plan expects.yaml -format junit", "check -format csv -plan expects.yaml", "CHECK", "help REACH",
	} {
		if !strings.Contains(line, "expects") {
			line += " -plan our"
		}
		words := strings.Fields(line)
		if words[len(words)-1] == "our" {
			words[len(words)-1] = "our plan's.yaml"
		}
		r := run(t, spaced, "", words...)
		collect(spaced, line, r.out+r.err)
	}
	require.Greater(t, len(lines), 20)
	for line, folder := range lines {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "hops.yaml"), hops, 0o644))
		if line == "check" || slices.ContainsFunc([]string{"plans the", "demo", "rehearse", "check -plan broken"}, func(never string) bool { return strings.HasPrefix(line, never) }) {
			continue // the name of a report, the first words of the help, what is tried elsewhere, and a plan with problems
		}
		c := exec.Command("sh", "-c", program+" "+line)
		c.Dir = folder
		out, _ := c.CombinedOutput()
		assert.NotEqual(t, 2, c.ProcessState.ExitCode(), "%s\n%s", line, out)
	}
}
