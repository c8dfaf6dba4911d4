package cli_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// machine is what this machine's own network looks like: links with their addresses, routes, rules and filters.
func machine(t *testing.T) string {
	t.Helper()
	var b strings.Builder
	links, err := net.Interfaces()
	require.NoError(t, err)
	for _, l := range links {
		addrs, err := l.Addrs()
		require.NoError(t, err)
		b.WriteString(l.Name + " " + l.Flags.String() + "\n")
		for _, a := range addrs {
			b.WriteString("  " + a.String() + "\n")
		}
	}
	for _, name := range []string{"route", "ipv6_route", "if_inet6", "ip_tables_names"} {
		raw, _ := os.ReadFile("/proc/net/" + name)
		for line := range strings.Lines(string(raw)) {
			if fields := strings.Fields(line); len(fields) > 2 { // without the counters of use
				b.WriteString(strings.Join(append(fields[:2:2], fields[len(fields)-1]), " ") + "\n")
			}
		}
	}
	for _, name := range []string{"ipv4/ip_forward", "ipv4/conf/all/rp_filter", "ipv4/ping_group_range", "bridge/bridge-nf-call-iptables"} {
		raw, _ := os.ReadFile("/proc/sys/net/" + name)
		b.WriteString(name + " " + string(raw))
	}
	return b.String()
}

// workers are the processes of rehearsals of this program.
func workers(t *testing.T, folder string) []string {
	t.Helper()
	all, err := filepath.Glob("/proc/[0-9]*/environ")
	require.NoError(t, err)
	var out []string
	for _, name := range all {
		raw, _ := os.ReadFile(name)
		exe, _ := os.Readlink(filepath.Join(filepath.Dir(name), "exe"))
		cwd, _ := os.Readlink(filepath.Join(filepath.Dir(name), "cwd"))
		if bytes.Contains(raw, []byte("WENDRIK_REHEARSAL=worker")) && strings.HasPrefix(exe, program) && cwd == folder {
			out = append(out, name)
		}
	}
	return out
}

// TestRehearse rehearses the shipped estate, and holds what is said against the JSON. The machine's own network is as
// it was, and no process is left.
func TestRehearse(t *testing.T) {
	t.Parallel()
	before := machine(t)
	folder := demo(t)
	r := run(t, folder, "", "rehearse")
	assert.Equal(t, 1, r.status, "one line of expect is broken on purpose: %s", r.err)
	assert.True(t, strings.HasPrefix(r.out, "all agree  "), r.out)
	assert.Contains(t, r.out, "broken  booking/app reaches fare-db on tcp/5432: fares-3 to fare-db")
	r = run(t, folder, "", "rehearse", "-format", "json", "-only", "booking")
	var out struct {
		Pairs, Agreed int
		Disagreed     []any
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &out), r.out+r.err)
	assert.Greater(t, out.Pairs, 20)
	assert.Equal(t, out.Pairs, out.Agreed)
	assert.Equal(t, before, machine(t))
	assert.Empty(t, workers(t, folder))
}

