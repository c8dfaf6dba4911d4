package estate

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"wendrik/internal/core/diag"
)

// describe tells all that an estate has bound, line by line.
func describe(e *Estate) string {
	var b strings.Builder
	line := func(depth int, format string, args ...any) {
		b.WriteString(strings.Repeat("  ", depth) + strings.TrimRight(fmt.Sprintf(format, args...), " ") + "\n")
	}
	for _, x := range e.Blocks {
		within := ""
		if x.Within != nil {
			within = " within " + x.Within.Name
		}
		line(0, "block %s %v%s%s%s", x.Name, x.Ranges, within, flag(x.Held, " held"), word(" for ", x.Region))
	}
	for _, x := range e.DHCP {
		line(0, "dhcp %s: dns %s, ntp %s", x.Name, servers(x.DNS), servers(x.NTP))
	}
	for _, n := range e.Networks {
		describeNetwork(n, line)
	}
	for _, s := range e.Sets {
		line(0, "set %s of %s", s.Name, names(s.Members))
	}
	for _, w := range e.Workloads {
		in := "nowhere"
		if w.Subnet != nil {
			in = w.Subnet.ID()
		} else if w.Tier != nil {
			in = "tier " + w.Tier.ID()
		}
		line(0, "workload %d %s in %s %v%s%s%s%s%s%s%s", w.Index, w.Name, in, w.Addrs, word(" public ", fmt.Sprint(w.Public)), flag(w.Assigned, " assigned"), word(" groups ", names(w.Groups)),
			word(" listens ", w.Listens.String()), word(" forwards ", string(w.Forwards)), word(" targets ", names(w.Targets)), word(" on ", w.TargetPorts.String()))
		if w.Waiting() != "" {
			line(1, "%s", w.Waiting())
		}
	}
	for _, p := range e.Peerings {
		line(0, "peering %s of %s and %s, accepted %v, exports %v, imports %v%s", p.Name, p.Between[0].Name, p.Between[1].Name, p.Accepted, p.Exports, p.Imports, flag(p.Stands(), ", stands"))
		for _, n := range p.Between {
			line(1, "%s: the other is %s%s%s", n.Name, p.Far(n).Name, flag(p.Carries(n), ", carries"), doorName(p.Door(n)))
		}
	}
	for _, h := range e.Hubs {
		line(0, "hub %s%s", h.Name, word(" links ", names(h.Links)))
		for _, a := range h.Attachments {
			line(1, "attachment of %s %v looks into %q%s", a.To().ID(), a.Ranges(), a.Table.Name, doorName(a.Door))
		}
		for _, t := range h.Tables {
			line(1, "hub table %s", t.ID())
			for _, r := range t.Routes {
				line(2, "%s", routeLine(r))
			}
		}
	}
	for _, l := range e.HubLinks {
		line(0, "hub link %s of %s and %s, accepted %v, into %q and %q%s", l.Name, l.Between[0].Name, l.Between[1].Name, l.Accepted, l.Tables[0].Name, l.Tables[1].Name, flag(l.Stands(), ", stands"))
		for _, h := range l.Between {
			far, t := l.Far(h)
			line(1, "from %s to %s, table %q", h.Name, far.Name, t.Name)
		}
	}
	for _, s := range e.Sites {
		link := ""
		if s.Link != nil {
			link = " linked to " + s.Link.Name
		}
		line(0, "site %s %v knows %v%s%s attached %d", s.Name, s.Ranges, s.Knows, link, doorName(s.Door), len(s.Attachments))
	}
	for _, c := range e.Clusters {
		in := "nothing"
		if c.Network != nil {
			in = c.Network.Name
		}
		line(0, "cluster %s in %s, pods %v, services %v", c.Name, in, c.Pods, c.Services)
	}
	return b.String() + findings(e, e.Waits)
}

