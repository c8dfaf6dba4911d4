package cli_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// program is the built program: the tests drive what users run.
var program string

func TestMain(m *testing.M) {
	_ = flag.Set("test.parallel", "4") // they wait for the kernel and for one another more than they compute
	flag.Parse()
	dir, err := os.MkdirTemp("", "wendrik-test-")
	if err != nil {
		panic(err)
	}
	if program = os.Getenv("WENDRIK_TEST_PROGRAM"); program != "" { // one that is built already
		os.Exit(m.Run())
	}
	program = filepath.Join(dir, "wendrik")
	if runtime.GOOS == "windows" {
		program += ".exe"
	}
	args := []string{"build", "-o", program}
	if os.Getenv("GOCOVERDIR") != "" { // each run of the program notes there what of it ran
		args = append(args, "-cover", "-coverpkg=wendrik/...")
	}
	build := exec.Command("go", append(args, "wendrik/cmd/wendrik")...)
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "the program does not build: %s\n%s", err, out)
		os.Exit(1)
	}
	status := m.Run()
	os.RemoveAll(dir)
	os.Exit(status)
}

// result is what one run of the program came to.
type result struct {
	out, err string
	status   int
}

// environs are the variables that runs of the program in a folder have, beside those of the tests.
var environs = struct {
	sync.Mutex
	of map[string][]string
}{of: map[string][]string{}}

// setenv sets a variable for all runs in a folder from then on; tests run side by side.
func setenv(folder, key, value string) {
	environs.Lock()
	defer environs.Unlock()
	environs.of[folder] = append(environs.of[folder], key+"="+value)
}

// environ is what a run in a folder has.
func environ(folder string) []string {
	environs.Lock()
	defer environs.Unlock()
	return slices.Concat(os.Environ(), environs.of[folder])
}

// run runs the program in a folder, with a text on standard input.
func run(t *testing.T, folder, stdin string, args ...string) result {
	t.Helper()
	c := exec.Command(program, args...)
	c.Dir, c.Env = folder, environ(folder)
	c.Stdin = strings.NewReader(stdin)
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	err := c.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	for _, text := range []string{out.String(), errs.String()} {
		require.NotContains(t, text, "goroutine ", "a crash: %s", args)
		require.NotContains(t, text, "\x1b", "no colour where no terminal is: %s", args)
	}
	return result{out.String(), errs.String(), c.ProcessState.ExitCode()}
}

// demo unpacks the shipped estate into a new folder.
func demo(t *testing.T) string {
	t.Helper()
	folder := t.TempDir()
	shipped, err := os.ReadDir("../../examples/skerry-line")
	require.NoError(t, err)
	for _, f := range shipped {
		raw, err := os.ReadFile("../../examples/skerry-line/" + f.Name())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(folder, f.Name()), raw, 0o644))
	}
	return folder
}

func write(t *testing.T, folder, text string) {
	t.Helper()
	require.NoError(t, os.WriteFile(filepath.Join(folder, "wendrik.yaml"), []byte(text), 0o644))
}

func read(t *testing.T, folder string) string {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join(folder, "wendrik.yaml"))
	require.NoError(t, err)
	return string(raw)
}

// conflict is an estate of which two lines contradict each other, and wiring of which closes what a forgotten table let out.
const conflict = `wendrik: 1
networks:
  n:
    range: 10.0.0.0/16
    tiers: {edge: {access: public}, data: {access: closed}}
    subnets: {edge: {tier: edge, range: 10.0.0.0/24}, data: {tier: data, range: 10.0.1.0/24}}
    gateways: {door: {kind: internet}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: door}]}}
workloads: {a: {in: n/edge, address: 10.0.0.10}, b: {in: n/data, address: 10.0.1.10, public: 203.0.113.5}, c: {in: n/edge}}
expect: [a reaches b on tcp/443, n/edge never reaches n/data on tcp, c reaches a on tcp/22]
`

