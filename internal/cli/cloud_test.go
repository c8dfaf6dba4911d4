package cli_test

import (
	"bufio"
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"log"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/randomplan"
)

// clouded is a simulated cloud that runs in a folder.
type clouded struct {
	url     string
	process *exec.Cmd
}

var listens = regexp.MustCompile(`http://[0-9.:]+`)

// cloudIn starts the built program as a cloud, at a port that is free.
func cloudIn(t *testing.T, folder string, args ...string) *clouded {
	t.Helper()
	c := exec.Command(program, append([]string{"cloud", "-listen", "127.0.0.1:0", "-delay", "0s", "-rate", "0"}, args...)...)
	c.Dir = folder
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	var errs bytes.Buffer
	c.Stderr = &errs
	require.NoError(t, c.Start())
	t.Cleanup(func() {
		_ = c.Process.Kill()
		_ = c.Wait()
	})
	line, err := bufio.NewReader(out).ReadString('\n')
	require.NoError(t, err, "%s", errs.String())
	go io.Copy(io.Discard, out)
	return &clouded{listens.FindString(line), c}
}

// key is the first key of a folder's file.
func key(t *testing.T, folder, owner string) string {
	t.Helper()
	raw, err := os.ReadFile(filepath.Join(folder, "cloud.keys"))
	require.NoError(t, err)
	for line := range strings.Lines(string(raw)) {
		if secret, is := strings.CutPrefix(line, owner+": "); is {
			return strings.TrimSpace(secret)
		}
	}
	require.Fail(t, "no key of "+owner)
	return ""
}

// ask asks a cloud past the program.
func ask(t *testing.T, secret, method, address, body string) (status int, answer map[string]any) {
	t.Helper()
	r, err := http.NewRequest(method, address, strings.NewReader(body))
	require.NoError(t, err)
	if secret != "" {
		r.Header.Set("Authorization", "Bearer "+secret)
	}
	if body != "" {
		r.Header.Set("Content-Type", "application/json")
	}
	a, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	raw, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	if len(raw) > 0 {
		require.NoError(t, json.Unmarshal(raw, &answer), "%s", raw)
	}
	return a.StatusCode, answer
}

// quayside is a small estate with a thing of most kinds.
const quayside = `wendrik: 1
estate: skerry-line
networks:
  booking:
    range: 10.144.0.0/20
    subnets: {web: {range: 10.144.0.0/24}}
    gateways: {front: {kind: internet}}
    tables: {main: {main: true, routes: [{to: 0.0.0.0/0, via: front}, {to: 10.144.16.0/20, via: books}]}}
    groups: {a: {in: [tcp/443 from any, tcp/22 from group a], out: [any to any]}}
  finance: {range: 10.144.16.0/20, subnets: {data: {range: 10.144.16.0/24}}}
workloads:
  shop: {in: booking/web, address: 10.144.0.10, public: 203.0.113.9, groups: [a], listens: [tcp/443]}
peerings: {books: {between: [booking, finance], accepted: [booking, finance]}}
`

// things are how many things a cloud has that are labelled with the estate.
func things(t *testing.T, c *clouded, folder string) int {
	t.Helper()
	status, page := ask(t, key(t, folder, "skerry-line"), "GET", c.url+"/v1/things?limit=500&label=wendrik-estate=skerry-line", "")
	require.Equal(t, 200, status)
	return len(page["things"].([]any))
}

// holds says that a plan is true at a cloud, and that nothing is there twice.
func holds(t *testing.T, c *clouded, folder string, n int) {
	t.Helper()
	r := run(t, folder, "", "build", "-at", c.url)
	require.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	r = run(t, folder, "", "drift", "-at", c.url)
	require.Equal(t, 0, r.status, "%s%s", r.out, r.err)
	assert.Equal(t, n, things(t, c, folder), "nothing is made twice")
}

// quaysideThings are how many things the estate comes to, and quaysideCalls how many calls make it.
const quaysideThings, quaysideCalls = 11, 13