func describeNetwork(n *Network, line func(depth int, format string, args ...any)) {
	var regions []string
	for _, r := range n.Regions {
		regions = append(regions, r.Name.Value)
	}
	from := ""
	if n.From != nil {
		from = " from " + n.From.Name
	}
	dhcp := ""
	if n.DHCP != nil {
		dhcp = " dhcp " + n.DHCP.Name
	}
	line(0, "network %s %v%s%s%s%s", n.Name, n.Ranges, word(" in ", strings.Join(regions, ",")), from, dhcp, word(" named by ", n.Naming))
	for _, t := range n.Tiers {
		line(1, "tier %s of %s", t.ID(), names(t.Subnets))
	}
	for _, h := range n.Held {
		line(1, "held %s %v", h.ID(), h.Ranges)
	}
	for _, s := range n.Subnets {
		tier, list := "", ""
		if s.Tier != nil {
			tier = " tier " + s.Tier.Name
		}
		if s.List != nil {
			list = " list " + s.List.Name
		}
		line(1, "subnet %d %s %v%s%s table %s%s%s, lies in %q", s.Index, s.ID(), s.Ranges, tier, word(" zone ", s.Zone), s.Table.Name, flag(s.ByDefault, " by default"), list, n.PlaceOf(s))
		for _, h := range s.Hosts() {
			line(2, "%s is %s", h.Addr, h.Name())
		}
	}
	for _, g := range n.Gateways {
		in := ""
		if g.In != nil {
			in = " in " + g.In.Name
		}
		line(1, "gateway %s %s%s%s%s%s%s%s%s%s", g.ID(), g.Type, flag(g.Attached, " attached"), flag(g.Born, " born"), in, word(" has ", fmt.Sprint(g.Addrs)), word(" serves ", names(g.Serves)), word(" public ", fmt.Sprint(g.Public)), flag(g.Assigned, " assigned"), doorName(g.Door))
	}
	for _, t := range n.Tables {
		line(1, "table %s of %s%s%s", t.ID(), names(t.Subnets), flag(t.Main, ", main"), flag(t.HasDoor(), ", a door"))
		for _, r := range slices.Concat(t.Routes, t.Some) {
			line(2, "%s", routeLine(r))
		}
	}
	for _, r := range n.Custom {
		line(1, "custom %s", routeLine(r))
	}
	for _, g := range n.Groups {
		line(1, "group %s of %s", g.ID(), names(g.Members))
		ruleLines(line, g.In, g.Out)
	}
	for _, l := range n.Lists {
		line(1, "list %d %s on %s", l.Index, l.ID(), names(l.Guards()))
		ruleLines(line, l.In, l.Out)
	}
	line(1, "joined by %s, attached %d, links %s", names(n.Peerings), len(n.Attachments), names(n.Links))
}

func ruleLines(line func(int, string, ...any), in, out []Rule) {
	for i, rules := range [][]Rule{in, out} {
		for _, r := range rules {
			far := r.Peer.String()
			if r.Group != nil {
				far = "group " + r.Group.ID()
			} else if r.Peer.Name != "" {
				far = r.Peer.Name + " " + r.Peer.Range.String()
			}
			line(2, "%s %d: %s%s %s", []string{"in", "out"}[i], r.Nth, flag(!r.Allow, "deny "), r.Flows, far)
		}
	}
}

func routeLine(r *Route) string {
	via := "local"
	if r.Via != nil {
		via = "via " + string(r.Via.Kind()) + " " + r.ViaName()
	}
	return r.Leads() + " " + via + r.Origin.Remark() + fmt.Sprint(" ", int(r.Origin))
}

func servers(all []Server) string {
	var words []string
	for _, s := range all {
		if s.Workload != nil {
			words = append(words, s.Workload.Name)
		} else {
			words = append(words, s.Addr.String())
		}
	}
	return strings.Join(words, " ")
}

func doorName(door *Subnet) string {
	if door == nil {
		return ""
	}
	return fmt.Sprintf(", arrives in %s (%v)", door.ID(), door.IsDoor())
}

func flag(is bool, word string) string {
	if is {
		return word
	}
	return ""
}

func word(before, s string) string {
	if s == "" || s == "[]" || s == "nothing" {
		return ""
	}
	return before + s
}

func names[T Object](all []T) string {
	var words []string
	for _, x := range all {
		words = append(words, x.ID())
	}
	return strings.Join(words, ",")
}

// findings tells findings with all that they have.
func findings(e *Estate, all []diag.Finding) string {
	var b strings.Builder
	for _, f := range all {
		fmt.Fprintf(&b, "%d:%d %s %s %s: %s | %s\n", f.At.Line(), f.At.Column(), f.Code, f.Weight(), f.Place, f.Message, f.Fix())
	}
	return b.String()
}

// addr is a shorter way to read an address.
var addr = netip.MustParseAddr
