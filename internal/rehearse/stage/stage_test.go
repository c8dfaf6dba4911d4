package stage

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/text"
	"wendrik/internal/fuzz"
	"wendrik/internal/randomplan"
)

func load(t *testing.T, content string) *estate.Estate {
	t.Helper()
	e, findings := estate.Load(text.One("wendrik.yaml", content))
	require.Empty(t, findings)
	return e
}

func everybody(*estate.Workload) bool { return true }

func outside(e *estate.Estate) ([]netip.Addr, map[*estate.Site][]netip.Addr) {
	sites := map[*estate.Site][]netip.Addr{}
	for _, s := range e.Sites {
		sites[s] = []netip.Addr{s.Ranges[0].Addr().Next()}
	}
	return []netip.Addr{netip.MustParseAddr("198.51.100.7"), netip.MustParseAddr("2001:db8:ff00::7")}, sites
}

// TestStagesHoldTogether: whatever the plan, no route leads over a port that is not there or to a neighbour that nobody
// is, no name is too long for the kernel or taken twice, and every chain that is jumped to is there, and before it.
func TestStagesHoldTogether(t *testing.T) {
	texts := []string{}
	shipped, err := os.ReadFile("../../../examples/skerry-line/wendrik.yaml")
	require.NoError(t, err)
	texts = append(texts, string(shipped))
	for seed := range fuzz.Rounds(40, 120) {
		texts = append(texts, randomplan.Write(rand.New(rand.NewPCG(seed, 3))))
	}
	routes := 0
	for _, content := range texts {
		e := load(t, content)
		internet, sites := outside(e)
		s := Build(e, everybody, internet, sites)
		links := map[netip.Addr]bool{}
		for _, n := range s.Nodes {
			routes += holdsTogether(t, n, links)
		}
	}
	assert.Greater(t, routes, 10_000)
}

func holdsTogether(t *testing.T, n *Node, links map[netip.Addr]bool) (routes int) {
	t.Helper()
	const longest = 15 // of the name of a link
	names := map[string]*Port{}
	neighbours := map[string][]netip.Addr{}
	for _, b := range n.Bridges {
		require.NotContains(t, names, b.Name, n.Name)
		require.LessOrEqual(t, len(b.Name), longest)
		names[b.Name] = nil
	}
	for _, p := range n.Ports {
		require.NotContains(t, names, p.Name, n.Name)
		require.LessOrEqual(t, len(p.Name), longest)
		require.Same(t, p, p.Peer.Peer)
		require.Same(t, n, p.Node)
		names[p.Name] = p
		if p.Bridge != nil {
			require.Contains(t, n.Bridges, p.Bridge)
			require.Empty(t, p.Addrs, "a port of a bridge has no address of its own")
			for _, a := range p.Peer.Addrs {
				neighbours[p.Bridge.Name] = append(neighbours[p.Bridge.Name], a.Addr())
			}
			continue
		}
		for _, a := range p.Peer.Addrs {
			neighbours[p.Name] = append(neighbours[p.Name], a.Addr())
		}
		if p.Peer.Bridge != nil {
			neighbours[p.Name] = append(neighbours[p.Name], gateway4, gateway6)
		}
		for _, a := range p.Addrs {
			if a.Addr().IsLinkLocalUnicast() {
				require.False(t, links[a.Addr()], "%s is taken twice", a)
				links[a.Addr()] = true
			}
		}
	}
	// Every neighbour that a route names, and every host of a subnet, is written down.
	written := map[string]map[netip.Addr]int{}
	for _, x := range n.Neighbours() {
		require.Contains(t, names, x.Dev)
		if written[x.Dev] == nil {
			written[x.Dev] = map[netip.Addr]int{}
		}
		number, twice := written[x.Dev][x.Addr]
		require.False(t, twice && number != x.Number, "%s: %s on %s is two hosts", n.Name, x.Addr, x.Dev)
		written[x.Dev][x.Addr] = x.Number
	}
	for dev, all := range neighbours {
		for _, a := range all {
			require.Contains(t, written[dev], a, "%s: a neighbour on %s", n.Name, dev)
		}
	}
	for number, table := range n.Tables {
		var seen []netip.Prefix
		for _, r := range table {
			routes++
			require.NotContains(t, seen, r.To, "table %d of %s", number, n.Name)
			seen = append(seen, r.To)
			if r.Kind != Deliver {
				continue
			}
			require.Contains(t, names, r.Dev, "%s: the route to %s", n.Name, r.To)
			if r.Via.IsValid() {
				require.Equal(t, r.To.Addr().Is4(), r.Via.Is4())
				require.Contains(t, neighbours[r.Dev], r.Via, "%s: the route to %s", n.Name, r.To)
			}
		}
	}
	for _, r := range n.Rules {
		require.Less(t, r.Table, len(n.Tables))
		if r.In != "" {
			require.Contains(t, names, r.In)
		}
	}
	last := n.Rules[len(n.Rules)-1]
	require.Equal(t, Rule{Table: len(n.Tables) - 1}, last, "what nothing has led anywhere is dropped")
	require.Equal(t, end(), n.Tables[last.Table])
	var chains []string
	for _, c := range n.Chains {
		require.NotContains(t, chains, c.Name)
		chains = append(chains, c.Name)
		for _, f := range c.Rules {
			if f.Then == Jump {
				require.Contains(t, chains, f.Jump, "%s: chain %s", n.Name, c.Name)
			}
			for _, port := range []string{f.In, f.Out} {
				if port != "" {
					require.Contains(t, names, port)
				}
			}
			if f.Then == From || f.Then == To {
				require.True(t, f.New.IsValid())
				require.Equal(t, f.Family, familyOf(f.New))
			}
		}
	}
	return routes
}

