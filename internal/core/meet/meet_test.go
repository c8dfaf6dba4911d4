package meet

import (
	"fmt"
	"strings"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// TestChains tells of every two networks and sites of an estate whether they can meet, and by what.
func TestChains(t *testing.T) {
	golden.Cases(t, chains, func(t *testing.T, asked string) string {
		e := estatetest.Load(t, "wendrik: 1\n"+asked+"\n")
		m := Of(e)
		var ends []estate.Object
		for _, n := range e.Networks {
			ends = append(ends, n)
		}
		for _, s := range e.Sites {
			ends = append(ends, s)
		}
		var b strings.Builder
		for i, x := range ends {
			for j, y := range ends {
				chain, third := m.Chain(x, y)
				if m.Meet(x, y) != (len(chain) > 0) {
					t.Errorf("%s and %s meet: %v, by %v", x.ID(), y.ID(), m.Meet(x, y), chain)
				}
				if i < j && len(chain) > 0 {
					fmt.Fprint(&b, strings.Join(chain, " - "))
					if third > 0 {
						fmt.Fprint(&b, "; both at ", chain[third])
					}
					b.WriteString("\n")
				}
			}
		}
		return b.String()
	})
}

const chains = `
== nothing joins anything
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}}
sites: {s: {ranges: 10.9.0.0/16}}
--


== a row of peers meets by pairs and by the one in the middle
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}, c: {range: 10.0.32.0/20}, d: {range: 10.0.48.0/20}}
peerings: {q: {between: [c, b]}, p: {between: [a, b]}, r: {between: [d, c]}}
--
network a - peering p - network b
network a - peering p - network b - peering q - network c; both at network b
network b - peering q - network c
network b - peering q - network c - peering r - network d; both at network c
network c - peering r - network d

== two peerings of the same two, of which the first by name is told
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}}
peerings: {z: {between: [a, b]}, k: {between: [b, a]}}
--
network a - peering k - network b

== a site and its network, a peer to which nothing is exported, and one that has routes for it
networks:
  a: {range: 10.0.0.0/20, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: s}]}}}
  b: {range: 10.0.16.0/20}
  c: {range: 10.0.32.0/20}
peerings: {p: {between: [a, b]}, q: {between: [a, c], exports: [a], imports: [c]}}
sites: {s: {ranges: 10.9.0.0/16, link: a}}
--
network a - peering p - network b
network a - peering q - network c
network a - the link of site s - site s
network b - peering p - network a - peering q - network c; both at network a
network b - peering p - network a - the link of site s - site s; both at network a
network c - peering q - network a - site s

== a hub behind a peer that exports its routes
networks:
  a: {range: 10.0.0.0/20, tables: {m: {main: true, routes: [{to: 10.0.32.0/20, via: h}]}}}
  b: {range: 10.0.16.0/20}
  c: {range: 10.0.32.0/20}
peerings: {p: {between: [a, b], exports: [a], imports: [b]}}
hubs: {h: {attach: {a: t, c: u}, tables: {t: {learns: [c]}, u: {learns: [a]}}}}
--
network a - peering p - network b
network a - hub h - network c
network b - peering p - network a - hub h - network c

== hub tables: one learns the other, one has it by hand, one has a blackhole
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}, c: {range: 10.0.32.0/20}, d: {range: 10.0.48.0/20}}
hubs: {h: {attach: {a: t, b: u, c: v, d: w}, tables: {t: {learns: [b]}, u: {routes: [{to: 10.0.32.0/20, via: c}]}, v: {routes: [{to: 10.0.48.0/20, via: blackhole}]}, w: {}}}}
--
network a - hub h - network b
network b - hub h - network c

== hubs in a row, and a site behind the last of them
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}}
sites: {s: {ranges: 10.9.0.0/16}}
hubs:
  h: {attach: {a: t}, tables: {t: {routes: [{to: 10.9.0.0/16, via: l}]}}}
  i: {attach: {b: t}, tables: {t: {routes: [{to: 10.9.0.0/16, via: m}]}}}
  k: {attach: {s: t}, tables: {t: {learns: [s]}}}
hub-links:
  l: {between: [h, i], tables: {h: t, i: t}}
  m: {between: [k, i], tables: {i: t, k: t}}
--
network a - hub h - hub link l - hub i - hub link m - hub k - site s
network b - hub i - hub link m - hub k - site s

== a network that is passed through, by what the hub, a peering and a site bring
networks:
  a: {range: 10.0.0.0/20}
  b: {range: 10.0.16.0/20}
  mid:
    range: 10.0.32.0/20
    subnets: {x: {range: 10.0.32.0/24}, y: {range: 10.0.33.0/24}}
    gateways: {n: {kind: nat, in: y, address: 10.0.33.9}}
    tables:
      in: {routes: [{to: 10.0.48.0/20, via: h}, {to: 10.0.16.0/20, via: p}, {to: 10.8.0.0/16, via: wall}, {to: 10.0.64.0/20, via: n}]}
      x: {subnets: [x], routes: [{to: 10.8.0.0/16, via: t}]}
      y: {subnets: [y], routes: [{to: 10.0.64.0/20, via: q}]}
  d: {range: 10.0.48.0/20}
  e: {range: 10.0.64.0/20}
workloads: {wall: {in: mid/x, address: 10.0.32.9, forwards: plain}}
sites: {s: {ranges: 10.9.0.0/16, link: mid, arrives: in}, t: {ranges: 10.8.0.0/16, link: mid}}
peerings: {p: {between: [mid, b], arrives: {mid: in}}, q: {between: [mid, e]}}
hubs: {h: {attach: {a: t, mid: {table: u, arrives: in}, d: v}, tables: {t: {routes: [{to: 0.0.0.0/0, via: mid}]}, u: {learns: [d]}, v: {learns: [mid]}}}}
--
network a - hub h - network mid - peering p - network b
network a - hub h - network mid
network a - hub h - network mid - hub h - network d
network a - hub h - network mid - peering q - network e
network a - hub h - network mid - the link of site t - site t
network b - peering p - network mid
network b - peering p - network mid - hub h - network d
network b - peering p - network mid - peering q - network e
network b - peering p - network mid - the link of site s - site s
network b - peering p - network mid - the link of site t - site t
network mid - hub h - network d
network mid - peering q - network e
network mid - the link of site s - site s
network mid - the link of site t - site t
network d - hub h - network mid - peering q - network e
network d - hub h - network mid - the link of site s - site s
network d - hub h - network mid - the link of site t - site t
network e - peering q - network mid - the link of site s - site s
network e - peering q - network mid - the link of site t - site t; both at network mid
site s - the link of site s - network mid - the link of site t - site t

== a peering that is passed through on the far side
networks:
  a: {range: 10.0.0.0/20}
  mid: {range: 10.0.32.0/20, tables: {in: {routes: [{to: 10.0.48.0/20, via: p}]}}}
  far: {range: 10.0.48.0/20, tables: {in: {routes: [{to: 10.9.0.0/16, via: s}]}}}
sites: {s: {ranges: 10.9.0.0/16, link: far}}
peerings: {p: {between: [mid, far], arrives: {far: in}}, q: {between: [a, mid], arrives: {mid: in}}}
--
network a - peering q - network mid
network a - peering q - network mid - peering p - network far
network a - peering q - network mid - peering p - network far - the link of site s - site s
network mid - peering p - network far
network mid - peering p - network far - the link of site s - site s
network far - the link of site s - site s

== what a hub brings for an importing peer
networks:
  a: {range: 10.0.0.0/20, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: h}]}}}
  b: {range: 10.0.16.0/20}
sites: {s: {ranges: 10.9.0.0/16}}
peerings: {p: {between: [b, a], exports: [a], imports: [b]}}
hubs: {h: {attach: {a: t, s: u}, tables: {t: {}, u: {learns: [a]}}}}
--
network a - peering p - network b
network a - hub h - site s
network b - peering p - network a - hub h - site s

== two thirds that both are joined to: the shorter way, and of two as long the first by name
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}, z: {range: 10.0.32.0/20}, k: {range: 10.0.48.0/20}, l: {range: 10.0.64.0/20}}
peerings: {p: {between: [a, z]}, q: {between: [z, b]}, r: {between: [k, a]}, s: {between: [b, k]}, t: {between: [l, a]}}
hubs: {h: {attach: {l: t, b: u}, tables: {t: {learns: [b]}, u: {}}}}
--
network a - peering p - network z - peering q - network b; both at network z
network a - peering p - network z
network a - peering r - network k
network a - peering t - network l
network b - peering q - network z
network b - peering s - network k
network b - hub h - network l
network z - peering p - network a - peering r - network k; both at network a
network z - peering p - network a - peering t - network l; both at network a
network k - peering r - network a - peering t - network l; both at network a

== a third at the end of a long way
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}, c: {range: 10.0.32.0/20}}
hubs:
  h: {attach: {c: t}, tables: {t: {routes: [{to: 10.0.0.0/20, via: l}]}}}
  i: {attach: {a: t}, tables: {t: {learns: [a]}}}
hub-links: {l: {between: [h, i], tables: {h: t, i: t}}}
peerings: {p: {between: [c, b]}}
--
network a - hub i - hub link l - hub h - network c - peering p - network b; both at network c
network a - hub i - hub link l - hub h - network c
network b - peering p - network c

== a hub to which a network has no exported route, and a peering that carries nothing
networks:
  a: {range: 10.0.0.0/20, tables: {m: {main: true, routes: [{to: 10.9.0.0/16, via: h}]}, n: {routes: [{to: 10.8.0.0/16, via: g}]}}}
  b: {range: 10.0.16.0/20}
  c: {range: 10.0.64.0/20}
sites: {s: {ranges: 10.9.0.0/16}, r: {ranges: 10.8.0.0/16}}
peerings: {p: {between: [b, a], exports: [a], imports: [b]}, q: {between: [c, a], exports: [a]}}
hubs:
  h: {attach: {a: t, s: u}, tables: {t: {learns: [s]}, u: {learns: [a]}}}
  g: {attach: {a: t, r: u}, tables: {t: {learns: [r]}, u: {learns: [a]}}}
--
network a - peering p - network b
network a - peering q - network c
network a - hub h - site s
network a - hub g - site r
network b - peering p - network a - peering q - network c; both at network a
network b - peering p - network a - hub h - site s
network b - peering p - network a - hub g - site r; both at network a
network c - peering q - network a - hub h - site s; both at network a
network c - peering q - network a - hub g - site r; both at network a
site s - hub h - network a - hub g - site r; both at network a

== two ways of one length to one end
networks: {a: {range: 10.0.0.0/20}, b: {range: 10.0.16.0/20}}
sites: {s: {ranges: 10.9.0.0/16}, unlinked: {ranges: 10.7.0.0/16}, t: {ranges: 10.6.0.0/16, link: b}}
hubs:
  h: {attach: {a: t, s: u}, tables: {t: {routes: [{to: 10.9.0.0/17, via: m}, {to: 10.9.128.0/17, via: l}]}, u: {}}}
  i: {attach: {s: t}, tables: {t: {learns: [s]}}}
  k: {attach: {s: t}, tables: {t: {learns: [s]}}}
hub-links: {m: {between: [h, i], tables: {h: t, i: t}}, l: {between: [h, k], tables: {h: t, k: t}}}
--
network a - hub h - hub link l - hub k - site s
network b - the link of site t - site t
`
