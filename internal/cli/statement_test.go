package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// stated is an estate of which only what is wanted was typed.
const stated = `wendrik: 1
estate: skerry-line
profile: zonal
regions: {west: [west-a, west-b], north: [north-a, north-b]}
space: {west: {block: 10.144.0.0/14, region: west}, north: {block: 10.148.0.0/14, region: north}}
patterns:
  service:
    tiers: {web: {access: public, hosts: 60}, app: {access: outbound, hosts: 200}, data: {access: closed, hosts: 40}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: web, public: assigned}}
    tables:
      main: {main: true, routes: []}
      web: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
      app: {subnets: [app], routes: [{to: 0.0.0.0/0, via: out}]}
    groups: {all: {in: [tcp/443 from any, tcp/5432 from booking/app], out: [any to any]}}
    expect: ["internet never reaches {network}/data"]
networks:
  booking: {pattern: service, region: west, from: west, size: /20}
  harbour: {pattern: service, region: north, from: north, size: /20, tables: {main: {routes: [{to: booking, via: pair}]}}}
workloads:
  fares: {in: booking/app, count: 3, groups: [all]}
  shop: {in: booking/web, count: 2, public: assigned, groups: [all]}
  tides: {in: harbour/data, groups: [all]}
peerings: {pair: {between: [booking, harbour], accepted: [booking, harbour]}}
expect: [internet reaches shop on tcp/443, fares never reaches tides on udp/53]
`

// TestStatement reads a statement from its first line on, carves it, and asks about it; then it grows, and nothing moves.
func TestStatement(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, stated)
	r := run(t, folder, "", "check")
	assert.Contains(t, r.err, "not yet given: tier booking/web has no subnets (wendrik.yaml:")
	assert.Contains(t, r.err, "wendrik carve -write  gives that")
	assert.Contains(t, r.out, "0 errors", "what is not yet given is not wrong")
	r = run(t, folder, "", "reach", "fares-1", "tides", "-on", "tcp/5432")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "workload fares-1 has no address yet\n  carve gives it one")

	r = run(t, folder, "", "carve", "-write")
	require.Equal(t, 0, r.status, r.err)
	assert.Empty(t, r.err)
	after := read(t, folder)
	assert.Contains(t, after, "addresses: [10.144.0.4, 10.144.1.4, 10.144.0.5]", "spread over the zones")
	assert.Contains(t, after, "gateways: {out: {address: 10.144.4.4}}", "what the pattern gives is not changed for others")
	r = run(t, folder, "", "check", "-only", "errors")
	assert.Contains(t, r.out, "4 of 4 expectations hold")
	r = run(t, folder, "", "reach", "internet", "shop-1", "-on", "tcp/443")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "assigned is shop-1")
	assert.NotContains(t, r.out, "240.0.0.")
	r = run(t, folder, "", "reach", "fares", "internet", "-format", "json")
	assert.Contains(t, r.out, `"assigned"`)
	assert.NotContains(t, r.out, "240.0.0.")
	r = run(t, folder, "", "reach", "fares", "tides", "-on", "tcp/5432")
	assert.Contains(t, r.out, "to networks.booking.tables.app.routes", "for who sends, and not behind the NAT gateway")
	assert.Contains(t, r.out, "tried: with the fix it is open")

	grown := strings.NewReplacer("count: 3", "count: 9", "west-b]", "west-b, west-c]", "count: 2", "count: 3").Replace(after)
	write(t, folder, grown)
	r = run(t, folder, "", "carve", "-write")
	require.Equal(t, 0, r.status, r.err)
	for line := range strings.Lines(after) {
		for _, word := range strings.FieldsFunc(line, func(r rune) bool { return strings.ContainsRune(" ,[]{}\n", r) }) {
			if strings.HasPrefix(word, "10.") {
				assert.Contains(t, read(t, folder), word, "what stands is never moved")
			}
		}
	}
	assert.Contains(t, read(t, folder), "addresses:\n      - 10.144.0.4\n      - 10.144.1.4\n      - 10.144.0.5\n      - 10.144.2.4\n")
	r = run(t, folder, "", "carve", "-write")
	assert.Contains(t, r.out, "as it was", "twice is once")
}