// closing is an estate in which the fix of a forgotten subnet takes away what its main table gave it, against a line of
// expect that would be broken.
const closing = `wendrik: 1
profile: zonal
regions: {west: [west-a, west-b]}
networks:
  pier:
    region: west
    range: 10.144.0.0/20
    tiers: {app: {}}
    subnets: {app-a: {tier: app, zone: west-a, range: 10.144.0.0/24}, app-b: {tier: app, zone: west-b, range: 10.144.1.0/24}, edge: {zone: west-a, range: 10.144.2.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: edge, address: 10.144.2.9, public: 203.0.113.9}}
    tables:
      main: {main: true, routes: [{to: 10.148.0.0/20, via: pair}]}
      app: {subnets: [app-a], routes: [{to: 0.0.0.0/0, via: out}]}
      edge: {subnets: [edge], routes: [{to: 0.0.0.0/0, via: front}]}
    groups: {g: {in: [any from any], out: [any to any]}}
  quay: {range: 10.148.0.0/20, subnets: {s: {range: 10.148.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.144.0.0/20, via: pair}]}}, groups: {g: {in: [any from any], out: [any to any]}}}
workloads:
  tides: {in: pier/app-b, address: 10.144.1.10, groups: [g]}
  berth: {in: quay/s, address: 10.148.0.10, groups: [g]}
peerings: {pair: {between: [pier, quay], accepted: [pier, quay]}}
expect: [tides never reaches 198.51.100.77]
`

// TestFixesSayWhatTheyClose asks for the way out of that estate.
func TestFixesSayWhatTheyClose(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, closing)
	r := run(t, folder, "", "reach", "tides", "198.51.100.9", "-on", "tcp/443")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "tried: with the fix it is open")
	assert.Contains(t, r.out, "and this closes:\n     any  from tides to berth")
	assert.Contains(t, r.out, "against  tides never reaches 198.51.100.77")
}

