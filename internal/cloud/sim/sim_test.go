package sim_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/cloud"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/core/stock"
)

// server is a cloud that is asked over HTTP, each answer held against its description.
type server struct {
	t        *testing.T
	url      string
	compiler *jsonschema.Compiler
}

func newServer(t *testing.T, o sim.Options) *server {
	t.Helper()
	o.Owners = []string{"skerry-line", "gull-rail"}
	o.Regions = []stock.Region{{Name: "west", Zones: []string{"west-a", "west-b"}}, {Name: "north", Zones: []string{"north-a"}}}
	o.Profile = map[string]string{"like": "zonal"}
	c, err := sim.Open(filepath.Join(t.TempDir(), "cloud.db"), o)
	require.NoError(t, err)
	h := httptest.NewUnstartedServer(nil)
	h.Config.Handler = sim.NewServer(c, map[string]sim.Caller{"a": {Owner: "skerry-line", Name: "skerry-line"}, "b": {Owner: "gull-rail", Name: "gull-rail"}}, sim.Hosts(h.Listener.Addr()), 0)
	h.Start()
	t.Cleanup(func() { h.Close(); c.Close() })
	raw, err := json.Marshal(sim.Description())
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(t, err)
	k := jsonschema.NewCompiler()
	require.NoError(t, k.AddResource("openapi.json", doc))
	return &server{t, h.URL, k}
}

// holds says that a value is as a schema of the description has it.
func (s *server) holds(pointer string, raw []byte) {
	s.t.Helper()
	schema, err := s.compiler.Compile("openapi.json#" + pointer)
	require.NoError(s.t, err, pointer)
	v, err := jsonschema.UnmarshalJSON(bytes.NewReader(raw))
	require.NoError(s.t, err, "%s", raw)
	assert.NoError(s.t, schema.Validate(v), "%s: %s", pointer, raw)
}

// ask asks, and holds the answer against what the description says of it.
func (s *server) ask(key, method, path string, body any) (int, map[string]any) {
	s.t.Helper()
	var raw []byte
	if body != nil {
		raw, _ = json.Marshal(body)
	}
	r, err := http.NewRequest(method, s.url+path, bytes.NewReader(raw))
	require.NoError(s.t, err)
	r.Header.Set("Authorization", "Bearer "+key)
	if body != nil {
		r.Header.Set("Content-Type", "application/json")
	}
	a, err := http.DefaultClient.Do(r)
	require.NoError(s.t, err)
	defer a.Body.Close()
	got, err := io.ReadAll(a.Body)
	require.NoError(s.t, err)
	at, op := operationOf(path), strings.ToLower(method)
	place := "/paths/" + strings.ReplaceAll(at, "/", "~1") + "/" + op
	if a.StatusCode >= 300 {
		s.holds("/components/schemas/Problem", got)
	} else {
		if body != nil {
			s.holds(place+"/requestBody/content/application~1json/schema", raw)
		}
		if len(got) > 0 {
			s.holds(fmt.Sprintf("%s/responses/%d/content/application~1json/schema", place, a.StatusCode), got)
		}
	}
	var out map[string]any
	if len(got) > 0 {
		require.NoError(s.t, json.Unmarshal(got, &out))
	}
	return a.StatusCode, out
}

// operationOf is the path of the description that a path is of.
func operationOf(path string) string {
	path, _, _ = strings.Cut(path, "?")
	parts := strings.Split(path, "/")
	if len(parts) > 3 {
		parts[3] = "{id}"
	}
	return strings.Join(parts, "/")
}

type props = map[string]any

// made makes a thing, and gives its id.
func (s *server) made(kind string, p props) string {
	s.t.Helper()
	status, t := s.ask("a", "POST", "/v1/"+kind+"s", map[string]any{"name": "x", "props": p})
	require.Equal(s.t, 201, status, "%s %v: %v", kind, p, t)
	return t["id"].(string)
}

