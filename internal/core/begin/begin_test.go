package begin

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/core/carve"
	"wendrik/internal/core/check"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/core/expect"
	"wendrik/internal/core/profile"
	"wendrik/internal/core/wrong"
	"wendrik/internal/golden"
)

// TestPlans writes first plans: each is read, carved, and then nothing is found wrong with it but what is not there yet.
func TestPlans(t *testing.T) {
	golden.Cases(t, plans, func(t *testing.T, asked string) string {
		var o Options
		var tiers, space, networks string
		_, err := fmt.Sscan(asked, &o.Estate, &o.Profile, &o.Region, &o.Zones, &tiers, &space, &o.Size, &networks)
		require.NoError(t, err)
		o.Tiers, err = ParseTiers(tiers)
		require.NoError(t, err)
		o.Space, o.Networks = netip.MustParsePrefix(space), strings.Split(networks, ",")
		content := Plan(o)
		e := estatetest.Load(t, content)
		carved, problems, err := e.With(carve.Estate(e).Changes)
		require.NoError(t, err)
		require.Empty(t, problems)
		for _, f := range check.Run(carved) {
			assert.NotContains(t, []string{"error"}, string(f.Weight()), "%s: %s", f.Code, f.Message)
		}
		for _, r := range expect.Run(carved, nil) {
			assert.True(t, r.Holds, "%s: %s", r.Text, r.Why)
		}
		return content
	})
}