// TestJSONKeys holds the keys of every JSON output against the list in docs/json.md.
func TestJSONKeys(t *testing.T) {
	t.Parallel()
	mistakes := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "mistakes.csv"), []byte("range,owner\n10.0.0.0/24,a\nx,b\n10.0.0.0/25,c\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "firm.csv"), []byte("range,name,owner,place,fixed\n10.144.0.0/18,yard,a,b,\n10.144.0.0/14,all,a,b,no\n10.212.0.0/24,crane,a,b,yes\n"), 0o644))
	front := strings.Replace(read(t, mistakes), "workloads:\n", "workloads:\n  front: {in: booking/web-c, address: 10.144.1.10, groups: [shop], targets: [ticket-1]}\n  porter: {in: booking/app, count: 2}\n", 1)
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "front.yaml"), []byte(front), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "closing.yaml"), []byte(closing), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "conflict.yaml"), []byte(conflict), 0o644))
	never := "wendrik: 1\nprofile: zonal\nregions: {west: [west-a]}\nnetworks: {pier: {region: west, range: 10.144.0.0/20, tiers: {db: {access: closed}}, subnets: {db-a: {tier: db, zone: west-a, range: 10.144.1.0/24}}, groups: {all: {in: [any from any], out: [any to any]}}}}\n" +
		"workloads: {db: {in: pier/db, address: 10.144.1.10, groups: [all]}}\nsites: {office: {ranges: 10.212.0.0/16, link: pier}}\nexpect: [db never reaches office]\n"
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "never.yaml"), []byte(never), 0o644))
	later := strings.NewReplacer("range: 10.144.16.0/20", "range: 10.144.32.0/20", "10.144.16.", "10.144.32.", "10.144.17.", "10.144.33.", "203.0.113.7", "203.0.113.9", "subnets: [app-a, app-b]", "subnets: [app-a, app-b, app-c]").Replace(read(t, mistakes))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "later.yaml"), []byte(later), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "renamed.yaml"), []byte(strings.ReplaceAll(read(t, mistakes), "out-a", "exit-a")), 0o644))
	require.Equal(t, 0, run(t, mistakes, "", "claim", "10.147.0.0/24", "-for", "posts").status)
	standing, moved, keys := demo(t), "moved.yaml", "-keys "
	c := cloudIn(t, standing, "-owners", "skerry-line,skerry-line/night-shift")
	keys += filepath.Join(standing, "cloud.keys")
	at := " -at " + c.url + " " + keys
	require.NoError(t, os.WriteFile(filepath.Join(standing, "wendrik.yaml"), []byte(strings.Replace(read(t, standing), "fare-db:    {", "fare-db: {labels: {purpose: fares}, ", 1)), 0o644))
	require.Equal(t, 0, run(t, standing, "", "build", "-at", c.url).status)
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, moved), []byte(strings.NewReplacer("10.144.16.10", "10.144.16.11", "tcp/8443 from 10.144.0.0/16", "tcp/8443 from any").Replace(read(t, mistakes))+"  - jump-1 reaches berth-1 on tcp/8443\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "waived.yaml"), []byte(strings.Replace(read(t, mistakes), "10.144.16.10,", "10.144.16.11,", 1)+"waive: [{rule: drift, at: fare-db, because: x, until: 2999-01-31}]\n"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(mistakes, "shut.yaml"), []byte(strings.Replace(read(t, mistakes), "in:  [tcp/8080 from group shop, icmp from 10.144.0.0/20]", "in:  []", 1)), 0o644))
	for command, args := range map[string][]string{
		"build":                            {"build -dry -plan " + moved + at},
		"drift":                            {"drift -plan " + moved + at, "drift -plan shut.yaml" + at, "drift -plan waived.yaml" + at},
		"driver -try":                      {"driver" + at + " -try " + program + " driver"},
		"join":                             {"join harbour finance -on tcp/8443 -half harbour", "join drill booking", "join booking finance -only booking/web,finance -on tcp/5432", "join harbour finance -only harbour/store", "join booking finance -undo"},
		"wire":                             {"wire", "wire -plan front.yaml", "wire -plan conflict.yaml", "wire -plan never.yaml"},
		"carve":                            {"carve", "carve -plan front.yaml"},
		"overlaps":                         {"overlaps"},
		"overlaps of a list":               {"overlaps -list mistakes.csv"},
		"overlaps of a list beside a plan": {"overlaps -list firm.csv -plan wendrik.yaml"},
		"block":                            {"block 10.144.0.0/20"},
		"block with a list":                {"block 10.144.0.0/20 -split 2"},
		"block -hosts":                     {"block -hosts 20"},
		"space":                            {"space", "space -in booking"},
		"reach":                            {"reach fares-3 fare-db -on tcp/5432,tcp/80", "reach internet fares-1", "reach booking/app fare-db", "reach fares-1 front -plan front.yaml", "reach tides 198.51.100.9 -on tcp/443 -plan closing.yaml"},
		"compare":                          {"compare closing.yaml wendrik.yaml", "compare wendrik.yaml later.yaml"},
		"outage":                           {"outage"},
		"steps":                            {"steps wendrik.yaml", "steps wendrik.yaml renamed.yaml"},
		"grow":                             {"grow", "grow booking/app -hosts 90000"},
		"rename":                           {"rename finance ledgers", "rename tier booking/web shop"},
		"renumber":                         {"renumber shared", "renumber finance -to 10.212.0.0/20"},
		"grid":                             {"grid -by tiers"},
		"grid -from internet":              {"grid -from internet"},
		"grid -by classes":                 {"grid -by classes"},
		"check":                            {"check"},
		"check -fix":                       {"check -fix", "check -fix -plan closing.yaml"},
		"show":                             {"show booking"},
		"claim":                            {"claim 10.146.0.0/24 -for timetables -owner ferries"},
		"claims":                           {"claims"},
		"claims -history":                  {"claims -history"},
	} {
		keys := map[string]bool{}
		for _, line := range args {
			r := run(t, mistakes, "", append(strings.Fields(line), "-format", "json")...)
			var value any
			require.NoError(t, json.Unmarshal([]byte(r.out), &value), line)
			collect(t, value, "", keys)
		}
		var got []string
		for k := range keys {
			// The steps and blockers of the ways are those of the answer, described once.
			if !strings.HasPrefix(k, "back[].") && !regexp.MustCompile(`^(findings(\.new|\.gone)?|made|asks|left|new|waived|forbids)\[\]\.[a-z]+$`).MatchString(k) && !regexp.MustCompile(`^(ways\[\]\.(forward|back|blockers)\[\]\.|parts\[\]\.(ways|blockers)\[\]\.)`).MatchString(k) {
				got = append(got, k)
			}
		}
		assert.ElementsMatch(t, documented(t, command), got, "the keys of %s", command)
	}
}