// The cloud is killed at every call in turn, before it does anything and when it has done it and not yet answered. What it answered it
// still has, and the same build goes on.
func TestCloudIsKilledAtEveryCall(t *testing.T) {
	t.Parallel()
	for _, kind := range []string{"die", "die-first"} {
		for n := 1; n <= quaysideCalls; n++ {
			t.Run(fmt.Sprint(kind, n), func(t *testing.T) {
				t.Parallel()
				folder := t.TempDir()
				write(t, folder, quayside)
				c := cloudIn(t, folder, "-faults", fmt.Sprintf("%s@%d", kind, n))
				r := run(t, folder, "", "build", "-at", c.url)
				assert.Equal(t, 2, r.status, "%s%s", r.out, r.err)
				assert.Contains(t, r.out, "the same command goes on from here")
				_ = c.process.Wait()
				holds(t, cloudIn(t, folder), folder, quaysideThings)
			})
		}
	}
}

// A random plan is built at a cloud that is killed by every call that changes something: each of them is done, kept, and never answered,
// and the same command goes on from there.
func TestRandomPlanAtACloudThatDies(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	stated, _ := randomplan.Both(rand.New(rand.NewPCG(3, 1708)))
	write(t, folder, strings.Replace(stated, "wendrik: 1\n", "wendrik: 1\nestate: skerry-line\n", 1))
	died := 0
	for ; died < 200; died++ {
		c := cloudIn(t, folder, "-faults", "die@1")
		r := run(t, folder, "", "build", "-at", c.url, "-side", "1", "-wait", "100ms") // and no patience with a cloud that is not there
		if r.status == 0 {                                                             // nothing was to be done, so that it has not died
			_ = c.process.Process.Kill()
			_ = c.process.Wait()
			break
		}
		require.Equal(t, 2, r.status, "%s%s", r.out, r.err)
		_ = c.process.Wait()
		state, err := sql.Open("sqlite", filepath.Join(folder, "cloud.db"))
		require.NoError(t, err)
		_, err = state.Exec("DELETE FROM locks") // of a build that could not give it up: its time is up
		require.NoError(t, err)
		require.NoError(t, state.Close())
	}
	c := cloudIn(t, folder)
	r := run(t, folder, "", "cloud", "-listen", "127.0.0.1:0")
	require.Equal(t, 2, r.status)
	require.Equal(t, "wendrik: the state cloud.db cannot be used: another program has this state\n  name another file with  -state FILE\n", r.err)
	require.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url).status)
	made := things(t, c, folder)
	assert.Greater(t, made, 50)
	assert.LessOrEqual(t, made, died, "nothing is made twice")
}

// The build is killed at every call in turn, before the call gets to the cloud and behind it; the same command goes on.
func TestBuildIsKilledAtEveryCall(t *testing.T) {
	t.Parallel()
	for _, behind := range []bool{false, true} {
		for n := 1; n <= quaysideCalls; n++ {
			t.Run(fmt.Sprint(behind, n), func(t *testing.T) {
				t.Parallel()
				folder := t.TempDir()
				write(t, folder, quayside)
				c := cloudIn(t, folder)
				target, err := url.Parse(c.url)
				require.NoError(t, err)
				var lock sync.Mutex
				calls := 0
				var held *http.Request
				var hold []byte
				build := exec.Command(program, "build", "-side", "2")
				build.Dir = folder
				between := &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
					r.SetURL(target)
					r.Out.Host = target.Host
				}, ErrorLog: log.New(io.Discard, "", 0)}
				server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
					lock.Lock()
					if r.Method != "GET" {
						calls++
					}
					if r.Method == "POST" && r.URL.Path == "/v1/locks" {
						hold, _ = io.ReadAll(r.Body)
						held, r.Body = r, io.NopCloser(bytes.NewReader(hold))
					}
					now := r.Method != "GET" && calls == n
					lock.Unlock()
					if now && !behind {
						_ = build.Process.Kill()
						return
					}
					if now {
						between.ServeHTTP(httptest.NewRecorder(), r)
						_ = build.Process.Kill()
						return
					}
					between.ServeHTTP(w, r)
				}))
				defer server.Close()
				build.Args = append(build.Args, "-at", server.URL)
				require.Error(t, build.Run(), "it is killed")
				if held != nil { // its lock, which would keep the next one waiting for ten seconds, as TestOneBuildsAtATime sees
					up, err := http.NewRequest("DELETE", c.url+"/v1/locks", bytes.NewReader(hold))
					require.NoError(t, err)
					up.Header = held.Header.Clone()
					_, err = http.DefaultClient.Do(up)
					require.NoError(t, err)
				}
				holds(t, c, folder, quaysideThings)
			})
		}
	}
}