// TestRehearsalStands keeps a rehearsal, runs programs in it, spoils it by hand and sees that caught, and takes it down.
func TestRehearsalStands(t *testing.T) {
	t.Parallel()
	before := machine(t)
	folder, home := demo(t), t.TempDir()
	setenv(folder, "XDG_RUNTIME_DIR", home)
	// A plan with something that a kernel cannot show: a firewall that sees half of what is not TCP.
	require.NoError(t, os.WriteFile(filepath.Join(folder, "half.yaml"), []byte(`wendrik: 1
networks:
  pier:
    range: 10.144.0.0/20
    subnets: {a: {range: 10.144.0.0/24}, c: {range: 10.144.2.0/24}, d: {range: 10.144.3.0/24}}
    tables: {a: {subnets: [a], routes: [{to: 10.144.3.0/24, via: guard}]}}
    groups: {g: {in: [any from any], out: [any to any]}}
workloads: {w: {in: pier/a, address: 10.144.0.10, groups: [g]}, x: {in: pier/d, address: 10.144.3.10, groups: [g]}, guard: {in: pier/c, address: 10.144.2.10, groups: [g], forwards: stateful}}
`), 0o644))
	r := run(t, folder, "", "rehearse", "-in", "fares-1", "--", "true")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "no rehearsal stands")
	r = run(t, folder, "", "rehearse", "-keep", "-only", "booking")
	assert.Contains(t, r.out, "it stands")
	defer run(t, folder, "", "rehearse", "-down")
	assert.Equal(t, 2, run(t, folder, "", "rehearse", "-keep").status, "only one stands at a time")

	r = run(t, folder, "Ahoy\n", "rehearse", "-in", "fares-1", "--", "sh", "-c", "cat; cat /proc/net/fib_trie; exit 7")
	assert.Equal(t, 7, r.status)
	assert.True(t, strings.HasPrefix(r.out, "Ahoy\n"), "standard input and output are the caller's")
	assert.Contains(t, r.out, "10.144.4.10")
	assert.NotContains(t, r.out, "10.144.5.10")
	r = run(t, folder, "", "rehearse", "-in", "nowhere", "--", "true")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "nothing in the rehearsal is named nowhere")

	r = run(t, folder, "", "rehearse", "-again")
	assert.True(t, strings.HasPrefix(r.out, "all agree  "), r.out+r.err)
	for _, line := range []string{"rehearse -again -plan half.yaml", "rehearse -again"} {
		if line == "rehearse -again" { // the same file, changed since
			plan := read(t, folder)
			write(t, folder, plan+"\n# a remark\n")
			defer write(t, folder, plan)
		}
		r = run(t, folder, "", strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, "the plan is not the one that stands", line)
	}
	write(t, folder, strings.TrimSuffix(read(t, folder), "\n# a remark\n"))

	// Who says nothing keeps nobody waiting, and an environment may be large.
	silent, err := net.Dial("unix", filepath.Join(home, fmt.Sprintf("wendrik-rehearsal-%d.sock", os.Getuid())))
	require.NoError(t, err)
	defer silent.Close()
	for i := range 12 {
		setenv(folder, fmt.Sprint("LARGE_", i), strings.Repeat("\t", 100_000))
	}
	r = run(t, folder, "", "rehearse", "-in", "fares-1", "--", "sh", "-c", `echo ${#LARGE_0} ${#LARGE_11}; grep SigIgn /proc/self/status`)
	assert.Equal(t, "100000 100000\nSigIgn:\t0000000000000000\n", r.out, r.err)
	// By hand: the router of booking forwards no more.
	r = run(t, folder, "", "rehearse", "-in", "booking", "--", "sh", "-c", "echo 0 > /proc/sys/net/ipv4/ip_forward")
	require.Equal(t, 0, r.status, r.err)
	r = run(t, folder, "", "rehearse", "-again")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "disagree")
	assert.Contains(t, r.out, "the kernel   no answer came, nor when it was tried again")

	keys := map[string]bool{}
	for _, line := range []string{"rehearse -again -format json", "rehearse -plan half.yaml -format json", "rehearse -plan planned.yaml -steps wendrik.yaml -only finance -format json"} {
		var value any
		require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", strings.Fields(line)...).out), &value), line)
		collect(t, value, "", keys)
	}
	assert.ElementsMatch(t, documented(t, "rehearse"), slices.Collect(maps.Keys(keys)))

	// What runs in it ends with it, whatever it has done to stay.
	for _, line := range []string{"sleep 4711", "setsid sleep 4712 & sleep 4713"} {
		c := exec.Command(program, "rehearse", "-in", "fares-1", "--", "sh", "-c", line)
		c.Dir, c.Env = folder, environ(folder)
		require.NoError(t, c.Start())
		defer c.Wait()
	}
	running := func() int {
		n := 0
		for _, seconds := range []string{"4711", "4712", "4713"} {
			if exec.Command("pgrep", "-f", "^sleep "+seconds).Run() == nil {
				n++
			}
		}
		return n
	}
	require.Eventually(t, func() bool { return running() == 3 }, 10*time.Second, 20*time.Millisecond)
	assert.Equal(t, "the rehearsal is down\n", run(t, folder, "", "rehearse", "-down").out)
	assert.Eventually(t, func() bool { return running() == 0 }, 10*time.Second, 20*time.Millisecond)
	assert.Equal(t, "no rehearsal stands\n", run(t, folder, "", "rehearse", "-down").out)
	assert.Equal(t, before, machine(t))
	assert.Empty(t, workers(t, folder))
}

