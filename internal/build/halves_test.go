package build_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/build"
	"wendrik/internal/cloud/client"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/stock"
	"wendrik/internal/fuzz"
)

// anyPlan is the name of a plan that has an owner's key in each of these clouds.
func anyPlan(rng *rand.Rand) string {
	return []string{"coast", "lakes", "more", "skerry-line", "whole"}[rng.IntN(5)]
}

// half is a plan of which some parts are taken away, or are others, and that the cloud of the whole would not refuse; nothing of it is kept.
func half(t *testing.T, name string, rng *rand.Rand) *estate.Estate {
	t.Helper()
	all := load(t, estatetest.Plan(t, name))
	for {
		e := load(t, strings.ReplaceAll(estatetest.Half(t, rng, name).Plan.Files.Whole(), ", keep: true", ""))
		if len(check.Refused(e)) == 0 && assert.ObjectsAreEqual(stock.HeadOf(all), stock.HeadOf(e)) {
			return e
		}
	}
}

// TestHalvesAreBuilt builds a half of a plan, then another half in its place, takes that back, and takes all down: each is there as wanted then.
func TestHalvesAreBuilt(t *testing.T) {
	for seed := range fuzz.Rounds(4, 24) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			rng := rand.New(rand.NewPCG(seed, 1709))
			name := anyPlan(rng)
			a, b := half(t, name, rng), half(t, name, rng)
			p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(a), "", 0)
			defer p.close()
			p.driver = client.New(p.url, []client.Key{{Name: "skerry-line", Secret: "key-of-skerry-line"}, {Name: "gull-rail", Secret: "key-of-gull-rail"}})
			defer func() {
				if t.Failed() {
					t.Logf("\n%s\n%s", a.Plan.Files.Whole(), b.Plan.Files.Whole())
				}
			}()
			first, second := stock.Of(a), stock.Of(b)
			for k, want := range [][]stock.Thing{first, second} {
				_, out := p.build(t, want, build.Note(p.head.Estate, fmt.Sprint(k)))
				for _, u := range out.Undone {
					t.Errorf("run %d: %s %s: %s", k, u.Act.Verb, u.Act.Thing.Key(), u.Err)
				}
				require.Empty(t, out.Undone)
				require.Empty(t, p.differs(t, want))
				x, err := build.Drifts(context.Background(), p.driver, []*estate.Estate{a, b}[k], p.head, "")
				require.NoError(t, err)
				for _, d := range x.Things {
					t.Errorf("run %d: drift: %s %v", k, d.Key(), d.Props)
				}
			}
			there, err := build.Look(context.Background(), p.driver, p.head, nil)
			require.NoError(t, err)
			before, run, err := build.Before(context.Background(), p.driver, there, p.head.Estate)
			require.NoError(t, err)
			if run == "1" {
				_, out := p.build(t, before, build.Undo(p.head.Estate, run))
				for _, u := range out.Undone {
					t.Errorf("undo: %s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
				}
				assert.Empty(t, p.differs(t, first), "the second run is taken back")
			}
			_, out := p.build(t, nil, build.Note(p.head.Estate, "down"))
			for _, u := range out.Undone {
				t.Errorf("down: %s %s: %s", u.Act.Verb, u.Act.Thing.Key(), u.Err)
			}
			assert.Empty(t, p.differs(t, nil))
		})
	}
}

// built is a cloud in which a half of a plan was built, by somebody with the keys of all its owners.
func built(t *testing.T, rng *rand.Rand, name string) (*place, *estate.Estate) {
	t.Helper()
	e := half(t, name, rng)
	p := at(t, filepath.Join(t.TempDir(), "cloud.db"), stock.HeadOf(e), "", 0)
	t.Cleanup(p.close)
	p.driver = client.New(p.url, []client.Key{{Name: "skerry-line", Secret: "key-of-skerry-line"}, {Name: "gull-rail", Secret: "key-of-gull-rail"}})
	_, out := p.build(t, stock.Of(e), build.Note(p.head.Estate, "first"))
	require.Empty(t, out.Undone)
	return p, e
}

// TestHalvesAreAdopted: what is adopted from what was built comes to the same, and building it is nothing to do.
func TestHalvesAreAdopted(t *testing.T) {
	for seed := range fuzz.Rounds(4, 16) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			rng := rand.New(rand.NewPCG(seed, 1711))
			p, e := built(t, rng, anyPlan(rng))
			_, plan, err := build.Adopt(context.Background(), p.driver, "", nil)
			require.NoError(t, err)
			adopted := load(t, plan)
			for _, d := range stock.Between(stock.Of(e), stock.Of(adopted)) {
				t.Errorf("differs: %s %v\n%s", d.Key(), d.Props, plan)
			}
			job, err := build.Prepare(context.Background(), p.driver, stock.HeadOf(adopted), stock.Of(adopted), build.Leave{Hand: true}, nil)
			require.NoError(t, err)
			assert.True(t, job.Empty(), "building it is nothing to do:\n%s", plan)
		})
	}
}

// TestHalvesAreFollowed changes the cloud of a half of a plan to another half behind the plan's back: the way forward reaches it.
func TestHalvesAreFollowed(t *testing.T) {
	for seed := range fuzz.Rounds(4, 16) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			t.Parallel()
			rng := rand.New(rand.NewPCG(seed, 1712))
			name := anyPlan(rng)
			p, e := built(t, rng, name)
			other := half(t, name, rng)
			_, out := p.build(t, stock.Of(other), "by hand")
			require.Empty(t, out.Undone)
			x, err := build.Drifts(context.Background(), p.driver, e, p.head, "")
			require.NoError(t, err)
			ahead, err := build.Drifts(context.Background(), p.driver, x.Estate, p.head, "")
			require.NoError(t, err)
			for _, d := range ahead.Things {
				t.Errorf("the way forward does not reach %s\n%v\n%s\n%s", d.Key(), d.Thing(), e.Plan.Files.Whole(), x.Estate.Plan.Files.Whole())
			}
		})
	}
}