// A build that is interrupted says what is done, begins nothing more, and goes on when it is started again.
func TestBuildIsInterrupted(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-delay", "300ms")
	build := exec.Command(program, "build", "-at", c.url, "-side", "1")
	build.Dir = folder
	var out bytes.Buffer
	build.Stdout = &out
	require.NoError(t, build.Start())
	time.Sleep(700 * time.Millisecond)
	require.NoError(t, build.Process.Signal(syscall.SIGINT))
	_ = build.Wait()
	assert.Equal(t, 2, build.ProcessState.ExitCode())
	assert.Contains(t, out.String(), "stopped")
	holds(t, c, folder, quaysideThings)
}

// Whatever is asked and however it fails, no key is printed, and the files with keys and the state are for nobody else.
func TestKeysAreKeptSecret(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-owners", "skerry-line,skerry-line/night-shift,gull-rail", "-faults", "refuse@9,fail@20")
	secrets := []string{key(t, folder, "skerry-line"), key(t, folder, "skerry-line/night-shift"), key(t, folder, "gull-rail")}
	for _, line := range []string{"build", "build", "build -format json", "drift", "drift -format json", "adopt", "build -undo -yes", "build -down -yes", "driver -try " + program + " driver -at " + c.url, "build -at " + c.url + "/nowhere", "build -at rpc:" + c.url, "drift -at http://127.0.0.1:1"} {
		args := strings.Fields(line)
		if !strings.Contains(line, "-at") {
			args = append(args, "-at", c.url)
		}
		r := run(t, folder, "", args...)
		for _, s := range secrets {
			assert.NotContains(t, r.out+r.err, s, line)
		}
	}
	for _, name := range []string{"cloud.keys", "cloud.db"} {
		info, err := os.Stat(filepath.Join(folder, name))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), name)
	}
	files, err := filepath.Glob(filepath.Join(folder, "cloud.db*"))
	require.NoError(t, err)
	for _, f := range files {
		raw, err := os.ReadFile(f)
		require.NoError(t, err)
		for _, s := range secrets {
			assert.NotContains(t, string(raw), s, f)
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "bad.keys"), []byte("skerry-line: ["+secrets[0]+"\n"), 0o600))
	r := run(t, folder, "", "build", "-at", c.url, "-keys", "bad.keys")
	assert.Equal(t, 2, r.status)
	assert.NotContains(t, r.err, secrets[0])
}

// The cloud answers nobody without a key, no web page, under no other name, and reads no large body.
func TestCloudIsGuarded(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder)
	secret := key(t, folder, "skerry-line")
	assert.True(t, strings.HasPrefix(c.url, "http://127.0.0.1:"))
	for _, path := range []string{"/v1/things", "/v1/networks", "/v1/log", "/v1/cloud", "/v1/neighbours", "/nowhere"} {
		status, _ := ask(t, "", "GET", c.url+path, "")
		assert.Equal(t, 401, status, path)
		status, _ = ask(t, "wrong-key-of-somebody", "GET", c.url+path, "")
		assert.Equal(t, 401, status, path)
	}
	status, d := ask(t, "", "GET", c.url+"/openapi.json", "")
	assert.Equal(t, 200, status)
	assert.Equal(t, "3.1.0", d["openapi"])
	for header, value := range map[string]string{"Origin": "http://127.0.0.1:1", "Sec-Fetch-Site": "cross-site"} {
		r, err := http.NewRequest("GET", c.url+"/v1/things", nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+secret)
		r.Header.Set(header, value)
		a, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		a.Body.Close()
		assert.Equal(t, 403, a.StatusCode, header)
	}
	r, err := http.NewRequest("GET", c.url+"/v1/things", nil)
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+secret)
	r.Host = "cloud.example"
	a, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	a.Body.Close()
	assert.Equal(t, 403, a.StatusCode, "another name")
	status, _ = ask(t, secret, "POST", c.url+"/v1/networks", strings.Repeat(" ", 1<<20)+"{}")
	assert.Equal(t, 413, status)
	for body, want := range map[string]int{
		`{"name":"x","props":{"ranges":["10.0.0.0/16"],"colour":"red"}}`: 422, `{"name":"x","props":{},"more":1}`: 422, `{"name":"x"`: 422, `{"name":"x","props":{"ranges":["10.0.0.1/16"]}}`: 422, `{"name":"x","props":{"ranges":"10.0.0.0/16"}}`: 422,
		`{"name":"x","props":{"ranges":["10.0.0.0/16"],"profile":{"like":"zonal","reserved-first":"many"}}}`: 422, `{"name":"x","props":{"ranges":["10.0.0.0/16","10.0.0.0/17"]}}`: 409, `{"name":"x","props":{"ranges":["10.0.0.0/16"]}}`: 201,
	} {
		status, answer := ask(t, secret, "POST", c.url+"/v1/networks", body)
		assert.Equal(t, want, status, "%s: %v", body, answer)
	}
}

