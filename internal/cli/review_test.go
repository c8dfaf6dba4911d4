package cli_test

import (
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

// rewrite has a plan say something else.
func rewrite(t *testing.T, folder, old, new string) {
	t.Helper()
	file := filepath.Join(folder, "wendrik.yaml")
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Contains(t, string(raw), old)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(raw), old, new, 1)), 0o666))
}

// id is the identifier of a thing of a kind by its name; empty where it is not there.
func (c *clouded) id(t *testing.T, secret, kind, name string) string {
	t.Helper()
	_, page := ask(t, secret, "GET", c.url+"/v1/"+kind+"?name="+name, "")
	if all := page["things"].([]any); len(all) > 0 {
		return all[0].(map[string]any)["id"].(string)
	}
	return ""
}

// What a cloud of the plan's kind would refuse, or for which it has no room, is not begun.
func TestNothingIsBegunThatCannotBe(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-quota", "workload=0")
	r := run(t, folder, "", "build", "-at", c.url)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "skerry-line may have 0 more things of kind workload, and this makes 1")
	before := things(t, c, folder)
	rewrite(t, folder, "networks:\n", "networks:\n  twin: {range: 10.144.0.0/20}\n")
	rewrite(t, folder, "peerings: {books", "peerings: {both: {between: [twin, booking], accepted: [twin, booking]}, books")
	r = run(t, folder, "", "build", "-dry", "-at", c.url)
	assert.Equal(t, 2, r.status, r.out)
	assert.Contains(t, r.err, "a cloud would refuse the plan: networks twin")
	assert.Equal(t, before, things(t, c, folder), "nothing was done")
}

// What removes something is asked for; a build that was kept for a review is made as it stands, and not when anything has moved.
func TestReview(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder)
	at := func(args ...string) result {
		return run(t, folder, "", append([]string{"build", "-at", c.url}, args...)...)
	}
	require.Equal(t, 0, at().status)
	rewrite(t, folder, "workloads:\n  shop:", "workloads:\n  kiosk:")
	rewrite(t, folder, "address: 10.144.0.10", "address: 10.144.0.11")
	r := at()
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "removes 1 thing: workload shop")
	assert.Contains(t, r.err, "nobody is there to be asked")
	assert.Contains(t, run(t, folder, "", "drift", "-at", c.url).out, "shop", "nothing was done")

	assert.Equal(t, 2, at("-o", "friday.json").status, "-o is of -dry")
	r = at("-dry", "-o", "friday.json")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "wendrik build friday.json")
	assert.Equal(t, 2, at("-dry", "-o", "friday.json").status, "a file that is there stays")
	raw, err := os.ReadFile(filepath.Join(folder, "friday.json"))
	require.NoError(t, err)
	rewrite(t, folder, "10.144.0.11", "10.144.0.12") // which the review does not know
	assert.Equal(t, 2, at("friday.json", "-down").status)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "other.json"), []byte(strings.Replace(string(raw), "10.144.0.11", "10.144.0.13", 1)), 0o666))
	r = at("other.json")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "the calls would be others")
	r = at("wendrik.yaml")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "wendrik.yaml is no build that was kept for a review")
	r = at("friday.json")
	assert.Equal(t, 0, r.status, r.err)
	assert.Contains(t, r.out, "the plan is true")
	assert.Contains(t, run(t, folder, "", "drift", "-at", c.url).out, "10.144.0.11", "what was reviewed is what is there")
	r = at("friday.json")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "workload shop is gone")

	require.Equal(t, 0, at("-dry", "-o", "monday.json").status)
	status, _ := ask(t, key(t, folder, "skerry-line"), "POST", c.url+"/v1/networks", `{"name":"lone","props":{"ranges":["10.144.32.0/20"]}}`)
	require.Equal(t, 201, status)
	r = at("monday.json")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "network lone is new")
}

