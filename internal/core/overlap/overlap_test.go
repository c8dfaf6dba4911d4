package overlap

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/address"
	"wendrik/internal/core/estate"
	"wendrik/internal/core/plan"
)

func pairs(t *testing.T, text string) []Pair {
	t.Helper()
	e, findings := estate.Load(plan.NewSource("wendrik.yaml", []byte("wendrik: 1\n"+text)))
	require.Empty(t, findings, text)
	return Estate(e)
}

// TestVerdicts tries each way in which two ranges can stand to each other.
func TestVerdicts(t *testing.T) {
	const two = "networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}"
	for _, c := range []struct{ name, text, want string }{
		{"nothing overlaps", "networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20, subnets: {s: {range: 10.0.16.0/24}}}}", ""},
		{"strangers", two + "}", "latent network a, network b, 10.0.8.0/22: nothing joins network a and network b"},
		{"peers", two + "}\npeerings: {p: {between: [a, b], accepted: [a, b]}}", "conflict network a, network b, 10.0.8.0/22: they meet by peering p"},
		{"peers to be", two + "}\npeerings: {p: {between: [a, b], accepted: [a]}}", "conflict network a, network b, 10.0.8.0/22: they meet by peering p"},
		{"two peers of a third", two + ", c: {range: 10.1.0.0/20}}\npeerings: {p: {between: [a, c], accepted: [a, c]}, q: {between: [c, b], accepted: []}}",
			"conflict network a, network b, 10.0.8.0/22: network c is joined to both, by peering p and by peering q"},
		{"peers of peers do not meet", two + ", c: {range: 10.1.0.0/20}, d: {range: 10.2.0.0/20}}\npeerings: {p: {between: [a, c], accepted: [a, c]}, q: {between: [c, d], accepted: [c, d]}, r: {between: [d, b], accepted: [d, b]}}",
			"latent network a, network b, 10.0.8.0/22: nothing joins"},
		{"one hub table", two + "}\nhubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a, b]}}}}", "conflict network a, network b, 10.0.8.0/22: they meet by hub h"},
		{"hub tables that know nothing of each other", two + "}\nhubs: {h: {attach: {a: t, b: u}, tables: {t: {learns: [a]}, u: {learns: [b]}}}}",
			"latent network a, network b, 10.0.8.0/22: nothing joins"},
		{"a hub table of a third", two + ", c: {range: 10.1.0.0/20}}\nhubs: {h: {attach: {a: t, b: t, c: u}, tables: {t: {}, u: {learns: [a, b]}}}}",
			"conflict network a, network b, 10.0.8.0/22: network c is joined to both, by hub h"},
		{"a site that is linked", "networks: {a: {range: 10.0.0.0/20}}\nsites: {s: {ranges: [10.0.0.0/16], link: a}}", "conflict network a, site s, 10.0.0.0/20: they meet by the link of site s"},
		{"a site that is not", "networks: {a: {range: 10.0.0.0/20}}\nsites: {s: {ranges: [10.0.0.0/16]}}", "latent network a, site s, 10.0.0.0/20: nothing joins network a and site s"},
		{"subnets of one network", "networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.0.128/25}}}}",
			"conflict subnet a/x, subnet a/y, 10.0.0.128/25: both are in network a"},
		{"subnets of two networks", "networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}}}, b: {range: 10.0.0.0/20, subnets: {y: {range: 10.0.0.0/25}, z: {range: 10.0.1.0/24}}}}",
			"latent network a, network b, 10.0.0.0/20: nothing joins; latent subnet a/x, subnet b/y, 10.0.0.0/25: nothing joins"},
		{"networks that are the sum of their subnets", "profile: regional\nnetworks: {a: {subnets: {x: {range: 10.0.0.0/24}}}, b: {subnets: {y: {range: 10.0.0.0/25}}}}\npeerings: {p: {between: [a, b]}}",
			"conflict subnet a/x, subnet b/y, 10.0.0.0/25: they meet by peering p"},
		{"a held block inside a network", "space: {h: {block: 10.0.1.0/24, held: tills}}\nnetworks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}}}}",
			"harmless block h, network a, 10.0.1.0/24: block h is held (tills) inside network a"},
		{"a subnet on such a block", "space: {h: {block: 10.0.1.0/24, held: tills}}\nnetworks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/23}}}}",
			"conflict block h, subnet a/x, 10.0.1.0/24: block h is held (tills) inside network a, and the subnet takes; harmless block h, network a"},
		{"a network on a held block", "space: {h: {block: 10.0.0.0/16, held: tills}}\nnetworks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/23}}}}",
			"latent block h, network a, 10.0.0.0/20: block h is held (tills), and what it is held for could never be joined to network a"},
		{"a site in the block held for it", "space: {h: {block: 10.0.0.0/16, held: quay}}\nsites: {s: {ranges: 10.0.0.0/16}}", "harmless block h, site s, 10.0.0.0/16: block h is held (quay), and site s lies in it"},
		{"two held blocks", "space: {h: {block: 10.0.0.0/16, held: one}, i: {block: 10.0.0.0/24, held: two}}", "latent block h, block i, 10.0.0.0/24: both are held"},
		{"a held block within a held block", "space: {h: {block: 10.0.0.0/16, held: one}, i: {block: 10.0.0.0/24, held: two, within: h}}", "harmless block h, block i, 10.0.0.0/24: one held block lies within"},
		{"blocks that are not held", "space: {h: {block: 10.0.0.0/16}, i: {block: 10.0.0.0/24}}\nnetworks: {a: {range: 10.0.0.0/24}}", ""},
		{"IPv6", "networks: {a: {range: fd3a::/48}, b: {range: [10.0.0.0/8, fd3a:0:0:5::/64]}}", "latent network a, network b, fd3a:0:0:5::/64: nothing joins"},
		{"ranges of one network", "networks: {a: {range: [10.0.0.0/20, 10.0.0.0/24]}}", "conflict network a, network a, 10.0.0.0/24: both are ranges of network a"},
	} {
		var got []string
		for _, p := range pairs(t, c.text) {
			got = append(got, fmt.Sprintf("%s %s, %s, %s: %s", p.Verdict, p.A, p.B, p.Shared, p.Why))
		}
		wants := strings.Split(c.want, "; ")
		if c.want == "" {
			wants = nil
		}
		if assert.Len(t, got, len(wants), "%s: %v", c.name, got) {
			for i, want := range wants {
				assert.True(t, strings.HasPrefix(got[i], want), "%s:\n got %s\nwant %s", c.name, got[i], want)
			}
		}
	}
}