// collect notes the path of every key, with [] for a list, and checks the form of keys and that no list is null.
// documented are the keys that docs/json.md has for a command.
func documented(t *testing.T, command string) []string {
	t.Helper()
	raw, err := os.ReadFile("../../docs/json.md")
	require.NoError(t, err)
	_, section, found := strings.Cut(string(raw), "## "+command+"\n")
	require.True(t, found, "docs/json.md says nothing of %s", command)
	section, _, _ = strings.Cut(section, "\n## ")
	var keys []string
	for _, m := range regexp.MustCompile("(?m)^\\| `([^`]+)`").FindAllStringSubmatch(section, -1) {
		keys = append(keys, m[1])
	}
	return keys
}

// TestCheckStatus tries what the exit status says of plans that are good, doubtful and wrong.
func TestCheckStatus(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for text, want := range map[string][2]int{ // all findings, errors alone
		"networks: {a: {range: 10.0.0.0/16}}":                                                                              {0, 0},
		"networks: {a: {range: 10.0.0.0/16, lists: {l: {subnets: [], in: [], out: []}}}}":                                  {1, 0},
		"networks: {a: {range: 10.0.0.0/16}}\nexpect: [internet never reaches a]":                                          {1, 0},
		"networks: {a: {range: 10.0.0.0/16}}\nexpect: [a reaches internet on udp/53]":                                      {1, 1},
		"networks: {a: {range: 10.0.0.0/16}, b: {range: 10.0.0.0/17}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}": {1, 1},
	} {
		write(t, folder, "wendrik: 1\n"+text+"\n")
		assert.Equal(t, want, [2]int{run(t, folder, "", "check").status, run(t, folder, "", "check", "-only", "errors").status}, text)
	}
}

func collect(t *testing.T, value any, path string, keys map[string]bool) {
	switch value := value.(type) {
	case map[string]any:
		for k, v := range value {
			require.Regexp(t, `^[a-z][a-z0-9_]*$`, k)
			p := strings.TrimPrefix(path+"."+k, ".")
			if _, list := v.([]any); list {
				p += "[]"
			}
			keys[p] = true
			if k != "outside" { // which is the same in each answer, and rarely there
				collect(t, v, p, keys)
			}
		}
	case []any:
		for _, v := range value {
			collect(t, v, path, keys)
		}
	case nil:
		require.Fail(t, "null", path)
	}
}

func TestCarveWrites(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	preview := run(t, folder, "", "carve")
	require.Equal(t, 0, preview.status)
	require.Equal(t, before, read(t, folder), "a preview writes nothing")

	file := filepath.Join(folder, "wendrik.yaml")
	require.NoError(t, os.Chmod(file, 0o640))
	r := run(t, folder, "", "carve", "-write")
	require.Equal(t, 0, r.status, r.err)
	after := read(t, folder)
	require.NotEqual(t, before, after)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
	for line := range strings.Lines(before) {
		if !strings.Contains(line, "size") || strings.Contains(line, "tier") {
			assert.Contains(t, after, line)
		}
	}
	left, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, left, 4, "no other file is left")

	again := run(t, folder, "", "carve", "-write")
	assert.Equal(t, 0, again.status)
	assert.Equal(t, after, read(t, folder), "a second run changes nothing")
}

