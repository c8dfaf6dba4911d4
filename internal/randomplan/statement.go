package randomplan

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

// Both writes one estate in two ways: by patterns, counts, tiers and names, and with all of that spelt out. The same numbers
// give the same texts.
func Both(rng *rand.Rand) (stated, spelt string) {
	w := &writer{rng: rng}
	const networks = 3
	two := func(name, ranges string) [2]string { return [2]string{name, ranges} }
	tier := func(n, t int) [2]string {
		return two(fmt.Sprintf("n%d/t%d", n, t), fmt.Sprintf("10.%d.%d.0/25", n, t)) // two subnets side by side
	}
	site := two("quay", "10.200.0.0/16")
	var far [][2]string
	for n := range networks {
		far = append(far, two(fmt.Sprintf("n%d", n), fmt.Sprintf("10.%d.0.0/16", n)), tier(n, 0), tier(n, 1))
	}
	far = append(far, site, two("any", "any"), two("any", "any"))
	var groups [2][]string // in the pattern, of which {network} is a part of the names
	for g := range 2 {
		var in, spelled []string
		for range 1 + rng.IntN(3) {
			flows, peer := w.flows(), far[rng.IntN(len(far))]
			if w.some(30) {
				own := fmt.Sprintf("%d", rng.IntN(2))
				in, spelled = append(in, flows+" from {network}/t"+own), append(spelled, flows+" from 10.{number}."+own+".0/25")
				continue
			}
			in, spelled = append(in, flows+" from "+peer[0]), append(spelled, flows+" from "+peer[1])
		}
		quote := func(all []string) string { return `["` + strings.Join(all, `", "`) + `"]` }
		groups[0] = append(groups[0], fmt.Sprintf("g%d: {in: %s, out: [any to any]}", g, quote(in)))
		groups[1] = append(groups[1], fmt.Sprintf("g%d: {in: %s, out: [any to any]}", g, quote(spelled)))
	}
	head := fmt.Sprintf("wendrik: 1\nprofile: {like: zonal, peer-routes: %v, routes-for-some: true}\nregions: {west: [west-a, west-b]}\n", w.some(50))
	base := []string{"tiers: {t0: {access: public, hosts: 20}, t1: {access: outbound, hosts: 20}}", "gateways: {front: {kind: internet}, out: {kind: nat, in: %s, address: 10.%d.0.9, public: assigned}}"}
	pattern := "patterns:\n  base: {" + base[0] + "}\n  service:\n    pattern: base\n    gateways: {front: {kind: internet}, out: {kind: nat, in: t0, public: assigned}}\n    groups: {" + strings.Join(groups[0], ", ") + "}\n"
	var short, long strings.Builder
	for n := range networks {
		subnets := fmt.Sprintf("subnets: {t0-a: {tier: t0, zone: west-a, range: 10.%d.0.0/26}, t0-b: {tier: t0, zone: west-b, range: 10.%d.0.64/26}, t1-a: {tier: t1, zone: west-a, range: 10.%d.1.0/26}, t1-b: {tier: t1, zone: west-b, range: 10.%d.1.64/26}}", n, n, n, n)
		routes := [2][]string{{"{to: 0.0.0.0/0, via: out}"}, {"{to: 0.0.0.0/0, via: out}"}}
		seen := map[string]bool{}
		for range rng.IntN(4) {
			m := rng.IntN(networks)
			to := [][2]string{far[3*m], far[3*m+1], far[3*m+2]}[rng.IntN(3)]
			if m == n || seen[to[1]] {
				continue
			}
			seen[to[1]] = true
			only := w.pick("", "", ", only: g0")
			for i := range 2 {
				routes[i] = append(routes[i], fmt.Sprintf("{to: %s, via: %s%s}", to[i], peering(n, m), only))
			}
		}
		tables := func(i int) string {
			named := []string{"[t0]", "[t0-a, t0-b]"}[i]
			return fmt.Sprintf("tables: {main: {main: true, routes: [%s]}, edge: {subnets: %s, routes: [{to: 0.0.0.0/0, via: front}]}}", strings.Join(routes[i], ", "), named)
		}
		filled := strings.ReplaceAll(strings.Join(groups[1], ", "), "{number}", fmt.Sprint(n))
		fmt.Fprintf(&short, "  n%d: {pattern: service, region: west, range: 10.%d.0.0/16, gateways: {out: {address: 10.%d.0.9}}, %s, %s}\n", n, n, n, subnets, tables(0))
		fmt.Fprintf(&long, "  n%d: {region: west, range: 10.%d.0.0/16, %s, "+base[1]+", groups: {%s}, %s, %s}\n", n, n, base[0], "t0-a", n, filled, subnets, tables(1))
	}
	var shortHosts, longHosts strings.Builder
	for n := range networks {
		for t := range 2 {
			count, group := 1+rng.IntN(3), w.pick("g0", "g1")
			var addrs []string
			for i := range count {
				a := fmt.Sprintf("10.%d.%d.%d", n, t, 10+i/2+64*(i%2))
				addrs = append(addrs, a)
				fmt.Fprintf(&longHosts, "  w%d%d-%d: {in: n%d/t%d-%c, address: %s, groups: [%s]}\n", n, t, i+1, n, t, 'a'+i%2, a, group)
			}
			fmt.Fprintf(&shortHosts, "  w%d%d: {in: n%d/t%d, count: %d, addresses: [%s], groups: [%s]}\n", n, t, n, t, count, strings.Join(addrs, ", "), group)
		}
	}
	joins := "peerings:\n"
	for n := range networks {
		for m := n + 1; m < networks; m++ {
			joins += fmt.Sprintf("  %s: {between: [n%d, n%d], accepted: [n%d, n%d]}\n", peering(n, m), n, m, n, m)
		}
	}
	knows := far[rng.IntN(len(far)-3)]
	sites := func(i int) string {
		return fmt.Sprintf("sites: {quay: {ranges: 10.200.0.0/16, knows: [%s], link: n0}}\n", knows[i])
	}
	stated = head + pattern + "networks:\n" + short.String() + "workloads:\n" + shortHosts.String() + joins + sites(0)
	spelt = head + "networks:\n" + long.String() + "workloads:\n" + longHosts.String() + joins + sites(1)
	return stated, spelt
}