// What is kept, what is another estate's, and what nobody's label is on stay, unless a person names them.
func TestNothingOfOthers(t *testing.T) {
	t.Parallel()
	folder, other := t.TempDir(), t.TempDir()
	write(t, folder, strings.Replace(quayside, "10.144.0.10, public", "10.144.0.10, keep: true, public", 1))
	write(t, other, "wendrik: 1\nestate: ports\nnetworks: {drill: {range: 10.150.0.0/20, subnets: {deck: {range: 10.150.0.0/24}}}}\n")
	c := cloudIn(t, folder)
	at := func(args ...string) result {
		return run(t, folder, "", append([]string{"build", "-at", c.url}, args...)...)
	}
	require.Equal(t, 0, at().status)
	require.Equal(t, 0, run(t, other, "", "build", "-at", c.url, "-keys", filepath.Join(folder, "cloud.keys")).status)
	secret := key(t, folder, "skerry-line")
	id := func(kind, name string) string { return c.id(t, secret, kind, name) }
	post := func(kind, body string) {
		status, said := ask(t, secret, "POST", c.url+"/v1/"+kind, body)
		require.Equal(t, 201, status, said)
	}
	post("networks", `{"name":"lone","props":{"ranges":["10.151.0.0/20"]}}`)
	post("groups", `{"name":"by-hand","props":{"network":"`+id("networks", "booking")+`"}}`)
	post("peerings", `{"name":"shortcut","props":{"networks":["`+id("networks", "booking")+`","`+id("networks", "drill")+`"]}}`)

	r := at("-hand-made", "-yes")
	assert.Equal(t, 1, r.status, "%s%s", r.out, r.err)
	assert.Empty(t, id("groups", "by-hand"), "it was inside of the estate's own")
	for kind, name := range map[string]string{"networks": "drill", "subnets": "deck", "peerings": "shortcut"} {
		assert.NotEmpty(t, id(kind, name), "%s %s is not the estate's", kind, name)
	}
	assert.NotEmpty(t, id("networks", "lone"), "no label is on it")
	assert.Equal(t, 0, run(t, other, "", "build", "-at", c.url, "-keys", filepath.Join(folder, "cloud.keys"), "-dry").status)
	r = at("-remove", "lone,drill", "-yes")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "called drill")
	r = at("-remove", "lone,"+id("peerings", "shortcut"), "-yes")
	assert.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	assert.Empty(t, id("networks", "lone"))
	assert.Empty(t, id("peerings", "shortcut"))

	raw, err := os.ReadFile(filepath.Join(folder, "wendrik.yaml"))
	require.NoError(t, err)
	start := strings.Index(string(raw), "workloads:")
	end := strings.Index(string(raw), "peerings:")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "wendrik.yaml"), []byte(string(raw[:start])+string(raw[end:])), 0o666))
	r = at("-yes")
	assert.Equal(t, 1, r.status, "%s%s", r.out, r.err)
	assert.Contains(t, r.err, "workload shop")
	assert.NotEmpty(t, id("workloads", "shop"), "the plan kept it")
	r = at("-yes", "-remove", "shop")
	assert.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	assert.Empty(t, id("workloads", "shop"))
	assert.NotEmpty(t, id("networks", "drill"))
}

// A plan is true once it was looked at: a cloud that answers that a rule is there, and keeps none, is found out by the build itself.
func TestLookedAtAgain(t *testing.T) {
	t.Parallel()
	found := 0
	for n := 1; n <= quaysideCalls; n++ {
		folder := t.TempDir()
		write(t, folder, quayside)
		c := cloudIn(t, folder, "-faults", fmt.Sprintf("forget@%d", n))
		r := run(t, folder, "", "build", "-at", c.url, "-side", "1") // so that each fault comes at another call
		drift := run(t, folder, "", "drift", "-at", c.url)
		assert.Equal(t, drift.status, r.status, "what build says is what drift finds: %s%s", r.out, drift.out)
		if r.status != 0 {
			found++
			assert.NotContains(t, r.out, "is true")
			holds(t, c, folder, quaysideThings)
		}
	}
	assert.GreaterOrEqual(t, found, 2, "the rules of the group, and what is accepted")
}

