package cli

import (
	"fmt"
	"math/big"
	"strings"

	pretty "github.com/jedib0t/go-pretty/v6/text"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/text"
)

// written says what became of the plan: in the result where that is for a person, beside it otherwise.
func (c *call) written(talk bool, format string, args ...any) {
	if talk {
		c.say("%s", strong.Sprintf(format, args...))
		return
	}
	c.tell(format, args...)
}

func misfits(n int) string {
	if n == 1 {
		return "1 thing does not fit"
	}
	return fmt.Sprintf("%d things do not fit", n)
}

// news counts what is new in a result.
func news(r *carve.Result) string {
	networks, subnets, held := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, n := range r.Networks {
		if n.State == carve.New {
			networks[n.Name] = true
		}
	}
	for _, s := range r.Subnets {
		if s.State == carve.New {
			subnets[s.Network+"/"+s.Name] = true
		}
	}
	for _, h := range r.Held {
		if h.State == carve.New {
			held[h.Network+"/"+h.Name] = true
		}
	}
	var words []string
	for _, x := range []struct {
		n     int
		thing string
	}{{len(networks), "network"}, {len(subnets), "subnet"}, {len(held), "held part"}} {
		if x.n > 0 {
			words = append(words, phrase.Count(x.n, x.thing))
		}
	}
	var both []string
	if len(words) > 0 {
		both = append(both, "ranges for "+phrase.And(words))
	}
	if n := len(r.Addresses); n > 0 {
		both = append(both, "addresses for "+phrase.Count(n, "host"))
	}
	return phrase.And(both)
}

// carved shows a result to a person.
func (c *call) carved(r *carve.Result, all, why bool) {
	switch {
	case r.New():
		c.say("%s\n", strong.Sprintf("%s; nothing is written yet", news(r)))
	case len(r.Misfits) == 0:
		c.say("%s", strong.Sprint("every network and subnet has its range, and every host its address"))
	}
	networks := &sheet{header: []string{"network", "range", "from"}, wrap: -1}
	for _, n := range r.Networks {
		if n.State == carve.New {
			networks.add(n.Name, n.Range.String(), "block "+n.Block)
		}
	}
	if len(networks.rows) > 0 {
		left := networks.cut(maxRows)
		_ = c.write(networks, "text")
		if left > 0 {
			c.say("%s", dim.Sprintf("%d more are left out; -format json lists all", left))
		}
	}
	rows := forScreen(carveSheet(r, all))
	if len(rows.rows) > 0 {
		if len(networks.rows) > 0 {
			c.say("")
		}
		left := rows.cut(maxRows)
		_ = c.write(rows, "text")
		if left > 0 {
			c.say("%s", dim.Sprintf("%d more are left out; -format csv lists all", left))
		}
	}
	held := &sheet{header: []string{"network", "held", "range", "for", "owner"}, wrap: 3}
	for _, h := range r.Held {
		if h.State == carve.New {
			held.add(h.Network, h.Name, h.Range.String(), h.For, h.Owner)
		}
	}
	aggregates := &sheet{header: []string{"network", "side by side", "lie in", "subnets", "addresses left"}, right: map[int]bool{3: true, 4: true}, wrap: -1}
	for _, b := range r.Aggregates {
		if b.Subnets == 1 && b.Free.Sign() == 0 {
			continue
		}
		aggregates.add(b.Network, b.Name, b.Block.String(), fmt.Sprint(b.Subnets), grouped(b.Free))
	}
	hosts := &sheet{header: []string{"host", "subnet", "address"}, wrap: -1}
	for _, a := range r.Addresses {
		hosts.add(a.Name, a.Subnet, phrase.List(a.Addrs))
	}
	first := len(networks.rows) == 0 && len(rows.rows) == 0
	for _, t := range []*sheet{held, aggregates, hosts} {
		if len(t.rows) > 0 {
			left := t.cut(maxRows)
			if !first {
				c.say("")
			}
			first = false
			_ = c.write(t, "text")
			if left > 0 {
				c.say("%s", dim.Sprintf("%d more are left out; -format json lists all", left))
			}
		}
	}
	if why {
		c.say("")
		t := reasons(r)
		t.cut(maxRows)
		_ = c.write(t, "text")
	}
	if kept := keptSubnets(r); kept > 0 && !all && r.New() {
		c.say("\n%s", dim.Sprintf("%s had a range and keep it; -all lists them", phrase.Count(kept, "subnet")))
	}
}

// keptSubnets counts the subnets that had a range.
func keptSubnets(r *carve.Result) int {
	kept := map[string]bool{}
	for _, s := range r.Subnets {
		if s.State == carve.Kept {
			kept[s.Network+"/"+s.Name] = true
		}
	}
	return len(kept)
}

// reasons says why each new range was chosen; the subnets of a tier share theirs.
func reasons(r *carve.Result) *sheet {
	t := &sheet{header: []string{"what", "why"}, wrap: 1}
	for _, n := range r.Networks {
		if n.State == carve.New {
			t.add("network "+n.Name, n.Why)
		}
	}
	for _, s := range r.Subnets {
		what := "subnets of " + s.Network + "/" + s.Tier
		if last := len(t.rows) - 1; s.State == carve.New && (last < 0 || t.rows[last][0] != what || t.rows[last][1] != s.Why) {
			t.add(what, s.Why)
		}
	}
	return t
}

