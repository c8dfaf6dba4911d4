package stock_test

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/stock"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

// A slow world that does what acts say, in any order that they allow, and refuses what a cloud would: what is named must be there, and
// what is named by others stays.
type world map[string]*stock.Thing

func (w world) do(a stock.Act) error {
	key := a.Thing.Key()
	there := func(t *stock.Thing) error {
		for _, ref := range t.Refs() {
			if w[ref] == nil {
				return fmt.Errorf("%s %s names %s, which is not there", a.Verb, key, ref)
			}
		}
		return nil
	}
	switch a.Verb {
	case stock.Make:
		if w[key] != nil {
			return fmt.Errorf("%s is there", key)
		}
		t := &stock.Thing{Kind: a.Thing.Kind, Name: a.Thing.Name, Owner: a.Thing.Owner, Labels: a.Thing.Labels, Props: stock.Props{}}
		for name, v := range a.Props {
			if v != nil {
				t.Props.Set(name, v)
			}
		}
		for _, ref := range t.Refs() {
			if ref == key {
				return fmt.Errorf("%s names itself before it is there", key)
			}
		}
		if site := w[t.Props.Word("via")]; t.Kind == stock.Route && site != nil && site.Kind == stock.Site && w[t.Props.Word("table")].Kind == stock.Table && site.Props.Word("link") != w[t.Props.Word("table")].Props.Word("network") {
			return fmt.Errorf("%s leads to a site that is not linked to its network", key)
		}
		if err := there(t); err != nil {
			return err
		}
		w[key] = t
	case stock.Change:
		t := *w[key]
		t.Props = maps.Clone(t.Props)
		for name, v := range a.Props {
			if delete(t.Props, name); v != nil {
				t.Props.Set(name, v)
			}
			if stock.SpecOf(t.Kind).Prop(name).Fixed {
				return fmt.Errorf("%s of %s is fixed", name, key)
			}
		}
		if a.Labels {
			t.Owner, t.Labels = a.Thing.Owner, a.Thing.Labels
		}
		if err := there(&t); err != nil {
			return err
		}
		w[key] = &t
	case stock.Accept:
		t := *w[key]
		t.Props = maps.Clone(t.Props)
		t.Props["accepted"] = append(slices.Clone(t.Props.Words("accepted")), a.Side)
		w[key] = &t
	case stock.Remove:
		for other, t := range w {
			if other != key && slices.Contains(t.Refs(), key) {
				return fmt.Errorf("%s is named by %s", key, other)
			}
		}
		delete(w, key)
	}
	return w.alone()
}

// alone says when two have an address of one network, or overlapping subnets of one.
func (w world) alone() error {
	had := map[string]string{}
	for key, t := range w {
		if t.Kind != stock.Workload {
			continue
		}
		network := w[t.Props.Word("subnet")].Props.Word("network")
		for _, a := range t.Props.Words("addresses") {
			if other := had[network+a]; other != "" {
				return fmt.Errorf("%s and %s both have %s", key, other, a)
			}
			had[network+a] = key
		}
	}
	for key, t := range w {
		if s := t.Props.Words("networks"); t.Kind == stock.Peering {
			for _, x := range w[s[0]].Props.Words("ranges") {
				if slices.Contains(w[s[1]].Props.Words("ranges"), x) {
					return fmt.Errorf("%s joins %s and %s, which both have %s", key, s[0], s[1], x)
				}
			}
		}
	}
	return nil
}

// Any order of the acts that their After allows leads from one estate to another that has nothing to do with it, and no step of it is
// one that a cloud refuses.
func TestActsLeadFromOneToAnother(t *testing.T) {
	for seed := range fuzz.Rounds(40, 120) {
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(seed, 41))
			var from, to []stock.Thing
			if seed%10 > 0 {
				from = stock.Of(load(t, randomplan.Write(rng)))
			}
			if seed%10 > 1 {
				to = stock.Of(load(t, randomplan.Write(rng)))
			}
			lead(t, rng, from, to)
		})
	}
}