// Statement writes an estate of which only what is wanted is said: tiers with access, workloads by tier, joins, and lines of
// expect. The same numbers give the same text.
func Statement(rng *rand.Rand) string {
	pick := func(words ...string) string { return words[rng.IntN(len(words))] }
	cloud := pick("zonal", "zonal", "regional", "plain")
	six := cloud == "zonal" && rng.IntN(3) == 0
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	block, size := "10.144.0.0/14", ", size: /20"
	if six {
		block, size = `[10.144.0.0/14, "fd00:144::/40"]`, ", size: /20, size6: /56"
	}
	if cloud == "regional" {
		size = ""
	}
	line("wendrik: 1\nprofile: %s\nregions: {west: [west-a, west-b]}\nspace: {west: {block: %s, region: west}}", cloud, block)
	line("patterns:\n  service:\n    nat: %s\n    tiers: {web: {access: public, hosts: 20}, app: {access: outbound, hosts: 40}, data: {access: closed, hosts: 20}}", pick("one", "per-zone"))
	line("    expect: [\"internet never reaches {network}/data\"]\nnetworks:")
	for n := range 3 {
		line("  n%d: {pattern: service, region: west, from: west%s}", n, size)
	}
	line("workloads:")
	for n := range 3 {
		line("  shop%d: {in: n%d/web, count: 2, public: assigned}\n  jobs%d: {in: n%d/app, count: %d}\n  store%d: {in: n%d/data}", n, n, n, n, 1+rng.IntN(3), n, n)
	}
	if rng.IntN(2) == 0 && cloud != "regional" {
		line("hubs: {spine: {attach: {n0: t, n1: t, n2: t, quay: t}, tables: {t: {}}}}\nsites: {quay: {ranges: 10.212.0.0/16}}")
	} else {
		line("peerings: {p01: {between: [n0, n1], accepted: [n0, n1]}, p12: {between: [n1, n2], accepted: [n1, n2]}, p02: {between: [n0, n2], accepted: [n0, n2]}}")
		line("sites: {quay: {ranges: 10.212.0.0/16, link: n0}}")
	}
	line("expect:")
	said := map[string]bool{}
	for range 2 + rng.IntN(4) {
		n, m := rng.IntN(3), rng.IntN(3)
		x := fmt.Sprintf("  - %s on %s", pick(fmt.Sprintf("n%d/app reaches store%d", n, m), fmt.Sprintf("internet reaches shop%d", n), fmt.Sprintf("jobs%d reaches internet", n), fmt.Sprintf("quay reaches store%d", 0), fmt.Sprintf("n%d/web reaches n%d/app", n, m)), pick("tcp/443", "udp/514", "tcp/8443"))
		if !said[x] {
			said[x] = true
			line("%s", x)
		}
	}
	return b.String()
}