// Things of every kind are made, read, changed and removed, and each question and answer is as the description has it.
func TestEveryKindIsAsDescribed(t *testing.T) {
	s := newServer(t, sim.Options{})
	n := s.made("network", props{"ranges": []string{"10.144.0.0/20"}, "regions": []string{"west"}})
	m := s.made("network", props{"ranges": []string{"10.144.16.0/20"}})
	table := s.made("table", props{"network": n, "main": true})
	list := s.made("list", props{"network": n, "in": []props{{"action": "allow", "flows": "any"}}})
	subnet := s.made("subnet", props{"network": n, "ranges": []string{"10.144.0.0/24"}, "zone": "west-a", "table": table, "list": list})
	group := s.made("group", props{"network": n, "in": []props{{"flows": "tcp/443", "range": "10.0.0.0/8"}}})
	front := s.made("gateway", props{"network": n, "type": "internet", "attached": true})
	nat := s.made("gateway", props{"network": n, "type": "nat", "subnet": subnet, "addresses": []string{"10.144.0.9"}, "assigned": true})
	w := s.made("workload", props{"subnet": subnet, "addresses": []string{"10.144.0.10"}, "groups": []string{group}, "listens": "tcp/443"})
	peering := s.made("peering", props{"networks": []string{n, m}, "accepted": []string{n}})
	hub, other := s.made("hub", props{"region": "west"}), s.made("hub", props{})
	all, back := s.made("hub-table", props{"hub": hub}), s.made("hub-table", props{"hub": other})
	a := s.made("attachment", props{"hub": hub, "to": n, "accepted": []string{n}, "table": all, "learned-by": []string{all}})
	status, early := s.ask("a", "POST", "/v1/routes", map[string]any{"name": "x", "props": props{"table": table, "to": "10.212.0.0/16", "via": hub}})
	assert.Equal(t, []any{409, "not-ready"}, []any{status, early["reason"]}, "nothing leads over what only one side has accepted")
	_, joined := s.ask("a", "POST", "/v1/attachments/"+a+"/accept", props{"side": hub})
	assert.Equal(t, "ready", joined["state"])
	link := s.made("hub-link", props{"hubs": []string{hub, other}, "tables": props{hub: all, other: back}})
	site := s.made("site", props{"ranges": []string{"10.212.0.0/16"}, "knows": []string{"10.144.0.0/20"}, "link": m})
	r := s.made("route", props{"table": table, "to": "0.0.0.0/0", "via": front})
	over := s.made("route", props{"table": table, "to": "10.212.0.0/16", "via": hub})
	hole := s.made("route", props{"table": all, "to": "10.99.0.0/16", "via": "blackhole"})

	_, got := s.ask("a", "GET", "/v1/gateways/"+nat, nil)
	assert.Equal(t, "192.0.2.1", got["labels"].(map[string]any)["cloud-given-address"], "a documentation address (RFC 5737)")
	_, got = s.ask("a", "GET", "/v1/peerings/"+peering, nil)
	assert.Equal(t, "asked", got["state"])
	_, got = s.ask("a", "POST", "/v1/peerings/"+peering+"/accept", props{"side": m})
	assert.Equal(t, "ready", got["state"])
	for _, x := range [][2]string{{"POST", "/v1/hub-links/" + link + "/accept"}} {
		s.ask("a", x[0], x[1], props{"side": hub})
	}
	status, got = s.ask("a", "PATCH", "/v1/groups/"+group, map[string]any{"props": props{"in": nil}, "labels": props{"owner": "tickets"}, "note": "a note"})
	require.Equal(t, 200, status)
	assert.NotContains(t, got["props"], "in")

	for path, reason := range map[string]string{
		"/v1/networks/" + n: "needed", "/v1/tables/" + table: "needed", "/v1/subnets/" + subnet: "needed", "/v1/groups/" + group: "needed", "/v1/attachments/" + a: "needed", "/v1/hubs/" + hub: "needed", "/v1/networks/" + site: "not-found",
	} {
		status, got := s.ask("a", "DELETE", path, nil)
		assert.GreaterOrEqual(t, status, 400, path)
		assert.Equal(t, reason, got["reason"], path)
		status, _ = s.ask("b", "DELETE", path, nil)
		assert.Equal(t, 404, status, "another owner does not see it")
	}
	for _, path := range []string{"/v1/things?limit=3", "/v1/things?kind=route", "/v1/networks?name=x", "/v1/things?label=owner=tickets", "/v1/cloud", "/v1/log?after=2", "/v1/neighbours", "/v1/things/" + w} {
		status, _ := s.ask("a", "GET", path, nil)
		assert.Equal(t, 200, status, path)
	}
	for _, path := range []string{"/v1/things?limit=many", "/v1/things?page=none", "/v1/things?label=owner", "/v1/log?after=-1", "/v1/things/none"} {
		status, _ := s.ask("a", "GET", path, nil)
		assert.GreaterOrEqual(t, status, 400, path)
	}
	for _, x := range [][2]string{{"routes", over}, {"routes", hole}, {"routes", r}, {"workloads", w}, {"gateways", nat}, {"gateways", front}, {"peerings", peering}, {"attachments", a}, {"hub-links", link}, {"hub-tables", all}, {"hub-tables", back}, {"hubs", hub}, {"hubs", other}, {"sites", site}, {"subnets", subnet}, {"groups", group}, {"lists", list}, {"tables", table}, {"networks", n}, {"networks", m}} {
		status, got := s.ask("a", "DELETE", "/v1/"+x[0]+"/"+x[1]+"?note=down", nil)
		assert.Equal(t, 204, status, "%v %v", x, got)
	}
	_, left := s.ask("a", "GET", "/v1/things", nil)
	assert.Len(t, left["things"], 2, "the network that is there from birth, and its group")
}