// TestPartsAreWrittenAllOrNone: where one part of a plan cannot be written, none is; and what a killed program left half written is taken back
// by the next command.
func TestPartsAreWrittenAllOrNone(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	files := map[string]string{
		"wendrik.yaml": "wendrik: 1\nparts: [b.yaml, c.yaml]\nnetworks: {a: {range: 10.1.0.0/16, subnets: {x: {range: 10.1.0.0/24}}, tables: {m: {main: true, routes: [{to: 10.2.0.0/16, via: p}]}}}}\n",
		"b.yaml":       "networks: {b: {range: 10.2.0.0/16, subnets: {y: {range: 10.2.0.0/24}}}}\n",
		"c.yaml":       "workloads: {w: {in: b/y, address: 10.2.0.9}}\npeerings: {p: {between: [a, b], accepted: [a, b]}}\n",
	}
	for name, content := range files {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(content), 0o644))
	}
	as := func(when string) {
		for name, content := range files {
			raw, err := os.ReadFile(filepath.Join(folder, name))
			require.NoError(t, err)
			assert.Equal(t, content, string(raw), "%s: %s", when, name)
		}
	}
	for name := range files {
		require.NoError(t, os.Chmod(filepath.Join(folder, name), 0o444))
		r := run(t, folder, "", "renumber", "b", "-to", "10.3.0.0/16", "-write")
		assert.Equal(t, 2, r.status, name)
		assert.Contains(t, r.err, name+" was not written: it is read-only")
		as(name + " is read-only")
		require.NoError(t, os.Chmod(filepath.Join(folder, name), 0o644))
	}
	halves := 0
	for i := range 30 { // killed at many moments
		c := exec.Command(program, "renumber", "b", "-to", "10.3.0.0/16", "-write")
		c.Dir, c.Env = folder, environ(folder)
		require.NoError(t, c.Start())
		time.Sleep(12*time.Millisecond + time.Duration(i)*time.Millisecond)
		_ = c.Process.Kill()
		_ = c.Wait()
		moved := func() (n int) {
			for name := range files {
				raw, err := os.ReadFile(filepath.Join(folder, name))
				require.NoError(t, err)
				n += map[bool]int{true: 1}[strings.Contains(string(raw), "10.3.")]
			}
			return n
		}
		before := moved()
		r := run(t, folder, "", "check")
		if before > 0 && before < len(files) {
			halves++
			assert.Contains(t, r.err, "a change of wendrik.yaml was interrupted while it was written; it was taken back in ")
			as("it was killed")
		}
		require.Contains(t, []int{0, len(files)}, moved(), "all or none")
		for name, content := range files {
			require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(content), 0o644))
		}
	}
	t.Logf("%d of 30 were half written", halves)
	r := run(t, folder, "", "renumber", "b", "-to", "10.3.0.0/16", "-write")
	assert.Equal(t, 0, r.status, r.err)
	for name := range files {
		raw, err := os.ReadFile(filepath.Join(folder, name))
		require.NoError(t, err)
		assert.Contains(t, string(raw), "10.3.", name)
	}
}