// TestPairsAgainstEveryPair compares random networks and held blocks two by two.
func TestPairsAgainstEveryPair(t *testing.T) {
	rng := rand.New(rand.NewPCG(15, 16))
	root := netip.MustParsePrefix("10.0.0.0/24")
	for range 400 {
		names, ranges := []string{}, []netip.Prefix{}
		var networks, space strings.Builder
		for i := range 2 + rng.IntN(7) {
			length := 24 + rng.IntN(9)
			p, _ := address.Piece(root, length, uint64(rng.IntN(1<<(length-24))))
			if rng.IntN(3) == 0 {
				fmt.Fprintf(&space, "h%d: {block: %s, held: x}, ", i, p)
				names = append(names, fmt.Sprintf("block h%d", i))
			} else {
				fmt.Fprintf(&networks, "n%d: {range: %s}, ", i, p)
				names = append(names, fmt.Sprintf("network n%d", i))
			}
			ranges = append(ranges, p)
		}
		var got, want []string
		for _, p := range pairs(t, fmt.Sprintf("space: {%s}\nnetworks: {%s}\n", space.String(), networks.String())) {
			both := []string{p.A.String(), p.B.String()}
			sort.Strings(both)
			got = append(got, fmt.Sprint(both, p.Shared))
		}
		for i := range names {
			for j := range i {
				a, b := ranges[i], ranges[j]
				if !a.Contains(b.Addr()) && !b.Contains(a.Addr()) {
					continue
				}
				if a.Bits() < b.Bits() {
					a = b
				}
				both := []string{names[i], names[j]}
				sort.Strings(both)
				want = append(want, fmt.Sprint(both, a))
			}
		}
		require.ElementsMatch(t, want, got)
	}
}
