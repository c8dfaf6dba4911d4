package build_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/cloud/client"
	"wendrik/internal/cloud/sim"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/stock"
	"wendrik/internal/core/stock/stocktest"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

func load(t *testing.T, content string) *estate.Estate {
	t.Helper()
	e, problems := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, problems, "%s", content)
	return e
}

// place is a simulated cloud, and what speaks to it.
type place struct {
	driver cloud.Driver
	url    string
	head   stock.Head
	close  func()
}

// at starts a cloud with the state in a file, and with faults.
func at(t *testing.T, file string, head stock.Head, faults string, delay time.Duration) *place {
	t.Helper()
	f, err := sim.ParseFaults(faults)
	require.NoError(t, err)
	c, err := sim.Open(file, sim.Options{Owners: []string{"skerry-line", "gull-rail"}, Regions: head.Regions, Profile: head.Profile, Faults: f, Delay: delay})
	require.NoError(t, err)
	server := httptest.NewUnstartedServer(nil)
	server.Config.Handler = sim.NewServer(c, map[string]sim.Caller{"key-of-skerry-line": {Owner: "skerry-line", Name: "skerry-line"}, "key-of-gull-rail": {Owner: "gull-rail", Name: "gull-rail"}}, sim.Hosts(server.Listener.Addr()), 0)
	server.Start()
	p := &place{client.New(server.URL, []client.Key{{Name: "skerry-line", Secret: "key-of-skerry-line"}}), server.URL, head, func() { server.Close(); c.Close() }}
	return p
}

// build makes a plan true, once.
func (p *place) build(t *testing.T, want []stock.Thing, note string) (*build.Job, *build.Outcome) {
	t.Helper()
	ctx := context.Background()
	job, err := build.Prepare(ctx, p.driver, p.head, want, build.Leave{Hand: true}, nil)
	require.NoError(t, err)
	out, err := job.Do(ctx, p.driver, build.Options{Estate: p.head.Estate, Note: note, Side: 8, Patience: 5 * time.Second})
	require.NoError(t, err)
	return job, out
}

// differs is what is there otherwise than wanted.
func (p *place) differs(t *testing.T, want []stock.Thing) []string {
	t.Helper()
	there, err := build.Look(context.Background(), p.driver, p.head, want)
	require.NoError(t, err)
	var all []string
	for _, d := range stock.Between(want, there.Things()) {
		all = append(all, fmt.Sprintf("%s %v", d.Key(), d.Props))
	}
	for _, i := range there.Items {
		if i.At.State != cloud.Ready && i.At.State != cloud.Asked {
			all = append(all, i.Key()+" is "+string(i.At.State))
		}
	}
	return all
}

// small is an estate with a thing of every kind, groups that name each other and a route that leads to a workload.
const small = `wendrik: 1
regions: {west: [west-a, west-b]}
networks:
  booking:
    region: west
    range: 10.144.0.0/20
    subnets: {web: {zone: west-a, range: 10.144.0.0/24}, app: {zone: west-b, range: 10.144.1.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: web, address: 10.144.0.200, public: assigned}}
    tables:
      main: {main: true, routes: [{to: 0.0.0.0/0, via: front}, {to: 10.144.16.0/20, via: books}]}
      app: {subnets: [app], routes: [{to: 0.0.0.0/0, via: out}, {to: 10.212.0.0/16, via: spine}, {to: 10.250.0.0/16, via: wall}]}
    groups:
      a: {in: [tcp/443 from group b, tcp/22 from group a], out: [any to any]}
      b: {in: [tcp/80 from group a], out: [any to any]}
    lists: {edge: {subnets: [web], in: [allow any from any], out: [allow any to any]}}
  finance: {region: west, range: 10.144.16.0/20, subnets: {data: {range: 10.144.16.0/24}}, tables: {main: {main: true, routes: [{to: 10.144.0.0/20, via: books}]}}}
workloads:
  shop: {in: booking/web, address: 10.144.0.10, public: 203.0.113.9, groups: [a], listens: [tcp/443]}
  wall: {in: booking/web, address: 10.144.0.11, groups: [b], forwards: plain}
  balancer: {in: booking/web, address: 10.144.0.12, groups: [a], targets: [shop], target-ports: [tcp/443]}
  ledger: {in: finance/data, address: 10.144.16.10}
peerings: {books: {between: [booking, finance], accepted: [booking, finance]}}
hubs: {spine: {attach: {booking: all, quay: all}, tables: {all: {learns: [booking, quay], routes: [{to: 10.99.0.0/16, via: blackhole}]}}}}
sites: {quay: {ranges: [10.212.0.0/16], knows: [10.144.0.0/20]}}
`

