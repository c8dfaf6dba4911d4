package sim_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/wrong"
	"wendrik/internal/golden"
)

// TestTalk reads back what the cloud answers to the lines of a talk:
//
//	KEY make KIND NAME PROPS [MORE OF THE BODY]
//	KEY change|accept NAME BODY, KEY remove|get NAME, KEY GET PATH, KEY METHOD PATH BODY
//
// A thing is named by @NAME, and the ids and times of answers are written so. A first line "with" says how the cloud is.
func TestTalk(t *testing.T) {
	golden.File(t, "talk.txt", func(t *testing.T, asked string) string {
		o := sim.Options{}
		now := time.Date(2031, 3, 31, 4, 0, 0, 0, time.UTC)
		o.Now = func() time.Time { now = now.Add(time.Second); return now }
		if with, rest, _ := strings.Cut(asked, "\n"); strings.HasPrefix(with, "with ") {
			asked = rest
			for _, word := range strings.Fields(with)[1:] {
				key, value, _ := strings.Cut(word, "=")
				switch key {
				case "faults":
					var err error
					o.Faults, err = sim.ParseFaults(value)
					require.NoError(t, err)
					o.Die = func() { panic(http.ErrAbortHandler) }
				case "delay":
					o.Delay, _ = time.ParseDuration(value)
				default:
					n, _ := strconv.Atoi(value)
					if o.Quotas == nil {
						o.Quotas = map[stock.Kind]int{}
					}
					o.Quotas[stock.Kind(key)] = n
				}
			}
		}
		s := newServer(t, o)
		var b strings.Builder
		ids, kinds, names := map[string]string{}, map[string]string{}, []string{}
		shown := func(text string) string {
			for _, name := range names {
				text = strings.ReplaceAll(text, ids[name], "@"+name)
			}
			text = regexp.MustCompile(`\b[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}\b`).ReplaceAllString(text, "@other")
			for _, pairs := range regexp.MustCompile(`"(?:tables|arrives)":\{([^{}]+)\}`).FindAllStringSubmatch(text, -1) { // sorted by ids, which differ
				all := strings.Split(pairs[1], ",")
				slices.Sort(all)
				text = strings.Replace(text, pairs[1], strings.Join(all, ","), 1)
			}
			return text
		}
		for line := range strings.Lines(asked + "\n") {
			if line = strings.TrimSpace(line); line == "" {
				continue
			}
			b.WriteString("> " + line + "\n")
			for _, name := range names {
				line = regexp.MustCompile("@"+regexp.QuoteMeta(name)+`\b`).ReplaceAllString(line, ids[name])
			}
			words := strings.SplitN(line, " ", 4)
			key, verb, method, path, body := words[0], words[1], "POST", "", ""
			switch verb {
			case "make":
				more := strings.SplitN(words[3], " ", 2)
				path, body = "/v1/"+words[2]+"s", fmt.Sprintf(`{"name":%q,"props":%s}`, more[0], more[1])
				if props, rest, is := strings.Cut(more[1], " + "); is {
					body = fmt.Sprintf(`{"name":%q,"props":%s,%s}`, more[0], props, rest)
				}
			case "change", "accept", "remove", "get":
				path = "/v1/" + kinds[words[2]] + "s/" + words[2]
				method = map[string]string{"change": "PATCH", "accept": "POST", "remove": "DELETE", "get": "GET"}[verb]
				if verb == "accept" {
					path += "/accept"
				}
				if len(words) > 3 {
					body = words[3]
				}
			default:
				method, path = verb, words[2]
				if len(words) > 3 {
					body = words[3]
				}
			}
			r, err := http.NewRequest(method, s.url+path, bytes.NewBufferString(body))
			require.NoError(t, err)
			if key != "nobody" {
				r.Header.Set("Authorization", "Bearer "+key)
			}
			if body != "" {
				r.Header.Set("Content-Type", "application/json; charset=utf-8")
			}
			if verb == "POST" && strings.HasPrefix(body, "plain ") {
				r.Header.Set("Content-Type", "text/plain")
			}
			a, err := http.DefaultClient.Do(r)
			if err != nil {
				b.WriteString("  no answer\n")
				continue
			}
			raw, err := io.ReadAll(a.Body)
			require.NoError(t, err)
			require.NoError(t, a.Body.Close())
			var thing struct{ ID, Kind, Name string }
			_ = json.Unmarshal(raw, &thing)
			if name := thing.Name; verb == "make" && a.StatusCode == 201 && ids[name] == "" {
				ids[name], names = thing.ID, append(names, name)
				kinds[thing.ID] = thing.Kind
			}
			fmt.Fprintf(&b, "  %d%s %s\n", a.StatusCode, headers(a.Header), shown(strings.TrimSpace(string(raw))))
		}
		return b.String()
	})
}

func headers(h http.Header) string {
	said := ""
	for _, name := range []string{"Content-Type", "Retry-After", "WWW-Authenticate", "Cache-Control", "X-Content-Type-Options"} {
		if v := h.Get(name); v != "" && v != "application/json" && v != "no-store" && v != "nosniff" {
			said += " " + v
		} else if v == "" && (name == "Cache-Control" || name == "X-Content-Type-Options") {
			said += " without " + name
		}
	}
	return said
}

// TestDescribed reads back the description of the interface, whole.
func TestDescribed(t *testing.T) {
	golden.File(t, "openapi.txt", func(t *testing.T, _ string) string {
		raw, err := json.MarshalIndent(sim.Description(), "", " ")
		require.NoError(t, err)
		return string(raw)
	})
}

