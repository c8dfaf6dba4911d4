package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestCompare compares the demo with what check -fix makes of it, and allows what opens line by line.
func TestCompare(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "old.yaml"), []byte(read(t, folder)), 0o644))
	r := run(t, folder, "", "compare", "old.yaml")
	assert.Equal(t, 0, r.status)
	assert.Equal(t, "old.yaml to wendrik.yaml: nothing is different\n", r.out)
	run(t, folder, "", "check", "-fix", "-write")
	r = run(t, folder, "", "compare", "old.yaml", "wendrik.yaml")
	assert.Equal(t, 1, r.status)
	for _, want := range []string{
		"old.yaml to wendrik.yaml: 3 changes, 5 things open, nothing closes",
		"new     rule group finance/fare-db in: tcp/5432 from group booking/fares",
		"tcp/5432  from fares-3 to fare-db  (allowed)", "tcp/8443  from network booking to tier harbour/feed\n    by new route harbour/main: 10.144.0.0/20",
		"fares-3: 203.0.113.7, was nobody", `"booking/app reaches fare-db on tcp/5432" holds now`,
	} {
		assert.Contains(t, r.out, want)
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "may"), []byte("# what was agreed\nbooking reaches harbour/feed on tcp/8443\nfares-3 reaches ledger on tcp/443\nharbour/feed reaches booking/web on tcp/443\nfares-3 reaches internet on tcp\n"), 0o644))
	r = run(t, folder, "", "compare", "old.yaml", "-allow", "may")
	assert.Equal(t, 0, r.status, r.out)
	assert.Contains(t, r.out, "5 things open, as is allowed")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "may"), []byte("fares-3 leaves as 203.0.113.7\n"), 0o644))
	assert.Contains(t, run(t, folder, "", "compare", "old.yaml", "-allow", "may").err, "may:1: ")

	r = run(t, folder, "", "compare", "old.yaml", "-format", "sarif")
	report, err := jsonschema.UnmarshalJSON(strings.NewReader(r.out))
	require.NoError(t, err)
	valid(t, "sarif-schema-2.1.0.json", report)
	prints := regexp.MustCompile(`"wendrik/1": "[0-9a-f]{64}"`)
	first := prints.FindAllString(r.out, -1)
	assert.Len(t, slices.Compact(slices.Sorted(slices.Values(first))), strings.Count(r.out, `"ruleId"`), "each result has one of its own")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "moved.yaml"), []byte("# a line above all\n"+read(t, folder)), 0o644))
	assert.Equal(t, first, prints.FindAllString(run(t, folder, "", "compare", "old.yaml", "moved.yaml", "-format", "sarif").out, -1), "which stays when the lines move")

	r = run(t, folder, "", "compare", "old.yaml", "-format", "junit")
	assert.Equal(t, 1, r.status)
	valid(t, "junit.schema.json", asJSON(t, r.out))
	assert.Contains(t, r.out, `<testsuites name="wendrik compare" tests="6" failures="4" errors="0">`)
	assert.Contains(t, r.out, `<testcase name="nothing closes that nobody has allowed" classname="wendrik.closes"></testcase>`)
	assert.Contains(t, r.out, `<testcase name="booking/app reaches fare-db on tcp/5432" classname="wendrik.expect"></testcase>`)
	way := run(t, folder, "", "compare", "wendrik.yaml", "old.yaml", "-format", "junit").out
	assert.Contains(t, way, `<failure message="it does not hold" type="expectation">`)
	assert.Contains(t, way, `type="closes"><![CDATA[`)
	assert.Contains(t, run(t, folder, "", "compare", "old.yaml", "-format", "md").out, "| tcp/443 | fares-3 | ledger | changed subnet booking/app-c | no |")
	r = run(t, folder, "", "compare", "wendrik.yaml", "old.yaml", "-format", "json")
	assert.Equal(t, 1, r.status, "what closes needs leave, too")
	type pass struct{ From, To, Flows []string }
	var back struct{ Closes, Opens []pass }
	require.NoError(t, json.Unmarshal([]byte(r.out), &back))
	assert.Empty(t, back.Opens)
	assert.Contains(t, back.Closes, pass{[]string{"fares-3"}, []string{"fare-db"}, []string{"tcp/5432"}})
	require.NoError(t, os.WriteFile(filepath.Join(folder, "may"), []byte("booking never reaches harbour/feed\nharbour/feed never reaches booking\nfares-3 never reaches finance\nfares-3 never reaches internet\nharbour/feed never reaches finance\nfinance never reaches booking\n"), 0o644))
	r = run(t, folder, "", "compare", "wendrik.yaml", "old.yaml", "-allow", "may")
	assert.Equal(t, 0, r.status, r.out)
	assert.Contains(t, r.out, "as is allowed")
	assert.Equal(t, 1, run(t, folder, "", "compare", "old.yaml", "-allow", "may").status, "what may close may not open")
	for args, want := range map[string]string{"": "takes OLD", "a b c": "takes OLD", "nowhere.yaml": "there is no file nowhere.yaml", "-since -x": "is no revision"} {
		r := run(t, folder, "", append([]string{"compare"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
}

// TestCompareSince reads the old plan, with its parts, from a real repository.
func TestCompareSince(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	git := func(args ...string) {
		cmd := exec.Command("git", append([]string{"-C", folder, "-c", "user.name=quay", "-c", "user.email=quay@skerry.example"}, args...)...)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	plan := filepath.Join(folder, "plans")
	require.NoError(t, os.MkdirAll(filepath.Join(plan, "teams"), 0o755))
	write(t, plan, "wendrik: 1\nparts: [teams/*.yaml]\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/22 from a], out: [any to any]}}}}\n")
	part := filepath.Join(plan, "teams", "one.yaml")
	require.NoError(t, os.WriteFile(part, []byte("workloads: {u: {in: a/x, address: 10.0.0.4, groups: g}, v: {in: a/x, address: 10.0.0.5, groups: g}}\n"), 0o644))
	git("init", "-q")
	git("add", "-A")
	git("commit", "-q", "-m", "first")
	write(t, plan, strings.Replace(read(t, plan), "tcp/22 from a]", "tcp/22 from a, udp/53 from a]", 1))
	r := run(t, plan, "", "compare", "-since", "HEAD")
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.out, "HEAD:wendrik.yaml to wendrik.yaml: 1 change, ")
	assert.Contains(t, r.out, "udp/53  from network a to network a")
	r = run(t, folder, "", "compare", "-since", "HEAD", "plans")
	assert.Contains(t, r.out, "udp/53")
	r = run(t, plan, "", "compare", "-since", "nowhere")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "git says: ")
	setenv(plan, "PATH", t.TempDir())
	assert.Contains(t, run(t, plan, "", "compare", "-since", "HEAD").err, "-since needs git, and it is not installed")
}

// TestSinceRunsNothing: a stranger's repository has filters, hooks, a watcher of files, objects that stand in for others, and attributes that
// hide and rewrite files. The old plan is read as it lies there, and nothing is run.
func TestSinceRunsNothing(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	ran := filepath.Join(folder, "ran")
	git := func(args ...string) string {
		cmd := exec.Command("git", append([]string{"-C", folder, "-c", "user.name=quay", "-c", "user.email=quay@skerry.example"}, args...)...)
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
		return strings.TrimSpace(string(out))
	}
	const plan = "wendrik: 1\n# $Format:%H$ $Id$\nparts: [more.yaml]\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}, groups: {g: {in: [tcp/22 from a], out: [any to any]}}}}\n"
	const more = "workloads: {u: {in: a/x, address: 10.0.0.4, groups: g}, v: {in: a/x, address: 10.0.0.5, groups: g}}\n"
	write(t, folder, plan)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "more.yaml"), []byte(more), 0o644))
	git("init", "-q")
	git("add", "-A")
	git("commit", "-q", "-m", "first")
	first, blob := git("rev-parse", "HEAD"), git("rev-parse", "HEAD:wendrik.yaml")
	other := exec.Command("git", "-C", folder, "hash-object", "-w", "--stdin")
	other.Stdin = strings.NewReader("wendrik: 1\n")
	out, err := other.Output()
	require.NoError(t, err)
	git("replace", blob, strings.TrimSpace(string(out)))
	require.NoError(t, os.WriteFile(filepath.Join(folder, ".gitattributes"), []byte("*.yaml filter=evil export-subst ident text eol=crlf diff=evil\nmore.yaml export-ignore\n"), 0o644))
	require.NoError(t, os.MkdirAll(filepath.Join(folder, ".git", "info"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, ".git", "info", "attributes"), []byte("*.yaml filter=evil\nmore.yaml export-ignore\n"), 0o644))
	script := "touch " + ran
	for _, key := range []string{"filter.evil.smudge", "filter.evil.clean", "filter.evil.process", "diff.evil.textconv", "core.fsmonitor", "core.pager", "core.sshCommand", "core.editor", "tar.tar.command", "uploadpack.packObjectsHook"} {
		git("config", key, script)
	}
	git("config", "filter.evil.required", "true")
	for _, hook := range []string{"post-checkout", "pre-commit", "reference-transaction", "post-index-change"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, ".git", "hooks", hook), []byte("#!/bin/sh\n"+script+"\n"), 0o755))
	}
	write(t, folder, strings.Replace(plan, "tcp/22 from a]", "tcp/22 from a, udp/53 from a]", 1))
	_ = os.Remove(ran)
	r := run(t, folder, "", "compare", "-since", first)
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.out, "1 change, ")
	assert.Contains(t, r.out, "udp/53  from network a to network a")
	assert.NoFileExists(t, ran, "something was run")

	// A clone without the content of files, and one without history.
	for _, how := range [][]string{{"--filter=blob:none", "--no-checkout"}, {"--depth=1"}} {
		source := t.TempDir()
		require.NoError(t, os.CopyFS(source, os.DirFS(folder)))
		require.NoError(t, os.RemoveAll(filepath.Join(source, ".git", "hooks")))
		require.NoError(t, os.Remove(filepath.Join(source, ".git", "config")))
		for _, args := range [][]string{{"-C", source, "init", "-q"}, {"-C", source, "config", "uploadpack.allowFilter", "true"}, {"-C", source, "-c", "user.name=q", "-c", "user.email=q@skerry.example", "commit", "-qam", "second"}} {
			out, err := exec.Command("git", args...).CombinedOutput()
			require.NoError(t, err, "%s", out)
		}
		clone := filepath.Join(t.TempDir(), "clone")
		out, err := exec.Command("git", append(append([]string{"clone", "-q"}, how...), "file://"+source, clone)...).CombinedOutput()
		require.NoError(t, err, "%s", out)
		write(t, clone, plan)
		r := run(t, clone, "", "compare", "-since", first)
		assert.Equal(t, 2, r.status, r.out)
		assert.Contains(t, r.err, map[bool]string{true: "where it was cloned without some files, clone it whole", false: "git fetch --unshallow"}[how[0] == "--filter=blob:none"])
		assert.NotContains(t, r.err, "hint")
	}
}