// What practitioners know clouds to refuse is refused, and for that reason.
func TestRefusals(t *testing.T) {
	s := newServer(t, sim.Options{})
	n := s.made("network", props{"ranges": []string{"10.144.0.0/20"}, "regions": []string{"west"}, "profile": props{"like": "zonal", "max-routes": "2", "max-rules": "1", "max-peerings": "1"}})
	same := s.made("network", props{"ranges": []string{"10.144.0.0/20"}})
	m := s.made("network", props{"ranges": []string{"10.144.16.0/20"}})
	main := s.made("table", props{"network": n, "main": true})
	theirs := s.made("table", props{"network": m})
	subnet := s.made("subnet", props{"network": n, "ranges": []string{"10.144.0.0/24"}})
	group := s.made("group", props{"network": m})
	s.made("workload", props{"subnet": subnet, "addresses": []string{"10.144.0.10"}, "public": []string{"203.0.113.9"}})
	s.made("route", props{"table": main, "to": "10.1.0.0/16", "via": "blackhole"})
	hub := s.made("hub", props{})
	_, foreign := s.ask("b", "POST", "/v1/networks", map[string]any{"name": "rail", "props": props{"ranges": []string{"10.150.0.0/20"}}})
	for _, x := range []struct {
		kind   string
		p      props
		reason string
	}{
		{"network", props{"ranges": []string{}}, "invalid"},
		{"network", props{"ranges": []string{"10.0.0.0/16"}, "regions": []string{"south"}}, "invalid"},
		{"network", props{"ranges": []string{"10.0.0.0/16"}, "profile": props{"like": "regional"}}, "invalid"},
		{"network", props{"ranges": []string{"10.0.0.0/16"}, "profile": props{"like": "wild"}}, "invalid"},
		{"network", props{"ranges": []string{"10.0.0.0/16", "10.0.0.0/20"}}, "conflict"},
		{"table", props{"network": n, "main": true}, "conflict"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.0.128/25"}}, "conflict"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.1.0/29"}}, "invalid"},
		{"subnet", props{"network": n, "ranges": []string{"10.145.0.0/24"}}, "invalid"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.1.0/24", "10.144.2.0/24"}}, "invalid"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.1.0/24"}, "zone": "south-a"}, "invalid"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.1.0/24"}, "table": theirs}, "invalid"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.10"}}, "conflict"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.3"}}, "invalid"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.9.3"}}, "invalid"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11"}, "public": []string{"203.0.113.9"}}, "conflict"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11"}, "groups": []string{group}}, "invalid"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11"}, "listens": "sctp/9"}, "invalid"},
		{"gateway", props{"network": n, "type": "internet", "public": []string{"203.0.113.8"}}, "invalid"},
		{"gateway", props{"network": n, "type": "tunnel"}, "invalid"},
		{"gateway", props{"network": n, "type": "nat", "assigned": true}, "invalid"},
		{"gateway", props{"network": n, "type": "nat", "subnet": subnet, "public": []string{"10.9.9.9"}}, "invalid"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11", "10.144.0.12"}}, "invalid"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11"}, "target-ports": "tcp/9"}, "invalid"},
		{"workload", props{"subnet": "", "addresses": []string{"10.144.0.11"}}, "invalid"},
		{"workload", props{"subnet": "blackhole", "addresses": []string{"10.144.0.11"}}, "not-found"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11"}, "groups": []string{""}}, "invalid"},
		{"group", props{"network": "blackhole"}, "not-found"},
		{"site", props{"ranges": []string{"10.9.0.0/16"}, "arrives": main}, "invalid"},
		{"site", props{"ranges": []string{"10.9.0.0/16"}, "link": m, "arrives": main}, "invalid"},
		{"hub", props{"region": "south"}, "invalid"},
		{"peering", props{"networks": []string{n, m}, "arrives": props{m: ""}}, "invalid"},
		{"route", props{"table": main, "to": "10.1.0.0/16", "via": "blackhole"}, "conflict"},
		{"route", props{"table": main, "to": "10.2.0.0/16", "via": hub}, "invalid"},
		{"route", props{"table": main, "to": "10.2.0.0/16", "via": n}, "invalid"},
		{"route", props{"table": main, "to": "10.2.0.0/16", "via": "nowhere"}, "not-found"},
		{"group", props{"network": n, "in": []props{{"flows": "any"}, {"flows": "udp"}}}, "quota"},
		{"group", props{"network": n, "in": []props{{"flows": "any", "action": "allow"}}}, "invalid"},
		{"list", props{"network": n, "in": []props{{"flows": "any"}}}, "invalid"},
		{"peering", props{"networks": []string{n, same}}, "conflict"},
		{"peering", props{"networks": []string{n, n}}, "invalid"},
		{"peering", props{"networks": []string{n, m}, "accepted": []string{n, m}}, "invalid"},
		{"peering", props{"networks": []string{n, foreign["id"].(string)}, "accepted": []string{foreign["id"].(string)}}, "denied"},
		{"subnet", props{"network": foreign["id"], "ranges": []string{"10.150.0.0/24"}}, "not-found"},
	} {
		_, got := s.ask("a", "POST", "/v1/"+x.kind+"s", map[string]any{"name": "x", "props": x.p})
		assert.Equal(t, x.reason, got["reason"], "%s %v: %v", x.kind, x.p, got["detail"])
	}
	s.made("route", props{"table": main, "to": "10.2.0.0/16", "via": "blackhole"})
	_, got := s.ask("a", "POST", "/v1/routes", map[string]any{"name": "x", "props": props{"table": main, "to": "10.3.0.0/16", "via": "blackhole"}})
	assert.Equal(t, "quota", got["reason"], "max-routes")
	p := s.made("peering", props{"networks": []string{n, foreign["id"].(string)}, "accepted": []string{n}})
	_, got = s.ask("a", "POST", "/v1/peerings", map[string]any{"name": "x", "props": props{"networks": []string{n, m}}})
	assert.Equal(t, "quota", got["reason"], "max-peerings")
	_, got = s.ask("a", "POST", "/v1/peerings/"+p+"/accept", props{"side": foreign["id"]})
	assert.Equal(t, "denied", got["reason"], "only its owner accepts for a side")
	_, got = s.ask("b", "POST", "/v1/peerings/"+p+"/accept", props{"side": foreign["id"]})
	assert.Equal(t, "ready", got["state"])
	_, got = s.ask("b", "PATCH", "/v1/peerings/"+p, map[string]any{"props": props{"exports": []string{n}}})
	assert.Equal(t, "denied", got["reason"])
	_, got = s.ask("b", "PATCH", "/v1/peerings/"+p, map[string]any{"props": props{"accepted": []string{n}}})
	assert.Equal(t, "asked", got["state"], "each owner may take back what it accepted")
	_, got = s.ask("a", "PATCH", "/v1/networks/"+n, map[string]any{"props": props{"ranges": []string{"10.160.0.0/20"}}})
	assert.Equal(t, "needed", got["reason"], "a subnet is in the range")
}

