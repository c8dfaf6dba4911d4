package build_test

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/build"
	"wendrik/internal/cloud"
	"wendrik/internal/core/stock"
)

// Whatever people call things at a cloud, adopted they have names that a plan can have, each its own, and the same each time.
func TestNamesOfWhatOthersMade(t *testing.T) {
	e := load(t, "wendrik: 1\nestate: skerry-line\n")
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	defer p.close()
	ctx := context.Background()
	made := func(k stock.Kind, name string, props map[string]any) string {
		x, err := p.driver.Make(ctx, &cloud.Order{Kind: k, Name: name, Props: props})
		require.NoError(t, err)
		return x.ID
	}
	var networks []string
	for i, name := range []string{"Booking Net (old)", "booking-net-old", "9 lives", "Über", "--", strings.Repeat("long-", 50)} {
		networks = append(networks, made(stock.Network, name, map[string]any{"ranges": []string{"10." + string(rune('0'+i)) + ".0.0/16"}}))
	}
	subnet := made(stock.Subnet, "Web A", map[string]any{"network": networks[0], "ranges": []string{"10.0.0.0/24"}})
	made(stock.Subnet, "web_a", map[string]any{"network": networks[0], "ranges": []string{"10.0.1.0/24"}})
	made(stock.Workload, "Shop #1", map[string]any{"subnet": subnet, "addresses": []string{"10.0.0.10"}})
	made(stock.Peering, "Shop #1", map[string]any{"networks": networks[:2]})
	_, first, err := build.Adopt(ctx, p.driver, "", nil)
	require.NoError(t, err)
	_, again, err := build.Adopt(ctx, p.driver, "", nil)
	require.NoError(t, err)
	assert.Equal(t, first, again)
	adopted := load(t, first)
	var names []string
	for _, n := range adopted.Networks {
		names = append(names, n.Name)
	}
	assert.Subset(t, names, []string{"booking-net-old", "booking-net-old-2", "x9-lives", "ber", "x"}, "%s", first)
	assert.Len(t, adopted.Subnets, 2)
	assert.Len(t, adopted.Peerings, 1)
	assert.NotContains(t, first, "#")
}

// A plan may have one name for things of many kinds; built, they keep it, and so they do when they are adopted.
func TestOneNameForThingsOfManyKinds(t *testing.T) {
	src := strings.NewReplacer("edge: {subnets", "web: {subnets", "group a]", "group web]", "group a,", "group web,", "group b", "group app", "[a]", "[web]", "[b]", "[app]", "      a: {in", "      web: {in", "      b: {in", "      app: {in",
		"front", "web", "out: {kind", "app: {kind", "via: out", "via: app", "books", "finance", "spine", "booking", "all: {learns", "main: {learns", ": all", ": main", "wall", "main").Replace(small)
	e := load(t, "estate: skerry-line\n"+src)
	want := stock.Of(e)
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	defer p.close()
	_, out := p.build(t, want, build.Note("skerry-line", "first"))
	require.Empty(t, out.Undone)
	require.Empty(t, p.differs(t, want))
	there, err := build.Look(context.Background(), p.driver, stock.Head{Estate: "skerry-line"}, nil)
	require.NoError(t, err)
	assert.Empty(t, stock.Between(want, there.Things()), "without the plan, too")
	_, adopted, err := build.Adopt(context.Background(), p.driver, "skerry-line", nil)
	require.NoError(t, err)
	assert.Empty(t, stock.Between(want, stock.Of(load(t, adopted))), "%s", adopted)

	// What somebody adds by hand gets no name by which the plan would mean something else.
	for name, kind := range map[string]stock.Kind{"web": stock.Site, "quay": stock.Hub, "shop": stock.Site} {
		props := map[string]any{"ranges": []string{"10.213." + fmt.Sprint(len(name)) + ".0/24"}}
		if kind == stock.Hub {
			props = map[string]any{"region": "west"}
		}
		_, err := p.driver.Make(context.Background(), &cloud.Order{Kind: kind, Name: name, Props: props})
		require.NoError(t, err)
	}
	there, err = build.Look(context.Background(), p.driver, stock.Head{Estate: "skerry-line"}, want)
	require.NoError(t, err)
	var fresh []string
	for _, d := range stock.Between(want, there.Things()) {
		fresh = append(fresh, d.Is.Key())
	}
	slices.Sort(fresh)
	assert.Equal(t, []string{"hub:quay-2", "site:shop-2", "site:web-2"}, fresh)
}