// TestOutage takes out parts of the demo with the built program, and holds lines of expect without any zone.
func TestOutage(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	r := run(t, folder, "", "outage")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "13 parts taken out: ")
	assert.Contains(t, r.out, "stops    tcp  from fares-2 to internet", "it leaves by the NAT gateway of the other zone")
	r = run(t, folder, "", "outage", "-of", "drill")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, `"drill" is no part that can fail`)
	write(t, folder, read(t, folder)+"  - internet reaches ticket-2 on tcp/443 without zone west-a\n  - fares-2 reaches internet on tcp/443 without any zone\n  - fares-1 reaches ledger on tcp/443 without any lift\n")
	r = run(t, folder, "", "check", "-only", "expect")
	words := strings.Join(strings.Fields(r.out), " ")
	assert.Contains(t, words, `"fares-2 reaches internet on tcp/443 without any zone" does not hold: without zone west-a`)
	assert.Contains(t, words, `nothing in the estate is "lift"`)
	assert.NotContains(t, r.out, `"internet reaches ticket-2`)
}

// TestRenumberBreaksNoLine moves a network into a range that a line of never speaks of: the line is named, and nothing is written without -breaks;
// one that speaks of the network by its own addresses follows, and is not broken.
func TestRenumberBreaksNoLine(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	const plan = `wendrik: 1
space: {s: {block: 10.0.0.0/8}}
networks:
  a: {range: 10.1.0.0/20, from: s, subnets: {x: {range: 10.1.0.0/24}}, tables: {m: {main: true, routes: [{to: b, via: p}]}}, groups: {g: {in: [any from any], out: [any to any]}}}
  b: {range: 10.2.0.0/20, from: s, subnets: {y: {range: 10.2.0.0/24}}, tables: {m: {main: true, routes: [{to: a, via: p}]}}, groups: {g: {in: [any from any], out: [any to any]}}}
  c: {range: 10.144.16.0/20, from: s, subnets: {z: {range: 10.144.16.0/24}}}
workloads: {w: {in: a/x, address: 10.1.0.10, groups: [g]}, v: {in: b/y, address: 10.2.0.10, groups: [g]}, u: {in: c/z, address: 10.144.16.10}}
peerings: {p: {between: [a, b], accepted: [a, b]}}
expect: [w reaches v on tcp/22, 10.144.0.0/16 never reaches v, 10.1.0.10 never reaches internet]
`
	write(t, folder, plan)
	r := run(t, folder, "", "renumber", "a", "-to", "10.144.0.0/20", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, `nothing was written, because it would break "10.144.0.0/16 never reaches v"`)
	assert.NotContains(t, r.err, "never reaches internet")
	assert.Equal(t, plan, read(t, folder))
	assert.Equal(t, 0, run(t, folder, "", "renumber", "a", "-to", "10.3.0.0/20", "-write").status)
	assert.Contains(t, read(t, folder), "10.3.0.10 never reaches internet")
	write(t, folder, plan)
	run(t, folder, "", "renumber", "a", "-to", "10.144.0.0/20", "-write", "-breaks")
	assert.Contains(t, read(t, folder), "a: {range: 10.144.0.0/20")
}

