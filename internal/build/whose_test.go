package build_test

import (
	"context"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/stock"
)

// relabel writes labels of a thing by hand; an empty one is taken away.
func (p *place) relabel(t *testing.T, key string, labels map[string]string) {
	t.Helper()
	there, err := build.Look(context.Background(), p.driver, p.head, nil)
	require.NoError(t, err)
	require.NotNil(t, there.Item(key), key)
	change := &cloud.Alteration{ID: there.Item(key).At.ID, Labels: map[string]any{}}
	for k, v := range labels {
		if change.Labels[k] = v; v == "" {
			change.Labels[k] = nil
		}
	}
	_, err = p.driver.Change(context.Background(), change)
	require.NoError(t, err)
}

// is are the labels of a thing at the cloud, and its identifier.
func (p *place) is(t *testing.T, want []stock.Thing, key string) (map[string]string, string) {
	t.Helper()
	there, err := build.Look(context.Background(), p.driver, p.head, want)
	require.NoError(t, err)
	require.NotNil(t, there.Item(key), key)
	return there.Item(key).At.Labels, there.Item(key).At.ID
}

// labelledThere is the estate below as it was built, and what it wants.
func labelledThere(t *testing.T) (*place, *estate.Estate, []stock.Thing) {
	t.Helper()
	e := load(t, labelled)
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	t.Cleanup(p.close)
	_, out := p.build(t, stock.Of(e), build.Note("skerry-line", "first"))
	require.Empty(t, out.Undone)
	return p, e, stock.Of(e)
}

const labelled = `wendrik: 1
estate: skerry-line
labels-ignored: [billing]
networks:
  booking: {range: 10.144.0.0/20, owner: desk, labels: {team: ferries, billing: b1}, tiers: {web: {}, app: {}}, subnets: {web: {tier: web, range: 10.144.0.0/24}, app: {tier: app, range: 10.144.1.0/24}}}
workloads: {shop: {in: booking/web, address: 10.144.0.10, labels: {purpose: fares}}}
`

// TestLabelsOfOthers: a label of which the plan says nothing is somebody else's, as one that it ignores is: neither is drift, and no build
// changes them; one of which the plan speaks is drift, and is taken away.
func TestLabelsOfOthers(t *testing.T) {
	p, e, want := labelledThere(t)
	p.relabel(t, "network:booking", map[string]string{"cost": "12", "billing": "b2"})
	p.relabel(t, "subnet:booking/web", map[string]string{"team": "x"}) // to which no plan can give one
	drift, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
	require.NoError(t, err)
	assert.Empty(t, drift.Things)
	assert.Equal(t, map[string]int{"cost": 1, "billing": 1, "team": 1}, drift.There.Strange)

	p.relabel(t, "network:booking", map[string]string{"purpose": "by hand"})
	drift, err = build.Drifts(context.Background(), p.driver, e, p.head, "")
	require.NoError(t, err)
	require.Len(t, drift.Things, 1)
	assert.Equal(t, "network:booking", drift.Things[0].Key())
	assert.Contains(t, drift.Estate.Plan.Files.Whole(), `purpose: by hand`, "the way forward writes it")
	job, out := p.build(t, want, build.Note("skerry-line", "second"))
	assert.Equal(t, []string{"labels, of which no packet can tell"}, []string{job.Order.Phases[0].What})
	require.Empty(t, out.Undone)
	labels, _ := p.is(t, want, "network:booking")
	assert.Equal(t, map[string]string{build.EstateLabel: "skerry-line", build.NameLabel: "booking", "owner": "desk", "team": "ferries", "cost": "12", "billing": "b2"}, labels)
	labels, _ = p.is(t, want, "subnet:booking/web")
	assert.Equal(t, "x", labels["team"])
}

// TestMislabelled: what bears a wrong name or tier is found again, is told, gets its labels back, and nothing is made anew.
func TestMislabelled(t *testing.T) {
	p, e, want := labelledThere(t)
	_, shop := p.is(t, want, "workload:shop")
	_, app := p.is(t, want, "subnet:booking/app")
	p.relabel(t, "workload:shop", map[string]string{build.NameLabel: "stop"})
	p.relabel(t, "subnet:booking/app", map[string]string{build.NameLabel: "", stock.TierLabel: "web"})
	drift, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
	require.NoError(t, err)
	var told []string
	for _, x := range drift.Things {
		told = append(told, x.Key()+" "+x.Trouble)
	}
	assert.Equal(t, []string{"subnet:booking/app it lacks the label wendrik-name, planned booking/app; its label wendrik-tier is web, planned app", "workload:shop its label wendrik-name is stop, planned shop"}, told)
	job, out := p.build(t, want, build.Note("skerry-line", "second"))
	require.Empty(t, out.Undone)
	assert.Equal(t, 2, job.Calls())
	differs, err := job.Look(context.Background(), p.driver, p.head, want)
	require.NoError(t, err)
	assert.Empty(t, differs)
	labels, id := p.is(t, want, "workload:shop")
	assert.Equal(t, shop, id)
	assert.Equal(t, "shop", labels[build.NameLabel])
	labels, id = p.is(t, want, "subnet:booking/app")
	assert.Equal(t, app, id)
	assert.Equal(t, "booking/app app", labels[build.NameLabel]+" "+labels[stock.TierLabel])

	// What is wrong when it is looked at again is told by the build itself.
	p.relabel(t, "subnet:booking/app", map[string]string{stock.TierLabel: "web"})
	differs, err = job.Look(context.Background(), p.driver, p.head, want)
	require.NoError(t, err)
	require.Len(t, differs, 1)
	assert.Equal(t, "subnet:booking/app", differs[0].Key())
}

