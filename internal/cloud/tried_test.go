package cloud_test

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
)

// saying is a driver of another make: it answers each method with a text.
func saying(t *testing.T, answers map[string]string) cloud.Driver {
	t.Helper()
	in, ask := io.Pipe()
	answer, out := io.Pipe()
	go func() {
		from := json.NewDecoder(in)
		for {
			var q struct {
				ID     json.RawMessage
				Method string
			}
			if from.Decode(&q) != nil {
				out.Close()
				return
			}
			if said := answers[q.Method]; said != "" {
				fmt.Fprintf(out, `{"jsonrpc":"2.0","id":%s,"result":%s}`+"\n", q.ID, said)
			}
		}
	}()
	t.Cleanup(func() { ask.Close() })
	return cloud.Tried(cloud.Spoken(answer, ask), cloud.Patience{Read: 200 * time.Millisecond, Write: 200 * time.Millisecond})
}

// TestWhatLacksIsAFault: an answer without what it must have is no empty cloud, and no thing; and one that does not come is not waited for.
func TestWhatLacksIsAFault(t *testing.T) {
	const thing = `{"kind":"network","id":"n1","name":"pier","owner":"a","props":{},"state":"ready"}`
	for _, c := range []struct{ method, says, want string }{
		{"things", `{}`, `the driver's answer to things has no things; where there is none it is {"things": []}`},
		{"things", `null`, "has no things"},
		{"things", `{"things":null}`, "has no things"},
		{"things", `{"things":[]}`, ""},
		{"things", `{"things":[` + thing + `]}`, ""},
		{"things", `{"things":[{}]}`, "is no thing: it has no kind and no id"},
		{"things", `{"things":[` + strings.Replace(thing, `"kind":"network",`, "", 1) + `]}`, "has a thing without a kind"},
		{"things", `{"things":[` + strings.Replace(thing, `"n1"`, `""`, 1) + `]}`, "has a thing without an id"},
		{"things", `{"things":[` + strings.Replace(thing, `"pier"`, `""`, 1) + `]}`, "has network n1 without a name"},
		{"things", `{"things":[` + strings.Replace(thing, `"ready"`, `"odd"`, 1) + `]}`, `has network n1 in the state "odd"`},
		{"things", `{"things":[` + strings.Replace(thing, `"props":{},`, "", 1) + `]}`, "has network n1 without properties"},
		{"things", `{"things":[{"kind":"network","id":"n1","name":"pier","owner":"b","foreign":true}]}`, ""},
		{"things", `{"things":[],"next":"a"}`, ""},
		{"things", "", "the driver gave no answer to things within 200ms"},
		{"hello", `{"protocol":1,"driver":"x"}`, "has no owners"},
		{"hello", `{"protocol":1,"driver":"x","owners":[]}`, "has no kinds"},
		{"hello", `{"protocol":1,"driver":"x","owners":[],"kinds":["network"]}`, ""},
		{"thing", `null`, "the driver's answer to thing is no thing"},
		{"thing", thing, ""},
		{"make", `{}`, "the driver's answer to make is no thing"},
		{"change", `{}`, "the driver's answer to change is no thing"},
		{"accept", `null`, "the driver's answer to accept is no thing"},
		{"accept", "", "the driver gave no answer to accept within 200ms"},
		{"remove", `null`, ""},
		{"log", `{}`, "has no entries"},
		{"log", `{"entries":[{"n":3},{"n":3}]}`, "goes back: entry 3 comes behind 3"},
		{"log", `{"entries":[{"n":3},{"n":4}]}`, ""},
	} {
		d := saying(t, map[string]string{c.method: c.says})
		var err error
		switch c.method {
		case "hello":
			_, err = d.Hello(t.Context())
		case "things":
			_, err = d.Things(t.Context(), "")
		case "thing":
			_, err = d.Thing(t.Context(), "n1")
		case "make":
			_, err = d.Make(t.Context(), &cloud.Order{})
		case "change":
			_, err = d.Change(t.Context(), &cloud.Alteration{})
		case "accept":
			_, err = d.Accept(t.Context(), "n1", "", "")
		case "remove":
			err = d.Remove(t.Context(), "n1", "")
		case "log":
			_, err = d.Log(t.Context(), 2)
		}
		if c.want == "" {
			assert.NoError(t, err, "%s: %s", c.method, c.says)
			continue
		}
		if assert.ErrorContains(t, err, c.want, "%s: %s", c.method, c.says) && c.says != "" {
			assert.Equal(t, cloud.Unspeakable, cloud.ReasonOf(err), c.says)
		}
	}
	d := saying(t, map[string]string{"things": `{"things":[],"next":"b"}`})
	_, err := cloud.All(t.Context(), d)
	assert.ErrorContains(t, err, `is followed by itself: page "b"`)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = saying(t, nil).Things(ctx, "")
	assert.ErrorIs(t, err, context.Canceled, "who gives up is not told of a time")
}

// TestBoundsOfAnswers: a message without end ends, and a key goes to nobody but the address that was named.
func TestBoundsOfAnswers(t *testing.T) {
	in, ask := io.Pipe()
	answer, out := io.Pipe()
	go io.Copy(io.Discard, in)
	go func() {
		some := []byte(strings.Repeat("a", 1<<20))
		for {
			if _, err := out.Write(some); err != nil {
				return
			}
		}
	}()
	_, err := cloud.Spoken(answer, ask).Thing(t.Context(), "x")
	assert.Error(t, err)
	answer.Close()

	keys := make(chan string, 4)
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { keys <- r.Header.Get("Authorization") }))
	defer other.Close()
	for _, code := range []int{301, 302, 307, 308} {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { http.Redirect(w, r, other.URL, code) }))
		_, err := cloud.Over(s.URL, "a key").Thing(t.Context(), "x")
		require.Error(t, err)
		s.Close()
	}
	assert.Empty(t, keys, "nobody was asked there")

	endless := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		some := []byte(strings.Repeat("a", 1<<20))
		for range 200 {
			if _, err := w.Write(some); err != nil {
				return
			}
		}
	}))
	defer endless.Close()
	_, err = cloud.Over(endless.URL, "").Thing(t.Context(), "x")
	assert.ErrorContains(t, err, "longer than 64 MiB")
}