// forScreen leaves out what makes the rows too wide for a screen: of IPv6, every subnet is a /64 and has all of it.
func forScreen(t *sheet) *sheet {
	for _, row := range t.rows {
		if strings.Contains(row[4], ":") {
			row[5], row[6], row[7] = "2^64", "", ""
		}
	}
	for range 3 { // the addresses of the router, the resolver and the DHCP server are for csv, md and json
		t.without(8)
	}
	return t
}

func carveSheet(r *carve.Result, all bool) *sheet {
	t := &sheet{header: []string{"network", "subnet", "tier", "zone", "range", "usable", "first", "last", "router", "resolver", "dhcp server", "state"}, right: map[int]bool{5: true}, wrap: -1,
		paint: func(column int, cell string) pretty.Colors {
			if cell == string(carve.New) && column >= 8 { // the last column, with the servers' addresses before it or without
				return fine
			}
			return nil
		}}
	for _, s := range r.Subnets {
		if !all && s.State != carve.New {
			continue
		}
		zone := s.Zone
		if zone == "" {
			zone = s.Region
		}
		t.add(s.Network, s.Name, s.Tier, zone, s.Range.String(), s.Usable.String(), addrText(s.First), addrText(s.Last), addrText(s.Router), addrText(s.Resolver), addrText(s.DHCP), string(s.State))
	}
	return t
}

// The JSON of carve; docs/json.md describes it.
type carveOut struct {
	Networks   []carveNetworkOut   `json:"networks"`
	Subnets    []carveSubnetOut    `json:"subnets"`
	Held       []carveHeldOut      `json:"held"`
	Aggregates []carveAggregateOut `json:"aggregates"`
	Addresses  []carveAddressOut   `json:"addresses"`
	Notes      []string            `json:"notes"`
	Misfits    []findingOut        `json:"misfits"`
	Findings   []findingOut        `json:"findings"`
}

type carveAddressOut struct {
	Name    string   `json:"name"`
	Kind    string   `json:"kind"`
	Subnet  string   `json:"subnet"`
	Address []string `json:"address"`
	Why     string   `json:"why"`
}

type carveNetworkOut struct {
	Network string `json:"network"`
	Range   string `json:"range"`
	Block   string `json:"block"`
	State   string `json:"state"`
	Why     string `json:"why"`
}

type carveSubnetOut struct {
	Network  string   `json:"network"`
	Subnet   string   `json:"subnet"`
	Tier     string   `json:"tier"`
	Zone     string   `json:"zone"`
	Region   string   `json:"region"`
	Range    string   `json:"range"`
	Usable   *big.Int `json:"usable"`
	First    string   `json:"first"`
	Last     string   `json:"last"`
	Router   string   `json:"router"`
	Resolver string   `json:"resolver"`
	DHCP     string   `json:"dhcp_server"`
	State    string   `json:"state"`
	Why      string   `json:"why"`
}

type carveHeldOut struct {
	Network string `json:"network"`
	Held    string `json:"held"`
	Range   string `json:"range"`
	For     string `json:"for"`
	Owner   string `json:"owner"`
	State   string `json:"state"`
	Why     string `json:"why"`
}

type carveAggregateOut struct {
	Network   string   `json:"network"`
	Aggregate string   `json:"aggregate"`
	Block     string   `json:"block"`
	Subnets   int      `json:"subnets"`
	Free      *big.Int `json:"free"`
}

func carveJSON(r *carve.Result, findings []diag.Finding, src *text.Files) carveOut {
	out := carveOut{[]carveNetworkOut{}, []carveSubnetOut{}, []carveHeldOut{}, []carveAggregateOut{}, []carveAddressOut{}, append([]string{}, r.Notes...), findingsJSON(r.Misfits, src), findingsJSON(findings, src)}
	for _, n := range r.Networks {
		out.Networks = append(out.Networks, carveNetworkOut{n.Name, n.Range.String(), n.Block, string(n.State), n.Why})
	}
	for _, s := range r.Subnets {
		out.Subnets = append(out.Subnets, carveSubnetOut{s.Network, s.Name, s.Tier, s.Zone, s.Region, s.Range.String(), s.Usable,
			addrText(s.First), addrText(s.Last), addrText(s.Router), addrText(s.Resolver), addrText(s.DHCP), string(s.State), s.Why})
	}
	for _, h := range r.Held {
		out.Held = append(out.Held, carveHeldOut{h.Network, h.Name, h.Range.String(), h.For, h.Owner, string(h.State), h.Why})
	}
	for _, b := range r.Aggregates {
		out.Aggregates = append(out.Aggregates, carveAggregateOut{b.Network, b.Name, b.Block.String(), b.Subnets, b.Free})
	}
	for _, a := range r.Addresses {
		kind := "workload"
		if a.NAT {
			kind = "nat gateway"
		}
		out.Addresses = append(out.Addresses, carveAddressOut{a.Name, kind, a.Subnet, addrTexts(a.Addrs), a.Why})
	}
	return out
}