// TestParts spreads a plan over files: places name the right one, edits go into it, and none is read outside the folder.
func TestParts(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	require.NoError(t, os.Mkdir(filepath.Join(folder, "teams"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "outside.yaml"), []byte("sites: {far: {ranges: 10.9.0.0/16}}\n"), 0o644))
	plan := filepath.Join(folder, "plan")
	require.NoError(t, os.MkdirAll(filepath.Join(plan, "teams"), 0o755))
	head, rest, _ := strings.Cut(stated, "workloads:\n")
	write(t, plan, strings.Replace(head, "estate:", "parts: [teams/*.yaml]\nestate:", 1))
	part := filepath.Join(plan, "teams", "tickets.yaml")
	require.NoError(t, os.WriteFile(part, []byte("workloads:\n"+rest), 0o644))
	r := run(t, folder, "", "carve", "-write", "-plan", "plan")
	require.Equal(t, 0, r.status, r.err)
	raw, err := os.ReadFile(part)
	require.NoError(t, err)
	assert.Contains(t, string(raw), "addresses: [10.144.0.4, 10.144.1.4, 10.144.0.5]")
	assert.Contains(t, read(t, plan), "range: 10.144.0.0/20")
	r = run(t, plan, "", "check", "-only", "expect")
	assert.Contains(t, r.out, "4 of 4 expectations hold")

	require.NoError(t, os.WriteFile(part, []byte(strings.Replace(string(raw), "groups: [all]", "groups: [al]", 1)+"networks: {booking: {range: 10.9.0.0/16}}\nestate: x\n"), 0o644))
	write(t, plan, strings.Replace(read(t, plan), "parts: [", "parts: [../outside.yaml, nowhere.yaml, ", 1))
	r = run(t, plan, "", "check")
	for _, want := range []string{
		`wendrik.yaml:2:9: "../outside.yaml" leads out of the folder`, `"nowhere.yaml" names no file`,
		`teams/tickets.yaml:2:47: there is no group of network booking named "al"`,
		`"booking" stands in two parts of the plan, first at wendrik.yaml:`, "estate speaks of the whole plan",
	} {
		assert.Contains(t, r.err, want)
	}
	assert.Equal(t, 2, r.status)
}

// TestNew begins plans, which check finds nothing in, and never writes over one.
func TestNew(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for _, args := range []string{"", "-profile regional", "-profile plain", "-networks booking,harbour -zones 2 -size /21", "-tiers edge:public:30,jobs:outbound:400 -space 10.96.0.0/12 -region north"} {
		plan := filepath.Join(folder, "wendrik.yaml")
		require.NoError(t, os.RemoveAll(plan))
		r := run(t, folder, "", append([]string{"new"}, strings.Fields(args)...)...)
		require.Equal(t, 0, r.status, "%s: %s", args, r.err)
		r = run(t, folder, "", "check")
		assert.Equal(t, 0, r.status, "%s: %s%s", args, r.out, r.err)
		assert.Empty(t, r.err, args)
		r = run(t, folder, "", "carve")
		assert.Contains(t, r.out, "every network and subnet has its range, and every host its address", args)
		before := read(t, folder)
		r = run(t, folder, "", "new")
		assert.Equal(t, 2, r.status)
		assert.Contains(t, r.err, "is there already, and nothing is overwritten")
		assert.Equal(t, before, read(t, folder))
		write(t, folder, strings.NewReplacer("# workloads:", "workloads:", "#   shop:", "  shop:", "# peerings:", "peerings:", "#   booking-harbour:", "  booking-harbour:").Replace(before))
		r = run(t, folder, "", "carve", "-write")
		assert.Equal(t, 0, r.status, "what stands behind marks can be read: %s", r.err)
	}
	for args, want := range map[string]string{
		"-tiers a:outbound:3":   "no public tier is there for the NAT gateway",
		"-tiers a:shut:3":       "is no access",
		"-networks Booking":     "cannot be a name",
		"-tiers a:public:30000": "nothing was written: give  -size  or  -space  more room",
		"-zones 27":             "from 1 to 26",
		"-space 10.0.0.1/8":     "its host bits are",
	} {
		r := run(t, folder, "", append([]string{"new", "-o", "x.yaml"}, strings.Fields(args)...)...)
		assert.NotEqual(t, 0, r.status, args)
		assert.Contains(t, strings.Join(strings.Fields(r.err), " "), strings.Join(strings.Fields(want), " "), args)
		assert.NoFileExists(t, filepath.Join(folder, "x.yaml"))
	}
}

