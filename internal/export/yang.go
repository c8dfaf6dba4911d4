package export

import (
	"fmt"
	"net/netip"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/flow"
)

// object is an object of JSON.
type object = map[string]any

// YANG is an estate as JSON (RFC 7951) by models of the IETF: networks and their topology (RFC 8345, RFC 8346), static routes
// (RFC 8349), access lists (RFC 8519), and the interfaces that routes name (RFC 8343).
func YANG(e *estate.Estate) string {
	hops := &interfaces{all: []object{}, known: map[string]bool{}}
	routing := routingOf(e, hops)
	return asJSON(object{
		"ietf-network:networks":         object{"network": []object{topology(e)}},
		"ietf-interfaces:interfaces":    object{"interface": hops.all},
		"ietf-routing:routing":          routing,
		"ietf-access-control-list:acls": object{"acl": accessLists(e)},
	})
}

// topology is the estate as one network of nodes and links, with the prefixes of each node.
func topology(e *estate.Estate) object {
	nodes, links := []object{}, []object{}
	at := map[string][]object{}
	node := func(id, kind string, ranges []netip.Prefix) {
		prefixes := []object{}
		for _, p := range ranges {
			prefixes = append(prefixes, object{"prefix": p.String()})
		}
		attributes := object{"name": id}
		if len(prefixes) > 0 {
			attributes["prefix"] = prefixes
		}
		nodes = append(nodes, object{"node-id": kind + "/" + id, "ietf-l3-unicast-topology:l3-node-attributes": attributes})
	}
	link := func(id, a, b string) {
		for _, x := range [][3]string{{id, a, b}, {id + "/back", b, a}} {
			links = append(links, object{"link-id": x[0], "source": object{"source-node": x[1], "source-tp": id}, "destination": object{"dest-node": x[2], "dest-tp": id}})
		}
		for _, n := range []string{a, b} {
			at[n] = append(at[n], object{"tp-id": id})
		}
	}
	for _, n := range e.Networks {
		node(n.Name, "network", n.Ranges)
	}
	for _, h := range e.Hubs {
		node(h.Name, "hub", nil)
	}
	for _, s := range e.Sites {
		node(s.Name, "site", s.Ranges)
	}
	for _, p := range e.Peerings {
		if p.Stands() {
			link("peering/"+p.Name, "network/"+p.Between[0].Name, "network/"+p.Between[1].Name)
		}
	}
	for _, h := range e.Hubs {
		for _, a := range h.Attachments {
			to := string(a.To().Kind())
			link("attachment/"+h.Name+"/"+a.To().ID(), to+"/"+a.To().ID(), "hub/"+h.Name)
		}
	}
	for _, l := range e.HubLinks {
		if l.Stands() {
			link("hub-link/"+l.Name, "hub/"+l.Between[0].Name, "hub/"+l.Between[1].Name)
		}
	}
	for _, s := range e.Sites {
		if s.Link != nil {
			link("site/"+s.Name, "site/"+s.Name, "network/"+s.Link.Name)
		}
	}
	for _, n := range nodes {
		if points := at[n["node-id"].(string)]; len(points) > 0 {
			n["ietf-network-topology:termination-point"] = points
		}
	}
	name := e.Plan.Estate.Value
	if name == "" {
		name = "estate"
	}
	network := object{"network-id": name, "network-types": object{"ietf-l3-unicast-topology:l3-unicast-topology": object{}}, "node": nodes}
	if len(links) > 0 {
		network["ietf-network-topology:link"] = links
	}
	return network
}

// interfaces are the next hops that routes name, each as an interface.
type interfaces struct {
	all   []object
	known map[string]bool
}

func (x *interfaces) name(hop string) string {
	if !x.known[hop] {
		x.known[hop] = true
		x.all = append(x.all, object{"name": hop, "type": "iana-if-type:other"})
	}
	return hop
}