func TestCarveWritesThroughALink(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	link := filepath.Join(folder, "link.yaml")
	if err := os.Symlink("wendrik.yaml", link); err != nil {
		t.Skip("this system makes no links: ", err)
	}
	require.Equal(t, 0, run(t, folder, "", "carve", "-write", "-plan", "link.yaml").status)
	info, err := os.Lstat(link)
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink, "the link is still one")
	assert.Contains(t, read(t, folder), "range: [10.144.32.0/21, fd3a:5e11:c0de::/56]\n")
}

func TestCarveWritesAllOrNothing(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	text := "wendrik: 1\nspace: {all: {block: 10.0.0.0/24}}\nnetworks: {a: {from: all, size: /25}, b: {from: all, size: /24}}\n"
	write(t, folder, text)
	r := run(t, folder, "", "carve", "-write")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.err, "addresses are missing")
	assert.Contains(t, r.err, "nothing was written")
	assert.Equal(t, text, read(t, folder))

	text = "wendrik: 1\nspace: {all: {block: 10.0.0.0/24}}\nnetworks: {a: &a {from: all, size: /25}, b: *a}\n"
	write(t, folder, text)
	r = run(t, folder, "", "carve", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "written once and used in several places")
	assert.Equal(t, text, read(t, folder))
}

func TestStandardInput(t *testing.T) {
	t.Parallel()
	text := read(t, demo(t))
	empty := t.TempDir()
	r := run(t, empty, text, "reach", "-plan", "-", "fares-1", "-on", "tcp/5432", "fare-db")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "open")
	r = run(t, empty, text, "carve", "-plan", "-", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "standard input cannot be written to")
	r = run(t, empty, "", "carve", "-plan", "-")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "standard input:1:1: the plan is empty")
}

// TestUnreadable tries files that are no plan: each ends with status 2 and a sentence.
func TestUnreadable(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	huge, err := os.Create(filepath.Join(folder, "huge.yaml"))
	require.NoError(t, err)
	require.NoError(t, huge.Truncate(200<<20))
	require.NoError(t, huge.Close())
	for name, want := range map[string]string{"huge.yaml": "larger than 32 MiB", "none.yaml": "there is no file none.yaml", ".": "folder . has no wendrik.yaml"} {
		r := run(t, folder, "", "overlaps", "-plan", name)
		assert.Equal(t, 2, r.status, name)
		assert.Contains(t, r.err, want)
		assert.Empty(t, r.out)
	}
}

// TestTextsOfStrangers puts what a terminal, a spreadsheet or a page would act on into a plan.
func TestTextsOfStrangers(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, "wendrik: 1\nspace: {h: {block: 10.0.0.0/24, held: \"=cmd | \\e[31m\\u202e <b>*x*</b>\"}}\nnetworks: {a: {range: 10.0.0.0/24}}\n")
	r := run(t, folder, "", "overlaps")
	assert.Contains(t, r.out, `\x1b[31m`)
	assert.NotContains(t, r.out, "\u202e")
	r = run(t, folder, "", "show", "h")
	assert.Contains(t, r.out, `\x1b[31m`)
	r = run(t, folder, "", "overlaps", "-format", "md")
	assert.Contains(t, r.out, `=cmd \| \\x1b\[31m`)
	assert.Contains(t, r.out, `&lt;b&gt;\*x\*&lt;/b&gt;`)
	write(t, folder, "wendrik: 1\n\"\\e[31m\": 1\n")
	r = run(t, folder, "", "overlaps")
	assert.Equal(t, 2, r.status)
}

