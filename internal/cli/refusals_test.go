package cli_test

import (
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestCarveAroundAList carves the demo estate beside the list of what is in use there: it is written, nothing of it is on the list, and the plan
// is right then.
func TestCarveAroundAList(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	r := run(t, folder, "", "carve", "-write", "-taken", "inventory.csv", "-columns", "range=cidr")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "written to wendrik.yaml: ranges for 1 network, 9 subnets and 1 held part")
	assert.Empty(t, r.err)
	assert.Contains(t, read(t, folder), "range: [10.144.40.0/21, fd3a:5e11:c0de::/56]", "10.144.32.0/24 is in use")
	r = run(t, folder, "", "overlaps", "-list", "inventory.csv", "-columns", "range=cidr", "-plan", "wendrik.yaml")
	assert.NotContains(t, r.out, "network crew")
	assert.NotContains(t, run(t, folder, "", "check", "-only", "errors").out, "does-not-fit")
}

// TestUnreadInventoryGivesNothingAway has one line that nobody can read in a list of what is in use.
func TestUnreadInventoryGivesNothingAway(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	before := read(t, folder)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "used.txt"), []byte("10.144.32.9/22 crews\n10.144.48.0/\"22\n"), 0o644))
	for args, want := range map[string]string{
		"carve -write -taken used.txt":             "2 1 line of used.txt could not be read",
		"carve -taken used.txt":                    "2 1 line of used.txt could not be read",
		"space -free /22 -in west -taken used.txt": "2 1 line of used.txt could not be read",
		"space -taken used.txt":                    "1 used.txt:2:",
		"overlaps -list used.txt":                  "1 used.txt:1: 1 range named by an address inside the block",
	} {
		r := run(t, folder, "", strings.Fields(args)...)
		status, message, _ := strings.Cut(want, " ")
		assert.Equal(t, status, string(rune('0'+r.status)), args)
		assert.Contains(t, r.err, message, args)
	}
	assert.Equal(t, before, read(t, folder))
}

// TestFullDiskIsToldInEveryFormat writes each answer to a device on which nothing fits.
func TestFullDiskIsToldInEveryFormat(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	full, err := os.OpenFile("/dev/full", os.O_WRONLY, 0)
	if err != nil {
		t.Skip("no device that is always full")
	}
	defer full.Close()
	for _, args := range []string{
		"space", "space -format json", "space -format md", "space -free /22 -in west", "space -free /22 -in west -format csv", "carve", "carve -format csv", "carve -write",
		"overlaps", "overlaps -format json", "overlaps -list inventory.csv -columns range=cidr", "block 10.0.0.0/8 -split 4", "block 10.0.0.0/8 -format json",
		"reach fares-1 fare-db", "reach fares-1 fare-db -format json", "grid", "grid -format csv", "grid -by classes -format json", "grid -from internet",
		"check", "check -format junit", "check -format sarif", "check -rules", "show booking", "help", "help grid", "grid -h",
	} {
		c := exec.Command(program, strings.Fields(args)...)
		c.Dir, c.Stdout = folder, full
		var said strings.Builder
		c.Stderr = &said
		_ = c.Run()
		assert.Equal(t, 2, c.ProcessState.ExitCode(), args)
		assert.Contains(t, said.String(), "the answer could not be written in full: no space left on device", args)
	}
}

