package carve

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// randomSpace writes a plan with a few networks of all kinds that carving meets.
func randomSpace(rng *rand.Rand, networks, tiers, zones int) string {
	var b strings.Builder
	pick := func(words ...string) string { return words[rng.IntN(len(words))] }
	profile := pick("zonal", "zonal", "regional", "plain")
	fmt.Fprintf(&b, "wendrik: 1\nprofile: %s\nregions: {west: [%s]}\nspace:\n  all: {block: [10.0.0.0/12, \"fd3a::/40\"]}\n  part: {block: 10.4.0.0/14, within: all}\n  kept: {block: 10.%d.0.0/18, held: x}\n",
		profile, strings.Join([]string{"west-a", "west-b", "west-c", "west-d", "west-e"}[:zones], ", "), rng.IntN(8))
	b.WriteString("networks:\n")
	for n := range networks {
		fmt.Fprintf(&b, "  n%d:\n    region: west\n    from: %s\n", n, pick("all", "part"))
		if profile != "regional" {
			fmt.Fprintf(&b, "    size: /%d\n", 16+rng.IntN(3))
			if strings.Contains(b.String(), "from: all\n    size") && rng.IntN(2) == 0 {
				if strings.HasSuffix(strings.TrimSpace(b.String()[:strings.LastIndex(b.String(), "    size")]), "from: all") {
					b.WriteString("    size6: /56\n")
				}
			}
			fmt.Fprintf(&b, "    layout: %s\n", pick("tiers", "tiers", "zones"))
		}
		b.WriteString("    tiers:\n")
		for t := range tiers {
			ask := fmt.Sprintf("hosts: %d", 1+rng.IntN(1<<rng.IntN(8)))
			if rng.IntN(3) == 0 {
				ask = fmt.Sprintf("size: /%d", 25+rng.IntN(3))
			}
			if rng.IntN(4) == 0 {
				ask += fmt.Sprintf(", spare: %d", rng.IntN(3))
			}
			if rng.IntN(5) == 0 && strings.HasPrefix(ask, "hosts") {
				ask += ", growth: 30%"
			}
			fmt.Fprintf(&b, "      t%d: {%s}\n", t, ask)
		}
		if rng.IntN(3) == 0 {
			fmt.Fprintf(&b, "    held: {h: {for: x, size: /%d}}\n", 24+rng.IntN(4))
		}
	}
	return b.String()
}

// checkCarving carves a random plan, adds tiers, zones and networks to what was written, carves again, and checks each
// time what must always hold.
func checkCarving(t *testing.T, seed uint64) {
	rng := func() *rand.Rand { return rand.New(rand.NewPCG(seed, 3)) }
	content := randomSpace(rng(), 2, 2, 2)
	require.Equal(t, randomSpace(rng(), 2, 2, 2), content)
	before := map[string]string{}
	for round := range 3 {
		e, findings := estate.Load(text.One("p", content))
		require.Empty(t, findings, content)
		r := Estate(e)
		require.Equal(t, fmt.Sprint(r.Subnets, r.Networks), fmt.Sprint(Estate(e).Subnets, Estate(e).Networks), "deterministic")
		got := requireSound(t, r, e, content)
		for name, p := range before {
			require.Equal(t, p, got[name], "%s moved in round %d\n%s", name, round, content)
		}
		before = got
		after, _, err := e.Plan.Files.First().Apply(r.Changes.Edits())
		require.NoError(t, err, content)
		again, findings := estate.Load(text.One("p", string(after)))
		require.Empty(t, findings, "%s", after)
		if len(r.Misfits) == 0 {
			require.False(t, Estate(again).New(), "%s", after)
		}
		content = string(after)
		switch round {
		case 0:
			content = strings.Replace(content, "west-b]", "west-b, west-c]", 1)
			content = strings.Replace(content, "    tiers:\n", "    tiers:\n      first: {hosts: 30}\n", 1)
		case 1:
			content = strings.Replace(content, "networks:\n", "networks:\n  new: {region: west, from: all, size: /20, tiers: {web: {hosts: 10}}}\n", 1)
			content = strings.Replace(content, "west-c]", "west-c, west-d]", 1)
		}
	}
}

// requireSound checks that all ranges are aligned, lie inside what they come from, and share no address, and gives them
// by name.
func requireSound(t *testing.T, r *Result, e *estate.Estate, content string) map[string]string {
	got := map[string]string{}
	var leaves []netip.Prefix
	var names []string
	for _, b := range e.Blocks {
		if b.Held {
			leaves, names = append(leaves, b.Ranges...), append(names, b.Name)
		}
	}
	home := map[string][]netip.Prefix{}
	for _, n := range r.Networks {
		home[n.Name] = append(home[n.Name], n.Range)
		require.Equal(t, n.Range.Masked(), n.Range)
		require.True(t, address.SetOf(e.Network(n.Name).From.Ranges...).ContainsRange(n.Range), "%s of %s\n%s", n.Range, n.Name, content)
		got[n.Name+n.Range.Addr().Unmap().String()[:2]] = n.Range.String()
	}
	for name, ranges := range home {
		for other, theirs := range home {
			for _, p := range ranges {
				for _, q := range theirs {
					require.True(t, name == other || !p.Overlaps(q), "%s and %s\n%s", name, other, content)
				}
			}
		}
	}
	for _, s := range r.Subnets {
		leaves, names = append(leaves, s.Range), append(names, s.Network+"/"+s.Name)
		require.Equal(t, s.Range.Masked(), s.Range)
		if ranges := home[s.Network]; len(ranges) > 0 {
			require.True(t, address.SetOf(ranges...).ContainsRange(s.Range), "%s/%s %s\n%s", s.Network, s.Name, s.Range, content)
		}
		family := "4"
		if s.Range.Addr().Is6() {
			family = "6"
		}
		got[s.Network+"/"+s.Name+family] = s.Range.String()
	}
	for _, h := range r.Held {
		leaves, names = append(leaves, h.Range), append(names, h.Network+"/"+h.Name)
	}
	address.Pairs(leaves, func(a, b int) bool {
		require.Fail(t, "overlap", "%s %s and %s %s\n%s", names[a], leaves[a], names[b], leaves[b], content)
		return false
	})
	return got
}

func TestCarvingProperties(t *testing.T) {
	for seed := range fuzz.Rounds(60, 150) {
		checkCarving(t, seed)
	}
}

// FuzzCarving tries one plan for each seed.
func FuzzCarving(f *testing.F) {
	f.Add(uint64(1000))
	f.Fuzz(func(t *testing.T, seed uint64) {
		defer fuzz.Bound()()
		checkCarving(t, seed)
	})
}