// lead does the acts that lead from one stock to another in any order that they allow.
func lead(t *testing.T, rng *rand.Rand, from, to []stock.Thing) (acts []stock.Act) {
	t.Helper()
	acts = stock.Acts(from, to)
	w := world{}
	for i := range from {
		w[from[i].Key()] = &from[i]
	}
	done := make([]bool, len(acts))
	for left := len(acts); left > 0; left-- {
		var can []int
		for i, a := range acts {
			if !done[i] && !slices.ContainsFunc(a.After, func(n int) bool { return !done[n] }) {
				can = append(can, i)
			}
		}
		if len(can) == 0 {
			for i, a := range acts {
				if !done[i] {
					t.Logf("%d %s %s %v after %v", i, a.Verb, a.Thing.Key(), slices.Collect(maps.Keys(a.Props)), a.After)
				}
			}
		}
		require.NotEmpty(t, can, "acts wait for each other")
		i := can[rng.IntN(len(can))]
		require.NoError(t, w.do(acts[i]), "act %d", i)
		done[i] = true
	}
	var end []stock.Thing
	for _, x := range w {
		end = append(end, *x)
	}
	for _, d := range stock.Between(to, end) {
		assert.Fail(t, "differs", "%s %v\n%+v\n%+v", d.Key(), d.Props, d.Was, d.Is)
	}
	return acts
}

// TestPeeredNetworksNeverOverlap: networks that are peered take each other's ranges, in a row and in circles, and new ones come and old ones go
// between them; in any order that the acts allow two that are peered never have one range, and a peering stays that need not go.
func TestPeeredNetworksNeverOverlap(t *testing.T) {
	parted, stayed := 0, 0
	for seed := range fuzz.Rounds(300, 3000) {
		rng := rand.New(rand.NewPCG(seed, 43))
		n := 2 + rng.IntN(4)
		side := func(density int) (all []stock.Thing) {
			there := map[string]bool{}
			for i, slot := range rng.Perm(n + 1)[:n] {
				if name := fmt.Sprintf("n%d", i); rng.IntN(6) > 0 {
					there[name] = true
					all = append(all, stock.Thing{Kind: stock.Network, Name: name, Props: stock.Props{"region": "west", "ranges": []string{fmt.Sprintf("10.%d.0.0/16", slot)}}},
						stock.Thing{Kind: stock.Subnet, Name: name + "/s", Props: stock.Props{"network": stock.KeyOf(stock.Network, name), "ranges": []string{fmt.Sprintf("10.%d.0.0/24", slot)}}})
				}
			}
			for i := range n {
				for j := range i {
					if a, b := fmt.Sprintf("n%d", j), fmt.Sprintf("n%d", i); there[a] && there[b] && rng.IntN(4) < density {
						both := []string{stock.KeyOf(stock.Network, a), stock.KeyOf(stock.Network, b)}
						all = append(all, stock.Thing{Kind: stock.Peering, Name: a + "-" + b, Props: stock.Props{"networks": both, "accepted": both}})
					}
				}
			}
			return all
		}
		from, to := side(3), side(3)
		slices.SortStableFunc(from, stock.ByRank)
		slices.SortStableFunc(to, stock.ByRank)
		acts := lead(t, rng, from, to)
		ranges := func(all []stock.Thing, key string) string {
			i := slices.IndexFunc(all, func(t stock.Thing) bool { return t.Key() == key })
			if i < 0 {
				return ""
			}
			return all[i].Props.Words("ranges")[0]
		}
		for i := range from {
			p := &from[i]
			if p.Kind != stock.Peering || !slices.ContainsFunc(to, func(t stock.Thing) bool { return t.Key() == p.Key() }) {
				continue
			}
			gone := slices.ContainsFunc(acts, func(a stock.Act) bool { return a.Verb == stock.Remove && a.Thing.Key() == p.Key() })
			a, b := p.Props.Words("networks")[0], p.Props.Words("networks")[1]
			if gone {
				parted++
				require.True(t, ranges(to, a) == ranges(from, b) || ranges(to, b) == ranges(from, a), "seed %d: %s need not go", seed, p.Key())
			} else {
				stayed++
			}
			if ranges(to, a) == ranges(from, b) && ranges(to, b) == ranges(from, a) {
				require.True(t, gone, "seed %d: %s", seed, p.Key())
			}
		}
	}
	assert.Greater(t, parted, 15)
	assert.Greater(t, stayed, 100)
}