// TestSocketOfAStranger: what stands where the socket belongs, and is none of ours, is told and left alone.
func TestSocketOfAStranger(t *testing.T) {
	t.Parallel()
	home, folder := t.TempDir(), demo(t)
	setenv(folder, "XDG_RUNTIME_DIR", home)
	socket := filepath.Join(home, fmt.Sprintf("wendrik-rehearsal-%d.sock", os.Getuid()))
	require.NoError(t, os.WriteFile(socket, []byte("mine"), 0o600))
	for _, line := range []string{"rehearse -down", "rehearse -again", "rehearse -keep -only finance", "rehearse -in fares-1 -- true"} {
		r := run(t, folder, "", strings.Fields(line)...)
		assert.Equal(t, 2, r.status, line)
		assert.Contains(t, r.err, "is no socket, and stands where that of a rehearsal belongs", line)
	}
	if os.Getuid() == 0 {
		require.NoError(t, os.Chown(socket, 65534, 65534))
		r := run(t, folder, "", "rehearse", "-down")
		assert.Equal(t, 2, r.status)
		assert.Contains(t, r.err, "belongs to somebody else")
	}
	raw, err := os.ReadFile(socket)
	require.NoError(t, err)
	assert.Equal(t, "mine", string(raw))
}

// TestRehearsalIsKilled: whatever ends the program, nothing is left.
func TestRehearsalIsKilled(t *testing.T) {
	t.Parallel()
	before := machine(t)
	folder := demo(t)
	for _, kept := range []bool{false, true} {
		for _, after := range []time.Duration{50, 150, 600} {
			runtimeDir := t.TempDir()
			args := []string{"rehearse"}
			if kept {
				args = append(args, "-keep")
			}
			c := exec.Command(program, args...)
			c.Dir, c.Env = folder, append(os.Environ(), "XDG_RUNTIME_DIR="+runtimeDir)
			require.NoError(t, c.Start())
			time.Sleep(after * time.Millisecond)
			require.NoError(t, c.Process.Signal(syscall.SIGKILL))
			_ = c.Wait()
			assert.Eventually(t, func() bool { return len(workers(t, folder)) == 0 }, 20*time.Second, 50*time.Millisecond, "kept %v, killed after %d ms", kept, after)
			assert.Equal(t, before, machine(t))
		}
	}
}

// TestRehearsalWithoutPrivileges runs it as somebody who is not root.
func TestRehearsalWithoutPrivileges(t *testing.T) {
	t.Parallel()
	folder, err := os.MkdirTemp("", "wendrik-anybody-")
	require.NoError(t, err)
	defer os.RemoveAll(folder)
	raw, err := os.ReadFile(program)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "wendrik"), raw, 0o755))
	write(t, folder, read(t, demo(t)))
	c := exec.Command(filepath.Join(folder, "wendrik"), "rehearse", "-only", "finance")
	c.Dir, c.Env = folder, append(os.Environ(), "XDG_RUNTIME_DIR="+folder)
	if os.Getuid() == 0 {
		const nobody = 65534
		require.NoError(t, os.Chown(folder, nobody, nobody))
		require.NoError(t, os.Chmod(folder, 0o755))
		c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	}
	out, _ := c.CombinedOutput()
	assert.True(t, strings.HasPrefix(string(out), "all agree  "), string(out))
}