// Two estates at one cloud never touch each other's things, also where one peers with the other.
func TestOtherEstatesAreLeftAlone(t *testing.T) {
	ours := load(t, "wendrik: 1\nestate: skerry-line\nnetworks: {booking: {range: 10.144.0.0/20, subnets: {web: {range: 10.144.0.0/24}}}}\n")
	theirs := load(t, strings.ReplaceAll(small, "wendrik: 1", "wendrik: 1\nestate: gull-rail"))
	file := filepath.Join(t.TempDir(), "cloud.db")
	p := at(t, file, stock.HeadOf(theirs), "", 0)
	defer p.close()
	_, out := p.build(t, stock.Of(theirs), build.Note("gull-rail", "first"))
	require.Empty(t, out.Undone)
	p.head = stock.HeadOf(ours)
	_, out = p.build(t, stock.Of(ours), build.Note("skerry-line", "first"))
	require.Empty(t, out.Undone)
	for _, x := range []struct {
		head stock.Head
		want []stock.Thing
	}{{stock.HeadOf(ours), stock.Of(ours)}, {stock.HeadOf(theirs), stock.Of(theirs)}} {
		p.head = x.head
		assert.Empty(t, p.differs(t, x.want), "two networks of one name are two things")
		there, err := build.Look(context.Background(), p.driver, x.head, x.want)
		require.NoError(t, err)
		assert.Positive(t, there.Others)
	}
	_, _, err := build.Adopt(context.Background(), p.driver, "", nil)
	var several *build.Several
	require.ErrorAs(t, err, &several)
	assert.Equal(t, []string{"gull-rail", "skerry-line"}, several.Names)
	p.head = stock.HeadOf(ours)
	_, out = p.build(t, nil, build.Note("skerry-line", "down"))
	require.Empty(t, out.Undone)
	p.head = stock.HeadOf(theirs)
	assert.Empty(t, p.differs(t, stock.Of(theirs)), "and nothing of it went")
}

// What failed while others need it is changed again, and what failed when it was made is made anew.
func TestWhatFailedIsMended(t *testing.T) {
	e := load(t, small)
	want := stock.Of(e)
	file := filepath.Join(t.TempDir(), "cloud.db")
	p := at(t, file, stock.HeadOf(e), "", 0)
	_, out := p.build(t, want, "first")
	require.Empty(t, out.Undone)
	p.close()
	otherwise := load(t, strings.Replace(small, "b: {in: [tcp/80 from group a]", "b: {in: [tcp/81 from group a]", 1))
	p = at(t, file, stock.HeadOf(e), "fail@1", 0)
	defer p.close()
	_, out = p.build(t, stock.Of(otherwise), "second")
	require.Len(t, out.Undone, 1)
	assert.Contains(t, out.Undone[0].Err.Error(), "failed")
	x, err := build.Drifts(context.Background(), p.driver, otherwise, stock.HeadOf(otherwise), "")
	require.NoError(t, err)
	require.NotEmpty(t, x.Things)
	_, out = p.build(t, stock.Of(otherwise), "third")
	require.Empty(t, out.Undone)
	assert.Empty(t, p.differs(t, stock.Of(otherwise)))
}

// lesser is a driver of a cloud that has no hubs.
type lesser struct{ cloud.Driver }

func (d lesser) Hello(ctx context.Context) (*cloud.Hello, error) {
	h, err := d.Driver.Hello(ctx)
	if err == nil {
		h.Kinds = slices.DeleteFunc(h.Kinds, func(k stock.Kind) bool { return k == stock.Hub })
	}
	return h, err
}

// What a cloud does not have is said before anything is done.
func TestCloudWithoutHubs(t *testing.T) {
	e := load(t, small)
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	defer p.close()
	_, err := build.Prepare(context.Background(), lesser{p.driver}, p.head, stock.Of(e), build.Leave{Hand: true}, nil)
	require.Error(t, err)
	assert.Equal(t, cloud.Unsupported, cloud.ReasonOf(err))
	assert.Contains(t, err.Error(), "spine")
	assert.Len(t, p.differs(t, nil), 0)
}