// random is a random plan, in every second of which groups and gateways have names that subnets have, too.
func random(rng *rand.Rand) string {
	content := randomplan.Write(rng)
	if rng.IntN(2) == 0 {
		content = regexp.MustCompile(`\b(?:g|gate)([0-9]?)\b`).ReplaceAllString(content, "s${1}")
	}
	return content
}

// Random plans are built, changed, built again, taken back, and taken down.
func TestRandomPlansAreBuilt(t *testing.T) {
	for _, seed := range []uint64{1, 0, 2, 5, 6}[:fuzz.Rounds(1, 5)] {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 1701))
			e := load(t, random(rng))
			first := stock.Of(e)
			second := stocktest.Changed(rng, first, 12)
			p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
			defer p.close()
			for k, want := range [][]stock.Thing{first, second} {
				job, out := p.build(t, want, build.Note(p.head.Estate, fmt.Sprint(k)))
				for _, u := range out.Undone {
					t.Errorf("%s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
				}
				require.Empty(t, out.Undone)
				require.Empty(t, p.differs(t, want))
				assert.Empty(t, job.Order.Unproved)
				again, err := build.Prepare(context.Background(), p.driver, p.head, want, build.Leave{Hand: true}, nil)
				require.NoError(t, err)
				assert.True(t, again.Empty(), "what is built is not built again")
			}
			there, err := build.Look(context.Background(), p.driver, p.head, nil)
			require.NoError(t, err)
			before, run, err := build.Before(context.Background(), p.driver, there, p.head.Estate)
			require.NoError(t, err)
			require.Equal(t, "1", run)
			_, out := p.build(t, before, build.Undo(p.head.Estate, run))
			require.Empty(t, out.Undone)
			assert.Empty(t, p.differs(t, first), "the second run is taken back")
			_, out = p.build(t, nil, build.Note(p.head.Estate, "down"))
			for _, u := range out.Undone {
				t.Errorf("%s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
			}
			assert.Empty(t, p.differs(t, nil))
		})
	}
}

// At every call in turn something goes wrong; the same command goes on behind it, and makes nothing twice.
func TestFaultsAtEveryCall(t *testing.T) {
	e := load(t, small)
	want := stock.Of(e)
	for i, kind := range []string{"refuse", "lose", "fail", "limit"} {
		t.Run(kind, func(t *testing.T) {
			for n := 1 + i*int(fuzz.Rounds(2, 0)); ; n += int(fuzz.Rounds(9, 1)) {
				p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), fmt.Sprintf("%s@%d", kind, n), 0)
				_, out := p.build(t, want, build.Note(p.head.Estate, "first"))
				through := n > out.Total
				if !through && (kind == "refuse" || kind == "fail") {
					assert.NotEmpty(t, out.Undone, "it stops at a fault")
				}
				_, out = p.build(t, want, build.Note(p.head.Estate, "second"))
				require.Empty(t, out.Undone, "call %d", n)
				require.Empty(t, p.differs(t, want), "call %d", n)
				p.close()
				if through {
					require.Greater(t, n, 30, "there were calls")
					return
				}
			}
		})
	}
}

