package estate

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/text"
)

// TestThings counts what clouds charge for, with the owner of what it is in where it has none.
func TestThings(t *testing.T) {
	e, findings := Load(text.One("p", `wendrik: 1
networks:
  pier:
    range: 10.144.0.0/20
    owner: ferries
    subnets: {a: {range: 10.144.0.0/24}, b: {range: 10.144.1.0/24}}
    gateways: {front: {kind: internet}, out: {kind: nat, in: a, address: 10.144.0.200, public: [203.0.113.7]}}
  quay: {range: 10.145.0.0/20, subnets: {c: {range: 10.145.0.0/24}}}
workloads:
  shop: {in: pier/a, address: 10.144.0.10, public: 203.0.113.8}
  crane: {in: quay/c, count: 2, addresses: [10.145.0.10, 10.145.0.11], owner: harbour, labels: {purpose: lifting}}
peerings: {p: {between: [pier, quay], accepted: [pier, quay], owner: ferries}}
hubs: {h: {tables: {t: {}}, attach: {pier: t, hall: t}}}
sites: {hall: {ranges: 10.200.0.0/16}, dock: {ranges: 10.201.0.0/16, link: quay}}
`))
	require.Empty(t, findings)
	counts, owners := map[string]int{}, map[string]string{}
	for _, x := range e.Things() {
		counts[x.Kind]++
		owners[x.Kind+" "+x.Name] = x.Owner
		assert.Contains(t, Charged, x.Kind)
	}
	assert.Equal(t, map[string]int{"network": 2, "subnet": 3, "nat gateway": 1, "public address": 2, "workload": 3, "peering": 1, "hub": 1, "attachment": 2, "site link": 1}, counts)
	assert.Equal(t, "ferries", owners["workload shop"])
	assert.Equal(t, "ferries", owners["nat gateway pier/out"])
	assert.Equal(t, "ferries", owners["peering p"])
	assert.Empty(t, owners["subnet quay/c"])
	for _, x := range e.Things() {
		if x.Owner == "harbour" {
			assert.Equal(t, []string{"purpose=lifting"}, x.Labels)
		}
	}
}
