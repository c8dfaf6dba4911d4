package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/randomplan"
)

// This file asks the built program who reaches whom: reach, grid and check.

// TestMistakesInPlans: each kind of mistake is one clear error with its line, and what would be right; everything is
// told in one run, and nothing is done.
func TestMistakesInPlans(t *testing.T) {
	t.Parallel()
	const base = "wendrik: 1\nnetworks:\n  pier: {range: 10.0.0.0/16, subnets: {a: {range: 10.0.0.0/24}}%s}\n  quay: {range: 10.1.0.0/16}\n%s"
	folder := t.TempDir()
	for _, c := range []struct{ inPier, below, line, message, fix string }{
		{", tables: {t: {subnets: [a], routes: [{to: 0.0.0.0/0, via: nowhere}]}}", "", ":3:", "nowhere", "gateway"},
		{", tables: {t: {subnets: [a], routes: []}, u: {subnets: [a], routes: []}}", "", ":3:", "subnet a has table t already", "one table"},
		{", tables: {t: {subnets: [b], routes: []}}", "", ":3:", "b", "a"},
		{", tables: {t: {routes: [{to: 10.9.0.1/16, via: blackhole}]}}", "", ":3:", "10.9.0.1/16", "10.9.0.0/16"},
		{", groups: {g: {in: [tcp/443 form any]}}", "", ":3:", "tcp/443 form any", "from"},
		{", groups: {g: {in: [tcp/99999 from any]}}", "", ":3:", "99999", "65535"},
		{", groups: {g: {in: [tcp/443 from group h]}}", "", ":3:", "h", "g"},
		{", lists: {l: {subnets: [a], in: [permit any from any]}}", "", ":3:", "permit", "allow"},
		{", gateways: {n: {kind: nat, in: b, address: 10.0.0.9}}", "", ":3:", "b", "a"},
		{", gateways: {n: {kind: nat, in: a, address: 10.1.0.9}}", "", ":3:", "10.1.0.9", "10.0.0.0/24"},
		{"", "peerings: {p: {between: [pier, pier], accepted: [pier]}}\n", ":5:", "itself", "two"},
		{"", "peerings: {p: {between: [pier, isle], accepted: [pier]}}\n", ":5:", "isle", "pier"},
		{"", "hubs: {h: {attach: {pier: t}, tables: {t: {learns: [quay]}}}}\n", ":5:", "quay", "attach"},
		{"", "hubs: {h: {attach: {pier: u}, tables: {t: {learns: [pier]}}}}\n", ":5:", "u", "t"},
		{"", "sites: {s: {ranges: 10.9.0.0/16, link: isle}}\n", ":5:", "isle", "pier"},
		{"", "workloads: {w: {in: pier/b, address: 10.0.0.9}}\n", ":5:", "b", "pier/a"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.1.9}}\n", ":5:", "10.0.1.9", "10.0.0.0/24"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9}, x: {in: pier/a, address: 10.0.0.9}}\n", ":5:", "10.0.0.9", "w"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9, targets: [nobody]}}\n", ":5:", "nobody", ""},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9, forwards: both}}\n", ":5:", "both", "plain"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9, public: 10.0.0.10}}\n", ":5:", "10.0.0.10 is not a public address", "internet carries"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9, public: \"2001:db8::1\"}}\n", ":5:", "no private address of the family", "add an address"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9, listens: [443]}}\n", ":5:", "443", "tcp/443"},
		{"", "workloads: {w: {in: pier/a, address: 10.0.0.9, groups: [g]}}\n", ":5:", "g", "group"},
		{"", "expect: [pier reaches quay]\n", ":5:", "does not say on what", "on tcp/443"},
		{"", "expect: [pier touches quay]\n", ":5:", "is no expectation", "reaches"},
		{"", "expect: [nobody reaches quay on tcp/1]\n", ":5:", "nobody", ""},
	} {
		write(t, folder, fmt.Sprintf(base, c.inPier, c.below))
		for _, command := range []string{"check", "grid", "reach pier quay"} {
			if command != "check" && strings.HasPrefix(c.below, "expect:") {
				continue // no answer rests on these lines
			}
			r := run(t, folder, "", strings.Fields(command)...)
			at := []any{"%s%s\n%s", c.inPier, c.below, r.err}
			assert.Equal(t, 2, r.status, at...)
			assert.Equal(t, command == "check", r.out != "", at...)
			first, _, _ := strings.Cut(r.err, "\n")
			assert.True(t, strings.HasPrefix(first, "wendrik.yaml"+c.line), at...)
			assert.Contains(t, r.err, c.message, at...)
			assert.Contains(t, r.err, c.fix, at...)
			assert.Contains(t, r.err, map[bool]string{true: "; what could be read was judged", false: "; nothing was done"}[command == "check"], at...)
		}
	}
	// All at once.
	write(t, folder, fmt.Sprintf(base, ", tables: {t: {routes: [{to: 0.0.0.0/0, via: nowhere}]}}", "sites: {s: {ranges: 10.9.0.0/16, link: isle}}\nexpect: [x touches y]\n"))
	r := run(t, folder, "", "check")
	assert.Contains(t, r.err, "3 problems in wendrik.yaml; what could be read was judged")
}

