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
	"wendrik/internal/core/text"
)

func pairs(t *testing.T, content string) []Pair {
	t.Helper()
	e, findings := estate.Load(text.One("wendrik.yaml", "wendrik: 1\n"+content))
	require.Empty(t, findings, content)
	return Estate(e).Pairs
}

// TestVerdicts tries each way in which two ranges can stand to each other.
func TestVerdicts(t *testing.T) {
	const two = "networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}"
	for _, c := range []struct{ name, content, want string }{
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
		{"over a link between hubs", two + "}\nhubs: {h: {attach: {a: t}, tables: {t: {routes: [{to: 10.0.8.0/22, via: l}]}}}, i: {attach: {b: u}, tables: {u: {learns: [b]}}}}\nhub-links: {l: {between: [h, i], accepted: [h, i], tables: {h: t, i: u}}}",
			"conflict network a, network b, 10.0.8.0/22: they meet by hub h, hub link l and hub i"},
		{"a third over a link between hubs", two + ", c: {range: 10.1.0.0/20}}\nhubs: {h: {attach: {a: s, c: t}, tables: {s: {}, t: {learns: [a], routes: [{to: 10.0.8.0/22, via: l}]}}}, i: {attach: {b: v}, tables: {u: {learns: [b]}, v: {}}}}\nhub-links: {l: {between: [h, i], accepted: [h, i], tables: {h: t, i: u}}}",
			"conflict network a, network b, 10.0.8.0/22: network c is joined to both, by hub h and by hub h, hub link l and hub i"},
		{"a site that a peer exports", "networks: {a: {range: 10.0.0.0/20}, c: {range: 10.1.0.0/20, tables: {main: {main: true, routes: [{to: 10.0.0.0/16, via: s}]}}}}\nsites: {s: {ranges: [10.0.0.0/16], link: c}}\npeerings: {p: {between: [a, c], accepted: [a, c], exports: [c], imports: [a]}}",
			"conflict network a, site s, 10.0.0.0/20: they meet by peering p and network c"},
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
		{"blocks that are the same space", "space: {h: {block: 10.0.0.0/16}, i: {block: 10.0.0.0/16}, j: {block: 10.0.0.0/16, within: h}}", "conflict block h, block i, 10.0.0.0/16: both blocks are the same space; conflict block i, block j, 10.0.0.0/16: both"},
		{"a held part of a network", "networks: {a: {range: 10.0.0.0/20, held: {h: {for: tills, range: 10.0.1.0/24}}, subnets: {x: {range: 10.0.0.0/23}, y: {range: 10.0.2.0/24}}}}",
			"conflict held part a/h, subnet a/x, 10.0.1.0/24: both are in network a"},
		{"a cluster on its own network", "networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}}}}\nclusters: {c: {in: a, pods: 10.0.0.0/16}}",
			"conflict network a, the pods of cluster c, 10.0.0.0/20: cluster c lives in network a"},
		{"a cluster on what its network is joined to", two + ", c: {range: 10.1.0.0/20}}\npeerings: {p: {between: [a, c]}}\nclusters: {k: {in: c, pods: 10.0.0.0/22, services: 10.9.0.0/20}}",
			"conflict network a, the pods of cluster k, 10.0.0.0/22: cluster k lives in network c, and they meet by peering p; latent network a, network b, 10.0.8.0/22: nothing joins"},
		{"a cluster on a stranger", "networks: {a: {range: 10.0.0.0/20}, c: {range: 10.1.0.0/20}}\nclusters: {k: {in: c, services: 10.0.0.0/22}}",
			"latent network a, the services of cluster k, 10.0.0.0/22: nothing joins network c, in which cluster k lives, and network a"},
		{"a cluster on a site of a third", "networks: {a: {range: 10.0.0.0/20}, c: {range: 10.1.0.0/20}}\nsites: {s: {ranges: 10.5.0.0/16, link: a}}\npeerings: {p: {between: [a, c]}}\nclusters: {k: {in: c, pods: 10.5.0.0/22}}",
			"conflict site s, the pods of cluster k, 10.5.0.0/22: cluster k lives in network c, and network a is joined to both, by peering p and by the link of site s"},
		{"pods and services of one cluster", "networks: {a: {range: 10.0.0.0/20}}\nclusters: {k: {in: a, pods: 10.5.0.0/16, services: 10.5.0.0/20}}",
			"conflict the pods of cluster k, the services of cluster k, 10.5.0.0/20: pods and services of cluster k meet inside it"},
		{"pods of two clusters", "networks: {a: {range: 10.0.0.0/20}}\nclusters: {k: {in: a, pods: 10.5.0.0/16}, l: {in: a, pods: 10.5.0.0/16}}",
			"harmless the pods of cluster k, the pods of cluster l, 10.5.0.0/16: each cluster knows only its own"},
		{"pods in a block held for them", "space: {h: {block: 10.4.0.0/14, held: pods}}\nnetworks: {a: {range: 10.0.0.0/20}}\nclusters: {k: {in: a, pods: 10.5.0.0/16}}",
			"harmless block h, the pods of cluster k, 10.5.0.0/16: block h is held (pods), and the pods of cluster k lie in it"},
		{"IPv6", "networks: {a: {range: fd3a::/48}, b: {range: [10.0.0.0/8, fd3a:0:0:5::/64]}}", "latent network a, network b, fd3a:0:0:5::/64: nothing joins"},
		{"ranges of one network", "networks: {a: {range: [10.0.0.0/20, 10.0.0.0/24]}}", "conflict network a, network a, 10.0.0.0/24: both are ranges of network a"},
	} {
		var got []string
		for _, p := range pairs(t, c.content) {
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

// TestChainsAndFixes asks by what two things meet, and where one of them could go.
func TestChainsAndFixes(t *testing.T) {
	for _, c := range []struct{ content, chain, fix string }{
		{"networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}\npeerings: {p: {between: [a, b]}}",
			"network a - peering p - network b", "the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8"},
		{"space: {s: {block: 10.0.0.0/18}}\nnetworks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.0.0/20}, c: {range: 10.0.16.0/20}}\npeerings: {p: {between: [a, c]}, q: {between: [c, b]}}",
			"network a - peering p - network c - peering q - network b", "the nearest free /20 for network b is 10.0.32.0/20, in block s"},
		{"space: {s: {block: 10.0.0.0/20}}\nnetworks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.0.0/21}}\npeerings: {p: {between: [a, b]}}",
			"network a - peering p - network b", "no /21 is free for network b in block s"},
		{"networks: {a: {range: 10.0.0.0/20}}\nsites: {x: {ranges: 10.0.0.0/24, link: a}}", "network a - the link of site x - site x", "the nearest free /20 for network a is 10.0.16.0/20, in 10.0.0.0/8"},
		{"networks: {a: {range: 10.0.0.0/22, subnets: {x: {range: 10.0.1.0/24}, y: {range: 10.0.1.0/24}, z: {range: 10.0.0.0/24}}}}",
			"network a", "the nearest free /24 for subnet a/y is 10.0.2.0/24, in network a"},
		{"networks: {a: {range: 10.0.0.0/20}}\nclusters: {k: {in: a, pods: 10.0.0.0/16}}", "network a - cluster k", "the nearest free /16 for the pods of cluster k is 10.1.0.0/16, in 10.0.0.0/8"},
		{"networks: {a: {range: 9.0.0.0/20}, b: {range: 9.0.0.0/20}}\npeerings: {p: {between: [a, b]}}", "network a - peering p - network b", ""},
	} {
		found := pairs(t, c.content)
		require.NotEmpty(t, found, c.content)
		assert.Equal(t, Conflict, found[0].Verdict, c.content)
		got := strings.Join(found[0].Chain, " - ")
		if strings.HasPrefix(got, "cluster") {
			got = strings.Join([]string{found[0].Chain[1], found[0].Chain[0]}, " - ")
		}
		assert.Equal(t, c.chain, got, c.content)
		fix := ""
		if m := found[0].Move; m != nil {
			var moves string
			fix, moves, _ = strings.Cut(m.String(), "; ")
			assert.Equal(t, m.To.IsValid(), strings.HasPrefix(moves, "renumber "), "%s: %s", c.content, moves)
		}
		assert.Equal(t, c.fix, fix, c.content)
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