// TestWire types what is wanted, and has carve and wire write the rest: then nothing is wrong, and a second run says so.
func TestWire(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	wanted := stated[:strings.Index(stated, "    gateways:")] + stated[strings.Index(stated, "    expect: ["):]
	wanted = strings.Replace(wanted, ", tables: {main: {routes: [{to: booking, via: pair}]}}", "", 1)
	wanted = strings.ReplaceAll(wanted, ", groups: [all]", "")
	wanted = strings.Replace(wanted, "fares never reaches tides on udp/53", "fares never reaches tides on udp/53, fares reaches tides on tcp/5432, fares reaches internet on tcp/443", 1)
	write(t, folder, wanted)
	require.Equal(t, 0, run(t, folder, "", "carve", "-write").status)
	r := run(t, folder, "", "wire")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "to write it into the plan:  wendrik wire -write")
	assert.Contains(t, r.out, "tcp/5432 from group booking/fares", "by a group of their own, and not by the tier that they live in")
	before := read(t, folder)
	r = run(t, folder, "", "wire", "-write")
	require.Equal(t, 0, r.status, r.err)
	assert.NotEqual(t, before, read(t, folder))
	r = run(t, folder, "", "check")
	assert.Equal(t, "nothing is wrong; 6 of 6 expectations hold\n", r.out)
	written := read(t, folder)
	r = run(t, folder, "", "wire", "-write")
	assert.Equal(t, "nothing is missing: the plan has all that follows from what it states\n", r.out)
	assert.Equal(t, written, read(t, folder), "twice is once")
}

// TestWireWaits: where a line of expect cannot be tried yet, or not be read, nothing is said to be all that follows.
func TestWireWaits(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	for line, want := range map[string]string{
		"w reaches v on tcp/443":     `"w reaches v on tcp/443" cannot be tried yet: workload w has no address yet`,
		"w never reaches v":          `"w never reaches v" cannot be tried yet`,
		"nobody reaches v on tcp/22": `"nobody" is no workload, site, network or address`,
	} {
		write(t, folder, "wendrik: 1\nnetworks: {n: {range: 10.0.0.0/16, subnets: {s: {range: 10.0.0.0/24}}}}\nworkloads: {w: {in: n/s}, v: {in: n/s, address: 10.0.0.9}}\nexpect: ["+line+"]\n")
		r := run(t, folder, "", "wire")
		assert.Equal(t, 1, r.status, line)
		assert.Contains(t, r.out, want)
		assert.NotContains(t, r.out, "the plan has all that follows")
	}
}

// TestReachFix shows the fixes of a blocked flow as a difference, makes them, and asks again.
func TestReachFix(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	r := run(t, folder, "", "reach", "ticket-1", "fare-db", "-on", "tcp/5432", "-fix")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "+          - tcp/5432 from group booking/shop")
	assert.Equal(t, before, read(t, folder))
	r = run(t, folder, "", "reach", "ticket-1", "fare-db", "-on", "tcp/5432", "-fix", "-write")
	assert.Contains(t, r.out, "written to wendrik.yaml: 3 changes")
	r = run(t, folder, "", "reach", "ticket-1", "fare-db", "-on", "tcp/5432", "-fix")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "there is no fix that can be written")
	r = run(t, folder, "", "reach", "ticket-1", "fare-db", "-write")
	assert.Equal(t, 2, r.status, "-write makes fixes, and none were asked for")
}

