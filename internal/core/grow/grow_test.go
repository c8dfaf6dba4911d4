package grow

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/grid"
	"wendrik/internal/core/space"
	"wendrik/internal/fuzz"
)

// TestRandomGrowth makes room in random networks, and holds it against arithmetic of its own: afterwards every tier has room, nothing overlaps,
// nobody is cut or opened, no address moves but those of subnets that move, and no more subnets move than must; what is refused has no place.
func TestRandomGrowth(t *testing.T) {
	grew, moved, refused, added := 0, 0, 0, 0
	for seed := range fuzz.Rounds(120, 1000) {
		rng := rand.New(rand.NewPCG(seed, 93))
		bits := 19 + rng.IntN(4)
		own := netip.PrefixFrom(netip.MustParseAddr("10.144.0.0"), bits)
		free := address.SetOf(own)
		var subnets, hosts []string
		for i := range 2 + rng.IntN(8) {
			length := 24 + rng.IntN(4)
			p, ok := address.NewPool(free, 32).Take(length)
			if rng.IntN(2) == 0 {
				p, ok = address.Nearest(free, netip.PrefixFrom(address.Advance(own.Addr(), uint64(rng.IntN(1<<(32-bits)))), length).Masked())
			}
			if !ok {
				continue
			}
			free = free.Minus(address.SetOf(p))
			tier := []string{"tier: web, ", "tier: app, ", ""}[rng.IntN(3)]
			subnets = append(subnets, fmt.Sprintf("s%d: {%szone: west-%c, range: %s}", i, tier, "abc"[i%3], p))
			for k := range rng.IntN(4) {
				hosts = append(hosts, fmt.Sprintf("w%d-%d: {in: n/s%d, address: %s, groups: [g]}", i, k, i, address.Advance(p.Addr(), uint64(5+k))))
			}
		}
		plan := fmt.Sprintf("wendrik: 1\nprofile: zonal\nregions: {west: [west-a, west-b, west-c]}\nnetworks:\n  n: {region: west, range: %s, tiers: {web: {hosts: %d, spare: 0}, app: {hosts: %d, growth: 20%%, spare: 0}}, groups: {g: {in: [tcp/1 from 10.144.0.0/24, tcp/2 from group g], out: [any to any]}}, subnets: {%s}}\nworkloads: {%s}\n",
			own, 1+rng.IntN(400), 1+rng.IntN(200), strings.Join(subnets, ", "), strings.Join(hosts, ", "))
		e := estatetest.Load(t, plan)
		stay := rng.IntN(3) == 0
		r, err := Of(e, Request{Names: []string{"n"}, Stay: stay})
		require.NoError(t, err, plan)
		n := r.After.Networks[0]
		all := n.Subnets
		for i, a := range all {
			for _, b := range all[:i] {
				require.False(t, len(a.Ranges) > 0 && len(b.Ranges) > 0 && a.Ranges[0].Overlaps(b.Ranges[0]), "%s and %s\n%s\n%s", a.ID(), b.ID(), plan, r.After.Plan.Files.First().Text)
			}
			for _, p := range a.Ranges {
				require.True(t, address.Covers(own, p))
			}
		}
		d := grid.Compare(e, r.After)
		require.Empty(t, d.Closes, plan)
		movers := map[string]bool{}
		for _, x := range r.Steps {
			switch x.Does {
			case "moves":
				moved++
				require.False(t, stay, "nothing may move\n%s", plan)
				movers[strings.TrimPrefix(x.What, "subnet ")] = true
			case "grows":
				grew++
				require.True(t, address.Covers(x.Is, x.Was))
			case "is new":
				added++
			}
		}
		for _, w := range e.Workloads {
			is := r.After.Workload(w.Name)
			require.Equal(t, !movers[w.Subnet.ID()], w.Addrs[0] == is.Addrs[0], "%s\n%s", w.Name, plan)
			require.True(t, is.Subnet.Holds(is.Addrs[0]))
		}
		for _, tier := range e.Networks[0].Tiers {
			small := space.Outgrown(tier)
			told := slices.ContainsFunc(r.NoRoom, func(s string) bool { return strings.Contains(s, tier.ID()) })
			left := space.Outgrown(n.Tier(tier.Name))
			require.Equal(t, told && len(small) > 0, len(left) > 0, "%s: %v\n%s", tier.ID(), r.NoRoom, plan)
			if told {
				refused++
				for _, s := range tier.Subnets { // it stays as it is
					require.Equal(t, s.Ranges, n.Subnet(s.Name).Ranges, plan)
				}
				continue
			}
			if len(small) == 0 || stay {
				continue
			}
			some := 0
			for _, s := range tier.Subnets {
				if movers[s.ID()] {
					some++
				}
			}
			if tier.Name == "web" { // which is the first to grow
				require.Equal(t, fewest(e, small), some, "%s\n%s\n%s", tier.ID(), plan, r.After.Plan.Files.First().Text)
			}
		}
	}
	assert.Greater(t, grew, 40)
	assert.Greater(t, moved, 40)
	assert.Greater(t, refused, 10)
	assert.Greater(t, added, 20)
}

// fewest is how many subnets of a tier must move, by trying which of them could stay.
func fewest(e *estate.Estate, small []space.Small) int {
	wants := 0
	var all []*estate.Subnet
	for _, x := range small {
		wants = max(wants, x.Wants)
		one := x.Subnets[0]
		for _, s := range x.Subnets[1:] {
			if space.Used(s) > space.Used(one) {
				one = s
			}
		}
		all = append(all, one)
	}
	bits, _ := e.Networks[0].Profile.SizeFor(wants)
	best := len(all)
	for chosen := range 1 << len(all) {
		good, stays := true, 0
		for i, s := range all {
			if chosen>>i&1 == 0 {
				continue
			}
			stays++
			to := netip.PrefixFrom(s.Ranges[0].Addr(), bits).Masked()
			good = good && address.Covers(e.Networks[0].Ranges[0], to)
			for _, o := range e.Networks[0].Subnets {
				k := slices.Index(all, o)
				moves := k >= 0 && chosen>>k&1 == 0
				if o != s && !moves && o.Ranges[0].Overlaps(to) {
					good = false
				}
			}
		}
		if good {
			best = min(best, len(all)-stays)
		}
	}
	return best
}

// TestWaiting: who has no range yet has no room, and nobody else is told so, whether the network is asked for, one of its tiers or all.
func TestWaiting(t *testing.T) {
	e := estatetest.Load(t, "wendrik: 1\nregions: {west: [west-a]}\nspace: {west: {block: 10.144.0.0/14, region: west}}\nnetworks:\n"+
		"  plain: {region: west, from: west, size: /24, tiers: {web: {hosts: 20}, app: {}}}\n"+
		"  quiet: {region: west, from: west, size: /24, tiers: {web: {}}}\n"+
		"  there: {region: west, range: 10.144.4.0/24, tiers: {web: {hosts: 20}}}\n"+
		"  later: {region: west, from: west, size: /24, tiers: {db: {hosts: 20}}}\n")
	for _, tc := range []struct {
		names string
		want  []string
	}{
		{"", []string{"plain", "later"}}, {"plain", []string{"plain"}}, {"plain/web", []string{"plain"}}, {"plain/app", nil}, {"web", nil},
		{"later/db there", []string{"later"}}, {"there", nil}, {"quiet", nil},
	} {
		assert.Equal(t, tc.want, Waiting(e, strings.Fields(tc.names)), tc.names)
	}
}