// routingOf are the tables of all networks, each as an instance of static routing.
func routingOf(e *estate.Estate, hops *interfaces) object {
	protocols := []object{}
	for _, n := range e.Networks {
		for _, t := range n.Tables {
			routes := map[bool][]object{}
			for _, r := range t.Routes {
				four := r.To.Addr().Is4()
				hop := object{}
				switch {
				case r.Origin == estate.Local:
					hop["outgoing-interface"] = hops.name(n.Name + "/local")
				case r.Via == estate.Blackhole:
					hop["special-next-hop"] = "blackhole"
				default:
					hop["outgoing-interface"] = hops.name(n.Name + "/" + r.ViaName())
				}
				routes[four] = append(routes[four], object{"destination-prefix": r.To.String(), "next-hop": hop})
			}
			static := object{}
			if len(routes[true]) > 0 {
				static["ietf-ipv4-unicast-routing:ipv4"] = object{"route": once(routes[true])}
			}
			if len(routes[false]) > 0 {
				static["ietf-ipv6-unicast-routing:ipv6"] = object{"route": once(routes[false])}
			}
			protocols = append(protocols, object{"type": "ietf-routing:static", "name": n.Name + "/" + t.Name, "static-routes": static})
		}
	}
	return object{"control-plane-protocols": object{"control-plane-protocol": protocols}}
}

// once are routes of which each destination has one, the first.
func once(routes []object) []object {
	seen := map[any]bool{}
	var out []object
	for _, r := range routes {
		if key := r["destination-prefix"]; !seen[key] {
			seen[key] = true
			out = append(out, r)
		}
	}
	return out
}

// accessLists are groups and lists, a list for each direction and family.
func accessLists(e *estate.Estate) []object {
	all := []object{}
	add := func(name, dir string, rules []estate.Rule, inward bool) {
		for _, four := range []bool{true, false} {
			kind, family := "ipv6-acl-type", "ipv6"
			if four {
				kind, family = "ipv4-acl-type", "ipv4"
			}
			aces := []object{}
			for i, r := range rules {
				aces = append(aces, entries(fmt.Sprint(i+1), r, family, four, inward)...)
			}
			if len(aces) > 0 {
				all = append(all, object{"name": name + "/" + dir + "/" + family, "type": "ietf-access-control-list:" + kind, "aces": object{"ace": aces}})
			}
		}
	}
	for _, n := range e.Networks {
		for _, g := range n.Groups {
			add("group/"+n.Name+"/"+g.Name, "in", g.In, true)
			add("group/"+n.Name+"/"+g.Name, "out", g.Out, false)
		}
		for _, l := range n.Lists {
			add("list/"+n.Name+"/"+l.Name, "in", l.In, true)
			add("list/"+n.Name+"/"+l.Name, "out", l.Out, false)
		}
	}
	return all
}

// protocolNumbers are those of the IANA registry of protocol numbers.
var protocolNumbers = map[string]map[bool]int{"tcp": {true: 6, false: 6}, "udp": {true: 17, false: 17}, "icmp": {true: 1, false: 58}}

// entries are a rule as access control entries of a family: one for each range that it speaks of and each span of its flows.
func entries(name string, r estate.Rule, family string, four, inward bool) []object {
	var peers []string
	switch {
	case r.Peer.Any:
		peers = []string{""}
	case r.Peer.Range.IsValid():
		if r.Peer.Range.Addr().Is4() == four {
			peers = []string{r.Peer.Range.Masked().String()}
		}
	case r.Group != nil:
		for _, m := range r.Group.Members {
			for _, a := range m.Addrs {
				if a.Is4() == four {
					peers = append(peers, netip.PrefixFrom(a, a.BitLen()).String())
				}
			}
		}
	}
	spans := r.Flows.Spans()
	if r.Flows.Equal(flow.Any()) {
		spans = []flow.Span{{Whole: true}}
	}
	forwarding := "ietf-access-control-list:drop"
	if r.Allow {
		forwarding = "ietf-access-control-list:accept"
	}
	var out []object
	for i, peer := range peers {
		for j, x := range spans {
			header := object{}
			if peer != "" {
				key := "destination-" + family + "-network"
				if inward {
					key = "source-" + family + "-network"
				}
				header[key] = peer
			}
			matches := object{}
			if x.Protocol != "" {
				header["protocol"] = protocolNumbers[x.Protocol][four]
				if !x.Whole {
					port := object{"operator": "eq", "port": int(x.First)}
					if x.First != x.Last {
						port = object{"lower-port": int(x.First), "upper-port": int(x.Last)}
					}
					matches[x.Protocol] = object{"destination-port": port}
				}
			}
			if len(header) > 0 {
				matches[family] = header
			}
			out = append(out, object{"name": fmt.Sprintf("%s.%d.%d", name, i+1, j+1), "matches": matches, "actions": object{"forwarding": forwarding}})
		}
	}
	return out
}