func (s *Stage) named(name string) *Node {
	i := slices.IndexFunc(s.Nodes, func(n *Node) bool { return n.Name == name })
	if i < 0 {
		return nil
	}
	return s.Nodes[i]
}

const pier = `wendrik: 1
networks:
  pier:
    range: 10.144.0.0/20
    subnets: {web: {range: 10.144.0.0/24}, app: {range: 10.144.1.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: web, address: 10.144.0.200, public: 203.0.113.7}}
    tables:
      main: {main: true, routes: [{to: 0.0.0.0/0, via: front}]}
      app: {subnets: [app], routes: [{to: 0.0.0.0/0, via: out}, {to: 10.144.0.0/25, via: blackhole}, {to: 10.148.0.0/20, via: half}]}
    groups: {web: {in: ["tcp/443-445,icmp from 10.144.0.0/16", udp/53 from group web], out: []}}
    lists: {edge: {subnets: [web], in: [deny tcp/22 from any, allow any from any], out: [allow any to any]}}
  quay: {range: 10.148.0.0/20, subnets: {a: {range: 10.148.0.0/24}}}
workloads:
  shop: {in: pier/web, address: 10.144.0.10, public: 203.0.113.10, groups: [web]}
  loose: {in: pier/app, address: 10.144.1.10}
  guard: {in: pier/app, address: 10.144.1.11, forwards: nat}
peerings: {half: {between: [pier, quay], accepted: [pier]}}
`

// TestParts reads the parts of a small stage: who is there, which way each table leads, and what each filter says.
func TestParts(t *testing.T) {
	e := load(t, pier)
	internet, sites := outside(e)
	s := Build(e, func(w *estate.Workload) bool { return w.Name != "loose" }, internet, sites)
	var names []string
	for _, n := range s.Nodes {
		names = append(names, n.Name)
	}
	assert.Equal(t, []string{"internet", "network pier", "workload shop", "workload guard", "NAT gateway pier/out", "gateways of pier"}, names,
		"a workload that is not wanted is left out, unless packets may go through it, and so is a network that no packet goes through")

	router := s.named("network pier")
	app := router.Tables[router.Rules[2].Table]
	assert.Equal(t, "br2", router.Rules[2].In)
	kinds := map[string]string{}
	for _, r := range app {
		kinds[r.To.String()] = fmt.Sprintf("%d %s", r.Kind, r.Dev)
	}
	assert.Equal(t, fmt.Sprintf("%d ", Next), kinds["10.144.0.0/20"], "the network's own range is left to the table of its subnets")
	assert.Equal(t, fmt.Sprintf("%d ", Unreachable), kinds["10.144.0.0/25"], "a blackhole that is longer than the local route")
	assert.Equal(t, fmt.Sprintf("%d ", Unreachable), kinds["10.148.0.0/20"], "a peering of which one half is missing")
	assert.Equal(t, fmt.Sprintf("%d br1", Deliver), kinds["0.0.0.0/0"], "the NAT gateway sits in the other subnet")

	shop := s.named("workload shop")
	in := shop.Chains[0]
	assert.True(t, in.Drops)
	assert.Equal(t, Filter{State: Known}, in.Rules[0])
	from := netip.MustParsePrefix("10.144.0.0/16")
	assert.Contains(t, in.Rules, Filter{Family: 4, Src: from, Protocol: "tcp", Ports: &[2]uint16{443, 445}})
	assert.Contains(t, in.Rules, Filter{Family: 4, Src: from, Protocol: "icmp"})
	assert.Contains(t, in.Rules, Filter{Family: 4, Src: netip.MustParsePrefix("10.144.0.10/32"), Protocol: "udp", Ports: &[2]uint16{53, 53}}, "a group is its members' addresses")
	assert.Len(t, shop.Chains[1].Rules, 2, "a group without rules lets nothing out but what is known, and neighbour discovery")

	edge := router.Chains[len(router.Chains)-1]
	assert.Equal(t, Forward, edge.Hook)
	assert.Equal(t, []Filter{{In: "br1", Then: Jump, Jump: "out-0"}, {Out: "br1", Apart: true, Then: Jump, Jump: "in-0"}}, edge.Rules)
	assert.Equal(t, Filter{Protocol: "tcp", Ports: &[2]uint16{22, 22}, Then: Drop}, router.Chains[0].Rules[0])
	assert.Equal(t, Filter{Then: Drop}, router.Chains[0].Rules[2], "what no rule of a list matches is denied")

	gates := s.named("gateways of pier")
	shopOut := Filter{Out: "wan", Family: 4, Src: netip.MustParsePrefix("10.144.0.10/32"), Then: From, New: netip.MustParseAddr("203.0.113.10")}
	natOut := Filter{Out: "wan", Family: 4, Src: netip.MustParsePrefix("10.144.0.200/32"), Then: From, New: netip.MustParseAddr("203.0.113.7")}
	shopIn := Filter{In: "wan", Family: 4, Dst: netip.MustParsePrefix("203.0.113.10/32"), Then: To, New: netip.MustParseAddr("10.144.0.10")}
	var all []Filter
	for _, c := range gates.Chains {
		all = append(all, c.Rules...)
	}
	for _, want := range []Filter{shopOut, natOut, shopIn, {Out: "wan", Then: Drop}} {
		assert.Contains(t, all, want)
	}
	for _, f := range all {
		assert.False(t, f.Then == To && f.New == netip.MustParseAddr("10.144.0.200"), "nothing comes in through a NAT gateway")
	}
	world := s.named("internet")
	var known []string
	for _, r := range world.Tables[0] {
		known = append(known, r.To.String())
	}
	assert.ElementsMatch(t, []string{"203.0.113.10/32", "203.0.113.7/32"}, known, "the internet knows public addresses, and nothing else")
}