// TestCheckFix shows the fixes of what check finds, makes them with a choice, and finds that they are made.
func TestCheckFix(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	r := run(t, folder, "", "check", "-fix")
	assert.Equal(t, 1, r.status)
	for _, want := range []string{
		"9 findings  3 are ended by edits, 4 need a choice, 2 are left to you",
		"+        subnets: [app-a, app-b, app-c]                 # and app-c?", "+          - tcp/5432 from group booking/fares",
		"this opens:", "-choose idle-site@sites.gull-rail=remove", "-choose access@networks.harbour.tiers.feed=public|closed",
	} {
		assert.Contains(t, r.out, want)
	}
	assert.Equal(t, before, read(t, folder))
	r = run(t, folder, "", "check", "-fix", "-only", "access,idle-site", "-choose", "access=closed", "-choose", "idle-site@gull-rail=remove", "-write")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "written to wendrik.yaml: 2 changes")
	assert.NotContains(t, read(t, folder), "gull-rail:")
	assert.Contains(t, read(t, folder), "feed:  {access: closed, hosts: 200}")
	r = run(t, folder, "", "check", "-fix", "-only", "conflict", "-choose", "conflict=10.213.0.0/18", "-write")
	assert.Equal(t, 0, r.status, r.out+r.err)
	assert.Contains(t, read(t, folder), "pods: 10.213.0.0/18", "moved by its choice")
	r = run(t, folder, "", "check", "-fix", "-write")
	assert.Equal(t, 1, r.status, "some are left to a person")
	assert.Contains(t, run(t, folder, "", "check").out, "3 of 3 expectations hold")
	r = run(t, folder, "", "check", "-fix", "-only", "left-on-main-table,no-route-back")
	assert.Equal(t, "there is nothing to fix\n", r.out)
	assert.Contains(t, run(t, folder, "", "check", "-fix", "-choose", "acces=closed").err, "nothing asks for the choice acces=closed")
	assert.Contains(t, run(t, folder, "", "check", "-only", "acces").err, "did you mean access?")
	assert.Equal(t, 2, run(t, folder, "", "check", "-write").status)
}

// TestFixBreaksNoLine: a fix that closes what a line of expect wants is shown with the line, and not written without -breaks.
func TestFixBreaksNoLine(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	const plan = `wendrik: 1
networks:
  a:
    range: 10.0.0.0/16
    tiers: {app: {access: outbound}}
    subnets: {web: {range: 10.0.0.0/24}, app: {range: 10.0.1.0/24, tier: app}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: web, address: 10.0.0.9, public: 203.0.113.9}}
    tables: {m: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}, p: {subnets: [app], routes: [{to: 0.0.0.0/0, via: out}]}}
    groups: {g: {in: [], out: [any to any]}}
workloads: {w: {in: a/app, address: 10.0.1.10, groups: [g]}}
expect: [w reaches internet on tcp/443]
`
	write(t, folder, plan)
	r := run(t, folder, "", "reach", "internet", "w", "-on", "tcp/22", "-fix", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.out, "against  w reaches internet on tcp/443")
	assert.Contains(t, r.err, `nothing was written, because it would break "w reaches internet on tcp/443"`)
	assert.Equal(t, plan, read(t, folder))
	assert.Contains(t, run(t, folder, "", "reach", "internet", "w", "-on", "tcp/22", "-format", "json").out, `"against": [
      "w reaches internet on tcp/443"`)
	require.Equal(t, 1, run(t, folder, "", "reach", "internet", "w", "-on", "tcp/22", "-fix", "-write", "-breaks").status)
	assert.NotEqual(t, plan, read(t, folder))
}

