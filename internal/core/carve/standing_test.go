package carve

import (
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestReleasedRanges takes ranges out of a plan in which addresses, NAT and rules still stand.
func TestReleasedRanges(t *testing.T) {
	const frame = "wendrik: 1\nregions: {west: [west-a]}\nprofile: zonal\nspace: {cloud: {block: 10.144.0.0/12}}\n" +
		"networks:\n  quay: {region: west, from: cloud, %s, tiers: {app: {hosts: 100, spare: 0}, web: {hosts: 100, spare: 0}}, " +
		"subnets: {app-a: {tier: app, zone: west-a%s}, web-a: {tier: web, zone: west-a%s}}, gateways: {out: {kind: nat, in: web-a, address: 10.146.1.9}}, " +
		"groups: {g: {in: [tcp/22 from 10.144.0.0/26]}}}\n" +
		"workloads: {berth: {in: quay/app-a, address: %s}}\n"
	for name, c := range map[string]struct{ quay, app, web, berth, want string }{
		"all of it":               {"size: /20", "", "", "10.146.0.10", "10.146.0.0/20 10.146.0.0/25 10.146.1.0/25"},
		"the subnets":             {"range: 10.146.0.0/20", "", "", "10.146.3.10", "10.146.0.0/20 10.146.3.0/25 10.146.1.0/25"},
		"one subnet":              {"range: 10.146.0.0/20", "", ", range: 10.146.1.0/24", "10.146.0.200", "10.146.0.0/20 10.146.0.128/25 10.146.1.0/24"},
		"the network alone":       {"size: /22", ", range: 10.146.2.0/25", ", range: 10.146.1.0/25", "10.146.2.10", "10.146.0.0/22 10.146.2.0/25 10.146.1.0/25"},
		"too small for both":      {"size: /24", "", "", "10.146.0.10", "no free /24 of block cloud holds all subnets and addresses that network quay has"},
		"both in one place":       {"range: 10.146.0.0/20", "", "", "10.146.1.77", "subnet quay/web-a has the address 10.146.1.9, and 10.146.1.0/25 around it is not free"},
		"a slot somewhere else":   {"size: /20, slot: 3", "", "", "10.146.0.10", "slot 3 of network quay is 10.144.48.0/20, and 10.146.0.10/32 in it lies elsewhere"},
		"a slot where it was":     {"size: /20, slot: 32", "", "", "10.146.0.10", "10.146.0.0/20 10.146.0.0/25 10.146.1.0/25"},
		"a reserved address":      {"size: /20", "", "", "10.146.0.2", "with these ranges, 10.146.0.2 is reserved"},
		"a subnet with two homes": {"range: 10.146.0.0/20, slot: 1", ", slot: 9", "", "10.146.0.10", "slot 9 of subnet quay/app-a is 10.146.4.128/25, and 10.146.0.10 in it lies elsewhere"},
	} {
		content := fmt.Sprintf(frame, c.quay, c.app, c.web, c.berth)
		got, r := carveText(t, content)
		said := strings.Join([]string{got["quay"], got["quay/app-a"], got["quay/web-a"]}, " ")
		if len(r.Misfits) > 0 {
			said = r.Misfits[0].Message
		} else {
			written(t, content)
		}
		assert.Contains(t, said, c.want, name)
		if c.app != "" || c.web != "" || strings.Contains(c.want, "subnet quay/") {
			continue
		}
		content = regexp.MustCompile(`subnets: .*?}}, `).ReplaceAllString(content, "") // which the tiers call for all the same
		got, r = carveText(t, content)
		said = strings.Join([]string{got["quay"], got["quay/app-a"], got["quay/web-a"]}, " ")
		if len(r.Misfits) > 0 {
			said = r.Misfits[0].Message
		} else {
			written(t, content)
		}
		assert.Contains(t, said, c.want, "%s, and no subnet", name)
	}
}

// TestRulesThatMeanSomebodyElse gives away what rules, routes and sites speak of.
func TestRulesThatMeanSomebodyElse(t *testing.T) {
	_, r := carveText(t, `wendrik: 1
space: {cloud: {block: 10.144.0.0/16}}
networks:
  new: {from: cloud, size: /20, tiers: {app: {size: /24}}}
  old:
    range: 10.200.0.0/20
    groups: {g: {in: [tcp/1 from 10.144.0.0/28, tcp/1 from 10.144.0.0/12, tcp/1 from any], out: [any to 10.144.8.0/24]}}
    lists: {l: {in: [allow any from 10.144.16.0/24]}}
    tables: {t: {routes: [{to: 10.144.4.0/22, via: blackhole}, {to: 10.144.0.0/19, via: blackhole}]}}
hubs: {h: {tables: {x: {routes: [{to: 10.144.0.0/20, via: blackhole}]}}}}
sites: {quay: {ranges: 10.212.0.0/16, knows: [10.144.0.9/32, 10.0.0.0/8]}}
`)
	require.Empty(t, r.Misfits)
	var got []string
	for _, f := range r.Renamed {
		got = append(got, f.Message)
	}
	assert.Equal(t, []string{
		"a rule of group old/g (tcp/1 from 10.144.0.0/28) names 10.144.0.0/28, which is a part of subnet new/app from now on",
		"a rule of group old/g (any to 10.144.8.0/24) names 10.144.8.0/24, which is a part of network new from now on",
		"a route of table old/t names 10.144.4.0/22, which is a part of network new from now on",
		"a route of hub table h/x names 10.144.0.0/20, which is a part of network new from now on",
		"what site quay knows names 10.144.0.9/32, which is a part of subnet new/app from now on",
	}, got)
}