// Quotas, the rate and pages are as the flags say.
func TestCloudLimits(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-quota", "network=3", "-rate", "40")
	secret := key(t, folder, "skerry-line")
	made := 0
	for range 4 { // one is there from birth
		status, answer := ask(t, secret, "POST", c.url+"/v1/networks", `{"name":"x","props":{"ranges":["10.0.0.0/16"]}}`)
		if status == 201 {
			made++
		} else {
			assert.Equal(t, "quota", answer["reason"])
		}
	}
	assert.Equal(t, 2, made)
	status, page := ask(t, secret, "GET", c.url+"/v1/networks?limit=2", "")
	require.Equal(t, 200, status)
	assert.Len(t, page["things"], 2)
	_, rest := ask(t, secret, "GET", c.url+"/v1/networks?limit=2&page="+page["next"].(string), "")
	assert.Len(t, rest["things"], 1)
	assert.NotContains(t, rest, "next")
	limited := 0
	for range 80 {
		if status, answer := ask(t, secret, "GET", c.url+"/v1/cloud", ""); status == 429 {
			limited++
			assert.Positive(t, answer["after_ms"])
		}
	}
	assert.Positive(t, limited)
	for _, args := range [][]string{{"-quota", "boats=3"}, {"-faults", "sink@3"}, {"-faults", "refuse@0"}, {"-faults", "refuse"}, {"-owners", "/x"}, {"-listen", "nowhere:at:all"}} {
		r := run(t, folder, "", append([]string{"cloud"}, args...)...)
		assert.Equal(t, 2, r.status, args)
		assert.NotEmpty(t, r.err, args)
	}
}

// A change by hand is told with its maker and with what it does; the plan can be made to say it, or the change taken back.
func TestDriftTells(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, strings.Replace(quayside, "tcp/22 from group a", "tcp/22 from 198.51.100.0/28", 1)+"expect: [192.0.2.1 never reaches shop on tcp/8080]\n")
	c := cloudIn(t, folder, "-owners", "skerry-line,skerry-line/night-shift")
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	night := key(t, folder, "skerry-line/night-shift")
	_, page := ask(t, night, "GET", c.url+"/v1/groups?name=a", "")
	id := page["things"].([]any)[0].(map[string]any)["id"].(string)
	status, _ := ask(t, night, "PATCH", c.url+"/v1/groups/"+id, `{"props":{"in":[{"flows":"tcp/443"},{"flows":"tcp/22","range":"198.51.100.0/28"},{"flows":"tcp/8080"}]}}`)
	require.Equal(t, 200, status)
	r := run(t, folder, "", "drift", "-at", c.url)
	assert.Equal(t, 1, r.status)
	for _, words := range []string{"group booking/a", "by skerry-line/night-shift", "in has  tcp/8080 from any", "tcp/8080  from internet to shop", "does not hold any more", "wendrik build", "+    groups: {a: {in: [tcp/443 from any, tcp/22 from 198.51.100.0/28, tcp/8080 from any], out: [any to any]}}"} {
		assert.Contains(t, r.out, words)
	}
	r = run(t, folder, "", "reach", "internet", "shop", "-on", "tcp/8080", "-at", c.url)
	assert.Equal(t, 0, r.status, "what is there lets it through")
	assert.Equal(t, 1, run(t, folder, "", "reach", "internet", "shop", "-on", "tcp/8080").status, "and the plan does not")
	assert.Contains(t, run(t, folder, "", "grid", "-at", c.url, "-from", "internet").out, "tcp/8080")
	assert.Equal(t, 1, run(t, folder, "", "check", "-at", c.url, "-only", "expect").status)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url).status)
	status, _ = ask(t, night, "PATCH", c.url+"/v1/groups/"+id, `{"props":{"in":[{"flows":"tcp/443"}]}}`)
	require.Equal(t, 200, status)
	assert.Equal(t, 1, run(t, folder, "", "drift", "-at", c.url, "-write").status)
	assert.Contains(t, read(t, folder), "groups: {a: {in: [tcp/443 from any], out: [any to any]}}")
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url).status)
	assert.Contains(t, run(t, folder, "", "build", "-at", c.url).out, "nothing was to be done")
}