// What a job did is taken back over all its runs, once, unless somebody else has changed it since; what comes back is whose it was.
func TestUndo(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-faults", "refuse@6")
	at := func(args ...string) result {
		return run(t, folder, "", append([]string{"build", "-at", c.url}, args...)...)
	}
	require.Equal(t, 2, at().status, "it is stopped")
	require.Equal(t, 0, at().status, "and goes on")
	secret := key(t, folder, "skerry-line")
	id := func(kind, name string) string { return c.id(t, secret, kind, name) }
	r := at("-undo", "-yes")
	assert.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	assert.Zero(t, things(t, c, folder), "both runs are of one job")
	r = at("-undo", "-yes")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "there is no run to take back")

	require.Equal(t, 0, at().status)
	status, said := ask(t, secret, "PATCH", c.url+"/v1/groups/"+id("groups", "a"), `{"props":{"in":[{"flows":"tcp/443"}]}}`)
	require.Equal(t, 200, status, said)
	r = at("-undo", "-yes")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "somebody else has changed what it made or changed: group booking/a by skerry-line")
	require.Equal(t, 0, at().status, "the plan is built over it")
	r = at("-undo", "-yes")
	assert.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	assert.Equal(t, quaysideThings, things(t, c, folder), "what made good a change by hand is a job of its own, and no more is taken back")
	assert.Contains(t, run(t, folder, "", "drift", "-at", c.url).out, "group booking/a")
	r = at("-undo", "-yes")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "there is no run to take back")

	require.Equal(t, 0, at().status)
	status, said = ask(t, secret, "POST", c.url+"/v1/groups", `{"name":"by-hand","props":{"network":"`+id("networks", "booking")+`"}}`)
	require.Equal(t, 201, status, said)
	rewrite(t, folder, "tcp/443 from any, ", "") // another job
	require.Equal(t, 0, at("-hand-made", "-yes").status)
	require.Empty(t, id("groups", "by-hand"))
	require.Equal(t, 0, at("-undo", "-yes").status)
	_, page := ask(t, secret, "GET", c.url+"/v1/groups?name=by-hand", "")
	require.Len(t, page["things"], 1, "it comes back")
	assert.NotContains(t, page["things"].([]any)[0].(map[string]any)["labels"], "wendrik-estate", "and is nobody's, as it was")
	assert.Contains(t, at("-undo", "-yes").out, "there is no run to take back")
}

// What the plan has, and cannot be built since it has no range yet, is not taken down for that.
func TestNotYetCarvedStays(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	rewrite(t, folder, "finance: {range: 10.144.16.0/20, subnets: {data: {range: 10.144.16.0/24}}}", "finance: {from: all, size: /20}\nspace: {all: {block: 10.0.0.0/8}}")
	rewrite(t, folder, "{to: 10.144.16.0/20, via: books}", "{to: finance, via: books}")
	r := run(t, folder, "", "build", "-at", c.url, "-yes")
	assert.Equal(t, 2, r.status, "%s%s", r.out, r.err)
	assert.Contains(t, r.err, "what is there would go: network finance")
	assert.Equal(t, quaysideThings, things(t, c, folder), "nothing was done")
}

// One builds at a time: another waits, and is told who has it and since when; a build that is killed is in nobody's way for long.
func TestOneBuildsAtATime(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-faults", "slow@2+")
	first := exec.Command(program, "build", "-at", c.url)
	first.Dir, first.Env = folder, environ(folder)
	require.NoError(t, first.Start())
	time.Sleep(1500 * time.Millisecond)
	r := run(t, folder, "", "build", "-at", c.url, "-wait", "1s")
	assert.Equal(t, 2, r.status, "%s%s", r.out, r.err)
	assert.Regexp(t, `waits: "skerry-line" is being built by "skerry-line on .*, process [0-9]+" since 20`, r.err)
	assert.Equal(t, 0, run(t, folder, "", "build", "-at", c.url, "-dry").status, "looking is nobody's business")
	require.NoError(t, first.Process.Kill())
	_ = first.Wait()
	begun := time.Now()
	r = run(t, folder, "", "build", "-at", c.url)
	assert.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	assert.Greater(t, time.Since(begun), time.Second)
	r = run(t, folder, "", "build", "-at", c.url, "-wait", "1s")
	assert.Equal(t, 0, r.status, "it was given up: %s%s", r.out, r.err)
}