// TestRenumber moves a network of the demo with the built program: the conflict that it was in is gone, and nothing else changes.
func TestRenumber(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	assert.Contains(t, strings.Join(strings.Fields(run(t, folder, "", "overlaps").out), " "), "renumber shared -to 10.148.32.0/20")
	r := run(t, folder, "", "renumber", "shared", "-to", "10.148.32.0/20", "-write")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "who reaches whom is the same before and after")
	assert.Contains(t, r.out, "site gull-rail: its routers need a route to 10.148.32.0/20")
	assert.Contains(t, read(t, folder), "mail-1:     {in: shared/hall-b,   address: 10.148.33.10,")
	assert.NotContains(t, run(t, folder, "", "overlaps").out, "gull-rail")
	for args, want := range map[string]string{
		"":                                   "renumber takes what is to move",
		"shred":                              "did you mean shared?",
		"shared -size /21 -to 10.148.0.0/20": "is of another size than /21",
		"shared -size 21":                    "lacks its slash",
		"shared -to 10.148.32.0/24":          "has no room for subnet shared/hall-b",
		"shared -to 10.148.0.0/20":           "it cannot be moved there",
		"shared -from nowhere":               `there is no block "nowhere"`,
		"shared -to x":                       "is not a range",
		"shared -to 10.0.0.0/20 -from":       "-from",
	} {
		r := run(t, folder, "", append([]string{"renumber"}, strings.Fields(args)...)...)
		assert.NotEqual(t, 0, r.status, args)
		assert.Contains(t, r.out+r.err, want, args)
	}
}

