package overlap

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/ranges"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
)

// listed reads a list of range,name,fixed.
func listed(t *testing.T, rows string) []Listed {
	l, err := ranges.Read(strings.NewReader("range,name,fixed\n"+rows), ranges.DefaultColumns)
	require.NoError(t, err)
	require.Zero(t, l.Unread(), l.Problems)
	var all []Listed
	for _, x := range l.Entries {
		all = append(all, Listed{x, fmt.Sprint("firm.csv:", x.Line)})
	}
	return all
}

// TestListAgainstEveryPair holds what a random list and a plan share against every pair of them, and looks where things go: to what nobody
// has, each to a place of its own, so that nothing that is in the way is left but what is told.
func TestListAgainstEveryPair(t *testing.T) {
	clashes, moved := 0, 0
	for seed := range fuzz.Rounds(150, 1500) {
		rng := rand.New(rand.NewPCG(seed, 92))
		prefix := func(most int) netip.Prefix {
			p, _ := netip.AddrFrom4([4]byte{10, byte(144 + rng.IntN(2)), byte(rng.IntN(64)), byte(rng.IntN(256))}).Prefix(most + rng.IntN(25-most))
			return p
		}
		yes := func(one string) string {
			if rng.IntN(4) == 0 {
				return one
			}
			return ""
		}
		var plan strings.Builder
		fmt.Fprintf(&plan, "wendrik: 1\nspace: {s: {block: 10.144.0.0/14}, kept: {block: 10.145.0.0/20, within: s, held: later}}\nnetworks:\n")
		n := 2 + rng.IntN(4)
		var hosts, joins []string
		for i := range n {
			p := prefix(18)
			fmt.Fprintf(&plan, "  n%d: {range: %s%s, subnets: {a: {range: %s}}}\n", i, p, yes(", fixed: true"), netip.PrefixFrom(p.Addr(), 25))
			if rng.IntN(2) == 0 {
				hosts = append(hosts, fmt.Sprintf("w%d: {in: n%d/a, address: %s}", i, i, address.Advance(p.Addr(), 9)))
			}
			if i > 0 && rng.IntN(2) == 0 {
				joins = append(joins, fmt.Sprintf("p%d: {between: [n%d, n%d], accepted: [n%d, n%d]}", i, i-1, i, i-1, i))
			}
		}
		fmt.Fprintf(&plan, "workloads: {%s}\npeerings: {%s}\nsites: {quay: {ranges: %s%s}}\nclusters: {c: {in: n0, pods: %s, services: %s}}\n", strings.Join(hosts, ", "), strings.Join(joins, ", "), prefix(19), yes(", fixed: true"), prefix(19), prefix(22))
		e, _ := estate.Load(text.One("wendrik.yaml", plan.String()))
		var rows strings.Builder
		for i := range 1 + rng.IntN(6) {
			p := prefix(17)
			word := p.String()
			if rng.IntN(3) == 0 {
				word = fmt.Sprintf("%s-%s", p.Addr(), address.Advance(p.Addr(), uint64(1+rng.IntN(300))))
			}
			fmt.Fprintf(&rows, "%s,yard %d,%s\n", word, i, yes("yes"))
		}
		list := listed(t, rows.String())
		var with []estate.Object
		if rng.IntN(2) == 0 {
			with = append(with, e.Networks[rng.IntN(len(e.Networks))])
		}
		got := Against(e, list, with)
		at := plan.String() + rows.String()

		var want, have []string
		things := listOf(e)
		for _, x := range list {
			for _, thing := range things {
				if thing.Kind != "subnet" && thing.Name != "s" && address.Between(x.First, x.Last).Overlaps(thing.Range) {
					want = append(want, fmt.Sprint(x.Line, thing, thing.Range))
				}
			}
		}
		moves := map[string]bool{}
		var taken []netip.Prefix // where things go
		for _, m := range got.Moves {
			moved++
			for _, to := range []netip.Prefix{m.To} {
				size := address.SetOf(m.Was...).Count()
				require.True(t, address.Count(to).Cmp(size) >= 0 && new(big.Int).Rsh(address.Count(to), 1).Cmp(size) < 0, "%s for %s", to, m.Was)
				for _, thing := range things {
					if thing.Kind != "block" || thing.block.Held {
						require.False(t, thing.Range.Overlaps(to), "%s moves to %s, which %s has\n%s", m.Was, to, thing, at)
					}
				}
				for _, x := range list {
					require.False(t, address.Between(x.First, x.Last).Overlaps(to), "%s, which line %d has\n%s", to, x.Line, at)
				}
				for _, o := range taken {
					require.False(t, o.Overlaps(to), "two go to %s\n%s", to, at)
				}
				taken = append(taken, to)
			}
			if m.Listed != nil {
				require.False(t, m.Listed.Labels().Fixed)
				moves[fmt.Sprint(m.Listed.Line)] = true
			} else {
				require.False(t, m.What.Fixed() || m.What.Kind == "site", at)
				moves[fmt.Sprint(m.What, m.What.Range)] = true
			}
		}
		for _, m := range got.NoRoom {
			if m.Listed != nil {
				moves[fmt.Sprint(m.Listed.Line)] = true
			} else {
				moves[fmt.Sprint(m.What, m.What.Range)] = true
			}
		}
		needed := map[string]bool{}
		for _, x := range got.Clashes {
			clashes++
			have = append(have, fmt.Sprint(x.Listed.Line, x.With, x.With.Range))
			require.True(t, x.Listed.First.Compare(x.Shared.First) <= 0 && x.Shared.Last.Compare(x.Listed.Last) <= 0 && x.With.Range.Contains(x.Shared.First) && x.With.Range.Contains(x.Shared.Last), at)
			inTheWay := x.Verdict == Conflict || x.Verdict == Latent && len(with) == 0
			told := slices.ContainsFunc(got.Fixed, func(f Clash) bool {
				return f.Listed == x.Listed && f.With.Range == x.With.Range && f.With.Name == x.With.Name
			})
			list, thing := moves[fmt.Sprint(x.Listed.Line)], moves[fmt.Sprint(x.With, x.With.Range)]
			require.True(t, !inTheWay || list || thing || told, "line %d and %s: %s\n%s", x.Listed.Line, x.With, x.Verdict, at)
			if inTheWay {
				needed[fmt.Sprint(x.Listed.Line)], needed[fmt.Sprint(x.With, x.With.Range)] = true, needed[fmt.Sprint(x.With, x.With.Range)] || !list
			}
		}
		for who := range moves {
			require.True(t, needed[who], "%s moves, and need not\n%s", who, at)
		}
		slices.Sort(want)
		slices.Sort(have)
		require.Equal(t, want, have, at)
	}
	assert.Greater(t, clashes, 100)
	assert.Greater(t, moved, 60)
}