// TestRehearseSteps rehearses a change step by step: one in which nothing is cut, and one that cuts what it moves.
func TestRehearseSteps(t *testing.T) {
	t.Parallel()
	const plan = `wendrik: 1
networks:
  pier:
    range: 10.144.0.0/20
    subnets: {a: {range: 10.144.0.0/24}, b: {range: 10.144.1.0/24}}
    groups:
      desk: {in: [tcp/443 from 10.144.1.0/24], out: [any to any]}
workloads:
  till: {in: pier/a, address: 10.144.0.10, groups: [desk], listens: [tcp/443]}
  shop: {in: pier/b, address: 10.144.1.10, groups: [desk]}
`
	folder := t.TempDir()
	write := func(name, content string) {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(content), 0o600))
	}
	write("old.yaml", plan)
	write("wendrik.yaml", strings.Replace(plan, "tcp/443 from 10.144.1.0/24", "tcp/443 from group desk", 1))
	r := run(t, folder, "", "rehearse", "-steps", "old.yaml")
	require.Equal(t, 0, r.status, r.out+r.err)
	assert.Contains(t, r.out, "all as it should be  2 steps in a standing network")
	write("wendrik.yaml", strings.Replace(plan, "10.144.1.10", "10.144.1.11", 1))
	r = run(t, folder, "", "rehearse", "-steps", "old.yaml", "-format", "json")
	var out struct {
		Steps []struct {
			Told        bool
			Ended, Kept int
			Disagreed   []any
			Lost        []string
		}
	}
	require.NoError(t, json.Unmarshal([]byte(r.out), &out), r.out+r.err)
	require.Len(t, out.Steps, 2)
	assert.Empty(t, out.Steps[1].Lost, "nobody can keep a connection of an address that goes")
	assert.Equal(t, [2]int{1, 0}, [2]int{out.Steps[1].Ended, out.Steps[1].Kept}, r.out)
	r = run(t, folder, "", "rehearse", "-steps", "none.yaml")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "none.yaml")
}

// TestExportedFilters loads exported rulesets in the place of those that a rehearsal has built, on workloads and for all of a
// network's packets, and everything agrees still; without them it does not.
func TestExportedFilters(t *testing.T) {
	t.Parallel()
	needs(t, "nft")
	folder := demo(t)
	setenv(folder, "XDG_RUNTIME_DIR", t.TempDir())
	for _, name := range []string{"fare-db", "ticket-1", "booking/web-a"} {
		file := strings.ReplaceAll(name, "/", "-") + ".nft"
		require.Equal(t, 0, run(t, folder, "", "export", "filters", name, "-o", file).status)
	}
	r := run(t, folder, "", "rehearse", "-keep", "-only", "booking,finance")
	defer run(t, folder, "", "rehearse", "-down")
	require.Contains(t, r.out, "all agree", r.err)
	for _, name := range []string{"fare-db", "ticket-1"} {
		r = run(t, folder, "", "rehearse", "-in", name, "--", "nft", "delete", "table", "inet", "plan-0")
		require.Equal(t, 0, r.status, r.err)
	}
	r = run(t, folder, "", "rehearse", "-again")
	require.Contains(t, r.out, "disagree", "nothing guards them")
	for _, name := range []string{"fare-db", "ticket-1"} {
		for range 2 { // twice is once
			r = run(t, folder, "", "rehearse", "-in", name, "--", "nft", "-f", filepath.Join(folder, name+".nft"))
			require.Equal(t, 0, r.status, r.err)
		}
	}
	r = run(t, folder, "", "rehearse", "-in", "booking", "--", "nft", "-c", "-f", filepath.Join(folder, "booking-web-a.nft"))
	require.Equal(t, 0, r.status, r.err)
	r = run(t, folder, "", "rehearse", "-again")
	assert.Contains(t, r.out, "all agree", r.out)
	r = run(t, folder, "", "export", "filters", "finance/data-a")
	assert.Contains(t, r.err, "has no list")
}