// What a run did before it stopped is taken back, wherever it stopped.
func TestStoppedRunsAreTakenBack(t *testing.T) {
	e := load(t, small)
	first := stock.Of(e)
	for n := 1; ; n++ {
		rng := rand.New(rand.NewPCG(uint64(n), 1703))
		second := stocktest.Changed(rng, first, 12)
		file := filepath.Join(t.TempDir(), "cloud.db")
		p := at(t, file, stock.HeadOf(e), "", 0)
		p.build(t, first, build.Note(p.head.Estate, "first"))
		p.close()
		p = at(t, file, stock.HeadOf(e), fmt.Sprintf("refuse@%d", 1+n%7), 0)
		_, out := p.build(t, second, build.Note(p.head.Estate, "second"))
		there, err := build.Look(context.Background(), p.driver, p.head, nil)
		require.NoError(t, err)
		before, run, err := build.Before(context.Background(), p.driver, there, p.head.Estate)
		require.NoError(t, err)
		if out.Done > 0 {
			require.Equal(t, "second", run)
			if _, out = p.build(t, before, build.Undo(p.head.Estate, run)); len(out.Undone) > 0 { // the fault came here: it goes on
				there, err = build.Look(context.Background(), p.driver, p.head, nil)
				require.NoError(t, err)
				before, run, err = build.Before(context.Background(), p.driver, there, p.head.Estate)
				require.NoError(t, err)
				require.Equal(t, "second", run)
				_, out = p.build(t, before, build.Undo(p.head.Estate, run))
			}
			for _, u := range out.Undone {
				t.Errorf("%s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
			}
			require.Empty(t, p.differs(t, first), "stopped at call %d", n)
		}
		p.close()
		if n == int(fuzz.Rounds(4, 24)) {
			return
		}
	}
}

// A peering waits for the owner of its other side, and the run goes on when that has accepted.
func TestPeeringOfTwoOwners(t *testing.T) {
	e := load(t, strings.TrimSpace(`
wendrik: 1
networks:
  booking: {range: 10.144.0.0/20, subnets: {web: {range: 10.144.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.145.0.0/20, via: rail}]}}}
  trains: {range: 10.145.0.0/20, owner: gull-rail}
peerings:
  rail: {between: [booking, trains], accepted: [booking, trains]}
`)+"\n")
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	defer p.close()
	theirs := client.New(p.url, []client.Key{{Name: "gull-rail", Secret: "key-of-gull-rail"}})
	job, out := p.build(t, stock.Of(e), "first")
	assert.Equal(t, []string{"network trains", "peering rail", "route booking/main 10.145.0.0/20"}, job.Theirs, "nobody can peer with a network that is not there")
	require.Empty(t, out.Undone)
	n, err := theirs.Make(context.Background(), &cloud.Order{Kind: stock.Network, Owner: "gull-rail", Name: "trains", Props: map[string]any{"ranges": []string{"10.145.0.0/20"}, "profile": map[string]string{"like": "plain"}}})
	require.NoError(t, err)
	job, out = p.build(t, stock.Of(e), "second")
	require.Empty(t, out.Undone)
	assert.Empty(t, job.Theirs)
	require.Equal(t, []string{"peering:rail"}, out.Waiting)
	go func() {
		time.Sleep(100 * time.Millisecond)
		all, err := cloud.All(context.Background(), theirs)
		for _, x := range all {
			if x.Kind == stock.Peering && assert.NoError(t, err) {
				_, err = theirs.Accept(context.Background(), x.ID, n.ID, "")
				assert.NoError(t, err)
			}
		}
	}()
	told := 0
	left, err := build.Await(context.Background(), p.driver, p.head, stock.Of(e), out.Waiting, 10*time.Second, func([]string) { told++ })
	require.NoError(t, err)
	assert.Empty(t, left)
	assert.Positive(t, told)
	assert.Empty(t, p.differs(t, stock.Of(e)))
}

// An attachment waits for the owner of what is attached, and what leads over it is made once that has accepted.
func TestHubOfAnotherOwner(t *testing.T) {
	e := load(t, strings.TrimSpace(`
wendrik: 1
networks:
  booking: {range: 10.144.0.0/20, owner: skerry-line, subnets: {web: {range: 10.144.0.0/24}}, tables: {main: {main: true, routes: [{to: trains, via: spine}]}}}
  trains: {range: 10.145.0.0/20, owner: gull-rail, subnets: {yard: {range: 10.145.0.0/24}}, tables: {main: {main: true, routes: [{to: booking, via: spine}]}}}
hubs:
  spine: {owner: skerry-line, attach: {booking: all, trains: all}, tables: {all: {learns: [booking, trains]}}}
workloads:
  shop: {in: booking/web, address: 10.144.0.10}
  shed: {in: trains/yard, address: 10.145.0.10}
`)+"\n")
	want := stock.Of(e)
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	defer p.close()
	theirs := *p
	theirs.driver = client.New(p.url, []client.Key{{Name: "gull-rail", Secret: "key-of-gull-rail"}})

	job, out := theirs.build(t, want, "first")
	require.Empty(t, out.Undone)
	assert.Contains(t, job.Theirs, "hub spine")
	assert.Contains(t, job.Theirs, "route trains/main 10.144.0.0/20", "there is no hub that it could lead to")
	_, out = p.build(t, want, "second")
	require.Empty(t, out.Undone)
	assert.Equal(t, []string{"attachment:spine/trains"}, out.Waiting)
	drift, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
	require.NoError(t, err)
	require.Len(t, drift.Things, 1)
	assert.Equal(t, "attachment:spine/trains", drift.Things[0].Key())
	assert.Equal(t, cloud.Asked, drift.Things[0].State)
	require.False(t, drift.Anew)
	assert.NotContains(t, drift.Estate.Plan.Files.Whole(), "{booking: all, trains: all}")
	_, adopted, err := build.Adopt(context.Background(), p.driver, "", nil)
	require.NoError(t, err)
	assert.NotContains(t, adopted, "trains", "nothing passes by what only one side has accepted")

	_, out = theirs.build(t, want, build.Note(p.head.Estate, "third"))
	require.Empty(t, out.Undone)
	require.Empty(t, out.Waiting)
	for _, side := range []*place{p, &theirs} {
		drift, err := build.Drifts(context.Background(), side.driver, e, p.head, "")
		require.NoError(t, err)
		assert.Empty(t, drift.Things)
		job, err := build.Prepare(context.Background(), side.driver, p.head, want, build.Leave{Hand: true}, nil)
		require.NoError(t, err)
		assert.True(t, job.Empty())
	}

	// An acceptance is taken back by removing what was accepted.
	there, err := build.Look(context.Background(), theirs.driver, p.head, want)
	require.NoError(t, err)
	before, run, err := build.Before(context.Background(), theirs.driver, there, p.head.Estate)
	require.NoError(t, err)
	require.Equal(t, "third", run)
	_, out = theirs.build(t, before, build.Undo(p.head.Estate, run))
	require.Empty(t, out.Undone)
	there, err = build.Look(context.Background(), p.driver, p.head, want)
	require.NoError(t, err)
	assert.Nil(t, there.Item("attachment:spine/trains"))
	for _, side := range []*place{p, &theirs, p} {
		_, out = side.build(t, want, "again")
		require.Empty(t, out.Undone)
	}
	drift, err = build.Drifts(context.Background(), p.driver, e, p.head, "")
	require.NoError(t, err)
	require.Empty(t, drift.Things)

	// Either side can leave, and nothing of the other's is touched by that.
	_, out = theirs.build(t, nil, "fourth")
	require.Empty(t, out.Undone)
	there, err = build.Look(context.Background(), p.driver, p.head, want)
	require.NoError(t, err)
	for _, d := range stock.Between(want, there.Things()) {
		assert.Regexp(t, "trains|shed", d.Key())
	}
}

// Random plans whose networks, hubs and sites belong to two owners are built by somebody with the keys of both, or by the two in turn, each
// with its own; and taken down.
func TestRandomOwners(t *testing.T) {
	for seed := range fuzz.Rounds(2, 8) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 1707))
			owned := regexp.MustCompile(`(?m)^  (n[0-9]|hub|rail):\n|^  (quay|depot): \{`).ReplaceAllStringFunc(randomplan.Write(rng), func(s string) string {
				owner := "owner: " + []string{"skerry-line", "gull-rail"}[rng.IntN(2)]
				if strings.HasSuffix(s, "{") {
					return s + owner + ", "
				}
				return s + "    " + owner + "\n"
			})
			// What a balancer hands on to is named by nobody else, and groups of two owners that name each other need the keys of both.
			owned = regexp.MustCompile(`(, targets: \[[^]]*\])(, target-ports: \[[^]]*\])?`).ReplaceAllString(owned, "")
			owned = regexp.MustCompile(`group n[0-9]/g[0-9]`).ReplaceAllString(owned, "any")
			e := load(t, owned)
			want := stock.Of(e)
			both := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
			defer both.close()
			ours, theirs := *both, *both
			theirs.driver = client.New(both.url, []client.Key{{Name: "gull-rail", Secret: "key-of-gull-rail"}})
			both.driver = client.New(both.url, []client.Key{{Name: "skerry-line", Secret: "key-of-skerry-line"}, {Name: "gull-rail", Secret: "key-of-gull-rail"}})
			turns := []*place{both}
			if seed%2 == 1 {
				turns = []*place{&ours, &theirs, &ours, &theirs, &ours, &theirs}
			}
			for k, p := range turns {
				_, out := p.build(t, want, build.Note(p.head.Estate, fmt.Sprint(k)))
				for _, u := range out.Undone {
					t.Errorf("turn %d: %s %s: %s", k, u.Act.Verb, u.Act.Thing.Key(), u.Err)
				}
			}
			assert.Empty(t, both.differs(t, want))
			for _, p := range turns[:min(2, len(turns))] {
				job, err := build.Prepare(context.Background(), p.driver, p.head, want, build.Leave{Hand: true}, nil)
				require.NoError(t, err)
				assert.Empty(t, job.Theirs)
				assert.True(t, job.Empty())
				drift, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
				require.NoError(t, err)
				for _, d := range drift.Things {
					t.Errorf("drift: %s %v", d.Key(), d.Props)
				}
			}
			_, out := both.build(t, nil, build.Note(both.head.Estate, "down"))
			for _, u := range out.Undone {
				t.Errorf("%s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
			}
			assert.Empty(t, both.differs(t, nil))
		})
	}
}