// Wish is a Statement of an estate whose networks differ: in their zones, regions, tiers, sizes, ways out and owners, with names that stand for
// several kinds of things, and lines of more forms. All of it can be made to hold.
func Wish(rng *rand.Rand) string {
	pick := func(words ...string) string { return words[rng.IntN(len(words))] }
	some := func(percent int) bool { return rng.IntN(100) < percent }
	cloud := pick("zonal", "zonal", "plain")
	six := some(40)
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	zones := map[string][]string{"west": []string{"west-a", "west-b", "west-c"}[:1+rng.IntN(3)], "north": []string{"north-a", "north-b"}[:1+rng.IntN(2)]}
	line("wendrik: 1\nprofile: %s\nregions: {west: [%s], north: [%s]}", cloud, strings.Join(zones["west"], ", "), strings.Join(zones["north"], ", "))
	if six {
		line("space: {west: {block: [10.144.0.0/14, \"fd00:144::/40\"], region: west}, north: {block: [10.148.0.0/14, \"fd00:148::/40\"], region: north}}")
	} else {
		line("space: {west: {block: 10.144.0.0/14, region: west}, north: {block: 10.148.0.0/14, region: north}}")
	}
	line("patterns:\n  service:\n    nat: %s\n    tiers: {web: {access: public, hosts: 20}, app: {access: outbound, hosts: 40}, data: {access: closed, hosts: 20}}", pick("one", "per-zone"))
	line("networks:")
	const networks = 4
	names := []string{"booking", "web", "crew", "store3"} // as a tier and a workload are called, too
	tiers := make([][]string, networks)
	for n, name := range names {
		region := pick("west", "west", "north")
		own := ""
		switch rng.IntN(4) {
		case 0:
			own, tiers[n] = "pattern: service", []string{"web", "app", "data"}
		case 1: // which override what the pattern says of one
			own, tiers[n] = fmt.Sprintf("pattern: service, nat: %s, tiers: {app: {hosts: 9, zones: [%s]}}", pick("one", "per-zone"), pick(zones[region]...)), []string{"web", "app", "data"}
		case 2: // one of which is called as the network is
			called := strings.Replace(name, "web", "crew", 1)
			own, tiers[n] = fmt.Sprintf("tiers: {app: {access: closed, hosts: 9}, %s: {access: closed, hosts: 9}}", called), []string{"app", called}
		case 3:
			own, tiers[n] = "tiers: {web: {access: public, hosts: 9}, data: {access: closed, hosts: 9}}", []string{"web", "data"}
		}
		size := pick(", size: /20", ", size: /21", "")
		if six && some(70) {
			size += ", size6: /56"
			if !strings.Contains(size, "size:") {
				size += ", size: /20"
			}
		}
		line("  %s: {region: %s, from: %s%s, %s}", name, region, region, size, own)
	}
	line("workloads:")
	var hosts [networks][]string
	for n, name := range names {
		for _, t := range tiers[n] {
			host := fmt.Sprintf("%s%d", t, n)
			more := ""
			if t == "web" {
				more = ", public: assigned"
			}
			if some(50) {
				more += fmt.Sprintf(", count: %d", 2+rng.IntN(3))
			}
			line("  %s: {in: %s/%s%s}", host, name, t, more)
			hosts[n] = append(hosts[n], host)
		}
	}
	hub := some(50)
	if hub {
		line("hubs: {spine: {attach: {booking: t, web: t, crew: t, store3: t, quay: t}, tables: {t: {}}}}\nsites: {quay: {ranges: 10.212.0.0/16}}")
	} else {
		line("peerings: {p01: {between: [booking, web], accepted: [booking, web]}, p12: {between: [web, crew], accepted: [web, crew]}, p02: {between: [booking, crew], accepted: [booking, crew]}}")
		line("sites: {quay: {ranges: 10.212.0.0/16, link: booking}}")
	}
	line("expect:")
	end := func(n int) (end, tier string) {
		i := rng.IntN(len(tiers[n]))
		tier = names[n] + "/" + tiers[n][i]
		if some(50) {
			return tier, tier
		}
		return hosts[n][i], tier
	}
	said := map[string]bool{}
	for range 3 + rng.IntN(5) {
		n, m := rng.IntN(3), rng.IntN(3)
		x := ""
		flow := pick("tcp/443", "udp/514", "tcp/8443-8450", "icmp")
		a, from := end(n)
		z, to := end(m)
		switch kind := rng.IntN(6); {
		case kind == 0 && m == 0:
			x = fmt.Sprintf("quay reaches %s on %s", z, flow)
		case kind == 1 && n == 0:
			x = fmt.Sprintf("%s reaches quay on %s", a, flow)
		case from == to: // which may be one workload
			continue
		default:
			x = fmt.Sprintf("%s reaches %s on %s", a, z, flow)
		}
		if !said[x] {
			said[x] = true
			line("  - %s", x)
		}
	}
	guarded, _ := end(0)
	line("  - internet never reaches %s on tcp/22", guarded)
	return b.String()
}