// TestBlockLists asks for plain lists, one range a line.
func TestBlockLists(t *testing.T) {
	t.Parallel()
	for args, want := range map[string]string{
		"10.144.0.0/20 -split 3":                          "10.144.0.0/21 10.144.8.0/22 10.144.12.0/22",
		"10.144.0.0/22 -split /24":                        "10.144.0.0/24 10.144.1.0/24 10.144.2.0/24 10.144.3.0/24",
		"10.144.0.0/22 -split /24 -nth 2":                 "10.144.2.0/24",
		"-split /24 -nth -1 10.144.0.0/22":                "10.144.3.0/24",
		"::/0 -split /128 -nth 18446744073709551615":      "::ffff:ffff:ffff:ffff/128",
		"10.144.0.0/22 -split 4 -nth 3":                   "10.144.3.0/24",
		"10.144.0.0/22 -minus 10.144.1.0/24,10.144.2.128": "10.144.0.0/24 10.144.2.0/25 10.144.2.129/32 10.144.2.130/31 10.144.2.132/30 10.144.2.136/29 10.144.2.144/28 10.144.2.160/27 10.144.2.192/26 10.144.3.0/24",
		"10.0.1.0/24 10.0.0.0/24 10.0.0.9 -merge":         "10.0.0.0/23",
		"- -merge":                       "10.9.0.0/23",
		"10.0.1.0/24 10.0.7.9 -around":   "10.0.0.0/21",
		"10.0.1.0/24 fd3a::/64 -next":    "10.0.2.0/24 fd3a:0:0:1::/64",
		"10.0.1.0/24 -previous":          "10.0.0.0/24",
		"10.0.0.0/8 -split /24 -limit 2": "10.0.0.0/24 10.0.1.0/24",
	} {
		r := run(t, t.TempDir(), "# some\n10.9.0.0/24\n\n10.9.1.0/24\n", append([]string{"block"}, strings.Fields(args)...)...)
		assert.Equal(t, 0, r.status, "%s: %s", args, r.err)
		assert.Equal(t, want, strings.Join(strings.Fields(r.out), " "), args)
	}
	for args, want := range map[string]string{
		"255.255.255.0/24 -next":           "1 there is none",
		"10.0.0.0/24 -minus 10.0.0.0/8":    "1 there is none",
		"10.0.0.0/22 -split /24 -nth 4":    "1 numbered from 0 to 3",
		"10.0.0.0/22 -split 3 -nth -4":     "1 numbered from 0 to 2",
		"-hosts 9000000 -profile zonal":    "1 ",
		"10.0.0.0/22 -split /20":           "2 has no pieces of /20",
		"10.0.0.0/31 -split 3":             "2 cannot be cut into 3 parts",
		"10.0.0.0/31 -split x":             "2 a number of parts, or a size",
		"10.0.0.0/24 -nth 1":               "2 no effect without -split",
		"10.0.0.1-10.0.0.9 -split 2":       "2 is not one CIDR block",
		"10.0.0.0/24 10.0.1.0/24 -split 2": "2 takes one range, not 2",
		"10.0.0.9/24":                      "2 the block is 10.0.0.0/24",
		"10.0.0.0/24 -minus x":             "2 not a range",
		"-hosts 0 -growth 5%":              "2 from 1",
		"-hosts 5 -growth 5":               "2 write 5%",
		"10.0.0.0/24 -profile zone":        "2 no profile",
		"":                                 "2 at least one range",
	} {
		r := run(t, t.TempDir(), "", append([]string{"block"}, strings.Fields(args)...)...)
		status, message, _ := strings.Cut(want, " ")
		assert.Equal(t, status, fmt.Sprint(r.status), args)
		assert.Contains(t, r.err, message, args)
	}
}