// TestMistakesOnTheCommandLine: usage errors have status 2, one sentence, and what would be right.
func TestMistakesOnTheCommandLine(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for line, want := range map[string]string{
		"reach":                              "reach takes two ends, not 0",
		"reach ticket-1":                     "wendrik: reach takes two ends, not 1\n  wendrik reach FROM TO -on tcp/443\n",
		"crave":                              "wendrik: there is no command \"crave\"\n  did you mean  wendrik carve?\n",
		"carve -wriet":                       "wendrik: carve has no flag -wriet\n  did you mean -write?\n",
		"show bokking/web-a":                 "wendrik: nothing in the estate is named \"bokking/web-a\"\n  did you mean booking/web-a?\n",
		"reach ticket-9 fare-db":             "wendrik: \"ticket-9\" is no workload, site, network or address\n  did you mean ticket-1?\n",
		"reach ticket-1 fare-db -on tpc/443": "wendrik: \"tpc/443\" is not a flow: it starts with tcp, udp, icmp or any, as in tcp/443\n  -on tcp/443\n",
		"reach ticket-1 fare-db -on tcp":     "",
		"reach ticket-1 fare-db -on ssh":     `"ssh" is not a flow`,
		"reach ticket-1 fare-db -on tcp/0-x": "tcp/",
		"reach ticket-1 fare-db -on icmp/8":  "icmp has no ports",
		"reach ticket-1 fare-dv":             "did you mean fare-db?",
		"reach bookin fare-db":               "did you mean booking?",
		"reach booking/ap fare-db":           "did you mean booking/app?",
		"reach 10.1.2.3 fare-db":             "in no network and no site",
		"reach crew/web fare-db":             "crew/web has no workload with an address",
		"reach ticket-1 fare-db -format csv": "it takes text, json",
		"grid ticket-1":                      "grid takes no arguments",
		"grid -by hosts":                     "it takes fit, workloads, subnets, tiers, networks, classes",
		"grid -by classes":                   "classes are for  -format json",
		"grid -from internet -to quay":       "neither internet nor quay is one",
		"grid -from nowhere":                 `"nowhere" is no workload`,
		"check now":                          "check takes no arguments",
		"check -only warnings":               "it takes all, errors, expect",
		"check -rules -format sarif":         "the rules are listed as text, csv or md",
		"rehearse -only nowhere":             "there is no network nowhere",
		"rehearse ticket-1":                  "rehearse takes no arguments without -in",
		"rehearse -in ticket-1":              "-in needs a command behind --",
		"check -plan nowhere.yaml":           "wendrik: there is no file nowhere.yaml\n  name the plan with  -plan FILE,  or make an example with  wendrik demo\n",
	} {
		r := run(t, folder, "", strings.Fields(line)...)
		if want == "" {
			assert.Less(t, r.status, 2, "%s: %s", line, r.err)
			continue
		}
		assert.Equal(t, 2, r.status, line)
		assert.Empty(t, r.out, line)
		assert.Contains(t, r.err, want, line)
		assert.LessOrEqual(t, strings.Count(r.err, "\n"), 2, "%s: one error, and one line on what would be right: %s", line, r.err)
	}
}