// TestSiteAndHubs reads the tables of a site behind a hub, and of two hubs with a link, of which one half may be missing.
func TestSiteAndHubs(t *testing.T) {
	const content = `wendrik: 1
networks:
  west: {range: 10.144.0.0/20, subnets: {a: {range: 10.144.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.0.0.0/8, via: spine}]}}}
  north: {range: 10.148.0.0/20, subnets: {a: {range: 10.148.0.0/24}}, tables: {main: {main: true, routes: [{to: 10.0.0.0/8, via: rail}]}}}
workloads: {w: {in: west/a, address: 10.144.0.10}, n: {in: north/a, address: 10.148.0.10}}
hubs:
  spine: {attach: {west: t, depot: u}, tables: {t: {learns: [west, depot], routes: [{to: 10.148.0.0/20, via: bridge}, {to: 10.9.0.0/16, via: blackhole}]}, u: {learns: [west]}}}
  rail: {attach: {north: t}, tables: {t: {learns: [north], routes: [{to: 10.144.0.0/20, via: bridge}]}}}
hub-links: {bridge: {between: [spine, rail], accepted: ACCEPTED, tables: {spine: u, rail: t}}}
sites: {depot: {ranges: 10.212.0.0/16, knows: [10.144.0.0/24, 10.148.0.0/20]}}
`
	for accepted, want := range map[string]Kind{"[spine, rail]": Deliver, "[spine]": Unreachable} {
		e := load(t, strings.Replace(content, "ACCEPTED", accepted, 1))
		internet, sites := outside(e)
		s := Build(e, everybody, internet, sites)
		spine := s.named("hub spine")
		byRange := map[string]Route{}
		for _, r := range spine.Tables[0] {
			byRange[r.To.String()] = r
		}
		assert.Equal(t, want, byRange["10.148.0.0/20"].Kind, accepted)
		assert.Equal(t, Unreachable, byRange["10.9.0.0/16"].Kind)
		assert.Equal(t, Deliver, byRange["10.212.0.0/16"].Kind)
		assert.NotEqual(t, byRange["10.212.0.0/16"].Dev, byRange["10.144.0.0/20"].Dev)
		rules := map[int]int{}
		for _, r := range spine.Rules {
			rules[r.Table]++
		}
		links := map[Kind]int{Deliver: 1}[want]
		assert.Equal(t, map[int]int{0: 1, 1: 1 + links, 2: 1}, rules, "what comes over the link looks into its own table")

		depot := s.named("site depot")
		var knows []string
		for _, r := range depot.Tables[0] {
			if r.Kind == Next {
				knows = append(knows, r.To.String())
			}
		}
		assert.Equal(t, []string{"10.144.0.0/24", "10.148.0.0/20"}, knows)
		assert.Equal(t, "10.144.0.0/20", depot.Tables[1][0].To.String(), "it sends to a hub what that has a route for")
		assert.False(t, depot.Forwards)
		assert.True(t, spine.Forwards)
	}
}