// TestJoinAndUndo joins two networks with the built program, asks, and takes the join out again: every byte is as it was.
func TestJoinAndUndo(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	r := run(t, folder, "", "join", "harbour", "finance", "-on", "tcp/8443", "-write")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "network harbour and network finance: 10 changes in 2 networks")
	assert.Equal(t, 0, run(t, folder, "", "reach", "berth-1", "ledger", "-on", "tcp/8443").status)
	assert.Contains(t, run(t, folder, "", "join", "harbour", "finance", "-on", "tcp/8443").out, "are joined by harbour-finance, and nothing is missing")
	r = run(t, folder, "", "join", "harbour", "finance", "-on", "tcp/8443", "-undo", "-write")
	require.Equal(t, 0, r.status, r.err)
	assert.Equal(t, before, read(t, folder))

	r = run(t, folder, "", "join", "drill", "booking", "-write")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "the nearest free /22 for network drill is 10.144.32.0/22")
	assert.Contains(t, r.err, "nothing was written, because something forbids it")
	assert.Equal(t, before, read(t, folder))

	r = run(t, folder, "", "join", "harbour", "finance", "-half", "harbour", "-write")
	assert.Contains(t, r.out, "finance has to be told, and nothing passes until it has done this:")
	assert.Contains(t, read(t, folder), "harbour-finance: {between: [harbour, finance], accepted: [harbour]}")
	for args, want := range map[string]string{
		"harbour":                      "join takes two sides, not 1",
		"harbour finanse":              "did you mean finance?",
		"harbour finance -only quay":   "quay is no part of either side",
		"harbour finance -on tcp/x":    "is not a port",
		"shared finance -undo":         "are not joined",
		"harbour finance -half shared": "is neither of the two sides",
	} {
		r := run(t, folder, "", append([]string{"join"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
}

// TestDifferencesApply holds the differences that commands show against what they write: every line where its header says.
func TestDifferencesApply(t *testing.T) {
	t.Parallel()
	for _, line := range []string{"renumber shared", "renumber booking -to 10.145.0.0/20", "wire", "carve", "check -fix", "join harbour finance -on tcp/8443", "join booking finance -undo", "reach ticket-1 fare-db -on tcp/5432 -fix"} {
		folder := demo(t)
		was := strings.SplitAfter(read(t, folder), "\n")
		shown := run(t, folder, "", strings.Fields(line)...).out
		written := run(t, folder, "", append(strings.Fields(line), "-write")...).out
		if !strings.Contains(shown, "\n@@ ") {
			shown = written
		}
		_, shown, _ = strings.Cut(shown, "+++ wendrik.yaml\n")
		var got []string
		at := 0 // lines of the old text that are done
		left := [2]int{}
		for row := range strings.Lines(shown) {
			if left == [2]int{} {
				var from, to, i int
				if n, _ := fmt.Sscanf(row, "@@ -%d,%d +%d,%d @@", &from, &left[0], &to, &left[1]); n < 4 {
					break
				}
				for i = at; i < from-1; i++ {
					got = append(got, was[i])
				}
				at = from - 1
				require.Equal(t, to-1, len(got), "%s: %s", line, row)
				continue
			}
			switch row[0] {
			case '+':
				got, left[1] = append(got, row[1:]), left[1]-1
			case '-', ' ':
				require.Equal(t, was[at], row[1:], line)
				if at++; row[0] == ' ' {
					got, left[1] = append(got, row[1:]), left[1]-1
				}
				left[0]--
			}
		}
		got = append(got, was[at:]...)
		assert.Equal(t, read(t, folder), strings.Join(got, ""), line)
	}
}

// TestWritesBreakNoNever: join and the fixes of reach write nothing that breaks a line that says never, unless a person says so.
func TestWritesBreakNoNever(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	const content = "wendrik: 1\nprofile: zonal\nregions: {west: [west-a]}\nnetworks:\n" +
		"  pier: {region: west, range: 10.144.0.0/20, subnets: {a: {zone: west-a, range: 10.144.1.0/24}}, groups: {all: {in: [any from any], out: [any to any]}}}\n" +
		"  hall: {region: west, range: 10.145.0.0/20, subnets: {b: {zone: west-a, range: 10.145.0.0/24}}, groups: {all: {in: [any from any], out: [any to any]}}}\n" +
		"workloads: {db: {in: pier/a, address: 10.144.1.10, groups: [all]}, desk: {in: hall/b, address: 10.145.0.10, groups: [all]}}\nexpect: [db never reaches desk on tcp/22]\n"
	for _, args := range []string{"join pier hall -write", "reach desk db -on tcp/22 -fix -write", "reach db desk -on tcp/22 -fix -write"} {
		write(t, folder, content)
		r := run(t, folder, "", strings.Fields(args)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, `nothing was written, because it would break "db never reaches desk on tcp/22"`, args)
		assert.Equal(t, content, read(t, folder), args)
		r = run(t, folder, "", append(strings.Fields(args), "-breaks")...)
		assert.Contains(t, r.out+r.err, "written to wendrik.yaml", args)
		assert.NotEqual(t, content, read(t, folder), args)
	}
	assert.Contains(t, run(t, folder, "", "join", "pier", "hall", "-breaks").err, "-breaks has no effect without -write")
}

// TestCut takes somebody off, with a proof, and gives back every byte; what was edited since is not written over.
func TestCut(t *testing.T) {
	folder := demo(t)
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	before := read(t, folder)
	r := run(t, folder, "", "cut", "all", "fare-db")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "the rule  tcp/5432 from 10.144.4.0/24  of group finance/fare-db goes")
	assert.Contains(t, r.out, "nothing else closes, and nothing opens")
	r = run(t, folder, "", "cut", "internet", "ticket-1")
	assert.Equal(t, 1, r.status, "lines of expect break")
	assert.Contains(t, r.out, `this breaks:  "internet reaches ticket-1 on tcp/443"`)
	assert.Equal(t, before, read(t, folder))
	r = run(t, folder, "", "cut", "internet", "ticket-1", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "-breaks")
	assert.Equal(t, before, read(t, folder))

	r = run(t, folder, "", "cut", "fares-1", "internet", "-on", "tcp/25", "-write")
	require.Equal(t, 0, r.status, r.out+r.err)
	after := read(t, folder)
	assert.Contains(t, after, "- fares-1 never reaches internet on tcp/25")
	assert.Equal(t, 1, run(t, folder, "", "check").status) // by what it had before
	r = run(t, folder, "", "reach", "fares-1", "internet", "-on", "tcp/25")
	assert.Equal(t, 1, r.status)
	r = run(t, folder, "", "cut", "fares-1", "internet", "-on", "tcp/25", "-write")
	assert.Contains(t, r.out, "nothing passes from fares-1 to internet on tcp/25 as it is")
	assert.Equal(t, after, read(t, folder), "twice is once")

	r = run(t, folder, "", "cut", "fares-1", "internet", "-undo")
	assert.Equal(t, 2, r.status, "of other flows nothing is remembered")
	write(t, folder, after+"\n# a note\n")
	r = run(t, folder, "", "cut", "fares-1", "internet", "-on", "tcp/25", "-undo", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "was edited since it was cut")
	assert.Equal(t, after+"\n# a note\n", read(t, folder))
	write(t, folder, after)
	r = run(t, folder, "", "cut", "fares-1", "internet", "-on", "tcp/25", "-undo")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "-  - fares-1 never reaches internet on tcp/25")
	assert.Equal(t, after, read(t, folder))
	require.Equal(t, 0, run(t, folder, "", "cut", "fares-1", "internet", "-on", "tcp/25", "-undo", "-write").status)
	assert.Equal(t, before, read(t, folder))
	assert.Equal(t, 2, run(t, folder, "", "cut", "fares-1", "internet", "-on", "tcp/25", "-undo", "-write").status, "once")

	r = run(t, folder, "", "cut", "internet", "ticket-1", "-format", "json")
	assert.Equal(t, 1, r.status)
	var out struct {
		Passed       int
		Proof        []string
		Closes, Left []any
		Breaks       []string
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &out))
	assert.Equal(t, []string{"internet never reaches ticket-1"}, out.Proof)
	assert.Equal(t, 1, out.Passed)
	assert.NotEmpty(t, out.Closes, "the other of its group")
	assert.Empty(t, out.Left)
	for args, want := range map[string]string{"cut a": "two sides", "cut nobody all": "nobody", "cut fares-1 fares-1": "the same", "cut fares-1 all -on sctp": "sctp"} {
		r := run(t, folder, "", strings.Fields(args)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
}
