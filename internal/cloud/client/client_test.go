package client_test

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
)

// Keys are made once for a name, kept in the order in which they were asked for, and for nobody else's eyes; no way to print one shows it.
func TestKeys(t *testing.T) {
	file := filepath.Join(t.TempDir(), "cloud.keys")
	first, err := client.KeepKeys(file, []string{"skerry-line", "harbour master", "skerry-line/night-shift"})
	require.NoError(t, err)
	require.Len(t, first, 3)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again, err := client.KeepKeys(file, []string{"gull-rail", "skerry-line"})
	require.NoError(t, err)
	require.Len(t, again, 4)
	assert.Equal(t, first, again[:3], "what is there stays")
	read, err := client.ReadKeys(file)
	require.NoError(t, err)
	assert.Equal(t, again, read)
	for _, form := range []string{"%v", "%s", "%+v", "%#v", "%q"} {
		assert.NotContains(t, fmt.Sprintf(form, first), first[0].Secret, form)
	}
	for i, a := range again {
		for _, b := range again[i+1:] {
			assert.NotEqual(t, a.Secret, b.Secret)
		}
	}
}

// A file that has no keys in it is refused, and nothing of what stands in it is told.
func TestBadKeys(t *testing.T) {
	for _, content := range []string{"", "just words", "- a\n- b\n", "skerry-line: [a-secret-in-brackets]\n", "skerry-line: short\n", "a: {b: a-secret-inside}\n", "skerry-line: \"a-secret-without-end\n"} {
		file := filepath.Join(t.TempDir(), "cloud.keys")
		require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
		_, err := client.ReadKeys(file)
		if assert.Error(t, err, "%q", content) {
			assert.NotContains(t, err.Error(), "secret")
		}
	}
}

// Whatever comes back in the place of an answer, it is told as a refusal or as no answer, and never taken for one.
func TestOddAnswers(t *testing.T) {
	for name, x := range map[string]struct {
		answer http.HandlerFunc
		reason cloud.Reason // empty where it is as if no answer came
	}{
		"not JSON":      {func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, "<html>") }, cloud.Unspeakable},
		"an error page": {func(w http.ResponseWriter, r *http.Request) { http.Error(w, "<html>", http.StatusBadGateway) }, cloud.Fault},
		"a limit": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Retry-After", "3")
			w.WriteHeader(429)
			fmt.Fprint(w, `{"reason":"limited","detail":"slower"}`)
		}, cloud.Limited},
		"an end too soon": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Length", "100")
			fmt.Fprint(w, `{"dri`)
		}, ""},
		"nothing": {func(w http.ResponseWriter, r *http.Request) { panic(http.ErrAbortHandler) }, ""},
	} {
		t.Run(name, func(t *testing.T) {
			s := httptest.NewServer(x.answer)
			defer s.Close()
			d := client.New(s.URL, []client.Key{{Name: "skerry-line", Secret: "a-secret"}})
			_, err := d.Hello(context.Background())
			require.Error(t, err)
			assert.Equal(t, x.reason, cloud.ReasonOf(err), "%s", err)
			assert.NotContains(t, err.Error(), "a-secret")
			if r, is := err.(*cloud.Refusal); is && r.Reason == cloud.Limited {
				assert.Equal(t, 3*time.Second, r.After)
			}
		})
	}
}