// TestGridFormsAgree: the table, the sheet and the JSON of one grid say the same, and the same as reach says of each.
func TestGridFormsAgree(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	var out struct {
		Units []struct{ Name string }
		Cells []struct {
			From, To, Verdict string
			Passes            []string
			InPart            []string `json:"in_part"`
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "grid", "-format", "json").out), &out))
	require.Len(t, out.Units, 13)
	require.Len(t, out.Cells, 13*12)
	lines, err := csv.NewReader(strings.NewReader(run(t, folder, "", "grid", "-format", "csv").out)).ReadAll()
	require.NoError(t, err)
	require.Len(t, lines, 1+13*12)
	text := strings.Split(run(t, folder, "", "grid").out, "\n")
	legend := map[string]string{}
	var rows []string
	for _, l := range text {
		if len(l) > 2 && l[1] == ' ' && l[0] >= 'a' && l[0] <= 'z' {
			legend[l[:1]] = l[2:]
		}
		if fields := strings.Fields(l); len(fields) > 2 && len(fields[0]) <= 2 && fields[0][0] >= '1' && fields[0][0] <= '9' && strings.Contains(l, "·") {
			rows = append(rows, l)
		}
	}
	require.Len(t, rows, 13)
	for i, c := range out.Cells {
		passes := strings.Join(c.Passes, ", ")
		assert.Equal(t, []string{c.From, c.To, c.Verdict}, lines[1+i][:3])
		if passes != "" {
			assert.Equal(t, passes, lines[1+i][3])
		}
		from, to := i/12, i%12
		if to >= from {
			to++
		}
		mark := string([]rune(rows[from])[6+len("tide-gauge")+3*to+2])
		switch c.Verdict {
		case "blocked":
			assert.Equal(t, "·", mark, "%s to %s", c.From, c.To)
		case "partly":
			assert.Equal(t, passes, legend[mark], "%s to %s", c.From, c.To)
		}
		if i%7 != 0 {
			continue // asking takes a while
		}
		var one struct {
			Verdict string
			Passes  []string
		}
		require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "reach", c.From, c.To, "-format", "json").out), &one))
		assert.Equal(t, c.Verdict, one.Verdict)
		assert.Equal(t, c.Passes, one.Passes)
	}
}

// TestLargeGrids: a table that nobody reads is refused with what to ask instead, and what is printed has a bound.
func TestLargeGrids(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, randomplan.Large(30))
	r := run(t, folder, "", "grid", "-by", "workloads")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "a table of 3000 workloads is more than anybody reads")
	assert.Contains(t, r.err, "\n  -by networks,  -by tiers,  -by subnets,  -format csv,  -from NETWORK,  or  -by classes -format json\n")
	write(t, folder, randomplan.Large(201))
	assert.Contains(t, run(t, folder, "", "grid", "-by", "subnets").err, "\n  -by networks,  -by tiers,  -format csv,  -from NETWORK,  or")
	write(t, folder, randomplan.Large(30))
	r = run(t, folder, "", "grid", "-by", "subnets")
	assert.Equal(t, 0, r.status)
	assert.Less(t, strings.Count(r.out, "\n"), 110)
	assert.Regexp(t, `\d+ more rows not shown;  -format csv  has all`, r.out)
	assert.Regexp(t, `\d+ more columns not shown`, r.out)
	r = run(t, folder, "", "grid", "-to", "internet")
	assert.Regexp(t, `\d+ more are left out;  -format csv  lists all`, r.out)
	assert.Equal(t, 3001, strings.Count(run(t, folder, "", "grid", "-to", "internet", "-format", "csv").out, "\n"))
	var classes struct {
		Classes  []struct{ Workloads []string }
		Rows     []struct{ Across []int }
		Outcomes []struct{ Verdict string }
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "grid", "-by", "classes", "-format", "json").out), &classes))
	workloads := 0
	for i, c := range classes.Classes {
		workloads += len(c.Workloads)
		require.Len(t, classes.Rows[i].Across, len(classes.Classes))
		for _, f := range classes.Rows[i].Across {
			require.Less(t, f, len(classes.Outcomes))
		}
	}
	assert.Equal(t, 3000, workloads)
	assert.Less(t, len(classes.Classes), 600)
}

