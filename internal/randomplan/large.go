package randomplan

import (
	"fmt"
	"strings"
)

// Large writes a plan of many networks with ten subnets and a hundred workloads each, to measure speed on: three tiers
// over three zones and one subnet for operators, hubs of 64 networks that are all linked, a list on every data subnet,
// and rules by group, by range and across networks. Nearly every network is tied to every other. It takes up to 1,024.
func Large(networks int) string {
	w := &writer{}
	hubs := (networks + 63) / 64
	w.line("wendrik: 1\nprofile: {like: zonal}\nregions: {west: [west-a, west-b, west-c]}\nspace: {cloud: {block: 10.0.0.0/8}}\nnetworks:")
	for n := range networks {
		largeNetwork(w, n)
	}
	w.line("workloads:")
	for n := range networks {
		for s := range 10 {
			for h := range 10 {
				tier, zone := largeTiers[s/3], string("abc"[s%3])
				public := ""
				if tier == "web" && h == 0 {
					public = fmt.Sprintf(", public: 203.%d.%d.%d", n/256, n%256, 10+s)
				}
				extra := ""
				if h == 9 && tier != "ops" {
					extra = ", ops"
				}
				w.line("  %s-%d-%s-%d: {in: n%d/%s-%s, address: %s.%d%s, groups: [%s%s], listens: [tcp/%d]}",
					tier, n, zone, h, n, tier, zone, largeSubnet(n, s), 10+h, public, tier, extra, largePort(tier, n))
			}
		}
	}
	w.line("hubs:")
	for h := range hubs {
		var attach, learns, routes []string
		for n := h * 64; n < min(h*64+64, networks); n++ {
			attach, learns = append(attach, fmt.Sprintf("n%d: all", n)), append(learns, fmt.Sprintf("n%d", n))
		}
		for other := range hubs {
			if other != h {
				routes = append(routes, fmt.Sprintf("{to: 10.%d.0.0/12, via: link-%d-%d}", other*16, min(h, other), max(h, other)))
			}
		}
		w.line("  hub-%d: {attach: {%s}, tables: {all: {learns: %s, routes: %s}}}", h, strings.Join(attach, ", "), list(learns), list(routes))
	}
	if hubs > 1 {
		w.line("hub-links:")
	}
	for a := range hubs {
		for b := a + 1; b < hubs; b++ {
			w.line("  link-%d-%d: {between: [hub-%d, hub-%d], accepted: [hub-%d, hub-%d], tables: {hub-%d: all, hub-%d: all}}", a, b, a, b, a, b, a, b)
		}
	}
	return w.String()
}

var largeTiers = []string{"web", "app", "data", "ops"}

func largePort(tier string, n int) int {
	return map[string]int{"web": 443, "app": 8000 + n%7, "data": 5432 + n%3, "ops": 22}[tier]
}

// largeSubnet is the start of the addresses of a subnet, which is a /24 of the network's /18.
func largeSubnet(n, s int) string { return fmt.Sprintf("10.%d.%d", n/4, n%4*64+s) }

func largeNetwork(w *writer, n int) {
	range18 := fmt.Sprintf("10.%d.%d.0/18", n/4, n%4*64)
	w.line("  n%d:\n    region: west\n    range: %s\n    tiers: {web: {access: public}, app: {access: outbound}, data: {access: closed}, ops: {access: closed}}\n    subnets:", n, range18)
	for s := range 10 {
		tier, zone := largeTiers[s/3], string("abc"[s%3])
		w.line("      %s-%s: {tier: %s, zone: west-%s, range: %s.0/24}", tier, zone, tier, zone, largeSubnet(n, s))
	}
	w.line("    gateways:\n      front: {kind: internet}\n      out: {kind: nat, in: web-a, address: %s.250, public: [203.%d.%d.7]}", largeSubnet(n, 0), n/256, n%256)
	hub := fmt.Sprintf("{to: 10.0.0.0/8, via: hub-%d}", n/64)
	w.line("    tables:\n      main: {main: true, routes: [%s]}", hub)
	w.line("      public: {subnets: [web-a, web-b, web-c], routes: [{to: 0.0.0.0/0, via: front}, %s]}", hub)
	w.line("      private: {subnets: [app-a, app-b, app-c], routes: [{to: 0.0.0.0/0, via: out}, %s]}", hub)
	app, data := largePort("app", n), largePort("data", n)
	near := (n/4*4 + (n+1)%4) // a network nearby, whose group and whose range rules speak of
	w.line("    groups:")
	w.line("      web: {in: [tcp/443 from any, icmp from 10.0.0.0/8], out: [any to any]}")
	w.line("      app: {in: [tcp/%d from group web, tcp/%d from 10.%d.0.0/16, icmp from 10.0.0.0/8], out: [any to any]}", app, app, n/4)
	w.line("      data: {in: [tcp/%d from %s.0/24, tcp/%d from %s.0/24, tcp/%d from %s.0/24, icmp from 10.0.0.0/8], out: [any to 10.0.0.0/8]}",
		data, largeSubnet(n, 3), data, largeSubnet(n, 4), data, largeSubnet(n, 5))
	w.line("      ops: {in: [tcp/22 from %s.0/24, tcp/22 from %s.0/24], out: [tcp/22 to 10.0.0.0/8, icmp to any]}", largeSubnet(n, 9), largeSubnet(near, 9))
	w.line("    lists:\n      edge: {subnets: [data-a, data-b, data-c], in: [deny any from %s.0/22, allow any from 10.0.0.0/8], out: [allow tcp/1024-65535 to any, allow icmp to any]}", largeSubnet(n, 0))
}