// behind changes things at a cloud as a person would, past the plan, and gives the keys of those that were changed.
func (p *place) behind(t *testing.T, rng *rand.Rand) map[string]bool {
	t.Helper()
	ctx := context.Background()
	there, err := build.Look(ctx, p.driver, p.head, nil)
	require.NoError(t, err)
	done := map[string]bool{}
	for range 6 {
		i := &there.Items[rng.IntN(len(there.Items))]
		if done[i.Key()] || done["group:"+i.Name+"/by-hand"] || i.At.Default {
			continue
		}
		switch rng.IntN(3) {
		case 0:
			if p.driver.Remove(ctx, i.At.ID, "") == nil {
				done[i.Key()] = true
			}
		case 1:
			change := map[stock.Kind]map[string]any{
				stock.Group: {"in": []stock.Rule{{Flows: "tcp/22", Range: "198.51.100.0/28"}}}, stock.List: {"in": []stock.Rule{}}, stock.Route: {"via": stock.Blackhole}, stock.Workload: {"listens": "udp/9"},
				stock.Subnet: {"table": nil, "list": nil}, stock.Peering: {"accepted": []string{}}}[i.Kind]
			before, _ := p.driver.Thing(ctx, i.At.ID)
			after, err := p.driver.Change(ctx, &cloud.Alteration{ID: i.At.ID, Props: change})
			if err == nil && fmt.Sprint(before.Props) != fmt.Sprint(after.Props) {
				done[i.Key()] = true
			}
		case 2:
			if i.Kind == stock.Table {
				x, err := p.driver.Make(ctx, &cloud.Order{Kind: stock.Route, Name: "by hand", Props: map[string]any{"table": i.At.ID, "to": "192.0.2.0/24", "via": stock.Blackhole}})
				if err == nil && x.State == cloud.Ready {
					done["route:"+i.Name+" 192.0.2.0/24"] = true
				}
			}
			if i.Kind == stock.Network {
				if _, err := p.driver.Make(ctx, &cloud.Order{Kind: stock.Group, Name: "By Hand", Props: map[string]any{"network": i.At.ID}}); err == nil {
					done["group:"+i.Name+"/by-hand"] = true
				}
			}
		}
	}
	return done
}