func TestFlagsWithoutEffectAreRefused(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for args, want := range map[string]string{
		"space -count 3":                                       "-count has no effect without -free",
		"space -columns range=x":                               "-columns has no effect without -taken",
		"space -free /22 -fit /20 -in west":                    "-fit and -free do not go together",
		"carve -columns range=x":                               "-columns has no effect without -taken",
		"carve -write -why":                                    "-write and -why do not go together",
		"claims -map -format csv":                              "-map has no effect with -format csv",
		"overlaps -limit 3":                                    "-columns and -limit are for a list",
		"overlaps -with booking -list inventory.csv":           "-with is for a list beside a plan",
		"overlaps -list inventory.csv -limit 0":                "-limit takes a number from 1, not 0",
		"block 10.0.0.0/8 -next -previous":                     "-next and -previous do not go together",
		"block 10.0.0.0/8 -split 2 -limit 0":                   "-limit takes a number from 1, not 0",
		"block 10.0.0.0/8 -limit 3":                            "-limit has no effect without",
		"block 10.0.0.0/8 -growth 3%":                          "-growth has no effect without -hosts",
		"block 10.0.0.0/8 -profile zonal -merge":               "-profile and -merge do not go together",
		"grid -all":                                            "-all has no effect on a table",
		"grid -from internet -by tiers":                        "-by has no effect on a list",
		"check -rules -only errors":                            "-rules and -only do not go together",
		"rehearse -down -keep":                                 "-keep and -down do not go together",
		"REACH fares-1 fare-db":                                "did you mean  wendrik reach?",
		"help Chek":                                            "did you mean  wendrik help check?",
		"nonsense":                                             "wendrik help  lists the commands",
		"block 10/8":                                           "write 10.0.0.0/8",
		"block 10.0.0.0/255.255.0.0":                           "write 10.0.0.0/16",
		"block 10.0.0.0/8 -split /255.255.0.0":                 "write /16",
		"block " + strings.Repeat("9", 5000) + " -format json": strings.Repeat("9", 59) + "…\" is not a range\n",
	} {
		r := run(t, folder, "", strings.Fields(args)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
		assert.Empty(t, r.out, args)
	}
}

// TestTwoWritersAtOnce lets two programs carve one plan: it is carved once, and who came second is told or has nothing
// left to do.
func TestTwoWritersAtOnce(t *testing.T) {
	t.Parallel()
	carved := demo(t)
	require.Zero(t, run(t, carved, "", "carve", "-write").status)
	for range 8 {
		folder := demo(t)
		var all [2]*exec.Cmd
		var said [2]strings.Builder
		for i := range all {
			all[i] = exec.Command(program, "carve", "-write")
			all[i].Dir, all[i].Stdout, all[i].Stderr = folder, &said[i], &said[i]
			require.NoError(t, all[i].Start())
		}
		wrote := 0
		for i, c := range all {
			_ = c.Wait()
			switch c.ProcessState.ExitCode() {
			case 0:
				if strings.Contains(said[i].String(), "written to") {
					wrote++
				}
			default:
				assert.Contains(t, said[i].String(), "was not written: it was changed by somebody else meanwhile")
			}
		}
		assert.Equal(t, 1, wrote)
		assert.Equal(t, read(t, carved), read(t, folder))
		left, err := os.ReadDir(folder)
		require.NoError(t, err)
		assert.Len(t, left, 4)
	}
}

// TestPlansThatCannotBeWritten names files that carve must leave alone.
func TestPlansThatCannotBeWritten(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	file := filepath.Join(folder, "wendrik.yaml")
	require.NoError(t, os.Chmod(file, 0o444))
	r := run(t, folder, "", "carve", "-write")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "wendrik.yaml was not written: it is read-only\n  make it writable first:  chmod u+w wendrik.yaml")
	require.NoError(t, os.Chmod(file, 0o644))
	require.NoError(t, os.Link(file, filepath.Join(folder, "twin.yaml")))
	r = run(t, folder, "", "carve", "-write")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.err, "another name (a hard link), which keeps the old text")
	r = run(t, folder, "", "carve", "-write", "-plan", "-")
	assert.Equal(t, 2, r.status)
}