func TestFreeRangesForScripts(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for args, want := range map[string]string{
		"-free /22 -in west -count 3":                                   "0 10.144.32.0/22 10.144.36.0/22 10.144.40.0/22",
		"-free /22 -in west -taken inventory.csv -columns range=cidr":   "0 10.144.36.0/22",
		"-free /13 -in cloud -count 2":                                  "1 10.152.0.0/13",
		"-free /56 -in north -count 2":                                  "0 fd3a:5e11:c0de:1000::/56 fd3a:5e11:c0de:1100::/56",
		"-free /24 -in quays":                                           "1 ",
		"-free /24":                                                     "2 ",
		"-free 24 -in west":                                             "2 ",
		"-free /24 -in wset":                                            "2 ",
		"-free /24 -in west -taken none.csv":                            "2 ",
		"-free /24 -in west -taken inventory.csv -columns range=prefix": "2 ",
	} {
		r := run(t, folder, "", append([]string{"space"}, strings.Fields(args)...)...)
		assert.Equal(t, want, strings.TrimRight(fmt.Sprint(r.status, " ", strings.Join(strings.Fields(r.out), " ")), " ")+strings.Repeat(" ", btoi(r.out == "")), "%s: %s", args, r.err)
	}
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// TestListsOnStandardInput gives lists in the place of a plan.
func TestListsOnStandardInput(t *testing.T) {
	t.Parallel()
	empty := t.TempDir()
	r := run(t, empty, "10.0.0.0/24\n10.0.0.0/24\nweb\n10.0.0.9-10.0.1.9\n", "overlaps", "-list", "-")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "3 pairs of 3 ranges overlap: 1 the same, 2 in part, 0 inside")
	assert.Contains(t, r.err, "standard input:3: \"web\" is not a range")
	assert.Contains(t, r.err, "1 line of standard input could not be read; the rest was")

	// What comes through a pipe is a list, and it is told where a plan could be meant; an empty pipe is none.
	r = run(t, empty, "10.0.0.0/24\n10.0.1.0/24\n", "overlaps")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "nothing overlaps in 2 ranges")
	for text, want := range map[string]string{"10.0.0.0/24\n": "nothing overlaps in 1 range", "": "gull-rail"} {
		r = run(t, demo(t), text, "overlaps")
		assert.Contains(t, r.out, want)
		assert.Equal(t, text != "", strings.Contains(r.err, "the list on standard input was taken"), r.err)
	}
	silent, open, err := os.Pipe()
	require.NoError(t, err)
	defer silent.Close()
	defer open.Close()
	waiting := exec.Command(program, "overlaps")
	waiting.Dir, waiting.Stdin = demo(t), silent
	told, err := waiting.CombinedOutput()
	assert.Error(t, err)
	assert.Contains(t, string(told), "either could be meant")

	// A file put on standard input is a list anywhere.
	folder := demo(t)
	c := exec.Command(program, "overlaps", "-columns", "range=cidr", "-format", "json")
	c.Dir = folder
	file, err := os.Open(filepath.Join(folder, "inventory.csv"))
	require.NoError(t, err)
	defer file.Close()
	c.Stdin = file
	out, _ := c.Output()
	var got struct {
		Overlaps []struct{ Kind string }
		Ranges   int
	}
	require.NoError(t, json.Unmarshal(out, &got))
	assert.Equal(t, 7, got.Ranges)
	assert.Equal(t, []struct{ Kind string }{{"same"}, {"partial"}, {"inside"}}, got.Overlaps)

	// Many overlaps are counted, and only some listed.
	r = run(t, empty, strings.Repeat("10.0.0.0/24\n", 3000), "overlaps", "-list", "-", "-limit", "70", "-format", "csv")
	assert.Equal(t, 71, strings.Count(r.out, "\n"))
	assert.Contains(t, r.err, "4498430 more pairs are left out")
	r = run(t, empty, "range,name\n10.0.0.0/24,=1+1\n10.0.0.0/24,@x\n", "overlaps", "-list", "-", "-format", "csv")
	assert.Contains(t, r.out, "same,10.0.0.0/24,'=1+1,,,2,10.0.0.0/24,'@x,,,3,10.0.0.0/24")
}

func TestDemoOverwritesNothing(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, "mine")
	r := run(t, folder, "", "demo", folder)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "is there already")
	assert.Equal(t, "mine", read(t, folder))
}