// The demo is built, adopted and taken down.
func TestDemoAtTheCloud(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	c := cloudIn(t, folder)
	r := run(t, folder, "", "build", "-at", c.url, "-dry")
	assert.Equal(t, 0, r.status)
	assert.Contains(t, r.out, "nothing is cut and nothing opened")
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	r = run(t, folder, "", "adopt", "-at", c.url, "-o", "adopted.yaml")
	require.Equal(t, 0, r.status, r.err)
	assert.Contains(t, run(t, folder, "", "build", "-at", c.url, "-plan", "adopted.yaml", "-dry").out, "nothing is to be done")
	assert.Contains(t, run(t, folder, "", "compare", "wendrik.yaml", "adopted.yaml").out, "nothing opens, nothing closes")
	assert.Equal(t, 2, run(t, folder, "", "adopt", "-at", c.url, "-o", "adopted.yaml").status, "a file that is there stays")
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url, "-plan", "planned.yaml").status)
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url, "-plan", "planned.yaml").status)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url, "-undo", "-yes").status)
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url).status)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url, "-down", "-yes").status)
	assert.Zero(t, things(t, c, folder))
}

// A driver that is written in another language, from the page about drivers alone, keeps to the protocol, and builds.
func TestDriverInAnotherLanguage(t *testing.T) {
	t.Parallel()
	needs(t, "python3")
	script, err := filepath.Abs("../../examples/driver/driver.py")
	require.NoError(t, err)
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder)
	setenv(folder, "CLOUD_URL", c.url)
	setenv(folder, "CLOUD_KEY_FILE", filepath.Join(folder, "cloud.keys"))
	r := run(t, folder, "", "driver", "-try", "--", "python3", script)
	assert.Equal(t, 0, r.status, r.out)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", "python3 "+script).status)
	r = run(t, folder, "", "drift", "-at", c.url)
	assert.Equal(t, 0, r.status, "another driver sees the same: %s", r.out)
	r = run(t, folder, "", "driver", "-try", "--", "python3", "-c", "print('hello')")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "wrong")
	r = run(t, folder, "", "build", "-at", "python3 -c exit(3)")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "ended before it answered hello")
	said := `python3 -c "import sys; print(sys.argv, file=sys.stderr); exit(3)" a;b 'c d' e|f "" $HOME (g)`
	assert.Contains(t, run(t, folder, "", "build", "-at", said).err, `['-c', 'a;b', 'c d', 'e|f', '', '$HOME', '(g)']`)
}