func TestTiers(t *testing.T) {
	all, err := ParseTiers("web:public:60, data:closed:9")
	require.NoError(t, err)
	assert.Equal(t, []Tier{{"web", "public", 60}, {"data", "closed", 9}}, all)
	for text, want := range map[string]string{
		"web":                 `"web" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public":          `"web:public" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public:0":        `"web:public:0" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public:9x":       `"web:public:9x" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"web:public:many":     `"web:public:many" is no tier: it takes a name, an access and how many hosts: write  web:public:60,app:outbound:200`,
		"a:closed:1,b:open:2": `"open" is no access: write public, outbound or closed`,
	} {
		all, err := ParseTiers(text)
		require.Error(t, err, text)
		assert.Equal(t, want, err.Error()+": "+wrong.Right(err))
		assert.Nil(t, all)
	}
	zonal, _ := profile.Named("zonal")
	regional, _ := profile.Named("regional")
	out, both := []Tier{{"app", "outbound", 9}}, []Tier{{"app", "outbound", 9}, {"web", "public", 9}}
	err = Lacks(out, zonal)
	require.Error(t, err)
	assert.Equal(t, "tier app is outbound, and no public tier is there for the NAT gateway that it leaves by: add one, such as  edge:public:10", err.Error()+": "+wrong.Right(err))
	assert.NoError(t, Lacks(both, zonal))
	assert.NoError(t, Lacks(out, regional))
	assert.NoError(t, Lacks([]Tier{{"data", "closed", 9}}, zonal))
}

const plans = `
== zonal, all accesses, two networks
skerry-line zonal west 3 web:public:60,application:outbound:200,data:closed:40 10.144.0.0/12 20 booking,harbour
--
# The plan of skerry-line. What is wanted stands here; carve adds ranges and addresses, and moves none.
# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid
wendrik: 1
estate: skerry-line
profile: zonal          # how the cloud behaves; each knob can be set:  wendrik help plan profile

# The region, and its zones.
regions:
  west: [west-a, west-b, west-c]

# Address space, from the top down: networks of the region come out of its block, and the rest is
# left for other regions.
space:
  cloud: {block: 10.144.0.0/12}
  west: {block: 10.144.0.0/14, within: cloud, region: west}

# A shape of network, named once; {network} in it is the name of the network that takes it.
patterns:
  service:
    # What its subnets are for. hosts is how many workloads each must have room for. public is open
    # to the internet, outbound gets out through NAT, closed does neither.
    tiers:
      web:         {access: public, hosts: 60}
      application: {access: outbound, hosts: 200}
      data:        {access: closed, hosts: 40}
    # The ways out. assigned is a public address that the cloud gives.
    gateways:
      front: {kind: internet}
      out: {kind: nat, in: web, public: assigned}
    # Where packets go: the most specific route wins, and those inside the network are always there.
    tables:
      main: {main: true, routes: []}
      public: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
      outbound: {subnets: [application], routes: [{to: 0.0.0.0/0, via: out}]}
    # Who reaches whom, and who never does; check holds the plan against it.
    expect:
      - internet never reaches {network}/data

# The networks. What one says itself stands in the place of what the pattern says.
networks:
  booking:
    pattern: service
    region: west
    from: west
    size: /20
  harbour:
    pattern: service
    region: west
    from: west
    size: /20

# What lives there, by tier: take the marks off, and carve gives addresses.
# workloads:
#   shop: {in: booking/web, count: 2, public: assigned, listens: [tcp/443]}

# Networks that are to talk need a peering, accepted by both, and routes:  wendrik help plan peerings
# peerings:
#   booking-harbour: {between: [booking, harbour], accepted: [booking, harbour]}

== regional, all accesses, one network
quay regional north 2 web:public:60,app:outbound:200,data:closed:40 10.144.0.0/14 20 booking
--
# The plan of quay. What is wanted stands here; carve adds ranges and addresses, and moves none.
# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid
wendrik: 1
estate: quay
profile: regional          # how the cloud behaves; each knob can be set:  wendrik help plan profile

# The region, and its zones.
regions:
  north: [north-a, north-b]

# Address space, from the top down: networks of the region come out of its block, and the rest is
# left for other regions.
space:
  cloud: {block: 10.144.0.0/14}
  north: {block: 10.144.0.0/16, within: cloud, region: north}

# A shape of network, named once; {network} in it is the name of the network that takes it.
patterns:
  service:
    # What its subnets are for. hosts is how many workloads each must have room for. public is open
    # to the internet, outbound gets out through NAT, closed does neither.
    tiers:
      web:  {access: public, hosts: 60}
      app:  {access: outbound, hosts: 200}
      data: {access: closed, hosts: 40}
    # The ways out. assigned is a public address that the cloud gives.
    gateways:
      front: {kind: internet}
      out: {kind: nat, serves: [app], public: assigned}
    # Where packets go: the most specific route wins, and those inside the network are always there.
    tables:
      main: {main: true, routes: []}
      public: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
      outbound: {subnets: [app], routes: [{to: 0.0.0.0/0, via: front}]}
      # A network is born with a way out here, so what is closed leads it nowhere.
      closed: {subnets: [data], routes: [{to: 0.0.0.0/0, via: blackhole}, {to: "::/0", via: blackhole}]}
    # Who reaches whom, and who never does; check holds the plan against it.
    expect:
      - internet never reaches {network}/data

# The networks. What one says itself stands in the place of what the pattern says.
networks:
  booking:
    pattern: service
    region: north
    from: north

# What lives there, by tier: take the marks off, and carve gives addresses.
# workloads:
#   shop: {in: booking/web, count: 2, public: assigned, listens: [tcp/443]}

== plain, a closed tier alone
quay plain north 1 data:closed:40 10.144.0.0/31 32 vault
--
# The plan of quay. What is wanted stands here; carve adds ranges and addresses, and moves none.
# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid
wendrik: 1
estate: quay
profile: plain          # how the cloud behaves; each knob can be set:  wendrik help plan profile

# The region, and its zones.
regions:
  north: [north-a]

# Address space, from the top down: networks of the region come out of its block, and the rest is
# left for other regions.
space:
  cloud: {block: 10.144.0.0/31}
  north: {block: 10.144.0.0/32, within: cloud, region: north}

# A shape of network, named once; {network} in it is the name of the network that takes it.
patterns:
  service:
    # What its subnets are for. hosts is how many workloads each must have room for. public is open
    # to the internet, outbound gets out through NAT, closed does neither.
    tiers:
      data: {access: closed, hosts: 40}
    # Who reaches whom, and who never does; check holds the plan against it.
    expect:
      - internet never reaches {network}/data

# The networks. What one says itself stands in the place of what the pattern says.
networks:
  vault:
    pattern: service
    region: north
    from: north
    size: /32

# What lives there, by tier: take the marks off, and carve gives addresses.
# workloads:
#   shop: {in: vault/data, count: 2, public: assigned, listens: [tcp/443]}

== zonal, outbound without a public tier
quay zonal north 1 app:outbound:20 10.144.0.0/16 24 vault,tills
--
# The plan of quay. What is wanted stands here; carve adds ranges and addresses, and moves none.
# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid
wendrik: 1
estate: quay
profile: zonal          # how the cloud behaves; each knob can be set:  wendrik help plan profile

# The region, and its zones.
regions:
  north: [north-a]

# Address space, from the top down: networks of the region come out of its block, and the rest is
# left for other regions.
space:
  cloud: {block: 10.144.0.0/16}
  north: {block: 10.144.0.0/18, within: cloud, region: north}

# A shape of network, named once; {network} in it is the name of the network that takes it.
patterns:
  service:
    # What its subnets are for. hosts is how many workloads each must have room for. public is open
    # to the internet, outbound gets out through NAT, closed does neither.
    tiers:
      app: {access: outbound, hosts: 20}
    # The ways out. assigned is a public address that the cloud gives.
    gateways:
      front: {kind: internet}
    # Where packets go: the most specific route wins, and those inside the network are always there.
    tables:
      main: {main: true, routes: []}

# The networks. What one says itself stands in the place of what the pattern says.
networks:
  vault:
    pattern: service
    region: north
    from: north
    size: /24
  tills:
    pattern: service
    region: north
    from: north
    size: /24

# What lives there, by tier: take the marks off, and carve gives addresses.
# workloads:
#   shop: {in: vault/app, count: 2, public: assigned, listens: [tcp/443]}

# Networks that are to talk need a peering, accepted by both, and routes:  wendrik help plan peerings
# peerings:
#   vault-tills: {between: [vault, tills], accepted: [vault, tills]}

== two closed tiers and a public one, regional without a closed one
quay zonal north 1 data:closed:40,web:public:9,vault:closed:3 10.144.0.0/16 24 booking
--
# The plan of quay. What is wanted stands here; carve adds ranges and addresses, and moves none.
# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid
wendrik: 1
estate: quay
profile: zonal          # how the cloud behaves; each knob can be set:  wendrik help plan profile

# The region, and its zones.
regions:
  north: [north-a]

# Address space, from the top down: networks of the region come out of its block, and the rest is
# left for other regions.
space:
  cloud: {block: 10.144.0.0/16}
  north: {block: 10.144.0.0/18, within: cloud, region: north}

# A shape of network, named once; {network} in it is the name of the network that takes it.
patterns:
  service:
    # What its subnets are for. hosts is how many workloads each must have room for. public is open
    # to the internet, outbound gets out through NAT, closed does neither.
    tiers:
      data:  {access: closed, hosts: 40}
      web:   {access: public, hosts: 9}
      vault: {access: closed, hosts: 3}
    # The ways out. assigned is a public address that the cloud gives.
    gateways:
      front: {kind: internet}
    # Where packets go: the most specific route wins, and those inside the network are always there.
    tables:
      main: {main: true, routes: []}
      public: {subnets: [web], routes: [{to: 0.0.0.0/0, via: front}]}
    # Who reaches whom, and who never does; check holds the plan against it.
    expect:
      - internet never reaches {network}/data
      - internet never reaches {network}/vault

# The networks. What one says itself stands in the place of what the pattern says.
networks:
  booking:
    pattern: service
    region: north
    from: north
    size: /24

# What lives there, by tier: take the marks off, and carve gives addresses.
# workloads:
#   shop: {in: booking/data, count: 2, public: assigned, listens: [tcp/443]}

== regional, without a closed tier
quay regional north 1 app:outbound:40 10.144.0.0/16 24 booking
--
# The plan of quay. What is wanted stands here; carve adds ranges and addresses, and moves none.
# All keys:  wendrik help plan     Is it right?  wendrik check     Who reaches whom?  wendrik grid
wendrik: 1
estate: quay
profile: regional          # how the cloud behaves; each knob can be set:  wendrik help plan profile

# The region, and its zones.
regions:
  north: [north-a]

# Address space, from the top down: networks of the region come out of its block, and the rest is
# left for other regions.
space:
  cloud: {block: 10.144.0.0/16}
  north: {block: 10.144.0.0/18, within: cloud, region: north}

# A shape of network, named once; {network} in it is the name of the network that takes it.
patterns:
  service:
    # What its subnets are for. hosts is how many workloads each must have room for. public is open
    # to the internet, outbound gets out through NAT, closed does neither.
    tiers:
      app: {access: outbound, hosts: 40}
    # The ways out. assigned is a public address that the cloud gives.
    gateways:
      front: {kind: internet}
      out: {kind: nat, serves: [app], public: assigned}
    # Where packets go: the most specific route wins, and those inside the network are always there.
    tables:
      main: {main: true, routes: []}
      outbound: {subnets: [app], routes: [{to: 0.0.0.0/0, via: front}]}

# The networks. What one says itself stands in the place of what the pattern says.
networks:
  booking:
    pattern: service
    region: north
    from: north

# What lives there, by tier: take the marks off, and carve gives addresses.
# workloads:
#   shop: {in: booking/app, count: 2, public: assigned, listens: [tcp/443]}
`
