package client_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/core/stock"
	"wendrik/internal/golden"
)

// TestTalk asks the simulated cloud by the driver for two owners, and reads back what went over the wire, with whose key, and what came
// of it.
func TestTalk(t *testing.T) {
	golden.File(t, "talk.txt", func(t *testing.T, asked string) string {
		now := time.Date(2031, 3, 31, 4, 0, 0, 0, time.UTC)
		c, err := sim.Open(filepath.Join(t.TempDir(), "cloud.db"), sim.Options{Owners: []string{"skerry-line", "gull-rail", "isle"}, Regions: []stock.Region{{Name: "west", Zones: []string{"west-a"}}}, Profile: map[string]string{"like": "zonal"}, Now: func() time.Time { now = now.Add(time.Second); return now }})
		require.NoError(t, err)
		var wire []string
		h := httptest.NewUnstartedServer(nil)
		served := sim.NewServer(c, map[string]sim.Caller{"key-a": {Owner: "skerry-line", Name: "skerry-line"}, "key-b": {Owner: "gull-rail", Name: "gull-rail/ops"}, "key-b2": {Owner: "gull-rail", Name: "gull-rail/other"}, "key-c": {Owner: "isle", Name: "isle"}}, sim.Hosts(h.Listener.Addr()), 0)
		h.Config.Handler = http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			wire = append(wire, fmt.Sprintf("%s %s %s", strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "), r.Method, r.URL.RequestURI()))
			served.ServeHTTP(w, r)
		})
		h.Start()
		defer c.Close()
		defer h.Close()
		var keys []client.Key
		words, rest, _ := strings.Cut(asked, "\n")
		for _, word := range strings.Fields(words) {
			name, secret, _ := strings.Cut(word, "=")
			keys = append(keys, client.Key{Name: name, Secret: secret})
		}
		all := map[string]cloud.Driver{"d": client.New(h.URL+"/", keys), "e": client.New(h.URL, keys)} // e knows nothing of what d was answered
		ids, names := map[string]string{}, []string{}
		var b strings.Builder
		for line := range strings.Lines(rest) {
			line = strings.TrimSpace(line)
			for _, name := range names {
				line = regexp.MustCompile("@"+name+`\b`).ReplaceAllString(line, ids[name])
			}
			words := strings.SplitN(line, " ", 5)
			d := all[words[0]]
			var said any
			var err error
			switch words[1] {
			case "hello":
				said, err = d.Hello(t.Context())
			case "things":
				said, err = cloud.All(t.Context(), d)
			case "thing":
				said, err = d.Thing(t.Context(), words[2])
			case "make":
				o := &cloud.Order{Note: "a note", Token: "token", Labels: map[string]string{"a": "b"}}
				require.NoError(t, json.Unmarshal([]byte(words[4]), &o.Props))
				o.Name = words[3]
				o.Token += o.Name
				kind, owner, _ := strings.Cut(words[2], ":")
				o.Kind, o.Owner = stock.Kind(kind), owner
				var x *cloud.Thing
				if x, err = d.Make(t.Context(), o); err == nil {
					ids[x.Name], names = x.ID, append(names, x.Name)
				}
				said = x
			case "change":
				a := &cloud.Alteration{ID: words[2], Note: "changed"}
				require.NoError(t, json.Unmarshal([]byte(words[3]), a))
				said, err = d.Change(t.Context(), a)
			case "remove":
				said, err = "", d.Remove(t.Context(), words[2], "gone & over")
			case "accept":
				said, err = d.Accept(t.Context(), words[2], words[3], "yes")
			case "log":
				said, err = cloud.WholeLog(t.Context(), d)
			}
			raw, _ := json.Marshal(said)
			answer := string(raw)
			if err != nil {
				answer = fmt.Sprintf("error: %s: %v", cloud.ReasonOf(err), err)
			}
			text := fmt.Sprintf("> %s\n  %s\n  %s\n", line, strings.Join(wire, "\n  "), strings.ReplaceAll(answer, "},{", "},\n   {"))
			wire = nil
			for _, name := range names {
				text = strings.ReplaceAll(text, ids[name], "@"+name)
			}
			b.WriteString(regexp.MustCompile(`\b[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}\b`).ReplaceAllString(text, "@other"))
		}
		for _, d := range all {
			require.NoError(t, d.Close())
		}
		return b.String()
	})
}

// TestLogsOfTwo puts the logs of several owners together: each entry once, in order, and none before all that come before it.
func TestLogsOfTwo(t *testing.T) {
	logs := map[string][]int{"a": {1, 2, 4, 5, 8, 9, 12}, "b": {2, 3, 7, 10, 11}}
	h := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		after := 0
		fmt.Sscan(r.URL.Query().Get("after"), &after)
		page := cloud.Entries{Entries: []cloud.Entry{}}
		for _, n := range logs[strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer ")] {
			if n > after && len(page.Entries) == 2 {
				page.More = true
			} else if n > after {
				page.Entries = append(page.Entries, cloud.Entry{N: n, What: "make"})
			}
		}
		json.NewEncoder(w).Encode(page)
	}))
	defer h.Close()
	for _, order := range [][]string{{"a", "b"}, {"b", "a"}} {
		d := client.New(h.URL, []client.Key{{Name: order[0], Secret: order[0]}, {Name: order[1], Secret: order[1]}})
		var got []int
		for more := true; more; {
			after := 0
			if len(got) > 0 {
				after = got[len(got)-1]
			}
			page, err := d.Log(t.Context(), after)
			require.NoError(t, err)
			for _, e := range page.Entries {
				got = append(got, e.N)
			}
			more = page.More
		}
		assert.Equal(t, []int{1, 2, 3, 4, 5, 7, 8, 9, 10, 11, 12}, got)
	}
}