// Random changes behind the plan's back are found, each and only those; building takes them back, and the plan that follows them is true.
func TestDriftIsFound(t *testing.T) {
	for seed := range fuzz.Rounds(2, 10) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 1704))
			e := load(t, small)
			if seed%2 == 1 {
				e = load(t, random(rng))
			}
			p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
			defer p.close()
			want := stock.Of(e)
			_, out := p.build(t, want, build.Note(p.head.Estate, "first"))
			require.Empty(t, out.Undone)
			none, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
			require.NoError(t, err)
			require.Empty(t, none.Things)
			done := p.behind(t, rng)
			x, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
			require.NoError(t, err)
			found := map[string]bool{}
			for _, d := range x.Things {
				found[d.Key()] = true
				assert.Equal(t, "skerry-line", d.By, "%s", d.Key())
			}
			assert.Equal(t, done, found)
			if !x.Anew {
				ahead, err := build.Drifts(context.Background(), p.driver, x.Estate, p.head, "")
				require.NoError(t, err)
				for _, d := range ahead.Things {
					t.Errorf("the way forward does not reach %s\n%v\n%s", d.Key(), d.Thing(), x.Estate.Plan.Files.Whole())
				}
			}
			_, out = p.build(t, want, build.Note(p.head.Estate, "second"))
			for _, u := range out.Undone {
				t.Errorf("%s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
			}
			back, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
			require.NoError(t, err)
			for _, d := range back.Things {
				t.Errorf("still differs: %s %v", d.Key(), d.Props)
			}
		})
	}
}