// TestScopes: of an account in which nobody's things bear an estate's label, each scope takes what is its own, and leaves the rest alone,
// also where it is joined to that.
func TestScopes(t *testing.T) {
	head := stock.HeadOf(load(t, "wendrik: 1\nregions: {west: [west-a]}\n"))
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), head, "", 0)
	defer p.close()
	ctx := context.Background()
	made := func(k stock.Kind, name string, props map[string]any, labels map[string]string) string {
		x, err := p.driver.Make(ctx, &cloud.Order{Kind: k, Name: name, Props: props, Labels: labels})
		require.NoError(t, err)
		return x.ID
	}
	network := func(name, ranges string, labels map[string]string) string {
		id := made(stock.Network, name, map[string]any{"ranges": []string{ranges + ".0.0/16"}}, labels)
		subnet := made(stock.Subnet, "web", map[string]any{"network": id, "ranges": []string{ranges + ".1.0/24"}}, nil)
		made(stock.Workload, name+"-shop", map[string]any{"subnet": subnet, "addresses": []string{ranges + ".1.10"}}, nil)
		return id
	}
	booking := network("booking", "10.1", map[string]string{"team": "ferries"})
	crew := network("crew", "10.2", map[string]string{"team": "crew"})
	yard := network("yard", "10.3", nil)
	hub := made(stock.Hub, "spine", map[string]any{"region": "west"}, nil)
	table := made(stock.HubTable, "all", map[string]any{"hub": hub}, nil)
	for _, to := range []string{booking, crew} {
		made(stock.Attachment, "to", map[string]any{"hub": hub, "to": to, "table": table}, nil)
	}
	made(stock.Peering, "books", map[string]any{"networks": []string{booking, crew}}, nil)
	made(stock.Peering, "works", map[string]any{"networks": []string{yard, crew}}, nil)
	for word, c := range map[string]struct{ its, context []string }{
		"team=ferries": {[]string{"attachment:spine/booking", "network:booking", "peering:books", "subnet:booking/web", "workload:booking-shop"}, []string{"hub-table:spine/all", "hub:spine", "network:crew"}},
		"yard":         {[]string{"network:yard", "peering:works", "subnet:yard/web", "workload:yard-shop"}, []string{"network:crew"}},
		yard:           {[]string{"network:yard", "peering:works", "subnet:yard/web", "workload:yard-shop"}, []string{"network:crew"}},
		"spine":        {[]string{"attachment:spine/booking", "attachment:spine/crew", "hub-table:spine/all", "hub:spine"}, []string{"network:booking", "network:crew"}},
		"team=nobody":  {nil, nil},
	} {
		there, content, err := build.Adopt(ctx, p.driver, "skerry-line", []string{word})
		require.NoError(t, err, word)
		var its, context []string
		for _, x := range there.Items {
			if x.Context {
				context = append(context, x.Key())
			} else {
				its = append(its, x.Key())
			}
		}
		slices.Sort(its)
		slices.Sort(context)
		assert.Equal(t, c.its, its, word)
		assert.Equal(t, c.context, context, word)
		e := load(t, content)
		assert.Equal(t, []string{word}, stock.HeadOf(e).Scope)
		p.head = stock.HeadOf(e)
		drift, err := build.Drifts(ctx, p.driver, e, p.head, "")
		require.NoError(t, err)
		assert.Empty(t, drift.Things, "%s\n%s", word, content)
		assert.Empty(t, drift.There.Strange, "what is context has labels of its own")
		// Nothing outside goes when all of the estate does, with every leave.
		job, err := build.Prepare(ctx, p.driver, p.head, nil, build.Leave{Hand: true, Take: true, Remove: []string{"crew", "yard", "booking", "spine"}}, nil)
		require.NoError(t, err)
		for _, key := range job.Removes() {
			assert.Contains(t, c.its, key, word)
		}
	}
	p.head = head
	there, err := build.Look(ctx, p.driver, p.head, nil)
	require.NoError(t, err)
	assert.Len(t, there.Items, 15, "without a scope, all that bears nobody's label is there")
	assert.False(t, build.InScope([]string{"web"}, &cloud.Thing{Kind: stock.Subnet, Name: "web"}), "a name is that of a network, hub or site")
	assert.False(t, build.InScope([]string{"team="}, &cloud.Thing{Kind: stock.Network, Labels: map[string]string{strings.Repeat("x", 3): "y"}}), "a label that is not there has no value")
}