// TestNothingReadIsWrittenOver: a picture, an export or a page takes the place of no plan, part or list that it was made from, by whatever
// name, and of nothing that is no plain file.
func TestNothingReadIsWrittenOver(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, "wendrik: 1\nparts: [more.yaml]\nnetworks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}}}}\n")
	const more = "workloads: {w: {in: a/x, address: 10.0.0.9}}\n"
	require.NoError(t, os.WriteFile(filepath.Join(folder, "more.yaml"), []byte(more), 0o644))
	require.NoError(t, os.Symlink("more.yaml", filepath.Join(folder, "link.svg")))
	require.NoError(t, os.Link(filepath.Join(folder, "wendrik.yaml"), filepath.Join(folder, "hard.svg")))
	socket, err := net.Listen("unix", filepath.Join(folder, "socket")) // and not a device: as root a broken program would take its place for good
	require.NoError(t, err)
	defer socket.Close()
	require.NoError(t, os.Symlink("socket", filepath.Join(folder, "device.svg")))
	plan := read(t, folder)
	for args, want := range map[string]string{
		"draw estate -o link.svg": "link.svg is what was read", "draw estate -o hard.svg": "hard.svg is what was read", "export values -o wendrik.yaml": "wendrik.yaml is what was read",
		"export values -o more.yaml": "more.yaml is what was read", "report -o hard.svg": "hard.svg is what was read", "draw estate -o device.svg": "device.svg cannot be written: it is not a plain file",
	} {
		r := run(t, folder, "", strings.Fields(args)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, want, args)
	}
	assert.Equal(t, plan, read(t, folder))
	raw, err := os.ReadFile(filepath.Join(folder, "more.yaml"))
	require.NoError(t, err)
	assert.Equal(t, more, string(raw))
	assert.Equal(t, 0, run(t, folder, "", "draw", "estate", "-o", "new.svg").status)
	assert.Equal(t, 0, run(t, folder, "", "draw", "estate", "-o", "new.svg").status, "what was made so is made anew")
}

// TestOutputsOfAnotherKind: -o replaces what an earlier run may have written, and nothing else unless that is asked for; of several files it
// writes none where one may not be.
func TestOutputsOfAnotherKind(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	again := []string{"draw estate -o a.svg", "draw space -o a.png", "draw space -o a.pdf", "report -o a.html", "export values -o a.json", "export values -format sh -o a.sh", "export values -format csv -o a.csv",
		"export md -o a.md", "export hosts -o hosts", "export yang -o yang.json", "export filters fare-db -o a.nft", "export values networks.booking.range -o one", "export tables -o tables", "export dns -o zones"}
	for range 2 {
		for _, line := range again {
			r := run(t, folder, "", strings.Fields(line)...)
			require.Equal(t, 0, r.status, "%s: %s", line, r.err)
		}
	}
	assert.Equal(t, 0, run(t, folder, "", "export", "values", "networks.finance.range", "-o", "one").status)
	assert.Equal(t, 0, run(t, folder, "", "export", "dns", "-serial", "9", "-o", "zones").status)
	text := func(name string) string {
		raw, err := os.ReadFile(filepath.Join(folder, name))
		require.NoError(t, err)
		return string(raw)
	}
	for name, content := range map[string]string{"notes": "the quay is closed on Sunday\n", "long": strings.Repeat("a line of a book\n", 40), "plan.yaml": "wendrik: 1\n", "run.sh": "#!/bin/sh\nexit 1\n", "some.json": "{}\n", "some.html": "<!DOCTYPE html>\n"} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(content), 0o755))
		for _, line := range []string{"report -o", "export hosts -o", "export values -o", "export md -o", "export filters fare-db -o", "export values -format sh -o"} {
			if name == "some.json" && line == "export values -o" || name == "some.html" && line == "report -o" {
				continue
			}
			r := run(t, folder, "", append(strings.Fields(line), name)...)
			require.Equal(t, 2, r.status, "%s %s", line, name)
			require.Equal(t, "wendrik: "+name+" is a file of another kind, and is not written over\n  name another file, or say  -force\n", r.err)
			require.Equal(t, content, text(name))
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "tables", "subnets.csv"), []byte("my own\nlist\n"), 0o644))
	require.NoError(t, os.Remove(filepath.Join(folder, "tables", "blocks.csv")))
	r := run(t, folder, "", "export", "tables", "-o", "tables")
	assert.Equal(t, 2, r.status)
	assert.Equal(t, "my own\nlist\n", text("tables/subnets.csv"))
	assert.NoFileExists(t, filepath.Join(folder, "tables", "blocks.csv"))
	require.Equal(t, 0, run(t, folder, "", "export", "tables", "-o", "tables", "-force").status)
	assert.NotEqual(t, "my own\nlist\n", text("tables/subnets.csv"))
	assert.FileExists(t, filepath.Join(folder, "tables", "blocks.csv"))
	assert.Equal(t, 0, run(t, folder, "", "export", "hosts", "-o", "notes", "-force").status)
	assert.Contains(t, text("notes"), "ticket-1")
	assert.Equal(t, 2, run(t, folder, "", "export", "hosts", "-o", "wendrik.yaml", "-force").status, "a plan that is read is never written over")
}