// What is adopted from what was built comes to the same, lets the same through, and building it is nothing to do; also where somebody
// else built it, whose things have no labels.
func TestAdoptedIsTheSame(t *testing.T) {
	for seed := range fuzz.Rounds(3, 18) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 1705))
			content := small
			switch seed % 3 {
			case 1:
				content = random(rng)
			case 2:
				content, _ = randomplan.Both(rng)
			}
			e := load(t, content)
			p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
			defer p.close()
			_, out := p.build(t, stock.Of(e), "first")
			require.Empty(t, out.Undone)
			if seed%2 == 1 {
				there, err := build.Look(context.Background(), p.driver, p.head, nil)
				require.NoError(t, err)
				for _, i := range there.Items {
					_, err := p.driver.Change(context.Background(), &cloud.Alteration{ID: i.At.ID, Labels: map[string]any{build.EstateLabel: nil, build.NameLabel: nil}})
					require.NoError(t, err)
				}
			}
			_, plan, err := build.Adopt(context.Background(), p.driver, "", nil)
			require.NoError(t, err)
			adopted := load(t, plan)
			if seed%2 == 0 { // by the names of labels, it is the same plan
				for _, d := range stock.Between(stock.Of(e), stock.Of(adopted)) {
					t.Errorf("differs: %s %v\n%s", d.Key(), d.Props, plan)
				}
				d := grid.Compare(e, adopted)
				assert.Empty(t, d.Opens)
				assert.Empty(t, d.Closes)
			}
			job, err := build.Prepare(context.Background(), p.driver, stock.HeadOf(adopted), stock.Of(adopted), build.Leave{Hand: true}, nil)
			require.NoError(t, err)
			assert.True(t, job.Empty(), "building it is nothing to do:\n%s", plan)
		})
	}
}

// However often calls go wrong, the same command makes a random plan true in the end, and takes it down again.
func TestFaultsAtRandom(t *testing.T) {
	for _, seed := range []uint64{1} {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			e := load(t, randomplan.Write(rand.New(rand.NewPCG(seed, 1706))))
			want := stock.Of(e)
			p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "refuse@3%,lose@5%,fail@3%,limit@5%", 5*time.Millisecond)
			defer p.close()
			for _, goal := range [][]stock.Thing{want, nil} {
				runs := 0
				for ; runs < 80; runs++ {
					if _, out := p.build(t, goal, build.Note(p.head.Estate, fmt.Sprint(runs))); len(out.Undone) == 0 && len(p.differs(t, goal)) == 0 {
						break
					}
				}
				require.Less(t, runs, 80)
				require.Empty(t, p.differs(t, goal))
			}
		})
	}
}

// A range, an address and the main table change hands, in networks where nobody lives and where somebody does: who has them gives them up
// before another takes them.
func TestPlacesChangeHands(t *testing.T) {
	before := load(t, `wendrik: 1
networks:
  empty: {range: 10.144.0.0/20, subnets: {x: {range: 10.144.0.0/24}}, tables: {a: {main: true, routes: [{to: 10.9.0.0/16, via: blackhole}]}, b: {routes: []}}}
  full: {range: 10.145.0.0/20, subnets: {x: {range: 10.145.0.0/24}, z: {range: 10.145.1.0/24}}, gateways: {front: {kind: internet}}, tables: {a: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}}}
workloads: {one: {in: full/x, address: 10.145.0.9, public: 203.0.113.9}, two: {in: full/z, address: 10.145.1.9}}
`)
	after := load(t, `wendrik: 1
networks:
  empty: {range: 10.144.0.0/20, subnets: {y: {range: 10.144.0.0/25}}, tables: {a: {routes: []}, b: {main: true, routes: [{to: 10.9.0.0/16, via: blackhole}]}}}
  full: {range: 10.145.0.0/20, subnets: {y: {range: 10.145.0.0/23}}, gateways: {front: {kind: internet}}, tables: {b: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}}}
workloads: {two: {in: full/y, address: 10.145.0.9, public: 203.0.113.9}}
`)
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(before), "", 0)
	defer p.close()
	for i, want := range [][]stock.Thing{stock.Of(before), stock.Of(after), stock.Of(before), nil} {
		job, out := p.build(t, want, build.Note(p.head.Estate, fmt.Sprint(i)))
		for _, u := range out.Undone {
			t.Errorf("%s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
		}
		require.Empty(t, out.Undone)
		require.Empty(t, p.differs(t, want))
		assert.Empty(t, job.Order.Unproved)
	}
}