// TestListBesideWhatStays: what is fixed on both sides, what has no room, and what is held for it.
func TestListBesideWhatStays(t *testing.T) {
	e, problems := estate.Load(text.One("wendrik.yaml", `wendrik: 1
space: {s: {block: 192.168.0.0/16}, yard: {block: 192.168.64.0/18, within: s, held: the yard}}
networks:
  app: {range: 192.168.0.0/18, fixed: true, held: {later: {range: 192.168.8.0/24, for: drills}}}
  far: {range: 2001:db8::/32}
`))
	require.Empty(t, problems)
	got := Against(e, listed(t, "192.168.8.0/24,stays,yes\n192.168.0.0/17,large,no\n192.168.70.0/24,ours,\n2001:db8:1::/48,six,\n"), []estate.Object{e.Networks[0]})
	var all []string
	for _, x := range got.Clashes {
		all = append(all, fmt.Sprint(x.Listed.Labels().Name, " and ", x.With, ": ", x.Shared, " ", x.Verdict, ", ", x.Why))
	}
	for _, m := range got.Moves {
		all = append(all, fmt.Sprint("moves ", m.Listed.Labels().Name, " ", m.To, " in ", m.Where, " for ", m.For))
	}
	for _, m := range got.NoRoom {
		all = append(all, fmt.Sprint("no room ", m.Listed.Labels().Name, " in ", m.Where, " for ", m.For))
	}
	for _, x := range got.Fixed {
		all = append(all, fmt.Sprint("fixed ", x.Listed.Labels().Name, " and ", x.With))
	}
	assert.Equal(t, []string{
		"stays and network app: 192.168.8.0/24 conflict, it is to be joined with network app",
		"large and block yard: 192.168.64.0/18 harmless, the block is held for the yard, which may be just that",
		"large and network app: 192.168.0.0/18 conflict, it is to be joined with network app",
		"ours and block yard: 192.168.70.0/24 harmless, the block is held for the yard, which may be just that",
		"six and network far: 2001:db8:1::/48 latent, network far meets nothing that it is to be joined with",
		"moves large 192.168.128.0/17 in block s for [network app]",
		"fixed stays and network app",
	}, all)
	got = Against(e, listed(t, "192.168.0.0/16,whole,\n"), []estate.Object{e.Networks[0]})
	require.Len(t, got.NoRoom, 1)
	assert.Equal(t, "block s and 192.168.0.0/16", got.NoRoom[0].Where)
	assert.Empty(t, got.Moves)
}