// What is meant to be otherwise at a cloud is set aside by a line of waive, as long as that says; what somebody changed is told with what he
// said of it.
func TestDriftWaived(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	secret := key(t, folder, "skerry-line")
	drift := func(args ...string) result {
		return run(t, folder, "", append([]string{"drift", "-at", c.url}, args...)...)
	}
	status, said := ask(t, secret, "PATCH", c.url+"/v1/workloads/"+c.id(t, secret, "workloads", "shop"), `{"props":{"listens":"tcp/8443"},"note":"TICKET 4711"}`)
	require.Equal(t, 200, status, said)
	status, said = ask(t, secret, "POST", c.url+"/v1/groups", `{"name":"by-hand","props":{"network":"`+c.id(t, secret, "networks", "booking")+`"},"note":"for the auditors"}`)
	require.Equal(t, 201, status, said)
	r := drift()
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "TICKET 4711")
	assert.Contains(t, r.out, "group booking/by-hand")

	write(t, folder, quayside+"waive:\n  - {rule: drift, at: shop, because: tried out, until: 2999-01-31}\n")
	assert.Contains(t, run(t, folder, "", "check").out, "1 finding ", "who looks at no cloud does not know whether it silences something")
	r = drift()
	assert.Equal(t, 1, r.status)
	assert.NotContains(t, r.out, "changed  workload shop")
	assert.Contains(t, r.out, "1 thing waived")
	write(t, folder, quayside+"waive:\n  - {rule: drift, at: shop, because: tried out, until: 2999-01-31}\n  - {rule: drift, at: group booking/by-hand, because: for the auditors}\n")
	r = drift()
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "but for what is waived,")
	r = drift("-waived")
	assert.Contains(t, r.out, "tried out, until 2999-01-31")
	assert.Contains(t, r.out, "for the auditors")
	r = drift("-format", "md")
	assert.NotContains(t, r.out, "No drift")
	assert.Contains(t, r.out, "but for what is waived, what is there is what the plan says.\n\n### Waived\n")
	assert.Regexp(t, `changed +\| workload shop +\| tried out +\| 2999-01-31`, r.out)
	assert.NotContains(t, run(t, folder, "", "build", "-dry", "-at", c.url).out, "nothing is to be done", "a build makes it as planned all the same")
	write(t, folder, quayside+"waive:\n  - {rule: drift, at: shop, because: tried out, until: 2020-01-31}\n")
	assert.Contains(t, drift().out, "workload shop")
	assert.Contains(t, run(t, folder, "", "check").out, "was waived until 2020-01-31")
}

// What an owner may still have is told, of the owner of the key alone, and gets less with each thing.
func TestWhatIsLeft(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-quota", "network=3,hub=0", "-owners", "skerry-line,gull-rail")
	secret := key(t, folder, "skerry-line")
	left := func() map[string]any {
		_, said := ask(t, secret, "GET", c.url+"/v1/cloud", "")
		owners := said["owners"].([]any)
		require.Len(t, owners, 2)
		assert.NotContains(t, owners[1].(map[string]any), "left")
		return owners[0].(map[string]any)["left"].(map[string]any)
	}
	assert.Equal(t, map[string]any{"network": 2.0, "hub": 0.0}, left(), "one is there from birth")
	for n, status := range []int{201, 201, 403} {
		got, said := ask(t, secret, "POST", c.url+"/v1/networks", fmt.Sprintf(`{"name":"x%d","props":{"ranges":["10.%d.0.0/16"]}}`, n, n))
		if status == 201 {
			require.Equal(t, status, got, said)
		} else {
			assert.Equal(t, "quota", said["reason"])
		}
	}
	assert.Equal(t, map[string]any{"network": 0.0, "hub": 0.0}, left())
}

// TestRecords: a drift that was recorded is told again word for word when the cloud is gone; nothing can be built at it, it has no key in it,
// and a file that is there is not overwritten.
func TestRecords(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	write(t, folder, strings.Replace(quayside, "10.144.0.10", "10.144.0.11", 1))
	secret := key(t, folder, "skerry-line")
	status, said := ask(t, secret, "PATCH", c.url+"/v1/workloads/"+c.id(t, secret, "workloads", "shop"), `{"labels":{"cost":"12"}}`)
	require.Equal(t, 200, status, said)
	assert.Contains(t, run(t, folder, "", "drift", "-at", c.url, "-format", "md").out, "\nLabels that the plan has no word for, left alone: cost on 1 thing.\n")
	through := fmt.Sprintf("%s driver -at %s -record friday.jsonl", program, c.url)
	first := run(t, folder, "", "drift", "-at", through)
	require.Equal(t, 1, first.status, first.err)
	require.Contains(t, first.out, "10.144.0.11")
	assert.Contains(t, first.out, "\nlabels that the plan has no word for, left alone: cost on 1 thing\n")
	r := run(t, folder, "", "drift", "-at", through)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "friday.jsonl is there already, and nothing is overwritten")
	kept, err := os.ReadFile(filepath.Join(folder, "friday.jsonl"))
	require.NoError(t, err)
	assert.NotContains(t, string(kept), secret)
	info, err := os.Stat(filepath.Join(folder, "friday.jsonl"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	require.NoError(t, c.process.Process.Kill())
	again := program + " driver -replay friday.jsonl"
	r = run(t, folder, "", "drift", "-at", again)
	assert.Equal(t, 1, r.status, r.err)
	assert.Equal(t, strings.ReplaceAll(first.out, through, again), r.out)
	r = run(t, folder, "", "build", "-yes", "-at", again)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.out+r.err, "at which nothing can be done")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "friday.jsonl"), kept[:len(kept)-20], 0o600))
	r = run(t, folder, "", "drift", "-at", again)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "friday.jsonl is no record: line ")
}