// TestRangesChangeHands: networks that are peered, some of them all with one another, take each other's ranges, in a row and in circles, with
// their subnets and workloads, while peerings come and go: a cloud that has no peered networks overlap takes every call, in one run and back.
func TestRangesChangeHands(t *testing.T) {
	parted := 0
	for seed := range fuzz.Rounds(4, 60) {
		rng := rand.New(rand.NewPCG(seed, 411))
		n := 2 + rng.IntN(3)
		joined := func(density int) (pairs [][2]int) {
			for i := range n {
				for j := range i {
					if rng.IntN(4) < density {
						pairs = append(pairs, [2]int{j, i})
					}
				}
			}
			return pairs
		}
		write := func(slots []int, pairs [][2]int) string {
			var b strings.Builder
			b.WriteString("wendrik: 1\nregions: {west: [west-a]}\nnetworks:\n")
			var hosts, peerings strings.Builder
			for i := range n {
				var routes []string
				for _, p := range pairs {
					if other := p[0] + p[1] - i; p[0] == i || p[1] == i {
						routes = append(routes, fmt.Sprintf("{to: 10.%d.0.0/16, via: p%d-%d}", slots[other], p[0], p[1]))
					}
				}
				fmt.Fprintf(&b, "  n%d: {region: west, range: 10.%d.0.0/16, subnets: {s: {zone: west-a, range: 10.%d.0.0/24}}, tables: {main: {main: true, routes: [%s]}}, groups: {g: {in: [tcp/443 from 10.0.0.0/8], out: [any to any]}}}\n", i, slots[i], slots[i], strings.Join(routes, ", "))
				fmt.Fprintf(&hosts, "  w%d: {in: n%d/s, address: 10.%d.0.10, groups: [g]}\n", i, i, slots[i])
			}
			for _, p := range pairs {
				fmt.Fprintf(&peerings, "  p%d-%d: {between: [n%d, n%d], accepted: [n%d, n%d]}\n", p[0], p[1], p[0], p[1], p[0], p[1])
			}
			b.WriteString("workloads:\n" + hosts.String())
			if peerings.Len() > 0 {
				b.WriteString("peerings:\n" + peerings.String())
			}
			return b.String()
		}
		pairs := joined(3)
		slots := rng.Perm(n + 1)[:n]
		before := write(slots, pairs)
		if rng.IntN(2) == 0 {
			pairs = joined(2)
		}
		moved := rng.Perm(n + 1)[:n]
		after := write(moved, pairs)
		e := load(t, before)
		p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
		t.Cleanup(p.close)
		first, second := stock.Of(e), stock.Of(load(t, after))
		for i, want := range [][]stock.Thing{first, second, first} {
			_, out := p.build(t, want, "")
			for _, u := range out.Undone {
				require.NoError(t, u.Err, "seed %d, run %d: %s %s:\n%s---\n%s", seed, i, u.Act.Verb, u.Act.Thing.Key(), before, after)
			}
			require.Empty(t, p.differs(t, want), "seed %d, run %d:\n%s---\n%s", seed, i, before, after)
		}
		for _, a := range stock.Acts(first, second) {
			if a.Verb == stock.Remove && a.Thing.Kind == stock.Peering && slices.ContainsFunc(second, func(t stock.Thing) bool { return t.Key() == a.Thing.Key() }) {
				parted++
			}
		}
	}
	assert.Positive(t, parted, "some peerings are made again, since their networks wait for each other")
}
