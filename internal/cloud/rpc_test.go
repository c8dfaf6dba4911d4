package cloud_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// The test program is a driver that answers every question with the lines that it is given.
func TestMain(m *testing.M) {
	said, is := os.LookupEnv("WENDRIK_DRIVER_SAYS")
	if !is {
		os.Exit(m.Run())
	}
	fmt.Fprintln(os.Stderr, "the last words")
	in := bufio.NewScanner(os.Stdin)
	for in.Scan() {
		var q struct {
			ID json.RawMessage `json:"id"`
		}
		_ = json.Unmarshal(in.Bytes(), &q)
		if said == "" {
			os.Exit(3)
		}
		fmt.Println(strings.ReplaceAll(said, "ID", string(q.ID)))
	}
}

// still is a driver that answers with one thing, or with one refusal.
type still struct {
	cloud.Driver
	refusal error
}

func (s still) Hello(context.Context) (*cloud.Hello, error) {
	return &cloud.Hello{Protocol: cloud.Protocol, Driver: "still", Owners: []cloud.Owner{{Name: "skerry-line", Ours: true}}, Kinds: []stock.Kind{stock.Network}}, s.refusal
}

func (s still) Thing(_ context.Context, id string) (*cloud.Thing, error) {
	return &cloud.Thing{Kind: stock.Network, ID: id, Name: "böoking\n", Labels: map[string]string{"a": "b\u2028c"}, Props: map[string]json.RawMessage{"ranges": json.RawMessage(`["10.144.0.0/20"]`)}, State: cloud.Ready}, s.refusal
}

// What a driver says comes through as it was said, over streams and over HTTP: things, reasons, and how long to wait.
func TestWhatIsSaidComesThrough(t *testing.T) {
	for _, way := range []string{"streams", "HTTP"} {
		for _, refusal := range []error{nil, &cloud.Refusal{Reason: cloud.Limited, Message: "slower", After: 1500 * time.Millisecond}, cloud.Refused(cloud.Conflict, "%s", "10.0.0.0/8 overlaps")} {
			t.Run(fmt.Sprint(way, refusal), func(t *testing.T) {
				ctx := context.Background()
				var d cloud.Driver
				if way == "HTTP" {
					s := httptest.NewServer(cloud.Handler(still{refusal: refusal}))
					defer s.Close()
					d = cloud.Over(s.URL, "a-key")
				} else {
					d = joined(t, still{refusal: refusal})
				}
				x, err := d.Thing(ctx, "net-1")
				if refusal != nil {
					assert.Equal(t, refusal, err)
					return
				}
				require.NoError(t, err)
				want, _ := still{}.Thing(ctx, "net-1")
				assert.Equal(t, want, x)
				h, err := d.Hello(ctx)
				require.NoError(t, err)
				assert.Equal(t, "still", h.Driver)
			})
		}
	}
}

// joined speaks to a driver over two pipes.
func joined(t *testing.T, d cloud.Driver) cloud.Driver {
	t.Helper()
	in, ask := io.Pipe()
	answer, out := io.Pipe()
	go cloud.Serve(d, in, out)
	t.Cleanup(func() { ask.Close(); answer.Close() })
	return cloud.Spoken(answer, ask)
}

// A program that breaks the protocol is told apart from one that refuses: what it said is no answer, or none that can be read.
func TestProgramsThatBreakTheProtocol(t *testing.T) {
	self, err := os.Executable()
	require.NoError(t, err)
	for name, x := range map[string]struct {
		says  string
		words string
	}{
		"it ends":                   {"", "the last words"},
		"it says what is no JSON":   {"hello", ""},
		"another version":           {`{"jsonrpc":"2.0","id":ID,"result":{"protocol":7}}`, "version 7"},
		"a refusal without reason":  {`{"jsonrpc":"2.0","id":ID,"error":{"code":-32000,"message":"no"}}`, "no"},
		"no such method":            {`{"jsonrpc":"2.0","id":ID,"error":{"code":-32601,"message":"none"}}`, "does not answer hello"},
		"an error of its own":       {`{"jsonrpc":"2.0","id":ID,"error":{"code":-7,"message":"the moon"}}`, "with an error that the protocol does not have (-7): the moon"},
		"a list for an object":      {`{"jsonrpc":"2.0","id":ID,"result":[1]}`, "the driver's answer to hello cannot be read"},
		"parameters it cannot take": {`{"jsonrpc":"2.0","id":ID,"error":{"code":-32602,"message":"what?"}}`, "does not take the parameters"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Setenv("WENDRIK_DRIVER_SAYS", x.says)
			ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
			defer cancel()
			d, err := cloud.Run([]string{self})
			require.NoError(t, err)
			_, err = d.Hello(ctx)
			require.Error(t, err)
			assert.Contains(t, err.Error(), x.words)
			require.NoError(t, ctx.Err(), "it does not wait for ever")
			_ = d.Close()
		})
	}
}

// Pages that have no end, and things that cannot be understood, are errors.
func TestPagesAndProperties(t *testing.T) {
	_, err := cloud.All(context.Background(), endless{})
	assert.Equal(t, cloud.Unspeakable, cloud.ReasonOf(err))
	for raw, words := range map[string]string{`{"colour":"red"}`: "no property", `{"ranges":"10.0.0.0/8"}`: "a list of strings", `{"ranges":[1]}`: "a list of strings", `{"profile":[]}`: "an object of strings"} {
		var props map[string]json.RawMessage
		require.NoError(t, json.Unmarshal([]byte(raw), &props))
		_, err := cloud.Decode(stock.Network, props)
		require.Error(t, err, raw)
		assert.Contains(t, err.Error(), words)
	}
	_, err = cloud.Decode("lighthouse", nil)
	assert.Equal(t, cloud.Invalid, cloud.ReasonOf(err))
	props, err := cloud.Decode(stock.Network, map[string]json.RawMessage{"ranges": json.RawMessage(`[]`), "regions": json.RawMessage(`null`)})
	require.NoError(t, err)
	assert.Empty(t, props, "what is empty is as if it were not there")
}

// endless is a driver whose pages lead on for ever.
type endless struct{ cloud.Driver }

func (endless) Things(_ context.Context, page string) (*cloud.Page, error) {
	return &cloud.Page{Next: "more"}, nil
}
