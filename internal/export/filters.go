package export

import (
	"fmt"
	"net/netip"
	"strings"

	"wendrik/internal/core/estate"
	"wendrik/internal/rehearse/stage"
)

// WorkloadFilters are the rules that guard a workload, as a ruleset that the kernel's packet filter loads on the workload itself.
func WorkloadFilters(w *estate.Workload) string {
	return ruleset("what the groups of workload "+w.Name+" let in and out, for the workload itself", stage.Guards(w))
}

// SubnetFilters are the rules of a subnet's list, as a ruleset for the router that the subnet is behind; empty where it has none.
func SubnetFilters(s *estate.Subnet) string {
	chains := stage.Edge(s)
	if chains == nil {
		return ""
	}
	return ruleset("the list of subnet "+s.ID()+", for the router that it is behind", chains)
}

var hooks = map[stage.Hook]string{
	stage.Input: "type filter hook input priority filter", stage.Output: "type filter hook output priority filter", stage.Forward: "type filter hook forward priority filter",
	stage.Leaving: "type nat hook postrouting priority srcnat",
}

// ruleset writes chains in the words of nft. Loaded again, it takes the place of what it was.
func ruleset(about string, chains []stage.Chain) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\ntable inet wendrik\ndelete table inet wendrik\ntable inet wendrik {\n", strings.Join(strings.Fields(about), " "))
	for i, c := range chains {
		if i > 0 {
			b.WriteString("\n")
		}
		fmt.Fprintf(&b, "\tchain %s {\n", c.Name)
		if on, is := hooks[c.Hook]; is {
			policy := "accept"
			if c.Drops {
				policy = "drop"
			}
			fmt.Fprintf(&b, "\t\t%s; policy %s;\n", on, policy)
		}
		for _, f := range c.Rules {
			fmt.Fprintf(&b, "\t\t%s\n", rule(f))
		}
		b.WriteString("\t}\n")
	}
	b.WriteString("}\n")
	return b.String()
}

// rule writes a rule in the words of nft.
func rule(f stage.Filter) string {
	var words []string
	add := func(format string, args ...any) { words = append(words, fmt.Sprintf(format, args...)) }
	ranged := func(p netip.Prefix, side, not string) {
		if p.IsValid() {
			add("%s %s %s%s", map[bool]string{true: "ip", false: "ip6"}[p.Addr().Is4()], side, not, p)
		}
	}
	if !f.Src.IsValid() && !f.Dst.IsValid() && !f.NotSrc.IsValid() && f.Family != 0 {
		add("meta nfproto %s", map[int]string{4: "ipv4", 6: "ipv6"}[f.Family])
	}
	ranged(f.Src, "saddr", "")
	ranged(f.NotSrc, "saddr", "!= ")
	ranged(f.Dst, "daddr", "")
	ranged(f.NotDst, "daddr", "!= ")
	switch f.State {
	case stage.Known:
		add("ct state established,related")
	case stage.Invalid:
		add("ct state invalid")
	}
	switch {
	case f.Neighbour:
		add("icmpv6 type 133-137")
	case f.Protocol == "icmp":
		add("meta l4proto { icmp, ipv6-icmp }")
	case f.Protocol != "" && f.Ports == nil:
		add("meta l4proto %s", f.Protocol)
	case f.Ports != nil && f.Ports[0] == f.Ports[1]:
		add("%s dport %d", f.Protocol, f.Ports[0])
	case f.Ports != nil:
		add("%s dport %d-%d", f.Protocol, f.Ports[0], f.Ports[1])
	}
	switch f.Then {
	case stage.Drop:
		add("drop")
	case stage.Return:
		add("return")
	case stage.Jump:
		add("jump %s", f.Jump)
	case stage.From:
		add("snat %s to %s", map[bool]string{true: "ip", false: "ip6"}[f.New.Is4()], f.New)
	default:
		add("accept")
	}
	return strings.Join(words, " ")
}