// TestEffectIsTold: what the fixes would open is said in the text and in JSON, and is not worked out where it would
// take too long.
func TestEffectIsTold(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	var out struct {
		Effect struct {
			Tried   bool
			Verdict string
			Opens   []struct{ From, To, Flows []string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "reach", "ticket-1", "fare-db", "-on", "tcp/5432", "-format", "json").out), &out))
	assert.True(t, out.Effect.Tried)
	assert.Equal(t, "open", out.Effect.Verdict)
	assert.Equal(t, []string{"ticket-1", "ticket-2"}, out.Effect.Opens[0].From)
	assert.Equal(t, []string{"ledger"}, out.Effect.Opens[0].To)
	assert.Equal(t, []string{"tcp/443"}, out.Effect.Opens[0].Flows)

	write(t, folder, randomplan.Large(60))
	r := run(t, folder, "", "reach", "app-1-a-3", "data-7-b-4", "-on", "tcp/1")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "what else the fixes would open is not worked out for more than 5000 workloads")
}

// TestNextCommandsRun: whatever command an answer names to look closer runs as it stands.
func TestNextCommandsRun(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	ran := 0
	for _, line := range []string{
		"reach ticket-1 fare-db -on tcp/5432", "reach internet 203.0.113.7 -on tcp/443", "reach internet jump-1 -on tcp/22", "reach booking/app fare-db -on tcp/5432",
		"reach booking finance", "reach quay berth-1 -on udp/53", "reach gull-rail internet", "check", "check -only expect", "carve", "overlaps", "grid",
	} {
		r := run(t, folder, "", strings.Fields(line)...)
		require.Less(t, r.status, 2, "%s: %s", line, r.err)
		for l := range strings.Lines(r.out) {
			_, next, found := strings.Cut(l, "to look closer:  wendrik ")
			if !found {
				continue
			}
			ran++
			again := run(t, folder, "", strings.Fields(next)...)
			assert.Less(t, again.status, 2, "%s names %s: %s", line, next, again.err)
			assert.NotEmpty(t, again.out, next)
		}
	}
	assert.Greater(t, ran, 6)
}

// TestGridShowsAddressesOfTheCloudsChoosing asks for the ways out of a workload that no NAT gateway serves.
func TestGridShowsAddressesOfTheCloudsChoosing(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, `wendrik: 1
profile: {like: regional, implicit-out: true}
networks:
  quay:
    groups: {all: {in: [], out: [any to any]}}
    subnets: {a: {range: 10.144.0.0/24}, b: {range: 10.144.1.0/24}}
    gateways: {out: {kind: nat, serves: [b], public: 203.0.113.9}}
workloads: {tides: {in: quay/a, groups: [all], address: 10.144.0.10}, fares: {in: quay/b, groups: [all], address: 10.144.1.10}}
`)
	out := run(t, folder, "", "grid", "-to", "internet", "-format", "csv").out
	assert.Contains(t, out, "tides,quay/a,open,the cloud's choice,")
	assert.Contains(t, out, "fares,quay/b,open,203.0.113.9,")
	out = run(t, folder, "", "grid", "-to", "internet", "-format", "json").out
	assert.Equal(t, 1, strings.Count(out, `"by_chance": true`))
}