// TestSteps orders the changes that check -fix makes with the built program, writes each state, and asks it for what must hold.
func TestSteps(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "old.yaml"), []byte(read(t, folder)), 0o644))
	run(t, folder, "", "check", "-fix", "-write")
	r := run(t, folder, "", "steps", "old.yaml", "wendrik.yaml")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "3 steps  in every state between, nothing is cut and nothing opened that is not meant")
	assert.Contains(t, r.out, "add  app-c  to networks.booking.tables.private.subnets")
	for n := range 4 {
		name := fmt.Sprintf("state-%d.yaml", n)
		require.Equal(t, 0, run(t, folder, "", "steps", "old.yaml", "wendrik.yaml", "-at", fmt.Sprint(n), "-o", name).status)
		for _, from := range []string{"fares-1", "fares-2"} {
			assert.Equal(t, 0, run(t, folder, "", "reach", from, "fare-db", "-on", "tcp/5432", "-plan", name).status, name)
		}
	}
	first, err := os.ReadFile(filepath.Join(folder, "state-0.yaml"))
	require.NoError(t, err)
	old, err := os.ReadFile(filepath.Join(folder, "old.yaml"))
	require.NoError(t, err)
	assert.Equal(t, string(old), string(first))
	assert.Contains(t, run(t, folder, "", "compare", "state-3.yaml").out, "nothing is different")
	r = run(t, folder, "", "steps", "old.yaml", "wendrik.yaml", "-undo", "-format", "md")
	assert.Contains(t, r.out, "## 3 steps")
	assert.Contains(t, r.out, "- [ ] **1. ")
	r = run(t, folder, "", "steps", "wendrik.yaml", "-format", "json")
	assert.Equal(t, 0, r.status, "built from nothing")
	assert.Contains(t, r.out, `"kind": "subnet"`)
	for args, want := range map[string]string{"": "steps takes OLD and NEW", "old.yaml wendrik.yaml -at 9": "9 is beyond the last", "old.yaml wendrik.yaml -at 1 -o old.yaml": "is there already", "old.yaml wendrik.yaml -down": "steps takes OLD and NEW"} {
		r := run(t, folder, "", append([]string{"steps"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
}

// The steps of a plan with parts are those of what it comes to, and lead to it.
func TestStepsOfParts(t *testing.T) {
	t.Parallel()
	folder, old := t.TempDir(), t.TempDir()
	for _, at := range []string{folder, old} {
		write(t, at, "wendrik: 1\nparts: [booking.yaml, finance.yaml]\npeerings: {books: {between: [booking, finance], accepted: [booking, finance]}}\n")
		for name, content := range map[string]string{
			"booking.yaml": "wendrik: 1\nnetworks: {booking: {range: 10.144.0.0/20, tiers: {web: {access: closed}}, subnets: {web: {tier: web, range: 10.144.0.0/24}}, groups: {a: {in: [], out: [any to any]}}, tables: {main: {main: true, routes: [{to: finance, via: books}]}}}}\nworkloads: {shop: {in: booking/web, address: 10.144.0.10, groups: [a]}}\n",
			"finance.yaml": "wendrik: 1\nnetworks: {finance: {range: 10.144.16.0/20, subnets: {data: {range: 10.144.16.0/24}}, groups: {b: {in: [], out: []}}, tables: {main: {main: true, routes: []}}}}\nworkloads: {ledger: {in: finance/data, address: 10.144.16.10, groups: [b]}}\n",
		} {
			if at == folder {
				content = strings.NewReplacer("b: {in: []", "b: {in: [tcp/443 from booking/web]", "routes: []", "routes: [{to: booking, via: books}]").Replace(content)
			}
			require.NoError(t, os.WriteFile(filepath.Join(at, name), []byte(content), 0o644))
		}
	}
	r := run(t, folder, "", "steps", filepath.Join(old, "wendrik.yaml"), "wendrik.yaml")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "2 steps")
	assert.Contains(t, r.out, "tcp/443 from 10.144.0.0/24")
	r = run(t, folder, "", "steps", filepath.Join(old, "wendrik.yaml"), "wendrik.yaml", "-at", "2", "-o", "after.yaml")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, run(t, folder, "", "compare", "wendrik.yaml", "after.yaml").out, "nothing opens, nothing closes")
	assert.Contains(t, run(t, folder, "", "reach", "shop", "ledger", "-on", "tcp/443", "-plan", "after.yaml").out, "open")
}

// TestGrow makes room in the demo estate: what is written holds, the second run has nothing to do, and what has no room is told.
func TestGrow(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	r := run(t, folder, "", "grow", "booking", "-zone", "west-d")
	assert.Equal(t, 0, r.status, r.err)
	assert.Equal(t, before, read(t, folder), "nothing is written without -write")
	r = run(t, folder, "", "grow", "booking", "-zone", "west-d", "-write")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "who reaches whom is the same before and after")
	after := read(t, folder)
	for _, want := range []string{"app-a: {tier: app, zone: west-a, range: 10.144.4.0/23}    # older", "app-d: {tier: app, zone: west-d, range:", "west:  [west-a, west-b, west-c, west-d]",
		"subnets: [web-a, web-b, web-c, web-d]", "subnets: [app-a, app-b, app-d]                 # and app-c?", "{to: 10.144.10.0/23, via: booking-finance}"} {
		assert.Contains(t, after, want)
	}
	assert.NotContains(t, run(t, folder, "", "check").out, "outgrown")
	assert.Contains(t, run(t, folder, "", "grow", "booking").out, "every tier has room for what the plan says, of booking alone")
	assert.Equal(t, after, read(t, folder))
	fresh := t.TempDir()
	write(t, fresh, "wendrik: 1\nregions: {west: [west-a]}\nspace: {west: {block: 10.144.0.0/20, region: west}}\nnetworks: {quay: {region: west, from: west, size: /22, tiers: {web: {hosts: 20}}}}\n")
	for _, args := range [][]string{{"grow"}, {"grow", "quay/web"}} {
		r = run(t, fresh, "", args...)
		assert.NotContains(t, r.out, "every tier has room", "of what is not carved yet")
		assert.Contains(t, r.out, "without a range yet: quay;  wendrik carve")
	}
	r = run(t, folder, "", "grow", "booking/web", "-hosts", "4000")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, strings.Join(strings.Fields(r.out), " "), "no room network booking has no /20 left for tier booking/web")
	assert.NotContains(t, run(t, folder, "", "grow", "booking/web", "-hosts", "150", "-stay").out, " moves ")
	for args, want := range map[string]string{"bookin": "did you mean booking?", "booking -hosts 3": "hosts are those of one tier", "-zone west-e": "a zone is new in the region of one network", "booking/app -hosts -1": "no number of hosts"} {
		r := run(t, folder, "", append([]string{"grow"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
}

// TestOnlyOfOverlaps: what -only leaves out is not said to be none.
func TestOnlyOfOverlaps(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for only, status := range map[string]int{"conflict": 0, "latent": 1, "harmless": 0} {
		r := run(t, folder, "", "overlaps", "-list", "inventory.csv", "-columns", "range=cidr,owner=team", "-plan", "wendrik.yaml", "-only", only)
		assert.Equal(t, status, r.status, only)
		assert.NotContains(t, r.out, "nothing of", only)
		assert.Regexp(t, "^-only "+only+" shows [024] of the 4 overlaps of 7 ranges", r.out)
	}
	write(t, folder, "range,name\n192.0.2.0/24,elsewhere\n")
	require.NoError(t, os.Rename(filepath.Join(folder, "wendrik.yaml"), filepath.Join(folder, "apart.csv")))
	write(t, folder, "wendrik: 1\nnetworks: {quay: {range: 10.0.0.0/16}}\n")
	assert.Contains(t, run(t, folder, "", "overlaps", "-list", "apart.csv", "-plan", "wendrik.yaml", "-only", "conflict").out, "nothing of 1 range overlaps with the plan")
}

// TestRename renames things of the demo estate: what is written is read as before, and what cannot be is told.
func TestRename(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	grid := strings.ReplaceAll(run(t, folder, "", "grid", "-by", "networks").out, "finance", "ledgers")
	r := run(t, folder, "", "rename", "finance", "ledgers", "-write")
	require.Equal(t, 0, r.status, r.err)
	assert.NotContains(t, strings.ReplaceAll(read(t, folder), "booking-finance", ""), "in: finance")
	assert.Contains(t, read(t, folder), "between: [booking, ledgers]")
	assert.Equal(t, strings.Fields(grid), strings.Fields(run(t, folder, "", "grid", "-by", "networks").out))
	require.Equal(t, 0, run(t, folder, "", "rename", "network", "ledgers", "finance", "-write").status)
	assert.Equal(t, before, read(t, folder))
	assert.Contains(t, run(t, folder, "", "rename", "booking/app", "inner").out, "subnet booking/app-a is not named by the pattern")
	for args, want := range map[string]string{"finance": "takes a name", "finance booking": "cannot be called booking", "finanze x": "did you mean finance?", "hub finance x": "there is no hub"} {
		r := run(t, folder, "", append([]string{"rename"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
	assert.Equal(t, before, read(t, folder))
}
