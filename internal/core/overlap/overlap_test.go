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
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

func pairs(t *testing.T, content string) []Pair {
	t.Helper()
	return Estate(estatetest.Load(t, "wendrik: 1\n"+content)).Pairs
}

// TestVerdicts tells of each way in which two ranges can stand to each other, by what they meet, and where one could go.
func TestVerdicts(t *testing.T) {
	golden.Cases(t, verdicts, func(t *testing.T, asked string) string {
		var b strings.Builder
		found := Estate(estatetest.Load(t, "wendrik: 1\n"+asked+"\n"))
		for _, c := range Couples(found.Pairs) {
			fmt.Fprintf(&b, "%s %s, %s, %s: %s\n", c.Verdict, c.A, c.B, c.Shared, c.Why)
			if len(c.Chain) > 0 {
				fmt.Fprintln(&b, "  by ", strings.Join(c.Chain, " - "))
			}
			if c.Move != nil {
				fmt.Fprintln(&b, "  fix", c.Move)
			}
			for _, p := range c.Inside {
				fmt.Fprintf(&b, "  and in it %s %s, %s, %s\n", p.Verdict, p.A, p.B, p.Shared)
			}
		}
		assert.Empty(t, found.Left)
		assert.Zero(t, found.Unjudged)
		return b.String()
	})
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

// TestMany: as many pairs of a verdict are told as may be, and the others are counted.
func TestMany(t *testing.T) {
	var content strings.Builder
	content.WriteString("networks:\n")
	for i := range 151 { // 11,325 pairs
		fmt.Fprintf(&content, "  n%d: {range: 10.0.0.0/16}\n", i)
	}
	e := estatetest.Load(t, "wendrik: 1\n"+content.String()+"peerings: {p: {between: [n0, n1]}}\n")
	found := Estate(e)
	assert.Len(t, found.Pairs, 1+MaxPairs)
	assert.Equal(t, map[Verdict]int{Latent: 11_325 - 1 - MaxPairs}, found.Left)
	assert.Equal(t, Conflict, found.Pairs[0].Verdict)
	assert.Equal(t, "networks.n0 networks.n1", found.Pairs[0].A.Place().String()+" "+found.Pairs[0].B.Place().String())
}

const verdicts = `
== nothing overlaps
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20, subnets: {s: {range: 10.0.16.0/24}}}}
--


== strangers
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}
--
latent network a, network b, 10.0.8.0/22: nothing joins network a and network b today, and nothing ever could

== peers
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}
peerings: {p: {between: [a, b], accepted: [a, b]}}
--
conflict network a, network b, 10.0.8.0/22: they meet by peering p
  by  network a - peering p - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== peers to be
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}
peerings: {p: {between: [a, b], accepted: [a]}}
--
conflict network a, network b, 10.0.8.0/22: they meet by peering p
  by  network a - peering p - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== two peers of a third
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}, c: {range: 10.1.0.0/20}}
peerings: {p: {between: [a, c], accepted: [a, c]}, q: {between: [c, b], accepted: []}}
--
conflict network a, network b, 10.0.8.0/22: network c is joined to both, by peering p and by peering q
  by  network a - peering p - network c - peering q - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== peers of peers do not meet
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}, c: {range: 10.1.0.0/20}, d: {range: 10.2.0.0/20}}
peerings: {p: {between: [a, c], accepted: [a, c]}, q: {between: [c, d], accepted: [c, d]}, r: {between: [d, b], accepted: [d, b]}}
--
latent network a, network b, 10.0.8.0/22: nothing joins network a and network b today, and nothing ever could

== one hub table
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}
hubs: {h: {attach: {a: t, b: t}, tables: {t: {learns: [a, b]}}}}
--
conflict network a, network b, 10.0.8.0/22: they meet by hub h
  by  network a - hub h - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== hub tables that know nothing of each other
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}
hubs: {h: {attach: {a: t, b: u}, tables: {t: {learns: [a]}, u: {learns: [b]}}}}
--
latent network a, network b, 10.0.8.0/22: nothing joins network a and network b today, and nothing ever could

== a hub table of a third
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}, c: {range: 10.1.0.0/20}}
hubs: {h: {attach: {a: t, b: t, c: u}, tables: {t: {}, u: {learns: [a, b]}}}}
--
conflict network a, network b, 10.0.8.0/22: network c is joined to both, by hub h
  by  network a - hub h - network c - hub h - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== over a link between hubs
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}}
hubs: {h: {attach: {a: t}, tables: {t: {routes: [{to: 10.0.8.0/22, via: l}]}}}, i: {attach: {b: u}, tables: {u: {learns: [b]}}}}
hub-links: {l: {between: [h, i], accepted: [h, i], tables: {h: t, i: u}}}
--
conflict network a, network b, 10.0.8.0/22: they meet by hub h, hub link l and hub i
  by  network a - hub h - hub link l - hub i - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== a third over a link between hubs
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}, c: {range: 10.1.0.0/20}}
hubs: {h: {attach: {a: s, c: t}, tables: {s: {}, t: {learns: [a], routes: [{to: 10.0.8.0/22, via: l}]}}}, i: {attach: {b: v}, tables: {u: {learns: [b]}, v: {}}}}
hub-links: {l: {between: [h, i], accepted: [h, i], tables: {h: t, i: u}}}
--
conflict network a, network b, 10.0.8.0/22: network c is joined to both, by hub h and by hub h, hub link l and hub i
  by  network a - hub h - network c - hub h - hub link l - hub i - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it

== a site that a peer exports
networks: {a: {range: 10.0.0.0/20}, c: {range: 10.1.0.0/20, tables: {main: {main: true, routes: [{to: 10.0.0.0/16, via: s}]}}}}
sites: {s: {ranges: [10.0.0.0/16], link: c}}
peerings: {p: {between: [a, c], accepted: [a, c], exports: [c], imports: [a]}}
--
conflict network a, site s, 10.0.0.0/20: they meet by peering p and network c
  by  network a - peering p - network c - site s
  fix the nearest free /20 for network a is 10.1.16.0/20, in 10.0.0.0/8; renumber a -to 10.1.16.0/20  moves it

== a site that is linked
networks: {a: {range: 10.0.0.0/20}}
sites: {s: {ranges: [10.0.0.0/16], link: a}}
--
conflict network a, site s, 10.0.0.0/20: they meet by the link of site s
  by  network a - the link of site s - site s
  fix the nearest free /20 for network a is 10.1.0.0/20, in 10.0.0.0/8; renumber a -to 10.1.0.0/20  moves it

== a site that is not
networks: {a: {range: 10.0.0.0/20}}
sites: {s: {ranges: [10.0.0.0/16]}}
--
latent network a, site s, 10.0.0.0/20: nothing joins network a and site s today, and nothing ever could

== subnets of one network
networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.0.128/25}}}}
--
conflict subnet a/x, subnet a/y, 10.0.0.128/25: both are in network a
  by  network a
  fix the nearest free /25 for subnet a/y is 10.0.1.0/25, in network a; renumber a/y -to 10.0.1.0/25  moves it

== subnets of two networks
networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}}}, b: {range: 10.0.0.0/20, subnets: {y: {range: 10.0.0.0/25}, z: {range: 10.0.1.0/24}}}}
--
latent network a, network b, 10.0.0.0/20: nothing joins network a and network b today, and nothing ever could
  and in it latent subnet a/x, subnet b/y, 10.0.0.0/25

== networks that are the sum of their subnets
profile: regional
networks: {a: {subnets: {x: {range: 10.0.0.0/24}}}, b: {subnets: {y: {range: 10.0.0.0/25}}}}
peerings: {p: {between: [a, b]}}
--
conflict subnet a/x, subnet b/y, 10.0.0.0/25: they meet by peering p
  by  network a - peering p - network b
  fix the nearest free /25 for subnet b/y is 10.0.1.0/25, in 10.0.0.0/8; renumber b/y -to 10.0.1.0/25  moves it

== a held block inside a network
space: {h: {block: 10.0.1.0/24, held: tills}}
networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}}}}
--
harmless block h, network a, 10.0.1.0/24: block h is held (tills) inside network a, and carve leaves it free

== a subnet on such a block
space: {h: {block: 10.0.1.0/24, held: tills}}
networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/23}}}}
--
conflict block h, subnet a/x, 10.0.1.0/24: block h is held (tills) inside network a, and the subnet takes its addresses
  fix the nearest free /23 for subnet a/x is 10.0.2.0/23, in network a; renumber a/x -to 10.0.2.0/23  moves it
harmless block h, network a, 10.0.1.0/24: block h is held (tills) inside network a, and carve leaves it free

== a network on a held block
space: {h: {block: 10.0.0.0/16, held: tills}}
networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/23}}}}
--
latent block h, network a, 10.0.0.0/20: block h is held (tills), and what it is held for could never be joined to network a

== a site in the block held for it
space: {h: {block: 10.0.0.0/16, held: quay}}
sites: {s: {ranges: 10.0.0.0/16}}
--
harmless block h, site s, 10.0.0.0/16: block h is held (quay), and site s lies in it

== two held blocks
space: {h: {block: 10.0.0.0/16, held: one}, i: {block: 10.0.0.0/24, held: two}}
--
latent block h, block i, 10.0.0.0/24: both are held, for two things that could never be joined

== a held block within a held block
space: {h: {block: 10.0.0.0/16, held: one}, i: {block: 10.0.0.0/24, held: two, within: h}}
--
harmless block h, block i, 10.0.0.0/24: one held block lies within the other

== blocks that are not held
space: {h: {block: 10.0.0.0/16}, i: {block: 10.0.0.0/24}}
networks: {a: {range: 10.0.0.0/24}}
--


== blocks that are the same space
space: {h: {block: 10.0.0.0/16}, i: {block: 10.0.0.0/16}, j: {block: 10.0.0.0/16, within: h}}
--
conflict block h, block i, 10.0.0.0/16: both blocks are the same space, and each hands it out
  fix no /16 is free for block i in block h
conflict block i, block j, 10.0.0.0/16: both blocks are the same space, and each hands it out
  fix no /16 is free for block j in block h

== a held part of a network
networks: {a: {range: 10.0.0.0/20, held: {h: {for: tills, range: 10.0.1.0/24}}, subnets: {x: {range: 10.0.0.0/23}, y: {range: 10.0.2.0/24}}}}
--
conflict held part a/h, subnet a/x, 10.0.1.0/24: both are in network a
  by  network a
  fix the nearest free /24 for held part a/h is 10.0.3.0/24, in network a; renumber a/h -to 10.0.3.0/24  moves it

== a cluster on its own network
networks: {a: {range: 10.0.0.0/20, subnets: {x: {range: 10.0.0.0/24}}}}
clusters: {c: {in: a, pods: 10.0.0.0/16}}
--
conflict network a, the pods of cluster c, 10.0.0.0/20: cluster c lives in network a
  by  cluster c - network a
  fix the nearest free /16 for the pods of cluster c is 10.1.0.0/16, in 10.0.0.0/8; renumber c/pods -to 10.1.0.0/16  moves it

== a cluster on what its network is joined to
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.8.0/22}, c: {range: 10.1.0.0/20}}
peerings: {p: {between: [a, c]}}
clusters: {k: {in: c, pods: 10.0.0.0/22, services: 10.9.0.0/20}}
--
conflict network a, the pods of cluster k, 10.0.0.0/22: cluster k lives in network c, and they meet by peering p
  by  cluster k - network c - peering p - network a
  fix the nearest free /22 for the pods of cluster k is 10.0.16.0/22, in 10.0.0.0/8; renumber k/pods -to 10.0.16.0/22  moves it
latent network a, network b, 10.0.8.0/22: nothing joins network a and network b today, and nothing ever could

== a cluster on a stranger
networks: {a: {range: 10.0.0.0/20}, c: {range: 10.1.0.0/20}}
clusters: {k: {in: c, services: 10.0.0.0/22}}
--
latent network a, the services of cluster k, 10.0.0.0/22: nothing joins network c, in which cluster k lives, and network a today, and nothing ever could

== a cluster on a site of a third
networks: {a: {range: 10.0.0.0/20}, c: {range: 10.1.0.0/20}}
sites: {s: {ranges: 10.5.0.0/16, link: a}}
peerings: {p: {between: [a, c]}}
clusters: {k: {in: c, pods: 10.5.0.0/22}}
--
conflict site s, the pods of cluster k, 10.5.0.0/22: cluster k lives in network c, and network a is joined to both, by peering p and by the link of site s
  by  cluster k - network c - peering p - network a - the link of site s - site s
  fix the nearest free /22 for the pods of cluster k is 10.4.252.0/22, in 10.0.0.0/8; renumber k/pods -to 10.4.252.0/22  moves it

== pods and services of one cluster
networks: {a: {range: 10.0.0.0/20}}
clusters: {k: {in: a, pods: 10.5.0.0/16, services: 10.5.0.0/20}}
--
conflict the pods of cluster k, the services of cluster k, 10.5.0.0/20: pods and services of cluster k meet inside it
  by  cluster k
  fix the nearest free /20 for the services of cluster k is 10.4.240.0/20, in 10.0.0.0/8; renumber k/services -to 10.4.240.0/20  moves it

== pods of two clusters
networks: {a: {range: 10.0.0.0/20}}
clusters: {k: {in: a, pods: 10.5.0.0/16}, l: {in: a, pods: 10.5.0.0/16}}
--
harmless the pods of cluster k, the pods of cluster l, 10.5.0.0/16: each cluster knows only its own pods and services, so others may have the same ranges

== pods in a block held for them
space: {h: {block: 10.4.0.0/14, held: pods}}
networks: {a: {range: 10.0.0.0/20}}
clusters: {k: {in: a, pods: 10.5.0.0/16}}
--
harmless block h, the pods of cluster k, 10.5.0.0/16: block h is held (pods), and the pods of cluster k lie in it

== IPv6
networks: {a: {range: fd3a::/48}, b: {range: [10.0.0.0/8, fd3a:0:0:5::/64]}}
--
latent network a, network b, fd3a:0:0:5::/64: nothing joins network a and network b today, and nothing ever could

== ranges of one network
networks: {a: {range: [10.0.0.0/20, 10.0.0.0/24]}}
--
conflict network a, network a, 10.0.0.0/24: both are ranges of network a
  by  network a
  fix the nearest free /24 for network a is 10.0.16.0/24, in 10.0.0.0/8; renumber a -to 10.0.16.0/24  moves it

== both families, a dual stack network with a site of each
networks:
  a: {range: [10.0.0.0/20, fd3a:5e11:c0de::/56]}
  b: {range: [10.0.8.0/22, fd3a:5e11:c0de:10::/60]}
sites:
  s: {ranges: [10.0.9.0/24, fd3a:5e11:c0de:11::/64], link: b}
peerings: {p: {between: [a, b]}}
--
conflict network a, network b, 10.0.8.0/22: they meet by peering p
  by  network a - peering p - network b
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it
conflict network a, site s, 10.0.9.0/24: network b is joined to both, by peering p and by the link of site s
  by  network a - peering p - network b - the link of site s - site s
  fix the nearest free /20 for network a is 10.0.16.0/20, in 10.0.0.0/8; renumber a -to 10.0.16.0/20  moves it
conflict network b, site s, 10.0.9.0/24: they meet by the link of site s
  by  network b - the link of site s - site s
  fix the nearest free /22 for network b is 10.0.16.0/22, in 10.0.0.0/8; renumber b -to 10.0.16.0/22  moves it
conflict network a, network b, fd3a:5e11:c0de:10::/60: they meet by peering p
  by  network a - peering p - network b
  fix the nearest free /60 for network b is fd3a:5e11:c0dd:fff0::/60, in fc00::/7; renumber b -to fd3a:5e11:c0dd:fff0::/60  moves it
conflict network a, site s, fd3a:5e11:c0de:11::/64: network b is joined to both, by peering p and by the link of site s
  by  network a - peering p - network b - the link of site s - site s
  fix the nearest free /56 for network a is fd3a:5e11:c0dd:ff00::/56, in fc00::/7; renumber a -to fd3a:5e11:c0dd:ff00::/56  moves it
conflict network b, site s, fd3a:5e11:c0de:11::/64: they meet by the link of site s
  by  network b - the link of site s - site s
  fix the nearest free /60 for network b is fd3a:5e11:c0dd:fff0::/60, in fc00::/7; renumber b -to fd3a:5e11:c0dd:fff0::/60  moves it

== a network carved from a held block
space: {h: {block: 10.0.0.0/16, held: trains}}
networks: {a: {from: h, range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}}
--
latent block h, network b, 10.0.16.0/20: block h is held (trains), and what it is held for could never be joined to network b
harmless block h, network a, 10.0.0.0/20: block h is held (trains), and network a is carved from it

== a held part on a held block
space: {h: {block: 10.0.1.0/24, held: tills}}
networks: {a: {range: 10.0.0.0/20, held: {k: {for: tills, range: 10.0.1.0/25}}}}
--
harmless block h, network a, 10.0.1.0/24: block h is held (tills) inside network a, and carve leaves it free
harmless block h, held part a/k, 10.0.1.0/25: block h is held (tills) inside network a, and so is held part a/k

== held blocks whose sites and clusters are larger than they are
space: {h: {block: 10.0.0.0/17, held: quay}, i: {block: 10.4.0.0/17, held: pods}}
networks: {a: {range: 10.9.0.0/20}}
sites: {s: {ranges: 10.0.0.0/16}}
clusters: {k: {in: a, pods: 10.4.0.0/16}}
--
latent block h, site s, 10.0.0.0/17: block h is held (quay), and what it is held for could never be joined to site s
latent block i, the pods of cluster k, 10.4.0.0/17: block i is held (pods), and what it is held for could never be joined to the pods of cluster k

== two ranges of one site
sites: {s: {ranges: [10.0.0.0/16, 10.0.4.0/24]}}
--
harmless site s, site s, 10.0.4.0/24: both are ranges of one site

== the same range twice
networks: {a: {range: [10.0.0.0/20, 10.0.0.0/20]}, b: {range: 10.8.0.0/16, subnets: {x: {range: [10.8.0.0/24, 10.8.0.0/25]}}}}
--
conflict network a, network a, 10.0.0.0/20: both are ranges of network a
  by  network a
  fix the nearest free /20 for network a is 10.0.16.0/20, in 10.0.0.0/8; renumber a -to 10.0.16.0/20  moves it
conflict subnet b/x, subnet b/x, 10.8.0.0/25: both are in network b
  by  network b
  fix the nearest free /25 for subnet b/x is 10.8.1.0/25, in network b; renumber b/x -to 10.8.1.0/25  moves it

== a subnet of a network without ranges of its own, and a held block and a cluster
profile: regional
space: {h: {block: 10.0.0.0/25, held: tills}}
networks: {a: {subnets: {x: {range: 10.0.0.0/24}}, held: {k: {for: bots, range: 10.0.1.0/24}}}, b: {range: 10.0.0.0/16, profile: plain}}
clusters: {c: {in: a, services: 10.0.0.0/26}}
--
conflict subnet a/x, the services of cluster c, 10.0.0.0/26: cluster c lives in network a
  by  cluster c - network a
  fix the nearest free /26 for the services of cluster c is 10.1.0.0/26, in 10.0.0.0/8; renumber c/services -to 10.1.0.0/26  moves it
latent subnet a/x, network b, 10.0.0.0/24: nothing joins network a and network b today, and nothing ever could
latent block h, subnet a/x, 10.0.0.0/25: block h is held (tills), and what it is held for could never be joined to network a
latent network b, the services of cluster c, 10.0.0.0/26: nothing joins network a, in which cluster c lives, and network b today, and nothing ever could
latent held part a/k, network b, 10.0.1.0/24: nothing joins network a and network b today, and nothing ever could
harmless block h, network b, 10.0.0.0/25: block h is held (tills) inside network b, and carve leaves it free
harmless block h, the services of cluster c, 10.0.0.0/26: block h is held (tills), and the services of cluster c lie in it

== a cluster of a network that a third is joined to, and a cluster of that
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.1.0.0/20}, c: {range: 10.2.0.0/20}}
peerings: {p: {between: [a, b]}, q: {between: [b, c]}}
clusters: {k: {in: a, pods: 10.2.0.0/22}, l: {in: c, pods: 10.1.0.0/22}}
--
conflict network b, the pods of cluster l, 10.1.0.0/22: cluster l lives in network c, and they meet by peering q
  by  cluster l - network c - peering q - network b
  fix the nearest free /22 for the pods of cluster l is 10.0.252.0/22, in 10.0.0.0/8; renumber l/pods -to 10.0.252.0/22  moves it
conflict network c, the pods of cluster k, 10.2.0.0/22: cluster k lives in network a, and network b is joined to both, by peering p and by peering q
  by  cluster k - network a - peering p - network b - peering q - network c
  fix the nearest free /22 for the pods of cluster k is 10.1.252.0/22, in 10.0.0.0/8; renumber k/pods -to 10.1.252.0/22  moves it

== a block inside another by its word, and three that are the same space
space:
  h: {block: 10.0.0.0/16}
  i: {block: 10.0.0.0/16, within: h}
  j: {block: 10.0.0.0/16, within: h}
--
conflict block i, block j, 10.0.0.0/16: both blocks are the same space, and each hands it out
  fix no /16 is free for block j in block h

== where there is room: of a cluster, a held part, a network in a block that is full, and a public range
space: {s: {block: 10.0.0.0/19}}
networks:
  a: {range: 10.0.0.0/20, held: {h: {for: bots, range: 10.0.1.0/24}, i: {for: tills, range: 10.0.1.128/25}}}
  b: {range: 10.0.0.0/20}
  c: {range: 10.0.16.0/20}
  d: {range: 9.0.0.0/20}
  e: {range: 9.0.8.0/22}
clusters: {k: {in: b, pods: 10.0.16.0/21}}
peerings: {p: {between: [a, b]}, q: {between: [b, c]}, r: {between: [d, e]}}
--
conflict network d, network e, 9.0.8.0/22: they meet by peering r
  by  network d - peering r - network e
conflict network a, network b, 10.0.0.0/20: they meet by peering p
  by  network a - peering p - network b
  fix no /20 is free for network b in block s
conflict held part a/h, held part a/i, 10.0.1.128/25: both are in network a
  by  network a
  fix no /25 is free for held part a/i in network a
conflict network c, the pods of cluster k, 10.0.16.0/21: cluster k lives in network b, and they meet by peering q
  by  cluster k - network b - peering q - network c
  fix no /21 is free for the pods of cluster k in block s

== many in one
networks:
  a: {range: 10.0.0.0/16}
  b: {range: 10.0.0.0/16}
  c: {range: 10.0.0.0/16}
peerings: {p: {between: [c, a]}}
--
conflict network a, network c, 10.0.0.0/16: they meet by peering p
  by  network a - peering p - network c
  fix the nearest free /16 for network c is 10.1.0.0/16, in 10.0.0.0/8; renumber c -to 10.1.0.0/16  moves it
latent network a, network b, 10.0.0.0/16: nothing joins network a and network b today, and nothing ever could
latent network b, network c, 10.0.0.0/16: nothing joins network b and network c today, and nothing ever could

== two sites of one hub, and one that nothing joins
sites: {s: {ranges: 10.0.0.0/16}, t: {ranges: 10.0.0.0/17}, u: {ranges: 10.0.0.0/18}}
hubs: {h: {attach: {s: m, t: m}, tables: {m: {learns: [s, t]}}}}
--
conflict site s, site t, 10.0.0.0/17: they meet by hub h
  by  site s - hub h - site t
latent site s, site u, 10.0.0.0/18: nothing joins site s and site u today, and nothing ever could
latent site t, site u, 10.0.0.0/18: nothing joins site t and site u today, and nothing ever could

== what subnets of two networks share, with two ranges of each
networks:
  a: {range: [10.0.0.0/20, 10.4.0.0/20], subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.4.0.0/24}, z: {range: 10.4.1.0/24}}}
  b: {range: [10.0.0.0/20, 10.4.0.0/20], subnets: {x: {range: 10.4.0.0/25}, y: {range: 10.0.0.0/25}}}
  c: {range: 10.4.0.0/20, subnets: {x: {range: 10.4.0.0/26}}}
  d: {range: 10.6.0.0/20, subnets: {x: {range: 10.6.0.0/26}, y: {range: 10.6.0.0/26}}}
--
conflict subnet d/x, subnet d/y, 10.6.0.0/26: both are in network d
  by  network d
  fix the nearest free /26 for subnet d/y is 10.6.0.64/26, in network d; renumber d/y -to 10.6.0.64/26  moves it
latent network a, network b, 10.0.0.0/20: nothing joins network a and network b today, and nothing ever could
  and in it latent subnet a/x, subnet b/y, 10.0.0.0/25
latent network a, network b, 10.4.0.0/20: nothing joins network a and network b today, and nothing ever could
  and in it latent subnet a/y, subnet b/x, 10.4.0.0/25
latent network a, network c, 10.4.0.0/20: nothing joins network a and network c today, and nothing ever could
  and in it latent subnet a/y, subnet c/x, 10.4.0.0/26
latent network b, network c, 10.4.0.0/20: nothing joins network b and network c today, and nothing ever could
  and in it latent subnet b/x, subnet c/x, 10.4.0.0/26
`