// Networks that are alike take a pattern when they are adopted, and what is there can be asked without any plan.
func TestAdoptedForm(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, `wendrik: 1
estate: skerry-line
profile: zonal
regions: {west: [west-a, west-b]}
space: {west: {block: 10.144.0.0/14, region: west}}
patterns: {service: {tiers: {web: {access: public, hosts: 60}, app: {access: outbound, hosts: 200}}, groups: {db: {in: ["tcp/5432 from {network}"], out: []}}}}
networks:
  booking: {pattern: service, region: west, from: west, size: /20}
  harbour: {pattern: service, region: west, from: west, size: /20, groups: {db: {in: [tcp/5432 from any]}}}
  finance: {pattern: service, region: west, from: west, size: /20}
workloads: {fares: {in: booking/app, count: 3, listens: [tcp/8080]}, shop: {in: booking/web, public: assigned, groups: [db], listens: [tcp/443]}}
`)
	require.Equal(t, 0, run(t, folder, "", "carve", "-write").status)
	require.Equal(t, 0, run(t, folder, "", "wire", "-write").status)
	c := cloudIn(t, folder)
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	r := run(t, folder, "", "adopt", "-at", c.url)
	require.Equal(t, 0, r.status, r.err)
	for _, words := range []string{"  service:\n    tiers:\n      app: {access: outbound}\n      web: {access: public}\n", "in: [\"tcp/5432 from {network}\"]", "  harbour:\n    pattern: service\n", "fares: {in: booking/app, count: 3, addresses: [", "public: assigned"} {
		assert.Contains(t, r.out, words)
	}
	assert.Contains(t, r.err, "left out: network default")
	empty := t.TempDir()
	at := []string{"-at", c.url, "-keys", filepath.Join(folder, "cloud.keys")}
	assert.Equal(t, 0, run(t, empty, "", append([]string{"reach", "fares-1", "shop", "-on", "tcp/5432"}, at...)...).status)
	r = run(t, empty, "", append([]string{"adopt"}, append(at, "-estate", "gull-rail")...)...)
	assert.Contains(t, r.err, "of other estates")
	assert.NotContains(t, r.out, "booking")
}

// A build waits for the other owner of a peering, goes on when that has accepted, and says so when it has not.
func TestBuildWaitsForTheOtherOwner(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, strings.Replace(quayside, "finance: {range", "finance: {owner: gull-rail, range", 1))
	c := cloudIn(t, folder, "-owners", "skerry-line,gull-rail")
	both, err := os.ReadFile(filepath.Join(folder, "cloud.keys"))
	require.NoError(t, err)
	lines := strings.SplitAfter(string(both), "\n")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "ours.keys"), []byte(lines[0]), 0o600))
	r := run(t, folder, "", "build", "-at", c.url, "-keys", "ours.keys", "-wait", "1s")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.err, "left to other owners, whose keys are not here: network finance")
	status, _ := ask(t, strings.TrimSpace(strings.TrimPrefix(lines[1], "gull-rail: ")), "POST", c.url+"/v1/networks", `{"name":"finance","props":{"ranges":["10.144.16.0/20"]}}`)
	require.Equal(t, 201, status)
	r = run(t, folder, "", "build", "-at", c.url, "-keys", "ours.keys", "-wait", "1s")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "waits to be accepted: books by gull-rail")
	theirs := key(t, folder, "gull-rail")
	_, page := ask(t, theirs, "GET", c.url+"/v1/peerings", "")
	p := page["things"].([]any)[0].(map[string]any)
	_, page = ask(t, theirs, "GET", c.url+"/v1/networks?name=finance", "")
	go func() {
		time.Sleep(700 * time.Millisecond)
		ask(t, theirs, "POST", c.url+"/v1/peerings/"+p["id"].(string)+"/accept", `{"side":"`+page["things"].([]any)[0].(map[string]any)["id"].(string)+`"}`)
	}()
	r = run(t, folder, "", "build", "-at", c.url, "-keys", "ours.keys", "-wait", "20s")
	assert.Contains(t, r.out, "done")
	r = run(t, folder, "", "build", "-at", c.url)
	assert.Equal(t, 2, r.status, "what somebody else made is not changed by the way")
	assert.Contains(t, r.err, "bears nobody's label, and is otherwise than the plan has it")
	r = run(t, folder, "", "build", "-at", c.url, "-take-over")
	assert.Equal(t, 0, r.status, "with both keys it makes what is left: %s%s", r.out, r.err)
}

