package reach

import (
	"encoding/json"
	"flag"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

var tryMutants = flag.Bool("mutants", false, "break each rule of the walk in turn, and see that a test notices")
var ofThree = flag.Int("third", 0, "with -mutants, only the first, second or third third of the rules: 1, 2 or 3; all when 0")

// mutants are rules of the walk, each with one way to break it: a piece of a file, and what takes its place.
var mutants = []struct{ rule, file, old, broken string }{
	{"out of the source, its groups decide", "walk.go", "		w.record.groups(w, x, Out, p)\n		w.leaveSubnet(x.Subnet, p)", "		w.leaveSubnet(x.Subnet, p)"},
	{"a workload without a group lets everything out", "filter.go", "if len(x.Groups) == 0 && dir == Out {", "if len(x.Groups) == 0 && dir == In {"},
	{"one allowing rule of several groups is enough", "filter.go", "r.allowed = r.allowed.Union(rule.Flows)", "r.allowed = rule.Flows"},
	{"a rule from a group matches its members alone", "filter.go", "return r.Group.Has(far.Addr)", "return true"},
	{"a group of a peer matches where the profile says so", "filter.go", "case r.Group.Network != n && !n.Profile.PeerGroups:", "case false:"},
	{"within a subnet no list and no table is asked", "walk.go", "p.dst.IsValid() && p.dst.inRanges(s.Ranges)", "false"},
	{"the list of the subnet that is left", "walk.go", "	w.list(s, Out, p)\n	r := w.route", "	r := w.route"},
	{"the list of the subnet that is entered", "arrive.go", "	if crossed {\n		w.list(s, In, p)", "	if false {\n		w.list(s, In, p)"},
	{"the first rule of a list decides", "filter.go", "undecided = undecided.Minus(x.Flows)", "undecided = undecided.Union(x.Flows)"},
	{"a list ends in a deny", "filter.go", "	undecided := flow.Any()\n", "	undecided := flow.Any()\n	if len(rules) == 0 {\n		r.allowed = flow.Any()\n	}\n"},
	{"lists judge replies by their ports", "walk.go", "w.asked.WholeProtocols().Intersect(w.ports.flows())", "w.asked"},
	{"the ports of replies are those of the source's network", "walk.go", "ports = from.Workload.Subnet.Network.Profile.ReplyPorts", "ports = e.Profile.ReplyPorts"},
	{"groups remember the flow", "arrive.go", "		if w.back {\n			w.hop(Hop{Did: FlowRemembered", "		if w.back {\n			w.record.groups(w, host.Workload, In, p)\n			w.hop(Hop{Did: FlowRemembered"},
	{"into the workload, its groups decide", "arrive.go", "			w.record.groups(w, host.Workload, In, p)\n", ""},
	{"a blackhole drops", "walk.go", "case r.Via == estate.Blackhole:", "case false:"},
	{"a route by hand beats one that installs itself", "../estate/routes.go", "	if t.Plan != nil {\n		for _, rp", "	if t.Plan != nil && !n.Profile.PeerRoutes {\n		for _, rp"},
	{"a subnet that no table names has the main one", "../estate/routes.go", "s.Table, s.ByDefault = n.Main, true", "s.Table, s.ByDefault = n.Tables[0], true"},
	{"a route for some is for nobody else", "../estate/estate.go", "	if !r.Only.Has(source) {\n		return false\n	}\n", ""},
	{"a route for some beats one for all as long, but no local one", "../estate/estate.go", "r.To.Bits() == all.To.Bits() && all.Origin != Local", "r.To.Bits() == all.To.Bits()"},
	{"a gateway must be attached", "gateways.go", "if g.Attached || w.unexplained() {\n		return g.Attached", "if true {\n		return true"},
	{"the internet does not carry private addresses", "gateways.go", "case p.dst.IsValid() && !p.dst.within(address.Public()):", "case false:"},
	{"an egress gateway lets out IPv6 only", "gateways.go", "case g.Type == estate.EgressGateway && p.src.Is4():", "case false:"},
	{"nothing comes in by an egress gateway", "../estate/lookup.go", "case g.Type == InternetGateway && g.Attached:", "case g.Type != NATGateway && g.Attached:"},
	{"the source needs a public address", "gateways.go", "	if len(public) == 0 {\n", "	if len(public) == 0 {\n		public = []netip.Addr{p.src.Addr}\n	}\n	if len(public) == 0 {\n"},
	{"the cloud lets out where the profile says so", "gateways.go", "if s.Network.Profile.ImplicitOut && p.src.Is4()", "if p.src.Is4()"},
	{"a reply leaves by the gateway that the flow came in by", "gateways.go", "if !known || g.Type == estate.EgressGateway {", "if false {"},
	{"a stray reply comes in by an attached gateway", "gateways.go", "	if g == nil || !g.Attached {\n		if !w.unexplained() {\n			w.block(n,", "	if g == nil {\n		if !w.unexplained() {\n			w.block(n,"},
	{"a NAT meets the list of its subnet", "through.go", "		if g.In != s {\n			w.list(g.In, In, p)\n		}\n", ""},
	{"a NAT puts its own address in the place of the source", "through.go", "		p.src = w.translate(estate.Host{NAT: g}, p.src, at(private))\n", "		w.translate(estate.Host{NAT: g}, p.src, at(private))\n"},
	{"what was translated here is not translated here again", "through.go", "	case w.translatedBy(estate.Host{NAT: g}):", "	case false:"},
	{"what was translated twice is turned back twice", "through.go", "last := len(w.earlier) - 1; last >= 0", "last := len(w.earlier) - 1; false"},
	{"a reply through a NAT is a stranger", "through.go", "	case w.back:\n		w.strangeReply(s, g,", "	case false:\n		w.strangeReply(s, g,"},
	{"a NAT without an address of the family ends it", "through.go", "	case g.In == nil || !has:", "	case g.In == nil || !has && false:"},
	{"what is for the NAT itself goes no further", "through.go", "	case w.isFor(s, estate.Host{NAT: g}, p):", "	case false:"},
	{"a workload must forward", "through.go", "	case x.Forwards == estate.NotForwarding:", "	case false:"},
	{"a forwarding workload meets the list of its subnet", "through.go", "	if x.Subnet != s {\n		w.list(x.Subnet, In, p)\n	}\n", ""},
	{"the in rules of a forwarding workload", "through.go", "		w.record.groups(w, x, In, p)\n		w.record.groups(w, x, Out, p)\n", "		w.record.groups(w, x, Out, p)\n"},
	{"the out rules of a forwarding workload", "through.go", "		w.record.groups(w, x, In, p)\n		w.record.groups(w, x, Out, p)\n", "		w.record.groups(w, x, In, p)\n"},
	{"a firewall drops replies to what it did not see", "through.go", "if w.back && !known && x.Forwards == estate.StatefulForwarding {", "if false {"},
	{"a router without memory does not", "through.go", "if w.back && !known && x.Forwards == estate.StatefulForwarding {", "if w.back && !known {"},
	{"a firewall must see the reply", "through.go", "x.Forwards != estate.StatefulForwarding || slices.Contains", "true || slices.Contains"},
	{"a router without memory need not", "through.go", "x.Forwards != estate.StatefulForwarding || slices.Contains", "slices.Contains"},
	{"a firewall knows a flow by its addresses", "through.go", "slices.Contains(w.through, passage{x, p.dst.Addr, p.src.Addr})", "slices.ContainsFunc(w.through, func(by passage) bool { return by.workload == x })"},
	{"the reply is turned back into the source", "through.go", "	p.dst = w.was\n", ""},
	{"what turned a reply back meets the table of its subnet", "through.go", "	w.leaveSubnet(x.Subnet(), p)\n}", "	w.arrive(x.Subnet().Network, p)\n}"},
	{"a reply comes from the address that was asked", "arrive.go", "case w.back && p.src.Addr != w.sentTo &&", "case false && w.back && p.src.Addr != w.sentTo &&"},
	{"both halves of a peering", "joins.go", "if stands := accepted[0] && accepted[1]; stands", "if stands := accepted[0] || accepted[1]; stands"},
	{"a peering carries no further than the far network", "joins.go", "	if x.Carries(far) {\n		if c :=", "	if true {\n		if c :="},
	{"an exported route must be imported", "../estate/estate.go", "p.Exports[i] && p.Imports[1-i]", "p.Exports[i]"},
	{"an exported route carries the replies", "joins.go", "if x.Stands() && x.Carries(n) && p.dst.inRanges(x.Far(n).Ranges) {", "if false {"},
	{"only the main table's routes are exported", "../estate/routes.go", "for _, r := range n.Main.Routes {", "for _, r := range n.Tables[len(n.Tables)-1].Routes {"},
	{"what a peering brings looks into the table that is named for it", "joins.go", "if door := x.Door(far); door != nil {", "if door := x.Door(far); false {"},
	{"what a hub brings looks into the table that is named for it", "joins.go", "if a := via.Attachment(h); a != nil && a.Door != nil {", "if a := via.Attachment(h); false {"},
	{"what a site brings looks into the table that is named for it", "joins.go", "	if site.Door != nil {", "	if false {"},
	{"what the internet brings looks into the table that is named for it", "gateways.go", "	w.comeIn(g.Network, g.Door, p)\n}\n\n// replyFromInternet", "	w.arrive(g.Network, p)\n}\n\n// replyFromInternet"},
	{"so do its replies", "gateways.go", "	w.hop(Hop{Did: ReplyInFor, Object: g, At: g.At(), Host: host})\n	w.comeIn(g.Network, g.Door, p)\n}\n\n// strayReply", "	w.hop(Hop{Did: ReplyInFor, Object: g, At: g.At(), Host: host})\n	w.arrive(g.Network, p)\n}\n\n// strayReply"},
	{"a hub's static route beats a learned one", "../estate/joins.go", "			b.add(&t.Routes, t.routes.Insert(route.To, route), route, t)\n		}\n	}\n	for _, name := range t.Plan.Learns {", "			if len(t.Plan.Learns) > 0 {\n				defer t.routes.Insert(route.To, route)\n				continue\n			}\n			b.add(&t.Routes, t.routes.Insert(route.To, route), route, t)\n		}\n	}\n	for _, name := range t.Plan.Learns {"},
	{"an attachment's packets look into its table", "walk.go", "w.overHub(a.Hub, a.Table, p)", "w.overHub(a.Hub, a.Hub.Tables[0], p)"},
	{"both halves of a hub link", "joins.go", "	stands := w.halvesStand(l, HubLinkHalf, [2]string{l.Between[0].Name, l.Between[1].Name}, l.Accepted)\n", "	stands := true\n"},
	{"a hub link's packets look into its table there", "joins.go", "	w.overHub(far, table, p)", "	w.overHub(far, far.Tables[0], p)\n	_ = table"},
	{"a hub delivers into the network's own ranges only", "joins.go", "		if !p.dst.inRanges(via.Ranges) {\n			if !via.ExportsTo", "		if false {\n			if !via.ExportsTo"},
	{"a site link carries to the site's ranges only", "joins.go", "	if !p.dst.inRanges(site.Ranges) {\n		if !w.unexplained() {\n			w.misrouted(site", "	if false {\n		if !w.unexplained() {\n			w.misrouted(site"},
	{"a site sends where it knows a way", "joins.go", "	case p.dst.inRanges(site.Knows):", "	case true:"},
	{"a site that is another's goes nowhere", "joins.go", "	if w.goal().Site == site {", "	if true {"},
	{"the longest prefix wins", "../address/table.go", "	return t.v4[lo-1].entry\n", "	for i, e := range t.entries {\n		if e.to.Contains(a) {\n			return int32(i)\n		}\n	}\n	return -1\n"},
	{"nothing that starts outside comes in through a NAT", "gateways.go", "	case host.NAT != nil:\n		w.block(host.NAT, diag.Finding{Code: NATInbound", "	case host.NAT != nil && false:\n		w.block(host.NAT, diag.Finding{Code: NATInbound"},
	{"from the internet a workload has its public address only", "ends.go", "			a, found = e.Workload.PublicLike(f)\n		}", "			_, found = e.Workload.PublicLike(f)\n			found = false\n		}"},
	{"a balancer's flows reach its targets", "question.go", "	if x := q.To.Workload; x != nil && len(x.Targets) > 0 {", "	if x := q.To.Workload; false {"},
	{"what has no handshake may pass a firewall that sees one direction", "through.go", "	if w.onlyTCP() {\n		if !w.unexplained()", "	if true {\n		if !w.unexplained()"},
	{"but nothing of TCP", "story.go", "	w.left = w.left.Minus(flow.TCP())\n", ""},
	{"a reply is as a new flow to a firewall that did not see it begin", "through.go", "		known = w.onlyTCP()", "		known = true"},
	{"some reply ports are not all", "walk.go", "if have.Equal(want) {", "if !have.Empty() || have.Equal(want) {"},
}

// TestMutants breaks each rule of the walk and runs the tests of this folder, one of which must fail: a rule that no test
// holds is a finding. It takes minutes, so it runs where it is asked for.
func TestMutants(t *testing.T) {
	if !*tryMutants {
		t.Skip("takes minutes; go test ./internal/core/reach -run TestMutants -mutants")
	}
	for i, m := range mutants {
		t.Run(m.rule, func(t *testing.T) {
			t.Parallel()
			path, err := filepath.Abs(m.file)
			require.NoError(t, err)
			content, err := os.ReadFile(path)
			require.NoError(t, err)
			require.Equal(t, 1, strings.Count(string(content), m.old), "the piece to break must stand once in %s", m.file)
			if *ofThree > 0 && i%3 != *ofThree-1 {
				return
			}
			dir := t.TempDir()
			broken := filepath.Join(dir, "broken.go")
			require.NoError(t, os.WriteFile(broken, []byte(strings.Replace(string(content), m.old, m.broken, 1)), 0o600))
			overlay, err := json.Marshal(map[string]map[string]string{"Replace": {path: broken}})
			require.NoError(t, err)
			list := filepath.Join(dir, "overlay.json")
			require.NoError(t, os.WriteFile(list, overlay, 0o600))
			tables := "^(TestWalks|TestPassingThrough|TestRegional|TestWhatPasses)$"
			var out []byte
			for _, which := range [][]string{{"-run", tables}, {"-skip", tables}} { // the quick ones first
				args := append([]string{"test", "-overlay", list, "-failfast", "-vet=off", "."}, which...)
				if out, err = exec.Command("go", args...).CombinedOutput(); err != nil {
					break
				}
			}
			require.NotContains(t, string(out), "[build failed]", string(out))
			require.Error(t, err, "no test notices")
		})
	}
}
