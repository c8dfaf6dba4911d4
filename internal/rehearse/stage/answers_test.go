package stage

import (
	"fmt"
	"strings"
	"testing"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// told tells all of a stage: what each node has, in the order in which it has it.
func told(s *Stage) string {
	var b strings.Builder
	for _, n := range s.Nodes {
		fmt.Fprintf(&b, "%s%s%s\n", n.Name, map[bool]string{true: ", forwards"}[n.Forwards], map[bool]string{true: fmt.Sprint(", own ", n.Own)}[len(n.Own) > 0])
		for _, x := range n.Bridges {
			fmt.Fprintf(&b, "  bridge %s (%d) %v\n", x.Name, x.Number, x.Addrs)
		}
		for _, p := range n.Ports {
			fmt.Fprintf(&b, "  port %s (%d) %v to %s %s", p.Name, p.Number, p.Addrs, p.Peer.Node.Name, p.Peer.Name)
			if p.Bridge != nil {
				fmt.Fprintf(&b, " in %s", p.Bridge.Name)
			}
			b.WriteString("\n")
		}
		for _, x := range n.Neighbours() {
			fmt.Fprintf(&b, "  beside %s: %s (%d)\n", x.Dev, x.Addr, x.Number)
		}
		for _, r := range n.Rules {
			fmt.Fprintf(&b, "  rule %+v\n", r)
		}
		for i, routes := range n.Tables {
			for _, r := range routes {
				fmt.Fprintf(&b, "  table %d: %s %s\n", i, r.To, []string{fmt.Sprintf("via %s %s", r.Via, r.Dev), "next", "unreachable"}[r.Kind])
			}
		}
		for _, c := range n.Chains {
			fmt.Fprintf(&b, "  chain %s at hook %d, drops %v\n", c.Name, c.Hook, c.Drops)
			for _, f := range c.Rules {
				fmt.Fprintf(&b, "    %s\n", strings.Join(strings.Fields(golden.Tell(f)), " "))
			}
		}
	}
	return strings.NewReplacer("invalid Prefix", "-", "invalid IP", "-").Replace(b.String())
}

// TestAnswers tells all of the stages of estates, with some of their workloads in them or all.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		internet, sites := outside(e)
		stays := everybody
		if len(words) > 1 {
			stays = func(w *estate.Workload) bool { return strings.Contains(" "+asked+" ", " "+w.Name+" ") }
		}
		return told(Build(e, stays, internet, sites))
	})
}