// TestFaultWords: which faults can be asked for, and what is said of others.
func TestFaultWords(t *testing.T) {
	golden.Cases(t, faultWords, func(t *testing.T, asked string) string {
		all, err := sim.ParseFaults(asked)
		if err != nil {
			return "error: " + err.Error() + "; " + wrong.Right(err)
		}
		return fmt.Sprintf("%+v", all)
	})
}

const faultWords = `
== none

--
[]

== some
refuse@12, limit@3+,die@5%,slow@100%,lose@0.5%
--
[{kind:refuse nth:12 onwards:false percent:0} {kind:limit nth:3 onwards:true percent:0} {kind:die nth:0 onwards:false percent:5} {kind:slow nth:0 onwards:false percent:100} {kind:lose nth:0 onwards:false percent:0.5}]

== no kind
melt@1
--
error: "melt@1" is no fault; write one of refuse, lose, fail, forget, limit, slow, die, die-first, and behind @ when it comes: refuse@12

== no number
refuse@0
--
error: "refuse@0" does not say when the fault comes; write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred

== no percentage
refuse@0%
--
error: "refuse@0%" does not say when the fault comes; write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred

== too many of a hundred
refuse@101%
--
error: "refuse@101%" does not say when the fault comes; write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred

== a word
refuse@never
--
error: "refuse@never" does not say when the fault comes; write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred

== nothing behind it
refuse
--
error: "refuse" does not say when the fault comes; write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred

== one of several is wrong
refuse@1,fail@-1
--
error: "fail@-1" does not say when the fault comes; write refuse@12 for the 12th call that changes something, refuse@12+ for all from there on, or refuse@5% for five of a hundred
`

// TestHosts: by which names what listens at an address may be asked for.
func TestHosts(t *testing.T) {
	at := func(text string) []string {
		a, err := net.ResolveTCPAddr("tcp", text)
		require.NoError(t, err)
		return sim.Hosts(a)
	}
	assert.Equal(t, []string{"127.0.0.1:81", "[::1]:81", "localhost:81"}, at("127.0.0.1:81"))
	assert.Equal(t, []string{"127.0.0.1:81", "[::1]:81", "localhost:81"}, at("[::1]:81"))
	assert.Equal(t, []string{"192.0.2.9:81"}, at("192.0.2.9:81"))
	all := at("0.0.0.0:81")
	assert.Subset(t, all, []string{"0.0.0.0:81", "127.0.0.1:81", "[::1]:81", "localhost:81"})
	assert.Equal(t, slices.Compact(slices.Sorted(slices.Values(all))), all)
	assert.Nil(t, sim.Hosts(&net.UnixAddr{Name: "socket", Net: "unix"}))
}

// TestLongLogs: a log of many entries is read part by part, each entry once and in order; what is given can be changed by who has it.
func TestLongLogs(t *testing.T) {
	file := filepath.Join(t.TempDir(), "cloud.db")
	c, err := sim.Open(file, sim.Options{Owners: []string{"skerry-line"}, Profile: map[string]string{"like": "plain"}})
	require.NoError(t, err)
	me := sim.Caller{Owner: "skerry-line", Name: "skerry-line"}
	for i := range 1003 {
		x, err := c.Make(t.Context(), me, &cloud.Order{Kind: stock.Hub, Name: fmt.Sprint(i), Labels: map[string]string{"a": "b"}})
		require.NoError(t, err)
		x.Labels["a"] = "c"
		again, err := c.Get(me, x.ID)
		require.NoError(t, err)
		require.Equal(t, "b", again.Labels["a"])
	}
	for range 2 {
		var sizes []int
		after, more := 0, true
		for more {
			page, err := c.Log(me, after)
			require.NoError(t, err)
			for _, e := range page.Entries {
				require.Greater(t, e.N, after)
				after = e.N
			}
			sizes, more = append(sizes, len(page.Entries)), page.More
		}
		assert.Equal(t, []int{500, 500, 1003 + born - 1000}, sizes)
		require.NoError(t, c.Close())
		c, err = sim.Open(file, sim.Options{})
		require.NoError(t, err)
	}
	assert.Equal(t, []string{"skerry-line"}, c.Owners())
	require.NoError(t, c.Close())
}

// born is how many things the cloud makes for a new owner.
const born = 2

// TestTooManyCalls: who calls more often than is allowed waits, and nobody else does.
func TestTooManyCalls(t *testing.T) {
	c, err := sim.Open(filepath.Join(t.TempDir(), "cloud.db"), sim.Options{Owners: []string{"skerry-line", "gull-rail"}})
	require.NoError(t, err)
	h := httptest.NewUnstartedServer(nil)
	h.Config.Handler = sim.NewServer(c, map[string]sim.Caller{"a": {Owner: "skerry-line", Name: "skerry-line"}, "b": {Owner: "gull-rail", Name: "gull-rail"}}, sim.Hosts(h.Listener.Addr()), 2)
	h.Start()
	defer c.Close()
	defer h.Close()
	ask := func(key string) (int, string) {
		r, err := http.NewRequest("GET", h.URL+"/v1/cloud", nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+key)
		a, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		require.NoError(t, a.Body.Close())
		return a.StatusCode, a.Header.Get("Retry-After")
	}
	n, last := 0, ""
	for status := 200; status == 200 && n < 100; n++ {
		status, last = ask("a")
	}
	assert.True(t, n > 2 && n < 40 && last != "", "%d calls, then after %q", n, last)
	status, _ := ask("b")
	assert.Equal(t, 200, status)
	assert.Eventually(t, func() bool { s, _ := ask("a"); return s == 200 }, 5*time.Second, 50*time.Millisecond)
}