// A plan of counts and patterns is built, one of a count is removed by hand, and all that is told speaks of that one.
func TestDriftOfACount(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, `wendrik: 1
estate: skerry-line
patterns:
  service: {tiers: {web: {access: closed}}, groups: {web: {in: [tcp/443 from any], out: [any to any]}}}
networks:
  booking: {pattern: service, range: 10.144.0.0/20, subnets: {web: {tier: web, range: 10.144.0.0/24}}}
workloads:
  shop: {in: booking/web, count: 3, addresses: [10.144.0.10, 10.144.0.11, 10.144.0.12], groups: [web]}
  till: {in: booking/web, address: 10.144.0.20, groups: [web]}
expect:
  - till reaches shop on tcp/443
`)
	c := cloudIn(t, folder, "-owners", "skerry-line,skerry-line/night-shift")
	require.Equal(t, 0, run(t, folder, "", "build", "-at", c.url).status)
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url).status, "a subnet, a tier and a group of one name are three things")
	night := key(t, folder, "skerry-line/night-shift")
	_, page := ask(t, night, "GET", c.url+"/v1/workloads?name=shop-2", "")
	status, _ := ask(t, night, "DELETE", c.url+"/v1/workloads/"+page["things"].([]any)[0].(map[string]any)["id"].(string), "")
	require.Equal(t, 204, status)
	r := run(t, folder, "", "drift", "-at", c.url)
	assert.Equal(t, 1, r.status)
	for _, words := range []string{"1 thing otherwise", "gone     workload shop-2  by skerry-line/night-shift", "by gone workload shop-2  (skerry-line/night-shift)", `"till reaches shop on tcp/443" speaks of what is gone`,
		"make workload shop-2", "+  - till reaches shop-1 on tcp/443\n+  - till reaches shop-3 on tcp/443"} {
		assert.Contains(t, r.out, words)
	}
	r = run(t, folder, "", "check", "-at", c.url)
	assert.Contains(t, r.out, "2 of 2 expectations hold")
	assert.NotContains(t, r.err, "do not reach")
	require.Equal(t, 1, run(t, folder, "", "drift", "-at", c.url, "-write").status)
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url).status)
	assert.Equal(t, 0, run(t, folder, "", "check").status)
}

// What leads over another owner's hub is made by the same run once the attachment has been accepted.
func TestBuildGoesOnWhenAnAttachmentIsAccepted(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, `wendrik: 1
estate: skerry-line
networks:
  booking: {range: 10.144.0.0/20, owner: skerry-line, subnets: {web: {range: 10.144.0.0/24}}, tables: {main: {main: true, routes: [{to: trains, via: spine}]}}}
  trains: {range: 10.145.0.0/20, owner: gull-rail}
hubs:
  spine: {owner: skerry-line, attach: {booking: all, trains: all}, tables: {all: {learns: [booking], routes: [{to: trains, via: trains}]}}}
workloads:
  shop: {in: booking/web, address: 10.144.0.10}
`)
	c := cloudIn(t, folder, "-owners", "skerry-line,gull-rail")
	theirs := key(t, folder, "gull-rail")
	require.NoError(t, os.WriteFile(filepath.Join(folder, "ours.keys"), []byte("skerry-line: "+key(t, folder, "skerry-line")+"\n"), 0o600))
	status, network := ask(t, theirs, "POST", c.url+"/v1/networks", `{"name":"trains","props":{"ranges":["10.145.0.0/20"]}}`)
	require.Equal(t, 201, status)
	r := run(t, folder, "", "build", "-at", c.url, "-keys", "ours.keys", "-wait", "300ms")
	assert.Equal(t, 1, r.status)
	assert.Contains(t, r.out, "waits to be accepted: spine/trains by gull-rail")
	assert.Contains(t, r.err, "asked    attachment spine/trains  for trains")
	assert.Contains(t, r.out, "until then it leaves undone: route spine/all 10.145.0.0/20 via trains")
	r = run(t, folder, "", "drift", "-at", c.url, "-keys", "ours.keys")
	assert.Contains(t, r.out, "asked    attachment spine/trains")
	assert.Contains(t, r.out, "it waits until both sides have accepted it")

	_, page := ask(t, theirs, "GET", c.url+"/v1/attachments", "")
	tie := page["things"].([]any)[0].(map[string]any)["id"].(string)
	go func() {
		time.Sleep(300 * time.Millisecond)
		ask(t, theirs, "POST", c.url+"/v1/attachments/"+tie+"/accept", `{"side":"`+network["id"].(string)+`"}`)
	}()
	r = run(t, folder, "", "build", "-at", c.url, "-keys", "ours.keys", "-wait", "20s")
	assert.Equal(t, 0, r.status, r.out+r.err)
	assert.Contains(t, r.out, "the plan is true")
	assert.Equal(t, 0, run(t, folder, "", "drift", "-at", c.url, "-keys", "ours.keys").status)
}