// What joins, hands on and speaks of others is refused where these are of another network or hub, and where it makes no sense.
func TestRefusalsOfWhatNamesOthers(t *testing.T) {
	s := newServer(t, sim.Options{})
	n := s.made("network", props{"ranges": []string{"10.144.0.0/20"}, "regions": []string{"west"}})
	m := s.made("network", props{"ranges": []string{"10.144.16.0/20"}})
	subnet := s.made("subnet", props{"network": n, "ranges": []string{"10.144.0.0/24"}})
	table, theirs := s.made("table", props{"network": n}), s.made("table", props{"network": m})
	group := s.made("group", props{"network": n})
	balancer := s.made("workload", props{"subnet": subnet, "addresses": []string{"10.144.0.10"}, "balances": true})
	target := s.made("workload", props{"subnet": subnet, "addresses": []string{"10.144.0.11"}})
	s.made("workload", props{"subnet": subnet, "addresses": []string{"10.144.0.12"}, "targets": []string{target}})
	nat := s.made("gateway", props{"network": n, "type": "nat", "subnet": subnet, "addresses": []string{"10.144.0.9"}, "assigned": true})
	hub, far := s.made("hub", props{}), s.made("hub", props{})
	all, back := s.made("hub-table", props{"hub": hub}), s.made("hub-table", props{"hub": far})
	tie := s.made("attachment", props{"hub": hub, "to": n, "table": all, "accepted": []string{hub}})
	for _, x := range []struct {
		kind   string
		p      props
		reason string
		words  string
	}{
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.20"}, "targets": []string{balancer}}, "invalid", "is a balancer itself"},
		{"workload", props{"subnet": subnet, "addresses": []string{"10.144.0.20"}, "public": []string{"203.0.113.7", "203.0.113.8"}}, "invalid", "one of each family"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.1.0/24"}, "zone": "north-a"}, "invalid", "where network x lives"},
		{"subnet", props{"network": n, "ranges": []string{"10.144.1.0/24"}, "region": "north"}, "invalid", "does not live in region north"},
		{"gateway", props{"network": n, "type": "internet", "arrives": theirs}, "invalid", "of another network"},
		{"gateway", props{"network": m, "type": "nat", "subnet": subnet, "addresses": []string{"10.144.0.21"}}, "invalid", "of another network"},
		{"route", props{"table": theirs, "to": "10.1.0.0/16", "via": nat}, "invalid", "nothing joins them"},
		{"route", props{"table": table, "to": "10.1.0.0/16", "via": hub}, "not-ready", "is asked"},
		{"route", props{"table": all, "to": "10.1.0.0/16", "via": m}, "invalid", "is not attached to hub"},
		{"route", props{"table": all, "to": "10.1.0.0/16", "via": nat}, "invalid", "no route of table"},
		{"route", props{"table": table, "to": "10.1.0.1/16", "via": "blackhole"}, "invalid", "to of a route cannot be"},
		{"route", props{"table": theirs, "to": "10.1.0.0/16", "only": group, "via": "blackhole"}, "invalid", ""},
		{"group", props{"network": n, "in": []props{{"flows": "tcp/70000"}}}, "invalid", "no flow of a rule"},
		{"group", props{"network": n, "in": []props{{"flows": "any", "range": "10.0.0.1/8"}}}, "invalid", "no range of a rule"},
		{"group", props{"network": n, "in": []props{{"flows": "any", "range": "10.0.0.0/8", "group": group}}}, "invalid", "not both"},
		{"group", props{"network": n, "in": []props{{"flows": "any", "group": subnet}}}, "invalid", "is a subnet"},
		{"attachment", props{"hub": hub, "to": n, "table": all}, "conflict", "ties the same"},
		{"attachment", props{"hub": hub, "to": m, "table": back}, "invalid", "of another hub"},
		{"attachment", props{"hub": hub, "to": m, "table": all, "learned-by": []string{back}}, "invalid", "table of another hub"},
		{"attachment", props{"hub": hub, "to": m, "table": all, "arrives": table}, "invalid", "of another network"},
		{"attachment", props{"hub": hub, "to": m, "table": all, "accepted": []string{n}}, "invalid", "no side of it"},
		{"attachment", props{"hub": hub, "to": m, "table": all, "accepted": []string{hub, m}}, "invalid", "a side is accepted by accept"},
		{"hub-link", props{"hubs": []string{hub, far}, "tables": props{hub: all}}, "invalid", "one for each of its hubs"},
		{"hub-link", props{"hubs": []string{hub, far}, "tables": props{hub: all, far: all}}, "invalid", "not of its side"},
		{"peering", props{"networks": []string{n, m}, "exports": []string{hub}}, "invalid", ""},
		{"peering", props{"networks": []string{n, m}, "arrives": props{n: theirs}}, "invalid", "not of its side"},
	} {
		_, got := s.ask("a", "POST", "/v1/"+x.kind+"s", map[string]any{"name": "x", "props": x.p})
		assert.Equal(t, x.reason, got["reason"], "%s %v: %v", x.kind, x.p, got["detail"])
		assert.Contains(t, got["detail"], x.words, "%s %v", x.kind, x.p)
	}
	for _, x := range []struct {
		key, method, path string
		body              any
		reason            string
	}{
		{"b", "POST", "/v1/attachments", map[string]any{"name": "x", "props": props{"hub": far, "to": m, "table": back}}, "denied"},
		{"b", "POST", "/v1/attachments/" + tie + "/accept", props{"side": n}, "not-found"},
		{"a", "POST", "/v1/attachments/" + tie + "/accept", props{"side": m}, "invalid"},
		{"a", "PATCH", "/v1/attachments/" + tie, map[string]any{"props": props{"accepted": nil}}, "invalid"},
		{"a", "PATCH", "/v1/attachments/" + tie, map[string]any{"props": props{"to": m}}, "invalid"},
		{"a", "PATCH", "/v1/workloads/" + target, map[string]any{"props": props{"targets": []string{balancer}}}, "invalid"},
		{"a", "PATCH", "/v1/workloads/" + target, map[string]any{"props": props{"colour": "red"}}, "invalid"},
		{"a", "PATCH", "/v1/workloads/" + target, map[string]any{"labels": props{"cloud-given-address": "192.0.2.9"}}, "invalid"},
		{"a", "PATCH", "/v1/workloads/" + target, map[string]any{"labels": props{"": "x"}}, "invalid"},
		{"a", "PATCH", "/v1/workloads/" + target, map[string]any{"labels": props{"x": 7}}, "invalid"},
		{"a", "POST", "/v1/hubs", map[string]any{"name": "", "props": props{}}, "invalid"},
		{"a", "POST", "/v1/hubs", map[string]any{"name": "x", "labels": props{"cloud-x": "y"}, "props": props{}}, "invalid"},
		{"a", "DELETE", "/v1/subnets/" + subnet, nil, "needed"},
		{"b", "DELETE", "/v1/subnets/" + subnet, nil, "not-found"},
		{"a", "GET", "/v1/hubs/" + subnet, nil, "not-found"},
		{"a", "GET", "/v1/nothing", nil, "not-found"},
	} {
		_, got := s.ask(x.key, x.method, x.path, x.body)
		assert.Equal(t, x.reason, got["reason"], "%s %s %v: %v", x.method, x.path, x.body, got["detail"])
	}
	_, got := s.ask("a", "POST", "/v1/attachments/"+tie+"/accept", props{"side": n})
	assert.Equal(t, "ready", got["state"])
	over := s.made("route", props{"table": table, "to": "10.1.0.0/16", "via": hub})
	_, got = s.ask("a", "DELETE", "/v1/attachments/"+tie, nil)
	assert.Equal(t, "needed", got["reason"], "a route leads over it")
	s.ask("a", "DELETE", "/v1/routes/"+over, nil)
	status, _ := s.ask("a", "DELETE", "/v1/attachments/"+tie, nil)
	assert.Equal(t, 204, status)
}

// What is made is pending for its time, and can be named by others behind that.
func TestThingsTakeTheirTime(t *testing.T) {
	s := newServer(t, sim.Options{Delay: 150 * time.Millisecond})
	status, n := s.ask("a", "POST", "/v1/networks", map[string]any{"name": "x", "props": props{"ranges": []string{"10.144.0.0/20"}}})
	require.Equal(t, 201, status)
	assert.Equal(t, "pending", n["state"])
	_, got := s.ask("a", "POST", "/v1/groups", map[string]any{"name": "x", "props": props{"network": n["id"]}})
	assert.Equal(t, "not-ready", got["reason"])
	time.Sleep(200 * time.Millisecond)
	_, got = s.ask("a", "GET", "/v1/networks/"+n["id"].(string), nil)
	assert.Equal(t, "ready", got["state"])
	s.made("group", props{"network": n["id"]})
}

// Many callers at once get things with ids of their own, which are all there when the cloud is opened again.
func TestManyAtOnce(t *testing.T) {
	file := filepath.Join(t.TempDir(), "cloud.db")
	o := sim.Options{Owners: []string{"skerry-line"}, Profile: map[string]string{"like": "plain"}}
	c, err := sim.Open(file, o)
	require.NoError(t, err)
	me := sim.Caller{Owner: "skerry-line", Name: "skerry-line"}
	var all sync.WaitGroup
	ids := make([]string, 400)
	for i := range ids {
		all.Go(func() {
			x, err := c.Make(context.Background(), me, &cloud.Order{Kind: stock.Hub, Name: fmt.Sprint(i), Token: fmt.Sprint(i / 2)})
			if err == nil {
				ids[i] = x.ID
			} else {
				assert.Equal(t, cloud.Conflict, cloud.ReasonOf(err), "the token was given with another name")
			}
		})
	}
	all.Wait()
	require.NoError(t, c.Close())
	c, err = sim.Open(file, o)
	require.NoError(t, err)
	defer c.Close()
	page, err := c.List(me, sim.Filter{Kind: stock.Hub, Most: 1000})
	require.NoError(t, err)
	assert.Len(t, page.Things, 200, "one for each token")
	for _, x := range page.Things {
		assert.True(t, slices.Contains(ids, x.ID))
	}
}

// How many calls a second the cloud answers from many callers at once, the answer durable: beside what the file does alone.
func BenchmarkMake(b *testing.B) {
	c, err := sim.Open(filepath.Join(b.TempDir(), "cloud.db"), sim.Options{Owners: []string{"skerry-line"}, Profile: map[string]string{"like": "plain"}})
	require.NoError(b, err)
	h := httptest.NewUnstartedServer(nil)
	h.Config.Handler = sim.NewServer(c, map[string]sim.Caller{"a": {Owner: "skerry-line", Name: "skerry-line"}}, sim.Hosts(h.Listener.Addr()), 0)
	h.Start()
	defer c.Close()
	defer h.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	for _, x := range []struct{ name, method, path, body string }{{"make", "POST", "/v1/hubs", `{"name":"x","props":{}}`}, {"read", "GET", "/v1/cloud", ""}} {
		b.Run(x.name, func(b *testing.B) {
			b.SetParallelism(16)
			b.RunParallel(func(pb *testing.PB) {
				for pb.Next() {
					r, _ := http.NewRequest(x.method, h.URL+x.path, strings.NewReader(x.body))
					r.Header.Set("Authorization", "Bearer a")
					r.Header.Set("Content-Type", "application/json")
					a, err := client.Do(r)
					if err != nil || a.StatusCode >= 300 {
						b.Error(err, a)
						return
					}
					io.Copy(io.Discard, a.Body)
					a.Body.Close()
				}
			})
		})
	}
}

// TestOneHasTheState: a state that one program has is refused to another, and is free when that ends.
func TestOneHasTheState(t *testing.T) {
	file := filepath.Join(t.TempDir(), "cloud.db")
	one, err := sim.Open(file, sim.Options{Owners: []string{"skerry-line"}})
	require.NoError(t, err)
	_, err = sim.Open(file, sim.Options{Owners: []string{"gull-rail"}})
	require.ErrorIs(t, err, sim.ErrHeld)
	one.Close()
	again, err := sim.Open(file, sim.Options{Owners: []string{"gull-rail"}})
	require.NoError(t, err)
	assert.Equal(t, []string{"skerry-line", "gull-rail"}, again.Owners())
	again.Close()
}

// TestLocksOutliveTheProcess: a lock that was taken stands when the cloud is started again on its state, until its time is up or it is given up.
func TestLocksOutliveTheProcess(t *testing.T) {
	file, now := filepath.Join(t.TempDir(), "cloud.db"), time.Date(2031, 3, 1, 9, 0, 0, 0, time.UTC)
	open := func() *sim.Cloud {
		c, err := sim.Open(file, sim.Options{Owners: []string{"a", "b"}, Now: func() time.Time { return now }})
		require.NoError(t, err)
		return c
	}
	me := sim.Caller{Owner: "a", Name: "a/night"}
	c := open()
	require.NoError(t, c.Lock(me, &cloud.Hold{Estate: "x", Token: "one", By: "desk", Seconds: 60}))
	require.NoError(t, c.Lock(me, &cloud.Hold{Estate: "y", Token: "one", By: "desk", Seconds: 60}))
	require.NoError(t, c.Unlock(me, &cloud.Hold{Estate: "y", Token: "one"}))
	require.NoError(t, c.Unlock(me, &cloud.Hold{Estate: "x", Token: "other"}))
	require.NoError(t, c.Close())
	c = open()
	assert.ErrorContains(t, c.Lock(me, &cloud.Hold{Estate: "x", Token: "two", Seconds: 60}), `"x" is being built by "a/night desk" since 2031-03-01T09:00:00Z; that ends by itself at 2031-03-01T09:01:00Z`)
	assert.NoError(t, c.Lock(me, &cloud.Hold{Estate: "y", Token: "two", Seconds: 60}), "it was given up")
	assert.NoError(t, c.Lock(sim.Caller{Owner: "b"}, &cloud.Hold{Estate: "x", Token: "two", Seconds: 60}), "another owner's estate is another")
	now = now.Add(30 * time.Second)
	assert.NoError(t, c.Lock(me, &cloud.Hold{Estate: "x", Token: "one", Seconds: 60}), "for longer")
	now = now.Add(40 * time.Second)
	assert.ErrorContains(t, c.Lock(me, &cloud.Hold{Estate: "x", Token: "two", Seconds: 60}), "since 2031-03-01T09:00:00Z")
	require.NoError(t, c.Close())
	c = open()
	now = now.Add(30 * time.Second)
	assert.NoError(t, c.Lock(me, &cloud.Hold{Estate: "x", Token: "two", Seconds: 60}), "its time is up")
	require.NoError(t, c.Close())
}
